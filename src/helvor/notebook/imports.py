"""Files that are looked at before they come in; which columns mean what; readings onto the runs of a class."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from uuid import UUID

import psycopg
from psycopg.types.json import Jsonb

from helvor.notebook import pages
from helvor.notebook.page_errors import NotYours
from helvor.notebook.pages import Draft

KEPT_FOR = "1 day"


@dataclass(frozen=True, slots=True)
class Waiting:
    """A file that somebody handed in and that has not come in yet."""

    id: UUID
    name: str
    content: bytes


def _mine(conn: psycopg.Connection, account_id: int, class_id: UUID) -> None:
    row = conn.execute(
        "SELECT FROM instructor_of t JOIN account a ON a.id = t.account_id AND a.role = 'instructor'"
        " WHERE t.class_id = %s AND t.account_id = %s",
        [class_id, account_id],
    ).fetchone()
    if row is None:
        raise NotYours


def put(conn: psycopg.Connection, account_id: int, class_id: UUID, key: UUID, name: str, content: bytes) -> None:
    """Keep a file until it is decided on, for a day at most; the same id keeps nothing more.

    Raises:
        NotYours: the account is no instructor of the class.
    """
    with conn.transaction():
        _mine(conn, account_id, class_id)
        conn.execute("DELETE FROM import_draft WHERE made_at < now() - %s::interval", [KEPT_FOR])
        conn.execute(
            "INSERT INTO import_draft (id, class_id, account_id, name, content) VALUES (%s, %s, %s, %s, %s)"
            " ON CONFLICT (id) DO NOTHING",
            [key, class_id, account_id, name, content],
        )


def waiting(conn: psycopg.Connection, account_id: int, class_id: UUID, key: UUID) -> Waiting:
    """A file that the account handed in.

    Raises:
        NotYours: it is not there any more, or not this account's.
    """
    _mine(conn, account_id, class_id)
    row = conn.execute(
        "SELECT id, name, content FROM import_draft WHERE id = %s AND class_id = %s AND account_id = %s",
        [key, class_id, account_id],
    ).fetchone()
    if row is None:
        raise NotYours
    return Waiting(row[0], row[1], bytes(row[2]))


def mapping_of(conn: psycopg.Connection, account_id: int, headers: Sequence[str]) -> dict[str, str] | None:
    """What the columns of such a file meant the last time: header → meaning."""
    row = conn.execute(
        "SELECT m.mapping FROM column_mapping m JOIN account a ON a.institution_id = m.institution_id"
        " WHERE a.id = %s AND m.headers = %s",
        [account_id, _key(headers)],
    ).fetchone()
    return dict(row[0]) if row else None


def keep_mapping(conn: psycopg.Connection, account_id: int, headers: Sequence[str], mapping: Mapping[str, str]) -> None:
    """Remember what the columns mean."""
    conn.execute(
        "INSERT INTO column_mapping (institution_id, headers, mapping, changed_by)"
        " SELECT institution_id, %s, %s, id FROM account WHERE id = %s"
        " ON CONFLICT (institution_id, headers) DO UPDATE SET mapping = excluded.mapping,"
        " changed_by = excluded.changed_by, changed_at = now()",
        [_key(headers), Jsonb(dict(mapping)), account_id],
    )


def _key(headers: Sequence[str]) -> str:
    return "\t".join(header.casefold() for header in headers)


def write_readings(
    conn: psycopg.Connection,
    account_id: int,
    author: str,
    class_id: UUID,
    key: UUID,
    drafts: Mapping[UUID, Sequence[Draft]],
) -> int:
    """Readings of a file onto the pages of a class, all or nothing and once; how many were new.

    Args:
        key: of the file, as it waits.
        drafts: page → entries, none of which stands in another's place.

    Raises:
        NotYours: a page is not of this class, or not the account's.
        Problem: a page cannot hold an entry.
    """
    new = 0
    with conn.transaction():
        _mine(conn, account_id, class_id)
        first = conn.execute(
            "UPDATE import_draft SET done_at = now() WHERE id = %s AND done_at IS NULL RETURNING id", [key]
        ).fetchone()
        if first is None:
            return 0
        for page_id, mine in drafts.items():

            def of_file(_: object, mine: Sequence[Draft] = mine) -> Sequence[Draft]:
                return mine

            written = pages.append(conn, account_id, author, page_id, of_file, apart=True)
            if written.page.class_id != class_id:
                raise NotYours
            new += written.new
    return new
