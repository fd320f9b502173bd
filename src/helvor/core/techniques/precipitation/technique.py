"""Precipitation as the run knows it: steps, trials, findings, causes of loss and gain."""

from __future__ import annotations

from collections.abc import Iterator

from helvor.core.engine.plan.check_plan import Advice, Plan
from helvor.core.engine.run.account import SubstanceTaken
from helvor.core.engine.run.case import COVERAGE, Case, join
from helvor.core.engine.run.losses import ends_through
from helvor.core.engine.technique import Cause, Check, Technique, Trial
from helvor.core.laws.precipitation.gravimetry import factor, parallels
from helvor.core.quantities.formula import molar_mass, plain, readable, supplies
from helvor.core.quantities.measured import shown, total
from helvor.core.quantities.reading import Unreadable, digits, round_to
from helvor.core.record.finding import Finding
from helvor.core.record.procedure import Step, same
from helvor.core.record.step_kinds import MIXTURE, StepKind

APART = 0.02
"""Relative difference of two parallel determinations that asks for a third. Common practice."""
EXCESS: dict[str, float] = {"twice": 2.0, "ten-percent": 1.1, "stoichiometric": 1.0}
"""House rule *precipitant-excess* → how much of the precipitant, times what the equation asks for."""

STEP_KINDS = (
    StepKind(
        "precipitate",
        "Precipitation",
        "precipitate",
        "Add the precipitant slowly, swirling",
        6,
        3,
        asks=("outcome",),
        kit=("beaker", "pipette"),
        wets=True,
        rules=("adding-precipitant", "precipitant-excess"),
        outputs=MIXTURE,
    ),
    StepKind(
        "digest",
        "Precipitation",
        "digest",
        "Digest hot and covered, until the particles are coarse and the supernatant is clear",
        2,
        20,
        kit=("hotplate", "watch glass"),
        heats=True,
        caution="Keep it hot, not boiling: it bumps.",
        left_out="the particles stay fine: they filter slowly, run through the paper and hold impurities",
    ),
    StepKind(
        "react",
        "Precipitation",
        "react",
        "Let it react to completion",
        4,
        10,
        asks=("outcome",),
        kit=("beaker",),
        wets=True,
        caution="The gas can burn or harm: work in the hood, no flame.",
        outputs=MIXTURE,
        ordinary=0.8,
    ),
)

COMPLETE = Trial(
    "complete",
    "Let it settle; add one more drop of precipitant down the wall into the clear supernatant.",
    "no new cloud",
    "it clouds again",
    "If it clouds, precipitation is not complete.",
)
OVER = Trial(
    "over",
    "Has the colour gone, the metal dissolved, gas evolution stopped?",
    "over",
    "still going",
    "Unreacted starting material lowers the yield or contaminates the product.",
)

CHECKS = {
    "precipitate": (
        Check(
            "slow",
            "added slowly, swirling",
            "larger particles, which filter well",
            when=("adding-precipitant", "slowly"),
            on="pipette",
        ),
        Check("rod", "wall and rod rinsed down", "solid on the wall does not settle", on="rod"),
        Check(
            "own-pipette",
            "one measuring vessel for each reagent",
            "a trace of the other reagent clouds the bottle",
            on="pipette",
        ),
    ),
}
TRIALS = {"precipitate": (COMPLETE,), "digest": (COMPLETE,), "react": (OVER,)}


def _precipitants(case: Case) -> Iterator[tuple[Step, SubstanceTaken]]:
    """What is added in precipitating steps, where its amount is known."""
    for step in case.run.procedure.steps:
        if step.kind != "precipitate":
            continue
        for name in step.adds:
            taken = case.ledger.taken(name)
            if taken is not None and taken.substance.role == "reagent":
                yield step, taken


def _outcomes(case: Case, trial: Trial) -> dict[str, list[bool]]:
    """Product → outcomes of a trial in the steps it came through, oldest first; by step where no product is named.

    What failed while precipitating and passed after digesting has passed.
    """
    found: dict[str, list[bool]] = {}
    for _, tried in case.run.tried:
        if tried.trial == trial.key:
            for name in ends_through(case.run.procedure, case.ledger.ends, tried.step) or [tried.step]:
                found.setdefault(name, []).append(tried.passed)
    return found


def not_complete(case: Case) -> Iterator[Finding]:
    """A trial that failed last, while the work went on."""
    for trial, code, what, do in (
        (
            COMPLETE,
            "not-complete",
            "The supernatant clouded again at the last test",
            "Add more precipitant, let it settle, test again.",
        ),
        (OVER, "not-over", "The reaction was not complete at the last test", "Wait, then test again."),
    ):
        failed = [name for name, outcomes in _outcomes(case, trial).items() if not outcomes[-1]]
        products = [name for name in failed if case.run.procedure.step(name) is None]
        if failed:
            of = f" for {join(products)}" if products else ""
            yield Finding(code, "caution", f"{what}{of}.", trial.why, do)


def too_little_precipitant(case: Case) -> Iterator[Finding]:
    """The precipitant would run out before what it is to precipitate, or stays below the house rule's excess."""
    equation = case.ledger.equation
    if equation is None:
        return
    wanted = EXCESS[case.rules["precipitant-excess"].key]
    brought: dict[str, list[tuple[str, str, float]]] = {}
    for step, taken in _precipitants(case):
        into = next((f for f in equation.left if taken.formula and supplies(taken.formula, f)), None)
        if taken.amount is not None and into is not None:
            mol = taken.amount.value * supplies(taken.formula, into) / equation.left[into]
            product = next(iter(ends_through(case.run.procedure, case.ledger.ends, step.id)), "")
            brought.setdefault(product, []).append((step.id, taken.substance.name, mol))
    if any(made.excess for made in case.ledger.yields):
        return
    low: dict[bool, list[tuple[float, str, list[str]]]] = {}
    for product, parts in brought.items():
        found = _found_in(case, product, alone=len(brought) == 1)
        if not found:
            continue
        at, names, times = parts[0][0], [name for _, name, _ in parts], sum(mol for *_, mol in parts) / found
        if times < wanted * 0.98:
            low.setdefault(times < 1.02, []).append((times, at, names))
    for short, there in low.items():
        times, at, _ = min(there)
        names = [name for *_, some in there for name in some]
        yield Finding(
            "little-precipitant",
            "caution" if short else "note",
            f"{join(names)}: {digits(times, 2)} times the amount that the precipitate needs; "
            f"the house rule asks for {wanted:g} times.",
            "All the precipitant is used up, so the sample may contain more than was found."
            if short
            else "A small excess leaves more of the precipitate dissolved.",
            "Add more next time, or repeat with a smaller sample.",
            about=at,
        )


def _found_in(case: Case, product: str, *, alone: bool) -> float:
    """How much of what was sought was found in a product, mol; of parallel ones each by its mass.

    Nothing is known of the sought thing but what was found: that is what a precipitant is held against.
    """
    accounts = [one for one in case.ledger.components if one.found is not None]
    if alone:
        return sum(one.found.value for one in accounts if one.found is not None)
    found = 0.0
    for one in accounts:
        masses = {
            name: portion.mass.value
            for name in one.portions
            if (portion := case.ledger.portion(name)) is not None and portion.mass is not None
        }
        here = next((mass for name, mass in masses.items() if same(name, product)), 0.0)
        if one.found is not None and here:
            found += one.found.value * here / sum(masses.values())
    return found


def more_than_everything(case: Case) -> Iterator[Finding]:
    """A solid heavier than all its reagents together, with water only where the product crystallizes with it."""
    brought = [one for one in case.ledger.substances if one.substance.role != "solvent"]
    masses = [one.mass for one in brought if one.mass is not None]
    dissolved = [
        one.amount * molar_mass(one.formula)
        for one in brought
        if one.mass is None and one.amount is not None and one.formula
    ]
    unknown = [one for one in brought if one.readings and one.mass is None and one.amount is None]
    if not masses or unknown or not case.ledger.reacts:
        return
    reagents = total([*masses, *dissolved])
    solvents = [one.mass for one in case.ledger.substances if one.substance.role == "solvent" and one.mass is not None]
    for portion in case.ledger.portions.values():
        if portion.mass is None or portion.basis not in ("dried", "as is") or portion.said.end != "product":
            continue
        everything = total([reagents, *solvents]) if "." in plain(portion.said.formula) else reagents
        more = portion.mass - everything
        if more.value > COVERAGE * more.u:
            yield Finding(
                "more-than-everything",
                "stop",
                f"{portion.name}: {shown(portion.mass)} g; everything added weighs {shown(everything)} g.",
                "The product cannot weigh more than the reagents.",
                "Check for a missing tare, a wet solid, or an amount that was not recorded.",
                about=portion.name,
            )


def determinations_apart(case: Case) -> Iterator[Finding]:
    """Parallel determinations side by side."""
    for account in case.ledger.components:
        values = [content.value * 100 for _, content in account.contents]
        if len(values) < 2:
            continue
        beside = parallels(values)
        names = join([name for name, _ in account.contents])
        what = (
            f"{account.component.name} in {names}: mean {digits(beside.mean, 4)} %, "
            f"{digits(beside.spread, 2)} % apart, {round_to(100 * beside.relative, 1)} % of the mean."
        )
        if beside.relative > APART:
            yield Finding(
                "parallels-apart",
                "caution",
                what,
                "One of the two lost or gained mass.",
                "Compare both for a difference; if there is none, do a third determination.",
                about=account.component.name,
            )
        else:
            yield Finding("parallels-agree", "good", what, about=account.component.name)


def incomplete(case: Case) -> Iterator[Cause]:
    """Something stayed in solution because precipitation was not complete."""
    outcomes = _outcomes(case, COMPLETE)
    names = {
        name: None
        for step in case.run.procedure.steps
        if step.kind == "precipitate"
        for name in ends_through(case.run.procedure, case.ledger.ends, step.id) or [step.id]
    }
    for name in names:
        tried = outcomes.get(name, [])
        if tried and tried[-1]:
            continue
        product = name if case.run.procedure.step(name) is None else ""
        what = f"Precipitation{f' of {product}' if product else ''} was incomplete."
        points = ("it clouded again at the last test",) if tried else ("completeness was never tested",)
        yield Cause("not-complete", "loss", what, points, 0.9 if tried else 0.3, portion=product)


def in_the_liquor(case: Case) -> Iterator[Cause]:
    """A precipitate's own solubility in the liquor."""
    for portion in case.ledger.portions.values():
        soluble = portion.said.soluble
        if portion.said.end != "product" or soluble is None:
            continue
        through = case.run.procedure.made_by(portion.name)
        last = max((i for i, step in enumerate(through) if step.kind == "precipitate"), default=-1)
        names = {name.casefold() for step in through[: last + 1] for name in step.adds}
        volume = sum(
            one.volume.value
            for one in case.ledger.substances
            if one.volume is not None and one.substance.name.casefold() in names
        )
        if volume:
            yield Cause(
                "in-liquor",
                "loss",
                f"Some of {portion.name} stayed dissolved in the supernatant.",
                (f"{volume:g} mL at {soluble:g} g/L, less with a common ion",),
                0.2,
                soluble * volume / 1000,
                at_most=True,
                portion=portion.name,
            )


def carried_down(case: Case) -> Iterator[Cause]:
    """Precipitant or other salts carried down with the precipitate."""
    for step in case.run.procedure.steps:
        if step.kind == "precipitate":
            fast = case.rules["adding-precipitant"].key == "at-once"
            points = ("added all at once",) if fast else ()
            yield Cause(
                "carried-down", "gain", "The precipitate coprecipitated precipitant or other salts.", points, 0.3
            )
            if fast:
                yield Cause(
                    "too-fine", "loss", "Rapid precipitation gives fine particles that run through paper.", points, 0.3
                )
            return


def expressed_in_vain(plan: Plan) -> Iterator[Advice]:
    """A component's part is given as a formula that no portion of it can be counted by."""
    for component in plan.procedure.components:
        for portion in plan.procedure.portions:
            if not component.expressed or not portion.formula or not same(portion.component, component.name):
                continue
            try:
                factor(component.expressed, portion.formula, component.carrier)
            except Unreadable as unreadable:
                yield Advice(
                    Finding(
                        "expressed-in-vain",
                        "caution",
                        f"{component.name}: reported as {readable(component.expressed)}, weighed as "
                        f"{readable(portion.formula)}; no gravimetric factor exists.",
                        str(unreadable),
                        "Change the formula in which it is reported, or the element that is tracked.",
                    )
                )


TECHNIQUE = Technique(
    key="precipitation",
    title="Precipitation",
    step_kinds=STEP_KINDS,
    checks=CHECKS,
    trials=TRIALS,
    rules=(more_than_everything, not_complete, too_little_precipitant, determinations_apart),
    causes=(incomplete, in_the_liquor, carried_down),
    plan_rules=(expressed_in_vain,),
)
