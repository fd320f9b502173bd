"""Portions of a liquid, as they are written."""

from __future__ import annotations

from collections.abc import Sequence


def written_once(read: Sequence[float], times: int, planned: float | None) -> bool:
    """Whether one reading is all of a liquid that goes in by portions: as much as is planned for them together.

    Args:
        read: mL as written; planned: of all portions together, mL.
    """
    return len(read) == 1 and times > 1 and bool(planned) and 0.95 <= read[0] / (planned or 1.0) <= 1.05
