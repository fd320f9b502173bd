"""Whether an extraction has the acid or base that it needs, and reaches its pH."""

from __future__ import annotations

from collections.abc import Iterator

from helvor.core.engine.run.account import Ledger
from helvor.core.engine.run.case import Case
from helvor.core.engine.run.record import Run
from helvor.core.laws.extraction.acid_base import PKA_CARBONIC, ph_to_move, to_reach
from helvor.core.quantities.reading import Unreadable, digits
from helvor.core.record.finding import Finding
from helvor.core.record.procedure import Step
from helvor.core.techniques.extraction.case import MUCH_GAS, NEAR, numbered, touched
from helvor.core.techniques.extraction.entries import PhRead
from helvor.core.techniques.extraction.flow import (
    Flow,
    Parting,
    grams,
    neutral_mass,
    solutes_of,
)
from helvor.core.techniques.extraction.parameters import OfPh

MEANT = 0.5
"""A component is meant to go into the extract where at least this part of it does, in all portions."""


WORTH = 0.02
"""Part of a component from which throwing a layer away is worth a question."""


WEAKEST = 11.0
"""pKa up to which hydroxide is meant to take an acid; hydrogencarbonate takes what is stronger than carbonic acid."""


def too_little(mol: float, flow: Flow, name: str) -> bool:
    """Whether hardly any of a component is in there."""
    return mol < WORTH * flow.taken.get(name.casefold(), 0.0)


def short_of_reagent(number: int, step: Step, parting: Parting) -> Iterator[Finding]:
    """Less base than what it is meant to take, by its strength; an acid too weak for an amine."""
    if parting.makes != "aqueous" or not parting.rounds:
        return
    brought = parting.extract.water.strong + parting.rest.water.strong - parting.feed.water.strong
    if brought > 0:
        yield from _base_short(number, step, parting, brought)
    elif brought < 0:
        yield from _acid_too_weak(number, step, parting, -brought)


def _base_short(number: int, step: Step, parting: Parting, brought: float) -> Iterator[Finding]:
    """Less base (*brought*, mol) than the acids that it is meant to take."""
    acids = [s for s in parting.solutes if s.acts == "acid" and s.mol > 0]
    carbonate = parting.extract.water.carbonate + parting.rest.water.carbonate > parting.feed.water.carbonate
    weakest = PKA_CARBONIC[0] if carbonate else WEAKEST
    meant = [s for s in acids if s.pka is not None and s.pka < weakest]
    needed = sum(s.mol for s in meant) + max(0.0, -parting.feed.water.strong)
    if acids and needed > brought:
        yield Finding(
            "base-short",
            "caution",
            f"Step {number}: {digits(1000 * brought, 3)} mmol of base for {digits(1000 * needed, 3)} mmol of acid"
            + (", including acid left from the step before." if parting.feed.water.strong < 0 else "."),
            "The remaining acid stays in the organic layer.",
            f"Add at least {digits(1000 * (needed - brought) * 1.2, 2)} mmol more.",
            about=step.id,
        )


def _acid_too_weak(number: int, step: Step, parting: Parting, brought: float) -> Iterator[Finding]:
    """Enough acid (*brought*, mol) for a base, but too dilute to hold it in the water."""
    ph = parting.rounds[-1].ph
    organic, portion = parting.volumes()
    for base in parting.solutes:
        if base.acts != "base" or base.mol <= 0 or base.pka is None:
            continue
        once = 1 - base.in_organic(ph, portion, organic)
        wanted = ph_to_move("base", base.pka, base.k, organic, portion, MEANT)
        if wanted is not None and once < MEANT and brought > base.mol:
            yield Finding(
                "acid-too-weak",
                "caution",
                f"Step {number}: at pH {digits(ph, 2)} a portion extracts only {digits(100 * once, 2)} % of the "
                f"{base.name} (pKa {base.pka:g}).",
                "A base this weak is ionized only in strong acid.",
                f"pH {digits(wanted, 2)} would extract half at once: use a stronger acid, or more portions.",
                about=f"{step.id} {base.name}",
            )


def ph_reached(case: Case, flow: Flow) -> Iterator[Finding]:
    """A pH that was asked for and not reached, not tested, or reached; the gas on the way."""
    for number, step in numbered(case, ("set ph",)):
        came, asked = flow.came.get(step.id), OfPh.of(step).ph
        if asked is None:
            continue
        down = asked < 7
        read = [said for _, said in case.run.of(PhRead) if said.step == step.id]
        if came is not None and came.gas > MUCH_GAS and step.id not in case.run.done and touched(case, step):
            yield Finding(
                "gas-comes-off",
                "caution",
                f"Step {number}: about {digits(came.gas, 2)} mL of carbon dioxide forms.",
                "Carbonate foams over.",
                "Use a large beaker and small portions; let the foam settle.",
                about=step.id,
            )
        if not read:
            if step.id in case.run.done:
                yield Finding(
                    "ph-untested",
                    "caution",
                    f"Step {number}: adjusted to pH {asked:g}, but no pH is recorded.",
                    "Only the neutral form precipitates, and the calculation assumes the recorded amounts.",
                    "Test a drop now, before you filter.",
                    about=step.id,
                )
            continue
        low, high = read[-1].range
        missed = low > asked + NEAR if down else high < asked - NEAR
        # A colour stands for a range: all of it must lie on the right side.
        sure = high <= asked + NEAR if down else low >= asked - NEAR
        if low != high and not missed and not sure:
            yield Finding(
                "ph-paper-coarse",
                "caution",
                f"Step {number}: the paper shows pH {_range(low, high)}: it cannot tell if pH {asked:g} is reached.",
                "Part of the product may still be ionized and stay dissolved.",
                f"Add more in small portions until its colour lies {'below' if down else 'above'} pH {asked:g}, or use "
                "a finer paper.",
                about=step.id,
            )
        elif missed:
            yield Finding(
                "ph-not-reached",
                "caution",
                f"Step {number}: the last test shows pH {_range(low, high)}; the procedure asks for pH {asked:g}.",
                "Part of the product is still ionized and stays dissolved.",
                f"Add {_more(case, flow, step, low if down else high)} in small portions; test after each.",
                about=step.id,
            )
        else:
            yield Finding(
                "ph-reached",
                "good",
                f"Step {number}: pH {_range(low, high)}; the procedure asks for {asked:g}.",
                about=step.id,
            )


def _range(low: float, high: float) -> str:
    return f"{low:g}" if low == high else f"{max(low, 0):g} to {min(high, 14):g}"


def _more(case: Case, flow: Flow, step: Step, at: float) -> str:
    """How much of the step's acid or base is still needed, in words.

    The record says that the sum was off; what it lacked of the way is scaled to what the paper shows.
    """
    came, asked = flow.came.get(step.id), OfPh.of(step).ph
    substance = next((s for name in step.adds if (s := case.run.procedure.substance(name)) and s.molar), None)
    what = "acid" if (asked or 0) < 7 else "base"
    if came is None or substance is None or substance.molar is None or asked is None:
        return f"more {what}"
    solutes = solutes_of(case.run.procedure, came.after.mol)
    try:
        here = to_reach(at, came.before.water, solutes, substance.molar)
        there = to_reach(asked, came.before.water, solutes, substance.molar)
    except Unreadable:
        return f"more {what}"
    volume = there.volume - here.volume
    return f"about {digits(volume, 2)} mL more of {substance.name}" if volume > 0.05 else f"more {what}"


def still_wanted(run: Run, ledger: Ledger, flow: Flow, portion: str) -> list[tuple[str, float, float]]:
    """Components of a portion that no product was weighed of, where it is worth a question: name, g in it, g taken."""
    weighed = {p.said.component.casefold() for p in ledger.portions.values() if p.mass and p.said.end == "product"}
    found = []
    for component, mass in grams(flow, run.procedure, portion).items():
        taken = flow.taken.get(component.casefold(), 0.0) * (neutral_mass(run.procedure, component) or 0.0)
        if taken > 0 and mass >= WORTH * taken and component.casefold() not in weighed:
            found.append((component, mass, taken))
    return found
