"""Solid mixtures as the run knows them: subliming, the cold-glass trial, findings and causes of loss."""

from __future__ import annotations

from collections.abc import Iterator

from helvor.bench.finding import Finding
from helvor.bench.procedure import Step
from helvor.bench.quantity import digits
from helvor.bench.run.craft import Cause, Check, Craft, Trial
from helvor.bench.run.judge import Case
from helvor.bench.step_kinds import StepKind

WATER_PER_GRAM = 10.0
"""Millilitres of water a gram of the mixture is dissolved in; less leaves salt behind. Common practice."""

STEP_KINDS = (
    StepKind("sublime", "Solid mixtures", "sublime", "Heat gently in the hood, stirring, until no more fumes come",
             8, 10, asks=("outcome",), kit=("hotplate", "dish", "rod", "cold watch glass"), heats=True, dries=True,
             rules=("sublimate", "constant-mass"),
             caution="In the hood, on a hotplate: no flame near anything that burns. The dish looks cold and is hot."),
)  # fmt: skip

COLD_GLASS = Trial(
    "cold-glass",
    "Hold a clean cold glass over it for half a minute.",
    "no new deposit",
    "a new deposit",
    "As long as something settles on cold glass, the volatile part has not all gone.",
)

CHECKS = {
    "sublime": (
        Check("hood", "in the hood, on a hotplate, no flame", "what sublimes burns, and its vapour harms", safety=True,
              on="hotplate"),
        Check("grains", "grains on the rod are knocked back into the dish", "what leaves on the rod counts as volatile",
              on="rod"),
    ),
    "evaporate": (
        Check("curved-down", "watch glass on it with the curved side down", "drops run back to the middle", on="glass"),
        Check("glass-tared", "this watch glass was weighed with the beaker", "it goes on the balance with it",
              on="glass"),
    ),
}  # fmt: skip


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
                f"{stays} was weighed, but the cold glass last showed a new deposit.",
                "What still leaves counts as residue, and the volatile part comes out too low.",
                "Heat again, try the cold glass, cool, weigh until the mass stands.",
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
                "Salt that is not dissolved stays with the rest.",
                "Stir some minutes longer, rinse twice more.",
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
        points: tuple[str, ...] = ("the cold glass last showed a deposit",) if here and not here[-1] else ()
        points += () if here else ("the cold glass was not tried",)
        points += (f"{1000 * abs(lost):.0f} mg less at the last weighing",) if lost and lost < 0 else ()
        yield Cause(
            "still-fuming", "gain", f"{stays} still held some of the volatile part when it was weighed.", points,
            0.8 if here and not here[-1] else 0.4, portion=stays,
        )  # fmt: skip


def dried_in(case: Case) -> Iterator[Cause]:
    """What was dissolved stays with the insoluble rest that it is poured off from."""
    for number, step in enumerate(case.run.procedure.steps, 1):
        if step.kind != "decant" or len(step.gives) < 2:
            continue
        rest = step.gives[-1].casefold()
        skipped = case.run.skipped.get(step.id)
        points = (f"step {number} left out: {skipped}",) if skipped else ()
        for name in case.ledger.ends:
            passed = {
                given.casefold() for one in case.run.procedure.made_by(name) for given in (*one.takes, *one.gives)
            }
            portion = case.ledger.portion(name)
            if rest in passed and portion is not None and portion.said.end != "waste":
                yield Cause("dried-in", "gain", f"What was dissolved dried in with {name}.", points, 0.3, portion=name)


CRAFT = Craft(
    key="solids",
    title="Solid mixtures",
    step_kinds=STEP_KINDS,
    checks=CHECKS,
    trials={"sublime": (COLD_GLASS,)},
    rules=(still_fuming, too_little_water),
    causes=(fuming, dried_in),
)
