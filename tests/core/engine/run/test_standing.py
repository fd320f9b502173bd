"""What of a run stands about, where, and whether it is labelled."""

import pytest

from helvor.core.engine.run.standing import standing
from helvor.core.record.procedure import Portion, Procedure, Step
from helvor.core.techniques.registered import STEP_KINDS
from tests.core.runs import sheet_of

PLAN = Procedure(
    title="Two portions",
    portions=(Portion(name="vapour", by_loss=True),),
    steps=(
        Step(id="s1", kind="dissolve", gives=("mix",)),
        Step(id="s2", kind="decant", takes=("mix",), gives=("liquid", "solid", "vapour"), container=("beaker",)),
        Step(id="s3", kind="dry", on="solid", container=("dish 3",), place="oven", waits=30),
        Step(id="s4", kind="label", on="solid"),
        Step(id="s5", kind="discard", on="liquid", waste="aqueous"),
    ),
)


@pytest.mark.parametrize(
    ("done", "there"),
    [
        ((), []),
        (("s1",), [("mix", "", "bench", False)]),
        (("s1", "s2"), [("liquid", "beaker", "bench", False), ("solid", "beaker", "bench", False)]),
        (("s1", "s2", "s3"), [("liquid", "beaker", "bench", False), ("solid", "dish 3", "oven", False)]),
        (("s1", "s2", "s3", "s4", "s5"), [("solid", "dish 3", "oven", True)]),
    ],
)
def test_a_portion_stands_from_the_step_that_gives_it_until_it_is_taken_or_leaves(done, there):
    sheet = sheet_of(*(f"done {step[1:]}" for step in done), procedure=PLAN)
    found = standing(sheet.run, STEP_KINDS)
    assert [(s.portion, s.container, s.place, s.labelled) for s in found] == there
    assert sheet.in_room.stands == tuple(there)


def test_timers_and_kit_of_the_step_under_way_are_the_rooms():
    sheet = sheet_of("done 1", "done 2", "timer 20 oven", procedure=PLAN)
    assert [alarm.label for alarm in sheet.in_room.alarms] == ["oven"]
    assert "oven" in sheet.in_room.kit
    assert sheet_of(procedure=PLAN).in_room.kit == ()


def test_putting_away_without_naming_a_portion_means_all_that_are_there():
    plan = PLAN.model_copy(update={"steps": (*PLAN.steps[:2], Step(id="s3", kind="keep"))})
    stands = sheet_of("done 1", "done 2", "done 3", procedure=plan).in_room.stands
    assert [(name, labelled) for name, _, _, labelled in stands] == [("liquid", True), ("solid", True)]
