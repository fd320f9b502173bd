"""Prep: what to make, put out and take away for a meeting, and whether the period is long enough."""

from __future__ import annotations

import re
from collections.abc import Callable
from dataclasses import dataclass
from datetime import UTC, datetime, timedelta
from typing import Annotated
from uuid import UUID

import psycopg
from fastapi import APIRouter, Query, Request
from fastapi import Form as Field
from pydantic import ValidationError
from starlette.responses import RedirectResponse, Response

from helvor.core.classroom.meeting.which import current_meeting
from helvor.core.classroom.prep.counted import read_kit
from helvor.core.classroom.prep.learn import learn, times_of
from helvor.core.classroom.prep.make import PrepSheet, prep_sheet, shown_amount
from helvor.core.classroom.prep.period import (
    RUNS,
    Change,
    Fit,
    Overnight,
    Setting,
    changes,
    meeting_of,
    overnight,
    shared_kit,
    simulate,
)
from helvor.core.quantities.reading import Unreadable
from helvor.core.record.container import Filled, MadeUp, Moved
from helvor.core.record.entry import Payload, Problem
from helvor.core.record.procedure import Procedure
from helvor.notebook import classes, containers, lab_log, prep, procedures
from helvor.notebook.classes import ClassRow, Meeting
from helvor.notebook.page_errors import NotYours
from helvor.notebook.prep import Done
from helvor.notebook.procedures import Kept
from helvor.web.errors import sentence_of
from helvor.web.forms import Form, SubmittedDep
from helvor.web.may import May, may
from helvor.web.prep.drawing import PeriodDrawing, draw_period
from helvor.web.rendering import Shell, clock, html, is_htmx
from helvor.web.security import Visitor, VisitorDep, WriterDep, pool

router = APIRouter(include_in_schema=False)
SPARE_PERCENT, USUAL_MINUTES = 12, 165


@dataclass(frozen=True, kw_only=True)
class PrepPage(Shell):
    kept: list[Kept]
    chosen: Kept | None
    number: int
    meetings: list[Meeting]
    benches: int
    spare: int
    sheet: PrepSheet | None
    done: dict[str, Done]
    kit: dict[str, int]
    query: str
    csrf: str
    amount: Callable[[float, str], str]


@dataclass(frozen=True, slots=True, kw_only=True)
class PeriodShown:
    """How the class goes through the period, drawn, and what would help."""

    fit: Fit
    drawing: PeriodDrawing
    changes: list[Change]
    ends: str
    late: str
    over: float
    stays: list[Overnight]
    learned: int
    more: str


@dataclass(frozen=True, slots=True, kw_only=True)
class TickShown:
    """A box of the prep sheet."""

    class_id: UUID
    number: int
    procedure: UUID
    line: str
    done: Done | None
    csrf: str


@dataclass(frozen=True, slots=True)
class _Asked:
    row: ClassRow
    meetings: list[Meeting]
    meeting: Meeting
    kept: list[Kept]
    chosen: Kept | None
    benches: int
    of: int
    """Which of the procedure's own meetings it is."""


def _asked(
    conn: psycopg.Connection,
    who: VisitorDep,
    class_id: UUID,
    number: int | None,
    procedure: UUID | None,
    benches: int | None,
) -> _Asked:
    """The class, the meeting asked for or the next one, and its procedure: by id, else the meeting's topic."""
    row = classes.open_class(conn, who.account.id, class_id)
    if row is None:
        raise NotYours
    meetings = classes.meetings_of(conn, class_id)
    now = datetime.now(UTC)
    meeting = next((m for m in meetings if m.number == number), None) or current_meeting(meetings, now)
    if meeting is None:  # none is planned yet: a usual one, from the next full hour on
        starts = now.replace(minute=0, second=0, microsecond=0) + timedelta(hours=1)
        meeting = Meeting(1, starts, starts + timedelta(minutes=USUAL_MINUTES), "", 1)
    kept = procedures.procedures_of(conn, who.account.id)
    chosen = next((k for k in kept if k.id == procedure), None)
    if chosen is None:
        chosen = procedures.about(kept, meeting.topic) or (kept[0] if kept else None)
    topics = {m.number: m.topic for m in meetings}
    of = meeting_of(chosen.procedure, topics, meeting.number) if chosen else 1
    return _Asked(row, meetings, meeting, kept, chosen, benches or max(1, row.benches), of)


@dataclass(frozen=True, slots=True)
class PrepAsked:
    """A meeting's prep sheet, as it goes onto paper."""

    row: ClassRow
    meeting: Meeting
    title: str
    sheet: PrepSheet
    benches: int
    spare: int
    amount: Callable[[float, str], str]


def prep_asked(conn: psycopg.Connection, who: Visitor, class_id: UUID, number: int | None) -> PrepAsked:
    """The prep sheet of a meeting, or of the next one.

    Raises:
        NotYours: the account does not teach the class.
        Problem: there is no procedure yet.
    """
    asked = _asked(conn, who, class_id, number, None, None)
    if asked.chosen is None:
        raise Problem("procedure", "There is no procedure yet: create one to see what it needs.")
    counted = prep.kit_of(conn, who.account.id, class_id)
    stock = counted | shared_kit(asked.chosen.procedure, counted)
    sheet = prep_sheet(asked.chosen.procedure, asked.of, asked.benches, spare=SPARE_PERCENT / 100, stock=stock)
    return PrepAsked(asked.row, asked.meeting, asked.chosen.title, sheet, asked.benches, SPARE_PERCENT, shown_amount)


@router.get("/classes/{class_id}/prep")
@may(May.STAFF)
def prep_page(
    request: Request,
    class_id: UUID,
    who: VisitorDep,
    number: Annotated[int | None, Query(ge=1, le=99, alias="meeting")] = None,
    procedure: UUID | None = None,
    benches: Annotated[int | None, Query(ge=1, le=96)] = None,
    spare: Annotated[int, Query(ge=0, le=100)] = SPARE_PERCENT,
) -> Response:
    """Everything to have ready for a meeting; the period is worked out by a request of its own."""
    with pool(request).connection() as conn:
        asked = _asked(conn, who, class_id, number, procedure, benches)
        counted = prep.kit_of(conn, who.account.id, class_id)
        done: dict[str, Done] = {}
        sheet, kit = None, dict[str, int]()
        if asked.chosen is not None:
            kit = shared_kit(asked.chosen.procedure, counted)
            stock = counted | kit
            sheet = prep_sheet(asked.chosen.procedure, asked.of, asked.benches, spare=spare / 100, stock=stock)
            done = prep.done_of(conn, who.account.id, class_id, asked.meeting.number, asked.chosen.id)
    chosen = asked.chosen
    query = f"meeting={asked.meeting.number}&benches={asked.benches}" + (f"&procedure={chosen.id}" if chosen else "")
    page = PrepPage(
        visitor=who,
        place="prep",
        class_row=asked.row,
        meeting=asked.meeting,
        kept=asked.kept,
        chosen=chosen,
        number=asked.meeting.number,
        meetings=asked.meetings,
        benches=asked.benches,
        spare=spare,
        sheet=sheet,
        done=done,
        kit=kit,
        query=query,
        csrf=who.csrf,
        amount=shown_amount,
    )
    return html("prep/prep.html", page)


@router.get("/classes/{class_id}/prep/period")
@may(May.STAFF)
def period(
    request: Request,
    class_id: UUID,
    who: VisitorDep,
    number: Annotated[int | None, Query(ge=1, le=99, alias="meeting")] = None,
    procedure: UUID | None = None,
    benches: Annotated[int | None, Query(ge=1, le=96)] = None,
    runs: Annotated[int, Query(ge=1, le=RUNS)] = RUNS,
) -> Response:
    """The class through the period, two hundred times over; fewer are a first look, and say how to go on."""
    with pool(request).connection() as conn:
        asked = _asked(conn, who, class_id, number, procedure, benches)
        counted = prep.kit_of(conn, who.account.id, class_id)
        marks = procedures.marks_of(conn, who.account.id, asked.chosen.id) if asked.chosen else []
        book = lab_log.open_book(conn, who.account.id, class_id, asked.meeting.number)
    if not is_htmx(request):
        return RedirectResponse(f"/classes/{class_id}/prep?meeting={asked.meeting.number}", status_code=303)
    if asked.chosen is None:
        raise NotYours
    plan = asked.chosen.procedure
    minutes = (asked.meeting.ends_at - asked.meeting.starts_at) / timedelta(minutes=1)
    times = times_of(learn(plan, marks))
    fit = simulate(plan, asked.of, Setting(asked.benches, minutes, shared_kit(plan, counted), times=times), runs=runs)
    zone = who.account.time_zone
    now = datetime.now(UTC)
    worked = book.day.worked(now) / timedelta(minutes=1) if book.day.state in ("running", "paused") else None
    query = f"meeting={asked.meeting.number}&benches={asked.benches}&procedure={asked.chosen.id}"
    shown = PeriodShown(
        fit=fit,
        drawing=draw_period(plan, asked.of, fit, asked.meeting.starts_at, zone, worked),
        changes=changes(plan, asked.of, fit) if runs == RUNS else [],
        ends=clock(asked.meeting.starts_at + timedelta(minutes=fit.median), zone),
        late=clock(asked.meeting.starts_at + timedelta(minutes=fit.late), zone),
        over=fit.median - minutes,
        stays=overnight(plan, asked.of, fit),
        learned=len(times),
        more=f"/classes/{class_id}/prep/period?{query}" if runs < RUNS else "",
    )
    return html("prep/period.html", shown)


@router.post("/classes/{class_id}/prep/done")
@may(May.STAFF)
def tick(
    request: Request,
    class_id: UUID,
    who: WriterDep,
    meeting: Annotated[int, Field(ge=1, le=99)],
    procedure: Annotated[UUID, Field()],
    line: Annotated[str, Field(min_length=1, max_length=80)],
    done: Annotated[bool, Field()] = False,
) -> Response:
    """Tick a line off, or take it back."""
    with pool(request).connection() as conn:
        plan = procedures.open_procedure(conn, who.account.id, procedure).procedure
        known = {key for of in {step.meeting for step in plan.steps} | {1} for key in prep_sheet(plan, of, 1).keys}
        if line not in known:
            raise Problem("line", "This line is no longer on the sheet: the procedure was changed. Reload the page.")
        prep.tick(conn, who.account.id, class_id, meeting, procedure, line, done=done)
        kept = prep.done_of(conn, who.account.id, class_id, meeting, procedure).get(line)
    if not is_htmx(request):
        return RedirectResponse(f"/classes/{class_id}/prep?meeting={meeting}&procedure={procedure}", status_code=303)
    shown = TickShown(class_id=class_id, number=meeting, procedure=procedure, line=line, done=kept, csrf=who.csrf)
    return html("prep/tick.html", shown)


@router.post("/classes/{class_id}/prep/made")
@may(May.STAFF)
def made(request: Request, class_id: UUID, who: WriterDep, fields: SubmittedDep) -> Response:
    """What was really weighed and made becomes a stock bottle of the class, and its line is ticked off."""
    form = Form(fields)
    entry, procedure, number, line = form.id("entry"), form.id("procedure"), form.whole("meeting"), form.text("line")
    if entry is None or procedure is None or number is None:
        raise Problem("entry", "This form is out of date. Reload the page; nothing was saved.")
    with pool(request).connection() as conn, conn.transaction():
        row = classes.open_class(conn, who.account.id, class_id)
        if row is None:
            raise NotYours
        plan = procedures.open_procedure(conn, who.account.id, procedure).procedure
        says = _made(plan, line, form)
        label = form.text("label") or line.partition(" ")[2]
        containers.make_bottle(conn, who.account.id, class_id, entry, label, [*says, Moved(place="stockroom")])
        prep.tick(conn, who.account.id, class_id, number, procedure, line, done=True)
    address = f"/classes/{class_id}/prep?meeting={number}&procedure={procedure}"
    if is_htmx(request):
        return Response(headers={"HX-Redirect": address})
    return RedirectResponse(address, status_code=303)


def _made(plan: Procedure, line: str, form: Form) -> list[Payload]:
    """The notes of the bottle: the solution as weighed and made up, or the eluent that was mixed.

    Raises:
        Problem: a number that cannot be read, or a line that makes nothing for a bottle.
    """
    sheets = [prep_sheet(plan, of, 1) for of in {step.meeting for step in plan.steps} | {1}]
    mixed = next((one for sheet in sheets for one in sheet.eluents if one.key == line), None)
    if mixed is not None:
        return [Filled(content=str(mixed.eluent))]
    substance = plan.substance(line.removeprefix("make "))
    if substance is None or not substance.formula or substance.amount is None or substance.amount.unit != "mL":
        raise Problem("line", "This line is not a solution for a stock bottle.")
    mass, volume = form.mass("mass", required=True), form.volume("volume", required=True)
    tolerance = form.volume("tolerance")
    if form.errors:
        field, sentence = next(iter(form.errors.items()))
        raise Problem(field, f"{substance.name}: {sentence}")
    try:
        return [
            MadeUp(
                substance=substance.name,
                formula=substance.formula,
                mass=mass,
                volume=volume,
                tolerance=tolerance,
                fraction=substance.fraction,
            )
        ]
    except ValidationError as invalid:
        raise Problem("mass", f"{substance.name}: {sentence_of(invalid.errors()[0]['msg'])}") from invalid


@router.post("/classes/{class_id}/prep/kit")
@may(May.STAFF)
def count_kit(request: Request, class_id: UUID, who: WriterDep, fields: SubmittedDep) -> Response:
    """Write how many there are of each kind of shared kit."""
    form = Form(fields)
    counts: dict[str, int] = {}
    for name, text in zip(form.all("name"), form.all("count"), strict=False):
        if not name.strip() or not text.strip():
            continue
        if re.fullmatch(r"[0-9]{1,4}", text.strip()) is None:
            raise Problem("count", f"{name[:40]}: “{text[:12]}” is not a number: enter a whole number, such as 4.")
        counts[name.strip()] = int(text)
    said = form.words("said")
    with pool(request).connection() as conn:
        if said:
            try:
                kept = procedures.open_procedure(conn, who.account.id, UUID(form.text("procedure")))
            except ValueError:
                raise NotYours from None
            try:
                counts |= read_kit(said, kept.procedure)
            except Unreadable as unreadable:
                raise Problem("said", str(unreadable)) from unreadable
        prep.set_kit(conn, who.account.id, class_id, prep.kit_of(conn, who.account.id, class_id) | counts)
    back = form.text("back")
    return RedirectResponse(f"/classes/{class_id}/prep" + (f"?{back}" if back else ""), status_code=303)
