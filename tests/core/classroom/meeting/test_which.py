"""Which of a class's meetings counts now."""

from dataclasses import dataclass
from datetime import UTC, datetime, timedelta

import pytest

from helvor.core.classroom.meeting.which import current_meeting, meeting_that_counts

NINE = datetime(2026, 3, 2, 9, 0, tzinfo=UTC)


@dataclass(frozen=True)
class Planned:
    number: int
    starts_at: datetime
    ends_at: datetime


WEEKLY = [
    Planned(n, NINE + timedelta(days=7 * (n - 1)), NINE + timedelta(days=7 * (n - 1), hours=2)) for n in (1, 2, 3)
]


@pytest.mark.parametrize(
    ("days", "hours", "states", "current", "counts"),
    [
        (-1, 0, {}, 1, 1),
        (0, 0, {}, 1, 1),
        (0, 2, {}, 1, 1),  # to the minute of its end
        (0, 2.1, {}, 2, 2),
        (0, 2.1, {1: "running"}, 2, 1),  # it runs over its time
        (0, 2.1, {1: "paused"}, 2, 1),
        (0, 2.1, {1: "over"}, 2, 2),
        (7, 0.5, {1: "running"}, 2, 2),  # nobody ended it, and the next has begun
        (14.0, 3, {}, 3, 3),
        (90, 0, {}, 3, 3),
    ],
)
def test_a_meeting_that_runs_over_its_time_counts_until_the_next_begins(days, hours, states, current, counts):
    now = NINE + timedelta(days=days, hours=hours)
    assert current_meeting(WEEKLY, now).number == current
    assert meeting_that_counts(WEEKLY, now, lambda n: states.get(n, "planned")).number == counts


def test_without_meetings_none_counts():
    assert meeting_that_counts([], NINE, lambda n: "planned") is None
