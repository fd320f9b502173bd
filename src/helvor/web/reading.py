"""What a reading line says of a typed reading, on every kind of page."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import UTC, datetime
from uuid import UUID

from starlette.responses import Response

from helvor.core.record.entry import Entry, Typed, find
from helvor.core.record.typed_line import NotSure, Understood, ids_from
from helvor.notebook.pages import Draft
from helvor.web.rendering import html


@dataclass(frozen=True, slots=True, kw_only=True)
class UnderstoodShown:
    """
    Attributes:
        says: what was understood; trouble: why nothing was.
        offered: words that could come next, after *stem*; answers: whole lines that may be meant.
        hint: what can be typed, shown while nothing is.
    """

    says: str = ""
    trouble: str = ""
    offered: list[str]
    stem: str = ""
    answers: tuple[str, ...] = ()
    hint: str = ""


def drafts_of(entry: UUID, read: Sequence[Understood]) -> list[Draft]:
    """The entries that the readings of one line are written as."""
    key = ids_from(entry)
    return [Draft(key(number), one.payload, one.strikes, one.reason) for number, one in enumerate(read)]


def moment_of(entries: Sequence[Entry], entry: UUID, typed: Typed | None) -> datetime | None:
    """When a line was typed; None for one that is only sent again, of which nothing more is asked."""
    if find(entries, entry) is not None:
        return None
    return typed.at if typed is not None and typed.at is not None else datetime.now(UTC)


def what_it_says(read: Sequence[Understood]) -> str:
    """Everything that would be written, before it is."""
    return " · ".join(one.says for one in read)


def refused(trouble: Exception) -> Response:
    """A typed reading that was not written: the sentence under the line, what was typed still in it."""
    headers = {"HX-Retarget": "#understood", "HX-Reswap": "innerHTML"}
    answers = trouble.lines if isinstance(trouble, NotSure) else ()
    shown = UnderstoodShown(trouble=str(trouble), offered=[], answers=answers)
    return html("understood.html", shown, status=422, headers=headers)
