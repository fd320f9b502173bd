"""A judgement: what is seen, why it matters, what to do."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import Literal

Level = Literal["good", "note", "caution", "stop"]

SEVERITY: dict[Level, int] = {"stop": 0, "caution": 1, "note": 2, "good": 3}


@dataclass(frozen=True, slots=True)
class Finding:
    """One judgement about a record.

    Attributes:
        code: which rule spoke, such as ``spot-beyond-front``.
        level: *stop* asks for an acknowledgement with a word why; *caution* says that a
            result is doubtful; *note* tells something worth knowing; *good* is praise.
        what: what is seen, with its numbers.
        because: why it matters.
        do: what to do next.
        about: the mark of the thing judged (a spot's or lane's name); empty for the whole.
        acknowledged: the word why with which somebody accepted a *stop*; empty until then.
    """

    code: str
    level: Level
    what: str
    because: str = ""
    do: str = ""
    about: str = ""
    acknowledged: str = ""

    def accepted(self, why: str) -> Finding:
        """The same finding, acknowledged with a word; with none it stays as it is."""
        return replace(self, acknowledged=why) if why else self


def by_severity(findings: list[Finding]) -> list[Finding]:
    """Most serious first; what somebody has acknowledged after what is still open."""
    return sorted(findings, key=lambda f: SEVERITY[f.level] + 1.5 * bool(f.acknowledged))
