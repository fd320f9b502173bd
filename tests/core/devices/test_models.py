"""How made-up instruments behave, held against what is known of real ones."""

import math
from itertools import pairwise

import pytest
from hypothesis import given
from hypothesis import strategies as st

from helvor.core.devices import models as m


@given(st.floats(0.05, 200), st.floats(0, 5000), st.integers(0, 99))
def test_a_balance_at_rest_shows_its_load_within_a_step(load, at, seed):
    balance = m.Balance(0.001, 220, seed)
    assert abs(balance.indication(at, load, 30) - load) < 0.001


@given(st.floats(1, 200), st.floats(30, 300))
def test_something_warm_seems_light_until_it_has_cooled(load, celsius):
    balance = m.Balance(0.001, 220)
    warm = balance.indication(0, load, 10, load, celsius)
    later = balance.indication(0, load, 1200, load, celsius)
    assert warm < load - 0.0015 and warm < later
    assert abs(balance.indication(0, load, 3 * 3600, load, celsius) - load) < 0.001


def test_a_draught_moves_a_fine_display_by_many_steps_and_a_coarse_one_hardly():
    balance = m.Balance(0.0001, 120)
    values = [balance.indication(0.1 * n, 10, 60, draught=True) for n in range(30)]
    assert 20 < (max(values) - min(values)) / 0.0001 < 400
    assert max(values) - min(values) < 0.03


@given(st.floats(0, 14), st.floats(-20, 20), st.floats(0.9, 1.0))
def test_two_buffers_take_offset_and_slope_away(ph, offset, slope):
    electrode = m.Electrode(offset, slope)
    buffers = [(one, electrode.millivolts(one, 3600)) for one in (7.0, 4.0)]
    assert m.calibrate(*buffers).ph(electrode.millivolts(ph, 3600)) == pytest.approx(ph, abs=1e-6)


def test_buffers_that_are_the_same_make_no_calibration():
    with pytest.raises(ValueError, match="1 pH unit apart"):
        m.calibrate((7.0, 0.0), (7.4, -20.0))


@given(st.floats(0.5, 20), st.floats(60, 200), st.floats(0.2, 5))
def test_a_fast_block_reads_too_high(rate, begins, width):
    block = m.MeltingBlock(begins - 10, rate)
    low, high = block.seen(begins, begins + width)
    assert low > begins and high - low == pytest.approx(width)
    assert block.seen(begins, begins + width)[0] < m.MeltingBlock(begins - 10, rate * 2).seen(begins, begins + width)[0]
    when = 60 * (low - block.start) / rate
    assert block.looks(when - 1, begins, begins + width) == "softening" or rate > 8
    assert block.looks(when + 0.5, begins, begins + width) in ("melting", "clear")


@given(st.floats(0.01, 5), st.floats(0.005, 0.5))
def test_drying_never_gains_and_ends_dry(first, rate):
    found = [m.moisture(first, 2.0 * n, rate) for n in range(60)]
    assert found[0] == first and all(b <= a for a, b in pairwise(found))
    assert m.moisture(first, 20 * first / rate, rate) < 1e-6 * first


def test_drying_is_even_and_then_slows_without_a_step():
    rate, first = 0.1, 1.2
    turn = (first - first * m.CRITICAL) / rate
    before, after = (m.moisture(first, turn - 1e-6, rate), m.moisture(first, turn + 1e-6, rate))
    assert before == pytest.approx(after, abs=1e-6)
    assert (m.moisture(first, turn, rate) - m.moisture(first, turn + 1e-4, rate)) / 1e-4 == pytest.approx(
        rate, rel=1e-3
    )


@given(st.floats(35, 140), st.floats(20, 1000))
def test_a_lower_pressure_boils_cooler(boiling, millibar):
    assert m.boils_at(boiling, millibar) < boiling
    assert m.boils_at(boiling, 1013.25) == pytest.approx(boiling)


def test_an_evaporator_bumps_far_over_the_boiling_point_only():
    assert m.Evaporator(60, 100, 77.1).bumps and not m.Evaporator(40, 240, 77.1).bumps
    assert m.Evaporator(20, 1013, 77.1).left(50, 60) == 50
    assert m.Evaporator(40, 240, 77.1).left(50, 10) < 50
    with pytest.raises(ValueError):
        m.boils_at(77.1, 0)


def test_warmth_is_lost_by_halves():
    assert m.cooled(82, 0) == 82
    assert m.cooled(82, 2 * m.COOLS) == pytest.approx(m.ROOM + 15)
    assert math.isclose(m.cooled(m.ROOM, 77), m.ROOM)
