"""What was read, as figures that leave in tables: every kind of reading by the one shape."""

from __future__ import annotations

import math
from dataclasses import dataclass

from helvor.core.quantities.reading import Reading, round_to


@dataclass(frozen=True, slots=True)
class Figure:
    """One number, or one outcome in words, of a reading.

    Attributes:
        quantity: what was read: ``melting starts``.
        value: as a number in *unit*; None where it is an outcome.
        unit: empty for a number without one.
        resolution: the step of the last digit that was written, where it is known.
        words: the outcome, or what qualifies the number.
        of: what it was read of: a portion, a substance, a container, tubes.
    """

    quantity: str
    value: float | None = None
    unit: str = ""
    resolution: float | None = None
    words: str = ""
    of: str = ""

    @property
    def shown(self) -> str:
        """The number with the decimals that were read, and its unit; empty for an outcome.

        >>> Figure("mass", 12.5, "g", 0.001).shown, Figure("pH", 4.2).shown, Figure("trial", words="clear").shown
        ('12.500 g', '4.2', '')
        """
        if self.value is None:
            return ""
        decimals = max(0, -math.floor(math.log10(self.resolution) + 1e-9)) if self.resolution else None
        number = f"{self.value:g}" if decimals is None else round_to(self.value, decimals)
        return f"{number} {self.unit}".rstrip()


def figure_of(quantity: str, reading: Reading | None, of: str = "", words: str = "") -> tuple[Figure, ...]:
    """A reading as typed; nothing where none was made."""
    if reading is None:
        return ()
    return (Figure(quantity, reading.value, reading.unit, reading.resolution, words, of),)


def outcome(quantity: str, words: str, of: str = "") -> tuple[Figure, ...]:
    """Something seen; nothing where there are no words."""
    return (Figure(quantity, words=words, of=of),) if words else ()


def value_of(quantity: str, value: float | None, unit: str = "", of: str = "", words: str = "") -> tuple[Figure, ...]:
    """A number that carries no digits of its own; nothing where none was read."""
    return () if value is None else (Figure(quantity, value, unit, words=words, of=of),)
