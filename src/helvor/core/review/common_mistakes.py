"""The usual mistakes, and which of them reproduces a number.

Mistake 1. A mistake is a change of the sum: a term left out, another number in its place, upside down. It is held
        against a wrong answer by working the sum out so.
Mistake 2. Two mistakes at once are two changes that do not touch the same place.
Mistake 3. One is named only if its number matches the answer within rounding and no other is as near. One mistake
        goes before two: it takes less to explain.
Mistake 4. *Within rounding* is half of the last digit written; carried digits cost half a per mille more.

The list is common practice, no source.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator, Sequence
from dataclasses import dataclass, replace
from itertools import combinations

from helvor.core.review.quotient import Quotient

CARRIED = 0.0005
"""What rounding on the way may add, as a part of the number (Mistake 4). Common practice, no source."""

WORDS: dict[str, str] = {
    "inverted": "ratio inverted",
    "from-edge": "distances measured from the plate's bottom edge",
    "front-top": "top of the plate used as the front",
    "paper-tare": "paper tare forgotten",
    "dish-tare": "dish tare forgotten",
    "wet": "wet mass used",
    "not-last": "an earlier weighing used instead of the last",
    "target": "amount of the handout used instead of the amount taken",
    "ml-as-g": "mL used as g",
    "ml-not-l": "mL not converted to L",
    "hydrate": "water of hydration ignored",
    "ion": "molar mass of the ion used instead of the salt's",
    "ratio-ignored": "mole ratio ignored",
    "ratio-inverted": "mole ratio inverted",
    "excess": "reagent in excess treated as limiting",
    "on-sample": "based on mass used, not on theoretical yield",
    "whole-mixture": "divided by the whole mixture",
    "percent": "not multiplied by 100",
    "early": "rounded too early",
    "factor": "mass of the precipitate used without the gravimetric factor",
    "factor-inverted": "gravimetric factor inverted",
    "left-out": "a portion not counted",
    "share": "aliquot not scaled to the whole",
    "form": "grams compared although the compound changed",
    "parts": "parts exchanged",
    "reagent-form": "molar mass not used",
}
"""Key of a mistake → what to call it."""


@dataclass(frozen=True, slots=True)
class Mistake:
    """A mistake that can be made in a certain sum.

    Attributes:
        key: in :data:`WORDS`; detail: what it was made with, where there are several.
        does: the sum with the mistake in it.
        touches: places of the sum that it changes; two mistakes that share one are not combined.
    """

    key: str
    does: Callable[[Quotient], Quotient]
    touches: frozenset[str]
    detail: str = ""

    @property
    def words(self) -> str:
        return f"{WORDS[self.key]}{f' ({self.detail})' if self.detail else ''}"


def mistake(key: str, does: Callable[[Quotient], Quotient], *touches: str, detail: str = "") -> Mistake:
    """A mistake; its places as separate words."""
    return Mistake(key, does, frozenset(touches), detail)


def outcome_mistakes(quotient: Quotient) -> Iterator[Mistake]:
    """Mistakes that any quotient allows: upside down, per cent, rounding on the way."""
    if quotient.under and quotient.top:
        yield mistake("inverted", lambda q: q.inverted(), "outcome")
    if quotient.times == 100:
        yield mistake("percent", lambda q: replace(q, times=1.0), "times")
    for places in (1, 2):
        yield mistake("early", lambda q, n=places: replace(q, places=n), "rounding")  # type: ignore[misc]
    for digits in (1, 2):
        yield mistake("early", lambda q, n=digits: replace(q, digits=n), "rounding")  # type: ignore[misc]


@dataclass(frozen=True, slots=True)
class Explained:
    """A number with mistakes in it that an answer matches.

    Attributes:
        mistakes: one or two; value: what the sum gives with them; shown: that sum.
        off: how far the answer is from it, beyond the rounding of its last digit; 0 within.
    """

    mistakes: tuple[Mistake, ...]
    value: float
    shown: str
    off: float

    @property
    def words(self) -> str:
        return " and ".join(one.words for one in self.mistakes)

    @property
    def keys(self) -> tuple[str, ...]:
        return tuple(one.key for one in self.mistakes)


def _tried(
    quotient: Quotient, mistakes: Iterable[tuple[Mistake, ...]], answer: float, resolution: float
) -> list[Explained]:
    found = []
    for made in mistakes:
        sum_ = quotient
        # Upside down last, so that the others still find their numbers where they stood.
        for one in sorted(made, key=lambda s: s.touches == {"outcome"}):
            sum_ = one.does(sum_)
        value = sum_.value
        if value is None or sum_ == quotient or value <= 0:
            continue
        off = max(0.0, abs(answer - value) - resolution / 2 * (1 + 1e-9))
        # Who rounded on the way says so: nothing more is allowed for it.
        carried = 0.0 if any(one.key == "early" for one in made) else CARRIED
        if off <= carried * value:
            found.append(Explained(made, value, sum_.shown, off))
    return found


def pairs(mistakes: Sequence[Mistake]) -> Iterator[tuple[Mistake, ...]]:
    """Two at a time that do not touch the same place (Mistake 2)."""
    for a, b in combinations(mistakes, 2):
        if not a.touches & b.touches and (a.key, a.detail) != (b.key, b.detail):
            yield a, b


def explain(quotient: Quotient, mistakes: Sequence[Mistake], answer: float, resolution: float) -> Explained | None:
    """The mistake, or the two, that give the answer (Mistake 3); None where none does or several could.

    Args:
        answer: the wrong number, in the unit of the sum; resolution: the place of its last digit.
    """
    for candidates in (((one,) for one in mistakes), pairs(mistakes)):
        found = _tried(quotient, candidates, answer, resolution)
        if found:
            found.sort(key=lambda one: one.off)
            best = found[0]
            # The same mistake in two ways of rounding is still one.
            rivals = [one for one in found[1:] if one.keys != best.keys and one.off <= best.off]
            return None if rivals else best
    return None
