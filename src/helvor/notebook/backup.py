"""A whole database in one file, and back.

Backup 1. Taken while people write: everything in it is of one moment (one exported snapshot).
Backup 2. Verified after writing: the file is read back, every row in it counted, and the counts held against the same
          moment; files and photographs against the sums they were kept with.
Backup 3. Restored into an empty database, all or nothing, and counted again. A database that holds records is put
          aside under another name, never thrown away.

The file is a zip of ``manifest.json`` and ``database.dump``, which is pg_dump's own open format.
"""

from __future__ import annotations

import contextlib
import hashlib
import json
import os
import subprocess
import tempfile
import zipfile
from collections.abc import Mapping
from dataclasses import dataclass
from datetime import UTC, datetime
from pathlib import Path
from typing import Any

import psycopg
from psycopg.conninfo import conninfo_to_dict
from psycopg.sql import SQL, Identifier

from helvor.notebook.migrate import migrate
from helvor.notebook.server import ServerTrouble, programs

FORMAT, FORMAT_VERSION = "helvor backup", 1
MANIFEST, DUMP = "manifest.json", "database.dump"
_KEPT_SUMS = (("attachment", "content", "sha256"), ("photograph", "content", "sha256"))
"""Tables that keep the SHA-256 of a content beside it."""


class BackupTrouble(ServerTrouble):
    """A backup cannot be written or read; the message is one sentence."""


@dataclass(frozen=True, slots=True)
class Backup:
    """What is in a backup: when it was taken, and how many rows each table has."""

    taken_at: datetime
    rows: Mapping[str, int]
    bytes: int

    @property
    def total(self) -> int:
        return sum(self.rows.values())


def _program(name: str) -> str:
    with contextlib.suppress(ServerTrouble):
        return str(programs() / name)
    return name


def _run(name: str, url: str, *arguments: str) -> str:
    """Run one of PostgreSQL's programs against a database; its output as text.

    Raises:
        BackupTrouble: it is not installed, or says that it failed.
    """
    parts = {key: str(value) for key, value in conninfo_to_dict(url).items() if value is not None}
    environment = os.environ | {
        name_: parts[key] for key, name_ in (("password", "PGPASSWORD"), ("sslmode", "PGSSLMODE")) if key in parts
    }
    where = [f"--{option}={parts[key]}" for key, option in _WHERE if key in parts]
    try:
        done = subprocess.run(
            [_program(name), *where, *arguments], env=environment, capture_output=True, text=True, check=False, cwd="/"
        )
    except FileNotFoundError as missing:
        raise BackupTrouble(f"{name} is not installed: apt-get install postgresql-client.") from missing
    if done.returncode != 0:
        reason = (done.stderr.strip() or "no reason given").splitlines()[-1]
        raise BackupTrouble(f"{name} failed: {reason}")
    return done.stdout


_WHERE = (("host", "host"), ("port", "port"), ("user", "username"), ("dbname", "dbname"))


def _tables(conn: psycopg.Connection) -> list[str]:
    rows = conn.execute("SELECT tablename FROM pg_tables WHERE schemaname = 'public' ORDER BY tablename")
    return [name for (name,) in rows]


def counts(conn: psycopg.Connection) -> dict[str, int]:
    """Rows of every table."""
    found = {}
    for table in _tables(conn):
        row = conn.execute(SQL("SELECT count(*) FROM {}").format(Identifier(table))).fetchone()
        assert row is not None
        found[table] = int(row[0])
    return found


def broken_files(conn: psycopg.Connection) -> int:
    """Files and photographs whose content is not what it was kept as."""
    broken = 0
    for table, content, known in _KEPT_SUMS:
        statement = SQL("SELECT count(*) FROM {} WHERE encode(sha256({}), 'hex') <> {}")
        row = conn.execute(statement.format(Identifier(table), Identifier(content), Identifier(known))).fetchone()
        assert row is not None
        broken += int(row[0])
    return broken


def write(url: str, target: Path) -> Backup:
    """Write a database into a new file and verify it (Backup 1 and 2).

    Raises:
        BackupTrouble: the file is there already, cannot be written, or is not what it should be.
    """
    if target.exists():
        raise BackupTrouble(f"{target} exists already: enter another file name. Nothing was overwritten.")
    if not target.parent.is_dir():
        raise BackupTrouble(f"There is no folder {target.parent}.")
    taken = datetime.now(UTC)
    with tempfile.TemporaryDirectory(prefix="helvor-backup-", dir=target.parent) as folder:
        dump = Path(folder) / DUMP
        with psycopg.connect(url) as conn:
            conn.execute("SET TRANSACTION ISOLATION LEVEL REPEATABLE READ READ ONLY")
            snapshot = conn.execute("SELECT pg_export_snapshot()").fetchone()
            assert snapshot is not None
            rows = counts(conn)
            if broken_files(conn):
                raise BackupTrouble(
                    "A file in the database has changed since it was saved: check this before a backup."
                )
            # The transaction stays open until the dump is done, so that both see the same moment.
            _run(
                "pg_dump",
                url,
                "--format=custom",
                "--no-owner",
                "--no-privileges",
                f"--snapshot={snapshot[0]}",
                f"--file={dump}",
            )
        manifest = {
            "format": FORMAT,
            "version": FORMAT_VERSION,
            "taken_at": taken.isoformat(),
            "rows": rows,
            "sha256": hashlib.sha256(dump.read_bytes()).hexdigest(),
        }
        part = Path(folder) / "backup"
        # It holds names and password hashes: for its owner's eyes.
        descriptor = os.open(part, os.O_WRONLY | os.O_CREAT | os.O_EXCL, 0o600)
        with os.fdopen(descriptor, "wb") as file, zipfile.ZipFile(file, "w", zipfile.ZIP_STORED) as archive:
            archive.writestr(MANIFEST, json.dumps(manifest, indent=1))
            archive.write(dump, DUMP)
        with part.open("rb") as done:
            os.fsync(done.fileno())
        found = verify(part)
        part.rename(target)
    return found


def _manifest(archive: zipfile.ZipFile, source: Path) -> dict[str, Any]:
    try:
        manifest: dict[str, Any] = json.loads(archive.read(MANIFEST))
        if manifest["format"] != FORMAT:
            raise KeyError
        if manifest["version"] > FORMAT_VERSION:
            raise BackupTrouble(f"{source} was written by a newer Helvor: restore it with that one.")
        {str(key): int(value) for key, value in manifest["rows"].items()}
    except (KeyError, ValueError, TypeError, AttributeError) as wrong:
        raise BackupTrouble(f"{source} is not a backup of Helvor.") from wrong
    return manifest


@contextlib.contextmanager
def _opened(source: Path) -> Any:
    """The manifest and the dump of a backup, whole.

    Raises:
        BackupTrouble: it is no backup, or was damaged.
    """
    try:
        with zipfile.ZipFile(source) as archive, tempfile.TemporaryDirectory(prefix="helvor-backup-") as folder:
            manifest = _manifest(archive, source)
            dump = Path(archive.extract(DUMP, folder))
            if hashlib.sha256(dump.read_bytes()).hexdigest() != manifest["sha256"]:
                raise BackupTrouble(f"{source} is damaged: it differs from what was written.")
            yield manifest, dump
    except FileNotFoundError as missing:
        raise BackupTrouble(f"There is no file {source}.") from missing
    except (zipfile.BadZipFile, KeyError, OSError) as wrong:
        raise BackupTrouble(f"{source} is not a backup of Helvor, or is damaged.") from wrong


def verify(source: Path) -> Backup:
    """Read a backup through and count every row in it (Backup 2).

    Raises:
        BackupTrouble: it is no backup, is damaged, or has other rows than it says.
    """
    with _opened(source) as (manifest, dump):
        found = _rows_in(dump)
        rows = {table: int(count) for table, count in manifest["rows"].items()}
        wrong = [table for table in rows if found.get(table, 0) != rows[table]]
        if wrong:
            raise BackupTrouble(f"{source} does not contain all of {', '.join(sorted(wrong))}.")
        return Backup(datetime.fromisoformat(manifest["taken_at"]), rows, source.stat().st_size)


def _rows_in(dump: Path) -> dict[str, int]:
    """Rows of every table of a dump, counted in what pg_restore reads out of it."""
    found: dict[str, int] = {}
    table = ""
    command = [_program("pg_restore"), "--data-only", "--file=-", str(dump)]
    with (
        tempfile.TemporaryFile() as trouble,
        subprocess.Popen(command, stdout=subprocess.PIPE, stderr=trouble, cwd="/") as process,
    ):
        assert process.stdout is not None
        for line in process.stdout:
            if table:
                if line == b"\\.\n":
                    table = ""
                else:
                    found[table] += 1
            elif line.startswith(b"COPY public."):
                table = line.split(b" ", 2)[1].removeprefix(b"public.").decode().strip('"')
                found[table] = 0
        if process.wait() != 0:
            trouble.seek(0)
            reason = (trouble.read().decode(errors="replace").strip() or "no reason given").splitlines()[-1]
            raise BackupTrouble(f"pg_restore cannot read it: {reason}")
    return found


def is_empty(conn: psycopg.Connection) -> bool:
    """Whether a database holds no record: no table, or nobody in it."""
    if "account" not in _tables(conn):
        return True
    row = conn.execute("SELECT EXISTS (SELECT FROM account)").fetchone()
    return row is not None and not row[0]


def restore(url: str, source: Path) -> Backup:
    """Put a backup into an empty database, all or nothing, and count it again (Backup 3).

    An older one is brought up to date by the migrations.

    Raises:
        BackupTrouble: the database holds records, or the file is no whole backup.
    """
    found = verify(source)
    with psycopg.connect(url, autocommit=True) as conn:
        if not is_empty(conn):
            raise BackupTrouble("This database holds records: a backup is restored into an empty one.")
        conn.execute("DROP SCHEMA public CASCADE")
        conn.execute("CREATE SCHEMA public")
    with _opened(source) as (_, dump):
        _run(
            "pg_restore",
            url,
            "--no-owner",
            "--no-privileges",
            "--single-transaction",
            "--exit-on-error",
            # The schema is there already; the dump would make it again.
            "--schema=public",
            str(dump),
        )
    with psycopg.connect(url, autocommit=True) as conn:
        now = counts(conn)
        wrong = [table for table, count in found.rows.items() if now.get(table, -1) != count]
        if wrong or broken_files(conn):
            raise BackupTrouble(f"Restored, but {', '.join(wrong) or 'a file'} differs from the backup: do not use it.")
        migrate(conn)
    return found
