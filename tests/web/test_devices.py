"""Instruments in the page: seen, pressed, read from; a doubt never becomes a reading."""

import pytest

from helvor.exchange.device_line import At
from helvor.simulators.bank import Bank
from helvor.web.app import Settings, create_app
from tests.web.conftest import HTMX


@pytest.fixture
def bank():
    with Bank() as bank:
        yield bank


@pytest.fixture
def bench(school, bank):
    """Ida, with a set of stand-ins, one address where nobody listens and a real one that takes no hand."""
    there = [At(name, "127.0.0.1", bank.port, simulated=name != "stopwatch") for name in bank.names]
    there += [At("lost", "127.0.0.1", 1)]
    school.app = create_app(
        Settings(database_url=school.app.state.settings.database_url, devices=tuple(there)), school.app.state.pool
    )
    return school.visitor(school.ida)


def put(bench, device, **fields):
    return bench.post(f"/devices/{device}/do", data=fields, headers=HTMX)


def reading(bench, device="balance-1", unit="g"):
    return bench.get(f"/api/devices/{device}/reading", params={"unit": unit}).json()


def test_every_instrument_shows_itself(bench, bank):
    for name in bank.names:
        assert "device-value" in bench.get("/devices", params={"at": name}).text, name
    listed = {one["name"]: one for one in bench.get("/api/devices").json()}
    assert set(listed) == {*bank.names, "lost"}
    assert listed["lost"]["trouble"].startswith("Lost does not answer") and not listed["lost"]["shown"]
    assert listed["balance-3"]["step"] == 0.0001 and listed["ph-meter"]["called"] == "pH meter"
    assert bench.get("/devices/nothing/display").status_code == 404


def test_a_reading_is_taken_when_the_display_rests(bench):
    put(bench, "balance-1", load="32.514")
    assert reading(bench) == {"device": "balance-1", "shown": "32.514", "unit": "g", "doubt": ""}
    taken = put(bench, "balance-1", press="take").text
    assert "Reading" in taken and "32.514" in taken
    put(bench, "balance-1", press="tare")
    assert reading(bench)["shown"] == "0.000"


@pytest.mark.parametrize(
    ("fault", "says"),
    [
        ("drop", "Nothing was saved; take the reading again or type what you read"),
        ("garbage", "check digits"),
        ("freeze", "keeps sending the same value: its display is frozen"),
    ],
)
def test_a_fault_gives_a_doubt_and_no_digits(bench, fault, says):
    put(bench, "balance-1", load="12.1")
    assert reading(bench)["shown"] == "12.100"
    put(bench, "balance-1", fault=fault)
    found = reading(bench)
    assert not found["shown"] and says in found["doubt"]
    put(bench, "balance-1", fault="none")
    assert reading(bench)["shown"] == "12.100"


@pytest.mark.parametrize(
    ("hand", "says"),
    [
        ({"draught": "1"}, "Close its doors, wait, and take the reading again"),
        ({"load": "230"}, "above its range"),
    ],
)
def test_what_does_not_rest_or_is_too_heavy_is_no_reading(bench, hand, says):
    put(bench, "balance-1", **hand)
    assert says in reading(bench)["doubt"]


def test_a_field_in_grams_takes_no_seconds_and_a_meter_is_calibrated_first(bench):
    assert "shows s, but this field needs g" in reading(bench, "stopwatch")["doubt"]
    assert "has not been calibrated" in reading(bench, "ph-meter", "pH")["doubt"]
    assert "does not answer" in reading(bench, "lost")["doubt"]


def test_a_hand_reaches_stand_ins_only_and_is_told_what_cannot_be(bench):
    refused = bench.post("/devices/balance-1/do", data={"load": "much"})
    assert refused.status_code == 422 and "is not a number" in refused.text and 'value="much"' in refused.text
    put(bench, "balance-1", load="5")
    assert reading(bench)["shown"] == "5.000"
    assert "use tare" in put(bench, "balance-1", press="zero").text
    put(bench, "stopwatch", fault="freeze")
    assert reading(bench, "stopwatch", "s")["doubt"] == ""


def test_everybody_has_a_set_of_their_own(bench, school):
    put(bench, "balance-1", load="40")
    otto = school.visitor(school.otto)
    assert reading(bench)["shown"] == "40.000"
    assert reading(otto)["shown"] == "0.000"


def test_the_cabinet_photographs_a_plate_of_known_truth(bench):
    answer = bench.get("/api/devices/uv-cabinet/picture.jpg", params={"strong": 80, "minutes": 8})
    assert answer.headers["content-type"] == "image/jpeg" and answer.content[:2] == b"\xff\xd8"
    refused = bench.get("/api/devices/uv-cabinet/picture.jpg", params={"compounds": "gold"})
    assert refused.status_code == 422
    assert "does not know picture" in bench.get("/api/devices/oven/picture.jpg").text


def test_without_instruments_the_page_says_so(school):
    settings = Settings(database_url=school.app.state.settings.database_url)
    school.app = create_app(settings, school.app.state.pool)
    ida = school.visitor(school.ida)
    assert "No instrument is connected to this Helvor" in ida.get("/devices").text
    assert ida.get("/api/devices").json() == []


def test_what_is_typed_cannot_carry_a_second_order(bench):
    put(bench, "balance-1", load="7")
    refused = put(bench, "balance-1", load="5\nfault drop")
    assert "Refused" in refused.text
    assert reading(bench)["shown"] == "7.000"


def test_a_reading_is_offered_where_something_is_weighed_and_nowhere_else(school, ida):
    step = ida.get(f"{school.run_url}?step=s1").text
    assert 'id="w-mass"' in step and 'data-takes="g"' in step
    weighed = ida.get(f"{school.run_url}/edit/weighed").text
    assert weighed.count("data-takes") == 1  # not beside the balance's step
    assert "data-takes" not in ida.get(f"/procedures/{school.procedure}").text
