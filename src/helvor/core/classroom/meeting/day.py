"""A meeting's log, folded: whether it runs, waste, absences, what was noted.

Day 1. A meeting begins, may pause and go on, and ends; it may begin again, for a make-up hour.
Day 2. A dangerous pair of waste streams is refused before anything is written; another wrong
       bottle is written and flagged, for it has happened. Local rules decide what goes where.
Day 3. An accident is open until it is written what was done about it; an open one is shown on the board, on
       Today and in every later meeting, and no meeting ends silently over it.
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Mapping
from dataclasses import dataclass, field
from datetime import datetime, timedelta
from typing import Literal
from uuid import UUID

from helvor.core.classroom.meeting import entries as e
from helvor.core.quantities.reading import round_to
from helvor.core.record.entry import Entry, Line, Payload, Problem, Struck, corrected_line, lines
from helvor.core.record.finding import Finding, by_severity
from helvor.core.record.step_kinds import WASTE, never_together, wrong_bottle
from helvor.core.record.worksheet import Alarm

State = Literal["planned", "running", "paused", "over"]
WORDS: dict[State, str] = {"planned": "not started", "running": "running", "paused": "paused", "over": "over"}
MOST_NOTICES = 5


@dataclass(frozen=True, slots=True)
class Away:
    """Somebody who is not there, and whether they caught up."""

    line: Line
    absent: e.Absent
    caught_up: bool


@dataclass(frozen=True, slots=True)
class Stay:
    """What stays over somewhere; ``out`` when it was taken out."""

    line: Line
    stays: e.StaysOver
    out: datetime | None


@dataclass(frozen=True, slots=True)
class InBottle:
    """A waste stream's total: mL of liquid, g of solid."""

    stream: str
    ml: float = 0.0
    g: float = 0.0

    @property
    def words(self) -> str:
        """The stream as people call it."""
        return WASTE[self.stream]

    @property
    def shown(self) -> str:
        """``420 mL`` or ``420 mL and 3.2 g``."""
        parts = [f"{round_to(self.ml, 0)} mL"] if self.ml else []
        parts += [f"{round_to(self.g, 1)} g"] if self.g else []
        return " and ".join(parts) or "nothing yet"


@dataclass(slots=True)
class Day:
    """What the standing entries of a log add up to.

    Attributes:
        began, ended: the first beginning and the last end, None before.
        rested: time spent in pauses that are over.
        since: when the present state began.
        alarms: timers of the room that run.
        settled: accident → what was written later that was done about it.
        log: every standing line but those of state, notices and timers, oldest first.
    """

    state: State = "planned"
    began: datetime | None = None
    ended: datetime | None = None
    since: datetime | None = None
    rested: timedelta = timedelta(0)
    pause: str = ""
    ending: e.Ended | None = None
    notices: list[tuple[Line, e.Said]] = field(default_factory=list)
    away: list[Away] = field(default_factory=list)
    stays: list[Stay] = field(default_factory=list)
    alarms: list[Alarm] = field(default_factory=list)
    waste: dict[str, InBottle] = field(default_factory=dict)
    log: list[Line] = field(default_factory=list)
    lines: list[Line] = field(default_factory=list)
    settled: dict[UUID, str] = field(default_factory=dict)

    @property
    def accidents(self) -> list[tuple[Line, e.Happened]]:
        """Accidents of which nothing is written yet that was done about them (Day 3), oldest first."""
        found = []
        for line in self.of("happened"):
            happened = line.head.payload
            assert isinstance(happened, e.Happened)
            if not happened.done and line.root.id not in self.settled:
                found.append((line, happened))
        return found

    def of(self, kind: str) -> list[Line]:
        """The standing lines of one kind."""
        return [line for line in self.log if line.head.payload.kind == kind]

    def worked(self, now: datetime) -> timedelta:
        """How long the class has worked: since it began, without pauses."""
        if self.began is None:
            return timedelta(0)
        until = self.since if self.state in ("paused", "over") and self.since else now
        return max(timedelta(0), until - self.began - self.rested)


@dataclass(slots=True)
class _Loose:
    """What is put together at the end, when all that settles it has been read."""

    timers: list[tuple[Line, e.RoomTimer]] = field(default_factory=list)
    stopped: set[UUID] = field(default_factory=set)
    stays: list[tuple[Line, e.StaysOver]] = field(default_factory=list)
    out: dict[UUID, datetime] = field(default_factory=dict)
    away: list[tuple[Line, e.Absent]] = field(default_factory=list)
    made_up: set[UUID] = field(default_factory=set)


def _turn(day: Day, payload: Payload, at: datetime) -> bool:
    """Start, pause and end of the meeting; False where the entry is none of these."""
    if not isinstance(payload, e.Began | e.Paused | e.WentOn | e.Ended):
        return False
    resting_since = day.since if day.state == "paused" else None
    match payload:
        case e.Began():
            if day.state == "over" and day.ended is not None:
                day.rested += at - day.ended
            day.state, day.since, day.ended, day.ending = "running", at, None, None
            day.began = day.began or at
        case e.Paused(why=why) if day.state == "running":
            day.state, day.since, day.pause = "paused", at, why
        case e.WentOn() if resting_since is not None:
            day.rested += at - resting_since
            day.state, day.since, day.pause = "running", at, ""
        case e.Ended() as ending:
            if resting_since is not None:
                day.rested += at - resting_since
            day.state, day.since, day.ended, day.ending, day.pause = "over", at, at, ending, ""
    return True


def _note(day: Day, loose: _Loose, line: Line) -> None:
    """Everything else that a log holds."""
    match line.head.payload:
        case e.Said() as said:
            day.notices.append((line, said))
        case e.CaughtUp(absence=key):
            loose.made_up.add(key)
        case e.TakenOut(stay=key):
            loose.out[key] = line.root.happened
        case e.Settled(accident=key, done=done):
            day.settled[key] = done
        case e.RoomTimer() as timer:
            loose.timers.append((line, timer))
        case e.RoomTimerStopped(timer=key):
            loose.stopped.add(key)
        case Struck():
            pass
        case payload:
            day.log.append(line)
            if isinstance(payload, e.Absent):
                loose.away.append((line, payload))
            elif isinstance(payload, e.StaysOver):
                loose.stays.append((line, payload))
            elif isinstance(payload, e.Wasted):
                _pour(day.waste, payload)


def gather(book: Iterable[Entry]) -> Day:
    """Fold a meeting's log."""
    day, loose = Day(lines=lines(book)), _Loose()
    for line in day.lines:
        if not _turn(day, line.head.payload, line.root.happened):
            _note(day, loose, line)
        elif isinstance(line.head.payload, e.Ended):
            # What was said and timed for the meeting ends with it, also if it begins again.
            day.notices = []
            loose.timers.clear()
    day.alarms = [
        Alarm(timer.label, line.root.happened + timedelta(minutes=timer.minutes), str(line.root.id))
        for line, timer in loose.timers
        if line.root.id not in loose.stopped
    ]
    day.away = [Away(line, absent, line.root.id in loose.made_up) for line, absent in loose.away]
    day.stays = [Stay(line, stay, loose.out.get(line.root.id)) for line, stay in loose.stays]
    return day


def _pour(waste: dict[str, InBottle], wasted: e.Wasted) -> None:
    known = waste.get(wasted.bottle, InBottle(wasted.bottle))
    if wasted.amount.unit == "g":
        waste[wasted.bottle] = InBottle(known.stream, known.ml, known.g + wasted.amount.value)
    else:
        waste[wasted.bottle] = InBottle(known.stream, known.ml + wasted.amount.value, known.g)


def check(day: Day, payload: Payload, strikes: UUID | None, benches: int) -> None:
    """Refuse what the meeting's log as it stands cannot hold.

    Raises:
        Problem: with the field and one sentence.
    """
    line = corrected_line(day.lines, payload, strikes)
    if line is not None and isinstance(line.root.payload, e.Began | e.Paused | e.WentOn | e.Ended):
        raise Problem("strikes", "Start, pause and end times cannot be changed.")
    bench = getattr(payload, "bench", None)
    if bench is not None and bench > benches:
        raise Problem("bench", f"There is no bench {bench}: enter 1 to {benches}.")
    if isinstance(payload, e.Wasted):
        _refuse_danger(payload)
    _refuse_out_of_turn(day, payload)
    _refuse_unknown(day, payload)
    if isinstance(payload, e.Said) and strikes is None and len(day.notices) >= MOST_NOTICES:
        raise Problem("words", f"{MOST_NOTICES} messages are shown already: remove one first.")


def _refuse_out_of_turn(day: Day, payload: Payload) -> None:
    """What the meeting's state does not allow."""
    match payload:
        case e.Began() if day.state in ("running", "paused"):
            raise Problem("kind", "The meeting has already started.")
        case e.Paused() if day.state != "running":
            raise Problem("kind", "The meeting is not running, so it cannot be paused.")
        case e.WentOn() if day.state != "paused":
            raise Problem("kind", "The meeting is not paused.")
        case e.Ended() if day.state not in ("running", "paused"):
            raise Problem("kind", "The meeting is not running, so it cannot be ended.")
        case e.Said() if day.state == "over":
            raise Problem("words", "The meeting is over, so no bench would see the message.")
        case _:
            return


def _refuse_unknown(day: Day, payload: Payload) -> None:
    """An entry about another that is not in this log."""
    match payload:
        case e.CaughtUp(absence=key):
            there, field_, what = {away.line.root.id for away in day.away}, "absence", "absence"
        case e.TakenOut(stay=key):
            there, field_, what = {stay.line.root.id for stay in day.stays}, "stay", "entry"
        case e.Settled(accident=key):
            there, field_, what = {line.root.id for line in day.of("happened")}, "accident", "accident"
        case e.RoomTimerStopped(timer=key):
            if str(key) not in {alarm.key for alarm in day.alarms}:
                raise Problem("timer", "That timer is not running.")
            return
        case _:
            return
    if key not in there:
        raise Problem(field_, f"That {what} is not in this meeting's log.")


def _refuse_danger(wasted: e.Wasted) -> None:
    """Waste that must never go into that bottle."""
    why = never_together(wasted.bottle, wasted.matter)
    if why:
        happened = "call the person responsible, and record it as an accident."
        if "oxidizing" in (wasted.bottle, wasted.matter):
            happened = f"do not stopper the bottle, keep away from it, {happened}"
        raise Problem(
            "bottle",
            f"Never put {WASTE[wasted.matter]} into {WASTE[wasted.bottle]}: {why}. If it has happened, {happened}",
        )


def where_and_what(happened: e.Happened) -> str:
    """``Bench 4: a cut``; of the room where no bench is named."""
    return f"{f'Bench {happened.bench}' if happened.bench else 'In the room'}: {happened.what}"


def check_meeting(day: Day, expected: Mapping[str, float]) -> list[Finding]:
    """What the meeting's log shows, the most serious first.

    Args:
        expected: mL that were expected of each stream.
    """
    found = [*_open_accidents(day), *_wrong_bottles(day), *_more_waste(day, expected)]
    if day.state == "over":
        found += _less_waste(day, expected)
    return by_severity(found)


def _open_accidents(day: Day) -> Iterator[Finding]:
    """Accidents of which nothing is written that was done about them."""
    for line, happened in day.accidents:
        yield Finding(
            "open-accident",
            "stop",
            where_and_what(happened),
            "The action taken is not recorded yet.",
            "Local rules and a qualified person decide; then record what was done.",
            str(line.root.id),
        )


def _wrong_bottles(day: Day) -> Iterator[Finding]:
    """Waste in another bottle than its own."""
    for line in day.of("wasted"):
        wasted = line.head.payload
        assert isinstance(wasted, e.Wasted)
        wrong = wrong_bottle(wasted.bottle, wasted.matter)
        if wrong is None and (wasted.bottle == wasted.matter or wasted.matter in ("sink", "bin")):
            continue
        because = "Disposal depends on the contents, and the label no longer matches."
        yield Finding(
            "wrong-bottle",
            wrong.level if wrong is not None else "caution",
            f"{wasted.amount} of {WASTE[wasted.matter]} went into “{WASTE[wasted.bottle]}”",
            f"{wrong.why[0].upper()}{wrong.why[1:]}." if wrong is not None else because,
            "Write it on the bottle's label and tell the person who collects it.",
            str(line.root.id),
        )


def _more_waste(day: Day, expected: Mapping[str, float]) -> Iterator[Finding]:
    """Far more in a bottle than was expected of its stream."""
    for stream, total in day.waste.items():
        due = expected.get(stream, 0.0)
        if due > 0 and total.ml > 1.5 * due:
            yield Finding(
                "more-waste",
                "note",
                f"{total.words}: {round_to(total.ml, 0)} mL; expected {round_to(due, 0)} mL",
                "Possible reasons: more washes, a spill, or another stream in the bottle. Find out which.",
                about=stream,
            )


def _less_waste(day: Day, expected: Mapping[str, float]) -> Iterator[Finding]:
    """Far less in a bottle at the end than was expected of its stream."""
    for stream, due in expected.items():
        got = day.waste[stream].ml if stream in day.waste else 0.0
        if due >= 20 and got < 0.5 * due:
            yield Finding(
                "less-waste",
                "caution",
                f"{WASTE[stream]}: only {round_to(got, 0)} of {round_to(due, 0)} mL was returned",
                "The rest went down a sink, into another bottle, or was not recorded.",
                "Find out where the rest went.",
                stream,
            )
