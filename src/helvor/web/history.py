"""The history of a page: every entry in ink, struck ones too."""

from __future__ import annotations

from collections.abc import Container, Mapping, Sequence
from dataclasses import dataclass
from uuid import UUID

from starlette.responses import Response

from helvor.core.record.entry import Entry, lines
from helvor.notebook.classes import ClassRow, Meeting
from helvor.notebook.page_rows import Page
from helvor.web.rendering import Shell, html
from helvor.web.security import Visitor


@dataclass(frozen=True, slots=True, kw_only=True)
class HistoryPage(Shell):
    """``stands`` names the readings that stand: the entry that heads each → the one that names it.

    ``forms`` are the kinds of entry that have a form to correct them by.
    """

    page: Page
    entries: Sequence[Entry]
    struck_by: Mapping[UUID, Entry]
    stands: Mapping[UUID, UUID]
    says: Mapping[UUID, str]
    forms: Container[str]


def history_page(
    who: Visitor,
    row: ClassRow | None,
    meeting: Meeting | None,
    page: Page,
    entries: Sequence[Entry],
    says: Mapping[UUID, str],
    forms: Container[str],
) -> Response:
    """Entries oldest first; *says* puts each in bench words, *forms* names the kinds that a form corrects."""
    shown = HistoryPage(
        visitor=who,
        place="bench",
        class_row=row,
        meeting=meeting,
        page=page,
        entries=entries,
        struck_by={entry.strikes: entry for entry in entries if entry.strikes is not None},
        stands={
            line.head.id: line.root.id
            for line in lines(entries)
            # What is followed was decided before anything was written: a bench does not take it back.
            if line.stands and line.head.payload.kind != "following"
        },
        says=says,
        forms=forms,
    )
    return html("history.html", shown)
