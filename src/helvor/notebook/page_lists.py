"""The pages of a class, and their summaries worked out again."""

from __future__ import annotations

from typing import Any
from uuid import UUID

import psycopg
from psycopg.types.json import Jsonb

from helvor.core.record.entry import Entry
from helvor.core.record.house_rules import HouseRules
from helvor.notebook.page_errors import NotWorkedOut
from helvor.notebook.page_rows import ANY_PAGE, Page, all_entries, database_of, entries_of, known_ink, page_of
from helvor.notebook.pages import CANNOT_BE, cannot_be, log, summary_of, worked_out


def rebuild_summaries(conn: psycopg.Connection, class_id: UUID | None = None) -> int:
    """Work every page out again, or those of a class, and write what the board shows; how many could be.

    One that cannot be says so on the board and stays behind; it keeps the others from nothing.
    """
    done = 0
    rows = conn.execute(
        ANY_PAGE + "WHERE %(class)s::uuid IS NULL OR b.class_id = %(class)s ORDER BY p.id", {"class": class_id}
    ).fetchall()
    for page in map(page_of, rows):
        with conn.transaction():
            conn.execute("SELECT FROM page WHERE id = %s FOR UPDATE", [page.id])
            try:
                sheet = worked_out(page, all_entries(conn, page))
            except NotWorkedOut:
                log.exception("%s cannot be worked out", page.address)
                conn.execute(CANNOT_BE, [cannot_be(), page.id])
                continue
            summary = Jsonb(summary_of(sheet))
            conn.execute("UPDATE page SET summary = %s, behind = false WHERE id = %s", [summary, page.id])
        done += 1
    return done


_OF_CLASS = """
SELECT p.id, p.technique, p.number, p.started_at, b.id, b.number, b.class_id, c.code, b.pair,
    coalesce(p.summary ->> 'title', ''), p.rewritten_at,
    (SELECT e.id FROM entry e WHERE e.page_id = p.id AND e.seq = p.entries)
FROM page p JOIN bench b ON b.id = p.bench_id JOIN class c ON c.id = b.class_id
    JOIN instructor_of t ON t.class_id = c.id AND t.account_id = %s
WHERE b.class_id = %s AND NOT p.virtual ORDER BY b.number, p.technique, p.number
"""
"""The pages of a class, each with the id of its newest entry; those of practice are none of it."""


_NEWER = """
SELECT e.page_id, e.id, e.seq, e.payload, e.strikes, e.reason, a.name, e.written_at, e.typed
FROM unnest(%s::uuid[], %s::integer[]) AS asked (page_id, known)
    JOIN entry e ON e.page_id = asked.page_id AND e.seq >= asked.known JOIN account a ON a.id = e.author_id
ORDER BY e.page_id, e.seq
"""


def pages_of_class(conn: psycopg.Connection, account_id: int, class_id: UUID) -> list[tuple[Page, list[Entry]]]:
    """Every page of a class with its entries, bench by bench; empty if the account does not teach it."""
    with conn.pipeline():
        asked = conn.execute(_OF_CLASS, [account_id, class_id])
        ruled = conn.execute(
            "SELECT i.house_rules FROM class c JOIN institution i ON i.id = c.institution_id WHERE c.id = %s",
            [class_id],
        )
        rows, rules = asked.fetchall(), ruled.fetchone()
    rules_here = HouseRules(rules[0] if rules else {})
    database = database_of(conn)
    found = [(Page(*(*row[:-2], rules_here, row[-2])), row[-1]) for row in rows]
    ink = {page.id: known_ink.known(database, page.id) for page, _ in found}
    # What is known to its newest entry, and was not rewritten since, is not asked for again.
    stale = [
        page.id
        for page, newest in found
        if (ink[page.id][-1].id if ink[page.id] else None) != newest
        or known_ink.rewritten(database, page.id) != page.rewritten
    ]
    newer: dict[UUID, list[tuple[Any, ...]]] = {page_id: [] for page_id in stale}
    if stale:
        for page_id, *row in conn.execute(_NEWER, [stale, [len(ink[page_id]) for page_id in stale]]):
            newer[page_id].append(tuple(row))
    return [
        (page, entries_of(conn, page, ink[page.id], newer[page.id]) if page.id in newer else list(ink[page.id]))
        for page, _ in found
    ]
