"""A virtual plate: its laws against their closed forms and a simulation, and the consequences of choices."""

import math
import random
import statistics
from dataclasses import replace

import pytest
from hypothesis import given
from hypothesis import strategies as st

from helvor.core.laws.planar.arrival import rise
from helvor.core.laws.planar.rf import r_m
from helvor.core.laws.planar.tune import Point, fit
from helvor.core.practice.virtual_plate import (
    COMPOUNDS,
    DOT,
    GOALS,
    HEIGHT,
    LAYERS,
    ORIGIN,
    Goal,
    Setting,
    check_goal,
    develop,
    reachable,
    true_rf,
)
from helvor.core.quantities.reading import Estimate, Unreadable

SETTINGS = st.builds(
    Setting,
    compounds=st.sampled_from([("caffeine", "aspirin"), ("benzocaine",), ("vanillin", "biphenyl", "paracetamol")]),
    strong=st.floats(1, 90),
    acid=st.floats(0, 10),
    level=st.floats(1, 9.5),
    touches=st.integers(1, 12),
    lined=st.booleans(),
    seed=st.integers(0, 10**6),
)
GOOD = Setting(("caffeine", "aspirin"), 80.0, 1.0, seed=4)
AT_THE_LINE = GOOD.minutes_to(80.0)


@given(SETTINGS, st.floats(1, 11))
def test_the_front_is_timed_by_the_law_that_times_it_at_the_bench(setting, minutes):
    """Two readings of a virtual front give back its own κ and arrival (an independent fit)."""
    first, second = setting.front_at(minutes), setting.front_at(2 * minutes)
    if first <= 0:
        return
    found = rise([(minutes, first), (2 * minutes, second)], setting.over_liquid)
    assert found.kappa.value == pytest.approx(setting.kappa)
    assert found.minutes_to(80.0).value == pytest.approx(setting.minutes_to(80.0))


@pytest.mark.parametrize("compound", COMPOUNDS.values(), ids=lambda c: c.name)
def test_rf_follows_the_line_that_tuning_fits(compound):
    points = [Point(phi, Estimate(value=compound.rf(phi), u=0.005)) for phi in (0.2, 0.4, 0.8)]
    line = fit(points, "log")
    assert (line.a, line.m) == (pytest.approx(compound.a), pytest.approx(compound.m))
    assert r_m(Estimate(value=compound.rf(1.0), u=0)).value == pytest.approx(compound.a)
    assert compound.rf(0) == 0


def test_spreading_is_what_molecules_stepping_at_random_come_to():
    """Monte Carlo, apart from the model: 4,000 molecules, each step one plate height or none; mean and variance."""
    rf, front = 0.5, 60.0
    steps = int(front / LAYERS["silica"].plate_height)
    chance = random.Random(11)
    ends = []
    for _ in range(4000):
        # Of the steps of the front a molecule makes each with the probability Rf: a binomial, by its normal limit.
        taken = chance.gauss(steps * rf, math.sqrt(steps * rf * (1 - rf)))
        ends.append(chance.gauss(0, DOT) + taken * LAYERS["silica"].plate_height)
    mean, variance = statistics.fmean(ends), statistics.variance(ends)
    assert mean == pytest.approx(rf * front, rel=0.01)
    # The binomial's H·s·(1 − Rf) lies under the model's H·s, which counts slow exchange too.
    assert DOT**2 < variance <= (DOT**2 + LAYERS["silica"].plate_height * rf * front) * 1.1
    assert variance == pytest.approx(DOT**2 + LAYERS["silica"].plate_height * rf * front * (1 - rf), rel=0.1)


@given(SETTINGS, st.floats(0, 60))
def test_nothing_leaves_the_plate_and_nothing_is_made(setting, minutes):
    plate = develop(setting, minutes)
    wanted = [(label, name) for label, on_it in setting.lanes for name in on_it]
    assert [(s.lane, s.compound) for s in plate.spots] == wanted
    assert all(part == 1.0 for part in plate.left.values())
    for spot in plate.spots:
        assert spot.tail <= spot.centre <= spot.head and spot.width > 0 and 0 < spot.strength <= 1
        assert spot.tail >= -2 * DOT and spot.centre <= HEIGHT - ORIGIN
        if plate.front:
            assert spot.centre <= plate.front


@given(SETTINGS, st.floats(0.1, 11))
def test_the_same_seed_gives_the_same_plate_and_rf_does_not_change_on_the_way(setting, minutes):
    assert develop(setting, minutes) == develop(setting, minutes)
    early, late = develop(setting, minutes), develop(setting, minutes * 1.5)
    if early.front and late.front and early.front > 1:
        for name in setting.compounds:
            assert early.rf_of(name) == pytest.approx(late.rf_of(name), abs=1e-9)


@pytest.mark.parametrize("goal", GOALS, ids=lambda g: g.words)
def test_every_goal_is_met_by_some_eluent_and_missed_by_others(goal):
    names = tuple(name for name, _, _ in goal.windows)
    good = reachable(goal)
    assert good and len(good) < 18
    middle = good[len(good) // 2]
    setting = Setting(names, float(min(middle, 99)), 1.0, seed=2)
    met, said = check_goal(develop(setting, setting.minutes_to(80)), goal)
    assert met and {one.level for one in said} == {"good"}, said


@pytest.mark.parametrize(
    ("change", "minutes", "level", "words"),
    [
        ({}, AT_THE_LINE, "good", "in the target zone"),
        ({"strong": 40.0}, AT_THE_LINE, "caution", "too low"),
        ({"acid": 0.0}, AT_THE_LINE, "caution", "streaks"),
        ({"touches": 8}, AT_THE_LINE, "caution", "overload"),
        ({"level": 10.0}, 5, "caution", "spots dissolved"),
        ({"level": 14.0}, 5, "caution", "spots dissolved"),
        ({}, 40, "caution", "reached the top after"),
        ({"lined": False}, AT_THE_LINE, "note", "not saturated"),
        ({}, 0, "note", "not reached the origin"),
        ({}, 3, "note", "longer distance"),
    ],
)
def test_choices_have_their_consequences(change, minutes, level, words):
    _, said = check_goal(develop(replace(GOOD, **change), minutes), GOALS[0])
    assert any(one.level == level and words in one.what for one in said), said


def test_what_happens_is_on_the_plate_not_only_in_words():
    good, bad = develop(GOOD, AT_THE_LINE), develop(replace(GOOD, acid=0.0), AT_THE_LINE)
    aspirin = [next(s for s in plate.spots if s.compound == "aspirin") for plate in (good, bad)]
    assert aspirin[1].centre - aspirin[1].tail > 3 * (aspirin[0].centre - aspirin[0].tail)
    washed = develop(replace(GOOD, level=12.0), 5)
    assert washed.washed_out and washed.spots == () and set(washed.left.values()) == {0.0}
    late = develop(GOOD, GOOD.minutes_to_top + 20)
    assert late.front is None and late.rf_of("caffeine") is None
    assert late.spots[0].centre > true_rf(GOOD, "caffeine") * (HEIGHT - ORIGIN) * 0.99  # it goes on creeping
    assert true_rf(replace(GOOD, lined=False), "caffeine") > true_rf(GOOD, "caffeine")


@pytest.mark.parametrize(
    ("change", "minutes"),
    [
        ({"strong": 101.0}, 1),
        ({"acid": 20.0}, 1),
        ({"level": 0.0}, 1),
        ({"touches": 0}, 1),
        ({}, -1),
        ({}, 5000),
        ({"compounds": ("water",)}, 1),
        ({"compounds": ()}, 1),
    ],
)
def test_what_no_chamber_can_be_is_refused(change, minutes):
    with pytest.raises(Unreadable):
        develop(replace(GOOD, **change), minutes)


def test_a_goal_in_words():
    assert GOALS[0].words == "Put caffeine between 0.15 and 0.25, with aspirin above 0.50."
    assert Goal((("vanillin", 0.0, 0.2),)).words == "Put vanillin below 0.20."


# ── layers ──────────────────────────────────────────────────────────────────────────────────────


@given(st.sampled_from(sorted(COMPOUNDS)), st.floats(0.05, 0.95), st.floats(0.05, 0.95))
def test_on_reversed_phase_more_methanol_carries_further_and_the_order_is_turned(name, one, other):
    less, more = sorted((one, other))
    compound = COMPOUNDS[name]
    assert compound.rf_on("C18", less) <= compound.rf_on("C18", more)
    assert COMPOUNDS["biphenyl"].rf_on("C18", one) < compound.rf_on("C18", one) or name == "biphenyl"
    assert COMPOUNDS["biphenyl"].rf_on("silica", one) > COMPOUNDS["caffeine"].rf_on("silica", one)


def test_a_layer_spread_by_hand_runs_faster_and_spreads_spots_more():
    ready, spread = (Setting(("caffeine",), 80.0, layer=layer) for layer in ("silica", "spread"))
    assert spread.minutes_to(60) < ready.minutes_to(60)
    narrow, wide = (develop(one, one.minutes_to(60)).spots[0] for one in (ready, spread))
    assert wide.head - wide.tail > narrow.head - narrow.tail
    with pytest.raises(Unreadable, match="Choose a stationary phase: silica, spread, C"):
        Setting(("caffeine",), 80.0, layer="glass").check()


def test_a_plate_without_a_goal_is_judged_by_how_it_was_run():
    met, said = check_goal(develop(Setting(("caffeine",), 80.0, touches=8), 10.0), Goal(()))
    assert met and any("applications" in one.what for one in said)
    assert Goal(()).words == "A plate of your own: no goal."
