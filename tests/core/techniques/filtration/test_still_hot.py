"""Weighed too soon after heat, and dried too near the melting point: known from times and steps, wired by nobody."""

import pytest

from helvor.core.engine.plan.check_plan import check_plan
from helvor.core.engine.run.entries import SubstanceAdded
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


@pytest.mark.parametrize(
    ("says", "minutes", "hot"),
    [
        ((OVEN, GROSS), 4, True),
        (("done 3", GROSS), 4, True),
        ((OVEN, "done 3", "done 4", GROSS), 4, False),
        ((OVEN, "note cooled in the desiccator", GROSS), 4, False),
        ((OVEN, "timer 10 cool", GROSS), 12, False),
        ((OVEN, GROSS), 15, False),
        ((OVEN, "dish crystals wet 32.2"), 4, False),
        ((GROSS,), 4, False),
    ],
)
def test_a_hot_object_is_known_from_times_and_steps(says, minutes, hot):
    assert ("weighed-too-soon" in found(*says, minutes=minutes)) == hot


def test_the_melting_point_of_the_only_solid_is_known_in_plan_and_run():
    advice = {one.finding.code: one.finding for one in check_plan(LOW, HouseRules(), TECHNIQUES)}
    assert "crude melts at 74 °C" in advice["too-hot"].what and advice["too-hot"].do == "Dry at 54 °C at most."
    assert "dried-too-hot" in found(Drying(step="s3", portion="crystals", place="oven", celsius=60))


def test_in_a_blank_run_what_was_taken_is_what_lies_in_the_oven():
    solid = SubstanceAdded(substance=Substance(name="benzophenone", melts=48.0))
    drying = Drying(portion="crystals", place="oven", celsius=60)
    says = (solid, "take benzophenone 2.0 g", "dish crystals wet 32.0", drying)
    assert "dried-too-hot" in codes(sheet_of("dish 30.0", *says))
