"""Drying to constant mass."""

import math
from datetime import UTC, datetime, timedelta

import pytest
from hypothesis import given
from hypothesis import strategies as st

from helvor.core.laws.constant_mass import Weighing, aitken, constancy

START = datetime(2026, 3, 2, 12, 0, tzinfo=UTC)


def series(*nets, step=0.001, minutes=15.0):
    return [Weighing(net, step, START + timedelta(minutes=minutes * i)) for i, net in enumerate(nets)]


@pytest.mark.parametrize(
    ("nets", "rule", "more", "state"),
    [
        ((1.5,), "readability", {}, "once"),
        ((1.502, 1.500), "readability", {}, "constant"),
        ((1.503, 1.500), "readability", {}, "drying"),
        ((1.500, 1.503), "readability", {}, "gaining"),
        ((1.500, 1.502), "readability", {}, "constant"),
        # 0.50 mg per g of 1.5 g is 0.75 mg.
        ((1.5006, 1.5000), "pharmacopoeia", {"step": 0.0001, "minutes": 60}, "constant"),
        ((1.5006, 1.5000), "pharmacopoeia", {"step": 0.0001, "minutes": 20}, "soon"),
        ((1.5009, 1.5000), "pharmacopoeia", {"step": 0.0001, "minutes": 60}, "drying"),
        ((1.50, 1.50), "pharmacopoeia", {"step": 0.01, "minutes": 60}, "coarse"),
        # Nothing can have dried in between; small steps that only fall are drying.
        ((1.500, 1.500), "readability", {"minutes": 0.3}, "close"),
        ((1.500, 1.500), "readability", {"minutes": 10}, "constant"),
        ((1.504, 1.502, 1.500), "readability", {}, "drying"),
        ((1.501, 1.502, 1.500), "readability", {}, "constant"),
        # A fall that has ended is none.
        ((1.530, 1.501, 1.500), "readability", {}, "constant"),
        ((1.504, 1.501, 1.500), "readability", {}, "constant"),
        ((1.503, 1.502, 1.500), "readability", {}, "drying"),
        ((40.01, 40.00), "pharmacopoeia", {"step": 0.01, "minutes": 60}, "constant"),
    ],
)
def test_the_state_of_a_series(nets, rule, more, state):
    assert constancy(series(*nets, **more), rule).state == state


@given(st.floats(0.5, 5), st.floats(0.05, 2), st.floats(0.1, 0.85))
def test_the_limit_of_an_exponential_approach_is_found(end, wet, ratio):
    nets = [end + wet * ratio**i for i in range(3)]
    assert aitken(*nets) == pytest.approx(end, rel=1e-6)
    found = constancy(series(*nets, step=0.0001), "readability")
    if found.predicted is not None:
        assert found.predicted == pytest.approx(end, rel=1e-6)
        # After the time it names, two weighings do agree.
        rounds = round(found.again / 15)
        assert wet * ratio ** (1 + rounds) * (1 - ratio) <= found.limit * 1.0001


@pytest.mark.parametrize(
    "nets",
    [(1.0, 0.9, 0.7), (1.0, 1.1, 1.15), (1.0, 0.9, 0.9), (1.003, 1.0015, 1.001)],
    ids=["not converging", "gaining", "stopped", "within the noise"],
)
def test_no_limit_is_predicted_where_none_shows(nets):
    assert constancy(series(*nets), "readability").predicted is None


def test_unequal_intervals_predict_nothing():
    a, b, c = series(1.5, 1.25, 1.125)
    late = Weighing(c.net, c.step, c.at + timedelta(minutes=40))
    assert constancy([a, b, late], "readability").predicted is None
    assert math.isclose(constancy([a, b, c], "readability").predicted, 1.0)


@pytest.mark.parametrize(("taken", "limit"), [(None, 0.75e-3), (3.0, 1.5e-3), (1.0, 0.5e-3)])
def test_the_strict_rule_goes_by_the_substance_taken(taken, limit):
    """1.500 g put to dry, unless it is said; what is left of it is less."""
    found = constancy(series(1.5000, 1.2001, 1.2000, step=0.0001, minutes=70), "pharmacopoeia", taken)
    assert found.limit == pytest.approx(limit)


def test_nothing_weighed_is_no_series():
    with pytest.raises(ValueError, match="nothing"):
        constancy([], "readability")
