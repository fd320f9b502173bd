"""Sums about plates as JSON, beside the pages that show the same, and the plates of a class side by side."""

from __future__ import annotations

from typing import Annotated, Any, Literal
from uuid import UUID

from fastapi import APIRouter, Request
from pydantic import BaseModel, ConfigDict, Field, StrictBool

from helvor.core.laws.column.sizing import ColumnDraft, GravityDraft, draft, for_class, gravity, suitability
from helvor.core.laws.planar.arrival import rise
from helvor.core.laws.planar.eluent import parse_eluent
from helvor.core.laws.planar.identify import SpotMark, identify, rank
from helvor.core.laws.planar.prepare import cut, lane_positions, level, recipe, spotting, volume_for
from helvor.core.laws.planar.solvents import freshness, other_kinds
from helvor.core.laws.planar.tune import Point, best_gap, fit, law_for
from helvor.core.quantities.reading import Estimate, Unreadable
from helvor.core.techniques.planar.plate import Phase
from helvor.core.techniques.planar.side_by_side import side_by_side
from helvor.exchange.planar import comparison
from helvor.shelf.shelf import shipped
from helvor.shelf.solvents import boiling_points, solvents_of
from helvor.web.may import May, may
from helvor.web.security import VisitorDep
from helvor.web.techniques.planar.compare import plates_of_class

router = APIRouter(prefix="/api", tags=["planar chromatography"])


Positive = Annotated[float, Field(gt=0, le=1e6, allow_inf_nan=False)]
NotNegative = Annotated[float, Field(ge=0, le=1e6, allow_inf_nan=False)]


class _In(BaseModel):
    model_config = ConfigDict(extra="forbid", frozen=True)


class PointIn(_In):
    """One plate: the part of the stronger component (0 to 1), the Rf it gave and its uncertainty."""

    phi: float = Field(gt=0, le=1)
    rf: float = Field(gt=0, lt=1)
    u: float = Field(0.02, ge=0, le=0.5)


class TuneIn(_In):
    """Plates of each compound; the phase decides the law; Rf at a composition, or the composition for an Rf."""

    phase: Phase = "silica"
    compounds: dict[str, list[PointIn]] = Field(min_length=1, max_length=12)
    at: float | None = Field(None, gt=0, le=1)
    target: float | None = Field(None, gt=0, lt=1)


class TuneOut(BaseModel):
    """a and m of R_M = a − m·x for each compound, Rf at the composition asked for, the composition for the target."""

    a: dict[str, float]
    m: dict[str, float]
    rf: dict[str, Estimate]
    phi: dict[str, float]
    best_phi: float | None
    best_gap: float | None


@router.post("/planar/tune")
@may(May.PUBLIC)
def tune(asked: TuneIn) -> TuneOut:
    """Fit how Rf follows the composition, and turn it round."""
    law = law_for(asked.phase)
    lines = {
        name: fit([Point(p.phi, Estimate(value=p.rf, u=p.u)) for p in points], law)
        for name, points in asked.compounds.items()
    }
    best = None
    if len(lines) > 1:
        try:
            best = best_gap(lines)
        except Unreadable:
            best = None  # said by the two nulls: no composition near keeps them apart
    return TuneOut(
        a={name: line.a for name, line in lines.items()},
        m={name: line.m for name, line in lines.items()},
        rf={name: line.rf_at(asked.at) for name, line in lines.items()} if asked.at is not None else {},
        phi={name: line.phi_for(asked.target) for name, line in lines.items()} if asked.target is not None else {},
        best_phi=best.phi if best else None,
        best_gap=best.gap if best else None,
    )


class ArrivalIn(_In):
    """Readings of the front (minutes, mm over the origin) and the origin's height over the liquid, mm."""

    readings: list[tuple[Positive, NotNegative]] = Field(min_length=1, max_length=50)
    height_mm: NotNegative
    stop_mm: Positive


@router.post("/planar/arrival")
@may(May.PUBLIC)
def arrival(asked: ArrivalIn) -> Estimate:
    """Minutes until the front is at the stopping line, counted from when the plate went in."""
    return rise(asked.readings, asked.height_mm).minutes_to(asked.stop_mm)


class MarkIn(_In):
    name: str = Field(max_length=40)
    rf: float = Field(ge=0, le=1)
    u: float = Field(0.01, ge=0, le=0.5)
    swatch: str = Field("", max_length=20)
    seen: list[Annotated[str, Field(max_length=12)]] = Field([], max_length=6)


class IdentifyIn(_In):
    """Spots of an unknown, and of references or samples, by name."""

    spots: list[MarkIn] = Field(max_length=40)
    references: dict[str, list[MarkIn]] = Field(max_length=60)
    same_plate: StrictBool = Field(True, description="References on the same plate; if none, samples on other plates.")


class LikeOut(BaseModel):
    name: str
    score: float
    spots: list[str]


class IdentifyOut(BaseModel):
    """What lies where a reference does, surest first; what is left over and what was not found."""

    like: list[LikeOut]
    unexplained: list[str]
    absent: list[str]


def _mark(mark: MarkIn) -> SpotMark:
    return SpotMark(mark.name, mark.rf, mark.u, mark.swatch, frozenset(mark.seen))


@router.post("/planar/identify")
@may(May.PUBLIC)
def what_it_may_be(asked: IdentifyIn) -> IdentifyOut:
    """An unknown against references on its plate, or which of several samples made a plate."""
    spots = [_mark(m) for m in asked.spots]
    known = {name: [_mark(m) for m in marks] for name, marks in asked.references.items()}
    if not asked.same_plate:
        ranked = rank(spots, known)
        likes = [LikeOut(name=r.name, score=r.score, spots=[m.spot for m in r.agree]) for r in ranked]
        return IdentifyOut(like=likes, unexplained=list(ranked[0].only_here) if ranked else [], absent=[])
    found = identify("", spots, known)
    likes = [LikeOut(name=p.name, score=p.score, spots=[m.spot for m in p.matches]) for p in found.present]
    return IdentifyOut(like=likes, unexplained=list(found.unexplained), absent=list(found.absent))


class PlateCutIn(_In):
    """A sheet and the plates wanted out of it, mm, width first."""

    sheet: tuple[Positive, Positive]
    plate: tuple[Positive, Positive]
    both_ways: StrictBool = False


class PlateCutOut(BaseModel):
    columns: int
    rows: int
    count: int
    turned: bool
    waste: float


@router.post("/planar/cut")
@may(May.PUBLIC)
def cutting(asked: PlateCutIn) -> PlateCutOut:
    """The most plates out of a sheet."""
    plan = cut(asked.sheet, asked.plate, both_ways=asked.both_ways)
    return PlateCutOut(columns=plan.columns, rows=plan.rows, count=plan.count, turned=plan.turned, waste=plan.waste)


class RecipeIn(_In):
    eluent: str = Field(max_length=120)
    ml: Positive
    step_ml: Positive = 0.5


class RecipePartOut(BaseModel):
    name: str
    exact_ml: float
    ml: float
    percent: float


@router.post("/planar/recipe")
@may(May.PUBLIC)
def eluent_recipe(asked: RecipeIn) -> list[RecipePartOut]:
    """Volumes of an eluent that can be measured, and the ratio they make."""
    return [
        RecipePartOut(name=p.name, exact_ml=p.exact, ml=p.rounded, percent=p.percent)
        for p in recipe(parse_eluent(asked.eluent), asked.ml, asked.step_ml)
    ]


class LevelIn(_In):
    """Eluent in a vessel: mL, inside width mm; a lining takes some; the origin says how much there may be."""

    ml: Positive
    across_mm: Positive
    round_vessel: StrictBool = True
    lining_ml: NotNegative = 0.0
    origin_mm: Positive | None = None


class LevelOut(BaseModel):
    """How high it stands, mm; and for the origin the height to aim at and the mL for it."""

    level_mm: float
    aim_mm: float | None
    aim_ml: float | None


@router.post("/planar/level")
@may(May.PUBLIC)
def eluent_level(asked: LevelIn) -> LevelOut:
    """How high the eluent stands, against the origin."""
    height = level(asked.ml, asked.across_mm, round_vessel=asked.round_vessel, lining=asked.lining_ml)
    if asked.origin_mm is None:
        return LevelOut(level_mm=height, aim_mm=None, aim_ml=None)
    aim, needed = volume_for(asked.origin_mm, asked.across_mm, round_vessel=asked.round_vessel, lining=asked.lining_ml)
    return LevelOut(level_mm=height, aim_mm=aim, aim_ml=needed)


class LanesIn(_In):
    width_mm: Positive
    lanes: Annotated[int, Field(ge=1, le=40)]


@router.post("/planar/lanes")
@may(May.PUBLIC)
def lanes(asked: LanesIn) -> list[float]:
    """Where the lanes of a plate lie, mm from the left edge."""
    return list(lane_positions(asked.width_mm, asked.lanes))


class SpottingIn(_In):
    ml: Positive
    percent: Annotated[float, Field(gt=0, le=100)] = 1.0
    plates: Annotated[int, Field(ge=1, le=500)] = 1


class SpottingOut(BaseModel):
    """Grams and mL for one, and for all with spare."""

    mass: float
    volume: float
    total_mass: float
    total_volume: float


@router.post("/planar/spotting")
@may(May.PUBLIC)
def spotting_solution(asked: SpottingIn) -> SpottingOut:
    """A spotting solution of some per cent, for one and for a class."""
    made = spotting(asked.ml, asked.percent, asked.plates)
    return SpottingOut(mass=made.mass, volume=made.volume, total_mass=made.total_mass, total_volume=made.total_volume)


class FreshIn(_In):
    eluent: str = Field(max_length=120)
    hours: NotNegative = 0.0


class FreshOut(BaseModel):
    """Hours that the mixture counts as fresh, the part that leaves first, whether it still is, and the words."""

    hours: float
    first: str
    fresh: bool
    says: str


@router.post("/planar/freshness")
@may(May.PUBLIC)
def eluent_freshness(asked: FreshIn) -> FreshOut:
    """How long an eluent stays what was mixed."""
    found = freshness(parse_eluent(asked.eluent), asked.hours, boiling_points())
    if found is None:
        raise Unreadable("The boiling point of one of its parts is not in the reference data.")
    return FreshOut(hours=found.hours, first=found.first, fresh=found.fresh, says=found.says)


class OtherOut(BaseModel):
    """A solvent of another kind: how much stronger by ε°, and what it pulls on."""

    name: str
    family: str
    stronger_by: float
    pulls: str


@router.get("/planar/solvents")
@may(May.PUBLIC)
def other_solvents(instead_of: Annotated[str, Field(max_length=60)]) -> list[OtherOut]:
    """Solvents of other kinds, for when strength alone does not part two compounds."""
    return [
        OtherOut(name=o.name, family=o.family, stronger_by=o.stronger_by, pulls=o.pulls)
        for o in other_kinds(instead_of, solvents_of(shipped()))
    ]


class ColumnDraftIn(_In):
    """Two Rf in the eluent that is meant for the column, and the sample in mg."""

    rf: tuple[Annotated[float, Field(gt=0, lt=1)], Annotated[float, Field(gt=0, lt=1)]]
    sample_mg: Positive | None = None
    kind: Literal["flash", "gravity"] = "flash"
    bores_mm: list[Positive] = Field([], max_length=12, description="Inside widths there are, for a gravity column.")
    flow_ml_min: Positive | None = None
    benches: int | None = Field(None, ge=1, le=200)


class ColumnDraftOut(BaseModel):
    """Whether it suits, ΔCV, and a first plan: mm, g, mL."""

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
    class_silica_g: float | None = None
    class_eluent_ml: float | None = None
    class_tubes: int | None = None


@router.post("/column/draft")
@may(May.PUBLIC)
def column(asked: ColumnDraftIn) -> ColumnDraftOut:
    """From two Rf to a first plan of a flash or gravity column."""
    fit_ = suitability(*asked.rf)
    out: dict[str, Any] = {
        "level": fit_.level,
        "says": fit_.says,
        "delta_rf": fit_.delta,
        "delta_cv": fit_.delta_cv,
    }
    planned: ColumnDraft | GravityDraft | None = None
    if asked.sample_mg is not None and asked.kind == "gravity":
        planned = by_gravity = gravity(asked.sample_mg, fit_, asked.bores_mm, asked.flow_ml_min)
        out |= {
            "diameter_mm": by_gravity.bore,
            "bed_mm": by_gravity.bed,
            "silica_g": by_gravity.silica,
            "column_volume_ml": by_gravity.column_volume,
            "eluent_ml": by_gravity.eluent,
            "fraction_ml": by_gravity.fraction,
            "fractions": by_gravity.fractions,
            "minutes": by_gravity.minutes,
        }
    elif asked.sample_mg is not None:
        planned = plan = draft(asked.sample_mg, fit_)
        out |= {
            "diameter_mm": plan.diameter,
            "bed_mm": plan.bed,
            "silica_g": plan.silica,
            "column_volume_ml": plan.column_volume,
            "eluent_ml": plan.eluent,
            "fraction_ml": plan.fraction,
            "fractions": plan.fractions,
        }
    if asked.benches is not None and planned is not None:
        whole = for_class(planned, asked.benches)
        out |= {"class_silica_g": whole.silica, "class_eluent_ml": whole.eluent, "class_tubes": whole.tubes}
    return ColumnDraftOut(**out)


@router.get("/classes/{class_id}/plates", tags=["records"])
@may(May.STAFF)
def class_plates(request: Request, class_id: UUID, who: VisitorDep) -> dict[str, Any]:
    """The plates of a class side by side: every sample in every system, unknowns across systems, findings."""
    _, plates = plates_of_class(request, who, class_id)
    return comparison(side_by_side(plates))
