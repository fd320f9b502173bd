"""A UV cabinet with a camera: photographs of virtual plates, whose truth is known.

The plate lies straight under the camera and glows green under 254 nm; a spot takes light away by its depth. Pencil
marks the origin, the lanes and, where it can be marked, the front. The picture is an ordinary JPEG, to be read by
whoever reads photographs of plates.
"""

from __future__ import annotations

import io
import random

import numpy as np
from PIL import Image, ImageDraw, ImageFilter, ImageFont

from helvor.core.practice.virtual_plate import HEIGHT, ORIGIN, WIDTH, Developed

PX = 11
"""Pixels a millimetre."""
AROUND = 12.0
"""Dark ground around the plate, mm."""
GLOW, DARK = (0.50, 0.80, 0.46), (0.12, 0.10, 0.20)
DEPTH = 0.9
"""Optical density of the strongest spot at its middle."""


def lane_places(count: int) -> list[float]:
    """Where lanes stand, mm from the plate's left edge.

    >>> lane_places(3)
    [12.5, 25.0, 37.5]
    """
    return [WIDTH * (n + 1) / (count + 1) for n in range(count)]


def photograph(plate: Developed) -> bytes:
    """The plate under 254 nm, as JPEG."""
    high, wide = round(HEIGHT * PX), round(WIDTH * PX)
    chance = np.random.default_rng(plate.setting.seed)
    layer = np.ones((high, wide, 3), dtype=np.float32) * np.array(GLOW, dtype=np.float32)
    up = HEIGHT - (np.arange(high, dtype=np.float32) + 0.5) / PX - ORIGIN
    across = (np.arange(wide, dtype=np.float32) + 0.5) / PX
    labels = [label for label, _ in plate.setting.lanes]
    place = dict(zip(labels, lane_places(len(labels)), strict=True))
    for spot in plate.spots:
        # Ends lie two standard deviations from the middle; below it a tail makes the slope gentler.
        above, below = (spot.head - spot.centre) / 2, max((spot.centre - spot.tail) / 2, 0.1)
        along = up - spot.centre
        shape = np.where(along >= 0, along / above, along / below) ** 2
        beside = ((across - place[spot.lane]) / (spot.width / 4)) ** 2
        depth = DEPTH * spot.strength * np.exp(-0.5 * shape)[:, None] * np.exp(-0.5 * beside)[None, :]
        layer *= 10 ** -depth[..., None]
    layer *= 1 - 0.45 * _pencil(plate, labels, wide, high)[..., None]
    edge = round(AROUND * PX)
    picture = np.ones((high + 2 * edge, wide + 2 * edge, 3), dtype=np.float32) * np.array(DARK, dtype=np.float32)
    picture[edge : edge + high, edge : edge + wide] = layer
    picture += chance.normal(0, 0.008, picture.shape).astype(np.float32)
    shown = Image.fromarray((np.clip(picture, 0, 1) * 255 + 0.5).astype(np.uint8))
    out = io.BytesIO()
    shown.filter(ImageFilter.GaussianBlur(0.7)).save(out, "JPEG", quality=88)
    return out.getvalue()


def _pencil(plate: Developed, labels: list[str], wide: int, high: int) -> np.ndarray:
    """Pencil, 0 to 1: origin, ticks with their letters, and the front where it can be marked."""
    hand = random.Random(plate.setting.seed)  # noqa: S311  a shaky hand
    sheet = Image.new("L", (wide, high), 0)
    draw = ImageDraw.Draw(sheet)

    def line(over_origin: float) -> None:
        wander, points = 0.0, []
        for step in range(31):
            wander = 0.85 * wander + hand.gauss(0, 0.04)
            x = 0.8 + (WIDTH - 1.6) * step / 30
            points.append((x * PX, (HEIGHT - ORIGIN - over_origin + wander) * PX))
        draw.line(points, fill=230, width=round(0.4 * PX), joint="curve")

    line(0.0)
    if plate.front:
        line(plate.front)
    font = ImageFont.load_default(size=4.4 * PX)
    for label, x in zip(labels, lane_places(len(labels)), strict=True):
        at = x * PX
        draw.line([(at, (HEIGHT - ORIGIN - 1.5) * PX), (at, (HEIGHT - ORIGIN + 1.5) * PX)], fill=220, width=4)
        draw.text((at, (HEIGHT - ORIGIN + 5) * PX), label, fill=210, font=font, anchor="mm")
    return np.asarray(sheet.filter(ImageFilter.GaussianBlur(1.0)), dtype=np.float32) / 255
