"""Finding by words: entries, pages, containers and procedures, as far as an account may see them.

Words are looked for as beginnings, all of them, in any order and any language: no stemming, no stop words. The index
of entries is PostgreSQL's own (``entry_words``); what was struck through is not found.
"""

from __future__ import annotations

import re
from collections.abc import Sequence
from dataclasses import dataclass, replace
from datetime import datetime
from uuid import UUID

import psycopg
from psycopg.rows import class_row

from helvor.core.record.entry import Entry
from helvor.core.techniques.registered import PAGE_KINDS

MOST = 40
MOST_WORDS = 8
FETCHED = 400
"""Newest entries that are looked at for pages to show: a common word stands on every page."""


@dataclass(frozen=True, slots=True)
class PageHit:
    """A page with the words on it: where it lies, and the newest entry that has them; ``more`` counts the others."""

    page_id: UUID
    technique: str
    title: str
    bench: int | None
    code: str
    pair: str
    at: datetime
    entry: Entry | None
    more: int

    @property
    def address(self) -> str:
        return f"{PAGE_KINDS[self.technique].address}/{self.page_id}"

    @property
    def where(self) -> str:
        return f"{self.code}, bench {self.bench}" if self.bench else "My bench"


@dataclass(frozen=True, slots=True)
class ContainerHit:
    """A container of a class."""

    class_id: UUID
    code: str
    label: str
    mark: str
    kind: str


@dataclass(frozen=True, slots=True)
class ClassHit:
    """A class, or a bench of it by its pair; ``bench`` is None for the class itself."""

    address: str
    says: str


def words_of(text: str) -> list[str]:
    """What was typed as words to look for: at most eight, each of two letters or digits or more."""
    found = re.findall(r"[\w'-]+", text.casefold())
    return [word.strip("'-_") for word in found if len(word.strip("'-_")) > 1][:MOST_WORDS]


def _query(words: Sequence[str]) -> str:
    """Words as a tsquery of beginnings: ``'salt':* & 'benz':*``."""
    return " & ".join("'" + word.replace("'", "''") + "':*" for word in words)


_MINE = """(b.account_id = %(account)s OR EXISTS
    (SELECT FROM instructor_of t WHERE t.class_id = b.class_id AND t.account_id = %(account)s))"""

# The newest matches of what the account may see, before their pages and authors are fetched, so that a common word
# costs no more than what is shown of it.
_ENTRIES = f"""
WITH hit AS MATERIALIZED (
    SELECT e.id, e.page_id, e.seq, e.kind, e.payload, e.strikes, e.reason, e.author_id, e.written_at,
        p.technique, p.number AS page_number, p.summary, b.number, b.class_id, b.pair
    FROM entry e JOIN page p ON p.id = e.page_id JOIN bench b ON b.id = p.bench_id
    WHERE jsonb_to_tsvector('simple', e.payload, '["string"]') @@ to_tsquery('simple', %(query)s) AND {_MINE}
    ORDER BY e.kind = 'following', e.written_at DESC LIMIT %(fetched)s)
SELECT h.id, h.page_id, h.seq, h.payload, h.strikes, h.reason, a.name, h.written_at,
    h.technique, coalesce(h.summary ->> 'title', ''), h.page_number, h.number, coalesce(c.code, ''), h.pair
FROM hit h JOIN account a ON a.id = h.author_id LEFT JOIN class c ON c.id = h.class_id
WHERE NOT EXISTS (SELECT FROM entry s WHERE s.strikes = h.id)
ORDER BY h.kind = 'following', h.written_at DESC
"""  # noqa: S608  put together from our own text


def pages_with(conn: psycopg.Connection, account_id: int, text: str) -> list[PageHit]:
    """Pages whose entries have all the words, those with readings before those whose handout has them."""
    words = words_of(text)
    if not words:
        return []
    rows = conn.execute(_ENTRIES, {"account": account_id, "query": _query(words), "fetched": FETCHED}).fetchall()
    found: dict[UUID, PageHit] = {}
    for row in rows:
        entry_id, page_id, seq, payload, strikes, reason, by, at, technique, title, number, bench, code, pair = row
        known = found.get(page_id)
        if known is not None:
            found[page_id] = replace(known, more=known.more + 1)
        elif len(found) < MOST:
            kind = PAGE_KINDS[technique]
            says = kind.payloads.validate_python(payload)
            entry = Entry(entry_id, seq, says, strikes, reason, by, at)
            name = title or f"{kind.title} {number}"
            found[page_id] = PageHit(page_id, technique, name, bench, code, pair, at, entry, 0)
    return list(found.values())


def containers_with(conn: psycopg.Connection, account_id: int, text: str) -> list[ContainerHit]:
    """Containers of the account's classes by label, code or kind."""
    words = words_of(text)
    if not words:
        return []
    with conn.cursor(row_factory=class_row(ContainerHit)) as cursor:
        return cursor.execute(
            """
            SELECT c.id AS class_id, c.code, k.label, k.code AS mark, k.kind
            FROM container k JOIN class c ON c.id = k.class_id
                JOIN instructor_of t ON t.class_id = c.id AND t.account_id = %(account)s
            WHERE to_tsvector('simple', k.label || ' ' || k.code || ' ' || k.kind) @@ to_tsquery('simple', %(query)s)
            ORDER BY c.code, k.label LIMIT %(most)s
            """,
            {"account": account_id, "query": _query(words), "most": MOST},
        ).fetchall()


def classes_with(conn: psycopg.Connection, account_id: int, text: str) -> list[ClassHit]:
    """Classes by code, title or course, and benches by their pair."""
    words = words_of(text)
    if not words:
        return []
    values = {"account": account_id, "query": _query(words), "most": MOST}
    named = conn.execute(
        """
        SELECT '/classes/' || c.id, c.code || ', ' || c.title FROM class c
            JOIN instructor_of t ON t.class_id = c.id AND t.account_id = %(account)s
        WHERE to_tsvector('simple', c.code || ' ' || c.title || ' ' || c.course) @@ to_tsquery('simple', %(query)s)
        ORDER BY c.code LIMIT %(most)s
        """,
        values,
    ).fetchall()
    paired = conn.execute(
        """
        SELECT '/benches/' || b.id, c.code || ', bench ' || b.number || ', ' || b.pair FROM bench b
            JOIN class c ON c.id = b.class_id JOIN instructor_of t ON t.class_id = c.id AND t.account_id = %(account)s
        WHERE to_tsvector('simple', b.pair) @@ to_tsquery('simple', %(query)s)
        ORDER BY c.code, b.number LIMIT %(most)s
        """,
        values,
    ).fetchall()
    return [ClassHit(*row) for row in (*named, *paired)]
