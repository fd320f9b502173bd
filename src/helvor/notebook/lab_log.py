"""The log of a meeting: written under a lock on its class, each entry once, in ink."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime
from typing import Any
from uuid import UUID, uuid4

import psycopg
from psycopg.types.json import Jsonb

from helvor.core.classroom.meeting.day import Day, check, gather, where_and_what
from helvor.core.classroom.meeting.entries import OF_THE_DAY, TabletOpened
from helvor.core.record.entry import Entry, Problem, line_of
from helvor.core.techniques.registered import PAGE_KINDS
from helvor.notebook.classes import teaches
from helvor.notebook.page_errors import EntryIdTaken, NotYours
from helvor.notebook.pages import Draft

MOST_ENTRIES = 1000


@dataclass(frozen=True, slots=True)
class Book:
    """A meeting's log with its entries, oldest first, and what they add up to."""

    meeting: int
    entries: list[Entry]
    day: Day


_ENTRIES = """
SELECT e.id, e.seq, e.payload, e.strikes, e.reason, a.name, e.written_at
FROM room_entry e JOIN account a ON a.id = e.author_id WHERE e.class_id = %s AND e.meeting = %s ORDER BY e.seq
"""


def _entry(row: tuple[Any, ...]) -> Entry:
    key, seq, payload, strikes, reason, by, at = row
    return Entry(key, seq, OF_THE_DAY.validate_python(payload), strikes, reason, by, at)


def _read(conn: psycopg.Connection, class_id: UUID, meeting: int) -> list[Entry]:
    return [_entry(row) for row in conn.execute(_ENTRIES, [class_id, meeting]).fetchall()]


def open_book(conn: psycopg.Connection, account_id: int, class_id: UUID, meeting: int) -> Book:
    """The log of a meeting; an empty one before anything is written.

    Raises:
        NotYours: the account does not teach the class.
    """
    if not teaches(conn, account_id, class_id):
        raise NotYours
    return read_book(conn, class_id, meeting)


def read_book(conn: psycopg.Connection, class_id: UUID, meeting: int) -> Book:
    """The same for who has asked for the class already."""
    entries = _read(conn, class_id, meeting)
    return Book(meeting, entries, gather(entries))


def write(
    conn: psycopg.Connection,
    account_id: int,
    author: str,
    class_id: UUID,
    meeting: int,
    draft: Draft,
) -> Book:
    """Write an entry in a meeting's log, once however often it is sent.

    Raises:
        NotYours: the account does not teach the class.
        Problem: the book as it stands cannot hold it; nothing is written.
        EntryIdTaken: the id was used for something else.
    """
    with conn.transaction():
        row = conn.execute(
            "SELECT (SELECT count(*) FROM bench b WHERE b.class_id = c.id) FROM class c"
            " JOIN instructor_of t ON t.class_id = c.id AND t.account_id = %s WHERE c.id = %s FOR UPDATE OF c",
            [account_id, class_id],
        ).fetchone()
        if row is None:
            raise NotYours
        return _write(conn, account_id, author, class_id, meeting, draft, row[0])


def note_tablet(conn: psycopg.Connection, worker: int, class_id: UUID, says: TabletOpened) -> None:
    """Write in the log of the meeting that runs, or of the nearest one, which bench a tablet opened.

    The bench writes it itself. Where the class has no meeting, or the book is full, nothing is written here: a full
    book keeps nobody from the bench, and what happened to accounts says it too.
    """
    with conn.transaction():
        row = conn.execute(
            "SELECT m.number, (SELECT count(*) FROM bench b WHERE b.class_id = c.id), a.name"
            " FROM class c JOIN meeting m ON m.class_id = c.id, account a WHERE c.id = %s AND a.id = %s"
            " ORDER BY greatest(m.starts_at - now(), now() - m.ends_at, interval '0') LIMIT 1 FOR UPDATE OF c",
            [class_id, worker],
        ).fetchone()
        if row is not None and len(_read(conn, class_id, row[0])) < MOST_ENTRIES:
            _write(conn, worker, row[2], class_id, row[0], Draft(uuid4(), says), row[1])


def _write(
    conn: psycopg.Connection,
    account_id: int,
    author: str,
    class_id: UUID,
    meeting: int,
    draft: Draft,
    benches: int,
) -> Book:
    """The same for somebody whose right to it was asked, and in a transaction that holds the class."""
    says = OF_THE_DAY.validate_python(draft.payload.model_dump(mode="json"))
    strikes = draft.strikes
    with conn.transaction():
        entries = _read(conn, class_id, meeting)
        known = next((one for one in entries if one.id == draft.id), None)
        if known is not None:
            if known.payload != says or known.by != author:
                raise EntryIdTaken
            return Book(meeting, entries, gather(entries))
        if len(entries) >= MOST_ENTRIES:
            raise Problem("", f"This lab log is full at {MOST_ENTRIES} entries.")
        day = gather(entries)
        if strikes is not None:
            line = line_of(day.lines, strikes)
            if line is None:
                raise Problem("strikes", "The entry to correct is not in this log.")
            if len(draft.reason.strip()) < 2:
                raise Problem("reason", "Give a short reason: misread, entered twice, over.")
            strikes = line.head.id
        check(day, says, strikes, benches)
        try:
            conn.execute(
                "INSERT INTO room_entry (id, class_id, meeting, seq, kind, payload, strikes, reason, author_id,"
                " written_at) VALUES (%s, %s, %s, %s, %s, %s, %s, %s, %s, coalesce(%s, now()))",
                [
                    draft.id,
                    class_id,
                    meeting,
                    len(entries) + 1,
                    says.kind,
                    Jsonb(says.model_dump(mode="json")),
                    strikes,
                    draft.reason.strip() if strikes else "",
                    account_id,
                    draft.at,
                ],
            )
        except psycopg.errors.UniqueViolation as taken:
            raise EntryIdTaken from taken
        entries = _read(conn, class_id, meeting)
    return Book(meeting, entries, gather(entries))


@dataclass(frozen=True, slots=True)
class OpenAccident:
    """An accident of which nothing is written yet that was done about it: the class, its meeting, the entry."""

    class_id: UUID
    code: str
    meeting: int
    key: UUID
    what: str
    at: datetime


_MAY_BE_OPEN = """
SELECT DISTINCT c.id, c.code, e.meeting
FROM room_entry e JOIN class c ON c.id = e.class_id JOIN instructor_of t ON t.class_id = c.id AND t.account_id = %s
WHERE e.kind = 'happened' AND (%s::uuid IS NULL OR c.id = %s::uuid)
    AND NOT EXISTS (SELECT FROM room_entry s WHERE s.class_id = e.class_id AND s.meeting = e.meeting
        AND s.kind = 'settled' AND s.payload ->> 'accident' = e.id::text)
ORDER BY c.code, e.meeting
"""


def open_accidents(conn: psycopg.Connection, account_id: int, class_id: UUID | None = None) -> list[OpenAccident]:
    """Open accidents of every class that an account teaches, or of one, oldest first."""
    found = []
    for of, code, meeting in conn.execute(_MAY_BE_OPEN, [account_id, class_id, class_id]).fetchall():
        found += [
            OpenAccident(of, code, meeting, line.root.id, where_and_what(happened), line.root.at)
            for line, happened in gather(_read(conn, of, meeting)).accidents
        ]
    return sorted(found, key=lambda one: one.at)


def _under_way(conn: psycopg.Connection, class_id: UUID) -> Day:
    """The day of a class that counts now: the newest that runs or rests, else the newest with anything in its book."""
    meetings = conn.execute(
        "SELECT DISTINCT meeting FROM room_entry WHERE class_id = %s ORDER BY meeting DESC LIMIT 3", [class_id]
    ).fetchall()
    found = [gather(_read(conn, class_id, meeting)) for (meeting,) in meetings]
    return next((day for day in found if day.state in ("running", "paused")), found[0] if found else Day())


def notices_for(conn: psycopg.Connection, worker_id: int) -> list[str]:
    """What the front says now to the bench that an account works at; nothing for everybody else."""
    row = conn.execute("SELECT class_id FROM bench WHERE worker_id = %s", [worker_id]).fetchone()
    if row is None:
        return []
    day = _under_way(conn, row[0])
    standing = [said.words for _, said in day.notices]
    if day.state == "paused":
        standing.append(f"Meeting paused{': ' + day.pause if day.pause else ''}.")
    return standing


@dataclass(frozen=True, slots=True)
class AlarmAt:
    """A running timer and where it rings: the bench and its page, or the room of a class."""

    label: str
    due: datetime
    key: str
    where: str
    address: str
    class_code: str
    class_id: UUID | None


def room_alarms(day: Day, class_id: UUID, code: str) -> list[AlarmAt]:
    """The timers of the room itself."""
    address = f"/classes/{class_id}/log"
    return [AlarmAt(one.label, one.due, one.key, "All", address, code, class_id) for one in day.alarms]


def alarms_of(conn: psycopg.Connection, account_id: int, class_id: UUID | None = None) -> list[AlarmAt]:
    """Every timer that runs where an account teaches or works, the next due first; of one class with *class_id*."""
    rows = conn.execute(
        """
        SELECT p.id, p.technique, b.number, coalesce(c.code, ''), c.id, a.value
        FROM page p JOIN bench b ON b.id = p.bench_id LEFT JOIN class c ON c.id = b.class_id,
            jsonb_array_elements(coalesce(p.summary -> 'alarms', '[]')) a
        WHERE (b.account_id = %(account)s OR b.worker_id = %(account)s OR EXISTS
            (SELECT FROM instructor_of t WHERE t.class_id = b.class_id AND t.account_id = %(account)s))
            AND (%(class)s::uuid IS NULL OR b.class_id = %(class)s)
        """,
        {"account": account_id, "class": class_id},
    ).fetchall()
    found = [
        AlarmAt(
            alarm[0],
            datetime.fromisoformat(alarm[1]),
            alarm[2],
            f"Bench {number}" if number else "My bench",
            f"{PAGE_KINDS[technique].address}/{page}",
            code,
            of,
        )
        for page, technique, number, code, of, alarm in rows
    ]
    taught = conn.execute(
        """
        SELECT c.id, c.code FROM class c JOIN instructor_of t ON t.class_id = c.id AND t.account_id = %(account)s
        WHERE (%(class)s::uuid IS NULL OR c.id = %(class)s) AND EXISTS
            (SELECT FROM room_entry e WHERE e.class_id = c.id AND e.kind = 'room-timer')
        """,
        {"account": account_id, "class": class_id},
    ).fetchall()
    for of, code in taught:
        found += room_alarms(_under_way(conn, of), of, code)
    return sorted(found, key=lambda alarm: alarm.due)
