"""Weighed too soon after heat, and dried too near the melting point: known from times and steps, wired by nobody."""

import pytest

from helvor.core.engine.plan.check_plan import check_plan
from helvor.core.engine.run.entries import SubstanceAdded, TimerSet
from helvor.core.record.house_rules import HouseRules
from helvor.core.record.procedure import Procedure, Step, Substance
from helvor.core.techniques.filtration.entries import Drying
from helvor.core.techniques.registered import TECHNIQUES
from tests.core.runs import codes, sheet_of

LOW = Procedure(
    title="x",
    substances=[
        {"name": "crude", "amount": "2 g", "role": "sample", "melts": 74.0},
        {"name": "water", "amount": "40 mL", "role": "solvent"},
    ],
    steps=[
        Step(id="s1", kind="dissolve hot", adds=("crude", "water"), gives=("solution",)),
        Step(id="s2", kind="vacuum filter", takes=("solution",), gives=("liquor", "crystals")),
        Step(id="s3", kind="dry", on="crystals", celsius=60, place="oven", container=("dish",)),
        Step(id="s4", kind="cool", on="crystals"),
        Step(id="s5", kind="weigh", on="crystals", container=("dish",)),
    ],
)
OVEN = Drying(step="s3", portion="crystals", place="oven", celsius=45)
GROSS = "dish crystals dried 31.2"


def found(*says, minutes=4, procedure=LOW):
    return codes(sheet_of("dish 30.0", *says, procedure=procedure, minutes=minutes))


PLANNED = LOW.model_copy(update={"steps": tuple(s.model_copy(update={"waits": 30}) for s in LOW.steps)})


@pytest.mark.parametrize(
    ("says", "minutes", "level"),
    [
        # Known from the time it went in, the step that was done, a heat that nobody ended.
        ((OVEN, GROSS), 4, "caution"),
        (("done 3", GROSS), 4, "caution"),
        (("done 3", GROSS), 15, "caution"),
        (("done 3", GROSS), 25, ""),
        # It went in 55 min ago; that is not when it came out.
        ((OVEN, GROSS), 55, "note"),
        ((OVEN, "done 3", GROSS), 15, "caution"),
        ((OVEN, "done 3", GROSS), 25, ""),
        ((OVEN, GROSS), 60 * 20, ""),
        # Cooled, in a step, in words, by a timer.
        ((OVEN, "done 3", "done 4", GROSS), 4, ""),
        ((OVEN, "note cooled in the desiccator", GROSS), 4, ""),
        ((OVEN, "note left to cool to room temperature", GROSS), 4, ""),
        ((OVEN, "timer 10 cool", GROSS), 12, ""),
        ((OVEN, "timer 10 cool", GROSS), 4, "caution"),
        # Words that only sound like it.
        ((OVEN, "note did not cool", GROSS), 4, "caution"),
        ((OVEN, "note it was still cooling", GROSS), 4, "caution"),
        ((OVEN, "note washed ice-cold, cooled in ice", GROSS), 4, "caution"),
        ((OVEN, "note desiccator is empty of silica", GROSS), 4, "caution"),
        ((OVEN, "note the liquor cooled", GROSS), 4, "caution"),
        ((OVEN, "note not hot; cooled", GROSS), 4, ""),
        ((OVEN, "dish crystals wet 32.2"), 4, ""),
        ((GROSS,), 4, ""),
    ],
)
def test_a_hot_object_is_known_from_times_and_steps(says, minutes, level):
    sheet = sheet_of("dish 30.0", *says, procedure=LOW, minutes=minutes)
    assert [one.level for one in sheet.findings if one.code == "weighed-too-soon"] == [level] * bool(level)


@pytest.mark.parametrize(("minutes", "level"), [(20, "caution"), (45, "caution"), (55, "")])
def test_minutes_that_a_step_plans_or_a_timer_counts_say_when_it_was_out(minutes, level):
    timer = TimerSet(label="oven", minutes=30, step="s3")
    for says, procedure in (((OVEN, GROSS), PLANNED), ((OVEN, timer, GROSS), LOW)):
        sheet = sheet_of("dish 30.0", *says, procedure=procedure, minutes=minutes)
        assert [one.level for one in sheet.findings if one.code == "weighed-too-soon"] == [level] * bool(level)


def test_the_melting_point_of_the_only_solid_is_known_in_plan_and_run():
    advice = {one.finding.code: one.finding for one in check_plan(LOW, HouseRules(), TECHNIQUES)}
    assert "crude melts at 74 °C" in advice["too-hot"].what and advice["too-hot"].do == "Dry at 54 °C at most."
    assert "dried-too-hot" in found(Drying(step="s3", portion="crystals", place="oven", celsius=60))


def test_in_a_blank_run_what_was_taken_is_what_lies_in_the_oven():
    solid = SubstanceAdded(substance=Substance(name="benzophenone", melts=48.0))
    drying = Drying(portion="crystals", place="oven", celsius=60)
    says = (solid, "take benzophenone 2.0 g", "dish crystals wet 32.0", drying)
    assert "dried-too-hot" in codes(sheet_of("dish 30.0", *says))
