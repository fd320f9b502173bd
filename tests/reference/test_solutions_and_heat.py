"""Bottles, vapour pressures, eutectics against handbook values.

Values from memory of handbooks (CRC Handbook of Chemistry and Physics: concentrations of commercial acids and bases;
vapour pressures; heats of fusion): the tolerances stand for that.
"""

import pytest

from helvor.core.laws.crystallization.mixture import Solid, melting_of
from helvor.core.laws.heat_and_cold import boiling_at, vaporization
from helvor.core.laws.precipitation.hydrate import composition
from helvor.core.laws.solutions.buffer import buffer
from helvor.core.techniques.precipitation.solutions import ConcentrationIn, concentration


@pytest.mark.parametrize(
    ("formula", "percent", "density", "molar"),
    [
        ("HCl", 37.0, 1.18, 12.0),
        ("HNO3", 65.0, 1.39, 14.3),
        ("H2SO4", 96.0, 1.84, 18.0),
        ("NH3", 25.0, 0.91, 13.4),
        ("CH3COOH", 99.8, 1.05, 17.4),
        ("H3PO4", 85.0, 1.69, 14.7),
        ("NaOH", 50.0, 1.53, 19.1),
    ],
)
def test_the_bottles_of_a_store_room_have_their_usual_strength(formula, percent, density, molar):
    found = concentration(ConcentrationIn(value=percent, unit="% w/w", formula=formula, density=density))
    assert found.molar == pytest.approx(molar, abs=0.1)


@pytest.mark.parametrize(
    ("formula", "value", "unit", "molar"),
    [("NaCl", 0.9, "% w/v", 0.154), ("NaOH", 10.0, "% w/w", 2.77), ("HCl", 36.0, "% w/w", 11.6)],
)
def test_densities_of_the_table_are_used_where_none_is_entered(formula, value, unit, molar):
    found = concentration(ConcentrationIn(value=value, unit=unit, formula=formula))
    assert found.assumed == "table" and found.molar == pytest.approx(molar, rel=0.01)


@pytest.mark.parametrize(
    ("boils", "bonded", "mbar", "celsius"),
    [
        (100.0, True, 23.4, 20.0),  # water
        (100.0, True, 123.4, 50.0),
        (78.4, True, 179.0, 40.0),  # ethanol
        (56.1, False, 246.0, 20.0),  # acetone
        (77.1, False, 249.0, 40.0),  # ethyl acetate
        (110.6, False, 79.0, 40.0),  # toluene
        (80.1, False, 100.0, 20.0),  # benzene
    ],
)
def test_boiling_under_vacuum_is_within_a_few_kelvin_of_the_vapour_pressure(boils, bonded, mbar, celsius):
    assert boiling_at(boils, mbar, vaporization(boils, bonded=bonded)) == pytest.approx(celsius, abs=5)


def test_eutectics_lie_near_those_that_were_measured():
    """Naphthalene and biphenyl: 39.4 °C at 0.44 naphthalene; an ideal mixture is a little higher."""
    melt = melting_of(Solid(80.2, 19.06), Solid(69.2, 18.57), 0.5)
    assert melt.eutectic == pytest.approx(39.4, abs=2) and melt.eutectic_part == pytest.approx(0.44, abs=0.02)


def test_percentages_and_buffers_of_textbooks():
    blue = composition("CuSO4·5H2O")
    assert 100 * (blue["H"] + blue["O"] * 5 / 9) == pytest.approx(36.08, abs=0.02)
    acetate = buffer(4.76, 4.76, 0.2, 1000)
    assert acetate.acid == pytest.approx(0.1) and 1000 * acetate.capacity == pytest.approx(115.1, abs=0.2)
