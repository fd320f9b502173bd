"""The models of the virtual bench: bounds that hold for whatever is asked, and numbers that can be worked out by hand."""

import pytest
from hypothesis import given
from hypothesis import strategies as st

from helvor.core.laws.column.model import Compound
from helvor.core.laws.crystallization.solubility import Curve, Point
from helvor.core.laws.extraction.acid_base import Solute, Water
from helvor.core.practice import virtual_column as column
from helvor.core.practice import virtual_crystals as crystals
from helvor.core.practice import virtual_filter as filtering
from helvor.core.practice import virtual_funnel as funnel
from helvor.core.quantities.reading import Unreadable

WATER = Curve((Point(25, 0.56), Point(80, 3.45), Point(100, 5.55)))


# ── crystals ────────────────────────────────────────────────────────────────────────────────────


@given(st.floats(0.05, 20), st.floats(1, 500), st.booleans(), st.floats(0, 60))
def test_all_of_a_solid_is_somewhere(mass, volume, fast, cold):
    hot = crystals.dissolve(mass, volume, WATER, 100)
    assert hot.dissolved + hot.solid == pytest.approx(mass)
    grown = crystals.cool(hot.dissolved, volume, WATER, cold, fast=fast, oils_above=83)
    assert grown.crystals + grown.liquor == pytest.approx(hot.dissolved)
    assert grown.crystals >= 0 and grown.liquor <= WATER.at(cold) * volume / 100 + 1e-9


@given(st.floats(0.5, 5), st.floats(20, 120))
def test_a_warm_funnel_holds_back_less_than_a_cold_one(mass, volume):
    hot = crystals.dissolve(mass, volume, WATER, 100)
    warm, cold = (crystals.on_hot_paper(hot, WATER, 98, one) for one in ("warm", "cold"))
    assert 0 <= warm <= cold <= hot.dissolved


@pytest.mark.parametrize(
    ("volume", "fast", "how"),
    [
        (36, False, "slow"),
        (36, True, "oil"),
        (120, True, "fast"),
        (120, False, "slow"),
    ],
)
def test_it_parts_as_an_oil_only_when_it_is_strong_and_cooled_fast(volume, fast, how):
    assert crystals.cool(1.9, volume, WATER, 2, fast=fast, oils_above=83).how == how


@given(st.integers(1, 5), st.floats(0.5, 20), st.floats(0.2, 3))
def test_a_wash_never_takes_more_than_there_is_and_more_washes_leave_less(times, ml, grams):
    one, more = crystals.wash(grams, times, ml, 0.5), crystals.wash(grams, times + 1, ml, 0.5)
    assert 0 <= one.dissolved <= more.dissolved <= grams
    assert 0 < more.clinging < one.clinging <= 1


@given(st.floats(0, 0.2), st.floats(0, 0.2))
def test_more_of_another_melts_lower(one, other):
    less, more = sorted((one, other))
    assert crystals.melts(114, 21.7, more)[1] <= crystals.melts(114, 21.7, less)[1] <= 114


def test_what_cannot_be_is_refused():
    for wrong in (
        lambda: crystals.dissolve(0, 10, WATER, 100),
        lambda: crystals.on_hot_paper(crystals.dissolve(1, 50, WATER, 100), WATER, 98, "lukewarm"),
        lambda: crystals.melts(114, 21.7, 0.9),
        lambda: filtering.minutes(50, 1, "sand", "suction", 42),
        lambda: filtering.minutes(0, 1, "fine", "suction", 42),
        lambda: filtering.passes("fine", "newspaper"),
        lambda: filtering.dried(1, "sun", 5),
        lambda: funnel.shake({}, [], 10, Water(10), "thrown"),
        lambda: funnel.shake({}, [], 0, Water(10)),
        lambda: funnel.pressure(55, 0, 0),
        lambda: funnel.cut(1, "blunt"),
        lambda: column.run([Compound("a", 1, (0.3,))], [10], bore=15, bed=150, packed="wool"),
        lambda: column.run([Compound("a", 1, (0.3,))], [10], bore=15, bed=150, tube=0),
    ):
        with pytest.raises(Unreadable):
            wrong()


# ── filtering and drying ────────────────────────────────────────────────────────────────────────


@given(
    st.floats(5, 500),
    st.floats(0, 20),
    st.sampled_from(list(filtering.GRAINS)),
    st.sampled_from(list(filtering.OPENINGS)),
)
def test_a_filtration_loses_nothing_and_suction_is_faster(ml, grams, grains, paper):
    slow, quick = (
        filtering.filtered(ml, grams, grains, how=how, paper=paper, diameter=42) for how in ("gravity", "suction")
    )
    for one in (slow, quick):
        assert one.passed + one.on_paper == pytest.approx(grams)
        assert 0 <= one.passed <= 0.1 * grams + 1e-12
    assert quick.minutes < slow.minutes and quick.keeps <= slow.keeps


@given(st.sampled_from(list(filtering.GRAINS)))
def test_a_slower_paper_holds_back_more_and_pouring_back_too(grains):
    through = [filtering.passes(grains, paper) for paper in ("fast", "medium", "slow")]
    assert through == sorted(through, reverse=True)
    once, twice = (filtering.filtered(50, 1, grains, how="gravity", paper="fast", diameter=42, again=n) for n in (0, 1))
    assert twice.passed == pytest.approx(once.passed / 10) and twice.minutes > once.minutes


@given(st.floats(0.1, 20), st.floats(0, 200), st.floats(0, 200))
def test_air_drawn_through_dries_and_time_never_wets(grams, one, other):
    less, more = sorted((one, other))
    assert filtering.kept(grams, "suction", more) <= filtering.kept(grams, "suction", less)
    for place in filtering.RATES:
        assert filtering.dried(grams, place, more) <= filtering.dried(grams, place, less) <= grams


# ── a funnel ────────────────────────────────────────────────────────────────────────────────────

ACID, BASE = Solute("acid", "acid", 4.4, 135.0), Solute("base", "base", 4.6, 40.0)


@given(st.floats(0, 0.02), st.floats(0, 0.02), st.floats(5, 100), st.floats(5, 100), st.floats(-3, 3))
def test_what_is_shaken_is_all_there(acid, base, organic, ml, strong):
    shared = funnel.shake({"acid": acid, "base": base}, [ACID, BASE], organic, Water(ml, strong * ml / 1000))
    for name, mol in (("acid", acid), ("base", base)):
        assert shared.organic[name] + shared.water[name] == pytest.approx(mol, abs=1e-12)
        assert shared.organic[name] >= 0 and shared.water[name] >= -1e-15


def test_base_takes_the_acid_out_and_acid_takes_the_base_out():
    mol = {"acid": 0.005, "base": 0.005}
    basic = funnel.shake(mol, [ACID, BASE], 60, Water(20, 0.02))
    acidic = funnel.shake(mol, [ACID, BASE], 60, Water(20, -0.02))
    assert basic.water["acid"] > 0.99 * 0.005 and basic.organic["base"] > 0.98 * 0.005
    assert acidic.water["base"] > 0.95 * 0.005 and acidic.organic["acid"] > 0.98 * 0.005


def test_shaking_makes_a_rag_and_soap_a_larger_one():
    rags = [funnel.shake({"acid": 0.005}, [ACID], 60, Water(20, -0.02), how).rag for how in funnel.RAGS]
    assert rags[0] == 0 < rags[1] < rags[2]
    soapy = funnel.shake({"acid": 0.005}, [ACID], 60, Water(20, 0.04), "shaken")
    assert soapy.ph > funnel.SOAPY and soapy.rag == pytest.approx(1.5 * rags[2])


def test_carbonate_on_acid_and_a_low_boiling_ether_press_on_the_stopper():
    gas = funnel.shake({"acid": 0.01}, [ACID], 60, Water(20, 0.012, 0.012)).gas
    assert gas > 50
    assert funnel.pressure(55, gas, 70) > funnel.pressure(55, 0, 70) > funnel.SPURTS > funnel.pressure(110, 0, 70)


@given(st.floats(0, 20))
def test_no_cut_is_both_dry_and_whole(rag):
    sharp, left, along = (funnel.cut(rag, how) for how in ("sharp", "left", "along"))
    assert left.along == 0 < left.behind and along.behind == 0 < along.along
    assert sharp.behind < left.behind + 1e-9 and sharp.along < along.along


# ── a column ────────────────────────────────────────────────────────────────────────────────────


@given(
    st.floats(1, 500), st.floats(1, 500), st.floats(0.05, 0.9), st.sampled_from(list(column.PLATES)), st.floats(10, 400)
)
def test_a_column_keeps_what_it_does_not_give(first, second, rf, packed, ml):
    ran = column.run(
        [Compound("a", first, (rf,)), Compound("b", second, (0.02,))], [ml], bore=15, bed=150, packed=packed
    )
    for name, mg in (("a", first), ("b", second)):
        assert sum(tube[name] for tube in ran.tubes) + ran.on_silica[name] == pytest.approx(mg)
        assert ran.on_silica[name] >= column.STAYS * mg - 1e-9
        assert all(tube[name] >= 0 for tube in ran.tubes)


def test_a_bed_with_bubbles_spreads_bands_and_a_dry_one_more():
    found = [
        column.run([Compound("a", 100, (0.35,)), Compound("b", 100, (0.25,))], [150], bore=15, bed=150, packed=packed)
        for packed in column.PLATES
    ]
    mixed = [sum(min(tube.values()) for tube in ran.tubes) for ran in found]
    assert mixed == sorted(mixed) and mixed[0] < mixed[2] / 2
    first = [n for n, tube in enumerate(found[0].tubes, 1) if tube["a"] > 2 * tube["b"] and tube["a"] > 1]
    assert found[0].purity(first[0], first[-1], "a") > 0.85 > found[2].purity(1, len(found[2].tubes), "a")
    assert found[0].purity(1, 1, "a") is None


@pytest.mark.parametrize(("mg", "word"), [(0.2, 0), (1, 1), (4, 2), (10, 3), (40, 4)])
def test_how_strong_a_spot_is(mg, word):
    assert column.strength(mg) == word
