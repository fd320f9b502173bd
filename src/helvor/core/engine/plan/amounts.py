"""Amounts for a class, and the factor that brings a procedure to a wanted amount."""

from __future__ import annotations

from dataclasses import dataclass

from helvor.core.laws.spare import SPARE
from helvor.core.quantities.reading import Reading, Unreadable
from helvor.core.record.procedure import Procedure, Substance, scaled, scaled_amount


@dataclass(frozen=True, slots=True)
class ClassAmount:
    """Of one substance: per bench, for all benches, to spare, and in all; g or mL, *unit* says which."""

    bench: Reading
    benches: float
    spare: float
    total: float
    unit: str


def class_amount(substance: Substance, benches: int) -> ClassAmount | None:
    """What a class of so many benches needs, rounded to what can be measured; None without a target."""
    if substance.amount is None:
        return None
    all_of_it = substance.amount.value * benches
    total = scaled_amount(substance.amount, benches * (1 + SPARE)).value
    return ClassAmount(substance.amount, all_of_it, total - all_of_it, total, substance.amount.unit)


def factor_for(procedure: Procedure, substance: str, wanted: Reading) -> float:
    """What to scale by so that a bench takes the wanted amount of a substance.

    Raises:
        Unreadable: the substance has no target in that unit, or the factor makes no sense.
    """
    target = procedure.substance(substance)
    if target is None or target.amount is None or target.amount.unit != wanted.unit or not target.amount.value:
        raise Unreadable(f"Choose a substance with an amount in {wanted.unit}.")
    factor = wanted.value / target.amount.value
    scaled(procedure, factor)
    return factor
