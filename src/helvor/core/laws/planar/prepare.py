"""Before a plate: how many come out of a sheet, what goes on them, what they stand in.

Prepare 1. Lanes stand at least 5 mm apart and off the edges. Common practice.
Prepare 2. About 1 % by mass per volume is put on. Common practice.
Prepare 3. The liquid stands well below the origin: at most two thirds of its height, and 2 mm below.
           Common practice.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

from helvor.core.laws.planar.eluent import Eluent
from helvor.core.quantities.reading import Unreadable, round_to

LANE_ROOM = 5.0
"""Least distance of lanes from each other and from the edges, mm."""
SPARE = 0.15


@dataclass(frozen=True, slots=True)
class Cut:
    """A sheet cut into equal plates: rows and columns, plates turned or not, and what is left over (0 to 1)."""

    columns: int
    rows: int
    width: float
    height: float
    turned: bool
    waste: float

    @property
    def count(self) -> int:
        return self.columns * self.rows


def width_for(lanes: int, apart: float = 10.0) -> float:
    """Width of a plate for a number of lanes, mm, the outer ones as far from the edge as from each other.

    Raises:
        Unreadable: fewer than one lane, or closer than 5 mm.

    >>> width_for(4)
    50.0
    """
    if not 1 <= lanes <= 40 or apart < LANE_ROOM:
        raise Unreadable(f"Enter 1 to 40 lanes, at least {LANE_ROOM:g} mm apart.")
    return (lanes + 1) * apart


def cut(sheet: tuple[float, float], plate: tuple[float, float], *, both_ways: bool = False) -> Cut:
    """The most plates out of a sheet, width by height, mm.

    Args:
        both_ways: plates may lie across the sheet too; not where the layer or paper has a direction.

    Raises:
        Unreadable: a length is not above zero, or not one plate fits.

    >>> cut((200, 200), (50, 100)).count
    8
    """
    if min(*sheet, *plate) <= 0 or max(sheet) > 3000:
        raise Unreadable("Enter lengths above zero, and a sheet of at most 3 m.")
    ways = [(plate, False), ((plate[1], plate[0]), True)] if both_ways else [(plate, False)]
    best: Cut | None = None
    for (w, h), turned in ways:
        columns, rows = math.floor(sheet[0] / w + 1e-9), math.floor(sheet[1] / h + 1e-9)
        waste = 1 - columns * rows * plate[0] * plate[1] / (sheet[0] * sheet[1])
        if columns * rows and (best is None or columns * rows > best.count):
            best = Cut(columns, rows, w, h, turned, waste)
    if best is None:
        raise Unreadable("No plate of this size fits on the sheet: enter a smaller plate or a larger sheet.")
    return best


@dataclass(frozen=True, slots=True)
class Part:
    """A solvent to measure: exact and rounded volume, mL, and the part it then has, per cent."""

    name: str
    exact: float
    rounded: float
    percent: float


def recipe(eluent: Eluent, volume: float, step: float = 0.5) -> list[Part]:
    """Volumes of an eluent, each rounded to what can be measured, and what that does to the ratio.

    Small parts are rounded to a tenth of the step, so that an additive does not vanish.

    Raises:
        Unreadable: the volume or the step is not above zero.

    >>> from helvor.core.laws.planar.eluent import parse_eluent
    >>> [(p.name, p.rounded) for p in recipe(parse_eluent("hexane : ethyl acetate 95 : 5"), 8.0)]
    [('hexane', 7.5), ('ethyl acetate', 0.4)]
    """
    if not 0 < volume <= 20000 or not 0 < step <= 100:
        raise Unreadable("Enter a volume above 0 and up to 20 L, also for the smallest volume measured.")
    rounded = []
    for component in eluent.components:
        exact = volume * component.percent / 100
        fine = step if exact >= 4 * step else step / 10
        rounded.append((component.name, exact, max(fine, float(round_to(round(exact / fine) * fine, 3)))))
    total = sum(value for _, _, value in rounded)
    return [Part(name, exact, value, 100 * value / total) for name, exact, value in rounded]


@dataclass(frozen=True, slots=True)
class Spotting:
    """A solution to spot: g of solid and mL of solvent for one, and with the spare for all."""

    mass: float
    volume: float
    total_mass: float
    total_volume: float


def with_spare(amount: float, how_many: int) -> float:
    """An amount for so many, with 15 % spare where it is more than one."""
    return amount * how_many * (1 + SPARE) if how_many > 1 else amount


def sheets_for(wanted: int, plan: Cut) -> int:
    """Sheets to cut for so many plates and 15 % spare.

    >>> sheets_for(12, cut((200, 200), (50, 100)))
    2
    """
    return math.ceil(wanted * (1 + SPARE) / plan.count)


def spotting(volume: float, percent: float = 1.0, how_many: int = 1) -> Spotting:
    """Solid for a spotting solution, by mass per volume (Prepare 2).

    Raises:
        Unreadable: a number is outside reason.

    >>> spotting(0.5).mass
    0.005
    """
    if not 0 < volume <= 1000 or not 0 < percent <= 20 or not 1 <= how_many <= 500:
        raise Unreadable("Enter a volume above 0 mL, a strength above 0 and up to 20 %, and 1 to 500 vials.")
    mass = volume * percent / 100
    return Spotting(mass, volume, mass * how_many * (1 + SPARE), volume * how_many * (1 + SPARE))


def level(volume: float, across: float, *, round_vessel: bool = True, lining: float = 0.0) -> float:
    """How high a liquid stands in a chamber, mm.

    Args:
        volume: mL; across: inner diameter, or the side of a square one, mm; lining: mL that a paper takes up.

    Raises:
        Unreadable: a length is not above zero, or the paper takes up everything.

    >>> round(level(10, 60), 1)
    3.5
    """
    left = volume - lining
    if across <= 0 or volume <= 0 or left <= 0:
        raise Unreadable("Enter a volume and a vessel above zero, and more than the lining takes up.")
    area = math.pi * (across / 2) ** 2 if round_vessel else across**2
    return left * 1000 / area


def volume_for(origin: float, across: float, *, round_vessel: bool = True, lining: float = 0.0) -> tuple[float, float]:
    """The level that suits an origin (Prepare 3), mm, and the volume that makes it, mL."""
    wanted = min(2 / 3 * origin, origin - 2.0)
    if wanted <= 0:
        raise Unreadable("This origin is too low for the eluent: enter 8 to 15 mm.")
    area = math.pi * (across / 2) ** 2 if round_vessel else across**2
    return wanted, wanted * area / 1000 + lining


def lane_positions(width: float, lanes: int) -> Sequence[float]:
    """Where lanes stand, mm from the left edge, evenly.

    >>> lane_positions(50, 4)
    [10.0, 20.0, 30.0, 40.0]
    """
    apart = width / (lanes + 1)
    if lanes < 1 or apart < LANE_ROOM:
        raise Unreadable(
            f"{lanes} lanes do not fit on {width:g} mm with {LANE_ROOM:g} mm between them: enter fewer lanes or a "
            "wider plate."
        )
    return [round(apart * i, 2) for i in range(1, lanes + 1)]
