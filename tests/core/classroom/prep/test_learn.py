"""Step times from earlier runs, and what they do to the period."""

import math
from datetime import UTC, datetime, timedelta

import pytest

from helvor.core.classroom.prep.learn import ENOUGH, learn, times_of
from helvor.core.classroom.prep.period import Setting, overnight, simulate
from helvor.core.record.procedure import Procedure, Step

START = datetime(2026, 11, 24, 14, tzinfo=UTC)
PLAN = Procedure(
    title="Two steps",
    steps=(
        Step(id="s1", kind="weigh", gives=("a",), hands=4, kit=("balance",)),
        Step(id="s2", kind="stir", on="a", hands=2, waits=5),
        Step(id="s3", kind="dry", on="a", hands=2, waits=600, place="oven"),
    ),
)


def marks(*minutes):
    """Steps marked done at these minutes, in the order of the plan."""
    return [(f"s{n}", START + timedelta(minutes=m)) for n, m in enumerate(minutes, start=1)]


def test_minutes_between_marks_less_what_the_step_waits():
    known = learn(PLAN, [marks(5, 5 + 5 + spent) for spent in (3, 4, 4, 4, 5, 6)])
    assert known["s2"].minutes == pytest.approx(4)
    assert known["s2"].runs == ENOUGH and known["s2"].enough
    assert known["s2"].spread == pytest.approx(1.4826 * math.log(5 / 4) / 2, rel=0.6)
    assert "s1" not in known, "nothing is marked before the first"


@pytest.mark.parametrize(
    "gap",
    [0.1, 5.2, 200.0, 5 + 10.5],
    ids=["in a heap", "used for something else", "a break", "five times the handout's"],
)
def test_gaps_that_tell_nothing_are_left_out(gap):
    assert "s2" not in learn(PLAN, [marks(5, 5 + gap)])


def test_too_few_runs_leave_the_handout_in_place():
    assert times_of(learn(PLAN, [marks(5, 14)] * (ENOUGH - 1))) == {}
    assert set(times_of(learn(PLAN, [marks(5, 14)] * ENOUGH))) == {"s2"}


def test_a_step_that_the_procedure_no_longer_has_is_passed_over():
    assert learn(PLAN, [[("s1", START), ("gone", START + timedelta(minutes=9))]]) == {}


def test_learned_times_stand_in_for_the_handouts():
    guess = simulate(PLAN, 1, Setting(1, 165, {}, talk=0, clean_up=0), runs=1)
    known = simulate(PLAN, 1, Setting(1, 165, {}, talk=0, clean_up=0, times={"s1": (30.0, 0.1)}), runs=1)
    assert known.alone - guess.alone == pytest.approx(26)


def test_what_waits_in_the_oven_at_the_end_stays_over_and_does_not_hold_the_bench():
    fit = simulate(PLAN, 1, Setting(3, 165, {"balance": 1, "oven": 4}), runs=5)
    assert fit.median < 60
    stays = overnight(PLAN, 1, fit)
    assert [(s.number, s.kind, s.place, s.benches) for s in stays] == [(3, "dry", "oven", 3)]
    assert 400 < stays[0].minutes < 600


def test_every_second_bench_can_take_the_branches_the_other_way_round():
    plan = Procedure(
        title="Two branches",
        steps=(
            Step(id="s1", kind="divide", gives=("a", "b"), hands=1),
            Step(id="s2", kind="weigh", on="a", hands=10),
            Step(id="s3", kind="stir", on="b", hands=10),
        ),
    )
    fit = simulate(plan, 1, Setting(4, 165, {}, turned=True), runs=1)
    orders = [[plan.steps[block.step].id for block in lane] for lane in fit.lanes]
    assert orders == [["s1", "s2", "s3"], ["s1", "s3", "s2"]] * 2
    assert {
        tuple(plan.steps[b.step].id for b in lane) for lane in simulate(plan, 1, Setting(4, 165, {}), runs=1).lanes
    } == {("s1", "s2", "s3")}
