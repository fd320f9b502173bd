"""A judgement: what is seen, why it matters, what to do."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import Literal
from uuid import UUID

Level = Literal["good", "note", "caution", "stop"]

LEVEL_WORDS: dict[str, str] = {"good": "OK", "note": "Note", "caution": "Check", "stop": "Stop"}
"""What people read for a level, on screens, in reports and in print."""

IMPOSSIBLE = frozenset(
    {
        "above-possible",
        "closure-above",
        "flask-full",
        "front-above-plate",
        "gained-by-heating",
        "gross-below-tare",
        "more-out-than-in",
        "more-than-everything",
        "spot-beyond-front",
    }
)
"""Rules that speak of a number that cannot be: at the level *stop* they are read as *Impossible*."""

SEVERITY: dict[Level, int] = {"stop": 0, "caution": 1, "note": 2, "good": 3}


@dataclass(frozen=True, slots=True)
class Finding:
    """One judgement about a record.

    Attributes:
        code: which rule spoke, such as ``spot-beyond-front``.
        level: *stop* says that somebody can be hurt, that matter or a record is about to be lost for
            good, or that a number cannot be, and asks for a reason to continue; *caution* says that a
            result is doubtful; *note* tells something worth knowing; *good* says that all is well.
        what: what is seen, with its numbers.
        because: why it matters.
        do: what to do next.
        about: the mark of the thing judged (a spot's or lane's name); empty for the whole.
        acknowledged: the word why with which somebody accepted a *stop*; empty until then.
        put: a reading and the portion that it belongs to, where one correction mends it.
    """

    code: str
    level: Level
    what: str
    because: str = ""
    do: str = ""
    about: str = ""
    acknowledged: str = ""
    put: tuple[UUID, str] | None = None

    @property
    def word(self) -> str:
        """What people read for its level: OK, Note, Check, Stop, or Impossible for a number that cannot be."""
        return level_word(self.level, self.code)

    def accepted(self, why: str) -> Finding:
        """The same finding, acknowledged with a word; with none it stays as it is."""
        return replace(self, acknowledged=why) if why else self


def level_word(level: str, code: str = "") -> str:
    """What people read for a level; ``code`` is the rule that spoke, where it is known."""
    return "Impossible" if level == "stop" and code in IMPOSSIBLE else LEVEL_WORDS.get(level, level)


def by_severity(findings: list[Finding]) -> list[Finding]:
    """Most serious first; what somebody has acknowledged after what is still open."""
    return sorted(findings, key=lambda f: SEVERITY[f.level] + 1.5 * bool(f.acknowledged))
