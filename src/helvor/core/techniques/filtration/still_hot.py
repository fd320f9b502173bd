"""Weighed too soon after heat: from times and steps, where nobody ticked that it was warm.

A reading says when something went *into* an oven, not when it came out. It is out when its step is done, when its timer
has run off or after the minutes that the step plans; where none of these is known, it may have come out just now.
"""

from __future__ import annotations

import re
from collections.abc import Iterator
from dataclasses import dataclass
from datetime import datetime, timedelta

from helvor.core.engine.run import entries as e
from helvor.core.engine.run.case import Case
from helvor.core.engine.run.record import WeighedOn
from helvor.core.record.finding import Finding
from helvor.core.record.procedure import Step, same
from helvor.core.techniques.filtration.entries import Drying

COOLS_IN = timedelta(minutes=20)
"""Glass from an oven is warm for at least this long, in a desiccator longer. Common practice, no source."""
FORGOTTEN_AFTER = timedelta(hours=2)
"""With no word of when it came out, what went in longer ago than this is taken as out and cold: another day's work."""
_HOT_PLACES = ("oven", "hotplate")
_COOLED = re.compile(
    r"\bcool(?:ed|ing|s)?\b(?!\s+(?:in|on|with)\s+(?:an?\s+)?ice)|\bin (?:a|the) desiccator\b|\b(?:at|to) room temp",
    re.IGNORECASE,
)
_NOT = re.compile(r"\b(?:not|never|no|without|before|forgot|skipped|still|barely)\b|n[’']t\b", re.IGNORECASE)


@dataclass(frozen=True, slots=True)
class _Heat:
    """One time in the heat: from when, which portion, where; when it was out, or None where nothing says so."""

    since: datetime
    portion: str
    where: str
    out: datetime | None


def weighed_too_soon(case: Case) -> Iterator[Finding]:
    """Something was weighed within minutes of an oven, a plate or a flame, and nothing says that it cooled."""
    heats, cools = _heated(case), _cooled(case)
    for on in case.run.weighings:
        portion, at = on.weighed.portion, on.entry.happened
        if not portion or on.weighed.hot or on.weighed.state not in ("as is", "dried"):
            continue
        before = [heat for heat in heats if same(heat.portion, portion) and heat.since < at]
        if not before:
            continue
        heat = max(before, key=lambda one: one.since)
        if not any(heat.since <= then <= at and (not name or same(name, portion)) for then, name in cools):
            finding = _too_soon(on, heat)
            if finding:
                yield finding


def _too_soon(on: WeighedOn, heat: _Heat) -> Finding | None:
    """What is said of a weighing after this heat, with no cooling between; None where it had its time."""
    at = on.entry.happened
    what = f"{on.weighed.name} with {on.weighed.portion} was weighed"
    ago = max(1, round((at - heat.since).total_seconds() / 60))
    if heat.out is not None and heat.out < at:
        if at - heat.out >= COOLS_IN:
            return None
        minutes = max(1, round((at - heat.out).total_seconds() / 60))
        level, what = "caution", f"{what} {minutes} min after {heat.where} ended; no cooling is recorded."
    elif heat.out is not None or at - heat.since < COOLS_IN:
        level, what = "caution", f"{what} {ago} min after {heat.where} began; no cooling is recorded."
    elif at - heat.since < FORGOTTEN_AFTER:
        level, what = "note", f"{what} {ago} min after {heat.where} began; when it came out and cooled is not recorded."
    else:
        return None
    return Finding(
        "weighed-too-soon",
        "caution" if level == "caution" else "note",
        what,
        "Warm air lifts the pan, so it reads too light; heat can also damage the balance.",
        "Let it cool to room temperature, in a desiccator if it draws water, and weigh again."
        if level == "caution"
        else "If it was still warm, let it cool to room temperature and weigh again.",
        about=on.weighed.portion,
    )


def _touched(step: Step) -> tuple[str, ...]:
    return (*step.gives, *((step.on,) if step.on else ()))


def _done(case: Case) -> Iterator[tuple[datetime, Step]]:
    for line in case.run.lines:
        said = line.head.payload
        step = case.run.procedure.step(said.step) if isinstance(said, e.Marked) and said.how == "done" else None
        if step is not None:
            yield line.root.happened, step


def _is_hot(case: Case, step: Step) -> bool:
    kind = case.kinds.get(step.kind)
    return kind is not None and (kind.heats_at(step.place, step.celsius) or (kind.dries and step.place in _HOT_PLACES))


def _heated(case: Case) -> list[_Heat]:
    """Every time that a portion was in the heat, as far as the record says."""
    done = [(when, step) for when, step in _done(case) if _is_hot(case, step)]
    found = []
    told = set()
    for line, said in case.run.of(Drying):
        if said.place not in _HOT_PLACES:
            continue
        since, where = line.root.happened, f"the time {'in the oven' if said.place == 'oven' else 'on the hotplate'}"
        outs = [when for when, step in done if when >= since and step.id == said.step]
        told |= {(when, said.step) for when in outs}
        found.append(_Heat(since, said.portion, where, min(outs) if outs else _planned(case, said.step, since)))
    found += [
        _Heat(when, name, f"“{step.says or case.kinds[step.kind].title}”", when)
        for when, step in done
        if (when, step.id) not in told
        for name in _touched(step)
    ]
    return found


def _planned(case: Case, step_id: str, since: datetime) -> datetime | None:
    """When it was to come out: its timer's end, or the minutes that its step plans."""
    timers = [on for on in case.run.timers if on.line.root.happened >= since and on.timer.step == step_id and step_id]
    if timers:
        return min(timers, key=lambda on: on.line.root.happened).due
    step = case.run.procedure.step(step_id) if step_id else None
    return since + timedelta(minutes=step.waits) if step is not None and step.waits else None


def _cooled(case: Case) -> list[tuple[datetime, str]]:
    """When something cooled, and which portion; empty where it is not said."""
    found = []
    for when, step in _done(case):
        kind = case.kinds.get(step.kind)
        if kind is not None and kind.cools:
            found += [(when, name) for name in _touched(step) or ("",)]
    names = [name for step in case.run.procedure.steps for name in _touched(step)]
    for line, said in case.run.notes:
        for part in re.split(r"[.;,]|\bbut\b|\band then\b", f"{said.words}; {'; '.join(said.picks)}"):
            if _COOLED.search(part) and not _NOT.search(part):
                meant = [name for name in names if re.search(rf"\b{re.escape(name)}\b", part, re.IGNORECASE)]
                found += [(line.root.happened, name) for name in meant or ("",)]
    found += [
        (on.due, "") for on in case.run.timers if _COOLED.search(on.timer.label) and not _NOT.search(on.timer.label)
    ]
    return found
