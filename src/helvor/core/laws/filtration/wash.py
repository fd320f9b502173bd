"""Washing and decanting: what is left behind, how many rinses, what a wash dissolves.

Wash 1. Each rinse of V leaves Vr behind, mixed through: after n of them the part
        (Vr ÷ (Vr + V))ⁿ of what was dissolved at first is left. The washing formula of
        gravimetric texts; from memory.
Wash 2. A wash takes at most what its volume can dissolve, so the loss named is an upper limit.
"""

from __future__ import annotations

import math
from collections.abc import Sequence

from helvor.core.quantities.reading import Unreadable

MOST_RINSES = 50


def left_after(rinses: int, volume: float, behind: float) -> float:
    """Part of the dissolved matter that is left after *rinses* (Wash 1).

    Args:
        volume: of one rinse; behind: what stays in the solid or vessel each time; same unit.

    Raises:
        Unreadable: a volume is not above zero, or the number of rinses is below zero.

    >>> left_after(3, 10, 1) < 0.001
    True
    >>> left_after(0, 10, 1)
    1.0
    """
    if volume <= 0 or behind < 0:
        raise Unreadable("Enter a rinse volume above 0 mL, and 0 mL or more left behind.")
    if not 0 <= rinses <= 1000:
        raise Unreadable("Enter 0 to 1000 rinses.")
    return float((behind / (behind + volume)) ** rinses)


def rinses_for(part_left: float, volume: float, behind: float) -> int:
    """How many rinses bring what is left down to *part_left*.

    Raises:
        Unreadable: the part is not between 0 and 1, or more than 50 rinses would be needed.

    >>> rinses_for(0.01, 10, 1), rinses_for(0.01, 5, 5)
    (2, 7)
    """
    if not 0 < part_left < 1:
        raise Unreadable("Enter a fraction left between 0 and 1, such as 0.01 for 99 % washed out.")
    ratio = left_after(1, volume, behind)
    if ratio == 0:
        return 1
    needed = math.ceil(math.log(part_left) / math.log(ratio) - 1e-9)
    if needed > MOST_RINSES:
        raise Unreadable(f"That needs {needed} rinses: use larger ones, or drain better between them.")
    return max(1, needed)


def left_of(rinses: Sequence[tuple[int, float, float]]) -> float:
    """Part that is left after rinses of several sorts: each *(how many, volume, what stays behind)*.

    >>> round(left_of([(1, 10, 2), (2, 5, 2)]), 4)
    0.0136
    """
    return math.prod(left_after(times, volume, behind) for times, volume, behind in rinses)


def more_rinses(rinses: Sequence[tuple[int, float, float]], part_left: float = 0.01) -> int:
    """How many more of the last sort bring what is left down to *part_left*; 0 where it is there already."""
    left = left_of(rinses)
    if left <= part_left or rinses[-1][2] == 0:
        return 0
    return rinses_for(part_left / left, rinses[-1][1], rinses[-1][2])


def best_split(total: float, behind: float, most: int = 6) -> list[tuple[int, float]]:
    """Number of equal rinses → part left, when *total* (mL) is used in all: many small ones clean better.

    >>> [round(part, 4) for _, part in best_split(30, 3, 3)]
    [0.0909, 0.0278, 0.0123]
    """
    return [(n, left_after(n, total / n, behind)) for n in range(1, most + 1)]


def wash_loss(volume: float, solubility: float, there: float | None = None) -> float:
    """The most that washes can dissolve, g (Wash 2).

    Args:
        volume: of all washes, mL.
        solubility: of the solid in the wash liquid at its temperature, g/L.
        there: how much of the solid there is, g; no more than that is lost.

    Raises:
        Unreadable: a number is below zero.

    >>> wash_loss(60, 1.0)
    0.06
    """
    if volume < 0 or solubility < 0:
        raise Unreadable("Enter a volume and a solubility of 0 or more.")
    loss = volume / 1000 * solubility
    return min(loss, there) if there is not None else loss
