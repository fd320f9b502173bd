"""The period drawn: a row for each bench, its steps in time, queues hatched, and how full shared kit is."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass
from datetime import datetime, timedelta

from helvor.core.classroom.prep.period import HELD_WAITING, Block, Fit
from helvor.core.record.procedure import Procedure
from helvor.web.rendering import clock

LEFT, WIDE, ROW, TOP = 84.0, 1120.0, 17.0, 24.0
KIT_HIGH, KIT_GAP = 30.0, 16.0


@dataclass(frozen=True, slots=True)
class Bar:
    """A stretch of a bench's time: *look* is hands, waits, queue, or the kit that it is in."""

    x: float
    y: float
    width: float
    look: str
    says: str


@dataclass(frozen=True, slots=True)
class KitRow:
    """A kind of kit below the benches: how many are in use over time, as a path, and who queues above its count."""

    name: str
    y: float
    line_y: float
    used: str
    queued: str


@dataclass(frozen=True, slots=True)
class PeriodDrawing:
    """Coordinates in drawing units."""

    width: float
    height: float
    rows: list[tuple[str, float]]
    bars: list[Bar]
    kits: list[KitRow]
    hours: list[tuple[float, str]]
    end_x: float
    done_x: float
    talk: tuple[float, float]
    floor: float
    now_x: float | None


def _bars(
    lanes: Sequence[Sequence[Block]], kinds: Sequence[str], row: float, x: Callable[[float], float]
) -> Iterator[Bar]:
    """What each bench does when: queueing, working, waiting."""
    for number, lane in enumerate(lanes):
        y = TOP + row * number
        for block in lane:
            words = f"bench {number + 1}: {kinds[block.step]}"
            if block.starts - block.queued >= 0.5:
                yield Bar(x(block.queued), y, x(block.starts) - x(block.queued), "queue", f"{words}, queues")
            look = _look(block)
            yield Bar(x(block.starts), y, max(0.8, x(block.hands_until) - x(block.starts)), look, words)
            if block.ends > block.hands_until:
                stays = look != "hands" and any(kit.casefold() in HELD_WAITING for kit in block.kit)
                wide = x(block.ends) - x(block.hands_until)
                yield Bar(x(block.hands_until), y, wide, f"{look} waits" if stays else "idle", f"{words}, waits")


def draw_period(
    procedure: Procedure, meeting: int, fit: Fit, starts: datetime, zone: str, worked: float | None = None
) -> PeriodDrawing:
    """Draw the run without scatter; *worked* is how many minutes the meeting has come, where it runs."""
    setting = fit.setting
    kinds = [s.kind for s in procedure.steps if s.doer == "bench" and s.meeting == meeting]
    last = max((b.ends for lane in fit.lanes for b in lane), default=setting.minutes)
    span = max(setting.minutes, last + setting.clean_up, fit.late) + 4
    row = ROW if setting.benches <= 16 else 8.0

    def x(minutes: float) -> float:
        return LEFT + WIDE * minutes / span

    floor = TOP + row * len(fit.lanes) + 6
    busy = [queue for queue in fit.queues if queue.minutes >= 1 or queue.busy > 0.3][:MOST_KITS]
    kits = [
        _kit_row(queue.kit, queue.count, fit.lanes, floor + 14 + number * (KIT_HIGH + KIT_GAP), x)
        for number, queue in enumerate(busy, 1)
    ]
    step_minutes = 20 if span <= 200 else 30
    return PeriodDrawing(
        LEFT + WIDE + 8,
        (kits[-1].y if kits else floor) + 30,
        [
            (str(number), TOP + row * (number - 0.5) + 4)
            for number in range(1, len(fit.lanes) + 1)
            if row == ROW or number % 2
        ],
        list(_bars(fit.lanes, kinds, row, x)),
        kits,
        [(x(minute), clock(starts + timedelta(minutes=minute), zone)) for minute in range(0, int(span), step_minutes)],
        x(setting.minutes),
        x(fit.median),
        (x(0), x(setting.talk)),
        floor,
        x(worked) if worked is not None and worked < span else None,
    )


MOST_KITS = 4
"""Rows of shared kit under a period: those that benches wait for."""


def _look(block: Block) -> str:
    for name in ("oven", "vacuum", "suction", "hotplate", "balance", "evaporator", "hood"):
        if any(kit.casefold() == name for kit in block.kit):
            return {"suction": "vacuum", "hood": "hands", "evaporator": "hotplate"}.get(name, name)
    return "hands"


Scale = Callable[[float], float]
"""Minutes from the start → place across the drawing."""


def _kit_row(name: str, count: int, lanes: Sequence[Sequence[Block]], base: float, x: Scale) -> KitRow:
    uses, queues = [], []
    for block in (block for lane in lanes for block in lane if name in block.kit):
        uses.append((block.starts, block.ends if name.casefold() in HELD_WAITING else block.hands_until))
        if block.starts > block.queued:
            queues.append((block.queued, block.starts))
    scale = KIT_HIGH * 0.62 / max(count, 1)
    full = base - max(count, 1) * scale
    return KitRow(f"{name}, {count}", base, full, _steps(uses, base, scale, x), _steps(queues, full, 0.6 * scale, x))


def _steps(spans: list[tuple[float, float]], base: float, scale: float, x: Scale) -> str:
    """How many spans cover each moment, as a closed path over *base*."""
    if not spans:
        return ""
    moments: dict[float, int] = {}
    for begin, end in spans:
        moments[begin] = moments.get(begin, 0) + 1
        moments[end] = moments.get(end, 0) - 1
    path, now = f"M{x(min(moments)):.1f} {base:.1f}", 0
    for moment in sorted(moments):
        now += moments[moment]
        path += f"H{x(moment):.1f}V{base - now * scale:.1f}"
    return path + "Z"
