"""What are you about to do? At a bench it becomes a run, under Procedures a draft."""

import re
from html import unescape
from uuid import uuid4

import pytest

from helvor.core.starts.all import STARTS
from tests.core.test_starts import SAID
from tests.web.conftest import HTMX
from tests.web.test_joining import join, open_code


def typed(key):
    return {name: str(value) for name, value in SAID[key].items()}


@pytest.mark.parametrize("key", STARTS)
def test_a_start_at_a_bench_is_a_run_and_its_first_reading_is_taken(school, ida, key):
    at, page = f"/benches/{school.ida.bench}/starts", uuid4()
    assert STARTS[key].title in ida.get(at).text
    assert "Fill the fields" in ida.get(f"{at}/{key}").text
    begun = ida.post(f"{at}/{key}", data=typed(key) | {"entry": str(page)})
    assert begun.status_code == 303 and begun.headers["location"] == f"/runs/{page}"
    shown = ida.get(f"/runs/{page}")
    assert shown.status_code == 200 and "undefined" not in shown.text
    followed = ida.get(f"/runs/{page}/run.json").json()["entries"][0]["says"]["procedure"]
    tare = next((one for one in followed["steps"] if one.get("empty")), None)
    if tare is not None:
        line = f"{' + '.join(tare['container'])} 41.203"
        wrote = ida.post(
            f"/runs/{page}/read", data={"entry": str(uuid4()), "text": line, "step": tare["id"]}, headers=HTMX
        )
        assert wrote.status_code == 200, wrote.text
        assert "41.203" in ida.get(f"/runs/{page}/history").text
    # Sent twice it is the same run.
    assert ida.post(f"{at}/{key}", data=typed(key) | {"entry": str(page)}).status_code == 303
    assert ida.get(f"/benches/{school.ida.bench}").text.count(f"/runs/{page}") == 1


def test_a_tablet_starts_at_its_own_bench(school):
    tablet, _ = join(school, open_code(school))
    at = f"/benches/{school.ida.bench}/starts"
    assert tablet.get(at).status_code == 200 and "/calculators/scheme" not in tablet.get(at).text
    assert tablet.get(f"{at}/melt").status_code == 200
    assert "What follows" in tablet.get("/starts/melt/ahead", params={"solid": "acetanilide"}).text
    begun = tablet.post(f"{at}/melt", data={"solid": "acetanilide", "entry": str(uuid4())})
    assert begun.status_code == 303 and tablet.get(begun.headers["location"]).status_code == 200


def test_under_procedures_it_is_a_draft_in_the_builder(school, ida):
    entry = uuid4()
    made = ida.post("/procedures/starts/content", data=typed("content") | {"entry": str(entry)})
    assert made.headers["location"] == f"/procedures/{entry}"
    assert "SO4 in garden salt" in ida.get(f"/procedures/{entry}").text.replace("SO₄", "SO4")


@pytest.mark.parametrize(
    ("key", "field", "value", "sentence"),
    [
        ("content", "mass", "", "Enter a mass in g"),
        ("content", "mass", "some", "is not a number"),
        ("recrystallize", "compound", "", "Enter compound"),
        ("recrystallize", "celsius", "9000", "300"),
        ("filter", "funnel", "sieve", "vacuum"),
        ("decant", "times", "many", "whole number"),
        ("content", "analyte", "sulfate", "is not a formula"),
        ("column", "second", "ferrocene", "two different compounds"),
        ("column", "rf_second", "0.5", "within 0.1"),
        ("column", "eluent", "9 : 1", "is not clear"),
        ("melt", "solid", "x\x07y", "cannot be printed"),
    ],
)
def test_what_cannot_be_is_said_at_its_field_and_the_rest_stays(school, ida, key, field, value, sentence):
    at = f"/benches/{school.ida.bench}/starts"
    refused = ida.post(f"{at}/{key}", data=typed(key) | {"entry": str(uuid4()), field: value})
    assert refused.status_code == 422 and sentence in refused.text
    for name, said in typed(key).items():
        if name != field and said not in ("yes", "no"):
            assert f'value="{said}"' in refused.text, name


def test_what_follows_is_shown_while_somebody_types(school, ida):
    ahead = ida.get("/starts/recrystallize/ahead", params=typed("recrystallize"), headers=HTMX).text
    assert "What follows" in ahead and "Draw air through" in ahead and "2.00 g" in ahead
    hot = ida.get("/starts/recrystallize/ahead", params=typed("recrystallize") | {"celsius": "112"}, headers=HTMX).text
    assert re.search(r"is-(?:stop|caution)", hot)
    assert "Fill the fields" in ida.get("/starts/recrystallize/ahead", params={}, headers=HTMX).text
    assert ida.get("/starts/nothing/ahead").status_code == 404


def blank(school, ida):
    page = uuid4()
    ida.post(f"/benches/{school.ida.bench}/runs", data={"page": str(page)})
    return f"/runs/{page}"


def add(ida, run, kind, **more):
    """Add a step from its icon: the form as it comes, with what is typed in it."""
    form = ida.get(f"{run}/edit/step-added", params={"name": kind}, headers=HTMX).text.replace("\n", " ")
    fields = {name: unescape(value) for name, value in re.findall(r'name="(\w+)"\s+value="([^"]*)"', form)}
    fields["step_kind"] = re.search(r'<option value="([^"]*)" selected', form)[1]
    assert fields["step_kind"] == kind
    wrote = ida.post(f"{run}/entries", data=fields | more, headers=HTMX)
    assert wrote.status_code == 200, wrote.text
    return wrote


def test_on_a_blank_run_a_funnel_knows_the_liquids_that_meet_in_it(school, ida):
    run = blank(school, ida)
    assert 'aria-label="Add a step"' in ida.get(run).text
    add(ida, run, "add", adds="water 20 mL", gives="solution")
    add(ida, run, "extract", adds="diethyl ether 15 mL")
    page = ida.get(run, params={"step": "x2"}).text.replace("\xa0", " ")
    assert "diethyl ether" in page and "nothing is said of how much is added" not in page
    procedure = ida.get(f"{run}/run.json").json()
    added = [one["says"]["substance"] for one in procedure["entries"] if one["says"]["kind"] == "substance-added"]
    assert [(one["name"], one["amount"], one["layer"]) for one in added] == [
        ("water", "20 mL", "aqueous"),
        ("diethyl ether", "15 mL", "organic"),
    ]
    assert re.search(r"upper|on top", page), "which layer is which follows from the densities"


def test_what_a_step_adds_is_asked_where_it_is_not_clear(school, ida):
    run = blank(school, ida)
    form = ida.get(f"{run}/edit/step-added", params={"name": "add"}, headers=HTMX).text
    fields = dict(re.findall(r'<input type="hidden" name="(\w+)" value="([^"]*)"', form.replace("\n", " ")))
    data = fields | {"step_kind": "add", "gives": "mix", "adds": "ether 15 bananas"}
    refused = ida.post(f"{run}/entries", data=data, headers=HTMX)
    assert refused.status_code == 422 and "bananas" in refused.text
