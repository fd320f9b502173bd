"""The class board: the benches as lanes of one plate, each spot as high as its work has risen."""

from __future__ import annotations

from dataclasses import dataclass

from helvor.bench.planar.plate import Plate
from helvor.bench.planar.work_out import stages
from helvor.notebook.classes import Bench, PageOnBoard

WIDTH, TOP, ROW, LEFT = 888, 24, 74, 128
STAGES = [stage.name for stage in stages(Plate())]


@dataclass(frozen=True, slots=True)
class BenchLane:
    """One bench on the board. ``page`` is its newest page, None where nothing was started."""

    bench: Bench
    page: PageOnBoard | None
    x: float
    y: float
    state: str
    word: str


@dataclass(frozen=True, slots=True)
class Board:
    """Coordinates in drawing units, from the top left."""

    width: int
    height: int
    floor: float
    left: int
    rows: list[tuple[str, float]]
    lanes: list[BenchLane]
    counts: dict[str, int]


WORDS = {"none": "to start", "working": "working", "stop": "stop", "caution": "caution", "done": "read"}


def draw_board(benches: list[Bench]) -> Board:
    """Lay the benches of a class out by the newest page of each."""
    floor = TOP + ROW * (len(STAGES) + 0.5)
    step = (WIDTH - LEFT - 12) / max(1, len(benches))
    lanes = []
    for index, bench in enumerate(benches):
        page = bench.pages[-1] if bench.pages else None
        done = page.summary.get("done", 0) if page else 0
        state = _state(page)
        lanes.append(BenchLane(bench, page, LEFT + step * (index + 0.5), floor - ROW * done, state, WORDS[state]))
    rows = [(name, floor - ROW * (index + 1)) for index, name in enumerate(STAGES)]
    counts = {state: sum(lane.state == state for lane in lanes) for state in WORDS}
    return Board(WIDTH, int(floor + 66), floor, LEFT, rows, lanes, counts)


def _state(page: PageOnBoard | None) -> str:
    if page is None or not page.entries:
        return "none"
    if page.summary.get("level") in ("stop", "caution"):
        return str(page.summary["level"])
    return "done" if page.summary.get("done") == page.summary.get("stages") else "working"
