"""A solubility curve with a flask on it, as shapes; for the run's page and the sums."""

from __future__ import annotations

import math
from collections.abc import Iterator
from dataclasses import dataclass

from helvor.core.laws.crystallization.plan import Recrystallization
from helvor.core.laws.crystallization.solubility import Curve
from helvor.core.quantities.reading import digits, round_to
from helvor.web.path import Path, polyline
from helvor.web.techniques.extraction.drawing import Axis

LEFT, RIGHT, TOP, FOOT = 34.0, 420.0, 26.0, 270.0


def amount(value: float) -> str:
    """A recorded volume as it was said, to the tenth."""
    return f"{round(value, 1):g}"


@dataclass(frozen=True, slots=True)
class Stop:
    """A numbered place on the curve, with what happened there."""

    x: float
    y: float
    words: str
    value: str


@dataclass(frozen=True, slots=True)
class CurveShown:
    """The curve, what stays dissolved under it, ticks of both axes, the points of the shelf, the way of the flask.

    ``way`` is the flask's path from hot to cold: level until crystals come, then down along the curve; ``late``
    is the part of it that was saturated before any came.
    """

    path: str
    under: str
    ticks_x: list[tuple[float, str]]
    ticks_y: list[tuple[float, str]]
    points: list[tuple[float, float, str]]
    way: str
    late: str
    stops: list[Stop]
    says: str


def _rungs(most: float, y: Axis) -> list[tuple[float, str]]:
    """At most six lines over a height, at round numbers."""
    step = 10 ** math.floor(math.log10(most)) / 2 if most > 0 else 1
    while most / step > 6:
        step *= 2
    return [(y.at(step * i), digits(step * i, 2)) for i in range(1, int(most / step) + 1)]


def _way(
    curve: Curve, plan: Recrystallization, content: float, came: tuple[float, str] | None, x: Axis, y: Axis
) -> tuple[str, str]:
    """A flask's way while it cools: level until it is saturated, then along the curve; and how far it was late."""
    due = min(plan.due, plan.hot) if plan.due is not None else plan.hot
    turn = max(min(due, came[0]) if came is not None else due, plan.cold)
    way = Path().move(x.at(plan.hot), y.at(content)).across(x.at(max(due, plan.cold)))
    late = Path().move(x.at(due), y.at(content)).across(x.at(turn)) if turn < due else ""
    if turn > plan.cold:
        below = [turn - (turn - plan.cold) * i / 30 for i in range(31)]
        way.move(x.at(turn), y.at(content)).through((x.at(t), y.at(min(content, curve.at(t)))) for t in below)
    return str(way), str(late)


def _stops(
    curve: Curve, plan: Recrystallization, content: float, came: tuple[float, str] | None, x: Axis, y: Axis
) -> Iterator[Stop]:
    """Places on the way that carry words."""
    amounts = f"{amount(plan.volume)} mL, {digits(plan.mass, 3)} g"
    yield Stop(x.at(plan.hot), y.at(content), "dissolved hot", amounts)
    if plan.due is not None and plan.cold < plan.due < plan.hot:
        yield Stop(x.at(plan.due), y.at(content), "saturated below", f"{round_to(plan.due, 0)} °C")
    if came is not None:
        yield Stop(x.at(came[0]), y.at(content), came[1], f"{came[0]:g} °C")
    cold = curve.at(plan.cold)
    yield Stop(x.at(plan.cold), y.at(min(content, cold)), "stays dissolved", f"{plan.cold:g} °C, {digits(cold, 2)}")


def draw_curve(curve: Curve, plan: Recrystallization | None, came: tuple[float, str] | None = None) -> CurveShown:
    """The curve from cold to hot, and a flask's way along it.

    Args:
        came: °C and words of the first crystals, where they were seen.
    """
    low, high = max(0.0, curve.reach[0]), curve.points[-1].celsius
    if plan is not None:
        low, high = min(low, plan.cold), max(high, plan.hot)
    low = max(low, curve.reach[0])
    x = Axis(math.floor(low / 10) * 10, math.ceil(high / 10) * 10, LEFT, RIGHT)
    content = 100 * plan.mass / plan.volume if plan is not None and plan.volume else 0.0
    most = max(curve.at(high), min(content, 2 * curve.at(high)))
    y = Axis(0, most * 1.12, FOOT, TOP)
    line = [(x.at(t), y.at(curve.at(t))) for t in (low + (high - low) * i / 60 for i in range(61))]
    under = Path().move(x.at(low), FOOT).through(line).down(FOOT).close()
    says = f"Solubility from {digits(low, 2)} to {digits(high, 3)} °C"
    way, late, stops = "", "", list[Stop]()
    if plan is not None:
        way, late = _way(curve, plan, content, came, x, y)
        stops = list(_stops(curve, plan, content, came, x, y))
        says += f"; {round_to(100 * plan.ceiling, 1)} % can crystallize from {amount(plan.volume)} mL"
    return CurveShown(
        polyline(line),
        str(under),
        [(x.at(t), f"{t:g}") for t in range(int(x.low), int(x.high) + 1, 20)],
        _rungs(most, y),
        [(x.at(p.celsius), y.at(p.grams), f"{digits(p.grams, 3)} at {digits(p.celsius, 3)} °C") for p in curve.points],
        way,
        late,
        stops,
        says,
    )
