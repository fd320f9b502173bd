"""What the reference data knows of a solid's solubility, as JSON."""

from __future__ import annotations

from typing import Annotated

from fastapi import APIRouter, Query
from pydantic import BaseModel

from helvor.shelf.shelf import shipped
from helvor.shelf.solubilities import curves_of
from helvor.web.may import May, may

router = APIRouter(prefix="/api/crystals", tags=["crystals"])


class KnownOut(BaseModel):
    """A solvent, °C and g in 100 mL with the source of each, and the heat of dissolving, kJ/mol."""

    solvent: str
    points: list[tuple[float, float, str]]
    heat_kj_mol: float


@router.get("/known")
@may(May.PUBLIC)
def known(solid: Annotated[str, Query(min_length=1, max_length=80)]) -> list[KnownOut]:
    """What the shelf that ships knows of a solid's solubility over temperature."""
    return [
        KnownOut(
            solvent=solvent,
            points=[(one.celsius, one.grams, one.source) for one in curve.points],
            heat_kj_mol=curve.heat,
        )
        for solvent, curve in curves_of(shipped(), solid)
    ]
