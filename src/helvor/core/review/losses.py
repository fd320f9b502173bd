"""Where a class lost it: every gram of all benches together, then what may explain what is missing.

Class loss 1. Benches count whose account is whole: every product weighed, dry, their own. Where something reacts the
              most possible stands in for what was taken.
Class loss 2. What is missing is split by the causes that the runs themselves give a size; a cause's grams are summed
              over the benches that have it. The sizes are upper limits or estimates, so what they leave of the missing
              stays *not accounted for*, and they never claim more than is missing.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from helvor.core.engine.run.work_out import RunWorksheet


@dataclass(frozen=True, slots=True)
class BenchLoss:
    """A bench's account, g: what it began with, what each product weighs, and what is missing (below zero: too much).

    ``causes``: code, sentence and grams of what may explain the missing.
    """

    bench: int
    began: float
    found: tuple[tuple[str, float], ...]
    missing: float
    causes: tuple[tuple[str, str, float], ...]


@dataclass(frozen=True, slots=True)
class Explains:
    """A cause over the class: its sentence on the first bench that has it, grams at most, and which benches."""

    code: str
    what: str
    grams: float
    benches: tuple[int, ...]


@dataclass(frozen=True, slots=True)
class ClassLoss:
    """The whole class, g.

    Attributes:
        found: product → grams, in the order of the procedure; missing: net over all benches.
        explained: what causes with a size can take of it, the largest first; rest: what they leave.
    """

    benches: tuple[BenchLoss, ...]
    began: float
    found: tuple[tuple[str, float], ...]
    missing: float
    explained: tuple[Explains, ...]
    rest: float

    @property
    def part_found(self) -> float:
        """What was found again, 0 to above 1."""
        return sum(grams for _, grams in self.found) / self.began


def of_bench(bench: int, sheet: RunWorksheet) -> BenchLoss | None:
    """One bench's account; None while it is not whole (Class loss 1)."""
    ledger = sheet.ledger
    began: float | None = None
    found: list[tuple[str, float]] = []
    if ledger.yields:
        done = [made for made in ledger.yields if made.obtained is not None]
        if len(done) == len(ledger.yields):
            began = sum(made.theoretical.value for made in done)
            found = [(made.portion, made.obtained.value) for made in done if made.obtained is not None]
    elif not ledger.reacts and ledger.complete and ledger.sample is not None:
        began = ledger.sample.value
        found = [(name, part.value * began) for name, part in ledger.parts.items()]
    if began is None or began <= 0 or not found:
        return None
    missing = began - sum(grams for _, grams in found)
    causes = []
    if missing > 0:
        for ranked in sheet.causes:
            cause = ranked.cause
            if cause.sign == "loss" and cause.size and cause.points and not ranked.negligible:
                causes.append((cause.code, cause.what, cause.size))
    return BenchLoss(bench, began, tuple(found), missing, tuple(_within(causes, missing)))


def _within(causes: Sequence[tuple[str, str, float]], missing: float) -> list[tuple[str, str, float]]:
    """Causes in their order, none taking more than what the ones before it leave (Class loss 2)."""
    left, taken = missing, []
    for code, what, size in causes:
        grams = min(size, left)
        if grams > 0:
            taken.append((code, what, grams))
            left -= grams
    return taken


def of_class(sheets: Sequence[tuple[int, RunWorksheet]]) -> ClassLoss | None:
    """All benches together; None where none has a whole account."""
    return together([one for bench, sheet in sheets if (one := of_bench(bench, sheet)) is not None])


def together(accounts: Sequence[BenchLoss]) -> ClassLoss | None:
    """The same of accounts that are worked out already."""
    benches = tuple(accounts)
    if not benches:
        return None
    found: dict[str, float] = {}
    explained: dict[str, tuple[str, float, list[int]]] = {}
    for one in benches:
        for name, grams in one.found:
            found[name] = found.get(name, 0.0) + grams
        for code, what, grams in one.causes:
            words, so_far, where = explained.get(code, (what, 0.0, []))
            explained[code] = (words, so_far + grams, [*where, *([one.bench] if one.bench not in where else [])])
    began = sum(one.began for one in benches)
    missing = sum(one.missing for one in benches)
    # A bench that found too much makes the class's missing smaller; causes are held to that as well.
    left = max(missing, 0.0)
    rows = []
    for code, (what, grams, where) in sorted(explained.items(), key=lambda item: -item[1][1]):
        share = min(grams, left)
        if share > 0:
            rows.append(Explains(code, what, share, tuple(where)))
            left -= share
    return ClassLoss(benches, began, tuple(found.items()), missing, tuple(rows), left)
