"""How much of a solid dissolves at a temperature, from a few points.

Solubility 1. ln S is about linear in 1/T (van 't Hoff): between two points it is drawn straight in
              those axes, so that S rises evenly faster.
Solubility 2. Beyond the points the nearest pair is followed a little way; farther out nothing is said.
Solubility 3. The slope over all points gives a heat of dissolving: ΔH = −R · d ln S / d(1/T).
"""

from __future__ import annotations

import bisect
import math
import re
from collections.abc import Sequence
from dataclasses import dataclass
from itertools import pairwise

from helvor.core.quantities.constants import GAS, ZERO_C
from helvor.core.quantities.reading import Unreadable, digits, parse_number

BEYOND = 25.0
"""K past the outermost point that the nearest pair is followed: from room temperature down to ice. Common practice."""
MOST_POINTS = 12


@dataclass(frozen=True, slots=True)
class Point:
    """A solubility: °C, g in 100 mL of solvent, and where it comes from."""

    celsius: float
    grams: float
    source: str = ""


@dataclass(frozen=True, slots=True)
class Curve:
    """Points in the order of their temperatures; at least two.

    Raises:
        Unreadable: fewer than two, two at one temperature, a solubility not above 0, a temperature out of reach.
    """

    points: tuple[Point, ...]

    def __post_init__(self) -> None:
        if len(self.points) < 2:
            raise Unreadable("Enter at least two points, one cold and one hot.")
        if len(self.points) > MOST_POINTS:
            raise Unreadable(f"Enter at most {MOST_POINTS} points.")
        for point in self.points:
            if not 0 < point.grams <= 2000:
                raise Unreadable("Enter a solubility above 0 and up to 2000 g in 100 mL.")
            if not -100 <= point.celsius <= 300:
                raise Unreadable("Enter a temperature between −100 and 300 °C.")
        ordered = tuple(sorted(self.points, key=lambda point: point.celsius))
        if any(b.celsius - a.celsius < 0.05 for a, b in pairwise(ordered)):
            raise Unreadable("Two points have the same temperature: delete one.")
        object.__setattr__(self, "points", ordered)

    @property
    def reach(self) -> tuple[float, float]:
        """Lowest and highest temperature that the curve says something about, °C."""
        return self.points[0].celsius - BEYOND, self.points[-1].celsius + BEYOND

    def at(self, celsius: float) -> float:
        """g in 100 mL at a temperature (Solubility 1, 2).

        Raises:
            Unreadable: it lies too far from the points.

        >>> water = Curve((Point(25, 0.54), Point(100, 5.0)))
        >>> round(water.at(25), 6), round(water.at(2), 3)
        (0.54, 0.214)
        """
        low, high = self.reach
        if not low - 1e-9 <= celsius <= high + 1e-9:
            raise Unreadable(
                f"The solubility at {digits(celsius, 3)} °C is too far outside its points "
                f"({digits(self.points[0].celsius, 3)} to {digits(self.points[-1].celsius, 3)} °C)."
            )
        temperatures = [point.celsius for point in self.points]
        i = min(max(bisect.bisect_left(temperatures, celsius), 1), len(temperatures) - 1)
        a, b = self.points[i - 1], self.points[i]
        part = _part(a.celsius, b.celsius, celsius)
        return math.exp((1 - part) * math.log(a.grams) + part * math.log(b.grams))

    def saturated_at(self, grams: float) -> float | None:
        """°C at which so many g in 100 mL are just dissolved; None where the curve does not reach it."""
        low, high = self.reach
        if not grams > 0 or self.at(low) > self.at(high):
            return None
        if not self.at(low) <= grams <= self.at(high):
            return None
        for _ in range(50):
            middle = (low + high) / 2
            if self.at(middle) < grams:
                low = middle
            else:
                high = middle
        return (low + high) / 2

    @property
    def heat(self) -> float:
        """Heat of dissolving, kJ/mol, from the straight line through all points (Solubility 3)."""
        x = [1 / (point.celsius + ZERO_C) for point in self.points]
        y = [math.log(point.grams) for point in self.points]
        mean_x, mean_y = sum(x) / len(x), sum(y) / len(y)
        slope = sum((a - mean_x) * (b - mean_y) for a, b in zip(x, y, strict=True)) / sum((a - mean_x) ** 2 for a in x)
        return -GAS * slope / 1000


def _part(low: float, high: float, celsius: float) -> float:
    """How far between two temperatures another lies, in 1/T."""
    inverse = [1 / (value + ZERO_C) for value in (low, high, celsius)]
    return (inverse[2] - inverse[0]) / (inverse[1] - inverse[0])


_POINT = re.compile(r"\s*([\d.,]+)\s*(?:g)?\s*(?:at|@)\s*([−-]?[\d.,]+)\s*(?:°\s*C)?\s*")


def read_curve(text: str) -> Curve:
    """Points as typed: ``0.54 at 25, 5.0 at 100``.

    Raises:
        Unreadable: what is wrong, with an example.

    >>> read_curve("0.54 at 25; 5.0 at 100").points[1].grams
    5.0
    """
    points = []
    for part in re.split(r"[;\n]|,(?=\s)", text):
        if not part.strip():
            continue
        match = _POINT.fullmatch(part)
        if match is None:
            raise Unreadable(
                f"“{part.strip()[:30]}” is not a solubility curve: enter g in 100 mL at a temperature, such as "
                "0.54 at 25, 5.0 at 100."
            )
        points.append(Point(parse_number(match[2].replace("−", "-"))[0], parse_number(match[1])[0]))
    return Curve(tuple(points))


def curve_of(pairs: Sequence[tuple[float, float]], source: str = "") -> Curve | None:
    """A curve from pairs of °C and g in 100 mL; None where there are fewer than two."""
    return Curve(tuple(Point(celsius, grams, source) for celsius, grams in pairs)) if len(pairs) > 1 else None
