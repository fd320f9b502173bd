"""How hot something may be dried. Limits are common practice, no source."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass

PAPER_CELSIUS = 110.0
BOAT_CELSIUS = 70.0
BELOW_MELTING = 20.0
"""A drying temperature closer to the melting point than this softens many solids, °C."""


@dataclass(frozen=True, slots=True)
class Limit:
    """A temperature not to go above, °C, and why."""

    celsius: float
    why: str


def limits(labels: Iterable[str], melts: Iterable[tuple[str, float]] = ()) -> list[Limit]:
    """Every limit on drying, the lowest first.

    Args:
        labels: of what the solid lies in or on.
        melts: name and melting point, °C, of what lies there.

    >>> [limit.celsius for limit in limits(["paper 3", "dish"], [("camphor", 177.0)])]
    [110.0, 157.0]
    """
    words = " ".join(labels).casefold()
    found = [Limit(point - BELOW_MELTING, f"{name} melts at {point:g} °C") for name, point in melts]
    if "paper" in words:
        found.append(Limit(PAPER_CELSIUS, "paper browns"))
    if "boat" in words or "plastic" in words:
        found.append(Limit(BOAT_CELSIUS, "a plastic boat softens"))
    return sorted(found, key=lambda limit: limit.celsius)
