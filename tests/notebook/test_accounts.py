"""Sign-in: hashed, throttled, and the same answer for everybody."""

import ast
import re
import time
from datetime import timedelta
from pathlib import Path

import psycopg
import pytest

from helvor.notebook import accounts
from tests.notebook.people import PASSWORD, teacher


def try_to(conn, email, password, address="10.0.0.1", *, allow_demo=True):
    return accounts.sign_in(conn, email, password, address, allow_demo=allow_demo)


def test_a_session_opens_lasts_and_ends(conn):
    ida = teacher(conn, "Ida Frost", "A-1")
    token, session = try_to(conn, f" {ida.email.upper()} ", PASSWORD)
    assert session.account.initials == "IF"
    assert accounts.session_of(conn, token) == session
    assert accounts.session_of(conn, token + "x") is None
    conn.execute("UPDATE session SET expires_at = now() - interval '1 second'")
    assert accounts.session_of(conn, token) is None
    token, _ = try_to(conn, ida.email, PASSWORD)
    accounts.sign_out(conn, token)
    assert accounts.session_of(conn, token) is None


def test_neither_passwords_nor_tokens_are_kept(conn):
    ida = teacher(conn, "Ida Frost", "A-1")
    token, _ = try_to(conn, ida.email, PASSWORD)
    (stored,) = conn.execute("SELECT password_hash FROM account").fetchone()
    assert stored.startswith("$argon2id$")
    (kept,) = conn.execute("SELECT token_sha256 FROM session").fetchone()
    assert token.encode() not in bytes(kept)


@pytest.mark.parametrize(
    ("email", "password"), [("ida@example.org", "wrong"), ("nobody@example.org", PASSWORD), ("", "")]
)
def test_what_does_not_fit_opens_nothing(conn, email, password):
    teacher(conn, "Ida Frost", "A-1")
    assert try_to(conn, email, password) is None


def test_guessing_at_a_person_is_stopped_and_a_success_counts_anew(conn):
    ida, otto = teacher(conn, "Ida Frost", "A-1"), teacher(conn, "Otto Ling", "B-1")
    for _ in range(accounts.FAILURES_PER_PERSON - 1):
        assert try_to(conn, ida.email, "wrong") is None
    assert try_to(conn, ida.email, PASSWORD) is not None
    for _ in range(accounts.FAILURES_PER_PERSON):
        assert try_to(conn, ida.email, "wrong") is None
    with pytest.raises(accounts.TooManyAttempts):
        try_to(conn, ida.email, PASSWORD)
    assert try_to(conn, otto.email, PASSWORD) is not None
    conn.execute("UPDATE sign_in_attempt SET at = at - %s", [accounts.THROTTLE_WINDOW + timedelta(seconds=1)])
    assert try_to(conn, ida.email, PASSWORD) is not None


def test_guessing_from_one_address_is_stopped_whoever_it_aims_at(conn):
    ida = teacher(conn, "Ida Frost", "A-1")
    conn.execute(
        "INSERT INTO sign_in_attempt (email, address, ok) SELECT 'x' || n, '10.0.0.9', false FROM generate_series(1, %s) n",
        [accounts.FAILURES_PER_ADDRESS],
    )
    with pytest.raises(accounts.TooManyAttempts):
        try_to(conn, ida.email, PASSWORD, address="10.0.0.9")
    assert try_to(conn, ida.email, PASSWORD, address="10.0.0.1") is not None


def test_a_demo_account_signs_in_only_where_that_is_allowed(conn):
    institution = accounts.add_institution(conn, "Demo", "Europe/London")
    accounts.add_instructor(conn, institution, "demo@example.org", "Demo", PASSWORD, is_demo=True)
    assert try_to(conn, "demo@example.org", PASSWORD, allow_demo=False) is None
    assert try_to(conn, "demo@example.org", PASSWORD) is not None


def test_an_address_has_one_account(conn):
    teacher(conn, "Ida Frost", "A-1")
    with pytest.raises(psycopg.errors.UniqueViolation):
        accounts.add_instructor(conn, 1, "IDA@example.org", "Other", PASSWORD)


LOOKS_AT = re.compile(r"(DELETE FROM session|UPDATE account SET (?!password)|UPDATE institution SET name)")


def test_a_session_just_looked_up_is_trusted_for_a_moment_and_no_longer(conn, monkeypatch):
    ida = teacher(conn, "Ida Frost", "A-1")
    token, session = try_to(conn, ida.email, PASSWORD)
    assert accounts.vouched_for(token) == session
    assert accounts.vouched_for(token + "x") is None
    later = time.monotonic() + accounts.TRUSTED_FOR
    monkeypatch.setattr(accounts.time, "monotonic", lambda: later)
    assert accounts.vouched_for(token) is None


def test_what_ends_a_session_ends_the_trust_in_it_at_once(conn):
    ida = teacher(conn, "Ida Frost", "A-1")
    token, session = try_to(conn, ida.email, PASSWORD)
    accounts.sign_out(conn, token)
    assert accounts.vouched_for(token) is None
    # Looked up before it ended, and only kept afterwards: not kept at all.
    accounts._vouched.put(b"key", session, time.monotonic(), accounts._vouched.changes - 1)
    assert accounts._vouched.get(b"key") is None


def test_whatever_changes_what_a_session_says_drops_the_trust():
    """Every function of the notebook with such a statement says so; what signs in only clears out ended ones."""
    found = 0
    for source in sorted(Path(accounts.__file__).parent.glob("*.py")):
        for function in ast.walk(ast.parse(source.read_text())):
            text = ast.unparse(function) if isinstance(function, ast.FunctionDef) else ""
            if LOOKS_AT.search(text) and "expires_at < now()" not in text:
                found += 1
                assert "sessions_changed()" in text, f"{source.name}: {function.name}"
    assert found >= 8
