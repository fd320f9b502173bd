"""Steam distillation, as a house would bring it: one kind of step, one parameter, one reading, one rule, one sum."""

from typing import Annotated, Literal

from pydantic import BaseModel, Field

from helvor.core.engine.figure import Figure
from helvor.core.engine.plan.check_plan import Advice
from helvor.core.engine.technique import Cause, Check, Technique
from helvor.core.quantities.reading import Unreadable, parse_number
from helvor.core.record.entry import Payload
from helvor.core.record.finding import Finding
from helvor.core.record.parameters import Asked, Parameters
from helvor.core.record.step_kinds import Output, StepKind
from helvor.core.record.typed_line import Understood

KIND = "steam distil"


class OfSteam(Parameters):
    """mL of distillate that are collected."""

    collect: Annotated[
        Annotated[float, Field(gt=0, le=2000)] | None,
        Asked("Distillate to collect", "mL", words="collect {}", grows="amount"),
    ] = None


class Collected(Payload):
    """What came over, mL, and the temperature of the vapour, °C."""

    kind: Literal["steam-collected"] = "steam-collected"
    step: str = ""
    collected: float = Field(gt=0, le=5000)
    celsius: float | None = None


class CodistilledIn(BaseModel):
    """Vapour pressures of oil and water at the boil, kPa, and the oil's molar mass, g/mol."""

    oil_kpa: float = Field(gt=0)
    water_kpa: float = Field(gt=0)
    oil_molar: float = Field(gt=0)


class CodistilledOut(BaseModel):
    """g of oil that come over with each g of water."""

    oil_per_water: float


def codistilled(asked: CodistilledIn) -> CodistilledOut:
    """Each gas comes over as its part of the pressure: m(oil)/m(water) = p(oil)·M(oil) / (p(water)·18.015)."""
    return CodistilledOut(oil_per_water=asked.oil_kpa * asked.oil_molar / (asked.water_kpa * 18.015))


def _read(words: list[str], run: object, step: str) -> Understood:
    if not words:
        raise Unreadable("Enter the volume, such as steam 40.")
    volume = parse_number(words[0])[0]
    return Understood(Collected(step=step, collected=volume), f"collected *{volume:g} mL*")


def _too_little(case):
    for step in case.run.procedure.steps:
        wanted = OfSteam.of(step).collect
        got = sum(said.collected for _, said in case.run.of(Collected) if said.step == step.id)
        if wanted and step.id in case.run.done and got < wanted:
            yield Finding(
                "too-little-steam",
                "caution",
                f"{got:g} mL collected; {wanted:g} mL were planned.",
                "Some of the oil is still in the flask.",
                "Go on until the drops are clear.",
                about=step.id,
            )


def _left_behind(case):
    if any(finding.code == "too-little-steam" for finding in _too_little(case)):
        yield Cause("left-in-the-flask", "loss", "Oil stayed in the flask.", ("little was collected",), 0.9)


def _no_volume(plan):
    for moment in plan.moments:
        if moment.step.kind == KIND and OfSteam.of(moment.step).collect is None:
            found = Finding("steam-until-when", "note", f"Step {moment.number} does not say how much to collect.")
            yield Advice(found, moment.step.id)


TECHNIQUE = Technique(
    key="steam",
    title="Steam distillation",
    step_kinds=(
        StepKind(
            KIND,
            "Separate",
            "steam",
            "Distil with steam until the drops are clear",
            hands=10,
            waits=40,
            kit=("steam still",),
            heats=True,
            outputs=(Output("distillate", "liquid"), Output("residue", "solid")),
            parameters=OfSteam,
            example="steam 40",
            caution="Hot steam burns; never let the still boil dry.",
            icon="M8 26h16M12 26V10q4-6 8 0v16",
        ),
    ),
    payloads=(Collected,),
    checks={KIND: (Check("water", "water runs through the condenser", "else vapour escapes", safety=True),)},
    describe=lambda said: f"collected {said.collected:g} mL",
    figures=lambda said: (Figure("distillate collected", said.collected, "mL"),),
    rules=(_too_little,),
    causes=(_left_behind,),
    plan_rules=(_no_volume,),
    commands={"steam": _read},
)
