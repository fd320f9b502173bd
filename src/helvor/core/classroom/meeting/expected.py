"""The plan front: how far each bench should have come by now, and how late it is.

ExpectedProgress 1. The plan is the period run through once without any scatter (``prep.period``): what is
         over by now should be marked done.
ExpectedProgress 2. A bench is as late as the step it has still to finish was planned to be over before now.
ExpectedProgress 3. Steps of earlier meetings count as done by then.
"""

from __future__ import annotations

import bisect
from dataclasses import dataclass

from helvor.core.classroom.prep.period import Fit
from helvor.core.record.procedure import Procedure


@dataclass(frozen=True, slots=True)
class ExpectedProgress:
    """The plan of a meeting.

    Attributes:
        before: steps that earlier meetings have done.
        over: of each bench the minutes from the start at which it is to have one more step done, rising.
    """

    before: int
    over: tuple[tuple[float, ...], ...]

    def expected(self, bench: int, minutes: float) -> int:
        """Steps that bench number *bench* (from 0) should have done."""
        if not self.over:
            return self.before
        return self.before + bisect.bisect_right(self._lane(bench), minutes)

    def late(self, bench: int, done: int, minutes: float) -> float:
        """Minutes that a bench with so many steps done is behind; 0 when it is not (ExpectedProgress 2)."""
        if not self.over:
            return 0.0
        lane, here = self._lane(bench), max(0, done - self.before)
        return max(0.0, minutes - lane[here]) if here < len(lane) else 0.0

    @property
    def ends(self) -> float:
        """When the last bench is to be done, minutes from the start."""
        return max((lane[-1] for lane in self.over if lane), default=0.0)

    def _lane(self, bench: int) -> tuple[float, ...]:
        return self.over[min(bench, len(self.over) - 1)]


def expected_progress(procedure: Procedure, meeting: int, fit: Fit) -> ExpectedProgress:
    """The plan front of a simulated meeting."""
    before = sum(step.doer == "bench" and step.meeting < meeting for step in procedure.steps)
    # A step is marked done when hands are off it; what it waits for then is the next one's wait.
    return ExpectedProgress(before, tuple(tuple(sorted(block.hands_until for block in lane)) for lane in fit.lanes))
