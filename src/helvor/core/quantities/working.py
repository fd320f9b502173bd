"""The working of a sum, as it is shown beside its result."""

from __future__ import annotations

from dataclasses import dataclass


@dataclass(frozen=True, slots=True)
class WorkingLine:
    """One step of arithmetic with the numbers put in."""

    what: str
    shown: str
