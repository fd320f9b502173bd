"""Numbers that remember where their doubt comes from."""

import math

import pytest
from hypothesis import given
from hypothesis import strategies as st

from helvor.core.quantities.measured import Measured, decimals_for, shown, shown_with_u, total

masses = st.floats(0.01, 500, allow_nan=False)
doubts = st.floats(1e-5, 0.05)


def read(value, u, name, decimals=None):
    return Measured.read(value, u, name, decimals)


def test_a_shared_tare_drops_out_of_a_difference_and_doubles_in_a_sum():
    tare = read(30, 0.01, "tare")
    a, b = read(31, 0.001, "a") - tare, read(33, 0.001, "b") - tare
    assert (b - a).u == pytest.approx(0.001 * math.sqrt(2))
    assert (a + b).u == pytest.approx(math.hypot(0.02, 0.001 * math.sqrt(2)))


@given(masses, doubts, masses, doubts)
def test_a_ratio_with_itself_has_no_doubt(a, ua, b, ub):
    x = read(a, ua, "x") + read(b, ub, "y")
    assert (x / x).u == pytest.approx(0, abs=1e-12)
    assert (x - x).u == pytest.approx(0, abs=1e-12)


@given(st.lists(st.tuples(masses, doubts), min_size=1, max_size=8))
def test_the_total_is_the_sum_one_by_one(readings):
    parts = [read(value, u, str(i)) for i, (value, u) in enumerate(readings)]
    one_by_one = Measured(0.0)
    for part in parts:
        one_by_one = one_by_one + part
    assert total(parts).value == pytest.approx(one_by_one.value)
    assert total(parts).u == pytest.approx(one_by_one.u)
    assert total([]) == Measured(0.0)


@pytest.mark.parametrize(
    ("number", "text"),
    [
        (read(3.0063, 0.0004, "a", 3), "3.006 ± 0.001"),
        (read(3.0063, 0.0004, "a"), "3.0063 ± 0.0004"),
        (read(98.5, 0.03, "a"), "98.50 ± 0.03"),
        (read(-0.0889, 0.0009, "a", 3), "−0.089 ± 0.001"),
        (Measured(1.5), "1.500000"),
        (read(1234, 30, "a"), "1234 ± 30"),
    ],
)
def test_no_digit_is_shown_that_nobody_read(number, text):
    assert shown_with_u(number) == text


def test_a_sum_has_the_decimals_of_its_finest_reading():
    assert shown(read(1.2, 0.03, "a", 1) + read(0.345, 0.0003, "b", 3)) == "1.55"
    assert (read(1.2, 0.03, "a", 1) / 2).decimals is None


@pytest.mark.parametrize(("u", "decimals"), [(0.0, 6), (1e-9, 6), (0.00999, 3), (0.01, 2), (0.95, 1), (40, 0)])
def test_the_uncertainty_says_how_many_decimals(u, decimals):
    assert decimals_for(u) == decimals
