"""Calculators of eluents that look solvents up, and the plates of a class side by side, as JSON."""

from __future__ import annotations

from typing import Annotated, Any
from uuid import UUID

from fastapi import APIRouter, Request
from pydantic import Field

from helvor.core.laws.planar.solvents import other_kinds
from helvor.core.techniques.planar import calculators
from helvor.core.techniques.planar.side_by_side import side_by_side
from helvor.exchange.planar import comparison
from helvor.shelf.shelf import shipped
from helvor.shelf.solvents import boiling_points, solvents_of
from helvor.web.may import May, may
from helvor.web.security import VisitorDep
from helvor.web.techniques.planar.compare import plates_of_class

router = APIRouter(prefix="/api", tags=["planar chromatography"])


@router.post("/planar/freshness")
@may(May.PUBLIC)
def eluent_freshness(asked: calculators.FreshIn) -> calculators.FreshOut:
    """How long an eluent stays what was mixed."""
    return calculators.eluent_freshness(asked, boiling_points())


@router.get("/planar/solvents")
@may(May.PUBLIC)
def other_solvents(instead_of: Annotated[str, Field(max_length=60)]) -> list[calculators.OtherOut]:
    """Solvents of other kinds, for when strength alone does not part two compounds."""
    return [
        calculators.OtherOut(name=o.name, family=o.family, stronger_by=o.stronger_by, pulls=o.pulls)
        for o in other_kinds(instead_of, solvents_of(shipped()))
    ]


@router.get("/classes/{class_id}/plates", tags=["records"])
@may(May.STAFF)
def class_plates(request: Request, class_id: UUID, who: VisitorDep) -> dict[str, Any]:
    """The plates of a class side by side: every sample in every system, unknowns across systems, findings."""
    _, plates = plates_of_class(request, who, class_id)
    return comparison(side_by_side(plates))
