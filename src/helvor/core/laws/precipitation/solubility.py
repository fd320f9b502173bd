"""What stays dissolved of a precipitate, with and without an ion in common.

Solubility 1. For a salt CpAq: Ksp = (p·s + c)^p · (q·s + a)^q, with s the dissolved salt, c and a
              what is there already of its ions, all mol/L. Activity coefficients are left out,
              so in salt-rich liquors really somewhat more dissolves. Textbook relation.
Solubility 2. Washes are held to be saturated: the most that they can take.
Solubility 3. Water itself holds 10⁻⁷ mol/L of hydroxide, more than very insoluble hydroxides give.
              Carbonate, phosphate and sulfide take up protons from water, so that really more of
              their salts dissolves than the product says.
"""

from __future__ import annotations

import re
from dataclasses import dataclass

from helvor.core.quantities.formula import molar_mass, plain, readable
from helvor.core.quantities.reading import Unreadable, digits
from helvor.core.quantities.working import WorkingLine

ANIONS: dict[str, int] = {
    "SO4": 2,
    "CO3": 2,
    "CrO4": 2,
    "C2O4": 2,
    "SO3": 2,
    "PO4": 3,
    "AsO4": 3,
    "IO3": 1,
    "SCN": 1,
    "CN": 1,
    "OH": 1,
    "S": 2,
    "Cl": 1,
    "Br": 1,
    "I": 1,
    "F": 1,
}
"""Anion → its charge."""


NEUTRAL_HYDROXIDE = 1e-7
"""Hydroxide in neutral water, mol/L at 25 °C (Solubility 3)."""
HYDROLYSE = frozenset({"CO3", "PO4", "S", "SO3", "AsO4", "CN"})
"""Anions whose salts really dissolve more, for they take up protons (Solubility 3)."""


@dataclass(frozen=True, slots=True)
class Salt:
    """A sparingly soluble salt: its ions with their numbers in one unit (p of the cation, q of the anion)."""

    formula: str
    cation: str
    p: int
    anion: str
    q: int


def salt_of(formula: str) -> Salt:
    """Take a salt's formula apart into its ions.

    Raises:
        Unreadable: it is not a formula, or not a salt of an anion known here.

    >>> salt = salt_of("Ca3(PO4)2")
    >>> salt.cation, salt.p, salt.anion, salt.q
    ('Ca', 3, 'PO4', 2)
    """
    text = plain(formula).split(".")[0]
    molar_mass(text)
    for anion in sorted(ANIONS, key=len, reverse=True):
        count = r"(\d*)" if re.fullmatch(r"[A-Z][a-z]?", anion) else r"()"
        match = re.fullmatch(rf"(Hg2|[A-Z][a-z]?)(\d*)(?:\({anion}\)(\d+)|{anion}{count})", text)
        if match is not None:
            return Salt(text, match[1], int(match[2] or 1), anion, int(match[3] or match[4] or 1))
    raise Unreadable(f"{readable(formula)} has no anion in our table: enter a simple salt, such as BaSO4.")


def dissolved(ksp: float, p: int, q: int, cation: float = 0.0, anion: float = 0.0) -> float:
    """How much of a salt dissolves, mol/L, where its ions are there already (Solubility 1).

    The left side grows with s, so the root is found by halving an interval in log s.

    Args:
        ksp: solubility product, in mol/L to the power p + q.
        cation, anion: mol/L there already.

    Raises:
        Unreadable: a number is negative, or the product is not above zero.

    >>> round(dissolved(1.1e-10, 1, 1) * 1e6, 1)
    10.5
    >>> dissolved(1.1e-10, 1, 1, cation=0.01) < 1.2e-8
    True
    """
    if not 0 < ksp < 1e6 or min(cation, anion) < 0 or p < 1 or q < 1:
        raise Unreadable("Enter a solubility product above zero, and concentrations of 0 or more.")

    def product(s: float) -> float:
        return float((p * s + cation) ** p * (q * s + anion) ** q)

    low, high = 0.0, float((ksp / (p**p * q**q)) ** (1 / (p + q)))
    for _ in range(200):
        middle = (low + high) / 2
        low, high = (low, middle) if product(middle) > ksp else (middle, high)
    return (low + high) / 2


@dataclass(frozen=True, slots=True)
class Losses:
    """What stays dissolved, g: in the liquor, in the washes; ``in_water`` g/L is what pure water takes."""

    in_water: float
    liquor: float
    washes: float
    working: tuple[WorkingLine, ...]


def losses(
    formula: str, ksp: float, *, liquor: float, cation: float = 0.0, anion: float = 0.0, washes: float = 0.0
) -> Losses:
    """The mass of a precipitate that is lost by its solubility, g.

    Args:
        liquor: volume of the mother liquor, mL; cation, anion: excess of its ions in it, mol/L.
        washes: volume of pure wash water in all, mL.

    Raises:
        Unreadable: as :func:`dissolved` and :func:`salt_of`.

    >>> found = losses("BaSO4", 1.1e-10, liquor=100, cation=0.01, washes=60)
    >>> found.washes > 50 * found.liquor
    True
    """
    salt = salt_of(formula)
    if liquor < 0 or washes < 0:
        raise Unreadable("Enter a volume of 0 or more.")
    mass = molar_mass(formula)
    floor = NEUTRAL_HYDROXIDE if salt.anion == "OH" else 0.0
    water = dissolved(ksp, salt.p, salt.q, anion=floor) * mass
    there = dissolved(ksp, salt.p, salt.q, cation, max(anion, floor)) * mass
    in_liquor, in_washes = there * liquor / 1000, water * washes / 1000
    ions = " and ".join(f"{c:g} mol/L {ion}" for c, ion in ((cation, salt.cation), (anion, salt.anion)) if c)
    return Losses(
        water,
        in_liquor,
        in_washes,
        (
            WorkingLine(f"{readable(formula)} in pure water", f"{digits(water * 1000)} mg/L"),
            WorkingLine(
                f"In the supernatant{f', with {ions} in it' if ions else ''}",
                f"{digits(there * 1000)} mg/L × {liquor / 1000:g} L = {digits(in_liquor * 1000)} mg",
            ),
            WorkingLine(
                "In the washes", f"{digits(water * 1000)} mg/L × {washes / 1000:g} L = {digits(in_washes * 1000)} mg"
            ),
        ),
    )
