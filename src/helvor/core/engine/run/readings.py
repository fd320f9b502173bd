"""Every reading of a run as rows of one table, whatever technique it belongs to.

Readings 1. What stands is in the table: a corrected reading as corrected, a struck one not at all.
Readings 2. A reading of several numbers has a row for each; a trial or something seen has its outcome in words.
Readings 3. A technique says what its own kinds of entry hold (``Technique.figures``); nothing else knows them.
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from datetime import datetime

from helvor.core.engine.figure import Figure, figure_of, outcome, value_of
from helvor.core.engine.run import entries as e
from helvor.core.engine.run.record import Run
from helvor.core.engine.technique import Techniques
from helvor.core.record.entry import Payload
from helvor.core.record.procedure import without_braces


@dataclass(frozen=True, slots=True)
class ReadingRow:
    """One figure with where, when and by whom it was read.

    Attributes:
        step: number of the step in the procedure; None where the entry names none.
        kind: the kind of entry: ``melting-seen``.
        estimated: it was judged, not read.
        at: when it was written; typed: when it was read on a device that was offline then.
    """

    step: int | None
    kind: str
    figure: Figure
    estimated: bool
    by: str
    at: datetime
    typed: datetime | None


def readings(run: Run, techniques: Techniques) -> Iterator[ReadingRow]:
    """The rows of a run's readings, in the order of writing."""
    numbers = {step.id: number_ for number_, step in enumerate(run.procedure.steps, start=1)}
    for line in run.lines:
        if not line.stands:
            continue
        said, written = line.head.payload, line.head
        step = numbers.get(getattr(said, "step", "") or "")
        for figure in figures(said, run, techniques):
            yield ReadingRow(
                step,
                said.kind,
                figure,
                bool(getattr(said, "estimated", False)),
                written.by,
                written.at,
                written.typed.at if written.typed is not None else None,
            )


def figures(said: Payload, run: Run, techniques: Techniques) -> tuple[Figure, ...]:
    """What an entry holds; nothing for one that is no reading."""
    match said:
        case e.Weighed() as w:
            state = f"{e.STATES[w.state]}{f' {w.round}' if w.round else ''}"
            what = f"{w.name} with {w.portion}" if w.portion else w.name
            warm = ", warm" if w.hot else ""
            net = ", tare button" if w.way == "net" else ""
            return (Figure("mass", w.mass.value, w.mass.unit, w.step_g, f"{state}{net}{warm}", what),)
        case e.Taken() as t:
            of = t.instead or t.substance
            held = (*figure_of("before", t.before, of), *figure_of("after", t.after, of))
            return (*figure_of("taken", t.amount, of, t.glass), *held)
        case e.VolumeRead() as v:
            return figure_of("volume", v.volume, v.portion, v.glass)
        case e.Noted() as n:
            seen = ", ".join(part for part in (n.words, *n.picks) if part)
            return (*value_of("temperature", n.celsius, "°C"), *outcome("observation", seen))
        case e.Tried() as t:
            return outcome("trial", _of_trial(t, techniques))
        case e.Checked() as c:
            return outcome("set-up checked", _of_checks(c, run, techniques))
        case e.Marked() as m:
            return outcome("step", "done" if m.how == "done" else f"skipped: {m.why}")
        case e.UsedInstead() as u:
            return outcome("kit", f"{u.instead} instead of {u.kit}")
        case e.HandoutCorrected() as h:
            return outcome("handout corrected", without_braces(h.says))
        case e.Borrowed() as b:
            return outcome("continues with another bench's", b.source, b.portion)
        case e.TimerSet() as t:
            return value_of("timer", t.minutes, "min", t.label)
    return techniques.figures(said)


def _of_trial(said: e.Tried, techniques: Techniques) -> str:
    known = (trial for kind in techniques.kinds for trial in techniques.trials(kind))
    trial = next((one for one in known if one.key == said.trial), None)
    words = (trial.passed if said.passed else trial.failed) if trial else "passed" if said.passed else "failed"
    return f"{words}, {said.words}" if said.words else words


def _of_checks(said: e.Checked, run: Run, techniques: Techniques) -> str:
    step = run.procedure.step(said.step)
    checks = techniques.checks(step.kind) if step else ()
    words = {check.key: techniques.in_words(check, None).words for check in checks}
    return "; ".join(dict.fromkeys(words[key] for key in said.checks if key in words)) or "nothing ticked"
