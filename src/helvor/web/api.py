"""The same computations and records as JSON. ``/api`` documents it; ``/api/openapi.json`` is the schema.

Lengths are given with their unit ("41.0 mm", "1 1/4 in"); a bare number is refused. What
only computes needs no sign-in and keeps nothing.
"""

from __future__ import annotations

from dataclasses import dataclass
from datetime import UTC, datetime
from typing import Annotated, Any
from uuid import UUID, uuid5

from fastapi import APIRouter, Body, File, Request, UploadFile
from fastapi import Form as FormField
from pydantic import BaseModel, ConfigDict, Field, StrictBool, ValidationError
from starlette.responses import Response

from helvor.core.laws.planar import rf as formulas
from helvor.core.laws.planar.eluent import parse_eluent
from helvor.core.quantities.reading import Estimate, Length, round_to, round_up_to
from helvor.core.quantities.words import Mark, Words
from helvor.core.record.entry import Entry, Payload, Problem
from helvor.core.record.finding import Level
from helvor.core.techniques.planar import plate as planar
from helvor.core.techniques.planar.photo.proposal import Proposal
from helvor.core.techniques.planar.plate import MAX_LANES, MAX_SPOTS, gather
from helvor.core.techniques.planar.results import PlateWorksheet, SpotResult
from helvor.core.techniques.planar.work_out import work_out
from helvor.exchange.planar import entry_record, plate_record
from helvor.notebook import pages, photographs
from helvor.notebook.page_errors import NotYours
from helvor.notebook.pages import Draft
from helvor.shelf.solvents import eluotropic_rank
from helvor.web.errors import sentence_of
from helvor.web.may import May, may
from helvor.web.rendering import Shell, html
from helvor.web.security import VisitorDep, WriterDep, pool

router = APIRouter(prefix="/api", tags=["planar chromatography"])

_NAMESPACE = UUID("6f1c3f0e-6a55-4c6e-9d1e-5a0d8f1f7a11")


class _In(BaseModel):
    model_config = ConfigDict(extra="forbid", frozen=True)


class RfIn(_In):
    """One spot over one front, both from the origin line."""

    spot: Length = Field(examples=["18.0 mm"])
    front: Length = Field(examples=["45.0 mm"])
    origin_resolution: Length | None = Field(
        None, description="How finely the origin line was set; default: as the spot."
    )
    spot_length: Length | None = Field(
        None, description="The spot's extent along the lane; a tenth of it judges the centre."
    )


class RfOut(BaseModel):
    """Rf with its relatives; ``k`` and ``r_m`` are null where Rf says nothing."""

    rf: float
    u: float
    shown: str
    hrf: int
    k: Estimate | None
    r_m: Estimate | None
    working: str


@router.post("/planar/rf")
@may(May.PUBLIC)
def rf(asked: RfIn) -> RfOut:
    """The Rf of one spot with its uncertainty."""
    if asked.front.value <= 0:
        raise Problem("front", "Enter a front above 0 mm; it is above the origin line.")
    length = asked.spot_length.value if asked.spot_length else None
    u_spot = (asked.spot.u**2 + formulas.centre_uncertainty(length) ** 2) ** 0.5
    # The step itself is given here, so the value of the reading is the resolution.
    u_origin = asked.spot.u if asked.origin_resolution is None else asked.origin_resolution.value / 12**0.5
    ratio = formulas.ratio_on_shared_origin(asked.spot.value, asked.front.value, u_spot, asked.front.u, u_origin)
    if asked.spot.value > asked.front.value:
        raise Problem(
            "spot",
            f"The spot at {asked.spot} is beyond the front at {asked.front}. If the two are exchanged it is "
            f"{round_to(asked.front.value / asked.spot.value, 2)}, not {round_to(ratio.value, 2)}.",
        )
    shown = round_to(ratio.value, 2)
    return RfOut(
        rf=ratio.value,
        u=ratio.u,
        shown=f"{shown} ± {round_up_to(ratio.u, 2)}",
        hrf=int(round_to(100 * ratio.value, 0)),
        k=formulas.retention_factor(ratio),
        r_m=formulas.r_m(ratio),
        working=f"Rf = {asked.spot.number} mm ÷ {asked.front.number} mm = {shown}",
    )


class EluentOut(BaseModel):
    """An eluent, shown every way."""

    names: list[str]
    percents: list[float]
    as_percents: str
    as_ratio: str
    as_solution: str


@router.post("/planar/eluent")
@may(May.PUBLIC)
def eluent(
    text: Annotated[str, Body(embed=True, max_length=200, examples=["7.6 mL hexane + 0.4 mL ethyl acetate"])],
) -> EluentOut:
    """Read an eluent as people write it."""
    mixed = parse_eluent(text)
    return EluentOut(
        names=[component.name for component in mixed.components],
        percents=[component.percent for component in mixed.components],
        as_percents=mixed.as_percents,
        as_ratio=mixed.as_ratio,
        as_solution=mixed.as_solution,
    )


class LaneIn(_In):
    label: Mark
    at: Length
    substance: Words = ""
    role: planar.Role = "unknown"
    combines: list[Mark] = Field([], max_length=6, description="Labels of the lanes that a co-spot combines.")


class SpotIn(_In):
    lane: Mark
    distance: Length
    tail: Length | None = None
    head: Length | None = None
    width: Length | None = None
    seen: list[planar.Light] = Field(["daylight"], max_length=4)
    strength: planar.Strength = "clear"


class PlateIn(_In):
    """A whole plate, described at once. Spots are named by lane and order, as on the page."""

    phase: planar.Phase
    width: Length
    height: Length
    origin: Length
    indicator: StrictBool = False
    eluent: Words = ""
    level: Length | None = None
    lanes: list[LaneIn] = Field(max_length=MAX_LANES)
    front: Length | None = None
    fronts: dict[Mark, Length] = Field({}, max_length=MAX_LANES, description="Fronts of single lanes, by label.")
    spots: list[SpotIn] = Field([], max_length=MAX_SPOTS)
    compared_to: str = Field("", max_length=20, description="Name of the spot that relative values are divided by.")


class SpotOut(BaseModel):
    name: str
    lane: str
    distance_mm: float
    front_mm: float | None
    rf: Estimate | None
    shown: str
    relative: Estimate | None
    r_m: Estimate | None
    k: Estimate | None
    working: list[str]


class PairOut(BaseModel):
    upper: str
    lower: str
    rs: float


class FindingOut(BaseModel):
    code: str
    level: Level
    about: str
    what: str
    because: str
    do: str


class PlateOut(BaseModel):
    spots: list[SpotOut]
    neighbours: list[PairOut]
    findings: list[FindingOut]


class _Describing:
    """Turns a described plate into the entries it would have on a page, checked one by one."""

    def __init__(self) -> None:
        self.entries: list[Entry] = []

    def add(self, field: str, model: type[Payload], **values: Any) -> UUID:
        try:
            payload = model(**values)
            planar.check(gather(self.entries), payload, None)
        except ValidationError as invalid:
            raise Problem(field, sentence_of(invalid.errors()[0]["msg"])) from invalid
        except Problem as trouble:
            raise Problem(field, trouble.sentence) from trouble
        number = len(self.entries) + 1
        key = uuid5(_NAMESPACE, str(number))
        self.entries.append(Entry(key, number, payload, None, "", "", datetime.min.replace(tzinfo=UTC)))
        return key


@router.post("/planar/plate")
@may(May.PUBLIC)
def plate(asked: PlateIn) -> PlateOut:
    """Work a whole plate out: Rf, resolution, findings."""
    on = _Describing()
    on.add(
        "plate",
        planar.SetUp,
        phase=asked.phase,
        indicator=asked.indicator,
        width=asked.width,
        height=asked.height,
        origin=asked.origin,
    )
    key_of: dict[str, UUID] = {}

    def lane_key(label: str, field: str) -> UUID:
        key = key_of.get(label.casefold())
        if key is None:
            raise Problem(field, f"This plate has no lane “{label}”.")
        return key

    for index, lane in sorted(enumerate(asked.lanes), key=lambda pair: pair[1].role == "co-spot"):
        field = f"lanes.{index}"
        combines = tuple(lane_key(label, field) for label in lane.combines)
        values = lane.model_dump(exclude={"combines", "at"}) | {"at": lane.at, "combines": combines}
        key_of[lane.label.casefold()] = on.add(field, planar.Lane, **values)
    if asked.eluent:
        on.add("eluent", planar.EluentUsed, eluent=parse_eluent(asked.eluent))
    if asked.level is not None:
        on.add("level", planar.Chamber, level=asked.level)
    if asked.front is not None:
        on.add("front", planar.Front, distance=asked.front)
    for label, distance in asked.fronts.items():
        on.add(f"fronts.{label}", planar.Front, lane=lane_key(label, f"fronts.{label}"), distance=distance)
    for index, spot in enumerate(asked.spots):
        field = f"spots.{index}"
        on.add(
            field,
            planar.Spot,
            lane=lane_key(spot.lane, field),
            distance=spot.distance,
            tail=spot.tail,
            head=spot.head,
            width=spot.width,
            seen=tuple(spot.seen),
            strength=spot.strength,
        )
    if asked.compared_to:
        named = next((s for s in gather(on.entries).spots if s.name == asked.compared_to), None)
        if named is None:
            raise Problem("compared_to", f"This plate has no spot “{asked.compared_to}”.")
        on.add("compared_to", planar.ComparedTo, spot=named.key)
    return _plate_out(work_out(on.entries, eluotropic_rank=eluotropic_rank()))


def _plate_out(sheet: PlateWorksheet) -> PlateOut:
    return PlateOut(
        spots=[_spot_out(spot) for spot in sheet.spots],
        neighbours=[PairOut(upper=p.upper, lower=p.lower, rs=p.resolution) for p in sheet.neighbours],
        findings=[
            FindingOut(code=f.code, level=f.level, about=f.about, what=f.what, because=f.because, do=f.do)
            for f in sheet.findings
        ],
    )


def _spot_out(spot: SpotResult) -> SpotOut:
    return SpotOut(
        name=spot.name,
        lane=spot.lane,
        distance_mm=spot.on.spot.distance.value,
        front_mm=spot.front.distance if spot.front else None,
        rf=spot.rf,
        shown=f"{spot.rf_shown} ± {spot.u_shown}" if spot.rf else "",
        relative=spot.relative,
        r_m=spot.r_m,
        k=spot.k,
        working=[f"{line.what}: {line.shown}" for line in spot.working()],
    )


@router.get("/plates/{page_id}", tags=["records"])
@may(May.STAFF)
def plate_on_record(request: Request, page_id: UUID, who: VisitorDep) -> dict[str, Any]:
    """A plate of the notebook: its entries in ink, struck ones too, and what is worked out of them."""
    with pool(request).connection() as conn:
        page, entries = pages.open_page(conn, who.account.id, page_id)
    if page.technique_key != "planar":
        raise NotYours
    return plate_record(page, entries, work_out(entries, page.rules, eluotropic_rank()))


@router.post("/planar/photo/files", tags=["records"])
@may(May.STAFF)
def photograph(
    who: WriterDep,
    file: Annotated[UploadFile, File()],
    width_mm: Annotated[float, FormField(ge=5, le=600)],
    height_mm: Annotated[float, FormField(ge=5, le=600)],
    light: Annotated[planar.Light | None, FormField()] = None,
) -> Proposal:
    """What a photograph of a plate proposes. Keeps nothing; only for who is signed in, for it takes a second or two."""
    picture = photographs.look_at(file.filename or "photo", file.file.read(photographs.MAX_BYTES + 1))
    asked = photographs.Asked(width=width_mm, height=height_mm)
    return photographs.propose(picture.content, light, asked)[0]


class EntryIn(_In):
    """An entry to write. Choose the id yourself: sending the same id again writes nothing more."""

    id: UUID
    says: planar.AnyPayload
    strikes: UUID | None = None
    reason: Words = ""


@router.post("/plates/{page_id}/entries", tags=["records"])
@may(May.STAFF)
def write_entry(request: Request, page_id: UUID, who: WriterDep, entry: EntryIn) -> dict[str, Any]:
    """Write an entry in ink. Needs the session's ``X-CSRF-Token``."""
    draft = Draft(entry.id, entry.says, entry.strikes, entry.reason)
    with pool(request).connection() as conn:
        written = pages.append(conn, who.account.id, who.account.name, page_id, lambda _: [draft], typed=who.typed)
    standing = next(e for e in written.entries if e.id == entry.id)
    return {"new": bool(written.new), "entry": entry_record(standing)}


@dataclass(frozen=True, slots=True, kw_only=True)
class ApiPage(Shell):
    operations: list[tuple[str, str, str, str]]


@router.get("", include_in_schema=False)
@may(May.PUBLIC)
def documentation(request: Request) -> Response:
    """What can be asked, as a page; drawn from the same schema that scripts read."""
    schema = request.app.openapi()
    operations = [
        (method.upper(), path, operation.get("summary", ""), operation.get("description", ""))
        for path, methods in schema["paths"].items()
        for method, operation in methods.items()
    ]
    return html("api.html", ApiPage(visitor=None, place="", operations=operations))
