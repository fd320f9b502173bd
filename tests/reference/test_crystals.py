"""Recrystallizing and melting against the outside.

Melting points of standards and heats of fusion: the ``chemicals`` library (its open melting point collection
and CRC Handbook tables). van 't Hoff line and the Schröder–van Laar equation for an ideal eutectic: closed
forms of physical chemistry textbooks, from memory. Solubilities marked so are from memory.
"""

import math

import pytest
from chemicals import CAS_from_any, Hfus, Tm
from scipy.optimize import brentq
from scipy.stats import linregress

from helvor.core.laws.crystallization.melting import Range, by_mixing, rate_range
from helvor.core.laws.crystallization.plan import recrystallize
from helvor.core.laws.crystallization.solubility import GAS, Curve, Point
from helvor.shelf.procedures import shipped_procedure
from helvor.shelf.shelf import shipped
from helvor.shelf.solubilities import shelf_curves


@pytest.mark.parametrize("name", ["acetanilide", "benzoic acid", "salicylic acid", "naphthalene"])
def test_melting_points_on_the_shelf_are_the_library_s(name):
    item = next(one for one in shipped() if one.name == name)
    assert item.number("melts") == pytest.approx(Tm(CAS_from_any(name)) - 273.15, abs=1.0)


def test_the_heat_of_a_curve_is_the_slope_of_a_regression():
    """SciPy's linear regression of ln S on 1/T."""
    points = [(0, 0.17), (25, 0.34), (50, 0.85), (75, 2.2), (95, 5.6)]  # benzoic acid in water, from memory
    line = linregress([1 / (t + 273.15) for t, _ in points], [math.log(s) for _, s in points])
    curve = Curve(tuple(Point(t, s) for t, s in points))
    assert curve.heat == pytest.approx(-GAS * line.slope / 1000, rel=1e-9)
    assert 20 < curve.heat < 40  # kJ/mol: the usual size for such acids in water


def ideal_solubility(name, celsius):
    """Mole fraction that dissolves in an ideal solvent: ln x = −ΔH/R · (1/T − 1/Tm) (Schröder–van Laar)."""
    cas = CAS_from_any(name)
    return math.exp(-Hfus(cas) / GAS * (1 / (celsius + 273.15) - 1 / Tm(cas)))


@pytest.mark.parametrize("name", ["naphthalene", "benzoic acid"])
def test_an_ideal_solution_is_a_straight_line_for_the_curve_and_gives_the_heat_of_fusion_back(name):
    curve = Curve(tuple(Point(t, 100 * ideal_solubility(name, t)) for t in (10, 30, 55)))
    assert curve.heat == pytest.approx(Hfus(CAS_from_any(name)) / 1000, rel=1e-6)
    assert curve.at(42) == pytest.approx(100 * ideal_solubility(name, 42), rel=1e-9)


@pytest.mark.parametrize(("one", "other"), [("acetanilide", "benzoic acid"), ("naphthalene", "biphenyl")])
def test_a_mixture_melts_as_low_as_the_ideal_eutectic_says_and_is_told_apart(one, other):
    """Where both liquidus lines of Schröder–van Laar meet; a mixture begins to melt there."""

    def both(kelvin):
        return ideal_solubility(one, kelvin - 273.15) + ideal_solubility(other, kelvin - 273.15) - 1

    lowest = min(Tm(CAS_from_any(one)), Tm(CAS_from_any(other)))
    eutectic = brentq(both, 220, lowest) - 273.15
    assert eutectic < lowest - 273.15 - 5
    melts = Tm(CAS_from_any(one)) - 273.15
    alone, mixed = Range(melts - 1, melts), Range(eutectic, melts - 10)
    assert by_mixing(alone, mixed) == "another"
    assert rate_range(mixed, melts, one).code == "low"
    # A eutectic mixture melts sharply: the words must not call a sharp range pure.
    assert rate_range(Range(eutectic, eutectic + 0.5), melts, one).code == "sharp-low"


def test_two_crops_by_direct_simulation():
    """Dissolve, cool, filter, boil the liquor to half, cool again: every gram is somewhere."""
    points = shipped_procedure("acetanilide-made-clean").components[0].dissolves["water"]
    curve = Curve(tuple(Point(t, s) for t, s in points))
    mass, volume, cold = 2.0, 50.0, 2.0
    plan = recrystallize(mass, curve, 100, cold, volume=volume)
    dissolved, water = mass, volume
    first = max(0.0, dissolved - curve.at(cold) * water / 100)
    dissolved -= first
    water /= 2
    second = max(0.0, dissolved - curve.at(cold) * water / 100)
    assert plan.ceiling * mass == pytest.approx(first)
    assert plan.boiled == pytest.approx(second)
    assert first + second + (dissolved - second) == pytest.approx(mass)


@pytest.mark.parametrize(
    ("seen", "published", "code"),
    [((121.5, 122.3), 122.4, "fits"), ((118.0, 121.5), 122.4, "wide"), ((110.0, 116.0), 122.4, "low")],
)
def test_ranges_as_they_are_judged_at_the_bench(seen, published, code):
    """Common practice, no source: within 2 °C and no wider than 2 °C fits."""
    assert rate_range(Range(*seen), published, "benzoic acid").code == code


@pytest.mark.parametrize("key", sorted(shelf_curves()))
def test_every_curve_that_ships_rises_or_nearly_stays_and_its_substance_is_on_the_shelf(key):
    """From memory, so at least in order: no point falls below the one before it; salt hardly rises."""
    curve = shelf_curves()[key]
    grams = [point.grams for point in curve.points]
    assert grams == sorted(grams)
    assert all(point.source for point in curve.points)
    assert any(item.kind == "substance" and item.name == key[0] for item in shipped())
    assert 0 < curve.heat < 60  # kJ/mol; salt near 0, organic solids some tens


def test_the_shelf_s_two_values_lie_near_its_curves():
    """Two sets of values from memory, kept apart, agree within a quarter."""
    for (name, solvent), curve in shelf_curves().items():
        item = next(one for one in shipped() if one.kind == "substance" and one.name == name)
        for celsius, key in ((20, "solubility"), (100, "solubility_hot")):
            value = item.number(key)
            low, high = curve.reach
            if solvent == "water" and value is not None and low <= celsius <= high:
                assert curve.at(celsius) == pytest.approx(value, rel=0.25), (name, celsius)
