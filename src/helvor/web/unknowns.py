"""Numbered unknowns: the key, dealing out, labels with numbers. The key is the instructors' alone."""

from __future__ import annotations

import secrets
from dataclasses import dataclass
from uuid import UUID

from fastapi import APIRouter, Request
from starlette.responses import RedirectResponse, Response

from helvor.core.classroom.unknowns import read_samples
from helvor.core.quantities.reading import Unreadable
from helvor.core.record.entry import Problem
from helvor.notebook import classes, unknowns
from helvor.notebook.classes import Bench
from helvor.notebook.page_errors import NotYours
from helvor.notebook.unknowns import Series
from helvor.web.forms import Form, SubmittedDep
from helvor.web.may import May, may
from helvor.web.places import shell_of_class
from helvor.web.rendering import Shell, html
from helvor.web.security import Visitor, VisitorDep, WriterDep, pool

router = APIRouter(include_in_schema=False)


@dataclass(frozen=True, slots=True, kw_only=True)
class UnknownsPage(Shell):
    series: list[Series]
    released: set[str]
    benches: list[Bench]
    values: dict[str, str]
    errors: dict[str, str]
    seed: int


@dataclass(frozen=True, slots=True, kw_only=True)
class NumberLabelsPage(Shell):
    """Bench, pair, series and number: nothing of what a sample holds."""

    labels: list[tuple[int, str, str, int]]


def _show(
    request: Request,
    who: Visitor,
    class_id: UUID,
    values: dict[str, str] | None = None,
    errors: dict[str, str] | None = None,
) -> Response:
    with pool(request).connection() as conn:
        found = unknowns.series_of(conn, who.account.id, class_id)
        released = unknowns.released(conn, class_id)
        row, meeting = shell_of_class(conn, who, class_id)
        benches = classes.benches_of(conn, class_id)
    page = UnknownsPage(
        visitor=who,
        place="prep",
        class_row=row,
        meeting=meeting,
        series=found,
        released=released,
        benches=benches,
        values=values or {},
        errors=errors or {},
        seed=1 + secrets.randbelow(9999),
    )
    return html("unknowns.html", page, status=422 if errors else 200)


@router.get("/classes/{class_id}/unknowns")
@may(May.INSTRUCTORS)
def unknowns_page(request: Request, class_id: UUID, who: VisitorDep) -> Response:
    """The key of a class, and who has which."""
    return _show(request, who, class_id)


@router.post("/classes/{class_id}/unknowns")
@may(May.INSTRUCTORS)
def write(request: Request, class_id: UUID, who: WriterDep, fields: SubmittedDep) -> Response:
    """Keep a series, deal it out, or give samples by hand."""
    form = Form(fields)
    what, name = form.text("what"), form.text("series")
    with pool(request).connection() as conn:
        try:
            if what == "keep":
                if "samples" not in fields:
                    raise Problem("samples", "Enter one line per sample, such as 1: copper, nickel.")
                samples = read_samples("\n".join(form.all("samples")))
                unknowns.keep(conn, who.account.id, class_id, name, samples)
            elif what == "deal":
                text = form.text("seed")
                if not (text.isascii() and text.isdecimal() and len(text) < 10):
                    raise Problem("seed", "Enter a whole number as the seed; the same seed gives the same assignment.")
                unknowns.deal_out(conn, who.account.id, class_id, name, int(text))
            elif what in ("release", "withhold"):
                unknowns.release(conn, who.account.id, class_id, name, seen=what == "release")
            elif what == "give":
                unknowns.give(conn, who.account.id, class_id, name, _by_hand(form))
            else:
                raise NotYours
        except Unreadable as unreadable:
            trouble = {"samples": str(unreadable)}
        except Problem as problem:
            trouble = {problem.field: str(problem)}
        else:
            return RedirectResponse(f"/classes/{class_id}/unknowns", status_code=303)
    kept = {key: "\n".join(texts) for key, texts in fields.items()}
    return _show(request, who, class_id, kept, {**trouble, "of": f"{what} {name}"})


def _by_hand(form: Form) -> dict[int, int | None]:
    chosen: dict[int, int | None] = {}
    for bench, number in zip(form.all("bench"), form.all("number"), strict=False):
        if not (bench.isascii() and bench.isdecimal() and len(bench) < 5):
            continue
        text = number.strip()
        if text and not (text.isascii() and text.isdecimal() and len(text) < 5):
            raise Problem("number", f"“{text[:12]}” is not a sample number.")
        chosen[int(bench)] = int(text) if text else None
    return chosen


@router.get("/classes/{class_id}/numbers")
@may(May.STAFF)
def number_labels(request: Request, class_id: UUID, who: VisitorDep) -> Response:
    """A sheet of labels for the samples: bench and number, nothing of what is in them."""
    with pool(request).connection() as conn:
        row, meeting = shell_of_class(conn, who, class_id)
        if row is None:
            raise NotYours
        labels = unknowns.numbers_of(conn, who.account.id, class_id)
    page = NumberLabelsPage(visitor=who, place="prep", class_row=row, meeting=meeting, labels=labels)
    return html("numbers.html", page)
