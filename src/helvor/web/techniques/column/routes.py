"""Fraction plates: a plate of the notebook started for some tubes, and what it shows taken into the rack."""

from __future__ import annotations

from typing import Annotated
from uuid import UUID, uuid5

import psycopg
from fastapi import APIRouter, Request
from fastapi import Form as Field
from starlette.responses import RedirectResponse, Response

from helvor.core.quantities.reading import Unreadable
from helvor.core.record.entry import Entry
from helvor.core.techniques.column.fraction_plate import lanes_for, spotted_from, tubes_on
from helvor.core.techniques.planar.results import PlateWorksheet
from helvor.core.techniques.planar.work_out import work_out
from helvor.notebook import pages
from helvor.notebook.page_errors import NotYours
from helvor.notebook.page_rows import Page
from helvor.shelf.solvents import eluotropic_rank
from helvor.web.may import May, may
from helvor.web.rendering import is_htmx
from helvor.web.run.shown import only_run, sheet_of
from helvor.web.security import VisitorDep, WriterDep, pool

router = APIRouter(include_in_schema=False)

TubeField = Annotated[str, Field(max_length=4)]


def _tube(text: str) -> int:
    if not text.strip().isdecimal() or not 1 <= int(text) <= 192:
        raise Unreadable("Enter the first and the last tube, 1 to 192.")
    return int(text)


def _go(request: Request, address: str) -> Response:
    """On to another page, as the asker can follow."""
    if is_htmx(request):
        return Response(headers={"HX-Redirect": address})
    return RedirectResponse(address, status_code=303)


@router.post("/runs/{page_id}/fraction-plate")
@may(May.BENCH)
def start_fraction_plate(
    request: Request,
    page_id: UUID,
    who: WriterDep,
    page: Annotated[UUID, Field()],
    first: TubeField = "",
    last: TubeField = "",
) -> Response:
    """Start a plate with a lane for each tube and a reference for each compound that is followed.

    Raises:
        Unreadable: no such tubes, or more than a plate takes.
    """
    with pool(request).connection() as conn:
        run, entries = pages.open_page(conn, who.account.id, page_id)
        only_run(run)
        start = _tube(first)
        tubes = range(start, _tube(last or first) + 1)
        followed = [component.name for component in sheet_of(run, entries).run.procedure.components]
        says = lanes_for(tubes, followed)

        def compose(known: list[Entry]) -> list[pages.Draft]:
            if known:
                return []  # sent again: it is set up already
            return [pages.Draft(uuid5(page, str(n)), one) for n, one in enumerate(says)]

        pages.start_page(conn, who.account.id, run.bench_id, "planar", page)
        pages.append(conn, who.account.id, who.account.name, page, compose, typed=who.typed)
    return _go(request, f"/plates/{page}")


def plate_of_bench(conn: psycopg.Connection, who: VisitorDep, run: Page, plate_id: UUID) -> PlateWorksheet:
    """A plate of the run's own bench, worked out.

    Raises:
        NotYours: it is another bench's, or no plate.
    """
    plate, entries = pages.open_page(conn, who.account.id, plate_id)
    if plate.technique_key != "planar" or plate.bench_id != run.bench_id:
        raise NotYours
    return work_out(entries, plate.rules, eluotropic_rank())


@router.post("/runs/{page_id}/from-plate")
@may(May.BENCH)
def take_from_plate(
    request: Request,
    page_id: UUID,
    who: WriterDep,
    entry: Annotated[UUID, Field()],
    plate: Annotated[UUID, Field()],
    step: Annotated[str, Field(max_length=24)],
) -> Response:
    """Write into the rack what the lanes of a plate show, named by its references.

    Raises:
        Unreadable: the plate has no tubes, no front or no reference.
    """
    with pool(request).connection() as conn:
        run, _ = pages.open_page(conn, who.account.id, page_id)
        only_run(run)
        says = spotted_from(tubes_on(plate_of_bench(conn, who, run, plate)), step)

        def compose(known: list[Entry]) -> list[pages.Draft]:
            first = uuid5(entry, "0")
            if any(one.id == first for one in known):
                return []  # sent again: it is written already
            return [pages.Draft(uuid5(entry, str(n)), one) for n, one in enumerate(says)]

        pages.append(conn, who.account.id, who.account.name, page_id, compose, typed=who.typed)
    return _go(request, f"/runs/{page_id}?step={step}")
