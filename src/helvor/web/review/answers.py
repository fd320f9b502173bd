"""A bench's own answers: its sheet for a run or a plate, and what an instructor sets for it."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import UTC, datetime
from typing import Any, NamedTuple
from uuid import UUID

import psycopg
from fastapi import APIRouter, Request
from markupsafe import Markup
from starlette.responses import RedirectResponse, Response

from helvor.core.engine.run.work_out import RunWorksheet
from helvor.core.quantities.reading import Unreadable
from helvor.core.record.answer import Answered, read_answer
from helvor.core.record.entry import Entry, Problem
from helvor.core.record.worksheet import Worksheet
from helvor.core.review import answers as core
from helvor.core.review.answers import SHOWS, Asked, Marked, SheetSettings, Shows
from helvor.core.review.questions import EVERY_SPOT, Question
from helvor.core.techniques.planar.results import PlateWorksheet
from helvor.notebook import answer_sheets, page_lists, pages
from helvor.notebook.answer_sheets import PLATES
from helvor.notebook.page_errors import NotYours
from helvor.notebook.page_rows import Page
from helvor.notebook.pages import Draft
from helvor.shelf.solvents import eluotropic_rank
from helvor.web.forms import Form, SubmittedDep
from helvor.web.may import May, may
from helvor.web.places import shell_of_class
from helvor.web.rendering import Shell, fragment, html, is_htmx
from helvor.web.security import Visitor, VisitorDep, WriterDep, pool

router = APIRouter(include_in_schema=False)

CLOSED = "Answers are closed. What you sent is saved; ask your instructor to open them again."


@dataclass(frozen=True, slots=True, kw_only=True)
class AnswersWork:
    """A bench's sheet: every question with its answer, and what may be shown of it."""

    page: Page
    marks: list[Marked]
    settings: SheetSettings
    sees: str
    closed: bool
    errors: dict[str, str]
    typed: dict[str, str]
    said: str
    csrf: str
    zone: str


@dataclass(frozen=True, slots=True, kw_only=True)
class AnswersPage(Shell):
    """The same as a page."""

    page: Page
    work: Markup


@dataclass(frozen=True, slots=True, kw_only=True)
class SheetPage(Shell):
    """What is asked of a class in a work."""

    works: list[str]
    work: str
    questions: list[tuple[Question, Asked]]
    settings: SheetSettings
    shows: Mapping[Shows, str]
    closes: str
    errors: dict[str, str]


def work_of(page: Page) -> str:
    """Under which work a page's answers are set."""
    return PLATES if page.technique_key == "planar" else page.title


def marks_of(sheet: Worksheet, settings: SheetSettings) -> list[Marked]:
    """A page's answers, looked through."""
    assert isinstance(sheet, RunWorksheet | PlateWorksheet)
    return core.of_page(sheet, settings)


def sees(who: Visitor, page: Page, settings: SheetSettings) -> str:
    """What the visitor may see of the answers: an instructor all, a bench what is set."""
    return settings.shows if who.account.role == "bench" else "hint"


def worked(page: Page, entries: Sequence[Entry]) -> Worksheet:
    return page.kind.work_out(entries, page.rules, eluotropic_rank())


def _opened(
    conn: psycopg.Connection, account_id: int, page_id: UUID, technique: str
) -> tuple[Page, list[Entry], SheetSettings]:
    page, entries = pages.open_page(conn, account_id, page_id)
    if page.technique_key != technique:
        raise NotYours
    return page, entries, answer_sheets.settings_of(conn, page.class_id, work_of(page))


class Unread(NamedTuple):
    """An answer that could not be read: to which question, why, what was typed."""

    question: str
    sentence: str
    typed: str


def _shown(
    request: Request,
    who: Visitor,
    page: Page,
    sheet: Worksheet,
    settings: SheetSettings,
    unread: Unread | None = None,
    said: str = "",
) -> Response:
    work = AnswersWork(
        page=page,
        marks=marks_of(sheet, settings),
        settings=settings,
        sees=sees(who, page, settings),
        closed=settings.is_closed(datetime.now(UTC)),
        errors={unread.question: unread.sentence} if unread else {},
        typed={unread.question: unread.typed} if unread else {},
        said=said,
        csrf=who.csrf,
        zone=who.account.time_zone,
    )
    status = 422 if unread else 200
    if is_htmx(request):
        headers = {"HX-Trigger": "helvor:written"} if said else None
        return html("review/answers_work.html", work, status=status, headers=headers)
    with pool(request).connection() as conn:
        row, meeting = shell_of_class(conn, who, page.class_id)
    shown = AnswersPage(
        visitor=who,
        place="bench",
        class_row=row,
        meeting=meeting,
        page=page,
        work=fragment("review/answers_work.html", work),
    )
    return html("review/answers.html", shown, status=status)


def _read(request: Request, who: Visitor, page_id: UUID, technique: str) -> Response:
    with pool(request).connection() as conn:
        page, entries, settings = _opened(conn, who.account.id, page_id, technique)
    return _shown(request, who, page, worked(page, entries), settings)


def composed(page: Page, entries: Sequence[Entry], settings: SheetSettings, question: str, written: str) -> Answered:
    """The entry that an answer becomes.

    Raises:
        Problem: there is no such question on the sheet, or it is closed.
        Unreadable: what was typed is no answer to it.
    """
    if settings.is_closed(datetime.now(UTC)):
        raise Problem("answer", CLOSED)
    mark = next((m for m in marks_of(worked(page, entries), settings) if m.question.key == question), None)
    if mark is None:
        raise Problem("question", "That question is not on this sheet.")
    if mark.question.choices:
        chosen = next((c for c in mark.question.choices if c.casefold() == written.strip().casefold()), None)
        if chosen is None:
            raise Unreadable(f"Choose {' or '.join(mark.question.choices)}.")
        return Answered(question=question, written=chosen)
    return read_answer(question, written, mark.question.unit)


def _write(request: Request, who: Visitor, page_id: UUID, technique: str, fields: Any) -> Response:
    form = Form(fields)
    question, written, entry = form.text("question"), form.text("answer"), form.id("entry")
    with pool(request).connection() as conn:
        page, entries, settings = _opened(conn, who.account.id, page_id, technique)
        if entry is None:
            raise Problem("entry", "This form is out of date. Reload the page; nothing was saved.")

        def compose(now: list[Entry]) -> list[Draft]:
            return [Draft(entry, composed(page, now, settings, question, written))]

        try:
            done = pages.append(conn, who.account.id, who.account.name, page_id, compose)
        except (Problem, Unreadable) as trouble:
            if isinstance(trouble, Problem) and trouble.field == "question":
                raise  # there is no field to say it at
            sheet = worked(page, entries)
            return _shown(request, who, page, sheet, settings, Unread(question, str(trouble), written))
    if not is_htmx(request):
        return RedirectResponse(f"{page.address}/answers", status_code=303)
    said = f"Saved: {written}." if done.new else "Already saved; no duplicate was made."
    return _shown(request, who, done.page, done.worksheet, settings, said=said)


@router.get("/runs/{page_id}/answers")
@may(May.BENCH)
def run_answers(request: Request, page_id: UUID, who: VisitorDep) -> Response:
    """The sheet of a run."""
    return _read(request, who, page_id, "run")


@router.post("/runs/{page_id}/answers")
@may(May.BENCH)
def write_run_answer(request: Request, page_id: UUID, who: WriterDep, fields: SubmittedDep) -> Response:
    return _write(request, who, page_id, "run", fields)


@router.get("/plates/{page_id}/answers")
@may(May.BENCH)
def plate_answers(request: Request, page_id: UUID, who: VisitorDep) -> Response:
    """The sheet of a plate: its Rf values."""
    return _read(request, who, page_id, "planar")


@router.post("/plates/{page_id}/answers")
@may(May.BENCH)
def write_plate_answer(request: Request, page_id: UUID, who: WriterDep, fields: SubmittedDep) -> Response:
    return _write(request, who, page_id, "planar", fields)


# ── what is asked ───────────────────────────────────────────────────────────────────────────────


def _works(found: Sequence[tuple[Page, list[Entry]]]) -> dict[str, list[Question]]:
    """Every work of a class and what can be asked in it."""
    works: dict[str, list[Question]] = {}
    for page, entries in found:
        if page.technique_key == "run" and page.title not in works:
            sheet = worked(page, entries)
            assert isinstance(sheet, RunWorksheet)
            works[page.title] = core.asked_of(sheet)
        elif page.technique_key == "planar":
            works.setdefault(PLATES, [EVERY_SPOT])
    return {name: asked for name, asked in works.items() if asked}


def _sheet_page(
    request: Request,
    who: Visitor,
    class_id: UUID,
    work: str,
    settings: SheetSettings | None = None,
    errors: dict[str, str] | None = None,
    closes: str | None = None,
) -> Response:
    with pool(request).connection() as conn:
        row, meeting = shell_of_class(conn, who, class_id)
        if row is None:
            raise NotYours
        works = _works(page_lists.pages_of_class(conn, who.account.id, class_id))
        chosen = work if work in works else next(iter(works), "")
        known = answer_sheets.settings_of(conn, class_id, chosen)
    now = settings or known
    page = SheetPage(
        visitor=who,
        place="review",
        class_row=row,
        meeting=meeting,
        works=list(works),
        work=chosen,
        questions=[(q, now.of(q)) for q in works.get(chosen, [])],
        settings=now,
        shows=SHOWS,
        closes=closes if closes is not None else _local(now.closes, who),
        errors=errors or {},
    )
    return html("review/sheet.html", page, status=422 if errors else 200)


def _local(moment: datetime | None, who: Visitor) -> str:
    """A moment for a field of date and time, in the institution's zone."""
    return f"{moment.astimezone(who.account.zone):%Y-%m-%dT%H:%M}" if moment is not None else ""


@router.get("/classes/{class_id}/answers")
@may(May.STAFF)
def answer_sheet(request: Request, class_id: UUID, who: VisitorDep, work: str = "") -> Response:
    """What is asked of a class, with which tolerance and points."""
    return _sheet_page(request, who, class_id, work)


@router.post("/classes/{class_id}/answers")
@may(May.INSTRUCTORS)
def set_answer_sheet(request: Request, class_id: UUID, who: WriterDep, fields: SubmittedDep) -> Response:
    """Set what is asked, and what benches see of it."""
    form = Form(fields)
    work, closes = form.text("work"), form.text("closes")
    with pool(request).connection() as conn:
        if shell_of_class(conn, who, class_id)[0] is None:
            raise NotYours
        works = _works(page_lists.pages_of_class(conn, who.account.id, class_id))
    if work not in works:
        raise Problem("work", "This class has no such work: choose one from the list.")
    asked = {q.key: _asked(form, q) for q in works[work]}
    when = None
    if closes:
        try:
            when = datetime.fromisoformat(closes).replace(tzinfo=who.account.zone)
        except ValueError:
            form.errors["closes"] = "Enter a date and a time, such as 2026-11-24 16:40, or leave it empty."
    shows = next((key for key in SHOWS if key == form.text("shows")), "nothing")
    settings = SheetSettings(shows=shows, closes=when, asked={k: a for k, a in asked.items() if a != Asked()})
    if form.errors:
        return _sheet_page(request, who, class_id, work, settings, form.errors, closes)
    with pool(request).connection() as conn:
        answer_sheets.keep(conn, who.account.id, class_id, work, settings)
    return RedirectResponse(f"/classes/{class_id}/answers?work={work}", status_code=303)


def _asked(form: Form, question: Question) -> Asked:
    key = question.key
    tolerance, points = form.number(f"tolerance {key}"), form.number(f"points {key}")
    for name, value, most in ((f"tolerance {key}", tolerance, 1000), (f"points {key}", points, 100)):
        if value is not None and value > most:
            form.errors[name] = f"Enter at most {most}."
            return Asked()
    return Asked(
        asked=bool(form.text(f"asked {key}")),
        tolerance=tolerance if tolerance is not None and abs(tolerance - question.tolerance_shown) > 1e-12 else None,
        points=points if points is not None else 1.0,
    )
