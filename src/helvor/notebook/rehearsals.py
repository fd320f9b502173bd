"""Practice runs: begun, carried on a choice at a time, each choice and its readings written together or not at all."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import UTC, datetime
from uuid import UUID, uuid5

import psycopg

from helvor.core.engine.run.entries import Following, Noted
from helvor.core.engine.run.reading_line import beside, understand
from helvor.core.practice.rehearsal import Played, Story, play
from helvor.core.practice.rehearsals import story as story_of
from helvor.core.record.entry import Entry
from helvor.core.techniques.registered import TECHNIQUES
from helvor.notebook import pages
from helvor.notebook.page_errors import EntryIdTaken, NotYours
from helvor.notebook.pages import Draft
from helvor.shelf.procedures import shipped_procedure

VIRTUAL = "a virtual bench: nothing was really weighed"


@dataclass(frozen=True, slots=True)
class Rehearsal:
    """A practice run: which story with which seed, the run that holds its readings, what was chosen so far."""

    id: UUID
    story: Story
    seed: int
    page_id: UUID
    started_at: datetime
    choices: Mapping[str, str]

    @property
    def played(self) -> Played:
        return play(self.story, self.choices, self.seed)


def _choices(conn: psycopg.Connection, key: UUID) -> dict[str, str]:
    rows = conn.execute("SELECT decision, choice FROM rehearsal_choice WHERE rehearsal_id = %s ORDER BY place", [key])
    return dict(rows.fetchall())


def open_rehearsal(conn: psycopg.Connection, account_id: int, key: UUID, *, lock: bool = False) -> Rehearsal:
    """A practice run of one's own.

    Raises:
        NotYours: there is none of that id, or it is another's.
    """
    if lock:
        conn.execute("SELECT FROM rehearsal WHERE id = %s AND account_id = %s FOR UPDATE", [key, account_id])
    row = conn.execute(
        "SELECT id, story, seed, page_id, started_at FROM rehearsal WHERE id = %s AND account_id = %s",
        [key, account_id],
    ).fetchone()
    if row is None:
        raise NotYours
    return Rehearsal(row[0], story_of(row[1]), row[2], row[3], row[4], _choices(conn, key))


def rehearsals_of(conn: psycopg.Connection, account_id: int, most: int = 12) -> list[Rehearsal]:
    """The practice runs of an account, newest first."""
    rows = conn.execute(
        "SELECT id FROM rehearsal WHERE account_id = %s ORDER BY started_at DESC, id LIMIT %s", [account_id, most]
    ).fetchall()
    return [open_rehearsal(conn, account_id, row[0]) for row in rows]


def _drafts(entries: Sequence[Entry], lines: Sequence[str], of: UUID, author: str) -> list[Draft]:
    """What lines say, each read against those before it."""
    there, drafts = list(entries), list[Draft]()
    procedure = there[0].payload.procedure  # type: ignore[attr-defined]  # a rehearsal's run follows a procedure
    for number, line in enumerate(lines):
        step, text = beside(line, procedure)
        payload = understand(text, there, step, TECHNIQUES, sure=True).payload
        drafts.append(Draft(uuid5(of, str(number)), payload))
        there.append(Entry(drafts[-1].id, len(there) + 1, payload, None, "", author, datetime.now(UTC)))
    return drafts


def _type(
    conn: psycopg.Connection,
    account_id: int,
    author: str,
    page_id: UUID,
    lines: Sequence[str],
    of: UUID,
) -> None:
    if lines:
        pages.append(conn, account_id, author, page_id, lambda entries: _drafts(entries, lines, of, author))


def begin(
    conn: psycopg.Connection,
    account_id: int,
    author: str,
    bench_id: UUID,
    key: UUID,
    told: tuple[Story, int],
    choices: Mapping[str, str] | None = None,
) -> None:
    """Begin a practice run on a bench: which story, with which seed; twice begins one.

    With *choices* it begins again with the first of another's.

    Raises:
        NotYours: the bench is not for this account, or the id is another's practice run.
    """
    story, seed = told
    with conn.transaction():
        if conn.execute("SELECT FROM rehearsal WHERE id = %s", [key]).fetchone() is not None:
            open_rehearsal(conn, account_id, key)  # one's own, begun before
            return
        page_id = pages.start_page(conn, account_id, bench_id, "run", uuid5(key, "run"), virtual=True)
        begun = conn.execute(
            "INSERT INTO rehearsal (id, account_id, story, seed, page_id) VALUES (%s, %s, %s, %s, %s)"
            " ON CONFLICT (id) DO NOTHING RETURNING id",
            [key, account_id, story.key, seed, page_id],
        ).fetchone()
        if begun is None:  # sent twice at once, and the other was first
            return
        procedure = shipped_procedure(story.procedure)
        following = Following(
            procedure=procedure.handed_out.model_copy(update={"title": f"{procedure.title}, virtual"})
        )
        first = [Draft(uuid5(page_id, "following"), following), Draft(uuid5(page_id, "virtual"), Noted(words=VIRTUAL))]
        pages.append(conn, account_id, author, page_id, lambda _: first)
        _type(conn, account_id, author, page_id, play(story, {}, seed).begun, page_id)
        for decision, choice in (choices or {}).items():
            choose(conn, account_id, author, key, decision, choice, uuid5(key, decision))


def choose(
    conn: psycopg.Connection,
    account_id: int,
    author: str,
    key: UUID,
    decision: str,
    choice: str,
    entry: UUID,
) -> Rehearsal:
    """Take a decision: the choice and what it types are written together; sent twice they are written once.

    Of two who decide at once the first is written; the other finds the run as it then stands.

    Raises:
        NotYours: there is no such practice run of this account.
        Unreadable: the choice is none of those offered.
        EntryIdTaken: the id belongs to another decision.
    """
    with conn.transaction():
        there = open_rehearsal(conn, account_id, key, lock=True)
        known = conn.execute(
            "SELECT rehearsal_id, decision, choice FROM rehearsal_choice WHERE entry = %s", [entry]
        ).fetchone()
        if known is not None:
            if known != (key, decision, choice):
                raise EntryIdTaken
            return there
        asked = there.played.open
        if asked is None or asked.key != decision:
            return there
        made = play(there.story, {**there.choices, decision: choice}, there.seed).made[-1]
        conn.execute(
            "INSERT INTO rehearsal_choice (rehearsal_id, place, decision, choice, entry) VALUES (%s, %s, %s, %s, %s)",
            [key, len(there.choices) + 1, decision, choice, entry],
        )
        _type(conn, account_id, author, there.page_id, made.lines, entry)
        return open_rehearsal(conn, account_id, key)
