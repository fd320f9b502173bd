"""Limiting reagent: two substances that react, and which is used up first."""

from __future__ import annotations

from dataclasses import dataclass

from helvor.core.practice.drills.case import Verdict, chance_of
from helvor.core.quantities.formula import molar_mass, readable
from helvor.core.quantities.reading import Unreadable


@dataclass(frozen=True, slots=True)
class Part:
    """What goes into a reaction: its name and formula, its count in the equation, and how much of it.

    Attributes:
        grams: its mass, or None where it is a solution; ml, molar: of a solution, mL and mol/L.
    """

    name: str
    formula: str
    count: int
    grams: float | None = None
    ml: float | None = None
    molar: float | None = None

    @property
    def mmol(self) -> float:
        if self.grams is not None:
            return 1000 * self.grams / molar_mass(self.formula)
        return (self.ml or 0) * (self.molar or 0)

    @property
    def amount(self) -> str:
        if self.grams is not None:
            return f"{self.grams:.2f} g"
        return f"{self.ml:g} mL of {self.molar:g} mol/L"


@dataclass(frozen=True, slots=True)
class Limiting:
    """Two substances that react; the one that is used up first is asked for."""

    equation: str
    parts: tuple[Part, Part]

    @property
    def key(self) -> str:
        return min(self.parts, key=lambda part: part.mmol / part.count).name

    @property
    def asks(self) -> str:
        return "Choose the one that is used up first: it limits the yield."

    def marked(self, picked: str) -> Verdict:
        """Judge the substance that was picked, by its name.

        Raises:
            Unreadable: it is none of the two.
        """
        if picked not in {part.name for part in self.parts}:
            raise Unreadable("Choose one of the two substances.")
        working = []
        for part in self.parts:
            if part.grams is not None:
                how = f"{part.grams:.2f} g ÷ {molar_mass(part.formula):.2f} g/mol"
            else:
                how = f"{part.ml:g} mL × {part.molar:g} mol/L"
            each = f"; ÷ {part.count} = {part.mmol / part.count:.1f} mmol" if part.count > 1 else ""
            working.append(f"{part.name}: {how} = {part.mmol:.1f} mmol{each}")
        fewest, most = min(self.parts, key=lambda part: part.mmol), max(self.parts, key=lambda part: part.mmol)
        if picked == self.key:
            return Verdict(
                True,
                f"{self.key} is the limiting reagent: it has the smallest amount divided by its coefficient.",
                tuple(working),
            )
        if fewest.name == picked:
            why = f"There are fewer mmol of {picked}, but divide by the coefficient: it needs {most.count} {most.name}."
        else:
            why = f"Grams and millilitres do not decide it: {self.key} has the least mmol divided by its coefficient."
        return Verdict(False, why, tuple(working))


_SOLIDS = (
    ("C7H6O3 + C4H6O3 → C9H8O4 + C2H4O2", ("salicylic acid", "C7H6O3", 1), ("acetic anhydride", "C4H6O3", 1)),
    ("C6H7NO + C4H6O3 → C8H9NO2 + C2H4O2", ("4-aminophenol", "C6H7NO", 1), ("acetic anhydride", "C4H6O3", 1)),
)
_SOLUTIONS = (
    ("CaCl2 + Na2CO3 → CaCO3 + 2 NaCl", ("calcium chloride", "CaCl2", 1), ("sodium carbonate", "Na2CO3", 1)),
    ("C9H10O2 + NaOH → C9H9O2Na + H2O", ("3-phenylpropanoic acid", "C9H10O2", 1), ("sodium hydroxide", "NaOH", 1)),
)
_UNEVEN = (
    ("CaCO3 + 2 HCl → CaCl2 + CO2 + H2O", ("calcium carbonate", "CaCO3", 1), ("hydrochloric acid", "HCl", 2)),
    (
        "CuSO4 + 2 NaOH → Cu(OH)2 + Na2SO4",
        ("copper sulfate, blue", "CuSO4·5H2O", 1),
        ("sodium hydroxide", "NaOH", 2),
    ),
    (
        "MgSO4 + 2 NaOH → Mg(OH)2 + Na2SO4",
        ("Epsom salt", "MgSO4·7H2O", 1),
        ("sodium hydroxide", "NaOH", 2),
    ),
)


def limiting(level: int, seed: int) -> Limiting:
    """A case: two solids; a solid and a solution; an equation with unlike numbers."""
    chance = chance_of("limiting", level, seed)
    equation, one, other = chance.choice({1: _SOLIDS, 2: _SOLUTIONS, 3: _UNEVEN}[level])
    while True:
        grams = round(chance.uniform(0.5, 5.0), 2)
        first = Part(*one, grams=grams)
        share = chance.uniform(0.45, 0.85)
        wanted = first.mmol * other[2] * (share if chance.random() < 0.5 else 1 / share)
        if level == 1:
            second = Part(*other, grams=round(wanted * molar_mass(other[1]) / 1000, 2))
        else:
            molar = chance.choice((0.5, 1.0, 2.0))
            second = Part(*other, ml=float(round(wanted / molar)), molar=molar)
        ratio = (second.mmol / second.count) / first.mmol
        if (second.ml is None or 4 <= second.ml <= 150) and not 0.9 < ratio < 1.1:
            return Limiting(readable_equation(equation), (first, second))


def readable_equation(equation: str) -> str:
    """An equation with its subscripts."""
    return " ".join(readable(word) if word[0].isupper() else word for word in equation.split())
