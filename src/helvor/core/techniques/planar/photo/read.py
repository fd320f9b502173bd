"""The whole way from a picture to what it proposes."""

from __future__ import annotations

from collections.abc import Callable, Sequence

import numpy as np
from numpy.typing import NDArray

from helvor.core.techniques.planar.photo.corners import Corners, find_corners, homography, mapped
from helvor.core.techniques.planar.photo.flatten import blocks, darkness, guess_light, straighten
from helvor.core.techniques.planar.photo.lines import find_lines, find_ticks, without_line
from helvor.core.techniques.planar.photo.proposal import FoundSpot, Point, Proposal, Stage
from helvor.core.techniques.planar.photo.spots import area_of, find_spots, hills, profile
from helvor.core.techniques.planar.plate import Light

LONGEST_PX = 1600
"""A picture may be opened smaller, down to this: finer pixels than a tenth of a millimetre say no more."""
CORNERS_PX = 720
LANES_APART_MM = 4.0


def read_photo(
    picture: NDArray[np.uint8],
    width: float,
    height: float,
    *,
    lanes: Sequence[float] = (),
    origin: float | None = None,
    light: Light | None = None,
    corners: Sequence[Point] | None = None,
    on: Callable[[Stage], None] = lambda stage: None,
) -> tuple[Proposal, NDArray[np.uint8]]:
    """Read a photograph of a plate.

    Args:
        picture: (rows, columns, 3), upright.
        width, height: of the plate; lanes: x of its lanes; origin: height of its origin line, mm, where they are known.
        light: how it was looked at; None guesses; on: told of every stage as it begins.
        corners: set by a person, as parts of the picture's width and height, top left and clockwise.

    Returns: what is proposed, and the straightened plate.
    """
    on("corners")
    quad, corners_sure = _quad(picture, corners)
    on("straightening")
    flat = straighten(picture, quad, width, height)
    seen = light or guess_light(flat)
    on("light")
    dark, pencil, falls = darkness(flat, seen)
    on("lines")
    origin_line, front_line = find_lines(pencil, flat.px, height, origin)
    ticks = find_ticks(pencil, flat.px, height, origin_line) if origin_line else []
    on("spots")
    per_mm = _coarsest(quad, width, height)
    u_place = float(np.hypot(0.5 / per_mm, 0.15 if corners_sure > 0.5 else 0.4))
    for line in filter(None, (origin_line, front_line)):
        dark = without_line(dark, line, flat.px, height)
    ground = hills(dark, flat.px, height, relative=seen == "365")
    spots = find_spots(ground, flat.picture, width, origin_line, front_line, u_place)
    where = _lanes(lanes, ticks, spots)
    profiles = [profile(ground, x, _reach(where, width)) for x in where]
    on("done")
    turned, narrows = _pose(quad)
    proposal = Proposal(
        corners=_relative(quad, picture),
        corners_sure=round(corners_sure, 3),
        width=width,
        height=height,
        px_per_mm=round(per_mm, 2),
        tilt=round(turned, 1),
        narrows=round(narrows, 3),
        light=seen,
        falls=round(float(np.clip(falls, 0, 1)), 3),
        origin=origin_line,
        front=front_line,
        lanes=tuple(where),
        lanes_known=bool(lanes),
        spots=tuple(_in_lanes(spots, where, profiles)),
        profiles=tuple(tuple(p) for p in profiles),
    )
    return proposal, (np.clip(flat.picture, 0, 1) * 255 + 0.5).astype(np.uint8)


def _relative(quad: Corners, picture: NDArray[np.uint8]) -> tuple[Point, ...]:
    """Corners as parts of the picture's width and height."""
    shape = np.array(picture.shape[1::-1], dtype=float)
    return tuple((round(float(x), 5), round(float(y), 5)) for x, y in quad / shape)


def _quad(picture: NDArray[np.uint8], corners: Sequence[Point] | None) -> tuple[Corners, float]:
    """The plate's corners in pixels, those that a person set or those that are found, and how sure they are."""
    rows, columns = picture.shape[:2]
    if corners is not None:
        return np.array(corners, dtype=float) * [columns, rows], 1.0
    step = max(1, round(max(rows, columns) / CORNERS_PX))
    found, sure = find_corners(blocks(picture, step).astype(np.float32) / np.float32(255))
    # What was found are middles of blocks, counted from 0; corners are counted from the edge.
    return (found + 0.5) * step, sure


def _coarsest(corners: Corners, width: float, height: float) -> float:
    """Pixels a millimetre along the side that has the fewest."""
    sides = np.linalg.norm(corners - np.roll(corners, -1, axis=0), axis=1)
    return float(min(sides[0] / width, sides[2] / width, sides[1] / height, sides[3] / height))


def _pose(corners: Corners) -> tuple[float, float]:
    """Degrees that the plate is turned, and how much the shorter of two opposite edges lacks."""
    top, right, bottom, left = np.roll(corners, -1, axis=0) - corners
    across = top / np.linalg.norm(top) - bottom / np.linalg.norm(bottom)
    lengths = [float(np.linalg.norm(side)) for side in (top, right, bottom, left)]
    narrows = max(1 - min(a, b) / max(a, b) for a, b in ((lengths[0], lengths[2]), (lengths[1], lengths[3])))
    return float(np.degrees(np.arctan2(across[1], across[0]))), narrows


def _lanes(known: Sequence[float], ticks: list[float], spots: list[FoundSpot]) -> list[float]:
    """Where the lanes are: those of the plate, moved over the ticks as a whole; else ticks; else columns of spots."""
    if known:
        marks = ticks or [spot.x for spot in spots]
        shifts = [mark - min(known, key=lambda lane: abs(lane - mark)) for mark in marks]
        near = [shift for shift in shifts if abs(shift) <= 3]
        by = float(np.median(near)) if near else 0.0
        return [round(x + by, 2) for x in sorted(known)]
    if ticks:
        stray = [spot for spot in spots if all(abs(spot.x - tick) > LANES_APART_MM for tick in ticks)]
        return sorted([*ticks, *_columns(stray)])
    return _columns(spots)


def _columns(spots: list[FoundSpot]) -> list[float]:
    """Spots above each other, as lanes: a gap of at least four millimetres parts two."""
    groups: list[list[float]] = []
    for x in sorted(spot.x for spot in spots):
        if groups and x - float(np.mean(groups[-1])) < LANES_APART_MM:
            groups[-1].append(x)
        else:
            groups.append([x])
    return [round(float(np.mean(group)), 2) for group in groups]


def _reach(lanes: Sequence[float], width: float) -> float:
    gaps = np.diff(sorted(lanes))
    return float(min(3.0, 0.4 * gaps.min())) if len(gaps) else min(3.0, width / 4)


def _in_lanes(spots: list[FoundSpot], lanes: list[float], profiles: list[list[float]]) -> list[FoundSpot]:
    """Each spot in its nearest lane, with its part of the lane's area; far from any, it is doubtful."""
    gap = min((float(g) for g in np.diff(sorted(lanes))), default=12.0)
    placed = []
    for spot in spots:
        lane = min(range(len(lanes)), key=lambda k: abs(lanes[k] - spot.x)) if lanes else -1
        off = abs(lanes[lane] - spot.x) if lanes else 0.0
        if off > 0.5 * gap and off > LANES_APART_MM:
            lane = -1
        changed: dict[str, object] = {"lane": lane}
        if off > 0.35 * gap:
            changed |= {"sure": round(spot.sure * 0.5, 3), "why": spot.why or "It is between two lanes."}
        placed.append(spot.model_copy(update=changed))
    whole = {k: sum(area_of(profiles[k], s.tail, s.head) for s in placed if s.lane == k) for k in range(len(lanes))}
    out = []
    for spot in placed:
        if spot.lane >= 0 and whole[spot.lane] > 0:
            part = area_of(profiles[spot.lane], spot.tail, spot.head) / whole[spot.lane]
            spot = spot.model_copy(update={"area": round(part, 4)})  # noqa: PLW2901  # the same spot, with its area
        out.append(spot)
    return sorted(out, key=lambda s: (s.lane, -s.up))


def to_picture(proposal: Proposal, points: Sequence[Point]) -> list[Point]:
    """Places on the plate (x, up; mm) as parts of the photograph's width and height."""
    w, h = proposal.width, proposal.height
    plate = np.array([[0, h], [w, h], [w, 0], [0, 0]], dtype=float)
    there = mapped(homography(plate, np.array(proposal.corners)), np.array(points, dtype=float).reshape(-1, 2))
    return [(float(x), float(y)) for x, y in there]
