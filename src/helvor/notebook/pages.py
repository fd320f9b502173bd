"""Pages and their entries in ink.

An entry is written under a lock on its page, so that the checks see every entry before
it; two people who write at once write one after the other, and nothing is lost. A
correction of something that was corrected meanwhile strikes the newest through.

What follows from the entries is a projection. :func:`append` works it out and writes the page's
summary with the entries, for whoever needs the worksheet at once. :func:`write` answers as soon as
the ink is dry: the page is marked as behind, and :func:`keep_up` writes its summary afterwards.
"""

from __future__ import annotations

import logging
from collections.abc import Callable, Iterator, Sequence
from contextlib import contextmanager
from dataclasses import dataclass, replace
from datetime import datetime
from typing import Any, NamedTuple
from uuid import UUID

import psycopg
from psycopg.pq import TransactionStatus
from psycopg.types.json import Jsonb

from helvor.core.record.entry import Entry, Payload, Problem, Typed, line_of
from helvor.core.record.house_rules import HouseRules
from helvor.core.record.worksheet import PageSummary, Worksheet
from helvor.core.techniques.registered import PAGE_KINDS, PageKind
from helvor.notebook.page_errors import EntryIdTaken, NotWorkedOut, NotYours
from helvor.notebook.page_rows import (
    ANY_PAGE,
    CANNOT_BE_WORKED_OUT,
    FOR_THE_ACCOUNT,
    NEWER_ENTRIES,
    ONE_PAGE,
    Page,
    all_entries,
    database_of,
    entries_of,
    known_ink,
    page_of,
    typed_row,
)
from helvor.shelf.solvents import eluotropic_rank

log = logging.getLogger(__name__)

MAX_ENTRIES = 2000


@dataclass(frozen=True, slots=True)
class Draft:
    """An entry to be written. Without *strikes* it may still take the place of a standing twin.

    Attributes:
        at: when it was written down, for records that are taken over from elsewhere; else now.
    """

    id: UUID
    payload: Payload
    strikes: UUID | None = None
    reason: str = ""
    at: datetime | None = None


@dataclass(frozen=True, slots=True)
class Inked:
    """A page after writing: all its entries.

    Attributes:
        new: how many of them were; 0 when all had been written before and were only sent again.
    """

    page: Page
    entries: list[Entry]
    new: int


@dataclass(frozen=True, slots=True)
class Written(Inked):
    """The same with the worksheet."""

    worksheet: Worksheet


def start_page(
    conn: psycopg.Connection, account_id: int, bench_id: UUID, technique: str, page_id: UUID, *, virtual: bool = False
) -> UUID:
    """Start a page on a bench. Starting it again with the same id starts nothing more.

    Args:
        virtual: it is one of practice, which neither the board nor review shows.

    Raises:
        NotYours: the bench is not for this account.
        EntryIdTaken: the id is another bench's page.
        KeyError: there is no such technique.
    """
    PAGE_KINDS[technique]
    with conn.transaction():
        bench = conn.execute(
            """
            SELECT b.id FROM bench b WHERE b.id = %(bench)s
            AND (b.account_id = %(account)s OR b.worker_id = %(account)s OR EXISTS
                (SELECT FROM instructor_of t WHERE t.class_id = b.class_id AND t.account_id = %(account)s))
            FOR UPDATE OF b
            """,
            {"bench": bench_id, "account": account_id},
        ).fetchone()
        if bench is None:
            raise NotYours
        known = conn.execute("SELECT bench_id FROM page WHERE id = %s", [page_id]).fetchone()
        if known is not None:
            if known[0] != bench_id:
                raise EntryIdTaken
            return page_id
        conn.execute(
            """
            INSERT INTO page (id, bench_id, technique, number, started_by, summary, virtual)
            SELECT %(page)s, %(bench)s, %(technique)s, coalesce(max(number), 0) + 1, %(account)s, %(summary)s,
                %(virtual)s
            FROM page WHERE bench_id = %(bench)s AND technique = %(technique)s
            """,
            {
                "page": page_id,
                "bench": bench_id,
                "technique": technique,
                "account": account_id,
                "virtual": virtual,
                "summary": Jsonb(summary_of(PAGE_KINDS[technique].work_out([], HouseRules(), {}))),
            },
        )
    return page_id


def open_page(conn: psycopg.Connection, account_id: int, page_id: UUID) -> tuple[Page, list[Entry]]:
    """A page and its entries in the order of writing.

    Raises:
        NotYours: it is not there, or not for this account.
    """
    known = known_ink.known(database_of(conn), page_id)
    with conn.pipeline():
        found = conn.execute(ONE_PAGE, {"page": page_id, "account": account_id})
        rows = conn.execute(NEWER_ENTRIES, [page_id, len(known)])
        row = found.fetchone()
        if row is None:
            raise NotYours
        page = page_of(row)
        newer = rows.fetchall()
    return page, entries_of(conn, page, known, newer)


def write(
    conn: psycopg.Connection,
    account_id: int,
    author: str,
    page_id: UUID,
    compose: Callable[[list[Entry]], Sequence[Draft]],
    *,
    typed: Typed | None = None,
) -> Inked:
    """Write entries in ink, all or none, each once however often it is sent; nothing is worked out.

    The page is behind from then on; whoever writes this way sees to it that :func:`keep_up` follows.

    Args:
        author: the account's name as the entries will show it.
        compose: gets the entries that are there and says what to write, in this order. It is
            asked under the lock, so what it builds on is what stands. If what a draft strikes
            was corrected meanwhile, it strikes the newest instead.
        typed: when it was typed, where a device kept it for a while.

    Raises:
        NotYours: the page is not for this account.
        Problem: the page as it stands cannot hold an entry; nothing is written.
        EntryIdTaken: an id was used for something else.
    """
    written = _write_at_once(conn, account_id, author, page_id, compose, typed)
    if written is not None:
        return written
    with _one_at_a_time(conn):
        page, entries, new = _compose(conn, account_id, author, page_id, compose, typed)
        if new:
            _insert(conn, account_id, page_id, entries[-new:], None)
    known_ink.keep(database_of(conn), page, list(entries))
    return Inked(replace(page, behind=page.behind or new > 0), entries, new)


_AT_ONCE = (
    "WITH here AS (SELECT p.id FROM page p JOIN bench b ON b.id = p.bench_id"  # noqa: S608  our own text throughout
    + FOR_THE_ACCOUNT
    + """
    AND p.entries = %(known)s AND p.rewritten_at IS NOT DISTINCT FROM %(rewritten)s
    AND EXISTS (SELECT FROM entry e WHERE e.page_id = p.id AND e.seq = %(known)s AND e.id = %(newest)s)
    FOR UPDATE OF p
), ink AS (
    INSERT INTO entry (id, page_id, seq, kind, payload, strikes, reason, author_id, written_at, typed)
    SELECT %(id)s, id, %(known)s + 1, %(kind)s, %(payload)s, %(strikes)s, %(reason)s, %(account)s,
        coalesce(%(at)s::timestamptz, now()), %(typed)s
    FROM here
), moved AS (
    UPDATE page SET entries = %(known)s + 1, behind = true FROM here WHERE page.id = here.id
)
SELECT now() FROM here
"""
)
"""One entry after the newest that is known, if that is the newest and the page is for the account; else no row."""


def _write_at_once(
    conn: psycopg.Connection,
    account_id: int,
    author: str,
    page_id: UUID,
    compose: Callable[[list[Entry]], Sequence[Draft]],
    typed: Typed | None,
) -> Inked | None:
    """Write one entry with one statement, where the page is just as this process knows it.

    None where it is not, where there is not one entry to write, or where it cannot be written: then
    nothing is, and all of it is asked again under the lock. Nothing is said here of what is wrong:
    whose page it is has not been asked yet.
    """
    database = database_of(conn)
    page, known = known_ink.page(database, page_id), known_ink.known(database, page_id)
    if page is None or not known or conn.info.transaction_status is not TransactionStatus.IDLE:
        return None
    try:
        drafts = compose(list(known))
        there = _There(known, {entry.id.int: entry for entry in known})
        if len(drafts) != 1:
            return None
        entry = _fit(page.kind, there, drafts[0], author, known[-1].at, typed)
    except Exception:  # whatever it is, it is raised again under the lock
        return None
    if entry is None:
        return None
    try:
        row = conn.execute(
            _AT_ONCE,
            {
                "page": page_id,
                "account": account_id,
                "known": len(known),
                "newest": known[-1].id,
                "id": entry.id,
                "rewritten": page.rewritten,
                "kind": entry.payload.kind,
                "payload": Jsonb(entry.payload.model_dump(mode="json")),
                "strikes": entry.strikes,
                "reason": entry.reason,
                "at": drafts[0].at,
                "typed": typed_row(entry.typed),
            },
        ).fetchone()
    except psycopg.errors.UniqueViolation as taken:
        raise EntryIdTaken from taken
    if row is None:
        return None
    page = replace(page, behind=True)
    entries = [*known, replace(entry, at=drafts[0].at or row[0])]
    known_ink.keep(database, page, entries)
    return Inked(page, list(entries), 1)


def append(
    conn: psycopg.Connection,
    account_id: int,
    author: str,
    page_id: UUID,
    compose: Callable[[list[Entry]], Sequence[Draft]],
    *,
    apart: bool = False,
    typed: Typed | None = None,
) -> Written:
    """The same as :func:`write`, with the page worked out and its summary written along.

    Args:
        apart: none of them corrects, or stands in the place of, another of them, so that the page is gathered once.
        typed: as for :func:`write`.
    """
    with _one_at_a_time(conn):
        page, entries, new = _compose(conn, account_id, author, page_id, compose, typed, apart=apart)
        sheet = page.kind.work_out(entries, page.rules, eluotropic_rank())
        if new:
            _insert(conn, account_id, page_id, entries[-new:], sheet)
    known_ink.keep(database_of(conn), page, list(entries))
    return Written(replace(page, behind=page.behind and not new), entries, new, sheet)


@contextmanager
def _one_at_a_time(conn: psycopg.Connection) -> Iterator[None]:
    """A transaction whose statements go out together; if the database refuses any, nothing of it is kept."""
    try:
        with conn.pipeline(), conn.transaction():
            yield
    except psycopg.errors.UniqueViolation as taken:
        raise EntryIdTaken from taken


def _compose(
    conn: psycopg.Connection,
    account_id: int,
    author: str,
    page_id: UUID,
    compose: Callable[[list[Entry]], Sequence[Draft]],
    typed: Typed | None,
    *,
    apart: bool = False,
) -> tuple[Page, list[Entry], int]:
    """The page, ours alone from here on, all its entries, and how many of them are to be written."""
    known = known_ink.known(database_of(conn), page_id)
    # Asked once the page is ours: what somebody wrote while we waited is then among the entries.
    found = conn.execute(ONE_PAGE + "FOR UPDATE OF p", {"page": page_id, "account": account_id})
    rows = conn.execute(NEWER_ENTRIES, [page_id, len(known)])
    row = found.fetchone()
    if row is None:
        raise NotYours
    page = page_of(row)
    entries = entries_of(conn, page, known, rows.fetchall())
    now: datetime = row[-1]
    before = len(entries)
    state = page.kind.gather(list(entries)) if apart else None
    there = _There(entries, {entry.id.int: entry for entry in entries}, state)
    for draft in compose(list(entries)):
        try:
            entry = _fit(page.kind, there, draft, author, now, typed)
        except EntryIdTaken as taken:
            taken.page = page
            raise
        if entry is not None:
            entries.append(entry)
            there.ids[entry.id.int] = entry
    return page, entries, len(entries) - before


def _insert(
    conn: psycopg.Connection, account_id: int, page_id: UUID, entries: list[Entry], sheet: Worksheet | None
) -> None:
    """Write the newest entries of a page and what its row says of them; without a worksheet it is behind."""
    for entry in entries:
        conn.execute(
            "INSERT INTO entry (id, page_id, seq, kind, payload, strikes, reason, author_id, written_at, typed)"
            " VALUES (%s, %s, %s, %s, %s, %s, %s, %s, %s, %s)",
            [
                entry.id,
                page_id,
                entry.seq,
                entry.payload.kind,
                Jsonb(entry.payload.model_dump(mode="json")),
                entry.strikes,
                entry.reason,
                account_id,
                entry.at,
                typed_row(entry.typed),
            ],
        )
    if sheet is None:
        conn.execute("UPDATE page SET entries = %s, behind = true WHERE id = %s", [entries[-1].seq, page_id])
    else:
        conn.execute(
            "UPDATE page SET entries = %s, summary = %s, behind = false WHERE id = %s",
            [entries[-1].seq, Jsonb(summary_of(sheet)), page_id],
        )


def worked_out(
    page: Page,
    entries: Sequence[Entry],
) -> Worksheet:
    """The worksheet of a page.

    Raises:
        NotWorkedOut: working it out fails, whatever the reason; the entries stand all the same.
    """
    try:
        return page.kind.work_out(entries, page.rules, eluotropic_rank())
    except Exception as fault:
        raise NotWorkedOut(page) from fault


def keep_up(
    conn: psycopg.Connection,
    page: Page,
    entries: Sequence[Entry],
) -> bool:
    """Write the summary of a page that is behind; whether that was done.

    If somebody has written on it meanwhile nothing is worked out: whoever did keeps it up. A page that
    cannot be worked out says so on the board, and stays behind until it can.
    """
    row = conn.execute(ANY_PAGE + "WHERE p.id = %s AND p.entries = %s AND p.behind", [page.id, len(entries)]).fetchone()
    if row is None:
        return False
    page = page_of(row)  # by the house rules that hold now
    try:
        sheet = worked_out(page, entries)
    except NotWorkedOut:
        log.exception("%s cannot be worked out", page.address)
        conn.execute(
            "UPDATE page SET summary = summary || %s WHERE id = %s AND entries = %s AND behind",
            [cannot_be(), page.id, len(entries)],
        )
        return False
    return (
        conn.execute(
            "UPDATE page SET summary = %s, behind = false WHERE id = %s AND entries = %s AND behind",
            [Jsonb(summary_of(sheet)), page.id, len(entries)],
        ).rowcount
        == 1
    )


def catch_up(
    conn: psycopg.Connection,
) -> int:
    """Keep up every page that was left behind, as by a power cut between the ink and its summary; how many."""
    rows = conn.execute(ANY_PAGE + "WHERE p.behind ORDER BY p.id").fetchall()
    return sum(keep_up(conn, page, all_entries(conn, page)) for page in map(page_of, rows))


class _There(NamedTuple):
    """What stands on a page already: its entries, the same by the bits of their ids, and as gathered if they were."""

    entries: list[Entry]
    ids: dict[int, Entry]
    gathered: Any = None


def _fit(
    technique: PageKind, there: _There, draft: Draft, author: str, now: datetime, typed: Typed | None
) -> Entry | None:
    """The entry that a draft becomes after those that are there, or None if it is there already."""
    entries = there.entries
    # Through its stored form and back, so that what is worked out now is what will be read tomorrow,
    # and the same thing sent again is the same.
    payload = technique.payloads.validate_python(draft.payload.model_dump(mode="json"))
    known = there.ids.get(draft.id.int)
    if known is not None:
        if known.payload != payload or known.by != author:
            raise EntryIdTaken(entries[: known.seq], payload)
        return None
    if len(entries) >= MAX_ENTRIES:
        raise Problem("", f"This page is full at {MAX_ENTRIES} entries: start another.")
    state = there.gathered if there.gathered is not None else technique.gather(entries)
    strikes, reason = _what_it_strikes(technique, state, draft)
    technique.check(state, draft.payload, strikes)
    return Entry(draft.id, len(entries) + 1, payload, strikes, reason, author, draft.at or now, typed)


def _what_it_strikes(technique: PageKind, state: Any, draft: Draft) -> tuple[UUID | None, str]:
    if draft.strikes is None:
        twin = technique.twin(state, draft.payload)
        return twin, (draft.reason or "written again") if twin else ""
    line = line_of(state.lines, draft.strikes)
    if line is None:
        raise Problem("strikes", "The entry to correct is not on this page.")
    if not draft.reason.strip():
        raise Problem("reason", "Give a short reason: misread, typed wrong, measured again.")
    return line.head.id, draft.reason.strip()


def summary_of(sheet: Worksheet) -> dict[str, Any]:
    """What the class board shows of a page, as it is kept."""
    return PageSummary.of(sheet).kept()


CANNOT_BE = "UPDATE page SET summary = summary || %s, behind = true WHERE id = %s"


def cannot_be() -> Jsonb:
    """What the board shows of a page that cannot be worked out."""
    return Jsonb({"level": "stop", "word": "Stop", "what": CANNOT_BE_WORKED_OUT})
