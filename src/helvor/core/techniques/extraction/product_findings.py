"""What can be said of the products of an extraction: exchanged, wet, or left in a layer."""

from __future__ import annotations

from collections.abc import Iterator, Sequence

from helvor.core.engine.run.account import PortionMass
from helvor.core.engine.run.case import COVERAGE, Case, join
from helvor.core.engine.technique import Cause
from helvor.core.quantities.measured import Measured, shown
from helvor.core.quantities.reading import digits
from helvor.core.record.finding import Finding
from helvor.core.record.procedure import Step, same
from helvor.core.techniques.extraction.case import FITS, flow_of
from helvor.core.techniques.extraction.entries import LayerGone
from helvor.core.techniques.extraction.flow import (
    PARTING,
    Flow,
    grams,
    neutral_mass,
)


def exchanged(case: Case, flow: Flow) -> Iterator[Finding]:
    """Two products whose masses fit each other's place."""
    found = []
    for portion in case.ledger.portions.values():
        if portion.said.end != "product" or portion.mass is None or not portion.said.component:
            continue
        expected = grams(flow, case.run.procedure, portion.name).get(portion.said.component)
        if expected:
            found.append((portion.name, portion.mass.value, expected))
    for i, (name, mass, wanted) in enumerate(found):
        for other, mass2, wanted2 in found[i + 1 :]:
            apart = abs(wanted - wanted2) > 4 * FITS * max(wanted, wanted2)
            if apart and abs(mass - wanted2) < FITS * wanted2 and abs(mass2 - wanted) < FITS * wanted:
                yield Finding(
                    "products-exchanged",
                    "caution",
                    f"{name}: {digits(mass, 3)} g, {other}: {digits(mass2, 3)} g; expected: "
                    f"{digits(wanted, 3)} and {digits(wanted2, 3)} g.",
                    "Each mass fits the other product.",
                    "Check the melting points and where the layers were labelled.",
                    about=f"{name} {other}",
                )


def wet_product(case: Case, flow: Flow) -> Iterator[Finding]:
    """More than was put in, with no brine or no drying on its way; drying agent still in it; wet for a spectrum."""
    for portion in case.ledger.portions.values():
        if portion.said.end != "product" or not portion.said.component:
            continue
        way = case.run.procedure.made_by(portion.name)
        through = [step for step in way if step.id not in case.run.skipped]
        kinds = {step.kind for step in through}
        if kinds.isdisjoint(PARTING) or "evaporate" not in kinds:
            continue
        m = neutral_mass(case.run.procedure, portion.said.component)
        taken = flow.taken.get(portion.said.component.casefold(), 0.0) * (m or 0.0)
        if portion.mass is not None and taken > 0:
            yield from _heavier_than_taken(portion, portion.mass, taken, _lacks(through))
        spectra = [a for _, a in case.run.attached if _is_spectrum(a.name, a.words) and _step_makes(a.step, through)]
        dry = portion.constancy is not None and portion.constancy.state == "constant"
        if spectra and not dry:
            yield Finding(
                "wet-for-ir",
                "note",
                f"{portion.name}: spectrum attached, but not at constant mass.",
                "Water masks the O–H region, 3200 to 3600 cm⁻¹.",
                "Dry it to constant mass, then record the spectrum again.",
                about=portion.name,
            )


def _lacks(through: Sequence[Step]) -> list[str]:
    """What was left out on a layer's way that would have taken its water away."""
    kinds = {step.kind for step in through}
    dried = "dry layer" in kinds
    off = not kinds.isdisjoint(("decant", "gravity filter"))
    brine = any("brine" in name.casefold() for step in through for name in step.adds)
    said = (
        (not brine, "no brine wash"),
        (not dried, "no drying agent"),
        (dried and not off, "the drying agent not removed"),
    )
    return [words for lacking, words in said if lacking]


def _heavier_than_taken(portion: PortionMass, mass: Measured, taken: float, lacks: list[str]) -> Iterator[Finding]:
    """More of a component than was put in (*taken*, g), and what was left out on its way."""
    over = mass.value - taken
    if over > COVERAGE * mass.u and lacks:
        yield Finding(
            "wet-product",
            "caution",
            f"{portion.name}: {shown(mass)} g, {digits(1000 * over, 2)} mg more than was "
            f"put in; during work-up: {join(lacks)}.",
            "Water or salt is counted as product.",
            "Dissolve it in the solvent again, dry, filter and evaporate; or dry it to constant mass.",
            about=portion.name,
        )


def _is_spectrum(name: str, words: str) -> bool:
    said = f"{name} {words}".casefold()
    return name.casefold().endswith((".jdx", ".dx")) or "infrared" in said or " ir " in f" {said} "


def _step_makes(step: str, through: list[Step]) -> bool:
    return not step or any(one.id == step for one in through)


def stayed_in_layers(case: Case) -> Iterator[Cause]:
    """What of a product's component went into other layers."""
    if not any(step.kind in PARTING for step in case.run.procedure.steps):
        return
    flow = flow_of(case)
    for portion in case.ledger.portions.values():
        if portion.said.end != "product" or not portion.said.component:
            continue
        component = portion.said.component
        m = neutral_mass(case.run.procedure, component)
        taken = flow.taken.get(component.casefold(), 0.0) * (m or 0.0)
        expected = grams(flow, case.run.procedure, portion.name).get(component)
        if not taken or expected is None:
            continue
        elsewhere = {
            name: mass
            for name in case.ledger.ends
            if not same(name, portion.name)
            and (mass := grams(flow, case.run.procedure, name).get(component, 0.0)) > 0.002 * taken
        }
        if elsewhere:
            where = join([f"{name} ({digits(1000 * mass, 2)} mg)" for name, mass in elsewhere.items()])
            yield Cause(
                "in-other-layers",
                "loss",
                f"Some {component} is in other layers.",
                (f"by its distribution: {where}",),
                0.4,
                sum(elsewhere.values()),
                portion=portion.name,
                places={(name.casefold(), component.casefold()): mass for name, mass in elsewhere.items()},
            )
    for _, gone in case.run.of(LayerGone):
        holds = grams(flow, case.run.procedure, gone.portion)
        for component, mass in holds.items():
            product = next(
                (
                    p.name
                    for p in case.ledger.portions.values()
                    if p.said.end == "product" and same(p.said.component, component)
                ),
                "",
            )
            yield Cause(
                "layer-gone",
                "loss",
                f"{gone.portion}: discarded with {component} in it.",
                (gone.why or "recorded",),
                0.9,
                mass,
                portion=product,
                places={(gone.portion.casefold(), component.casefold()): mass},
            )
