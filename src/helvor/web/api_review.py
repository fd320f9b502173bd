"""What a class found, and what its benches answered, as JSON."""

from __future__ import annotations

from typing import Annotated
from uuid import UUID

from fastapi import APIRouter, Body, Request
from pydantic import BaseModel, ConfigDict, Field

from helvor.core.quantities.robust import spread
from helvor.core.record.procedure import Procedure
from helvor.core.review import losses, questions, side_by_side
from helvor.core.review.answers import Marked
from helvor.notebook import answer_sheets, pages
from helvor.notebook.page_errors import NotYours
from helvor.notebook.pages import Draft
from helvor.web.may import May, may
from helvor.web.places import shell_of_class
from helvor.web.review import answers as sheets
from helvor.web.review.class_page import keys_of
from helvor.web.review.found import found_of, read_class
from helvor.web.security import Visitor, VisitorDep, WriterDep, pool

router = APIRouter(prefix="/api", tags=["review"])


class NumberOut(BaseModel):
    """A bench's number with its standard uncertainty, and whether it lies apart from the others."""

    bench: int
    value: float
    u: float
    apart: bool


class MeasureOut(BaseModel):
    """A measure: what is expected of it, the class's median and quartiles, every bench."""

    label: str
    about: str
    unit: str
    expected: float | None
    median: float
    quartiles: tuple[float, float]
    numbers: list[NumberOut]


class SharedOut(BaseModel):
    """A finding that many benches have."""

    code: str
    level: str
    what: str
    benches: list[int]
    common: str


class ExplainsOut(BaseModel):
    """What may explain a part of what is missing, g at most."""

    code: str
    what: str
    grams: float
    benches: list[int]


class LossOut(BaseModel):
    """The class's grams: taken, found by product, missing, and what may explain it."""

    benches: list[int]
    began_g: float
    found_g: dict[str, float]
    missing_g: float
    explained: list[ExplainsOut]
    not_accounted_for_g: float


class AnswerOut(BaseModel):
    """A question with the bench's answer; what is right and why it is not only where that may be shown."""

    question: str
    asks: str
    unit: str
    answer: str | None
    verdict: str | None
    right: str | None
    says: str | None
    mistakes: list[str]


class AnsweredOut(BaseModel):
    bench: int
    answers: list[AnswerOut]


class ReviewOut(BaseModel):
    """Per work of the class: its measures, findings over the class, losses, answers."""

    work: str
    measures: list[MeasureOut]
    shared: list[SharedOut]
    losses: LossOut | None
    answers: list[AnsweredOut]
    mistakes: dict[str, list[int]]


def measure_out(m: side_by_side.Measure) -> MeasureOut:
    return MeasureOut(
        label=m.label,
        about=m.about,
        unit=m.unit,
        expected=m.expected,
        median=m.spread.median,
        quartiles=(m.spread.low, m.spread.high),
        numbers=[NumberOut(bench=n.bench, value=n.value, u=n.u, apart=n.apart) for n in m.numbers],
    )


def _loss(loss: losses.ClassLoss | None) -> LossOut | None:
    if loss is None:
        return None
    return LossOut(
        benches=[one.bench for one in loss.benches],
        began_g=loss.began,
        found_g=dict(loss.found),
        missing_g=loss.missing,
        not_accounted_for_g=loss.rest,
        explained=[
            ExplainsOut(code=e.code, what=e.what, grams=e.grams, benches=list(e.benches)) for e in loss.explained
        ],
    )


def answer_out(mark: Marked, sees: str = "hint") -> AnswerOut:
    """An answer as far as it may be seen: *nothing*, *verdict* or *hint*."""
    judged, hints = sees in ("verdict", "hint") and mark.answer is not None, sees == "hint" and mark.answer is not None
    return AnswerOut(
        question=mark.question.key,
        asks=mark.question.asks,
        unit=mark.question.unit,
        answer=mark.answer.written if mark.answer is not None else None,
        verdict=mark.verdict if judged else None,
        right=mark.right if hints else None,
        says=mark.says if hints else None,
        mistakes=list(mark.keys) if hints else [],
    )


@router.get("/classes/{class_id}/review")
@may(May.STAFF)
def review_as_json(request: Request, class_id: UUID, who: VisitorDep) -> list[ReviewOut]:
    """What a class found, as JSON."""
    with pool(request).connection() as conn:
        if shell_of_class(conn, who, class_id)[0] is None:
            raise NotYours
        works = read_class(conn, who.account.id, class_id).works
    out = []
    for work in works.values():
        found = found_of(work)
        out.append(
            ReviewOut(
                work=work.title,
                measures=[measure_out(m) for m in found.measures],
                shared=[
                    SharedOut(code=s.code, level=s.level, what=s.what, benches=list(s.benches), common=s.common)
                    for s in found.shared
                ],
                losses=_loss(found.losses),
                answers=[
                    AnsweredOut(bench=bench, answers=[answer_out(m) for m in marks])
                    for bench, marks in sorted(found.marks.items())
                ],
                mistakes={what: list(benches) for what, benches in found.answers.mistakes},
            )
        )
    return out


class ClassFoundOut(BaseModel):
    component: str
    true_percent: float
    found_percent: float
    u: float
    beyond_doubt: bool


class JudgedOut(BaseModel):
    """A bench's sample against the key."""

    bench: int
    number: int
    shares: list[ClassFoundOut]
    right: list[str]
    missed: list[str]
    extra: list[str]


class KeyOut(BaseModel):
    """A series judged: every bench, and mean error and spread of each component."""

    series: str
    released: bool
    benches: list[JudgedOut]
    accuracy: dict[str, tuple[float, float | None]]


@router.get("/classes/{class_id}/review/unknowns")
@may(May.STAFF)
def unknowns_as_json(request: Request, class_id: UUID, who: VisitorDep) -> list[KeyOut]:
    """Numbered unknowns against their key, for instructors of the class."""
    with pool(request).connection() as conn:
        if shell_of_class(conn, who, class_id)[0] is None:
            raise NotYours
        keys = keys_of(conn, who, class_id, read_class(conn, who.account.id, class_id))
    return [
        KeyOut(
            series=one.name,
            released=one.released,
            accuracy={a.component: (a.bias, a.spread) for a in one.accuracy},
            benches=[
                JudgedOut(
                    bench=row.bench,
                    number=row.number,
                    shares=[
                        ClassFoundOut(
                            component=f.component,
                            true_percent=f.true,
                            found_percent=f.found,
                            u=f.u,
                            beyond_doubt=f.beyond_doubt,
                        )
                        for f in row.shares
                    ],
                    right=list(row.named.right) if row.named else [],
                    missed=list(row.named.missed) if row.named else [],
                    extra=list(row.named.extra) if row.named else [],
                )
                for row in one.rows
            ],
        )
        for one in keys
    ]


class QuestionOut(BaseModel):
    """A question that a procedure's sheet asks, and when."""

    key: str
    asks: str
    unit: str
    when: str
    tolerance: float
    relative: bool
    choices: list[str]


@router.post("/answers/sheet")
@may(May.PUBLIC)
def sheet(procedure: Annotated[Procedure, Body(embed=True)]) -> list[QuestionOut]:
    """The questions that a procedure makes, before the lab and after it."""
    return [
        QuestionOut(
            key=q.key,
            asks=q.asks,
            unit=q.unit,
            when=q.when,
            tolerance=q.tolerance,
            relative=q.relative,
            choices=list(q.choices),
        )
        for q in questions.sheet_of(procedure)
    ]


class Numbers(BaseModel):
    """Numbers of a class: of which the middle is asked and what lies apart."""

    model_config = ConfigDict(extra="forbid")

    values: list[Annotated[float, Field(allow_inf_nan=False)]] = Field(min_length=1, max_length=500)


class SpreadOut(BaseModel):
    median: float
    quartiles: tuple[float, float]
    mad: float
    apart: list[int]


@router.post("/review/spread")
@may(May.PUBLIC)
def middle_and_spread(asked: Numbers) -> SpreadOut:
    """Median, quartiles, median absolute deviation, and the places of what lies apart."""
    found = spread(asked.values)
    far = side_by_side.apart(asked.values)
    return SpreadOut(
        median=found.median,
        quartiles=(found.low, found.high),
        mad=found.mad,
        apart=[i for i, is_far in enumerate(far) if is_far],
    )


class AnswerIn(BaseModel):
    """An answer as typed. ``entry`` is chosen by the writer: sent again it writes nothing more."""

    model_config = ConfigDict(extra="forbid")

    entry: UUID
    question: str = Field(max_length=120)
    answer: str = Field(max_length=60)


def _opened(request: Request, who: Visitor, page_id: UUID) -> list[AnswerOut]:
    with pool(request).connection() as conn:
        page, entries = pages.open_page(conn, who.account.id, page_id)
        settings = answer_sheets.settings_of(conn, page.class_id, sheets.work_of(page))
    seen = sheets.sees(who, page, settings)
    return [answer_out(m, seen) for m in sheets.marks_of(sheets.worked(page, entries), settings)]


@router.get("/runs/{page_id}/answers")
@may(May.STAFF)
def run_answers(request: Request, page_id: UUID, who: VisitorDep) -> list[AnswerOut]:
    """The answers of a run, or of a plate by its id."""
    return _opened(request, who, page_id)


@router.post("/runs/{page_id}/answers")
@may(May.STAFF)
def answer(request: Request, page_id: UUID, who: WriterDep, given: AnswerIn) -> list[AnswerOut]:
    """Write an answer on a run or a plate."""
    with pool(request).connection() as conn:
        page, _ = pages.open_page(conn, who.account.id, page_id)
        settings = answer_sheets.settings_of(conn, page.class_id, sheets.work_of(page))
        pages.append(
            conn,
            who.account.id,
            who.account.name,
            page_id,
            lambda now: [Draft(given.entry, sheets.composed(page, now, settings, given.question, given.answer))],
        )
    return _opened(request, who, page_id)
