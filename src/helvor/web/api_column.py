"""Columns as JSON: what comes when and in which tube, which tubes go together."""

from __future__ import annotations

from uuid import UUID

from fastapi import APIRouter, Request
from pydantic import BaseModel

from helvor.core.techniques.column.fraction_plate import tubes_on
from helvor.core.techniques.planar.work_out import work_out
from helvor.notebook import pages
from helvor.notebook.page_errors import NotYours
from helvor.shelf.solvents import eluotropic_rank
from helvor.web.may import May, may
from helvor.web.security import VisitorDep, pool

router = APIRouter(prefix="/api/column", tags=["columns"])


class TubeShows(BaseModel):
    """A tube and what it shows, each 1 (trace) to 4 (strong)."""

    tube: int
    seen: dict[str, int]


@router.get("/plates/{page_id}/tubes")
@may(May.STAFF)
def tubes_of_plate(request: Request, page_id: UUID, who: VisitorDep) -> list[TubeShows]:
    """What the lanes of a plate that are named by tubes show, by the references beside them."""
    with pool(request).connection() as conn:
        page, entries = pages.open_page(conn, who.account.id, page_id)
    if page.technique_key != "planar":
        raise NotYours
    found = tubes_on(work_out(entries, page.rules, eluotropic_rank()))
    return [TubeShows(tube=one.tube, seen=one.shows) for one in found]
