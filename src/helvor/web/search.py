"""Finding by words over everything that somebody may see."""

from __future__ import annotations

from dataclasses import dataclass
from uuid import UUID

import psycopg
from fastapi import APIRouter, Request
from pydantic import BaseModel
from starlette.responses import Response

from helvor.core.record.entry import Entry
from helvor.core.techniques.planar.words import describe as describe_plate
from helvor.notebook import procedures, search, shelf_values
from helvor.notebook.search import ClassHit, ContainerHit, PageHit, words_of
from helvor.shelf.shelf import find as on_shelf
from helvor.web.may import May, may
from helvor.web.rendering import Shell, html
from helvor.web.run.words import NO_STEPS
from helvor.web.run.words import describe as describe_run
from helvor.web.security import Visitor, VisitorDep, pool

router = APIRouter()

MOST_ITEMS = 12


@dataclass(frozen=True, slots=True)
class Link:
    """Something found by its name: where it is, what it is called, and a word on it."""

    address: str
    says: str
    about: str


@dataclass(frozen=True, slots=True)
class Results:
    """Everything that was found, by sort."""

    classes: list[ClassHit]
    pages: list[tuple[PageHit, str]]
    procedures: list[Link]
    containers: list[ContainerHit]
    shelf: list[Link]

    @property
    def count(self) -> int:
        return sum(len(part) for part in (self.classes, self.pages, self.procedures, self.containers, self.shelf))


@dataclass(frozen=True, slots=True, kw_only=True)
class SearchPage(Shell):
    q: str
    words: list[str]
    results: Results


def in_words(technique: str, entry: Entry) -> str:
    """An entry in bench words, whichever technique wrote it."""
    return describe_plate(entry.payload, [entry]) if technique == "planar" else describe_run(entry, NO_STEPS)


def look_for(conn: psycopg.Connection, who: Visitor, text: str) -> Results:
    """Pages, classes, containers, procedures and what is on the shelf, by words."""
    account = who.account.id
    words = words_of(text)
    hits = [
        (hit, in_words(hit.technique, hit.entry) if hit.entry is not None else "")
        for hit in search.pages_with(conn, account, text)
    ]
    kept = [
        Link(f"/procedures/{one.id}", one.title, f"version {one.version}" if one.version else "draft")
        for one in procedures.procedures_of(conn, account)
        if words and all(word in one.title.casefold() for word in words)
    ]
    items = on_shelf(shelf_values.shelf_of(conn, account), text.strip())[:MOST_ITEMS] if words else []
    shelf = [Link(f"/reference-data?name={item.name}", item.name, item.kind) for item in items]
    return Results(
        search.classes_with(conn, account, text), hits, kept, search.containers_with(conn, account, text), shelf
    )


@router.get("/search", include_in_schema=False)
@may(May.STAFF)
def search_page(request: Request, who: VisitorDep, q: str = "") -> Response:
    """What was found, by sort."""
    text = q[:120]
    with pool(request).connection() as conn:
        results = look_for(conn, who, text)
    page = SearchPage(visitor=who, place="", q=text, words=words_of(text), results=results)
    return html("search.html", page)


class HitOut(BaseModel):
    """Something found: its sort, where it is, and what it says."""

    sort: str
    address: str
    says: str
    where: str
    id: UUID | None = None


@router.get("/api/search", tags=["search"])
@may(May.STAFF)
def search_as_json(request: Request, who: VisitorDep, q: str = "") -> list[HitOut]:
    """The same as JSON."""
    with pool(request).connection() as conn:
        found = look_for(conn, who, q[:120])
    return [
        *(HitOut(sort="class", address=one.address, says=one.says, where="") for one in found.classes),
        *(
            HitOut(
                sort=hit.technique, address=hit.address, says=words, where=f"{hit.where}, {hit.title}", id=hit.page_id
            )
            for hit, words in found.pages
        ),
        *(HitOut(sort="procedure", address=one.address, says=one.says, where=one.about) for one in found.procedures),
        *(
            HitOut(
                sort="container",
                address=f"/classes/{one.class_id}/containers",
                says=f"{one.label} ({one.mark})",
                where=one.code,
            )
            for one in found.containers
        ),
        *(HitOut(sort="shelf", address=one.address, says=one.says, where=one.about) for one in found.shelf),
    ]
