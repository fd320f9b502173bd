"""Middle and spread of numbers of which a few may lie apart.

Robust 1. The middle is the median, the spread the middle half (quartiles by linear interpolation).
Robust 2. A number lies apart from about 3.5 robust standard deviations, 1.4826 times the median absolute
          deviation: B. Iglewicz, D. C. Hoaglin, How to Detect and Handle Outliers, ASQC 1993 (from memory).
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

from helvor.core.quantities.reading import Unreadable

FAR = 3.5
"""Robust standard deviations from the median beyond which a number lies apart (Robust 2)."""
ROBUST_SD = 1.4826
"""Standard deviation over median absolute deviation, of normal numbers."""
SAME_ON_MANY = 3
"""As many benches with the same finding ask about the reagent or the handout rather than the bench. Common practice."""


@dataclass(frozen=True, slots=True)
class Spread:
    """Median, lower and upper quartile, and median absolute deviation of some numbers."""

    median: float
    low: float
    high: float
    mad: float

    @property
    def sd(self) -> float:
        """Robust standard deviation."""
        return ROBUST_SD * self.mad


def quantile(ordered: Sequence[float], part: float) -> float:
    """A quantile by linear interpolation between ordered numbers (Robust 1).

    >>> quantile([1, 2, 3, 4], 0.5), quantile([1, 2, 3, 4], 0.25)
    (2.5, 1.75)
    """
    if not ordered:
        raise Unreadable("A median needs at least one number.")
    place = part * (len(ordered) - 1)
    low = math.floor(place)
    high = min(low + 1, len(ordered) - 1)
    return ordered[low] + (place - low) * (ordered[high] - ordered[low])


def spread(values: Sequence[float]) -> Spread:
    """Middle and spread of numbers.

    Raises:
        Unreadable: there are none.
    """
    ordered = sorted(values)
    median = quantile(ordered, 0.5)
    away = sorted(abs(value - median) for value in ordered)
    return Spread(median, quantile(ordered, 0.25), quantile(ordered, 0.75), quantile(away, 0.5))
