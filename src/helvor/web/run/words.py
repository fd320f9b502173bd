"""Entries of a run in bench words, for its history and its last readings."""

from __future__ import annotations

from collections.abc import Iterable
from functools import cached_property

from helvor.core.engine.run import entries as e
from helvor.core.engine.run.record import gather
from helvor.core.record.answer import Answered
from helvor.core.record.entry import Acknowledged, Entry, Payload, Struck
from helvor.core.record.procedure import without_braces
from helvor.core.review.questions import label_of
from helvor.core.techniques.registered import TECHNIQUES


class StepNames:
    """The steps of a page as people call them; worked out only when an entry is about one."""

    def __init__(self, entries: Iterable[Entry] = ()) -> None:
        self._entries = entries

    @cached_property
    def _known(self) -> dict[str, tuple[str, str]]:
        steps = enumerate(gather(self._entries).procedure.steps, start=1)
        return {step.id: (f"step {number}", step.kind) for number, step in steps}

    def __call__(self, key: str) -> tuple[str, str]:
        """What a step is called, such as *step 5*, and its kind."""
        return self._known.get(key, ("a step", ""))


NO_STEPS = StepNames()
"""Where no entry about a step is shown."""


def describe(entry: Entry, steps: StepNames) -> str:
    """An entry in bench words."""
    return describe_payload(entry.payload, steps)


def describe_payload(payload: Payload, steps: StepNames) -> str:
    """What an entry says, in bench words."""
    match payload:
        case e.Following() as f:
            scaled = f", × {f.factor:g}" if f.factor != 1 else ""
            return f"follows “{f.procedure.title}”, version {f.version}{scaled}"
        case e.Weighed() as w:
            what = f" with {w.portion}" if w.portion else ""
            state = f"{e.STATES[w.state]}{f' {w.round}' if w.round else ''}"
            hot = ", warm" if w.hot else ""
            way = ", tare button" if w.way == "net" else ""
            return f"{w.name}{what}, {state}: {w.mass}{way}{hot}{', estimated' if w.estimated else ''}"
        case e.Taken() as t:
            how = f"{t.before} to {t.after}" if t.before else str(t.amount)
            instead = f", {t.instead} instead" if t.instead else ""
            bottle = f", bottle {t.bottle.code}" if t.bottle else ""
            return f"took {how} of {t.substance}{instead}{bottle}{', estimated' if t.estimated else ''}"
        case e.VolumeRead() as v:
            return f"{v.portion}: {v.volume}{f' by {v.glass}' if v.glass else ''}"
        case e.Marked() as m:
            step, _ = steps(m.step)
            return f"{step} done" if m.how == "done" else f"{step} skipped: {m.why}"
        case e.Noted() as n:
            degrees = f"{n.celsius:g} °C" if n.celsius is not None else ""
            return "noted: " + ", ".join(part for part in (n.words, *n.picks, degrees) if part)
        case e.Checked() as c:
            step, kind = steps(c.step)
            words = {check.key: check.words for check in TECHNIQUES.checks(kind)}
            ticked = "; ".join(dict.fromkeys(words[key] for key in c.checks if key in words))
            return f"{step}, set-up checked: {ticked or 'nothing ticked'}"
        case e.Tried() as t:
            trial = next(
                (one for kind in TECHNIQUES.kinds for one in TECHNIQUES.trials(kind) if one.key == t.trial), None
            )
            outcome = (trial.passed if t.passed else trial.failed) if trial else "passed" if t.passed else "failed"
            return f"tested: {outcome}{f', {t.words}' if t.words else ''}"
        case Answered() as a:
            return f"answer, {label_of(a.question)}: {a.written}"
        case e.TimerSet() as t:
            return f"timer of {t.minutes:g} min{f' for {t.label}' if t.label else ''}"
        case e.TimerStopped():
            return "timer stopped"
        case e.Attached() as a:
            return f"attached {a.name}{f': {a.words}' if a.words else ''}"
        case e.HandoutCorrected() as h:
            return f"handout corrected, {steps(h.step)[0]}: {without_braces(h.says)}"
        case e.Borrowed() as b:
            return f"continues with {b.portion} from {b.source}{f': {b.why}' if b.why else ''}"
        case e.UsedInstead() as u:
            return f"used {u.instead} instead of {u.kit}{f': {u.why}' if u.why else ''}"
        case e.Late() as late:
            return f"started late: {late.words}{f'; made up on {late.make_up}' if late.make_up else ''}"
        case e.StepAdded(step=step):
            return f"step added: {without_braces(step.says) or step.kind}"
        case e.SubstanceAdded(substance=substance):
            return f"substance added: {substance.name}"
        case e.PortionSaid(portion=portion):
            return f"portion {portion.name}: {portion.formula or portion.component or portion.end or 'named'}"
        case Acknowledged() as seen:
            return f"continued after “{seen.what}”: {seen.why}"
        case Struck():
            return "undone"
        case other:
            return TECHNIQUES.describe(other)
