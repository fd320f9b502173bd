"""Calculators of plates and paper: what is asked, what comes out, one function each."""

from __future__ import annotations

import math
import re
from collections.abc import Mapping
from typing import Annotated

from pydantic import BaseModel, Field, StrictBool

from helvor.core.laws.planar.arrival import rise
from helvor.core.laws.planar.eluent import parse_eluent
from helvor.core.laws.planar.identify import SpotMark, identify, rank
from helvor.core.laws.planar.prepare import cut, lane_positions, level, recipe, spotting, volume_for
from helvor.core.laws.planar.rf import centre_uncertainty, ratio_on_shared_origin
from helvor.core.laws.planar.solvents import freshness
from helvor.core.laws.planar.tune import Point, best_gap, fit, law_for
from helvor.core.quantities.asked import Asked, NotNegative, Positive, Typed
from helvor.core.quantities.reading import Estimate, Unreadable, parse_number, reading_uncertainty
from helvor.core.techniques.planar.miscible import refuse_two_layers
from helvor.core.techniques.planar.plate import Phase


class PointIn(Asked):
    """One plate: the part of the stronger component (0 to 1), the Rf it gave and its uncertainty."""

    phi: float = Field(gt=0, le=1)
    rf: float = Field(gt=0, lt=1)
    u: float = Field(0.02, ge=0, le=0.5)


class TuneIn(Asked):
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


class ArrivalIn(Asked):
    """Readings of the front (minutes, mm over the origin) and the origin's height over the liquid, mm."""

    readings: list[tuple[Positive, NotNegative]] = Field(min_length=1, max_length=50)
    height_mm: NotNegative
    stop_mm: Positive


def arrival(asked: ArrivalIn) -> Estimate:
    """Minutes until the front is at the stopping line, counted from when the plate went in."""
    return rise(asked.readings, asked.height_mm).minutes_to(asked.stop_mm)


class MarkIn(Asked):
    """A spot: its name, Rf with its standard uncertainty, and what was seen of it."""

    name: str = Field(max_length=40)
    rf: float = Field(ge=0, le=1)
    u: float = Field(0.01, ge=0, le=0.5)
    swatch: str = Field("", max_length=20)
    seen: list[Annotated[str, Field(max_length=12)]] = Field([], max_length=6)


class IdentifyIn(Asked):
    """Spots of an unknown, and of references or samples, by name."""

    spots: list[MarkIn] = Field(max_length=40)
    references: dict[str, list[MarkIn]] = Field(max_length=60)
    same_plate: StrictBool = Field(True, description="References on the same plate; if none, samples on other plates.")


class LikeOut(BaseModel):
    """What a spot may be: the name, how well it fits (0 to 1), and which spots fit."""

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


class PlateCutIn(Asked):
    """A sheet and the plates wanted out of it, mm, width first."""

    sheet: tuple[Positive, Positive]
    plate: tuple[Positive, Positive]
    both_ways: StrictBool = False


class PlateCutOut(BaseModel):
    """Columns and rows on a sheet, how many plates, whether some lie across, and the part of the sheet left over."""

    columns: int
    rows: int
    count: int
    turned: bool
    waste: float


def cutting(asked: PlateCutIn) -> PlateCutOut:
    """The most plates out of a sheet."""
    plan = cut(asked.sheet, asked.plate, both_ways=asked.both_ways)
    return PlateCutOut(columns=plan.columns, rows=plan.rows, count=plan.count, turned=plan.turned, waste=plan.waste)


class RecipeIn(Asked):
    """An eluent, mL of it, and mL to which it can be measured."""

    eluent: str = Field(max_length=120)
    ml: Positive
    step_ml: Positive = 0.5


class RecipePartOut(BaseModel):
    """A part of an eluent: mL exactly and as measured, and per cent by volume that this makes."""

    name: str
    exact_ml: float
    ml: float
    percent: float


def eluent_recipe(asked: RecipeIn) -> list[RecipePartOut]:
    """Volumes of an eluent that can be measured, and the ratio they make.

    Raises:
        Unreadable: the eluent cannot be read, or its solvents do not mix.
    """
    eluent = parse_eluent(asked.eluent)
    refuse_two_layers(eluent)
    return [
        RecipePartOut(name=p.name, exact_ml=p.exact, ml=p.rounded, percent=p.percent)
        for p in recipe(eluent, asked.ml, asked.step_ml)
    ]


class LevelIn(Asked):
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


def eluent_level(asked: LevelIn) -> LevelOut:
    """How high the eluent stands, against the origin."""
    height = level(asked.ml, asked.across_mm, round_vessel=asked.round_vessel, lining=asked.lining_ml)
    if asked.origin_mm is None:
        return LevelOut(level_mm=height, aim_mm=None, aim_ml=None)
    aim, needed = volume_for(asked.origin_mm, asked.across_mm, round_vessel=asked.round_vessel, lining=asked.lining_ml)
    return LevelOut(level_mm=height, aim_mm=aim, aim_ml=needed)


class LanesIn(Asked):
    """Width of a plate, mm, and how many lanes."""

    width_mm: Positive
    lanes: Annotated[int, Field(ge=1, le=40)]


def lanes(asked: LanesIn) -> list[float]:
    """Where the lanes of a plate lie, mm from the left edge."""
    return list(lane_positions(asked.width_mm, asked.lanes))


class SpottingIn(Asked):
    """mL of a spotting solution, per cent by mass over volume, and for how many plates."""

    ml: Positive
    percent: Annotated[float, Field(gt=0, le=100)] = 1.0
    plates: Annotated[int, Field(ge=1, le=500)] = 1


class SpottingOut(BaseModel):
    """Grams and mL for one, and for all with spare."""

    mass: float
    volume: float
    total_mass: float
    total_volume: float


def spotting_solution(asked: SpottingIn) -> SpottingOut:
    """A spotting solution of some per cent, for one and for a class."""
    made = spotting(asked.ml, asked.percent, asked.plates)
    return SpottingOut(mass=made.mass, volume=made.volume, total_mass=made.total_mass, total_volume=made.total_volume)


class FreshIn(Asked):
    """An eluent, and hours since it was mixed."""

    eluent: str = Field(max_length=120)
    hours: NotNegative = 0.0


class FreshOut(BaseModel):
    """Hours that the mixture counts as fresh, the part that leaves first, whether it still is, and the words."""

    hours: float
    first: str
    fresh: bool
    says: str


def eluent_freshness(asked: FreshIn, boils: Mapping[str, float]) -> FreshOut:
    """How long an eluent stays what was mixed.

    Args:
        boils: boiling points by solvent, °C.
    """
    found = freshness(parse_eluent(asked.eluent), asked.hours, boils)
    if found is None:
        raise Unreadable("The boiling point of one of its parts is not in the reference data.")
    return FreshOut(hours=found.hours, first=found.first, fresh=found.fresh, says=found.says)


class OtherOut(BaseModel):
    """A solvent of another kind: how much stronger by ε°, and what it pulls on."""

    name: str
    family: str
    stronger_by: float
    pulls: str


class RfTableIn(Asked):
    """Spots, a line each: a name and its distance, ``A 23.5``; origin and front, mm, from the same edge; how well a
    position is read, mm."""

    spots: list[Typed] = Field(min_length=1, max_length=60)
    front: Positive
    origin: NotNegative = 0.0
    read_mm: float = Field(0.5, gt=0, le=5)


class RfRowOut(BaseModel):
    """One spot: mm from the edge, Rf with its standard uncertainty."""

    name: str
    mm: float
    rf: float
    u: float


_SPOT_LINE = re.compile(r"(?P<name>.*?)[\s;,:\t]*(?P<mm>\d+(?:[.,]\d+)?)\s*(?:mm)?")


def rf_table(asked: RfTableIn) -> list[RfRowOut]:
    """Rf of every spot of a pasted table.

    Raises:
        Unreadable: a line is not clear, or a spot lies below the origin or above the front.
    """
    if asked.front <= asked.origin:
        raise Unreadable("Enter a front that is farther from the edge than the origin.")
    u = reading_uncertainty(asked.read_mm)
    rows = []
    for number, line in enumerate((one for one in asked.spots if one.strip()), start=1):
        match = _SPOT_LINE.fullmatch(line.strip())
        if match is None:
            raise Unreadable(f"“{line.strip()[:30]}” is not clear: enter a name and a distance in mm, such as A 23.5.")
        mm = parse_number(match["mm"])[0]
        name = match["name"].strip() or str(number)
        if not asked.origin <= mm <= asked.front:
            raise Unreadable(
                f"{name[:20]}: {mm:g} mm does not lie between origin and front. Enter distances from the same edge."
            )
        u_spot = math.hypot(u, centre_uncertainty(None))
        rf = ratio_on_shared_origin(mm - asked.origin, asked.front - asked.origin, u_spot, u, u)
        rows.append(RfRowOut(name=name, mm=mm, rf=rf.value, u=rf.u))
    return rows
