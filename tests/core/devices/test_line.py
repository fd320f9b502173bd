"""The line of an instrument: what is garbled, what is a reading, what is a doubt."""

import pytest
from hypothesis import given
from hypothesis import strategies as st

from helvor.core.devices.line import (
    ENOUGH,
    STATES,
    Garbled,
    Indication,
    called,
    check_reading,
    device_of,
    digits,
    indication_of,
    line_of,
    words_of,
)

WORDS = st.text(st.characters(min_codepoint=33, max_codepoint=126), min_size=1, max_size=12)


@given(st.lists(WORDS, min_size=1, max_size=8))
def test_what_is_sent_is_what_is_heard(words):
    assert words_of(line_of(" ".join(words))) == " ".join(words).split()


@given(st.integers(0, 40), st.characters(min_codepoint=33, max_codepoint=126))
def test_one_wrong_character_is_noticed(at, other):
    line = line_of("reading 41 32.514 g steady")
    at %= len(line)
    spoilt = line[:at] + other + line[at + 1 :]
    if spoilt == line:
        assert indication_of(spoilt).shown == "32.514"
    else:
        with pytest.raises(Garbled):
            indication_of(spoilt)


@pytest.mark.parametrize(
    "words",
    [
        "",
        "reading",
        "reading 1 2.0 g",
        "reading 1 2.0 g asleep",
        "reading one 2.0 g steady",
        "reading 1 nan g steady",
        "reading 1 1e5 g steady",
        "reading 1 2.0 g steady steady",
        "device balance-1 balance g 0.001 220",
    ],
)
def test_what_is_no_reading(words):
    with pytest.raises(Garbled):
        indication_of(line_of(words))


@pytest.mark.parametrize(
    "words", ["device Balance balance g 0.001 220", "device b balance g small 220", "reading 1 2 g steady"]
)
def test_what_names_no_device(words):
    with pytest.raises(Garbled):
        device_of(line_of(words))


def test_a_line_without_an_end_or_a_check_is_garbled():
    for line in ("", "zero", "zero #00", "zero" * 80 + " #00", "grün #00"):
        with pytest.raises(Garbled):
            words_of(line)


def seen(*shown, state="steady", unit="g", start=1, step=1):
    return [Indication(start + step * n, one, unit, state) for n, one in enumerate(shown)]


@pytest.mark.parametrize(
    ("indications", "shown", "doubt"),
    [
        (seen("1.000", "1.000", "1.000", "1.000"), "1.000", ""),
        (seen("1.000", "1.001", "1.000", "1.001"), "1.001", ""),
        (seen("9.000", "1.000", "1.000", "1.000", "1.000"), "1.000", ""),
        (seen("1.000", "1.002", "1.000", "1.001"), "", "Close its doors, wait, and take the reading again"),
        (
            seen("1.000", "1.000", "1.000", "1.000", state="moving"),
            "",
            "Close its doors, wait, and take the reading again",
        ),
        (seen("1.000", "1.000", "1.000"), "", "3 of 4"),
        ([], "", "0 of 4"),
        (seen("1.000", "1.000", "1.000", "1.000", step=0), "", "keeps sending the same value: its display is frozen"),
        (seen("1.000", "1.000", "1.000", "1.000", state="over"), "", "above its range"),
        (seen("1.0", "1.0", "1.0", "1.0", state="under"), "", "below its range"),
        (seen("7.00", "7.00", "7.00", "7.00", state="unset"), "", "not been calibrated"),
        (seen("1.0", "1.0", "1.0", "1.0", unit="s"), "", "shows s"),
    ],
)
def test_what_may_be_written_down(indications, shown, doubt):
    taken = check_reading("balance-1", indications, "g", 0.001)
    assert taken.shown == shown
    assert doubt in taken.doubt and bool(doubt) == bool(taken.doubt)


@given(
    st.lists(
        st.tuples(st.integers(0, 9), st.sampled_from(["1.000", "1.001", "1.004"]), st.sampled_from(STATES)), max_size=9
    )
)
def test_digits_are_given_only_without_a_doubt_and_only_from_the_end(found):
    indications = [Indication(number, shown, "g", state) for number, shown, state in found]
    taken = check_reading("balance-1", indications, "g", 0.001)
    assert bool(taken.shown) != bool(taken.doubt)
    if taken.shown:
        last = indications[-ENOUGH:]
        assert {one.state for one in last} == {"steady"} and taken.shown == last[-1].shown
        assert max(one.value for one in last) - min(one.value for one in last) < 0.0015


@given(st.floats(-500, 500), st.sampled_from([0.0001, 0.001, 0.01, 0.1, 1.0, 0.02]))
def test_a_display_shows_whole_steps(value, step):
    shown = digits(value, step)
    assert abs(float(shown) - value) <= 0.5 * step + 1e-9
    assert abs(float(shown) / step - round(float(shown) / step)) < 1e-6


def test_names():
    assert [called(one) for one in ("ph-meter", "uv-cabinet", "balance-2")] == ["pH meter", "UV cabinet", "balance 2"]
