"""Which liquid must pass a filter: what wets its paper, and what washes its solid. Common practice, no source."""

from __future__ import annotations

import re
from collections.abc import Iterator

from helvor.core.engine.plan.check_plan import Advice, Plan
from helvor.core.engine.plan.matter import Matter, Moment, moments
from helvor.core.engine.run.case import Case
from helvor.core.hazards.care import Care
from helvor.core.hazards.substances import of_name
from helvor.core.record.finding import Finding, Level
from helvor.core.record.procedure import Procedure
from helvor.core.techniques.filtration.entries import Washed

PAPER_FILTERS = ("gravity filter", "hot filter", "vacuum filter")
_WETS_WITH_WATER = re.compile(
    r"\b(?:wet|wetted|wets|moisten|moistened|dampen|dampened|damp)\b[^.;]*\bwater\b|\bwater\b[^.;]*\bwet[^.;]*\bpaper\b",
    re.IGNORECASE,
)


def must_pass(matter: Matter) -> Care | None:
    """The liquid of which there is most; None where nothing is known of it."""
    if not matter.liquids:
        return None
    name = max(matter.liquids, key=lambda one: matter.liquids[one])
    return matter.cares.get(name)


def is_water(liquid: Care) -> bool:
    """Whether it is water."""
    return liquid.name == "water"


def _organic_here(moment: Moment) -> Care | None:
    """The organic liquid that has to pass a paper in this step, where one has."""
    if moment.step.kind not in PAPER_FILTERS:
        return None
    passes = must_pass(moment.held)
    return passes if passes is not None and not is_water(passes) else None


def wetted_with_water(plan: Plan) -> Iterator[Advice]:
    """A step, or the rule of the house, wets a paper with water that an organic liquid must pass."""
    for moment in plan.moments:
        organic = _organic_here(moment)
        if organic is None:
            continue
        said = _WETS_WITH_WATER.search(moment.words) is not None
        if not said and plan.rules["wetting-paper"].key != "water":
            continue
        what = f"Step {moment.number} wets the paper with water, but {organic.shown} must pass it."
        if not said:
            what = (
                "The house rule wets papers with water, organic liquids excepted: "
                f"in step {moment.number} {organic.shown} must pass."
            )
        yield Advice(_wetted(what, organic, moment.step.id, "caution" if said else "note"), moment.step.id)


def _wetted(what: str, organic: Care, about: str, level: Level) -> Finding:
    because = (
        "It runs into the filtrate and may throw out what is dissolved."
        if organic.mixes
        else "It does not mix with water, so a wet paper holds it back, and water gets into the filtrate."
    )
    return Finding(
        "wetted-with-water",
        level,
        what,
        because,
        f"Wet it with {organic.shown}.",
        about=about,
    )


def wetted_with_water_here(case: Case) -> Iterator[Finding]:
    """The bench noted that it wetted a paper with water that an organic liquid must pass."""
    wet = {said.step for _, said in case.run.notes if said.step and _WETS_WITH_WATER.search(said.words)}
    if not wet:
        return
    for moment in moments(case.run.procedure, case.kinds):
        organic = _organic_here(moment) if moment.step.id in wet else None
        if organic is not None:
            yield _wetted(
                f"The paper of step {moment.number} was wetted with water, but {organic.shown} must pass it.",
                organic,
                moment.step.id,
                "caution",
            )


def washed_with_another(case: Case) -> Iterator[Finding]:
    """Crystals from one liquid were washed with another: does it mix with it, does it dissolve them?"""
    washes = [said for _, said in case.run.of(Washed)]
    if not washes:
        return
    held = {moment.step.id: moment for moment in moments(case.run.procedure, case.kinds)}
    for said in washes:
        moment = held.get(said.step)
        finding = moment and _another(case.run.procedure, moment, said.liquid, said.dissolves)
        if finding:
            yield finding


def _another(procedure: Procedure, moment: Moment, liquid: str, dissolves: float | None) -> Finding | None:
    wet_with, washes = must_pass(moment.held), of_name(procedure, liquid)
    if wet_with is None or washes is None or not washes.liquid or wet_with.name == washes.name:
        return None
    solid = moment.step.on or next(iter(moment.step.takes), "the solid")
    if is_water(wet_with) and washes.mixes:
        return None  # a last rinse with alcohol or acetone takes the water off: usual
    mixes = washes.mixes if is_water(wet_with) else wet_with.mixes if is_water(washes) else True
    if mixes is False:
        return Finding(
            "wash-does-not-mix",
            "caution",
            f"{solid} is wet with {wet_with.shown} and was washed with {liquid}, which does not mix with it.",
            f"The liquid they came from stays between the grains. {_dissolving(procedure, solid, washes, dissolves)}",
            f"Wash with a little ice-cold {wet_with.shown}.",
            about=solid,
        )
    if is_water(washes) and dissolves is None and not _known(procedure, solid, washes):
        return Finding(
            "wash-another",
            "note",
            f"{solid} is wet with {wet_with.shown} and was washed with {liquid}, which mixes with it.",
            "Water throws out what the liquid still holds, dirt too. "
            f"{_dissolving(procedure, solid, washes, dissolves)}",
            f"Wash with a little ice-cold {wet_with.shown} first to take the mother liquor away; water last, "
            "where it does not dissolve the solid.",
            about=solid,
        )
    return None


def _known(procedure: Procedure, solid: str, washes: Care) -> bool:
    said = procedure.portion(solid)
    if said.soluble is not None:
        return True
    component = next((one for one in procedure.components if one.name == said.component), None)
    return component is not None and any(name.casefold() == washes.name for name in component.dissolves)


def _dissolving(procedure: Procedure, solid: str, washes: Care, dissolves: float | None) -> str:
    """What is known of the solid in the wash, in a sentence."""
    soluble = dissolves if dissolves is not None else procedure.portion(solid).soluble
    if soluble is not None:
        return f"A litre of {washes.shown} dissolves {soluble:g} g of it."
    if _known(procedure, solid, washes):
        return ""
    return f"How much of it {washes.shown} dissolves is not known."
