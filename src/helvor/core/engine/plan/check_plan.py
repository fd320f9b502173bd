"""The findings on a procedure, before anybody starts: a table of rules and the few lines that walk it.

Limits are common practice, no source, unless one stands beside them.
"""

from __future__ import annotations

import re
from collections.abc import Callable, Iterator
from dataclasses import dataclass

from helvor.core.engine.plan.edit import move_step, replace_step, taking_instead
from helvor.core.engine.plan.holds import melting
from helvor.core.engine.plan.matter import Moment, moments
from helvor.core.engine.plan.timeline import timeline
from helvor.core.engine.technique import Techniques
from helvor.core.laws.filtration.oven import limits
from helvor.core.quantities.formula import balance, parse_equation, plain, readable, supplies
from helvor.core.quantities.reading import Unreadable, round_to
from helvor.core.record.alike import near
from helvor.core.record.finding import SEVERITY, Finding, Level
from helvor.core.record.house_rules import HouseRules
from helvor.core.record.procedure import Procedure, Step, loose_ends, same, without_braces
from helvor.core.record.step_kinds import StepKind

FULL = 2 / 3
"""Part of a vessel up to which it is filled when it is stirred, heated or swirled."""


@dataclass(frozen=True, slots=True)
class Advice:
    """A finding on a step, and the step that would settle it.

    Attributes:
        step: id of the step it is about; empty for the whole.
        fix: a step to put before that one, or None.
        mends: other changes that settle it, each with the words of its button.
    """

    finding: Finding
    step: str = ""
    fix: Step | None = None
    mends: tuple[Mend, ...] = ()


@dataclass(frozen=True, slots=True)
class Mend:
    """A change that settles a finding: the words of its button, and the procedure as it is then."""

    words: str
    procedure: Procedure


@dataclass(frozen=True, slots=True)
class Plan:
    """What a rule may look at."""

    procedure: Procedure
    rules: HouseRules
    moments: list[Moment]
    wired: Procedure | None = None
    """The procedure with what the techniques' laws say of its products; its buttons change the one that was written."""


Rule = Callable[[Plan], Iterator[Advice]]


def open_stops(procedure: Procedure, rules: HouseRules, techniques: Techniques) -> list[str]:
    """What a plan's check stops for, a sentence each: it is published over these only with a reason."""
    return [one.finding.what for one in check_plan(procedure, rules, techniques) if one.finding.level == "stop"]


def check_plan(procedure: Procedure, rules: HouseRules, techniques: Techniques) -> list[Advice]:
    """Every finding on a procedure, most serious first, then by step."""
    in_force = rules.over(procedure.house_rules)
    plan = Plan(procedure, in_force, list(moments(procedure, techniques.kinds)), techniques.wired(procedure))
    rules_here = (*RULES, *(rule for technique in techniques.all for rule in technique.plan_rules))
    found = [advice for rule in rules_here for advice in rule(plan)]
    place = {step.id: i for i, step in enumerate(procedure.steps)}
    return sorted(found, key=lambda a: (SEVERITY[a.finding.level], place.get(a.step, -1)))


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
        mends = tuple(_wired_again(plan.procedure, number)) if number else ()
        yield Advice(
            Finding(
                "loose-end",
                "caution",
                f"{place[0].upper()}{place[1:]}: {sentence}",
                "The mass balance cannot use it.",
                "Correct the name, or add what is missing.",
            ),
            step,
            mends=mends,
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


def _wired_again(procedure: Procedure, number: int) -> Iterator[Mend]:
    """Changes after which a step finds what it works on: it moves behind the step that gives it, or takes another."""
    step = procedure.steps[number - 1]
    before = list(dict.fromkeys(name for one in procedure.steps[: number - 1] for name in one.gives))
    for name in (*step.takes, *((step.on,) if step.on else ())):
        if any(same(name, other) for other in before):
            continue
        later = [n for n, one in enumerate(procedure.steps, 1) if n > number and any(same(name, g) for g in one.gives)]
        if later:
            yield Mend(f"Move it after step {later[0]}", move_step(procedure, step.id, later[0] - 1))
        used = {taken.casefold() for one in procedure.steps for taken in one.takes}
        free = [other for other in before if other.casefold() not in used] or before
        # One that is nearly called so is meant; else the newest that nobody took yet.
        for other in dict.fromkeys([*near(name, before)[:1], *free[-1:]]):
            words = f"Use “{other}” instead"
            yield Mend(words, replace_step(procedure, taking_instead(step, name, other)))


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
        wired = plan.wired or plan.procedure
        melts = [found for name in (*step.takes, *step.gives, step.on) if name for found in melting(wired, name)]
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
