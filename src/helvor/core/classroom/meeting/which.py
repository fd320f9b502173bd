"""Which of a class's meetings counts now."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from datetime import datetime
from typing import Protocol, TypeVar

from helvor.core.classroom.meeting.day import State


class Timed(Protocol):
    """A meeting with its number and times."""

    @property
    def number(self) -> int:
        """From 1, in order of time."""

    @property
    def starts_at(self) -> datetime:
        """With its time zone."""

    @property
    def ends_at(self) -> datetime:
        """With its time zone."""


Meeting = TypeVar("Meeting", bound=Timed)


def current_meeting(meetings: Sequence[Meeting], now: datetime) -> Meeting | None:
    """The meeting that runs or comes next; the last one when all are over; None without meetings."""
    return next((meeting for meeting in meetings if meeting.ends_at >= now), meetings[-1] if meetings else None)


def meeting_that_counts(meetings: Sequence[Meeting], now: datetime, state_of: Callable[[int], State]) -> Meeting | None:
    """The current meeting, or the one before it where that still runs over its time.

    Args:
        meetings: in order of time.
        now: with its time zone.
        state_of: number of a meeting → its state in the lab log; asked of the one before only.
    """
    current = current_meeting(meetings, now)
    if current is None or current.starts_at <= now:
        return current
    before = next((m for m in meetings if m.number == current.number - 1), None)
    return before if before is not None and state_of(before.number) in ("running", "paused") else current
