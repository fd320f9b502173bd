"""A meeting's log in words, and its forms."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from functools import singledispatch
from uuid import UUID, uuid4

from helvor.core.classroom.meeting import entries as e
from helvor.core.record.entry import Line, Payload, Struck
from helvor.core.record.step_kinds import WASTE
from helvor.notebook.page_errors import NotYours
from helvor.web.forms import Form


def in_words(line: Line) -> str:
    """An entry of the meeting's log in the words of the room."""
    said = line.head.payload
    bench = getattr(said, "bench", None)
    return f"{f'Bench {bench}: ' if bench else ''}{_in_words(said)}"


def _with(words: str, text: str) -> str:
    """Words put before a text; nothing where there is no text."""
    return f"{words}{text}" if text else ""


def _times(what: str, count: int) -> str:
    return f"{what} × {count}" if count > 1 else what


@singledispatch
def _in_words(said: Payload) -> str:
    """One function a kind of entry."""
    return "struck out"


@_in_words.register
def _(said: e.Began) -> str:
    return "Meeting started"


@_in_words.register
def _(said: e.Paused) -> str:
    return f"Paused{_with(': ', said.why)}"


@_in_words.register
def _(said: e.WentOn) -> str:
    return "Resumed"


@_in_words.register
def _(said: e.Ended) -> str:
    over = [f"{len(said.left)} containers unlabelled"] if said.left else []
    over += [f"{len(said.accidents)} accident{'s' if len(said.accidents) > 1 else ''} open"] if said.accidents else []
    return "Meeting ended" + (f" with {' and '.join(over)}: {said.why}" if over else "")


@_in_words.register
def _(said: e.Settled) -> str:
    return f"Action after an accident: {said.done}"


@_in_words.register
def _(said: e.Said) -> str:
    return f"To all benches: {said.words}"


@_in_words.register
def _(said: e.Happened) -> str:
    return f"Accident, {said.what}{_with('; ', said.done)}"


@_in_words.register
def _(said: e.Broke) -> str:
    return f"Broke: {_times(said.what, said.count)}"


@_in_words.register
def _(said: e.Absent) -> str:
    day = said.makes_up
    return f"{said.who or 'the pair'} absent" + (f", make-up meeting on {day.day} {day:%b}" if day else "")


@_in_words.register
def _(said: e.CaughtUp) -> str:
    return "An absence was made up"


@_in_words.register
def _(said: e.Wasted) -> str:
    bottle = WASTE[said.bottle]
    into = bottle if said.bottle == said.matter else f"{bottle}, although it is {WASTE[said.matter]}"
    return f"Waste, {said.amount}{_with(' of ', said.what)} into {into}"


@_in_words.register
def _(said: e.Returned) -> str:
    return f"Returned: {_times(said.what, said.count)}"


@_in_words.register
def _(said: e.Remains) -> str:
    return f"Left for next time: {said.amount} of {said.what}{_with(', ', said.place)}"


@_in_words.register
def _(said: e.StaysOver) -> str:
    return f"{said.what} left in the {said.place}" + (f" at {said.celsius:g} °C" if said.celsius is not None else "")


@_in_words.register
def _(said: e.TakenOut) -> str:
    return "Taken out of storage"


@_in_words.register
def _(said: e.RoomTimer) -> str:
    return f"Timer, {said.label}, {said.minutes:g} min"


@_in_words.register
def _(said: e.RoomTimerStopped) -> str:
    return "A timer was stopped"


@_in_words.register
def _(said: e.TabletOpened) -> str:
    how = "opened by" if said.how == "opened" else "given"
    return f"{how} the tablet of bench {said.before}"


def _words(form: Form, name: str) -> str:
    text = form.text(name)
    if len(text) < 2:
        form.errors[name] = "Enter a few words."
    return text


def _minutes(form: Form) -> float | None:
    minutes = form.number("minutes")
    if minutes is None:
        form.errors.setdefault("minutes", "Enter the minutes, such as 20.")
    return minutes


@dataclass(frozen=True, slots=True)
class _Asked:
    """A form of the meeting's log, and what would be left open if the meeting ended now."""

    form: Form
    loose: tuple[str, ...]
    accidents: tuple[str, ...]

    @property
    def bench(self) -> int | None:
        return self.form.whole("bench")

    @property
    def about(self) -> UUID:
        """The entry that this one is about; an unknown one where none is named."""
        return self.form.id("about") or uuid4()


def _ended(asked: _Asked) -> Payload:
    return asked.form.build(e.Ended, left=asked.loose, accidents=asked.accidents, why=asked.form.text("why"))


def _settled(asked: _Asked) -> Payload:
    form = asked.form
    if len(form.text("done")) < 2:
        form.errors["done"] = "Enter what was done."
    return form.build(e.Settled, accident=asked.about, done=form.text("done"))


def _happened(asked: _Asked) -> Payload:
    form = asked.form
    return form.build(e.Happened, bench=asked.bench, what=_words(form, "what"), done=form.text("done"))


def _counted(model: type[Payload]) -> Callable[[_Asked], Payload]:
    """What broke or came back, and how many of it."""

    def build(asked: _Asked) -> Payload:
        form = asked.form
        return form.build(model, bench=asked.bench, what=_words(form, "what"), count=form.whole("count") or 1)

    return build


def _absent(asked: _Asked) -> Payload:
    form, bench = asked.form, asked.bench
    if bench is None:
        form.errors.setdefault("bench", "Enter the bench number.")
    return form.build(e.Absent, bench=bench, who=form.text("who"), makes_up=form.text("makes_up") or None)


def _wasted(asked: _Asked) -> Payload:
    form, bottle = asked.form, asked.form.text("bottle")
    amount = form.amount("amount", required=True)
    matter, what = form.text("matter") or bottle, form.text("waste")
    return form.build(e.Wasted, bench=asked.bench, bottle=bottle, matter=matter, amount=amount, what=what)


def _remains(asked: _Asked) -> Payload:
    form = asked.form
    amount = form.amount("amount", required=True)
    return form.build(e.Remains, what=_words(form, "what"), amount=amount, place=form.text("place"))


def _stays_over(asked: _Asked) -> Payload:
    form = asked.form
    what, place, celsius = _words(form, "what"), _words(form, "place"), form.number("celsius")
    return form.build(e.StaysOver, bench=asked.bench, what=what, place=place, celsius=celsius)


def _timer(asked: _Asked) -> Payload:
    return asked.form.build(e.RoomTimer, label=_words(asked.form, "label"), minutes=_minutes(asked.form))


FORMS: dict[str, Callable[[_Asked], Payload]] = {
    "began": lambda asked: e.Began(),
    "went-on": lambda asked: e.WentOn(),
    "struck": lambda asked: Struck(),
    "paused": lambda asked: asked.form.build(e.Paused, why=asked.form.text("why")),
    "ended": _ended,
    "settled": _settled,
    "said": lambda asked: asked.form.build(e.Said, words=_words(asked.form, "words")),
    "happened": _happened,
    "broke": _counted(e.Broke),
    "absent": _absent,
    "wasted": _wasted,
    "returned": _counted(e.Returned),
    "remains": _remains,
    "stays-over": _stays_over,
    "room-timer": _timer,
    "caught-up": lambda asked: e.CaughtUp(absence=asked.about),
    "taken-out": lambda asked: e.TakenOut(stay=asked.about),
    "room-timer-stopped": lambda asked: e.RoomTimerStopped(timer=asked.about),
}
"""Kind of entry → how it is made of what stands in its form."""


def payload_of(kind: str, form: Form, loose: list[str], accidents: list[str]) -> Payload:
    """What a form of the meeting's log says.

    Raises:
        FieldErrors: with one sentence a field.
    """
    if kind not in FORMS:
        raise NotYours
    return FORMS[kind](_Asked(form, tuple(loose), tuple(accidents)))
