"""The plates of a class side by side, to one scale; and which sample made a plate that was handed out."""

from __future__ import annotations

import textwrap
from collections import Counter
from dataclasses import dataclass
from urllib.parse import urlencode
from uuid import UUID

from fastapi import APIRouter, Request
from starlette.responses import Response

from helvor.core.laws.planar.identify import Ranked
from helvor.core.record.entry import Entry
from helvor.core.techniques.planar.plate import PHASES
from helvor.core.techniques.planar.side_by_side import (
    OnePlate,
    Series,
    SideBySide,
    System,
    Value,
    reason,
    samples_in,
    side_by_side,
    tuning_lines,
    who_made,
)
from helvor.core.techniques.planar.work_out import work_out
from helvor.exchange.planar import comparison_table
from helvor.notebook import classes, page_lists
from helvor.notebook.classes import ClassRow
from helvor.notebook.page_errors import NotYours
from helvor.notebook.page_rows import Page
from helvor.shelf.solvents import eluotropic_rank
from helvor.web.may import May, may
from helvor.web.places import shell_of_class
from helvor.web.rendering import Shell, html
from helvor.web.security import VisitorDep, pool

router = APIRouter(include_in_schema=False)

TOP, FLOOR, AXIS, GAP = 74.0, 446.0, 44.0, 22.0
ROOM, NARROWEST, WIDEST = 836.0, 66.0, 118.0
"""Width that the page has for the drawing, and how wide a sample's column may be."""
LETTER = 6.7


@dataclass(frozen=True, slots=True, kw_only=True)
class Dot:
    x: float
    y: float
    address: str
    says: str
    reference: bool
    outlying: bool
    bench: str


@dataclass(frozen=True, slots=True, kw_only=True)
class Panel:
    """A system drawn: its left edge and width, a column for each sample, dots, a bar at each median."""

    left: float
    width: float
    title: list[str]
    columns: list[tuple[float, str, list[str]]]
    dots: list[Dot]
    bars: list[tuple[float, float]]


@dataclass(frozen=True, slots=True, kw_only=True)
class Mystery:
    """A plate handed out, and the samples that may have made it."""

    plate: str
    lane: str
    ranked: list[tuple[Ranked, str]]


@dataclass(frozen=True, kw_only=True)
class ComparePlatesPage(Shell):
    panels: list[Panel]
    rows: list[tuple[System, list[Series]]]
    found: SideBySide
    width: float
    tuning: str
    lanes: list[tuple[str, str]]
    """Value and words of every lane that may be asked about."""
    asked: str
    mystery: Mystery | None
    phase: str
    phases: dict[str, str]
    """The other phases that the class has plates on, with their words."""


def _plates(found: list[tuple[Page, list[Entry]]]) -> list[OnePlate]:
    rank = eluotropic_rank()
    return [
        OnePlate(
            f"{page.bench_name}, {page.title}", page.address, work_out(entries, page.rules, rank), page.bench_number
        )
        for page, entries in found
        if page.technique_key == "planar"
    ]


def _panels(found: SideBySide) -> tuple[list[Panel], float]:
    panels, left = [], AXIS
    total = sum(max(len(system.samples), 2) for system in found.systems)
    free = ROOM - AXIS - GAP * len(found.systems)
    column = min(WIDEST, max(NARROWEST, free / max(total, 1)))
    for system in found.systems:
        samples = system.samples
        width = column * max(len(samples), 2)
        columns = [
            (left + column * (i + 0.5), sample, _lines(sample, column / LETTER, 2)) for i, sample in enumerate(samples)
        ]
        place = {sample: x for x, sample, _ in columns}
        dots, bars = [], []
        for series in system.series:
            x = place[series.sample]
            bars.append((x, _y(series.median)))
            for i, value in enumerate(series.values):
                shift = 0.0 if len(series.values) == 1 else 26.0 * (i / (len(series.values) - 1) - 0.5)
                dots.append(
                    Dot(
                        x=x + shift,
                        y=_y(value.rf),
                        address=value.address,
                        says=_says(value, series),
                        reference=series.reference,
                        outlying=value.outlying,
                        bench=value.plate.partition(",")[0].removeprefix("Bench "),
                    )
                )
        title = [*_lines(system.eluent.names, width / 7.6, 2), system.eluent.as_percents or "pure"]
        panels.append(Panel(left=left, width=width, title=title, columns=columns, dots=dots, bars=bars))
        left += width + GAP
    return panels, left - GAP + 12


def _lines(words: str, letters: float, most: int) -> list[str]:
    """Words in lines of so many letters; what does not fit ends in an ellipsis."""
    lines = textwrap.wrap(words, max(4, int(letters)))
    if len(lines) > most:
        lines = [*lines[: most - 1], lines[most - 1][: max(3, int(letters) - 1)] + "…"]
    return lines


def _says(value: Value, series: Series) -> str:
    apart = ", outlier" if value.outlying else ""
    return f"{value.plate}, {series.title}: Rf {value.rf:.2f}{apart}"


def _y(rf: float) -> float:
    return FLOOR - (FLOOR - TOP) * rf


def _mystery(plates: list[OnePlate], found: SideBySide, asked: str) -> Mystery | None:
    """Rank the class's samples for one lane; only those that ran in the same system."""
    address, _, lane = asked.partition(" ")
    plate = next((p for p in plates if p.address == address), None)
    system = next((s for s in found.systems if plate in s.plates), None)
    if plate is None or system is None:
        return None
    own = next((on.lane.substance or on.label for on in plate.sheet.plate.lanes if on.label == lane), "")
    ranked = who_made(plate, lane, samples_in(system, but=own))
    return Mystery(plate=plate.name, lane=lane, ranked=[(one, reason(one)) for one in ranked[:8]])


def plates_of_class(request: Request, who: VisitorDep, class_id: UUID) -> tuple[ClassRow, list[OnePlate]]:
    with pool(request).connection() as conn:
        row = classes.open_class(conn, who.account.id, class_id)
        if row is None:
            raise NotYours
        return row, _plates(page_lists.pages_of_class(conn, who.account.id, class_id))


def phases_of(plates: list[OnePlate]) -> list[str]:
    """The phases that plates were run on, most used first."""
    used = Counter(plate.sheet.plate.set_up.phase for plate in plates if plate.sheet.plate.set_up)
    return [phase for phase, _ in used.most_common()]


@router.get("/classes/{class_id}/plates")
@may(May.STAFF)
def compare(request: Request, class_id: UUID, who: VisitorDep, phase: str = "", lane: str = "") -> Response:
    """The same samples in each system, with means, spreads and outliers."""
    _, plates = plates_of_class(request, who, class_id)
    with pool(request).connection() as conn:
        row, meeting = shell_of_class(conn, who, class_id)
    phases = phases_of(plates)
    chosen = phase if phase in phases else (phases or [""])[0]
    mine = [p for p in plates if p.sheet.plate.set_up is None or p.sheet.plate.set_up.phase == chosen]
    found = side_by_side(mine)
    panels, width = _panels(found)
    text = tuning_lines(found.systems)
    page = ComparePlatesPage(
        visitor=who,
        place="bench",
        class_row=row,
        meeting=meeting,
        panels=panels,
        rows=[(system, list(system.series)) for system in found.systems],
        found=found,
        width=max(width, 560),
        tuning=f"/calculators/tuning?{urlencode({'phase': chosen, 'plates': text})}" if text else "",
        lanes=[
            (f"{p.address} {on.label}", f"{p.name}, lane {on.label}")
            for system in found.systems
            for p in system.plates
            for on in p.sheet.plate.lanes
            if on.lane.role == "unknown"
        ],
        asked=lane,
        mystery=_mystery(mine, found, lane) if lane else None,
        phase=chosen,
        phases={key: PHASES[key] for key in phases if key != chosen},
    )
    return html("techniques/planar/compare.html", page)


@router.get("/classes/{class_id}/plates.csv")
@may(May.STAFF)
def as_table(request: Request, class_id: UUID, who: VisitorDep) -> Response:
    """Means and spreads of every sample in every system, as CSV."""
    row, plates = plates_of_class(request, who, class_id)
    headers = {"Content-Disposition": f'attachment; filename="{row.code}-plates.csv"'}
    return Response(comparison_table(side_by_side(plates)), media_type="text/csv; charset=utf-8", headers=headers)
