"""The mass ledger: every gram and every mole has a place, or is said to be missing.

Ledger 1. A net is a gross minus the tares of all that stood on the pan; a tare may be
          weighed before or after, together or one by one.
Ledger 2. Only what was weighed as it came or dried counts; a wet mass is shown, never used.
Ledger 3. Where matter is only parted, grams add up: closure is the found mass over the
          mass taken, and what is missing is a number.
Ledger 4. Where something reacts, or one thing has two forms, grams are shown but not added;
          each component is followed in mol through the formula it has in each place.
Ledger 5. What came from another bench is shown and left out of every sum.
Ledger 6. The order in which entries arrive changes nothing.
Ledger 7. Air-dry paper holds several per cent of water. A blank paper of the same kind, weighed
          before and after going the same way, tells how much one sheet loses, and the tare of
          every paper that was weighed air-dry is changed by that. Common practice.
"""

from __future__ import annotations

import math
import statistics
from collections.abc import Iterable, Sequence
from dataclasses import dataclass, field, replace
from datetime import datetime
from functools import cached_property
from typing import Literal
from uuid import UUID

from helvor.core.engine.run.entries import Taken, widened
from helvor.core.engine.run.record import Run, TakenOn, WeighedOn
from helvor.core.laws.constant_mass import Constancy, Weighing, constancy
from helvor.core.laws.precipitation.gravimetry import content, factor, factor_working
from helvor.core.laws.precipitation.reaction import react
from helvor.core.quantities.formula import Equation, molar_mass, parse_equation, plain, readable, supplies, units
from helvor.core.quantities.measured import Measured, shown, shown_with_u, total
from helvor.core.quantities.reading import Reading, Unreadable, round_to
from helvor.core.quantities.working import WorkingLine
from helvor.core.record.house_rules import HouseRules
from helvor.core.record.procedure import Component, Portion, Procedure, Step, Substance, named, same

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


def indication_u(step: float) -> float:
    """Standard uncertainty of one balance indication, g: step ÷ √12. Source: JCGM 100:2008, F.2.2.1."""
    return step / math.sqrt(12)


def net_u(step: float) -> float:
    """The same of a net with the tare button: two indications, step ÷ √6."""
    return step / math.sqrt(6)


def net_of(gross: Reading, tares: Sequence[Reading], *, tare_button: bool = False) -> Measured:
    """A net, g: gross minus every tare, each an indication of its own; or one after the tare button.

    >>> from helvor.core.quantities.reading import parse
    >>> shown_with_u(net_of(parse("31.820 g", "mass"), [parse("31.062 g", "mass")]))
    '0.758 ± 0.001'
    """
    u = net_u(gross.resolution) if tare_button else indication_u(gross.resolution)
    net = Measured.read(gross.value, u, "gross", gross.decimals)
    for number, tare in enumerate(tares):
        net = net - Measured.read(tare.value, indication_u(tare.resolution), f"tare {number}", tare.decimals)
    return net


@dataclass(frozen=True, slots=True)
class Tare:
    """The empty mass of what stood on a pan.

    Attributes:
        mass: g, or None where a part was never weighed.
        how: *weighed*; *spare* where identical spare papers stand in; *damp* where it was
            only weighed damp; *missing*.
        missing: labels that were never weighed empty.
        spread: highest minus lowest of repeated empty weighings, g.
        air_dry: how many of them are papers weighed air-dry; ``air_dry_g`` what those weigh, g.
        blank: how much a blank paper that went the same way gained (below zero: lost), g; None without one.
    """

    mass: Measured | None
    how: Literal["weighed", "spare", "damp", "missing"]
    missing: tuple[str, ...] = ()
    readings: tuple[WeighedOn, ...] = ()
    spread: float = 0.0
    air_dry: int = 0
    air_dry_g: float = 0.0
    blank: Measured | None = None

    @property
    def in_the_oven(self) -> Measured | None:
        """What the container weighs after drying, g: its air-dry papers changed as the blank did (Ledger 7)."""
        if self.mass is None or self.blank is None or not self.air_dry:
            return self.mass
        return self.mass + self.blank * self.air_dry


@dataclass(frozen=True)
class Net:
    """A weighing of a portion with its tare taken off.

    Attributes:
        tare: None where the tare button took the container off.
        value: g, the bare number; None without a tare.
    """

    on: WeighedOn
    tare: Tare | None
    value: float | None

    @cached_property
    def net(self) -> Measured | None:
        """The net with its uncertainty, g; None without a tare. Put together when first asked for:
        of a long drying only the last weighing is."""
        if self.value is None:
            return None
        weighed = self.on.weighed
        step_u = net_u(weighed.step_g) if weighed.way == "net" else indication_u(weighed.step_g)
        u = widened(weighed.mass, step_u, estimated=weighed.estimated)
        indication = Measured.read(weighed.mass.value, u, str(self.on.key), weighed.mass.decimals)
        tare = self.tare_used
        return indication - tare if tare is not None else indication

    @property
    def tare_used(self) -> Measured | None:
        """The tare that is taken off, g; after drying, with the blank's change put in."""
        if self.tare is None:
            return None
        return self.tare.in_the_oven if self.on.weighed.state == "dried" else self.tare.mass


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
        return [_net_working(self.name, net) for net in self.counted]

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


class _Scales:
    """Every weighing of a run, found by what stood on the pan."""

    def __init__(self, run: Run) -> None:
        self.empty: dict[frozenset[str], list[WeighedOn]] = {}
        self.damp: dict[frozenset[str], list[WeighedOn]] = {}
        self.filled: dict[str, list[WeighedOn]] = {}
        self._tares: dict[frozenset[str], Tare] = {}
        self.blank = _blank([on for on in run.weighings if is_blank(on.weighed.pan)])
        for on in run.weighings:
            weighed = on.weighed
            if weighed.state in ("empty", "empty, air-dry"):
                self.empty.setdefault(weighed.pan, []).append(on)
            elif weighed.state == "empty, damp":
                self.damp.setdefault(weighed.pan, []).append(on)
            else:
                self.filled.setdefault(weighed.portion.casefold(), []).append(on)

    def tare(self, pan: frozenset[str]) -> Tare:
        """The tare of what stood on a pan, its labels in lower case (Ledger 1)."""
        if pan not in self._tares:
            self._tares[pan] = self._with_blank(self._find(pan))
        return self._tares[pan]

    def _find(self, pan: frozenset[str]) -> Tare:
        if pan in self.empty:
            return _mean(self.empty[pan])
        # A pan may be made up of sets that were weighed empty together: the largest first.
        left, found = set(pan), list[Tare]()
        for known in sorted((k for k in self.empty if k < pan), key=lambda k: (-len(k), sorted(k))):
            if known <= left:
                left -= known
                found.append(_mean(self.empty[known]))
        how: Literal["weighed", "spare", "damp", "missing"] = "weighed"
        for label in sorted(left):
            spare = self._spare(label)
            if spare is not None:
                found.append(spare)
                how = "spare"
                left.discard(label)
            elif frozenset([label]) in self.damp:
                found.append(_mean(self.damp[frozenset([label])]))
                how = "damp"
                left.discard(label)
        if left:
            return Tare(None, "missing", tuple(sorted(left)), tuple(on for t in found for on in t.readings))
        return Tare(
            total(t.mass for t in found if t.mass),
            how,
            (),
            tuple(on for t in found for on in t.readings),
            max((t.spread for t in found), default=0.0),
        )

    def _with_blank(self, tare: Tare) -> Tare:
        """The same with what is known of the water in its papers (Ledger 7)."""
        papers = [on for on in tare.readings if on.weighed.state == "empty, air-dry"]
        if not papers or tare.how == "spare":
            return tare
        pans = {on.weighed.pan: on.weighed.mass.value for on in papers}
        # Weighed in a boat or dish, the paper's own mass is what that weighs more than without it.
        mass = sum(pans.values()) if all(_papers_only(pan) for pan in pans) else 0.0
        return replace(tare, air_dry=len(pans), air_dry_g=mass, blank=self.blank)

    def _spare(self, label: str) -> Tare | None:
        """The mean of spare papers for one that was never weighed: u = s·√(1 + 1/n), n at least 2."""
        kind = label.split(maxsplit=1)[0]
        spares = [on for pan, ons in self.empty.items() for on in ons if pan <= {*pan} and _is_spare(pan, kind)]
        if len(spares) < 2:
            return None
        masses = sorted(on.weighed.mass.value for on in spares)
        u = statistics.stdev(masses) * math.sqrt(1 + 1 / len(masses))
        step = max(on.weighed.step_g for on in spares)
        mean = Measured.read(statistics.fmean(masses), math.hypot(u, indication_u(step)), f"spare {label}")
        return Tare(mean, "spare", (), tuple(spares), masses[-1] - masses[0])


def is_blank(pan: frozenset[str]) -> bool:
    """Whether a blank paper alone stood on the pan."""
    return len(pan) == 1 and all("blank" in label.split() for label in pan)


def _papers_only(pan: frozenset[str]) -> bool:
    return all("paper" in label for label in pan)


def _blank(ons: Sequence[WeighedOn]) -> Measured | None:
    """Mean change of the blank papers from their first weighing to their last, g; None without one weighed twice."""
    by_pan: dict[frozenset[str], list[WeighedOn]] = {}
    for on in ons:
        by_pan.setdefault(on.weighed.pan, []).append(on)
    changes = []
    for pan in by_pan.values():
        first, last = (f(pan, key=lambda on: (on.entry.happened, on.key)) for f in (min, max))
        if first is not last:
            before, after = (
                Measured.read(
                    on.weighed.mass.value, indication_u(on.weighed.step_g), str(on.key), on.weighed.mass.decimals
                )
                for on in (first, last)
            )
            changes.append(after - before)
    return total(changes) * (1 / len(changes)) if changes else None


def _is_spare(pan: frozenset[str], kind: str) -> bool:
    return len(pan) == 1 and all("spare" in label and kind in label.split() for label in pan)


def _mean(ons: Sequence[WeighedOn]) -> Tare:
    """The mean of the empty weighings of a pan; where they differ, their half-range is uncertain too."""
    n = len(ons)
    masses = [on.weighed.mass.value for on in ons]
    parts = {
        str(on.key): widened(on.weighed.mass, indication_u(on.weighed.step_g), estimated=on.weighed.estimated) / n
        for on in ons
    }
    spread = max(masses) - min(masses)
    if spread > 2 * max(on.weighed.step_g for on in ons):
        parts[f"drift {min(str(on.key) for on in ons)}"] = spread / math.sqrt(12)
    decimals = max(on.weighed.mass.decimals for on in ons)
    return Tare(Measured(math.fsum(masses) / n, parts, decimals), "weighed", (), tuple(ons), spread)


def build_ledger(run: Run, rules: HouseRules) -> Ledger:
    """Work the ledger out of a run."""
    scales = _Scales(run)
    graph = _Graph(run.procedure)
    reacts, equation = _reacts(run.procedure)
    ledger = Ledger([], {}, [], reacts, equation=equation)
    _weigh_portions(run, rules, scales, ledger)
    ledger.substances = [_taken(substance, run, ledger, graph) for substance in _named_substances(run)]
    _follow(run, graph, ledger)
    ledger.ends = graph.ends(ledger)
    if not reacts:
        _close(run, ledger)
    ledger.components = [_component(component, run, ledger) for component in run.procedure.components]
    if equation is not None:
        ledger.yields = list(_yields(run.procedure, equation, ledger))
    ledger.tares = scales._tares
    for pan in (*scales.empty, *(frozenset([label.casefold()]) for label in run.containers)):
        scales.tare(pan)
    return ledger


def _reacts(procedure: Procedure) -> tuple[bool, Equation | None]:
    """Whether amounts are followed in mol, and the equation if there is one that can be read."""
    equation = None
    if procedure.equation.strip():
        try:
            equation = parse_equation(procedure.equation)
        except Unreadable:
            equation = None  # said at planning time; the ledger goes on without it
    forms: dict[str, set[str]] = {}
    places: list[Substance | Portion] = [*procedure.substances, *procedure.portions]
    for part in places:
        if part.component and part.formula:
            forms.setdefault(part.component.casefold(), set()).add(plain(part.formula))
    return equation is not None or any(len(found) > 1 for found in forms.values()), equation


class _Graph:
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


def _weigh_portions(run: Run, rules: HouseRules, scales: _Scales, ledger: Ledger) -> None:
    rule = rules["constant-mass-limit"].key
    for name in run.portion_names:
        key = name.casefold()
        portion = PortionMass(name, run.procedure.portion(name))
        ledger.portions[key] = portion
        for on in scales.filled.get(key, []):
            portion.nets.append(_net(on, scales))
        portion.nets.sort(key=_in_order)
        if key in run.borrowed:
            portion.basis = "borrowed"
        _settle(portion, rule)


def _in_order(net: Net) -> tuple[int, datetime, UUID]:
    return net.on.weighed.round or 0, net.on.entry.happened, net.on.key


def _net(on: WeighedOn, scales: _Scales) -> Net:
    weighed = on.weighed
    if weighed.way == "net":
        return Net(on, None, weighed.mass.value)
    tare = scales.tare(weighed.pan)
    if tare.mass is None:
        return Net(on, tare, None)
    used = tare.in_the_oven if weighed.state == "dried" else tare.mass
    return Net(on, tare, weighed.mass.value - used.value if used is not None else None)


def _settle(portion: PortionMass, rule: str) -> None:
    """Which of a portion's weighings count (Ledger 2)."""
    by_pan: dict[frozenset[str], list[Net]] = {}
    for net in portion.nets:
        by_pan.setdefault(net.on.weighed.pan, []).append(net)
    for state in ("dried", "as is"):
        counted = []
        for nets in by_pan.values():
            fitting = [net for net in nets if net.on.weighed.state == state and net.value is not None]
            if fitting:
                counted.append(fitting)
        if not counted:
            continue
        last = [nets[-1] for nets in counted]
        if portion.basis != "borrowed":
            portion.basis = "dried" if state == "dried" else "as is"
        portion.mass = total(net.net for net in last if net.net is not None)
        portion.estimated = any(
            net.on.weighed.estimated or (net.tare is not None and net.tare.how == "spare") for net in last
        )
        portion.counted = last
        if state == "dried":
            series = max(counted, key=len)
            portion.constancy = constancy(
                [Weighing(n.value, n.on.weighed.step_g, n.on.entry.happened) for n in series if n.value is not None],
                rule,
            )
        break
    wet = [net for net in portion.nets if net.on.weighed.state == "wet" and net.value is not None]
    portion.wet = wet[-1].net if wet else None


def _net_working(name: str, net: Net) -> WorkingLine:
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


def _named_substances(run: Run) -> list[Substance]:
    """Those of the procedure, then those that were taken without being named in it."""
    known = list(run.procedure.substances)
    for on in run.taken:
        if named(known, on.taken.substance) is None:
            known.append(Substance(name=on.taken.substance))
    return known


def _taken(substance: Substance, run: Run, ledger: Ledger, graph: _Graph) -> SubstanceTaken:
    """The amount of a substance that really went in, in g and in mol."""
    readings = tuple(on for on in run.taken if same(on.taken.substance, substance.name))
    masses, volumes, working = list[Measured](), list[Measured](), list[WorkingLine]()
    bottles = []
    for on in readings:
        mass, volume, line = _one_taken(on)
        if mass is not None:
            masses.append(mass)
        if volume is not None:
            volumes.append(volume)
            bottles.append((volume, on.taken))
        working.append(WorkingLine(substance.name, line))
    mass = total(masses) if masses else None
    volume = total(volumes) if volumes else None
    if volume is not None and substance.density and not substance.molar:
        by_volume = volume * substance.density
        mass = by_volume + mass if mass is not None else by_volume
        working.append(
            WorkingLine(
                f"{substance.name}, by its density",
                f"{shown(volume)} mL × {substance.density} g/mL = {shown(by_volume)} g",
            )
        )
    if mass is None and not readings:
        mass = _weighed_in(substance, ledger, graph)
    instead = next((on.taken for on in reversed(readings) if on.taken.instead), None)
    formula = instead.instead_formula if instead and instead.instead_formula else "" if instead else substance.formula
    amount = None
    if mass is not None and formula and not substance.molar:
        amount = mass * (substance.fraction / molar_mass(formula))
        working.append(
            WorkingLine(
                f"{instead.instead if instead else substance.name} in mol",
                f"{shown(mass)} g{f' × {substance.fraction:g}' if substance.fraction < 1 else ''} ÷ "
                f"{round_to(molar_mass(formula), 2)} g/mol = {shown(amount)} mol",
            )
        )
    elif bottles and (substance.molar or any(taken.bottle for _, taken in bottles)):
        amount = total(_from_bottle(volume, taken, substance) for volume, taken in bottles)
        working.append(
            WorkingLine(
                f"{substance.name} in mol",
                f"{shown(total(v for v, _ in bottles))} mL × {_molar_words(bottles[0][1], substance)} mol/L "
                f"= {shown(amount)} mol",
            )
        )
    return SubstanceTaken(
        substance,
        readings,
        mass,
        amount,
        volume,
        formula,
        instead.instead if instead else "",
        any(on.taken.estimated for on in readings),
        tuple(working),
    )


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


def _weighed_in(substance: Substance, ledger: Ledger, graph: _Graph) -> Measured | None:
    """A substance that alone makes up a first portion was taken when that portion was weighed as it came."""
    for name in graph.names:
        step = graph.giver[name.casefold()]
        if not step.takes and len(step.gives) == 1 and len(step.adds) == 1 and same(step.adds[0], substance.name):
            portion = ledger.portion(name)
            return portion.mass if portion and portion.basis == "as is" else None
    return None


def _follow(run: Run, graph: _Graph, ledger: Ledger) -> None:
    """Masses that no balance showed: first portions from what was taken, aliquots, and losses."""
    for name in graph.names:
        portion = ledger.portions[name.casefold()]
        step = graph.giver[name.casefold()]
        if portion.mass is None and not step.takes and len(step.gives) == 1 and not portion.nets:
            went_in = [ledger.taken(substance) for substance in step.adds]
            solid = [one.mass for one in went_in if one is not None and one.substance.role in ("sample", "reagent")]
            if solid and all(mass is not None for mass in solid):
                portion.mass, portion.basis = total(m for m in solid if m is not None), "taken"
        if portion.mass is None and portion.said.share and step.takes:
            parents = [ledger.portions[t.casefold()].mass for t in step.takes if t.casefold() in ledger.portions]
            if parents and all(mass is not None for mass in parents):
                whole = total(mass for mass in parents if mass is not None)
                portion.mass, portion.basis = whole * portion.said.share, "share"
    # Backwards, because what a loss is taken from may itself be known only by now.
    for name in graph.names:
        portion = ledger.portions[name.casefold()]
        if portion.said.by_loss and portion.mass is None:
            _by_loss(name, portion, graph.giver[name.casefold()], ledger)
    for name in graph.names:
        ledger.portions[name.casefold()].scale = _scale(name, graph, ledger, frozenset())


def _by_loss(name: str, portion: PortionMass, step: Step, ledger: Ledger) -> None:
    sisters = [other for other in step.gives if not same(other, name)]
    before = [ledger.portion(other) for other in step.takes]
    after = [ledger.portion(other) for other in sisters]
    if not before or any(p is None or p.mass is None or p.basis == "borrowed" for p in (*before, *after)):
        return
    whole = total(p.mass for p in before if p and p.mass)
    left = total(p.mass for p in after if p and p.mass)
    portion.mass, portion.basis = whole - left, "by loss"
    portion.by_difference = WorkingLine(
        f"{name}, by difference", f"{shown(whole)} − {shown(left)} g = {shown_with_u(portion.mass)} g"
    )


def _scale(name: str, graph: _Graph, ledger: Ledger, seen: frozenset[str]) -> float:
    """How much the whole is of what a portion descends from, when only one aliquot was carried on."""
    key = name.casefold()
    step = graph.giver.get(key)
    if step is None or key in seen:
        return 1.0
    own = 1.0
    share = ledger.portions[key].said.share
    sisters = [other for other in step.gives if not same(other, name)]
    if share and not any(_weighed_below(sister, graph, ledger, frozenset()) for sister in sisters):
        own = 1 / share
    return own * max((_scale(parent, graph, ledger, seen | {key}) for parent in step.takes), default=1.0)


def _weighed_below(name: str, graph: _Graph, ledger: Ledger, seen: frozenset[str]) -> bool:
    key = name.casefold()
    if key in seen:
        return False
    portion = ledger.portions.get(key)
    if portion is not None and portion.basis in ("dried", "as is"):
        return True
    below = [given for step in graph.takers.get(key, []) for given in step.gives]
    return any(_weighed_below(given, graph, ledger, seen | {key}) for given in below)


def _counted(ledger: Ledger) -> list[PortionMass]:
    """Portions at the end that count: not borrowed, with a mass."""
    ends = [ledger.portions[name.casefold()] for name in ledger.ends if name.casefold() in ledger.portions]
    return [portion for portion in ends if portion.mass is not None and portion.basis != "borrowed"]


def _close(run: Run, ledger: Ledger) -> None:
    """Grams taken against grams found (Ledger 3)."""
    samples = [one for one in ledger.substances if one.substance.role == "sample"]
    masses = [one.mass for one in samples]
    if not masses or any(mass is None for mass in masses):
        return
    ledger.sample = total(mass for mass in masses if mass is not None)
    first = {name.casefold() for step in run.procedure.steps if not step.takes for name in step.gives}
    counted = [p for p in _counted(ledger) if p.name.casefold() not in first or p.basis in ("dried", "as is")]
    ends = [ledger.portions[name.casefold()] for name in ledger.ends if name.casefold() in ledger.portions]
    wanted = [p for p in ends if p.said.end == "product"] or [p for p in ends if p.said.end != "waste"]
    ledger.complete = bool(wanted) and all(p.mass is not None and p.basis != "borrowed" for p in wanted)
    # A first portion that nothing has been done to yet is not a finding of what went in.
    counted = [p for p in counted if p.name.casefold() not in first]
    if not counted or ledger.sample.value <= 0:
        return
    ledger.found = total(p.whole for p in counted if p.mass is not None)
    ledger.closure = ledger.found / ledger.sample
    ledger.missing = ledger.sample - ledger.found
    ledger.parts = {p.name: p.whole / ledger.sample for p in counted if p.mass is not None}
    sums = " + ".join(shown(p.whole) for p in counted if p.mass is not None)
    percent = ledger.closure * 100
    ledger.working = [
        WorkingLine("Recovered", f"{sums} g = {shown_with_u(ledger.found)} g" if len(counted) > 1 else f"{sums} g"),
        WorkingLine(
            "Mass balance" if ledger.complete else "Recovered so far",
            f"{shown(ledger.found)} ÷ {shown(ledger.sample)} g = {shown_with_u(percent)} %",
        ),
        WorkingLine(
            "Unaccounted for", f"{shown(ledger.sample)} − {shown(ledger.found)} g = {shown_with_u(ledger.missing)} g"
        ),
    ]


def _component(component: Component, run: Run, ledger: Ledger) -> ComponentAccount:
    """One component, taken against found (Ledger 4); in g alone where no formula is known."""
    brought = [one for one in ledger.substances if same(one.substance.component, component.name)]
    taken, taken_g, working = list[Measured | None](), list[Measured | None](), list[WorkingLine]()
    for one in brought:
        share = one.mass * one.substance.fraction if one.mass is not None else None
        taken_g.append(share)
        holds = units(one.formula, component.carrier) if one.formula else 0
        taken.append(one.amount * holds if one.amount is not None and holds else None)
        working += one.working[-1:] if one.amount is not None else ()
    holders = [p for p in _counted(ledger) if same(p.said.component, component.name)]
    holders = [p for p in holders if p.basis != "taken"]
    found, found_g = list[Measured | None](), list[Measured]()
    for portion in holders:
        assert portion.mass is not None
        mass = portion.whole
        found_g.append(mass)
        formula = portion.said.formula or (brought[0].formula if brought else "")
        holds = units(formula, component.carrier) if formula else 0
        found.append(mass * (holds / molar_mass(formula)) if holds else None)
        if holds and ledger.reacts:
            per = f" × {holds}" if holds > 1 else ""
            working.append(
                WorkingLine(
                    f"{component.name} in {portion.name}, as {readable(formula)}",
                    f"{shown(mass)} g ÷ {round_to(molar_mass(formula), 2)} g/mol{per} = {shown(found[-1])} mol",  # type: ignore[arg-type]
                )
            )
    taken_mol = total(m for m in taken if m) if taken and all(m is not None for m in taken) else None
    found_mol = total(m for m in found if m) if found and all(m is not None for m in found) else None
    in_g = total(m for m in taken_g if m) if taken_g and all(m is not None for m in taken_g) else None
    out_g = total(found_g) if found_g else None
    recovery = None
    pair = (found_mol, taken_mol) if ledger.reacts else (out_g, in_g)
    if pair[0] is not None and pair[1] is not None and pair[1].value > 0:
        recovery = pair[0] / pair[1]
        unit = "mol" if ledger.reacts else "g"
        working.append(
            WorkingLine(
                f"Recovery of {component.name}",
                f"{shown(pair[0])} ÷ {shown(pair[1])} {unit} = {shown_with_u(recovery * 100)} %",
            )
        )
    contents = list(_contents(component, holders, run, ledger, working)) if component.expressed else []
    return ComponentAccount(
        component,
        taken_mol,
        found_mol,
        in_g,
        out_g,
        tuple(p.name for p in holders),
        recovery,
        tuple(working),
        tuple(contents),
    )


def _contents(
    component: Component,
    holders: Sequence[PortionMass],
    run: Run,
    ledger: Ledger,
    working: list[WorkingLine],
) -> Iterable[tuple[str, Measured]]:
    """What part of its sample each portion stands for, as a gravimetric determination (Gravimetry 1)."""
    for portion in holders:
        names = {name.casefold() for step in run.procedure.made_by(portion.name) for name in step.adds}
        samples = [
            one.mass
            for one in ledger.substances
            if one.substance.role == "sample" and one.substance.name.casefold() in names
        ]
        if not portion.said.formula or not samples or any(mass is None or mass.value <= 0 for mass in samples):
            continue
        sample = total(mass for mass in samples if mass is not None)
        try:
            factor_ = factor(component.expressed, portion.said.formula, component.carrier)
        except Unreadable:
            continue  # said at planning time: the two share no element
        part = content(portion.whole, factor_, sample)
        working.append(factor_working(component.expressed, portion.said.formula, component.carrier))
        working.append(
            WorkingLine(
                f"{readable(component.expressed)} in the sample, by {portion.name}",
                f"{shown(portion.whole)} g × {round_to(factor_, 4)} ÷ {shown(sample)} g = {shown_with_u(part * 100)} %",
            )
        )
        yield portion.name, part


def _yields(procedure: Procedure, equation: Equation, ledger: Ledger) -> Iterable[Yield]:
    """Percent yield of each product portion: the limiting reagent from what was really taken."""
    amounts: dict[str, Measured] = {}
    brought_by: dict[str, SubstanceTaken] = {}
    for formula in equation.left:
        known = [
            (one, one.amount * holds)
            for one in ledger.substances
            if one.formula and one.amount is not None and one.substance.role in ("sample", "reagent")
            if (holds := supplies(one.formula, formula))
        ]
        if known:
            amounts[formula] = total(amount for _, amount in known)
            brought_by[formula] = known[0][0]
    if not amounts or any(amount.value <= 0 for amount in amounts.values()):
        return
    # Where a sample's content is what is sought, its reagent is in excess and says nothing of the most possible.
    if len(amounts) < len(equation.left) and any(component.expressed for component in procedure.components):
        return
    outcome = react(equation, amounts)
    least = brought_by[outcome.limiting]
    excess = tuple((brought_by[formula].substance.name, part) for formula, part in outcome.excess.items())
    for portion in ledger.portions.values():
        formula = plain(portion.said.formula) if portion.said.formula else ""
        made = equation.right.get(formula)
        if not made or portion.said.end == "waste":
            continue
        theoretical = outcome.mass(formula)
        obtained = None
        if portion.mass is not None and portion.basis not in ("borrowed", "taken"):
            obtained = portion.whole
        percent = obtained / theoretical if obtained is not None and theoretical.value > 0 else None
        possible = shown(outcome.made[formula])
        per_mol = round_to(molar_mass(formula), 2)
        lines = [
            WorkingLine(
                f"Limiting: {least.instead or least.substance.name}",
                f"{shown(outcome.extent)} mol of {readable(formula)} theoretical"
                if made == 1
                else f"{shown(outcome.extent)} mol × {made} = {possible} mol theoretical",
            ),
            WorkingLine(
                f"Theoretical yield of {portion.name}",
                f"{possible} mol × {per_mol} g/mol = {shown_with_u(theoretical)} g",
            ),
        ]
        if obtained is not None and percent is not None:
            lines.append(
                WorkingLine(
                    "Percent yield", f"{shown(obtained)} ÷ {shown(theoretical)} g = {shown_with_u(percent * 100)} %"
                )
            )
        yield Yield(
            portion.name,
            formula,
            least.substance.name,
            outcome.limiting,
            theoretical,
            obtained,
            percent,
            excess,
            tuple(lines),
        )
