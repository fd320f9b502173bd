"""Numbers with uncertainty that remember where it came from.

Two nets that share a tare are not independent, nor are a portion and the total it is
part of. A :class:`Measured` therefore keeps the contribution of every reading under the
reading's own name; adding, subtracting, multiplying and dividing combine contributions
of the same name before they are squared.
"""

from __future__ import annotations

import math
from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field

from helvor.core.quantities.reading import Estimate, round_to, round_up_to


@dataclass(frozen=True, slots=True)
class Measured:
    """A value with the contributions to its standard uncertainty.

    Attributes:
        value: in any one unit.
        parts: name of an independent source → its signed contribution (sensitivity times
            standard uncertainty), in the value's unit.
        decimals: of a sum of readings, the most that any of them had, so that a result never
            shows digits that no instrument gave; None for products and quotients.

    Source: first-order propagation with a shared input counted once, JCGM 100:2008, 5.1.2.

    >>> tare = Measured.read(30.0, 0.003, "tare")
    >>> a, b = Measured.read(31.0, 0.003, "a") - tare, Measured.read(32.0, 0.003, "b") - tare
    >>> round((b - a).u, 6) == round(0.003 * math.sqrt(2), 6)
    True
    """

    value: float
    parts: Mapping[str, float] = field(default_factory=dict)
    decimals: int | None = None

    @classmethod
    def read(cls, value: float, u: float, source: str, decimals: int | None = None) -> Measured:
        """A value from one independent source with its standard uncertainty *u*."""
        return cls(value, {source: u} if u else {}, decimals)

    @property
    def u(self) -> float:
        """Standard uncertainty: the contributions in quadrature."""
        return math.sqrt(sum(part * part for part in self.parts.values()))

    @property
    def estimate(self) -> Estimate:
        """Value and uncertainty alone."""
        return Estimate(value=self.value, u=self.u)

    def _combined(
        self, other: Measured, value: float, by_self: float, by_other: float, decimals: int | None = None
    ) -> Measured:
        parts = {name: by_self * part for name, part in self.parts.items()}
        for name, part in other.parts.items():
            parts[name] = parts.get(name, 0.0) + by_other * part
        return Measured(value, parts, decimals)

    def __add__(self, other: Measured | float) -> Measured:
        other = _measured(other)
        return self._combined(other, self.value + other.value, 1.0, 1.0, _most(self, other))

    __radd__ = __add__

    def __sub__(self, other: Measured | float) -> Measured:
        other = _measured(other)
        return self._combined(other, self.value - other.value, 1.0, -1.0, _most(self, other))

    def __mul__(self, other: Measured | float) -> Measured:
        other = _measured(other)
        return self._combined(other, self.value * other.value, other.value, self.value)

    __rmul__ = __mul__

    def __truediv__(self, other: Measured | float) -> Measured:
        """Quotient.

        Raises:
            ZeroDivisionError: *other* is zero.
        """
        other = _measured(other)
        return self._combined(
            other, self.value / other.value, 1 / other.value, -self.value / (other.value * other.value)
        )


def _measured(value: Measured | float) -> Measured:
    return value if isinstance(value, Measured) else Measured(float(value))


def _most(a: Measured, b: Measured) -> int | None:
    known = [one.decimals for one in (a, b) if one.decimals is not None]
    return max(known, default=None)


def total(values: Iterable[Measured]) -> Measured:
    """The sum, 0 exactly for nothing."""
    value, parts, decimals = 0.0, dict[str, float](), None
    for one in values:
        value += one.value
        if one.decimals is not None:
            decimals = max(decimals or 0, one.decimals)
        for name, part in one.parts.items():
            parts[name] = parts.get(name, 0.0) + part
    return Measured(value, parts, decimals)


def decimals_for(u: float, *, most: int = 6) -> int:
    """Decimals that an uncertainty allows: down to the place of its first digit.

    >>> decimals_for(0.0058), decimals_for(0.3), decimals_for(12.0)
    (3, 1, 0)
    """
    if u <= 0 or not math.isfinite(u):
        return most
    return min(most, max(0, -math.floor(math.log10(u) + 1e-9)))


def _places(number: Measured | Estimate, most: int) -> int:
    read = number.decimals if isinstance(number, Measured) else None
    return decimals_for(number.u, most=most if read is None else min(most, read))


def shown(number: Measured | Estimate, *, most: int = 6) -> str:
    """The value with the digits that its uncertainty allows, and none that nobody read: ``1.312``.

    >>> shown(Measured.read(1.0, 0.0004, "net", decimals=3))
    '1.000'
    """
    return round_to(number.value, _places(number, most)).replace("-", "−")


def shown_with_u(number: Measured | Estimate, *, most: int = 6) -> str:
    """``1.312 ± 0.006``; without uncertainty only the value. The uncertainty is rounded up."""
    if number.u <= 0:
        return shown(number, most=most)
    return f"{shown(number, most=most)} ± {round_up_to(number.u, _places(number, most))}"
