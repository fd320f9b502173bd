"""What are you about to do? A few questions at a bench or for a procedure, and what follows of them at once."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from typing import Any
from uuid import UUID, uuid5

from fastapi import APIRouter, Request
from starlette.responses import RedirectResponse, Response

from helvor.core.engine.plan.check_plan import check_plan
from helvor.core.engine.run.entries import Following
from helvor.core.quantities.reading import Unreadable
from helvor.core.record.house_rules import HouseRules
from helvor.core.record.parameters import Parameters
from helvor.core.record.procedure import Procedure, instruction
from helvor.core.starts.all import STARTS
from helvor.core.starts.start import CHOICES, AskedField, Start, fields_of
from helvor.core.techniques.registered import STEP_KINDS, TECHNIQUES
from helvor.notebook import classes, pages, procedures
from helvor.notebook.classes import Bench
from helvor.notebook.page_errors import NotYours
from helvor.notebook.pages import Draft
from helvor.shelf.liquids import as_known
from helvor.shelf.shelf import shipped
from helvor.web.entry_form import entry_of
from helvor.web.forms import FieldErrors, Form, SubmittedDep
from helvor.web.may import May, may
from helvor.web.places import shell_of_class
from helvor.web.rendering import Shell, html
from helvor.web.security import Visitor, VisitorDep, WriterDep, pool

router = APIRouter(include_in_schema=False)


@dataclass(frozen=True, slots=True)
class AheadStep:
    """A step that would come: its kind and its words."""

    number: int
    kind: str
    says: str


@dataclass(frozen=True, slots=True)
class Ahead:
    """What follows of what is typed: steps, amounts, and what the plan's check says of them."""

    steps: list[AheadStep]
    amounts: list[tuple[str, str]]
    findings: list[tuple[str, str]]


@dataclass(frozen=True, slots=True)
class StartForm:
    """A start's form as its fields are shown: values as typed, and what is wrong."""

    fields: list[AskedField]
    values: Mapping[str, list[str]]
    errors: Mapping[str, str]


@dataclass(frozen=True, slots=True, kw_only=True)
class StartsPage(Shell):
    """All that one may be about to do; ``at`` is where it begins: a bench's address, or the procedures'."""

    at: str
    bench: Bench | None
    starts: list[Start]


@dataclass(frozen=True, slots=True, kw_only=True)
class StartPage(Shell):
    """One of them, with its few questions."""

    at: str
    bench: Bench | None
    start: Start
    form: StartForm
    choices: Mapping[str, str] = field(default_factory=lambda: CHOICES)
    ahead: Ahead | None


@dataclass(frozen=True, slots=True)
class AheadShown:
    """What follows, alone, while somebody types."""

    ahead: Ahead | None


def _said(start: Start, form: Form) -> Parameters:
    """What a form says of a start's questions.

    Raises:
        FieldErrors: with a sentence for each field.
    """
    read: dict[str, Callable[[AskedField], Any]] = {
        "mass": lambda one: form.mass(one.name, required=one.needed),
        "volume": lambda one: form.volume(one.name, required=one.needed),
        "number": lambda one: form.number(one.name),
        "whole": lambda one: form.whole(one.name),
        "words": lambda one: form.words(one.name),
    }
    values: dict[str, Any] = {}
    for one in fields_of(start):
        values[one.name] = read[one.sort](one)
        if one.needed and values[one.name] in (None, ""):
            form.errors.setdefault(one.name, f"Enter {one.asked.label[0].lower()}{one.asked.label[1:]}.")
    # What is left empty is what stands there at first.
    return form.build_part(start.asks, **{name: value for name, value in values.items() if value not in (None, "")})


def _made(start: Start, form: Form) -> Procedure:
    """The procedure that follows of a form.

    Raises:
        FieldErrors: with a sentence for each field, or one for the whole.
    """
    said = _said(start, form)
    try:
        return start.makes(said, STEP_KINDS, lambda name: as_known(name, shipped()))
    except Unreadable as unreadable:
        form.errors[""] = str(unreadable)
        raise FieldErrors(form.errors) from unreadable


def _ahead(start: Start, form: Form, house: HouseRules) -> Ahead | None:
    """What follows of a form; nothing while it is not whole."""
    try:
        procedure = _made(start, form)
    except FieldErrors:
        return None
    return Ahead(
        [AheadStep(n, one.kind, instruction(one, procedure)) for n, one in enumerate(procedure.steps, 1)],
        [(one.name, str(one.amount)) for one in procedure.substances if one.amount is not None],
        [
            (one.finding.level, one.finding.what)
            for one in check_plan(procedure, house, TECHNIQUES)
            if one.finding.level in ("stop", "caution")
        ],
    )


def _start(key: str) -> Start:
    start = STARTS.get(key)
    if start is None:
        raise NotYours
    return start


def _bench(request: Request, who: Visitor, bench_id: UUID) -> Bench:
    with pool(request).connection() as conn:
        found = classes.open_bench(conn, who.account.id, bench_id)
    if found is None:
        raise NotYours
    return found


def _house(request: Request, who: Visitor) -> HouseRules:
    with pool(request).connection() as conn:
        return procedures.house_rules_of(conn, who.account.id)


def _page(request: Request, who: Visitor, at: str, bench: Bench | None, start: Start, form: Form) -> Response:
    with pool(request).connection() as conn:
        row, meeting = shell_of_class(conn, who, bench.class_id if bench is not None else None)
    ahead = _ahead(start, Form(dict(form.fields)), _house(request, who))
    shown = StartForm(fields_of(start), form.fields, form.errors)
    page = StartPage(
        visitor=who,
        place="bench" if bench is not None else "plan",
        class_row=row,
        meeting=meeting,
        at=at,
        bench=bench,
        start=start,
        form=shown,
        ahead=ahead,
    )
    return html("starts/start.html", page, status=422 if form.errors else 200)


@router.get("/procedures/starts")
@may(May.STAFF)
def all_for_a_procedure(who: VisitorDep) -> Response:
    """What a new procedure may do."""
    page = StartsPage(visitor=who, place="plan", at="/procedures/starts", bench=None, starts=list(STARTS.values()))
    return html("starts/starts.html", page)


@router.get("/benches/{bench_id}/starts")
@may(May.BENCH)
def all_at_a_bench(request: Request, bench_id: UUID, who: VisitorDep) -> Response:
    """What this bench may be about to do."""
    bench = _bench(request, who, bench_id)
    with pool(request).connection() as conn:
        row, meeting = shell_of_class(conn, who, bench.class_id)
    page = StartsPage(
        visitor=who,
        place="bench",
        class_row=row,
        meeting=meeting,
        at=f"/benches/{bench_id}/starts",
        bench=bench,
        starts=list(STARTS.values()),
    )
    return html("starts/starts.html", page)


@router.get("/procedures/starts/{key}")
@may(May.STAFF)
def one_for_a_procedure(request: Request, key: str, who: VisitorDep) -> Response:
    """The questions of a start."""
    return _page(request, who, "/procedures/starts", None, _start(key), Form({}))


@router.get("/benches/{bench_id}/starts/{key}")
@may(May.BENCH)
def one_at_a_bench(request: Request, bench_id: UUID, key: str, who: VisitorDep) -> Response:
    """The questions of a start, at a bench."""
    bench = _bench(request, who, bench_id)
    return _page(request, who, f"/benches/{bench_id}/starts", bench, _start(key), Form({}))


@router.get("/starts/{key}/ahead")
@may(May.ANYBODY)
def ahead(request: Request, key: str, who: VisitorDep) -> Response:
    """What follows of what is typed so far."""
    fields = {name: [value[:120]] for name, value in request.query_params.items()}
    found = _ahead(_start(key), Form(fields), _house(request, who))
    return html("starts/ahead.html", AheadShown(found))


@router.post("/procedures/starts/{key}")
@may(May.INSTRUCTORS)
def make_a_procedure(request: Request, key: str, who: WriterDep, fields: SubmittedDep) -> Response:
    """Keep what follows as a draft, and open it in the builder."""
    start, form = _start(key), Form(fields)
    entry = entry_of(form)
    try:
        procedure = _made(start, form)
    except FieldErrors:
        return _page(request, who, "/procedures/starts", None, start, form)
    with pool(request).connection() as conn:
        made = procedures.add_procedure(conn, who.account.id, entry, procedure, "begun from a few questions")
    return RedirectResponse(f"/procedures/{made}", status_code=303)


@router.post("/benches/{bench_id}/starts/{key}")
@may(May.BENCH)
def begin_a_run(request: Request, bench_id: UUID, key: str, who: WriterDep, fields: SubmittedDep) -> Response:
    """Begin a run of what follows on the bench."""
    start, form = _start(key), Form(fields)
    page_id = entry_of(form)
    try:
        procedure = _made(start, form)
    except FieldErrors:
        return _page(request, who, f"/benches/{bench_id}/starts", _bench(request, who, bench_id), start, form)
    following = [Draft(uuid5(page_id, "following"), Following(procedure=procedure))]
    with pool(request).connection() as conn, conn.transaction():
        pages.start_page(conn, who.account.id, bench_id, "run", page_id)
        pages.append(conn, who.account.id, who.account.name, page_id, lambda _: following)
    return RedirectResponse(f"/runs/{page_id}", status_code=303)
