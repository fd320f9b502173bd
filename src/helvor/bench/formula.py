"""Formulas as chemists write them: molar mass, atoms, balanced equations.

Atomic weights are those of the ``molmass`` library (IUPAC standard atomic weights).
"""

from __future__ import annotations

import re
from collections.abc import Mapping
from dataclasses import dataclass
from functools import lru_cache

from molmass import Formula, FormulaError

from helvor.bench.quantity import Unreadable

_SUBSCRIPTS = str.maketrans("₀₁₂₃₄₅₆₇₈₉·•∙*", "0123456789....")
_ARROW = re.compile(r"\s*(?:->|=>|→|⟶|=)\s*")
_TERM = re.compile(r"(?:(?P<count>\d+)\s+|(?P<glued>\d+)(?=[A-Z(\[]))?(?P<formula>[A-Z(\[].*)")


def plain(formula: str) -> str:
    """The formula in plain signs: subscripts as digits, the hydrate's dot as a point."""
    return re.sub(r"\s*\.\s*", ".", formula.strip().translate(_SUBSCRIPTS))


@lru_cache(maxsize=1024)
def _read(formula: str) -> tuple[float, Mapping[str, int]]:
    shown = formula.strip()
    text = plain(formula)
    if len(text) > 60 or not re.fullmatch(r"[A-Za-z0-9().\[\]]*[A-Z][A-Za-z0-9().\[\]]*", text):
        raise Unreadable(f"“{shown[:30]}” is not a formula: write CuSO4·5H2O, for one.")
    mass, counted = 0.0, dict[str, int]()
    try:
        # The hydrate's parts are read one by one: a point between digits means other things to a parser.
        for part in text.split("."):
            match = re.fullmatch(r"(\d*)(\D.*)", part)
            if match is None:
                raise ValueError(part)
            times = int(match[1] or 1)
            read = Formula(
                match[2], parse_groups=False, parse_oligos=False, parse_fractions=False, parse_arithmetic=False
            )
            mass += times * float(read.mass)
            for symbol, item in read.composition().items():
                counted[symbol] = counted.get(symbol, 0) + times * int(item.count)
    except (FormulaError, ValueError, KeyError) as trouble:
        raise Unreadable(f"“{shown[:30]}” is not a formula: write CuSO4·5H2O, for one.") from trouble
    return mass, counted


def molar_mass(formula: str) -> float:
    """Molar mass, g/mol.

    Raises:
        Unreadable: it is not a formula.

    >>> round(molar_mass("CuSO4·5H2O"), 2)
    249.68
    """
    return _read(formula)[0]


def atoms(formula: str) -> Mapping[str, int]:
    """Element symbol → number of its atoms in one formula unit.

    >>> atoms("CaCl2·2H2O")["Cl"]
    2
    """
    return _read(formula)[1]


def readable(formula: str) -> str:
    """The formula with lowered digits and the hydrate's dot: ``CuSO₄·5H₂O``.

    >>> readable("CuSO4.5H2O")
    'CuSO₄·5H₂O'
    """
    lowered = re.sub(r"(?<=[A-Za-z)\]])\d+", lambda m: m.group().translate(_LOWER), plain(formula))
    return lowered.replace(".", "·")


_LOWER = str.maketrans("0123456789", "₀₁₂₃₄₅₆₇₈₉")


@dataclass(frozen=True, slots=True)
class Equation:
    """A balanced equation: formula → how many of it, on each side; formulas in plain signs."""

    left: Mapping[str, int]
    right: Mapping[str, int]

    def __str__(self) -> str:
        return " → ".join(
            " + ".join(f"{n} {readable(f)}" if n > 1 else readable(f) for f, n in side.items())
            for side in (self.left, self.right)
        )


@lru_cache(maxsize=256)
def parse_equation(text: str) -> Equation:
    """Read ``CaCl2 + Na2CO3 -> CaCO3 + 2 NaCl``.

    Raises:
        Unreadable: it is not an equation, or it does not balance; says by which element.

    >>> str(parse_equation("2 NaHCO3 -> Na2CO3 + H2O + CO2"))
    '2 NaHCO₃ → Na₂CO₃ + H₂O + CO₂'
    """
    sides = _ARROW.split(text.strip())
    if len(sides) != 2 or not all(sides):
        raise Unreadable("An equation has two sides and an arrow: CaCl2 + Na2CO3 -> CaCO3 + 2 NaCl.")
    left, right = (_side(side) for side in sides)
    missing = set(_atoms_of(left)) ^ set(_atoms_of(right))
    for element in sorted({*_atoms_of(left), *_atoms_of(right)}, key=lambda e: (e not in missing, e)):
        before, after = _atoms_of(left).get(element, 0), _atoms_of(right).get(element, 0)
        if before != after:
            raise Unreadable(f"The equation does not balance: {element} is {before} on the left, {after} on the right.")
    return Equation(left, right)


def _side(text: str) -> dict[str, int]:
    found: dict[str, int] = {}
    for term in re.split(r"\s\+\s|\s*\+\s*(?=[\dA-Z(\[])", text.strip()):
        match = _TERM.fullmatch(term.strip())
        if match is None:
            raise Unreadable(f"“{term.strip()[:30]}” in the equation is not a formula.")
        formula = plain(match["formula"])
        _read(formula)
        found[formula] = found.get(formula, 0) + int(match["count"] or match["glued"] or 1)
    return found


def _atoms_of(side: Mapping[str, int]) -> dict[str, int]:
    counted: dict[str, int] = {}
    for formula, count in side.items():
        for element, number in atoms(formula).items():
            counted[element] = counted.get(element, 0) + count * number
    return counted


def units(formula: str, carrier: str) -> int:
    """How many of a followed component one formula unit holds: its atoms of *carrier*, or 1 without one.

    A salt, an acid and a hydrate of the same thing hold the same number of the carrier's
    atoms, so amounts in mol stay comparable whatever form the thing is in.

    >>> units("BaSO4", "S"), units("Na2CO3", "Na"), units("C9H8O2", "")
    (1, 2, 1)
    """
    return atoms(formula).get(carrier, 0) if carrier else 1
