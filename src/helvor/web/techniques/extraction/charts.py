"""Charts of an extraction: what is left over portions, and where each component is over pH."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from helvor.core.laws.extraction.acid_base import Solute, ph_to_move
from helvor.core.laws.extraction.distribution import limit, with_clinging
from helvor.core.quantities.reading import digits, round_to
from helvor.core.techniques.extraction.flow import (
    Parting,
)
from helvor.web.path import polyline
from helvor.web.techniques.extraction.drawing import Axis

TINTS = ("#0B6E78", "#17242D", "#8C4A33", "#3F5B9A", "#7A5A14")
"""Curves of components, in order; each has its name beside it as well."""


MOST = 6
"""Portions up to which the chart goes."""


TRACE = 0.03
"""Part of what there is most of, below which a component is not drawn."""


@dataclass(frozen=True, slots=True)
class CurveShown:
    """A curve of a component: its path, its dots, its tint, and where its name stands."""

    name: str
    path: str
    dots: list[tuple[float, float]]
    tint: str
    label: tuple[float, float]
    says: str


@dataclass(frozen=True, slots=True)
class ChartShown:
    """A chart of components: curves, rungs up and ticks along it, what is marked across it."""

    curves: list[CurveShown]
    rungs: list[tuple[float, str]]
    ticks: list[tuple[float, str]]
    marks: list[tuple[float, str]]
    now: float | None
    now_words: str
    band: tuple[float, float] | None


def portions_chart(parting: Parting, clings: float) -> ChartShown | None:
    """What is left of each component that moves, for the same volume in one to six portions; *clings* mL stay."""
    if not parting.rounds:
        return None
    feed, portion = parting.volumes()
    total = portion * len(parting.rounds)
    ph = parting.rounds[-1].ph
    lefts: dict[str, list[float]] = {}
    limits = []
    for solute in parting.solutes:
        d = solute.d(ph)
        ratio = d if parting.makes == "organic" else 1 / d if d > 0 else 0.0
        if solute.mol <= 0 or not 0.05 < ratio < 1e9:
            continue
        found = [
            sum(with_clinging(ratio, feed, [total / n] * n, min(clings, total / n / 2))) for n in range(1, MOST + 1)
        ]
        if found[-1] <= 0.9:
            lefts[solute.name] = found
            limits.append(limit(ratio, feed, total))
    if not lefts:
        return None
    return split_chart(lefts, total, len(parting.rounds), limits)


def split_chart(
    lefts: Mapping[str, Sequence[float]], total: float, count: int, limits: Sequence[float] = ()
) -> ChartShown:
    """Parts left after one to six portions of *total* mL, by name; *count* is what is done, *limits* without end."""
    least = max(min(min(found) for found in lefts.values()), 1e-5)
    decades = max(1, math.ceil(-math.log10(least)))
    x, y = Axis(1, MOST, 44, 236), Axis(-decades, 0, 168, 18)
    curves: list[CurveShown] = []
    for name, found in lefts.items():
        points = [(x.at(n), y.at(math.log10(max(part, 1e-12)))) for n, part in enumerate(found, 1)]
        says = f"{name}: " + ", ".join(f"{n} portions {digits(100 * part, 2)} %" for n, part in enumerate(found, 1))
        curves.append(CurveShown(name, polyline(points), points, TINTS[len(curves) % len(TINTS)], points[-1], says))
    rungs = [(y.at(-power), f"{10.0 ** (2 - power):g}") for power in range(decades + 1)]
    marks = [(y.at(math.log10(one)), f"limit {digits(100 * one, 2)} %") for one in limits if one > 10.0**-decades]
    ticks = [(x.at(n), str(n)) for n in range(1, MOST + 1)]
    band = (x.at(count) - 14, 28.0) if count <= MOST else None
    return ChartShown(curves, rungs, ticks, marks, None, f"{digits(total, 3)} mL in all", band)


def _half_extracted(solute: Solute, values: Sequence[float], water: float, organic: float) -> float | None:
    """The first pH at which a component has gone over by half: an acid into the water, a base out of it."""
    acid = solute.acts == "acid"
    return next((ph for ph in values if (solute.in_organic(ph, water, organic) < 0.5) == acid), None)


def _moves(solute: Solute, water: float, organic: float) -> str:
    """From or below which pH a component is in the water, in words; empty for one that no pH moves."""
    if solute.acts == "neutral" or solute.pka is None or solute.k <= 0:
        return ""
    limit = ph_to_move(solute.acts, solute.pka, solute.k, organic, water)
    side = "from" if solute.acts == "acid" else "below"
    return f", 99 % in the aqueous layer {side} pH {digits(limit, 2)}" if limit is not None else ""


def ph_chart(solutes: Sequence[Solute], water: float, organic: float, now: float | None) -> ChartShown | None:
    """What part of each component is in the organic layer, over the pH of the water."""
    present = [solute for solute in solutes if solute.mol > 0]
    if not present or organic <= 0 or water <= 0:
        return None
    x, y = Axis(-1, 15, 40, 236), Axis(0, 100, 168, 18)
    values = [i / 4 for i in range(-4, 61)]
    curves: list[CurveShown] = []
    for number, solute in enumerate(present[: len(TINTS)]):
        points = [(x.at(ph), y.at(100 * solute.in_organic(ph, water, organic))) for ph in values]
        half = _half_extracted(solute, values, water, organic)
        free = half is None or solute.acts == "neutral"
        at = (46.0, y.at(100) + 16) if free else (x.at(half or 0) + 8, y.at(62) + 20 * number)
        says = f"{solute.name}{_moves(solute, water, organic)}"
        curves.append(CurveShown(solute.name, polyline(points), [], TINTS[number], at, says))
    ticks = [(x.at(ph), str(ph)) for ph in range(0, 15, 2)]
    here = x.at(now) if now is not None else None
    rungs = [(y.at(part), str(part)) for part in (0, 50, 100)]
    return ChartShown(curves, rungs, ticks, [], here, f"pH {round_to(now, 1)}" if now is not None else "", None)


PH_AXIS = Axis(-1, 15, 30, 530)


def charge_chart(solutes: Sequence[Solute], water: float) -> ChartShown | None:
    """What part of each acid or base is uncharged, so a solid, over the pH."""
    most = max((solute.mol for solute in solutes), default=0.0)
    present = [solute for solute in solutes if solute.acts != "neutral" and solute.mol > TRACE * most]
    if not present or water <= 0:
        return None
    y = Axis(0, 100, 118, 22)
    curves: list[CurveShown] = []
    for number, solute in enumerate(present[: len(TINTS)]):
        values = [i / 4 for i in range(-4, 61)]
        points = [(PH_AXIS.at(ph), y.at(100 * (1 - solute.charged(ph)))) for ph in values]
        pka = solute.pka or 7.0
        curves.append(
            CurveShown(solute.name, polyline(points), [], TINTS[number], (PH_AXIS.at(pka), y.at(50)), f"pKa {pka:g}")
        )
    return ChartShown(curves, [], [], [], None, "", None)
