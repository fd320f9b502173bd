"""What comes into a class: records of runs and plates, readings and names from tables; whole classes from archives.

A file is looked at first and kept for a day; what it would do is shown, and only then it comes in, all or nothing.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Annotated, NamedTuple
from uuid import UUID, uuid4, uuid5

import psycopg
from fastapi import APIRouter, File, Request, UploadFile
from fastapi import Form as Field
from starlette.responses import RedirectResponse, Response

from helvor.core.engine.run.record import Run, gather
from helvor.core.record.entry import Problem
from helvor.core.record.house_rules import QUESTION, HouseRules
from helvor.core.techniques.registered import STEP_KINDS
from helvor.exchange import archive, records, table_apart
from helvor.exchange.readings_in import MEANINGS, Into, Read, guess, pairs_of, readings_of
from helvor.exchange.records import BadRecord, ClassRecord, PlateRecord, RunRecord
from helvor.exchange.table_in import BadTable, Table
from helvor.notebook import classes, imports, page_lists
from helvor.notebook.imports import Waiting
from helvor.notebook.page_errors import NotYours
from helvor.notebook.pages import Draft
from helvor.web.forms import Form, SubmittedDep
from helvor.web.may import May, may
from helvor.web.places import shell_of_class
from helvor.web.rendering import Shell, html
from helvor.web.run.around import BY_THE_SHELF
from helvor.web.run.words import NO_STEPS, describe_payload
from helvor.web.security import Visitor, VisitorDep, WriterDep, pool

router = APIRouter(include_in_schema=False)

SHOWN_ROWS = 12
READINGS, NAMES = "readings", "names"


@dataclass(frozen=True, slots=True, kw_only=True)
class ImportPage(Shell):
    """Where a file is handed in; ``troubles`` are what was wrong with the last one, by place."""

    entry: UUID
    name: str
    troubles: list[tuple[str, str]]


@dataclass(frozen=True, slots=True)
class RecordShown:
    """A run or plate that would come in: what it is and from where."""

    title: str
    sort: str
    entries: int
    writers: list[str]
    was_at: str
    other_rules: list[str]


@dataclass(frozen=True, slots=True, kw_only=True)
class PreviewPage(Shell):
    """What a file would do. Of a table: its columns with their meanings, its first rows, readings and troubles."""

    key: UUID
    name: str
    record: RecordShown | None
    table: Table | None
    mapping: dict[str, str]
    meanings: dict[str, str]
    sort: str
    works: list[str]
    work: str
    benches: list[int]
    rows: list[tuple[int, int, str]]
    count: int
    troubles: list[tuple[str, str]]
    pairs: list[tuple[int, str, str]]


@dataclass(frozen=True, slots=True)
class _Looked:
    """A table looked at with a mapping: what it would do."""

    read: Read
    pairs: dict[int, str]
    troubles: list[tuple[str, str]]


def _record(name: str, content: bytes) -> RunRecord | PlateRecord | ClassRecord:
    if content[:2] == b"PK":
        return archive.read_bounded(name, content)[0]
    return records.read_record(content)


def _is_table(name: str, content: bytes) -> bool:
    """Whether a file is taken for a table: by its name, then by how it begins."""
    suffix = name.casefold().rpartition(".")[2]
    if suffix in ("csv", "tsv", "txt", "xlsx"):
        return True
    return suffix not in ("json", "zip") and content.lstrip()[:1] not in (b"{", b"[")


@router.get("/classes/{class_id}/import")
@may(May.STAFF)
def import_page(request: Request, class_id: UUID, who: VisitorDep) -> Response:
    """Where a file is handed in."""
    return _hand_in(request, who, class_id)


def _hand_in(
    request: Request, who: Visitor, class_id: UUID, name: str = "", troubles: Sequence[tuple[str, str]] = ()
) -> Response:
    with pool(request).connection() as conn:
        row, meeting = shell_of_class(conn, who, class_id)
    if row is None:
        raise NotYours
    page = ImportPage(
        visitor=who, place="review", class_row=row, meeting=meeting, entry=uuid4(), name=name, troubles=list(troubles)
    )
    return html("review/import.html", page, status=422 if troubles else 200)


@router.post("/classes/{class_id}/import/files")
@may(May.INSTRUCTORS)
def hand_in(
    request: Request,
    class_id: UUID,
    who: WriterDep,
    entry: Annotated[UUID, Field()],
    file: Annotated[UploadFile | None, File()] = None,
) -> Response:
    """Look at a file; a bad one gets what is wrong and changes nothing."""
    name = (file.filename or "file")[:120] if file is not None else ""
    content = file.file.read() if file is not None else b""
    if not content:
        return _hand_in(request, who, class_id, name, [("file", "Choose a file first: this one is empty.")])
    try:
        if _is_table(name, content):
            table_apart.read(name, content)
        elif isinstance(_record(name, content), ClassRecord):
            raise BadRecord([("file", "This is a whole class: import it under Today, New class.")])
    except BadRecord as bad:
        return _hand_in(request, who, class_id, name, bad.troubles)
    except BadTable as bad:
        return _hand_in(request, who, class_id, name, [(bad.place or "file", bad.sentence)])
    with pool(request).connection() as conn:
        imports.put(conn, who.account.id, class_id, entry, name, content)
    return RedirectResponse(f"/classes/{class_id}/import/{entry}", status_code=303)


@dataclass(frozen=True, slots=True)
class _Runs:
    """The newest run of each bench, by work."""

    by_work: dict[str, dict[int, tuple[UUID, Run]]]

    @property
    def works(self) -> list[str]:
        return list(self.by_work)


def _runs(conn: psycopg.Connection, account_id: int, class_id: UUID) -> _Runs:
    found: dict[str, dict[int, tuple[UUID, Run]]] = {}
    for page, entries in page_lists.pages_of_class(conn, account_id, class_id):
        if page.technique_key == "run" and page.bench_number:
            found.setdefault(page.title, {})[page.bench_number] = (page.id, gather(entries))
    return _Runs(found)


def _look(
    table: Table, mapping: Mapping[str, str], sort: str, runs: dict[int, tuple[UUID, Run]], benches: int, who: Visitor
) -> _Looked:
    if sort == NAMES:
        pairs, troubles = pairs_of(table, mapping, benches)
        return _Looked(Read(), pairs, troubles)
    into = Into({bench: run for bench, (_, run) in runs.items()}, BY_THE_SHELF, STEP_KINDS, who.account.zone)
    read = readings_of(table, mapping, into)
    return _Looked(read, {}, read.troubles)


def _sort_of(mapping: Mapping[str, str]) -> str:
    """What a table probably is: names where nothing in it was read off an instrument."""
    return NAMES if "names" in mapping.values() and "mass" not in mapping.values() else READINGS


@router.get("/classes/{class_id}/import/{draft}")
@may(May.STAFF)
def preview(request: Request, class_id: UUID, draft: UUID, who: VisitorDep) -> Response:
    """What a file would do."""
    with pool(request).connection() as conn:
        kept = imports.waiting(conn, who.account.id, class_id, draft)
        if not _is_table(kept.name, kept.content):
            return _preview_record(request, conn, who, class_id, kept)
        table = table_apart.read(kept.name, kept.content)
        mapping = imports.mapping_of(conn, who.account.id, table.headers) or guess(table.headers)
    return _preview_table(request, who, class_id, kept, Asked(table, mapping, _sort_of(mapping)))


def _preview_record(
    request: Request,
    conn: psycopg.Connection,
    who: Visitor,
    class_id: UUID,
    kept: Waiting,
    troubles: Sequence[tuple[str, str]] = (),
) -> Response:
    record = _record(kept.name, kept.content)
    assert not isinstance(record, ClassRecord)
    about = record.about
    row, meeting = shell_of_class(conn, who, class_id)
    if row is None:
        raise NotYours
    benches = [bench.number for bench in classes.benches_of(conn, class_id) if bench.number]
    here = HouseRules(classes.rules_of(conn, class_id))
    there = HouseRules(record.rules)
    other = [
        f"{question}: {there[question].words} there, {here[question].words} here"
        for question in {**record.rules, **here.chosen}
        if question in QUESTION and there[question] is not here[question]
    ]
    shown = RecordShown(
        about.title or ("Run" if isinstance(record, RunRecord) else f"Plate {about.number or ''}"),
        "run" if isinstance(record, RunRecord) else "plate",
        len(record.entries),
        list(dict.fromkeys(entry.by for entry in record.entries)),
        f"{about.class_ or 'a bench without a class'}{f', bench {about.bench}' if about.bench else ''}",
        other,
    )
    page = PreviewPage(
        visitor=who,
        place="review",
        class_row=row,
        meeting=meeting,
        key=kept.id,
        name=kept.name,
        record=shown,
        table=None,
        mapping={},
        meanings={},
        sort="",
        works=[],
        work="",
        benches=benches,
        rows=[],
        count=0,
        troubles=list(troubles),
        pairs=[],
    )
    return html("review/preview.html", page, status=422 if troubles else 200)


class Asked(NamedTuple):
    """How a table is to be read: what its columns mean, what kind of table it is, for which work."""

    table: Table
    mapping: dict[str, str]
    sort: str
    work: str = ""


def _preview_table(
    request: Request,
    who: Visitor,
    class_id: UUID,
    kept: Waiting,
    asked: Asked,
    more: Sequence[tuple[str, str]] = (),
) -> Response:
    table, mapping, sort, work = asked
    with pool(request).connection() as conn:
        row, meeting = shell_of_class(conn, who, class_id)
        if row is None:
            raise NotYours
        runs = _runs(conn, who.account.id, class_id)
        pairs_now = {b.number: b.pair for b in classes.benches_of(conn, class_id) if b.number}
    chosen = work if work in runs.by_work else next(iter(runs.works), "")
    looked = _look(table, mapping, sort, runs.by_work.get(chosen, {}), len(pairs_now), who)
    page = PreviewPage(
        visitor=who,
        place="review",
        class_row=row,
        meeting=meeting,
        key=kept.id,
        name=kept.name,
        record=None,
        table=table,
        mapping={h: mapping.get(h, "") for h in table.headers},
        meanings=MEANINGS,
        sort=sort,
        works=runs.works,
        work=chosen,
        benches=list(pairs_now),
        rows=[(one.line, one.bench, describe_payload(one.says, NO_STEPS)) for one in looked.read.readings[:SHOWN_ROWS]],
        count=len(looked.read.readings),
        troubles=[*more, *looked.troubles],
        pairs=[(bench, pairs_now.get(bench, ""), pair) for bench, pair in looked.pairs.items()],
    )
    return html("review/preview.html", page, status=422 if more else 200)


@router.post("/classes/{class_id}/import/{draft}")
@may(May.INSTRUCTORS)
def decide(request: Request, class_id: UUID, draft: UUID, who: WriterDep, fields: SubmittedDep) -> Response:
    """Look again with other columns, or let it come in: all of it, or nothing."""
    form = Form(fields)
    with pool(request).connection() as conn:
        kept = imports.waiting(conn, who.account.id, class_id, draft)
        if not _is_table(kept.name, kept.content):
            return _write_record(request, conn, who, class_id, kept, form)
    table = table_apart.read(kept.name, kept.content)
    mapping = _mapping(form, table)
    doubled = [m for m in set(mapping.values()) if m and list(mapping.values()).count(m) > 1]
    sort = NAMES if form.text("sort") == NAMES else READINGS
    work = form.text("work")
    if doubled:
        more = [("columns", f"Two columns are set to {MEANINGS[doubled[0]]}: choose one.")]
        return _preview_table(request, who, class_id, kept, Asked(table, mapping, sort, work), more)
    if form.text("what") != "write":
        return _preview_table(request, who, class_id, kept, Asked(table, mapping, sort, work))
    with pool(request).connection() as conn:
        if shell_of_class(conn, who, class_id)[0] is None:
            raise NotYours
        runs = _runs(conn, who.account.id, class_id).by_work.get(work, {})
        pairs_now = {b.number: b.pair for b in classes.benches_of(conn, class_id) if b.number}
        looked = _look(table, mapping, sort, runs, len(pairs_now), who)
        if looked.troubles or not (looked.read.readings or looked.pairs):
            return _preview_table(request, who, class_id, kept, Asked(table, mapping, sort, work))
        imports.keep_mapping(conn, who.account.id, table.headers, mapping)
        if sort == NAMES:
            pairs = [looked.pairs.get(bench, pair) for bench, pair in sorted(pairs_now.items())]
            classes.set_benches(conn, who.account.id, class_id, pairs)
            return RedirectResponse(f"/classes/{class_id}/set-up", status_code=303)
        drafts: dict[UUID, list[Draft]] = {}
        for one in looked.read.readings:
            page_id = runs[one.bench][0]
            # By file and line: sent again it writes nothing more.
            drafts.setdefault(page_id, []).append(Draft(uuid5(kept.id, str(one.line)), one.says, at=one.at))
        try:
            imports.write_readings(conn, who.account.id, who.account.name, class_id, kept.id, drafts)
        except Problem as problem:
            more = [("file", str(problem))]
            return _preview_table(request, who, class_id, kept, Asked(table, mapping, sort, work), more)
    return RedirectResponse(f"/classes/{class_id}/results?work={work}", status_code=303)


def _mapping(form: Form, table: Table) -> dict[str, str]:
    chosen = form.all("meaning")
    return {
        header: meaning if meaning in MEANINGS else ""
        for header, meaning in zip(table.headers, [*chosen, *[""] * len(table.headers)], strict=False)
    }


def _write_record(
    request: Request, conn: psycopg.Connection, who: Visitor, class_id: UUID, kept: Waiting, form: Form
) -> Response:
    record = _record(kept.name, kept.content)
    assert not isinstance(record, ClassRecord)
    bench = form.whole("bench")
    try:
        if bench is None:
            raise Problem("bench", "Choose the bench to import to.")
        records.import_page(conn, who.account.id, class_id, bench, record)
    except Problem as problem:
        return _preview_record(request, conn, who, class_id, kept, [(problem.field, str(problem))])
    about = record.about
    return RedirectResponse(f"/{'runs' if isinstance(record, RunRecord) else 'plates'}/{about.id}", status_code=303)


# ── whole classes ───────────────────────────────────────────────────────────────────────────────


@dataclass(frozen=True, slots=True, kw_only=True)
class ClassInPage(Shell):
    """Where a whole class comes in."""

    code: str
    name: str
    troubles: list[tuple[str, str]]


@router.get("/bring-in")
@may(May.STAFF)
def class_in(who: VisitorDep) -> Response:
    """Where a whole class comes in."""
    return html("review/class_in.html", ClassInPage(visitor=who, place="today", code="", name="", troubles=[]))


@router.post("/bring-in/import/files")
@may(May.INSTRUCTORS)
def bring_class_in(
    request: Request,
    who: WriterDep,
    code: Annotated[str, Field(max_length=16)] = "",
    file: Annotated[UploadFile | None, File()] = None,
) -> Response:
    """A class from its archive or its record, all of it or nothing."""
    name = (file.filename or "file")[:120] if file is not None else ""
    content = file.file.read() if file is not None else b""
    contents: Mapping[UUID, bytes] = {}
    try:
        if content[:2] == b"PK":
            record: object
            record, contents = archive.read_bounded(name, content)
        else:
            record = records.read_record(content)
        if not isinstance(record, ClassRecord):
            raise BadRecord([("file", "This is a single page: import it from Results of its class.")])
        with pool(request).connection() as conn:
            came = records.import_class(conn, who.account.id, record, code.strip(), contents)
    except BadRecord as bad:
        troubles = bad.troubles
    except Problem as problem:
        troubles = [(problem.field, str(problem))]
    else:
        return RedirectResponse(f"/classes/{came.class_id}/results", status_code=303)
    page = ClassInPage(visitor=who, place="today", code=code, name=name, troubles=troubles)
    return html("review/class_in.html", page, status=422)
