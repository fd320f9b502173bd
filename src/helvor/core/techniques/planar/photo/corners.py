"""Where the plate lies in a photograph: its four corners, and the perspective between picture and plate."""

from __future__ import annotations

import itertools

import numpy as np
from numpy.typing import NDArray
from scipy import ndimage
from scipy.spatial import ConvexHull, QhullError

Array = NDArray[np.float32]
Corners = NDArray[np.float64]
"""(4, 2): x, y in pixels; top left, top right, bottom right, bottom left."""

LEAST_PART = 0.06
"""A plate fills at least this part of the picture; smaller, its pixels would not do either."""


def homography(from_points: Corners, to_points: Corners) -> NDArray[np.float64]:
    """The 3 × 3 matrix that takes four points to four others, projectively.

    Args:
        from_points, to_points: (4, 2) each; no three of either in a line.

    Source: R. Hartley and A. Zisserman, Multiple View Geometry, 2nd ed., 4.1 (four points,
    h33 = 1); from memory.
    """
    rows, right = [], []
    for (x, y), (u, v) in zip(from_points, to_points, strict=True):
        rows += [[x, y, 1, 0, 0, 0, -u * x, -u * y], [0, 0, 0, x, y, 1, -v * x, -v * y]]
        right += [u, v]
    h = np.linalg.solve(np.array(rows, dtype=float), np.array(right, dtype=float))
    return np.append(h, 1.0).reshape(3, 3)


def mapped(matrix: NDArray[np.float64], points: NDArray[np.float64]) -> NDArray[np.float64]:
    """Points (n, 2) through a homography."""
    out = np.column_stack([points, np.ones(len(points))]) @ matrix.T
    return np.asarray(out[:, :2] / out[:, 2:])


def whole(width: int, height: int, inset: float = 0.08) -> Corners:
    """A rectangle a little inside the picture, for dragging when no plate was found."""
    x, y = width * inset, height * inset
    return np.array([[x, y], [width - x, y], [width - x, height - y], [x, height - y]])


def ordered(points: Corners) -> Corners:
    """Four corners from the top left clockwise, the picture being upright."""
    centre = points.mean(axis=0)
    turned = points[np.argsort(np.arctan2(*(points - centre).T[::-1]))]
    first = int(np.argmin(turned.sum(axis=1)))
    return np.roll(turned, -first, axis=0)


def find_corners(picture: Array) -> tuple[Corners, float]:
    """The plate's corners in a picture, with a confidence from 0 to 1.

    The picture is parted into plate and background in several ways (how far a pixel is from the
    border's colour, how bright, how coloured it is); the parting counts whose largest piece fills
    its own four-cornered outline best. Each side is then laid through the steepest change along it.

    Args:
        picture: (rows, columns, 3), 0 to 1, at most some 800 pixels long.

    Returns:
        Corners in pixels of *picture*; confidence 0 when no plate was found and the corners are a guess.
    """
    rows, columns = picture.shape[:2]
    smooth = ndimage.gaussian_filter(picture, (1.2, 1.2, 0))
    best, best_score, best_channel = whole(columns, rows), 0.0, None
    for channel in _channels(smooth):
        found = _largest_piece(channel)
        if found is None:
            continue
        piece, touching = found
        quad = _four_corners(piece)
        if quad is None:
            continue
        fills = piece.sum() / max(area(quad), 1.0)
        score = min(fills, 1 / fills) * (1 - 0.5 * touching)
        if score > best_score:
            best, best_score, best_channel = quad, score, channel
    if best_channel is None or best_score < 0.8:
        return whole(columns, rows), 0.0
    refined = _refined(best_channel, best)
    sure = float(np.clip((best_score - 0.8) / 0.16, 0.05, 1))
    return ordered(refined), sure


def _channels(picture: Array) -> list[Array]:
    """Grey pictures in which the plate may stand out from what it lies on."""
    rows, columns = picture.shape[:2]
    edge = max(2, round(0.02 * max(rows, columns)))
    border = np.concatenate(
        [picture[:edge].reshape(-1, 3), picture[-edge:].reshape(-1, 3), picture[:, :edge].reshape(-1, 3)]
    )
    away = np.sqrt(((picture - np.median(border, axis=0)) ** 2).sum(axis=2))
    bright = picture.mean(axis=2)
    coloured = picture.max(axis=2) - picture.min(axis=2)
    # Under a lamp plate and background can be dark alike: their ratio still tells them apart.
    return [away, bright, np.sqrt(np.maximum(bright, 0)), picture[..., 1], picture[..., 2], coloured]


def otsu(values: Array) -> float:
    """The threshold that parts a histogram into two heaps with the least spread within each.

    Source: N. Otsu, IEEE Trans. Syst. Man Cybern. 1979, 9, 62; from memory.
    """
    low, high = np.percentile(values, (0.5, 99.5))
    if high - low < 1e-6:
        return float(high)
    counts, edges = np.histogram(values, 128, range=(float(low), float(high)))
    middle = (edges[:-1] + edges[1:]) / 2
    weight = np.cumsum(counts)
    mean = np.cumsum(counts * middle)
    total, whole_mean = weight[-1], mean[-1]
    with np.errstate(divide="ignore", invalid="ignore"):
        between = (whole_mean * weight - mean * total) ** 2 / (weight * (total - weight))
    return float(middle[int(np.nanargmax(np.nan_to_num(between[:-1], nan=-1.0)))])


def _largest_piece(channel: Array) -> tuple[NDArray[np.bool_], float] | None:
    """The largest bright piece without holes, and how much of the picture's border it touches."""
    mask = ndimage.binary_opening(channel > otsu(channel), iterations=2)
    labels, count = ndimage.label(mask)
    if not count:
        return None
    sizes = np.bincount(labels.ravel())
    sizes[0] = 0
    piece = ndimage.binary_fill_holes(labels == int(sizes.argmax()))
    # Dark spots at the rim leave bites that no hole-filling closes.
    piece = ndimage.binary_closing(piece, iterations=3) | piece
    part = piece.mean()
    if not LEAST_PART <= part <= 0.97:
        return None
    rim = np.concatenate([piece[0], piece[-1], piece[:, 0], piece[:, -1]])
    return piece, float(rim.mean())


def area(corners: Corners) -> float:
    """Area of a four-cornered figure, pixels²."""
    x, y = corners.T
    return float(abs(np.dot(x, np.roll(y, -1)) - np.dot(y, np.roll(x, -1))) / 2)


def _four_corners(piece: NDArray[np.bool_]) -> Corners | None:
    """The largest four-cornered figure among the corners of the piece's hull."""
    inner = ndimage.binary_erosion(piece)
    points = np.argwhere(piece & ~inner)[:, ::-1].astype(float)
    try:
        hull = points[ConvexHull(points).vertices]
    except (QhullError, ValueError):
        return None
    hull = _fewer(hull, 14)
    if len(hull) < 4:
        return None
    picks = hull[np.array(list(itertools.combinations(range(len(hull)), 4)))]
    # The hull runs one way round, so any four of its points do too.
    diagonals = picks[:, 2] - picks[:, 0], picks[:, 3] - picks[:, 1]
    areas = np.abs(diagonals[0][:, 0] * diagonals[1][:, 1] - diagonals[0][:, 1] * diagonals[1][:, 0])
    return ordered(picks[int(areas.argmax())])


def _fewer(hull: Corners, most: int) -> Corners:
    """A convex outline with at most *most* corners: the one that matters least goes first."""
    points = list(hull)
    while len(points) > most:
        before, after = np.roll(points, 1, axis=0), np.roll(points, -1, axis=0)
        a, b = np.array(points) - before, after - before
        points.pop(int(np.abs(a[:, 0] * b[:, 1] - a[:, 1] * b[:, 0]).argmin()))
    return np.array(points)


def _refined(channel: Array, corners: Corners) -> Corners:
    """The corners where the sides cross, each side laid through the steepest change beside it."""
    centre = corners.mean(axis=0)
    sides = []
    reach = max(4.0, 0.02 * max(channel.shape))
    offsets = np.arange(-reach, reach + 0.01, 0.5)
    for a, b in zip(corners, np.roll(corners, -1, axis=0), strict=True):
        along = (b - a) / np.linalg.norm(b - a)
        outward = np.array([along[1], -along[0]])
        if np.dot(outward, a - centre) < 0:
            outward = -outward
        steps = np.linspace(0.06, 0.94, 80)
        base = a + steps[:, None] * (b - a)
        places = base[:, None, :] + offsets[None, :, None] * outward
        seen = ndimage.map_coordinates(channel, [places[..., 1], places[..., 0]], order=1, mode="nearest")
        fall = -np.gradient(ndimage.gaussian_filter1d(seen, 1.5, axis=1), axis=1)
        at = fall.argmax(axis=1)
        strong = fall[np.arange(len(at)), at]
        keep = strong > 0.4 * np.median(strong)
        points = base[keep] + offsets[at[keep], None] * outward
        sides.append(_line_through(points))
    crossed = []
    for (p, d), (q, e) in zip(sides[-1:] + sides[:-1], sides, strict=True):
        t = np.linalg.solve(np.column_stack([d, -e]), q - p)
        crossed.append(p + t[0] * d)
    refined = np.array(crossed)
    # A side that ran away along a shadow is worse than the outline itself.
    return np.asarray(np.where(np.linalg.norm(refined - corners, axis=1, keepdims=True) < 3 * reach, refined, corners))


def _line_through(points: Corners) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """A point and a direction: total least squares, three times without the farthest off."""
    for _ in range(4):
        middle = points.mean(axis=0)
        direction = np.linalg.svd(points - middle)[2][0]
        off = np.abs((points - middle) @ np.array([-direction[1], direction[0]]))
        keep = off <= max(2.0 * float(np.median(off)), 0.3)
        if keep.all() or keep.sum() < 8:
            break
        points = points[keep]
    return middle, direction
