"""The first page of the day: what meets, what is not made yet, what is due, who needs somebody."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from datetime import UTC, datetime, timedelta
from zoneinfo import ZoneInfo

import psycopg
from fastapi import APIRouter, Request
from starlette.responses import RedirectResponse, Response

from helvor.core.classroom.meeting.which import current_meeting
from helvor.core.classroom.prep.make import prep_sheet
from helvor.core.classroom.prep.period import meeting_of
from helvor.core.record.finding import SEVERITY
from helvor.notebook import classes, lab_log, prep, procedures
from helvor.notebook.classes import Bench, ClassRow, Meeting, PageOnBoard
from helvor.notebook.lab_log import AlarmAt, OpenAccident
from helvor.notebook.procedures import Kept
from helvor.web.may import May, may
from helvor.web.places import needing
from helvor.web.rendering import Shell, clock, html
from helvor.web.security import VisitorDep, pool

router = APIRouter(include_in_schema=False)
WIDTH, LEFT = 1232.0, 30.0
FIRST_HOUR, LAST_HOUR = 8, 18
"""The strip shows at least these hours, and more where something happens outside them."""
BOX_NEEDS = 190.0
"""Drawing units that a meeting's words need."""


@dataclass(frozen=True, slots=True)
class PrepState:
    """Lines of a meeting's prep sheet: how many, how many ticked off, and the first that are not."""

    of: int
    done: int
    missing: str


@dataclass(frozen=True, slots=True, kw_only=True)
class ClassOnToday:
    row: ClassRow
    meetings: list[Meeting]
    current: int
    prep: PrepState | None
    running: bool


@dataclass(frozen=True, slots=True)
class Box:
    """A meeting of today on the strip; ``roomy`` says that all its words have room."""

    x: float
    width: float
    code: str
    topic: str
    times: str
    what: str
    address: str
    roomy: bool


@dataclass(frozen=True, slots=True)
class Mark:
    """Something due at a moment: words above or below the line."""

    x: float
    above: bool
    row: int
    time: str
    words: str
    more: str
    level: str
    address: str


@dataclass(frozen=True, slots=True)
class Strip:
    """The day from left to right, in drawing units; hours with their places, and where now is."""

    hours: list[tuple[float, str]]
    boxes: list[Box]
    marks: list[Mark]
    now_x: float
    now: str


@dataclass(frozen=True, slots=True, kw_only=True)
class TodayPage(Shell):
    now: datetime
    classes: list[ClassOnToday]
    front: Bench
    open_items: list[tuple[str, Bench, PageOnBoard]]
    strip: Strip
    said: str
    accidents: list[OpenAccident]


def _prep_of(
    conn: psycopg.Connection,
    account_id: int,
    row: ClassRow,
    meetings: list[Meeting],
    meeting: Meeting,
    kept: list[Kept],
) -> PrepState | None:
    """How far the prep of a meeting is, where its topic is a procedure's title."""
    chosen = procedures.about(kept, meeting.topic)
    if chosen is None:
        return None
    of = meeting_of(chosen.procedure, {m.number: m.topic for m in meetings}, meeting.number)
    keys = prep_sheet(chosen.procedure, of, max(1, row.benches)).keys
    done = prep.done_of(conn, account_id, row.id, meeting.number, chosen.id)
    left = [key.partition(" ")[2] or key for key in keys if key not in done]
    return PrepState(len(keys), len(keys) - len(left), ", ".join(left[:3]) + (" …" if len(left) > 3 else ""))


@dataclass(frozen=True, slots=True)
class _Span:
    """The part of a day that a strip shows, in the institution's own time."""

    starts: datetime
    ends: datetime
    zone: str

    @property
    def minutes(self) -> float:
        return (self.ends - self.starts) / timedelta(minutes=1)

    def x(self, moment: datetime) -> float:
        """Where a moment stands; what lies outside stands at an edge."""
        part = (moment - self.starts) / timedelta(minutes=1) / self.minutes
        return LEFT + (WIDTH - 2 * LEFT) * min(1.0, max(0.0, part))

    def time(self, moment: datetime) -> str:
        return clock(moment, self.zone)

    def hours(self) -> list[tuple[float, str]]:
        """Full hours, every second one on a long strip."""
        hour = self.starts.astimezone(ZoneInfo(self.zone)).replace(minute=0, second=0, microsecond=0)
        found: list[tuple[float, str]] = []
        while hour <= self.ends:
            if hour >= self.starts and len(found) < 30:
                found.append((self.x(hour), self.time(hour)))
            hour += timedelta(hours=1 if self.minutes <= 14 * 60 else 2)
        return found


def draw_day(
    now: datetime,
    zone: str,
    held: list[tuple[ClassRow, Meeting, PrepState | None]],
    due: list[AlarmAt],
) -> Strip:
    """Lay out today in the institution's own time.

    Args:
        held: the meetings of today. due: timers that ring today.
    """
    midnight = now.astimezone(ZoneInfo(zone)).replace(hour=0, minute=0, second=0, microsecond=0)
    tomorrow = midnight + timedelta(days=1)
    starts, ends = midnight + timedelta(hours=FIRST_HOUR), midnight + timedelta(hours=LAST_HOUR)
    due = [alarm for alarm in due if midnight <= alarm.due < tomorrow]
    moments = [now, *(m.starts_at for _, m, _ in held), *(m.ends_at for _, m, _ in held), *(a.due for a in due)]
    span = _Span(
        max(midnight, min(starts, min(moments) - timedelta(minutes=30))),
        min(tomorrow, max(ends, max(moments) + timedelta(minutes=30))),
        zone,
    )
    boxes = [_meeting_box(span, row, meeting) for row, meeting, _ in held]
    marks = [mark for row, meeting, state in held for mark in _prep_mark(span, now, row, meeting, state)]
    marks += _alarm_marks(span, now, held, due)
    return Strip(span.hours(), boxes, marks, span.x(now), span.time(now))


def _meeting_box(span: _Span, row: ClassRow, meeting: Meeting) -> Box:
    left, right = span.x(meeting.starts_at), span.x(meeting.ends_at)
    times = f"{span.time(meeting.starts_at)}–{span.time(meeting.ends_at)}"
    what = f"meeting {meeting.number} of {meeting.of}, {row.benches} benches"
    roomy = right - left >= BOX_NEEDS
    return Box(left, right - left, row.code, meeting.topic, times, what, f"/classes/{row.id}", roomy)


def _prep_mark(span: _Span, now: datetime, row: ClassRow, meeting: Meeting, state: PrepState | None) -> Iterator[Mark]:
    """What is not prepared yet, shortly before a meeting that is still to come."""
    if state is not None and state.done < state.of and meeting.starts_at > now:
        at = max(now, meeting.starts_at - timedelta(minutes=10))
        words = f"prep: {state.of - state.done} of {state.of} not prepared"
        address = f"/classes/{row.id}/prep?meeting={meeting.number}"
        yield Mark(span.x(at), True, 0, span.time(at), words, row.code, "caution", address)


def _alarm_marks(
    span: _Span, now: datetime, held: list[tuple[ClassRow, Meeting, PrepState | None]], due: list[AlarmAt]
) -> Iterator[Mark]:
    """Timers of a meeting are one mark under its box; the others stand each for itself."""
    alone = []
    within: dict[str, list[AlarmAt]] = {}
    for alarm in due:
        ringing_at = next((f"/classes/{row.id}" for row, m, _ in held if m.starts_at <= alarm.due <= m.ends_at), "")
        if ringing_at:
            within.setdefault(ringing_at, []).append(alarm)
        else:
            alone.append(alarm)
    for there, ringing in within.items():
        first = ringing[0]
        words = first.label if len(ringing) == 1 else f"{len(ringing)} timers, first {first.label}"
        level = "caution" if first.due < now else ""
        yield Mark(span.x(first.due), False, 0, span.time(first.due), words, first.where.lower(), level, there)
    for number, alarm in enumerate(alone):
        more = f"{alarm.class_code} {alarm.where.lower()}".strip()
        level = "caution" if alarm.due < now else ""
        # Neighbours would write over each other: they take turns above and below, then a row further out.
        above, further = number % 2 == 0, number // 2 % 2
        yield Mark(span.x(alarm.due), above, further, span.time(alarm.due), alarm.label, more, level, alarm.address)


@router.get("/")
@may(May.ANYBODY)
def today(request: Request, who: VisitorDep) -> Response:
    """What the day holds; a bench's tablet goes to its bench."""
    now = datetime.now(UTC)
    mine = who.account.id
    with pool(request).connection() as conn:
        if who.account.role == "bench":
            return RedirectResponse(f"/benches/{classes.bench_worked_at(conn, mine)}", status_code=303)
        kept = procedures.procedures_of(conn, mine)
        listed, asking, held = [], [], []
        zone = ZoneInfo(who.account.time_zone)
        for row in classes.classes_of(conn, mine):
            meetings = classes.meetings_of(conn, row.id)
            current = current_meeting(meetings, now)
            # What was held needs no prep any more.
            ahead = current if current is not None and current.ends_at > now else None
            state = _prep_of(conn, mine, row, meetings, ahead, kept) if ahead else None
            running = (
                current is not None and lab_log.open_book(conn, mine, row.id, current.number).day.state == "running"
            )
            listed.append(
                ClassOnToday(
                    row=row, meetings=meetings, current=current.number if current else 0, prep=state, running=running
                )
            )
            day = now.astimezone(zone).date()
            held += [
                (row, m, state if current and m.number == current.number else None)
                for m in meetings
                if m.starts_at.astimezone(zone).date() == day
            ]
            asking += [(row.code, *ask) for ask in needing(classes.benches_of(conn, row.id))]
        front = classes.front_bench(conn, mine)
        due = [alarm for alarm in lab_log.alarms_of(conn, mine) if alarm.due > now - timedelta(hours=2)]
        accidents = lab_log.open_accidents(conn, mine)
    asking.sort(key=lambda ask: SEVERITY[ask[2].summary.level or "good"])
    held.sort(key=lambda one: one[1].starts_at)
    strip = draw_day(now, who.account.time_zone, held, due)
    meets = f"{len(held)} {'meeting' if len(held) == 1 else 'meetings'}" if held else "no meeting"
    page = TodayPage(
        visitor=who,
        place="today",
        now=now,
        classes=listed,
        front=front,
        open_items=asking,
        strip=strip,
        said=f"{meets}, {len(due)} due",
        accidents=accidents,
    )
    return html("today.html", page)
