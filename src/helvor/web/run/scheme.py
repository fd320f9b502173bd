"""The separation scheme: portions as ribbons from left to right, as thick as the mass they carry.

Columns are steps that part or join; rows are the places where matter ends. A portion that
was not weighed takes the mass of what came from it, and is drawn pale; what is missing has
a hatched ribbon of its own, because the weighings cannot tell at which step it went.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field

from helvor.core.engine.run.account import Ledger, PortionMass
from helvor.core.engine.run.work_out import RunWorksheet
from helvor.core.quantities.measured import Measured, shown
from helvor.core.quantities.reading import digits
from helvor.core.record.procedure import Step, same
from helvor.core.techniques.crystallization.record import estimates
from helvor.web.path import Path

WIDTH, LEFT, RIGHT, TOP = 860.0, 118.0, 196.0, 34.0
ROW = 84.0
THICKEST, THINNEST, PALE = 62.0, 3.0, 8.0
NODE, LETTER, LINE = 17.0, 7.6, 15.0
"""Half the side of a step's box, about how wide a letter of a name is, and how high a line."""
TINTS = ("#F3DC8C", "#B5DBDC", "#CBD2D8", "#F0C9A8", "#CFE3B4", "#D9CBE8", "#F3C3C6", "#BFD3EF")
"""Tints of portions; they tell portions apart and never stand for a state."""


@dataclass(slots=True)
class Ribbon:
    """One portion: a band from ``x1`` to ``x2`` in the row at ``y``; lengths in drawing units."""

    name: str
    portion: PortionMass
    x1: float
    x2: float
    y: float
    thick: float
    tint: str
    pale: bool
    path: str = ""
    label: bool = True
    label_y: float = 0.0


@dataclass(frozen=True, slots=True)
class Node:
    """A step that parts or joins."""

    step: Step
    number: int
    x: float
    y: float
    word: str


@dataclass(frozen=True, slots=True)
class EndLabel:
    """What stands at the right end of a row."""

    name: str
    mass: str
    note: str
    y: float
    thick: float
    missing: bool = False


@dataclass(frozen=True, slots=True)
class Scheme:
    """The drawing; ``sources`` are the bars on the left with name and mass."""

    width: int
    height: int
    ribbons: list[Ribbon] = field(default_factory=list)
    nodes: list[Node] = field(default_factory=list)
    sources: list[EndLabel] = field(default_factory=list)
    ends: list[EndLabel] = field(default_factory=list)
    source_x: float = LEFT
    end_x: float = WIDTH - RIGHT
    missing_path: str = ""


class _Flow:
    """The graph of portions with the masses to draw."""

    def __init__(self, sheet: RunWorksheet) -> None:
        self.sheet, self.ledger = sheet, sheet.ledger
        procedure = sheet.run.procedure
        self.steps = [step for step in procedure.steps if step.gives]
        self.giver: dict[str, Step] = {}
        self.taker: dict[str, Step] = {}
        for step in self.steps:
            for name in step.takes:
                self.taker.setdefault(name.casefold(), step)
            for name in step.gives:
                self.giver.setdefault(name.casefold(), step)
        self.names = [name for step in self.steps for name in step.gives]
        self._mass: dict[str, float] = {}
        self._rows: dict[str, float] = {}

    def ends(self) -> list[str]:
        """Where matter ends, in the order of following each source to its last branch."""
        found: list[str] = []

        def follow(name: str, seen: frozenset[str]) -> None:
            key = name.casefold()
            step = self.taker.get(key)
            if key in seen:
                return
            if step is None:
                if not any(same(name, other) for other in found):
                    found.append(name)
                return
            for given in step.gives:
                follow(given, seen | {key})

        for name in self.sources():
            follow(name, frozenset())
        return found

    def sources(self) -> list[str]:
        return [name for step in self.steps if not step.takes for name in step.gives]

    def mass(self, name: str, seen: frozenset[str] = frozenset()) -> float:
        """g to draw: what is known, else what came from it, else 0."""
        key = name.casefold()
        if key in self._mass:
            return self._mass[key]
        portion = self.ledger.portions.get(key)
        known = portion.mass.value if portion is not None and portion.mass is not None else None
        if known is None and key not in seen:
            step = self.taker.get(key)
            if step is not None:
                below = sum(self.mass(given, seen | {key}) for given in step.gives)
                known = below / max(1, len(step.takes))
        value = max(0.0, known or 0.0)
        if key not in seen:
            self._mass[key] = value
        return value

    def rows(self, ends: Sequence[str]) -> dict[str, float]:
        """The row that each portion runs in, from 0: its own at the end, else that of the step that takes it.

        A step stands in the middle of what it gives; what it takes is spread round it, so that
        joining portions do not lie on each other.
        """

        def of_step(step: Step, seen: frozenset[str]) -> float:
            given = [of(name, seen) for name in step.gives]
            return sum(given) / len(given)

        def of(name: str, seen: frozenset[str]) -> float:
            key = name.casefold()
            if key in self._rows:
                return self._rows[key]
            step = self.taker.get(key)
            if step is None or not step.gives or key in seen:
                row = next((float(i) for i, end in enumerate(ends) if same(end, name)), 0.0)
            else:
                place = next(i for i, taken in enumerate(step.takes) if same(taken, name))
                row = of_step(step, seen | {key}) + place - (len(step.takes) - 1) / 2
            self._rows[key] = row
            return row

        rows = {name.casefold(): of(name, frozenset()) for name in self.names}
        lowest = min(rows.values(), default=0.0)
        return {name: row - min(lowest, 0.0) for name, row in rows.items()}

    def columns(self) -> dict[str, int]:
        """Step id → its column, from 1; sources stand in column 0."""
        depth: dict[str, int] = {}
        for step in self.steps:
            above = [depth.get(self.giver[t.casefold()].id, 0) for t in step.takes if t.casefold() in self.giver]
            depth[step.id] = 1 + max(above, default=-1) if step.takes else 0
        return depth


@dataclass(frozen=True, slots=True)
class _Laid:
    """Where everything of a scheme stands, in drawing units; portions by their name in lower case.

    Attributes:
        centre, thick, tint: of each portion's ribbon; node_y: of each step; columns: of each step, from 0.
        scale: units a gram; step_x: from one column to the next; foot: the row of what is missing.
    """

    flow: _Flow
    ends: list[str]
    columns: dict[str, int]
    centre: dict[str, float]
    thick: dict[str, float]
    tint: dict[str, str]
    node_y: dict[str, float]
    scale: float
    step_x: float
    height: float

    @property
    def foot(self) -> float:
        return self.height - ROW / 2

    def x(self, step: Step) -> float:
        """Where a step stands."""
        return LEFT + self.step_x * self.columns[step.id]


def _lay_out(flow: _Flow, *, missing: bool) -> _Laid:
    """Rows and columns of a scheme, its ribbons as thick as what they hold."""
    ends, columns = flow.ends(), flow.columns()
    rows = flow.rows(ends)
    heaviest = max((flow.mass(name) for name in flow.sources()), default=0.0) or max(
        (flow.mass(name) for name in flow.names), default=0.0
    )
    scale = THICKEST / heaviest if heaviest > 0 else 0.0
    centre = {name.casefold(): TOP + ROW * (rows[name.casefold()] + 0.5) for name in flow.names}
    node_y = {}
    for step in flow.steps:
        touched = [centre.get(name.casefold()) for name in (step.takes or step.gives)]
        known = [y for y in touched if y is not None]
        if len(known) == len(touched):
            node_y[step.id] = sum(known) / len(known)
    return _Laid(
        flow,
        ends,
        columns,
        centre,
        {name.casefold(): _thick(flow.mass(name), scale) for name in flow.names},
        {end.casefold(): TINTS[i % len(TINTS)] for i, end in enumerate(ends)},
        node_y,
        scale,
        (WIDTH - LEFT - RIGHT) / (max(columns.values(), default=0) + 1),
        TOP + ROW * (max(rows.values()) + 1 + (1 if missing else 0)),
    )


def _ribbon(name: str, laid: _Laid, ledger: Ledger, written: list[tuple[float, float, float]]) -> Ribbon:
    """One portion from the step that gives it to the step that takes it; *written* gets where its name stands."""
    key = name.casefold()
    giver, taker = laid.flow.giver[key], laid.flow.taker.get(key)
    centre, thick = laid.centre[key], laid.thick[key]
    x1, x2 = laid.x(giver), laid.x(taker) if taker is not None else WIDTH - RIGHT
    portion = ledger.portions[key]
    tint = _tint(name, laid.flow, laid.tint)
    ribbon = Ribbon(name, portion, x1, x2, centre, thick, tint, pale=portion.mass is None)
    start = stop = centre
    if giver.takes:
        start = _slot(giver.gives, name, laid.thick, laid.node_y.get(giver.id, centre))
    if taker is not None:
        stop = _slot(taker.takes, name, laid.thick, laid.node_y.get(taker.id, centre))
    ribbon.path = _band(x1, start, centre, x2, stop, thick)
    # A long enough stretch carries its name, a short one has it underneath; sources and ends have their own.
    ribbon.label = taker is not None and bool(giver.takes)
    fits = x2 - x1 - 2 * NODE > LETTER * len(name)
    lift = thick / 2 + 4 if fits else -max(thick / 2, NODE) - 14
    ribbon.label_y = centre + 5 if fits and thick > 16 else centre - lift
    if ribbon.label:
        ribbon.label_y += LINE * _under(ribbon, written)
    return ribbon


def draw_scheme(sheet: RunWorksheet) -> Scheme | None:
    """Lay the scheme of a run out, or None when no step gives a portion."""
    flow = _Flow(sheet)
    if not flow.names:
        return None
    ledger = sheet.ledger
    missing = _missing(ledger)
    laid = _lay_out(flow, missing=missing is not None)
    written: list[tuple[float, float, float]] = []
    about = estimates(sheet.run, ledger)
    numbers = {seen.step.id: seen.number for seen in sheet.steps}
    kinds = {seen.step.id: (seen.kind.title if seen.kind else seen.step.kind) for seen in sheet.steps}
    ends = [
        _end(end, ledger, laid.centre[end.casefold()], laid.thick[end.casefold()], about.get(end.casefold()))
        for end in laid.ends
    ]
    missing_path = ""
    if missing is not None:
        ends.append(_missing_end(missing, ledger, laid.foot, laid.scale))
        missing_path = _missing_path(missing, laid)
    return Scheme(
        width=int(WIDTH),
        height=int(laid.height + 10),
        ribbons=[_ribbon(name, laid, ledger, written) for name in flow.names],
        nodes=[
            Node(step, numbers[step.id], laid.x(step), laid.node_y.get(step.id, TOP), kinds[step.id])
            for step in flow.steps
            if step.takes
        ],
        sources=[
            _source(name, ledger, laid.centre[name.casefold()], laid.thick[name.casefold()]) for name in flow.sources()
        ],
        ends=ends,
        missing_path=missing_path,
    )


def _under(ribbon: Ribbon, written: list[tuple[float, float, float]]) -> int:
    """How many lines further down a ribbon's name goes, so that it stands on no other; *written* gets its place."""
    middle, half = (ribbon.x1 + ribbon.x2) / 2, LETTER * len(ribbon.name) / 2
    line = 0
    while any(
        abs(y - ribbon.label_y - LINE * line) < LINE * 0.9 and left < middle + half and middle - half < right
        for left, right, y in written
    ):
        line += 1
    written.append((middle - half, middle + half, ribbon.label_y + LINE * line))
    return line


def _thick(mass: float, scale: float) -> float:
    return max(THINNEST, mass * scale) if mass > 0 and scale else PALE


def _missing(ledger: Ledger) -> Measured | None:
    """What is not accounted for, once everything that should be weighed was, and it is more than its uncertainty."""
    missing = ledger.missing
    if missing is None or not ledger.complete or missing.value <= 2 * missing.u:
        return None
    return missing


def _tint(name: str, flow: _Flow, tint: dict[str, str]) -> str:
    """The tint of the end that it leads to; graphite where it leads to several."""
    key, seen = name.casefold(), set[str]()
    while key not in tint and key not in seen:
        seen.add(key)
        step = flow.taker.get(key)
        if step is None or len(step.gives) != 1:
            return "#DDE3E6"
        key = step.gives[0].casefold()
    return tint.get(key, "#DDE3E6")


def _slot(names: Sequence[str], name: str, thick: dict[str, float], centre: float) -> float:
    """Where a ribbon meets a step: stacked with its sisters round the step's height."""
    total = sum(thick[other.casefold()] for other in names if other.casefold() in thick)
    at = centre - total / 2
    for other in names:
        size = thick.get(other.casefold(), 0.0)
        if same(other, name):
            return at + size / 2
        at += size
    return centre


def _band(x1: float, y1: float, y: float, x2: float, y2: float, thick: float) -> str:
    """A band from (x1, y1) into the row at y and out to (x2, y2), of one thickness."""
    bend, half = min(70.0, (x2 - x1) / 2.2), thick / 2
    top, foot = y - half, y + half
    path = Path().move(x1, y1 - half)
    path.curve(x1 + bend * 0.55, y1 - half, x1 + bend * 0.45, top, x1 + bend, top)
    path.line(x2 - bend, top)
    path.curve(x2 - bend * 0.45, top, x2 - bend * 0.55, y2 - half, x2, y2 - half)
    path.line(x2, y2 + half)
    path.curve(x2 - bend * 0.55, y2 + half, x2 - bend * 0.45, foot, x2 - bend, foot)
    path.line(x1 + bend, foot)
    path.curve(x1 + bend * 0.45, foot, x1 + bend * 0.55, y1 + half, x1, y1 + half)
    return str(path.close())


def _source(name: str, ledger: Ledger, y: float, thick: float) -> EndLabel:
    portion = ledger.portions[name.casefold()]
    mass = f"{shown(portion.mass)}" if portion.mass is not None else ""
    return EndLabel(name, mass, "g in" if mass else "not weighed yet", y, thick)


def _end(name: str, ledger: Ledger, y: float, thick: float, estimate: float | None = None) -> EndLabel:
    """The right end of a row; *estimate* is what it should hold, g, where it was not weighed."""
    portion = ledger.portions[name.casefold()]
    if portion.mass is None:
        note = "weighed wet only" if portion.wet is not None else "waste" if portion.said.end == "waste" else "waiting"
        if estimate is not None:
            return EndLabel(name, f"about {digits(estimate, 2)}", "estimate, by its solubility", y, thick)
        return EndLabel(name, "", note, y, thick)
    part = ledger.parts.get(portion.name)
    made = next((made for made in ledger.yields if same(made.portion, name)), None)
    if portion.basis == "borrowed":
        note = "from another bench"
    elif made is not None and made.percent is not None:
        note = f"{shown(made.percent * 100, most=1)} % yield"
    elif part is not None:
        # Beside “by difference” there is no room for the whole sentence.
        whole = "" if portion.basis == "by loss" else " of the sample"
        note = f"{shown(part * 100, most=1)} %{whole}"
    else:
        note = ""
    if portion.basis == "by loss":
        note += ", by difference"
    return EndLabel(portion.name, shown(portion.mass), note.strip(" ,"), y, thick)


def _missing_end(missing: Measured, ledger: Ledger, y: float, scale: float) -> EndLabel:
    part = shown(missing / ledger.sample * 100, most=1) if ledger.sample is not None else ""
    return EndLabel("unaccounted for", shown(missing), f"{part} % of the sample", y, _thick(missing.value, scale), True)


def _missing_path(missing: Measured, laid: _Laid) -> str:
    """From under the first source down to the last row."""
    source = laid.flow.sources()[0].casefold()
    half = _thick(missing.value, laid.scale) / 2
    top = laid.centre[source] + laid.thick[source] / 2 + half + 2
    x, down, y = LEFT, min(90.0, laid.step_x * 0.9), laid.foot
    path = Path().move(x, top - half)
    path.curve(x + down * 0.8, top - half, x + down * 0.3, y - half, x + down, y - half)
    path.across(WIDTH - RIGHT).down(y + half).across(x + down)
    path.curve(x + down * 0.25, y + half, x + down * 0.6, top + half, x, top + half)
    return str(path.close())
