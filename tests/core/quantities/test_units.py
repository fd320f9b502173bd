"""Numbers with a unit of their own in a field that has another."""

import pytest
from hypothesis import given
from hypothesis import strategies as st

from helvor.core.quantities.reading import Unreadable
from helvor.core.quantities.units import UNITS, in_unit


@pytest.mark.parametrize(
    ("text", "unit", "number"),
    [
        ("0.5 L", "mL", "500"),
        ("0,5 L", "mL", "500"),
        ("5 mL", "mL", "5"),
        ("5,0 ml", "mL", "5,0"),
        ("400 µL", "mL", "0.4"),
        ("5 Ml", "mL", "5"),
        ("0.5 l", "mL", "500"),
        ("250 MG", "g", "0.25"),
        ("250 mM", "mol/L", "0.25"),
        ("6 M", "mol/L", "6"),
        ("11 cm", "mm", "110"),
        ("4 in", "mm", "101.6"),
        ("200 mg", "g", "0.2"),
        ("2 g", "mg", "2000"),
        ("1.5 h", "min", "90"),
        ("-3 °C", "°C", "-3"),
        ("99 %", "%", "99"),
        # What is no number with a unit is somebody else's to read.
        ("20", "mL", "20"),
        ("113.2-114.1", "°C", "113.2-114.1"),
        ("abc", "mL", "abc"),
        ("", "mL", ""),
        ("5 apples", "pieces", "5 apples"),
    ],
)
def test_a_number_counts_in_the_unit_of_its_field(text, unit, number):
    assert in_unit(text, unit) == number


@pytest.mark.parametrize(("text", "unit"), [("5 g", "mL"), ("5 mL", "g"), ("20 °C", "min"), ("3 bananas", "mm")])
def test_a_unit_of_another_kind_is_refused_with_the_one_to_enter(text, unit):
    with pytest.raises(Unreadable, match=f"enter it in {unit}"):
        in_unit(text, unit)


@given(st.text(max_size=20), st.sampled_from([*UNITS, "mg"]))
def test_whatever_is_typed_is_read_or_refused(text, unit):
    try:
        assert isinstance(in_unit(text, unit), str)
    except Unreadable as refused:
        assert str(refused)
