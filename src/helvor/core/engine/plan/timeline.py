"""How long a procedure takes one bench: hands-on minutes are one after another, waiting runs beside.

A bench has one pair of hands that does a step as soon as its portions are ready; what only
waits lets the hands go on with another branch. Shared kit and the class come on top.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from helvor.core.record.procedure import Procedure, Step


@dataclass(frozen=True, slots=True)
class Block:
    """One step in time: minutes from the start of its meeting."""

    step: Step
    starts: int
    hands_until: int
    ends: int


@dataclass(frozen=True, slots=True)
class MeetingTime:
    """A meeting: its blocks, minutes hands-on and waited for nothing else, and when the last step ends."""

    meeting: int
    blocks: list[Block]
    hands: int
    idle: int
    ends: int


def timeline(procedure: Procedure) -> list[MeetingTime]:
    """Lay the bench's own steps out in time, meeting by meeting, in the order of the handout where it can be chosen."""
    meetings = sorted({step.meeting for step in procedure.steps if step.doer == "bench"})
    return [
        _meeting(number, [s for s in procedure.steps if s.doer == "bench" and s.meeting == number])
        for number in meetings
    ]


def _meeting(number: int, steps: Sequence[Step]) -> MeetingTime:
    left, blocks = list(steps), list[Block]()
    ready: dict[str, int] = {}
    free = idle = 0
    while left:
        # The first step in the order of the handout whose portions are ready by now; if none is, the soonest.
        def soonest(step: Step) -> int:
            return max((ready.get(name.casefold(), 0) for name in touches(step)), default=0)

        waiting_for = [
            step
            for i, step in enumerate(left)
            if not any(set(touches_all(earlier)) & set(touches(step)) for earlier in left[:i])
        ]
        step = next((s for s in waiting_for if soonest(s) <= free), None) or min(
            waiting_for, key=lambda s: (soonest(s), left.index(s))
        )
        starts = max(free, soonest(step))
        idle += starts - free
        hands_until, ends = starts + step.hands, starts + step.hands + step.waits
        blocks.append(Block(step, starts, hands_until, ends))
        for name in (*touches(step), *(given.casefold() for given in step.gives)):
            ready[name] = ends
        free = hands_until
        left.remove(step)
    return MeetingTime(number, blocks, sum(s.hands for s in steps), idle, max((b.ends for b in blocks), default=0))


def touches(step: Step) -> tuple[str, ...]:
    """Portions that have to be ready before a step, in lower case."""
    return tuple(name.casefold() for name in (*step.takes, *((step.on,) if step.on else ())))


def touches_all(step: Step) -> tuple[str, ...]:
    """The same and those that it gives: what later steps have to wait for."""
    return (*touches(step), *(name.casefold() for name in step.gives))
