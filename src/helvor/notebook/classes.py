"""Classes, their meetings and benches, as far as an account may see them."""

from __future__ import annotations

import json
from collections import OrderedDict
from collections.abc import Sequence
from dataclasses import dataclass, field
from datetime import datetime
from functools import lru_cache
from threading import Lock
from typing import Any
from uuid import UUID

import psycopg
from psycopg.rows import class_row

from helvor.core.record.entry import Problem
from helvor.core.record.worksheet import PageSummary
from helvor.core.techniques.registered import PAGE_KINDS
from helvor.notebook.accounts import sessions_changed
from helvor.notebook.page_errors import NotYours


@dataclass(frozen=True, slots=True)
class Meeting:
    number: int
    starts_at: datetime
    ends_at: datetime
    topic: str
    of: int


@dataclass(frozen=True, slots=True)
class ClassRow:
    id: UUID
    code: str
    title: str
    course: str
    benches: int
    pages: int
    archived: bool = False


@dataclass(frozen=True, slots=True)
class PageOnBoard:
    """A page as the board shows it; ``summary`` is the projection of its worksheet."""

    id: UUID
    technique: str
    number: int
    entries: int
    started_at: datetime
    summary: PageSummary
    procedure: UUID | None = None
    version: int | None = None
    virtual: bool = False
    """A page of practice: nothing of it was weighed."""

    @property
    def address(self) -> str:
        return f"{PAGE_KINDS[self.technique].address}/{self.id}"

    @property
    def title(self) -> str:
        return self.summary.title or f"{PAGE_KINDS[self.technique].title} {self.number}"


@dataclass(slots=True)
class Bench:
    """A bench; ``number`` is None for an instructor's own front bench."""

    id: UUID
    class_id: UUID | None
    number: int | None
    pair: str
    pages: list[PageOnBoard] = field(default_factory=list)

    @property
    def name(self) -> str:
        return f"Bench {self.number}" if self.number else "My bench"


@dataclass(frozen=True, slots=True)
class EarlierClass:
    """Another class that did the same work, to hold this one against."""

    id: UUID
    code: str
    title: str
    benches: int


def with_work(conn: psycopg.Connection, account_id: int, class_id: UUID, work: str) -> list[EarlierClass]:
    """Other classes of the account with a page of that title, the newest first; archived ones too."""
    with conn.cursor(row_factory=class_row(EarlierClass)) as cursor:
        return cursor.execute(
            """
            SELECT c.id, c.code, c.title, count(DISTINCT b.id)::integer AS benches
            FROM class c JOIN instructor_of t ON t.class_id = c.id AND t.account_id = %s
                JOIN bench b ON b.class_id = c.id JOIN page p ON p.bench_id = b.id
            WHERE c.id <> %s AND (p.summary ->> 'title' = %s OR (%s = 'Plates' AND p.technique = 'planar'))
            GROUP BY c.id, c.code, c.title ORDER BY max(p.started_at) DESC LIMIT 12
            """,
            [account_id, class_id, work, work],
        ).fetchall()


def rules_of(conn: psycopg.Connection, class_id: UUID) -> dict[str, str]:
    """The house rules of a class's institution, question → school. Ask :func:`open_class` first."""
    row = conn.execute(
        "SELECT i.house_rules FROM class c JOIN institution i ON i.id = c.institution_id WHERE c.id = %s", [class_id]
    ).fetchone()
    return dict(row[0]) if row else {}


def add_class(
    conn: psycopg.Connection,
    institution_id: int,
    code: str,
    title: str,
    pairs: Sequence[str],
    instructors: Sequence[int],
) -> UUID:
    """Make a class with a bench for each pair, numbered from 1."""
    with conn.transaction():
        row = conn.execute(
            "INSERT INTO class (institution_id, code, title) VALUES (%s, %s, %s) RETURNING id",
            [institution_id, code, title],
        ).fetchone()
        if row is None:
            raise RuntimeError("the database returned no row for an insert")
        class_id: UUID = row[0]
        with conn.cursor() as cursor:
            cursor.executemany(
                "INSERT INTO bench (class_id, number, pair) VALUES (%s, %s, %s)",
                [(class_id, number, pair) for number, pair in enumerate(pairs, start=1)],
            )
            cursor.executemany(
                "INSERT INTO instructor_of (class_id, account_id) VALUES (%s, %s)",
                [(class_id, account_id) for account_id in instructors],
            )
    return class_id


MOST_BENCHES, MOST_MEETINGS = 48, 60


def make_class(
    conn: psycopg.Connection, account_id: int, class_id: UUID, code: str, title: str, course: str, benches: int
) -> None:
    """Make a class that the account teaches, with empty benches; the same id makes nothing more.

    Raises:
        NotYours: the account is no instructor's.
        Problem: a field that cannot be taken.
    """
    code, title, course = _class_names(code, title, course)
    if not 1 <= benches <= MOST_BENCHES:
        raise Problem("benches", f"Enter 1 to {MOST_BENCHES} benches.")
    with conn.transaction():
        row = conn.execute(
            "SELECT institution_id FROM account WHERE id = %s AND role = 'instructor' FOR UPDATE", [account_id]
        ).fetchone()
        if row is None:
            raise NotYours
        if conn.execute("SELECT FROM class WHERE id = %s", [class_id]).fetchone() is not None:
            return
        _code_is_free(conn, row[0], class_id, code)
        conn.execute(
            "INSERT INTO class (id, institution_id, code, title, course) VALUES (%s, %s, %s, %s, %s)",
            [class_id, row[0], code, title, course],
        )
        conn.execute("INSERT INTO instructor_of (class_id, account_id) VALUES (%s, %s)", [class_id, account_id])
        conn.execute(
            "INSERT INTO bench (class_id, number) SELECT %s, n FROM generate_series(1, %s) n", [class_id, benches]
        )


def name_class(conn: psycopg.Connection, account_id: int, class_id: UUID, code: str, title: str, course: str) -> None:
    """Give a class another code, title and course.

    Raises:
        NotYours: the account does not teach it.
        Problem: a field that cannot be taken.
    """
    code, title, course = _class_names(code, title, course)
    with conn.transaction():
        _code_is_free(conn, _taught(conn, account_id, class_id), class_id, code)
        conn.execute(
            "UPDATE class SET code = %s, title = %s, course = %s WHERE id = %s", [code, title, course, class_id]
        )


def _class_names(code: str, title: str, course: str) -> tuple[str, str, str]:
    code, title, course = (" ".join(text.split()) for text in (code, title, course))
    if not 1 <= len(code) <= 16 or not code.isprintable():
        raise Problem("code", "Enter a short code for the class, such as SEP-2.")
    if not 1 <= len(title) <= 80 or not title.isprintable():
        raise Problem("title", "Enter a title of at most 80 characters.")
    if len(course) > 80 or not course.isprintable():
        raise Problem("course", "Enter a course of at most 80 characters.")
    return code, title, course


def _code_is_free(conn: psycopg.Connection, institution: int, class_id: UUID, code: str) -> None:
    taken = conn.execute(
        "SELECT FROM class WHERE institution_id = %s AND lower(code) = lower(%s) AND id <> %s",
        [institution, code, class_id],
    ).fetchone()
    if taken is not None:
        raise Problem("code", f"Class {code} exists already: enter another code.")


def _taught(conn: psycopg.Connection, account_id: int, class_id: UUID) -> int:
    """The institution of a class that the account teaches; the class is locked until the end of the transaction."""
    row = conn.execute(
        "SELECT c.institution_id FROM class c JOIN instructor_of t ON t.class_id = c.id AND t.account_id = %s"
        " WHERE c.id = %s FOR UPDATE OF c",
        [account_id, class_id],
    ).fetchone()
    if row is None:
        raise NotYours
    return int(row[0])


def set_benches(conn: psycopg.Connection, account_id: int, class_id: UUID, pairs: Sequence[str]) -> None:
    """Number the benches from 1 and say who works at each.

    Raises:
        NotYours: the account does not teach the class.
        Problem: too many or none, a name too long, or a bench that has something on record would go.
    """
    pairs = [" ".join(pair.split()) for pair in pairs]
    if not 1 <= len(pairs) <= MOST_BENCHES:
        raise Problem("benches", f"Enter 1 to {MOST_BENCHES} benches.")
    for number, pair in enumerate(pairs, start=1):
        if len(pair) > 60 or (pair and not pair.isprintable()):
            raise Problem(f"pair_{number}", "Enter names of at most 60 characters.")
    with conn.transaction():
        _taught(conn, account_id, class_id)
        # Other hands sign with another name: their tablets join anew.
        moved = conn.execute(
            "SELECT b.id, b.worker_id FROM bench b LEFT JOIN unnest(%s::text[]) WITH ORDINALITY AS w(pair, number)"
            " ON w.number = b.number WHERE b.class_id = %s AND b.worker_id IS NOT NULL"
            " AND w.pair IS DISTINCT FROM b.pair",
            [pairs, class_id],
        ).fetchall()
        for bench_id, worker in moved:
            conn.execute("DELETE FROM session WHERE account_id = %s", [worker])
            conn.execute("UPDATE bench SET worker_id = NULL WHERE id = %s", [bench_id])
            # Who wrote nothing leaves no name behind: nothing will ever be signed with it.
            conn.execute(
                "UPDATE account SET name = 'Bench' WHERE id = %s AND NOT EXISTS"
                " (SELECT FROM entry WHERE author_id = account.id)",
                [worker],
            )
        for number, pair in enumerate(pairs, start=1):
            conn.execute(
                "INSERT INTO bench (class_id, number, pair) VALUES (%s, %s, %s)"
                " ON CONFLICT (class_id, number) DO UPDATE SET pair = excluded.pair",
                [class_id, number, pair],
            )
        kept = conn.execute(
            "SELECT number FROM bench b WHERE class_id = %s AND number > %s"
            " AND EXISTS (SELECT FROM page p WHERE p.bench_id = b.id) ORDER BY number DESC",
            [class_id, len(pairs)],
        ).fetchone()
        if kept is not None:
            raise Problem("benches", f"Bench {kept[0]} has records, so it cannot be removed.")
        gone = [class_id, len(pairs)]
        conn.execute(
            "DELETE FROM unknown_dealt d USING bench b WHERE b.id = d.bench_id AND b.class_id = %s AND b.number > %s",
            gone,
        )
        conn.execute("DELETE FROM bench WHERE class_id = %s AND number > %s", gone)
    sessions_changed()


@dataclass(frozen=True, slots=True)
class LastWritten:
    """The newest entry of a class: where, by whom, when."""

    bench: int
    pair: str
    page: UUID
    technique: str
    summary: PageSummary
    by: str
    at: datetime

    @property
    def address(self) -> str:
        return f"{PAGE_KINDS[self.technique].address}/{self.page}"


def _last_written(row: tuple[Any, ...]) -> LastWritten:
    bench, pair, page, technique, summary, by, at = row
    return LastWritten(bench, pair, page, technique, PageSummary.read(summary), by, at)


_LAST = """
SELECT newest.number, newest.pair, p.id, p.technique, p.summary, a.name, newest.written_at
FROM (SELECT b.number, b.pair, e.page_id, e.author_id, e.written_at
    FROM bench b JOIN page q ON q.bench_id = b.id CROSS JOIN LATERAL
        (SELECT page_id, author_id, written_at FROM entry WHERE page_id = q.id ORDER BY seq DESC LIMIT 1) e
    WHERE b.class_id = %(class)s AND NOT q.virtual ORDER BY e.written_at DESC LIMIT 1) newest
JOIN page p ON p.id = newest.page_id JOIN account a ON a.id = newest.author_id
"""


@dataclass(frozen=True, slots=True)
class PlannedMeeting:
    """A meeting as it is planned: when, and what about."""

    starts_at: datetime
    ends_at: datetime
    topic: str


def set_meetings(conn: psycopg.Connection, account_id: int, class_id: UUID, planned: Sequence[PlannedMeeting]) -> None:
    """Plan the meetings of a class, numbered from 1 in their order.

    Raises:
        NotYours: the account does not teach the class.
        Problem: they overlap, are out of order, or one that has something on record would go.
    """
    if len(planned) > MOST_MEETINGS:
        raise Problem("meetings", f"Enter at most {MOST_MEETINGS} meetings.")
    before = None
    for number, meeting in enumerate(planned, start=1):
        if meeting.ends_at <= meeting.starts_at:
            raise Problem(f"until_{number}", "Enter an end after the start.")
        if before is not None and meeting.starts_at < before:
            raise Problem(
                f"from_{number}", f"Meeting {number} starts before meeting {number - 1} ends: enter a later time."
            )
        if len(meeting.topic) > 60:
            raise Problem(f"topic_{number}", "Enter a topic of at most 60 characters.")
        before = meeting.ends_at
    with conn.transaction():
        _taught(conn, account_id, class_id)
        kept = conn.execute(
            "SELECT max(meeting) FROM (SELECT meeting FROM prep_done WHERE class_id = %(class)s"
            " UNION ALL SELECT meeting FROM room_entry WHERE class_id = %(class)s) used WHERE meeting > %(last)s",
            {"class": class_id, "last": len(planned)},
        ).fetchone()
        if kept is not None and kept[0] is not None:
            raise Problem("meetings", f"Meeting {kept[0]} has records, so it cannot be removed.")
        conn.execute("DELETE FROM meeting WHERE class_id = %s AND number > %s", [class_id, len(planned)])
        for number, meeting in enumerate(planned, start=1):
            conn.execute(
                "INSERT INTO meeting (class_id, number, starts_at, ends_at, topic) VALUES (%s, %s, %s, %s, %s)"
                " ON CONFLICT (class_id, number) DO UPDATE SET starts_at = excluded.starts_at,"
                " ends_at = excluded.ends_at, topic = excluded.topic",
                [class_id, number, meeting.starts_at, meeting.ends_at, meeting.topic],
            )


def add_meeting(
    conn: psycopg.Connection, class_id: UUID, number: int, starts_at: datetime, ends_at: datetime, topic: str
) -> None:
    conn.execute(
        "INSERT INTO meeting (class_id, number, starts_at, ends_at, topic) VALUES (%s, %s, %s, %s, %s)",
        [class_id, number, starts_at, ends_at, topic],
    )


_CLASS_ROWS = """
SELECT c.id, c.code, c.title, c.course,
    (SELECT count(*) FROM bench b WHERE b.class_id = c.id) AS benches,
    (SELECT count(*) FROM page p JOIN bench b ON b.id = p.bench_id WHERE b.class_id = c.id AND NOT p.virtual) AS pages,
    c.archived_at IS NOT NULL AS archived
FROM class c JOIN instructor_of t ON t.class_id = c.id AND t.account_id = %(account)s
"""


def classes_of(conn: psycopg.Connection, account_id: int) -> list[ClassRow]:
    """The classes that an account teaches and that are not put away."""
    with conn.cursor(row_factory=class_row(ClassRow)) as cursor:
        return cursor.execute(
            _CLASS_ROWS + "WHERE c.archived_at IS NULL ORDER BY c.code", {"account": account_id}
        ).fetchall()


def archived_of(conn: psycopg.Connection, account_id: int) -> list[ClassRow]:
    """The classes of an account that were put away, the newest first."""
    with conn.cursor(row_factory=class_row(ClassRow)) as cursor:
        return cursor.execute(
            _CLASS_ROWS + "WHERE c.archived_at IS NOT NULL ORDER BY c.archived_at DESC", {"account": account_id}
        ).fetchall()


def open_class(conn: psycopg.Connection, account_id: int, class_id: UUID) -> ClassRow | None:
    """One class, or None if the account does not teach it."""
    with conn.cursor(row_factory=class_row(ClassRow)) as cursor:
        return cursor.execute(
            _CLASS_ROWS + "WHERE c.id = %(class)s", {"account": account_id, "class": class_id}
        ).fetchone()


def teaches(conn: psycopg.Connection, account_id: int, class_id: UUID) -> bool:
    """Whether an account teaches a class: the question alone, without counting what is in it."""
    row = conn.execute(
        "SELECT FROM instructor_of WHERE class_id = %s AND account_id = %s", [class_id, account_id]
    ).fetchone()
    return row is not None


_STATE = """
SELECT count(p.id), coalesce(sum(p.entries), 0),
    (SELECT count(*) FROM room_entry e WHERE e.class_id = c.id),
    (SELECT coalesce(sum(f.entries), 0) + count(*) FILTER (WHERE NOT f.behind) FROM page f
        JOIN bench o ON o.id = f.bench_id WHERE o.account_id = %(account)s),
    -- A summary that caught up, or says that it cannot, is another row of the same page.
    to_hex(coalesce(bit_xor(hashtextextended(p.id::text || p.xmin::text, 0)), 0))
FROM class c
JOIN instructor_of t ON t.class_id = c.id AND t.account_id = %(account)s
LEFT JOIN bench b ON b.class_id = c.id LEFT JOIN page p ON p.bench_id = b.id
WHERE c.id = %(class)s GROUP BY c.id
"""


def _state(row: tuple[Any, ...] | None) -> str | None:
    return "-".join(str(part) for part in row) if row else None


def state_of(conn: psycopg.Connection, account_id: int, class_id: UUID) -> str | None:
    """A short text that changes whenever anything is written in a class, its logs, or at the asker's front bench.

    None if the account does not teach the class.
    """
    row = conn.execute(_STATE, {"account": account_id, "class": class_id}).fetchone()
    return _state(row)


_MEETINGS = """
SELECT number, starts_at, ends_at, topic, count(*) OVER () FROM meeting WHERE class_id = %(class)s ORDER BY number
"""


def meetings_of(conn: psycopg.Connection, class_id: UUID) -> list[Meeting]:
    """The meetings of a class in order. Ask :func:`open_class` first."""
    return [Meeting(*row) for row in conn.execute(_MEETINGS, {"class": class_id}).fetchall()]


def benches_of(conn: psycopg.Connection, class_id: UUID) -> list[Bench]:
    """The benches of a class with their pages, in order. Ask :func:`open_class` first."""
    asked = {"class": class_id}
    return _benches(tuple(conn.execute(_ON_BOARD + "WHERE b.class_id = %(class)s" + _IN_ORDER, asked).fetchall()))


@dataclass(frozen=True, slots=True)
class ClassRead:
    """A class as its board needs it: ``seen`` names this state of it, ``kit`` counts what it shares."""

    row: ClassRow
    seen: str
    meetings: list[Meeting]
    benches: list[Bench]
    kit: dict[str, int]
    last: LastWritten | None


_PRINT = """
SELECT sum(hashtextextended(b.ctid::text || b.xmin::text, 0)),
    sum(hashtextextended(p.ctid::text || p.xmin::text, 1)), count(p.id)
FROM bench b LEFT JOIN page p ON p.bench_id = b.id WHERE b.class_id = %(class)s
"""
"""Changes with every row of the benches and their pages that is written: place and transaction of each."""

_read: OrderedDict[tuple[str, UUID], tuple[object, list[Bench], LastWritten | None]] = OrderedDict()
_read_lock = Lock()
_MOST_READ = 50


def read_class(conn: psycopg.Connection, account_id: int, class_id: UUID) -> ClassRead | None:
    """Everything for the board in one go: asked one after another it would be half of the page's time.

    None if the account does not teach the class. Benches of which no row was written since they were read last
    are not read again.
    """
    asked = {"account": account_id, "class": class_id}
    key = (f"{conn.info.host}:{conn.info.port}/{conn.info.dbname}", class_id)
    with conn.pipeline():
        row = conn.execute(_CLASS_ROWS + "WHERE c.id = %(class)s", asked)
        # Asked before the benches: what is written in between is then new, never missed.
        state = conn.execute(_STATE, asked)
        meetings = conn.execute(_MEETINGS, asked)
        kit = conn.execute("SELECT name, count FROM class_kit WHERE class_id = %(class)s ORDER BY name", asked)
        marks = conn.execute(_PRINT, asked)
        found = row.fetchone()
        if found is None:
            return None
        now = marks.fetchone()
        with _read_lock:
            known = _read.get(key)
        if known is None or known[0] != now:
            benches = conn.execute(_ON_BOARD + "WHERE b.class_id = %(class)s" + _IN_ORDER, asked)
            last = conn.execute(_LAST, asked)
            newest = last.fetchone()
            known = (now, _benches(tuple(benches.fetchall())), _last_written(newest) if newest else None)
            with _read_lock:
                _read[key] = known
                while len(_read) > _MOST_READ:
                    _read.popitem(last=False)
        _, here, written = known
        return ClassRead(
            ClassRow(*found),
            _state(state.fetchone()) or "",
            [Meeting(*one) for one in meetings.fetchall()],
            here,
            dict(kit.fetchall()),
            written,
        )


def open_bench(conn: psycopg.Connection, account_id: int, bench_id: UUID) -> Bench | None:
    """A bench with its pages, or None if the account may not see it."""
    found = _with_pages(
        conn,
        "b.id = %s AND (b.account_id = %s OR b.worker_id = %s OR EXISTS"
        " (SELECT FROM instructor_of t WHERE t.class_id = b.class_id AND t.account_id = %s))",
        bench_id,
        account_id,
        account_id,
        account_id,
    )
    return found[0] if found else None


def bench_worked_at(conn: psycopg.Connection, account_id: int) -> UUID | None:
    """The bench that a bench's own account works at."""
    row = conn.execute("SELECT id FROM bench WHERE worker_id = %s", [account_id]).fetchone()
    return row[0] if row else None


def front_bench(conn: psycopg.Connection, account_id: int) -> Bench:
    """The instructor's own bench; every account has one."""
    return _with_pages(conn, "b.account_id = %s", account_id)[0]


_BENCHES = """
SELECT b.id, b.class_id, b.number, b.pair,
    p.id, p.technique, p.number, p.entries, p.started_at, p.summary::text, p.procedure_id, p.procedure_version,
    p.virtual
FROM bench b LEFT JOIN page p ON p.bench_id = b.id
"""
_ON_BOARD = _BENCHES.rstrip() + " AND NOT p.virtual "
"""The same without pages of practice."""

_IN_ORDER = " ORDER BY b.number, b.id, p.started_at, p.number, p.id"


@lru_cache(maxsize=4096)
def _summary(text: str) -> PageSummary:
    """A summary read; the same text is read once."""
    return PageSummary.read(json.loads(text))


def _with_pages(conn: psycopg.Connection, where: str, *values: object) -> list[Bench]:
    # `where` is one of the three constants above; values only ever go in as parameters.
    return _benches(tuple(conn.execute(f"{_BENCHES} WHERE {where} {_IN_ORDER}", values).fetchall()))


@lru_cache(maxsize=64)
def _benches(rows: tuple[tuple[Any, ...], ...]) -> list[Bench]:
    """Benches with their pages; the same rows give the very same list, so nobody may change it."""
    benches: dict[UUID, Bench] = {}
    for key, class_id, number, pair, page, technique, n, entries, started, summary, procedure, version, virtual in rows:
        bench = benches.get(key)
        if bench is None:
            bench = benches[key] = Bench(key, class_id, number, pair)
        if page is not None:
            bench.pages.append(
                PageOnBoard(page, technique, n, entries, started, _summary(summary), procedure, version, virtual)
            )
    return list(benches.values())
