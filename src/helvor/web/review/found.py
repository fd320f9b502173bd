"""What a class found, put together from its pages: the same for the page, for JSON, for tables and for reports.

Nothing of it is kept: pages that nobody wrote on since give the very same worksheets, and of those everything
here is worked out once.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field
from typing import Any
from uuid import UUID

import psycopg

from helvor.core.engine.run.work_out import RunWorksheet
from helvor.core.record.entry import Entry
from helvor.core.record.worksheet import Worksheet
from helvor.core.review import answers, losses
from helvor.core.review import side_by_side as review
from helvor.core.review.answers import Marked, SheetSettings, Summed
from helvor.core.review.losses import BenchLoss, ClassLoss
from helvor.core.review.side_by_side import Measure, Number, Shared
from helvor.core.techniques.planar.results import PlateWorksheet
from helvor.core.techniques.planar.side_by_side import OnePlate, SideBySide, side_by_side
from helvor.notebook import answer_sheets, page_lists
from helvor.notebook.answer_sheets import PLATES
from helvor.notebook.page_rows import Page
from helvor.shelf.solvents import eluotropic_rank
from helvor.web.rendering import TheVery, drawn_once

PLATES_TITLE = "Plates"


@dataclass(frozen=True, slots=True)
class OnePage:
    """A page of the class, worked out."""

    page: Page
    entries: Sequence[Entry]
    sheet: Worksheet

    @property
    def bench(self) -> int:
        return self.page.bench_number or 0


@dataclass(frozen=True, slots=True)
class Work:
    """What the class did under one title: its pages, the newest of each bench, and what is set for its answers."""

    title: str
    pages: tuple[OnePage, ...]
    settings: SheetSettings
    runs: tuple[tuple[int, RunWorksheet], ...] = ()
    plates: tuple[OnePlate, ...] = ()

    @property
    def ink(self) -> tuple[TheVery, ...]:
        """What everything here is worked out of."""
        return tuple(TheVery(one.sheet) for one in self.pages)

    @property
    def address(self) -> dict[int, str]:
        """Bench → its page; of several the newest."""
        return {one.bench: one.page.address for one in self.pages}

    @property
    def benches(self) -> list[int]:
        return sorted({one.bench for one in self.pages})


@dataclass(frozen=True, slots=True)
class Found:
    """What is worked out of a work.

    Attributes:
        marks: bench → its answers looked through, those of all its plates together.
        compared: the plates side by side, where it is plates.
    """

    measures: list[Measure]
    shared: list[Shared]
    losses: ClassLoss | None
    marks: dict[int, list[Marked]]
    answers: Summed
    compared: SideBySide | None = None


@dataclass(frozen=True, slots=True)
class ClassFound:
    """A class: its works by title, in the order of their first pages."""

    works: dict[str, Work] = field(default_factory=dict)

    def chosen(self, title: str) -> Work | None:
        """The work of that title, else the first."""
        return self.works.get(title) or next(iter(self.works.values()), None)


def read_class(conn: psycopg.Connection, account_id: int, class_id: UUID) -> ClassFound:
    """Every page of a class worked out, by what it is about; nothing if the account does not teach it."""
    settings = answer_sheets.all_settings(conn, account_id, class_id)
    rank = eluotropic_rank()
    by_title: dict[str, list[OnePage]] = {}
    for page, entries in page_lists.pages_of_class(conn, account_id, class_id):
        one = OnePage(page, entries, page.kind.work_out(entries, page.rules, rank))
        by_title.setdefault(page.title if page.technique_key == "run" else PLATES_TITLE, []).append(one)
    # Plates come last: a class that ran a procedure is looked at by that.
    titles = sorted(by_title, key=lambda title: title == PLATES_TITLE)
    return ClassFound({title: _work(title, by_title[title], settings) for title in titles})


def _work(title: str, ones: Sequence[OnePage], settings: Any) -> Work:
    key = PLATES if title == PLATES_TITLE else title
    newest = {one.bench: one for one in ones}
    runs = tuple((bench, one.sheet) for bench, one in newest.items() if isinstance(one.sheet, RunWorksheet))
    plates = tuple(
        OnePlate(f"{one.page.bench_name}, {one.page.title}", one.page.address, one.sheet, one.page.bench_number)
        for one in ones
        if isinstance(one.sheet, PlateWorksheet)
    )
    return Work(title, tuple(ones), settings.get(key, SheetSettings()), runs, plates)


@dataclass(frozen=True, slots=True)
class _OfRun:
    """What a single run brings to its class; worked out again only when somebody wrote on it."""

    numbers: list[Number]
    loss: BenchLoss | None


@drawn_once(most=400, ink=lambda run: run[1], about=lambda run: run[0])
def _of_run(run: tuple[int, RunWorksheet]) -> _OfRun:
    return _OfRun(review.numbers_of(run[1]), losses.of_bench(*run))


@drawn_once(most=400, ink=lambda asked: asked[0], about=lambda asked: asked[1].model_dump_json())
def marks_once(asked: tuple[RunWorksheet | PlateWorksheet, SheetSettings]) -> list[Marked]:
    """A page's answers looked through, once for as long as nobody writes on it."""
    return answers.of_page(*asked)


@drawn_once(most=24, ink=lambda work: None, about=lambda work: (work.ink, work.settings.model_dump_json()))
def found_of(work: Work) -> Found:
    """Everything that review shows of a work, worked out once for as long as nobody writes."""
    marks: dict[int, list[Marked]] = {}
    for one in work.pages:
        if isinstance(one.sheet, PlateWorksheet):
            marks.setdefault(one.bench, []).extend(marks_once((one.sheet, work.settings)))
    for bench, sheet in work.runs:
        marks.setdefault(bench, []).extend(marks_once((sheet, work.settings)))
    summed = answers.summed(sorted(marks.items()))
    if work.plates:
        compared = side_by_side(work.plates)
        return Found(review.of_plates(compared), [], None, marks, summed, compared)
    each = [(run[0], _of_run(run)) for run in work.runs]
    measures = review.beside([(bench, one.numbers) for bench, one in each])
    loss = losses.together([one.loss for _, one in each if one.loss is not None])
    return Found(measures, review.shared(work.runs), loss, marks, summed)
