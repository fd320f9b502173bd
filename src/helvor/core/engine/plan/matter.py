"""What is known of each portion while the steps of a plan are walked: liquids, solids, heat, acid or base."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, field

from helvor.core.hazards.care import Care
from helvor.core.hazards.incompatible import HYDROXIDE, STRONG_ACID
from helvor.core.hazards.substances import care_of, liquids_of, of_step
from helvor.core.record.outputs import added_layer, in_phase, layers_of
from helvor.core.record.parameters import parameters_of
from helvor.core.record.procedure import Procedure, Step, Substance, millilitres, same
from helvor.core.record.step_kinds import StepKind


@dataclass(slots=True)
class Matter:
    """What the plan knows of a portion when a step begins.

    Attributes:
        hot: the words of the step that left it hot; empty where it is not.
        volume: mL; liquids: each liquid by name with its mL; cares: what is known of all that is in it, by name.
        substances: names of everything that went in.
        reaction: *acid* or *base*, by what went in last; empty where neither did or both met.
        poured: mL that went in all told: what stands in the vessel, and rinses and washes that ran through it.
    """

    hot: str = ""
    volume: float = 0.0
    liquids: dict[str, float] = field(default_factory=dict)
    cares: dict[str, Care] = field(default_factory=dict)
    substances: set[str] = field(default_factory=set)
    reaction: str = ""
    poured: float = 0.0

    @property
    def burning(self) -> list[Care]:
        """The liquids in it that burn, the lowest boiling first."""
        there = [self.cares[name] for name in self.liquids if self.cares[name].burns]
        return sorted(there, key=lambda care: care.boils if care.boils is not None else 0.0)

    @property
    def flammable(self) -> str:
        """The liquid in it that burns soonest, as it is written; empty where none burns."""
        return self.burning[0].shown if self.burning else ""

    def plus(self, other: Matter) -> Matter:
        """Both together."""
        liquids = dict(self.liquids)
        for name, volume in other.liquids.items():
            liquids[name] = liquids.get(name, 0.0) + volume
        reactions = {self.reaction, other.reaction} - {""}
        return Matter(
            self.hot or other.hot,
            self.volume + other.volume,
            liquids,
            self.cares | other.cares,
            self.substances | other.substances,
            reactions.pop() if len(reactions) == 1 else "",
            self.poured + other.poured,
        )

    def shared(self, among: int) -> None:
        """Leave one of several equal shares of its liquids."""
        self.volume /= among
        self.poured /= among
        self.liquids = {liquid: ml / among for liquid, ml in self.liquids.items()}

    def copy(self, **changes: str) -> Matter:
        return Matter(
            changes.get("hot", self.hot),
            self.volume,
            dict(self.liquids),
            dict(self.cares),
            set(self.substances),
            self.reaction,
            self.poured,
        )


@dataclass(frozen=True, slots=True)
class Moment:
    """A step with what its portions are before it, what it adds, and both together."""

    number: int
    step: Step
    kind: StepKind | None
    matter: Matter
    held: Matter = field(default_factory=Matter)
    added: Matter = field(default_factory=Matter)

    @property
    def words(self) -> str:
        """Everything that is said of the step."""
        return f"{self.step.says}. {self.step.cautions}"


@dataclass(slots=True)
class _Walk:
    """What is known while the steps are walked: each portion's matter, and which liquid stands below which solid."""

    procedure: Procedure
    known: dict[str, Matter] = field(default_factory=dict)
    liquor_of: dict[str, str] = field(default_factory=dict)

    def held(self, touched: Sequence[str]) -> Matter:
        """Everything that a step works on, together."""
        held = Matter()
        for name in touched:
            held = held.plus(self.known.get(name, Matter()))
        return held

    def wash_through(self, kind: StepKind | None, touched: Sequence[str], added: Matter) -> bool:
        """A wash runs through the solid into the receiver, to what was filtered off before."""
        washed = next((self.liquor_of[name] for name in touched if name in self.liquor_of), "")
        if kind is None or not kind.runs_through or washed not in self.known:
            return False
        self.known[washed].poured += added.poured
        return True

    def give(self, step: Step, kind: StepKind | None, touched: Sequence[str], moment: Moment, after: Matter) -> None:
        """Share what there is now out among the portions that a step gives."""
        if kind is not None and kind.layers and step.gives:
            names = layers_of(step, added_layer(self.procedure, step) or "aqueous")
            for name, layer in zip(names, (moment.added, moment.held), strict=True):
                if name:
                    self.known[name.casefold()] = layer.copy(hot=after.hot)
            return
        liquid = in_phase(step, kind, "liquid") if len(step.gives) > 1 else ""
        for name in step.gives or touched:
            one = after.copy()
            if kind is not None and kind.shares and len(step.gives) > 1:
                one.shared(len(step.gives))
            elif liquid and not same(name, liquid):
                # What stays is only wet with what went through.
                one.volume, one.poured, one.liquids = 0.0, 0.0, dict.fromkeys(one.liquids, 0.0)
                self.liquor_of[name.casefold()] = liquid.casefold()
            elif liquid and kind is not None and kind.parts:
                one.substances -= {s.name for s in self.procedure.substances if s.role == "aid" and _is_solid(s)}
            self.known[name.casefold()] = one


def _reaction_after(step: Step, held: Matter, added: Matter) -> str:
    """The last that was poured in decides; a pH that is asked for says it better."""
    asked = parameters_of(step).reaction()
    return added.reaction or held.reaction if asked is None else asked


def _after(step: Step, kind: StepKind | None, moment: Moment) -> Matter:
    """What is together when the step is over, before it is shared out."""
    after = moment.matter.copy()
    after.reaction = _reaction_after(step, moment.held, moment.added)
    if kind is not None and kind.heats_at(step.place, step.celsius):
        after.hot = step.says or kind.title
    if kind is not None and kind.cools:
        after.hot = ""
    dries = kind is not None and (kind.dries or (kind.airs and step.place in ("air", "hood")))
    if dries:
        after.liquids, after.volume, after.poured = {}, 0.0, 0.0
    return after


def moments(procedure: Procedure, kinds: Mapping[str, StepKind]) -> Iterator[Moment]:
    """Walk the steps and carry what each portion is along."""
    walk = _Walk(procedure)
    for number, step in enumerate(procedure.steps, start=1):
        kind = kinds.get(step.kind)
        touched = [name.casefold() for name in (*step.takes, *((step.on,) if step.on else ()))]
        held, added = walk.held(touched), _added(procedure, step, kind)
        moment = Moment(number, step, kind, held.plus(added), held, added)
        yield moment
        runs_through = walk.wash_through(kind, touched, added)
        after = _after(step, kind, moment)
        if runs_through:
            after.poured = min(after.poured, held.poured)
        walk.give(step, kind, touched, moment, after)


def _is_solid(substance: Substance) -> bool:
    return substance.amount is not None and substance.amount.unit == "g"


def _added(procedure: Procedure, step: Step, kind: StepKind | None) -> Matter:
    """What a step adds: liquids with their mL, and what is known of everything."""
    added = Matter()
    for name in step.adds:
        substance = procedure.substance(name)
        if substance is None:
            continue
        added.substances.add(substance.name)
        care = care_of(substance)
        added.cares.setdefault(care.name, care)
        volume = millilitres(substance, substance.amount)
        added.poured += volume
        if kind is None or not kind.rinses:
            added.volume += volume
        parts = liquids_of(substance)
        for part in parts:
            added.cares[part.name] = part
            added.liquids[part.name] = added.liquids.get(part.name, 0.0) + volume / len(parts)
    strong = {
        "base" if HYDROXIDE(care) else "acid" for care in added.cares.values() if HYDROXIDE(care) or STRONG_ACID(care)
    }
    added.reaction = strong.pop() if len(strong) == 1 else ""
    for _, care in of_step(procedure, step.model_copy(update={"adds": ()})):
        added.cares[care.name] = care
        added.liquids.setdefault(care.name, sum(parameters_of(step).liquids().values()))
    return added
