"""The plates of a class side by side, as page, CSV and JSON; the sums beside them."""

from uuid import uuid4

import pytest

from helvor.core.laws.planar.eluent import parse_eluent
from helvor.core.techniques.planar import plate as planar
from helvor.core.techniques.planar.plate import gather
from helvor.notebook import pages
from tests.notebook.people import mm, start, write
from tests.web.conftest import HTMX


def plate(school, rfs, eluent="hexane : ethyl acetate 4 : 1"):
    """A plate of Ida's with references P and A and an unknown T that holds both."""
    page = start(school.conn, school.ida)
    write(school.conn, school.ida, page, planar.SetUp(phase="silica", width=mm(50), height=mm(110), origin=mm(10)))
    write(school.conn, school.ida, page, planar.EluentUsed(eluent=parse_eluent(eluent)))
    write(school.conn, school.ida, page, planar.Front(distance=mm(80)))
    lanes = [
        ("P", "paracetamol", "reference", rfs[:1]),
        ("A", "aspirin", "reference", rfs[1:]),
        ("T", "tablet", "unknown", rfs),
    ]
    for index, (label, substance, role, values) in enumerate(lanes, start=1):
        key = uuid4()
        lane = planar.Lane(at=mm(10 * index), label=label, substance=substance, role=role)
        write(school.conn, school.ida, page, lane, entry=key)
        for rf in values:
            write(school.conn, school.ida, page, planar.Spot(lane=key, distance=mm(80 * rf)))
    return page


@pytest.fixture
def several(school):
    return [plate(school, (p, 0.62)) for p in (0.48, 0.47, 0.48, 0.60)] + [
        plate(school, (0.7, 0.8), "hexane : ethyl acetate 3 : 2")
    ]


def test_every_system_with_means_outliers_and_unknowns(school, ida, several):
    page = ida.get(f"/classes/{school.ida.class_id}/plates").text
    assert page.count('class="panel-ground"') == 2
    assert "outlier-ring" in page
    assert "paracetamol at R<sub>f</sub> 0.60" in page
    assert "the same in 2 eluents: strong evidence, not proof" in page
    assert "Tune from these" in page
    assert "its eluent is not recorded" in page  # the school's own plate
    rows = ida.get(f"/classes/{school.ida.class_id}/plates.csv").text.splitlines()
    assert rows[0].startswith("phase,eluent,sample")
    assert any("paracetamol,1,reference,4,0.5075" in row for row in rows)
    says = ida.get(f"/api/classes/{school.ida.class_id}/plates").json()
    assert [len(system["samples"]) for system in says["systems"]] == [4, 4]
    assert [f["code"] for f in says["findings"]].count("plate-outlier") >= 1


def test_a_plate_handed_out_is_ranked_against_the_class(school, ida, several):
    handed = several[0]
    page = ida.get(f"/classes/{school.ida.class_id}/plates", params={"lane": f"/plates/{handed} T"}).text
    assert "A rank is a hint, not proof" in page
    assert "only on the plate" in page
    nothing = ida.get(f"/classes/{school.ida.class_id}/plates", params={"lane": "/plates/none T"})
    assert nothing.status_code == 200


def test_an_empty_class_says_what_comes_here(school, ida):
    page = ida.get(f"/classes/{school.ida.class_id}/plates").text
    assert "No plate of this class has an" in page


@pytest.mark.parametrize(
    ("rule", "rf", "says"),
    [
        ({}, "0.50", ""),
        ({"measuring-spot": "leading"}, "0.56", "leading edge"),
        ({"measuring-spot": "outline"}, "0.45", "middle of its outline"),
    ],
)
def test_the_house_rule_decides_where_a_spot_is_measured(school, ida, rule, rf, says):
    spot = planar.Spot(lane=school.lane, distance=mm(40), tail=mm(27), head=mm(45))
    write(school.conn, school.ida, school.page, spot)
    if rule:
        assert ida.post("/house-rules", data=rule).status_code in (200, 303)
    page = ida.get(school.url).text
    assert f'<td class="num">{rf}<small>' in page
    assert says in page


def test_the_age_of_an_eluent_and_the_strip_are_kept_and_said(school, ida):
    form = {"kind": "eluent", "entry": str(uuid4()), "eluent": "diethyl ether : hexane 1 : 1", "age": "5"}
    assert "diethyl ether has partly evaporated" in ida.post(f"{school.url}/entries", data=form, headers=HTMX).text
    form = {"kind": "chamber", "entry": str(uuid4()), "level": "5", "held": "hung", "marked": "yes", "dried": "4"}
    page = ida.post(f"{school.url}/entries", data=form, headers=HTMX).text
    assert "suspended from a rod, spots dried 4 min, fill line marked with it in" in page
    history = ida.get(f"{school.url}/history").text
    assert "mixed 5 h before" in history
    assert "spots dried 4 min" in history
    chamber = gather(pages.open_page(school.conn, school.ida.account, school.page)[1]).chamber
    assert (chamber.held, chamber.marked, chamber.dried) == ("hung", True, 4)


def test_a_plate_can_have_a_name(school, ida):
    form = {
        "kind": "set-up",
        "entry": str(uuid4()),
        "phase": "paper",
        "backing": "none",
        "width": "50",
        "height": "100",
        "origin": "10",
        "ruler": "1 mm",
        "about": "Kelp and dulse",
    }
    assert ida.post(f"{school.url}/entries", data=form, headers=HTMX).status_code == 200
    assert "<h1>Kelp and dulse</h1>" in ida.get(school.url).text


@pytest.mark.parametrize(
    ("path", "body", "key", "value"),
    [
        ("/api/planar/level", {"ml": 10, "across_mm": 60, "origin_mm": 10}, "level_mm", 3.537),
        ("/api/planar/spotting", {"ml": 0.5, "plates": 12}, "mass", 0.005),
        ("/api/planar/freshness", {"eluent": "acetone : water 1 : 1", "hours": 9}, "fresh", False),
        ("/api/column/draft", {"rf": [0.42, 0.30], "sample_mg": 160}, "diameter_mm", 20),
        ("/api/column/draft", {"rf": [0.35, 0.15]}, "level", "good"),
    ],
)
def test_the_sums_as_json(ida, path, body, key, value):
    answer = ida.post(path, json=body)
    assert answer.status_code == 200, answer.text
    assert answer.json()[key] == (pytest.approx(value, rel=1e-3) if isinstance(value, float) else value)


def test_lanes_and_solvents_as_json(ida):
    assert ida.post("/api/planar/lanes", json={"width_mm": 50, "lanes": 4}).json()[0] > 5
    others = ida.get("/api/planar/solvents", params={"instead_of": "ethyl acetate"}).json()
    assert others[0]["name"] == "acetonitrile"
    assert ida.get("/api/planar/solvents", params={"instead_of": "lemonade"}).status_code == 422
    assert ida.post("/api/planar/freshness", json={"eluent": "brine : water 1 : 1"}).status_code == 422


def test_the_sums_on_their_pages(ida):
    page = ida.get("/calculators/column", params={"rf_fast": "0.42", "rf_slow": "0.30", "sample": "160"}).text
    assert "20.0\u00a0mm" in page and "its dust harms the lungs" in page
    page = ida.get(
        "/calculators/tuning",
        params={"plates": "20 % P 0.35, A 0.52\n40 % P 0.55, A 0.70", "phase": "silica", "strong": "EtOAc"},
    ).text
    assert "acetonitrile (+0.07), dipole interactions" in page
    page = ida.get(
        "/calculators/eluent", params={"eluent": "diethyl ether : hexane 1 : 1", "volume": "10", "chambers": "2"}
    ).text
    assert "evaporates first: mix a fresh batch after 2" in page
    assert "/calculators/sheet.svg" in ida.get("/calculators/cutting").text


def test_the_sheet_prints_at_its_real_size(ida):
    sheet = {"width": 50, "height": 100, "sheet_width": 200, "sheet_height": 200, "lanes": 4, "origin": 10}
    svg = ida.get("/calculators/sheet.svg", params=sheet).text
    assert 'width="208mm" height="222mm" viewBox="0 0 208 222"' in svg
    assert svg.count('stroke-dasharray="2 1.4"') == 8
    assert ida.get("/calculators/sheet.svg", params=sheet | {"width": 2}).status_code == 422
