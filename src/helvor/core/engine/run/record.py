"""A run on record: what the standing entries of its page add up to."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass, field
from datetime import datetime, timedelta
from functools import cached_property
from typing import TypeVar
from uuid import UUID

from helvor.core.engine.run import entries as e
from helvor.core.record.answer import Answered
from helvor.core.record.entry import Acknowledged, Entry, Line, Payload, Problem, Struck, corrected_line, lines
from helvor.core.record.procedure import Portion, Procedure, Step, Substance, same
from helvor.core.record.remembered import remembered

_Said = TypeVar("_Said", bound=Payload)

BLANK = Procedure(title="Run without a procedure")
MAX_STEPS = 120
MOST_ADDED = 12
"""Substances that one step can add."""


@dataclass(frozen=True, slots=True)
class Stands:
    """A standing entry with the line of ink it heads."""

    line: Line

    @property
    def key(self) -> UUID:
        """Names the reading for good."""
        return self.line.root.id

    @property
    def entry(self) -> Entry:
        return self.line.head


@dataclass(frozen=True, slots=True)
class WeighedOn(Stands):
    """A weighing that stands."""

    weighed: e.Weighed


@dataclass(frozen=True, slots=True)
class TakenOn(Stands):
    """An amount taken that stands."""

    taken: e.Taken


@dataclass(frozen=True, slots=True)
class TimerOn(Stands):
    """A timer that stands, and the entry that stopped it, if one did."""

    timer: e.TimerSet
    stopped: Entry | None

    @property
    def due(self) -> datetime:
        """When it goes off: its minutes after it was written."""
        return self.line.root.happened + timedelta(minutes=self.timer.minutes)


@dataclass
class Run:
    """What the standing entries of a run add up to; once gathered it is only read.

    Attributes:
        procedure: what is followed, with the steps, substances and words added on the way.
        done: step id → how many times it was done; skipped: step id → why.
        instead: step id and kit in lower case → what was used in its place.
        checked: step id → the checks seen to.
        answers: question → what the bench answered itself.
        other: lines of the techniques' own kinds of entry; see :meth:`of`.
    """

    procedure: Procedure = BLANK
    following: e.Following | None = None
    lines: list[Line] = field(default_factory=list)
    weighings: list[WeighedOn] = field(default_factory=list)
    taken: list[TakenOn] = field(default_factory=list)
    volumes: list[tuple[Line, e.VolumeRead]] = field(default_factory=list)
    notes: list[tuple[Line, e.Noted]] = field(default_factory=list)
    attached: list[tuple[Line, e.Attached]] = field(default_factory=list)
    timers: list[TimerOn] = field(default_factory=list)
    corrections: dict[str, e.HandoutCorrected] = field(default_factory=dict)
    borrowed: dict[str, e.Borrowed] = field(default_factory=dict)
    late: e.Late | None = None
    instead: dict[tuple[str, str], tuple[Line, e.UsedInstead]] = field(default_factory=dict)
    checked: dict[str, frozenset[str]] = field(default_factory=dict)
    tried: list[tuple[Line, e.Tried]] = field(default_factory=list)
    answers: dict[str, Answered] = field(default_factory=dict)
    other: list[Line] = field(default_factory=list)
    done: dict[str, int] = field(default_factory=dict)
    skipped: dict[str, str] = field(default_factory=dict)
    acknowledged: dict[tuple[str, str, str], str] = field(default_factory=dict)

    def of(self, kind: type[_Said]) -> list[tuple[Line, _Said]]:
        """The standing entries of a technique's kind, with their lines."""
        return [(line, line.head.payload) for line in self.other if isinstance(line.head.payload, kind)]

    @property
    def is_blank(self) -> bool:
        """Whether no written procedure is followed."""
        return self.following is None

    @property
    def next_step(self) -> Step | None:
        """The first step that is neither done nor left out."""
        return next((s for s in self.procedure.steps if s.id not in self.done and s.id not in self.skipped), None)

    @cached_property
    def portion_names(self) -> list[str]:
        """Every portion named in a step or in a weighing, in the order of appearance."""
        names: dict[str, str] = {}
        for name in self.procedure.portion_names:
            names.setdefault(name.casefold(), name)
        for on in self.weighings:
            if on.weighed.portion:
                names.setdefault(on.weighed.portion.casefold(), on.weighed.portion)
        return list(names.values())

    @cached_property
    def containers(self) -> list[str]:
        """Every container label, in the order of appearance."""
        names: dict[str, str] = {}
        for step in self.procedure.steps:
            for label in step.container:
                names.setdefault(label.casefold(), label)
        for on in self.weighings:
            for label in on.weighed.container:
                names.setdefault(label.casefold(), label)
        return list(names.values())

    def next_round(self, weighed_in: Iterable[str], portion: str) -> int:
        """The number that the next drying of a portion in a container has."""
        pan = frozenset(label.casefold() for label in weighed_in)
        rounds = [
            on.weighed.round or 0
            for on in self.weighings
            if on.weighed.state == "dried" and on.weighed.pan == pan and same(on.weighed.portion, portion)
        ]
        return max(rounds, default=0) + 1


@dataclass(slots=True)
class _Loose:
    """What is put together at the end, when every line has been read."""

    steps: list[e.StepAdded] = field(default_factory=list)
    substances: list[Substance] = field(default_factory=list)
    portions: list[Portion] = field(default_factory=list)
    timers: list[tuple[Line, e.TimerSet]] = field(default_factory=list)
    stopped: dict[UUID, Entry] = field(default_factory=dict)


def _is_reading(run: Run, line: Line) -> bool:
    """Take a reading in; False where the line is something else. The commonest kinds come first."""
    match line.head.payload:
        case e.Weighed() as weighed:
            run.weighings.append(WeighedOn(line, weighed))
        case e.Taken() as taken:
            run.taken.append(TakenOn(line, taken))
        case e.VolumeRead() as volume:
            run.volumes.append((line, volume))
        case e.Noted() as noted:
            run.notes.append((line, noted))
        case e.Attached() as attached:
            run.attached.append((line, attached))
        case e.Tried() as tried:
            run.tried.append((line, tried))
        case _:
            return False
    return True


def _is_plan(run: Run, loose: _Loose, line: Line) -> bool:
    """Take in what changes the procedure of the run; False where the line is something else."""
    match line.head.payload:
        case e.Following() as following:
            run.following, run.procedure = following, following.procedure
        case e.StepAdded() as added:
            loose.steps.append(added)
        case e.SubstanceAdded(substance=substance):
            loose.substances.append(substance)
        case e.PortionSaid(portion=portion):
            loose.portions.append(portion)
        case e.HandoutCorrected() as correction:
            run.corrections[correction.step] = correction
        case _:
            return False
    return True


def _follow(run: Run, loose: _Loose, line: Line) -> None:
    """Take in what happened to the steps, and everything that a technique writes."""
    match line.head.payload:
        case e.Marked(step=step, how="done"):
            run.done[step] = run.done.get(step, 0) + 1
        case e.Marked(step=step, why=why):
            run.skipped[step] = why
        case e.TimerSet() as timer:
            loose.timers.append((line, timer))
        case e.TimerStopped(timer=key):
            loose.stopped[key] = line.head
        case e.Borrowed() as borrowed:
            run.borrowed[borrowed.portion.casefold()] = borrowed
        case e.UsedInstead() as other:
            run.instead[other.step, other.kit.casefold()] = line, other
        case e.Late() as late:
            run.late = late
        case e.Checked(step=step, checks=checks):
            run.checked[step] = frozenset(checks)
        case Answered() as answered:
            run.answers[answered.question] = answered
        case Acknowledged() as seen:
            run.acknowledged[seen.code, seen.about, seen.what] = seen.why
        case Struck():
            pass
        case _:
            run.other.append(line)


@remembered(most=64)
def gather(page: Iterable[Entry]) -> Run:
    """Fold the entries of a page into the run they describe."""
    run, loose = Run(), _Loose()
    run.lines = lines(page)
    for line in run.lines:
        if not _is_reading(run, line) and not _is_plan(run, loose, line):
            _follow(run, loose, line)
    run.timers = [TimerOn(line, timer, loose.stopped.get(line.root.id)) for line, timer in loose.timers]
    for step_id in run.done:
        run.skipped.pop(step_id, None)
    if loose.steps or loose.substances or loose.portions or run.corrections:
        run.procedure = _with(run.procedure, loose.steps, loose.substances, loose.portions, run.corrections)
    run.procedure = _taken_in_steps(run.procedure, run.taken)
    return run


def _taken_in_steps(procedure: Procedure, taken: list[TakenOn]) -> Procedure:
    """What was taken beside a step and stands in no step goes in there; what is not known as a substance does not."""
    planned = {name.casefold() for step in procedure.steps for name in step.adds}
    more: dict[str, list[str]] = {}
    for on in taken:
        substance = procedure.substance(on.taken.substance)
        if on.taken.step and substance is not None and substance.name.casefold() not in planned:
            names = more.setdefault(on.taken.step, [])
            if substance.name not in names and len(names) < MOST_ADDED:
                names.append(substance.name)
    if not more:
        return procedure
    steps = [
        step.model_copy(update={"adds": (*step.adds, *more[step.id])[:MOST_ADDED]}) if step.id in more else step
        for step in procedure.steps
    ]
    return procedure.model_copy(update={"steps": tuple(steps)})


def _with(
    procedure: Procedure,
    steps: list[e.StepAdded],
    substances: list[Substance],
    portions: list[Portion],
    corrections: dict[str, e.HandoutCorrected],
) -> Procedure:
    ordered = list(procedure.steps)
    for added in steps:
        place = next((i for i, step in enumerate(ordered) if step.id == added.after), len(ordered) - 1)
        ordered.insert(place + 1, added.step)
    ordered = [
        step.model_copy(update={"says": corrections[step.id].says}) if step.id in corrections else step
        for step in ordered
    ]
    # What is said later of the same name takes the place of what was said before.
    by_name = {part.name.casefold(): part for part in (*procedure.substances, *substances)}
    about = {part.name.casefold(): part for part in (*procedure.portions, *portions)}
    return procedure.model_copy(
        update={
            "steps": tuple(ordered),
            "substances": tuple(by_name.values()),
            "portions": tuple(about.values()),
        }
    )


def standing_twin(run: Run, payload: Payload) -> UUID | None:
    """The entry that *payload* takes the place of when only one may stand, or None."""

    def newest(kind: str, **same_fields: object) -> UUID | None:
        for line in reversed(run.lines):
            head = line.head.payload
            if head.kind == kind and all(getattr(head, name) == value for name, value in same_fields.items()):
                return line.head.id
        return None

    match payload:
        case e.Following() | e.Late():
            return newest(payload.kind)
        case e.HandoutCorrected(step=step):
            return newest(payload.kind, step=step)
        case e.Marked(how="skipped", step=step):
            return newest(payload.kind, step=step, how="skipped")
        case e.Borrowed(portion=portion):
            return newest(payload.kind, portion=portion)
        case e.Checked(step=step):
            return newest(payload.kind, step=step)
        case e.UsedInstead(step=step, kit=kit):
            return newest(payload.kind, step=step, kit=kit)
        case e.TimerStopped(timer=timer):
            return newest(payload.kind, timer=timer)
        case Answered(question=question):
            return newest(payload.kind, question=question)
        case Acknowledged(code=code, about=about):
            return newest(payload.kind, code=code, about=about)
        case e.Weighed(state="dried" | "as is") as weighed:
            # Weighed once more in the same state it takes the place of the reading before: one counts.
            return next(
                (
                    on.line.head.id
                    for on in run.weighings
                    if on.weighed.state == weighed.state
                    and on.weighed.round == weighed.round
                    and on.weighed.pan == weighed.pan
                    and same(on.weighed.portion, weighed.portion)
                ),
                None,
            )
    return None


def check(run: Run, payload: Payload, strikes: UUID | None) -> None:
    """Refuse an entry that the run as it stands cannot hold.

    Raises:
        Problem: with the field and one sentence.
    """
    corrected_line(run.lines, payload, strikes)
    match payload:
        case e.Marked(step=step) | e.HandoutCorrected(step=step):
            if run.procedure.step(step) is None:
                raise Problem("step", "That step is not in this run.")
        case e.StepAdded(step=added, after=after):
            if strikes is None and run.procedure.step(added.id) is not None:
                raise Problem("step", "A step with this id exists already.")
            if strikes is None and len(run.procedure.steps) >= MAX_STEPS:
                raise Problem("step", f"This run has {MAX_STEPS} steps, the limit.")
            if after and run.procedure.step(after) is None:
                raise Problem("after", "The step it should come after is not in this run.")
        case e.TimerStopped(timer=key):
            if all(on.key != key for on in run.timers):
                raise Problem("timer", "That timer is not in this run.")
        case _:
            step = getattr(payload, "step", "")
            if step and run.procedure.step(step) is None:
                raise Problem("step", "That step is not in this run.")
