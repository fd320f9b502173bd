"""Making a solution to volume, and diluting one.

Solution 1. A solution is made up *to* its volume; solid plus the full volume of water gives more.
Solution 2. Flask and pipette sizes are those that are made (ISO 1042 and ISO 648, from memory).
"""

from __future__ import annotations

from dataclasses import dataclass

from helvor.core.quantities.formula import molar_mass, readable
from helvor.core.quantities.reading import Unreadable, digits, round_to
from helvor.core.quantities.working import WorkingLine

FLASKS = (5, 10, 20, 25, 50, 100, 200, 250, 500, 1000, 2000)
"""Volumetric flasks, mL. ISO 1042, from memory."""
PIPETTES = (1, 2, 5, 10, 15, 20, 25, 50, 100)
"""Single-volume pipettes, mL. ISO 648, from memory."""
CONCENTRATED = 6.0
"""mol/L from which a stock is diluted in a beaker in ice, not in the flask. Common practice."""
STRONGEST = 30.0
"""No solution on a bench is more concentrated, mol/L."""


@dataclass(frozen=True, slots=True)
class Made:
    """A solution to make: ``mass`` g of solid, or ``volume`` mL of the stronger one, and in which glass."""

    amount: float
    glass: str
    how: tuple[str, ...]
    working: tuple[WorkingLine, ...]


def flask_for(volume: float) -> tuple[int, bool]:
    """The flask that a volume (mL) is made up in, and whether it is that volume exactly.

    Raises:
        Unreadable: the volume is not above zero, or larger than the largest flask.

    >>> flask_for(250), flask_for(180)
    ((250, True), (200, False))
    """
    if not 0 < volume <= FLASKS[-1]:
        raise Unreadable(f"Enter a volume above 0 and up to {FLASKS[-1]} mL.")
    size = next(size for size in FLASKS if size >= volume * 0.999)
    return size, abs(size - volume) < 0.001 * size


def to_make(molar: float, volume: float, formula: str, fraction: float = 1.0) -> Made:
    """Solid to weigh for a solution: m = c · V · M ÷ w.

    Args:
        molar: wanted, mol/L.
        volume: mL.
        formula: as bought, hydrate water and all.
        fraction: mass fraction of it in what is weighed.

    Raises:
        Unreadable: a number is not above zero or outside reason.

    >>> round(to_make(0.25, 500, "BaCl2·2H2O").amount, 2)
    30.53
    """
    _reasonable(molar)
    if not 0 < fraction <= 1:
        raise Unreadable("Enter a mass fraction above 0 and up to 1.")
    size, exact = flask_for(volume)
    mass = molar * volume / 1000 * molar_mass(formula) / fraction
    pure = f" ÷ {fraction:g}" if fraction < 1 else ""
    # A volumetric flask has one mark; any other volume is a cylinder's, and less exact.
    vessel = f"{size} mL {'volumetric flask' if exact else 'measuring cylinder'}"
    glass = vessel if exact else f"{vessel}, to {volume:g} mL"
    return Made(
        mass,
        glass,
        (
            f"Weigh {digits(mass, 4)} g of {readable(formula)} and record what the balance shows.",
            f"Dissolve in about {round_to(volume * 0.6, 0)} mL of water, let it come to room temperature.",
            f"Rinse into the {vessel} and make up to {volume:g} mL, meniscus at eye level; mix.",
            "Label it: contents, actual concentration, date, hazard, who made it.",
        ),
        (
            WorkingLine(
                f"{readable(formula)} to weigh",
                f"{molar:g} mol/L × {volume / 1000:g} L × {round_to(molar_mass(formula), 2)} g/mol{pure} "
                f"= {digits(mass, 4)} g",
            ),
        ),
    )


def dilute(stock: float, wanted: float, volume: float) -> Made:
    """Volume of a stronger solution for a weaker one: V₁ = c₂ · V₂ ÷ c₁.

    Args:
        stock, wanted: mol/L.
        volume: of the weaker one, mL.

    Raises:
        Unreadable: the stock is not the stronger one, or a number is outside reason.

    >>> dilute(2.0, 0.5, 100).amount
    25.0
    """
    _reasonable(stock)
    _reasonable(wanted)
    if wanted >= stock:
        raise Unreadable(f"{wanted:g} mol/L cannot be made from {stock:g} mol/L: enter a stronger stock solution.")
    size, exact = flask_for(volume)
    take = wanted * volume / stock
    if stock >= CONCENTRATED:
        return _from_concentrated(stock, wanted, volume, take, size, exact)
    pipette = any(abs(take - p) < 0.001 * p for p in PIPETTES)
    measure = f"{take:g} mL pipette" if pipette else "burette" if take <= 50 else "measuring cylinder"
    glass = f"{size} mL volumetric flask" if exact else f"{size} mL cylinder, to {volume:g} mL"
    return Made(
        take,
        glass,
        (
            f"Measure {digits(take, 4)} mL of the {stock:g} mol/L solution with a {measure}.",
            f"Into the {glass} with some water in it already (acid into water), then up to the mark; mix.",
        ),
        (WorkingLine("To measure", f"{wanted:g} mol/L × {volume:g} mL ÷ {stock:g} mol/L = {digits(take, 4)} mL"),),
    )


def _from_concentrated(stock: float, wanted: float, volume: float, take: float, size: int, exact: bool) -> Made:
    """A concentrated acid or base: never straight into the flask, where it cannot cool."""
    glass = f"{size} mL volumetric flask" if exact else f"{size} mL cylinder, to {volume:g} mL"
    return Made(
        take,
        glass,
        (
            f"In the hood, with goggles and gloves: measure {digits(take, 4)} mL of the {stock:g} mol/L solution "
            "with a measuring cylinder.",
            f"Pour it slowly, stirring, into about {round_to(0.7 * (volume - take), 0)} mL of water in a beaker that "
            "is cooled in ice: acid into water, never the other way round.",
            f"Let it come to room temperature, rinse it into the {glass}, then up to the mark; mix.",
            "This is a working solution; if its exact concentration matters, titrate it.",
        ),
        (WorkingLine("To measure", f"{wanted:g} mol/L × {volume:g} mL ÷ {stock:g} mol/L = {digits(take, 4)} mL"),),
    )


def _reasonable(molar: float) -> None:
    if not 0 < molar <= STRONGEST:
        raise Unreadable(f"Enter a concentration above 0 and up to {STRONGEST:g} mol/L.")
