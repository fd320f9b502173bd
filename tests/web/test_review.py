"""What a class found, on its page and as JSON."""

import csv
import io
import json
import re
from html import unescape
from urllib.parse import unquote
from uuid import uuid4

import pytest

from helvor.demo.runs import CHALK
from helvor.notebook import classes, procedures
from helvor.shelf.procedures import shipped_procedure
from tests.notebook.people import run_of, type_in
from tests.web.conftest import HTMX
from tests.web.test_crystals import CLEAN, CRYSTALS, type_all
from tests.web.test_joining import join, open_code


def class_of_two(school):
    """Both benches of Ida's class ran the crystals."""
    first = run_of(school.conn, school.ida, CLEAN)
    key = school.conn.execute("SELECT procedure_id FROM page WHERE id = %s", [first]).fetchone()[0]
    other = classes.benches_of(school.conn, school.ida.class_id)[1].id
    second = procedures.start_runs(school.conn, school.ida.account, school.ida.name, key, [other], uuid4())[0]
    type_all(school, first, CRYSTALS[1])
    type_all(school, second, CRYSTALS[2])
    return first, second


def test_benches_stand_side_by_side_and_lead_to_their_runs(school, ida):
    address = f"/classes/{school.ida.class_id}/results"
    assert "No value is shared by two benches" in ida.get(address).text
    first, second = class_of_two(school)
    page = ida.get(address).text.replace("\xa0", " ")
    assert "Acetanilide made clean" in page
    assert "acetanilide recovered" in page and "84.5 %" in page
    assert page.count(f'href="/runs/{first}"') == page.count(f'href="/runs/{second}"') >= 2
    assert "median mass balance" in page or "median acetanilide recovered" in page
    assert ida.get(f"{address}?work=nothing").status_code == 200


def test_the_same_as_json_and_nothing_for_others(school, ida):
    class_of_two(school)
    address = f"/api/classes/{school.ida.class_id}/review"
    work = next(one for one in ida.get(address).json() if one["work"] == "Acetanilide made clean")
    recovery = next(one for one in work["measures"] if one["label"] == "acetanilide recovered")
    assert [one["bench"] for one in recovery["numbers"]] == [1, 2]
    assert recovery["quartiles"][0] <= recovery["median"] <= recovery["quartiles"][1]
    assert school.visitor(school.otto).get(address).status_code == 404
    assert school.visitor(school.otto).get(f"/classes/{school.ida.class_id}/results").status_code == 404


def test_a_wet_bench_alone_is_shared_by_nobody(school, ida):
    type_in(school.conn, school.ida, school.run, "dish 32.514", "dish powder 35.520")
    assert "None shared by a third of the benches" in ida.get(f"/classes/{school.ida.class_id}/results").text


# ── students' own answers ───────────────────────────────────────────────────────────────────────


def chalk_of(school):
    """A finished run of the chalk on Ida's first bench."""
    procedure = shipped_procedure("chalk-from-two-solutions")
    page = run_of(school.conn, school.ida, procedure)
    type_all(school, page, CHALK, procedure)
    return page


def answer(client, page, question, written, entry=None, **headers):
    data = {"question": question, "answer": written, "entry": str(entry or uuid4())}
    return client.post(f"/runs/{page}/answers", data=data, headers=headers)


def test_an_answer_is_written_once_and_looked_through(school, ida):
    page = chalk_of(school)
    before, entry = school.entries(), uuid4()
    for _ in range(2):  # sent twice
        said = answer(ida, page, "yield chalk", "75.69", entry, **HTMX)
        assert said.status_code == 200
    assert school.entries() == before + 1
    text = said.text
    assert "water of hydration ignored" in text and "Already saved; no duplicate was made." in text
    # Written again it takes the place of the last, which stays in the history.
    assert "right" in answer(ida, page, "yield chalk", "100.3", **HTMX).text
    marks = {m["question"]: m for m in ida.get(f"/api/runs/{page}/answers").json()}
    assert (marks["yield chalk"]["answer"], marks["yield chalk"]["verdict"]) == ("100.3", "right")
    assert "75.69" in ida.get(f"/runs/{page}/history").text
    plain = answer(ida, page, "net chalk", "1.032")
    assert plain.status_code == 303 and plain.headers["location"] == f"/runs/{page}/answers"


@pytest.mark.parametrize(
    ("question", "written", "sentence"),
    [
        ("yield chalk", "about a hundred", "is not a number"),
        ("yield chalk", "", "Enter an answer"),
        ("yield chalk", "12 g", "is not a unit here: enter a number with"),
        ("limiting", "water", "Choose "),
        ("colour", "blue", "not on this sheet"),
    ],
)
def test_what_is_no_answer_is_said_and_kept(school, ida, question, written, sentence):
    page = chalk_of(school)
    before = school.entries()
    refused = answer(ida, page, question, written, **HTMX)
    assert refused.status_code == 422 and school.entries() == before
    if question != "colour":
        assert sentence in refused.text and (
            not written or question == "limiting" or f'value="{written}"' in refused.text
        )


def tablet_of(school):
    """A tablet at Ida's first bench."""
    return join(school, open_code(school))[0]


def set_sheet(client, school, work, **fields):
    data = {"work": work, "asked yield chalk": "yes", "asked net chalk": "yes", **fields}
    return client.post(f"/classes/{school.ida.class_id}/answers", data=data)


@pytest.mark.parametrize(
    ("shows", "seen", "hidden"),
    [
        ("nothing", ["sent"], ["not right", "hydrate", "99.7"]),
        ("verdict", ["not right"], ["hydrate"]),
        ("hint", ["not right", "water of hydration ignored"], []),
    ],
)
def test_a_bench_sees_what_is_set_and_no_more(school, ida, shows, seen, hidden):
    page = chalk_of(school)
    assert set_sheet(ida, school, "Chalk from two solutions", shows=shows).status_code == 303
    tablet = tablet_of(school)
    text = answer(tablet, page, "yield chalk", "75.69", **HTMX).text
    for words in seen:
        assert words in text
    for words in hidden:
        assert words not in text
    api = next(m for m in ida.get(f"/api/runs/{page}/answers").json() if m["question"] == "yield chalk")
    assert api["mistakes"] == ["hydrate"]  # the instructor sees it all


def test_only_what_is_asked_stands_on_the_sheet_and_a_closed_one_takes_nothing(school, ida):
    page = chalk_of(school)
    set_sheet(ida, school, "Chalk from two solutions", shows="nothing", **{"tolerance yield chalk": "3"})
    sheet = [m["question"] for m in ida.get(f"/api/runs/{page}/answers").json()]
    assert sheet == ["net chalk", "yield chalk"]
    answer(ida, page, "yield chalk", "98")
    assert ida.get(f"/api/runs/{page}/answers").json()[1]["verdict"] == "right"  # within three points now
    set_sheet(ida, school, "Chalk from two solutions", closes="2020-01-01T10:00")
    before = school.entries()
    refused = answer(ida, page, "yield chalk", "99", **HTMX)
    assert refused.status_code == 422 and "Answers are closed" in refused.text and school.entries() == before


@pytest.mark.parametrize(
    ("field", "value", "sentence"),
    [
        ("closes", "soon", "Enter a date and a time, such as 2026-11-24 16:40, or leave it empty"),
        ("tolerance yield chalk", "wide", "is not a number"),
        ("points net chalk", "1000", "Enter at most 100"),
    ],
)
def test_a_sheet_that_cannot_be_set_says_where(school, ida, field, value, sentence):
    chalk_of(school)
    refused = set_sheet(ida, school, "Chalk from two solutions", **{field: value})
    assert refused.status_code == 422 and sentence in refused.text


def test_the_class_sees_what_was_wrong_and_carries_it_away(school, ida):
    page = chalk_of(school)
    answer(ida, page, "yield chalk", "75.69")
    answer(ida, page, "net chalk", "1.032")
    address = f"/classes/{school.ida.class_id}"
    text = ida.get(f"{address}/results?work=Chalk+from+two+solutions").text
    assert "water of hydration ignored" in text and "75.69" in text and "What students answered" in text
    rows = list(csv.DictReader(io.StringIO(ida.get(f"{address}/answers.csv?work=Chalk+from+two+solutions").text)))
    by_question = {row["question"]: row for row in rows}
    assert by_question["yield of chalk"]["usual_mistakes"] == "hydrate"
    assert by_question["all together"]["points"] == "1" and float(by_question["all together"]["of_points"]) > 5
    asked = ida.post(
        "/api/answers/sheet", json={"procedure": json.loads(shipped_procedure("a-mixed-powder").model_dump_json())}
    )
    assert "closure" in [q["key"] for q in asked.json()]
    spread = ida.post("/api/review/spread", json={"values": [89, 90, 91, 90, 89.5, 74]}).json()
    assert spread["apart"] == [5] and spread["median"] == pytest.approx(89.75)


def test_a_class_stands_against_an_earlier_one(school, ida):
    class_of_two(school)
    other = classes.add_class(
        school.conn,
        school.conn.execute("SELECT institution_id FROM account WHERE id = %s", [school.ida.account]).fetchone()[0],
        "A-0",
        "Last spring",
        ["", ""],
        [school.ida.account],
    )
    key = school.conn.execute("SELECT id FROM procedure ORDER BY made_at DESC LIMIT 1").fetchone()[0]
    benches = [b.id for b in classes.benches_of(school.conn, other)]
    runs = procedures.start_runs(school.conn, school.ida.account, school.ida.name, key, benches, uuid4())
    for page in runs:
        type_all(school, page, CRYSTALS[1])
    address = f"/classes/{school.ida.class_id}/results"
    page = ida.get(address).text
    assert f"against={other}" in page and "A-0" in page
    assert "Last spring" in ida.get(f"{address}?against={other}").text
    assert "Last spring" not in ida.get(f"{address}?against={school.otto.class_id}").text


# ── unknowns ────────────────────────────────────────────────────────────────────────────────────


def test_unknowns_are_judged_and_their_key_is_shown_when_released(school, ida):
    type_in(
        school.conn,
        school.ida,
        school.run,
        "dish 32.514",
        "dish powder 35.520",
        "dish residue dried 34.518",
        "beaker + watch glass 61.204",
        "dish beads dried 33.506",
        "beaker + watch glass salt dried 62.214",
    )
    address = f"/classes/{school.ida.class_id}/unknowns"
    write = {"series": "Powders"}
    key = "1: salt 30 %, beads 33 %, camphor 37 %"
    assert ida.post(address, data=write | {"what": "keep", "samples": key}).status_code == 303
    assert ida.post(address, data=write | {"what": "give", "bench": "1", "number": "1"}).status_code == 303
    [series] = ida.get(f"/api/classes/{school.ida.class_id}/review/unknowns").json()
    found = {one["component"]: one for one in series["benches"][0]["shares"]}
    assert found["salt"]["found_percent"] == pytest.approx(100 * 1.010 / 3.006)
    assert "compared with the key" in ida.get(f"/classes/{school.ida.class_id}/results").text
    tablet = tablet_of(school)
    bench = f"/benches/{school.ida.bench}"
    assert "camphor" not in tablet.get(bench).text
    assert ida.post(address, data=write | {"what": "release"}).status_code == 303
    assert "Contents: salt 30 %" in tablet.get(bench).text
    assert ida.post(address, data=write | {"what": "withhold"}).status_code == 303
    assert "camphor" not in tablet.get(bench).text
    # An assistant sees the class's numbers and nothing of the key.
    assistant = school.visitor(school.assistant)
    assert "compared with the key" not in assistant.get(f"/classes/{school.ida.class_id}/results").text
    assert assistant.get(f"/api/classes/{school.ida.class_id}/review/unknowns").json() == []


# ── put right where it is seen ──────────────────────────────────────────────────────────────────


def test_a_reading_is_put_right_from_the_results_and_they_come_again(school, ida):
    first, _ = class_of_two(school)
    back = f"/classes/{school.ida.class_id}/results?work=Acetanilide%20made%20clean"
    listed = unescape(ida.get(f"/runs/{first}/readings", params={"back": back}, headers=HTMX).text)
    said = re.search(r'/edit/weighed\?key=([0-9a-f-]+)&back=([^"]+)"[^>]*>Correct<[^>]*> ([^<]+)<', listed)
    assert said, listed
    assert unquote(said[2]) == back
    form = ida.get(f"/runs/{first}/edit/weighed", params={"key": said[1], "back": back}, headers=HTMX).text
    fields = dict(re.findall(r'<input type="hidden" name="(\w+)" value="([^"]*)"', form.replace("\n", " ")))
    assert unescape(fields["back"]) == back
    filled = {"container": "dish 9", "portion": "", "state": "empty", "mass": "41.200", "way": "gross"}
    wrong = ida.post(f"/runs/{first}/entries", data=fields | filled | {"mass": "heavy"}, headers=HTMX)
    assert wrong.status_code == 422 and 'name="back"' in wrong.text, "shown again, it still knows where to come back to"
    right = fields | filled | {"reason": "misread", "back": unescape(fields["back"])}
    written = ida.post(f"/runs/{first}/entries", data=right, headers=HTMX)
    assert written.headers["HX-Redirect"] == back
    assert "41.200" in ida.get(f"/runs/{first}/readings").text


@pytest.mark.parametrize("back", ["//evil.example", "https://evil.example", "/classes/../x", "/classes/1\\@evil"])
def test_a_form_leads_nowhere_else(school, ida, back):
    assert 'name="back"' not in ida.get(f"{school.run_url}/edit/noted", params={"back": back}, headers=HTMX).text


def test_a_plates_reading_is_struck_from_the_board(school, ida):
    back = f"/classes/{school.ida.class_id}"
    listed = unescape(ida.get(f"{school.url}/readings", params={"back": back}, headers=HTMX).text)
    key = re.search(r"/edit/struck\?key=([0-9a-f-]+)&back=", listed)[1]
    form = ida.get(f"{school.url}/edit/struck", params={"key": key, "back": back}, headers=HTMX).text
    fields = dict(re.findall(r'<input type="hidden" name="(\w+)" value="([^"]*)"', form.replace("\n", " ")))
    written = ida.post(f"{school.url}/entries", data=fields | {"reason": "misread"}, headers=HTMX)
    assert written.headers["HX-Redirect"] == back
    plain = ida.get(f"{school.url}/readings", params={"back": back})
    assert "<h1>Readings</h1>" in plain.text, "without scripts it is a page"
    assert school.visitor(school.otto).get(f"{school.url}/readings").status_code == 404
