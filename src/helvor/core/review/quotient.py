"""The sum that a question asks for, kept as people write it: sums of readings over sums of readings.

Everything that a bench works out by hand is a product and quotient of a few numbers, each a reading or a
reading with others taken off: a net over a net, a distance over a distance, a mass over a molar mass. Kept in
this shape a sum can be worked out, shown with its numbers, and **done wrong on purpose** in the ways of
:mod:`helvor.core.review.common_mistakes`.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Iterable
from dataclasses import dataclass, replace

from helvor.core.quantities.reading import round_to


@dataclass(frozen=True, slots=True)
class Term:
    """A number in a factor: its name, its value and what that is multiplied with (−1 takes it off).

    ``decimals`` are those to show it with.
    """

    name: str
    value: float
    coefficient: float = 1.0
    decimals: int = 3

    @property
    def amount(self) -> float:
        return self.coefficient * self.value


@dataclass(frozen=True, slots=True)
class Factor:
    """A sum of terms that stands as one number in the quotient."""

    name: str
    terms: tuple[Term, ...]

    @property
    def value(self) -> float:
        return math.fsum(term.amount for term in self.terms)

    @property
    def shown(self) -> str:
        """``(31.820 − 31.062)``, or the bare number."""
        words: list[str] = []
        for term in self.terms:
            size = abs(term.coefficient)
            number = round_to(term.value, term.decimals)
            if abs(size - 1.0) > 1e-12:
                number += f" × {size:.4g}"
            words.append(("− " if term.coefficient < 0 else "+ " if words else "") + number)
        text = " ".join(words)
        return f"({text})" if len(self.terms) > 1 else text


def one(name: str, value: float, decimals: int = 3) -> Factor:
    """A factor of one number."""
    return Factor(name, (Term(name, value, 1.0, decimals),))


@dataclass(frozen=True, slots=True)
class Quotient:
    """top × … ÷ (under × …) × times.

    Attributes:
        times: a number by definition: 100 for per cent, 0.001 for litres from millilitres.
        places: decimals that every factor is rounded to before it is used; None for not at all.
        digits: the same, in digits that count.
    """

    top: tuple[Factor, ...]
    under: tuple[Factor, ...] = ()
    times: float = 1.0
    places: int | None = None
    digits: int | None = None

    @property
    def factors(self) -> tuple[Factor, ...]:
        return (*self.top, *self.under)

    def _used(self, factor: Factor) -> float:
        value = factor.value
        if self.places is not None:
            return float(round_to(value, self.places))
        if self.digits is not None and value:
            return float(f"{value:.{self.digits}g}")
        return value

    @property
    def value(self) -> float | None:
        """The number; None where it would be divided by nothing."""
        under = math.prod(self._used(factor) for factor in self.under)
        if under == 0:
            return None
        return self.times * math.prod(self._used(factor) for factor in self.top) / under

    @property
    def shown(self) -> str:
        """The sum with its numbers, without the outcome: ``(0.895 + 0.212) ÷ 1.001``."""

        def word(factor: Factor) -> str:
            if self.places is not None or self.digits is not None:
                return f"{self._used(factor):.6g}"
            return factor.shown

        text = " × ".join(word(factor) for factor in self.top) or "1"
        for factor in self.under:
            text += f" ÷ {word(factor)}"
        if self.times not in (1.0, 100.0):
            text += f" × {self.times:g}"
        return text

    def has(self, name: str) -> bool:
        return any(factor.name == name for factor in self.factors)

    def changed(self, name: str, how: Callable[[Factor], Factor | None]) -> Quotient:
        """The same with the factors of a name changed; None takes one out."""

        def each(factors: Iterable[Factor]) -> tuple[Factor, ...]:
            made = (how(factor) if factor.name == name else factor for factor in factors)
            return tuple(factor for factor in made if factor is not None)

        return replace(self, top=each(self.top), under=each(self.under))

    def without(self, name: str, term: str = "") -> Quotient:
        """The same without a factor, or without one term of it."""
        if not term:
            return self.changed(name, lambda factor: None)
        return self.changed(name, lambda f: replace(f, terms=tuple(t for t in f.terms if t.name != term)))

    def inverted(self) -> Quotient:
        """Upside down; what it is multiplied with by definition stays."""
        return replace(self, top=self.under, under=self.top)
