"""Sign-in: hashed, throttled, and the same answer for everybody."""

import ast
import re
import time
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


def later(conn, seconds):
    conn.execute("UPDATE sign_in_attempt SET at = at - make_interval(secs => %s)", [seconds])


def test_each_wrong_try_more_waits_longer_and_a_success_counts_anew(conn):
    ida = teacher(conn, "Ida Frost", "A-1")
    for _ in range(accounts.FREE_TRIES):
        assert try_to(conn, ida.email, "wrong") is None
    waits = []
    for _ in range(4):
        with pytest.raises(accounts.TooManyAttempts) as many:
            try_to(conn, ida.email, PASSWORD)
        waits.append(many.value.wait)
        later(conn, many.value.wait)
        assert try_to(conn, ida.email, "wrong") is None
    assert waits == [1, 2, 4, 8]
    later(conn, 16)
    assert try_to(conn, ida.email, PASSWORD) is not None, "the right person waits, and is never shut out"
    assert try_to(conn, ida.email, "wrong") is None
    assert try_to(conn, ida.email, PASSWORD) is not None


@pytest.mark.parametrize(
    "attack",
    [
        "SELECT %(ida)s, '10.9.' || n / 250 || '.' || n %% 250 FROM generate_series(1, 400) n",  # at one person, from anywhere
        "SELECT 'x' || n || '@y.example', '10.0.0.1' FROM generate_series(1, 400) n",  # from the school itself
    ],
)
def test_whoever_guesses_does_not_shut_the_right_person_out(conn, attack):
    ida = teacher(conn, "Ida Frost", "A-1")
    assert try_to(conn, ida.email, PASSWORD, address="10.0.0.1") is not None
    conn.execute(
        f"INSERT INTO sign_in_attempt (email, address, ok) SELECT *, false FROM ({attack}) a", {"ida": ida.email}
    )
    assert try_to(conn, ida.email, PASSWORD, address="10.0.0.1") is not None, "where she signed in before"
    stranger = "10.7.7.7" if "%(ida)s" in attack else "10.0.0.1"
    with pytest.raises(accounts.TooManyAttempts) as many:
        try_to(conn, ida.email if "%(ida)s" in attack else "otto@example.org", "guess", address=stranger)
    assert many.value.wait <= accounts.LONGEST_DELAY
    later(conn, accounts.LONGEST_DELAY + 1)
    assert try_to(conn, ida.email, PASSWORD, address="10.7.7.8") is not None, "and from elsewhere after a wait"


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
