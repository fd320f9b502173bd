"""Making a class: its names, benches and pairs, meetings."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from datetime import UTC, datetime, timedelta
from typing import Annotated, NamedTuple
from uuid import UUID, uuid4
from zoneinfo import ZoneInfo

from fastapi import APIRouter, Form, Request
from starlette.responses import RedirectResponse, Response

from helvor.core.classroom.meeting.which import current_meeting
from helvor.core.record.entry import Problem
from helvor.notebook import classes, forget
from helvor.notebook.classes import ClassRow, PlannedMeeting
from helvor.notebook.forget import Forgotten
from helvor.notebook.page_errors import NotYours
from helvor.web import forms
from helvor.web.forms import SubmittedDep
from helvor.web.may import May, may
from helvor.web.rendering import Shell, html
from helvor.web.security import Visitor, VisitorDep, WriterDep, pool

router = APIRouter(include_in_schema=False)
USUAL_BENCHES = 12
USUAL_PERIOD = timedelta(hours=2, minutes=45)


@dataclass(frozen=True, slots=True, kw_only=True)
class MeetingRow:
    """A meeting as its line of the form holds it: local date and times."""

    day: str
    begins: str
    until: str
    topic: str


@dataclass(frozen=True, slots=True, kw_only=True)
class SetUpPage(Shell):
    code: str
    title: str
    course: str
    pairs: list[str]
    meetings: list[MeetingRow]
    errors: dict[str, str]
    most: int
    forgotten: Forgotten | None


@dataclass(frozen=True, slots=True, kw_only=True)
class NewClassPage(Shell):
    archived: list[ClassRow]
    entry: UUID
    values: dict[str, str]
    errors: dict[str, str]
    most: int


def _new(
    request: Request,
    who: Visitor,
    values: dict[str, str] | None = None,
    errors: dict[str, str] | None = None,
    entry: UUID | None = None,
) -> Response:
    with pool(request).connection() as conn:
        archived = classes.archived_of(conn, who.account.id)
    page = NewClassPage(
        visitor=who,
        place="today",
        archived=archived,
        entry=entry or uuid4(),
        values=values or {},
        errors=errors or {},
        most=classes.MOST_BENCHES,
    )
    return html("new_class.html", page, status=422 if errors else 200)


@router.get("/classes")
@may(May.STAFF)
def new_class(request: Request, who: VisitorDep) -> Response:
    """The form for a new class."""
    return _new(request, who)


@router.post("/classes")
@may(May.INSTRUCTORS)
def make_class(
    request: Request,
    who: WriterDep,
    entry: Annotated[UUID, Form()],
    code: Annotated[str, Form(max_length=200)] = "",
    title: Annotated[str, Form(max_length=400)] = "",
    course: Annotated[str, Form(max_length=400)] = "",
    benches: Annotated[str, Form(max_length=20)] = "",
) -> Response:
    """Make a class and go on to its benches and meetings."""
    values = {"code": code, "title": title, "course": course, "benches": benches}
    text = benches.strip() or str(USUAL_BENCHES)
    try:
        if not (text.isascii() and text.isdecimal() and len(text) < 4):
            raise Problem("benches", "Enter the number of benches, such as 12.")
        with pool(request).connection() as conn:
            classes.make_class(conn, who.account.id, entry, code, title, course, int(text))
    except Problem as trouble:
        return _new(request, who, values, {trouble.field: str(trouble)}, entry)
    return RedirectResponse(f"/classes/{entry}/set-up", status_code=303)


class Typed(NamedTuple):
    """What was typed and not kept, as it comes back with the reason."""

    pairs: list[str] | None = None
    meetings: list[MeetingRow] | None = None
    names: dict[str, str] | None = None
    errors: Mapping[str, str] = {}


def _show(
    request: Request,
    who: Visitor,
    class_id: UUID,
    *,
    typed: Typed | None = None,
    forgotten: Forgotten | None = None,
) -> Response:
    typed = typed or Typed()
    zone = ZoneInfo(who.account.time_zone)
    with pool(request).connection() as conn:
        row = classes.open_class(conn, who.account.id, class_id)
        if row is None:
            raise NotYours
        planned = classes.meetings_of(conn, class_id)
        benches = classes.benches_of(conn, class_id)
    kept = [
        MeetingRow(
            day=f"{m.starts_at.astimezone(zone):%Y-%m-%d}",
            begins=f"{m.starts_at.astimezone(zone):%H:%M}",
            until=f"{m.ends_at.astimezone(zone):%H:%M}",
            topic=m.topic,
        )
        for m in planned
    ]
    names = typed.names or {"code": row.code, "title": row.title, "course": row.course}
    page = SetUpPage(
        visitor=who,
        place="today",
        class_row=row,
        meeting=current_meeting(planned, datetime.now(UTC)),
        pairs=typed.pairs if typed.pairs is not None else [bench.pair for bench in benches],
        meetings=typed.meetings if typed.meetings is not None else [*kept, _one_more(kept)],
        errors=dict(typed.errors),
        most=classes.MOST_BENCHES,
        forgotten=forgotten,
        **names,
    )
    return html("class_set_up.html", page, status=422 if typed.errors else 200)


def _one_more(kept: list[MeetingRow]) -> MeetingRow:
    """An empty line; a date in it makes it a meeting, and the usual times are those of the last."""
    if not kept:
        return MeetingRow(day="", begins="14:00", until="16:45", topic="")
    return MeetingRow(day="", begins=kept[-1].begins, until=kept[-1].until, topic="")


@router.get("/classes/{class_id}/set-up")
@may(May.INSTRUCTORS)
def set_up_page(request: Request, class_id: UUID, who: VisitorDep) -> Response:
    """Names, benches and meetings of a class."""
    return _show(request, who, class_id)


@router.post("/classes/{class_id}/set-up")
@may(May.INSTRUCTORS)
def set_up(request: Request, class_id: UUID, who: WriterDep, fields: SubmittedDep) -> Response:
    """Write one of the three: its names, its benches, its meetings."""
    form = forms.Form(fields)
    what = form.text("what")
    pairs, rows, names = None, None, None
    try:
        with pool(request).connection() as conn:
            if what == "names":
                names = {name: form.text(name) for name in ("code", "title", "course")}
                classes.name_class(conn, who.account.id, class_id, names["code"], names["title"], names["course"])
            elif what == "benches":
                pairs = _pairs(form)
                classes.set_benches(conn, who.account.id, class_id, pairs)
            elif what == "meetings":
                rows = [
                    MeetingRow(day=day, begins=begins, until=until, topic=topic)
                    for day, begins, until, topic in zip(
                        form.all("day"), form.all("begins"), form.all("until"), form.all("topic"), strict=False
                    )
                ]
                classes.set_meetings(conn, who.account.id, class_id, planned(rows, who.account.time_zone))
            elif what in ("archive", "take-out"):
                forget.archive(conn, who.account.id, class_id, away=what == "archive")
            elif what == "forget":
                done = forget.forget_names(conn, who.account.id, class_id)
                return _show(request, who, class_id, forgotten=done)
            else:
                raise NotYours
    except Problem as trouble:
        return _show(request, who, class_id, typed=Typed(pairs, rows, names, {trouble.field: str(trouble)}))
    return RedirectResponse(f"/classes/{class_id}/set-up", status_code=303)


def _pairs(form: forms.Form) -> list[str]:
    """The names of each pair, as many as there shall be benches."""
    pairs = list(form.all("pair"))
    text = form.text("count")
    if text:
        if not (text.isascii() and text.isdecimal() and 1 <= int(text[:4]) <= classes.MOST_BENCHES):
            raise Problem("benches", f"Enter 1 to {classes.MOST_BENCHES} benches.")
        count = int(text)
        pairs = (pairs + [""] * count)[:count]
    return pairs


def planned(rows: list[MeetingRow], zone: str) -> list[PlannedMeeting]:
    """The meetings that the lines of the form say; a line without a date is none.

    Raises:
        Problem: a date or time that is none, with the field it stands in.
    """
    found: list[PlannedMeeting] = []
    for row in rows:
        if not row.day.strip():
            continue
        number = len(found) + 1
        begins = _moment(row.day, row.begins, zone, f"from_{number}")
        until = _moment(row.day, row.until, zone, f"until_{number}")
        found.append(PlannedMeeting(begins, until, " ".join(row.topic.split())))
    return found


def _moment(day: str, time: str, zone: str, field: str) -> datetime:
    try:
        return datetime.strptime(f"{day.strip()} {time.strip()}", "%Y-%m-%d %H:%M").replace(tzinfo=ZoneInfo(zone))
    except ValueError as wrong:
        raise Problem(field, f"“{day[:12]} {time[:8]}” is not a date and time: enter 2026-12-01 and 14:00.") from wrong
