"""What the spots of a plate are called: the lane, and a number that is free as they are written."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from uuid import UUID

from helvor.core.record.entry import Line, Struck


def spot_name(label: str, number: int) -> str:
    """``T2``; with a stroke where the label itself ends in a digit: ``14/2``."""
    return f"{label}/{number}" if label[-1].isdecimal() else f"{label}{number}"


def numbered(marks: Iterable[Line], lane_of: Mapping[UUID, UUID], following: dict[UUID, int]) -> dict[UUID, int]:
    """The number of each spot in its lane, by the id of its first entry.

    A spot takes the lowest number that is free as it is written, and gives it back when it is taken back.

    Args:
        marks: a line for each spot; lane_of: its lane, by the id of its first entry.
        following: gets each lane's next number.
    """
    events = sorted(
        ((entry.seq, line.root.id, not isinstance(entry.payload, Struck)) for line in marks for entry in line.entries),
        key=lambda event: event[0],
    )
    held: dict[UUID, dict[int, UUID]] = {}
    numbers: dict[UUID, int] = {}
    for _seq, root, stands in events:
        there = held.setdefault(lane_of[root], {})
        number = numbers.get(root)
        if not stands:
            there.pop(number or 0, None)
        elif number is None or there.get(number, root) != root:
            numbers[root] = _lowest(there)
            there[numbers[root]] = root
        else:
            there[number] = root
    following.update({lane: _lowest(there) for lane, there in held.items()})
    return numbers


def _lowest(taken: dict[int, UUID]) -> int:
    return next(number for number in range(1, len(taken) + 2) if number not in taken)
