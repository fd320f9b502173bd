"""The container register of a class."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import UTC, datetime
from uuid import UUID

import psycopg
import segno
from fastapi import APIRouter, Request
from markupsafe import Markup
from starlette.responses import RedirectResponse, Response

from helvor.core.laws.planar.solvents import Freshness, freshness
from helvor.core.record import container as c
from helvor.core.record.entry import Payload, Problem
from helvor.notebook import classes, containers
from helvor.notebook.classes import Bench, PageOnBoard
from helvor.notebook.containers import Kept
from helvor.notebook.page_errors import NotYours
from helvor.shelf.solvents import boiling_points
from helvor.web.forms import FieldErrors, Form, SubmittedDep
from helvor.web.may import May, may
from helvor.web.places import shell_of_class
from helvor.web.rendering import Shell, html
from helvor.web.security import Visitor, VisitorDep, WriterDep, pool

router = APIRouter(include_in_schema=False)


@dataclass(frozen=True, slots=True, kw_only=True)
class ContainersPage(Shell):
    containers: list[Kept]
    chosen: Kept | None
    kinds: dict[str, str]
    places: tuple[str, ...]
    values: dict[str, list[str]]
    errors: dict[str, str]
    about: str
    fresh: Freshness | None


@dataclass(frozen=True, slots=True, kw_only=True)
class VesselPage(Shell):
    """A container as a bench sees it; ``run`` is where the bench would weigh it."""

    vessel: c.Container
    bench: Bench
    run: PageOnBoard | None


@dataclass(frozen=True, slots=True, kw_only=True)
class LabelsPage(Shell):
    labels: list[tuple[Kept, Markup]]
    pairs: dict[str, str]
    now: datetime


def _show(
    conn: psycopg.Connection,
    who: Visitor,
    class_id: UUID,
    chosen: str,
    *,
    values: dict[str, list[str]] | None = None,
    errors: dict[str, str] | None = None,
    about: str = "",
) -> Response:
    row, meeting = shell_of_class(conn, who, class_id)
    if row is None:
        raise NotYours
    kept = containers.containers_of(conn, who.account.id, class_id)
    opened = next((one for one in kept if chosen in (str(one.id), one.now.code)), None)
    page = ContainersPage(
        visitor=who,
        place="bench",
        class_row=row,
        meeting=meeting,
        containers=kept,
        chosen=opened,
        fresh=_fresh(opened, datetime.now(UTC)),
        kinds=c.KINDS,
        places=c.PLACES,
        values=values or {},
        errors=errors or {},
        about=about,
    )
    return html("containers.html", page, status=422 if errors else 200)


def _fresh(kept: Kept | None, now: datetime) -> Freshness | None:
    """How an eluent bottle stands by now."""
    if kept is None or kept.now.eluent is None or kept.now.filled_at is None:
        return None
    return freshness(kept.now.eluent, (now - kept.now.filled_at).total_seconds() / 3600, boiling_points())


@router.get("/classes/{class_id}/labels")
@may(May.STAFF)
def labels(request: Request, class_id: UUID, who: VisitorDep, code: str = "") -> Response:
    """Labels of all containers, or of one, with codes that open their pages."""
    with pool(request).connection() as conn:
        row, meeting = shell_of_class(conn, who, class_id)
        if row is None:
            raise NotYours
        kept = containers.containers_of(conn, who.account.id, class_id)
        benches = classes.benches_of(conn, class_id)
    chosen = [one for one in kept if not code or code in (str(one.id), one.now.code)]
    where = f"{request.base_url}classes/{class_id}/containers?code="
    drawn = [
        (one, Markup(segno.make(where + one.now.code, error="l").svg_inline(border=1, omitsize=True)))  # noqa: S704
        for one in chosen  # drawn by the library from our own address and code
    ]
    page = LabelsPage(
        visitor=who,
        place="bench",
        class_row=row,
        meeting=meeting,
        labels=drawn,
        pairs={str(bench.number): bench.pair for bench in benches},
        now=datetime.now(UTC),
    )
    return html("labels.html", page)


def _vessel(conn: psycopg.Connection, who: Visitor, class_id: UUID, code: str) -> Response:
    """What a printed code opens for a joined bench: whose it is, its tare, what it holds.

    Raises:
        NotYours: it is not of the bench's own class, or there is no such code.
    """
    worked_at = classes.bench_worked_at(conn, who.account.id)
    bench = classes.open_bench(conn, who.account.id, worked_at) if worked_at else None
    kept = containers.containers_of(conn, who.account.id, class_id)
    found = next((one for one in kept if code.casefold() in (str(one.id), one.now.code.casefold())), None)
    if bench is None or bench.class_id != class_id or found is None:
        raise NotYours
    runs = [page for page in bench.pages if page.technique == "run" and not page.virtual]
    row, meeting = shell_of_class(conn, who, class_id)
    page = VesselPage(
        visitor=who,
        place="bench",
        class_row=row,
        meeting=meeting,
        vessel=found.now,
        bench=bench,
        run=runs[-1] if runs else None,
    )
    return html("vessel.html", page)


@router.get("/classes/{class_id}/containers")
@may(May.BENCH)
def register(request: Request, class_id: UUID, who: VisitorDep, code: str = "") -> Response:
    """The register for the staff of the class; for a joined bench the one container that a printed code names."""
    with pool(request).connection() as conn:
        if who.account.role == "bench":
            return _vessel(conn, who, class_id, code.strip())
        return _show(conn, who, class_id, code.strip().upper() if len(code.strip()) == 4 else code)


@router.post("/classes/{class_id}/containers")
@may(May.STAFF)
def write(request: Request, class_id: UUID, who: WriterDep, fields: SubmittedDep) -> Response:
    """Register a container, or write a note on one."""
    form = Form(fields)
    what, entry, key = form.text("what"), form.id("entry"), form.id("container")
    if entry is None:
        raise Problem("entry", "This form is out of date. Reload the page; nothing was saved.")
    with pool(request).connection() as conn:
        if classes.open_class(conn, who.account.id, class_id) is None:
            raise NotYours
        try:
            if what == "new":
                containers.add(conn, who.account.id, class_id, entry, form.text("label"), form.text("kind"))
                key = entry
            else:
                if key is None:
                    raise NotYours
                containers.note(conn, who.account.id, class_id, key, entry, _note(what, form))
        except (FieldErrors, Problem) as trouble:
            errors = trouble.errors if isinstance(trouble, FieldErrors) else {trouble.field: str(trouble)}
            return _show(conn, who, class_id, str(key or ""), values=fields, errors=errors, about=what)
    return RedirectResponse(f"/classes/{class_id}/containers?code={key}", status_code=303)


def _note(what: str, form: Form) -> Payload:
    if what == "tared":
        return form.build(c.Tared, mass=form.mass("mass", required=True), balance=form.text("balance"))
    if what == "filled":
        return form.build(c.Filled, content=form.text("content"), bench=form.whole("bench"))
    if what == "moved":
        if not form.text("place"):
            form.errors["place"] = "Enter where it is."
        return form.build(c.Moved, place=form.text("place"))
    if what == "made-up":
        return form.build(
            c.MadeUp,
            substance=form.text("substance"),
            formula=form.text("formula"),
            mass=form.mass("mass", required=True),
            volume=form.volume("volume", required=True),
            tolerance=form.volume("tolerance"),
            fraction=form.number("fraction") or 1.0,
        )
    raise FieldErrors({"": "There is no such form. Reload the page."})
