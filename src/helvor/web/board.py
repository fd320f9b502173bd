"""The class board: the benches as lanes of one plate, each spot as high as its work has risen."""

from __future__ import annotations

from collections import Counter
from dataclasses import dataclass

from helvor.notebook.classes import Bench, PageOnBoard

WIDTH, TOP, FLOOR, LEFT = 888, 24, 505.0, 150
MOST_ROWS = 16


@dataclass(frozen=True, slots=True)
class BenchLane:
    """One bench on the board. ``page`` is the page that is shown of it, None where nothing was started."""

    bench: Bench
    page: PageOnBoard | None
    x: float
    y: float
    state: str
    word: str


@dataclass(frozen=True, slots=True)
class Board:
    """Coordinates in drawing units, from the top left. ``title`` is what the rows are of."""

    width: int
    height: int
    floor: float
    left: int
    title: str
    choices: list[str]
    rows: list[tuple[str, float]]
    lanes: list[BenchLane]
    counts: dict[str, int]


WORDS = {"none": "to start", "working": "working", "stop": "stop", "caution": "caution", "done": "done"}


def activity(page: PageOnBoard) -> str:
    """What a page counts under on the board: its procedure, or its technique."""
    title: str = page.summary.get("title") or ""
    return title or f"{page.title.rpartition(' ')[0]}s"


def draw_board(benches: list[Bench], wanted: str = "") -> Board:
    """Lay the benches of a class out by the newest page of each that belongs to one activity.

    Args:
        wanted: the activity to show; the one begun last without.
    """
    begun: dict[str, list[PageOnBoard]] = {}
    for bench in benches:
        for page in bench.pages:
            begun.setdefault(activity(page), []).append(page)
    choices = sorted(begun, key=lambda name: max(page.started_at for page in begun[name]), reverse=True)
    title = wanted if wanted in begun else choices[0] if choices else ""
    names = Counter(tuple(page.summary.get("names", ())) for page in begun.get(title, []))
    rows = list(names.most_common(1)[0][0])[:MOST_ROWS] if names else []
    gap = (FLOOR - TOP) / (len(rows) + 0.5) if rows else 0.0
    step = (WIDTH - LEFT - 12) / max(1, len(benches))
    lanes = []
    for index, bench in enumerate(benches):
        mine = [page for page in bench.pages if activity(page) == title]
        shown = mine[-1] if mine else None
        done = min(shown.summary.get("done", 0), len(rows)) if shown else 0
        state = _state(shown)
        lanes.append(BenchLane(bench, shown, LEFT + step * (index + 0.5), FLOOR - gap * done, state, WORDS[state]))
    drawn = [(_short(name), FLOOR - gap * (index + 1)) for index, name in enumerate(rows)]
    counts = {state: sum(lane.state == state for lane in lanes) for state in WORDS}
    return Board(WIDTH, int(FLOOR + 66), FLOOR, LEFT, title, choices, drawn, lanes, counts)


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


def _state(page: PageOnBoard | None) -> str:
    if page is None or not page.entries:
        return "none"
    if not page.summary.get("done") and not page.summary.get("level"):
        return "none"
    if page.summary.get("level") in ("stop", "caution"):
        return str(page.summary["level"])
    return "done" if page.summary.get("done") == page.summary.get("stages") else "working"
