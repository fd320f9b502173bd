"""The pencil on a straightened plate: origin line, marked front, lane ticks."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from scipy import ndimage

from helvor.core.techniques.planar.photo.corners import Array
from helvor.core.techniques.planar.photo.flatten import noise_of
from helvor.core.techniques.planar.photo.proposal import Line

STRIP_MM = 2.0
"""A line is looked for in strips this wide: a hand's tremble is shorter, a slope is not."""
STROKE_MM = 0.9
"""Pencil is thinner than this: what is dark this far above or below as well is no line."""
LEAST_COVERED = 0.55
MOST_LINES = 6


@dataclass(frozen=True, slots=True)
class _Path:
    """A line as rows at the middles of the strips."""

    rows: NDArray[np.float64]
    covered: float
    strength: float


def find_lines(
    pencil: Array, px: float, height: float, expected_origin: float | None
) -> tuple[Line | None, Line | None]:
    """The origin line and the marked front.

    Args:
        pencil: darkness in grey, its first row the plate's top edge.
        px: pixels a millimetre.
        height: of the plate, mm.
        expected_origin: where the origin was said to be, mm up; the line nearest to it counts.

    Returns:
        Origin and front; None for one that does not show.
    """
    found = [path for path in _paths(pencil, px) if path.covered >= LEAST_COVERED]
    lines = sorted((_as_line(path, pencil.shape[1], px, height) for path in found), key=lambda line: line.mean)
    low = [line for line in lines if 3 <= line.mean <= 0.45 * height]
    near = [] if expected_origin is None else [line for line in low if abs(line.mean - expected_origin) <= 6]
    if near and expected_origin is not None:
        wanted = expected_origin
        origin: Line | None = min(near, key=lambda line: abs(line.mean - wanted))
    else:
        origin = low[0] if low else None
    over = origin.mean if origin else 0.0
    high = [line for line in lines if line.mean > max(over + 12, 0.35 * height)]
    return origin, high[-1] if high else None


def _paths(pencil: Array, px: float) -> list[_Path]:
    """The darkest thin paths from the left edge to the right, strongest first."""
    away = max(2, round(STROKE_MM * px))
    smooth = ndimage.gaussian_filter(pencil, (0.12 * px, 0.5 * px), mode="nearest")
    beside = np.maximum(np.roll(smooth, away, axis=0), np.roll(smooth, -away, axis=0))
    thin = smooth - beside
    rim = round(1.5 * px)
    thin[:rim] = thin[-rim:] = 0
    inner = thin[:, round(1.2 * px) : thin.shape[1] - round(1.2 * px)]
    count = max(4, round(inner.shape[1] / (STRIP_MM * px)))
    strips = np.stack([part.mean(axis=1) for part in np.array_split(inner, count, axis=1)], axis=1)
    noise = max(noise_of(strips), 1e-4)
    # One very dark strip must not stand for a whole line.
    score = np.clip(strips / noise, -3, 12)
    found = []
    for _ in range(MOST_LINES):
        rows = _best_path(score, steepest=max(1, round(0.12 * STRIP_MM * px)))
        on = score[rows, np.arange(count)]
        if on.mean() < 2.5:
            break
        fine = np.array([_peak(strips[:, k], row) for k, row in enumerate(rows)])
        found.append(_Path(fine, float((on > 2.5).mean()), float(on.mean())))
        for k, row in enumerate(rows):
            score[max(0, row - away) : row + away + 1, k] = -3
    return found


def _best_path(score: NDArray[np.float64], steepest: int) -> NDArray[np.int64]:
    """One row a column, neighbours at most *steepest* apart, with the greatest sum (dynamic programming)."""
    rows, columns = score.shape
    sums = score[:, 0].copy()
    came = np.zeros((rows, columns), dtype=np.int64)
    index = np.arange(rows)
    for column in range(1, columns):
        best, step = np.full(rows, -np.inf), np.zeros(rows, dtype=np.int64)
        for move in range(-steepest, steepest + 1):
            from_row = np.clip(index + move, 0, rows - 1)
            value = sums[from_row] - 0.15 * abs(move)
            better = value > best
            best[better], step[better] = value[better], from_row[better]
        came[:, column] = step
        sums = best + score[:, column]
    path = np.empty(columns, dtype=np.int64)
    path[-1] = int(sums.argmax())
    for column in range(columns - 1, 0, -1):
        path[column - 1] = came[path[column], column]
    return path


def _peak(values: NDArray[np.float64], at: int) -> float:
    """A maximum between pixels, by the parabola through three."""
    if not 0 < at < len(values) - 1:
        return float(at)
    a, b, c = values[at - 1 : at + 2]
    bend = a - 2 * b + c
    return float(at + np.clip(0.5 * (a - c) / bend, -0.5, 0.5)) if bend < 0 else float(at)


def _as_line(path: _Path, columns: int, px: float, height: float) -> Line:
    count = len(path.rows)
    inner = columns / px - 2.4
    x = 1.2 + (np.arange(count) + 0.5) * inner / count
    up = height - (path.rows + 0.5) / px
    # A strip that jumped off is put back: what pencil wanders in a few millimetres is less than this.
    steady = ndimage.median_filter(up, size=min(5, count), mode="nearest")
    steady = ndimage.gaussian_filter1d(np.where(np.abs(up - steady) > 0.6, steady, up), 0.8, mode="nearest")
    u = float(np.hypot(np.std(up - steady), 0.1))
    sure = float(np.clip((path.covered - 0.4) / 0.5, 0, 1) * np.clip(path.strength / 6, 0.2, 1))
    return Line(
        points=tuple((round(float(a), 2), round(float(b), 3)) for a, b in zip(x, steady, strict=True)),
        sure=round(sure, 3),
        u=round(u, 3),
    )


def find_ticks(pencil: Array, px: float, height: float, origin: Line) -> list[float]:
    """x of the short strokes across the origin line, mm."""
    columns = pencil.shape[1]
    width = columns / px
    rows = np.array([(height - origin.at((c + 0.5) / px)) * px for c in range(columns)])
    smooth = ndimage.gaussian_filter(pencil, (0.1 * px, 0.12 * px), mode="nearest")

    def band(low: float, high: float) -> NDArray[np.float64]:
        offsets = np.arange(low * px, high * px)
        at = rows[None, :] + offsets[:, None]
        seen = ndimage.map_coordinates(
            smooth, [at, np.broadcast_to(np.arange(columns), at.shape)], order=1, mode="nearest"
        )
        return np.asarray(seen.mean(axis=0))

    away = max(2, round(STROKE_MM * px))

    def thin(values: NDArray[np.float64]) -> NDArray[np.float64]:
        padded = np.pad(values, away, mode="edge")
        return np.asarray(values - np.maximum(padded[: -2 * away], padded[2 * away :]))

    both = np.minimum(thin(band(-1.4, -0.6)), thin(band(0.6, 1.4)))
    both[: round(1.5 * px)] = both[columns - round(1.5 * px) :] = 0
    noise = max(noise_of(both.astype(np.float32)), 1e-4)
    peaks = [
        c
        for c in range(1, columns - 1)
        if both[c] >= both[c - 1] and both[c] > both[c + 1] and both[c] > max(5 * noise, 0.02)
    ]
    found: list[float] = []
    for c in sorted(peaks, key=lambda c: -both[c]):
        x = (c + 0.5) / px
        if 2 < x < width - 2 and all(abs(x - other) >= 4 for other in found):
            found.append(round(x, 2))
    return sorted(found)


def without_line(dark: Array, line: Line, px: float, height: float) -> Array:
    """The darkness with a pencil line taken out: what lies over and under it, carried on across it.

    Where a tick crosses the line, the crossing is too broad to pass for pencil by its width alone.
    """
    rows, columns = dark.shape
    half = 0.75 * px
    at = np.array([(height - line.at((c + 0.5) / px)) * px - 0.5 for c in range(columns)])
    first = int(max(0, np.floor(at.min() - half)))
    last = int(min(rows - 1, np.ceil(at.max() + half)))
    if last <= first:
        return dark
    index = np.arange(first, last + 1)[:, None]
    over = ndimage.map_coordinates(dark, [at - half, np.arange(columns)], order=1, mode="nearest")
    under = ndimage.map_coordinates(dark, [at + half, np.arange(columns)], order=1, mode="nearest")
    part = np.clip((index - (at - half)) / (2 * half), 0, 1)
    on = np.abs(index - at) <= half
    out = dark.copy()
    out[first : last + 1] = np.where(on, over * (1 - part) + under * part, dark[first : last + 1])
    return out
