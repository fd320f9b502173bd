"""Filtering on a run's page, the sums on their pages and under /api."""

from uuid import uuid4

import pytest

from helvor.core.record.procedure import read_procedure
from helvor.notebook import classes, procedures
from helvor.shelf.procedures import shipped_procedure
from helvor.web.calculators.every import CALCULATORS
from tests.web.conftest import HTMX, followed


@pytest.fixture
def salt_run(school):
    """A run of the determination of sulfate on Ida's front bench; its address."""
    who = school.ida
    key, procedure = uuid4(), shipped_procedure("sulfate-in-garden-salt")
    assert read_procedure(procedure.model_dump_json()) == procedure
    procedures.add_procedure(school.conn, who.account, key, procedure, "made")
    procedures.put_in_use(school.conn, who.account, key, 1)
    bench = classes.front_bench(school.conn, who.account).id
    page = procedures.start_runs(school.conn, who.account, "Ida Frost", key, [bench], uuid4())[0]
    return f"/runs/{page}"


def send(client, url, **fields):
    return followed(client, client.post(f"{url}/entries", data={"entry": str(uuid4()), **fields}, headers=HTMX))


def test_a_filtration_is_written_from_its_instrument(ida, salt_run):
    step = ida.get(f"{salt_run}?step=s10").text
    for words in ("Before you start", "stem touches", "4.7 mL", "Poured", "cloudy: refilter"):
        assert words in step
    checks = {"kind": "checked", "step": "s10", "checks": ["stem", "seated", "wetted", "stir-bar"]}
    assert send(ida, salt_run, **checks).text.count(" checked") >= 4
    assert "100 mL poured" in send(ida, salt_run, kind="poured", step="s10", poured="100", what="mixture").text
    assert 'aria-pressed="true"' in send(ida, salt_run, kind="filtrate", step="s10", looks="accepted").text
    why = ida.get(f"{salt_run}?view=why").text
    assert "ran through the paper" in why
    assert "filtrate cloudy, accepted" in why


def test_washing_and_drying_are_written(ida, salt_run):
    assert "can dissolve up to" not in ida.get(f"{salt_run}?step=s12").text
    washed = send(ida, salt_run, kind="washed", step="s12", liquid="hot wash water A", wash="5", times="5", cold="hot")
    said = washed.text.replace("\xa0", " ")
    assert "5 × 5 mL" in said
    assert "25 mL so far" in said
    assert "0.063 mg" in said
    dry = {
        "kind": "drying",
        "step": "s14",
        "portion": "barium sulfate A",
        "labels": "paper A",
        "place": "oven",
        "celsius": "140",
    }
    assert "paper browns" in send(ida, salt_run, **dry).text
    page = ida.get(salt_run).text.replace("\xa0", " ")
    assert "drying at 140 °C" in page


def test_a_trial_and_a_blank_paper(ida, salt_run):
    tried = send(ida, salt_run, kind="tried", step="s6", trial="complete", outcome="failed")
    assert "it clouds again" in tried.text
    assert "tested: it clouds again" in ida.get(f"{salt_run}/history").text
    for fields in (
        {"container": "paper A", "state": "empty, air-dry", "mass": "0.842"},
        {"container": "paper A", "state": "dried", "portion": "barium sulfate A", "mass": "1.104"},
    ):
        assert send(ida, salt_run, kind="weighed", step="s1", **fields).status_code == 200
    assert "tared air-dry" in ida.get(salt_run).text


@pytest.mark.parametrize(
    ("fields", "says"),
    [
        ({"kind": "poured", "step": "s10", "poured": "much"}, "is not a number"),
        ({"kind": "poured", "step": "s10", "poured": ""}, "Enter a volume in mL"),
        ({"kind": "poured", "step": "s99", "poured": "5"}, "not in this run"),
        ({"kind": "washed", "step": "s12", "liquid": "", "wash": "5"}, "Enter the wash liquid."),
        (
            {"kind": "washed", "step": "s12", "liquid": "water", "wash": "5", "times": "99"},
            "less than or equal to 20|at most|20",
        ),
        ({"kind": "drying", "step": "s14", "portion": "x", "place": "moon"}, "Choose"),
        ({"kind": "drying", "step": "s14", "portion": "x", "celsius": "warm"}, "is not a number"),
        ({"kind": "nonsense", "step": "s1"}, "There is no such form"),
    ],
)
def test_bad_input_is_said_and_nothing_is_written(school, ida, salt_run, fields, says):
    before = school.entries()
    answer = send(ida, salt_run, **fields)
    assert answer.status_code == 422
    assert any(part in answer.text for part in says.split("|"))
    assert school.entries() == before


def test_what_was_typed_stays_and_a_wash_can_be_corrected(ida, salt_run):
    bad = send(ida, salt_run, kind="washed", step="s12", liquid="water", wash="a lot", times="3")
    assert 'value="a lot"' in bad.text
    assert 'value="water"' in bad.text
    assert send(ida, salt_run, kind="washed", step="s12", liquid="water", wash="5", times="3").status_code == 200
    record = ida.get(f"{salt_run}/run.json").json()["entries"][-1]
    form = ida.get(f"{salt_run}/edit/washed?key={record['id']}").text
    assert 'name="wash" value="5"' in form
    again = send(
        ida,
        salt_run,
        kind="washed",
        step="s12",
        liquid="water",
        wash="6",
        times="3",
        strikes=record["id"],
        reason="misread",
    )
    assert again.status_code == 200
    assert "18 mL so far" in again.text.replace("\xa0", " ")


def test_every_sum_answers_with_what_it_starts_with(ida):
    for one in CALCULATORS:
        answer = ida.get(f"/calculators/{one.key}")
        assert answer.status_code == 200, (one.key, answer.text[-800:])
        assert "<dt>" in answer.text
    assert ida.get("/calculators").status_code == 303
    assert ida.get("/calculators/nothing").status_code == 404


@pytest.mark.parametrize(
    ("address", "status", "says"),
    [
        (
            "reaction?equation=CaCl2+%2B+Na2CO3+->+CaCO3+%2B+NaCl&amounts=calcium+chloride+dihydrate+1.512+g%0ANa2CO3+1.308+g&obtained=0.965&product=CaCO3",
            200,
            "93",
        ),
        (
            "reaction?equation=CaCl2+%2B+Na2CO3+->+CaCO3+%2B+NaCl&amounts=CaCl2+1+g&obtained=2.5",
            200,
            "the product is wet, a tare is missing, or precipitant",
        ),
        ("reaction?equation=Xy+->+Z", 422, "no element Xy"),
        (
            "reaction?equation=CaCl2+%2B+Na2CO3+->+CaCO3+%2B+NaCl&amounts=NaCl+1+g",
            422,
            "contains no reactant of the equation: correct the formula, or delete the line",
        ),
        ("reaction?equation=CaCl2+%2B+Na2CO3+->+CaCO3+%2B+NaCl&amounts=CaCl2+0+g", 422, "above zero"),
        (
            "reagent?equation=Ba%5E2%2B+%2B+SO4%5E2-+->+BaSO4&have=Na2SO4+0.500+g&reagent=BaCl2.2H2O&times=2",
            200,
            "1.72",
        ),
        ("solution?molar=0.25&volume=500&formula=barium+chloride+dihydrate", 200, "30.53"),
        ("solution?molar=0.25&volume=500", 422, "Enter the solid, or the stock solution to dilute"),
        ("solution?molar=2&volume=100&stock=1", 422, "mol/L: enter a stronger stock solution"),
        ("solubility?formula=barium+sulfate&liquor=100&cation=0.01&washes=50", 200, "0.121"),
        ("solubility?formula=NaCl&liquor=100", 422, "not in the reference data"),
        (
            "content?sought=SO4&weighed=BaSO4&precipitate_a=0.300&sample_a=0.512&precipitate_b=0.296&sample_b=0.505",
            200,
            "24.1",
        ),
        ("content?sought=SO4&weighed=BaSO4&precipitate_a=0.300", 422, "both masses"),
        ("content?sought=MgSO4.7H2O&weighed=BaSO4", 200, "above 1"),
        ("content?sought=SO4&weighed=BaSO4&precipitate_a=3.00&sample_a=0.512", 200, "above 100 %"),
        ("filter?wanted=solid&solid=2&liquid=60&grain=crystals", 200, "Büchner"),
        ("filter?wanted=solid&solid=-2&liquid=60", 422, "0 to 2000"),
        ("wash?volume=10&behind=1", 200, "2 of 10 mL"),
        ("wash?volume=&behind=1", 422, "enter a value"),
        ("paper?diameter=110&fold=twisted&plate=55", 200, "49 mm"),
        ("paper?diameter=9", 422, "20 to 500"),
        (
            "tuning?phase=silica&plates=20+%25+P+0.20%2C+A+0.40%0A50+%25+P+0.42%2C+A+0.65&at=30&target=0.3&compound=P",
            200,
            "best separated at",
        ),
        ("tuning?phase=silica&plates=20+%25+P+0.20&target=0.35", 200, "only a rough estimate"),
        (
            "tuning?phase=paper&plates=20+%25+P+0.20",
            422,
            "One plate on paper or reversed phase gives no estimate: run a second composition",
        ),
        (
            "tuning?phase=silica&plates=10+%25+P+0.20%0A12+%25+P+0.23%0A70+%25+A+0.50%0A90+%25+A+0.55",
            200,
            "No composition",
        ),
        ("arrival?readings=8+min+33%0A4+min+22&origin=10&level=5&plate=100&below=10", 200, "from the last reading"),
        (
            "arrival?readings=4+min+22&origin=10&level=5&plate=20&below=10",
            422,
            "Enter a stopping line above the origin",
        ),
        ("tuning?phase=silica&plates=20+%25+P+1.43", 422, "inverted or misread"),
        ("tuning?phase=silica&plates=20+%25+P+0.20%0A50+%25+P+0.42&at=95", 422, "too far outside"),
        ("tuning?phase=silica&plates=0+%25+P+0.20%0A50+%25+P+0.42", 422, "Enter a composition above 0 and up to 100"),
        ("arrival?origin=10&level=5&plate=100&readings=4+min+22+mm%0A8+min+33+mm", 200, "39"),
        (
            "arrival?origin=10&level=12&plate=100&readings=4+22",
            422,
            "The eluent level is above the origin: the spots would dissolve",
        ),
        (
            "arrival?origin=10&level=5&plate=100&readings=4+22%0A8+10",
            422,
            "The front moved back between two readings: correct the one that is wrong",
        ),
        ("eluent?eluent=hexane+%3A+ethyl+acetate+95+%3A+5&volume=8&chambers=1", 200, "7.5"),
        ("eluent?eluent=&volume=8", 422, "Enter an eluent, such as hexane : ethyl acetate 4 : 1"),
        ("cutting?lanes=4&height=100&sheet_width=200&sheet_height=200&plates=12", 200, "for 12 and 15 % spare"),
        ("cutting?lanes=4&apart=2&height=100&sheet_width=200&sheet_height=200", 422, "at least 5 mm apart"),
    ],
)
def test_sums_on_their_pages(ida, address, status, says):
    answer = ida.get(f"/calculators/{address}")
    assert answer.status_code == status, answer.text[-1500:]
    assert says in answer.text.replace("\xa0", " ")


def test_an_outline_prints_at_its_size_with_a_square_to_check_by(ida):
    svg = ida.get("/calculators/outline.svg?diameter=49")
    assert svg.headers["content-type"].startswith("image/svg+xml")
    assert 'width="70mm"' in svg.text
    assert 'r="24.5"' in svg.text
    assert 'width="50" height="50"' in svg.text


@pytest.mark.parametrize(
    ("path", "asked", "key", "value"),
    [
        ("equation/balance", {"equation": "Al + HCl -> AlCl3 + H2"}, "shown", "2 Al + 6 HCl → 2 AlCl₃ + 3 H₂"),
        (
            "reaction",
            {"equation": "BaCl2 + Na2SO4 -> BaSO4 + 2 NaCl", "taken": ["BaCl2 1.00 g", "Na2SO4 1.00 g"]},
            "limiting",
            "BaCl2",
        ),
        (
            "reagent",
            {"equation": "Ba2+ + SO42- -> BaSO4", "have": "Na2SO4", "mol": 0.01, "reagent": "BaCl2", "times": 1.0},
            "mol",
            0.01,
        ),
        ("solution/make", {"formula": "NaCl", "mol_per_l": 1.0, "ml": 100.0}, "glass", "100 mL volumetric flask"),
        ("solution/dilute", {"stock_mol_per_l": 2.0, "mol_per_l": 0.5, "ml": 100.0}, "amount", 25.0),
        ("precipitate/factor", {"sought": "S", "weighed": "BaSO4"}, "factor", 0.1374),
        ("precipitate/solubility", {"formula": "BaSO4", "pksp": 9.97, "washes_ml": 1000.0}, "in_washes_g", 0.002416),
        ("precipitate/parallels", {"values": [1.0, 3.0]}, "relative", 1.0),
        ("filter/choose", {"wanted": "solid", "solid_g": 2.0, "liquid_ml": 60.0}, "method", "vacuum"),
        ("planar/arrival", {"readings": [[4.0, 20.0]], "height_mm": 5.0, "stop_mm": 60.0}, "value", 27.04),
        ("planar/cut", {"sheet": [200.0, 200.0], "plate": [50.0, 100.0]}, "count", 8),
        (
            "planar/tune",
            {"compounds": {"P": [{"phi": 0.1, "rf": 0.2}, {"phi": 0.4, "rf": 0.5}]}, "at": 0.2},
            "best_gap",
            None,
        ),
        (
            "planar/identify",
            {"spots": [{"name": "T1", "rf": 0.4}], "references": {"P": [{"name": "P1", "rf": 0.7}]}},
            "unexplained",
            ["T1"],
        ),
        (
            "planar/identify",
            {
                "spots": [{"name": "T1", "rf": 0.4}],
                "references": {"P": [{"name": "P1", "rf": 0.42}]},
                "same_plate": False,
            },
            "unexplained",
            [],
        ),
        ("filter/wash", {"ml": 10.0, "behind_ml": 1.0}, "rinses", 2),
    ],
)
def test_sums_under_api(school, path, asked, key, value):
    got = school.visitor().post(f"/api/{path}", json=asked)
    assert got.status_code == 200, got.text
    assert got.json()[key] == (pytest.approx(value, rel=1e-3) if isinstance(value, float) else value)


def test_the_rest_of_api(school):
    client = school.visitor()
    assert client.get("/api/filter/cone?diameter_mm=110").json()["holds_ml"] == pytest.approx(37.7, abs=0.1)
    assert len(client.get("/api/filter/fold?fold=fluted").json()) == 4
    assert client.post("/api/drying/limits", json={"labels": ["paper"], "melts": {}}).json() == [
        [110.0, "paper browns"]
    ]
    for path, asked in (
        ("equation/balance", {"equation": "Na -> K"}),
        ("solution/make", {"formula": "Xy", "mol_per_l": 1, "ml": 5}),
    ):
        assert client.post(f"/api/{path}", json=asked).status_code == 422


def test_a_plate_is_timed_while_it_runs(ida, school):
    def write(**fields):
        return ida.post(f"{school.url}/entries", data={"entry": str(uuid4()), **fields}, headers=HTMX)

    page = school.conn.execute("SELECT bench_id FROM page WHERE id = %s", [school.page]).fetchone()[0]
    started = ida.post(f"/benches/{page}/plates", data={"page": str(uuid4())})
    school.page = started.headers["location"].split("/")[2].split("?")[0]
    for fields in (
        {
            "kind": "set-up",
            "phase": "silica",
            "width": "50",
            "height": "100",
            "origin": "10",
            "ruler": "as written",
            "backing": "glass",
        },
        {"kind": "lane", "at": "10", "label": "P", "role": "reference", "applied": "dots"},
        {"kind": "chamber", "level": "5"},
    ):
        assert write(**fields).status_code == 200, fields
    assert "Record: in the chamber now" in ida.get(school.url).text
    refused = write(kind="front-seen", distance="20")
    assert refused.status_code == 422
    assert "First record that the plate went in: the front is timed from then" in refused.text
    assert "Front now" in write(kind="developing").text
    bad = write(kind="front-seen", distance="far")
    assert bad.status_code == 422
    assert 'value="far"' in bad.text
    assert "until the front is 80 mm up" in write(kind="front-seen", distance="20").text.replace("\xa0", " ")


def test_the_house_rules_reach_a_plates_page(ida, school):
    """A short run is no fault where the house stops as soon as the spots are apart."""
    front = {"entry": str(uuid4()), "kind": "front", "distance": "20", "strikes": "", "reason": "misread"}
    assert ida.post(f"{school.url}/entries", data=front, headers=HTMX).status_code == 200
    assert "stopped" in ida.get(school.url).text
    ida.post("/house-rules", data={"stopping-front": "separated"})
    assert "The plate was stopped" not in ida.get(school.url).text


def test_a_wash_that_the_shelf_knows_to_burn_is_marked(ida, salt_run):
    for liquid in ("hexane", "water"):
        assert send(ida, salt_run, kind="washed", step="s12", liquid=liquid, wash="5").status_code == 200
    says = [entry["says"] for entry in ida.get(f"{salt_run}/run.json").json()["entries"][-2:]]
    assert [one["flammable"] for one in says] == [True, False]


def test_the_house_rules_reach_the_sums(ida):
    assert (
        "to half height" in ida.get("/calculators/filter?wanted=solid&solid=0.3&liquid=100&grain=fine&so=weighed").text
    )
    ida.post("/house-rules", data={"filling-cone": "rim", "precipitant-excess": "ten-percent"})
    assert (
        "1 cm from edge" in ida.get("/calculators/filter?wanted=solid&solid=0.3&liquid=100&grain=fine&so=weighed").text
    )
    reagent = "/calculators/reagent?equation=Ba2%2B+%2B+SO42-+->+BaSO4&have=Na2SO4+0.500+g&reagent=BaCl2"
    assert "With 1.1 times" in ida.get(reagent).text
