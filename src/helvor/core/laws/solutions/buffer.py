"""Buffers of a weak acid and its conjugate base.

Buffer 1. pH = pKa + log10(base ÷ acid) (Henderson–Hasselbalch), with concentrations for activities.
Buffer 2. Capacity β = ln 10 · (C·K·h ÷ (K + h)² + h + Kw ÷ h) (Van Slyke 1922, J. Biol. Chem. 52, 525).
"""

from __future__ import annotations

from dataclasses import dataclass
from math import log

from helvor.core.quantities.reading import Unreadable, digits

REACH = 1.0
"""pH units on either side of pKa within which a buffer holds. Common practice."""
KW = 1e-14
"""Ion product of water at 25 °C. Handbook value, from memory."""


@dataclass(frozen=True, slots=True)
class Buffer:
    """A buffer to make.

    Attributes:
        ratio: base over acid; acid, base: mol of each in it.
        capacity: mol of strong acid or base for a litre and one pH unit, near its pH.
        reaches: whether its pH lies within the reach of its pKa.
    """

    ratio: float
    acid: float
    base: float
    capacity: float
    reaches: bool


def buffer(pka: float, ph: float, molar: float, volume: float) -> Buffer:
    """A buffer of *molar* mol/L (acid and base together) and *volume* mL at a pH.

    Raises:
        Unreadable: a number cannot be meant, or the pair cannot hold that pH.

    >>> found = buffer(4.76, 5.0, 0.10, 500)
    >>> round(found.ratio, 2), round(1000 * found.base, 1), round(1000 * found.acid, 1)
    (1.74, 31.7, 18.3)
    """
    if molar <= 0 or volume <= 0:
        raise Unreadable("Enter a concentration and a volume above 0.")
    if not 0 <= ph <= 14:
        raise Unreadable("Enter a pH from 0 to 14.")
    if abs(ph - pka) > 3:
        raise Unreadable(
            f"pH {digits(ph)} is {digits(abs(ph - pka), 2)} from this pKa: enter another acid, with a pKa within 1 of "
            "the pH."
        )
    ratio = 10 ** (ph - pka)
    whole = molar * volume / 1000
    base = whole * ratio / (1 + ratio)
    h, k = 10**-ph, 10**-pka
    capacity = log(10) * (molar * k * h / (k + h) ** 2 + h + KW / h)
    return Buffer(ratio, whole - base, base, capacity, abs(ph - pka) <= REACH)


def after_adding(pka: float, made: Buffer, strong: float) -> float:
    """pH after *strong* mol of strong base (negative: of strong acid) in the whole buffer.

    Raises:
        Unreadable: it is more than the buffer holds.

    >>> round(after_adding(4.76, buffer(4.76, 5.0, 0.10, 500), 0.005), 2)
    5.2
    """
    acid, base = made.acid - strong, made.base + strong
    if acid <= 0 or base <= 0:
        raise Unreadable("This is more strong acid or base than the buffer holds: enter less.")
    return pka + log(base / acid) / log(10)
