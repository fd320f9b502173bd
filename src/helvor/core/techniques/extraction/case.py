"""What the findings of an extraction share."""

from __future__ import annotations

from collections.abc import Callable, Iterator

from helvor.core.engine.run.case import Case
from helvor.core.record.finding import Finding
from helvor.core.record.procedure import Step
from helvor.core.techniques.extraction.flow import (
    PARTING,
    Flow,
    follow,
)

HOT_BELOW = 5.0
"""°C below the melting point from which a solid left after evaporating melts onto the glass or sublimes."""

NEAR = 0.5
"""pH units by which a reading may miss what was asked."""


FITS = 0.10
"""Relative difference within which a volume or mass fits a layer; above 2.5 times that it does not."""


MUCH_GAS = 10.0
"""mL of carbon dioxide that want venting at once."""


OURS = (*PARTING, "set ph", "dry layer", "reflux")


Rule = Callable[[Case, Flow], Iterator[Finding]]


def flow_of(case: Case) -> Flow:
    """Every portion's content in a run."""
    return follow(case.run, case.ledger, case.rules, case.kinds)


def numbered(case: Case, kinds: tuple[str, ...]) -> Iterator[tuple[int, Step]]:
    """The steps of some kinds with their numbers."""
    for number, step in enumerate(case.run.procedure.steps, 1):
        if step.kind in kinds:
            yield number, step


def touched(case: Case, step: Step) -> bool:
    """Whether anything is on record for a step."""
    run = case.run
    return (
        step.id in run.done
        or any(on.taken.step == step.id for on in run.taken)
        or any(getattr(line.head.payload, "step", "") == step.id for line in run.other)
    )
