"""The spots of a straightened, evened plate: hills of darkness that stand out by themselves."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from scipy import ndimage

from helvor.core.techniques.planar.photo.corners import Array
from helvor.core.techniques.planar.photo.flatten import noise_of
from helvor.core.techniques.planar.photo.proposal import PROFILE_STEP, SURE, SURE_OVER_FLOOR, FoundSpot, Line

PX = 4
"""Pixels a millimetre in which spots are looked for."""
PENCIL_MM = 1.1
"""Anything thinner is pencil and is taken away first; a spot is wider."""
LEAST_DARKNESS = 0.022
"""What a person still sees on an even ground: about 5 % of the light. Common practice, no source."""
OVER_NOISE = 4.5
STANDS_OUT = 0.06
"""A hill beside a higher one counts when the saddle lies this part of its height below its top."""
WIDEST_MM, NARROWEST_MM = 16.0, 1.3
RIM_MM = 2.2
"""Nearer to an edge light and layer are never even."""


@dataclass(frozen=True, slots=True)
class Hills:
    """What spots are looked for in: darkness without pencil, its noise, pixels a millimetre, mm of height."""

    dark: NDArray[np.float32]
    smooth: NDArray[np.float32]
    px: float
    height: float
    floor: float


def hills(dark: Array, px: float, height: float, *, relative: bool) -> Hills:
    """Prepare the darkness of a plate for finding spots.

    Args:
        dark: as :func:`flatten.darkness` gives it.
        px: its pixels a millimetre.
        height: of the plate, mm.
        relative: scale to the brightest spot, for light that spots give rather than take.
    """
    zoom = PX / px
    small = (
        ndimage.zoom(ndimage.gaussian_filter(dark, 0.35 / zoom), zoom, order=1, grid_mode=True, mode="nearest")
        if zoom < 1
        else dark
    )
    per_mm = small.shape[0] / height
    reach = max(1, round(PENCIL_MM * per_mm / 2))
    yy, xx = np.mgrid[-reach : reach + 1, -reach : reach + 1]
    disc = xx * xx + yy * yy <= reach * reach + 0.5
    open_ = ndimage.grey_opening(small, footprint=disc, mode="nearest")
    open_ = open_ - np.median(open_)
    if relative:
        open_ = open_ / max(float(np.percentile(open_, 99.9)), 0.02)
    smooth = ndimage.gaussian_filter(open_, 0.5 * per_mm, mode="nearest")
    # A dark plate is cloudier for its light than a bright one.
    floor = max(LEAST_DARKNESS, (1.3 if relative else 1.0) * OVER_NOISE * noise_of(smooth))
    return Hills(np.asarray(open_, np.float32), np.asarray(smooth, np.float32), per_mm, height, floor)


@dataclass(frozen=True, slots=True)
class _Top:
    row: int
    column: int
    darkness: float
    saddle: float


def _tops(smooth: NDArray[np.float32], floor: float) -> list[_Top]:
    """Local maxima with the saddle at which each meets a higher one: the ground is flooded from the top.

    A hill's prominence is its height over that saddle; what is under half the floor is sea.
    """
    rows, columns = smooth.shape
    flat = smooth.ravel()
    land = np.flatnonzero(flat > 0.5 * floor)
    order = land[np.argsort(-flat[land], kind="stable")]
    parent: dict[int, int] = {}
    top_of: dict[int, int] = {}
    found: list[_Top] = []

    def root(pixel: int) -> int:
        while parent[pixel] != pixel:
            parent[pixel] = parent[parent[pixel]]
            pixel = parent[pixel]
        return pixel

    for pixel in order.tolist():
        row, column = divmod(pixel, columns)
        parent[pixel] = pixel
        top_of[pixel] = pixel
        for r in range(max(0, row - 1), min(rows, row + 2)):
            for c in range(max(0, column - 1), min(columns, column + 2)):
                other = r * columns + c
                if other == pixel or other not in parent:
                    continue
                a, b = root(pixel), root(other)
                if a == b:
                    continue
                if flat[top_of[a]] > flat[top_of[b]]:
                    a, b = b, a
                # The lower hill ends here.
                if top_of[a] != pixel:
                    y, x = divmod(top_of[a], columns)
                    found.append(_Top(y, x, float(flat[top_of[a]]), float(flat[pixel])))
                parent[a] = b
    for pixel in {root(pixel) for pixel in parent}:
        y, x = divmod(top_of[pixel], columns)
        found.append(_Top(y, x, float(flat[top_of[pixel]]), 0.0))
    return found


def find_spots(
    ground: Hills,
    picture: Array,
    width: float,
    origin: Line | None,
    front: Line | None,
    u_place: float,
) -> list[FoundSpot]:
    """Spots between origin and front, without their lanes.

    Args:
        ground: from :func:`hills`.
        picture: the straightened plate, for the colours.
        width: of the plate, mm.
        origin, front: what was found of them.
        u_place: standard uncertainty of any one place from pixels and straightening, mm.
    """
    px, smooth = ground.px, ground.smooth
    spots = []
    for top in _tops(smooth, ground.floor):
        out = top.darkness - top.saddle
        if top.darkness < ground.floor or out < max(0.55 * ground.floor, STANDS_OUT * top.darkness):
            continue
        x = (_between(smooth, top.row, top.column, axis=1) + 0.5) / px
        up = ground.height - (_between(smooth, top.row, top.column, axis=0) + 0.5) / px
        bottom = origin.at(x) - 1.2 if origin else 3.0
        ceiling = front.at(x) + 1.2 if front else ground.height - 3.0
        if not (bottom <= up <= ceiling and RIM_MM <= x <= width - RIM_MM):
            continue
        spot = _measured(ground, picture, top, x, up, u_place)
        if spot is not None:
            spots.append(spot)
    return spots


def _between(values: NDArray[np.float32], row: int, column: int, axis: int) -> float:
    at, size = (row, values.shape[0]) if axis == 0 else (column, values.shape[1])
    if not 0 < at < size - 1:
        return float(at)
    if axis == 0:
        a, b, c = values[row - 1 : row + 2, column]
    else:
        a, b, c = values[row, column - 1 : column + 2]
    bend = float(a) - 2 * float(b) + float(c)
    return at + float(np.clip(0.5 * (float(a) - float(c)) / bend, -0.5, 0.5)) if bend < 0 else float(at)


def _ends(values: NDArray[np.floating], at: int, level: float) -> tuple[int, int]:
    """How far a hill reaches both ways: until below *level*, or until it rises again."""
    ends = []
    for step in (-1, 1):
        i = at
        while (
            0 < i < len(values) - 1 and values[i + step] > level and values[i + step] <= values[i] + 0.02 * values[at]
        ):
            i += step
        ends.append(i)
    return ends[0], ends[1]


def _measured(ground: Hills, picture: Array, top: _Top, x: float, up: float, u_place: float) -> FoundSpot | None:
    px, smooth = ground.px, ground.smooth
    half = max(1, round(0.8 * px))
    down = smooth[:, max(0, top.column - half) : top.column + half + 1].mean(axis=1)
    across = smooth[max(0, top.row - half) : top.row + half + 1].mean(axis=0)
    first, last = _ends(down, top.row, 0.2 * down[top.row])
    left, right = _ends(across, top.column, 0.2 * across[top.column])
    tall, wide = (last - first + 1) / px, (right - left + 1) / px
    # A stroke, a shadow's edge or a smear, but no spot.
    if not (NARROWEST_MM <= wide <= WIDEST_MM and tall >= NARROWEST_MM) or wide > 3.2 * tall:
        return None
    likeness = _like_a_hill(ground, top, (first, last), (left, right))
    contrast = float(np.clip((top.darkness / ground.floor - 1) / 3, 0, 1))
    shape = float(np.clip((likeness - 0.35) / 0.45, 0, 1))
    if likeness < 0.3:
        return None
    sure = 0.15 + 0.85 * (0.62 * contrast + 0.38 * shape)
    why = ""
    if top.darkness < SURE_OVER_FLOOR * ground.floor:
        why = f"Faint: intensity {top.darkness:.3f}, threshold {SURE_OVER_FLOOR * ground.floor:.3f}."
    elif shape < 0.4:
        why = "Its outline does not look like a spot."
    if why:
        sure = min(sure, 0.95 * SURE)
    noise = ground.floor / OVER_NOISE
    u = float(np.sqrt(u_place**2 + (0.2 * tall * noise / top.darkness) ** 2 + (0.02 * tall) ** 2))
    scale = picture.shape[0] / smooth.shape[0]
    r, c = round(top.row * scale), round(top.column * scale)
    near = picture[max(0, r - 4) : r + 5, max(0, c - 4) : c + 5].reshape(-1, 3).mean(axis=0)
    red, green, blue = (round(255 * float(np.clip(v, 0, 1))) for v in near)
    return FoundSpot(
        lane=-1,
        x=round(x, 2),
        up=round(up, 2),
        u=round(u, 3),
        head=round(max(up, ground.height - first / px), 2),
        tail=round(min(up, ground.height - (last + 1) / px), 2),
        width=round(wide, 2),
        darkness=round(top.darkness, 3),
        floor=round(ground.floor, 3),
        sure=round(sure, 3),
        why=why,
        colour=(red, green, blue),
    )


def _like_a_hill(ground: Hills, top: _Top, rows: tuple[int, int], columns: tuple[int, int]) -> float:
    """Correlation of the darkness around a top with a round hill of its size."""
    y = np.arange(rows[0], rows[1] + 1)
    x = np.arange(columns[0], columns[1] + 1)
    sy, sx = max(1.0, len(y) / 3.6), max(1.0, len(x) / 3.6)
    hill = np.exp(-0.5 * ((y - top.row) / sy) ** 2)[:, None] * np.exp(-0.5 * ((x - top.column) / sx) ** 2)[None, :]
    seen = ground.dark[rows[0] : rows[1] + 1, columns[0] : columns[1] + 1]
    a, b = hill - hill.mean(), seen - seen.mean()
    size = float(np.sqrt((a * a).sum() * (b * b).sum()))
    return float((a * b).sum() / size) if size > 0 else 0.0


def profile(ground: Hills, x: float, reach: float) -> list[float]:
    """Mean darkness across a lane at every :data:`PROFILE_STEP` mm from the bottom edge up; never below 0.

    Args:
        x: the lane, mm; reach: half the width that is averaged, mm.
    """
    columns = ground.dark.shape[1]
    left, right = max(0, round((x - reach) * ground.px)), min(columns, round((x + reach) * ground.px) + 1)
    line = ndimage.gaussian_filter1d(ground.dark[:, left:right].mean(axis=1), 0.25 * ground.px)[::-1]
    line = line - np.percentile(line, 15)
    places = np.arange(0, ground.height + 1e-9, PROFILE_STEP) * ground.px - 0.5
    return [round(max(0.0, float(v)), 4) for v in np.interp(places, np.arange(len(line)), line)]


def area_of(values: list[float], low: float, high: float) -> float:
    """Area under a profile between two heights, darkness × mm."""
    return PROFILE_STEP * sum(v for i, v in enumerate(values) if low <= i * PROFILE_STEP <= high)
