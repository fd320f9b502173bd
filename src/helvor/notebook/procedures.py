"""Procedures of an institution: drafts that can be undone, versions that stay, runs that follow one."""

from __future__ import annotations

from collections import OrderedDict
from collections.abc import Callable, Iterable, Mapping
from dataclasses import dataclass
from datetime import datetime, timedelta
from typing import Any
from uuid import UUID, uuid5

import psycopg
from psycopg.types.json import Jsonb

from helvor.core.engine.run.entries import Following, HandoutCorrected
from helvor.core.engine.run.record import gather
from helvor.core.record.entry import Entry, Problem
from helvor.core.record.house_rules import HouseRules, known_choices
from helvor.core.record.procedure import Procedure, loose_ends, scaled
from helvor.notebook import pages
from helvor.notebook.accounts import sessions_changed
from helvor.notebook.page_errors import EntryIdTaken, NotYours
from helvor.notebook.pages import Draft


@dataclass(frozen=True, slots=True)
class Kept:
    """A procedure as it is kept.

    Attributes:
        draft: number of the draft shown; undo and redo: whether there is one to go to.
        version: the newest version in use, 0 when there is none.
        changed: the draft differs from that version.
        why: the reason for which that version was published with a stop open; empty where there was none.
    """

    id: UUID
    procedure: Procedure
    draft: int
    undo: bool
    redo: bool
    version: int
    changed: bool
    made_at: datetime
    runs: int
    why: str = ""

    @property
    def title(self) -> str:
        return self.procedure.title


_KEPT = """
SELECT p.id, d.body, p.draft, d.parent IS NOT NULL,
    EXISTS (SELECT FROM procedure_draft n WHERE n.procedure_id = p.id AND n.parent = p.draft),
    coalesce(v.number, 0), v.body IS DISTINCT FROM d.body, d.made_at,
    (SELECT count(*) FROM page r WHERE r.procedure_id = p.id), coalesce(v.why, '')
FROM procedure p JOIN procedure_draft d ON d.procedure_id = p.id AND d.number = p.draft
LEFT JOIN LATERAL (SELECT number, body, why FROM procedure_version w WHERE w.procedure_id = p.id
    ORDER BY number DESC LIMIT 1) v ON true
WHERE p.institution_id = (SELECT institution_id FROM account WHERE id = %(account)s)
"""


def _kept(row: tuple[Any, ...]) -> Kept:
    return Kept(row[0], Procedure.model_validate(row[1]), *row[2:])


def procedures_of(conn: psycopg.Connection, account_id: int) -> list[Kept]:
    """The procedures of the account's institution, by title."""
    rows = conn.execute(_KEPT, {"account": account_id}).fetchall()
    return sorted((_kept(row) for row in rows), key=lambda kept: kept.title.casefold())


def about(kept: Iterable[Kept], topic: str) -> Kept | None:
    """The procedure that a meeting is about: the one whose title is its topic, whatever the capitals."""
    return next((one for one in kept if one.title.casefold() == topic.casefold()), None)


def open_procedure(conn: psycopg.Connection, account_id: int, procedure_id: UUID) -> Kept:
    """One procedure with its draft.

    Raises:
        NotYours: it is not there, or another institution's.
    """
    row = conn.execute(_KEPT + " AND p.id = %(id)s", {"account": account_id, "id": procedure_id}).fetchone()
    if row is None:
        raise NotYours
    return _kept(row)


_versions: OrderedDict[tuple[str, UUID, int], Procedure] = OrderedDict()
_MOST_VERSIONS = 100


def followed(conn: psycopg.Connection, procedure_id: UUID, number: int) -> Procedure:
    """The version that a page follows; ask for the page first. A version never changes, so it is read once.

    Raises:
        NotYours: there is none.
    """
    info = conn.info
    key = (f"{info.host}:{info.port}/{info.dbname}", procedure_id, number)
    known = _versions.get(key)
    if known is None:
        row = conn.execute(
            "SELECT body FROM procedure_version WHERE procedure_id = %s AND number = %s", [procedure_id, number]
        ).fetchone()
        if row is None:
            raise NotYours
        known = _versions[key] = Procedure.model_validate(row[0])
        while len(_versions) > _MOST_VERSIONS:
            _versions.popitem(last=False)
    return known


def version_of(conn: psycopg.Connection, account_id: int, procedure_id: UUID, number: int) -> Procedure:
    """A version as it was put in use.

    Raises:
        NotYours: there is no such version for this account.
    """
    open_procedure(conn, account_id, procedure_id)
    row = conn.execute(
        "SELECT body FROM procedure_version WHERE procedure_id = %s AND number = %s", [procedure_id, number]
    ).fetchone()
    if row is None:
        raise NotYours
    return Procedure.model_validate(row[0])


def add_procedure(
    conn: psycopg.Connection, account_id: int, procedure_id: UUID, procedure: Procedure, what: str
) -> UUID:
    """Keep a new procedure as a draft; sending it again keeps nothing more.

    Raises:
        NotYours: the id is another institution's procedure.
    """
    with conn.transaction():
        made = conn.execute(
            "INSERT INTO procedure (id, institution_id, made_by) SELECT %s, institution_id, id FROM account"
            " WHERE id = %s ON CONFLICT (id) DO NOTHING RETURNING id",
            [procedure_id, account_id],
        ).fetchone()
        if made is None:
            open_procedure(conn, account_id, procedure_id)
        else:
            _insert_draft(conn, account_id, procedure_id, (1, None, procedure), what, procedure_id)
    return procedure_id


def _insert_draft(
    conn: psycopg.Connection,
    account_id: int,
    procedure_id: UUID,
    draft: tuple[int, int | None, Procedure],
    what: str,
    edit: UUID,
) -> None:
    """A draft with its number and the number of the draft it was made from, as the one that is shown."""
    number, parent, procedure = draft
    conn.execute(
        "INSERT INTO procedure_draft (procedure_id, number, parent, body, what, made_by, edit)"
        " VALUES (%s, %s, %s, %s, %s, %s, %s)",
        [procedure_id, number, parent, Jsonb(procedure.model_dump(mode="json")), what, account_id, edit],
    )
    conn.execute("UPDATE procedure SET draft = %s WHERE id = %s", [number, procedure_id])


def edit_procedure(
    conn: psycopg.Connection,
    account_id: int,
    procedure_id: UUID,
    edit: UUID,
    change: Callable[[Procedure], Procedure],
    what: str,
) -> Kept:
    """Change the draft; each edit is made once however often it is sent.

    The change is made under a lock to what stands, so two people who edit at once both count.

    Raises:
        NotYours: it is not there, or another institution's.
        Problem: *change* refuses.
    """
    with conn.transaction():
        conn.execute("SELECT FROM procedure WHERE id = %s FOR UPDATE", [procedure_id])
        kept = open_procedure(conn, account_id, procedure_id)
        known = conn.execute("SELECT procedure_id FROM procedure_draft WHERE edit = %s", [edit]).fetchone()
        if known is not None:
            if known[0] != procedure_id:
                raise EntryIdTaken
            return kept
        changed = change(kept.procedure)
        if changed == kept.procedure:
            return kept
        newest = conn.execute(
            "SELECT max(number) FROM procedure_draft WHERE procedure_id = %s", [procedure_id]
        ).fetchone()
        number = (newest[0] if newest else 0) + 1
        _insert_draft(conn, account_id, procedure_id, (number, kept.draft, changed), what, edit)
        return open_procedure(conn, account_id, procedure_id)


def step_back(conn: psycopg.Connection, account_id: int, procedure_id: UUID, *, forward: bool = False) -> Kept:
    """Undo the last edit of the draft, or redo the one undone last.

    Raises:
        NotYours: it is not there, or another institution's.
    """
    with conn.transaction():
        conn.execute("SELECT FROM procedure WHERE id = %s FOR UPDATE", [procedure_id])
        kept = open_procedure(conn, account_id, procedure_id)
        found = conn.execute(
            "SELECT max(number) FROM procedure_draft WHERE procedure_id = %(id)s AND parent = %(draft)s"
            if forward
            else "SELECT parent FROM procedure_draft WHERE procedure_id = %(id)s AND number = %(draft)s",
            {"id": procedure_id, "draft": kept.draft},
        ).fetchone()
        if found is not None and found[0] is not None:
            conn.execute("UPDATE procedure SET draft = %s WHERE id = %s", [found[0], procedure_id])
        return open_procedure(conn, account_id, procedure_id)


def put_in_use(conn: psycopg.Connection, account_id: int, procedure_id: UUID, draft: int, why: str = "") -> int:
    """Make the draft the newest version; the version's number. Without a change it stays the one it was.

    *why* is the reason for which it is published although its check found a danger.

    Raises:
        NotYours: it is not there, or another institution's.
        Problem: names in it lead nowhere, or another draft stands by now.
    """
    with conn.transaction():
        conn.execute("SELECT FROM procedure WHERE id = %s FOR UPDATE", [procedure_id])
        kept = open_procedure(conn, account_id, procedure_id)
        if kept.draft != draft:
            raise Problem("draft", "Somebody else changed the draft. Check it again, then publish it.")
        loose = loose_ends(kept.procedure)
        if loose:
            raise Problem("steps", f"{loose[0][0].capitalize()}: {loose[0][1]}")
        if not kept.procedure.steps:
            raise Problem("steps", "Add at least one step first.")
        if not kept.changed:
            return kept.version
        conn.execute(
            "INSERT INTO procedure_version (procedure_id, number, body, made_by, why) VALUES (%s, %s, %s, %s, %s)",
            [procedure_id, kept.version + 1, Jsonb(kept.procedure.model_dump(mode="json")), account_id, why],
        )
        return kept.version + 1


def start_runs(
    conn: psycopg.Connection,
    account_id: int,
    author: str,
    procedure_id: UUID,
    benches: list[UUID],
    start: UUID,
    factor: float = 1.0,
) -> list[UUID]:
    """Start the newest version on benches, one run each; the same *start* starts nothing twice.

    Raises:
        NotYours: the procedure or a bench is not for this account.
        Problem: no version is in use yet.
    """
    kept = open_procedure(conn, account_id, procedure_id)
    if not kept.version:
        raise Problem("version", "Publish the draft first: a run follows a version.")
    procedure = version_of(conn, account_id, procedure_id, kept.version)
    if factor != 1.0:
        procedure = scaled(procedure, factor)
    following = Following(procedure=procedure.handed_out, of=procedure_id, version=kept.version, factor=factor)
    started = []
    with conn.transaction():
        for bench_id in benches:
            page_id = uuid5(start, str(bench_id))
            pages.start_page(conn, account_id, bench_id, "run", page_id)
            conn.execute(
                "UPDATE page SET procedure_id = %s, procedure_version = %s WHERE id = %s",
                [procedure_id, kept.version, page_id],
            )
            drafts = [Draft(uuid5(page_id, "following"), following)]
            for correction, step, says, why in conn.execute(
                "SELECT h.id, h.step, h.says, h.why FROM handout_correction h JOIN bench b ON b.class_id = h.class_id"
                " WHERE b.id = %s AND h.procedure_id = %s ORDER BY h.made_at",
                [bench_id, procedure_id],
            ).fetchall():
                if procedure.step(step) is not None:
                    drafts.append(
                        Draft(uuid5(correction, str(page_id)), HandoutCorrected(step=step, says=says, why=why))
                    )
            pages.append(conn, account_id, author, page_id, lambda _, d=drafts: d)  # type: ignore[misc]
            started.append(page_id)
    return started


def correct_handout(
    conn: psycopg.Connection,
    account_id: int,
    author: str,
    page_id: UUID,
    correction: UUID,
    entry: HandoutCorrected,
) -> int:
    """Correct a step's words in every run of the page's class that follows the same procedure; how many.

    Raises:
        NotYours: the page is not for this account.
        Problem: the run follows no procedure, or has no such step.
    """
    with conn.transaction():
        page, _ = pages.open_page(conn, account_id, page_id)
        row = conn.execute("SELECT procedure_id FROM page WHERE id = %s", [page_id]).fetchone()
        if row is None or row[0] is None or page.class_id is None:
            raise Problem("step", "Only a handout that the class follows can be corrected for the class.")
        conn.execute(
            "INSERT INTO handout_correction (id, class_id, procedure_id, step, says, why, made_by)"
            " VALUES (%s, %s, %s, %s, %s, %s, %s) ON CONFLICT (id) DO NOTHING",
            [correction, page.class_id, row[0], entry.step, entry.says, entry.why, account_id],
        )
        running = conn.execute(
            "SELECT p.id FROM page p JOIN bench b ON b.id = p.bench_id WHERE b.class_id = %s AND p.procedure_id = %s"
            " ORDER BY p.id",
            [page.class_id, row[0]],
        ).fetchall()
        for (run_id,) in running:
            draft = Draft(uuid5(correction, str(run_id)), entry)

            def compose(entries: list[Entry], draft: Draft = draft) -> list[Draft]:
                # A run of another version may not have the step.
                return [draft] if gather(entries).procedure.step(entry.step) else []

            pages.append(conn, account_id, author, run_id, compose)
    return len(running)


def house_rules_of(conn: psycopg.Connection, account_id: int) -> HouseRules:
    """The house rules of the account's institution."""
    row = conn.execute(
        "SELECT i.house_rules FROM institution i JOIN account a ON a.institution_id = i.id WHERE a.id = %s",
        [account_id],
    ).fetchone()
    return HouseRules(row[0] if row else {})


def set_house_rules(conn: psycopg.Connection, account_id: int, chosen: Mapping[str, str]) -> HouseRules:
    """Lay choices over the institution's house rules."""
    conn.execute(
        "UPDATE institution i SET house_rules = i.house_rules || %s FROM account a"
        " WHERE a.institution_id = i.id AND a.id = %s",
        [Jsonb(known_choices(chosen)), account_id],
    )
    sessions_changed()
    return house_rules_of(conn, account_id)


EARLIER = timedelta(hours=12)
"""What was marked less long ago belongs to the meeting under way: nothing is learned from it yet."""


def marks_of(conn: psycopg.Connection, account_id: int, procedure_id: UUID) -> list[list[tuple[str, datetime]]]:
    """Of each earlier run of a procedure the steps marked done, with when; runs that the account may see."""
    rows = conn.execute(
        """
        SELECT p.id, e.payload ->> 'step', e.written_at FROM page p JOIN bench b ON b.id = p.bench_id
        JOIN entry e ON e.page_id = p.id AND e.kind = 'marked' AND e.payload ->> 'how' = 'done'
        WHERE p.procedure_id = %(procedure)s AND e.written_at < now() - %(earlier)s
            AND (b.account_id = %(account)s OR EXISTS
                (SELECT FROM instructor_of t WHERE t.class_id = b.class_id AND t.account_id = %(account)s))
            AND NOT EXISTS (SELECT FROM entry s WHERE s.strikes = e.id)
        ORDER BY p.id, e.written_at, e.seq
        """,
        {"procedure": procedure_id, "account": account_id, "earlier": EARLIER},
    ).fetchall()
    runs: dict[UUID, list[tuple[str, datetime]]] = {}
    for page, step, at in rows:
        runs.setdefault(page, []).append((step, at))
    return list(runs.values())
