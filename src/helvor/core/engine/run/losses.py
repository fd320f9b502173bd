"""Where it may have gone: each likely loss and gain, with what in the record points to it.

Losses 1. A cause whose direction is that of the number found comes first; where nothing is
          known yet both directions stand, by weight.
Losses 2. A cause with a size is held against what is missing or too much: one that could
          explain it by itself rises, one that is far too small falls. An upper limit
          explains whatever is below it.
Losses 3. What is only usual, with nothing in the record that points at it, comes last and says so.

Weights are common practice, no source: they order a list for a discussion and prove nothing.
"""

from __future__ import annotations

import re
from collections.abc import Iterable, Iterator
from dataclasses import dataclass

from helvor.core.engine.run.account import ComponentAccount, PortionMass
from helvor.core.engine.run.case import COVERAGE, Case, join
from helvor.core.engine.technique import Cause, Sign, Techniques
from helvor.core.quantities.measured import Measured
from helvor.core.record.procedure import Procedure

BOTH: tuple[Sign, ...] = ("loss", "gain")

SEEN: tuple[tuple[tuple[str, ...], str, str], ...] = (
    (("spilt", "spilled", "spill", "knocked over"), "spilt", "Some was spilled."),
    (("spat", "spit", "spits", "spattered", "bumped"), "spat", "It spat while heating."),
    (("boiled over", "foamed over"), "boiled-over", "It boiled or foamed over."),
    (("broken glass", "broke", "cracked"), "broke", "Glass broke."),
    (("tore", "torn paper", "ran through", "hole in the paper"), "tore", "The paper tore or let solid through."),
)
"""Whole words in notes → code and sentence of a loss they tell of; a spatula has not spat."""


@dataclass(frozen=True, slots=True)
class Ranked:
    """A cause with its place: ``score`` orders the list; ``fits`` says how its size compares, empty without one."""

    cause: Cause
    score: float
    fits: str

    @property
    def negligible(self) -> bool:
        """Smaller than what the balance can tell."""
        return self.fits == NEGLIGIBLE


NEGLIGIBLE = "too little to weigh"


@dataclass(frozen=True, slots=True)
class Gap:
    """What a number lacks (g, above zero) or has too much (below zero), with its uncertainty; by portion or whole.

    ``against`` says what it is held against.
    """

    portion: str
    missing: Measured
    against: str

    @property
    def sign(self) -> Sign | None:
        """*loss* or *gain*; None where it lies within its uncertainty."""
        if abs(self.missing.value) <= COVERAGE * self.missing.u:
            return None
        return "loss" if self.missing.value > 0 else "gain"


def gaps(case: Case) -> list[Gap]:
    """What there is to explain: closure of the whole, or each product against what was possible."""
    ledger = case.ledger
    found = [
        Gap(made.portion, made.theoretical - made.obtained, "compared with the theoretical yield")
        for made in ledger.yields
        if made.obtained is not None
    ]
    if ledger.missing is not None and ledger.complete:
        found.append(Gap("", ledger.missing, "compared with the amount taken"))
    found += [gap for account in ledger.components for gap in _beside(case, account)]
    return found


def _beside(case: Case, account: ComponentAccount) -> Iterator[Gap]:
    """Of parallel determinations, what the lowest lacks for the content that the highest found."""
    if len(account.contents) < 2:
        return
    ordered = sorted(account.contents, key=lambda pair: pair[1].value)
    (low, low_part), (high, high_part) = ordered[0], ordered[-1]
    portion = case.ledger.portion(low)
    if portion is not None and portion.mass is not None and low_part.value > 0:
        wanted = portion.whole * (high_part / low_part)
        yield Gap(low, wanted - portion.whole, f"compared with its duplicate, {high}")


def ends_through(procedure: Procedure, ends: Iterable[str], step_id: str) -> list[str]:
    """Of the portions at the *ends* those that came through a step and are not waste."""
    return [
        name
        for name in ends
        if procedure.portion(name).end != "waste" and any(step.id == step_id for step in procedure.made_by(name))
    ]


def rank(case: Case, techniques: Techniques) -> list[Ranked]:
    """Every cause that the record allows, the likeliest first."""
    rules = (*CAUSES, *(cause for technique in techniques.all for cause in technique.causes))
    here = gaps(case)
    ranked = [_ranked(cause, here, case) for rule in rules for cause in rule(case)]
    return sorted(ranked, key=lambda one: (-one.score, one.cause.code, one.cause.portion))


def _gap_for(cause: Cause, here: list[Gap]) -> Gap | None:
    """The gap that a cause would explain: its portion's own, else the whole run's."""
    name = cause.portion.casefold()
    own = next((gap for gap in here if name and gap.portion.casefold() == name), None)
    if own is not None:
        return own
    whole = next((gap for gap in here if not gap.portion), None)
    return whole or (here[0] if here and not name else None)


def _share_words(share: float, *, at_most: bool) -> str:
    """How much of a gap a cause of known size explains."""
    if at_most:
        return "could explain all of it" if share >= 1 else f"explains at most {100 * share:.0f} % of it"
    return "explains about all of it" if 0.5 <= share <= 2 else f"explains about {100 * share:.0f} % of it"


def _ranked(cause: Cause, here: list[Gap], case: Case) -> Ranked:
    touched = case.ledger.portion(cause.portion)
    if cause.size is not None and touched is not None and touched.mass is not None and cause.size < touched.mass.u:
        return Ranked(cause, -0.5, NEGLIGIBLE)
    score = cause.weight + (0.0 if cause.points else -0.5)
    gap = _gap_for(cause, here)
    if gap is None:
        return Ranked(cause, score, "")
    if gap.sign is not None:
        score += 1.0 if gap.sign == cause.sign else -1.0
    if cause.size is None or gap.sign != cause.sign:
        return Ranked(cause, score, "")
    share = cause.size / abs(gap.missing.value)
    slight = 0.5 if share < 0.05 else 0.0
    return Ranked(cause, score + min(share, 1.0) - slight, _share_words(share, at_most=cause.at_most))


def _products(case: Case) -> Iterator[PortionMass]:
    for portion in case.ledger.portions.values():
        if portion.mass is not None and portion.basis not in ("borrowed", "taken"):
            yield portion


def not_dry(case: Case) -> Iterator[Cause]:
    """Weighed before it had come to constant mass."""
    for portion in _products(case):
        dry = portion.constancy
        if dry is None:
            continue
        if dry.state == "drying" and dry.difference is not None:
            left = portion.mass.value - dry.predicted if dry.predicted and portion.mass else None
            yield Cause(
                "not-dry",
                "gain",
                f"{portion.name}: still losing mass at the last weighing.",
                (f"{1000 * abs(dry.difference):.0f} mg less at the last weighing",),
                0.8,
                left,
                portion=portion.name,
            )
        elif dry.state == "once":
            yield Cause(
                "dried-once",
                "gain",
                f"{portion.name}: may have contained liquid.",
                ("dried and weighed once only",),
                0.4,
                portion=portion.name,
            )


def tares(case: Case) -> Iterator[Cause]:
    """A container's empty mass is an estimate, damp, or air-dry."""
    for portion in _products(case):
        for net in portion.counted:
            tare = net.tare
            if tare is None:
                continue
            name = net.on.weighed.name
            if tare.how == "spare":
                size = 2 * tare.mass.u if tare.mass else None
                for sign in BOTH:
                    yield Cause(
                        "spare-tare",
                        sign,
                        f"The paper under {portion.name} was not weighed; spare papers were used.",
                        (f"tare of {name} from {len(tare.readings)} spare papers",),
                        0.3,
                        size,
                        at_most=True,
                        portion=portion.name,
                    )
            elif tare.how == "damp":
                yield Cause(
                    "damp-tare",
                    "loss",
                    f"{name} was damp when it was weighed empty.",
                    ("tare marked damp",),
                    0.6,
                    portion=portion.name,
                )
            if tare.air_dry and tare.blank is None and net.on.weighed.state == "dried":
                yield Cause(
                    "air-dry-paper",
                    "loss",
                    f"The paper of {portion.name} lost its own water in the oven.",
                    ("tared air-dry, weighed oven-dry, no blank paper",),
                    0.6,
                    0.06 * tare.air_dry_g,
                    at_most=True,
                    portion=portion.name,
                )
            if tare.spread > 0.002 and tare.how == "weighed":
                for sign in BOTH:
                    yield Cause(
                        "drifted-tare",
                        sign,
                        f"{name}: the empty weighings disagree.",
                        (f"they differ by {1000 * tare.spread:.0f} mg",),
                        0.3,
                        tare.spread,
                        at_most=True,
                        portion=portion.name,
                    )


def hot(case: Case) -> Iterator[Cause]:
    """Something that counts was weighed warm."""
    for portion in _products(case):
        if any(net.on.weighed.hot for net in portion.counted):
            yield Cause(
                "weighed-hot",
                "loss",
                f"{portion.name}: weighed warm, so the reading is too low.",
                ("marked still warm",),
                0.5,
                portion=portion.name,
            )


def seen(case: Case) -> Iterator[Cause]:
    """Notes that tell of a loss."""
    steps = {step.id: number for number, step in enumerate(case.run.procedure.steps, 1)}
    for _, noted in case.run.notes:
        words = " ".join((noted.words, *noted.picks)).casefold()
        for needles, code, sentence in SEEN:
            if any(re.search(rf"\b{needle}\b", words) for needle in needles):
                at = f" at step {steps[noted.step]}" if noted.step in steps else ""
                yield Cause(code, "loss", sentence, (f"noted{at}: {noted.words or ', '.join(noted.picks)}",), 0.7)


def left_out(case: Case) -> Iterator[Cause]:
    """Rinsing or collecting steps that were left out."""
    for number, step in enumerate(case.run.procedure.steps, 1):
        kind = case.kinds.get(step.kind)
        if step.id in case.run.skipped and kind is not None and kind.collects:
            yield Cause(
                "left-out",
                "loss",
                f"“{kind.title}” was skipped, so material stayed behind.",
                (f"step {number} skipped: {case.run.skipped[step.id]}",),
                0.5,
            )


def estimated(case: Case) -> Iterator[Cause]:
    """An amount that enters the result was judged, not read."""
    names = [one.substance.name for one in case.ledger.substances if one.estimated and one.mass is not None]
    if names:
        for sign in BOTH:
            yield Cause(
                "estimated",
                sign,
                f"The amount of {join(names)} was estimated.",
                ("marked estimated",),
                0.3,
            )


def transfer(case: Case) -> Iterator[Cause]:
    """What stays on glass, rod and paper at every change of vessel."""
    moves = sum(1 for step in case.run.procedure.steps if (kind := case.kinds.get(step.kind)) and kind.collects)
    if moves:
        often = f"{moves} times" if moves > 1 else "once"
        yield Cause(
            "transfer", "loss", f"Material was transferred {often}; some stays on glass, rod and paper.", (), 0.3
        )


CAUSES = (not_dry, tares, hot, seen, left_out, estimated, transfer)
