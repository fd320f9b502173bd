"""People, sign-in and sessions.

Passwords are kept as argon2id hashes. A session is a random token in a cookie; the
database holds only its SHA-256, so a copy of the database signs nobody in.
"""

from __future__ import annotations

import hashlib
import math
import secrets
import time
from collections import OrderedDict
from dataclasses import dataclass, field
from datetime import datetime, timedelta
from threading import Lock
from typing import Any
from uuid import UUID
from zoneinfo import ZoneInfo

import psycopg
from argon2 import PasswordHasher
from argon2.exceptions import InvalidHashError, VerificationError

from helvor.core.record.house_rules import HouseRules
from helvor.core.record.house_words import HouseWords

SESSION_LIFE = timedelta(hours=14)
THROTTLE_WINDOW = timedelta(minutes=15)
FREE_TRIES, FREE_TRIES_AT_A_PERSON, FREE_TRIES_OF_A_PLACE = 5, 30, 40
"""Failures that cost no wait: of one person at one address, at one person from anywhere, of one address."""
LONGEST_DELAY = 300.0

_hasher = PasswordHasher()
# Verifying against this takes as long as a real one, so a stranger cannot tell who has an account.
_NOBODY = _hasher.hash(secrets.token_urlsafe())


@dataclass(frozen=True, slots=True)
class Account:
    id: int
    email: str
    name: str
    institution: str
    time_zone: str
    is_demo: bool
    role: str = "instructor"
    words: HouseWords = field(default_factory=HouseWords)

    @property
    def zone(self) -> ZoneInfo:
        """The institution's time zone."""
        return ZoneInfo(self.time_zone)

    @property
    def initials(self) -> str:
        words = self.name.split()
        return (words[0][0] + (words[-1][0] if len(words) > 1 else "")).upper()


@dataclass(frozen=True, slots=True)
class Session:
    account: Account
    csrf: str


class TooManyAttempts(Exception):
    """After wrong tries the next one waits.

    Attributes:
        wait: whole seconds from now.
    """

    def __init__(self, wait: float) -> None:
        super().__init__(f"wait {wait:.0f} s")
        self.wait = max(1, math.ceil(wait))

    @property
    def words(self) -> str:
        """How long that is."""
        return f"{self.wait} seconds" if self.wait < 120 else f"{math.ceil(self.wait / 60)} minutes"


def add_institution(conn: psycopg.Connection, name: str, time_zone: str) -> int:
    row = conn.execute(
        "INSERT INTO institution (name, time_zone) VALUES (%s, %s) RETURNING id", [name, time_zone]
    ).fetchone()
    return _one(row)


def add_instructor(
    conn: psycopg.Connection, institution_id: int, email: str, name: str, password: str, *, is_demo: bool = False
) -> int:
    """Make an instructor's account and its front bench; the account's id.

    Raises:
        psycopg.errors.UniqueViolation: the address has an account already.
    """
    return add_account(conn, institution_id, email, name, password, "instructor", is_demo=is_demo)


def add_account(
    conn: psycopg.Connection,
    institution_id: int,
    email: str,
    name: str,
    password: str,
    role: str,
    *,
    is_demo: bool = False,
) -> int:
    """Make an account of a role and its front bench; the account's id.

    Raises:
        psycopg.errors.UniqueViolation: the address has an account already.
    """
    with conn.transaction():
        account_id = _one(
            conn.execute(
                "INSERT INTO account (institution_id, email, name, password_hash, is_demo, role)"
                " VALUES (%s, %s, %s, %s, %s, %s) RETURNING id",
                [institution_id, email.strip().lower(), name, _hasher.hash(password), is_demo, role],
            ).fetchone()
        )
        conn.execute("INSERT INTO bench (account_id) VALUES (%s)", [account_id])
    return account_id


def _one(row: tuple[Any, ...] | None) -> int:
    if row is None:
        raise RuntimeError("the database returned no row for an insert")
    return int(row[0])


def any_accounts(conn: psycopg.Connection, *, demo: bool | None = None) -> bool:
    """Whether there is an account; with *demo*, one that is, or is not, a demo account."""
    row = conn.execute(
        "SELECT EXISTS (SELECT FROM account WHERE %(demo)s::boolean IS NULL OR is_demo = %(demo)s)", {"demo": demo}
    ).fetchone()
    return bool(row and row[0])


def set_password(conn: psycopg.Connection, email: str, password: str) -> str:
    """Give an account a new password and end all its sessions; the name it belongs to.

    For an administrator at the server's own terminal: nobody is asked for the old one.

    Raises:
        KeyError: no account that signs in has this address.
    """
    with conn.transaction():
        row = conn.execute(
            "UPDATE account SET password_hash = %s WHERE email = %s AND role <> 'bench' RETURNING id, name",
            [_hasher.hash(password), email.strip().lower()],
        ).fetchone()
        if row is None:
            raise KeyError(email)
        conn.execute("DELETE FROM session WHERE account_id = %s", [row[0]])
        note_event(conn, row[0], None, "password set", "at the server's terminal; all sessions ended")
    sessions_changed()
    return str(row[1])


def change_password(conn: psycopg.Connection, account_id: int, old: str, new: str, here: str) -> bool:
    """Give oneself a new password; all other sessions end. Whether the old one was right.

    Args:
        here: the token of the session that stays.

    Raises:
        TooManyAttempts: after wrong ones the next waits.
    """
    row = conn.execute("SELECT email, password_hash FROM account WHERE id = %s", [account_id]).fetchone()
    assert row is not None  # whoever asks has a session
    wait = _wait_for(conn, row[0], _OWN)
    if wait > 0:
        raise TooManyAttempts(wait)
    ok = _fits(row[1], old)
    conn.execute("INSERT INTO sign_in_attempt (email, address, ok) VALUES (%s, %s, %s)", [row[0], _OWN, ok])
    if ok:
        put_password(conn, account_id, new, account_id, "by oneself; other sessions ended", here)
    return ok


_OWN = "change of password"
"""Stands for the address where somebody who is signed in gives their password again."""


def put_password(
    conn: psycopg.Connection, account_id: int, new: str, made_by: int | None, detail: str, here: str = ""
) -> None:
    """Write a new password of somebody whose right to it was checked, and end their sessions but this one."""
    with conn.transaction():
        conn.execute("UPDATE account SET password_hash = %s WHERE id = %s", [_hasher.hash(new), account_id])
        conn.execute("DELETE FROM session WHERE account_id = %s AND token_sha256 <> %s", [account_id, _sha256(here)])
        note_event(conn, account_id, made_by, "password set", detail)
    sessions_changed()


def note_event(conn: psycopg.Connection, account_id: int, made_by: int | None, what: str, detail: str = "") -> None:
    """Write down what happened to an account: a sign-in, another role, a new password."""
    conn.execute(
        "INSERT INTO account_event (institution_id, account_id, made_by, what, detail)"
        " SELECT institution_id, id, %s, %s, %s FROM account WHERE id = %s",
        [made_by, what, detail[:300], account_id],
    )


def sign_in(
    conn: psycopg.Connection, email: str, password: str, address: str, *, allow_demo: bool, device: str = ""
) -> tuple[str, Session] | None:
    """Check a password and open a session: its token and the session, or None if it does not fit.

    Raises:
        TooManyAttempts: after failures the next try is to wait; for how long it says.
    """
    email = email.strip().lower()[:200]
    wait = _wait_for(conn, email, address)
    if wait > 0:
        raise TooManyAttempts(wait)
    row = conn.execute("SELECT id, password_hash, is_demo FROM account WHERE email = %s", [email]).fetchone()
    account_id, stored, is_demo = row or (None, _NOBODY, False)
    ok = _fits(stored, password) and account_id is not None and (allow_demo or not is_demo)
    conn.execute("INSERT INTO sign_in_attempt (email, address, ok) VALUES (%s, %s, %s)", [email, address[:60], ok])
    if not ok:
        if account_id is not None:
            note_event(conn, account_id, None, "sign-in failed", f"from {address[:60]}")
        return None
    conn.execute("DELETE FROM session WHERE expires_at < now()")
    # Where somebody signed in is remembered longer: there nobody else's guesses slow them down.
    conn.execute(
        "DELETE FROM sign_in_attempt WHERE at < now() - CASE WHEN ok THEN interval '90 days' ELSE interval '1 day' END"
    )
    note_event(conn, account_id, account_id, "signed in", f"from {address[:60]}")
    return open_session(conn, account_id, device)


def open_session(conn: psycopg.Connection, account_id: int, device: str = "") -> tuple[str, Session]:
    """Open a session for an account whose right to it was checked: its token and the session."""
    token, csrf = secrets.token_urlsafe(32), secrets.token_urlsafe(24)
    conn.execute(
        "INSERT INTO session (token_sha256, account_id, csrf, expires_at, device) VALUES (%s, %s, %s, now() + %s, %s)",
        [_sha256(token), account_id, csrf, SESSION_LIFE, device[:120]],
    )
    session = session_of(conn, token)
    if session is None:
        raise RuntimeError("a session vanished while it was opened")
    return token, session


def delay_after(failures: int, free: int, longest: float = LONGEST_DELAY) -> float:
    """Seconds to wait after so many failures, of which the first *free* cost nothing; each one more doubles it.

    >>> [delay_after(n, 4) for n in (0, 3, 4, 5, 8, 50)]
    [0.0, 0.0, 1.0, 2.0, 16.0, 300.0]
    """
    return 0.0 if failures < free else float(min(longest, 2.0 ** min(failures - free, 30)))


_TRIES = """
SELECT count(*) FILTER (WHERE email = %(email)s AND address = %(address)s AND at > since),
    extract(epoch FROM now() - max(at) FILTER (WHERE email = %(email)s AND address = %(address)s)),
    count(*) FILTER (WHERE email = %(email)s), extract(epoch FROM now() - max(at) FILTER (WHERE email = %(email)s)),
    count(*) FILTER (WHERE address = %(address)s AND (email = 'join') = (%(email)s = 'join')
        AND at > now() - %(window)s),
    extract(epoch FROM now() - max(at) FILTER (
        WHERE address = %(address)s AND (email = 'join') = (%(email)s = 'join'))),
    (SELECT EXISTS (SELECT FROM sign_in_attempt WHERE email = %(email)s AND address = %(address)s AND ok))
FROM sign_in_attempt, (SELECT coalesce(max(at), '-infinity') AS since FROM sign_in_attempt
    WHERE email = %(email)s AND address = %(address)s AND ok) last
WHERE NOT ok AND at > now() - interval '1 day' AND (email = %(email)s OR address = %(address)s)
"""


def _wait_for(conn: psycopg.Connection, email: str, address: str) -> float:
    """Seconds that this person has to wait at this address before the next try.

    Who mistypes waits for themselves. Guessing at one person from many addresses, or at many people from one, slows
    down only those who never signed in there: nobody shuts the right person out.
    """
    row = conn.execute(_TRIES, {"email": email, "address": address[:60], "window": THROTTLE_WINDOW}).fetchone()
    assert row is not None  # an aggregate has its one row
    own, own_ago, person, person_ago, place, place_ago, known = row
    waits = [(delay_after(own, FREE_TRIES), own_ago)]
    if not known:
        waits += [
            (delay_after(person, FREE_TRIES_AT_A_PERSON), person_ago),
            (delay_after(place, FREE_TRIES_OF_A_PLACE), place_ago),
        ]
    return max(delay - float(ago if ago is not None else delay) for delay, ago in waits)


def _fits(stored: str, password: str) -> bool:
    try:
        return _hasher.verify(stored, password)
    except (VerificationError, InvalidHashError):
        return False


def _sha256(token: str) -> bytes:
    return hashlib.sha256(token.encode()).digest()


TRUSTED_FOR = 1.0
"""Seconds for which a session that the database just vouched for is taken as it was."""


class _Vouched:
    """Sessions that were looked up a moment ago, so that typing a reading does not ask for each letter.

    Whatever ends a session or changes an account in this process drops them all at once
    (:func:`sessions_changed`); what another process did counts after :data:`TRUSTED_FOR`.
    """

    def __init__(self, most: int) -> None:
        self._most = most
        self._known: OrderedDict[bytes, tuple[float, Session]] = OrderedDict()
        self._lock = Lock()
        self.changes = 0

    def get(self, key: bytes) -> Session | None:
        with self._lock:
            known = self._known.get(key)
        return known[1] if known is not None and time.monotonic() - known[0] < TRUSTED_FOR else None

    def put(self, key: bytes, session: Session, asked: float, changes: int) -> None:
        """Keep what was found; *asked* is when the question was put, and *changes* how many there were then."""
        with self._lock:
            if self.changes != changes:
                return  # something ended while the database was asked
            self._known[key] = asked, session
            self._known.move_to_end(key)
            while len(self._known) > self._most:
                self._known.popitem(last=False)

    def clear(self) -> None:
        with self._lock:
            self._known.clear()
            self.changes += 1


_vouched = _Vouched(most=1000)


def sessions_changed() -> None:
    """Take no session on trust from here on: one was ended, or somebody's account changed."""
    _vouched.clear()


NO_ANSWER = (psycopg.OperationalError,)
"""What a look-up raises when the database does not answer."""


def vouched_for(token: str) -> Session | None:
    """The session a token belongs to, if that was looked up within the last moment."""
    return _vouched.get(_sha256(token))


def session_of(conn: psycopg.Connection, token: str) -> Session | None:
    """The session a token belongs to, while it lasts."""
    key, asked, changes = _sha256(token), time.monotonic(), _vouched.changes
    row = conn.execute(
        """
        SELECT a.id, a.email, a.name, i.name, i.time_zone, a.is_demo, a.role, i.house_rules, s.csrf
        FROM session s JOIN account a ON a.id = s.account_id JOIN institution i ON i.id = a.institution_id
        WHERE s.token_sha256 = %s AND s.expires_at > now()
        """,
        [key],
    ).fetchone()
    if row is None:
        return None
    session = Session(Account(*(*row[:7], HouseRules(row[7]).house_words)), row[8])
    _vouched.put(key, session, asked, changes)
    return session


def sign_out(conn: psycopg.Connection, token: str) -> None:
    conn.execute("DELETE FROM session WHERE token_sha256 = %s", [_sha256(token)])
    sessions_changed()


@dataclass(frozen=True, slots=True)
class Device:
    """A session as its owner sees it: what it runs on, since when, and whether it is the one asking."""

    id: UUID
    device: str
    since: datetime
    until: datetime
    here: bool


def sessions_of(conn: psycopg.Connection, account_id: int, token: str) -> list[Device]:
    """The open sessions of an account, the newest first; *token* tells which one is asking."""
    rows = conn.execute(
        "SELECT id, device, created_at, expires_at, token_sha256 = %s FROM session"
        " WHERE account_id = %s AND expires_at > now() ORDER BY created_at DESC",
        [_sha256(token), account_id],
    ).fetchall()
    return [Device(*row) for row in rows]


def end_session(conn: psycopg.Connection, account_id: int, session: UUID) -> None:
    """Sign one of an account's own sessions out; one that has ended, or is another's, changes nothing."""
    ended = conn.execute("DELETE FROM session WHERE id = %s AND account_id = %s", [session, account_id]).rowcount
    sessions_changed()
    if ended:
        note_event(conn, account_id, account_id, "session ended", "from the list of sessions")
