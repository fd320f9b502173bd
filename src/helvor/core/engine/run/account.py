"""What the mass ledger holds: portions, substances taken, components followed, yields."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Literal

from helvor.core.engine.run.record import TakenOn
from helvor.core.engine.run.tares import Net, Tare
from helvor.core.laws.constant_mass import Constancy
from helvor.core.quantities.formula import Equation
from helvor.core.quantities.measured import Measured, shown, shown_with_u, total
from helvor.core.quantities.reading import round_to
from helvor.core.quantities.working import WorkingLine
from helvor.core.record.procedure import Component, Portion, Procedure, Step, Substance, same

Basis = Literal["dried", "as is", "by loss", "share", "taken", "borrowed", "none"]


BASIS_WORDS: dict[Basis, str] = {
    "dried": "dried",
    "as is": "as received",
    "by loss": "by difference",
    "share": "share of the whole",
    "taken": "amount taken",
    "borrowed": "another bench's",
    "none": "not weighed",
}
"""What people read for what a portion's mass is based on."""


@dataclass(slots=True)
class PortionMass:
    """What is known of a portion's mass.

    Attributes:
        mass: g; None while nothing that counts was weighed.
        nets: every weighing of it.
        wet: the net while wet, g; never used.
        constancy: how far drying has come, where it was dried.
        scale: what its amount is multiplied with to speak for the whole, for aliquots.
    """

    name: str
    said: Portion
    mass: Measured | None = None
    basis: Basis = "none"
    nets: list[Net] = field(default_factory=list)
    wet: Measured | None = None
    constancy: Constancy | None = None
    scale: float = 1.0
    estimated: bool = False
    counted: list[Net] = field(default_factory=list)
    by_difference: WorkingLine | None = None

    @property
    def working(self) -> list[WorkingLine]:
        """The arithmetic of the mass; put into words only when somebody looks."""
        if self.by_difference is not None:
            return [self.by_difference]
        return [net_working(self.name, net) for net in self.counted]

    @property
    def whole(self) -> Measured:
        """The mass, g, scaled up from an aliquot to what it speaks for; 0 without a mass."""
        if self.mass is None:
            return Measured(0.0)
        return self.mass if self.scale == 1.0 else self.mass * self.scale


@dataclass(frozen=True, slots=True)
class SubstanceTaken:
    """How much of a substance really went in; ``mass`` g, ``amount`` mol, None where not known."""

    substance: Substance
    readings: tuple[TakenOn, ...]
    mass: Measured | None
    amount: Measured | None
    volume: Measured | None
    formula: str
    instead: str
    estimated: bool
    working: tuple[WorkingLine, ...]

    @property
    def readings_in_g(self) -> bool:
        """Whether any of it was weighed rather than measured by volume."""
        return any(on.taken.amount is None or on.taken.amount.unit == "g" for on in self.readings)


@dataclass(frozen=True, slots=True)
class ComponentAccount:
    """One followed component: taken and found, in mol and g, and the recovery (found ÷ taken).

    Attributes:
        contents: portion → its part of the sample that it came from, expressed as the component
            says; several where samples were taken side by side.
    """

    component: Component
    taken: Measured | None
    found: Measured | None
    taken_g: Measured | None
    found_g: Measured | None
    portions: tuple[str, ...]
    recovery: Measured | None
    working: tuple[WorkingLine, ...]
    contents: tuple[tuple[str, Measured], ...] = ()

    @property
    def mean_content(self) -> Measured | None:
        """The mean of its determinations, None without one."""
        return total(part for _, part in self.contents) * (1 / len(self.contents)) if self.contents else None


@dataclass(frozen=True, slots=True)
class Yield:
    """A product of the equation: what was possible (g) and what was obtained, as a part of it."""

    portion: str
    formula: str
    limiting: str
    limiting_formula: str
    theoretical: Measured
    obtained: Measured | None
    percent: Measured | None
    excess: tuple[tuple[str, float], ...]
    working: tuple[WorkingLine, ...]


@dataclass(slots=True)
class Ledger:
    """The whole account.

    Attributes:
        reacts: amounts are kept per component; grams are shown but not added.
        sample: mass taken of what the balance counts, g.
        found: mass found in the portions at the end, g.
        closure: found ÷ sample; missing: sample − found, g.
        complete: every portion that should be weighed at the end was.
        ends: names of the portions where matter is at the end.
        parts: portion → its part of the sample.
    """

    substances: list[SubstanceTaken]
    portions: dict[str, PortionMass]
    ends: list[str]
    reacts: bool
    sample: Measured | None = None
    found: Measured | None = None
    closure: Measured | None = None
    missing: Measured | None = None
    complete: bool = False
    parts: dict[str, Measured] = field(default_factory=dict)
    components: list[ComponentAccount] = field(default_factory=list)
    yields: list[Yield] = field(default_factory=list)
    tares: dict[frozenset[str], Tare] = field(default_factory=dict)
    equation: Equation | None = None
    working: list[WorkingLine] = field(default_factory=list)

    def portion(self, name: str) -> PortionMass | None:
        """The portion of that name, or None."""
        return self.portions.get(name.casefold())

    def taken(self, name: str) -> SubstanceTaken | None:
        """The substance of that name, or None."""
        return next((one for one in self.substances if same(one.substance.name, name)), None)


class PortionGraph:
    """Which step gives a portion and which take it."""

    def __init__(self, procedure: Procedure) -> None:
        self.giver: dict[str, Step] = {}
        self.takers: dict[str, list[Step]] = {}
        self.names = procedure.portion_names
        for step in procedure.steps:
            for name in step.gives:
                self.giver.setdefault(name.casefold(), step)
            for name in step.takes:
                self.takers.setdefault(name.casefold(), []).append(step)

    def ends(self, ledger: Ledger) -> list[str]:
        """Portions where matter is at the end: those that no step takes up into others."""
        names = [name for name in self.names if not any(s.gives for s in self.takers.get(name.casefold(), []))]
        known = {name.casefold() for name in self.names}
        names += [p.name for key, p in ledger.portions.items() if key not in known]
        return names


def net_working(name: str, net: Net) -> WorkingLine:
    """The arithmetic of one net in words."""
    weighed = net.on.weighed
    assert net.net is not None
    if net.tare is None or net.tare.mass is None:
        return WorkingLine(f"{name}, with the tare button", f"net = {weighed.mass} ± {_u(net.net)} g")
    decimals = weighed.mass.decimals
    used = net.tare_used or net.tare.mass
    tare = round_to(used.value, max(decimals, 3 if net.tare.how == "spare" else decimals))
    about = ", tare from spare papers" if net.tare.how == "spare" else ""
    if used is not net.tare.mass and net.tare.blank is not None:
        about = f", tare corrected by the blank, {shown(net.tare.blank)} g per paper"
    return WorkingLine(f"{name} on {weighed.name}{about}", f"{weighed.mass} − {tare} g = {shown_with_u(net.net)} g")


def _u(number: Measured) -> str:
    return shown_with_u(number).rpartition("± ")[2]
