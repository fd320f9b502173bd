"""Where a plan's solvents and leavings go: into the air, nowhere, into which bottle."""

from __future__ import annotations

import re
from collections.abc import Iterator, Sequence

from helvor.core.engine.plan.check_plan import Advice, Plan
from helvor.core.engine.plan.matter import Moment
from helvor.core.hazards.care import Care
from helvor.core.hazards.incompatible import CARBONATE, STRONG_ACID
from helvor.core.hazards.substances import care_of
from helvor.core.quantities.reading import digits
from helvor.core.record.finding import Finding
from helvor.core.record.outputs import added_layer, in_phase, layers_of
from helvor.core.record.procedure import Procedure, Substance, same
from helvor.core.record.step_kinds import WASTE, wrong_bottle
from helvor.core.techniques.safety.advice import advise, at_step, caught

MUCH_VAPOUR = 25.0
"""mL of organic solvent a bench from which evaporating it into the room or hood is worth catching it. Common
practice."""


def to_the_air(plan: Plan) -> Iterator[Advice]:
    """Organic solvent that leaves by nowhere: evaporated into the air, or in a portion that nothing takes further."""
    gone = [
        (moment, sum(ml for name, ml in moment.matter.liquids.items() if moment.matter.cares[name].organic))
        for moment in plan.moments
        if (moment.step.kind == "evaporate" or moment.step.place in ("air", "hood"))
        and not caught(moment)
        and (moment.step.kind in ("evaporate", "wait", "keep"))
    ]
    whole = sum(volume for _, volume in gone)
    if whole > MUCH_VAPOUR:
        moment = next(m for m, volume in gone if volume > 0)
        steps = [str(m.number) for m, volume in gone if volume > 0]
        yield advise(
            moment,
            "solvent-to-air",
            "caution",
            f"About {digits(whole, 2)} mL of organic solvent per bench evaporates into the air at step "
            f"{' and '.join(steps) if len(steps) < 3 else ', '.join(steps)}.",
            "For a whole class this is too much for a hood, and the solvent is lost.",
            "Use the rotary evaporator or a still, and add a waste step for the collected solvent.",
        )
    yield from _ends_nowhere(plan)


def _goes_on(name: str, later: Sequence[Moment]) -> bool:
    """Whether a later step takes a portion up, works on it or discards it."""
    return any(same(name, other) for m in later for other in (*m.step.takes, *((m.step.on,) if m.step.on else ())))


def _organic_in(procedure: Procedure, moment: Moment, name: str) -> Care | None:
    """An organic liquid in one of the portions that a step gives; None in what is dry."""
    kind = moment.kind
    if kind is not None and kind.dries:
        return None
    side = moment.matter
    if kind is not None and kind.layers:
        fresh = layers_of(moment.step, added_layer(procedure, moment.step) or "aqueous")[0]
        side = moment.added if same(name, fresh) else moment.held
    return next((side.cares[key] for key in side.liquids if side.cares[key].organic), None)


def _ends_nowhere(plan: Plan) -> Iterator[Advice]:
    """What ends with solvent in it, a liquid or a solid that is still wet, and is put nowhere."""
    for place, moment in enumerate(plan.moments):
        later = plan.moments[place + 1 :]
        for name in moment.step.gives:
            said = plan.procedure.portion(name)
            organic = _organic_in(plan.procedure, moment, name)
            if organic is None or said.end == "product" or said.by_loss or _goes_on(name, later):
                continue
            solid = in_phase(moment.step, moment.kind, "solid")
            if said.end == "kept" and solid and same(name, solid):
                continue
            yield advise(
                moment,
                "solvent-ends-nowhere",
                "caution",
                f"{name}: contains {organic.shown}, and no step says where it goes.",
                "Without a waste step, students use the nearest sink.",
                "Add a step that puts it into its waste bottle.",
                about=f"{moment.step.id} {name}",
            )


def waste(plan: Plan) -> Iterator[Advice]:
    """Something is discarded without a stream, into a wrong one, or before what has to come first."""
    for moment in plan.moments:
        step = moment.step
        # Put away into a stream (a jar, a bottle) is the same question.
        if step.kind != "discard" and not (step.kind == "keep" and step.waste and step.waste != "reuse"):
            continue
        if not step.waste:
            yield Advice(
                Finding(
                    "no-waste-stream",
                    "caution",
                    f"{at_step(moment)} names no waste bottle.",
                    "Without a named bottle, students use the nearest one.",
                    "Enter the waste stream; local rules decide which.",
                    about=step.id,
                ),
                step.id,
            )
            continue
        yield from _into_bottle(plan, moment)


DECIDES_EVEN_DISSOLVED = ("heavy metal", "oxidizing")
"""Streams of what is dissolved that decide whatever it is dissolved in; else the liquid decides."""


def _streams_of(plan: Plan, moment: Moment) -> list[tuple[str, str]]:
    """What is discarded at a step with the waste stream that each part of it belongs into."""
    there = (moment.matter.cares[name] for name in moment.matter.liquids)
    streams = [(liquid.shown, liquid.waste) for liquid in there if liquid.waste]
    for substance, care in _solids_of(plan, moment):
        solution = substance.molar is not None or (substance.amount is not None and substance.amount.unit == "mL")
        if solution or not moment.matter.liquids or care.waste in DECIDES_EVEN_DISSOLVED:
            streams.append((substance.name, care.waste))
    return streams


def _solids_of(plan: Plan, moment: Moment) -> Iterator[tuple[Substance, Care]]:
    """The substances in it that are no liquids of themselves, with what is known of them."""
    for name in sorted(moment.matter.substances):
        substance = plan.procedure.substance(name)
        care = care_of(substance) if substance is not None else None
        if substance is not None and care is not None and not care.liquid:
            yield substance, care


def _into_bottle(plan: Plan, moment: Moment) -> Iterator[Advice]:
    bottle = moment.step.waste
    for substance, care in _solids_of(plan, moment):
        if care.first:
            yield advise(
                moment,
                "before-waste",
                "note",
                f"{at_step(moment)} discards {substance.name}.",
                "It must be treated before it goes into the bottle.",
                f"{care.first[0].upper()}{care.first[1:]}.",
                f"{moment.step.id} {substance.name}",
            )
    by_stream: dict[str, str] = {}
    for name, own in _streams_of(plan, moment):
        by_stream.setdefault(own, name)
    for own, name in by_stream.items():
        wrong = wrong_bottle(bottle, own)
        # Solvent that is mixed with halogenated one belongs into the halogenated bottle, without a word.
        if wrong is None or (bottle == "halogenated" and own == "solvents" and "halogenated" in by_stream):
            continue
        # A trace of another liquid in the bottle's own is what the bottle is for; a danger it stays.
        if wrong.level != "stop" and bottle in by_stream:
            continue
        yield advise(
            moment,
            "wrong-waste",
            wrong.level,
            f"{at_step(moment)} puts {name} ({WASTE.get(own, own)}) into “{WASTE.get(bottle, bottle)}”.",
            f"{wrong.why[0].upper()}{wrong.why[1:]}.",
            "Use a separate bottle."
            if wrong.level == "stop"
            else "Ask the person who collects it, or use another bottle.",
            f"{moment.step.id} {own}",
        )


def gas_in_bottle(plan: Plan) -> Iterator[Advice]:
    """Acid and carbonate end in one waste bottle, and nothing says that its cap is vented."""
    thrown: dict[tuple[int, str], list[Moment]] = {}
    for moment in plan.moments:
        if moment.kind is not None and moment.kind.ends and moment.step.waste:
            thrown.setdefault((moment.step.meeting, moment.step.waste), []).append(moment)
    for together in thrown.values():
        cares = [care for moment in together for care in moment.matter.cares.values()]
        sour = any(STRONG_ACID(care) for care in cares)
        carbonate = next((care for care in cares if CARBONATE(care)), None)
        vented = any(re.search(r"\bvent|\bneutral|loose|uncapped|open\b", m.words, re.IGNORECASE) for m in together)
        if sour and carbonate is not None and not vented:
            last = together[-1]
            yield advise(
                last,
                "gas-in-bottle",
                "caution",
                f"{at_step(last)} puts {carbonate.shown} and acid into one bottle.",
                "Carbon dioxide forms after the cap is on and can burst the bottle.",
                "Mix them in an open beaker until the foaming stops; use a vented cap on the bottle.",
            )
