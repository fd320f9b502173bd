"""Where a mixture of two solids melts, and how a pair of solvents dissolves one.

Mixture 1. Ideal liquid, no mixed crystals: ln x = ΔH ÷ R · (1 ÷ Tm − 1 ÷ T) for each (Schröder 1893, van Laar 1908);
           the eutectic is where both agree. Where the heat of fusion is not known, 56.5 J/(mol·K) · Tm is a
           guess for rigid molecules (Walden 1908).
Mixture 2. In a mixture of two solvents ln S lies about on a line over the volume fraction (Yalkowsky and Roseman 1981);
           a guide only.
"""

from __future__ import annotations

from dataclasses import dataclass
from math import exp, log

from helvor.core.quantities.constants import GAS, ZERO_C
from helvor.core.quantities.reading import Unreadable, digits

WALDEN = 56.5
"""J/(mol·K), entropy of fusion of rigid molecules. Walden, Z. Elektrochem. 14 (1908) 713."""


@dataclass(frozen=True, slots=True)
class Solid:
    """A pure solid: melting point, °C, and heat of fusion, kJ/mol (None: by Walden's rule)."""

    melts: float
    fusion: float | None = None

    @property
    def heat(self) -> float:
        """J/mol."""
        return self.fusion * 1000 if self.fusion is not None else WALDEN * (self.melts + ZERO_C)

    def liquidus(self, part: float) -> float:
        """°C at which the last of it dissolves in a melt with a mole fraction *part* of it (Mixture 1).

        >>> round(Solid(80.2, 19.06).liquidus(0.5), 0)
        46.0
        """
        kelvin = self.melts + ZERO_C
        return 1 / (1 / kelvin - GAS * log(part) / self.heat) - ZERO_C


@dataclass(frozen=True, slots=True)
class Melt:
    """A mixture: °C where melting begins and ends, the eutectic's °C and its mole fraction of the first."""

    begins: float
    ends: float
    eutectic: float
    eutectic_part: float


def melting_of(first: Solid, second: Solid, part: float) -> Melt:
    """The melting range of a mixture with a mole fraction *part* of the first.

    Raises:
        Unreadable: the part is not between 0 and 1, or a value is outside reason.

    >>> found = melting_of(Solid(80.2, 19.06), Solid(69.2, 18.6), 0.5)
    >>> round(found.eutectic), round(found.ends)
    (41, 46)
    """
    if not 0 < part < 1:
        raise Unreadable("Enter a mole fraction between 0 and 1.")
    if any(not -150 < one.melts < 1500 or one.heat <= 0 for one in (first, second)):
        raise Unreadable("Enter melting points from −150 to 1500 °C and heats of fusion above 0.")
    low, high = 1e-9, 1 - 1e-9
    for _ in range(200):
        middle = (low + high) / 2
        low, high = (middle, high) if first.liquidus(middle) < second.liquidus(1 - middle) else (low, middle)
    eutectic = first.liquidus(low)
    return Melt(eutectic, max(first.liquidus(part), second.liquidus(1 - part)), eutectic, low)


@dataclass(frozen=True, slots=True)
class Pair:
    """A recrystallization from two solvents: mL of each, g in 100 mL of the mixture hot and cold, the most that comes
    back (0 to 1)."""

    good: float
    poor: float
    hot: float
    cold: float
    most: float


def from_two(mass: float, good: tuple[float, float], poor: tuple[float, float], volume: float | None = None) -> Pair:
    """Dissolve hot in the good solvent, add the poor one hot until it just clouds, cool (Mixture 2).

    Args:
        mass: g; good, poor: solubility hot and cold, g in 100 mL.
        volume: mL of the good solvent; nothing: that from which most comes back, up to :data:`MOST_TIMES` the least.

    Raises:
        Unreadable: the good solvent does not dissolve more than the poor one, or the volume does not dissolve it.

    >>> pair = from_two(2.0, (40.0, 8.0), (0.5, 0.02))
    >>> round(pair.good), round(pair.poor), round(pair.most, 2)
    (33, 94, 0.94)
    """
    if mass <= 0 or min(*good, *poor) <= 0:
        raise Unreadable("Enter a mass and solubilities above 0.")
    if good[0] <= poor[0] or good[1] > good[0] or poor[1] > poor[0]:
        raise Unreadable("Enter solubilities that are higher hot than cold, and higher in the good solvent.")
    least = 100 * mass / good[0]
    if volume is not None and volume < least:
        raise Unreadable(f"This dissolves in no less than {digits(least)} mL of the good solvent: enter more.")
    tried = [volume] if volume is not None else [least * times / 20 for times in range(21, 20 * MOST_TIMES + 1)]
    return max((_clouds_at(mass, good, poor, one) for one in tried), key=lambda pair: pair.most)


MOST_TIMES = 8
"""Times the least volume up to which more of a good solvent is looked at. Common practice: more is not poured off."""


def _mixed(share: float, one: float, other: float) -> float:
    """Solubility where a part *share* of the volume is the other solvent."""
    return exp((1 - share) * log(one) + share * log(other))


def _clouds_at(mass: float, good: tuple[float, float], poor: tuple[float, float], volume: float) -> Pair:
    """How much of the poor solvent it takes until *volume* mL of the good one are just saturated, and what follows."""
    low, high = 0.0, 0.999
    for _ in range(60):
        share = (low + high) / 2
        holds = _mixed(share, good[0], poor[0]) * volume / (1 - share) / 100
        low, high = (share, high) if holds > mass else (low, share)
    poor_volume = volume * low / (1 - low)
    hot, cold = _mixed(low, good[0], poor[0]), _mixed(low, good[1], poor[1])
    stays = cold * (volume + poor_volume) / 100
    return Pair(volume, poor_volume, hot, cold, max(0.0, 1 - stays / mass))
