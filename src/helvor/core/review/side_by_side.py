"""The same numbers of every bench of a class: middle, spread, what lies apart, what many have in common.

Review 1. Middle, middle half, and what lies apart as in :mod:`helvor.core.quantities.robust`; a number lies apart only
          by more than its own uncertainty, and among fewer than five none does.
Review 2. Where more than half agree exactly, the mean absolute deviation stands in for the median one, with
          1.2533 for 1.4826, by the same source.
Review 3. A finding on three benches and a third of them is no bench's own: reagent, balance or handout. Where all of
          them used one bottle or one balance that others did not, that one is named.
"""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from helvor.core.engine.run.work_out import RunWorksheet
from helvor.core.quantities.measured import Measured
from helvor.core.quantities.robust import FAR, SAME_ON_MANY, Spread, quantile, spread
from helvor.core.record.finding import Level
from helvor.core.techniques.crystallization.record import melted
from helvor.core.techniques.planar.side_by_side import SideBySide

FEWEST = 5
MELTING_U = 0.3
"""Standard uncertainty of a melting range read by eye, °C. Common practice: half a degree, rectangular."""
COVERAGE = 2.0


def apart(values: Sequence[float], us: Sequence[float] | None = None) -> list[bool]:
    """Which numbers lie apart from the others (Review 2).

    Args:
        us: their standard uncertainties; 0 without.

    >>> apart([89, 90, 91, 90, 89.5, 74])
    [False, False, False, False, False, True]
    """
    if len(values) < FEWEST:
        return [False] * len(values)
    middle = spread(values)
    scale = middle.sd
    if scale == 0:
        scale = 1.2533 * sum(abs(value - middle.median) for value in values) / len(values)
    if scale == 0:
        return [False] * len(values)
    own = us if us is not None else [0.0] * len(values)
    return [
        abs(value - middle.median) / scale > FAR and abs(value - middle.median) > COVERAGE * u
        for value, u in zip(values, own, strict=True)
    ]


@dataclass(frozen=True, slots=True)
class OfBench:
    """A bench's number, its standard uncertainty, and whether it lies apart from the others."""

    bench: int
    value: float
    u: float
    apart: bool = False


@dataclass(frozen=True, slots=True)
class Measure:
    """One number of every bench that has it.

    Attributes:
        expected: what it would be if nothing were lost, or the published value; None where there is none.
        about: the system that an Rf belongs to; empty for what a run gives.
    """

    key: str
    label: str
    unit: str
    expected: float | None
    numbers: tuple[OfBench, ...]
    about: str = ""

    @property
    def spread(self) -> Spread:
        return spread([one.value for one in self.numbers])


@dataclass(frozen=True, slots=True)
class Shared:
    """A finding that many benches have: its code and worst level, the words of the first, and which benches.

    ``common`` is what all of them used and not everybody did: a stock bottle, a balance; empty without one.
    """

    code: str
    level: Level
    what: str
    benches: tuple[int, ...]
    common: str = ""


Number = tuple[str, str, str, float | None, float, float]
"""Key, label, unit, expected value, number and its uncertainty."""


def numbers_of(sheet: RunWorksheet) -> list[Number]:
    """All the numbers that a run has."""
    found: list[tuple[str, str, str, float | None, float, float]] = []

    def percent(key: str, label: str, number: Measured | None, expected: float | None) -> None:
        if number is not None:
            found.append((key, label, "%", expected, 100 * number.value, 100 * number.u))

    ledger = sheet.ledger
    for account in ledger.components:
        name = account.component.name
        percent(f"content {name}", f"{name} in the sample", account.mean_content, None)
        percent(f"recovery {name}", f"{name} recovered", account.recovery, 100.0)
    for made in ledger.yields:
        percent(f"yield {made.portion}", f"yield of {made.portion}", made.percent, 100.0)
    if not ledger.reacts and ledger.complete:
        percent("closure", "mass balance", ledger.closure, 100.0)
    followed = {p.casefold() for a in ledger.components if a.recovery is not None for p in a.portions}
    for name, part in ledger.parts.items():
        if name.casefold() not in followed:
            percent(f"part {name}", f"{name} in the sample", part, None)
    for one in melted(sheet.run):
        name = one.said.portion
        if not one.said.mixed_with and sheet.run.procedure.portion(name).end == "product":
            found.append((f"melts {name}", f"{name} melts up to", "°C", one.published, one.true.ends, MELTING_U))
    return found


def measures(sheets: Sequence[tuple[int, RunWorksheet]]) -> list[Measure]:
    """Every number that at least two benches have, in the order in which the first bench has them."""
    return beside([(bench, numbers_of(sheet)) for bench, sheet in sheets])


def beside(benches: Sequence[tuple[int, Sequence[Number]]]) -> list[Measure]:
    """The same of numbers that are worked out already."""
    seen: dict[str, tuple[str, str, float | None, list[tuple[int, float, float]]]] = {}
    for bench, mine in benches:
        for key, label, unit, expected, value, u in mine:
            numbers = seen.setdefault(key, (label, unit, expected, []))[3]
            # A later range of the same portion stands for it.
            numbers[:] = [one for one in numbers if one[0] != bench]
            numbers.append((bench, value, u))
    found = []
    for key, (label, unit, expected, numbers) in seen.items():
        if len(numbers) > 1:
            far = apart([value for _, value, _ in numbers], [u for _, _, u in numbers])
            rows = tuple(OfBench(*one, is_far) for one, is_far in zip(numbers, far, strict=True))
            found.append(Measure(key, label, unit, expected, rows))
    return found


def of_plates(found: SideBySide) -> list[Measure]:
    """The Rf of every sample in every system that two benches or more ran it in (Review 1).

    The number of a bench is the median of its own plates; what is expected is nothing that a shelf could say.
    """
    measures_: list[Measure] = []
    for system in found.systems:
        for series in system.series:
            by_bench: dict[int, list[tuple[float, float]]] = {}
            for value in series.values:
                if value.bench is not None:
                    by_bench.setdefault(value.bench, []).append((value.rf, value.u))
            if len(by_bench) < 2:
                continue
            numbers = [
                (bench, quantile(sorted(rf for rf, _ in seen), 0.5), max(u for _, u in seen))
                for bench, seen in sorted(by_bench.items())
            ]
            far = apart([rf for _, rf, _ in numbers], [u for _, _, u in numbers])
            rows = tuple(OfBench(*one, is_far) for one, is_far in zip(numbers, far, strict=True))
            key = f"rf {system.title} {series.sample} {series.number or 1}"
            measures_.append(Measure(key, f"Rf {series.title}", "", None, rows, system.title))
    return measures_


def against(now: Measure, earlier: Sequence[Measure]) -> Measure | None:
    """The same measure of an earlier class, or None."""
    return next((one for one in earlier if one.key == now.key), None)


def _used(sheet: RunWorksheet) -> frozenset[str]:
    """The stock bottles and balances of a run, as they are called."""
    bottles = (f"bottle {on.taken.bottle.code}" for on in sheet.run.taken if on.taken.bottle is not None)
    weighed = (on.weighed.balance for on in sheet.run.weighings)
    taken = (on.taken.balance for on in sheet.run.taken)
    return frozenset([*bottles, *(f"balance {name}" for name in (*weighed, *taken) if name)])


def _in_common(benches: Sequence[int], used: Mapping[int, frozenset[str]]) -> str:
    """What these benches all used and not everybody did; the least used first. Empty without one."""
    alike = frozenset.intersection(*(used[bench] for bench in benches))
    others = [things for bench, things in used.items() if bench not in benches]
    count = {thing: sum(thing in things for things in others) for thing in alike}
    telling = sorted((n, thing) for thing, n in count.items() if n < len(others))
    return telling[0][1] if telling else ""


def shared(sheets: Sequence[tuple[int, RunWorksheet]]) -> list[Shared]:
    """Findings that are no bench's own (Review 3), the ones on most benches first."""
    order: tuple[Level, ...] = ("good", "note", "caution", "stop")
    seen: dict[str, tuple[Level, str, list[int]]] = {}
    for bench, sheet in sheets:
        for finding in sheet.findings:
            if finding.level not in ("caution", "stop"):
                continue
            level, what, benches = seen.get(finding.code, (finding.level, finding.what, []))
            if bench not in benches:
                benches.append(bench)
            seen[finding.code] = (max(level, finding.level, key=order.index), what, benches)
    least = max(SAME_ON_MANY, math.ceil(len(sheets) / 3))
    used = {bench: _used(sheet) for bench, sheet in sheets}
    found = [
        Shared(code, level, what, tuple(b), _in_common(b, used))
        for code, (level, what, b) in seen.items()
        if len(b) >= least
    ]
    return sorted(found, key=lambda one: (-len(one.benches), one.code))
