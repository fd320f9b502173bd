"""Made-up photographs of plates, with the truth known.

Nothing here is shared with the reader in `helvor.core.techniques.planar.photo`: a plate is painted in
millimetres, held before a pinhole camera, lit unevenly, and saved as a JPEG file.

`python -m tests.photographs FOLDER` writes the two of the demo.
"""

from __future__ import annotations

import io
import math
import random
import sys
from dataclasses import dataclass, field
from pathlib import Path

import numpy as np
from PIL import Image, ImageDraw, ImageFilter, ImageFont

Array = np.ndarray
PAINT = 12  # pixels a millimetre of the painted plate
FONT = Path(__file__).parent.parent / "src/helvor/web/static/fonts"

GREEN, WHITE, NIGHT = (0.50, 0.80, 0.46), (0.90, 0.89, 0.86), (0.10, 0.09, 0.22)
BEHIND = {"254": (0.13, 0.10, 0.22), "daylight": (0.30, 0.22, 0.16), "365": (0.012, 0.01, 0.03)}
COLOURS = ((0.15, 0.5, 1.0), (1.0, 0.9, 0.15), (0.2, 1.0, 0.9), (0.5, 0.35, 1.0), (0.9, 1.0, 0.7))
"""What a spot takes from red, green and blue in daylight, relative to its strongest."""
GLOWS = ((0.25, 0.55, 1.0), (1.0, 0.85, 0.2), (0.4, 1.0, 0.5))


@dataclass(frozen=True)
class Blob:
    """A spot: where (mm from the left, mm above the bottom edge), how dark at its middle, how wide (sigma, mm)."""

    lane: int
    x: float
    y: float
    depth: float
    sx: float
    sy: float
    tail: float = 0.0
    colour: int = 0


@dataclass
class Scene:
    """A plate and how it was photographed. Angles in degrees, lengths in mm."""

    width: float = 50
    height: float = 100
    origin: float = 10
    front: float = 92
    slope: float = 0.0
    smile: float = 0.0
    lanes: tuple[float, ...] = ()
    labels: str = ""
    spots: list[Blob] = field(default_factory=list)
    light: str = "254"
    tilt: tuple[float, float] = (0.0, 0.0)
    roll: float = 0.0
    falls: tuple[float, float] = (0.0, 0.0)
    shadow: float = 0.0
    noise: float = 0.008
    quality: int = 85
    circled: tuple[int, ...] = ()
    pixels: tuple[int, int] = (1200, 1600)
    seed: int = 0

    def front_at(self, x: float) -> float:
        """The front above the bottom edge at *x*."""
        part = x / self.width * 2 - 1
        return self.front + self.slope * part + self.smile * (part * part - 0.33)

    def rf(self, spot: Blob) -> float:
        return (spot.y - self.origin) / (self.front_at(spot.x) - self.origin)


@dataclass
class Photograph:
    """A file, the scene it shows, and where the plate's corners lie (top left, clockwise; pixels)."""

    content: bytes
    scene: Scene
    corners: list[tuple[float, float]]
    picture: Array


def _painted(scene: Scene) -> Array:
    """The plate itself, (rows, columns, 3), the top edge first."""
    h, w = round(scene.height * PAINT), round(scene.width * PAINT)
    rng = np.random.default_rng(scene.seed)
    ground = np.array({"254": GREEN, "daylight": WHITE, "365": NIGHT}[scene.light], dtype=np.float32)
    yy = scene.height - (np.arange(h, dtype=np.float32) + 0.5) / PAINT
    xx = (np.arange(w, dtype=np.float32) + 0.5) / PAINT
    cloudy = Image.fromarray(rng.normal(0, 1, (h // 24 + 2, w // 24 + 2)).astype(np.float32)).resize(
        (w, h), Image.Resampling.BICUBIC
    )
    plate = ground * (1 + 0.012 * np.asarray(cloudy))[..., None]
    for spot in scene.spots:
        dx = (xx - spot.x) / spot.sx
        dy = yy - spot.y
        down = np.maximum(spot.sy + spot.tail, 0.1)
        shape = np.where(dy >= 0, (dy / spot.sy) ** 2, (dy / down) ** 2)
        amount = spot.depth * np.exp(-0.5 * shape)[:, None] * np.exp(-0.5 * dx**2)[None, :]
        if scene.light == "365":
            plate = plate + amount[..., None] * np.array(GLOWS[spot.colour % 3], dtype=np.float32)
        else:
            takes = (1.0, 1.0, 1.0) if scene.light == "254" else COLOURS[spot.colour % len(COLOURS)]
            plate = plate * 10 ** (-amount[..., None] * np.array(takes, dtype=np.float32))
    marks = _pencil(scene, w, h)
    return (plate * (1 - (0.3 if scene.light == "365" else 0.45) * marks[..., None])).astype(np.float32)


def _pencil(scene: Scene, w: int, h: int) -> Array:
    """Pencil, 0 to 1: origin, front, ticks, letters, and outlines of some spots."""
    hand = random.Random(scene.seed + 1)
    sheet = Image.new("L", (w, h), 0)
    draw = ImageDraw.Draw(sheet)

    def at(x: float, y: float) -> tuple[float, float]:
        return x * PAINT, (scene.height - y) * PAINT

    for height in (lambda x: scene.origin, scene.front_at):
        points, wander = [], 0.0
        for step in range(41):
            x = 0.8 + (scene.width - 1.6) * step / 40
            wander = 0.85 * wander + hand.gauss(0, 0.05)
            points.append(at(x, height(x) + wander))
        draw.line(points, fill=235, width=round(0.4 * PAINT), joint="curve")
    font = ImageFont.load_default(size=5 * PAINT)
    for lane, label in zip(scene.lanes, scene.labels, strict=True):
        draw.line([at(lane, scene.origin - 1.6), at(lane, scene.origin + 1.6)], fill=220, width=round(0.35 * PAINT))
        draw.text(at(lane, scene.origin - 4.8), label, fill=210, font=font, anchor="mm")
    for index in scene.circled:
        spot = scene.spots[index]
        rx, ry = 2.3 * spot.sx, 2.3 * spot.sy
        around = [
            at(spot.x + rx * math.cos(t / 12 * math.pi) + hand.gauss(0, 0.05), spot.y + ry * math.sin(t / 12 * math.pi))
            for t in range(25)
        ]
        draw.line(around, fill=180, width=round(0.3 * PAINT))
    return np.asarray(sheet.filter(ImageFilter.GaussianBlur(1.2)), dtype=np.float32) / 255


def take(scene: Scene) -> Photograph:
    """Photograph a scene."""
    rng = np.random.default_rng(scene.seed + 2)
    wide, high = scene.pixels
    a, b, c = (math.radians(angle) for angle in (*scene.tilt, scene.roll))
    turn = (
        np.array([[math.cos(c), -math.sin(c), 0], [math.sin(c), math.cos(c), 0], [0, 0, 1]])
        @ np.array([[1, 0, 0], [0, math.cos(a), -math.sin(a)], [0, math.sin(a), math.cos(a)]])
        @ np.array([[math.cos(b), 0, math.sin(b)], [0, 1, 0], [-math.sin(b), 0, math.cos(b)]])
    )
    away = 2.4 * max(scene.width * 1.2, scene.height)
    focal = away * min(wide * 0.80 / scene.width, high * 0.80 / scene.height)
    # Plate (x, y, 1), centred, y up → camera pixels, as a 3 × 3 matrix.
    held = np.column_stack([turn[:, 0], turn[:, 1], [0, 0, away]])
    to_pixel = np.array([[focal, 0, wide / 2], [0, -focal, high / 2], [0, 0, 1]]) @ held

    def seen(x: float, y: float) -> tuple[float, float]:
        u, v, s = to_pixel @ (x, y, 1)
        return u / s, v / s

    hw, hh = scene.width / 2, scene.height / 2
    corners = [seen(-hw, hh), seen(hw, hh), seen(hw, -hh), seen(-hw, -hh)]
    back = np.linalg.inv(to_pixel)
    painted = _painted(scene)
    behind = np.array(BEHIND[scene.light], dtype=np.float32)
    photo = np.empty((high, wide, 3), dtype=np.float32)
    xs = np.arange(wide, dtype=np.float64) + 0.5
    for top in range(0, high, 256):  # strips, so that a large picture stays small in memory
        ys = np.arange(top, min(top + 256, high), dtype=np.float64)[:, None] + 0.5
        s = back[2, 0] * xs + back[2, 1] * ys + back[2, 2]
        px = ((back[0, 0] * xs + back[0, 1] * ys + back[0, 2]) / s + hw) * PAINT
        py = (hh - (back[1, 0] * xs + back[1, 1] * ys + back[1, 2]) / s) * PAINT
        on = (px >= 0) & (py >= 0) & (px < painted.shape[1]) & (py < painted.shape[0])
        strip = np.broadcast_to(behind, (*px.shape, 3)).copy()
        strip[on] = _between(painted, px[on] - 0.5, py[on] - 0.5)
        photo[top : top + 256] = strip
    photo *= _lamp(scene, wide, high)[..., None]
    photo += rng.normal(0, scene.noise, photo.shape).astype(np.float32) * np.sqrt(0.15 + np.clip(photo, 0, 1))
    picture = (np.clip(photo, 0, 1) * 255 + 0.5).astype(np.uint8)
    out = io.BytesIO()
    Image.fromarray(picture).filter(ImageFilter.GaussianBlur(0.6)).save(out, "JPEG", quality=scene.quality)
    return Photograph(out.getvalue(), scene, corners, picture)


def _between(painted: Array, x: Array, y: Array) -> Array:
    x0 = np.clip(x.astype(np.int32), 0, painted.shape[1] - 2)
    y0 = np.clip(y.astype(np.int32), 0, painted.shape[0] - 2)
    fx, fy = np.clip(x - x0, 0, 1)[:, None], np.clip(y - y0, 0, 1)[:, None]
    top = painted[y0, x0] * (1 - fx) + painted[y0, x0 + 1] * fx
    low = painted[y0 + 1, x0] * (1 - fx) + painted[y0 + 1, x0 + 1] * fx
    return top * (1 - fy) + low * fy


def _lamp(scene: Scene, wide: int, high: int) -> Array:
    """Light over the picture: it falls to one side, darkens in the corners, and something may stand in it."""
    x = np.linspace(-1, 1, wide, dtype=np.float32)[None, :]
    y = np.linspace(-1, 1, high, dtype=np.float32)[:, None]
    light = 1 + scene.falls[0] * x / 2 + scene.falls[1] * y / 2 - 0.07 * (x * x + y * y)
    if scene.shadow:
        edge = (x * 0.8 + y * 0.6 - 0.25) * 9
        light = light * (1 - scene.shadow / (1 + np.exp(-edge)))
    return light


def any_scene(seed: int, pixels: tuple[int, int] = (1200, 1600)) -> Scene:
    """A scene drawn at random within what the reader is made for."""
    r = random.Random(seed)
    n = r.randint(1, 8)
    width = max(25.0, min(100.0, round(n * r.uniform(9, 12) + 8)))
    height = r.choice((75.0, 100.0, 100.0))
    light = r.choice(("254", "254", "daylight", "365"))
    gap = (width - 12) / n
    lanes = tuple(round(6 + gap * (k + 0.5), 2) for k in range(n))
    scene = Scene(
        width=width,
        height=height,
        origin=r.uniform(8, 15),
        front=height - r.uniform(5, 14),
        slope=r.uniform(-1.2, 1.2),
        smile=r.uniform(-1, 1),
        lanes=lanes,
        labels="PCATXYZM"[:n],
        light=light,
        tilt=(r.uniform(-20, 20), r.uniform(-20, 20)),
        roll=r.uniform(-12, 12),
        falls=(r.uniform(-0.4, 0.4), r.uniform(-0.3, 0.3)),
        shadow=r.choice((0, 0, 0.18, 0.3)),
        noise=r.uniform(0.004, 0.014),
        quality=r.randint(70, 92),
        pixels=pixels,
        seed=seed,
    )
    for lane, x in enumerate(lanes):
        wanted, placed, tries = r.randint(1, 4), [], 0
        while len(placed) < wanted and tries < 40:
            tries += 1
            sy = r.uniform(1.1, 2.2)
            y = r.uniform(scene.origin + 5, scene.front_at(x) - 4)
            # Touching is allowed, down to where two humps still show a saddle.
            if all(abs(y - other.y) > 2.6 * max(sy, other.sy) for other in placed):
                deep = r.choice((r.uniform(0.06, 0.12), r.uniform(0.15, 0.6), r.uniform(0.2, 0.6)))
                tail = r.choice((0, 0, 0, r.uniform(0.5, 1.5)))
                sx = min(r.uniform(1.2, 2.2), 0.24 * gap)
                placed.append(Blob(lane, x + r.uniform(-0.5, 0.5), y, deep, sx, sy, tail, r.randint(0, 4)))
        scene.spots += placed
    if r.random() < 0.4 and light != "365":
        scene.circled = tuple(r.sample(range(len(scene.spots)), k=min(2, len(scene.spots))))
    return scene


def tablet_plate(light: str = "254") -> Scene:
    """Bench 8's plate of the demo: paracetamol, aspirin, caffeine, and the tablet."""
    spots = [
        Blob(0, 10, 40.2, 0.50, 1.9, 1.6),
        Blob(1, 20, 54.4, 0.42, 1.8, 1.6),
        Blob(2, 30, 19.6, 0.45, 1.8, 1.4),
        Blob(3, 40, 54.1, 0.24, 1.9, 1.6),
        Blob(3, 40, 40.4, 0.40, 1.9, 1.7),
        Blob(3, 40, 19.9, 0.055, 1.7, 1.4),
    ]
    return Scene(
        width=50,
        height=100,
        origin=10,
        front=91,
        slope=0.4,
        lanes=(10, 20, 30, 40),
        labels="PACT",
        spots=spots,
        light=light,
        tilt=(9, -7),
        roll=-5,
        falls=(-0.35, 0.12),
        noise=0.007,
        quality=84,
        pixels=(1050, 1400),
        seed=8,
    )


def ions_paper() -> Scene:
    """A paper of the demo in daylight: iron, copper, cobalt, and a mixture of two."""
    spots = [
        Blob(0, 15, 88.0, 0.30, 2.4, 2.2, colour=0),
        Blob(1, 30, 66.0, 0.28, 2.4, 2.4, colour=1),
        Blob(2, 45, 50.0, 0.34, 2.4, 2.2, colour=2),
        Blob(3, 60, 87.4, 0.22, 2.4, 2.2, colour=0),
        Blob(3, 60, 50.4, 0.20, 2.4, 2.2, colour=2),
    ]
    return Scene(
        width=75,
        height=110,
        origin=15,
        front=97,
        smile=0.6,
        lanes=(15, 30, 45, 60),
        labels="FCOX",
        spots=spots,
        light="daylight",
        tilt=(-8, 6),
        roll=3,
        falls=(0.2, -0.1),
        noise=0.007,
        quality=84,
        pixels=(1050, 1400),
        seed=5,
    )


if __name__ == "__main__":
    folder = Path(sys.argv[1])
    for name, scene in (("tablet-254", tablet_plate()), ("ions-daylight", ions_paper())):
        (folder / f"{name}.jpg").write_bytes(take(scene).content)
