"""The room as JSON: what goes into which waste bottle."""

from __future__ import annotations

from fastapi import APIRouter
from pydantic import BaseModel, ConfigDict, Field

from helvor.core.record.step_kinds import WASTE, never_together, wrong_bottle
from helvor.web.may import May, may

router = APIRouter(prefix="/api/room", tags=["room"])


class WasteIn(BaseModel):
    """Two waste streams by their keys: the one on the bottle, and the one that the matter belongs to."""

    model_config = ConfigDict(extra="forbid", frozen=True)

    bottle: str = Field(pattern="^(" + "|".join(WASTE) + ")$")
    matter: str = Field(pattern="^(" + "|".join(WASTE) + ")$")


class WasteOut(BaseModel):
    """Whether the matter may go in; why it never must, where that is so.

    *level* and *why*: what is said of it (stop, caution, note); empty where nothing is.
    """

    fits: bool
    never: str
    level: str
    why: str


@router.post("/waste")
@may(May.PUBLIC)
def waste(asked: WasteIn) -> WasteOut:
    """Whether matter of one stream may go into another's bottle. Local rules decide over this."""
    wrong = wrong_bottle(asked.bottle, asked.matter)
    return WasteOut(
        fits=asked.bottle == asked.matter,
        never=never_together(asked.bottle, asked.matter),
        level=wrong.level if wrong else "",
        why=wrong.why if wrong else "",
    )
