"""Entries of a run in bench words, for its history and its last readings."""

from __future__ import annotations

from collections.abc import Iterable
from functools import cached_property, singledispatch

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
    return _in_words(payload, steps)


def _with(words: str, text: str) -> str:
    """Words put before a text; nothing where there is no text."""
    return f"{words}{text}" if text else ""


@singledispatch
def _in_words(said: Payload, steps: StepNames) -> str:
    """One function a kind of entry; what none is here for belongs to a technique."""
    return TECHNIQUES.describe(said)


@_in_words.register
def _(said: e.Following, steps: StepNames) -> str:
    scaled = f", × {said.factor:g}" if said.factor != 1 else ""
    return f"follows “{said.procedure.title}”, version {said.version}{scaled}"


@_in_words.register
def _(said: e.Weighed, steps: StepNames) -> str:
    state = f"{e.STATES[said.state]}{f' {said.round}' if said.round else ''}"
    hot = ", warm" if said.hot else ""
    way = ", tare button" if said.way == "net" else ""
    estimated = ", estimated" if said.estimated else ""
    return f"{said.name}{_with(' with ', said.portion)}, {state}: {said.mass}{way}{hot}{estimated}"


@_in_words.register
def _(said: e.Taken, steps: StepNames) -> str:
    how = f"{said.before} to {said.after}" if said.before else str(said.amount)
    instead = f", {said.instead} instead" if said.instead else ""
    bottle = f", bottle {said.bottle.code}" if said.bottle else ""
    return f"took {how} of {said.substance}{instead}{bottle}{', estimated' if said.estimated else ''}"


@_in_words.register
def _(said: e.VolumeRead, steps: StepNames) -> str:
    return f"{said.portion}: {said.volume}{_with(' by ', said.glass)}"


@_in_words.register
def _(said: e.Marked, steps: StepNames) -> str:
    step, _kind = steps(said.step)
    return f"{step} done" if said.how == "done" else f"{step} skipped: {said.why}"


@_in_words.register
def _(said: e.Noted, steps: StepNames) -> str:
    degrees = f"{said.celsius:g} °C" if said.celsius is not None else ""
    return "noted: " + ", ".join(part for part in (said.words, *said.picks, degrees) if part)


@_in_words.register
def _(said: e.Checked, steps: StepNames) -> str:
    step, kind = steps(said.step)
    words = {check.key: TECHNIQUES.in_words(check, None).words for check in TECHNIQUES.checks(kind)}
    ticked = "; ".join(dict.fromkeys(words[key] for key in said.checks if key in words))
    return f"{step}, set-up checked: {ticked or 'nothing ticked'}"


@_in_words.register
def _(said: e.Tried, steps: StepNames) -> str:
    trials = (trial for kind in TECHNIQUES.kinds for trial in TECHNIQUES.trials(kind))
    trial = next((trial for trial in trials if trial.key == said.trial), None)
    passed, failed = (trial.passed, trial.failed) if trial else ("passed", "failed")
    return f"tested: {passed if said.passed else failed}{_with(', ', said.words)}"


@_in_words.register
def _(said: Answered, steps: StepNames) -> str:
    return f"answer, {label_of(said.question)}: {said.written}"


@_in_words.register
def _(said: e.TimerSet, steps: StepNames) -> str:
    return f"timer of {said.minutes:g} min{_with(' for ', said.label)}"


@_in_words.register
def _(said: e.TimerStopped, steps: StepNames) -> str:
    return "timer stopped"


@_in_words.register
def _(said: e.Attached, steps: StepNames) -> str:
    return f"attached {said.name}{_with(': ', said.words)}"


@_in_words.register
def _(said: e.HandoutCorrected, steps: StepNames) -> str:
    return f"handout corrected, {steps(said.step)[0]}: {without_braces(said.says)}"


@_in_words.register
def _(said: e.Borrowed, steps: StepNames) -> str:
    return f"continues with {said.portion} from {said.source}{_with(': ', said.why)}"


@_in_words.register
def _(said: e.UsedInstead, steps: StepNames) -> str:
    return f"used {said.instead} instead of {said.kit}{_with(': ', said.why)}"


@_in_words.register
def _(said: e.Late, steps: StepNames) -> str:
    return f"started late: {said.words}{f'; made up on {said.make_up}' if said.make_up else ''}"


@_in_words.register
def _(said: e.StepAdded, steps: StepNames) -> str:
    return f"step added: {without_braces(said.step.says) or said.step.kind}"


@_in_words.register
def _(said: e.SubstanceAdded, steps: StepNames) -> str:
    return f"substance added: {said.substance.name}"


@_in_words.register
def _(said: e.PortionSaid, steps: StepNames) -> str:
    portion = said.portion
    return f"portion {portion.name}: {portion.formula or portion.component or portion.end or 'named'}"


@_in_words.register
def _(said: Acknowledged, steps: StepNames) -> str:
    return f"continued after “{said.what}”: {said.why}"


@_in_words.register
def _(said: Struck, steps: StepNames) -> str:
    return "undone"
