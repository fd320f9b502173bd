"""What every technique works out of a page: findings, working, and how far the work has risen."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime

from helvor.core.record.finding import Finding


@dataclass(frozen=True, slots=True)
class Stage:
    """One stretch of the work on a page, and whether the record shows it done."""

    name: str
    done: bool


@dataclass(frozen=True, slots=True)
class Alarm:
    """A timer that runs: what for, when it is due, and the entry that set it where a bench did."""

    label: str
    due: datetime
    key: str = ""


@dataclass(frozen=True, slots=True)
class InRoom:
    """What a page means to the room around its bench.

    Attributes:
        alarms: timers that run; kit: what the step under way takes up.
        stands: portions that stand about: name, container, place, and whether a label step was done.
    """

    alarms: tuple[Alarm, ...] = ()
    kit: tuple[str, ...] = ()
    stands: tuple[tuple[str, str, str, bool], ...] = ()


@dataclass(frozen=True, slots=True)
class Worksheet:
    """The part of a worked-out page that is the same for every technique."""

    findings: list[Finding]
    stages: list[Stage]

    @property
    def title(self) -> str:
        """What the page is about, where it has a name of its own."""
        return ""

    @property
    def in_room(self) -> InRoom:
        """What it means to the room: timers, kit in use, portions that stand about."""
        return InRoom()

    @property
    def next_stage(self) -> str:
        """The first stage not done; empty when all are."""
        return next((stage.name for stage in self.stages if not stage.done), "")

    @property
    def worst(self) -> Finding | None:
        """The most serious finding that nobody has acknowledged, or None when all is well."""
        return next((f for f in self.findings if not f.acknowledged and f.level != "good"), None)
