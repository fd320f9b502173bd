"""What a class found: its benches' numbers as dots, what they answered, where it went, the key of unknowns."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from uuid import UUID

import psycopg
from fastapi import APIRouter, Request
from markupsafe import Markup
from starlette.responses import Response

from helvor.core.engine.run.work_out import RunWorksheet
from helvor.core.quantities.reading import round_to
from helvor.core.quantities.robust import Spread
from helvor.core.review import unknowns as key
from helvor.core.review.answers import Marked, Verdict, as_written
from helvor.core.review.losses import ClassLoss
from helvor.core.review.side_by_side import Measure, Shared
from helvor.core.techniques.planar.results import PlateWorksheet
from helvor.exchange.review import ANSWER_COLUMNS, NUMBER_COLUMNS, answer_rows, number_rows
from helvor.exchange.tables import csv_text
from helvor.notebook import classes, unknowns
from helvor.notebook.classes import EarlierClass
from helvor.notebook.page_errors import NotYours
from helvor.web.may import May, may
from helvor.web.places import shell_of_class
from helvor.web.rendering import Shell, TheVery, drawn_once, fragment, html
from helvor.web.review.drawing import LaneShown, LossShown, decimals_of, draw_losses, groups_of, lanes_of
from helvor.web.review.found import ClassFound, Found, OnePage, Work, found_of, read_class
from helvor.web.security import Visitor, VisitorDep, pool

router = APIRouter(include_in_schema=False)

MOST_EXPLAINED = 9
"""Wrong answers that are put into words; the table has all of them."""


@dataclass(frozen=True, slots=True)
class AnswerCell:
    """A bench's answer in the class's table."""

    written: str
    verdict: str
    right: str
    says: str


@dataclass(frozen=True, slots=True)
class AnswerRow:
    """A question over all benches; None where a bench has not answered."""

    label: str
    cells: list[AnswerCell | None]
    right: int


@dataclass(frozen=True, slots=True)
class ExplainedShown:
    """What went wrong at a bench, in words: the mistake, the questions it shows in, and the sum of the first."""

    bench: int
    labels: list[str]
    says: str
    shown: str
    verdict: str


@dataclass(frozen=True, slots=True, kw_only=True)
class ReviewFound:
    """The part of the page that is worked out of the record; drawn once for as long as nobody writes."""

    class_id: UUID
    work: str
    benches: list[int]
    lanes: list[LaneShown]
    heads: list[tuple[str, str]]
    groups: list[tuple[float, str]]
    rows: list[tuple[int, str, list[tuple[str, bool]]]]
    earlier: str
    answer_rows: list[AnswerRow]
    explained: list[ExplainedShown]
    counts: Mapping[Verdict, int]
    missing: int
    mistakes: list[tuple[str, tuple[int, ...]]]
    loss: ClassLoss | None
    loss_shown: LossShown | None
    shared: list[Shared]
    first: Measure | None
    first_spread: Spread | None
    decimals: int


@dataclass(frozen=True, slots=True)
class KeyShown:
    """A series of unknowns judged: bench by bench, and how near the class came."""

    name: str
    released: bool
    rows: list[key.Judged]
    accuracy: list[key.Accuracy]


@dataclass(frozen=True, slots=True, kw_only=True)
class ReviewPage(Shell):
    """A class's numbers side by side."""

    works: list[str]
    work: str
    runs: int
    found: Markup
    keys: list[KeyShown]
    others: list[EarlierClass]
    against: UUID | None


@dataclass(frozen=True, slots=True)
class _ToDraw:
    class_id: UUID
    work: Work
    found: Found
    earlier: tuple[str, list[Measure]] | None


def _answers(work: Work, found: Found) -> tuple[list[AnswerRow], list[ExplainedShown]]:
    benches = work.benches
    by_label: dict[str, dict[int, Marked]] = {}
    explained: dict[tuple[int, str, str], ExplainedShown] = {}
    for bench in benches:
        for mark in found.marks.get(bench, []):
            if mark.answer is None:
                continue
            label = mark.question.label
            by_label.setdefault(label, {})[bench] = mark
            if mark.verdict in ("wrong", "rounding") and mark.says:
                shown = ""
                if mark.mistake is not None:
                    value = as_written(mark.mistake.value, mark.question.unit, decimals=_places(mark))
                    shown = f"{mark.mistake.shown} = {value}"
                new = ExplainedShown(bench, [], mark.says, shown, mark.verdict)
                explained.setdefault((bench, mark.says, mark.verdict), new).labels.append(label)
    rows = [
        AnswerRow(
            label,
            [
                AnswerCell(m.answer.written, m.verdict, m.right, m.says) if m is not None and m.answer else None
                for m in (marks.get(bench) for bench in benches)
            ],
            sum(m.verdict == "right" for m in marks.values()),
        )
        for label, marks in by_label.items()
    ]
    # One that names a mistake tells more than one that names none.
    return rows, sorted(explained.values(), key=lambda one: (one.verdict != "wrong", not one.shown))


def _places(mark: Marked) -> int:
    """Decimals of a number with a mistake in it: those of the answer."""
    step = mark.answer.resolution if mark.answer is not None else None
    if step is None:
        return 2
    return max(0, min(6, len(f"{step:.6f}".rstrip("0").partition(".")[2])))


@drawn_once(
    most=24,
    ink=lambda to: to.found,
    about=lambda to: (
        to.class_id,
        to.work.title,
        to.earlier[0] if to.earlier else "",
        tuple(TheVery(m) for m in to.earlier[1]) if to.earlier else (),
    ),
)
def _draw(to: _ToDraw) -> Markup:
    work, found = to.work, to.found
    address = work.address
    values = [{one.bench: one for one in measure.numbers} for measure in found.measures]
    rows = [
        (
            bench,
            address[bench],
            [
                (f"{round_to(each[bench].value, decimals_of(m))} {m.unit}".rstrip(), each[bench].apart)
                if bench in each
                else ("", False)
                for each, m in zip(values, found.measures, strict=True)
            ],
        )
        for bench in work.benches
    ]
    first = next((m for m in found.measures if m.key == "closure"), next(iter(found.measures), None))
    answer_rows, explained = _answers(work, found)
    return fragment(
        "review/found.html",
        ReviewFound(
            class_id=to.class_id,
            work=work.title,
            benches=work.benches,
            lanes=lanes_of(found.measures, address, to.earlier[1] if to.earlier else ()),
            heads=[(measure.label, measure.about) for measure in found.measures],
            groups=groups_of(found.measures),
            rows=rows,
            earlier=to.earlier[0] if to.earlier else "",
            answer_rows=answer_rows,
            explained=explained[:MOST_EXPLAINED],
            counts=found.answers.counts,
            missing=found.answers.missing,
            mistakes=list(found.answers.mistakes),
            loss=found.losses,
            loss_shown=draw_losses(found.losses) if found.losses is not None else None,
            shared=found.shared,
            first=first,
            first_spread=first.spread if first is not None else None,
            decimals=decimals_of(first) if first is not None else 1,
        ),
    )


def drawn_of(class_id: UUID, work: Work, earlier: tuple[str, list[Measure]] | None = None) -> Markup:
    """What review shows of a work, drawn; held against another class where one is given."""
    return _draw(_ToDraw(class_id, work, found_of(work), earlier))


def keys_of(conn: psycopg.Connection, who: Visitor, class_id: UUID, everything: ClassFound) -> list[KeyShown]:
    """Every series of unknowns judged; nothing for who is no instructor of the class."""
    if not unknowns.any_in(conn, class_id):
        return []
    try:
        series = unknowns.series_of(conn, who.account.id, class_id)
    except NotYours:
        return []
    released = unknowns.released(conn, class_id)
    runs: dict[int, list[RunWorksheet]] = {}
    for work in everything.works.values():
        for bench, sheet in work.runs:
            runs.setdefault(bench, []).append(sheet)
    plates: dict[int, list[PlateWorksheet]] = {}
    for one in _all_pages(everything):
        if isinstance(one.sheet, PlateWorksheet):
            plates.setdefault(one.bench, []).append(one.sheet)
    shown = []
    for one_series in series:
        dealt = {bench: dealt.number for bench, dealt in one_series.dealt.items()}
        rows = [r for r in key.judged(one_series.samples, dealt, runs, plates) if r.shares or r.named is not None]
        if rows:
            shown.append(KeyShown(one_series.name, one_series.name in released, rows, key.accuracy(rows)))
    return shown


def _all_pages(everything: ClassFound) -> Sequence[OnePage]:
    return [one for work in everything.works.values() for one in work.pages]


@router.get("/classes/{class_id}/results")
@may(May.STAFF)
def review(request: Request, class_id: UUID, who: VisitorDep, work: str = "", against: UUID | None = None) -> Response:
    """The numbers of what a class did, bench beside bench; *against* is another class to hold them to."""
    with pool(request).connection() as conn:
        row, meeting = shell_of_class(conn, who, class_id)
        if row is None:
            raise NotYours
        everything = read_class(conn, who.account.id, class_id)
        chosen = everything.chosen(work)
        keys = keys_of(conn, who, class_id, everything)
        others = classes.with_work(conn, who.account.id, class_id, chosen.title) if chosen is not None else []
        before = next((one for one in others if one.id == against), None)
        earlier = None
        if before is not None and chosen is not None:
            then = read_class(conn, who.account.id, before.id).works.get(chosen.title)
            earlier = (f"{before.code}, {before.title}", found_of(then).measures) if then is not None else None
    drawn = Markup("")
    if chosen is not None:
        drawn = drawn_of(class_id, chosen, earlier)
    page = ReviewPage(
        visitor=who,
        place="review",
        class_row=row,
        meeting=meeting,
        works=list(everything.works),
        work=chosen.title if chosen is not None else "",
        runs=len(chosen.benches) if chosen is not None else 0,
        found=drawn,
        keys=keys,
        others=others,
        against=before.id if before is not None else None,
    )
    return html("review/review.html", page)


def _file(text: str, name: str, media: str) -> Response:
    return Response(
        text, media_type=f"{media}; charset=utf-8", headers={"Content-Disposition": f'attachment; filename="{name}"'}
    )


def _one_work(request: Request, who: Visitor, class_id: UUID, work: str) -> tuple[str, Work | None]:
    with pool(request).connection() as conn:
        row, _ = shell_of_class(conn, who, class_id)
        if row is None:
            raise NotYours
        return row.code, read_class(conn, who.account.id, class_id).chosen(work)


@router.get("/classes/{class_id}/answers.csv")
@may(May.STAFF)
def answers_file(request: Request, class_id: UUID, who: VisitorDep, work: str = "") -> Response:
    """Every answer of a work with its points, as CSV."""
    code, chosen = _one_work(request, who, class_id, work)
    rows = answer_rows(found_of(chosen).marks, chosen.settings) if chosen is not None else ()
    return _file(csv_text(ANSWER_COLUMNS, rows), f"{code}-answers.csv", "text/csv")


@router.get("/classes/{class_id}/results.csv")
@may(May.STAFF)
def numbers_file(request: Request, class_id: UUID, who: VisitorDep, work: str = "") -> Response:
    """Every bench's numbers of a work, as CSV."""
    code, chosen = _one_work(request, who, class_id, work)
    rows = number_rows(found_of(chosen).measures) if chosen is not None else ()
    return _file(csv_text(NUMBER_COLUMNS, rows), f"{code}-review.csv", "text/csv")
