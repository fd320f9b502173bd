"""What an equation makes of the amounts that were really taken.

Reaction 1. The limiting reagent is the one whose amount, divided by its number in the
            equation, is least. A reagent whose amount is not known limits nothing.
Reaction 2. What is left of each reagent, and what can be made of each product, follow from
            that one number, with the uncertainty of the readings it hangs on.
"""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import dataclass

from helvor.core.quantities.formula import Equation, molar_mass, readable, supplies
from helvor.core.quantities.measured import Measured, shown, shown_with_u
from helvor.core.quantities.reading import Reading, Unreadable, digits, round_to
from helvor.core.quantities.working import WorkingLine


@dataclass(frozen=True, slots=True)
class Outcome:
    """What a reaction can give.

    Attributes:
        limiting: formula of the reagent that runs out first.
        extent: how many mol of the equation as written can happen.
        left: formula → mol that stay over, of every reagent whose amount is known.
        made: formula → mol possible, of every product.
        excess: formula → part above what the limiting reagent needs; 0.5 is half as much again.
    """

    limiting: str
    extent: Measured
    left: Mapping[str, Measured]
    made: Mapping[str, Measured]
    excess: Mapping[str, float]

    def mass(self, formula: str) -> Measured:
        """The most of a product that is possible, g.

        Raises:
            KeyError: the equation does not make it.
        """
        return self.made[formula] * molar_mass(formula)


def react(equation: Equation, amounts: Mapping[str, Measured]) -> Outcome:
    """The outcome of the amounts taken (Reaction 1 and 2).

    Args:
        equation: balanced.
        amounts: reagent's formula as the equation has it → mol taken; those not known are left out.

    Raises:
        Unreadable: no amount of any reagent is known, or one is not above zero.

    >>> from helvor.core.quantities.formula import parse_equation
    >>> outcome = react(parse_equation("2 Al + 6 HCl -> 2 AlCl3 + 3 H2"), {"Al": Measured(0.1), "HCl": Measured(0.2)})
    >>> outcome.limiting, round(outcome.made["H2"].value, 3), round(outcome.left["Al"].value, 4)
    ('HCl', 0.1, 0.0333)
    """
    known = {formula: amounts[formula] for formula in equation.left if formula in amounts}
    if not known:
        names = " or ".join(readable(f) for f in equation.left)
        raise Unreadable(f"Enter the amount of at least one reagent: {names}.")
    for formula, amount in known.items():
        if amount.value <= 0:
            raise Unreadable(f"Enter an amount of {readable(formula)} above zero.")
    rooms = {formula: amount * (1 / equation.left[formula]) for formula, amount in known.items()}
    limiting = min(rooms, key=lambda formula: (rooms[formula].value, formula))
    extent = rooms[limiting]
    return Outcome(
        limiting,
        extent,
        {
            formula: Measured(0.0) if formula == limiting else amount - extent * equation.left[formula]
            for formula, amount in known.items()
        },
        {formula: extent * count for formula, count in equation.right.items()},
        {formula: room.value / extent.value - 1 for formula, room in rooms.items() if formula != limiting},
    )


@dataclass(frozen=True, slots=True)
class Obtained:
    """A product weighed against what was possible: ``part`` of it, and whether it is more beyond doubt."""

    part: Measured
    too_much: bool
    working: WorkingLine


def obtained(outcome: Outcome, formula: str, mass: Reading) -> Obtained:
    """The yield of a product, weighed with the tare button (two indications).

    Raises:
        KeyError: the equation does not make it.
    """
    got = Measured.read(mass.value, mass.resolution / math.sqrt(6), "obtained", mass.decimals)
    possible = outcome.mass(formula)
    part, over = got / possible, got - possible
    says = f"{shown(got)} ÷ {shown(possible)} g = {shown_with_u(part * 100)} %"
    return Obtained(part, over.value > 2 * over.u, WorkingLine("Percent yield", says))


@dataclass(frozen=True, slots=True)
class Needed:
    """A reagent to take: ``amount`` mol, ``mass`` g, and the arithmetic."""

    amount: float
    mass: float
    working: tuple[WorkingLine, ...]


def reagent_for(equation: Equation, have: str, amount: float, reagent: str, times: float = 1.0) -> Needed:
    """How much of a reagent to weigh for an amount of another, in the form it is bought in.

    Args:
        have: formula, as the equation has it, of what it is weighed for.
        amount: of that, mol.
        reagent: formula as bought, hydrate water and all: ``BaCl2·2H2O`` for ``Ba^2+`` or ``BaCl2``.
        times: of what the equation asks for; 2 is twice the amount.

    Raises:
        Unreadable: an amount is not above zero, or the equation does not use one of the two.

    >>> from helvor.core.quantities.formula import parse_equation
    >>> round(reagent_for(parse_equation("Ba2+ + SO4^2- -> BaSO4"), "SO4^2-", 0.002, "BaCl2·2H2O", 2).mass, 3)
    0.977
    """
    if amount <= 0 or times <= 0:
        raise Unreadable("Enter an amount and a factor above zero.")
    of = next((f for f in equation.left if f == have or supplies(have, f)), None)
    if of is None:
        raise Unreadable(f"{readable(have)} is not on the left of the equation.")
    into = next((f for f in equation.left if f != of and supplies(reagent, f)), None)
    if into is None:
        raise Unreadable(f"{readable(reagent)} contains no reactant of the equation.")
    brings, ratio = supplies(reagent, into), equation.left[into] / equation.left[of]
    mol = amount * supplies(have, of) * ratio * times / brings
    mass = mol * molar_mass(reagent)
    per = f" ÷ {brings}" if brings > 1 else ""
    share = f"{equation.left[into]} ÷ {equation.left[of]}"
    return Needed(
        mol,
        mass,
        (
            WorkingLine(
                f"{readable(into)} needed, × {times:g}",
                f"{_mol(amount * supplies(have, of))} mol × {share} × {times:g} = {_mol(mol * brings)} mol",
            ),
            WorkingLine(
                f"{readable(reagent)} to weigh",
                f"{_mol(mol * brings)} mol{per} × {round_to(molar_mass(reagent), 2)} g/mol = {digits(mass)} g",
            ),
        ),
    )


def _mol(value: float) -> str:
    return digits(value, 4)


def outcome_working(equation: Equation, amounts: Mapping[str, Measured], outcome: Outcome) -> list[WorkingLine]:
    """The arithmetic of an outcome with the numbers put in."""
    lines = []
    for formula, amount in amounts.items():
        count = equation.left.get(formula)
        if count is not None and count > 1:
            lines.append(
                WorkingLine(
                    f"{readable(formula)} ÷ its coefficient",
                    f"{shown(amount)} mol ÷ {count} = {shown(amount * (1 / count))} mol",
                )
            )
    for formula, left in outcome.left.items():
        if formula != outcome.limiting:
            used = outcome.extent * equation.left[formula]
            lines.append(
                WorkingLine(
                    f"{readable(formula)} left over",
                    f"{shown(amounts[formula])} − {shown(used)} mol = {shown(left)} mol",
                )
            )
    for formula, made in outcome.made.items():
        mass = shown_with_u(outcome.mass(formula))
        lines.append(
            WorkingLine(
                f"Theoretical yield of {readable(formula)}",
                f"{shown(made)} mol × {round_to(molar_mass(formula), 2)} g/mol = {mass} g",
            )
        )
    return lines
