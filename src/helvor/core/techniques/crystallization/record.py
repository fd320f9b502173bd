"""A recrystallization on record: what is in the flask, how it cooled, what can come out, what melted where.

Record 1. The solid is what the portion dissolved weighed, else what was weighed in of its component.
Record 2. The liquor's volume is what was added hot, rinses too, less what was boiled off.
Record 3. A wash that was not ice-cold dissolves as at room temperature.
Record 4. It was filtered at the lowest temperature that was seen; room temperature where none was.
Record 5. A melting range is corrected by the standards melted on the same thermometer in this run.
"""

from __future__ import annotations

import re
from dataclasses import dataclass, replace
from datetime import datetime
from typing import Literal

from helvor.core.engine.run.account import Ledger, PortionMass
from helvor.core.engine.run.record import Run
from helvor.core.laws.crystallization.melting import Range, Standard, corrected
from helvor.core.laws.crystallization.plan import EXTRA, Recrystallization, recrystallize
from helvor.core.laws.crystallization.solubility import Curve, curve_of
from helvor.core.laws.crystallization.solvents import Tried
from helvor.core.quantities.reading import Unreadable
from helvor.core.record.procedure import Component, Procedure, Step, same
from helvor.core.techniques.crystallization.entries import (
    Crystallized,
    MeltingSeen,
    SolventAdded,
    SolventTried,
    StandardMelted,
    TemperatureSeen,
)
from helvor.core.techniques.filtration.entries import Washed

DISSOLVE, CRYSTALLIZE, MELT, TRY = "dissolve hot", "crystallize", "melting point", "try solvents"
ROOM = 21.0
"""°C where no temperature was seen."""


_CRYSTALS = re.compile(r"^(?!no\b|nothing\b).*(crystal|needle)", re.IGNORECASE)


@dataclass(frozen=True, slots=True)
class Cooling:
    """A temperature on the way down: minutes since the first, °C, words."""

    minutes: float
    celsius: float
    seen: str
    at: datetime


@dataclass(frozen=True, slots=True)
class Flask:
    """One solid in its solvent.

    Attributes:
        component: that crystallizes; solvent: its name.
        mass: g that were dissolved, None where none is known; hot: °C at which it was.
        dissolved, extra, rinsed, boiled_off: mL; portions: how many were added to dissolve it.
        curve: its solubility, None where the procedure has none; cold: °C it was filtered at; cold_seen: it was read.
        wash: mL of washes of the product; warm_wash: how much of that was not ice-cold; hot_wash: how much was hot.
        cooling: in order; outcomes: what came, in order.
        crops: portions that it is collected in, the first crop first, with their masses once weighed.
        plan: with what is really in the flask, None where something is missing; why_not: what.
    """

    step: str
    component: str
    solvent: str
    mass: float | None
    hot: float | None
    dissolved: float
    extra: float
    rinsed: float
    boiled_off: float
    portions: int
    curve: Curve | None
    cold: float
    cold_seen: bool
    wash: float
    warm_wash: float
    hot_wash: float
    cooling: tuple[Cooling, ...]
    outcomes: tuple[Crystallized, ...]
    crops: tuple[PortionMass, ...]
    plan: Recrystallization | None = None
    why_not: str = ""

    @property
    def volume(self) -> float:
        """mL of solvent at the end (Record 2)."""
        return max(0.0, self.dissolved + self.extra + self.rinsed - self.boiled_off)

    @property
    def ceiling(self) -> float | None:
        """Part that can be recovered at most, with what is really in the flask."""
        return self.plan.ceiling if self.plan is not None and self.volume > 0 else None

    @property
    def most(self) -> float | None:
        """Part that can come at all: what stays in the liquor cannot; what a wash takes depends on how it was done."""
        return 1 - self.plan.liquor / self.plan.mass if self.plan is not None and self.volume > 0 else None

    @property
    def into_ice(self) -> Cooling | None:
        """Where it was set into ice."""
        return next((one for one in self.cooling if re.search(r"\b(?:in|into|on|to) ice\b", one.seen, re.I)), None)

    @property
    def product(self) -> PortionMass | None:
        """The first crop."""
        return self.crops[0] if self.crops else None

    @property
    def recovered(self) -> float | None:
        """Part of the solid that the crops weigh together; None before the first is weighed."""
        if self.product is None or self.product.mass is None or not self.mass:
            return None
        return sum(crop.mass.value for crop in self.crops if crop.mass is not None) / self.mass

    @property
    def first_crystals(self) -> Cooling | None:
        """The temperature beside which crystals are spoken of first."""
        return next((one for one in self.cooling if _CRYSTALS.search(one.seen)), None)

    @property
    def lean(self) -> bool:
        """Whether too little more than the least went in for a hot filtration; rinses come after it."""
        return self.plan is not None and self.dissolved + self.extra < (1 + EXTRA[0]) * self.plan.least


def flasks(run: Run, ledger: Ledger) -> list[Flask]:
    """Each step in which something is dissolved hot, with all that follows from it."""
    return [_flask(run, ledger, step) for step in run.procedure.steps if step.kind == DISSOLVE]


def _flask(run: Run, ledger: Ledger, step: Step) -> Flask:
    procedure = run.procedure
    component = component_of(procedure, step)
    after = _after(procedure, step)
    added = [said for _, said in run.of(SolventAdded) if said.step == step.id or said.step in after]
    by = {
        why: sum(said.volume.value for said in added if said.why == why)
        for why in ("dissolve", "extra", "rinse", "boiled off")
    }
    solvent = next((name for name in step.adds if (s := procedure.substance(name)) and s.role == "solvent"), "")
    curve = _curve(component, solvent)
    boils = procedure.substance(solvent)
    hot = step.celsius if step.celsius is not None else boils.boils if boils is not None else None
    cooling = _cooling(run, {step.id, *after})
    cold = min((one.celsius for one in cooling), default=ROOM)
    crops = _crops(procedure, ledger, component)
    washes = [
        said for _, said in run.of(Washed) if said.step in after and (not solvent or _alike(said.liquid, solvent))
    ]
    wash = sum(said.millilitres for said in washes)
    warm = sum(said.millilitres for said in washes if said.cold != "ice-cold")
    flask = Flask(
        step.id,
        component.name if component else "",
        solvent,
        _mass(procedure, ledger, step, component),
        hot,
        by["dissolve"],
        by["extra"],
        by["rinse"],
        by["boiled off"],
        sum(said.why == "dissolve" for said in added),
        curve,
        cold,
        bool(cooling),
        wash,
        warm,
        sum(said.millilitres for said in washes if said.cold == "hot"),
        cooling,
        tuple(said for _, said in run.of(Crystallized) if said.step == step.id or said.step in after),
        crops,
    )
    return _planned(flask)


def _planned(flask: Flask) -> Flask:
    """With the plan of what is in it, or why there is none."""
    if flask.mass is None:
        return replace(flask, why_not="Weigh the solid first: the volume follows from its mass.")
    if flask.curve is None:
        return replace(
            flask,
            why_not="Its solubility in this solvent is not known: enter it from the reference data or a handbook.",
        )
    if flask.hot is None:
        return replace(flask, why_not="Enter the temperature at which it dissolves.")
    try:
        # A wash that was not ice-cold takes what room temperature takes, at least: so much more of a cold one.
        warmth = flask.curve.at(max(ROOM, flask.cold)) / flask.curve.at(flask.cold) if flask.warm_wash else 1.0
        wash = flask.wash - flask.warm_wash + flask.warm_wash * warmth
        plan = recrystallize(flask.mass, flask.curve, flask.hot, flask.cold, volume=flask.volume or None, wash=wash)
    except Unreadable as unreadable:
        return replace(flask, why_not=str(unreadable))
    return replace(flask, plan=plan)


def component_of(procedure: Procedure, step: Step) -> Component | None:
    """What crystallizes: the followed component whose solubility in a solvent of the step is known, else the first."""
    known = [c for c in procedure.components if any(_curve(c, name) is not None for name in step.adds)]
    return next(iter(known or procedure.components), None)


def _alike(liquid: str, solvent: str) -> bool:
    """Whether a wash is of the solvent: ``ice-cold water`` is water."""
    return solvent.casefold() in liquid.casefold() or liquid.casefold() in solvent.casefold()


def _curve(component: Component | None, solvent: str) -> Curve | None:
    if component is None or not solvent:
        return None
    pairs = next((points for name, points in component.dissolves.items() if same(name, solvent)), None)
    return curve_of(pairs) if pairs else None


def _after(procedure: Procedure, step: Step) -> set[str]:
    """Steps that go on with what a step gives or works on."""
    reached = {name.casefold() for name in (*step.gives, *((step.on,) if step.on else ()))}
    found, passed = set[str](), False
    for one in procedure.steps:
        if one.id == step.id:
            passed = True
            continue
        if passed and reached & {name.casefold() for name in (*one.takes, *((one.on,) if one.on else ()))}:
            found.add(one.id)
            reached |= {name.casefold() for name in one.gives}
    return found


def _mass(procedure: Procedure, ledger: Ledger, step: Step, component: Component | None) -> float | None:
    """g of the solid (Record 1)."""
    for name in (*step.takes, step.on):
        portion = ledger.portion(name) if name else None
        if portion is not None and portion.mass is not None:
            return portion.mass.value
    whole = 0.0
    for substance in procedure.substances:
        if component is not None and same(substance.component, component.name):
            taken = ledger.taken(substance.name)
            if taken is not None and taken.mass is not None:
                whole += taken.mass.value
    return whole or None


def _cooling(run: Run, steps: set[str]) -> tuple[Cooling, ...]:
    seen = [(line.root.happened, said) for line, said in run.of(TemperatureSeen) if said.step in steps]
    seen.sort(key=lambda pair: pair[0])
    return tuple(Cooling((at - seen[0][0]).total_seconds() / 60, said.celsius, said.seen, at) for at, said in seen)


def _crops(procedure: Procedure, ledger: Ledger, component: Component | None) -> tuple[PortionMass, ...]:
    found = []
    for name in procedure.portion_names:
        said, mass = procedure.portion(name), ledger.portion(name)
        if said.end == "product" and mass is not None and (component is None or same(said.component, component.name)):
            found.append(mass)
    return tuple(found)


@dataclass(frozen=True, slots=True)
class Melted:
    """A melting range on record: as read and corrected, published value of what the portion should hold."""

    said: MeltingSeen
    seen: Range
    true: Range
    what: str
    published: float | None
    at: datetime


def standards_of(run: Run) -> list[Standard]:
    """Standards melted on this run's thermometer."""
    return [Standard(said.name, said.published, said.read) for _, said in run.of(StandardMelted)]


def melted(run: Run) -> list[Melted]:
    """Every melting range, in order (Record 5)."""
    standards = standards_of(run)
    found = []
    for line, said in run.of(MeltingSeen):
        what, published = published_of(run.procedure, said.portion)
        found.append(Melted(said, said.range, corrected(said.range, standards), what, published, line.root.happened))
    return found


def published_of(procedure: Procedure, portion: str) -> tuple[str, float | None]:
    """What a portion should be, and its published melting point, °C: of its component, or of the only one."""
    component = procedure.portion(portion).component
    solids = [s for s in procedure.substances if s.component and s.melts is not None]
    mine = [s for s in solids if component and same(s.component, component)]
    one = next(iter(mine), None) or (solids[0] if len(solids) == 1 else None)
    return (one.component, one.melts) if one is not None else (component or portion, None)


def tried_of(run: Run) -> list[Tried]:
    """Solvents in test tubes; what is said later of a solvent holds, where it is said."""
    found: dict[str, Tried] = {}
    for _, said in run.of(SolventTried):
        key = said.solvent.casefold()
        before = found.get(key, Tried(said.solvent))
        found[key] = Tried(
            before.solvent, said.cold or before.cold, said.hot or before.hot, said.cooled or before.cooled
        )
    return list(found.values())


def liquors_of(procedure: Procedure, component: str) -> list[str]:
    """Portions that leave with some of a component still dissolved: its mother liquors."""
    return [p.name for p in procedure.portions if p.end == "waste" and component and same(p.component, component)]


def estimates(run: Run, ledger: Ledger) -> dict[str, float]:
    """What portions that were not weighed should hold by the curves, g: name in lower case → amount."""
    found: dict[str, float] = {}
    for flask in flasks(run, ledger):
        liquors = liquors_of(run.procedure, flask.component)
        # Several liquors share what stays; the curve does not say how.
        if flask.plan is None or not flask.volume or len(liquors) != 1:
            continue
        found[liquors[0].casefold()] = flask.plan.liquor
    return found


@dataclass(frozen=True, slots=True)
class Share:
    """A part of the solid: g, and how it is known.

    ``kind`` is *measured*, *estimated* by the curve, *missing*, or *more* than went in.
    """

    name: str
    grams: float
    kind: Literal["measured", "estimated", "missing", "more"]


def where_it_went(flask: Flask) -> list[Share]:
    """Where the solid is once a crop is weighed: crops as weighed, liquor and washes by the curve, and the rest."""
    plan, mass = flask.plan, flask.mass
    if plan is None or not mass or flask.recovered is None:
        return []
    shares = [Share(crop.name, crop.mass.value, "measured") for crop in flask.crops if crop.mass is not None]
    shares += [Share("liquor", plan.liquor, "estimated"), Share("washes", plan.washed, "estimated")]
    rest = mass - sum(share.grams for share in shares)
    # Below a milligram nothing is missing that a balance could tell.
    if rest >= 0.001:
        shares.append(Share("not found", rest, "missing"))
    elif rest <= -0.001:
        shares.append(Share("more than went in", -rest, "more"))
    return [share for share in shares if share.grams > 0]
