"""Plates, retention and resolution of peaks or bands.

Source: IUPAC nomenclature for chromatography, Ettre, Pure Appl. Chem. 65 (1993) 819: N = 16 (t ÷ w)² with the width at
the base, 5.545 (t ÷ w½)² with the width at half height; k = (t − t₀) ÷ t₀; α = k₂ ÷ k₁; Rs = 2 (t₂ − t₁) ÷ (w₁ + w₂).
"""

from __future__ import annotations

from dataclasses import dataclass
from math import log, sqrt
from typing import Literal

from helvor.core.quantities.reading import Unreadable

Width = Literal["base", "half"]
HALF_TO_BASE = 4 / sqrt(8 * log(2))
"""Width at the base over width at half height of a Gaussian peak: 1.699."""
CLEAN, TOUCH = 1.5, 1.0
"""Resolution from which two peaks are apart to the baseline, and from which they only touch. Ettre 1993."""


@dataclass(frozen=True, slots=True)
class Peak:
    """A peak or band: where it comes (min, mL or mm) and its width in the same unit."""

    at: float
    width: float


@dataclass(frozen=True, slots=True)
class Peaks:
    """Two peaks: plates of each, k of each and α where the dead time is known, resolution, plate height in the unit of
    the length where one is given; plates needed for a clean separation."""

    plates: tuple[float, float]
    k: tuple[float, float] | None
    alpha: float | None
    resolution: float
    height: float | None
    needed: float


def plate_number(peak: Peak, width: Width) -> float:
    """N of a peak.

    >>> round(plate_number(Peak(6.0, 0.30), "base"))
    6400
    """
    return (16.0 if width == "base" else 8 * log(2)) * (peak.at / peak.width) ** 2


def two_peaks(first: Peak, second: Peak, width: Width, dead: float | None = None, length: float | None = None) -> Peaks:
    """What two peaks say of a column.

    Args:
        dead: t₀ or V₀, in the unit of the peaks; length: of the column.

    Raises:
        Unreadable: a number is not above zero, or a peak comes before the dead time.

    >>> found = two_peaks(Peak(5.0, 0.4), Peak(6.0, 0.4), "base", 1.0)
    >>> round(found.resolution, 2), round(found.alpha, 2)
    (2.5, 1.25)
    """
    first, second = sorted((first, second), key=lambda peak: peak.at)
    if min(first.at, first.width, second.width) <= 0:
        raise Unreadable("Enter positions and widths above 0.")
    if dead is not None and not 0 < dead < first.at:
        raise Unreadable("Enter a dead time above 0 and before the first peak.")
    to_base = 1.0 if width == "base" else HALF_TO_BASE
    resolution = 2 * (second.at - first.at) / (to_base * (first.width + second.width))
    plates = plate_number(first, width), plate_number(second, width)
    k = ((first.at - dead) / dead, (second.at - dead) / dead) if dead is not None else None
    mean_plates = sum(plates) / 2
    needed = mean_plates * (CLEAN / resolution) ** 2 if resolution > 0 else float("inf")
    return Peaks(
        plates, k, k[1] / k[0] if k is not None else None, resolution, length / mean_plates if length else None, needed
    )
