"""Formulas as chemists write them: molar mass, atoms, charges, balanced equations.

Atomic weights are those of the ``molmass`` library (IUPAC standard atomic weights). The
mass of the electrons that an ion has gained or lost is left out: at most 0.0005 g/mol each.

Formula 1. A hydrate's dot, lowered and raised digits may be written in any usual way.
Formula 2. A charge is best written with a caret, ``SO4^2-``. Without one, digits before the
           sign are the charge where a single element stands before them (``Ba2+``); of two
           digits the last is (``SO42-``); one digit after several elements belongs to the
           formula (``NH4+``).
Formula 3. A phase, ``(s) (l) (g) (aq)``, is understood and changes nothing in the numbers.
"""

from __future__ import annotations

import re
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from fractions import Fraction
from functools import lru_cache
from math import gcd, lcm

from molmass import ELEMENTS, Formula, FormulaError

from helvor.core.quantities.reading import Unreadable

_SUBSCRIPTS = str.maketrans("₀₁₂₃₄₅₆₇₈₉·•∙*−–", "0123456789....--")
_RAISED = str.maketrans("⁰¹²³⁴⁵⁶⁷⁸⁹⁺⁻", "0123456789+-")
_LOWER = str.maketrans("0123456789", "₀₁₂₃₄₅₆₇₈₉")
_UPPER = str.maketrans("0123456789+-", "⁰¹²³⁴⁵⁶⁷⁸⁹⁺⁻")
_ARROW = re.compile(r"\s*(?:-+>|=+>|→|⟶|⇌|⇄|=)\s*")
_PHASE = re.compile(r"\s*\((s|l|g|aq)\)|\s*([↓↑])")
_ARROW_PHASE = {"↓": "s", "↑": "g"}
_TERM = re.compile(r"(?:(?P<count>\d+)\s+|(?P<glued>\d+)(?=[A-Za-z(\[]))?(?P<formula>[A-Za-z(\[].*)")
_CHARGES = (
    re.compile(r"\^\{?\(?(?P<n>\d*)(?P<sign>[+-])\)?\}?$"),
    re.compile(r"\((?P<n>\d*)(?P<sign>[+-])\)$"),
    re.compile(r"\s(?P<n>\d*)(?P<sign>[+-])$"),
    re.compile(r"(?<=\])(?P<n>\d*)(?P<sign>[+-])$"),
)
MAX_SPECIES = 14


def plain(formula: str) -> str:
    """The formula in plain signs: digits on the line, the hydrate's dot as a point, the charge after a caret.

    >>> plain("CuSO₄·5H₂O"), plain("SO42-"), plain("Ba2+(aq)"), plain("NH4+")
    ('CuSO4.5H2O', 'SO4^2-', 'Ba^2+', 'NH4^+')
    """
    text = re.sub(r"[⁰¹²³⁴⁵⁶⁷⁸⁹]*[⁺⁻]", lambda m: "^" + m.group().translate(_RAISED), formula)
    text = _PHASE.sub("", text).strip().translate(_SUBSCRIPTS)
    if text[-1:] not in ("+", "-", ")", "}"):
        return re.sub(r"\s*\.\s*", ".", text)
    body, charge = _charge(text)
    body = re.sub(r"\s*\.\s*", ".", body.strip())
    sign = "+" if charge > 0 else "-"
    return f"{body}^{abs(charge) if abs(charge) > 1 else ''}{sign}" if charge else body


def _charge(text: str) -> tuple[str, int]:
    """Formula and charge of ``SO42-`` (Formula 2)."""
    for pattern in _CHARGES:
        match = pattern.search(text)
        if match:
            return text[: match.start()], int(match["n"] or 1) * (1 if match["sign"] == "+" else -1)
    match = re.fullmatch(r"(?P<body>.*?)(?P<n>\d*)(?P<sign>[+-])", text)
    if match is None:
        return text, 0
    body, digits, sign = match["body"], match["n"], 1 if match["sign"] == "+" else -1
    if re.fullmatch(r"[A-Z][a-z]?", body) and len(digits) < 2:
        return body, sign * int(digits or 1)
    if len(digits) > 1:
        return body + digits[:-1], sign * int(digits[-1])
    return body + digits, sign


@lru_cache(maxsize=1024)
def _read(formula: str) -> tuple[float, Mapping[str, int], int]:
    """Molar mass, atoms and charge."""
    shown = formula.strip()
    text, _, sign = plain(formula).partition("^")
    if len(text) > 60 or not re.fullmatch(r"[A-Za-z0-9().\[\]]*[A-Z][A-Za-z0-9().\[\]]*", text):
        raise Unreadable(f"“{shown[:30]}” is not a formula{_hint(text)}")
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
        raise Unreadable(f"“{shown[:30]}” is not a formula{_hint(text)}") from trouble
    charge = int((sign[:-1] or "1") if sign else 0) * (-1 if sign.endswith("-") else 1)
    return mass, counted, charge


def _hint(text: str) -> str:
    """What is wrong with it, as far as can be said: an unknown element, a bracket, capitals."""
    for match in re.finditer(r"[A-Z][a-z]*", text):
        symbol = match.group()
        if symbol in ELEMENTS:
            continue
        before = text[match.start() - 1 : match.start()]
        joined = before + symbol.lower()
        meant = f"; {joined} with a small letter is" if before.isupper() and joined in ELEMENTS else ""
        return f": there is no element {symbol}{meant}."
    for opens, closes in ("()", "[]"):
        if text.count(opens) != text.count(closes):
            return f": a bracket {opens if text.count(opens) < text.count(closes) else closes} is missing."
    if text.isalpha() and text.islower():
        return ": elements begin with a capital, as in NaCl."
    odd = re.search(r"[^A-Za-z0-9().\[\]]", text)
    if odd and text and odd.group().isprintable() and not odd.group().isspace():
        return f": “{odd.group()}” does not belong in one."
    return ": write CuSO4·5H2O, for one."


def molar_mass(formula: str) -> float:
    """Molar mass, g/mol.

    Raises:
        Unreadable: it is not a formula; says which part.

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


def charge_of(formula: str) -> int:
    """The charge of an ion in elementary charges; 0 for what is neutral.

    >>> charge_of("SO4^2-"), charge_of("Fe³⁺"), charge_of("NaCl")
    (-2, 3, 0)
    """
    return _read(formula)[2]


def readable(formula: str) -> str:
    """The formula with lowered digits, raised charge and the hydrate's dot: ``CuSO₄·5H₂O``.

    >>> readable("CuSO4.5H2O"), readable("SO42-")
    ('CuSO₄·5H₂O', 'SO₄²⁻')
    """
    body, _, sign = plain(formula).partition("^")
    lowered = re.sub(r"(?<=[A-Za-z)\]])\d+", lambda m: m.group().translate(_LOWER), body)
    return lowered.replace(".", "·") + sign.translate(_UPPER)


@dataclass(frozen=True, slots=True)
class Equation:
    """A balanced equation: formula → how many of it, on each side; formulas in plain signs.

    ``phases`` has the phases that were written, by formula.
    """

    left: Mapping[str, int]
    right: Mapping[str, int]
    phases: Mapping[str, str] = field(default_factory=dict)

    def __str__(self) -> str:
        return " → ".join(
            " + ".join(
                f"{f'{n} ' if n > 1 else ''}{readable(f)}{f'({self.phases[f]})' if f in self.phases else ''}"
                for f, n in side.items()
            )
            for side in (self.left, self.right)
        )


@lru_cache(maxsize=256)
def parse_equation(text: str) -> Equation:
    """Read ``CaCl2 + Na2CO3 -> CaCO3 + 2 NaCl``, as it was given.

    Raises:
        Unreadable: it is not an equation, or it does not balance; says by which element or charge.

    >>> str(parse_equation("2 NaHCO3 -> Na2CO3 + H2O + CO2"))
    '2 NaHCO₃ → Na₂CO₃ + H₂O + CO₂'
    >>> str(parse_equation("Ba2+(aq) + SO4 2-(aq) -> BaSO4(s)"))
    'Ba²⁺(aq) + SO₄²⁻(aq) → BaSO₄(s)'
    """
    equation = _written(text)
    before, after = _atoms_of(equation.left), _atoms_of(equation.right)
    missing = set(before) ^ set(after)
    for element in sorted({*before, *after}, key=lambda e: (e not in missing, e)):
        if before.get(element, 0) != after.get(element, 0):
            raise Unreadable(
                f"The equation does not balance: {element} is {before.get(element, 0)} on the left, "
                f"{after.get(element, 0)} on the right."
            )
    charges = [sum(charge_of(f) * n for f, n in side.items()) for side in (equation.left, equation.right)]
    if charges[0] != charges[1]:
        raise Unreadable(f"The charges do not balance: {charges[0]:+d} on the left, {charges[1]:+d} on the right.")
    return equation


def balance(text: str) -> Equation:
    """The smallest whole numbers that balance an equation; those that were written are not looked at.

    Every element, and the charge where there are ions, gives one linear equation; their
    one-dimensional null space, in exact fractions, is the answer.

    Raises:
        Unreadable: it is not an equation, or nothing balances it, or more than one reaction would.

    >>> str(balance("Al + HCl -> AlCl3 + H2"))
    '2 Al + 6 HCl → 2 AlCl₃ + 3 H₂'
    >>> str(balance("MnO4^- + Fe^2+ + H^+ -> Mn^2+ + Fe^3+ + H2O"))
    'MnO₄⁻ + 5 Fe²⁺ + 8 H⁺ → Mn²⁺ + 5 Fe³⁺ + 4 H₂O'
    """
    written = _written(text)
    left, right = list(written.left), list(written.right)
    answers = _null_space(_conserved(written), len(left) + len(right))
    if not answers:
        raise Unreadable("This equation cannot be balanced: a reactant or product is missing or misspelt.")
    if len(answers) > 1:
        raise Unreadable("This can be balanced in more than one way: it contains two reactions. Enter each separately.")
    counts = _smallest_whole(answers[0], [*left, *right])
    return Equation(
        dict(zip(left, counts, strict=False)), dict(zip(right, counts[len(left) :], strict=True)), written.phases
    )


def _conserved(written: Equation) -> list[list[Fraction]]:
    """A row an element, and one for the charge where there are ions: how much of it each formula holds, the
    right side negative.

    Raises:
        Unreadable: an element is on one side only.
    """
    before, after = _atoms_of(written.left), _atoms_of(written.right)
    for element in sorted(set(before) ^ set(after)):
        side = "left" if element in before else "right"
        raise Unreadable(f"This cannot be balanced: {element} is only on the {side}.")
    columns = [(f, 1) for f in written.left] + [(f, -1) for f in written.right]
    rows = [[Fraction(sign * atoms(f).get(element, 0)) for f, sign in columns] for element in sorted(before)]
    charges = [Fraction(sign * charge_of(f)) for f, sign in columns]
    return [*rows, charges] if any(charges) else rows


def _smallest_whole(numbers: Sequence[Fraction], formulas: Sequence[str]) -> list[int]:
    """The smallest positive whole numbers in these proportions.

    Raises:
        Unreadable: they do not all have one sign, or a number is above 999.
    """
    if all(n <= 0 for n in numbers):
        numbers = [-n for n in numbers]
    odd = next((f for f, n in zip(formulas, numbers, strict=True) if n <= 0), None)
    if odd is not None:
        raise Unreadable(f"This equation cannot be balanced with {readable(odd)} on that side.")
    scale = lcm(*(n.denominator for n in numbers))
    whole = [int(n * scale) for n in numbers]
    common = gcd(*whole)
    counts = [n // common for n in whole]
    if max(counts) > 999:
        raise Unreadable("This needs coefficients above 999: check the formulas for a misspelling.")
    return counts


def _null_space(rows: list[list[Fraction]], width: int) -> list[list[Fraction]]:
    """A basis of the vectors that every row takes to zero, by Gauss–Jordan elimination."""
    rows, pivots = [row[:] for row in rows], list[int]()
    for column in range(width):
        at = len(pivots)
        pivot = next((i for i in range(at, len(rows)) if rows[i][column]), None)
        if pivot is None:
            continue
        rows[at], rows[pivot] = rows[pivot], rows[at]
        lead = rows[at][column]
        rows[at] = [value / lead for value in rows[at]]
        for i, row in enumerate(rows):
            if i != at and row[column]:
                factor = row[column]
                rows[i] = [a - factor * b for a, b in zip(row, rows[at], strict=True)]
        pivots.append(column)
    basis = []
    for free in (c for c in range(width) if c not in pivots):
        vector = [Fraction(0)] * width
        vector[free] = Fraction(1)
        for i, pivot in enumerate(pivots):
            vector[pivot] = -rows[i][free]
        basis.append(vector)
    return basis


def _written(text: str) -> Equation:
    """The two sides as they stand, whether they balance or not."""
    sides = _ARROW.split(text.strip())
    if len(sides) != 2 or not all(sides):
        raise Unreadable("Enter two sides with an arrow, such as CaCl2 + Na2CO3 -> CaCO3 + 2 NaCl.")
    phases: dict[str, str] = {}
    left, right = (_side(side, phases) for side in sides)
    if len(left) + len(right) > MAX_SPECIES:
        raise Unreadable(f"Enter at most {MAX_SPECIES} formulas.")
    return Equation(left, right, phases)


def _side(text: str, phases: dict[str, str]) -> dict[str, int]:
    found: dict[str, int] = {}
    # A phase in brackets would look like the beginning of a formula after a charge's plus.
    marked = _PHASE.sub(lambda m: f"{{{m[1] or _ARROW_PHASE[m[2]]}}}", text.strip())
    for term in re.split(r"\s\+\s|\s*\+\s*(?=[\dA-Z(\[])", marked):
        bare, _, phase = term.strip().rstrip("}").partition("{")
        match = _TERM.fullmatch(bare.strip())
        if match is None:
            raise Unreadable(f"“{bare.strip()[:30]}” in the equation is not a formula.")
        formula = plain(match["formula"])
        _read(formula)
        if phase:
            phases[formula] = phase
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


def supplies(formula: str, species: str) -> int:
    """How many of an equation's *species* one unit of a substance brings: a salt brings its ions.

    The same thing brings one, also as a hydrate. An ion is looked for as a group of its own in the
    formula as it is written: chlorate brings no chloride, permanganate no manganese(II), water no
    hydroxide. Hydrogen counts only where it stands first, as acids are written.

    >>> supplies("BaCl2·2H2O", "Ba^2+"), supplies("(NH4)2SO4", "NH4+"), supplies("CaCl2·2H2O", "CaCl2")
    (1, 2, 1)
    >>> supplies("NaCl", "SO4^2-"), supplies("KClO3", "Cl^-"), supplies("H2O", "OH^-"), supplies("H2SO4", "H^+")
    (0, 0, 0, 2)
    """
    salt, body = plain(formula).split(".")[0], plain(species).split(".")[0]
    if salt == body:
        return 1
    if charge_of(species) == 0 or charge_of(formula) != 0:
        return 0
    group = re.escape(body.partition("^")[0])
    single = re.fullmatch(r"[A-Z][a-z]?", body.partition("^")[0]) is not None
    if single:
        # An element before oxygen is part of an oxo-ion, unless the whole is an oxide.
        start = "^" if group == "H" else ""
        found = re.search(rf"{start}{group}(?![a-z])(\d*)(?!\d)(?!O)", salt)
        found = found or re.fullmatch(rf"{group}(\d*)O\d*", salt)
        return int(found[1] or 1) if found else 0
    found = re.search(rf"\({group}\)(\d*)|{group}(?![a-z\d])()", salt)
    return int(found[1] or found[2] or 1) if found else 0
