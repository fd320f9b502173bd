"""A technique that the core has never heard of: what it says of itself carries it through plan, run, words and tables."""

from typing import Literal

import pytest

from helvor.core.engine.figure import Figure
from helvor.core.engine.plan.check_plan import Advice, check_plan
from helvor.core.engine.plan.timeline import timeline
from helvor.core.engine.run.losses import rank
from helvor.core.engine.run.reading_line import understand
from helvor.core.engine.run.readings import readings
from helvor.core.engine.run.work_out import work_out
from helvor.core.engine.technique import Cause, Check, Technique, Techniques, Trial
from helvor.core.quantities.reading import Unreadable, parse_number
from helvor.core.record.entry import Payload
from helvor.core.record.finding import Finding
from helvor.core.record.house_rules import HouseRules
from helvor.core.record.procedure import Portion, Procedure, Step, Substance
from helvor.core.record.step_kinds import StepKind
from helvor.core.record.typed_line import Understood
from tests.core.runs import page_of

MOST = 4000


class Spun(Payload):
    """A tube was spun: revolutions a minute."""

    kind: Literal["spun"] = "spun"
    step: str = ""
    speed: float


def describe(said: Payload) -> str:
    return f"spun at {said.speed:g} /min"


def spun(words, run, step):
    if not words:
        raise Unreadable("Enter the speed, such as spin 3000.")
    return Understood(Spun(step=step, speed=parse_number(words[0])[0]), f"spun at *{words[0]}* /min")


def too_fast(case):
    for _, said in case.run.of(Spun):
        if said.speed > MOST:
            yield Finding(
                "too-fast", "stop", f"Spun at {said.speed:g} /min.", "The tubes break.", f"At most {MOST} /min."
            )


def stirred_up(case):
    if any(said.speed < 500 for _, said in case.run.of(Spun)):
        yield Cause("stirred-up", "loss", "Spun too slowly: solid went off with the liquid.", ("spun slowly",), 0.9)


def unbalanced(plan):
    for moment in plan.moments:
        if moment.step.kind == "spin" and "balance tube" not in moment.step.kit:
            found = Finding("unbalanced", "stop", f"Step {moment.number} has no balance tube.", "It walks.", "Add one.")
            yield Advice(found, moment.step.id)


SPIN = Technique(
    key="centrifuge",
    title="Centrifuge",
    step_kinds=(StepKind("spin", "Separate", "Spin", "Spin the tubes", hands=2, waits=9),),
    payloads=(Spun,),
    checks={"spin": (Check("opposite", "tubes opposite each other", "else it walks"),)},
    trials={"spin": (Trial("clear", "The liquid is clear", "clear", "cloudy", "whether all is down"),)},
    describe=describe,
    figures=lambda said: (Figure("speed", said.speed, "/min"),),
    rules=(too_fast,),
    causes=(stirred_up,),
    plan_rules=(unbalanced,),
    commands={"spin": spun},
)
ALL = Techniques((SPIN,))
PROCEDURE = Procedure(
    title="Mud",
    substances=[Substance(name="mud", role="sample", amount="2.00 g")],
    portions=[Portion(name="solid", end="product")],
    steps=[
        Step(id="s1", kind="weigh", gives=("mud in tube",), adds=("mud",)),
        Step(id="s2", kind="spin", takes=("mud in tube",), gives=("liquid", "solid")),
    ],
)


def page(*lines):
    entries = page_of(procedure=PROCEDURE)
    for line in lines:
        said = understand(line, entries, "s2", ALL).payload
        entries = page_of(*(entry.payload for entry in entries[1:]), said, procedure=PROCEDURE)
    return entries


def test_the_builder_and_the_timeline_know_its_kind_of_step():
    assert ALL.kinds["spin"].title == "Spin"
    assert [check.words for check in ALL.checks("spin")] == ["tubes opposite each other"]
    assert "opposite" in [check.key for check, _ in work_out(page(), None, ALL).steps[1].checks]
    assert timeline(PROCEDURE)


def test_its_rules_speak_of_a_plan_and_of_a_run():
    assert "unbalanced" in [advice.finding.code for advice in check_plan(PROCEDURE, HouseRules(), ALL)]
    assert "too-fast" not in [found.code for found in work_out(page("spin 3000"), None, ALL).findings]
    assert "too-fast" in [found.code for found in work_out(page("spin 5000"), None, ALL).findings]


def test_its_causes_are_ranked_among_the_others():
    sheet = work_out(page("spin 300"), None, ALL)
    assert [one.cause.code for one in rank(sheet.case, ALL)][:1] == ["stirred-up"]


def test_its_words_are_understood_refused_and_shown():
    assert ALL.describe(page("spin 3000")[-1].payload) == "spun at 3000 /min"
    with pytest.raises(Unreadable, match="Enter the speed"):
        understand("spin", page(), "s2", ALL)


def test_its_readings_reach_every_table():
    rows = [row for row in readings(work_out(page("spin 3000"), None, ALL).run, ALL) if row.kind == "spun"]
    assert [(row.step, row.figure.quantity, row.figure.value, row.figure.unit) for row in rows] == [
        (2, "speed", 3000.0, "/min")
    ]
