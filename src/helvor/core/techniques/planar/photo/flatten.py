"""The plate laid flat and its light evened: from pixels to darkness on a grid of millimetres."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from scipy import ndimage

from helvor.core.techniques.planar.photo.corners import Array, Corners, area, homography
from helvor.core.techniques.planar.plate import Light

PX = 8
"""Pixels a millimetre of the straightened plate; a large plate gets fewer."""
LARGEST_SIDE_PX = 1600
SPOT_REACH_MM = 9.0
"""Nothing narrower than this counts as ground: wider than any one spot, narrower than a shadow."""


@dataclass(frozen=True, slots=True)
class Flat:
    """A straightened plate: (rows, columns, 3), 0 to 1, its top edge first; ``px`` pixels a millimetre."""

    picture: Array
    px: float


def straighten(picture: NDArray[np.uint8], corners: Corners, width: float, height: float) -> Flat:
    """The plate as if it were seen from straight above.

    Args:
        picture: (rows, columns, 3).
        corners: in its pixels, top left and clockwise.
        width, height: of the plate, mm.
    """
    px = min(PX, LARGEST_SIDE_PX / max(width, height))
    rows, columns = max(8, round(height * px)), max(8, round(width * px))
    target = np.array([[0, 0], [columns, 0], [columns, rows], [0, rows]], dtype=float)
    back = homography(target, corners)
    u, v = np.meshgrid(np.arange(columns) + 0.5, np.arange(rows) + 0.5)
    s = back[2, 0] * u + back[2, 1] * v + back[2, 2]
    x = (back[0, 0] * u + back[0, 1] * v + back[0, 2]) / s - 0.5
    y = (back[1, 0] * u + back[1, 1] * v + back[1, 2]) / s - 0.5
    # Only what lies on the plate is looked at; finer pixels than are kept are averaged first, or
    # noise and pencil would flicker.
    left, top = (int(max(0, np.floor(v.min()) - 4)) for v in (x, y))
    right, bottom = int(np.ceil(x.max()) + 5), int(np.ceil(y.max()) + 5)
    source = picture[top:bottom, left:right]
    step = int(np.sqrt(area(corners) / (rows * columns)))
    if step > 1:
        source = blocks(source, step)
    values = source.astype(np.float32) / np.float32(255)
    at = [(y - top + 0.5) / max(step, 1) - 0.5, (x - left + 0.5) / max(step, 1) - 0.5]
    flat = np.empty((rows, columns, 3), dtype=np.float32)
    for channel in range(3):
        flat[..., channel] = ndimage.map_coordinates(values[..., channel], at, order=1, mode="nearest")
    return Flat(flat, px)


def blocks(picture: NDArray[np.uint8], step: int) -> NDArray[np.uint8]:
    """Blocks of step × step pixels averaged, in strips so that a large picture takes little memory."""
    rows, columns = picture.shape[0] // step, picture.shape[1] // step
    out = np.empty((rows, columns, 3), dtype=np.uint8)
    for row in range(0, rows, 64):
        strip = picture[row * step : min(row + 64, rows) * step, : columns * step]
        # Added up by slices, which is many times faster than a mean over two axes.
        total = np.zeros((strip.shape[0] // step, columns, 3), dtype=np.uint16)
        for down in range(step):
            for along in range(step):
                total += strip[down::step, along::step]
        out[row : row + 64] = (total + step * step // 2) // (step * step)
    return out


def ground(picture: Array, px: float, *, dark: bool) -> Array:
    """The plate without its spots and lines, at every pixel: the light that falls on it.

    Features narrower than :data:`SPOT_REACH_MM` are filled (a grey closing, or an opening where
    spots are bright), the rest is smoothed; then the places that turn out to be bare are averaged
    once more, for filling alone follows the noise upwards.

    Args:
        picture: (rows, columns, channels).
        px: pixels a millimetre.
        dark: spots are darker than the ground.
    """
    step = max(1, round(px / 2))
    small = _shrunk(picture, step)
    per_mm = px / step
    size = max(3, round(SPOT_REACH_MM * per_mm))
    close = ndimage.grey_closing if dark else ndimage.grey_opening
    smooth = ndimage.gaussian_filter(small, (0.5 * per_mm, 0.5 * per_mm, 0))
    first = close(smooth, size=(size, size, 1), mode="nearest")
    first = ndimage.gaussian_filter(first, (2.5 * per_mm, 2.5 * per_mm, 0), mode="nearest")
    ratio = smooth / np.maximum(first, 1e-3) if dark else first / np.maximum(smooth, 1e-3)
    least = ratio.min(axis=2)
    bare = least > np.percentile(least, 60) - 0.035
    weight = ndimage.gaussian_filter(bare.astype(np.float32), 2.5 * per_mm, mode="nearest")
    mean = ndimage.gaussian_filter(smooth * bare[..., None], (2.5 * per_mm, 2.5 * per_mm, 0), mode="nearest")
    evened = np.where(weight[..., None] > 0.08, mean / np.maximum(weight, 1e-3)[..., None], first * np.median(ratio))
    rows, columns = picture.shape[:2]
    zoom = (rows / evened.shape[0], columns / evened.shape[1], 1)
    grown = ndimage.zoom(evened, zoom, order=1, mode="nearest", grid_mode=True)
    return np.asarray(np.maximum(grown, 1e-3), dtype=np.float32)


def _shrunk(picture: Array, step: int) -> Array:
    """Blocks of step × step pixels averaged; a rim that fills no block goes with the last one."""
    rows, columns = picture.shape[0] // step * step, picture.shape[1] // step * step
    cut = picture[:rows, :columns]
    return np.asarray(cut.reshape(rows // step, step, columns // step, step, -1).mean(axis=(1, 3)), dtype=np.float32)


def darkness(flat: Flat, light: Light) -> tuple[Array, Array, float]:
    """How much each place differs from the bare plate.

    Args:
        flat: the straightened plate.
        light: ``365`` looks for bright spots on a dark ground, all others for dark or coloured ones.

    Returns:
        Darkness of the spots; darkness in plain grey, in which pencil shows best; and how much of
        the light is lost from the brightest to the darkest side, 0 to 1. Darkness is −log10 of the
        light left, under 365 nm the light given over the ground's own.
    """
    picture = flat.picture
    base = ground(picture, flat.px, dark=light != "365")
    grey = base.mean(axis=2)
    low, high = np.percentile(grey, (2, 98))
    falls = float(1 - low / max(high, 1e-6))
    smooth = ndimage.gaussian_filter(picture, (0.15 * flat.px, 0.15 * flat.px, 0))
    pencil = -np.log10(np.clip(picture.mean(axis=2) / grey, 0.02, 4))
    if light == "365":
        given = (smooth - base).max(axis=2)
        return np.asarray(given, dtype=np.float32), np.asarray(pencil, dtype=np.float32), falls
    lost = -np.log10(np.clip(smooth / base, 0.02, 4))
    # Green field: what darkens takes all colours. Daylight: a yellow spot takes blue alone, and the
    # channel that it takes most of shows it; the others would water it down.
    dark = lost.mean(axis=2) if light == "254" else lost.max(axis=2)
    dark = dark - np.median(dark)
    return np.asarray(dark, dtype=np.float32), np.asarray(pencil, dtype=np.float32), falls


def guess_light(flat: Flat) -> Light:
    """How the plate was probably looked at: a green field, a dark one, or daylight."""
    red, green, blue = np.median(flat.picture.reshape(-1, 3), axis=0)
    if green > 1.15 * max(red, blue):
        return "254"
    return "365" if max(red, green, blue) < 0.35 else "daylight"


def noise_of(values: NDArray[np.float32]) -> float:
    """The spread of what is mostly nothing: 1.4826 × the median distance from the median."""
    return float(1.4826 * np.median(np.abs(values - np.median(values))))
