"""The history of a page: every entry in ink, struck ones too; its readings, to be put right where a class is seen."""

from __future__ import annotations

from collections.abc import Container, Mapping, Sequence
from dataclasses import dataclass
from uuid import UUID

from fastapi import Request
from starlette.responses import Response

from helvor.core.record.entry import Entry, Line, lines
from helvor.notebook.classes import ClassRow, Meeting
from helvor.notebook.page_rows import Page
from helvor.web.entry_form import back_to, show
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
        stands={line.head.id: line.root.id for line in _standing(entries)},
        says=says,
        forms=forms,
    )
    return html("history.html", shown)


def _standing(entries: Sequence[Entry]) -> list[Line]:
    """The readings that stand; what is followed was decided before anything was written: nobody takes it back."""
    return [line for line in lines(entries) if line.stands and line.head.payload.kind != "following"]


@dataclass(frozen=True, slots=True)
class StandingReading:
    """A reading that stands: what it says, and how it is put right."""

    key: UUID
    entry: Entry
    says: str
    form: bool


@dataclass(frozen=True, slots=True, kw_only=True)
class ReadingsShown:
    """The readings of a page, newest first, as they are put right from the board or the results.

    Attributes:
        marks: steps done or left out, apart from what was read.
        back: the page of the class that comes again.
        fixed: the class is archived; nothing is changed any more.
    """

    page: Page
    readings: Sequence[StandingReading]
    marks: Sequence[StandingReading]
    back: str
    fixed: bool
    zone: str


@dataclass(frozen=True, slots=True, kw_only=True)
class ReadingsPage(Shell):
    """The same on a page of its own, where there are no scripts."""

    shown: ReadingsShown


@dataclass(frozen=True, slots=True, kw_only=True)
class ReadingsFragment:
    """The same in the panel."""

    shown: ReadingsShown


def readings_page(
    request: Request,
    who: Visitor,
    shell: tuple[ClassRow | None, Meeting | None],
    page: Page,
    entries: Sequence[Entry],
    says: Mapping[UUID, str],
    forms: Container[str],
) -> Response:
    """The readings of a page that stand, each with its form; ``back`` in the address names where it is seen."""
    row, meeting = shell
    standing = [
        StandingReading(line.root.id, line.head, says[line.head.id], line.head.payload.kind in forms)
        for line in reversed(_standing(entries))
    ]
    shown = ReadingsShown(
        page=page,
        readings=[one for one in standing if one.entry.payload.kind != "marked"],
        marks=[one for one in standing if one.entry.payload.kind == "marked"],
        back=back_to(request.query_params.get("back", "")),
        fixed=row is not None and row.archived,
        zone=who.account.time_zone,
    )
    whole = ReadingsPage(visitor=who, place="bench", class_row=row, meeting=meeting, shown=shown)
    return show(request, ("readings.html", ReadingsFragment(shown=shown)), ("readings_page.html", whole))
