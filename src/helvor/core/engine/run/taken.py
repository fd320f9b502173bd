"""What really went in: the amounts of the substances taken, in g, mL and mol."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass, field

from helvor.core.engine.run.account import Ledger, PortionGraph, SubstanceTaken
from helvor.core.engine.run.entries import Taken, widened
from helvor.core.engine.run.record import Run, TakenOn
from helvor.core.engine.run.tares import indication_u, net_u
from helvor.core.quantities.formula import molar_mass
from helvor.core.quantities.measured import Measured, shown, shown_with_u, total
from helvor.core.quantities.reading import round_to
from helvor.core.quantities.working import WorkingLine
from helvor.core.record.procedure import Substance, named, same


def substances_of(run: Run) -> list[Substance]:
    """Those of the procedure, then those that were taken without being named in it."""
    known = list(run.procedure.substances)
    for on in run.taken:
        if named(known, on.taken.substance) is None:
            known.append(Substance(name=on.taken.substance))
    return known


@dataclass(slots=True)
class _Adding:
    """What the readings of one substance come to: masses (g), volumes (mL) with the takings they belong to."""

    masses: list[Measured] = field(default_factory=list)
    bottles: list[tuple[Measured, Taken]] = field(default_factory=list)
    working: list[WorkingLine] = field(default_factory=list)

    @property
    def volume(self) -> Measured | None:
        return total(volume for volume, _ in self.bottles) if self.bottles else None

    @property
    def mass(self) -> Measured | None:
        return total(self.masses) if self.masses else None


def _add_up(substance: Substance, readings: Sequence[TakenOn]) -> _Adding:
    """The readings of a substance, and the mass of what was measured by volume where its density is known."""
    adding = _Adding()
    for on in readings:
        mass, volume, line = _one_taken(on)
        if mass is not None:
            adding.masses.append(mass)
        if volume is not None:
            adding.bottles.append((volume, on.taken))
        adding.working.append(WorkingLine(substance.name, line))
    volume = adding.volume
    if volume is not None and substance.density and not substance.molar:
        by_volume = volume * substance.density
        adding.masses.append(by_volume)
        arithmetic = f"{shown(volume)} mL × {substance.density} g/mL = {shown(by_volume)} g"
        adding.working.append(WorkingLine(f"{substance.name}, by its density", arithmetic))
    return adding


def _amount(
    substance: Substance, formula: str, instead: str, mass: Measured | None, adding: _Adding
) -> Measured | None:
    """The amount in mol, by mass and formula or by volume and concentration; its arithmetic goes to the working."""
    if mass is not None and formula and not substance.molar:
        amount = mass * (substance.fraction / molar_mass(formula))
        part = f" × {substance.fraction:g}" if substance.fraction < 1 else ""
        arithmetic = f"{shown(mass)} g{part} ÷ {round_to(molar_mass(formula), 2)} g/mol = {shown(amount)} mol"
        adding.working.append(WorkingLine(f"{instead or substance.name} in mol", arithmetic))
        return amount
    volume = adding.volume
    if volume is not None and (substance.molar or any(taken.bottle for _, taken in adding.bottles)):
        amount = total(_from_bottle(one, taken, substance) for one, taken in adding.bottles)
        molar = _molar_words(adding.bottles[0][1], substance)
        arithmetic = f"{shown(volume)} mL × {molar} mol/L = {shown(amount)} mol"
        adding.working.append(WorkingLine(f"{substance.name} in mol", arithmetic))
        return amount
    return None


def substance_taken(substance: Substance, run: Run, ledger: Ledger, graph: PortionGraph) -> SubstanceTaken:
    """The amount of a substance that really went in, in g and in mol."""
    readings = tuple(on for on in run.taken if same(on.taken.substance, substance.name))
    adding = _add_up(substance, readings)
    mass = adding.mass
    if mass is None and not readings:
        mass = _weighed_in(substance, ledger, graph)
    other = next((on.taken for on in reversed(readings) if on.taken.instead), None)
    instead = other.instead if other else ""
    formula = other.instead_formula if other else substance.formula
    amount = _amount(substance, formula, instead, mass, adding)
    estimated = any(on.taken.estimated for on in readings)
    working = tuple(adding.working)
    return SubstanceTaken(substance, readings, mass, amount, adding.volume, formula, instead, estimated, working)


def _one_taken(on: TakenOn) -> tuple[Measured | None, Measured | None, str]:
    """Mass (g) or volume (mL) of one taking, and its working."""
    taken, key = on.taken, str(on.key)
    if taken.before is not None and taken.after is not None:
        before_step = taken.readability.value if taken.readability else taken.before.resolution
        after_step = taken.readability.value if taken.readability else taken.after.resolution
        net = Measured.read(
            taken.before.value, indication_u(before_step), f"{key} before", taken.before.decimals
        ) - Measured.read(taken.after.value, indication_u(after_step), f"{key} after", taken.after.decimals)
        return net, None, f"{taken.before} − {taken.after} = {shown_with_u(net)} g"
    assert taken.amount is not None
    if taken.amount.unit == "g":
        step = taken.readability.value if taken.readability else taken.amount.resolution
        mass = Measured.read(
            taken.amount.value,
            widened(taken.amount, net_u(step), estimated=taken.estimated),
            key,
            taken.amount.decimals,
        )
        return mass, None, f"{shown_with_u(mass)} g{', estimated' if taken.estimated else ''}"
    return None, volume_of(taken, key), f"{taken.amount}{f' by {taken.glass}' if taken.glass else ''}"


def volume_of(taken: Taken, key: str) -> Measured:
    """A volume read, mL: the resolution and the glassware's tolerance, both rectangular, in quadrature."""
    assert taken.amount is not None
    tolerance = taken.tolerance.value / math.sqrt(3) if taken.tolerance else 0.0
    u = math.hypot(taken.amount.u, tolerance)
    return Measured.read(
        taken.amount.value, widened(taken.amount, u, estimated=taken.estimated), key, taken.amount.decimals
    )


def _from_bottle(volume: Measured, taken: Taken, substance: Substance) -> Measured:
    """mol from a volume: the stock bottle's own concentration, else the nominal one."""
    if taken.bottle is not None:
        molar = Measured.read(taken.bottle.molar, taken.bottle.u, f"bottle {taken.bottle.code}")
        return volume * molar * 1e-3
    return volume * ((substance.molar or 0.0) * 1e-3)


def _molar_words(taken: Taken, substance: Substance) -> str:
    if taken.bottle is not None:
        return shown_with_u(Measured.read(taken.bottle.molar, taken.bottle.u, "")) + f" (bottle {taken.bottle.code})"
    return f"{substance.molar:g} (nominal)"


def _weighed_in(substance: Substance, ledger: Ledger, graph: PortionGraph) -> Measured | None:
    """A substance that alone makes up a first portion was taken when that portion was weighed as it came."""
    for name in graph.names:
        step = graph.giver[name.casefold()]
        if not step.takes and len(step.gives) == 1 and len(step.adds) == 1 and same(step.adds[0], substance.name):
            portion = ledger.portion(name)
            return portion.mass if portion and portion.basis == "as is" else None
    return None
