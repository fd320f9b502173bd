"""Amounts of reagents as people write them, a line each.

    CaCl2·2H2O 1.512 g              a mass
    BaCl2 12.0 mL 0.25 M            a solution: its volume and mol/L
    C2H6O 10 mL 0.789 g/mL          a liquid: its volume and density
    NaOH 2.00 g 97 %                not pure: mass fraction in per cent
    Zn about 0.8 g                  judged, not read: counts with a tenth as doubt

A name stands for its formula where somebody knows it.
"""

from __future__ import annotations

import re
from collections.abc import Callable, Sequence
from dataclasses import dataclass

from helvor.core.engine.run.entries import widened
from helvor.core.quantities.formula import Equation, molar_mass, plain, readable, supplies
from helvor.core.quantities.measured import Measured, shown
from helvor.core.quantities.reading import Unreadable, parse, parse_number, reading_uncertainty, round_to
from helvor.core.quantities.working import WorkingLine

_AMOUNT = re.compile(
    r"(?P<about>about |~\s*|ca\.? )?(?P<sign>(?<=\s)[-−–]\s*)?"
    r"(?P<number>[\d.,]+)\s*(?P<unit>mg|g|kg|mL|ml|L|µL|mmol|mol)\b"
)
_MOLAR = re.compile(r"(?P<number>[\d.,]+)\s*(?:M|mol/L|mol/l)(?=\s|$)")
_DENSITY = re.compile(r"(?P<number>[\d.,]+)\s*g/(?:mL|ml|cm3|cm³)(?=\s|$)")
_PURE = re.compile(r"(?P<number>[\d.,]+)\s*%")
DENSITIES = (0.3, 25.0)
"""What a liquid's density may be, g/mL; outside it is misread or another unit."""


@dataclass(frozen=True, slots=True)
class TakenLine:
    """One reagent: what was written, its formula in plain signs, and its amount in mol."""

    written: str
    formula: str
    amount: Measured
    working: WorkingLine


def no_name(name: str) -> str:
    """No name is known: what is written is the formula."""
    return name


def read_lines(text: str, formula_of: Callable[[str], str] = no_name) -> list[TakenLine]:
    """Every line that is not empty.

    Args:
        formula_of: a name → its formula; what is no name comes back as it is.

    Raises:
        Unreadable: with the line it is about.
    """
    lines = [line.strip() for line in text.splitlines() if line.strip()]
    if len(lines) > 12:
        raise Unreadable("Enter at most 12 reagents, one per line.")
    return [read_line(line, formula_of) for line in lines]


def brought(equation: Equation, lines: Sequence[TakenLine]) -> dict[str, Measured]:
    """Reagent's formula as the equation has it → mol of it in all that was taken.

    Raises:
        Unreadable: something taken brings nothing that stands on the left.
    """
    amounts: dict[str, Measured] = {}
    for line in lines:
        into = next((f for f in equation.left if supplies(line.formula, f)), None)
        if into is None:
            raise Unreadable(
                f"{readable(line.formula)} contains no reactant of the equation: correct the formula, or delete "
                "the line."
            )
        amount = line.amount * supplies(line.formula, into)
        amounts[into] = amounts[into] + amount if into in amounts else amount
    return amounts


def read_line(line: str, formula_of: Callable[[str], str] = no_name) -> TakenLine:
    """One reagent with its amount.

    Raises:
        Unreadable: with one sentence that says what to write.

    >>> round(read_line("CaCl2·2H2O 1.470 g").amount.value, 4)
    0.01
    >>> round(read_line("BaCl2 12.0 mL 0.25 M").amount.value, 4)
    0.003
    """
    rest = line.strip()
    molar, rest = _taken(_MOLAR, rest)
    density, rest = _taken(_DENSITY, rest)
    pure, rest = _taken(_PURE, rest)
    match = _AMOUNT.search(rest)
    if match is None:
        raise Unreadable(f"“{line[:40]}”: enter a formula and its amount, such as CaCl2·2H2O 1.512 g.")
    name = (rest[: match.start()] + rest[match.end() :]).strip(" ,:;")
    if not name:
        raise Unreadable(f"“{line[:40]}”: enter the formula before the amount.")
    formula = plain(formula_of(name))
    mass = molar_mass(formula)
    if density is not None and not DENSITIES[0] <= density[0] <= DENSITIES[1]:
        raise Unreadable(f"“{line[:40]}”: {density[0]:g} g/mL is not a liquid's density: enter 0.3 to 4 g/mL.")
    if pure is not None and not 0 < pure[0] <= 100:
        raise Unreadable(f"“{line[:40]}”: enter a purity above 0 and up to 100 %.")
    fraction = pure[0] / 100 if pure else 1.0
    about, unit = bool(match["about"]), match["unit"]
    value, step = parse_number(match["number"])
    if value <= 0 or match["sign"]:
        raise Unreadable(f"“{line[:40]}”: enter an amount above zero.")
    if unit in ("mol", "mmol"):
        factor = 1.0 if unit == "mol" else 1e-3
        amount = Measured.read(value * factor, reading_uncertainty(step) * factor, line)
        return TakenLine(line, formula, amount, WorkingLine(readable(formula), f"{shown(amount)} mol"))
    is_volume = unit in ("mL", "ml", "L", "µL")
    reading = parse(f"{match['number']} {unit}", "volume" if is_volume else "mass")
    taken = Measured.read(reading.value, widened(reading, reading.u, estimated=about), line, reading.decimals)
    what = readable(formula)
    purity = f" × {fraction:g}" if fraction < 1 else ""
    if is_volume and molar is not None:
        strength = Measured.read(molar[0], reading_uncertainty(molar[1]), f"{line} strength")
        amount = taken * strength * (1 / 1000)
        says = f"{reading.value / 1000:g} L × {molar[0]:g} mol/L = {shown(amount)} mol"
    elif is_volume and density is not None:
        amount = taken * (density[0] * fraction / mass)
        says = f"{reading} × {density[0]:g} g/mL{purity} ÷ {round_to(mass, 2)} g/mol = {shown(amount)} mol"
    elif is_volume:
        raise Unreadable(f"“{line[:40]}”: enter its concentration (0.25 M) or its density (0.79 g/mL) with the volume.")
    else:
        amount = taken * (fraction / mass)
        says = f"{reading}{purity} ÷ {round_to(mass, 2)} g/mol = {shown(amount)} mol"
    return TakenLine(line, formula, amount, WorkingLine(f"{what}{', estimated' if about else ''}", says))


def _taken(pattern: re.Pattern[str], text: str) -> tuple[tuple[float, float] | None, str]:
    """A number with its step where the pattern is found, and the text without it."""
    match = pattern.search(text)
    if match is None:
        return None, text
    return parse_number(match["number"]), (text[: match.start()] + " " + text[match.end() :]).strip()
