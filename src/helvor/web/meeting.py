"""A meeting in the room: the class board, the wall, the log, notices, timers."""

from __future__ import annotations

from collections import OrderedDict
from dataclasses import dataclass
from datetime import UTC, datetime, timedelta
from threading import Lock
from typing import Annotated
from uuid import UUID

import psycopg
from fastapi import APIRouter, Query, Request
from markupsafe import Markup
from pydantic import BaseModel
from starlette.responses import RedirectResponse, Response

from helvor.core.classroom.meeting import day as days
from helvor.core.classroom.meeting import storage as put_away
from helvor.core.classroom.meeting.expected import ExpectedProgress, expected_progress
from helvor.core.classroom.meeting.storage import InUse, LeftIn, Stands
from helvor.core.classroom.meeting.which import meeting_that_counts
from helvor.core.classroom.prep.make import prep_sheet
from helvor.core.classroom.prep.period import Setting, meeting_of, shared_kit, simulate
from helvor.core.record.entry import Problem
from helvor.core.record.finding import Finding
from helvor.core.record.procedure import Procedure
from helvor.core.record.step_kinds import WASTE
from helvor.notebook import classes, containers, joining, lab_log, procedures
from helvor.notebook.classes import Bench, LastWritten, Meeting, PageOnBoard
from helvor.notebook.containers import Kept
from helvor.notebook.joining import Code
from helvor.notebook.lab_log import AlarmAt, Book, OpenAccident
from helvor.notebook.page_errors import NotYours
from helvor.notebook.pages import Draft
from helvor.web.board import (
    Board,
    BoardAt,
    PlanNow,
    activity,
    alarms_on,
    choices_of,
    drawn_board,
    in_use,
)
from helvor.web.forms import FieldErrors, Form, SubmittedDep
from helvor.web.may import May, may
from helvor.web.meeting_log import in_words, payload_of
from helvor.web.places import needing
from helvor.web.rendering import Shell, clock, html, is_htmx
from helvor.web.security import Visitor, VisitorDep, WriterDep, pool

router = APIRouter(include_in_schema=False)
RINGS_FOR = timedelta(hours=12)
"""A timer that nobody stopped is listed this long after it was due."""


@dataclass(frozen=True, slots=True, kw_only=True)
class ClassPage(Shell):
    """``plan_time`` is the clock time of the plan's end; ``seen`` says which state of the class this is."""

    board: Board
    lanes: Markup
    rows: Markup
    needs: list[tuple[Bench, PageOnBoard]]
    due: list[AlarmAt]
    kit: list[InUse]
    book: Book
    last: LastWritten | None
    now: datetime
    plan_time: str
    seen: str
    words: dict[days.State, str]
    accidents: list[OpenAccident]


@dataclass(frozen=True, slots=True, kw_only=True)
class WallPage(Shell):
    """The board for the wall; with ``follow`` the front bench's newest page beside it."""

    board: Board
    lanes: Markup
    due: list[AlarmAt]
    book: Book
    code: Code | None
    address: str
    follow: PageOnBoard | None
    now: datetime
    seen: str
    words: dict[days.State, str]
    following: bool


@dataclass(frozen=True, slots=True, kw_only=True)
class DayPage(Shell):
    """The log of a meeting."""

    book: Book
    number: int
    meetings: list[Meeting]
    findings: list[Finding]
    expected: dict[str, float]
    streams: dict[str, str]
    loose: list[str]
    overnight: list[LeftIn]
    says: dict[UUID, str]
    values: dict[str, str]
    errors: dict[str, str]
    about: str
    words: dict[days.State, str]
    places: tuple[str, ...]
    accidents: list[OpenAccident]
    still_open: list[str]


@dataclass(frozen=True, slots=True, kw_only=True)
class NoticesShown:
    notices: list[str]


class AlarmOut(BaseModel):
    """A timer that runs."""

    label: str
    due: datetime
    where: str
    address: str


_fronts: OrderedDict[tuple[object, ...], ExpectedProgress] = OrderedDict()
_fronts_lock = Lock()


def _front(key: tuple[object, ...], plan: Procedure, of: int, setting: Setting) -> ExpectedProgress:
    """The plan front; the same class and version is simulated once."""
    with _fronts_lock:
        if key in _fronts:
            return _fronts[key]
    found = expected_progress(plan, of, simulate(plan, of, setting, runs=0))
    with _fronts_lock:
        _fronts[key] = found
        while len(_fronts) > 100:
            _fronts.popitem(last=False)
    return found


@dataclass(frozen=True, slots=True)
class _Seen:
    """A class as the board and the wall look at it."""

    row: classes.ClassRow
    meeting: Meeting | None
    benches: list[Bench]
    book: Book
    title: str
    plan: PlanNow | None
    began: datetime | None
    kit: dict[str, int]
    seen: str
    alarms: list[AlarmAt]
    due: list[AlarmAt]
    last: LastWritten | None


def _alarms(row: classes.ClassRow, benches: list[Bench], book: Book) -> list[AlarmAt]:
    """The timers of a class whose benches and log are read already, the next due first."""
    found = [
        AlarmAt(label, due, "", f"Bench {bench.number}", page.address, row.code, row.id)
        for bench in benches
        for page in bench.pages
        for label, due in alarms_on(page)
    ]
    found += lab_log.room_alarms(book.day, row.id, row.code)
    return sorted(found, key=lambda alarm: alarm.due)


def _meeting_now(
    conn: psycopg.Connection, class_id: UUID, meetings: list[Meeting], now: datetime
) -> tuple[Meeting | None, Book]:
    """The meeting that counts, with its book: one that runs over its time stays it until it is ended."""
    meeting = meeting_that_counts(meetings, now, lambda n: lab_log.read_book(conn, class_id, n).day.state)
    return meeting, lab_log.read_book(conn, class_id, meeting.number if meeting else 1)


def _look(conn: psycopg.Connection, who: Visitor, class_id: UUID, work: str, now: datetime) -> _Seen:
    read = classes.read_class(conn, who.account.id, class_id)
    if read is None:
        raise NotYours
    row, seen, meetings, benches = read.row, read.seen, read.meetings, read.benches
    meeting, book = _meeting_now(conn, class_id, meetings, now)
    choices = choices_of(benches)
    # What the meeting is about, before what somebody happened to begin last.
    about = meeting.topic if meeting is not None and meeting.starts_at <= now else ""
    title = next((one for one in (work, about, *choices) if one in choices), "")
    alarms = _alarms(row, benches, book)
    due = [alarm for alarm in alarms if alarm.due > now - RINGS_FOR]
    plan, kit = None, dict[str, int]()
    began = book.day.began or (meeting.starts_at if meeting and meeting.starts_at <= now <= meeting.ends_at else None)
    page = next((p for bench in benches for p in bench.pages if activity(p) == title and p.procedure), None)
    if page is not None and page.procedure is not None and page.version:
        procedure = procedures.followed(conn, page.procedure, page.version)
        kit = shared_kit(procedure, read.kit)
        if meeting is not None and began is not None and book.day.state != "over":
            of = meeting_of(procedure, {m.number: m.topic for m in meetings}, meeting.number)
            length = (meeting.ends_at - meeting.starts_at) / timedelta(minutes=1)
            key = (page.procedure, page.version, of, len(benches), length, tuple(kit.items()))
            front = _front(key, procedure, of, Setting(len(benches), length, kit))
            worked = book.day.worked(now) if book.day.began else now - began
            plan = PlanNow(front, round(worked / timedelta(minutes=1), 1))
    return _Seen(row, meeting, benches, book, title, plan, began, kit, seen, alarms, due, read.last)


def _board_at(seen: _Seen, now: datetime, *, wall: bool = False) -> BoardAt:
    rung = sum(alarm.due <= now for alarm in seen.alarms)
    return BoardAt(seen.benches, seen.title, now, rung, seen.plan, wall)


@router.get("/classes/{class_id}")
@may(May.STAFF)
def class_board(request: Request, class_id: UUID, who: VisitorDep, work: str = "") -> Response:
    """The board, with what needs somebody, what is due, shared kit, and the meeting's state."""
    now = datetime.now(UTC)
    with pool(request).connection() as conn:
        seen = _look(conn, who, class_id, work[:60], now)
        accidents = lab_log.open_accidents(conn, who.account.id, class_id)
    drawn = drawn_board(_board_at(seen, now))
    board = drawn.board
    plan_time = ""
    if seen.plan and seen.began:
        ends = seen.began + seen.book.day.rested + timedelta(minutes=seen.plan.front.ends)
        plan_time = clock(ends, who.account.time_zone)
    page = ClassPage(
        visitor=who,
        place="bench",
        class_row=seen.row,
        meeting=seen.meeting,
        board=board,
        lanes=drawn.lanes,
        rows=drawn.rows,
        needs=sorted(needing(seen.benches), key=lambda ask: activity(ask[1]) != board.title),
        due=seen.due,
        kit=in_use(seen.benches, seen.title, seen.kit),
        book=seen.book,
        last=seen.last,
        now=now,
        plan_time=plan_time,
        seen=seen.seen,
        words=days.WORDS,
        accidents=accidents,
    )
    return html("class.html", page)


@router.get("/classes/{class_id}/wall")
@may(May.STAFF)
def wall(request: Request, class_id: UUID, who: VisitorDep, work: str = "", follow: bool = False) -> Response:
    """The board to be read from across the room; it can follow the front bench during a demonstration."""
    now = datetime.now(UTC)
    with pool(request).connection() as conn:
        seen = _look(conn, who, class_id, work[:60], now)
        code = joining.code_of(conn, who.account.id, class_id)
        front = classes.front_bench(conn, who.account.id) if follow else None
    newest = max(front.pages, key=lambda page: page.started_at, default=None) if front else None
    drawn = drawn_board(_board_at(seen, now, wall=True))
    page = WallPage(
        visitor=who,
        place="bench",
        class_row=seen.row,
        meeting=seen.meeting,
        board=drawn.board,
        lanes=drawn.lanes,
        due=seen.due,
        book=seen.book,
        code=code,
        address=f"{request.base_url}join",
        follow=newest,
        now=now,
        seen=seen.seen,
        words=days.WORDS,
        following=follow,
    )
    return html("wall.html", page)


def _stands(benches: list[Bench]) -> list[Stands]:
    """Every portion that stands at a bench, as the runs' summaries say."""
    return [Stands(bench.number or 0, *one) for bench in benches for page in bench.pages for one in page.summary.stands]


def _loose(stands: list[Stands], register: list[Kept]) -> list[str]:
    """Portions without a label in words, as an ended meeting keeps them."""
    found = put_away.loose(stands, [kept.now.label for kept in register])
    return [f"Bench {one.bench}: {one.words}"[:120] for one in found][:200]


def _expected_waste(
    conn: psycopg.Connection, account_id: int, meetings: list[Meeting], meeting: Meeting | None, benches: int
) -> dict[str, float]:
    """mL of each stream that the meeting's procedure lets expect, by its topic."""
    if meeting is None:
        return {}
    kept = procedures.about(procedures.procedures_of(conn, account_id), meeting.topic)
    if kept is None:
        return {}
    of = meeting_of(kept.procedure, {m.number: m.topic for m in meetings}, meeting.number)
    sheet = prep_sheet(kept.procedure, of, max(1, benches), spare=0)
    return {bottle.stream: bottle.volume for bottle in sheet.waste if bottle.volume > 0}


def _left_in(day: days.Day, register: list[Kept], stands: list[Stands]) -> list[LeftIn]:
    """What is in which oven, hood or desiccator and whose."""
    book = [
        LeftIn(stay.stays.place, stay.stays.what, stay.stays.bench, str(stay.line.root.id))
        for stay in day.stays
        if stay.out is None
    ]
    known = [
        LeftIn(kept.now.place, f"{kept.now.content or 'empty'} in {kept.now.label}", kept.now.bench)
        for kept in register
    ]
    return put_away.left_in(book, known, stands)


def _day_page(
    request: Request,
    who: Visitor,
    class_id: UUID,
    number: int | None,
    *,
    values: dict[str, str] | None = None,
    errors: dict[str, str] | None = None,
    about: str = "",
) -> Response:
    now = datetime.now(UTC)
    with pool(request).connection() as conn:
        row = classes.open_class(conn, who.account.id, class_id)
        if row is None:
            raise NotYours
        meetings = classes.meetings_of(conn, class_id)
        meeting = next((m for m in meetings if m.number == number), None)
        if meeting is None:
            meeting, book = _meeting_now(conn, class_id, meetings, now)
        else:
            book = lab_log.read_book(conn, class_id, meeting.number)
        benches = classes.benches_of(conn, class_id)
        expected = _expected_waste(conn, who.account.id, meetings, meeting, len(benches))
        register, stands = containers.containers_of(conn, who.account.id, class_id), _stands(benches)
        accidents = lab_log.open_accidents(conn, who.account.id, class_id)
    page = DayPage(
        visitor=who,
        place="bench",
        class_row=row,
        meeting=meeting,
        book=book,
        number=book.meeting,
        meetings=meetings,
        findings=days.check_meeting(book.day, expected),
        expected=expected,
        streams=WASTE,
        loose=_loose(stands, register),
        overnight=_left_in(book.day, register, stands),
        says={line.root.id: in_words(line) for line in book.day.lines if line.stands},
        values=values or {},
        errors=errors or {},
        about=about,
        words=days.WORDS,
        places=put_away.PLACES,
        accidents=[one for one in accidents if one.meeting != book.meeting],
        still_open=[days.where_and_what(happened) for _, happened in book.day.accidents],
    )
    return html("day.html", page, status=422 if errors else 200)


@router.get("/classes/{class_id}/log")
@may(May.STAFF)
def day_page(
    request: Request,
    class_id: UUID,
    who: VisitorDep,
    number: Annotated[int | None, Query(ge=1, le=99, alias="meeting")] = None,
) -> Response:
    """The log: what happened in the room, waste, absences, what stays over."""
    return _day_page(request, who, class_id, number)


@router.post("/classes/{class_id}/log")
@may(May.STAFF)
def write(request: Request, class_id: UUID, who: WriterDep, fields: SubmittedDep) -> Response:
    """Write an entry in the log of a meeting."""
    form = Form(fields)
    kind, entry, number = form.text("kind"), form.id("entry"), form.whole("meeting")
    if entry is None:
        raise Problem("entry", "This form is out of date. Reload the page; nothing was saved.")
    with pool(request).connection() as conn:
        row = classes.open_class(conn, who.account.id, class_id)
        if row is None:
            raise NotYours
        meetings = classes.meetings_of(conn, class_id)
        meeting = number or _meeting_now(conn, class_id, meetings, datetime.now(UTC))[1].meeting
        if meeting != 1 and all(m.number != meeting for m in meetings):
            raise NotYours
        loose: list[str] = []
        accidents: list[str] = []
        if kind == "ended":
            register = containers.containers_of(conn, who.account.id, class_id)
            loose = _loose(_stands(classes.benches_of(conn, class_id)), register)
            still_open = lab_log.open_accidents(conn, who.account.id, class_id)
            accidents = [one.what[:120] for one in still_open if one.meeting <= meeting]
        try:
            says = payload_of(kind, form, loose, accidents)
            draft = Draft(entry, says, form.id("strikes"), form.text("reason"))
            lab_log.write(conn, who.account.id, who.account.name, class_id, meeting, draft)
        except (FieldErrors, Problem) as trouble:
            errors = trouble.errors if isinstance(trouble, FieldErrors) else {trouble.field: str(trouble)}
            values = {name: texts[0] for name, texts in fields.items() if texts}
        else:
            back = "" if form.text("back") == "board" else "/log"
            query = f"?meeting={meeting}" if back else ""
            return RedirectResponse(f"/classes/{class_id}{back}{query}", status_code=303)
    return _day_page(request, who, class_id, meeting, values=values, errors=errors, about=kind)


@router.get("/notices")
@may(May.ANYBODY)
def notices(request: Request, who: VisitorDep) -> Response:
    """What the front says to the bench of whoever asks; for every page of a tablet."""
    with pool(request).connection() as conn:
        standing = lab_log.notices_for(conn, who.account.id)
    if not is_htmx(request):
        return RedirectResponse("/", status_code=303)
    return html("notices.html", NoticesShown(notices=standing))


@router.get("/timers")
@may(May.ANYBODY)
def timers(request: Request, who: VisitorDep) -> list[AlarmOut]:
    """Every timer that runs where the asker teaches or works, the next due first."""
    now = datetime.now(UTC)
    with pool(request).connection() as conn:
        found = lab_log.alarms_of(conn, who.account.id)
    return [
        AlarmOut(label=alarm.label, due=alarm.due, where=alarm.where, address=alarm.address)
        for alarm in found
        if alarm.due > now - RINGS_FOR
    ]
