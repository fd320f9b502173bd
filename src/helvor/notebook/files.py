"""Pictures and files beside a step.

A picture is decoded and written anew, so that nothing but its pixels is kept: no place, no
camera, nothing hidden behind them. Other files are kept as they came and never run.
"""

from __future__ import annotations

import hashlib
from dataclasses import dataclass
from uuid import UUID

import psycopg

from helvor.core.record.entry import Problem
from helvor.notebook.apart import run_apart
from helvor.notebook.file_space import check_room
from helvor.notebook.page_errors import NotYours
from helvor.notebook.pages import open_page

MAX_BYTES = 8 * 1024 * 1024
TEXTS = {"csv": "text/csv", "txt": "text/plain", "jdx": "text/plain", "dx": "text/plain"}


@dataclass(frozen=True, slots=True)
class Made:
    """A file as it will be kept."""

    name: str
    media: str
    content: bytes
    thumbnail: bytes | None


@dataclass(frozen=True, slots=True)
class KeptFile:
    name: str
    media: str
    content: bytes


def make(name: str, content: bytes) -> Made:
    """Look at what came and make it fit to keep.

    Raises:
        Problem: it is empty, too large, or none of the kinds that are kept.
        Busy: others are looked at just now.
    """
    clean = "".join(c for c in name.rpartition("/")[2].rpartition("\\")[2] if c.isprintable()).strip()[:80] or "file"
    if not content:
        raise Problem("file", "Choose a file first: this one is empty.")
    if len(content) > MAX_BYTES:
        raise Problem("file", f"{clean} has {len(content) / 1e6:.0f} MB; the limit is 8 MB.")
    suffix = clean.rpartition(".")[2].casefold()
    if content.startswith(b"%PDF-"):
        return Made(clean, "application/pdf", content, None)
    if suffix in TEXTS:
        if b"\0" in content:
            raise Problem("file", f"{clean} is not text, although its name ends like a text file: choose another file.")
        return Made(clean, TEXTS[suffix], content, None)
    return _picture(clean, content)


def _picture(name: str, content: bytes) -> Made:
    return Made(name, **run_apart("beside a step", name, content))


def keep(conn: psycopg.Connection, account_id: int, page_id: UUID, file_id: UUID, made: Made) -> None:
    """Keep a file with a page; the same id keeps nothing more. Ask the page first.

    Raises:
        NotYours: the page is not for this account.
        Problem: there is no room for it.
    """
    open_page(conn, account_id, page_id)
    if conn.execute("SELECT FROM attachment WHERE id = %s", [file_id]).fetchone() is not None:
        return
    check_room(conn, page_id, len(made.content))
    conn.execute(
        "INSERT INTO attachment (id, page_id, name, media, sha256, content, thumbnail, made_by)"
        " VALUES (%s, %s, %s, %s, %s, %s, %s, %s) ON CONFLICT (id) DO NOTHING",
        [
            file_id,
            page_id,
            made.name,
            made.media,
            hashlib.sha256(made.content).hexdigest(),
            made.content,
            made.thumbnail,
            account_id,
        ],
    )


def read(conn: psycopg.Connection, account_id: int, page_id: UUID, file_id: UUID, *, small: bool) -> KeptFile:
    """A file of a page, or its thumbnail.

    Raises:
        NotYours: the page is not for this account, or has no such file.
    """
    open_page(conn, account_id, page_id)
    row = conn.execute(
        "SELECT name, media, CASE WHEN %s THEN coalesce(thumbnail, content) ELSE content END, thumbnail IS NOT NULL"
        " FROM attachment WHERE id = %s AND page_id = %s",
        [small, file_id, page_id],
    ).fetchone()
    if row is None:
        raise NotYours
    return KeptFile(row[0], "image/jpeg" if small and row[3] else row[1], bytes(row[2]))
