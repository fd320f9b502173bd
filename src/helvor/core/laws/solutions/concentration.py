"""The concentration of a solution from one unit into all others, and dilution in steps.

Definitions: IUPAC, Compendium of Chemical Terminology: amount concentration, mass concentration, mass fraction. A litre
of solution of density ρ (g/mL) weighs 1000·ρ g, of which w are the solute.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

from helvor.core.quantities.reading import Unreadable, digits

Unit = Literal["mol/L", "g/L", "% w/w", "% w/v", "ppm", "mg/L"]
UNITS: tuple[Unit, ...] = ("mol/L", "g/L", "% w/w", "% w/v", "ppm", "mg/L")
"""% w/v is g in 100 mL of solution; ppm is mg in a kg of solution."""


@dataclass(frozen=True, slots=True)
class Concentration:
    """One solution in every unit.

    Attributes:
        molar: mol/L; mass: g/L; fraction: mass fraction, 0 to 1; molality: mol in a kg of solvent; density: g/mL.
    """

    molar: float
    mass: float
    fraction: float
    molality: float
    density: float

    @property
    def ppm(self) -> float:
        """mg in a kg of solution."""
        return self.fraction * 1e6

    @property
    def in_100_ml(self) -> float:
        """g in 100 mL of solution."""
        return self.mass / 10


def concentration(value: float, unit: Unit, molar_mass: float, density: float) -> Concentration:
    """A concentration in every unit.

    Args:
        value: in *unit*, above 0; molar_mass: g/mol; density: of the solution, g/mL.

    Raises:
        Unreadable: it is not above 0, or there would be more solute than solution.

    >>> acid = concentration(37.0, "% w/w", 36.46, 1.184)
    >>> round(acid.molar, 1), round(acid.mass)
    (12.0, 438)
    """
    if value <= 0:
        raise Unreadable("Enter a concentration above 0.")
    per_litre = 1000 * density
    mass = {
        "mol/L": value * molar_mass,
        "g/L": value,
        "% w/w": value / 100 * per_litre,
        "% w/v": 10 * value,
        "ppm": value * 1e-6 * per_litre,
        "mg/L": value / 1000,
    }[unit]
    fraction = mass / per_litre
    if fraction > 1 + 1e-9:
        raise Unreadable(
            f"{digits(value)} {unit} would be {digits(mass)} g of solute in a litre that weighs {digits(per_litre)} g: "
            "enter a lower concentration or the density of this solution."
        )
    solvent = per_litre - mass
    molality = mass / molar_mass / (solvent / 1000) if solvent > 1e-6 else float("inf")
    return Concentration(mass / molar_mass, mass, min(fraction, 1.0), molality, density)


@dataclass(frozen=True, slots=True)
class Dilution:
    """One step of a series: its number, concentration, mL taken of the one before, mL of solvent to its volume."""

    number: int
    concentration: float
    taken: float
    solvent: float


MOST_STEPS = 20


def series(stock: float, factor: float, steps: int, volume: float) -> list[Dilution]:
    """A dilution series: each step is the one before, *factor* times weaker, C₁V₁ = C₂V₂.

    Args:
        stock: concentration, in any unit; factor: above 1; steps: 1 to 20; volume: mL of each.

    Raises:
        Unreadable: a number is outside what can be done.

    >>> [(d.concentration, d.taken, d.solvent) for d in series(1.0, 10, 2, 100)]
    [(0.1, 10.0, 90.0), (0.01, 10.0, 90.0)]
    """
    if stock <= 0 or volume <= 0:
        raise Unreadable("Enter a concentration and a volume above 0.")
    if factor <= 1:
        raise Unreadable("Enter how many times weaker each step is, above 1, such as 10.")
    if not 1 <= steps <= MOST_STEPS:
        raise Unreadable(f"Enter 1 to {MOST_STEPS} steps.")
    taken = volume / factor
    return [Dilution(n, stock / factor**n, taken, volume - taken) for n in range(1, steps + 1)]
