"""Calculators of crystals: solubility, how much solvent, which solvent, what a melting range says."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import BaseModel, Field

from helvor.core.laws.crystallization.melting import (
    Range,
    Standard,
    by_mixing,
    corrected,
    correction,
    rate_range,
    too_fast,
)
from helvor.core.laws.crystallization.mixture import Solid, from_two, melting_of
from helvor.core.laws.crystallization.plan import USUAL_EXTRA, by_volume, recrystallize, working_of
from helvor.core.laws.crystallization.solubility import Curve, Point
from helvor.core.laws.crystallization.solvents import Candidate, Tried, pairs, rank
from helvor.core.laws.heat_and_cold import BATH_ABOVE, bath_for, boiling_at, pressure_for, vaporization
from helvor.core.quantities.asked import Asked, Name, NotNegative, Positive
from helvor.core.quantities.reading import Unreadable

Celsius = Annotated[float, Field(ge=-100, le=500, allow_inf_nan=False)]


Points = Annotated[list[tuple[Celsius, Positive]], Field(min_length=2, max_length=12)]
"""Pairs of °C and g in 100 mL."""


def _curve(points: list[tuple[float, float]]) -> Curve:
    return Curve(tuple(Point(celsius, grams) for celsius, grams in points))


class SolubilityCurveIn(Asked):
    """Points, and the temperatures asked for."""

    points: Points
    celsius: list[Celsius] = Field(max_length=200)


class SolubilityCurveOut(BaseModel):
    """g in 100 mL at each temperature; heat of dissolving, kJ/mol."""

    grams: list[float]
    heat_kj_mol: float


def solubility(asked: SolubilityCurveIn) -> SolubilityCurveOut:
    """Between points ln S is straight in 1/T; too far out is refused."""
    curve = _curve(asked.points)
    return SolubilityCurveOut(grams=[curve.at(one) for one in asked.celsius], heat_kj_mol=curve.heat)


class PlanIn(Asked):
    """g of a solid, its solubility, °C hot and cold; mL really used, else the least and an extra part."""

    mass_g: Positive
    points: Points
    hot: Celsius
    cold: Celsius
    ml: Positive | None = None
    extra: float = Field(USUAL_EXTRA, ge=0, le=3)
    wash_ml: NotNegative = 0.0
    impurity: Points | None = None
    at_ml: list[Positive] = Field([], max_length=200)


class PlanOut(BaseModel):
    """mL least and used, flask, charcoal in g; g that stay; the ceiling, 0 to 1, also at other volumes."""

    least_ml: float
    ml: float
    flask_ml: float | None
    charcoal_g: tuple[float, float]
    liquor_g: float
    washed_g: float
    ceiling: float
    saturated_from: float | None
    second_crop_g: float
    impurity_g: float | None
    at_ml: list[tuple[float, float]]
    working: list[tuple[str, str]]


def plan(asked: PlanIn) -> PlanOut:
    """A recrystallization worked out."""
    curve = _curve(asked.points)
    found = recrystallize(
        asked.mass_g,
        curve,
        asked.hot,
        asked.cold,
        volume=asked.ml,
        extra=asked.extra,
        wash=asked.wash_ml,
        impurity=_curve(asked.impurity) if asked.impurity else None,
    )
    return PlanOut(
        least_ml=found.least,
        ml=found.volume,
        flask_ml=found.flask,
        charcoal_g=found.charcoal,
        liquor_g=found.liquor,
        washed_g=found.washed,
        ceiling=found.ceiling,
        saturated_from=found.due,
        second_crop_g=found.boiled,
        impurity_g=found.impurity,
        at_ml=by_volume(found, curve.at(asked.cold), asked.at_ml),
        working=[(line.what, line.shown) for line in working_of(found, curve)],
    )


class SolventIn(Asked):
    """A solvent as far as it is known with one solid."""

    name: Name
    boils: Celsius | None = None
    cold: NotNegative | None = None
    hot: NotNegative | None = None
    hazard: int = Field(1, ge=0, le=3)
    reacts: bool = False
    flammable: bool = False
    tried_cold: Literal["", "none", "some", "all"] = ""
    tried_hot: Literal["", "none", "some", "all"] = ""
    tried_cooled: Literal["", "crystals", "oil", "nothing"] = ""

    @property
    def tried(self) -> Tried | None:
        said = (self.tried_cold, self.tried_hot, self.tried_cooled)
        return Tried(self.name, *said) if any(said) else None


class SolventsIn(Asked):
    """Solvents, and where the solid melts, dry and under them, °C."""

    solvents: list[SolventIn] = Field(min_length=1, max_length=40)
    melts: Celsius | None = None
    melts_wet: dict[Name, Celsius] = Field({}, max_length=40)


class SolventJudgedOut(BaseModel):
    """A solvent with how well it suits, its score (higher is better), and why."""

    name: str
    level: str
    score: float
    why: list[str]


class SolventsOut(BaseModel):
    """The best first; pairs of a good and a poor solvent that may do together."""

    ranked: list[SolventJudgedOut]
    pairs: list[tuple[str, str]]


def solvents(asked: SolventsIn) -> SolventsOut:
    """Which solvent to recrystallize from, with reasons."""
    candidates = [
        Candidate(one.name, one.boils, one.cold, one.hot, one.hazard, one.reacts, one.flammable, one.tried)
        for one in asked.solvents
    ]
    ranked = rank(candidates, asked.melts, asked.melts_wet)
    return SolventsOut(
        ranked=[SolventJudgedOut(name=one.name, level=one.level, score=one.score, why=list(one.why)) for one in ranked],
        pairs=pairs([one.tried for one in candidates if one.tried is not None]),
    )


class StandardIn(Asked):
    """A melting standard: its published and its read melting point, °C."""

    name: Name
    published: Celsius
    read: Celsius


class MeltingIn(Asked):
    """A range, °C, what it should be and where that melts; standards on the same thermometer; a mixed range."""

    range: tuple[Celsius, Celsius]
    what: Name
    published: Celsius
    rate: float | None = Field(None, gt=0, le=60)
    standards: list[StandardIn] = Field([], max_length=12)
    mixed: tuple[Celsius, Celsius] | None = None


class MeltingOut(BaseModel):
    """The corrected range, and the correction where it starts, °C; which case it is, in words, and what to do.

    Also whether it was heated too fast; whether mixing leaves it unchanged, and the mixed range.
    """

    range: tuple[float, float]
    code: str
    level: str
    says: str
    because: str
    do: str
    correction: float
    too_fast: bool
    same: bool | None
    mixed: tuple[float, float] | None


def melting(asked: MeltingIn) -> MeltingOut:
    """What a melting range says, and what it does not."""
    standards = [Standard(one.name, one.published, one.read) for one in asked.standards]
    true = corrected(Range(*asked.range), standards)
    verdict = rate_range(true, asked.published, asked.what)
    mixed = corrected(Range(*asked.mixed), standards) if asked.mixed is not None else None
    return MeltingOut(
        range=(true.starts, true.ends),
        code=verdict.code,
        level=verdict.level,
        says=verdict.says,
        because=verdict.because,
        do=verdict.do,
        correction=correction(asked.range[0], standards) if standards else 0.0,
        too_fast=too_fast(asked.rate),
        same={"same": True, "another": False}.get(by_mixing(true, mixed)) if mixed is not None else None,
        mixed=(mixed.starts, mixed.ends) if mixed is not None else None,
    )


class SolidIn(Asked):
    """A pure solid: °C at which it melts, kJ/mol to melt it (nothing: by Walden's rule)."""

    melts: float = Field(ge=-150, le=1500)
    fusion: Annotated[float | None, Field(gt=0, le=500)] = None


class MixtureIn(Asked):
    """Two solids and the mole fraction of the first."""

    first: SolidIn
    second: SolidIn
    part: float = Field(0.5, gt=0, lt=1)


class MixtureOut(BaseModel):
    """°C from which and at which the mixture is molten, the eutectic and its mole fraction of the first."""

    begins: float
    ends: float
    eutectic: float
    eutectic_part: float


def mixture(asked: MixtureIn) -> MixtureOut:
    """Where a mixture of two solids melts, if they form no mixed crystals and no compound."""
    first, second = (Solid(one.melts, one.fusion) for one in (asked.first, asked.second))
    found = melting_of(first, second, asked.part)
    return MixtureOut(begins=found.begins, ends=found.ends, eutectic=found.eutectic, eutectic_part=found.eutectic_part)


class TwoSolventsIn(Asked):
    """g of the solid; g that 100 mL of each solvent dissolve hot and cold; mL of the good one, or nothing: the best."""

    grams: Positive
    good_hot: Positive
    good_cold: Positive
    poor_hot: Positive
    poor_cold: Positive
    good_ml: Positive | None = None


class TwoSolventsOut(BaseModel):
    """mL of each, g in 100 mL of the mixture hot and cold, the most that comes back (0 to 1)."""

    good_ml: float
    poor_ml: float
    hot: float
    cold: float
    most: float


def two_solvents(asked: TwoSolventsIn) -> TwoSolventsOut:
    """Recrystallization from a good and a poor solvent that mix."""
    found = from_two(asked.grams, (asked.good_hot, asked.good_cold), (asked.poor_hot, asked.poor_cold), asked.good_ml)
    return TwoSolventsOut(good_ml=found.good, poor_ml=found.poor, hot=found.hot, cold=found.cold, most=found.most)


class BoilingIn(Asked):
    """°C at which a liquid boils in the open; mbar, or the °C wanted; kJ/mol to evaporate it, or its sort."""

    boils: float = Field(ge=-200, le=600)
    mbar: Annotated[float | None, Field(ge=0.01, le=5000)] = None
    wanted: Annotated[float | None, Field(ge=-200, le=600)] = None
    heat: Annotated[float | None, Field(gt=0, le=500)] = None
    bonded: bool = False


class BoilingOut(BaseModel):
    """°C and mbar that belong together, kJ/mol that was used, °C of a bath for a rotary evaporator."""

    celsius: float
    mbar: float
    heat: float
    bath: float


def boiling(asked: BoilingIn) -> BoilingOut:
    """Where a liquid boils under another pressure, or the pressure for a temperature."""
    heat = asked.heat * 1000 if asked.heat is not None else vaporization(asked.boils, bonded=asked.bonded)
    if (asked.mbar is None) == (asked.wanted is None):
        raise Unreadable("Enter the pressure, or the temperature wanted.")
    mbar = asked.mbar if asked.mbar is not None else pressure_for(asked.boils, asked.wanted or 0.0, heat)
    celsius = boiling_at(asked.boils, mbar, heat)
    return BoilingOut(celsius=celsius, mbar=mbar, heat=heat / 1000, bath=celsius + BATH_ABOVE)


class CoolingIn(Asked):
    """°C wanted."""

    celsius: float = Field(ge=-100, le=25)


class BathOut(BaseModel):
    """The warmest bath that reaches it: its °C, what it is of, how it is made, what to look out for."""

    celsius: float
    of: str
    how: str
    care: str


def cooling(asked: CoolingIn) -> BathOut:
    """A bath for a temperature."""
    found = bath_for(asked.celsius)
    return BathOut(celsius=found.celsius, of=found.of, how=found.how, care=found.care)
