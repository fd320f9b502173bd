"""Formulas and equations as chemists write them."""

import pytest

from helvor.core.quantities.formula import atoms, molar_mass, parse_equation, readable, units
from helvor.core.quantities.reading import Unreadable


@pytest.mark.parametrize(
    ("written", "same"),
    [("CuSO4·5H2O", "CuSO4.5H2O"), ("CuSO₄·5H₂O", "CuSO4.5H2O"), ("CuSO4 * 5H2O", "CuSO4.5H2O"), (" NaCl ", "NaCl")],
)
def test_one_formula_however_it_is_written(written, same):
    assert molar_mass(written) == molar_mass(same)
    assert atoms(written) == atoms(same)


def test_water_of_hydration_is_added_and_not_multiplied():
    """A formula that ends in a digit before the point: the part after it is a part of its own."""
    assert molar_mass("C2H2O4·2H2O") == pytest.approx(molar_mass("C2H2O4") + 2 * molar_mass("H2O"))


@pytest.mark.parametrize(
    "text", ["", " ", "Xx2", "salt water", "NaCl!", "H2O" * 30, "(NaCl", "2", "<script>", "Na\x00Cl", "·"]
)
def test_what_is_no_formula_is_said(text):
    with pytest.raises(Unreadable, match="is not a formula"):
        molar_mass(text)


@pytest.mark.parametrize(
    ("text", "shown"),
    [
        ("CaCl2 + Na2CO3 -> CaCO3 + 2 NaCl", "CaCl₂ + Na₂CO₃ → CaCO₃ + 2 NaCl"),
        ("2NaHCO3 = Na2CO3+H2O+CO2", "2 NaHCO₃ → Na₂CO₃ + H₂O + CO₂"),
        ("BaCl2·2H2O + MgSO4 → BaSO4 + MgCl2 + 2 H2O", "BaCl₂·2H₂O + MgSO₄ → BaSO₄ + MgCl₂ + 2 H₂O"),
    ],
)
def test_a_balanced_equation_is_read(text, shown):
    assert str(parse_equation(text)) == shown


@pytest.mark.parametrize(
    ("text", "says"),
    [
        ("CaCl2 + Na2CO3 -> CaCO3 + NaCl", "Cl is 2 on the left, 1 on the right"),
        ("H2 + O2", "Enter two sides with an arrow, such as CaCl"),
        ("A -> ", "two sides"),
        ("salt -> NaCl", "is not a formula"),
        ("Na -> K", "does not balance"),
    ],
)
def test_an_equation_that_does_not_hold_is_said(text, says):
    with pytest.raises(Unreadable, match=says):
        parse_equation(text)


@pytest.mark.parametrize(
    ("formula", "carrier", "holds"),
    [("MgSO4·7H2O", "S", 1), ("Al2(SO4)3", "S", 3), ("NaCl", "K", 0), ("C9H8O2", "", 1)],
)
def test_a_component_is_counted_by_its_carrier(formula, carrier, holds):
    assert units(formula, carrier) == holds


def test_digits_in_front_are_not_lowered():
    assert readable("Na2CO3.10H2O") == "Na₂CO₃·10H₂O"
