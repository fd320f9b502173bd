"""Readings as people type them."""

import math

import pytest
from hypothesis import given
from hypothesis import strategies as st
from pydantic import BaseModel, ValidationError

from helvor.core.quantities.reading import Estimate, Length, Reading, Unreadable, parse, round_to, round_up_to

READ = [
    # text, kind, unit of the field, value in the base unit, resolution
    ("31 mm", "length", None, 31.0, 1.0),
    ("31.0 mm", "length", None, 31.0, 0.1),
    ("31", "length", "mm", 31.0, 1.0),
    ("3.1 cm", "length", None, 31.0, 1.0),
    ("3.10cm", "length", None, 31.0, 0.1),
    ("1 1/4 in", "length", None, 31.75, 6.35),
    ("3/8 in", "length", None, 9.525, 3.175),
    ('2"', "length", None, 50.8, 25.4),
    ("2,05", "length", "mm", 2.05, 0.01),
    ("0,125", "length", "mm", 0.125, 0.001),
    (".5", "length", "mm", 0.5, 0.1),
    ("+4.5", "length", "mm", 4.5, 0.1),
    ("1.5e1 mm", "length", None, 15.0, 1.0),
    ("  7.6   mL ", "volume", None, 7.6, 0.1),
    ("400 µL", "volume", None, 0.4, 0.001),
    ("2050mg", "mass", None, 2.05, 0.001),
    ("2.05 g", "mass", None, 2.05, 0.01),
    ("0", "length", "mm", 0.0, 1.0),
    # Limits that are typed say how finely it was read.
    ("24 ± 0.5 mL", "volume", None, 24.0, 1.0),
    ("24+-0.5 mL", "volume", None, 24.0, 1.0),
    ("24 +/- 0.5", "volume", "mL", 24.0, 1.0),
    ("30.014±0.002", "mass", "g", 30.014, 0.004),
    ("41,5 ± 0,5 mm", "length", None, 41.5, 1.0),
    ("24-25 mL", "volume", None, 24.5, 1.0),
    ("1.20–1.30 g", "mass", None, 1.25, 0.1),
]


@pytest.mark.parametrize(
    ("text", "shown"),
    [
        ("24 ± 0.5 mL", "24.0 ± 0.5 mL"),
        ("24-25 mL", "24.5 ± 0.5 mL"),
        ("30.01-30.02 mL", "30.015 ± 0.005 mL"),
        ("24.5 mL", "24.5 mL"),
        ("1.5e-1 mL", "0.15 mL"),
    ],
)
def test_limits_that_were_typed_are_shown_and_read_again(text, shown):
    reading = parse(text, "volume")
    assert str(reading) == shown
    again = parse(str(reading), "volume")
    assert (again.value, again.resolution) == (reading.value, reading.resolution)


@pytest.mark.parametrize(("text", "kind", "unit", "value", "resolution"), READ)
def test_what_people_type_is_read_with_its_resolution(text, kind, unit, value, resolution):
    reading = parse(text, kind, field_unit=unit)
    assert reading.value == pytest.approx(value, rel=1e-12)
    assert reading.resolution == pytest.approx(resolution, rel=1e-12)


REFUSED = [
    ("24 ± 0 mm", "a smaller one behind ±"),
    ("24 ± 30 mm", "a smaller one behind ±"),
    ("± 3 mm", "is not a number"),
    ("41-42 mm", "is not a number"),
    ("", "Enter a value"),
    ("   ", "Enter a value"),
    ("abc", "not a number"),
    ("NaN", "is not a number: enter what the display shows"),
    ("inf", "is not a number: enter what the display shows"),
    ("-inf", "is not a number: enter what the display shows"),
    ("1e400", "is not a realistic size: check the digits and the unit"),
    ("1e999999999", "is not a realistic size: check the digits and the unit"),
    ("9" * 400, "is not a realistic size: check the digits and the unit"),
    ("-3", "below zero"),
    ("−3 mm", "below zero"),
    ("2,050", "could be 2.050 or 2050"),
    ("1.234,5", "too many commas and points"),
    ("1,2,3", "too many commas and points"),
    ("5..2", "more than one decimal point"),
    ("5 km", "is not a known unit of length: use mm, cm or in"),
    ("5 mL", "is not a known unit of length: use mm, cm or in"),
    ("٣", "not a number"),
    ("1/0", "not a fraction"),
    ("4 5", "not a number"),
    ("4\x005", "not a number"),
    ("<script>", "not a number"),
]


@pytest.mark.parametrize(("text", "sentence"), REFUSED)
def test_what_cannot_be_read_is_refused_with_the_reason(text, sentence):
    with pytest.raises(Unreadable, match=sentence):
        parse(text, "length", field_unit="mm")


def test_a_missing_unit_is_never_guessed():
    with pytest.raises(Unreadable, match="has no unit: write for example"):
        parse("41", "length")


class _Asked(BaseModel):
    length: Length


@pytest.mark.parametrize("bare", [41, 41.0, True, "41", {"value": 41}, None, [], {"value": math.nan, "unit": "mm"}])
def test_a_script_must_give_the_unit(bare):
    with pytest.raises(ValidationError):
        _Asked(length=bare)


@given(st.floats(0, 1e5), st.sampled_from([1.0, 0.5, 0.1, 0.01]))
def test_a_reading_survives_its_json(value, resolution):
    reading = Reading(written="x", value=value, unit="mm", resolution=resolution)
    assert Reading.model_validate_json(reading.model_dump_json()) == reading


@given(st.text(max_size=40))
def test_any_text_is_read_or_refused_but_never_breaks(text):
    try:
        reading = parse(text, "length", field_unit="mm")
    except Unreadable:
        return
    assert math.isfinite(reading.value)
    assert reading.value >= 0
    assert reading.resolution > 0


@given(st.integers(0, 99_999), st.integers(0, 3))
def test_the_digits_written_come_back(units, decimals):
    text = f"{units / 10**decimals:.{decimals}f}"
    assert parse(text, "length", field_unit="mm").number == text or decimals == 3


@pytest.mark.parametrize(
    ("value", "decimals", "shown"),
    [(0.285, 2, "0.29"), (0.125, 2, "0.13"), (-0.001, 2, "0.00"), (2.5, 0, "3"), (41, 1, "41.0"), (0.4, 2, "0.40")],
)
def test_halves_are_rounded_away_from_zero_as_people_do(value, decimals, shown):
    assert round_to(value, decimals) == shown


@pytest.mark.parametrize(("u", "shown"), [(0.0043, "0.01"), (0.01, "0.01"), (0.0101, "0.02"), (0.0, "0.00")])
def test_an_uncertainty_never_looks_smaller_than_it_is(u, shown):
    assert round_up_to(u, 2) == shown


@pytest.mark.parametrize(("value", "u"), [(math.nan, 0.1), (math.inf, 0.1), (1.0, math.nan)])
def test_an_estimate_is_finite(value, u):
    with pytest.raises(ValidationError):
        Estimate(value=value, u=u)
