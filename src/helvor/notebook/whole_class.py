"""A whole class out of the notebook and into one, as plain data; what it looks like is in exchange/records.py.

Whole 1. What goes out is of one moment. The key of unknowns goes out for instructors only.
Whole 2. What comes in keeps its ids, its order, its times and who wrote it. Names that have no account here get one
         that nobody can sign in with.
Whole 3. All of it comes in, or nothing. What is here already is left as it is; an id that says something else refuses.
"""

from __future__ import annotations

import json
from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import replace
from typing import Any
from uuid import UUID, uuid4

import psycopg
from psycopg.types.json import Jsonb

from helvor.core.record.entry import Entry, Problem
from helvor.core.record.house_rules import HouseRules
from helvor.core.techniques.planar.plate import gather
from helvor.core.techniques.registered import PAGE_KINDS
from helvor.notebook import files, photographs
from helvor.notebook.page_errors import NotYours
from helvor.notebook.page_rows import stored_typed
from helvor.notebook.pages import summary_of
from helvor.shelf.solvents import eluotropic_rank

IMPORTED = "@imported.invalid"
"""End of the addresses of accounts that stand for names from elsewhere."""


_Rows = Callable[[str], list[tuple[Any, ...]]]
"""Runs a query over the class and gives its rows."""


def read(conn: psycopg.Connection, account_id: int, class_id: UUID) -> dict[str, Any] | None:
    """Everything of a class but its pages' entries and the content of its files; None if it is not the account's.

    Ask inside a transaction that sees one moment.
    """
    row = conn.execute(
        "SELECT c.code, c.title, c.course, i.house_rules, a.role FROM class c"
        " JOIN instructor_of t ON t.class_id = c.id AND t.account_id = %s JOIN account a ON a.id = t.account_id"
        " JOIN institution i ON i.id = c.institution_id WHERE c.id = %s",
        [account_id, class_id],
    ).fetchone()
    if row is None:
        return None
    code, title, course, rules, role = row

    def rows(query: str) -> list[tuple[Any, ...]]:
        return conn.execute(query, {"class": class_id}).fetchall()

    return {
        "class": {"id": str(class_id), "code": code, "title": title, "course": course, **_set_up(rows)},
        "rules": rules,
        "unknowns": _unknowns(rows) if role == "instructor" else [],
        "containers": _containers(rows),
        "day_book": _log(rows),
        "files": _files(rows),
    }


def _set_up(rows: _Rows) -> dict[str, Any]:
    """Meetings, benches, shared kit and answer sheets."""
    return {
        "meetings": [
            {"number": n, "starts_at": starts.isoformat(), "ends_at": ends.isoformat(), "topic": topic}
            for n, starts, ends, topic in rows(
                "SELECT number, starts_at, ends_at, topic FROM meeting WHERE class_id = %(class)s ORDER BY number"
            )
        ],
        "benches": [
            {"number": n, "pair": pair}
            for n, pair in rows("SELECT number, pair FROM bench WHERE class_id = %(class)s ORDER BY number")
        ],
        "kit": dict(rows("SELECT name, count FROM class_kit WHERE class_id = %(class)s ORDER BY name")),
        "answer_sheets": dict(rows("SELECT work, settings FROM answer_sheet WHERE class_id = %(class)s ORDER BY work")),
    }


def _unknowns(rows: _Rows) -> list[dict[str, Any]]:
    """Each series of unknowns: what its samples hold and who was dealt which."""
    unknowns: dict[str, dict[str, Any]] = {}
    released = {name for (name,) in rows("SELECT series FROM unknown_released WHERE class_id = %(class)s")}
    for series, number, holds in rows(
        "SELECT series, number, holds FROM unknown_sample WHERE class_id = %(class)s ORDER BY series, number"
    ):
        new = {"series": series, "released": series in released, "samples": [], "dealt": []}
        unknowns.setdefault(series, new)["samples"].append({"number": number, "holds": holds})
    for series, bench, number, how in rows(
        "SELECT d.series, b.number, d.number, d.how FROM unknown_dealt d JOIN bench b ON b.id = d.bench_id"
        " WHERE d.class_id = %(class)s ORDER BY d.series, b.number"
    ):
        unknowns[series]["dealt"].append({"bench": bench, "number": number, "how": how})
    return list(unknowns.values())


def _containers(rows: _Rows) -> list[dict[str, Any]]:
    """The registered containers with their notes."""
    notes: dict[UUID, list[dict[str, Any]]] = {}
    for container, key, seq, says, by, at in rows(
        "SELECT n.container_id, n.id, n.seq, n.says, a.name, n.made_at FROM container_note n"
        " JOIN container k ON k.id = n.container_id JOIN account a ON a.id = n.made_by"
        " WHERE k.class_id = %(class)s ORDER BY n.container_id, n.seq"
    ):
        note = {"id": str(key), "seq": seq, "says": says, "by": by, "at": at.isoformat()}
        notes.setdefault(container, []).append(note)
    return [
        {
            "id": str(key),
            "code": mark,
            "label": label,
            "kind": kind,
            "by": by,
            "at": at.isoformat(),
            "notes": notes.get(key, []),
        }
        for key, mark, label, kind, by, at in rows(
            "SELECT k.id, k.code, k.label, k.kind, a.name, k.made_at FROM container k"
            " JOIN account a ON a.id = k.made_by WHERE k.class_id = %(class)s ORDER BY k.made_at, k.code"
        )
    ]


def _log(rows: _Rows) -> list[dict[str, Any]]:
    """The logs of the meetings."""
    return [
        {
            "meeting": meeting,
            "id": str(key),
            "seq": seq,
            "strikes": str(strikes) if strikes else None,
            "reason": reason,
            "by": by,
            "at": at.isoformat(),
            "says": says,
        }
        for meeting, key, seq, strikes, reason, by, at, says in rows(
            "SELECT e.meeting, e.id, e.seq, e.strikes, e.reason, a.name, e.written_at, e.payload"
            " FROM room_entry e JOIN account a ON a.id = e.author_id WHERE e.class_id = %(class)s"
            " ORDER BY e.meeting, e.seq"
        )
    ]


def _files(rows: _Rows) -> list[dict[str, Any]]:
    """What is known of attached files and photographs; their content comes by :func:`content_of`."""
    return [
        {
            "id": str(key),
            "page": str(page),
            "name": name,
            "media": media,
            "sha256": sum_,
            "by": by,
            "at": at.isoformat(),
            "light": light,
        }
        for key, page, name, media, sum_, by, at, light in rows(
            "SELECT f.id, f.page_id, f.name, f.media, f.sha256, a.name, f.made_at, NULL FROM attachment f"
            " JOIN page p ON p.id = f.page_id JOIN bench b ON b.id = p.bench_id JOIN account a ON a.id = f.made_by"
            " WHERE b.class_id = %(class)s UNION ALL"
            " SELECT f.id, f.page_id, f.name, f.media, f.sha256, a.name, f.made_at, f.light FROM photograph f"
            " JOIN page p ON p.id = f.page_id JOIN bench b ON b.id = p.bench_id JOIN account a ON a.id = f.made_by"
            " WHERE b.class_id = %(class)s ORDER BY 7, 1"
        )
    ]


def content_of(conn: psycopg.Connection, file_id: UUID) -> bytes:
    """The content of a file or photograph that :func:`read` named."""
    row = conn.execute(
        "SELECT content FROM attachment WHERE id = %(id)s UNION ALL SELECT content FROM photograph WHERE id = %(id)s",
        {"id": file_id},
    ).fetchone()
    if row is None:
        raise NotYours
    return bytes(row[0])


class Writers:
    """Accounts of who wrote what comes in, by name (Whole 2)."""

    def __init__(self, conn: psycopg.Connection, account_id: int) -> None:
        row = conn.execute(
            "SELECT institution_id, name FROM account WHERE id = %s AND role = 'instructor'", [account_id]
        ).fetchone()
        if row is None:
            raise NotYours
        self._conn, self.institution = conn, int(row[0])
        self._known = {str(row[1]): account_id}

    def of(self, name: str) -> int:
        """The account of a name: the importer's own, one made before, or a new one."""
        if name not in self._known:
            found = self._conn.execute(
                "SELECT id FROM account WHERE institution_id = %s AND name = %s AND email LIKE %s",
                [self.institution, name, f"%{IMPORTED}"],
            ).fetchone()
            found = (
                found
                or self._conn.execute(
                    "INSERT INTO account (institution_id, email, name, password_hash, role)"
                    " VALUES (%s, %s, %s, '', 'bench') RETURNING id",
                    [self.institution, f"{uuid4()}{IMPORTED}", name],
                ).fetchone()
            )
            assert found is not None
            self._known[name] = int(found[0])
        return self._known[name]


def add_page(
    conn: psycopg.Connection,
    writers: Writers,
    bench_id: UUID,
    technique_key: str,
    page_id: UUID,
    started_at: str,
    entries: Sequence[Entry],
) -> bool:
    """A page with its entries as they were; False when it is here already, the same.

    Raises:
        Problem: the page is here and says something else, or an entry's id is taken.
    """
    known = conn.execute("SELECT bench_id FROM page WHERE id = %s", [page_id]).fetchone()
    if known is not None:
        here = [key for (key,) in conn.execute("SELECT id FROM entry WHERE page_id = %s ORDER BY seq", [page_id])]
        if here[: len(entries)] == [entry.id for entry in entries]:
            return False
        raise Problem("page", "A page of the file exists here already, with other entries.")
    technique = PAGE_KINDS[technique_key]
    rules = conn.execute("SELECT house_rules FROM institution WHERE id = %s", [writers.institution]).fetchone()
    sheet = technique.work_out(entries, HouseRules(rules[0] if rules else {}), eluotropic_rank())
    conn.execute(
        "INSERT INTO page (id, bench_id, technique, number, started_by, started_at, entries, summary)"
        " SELECT %(page)s, %(bench)s, %(technique)s, coalesce(max(number), 0) + 1, %(by)s, %(at)s, %(count)s, %(sum)s"
        " FROM page WHERE bench_id = %(bench)s AND technique = %(technique)s",
        {
            "page": page_id,
            "bench": bench_id,
            "technique": technique_key,
            "at": started_at,
            "count": len(entries),
            "by": writers.of(entries[0].by) if entries else writers.of("somebody"),
            "sum": Jsonb(summary_of(sheet)),
        },
    )
    _insert_entries(conn, writers, page_id, entries)
    _link(conn, page_id, entries)
    return True


def _insert_entries(conn: psycopg.Connection, writers: Writers, page_id: UUID, entries: Sequence[Entry]) -> None:
    """The entries of a page as they were.

    Raises:
        Problem: an entry's id is taken.
    """
    try:
        with conn.cursor() as cursor:
            cursor.executemany(
                "INSERT INTO entry (id, page_id, seq, kind, payload, strikes, reason, author_id, written_at, typed)"
                " VALUES (%s, %s, %s, %s, %s, %s, %s, %s, %s, %s)",
                [
                    (
                        e.id,
                        page_id,
                        e.seq,
                        e.payload.kind,
                        Jsonb(e.payload.model_dump(mode="json")),
                        e.strikes,
                        e.reason,
                        writers.of(e.by),
                        e.at,
                        Jsonb(stored_typed(e.typed)) if e.typed else None,
                    )
                    for e in entries
                ],
            )
    except psycopg.errors.UniqueViolation as taken:
        raise Problem("entries", "An entry of the file exists here already, on another page.") from taken


def _link(conn: psycopg.Connection, page_id: UUID, entries: Iterable[Entry]) -> None:
    """Tie a run to the version that it follows, where that is here."""
    for entry in entries:
        of, version = getattr(entry.payload, "of", None), getattr(entry.payload, "version", 0)
        if entry.payload.kind == "following" and of is not None:
            conn.execute(
                "UPDATE page SET procedure_id = v.procedure_id, procedure_version = v.number FROM procedure_version v"
                " WHERE page.id = %s AND v.procedure_id = %s AND v.number = %s",
                [page_id, of, version],
            )


def benches_of(conn: psycopg.Connection, account_id: int, class_id: UUID) -> dict[int, UUID]:
    """Number → bench of a class.

    Raises:
        NotYours: the account is no instructor of it.
    """
    rows = conn.execute(
        "SELECT b.number, b.id FROM bench b JOIN instructor_of t ON t.class_id = b.class_id AND t.account_id = %s"
        " JOIN account a ON a.id = t.account_id AND a.role = 'instructor' WHERE b.class_id = %s ORDER BY b.number",
        [account_id, class_id],
    ).fetchall()
    if not rows:
        raise NotYours
    return dict(rows)


def add_class(
    conn: psycopg.Connection, account_id: int, writers: Writers, record: Mapping[str, Any], code: str
) -> dict[int, UUID]:
    """Make the class of a record, all but its pages and files; its benches by number.

    Raises:
        Problem: the code is taken, or the class is here already.
    """
    about = record["class"]
    taken = conn.execute(
        "SELECT code FROM class WHERE id = %s OR (institution_id = %s AND lower(code) = lower(%s))",
        [about["id"], writers.institution, code],
    ).fetchone()
    if taken is not None:
        raise Problem("code", f"There is a class {taken[0]} here already, this one or another of the same code.")
    class_id = about["id"]
    conn.execute(
        "INSERT INTO class (id, institution_id, code, title, course) VALUES (%s, %s, %s, %s, %s)",
        [class_id, writers.institution, code, about["title"], about["course"]],
    )
    conn.execute("INSERT INTO instructor_of (class_id, account_id) VALUES (%s, %s)", [class_id, account_id])
    many = conn.cursor().executemany
    many(
        "INSERT INTO bench (class_id, number, pair) VALUES (%s, %s, %s)",
        [(class_id, one["number"], one["pair"]) for one in about["benches"]],
    )
    many(
        "INSERT INTO meeting (class_id, number, starts_at, ends_at, topic) VALUES (%s, %s, %s, %s, %s)",
        [(class_id, m["number"], m["starts_at"], m["ends_at"], m["topic"]) for m in about["meetings"]],
    )
    many(
        "INSERT INTO class_kit (class_id, name, count) VALUES (%s, %s, %s)",
        [(class_id, name, count) for name, count in about["kit"].items()],
    )
    many(
        "INSERT INTO answer_sheet (class_id, work, settings, changed_by) VALUES (%s, %s, %s, %s)",
        [(class_id, work, Jsonb(settings), account_id) for work, settings in about["answer_sheets"].items()],
    )
    benches = benches_of(conn, account_id, UUID(class_id))
    _add_unknowns(conn, account_id, class_id, benches, record["unknowns"])
    try:
        _add_containers(conn, writers, class_id, record["containers"])
        _add_log(conn, writers, class_id, record["day_book"])
    except psycopg.errors.UniqueViolation as taken_id:
        raise Problem("id", "A container or a line of the lab log exists here already.") from taken_id
    return benches


def _add_containers(conn: psycopg.Connection, writers: Writers, class_id: str, containers: Sequence[Any]) -> None:
    """Registered containers with their notes."""
    for one in containers:
        conn.execute(
            "INSERT INTO container (id, class_id, code, label, kind, made_by, made_at)"
            " VALUES (%s, %s, %s, %s, %s, %s, %s)",
            [one["id"], class_id, one["code"], one["label"], one["kind"], writers.of(one["by"]), one["at"]],
        )
        conn.cursor().executemany(
            "INSERT INTO container_note (id, container_id, seq, says, made_by, made_at)"
            " VALUES (%s, %s, %s, %s, %s, %s)",
            [(n["id"], one["id"], n["seq"], Jsonb(n["says"]), writers.of(n["by"]), n["at"]) for n in one["notes"]],
        )


def _add_log(conn: psycopg.Connection, writers: Writers, class_id: str, log: Sequence[Any]) -> None:
    """The logs of the meetings."""
    conn.cursor().executemany(
        "INSERT INTO room_entry (id, class_id, meeting, seq, kind, payload, strikes, reason, author_id, written_at)"
        " VALUES (%s, %s, %s, %s, %s, %s, %s, %s, %s, %s)",
        [
            (
                line["id"],
                class_id,
                line["meeting"],
                line["seq"],
                line["says"]["kind"],
                Jsonb(line["says"]),
                line["strikes"],
                line["reason"],
                writers.of(line["by"]),
                line["at"],
            )
            for line in log
        ],
    )


def _add_unknowns(
    conn: psycopg.Connection, account_id: int, class_id: str, benches: Mapping[int, UUID], unknowns: Sequence[Any]
) -> None:
    for one in unknowns:
        series = one["series"]
        for sample in one["samples"]:
            conn.execute(
                "INSERT INTO unknown_sample (class_id, series, number, holds) VALUES (%s, %s, %s, %s)",
                [class_id, series, sample["number"], Jsonb(sample["holds"])],
            )
        for dealt in one["dealt"]:
            if dealt["bench"] in benches:
                conn.execute(
                    "INSERT INTO unknown_dealt (class_id, series, bench_id, number, how, dealt_by)"
                    " VALUES (%s, %s, %s, %s, %s, %s)",
                    [class_id, series, benches[dealt["bench"]], dealt["number"], dealt["how"], account_id],
                )
        if one["released"]:
            conn.execute(
                "INSERT INTO unknown_released (class_id, series, released_by) VALUES (%s, %s, %s)",
                [class_id, series, account_id],
            )


def add_file(
    conn: psycopg.Connection, writers: Writers, about: Mapping[str, Any], content: bytes, entries: Sequence[Entry]
) -> None:
    """A file or photograph of a page that came in, looked at as if it had been handed in here.

    Args:
        entries: of its page; a photograph is read by how large the plate is.

    Raises:
        Problem: it is not a picture, or a file of the kinds that are kept.
    """
    by = writers.of(about["by"])
    if about["light"]:
        if conn.execute("SELECT FROM photograph WHERE id = %s", [about["id"]]).fetchone() is None:
            picture, asked = photographs.look_at(about["name"], content), photographs.asked_of(gather(entries))
            picture = replace(picture, kept_at=about["at"])
            page, key = UUID(about["page"]), UUID(about["id"])
            photographs.put(conn, by, page, key, picture, about["light"], asked)
        return
    made = files.make(about["name"], content)
    conn.execute(
        "INSERT INTO attachment (id, page_id, name, media, sha256, content, thumbnail, made_by, made_at)"
        " VALUES (%s, %s, %s, %s, encode(sha256(%s), 'hex'), %s, %s, %s, %s) ON CONFLICT (id) DO NOTHING",
        [
            about["id"],
            about["page"],
            made.name,
            made.media,
            made.content,
            made.content,
            made.thumbnail,
            by,
            about["at"],
        ],
    )


def as_json(record: Mapping[str, Any]) -> str:
    """A record as text."""
    return json.dumps(record, ensure_ascii=False, indent=1) + "\n"
