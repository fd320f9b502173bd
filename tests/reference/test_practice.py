"""The virtual bench and its instruments against the outside: laws integrated anew, handbook data, other people's code."""

import math

import chemicals
import numpy as np
import pytest
from chemicals.phase_change import Hfus
from chemicals.vapor_pressure import Psat_data_Perrys2_8
from scipy.integrate import solve_ivp
from scipy.optimize import brentq
from scipy.stats import norm

from helvor.core.devices import models
from helvor.core.laws.column.model import Compound, column_volume
from helvor.core.laws.extraction.acid_base import Solute, Water
from helvor.core.practice import virtual_column, virtual_filter, virtual_funnel
from helvor.core.practice.rehearsals import crystals as acetanilide
from helvor.core.practice.virtual_crystals import melts


def perry(cas, kelvin):
    """Vapour pressure, mbar: Perry's Chemical Engineers' Handbook, 8th ed., table 2-8, as kept in ``chemicals``."""
    _, c1, c2, c3, c4, c5, *_ = Psat_data_Perrys2_8.loc[cas].tolist()
    return math.exp(c1 + c2 / kelvin + c3 * math.log(kelvin) + c4 * kelvin**c5) / 100


@pytest.mark.parametrize("cas", ["141-78-6", "1634-04-4", "67-64-1", "110-54-3"])
@pytest.mark.parametrize("millibar", [150, 300, 600, 1013.25])
def test_boiling_points_under_vacuum(cas, millibar):
    handbook = brentq(lambda kelvin: perry(cas, kelvin) - millibar, 230, 420) - 273.15
    assert models.boils_at(chemicals.Tb(cas) - 273.15, millibar) == pytest.approx(handbook, abs=3.5)


def test_pressure_in_a_warm_funnel_of_ether():
    assert virtual_funnel.pressure(55.1, 0, 70, 30) == pytest.approx(perry("1634-04-4", 303.15), rel=0.1)


@pytest.mark.parametrize(("celsius", "millivolts"), [(0, 54.20), (20, 58.17), (25, 59.16), (37, 61.54)])
def test_slope_of_a_ph_electrode(celsius, millivolts):
    """Ideal slopes as electrochemistry tables print them; from memory."""
    assert models.nernst(celsius) == pytest.approx(millivolts, abs=0.01)


@pytest.mark.parametrize(
    ("grains", "how"), [("crystals", "suction"), ("fine", "suction"), ("fine", "gravity"), ("gel", "suction")]
)
def test_filtration_time_against_the_flow_integrated(grains, how):
    """dV/dt = A·Δp / (μ·(α·c·V/A + R_m)), integrated by SciPy until the volume is through."""
    ml, grams, diameter = 60.0, 1.5, 42.0
    area, load = math.pi / 4 * (diameter / 1000) ** 2, grams / 1000 / (ml * 1e-6)
    alpha, pressure = virtual_filter.GRAINS[grains][1], virtual_filter.PRESSURE[how]

    def flow(_, volume):
        resistance = alpha * load * volume[0] / area + virtual_filter.MEDIUM
        return [area * pressure / (virtual_filter.VISCOSITY * resistance)]

    through = lambda _, volume: volume[0] - ml * 1e-6  # noqa: E731
    through.terminal = True
    found = solve_ivp(flow, (0, 1e7), [0.0], events=through, rtol=1e-9, atol=1e-14)
    expected = found.t_events[0][0] / 60
    assert virtual_filter.minutes(ml, grams, grains, how, diameter) == pytest.approx(expected, rel=1e-5)


@pytest.mark.parametrize("after", [5, 15, 30, 60, 120])
def test_drying_against_the_rate_integrated(after):
    """Constant rate, then in proportion to what is left, integrated by SciPy."""
    first, rate = 3.0, 0.08

    def dries(_, water):
        return [-rate * min(1.0, water[0] / (models.CRITICAL * first))]

    found = solve_ivp(dries, (0, after), [first], rtol=1e-10, atol=1e-12, max_step=0.5)
    assert models.moisture(first, after, rate) == pytest.approx(found.y[0][-1], rel=1e-4)


def test_sizes_of_grains_pass_as_a_log_normal_says():
    z = math.log(virtual_filter.OPENINGS["medium"] / virtual_filter.GRAINS["fine"][0]) / math.log(
        virtual_filter.SCATTER
    )
    assert virtual_filter.passes("fine", "medium") == pytest.approx(virtual_filter.BRIDGES * norm.cdf(z))


@pytest.mark.parametrize("other", [0.01, 0.03, 0.08])
def test_the_end_of_melting_lies_on_the_liquidus(other):
    """Schröder–van Laar, solved for the temperature by SciPy rather than turned round."""
    kelvin, heat = 387.45, 21_700.0
    gas = 8.314462618
    at = brentq(lambda t: math.log(1 - other) - heat / gas * (1 / kelvin - 1 / t), 300, kelvin)
    assert melts(kelvin - 273.15, heat / 1000, other)[1] == pytest.approx(at - 273.15, abs=1e-3)


def test_acetanilide_melts_as_the_open_collection_says():
    assert pytest.approx(Hfus("103-84-4") / 1000, rel=0.03) == acetanilide.FUSION
    assert pytest.approx(chemicals.Tm("103-84-4") - 273.15, abs=0.5) == acetanilide.MELTS


@pytest.mark.parametrize("portions", [1, 2, 3, 5])
def test_repeated_extraction_in_the_virtual_funnel_follows_nernst(portions):
    """What is left after n portions is (1 + V_water ÷ (D·V_organic))⁻ⁿ; W. Nernst's law, with a neutral substance."""
    k, organic, water, there = 4.0, 50.0, 30.0, 0.01
    for _ in range(portions):
        there = virtual_funnel.shake({"x": there}, [Solute("x", "neutral", None, k)], organic, Water(water)).organic[
            "x"
        ]
    assert there == pytest.approx(0.01 * (1 / (1 + water / (k * organic))) ** portions)


def test_tubes_of_the_virtual_column_are_slices_of_a_gaussian():
    bore, bed, rf = 15.0, 150.0, 0.3
    ran = virtual_column.run([Compound("x", 100, (rf,))], [150], bore=bore, bed=bed, sample_ml=0.0)
    v_m = column_volume(bore, bed)
    mean, sigma = v_m / rf, v_m / rf / math.sqrt(virtual_column.PLATES["slurry"])
    expected = 100 * (1 - virtual_column.STAYS) * np.diff(norm.cdf(np.arange(0, 155, 5), mean, sigma))
    assert [tube["x"] for tube in ran.tubes] == pytest.approx(expected.tolist(), abs=0.02)


def test_something_cools_as_newtons_law_integrated():
    rate = math.log(2) / models.COOLS
    found = solve_ivp(lambda _, t: [-rate * (t[0] - models.ROOM)], (0, 700), [90.0], rtol=1e-9)
    assert models.cooled(90, 700) == pytest.approx(found.y[0][-1], abs=1e-4)
