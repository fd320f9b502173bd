"""Planar chromatography against the outside; each check names where its value comes from."""

import itertools
import math

import chemicals
import pytest
from hypothesis import given
from hypothesis import strategies as st
from scipy.integrate import solve_ivp
from uncertainties import ufloat

from helvor.core.laws.planar import rf
from helvor.core.laws.planar.arrival import rise
from helvor.core.laws.planar.eluent import parse_eluent
from helvor.core.laws.planar.tune import Point, fit
from helvor.core.quantities.reading import Estimate, reading_uncertainty
from helvor.shelf.shelf import shipped
from tests.core.plates import Writing


@pytest.mark.parametrize(
    ("spot", "front", "expected"),
    [
        (18, 45, "0.40"),  # common practice, no source
        (21, 30, "0.70"),  # common practice, no source
    ],
)
def test_rf_of_common_practice(spot, front, expected):
    page = Writing(lanes=("P",))
    page.front(front)
    page.spot("P", spot)
    assert page.sheet.spots[0].rf_shown == expected


def test_the_ratio_turned_round_is_refused():
    """21 and 30 exchanged give 1.43, which no Rf can be (IUPAC 1993: Rf lies between 0 and 1)."""
    page = Writing(lanes=("P",), height="60 mm")
    page.front(21)
    page.spot("P", 30)
    assert page.sheet.spots[0].rf is None


def test_rf_is_the_distance_of_the_spot_over_that_of_the_front():
    """L. S. Ettre, Nomenclature for chromatography, Pure Appl. Chem. 1993, 65, 819: Rf, two decimals."""
    assert rf.ratio_on_shared_origin(3.2, 8.0, 0, 0, 0).value == pytest.approx(0.4)


def test_peak_resolution_has_the_published_form():
    """Same source: Rs = 2 (t2 − t1) / (w1 + w2). Two Gaussians of width 4σ, 4σ apart, have Rs 1."""
    sigma = 1.7
    assert rf.resolution(4 * sigma, 4 * sigma, 4 * sigma) == pytest.approx(1)


def test_one_indication_is_uncertain_by_its_step_over_root_twelve():
    """JCGM 100:2008 (GUM), F.2.2.1: a rectangular distribution of full width δx has u = 0.29 δx."""
    assert reading_uncertainty(1.0) == pytest.approx(0.29, abs=0.002)


positive = st.floats(0.05, 2.0)


@given(st.floats(5, 20), st.floats(0, 1), st.floats(20, 150), positive, positive, positive)
def test_propagation_agrees_with_a_general_library(origin, part, way, u_o, u_s, u_f):
    """GUM first-order propagation by the `uncertainties` package, through (s − o)/(f − o)."""
    o = ufloat(origin, u_o)
    s, f = ufloat(origin + part * way, u_s), ufloat(origin + way, u_f)
    expected = (s - o) / (f - o)
    ours = rf.ratio_on_shared_origin(part * way, way, u_s, u_f, u_o)
    assert ours.value == pytest.approx(expected.n, abs=1e-9)
    assert ours.u == pytest.approx(expected.s, rel=1e-6)


@given(st.floats(0.02, 0.98), st.floats(0.0005, 0.01))
def test_r_m_and_k_propagate_as_the_library_says(value, u):
    from uncertainties.umath import log10

    estimate, other = Estimate(value=value, u=u), ufloat(value, u)
    k, r_m = rf.retention_factor(estimate), rf.r_m(estimate)
    assert k.value == pytest.approx(((1 - other) / other).n)
    assert k.u == pytest.approx(((1 - other) / other).s, rel=1e-6)
    assert r_m.u == pytest.approx(log10((1 - other) / other).s, rel=1e-6)


@given(st.floats(0.02, 0.98))
def test_r_m_is_the_logarithm_of_k_and_changes_sign_at_one_half(value):
    """Identities: R_M = log10 k (Bate-Smith and Westall 1950); Rf = 1/(1 + k) (IUPAC 1993)."""
    estimate = Estimate(value=value, u=0.0)
    k, r_m = rf.retention_factor(estimate), rf.r_m(estimate)
    assert 10**r_m.value == pytest.approx(k.value)
    assert 1 / (1 + k.value) == pytest.approx(value)
    mirrored = rf.r_m(Estimate(value=1 - value, u=0.0))
    assert mirrored.value == pytest.approx(-r_m.value, abs=1e-9)


@pytest.mark.parametrize("value", [0.0, 1.0, 1.2])
def test_r_m_and_k_say_nothing_at_the_ends(value):
    estimate = Estimate(value=value, u=0.01)
    assert rf.r_m(estimate) is None
    assert rf.retention_factor(estimate) is None


@pytest.mark.parametrize(
    ("written", "percents"),
    [
        ("7.6 mL hexane + 0.4 mL ethyl acetate", "95 : 5"),  # common practice, no source
        ("12 mL hexane + 3 mL ethyl acetate", "80 : 20"),  # 20 % in 15 mL; common practice, no source
    ],
)
def test_eluents_of_common_practice(written, percents):
    assert parse_eluent(written).as_percents == percents


def test_the_gum_rule_by_simulation():
    """A second way without any formula of ours: 200 000 plates drawn at random."""
    import random

    chance = random.Random(93)
    u_s, u_f, u_o, origin, spot, front = 0.35, 0.2, 0.25, 10.0, 42.0, 90.0
    ratios = []
    for _ in range(200_000):
        o = chance.gauss(origin, u_o)
        ratios.append((chance.gauss(spot, u_s) - o) / (chance.gauss(front, u_f) - o))
    mean = sum(ratios) / len(ratios)
    spread = math.sqrt(sum((ratio - mean) ** 2 for ratio in ratios) / len(ratios))
    ours = rf.ratio_on_shared_origin(spot - origin, front - origin, u_s, u_f, u_o)
    assert ours.u == pytest.approx(spread, rel=0.02)


# Snyder's equation for the strength of a binary solvent, with his ε° on alumina for hexane and ethyl
# acetate, the size of ethyl acetate on the surface, and solutes of a given size. L. R. Snyder,
# Principles of Adsorption Chromatography, Dekker 1968, chapter 8; equation and values from memory.
HEXANE, ETHYL_ACETATE, SIZE_OF_ESTER = 0.01, 0.58, 5.7


def snyder_r_m(phi, solute_size, base):
    """log k in hexane with a mole fraction φ of ethyl acetate."""
    strength = HEXANE + math.log10(phi * 10 ** (SIZE_OF_ESTER * (ETHYL_ACETATE - HEXANE)) + 1 - phi) / SIZE_OF_ESTER
    return base - solute_size * strength


@pytest.mark.parametrize("solute_size", [4.0, 5.7, 8.0, 11.4])
def test_the_fit_follows_the_published_strength_of_binary_solvents(solute_size):
    parts = (0.1, 0.2, 0.35, 0.5, 0.7)
    base = solute_size * 0.5
    rf = [1 / (1 + 10 ** snyder_r_m(phi, solute_size, base)) for phi in parts]
    line = fit([Point(phi, Estimate(value=value, u=0.005)) for phi, value in zip(parts, rf, strict=True)], "log")
    # Soczewiński: the slope is the number of solvent molecules that a solute pushes off the surface.
    assert line.m == pytest.approx(solute_size / SIZE_OF_ESTER, rel=0.02)
    for phi, value in zip(parts, rf, strict=True):
        assert line.rf_at(phi).value == pytest.approx(value, abs=0.01)


def test_ten_per_cent_of_organic_solvent_changes_retention_two_to_threefold():
    # Rule of three for reversed phase: L. R. Snyder, J. J. Kirkland, Introduction to Modern Liquid
    # Chromatography, Wiley 1979; from memory. Small molecules have slopes of about 3 to 5.
    for slope in (3.0, 4.0, 4.8):
        k = {phi: 10 ** (2.5 - slope * phi) for phi in (0.5, 0.6, 0.7)}
        line = fit([Point(phi, Estimate(value=1 / (1 + value), u=0.005)) for phi, value in k.items()], "linear")
        ratio = (1 / line.rf_at(0.5).value - 1) / (1 / line.rf_at(0.6).value - 1)
        assert 1.9 < ratio < 3.1
        assert line.m == pytest.approx(slope, rel=0.01)


def test_shelf_strengths_stand_in_the_eluotropic_order():
    # Two published orders, on silica and on alumina, agree but for neighbours.
    ranked = sorted(
        (item.number("eluotropic_rank"), item.number("strength"), item.name)
        for item in shipped()
        if item.number("eluotropic_rank") and item.number("strength") is not None
    )
    strengths = [strength for _, strength, _ in ranked]
    assert len(strengths) >= 15
    assert all(b > a - 0.25 for a, b in itertools.pairwise(strengths))
    assert strengths[-1] == max(strengths)


@pytest.mark.parametrize(
    "item", [i for i in shipped() if i.kind == "solvent" and i.number("boils") and i.formula], ids=lambda i: i.name
)
def test_solvents_boil_where_the_reference_library_says(item):
    # Source: the chemicals library's own collections; the shelf was built from one of them.
    known = chemicals.Tb(item.cas)
    assert item.number("boils") == pytest.approx(known - 273.15, abs=1.5)


@pytest.mark.parametrize(("kappa", "height"), [(350.0, 5.0), (120.0, 0.5), (800.0, 9.0)])
def test_the_front_rises_as_washburn_says(kappa, height):
    # E. W. Washburn, Phys. Rev. 1921, 17, 273: speed falls as the wetted length grows, dL/dt = κ/2L. Here it
    # is integrated step by step by a general solver, from the liquid surface on; our law is its closed form.
    begin = height**2 / kappa  # when the front passes the origin
    times = [begin + t for t in (1.0, 3.0, 6.0, 10.0)]
    solved = solve_ivp(
        lambda t, wet: kappa / (2 * wet), (begin, times[-1]), [height], t_eval=times, rtol=1e-9, atol=1e-9
    )
    over_origin = [float(wet) - height for wet in solved.y[0]]
    found = rise(list(zip(times[:3], over_origin[:3], strict=True)), height)
    assert found.kappa.value == pytest.approx(kappa, rel=1e-4)
    assert found.minutes_to(over_origin[3]).value == pytest.approx(times[3], rel=1e-4)
