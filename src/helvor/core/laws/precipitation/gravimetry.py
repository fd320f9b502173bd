"""From the mass of a precipitate to what was sought.

Gravimetry 1. The factor is the mass of what is sought that one gram of what is weighed stands
              for: M(sought) · n ÷ (M(weighed) · m), with n and m balancing the carrier element.
              It may exceed 1, for a hydrate found through a lighter form.
Gravimetry 2. Parallel determinations: mean, spread, and the relative difference of two.
"""

from __future__ import annotations

import math
import statistics
from collections.abc import Sequence
from dataclasses import dataclass

from helvor.core.quantities.formula import atoms, molar_mass, readable
from helvor.core.quantities.measured import Measured
from helvor.core.quantities.reading import Reading, Unreadable, round_to
from helvor.core.quantities.working import WorkingLine

_CARRIED_BY_ALL = {"O", "H"}


def carrier_of(sought: str, weighed: str) -> str:
    """The element by which one is counted in the other: the only one they share besides O and H.

    Raises:
        Unreadable: they share none, or several, so that it has to be said.

    >>> carrier_of("MgSO4·7H2O", "BaSO4"), carrier_of("Fe", "Fe2O3")
    ('S', 'Fe')
    """
    shared = {element for element in atoms(sought) if element in atoms(weighed)}
    telling = sorted(shared - _CARRIED_BY_ALL) or sorted(shared)
    if len(telling) == 1:
        return telling[0]
    if not telling:
        raise Unreadable(
            f"{readable(weighed)} contains no element of {readable(sought)}: correct one of the two formulas."
        )
    raise Unreadable(
        f"{readable(sought)} and {readable(weighed)} share {' and '.join(telling)}: enter the element to count by."
    )


def factor(sought: str, weighed: str, carrier: str = "") -> float:
    """The gravimetric factor, g of the sought per g weighed (Gravimetry 1).

    Raises:
        Unreadable: a formula cannot be read, or they share no element to count by.

    >>> round(factor("SO4", "BaSO4"), 4), round(factor("MgSO4·7H2O", "BaSO4"), 4)
    (0.4116, 1.0561)
    """
    element = carrier or carrier_of(sought, weighed)
    in_sought, in_weighed = atoms(sought).get(element, 0), atoms(weighed).get(element, 0)
    if not in_sought or not in_weighed:
        raise Unreadable(f"{element} is not in both {readable(sought)} and {readable(weighed)}.")
    return molar_mass(sought) * in_weighed / (molar_mass(weighed) * in_sought)


def content(precipitate: Measured, factor_: float, sample: Measured) -> Measured:
    """Part of the sample that is the sought thing; times 100 is per cent.

    Raises:
        Unreadable: the sample's mass is not above zero.
    """
    if sample.value <= 0:
        raise Unreadable("Enter a sample mass above zero.")
    return precipitate * factor_ / sample


def determination(precipitate: Reading, sample: Reading, factor_: float) -> Measured:
    """The content of a sample from two nets by the tare button, each of two indications.

    Raises:
        Unreadable: the sample's mass is not above zero.
    """
    weighed, taken = (
        Measured.read(one.value, one.resolution / math.sqrt(6), name, one.decimals)
        for name, one in (("precipitate", precipitate), ("sample", sample))
    )
    return content(weighed, factor_, taken)


def factor_working(sought: str, weighed: str, carrier: str = "") -> WorkingLine:
    """The factor with the numbers put in."""
    element = carrier or carrier_of(sought, weighed)
    n, m = atoms(weighed).get(element, 0), atoms(sought).get(element, 0)
    times = f"{n} × " if n > 1 else ""
    under = f"{m} × " if m > 1 else ""
    return WorkingLine(
        f"Factor, {readable(sought)} in {readable(weighed)} by {element}",
        f"{times}{round_to(molar_mass(sought), 2)} ÷ {under}{round_to(molar_mass(weighed), 2)} "
        f"= {round_to(factor(sought, weighed, carrier), 4)}",
    )


@dataclass(frozen=True, slots=True)
class Parallels:
    """Determinations side by side, all in the unit of the values.

    Attributes:
        spread: highest minus lowest.
        relative: spread ÷ mean.
        deviation: sample standard deviation, None of fewer than three.
    """

    mean: float
    spread: float
    relative: float
    deviation: float | None


def parallels(values: Sequence[float]) -> Parallels:
    """Mean, spread and relative difference of parallel determinations (Gravimetry 2).

    Raises:
        Unreadable: there are fewer than two, or their mean is zero.

    >>> two = parallels([27.1, 27.4])
    >>> round(two.mean, 2), round(two.spread, 2), round(two.relative, 4)
    (27.25, 0.3, 0.011)
    """
    if len(values) < 2:
        raise Unreadable("Enter at least two determinations.")
    mean, spread = statistics.fmean(values), max(values) - min(values)
    if mean == 0:
        raise Unreadable("The mean is zero, so there is no relative difference.")
    return Parallels(mean, spread, spread / abs(mean), statistics.stdev(values) if len(values) > 2 else None)
