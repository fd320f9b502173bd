"""Solid mixtures as the run knows them: subliming, the cold-glass trial, findings and causes of loss."""

from __future__ import annotations

from collections.abc import Iterator

from helvor.core.engine.run.case import Case
from helvor.core.engine.technique import Cause, Check, Technique, Trial
from helvor.core.quantities.reading import digits
from helvor.core.record.finding import Finding
from helvor.core.record.outputs import in_phase
from helvor.core.record.procedure import Step
from helvor.core.record.step_kinds import Output, StepKind

WATER_PER_GRAM = 10.0
"""Millilitres of water a gram of the mixture is dissolved in; less leaves salt behind. Common practice."""

STEP_KINDS = (
    StepKind(
        "sublime",
        "Solid mixtures",
        "sublime",
        "Heat gently in the hood, stirring, until no more fumes rise",
        8,
        10,
        asks=("outcome",),
        kit=("hotplate", "dish", "rod", "cold watch glass"),
        heats=True,
        dries=True,
        rules=("sublimate", "constant-mass"),
        caution="In the hood, on a hotplate: no flame near anything flammable. A hot dish looks cold.",
        outputs=(Output("residue", "solid"), Output("vapour", "vapour")),
        works_on="solid",
        again="Heat it again in the hood until a clean cold glass held over it stays clear, and let it cool.",
    ),
)

COLD_GLASS = Trial(
    "cold-glass",
    "Hold a clean cold glass over it for half a minute.",
    "no new deposit",
    "a new deposit",
    "A new deposit means that some of the volatile component is left.",
)

CHECKS = {
    "sublime": (
        Check(
            "hood",
            "in the hood, on a hotplate, no flame",
            "the sublimed solid is flammable, and its vapour is harmful",
            safety=True,
            on="hotplate",
        ),
        Check(
            "grains",
            "grains on the rod knocked back into the dish",
            "solid lost on the rod is counted as volatile",
            on="rod",
        ),
    ),
    "evaporate": (
        Check("curved-down", "watch glass on it, curved side down", "drops run back to the middle", on="glass"),
        Check(
            "glass-tared", "this watch glass was weighed with the beaker", "both go on the balance together", on="glass"
        ),
    ),
}


def _volatile(case: Case) -> Iterator[tuple[Step, str]]:
    """Steps that drive a volatile portion off, with what stays behind: the first portion that is not found by loss."""
    for step in case.run.procedure.steps:
        if step.kind not in ("sublime", "heat") or len(step.gives) < 2:
            continue
        by_loss = [name for name in step.gives if case.run.procedure.portion(name).by_loss]
        stays = [name for name in step.gives if name not in by_loss]
        if by_loss and stays:
            yield step, stays[0]


def still_fuming(case: Case) -> Iterator[Finding]:
    """The residue was weighed while the last trial still showed a deposit."""
    for step, stays in _volatile(case):
        portion = case.ledger.portion(stays)
        if portion is None or portion.mass is None or (portion.constancy and portion.constancy.state == "constant"):
            continue
        here = [tried for _, tried in case.run.tried if tried.step == step.id and tried.trial == COLD_GLASS.key]
        if here and not here[-1].passed:
            yield Finding(
                "still-fuming",
                "caution",
                f"{stays} was weighed, but the last cold-glass test showed a new deposit.",
                "Remaining volatile solid is counted as residue, so the volatile component is too low.",
                "Heat again, test with the cold glass, cool, and weigh to constant mass.",
                about=stays,
            )


def too_little_water(case: Case) -> Iterator[Finding]:
    """Less water than about ten times the solid's mass."""
    for step in case.run.procedure.steps:
        if step.kind != "dissolve":
            continue
        portion = case.ledger.portion(step.on or (step.takes[0] if step.takes else ""))
        water = [
            taken.volume.value
            for name in step.adds
            if (taken := case.ledger.taken(name)) and taken.volume is not None and taken.substance.role == "solvent"
        ]
        if portion is None or portion.mass is None or not water or portion.mass.value <= 0:
            continue
        if sum(water) < 0.7 * WATER_PER_GRAM * portion.mass.value:
            yield Finding(
                "little-water",
                "note",
                f"{sum(water):g} mL of liquid for {digits(portion.mass.value)} g of {portion.name}: less than ten "
                "times as much.",
                "Undissolved salt stays with the solid.",
                "Stir a few minutes longer and rinse twice more.",
                about=portion.name,
            )


def fuming(case: Case) -> Iterator[Cause]:
    """The volatile part was not all gone, or nobody tried."""
    for step, stays in _volatile(case):
        portion = case.ledger.portion(stays)
        if portion is None or portion.mass is None or (portion.constancy and portion.constancy.state == "constant"):
            continue
        here = [tried.passed for _, tried in case.run.tried if tried.step == step.id and tried.trial == COLD_GLASS.key]
        lost = portion.constancy.difference if portion.constancy else None
        points: tuple[str, ...] = ("the last cold-glass test showed a deposit",) if here and not here[-1] else ()
        points += () if here else ("the cold-glass test was not done",)
        points += (f"{1000 * abs(lost):.0f} mg less at the last weighing",) if lost and lost < 0 else ()
        yield Cause(
            "still-fuming",
            "gain",
            f"{stays}: still contained some of the volatile component when weighed.",
            points,
            0.8 if here and not here[-1] else 0.4,
            portion=stays,
        )


def dried_in(case: Case) -> Iterator[Cause]:
    """What was dissolved stays with the insoluble rest that it is poured off from."""
    for number, step in enumerate(case.run.procedure.steps, 1):
        if step.kind != "decant" or len(step.gives) < 2:
            continue
        rest = (in_phase(step, case.kinds.get(step.kind), "solid") or step.gives[-1]).casefold()
        skipped = case.run.skipped.get(step.id)
        points = (f"step {number} skipped: {skipped}",) if skipped else ()
        for name in case.ledger.ends:
            passed = {
                given.casefold() for one in case.run.procedure.made_by(name) for given in (*one.takes, *one.gives)
            }
            portion = case.ledger.portion(name)
            if rest in passed and portion is not None and portion.said.end != "waste":
                yield Cause("dried-in", "gain", f"Dissolved salts dried onto {name}.", points, 0.3, portion=name)


TECHNIQUE = Technique(
    key="solids",
    title="Solid mixtures",
    step_kinds=STEP_KINDS,
    checks=CHECKS,
    trials={"sublime": (COLD_GLASS,)},
    rules=(still_fuming, too_little_water),
    causes=(fuming, dried_in),
)
