"""What goes out of a class: its record, its workbook, its research archive; and the schemas of records."""

from __future__ import annotations

import re
import tempfile
from collections.abc import Iterator
from datetime import UTC, datetime
from typing import Literal
from uuid import UUID

from fastapi import APIRouter, Request
from starlette.responses import Response, StreamingResponse

from helvor.core.engine.run.work_out import RunWorksheet
from helvor.core.techniques.planar.results import PlateWorksheet
from helvor.exchange import archive, records
from helvor.exchange.archive import Part
from helvor.exchange.planar import PLATE_COLUMNS, SPOT_COLUMNS, class_table, spot_row
from helvor.exchange.review import ANSWER_COLUMNS, NUMBER_COLUMNS, answer_rows, number_rows
from helvor.exchange.run import (
    PORTION_COLUMNS,
    READING_COLUMNS,
    WEIGHING_COLUMNS,
    ledger_table,
    portion_rows,
    reading_rows,
    reading_table,
    weighing_rows,
    weighing_table,
)
from helvor.exchange.tables import csv_text
from helvor.exchange.workbook import Sheet, workbook
from helvor.notebook import whole_class
from helvor.notebook.page_errors import NotYours
from helvor.notebook.whole_class import as_json
from helvor.web.may import May, may
from helvor.web.places import shell_of_class
from helvor.web.rendering import render
from helvor.web.review.found import ClassFound, OnePage, found_of, read_class
from helvor.web.run.routes import SchemeFile
from helvor.web.run.scheme import draw_scheme
from helvor.web.security import VisitorDep, pool
from helvor.web.techniques.planar.drawing import draw_plate
from helvor.web.techniques.planar.shown import PlateFile

router = APIRouter()

IN_MEMORY = 20_000_000
"""An archive larger than this is put together on the disk."""


def file_name(*words: object) -> str:
    """A file's name of plain letters, digits and strokes."""
    text = "-".join(str(word) for word in words if word not in (None, ""))
    return re.sub(r"[^a-z0-9]+", "-", text.casefold().encode("ascii", "ignore").decode()).strip("-") or "file"


def _attachment(name: str) -> dict[str, str]:
    return {"Content-Disposition": f'attachment; filename="{name}"'}


@router.get("/api/schemas/{kind}.schema.json", tags=["records"])
@may(May.PUBLIC)
def schema(kind: Literal["run", "plate", "class"]) -> dict[str, object]:
    """The published JSON Schema of a record."""
    return records.schema(kind)


@router.get("/classes/{class_id}/class.json", include_in_schema=False)
@may(May.STAFF)
def class_file(request: Request, class_id: UUID, who: VisitorDep) -> Response:
    """The whole class as JSON, without the content of its files."""
    with pool(request).connection() as conn:
        record = records.class_record(conn, who.account.id, class_id, datetime.now(UTC))
    name = file_name(record["class"]["code"])
    return Response(as_json(record), media_type="application/json", headers=_attachment(f"{name}.json"))


@router.get("/api/classes/{class_id}/record", tags=["records"])
@may(May.STAFF)
def class_as_json(request: Request, class_id: UUID, who: VisitorDep) -> dict[str, object]:
    """The same over the JSON interface."""
    with pool(request).connection() as conn:
        return records.class_record(conn, who.account.id, class_id, datetime.now(UTC))


def sheets_of(everything: ClassFound) -> Iterator[Sheet]:
    """The sheets of a class's workbook."""
    runs = [(one, one.sheet) for one in _pages(everything) if isinstance(one.sheet, RunWorksheet)]
    plates = [(one, one.sheet) for one in _pages(everything) if isinstance(one.sheet, PlateWorksheet)]
    place = ("bench", "work")
    yield Sheet(
        "Weighings",
        (*place, *WEIGHING_COLUMNS),
        ((one.bench, one.page.title, *row) for one, sheet in runs for row in weighing_rows(sheet)),
    )
    yield Sheet(
        "Portions",
        (*place, *PORTION_COLUMNS),
        ((one.bench, one.page.title, *row) for one, sheet in runs for row in portion_rows(sheet)),
    )
    yield Sheet(
        "Spots",
        (*PLATE_COLUMNS, *SPOT_COLUMNS),
        (
            (
                one.page.class_code,
                one.bench,
                one.page.number,
                sheet.plate.set_up.phase if sheet.plate.set_up else "",
                str(sheet.plate.eluent or ""),
                *spot_row(spot),
            )
            for one, sheet in plates
            for spot in sheet.spots
        ),
    )
    works = list(everything.works.values())
    yield Sheet(
        "Side by side",
        ("work", *NUMBER_COLUMNS),
        ((work.title, *row) for work in works for row in number_rows(found_of(work).measures)),
    )
    yield Sheet(
        "Answers",
        ("work", *ANSWER_COLUMNS),
        ((work.title, *row) for work in works for row in answer_rows(found_of(work).marks, work.settings)),
    )
    yield Sheet(
        "Findings",
        (*place, "level", "what", "because", "what_to_do", "accepted"),
        (
            (one.bench, one.page.title, f.level, f.what, f.because, f.do, f.acknowledged)
            for one in _pages(everything)
            for f in one.sheet.findings
        ),
    )
    yield Sheet(
        "Readings",
        (*place, *READING_COLUMNS),
        ((one.bench, one.page.title, *row) for one, sheet in runs for row in reading_rows(sheet)),
    )


def _pages(everything: ClassFound) -> list[OnePage]:
    return [one for work in everything.works.values() for one in work.pages]


@router.get("/classes/{class_id}/class.xlsx", include_in_schema=False)
@may(May.STAFF)
def class_workbook(request: Request, class_id: UUID, who: VisitorDep) -> Response:
    """The class as a workbook."""
    with pool(request).connection() as conn:
        row, _ = shell_of_class(conn, who, class_id)
        if row is None:
            raise NotYours
        everything = read_class(conn, who.account.id, class_id)
    content = workbook(f"{row.code}, {row.title}", sheets_of(everything), datetime.now(UTC))
    media = "application/vnd.openxmlformats-officedocument.spreadsheetml.sheet"
    return Response(content, media_type=media, headers=_attachment(f"{file_name(row.code)}.xlsx"))


def _tables(everything: ClassFound) -> Iterator[Part]:
    for one in _pages(everything):
        where = f"bench {one.bench}, {one.page.title}"
        stem = file_name(f"bench {one.bench:02d}", one.page.title, str(one.page.id)[:8])
        if isinstance(one.sheet, RunWorksheet):
            yield Part(
                f"tables/{stem}-weighings.csv", f"Weighings, {where}", "text/csv", weighing_table(one.sheet).encode()
            )
            yield Part(
                f"tables/{stem}-readings.csv", f"All readings, {where}", "text/csv", reading_table(one.sheet).encode()
            )
            yield Part(
                f"tables/{stem}-portions.csv", f"Portions, {where}", "text/csv", ledger_table(one.sheet).encode()
            )
            scheme = draw_scheme(one.sheet)
            if scheme is not None:
                svg = render("run/scheme.svg", SchemeFile(scheme=scheme, title=where))
                yield Part(f"drawings/{stem}-scheme.svg", f"Separation scheme, {where}", "image/svg+xml", svg.encode())
        elif isinstance(one.sheet, PlateWorksheet):
            drawing = draw_plate(one.sheet, "daylight", None)
            if drawing is not None:
                svg = render("techniques/planar/plate.svg", PlateFile(drawing=drawing, title=where))
                yield Part(f"drawings/{stem}.svg", f"Plate, {where}", "image/svg+xml", svg.encode())
    for work in everything.works.values():
        found, name = found_of(work), file_name(work.title)
        if found.measures:
            text = csv_text(NUMBER_COLUMNS, number_rows(found.measures))
            yield Part(f"tables/{name}-side-by-side.csv", f"Side by side, {work.title}", "text/csv", text.encode())
        if any(mark.answer for marks in found.marks.values() for mark in marks):
            text = csv_text(ANSWER_COLUMNS, answer_rows(found.marks, work.settings))
            yield Part(f"tables/{name}-answers.csv", f"Answers, {work.title}", "text/csv", text.encode())


@router.get("/classes/{class_id}/archive.zip", include_in_schema=False)
@may(May.STAFF)
def class_archive(request: Request, class_id: UUID, who: VisitorDep) -> Response:
    """The class as a research archive, an RO-Crate with everything in it."""
    now = datetime.now(UTC)
    with pool(request).connection() as conn:
        record = records.class_record(conn, who.account.id, class_id, now)
        everything = read_class(conn, who.account.id, class_id)
        about = record["class"]
        parts = [
            Part(
                archive.RECORD,
                "Every entry of the class, with the results",
                "application/json",
                as_json(record).encode(),
            ),
            *_tables(everything),
        ]
        plates = [(one.page, one.sheet) for one in _pages(everything) if isinstance(one.sheet, PlateWorksheet)]
        if plates:
            parts.append(Part("tables/rf.csv", "Rf of every spot", "text/csv", class_table(plates).encode()))
        for file in record["files"]:
            content = whole_class.content_of(conn, UUID(file["id"]))
            safe = re.sub(r"[^A-Za-z0-9._-]+", "-", file["name"]).strip(".-") or "file"
            path = f"{archive.FILES}/{file['id']}/{safe}"
            parts.append(Part(path, file["name"], file["media"], content))
    out = tempfile.SpooledTemporaryFile(max_size=IN_MEMORY)  # noqa: SIM115  closed when its last chunk is sent
    title = f"{about['code']}, {about['title']}"
    description = f"Bench records of {len(record['pages'])} pages on {len(about['benches'])} benches, with results."
    archive.write(out, title, description, who.account.institution, now, parts)
    out.seek(0)

    def chunks() -> Iterator[bytes]:
        with out:
            while chunk := out.read(256 * 1024):
                yield chunk

    headers = _attachment(f"{file_name(about['code'])}.zip")
    return StreamingResponse(chunks(), media_type="application/zip", headers=headers)
