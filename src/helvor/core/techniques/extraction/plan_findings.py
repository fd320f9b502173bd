"""What can be said of an extraction before anybody starts."""

from __future__ import annotations

from collections.abc import Iterator

from helvor.core.engine.plan.check_plan import Advice, Plan
from helvor.core.engine.run.case import join
from helvor.core.engine.run.ledger import build_ledger
from helvor.core.engine.run.record import Run
from helvor.core.laws.extraction.drying import agent_named
from helvor.core.laws.extraction.layers import FILL
from helvor.core.quantities.reading import digits
from helvor.core.record.finding import Finding
from helvor.core.record.procedure import Step
from helvor.core.techniques.extraction.case import HOT_BELOW, OURS
from helvor.core.techniques.extraction.findings import gas_in_funnel, solids_added
from helvor.core.techniques.extraction.flow import (
    PARTING,
    Flow,
    Parting,
    follow,
)
from helvor.core.techniques.extraction.reagent_findings import short_of_reagent, too_little


def check_plan_layers(plan: Plan) -> Iterator[Advice]:
    """What can be said of an extraction before anybody starts."""
    procedure = plan.procedure
    if not any(step.kind in OURS for step in procedure.steps):
        return
    run = Run(procedure=procedure)
    kinds = {moment.step.kind: moment.kind for moment in plan.moments if moment.kind is not None}
    flow = follow(run, build_ledger(run, plan.rules), plan.rules, kinds)
    for number, step in enumerate(procedure.steps, 1):
        parting = flow.partings.get(step.id)
        found = list[Finding]()
        if step.kind in PARTING:
            found += _solid_in_funnel(number, step, run)
            if parting is not None:
                found += _planned_parting(number, step, parting, plan)
        elif step.kind == "dry layer":
            found += _planned_drying(number, step, plan, flow)
        elif step.kind == "evaporate":
            found += _planned_evaporation(number, step, plan, flow)
        for finding in found:
            yield Advice(finding, step.id)


def _solid_in_funnel(number: int, step: Step, run: Run) -> Iterator[Finding]:
    """A solid goes into the funnel."""
    if solids := solids_added(step, run):
        yield Finding(
            "solid-in-funnel",
            "caution",
            f"Step {number} puts {join(solids)}, a solid, into the funnel.",
            "A solid blocks the tap.",
            "Dissolve it first, or add it in a beaker.",
        )


def _planned_parting(number: int, step: Step, parting: Parting, plan: Plan) -> Iterator[Finding]:
    """The layers of a step as planned: whether there are two, whether they fit, which is on top, what is added."""
    if parting.trouble:
        yield Finding(
            "no-two-layers",
            "caution",
            f"Step {number}: {parting.trouble}",
            "Without two layers nothing is separated.",
            "Enter for each liquid which layer it forms, and its density.",
        )
        return
    most = max(one.settled.volume for one in parting.rounds)
    if step.volume and most > FILL[plan.rules["funnel-fill"].key] * step.volume:
        yield Finding(
            "funnel-full",
            "caution",
            f"Step {number}: {digits(most, 2)} mL in a funnel of {step.volume:g} mL.",
            f"{plan.rules['funnel-fill'].words.capitalize()} leaves room to mix and vent.",
            "Use a larger funnel, or smaller portions.",
        )
    if parting.settled is not None and parting.settled.close:
        yield Finding(
            "close-call",
            "caution",
            f"Step {number}: the layers differ by {digits(parting.settled.apart, 1)} g/mL in density.",
            "With densities this close they separate slowly, and either may be on top.",
            f"{parting.settled.widen} Keep the water-drop test in the instruction.",
        )
    yield from short_of_reagent(number, step, parting)
    yield from gas_in_funnel(number, step, parting)


def _planned_drying(number: int, step: Step, plan: Plan, flow: Flow) -> Iterator[Finding]:
    """A drying agent that does not suit how it is taken off; no brine before it."""
    agent = next((a for name in step.adds if (a := agent_named(name))), None)
    if agent is not None and agent.off == "filter" and plan.rules["off-drying-agent"].key == "decant":
        yield Finding(
            "fine-agent",
            "note",
            f"Step {number}: {agent.name} is fine and does not settle.",
            "If you decant, it comes over with the product.",
            "Filter it off.",
        )
    content = flow.before.get(step.id)
    if content is not None and not content.brined and content.volume("organic") > 0:
        yield Finding(
            "no-brine",
            "note",
            f"Step {number}: no brine wash before drying.",
            "Brine removes most of the water; without it you need more drying agent, which holds product.",
        )


def _planned_evaporation(number: int, step: Step, plan: Plan, flow: Flow) -> Iterator[Finding]:
    """A bath that is as hot as what stays behind melts."""
    held = flow.before.get(step.id)
    if held is None or step.celsius is None:
        return
    for substance in plan.procedure.substances:
        key = substance.component.casefold()
        if substance.melts is None or key not in held.mol or too_little(held.mol[key], flow, key):
            continue
        if step.celsius > substance.melts - HOT_BELOW:
            yield Finding(
                "evaporated-hot",
                "caution",
                f"Step {number}: {step.celsius:g} °C; {substance.name} melts at {substance.melts:g} °C.",
                "It melts onto the glass or is lost with the vapour.",
                "Use a cooler bath.",
            )
