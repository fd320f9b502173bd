"""A meeting's log in words, and its forms."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from functools import singledispatch
from uuid import UUID, uuid4

from helvor.core.classroom.meeting import entries as e
from helvor.core.record.entry import Line, Payload, Struck
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
