"""Meetings as an iCalendar file (RFC 5545), for any calendar program."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from datetime import UTC, date, datetime
from uuid import UUID

from helvor.notebook.classes import ClassRow, Meeting

FOLD = 74
"""Octets of a line before it is folded (RFC 5545, 3.1: at most 75, the fold's blank included)."""


@dataclass(frozen=True, slots=True)
class ToDo:
    """Something to be there for besides the meetings: a weighing of the next day, somebody who makes up.

    Attributes:
        key: names it for good, so that a calendar that reads the file again has it once.
        at: a moment; or *day* where only the day is known.
    """

    key: str
    words: str
    at: datetime | None = None
    day: date | None = None


def calendar(row: ClassRow, meetings: Iterable[Meeting], made_at: datetime, todo: Iterable[ToDo] = ()) -> str:
    """The meetings of a class and what is to do between them.

    Args:
        made_at: when the file was made, for its time stamps.
    """
    lines = ["BEGIN:VCALENDAR", "VERSION:2.0", "PRODID:-//Helvor//EN", "CALSCALE:GREGORIAN"]
    for meeting in meetings:
        lines += _event(row, meeting, made_at)
    for one in todo:
        lines += _todo(row, one, made_at)
    return "".join(_folded(line) for line in [*lines, "END:VCALENDAR"])


def _event(row: ClassRow, meeting: Meeting, made_at: datetime) -> list[str]:
    topic = f": {meeting.topic}" if meeting.topic else ""
    return [
        "BEGIN:VEVENT",
        f"UID:{_uid(row.id, meeting.number)}",
        f"DTSTAMP:{_utc(made_at)}",
        f"DTSTART:{_utc(meeting.starts_at)}",
        f"DTEND:{_utc(meeting.ends_at)}",
        f"SUMMARY:{escaped(f'{row.code} meeting {meeting.number}{topic}')}",
        f"DESCRIPTION:{escaped(f'{row.title}, {row.benches} benches')}",
        "BEGIN:VALARM",
        "ACTION:DISPLAY",
        "TRIGGER:-PT30M",
        f"DESCRIPTION:{escaped(f'{row.code} in half an hour')}",
        "END:VALARM",
        "END:VEVENT",
    ]


def _todo(row: ClassRow, one: ToDo, made_at: datetime) -> list[str]:
    when = [f"DTSTART:{_utc(one.at)}", "DURATION:PT15M"] if one.at else []
    if one.day and not one.at:
        when = [f"DTSTART;VALUE=DATE:{one.day:%Y%m%d}"]
    return [
        "BEGIN:VEVENT",
        f"UID:{one.key}@helvor",
        f"DTSTAMP:{_utc(made_at)}",
        *when,
        f"SUMMARY:{escaped(f'{row.code}: {one.words}')}",
        "END:VEVENT",
    ]


def _uid(class_id: UUID, number: int) -> str:
    return f"{class_id}-{number}@helvor"


def _utc(moment: datetime) -> str:
    return f"{moment.astimezone(UTC):%Y%m%dT%H%M%SZ}"


def escaped(text: str) -> str:
    r"""Text as a value (RFC 5545, 3.3.11).

    >>> escaped("weigh, dry; weigh\nagain")
    'weigh\\, dry\\; weigh\\nagain'
    """
    for sign, written in (("\\", "\\\\"), (";", "\\;"), (",", "\\,"), ("\n", "\\n")):
        text = text.replace(sign, written)
    return text


def _folded(line: str) -> str:
    """A line in pieces of at most 75 octets, never within a letter."""
    out, now = [], ""
    for letter in line:
        if len((now + letter).encode()) > FOLD:
            out.append(now)
            now = " "
        now += letter
    return "\r\n".join([*out, now]) + "\r\n"
