"""Benches join a class by a short-lived code; their sessions see one bench and can be ended.

A bench has one account for all its tablets. It has no password, so only a code opens a session for
it, and it owns nothing: what it may see and write hangs on the bench that it works at.
"""

from __future__ import annotations

import secrets
from dataclasses import dataclass
from datetime import datetime, timedelta
from uuid import UUID, uuid4

import psycopg

from helvor.notebook.accounts import (
    THROTTLE_WINDOW,
    Session,
    TooManyAttempts,
    delay_after,
    note_event,
    open_session,
    sessions_changed,
)
from helvor.notebook.classes import teaches
from helvor.notebook.pages import NotYours

CODE_LIFE = timedelta(minutes=30)
LETTERS = "ABCDEFGHJKMNPQRSTUVWXYZ23456789"
"""No I, L, O, 0 or 1: they are read wrongly from a board."""
CODE_LENGTH = 8
FREE_GUESSES = 40
LONGEST_WAIT = 4.0
"""Seconds between wrong codes from one address once there were many. A whole school may come from one address: it
is slowed, never shut out, and a guess in four seconds among 10¹¹ codes gets nowhere in the half hour of a code."""
_NOBODY = "join"


@dataclass(frozen=True, slots=True)
class Code:
    """A code of a class and when it ends."""

    code: str
    expires_at: datetime

    @property
    def shown(self) -> str:
        """In two halves, to be read out: ``KM7P 3QRX``."""
        return f"{self.code[:4]} {self.code[4:]}"


@dataclass(frozen=True, slots=True)
class Joined:
    """A tablet that joined."""

    id: UUID
    bench: int
    pair: str
    device: str
    since: datetime


def _mine(conn: psycopg.Connection, account_id: int, class_id: UUID) -> None:
    if not teaches(conn, account_id, class_id):
        raise NotYours


def code_of(conn: psycopg.Connection, account_id: int, class_id: UUID) -> Code | None:
    """The code that is open, if one is.

    Raises:
        NotYours: the account does not teach the class.
    """
    _mine(conn, account_id, class_id)
    row = conn.execute(
        "SELECT code, expires_at FROM join_code WHERE class_id = %s AND expires_at > now()", [class_id]
    ).fetchone()
    return Code(*row) if row else None


def open_code(conn: psycopg.Connection, account_id: int, class_id: UUID) -> Code:
    """A fresh code; an older one no longer opens anything."""
    _mine(conn, account_id, class_id)
    code = "".join(secrets.choice(LETTERS) for _ in range(CODE_LENGTH))
    row = conn.execute(
        "INSERT INTO join_code (class_id, code, made_by, expires_at) VALUES (%s, %s, %s, now() + %s)"
        " ON CONFLICT (class_id) DO UPDATE SET code = excluded.code, made_by = excluded.made_by,"
        " expires_at = excluded.expires_at RETURNING code, expires_at",
        [class_id, code, account_id, CODE_LIFE],
    ).fetchone()
    assert row is not None
    return Code(*row)


def close_code(conn: psycopg.Connection, account_id: int, class_id: UUID) -> None:
    """No more tablets may join; those that did stay."""
    _mine(conn, account_id, class_id)
    conn.execute("DELETE FROM join_code WHERE class_id = %s", [class_id])


def join(
    conn: psycopg.Connection, code: str, number: int, device: str, address: str, *, allow_demo: bool
) -> tuple[str, Session] | None:
    """A session at a bench for who knows the code: its token and the session, or None if it does not fit.

    Raises:
        TooManyAttempts: after many wrong codes from this address the next one waits a few seconds.
    """
    row = conn.execute(
        "SELECT count(*), extract(epoch FROM now() - max(at)) FROM sign_in_attempt"
        " WHERE email = %s AND address = %s AND NOT ok AND at > now() - %s",
        [_NOBODY, address[:60], THROTTLE_WINDOW],
    ).fetchone()
    assert row is not None  # an aggregate has its one row
    wait = delay_after(row[0], FREE_GUESSES, LONGEST_WAIT) - float(row[1] or 0)
    if wait > 0:
        raise TooManyAttempts(wait)
    plain = "".join(code.split()).upper().replace("-", "")[:20]
    with conn.transaction():
        row = conn.execute(
            """
            SELECT b.id, b.number, b.pair, b.worker_id, c.institution_id, a.is_demo
            FROM join_code j JOIN class c ON c.id = j.class_id JOIN account a ON a.id = j.made_by
            JOIN bench b ON b.class_id = c.id AND b.number = %s
            WHERE j.code = %s AND j.expires_at > now() FOR UPDATE OF b
            """,
            [number, plain],
        ).fetchone()
        fits = row is not None and (allow_demo or not row[5])
        conn.execute(
            "INSERT INTO sign_in_attempt (email, address, ok) VALUES (%s, %s, %s)", [_NOBODY, address[:60], fits]
        )
        if row is None or not fits:
            return None
        bench_id, bench_number, pair, worker, institution, is_demo = row
        if worker is None:
            worker = _worker(conn, institution, bench_id, bench_number, pair, is_demo=is_demo)
        note_event(conn, worker, None, "tablet joined", device)
        return open_session(conn, worker, device)


def _worker(
    conn: psycopg.Connection, institution: int, bench_id: UUID, number: int, pair: str, *, is_demo: bool
) -> int:
    row = conn.execute(
        "INSERT INTO account (institution_id, email, name, password_hash, is_demo, role)"
        " VALUES (%s, %s, %s, '', %s, 'bench') RETURNING id",
        [institution, f"bench-{uuid4()}@bench.invalid", f"Bench {number}" + (f", {pair}" if pair else ""), is_demo],
    ).fetchone()
    assert row is not None
    conn.execute("UPDATE bench SET worker_id = %s WHERE id = %s", [row[0], bench_id])
    return int(row[0])


def joined(conn: psycopg.Connection, account_id: int, class_id: UUID) -> list[Joined]:
    """Tablets that joined a class and are still in, by bench."""
    _mine(conn, account_id, class_id)
    rows = conn.execute(
        "SELECT s.id, b.number, b.pair, s.device, s.created_at FROM session s"
        " JOIN bench b ON b.worker_id = s.account_id WHERE b.class_id = %s AND s.expires_at > now()"
        " ORDER BY b.number, s.created_at",
        [class_id],
    ).fetchall()
    return [Joined(*row) for row in rows]


def send_away(conn: psycopg.Connection, account_id: int, class_id: UUID, session: UUID) -> None:
    """End a tablet's session; one that has ended stays so."""
    _mine(conn, account_id, class_id)
    conn.execute(
        "DELETE FROM session s USING bench b WHERE b.worker_id = s.account_id AND b.class_id = %s AND s.id = %s",
        [class_id, session],
    )
    sessions_changed()
