"""Pictures and files beside a step.

A picture is decoded and written anew, so that nothing but its pixels is kept: no place, no
camera, nothing hidden behind them. Other files are kept as they came and never run.
"""

from __future__ import annotations

import hashlib
import io
from dataclasses import dataclass
from threading import Lock
from uuid import UUID

import psycopg
from PIL import Image, ImageOps, UnidentifiedImageError

from helvor.bench.entry import Problem
from helvor.notebook.pages import NotYours, open_page

MAX_BYTES = 8 * 1024 * 1024
MAX_PIXELS, MAX_WHOLE_PIXELS = 60_000_000, 24_000_000
"""Of a JPEG, which is decoded smaller at once, and of what has to be whole in memory."""
DECODING = Lock()
"""One picture is decoded at a time in a process: ten at once would hold ten times the memory."""
LONGEST_PX = 2400
THUMBNAIL_PX = 360
TEXTS = {"csv": "text/csv", "txt": "text/plain", "jdx": "text/plain", "dx": "text/plain"}
FORMATS = {"JPEG": "image/jpeg", "PNG": "image/png", "WEBP": "image/webp"}


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
    """
    clean = "".join(c for c in name.rpartition("/")[2].rpartition("\\")[2] if c.isprintable()).strip()[:80] or "file"
    if not content:
        raise Problem("file", "Choose a file first: this one is empty.")
    if len(content) > MAX_BYTES:
        raise Problem("file", f"{clean} has {len(content) / 1e6:.0f} MB; up to 8 MB are kept.")
    suffix = clean.rpartition(".")[2].casefold()
    if content.startswith(b"%PDF-"):
        return Made(clean, "application/pdf", content, None)
    if suffix in TEXTS:
        if b"\0" in content:
            raise Problem("file", f"{clean} is not text, though its name says so.")
        return Made(clean, TEXTS[suffix], content, None)
    return _picture(clean, content)


def _picture(name: str, content: bytes) -> Made:
    try:
        with DECODING, Image.open(io.BytesIO(content), formats=list(FORMATS)) as opened:
            kind = opened.format or ""
            most = MAX_PIXELS if kind == "JPEG" else MAX_WHOLE_PIXELS
            if opened.width * opened.height > most:
                raise Problem("file", f"{name} has over {most // 1_000_000} million pixels: make it smaller first.")
            # Made small before it is turned: a picture twice in memory is what fills it.
            opened.draft("RGB", (LONGEST_PX, LONGEST_PX))
            opened.thumbnail((LONGEST_PX, LONGEST_PX))
            picture = ImageOps.exif_transpose(opened)
            picture.load()
    except (UnidentifiedImageError, OSError, ValueError, SyntaxError, Image.DecompressionBombError) as trouble:
        if isinstance(trouble, Problem):
            raise
        raise Problem("file", f"{name} is not a JPEG, PNG or WebP picture, a PDF, CSV or spectrum file.") from trouble
    if (kind == "JPEG" and picture.mode not in ("RGB", "L")) or picture.mode not in ("RGB", "RGBA", "L", "LA", "P"):
        picture = picture.convert("RGB")
    picture.thumbnail((LONGEST_PX, LONGEST_PX))
    small = picture.convert("RGB")
    small.thumbnail((THUMBNAIL_PX, THUMBNAIL_PX))
    # A new picture from the pixels alone: Pillow would carry some of the old one's data along.
    bare = Image.new(picture.mode, picture.size)
    bare.paste(picture)
    if picture.mode == "P" and (palette := picture.getpalette()):
        bare.putpalette(palette)
    return Made(name, FORMATS[kind], _written(bare, kind), _written(small, "JPEG"))


def _written(picture: Image.Image, kind: str) -> bytes:
    out = io.BytesIO()
    picture.save(out, kind, **({"quality": 88} if kind != "PNG" else {"optimize": True}))  # type: ignore[arg-type]
    return out.getvalue()


def keep(conn: psycopg.Connection, account_id: int, page_id: UUID, file_id: UUID, made: Made) -> None:
    """Keep a file with a page; the same id keeps nothing more. Ask the page first.

    Raises:
        NotYours: the page is not for this account.
    """
    open_page(conn, account_id, page_id)
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
