"""Classes, their meetings and benches, as far as an account may see them."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field
from datetime import datetime
from typing import Any
from uuid import UUID

import psycopg
from psycopg.rows import class_row

from helvor.bench.techniques import TECHNIQUES


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
    benches: int
    pages: int


@dataclass(frozen=True, slots=True)
class PageOnBoard:
    """A page as the board shows it; ``summary`` is the projection of its worksheet."""

    id: UUID
    technique: str
    number: int
    entries: int
    started_at: datetime
    summary: dict[str, Any]

    @property
    def address(self) -> str:
        return f"{TECHNIQUES[self.technique].address}/{self.id}"

    @property
    def title(self) -> str:
        return self.summary.get("title") or f"{TECHNIQUES[self.technique].title} {self.number}"


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
        return f"Bench {self.number}" if self.number else "Front bench"


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


def add_meeting(
    conn: psycopg.Connection, class_id: UUID, number: int, starts_at: datetime, ends_at: datetime, topic: str
) -> None:
    conn.execute(
        "INSERT INTO meeting (class_id, number, starts_at, ends_at, topic) VALUES (%s, %s, %s, %s, %s)",
        [class_id, number, starts_at, ends_at, topic],
    )


def classes_of(conn: psycopg.Connection, account_id: int) -> list[ClassRow]:
    """The classes that an account teaches."""
    with conn.cursor(row_factory=class_row(ClassRow)) as cursor:
        return cursor.execute(
            """
            SELECT c.id, c.code, c.title, count(DISTINCT b.id) AS benches, count(p.id) AS pages
            FROM class c JOIN instructor_of t ON t.class_id = c.id AND t.account_id = %s
            LEFT JOIN bench b ON b.class_id = c.id LEFT JOIN page p ON p.bench_id = b.id
            GROUP BY c.id ORDER BY c.code
            """,
            [account_id],
        ).fetchall()


def open_class(conn: psycopg.Connection, account_id: int, class_id: UUID) -> ClassRow | None:
    """One class, or None if the account does not teach it."""
    return next((found for found in classes_of(conn, account_id) if found.id == class_id), None)


def state_of(conn: psycopg.Connection, account_id: int, class_id: UUID) -> str | None:
    """A short text that changes whenever anything is written in a class; None if the account does not teach it."""
    row = conn.execute(
        """
        SELECT count(p.id), coalesce(sum(p.entries), 0) FROM class c
        JOIN instructor_of t ON t.class_id = c.id AND t.account_id = %s
        LEFT JOIN bench b ON b.class_id = c.id LEFT JOIN page p ON p.bench_id = b.id
        WHERE c.id = %s GROUP BY c.id
        """,
        [account_id, class_id],
    ).fetchone()
    return f"{row[0]}-{row[1]}" if row else None


def meetings_of(conn: psycopg.Connection, class_id: UUID) -> list[Meeting]:
    with conn.cursor(row_factory=class_row(Meeting)) as cursor:
        return cursor.execute(
            'SELECT number, starts_at, ends_at, topic, count(*) OVER () AS "of"'
            " FROM meeting WHERE class_id = %s ORDER BY number",
            [class_id],
        ).fetchall()


def benches_of(conn: psycopg.Connection, class_id: UUID) -> list[Bench]:
    """The benches of a class with their pages, in order. Ask :func:`open_class` first."""
    return _with_pages(conn, "b.class_id = %s", class_id)


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


def _with_pages(conn: psycopg.Connection, where: str, *values: object) -> list[Bench]:
    # `where` is one of the three constants above; values only ever go in as parameters.
    rows = conn.execute(
        "SELECT b.id, b.class_id, b.number, b.pair,"  # noqa: S608
        " p.id, p.technique, p.number, p.entries, p.started_at, p.summary"
        " FROM bench b LEFT JOIN page p ON p.bench_id = b.id"
        f" WHERE {where} ORDER BY b.number, b.id, p.started_at, p.number",
        values,
    ).fetchall()
    benches: dict[UUID, Bench] = {}
    for row in rows:
        bench = benches.setdefault(row[0], Bench(*row[:4]))
        if row[4] is not None:
            bench.pages.append(PageOnBoard(*row[4:]))
    return list(benches.values())
