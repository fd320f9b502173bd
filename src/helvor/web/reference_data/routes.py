"""The shelf: found by typing, every value with its source, an institution's own laid over."""

from __future__ import annotations

import json
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Annotated, NamedTuple

from fastapi import APIRouter, File, Request, UploadFile
from fastapi import Form as Field
from starlette.responses import RedirectResponse, Response

from helvor.core.laws.crystallization.solubility import Curve
from helvor.core.record.entry import Problem
from helvor.exchange.shelf import BadShelf, read_shelf, shelf_csv
from helvor.notebook import shelf_values
from helvor.notebook.page_errors import NotYours
from helvor.shelf.shelf import KINDS, MARKS, PROPERTIES, Item, Property, find
from helvor.shelf.solubilities import curves_of
from helvor.web.may import May, may
from helvor.web.rendering import Shell, html
from helvor.web.security import Visitor, VisitorDep, WriterDep, pool
from helvor.web.techniques.crystallization.drawing import CurveShown, draw_curve

router = APIRouter(include_in_schema=False)

FIELDS = ("kind", "item", "key", "property", "value", "source")
COLUMNS: dict[str, tuple[str, ...]] = {
    "solvent": ("density", "boils", "flash", "mixes_with_water", "hazard", "waste"),
    "substance": ("melts", "pka", "solubility", "hazard", "waste"),
    "precipitate": ("pksp", "hazard", "waste"),
    "paper": ("diameter", "width", "height", "particles", "ash"),
    "layer": ("thickness", "indicator"),
    "glass": ("volume", "tolerance", "diameter"),
    "hazard": ("signal", "caution"),
    "waste": ("holds", "never_with"),
}


@dataclass(frozen=True, slots=True)
class SeriesMark:
    """A solvent on the line of eluent strength."""

    name: str
    x: float
    y: float
    chosen: bool


@dataclass(frozen=True, slots=True, kw_only=True)
class ShelfPage(Shell):
    kind: str
    kinds: dict[str, str]
    q: str
    items: list[Item]
    total: int
    columns: list[Property]
    marks: tuple[tuple[str, str, str], ...]
    chosen: Item | None
    properties: list[Property]
    series: list[SeriesMark]
    dissolves: list[tuple[str, CurveShown, Curve]]
    own: int
    values: dict[str, str]
    trouble: dict[str, str]
    troubles: list[tuple[str, str]]


@dataclass(frozen=True, slots=True, kw_only=True)
class ShelfFound:
    found: list[tuple[Item, str]]
    q: str


class Asked(NamedTuple):
    """What is looked up: a kind of things, words to find, the one that is open."""

    kind: str = ""
    q: str = ""
    name: str = ""


def _page(
    who: Visitor,
    items: Sequence[Item],
    asked: Asked,
    *,
    values: dict[str, str] | None = None,
    trouble: dict[str, str] | None = None,
    troubles: list[tuple[str, str]] | None = None,
) -> ShelfPage:
    kind, q, name = asked
    kind = kind if kind in KINDS else "solvent"
    listed = find(items, q[:60], [kind])
    if kind == "solvent" and not q:
        listed.sort(key=lambda item: item.number("eluotropic_rank") or 99)
    chosen = next((item for item in items if item.kind == kind and item.name == name), None)
    shown = chosen or (listed[0] if listed else None)
    curves = curves_of(items, shown.name) if shown is not None and kind == "substance" else []
    return ShelfPage(
        visitor=who,
        place="shelf",
        kind=kind,
        kinds=KINDS,
        q=q,
        items=listed,
        total=sum(item.kind == kind for item in items),
        columns=[PROPERTIES[key] for key in COLUMNS[kind]],
        marks=MARKS,
        chosen=shown,
        properties=list(PROPERTIES.values()),
        series=_series(items, shown) if kind == "solvent" else [],
        dissolves=[(solvent, draw_curve(curve, None), curve) for solvent, curve in curves],
        own=sum(value.own for item in items for value in item.values.values()),
        values=dict.fromkeys(FIELDS, "") | (values or {}),
        trouble=dict.fromkeys(FIELDS, "") | (trouble or {}),
        troubles=troubles or [],
    )


def _series(items: Sequence[Item], chosen: Item | None) -> list[SeriesMark]:
    """Solvents in their order on silica; only the order is known, so they stand evenly."""
    ranked = [item for item in items if item.number("eluotropic_rank") is not None]
    ranked.sort(key=lambda item: item.number("eluotropic_rank") or 0.0)
    gap = 780 / max(1, len(ranked) - 1)
    return [
        SeriesMark(item.name, 40 + gap * i, (24, 44, 96, 116)[i % 4], chosen is not None and item.name == chosen.name)
        for i, item in enumerate(ranked)
    ]


@router.get("/reference-data")
@may(May.STAFF)
def shelf(request: Request, who: VisitorDep, kind: str = "solvent", q: str = "", name: str = "") -> Response:
    with pool(request).connection() as conn:
        items = shelf_values.shelf_of(conn, who.account.id)
    page = _page(who, items, Asked(kind, q, name))
    return html("reference_data/shelf.html", page)


@router.get("/reference-data/find")
@may(May.STAFF)
def find_item(request: Request, who: VisitorDep, name: str = "") -> Response:
    """Substances and solvents whose name fits, with what a procedure's form takes over of them."""
    with pool(request).connection() as conn:
        items = shelf_values.shelf_of(conn, who.account.id)
    found = find(items, name[:40], ["substance", "solvent"])[:5] if len(name.strip()) > 1 else []
    shown = ShelfFound(found=[(item, json.dumps(_filled(item), ensure_ascii=False)) for item in found], q=name[:40])
    return html("reference_data/found.html", shown)


def _filled(item: Item) -> dict[str, str | bool]:
    return {
        "name": item.name[:40],
        "formula": item.formula,
        "density": item.text("density") if item.kind == "solvent" else "",
        "melts": item.text("melts") if item.kind == "substance" else "",
        "boils": item.text("boils") if item.kind == "solvent" else "",
        "hazards": item.text("hazard"),
        "waste": item.text("waste"),
        "flammable": item.flammable,
        "role": "solvent" if item.kind == "solvent" else "reagent",
    }


@router.post("/reference-data")
@may(May.INSTRUCTORS)
def add_value(
    request: Request,
    who: WriterDep,
    kind: Annotated[str, Field(max_length=20)] = "",
    item: Annotated[str, Field(max_length=80)] = "",
    key: Annotated[str, Field(max_length=40)] = "",
    value: Annotated[str, Field(max_length=200)] = "",
    source: Annotated[str, Field(max_length=200)] = "",
) -> Response:
    """Lay a value over the shelf, with its source."""
    with pool(request).connection() as conn:
        try:
            own = shelf_values.checked(kind, item, key, value, source)
            shelf_values.put(conn, who.account.id, [own])
        except Problem as trouble:
            items = shelf_values.shelf_of(conn, who.account.id)
            typed = {"item": item, "key": key, "value": value, "source": source}
            page = _page(who, items, Asked(kind, "", item), values=typed, trouble={trouble.field: trouble.sentence})
            return html("reference_data/shelf.html", page, status=422)
    return RedirectResponse(f"/reference-data?kind={own.kind}&name={own.item}", status_code=303)


@router.get("/reference-data/{kind}.csv")
@may(May.STAFF)
def export(request: Request, kind: str, who: VisitorDep) -> Response:
    """A table of the shelf as CSV, one row a value."""
    if kind not in (*KINDS, "all"):
        raise NotYours
    with pool(request).connection() as conn:
        items = shelf_values.shelf_of(conn, who.account.id)
    text = shelf_csv(item for item in items if kind in ("all", item.kind))
    headers = {"Content-Disposition": f'attachment; filename="shelf-{kind}.csv"'}
    return Response(text, media_type="text/csv; charset=utf-8", headers=headers)


@router.post("/reference-data/import/files")
@may(May.INSTRUCTORS)
def import_values(request: Request, who: WriterDep, file: Annotated[UploadFile, File()]) -> Response:
    """Take values in from CSV, all or none."""
    content = file.file.read(2_000_000)
    with pool(request).connection() as conn:
        try:
            new = shelf_values.put(conn, who.account.id, read_shelf(content))
        except BadShelf as bad:
            items = shelf_values.shelf_of(conn, who.account.id)
            return html("reference_data/shelf.html", _page(who, items, Asked(), troubles=bad.troubles), status=422)
    return RedirectResponse(f"/reference-data?kind=substance&new={new}", status_code=303)
