"""Reports that take a while, made beside the pages: how far they are, and what came of it."""

from __future__ import annotations

from dataclasses import dataclass
from uuid import UUID

import psycopg
from psycopg_pool import ConnectionPool

from helvor.notebook.page_errors import NotYours

STALE = "90 seconds"
"""A report that has said nothing for so long has died with its process."""
KEPT_FOR = "1 day"


@dataclass(frozen=True, slots=True)
class Job:
    """A report being made: parts laid out of all, whether it is there, and what went wrong."""

    id: UUID
    class_id: UUID
    done: int
    parts: int
    ready: bool
    trouble: str


def begin(conn: psycopg.Connection, account_id: int, class_id: UUID, key: UUID, parts: int) -> bool:
    """Note that a report is begun; False when it was before."""
    conn.execute("DELETE FROM report_job WHERE told_at < now() - %s::interval", [KEPT_FOR])
    row = conn.execute(
        "INSERT INTO report_job (id, class_id, account_id, parts) VALUES (%s, %s, %s, %s)"
        " ON CONFLICT (id) DO NOTHING RETURNING id",
        [key, class_id, account_id, parts],
    ).fetchone()
    return row is not None


def tell(pool: ConnectionPool, key: UUID, *, done: int = 0, content: bytes | None = None, trouble: str = "") -> None:
    """Say how far a report is, that it is there, or what went wrong."""
    with pool.connection() as conn:
        conn.execute(
            "UPDATE report_job SET done = greatest(done, %s), content = coalesce(%s, content), trouble = %s,"
            " told_at = now() WHERE id = %s",
            [done, content, trouble, key],
        )


def one(conn: psycopg.Connection, account_id: int, class_id: UUID, key: UUID) -> Job:
    """A report that the account asked for.

    Raises:
        NotYours: there is none.
    """
    row = conn.execute(
        "SELECT id, class_id, done, parts, content IS NOT NULL, CASE WHEN trouble = '' AND content IS NULL"
        " AND told_at < now() - %s::interval THEN 'It stopped half-way: ask for it again.' ELSE trouble END"
        " FROM report_job WHERE id = %s AND class_id = %s AND account_id = %s",
        [STALE, key, class_id, account_id],
    ).fetchone()
    if row is None:
        raise NotYours
    return Job(*row)


def content_of(conn: psycopg.Connection, account_id: int, class_id: UUID, key: UUID) -> bytes:
    """The report itself.

    Raises:
        NotYours: it is not there, or not yet.
    """
    row = conn.execute(
        "SELECT content FROM report_job WHERE id = %s AND class_id = %s AND account_id = %s AND content IS NOT NULL",
        [key, class_id, account_id],
    ).fetchone()
    if row is None:
        raise NotYours
    return bytes(row[0])
