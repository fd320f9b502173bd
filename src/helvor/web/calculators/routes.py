"""The pages of the sums; they read nothing and write nothing."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Annotated, Literal

from fastapi import APIRouter, Query, Request
from pydantic import BaseModel, Field
from starlette.responses import RedirectResponse, Response

from helvor.core.laws.planar.prepare import Cut, cut, lane_positions
from helvor.core.quantities.reading import Unreadable
from helvor.notebook import procedures, shelf_values
from helvor.notebook.page_errors import NotYours
from helvor.web.calculators.answer import Answer, Asked, Calculator, House
from helvor.web.calculators.every import CALCULATOR, CALCULATORS, GROUPS
from helvor.web.forms import FieldErrors
from helvor.web.may import May, may
from helvor.web.rendering import Shell, html, is_htmx, render
from helvor.web.security import VisitorDep, pool

router = APIRouter(include_in_schema=False)


@dataclass(frozen=True, kw_only=True)
class CalculatorWork:
    """A sum with what was typed and what comes out."""

    groups: tuple[tuple[str, tuple[Calculator, ...]], ...]
    chosen: Calculator
    asks: list[Asked]
    values: dict[str, list[str]]
    errors: dict[str, str]
    answer: Answer | None
    csrf: str


@dataclass(frozen=True, kw_only=True)
class CalculatorPage(Shell, CalculatorWork):
    pass


@dataclass(frozen=True, slots=True, kw_only=True)
class OutlineShown:
    """A circle to print: its diameter and the sheet's size, mm."""

    diameter: float
    side: float


@dataclass(frozen=True, slots=True, kw_only=True)
class SheetToPrint:
    """A sheet with its cut lines, and lanes and origin of its plates, mm."""

    sheet: tuple[float, float]
    plan: Cut
    lanes: list[float]
    origin: float


Millimetres = Annotated[float, Field(ge=5, le=600)]


@router.get("/calculators")
@may(May.ANYBODY)
def first_calculator(who: VisitorDep) -> Response:
    return RedirectResponse(f"/calculators/{CALCULATORS[0].key}", status_code=303)


@router.get("/calculators/outline.svg")
@may(May.ANYBODY)
def outline(who: VisitorDep, diameter: Annotated[float, Query(ge=10, le=300)] = 110.0) -> Response:
    """A cutting outline at 1 : 1, with a square of 50 mm to check the print by."""
    shown = OutlineShown(diameter=diameter, side=max(diameter + 10, 70))
    headers = {"Content-Disposition": f'inline; filename="paper-{diameter:g}-mm.svg"'}
    return Response(render("calculators/outline.svg", shown), media_type="image/svg+xml", headers=headers)


class SheetAsked(BaseModel):
    """A plate and the sheet that it is cut from, mm; its lanes and origin; whether plates may lie across."""

    width: Millimetres = 50.0
    height: Millimetres = 100.0
    sheet_width: Millimetres = 200.0
    sheet_height: Millimetres = 200.0
    lanes: Annotated[int, Field(ge=1, le=40)] = 4
    origin: Millimetres = 10.0
    turn: Literal["yes", "no"] = "no"


@router.get("/calculators/sheet.svg")
@may(May.ANYBODY)
def sheet(who: VisitorDep, asked: Annotated[SheetAsked, Query()]) -> Response:
    """A sheet of stock with its cut lines at 1 : 1, origin and lanes pencilled on the first plate."""
    size = (asked.sheet_width, asked.sheet_height)
    plan = cut(size, (asked.width, asked.height), both_ways=asked.turn == "yes")
    lanes = list(lane_positions(asked.width, asked.lanes))
    shown = SheetToPrint(sheet=size, plan=plan, lanes=lanes, origin=asked.origin)
    headers = {"Content-Disposition": 'inline; filename="sheet.svg"'}
    return Response(render("calculators/sheet.svg", shown), media_type="image/svg+xml", headers=headers)


def _asked(chosen: Calculator, values: dict[str, list[str]], errors: dict[str, str]) -> list[Asked]:
    """The fields that the others ask for, and those with something wrong in them."""
    usual = {asked.name: asked.usual for asked in chosen.asks}
    return [
        asked
        for asked in chosen.asks
        if asked.when is None
        or asked.name in errors
        or values.get(asked.when[0], [usual[asked.when[0]]])[:1] == [asked.when[1]]
    ]


@router.get("/calculators/{key}")
@may(May.ANYBODY)
def calculator(request: Request, key: str, who: VisitorDep) -> Response:
    """A sum; the answer follows what stands in the address."""
    if key not in CALCULATOR:
        raise NotYours
    chosen = CALCULATOR[key]
    typed = {name: [text[:600] for text in request.query_params.getlist(name)][:12] for name in request.query_params}
    values = typed or {asked.name: [asked.usual] for asked in chosen.asks if asked.usual}
    answer, errors = None, dict[str, str]()
    with pool(request).connection() as conn:
        house = House(shelf_values.shelf_of(conn, who.account.id), procedures.house_rules_of(conn, who.account.id))
    try:
        answer = chosen.work_out(values, house)
    except FieldErrors as troubles:
        errors = troubles.errors
    except Unreadable as unreadable:
        errors = {"": str(unreadable)}
    work = CalculatorWork(
        groups=GROUPS,
        chosen=chosen,
        asks=_asked(chosen, values, errors),
        values=values,
        errors=errors,
        answer=answer,
        csrf=who.csrf,
    )
    if is_htmx(request):
        return html("calculators/work.html", work, status=422 if errors else 200)
    shown = {name: getattr(work, name) for name in CalculatorWork.__annotations__}
    page = CalculatorPage(visitor=who, place="calculators", **shown)
    return html("calculators/calculator.html", page, status=422 if errors else 200)
