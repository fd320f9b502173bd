"""Made-up instruments with a clock in the hand: what they show after what was done to them, and what they refuse."""

import base64
import socket

import pytest
from hypothesis import given
from hypothesis import strategies as st

from helvor.core.devices.line import Garbled, Indication, check_reading, device_of, indication_of, line_of, words_of
from helvor.simulators.bank import Bank
from helvor.simulators.instruments import KINDS, SET, No, PhMeterStandIn


class Hand:
    """An instrument and a clock that is moved by hand."""

    def __init__(self, name="balance-1", seed=1):
        self.now = 1000.0
        kind, step, most = next((kind, step, most) for key, kind, step, most in SET if key == name)
        self.it = kind(name, step, most, lambda: self.now, seed)

    def after(self, seconds):
        self.now += seconds
        return self.it.shows()

    def put(self, **things):
        for key, value in things.items():
            self.it.put(key, str(value))
        return self


def test_every_kind_is_in_the_set_and_names_itself():
    assert {kind for _, kind, _, _ in SET} == set(KINDS)
    for name, *_ in SET:
        one = Hand(name)
        device = device_of(line_of(one.it.says))
        assert device.name == name and device.kind == one.it.kind
        shown, state = one.after(30)
        assert indication_of(line_of(f"reading 1 {shown} {one.it.unit} {state}")).value == float(shown)


@given(st.floats(0.01, 219), st.integers(0, 50))
def test_a_balance_moves_and_then_rests_at_its_load(load, seed):
    hand = Hand(seed=seed).put(load=load)
    assert hand.after(0.2)[1] == "moving"
    shown, state = hand.after(20)
    assert state == "steady" and abs(float(shown) - load) <= 0.0015


@given(st.floats(1, 100), st.floats(0.01, 50))
def test_after_tare_it_shows_what_was_added(tare, more):
    hand = Hand().put(load=tare)
    hand.after(20)
    assert hand.it.act("tare", []) == ""
    hand.put(load=tare + more)
    shown, state = hand.after(20)
    assert state == "steady" and abs(float(shown) - more) <= 0.0025


def test_what_moves_is_not_taken_off_and_a_load_is_not_zeroed():
    hand = Hand().put(load=20)
    hand.after(0.3)
    with pytest.raises(No, match="does not come to rest"):
        hand.it.act("tare", [])
    hand.after(20)
    with pytest.raises(No, match="use tare"):
        hand.it.act("zero", [])


@pytest.mark.parametrize(
    ("things", "state"),
    [
        ({"load": 220.5}, "over"),
        ({"load": 20, "draught": 1}, "moving"),
        ({"load": 20, "celsius": 90}, "steady"),
    ],
)
def test_what_a_display_says_of_itself(things, state):
    shown, seen = Hand().put(**things).after(20)
    assert seen == state
    if "celsius" in things:
        assert 19.97 < float(shown) < 19.985  # steady, and wrong


@given(st.floats(1.5, 12.5), st.integers(0, 99))
def test_a_ph_meter_shows_the_ph_once_two_buffers_were_in(ph, seed):
    hand = Hand("ph-meter", seed)
    for buffer in (7, 4):
        hand.put(ph=buffer).after(30)
        assert hand.it.shows()[1] == ("unset" if buffer == 7 or hand.it.made is None else "steady")
        hand.it.act("calibrate", [str(buffer)])
    shown, state = hand.put(ph=ph).after(30)
    assert state == "steady" and abs(float(shown) - ph) <= 0.011


def test_a_meter_that_never_saw_two_buffers_counts_for_nothing():
    hand = Hand("ph-meter").put(ph=4)
    hand.after(30)
    with pytest.raises(No, match="does not stand in a buffer of pH 10"):
        hand.it.act("calibrate", ["10"])
    hand.it.act("calibrate", ["4"])
    assert hand.after(1)[1] == "unset" and isinstance(hand.it, PhMeterStandIn)


@pytest.mark.parametrize(
    ("ph", "paper", "colour"),
    [(1, "litmus", "red"), (12, "litmus", "blue"), (2, "congo red", "blue"), (5, "universal", "yellow")],
)
def test_paper_turns(ph, paper, colour):
    assert Hand("ph-paper").put(ph=ph).it.act("look", paper.split()) == f"colour {colour}"


def test_a_sample_melts_in_its_block():
    hand = Hand("melting-block").put(celsius=105, rate=2, begins=113, ends=114.5)
    seen = []
    for _ in range(40):
        hand.now += 15
        seen.append(hand.it.act("look", []).removeprefix("sample "))
    assert list(dict.fromkeys(seen)) == ["solid", "softening", "melting", "clear"]
    assert hand.after(10_000) == ("300.0", "over")


def test_an_oven_an_evaporator_and_a_stopwatch():
    oven = Hand("oven").put(wanted=110)
    assert oven.after(60)[1] == "moving" and oven.after(3600) == ("110", "steady")
    oven.it.act("open", [])
    assert 75 < float(oven.after(0)[0]) < 90
    flask = Hand("evaporator").put(boiling=77.1, bath=40, pressure=240, volume=50)
    flask.now += 600
    assert 30 < float(flask.it.act("look", []).split()[1]) < 50
    assert flask.put(pressure=60).it.act("look", []) == "bumped over"
    watch = Hand("stopwatch")
    watch.it.act("start", [])
    assert watch.after(83.4) == ("83.4", "moving")
    watch.it.act("stop", [])
    assert watch.after(50) == ("83.4", "steady")
    watch.it.act("back", [])
    assert watch.after(5) == ("0.0", "steady")


def test_the_cabinet_takes_a_picture_or_says_why_not():
    cabinet = Hand("uv-cabinet")
    words, data = cabinet.it.act("picture", ["80", "1", "6", "10", "3", "caffeine,aspirin"]).split()
    assert words == "picture" and base64.b64decode(data)[:2] == b"\xff\xd8"
    for wrong in (["80", "1", "6", "10", "3", "gold"], ["800", "1", "6", "10", "3", "caffeine"], ["80"]):
        with pytest.raises(No):
            cabinet.it.act("picture", wrong)


@pytest.mark.parametrize(
    ("key", "value"), [("load", "heavy"), ("load", "-1"), ("load", "nan"), ("colour", "1"), ("draught", "7")]
)
def test_what_no_hand_can_set(key, value):
    with pytest.raises(No):
        Hand().it.put(key, value)


@pytest.fixture
def talk():
    """Say lines to the bank as they are, and hear what comes."""
    with Bank() as bank, socket.create_connection(("127.0.0.1", bank.port), 3) as sock:
        heard = sock.makefile("r", encoding="ascii")

        def say(line):
            sock.sendall(line.encode() + b"\n")
            return heard.readline().strip()

        yield say


def test_over_the_socket_a_line_without_its_digits_is_refused_and_the_next_is_heard(talk):
    assert words_of(talk("read"))[0] == "no"
    assert words_of(talk(line_of("read")))[:2] == ["no", "Say"]
    assert words_of(talk(line_of("use kettle")))[0] == "no"
    assert words_of(talk(line_of("use balance-1 for x1")))[:2] == ["device", "balance-1"]
    assert words_of(talk(line_of("fly")))[0] == "no"
    assert words_of(talk(line_of("set load 3.5"))) == ["done"]
    first, second = (indication_of(talk(line_of("read"))) for _ in range(2))
    assert second.number == first.number + 1


def test_garbage_is_never_a_reading(talk):
    talk(line_of("use balance-1 for x2"))
    talk(line_of("fault garbage"))
    for _ in range(60):
        with pytest.raises(Garbled):
            indication_of(talk(line_of("read")))
    talk(line_of("fault freeze"))
    seen = [indication_of(talk(line_of("read"))) for _ in range(5)]
    assert len(set(seen)) == 1 and isinstance(seen[0], Indication)
    assert "keeps sending the same value: its display is frozen" in check_reading("balance-1", seen, "g", 0.001).doubt
