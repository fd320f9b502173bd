"""A recrystallization worked out before it: solvent, flask, ceiling, what too much solvent costs.

Recryst 1. Least hot solvent: V = m / S(hot).
Recryst 2. For a hot filtration 10 to 25 % more, so that nothing comes out on the paper. Common practice.
Recryst 3. What stays dissolved at the end is S(cold) for the whole volume, washes too; the rest is the
           ceiling of the recovery. Above it a product is wet or not pure.
Recryst 4. Charcoal is 1 to 2 % of the solid, never into boiling liquid. Common practice.
Recryst 5. A flask is at most two thirds full. Common practice.
Recryst 6. A second crop: liquor boiled down to half keeps what half of it can hold; the rest comes, less pure.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from helvor.core.laws.crystallization.solubility import Curve
from helvor.core.laws.extraction.reflux import flask_for
from helvor.core.laws.spare import SUM_SPARE
from helvor.core.quantities.reading import Unreadable, digits, round_to
from helvor.core.quantities.working import WorkingLine

EXTRA = (0.10, 0.25)
"""More solvent for a hot filtration, as parts of the least (Recryst 2)."""
USUAL_EXTRA = 0.20
CHARCOAL = (0.01, 0.02)
"""Of the solid (Recryst 4)."""
GREEDY = 1.5
"""Times the least volume from which it is too much. Common practice."""
TEACHING = (0.50, 0.85)
"""Usual recovery of a recrystallized solid. Common practice."""


def least_volume(mass: float, hot: float) -> float:
    """mL that just dissolve a mass (g) at a hot solubility (g in 100 mL).

    >>> round(least_volume(2.0, 5.0), 6)
    40.0
    """
    if not (mass > 0 and hot > 0):
        raise Unreadable("Enter a mass above 0 g and a solubility above 0.")
    return 100 * mass / hot


def stays(volume: float, cold: float, mass: float) -> float:
    """g that stay dissolved in a volume (mL) at a cold solubility (g in 100 mL); never more than there is."""
    return min(mass, cold * volume / 100)


def ceiling(mass: float, volume: float, wash: float, cold: float) -> float:
    """Part of a mass that can be recovered at most, 0 to 1 (Recryst 3).

    Args:
        mass: g of the pure compound; volume: of solvent at the end, mL; wash: of cold washes, mL.
        cold: g in 100 mL at the temperature it was filtered at.

    >>> round(ceiling(2.0, 52.0, 5.0, 0.214), 3)
    0.939
    """
    if not mass > 0 or volume < 0 or wash < 0 or cold < 0:
        raise Unreadable("Enter a mass above 0 g; volumes and solubility of 0 or more.")
    return max(0.0, 1 - cold * (volume + wash) / (100 * mass))


@dataclass(frozen=True, slots=True)
class Recrystallization:
    """A plan.

    Attributes:
        least, volume: hot solvent at least, and with the extra, mL; flask: mL, None where there is none so large.
        charcoal: from, to, g; liquor, washed: g that stay in each; ceiling: 0 to 1.
        due: °C at which it is saturated on cooling, None where the curve does not reach.
        boiled: g more from the liquor boiled down to half.
        impurity: g of it that stay dissolved cold, None where nothing is said of it.
    """

    mass: float
    hot: float
    cold: float
    least: float
    volume: float
    wash: float
    flask: float | None
    charcoal: tuple[float, float]
    liquor: float
    washed: float
    ceiling: float
    due: float | None
    boiled: float
    impurity: float | None = None

    @property
    def crystallizes(self) -> bool:
        """Whether anything comes out at all."""
        return self.ceiling > 0


def recrystallize(
    mass: float,
    curve: Curve,
    hot: float,
    cold: float,
    *,
    volume: float | None = None,
    extra: float = USUAL_EXTRA,
    wash: float = 0.0,
    impurity: Curve | None = None,
) -> Recrystallization:
    """Work a recrystallization out (Recryst 1 to 6).

    Args:
        mass: g; hot, cold: °C, as the solvent boils and as it is filtered.
        volume: mL really meant; the least and *extra* without.
        wash: mL of cold washes; impurity: its own solubility.

    Raises:
        Unreadable: cold is not below hot, an amount cannot be, or the curve does not reach.
    """
    if cold >= hot:
        raise Unreadable("Enter a filtering temperature below the dissolving temperature.")
    if not 0 <= extra <= 3:
        raise Unreadable("Enter an extra of 0 to 300 % of the least volume.")
    s_hot, s_cold = curve.at(hot), curve.at(cold)
    least = least_volume(mass, s_hot)
    whole = least * (1 + extra) if volume is None else volume
    if not whole > 0:
        raise Unreadable("Enter a volume of solvent above 0 mL.")
    liquor = stays(whole, s_cold, mass)
    washed = min(mass - liquor, s_cold * wash / 100)
    return Recrystallization(
        mass,
        hot,
        cold,
        least,
        whole,
        wash,
        flask_for(whole),
        (CHARCOAL[0] * mass, CHARCOAL[1] * mass),
        liquor,
        washed,
        ceiling(mass, whole, wash, s_cold),
        curve.saturated_at(100 * mass / whole),
        max(0.0, liquor - stays(whole / 2, s_cold, liquor)),
        stays(whole, impurity.at(cold), float("inf")) if impurity is not None else None,
    )


COSTS = (1.0, 1.2, 1.5, 2.0, 3.0)
"""Times the least volume at which the ceiling is shown."""


def for_benches(plan: Recrystallization, benches: int) -> float:
    """mL of solvent for so many benches, spare included.

    Raises:
        Unreadable: fewer than one bench.
    """
    if benches < 1:
        raise Unreadable("Enter at least 1 bench.")
    return plan.volume * benches * (1 + SUM_SPARE)


def by_volume(plan: Recrystallization, cold: float, volumes: Sequence[float]) -> list[tuple[float, float]]:
    """The ceiling at other volumes, mL → 0 to 1: what too much solvent costs. *cold*: g in 100 mL."""
    return [(volume, ceiling(plan.mass, volume, plan.wash, cold)) for volume in volumes]


def working_of(plan: Recrystallization, curve: Curve) -> list[WorkingLine]:
    """The arithmetic of a plan in words."""
    mass, whole, cold = digits(plan.mass, 3), digits(plan.volume, 3), digits(curve.at(plan.cold), 3)
    least = f"100 × {mass} g ÷ {digits(curve.at(plan.hot), 3)} = {digits(plan.least, 3)} mL"
    ceiling_ = f"1 − {cold} × ({whole} + {digits(plan.wash, 2)}) ÷ (100 × {mass}) = {round_to(100 * plan.ceiling, 1)} %"
    return [
        WorkingLine("least hot solvent", least),
        WorkingLine("stays in the mother liquor", f"{cold} × {whole} ÷ 100 = {digits(plan.liquor, 3)} g"),
        WorkingLine("ceiling", ceiling_),
        WorkingLine("enthalpy of solution, from the slope", f"{digits(curve.heat, 2)} kJ/mol"),
    ]
