"""Columns as JSON: what comes when and in which tube, which tubes go together."""

from __future__ import annotations

import itertools
from typing import Annotated, Literal
from uuid import UUID

from fastapi import APIRouter, Request
from pydantic import BaseModel, ConfigDict, Field

from helvor.core.laws.column.model import PLATES, Compound, bands, column_volume, in_tubes, place, resolution
from helvor.core.laws.column.pools import Tube, cost_of, exchanged, found_in, odd, propose
from helvor.core.techniques.column.fraction_plate import lanes_for, tubes_on
from helvor.core.techniques.planar.work_out import work_out
from helvor.notebook import pages
from helvor.notebook.pages import NotYours
from helvor.shelf.solvents import eluotropic_rank
from helvor.web.may import May, may
from helvor.web.security import VisitorDep, pool

router = APIRouter(prefix="/api/column", tags=["columns"])

Positive = Annotated[float, Field(gt=0, le=1e6, allow_inf_nan=False)]
NotNegative = Annotated[float, Field(ge=0, le=1e6, allow_inf_nan=False)]
Name = Annotated[str, Field(min_length=1, max_length=40)]


class _In(BaseModel):
    model_config = ConfigDict(extra="forbid", frozen=True)


class CompoundIn(_In):
    """A compound, mg of it, and its Rf in each eluent in order."""

    name: Name
    mg: NotNegative
    rf: list[Annotated[float, Field(ge=0, le=1)]] = Field(min_length=1, max_length=6)


class ElutionIn(_In):
    """A column (mm inside, mm of silica), mL of each eluent in order, mL in a tube, and what is on it."""

    bore_mm: Positive
    bed_mm: Positive
    eluents_ml: list[Positive] = Field(min_length=1, max_length=6)
    fraction_ml: Positive
    compounds: list[CompoundIn] = Field(min_length=1, max_length=12)
    plates: float = Field(PLATES, ge=4, le=1e5)
    sample_ml: NotNegative = 0.0
    capacity_mg: Positive | None = None
    tubes: int = Field(40, ge=1, le=200)
    after_ml: NotNegative | None = None


class BandOut(BaseModel):
    """Where a compound leaves, mL (null: never), its σ and tail, mL, mg in each tube; how far down it is."""

    name: str
    ml: float | None
    sigma_ml: float
    tail_ml: float
    mg: list[float]
    place: float | None


class ElutionOut(BaseModel):
    """Column volume, mL; the bands; resolution of each from the next."""

    column_ml: float
    bands: list[BandOut]
    resolution: list[float | None]


@router.post("/elution")
@may(May.PUBLIC)
def what_comes_when(asked: ElutionIn) -> ElutionOut:
    """Gaussian elution with steps, sample volume and overload."""
    v_m = column_volume(asked.bore_mm, asked.bed_mm)
    compounds = [Compound(c.name, c.mg, tuple(c.rf)) for c in asked.compounds]
    found = bands(
        compounds, asked.eluents_ml, v_m, plates=asked.plates, sample_ml=asked.sample_ml, capacity=asked.capacity_mg
    )
    ends = [asked.fraction_ml * (i + 1) for i in range(asked.tubes)]
    return ElutionOut(
        column_ml=v_m,
        bands=[
            BandOut(
                name=band.name,
                ml=band.volume,
                sigma_ml=band.sigma,
                tail_ml=band.tail,
                mg=in_tubes(band, ends),
                place=place(asked.after_ml, asked.eluents_ml, one.rf, v_m) if asked.after_ml is not None else None,
            )
            for band, one in zip(found, compounds, strict=True)
        ],
        resolution=[resolution(a, b) for a, b in itertools.pairwise(found)],
    )


class TubeIn(_In):
    """A tube: mL, and what shows, each 0 (none) to 4 (strong); null where it was not spotted."""

    number: int = Field(ge=1, le=192)
    ml: NotNegative = 0.0
    seen: dict[Name, Annotated[int, Field(ge=0, le=4)]] | None = None
    state: Literal["full", "spilt", "skipped"] = "full"


class PoolsIn(_In):
    """Tubes in order, and mg of each compound on the column where that is known."""

    tubes: list[TubeIn] = Field(min_length=1, max_length=192)
    mg: dict[Name, NotNegative] = Field({}, max_length=12)


class PoolOut(BaseModel):
    kind: str
    tubes: list[int]
    compounds: list[str]
    mg: dict[str, float]
    purity: float | None


class PoolCostOut(BaseModel):
    """What taking a mixed tube into a pool brings of its compound, mg, and the pool's purity then."""

    tube: int
    pool: int
    compound: str
    mg: float
    purity: float


class TubesFoundOut(BaseModel):
    """A compound as found: mean, mL, and apparent plates."""

    ml: float
    plates: float | None


class PoolsOut(BaseModel):
    pools: list[PoolOut]
    costs: list[PoolCostOut]
    exchanged: list[tuple[int, int]]
    odd: list[tuple[int, str]]
    found: dict[str, TubesFoundOut]


@router.post("/pools")
@may(May.PUBLIC)
def pools(asked: PoolsIn) -> PoolsOut:
    """Which tubes go together, and what looks exchanged."""
    tubes, start = [], 0.0
    for tube in sorted(asked.tubes, key=lambda one: one.number):
        tubes.append(Tube(tube.number, tube.ml, start, seen=tube.seen, state=tube.state))
        start += tube.ml
    proposed = propose(tubes, asked.mg)
    moments = {name: found_in(tubes, name) for name in dict.fromkeys(name for tube in tubes for name in tube.holds)}
    return PoolsOut(
        pools=[
            PoolOut(kind=p.kind, tubes=list(p.tubes), compounds=list(p.compounds), mg=dict(p.mass), purity=p.purity)
            for p in proposed
        ],
        costs=[
            PoolCostOut(tube=c.tube, pool=c.pool, compound=c.compound, mg=c.gains, purity=c.purity)
            for c in cost_of(proposed, tubes, asked.mg)
        ],
        exchanged=exchanged(tubes),
        odd=odd(tubes),
        found={
            name: TubesFoundOut(ml=band.mean, plates=band.plates) for name, band in moments.items() if band is not None
        },
    )


class FractionPlateIn(_In):
    """Tubes by their numbers, and what is followed."""

    tubes: list[Annotated[int, Field(ge=1, le=192)]] = Field(min_length=1, max_length=192)
    compounds: list[Name] = Field(min_length=1, max_length=12)


class LaneOut(BaseModel):
    """A lane: mm from the left edge, its name, what is on it."""

    mm: float
    label: str
    on_it: str
    reference: bool


class FractionPlateOut(BaseModel):
    width_mm: float
    lanes: list[LaneOut]


@router.post("/fraction-plate")
@may(May.PUBLIC)
def fraction_plate(asked: FractionPlateIn) -> FractionPlateOut:
    """A plate with a lane for each tube and a reference for each compound."""
    set_up, *lanes = lanes_for(sorted(set(asked.tubes)), asked.compounds)
    return FractionPlateOut(
        width_mm=set_up.width.value,
        lanes=[
            LaneOut(mm=lane.at.value, label=lane.label, on_it=lane.substance, reference=lane.role == "reference")
            for lane in lanes
        ],
    )


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
