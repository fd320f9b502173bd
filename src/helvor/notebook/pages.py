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
from collections import OrderedDict
from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence
from contextlib import contextmanager
from dataclasses import dataclass, replace
from datetime import datetime
from threading import Lock
from typing import Any
from uuid import UUID

import psycopg
from psycopg.pq import TransactionStatus
from psycopg.types.json import Jsonb

from helvor.core.record.entry import Entry, Payload, Problem, Typed, line_of
from helvor.core.record.house_rules import HouseRules
from helvor.core.record.worksheet import Worksheet
from helvor.core.techniques.registered import PAGE_KINDS, PageKind

log = logging.getLogger(__name__)

MAX_ENTRIES = 2000
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


class NotYours(Exception):
    """The page is not there, or not for this account: nobody is told which."""


class EntryIdTaken(Exception):
    """The id belongs to an entry that says something else.

    Attributes:
        before: the page up to the entry that has the id, which is the last of them; empty where it is not on the
            same page: then nobody is told what it says.
        sent: what was sent now.
        page: where.
    """

    def __init__(self, before: Sequence[Entry] = (), sent: Payload | None = None, page: Page | None = None) -> None:
        super().__init__("the id belongs to another entry")
        self.before = tuple(before)
        self.sent = sent
        self.page = page


class NotWorkedOut(Exception):
    """What is in ink on a page stands, but a fault of ours keeps it from being worked out."""

    def __init__(self, page: Page) -> None:
        super().__init__(f"{page.address} cannot be worked out")
        self.page = page


_ANY_PAGE = """
SELECT p.id AS page, p.technique, p.number, p.started_at, b.id AS bench, b.number AS bench_number, b.class_id,
    coalesce(c.code, ''), b.pair, coalesce(p.summary ->> 'title', '') AS name, p.rewritten_at, p.behind, i.house_rules,
    now() AS at
FROM page p JOIN bench b ON b.id = p.bench_id LEFT JOIN class c ON c.id = b.class_id
    LEFT JOIN account o ON o.id = b.account_id
    JOIN institution i ON i.id = coalesce(c.institution_id, o.institution_id)
"""
_FOR_THE_ACCOUNT = """
WHERE p.id = %(page)s AND (b.account_id = %(account)s OR b.worker_id = %(account)s OR EXISTS
    (SELECT FROM instructor_of t WHERE t.class_id = b.class_id AND t.account_id = %(account)s))
"""
_PAGE = _ANY_PAGE + _FOR_THE_ACCOUNT

_ENTRIES = """
SELECT e.id, e.seq, e.payload, e.strikes, e.reason, a.name, e.written_at, e.typed
FROM entry e JOIN account a ON a.id = e.author_id WHERE e.page_id = %s AND e.seq >= %s ORDER BY e.seq
"""


class _Ink:
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


_ink = _Ink(most=400)


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
    known = _ink.known(_database(conn), page_id)
    with conn.pipeline():
        found = conn.execute(_PAGE, {"page": page_id, "account": account_id})
        rows = conn.execute(_ENTRIES, [page_id, len(known)])
        row = found.fetchone()
        if row is None:
            raise NotYours
        page = _page(row)
        newer = rows.fetchall()
    return page, _entries(conn, page, known, newer)


def _page(row: tuple[Any, ...]) -> Page:
    place, (rewritten, behind, rules, _) = row[:-4], row[-4:]
    return Page(*(*place, HouseRules(rules), rewritten, behind))


def _database(conn: psycopg.Connection) -> str:
    info = conn.info
    return f"{info.host}:{info.port}/{info.dbname}"


def _entries(conn: psycopg.Connection, page: Page, known: list[Entry], newer: list[tuple[Any, ...]]) -> list[Entry]:
    """The known entries and the newer ones; *newer* begins with the newest that was known."""
    rewritten = _ink.rewritten(_database(conn), page.id)
    if known and (not newer or newer[0][0] != known[-1].id or rewritten != page.rewritten):
        known, newer = [], conn.execute(_ENTRIES, [page.id, 0]).fetchall()
    entries = [*known, *_read_back(page, newer[bool(known) :])]
    _ink.keep(_database(conn), page, entries)
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


def _typed(typed: Typed | None) -> Jsonb | None:
    return Jsonb(stored_typed(typed)) if typed is not None else None


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
    _ink.keep(_database(conn), page, list(entries))
    return Inked(replace(page, behind=page.behind or new > 0), entries, new)


_AT_ONCE = (
    "WITH here AS (SELECT p.id FROM page p JOIN bench b ON b.id = p.bench_id"  # noqa: S608  our own text throughout
    + _FOR_THE_ACCOUNT
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
    database = _database(conn)
    page, known = _ink.page(database, page_id), _ink.known(database, page_id)
    if page is None or not known or conn.info.transaction_status is not TransactionStatus.IDLE:
        return None
    try:
        drafts = compose(list(known))
        ids = {entry.id.int: entry for entry in known}
        if len(drafts) != 1:
            return None
        entry = _fit(page.kind, known, ids, None, drafts[0], author, known[-1].at, typed)
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
                "typed": _typed(entry.typed),
            },
        ).fetchone()
    except psycopg.errors.UniqueViolation as taken:
        raise EntryIdTaken from taken
    if row is None:
        return None
    page = replace(page, behind=True)
    entries = [*known, replace(entry, at=drafts[0].at or row[0])]
    _ink.keep(database, page, entries)
    return Inked(page, list(entries), 1)


def append(
    conn: psycopg.Connection,
    account_id: int,
    author: str,
    page_id: UUID,
    compose: Callable[[list[Entry]], Sequence[Draft]],
    rank: Mapping[str, int],
    *,
    apart: bool = False,
    typed: Typed | None = None,
) -> Written:
    """The same as :func:`write`, with the page worked out and its summary written along.

    Args:
        rank: the eluotropic series, for the worksheet's findings.
        apart: none of them corrects, or stands in the place of, another of them, so that the page is gathered once.
        typed: as for :func:`write`.
    """
    with _one_at_a_time(conn):
        page, entries, new = _compose(conn, account_id, author, page_id, compose, typed, apart=apart)
        sheet = page.kind.work_out(entries, page.rules, rank)
        if new:
            _insert(conn, account_id, page_id, entries[-new:], sheet)
    _ink.keep(_database(conn), page, list(entries))
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
    known = _ink.known(_database(conn), page_id)
    # Asked once the page is ours: what somebody wrote while we waited is then among the entries.
    found = conn.execute(_PAGE + "FOR UPDATE OF p", {"page": page_id, "account": account_id})
    rows = conn.execute(_ENTRIES, [page_id, len(known)])
    row = found.fetchone()
    if row is None:
        raise NotYours
    page = _page(row)
    entries = _entries(conn, page, known, rows.fetchall())
    now: datetime = row[-1]
    before = len(entries)
    state = page.kind.gather(list(entries)) if apart else None
    ids = {entry.id.int: entry for entry in entries}
    for draft in compose(list(entries)):
        try:
            entry = _fit(page.kind, entries, ids, state, draft, author, now, typed)
        except EntryIdTaken as taken:
            taken.page = page
            raise
        if entry is not None:
            entries.append(entry)
            ids[entry.id.int] = entry
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
                _typed(entry.typed),
            ],
        )
    if sheet is None:
        conn.execute("UPDATE page SET entries = %s, behind = true WHERE id = %s", [entries[-1].seq, page_id])
    else:
        conn.execute(
            "UPDATE page SET entries = %s, summary = %s, behind = false WHERE id = %s",
            [entries[-1].seq, Jsonb(summary_of(sheet)), page_id],
        )


def worked_out(page: Page, entries: Sequence[Entry], rank: Mapping[str, int]) -> Worksheet:
    """The worksheet of a page.

    Raises:
        NotWorkedOut: working it out fails, whatever the reason; the entries stand all the same.
    """
    try:
        return page.kind.work_out(entries, page.rules, rank)
    except Exception as fault:
        raise NotWorkedOut(page) from fault


def keep_up(conn: psycopg.Connection, page: Page, entries: Sequence[Entry], rank: Mapping[str, int]) -> bool:
    """Write the summary of a page that is behind; whether that was done.

    If somebody has written on it meanwhile nothing is worked out: whoever did keeps it up. A page that
    cannot be worked out says so on the board, and stays behind until it can.
    """
    row = conn.execute(
        _ANY_PAGE + "WHERE p.id = %s AND p.entries = %s AND p.behind", [page.id, len(entries)]
    ).fetchone()
    if row is None:
        return False
    page = _page(row)  # by the house rules that hold now
    try:
        sheet = worked_out(page, entries, rank)
    except NotWorkedOut:
        log.exception("%s cannot be worked out", page.address)
        conn.execute(
            "UPDATE page SET summary = summary || %s WHERE id = %s AND entries = %s AND behind",
            [_cannot_be(), page.id, len(entries)],
        )
        return False
    return (
        conn.execute(
            "UPDATE page SET summary = %s, behind = false WHERE id = %s AND entries = %s AND behind",
            [Jsonb(summary_of(sheet)), page.id, len(entries)],
        ).rowcount
        == 1
    )


def catch_up(conn: psycopg.Connection, rank: Mapping[str, int]) -> int:
    """Keep up every page that was left behind, as by a power cut between the ink and its summary; how many."""
    rows = conn.execute(_ANY_PAGE + "WHERE p.behind ORDER BY p.id").fetchall()
    return sum(keep_up(conn, page, _all_entries(conn, page), rank) for page in map(_page, rows))


def _fit(
    technique: PageKind,
    entries: list[Entry],
    ids: Mapping[int, Entry],
    gathered: Any,
    draft: Draft,
    author: str,
    now: datetime,
    typed: Typed | None,
) -> Entry | None:
    """The entry that a draft becomes after those that are there, or None if it is there already."""
    # Through its stored form and back, so that what is worked out now is what will be read tomorrow,
    # and the same thing sent again is the same.
    payload = technique.payloads.validate_python(draft.payload.model_dump(mode="json"))
    known = ids.get(draft.id.int)
    if known is not None:
        if known.payload != payload or known.by != author:
            raise EntryIdTaken(entries[: known.seq], payload)
        return None
    if len(entries) >= MAX_ENTRIES:
        raise Problem("", f"This page is full at {MAX_ENTRIES} entries: start another.")
    state = gathered if gathered is not None else technique.gather(entries)
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
    """What the class board shows of a page."""
    worst, room = sheet.worst, sheet.in_room
    return {
        "done": sum(stage.done for stage in sheet.stages),
        "stages": len(sheet.stages),
        "next": sheet.next_stage,
        "level": worst.level if worst else "",
        "word": worst.word if worst else "",
        "what": worst.what if worst else "",
        "title": sheet.title,
        "names": [stage.name[:60] for stage in sheet.stages],
        "alarms": [[alarm.label, alarm.due.isoformat(), alarm.key] for alarm in room.alarms],
        "kit": list(room.kit),
        "stands": [list(one) for one in room.stands],
    }


def rebuild_summaries(conn: psycopg.Connection, rank: Mapping[str, int], class_id: UUID | None = None) -> int:
    """Work every page out again, or those of a class, and write what the board shows; how many could be.

    One that cannot be says so on the board and stays behind; it keeps the others from nothing.
    """
    done = 0
    rows = conn.execute(
        _ANY_PAGE + "WHERE %(class)s::uuid IS NULL OR b.class_id = %(class)s ORDER BY p.id", {"class": class_id}
    ).fetchall()
    for page in map(_page, rows):
        with conn.transaction():
            conn.execute("SELECT FROM page WHERE id = %s FOR UPDATE", [page.id])
            try:
                sheet = worked_out(page, _all_entries(conn, page), rank)
            except NotWorkedOut:
                log.exception("%s cannot be worked out", page.address)
                conn.execute(_CANNOT_BE, [_cannot_be(), page.id])
                continue
            summary = Jsonb(summary_of(sheet))
            conn.execute("UPDATE page SET summary = %s, behind = false WHERE id = %s", [summary, page.id])
        done += 1
    return done


_CANNOT_BE = "UPDATE page SET summary = summary || %s, behind = true WHERE id = %s"


def _cannot_be() -> Jsonb:
    """What the board shows of a page that cannot be worked out."""
    return Jsonb({"level": "stop", "word": "Stop", "what": CANNOT_BE_WORKED_OUT})


def _all_entries(conn: psycopg.Connection, page: Page) -> list[Entry]:
    """The entries of a page as the database has them, whatever this process knows of it."""
    return _read_back(page, conn.execute(_ENTRIES, [page.id, 0]).fetchall())


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
    database = _database(conn)
    found = [(Page(*(*row[:-2], rules_here, row[-2])), row[-1]) for row in rows]
    ink = {page.id: _ink.known(database, page.id) for page, _ in found}
    # What is known to its newest entry, and was not rewritten since, is not asked for again.
    stale = [
        page.id
        for page, newest in found
        if (ink[page.id][-1].id if ink[page.id] else None) != newest
        or _ink.rewritten(database, page.id) != page.rewritten
    ]
    newer: dict[UUID, list[tuple[Any, ...]]] = {page_id: [] for page_id in stale}
    if stale:
        for page_id, *row in conn.execute(_NEWER, [stale, [len(ink[page_id]) for page_id in stale]]):
            newer[page_id].append(tuple(row))
    return [
        (page, _entries(conn, page, ink[page.id], newer[page.id]) if page.id in newer else list(ink[page.id]))
        for page, _ in found
    ]
