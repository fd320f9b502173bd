"""Weighed too soon after heat: from times and steps, where nobody ticked that it was warm."""

from __future__ import annotations

from collections.abc import Iterator
from datetime import datetime, timedelta

from helvor.core.engine.run import entries as e
from helvor.core.engine.run.case import Case
from helvor.core.record.finding import Finding
from helvor.core.record.procedure import Step, same
from helvor.core.techniques.filtration.entries import Drying

COOLS_IN = timedelta(minutes=10)
"""Glass from an oven is warm for at least this long; in a desiccator it takes longer. Common practice, no source."""
_HOT_PLACES = ("oven", "hotplate")
_COOLED = ("cool", "desiccator")


def weighed_too_soon(case: Case) -> Iterator[Finding]:
    """Something was weighed within minutes of an oven, a plate or a flame, and nothing says that it cooled."""
    heats, cools = _heated(case), _cooled(case)
    for on in case.run.weighings:
        portion, at = on.weighed.portion, on.entry.happened
        if not portion or on.weighed.hot or on.weighed.state not in ("as is", "dried"):
            continue
        before = [(when, where) for when, name, where in heats if same(name, portion) and when < at]
        if not before:
            continue
        when, where = max(before)
        cooled = any(when <= then <= at and (not name or same(name, portion)) for then, name in cools)
        if cooled or at - when >= COOLS_IN:
            continue
        minutes = max(1, round((at - when).total_seconds() / 60))
        yield Finding(
            "weighed-too-soon",
            "caution",
            f"{on.weighed.name} with {portion} was weighed {minutes} min after {where}; no cooling is recorded.",
            "Warm air lifts the pan, so it reads too light; heat can also damage the balance.",
            "Let it cool to room temperature, in a desiccator if it draws water, and weigh again.",
            about=portion,
        )


def _touched(step: Step) -> tuple[str, ...]:
    return (*step.gives, *((step.on,) if step.on else ()))


def _done(case: Case) -> Iterator[tuple[datetime, Step]]:
    for line in case.run.lines:
        said = line.head.payload
        step = case.run.procedure.step(said.step) if isinstance(said, e.Marked) and said.how == "done" else None
        if step is not None:
            yield line.root.happened, step


def _heated(case: Case) -> list[tuple[datetime, str, str]]:
    """When a portion was last known to be hot, which one, and where."""
    found = [
        (line.root.happened, said.portion, f"it went {'into the oven' if said.place == 'oven' else 'on the hotplate'}")
        for line, said in case.run.of(Drying)
        if said.place in _HOT_PLACES
    ]
    for when, step in _done(case):
        kind = case.kinds.get(step.kind)
        hot = kind is not None and (kind.heats or (kind.dries and step.place in _HOT_PLACES))
        found += [(when, name, f"“{step.says or step.kind}”") for name in _touched(step) if hot]
    return found


def _cooled(case: Case) -> list[tuple[datetime, str]]:
    """When something cooled, and which portion; empty where it is not said."""
    found = []
    for when, step in _done(case):
        kind = case.kinds.get(step.kind)
        if kind is not None and kind.cools:
            found += [(when, name) for name in _touched(step) or ("",)]
    for line, said in case.run.notes:
        words = f"{said.words} {' '.join(said.picks)}".casefold()
        if any(word in words for word in _COOLED):
            found.append((line.root.happened, ""))
    found += [
        (on.line.root.happened + timedelta(minutes=on.timer.minutes), "")
        for on in case.run.timers
        if any(word in on.timer.label.casefold() for word in _COOLED)
    ]
    return found
