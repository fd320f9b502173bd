"""What a class found: its benches' numbers as dots, with middle, spread and what lies apart."""

from __future__ import annotations

from dataclasses import dataclass
from uuid import UUID

from fastapi import APIRouter, Request
from starlette.responses import Response

from helvor.bench.quantity import round_to
from helvor.bench.review.side_by_side import Measure, Shared, measures, shared
from helvor.bench.robust import Spread
from helvor.bench.run.work_out import RunWorksheet
from helvor.notebook import pages
from helvor.notebook.pages import NotYours
from helvor.web.extraction.drawing import Axis
from helvor.web.places import shell_of_class
from helvor.web.rendering import Shell, html
from helvor.web.run.shown import sheet_of
from helvor.web.security import VisitorDep, pool

router = APIRouter(include_in_schema=False)

LEFT, WIDE, TOP, FOOT = 56.0, 800.0, 14.0, 250.0
DOT = 11.0
"""Radius of a bench's dot, drawing units."""


@dataclass(frozen=True, slots=True)
class DotShown:
    """A bench's dot: where, its number, its run, what it says, and whether it lies apart."""

    x: float
    y: float
    bench: int
    address: str
    says: str
    apart: bool


@dataclass(frozen=True, slots=True)
class LaneShown:
    """A measure as a lane of dots: its middle half as a band, its median as a line, what was expected as another."""

    x: float
    width: float
    label: str
    median: str
    half: str
    unit: str
    band: tuple[float, float]
    middle: float
    expected: float | None
    ticks: list[tuple[float, str]]
    dots: list[DotShown]


@dataclass(frozen=True, slots=True, kw_only=True)
class ReviewPage(Shell):
    """A class's numbers side by side; ``rows`` is the same as a table, bench by bench."""

    works: list[str]
    work: str
    runs: int
    lanes: list[LaneShown]
    heads: list[str]
    rows: list[tuple[int, str, list[tuple[str, bool]]]]
    found: list[Shared]
    first: Measure | None
    first_spread: Spread | None


@dataclass(frozen=True, slots=True)
class RunOfClass:
    """A run of a class, worked out."""

    bench: int
    address: str
    title: str
    sheet: RunWorksheet


def runs_of_class(request: Request, who: VisitorDep, class_id: UUID) -> list[RunOfClass]:
    """Every run of a class, bench by bench; none if the account does not teach it."""
    with pool(request).connection() as conn:
        found = pages.pages_of_class(conn, who.account.id, class_id)
    return [
        RunOfClass(page.bench_number or 0, f"/runs/{page.id}", page.title, sheet_of(page, entries))
        for page, entries in found
        if page.technique_key == "run" and page.bench_number
    ]


def _dots(measure: Measure, x: float, width: float, y: Axis, address: dict[int, str]) -> list[DotShown]:
    """Dots beside each other where they would cover one another."""
    placed = list[DotShown]()
    middle = x + width / 2
    for one in sorted(measure.numbers, key=lambda n: n.value):
        at = y.at(one.value)
        taken = [dot.x for dot in placed if abs(dot.y - at) < 2 * DOT - 1]
        spots = [middle + side * step * (2 * DOT + 1) for step in range(12) for side in (1, -1)]
        free = next((s for s in spots if all(abs(s - t) >= 2 * DOT - 1 for t in taken)), middle)
        inside = min(max(free, x + DOT + 2), x + width - DOT - 2)
        says = f"bench {one.bench}: {round_to(one.value, 1)} {measure.unit}" + (
            ", apart from the others" if one.apart else ""
        )
        placed.append(DotShown(round(inside, 1), at, one.bench, address[one.bench], says, one.apart))
    return placed


def _lane(number: int, of: int, measure: Measure, address: dict[int, str]) -> LaneShown:
    width = WIDE / of
    x = LEFT + width * number
    values = [one.value for one in measure.numbers]
    ends = [*values, *([measure.expected] if measure.expected is not None else [])]
    room = max(0.15 * (max(ends) - min(ends)), 0.5)
    y = Axis(min(ends) - room, max(ends) + room, FOOT, TOP)
    middle = measure.spread
    span = y.high - y.low
    step = next(s for s in (0.5, 1, 2, 5, 10, 20, 50, 100, 500) if span / s <= 6 or s == 500)
    heights = [n * step for n in range(int(y.low // step) + 1, int(y.high // step) + 1)]
    ticks = [(y.at(height), f"{height:g}") for height in heights]
    return LaneShown(
        round(x, 1), round(width, 1), measure.label, round_to(middle.median, 1),
        f"{round_to(middle.low, 1)}–{round_to(middle.high, 1)}", measure.unit, (y.at(middle.high), y.at(middle.low)),
        y.at(middle.median), y.at(measure.expected) if measure.expected is not None else None, ticks,
        _dots(measure, x, width, y, address),
    )  # fmt: skip


@router.get("/classes/{class_id}/review")
def review(request: Request, class_id: UUID, who: VisitorDep, work: str = "") -> Response:
    """The numbers of a procedure that a class ran, bench beside bench."""
    with pool(request).connection() as conn:
        row, meeting = shell_of_class(conn, who, class_id)
    if row is None:
        raise NotYours
    runs = runs_of_class(request, who, class_id)
    works = list(dict.fromkeys(one.title for one in runs))
    chosen = work if work in works else next(iter(works), "")
    mine = {one.bench: one for one in runs if one.title == chosen}
    sheets = [(bench, one.sheet) for bench, one in mine.items()]
    found = measures(sheets)
    address = {bench: one.address for bench, one in mine.items()}
    shown = found[:6]
    values = [{one.bench: one for one in measure.numbers} for measure in found]
    rows = [
        (bench, address[bench], [
            (f"{round_to(each[bench].value, 1)} {m.unit}", each[bench].apart) if bench in each else ("", False)
            for each, m in zip(values, found, strict=True)
        ])
        for bench in sorted(mine)
    ]  # fmt: skip
    first = next((measure for measure in found if measure.key == "closure"), next(iter(found), None))
    page = ReviewPage(
        visitor=who, place="review", class_row=row, meeting=meeting, works=works, work=chosen, runs=len(mine),
        lanes=[_lane(n, len(shown), measure, address) for n, measure in enumerate(shown)],
        heads=[measure.label for measure in found], rows=rows, found=shared(sheets), first=first,
        first_spread=first.spread if first is not None else None,
    )  # fmt: skip
    return html("review.html", page)
