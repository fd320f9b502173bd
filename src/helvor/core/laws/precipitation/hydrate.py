"""Percent composition, the empirical formula from percentages, and the water of a hydrate from its loss on heating."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

from helvor.core.quantities.formula import atoms, molar_mass
from helvor.core.quantities.reading import Unreadable, digits

WATER = "H2O"
MOST_WATERS = 30
WHOLE = 0.10
"""Distance from a whole number up to which mol of water count as it. Common practice."""
MOST_OF_ONE = 8
"""Largest factor that makes mol ratios whole. Common practice."""


def composition(formula: str) -> dict[str, float]:
    """Mass fraction of each element, 0 to 1.

    >>> {element: round(100 * part, 2) for element, part in composition("CuSO4·5H2O").items()}
    {'Cu': 25.45, 'O': 57.67, 'S': 12.84, 'H': 4.04}
    """
    whole = molar_mass(formula)
    return {element: number * molar_mass(element) / whole for element, number in atoms(formula).items()}


@dataclass(frozen=True, slots=True)
class Empirical:
    """An empirical formula, its whole numbers, the mol ratios they were found from, and how far off these are."""

    formula: str
    numbers: Mapping[str, int]
    ratios: Mapping[str, float]
    off: float


def empirical(parts: Mapping[str, float]) -> Empirical:
    """The simplest whole-number formula of mass parts (percent or grams) of elements.

    Raises:
        Unreadable: a part is not above zero, or no small whole numbers fit.

    >>> empirical({"C": 40.0, "H": 6.7, "O": 53.3}).formula
    'CH2O'
    """
    if not parts or any(part <= 0 for part in parts.values()):
        raise Unreadable("Enter each element with its percentage above 0, such as C 40.0.")
    mol = {element: part / molar_mass(element) for element, part in parts.items()}
    least = min(mol.values())
    ratios = {element: amount / least for element, amount in mol.items()}
    for factor in range(1, MOST_OF_ONE + 1):
        off = max(abs(factor * ratio - round(factor * ratio)) for ratio in ratios.values())
        if off <= WHOLE:
            numbers = {element: round(factor * ratio) for element, ratio in ratios.items()}
            formula = "".join(f"{element}{number if number > 1 else ''}" for element, number in numbers.items())
            return Empirical(formula, numbers, ratios, off)
    shown = ", ".join(f"{element} {digits(ratio)}" for element, ratio in ratios.items())
    raise Unreadable(f"No small whole numbers fit the ratio {shown}: check the percentages.")


@dataclass(frozen=True, slots=True)
class Hydrate:
    """Water in a hydrate: mol for one mol of the anhydrous salt, the whole number, its mass part found and by it."""

    waters: float
    whole: int
    found: float
    theoretical: float

    @property
    def fits(self) -> bool:
        """Whether the mol lie near the whole number."""
        return abs(self.waters - self.whole) <= WHOLE * max(1.0, self.whole / 5)


def hydrate(anhydrous: str, before: float, after: float) -> Hydrate:
    """Water lost on heating to the anhydrous salt; *before* and *after* in g, without the crucible.

    Raises:
        Unreadable: the masses cannot be.

    >>> found = hydrate("CuSO4", 2.000, 1.279)
    >>> round(found.waters, 2), found.whole
    (4.99, 5)
    """
    if not 0 < after < before:
        raise Unreadable("Enter a mass after heating above 0 and below the mass before.")
    dry = molar_mass(anhydrous)
    waters = (before - after) / molar_mass(WATER) / (after / dry)
    if waters > MOST_WATERS:
        raise Unreadable(f"{digits(waters)} mol of water for one of {anhydrous} cannot be: check both masses.")
    whole = round(waters)
    water = whole * molar_mass(WATER)
    return Hydrate(waters, whole, (before - after) / before, water / (water + dry))
