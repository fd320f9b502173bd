"""Standardizing a solution by titration against a weighed standard."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from math import sqrt
from statistics import mean, stdev

from helvor.core.quantities.reading import Unreadable, reading_uncertainty

AGREE = 0.002
"""Relative spread within which titrations count as concordant. Common practice."""


@dataclass(frozen=True, slots=True)
class Trial:
    """One titration: g of standard, mL of titrant, and the resolutions of both readings."""

    grams: float
    millilitres: float
    grams_step: float = 0.0001
    millilitres_step: float = 0.05


@dataclass(frozen=True, slots=True)
class Standardized:
    """What titrations found: mol/L of each, their mean, standard uncertainty, spread over the mean, and whether the
    spread is within :data:`AGREE`."""

    each: tuple[float, ...]
    molar: float
    u: float
    spread: float
    agree: bool


def standardize(
    trials: Sequence[Trial], molar_mass: float, ratio: float, purity: float = 1.0, blank: float = 0.0
) -> Standardized:
    """The concentration of a titrant: c = m · w ÷ M · ratio ÷ (V − V₀).

    Args:
        molar_mass: of the standard, g/mol; ratio: mol of titrant for one mol of standard; purity: 0 to 1.
        blank: mL that the indicator takes alone.

    Raises:
        Unreadable: a number is not above zero.

    >>> found = standardize([Trial(0.5105, 24.95), Trial(0.5210, 25.45)], 204.22, 1)
    >>> round(found.molar, 4), found.agree
    (0.1002, True)
    """
    if not trials:
        raise Unreadable("Enter the standard's mass and the volume of titrant, a line each, such as 0.5105 g 24.95 mL.")
    if molar_mass <= 0 or ratio <= 0 or not 0 < purity <= 1:
        raise Unreadable("Enter a ratio above 0 and a purity above 0 and up to 100 %.")
    if any(one.grams <= 0 or one.millilitres - blank <= 0 for one in trials):
        raise Unreadable("Enter masses above 0 and volumes above the blank.")
    each = tuple(one.grams * purity / molar_mass * ratio / (one.millilitres - blank) * 1000 for one in trials)
    middle = mean(each)
    # Two indications make a mass by difference, two the volume of a burette (JCGM 100:2008, F.2.2.1).
    by_reading = mean(
        sqrt(
            2 * (reading_uncertainty(one.grams_step) / one.grams) ** 2
            + 2 * (reading_uncertainty(one.millilitres_step) / (one.millilitres - blank)) ** 2
        )
        for one in trials
    )
    by_spread = stdev(each) / sqrt(len(each)) if len(each) > 1 else 0.0
    spread = (max(each) - min(each)) / middle
    return Standardized(
        each, middle, sqrt((middle * by_reading) ** 2 / len(each) + by_spread**2), spread, spread <= AGREE
    )
