"""Drying to constant mass: is it dry yet, and when to weigh again."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime
from typing import Literal

STRICT_PER_GRAM = 0.50e-3
"""g per g of substance taken: two successive weighings, the second after a further hour, differ by at
most 0.50 mg per g. Source: USP General Notices 6.40.10, "dried to constant weight"; from memory.
The European rule (Ph. Eur. 1.2) is a difference of at most 0.5 mg."""

STRICT_MINUTES = 60.0
TEACHING_STEPS = 2.0
"""Within twice the balance's step. Common practice, no source."""
EQUALLY_SPACED = 0.25
"""Intervals that differ by at most this part count as equal."""
ABOVE_NOISE = 3.0
"""Differences count for a prediction from this many standard uncertainties on."""
USUAL_INTERVAL = 15.0
SHORTEST_DRYING = 10.0
"""Minutes between two weighings, at least, for their agreement to say something. Common practice, no source."""
SHORTEST_INTERVAL = 1.0
"""Minutes; readings closer together were written down in one go, and their times say nothing."""


@dataclass(frozen=True, slots=True)
class Weighing:
    """A net after a drying: mass and balance step, g; when it was read."""

    net: float
    step: float
    at: datetime


@dataclass(frozen=True, slots=True)
class Constancy:
    """How far drying has come.

    Attributes:
        state: *once* weighed only once; *constant*; *drying* still losing; *gaining*;
            *coarse*: this balance cannot tell; *soon*: agrees, but not after a further hour; *close*: agrees, but
            nothing can have dried in between.
        difference, limit: of the last two nets, g; None after one.
        predicted: the limit of an exponential approach, g, only where three weighings show one.
        again: minutes until it pays to weigh again, or None.
    """

    state: Literal["once", "constant", "drying", "gaining", "coarse", "soon", "close"]
    difference: float | None = None
    limit: float | None = None
    predicted: float | None = None
    again: float | None = None


def aitken(m1: float, m2: float, m3: float) -> float | None:
    """The limit that three equally spaced masses of an exponential approach go to, or None.

    m∞ = m₃ − (m₃ − m₂)² / ((m₃ − m₂) − (m₂ − m₁)); only when each loss is smaller than the
    one before. Source: A. C. Aitken, Proc. Roy. Soc. Edinb. 1926, 46, 289 (from memory).

    >>> round(aitken(1.5, 1.25, 1.125), 6)
    1.0
    """
    first, second = m2 - m1, m3 - m2
    if not (first < 0 and second < 0 and second > first):
        return None
    return m3 - second * second / (second - first)


def constancy(weighings: Sequence[Weighing], rule: str, taken: float | None = None) -> Constancy:
    """Judge a series of dried weighings, oldest first.

    Args:
        weighings: at least one.
        rule: ``readability`` (twice the balance's step) or ``pharmacopoeia``.
        taken: g of substance that was put to dry, for the pharmacopoeial rule; the first net where it is not known.

    Raises:
        ValueError: there is no weighing.
    """
    if not weighings:
        raise ValueError("nothing was weighed")
    if len(weighings) == 1:
        return Constancy("once", again=USUAL_INTERVAL)
    before, last = weighings[-2:]
    step = max(before.step, last.step)
    minutes = (last.at - before.at).total_seconds() / 60
    change = last.net - before.net
    taken = taken or abs(weighings[0].net)
    limit = STRICT_PER_GRAM * taken if rule == "pharmacopoeia" else TEACHING_STEPS * step
    predicted, again = _prediction(weighings, step, limit)
    within = abs(change) <= limit + 1e-9
    if rule == "pharmacopoeia" and step > limit:
        return Constancy("coarse", change, limit, predicted, again)
    if within and rule == "pharmacopoeia" and minutes < STRICT_MINUTES - 1:
        return Constancy("soon", change, limit, predicted, STRICT_MINUTES - minutes)
    if within and minutes < SHORTEST_DRYING:
        return Constancy("close", change, limit, predicted, USUAL_INTERVAL)
    if within and _still_falls(weighings, limit):
        return Constancy("drying", change, limit, predicted, again or max(SHORTEST_DRYING, minutes))
    if within:
        return Constancy("constant", change, limit, predicted)
    if change > 0:
        return Constancy("gaining", change, limit)
    usual = minutes if SHORTEST_INTERVAL <= minutes < 240 else USUAL_INTERVAL
    return Constancy("drying", change, limit, predicted, again or max(5.0, usual))


def _still_falls(weighings: Sequence[Weighing], limit: float) -> bool:
    """Whether the last three fall steadily by more than the limit together: small steps hide slow drying.

    A fall that ends (36 mg, then 1 mg) is none: what an exponential approach would still lose lies within the limit.
    """
    if len(weighings) < 3:
        return False
    one, two, three = (weighing.net for weighing in weighings[-3:])
    if not (one > two > three and one - three > limit + 1e-9):
        return False
    end = aitken(one, two, three)
    return end is None or three - end > limit + 1e-9


def _prediction(weighings: Sequence[Weighing], step: float, limit: float) -> tuple[float | None, float | None]:
    """Limit and minutes until two weighings agree, where the last three show an exponential approach."""
    if len(weighings) < 3:
        return None, None
    one, two, three = weighings[-3:]
    first, second = (two.at - one.at).total_seconds() / 60, (three.at - two.at).total_seconds() / 60
    if min(first, second) < SHORTEST_INTERVAL or abs(first - second) > EQUALLY_SPACED * max(first, second):
        return None, None
    noise = ABOVE_NOISE * step / math.sqrt(6)
    losses = one.net - two.net, two.net - three.net
    if min(losses) < noise:
        return None, None
    end = aitken(one.net, two.net, three.net)
    if end is None or end <= 0:
        return None, None
    ratio = losses[1] / losses[0]
    rounds = max(1, math.ceil(math.log(limit / losses[1]) / math.log(ratio))) if losses[1] > limit else 1
    return end, rounds * second
