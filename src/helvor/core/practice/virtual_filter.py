"""A filtration as it runs, and what passes, what is held back, how long it takes; and drying after it.

Virtual filter 1. dV/dt = A·Δp / (μ·(α·c·V/A + R_m)), so t = μ/(A·Δp)·(α·c·V²/(2·A) + R_m·V).
                  B. F. Ruth, G. H. Montillon, R. E. Montonna, Ind. Eng. Chem. 1933, 25, 153 (from memory).
Virtual filter 2. Grains smaller than the paper's openings pass until a cake bridges them, for the first tenth of the
                  liquid; sizes of grains scatter log-normally by a factor of 1.6. Sizes: common practice.
Virtual filter 3. A cake keeps liquid: 1.2 mL for each gram under gravity, less under suction, down to 0.25 mL with
                  a half-life of two minutes of air drawn through. Sizes: common practice.
Virtual filter 4. Drying is :func:`helvor.core.devices.models.moisture`; rates: common practice.
"""

from __future__ import annotations

import math
from dataclasses import dataclass

from helvor.core.devices.models import moisture
from helvor.core.quantities.reading import Unreadable

VISCOSITY = 1.0e-3
"""Of water at 20 °C, Pa·s."""
PRESSURE = {"gravity": 400.0, "suction": 60_000.0}
"""What drives it, Pa: a head of some 40 mm, or an aspirator."""
MEDIUM = 5.0e9
"""R_m of a wet paper, 1/m. Common practice."""
GRAINS: dict[str, tuple[float, float]] = {
    "coarse": (200.0, 1.0e9),
    "crystals": (60.0, 1.0e10),
    "fine": (6.0, 5.0e10),
    "gel": (1.5, 5.0e11),
}
"""Median size of the grains, µm, and α of their cake, m/kg. Common practice."""
OPENINGS = {"fast": 22.0, "medium": 10.0, "slow": 2.5}
"""Of papers, µm. Common practice."""
SCATTER = 1.6
BRIDGES = 0.1
"""Part of the liquid after which a cake holds back (Virtual filter 2)."""
KEEPS = {"gravity": 1.2, "suction": 0.8}
LEAST_KEPT = 0.25
RATES = {"air": 0.004, "air, drawn through": 0.03, "oven 60": 0.05, "oven 110": 0.15}
"""g of water a minute from a gram or two, spread out. Common practice."""


def minutes(ml: float, grams: float, grains: str, how: str, diameter: float) -> float:
    """How long a suspension takes through a paper, min (Virtual filter 1).

    Args:
        ml: of liquid; grams: of solid in it; diameter: of the paper's working circle, mm.

    Raises:
        Unreadable: grains or way are not known, or a size is not above 0.
    """
    if grains not in GRAINS or how not in PRESSURE:
        raise Unreadable(f"Choose grains: {', '.join(GRAINS)}; and a filtration: {' or '.join(PRESSURE)}.")
    if not (ml > 0 and diameter > 0 and grams >= 0):
        raise Unreadable("Enter a volume and a paper above 0, and a solid of 0 or more.")
    area, volume = math.pi / 4 * (diameter / 1000) ** 2, ml * 1e-6
    load = grams / 1000 / volume
    cake = GRAINS[grains][1] * load * volume**2 / (2 * area)
    return VISCOSITY / (area * PRESSURE[how]) * (cake + MEDIUM * volume) / 60


def passes(grains: str, paper: str) -> float:
    """Part of the solid that goes through the paper before a cake holds it back, 0 to 0.1 (Virtual filter 2).

    Raises:
        Unreadable: grains or paper are not known.
    """
    if grains not in GRAINS or paper not in OPENINGS:
        raise Unreadable(f"Choose grains: {', '.join(GRAINS)}; and a paper: {', '.join(OPENINGS)}.")
    z = math.log(OPENINGS[paper] / GRAINS[grains][0]) / math.log(SCATTER)
    return BRIDGES * 0.5 * (1 + math.erf(z / math.sqrt(2)))


def kept(grams: float, how: str, drawn: float = 0.0) -> float:
    """mL of liquid in a cake after so many minutes of air drawn through (Virtual filter 3)."""
    first = KEEPS[how] * grams
    if how == "gravity":
        return first
    least = LEAST_KEPT * grams
    return least + (first - least) * math.exp2(-max(drawn, 0.0) / 2)


@dataclass(frozen=True, slots=True)
class Filtered:
    """A filtration: minutes it took, g that passed, g on the paper, mL that its cake keeps."""

    minutes: float
    passed: float
    on_paper: float
    keeps: float


def filtered(
    ml: float, grams: float, grains: str, *, how: str, paper: str, diameter: float, drawn: float = 5.0, again: int = 0
) -> Filtered:
    """Filter a suspension; a cloudy filtrate may be poured back *again* times, onto the cake that holds it now.

    >>> filtered(50, 1.0, "crystals", how="suction", paper="medium", diameter=42).passed < 0.001
    True
    """
    through = passes(grains, paper) * grams
    took = minutes(ml, grams, grains, how, diameter)
    for _ in range(again):
        through *= BRIDGES  # the cake is there from the first drop on
        took += minutes(ml, grams, grains, how, diameter)
    return Filtered(took, through, grams - through, kept(grams - through, how, drawn))


def dried(water: float, place: str, time: float) -> float:
    """g of water left after so many minutes in a place (Virtual filter 4).

    Raises:
        Unreadable: the place is not known.
    """
    if place not in RATES:
        raise Unreadable(f"Choose a drying place: {', '.join(RATES)}.")
    return moisture(water, time, RATES[place])
