"""Procedures judged before anybody starts, and laid out in time."""

import itertools

import pytest

from helvor.core.engine.plan.amounts import class_amount, factor_for
from helvor.core.engine.plan.branches import branches
from helvor.core.engine.plan.check_plan import check_plan
from helvor.core.engine.plan.edit import insert_step, move_step, remove_step
from helvor.core.engine.plan.timeline import timeline
from helvor.core.laws.spare import SPARE
from helvor.core.quantities.reading import Unreadable, parse_amount
from helvor.core.record.house_rules import HouseRules
from helvor.core.record.procedure import Procedure, Step, Substance
from helvor.core.techniques.registered import TECHNIQUES
from helvor.shelf.procedures import shipped_procedure
from tests.core.runs import CHALK, POWDER

TABLET = shipped_procedure("inside-the-tablet")


def found(procedure, rules=None):
    return check_plan(procedure, rules or HouseRules(), TECHNIQUES)


def codes(procedure, rules=None):
    return {advice.finding.code for advice in found(procedure, rules)}


def with_step(procedure, step_id, **changes):
    steps = [s.model_copy(update=changes) if s.id == step_id else s for s in procedure.steps]
    return procedure.model_copy(update={"steps": tuple(steps)})


def with_substance(procedure, name, **changes):
    parts = [s.model_copy(update=changes) if s.name == name else s for s in procedure.substances]
    return procedure.model_copy(update={"substances": tuple(parts)})


@pytest.mark.parametrize("procedure", [POWDER, CHALK, TABLET], ids=lambda p: p.title)
def test_what_ships_is_in_order(procedure):
    assert found(procedure) == []


LAYER = move_step(CHALK, "s12", 8)
"""The liquor thrown away before the chalk is weighed."""


@pytest.mark.parametrize(
    ("code", "procedure"),
    [
        ("tare-never-weighed", remove_step(POWDER, "s1")),
        ("tare-never-weighed", with_step(POWDER, "s14", container=("beaker", "watch glass", "paper"))),
        ("discarded-early", LAYER),
        ("hot-on-balance", remove_step(POWDER, "s4")),
        ("too-hot", with_step(with_step(POWDER, "s10", container=("dish", "paper"), celsius=130.0), "s6", empty=True)),
        ("too-hot", with_step(POWDER, "s10", container=("plastic boat",))),
        ("too-hot", with_step(with_substance(CHALK, "calcium chloride dihydrate", melts=120.0), "s9", celsius=110.0)),
        ("vessel-full", with_step(CHALK, "s6", volume=60.0)),
        ("no-waste-stream", with_step(CHALK, "s12", waste="")),
        (
            "wrong-waste",
            with_step(with_substance(CHALK, "sodium carbonate", waste="oxidizing"), "s12", waste="solvents"),
        ),
        ("bad-equation", CHALK.model_copy(update={"equation": "CaCl2 + Na2CO3 -> CaCO3 + NaCl"})),
        (
            "no-limiting",
            with_substance(
                with_substance(CHALK, "sodium carbonate", amount=None), "calcium chloride dihydrate", amount=None
            ),
        ),
        ("reagent-about", with_substance(CHALK, "sodium carbonate", exact=False)),
        ("no-product", CHALK.model_copy(update={"portions": ()})),
        ("flammable-oven", remove_step(TABLET, "s7")),
        ("too-long", CHALK.model_copy(update={"period": 30})),
        ("loose-end", remove_step(POWDER, "s3")),
        ("unknown-kind", with_step(POWDER, "s4", kind="chant")),
    ],
)
def test_what_brings_advice(code, procedure):
    assert code in codes(procedure)


@pytest.mark.parametrize(
    ("procedure", "code", "says"),
    [
        (remove_step(POWDER, "s1"), "tare-never-weighed", "Weigh the dish, empty and dry"),
        (remove_step(POWDER, "s4"), "hot-on-balance", "Let cool to room temperature"),
        (remove_step(TABLET, "s7"), "flammable-oven", "Let it stand in the hood until it looks dry"),
    ],
)
def test_one_press_settles_it(procedure, code, says):
    advice = next(a for a in found(procedure) if a.finding.code == code)
    assert advice.fix.says == says
    at = next(i for i, step in enumerate(procedure.steps) if step.id == advice.step)
    assert code not in codes(insert_step(procedure, advice.fix, at))


def test_a_house_that_throws_layers_away_hears_of_it_in_a_note():
    [early] = [
        a for a in found(LAYER, HouseRules({"throwing-layers": "discard"})) if a.finding.code == "discarded-early"
    ]
    assert early.finding.level == "note"


def test_stops_come_first():
    levels = [a.finding.level for a in found(remove_step(remove_step(TABLET, "s7"), "s3"))]
    assert levels[0] == "stop"
    assert "caution" in levels


def step(number, kind="wait", **more):
    return Step(id=f"s{number}", kind=kind, **more)


def test_waiting_lets_the_hands_go_on_with_another_branch():
    """Two solids dry side by side: 5 + 30 and 5 + 20 take 35, not 60."""
    branches = Procedure(
        title="Two",
        substances=(Substance(name="a"), Substance(name="b")),
        steps=(
            step(1, gives=("a",), hands=5, waits=30),
            step(2, gives=("b",), hands=5, waits=20),
            step(3, "combine", takes=("a", "b"), gives=("c",), hands=3, waits=0),
        ),
    )
    (meeting,) = timeline(branches)
    assert (meeting.hands, meeting.idle, meeting.ends) == (13, 25, 38)
    line = branches.model_copy(
        update={"steps": (branches.steps[0], step(2, on="a", hands=5, waits=20), step(3, on="a", hands=3, waits=0))}
    )
    assert timeline(line)[0].ends == 63


def test_hands_do_one_thing_at_a_time_and_nothing_before_its_portion():
    for procedure in (POWDER, CHALK, TABLET):
        for meeting in timeline(procedure):
            blocks = sorted(meeting.blocks, key=lambda b: b.starts)
            assert len(blocks) == sum(s.meeting == meeting.meeting and s.doer == "bench" for s in procedure.steps)
            for earlier, later in itertools.pairwise(blocks):
                assert later.starts >= earlier.hands_until
            done = {name: b.ends for b in blocks for name in b.step.gives}
            for block in blocks:
                assert all(block.starts >= done.get(name, 0) for name in block.step.takes)


def test_what_the_stockroom_does_is_not_the_benchs_time():
    given_out = with_step(POWDER, "s1", doer="stockroom")
    assert timeline(given_out)[0].hands == timeline(POWDER)[0].hands - 4


def test_work_side_by_side_stands_on_branches():
    found = branches(POWDER.steps)
    place = {step.id: branch for step, branch in zip(POWDER.steps, found, strict=True)}
    assert place["s3"] == place["s8"] == 0
    assert place["s9"] != place["s10"], "salt solution and beads go on side by side"
    assert place["s10"] == place["s12"]
    assert place["s9"] == place["s14"]
    assert set(branches(CHALK.steps)) == {0, 1}
    assert branches([]) == []


def test_a_class_needs_its_benches_and_some_to_spare():
    powder = class_amount(POWDER.substances[0], 12)
    assert (powder.benches, powder.unit) == (36.0, "g")
    assert powder.total == pytest.approx(36.0 * (1 + SPARE), abs=0.01)
    assert powder.spare == pytest.approx(powder.total - 36.0)
    assert class_amount(Substance(name="salt"), 12) is None


def test_the_factor_for_a_wanted_amount():
    assert factor_for(POWDER, "mixed powder", parse_amount("1.50 g")) == pytest.approx(0.5)
    for name, wanted in (("mixed powder", "3 mL"), ("gold", "3 g"), ("mixed powder", "0 g")):
        with pytest.raises(Unreadable):
            factor_for(POWDER, name, parse_amount(wanted))
