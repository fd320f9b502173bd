"""The drawings of review: dots of benches in lanes, and where the class lost it on two bars."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from helvor.core.quantities.reading import round_to
from helvor.core.review.losses import ClassLoss
from helvor.core.review.side_by_side import Measure, against
from helvor.web.techniques.extraction.drawing import Axis

LEFT, WIDE, TOP, FOOT = 8.0, 848.0, 14.0, 250.0
DOT = 11.0
"""Radius of a bench's dot, drawing units."""
INSET = 46.0
"""What a lane leaves for the numbers of its scale."""
LETTER = 7.4
"""Width of a letter of a lane's name, about."""
MOST_LANES = 6


@dataclass(frozen=True, slots=True)
class DotShown:
    """A bench's dot: where, its number, its run, what it says, and whether it lies apart."""

    x: float
    y: float
    bench: int
    address: str
    says: str
    apart: bool


@dataclass(frozen=True, slots=True)
class LaneShown:
    """A measure as a lane of dots: middle half as a band, median as a line, what was expected as another.

    ``earlier`` is the same of another class: y of its median and of its middle half, and what they are.
    """

    x: float
    width: float
    name: list[str]
    median: str
    half: str
    unit: str
    band: tuple[float, float]
    middle: float
    expected: float | None
    ticks: list[tuple[float, str]]
    dots: list[DotShown]
    earlier: tuple[float, float, float, str] | None


def decimals_of(measure: Measure) -> int:
    """Rf has two decimals, all else one."""
    return 1 if measure.unit else 2


def _dots(measure: Measure, x: float, width: float, y: Axis, address: dict[int, str]) -> list[DotShown]:
    """Dots beside each other where they would cover one another."""
    placed = list[DotShown]()
    low, high = x + INSET, x + width - 4
    middle = (low + high) / 2
    decimals = decimals_of(measure)
    for one in sorted(measure.numbers, key=lambda n: n.value):
        at = y.at(one.value)
        taken = [dot.x for dot in placed if abs(dot.y - at) < 2 * DOT - 1]
        spots = [middle + side * step * (2 * DOT + 1) for step in range(24) for side in (1, -1)]
        inside = [s for s in spots if low + DOT <= s <= high - DOT]
        free = next((s for s in inside if all(abs(s - t) >= 2 * DOT - 1 for t in taken)), middle)
        says = f"bench {one.bench}: {round_to(one.value, decimals)} {measure.unit}".rstrip() + (
            ", outlier" if one.apart else ""
        )
        placed.append(DotShown(round(free, 1), at, one.bench, address.get(one.bench, ""), says, one.apart))
    return placed


def _lines(name: str, room: int) -> list[str]:
    """A name on two lines at most, cut where it is still too long."""
    words, lines = name.split(), [""]
    for word in words:
        if len(lines[-1]) + len(word) + 1 <= room or not lines[-1]:
            lines[-1] = f"{lines[-1]} {word}".strip()
        else:
            lines.append(word)
    kept = lines[:2]
    if len(lines) > 2:
        kept[1] += "…"
    return [line if len(line) <= room + 2 else line[: room + 1] + "…" for line in kept]


def lanes_of(measures: Sequence[Measure], address: dict[int, str], earlier: Sequence[Measure] = ()) -> list[LaneShown]:
    """A lane for each measure, at most six."""
    shown = measures[:MOST_LANES]
    return [_lane(n, len(shown), measure, address, earlier) for n, measure in enumerate(shown)]


def groups_of(measures: Sequence[Measure]) -> list[tuple[float, str]]:
    """Where lanes of another system begin, and its name; nothing where none belongs to one."""
    shown = measures[:MOST_LANES]
    width = WIDE / max(len(shown), 1)
    found: list[tuple[float, str]] = []
    for number, measure in enumerate(shown):
        if measure.about and (number == 0 or shown[number - 1].about != measure.about):
            found.append((round(LEFT + width * number, 1), measure.about))
    return found


def _lane(number: int, of: int, measure: Measure, address: dict[int, str], earlier: Sequence[Measure]) -> LaneShown:
    width = WIDE / of
    x = LEFT + width * number
    before = against(measure, earlier)
    values = [one.value for one in measure.numbers]
    ends = [*values, *([measure.expected] if measure.expected is not None else [])]
    if before is not None:
        ends += [before.spread.low, before.spread.high]
    decimals = decimals_of(measure)
    room = max(0.15 * (max(ends) - min(ends)), 0.5 if decimals == 1 else 0.02)
    y = Axis(min(ends) - room, max(ends) + room, FOOT, TOP)
    middle = measure.spread
    span = y.high - y.low
    steps = (0.01, 0.02, 0.05, 0.1, 0.2, 0.5, 1, 2, 5, 10, 20, 50, 100, 500)
    step = next(s for s in steps if span / s <= 6 or s == steps[-1])
    heights = [n * step for n in range(int(y.low // step) + 1, int(y.high // step) + 1)]
    ticks = [(y.at(height), f"{round(height, 4):g}") for height in heights]
    other = None
    if before is not None:
        spread = before.spread
        words = (
            f"{round_to(spread.median, decimals)} ({round_to(spread.low, decimals)}–{round_to(spread.high, decimals)})"
        )
        other = (y.at(spread.median), y.at(spread.high), y.at(spread.low), words)
    return LaneShown(
        round(x, 1),
        round(width, 1),
        _lines(measure.label, int((width - 8) / LETTER)),
        round_to(middle.median, decimals),
        f"{round_to(middle.low, decimals)}–{round_to(middle.high, decimals)}",
        measure.unit,
        (y.at(middle.high), y.at(middle.low)),
        y.at(middle.median),
        y.at(measure.expected) if measure.expected is not None else None,
        ticks,
        _dots(measure, x, width, y, address),
        other,
    )


@dataclass(frozen=True, slots=True)
class Piece:
    """A stretch of a bar: where, how long, its kind (*found*, *missing*, *cause*, *rest*), its grams and its name."""

    x: float
    width: float
    kind: str
    grams: str
    name: str
    shade: int

    @property
    def middle(self) -> float:
        return self.x + self.width / 2

    @property
    def fits(self) -> bool:
        """Whether its number fits on it."""
        return self.width > 8.4 * len(self.grams) + 6

    @property
    def name_fits(self) -> bool:
        return self.width > 8.4 * len(self.grams) + 7.2 * len(self.name) + 14


@dataclass(frozen=True, slots=True)
class LossShown:
    """Two bars: all that the class began with, and the missing of it enlarged."""

    whole: list[Piece]
    missing: list[Piece]
    began: str
    found: str
    part: str
    benches: int
    corner: float


BAR = 864.0


def draw_losses(loss: ClassLoss) -> LossShown:
    """The class's account on two bars; the lower one enlarges what is missing of the upper."""
    found = sum(grams for _, grams in loss.found)
    missing = max(loss.missing, 0.0)
    scale = BAR / (found + missing)
    whole, x = [], 0.0
    for shade, (name, grams) in enumerate(loss.found):
        whole.append(Piece(round(x, 1), round(grams * scale, 1), "found", f"{grams:.2f}", name, shade % 4))
        x += grams * scale
    corner = round(x, 1)
    lower: list[Piece] = []
    if missing > 0:
        whole.append(Piece(corner, round(missing * scale, 1), "missing", f"{missing:.2f}", "missing", 0))
        at = 0.0
        parts = [*((one.what, one.grams, "cause") for one in loss.explained), ("unaccounted for", loss.rest, "rest")]
        for shade, (name, grams, kind) in enumerate(parts):
            wide = grams / missing * BAR
            if wide > 0:
                lower.append(Piece(round(at, 1), round(wide, 1), kind, f"{grams:.2f}", name, shade % 4))
            at += wide
    return LossShown(
        whole, lower, f"{loss.began:.2f}", f"{found:.2f}", f"{100 * loss.part_found:.1f}", len(loss.benches), corner
    )
