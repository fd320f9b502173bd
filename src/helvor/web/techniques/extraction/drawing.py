"""A pear-shaped funnel to scale: its outline, the level of a volume, the shape of a layer.

The outline is drawn in a box of 344 by 480 units; its inside is turned round the axis and integrated,
so that a layer's drawn height is that of its volume in a funnel of the named size.
"""

from __future__ import annotations

from dataclasses import dataclass
from functools import cache

AXIS = 160.0
TAP, NECK = 362.0, 78.8
"""y of the tap and of the neck's foot: between them is what the funnel holds."""
HOLDS_MORE = 1.18
"""A funnel filled to the neck's foot holds more than its name says. Common practice."""
STEPS = 240
_CONE = ((169.4, 362.0), (174.8, 332.5), (247.0, 232.2), (247.0, 167.3))
_DOME = ((247.0, 167.3), (247.0, 114.2), (219.0, 93.6), (193.9, 78.8))

Point = tuple[float, float]


def _bezier(points: tuple[Point, Point, Point, Point], t: float) -> Point:
    weights = ((1 - t) ** 3, 3 * t * (1 - t) ** 2, 3 * t * t * (1 - t), t**3)
    return sum(w * p[0] for w, p in zip(weights, points, strict=True)), sum(
        w * p[1] for w, p in zip(weights, points, strict=True)
    )


@cache
def profile() -> tuple[tuple[float, float, float], ...]:
    """y from the tap upwards, the half-width there, and the part of the whole volume below."""
    points = [_bezier(curve, i / STEPS) for curve in (_CONE, _DOME) for i in range(STEPS + 1)]
    below, found = 0.0, []
    before: Point | None = None
    for x, y in points:
        half = x - AXIS
        if before is not None:
            below += (half**2 + half * before[0] + before[0] ** 2) / 3 * max(before[1] - y, 0.0)
        found.append((y, half, below))
        before = (half, y)
    whole = found[-1][2]
    return tuple((y, half, below / whole) for y, half, below in found)


def level(volume: float, size: float) -> Point:
    """y and half-width of the surface of so many mL in a funnel of *size* mL, at most the neck's foot."""
    part = min(max(volume / (HOLDS_MORE * size), 0.0), 1.0)
    before = profile()[0]
    for here in profile():
        if here[2] >= part:
            gap = here[2] - before[2]
            t = (part - before[2]) / gap if gap else 1.0
            return before[0] + t * (here[0] - before[0]), before[1] + t * (here[1] - before[1])
        before = here
    return profile()[-1][:2]


def shape(low: float, high: float, size: float) -> str:
    """The path of what lies between two volumes from the tap, mL; empty for nothing."""
    if high - low <= 0:
        return ""
    (y_low, half_low), (y_high, half_high) = level(low, size), level(high, size)
    inner = [(half_low, y_low), *((h, y) for y, h, _ in profile() if y_high < y < y_low), (half_high, y_high)]
    thin = inner[:: max(1, len(inner) // 40)]
    if thin[-1] != inner[-1]:
        thin.append(inner[-1])
    inset = 2.4
    right = [f"{AXIS + max(h - inset, 1):.1f} {y:.1f}" for h, y in thin]
    left = [f"{AXIS - max(h - inset, 1):.1f} {y:.1f}" for h, y in reversed(thin)]
    return f"M{right[0]}L{' '.join(right[1:])} {' '.join(left)}Z"


@dataclass(frozen=True, slots=True)
class Axis:
    """A straight scale: values at its ends and where these are drawn."""

    low: float
    high: float
    start: float
    end: float

    def at(self, value: float) -> float:
        """Where a value is drawn; at the nearer end where it lies outside."""
        part = (min(max(value, self.low), self.high) - self.low) / (self.high - self.low)
        return round(self.start + part * (self.end - self.start), 1)
