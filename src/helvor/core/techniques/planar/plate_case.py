"""What the checks of a plate look at, and how they write lengths."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping
from dataclasses import dataclass

from helvor.core.quantities.reading import round_to
from helvor.core.record.finding import Finding
from helvor.core.record.house_rules import HouseRules
from helvor.core.techniques.planar.plate import Front
from helvor.core.techniques.planar.results import PlateWorksheet


@dataclass(frozen=True, slots=True)
class Case:
    """What a rule may look at."""

    sheet: PlateWorksheet
    rules: HouseRules
    rank: Mapping[str, int]

    @property
    def fronts(self) -> list[tuple[str, Front]]:
        """Every front that was read, with the name people use for it."""
        plate = self.sheet.plate
        named = [(f"front of lane {lane.label}", lane.key) for lane in plate.lanes]
        read = [("front", plate.front)] if plate.front else []
        read += [(name, plate.lane_fronts[key]) for name, key in named if key in plate.lane_fronts]
        return read


Rule = Callable[[Case], Iterator[Finding]]


def mm(value: float) -> str:
    """A length for a sentence: one decimal at most, none where it is whole."""
    return round_to(value, 0 if abs(value - round(value)) < 0.05 else 1)


def join(names: list[str]) -> str:
    """``A, B and C``"""
    return names[0] if len(names) == 1 else f"{', '.join(names[:-1])} and {names[-1]}"
