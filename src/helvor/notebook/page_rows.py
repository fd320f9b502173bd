"""Pages and entries as rows of the database."""

from __future__ import annotations

from collections import OrderedDict
from collections.abc import Iterable, Mapping
from dataclasses import dataclass
from datetime import datetime
from threading import Lock
from typing import Any
from uuid import UUID

import psycopg
from psycopg.types.json import Jsonb

from helvor.core.record.entry import Entry, Typed
from helvor.core.record.house_rules import HouseRules
from helvor.core.techniques.registered import PAGE_KINDS, PageKind

CANNOT_BE_WORKED_OUT = "We could not calculate this page (our fault). Your record is safe, in its history."


@dataclass(frozen=True, slots=True)
class Page:
    """A page and where it lies. ``class_id`` is None for the front bench."""

    id: UUID
    technique_key: str
    number: int
    started_at: datetime
    bench_id: UUID
    bench_number: int | None
    class_id: UUID | None
    class_code: str
    pair: str
    name: str
    """What the page is about, where it has a name: its procedure's title."""
    rules: HouseRules
    rewritten: datetime | None = None
    """When names were last taken out of it; see :mod:`helvor.notebook.forget`."""
    behind: bool = False
    """Its summary has not caught up with its entries yet; see :func:`keep_up`."""

    @property
    def kind(self) -> PageKind:
        return PAGE_KINDS[self.technique_key]

    @property
    def title(self) -> str:
        return self.name or f"{self.kind.title} {self.number}"

    @property
    def address(self) -> str:
        return f"{self.kind.address}/{self.id}"

    @property
    def bench_name(self) -> str:
        return f"Bench {self.bench_number}" if self.bench_number else "My bench"


ANY_PAGE = """
SELECT p.id AS page, p.technique, p.number, p.started_at, b.id AS bench, b.number AS bench_number, b.class_id,
    coalesce(c.code, ''), b.pair, coalesce(p.summary ->> 'title', '') AS name, p.rewritten_at, p.behind, i.house_rules,
    now() AS at
FROM page p JOIN bench b ON b.id = p.bench_id LEFT JOIN class c ON c.id = b.class_id
    LEFT JOIN account o ON o.id = b.account_id
    JOIN institution i ON i.id = coalesce(c.institution_id, o.institution_id)
"""


FOR_THE_ACCOUNT = """
WHERE p.id = %(page)s AND (b.account_id = %(account)s OR b.worker_id = %(account)s OR EXISTS
    (SELECT FROM instructor_of t WHERE t.class_id = b.class_id AND t.account_id = %(account)s))
"""


ONE_PAGE = ANY_PAGE + FOR_THE_ACCOUNT


NEWER_ENTRIES = """
SELECT e.id, e.seq, e.payload, e.strikes, e.reason, a.name, e.written_at, e.typed
FROM entry e JOIN account a ON a.id = e.author_id WHERE e.page_id = %s AND e.seq >= %s ORDER BY e.seq
"""


def page_of(row: tuple[Any, ...]) -> Page:
    place, (rewritten, behind, rules, _) = row[:-4], row[-4:]
    return Page(*(*place, HouseRules(rules), rewritten, behind))


def database_of(conn: psycopg.Connection) -> str:
    info = conn.info
    return f"{info.host}:{info.port}/{info.dbname}"


def entries_of(conn: psycopg.Connection, page: Page, known: list[Entry], newer: list[tuple[Any, ...]]) -> list[Entry]:
    """The known entries and the newer ones; *newer* begins with the newest that was known."""
    rewritten = known_ink.rewritten(database_of(conn), page.id)
    if known and (not newer or newer[0][0] != known[-1].id or rewritten != page.rewritten):
        known, newer = [], conn.execute(NEWER_ENTRIES, [page.id, 0]).fetchall()
    entries = [*known, *_read_back(page, newer[bool(known) :])]
    known_ink.keep(database_of(conn), page, entries)
    return list(entries)


def _read_back(page: Page, rows: Iterable[tuple[Any, ...]]) -> list[Entry]:
    validate = page.kind.payloads.validate_python
    return [
        Entry(entry_id, seq, validate(payload), strikes, reason, by, at, typed_of(typed))
        for entry_id, seq, payload, strikes, reason, by, at, typed in rows
    ]


def typed_of(stored: Mapping[str, Any] | None) -> Typed | None:
    """When an entry was typed, out of its stored form ``{"at": ISO or null, "clock_off": seconds}``."""
    if stored is None:
        return None
    at = stored.get("at")
    return Typed(datetime.fromisoformat(at) if at else None, stored.get("clock_off", 0))


def stored_typed(typed: Typed | None) -> dict[str, Any] | None:
    """The stored form of when an entry was typed."""
    if typed is None:
        return None
    return {"at": typed.at.isoformat() if typed.at else None, "clock_off": typed.clock_off}


def typed_row(typed: Typed | None) -> Jsonb | None:
    return Jsonb(stored_typed(typed)) if typed is not None else None


def all_entries(conn: psycopg.Connection, page: Page) -> list[Entry]:
    """The entries of a page as the database has them, whatever this process knows of it."""
    return _read_back(page, conn.execute(NEWER_ENTRIES, [page.id, 0]).fetchall())


class KnownInk:
    """Entries that this process has read before, page by page, so that only newer ones are fetched.

    What is written in ink never changes, so there is nothing to go stale; the newest one
    known is fetched again each time, and if the database does not have it (another
    database, or one restored from a copy), or names were taken out of it since, the whole
    page is read afresh. The pages used
    longest ago are dropped first. Entries just written are kept too, even before an outer
    transaction commits: the same check finds out if it never does.
    """

    def __init__(self, most: int) -> None:
        self._most = most
        self._pages: OrderedDict[tuple[str, UUID], tuple[Page, list[Entry]]] = OrderedDict()
        self._lock = Lock()

    def page(self, database: str, page_id: UUID) -> Page | None:
        """The page as it was when it was read last."""
        with self._lock:
            known = self._pages.get((database, page_id))
        return known[0] if known else None

    def known(self, database: str, page_id: UUID) -> list[Entry]:
        with self._lock:
            known = self._pages.get((database, page_id))
        return known[1] if known else []

    def rewritten(self, database: str, page_id: UUID) -> datetime | None:
        """When names had last been taken out of the page as it is known here."""
        page = self.page(database, page_id)
        return page.rewritten if page else None

    def keep(self, database: str, page: Page, entries: list[Entry]) -> None:
        with self._lock:
            self._pages[database, page.id] = page, entries
            self._pages.move_to_end((database, page.id))
            while len(self._pages) > self._most:
                self._pages.popitem(last=False)


known_ink = KnownInk(most=400)
