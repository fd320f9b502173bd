"""A recrystallization that goes as it was carried out: what dissolves, what comes on the hot paper, what comes cold.

Virtual crystals 1. Hot solvent holds S(hot)·V; what is over that stays a solid and goes with the dirt on the hot paper.
Virtual crystals 2. On the hot filter the solution cools: by 6 K in a warm stemless funnel, by 25 K in a cold one. What
                    it cannot hold there comes out on the paper. Sizes: common practice.
Virtual crystals 3. In the end S(cold)·V stays in the liquor; the rest are crystals.
Virtual crystals 4. Crystals take along what is dissolved beside them: 2 % of it when they grew slowly, 15 % when they
                    fell at once, 45 % of it in an oil. Sizes: common practice; that they do, every text on the subject.
Virtual crystals 5. Where a solution comes to saturation above the temperature at which the wet compound melts, it
                    parts as an oil when it is cooled fast; slowly, its drops have time to become crystals.
Virtual crystals 6. A cake holds 0.6 mL of liquor for each gram; washes thin that out by the washing formula
                    (:mod:`helvor.core.laws.filtration.wash`) and dissolve S(wash) for each volume.
Virtual crystals 7. A melting range ends where the composition is all liquid (R. Schröder, J. J. van Laar:
                    ln x = ΔH/R·(1/T_m − 1/T)) and begins earlier the more there is of the other.
"""

from __future__ import annotations

import math
from dataclasses import dataclass

from helvor.core.laws.crystallization.plan import stays
from helvor.core.laws.crystallization.solubility import Curve
from helvor.core.laws.filtration.wash import left_after, wash_loss
from helvor.core.quantities.constants import GAS, ZERO_C
from helvor.core.quantities.reading import Unreadable

DROPS = {"warm": 6.0, "cold": 25.0}
"""How far a solution cools on its way through a hot filter, K (Virtual crystals 2)."""
TAKEN_ALONG = {"slow": 0.02, "fast": 0.15, "oil": 0.45}
"""Part of what is dissolved beside them that crystals enclose (Virtual crystals 4)."""
HOLDS = 0.6
"""mL of liquor for each gram of cake after suction (Virtual crystals 6)."""


@dataclass(frozen=True, slots=True)
class Hot:
    """A hot solution: g dissolved and g left as a solid; volume, mL; where it is saturated on cooling, °C or None."""

    dissolved: float
    solid: float
    volume: float
    saturated: float | None


def dissolve(mass: float, volume: float, curve: Curve, hot: float) -> Hot:
    """Bring a mass (g) into hot solvent (mL) (Virtual crystals 1).

    Raises:
        Unreadable: a mass or a volume is not above 0, or the curve does not reach.
    """
    if not (mass > 0 and volume > 0):
        raise Unreadable("Enter a mass and a volume above 0.")
    dissolved = stays(volume, curve.at(hot), mass)
    return Hot(dissolved, mass - dissolved, volume, curve.saturated_at(100 * dissolved / volume))


def on_hot_paper(hot: Hot, curve: Curve, celsius: float, funnel: str) -> float:
    """g that come out on a hot filter, for the temperature of the solution before it (Virtual crystals 2).

    Raises:
        Unreadable: the funnel is neither *warm* nor *cold*.
    """
    if funnel not in DROPS:
        raise Unreadable("Choose a warm or a cold funnel.")
    return hot.dissolved - stays(hot.volume, curve.at(celsius - DROPS[funnel]), hot.dissolved)


@dataclass(frozen=True, slots=True)
class Grown:
    """What came on cooling: crystals, g, what stays in the liquor, g; how they grew: *slow*, *fast*, *oil*."""

    crystals: float
    liquor: float
    how: str

    @property
    def along(self) -> float:
        """Part of the impurity beside them that they enclose."""
        return TAKEN_ALONG[self.how]


def cool(dissolved: float, volume: float, curve: Curve, cold: float, *, fast: bool, oils_above: float) -> Grown:
    """Cool a clear solution (Virtual crystals 3 to 5).

    Args:
        dissolved: g; volume: mL; cold: where it ends, °C; oils_above: where the wet compound melts, °C.
    """
    if not (dissolved > 0 and volume > 0):
        return Grown(0.0, max(dissolved, 0.0), "slow")
    left = stays(volume, curve.at(cold), dissolved)
    saturated = curve.saturated_at(100 * dissolved / volume)
    oil = fast and saturated is not None and saturated > oils_above
    return Grown(dissolved - left, left, "oil" if oil else "fast" if fast else "slow")


@dataclass(frozen=True, slots=True)
class Washed:
    """After washing: g of crystals dissolved, and the part of the clinging liquor that is left."""

    dissolved: float
    clinging: float


def wash(crystals: float, times: int, volume: float, solubility: float) -> Washed:
    """Wash a cake of crystals (g) so many times with so much (mL) of a solubility, g in 100 mL (crystals 6)."""
    if times == 0:
        return Washed(0.0, 1.0)
    held = HOLDS * crystals
    return Washed(wash_loss(times * volume, 10 * solubility, crystals), left_after(times, volume, held))


def melts(pure: float, heat: float, other: float) -> tuple[float, float]:
    """The range of a solid of melting point *pure*, °C, with a mole fraction *other* of something else, °C.

    For an impurity of about the same molar mass that is its part by mass.

    Args:
        heat: of fusion, kJ/mol.

    Raises:
        Unreadable: the fraction is not between 0 and 0.5.

    >>> melts(114.3, 21.7, 0.0)
    (113.8, 114.3)
    >>> [round(t, 1) for t in melts(114.3, 21.7, 0.05)]
    [106.3, 111.4]
    """
    if not 0 <= other <= 0.5:
        raise Unreadable("Enter a fraction of the other between 0 and 0.5.")
    kelvin = pure + ZERO_C
    end = 1 / (1 / kelvin - GAS * math.log(1 - other) / (1000 * heat)) - ZERO_C
    # It softens where a good part is molten already: the same law, for two and a half times the impurity.
    begin = 1 / (1 / kelvin - GAS * math.log(1 - min(2.5 * other, 0.9)) / (1000 * heat)) - ZERO_C
    return round(begin - 0.5, 6), round(end, 6)
