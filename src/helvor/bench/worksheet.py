"""What every technique works out of a page: findings, working, and how far the work has risen."""

from __future__ import annotations

from dataclasses import dataclass

from helvor.bench.finding import Finding


@dataclass(frozen=True, slots=True)
class Stage:
    """One stretch of the work on a page, and whether the record shows it done."""

    name: str
    done: bool


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
    def next_stage(self) -> str:
        """The first stage not done; empty when all are."""
        return next((stage.name for stage in self.stages if not stage.done), "")

    @property
    def worst(self) -> Finding | None:
        """The most serious finding that nobody has acknowledged, or None when all is well."""
        return next((f for f in self.findings if not f.acknowledged and f.level != "good"), None)


@dataclass(frozen=True, slots=True)
class WorkingLine:
    """One step of arithmetic with the numbers put in."""

    what: str
    shown: str
