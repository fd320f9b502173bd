"""Putting a class away, and taking the names of its students out while what they measured stays.

Forget 1. Archived, a class is read, searched and carried away as before; the database refuses anything new in it.
Forget 2. Names are those of the pairs and of who was absent. They go from the benches, from the accounts that their
          tablets wrote with, from the log, and from free words of entries, where a dash takes their place.
Forget 3. Readings, portions, containers, handouts and who of the staff wrote what are left alone. Backups made before
          keep the names; that is said where it is done.
"""

from __future__ import annotations

import re
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any
from uuid import UUID

import psycopg
from psycopg.types.json import Jsonb

from helvor.core.record.house_rules import HouseRules
from helvor.core.techniques.registered import PAGE_KINDS
from helvor.notebook.accounts import note_event, sessions_changed
from helvor.notebook.page_errors import NotYours
from helvor.notebook.page_lists import rebuild_summaries
from helvor.notebook.pages import summary_of
from helvor.shelf.solvents import eluotropic_rank

WORDS = frozenset({"words", "why", "who", "source", "make_up", "what", "done", "name"})
"""Fields of an entry that hold free words; everything else is a reading, a label or a choice."""
LISTS = frozenset({"picks", "accidents"})
"""The same with several of them."""
NOT_A_NAME = frozenset({"and", "und", "et", "with", "the", "pair", "bench", "group", "team", "own"})
DASH = "—"


@dataclass(frozen=True, slots=True)
class Forgotten:
    """What was done: names taken out, benches, entries and log lines changed."""

    names: int
    benches: int
    entries: int
    day_lines: int


_WORKERS = """
SELECT a.id, b.number, a.name FROM account a JOIN bench b ON b.worker_id = a.id WHERE b.class_id = %(class)s
UNION
SELECT a.id, b.number, a.name FROM account a JOIN entry e ON e.author_id = a.id JOIN page p ON p.id = e.page_id
    JOIN bench b ON b.id = p.bench_id WHERE a.role = 'bench' AND b.class_id = %(class)s
"""


def _own(conn: psycopg.Connection, account_id: int, class_id: UUID) -> None:
    row = conn.execute(
        "SELECT FROM instructor_of t JOIN account a ON a.id = t.account_id AND a.role = 'instructor'"
        " JOIN class c ON c.id = t.class_id WHERE t.class_id = %s AND t.account_id = %s FOR UPDATE OF c",
        [class_id, account_id],
    ).fetchone()
    if row is None:
        raise NotYours


def archive(conn: psycopg.Connection, account_id: int, class_id: UUID, *, away: bool) -> None:
    """Put a class away, or take it out again. Its tablets are signed out and its codes closed.

    Raises:
        NotYours: the account is no instructor of the class.
    """
    with conn.transaction():
        _own(conn, account_id, class_id)
        conn.execute(
            "UPDATE class SET archived_at = CASE WHEN %s THEN coalesce(archived_at, now()) END WHERE id = %s",
            [away, class_id],
        )
        if away:
            # Whoever is writing holds its page: they are waited for, and whoever comes after sees the class archived.
            conn.execute(
                "SELECT FROM page p JOIN bench b ON b.id = p.bench_id WHERE b.class_id = %s ORDER BY p.id"
                " FOR UPDATE OF p",
                [class_id],
            )
            conn.execute("DELETE FROM join_code WHERE class_id = %s", [class_id])
            conn.execute("UPDATE bench SET own_code = NULL WHERE class_id = %s", [class_id])
            conn.execute(
                "DELETE FROM session s USING bench b WHERE b.worker_id = s.account_id AND b.class_id = %s", [class_id]
            )
    sessions_changed()


def names_in(pair: str) -> list[str]:
    """The names in a pair as it was written: ``Ada and Bo`` → Ada, Bo.

    >>> names_in("Ada Berg & Bo"), names_in("pair 3")
    (['Ada', 'Berg', 'Bo'], [])
    """
    found = re.findall(r"[^\W\d_][\w'’-]+", pair)
    return [name for name in found if name[0].isupper() and name.casefold() not in NOT_A_NAME]


def without(value: Any, names: re.Pattern[str]) -> Any:
    """An entry's payload with names in its free words replaced by a dash (Forget 2)."""
    if not isinstance(value, dict):
        return value
    found = dict(value)
    for key, held in value.items():
        if key in WORDS and isinstance(held, str):
            found[key] = DASH if key == "who" and held else names.sub(DASH, held)
        elif key in LISTS and isinstance(held, list):
            found[key] = [names.sub(DASH, one) if isinstance(one, str) else one for one in held]
    return found


def _names_of(conn: psycopg.Connection, class_id: UUID, workers: Sequence[Any]) -> tuple[re.Pattern[str], int, int]:
    """Every name that stands for a student of a class, as one pattern; how many, and how many benches have some.

    Args:
        workers: accounts of its tablets with bench and name; of a bench whose pair changed, the one before too.
    """
    pairs = conn.execute("SELECT pair FROM bench WHERE class_id = %s", [class_id]).fetchall()
    absent = conn.execute(
        "SELECT DISTINCT payload ->> 'who' FROM room_entry WHERE class_id = %s AND payload ->> 'who' <> ''",
        [class_id],
    ).fetchall()
    written = [*(pair for (pair,) in pairs), *(who for (who,) in absent), *(called for *_, called in workers)]
    names = {name for text in written for name in names_in(text)}
    longest_first = sorted(names, key=len, reverse=True)
    one_of = r"\b(?:" + "|".join(re.escape(name) for name in longest_first) + r")\b"
    return re.compile(one_of if names else r"(?!)"), len(names), sum(bool(pair) for (pair,) in pairs)


def _blank_summaries(
    conn: psycopg.Connection,
    class_id: UUID,
) -> None:
    """What the board shows may quote a note: it is emptied, and worked out again once the names are gone for good."""
    for kind in PAGE_KINDS.values():
        blank = Jsonb(summary_of(kind.work_out([], HouseRules(), eluotropic_rank())))
        conn.execute(
            "UPDATE page p SET rewritten_at = now(), behind = true, summary = %s FROM bench b"
            " WHERE b.id = p.bench_id AND b.class_id = %s AND p.technique = %s",
            [blank, class_id, kind.key],
        )


def forget_names(
    conn: psycopg.Connection,
    account_id: int,
    class_id: UUID,
) -> Forgotten:
    """Take the students' names out of a class (Forget 2 and 3), all or nothing.

    Raises:
        NotYours: the account is no instructor of the class.
    """
    with conn.transaction():
        _own(conn, account_id, class_id)
        workers = conn.execute(_WORKERS, {"class": class_id}).fetchall()
        pattern, names, changed = _names_of(conn, class_id, workers)
        conn.execute("UPDATE bench SET pair = '' WHERE class_id = %s", [class_id])
        for worker, number, _ in workers:
            conn.execute("UPDATE account SET name = %s WHERE id = %s", [f"Bench {number}", worker])
        conn.execute(
            "UPDATE session s SET device = '' FROM bench b WHERE b.worker_id = s.account_id AND b.class_id = %s",
            [class_id],
        )
        entries = _rewrite(
            conn,
            pattern,
            account_id,
            "entry",
            "SELECT e.id, e.payload, e.reason FROM entry e JOIN page p ON p.id = e.page_id"
            " JOIN bench b ON b.id = p.bench_id WHERE b.class_id = %s AND e.kind <> 'following'",
            class_id,
        )
        lines = _rewrite(
            conn,
            pattern,
            account_id,
            "room_entry",
            "SELECT id, payload, reason FROM room_entry WHERE class_id = %s",
            class_id,
        )
        _blank_summaries(conn, class_id)
        for what, key, name in conn.execute(_FILES, {"class": class_id}).fetchall():
            if pattern.search(name):
                _take_out(conn, account_id, what, key, None, pattern.sub(DASH, name))
        # Files that wait to come in and reports that were laid out can be had again, without the names.
        conn.execute("DELETE FROM import_draft WHERE class_id = %s", [class_id])
        conn.execute("DELETE FROM report_job WHERE class_id = %s", [class_id])
        note_event(conn, account_id, account_id, "names deleted", f"{changed} benches, {entries + lines} entries")
    # Apart: a page that cannot be worked out keeps nobody's name on record.
    rebuild_summaries(conn, class_id)
    sessions_changed()
    return Forgotten(names, changed, entries, lines)


_FILES = """
SELECT what, f.id, f.name FROM (
    SELECT 'attachment' AS what, id, name, page_id FROM attachment
    UNION ALL SELECT 'photograph', id, name, page_id FROM photograph
) f JOIN page p ON p.id = f.page_id JOIN bench b ON b.id = p.bench_id WHERE b.class_id = %(class)s
"""


def _take_out(conn: psycopg.Connection, account_id: int, what: str, record: UUID, payload: Any, reason: str) -> None:
    """Ask the database for the one change that ink allows; it looks at it by itself (0019_ink.sql)."""
    conn.execute(
        "SELECT take_name_out(%s, %s, %s, %s, %s)",
        [account_id, what, record, Jsonb(payload) if payload is not None else None, reason],
    )


def _rewrite(
    conn: psycopg.Connection, names: re.Pattern[str], account_id: int, what: str, ask: str, class_id: UUID
) -> int:
    changed = 0
    for key, payload, reason in conn.execute(ask, [class_id]).fetchall():
        new, why = without(payload, names), names.sub(DASH, reason)
        if new != payload or why != reason:
            _take_out(conn, account_id, what, key, new, why)
            changed += 1
    return changed
