"""Calculators of columns: what comes when, which tubes go together, a first plan."""

from __future__ import annotations

import itertools
from typing import Annotated, Any, Literal

from pydantic import BaseModel, Field

from helvor.core.laws.column.model import PLATES, Compound, bands, column_volume, in_tubes, place, resolution
from helvor.core.laws.column.peaks import Peak, Width, two_peaks
from helvor.core.laws.column.pools import Tube, cost_of, exchanged, found_in, odd, propose
from helvor.core.laws.column.sizing import ColumnDraft, GravityDraft, draft, for_class, gravity, suitability
from helvor.core.quantities.asked import Asked, Name, NotNegative, Positive
from helvor.core.techniques.column.fraction_plate import lanes_for


class ColumnDraftIn(Asked):
    """Two Rf in the eluent that is meant for the column, and the sample in mg."""

    rf: tuple[Annotated[float, Field(gt=0, lt=1)], Annotated[float, Field(gt=0, lt=1)]]
    sample_mg: Positive | None = None
    kind: Literal["flash", "gravity"] = "flash"
    bores_mm: list[Positive] = Field([], max_length=12, description="Inside widths there are, for a gravity column.")
    flow_ml_min: Positive | None = None
    benches: int | None = Field(None, ge=1, le=200)


class ColumnDraftOut(BaseModel):
    """Whether it suits, ΔCV, and a first plan: mm, g, mL; whether a flash column's eluent is from the table."""

    level: str
    says: str
    delta_rf: float
    delta_cv: float
    diameter_mm: float | None = None
    bed_mm: float | None = None
    silica_g: float | None = None
    column_volume_ml: float | None = None
    eluent_ml: float | None = None
    fraction_ml: float | None = None
    fractions: int | None = None
    minutes: float | None = None
    slurry_ml: float | None = None
    by_table: bool | None = None
    class_silica_g: float | None = None
    class_eluent_ml: float | None = None
    class_tubes: int | None = None


def draft_column(asked: ColumnDraftIn) -> ColumnDraftOut:
    """From two Rf to a first plan of a flash or gravity column."""
    fits = suitability(*asked.rf)
    out: dict[str, Any] = {"level": fits.level, "says": fits.says, "delta_rf": fits.delta, "delta_cv": fits.delta_cv}
    plan: ColumnDraft | GravityDraft | None = None
    if asked.sample_mg is not None and asked.kind == "gravity":
        plan = by_gravity = gravity(asked.sample_mg, fits, asked.bores_mm, asked.flow_ml_min)
        out |= {"diameter_mm": plan.bore, "minutes": by_gravity.minutes, "slurry_ml": by_gravity.slurry}
    elif asked.sample_mg is not None:
        plan = flash = draft(asked.sample_mg, fits)
        out |= {"diameter_mm": flash.diameter, "by_table": flash.by_table}
    if plan is not None:
        out |= {
            "bed_mm": plan.bed,
            "silica_g": plan.silica,
            "column_volume_ml": plan.column_volume,
            "eluent_ml": plan.eluent,
            "fraction_ml": plan.fraction,
            "fractions": plan.fractions,
        }
        if asked.benches is not None:
            whole = for_class(plan, asked.benches)
            out |= {"class_silica_g": whole.silica, "class_eluent_ml": whole.eluent, "class_tubes": whole.tubes}
    return ColumnDraftOut(**out)


class CompoundIn(Asked):
    """A compound, mg of it, and its Rf in each eluent in order."""

    name: Name
    mg: NotNegative
    rf: list[Annotated[float, Field(ge=0, le=1)]] = Field(min_length=1, max_length=6)


class ElutionIn(Asked):
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
    """Where a compound leaves, from and to, mL (null: never); σ and tail, mL, mg in each tube; how far down it is."""

    name: str
    ml: float | None
    sigma_ml: float
    tail_ml: float
    from_ml: float | None
    to_ml: float | None
    mg: list[float]
    place: float | None


class ElutionOut(BaseModel):
    """Column volume, mL; the bands; resolution of each from the next."""

    column_ml: float
    bands: list[BandOut]
    resolution: list[float | None]


def elution(asked: ElutionIn) -> ElutionOut:
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
                from_ml=band.span[0] if band.span is not None else None,
                to_ml=band.span[1] if band.span is not None else None,
                mg=in_tubes(band, ends),
                place=place(asked.after_ml, asked.eluents_ml, one.rf, v_m) if asked.after_ml is not None else None,
            )
            for band, one in zip(found, compounds, strict=True)
        ],
        resolution=[resolution(a, b) for a, b in itertools.pairwise(found)],
    )


class TubeIn(Asked):
    """A tube: mL, and what shows, each 0 (none) to 4 (strong); null where it was not spotted."""

    number: int = Field(ge=1, le=192)
    ml: NotNegative = 0.0
    seen: dict[Name, Annotated[int, Field(ge=0, le=4)]] | None = None
    state: Literal["full", "spilt", "skipped"] = "full"


class PoolsIn(Asked):
    """Tubes in order, and mg of each compound on the column where that is known."""

    tubes: list[TubeIn] = Field(min_length=1, max_length=192)
    mg: dict[Name, NotNegative] = Field({}, max_length=12)


class PoolOut(BaseModel):
    """A pool: *pure*, *mixed* or *empty*, its tubes, what is in it, mg of each, and the part of the wanted compound."""

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
    """Pools, what it costs to take a mixed tube in, tubes that look exchanged or odd, and each compound as found."""

    pools: list[PoolOut]
    costs: list[PoolCostOut]
    exchanged: list[tuple[int, int]]
    odd: list[tuple[int, str]]
    found: dict[str, TubesFoundOut]


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


class FractionPlateIn(Asked):
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
    """Width of the plate, mm, and its lanes from the left."""

    width_mm: float
    lanes: list[LaneOut]


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


class PeakIn(Asked):
    """Where a peak or band comes and how wide it is, in one unit."""

    at: Positive
    width: Positive


class PeaksIn(Asked):
    """Two peaks, where their widths were read, dead time or volume, length of the column."""

    first: PeakIn
    second: PeakIn
    width: Width = "base"
    dead: Positive | None = None
    length: Positive | None = None


class PeaksOut(BaseModel):
    """Plates of each, k of each and α where the dead time is known, resolution, plate height in the unit of the length,
    plates needed for a clean separation."""

    plates: tuple[float, float]
    k: tuple[float, float] | None
    alpha: float | None
    resolution: float
    height: float | None
    needed: float


def peaks_beside(asked: PeaksIn) -> PeaksOut:
    """Plate number, retention and resolution of two peaks or bands."""
    first, second = (Peak(one.at, one.width) for one in (asked.first, asked.second))
    found = two_peaks(first, second, asked.width, asked.dead, asked.length)
    return PeaksOut(
        plates=found.plates,
        k=found.k,
        alpha=found.alpha,
        resolution=found.resolution,
        height=found.height,
        needed=found.needed,
    )
