"""What a photograph proposes. Positions are millimetres on the plate: x from its left edge, up from its bottom edge."""

from __future__ import annotations

from typing import Literal

from pydantic import BaseModel, ConfigDict

from helvor.core.techniques.planar.plate import Light

Point = tuple[float, float]

SURE = 0.6
"""Confidence from which a proposal needs no second look."""
SURE_OVER_FLOOR = 2.5
"""How many times darker than the faintest that counts a spot is before one is sure of it."""


class _Frozen(BaseModel):
    model_config = ConfigDict(frozen=True)


class Line(_Frozen):
    """A pencil line across the plate: its height at each place that was looked at.

    Attributes:
        points: (x, up), mm, from left to right.
        sure: 0 to 1.
        u: standard uncertainty of its height at one place, mm.
    """

    points: tuple[Point, ...]
    sure: float
    u: float

    def at(self, x: float) -> float:
        """Height at *x*, straight between the places looked at, level beyond them."""
        before = [p for p in self.points if p[0] <= x]
        after = [p for p in self.points if p[0] > x]
        if not before or not after:
            return (after or before)[0 if after else -1][1]
        (x0, y0), (x1, y1) = before[-1], after[0]
        return y0 + (y1 - y0) * (x - x0) / (x1 - x0)

    @property
    def mean(self) -> float:
        return sum(y for _, y in self.points) / len(self.points)


class FoundSpot(_Frozen):
    """A spot.

    Attributes:
        lane: index into the lanes; -1 when it lies between them.
        x, up: its densest part, mm.
        u: standard uncertainty of ``up`` from pixels and straightening, mm.
        head, tail: its upper and lower end, mm up; width: across, mm.
        darkness: at its densest, as −log10 of the light left; under 365 nm the light given,
            as a part of the brightest spot's.
        floor: the darkness from which one is sure.
        sure: 0 to 1.
        why: what makes it doubtful, in words; empty when sure.
        area: its part of its lane's darkness, 0 to 1.
        colour: mean colour as seen, sRGB.
    """

    lane: int
    x: float
    up: float
    u: float
    head: float
    tail: float
    width: float
    darkness: float
    floor: float
    sure: float
    why: str = ""
    area: float = 0.0
    colour: tuple[int, int, int] = (0, 0, 0)


class Proposal(_Frozen):
    """Everything that one photograph proposes.

    Attributes:
        corners: of the plate in the picture, top left and clockwise, as parts of its width and height.
        corners_sure: how well they were found, 0 to 1; 1 when a person set them.
        width, height: of the plate, mm.
        px_per_mm: pixels of the photograph a millimetre, the coarsest side.
        tilt: degrees by which the picture is turned; narrows: how much shorter the shorter of two
            opposite edges is, 0 to 1.
        light: how it was looked at; falls: how much of the light is lost from its brightest to its
            darkest side, 0 to 1.
        origin, front: the pencil lines, or None where none was found.
        lanes: x of each lane, mm; lanes_known: they came with the plate rather than from the picture.
        spots: from the left lane to the right, from the top down.
        profiles: one a lane: darkness at every half millimetre from the bottom edge up.
    """

    corners: tuple[Point, Point, Point, Point]
    corners_sure: float
    width: float
    height: float
    px_per_mm: float
    tilt: float
    narrows: float
    light: Light
    falls: float
    origin: Line | None
    front: Line | None
    lanes: tuple[float, ...]
    lanes_known: bool
    spots: tuple[FoundSpot, ...]
    profiles: tuple[tuple[float, ...], ...]

    def rf(self, spot: FoundSpot) -> float | None:
        """Spot over front, both from the origin at the spot's own place; None without both lines."""
        if self.origin is None or self.front is None:
            return None
        bottom = self.origin.at(spot.x)
        return (spot.up - bottom) / (self.front.at(spot.x) - bottom)


PROFILE_STEP = 0.5
"""Millimetres between two places of a profile."""

Stage = Literal["opening", "corners", "straightening", "light", "lines", "spots", "done"]
STAGES: dict[Stage, tuple[float, str]] = {
    "opening": (0.05, "Opening the picture"),
    "corners": (0.25, "Finding the plate’s corners"),
    "straightening": (0.45, "Straightening"),
    "light": (0.60, "Correcting the illumination"),
    "lines": (0.75, "Finding pencil lines"),
    "spots": (0.90, "Finding spots"),
    "done": (1.0, "Done"),
}
"""Stage → how far the reading is when it begins, and its words."""
