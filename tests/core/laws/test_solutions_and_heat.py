"""Concentrations, dilution, buffers, titration, hydrates, peaks, melting of mixtures, boiling and cooling."""

import math

import pytest
from hypothesis import given
from hypothesis import strategies as st

from helvor.core.laws.column.peaks import Peak, plate_number, two_peaks
from helvor.core.laws.crystallization.mixture import Solid, from_two, melting_of
from helvor.core.laws.heat_and_cold import BATHS, bath_for, boiling_at, pressure_for, vaporization
from helvor.core.laws.precipitation.hydrate import composition, empirical, hydrate
from helvor.core.laws.solutions.buffer import after_adding, buffer
from helvor.core.laws.solutions.concentration import UNITS, concentration, series
from helvor.core.laws.solutions.titration import Trial, standardize
from helvor.core.quantities.reading import Unreadable
from helvor.core.quantities.units import UNITS as KINDS
from helvor.core.quantities.units import convert


@given(st.sampled_from(UNITS), st.sampled_from(UNITS), st.floats(0.001, 8), st.floats(20, 300), st.floats(0.8, 1.8))
def test_a_concentration_comes_back_through_every_unit(one, other, molar, mass, density):
    if molar * mass > 900 * density:
        return
    c = concentration(molar, "mol/L", mass, density)
    said = dict(zip(UNITS, (c.molar, c.mass, 100 * c.fraction, c.in_100_ml, c.ppm, 1000 * c.mass), strict=True))
    again = concentration(said[other], other, mass, density)
    assert again.molar == pytest.approx(molar)
    assert concentration(said[one], one, mass, density).ppm == pytest.approx(again.ppm)


@pytest.mark.parametrize(
    ("call", "says"),
    [
        (lambda: concentration(0, "mol/L", 40, 1), "above 0"),
        (lambda: concentration(120, "% w/w", 40, 1), "enter a lower concentration"),
        (lambda: series(1, 1, 3, 50), "above 1"),
        (lambda: series(1, 10, 0, 50), "1 to 20 steps"),
        (lambda: series(0, 10, 2, 50), "above 0"),
        (lambda: buffer(4.76, 9, 0.1, 100), "another acid"),
        (lambda: buffer(4.76, 15, 0.1, 100), "0 to 14"),
        (lambda: buffer(4.76, 5, 0, 100), "above 0"),
        (lambda: after_adding(4.76, buffer(4.76, 5, 0.1, 100), 1), "more strong acid or base"),
        (lambda: standardize([], 204.2, 1), "a line each"),
        (lambda: standardize([Trial(0.5, 20)], 204.2, 0), "ratio above 0"),
        (lambda: standardize([Trial(0.5, 0.1)], 204.2, 1, blank=0.2), "above the blank"),
        (lambda: hydrate("CuSO4", 1.0, 1.2), "below the mass before"),
        (lambda: hydrate("CuSO4", 10.0, 0.5), "cannot be"),
        (lambda: empirical({"C": 0}), "above 0"),
        (lambda: empirical({"C": 12.011, "H": 1.008 * 1.37 / 1, "O": 15.999 * 1.19}), "No small whole numbers"),
        (lambda: two_peaks(Peak(5, 0.4), Peak(6, 0.4), "base", 5.5), "before the first peak"),
        (lambda: two_peaks(Peak(0, 0.4), Peak(6, 0.4), "base"), "above 0"),
        (lambda: melting_of(Solid(80), Solid(70), 1.0), "between 0 and 1"),
        (lambda: melting_of(Solid(2000), Solid(70), 0.5), "melting points from"),
        (lambda: from_two(1, (1, 0.5), (2, 0.1)), "higher in the good solvent"),
        (lambda: from_two(0, (5, 0.5), (2, 0.1)), "above 0"),
        (lambda: from_two(2, (5, 0.5), (2, 0.1), 10), "no less than 40.0 mL"),
        (lambda: boiling_at(100, 0, 40000), "0.01 to 5000"),
        (lambda: pressure_for(100, -300, 40000), "above −273"),
        (lambda: bath_for(-120), "liquid nitrogen"),
        (lambda: convert(5, "furlong"), "is not a unit here"),
        (lambda: convert(-300, "°C"), "from −273.15"),
    ],
)
def test_what_cannot_be_says_what_to_enter(call, says):
    with pytest.raises(Unreadable, match=says):
        call()


@given(st.floats(1.5, 100), st.integers(1, 8), st.floats(1, 1000))
def test_each_step_of_a_series_keeps_the_amount_that_it_takes(factor, steps, volume):
    before = 1.0
    for step in series(before, factor, steps, volume):
        assert step.taken * before == pytest.approx(step.concentration * volume)
        assert step.taken + step.solvent == pytest.approx(volume)
        before = step.concentration


@given(st.floats(2, 12), st.floats(-1, 1), st.floats(0.01, 1))
def test_a_buffer_answers_a_little_base_by_its_capacity(pka, off, molar):
    made = buffer(pka, min(max(pka + off, 2), 12), molar, 1000)
    ph = pka + math.log10(made.ratio)
    little = 1e-4 * molar
    assert after_adding(pka, made, 0.0) == pytest.approx(ph)
    # Water's own share of the capacity is left out of the ratio.
    own = made.capacity - math.log(10) * (10**-ph + 1e-14 / 10**-ph)
    assert (after_adding(pka, made, little) - ph) == pytest.approx(little / own, rel=0.01)


def test_titrations_that_differ_are_told_from_those_that_agree():
    good = standardize([Trial(0.5105, 24.95), Trial(0.5210, 25.45), Trial(0.4987, 24.35)], 204.22, 1)
    assert good.agree and good.u < 0.0002
    bad = standardize([Trial(0.5105, 24.95), Trial(0.5210, 26.45)], 204.22, 1)
    assert not bad.agree and bad.u > 10 * good.u
    acid = standardize([Trial(0.2120, 20.0)], 105.99, 2, purity=0.998, blank=0.05)
    assert acid.molar == pytest.approx(2 * 0.2120 * 0.998 / 105.99 / 19.95 * 1000)


@pytest.mark.parametrize(
    ("salt", "waters", "before"), [("CuSO4", 5, 2.0), ("MgSO4", 7, 1.5), ("BaCl2", 2, 3.0), ("Na2CO3", 10, 5.0)]
)
def test_the_water_of_a_hydrate_is_found_from_its_own_masses(salt, waters, before):
    whole = f"{salt}·{waters}H2O"
    water = composition(whole)["H"] * before * 18.015 / 2.016
    found = hydrate(salt, before, before - water)
    assert found.whole == waters and found.fits and found.found == pytest.approx(found.theoretical, rel=1e-3)
    assert not hydrate("CuSO4", 2.0, 1.40).fits


@pytest.mark.parametrize("formula", ["CH2O", "C6H5Cl", "Fe2O3", "K2Cr2O7", "C8H9NO2", "C10H14N2"])
def test_percentages_give_back_their_formula(formula):
    rounded = {element: round(100 * part, 2) for element, part in composition(formula).items()}
    found, again = empirical(rounded), composition(empirical(rounded).formula)
    assert again == pytest.approx(composition(formula), abs=2e-4) and found.off < 0.1


def test_half_height_and_base_agree_for_a_gaussian_peak():
    half, base = 0.5, 0.5 * 4 / math.sqrt(8 * math.log(2))
    assert plate_number(Peak(6, half), "half") == pytest.approx(plate_number(Peak(6, base), "base"))
    one = two_peaks(Peak(5, half), Peak(6, half), "half", 1, 250)
    other = two_peaks(Peak(6, base), Peak(5, base), "base", 1, 250)
    assert one.resolution == pytest.approx(other.resolution) and one.height == pytest.approx(other.height)
    # What is needed gives just a resolution of 1.5, for Rs grows with the root of N.
    assert one.resolution * math.sqrt(one.needed / (sum(one.plates) / 2)) == pytest.approx(1.5)


@given(st.floats(0.02, 0.98))
def test_a_mixture_melts_below_both_and_from_its_eutectic(part):
    first, second = Solid(122.4, 18.0), Solid(114.3, 21.2)
    melt = melting_of(first, second, part)
    assert melt.begins == melt.eutectic <= melt.ends + 1e-6
    assert melt.ends <= max(first.melts, second.melts)
    assert melting_of(second, first, 1 - part).ends == pytest.approx(melt.ends)


@given(st.floats(0.5, 20), st.floats(10, 60), st.floats(0.05, 0.5), st.floats(0.05, 1))
def test_a_pair_is_saturated_where_it_clouds(mass, good_hot, cold_share, poor_hot):
    pair = from_two(mass, (good_hot, good_hot * cold_share), (poor_hot, poor_hot * cold_share))
    assert pair.hot * (pair.good + pair.poor) / 100 == pytest.approx(mass, rel=1e-3)
    assert 0 <= pair.most <= 1


@given(st.floats(30, 250), st.floats(1, 2000), st.booleans())
def test_pressure_and_boiling_point_belong_together(boils, mbar, bonded):
    heat = vaporization(boils, bonded=bonded)
    there = boiling_at(boils, mbar, heat)
    assert pressure_for(boils, there, heat) == pytest.approx(mbar, rel=1e-6)
    assert (there < boils) == (mbar < 1013.25)


def test_baths_are_in_order_and_the_warmest_that_reaches_is_taken():
    assert [b.celsius for b in BATHS] == sorted((b.celsius for b in BATHS), reverse=True)
    assert bath_for(15).key == "water" and bath_for(-20).key == "salt" and bath_for(-75).key == "dry-acetone"
    assert all("Hood" in bath.care and "closed vessel" in bath.care for bath in BATHS if "dry ice" in bath.of)


@pytest.mark.parametrize("kind", [own for own in KINDS.values() if len(own) > 2])
def test_every_unit_of_a_kind_converts_there_and_back(kind):
    for name in kind:
        if name in ("C", "°"):
            continue
        for other, value in convert(3.0, name).items():
            assert convert(value, other)[name] == pytest.approx(3.0)
