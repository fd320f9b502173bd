"""A class's numbers side by side: middle, spread, what lies apart, what many share."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from scipy import stats

from helvor.core.engine.run.work_out import work_out
from helvor.core.quantities.reading import Unreadable
from helvor.core.quantities.robust import quantile, spread
from helvor.core.review.side_by_side import _in_common, apart, measures, shared
from helvor.core.techniques.registered import TECHNIQUES
from helvor.demo.crystals import CRYSTALS
from helvor.demo.runs import POWDER
from helvor.shelf.procedures import shipped_procedure
from tests.core.techniques.extraction.test_runs import typed

NUMBERS = st.lists(st.floats(-1000, 1000), min_size=1, max_size=40)


@given(NUMBERS)
def test_middle_and_spread_are_what_numpy_and_scipy_say(values):
    """NumPy's linear quantiles and SciPy's median absolute deviation."""
    found = spread(values)
    assert found.median == pytest.approx(np.median(values), abs=1e-9)
    assert (found.low, found.high) == (
        pytest.approx(np.quantile(values, 0.25), abs=1e-9),
        pytest.approx(np.quantile(values, 0.75), abs=1e-9),
    )
    assert found.mad == pytest.approx(stats.median_abs_deviation(values), abs=1e-9)


@given(st.lists(st.floats(80, 100), min_size=5, max_size=30), st.floats(-50, 50))
def test_moving_all_moves_nothing_apart(values, by):
    moved = [value + by for value in values]
    assert spread(moved).median == pytest.approx(spread(values).median + by)
    assert [a or b for a, b in zip(apart(values), apart(moved), strict=True)].count(True) <= len(values) // 2


@pytest.mark.parametrize(
    ("values", "us", "far"),
    [
        ([89, 90, 91, 90, 89.5, 74], None, [5]),
        ([89, 90, 91, 74], None, []),
        ([90, 90, 90, 90, 90, 90], None, []),
        ([90, 90, 90, 90, 90, 50], None, [5]),
        ([89, 90, 91, 90, 89.5, 74], [0.1] * 5 + [20], []),
        ([], None, []),
        ([85, 88, 90, 92, 95, 97], None, []),
        ([89, 90, 91, 90, 89.5, 74, 130], None, [5, 6]),
    ],
)
def test_what_lies_apart(values, us, far):
    assert [i for i, found in enumerate(apart(values, us)) if found] == far


def test_no_middle_of_nothing():
    with pytest.raises(Unreadable):
        quantile([], 0.5)


def sheets(lines, key):
    procedure = shipped_procedure(key)
    return [(n, work_out(typed(*said, procedure=procedure), None, TECHNIQUES)) for n, said in lines.items()]


def test_the_crystals_of_a_class():
    found = {measure.key: measure for measure in measures(sheets(CRYSTALS, "acetanilide-made-clean"))}
    recovery = found["recovery acetanilide"]
    assert [one.bench for one in recovery.numbers] == [1, 2, 3]
    assert recovery.numbers[0].value == pytest.approx(84.5, abs=0.1)
    assert recovery.expected == 100
    melting = found["melts acetanilide, dry"]
    assert (melting.expected, melting.unit) == (114, "°C")


def test_the_powders_of_a_class_and_what_many_share():
    class_ = sheets(POWDER, "a-mixed-powder")
    found = {measure.key: measure for measure in measures(class_)}
    assert len(found["closure"].numbers) >= 3
    beads = found["part beads"]
    assert len(beads.numbers) >= 4 and 25 < beads.spread.median < 40
    several = shared(class_)
    assert all(len(one.benches) >= 3 for one in several)
    alike = [(n, sheet) for n in range(1, 7) for sheet in [class_[3][1]]]
    codes = {finding.code for finding in class_[3][1].findings if finding.level in ("caution", "stop")}
    assert {one.code for one in shared(alike)} == codes
    assert shared(class_[:1]) == [] and measures(class_[:1]) == []


@pytest.mark.parametrize(
    ("benches", "common"),
    [
        ([1, 2, 3], "bottle HX3"),  # all three, and nobody else
        ([1, 2], "bottle HX3"),  # bench 3 used it too, but not everybody did
        ([4, 5], "bottle B"),
        ([1, 4], ""),
        ([6], ""),
    ],
)
def test_what_the_benches_of_a_finding_used_and_others_did_not(benches, common):
    used = {
        1: {"bottle HX3", "balance 1"},
        2: {"bottle HX3", "balance 1"},
        3: {"bottle HX3", "balance 1"},
        4: {"bottle B", "balance 1"},
        5: {"bottle B", "balance 1"},
        6: {"balance 1"},
    }
    assert _in_common(benches, {b: frozenset(things) for b, things in used.items()}) == common
