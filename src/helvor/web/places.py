"""A bench, finding one, and the files of a class."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import UTC, datetime, timedelta
from typing import Annotated
from urllib.parse import urlencode
from uuid import UUID

import psycopg
from fastapi import APIRouter, Form, Request
from starlette.responses import RedirectResponse, Response

from helvor.core.classroom.meeting.which import current_meeting
from helvor.core.techniques.planar.work_out import work_out
from helvor.exchange.calendar import ToDo, calendar
from helvor.exchange.planar import class_table
from helvor.notebook import classes, lab_log, page_lists, pages, unknowns
from helvor.notebook.classes import Bench, ClassRow, Meeting, PageOnBoard
from helvor.notebook.page_errors import NotYours
from helvor.shelf.solvents import eluotropic_rank
from helvor.web.may import May, may
from helvor.web.rendering import Shell, html
from helvor.web.security import Visitor, VisitorDep, WriterDep, pool

router = APIRouter(include_in_schema=False)


@dataclass(frozen=True, slots=True, kw_only=True)
class BenchPage(Shell):
    """``samples`` are the unknowns that the bench has: series and number; ``held`` what they held, once released."""

    bench: Bench
    samples: list[tuple[str, int]]
    held: dict[str, str]


def shell_of_class(
    conn: psycopg.Connection, who: Visitor, class_id: UUID | None
) -> tuple[ClassRow | None, Meeting | None]:
    """What the top bar says of a page's class."""
    if class_id is None:
        return None, None
    row = classes.open_class(conn, who.account.id, class_id)
    return row, current_meeting(classes.meetings_of(conn, class_id), datetime.now(UTC)) if row else None


def needing(benches: list[Bench]) -> list[tuple[Bench, PageOnBoard]]:
    """Pages whose worst open finding is a stop or a caution; stops first, then by bench."""
    return [
        (bench, on_board)
        for level in ("stop", "caution")
        for bench in benches
        for on_board in bench.pages
        if on_board.summary.level == level and not on_board.virtual
    ]


@router.get("/classes/{class_id}/rf.csv")
@may(May.STAFF)
def class_rf(request: Request, class_id: UUID, who: VisitorDep) -> Response:
    with pool(request).connection() as conn:
        row = classes.open_class(conn, who.account.id, class_id)
        if row is None:
            raise NotYours
        found = page_lists.pages_of_class(conn, who.account.id, class_id)
    rank = eluotropic_rank()
    table = class_table(
        [(page, work_out(entries, page.rules, rank)) for page, entries in found if page.technique_key == "planar"]
    )
    return Response(
        table,
        media_type="text/csv; charset=utf-8",
        headers={"Content-Disposition": f'attachment; filename="{row.code}-rf.csv"'},
    )


@router.get("/classes/{class_id}/meetings.ics")
@may(May.STAFF)
def meetings_file(request: Request, class_id: UUID, who: VisitorDep) -> Response:
    """The meetings of a class for any calendar, with the weighings of another day and who makes up when."""
    now = datetime.now(UTC)
    with pool(request).connection() as conn:
        row = classes.open_class(conn, who.account.id, class_id)
        if row is None:
            raise NotYours
        meetings = classes.meetings_of(conn, class_id)
        todo = _between_meetings(conn, who, class_id, meetings, now)
    headers = {"Content-Disposition": f'attachment; filename="{row.code}.ics"'}
    text = calendar(row, meetings, now, todo)
    return Response(text, media_type="text/calendar; charset=utf-8", headers=headers)


LATER = timedelta(hours=3)
"""A timer that rings later than this is for another day: it goes into the calendar."""


def _between_meetings(
    conn: psycopg.Connection, who: Visitor, class_id: UUID, meetings: list[Meeting], now: datetime
) -> list[ToDo]:
    """Timers of another day, what stays over until it is taken out, and make-up dates that are open."""
    found = [
        ToDo(alarm.key or f"{class_id}-{alarm.due:%Y%m%d%H%M}", f"{alarm.where}, {alarm.label}", at=alarm.due)
        for alarm in lab_log.alarms_of(conn, who.account.id, class_id)
        if alarm.due > now + LATER
    ]
    for meeting in meetings:
        day = lab_log.open_book(conn, who.account.id, class_id, meeting.number).day
        following = next((m.starts_at for m in meetings if m.number == meeting.number + 1), None)
        for stay in day.stays:
            if stay.out is None:
                whose = f"bench {stay.stays.bench}, " if stay.stays.bench else ""
                at = following or stay.line.root.at + timedelta(days=1)
                words = f"take out and weigh: {whose}{stay.stays.what}, {stay.stays.place}"
                found.append(ToDo(str(stay.line.root.id), words, at=at))
        for away in day.away:
            if away.absent.makes_up and not away.caught_up:
                who_ = away.absent.who or "the pair"
                words = f"bench {away.absent.bench}, {who_} makes up meeting {meeting.number}"
                found.append(ToDo(str(away.line.root.id), words, day=away.absent.makes_up))
    return found


@router.get("/benches/{bench_id}")
@may(May.BENCH)
def bench(request: Request, bench_id: UUID, who: VisitorDep) -> Response:
    with pool(request).connection() as conn:
        found = classes.open_bench(conn, who.account.id, bench_id)
        if found is None:
            raise NotYours
        row, meeting = shell_of_class(conn, who, found.class_id)
        samples = unknowns.numbers_at(conn, who.account.id, bench_id)
        held = unknowns.held_at(conn, who.account.id, bench_id)
    page = BenchPage(
        visitor=who, place="bench", class_row=row, meeting=meeting, bench=found, samples=samples, held=held
    )
    return html("bench.html", page)


@router.post("/benches/{bench_id}/plates")
@may(May.BENCH)
def start_plate(request: Request, bench_id: UUID, who: WriterDep, page: Annotated[UUID, Form()]) -> Response:
    with pool(request).connection() as conn:
        pages.start_page(conn, who.account.id, bench_id, "planar", page)
    return RedirectResponse(f"/plates/{page}", status_code=303)


@router.post("/benches/{bench_id}/runs")
@may(May.BENCH)
def start_run(request: Request, bench_id: UUID, who: WriterDep, page: Annotated[UUID, Form()]) -> Response:
    """Start a blank run: steps are added as they happen."""
    with pool(request).connection() as conn:
        pages.start_page(conn, who.account.id, bench_id, "run", page)
    return RedirectResponse(f"/runs/{page}", status_code=303)


@router.get("/find")
@may(May.STAFF)
def find(request: Request, who: VisitorDep, q: str = "", in_class: UUID | None = None) -> Response:
    """A bench by its number: in the class at hand, else in the only or first class that has it; else by words."""
    wanted = q.strip().casefold().removeprefix("bench").strip()
    with pool(request).connection() as conn:
        if wanted in ("front", "front bench", "f", "my", "my bench", "mine"):
            return RedirectResponse(f"/benches/{classes.front_bench(conn, who.account.id).id}", status_code=303)
        rows = classes.classes_of(conn, who.account.id)
        for row in sorted(rows, key=lambda row: row.id != in_class):
            if row.code.casefold() == wanted:
                return RedirectResponse(f"/classes/{row.id}", status_code=303)
            for found in classes.benches_of(conn, row.id):
                if wanted and str(found.number) == wanted:
                    return RedirectResponse(f"/benches/{found.id}", status_code=303)
    if wanted and not wanted.isdecimal():
        return RedirectResponse(f"/search?{urlencode({'q': q.strip()})}", status_code=303)
    raise NotYours
