"""What every layer should hold: the components followed through the steps, as planned and as recorded.

Flow 1. Amounts are those really taken, else those wanted; a liquid added in several steps without a
        reading is shared evenly among them.
Flow 2. In a funnel the pH comes from the balance of charges with all that is in it, and each component
        divides by its own distribution. What clings is met again (Distribution 3).
Flow 3. Without an organic layer the uncharged part of a component is a solid; so much stays dissolved
        as is said of the solid's portion.
Flow 4. A component of which nothing is said about acid, base or neutral is not followed.
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field, replace
from typing import Literal

from helvor.core.engine.run.account import Ledger
from helvor.core.engine.run.record import Run, TakenOn
from helvor.core.laws.extraction.acid_base import MOLAR_GAS, Solute, Water, gas_of, ph_of, reagent
from helvor.core.laws.extraction.layers import CUTS, Liquid, Settled, settle, solution
from helvor.core.laws.extraction.solutions import water_density
from helvor.core.quantities.formula import molar_mass
from helvor.core.quantities.reading import Unreadable
from helvor.core.record.house_rules import HouseRules
from helvor.core.record.outputs import Makes, in_phase, layers_of, makes_of
from helvor.core.record.procedure import Component, Procedure, Step, Substance, millilitres, same
from helvor.core.record.step_kinds import StepKind
from helvor.core.techniques.extraction.entries import Drained
from helvor.core.techniques.extraction.portions import written_once

PARTING = ("extract", "wash layer")
UNKNOWN_K = 1000.0
"""K of a component that is said to be neutral without a number: it stays in the organic layer."""


@dataclass(slots=True)
class Content:
    """What a portion should hold.

    Attributes:
        liquids: with mL of each; mol: component → mol.
        water: the acid and base in its water.
        dried: a drying agent took its water; brined: it was washed with brine.
        solid: it is a solid now.
    """

    liquids: list[tuple[Liquid, float]] = field(default_factory=list)
    mol: dict[str, float] = field(default_factory=dict)
    water: Water = field(default_factory=lambda: Water(0.0))
    dried: bool = False
    brined: bool = False
    solid: bool = False

    def volume(self, makes: str = "") -> float:
        """mL of its liquids, or of those that make a layer."""
        return sum(volume for liquid, volume in self.liquids if not makes or liquid.makes == makes)

    def plus(self, other: Content) -> Content:
        """Both together."""
        mol = dict(self.mol)
        for name, amount in other.mol.items():
            mol[name] = mol.get(name, 0.0) + amount
        return Content(
            _gathered([*self.liquids, *other.liquids]),
            mol,
            self.water + other.water,
            self.dried and other.dried,
            self.brined or other.brined,
            self.solid and other.solid,
        )

    def part(self, share: float) -> Content:
        """An even part of it."""
        return Content(
            [(liquid, volume * share) for liquid, volume in self.liquids],
            {name: amount * share for name, amount in self.mol.items()},
            self.water.part(share),
            self.dried,
            self.brined,
            self.solid,
        )


def _gathered(liquids: Iterable[tuple[Liquid, float]]) -> list[tuple[Liquid, float]]:
    by_name: dict[str, tuple[Liquid, float]] = {}
    for liquid, volume in liquids:
        if volume > 1e-9:
            before = by_name.get(liquid.name)
            by_name[liquid.name] = (liquid, volume + (before[1] if before else 0.0))
    return list(by_name.values())


@dataclass(frozen=True, slots=True)
class Round:
    """One portion in the funnel: mL of it, what stood there, the pH, and what of each component is left after it.

    ``left`` is the part of what was there at first that is in the layer extracted, the film included;
    ``out`` and ``stays``: mol of each component drawn off so far, and still in the funnel.
    """

    portion: float
    settled: Settled
    ph: float
    left: Mapping[str, float]
    gas: float
    out: Mapping[str, float] = field(default_factory=dict)
    stays: Mapping[str, float] = field(default_factory=dict)


@dataclass(frozen=True, slots=True)
class Parting:
    """A step in the funnel, followed.

    Attributes:
        feed: what was extracted; extract, rest: the layers at the end.
        makes: which layer the extract is: *aqueous* or *organic*.
        rounds: a portion each; solutes: the components as they were at first; water: mL of water and of
            organic layer in one round.
        trouble: why it cannot be followed; empty where it can.
    """

    step: str
    feed: Content
    extract: Content
    rest: Content
    makes: Makes | Literal[""]
    rounds: tuple[Round, ...]
    solutes: tuple[Solute, ...]
    added: tuple[str, ...]
    trouble: str = ""

    @property
    def settled(self) -> Settled | None:
        return self.rounds[-1].settled if self.rounds else None

    @property
    def ph(self) -> float | None:
        return self.rounds[-1].ph if self.rounds else None

    def names(self, step: Step) -> tuple[str, str]:
        """The portions of its step that the extract and the rest are; by their order where it cannot be followed."""
        if self.makes == "":
            first, second = (*step.gives, "", "")[:2]
            return first, second
        return layers_of(step, self.makes)

    def volumes(self) -> tuple[float, float]:
        """mL of the layer extracted and of one portion."""
        other = "organic" if self.makes == "aqueous" else "aqueous"
        portions = [one.portion for one in self.rounds]
        return self.feed.volume(other), sum(portions) / len(portions) if portions else 0.0


@dataclass(frozen=True, slots=True)
class Came:
    """A step that brings a water layer to a pH: what it has before and after, and the gas it gives, mL."""

    before: Content
    after: Content
    ph_before: float | None
    ph_after: float | None
    gas: float


@dataclass(slots=True)
class Flow:
    """Every portion's content, and the funnel's and pH steps in detail; names in lower case.

    ``history`` is a portion's content after each step that gave it or worked on it.
    """

    contents: dict[str, Content] = field(default_factory=dict)
    before: dict[str, Content] = field(default_factory=dict)
    partings: dict[str, Parting] = field(default_factory=dict)
    came: dict[str, Came] = field(default_factory=dict)
    taken: dict[str, float] = field(default_factory=dict)
    history: dict[str, list[tuple[str, Content]]] = field(default_factory=dict)

    def now(self, portion: str, run: Run) -> Content | None:
        """What a portion holds by the steps that are done: what is only planned on it does not count yet."""
        steps = self.history.get(portion.casefold(), [])
        done = [content for step, content in steps if step in run.done]
        return done[-1] if done else steps[0][1] if steps else None

    def of(self, portion: str) -> Content | None:
        return self.contents.get(portion.casefold())


def neutral_mass(procedure: Procedure, component: str) -> float | None:
    """Molar mass of a component as it was taken, g/mol; None where no formula is known."""
    for substance in procedure.substances:
        if same(substance.component, component) and substance.formula:
            return molar_mass(substance.formula)
    for portion in procedure.portions:
        if same(portion.component, component) and portion.formula:
            return molar_mass(portion.formula)
    return None


def solute_of(component: Component, mol: float) -> Solute:
    """A component as the arithmetic of acids and bases sees it."""
    k = 10.0**component.log_k if component.log_k is not None else UNKNOWN_K
    acts = component.acts or "neutral"
    return Solute(component.name, acts if component.pka is not None else "neutral", component.pka, k, mol)


def solutes_of(procedure: Procedure, mol: Mapping[str, float]) -> tuple[Solute, ...]:
    """Every followed component with its mol, by name in lower case; those that are not there with none."""
    return tuple(solute_of(one, mol.get(one.name.casefold(), 0.0)) for one in procedure.components if one.acts)


def liquid_of(substance: Substance, molar: float | None = None) -> Liquid | None:
    """A substance as a liquid in the funnel; None where nothing says which layer it makes."""
    concentration = molar or substance.molar
    if substance.layer in ("", "aqueous") and concentration and substance.formula:
        known = solution(substance.name, substance.formula, concentration)
        return replace(known, density=substance.density) if substance.density else known
    if makes_of(substance) == "aqueous":
        salty = "brine" in substance.name.casefold()
        density = substance.density or (1.197 if salty else water_density())
        return Liquid(substance.name, "aqueous", density, salty=salty)
    if substance.layer and substance.density:
        return Liquid(substance.name, substance.layer, substance.density)
    return None


def takings(run: Run, step: Step, name: str) -> list[TakenOn]:
    """What was taken of a substance in a step; written beside no step it belongs to the only one that adds it."""
    adding = [one.id for one in run.procedure.steps if any(same(added, name) for added in one.adds)]
    here = {step.id, ""} if adding == [step.id] else {step.id}
    return [on for on in run.taken if same(on.taken.substance, name) and on.taken.step in here]


class _Follower:
    """Goes through the steps once; what a portion holds is known when the step that gives it is reached."""

    def __init__(self, run: Run, ledger: Ledger, rules: HouseRules, kinds: Mapping[str, StepKind]) -> None:
        self.run, self.ledger, self.rules, self.kinds = run, ledger, rules, kinds
        self.procedure = run.procedure
        self.cut = CUTS[rules["boundary"].key]
        self.followed = {c.name.casefold(): c for c in self.procedure.components if c.acts}
        self.flow = Flow()
        self.at = ""
        self.celsius = {said.step: said.celsius for _, said in run.notes if said.celsius is not None}
        self.adding: dict[str, int] = {}
        for step in self.procedure.steps:
            for name in step.adds:
                self.adding[name.casefold()] = self.adding.get(name.casefold(), 0) + 1

    def solutes(self, mol: Mapping[str, float]) -> tuple[Solute, ...]:
        return solutes_of(self.procedure, mol)

    def poured(self, step: Step, name: str) -> list[float]:
        """mL of a liquid in each portion of a step (Flow 1)."""
        substance = self.procedure.substance(name)
        amounts = [on.taken.amount for on in takings(self.run, step, name)]
        read = (
            [mL for amount in amounts if (mL := millilitres(substance, amount))]
            if substance
            else [amount.value for amount in amounts if amount is not None and amount.unit == "mL"]
        )
        times = step.times if step.kind in PARTING else 1
        if written_once(read, times, self._planned(name)):
            return [read[0] / times] * times
        if read:
            settled = step.id in self.run.done or step.kind not in PARTING
            planned = self._planned(name)
            more = [planned / times] * (times - len(read)) if planned and not settled else []
            return read + more
        planned = self._planned(name)
        return [planned / times] * times if planned else []

    def _planned(self, name: str) -> float:
        substance = self.procedure.substance(name)
        if substance is None:
            return 0.0
        return millilitres(substance, substance.amount) / self.adding.get(name.casefold(), 1)

    def brought(self, step: Step, name: str, volume: float | None) -> Content:
        """What an added substance brings; *volume* mL of a liquid."""
        substance = self.procedure.substance(name)
        if substance is None:
            return Content()
        content = Content()
        molar = self._molar(step, substance)
        if volume:
            liquid = liquid_of(substance, molar)
            if liquid is not None:
                content.liquids = [(liquid, volume)]
                if liquid.makes == "aqueous":
                    known = reagent(substance.formula, (molar or 0.0) * volume / 1000, volume)
                    content.water = known or Water(volume)
                content.brined = liquid.salty and "brine" in substance.name.casefold()
        elif substance.formula and (amount := self._mol(step, substance)):
            known = reagent(substance.formula, amount, 0.0)
            content.water = known or Water(0.0)
        key = substance.component.casefold()
        if key in self.followed and (mol := self._mol(step, substance)):
            content.mol = {key: mol}
            self.flow.taken[key] = self.flow.taken.get(key, 0.0) + mol
        return content

    def _molar(self, step: Step, substance: Substance) -> float | None:
        readings = takings(self.run, step, substance.name)
        bottle = next((on.taken.bottle for on in readings if on.taken.bottle), None)
        return bottle.molar if bottle else substance.molar

    def _mol(self, step: Step, substance: Substance) -> float:
        """mol of a substance, as taken (in all steps), else as wanted; shared among the steps that add it."""
        known = self.ledger.taken(substance.name)
        share = 1 / self.adding.get(substance.name.casefold(), 1)
        if known is not None and known.amount is not None:
            return known.amount.value * share
        wanted = substance.amount
        if wanted is None or not substance.formula:
            return 0.0
        if wanted.unit == "mL":
            if substance.molar:
                return wanted.value * substance.molar / 1000 * share
            grams_ = wanted.value * (substance.density or 0.0)
        else:
            grams_ = wanted.value
        return grams_ * substance.fraction / molar_mass(substance.formula) * share

    def step(self, step: Step) -> None:
        self.at = step.id
        content = Content()
        touched = (*step.takes, *((step.on,) if step.on else ()))
        first = True
        for name in touched:
            before = self.flow.of(name)
            if before is not None:
                content = before if first else content.plus(before)
                first = False
        self.flow.before[step.id] = content
        if step.kind in PARTING:
            self._part(step, content)
            return
        was = content
        for name in step.adds:
            volumes = self.poured(step, name)
            content = content.plus(self.brought(step, name, sum(volumes) if volumes else None))
        kind = self.kinds.get(step.kind)
        if step.kind == "set ph":
            content = self._came(step, was, content)
        if kind is not None and kind.parts and len(step.gives) == 2:
            solid = in_phase(step, kind, "solid")
            parted = self._filtered(step, content, solid)
            for name, part in zip((in_phase(step, kind, "liquid"), solid), parted, strict=True):
                if name:
                    self._give(name, part)
            return
        names = list(step.gives) or [step.on] if step.on else list(step.gives)
        content = self._dried(step, kind, content)
        for name in names:
            self._give(name, content if len(names) == 1 else content.part(1 / len(names)))

    def _dried(self, step: Step, kind: StepKind | None, content: Content) -> Content:
        """What is left when the drying agent has taken the water, or heat the solvent."""
        if step.kind == "dry layer":
            return Content(
                [(liquid, volume) for liquid, volume in content.liquids if liquid.makes == "organic"],
                content.mol,
                Water(0.0),
                dried=True,
                brined=content.brined,
            )
        if kind is not None and kind.dries:
            return Content([], content.mol, Water(0.0), content.dried, content.brined, solid=True)
        return content

    def _give(self, name: str, content: Content) -> None:
        self.flow.contents[name.casefold()] = content
        self.flow.history.setdefault(name.casefold(), []).append((self.at, content))

    def _came(self, step: Step, before: Content, after: Content) -> Content:
        """A water layer brought to a pH, without the carbon dioxide that leaves."""

        def ph(content: Content) -> float | None:
            if content.water.volume <= 0:
                return None
            return ph_of(content.water, self.solutes(content.mol), content.volume("organic"))

        at = ph(after)
        # Hydrogencarbonate that was there loses its gas, and what comes with it too.
        gas = gas_of(after.water, at) if at is not None else 0.0
        self.flow.came[step.id] = Came(before, after, ph(before), at, gas)
        left = after.water.carbonate - gas / (1000 * MOLAR_GAS)
        return replace(after, water=replace(after.water, carbonate=max(0.0, left)))

    def _filtered(self, step: Step, content: Content, solid_name: str) -> tuple[Content, Content]:
        """A liquid and a solid (Flow 3)."""
        liquid = Content(list(content.liquids), {}, content.water, content.dried, content.brined)
        solid = Content([], {}, Water(0.0), solid=True)
        organic = content.volume("organic")
        ph = ph_of(content.water, self.solutes(content.mol), organic) if content.water.volume > 0 else 7.0
        soluble = self.procedure.portion(solid_name).soluble or 0.0
        for one in self.solutes(content.mol):
            key = one.name.casefold()
            if organic > 0 or not one.mol:
                stays = one.mol
            else:
                m = neutral_mass(self.procedure, one.name)
                most = soluble / m * content.water.volume / 1000 / max(1 - one.charged(ph), 1e-12) if m else 0.0
                stays = min(one.mol, max(most, one.mol * one.charged(ph)))
            liquid.mol[key] = stays
            solid.mol[key] = one.mol - stays
        return liquid, solid

    def _part(self, step: Step, feed: Content) -> None:
        added = [(name, self.poured(step, name)) for name in step.adds]
        count = max((len(volumes) for _, volumes in added), default=0)
        portions = [[(name, volumes[i]) for name, volumes in added if i < len(volumes)] for i in range(count)]
        try:
            parting = self._rounds(step, feed, portions)
        except Unreadable as unreadable:
            parting = _unfollowed(step, feed, str(unreadable))
        self.flow.partings[step.id] = parting
        for name, content in zip(parting.names(step), (parting.extract, parting.rest), strict=True):
            if name:
                self._give(name, content)
        if not step.gives and step.on:
            self._give(step.on, parting.rest)

    def _rounds(self, step: Step, feed: Content, portions: list[list[tuple[str, float]]]) -> Parting:
        if not portions:
            return _unfollowed(step, feed, _missing(step, feed))
        first = Content()
        for name, volume in portions[0]:
            first = first.plus(self.brought(step, name, volume))
        makes = self._extracting(step, feed, first, portions)
        if not first.liquids:
            return _unfollowed(step, feed, f"Enter which layer {portions[0][0][0]} forms, and its density.")
        whole = feed
        start = dict(feed.mol)
        extract, rounds = Content(), []
        for number, portion in enumerate(portions):
            fresh = first if number == 0 else Content()
            if number:
                for name, volume in portion:
                    fresh = fresh.plus(self.brought(step, name, volume))
            whole = whole.plus(fresh)
            settled = settle(whole.liquids, self.celsius.get(step.id, 20.0))
            if settled.upper is None or settled.lower is None:
                return _unfollowed(step, feed, settled.why_one)
            water, organic = (
                layer.volume
                for makes_ in ("aqueous", "organic")
                for layer in (settled.upper, settled.lower)
                if layer.makes == makes_
            )
            solutes = self.solutes(whole.mol)
            ph = ph_of(replace(whole.water, volume=water), solutes, organic)
            gas = gas_of(whole.water, ph)
            drawn_layer = settled.upper if settled.upper.makes == makes else settled.lower
            stays = min(self.cut.behind, drawn_layer.volume / 2) / drawn_layer.volume
            drawn, rest = _divide(whole, settled, makes, solutes, ph, stays)
            if gas > 0:
                lost = gas / (1000 * MOLAR_GAS)
                rest.water = replace(rest.water, carbonate=max(0.0, rest.water.carbonate - lost * stays))
                drawn.water = replace(drawn.water, carbonate=max(0.0, drawn.water.carbonate - lost * (1 - stays)))
            extract, whole = extract.plus(drawn), rest
            left = {key: rest.mol.get(key, 0.0) / amount for key, amount in start.items() if amount > 0}
            rounds.append(
                Round(sum(volume for _, volume in portion), settled, ph, left, gas, dict(extract.mol), dict(rest.mol))
            )
        # Brine counts only as the last thing that the organic layer was shaken with.
        whole.brined, extract.brined = makes == "aqueous" and first.brined, False
        return Parting(
            step.id,
            feed,
            extract,
            whole,
            makes,
            tuple(rounds),
            self.solutes(feed.mol),
            tuple(name for name, _ in portions[0]),
        )

    def _extracting(self, step: Step, feed: Content, first: Content, portions: list[list[tuple[str, float]]]) -> Makes:
        """The layer of the liquid that extracts or washes.

        Where the funnel was empty both liquids are added: then it is the one that came in more portions, else the last.
        """
        if not feed.liquids and first.volume("organic") > 0 and first.volume("aqueous") > 0:
            often = portions[1] if len(portions) > 1 else portions[0][-1:]
            for name, _ in often:
                substance = self.procedure.substance(name)
                liquid = liquid_of(substance, self._molar(step, substance)) if substance is not None else None
                if liquid is not None and liquid.makes != "both":
                    return "organic" if liquid.makes == "organic" else "aqueous"
        return "organic" if first.volume("organic") > first.volume("aqueous") else "aqueous"


def _missing(step: Step, feed: Content) -> str:
    """What must be said before the layers of a funnel can be."""
    if step.adds:
        return f"Enter how much {step.adds[0]} is added."
    there = " and ".join(f"{liquid.name} {volume:.3g} mL" for liquid, volume in feed.liquids)
    if there:
        return f"In the funnel: {there}. Enter the liquid that is added, and how much."
    return "Enter both liquids in the funnel, and how much of each."


def _divide(
    whole: Content, settled: Settled, makes: str, solutes: Iterable[Solute], ph: float, stays: float
) -> tuple[Content, Content]:
    """What is drawn off and what stays, of which *stays* (0 to 1) of the drawn layer clings."""
    assert settled.upper is not None and settled.lower is not None
    by_layer: dict[str, dict[str, float]] = {layer.makes: dict(layer.parts) for layer in (settled.upper, settled.lower)}
    water, organic = (sum(by_layer[makes_].values()) for makes_ in ("aqueous", "organic"))
    drawn, rest = Content(), Content(brined=whole.brined)
    for liquid, _ in whole.liquids:
        out = by_layer[makes].get(liquid.name, 0.0) * (1 - stays)
        drawn.liquids.append((liquid, out))
        rest.liquids.append((liquid, sum(parts.get(liquid.name, 0.0) for parts in by_layer.values()) - out))
    drawn.liquids, rest.liquids = _gathered(drawn.liquids), _gathered(rest.liquids)
    for one in solutes:
        in_organic = one.in_organic(ph, water, organic)
        out = one.mol * (in_organic if makes == "organic" else 1 - in_organic) * (1 - stays)
        drawn.mol[one.name.casefold()] = out
        rest.mol[one.name.casefold()] = one.mol - out
    share = 1 - stays if makes == "aqueous" else 0.0
    drawn.water, rest.water = whole.water.part(share), whole.water.part(1 - share)
    return drawn, rest


def _unfollowed(step: Step, feed: Content, why: str) -> Parting:
    return Parting(step.id, feed, Content(), feed, "", (), (), tuple(step.adds), why)


def follow(run: Run, ledger: Ledger, rules: HouseRules, kinds: Mapping[str, StepKind]) -> Flow:
    """Follow every component through the run: what was done as recorded, the rest as planned."""
    follower = _Follower(run, ledger, rules, kinds)
    for step in run.procedure.steps:
        if step.id not in run.skipped:
            follower.step(step)
    return follower.flow


@dataclass(frozen=True, slots=True)
class InVessel:
    """A portion that came out of a funnel: its vessel and its volume read, mL; None where it was not."""

    portion: str
    vessel: str
    volume: float | None
    place: str
    step: str
    times: int = 1


def vessels(run: Run) -> dict[str, InVessel]:
    """Portion in lower case → where it was drained to; volumes of several drainings add up."""
    found: dict[str, InVessel] = {}
    for _, drained in run.of(Drained):
        key = drained.portion.casefold()
        before = found.get(key)
        volume = drained.volume.value if drained.volume is not None else None
        again = before is not None and before.step == drained.step
        if again and before is not None and before.volume is not None and volume is not None:
            volume += before.volume
        found[key] = InVessel(
            drained.portion,
            drained.vessel or (before.vessel if before else ""),
            volume,
            drained.place,
            drained.step,
            before.times + 1 if again and before is not None else 1,
        )
    return found


def so_far(flow: Flow, run: Run, vessel: InVessel) -> Mapping[str, float] | None:
    """mol of each component in a vessel while its step still goes on; None once that is done."""
    parting, step = flow.partings.get(vessel.step), run.procedure.step(vessel.step)
    if parting is None or step is None or step.id in run.done or not step.gives or not parting.rounds:
        return None
    if not same(vessel.portion, parting.names(step)[0]):
        return None
    return parting.rounds[min(vessel.times, len(parting.rounds)) - 1].out


def grams(flow: Flow, procedure: Procedure, portion: str, mol: Mapping[str, float] | None = None) -> dict[str, float]:
    """What a portion should hold of each followed component, g by its neutral form; of *mol* where that is given."""
    content = flow.of(portion)
    held = mol if mol is not None else content.mol if content is not None else None
    if held is None:
        return {}
    found = {}
    for component in procedure.components:
        amount = held.get(component.name.casefold(), 0.0)
        m = neutral_mass(procedure, component.name)
        if component.acts and m is not None and amount > 0:
            found[component.name] = amount * m
    return found
