"""Layers, distribution, acids and bases, drying and reflux: tables and laws."""

import itertools
import math
from datetime import timedelta

import pytest
from hypothesis import assume, given
from hypothesis import strategies as st

from helvor.core.laws.extraction.acid_base import (
    PAPERS,
    Solute,
    Water,
    base_needed,
    gas_of,
    in_portions,
    ph_of,
    ph_to_move,
    read_paper,
    reagent,
    reagent_for,
    to_reach,
)
from helvor.core.laws.extraction.distribution import (
    best_ratio,
    from_trial,
    left,
    limit,
    portions_for,
    selectivity,
    splits,
    with_clinging,
)
from helvor.core.laws.extraction.drying import AGENT, agent_for, agent_named
from helvor.core.laws.extraction.layers import CUTS, FILL, FUNNELS, Liquid, funnel_for, lost_at_cut, settle, solution
from helvor.core.laws.extraction.reflux import boiled, flask_for
from helvor.core.quantities.reading import Unreadable
from helvor.core.techniques.extraction.read import read_liquid, read_part
from helvor.core.techniques.extraction.scheme import Part
from tests.core.runs import NOON

ETHER = Liquid("diethyl ether", "organic", 0.713)
WATER = Liquid("water", "aqueous", 0.998)
CHLORIDE = Liquid("dichloromethane", "organic", 1.326)
HEXANE = Liquid("hexane", "organic", 0.659)
ALCOHOL = Liquid("ethanol", "both", 0.789, log_p=-0.3)

RATIO = st.floats(0.01, 1000)
VOLUME = st.floats(1, 500)


@pytest.mark.parametrize(
    ("poured", "upper", "lower"),
    [
        ([(ETHER, 50), (WATER, 20)], "diethyl ether", "water"),
        ([(CHLORIDE, 50), (WATER, 20)], "water", "dichloromethane"),
        ([(HEXANE, 30), (solution("3 M HCl", "HCl", 3.0), 10)], "hexane", "3 M HCl"),
        # A light organic liquid in a heavy one: the mixture floats.
        ([(CHLORIDE, 20), (HEXANE, 60), (WATER, 20)], "hexane", "water"),
    ],
)
def test_which_layer_is_on_top(poured, upper, lower):
    found = settle(poured)
    assert (found.upper.name, found.lower.name) == (upper, lower)
    assert found.apart == pytest.approx(found.lower.density - found.upper.density)
    assert found.volume == pytest.approx(sum(volume for _, volume in poured))


@pytest.mark.parametrize(
    ("poured", "says"),
    [
        ([(ALCOHOL, 20), (WATER, 20)], "Salting out may separate some; better choose another solvent"),
        ([(ALCOHOL, 20), (ETHER, 20)], "no aqueous layer"),
        ([(WATER, 20)], "only one layer"),
        ([(ALCOHOL, 20)], "ethanol alone: no layers"),
    ],
)
def test_one_liquid_is_said_with_its_reason(poured, says):
    found = settle(poured)
    assert found.upper is None
    assert says in found.why_one


def test_alcohol_carried_over_shifts_both_layers():
    plain, with_alcohol = settle([(ETHER, 50), (WATER, 50)]), settle([(ETHER, 50), (WATER, 50), (ALCOHOL, 20)])
    assert with_alcohol.apart < plain.apart
    assert "ethanol dissolves in both layers, shifts their densities, holds water" in with_alcohol.remarks[0]
    parts = {**dict(with_alcohol.upper.parts), **{f"{n} below": v for n, v in with_alcohol.lower.parts}}
    assert parts["ethanol"] + parts["ethanol below"] == pytest.approx(20)
    assert parts["ethanol below"] > parts["ethanol"]
    much = settle([(ETHER, 20), (WATER, 20), (ALCOHOL, 40)])
    assert any("may not separate" in remark for remark in much.remarks)


@pytest.mark.parametrize(("density", "says"), [(0.99, "Salt makes the water denser"), (1.02, "Do not add salt")])
def test_salt_widens_only_where_the_water_is_below(density, says):
    found = settle([(Liquid("oil", "organic", density), 20), (WATER, 20)])
    assert found.close
    assert found.widen.startswith(says)


def test_a_close_call_and_warmth():
    heavy = Liquid("anisole", "organic", 0.995)
    assert settle([(heavy, 20), (WATER, 20)]).close
    assert not settle([(ETHER, 20), (WATER, 20)]).close
    assert settle([(ETHER, 20), (WATER, 20)], 35).upper.density < 0.713


@pytest.mark.parametrize("bad", [[(ETHER, 0.0), (WATER, 5.0)], [(Liquid("lead", "organic", 11.3), 5.0)]])
def test_bad_volumes_and_densities_are_refused(bad):
    with pytest.raises(Unreadable):
        settle(bad)


@pytest.mark.parametrize(("school", "part"), FILL.items())
def test_a_funnel_is_filled_to_two_thirds_and_never_more_than_three_quarters(school, part):
    assert part <= 0.75
    for volume in (10, 45, 94, 200, 1300):
        size = funnel_for(volume, school)
        assert volume <= part * size
        smaller = [one for one in FUNNELS if one < size]
        assert not smaller or volume > part * smaller[-1]
    assert funnel_for(1600) is None
    assert (funnel_for(90), funnel_for(90, "three-quarters")) == (250, 125)
    assert lost_at_cut(CUTS["leave-some"], 1.0, 0.05) > lost_at_cut(CUTS["sharp"], 0.0, 0.05)


@given(RATIO, VOLUME, VOLUME)
def test_more_and_equal_portions_are_better_and_never_below_the_limit(d, feed, total):
    found = splits(d, feed, total)
    parts = [one.left for one in found]
    assert parts == sorted(parts, reverse=True)
    assert all(part >= limit(d, feed, total) * (1 - 1e-9) for part in parts)
    assert left(d, feed, total / 2, 2) <= left(d, feed, total / 3) * left(d, feed, 2 * total / 3) + 1e-12


@given(RATIO, VOLUME, VOLUME, st.floats(0.05, 0.999))
def test_as_many_portions_as_are_needed_and_not_one_more(d, feed, portion, wanted):
    times = portions_for(d, feed, portion, wanted)
    assume(times is not None)
    assert 1 - left(d, feed, portion, times) >= wanted - 1e-9
    if times > 1:
        assert 1 - left(d, feed, portion, times - 1) < wanted + 1e-9


@given(RATIO, VOLUME, VOLUME)
def test_a_trial_finds_its_own_ratio(d, feed, portion):
    taken = 1.0
    found = taken * (1 - left(d, feed, portion))
    assume(1e-6 < found < taken - 1e-6)
    assert from_trial(taken, found, feed, portion).d == pytest.approx(d, rel=1e-6)


@given(st.floats(0.1, 50), VOLUME, st.floats(5, 50), st.integers(1, 6))
def test_clinging_costs_and_none_is_the_plain_law(d, feed, portion, times):
    plain = left(d, feed, portion, times)
    in_feed, in_film = with_clinging(d, feed, [portion] * times, 0.0)
    assert (in_feed, in_film) == (pytest.approx(plain), 0)
    assert sum(with_clinging(d, feed, [portion] * times, portion / 10)) >= plain - 1e-12


def test_two_substances():
    both = selectivity(9.0, 0.1, 50, 50)
    assert (both.first, both.second) == (pytest.approx(0.9), pytest.approx(0.1 / 1.1))
    assert both.factor == pytest.approx(90)
    # At the best ratio what comes out of one equals what stays of the other when both lie evenly about 1.
    ratio = best_ratio(9.0, 0.1)
    gain = [
        selectivity(9.0, 0.1, 1, r).first - selectivity(9.0, 0.1, 1, r).second for r in (ratio / 2, ratio, 2 * ratio)
    ]
    assert gain[1] == max(gain)


@pytest.mark.parametrize("d", [0, -1, math.inf, math.nan])
def test_a_ratio_is_above_nothing_and_finite(d):
    with pytest.raises(Unreadable, match="distribution ratio"):
        left(d, 50, 50)


@pytest.mark.parametrize(
    "bad",
    [
        lambda: left(1, 0, 50),
        lambda: left(1, 50, 0),
        lambda: left(1, 50, 5, 0),
        lambda: portions_for(1, 5, 5, 1.0),
        lambda: from_trial(1, 1, 5, 5),
        lambda: from_trial(1, 0, 5, 5),
        lambda: with_clinging(1, 5, [2], 2),
        lambda: ph_to_move("neutral", 1, 1, 1, 1),
        lambda: ph_to_move("acid", 4, 0, 1, 1),
        lambda: base_needed([1], 0.9),
        lambda: to_reach(-1.4, Water(50, 0.05), [], 6.0),
        lambda: to_reach(2, Water(50, 0.05), [], 0.0),
        lambda: ph_of(Water(0.0)),
        lambda: read_paper("universal", "pink"),
        lambda: read_paper("silver", "red"),
        lambda: agent_for(AGENT["sodium-sulfate"], 0, 1, 1),
        lambda: agent_for(AGENT["sodium-sulfate"], 5, 1, -1),
        lambda: flask_for(0),
        lambda: funnel_for(0),
    ],
)
def test_what_cannot_be_is_refused(bad):
    with pytest.raises(Unreadable):
        bad()


ACID = Solute("benzoic acid", "acid", 4.2, 74.0, 0.008)


@given(st.floats(0, 14), st.floats(1, 1000), st.floats(0.5, 10), st.sampled_from(["acid", "base"]))
def test_the_share_of_an_acid_falls_and_of_a_base_rises_with_the_ph(ph, k, pka, acts):
    one = Solute("x", acts, pka, k)
    low, high = one.in_organic(ph, 20, 50), one.in_organic(ph + 0.5, 20, 50)
    assert low >= high if acts == "acid" else low <= high


@given(st.floats(0.1, 1000), st.floats(0, 12), st.floats(5, 100), st.floats(5, 100), st.sampled_from(["acid", "base"]))
def test_the_ph_that_moves_it_moves_it(k, pka, organic, water, acts):
    ph = ph_to_move(acts, pka, k, organic, water)
    one = Solute("x", acts, pka, k)
    if ph is None:
        assert 1 - one.in_organic(7, water, organic) >= 0.99 - 1e-9
    else:
        assert 1 - one.in_organic(ph, water, organic) == pytest.approx(0.99)
        # Two units beyond the pKa is not enough as soon as K·V_org is more than V_aq.
        if k * organic > 2 * water:
            assert abs(ph - pka) > 2


@given(st.floats(-0.3, 0.3), st.floats(0, 0.05), st.floats(0, 60))
def test_more_base_never_lowers_the_ph(strong, more, organic):
    solutes = [ACID, Solute("amine", "base", 9.2, 30.0, 0.004)]
    assert ph_of(Water(50, strong + more), solutes, organic) >= ph_of(Water(50, strong), solutes, organic) - 1e-9


@pytest.mark.parametrize(
    ("water", "solutes", "to", "molar"),
    [
        (Water(45, 0.045), [Solute("c", "acid", 4.44, 0, 0.00675)], 2.0, 6.0),
        (Water(45, -0.135), [Solute("b", "base", 2.5, 0, 0.006)], 9.0, 6.0),
        (Water(60, 0.036, 0.036), [ACID], 2.0, 3.0),
        (Water(30, 0.01), [ACID], 3.0, 1.0),
    ],
)
def test_acid_to_a_ph_arrives_there(water, solutes, to, molar):
    found = to_reach(to, water, solutes, molar)
    sign = -1 if to < ph_of(water, solutes) else 1
    after = Water(water.volume + found.volume, water.strong + sign * found.mol, water.carbonate)
    assert ph_of(after, solutes) == pytest.approx(to, abs=1e-6)
    assert sum(found.portions) == pytest.approx(found.volume, abs=0.05)
    assert found.volume == pytest.approx(1000 * found.mol / molar)
    assert found.gas > 500 if water.carbonate else found.gas == 0


@pytest.mark.parametrize(
    ("water", "solutes", "warmer"),
    [
        (Water(100, 0.1), [], 11.5),  # 0.1 mol of hydroxide: 5.6 kJ in 117 g
        (Water(100, 0.05, 0.05), [], 0.0),  # hydrogencarbonate foams and does not warm
        (Water(100, 0.1), [Solute("c", "acid", 4.44, 0, 0.1)], 0.0),  # a carboxylate only takes its proton back
    ],
)
def test_only_free_hydroxide_warms(water, solutes, warmer):
    assert to_reach(7.0 if warmer else 2.0, water, solutes, 6.0).warmer == pytest.approx(warmer, abs=0.1)


def test_gas_leaves_above_what_water_holds():
    assert gas_of(Water(100, 0.0, 0.002), 2.0) == 0
    assert gas_of(Water(100, 0.0, 0.05), 2.0) == pytest.approx(24_000 * (0.05 - 0.0034), rel=0.01)


@pytest.mark.parametrize(
    ("acts", "pka", "k", "formula", "fits"),
    [
        ("acid", 4.2, 74, "NaHCO3", True),
        ("acid", 9.9, 30, "NaOH", True),
        ("base", 9.2, 30, "HCl", True),
        ("base", -2.0, 100, "HCl", False),
        ("neutral", None, 100, None, True),
    ],
)
def test_each_kind_gets_its_reagent(acts, pka, k, formula, fits):
    chosen = reagent_for(acts, pka, k, 50, 15)
    assert (chosen.formula if chosen else None) == formula
    assert chosen is None or chosen.fits == fits


def test_reagents_bring_their_charge():
    assert reagent("Na2CO3", 0.1, 50) == Water(50, 0.2, 0.1)
    assert reagent("NaCl", 0.1, 50) is None
    half = (reagent("NaOH", 0.1, 50) + Water(50, -0.02)).part(0.5)
    assert (half.volume, half.strong) == (50, pytest.approx(0.04))
    # The second step of sulfuric acid is weak: half of it is used up near its own pKa.
    sulfuric = reagent("H2SO4", 0.01, 100)
    assert 0.8 < ph_of(sulfuric) < 1.0


def test_papers_cover_the_scale_without_gaps():
    for colours in PAPERS.values():
        assert all(a.high == b.low for a, b in itertools.pairwise(colours))
    assert read_paper("litmus", "Blue").low == 8
    assert in_portions(0.03) == ()


@pytest.mark.parametrize(
    ("typed", "name", "volume", "density"),
    [
        ("ether 50 mL", "diethyl ether", 50, 0.713),
        ("3 M HCl 15 mL", "3 M HCl", 15, 1.049),
        ("brine: 0.02 L", "brine", 20, 1.197),
        ("my oil 0.87 g/mL 20", "my oil", 20, 0.87),
    ],
)
def test_liquids_as_people_write_them(typed, name, volume, density):
    known = {"ether": ETHER, "brine": Liquid("brine", "aqueous", 1.197)}
    liquid, ml = read_liquid(typed, known.get, lambda text: text)
    assert (liquid.name, ml, round(liquid.density, 3)) == (name, pytest.approx(volume), density)


@pytest.mark.parametrize("typed", ["ether", "fog 20 mL", "ether 0 mL", "3 M Xx 5 mL", ""])
def test_what_is_no_liquid_is_refused(typed):
    with pytest.raises(Unreadable):
        read_liquid(typed, {"ether": ETHER}.get, lambda text: text)


KNOWN = {
    "benzoic acid": Part("benzoic acid", "C7H6O2", 1.0, "acid", 4.2, 1.87),
    "lost": Part("lost", "C7H8", 1.0, "neutral"),
}


@pytest.mark.parametrize(
    ("typed", "expected"),
    [
        ("benzoic acid 0.50 g", ("benzoic acid", 0.5, "acid", 4.2, 1.87)),
        ("benzoic acid", ("benzoic acid", 1.0, "acid", 4.2, 1.87)),
        ("my amine base pKa 9.2 logP 1.5 200 mg", ("my amine", 0.2, "base", 9.2, 1.5)),
        ("weak one base pKa -1.5, K = 100", ("weak one", 1.0, "base", -1.5, 2.0)),
        ("wax neutral logP 5", ("wax", 1.0, "neutral", None, 5.0)),
    ],
)
def test_components_as_people_write_them(typed, expected):
    part = read_part(typed, KNOWN.get)
    assert (part.name, part.grams, part.acts, part.pka, part.log_k) == expected


@pytest.mark.parametrize(
    ("typed", "says"),
    [
        ("my acid", "my: enter its pKa, such as my acid pKa"),
        ("wax neutral", "log P"),
        ("phenol pKa 9.9 logP 1", "phenol: add the word acid, or base if the pKa is that of the"),
        ("benzoic acid 0 g", "above 0"),
        ("wax neutral K = 0", "wax: enter a K above"),
        ("1.0 g", "Enter the component, such as benzoic acid"),
    ],
)
def test_what_is_missing_is_asked_for(typed, says):
    with pytest.raises(Unreadable, match=says):
        read_part(typed, KNOWN.get)


def test_drying_agents():
    wet = agent_for(AGENT["sodium-sulfate"], 60, 0.71, 1.3)
    after_brine = agent_for(AGENT["sodium-sulfate"], 60, 0.71, 1.3, brine=True)
    assert after_brine.agent < wet.agent
    # Brine takes a quarter of what is dissolved, not most of it: its water activity is 0.75.
    assert after_brine.dissolved == pytest.approx(0.753 * wet.dissolved)
    assert not wet.a_lot and agent_for(AGENT["calcium-sulfate"], 60, 0.71, 1.3).a_lot
    assert sum(wet.portions) == pytest.approx(wet.agent, abs=0.1)
    assert agent_for(AGENT["calcium-sulfate"], 60, 0.71, 1.3).agent > 15 * wet.agent
    assert agent_named("Sodium sulfate, anhydrous").key == "sodium-sulfate"
    assert agent_named("MgSO4").key == "magnesium-sulfate"
    assert agent_named("sand") is None


def test_time_counts_while_it_boils():
    at = [NOON + timedelta(minutes=m) for m in (0, 20, 25, 45)]
    clock = boiled([(at[0], True), (at[1], False), (at[2], True), (at[3], False)])
    assert (clock.minutes, clock.stretches, clock.broken, clock.since) == (40, 2, 5, None)
    assert boiled([(at[0], True), (at[1], True)], at[2]).minutes == 25
    assert boiled([(at[0], False)]).minutes == 0
    assert [flask_for(v) for v in (6, 33, 34, 66, 67)] == [10, 50, 100, 100, 250]
    assert flask_for(5000) is None
