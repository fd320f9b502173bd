"""What a reading line says of a typed reading, on every kind of page."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import UTC, datetime
from uuid import UUID

from starlette.responses import Response

from helvor.core.record.entry import Entry, find
from helvor.core.record.typed_line import UNKNOWN_TYPIST, NotSure, Typist, Understood, ids_from
from helvor.notebook.pages import Draft
from helvor.web.rendering import html
from helvor.web.security import Visitor


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


def typist(who: Visitor) -> Typist:
    """Whoever types at this moment."""
    return Typist(datetime.now(UTC), who.account.name)


def typist_of(entries: Sequence[Entry], entry: UUID, who: Visitor) -> Typist:
    """Who typed a line, and when; unknown for one that is only sent again, of which nothing more is asked."""
    if find(entries, entry) is not None:
        return UNKNOWN_TYPIST
    typed = who.typed
    return Typist(typed.at, who.account.name) if typed is not None and typed.at is not None else typist(who)


def what_it_says(read: Sequence[Understood]) -> str:
    """Everything that would be written, before it is."""
    return " · ".join(one.says for one in read)


def refused(trouble: Exception) -> Response:
    """A typed reading that was not written: the sentence under the line, what was typed still in it."""
    headers = {"HX-Retarget": "#understood", "HX-Reswap": "innerHTML"}
    answers = trouble.lines if isinstance(trouble, NotSure) else ()
    shown = UnderstoodShown(trouble=str(trouble), offered=[], answers=answers)
    return html("understood.html", shown, status=422, headers=headers)
