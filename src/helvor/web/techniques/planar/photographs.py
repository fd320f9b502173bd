"""Photographs of a plate: taken in, read in the background, proposed, accepted."""

from __future__ import annotations

import logging
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass, replace
from typing import Annotated, Any, Literal, cast
from urllib.parse import quote
from uuid import UUID

from fastapi import APIRouter, File, Request, UploadFile
from fastapi import Form as Field
from psycopg_pool import ConnectionPool
from pydantic import ValidationError
from starlette.responses import RedirectResponse, Response

from helvor.core.quantities.reading import Unreadable, parse, round_to
from helvor.core.record.entry import Entry, Problem, before
from helvor.core.record.finding import Finding
from helvor.core.techniques.planar.photo import accept
from helvor.core.techniques.planar.photo.check_photograph import check_photograph
from helvor.core.techniques.planar.photo.proposal import (
    PROFILE_STEP,
    STAGES,
    SURE,
    SURE_OVER_FLOOR,
    FoundSpot,
    Line,
    Point,
    Proposal,
    Stage,
)
from helvor.core.techniques.planar.plate import LIGHTS, Photographed, Plate, gather
from helvor.core.techniques.planar.spot_names import spot_name
from helvor.notebook import pages, photographs
from helvor.notebook.file_space import nearly_full
from helvor.notebook.page_errors import NotYours
from helvor.notebook.page_rows import Page
from helvor.notebook.pages import Draft
from helvor.notebook.photographs import Photograph, asked_of
from helvor.web.errors import sentence_of
from helvor.web.forms import Form, SubmittedDep
from helvor.web.may import May, may
from helvor.web.places import shell_of_class
from helvor.web.rendering import Shell, html, is_htmx
from helvor.web.security import VisitorDep, WriterDep, pool
from helvor.web.techniques.planar.drawing import Ruler, ruler

router = APIRouter(include_in_schema=False)
log = logging.getLogger(__name__)
_reader = ThreadPoolExecutor(max_workers=1, thread_name_prefix="photograph")
"""One picture at a time: a class that hands in twenty at once waits in turn and the pages stay quick."""


@dataclass(frozen=True, slots=True, kw_only=True)
class SpotShown:
    """A proposed spot as the page draws and lists it. Positions in mm of the drawing, y down."""

    index: int
    name: str
    lane: str
    x: float
    y: float
    rx: float
    ry: float
    mm: str
    rf: str
    dots: int
    sure: bool
    why: str
    area: int
    standing: str
    kept: bool
    found: FoundSpot


@dataclass(frozen=True, slots=True, kw_only=True)
class ProfileShown:
    """Darkness along a lane as a drawing 600 × 90, its spots named."""

    label: str
    path: str
    peaks: list[tuple[float, float, str]]
    sure_y: float
    front_x: float | None
    ticks: list[tuple[float, int]]
    areas: str


@dataclass(frozen=True, slots=True, kw_only=True)
class Drawn:
    """The straightened plate: lines as paths in mm, lanes, spots."""

    ruler: Ruler
    width: float
    height: float
    origin: str
    front: str
    origin_y: float
    front_y: float | None
    lanes: list[tuple[str, str, float]]
    """Value in forms (its key, or its place from the left while it has none), label and x of each lane."""


@dataclass(frozen=True, kw_only=True)
class Body:
    """The part of the page that changes while a photograph is read."""

    page: Page
    plate: Plate
    photo: Photograph | None
    proposal: Proposal | None
    drawn: Drawn | None
    spots: list[SpotShown]
    profiles: list[ProfileShown]
    findings: list[Finding]
    front: float | None
    stage: tuple[float, str] | None
    csrf: str
    lights: dict[str, str]
    keep_front: bool
    added: list[tuple[str, str]]
    """Lane and mm of spots that were added by hand; one empty line at least."""
    trouble: str


@dataclass(frozen=True, kw_only=True)
class PhotographPage(Shell, Body):
    photos: list[Photograph]
    full: str
    errors: dict[str, str]
    light: str


@dataclass(frozen=True, kw_only=True)
class PhotographFragment(Body):
    pass


def read_soon(pool_: ConnectionPool, photo_id: UUID, number: int) -> None:
    """Read a photograph on the reading thread."""

    def work() -> None:
        try:
            photographs.read(pool_, photo_id, number)
        except Exception:
            # The page says that it could not be read; here is why.
            log.exception("A photograph could not be read")

    _reader.submit(work)


def _path(points: list[tuple[float, float]]) -> str:
    return "M" + "L".join(f"{x:.2f} {y:.2f}" for x, y in points)


def _drawn(plate: Plate, p: Proposal) -> Drawn:
    def line(found: Line | None) -> str:
        return _path([(x, p.height - y) for x, y in found.points]) if found else ""

    return Drawn(
        ruler=ruler(p.height, p.height / 460),
        width=p.width,
        height=p.height,
        origin=line(p.origin),
        front=line(p.front),
        origin_y=p.height - accept.origin_at(plate, p),
        front_y=p.height - p.front.mean if p.front else None,
        lanes=[(str(lane.key or index), lane.label, lane.x) for index, lane in enumerate(accept.lanes_of(plate, p))],
    )


def _spots(plate: Plate, p: Proposal, photo: UUID) -> list[SpotShown]:
    lanes = accept.lanes_of(plate, p)
    names: dict[int, str] = {}
    counted: dict[int, int] = {}
    shown = []
    for index, spot in enumerate(p.spots):
        counted[spot.lane] = counted.get(spot.lane, 0) + 1
        lane = lanes[spot.lane] if spot.lane >= 0 else None
        distance = accept.reading(accept.over_origin(plate, p, spot))
        there = accept.standing_there(plate, lane.key, distance.value, spot.u) if lane and lane.key else None
        name = spot_name(lane.label if lane else "?", counted[spot.lane])
        names[index] = name
        from_here = there is not None and there.spot.from_photo is not None and there.spot.from_photo.photo == photo
        rf = p.rf(spot)
        shown.append(
            SpotShown(
                index=index,
                name=name,
                lane="" if lane is None else str(lane.key or spot.lane) if lane.key or not plate.lanes else "",
                x=spot.x,
                y=p.height - spot.up,
                rx=spot.width / 2,
                ry=(spot.head - spot.tail) / 2,
                mm=distance.number,
                rf="" if rf is None else round_to(rf, 2),
                dots=max(1, round(5 * spot.sure)),
                sure=spot.sure >= SURE,
                why=spot.why,
                area=round(100 * spot.area),
                standing=there.name if there else "",
                kept=spot.sure >= SURE and spot.lane >= 0 and not from_here,
                found=spot,
            )
        )
    return [_with_company(p, one, names) for one in shown]


def _with_company(p: Proposal, one: SpotShown, names: dict[int, str]) -> SpotShown:
    """A doubtful spot with what speaks for it."""
    near = accept.beside(p, one.found) if one.why else None
    if near is None:
        return one
    return replace(one, why=f"{one.why} But {names[p.spots.index(near)]} has the same Rf, so it may be real.")


WIDE, HIGH = 600, 84


def _profiles(plate: Plate, p: Proposal, spots: list[SpotShown]) -> list[ProfileShown]:
    """Each lane's darkness over the distance from the origin."""
    origin = accept.origin_at(plate, p)
    top = (p.front.mean if p.front else p.height) - origin + 4
    most = max((max(line) for line in p.profiles), default=0.0) or 1.0

    def px(up: float) -> float:
        return (up - origin + 2) / (top + 2) * WIDE

    def py(value: float) -> float:
        return HIGH - value / most * (HIGH - 14)

    shown = []
    for index, (line, lane) in enumerate(zip(p.profiles, accept.lanes_of(plate, p), strict=True)):
        places = [(i * PROFILE_STEP, v) for i, v in enumerate(line) if origin - 2 <= i * PROFILE_STEP <= origin + top]
        mine = [s for s in spots if s.found.lane == index]
        floor = max((s.found.floor for s in mine), default=0.0)
        peaks = []
        for s in sorted(mine, key=lambda s: s.found.up):
            at = min(places, key=lambda place: abs(place[0] - s.found.up), default=(0.0, 0.0))
            peaks.append((px(s.found.up), py(at[1]), s.name))
        shown.append(
            ProfileShown(
                label=lane.label,
                path=_path([(px(up), py(value)) for up, value in places]) if places else "",
                peaks=peaks,
                sure_y=py(min(SURE_OVER_FLOOR * floor, most)),
                front_x=px(p.front.mean) if p.front else None,
                ticks=[(px(origin + mm), mm) for mm in range(0, int(top) + 1, 10)],
                areas=" : ".join(str(s.area) for s in sorted(mine, key=lambda s: s.found.up)) if len(mine) > 1 else "",
            )
        )
    return shown


def _as_typed(spots: list[SpotShown], form: Form) -> list[SpotShown]:
    """The proposals as a person had left them when something could not be taken."""
    kept = set(form.all("keep"))
    return [
        replace(
            s,
            kept=str(s.index) in kept,
            mm=form.text(f"mm_{s.index}") or s.mm,
            lane=form.text(f"lane_{s.index}") or s.lane,
        )
        for s in spots
    ]


def _body(
    page: Page, plate: Plate, photo: Photograph | None, csrf: str, typed: Form | None = None, trouble: str = ""
) -> dict[str, Any]:
    proposal = photo.proposal if photo and photo.stage == "done" and not photo.trouble else None
    spots = _spots(plate, proposal, photo.id) if proposal and photo else []
    on_record = plate.front is not None or bool(plate.lane_fronts)
    keep_front, added = not on_record, [("", "")]
    if typed is not None:
        spots = _as_typed(spots, typed)
        keep_front = bool(typed.text("front"))
        added = list(zip(typed.all("added_lane"), typed.all("added_mm"), strict=False)) or added
    origin_said = plate.set_up.origin.value if plate.set_up else None
    front = proposal.front.mean - accept.origin_at(plate, proposal) if proposal and proposal.front else None
    return {
        "page": page,
        "plate": plate,
        "photo": photo,
        "proposal": proposal,
        "drawn": _drawn(plate, proposal) if proposal else None,
        "spots": spots,
        "profiles": _profiles(plate, proposal, spots) if proposal else [],
        "findings": check_photograph(proposal, [s.name for s in spots], origin_said) if proposal else [],
        "front": front,
        "stage": STAGES[cast(Stage, photo.stage)] if photo and not proposal and not photo.trouble else None,
        "csrf": csrf,
        "lights": LIGHTS,
        "keep_front": keep_front,
        "added": added,
        "trouble": trouble,
    }


def _opened(request: Request, who: VisitorDep, page_id: UUID) -> tuple[Page, list[Entry], list[Photograph]]:
    with pool(request).connection() as conn:
        page, entries = pages.open_page(conn, who.account.id, page_id)
        if page.technique_key != "planar":
            raise NotYours
        return page, entries, photographs.of_page(conn, page_id)


@router.get("/plates/{page_id}/photo")
@may(May.BENCH)
def photo_page(
    request: Request, page_id: UUID, who: VisitorDep, photo: UUID | None = None, new: bool = False
) -> Response:
    """The newest photograph, or the one asked for, or the form for the first."""
    return _shown(request, who, page_id, photo, taking="usual" if new else "")


def _shown(
    request: Request,
    who: VisitorDep,
    page_id: UUID,
    photo_id: UUID | None,
    *,
    taking: str = "",
    errors: dict[str, str] | None = None,
    typed: Form | None = None,
) -> Response:
    """A photograph, or the form for a new one: then *taking* is its light, or "usual" for that which the plate asks."""
    page, entries, photos = _opened(request, who, page_id)
    plate = gather(entries)
    chosen = (
        None
        if taking
        else next((p for p in photos if p.id == photo_id), photos[-1] if photos and not photo_id else None)
    )
    if photo_id is not None and chosen is None:
        raise NotYours
    if chosen is not None and chosen.stale:
        chosen = _again(request, chosen, chosen.asked)
    with pool(request).connection() as conn:
        row, meeting = shell_of_class(conn, who, page.class_id)
        full = nearly_full(conn, page_id)
    lamp = plate.set_up is not None and plate.set_up.indicator
    shown = PhotographPage(
        visitor=who,
        place="bench",
        class_row=row,
        meeting=meeting,
        photos=photos,
        full=full,
        errors=errors or {},
        light=taking if taking not in ("", "usual") else "254" if lamp else "daylight",
        **_body(page, plate, chosen, who.csrf, typed, (errors or {}).get("accept", "")),
    )
    return html("techniques/planar/photo.html", shown, status=422 if errors else 200)


def _again(request: Request, photo: Photograph, asked: photographs.Asked) -> Photograph:
    with pool(request).connection() as conn:
        number = photographs.ask(conn, photo.id, asked)
        fresh = photographs.one(conn, photo.page_id, photo.id)
    read_soon(pool(request), photo.id, number)
    return fresh


@router.post("/plates/{page_id}/photo/files")
@may(May.BENCH)
def take_in(
    request: Request,
    page_id: UUID,
    who: WriterDep,
    entry: Annotated[UUID, Field()],
    file: Annotated[UploadFile, File()],
    light: Annotated[Literal["daylight", "254", "365", "stain"], Field()] = "daylight",
) -> Response:
    """Keep a photograph and begin to read it."""
    _, entries, _ = _opened(request, who, page_id)
    try:
        asked = asked_of(gather(entries))
        picture = photographs.look_at(file.filename or "photo", file.file.read(photographs.MAX_BYTES + 1))
        says = Photographed(photo=entry, name=picture.name, light=light)
        with pool(request).connection() as conn, conn.transaction():
            photographs.keep(conn, who.account.id, page_id, entry, picture, light, asked)
            pages.append(
                conn, who.account.id, who.account.name, page_id, lambda _: [Draft(entry, says)], typed=who.typed
            )
    except Problem as trouble:
        return _shown(request, who, page_id, None, taking=light, errors={"file": str(trouble)})
    read_soon(pool(request), entry, 1)
    return RedirectResponse(f"/plates/{page_id}/photo?photo={entry}", status_code=303)


@router.get("/plates/{page_id}/photos/{photo_id}/stage")
@may(May.BENCH)
def stage(request: Request, page_id: UUID, photo_id: UUID, who: VisitorDep) -> Response:
    """How far the reading is; once it is done, on to the page with what it proposes."""
    page, entries, photos = _opened(request, who, page_id)
    photo = next((p for p in photos if p.id == photo_id), None)
    if photo is None:
        raise NotYours
    if photo.stale:
        photo = _again(request, photo, photo.asked)
    address = f"/plates/{page_id}/photo?photo={photo_id}"
    if not is_htmx(request):
        return RedirectResponse(address, status_code=303)
    if photo.stage == "done" or photo.trouble:
        return Response(headers={"HX-Redirect": address})
    return html(
        "techniques/planar/photo_body.html", PhotographFragment(**_body(page, gather(entries), photo, who.csrf))
    )


@router.get("/plates/{page_id}/photos/{photo_id}/{which}.jpg")
@may(May.BENCH)
def picture(
    request: Request, page_id: UUID, photo_id: UUID, which: Literal["original", "shown", "straight"], who: VisitorDep
) -> Response:
    """The photograph as it came, smaller, or straightened."""
    with pool(request).connection() as conn:
        pages.open_page(conn, who.account.id, page_id)
        photo = photographs.one(conn, page_id, photo_id)
        media, content = photographs.picture_of(conn, page_id, photo_id, which)
    how = "attachment" if which == "original" else "inline"
    headers = {
        "Content-Disposition": f"{how}; filename*=UTF-8''{quote(photo.name)}",
        "Content-Security-Policy": "default-src 'none'; sandbox",
        "Cache-Control": "private, no-cache" if which == "straight" else "private, max-age=86400",
    }
    return Response(content, media_type=media, headers=headers)


@router.post("/plates/{page_id}/photos/{photo_id}/read")
@may(May.BENCH)
def read_again(
    request: Request,
    page_id: UUID,
    photo_id: UUID,
    who: WriterDep,
    corners: Annotated[str, Field(max_length=200)] = "",
    turns: Annotated[int, Field(ge=0, le=3)] = 0,
) -> Response:
    """Read it once more: with corners set by hand, after a turn, or for a plate whose size was corrected."""
    _, entries, photos = _opened(request, who, page_id)
    photo = next((p for p in photos if p.id == photo_id), None)
    if photo is None:
        raise NotYours
    set_by_hand = None if turns else _corners(corners)
    asked = asked_of(gather(entries), (photo.asked.turns + turns) % 4, set_by_hand)
    _again(request, photo, asked)
    return RedirectResponse(f"/plates/{page_id}/photo?photo={photo_id}", status_code=303)


def _corners(text: str) -> tuple[Point, Point, Point, Point] | None:
    """Eight numbers, x and y of each corner as parts of the picture.

    Raises:
        Problem: they are no four corners of anything.
    """
    if not text.strip():
        return None
    try:
        values = [float(part) for part in text.split()]
    except ValueError:
        values = []
    if len(values) != 8 or not all(-0.5 <= v <= 1.5 for v in values):
        raise Problem("corners", "The corners could not be read. Drag them again.")
    a, b, c, d = (cast(Point, tuple(values[i : i + 2])) for i in (0, 2, 4, 6))
    for (x0, y0), (x1, y1), (x2, y2) in ((a, b, c), (b, c, d), (c, d, a), (d, a, b)):
        if (x1 - x0) * (y2 - y1) - (y1 - y0) * (x2 - x1) < 1e-4:
            raise Problem("corners", "The outline crosses itself or is flat: set the corners from top left, clockwise.")
    return a, b, c, d


@router.post("/plates/{page_id}/photos/{photo_id}/accept")
@may(May.BENCH)
def take_over(request: Request, page_id: UUID, photo_id: UUID, who: WriterDep, fields: SubmittedDep) -> Response:
    """Write what the person keeps as readings from the photograph."""
    form = Form(fields)
    entry = form.id("entry")
    if entry is None:
        raise Problem("entry", "This form is out of date. Reload the page; nothing was saved.")
    with pool(request).connection() as conn:
        pages.open_page(conn, who.account.id, page_id)
        photo = photographs.one(conn, page_id, photo_id)
    if photo.proposal is None:
        raise Problem("photo", "This photograph is still being analysed. Wait a moment.")
    proposal = photo.proposal

    def compose(entries: list[Entry]) -> list[Draft]:
        ids = accept.ids_of(entry, (on.key for on in gather(entries).lanes))
        return _drafts(form, entry, gather(before(entries, *ids)), proposal, photo_id)

    try:
        with pool(request).connection() as conn:
            written = pages.append(conn, who.account.id, who.account.name, page_id, compose, typed=who.typed)
    except (Problem, ValidationError) as trouble:
        said = sentence_of(trouble.errors()[0]["msg"]) if isinstance(trouble, ValidationError) else str(trouble)
        return _shown(request, who, page_id, photo_id, errors={"accept": said}, typed=form)
    return RedirectResponse(f"/plates/{written.page.id}?view={photo.light}", status_code=303)


def _drafts(form: Form, entry: UUID, plate: Plate, proposal: Proposal, photo_id: UUID) -> list[Draft]:
    """What is kept, as entries; the plate as it stands is asked, so that nothing is doubled."""
    writes: list[accept.ToWrite] = []
    lanes = accept.lanes_of(plate, proposal)
    keys = {str(lane.key): lane.key for lane in lanes if lane.key}
    places = {lane.key: lane.x for lane in lanes if lane.key}
    if not plate.lanes:
        writes += accept.lanes_to_add(proposal, entry)
        keys = {str(index): one.id for index, one in enumerate(writes)}
        places = {one.id: lane.x for one, lane in zip(writes, lanes, strict=True)}
    kept: list[accept.Kept] = []
    for index in form.all("keep"):
        if not index.isdecimal() or int(index) >= len(proposal.spots):
            raise Problem(
                "keep", "These proposals are out of date: the photograph was analysed again. Reload the page."
            )
        kept.append(_kept(form, f"_{index}", keys, proposal.spots[int(index)]))
    for lane, mm in zip(form.all("added_lane"), form.all("added_mm"), strict=False):
        if mm.strip():
            kept.append(_kept(Form({"lane": [lane], "mm": [mm]}), "", keys, None))
    writes += accept.spots_to_write(plate, proposal, photo_id, kept, entry)
    if form.text("front"):
        writes += accept.fronts_to_write(plate, proposal, photo_id, places, entry)
    if not writes:
        raise Problem("keep", "Tick a spot or the front first.")
    return [Draft(one.id, one.payload, one.strikes, one.reason) for one in writes]


def _kept(form: Form, suffix: str, keys: dict[str, UUID], found: FoundSpot | None) -> accept.Kept:
    lane = form.text(f"lane{suffix}")
    if lane not in keys:
        raise Problem("lane", "Choose the lane of every ticked spot.")
    try:
        distance = parse(form.text(f"mm{suffix}"), "length", field_unit="mm")
    except Unreadable as unreadable:
        raise Problem("mm", str(unreadable)) from unreadable
    return accept.Kept(keys[lane], distance.value, found)
