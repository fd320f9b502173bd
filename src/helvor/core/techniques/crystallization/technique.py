"""Recrystallizing as the run and the planner know it: steps, checks, findings, causes, words of the reading line."""

from __future__ import annotations

from collections.abc import Iterator

from helvor.core.engine.figure import Figure, figure_of, outcome, value_of
from helvor.core.engine.plan.check_plan import Advice, Plan
from helvor.core.engine.run.case import COVERAGE, Case
from helvor.core.engine.technique import Cause, Check, Technique
from helvor.core.laws.crystallization.melting import (
    Mixing,
    by_mixing,
    rate_range,
    too_fast,
)
from helvor.core.laws.crystallization.plan import GREEDY, TEACHING
from helvor.core.quantities.reading import digits
from helvor.core.record.entry import Payload
from helvor.core.record.finding import Finding, Level
from helvor.core.record.procedure import same
from helvor.core.record.step_kinds import MIXTURE, StepKind
from helvor.core.techniques.crystallization.entries import (
    REMEDIES,
    WHY,
    Crystallized,
    MeltingSeen,
    SolventAdded,
    SolventTried,
    StandardMelted,
    TemperatureSeen,
)
from helvor.core.techniques.crystallization.record import (
    CRYSTALLIZE,
    DISSOLVE,
    MELT,
    ROOM,
    TRY,
    Flask,
    component_of,
    flasks,
    liquors_of,
    melted,
    published_of,
)
from helvor.core.techniques.crystallization.words import (
    describe,
    read_crystals,
    read_melts,
    read_solvent,
    read_standard,
    read_temperature,
    read_try,
)

GROUP = "Crystals"
WARM = 10.0
"""°C above which a flask was hardly cooled in ice. Common practice."""
FAR_BELOW = 0.12
"""Below the ceiling by so much of the solid, a loss is looked for. Common practice."""
LITTLE = 0.6
"""Part of the ceiling below which a loss is more than ordinary. Common practice, no source."""
ORDER = "Scratch the glass below the surface; then add a seed crystal; then cool in ice; then boil off some solvent."

STEP_KINDS = (
    StepKind(
        TRY,
        GROUP,
        "try solvents",
        "Test a few grains in each solvent: cold, at the boil, on cooling",
        15,
        kit=("test tubes", "water bath"),
        wets=True,
        example="try water cold none hot all cooled crystals",
        caution="Flammable solvents in the water bath, never over a flame.",
    ),
    StepKind(
        DISSOLVE,
        GROUP,
        "dissolve hot",
        "Dissolve in the least hot solvent, portion by portion, boiling",
        10,
        5,
        kit=("flask", "hotplate", "boiling chips"),
        wets=True,
        heats=True,
        example="solvent 10 mL",
        caution="Boiling chips before heating; charcoal never into boiling liquid: it foams over.",
        outputs=MIXTURE,
        works_on="solid",
    ),
    StepKind(
        CRYSTALLIZE,
        GROUP,
        "crystallize",
        "Let it cool slowly, undisturbed; then ice with water",
        3,
        40,
        kit=("ice bath",),
        cools=True,
        example="temp 74 first crystals",
        ordinary=0.6,
    ),
    StepKind(
        MELT,
        GROUP,
        "melting",
        "Melting range of the dry solid, 1 to 2 °C a minute near the end",
        12,
        kit=("melting block", "capillary"),
        example="melts product 113.2-114.1 1/min",
        caution="The block is hot long after: hot metal looks cold.",
        works_on="solid",
    ),
)
CHECKS: dict[str, tuple[Check, ...]] = {
    DISSOLVE: (
        Check("chips", "boiling chips in before heating", "added hot, the liquid boils over", safety=True, on="flask"),
        Check(
            "portions",
            "solvent in portions, each boiled before the next",
            "excess solvent keeps product dissolved",
            on="flask",
        ),
        Check(
            "no-flame", "no flame near a flammable solvent", "its vapour runs along the bench", safety=True, on="plate"
        ),
        Check(
            "residue",
            "a solid that two more portions do not dissolve is not the product",
            "filter it off hot",
            on="flask",
        ),
    ),
    CRYSTALLIZE: (
        Check(
            "still",
            "covered and left alone until lukewarm",
            "crystals that grow slowly are large and clean",
            on="flask",
        ),
        Check("ice-last", "ice only after crystals have formed", "fast cooling traps mother liquor", on="ice"),
    ),
    MELT: (
        Check("dry", "dry to constant mass", "residual solvent lowers and widens the range", on="capillary"),
        Check("slow", "1 to 2 °C a minute near melting", "faster reads too high", on="block"),
    ),
}


def check_run_crystals(case: Case) -> Iterator[Finding]:
    """All findings on recrystallizing and melting in a run."""
    for flask in flasks(case.run, case.ledger):
        yield from _dissolved(flask)
        yield from _came(flask)
        yield from _cooled_fast(flask)
        yield from _warm_wash(flask)
        yield from _recovery(flask)
        yield from _liquor_gone(case, flask)
    yield from _ranges(case)


def _dissolved(flask: Flask) -> Iterator[Finding]:
    plan = flask.plan
    if plan is None or not flask.volume:
        return
    if not plan.crystallizes:
        yield Finding(
            "never-saturated",
            "caution",
            f"{digits(flask.volume, 3)} mL dissolves all {digits(plan.mass, 3)} g of {flask.component} at "
            f"{digits(plan.cold, 2)} °C.",
            "It never becomes saturated, so nothing can crystallize.",
            f"Boil it down to about {digits(plan.least * 1.2, 2)} mL before you cool it.",
            about=flask.step,
        )
    elif flask.volume > GREEDY * plan.least:
        stays = digits(100 * plan.liquor / plan.mass, 2)
        yield Finding(
            "too-much-solvent",
            "caution",
            f"{digits(flask.volume, 3)} mL of {flask.solvent} used; {digits(plan.least, 2)} mL is enough.",
            f"{stays} % stays dissolved in the cold mother liquor.",
            "Boil off the excess before cooling; keep the mother liquor for a second crop.",
            about=flask.step,
        )
    if flask.extra and flask.lean:
        yield Finding(
            "little-extra",
            "note",
            f"Only {digits(flask.extra, 2)} mL more for the hot filtration.",
            f"It is saturated below {digits(plan.due, 2)} °C, so crystals form on the paper."
            if plan.due is not None
            else "Crystals form on the paper during the filtration.",
            "Add 10 to 25 % more solvent, and warm the funnel.",
            about=flask.step,
        )


def _came(flask: Flask) -> Iterator[Finding]:
    last = flask.outcomes[-1] if flask.outcomes else None
    if last is None:
        return
    if last.outcome == "oil":
        yield Finding(
            "oil",
            "caution",
            f"{flask.component or 'It'} separated as an oil.",
            "It melts under this solvent, or it separated above its melting point. An oil keeps its impurities.",
            "Warm until clear, add a little solvent, cool slowly, stir and seed. If it oils out again, "
            "use another solvent.",
            about=flask.step,
        )
    elif last.outcome == "nothing":
        tried = [one.remedy for one in flask.outcomes if one.outcome == "nothing" and one.remedy]
        left = [words for key, words in REMEDIES.items() if key and key not in tried and key != "more solvent"]
        yield Finding(
            "nothing-crystallizes",
            "caution",
            "No crystals yet.",
            "It is supersaturated, or there is too much solvent.",
            f"Next: {left[0]}. {ORDER}" if left else ORDER,
            about=flask.step,
        )
    elif last.outcome == "grey":
        yield Finding(
            "charcoal-through",
            "caution",
            "Charcoal came through: the crystals are grey.",
            "Fine charcoal passes a coarse or torn paper and is weighed with the product.",
            "Dissolve the crystals again hot, filter through a finer fluted paper or twice, and cool again.",
            about=flask.step,
        )
    elif last.outcome == "coloured":
        yield Finding(
            "coloured",
            "note",
            "The crystals are coloured.",
            "A coloured impurity is on or in the crystals.",
            "Wash with cold solvent. If the colour stays, recrystallize with 1 to 2 % charcoal and filter hot.",
            about=flask.step,
        )


LUKEWARM = 40.0
"""°C above which a clear solution set into ice crashes out. Common practice, no source."""
MUCH = 0.05
"""Part of the solid that a wash may take before it is more than a note. Common practice, no source."""


def _cooled_fast(flask: Flask) -> Iterator[Finding]:
    ice, first = flask.into_ice, flask.first_crystals
    if ice is None or ice.celsius <= LUKEWARM or (first is not None and first.minutes < ice.minutes):
        return
    yield Finding(
        "cooled-fast",
        "caution",
        f"{flask.component or 'It'} was set into ice at {digits(ice.celsius, 2)} °C, before crystals had formed.",
        "Small crystals that form at once trap mother liquor and its impurities.",
        "If the melting range is low or wide, warm until clear and let it cool slowly, covered. Ice comes last, when "
        "crystals have formed.",
        about=flask.step,
    )


def _warm_wash(flask: Flask) -> Iterator[Finding]:
    if not flask.warm_wash or flask.plan is None or flask.curve is None or not flask.mass:
        return
    takes = flask.warm_wash / 100 * flask.curve.at(max(ROOM, flask.cold))
    how = "hot" if flask.hot_wash else "not ice-cold"
    yield Finding(
        "washed-warm",
        "caution" if flask.hot_wash or takes > MUCH * flask.mass else "note",
        f"{flask.component} was washed with {digits(flask.warm_wash, 2)} mL of {flask.solvent} that was {how}.",
        f"At {digits(ROOM, 2)} °C that much can dissolve {digits(1000 * takes, 2)} mg"
        f"{', hot far more' if flask.hot_wash else ''}.",
        "Wash with little, ice-cold. What was dissolved is in the filtrate: cool it for a second crop.",
        about=flask.step,
    )


def _recovery(flask: Flask) -> Iterator[Finding]:
    product, top, part = flask.product, flask.ceiling, flask.recovered
    if product is None or product.mass is None or top is None or part is None or not flask.mass:
        return
    u = product.mass.u / flask.mass
    shown, most, limit = digits(100 * part, 3), digits(100 * top, 3), flask.most or top
    if part - limit > COVERAGE * u + 0.002:
        yield Finding(
            "above-ceiling",
            "caution",
            f"{shown} % recovered, but at most {digits(100 * limit, 3)} % can crystallize from "
            f"{digits(flask.volume, 3)} mL.",
            "The product is still wet or impure, or solvent boiled off and was not recorded.",
            "Dry it to constant mass; check the melting range.",
            about=product.name,
        )
    elif top - part > FAR_BELOW:
        why = []
        if flask.plan is not None and flask.volume > GREEDY * flask.plan.least:
            why.append("too much solvent")
        if not flask.cold_seen:
            why.append("no temperature recorded, perhaps not cooled in ice")
        elif flask.cold > WARM:
            why.append(f"filtered at {digits(flask.cold, 2)} °C, not in ice")
        if flask.warm_wash:
            why.append(f"washed with {digits(flask.warm_wash, 2)} mL that was not ice-cold")
        why += ["left on the hot paper and in flasks"] if flask.extra or flask.rinsed else ["left in flask and funnel"]
        yield Finding(
            "far-below-ceiling",
            "caution" if part < LITTLE * top else "note",
            f"{shown} % recovered; the maximum is {most} %.",
            f"Most likely: {'; '.join(why)}.",
            "Rinse the flask with cold mother liquor; take a second crop from the mother liquor.",
            about=product.name,
        )
    elif TEACHING[0] <= part <= top:
        yield Finding("ordinary-recovery", "good", f"{shown} % recovered; the maximum is {most} %.", about=product.name)


def _liquor_gone(case: Case, flask: Flask) -> Iterator[Finding]:
    """The liquor was thrown away before the product was weighed: there is no second crop, and no way back."""
    if flask.product is not None and flask.product.mass is not None:
        return
    procedure = case.run.procedure
    liquors = {name.casefold() for name in liquors_of(procedure, flask.component)}
    for step in procedure.steps:
        gone = [name for name in step.takes if name.casefold() in liquors]
        if gone and step.kind == "discard" and step.id in case.run.done:
            yield Finding(
                "liquor-gone",
                "caution",
                f"{gone[0]} was discarded before the product was weighed.",
                "A second crop, or product that stayed dissolved, is lost with it.",
                "Keep the mother liquor, labelled, until the product is weighed.",
                about=step.id,
            )


def _ranges(case: Case) -> Iterator[Finding]:
    found = melted(case.run)
    alone = {one.said.portion.casefold(): one for one in found if not one.said.mixed_with}
    for one in alone.values():
        if one.published is not None:
            verdict = rate_range(one.true, one.published, one.what)
            # What is not the product yet may be impure: that is why it is purified.
            before = case.run.procedure.portion(one.said.portion).end != "product" and verdict.level == "caution"
            code = "melting-before" if before else f"melting-{verdict.code}"
            yield Finding(
                code,
                "note" if before else verdict.level,
                f"{one.said.portion}: {verdict.says}",
                verdict.because,
                "" if before else verdict.do,
                about=one.said.portion,
            )
        if too_fast(one.said.rate):
            yield Finding(
                "melted-fast",
                "note",
                f"{one.said.portion}: heated at {one.said.rate:g} °C a minute.",
                "In a block the sample lags, so its range reads too high; in a bath the thermometer lags and reads too "
                "low. It is too wide in either.",
                "Measure again at 1 to 2 °C a minute.",
                about=one.said.portion,
            )
    for one in found:
        if not one.said.mixed_with:
            continue
        by_itself = alone.get(one.said.portion.casefold())
        if by_itself is None:
            continue
        known = alone.get(one.said.mixed_with.casefold())
        verdict_ = by_mixing(by_itself.true, one.true, known.true if known is not None else None)
        code, level, seen, because, do = MIXED[verdict_]
        if verdict_ == "undecided" and one.true.ends > by_itself.true.ends:
            seen = "neither as alone nor clearly lower"
        yield Finding(
            code,
            level,
            f"{one.said.portion} mixed with {one.said.mixed_with}: {one.true.shown} °C, {seen}.",
            because,
            do,
            about=one.said.portion,
        )


MIXED: dict[Mixing, tuple[str, Level, str, str, str]] = {
    "same": (
        "mixed-same",
        "good",
        "as alone",
        "The melting point is unchanged within what the readings are uncertain by: consistent with the same substance.",
        "",
    ),
    "another": (
        "mixed-other",
        "caution",
        "lower and wider than alone",
        "The melting point is depressed, so they are different compounds.",
        "Mix it with another reference, or identify it in another way.",
    ),
    "undecided": (
        "mixed-undecided",
        "note",
        "a little lower or wider than alone",
        "It is within what the readings are uncertain by, or one of the two is not pure: it decides nothing.",
        "Measure all three side by side: the sample, the known one and their mixture, slowly.",
    ),
}
"""What a mixed melting point says: code, level, what is seen, why, what to do."""


def where_it_stayed(case: Case) -> Iterator[Cause]:
    """What of the solid stays in the liquor and the washes by the curve, and on the hot paper."""
    for flask in flasks(case.run, case.ledger):
        plan = flask.plan
        if plan is None or not flask.volume:
            continue
        yield Cause(
            "cold-liquor",
            "loss",
            f"{flask.component} stayed in the cold mother liquor.",
            (f"{digits(flask.volume, 3)} mL at {digits(plan.cold, 2)} °C by its solubility",),
            0.9,
            plan.liquor,
            at_most=False,
        )
        if plan.washed:
            yield Cause(
                "cold-wash",
                "loss",
                "The cold wash dissolved some.",
                (f"{digits(flask.wash, 3)} mL by its solubility",),
                0.7,
                plan.washed,
                at_most=True,
            )
        if plan.due is not None and flask.lean and any(step.kind == "hot filter" for step in case.run.procedure.steps):
            yield Cause(
                "hot-paper",
                "loss",
                "Crystals formed on the hot paper.",
                (f"saturated below {digits(plan.due, 2)} °C",),
                0.5,
            )


def check_plan_crystals(plan: Plan) -> Iterator[Advice]:
    """What can be said of a recrystallization before the first flask is warm."""
    procedure = plan.procedure
    for number, step in enumerate(procedure.steps, 1):
        if step.kind != DISSOLVE:
            continue
        component = component_of(procedure, step)
        for name in step.adds:
            solvent = procedure.substance(name)
            if solvent is None or solvent.role != "solvent":
                continue
            if component is not None and not any(same(name, known) for known in component.dissolves):
                yield Advice(
                    Finding(
                        "no-solubility",
                        "note",
                        f"Step {number}: the solubility of {component.name} in {name} is not known.",
                        "Without it the maximum recovery is unknown.",
                        "Enter two solubilities, one cold and one hot.",
                    ),
                    step.id,
                )
            melts = published_of(procedure, "")[1] if len(procedure.components) == 1 else None
            if melts is not None and solvent.boils is not None and solvent.boils >= melts:
                yield Advice(
                    Finding(
                        "boils-above-melting",
                        "caution",
                        f"Step {number}: {name} boils at {solvent.boils:g} °C, the solid melts at {melts:g} °C.",
                        "It may separate as an oil.",
                        "Use a solvent that boils lower.",
                    ),
                    step.id,
                )


def figures(payload: Payload) -> tuple[Figure, ...]:
    """What an entry holds, for tables: volumes, temperatures, melting ranges, test tubes."""
    match payload:
        case SolventAdded() as added:
            return figure_of("hot solvent", added.volume, words=WHY.get(added.why, ""))
        case TemperatureSeen() as seen:
            return value_of("temperature", seen.celsius, "°C", words=seen.seen)
        case Crystallized():
            return outcome("on cooling", describe(payload))
        case MeltingSeen() as melting:
            mixed = f"mixed with {melting.mixed_with}" if melting.mixed_with else melting.way
            return (
                *value_of("melting starts", melting.starts, "°C", melting.portion, mixed),
                *value_of("melting ends", melting.ends, "°C", melting.portion, mixed),
                *value_of("heating rate", melting.rate, "°C/min", melting.portion),
            )
        case StandardMelted() as standard:
            return (
                *value_of("standard read", standard.read, "°C", standard.name),
                *value_of("standard published", standard.published, "°C", standard.name),
            )
        case SolventTried() as tried:
            return (
                *outcome("dissolved cold", tried.cold, tried.solvent),
                *outcome("dissolved at the boil", tried.hot, tried.solvent),
                *outcome("on cooling", tried.cooled, tried.solvent),
            )
    return ()


TECHNIQUE = Technique(
    key="crystallization",
    title="Crystals",
    step_kinds=STEP_KINDS,
    payloads=(SolventAdded, TemperatureSeen, Crystallized, MeltingSeen, StandardMelted, SolventTried),
    checks=CHECKS,
    describe=describe,
    figures=figures,
    rules=(check_run_crystals,),
    causes=(where_it_stayed,),
    plan_rules=(check_plan_crystals,),
    commands={
        "solvent": read_solvent,
        "temp": read_temperature,
        "crystals": read_crystals,
        "melts": read_melts,
        "standard": read_standard,
        "try": read_try,
    },
)
