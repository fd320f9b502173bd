"""Numbered unknowns against their key: how near each bench came, and how near the class.

Key 1. Where the key gives shares, a bench's number for a component is its content by determination, else the part
       of the sample that its portion makes up; the error is found minus true, in per cent of the sample.
Key 2. Where it only says what is in it, a plate is judged: what was found, missed, and named without being there.
       A sample's lane is known by its number in the lane's name.
Key 3. Over the class: the mean error says whether all read too high or too low, its spread how well they agree.
"""

from __future__ import annotations

import re
import statistics
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass

from helvor.core.classroom.unknowns import Sample
from helvor.core.engine.run.account import Ledger
from helvor.core.engine.run.work_out import RunWorksheet
from helvor.core.record.procedure import same
from helvor.core.techniques.planar.results import PlateWorksheet


@dataclass(frozen=True, slots=True)
class Found:
    """One component of a bench's sample: the share of the key and the one found, %, and the difference."""

    component: str
    true: float
    found: float
    u: float

    @property
    def error(self) -> float:
        return self.found - self.true

    @property
    def beyond_doubt(self) -> bool:
        """Further from the key than its own uncertainty explains."""
        return abs(self.error) > 2 * self.u


@dataclass(frozen=True, slots=True)
class Named:
    """What a plate says is in a sample: found and there, there and missed, named and not there."""

    right: tuple[str, ...]
    missed: tuple[str, ...]
    extra: tuple[str, ...]

    @property
    def all_right(self) -> bool:
        return not self.missed and not self.extra


@dataclass(frozen=True, slots=True)
class Judged:
    """A bench's sample judged: shares, names, or neither while nothing is on record."""

    bench: int
    number: int
    shares: tuple[Found, ...] = ()
    named: Named | None = None


@dataclass(frozen=True, slots=True)
class Accuracy:
    """A component over the class: number of benches, mean error and its standard deviation, % of the sample."""

    component: str
    benches: int
    bias: float
    spread: float | None


def content_of(ledger: Ledger, component: str) -> tuple[float, float] | None:
    """What a run found of a component in its sample, % and its standard uncertainty (Key 1)."""
    for account in ledger.components:
        if same(account.component.name, component) and (mean := account.mean_content) is not None:
            return 100 * mean.value, 100 * mean.u
    for name, part in ledger.parts.items():
        portion = ledger.portion(name)
        of = portion.said.component if portion is not None else ""
        if same(of or name, component) or same(name, component):
            return 100 * part.value, 100 * part.u
    return None


def mark_shares(sample: Sample, sheet: RunWorksheet) -> tuple[Found, ...]:
    """Every component of the key that the run has a number for."""
    found = []
    for part in sample.holds:
        number = content_of(sheet.ledger, part.name)
        if part.percent is not None and number is not None:
            found.append(Found(part.name, part.percent, *number))
    return tuple(found)


def mark_plate(sample: Sample, sheets: Iterable[PlateWorksheet]) -> Named | None:
    """What the plates of a bench name in a sample; None where no lane is this sample's (Key 2)."""
    named: set[str] | None = None
    for sheet in sheets:
        for identity in sheet.identities:
            lane = sheet.plate.lane(identity.lane) if identity.lane is not None else None
            if lane is not None and re.search(rf"(?<!\d){sample.number}(?!\d)", lane.lane.substance):
                named = (named or set()) | {one.name.casefold() for one in identity.present}
    if named is None:
        return None
    true = {part.name.casefold(): part.name for part in sample.holds}
    return Named(
        tuple(name for key, name in true.items() if _names(key, named)),
        tuple(name for key, name in true.items() if not _names(key, named)),
        tuple(sorted(one for one in named if not any(_alike(key, one) for key in true))),
    )


def _alike(a: str, b: str) -> bool:
    """Whether two names mean one thing: *iron* and *iron(III)* do."""
    return a == b or a.partition("(")[0].strip() == b.partition("(")[0].strip()


def _names(key: str, named: set[str]) -> bool:
    return any(_alike(key, one) for one in named)


def judged(
    samples: Sequence[Sample],
    dealt: Mapping[int, int],
    runs: Mapping[int, Sequence[RunWorksheet]],
    plates: Mapping[int, Sequence[PlateWorksheet]],
) -> list[Judged]:
    """Every bench that has a sample, by its number.

    Args:
        dealt: bench → number of its sample; runs, plates: bench → its worksheets, oldest first.
    """
    key = {sample.number: sample for sample in samples}
    found = []
    for bench, number in sorted(dealt.items()):
        sample = key.get(number)
        if sample is None:
            continue
        # Of several runs the one that says most of what the key asks for, of equal ones the latest.
        each = [mark_shares(sample, sheet) for sheet in runs.get(bench, ())]
        shares = max(reversed(each), key=len, default=())
        named = mark_plate(sample, plates.get(bench, ()))
        found.append(Judged(bench, number, shares, named))
    return found


def accuracy(rows: Iterable[Judged]) -> list[Accuracy]:
    """Mean error and spread of each component over the class (Key 3)."""
    errors: dict[str, list[float]] = {}
    for row in rows:
        for one in row.shares:
            errors.setdefault(one.component, []).append(one.error)
    return [
        Accuracy(name, len(each), statistics.fmean(each), statistics.stdev(each) if len(each) > 1 else None)
        for name, each in errors.items()
    ]
