"""The findings on a procedure, before anybody starts: a table of rules and the few lines that walk it.

Limits are common practice, no source, unless one stands beside them.
"""

from __future__ import annotations

import re
from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import dataclass, field

from helvor.core.engine.plan.timeline import timeline
from helvor.core.engine.technique import Techniques
from helvor.core.hazards.care import Care
from helvor.core.hazards.incompatible import HYDROXIDE, STRONG_ACID
from helvor.core.hazards.substances import care_of, liquids_of, of_step
from helvor.core.laws.filtration.oven import limits
from helvor.core.quantities.formula import balance, parse_equation, plain, readable, supplies
from helvor.core.quantities.reading import Unreadable, round_to
from helvor.core.record.finding import SEVERITY, Finding, Level
from helvor.core.record.house_rules import HouseRules
from helvor.core.record.outputs import added_layer, in_phase, layers_of
from helvor.core.record.parameters import parameters_of
from helvor.core.record.procedure import Procedure, Step, Substance, loose_ends, same, without_braces
from helvor.core.record.step_kinds import StepKind

FULL = 2 / 3
"""Part of a vessel up to which it is filled when it is stirred, heated or swirled."""


@dataclass(frozen=True, slots=True)
class Advice:
    """A finding on a step, and the step that would settle it.

    Attributes:
        step: id of the step it is about; empty for the whole.
        fix: a step to put before that one, or None.
    """

    finding: Finding
    step: str = ""
    fix: Step | None = None


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


@dataclass(frozen=True, slots=True)
class Plan:
    """What a rule may look at."""

    procedure: Procedure
    rules: HouseRules
    moments: list[Moment]


Rule = Callable[[Plan], Iterator[Advice]]


def check_plan(procedure: Procedure, rules: HouseRules, techniques: Techniques) -> list[Advice]:
    """Every finding on a procedure, most serious first, then by step."""
    plan = Plan(procedure, rules.over(procedure.house_rules), list(moments(procedure, techniques.kinds)))
    rules_here = (*RULES, *(rule for technique in techniques.all for rule in technique.plan_rules))
    found = [advice for rule in rules_here for advice in rule(plan)]
    place = {step.id: i for i, step in enumerate(procedure.steps)}
    return sorted(found, key=lambda a: (SEVERITY[a.finding.level], place.get(a.step, -1)))


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
    if kind is not None and kind.heats:
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
        measured = substance.amount is not None and substance.amount.unit == "mL"
        volume = substance.amount.value if measured and substance.amount is not None else 0.0
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


def _title(step: Step, kind: StepKind | None) -> str:
    return step.says or (kind.title if kind else step.kind)


MOST_OF_A_CLAUSE = 50


def clause(says: str) -> str:
    """The first clause of an instruction, for naming it in a sentence."""
    first = re.split(r"[,;:.]", without_braces(says))[0].strip()
    return first if len(first) <= MOST_OF_A_CLAUSE else f"{first[:MOST_OF_A_CLAUSE].rsplit(' ', 1)[0]} …"


def names_lead_somewhere(plan: Plan) -> Iterator[Advice]:
    """Names that lead nowhere or mean two things."""
    for place, sentence in loose_ends(plan.procedure):
        number = int(place.removeprefix("step ")) if place.startswith("step ") else 0
        step = plan.procedure.steps[number - 1].id if number else ""
        yield Advice(
            Finding(
                "loose-end",
                "caution",
                f"{place[0].upper()}{place[1:]}: {sentence}",
                "The mass balance cannot use it.",
                "Correct the name, or add what is missing.",
            ),
            step,
        )
    for moment in plan.moments:
        if moment.kind is None:
            yield Advice(
                Finding(
                    "unknown-kind",
                    "caution",
                    f"Step {moment.number} has an unknown kind: {moment.step.kind}.",
                    do="Replace it with a step from the list.",
                ),
                moment.step.id,
            )


def tare_never_weighed(plan: Plan) -> Iterator[Advice]:
    """Something is weighed in a container that is never weighed empty before."""
    empty: set[frozenset[str]] = set()
    for moment in plan.moments:
        step = moment.step
        pan = frozenset(label.casefold() for label in step.container)
        if moment.kind is None or not moment.kind.weighs or not pan:
            continue
        if step.empty:
            empty.add(pan)
            continue
        single = {label for known in empty for label in known}
        missing = [label for label in step.container if label.casefold() not in single]
        if not missing or pan in empty:
            continue
        paper = any("paper" in label.casefold() for label in missing)
        names = " and ".join(missing)
        what = (
            f"The {names} is never weighed empty" if paper or len(missing) == 1 else f"{names} are never weighed empty"
        )
        first = next((m.step for m in plan.moments if {label.casefold() for label in m.step.container} & pan), step)
        fix = Step(
            id="fix",
            kind="weigh",
            says=f"Weigh the {names}, empty and dry",
            container=tuple(missing),
            empty=True,
            asks=("mass",),
            kit=("balance",),
            hands=3,
            meeting=first.meeting,
        )
        yield Advice(
            Finding(
                "tare-never-weighed",
                "caution",
                f"{what}, yet step {moment.number} weighs it with its content.",
                "The container's mass would be counted as product.",
                f"Weigh the {names} before step {plan.procedure.steps.index(first) + 1} puts something in.",
                about=step.id,
            ),
            first.id,
            fix,
        )
        empty.add(pan)


def discarded_too_early(plan: Plan) -> Iterator[Advice]:
    """A portion is thrown away before the product is weighed; where the house does so, a note all the same."""
    level: Level = "note" if plan.rules["throwing-layers"].key == "discard" else "caution"
    last_weighing = max(
        (m.number for m in plan.moments if m.kind is not None and m.kind.weighs and not m.step.empty), default=0
    )
    for moment in plan.moments:
        if moment.kind is not None and moment.kind.ends and moment.number < last_weighing:
            portion = moment.step.on or ", ".join(moment.step.takes) or "it"
            yield Advice(
                Finding(
                    "discarded-early",
                    level,
                    f"Step {moment.number} discards {portion} before step {last_weighing} weighs the product.",
                    "If the product is in the wrong portion, it cannot be recovered.",
                    "Keep it, labelled, until the product is in hand.",
                ),
                moment.step.id,
            )


def hot_on_the_balance(plan: Plan) -> Iterator[Advice]:
    """A hot step with no cooling before a balance."""
    for moment in plan.moments:
        weighs = moment.kind is not None and moment.kind.weighs and not moment.step.empty
        if weighs and moment.matter.hot:
            fix = Step(
                id="fix",
                kind="cool",
                says="Let cool to room temperature",
                on=moment.step.on,
                hands=1,
                waits=10,
                container=moment.step.container,
                meeting=moment.step.meeting,
            )
            yield Advice(
                Finding(
                    "hot-on-balance",
                    "caution",
                    f"Step {moment.number} weighs a hot container (heated in “{clause(moment.matter.hot)}”).",
                    "Warm air lifts the pan, so it reads too light; heat can also damage the balance.",
                    "Let it cool first.",
                ),
                moment.step.id,
                fix,
            )


def too_hot(plan: Plan) -> Iterator[Advice]:
    """Drying hotter than the paper, the boat or the melting point stands."""
    for moment in plan.moments:
        step, at = moment.step, moment.step.celsius
        if at is None or moment.kind is None or not moment.kind.dries:
            continue
        melts = [
            (name, point)
            for name in (*step.takes, *step.gives, step.on)
            if (point := _melts(plan.procedure, name)) is not None
        ]
        for limit in limits(step.container, melts):
            if at > limit.celsius:
                yield Advice(
                    Finding(
                        "too-hot",
                        "caution",
                        f"Step {moment.number} dries at {at:g} °C, but {limit.why}.",
                        "Solid that melts or scorches cannot be weighed.",
                        f"Dry at {limit.celsius:g} °C at most.",
                    ),
                    step.id,
                )
                break


def _melts(procedure: Procedure, portion: str) -> float | None:
    """The melting point of what a portion should hold, °C, where the procedure knows it."""
    if not portion:
        return None
    component = procedure.portion(portion).component
    known = [
        s.melts
        for s in procedure.substances
        if s.melts is not None and component and same(s.component, component) and s.role in ("sample", "reagent")
    ]
    return min(known, default=None)


def vessel_too_full(plan: Plan) -> Iterator[Advice]:
    """A vessel more than two thirds full."""
    for moment in plan.moments:
        size = moment.step.volume
        if moment.kind is not None and moment.kind.layers:
            continue  # a funnel has a house rule of its own
        if size and moment.matter.volume > FULL * size:
            yield Advice(
                Finding(
                    "vessel-full",
                    "caution",
                    f"Step {moment.number} puts {moment.matter.volume:g} mL into a vessel of {size:g} mL.",
                    "If it is more than two thirds full, it can boil over or splash when stirred.",
                    f"Use a vessel of at least {round_to(moment.matter.volume / FULL, 0)} mL.",
                ),
                moment.step.id,
            )


def reagents(plan: Plan) -> Iterator[Advice]:
    """Amounts that react, without a limiting reagent that can be named."""
    text = plan.procedure.equation.strip()
    if not text:
        return
    try:
        equation = parse_equation(text)
    except Unreadable as unreadable:
        yield Advice(
            Finding(
                "bad-equation",
                "caution",
                str(unreadable),
                "Without a balanced equation no yield can be calculated.",
                _balanced(text),
            )
        )
        return
    substances = plan.procedure.substances
    missing = [
        readable(formula)
        for formula in equation.left
        if not any(
            supplies(s.formula, formula) and s.amount is not None and (s.amount.unit == "g" or s.molar or s.density)
            for s in substances
            if s.formula
        )
    ]
    if len(missing) == len(equation.left):
        yield Advice(
            Finding(
                "no-limiting",
                "caution",
                f"No amount of {' or '.join(missing)} is entered, so the limiting reagent is unknown.",
                "Without it there is no theoretical yield and no percent yield.",
                "Enter the amount and formula of at least the limiting reagent.",
            )
        )
    about = [s.name for s in substances if s.formula and plain(s.formula) in equation.left and not s.exact]
    if about:
        yield Advice(
            Finding(
                "reagent-about",
                "note",
                f"{' and '.join(about)}: in the equation, but its amount is marked “about”.",
                "An amount used in a result must be exact.",
                "Mark it exact, or make sure that it is in excess.",
            )
        )
    if not any(p.formula and plain(p.formula) in equation.right for p in plan.procedure.portions):
        yield Advice(
            Finding(
                "no-product",
                "note",
                "No portion has the formula of a product in the equation.",
                "Nothing can be compared with the theoretical yield.",
                "Open the portion that is weighed at the end and enter its formula.",
            )
        )


def _balanced(text: str) -> str:
    """What to do about an equation that does not hold: the balanced one, where there is one."""
    try:
        return f"Write it as {balance(text)}."
    except Unreadable as unreadable:
        return str(unreadable)


def flammable_into_oven(plan: Plan) -> Iterator[Advice]:
    """A solid wet with flammable solvent into a closed oven."""
    for moment in plan.moments:
        if moment.kind is not None and moment.kind.dries and moment.step.place == "oven" and moment.matter.flammable:
            fix = Step(
                id="fix",
                kind="evaporate",
                says="Let it stand in the hood until it looks dry",
                place="hood",
                on=moment.step.on or (moment.step.takes[0] if moment.step.takes else ""),
                hands=1,
                waits=20,
                container=moment.step.container,
                meeting=moment.step.meeting,
            )
            yield Advice(
                Finding(
                    "flammable-oven",
                    "stop",
                    f"Step {moment.number} puts something wet with {moment.matter.flammable} into a closed oven.",
                    "Its vapour can catch fire or burst the door open.",
                    "Let it dry in the hood first.",
                ),
                moment.step.id,
                fix,
            )


def fits_the_period(plan: Plan) -> Iterator[Advice]:
    """A meeting that takes longer than the period."""
    for meeting in timeline(plan.procedure):
        over = meeting.ends - plan.procedure.period
        if over > 0:
            late = [b.step for b in meeting.blocks if b.ends > plan.procedure.period]
            yield Advice(
                Finding(
                    "too-long",
                    "note",
                    f"Meeting {meeting.meeting} takes one bench {meeting.ends} min, {over} min more than the period.",
                    f"{len(late)} step{'s' if len(late) > 1 else ''} would end after the period.",
                    "Move the last steps to another meeting, or let the waiting run overnight.",
                ),
                late[0].id if late else "",
            )


RULES: tuple[Rule, ...] = (
    names_lead_somewhere,
    flammable_into_oven,
    tare_never_weighed,
    discarded_too_early,
    hot_on_the_balance,
    too_hot,
    vessel_too_full,
    reagents,
    fits_the_period,
)
