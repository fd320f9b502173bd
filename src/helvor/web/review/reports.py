"""Reports to read and to print: of a bench, of a class, the handout with blanks, the prep sheet.

One markup serves the screen and the paper. On paper a drawing carries its own style; on the screen it has the page's.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass, replace
from datetime import UTC, datetime
from typing import Annotated
from uuid import UUID, uuid4

import psycopg
from fastapi import APIRouter, Query, Request
from fastapi import Form as Field
from markupsafe import Markup
from psycopg_pool import ConnectionPool
from starlette.responses import RedirectResponse, Response

from helvor.core.engine.run.losses import Ranked
from helvor.core.engine.run.readings import ReadingRow, readings
from helvor.core.engine.run.work_out import RunWorksheet
from helvor.core.quantities.working import WorkingLine
from helvor.core.record.entry import Entry, Typed
from helvor.core.record.house_words import page_in
from helvor.core.record.procedure import Procedure, instruction
from helvor.core.record.step_kinds import StepKind
from helvor.core.review import questions
from helvor.core.review.answers import Marked, SheetSettings
from helvor.core.review.questions import Question
from helvor.core.techniques.planar.results import PlateWorksheet
from helvor.core.techniques.planar.words import describe as describe_plate
from helvor.core.techniques.registered import STEP_KINDS, TECHNIQUES
from helvor.exchange.pdf import Paper, pdf
from helvor.notebook import answer_sheets, pages, procedures, report_jobs
from helvor.notebook.classes import ClassRow, Meeting
from helvor.notebook.page_errors import NotYours
from helvor.notebook.page_rows import Page
from helvor.notebook.report_jobs import Job
from helvor.shelf.solvents import eluotropic_rank
from helvor.web.drawings import find_drawing, standalone
from helvor.web.house_words import in_house_words
from helvor.web.may import May, may
from helvor.web.places import shell_of_class
from helvor.web.prep.routes import prep_asked
from helvor.web.rendering import STATIC, Shell, html, render
from helvor.web.review.answers import marks_of, sees, work_of
from helvor.web.review.class_page import drawn_of
from helvor.web.review.exports import file_name
from helvor.web.review.found import Found, OnePage, Work, found_of, read_class
from helvor.web.run.routes import SchemeFile
from helvor.web.run.scheme import draw_scheme
from helvor.web.run.shown import Headline, headlines, working
from helvor.web.run.words import StepNames
from helvor.web.run.words import describe as describe_run
from helvor.web.security import Visitor, VisitorDep, WriterDep, pool
from helvor.web.techniques.planar.drawing import draw_plate
from helvor.web.techniques.planar.shown import PlateFile

router = APIRouter(include_in_schema=False)

_beside = ThreadPoolExecutor(max_workers=1, thread_name_prefix="reports")
"""Reports are laid out one after another beside the pages, so that twenty asked for at once wait in turn."""


@dataclass(frozen=True, slots=True)
class Line:
    """A line of a report's record: when, who, what it says; struck through by whom and why; when it was typed."""

    at: datetime
    by: str
    says: str
    struck: str
    typed: Typed | None


@dataclass(frozen=True, slots=True, kw_only=True)
class Report:
    """What every report has: its title, where it belongs, and whether it is for paper."""

    title: str
    where: str
    zone: str
    made_at: datetime
    on_paper: bool
    address: str


@dataclass(frozen=True, slots=True, kw_only=True)
class BenchReport(Report):
    """A run or a plate: what was done, every entry, drawings, results with their working, findings, errors."""

    page: Page
    sheet: RunWorksheet | PlateWorksheet
    lines: list[Line]
    readings: list[ReadingRow]
    drawings: list[tuple[str, Markup]]
    headlines: list[Headline]
    working: list[WorkingLine]
    causes: list[Ranked]
    marks: list[Marked]
    sees: str
    is_run: bool


@dataclass(frozen=True, slots=True, kw_only=True)
class ClassReport(Report):
    """A class in one work: its numbers side by side, answers, losses, findings over the class."""

    class_row: ClassRow
    work: str
    found: Found
    benches: list[int]
    drawings: list[tuple[str, Markup]]


@dataclass(frozen=True, slots=True, kw_only=True)
class Handout(Report):
    """A procedure with blanks for the readings."""

    procedure: Procedure
    steps: list[tuple[int, StepKind | None, str, list[str]]]
    before: list[Question]
    after: list[Question]


@dataclass(frozen=True, slots=True, kw_only=True)
class PrepReport(Report):
    """A prep sheet with boxes to tick."""

    sheet: object
    benches: int
    spare: int
    amount: Callable[[float, str], str]


@dataclass(frozen=True, slots=True, kw_only=True)
class JobPage(Shell):
    """A class's report being made."""

    job: Job


@dataclass(frozen=True, slots=True, kw_only=True)
class JobShown:
    job: Job


PaperAsked = Annotated[Paper, Query()]


def _drawing(svg: str | None, on_paper: bool) -> Markup:
    text = standalone(svg) if svg and on_paper else svg or ""
    return Markup(text)  # noqa: S704  drawn by our own templates


def _lines(entries: Sequence[Entry], words: Callable[[Entry], str]) -> list[Line]:
    struck_by = {entry.strikes: entry for entry in entries if entry.strikes is not None}

    def struck(entry: Entry) -> str:
        by = struck_by.get(entry.id)
        return f"struck out by {by.by}: {by.reason}" if by is not None else ""

    return [Line(entry.at, entry.by, words(entry), struck(entry), entry.typed) for entry in entries]


def bench_report(one: OnePage, who: Visitor, settings: SheetSettings, now: datetime, *, on_paper: bool) -> BenchReport:
    """The report of a run or a plate; the numbers are those of the screen, by the same functions."""
    page, sheet = one.page, one.sheet
    drawings: list[tuple[str, Markup]] = []
    is_run = isinstance(sheet, RunWorksheet)
    if isinstance(sheet, RunWorksheet):
        scheme = draw_scheme(sheet)
        if scheme is not None:
            svg = render("run/scheme.svg", SchemeFile(scheme=scheme, title="Separation scheme"))
            drawings.append(("scheme", _own(svg, on_paper)))
    elif isinstance(sheet, PlateWorksheet):
        drawing = draw_plate(sheet, "daylight", None)
        if drawing is not None:
            svg = render("techniques/planar/plate.svg", PlateFile(drawing=drawing, title="Plate, drawn to scale"))
            drawings.append(("plate", _own(svg, on_paper)))
    assert isinstance(sheet, RunWorksheet | PlateWorksheet)
    entries = list(one.entries)
    steps = StepNames(entries)

    def words(entry: Entry) -> str:
        return describe_run(entry, steps) if is_run else describe_plate(entry.payload, entries)

    bench = f"{page.bench_name}{f', {page.pair}' if page.pair else ''}"
    return BenchReport(
        title=page.title,
        where=f"{page.class_code or 'My bench'} · {bench} · {page.title}",
        zone=who.account.time_zone,
        made_at=now,
        on_paper=on_paper,
        address=page.address,
        page=page,
        sheet=sheet,
        lines=_lines(entries, words),
        readings=list(readings(sheet.run, TECHNIQUES)) if isinstance(sheet, RunWorksheet) else [],
        drawings=drawings,
        headlines=headlines(sheet) if isinstance(sheet, RunWorksheet) else [],
        working=working(sheet) if isinstance(sheet, RunWorksheet) else _plate_working(sheet),
        causes=[c for c in sheet.causes if c.cause.points and not c.negligible][:6]
        if isinstance(sheet, RunWorksheet)
        else [],
        marks=[m for m in marks_of(sheet, settings) if m.answer is not None],
        sees=sees(who, page, settings),
        is_run=is_run,
    )


def _own(svg: str, on_paper: bool) -> Markup:
    """A drawing that has its style in it already; on the screen that is not allowed, so the page's own is used."""
    text = svg[svg.index("<svg") :]
    if not on_paper:
        start, end = text.find("<style>"), text.find("</style>")
        text = text[:start] + text[end + len("</style>") :] if start >= 0 else text
    return Markup(text)  # noqa: S704  drawn by our own templates


def _plate_working(sheet: PlateWorksheet) -> list[WorkingLine]:
    return [line for spot in sheet.spots for line in spot.working()[:1]]


def _bench_page(conn: psycopg.Connection, who: Visitor, page_id: UUID, technique: str) -> OnePage:
    page, entries = pages.open_page(conn, who.account.id, page_id)
    if page.technique_key != technique:
        raise NotYours
    return OnePage(page, entries, page.kind.work_out(entries, page.rules, eluotropic_rank()))


def _settings(conn: psycopg.Connection, page: Page) -> SheetSettings:
    return answer_sheets.settings_of(conn, page.class_id, work_of(page))


def _pdf(parts: Sequence[str], paper: Paper, name: str) -> Response:
    content = pdf([in_house_words(part) for part in parts], paper, STATIC)
    return Response(
        content, media_type="application/pdf", headers={"Content-Disposition": f'inline; filename="{name}.pdf"'}
    )


def _one_bench(request: Request, who: Visitor, page_id: UUID, technique: str, paper: Paper | None) -> Response:
    with pool(request).connection() as conn:
        one = _bench_page(conn, who, page_id, technique)
        settings = _settings(conn, one.page)
    report = bench_report(one, who, settings, datetime.now(UTC), on_paper=paper is not None)
    if paper is None:
        return html("report/bench.html", report)
    name = file_name(one.page.class_code, one.page.bench_name, one.page.title)
    return _pdf([render("report/bench.html", report)], paper, name)


@router.get("/runs/{page_id}/report")
@may(May.BENCH)
def run_report(request: Request, page_id: UUID, who: VisitorDep) -> Response:
    """The report of a run, to read."""
    return _one_bench(request, who, page_id, "run", None)


@router.get("/runs/{page_id}/report.pdf")
@may(May.BENCH)
def run_report_on_paper(request: Request, page_id: UUID, who: VisitorDep, paper: PaperAsked = "A4") -> Response:
    """The same on paper."""
    return _one_bench(request, who, page_id, "run", paper)


@router.get("/plates/{page_id}/report")
@may(May.BENCH)
def plate_report(request: Request, page_id: UUID, who: VisitorDep) -> Response:
    """The report of a plate, to read."""
    return _one_bench(request, who, page_id, "planar", None)


@router.get("/plates/{page_id}/report.pdf")
@may(May.BENCH)
def plate_report_on_paper(request: Request, page_id: UUID, who: VisitorDep, paper: PaperAsked = "A4") -> Response:
    """The same on paper."""
    return _one_bench(request, who, page_id, "planar", paper)


# ── the class ───────────────────────────────────────────────────────────────────────────────────


def class_report(row: ClassRow, work: Work, who: Visitor, now: datetime, *, on_paper: bool) -> ClassReport:
    """The summary of a class's report; its benches follow."""
    markup = str(drawn_of(row.id, work))
    drawings = [(name, _drawing(svg, on_paper)) for name in ("review", "losses") if (svg := find_drawing(markup, name))]
    return ClassReport(
        title=work.title,
        where=f"{row.code}, {row.title} · {work.title}",
        zone=who.account.time_zone,
        made_at=now,
        on_paper=on_paper,
        address=f"/classes/{row.id}",
        class_row=row,
        work=work.title,
        found=found_of(work),
        benches=work.benches,
        drawings=drawings,
    )


def _class_work(conn: psycopg.Connection, who: Visitor, class_id: UUID, work: str) -> tuple[ClassRow, Work]:
    row, _ = shell_of_class(conn, who, class_id)
    if row is None:
        raise NotYours
    chosen = read_class(conn, who.account.id, class_id).chosen(work)
    if chosen is None:
        raise NotYours
    return row, chosen


@router.get("/classes/{class_id}/report")
@may(May.STAFF)
def class_report_page(request: Request, class_id: UUID, who: VisitorDep, work: str = "") -> Response:
    """The class's report, to read: its summary, with the way to each bench's."""
    with pool(request).connection() as conn:
        row, chosen = _class_work(conn, who, class_id, work)
    report = class_report(row, chosen, who, datetime.now(UTC), on_paper=False)
    return html("report/class.html", report)


@router.post("/classes/{class_id}/report")
@may(May.STAFF)
def make_class_report(
    request: Request,
    class_id: UUID,
    who: WriterDep,
    work: Annotated[str, Field(max_length=200)] = "",
    paper: Annotated[Paper, Field()] = "A4",
    entry: Annotated[UUID | None, Field()] = None,
) -> Response:
    """Begin the class's report on paper, its summary and every bench's; asked for twice it is made once."""
    key, now = entry or uuid4(), datetime.now(UTC)
    with pool(request).connection() as conn:
        row, chosen = _class_work(conn, who, class_id, work)
        new = report_jobs.begin(conn, who.account.id, class_id, key, len(chosen.pages) + 1)
    if new:
        parts = _class_parts(row, chosen, who, now)
        _beside.submit(_make, pool(request), key, parts, paper)
    return RedirectResponse(f"/classes/{class_id}/report/{key}", status_code=303)


def _class_parts(row: ClassRow, work: Work, who: Visitor, now: datetime) -> Iterator[str]:
    words = who.account.words
    yield page_in(words, render("report/class.html", class_report(row, work, who, now, on_paper=True)))
    for one in work.pages:
        yield page_in(words, render("report/bench.html", bench_report(one, who, work.settings, now, on_paper=True)))


def _make(connections: ConnectionPool, key: UUID, parts: Iterator[str], paper: Paper) -> None:
    """Lay a report out, telling after each part how far it is; whatever goes wrong is told too."""
    try:
        content = pdf(parts, paper, STATIC, lambda count: report_jobs.tell(connections, key, done=count))
        report_jobs.tell(connections, key, content=content)
    except Exception as trouble:
        report_jobs.tell(connections, key, trouble="The report could not be created. Request it again.")
        raise RuntimeError(f"report {key}") from trouble


@router.get("/classes/{class_id}/report/{job}")
@may(May.STAFF)
def report_job(request: Request, class_id: UUID, job: UUID, who: VisitorDep) -> Response:
    """How far the report is; it asks again by itself."""
    with pool(request).connection() as conn:
        found = report_jobs.one(conn, who.account.id, class_id, job)
        row, meeting = shell_of_class(conn, who, class_id)
    if request.headers.get("hx-request") == "true":
        return html("report/job_shown.html", JobShown(job=found))
    page = JobPage(visitor=who, place="review", class_row=row, meeting=meeting, job=found)
    return html("report/job.html", page)


@router.get("/classes/{class_id}/report/{job}/report.pdf")
@may(May.STAFF)
def report_done(request: Request, class_id: UUID, job: UUID, who: VisitorDep) -> Response:
    """The report on paper."""
    with pool(request).connection() as conn:
        content = report_jobs.content_of(conn, who.account.id, class_id, job)
        row, _ = shell_of_class(conn, who, class_id)
    name = file_name(row.code if row else "class", "report")
    return Response(
        content, media_type="application/pdf", headers={"Content-Disposition": f'inline; filename="{name}.pdf"'}
    )


# ── before the lab ──────────────────────────────────────────────────────────────────────────────


def _blanks(procedure: Procedure, number: int) -> list[str]:
    """What is written down at a step: the unit of each blank, after its name."""
    step = procedure.steps[number - 1]
    blanks = [
        f"{name}, {substance.amount.unit if substance.amount else 'g'}"
        for name in step.adds
        if (substance := procedure.substance(name)) is not None and substance.exact
    ]
    what = " with ".join(part for part in (" + ".join(step.container), "" if step.empty else step.on) if part)
    # Drying goes on until two masses agree, so there is room for two.
    dries = step.kind in STEP_KINDS and STEP_KINDS[step.kind].dries
    masses = [f"{what}, g" if what else "mass, g"] * (2 if dries and not step.empty else 1)
    return [*blanks, *(masses if "mass" in step.asks else ()), *(one for one in step.asks if one != "mass")]


def handout(procedure: Procedure, who: Visitor, now: datetime, address: str, *, on_paper: bool) -> Handout:
    """A procedure as its students get it: amounts, steps, blanks, questions."""
    steps = [
        (
            number,
            STEP_KINDS.get(step.kind),
            instruction(step, procedure) or _says(step.kind),
            _blanks(procedure, number),
        )
        for number, step in enumerate(procedure.steps, start=1)
    ]
    return Handout(
        title=procedure.title,
        where=f"{who.account.institution} · {procedure.title}",
        zone=who.account.time_zone,
        made_at=now,
        on_paper=on_paper,
        address=address,
        procedure=procedure,
        steps=steps,
        before=questions.before(procedure),
        after=questions.after(procedure),
    )


def _says(kind: str) -> str:
    known = STEP_KINDS.get(kind)
    return known.says if known is not None else kind


@router.get("/procedures/{procedure_id}/handout")
@may(May.STAFF)
def handout_page(request: Request, procedure_id: UUID, who: VisitorDep) -> Response:
    """The handout of a procedure, to read."""
    with pool(request).connection() as conn:
        kept = procedures.open_procedure(conn, who.account.id, procedure_id)
    sheet = handout(kept.procedure, who, datetime.now(UTC), f"/procedures/{procedure_id}", on_paper=False)
    return html("report/handout.html", sheet)


@router.get("/procedures/{procedure_id}/handout.pdf")
@may(May.STAFF)
def handout_on_paper(request: Request, procedure_id: UUID, who: VisitorDep, paper: PaperAsked = "A4") -> Response:
    """The same on paper."""
    with pool(request).connection() as conn:
        kept = procedures.open_procedure(conn, who.account.id, procedure_id)
    sheet = handout(kept.procedure, who, datetime.now(UTC), "", on_paper=True)
    return _pdf([render("report/handout.html", sheet)], paper, file_name(kept.title, "handout"))


def _prep(request: Request, who: Visitor, class_id: UUID, meeting: int | None, *, on_paper: bool) -> PrepReport:
    with pool(request).connection() as conn:
        asked = prep_asked(conn, who, class_id, meeting)
    when: Meeting = asked.meeting
    title = f"Preparation list: {asked.title}"
    return PrepReport(
        title=title,
        where=f"{asked.row.code} · meeting {when.number} · {asked.title}",
        zone=who.account.time_zone,
        made_at=datetime.now(UTC),
        on_paper=on_paper,
        address=f"/classes/{class_id}/prep",
        sheet=asked.sheet,
        benches=asked.benches,
        spare=asked.spare,
        amount=asked.amount,
    )


MeetingAsked = Annotated[int | None, Query(ge=1, le=99)]


@router.get("/classes/{class_id}/prep/sheet")
@may(May.STAFF)
def prep_sheet_page(request: Request, class_id: UUID, who: VisitorDep, meeting: MeetingAsked = None) -> Response:
    """The prep sheet of a meeting, to read."""
    return html("report/prep.html", _prep(request, who, class_id, meeting, on_paper=False))


@router.get("/classes/{class_id}/prep/sheet.pdf")
@may(May.STAFF)
def prep_sheet_on_paper(
    request: Request, class_id: UUID, who: VisitorDep, meeting: MeetingAsked = None, paper: PaperAsked = "A4"
) -> Response:
    """The same on paper."""
    sheet = _prep(request, who, class_id, meeting, on_paper=True)
    return _pdf([render("report/prep.html", replace(sheet, on_paper=True))], paper, file_name(sheet.where))
