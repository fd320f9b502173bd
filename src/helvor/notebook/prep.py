"""What a class shares, and what is ticked off of its prep sheets; several people may tick at once."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from datetime import datetime
from uuid import UUID

import psycopg

from helvor.core.record.entry import Problem
from helvor.notebook.classes import teaches
from helvor.notebook.page_errors import NotYours

MOST_KIT = 60


@dataclass(frozen=True, slots=True)
class Done:
    by: str
    at: datetime


def _mine(conn: psycopg.Connection, account_id: int, class_id: UUID) -> None:
    if not teaches(conn, account_id, class_id):
        raise NotYours


def kit_of(conn: psycopg.Connection, account_id: int, class_id: UUID) -> dict[str, int]:
    """Shared kit of a class and how many there are.

    Raises:
        NotYours: the account does not teach it.
    """
    _mine(conn, account_id, class_id)
    rows = conn.execute("SELECT name, count FROM class_kit WHERE class_id = %s ORDER BY name", [class_id]).fetchall()
    return dict(rows)


def set_kit(conn: psycopg.Connection, account_id: int, class_id: UUID, counts: Mapping[str, int]) -> None:
    """Write how many there are; kit that is not named is no longer counted."""
    _mine(conn, account_id, class_id)
    if len(counts) > MOST_KIT or not all(1 <= count <= 500 and 0 < len(name) <= 40 for name, count in counts.items()):
        raise Problem("kit", "Enter 1 to 500 of each kind, with a name of at most 40 characters.")
    with conn.transaction():
        conn.execute("DELETE FROM class_kit WHERE class_id = %s", [class_id])
        with conn.cursor() as cursor:
            cursor.executemany(
                "INSERT INTO class_kit (class_id, name, count) VALUES (%s, %s, %s)",
                [(class_id, name, count) for name, count in counts.items()],
            )


def done_of(
    conn: psycopg.Connection, account_id: int, class_id: UUID, meeting: int, procedure_id: UUID
) -> dict[str, Done]:
    """Lines that are ticked off, with who and when."""
    _mine(conn, account_id, class_id)
    rows = conn.execute(
        "SELECT d.line, a.name, d.done_at FROM prep_done d JOIN account a ON a.id = d.done_by"
        " WHERE d.class_id = %s AND d.meeting = %s AND d.procedure_id = %s",
        [class_id, meeting, procedure_id],
    ).fetchall()
    return {line: Done(by, at) for line, by, at in rows}


def tick(
    conn: psycopg.Connection,
    account_id: int,
    class_id: UUID,
    meeting: int,
    procedure_id: UUID,
    line: str,
    *,
    done: bool,
) -> None:
    """Tick a line off, or take that back. Doing either twice is the same as once; the first who ticked stays."""
    _mine(conn, account_id, class_id)
    if done:
        conn.execute(
            "INSERT INTO prep_done (class_id, meeting, procedure_id, line, done_by) VALUES (%s, %s, %s, %s, %s)"
            " ON CONFLICT DO NOTHING",
            [class_id, meeting, procedure_id, line, account_id],
        )
    else:
        conn.execute(
            "DELETE FROM prep_done WHERE class_id = %s AND meeting = %s AND procedure_id = %s AND line = %s",
            [class_id, meeting, procedure_id, line],
        )
