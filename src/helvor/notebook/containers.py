"""The container register of a class. Notes are in ink; codes are short enough to be read off a label."""

from __future__ import annotations

import secrets
from collections.abc import Sequence
from dataclasses import dataclass
from uuid import UUID, uuid5

import psycopg
from psycopg.types.json import Jsonb

from helvor.core.record.container import KINDS, NOTES, Container, Note, fold
from helvor.core.record.entry import Payload, Problem
from helvor.notebook.page_errors import NotYours

_LETTERS = "ABCDEFGHJKLMNPQRSTUVWXYZ23456789"
"""Without those that are taken for each other on a wet label."""


@dataclass(frozen=True, slots=True)
class Kept:
    """A container with its notes, oldest first."""

    id: UUID
    now: Container
    notes: list[Note]


_CONTAINERS = """
SELECT c.id, c.code, c.label, c.kind FROM container c
WHERE c.class_id = %(class)s AND (EXISTS
    (SELECT FROM instructor_of t WHERE t.class_id = c.class_id AND t.account_id = %(account)s)
    OR EXISTS (SELECT FROM bench b WHERE b.class_id = c.class_id AND b.worker_id = %(account)s))
ORDER BY c.kind, lower(c.label)
"""


def containers_of(conn: psycopg.Connection, account_id: int, class_id: UUID) -> list[Kept]:
    """The containers of a class; none if the account neither teaches it nor works at one of its benches."""
    rows = conn.execute(_CONTAINERS, {"account": account_id, "class": class_id}).fetchall()
    notes: dict[UUID, list[Note]] = {row[0]: [] for row in rows}
    for container_id, says, by, at in conn.execute(
        "SELECT n.container_id, n.says, a.name, n.made_at FROM container_note n JOIN account a ON a.id = n.made_by"
        " WHERE n.container_id = ANY(%s) ORDER BY n.container_id, n.seq",
        [list(notes)],
    ).fetchall():
        notes[container_id].append(Note(NOTES.validate_python(says), by, at))
    return [Kept(key, fold(code, label, kind, notes[key]), notes[key]) for key, code, label, kind in rows]


def add(conn: psycopg.Connection, account_id: int, class_id: UUID, container_id: UUID, label: str, kind: str) -> None:
    """Register a container; the same id registers nothing more.

    Raises:
        NotYours: the account does not teach the class.
        Problem: the label is taken, or it is of no known kind.
    """
    label = " ".join(label.split())
    if kind not in KINDS:
        raise Problem("kind", "Choose the kind of container from the list.")
    if not label or len(label) > 40 or not label.isprintable():
        raise Problem("label", "Enter the label as written on the glass, at most 40 characters.")
    with conn.transaction():
        taught = conn.execute(
            "SELECT FROM instructor_of WHERE class_id = %s AND account_id = %s FOR SHARE", [class_id, account_id]
        ).fetchone()
        if taught is None:
            raise NotYours
        if conn.execute("SELECT FROM container WHERE id = %s", [container_id]).fetchone() is not None:
            return
        codes = {row[0] for row in conn.execute("SELECT code FROM container WHERE class_id = %s", [class_id])}
        code = next(c for c in iter(_code, "") if c not in codes)
        try:
            with conn.transaction():
                conn.execute(
                    "INSERT INTO container (id, class_id, code, label, kind, made_by) VALUES (%s, %s, %s, %s, %s, %s)",
                    [container_id, class_id, code, label, kind, account_id],
                )
        except psycopg.errors.UniqueViolation as taken:
            raise Problem("label", f"Container “{label}” exists already: enter another label.") from taken


def _code() -> str:
    return "".join(secrets.choice(_LETTERS) for _ in range(4))


def note(
    conn: psycopg.Connection, account_id: int, class_id: UUID, container_id: UUID, note_id: UUID, says: Payload
) -> None:
    """Write a note on a container, once however often it is sent.

    Raises:
        NotYours: the container is not in a class that the account teaches.
    """
    with conn.transaction():
        row = conn.execute(
            "SELECT c.id FROM container c JOIN instructor_of t ON t.class_id = c.class_id AND t.account_id = %s"
            " WHERE c.id = %s AND c.class_id = %s FOR UPDATE OF c",
            [account_id, container_id, class_id],
        ).fetchone()
        if row is None:
            raise NotYours
        conn.execute(
            "INSERT INTO container_note (id, container_id, seq, says, made_by)"
            " SELECT %(id)s, %(container)s, coalesce(max(seq), 0) + 1, %(says)s, %(account)s FROM container_note"
            " WHERE container_id = %(container)s ON CONFLICT (id) DO NOTHING",
            {
                "id": note_id,
                "container": container_id,
                "says": Jsonb(says.model_dump(mode="json")),
                "account": account_id,
            },
        )


def make_bottle(
    conn: psycopg.Connection, account_id: int, class_id: UUID, entry: UUID, label: str, says: Sequence[Payload]
) -> None:
    """Register a stock bottle with what was made in it; one of this label that is there already is filled anew.

    Sent twice with one id it is written once.

    Raises:
        NotYours: the account does not teach the class.
        Problem: the label is none, or belongs to something that is no bottle.
    """
    label = " ".join(label.split())[:40]
    with conn.transaction():
        known = conn.execute(
            "SELECT id, kind FROM container WHERE class_id = %s AND lower(label) = lower(%s)", [class_id, label]
        ).fetchone()
        key = known[0] if known else uuid5(entry, "bottle")
        if known is None:
            add(conn, account_id, class_id, key, label, "bottle")
        elif known[1] != "bottle":
            raise Problem("label", f"“{label}” is a {KINDS[known[1]]} already: enter another label for the bottle.")
        for number, one in enumerate(says):
            note(conn, account_id, class_id, key, uuid5(entry, str(number)), one)


def bottles_of(conn: psycopg.Connection, account_id: int, class_id: UUID) -> Sequence[Kept]:
    """Stock bottles that hold a solution now."""
    return [kept for kept in containers_of(conn, account_id, class_id) if kept.now.solution is not None]
