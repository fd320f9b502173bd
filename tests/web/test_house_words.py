"""A house reads and types in its own words; old addresses lead on; nothing of ours is read as a key."""

from __future__ import annotations

import re
from uuid import uuid4

import pytest

from helvor.web.old_addresses import moved_to

POWDER = "A mixed powder"


def read(ida, school, text, step="s1"):
    return ida.post(f"{school.run_url}/read", data={"entry": str(uuid4()), "text": text, "step": step})


def test_a_house_reads_its_trade_words_and_decimal_sign_and_types_a_comma(school, ida):
    assert read(ida, school, "note the hood was off, 1,5 cm of liquid").status_code < 400
    british = ida.get(school.run_url).text.replace("\xa0", " ")
    assert "fume cupboard" in british and "the hood was off, 1,5 cm" in british, "a note stays as it was typed"
    kept = ida.post("/house-rules", data={"trade-words": "american", "decimal-sign": "comma"})
    assert kept.status_code == 303
    assert read(ida, school, "dish 41,207").status_code < 400
    page = ida.get(school.run_url).text
    assert "41,207" in page and "fume cupboard" not in page and "hood" in page
    assert "41.207" in ida.get(f"{school.run_url}/run.json").text, "the record has a point"
    form = {
        "entry": str(uuid4()),
        "kind": "weighed",
        "step": "s2",
        "container": "dish",
        "portion": "powder",
        "state": "as is",
        "mass": "44,210",
        "way": "gross",
    }
    assert ida.post(f"{school.run_url}/entries", data=form).status_code < 400
    assert "44.210" in ida.get(f"{school.run_url}/run.json").text
    back = ida.post("/house-rules", data={"trade-words": "british", "decimal-sign": "point"})
    assert back.status_code == 303 and "41.207" in ida.get(school.run_url).text


def test_a_comma_is_asked_about_where_the_house_has_a_point(school, ida):
    before = school.run and school.entries()
    assert "decimal point" in read(ida, school, "dish 41,207").text
    assert school.entries() == before


@pytest.mark.parametrize(
    ("old", "new"),
    [
        ("/plan", "/procedures"),
        ("/plan/rules", "/house-rules"),
        ("/plan/procedures", "/procedures"),
        ("/plan/import/files", "/procedures/import/files"),
        ("/reckon", "/calculators"),
        ("/reckon/reaction", "/calculators/reaction"),
        ("/shelf", "/reference-data"),
        ("/shelf/substance.csv", "/reference-data/substance.csv"),
        ("/classes/7/review", "/classes/7/results"),
        ("/classes/7/review.csv", "/classes/7/results.csv"),
        ("/classes/7/day", "/classes/7/log"),
        ("/api/classes/7/review", None),
        ("/plans", None),
        ("/classes/7/days", None),
    ],
)
def test_an_old_address_leads_to_the_new_one(old, new):
    assert moved_to(old) == new


def test_an_old_bookmark_opens_and_an_old_form_still_writes(school, ida):
    kept = ida.get("/shelf?kind=solvent", follow_redirects=False)
    assert kept.status_code == 308 and kept.headers["location"] == "/reference-data?kind=solvent"
    assert "Calculators" in ida.get("/reckon/reaction", follow_redirects=True).text
    answer = ida.post("/plan/rules", data={"pouring": "swirl"}, follow_redirects=False)
    assert (answer.status_code, answer.headers["location"]) == (308, "/house-rules")


PAGES = (
    "/",
    "/procedures",
    "/calculators",
    "/reference-data",
    "/practice",
    "/house-rules",
    "/people",
    "/search?q=salt",
)


def test_no_key_or_brace_is_read_on_a_page_or_in_a_report(school, ida):
    for text, step in (("dish 41.207", "s1"), ("done 1", "s1"), ("check all", "s3"), ("skip 4 no time", "s4")):
        assert read(ida, school, text, step).status_code < 400
    addresses = [school.run_url, f"{school.run_url}/history", f"{school.run_url}/report", *PAGES]
    for address in addresses:
        page = ida.get(address, follow_redirects=True)
        assert page.status_code == 200, address
        shown = re.sub(r"<(script|style|textarea).*?</\1>|<[^>]*>", " ", page.text, flags=re.DOTALL)
        assert not re.search(r"\{[a-z][^}]*\}", shown), address
        assert not re.search(r"\bstep s\d|\bs\d+ (?:done|skipped)|\bno-flame\b|\bstir-bar\b", shown), address
    history = ida.get(f"{school.run_url}/history").text
    assert "step 1 done" in history and "step 3, set-up checked: in the hood" in history and "step 4 skipped" in history
