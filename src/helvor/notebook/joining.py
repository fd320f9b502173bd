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

from helvor.core.classroom.meeting.entries import TabletOpened
from helvor.core.record.entry import Problem
from helvor.notebook import lab_log
from helvor.notebook.accounts import (
    THROTTLE_WINDOW,
    Session,
    TooManyAttempts,
    delay_after,
    note_event,
    open_session,
    session_of,
    sessions_changed,
    sign_out,
)
from helvor.notebook.classes import teaches
from helvor.notebook.page_errors import NotYours

CODE_LIFE = timedelta(minutes=30)
OWN_CODE_LIFE = timedelta(hours=14)
"""Of a bench's own code: it is handed out on paper, and opens that one bench."""
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
    code = _fresh_code()
    row = conn.execute(
        "INSERT INTO join_code (class_id, code, made_by, expires_at) VALUES (%s, %s, %s, now() + %s)"
        " ON CONFLICT (class_id) DO UPDATE SET code = excluded.code, made_by = excluded.made_by,"
        " expires_at = excluded.expires_at RETURNING code, expires_at",
        [class_id, code, account_id, CODE_LIFE],
    ).fetchone()
    assert row is not None
    return Code(*row)


def _fresh_code() -> str:
    return "".join(secrets.choice(LETTERS) for _ in range(CODE_LENGTH))


def close_code(conn: psycopg.Connection, account_id: int, class_id: UUID) -> None:
    """No more tablets may join; those that did stay."""
    _mine(conn, account_id, class_id)
    conn.execute("DELETE FROM join_code WHERE class_id = %s", [class_id])


def join(
    conn: psycopg.Connection,
    code: str,
    number: int,
    device: str,
    address: str,
    *,
    allow_demo: bool,
    leaving: str = "",
    sure: bool = False,
) -> tuple[str, Session] | None:
    """A session at a bench for who knows the code: its token and the session, or None if it does not fit.

    Args:
        leaving: the token of the session that the tablet has already, if any.
        sure: whoever holds it was asked whether it shall open another bench.

    Raises:
        Problem: the bench is locked.
        AnotherBench: the tablet works at another bench, and nobody was asked yet.
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
        row = conn.execute(_OPENED_BY, {"number": number, "code": plain}).fetchone()
        fits = row is not None and (allow_demo or not row[5])
        conn.execute(
            "INSERT INTO sign_in_attempt (email, address, ok) VALUES (%s, %s, %s)", [_NOBODY, address[:60], fits]
        )
        if row is None or not fits:
            return None
        bench_id, bench_number, pair, worker, institution, is_demo, locked, class_id = row
        if locked:
            raise Problem(
                "number", f"Bench {bench_number} is locked: no more tablets can join it. Ask your instructor."
            )
        before = at_bench(conn, leaving)
        if before is not None and before.bench_id != bench_id and not sure:
            raise AnotherBench(before, At(bench_id, class_id, bench_number, pair))
        if worker is None:
            worker = _worker(conn, institution, bench_id, bench_number, pair, is_demo=is_demo)
        note_event(conn, worker, None, "tablet joined", device)
        if before is not None and before.bench_id != bench_id:
            sign_out(conn, leaving)
            if before.class_id == class_id:
                lab_log.note_tablet(conn, worker, class_id, TabletOpened(bench=bench_number, before=before.number))
        return open_session(conn, worker, device)


_OPENED_BY = """
SELECT b.id, b.number, b.pair, b.worker_id, c.institution_id,
    (SELECT bool_or(a.is_demo) FROM instructor_of t JOIN account a ON a.id = t.account_id WHERE t.class_id = c.id),
    b.locked_at IS NOT NULL, c.id
FROM bench b JOIN class c ON c.id = b.class_id
WHERE b.number = %(number)s AND CASE WHEN b.own_code IS NOT NULL AND b.own_code_until > now()
    THEN b.own_code = %(code)s
    ELSE EXISTS (SELECT FROM join_code j WHERE j.class_id = c.id AND j.code = %(code)s AND j.expires_at > now()) END
FOR UPDATE OF b
"""
"""The bench of a number that a code opens: its own code where it has one, else that of the class."""


@dataclass(frozen=True, slots=True)
class At:
    """The bench that a tablet works at."""

    bench_id: UUID
    class_id: UUID
    number: int
    pair: str

    @property
    def name(self) -> str:
        return f"bench {self.number}" + (f", {self.pair}" if self.pair else "")


class AnotherBench(Exception):
    """A tablet that works at one bench is about to open another: whoever holds it is asked."""

    def __init__(self, before: At, wanted: At) -> None:
        super().__init__(f"{before.name} opens {wanted.name}")
        self.before = before
        self.wanted = wanted


def at_bench(conn: psycopg.Connection, token: str) -> At | None:
    """Where the tablet of a session works; None where the session is none, or somebody's with an account."""
    session = session_of(conn, token) if token else None
    if session is None or session.account.role != "bench":
        return None
    row = conn.execute(
        "SELECT id, class_id, number, pair FROM bench WHERE worker_id = %s", [session.account.id]
    ).fetchone()
    return At(*row) if row else None


@dataclass(frozen=True, slots=True)
class Door:
    """How a bench is joined: its own code where it has one that still holds, and whether it is locked."""

    bench: int
    pair: str
    code: str
    locked: bool

    @property
    def shown(self) -> str:
        return f"{self.code[:4]} {self.code[4:]}" if self.code else ""


def doors(conn: psycopg.Connection, account_id: int, class_id: UUID) -> list[Door]:
    """Every bench of a class and how it is joined."""
    _mine(conn, account_id, class_id)
    rows = conn.execute(
        "SELECT number, pair, CASE WHEN own_code_until > now() THEN coalesce(own_code, '') ELSE '' END,"
        " locked_at IS NOT NULL FROM bench WHERE class_id = %s ORDER BY number",
        [class_id],
    ).fetchall()
    return [Door(*row) for row in rows]


def give_codes(conn: psycopg.Connection, account_id: int, class_id: UUID, *, own: bool) -> None:
    """Give each bench a code of its own, which alone opens it from now on; or take them away again."""
    _mine(conn, account_id, class_id)
    with conn.transaction():
        for (bench,) in conn.execute("SELECT id FROM bench WHERE class_id = %s", [class_id]).fetchall():
            conn.execute(
                "UPDATE bench SET own_code = %s, own_code_until = now() + %s WHERE id = %s",
                [_fresh_code() if own else None, OWN_CODE_LIFE, bench],
            )


def lock(conn: psycopg.Connection, account_id: int, class_id: UUID, bench: int, *, locked: bool) -> None:
    """Let no further tablet join a bench, or let them again; those that joined stay."""
    _mine(conn, account_id, class_id)
    conn.execute(
        "UPDATE bench SET locked_at = CASE WHEN %s THEN coalesce(locked_at, now()) END"
        " WHERE class_id = %s AND number = %s",
        [locked, class_id, bench],
    )


def move(conn: psycopg.Connection, account_id: int, class_id: UUID, session: UUID, to: int) -> None:
    """Let a tablet that joined work at another bench of the class from here on.

    Raises:
        NotYours: the account does not teach the class, or it has no such tablet or bench.
    """
    _mine(conn, account_id, class_id)
    with conn.transaction():
        row = conn.execute(
            "SELECT b.id, b.number, b.pair, b.worker_id, c.institution_id, w.is_demo, was.number"
            " FROM session s JOIN bench was ON was.worker_id = s.account_id AND was.class_id = %(class)s"
            " JOIN account w ON w.id = s.account_id JOIN class c ON c.id = was.class_id"
            " JOIN bench b ON b.class_id = c.id AND b.number = %(to)s WHERE s.id = %(session)s FOR UPDATE OF b",
            {"class": class_id, "session": session, "to": to},
        ).fetchone()
        if row is None:
            raise NotYours
        bench_id, number, pair, worker, institution, is_demo, before = row
        if before == number:
            return
        if worker is None:
            worker = _worker(conn, institution, bench_id, number, pair, is_demo=is_demo)
        conn.execute("UPDATE session SET account_id = %s WHERE id = %s", [worker, session])
        note_event(conn, worker, account_id, "tablet moved", f"from bench {before}")
        lab_log.note_tablet(conn, worker, class_id, TabletOpened(bench=number, before=before, how="moved"))
    sessions_changed()


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
