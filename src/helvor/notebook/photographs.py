"""Photographs of plates: looked at when they come, kept as they are, read in the background.

A reading is told stage by stage to the database, so any process can show how far it is; if the
one that reads dies, whoever looks next begins it again.
"""

from __future__ import annotations

import hashlib
import io
import logging
from collections.abc import Callable
from dataclasses import dataclass
from datetime import datetime
from typing import Any
from uuid import UUID

import psycopg
from PIL import Image, ImageOps
from psycopg.types.json import Jsonb
from psycopg_pool import ConnectionPool
from pydantic import BaseModel, ConfigDict, Field

from helvor.core.record.entry import Problem
from helvor.core.techniques.planar.photo.proposal import Point, Proposal, Stage
from helvor.core.techniques.planar.plate import Light, Plate
from helvor.notebook import pictures
from helvor.notebook.apart import run_apart
from helvor.notebook.file_space import check_room
from helvor.notebook.page_errors import NotYours
from helvor.notebook.pages import open_page

log = logging.getLogger(__name__)

MAX_BYTES = 12 * 1024 * 1024
MOST_OF_A_PLATE = 12
STALE_SECONDS, WAITING_SECONDS = 20, 240
"""How long nothing is told before the reader counts as gone; waiting its turn in a full class takes longer."""
_PATIENCE = {"stale": STALE_SECONDS, "waiting": WAITING_SECONDS}


@dataclass(frozen=True, slots=True)
class Picture:
    """A photograph fit to keep; ``shown`` is the smaller one for the page, upright, ``wide`` × ``high`` pixels."""

    name: str
    media: str
    content: bytes
    shown: bytes
    wide: int
    high: int
    kept_at: str | None = None
    """When it was put with its page, where that was not now."""


def look_at(name: str, content: bytes, *, ours: bool = False) -> Picture:
    """Look at a file that says it is a photograph.

    Args:
        ours: it was drawn or shipped by ourselves, so that it need not be looked at apart.

    Raises:
        Problem: it is empty, too large or small, no picture, another kind than its name says,
            animated, or broken.
        Busy: others are looked at just now.
    """
    clean = "".join(c for c in name.rpartition("/")[2].rpartition("\\")[2] if c.isprintable()).strip()[:80] or "photo"
    if not content:
        raise Problem("file", "Choose a photograph first: this file is empty.")
    if len(content) > MAX_BYTES:
        raise Problem("file", f"{clean} has {len(content) / 1e6:.0f} MB; the limit is 12 MB.")
    found = pictures.photograph(clean, content) if ours else run_apart("photograph", clean, content)
    return Picture(clean, **found)


class Asked(BaseModel):
    """What a person said about a photograph before it was read.

    Attributes:
        turns: quarter turns to the right that set it upright.
        corners: of the plate, as parts of the turned picture's sides; None looks for them.
        width, height: of the plate, mm; lanes: x of its lanes, mm; origin: mm up.
    """

    model_config = ConfigDict(frozen=True)

    turns: int = Field(default=0, ge=0, le=3)
    corners: tuple[Point, Point, Point, Point] | None = None
    width: float
    height: float
    lanes: tuple[float, ...] = ()
    origin: float | None = None


def asked_of(plate: Plate, turns: int = 0, corners: tuple[Point, Point, Point, Point] | None = None) -> Asked:
    """The asking that a plate as it stands makes.

    Raises:
        Problem: the plate is not set up, so that nothing says how large it is.
    """
    if plate.set_up is None:
        raise Problem("file", "Set up the plate first: its size gives the scale of the photograph.")
    return Asked(
        turns=turns,
        corners=corners,
        width=plate.set_up.width.value,
        height=plate.set_up.height.value,
        lanes=tuple(lane.lane.at.value for lane in plate.lanes),
        origin=plate.set_up.origin.value,
    )


@dataclass(frozen=True, slots=True)
class Photograph:
    """A photograph and how far its reading is. ``stale`` says that whoever read it is gone."""

    id: UUID
    page_id: UUID
    name: str
    wide: int
    high: int
    light: Light
    made_by: str
    made_at: datetime
    number: int
    asked: Asked
    stage: str
    proposal: Proposal | None
    trouble: str
    stale: bool


_PHOTOGRAPH = """
SELECT p.id, p.page_id, p.name, p.wide, p.high, p.light, a.name, p.made_at,
    r.number, r.asked, r.stage, r.proposal, r.trouble,
    r.stage <> 'done' AND r.trouble = '' AND r.told_at < now() - make_interval(
        secs => CASE WHEN r.stage = 'opening' THEN %(waiting)s ELSE %(stale)s END)
FROM photograph p JOIN photograph_reading r ON r.photograph_id = p.id JOIN account a ON a.id = p.made_by
"""


def _photograph(row: tuple[Any, ...]) -> Photograph:
    asked, stage, proposal, trouble, stale = row[-5:]
    read = Proposal.model_validate(proposal) if proposal else None
    told = (Asked.model_validate(asked), stage, read, trouble, stale)
    return Photograph(*(*row[:-5], *told))


def keep(
    conn: psycopg.Connection,
    account_id: int,
    page_id: UUID,
    photo_id: UUID,
    picture: Picture,
    light: Light,
    asked: Asked,
) -> None:
    """Keep a photograph with a page; the same id keeps nothing more.

    Raises:
        NotYours: the page is not for this account.
        Problem: the page has as many as it may.
    """
    open_page(conn, account_id, page_id)
    known = conn.execute("SELECT id FROM photograph WHERE page_id = %s", [page_id]).fetchall()
    if (photo_id,) in known:
        return
    if len(known) >= MOST_OF_A_PLATE:
        raise Problem("file", f"This plate has {MOST_OF_A_PLATE} photographs, the limit: start another plate.")
    check_room(conn, page_id, len(picture.content) + len(picture.shown))
    put(conn, account_id, page_id, photo_id, picture, light, asked)


def put(
    conn: psycopg.Connection,
    account_id: int,
    page_id: UUID,
    photo_id: UUID,
    picture: Picture,
    light: str,
    asked: Asked,
) -> None:
    """Put a photograph with a page, whose right to it was asked before."""
    conn.execute(
        "INSERT INTO photograph (id, page_id, name, media, sha256, content, shown, wide, high, light,"
        " made_by, made_at) VALUES (%s, %s, %s, %s, %s, %s, %s, %s, %s, %s, %s, coalesce(%s::timestamptz, now()))",
        [
            photo_id,
            page_id,
            picture.name,
            picture.media,
            hashlib.sha256(picture.content).hexdigest(),
            picture.content,
            picture.shown,
            picture.wide,
            picture.high,
            light,
            account_id,
            picture.kept_at,
        ],
    )
    conn.execute(
        "INSERT INTO photograph_reading (photograph_id, asked, stage) VALUES (%s, %s, 'opening')",
        [photo_id, Jsonb(asked.model_dump(mode="json"))],
    )


def of_page(conn: psycopg.Connection, page_id: UUID) -> list[Photograph]:
    """The photographs of a page, oldest first. Ask the page first."""
    rows = conn.execute(
        _PHOTOGRAPH + "WHERE p.page_id = %(page)s ORDER BY p.made_at, p.id",
        {"page": page_id, **_PATIENCE},
    ).fetchall()
    return [_photograph(row) for row in rows]


def one(conn: psycopg.Connection, page_id: UUID, photo_id: UUID) -> Photograph:
    """A photograph of a page. Ask the page first.

    Raises:
        NotYours: the page has no such photograph.
    """
    row = conn.execute(
        _PHOTOGRAPH + "WHERE p.page_id = %(page)s AND p.id = %(photo)s",
        {"page": page_id, "photo": photo_id, **_PATIENCE},
    ).fetchone()
    if row is None:
        raise NotYours
    return _photograph(row)


def picture_of(conn: psycopg.Connection, page_id: UUID, photo_id: UUID, which: str) -> tuple[str, bytes]:
    """Media type and bytes of the picture: ``original``, ``shown`` smaller, or ``straight``.

    Raises:
        NotYours: there is none.
    """
    column = {
        "original": "p.content",
        "shown": "p.shown",
        "straight": "r.straight",
    }[which]
    row = conn.execute(
        f"SELECT p.media, {column} FROM photograph p JOIN photograph_reading r ON r.photograph_id = p.id"  # noqa: S608  a column of ours
        " WHERE p.page_id = %s AND p.id = %s",
        [page_id, photo_id],
    ).fetchone()
    if row is None or row[1] is None:
        raise NotYours
    return (row[0] if which == "original" else "image/jpeg"), bytes(row[1])


def ask(conn: psycopg.Connection, photo_id: UUID, asked: Asked) -> int:
    """Ask for a reading; an older one still under way will not be written. Returns its number."""
    row = conn.execute(
        "UPDATE photograph_reading SET number = number + 1, asked = %s, stage = 'opening', told_at = now(),"
        " trouble = '' WHERE photograph_id = %s RETURNING number",
        [Jsonb(asked.model_dump(mode="json")), photo_id],
    ).fetchone()
    assert row is not None
    return int(row[0])


def propose(
    content: bytes, light: Light | None, asked: Asked, on: Callable[[Stage], None] = lambda stage: None
) -> tuple[Proposal, bytes]:
    """Decode a photograph and read it.

    Returns:
        What is proposed, and the straightened plate as JPEG.

    Raises:
        OSError: the picture is broken; ValueError: the corners are those of nothing.
    """
    # numpy and scipy take a second to load: only who reads pictures waits for them.
    import numpy as np  # noqa: PLC0415

    from helvor.core.techniques.planar.photo.read import LONGEST_PX, read_photo  # noqa: PLC0415

    with Image.open(io.BytesIO(content), formats=["JPEG", "PNG", "WEBP"]) as opened:
        # A JPEG decodes to half or a quarter at once; never below what is worked on.
        part = min(1.0, LONGEST_PX / max(opened.size))
        opened.draft("RGB", (round(opened.width * part), round(opened.height * part)))
        picture = ImageOps.exif_transpose(opened).convert("RGB")
    if asked.turns:
        quarter = (Image.Transpose.ROTATE_270, Image.Transpose.ROTATE_180, Image.Transpose.ROTATE_90)
        picture = picture.transpose(quarter[asked.turns - 1])
    proposal, straight = read_photo(
        np.asarray(picture),
        asked.width,
        asked.height,
        lanes=asked.lanes,
        origin=asked.origin,
        light=light,
        corners=asked.corners,
        on=on,
    )
    out = io.BytesIO()
    Image.fromarray(straight).save(out, "JPEG", quality=88)
    return proposal, out.getvalue()


def read(pool: ConnectionPool, photo_id: UUID, number: int) -> None:
    """Read a photograph and keep what it proposes, unless somebody asked anew meanwhile.

    Args:
        pool: a connection is taken for each thing told.
        photo_id: the photograph.
        number: of the asking.
    """

    def told(stage: Stage) -> None:
        if stage != "done":
            _tell(pool, photo_id, number, "stage = %s", [stage])

    told("opening")
    with pool.connection() as conn:
        row = conn.execute(
            "SELECT p.content, p.light, r.asked FROM photograph p JOIN photograph_reading r ON r.photograph_id = p.id"
            " WHERE p.id = %s AND r.number = %s",
            [photo_id, number],
        ).fetchone()
    if row is None:
        return
    try:
        proposal, straight = propose(row[0], row[1], Asked.model_validate(row[2]), told)
    except psycopg.OperationalError:
        # The service stops, or the database is away: nothing is wrong with the picture, and whoever looks begins again.
        log.info("reading photograph %s was left", photo_id)
        return
    except Exception as trouble:
        # Said on the page; the traceback goes to the log of whoever called.
        _tell(
            pool, photo_id, number, "trouble = %s", ["The photograph could not be analysed. Set the corners by hand."]
        )
        raise RuntimeError(f"reading photograph {photo_id}") from trouble
    values = ["done", Jsonb(proposal.model_dump(mode="json")), straight]
    _tell(pool, photo_id, number, "stage = %s, proposal = %s, straight = %s", values)


def read_at_once(conn: psycopg.Connection, photo_id: UUID) -> None:
    """Read a photograph on this connection, for what is loaded rather than taken."""
    row = conn.execute(
        "SELECT p.content, p.light, r.asked FROM photograph p JOIN photograph_reading r ON r.photograph_id = p.id"
        " WHERE p.id = %s",
        [photo_id],
    ).fetchone()
    assert row is not None
    proposal, straight = propose(row[0], row[1], Asked.model_validate(row[2]))
    conn.execute(
        "UPDATE photograph_reading SET stage = 'done', proposal = %s, straight = %s WHERE photograph_id = %s",
        [Jsonb(proposal.model_dump(mode="json")), straight, photo_id],
    )


def _tell(pool: ConnectionPool, photo_id: UUID, number: int, what: str, values: list[Any]) -> None:
    # Two may read the same asking, one of them slower: what is done stays done.
    with pool.connection() as conn:
        conn.execute(
            f"UPDATE photograph_reading SET {what}, told_at = now()"  # noqa: S608  columns of ours
            " WHERE photograph_id = %s AND number = %s AND stage <> 'done'",
            [*values, photo_id, number],
        )
