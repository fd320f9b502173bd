"""Heating under reflux: the flask, the clock, and taking it down.

Reflux 1. Half to two thirds full; chips before heat; water in at the bottom; never a closed system.
Reflux 2. Time counts from the first drops that fall back; while it does not boil it does not count.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime

from helvor.core.quantities.reading import Unreadable

FLASKS = (10.0, 25.0, 50.0, 100.0, 250.0, 500.0, 1000.0, 2000.0)
"""Round flasks, mL. Common practice."""
FULL = (1 / 2, 2 / 3)
"""Part of a flask up to which it is filled, usual and at most. Common practice."""
NEARLY_EMPTY = 0.2
"""Below this part it may boil dry and heat unevenly. Common practice."""


def flask_for(volume: float) -> float | None:
    """The smallest flask that so many mL fill to two thirds at most, mL; None where there is none so large.

    >>> flask_for(30.0), flask_for(40.0)
    (50.0, 100.0)
    """
    if not volume > 0:
        raise Unreadable("Enter a volume above 0 mL.")
    return next((size for size in FLASKS if volume <= FULL[1] * size + 1e-9), None)


@dataclass(frozen=True, slots=True)
class Boiled:
    """How long it has boiled.

    Attributes:
        minutes: that counted; since: when the stretch under way began, None while it does not boil.
        stretches: how many there were; broken: minutes between the first drops and the last end that did not count.
    """

    minutes: float
    since: datetime | None
    stretches: int
    broken: float


def boiled(marks: Sequence[tuple[datetime, bool]], now: datetime | None = None) -> Boiled:
    """Fold first drops (True) and ends of boiling (False), in order of time (Reflux 2).

    A second mark of the same kind changes nothing. With *now* the stretch under way is counted up to then.
    """
    minutes, broken, stretches = 0.0, 0.0, 0
    since: datetime | None = None
    ended: datetime | None = None
    for at, boils in marks:
        if boils and since is None:
            since, stretches = at, stretches + 1
            broken += (at - ended).total_seconds() / 60 if ended is not None else 0.0
        elif not boils and since is not None:
            minutes += (at - since).total_seconds() / 60
            since, ended = None, at
    if since is not None and now is not None and now > since:
        minutes += (now - since).total_seconds() / 60
    return Boiled(minutes, since, stretches, broken)
