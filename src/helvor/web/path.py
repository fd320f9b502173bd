"""Outlines of drawings: the data of an SVG path, put together piece by piece."""

from __future__ import annotations

from collections.abc import Iterable
from typing import Self


class Path:
    """An outline in drawing units, y downwards. Every number is rounded here, once, and nowhere else.

    Args:
        decimals: digits behind the point of every number.

    >>> str(Path().move(0, 0).line(3.14159, 2).across(10).close())
    'M0 0L3.1 2H10Z'
    """

    def __init__(self, decimals: int = 1) -> None:
        self._decimals = decimals
        self._pieces: list[str] = []

    def _put(self, letter: str, *numbers: float) -> Self:
        written = (f"{number:.{self._decimals}f}".rstrip("0").rstrip(".") for number in numbers)
        self._pieces.append(letter + " ".join("0" if text == "-0" else text for text in written))
        return self

    def move(self, x: float, y: float) -> Self:
        """Lift the pen and set it down."""
        return self._put("M", x, y)

    def line(self, x: float, y: float) -> Self:
        """A straight line to a point."""
        return self._put("L", x, y)

    def across(self, x: float) -> Self:
        """A level line."""
        return self._put("H", x)

    def down(self, y: float) -> Self:
        """An upright line, up or down."""
        return self._put("V", y)

    def curve(self, x1: float, y1: float, x2: float, y2: float, x: float, y: float) -> Self:
        """A cubic curve to (x, y), pulled by two points."""
        return self._put("C", x1, y1, x2, y2, x, y)

    def bend(self, x1: float, y1: float, x: float, y: float) -> Self:
        """A quadratic curve to (x, y), pulled by one point."""
        return self._put("Q", x1, y1, x, y)

    def arc(self, rx: float, ry: float, x: float, y: float, *, clockwise: bool = True) -> Self:
        """The shorter arc of an ellipse to a point."""
        return self._put("A", rx, ry, 0, 0, 1 if clockwise else 0, x, y)

    def through(self, points: Iterable[tuple[float, float]]) -> Self:
        """Straight lines through points; the first is moved to where nothing is drawn yet."""
        for x, y in points:
            if self._pieces:
                self.line(x, y)
            else:
                self.move(x, y)
        return self

    def close(self) -> Self:
        """Back to where the pen was set down."""
        self._pieces.append("Z")
        return self

    def __str__(self) -> str:
        return "".join(self._pieces)


def polyline(points: Iterable[tuple[float, float]], decimals: int = 1) -> str:
    """Straight lines through points, as path data.

    >>> polyline([(0, 0), (10, 5.25)])
    'M0 0L10 5.2'
    """
    return str(Path(decimals).through(points))
