"""What the checks of a run look at, and how they write numbers."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping
from dataclasses import dataclass

from helvor.core.engine.run.account import Ledger
from helvor.core.engine.run.record import Run
from helvor.core.engine.technique import NO_TECHNIQUES, Techniques
from helvor.core.quantities.measured import Measured, shown
from helvor.core.record.finding import Finding
from helvor.core.record.house_rules import HouseRules
from helvor.core.record.step_kinds import StepKind

COVERAGE = 2.0
"""How many standard uncertainties a value must lie beyond a limit to be beyond it (about 95 %)."""


@dataclass(frozen=True, slots=True)
class Case:
    """What a rule may look at."""

    run: Run
    ledger: Ledger
    rules: HouseRules
    techniques: Techniques = NO_TECHNIQUES

    @property
    def kinds(self) -> Mapping[str, StepKind]:
        """Every kind of step by key."""
        return self.techniques.kinds


Rule = Callable[[Case], Iterator[Finding]]


def join(names: list[str]) -> str:
    """``A, B and C``"""
    return names[0] if len(names) == 1 else f"{', '.join(names[:-1])} and {names[-1]}"


def grams(number: Measured) -> str:
    """A mass for a sentence, with the digits it has."""
    return f"{shown(number)} g"


def percent(number: Measured) -> str:
    """A ratio in per cent for a sentence."""
    return f"{shown(number * 100, most=1)} %"
