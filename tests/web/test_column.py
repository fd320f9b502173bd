"""A column on a run's page."""

import re
from uuid import uuid4

import pytest

from helvor.notebook import classes, pages, procedures
from helvor.shelf.procedures import shipped_procedure
from tests.notebook.people import run_of
from tests.web.conftest import HTMX, followed


@pytest.fixture
def iron_run(school):
    """A run of "Colours of iron" on Ida's bench; its address."""
    return f"/runs/{run_of(school.conn, school.ida, shipped_procedure('colours-of-iron'))}"


def send(client, url, **fields):
    answer = client.post(f"{url}/entries", data={"entry": str(uuid4()), **fields}, headers=HTMX)
    return followed(client, answer).text.replace("\xa0", " ")


def test_a_rack_from_its_first_tube_to_its_pools(ida, iron_run):
    page = ida.get(f"{iron_run}?step=s6").text
    for words in ("150 mm", "no tubes yet", "predicted", "never below", "Next tube"):
        assert words in page
    filled = send(ida, iron_run, kind="tubes-filled", step="s6", first="1", last="10", each="5", eluent="heptane")
    assert "10 tubes" in filled
    assert "next 11 with heptane : ethyl acetate" in filled
    send(ida, iron_run, kind="tubes-filled", step="s6", first="11", state="spilt", each="5")
    send(ida, iron_run, kind="tubes-spotted", step="s7", first="6", last="8", compound="ferrocene", strength="4")
    mixed = send(ida, iron_run, kind="tubes-spotted", step="s7", first="8", compound="acetylferrocene", strength="1")
    assert "Tube 8 shows" not in mixed
    assert "tube 8 shows ferrocene and acetylferrocene" in mixed
    assert "the pool would be" in ida.get(f"{iron_run}?step=s8").text
    pooled = send(ida, iron_run, kind="pooled", step="s8", first="6", last="7", portion="pool A", proposed="yes")
    assert "Decided" in pooled
    # Ten tubes of the first eluent, one of the second, all of one stream; and the silica of the bed.
    assert "55.0 mL organic, not halogenated, 13.3 g solid silica" in pooled
    assert 'class="curve elution found' in pooled
    dry = send(ida, iron_run, kind="level-seen", step="s6", dry="yes")
    assert "fell below the silica" in dry


@pytest.mark.parametrize(
    ("fields", "says"),
    [
        ({"kind": "tubes-filled", "step": "s6", "first": ""}, "Enter the tube"),
        (
            {"kind": "tubes-filled", "step": "s6", "first": "9", "last": "3"},
            "Enter a last tube that is not before the first",
        ),
        ({"kind": "tubes-filled", "step": "s6", "first": "1", "each": "lots"}, "is not a number"),
        ({"kind": "tubes-spotted", "step": "s7", "first": "500", "compound": "x"}, "192"),
        ({"kind": "pooled", "step": "s8", "first": "1", "portion": ""}, "Enter a name for the pool"),
        ({"kind": "column-packed", "step": "s4", "bore": "1", "bed": "150"}, "2 to 300"),
        ({"kind": "level-seen", "step": "s6"}, "Enter the height of the liquid above the silica"),
    ],
)
def test_bad_input_gets_a_sentence_and_writes_nothing(ida, iron_run, school, fields, says):
    before = school.entries()
    answer = ida.post(f"{iron_run}/entries", data={"entry": str(uuid4()), **fields}, headers=HTMX)
    assert answer.status_code == 422
    assert says in answer.text
    assert school.entries() == before


@pytest.mark.parametrize(
    ("kind", "fields", "field"),
    [
        ("column-packed", {"bore": "15", "bed": "150"}, "bed"),
        ("tubes-filled", {"first": "2", "each": "5"}, "each"),
        ("tubes-spotted", {"first": "2", "compound": "ferrocene", "strength": "4"}, "compound"),
        ("pooled", {"first": "2", "last": "5", "portion": "pool A", "without": "3"}, "without"),
        ("level-seen", {"above": "30"}, "above"),
    ],
)
def test_every_kind_is_corrected_in_its_own_form(ida, iron_run, kind, fields, field):
    entry = str(uuid4())
    send(ida, iron_run, kind=kind, step="s6", **{**fields, "entry": entry})
    assert f'value="{fields[field]}"' in ida.get(f"{iron_run}/edit/{kind}?key={entry}", headers=HTMX).text
    send(ida, iron_run, kind=kind, step="s6", strikes=entry, reason="misread", **fields)
    assert "misread" in ida.get(f"{iron_run}/history").text


def test_elution_and_pools_as_json(ida):
    asked = {
        "bore_mm": 15,
        "bed_mm": 150,
        "eluents_ml": [50, 120],
        "fraction_ml": 5,
        "after_ml": 30,
        "compounds": [{"name": "a", "mg": 100, "rf": [0.55, 0.85]}, {"name": "b", "mg": 100, "rf": [0.02, 0.3]}],
    }
    found = ida.post("/api/column/elution", json=asked).json()
    assert found["column_ml"] == pytest.approx(21.2, abs=0.1)
    assert [sum(band["mg"]) for band in found["bands"]] == [pytest.approx(100, rel=0.01)] * 2
    assert found["bands"][0]["place"] > found["bands"][1]["place"] > 0
    assert found["resolution"][0] > 3
    seen = [{"a": 4}, {"a": 2, "b": 1}, {"b": 4}, {}]
    tubes = [{"number": n, "ml": 5, "seen": shows} for n, shows in enumerate(seen, 1)]
    pools = ida.post("/api/column/pools", json={"tubes": tubes, "mg": {"a": 50, "b": 50}}).json()
    assert [pool["kind"] for pool in pools["pools"]] == ["pure", "mixed", "pure", "empty"]
    assert {cost["compound"] for cost in pools["costs"]} == {"a", "b"}
    assert ida.post("/api/column/elution", json={**asked, "eluents_ml": [50]}).status_code == 422
    assert ida.post("/api/column/pools", json={"tubes": []}).status_code == 422


def test_the_builder_keeps_what_a_column_needs(ida, school):
    key = uuid4()
    procedures.add_procedure(school.conn, school.ida.account, key, shipped_procedure("colours-of-iron"), "made")
    before = procedures.open_procedure(school.conn, school.ida.account, key).procedure

    def edit(**fields):
        data = {"entry": str(uuid4()), "open": "", **fields}
        return ida.post(f"/procedures/{key}/edit", data=data, headers=HTMX)

    form = ida.get(f"/procedures/{key}/form/component?name=ferrocene", headers=HTMX).text
    assert "heptane = 0.55" in form
    assert edit(op="component", was="ferrocene", name="ferrocene", rf="heptane = 0.6\nhexane = 0.5").status_code == 200
    after = procedures.open_procedure(school.conn, school.ida.account, key).procedure
    assert after.component("ferrocene").rf == {"heptane": 0.6, "hexane": 0.5}
    assert edit(op="component", was="ferrocene", name="ferrocene", rf="heptane").status_code == 422
    step = before.step("s4")
    fields = {"kind": step.kind, "says": step.says, "gives": "packed column", "bore": "20", "bed": "160", "hands": "15"}
    assert edit(op="step", step="s4", **fields).status_code == 200
    kept = procedures.open_procedure(school.conn, school.ida.account, key).procedure.step("s4")
    assert (kept.bore, kept.bed) == (20, 160)


USUAL = {
    "compounds": "a 100 mg 0.55 0.85\nb 100 mg 0.02 0.30",
    "bore": "15",
    "bed": "150",
    "eluents": "50 120",
    "fraction": "5",
}


@pytest.mark.parametrize(
    ("changes", "says", "status"),
    [
        ({}, "resolution", 200),
        ({"compounds": "a 50 mg 0.3 0.4\nb 50 mg 0.28 0.38"}, "they overlap", 200),
        ({"compounds": "stays 50 mg 0 0"}, "never", 200),
        ({"compounds": "a 100 mg 0.55"}, "2 eluents need 2", 422),
        ({"compounds": "a few"}, "Rf in each eluent", 422),
        ({"bore": "0"}, "above 0 mm", 422),
        ({"eluents": "much"}, "is not a number", 422),
        ({"fraction": "0"}, "above 0 mL", 422),
        ({"compounds": "a 100 mg 1.5 0.2"}, "between 0 and 1", 422),
        ({"eluents": ""}, "Enter at least one", 422),
    ],
)
def test_what_comes_when(ida, changes, says, status):
    answer = ida.get("/calculators/elution", params=USUAL | changes)
    assert answer.status_code == status
    assert any(one in answer.text.replace("\xa0", " ") for one in says.split("|"))


def test_a_gravity_column_from_what_there_is(ida):
    asked = {
        "rf_fast": "0.5",
        "rf_slow": "0.25",
        "sample": "500",
        "kind": "gravity",
        "bores": "10 20 30",
        "flow": "3",
        "benches": "12",
    }
    text = ida.get("/calculators/column", params=asked).text.replace("\xa0", " ")
    assert "25 g" in text
    assert "for 12 benches, a tenth to spare" in text
    assert "mL by its stream; 330 g solid silica" in text
    flash = asked | {
        "kind": "flash",
        "rf_fast": "0.5",
        "rf_slow": "0.3",
        "sample": "100",
        "eluent": "hexane : ethyl acetate 4 : 1",
    }
    said = ida.get("/calculators/column", params=flash).text.replace("\xa0", " ")
    assert "1320 mL organic, not halogenated; 77.8 g solid silica" in said
    assert ida.get("/calculators/column", params=flash | {"eluent": "nothing 3"}).status_code == 422
    assert ida.get("/calculators/column", params=asked | {"bores": "wide"}).status_code == 422
    json = {"rf": [0.5, 0.25], "sample_mg": 500, "kind": "gravity", "bores_mm": [20], "flow_ml_min": 3}
    plan = ida.post("/api/column/draft", json=json).json()
    assert (plan["diameter_mm"], plan["silica_g"]) == (20, 25)
    assert plan["minutes"] == pytest.approx(plan["eluent_ml"] / 3)
    assert plan["class_tubes"] is None
    whole = ida.post("/api/column/draft", json={**json, "benches": 12}).json()
    assert whole["class_silica_g"] == pytest.approx(12 * 1.1 * 25)
    assert whole["class_tubes"] >= 12 * plan["fractions"]


def test_tubes_go_onto_a_plate_and_what_it_shows_comes_back(school, ida, iron_run):
    form = {"page": str(uuid4()), "first": "4", "last": "9"}
    for _ in range(2):  # sent twice
        answer = ida.post(f"{iron_run}/fraction-plate", data=form)
        assert answer.headers["location"] == f"/plates/{form['page']}"
    record = ida.get(f"/api/plates/{form['page']}").json()
    lanes = [entry["says"] for entry in record["entries"] if entry["says"]["kind"] == "lane"]
    assert [lane["label"] for lane in lanes] == ["4", "5", "6", "7", "8", "9", "F", "A"]
    assert [lane["substance"] for lane in lanes if lane["role"] == "reference"] == ["ferrocene", "acetylferrocene"]
    url = f"/plates/{form['page']}/read"
    for text in ("front 80", "F 60", "A 24", "5 60", "6 59.5", "6 24.5", "7 40"):
        assert ida.post(url, data={"entry": str(uuid4()), "text": text}).status_code == 303, text
    back = {"entry": str(uuid4()), "plate": form["page"], "step": "s7"}
    for _ in range(2):
        answer = ida.post(f"{iron_run}/from-plate", data=back, headers=HTMX)
        assert answer.headers["hx-redirect"] == f"{iron_run}?step=s7"
    shows = {one["tube"]: one["seen"] for one in ida.get(f"/api/column/plates/{form['page']}/tubes").json()}
    assert shows == {
        4: {},
        5: {"ferrocene": 3},
        6: {"ferrocene": 3, "acetylferrocene": 3},
        7: {"Rf 0.50": 3},
        8: {},
        9: {},
    }
    page = ida.get(f"{iron_run}?step=s7").text
    assert "Fraction plates" in page
    said = dict(re.findall(r'aria-label="tube (\d), [^,"]*, ([^"]*)"', page))
    assert {int(tube): words for tube, words in said.items()} == {
        4: "nothing seen",
        5: "ferrocene clear",
        6: "ferrocene clear, acetylferrocene clear",
        7: "Rf 0.50 clear",
        8: "nothing seen",
        9: "nothing seen",
    }


@pytest.mark.parametrize(
    ("fields", "says"),
    [
        ({"first": ""}, "Enter the first and the last tube"),
        ({"first": "5", "last": "x"}, "Enter the first and the last tube"),
        ({"first": "9", "last": "3"}, "at least one tube"),
        ({"first": "1", "last": "90"}, "at most 38 tubes"),
    ],
)
def test_a_plate_that_cannot_be_is_refused_and_nothing_is_started(school, ida, iron_run, fields, says):
    before = school.conn.execute("SELECT count(*) FROM page").fetchone()
    answer = ida.post(f"{iron_run}/fraction-plate", data={"page": str(uuid4()), **fields}, headers=HTMX)
    assert answer.status_code == 422 and says in answer.text
    assert school.conn.execute("SELECT count(*) FROM page").fetchone() == before


def test_only_a_plate_of_the_same_bench_comes_into_a_rack(school, ida, iron_run):
    other = classes.benches_of(school.conn, school.ida.class_id)[1].id
    plate = uuid4()
    pages.start_page(school.conn, school.ida.account, other, "planar", plate)
    for key, status in ((plate, 404), (school.page, 422), (uuid4(), 404)):
        data = {"entry": str(uuid4()), "plate": str(key), "step": "s7"}
        assert ida.post(f"{iron_run}/from-plate", data=data, headers=HTMX).status_code == status, key


def test_a_fraction_plate_as_json(ida):
    found = ida.post("/api/column/fraction-plate", json={"tubes": [3, 2, 2], "compounds": ["ferrocene"]}).json()
    assert [lane["label"] for lane in found["lanes"]] == ["2", "3", "F"]
    gaps = [b["mm"] - a["mm"] for a, b in zip(found["lanes"], found["lanes"][1:], strict=False)]
    assert min(gaps) >= 5 and found["lanes"][-1]["mm"] < found["width_mm"]
    assert ida.post("/api/column/fraction-plate", json={"tubes": [1], "compounds": []}).status_code == 422
