"""A plate: its page, its forms, what is written on it, what goes out."""

from __future__ import annotations

import json
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from typing import Annotated, Literal
from urllib.parse import urlencode
from uuid import UUID

from fastapi import APIRouter, Query, Request
from fastapi import Form as Field
from markupsafe import Markup
from pydantic import BaseModel, StringConstraints
from starlette.responses import RedirectResponse, Response

from helvor.core.laws.planar.solvents import freshness
from helvor.core.quantities.reading import Reading, Unreadable, parse
from helvor.core.record.entry import Entry, Line, Payload, Problem, Struck, before, line_of
from helvor.core.record.typed_line import NotSure, ids_from
from helvor.core.techniques.planar import plate as planar
from helvor.core.techniques.planar.plate import LIGHTS, PHASES, SWATCHES, Plate, gather, moved
from helvor.core.techniques.planar.reading_line import complete, read_line
from helvor.core.techniques.planar.results import PlateWorksheet, SpotResult
from helvor.core.techniques.planar.side_by_side import nearest_in_lane, tuning_hint
from helvor.core.techniques.planar.words import describe
from helvor.core.techniques.planar.work_out import result_for, work_out
from helvor.exchange.planar import plate_record, spot_table
from helvor.notebook import pages
from helvor.notebook.page_errors import NotYours
from helvor.notebook.page_rows import Page
from helvor.notebook.pages import Draft, Written
from helvor.shelf.solvents import boiling_points, eluotropic_rank
from helvor.web.entry_form import AskedFor, Filled, back_to, entry_of, show, typed_again
from helvor.web.forms import FieldErrors, Form, SubmittedDep, values_of
from helvor.web.history import history_page, readings_page
from helvor.web.house_words import line_as_typed_here
from helvor.web.may import May, may
from helvor.web.places import shell_of_class
from helvor.web.reading import UnderstoodShown, drafts_of, refused, typist, typist_of, what_it_says
from helvor.web.rendering import drawn_once, fragment, html, is_htmx, render, sent
from helvor.web.security import Visitor, VisitorDep, WriterDep, pool
from helvor.web.techniques.planar import forms
from helvor.web.techniques.planar.drawing import SNAP_MM, draw_plate, rows_of
from helvor.web.techniques.planar.shown import FormFragment, FormPage, FormShown, PlateFile, PlatePage, Work

router = APIRouter(include_in_schema=False)

HINT = "e.g. T 41.0 · front 81.0 · ? for all commands"
EDITS = {
    "set-up": "Plate",
    "eluent": "Eluent",
    "chamber": "Chamber",
    "lane": "Lane",
    "front": "Front",
    "spot": "Spot",
    "struck": "Strike out",
    "acknowledged": "Continue after a Stop",
}


def _light(view: str, plate: Plate) -> str:
    """The light to show: the one asked for, else daylight or the lamp that the plate is made for."""
    if view in LIGHTS:
        return view
    seen = {light for spot in plate.spots for light in spot.spot.seen}
    lamp = plate.set_up is not None and plate.set_up.indicator
    return "254" if lamp and (not seen or "254" in seen) else next((v for v in LIGHTS if v in seen), "daylight")


@dataclass(frozen=True, slots=True)
class AtPlate:
    """What is looked at of a plate: under which light, and which spot is picked."""

    page: Page
    sheet: PlateWorksheet
    view: str
    spot: UUID | None
    csrf: str
    said: str = ""


@drawn_once(64, ink=lambda at: at.sheet, about=lambda at: (at.page.id, at.view, at.spot, at.csrf, at.said))
def draw_work(at: AtPlate) -> Markup:
    """The part of the page that every write replaces."""
    return fragment("techniques/planar/work.html", _work(at))


def _work(at: AtPlate) -> Work:
    sheet, plate = at.sheet, at.sheet.plate
    chosen = result_for(sheet, at.spot) or (sheet.spots[0] if sheet.spots else None)
    reference = result_for(sheet, plate.compared_to)
    light = _light(at.view, plate)
    pairs = [
        pair.working
        for pair in sheet.neighbours
        if chosen is not None and chosen.key in (pair.upper_key, pair.lower_key)
    ]
    return Work(
        page=at.page,
        sheet=sheet,
        plate=plate,
        drawing=draw_plate(sheet, light, chosen.key if chosen else None),
        rows=rows_of(
            sheet, chosen.key if chosen else None, reference is not None, f"/plates/{at.page.id}?view={light}&spot="
        ),
        view=light,
        chosen=chosen,
        reference=reference,
        working=chosen.working(reference.name if reference else "") if chosen else [],
        crowded=pairs,
        csrf=at.csrf,
        said=at.said,
        tune=_to_tuning(sheet),
        column=_to_column(sheet, chosen),
        fresh=None if not plate.eluent else freshness(plate.eluent, plate.eluent_age or 0, boiling_points()),
        lights=LIGHTS,
        phases=PHASES,
        swatches=SWATCHES,
    )


def _to_tuning(sheet: PlateWorksheet) -> str:
    """The tuning sum with this plate's references in it; a hint until a second composition is run."""
    text, strong = tuning_hint(sheet, eluotropic_rank())
    if not text or sheet.plate.set_up is None:
        return ""
    return f"/calculators/tuning?{urlencode({'phase': sheet.plate.set_up.phase, 'plates': text, 'strong': strong})}"


def _to_column(sheet: PlateWorksheet, chosen: SpotResult | None) -> str:
    """The column sum with the chosen spot and its nearest neighbour; columns here are packed with silica."""
    near = nearest_in_lane(sheet, chosen) if chosen else None
    on_silica = sheet.plate.set_up is not None and sheet.plate.set_up.phase == "silica"
    if chosen is None or near is None or not on_silica:
        return ""
    slow, fast = sorted((chosen, near), key=lambda spot: spot.rf.value if spot.rf else 0.0)
    return f"/calculators/column?{urlencode({'rf_fast': fast.rf_shown, 'rf_slow': slow.rf_shown})}"


def _sheet(page: Page, entries: Sequence[Entry]) -> PlateWorksheet:
    return work_out(entries, page.rules, eluotropic_rank())


def _planar(page: Page) -> Page:
    if page.technique_key != "planar":
        raise NotYours
    return page


@router.get("/plates/{page_id}")
@may(May.BENCH)
def plate_page(request: Request, page_id: UUID, who: VisitorDep, view: str = "", spot: UUID | None = None) -> Response:
    with pool(request).connection() as conn:
        page, entries = pages.open_page(conn, who.account.id, page_id)
        _planar(page)
        sheet = _sheet(page, entries)
        at = AtPlate(page, sheet, view, spot, who.csrf)
        if is_htmx(request):
            return sent(draw_work(at))
        row, meeting = shell_of_class(conn, who, page.class_id)
    start, work = None, Markup("")
    if sheet.plate.set_up is None:
        start = _form_shown(page, sheet.plate, "start", who.csrf, Filled(values=START_VALUES))
    else:
        work = draw_work(at)
    shown = PlatePage(
        visitor=who,
        place="bench",
        class_row=row,
        meeting=meeting,
        page=page,
        photographed=bool(sheet.plate.photos),
        view=_light(view, sheet.plate),
        start=start,
        work=work,
    )
    return html("techniques/planar/plate.html", shown)


START_VALUES: dict[str, list[str]] = {
    "phase": ["silica"],
    "backing": ["aluminium"],
    "indicator": ["yes"],
    "width": ["50"],
    "height": ["100"],
    "origin": ["10"],
    "ruler": ["0.5 mm"],
}


def _form_shown(page: Page, plate: Plate, kind: str, csrf: str, filled: Filled) -> FormShown:
    return FormShown(
        page=page,
        kind=kind,
        title=EDITS.get(kind, "New plate"),
        values=filled.values,
        errors=filled.errors,
        plate=plate,
        entry=filled.entry,
        strikes=filled.strikes,
        view=filled.view,
        spot=filled.at,
        back=filled.back,
        about=filled.named,
        csrf=csrf,
        phases=PHASES,
        lights=LIGHTS,
        swatches=SWATCHES,
    )


@router.get("/plates/{page_id}/edit/{kind}")
@may(May.BENCH)
def edit(request: Request, page_id: UUID, kind: str, who: VisitorDep, asked: Annotated[AskedFor, Query()]) -> Response:
    """A form: empty for something new, filled with what stands for a correction."""
    with pool(request).connection() as conn:
        page, entries = pages.open_page(conn, who.account.id, page_id)
        _planar(page)
    sheet = _sheet(page, entries)
    if kind not in EDITS:
        raise NotYours
    form = _form_shown(page, sheet.plate, kind, who.csrf, _prefilled(sheet, kind, asked))
    return _show(request, who, page, form)


def _show(request: Request, who: Visitor, page: Page, form: FormShown, *, status: int = 200) -> Response:
    """A form of a plate, in the panel or on a page of its own."""
    with pool(request).connection() as conn:
        row, meeting = shell_of_class(conn, who, page.class_id)
    whole = FormPage(visitor=who, place="bench", class_row=row, meeting=meeting, form=form)
    target = "" if status == 200 else "#start-form" if form.kind == "start" else "#panel-body"
    fragment = ("techniques/planar/form.html", FormFragment(form=form))
    return show(request, fragment, ("techniques/planar/form_page.html", whole), target=target, status=status)


def _prefilled(sheet: PlateWorksheet, kind: str, asked: AskedFor) -> Filled:
    """What stands in a form: a finding to go on with, a reading to correct, or something new."""
    if kind == "acknowledged":
        found = next((f for f in sheet.findings if (f.code, f.about) == (asked.code, asked.about)), None)
        if found is None:
            raise NotYours
        values = {"code": [found.code], "about": [found.about], "what": [found.what]}
        return Filled(values=values, named=found.what, at=asked.spot, view=asked.view)
    line = _standing(sheet.plate, kind, asked)
    if line is not None:
        named = name_of(sheet, line)
        return Filled(
            values=values_for(kind, line),
            strikes=line.head.id,
            named=named,
            at=asked.spot,
            view=asked.view,
            back=back_to(asked.back),
        )
    fresh: dict[str, list[str]] = {}
    if asked.lane is not None:
        fresh["lane"] = [str(asked.lane)]
    if kind == "spot":
        fresh |= {"strength": ["clear"], "seen": [asked.view if asked.view in LIGHTS else "daylight"]}
    return Filled(values=fresh, at=asked.spot, view=asked.view)


def _standing(plate: Plate, kind: str, asked: AskedFor) -> Line | None:
    """The reading that a form corrects: the one that is named, or the one of its kind that stands."""
    if asked.key is not None:
        line = next((line for line in plate.lines if line.root.id == asked.key and line.stands), None)
        if line is None:
            raise NotYours
        return line
    if kind in ("set-up", "eluent", "chamber"):
        return next((line for line in plate.lines if line.stands and line.head.payload.kind == kind), None)
    if kind == "front":
        fronts = (line for line in plate.lines if isinstance(line.head.payload, planar.Front))
        return next((line for line in fronts if getattr(line.head.payload, "lane", None) == asked.lane), None)
    return None


def values_for(kind: str, line: Line) -> dict[str, list[str]]:
    return {} if kind == "struck" else values_of(line.head.payload)


def name_of(sheet: PlateWorksheet, line: Line) -> str:
    """How people call the reading of a line."""
    payload = next(e.payload for e in reversed(line.entries) if not isinstance(e.payload, Struck))
    spot = sheet.plate.spot(line.root.id)
    match payload:
        case planar.Spot():
            return f"spot {spot.name}" if spot else "spot"
        case planar.Lane():
            return f"lane {payload.label}"
        case planar.Front(lane=UUID() as key):
            lane = sheet.plate.lane(key)
            return f"front of lane {lane.label}" if lane else "front"
        case _:
            return (
                payload.kind.replace("compared-to", "comparison")
                .replace("set-up", "plate")
                .replace("front-seen", "rising front")
            )


@router.post("/plates/{page_id}/entries")
@may(May.BENCH)
def write(request: Request, page_id: UUID, who: WriterDep, fields: SubmittedDep) -> Response:
    """Write what a form says."""
    form = Form(fields)
    kind, entry = form.text("kind"), entry_of(form)

    def compose(entries: list[Entry]) -> list[Draft]:
        return forms.drafts_from(kind, form, entry, gather(before(entries, entry)))

    try:
        written = _append(request, who, page_id, compose)
    except (FieldErrors, Problem) as trouble:
        with pool(request).connection() as conn:
            page, entries = pages.open_page(conn, who.account.id, page_id)
        shown = _form_shown(page, gather(entries), kind, who.csrf, typed_again(form, entry, "spot", trouble))
        return _show(request, who, page, shown, status=422)
    if back := back_to(form.text("back")):
        return Response(headers={"HX-Redirect": back}) if is_htmx(request) else RedirectResponse(back, status_code=303)
    chosen = str(_root_of(written, entry)) if kind == "spot" else form.text("spot")
    return _answer(request, who, written, form.text("view"), chosen, _said(written, entry))


def _append(
    request: Request, who: VisitorDep, page_id: UUID, compose: Callable[[list[Entry]], Sequence[Draft]]
) -> Written:
    with pool(request).connection() as conn:
        return pages.append(conn, who.account.id, who.account.name, page_id, compose, typed=who.typed)


def _root_of(written: Written, entry_id: UUID) -> UUID | None:
    assert isinstance(written.worksheet, PlateWorksheet)
    line = line_of(written.worksheet.plate.lines, entry_id)
    return line.root.id if line else None


def _said(written: Written, entry_id: UUID) -> str:
    """What a screen reader hears after writing."""
    if not written.new:
        return "Already saved; no duplicate was made."
    assert isinstance(written.worksheet, PlateWorksheet)
    result = result_for(written.worksheet, _root_of(written, entry_id))
    if result is not None:
        rf = f", Rf {result.rf_shown}" if result.rf else ""
        return f"Saved: {result.name} at {result.on.spot.distance}{rf}."
    return "Saved."


def _answer(request: Request, who: VisitorDep, written: Written, view: str, spot: str, said: str) -> Response:
    """After writing: the fresh work for htmx, the plate's page for a plain form."""
    if not is_htmx(request):
        query = f"?view={view}" if view in LIGHTS else ""
        return RedirectResponse(f"/plates/{written.page.id}{query}", status_code=303)
    try:
        key = UUID(spot) if spot else None
    except ValueError:
        key = None
    assert isinstance(written.worksheet, PlateWorksheet)
    if written.worksheet.plate.set_up is None:  # its set-up was taken back: the page begins anew
        return Response(headers={"HX-Redirect": f"/plates/{written.page.id}"})
    work = draw_work(AtPlate(written.page, written.worksheet, view, key, who.csrf, said))
    return sent(work, headers={"HX-Trigger": "helvor:written"})


class Dropped(BaseModel):
    """What was dropped where: its distance from the origin, mm, and by what hand."""

    entry: UUID
    what: Literal["spot", "new-spot", "front", "origin"]
    distance: Annotated[str, StringConstraints(max_length=20)]
    key: UUID | None = None
    view: Annotated[str, StringConstraints(max_length=20)] = ""
    spot: Annotated[str, StringConstraints(max_length=40)] = ""
    by: Literal["drawing", "keys"] = "drawing"


@router.post("/plates/{page_id}/drop")
@may(May.BENCH)
def drop(request: Request, page_id: UUID, who: WriterDep, dropped: Annotated[Dropped, Field()]) -> Response:
    """Write where something was dropped on the drawing, read to the half millimetre that it snaps to."""
    value = parse(dropped.distance, "length", field_unit="mm").value
    reading = Reading(written=f"{value:.1f} mm", value=value, unit="mm", resolution=SNAP_MM)
    reason = "moved on the drawing" if dropped.by == "drawing" else "moved with the arrow keys"

    def compose(entries: list[Entry]) -> list[Draft]:
        payload, strikes = _dropped(
            gather(before(entries, dropped.entry)), dropped.what, dropped.key, reading, dropped.view
        )
        why = "seen under another light" if dropped.what == "new-spot" else reason
        return [Draft(dropped.entry, payload, strikes, why if strikes else "")]

    written = _append(request, who, page_id, compose)
    chosen = str(_root_of(written, dropped.entry)) if dropped.what in ("spot", "new-spot") else dropped.spot
    return _answer(request, who, written, dropped.view, chosen, _said(written, dropped.entry))


def _dropped(plate: Plate, what: str, key: UUID | None, reading: Reading, view: str) -> tuple[Payload, UUID | None]:
    """The entry that a drop means, and what it strikes.

    Raises:
        Problem: what was dropped is not on the plate any more.
    """
    if what == "origin":
        if plate.set_up is None:
            raise Problem("origin", "Set up the plate first.")
        # Checked anew, because the line may have been dropped above the plate.
        data = plate.set_up.model_dump() | {"origin": reading}
        line = next(line for line in plate.lines if line.stands and isinstance(line.head.payload, planar.SetUp))
        return planar.SetUp(**data), line.head.id
    if what == "front":
        line_ = next(
            (
                line
                for line in plate.lines
                if isinstance(front := line.head.payload, planar.Front) and front.lane == key
            ),
            None,
        )
        return planar.Front(lane=key, distance=reading), line_.head.id if line_ else None
    if what == "new-spot":
        if key is None:
            raise Problem("lane", "Drop a new spot on a lane.")
        light = view if view in LIGHTS else "daylight"
        new = planar.Spot(lane=key, distance=reading, seen=(light,))
        again = planar.seen_again(plate, new)
        return (planar.also_seen(again.spot, new), again.line.head.id) if again else (new, None)
    standing = plate.spot(key) if key else None
    if standing is None:
        raise Problem("spot", "This spot has been struck out. Add it again if it is there.")
    return moved(standing.spot, reading), standing.line.head.id


@router.get("/plates/{page_id}/read")
@may(May.BENCH)
def read_ahead(request: Request, page_id: UUID, who: VisitorDep, text: str = "", view: str = "") -> Response:
    """What a typed reading means, before it is written, and how it could go on."""
    with pool(request).connection() as conn:
        page, entries = pages.open_page(conn, who.account.id, page_id)
    _planar(page)
    says, trouble, answers = "", "", tuple[str, ...]()
    text = line_as_typed_here(text[:200])
    if text.strip():
        try:
            says = what_it_says(read_line(text, entries, view, typist(who), words=page.rules.own_words))
        except Unreadable as unreadable:
            trouble = str(unreadable)
            answers = unreadable.lines if isinstance(unreadable, NotSure) else ()
    shown = UnderstoodShown(
        says=says,
        trouble=trouble,
        offered=[] if answers else complete(text, entries),
        answers=answers,
        stem=text.rpartition(" ")[0],
        hint=HINT,
    )
    return html("understood.html", shown)


@router.post("/plates/{page_id}/read")
@may(May.BENCH)
def read(
    request: Request,
    page_id: UUID,
    who: WriterDep,
    entry: Annotated[UUID, Field()],
    text: Annotated[str, Field(max_length=200)] = "",
    view: Annotated[str, Field(max_length=20)] = "",
    spot: Annotated[str, Field(max_length=40)] = "",
) -> Response:
    """Write a typed reading."""

    with pool(request).connection() as conn:
        page, _ = pages.open_page(conn, who.account.id, page_id)
    own = page.rules.own_words

    def compose(entries: list[Entry]) -> list[Draft]:
        there = before(entries, entry)
        line = line_as_typed_here(text)
        at = typist_of(entries, entry, who)
        return drafts_of(entry, read_line(line, there, view, at, ids_from(entry), sure=who.kept, words=own))

    try:
        written = _append(request, who, page_id, compose)
    except (Unreadable, Problem) as trouble:
        if not is_htmx(request):
            raise
        return refused(trouble)
    root = _root_of(written, entry)
    assert isinstance(written.worksheet, PlateWorksheet)
    chosen = str(root) if result_for(written.worksheet, root) else spot
    return _answer(request, who, written, view, chosen, _said(written, entry))


CORRECTED = frozenset(("set-up", "lane", "spot", "front", "eluent", "chamber"))
"""Kinds of reading with a form to correct them by; the others are struck through."""


@router.get("/plates/{page_id}/history")
@may(May.BENCH)
def history(request: Request, page_id: UUID, who: VisitorDep) -> Response:
    """Every entry in ink, struck ones too."""
    with pool(request).connection() as conn:
        page, entries = pages.open_page(conn, who.account.id, page_id)
        row, meeting = shell_of_class(conn, who, _planar(page).class_id)
    says = {entry.id: describe(entry.payload, entries) for entry in entries}
    return history_page(who, row, meeting, page, entries, says, CORRECTED)


@router.get("/plates/{page_id}/readings")
@may(May.BENCH)
def readings(request: Request, page_id: UUID, who: VisitorDep) -> Response:
    """The readings that stand, to be put right from the board or the results."""
    with pool(request).connection() as conn:
        page, entries = pages.open_page(conn, who.account.id, page_id)
        shell = shell_of_class(conn, who, _planar(page).class_id)
    says = {entry.id: describe(entry.payload, entries) for entry in entries}
    return readings_page(request, who, shell, page, entries, says, CORRECTED)


def _file(page: Page, suffix: str) -> dict[str, str]:
    name = f"{page.class_code or 'front'}-{page.bench_name}-{page.title}".lower().replace(" ", "-")
    safe = "".join(c for c in name if c.isascii() and (c.isalnum() or c in "-_"))
    return {"Content-Disposition": f'attachment; filename="{safe}.{suffix}"'}


@router.get("/plates/{page_id}/plate.{suffix}")
@may(May.BENCH)
def export(
    request: Request, page_id: UUID, suffix: Literal["csv", "json", "svg"], who: VisitorDep, view: str = ""
) -> Response:
    """The plate as a file: its spots, its whole record, or its drawing in real millimetres."""
    with pool(request).connection() as conn:
        page, entries = pages.open_page(conn, who.account.id, page_id)
    _planar(page)
    sheet = _sheet(page, entries)
    if suffix == "csv":
        return Response(spot_table(sheet), media_type="text/csv; charset=utf-8", headers=_file(page, suffix))
    if suffix == "json":
        text = json.dumps(plate_record(page, entries, sheet), ensure_ascii=False, indent=1)
        return Response(text, media_type="application/json", headers=_file(page, suffix))
    drawing = draw_plate(sheet, _light(view, sheet.plate), None)
    if drawing is None:
        raise Problem("", "Nothing to draw yet: set up the plate first.")
    title = f"{page.bench_name}, {page.title}"
    svg = render("techniques/planar/plate.svg", PlateFile(drawing=drawing, title=title))
    return Response(svg, media_type="image/svg+xml", headers=_file(page, suffix))
