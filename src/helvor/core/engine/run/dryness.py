"""How far drying to constant mass has come, by the house rule."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import replace

from helvor.core.engine.run.account import PortionMass
from helvor.core.engine.run.case import Case, grams
from helvor.core.laws.constant_mass import Constancy
from helvor.core.quantities.measured import Measured
from helvor.core.quantities.reading import round_to
from helvor.core.record.finding import Finding


def drying(case: Case) -> Iterator[Finding]:
    """How far drying to constant mass has come, by the house rule."""
    for portion in case.ledger.portions.values():
        dry = portion.constancy
        if dry is None or portion.mass is None:
            continue
        if dry.state == "once" and case.rules["constant-mass"].key != "two-weighings":
            yield _by_rule(portion.name, portion.mass, case.rules["constant-mass"].words)
            continue
        said = DRYNESS.get(dry.state)
        if said is None:
            continue
        finding = said(portion.name, portion.mass, dry)
        if dry.state == "gaining" and _more_came(case, portion):
            finding = _collected(portion.name, dry)
        if dry.state == "drying":
            finding = replace(finding, do=f"{_again(case, portion.name)} {finding.do}".strip())
        yield finding


def _again(case: Case, name: str) -> str:
    """What is done before a portion is weighed again, by the kind of the last step that dried it."""
    kinds = [case.kinds[step.kind] for step in case.run.procedure.made_by(name) if step.kind in case.kinds]
    return next((kind.again for kind in reversed(kinds) if kind.dries), "")


def _more_came(case: Case, portion: PortionMass) -> bool:
    """Whether more of it was collected between its last two weighings: a second pass through the paper, a rinse."""
    times = sorted(net.on.entry.happened for net in portion.nets if net.on.weighed.state == "dried")
    if len(times) < 2:
        return False
    brings = {
        step.id
        for step in case.run.procedure.made_by(portion.name)
        if (kind := case.kinds.get(step.kind)) is not None and not (kind.dries or kind.cools or kind.weighs)
    }
    return any(
        line.stands and getattr(line.head.payload, "step", "") in brings and times[-2] < line.root.happened < times[-1]
        for line in case.run.lines
        if line.head.payload.kind not in ("noted", "weighed", "checked")
    )


def _collected(name: str, dry: Constancy) -> Finding:
    return Finding(
        "more-collected",
        "note",
        f"{name}: {milligrams(dry.difference)} more than at the last weighing.",
        "More of it was collected in between, so the two weighings say nothing about constant mass.",
        "Dry it once more and weigh it again.",
        about=name,
    )


def _by_rule(name: str, mass: Measured, rule: str) -> Finding:
    return Finding(
        "dried-by-rule",
        "note",
        f"{name}: {grams(mass)}, weighed once, by the house rule: {rule}.",
        "One weighing is weaker evidence than two that agree.",
        about=name,
    )


def _dried_once(name: str, mass: Measured, dry: Constancy) -> Finding:
    return Finding(
        "dried-once",
        "note",
        f"{name}: weighed only once after drying, {grams(mass)}.",
        "One weighing cannot tell whether it has stopped losing mass.",
        f"Dry again, cool, weigh again after about {dry.again or 15:.0f} min.",
        about=name,
    )


def _constant(name: str, mass: Measured, dry: Constancy) -> Finding:
    says = f"at constant mass, the last two differ by {milligrams(dry.difference)}, within {milligrams(dry.limit)}."
    return Finding("constant-mass", "good", f"{name}: {says}", about=name)


def _still_drying(name: str, mass: Measured, dry: Constancy) -> Finding:
    goes_to = f" Expected final mass: about {round_to(dry.predicted, 3)} g." if dry.predicted else ""
    return Finding(
        "still-drying",
        "caution",
        f"{name}: still losing mass, {milligrams(dry.difference)} since the last weighing; "
        f"limit for constant mass: {milligrams(dry.limit)}.{goes_to}",
        "What still evaporates is counted as product.",
        f"Weigh again in about {dry.again or 15:.0f} min.",
        about=name,
    )


def _gaining(name: str, mass: Measured, dry: Constancy) -> Finding:
    return Finding(
        "gaining-mass",
        "caution",
        f"{name}: gained {milligrams(dry.difference)} since the last weighing.",
        "It is absorbing moisture, was warm at the last weighing, or was contaminated.",
        "Let it cool in a desiccator, then weigh it again.",
        about=name,
    )


def _coarse(name: str, mass: Measured, dry: Constancy) -> Finding:
    return Finding(
        "balance-too-coarse",
        "note",
        f"This balance cannot show constant mass for {name}: the rule allows {milligrams(dry.limit)}, "
        "less than one step of the balance.",
        "The rule of 0.50 mg per g after a further hour needs a balance that reads to 0.1 mg.",
        "Use a finer balance, or set the house rule to twice the readability.",
        about=name,
    )


def _too_soon(name: str, mass: Measured, dry: Constancy) -> Finding:
    return Finding(
        "not-an-hour",
        "note",
        f"{name}: within {milligrams(dry.limit)}, but the weighings are less than an hour apart.",
        "The strict rule asks for one more hour of drying.",
        f"Weigh again in about {dry.again or 60:.0f} min.",
        about=name,
    )


def _close(name: str, mass: Measured, dry: Constancy) -> Finding:
    return Finding(
        "no-drying-between",
        "note",
        f"{name}: the last two agree within {milligrams(dry.limit)}, but were written within minutes of each other.",
        "Two weighings with no drying between them say nothing about constant mass.",
        "Dry at least 10 min more, cool, weigh again. If they were copied in one go, go by your own times.",
        about=name,
    )


DRYNESS: dict[str, Callable[[str, Measured, Constancy], Finding]] = {
    "once": _dried_once,
    "constant": _constant,
    "drying": _still_drying,
    "gaining": _gaining,
    "coarse": _coarse,
    "soon": _too_soon,
    "close": _close,
}
"""How far drying has come → what is said of it."""


def milligrams(value: float | None) -> str:
    """A difference of masses, g, as milligrams without its sign."""
    return f"{round_to(abs(value or 0.0) * 1000, 1 if 0 < abs(value or 0.0) < 0.00095 else 0)} mg"
