"""Crystals on a run's page, in the sums and as JSON."""

from uuid import uuid4

import pytest

from helvor.demo.crystals import CRYSTALS
from helvor.notebook import pages, procedures
from helvor.shelf.procedures import shipped_procedure
from tests.core.techniques.extraction.test_runs import typed
from tests.notebook.people import run_of
from tests.web.conftest import HTMX, followed

CLEAN = shipped_procedure("acetanilide-made-clean")


@pytest.fixture
def run(school):
    """A run of "Acetanilide made clean" on Ida's bench; its id."""
    return run_of(school.conn, school.ida, CLEAN)


def write(client, run, **fields):
    answer = client.post(f"/runs/{run}/entries", data={"entry": str(uuid4()), **fields}, headers=HTMX)
    return followed(client, answer).text.replace("\xa0", " ")


def type_all(school, run, lines, procedure=CLEAN):
    drafts = [pages.Draft(uuid4(), entry.payload) for entry in typed(*lines, procedure=procedure)[1:]]
    pages.append(school.conn, school.ida.account, school.ida.name, run, lambda _: drafts)


def test_a_flask_from_its_first_portion_to_its_crystals(ida, school, run):
    page = ida.get(f"/runs/{run}?step=s4").text
    assert "Weigh the solid first" in page
    ida.post(f"/runs/{run}/read", data={"entry": str(uuid4()), "text": "take crude acetanilide 2.000 g", "step": "s2"})
    assert "36 mL" in write(ida, run, kind="solvent-added", step="s4", volume="36", why="dissolve")
    flask = write(ida, run, kind="solvent-added", step="s4", volume="12", why="extra")
    assert "36 in 1 portion, 12 extra" in flask and "can crystallize from 48 mL" in flask
    cooled = write(ida, run, kind="temperature-seen", step="s6", celsius="74", seen="first needles")
    assert "74 °C first needles" in cooled
    assert "scratched the glass" in write(ida, run, kind="crystallized", step="s6", outcome="nothing")
    oil = write(ida, run, kind="crystallized", step="s6", outcome="oil", remedy="scratched")
    assert "separated as an oil" in oil


def test_ranges_stand_side_by_side_and_are_corrected(ida, run):
    write(ida, run, kind="melting-seen", step="s3", portion="crude", starts="106", ends="110.5", rate="1")
    page = write(ida, run, kind="standard-melted", step="s3", name="benzoic acid", published="122.4", read="121.9")
    assert "106.5–111.0 °C, 1 °C/min, corrected from 106.0–110.5" in page
    assert "published 114.0" in page
    mixed = write(
        ida, run, kind="melting-seen", step="s3", portion="crude", starts="90", ends="101", mixed_with="phenacetin"
    )
    assert "crude with phenacetin" in mixed


def test_the_best_tube_comes_first(school, ida):
    steps = tuple(s.model_copy(update={"kind": "try solvents"}) if s.id == "s3" else s for s in CLEAN.steps)
    run = run_of(school.conn, school.ida, CLEAN.model_copy(update={"title": "Tubes", "steps": steps}))
    write(ida, run, kind="solvent-tried", step="s3", solvent="ethanol", cold="all")
    write(ida, run, kind="solvent-tried", step="s3", solvent="heptane", cold="none", hot="none")
    page = write(ida, run, kind="solvent-tried", step="s3", solvent="water", cold="none", hot="all", cooled="crystals")
    table = page[page.index('<h3 class="h3">Test tubes') :]
    assert table.index("<b>water</b>") < table.index("<b>ethanol</b>")
    assert "ethanol with heptane" in table


@pytest.mark.parametrize("bench", sorted(CRYSTALS))
def test_every_bench_of_the_demo_draws_every_step(school, ida, run, bench):
    type_all(school, run, CRYSTALS[bench])
    for step in CLEAN.steps:
        assert ida.get(f"/runs/{run}?step={step.id}").status_code == 200, step.id
    assert ida.get(f"/runs/{run}?view=why").status_code == 200


def test_the_scheme_marks_the_liquor_s_estimate_as_one(school, ida, run):
    type_all(school, run, CRYSTALS[1])
    page = ida.get(f"/runs/{run}?view=record").text.replace("\xa0", " ")
    assert "about 0.10" in page and "estimate, by its solubility" in page


@pytest.mark.parametrize(
    ("fields", "says"),
    [
        ({"kind": "solvent-added", "step": "s4"}, "volume"),
        ({"kind": "solvent-added", "step": "s4", "volume": "lots"}, "not a number"),
        ({"kind": "temperature-seen", "step": "s6"}, "Enter the temperature"),
        ({"kind": "temperature-seen", "step": "s6", "celsius": "900"}, "500"),
        ({"kind": "melting-seen", "step": "s3", "portion": "", "starts": "1"}, "Enter what was melted"),
        (
            {"kind": "melting-seen", "step": "s3", "portion": "crude", "starts": "114", "ends": "110"},
            "Enter a melting range from the first drop up to clear, between −100 and 500 °C",
        ),
        ({"kind": "standard-melted", "step": "s3", "name": "x", "published": "1"}, "Enter what you read"),
        ({"kind": "solvent-tried", "step": "s3", "solvent": "water"}, "Enter at least one of the three"),
    ],
)
def test_bad_input_gets_a_sentence_and_writes_nothing(ida, run, school, fields, says):
    before = school.entries()
    answer = ida.post(f"/runs/{run}/entries", data={"entry": str(uuid4()), **fields}, headers=HTMX)
    assert answer.status_code == 422
    assert says in answer.text
    assert school.entries() == before


@pytest.mark.parametrize(
    ("kind", "fields", "field"),
    [
        ("solvent-added", {"volume": "12", "why": "extra"}, "volume"),
        ("temperature-seen", {"celsius": "41"}, "celsius"),
        ("melting-seen", {"portion": "crude", "starts": "106", "ends": "111"}, "ends"),
        ("standard-melted", {"name": "benzoic acid", "published": "122.4", "read": "122"}, "read"),
        ("solvent-tried", {"solvent": "water", "cold": "none"}, "solvent"),
    ],
)
def test_every_kind_is_corrected_in_its_own_form(ida, run, kind, fields, field):
    entry = str(uuid4())
    write(ida, run, kind=kind, step="s4", **{**fields, "entry": entry})
    assert f'value="{fields[field]}' in ida.get(f"/runs/{run}/edit/{kind}?key={entry}", headers=HTMX).text
    write(ida, run, kind=kind, step="s4", strikes=entry, reason="misread", **fields)
    assert "misread" in ida.get(f"/runs/{run}/history").text


USUAL = {
    "solid": "acetanilide",
    "points": "0.54 at 25, 5.0 at 100",
    "mass": "2",
    "hot": "100",
    "cold": "2",
    "extra": "20",
    "wash": "5",
}


@pytest.mark.parametrize(
    ("changes", "says", "status"),
    [
        ({}, "94.3", 200),
        ({"volume": "52"}, "93.9", 200),
        ({"points": ""}, "reference data", 200),
        ({"points": "", "solvent": "ether"}, "no solubility curve in ether", 422),
        ({"points": "", "solid": "naphthalene", "solvent": "ethanol", "hot": "60", "cold": "4"}, "reference data", 200),
        ({"volume": "120"}, "too much solvent: the mother liquor keeps more product dissolved", 200),
        ({"mass": "0.1", "volume": "90"}, "It never becomes saturated, so nothing can crystallize", 200),
        ({"benches": "12"}, "for 12 benches", 200),
        ({"impurity": "35 at 0, 39 at 100"}, "up to 17 g", 200),
        ({"impurity": "much"}, "0.54 at 25", 422),
        ({"points": "lots"}, "0.54 at 25", 422),
        ({"points": "", "solid": "moonstone"}, "The reference data has no solubility curve in", 422),
        ({"mass": ""}, "enter a value", 422),
        ({"cold": "100"}, "Enter a filtering temperature below the dissolving temperature", 422),
        ({"cold": "-60"}, "too far", 422),
    ],
)
def test_how_much_hot_solvent(ida, changes, says, status):
    answer = ida.get("/calculators/recrystallize", params=USUAL | changes)
    assert answer.status_code == status
    assert says in answer.text.replace("\xa0", " ")


@pytest.mark.parametrize(
    ("asked", "says", "status"),
    [
        ({"solvents": "water 0.5 at 20, 5.5 at 100\nheptane cold none hot none", "melts": "114"}, "water first", 200),
        ({"solvents": "ethanol cold all\nwater cold none hot none"}, "ethanol with water", 200),
        ({"solvents": "ethanol cold all", "solid": "acetanilide"}, "water first", 200),
        ({"solvents": "water reacts"}, "None is suitable alone; the best is listed first", 200),
        ({"solvents": ""}, "Enter at least one solvent", 422),
        ({"solvents": "water 5"}, "0.54 at 25", 422),
    ],
)
def test_which_solvent(ida, asked, says, status):
    answer = ida.get("/calculators/which-solvent", params=asked)
    assert answer.status_code == status
    assert says in answer.text


@pytest.mark.parametrize(
    ("asked", "says", "status"),
    [
        ({"solid": "acetanilide", "range": "113.2-114.1"}, "fits pure acetanilide", 200),
        (
            {"solid": "acetanilide", "range": "112.2-113.1", "standards": "benzoic acid 122.4 read 121.4"},
            "113.2–114.1",
            200,
        ),
        ({"solid": "acetanilide", "range": "113-114", "mixed": "88-104"}, "Lowered by mixing", 200),
        ({"solid": "acetanilide", "range": "113-114", "mixed": "113-114", "rate": "5"}, "the same compound", 200),
        (
            {"solid": "moonstone", "range": "113-114"},
            "The reference data has no melting point for it: enter the published one",
            422,
        ),
        ({"range": "warm"}, "two temperatures", 422),
        (
            {"solid": "acetanilide", "range": "113-114", "standards": "x"},
            "is not clear: enter a standard, its melting point and what was read",
            422,
        ),
        ({"solid": "acetanilide", "range": "113-114", "mixed": "x"}, "two temperatures", 422),
    ],
)
def test_what_a_melting_range_says(ida, asked, says, status):
    answer = ida.get("/calculators/melting", params=asked)
    assert answer.status_code == status
    assert says in answer.text.replace("\xa0", " ")


def test_crystals_as_json(ida):
    points = [[25, 0.54], [100, 5.0]]
    found = ida.post("/api/crystals/solubility", json={"points": points, "celsius": [25, 100, 2]}).json()
    assert found["grams"] == [pytest.approx(0.54), pytest.approx(5.0), pytest.approx(0.214, abs=0.001)]
    plan = ida.post(
        "/api/crystals/plan",
        json={"mass_g": 2, "points": points, "hot": 100, "cold": 2, "ml": 52, "wash_ml": 5, "at_ml": [40, 80]},
    ).json()
    assert plan["ceiling"] == pytest.approx(0.939, abs=0.001)
    assert plan["least_ml"] == pytest.approx(40)
    assert plan["liquor_g"] + plan["washed_g"] + 2 * plan["ceiling"] == pytest.approx(2)
    assert plan["at_ml"][0][1] > plan["at_ml"][1][1]
    tubes = [
        {"name": "water", "tried_cold": "none", "tried_hot": "all", "tried_cooled": "crystals"},
        {"name": "ethanol", "tried_cold": "all"},
    ]
    ranked = ida.post("/api/crystals/solvents", json={"solvents": tubes, "melts": 114}).json()
    assert [one["name"] for one in ranked["ranked"]] == ["water", "ethanol"]
    asked = {
        "range": [112.2, 113.1],
        "what": "acetanilide",
        "published": 114,
        "standards": [{"name": "benzoic acid", "published": 122.4, "read": 121.4}],
        "mixed": [90, 100],
    }
    said = ida.post("/api/crystals/melting", json=asked).json()
    assert (said["code"], said["same"], said["range"][0]) == ("fits", False, pytest.approx(113.2))
    assert (
        ida.post("/api/crystals/plan", json={"mass_g": 2, "points": points, "hot": 20, "cold": 80}).status_code == 422
    )
    assert ida.post("/api/crystals/melting", json=asked | {"range": [114, 110]}).status_code == 422


def test_the_builder_keeps_what_dissolves(ida, school):
    key = uuid4()
    procedures.add_procedure(school.conn, school.ida.account, key, CLEAN, "made")

    def edit(**fields):
        data = {
            "entry": str(uuid4()),
            "open": "",
            "op": "component",
            "was": "acetanilide",
            "name": "acetanilide",
            **fields,
        }
        return ida.post(f"/procedures/{key}/edit", data=data, headers=HTMX)

    form = ida.get(f"/procedures/{key}/form/component?name=acetanilide", headers=HTMX).text
    assert "water = 0.56 at 25, 3.45 at 80, 5.55 at 100" in form
    assert edit(dissolves="water = 0.5 at 20, 5 at 100\nethanol = 20 at 20; 60 at 78").status_code == 200
    kept = procedures.open_procedure(school.conn, school.ida.account, key).procedure.component("acetanilide")
    assert kept.dissolves == {"water": ((20, 0.5), (100, 5)), "ethanol": ((20, 20), (78, 60))}
    for bad in ("water", "water = 5", "water = 5 at 20"):
        assert edit(dissolves=bad).status_code == 422, bad


def test_the_shelf_draws_what_it_knows_with_every_source(ida):
    page = ida.get("/reference-data?kind=substance&name=potassium+nitrate").text
    assert "In water" in page and page.count("from memory") >= 6 and 'class="solubility"' in page
    assert "In water" not in ida.get("/reference-data?kind=substance&name=copper").text
    [water] = ida.get("/api/crystals/known?solid=potassium%20nitrate").json()
    assert water["solvent"] == "water" and water["points"][-1] == [100, 246, "from memory"]
    assert ida.get("/api/crystals/known?solid=moonstone").json() == []


def test_an_institution_lays_its_own_solubilities_over_the_shelf(school, ida):
    form = {"kind": "substance", "item": "acetanilide", "key": "dissolves", "source": "weighed here, June"}
    for bad in ("water", "water: 5 at 20", "5 at 20, 6 at 30"):
        assert ida.post("/reference-data", data=form | {"value": bad}).status_code == 422, bad
    assert (
        ida.post(
            "/reference-data", data=form | {"value": "water: 0.50 at 20, 6.0 at 100 | ethanol: 20 at 20, 60 at 78"}
        ).status_code
        == 303
    )
    page = ida.get("/reference-data?kind=substance&name=acetanilide").text
    assert "In ethanol" in page and page.count("weighed here, June") >= 4
    asked = USUAL | {"points": "", "solvent": "ethanol", "hot": "78", "cold": "20"}
    assert "weighed here, June" in ida.get("/calculators/recrystallize", params=asked).text
    assert "least 3.33 mL" in ida.get("/calculators/recrystallize", params=asked).text.replace("\xa0", " ")
    assert (
        "no solubility curve in ethanol"
        in school.visitor(school.otto).get("/calculators/recrystallize", params=asked).text
    )
