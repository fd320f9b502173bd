"""The class board: the benches as lanes of one plate, each spot as high as its work has risen."""

from __future__ import annotations

import math
from collections import Counter
from dataclasses import dataclass
from datetime import datetime
from functools import lru_cache

from markupsafe import Markup

from helvor.core.classroom.meeting import storage as put_away
from helvor.core.classroom.meeting.expected import ExpectedProgress
from helvor.core.classroom.meeting.storage import InUse
from helvor.notebook.classes import Bench, PageOnBoard
from helvor.web.rendering import TheVery, drawn_once, fragment

WIDTH, TOP, FLOOR, LEFT = 888, 24, 452.0, 150
MOST_ROWS = 16
ROOMY = 58.0
"""Room of a lane, in drawing units, that its words need; with less only the spots are drawn."""
LATE_FROM = 3.0
"""Minutes behind the plan that are said: less is within what marking a step takes."""


@dataclass(frozen=True, slots=True)
class BenchLane:
    """One bench on the board.

    Attributes:
        page: the page that is shown of it, None where nothing was started.
        late: minutes behind the plan; 0 when it is not, or none is known.
        due: when the next timer of the bench rings, None without one.
        plan_y: how high the plan has it by now.
    """

    bench: Bench
    page: PageOnBoard | None
    x: float
    y: float
    state: str
    word: str
    late: int = 0
    due: datetime | None = None
    plan_y: float | None = None
    down: str = ""
    """From the spot to the start line, and, where the plan is ahead, up to it; as the drawing writes them."""
    behind: str = ""


@dataclass(frozen=True, slots=True)
class Board:
    """Coordinates in drawing units, from the top left. ``title`` is what the rows are of.

    Attributes:
        size: of the spots, 1 where there is room; words: whether words stand under them.
        front: the plan front as a path, and the wash under it; empty without a plan.
        finish: minutes from the start at which the last bench is to be done.
    """

    width: int
    height: int
    floor: float
    left: int
    title: str
    choices: list[str]
    rows: list[tuple[str, float]]
    lanes: list[BenchLane]
    counts: dict[str, int]
    size: float
    words: bool
    front: str = ""
    wash: str = ""
    finish: float = 0.0


@dataclass(frozen=True, slots=True)
class PlanNow:
    """The plan front, and the minutes that the class has worked."""

    front: ExpectedProgress
    minutes: float


WORDS = {
    "none": "not started",
    "working": "working",
    "waiting": "waiting",
    "stop": "Stop",
    "caution": "Check",
    "done": "done",
}


def _word(page: PageOnBoard | None, state: str) -> str:
    """What stands under a lane; a number that cannot be is not called a danger."""
    said = page.summary.word if page is not None and state == "stop" else ""
    return said or WORDS[state]


def activity(page: PageOnBoard) -> str:
    """What a page counts under on the board: its procedure, or its technique."""
    return page.summary.title or f"{page.title.rpartition(' ')[0]}s"


def choices_of(benches: list[Bench]) -> list[str]:
    """What can be shown, begun last first."""
    begun: dict[str, datetime] = {}
    for bench in benches:
        for page in bench.pages:
            name = activity(page)
            begun[name] = max(page.started_at, begun.get(name, page.started_at))
    return sorted(begun, key=lambda name: begun[name], reverse=True)


def shown_of(bench: Bench, title: str) -> PageOnBoard | None:
    """The newest page of a bench that belongs to an activity."""
    return next((page for page in reversed(bench.pages) if activity(page) == title), None)


def alarms_on(page: PageOnBoard | None) -> list[tuple[str, datetime]]:
    """The timers that run on a page: label and when due, the next first."""
    rows = page.summary.alarms if page else ()
    return sorted(((alarm.label, alarm.due) for alarm in rows), key=lambda pair: pair[1])


@dataclass(frozen=True, slots=True)
class LaneShown:
    """A lane as it is drawn; all in it can be compared, so that a lane that did not change is drawn once."""

    number: int | None
    pair: str
    address: str
    state: str
    word: str
    late: int
    due: str
    x: str
    y: float
    down: str
    behind: str
    floor: float
    s: float
    words: bool
    wall: bool


@dataclass(frozen=True, slots=True)
class RowShown:
    """A lane as a row of the table."""

    number: int | None
    pair: str
    bench: str
    pages: tuple[tuple[str, str], ...]
    word: str
    late: int
    what: str
    back: str


@lru_cache(maxsize=2048)
def draw_lane(lane: LaneShown) -> Markup:
    """One lane drawn."""
    return fragment("board_lane.html", lane)


@lru_cache(maxsize=2048)
def write_row(row: RowShown) -> Markup:
    """One row of the table written."""
    return fragment("board_row.html", row)


def drawn_lanes(board: Board, *, wall: bool = False) -> Markup:
    """Every lane of a board."""
    return Markup("").join(
        draw_lane(
            LaneShown(
                lane.bench.number,
                lane.bench.pair,
                lane.page.address if lane.page else f"/benches/{lane.bench.id}",
                lane.state,
                lane.word,
                lane.late,
                lane.due.isoformat() if lane.due and lane.state == "waiting" else "",
                f"{lane.x:.1f}",
                round(lane.y, 1),
                lane.down,
                lane.behind,
                board.floor,
                round(board.size, 3),
                board.words,
                wall,
            )
        )
        for lane in board.lanes
    )


def written_rows(board: Board) -> Markup:
    """The same as rows of a table."""
    return Markup("").join(
        write_row(
            RowShown(
                lane.bench.number,
                lane.bench.pair,
                str(lane.bench.id),
                tuple((page.address, page.title) for page in lane.bench.pages),
                lane.word,
                lane.late,
                lane.page.summary.what if lane.page else "",
                f"/classes/{lane.bench.class_id}",
            )
        )
        for lane in board.lanes
    )


@dataclass(frozen=True, slots=True)
class BoardSize:
    """How large a board is drawn.

    Attributes:
        width; floor: where its start line lies; left: where the lanes begin; largest: size of the spots where there
            is room.
    """

    width: int = WIDTH
    floor: float = FLOOR
    left: int = LEFT
    largest: float = 1.0


WALL = BoardSize(1560, 700.0, 200, 1.4)
"""A board that is read from across the room."""


@dataclass(frozen=True, slots=True)
class _Grid:
    """Rows and lanes of a board: how many rows, how far apart they and the lanes are, and where the floor is."""

    rows: int
    gap: float
    step: float
    size: BoardSize

    def x(self, index: int) -> float:
        return self.size.left + self.step * (index + 0.5)

    def y(self, done: float) -> float:
        return self.size.floor - self.gap * done


def _lane(bench: Bench, index: int, title: str, grid: _Grid, now: datetime, plan: PlanNow | None) -> BenchLane:
    """One bench: how far it is, how far it should be, and how it stands."""
    shown = shown_of(bench, title)
    done = min(shown.summary.done, grid.rows) if shown else 0
    due = next((at for _, at in alarms_on(shown) if at > now), None)
    state = _state(shown, waits=due is not None)
    late, plan_y, behind_to, y = 0, None, "", grid.y(done)
    if plan is not None and grid.rows:
        plan_y = grid.y(min(grid.rows, plan.front.expected(index, plan.minutes)))
        behind = plan.front.late(index, done, plan.minutes) if state != "done" else 0.0
        late = math.floor(behind) if behind >= LATE_FROM else 0
        if late and y - plan_y > 14:
            behind_to = f"{plan_y - y:.1f}"
    down = f"{grid.size.floor - y:.1f}"
    return BenchLane(bench, shown, grid.x(index), y, state, _word(shown, state), late, due, plan_y, down, behind_to)


def draw_board(
    benches: list[Bench],
    wanted: str = "",
    *,
    now: datetime,
    plan: PlanNow | None = None,
    size: BoardSize | None = None,
) -> Board:
    """Lay the benches of a class out by the newest page of each that belongs to one activity.

    Args:
        wanted: the activity to show; the one begun last without.
        now: for timers. plan: of that activity, where there is one.
    """
    size = size or BoardSize()
    choices = choices_of(benches)
    title = wanted if wanted in choices else choices[0] if choices else ""
    pages = [page for bench in benches for page in bench.pages if activity(page) == title]
    names = Counter(page.summary.names for page in pages)
    rows = list(names.most_common(1)[0][0])[:MOST_ROWS] if names else []
    gap = (size.floor - TOP) / (len(rows) + 0.5) if rows else 0.0
    grid = _Grid(len(rows), gap, (size.width - size.left - 12) / max(1, len(benches)), size)
    lanes = [_lane(bench, index, title, grid, now, plan) for index, bench in enumerate(benches)]
    front = _front(lanes, grid.step)
    return Board(
        size.width,
        int(size.floor + 66),
        size.floor,
        size.left,
        title,
        choices,
        [(_short(name), grid.y(index + 1)) for index, name in enumerate(rows)],
        lanes,
        {state: sum(lane.state == state for lane in lanes) for state in WORDS},
        min(size.largest, max(0.45, grid.step / 46)),
        grid.step >= ROOMY,
        front,
        f"{front}V{size.floor:.1f}H{size.left}Z" if front else "",
        plan.front.ends if plan else 0.0,
    )


@dataclass(frozen=True, slots=True)
class BoardAt:
    """What a board is drawn from.

    Attributes:
        benches: as they were read; a class that nobody wrote in gives the very same list.
        rung: how many timers are past due, for a spot waits until its timer rings.
        plan: its minutes are whole tenths, finer than a front is drawn.
    """

    benches: list[Bench]
    wanted: str
    now: datetime
    rung: int
    plan: PlanNow | None
    wall: bool = False

    @property
    def about(self) -> tuple[object, ...]:
        plan = (TheVery(self.plan.front), self.plan.minutes) if self.plan else None
        return self.wanted, self.rung, plan, self.wall


@dataclass(frozen=True, slots=True)
class DrawnBoard:
    """A board with its lanes drawn, and the same as rows of a table."""

    board: Board
    lanes: Markup
    rows: Markup


@drawn_once(64, ink=lambda at: at.benches, about=lambda at: at.about)
def drawn_board(at: BoardAt) -> DrawnBoard:
    """The board of the class page, or the larger one of the wall, which needs no table."""
    if at.wall:
        board = draw_board(at.benches, at.wanted, now=at.now, plan=at.plan, size=WALL)
        return DrawnBoard(board, drawn_lanes(board, wall=True), Markup(""))
    board = draw_board(at.benches, at.wanted, now=at.now, plan=at.plan)
    return DrawnBoard(board, drawn_lanes(board), written_rows(board))


def _front(lanes: list[BenchLane], step: float) -> str:
    """The plan front over the lanes as one stepped path; empty without a plan."""
    heights = [lane.plan_y for lane in lanes]
    if not lanes or any(y is None for y in heights):
        return ""
    path = f"M{lanes[0].x - step / 2:.1f} {heights[0]:.1f}"
    for lane, y in zip(lanes, heights, strict=True):
        path += f"V{y:.1f}H{lane.x + step / 2:.1f}"
    return path


def in_use(benches: list[Bench], title: str, shared: dict[str, int]) -> list[InUse]:
    """Shared kit that benches take up by the step they are at, what is queued for first."""
    pages = (shown_of(bench, title) for bench in benches)
    return put_away.in_use([page.summary.kit for page in pages if page], shared)


def _short(name: str) -> str:
    """As much of a stage's name as has room beside the board, whole words."""
    if len(name) <= 19:
        return name
    words = ""
    for word in name.split():
        if len(words) + len(word) > 17:
            break
        words += f" {word}"
    return (words.strip() or name[:17]) + " …"


def _state(page: PageOnBoard | None, *, waits: bool) -> str:
    if page is None or not page.entries:
        return "none"
    if not page.summary.done and not page.summary.level:
        return "none"
    if page.summary.level in ("stop", "caution"):
        return page.summary.level
    if page.summary.done == page.summary.stages:
        return "done"
    return "waiting" if waits else "working"
