"""How a substance divides between two layers, and what portions do with it.

Distribution 1. D is concentration in the extracting layer over concentration in what is extracted,
                all forms of the substance counted. Source: Nernst's distribution law.
Distribution 2. One portion leaves 1/(1 + D·V/V₀); n equal ones leave that to the n; equal portions
                are best; without end they leave e^(−D·V_total/V₀).
Distribution 3. What clings to the funnel when a layer is drawn off is met again by the next portion.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

from helvor.core.quantities.reading import Unreadable

MOST_PORTIONS = 50


def _sound(d: float, feed: float, portion: float) -> None:
    if not math.isfinite(d) or d <= 0:
        raise Unreadable("Enter a distribution ratio D above 0.")
    if not (math.isfinite(feed) and feed > 0):
        raise Unreadable("Enter a volume above 0 mL for the liquid that is extracted.")
    if not (math.isfinite(portion) and portion > 0):
        raise Unreadable("Enter a portion volume above 0 mL.")


def left(d: float, feed: float, portion: float, times: int = 1) -> float:
    """Part left in what is extracted, 0 to 1, after *times* fresh portions (Distribution 2).

    Args:
        d: distribution ratio.
        feed: volume extracted, mL.
        portion: volume of each portion, mL.
        times: how many, at least 1.

    Raises:
        Unreadable: D or a volume is not above 0, or there are no portions.

    >>> round(left(4.0, 50.0, 25.0, 2), 4)
    0.1111
    """
    _sound(d, feed, portion)
    if not 1 <= times <= MOST_PORTIONS:
        raise Unreadable(f"Enter 1 to {MOST_PORTIONS} portions.")
    return float((1 / (1 + d * portion / feed)) ** times)


def limit(d: float, feed: float, total: float) -> float:
    """Part left when a volume is divided without end: e^(−D·V_total/V₀)."""
    _sound(d, feed, total)
    return math.exp(-d * total / feed)


def portions_for(d: float, feed: float, portion: float, wanted: float) -> int | None:
    """How many portions take out at least *wanted* (0 to 1); None where more than 50 would be needed.

    >>> portions_for(4.0, 50.0, 25.0, 0.99)
    5
    """
    if not 0 < wanted < 1:
        raise Unreadable("Enter a fraction between 0 and 100 %; 100 % can never be extracted.")
    once = left(d, feed, portion)
    if once <= 0:
        return 1  # so little stays that no number holds it
    if once >= 1:
        return None
    times = max(1, math.ceil(math.log(1 - wanted) / math.log(once) - 1e-9))
    return times if times <= MOST_PORTIONS else None


@dataclass(frozen=True, slots=True)
class Split:
    """A given volume in *times* portions of *portion* mL: the part left and taken out."""

    times: int
    portion: float
    left: float

    @property
    def out(self) -> float:
        return 1 - self.left


def splits(d: float, feed: float, total: float, most: int = 6) -> list[Split]:
    """A total volume divided one to *most* ways."""
    _sound(d, feed, total)
    return [Split(n, total / n, left(d, feed, total / n, n)) for n in range(1, most + 1)]


@dataclass(frozen=True, slots=True)
class FromTrial:
    """A distribution ratio measured once, with its standard uncertainty."""

    d: float
    u: float
    left: float


def from_trial(taken: float, found: float, feed: float, portion: float, *, u_found: float = 0.0) -> FromTrial:
    """D from one trial: *taken* g (or mol) in *feed* mL, of which *found* came into *portion* mL.

    Raises:
        Unreadable: nothing, or all and more, was found in the extract.
    """
    _sound(1.0, feed, portion)
    if not 0 < found < taken:
        raise Unreadable("Enter an amount found that is above 0 and below the amount taken.")
    stays = taken - found
    d = (found / portion) / (stays / feed)
    # d = f/(t − f)·V₀/V, so its derivative by f is d·t/(f·(t − f)).
    return FromTrial(d, d * taken / (found * stays) * u_found, stays / taken)


@dataclass(frozen=True, slots=True)
class Both:
    """Two substances in one extraction: what of each comes out, and how pure the first is then by amount."""

    first: float
    second: float
    factor: float


def selectivity(first: float, second: float, feed: float, portion: float, times: int = 1) -> Both:
    """The first substance's D against the second's: parts taken out, and the separation factor D₁/D₂."""
    return Both(1 - left(first, feed, portion, times), 1 - left(second, feed, portion, times), first / second)


def best_ratio(first: float, second: float) -> float:
    """Portion over feed volume that parts two substances best in one step: 1/√(D₁·D₂).

    Source: Bush and Densen, Anal. Chem. 20 (1948) 121, from memory.
    """
    _sound(first, 1.0, 1.0)
    _sound(second, 1.0, 1.0)
    return 1 / math.sqrt(first * second)


def with_clinging(d: float, feed: float, portions: Sequence[float], clings: float) -> tuple[float, float]:
    """Parts left in the feed and clinging to the funnel after the portions in turn (Distribution 3).

    Args:
        d: distribution ratio.
        feed: volume extracted, mL.
        portions: volumes of the portions, mL.
        clings: mL of the extract that stay in the funnel at each draining; less than each portion.

    Returns:
        Part still in the feed, part in what clings.
    """
    in_feed, in_film = 1.0, 0.0
    film = 0.0
    for portion in portions:
        _sound(d, feed, portion)
        if not 0 <= clings < portion:
            raise Unreadable("Enter a volume left behind that is smaller than the portion.")
        extract = portion + film
        whole = in_feed + in_film
        in_feed = whole / (1 + d * extract / feed)
        in_film = (whole - in_feed) * clings / extract
        film = clings
    return in_feed, in_film
