"""What to practise next: five boxes, after S. Leitner, So lernt man lernen, Freiburg 1972 (from memory).

Boxes 1. A topic begins in box 1. A right answer when it is due moves it a box on, a wrong one back to box 1.
Boxes 2. Box 1 and 2 are due at once, the others after some days; the days are common practice, no source.
Boxes 3. What is answered before it is due moves nothing when right: a box is gained by remembering.
Boxes 4. The level of a case follows the box: 1, 2, 3, 3, 3.
"""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from datetime import datetime, timedelta

DAYS = (0, 0, 1, 3, 7)
"""Days after which a topic in box 1 to 5 is due."""


@dataclass(frozen=True, slots=True)
class Answer:
    """An answer to a drill: its topic, whether right, and when."""

    topic: str
    right: bool
    at: datetime


@dataclass(frozen=True, slots=True)
class Standing:
    """Where a person stands in a topic.

    Attributes:
        box: 1 to 5; right, tried: answers; due: when it is due again, None before the first answer.
    """

    topic: str
    box: int = 1
    right: int = 0
    tried: int = 0
    due: datetime | None = None

    @property
    def level(self) -> int:
        """How hard the next case is, 1 to 3 (Boxes 4)."""
        return min(self.box, 3)

    def is_due(self, now: datetime) -> bool:
        return self.due is None or self.due <= now


def standings(topics: Iterable[str], answers: Iterable[Answer]) -> list[Standing]:
    """Where a person stands in each topic, from all answers; their order does not matter."""
    found = {topic: Standing(topic) for topic in topics}
    for one in sorted(answers, key=lambda answer: answer.at):
        before = found.get(one.topic)
        if before is None:
            continue
        if not one.right:
            box, due = 1, one.at
        elif before.is_due(one.at):
            box = min(before.box + 1, len(DAYS))
            due = one.at + timedelta(days=DAYS[box - 1])
        else:
            box, due = before.box, before.due or one.at
        found[one.topic] = Standing(one.topic, box, before.right + one.right, before.tried + 1, due)
    return list(found.values())


def next_topic(standing: Sequence[Standing], now: datetime) -> Standing:
    """The topic to practise: the lowest box of those that are due, else the one that is due soonest.

    Raises:
        ValueError: there is no topic.
    """
    if not standing:
        raise ValueError("there is no topic")
    due = [one for one in standing if one.is_due(now)]
    if due:
        return min(due, key=lambda one: (one.box, one.tried))
    return min(standing, key=lambda one: one.due or now)
