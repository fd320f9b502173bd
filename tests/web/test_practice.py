"""The virtual plate over HTTP: choices and consequences, and an ordinary plate out of it."""

from uuid import uuid4

import pytest

from helvor.core.practice.virtual_plate import GOALS, Setting, develop
from helvor.core.techniques.planar.plate import gather
from helvor.notebook import pages, photographs
from helvor.simulators.camera import photograph
from tests.web.conftest import HTMX
from tests.web.test_joining import join, open_code

GOOD = "goal=0&strong=80&acid=1&level=6&touches=2&lined=yes&seed=4"


@pytest.mark.parametrize(
    ("query", "words"),
    [
        (f"{GOOD}&minutes=12&out=yes", ["Met", "in the target zone", "Photograph and measure"]),
        (f"{GOOD.replace('strong=80', 'strong=40')}&minutes=12&out=yes", ["Not met", "too low"]),
        (f"{GOOD.replace('acid=1', 'acid=0')}&minutes=12&out=yes", ["streaks"]),
        (f"{GOOD.replace('level=6', 'level=14')}&minutes=3&out=yes", ["mm and the origin is at"]),
        (f"{GOOD}&minutes=60&out=yes", ["it can no longer be marked, and R"]),
        (f"{GOOD}&minutes=4", ["front 44.5 mm", "Take it out"]),
        ("strong=lots&goal=99&seed=x&minutes=nan", ["Find an eluent"]),
        ("", ["Find an eluent", GOALS[0].words]),
    ],
)
def test_a_plate_as_its_address_says(ida, query, words):
    page = ida.get(f"/practice/plate?{query}")
    assert page.status_code == 200
    text = page.text.replace("\xa0", " ")
    for one in words:
        assert one in text
    assert "<html" not in ida.get(f"/practice/plate?{query}", headers=HTMX).text


def test_while_it_runs_nothing_is_given_away(ida):
    text = ida.get(f"/practice/plate?{GOOD}&minutes=12").text
    assert "in the target zone" not in text and "Rf =" not in text


def test_it_becomes_an_ordinary_plate_that_says_it_is_virtual(school, ida):
    form = dict(part.split("=") for part in GOOD.split("&")) | {"minutes": "12", "entry": str(uuid4())}
    for _ in range(2):  # sent twice
        answer = ida.post("/practice/plate/measure", data=form)
        assert answer.status_code == 303 and answer.headers["location"] == f"/plates/{form['entry']}/photo"
    page, entries = pages.open_page(school.conn, school.ida.account, form["entry"])
    plate = gather(entries)
    assert page.bench_number is None and plate.set_up.about == "virtual plate" and len(plate.lanes) == 3
    [photo] = photographs.of_page(school.conn, page.id)
    photographs.read_at_once(school.conn, photo.id)
    [photo] = photographs.of_page(school.conn, page.id)
    truth = develop(Setting(("caffeine", "aspirin"), 80.0, 1.0, 6.0, 2, True, 4), 12.0)
    # The ordinary reader finds the front and every spot of the mixture's lane within a millimetre of the truth.
    assert photo.proposal is not None and not photo.trouble
    found = sorted(s.up - 10 for s in photo.proposal.spots if s.lane == 2 and s.sure > 0.5)
    assert photo.proposal.front.mean - photo.proposal.origin.mean == pytest.approx(truth.front, abs=0.6)
    wanted = sorted(s.centre for s in truth.spots if s.lane == "mix")
    assert len(found) == 2 and found == pytest.approx(wanted, abs=1.0)


def test_a_tablet_practises_on_its_own_bench(school):
    tablet, _ = join(school, open_code(school))
    assert tablet.get("/practice/plate").status_code == 200
    form = dict(part.split("=") for part in GOOD.split("&")) | {"minutes": "12", "entry": str(uuid4())}
    assert tablet.post("/practice/plate/measure", data=form).status_code == 303
    page, _ = pages.open_page(school.conn, school.ida.account, form["entry"])
    assert page.bench_number == 1


def test_what_was_washed_out_cannot_be_measured(ida):
    form = {"goal": "0", "strong": "80", "level": "15", "minutes": "5", "entry": str(uuid4())}
    assert ida.post("/practice/plate/measure", data=form).status_code == 422


def test_the_same_as_json(school):
    asked = {"compounds": ["caffeine"], "strong": 70, "acid": 1, "seed": 3, "minutes": 10}
    found = school.visitor().post("/api/practice/plate", json=asked).json()
    plate = develop(Setting(("caffeine",), 70.0, 1.0, seed=3), 10.0)
    assert found["front"] == pytest.approx(plate.front) and found["spots"][0]["centre"] == pytest.approx(
        plate.spots[0].centre
    )
    refused = school.visitor().post("/api/practice/plate", json=asked | {"compounds": ["water"]})
    assert refused.status_code == 422 and "Choose one to four compounds" in refused.text


def test_the_same_plate_gives_the_same_photograph():
    plate = develop(Setting(("vanillin", "biphenyl"), 40.0, seed=9), 10.0)
    assert photograph(plate) == photograph(plate)


def test_a_plate_of_ones_own_compounds_on_reversed_phase_is_written_as_such(school, ida):
    asked = {
        "goal": "-1",
        "compounds": "caffeine,vanillin",
        "layer": "C18",
        "strong": "60",
        "minutes": "18",
        "seed": "3",
    }
    page = ida.get("/practice/plate", params=asked | {"out": "yes"}).text
    assert "A plate of your own" in page and "methanol" in page and "Methanol, %" in page
    answer = ida.post("/practice/plate/measure", data=asked | {"entry": str(uuid4())})
    assert answer.status_code == 303
    page_id = answer.headers["location"].removeprefix("/plates/").removesuffix("/photo")
    _, entries = pages.open_page(school.conn, school.ida.account, page_id)
    plate = gather(entries)
    assert plate.set_up.phase == "C18"
    assert "methanol" in str(plate.eluent) and "water" in str(plate.eluent)


@pytest.mark.parametrize(
    "past",
    ["x", "1:2", "40:0:6:2:yes:9:1:gold:caffeine", "40:0:6:2:yes:9:1:silica:gold", "a:b:c:d:e:f:g:silica:caffeine"],
)
def test_whatever_an_address_says_of_earlier_tries_the_page_stands(ida, past):
    assert ida.get("/practice/plate", params={"past": past}).status_code == 200
