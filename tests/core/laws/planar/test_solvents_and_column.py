"""Another kind of solvent, how long a mixture stays fresh, and from a plate to a column."""

import pytest
from hypothesis import given
from hypothesis import strategies as st

from helvor.core.laws.column.sizing import FLASH, draft, suitability
from helvor.core.laws.planar.eluent import parse_eluent
from helvor.core.laws.planar.solvents import freshness, other_kinds
from helvor.core.quantities.reading import Unreadable
from helvor.shelf.shelf import shipped
from helvor.shelf.solvents import boiling_points, solvents_of

SHELF = solvents_of(shipped())


@pytest.mark.parametrize(
    ("name", "first"),
    [("ethyl acetate", "acetonitrile"), ("diethyl ether", "chloroform"), ("methanol", "acetonitrile")],
)
def test_another_kind_is_another_kind_and_near_in_strength(name, first):
    others = other_kinds(name, SHELF)
    own = next(s.family for s in SHELF if s.name == name)
    assert others[0].name == first
    assert all(other.family not in (own, "alkane") for other in others)
    gaps = [abs(other.stronger_by) for other in others]
    assert gaps == sorted(gaps)
    assert all(other.pulls for other in others)


def test_what_is_not_on_the_shelf_is_said():
    with pytest.raises(Unreadable, match="has no eluent strength and class in the reference data"):
        other_kinds("lemonade", SHELF)


@pytest.mark.parametrize(
    ("eluent", "hours", "fresh", "leaves"),
    [
        ("diethyl ether : hexane 1 : 1", 1, True, "diethyl ether"),
        ("diethyl ether : hexane 1 : 1", 3, False, "diethyl ether"),
        ("acetone : water 1 : 1", 3, True, "acetone"),
        ("acetone : water 1 : 1", 6, False, "acetone"),
        ("ethanol : water 7 : 3", 10, False, "ethanol"),
        ("water", 100, True, ""),
        ("ethyl acetate : ethanol 1 : 1", 30, True, ""),  # boil within two degrees of each other
        ("acetic acid : water 1 : 3", 100, True, "water"),
    ],
)
def test_the_volatile_part_decides_how_long_a_mixture_stays(eluent, hours, fresh, leaves):
    found = freshness(parse_eluent(eluent), hours, boiling_points())
    assert (found.fresh, found.first) == (fresh, leaves)
    assert fresh or "has partly evaporated, so Rf values have changed" in found.says


def test_an_unknown_part_gives_no_answer():
    assert freshness(parse_eluent("brine : water 1 : 1"), 1, boiling_points()) is None


@given(st.floats(0.02, 0.98), st.floats(0.02, 0.98))
def test_column_volumes_apart_do_not_depend_on_the_order(a, b):
    one, other = suitability(a, b), suitability(b, a)
    assert one == other
    assert one.delta_cv == pytest.approx(1 / min(a, b) - 1 / max(a, b))
    assert one.delta == pytest.approx(abs(a - b), abs=1e-6)


@pytest.mark.parametrize(
    ("rf", "level", "word"),
    [
        ((0.35, 0.15), "good", "Well separated: a column in this eluent should separate them"),
        ((0.33, 0.20), "good", "Well separated"),  # 2.0 column volumes
        ((0.42, 0.27), "note", "small sample"),  # 1.3
        ((0.20, 0.12), "note", "late"),  # 3.3, though only 0.08 apart in Rf
        ((0.50, 0.40), "caution", "overlap"),  # 0.5, though 0.10 apart
        ((0.60, 0.50), "caution", "too fast"),
        ((0.30, 0.25), "caution", "Tune"),
        ((0.75, 0.50), "caution", "too fast"),
        ((0.30, 0.05), "note", "hardly moves"),
    ],
)
def test_whether_a_plate_suits_a_column(rf, level, word):
    fits = suitability(*rf)
    assert fits.level == level
    assert word in fits.says


@pytest.mark.parametrize("rf", [(0, 0.3), (0.3, 1)])
def test_rf_of_nothing_and_of_all_say_nothing(rf):
    with pytest.raises(Unreadable):
        suitability(*rf)


@pytest.mark.parametrize("row", FLASH)
@pytest.mark.parametrize(("which", "rf"), [(2, (0.42, 0.2)), (3, (0.42, 0.3))])
def test_the_published_rows_come_out_as_they_stand(row, which, rf):
    plan = draft(row[which], suitability(*rf))
    assert (plan.diameter, plan.fraction) == pytest.approx((row[0], row[4]))
    if plan.by_table:
        assert plan.eluent == pytest.approx(row[1])


@given(st.floats(100, 2400))
def test_more_sample_never_takes_a_narrower_column(sample):
    fits = suitability(0.4, 0.15)
    small, large = draft(sample, fits), draft(sample * 1.04, fits)
    assert small.diameter <= large.diameter
    assert small.silica > 0 and small.fractions > 0


def test_slow_compounds_take_more_eluent_than_the_table_says():
    table, slow = draft(160, suitability(0.42, 0.30)), draft(400, suitability(0.3, 0.08))
    assert table.by_table and not slow.by_table
    assert slow.eluent > FLASH[1][1]
    assert slow.last == pytest.approx(1 / 0.08)


@pytest.mark.parametrize("sample", [1, 5000])
def test_outside_the_table_is_refused(sample):
    with pytest.raises(Unreadable, match="outside"):
        draft(sample, suitability(0.4, 0.15))
