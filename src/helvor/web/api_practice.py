"""The models of the virtual bench as JSON: a funnel, a column, crystals, a filter, drying, a melting range."""

from __future__ import annotations

from typing import Literal

from fastapi import APIRouter
from pydantic import BaseModel, ConfigDict, Field

from helvor.core.laws.column.model import Compound
from helvor.core.laws.crystallization.solubility import curve_of
from helvor.core.laws.extraction.acid_base import Solute, reagent
from helvor.core.practice import virtual_column, virtual_crystals, virtual_filter, virtual_funnel
from helvor.core.quantities.reading import Unreadable
from helvor.web.may import May, may

router = APIRouter(prefix="/api/practice", tags=["practice"])


class _In(BaseModel):
    model_config = ConfigDict(extra="forbid", frozen=True, allow_inf_nan=False)


class SubstanceIn(_In):
    """A substance in the funnel: mol in both layers, K of its uncharged form, organic over water."""

    name: str = Field(max_length=40)
    acts: Literal["acid", "base", "neutral"] = "neutral"
    pka: float | None = Field(None, ge=-10, le=30)
    k: float = Field(gt=0, le=1e9)
    mol: float = Field(ge=0, le=10)


class FunnelIn(_In):
    """A funnel that is shaken: the organic layer, mL; the water layer as a reagent's solution, mL and mol/L."""

    substances: list[SubstanceIn] = Field(min_length=1, max_length=8)
    organic: float = Field(gt=0, le=5000)
    formula: str = Field("NaOH", max_length=20, examples=["NaOH", "HCl", "NaHCO3"])
    molar: float = Field(ge=0, le=20)
    ml: float = Field(gt=0, le=5000)
    how: Literal["swirled", "inverted", "shaken"] = "inverted"
    boils: float = Field(55.1, ge=20, le=200, description="Of the organic liquid, °C.")
    funnel: float = Field(125.0, gt=0, le=10_000, description="mL that the funnel holds.")


class FunnelOut(BaseModel):
    """mol of each in each layer, the pH, the rag, the gas, and the pressure over the air, mbar."""

    ph: float
    organic: dict[str, float]
    water: dict[str, float]
    rag_ml: float
    gas_ml: float
    over_mbar: float
    spurts: bool


@router.post("/funnel")
@may(May.PUBLIC)
def funnel(asked: FunnelIn) -> FunnelOut:
    """Shake a funnel: shares by the pH of the charges' balance, rag by vigour, pressure when it is not vented."""
    water = reagent(asked.formula, asked.molar * asked.ml / 1000, asked.ml)
    if water is None:
        raise Unreadable(f"{asked.formula} is not a known acid or base.")
    solutes = [Solute(one.name, one.acts, one.pka, one.k) for one in asked.substances]
    shared = virtual_funnel.shake(
        {one.name: one.mol for one in asked.substances}, solutes, asked.organic, water, asked.how
    )
    over = virtual_funnel.pressure(asked.boils, shared.gas, virtual_funnel.room(asked.funnel, asked.organic + asked.ml))
    return FunnelOut(
        ph=shared.ph,
        organic=dict(shared.organic),
        water=dict(shared.water),
        rag_ml=shared.rag,
        gas_ml=shared.gas,
        over_mbar=over,
        spurts=over > virtual_funnel.SPURTS,
    )


class VirtualCompoundIn(_In):
    """A compound on the column: mg, and its Rf in each eluent."""

    name: str = Field(max_length=40)
    mg: float = Field(gt=0, le=100_000)
    rf: list[float] = Field(min_length=1, max_length=6)


class VirtualColumnIn(_In):
    """A column: bore and bed, mm; mL of each eluent in order; tube, mL; how it was packed."""

    compounds: list[VirtualCompoundIn] = Field(min_length=1, max_length=6)
    volumes: list[float] = Field(min_length=1, max_length=6)
    bore: float = Field(gt=0, le=200)
    bed: float = Field(gt=0, le=1000)
    tube: float = Field(5.0, gt=0, le=500)
    packed: Literal["slurry", "bubbles", "dry"] = "slurry"
    sample_ml: float = Field(0.5, ge=0, le=200)


class VirtualColumnOut(BaseModel):
    """mg of each in each tube, and what is left on the silica."""

    tubes: list[dict[str, float]]
    on_silica: dict[str, float]


MOST_TUBES = 400


@router.post("/column")
@may(May.PUBLIC)
def column(asked: VirtualColumnIn) -> VirtualColumnOut:
    """Run a column to its last tube, with the true content of each."""
    if any(len(one.rf) != len(asked.volumes) for one in asked.compounds):
        raise Unreadable("Enter an Rf for each compound in each eluent.")
    if not all(0 < ml <= 100_000 for ml in asked.volumes) or sum(asked.volumes) / asked.tube > MOST_TUBES:
        raise Unreadable(f"Enter volumes above 0, and at most {MOST_TUBES} tubes.")
    ran = virtual_column.run(
        [Compound(one.name, one.mg, tuple(one.rf)) for one in asked.compounds],
        asked.volumes,
        bore=asked.bore,
        bed=asked.bed,
        packed=asked.packed,
        tube=asked.tube,
        sample_ml=asked.sample_ml,
    )
    return VirtualColumnOut(tubes=list(ran.tubes), on_silica=ran.on_silica)


class CrystalsIn(_In):
    """A solid, g, in hot solvent, mL; its solubility as pairs of °C and g in 100 mL; how it is cooled and washed."""

    mass: float = Field(gt=0, le=10_000)
    volume: float = Field(gt=0, le=100_000)
    solubility: list[tuple[float, float]] = Field(min_length=2, max_length=12)
    hot: float
    cold: float
    fast: bool = False
    oils_above: float = 1000.0
    washes: int = Field(0, ge=0, le=10)
    wash_ml: float = Field(0.0, ge=0, le=10_000)


class CrystalsOut(BaseModel):
    """g undissolved, as crystals, in the liquor and in the washes; how they grew; part of the impurity they enclose."""

    undissolved: float
    crystals: float
    liquor: float
    washed: float
    how: str
    encloses: float


@router.post("/crystals")
@may(May.PUBLIC)
def crystals(asked: CrystalsIn) -> CrystalsOut:
    """Dissolve hot, cool, wash: where the solid is."""
    curve = curve_of(asked.solubility)
    if curve is None or asked.cold >= asked.hot:
        raise Unreadable("Enter a filtering temperature below the dissolving temperature.")
    hot = virtual_crystals.dissolve(asked.mass, asked.volume, curve, asked.hot)
    grown = virtual_crystals.cool(
        hot.dissolved, asked.volume, curve, asked.cold, fast=asked.fast, oils_above=asked.oils_above
    )
    washed = virtual_crystals.wash(grown.crystals, asked.washes, asked.wash_ml, curve.at(asked.cold))
    return CrystalsOut(
        undissolved=hot.solid,
        crystals=grown.crystals - washed.dissolved,
        liquor=grown.liquor,
        washed=washed.dissolved,
        how=grown.how,
        encloses=grown.along,
    )


class VirtualFilterIn(_In):
    """A suspension, mL and g; its grains, what drives it, the paper's speed and working circle, mm."""

    ml: float = Field(gt=0, le=100_000)
    grams: float = Field(ge=0, le=10_000)
    grains: Literal["coarse", "crystals", "fine", "gel"]
    how: Literal["gravity", "suction"] = "suction"
    paper: Literal["fast", "medium", "slow"] = "medium"
    diameter: float = Field(42.0, gt=0, le=1000)
    drawn: float = Field(5.0, ge=0, le=1000, description="Minutes that air is drawn through.")
    again: int = Field(0, ge=0, le=5, description="How often a cloudy filtrate is poured back.")
    dry_in: Literal["air", "air, drawn through", "oven 60", "oven 110"] = "oven 110"
    dry_minutes: float = Field(0.0, ge=0, le=100_000)


class VirtualFilterOut(BaseModel):
    """Minutes that it takes, g that pass, g on the paper, mL the cake keeps, g of water left after drying."""

    minutes: float
    passed: float
    on_paper: float
    keeps: float
    water_left: float


@router.post("/filter")
@may(May.PUBLIC)
def filter_and_dry(asked: VirtualFilterIn) -> VirtualFilterOut:
    """Filter a suspension and dry its cake: time by the law of cake filtration, breakthrough, the drying curve."""
    found = virtual_filter.filtered(
        asked.ml,
        asked.grams,
        asked.grains,
        how=asked.how,
        paper=asked.paper,
        diameter=asked.diameter,
        drawn=asked.drawn,
        again=asked.again,
    )
    return VirtualFilterOut(
        minutes=found.minutes,
        passed=found.passed,
        on_paper=found.on_paper,
        keeps=found.keeps,
        water_left=virtual_filter.dried(found.keeps, asked.dry_in, asked.dry_minutes),
    )
