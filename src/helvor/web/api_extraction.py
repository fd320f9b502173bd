"""Calculators of layers that look a name up in the reference data of an institution, as JSON."""

from __future__ import annotations

from fastapi import APIRouter, Request

from helvor.core.quantities.reading import Unreadable
from helvor.core.techniques.extraction import calculators
from helvor.core.techniques.extraction.read import read_part
from helvor.core.techniques.extraction.scheme import propose
from helvor.core.techniques.registered import TECHNIQUES
from helvor.notebook import procedures, shelf_values
from helvor.shelf.liquids import liquid_named, part_named, solvent_named
from helvor.shelf.shelf import Item, formula_of
from helvor.web.may import May, may
from helvor.web.security import WriterDep, pool

router = APIRouter(prefix="/api/extraction", tags=["layers"])


def _shelf(request: Request, account: int) -> list[Item]:
    with pool(request).connection() as conn:
        return list(shelf_values.shelf_of(conn, account))


@router.post("/layers")
@may(May.STAFF)
def layers(request: Request, who: WriterDep, asked: calculators.LayersIn) -> calculators.LayersOut:
    """Which layer is which."""
    shelf = _shelf(request, who.account.id)
    return calculators.layers(asked, lambda name: liquid_named(name, shelf), lambda name: formula_of(shelf, name))


@router.post("/drying-agent")
@may(May.STAFF)
def drying_agent(request: Request, who: WriterDep, asked: calculators.DryingAgentIn) -> calculators.DryingAgentOut:
    """How much drying agent."""
    shelf = _shelf(request, who.account.id)
    return calculators.drying_agent(asked, lambda name: liquid_named(name, shelf))


@router.post("/scheme")
@may(May.STAFF)
def scheme(request: Request, who: WriterDep, asked: calculators.SchemeIn) -> calculators.SchemeOut:
    """A flow scheme for a mixture."""
    shelf = _shelf(request, who.account.id)
    with pool(request).connection() as conn:
        rules = procedures.house_rules_of(conn, who.account.id)
    solvent = solvent_named(asked.solvent, shelf)
    if solvent is None:
        raise Unreadable(f"{asked.solvent} is not a solvent with a density in the reference data.")
    parts = [read_part(line, lambda name: part_named(name, shelf)) for line in asked.parts]
    found = propose(parts, solvent, asked.ml, rules, TECHNIQUES.kinds)
    return calculators.SchemeOut(
        shares={name: dict(shares) for name, shares in found.shares.items()},
        remarks=list(found.remarks),
        procedure=found.procedure.model_dump(mode="json", exclude_defaults=True),
    )
