"""Step times from earlier runs: what they took, in place of the handout's guess.

Learn 1. A step took as long as there is between its being marked done and the mark before it at the
         same bench, less what it waits for; marks of one run in one go of work only.
Learn 2. Marks closer than half a minute were made in a heap afterwards and tell nothing; neither does a
         gap of more than three hours, which is a break, nor one of more than five times the handout's.
Learn 3. From six runs on the median takes the handout's place, and the spread of the runs that of the
         guess: the median absolute deviation of the logarithms × 1.4826, as for any robust spread
         (F. R. Hampel, J. Am. Stat. Assoc. 1974, 69, 383; from memory).
"""

from __future__ import annotations

import itertools
import math
import statistics
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime

from helvor.core.record.procedure import Procedure

ENOUGH = 6
SHORTEST, LONGEST = 0.5, 180.0
"""Minutes between two marks that tell something (Learn 2)."""
MOST_OF_HANDOUT = 5.0
LEAST_SPREAD, MOST_SPREAD = 0.08, 0.8


@dataclass(frozen=True, slots=True)
class Learned:
    """What a step took: hands-on minutes in the middle, the spread of their logarithm, from how many runs."""

    minutes: float
    spread: float
    runs: int

    @property
    def enough(self) -> bool:
        """Whether it takes the place of the handout's guess (Learn 3)."""
        return self.runs >= ENOUGH


def learn(procedure: Procedure, runs: Iterable[Sequence[tuple[str, datetime]]]) -> dict[str, Learned]:
    """Hands-on minutes of each step that was timed, by the step's id.

    Args:
        procedure: as it is planned now; steps that it no longer has are passed over.
        runs: of each run the steps marked done, with when, in the order of time.
    """
    took: dict[str, list[float]] = {}
    for marks in runs:
        for (_, before), (step_id, at) in itertools.pairwise(marks):
            step = procedure.step(step_id)
            if step is None:
                continue
            minutes = (at - before).total_seconds() / 60
            if not SHORTEST <= minutes <= LONGEST:
                continue
            hands = minutes - step.waits
            # Waiting was used for another step: then hands-on time cannot be told apart.
            if hands < SHORTEST or (step.hands and hands > MOST_OF_HANDOUT * step.hands):
                continue
            took.setdefault(step_id, []).append(hands)
    return {step_id: _middle(minutes) for step_id, minutes in took.items()}


def _middle(minutes: Sequence[float]) -> Learned:
    logs = [math.log(value) for value in minutes]
    middle = statistics.median(logs)
    spread = 1.4826 * statistics.median(abs(log - middle) for log in logs)
    return Learned(math.exp(middle), min(MOST_SPREAD, max(LEAST_SPREAD, spread)), len(minutes))


def times_of(learned: Mapping[str, Learned]) -> dict[str, tuple[float, float]]:
    """The steps whose times are known well enough: id → (minutes, spread), as the period's simulation takes them."""
    return {step_id: (known.minutes, known.spread) for step_id, known in learned.items() if known.enough}
