"""What every technique works out of a page: findings, working, and how far the work has risen."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from datetime import datetime
from typing import Any, Literal

from helvor.core.record.finding import SEVERITY, Finding, Level


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


_LEVELS: Mapping[str, Level] = {level: level for level in SEVERITY}


@dataclass(frozen=True, slots=True)
class PageSummary:
    """What the class board shows of a page.

    Attributes:
        done, stages: how far it is; next: the first stage not done; names: of all stages.
        level, word, what: of its most serious finding; empty where there is none.
        title: what it is about, where it has a name of its own.
        alarms, kit, stands: as for :class:`InRoom`.
    """

    done: int = 0
    stages: int = 0
    next: str = ""
    level: Level | Literal[""] = ""
    word: str = ""
    what: str = ""
    title: str = ""
    names: tuple[str, ...] = ()
    alarms: tuple[Alarm, ...] = ()
    kit: tuple[str, ...] = ()
    stands: tuple[tuple[str, str, str, bool], ...] = ()

    @classmethod
    def of(cls, sheet: Worksheet) -> PageSummary:
        """The summary of a page as it was worked out."""
        worst, room = sheet.worst, sheet.in_room
        return cls(
            done=sum(stage.done for stage in sheet.stages),
            stages=len(sheet.stages),
            next=sheet.next_stage,
            level=worst.level if worst else "",
            word=worst.word if worst else "",
            what=worst.what if worst else "",
            title=sheet.title,
            names=tuple(stage.name[:60] for stage in sheet.stages),
            alarms=room.alarms,
            kit=room.kit,
            stands=room.stands,
        )

    @classmethod
    def read(cls, kept: Mapping[str, Any]) -> PageSummary:
        """A summary as it was kept; one of before is without what came later."""
        word = {name: str(kept.get(name) or "") for name in ("next", "level", "word", "what", "title")}
        alarms = kept.get("alarms", ())
        return cls(
            done=int(kept.get("done") or 0),
            stages=int(kept.get("stages") or 0),
            next=word["next"],
            level=_LEVELS.get(word["level"], ""),
            word=word["word"],
            what=word["what"],
            title=word["title"],
            names=tuple(map(str, kept.get("names", ()))),
            alarms=tuple(Alarm(str(a[0]), datetime.fromisoformat(a[1]), *map(str, a[2:3])) for a in alarms),
            kit=tuple(map(str, kept.get("kit", ()))),
            stands=tuple((str(p), str(c), str(at), bool(label)) for p, c, at, label in kept.get("stands", ())),
        )

    def kept(self) -> dict[str, Any]:
        """The same as JSON keeps it."""
        plain = {name: getattr(self, name) for name in ("done", "stages", "next", "level", "word", "what", "title")}
        return plain | {
            "names": list(self.names),
            "alarms": [[alarm.label, alarm.due.isoformat(), alarm.key] for alarm in self.alarms],
            "kit": list(self.kit),
            "stands": [list(one) for one in self.stands],
        }


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
