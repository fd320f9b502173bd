"""Numbered migrations: each file runs once, in one transaction with the record that it ran."""

from __future__ import annotations

import hashlib
from dataclasses import dataclass
from importlib.resources import files

import psycopg

_LOCK = 0x48454C564F52  # "HELVOR": one migrating process at a time

_RECORD = """
CREATE TABLE IF NOT EXISTS migration (
    name text PRIMARY KEY,
    sha256 text NOT NULL,
    ran_at timestamptz NOT NULL DEFAULT now()
)
"""


class EditedMigration(RuntimeError):
    """A migration file no longer is what ran: write a new one instead."""


@dataclass(frozen=True, slots=True)
class Migration:
    name: str
    sql: str

    @property
    def sha256(self) -> str:
        return hashlib.sha256(self.sql.encode()).hexdigest()


def shipped() -> list[Migration]:
    """The migrations that come with this version, in order."""
    folder = files("helvor.notebook") / "migrations"
    return sorted(
        (Migration(f.name, f.read_text(encoding="utf-8")) for f in folder.iterdir() if f.name.endswith(".sql")),
        key=lambda migration: migration.name,
    )


def is_current(conn: psycopg.Connection) -> bool:
    """Whether every migration that ships has run, as it ships, and no newer one."""
    if conn.execute("SELECT to_regclass('public.migration')").fetchone() == (None,):
        return False
    ran: dict[str, str] = dict(conn.execute("SELECT name, sha256 FROM migration").fetchall())
    return ran == {migration.name: migration.sha256 for migration in shipped()}


def migrate(conn: psycopg.Connection, migrations: list[Migration] | None = None) -> list[str]:
    """Run what has not run yet and say which.

    Args:
        conn: an autocommit connection.
        migrations: instead of the shipped ones.

    Raises:
        EditedMigration: a file differs from what was run under its name.
        psycopg.Error: a migration failed; nothing of it stays.
    """
    ran = []
    conn.execute("SELECT pg_advisory_lock(%s)", [_LOCK])
    try:
        conn.execute(_RECORD)
        known: dict[str, str] = dict(conn.execute("SELECT name, sha256 FROM migration").fetchall())
        for migration in shipped() if migrations is None else migrations:
            if migration.name in known:
                if known[migration.name] != migration.sha256:
                    raise EditedMigration(f"{migration.name} was edited after it ran: add a new migration instead.")
                continue
            with conn.transaction():
                conn.execute(migration.sql.encode())
                conn.execute("INSERT INTO migration (name, sha256) VALUES (%s, %s)", [migration.name, migration.sha256])
            ran.append(migration.name)
    finally:
        conn.execute("SELECT pg_advisory_unlock(%s)", [_LOCK])
    return ran
