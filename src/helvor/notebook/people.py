"""The people of an institution: roles, invitations by link, which classes each teaches, and what happened to accounts.

An instructor of an institution sees and changes its people; an assistant does neither. Nobody changes
their own role, so that an institution keeps an instructor.
"""

from __future__ import annotations

import hashlib
import secrets
from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime, timedelta
from uuid import UUID
from zoneinfo import available_timezones

import psycopg

from helvor.core.record.entry import Problem
from helvor.notebook.accounts import Session, add_account, note_event, open_session, put_password, sessions_changed
from helvor.notebook.page_errors import NotYours

ROLES = {"instructor": "instructor", "assistant": "assistant"}
INVITATION_LIFE = timedelta(days=7)
SHORTEST_PASSWORD = 12
MOST_OPEN = 50


@dataclass(frozen=True, slots=True)
class Person:
    """Somebody with an account; ``classes`` are the codes of those that they teach."""

    id: int
    name: str
    email: str
    role: str
    classes: list[str]


@dataclass(frozen=True, slots=True)
class Invitation:
    """An open invitation."""

    id: UUID
    email: str
    role: str
    by: str
    until: datetime


@dataclass(frozen=True, slots=True)
class Invited:
    """What an invitation's link shows to whoever has it."""

    email: str
    role: str
    institution: str
    by: str


@dataclass(frozen=True, slots=True)
class Event:
    """Something that happened to an account."""

    at: datetime
    name: str
    what: str
    detail: str
    by: str


def _institution(conn: psycopg.Connection, account_id: int) -> int:
    """Whose people an account may see and change.

    Raises:
        NotYours: it is no instructor's.
    """
    row = conn.execute(
        "SELECT institution_id FROM account WHERE id = %s AND role = 'instructor'", [account_id]
    ).fetchone()
    if row is None:
        raise NotYours
    return int(row[0])


def people_of(conn: psycopg.Connection, account_id: int) -> list[Person]:
    """Everybody with an account of their own at the institution, by name, with the classes shared with the asker."""
    rows = conn.execute(
        """
        SELECT a.id, a.name, a.email, a.role,
            coalesce(array_agg(c.code ORDER BY c.code) FILTER (WHERE c.id IS NOT NULL), '{}')
        FROM account a LEFT JOIN instructor_of t ON t.account_id = a.id AND EXISTS
            (SELECT FROM instructor_of o WHERE o.class_id = t.class_id AND o.account_id = %s)
        LEFT JOIN class c ON c.id = t.class_id
        WHERE a.institution_id = %s AND a.role <> 'bench' GROUP BY a.id ORDER BY lower(a.name), a.id
        """,
        [account_id, _institution(conn, account_id)],
    ).fetchall()
    return [Person(*row) for row in rows]


def _person(conn: psycopg.Connection, institution: int, person: int) -> tuple[str, str]:
    row = conn.execute(
        "SELECT name, role FROM account WHERE id = %s AND institution_id = %s AND role <> 'bench' FOR UPDATE",
        [person, institution],
    ).fetchone()
    if row is None:
        raise NotYours
    return row[0], row[1]


def set_role(conn: psycopg.Connection, account_id: int, person: int, role: str) -> None:
    """Give somebody another role.

    Raises:
        NotYours: the person is not of the institution, or the asker no instructor.
        Problem: it is no role, or the asker's own.
    """
    with conn.transaction():
        institution = _institution(conn, account_id)
        _, old = _person(conn, institution, person)
        if role not in ROLES:
            raise Problem("role", "Choose instructor or assistant.")
        if person == account_id:
            raise Problem("role", "You cannot change your own role: ask another instructor.")
        if role == "assistant":
            alone = conn.execute(
                "SELECT c.code FROM class c JOIN instructor_of t ON t.class_id = c.id AND t.account_id = %s"
                " WHERE NOT EXISTS (SELECT FROM instructor_of o JOIN account a ON a.id = o.account_id"
                " AND a.role = 'instructor' WHERE o.class_id = c.id AND o.account_id <> %s) ORDER BY 1",
                [person, person],
            ).fetchone()
            if alone is not None and old == "instructor":
                raise Problem("role", f"{alone[0]} would have no instructor: assign another instructor first.")
        if role != old:
            conn.execute("UPDATE account SET role = %s WHERE id = %s", [role, person])
            note_event(conn, person, account_id, "role changed", f"{old} → {role}")
    sessions_changed()


def set_classes(conn: psycopg.Connection, account_id: int, person: int, classes: Sequence[UUID]) -> None:
    """Let somebody teach just these of the asker's classes; those that the asker does not teach stay as they are.

    Raises:
        NotYours: the person is not of the institution.
        Problem: a class would be left without an instructor.
    """
    with conn.transaction():
        institution = _institution(conn, account_id)
        _person(conn, institution, person)
        mine: dict[UUID, str] = dict(
            conn.execute(
                "SELECT c.id, c.code FROM class c JOIN instructor_of t ON t.class_id = c.id AND t.account_id = %s",
                [account_id],
            ).fetchall()
        )
        wanted = set(classes) & set(mine)
        before = {
            row[0]
            for row in conn.execute("SELECT class_id FROM instructor_of WHERE account_id = %s", [person])
            if row[0] in mine
        }
        if wanted == before:
            return
        for class_id in before - wanted:
            conn.execute("DELETE FROM instructor_of WHERE class_id = %s AND account_id = %s", [class_id, person])
            others = conn.execute(
                "SELECT FROM instructor_of t JOIN account a ON a.id = t.account_id AND a.role = 'instructor'"
                " WHERE t.class_id = %s",
                [class_id],
            ).fetchone()
            if others is None:
                raise Problem("classes", f"{mine[class_id]} would have no instructor: assign another instructor first.")
        for class_id in wanted - before:
            conn.execute("INSERT INTO instructor_of (class_id, account_id) VALUES (%s, %s)", [class_id, person])
        names = ", ".join(sorted(mine[c] for c in wanted)) or "none"
        note_event(conn, person, account_id, "classes changed", names)


def invite(
    conn: psycopg.Connection, account_id: int, invitation: UUID, email: str, role: str, classes: Sequence[UUID]
) -> str:
    """Invite somebody by a link, and give back its token: it is not kept and cannot be shown again.

    Sent twice with one id it is one invitation, and the newer link holds.

    Raises:
        NotYours: the asker is no instructor.
        Problem: the address is none, has an account already, or too many invitations are open.
    """
    email = email.strip().lower()
    institution = _institution(conn, account_id)
    if "@" not in email or not 3 <= len(email) <= 200 or any(letter.isspace() for letter in email):
        raise Problem("email", "Enter an e-mail address, such as rosa@example.org.")
    if role not in ROLES:
        raise Problem("role", "Choose instructor or assistant.")
    token = secrets.token_urlsafe(24)
    with conn.transaction():
        if conn.execute("SELECT FROM account WHERE email = %s", [email]).fetchone() is not None:
            raise Problem(
                "email",
                "This address already has an account: see the list.",
            )
        if len(_open_invitations(conn, institution)) >= MOST_OPEN:
            raise Problem("email", f"{MOST_OPEN} invitations are open: withdraw the ones you do not need.")
        mine = {
            row[0] for row in conn.execute("SELECT class_id FROM instructor_of WHERE account_id = %s", [account_id])
        }
        row = conn.execute(
            "INSERT INTO invitation (id, institution_id, token_sha256, email, role, classes, made_by, expires_at)"
            " VALUES (%s, %s, %s, %s, %s, %s, %s, now() + %s)"
            " ON CONFLICT (id) DO UPDATE SET token_sha256 = excluded.token_sha256"
            " WHERE invitation.made_by = excluded.made_by AND invitation.used_by IS NULL"
            " AND invitation.withdrawn_at IS NULL AND invitation.expires_at > now() RETURNING id",
            [
                invitation,
                institution,
                _sha256(token),
                email,
                role,
                [c for c in classes if c in mine],
                account_id,
                INVITATION_LIFE,
            ],
        ).fetchone()
        if row is None:
            raise Problem("email", "This invitation has been used or withdrawn: create a new one.")
        note_event(conn, account_id, account_id, "invited", f"{email} as {role}")
    return token


def _sha256(token: str) -> bytes:
    return hashlib.sha256(token.encode()).digest()


def _open_invitations(conn: psycopg.Connection, institution: int) -> list[Invitation]:
    rows = conn.execute(
        "SELECT i.id, i.email, i.role, a.name, i.expires_at FROM open_invitation i"
        " JOIN account a ON a.id = i.made_by WHERE i.institution_id = %s ORDER BY i.made_at",
        [institution],
    ).fetchall()
    return [Invitation(*row) for row in rows]


def invitations_of(conn: psycopg.Connection, account_id: int) -> list[Invitation]:
    """The institution's open invitations, oldest first."""
    return _open_invitations(conn, _institution(conn, account_id))


def withdraw(conn: psycopg.Connection, account_id: int, invitation: UUID) -> None:
    """Close an invitation's link; once closed it stays so.

    Raises:
        NotYours: it is not the institution's.
    """
    row = conn.execute(
        "UPDATE invitation SET withdrawn_at = coalesce(withdrawn_at, now()) WHERE id = %s AND institution_id = %s"
        " RETURNING email",
        [invitation, _institution(conn, account_id)],
    ).fetchone()
    if row is None:
        raise NotYours


def invited(conn: psycopg.Connection, token: str) -> Invited | None:
    """What a link invites to, or None when it is none, was used, withdrawn or has run out."""
    row = conn.execute(
        "SELECT i.email, i.role, n.name, a.name FROM open_invitation i"
        " JOIN institution n ON n.id = i.institution_id JOIN account a ON a.id = i.made_by WHERE i.token_sha256 = %s",
        [_sha256(token)],
    ).fetchone()
    return Invited(*row) if row else None


def accept(
    conn: psycopg.Connection, token: str, name: str, password: str, device: str, *, allow_demo: bool
) -> tuple[str, Session] | None:
    """Make the account that a link invites to, and a session for it; None when the link no longer invites.

    Raises:
        Problem: the name or the password is too short, or the address got an account meanwhile.
    """
    name = " ".join(name.split())
    if not 2 <= len(name) <= 80 or not name.isprintable():
        raise Problem("name", "Enter your name as it should appear beside your entries.")
    if len(password) < SHORTEST_PASSWORD:
        raise Problem("password", f"Enter a password of {SHORTEST_PASSWORD} characters or more.")
    with conn.transaction():
        row = conn.execute(
            "SELECT i.id, i.institution_id, i.email, i.role, i.classes, i.made_by, a.is_demo FROM invitation i"
            " JOIN account a ON a.id = i.made_by WHERE i.token_sha256 = %s AND i.used_by IS NULL"
            " AND i.withdrawn_at IS NULL AND i.expires_at > now() FOR UPDATE OF i",
            [_sha256(token)],
        ).fetchone()
        if row is None or (row[6] and not allow_demo):
            return None
        key, institution, email, role, classes, made_by, is_demo = row
        try:
            with conn.transaction():
                account = add_account(conn, institution, email, name, password, role, is_demo=is_demo)
        except psycopg.errors.UniqueViolation as known:
            raise Problem("name", "This address already has an account: sign in with it.") from known
        conn.execute("UPDATE invitation SET used_by = %s WHERE id = %s", [account, key])
        conn.execute(
            "INSERT INTO instructor_of (class_id, account_id) SELECT id, %s FROM class"
            " WHERE id = ANY(%s) AND institution_id = %s",
            [account, classes, institution],
        )
        note_event(conn, account, made_by, "joined by invitation", f"as {role}")
        return open_session(conn, account, device)


RESET_LIFE = timedelta(hours=24)


def reset_link(conn: psycopg.Connection, account_id: int, person: int) -> str:
    """A link with which somebody of the institution chooses a new password: its token, which is not kept.

    Raises:
        NotYours: the person is not of the institution, or the asker no instructor.
        Problem: it is oneself.
    """
    if person == account_id:
        raise Problem("reset", "Change your own password below, with your current password.")
    with conn.transaction():
        _person(conn, _institution(conn, account_id), person)
        return _reset_link(conn, person, account_id)


def reset_link_at_terminal(conn: psycopg.Connection, email: str) -> str:
    """The same at the server's own terminal.

    Raises:
        KeyError: nobody signs in so.
    """
    row = conn.execute(
        "SELECT id FROM account WHERE email = %s AND role <> 'bench'", [email.strip().lower()]
    ).fetchone()
    if row is None:
        raise KeyError(email)
    with conn.transaction():
        return _reset_link(conn, row[0], None)


def _reset_link(conn: psycopg.Connection, person: int, made_by: int | None) -> str:
    token = secrets.token_urlsafe(24)
    # An older link opens nothing any more.
    conn.execute("UPDATE password_reset SET used_at = now() WHERE account_id = %s AND used_at IS NULL", [person])
    conn.execute(
        "INSERT INTO password_reset (token_sha256, account_id, made_by, expires_at) VALUES (%s, %s, %s, now() + %s)",
        [_sha256(token), person, made_by, RESET_LIFE],
    )
    note_event(conn, person, made_by, "link for a new password made", "" if made_by else "at the server's terminal")
    return token


_RESET = """
SELECT a.id, a.name, a.email, r.made_by, a.is_demo FROM password_reset r JOIN account a ON a.id = r.account_id
WHERE r.token_sha256 = %s AND r.used_at IS NULL AND r.expires_at > now()
"""


def resetting(conn: psycopg.Connection, token: str) -> tuple[str, str] | None:
    """Name and address of whose password a link resets, or None when it is none, was used or has run out."""
    row = conn.execute(_RESET, [_sha256(token)]).fetchone()
    return (row[1], row[2]) if row else None


def reset(conn: psycopg.Connection, token: str, password: str, *, allow_demo: bool) -> bool:
    """Set the password that somebody chose by a link, and end their sessions; whether the link still held.

    Raises:
        Problem: the password is too short.
    """
    if len(password) < SHORTEST_PASSWORD:
        raise Problem("password", f"Enter a password of {SHORTEST_PASSWORD} characters or more.")
    with conn.transaction():
        row = conn.execute(_RESET + "FOR UPDATE OF r", [_sha256(token)]).fetchone()
        if row is None or (row[4] and not allow_demo):
            return False
        conn.execute("UPDATE password_reset SET used_at = now() WHERE token_sha256 = %s", [_sha256(token)])
        put_password(conn, row[0], password, row[3], "through a link; all sessions ended")
    return True


def events_of(conn: psycopg.Connection, account_id: int, most: int = 60) -> list[Event]:
    """What happened last to one's own account, to those that share a class with it, and what one did oneself."""
    rows = conn.execute(
        "SELECT e.at, a.name, e.what, e.detail, coalesce(b.name, '') FROM account_event e"
        " JOIN account a ON a.id = e.account_id LEFT JOIN account b ON b.id = e.made_by"
        " WHERE e.institution_id = %(institution)s AND (a.id = %(me)s OR e.made_by = %(me)s OR EXISTS"
        " (SELECT FROM instructor_of t JOIN instructor_of o ON o.class_id = t.class_id AND o.account_id = %(me)s"
        "  WHERE t.account_id = a.id) OR EXISTS (SELECT FROM bench w JOIN instructor_of o ON o.class_id = w.class_id"
        "  AND o.account_id = %(me)s WHERE w.worker_id = a.id)) ORDER BY e.at DESC, e.id DESC LIMIT %(most)s",
        {"institution": _institution(conn, account_id), "me": account_id, "most": most},
    ).fetchall()
    return [Event(*row) for row in rows]


def set_institution(conn: psycopg.Connection, account_id: int, name: str, time_zone: str) -> None:
    """Name the institution and the time zone that its meetings are in.

    Raises:
        NotYours: the asker is no instructor.
        Problem: a field that cannot be taken.
    """
    name = " ".join(name.split())
    if not 2 <= len(name) <= 80 or not name.isprintable():
        raise Problem("name", "Enter a name of at most 80 characters for the institution.")
    if time_zone not in available_timezones():
        raise Problem("time_zone", "Choose a time zone from the list, such as Europe/London.")
    conn.execute(
        "UPDATE institution SET name = %s, time_zone = %s WHERE id = %s",
        [name, time_zone, _institution(conn, account_id)],
    )
    sessions_changed()
