"""What a class found, as JSON."""

from __future__ import annotations

from uuid import UUID

from fastapi import APIRouter, Request
from pydantic import BaseModel

from helvor.bench.review.side_by_side import measures, shared
from helvor.notebook.pages import NotYours
from helvor.web.places import shell_of_class
from helvor.web.review import runs_of_class
from helvor.web.security import VisitorDep, pool

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


class ReviewOut(BaseModel):
    """Per procedure that the class ran: its measures, and findings over the class."""

    work: str
    measures: list[MeasureOut]
    shared: list[SharedOut]


@router.get("/classes/{class_id}/review")
def review_as_json(request: Request, class_id: UUID, who: VisitorDep) -> list[ReviewOut]:
    """What a class found, as JSON."""
    with pool(request).connection() as conn:
        if shell_of_class(conn, who, class_id)[0] is None:
            raise NotYours
    runs = runs_of_class(request, who, class_id)
    out = []
    for work in dict.fromkeys(one.title for one in runs):
        sheets = [(one.bench, one.sheet) for one in runs if one.title == work]
        out.append(ReviewOut(
            work=work,
            measures=[
                MeasureOut(
                    label=m.label, unit=m.unit, expected=m.expected, median=m.spread.median,
                    quartiles=(m.spread.low, m.spread.high),
                    numbers=[NumberOut(bench=n.bench, value=n.value, u=n.u, apart=n.apart) for n in m.numbers],
                )
                for m in measures(sheets)
            ],
            shared=[
                SharedOut(code=s.code, level=s.level, what=s.what, benches=list(s.benches)) for s in shared(sheets)
            ],
        ))  # fmt: skip
    return out
