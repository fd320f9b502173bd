"""What flows from step to step, drawn: a lane for each portion, from the step that gives it to those that take it.

Each end can be put on another portion: dragged to its lane, or with the arrow keys.
"""

from __future__ import annotations

from dataclasses import dataclass

from helvor.core.record.procedure import Procedure, Step, same, without_braces
from helvor.web.path import Path

ROW = 30.0
TOP = 34.0
FIRST_LANE = 352.0
LANE = 26.0
END = 320.0
MOST_TITLE = 28
NAMES = 260.0
BASE = 5.0
"""Of a line of words below the middle of its row."""
TINTS = 5


@dataclass(frozen=True, slots=True)
class StepOfWiring:
    """A step's line: its number and words, and their baseline."""

    number: int
    title: str
    base: float


@dataclass(frozen=True, slots=True)
class NamesOfWiring:
    """The portions that a step gives, each with its tint, at the end of its line."""

    portions: list[tuple[str, int]]
    x: float
    y: float


@dataclass(frozen=True, slots=True)
class LaneOfWiring:
    """A portion's lane: its line from where it is given to where it is taken last; its name at the first."""

    name: str
    x: float
    y: float
    path: str
    tint: int
    loose: bool


@dataclass(frozen=True, slots=True)
class EndOfWiring:
    """Where a step takes a portion up. ``others`` are the portions that it could take instead."""

    step: str
    number: int
    portion: str
    x: float
    y: float
    path: str
    tint: int
    broken: bool
    others: list[str]


@dataclass(frozen=True, slots=True)
class Wiring:
    """The whole drawing, in drawing units."""

    width: float
    height: float
    names_x: float
    steps: list[StepOfWiring]
    names: list[NamesOfWiring]
    lanes: list[LaneOfWiring]
    ends: list[EndOfWiring]


def taken_up(step: Step) -> list[str]:
    """What a step works on, each once."""
    names = [*step.takes, *((step.on,) if step.on else ())]
    return [name for i, name in enumerate(names) if not any(same(name, other) for other in names[:i])]


def _title(step: Step) -> str:
    says = without_braces(step.says) or step.kind
    return says if len(says) <= MOST_TITLE else f"{says[: MOST_TITLE - 1].rsplit(' ', 1)[0]} …"


def wiring(procedure: Procedure) -> Wiring:
    """Lay the portions of a procedure out beside its steps."""
    y_of = [TOP + ROW * i for i in range(len(procedure.steps))]
    given: dict[str, tuple[str, int]] = {}  # lower case → name as written, row
    for row, step in enumerate(procedure.steps):
        for name in step.gives:
            given.setdefault(name.casefold(), (name, row))
    last = {key: row for key, (_, row) in given.items()}
    for row, step in enumerate(procedure.steps):
        for name in taken_up(step):
            if name.casefold() in given:
                last[name.casefold()] = max(last[name.casefold()], row)
    lane_of = _lanes(given, last)
    lanes, ends = [], []
    for key, (name, row) in given.items():
        x = FIRST_LANE + LANE * lane_of[key]
        path = str(Path().move(x, y_of[row]).down(y_of[last[key]]))
        lanes.append(LaneOfWiring(name, x, y_of[row], path, lane_of[key] % TINTS, last[key] == row))
    for row, step in enumerate(procedure.steps):
        before = [written for written, at in given.values() if at < row]
        for place, name in enumerate(taken_up(step)):
            key = name.casefold()
            broken = key not in given or given[key][1] >= row
            x, y = END - 22 * place, y_of[row]
            lane_x = FIRST_LANE + LANE * lane_of[key] if key in given else x
            others = [other for other in before if not any(same(other, one) for one in taken_up(step))]
            line = str(Path().move(lane_x, y).across(x)) if not broken else ""
            ends.append(EndOfWiring(step.id, row + 1, name, x, y, line, lane_of.get(key, 0) % TINTS, broken, others))
    names_x = FIRST_LANE + LANE * (max(lane_of.values(), default=0) + 1)
    steps, names = [], []
    for number, (step, y) in enumerate(zip(procedure.steps, y_of, strict=True), 1):
        steps.append(StepOfWiring(number, _title(step), y + BASE))
        if step.gives:
            shown = [(name, lane_of[name.casefold()] % TINTS) for name in step.gives]
            names.append(NamesOfWiring(shown, names_x, y + BASE))
    return Wiring(names_x + NAMES, TOP + ROW * len(steps), names_x, steps, names, lanes, ends)


def _lanes(given: dict[str, tuple[str, int]], last: dict[str, int]) -> dict[str, int]:
    """The lane of each portion: the first that is free from where it is given to where it is taken last."""
    until: list[int] = []
    found = {}
    for key, (_, row) in sorted(given.items(), key=lambda one: one[1][1]):
        free = next((n for n, end in enumerate(until) if end < row), None)
        if free is None:
            free = len(until)
            until.append(-1)
        until[free] = last[key]
        found[key] = free
    return found
