"""When the front arrives: from readings while it runs.

Arrival 1. The liquid rises as (z + h)² = κ·t: z the front over the origin, h the origin's height
           over the liquid's surface, both mm, t minutes since the plate went in. E. W. Washburn,
           Phys. Rev. 1921, 17, 273, with the way counted from where the liquid stands.
Arrival 2. Leaving h out makes every prediction too late, the more so the earlier the reading:
           the liquid has by then come z + h, not z. The plate runs over meanwhile.
"""

from __future__ import annotations

import itertools
import math
import re
from collections.abc import Sequence
from dataclasses import dataclass

from helvor.core.quantities.reading import Estimate, Unreadable, parse_number


@dataclass(frozen=True, slots=True)
class Rise:
    """κ in mm² a minute with its uncertainty; h mm."""

    kappa: Estimate
    height: float

    def minutes_to(self, front: float) -> Estimate:
        """When the front is *front* mm over the origin, minutes since the plate went in."""
        way = (front + self.height) ** 2
        return Estimate(value=way / self.kappa.value, u=way * self.kappa.u / self.kappa.value**2)


def stopping_line(height: float, origin: float, below_top: float) -> float:
    """Where a plate is taken out, mm over its origin; all three in mm, the first two from the bottom edge.

    Raises:
        Unreadable: that line is not above the origin.

    >>> stopping_line(100.0, 10.0, 10.0)
    80.0
    """
    line = height - origin - below_top
    if line <= 0:
        raise Unreadable("Enter a stopping line above the origin.")
    return line


def rise(readings: Sequence[tuple[float, float]], height: float, u_front: float = 0.5) -> Rise:
    """κ from readings *(minutes, front in mm over the origin)*, by least squares through the start.

    Args:
        height: the origin over the liquid's surface, mm.
        u_front: standard uncertainty of a front that still moves, mm.

    Raises:
        Unreadable: there is none, a time or the way from the surface is not above zero, or the front went back.

    >>> round(rise([(4.0, 20.0)], 5.0).minutes_to(60.0).value, 1)
    27.0
    """
    if height < 0:
        raise Unreadable("The eluent level is above the origin: the spots would dissolve. Enter a lower level.")
    if not readings or any(t <= 0 or z < 0 or z + height == 0 for t, z in readings):
        raise Unreadable("Enter minutes above zero and a distance of 0 mm or more.")
    ordered = sorted(readings)
    if any(b[1] < a[1] for a, b in itertools.pairwise(ordered)):
        raise Unreadable("The front moved back between two readings: correct the one that is wrong.")
    # y = (z + h)² with u(y) = 2·(z + h)·u(z); weighted fit of y = κ·t.
    rows = [(t, (z + height) ** 2, 1 / (2 * (z + height) * u_front) ** 2) for t, z in ordered]
    stt, sty = sum(w * t * t for t, _, w in rows), sum(w * t * y for t, y, w in rows)
    kappa, variance = sty / stt, 1 / stt
    if len(rows) > 1:
        chi = sum(w * (y - kappa * t) ** 2 for t, y, w in rows) / (len(rows) - 1)
        variance *= max(1.0, chi)
    return Rise(Estimate(value=kappa, u=math.sqrt(variance)), height)


def read_readings(text: str) -> list[tuple[float, float]]:
    """Readings of the front, a line each: minutes and mm, ``4 min 20 mm``.

    Raises:
        Unreadable: with the line it is about.

    >>> read_readings("4 min 20 mm\\n10  35.5")
    [(4.0, 20.0), (10.0, 35.5)]
    """
    readings = []
    for line in (line.strip() for line in text.splitlines() if line.strip()):
        match = re.fullmatch(r"([\d.,]+)\s*(?:min)?\s*[,;:]?\s+([\d.,]+)\s*(?:mm)?", line)
        if match is None:
            raise Unreadable(f"“{line[:40]}”: enter minutes and millimetres, such as 4 min 20 mm.")
        readings.append((parse_number(match[1])[0], parse_number(match[2])[0]))
    return readings
