"""The sums as JSON: equations, reactions, solutions, solubility, contents, filters, washes, papers."""

from __future__ import annotations

from typing import Annotated, Literal

from fastapi import APIRouter
from pydantic import BaseModel, ConfigDict, Field, StrictBool

from helvor.core.laws.filtration.choose import Choice, Grain, Solvent, Task, choose
from helvor.core.laws.filtration.oven import limits
from helvor.core.laws.filtration.paper import Fold, cone_of, fill_line, fold_guide, funnel_for_paper
from helvor.core.laws.filtration.wash import left_after, rinses_for, wash_loss
from helvor.core.laws.precipitation.gravimetry import factor, parallels
from helvor.core.laws.precipitation.reaction import outcome_working, react, reagent_for
from helvor.core.laws.precipitation.solubility import losses
from helvor.core.laws.precipitation.solution import Made, dilute, to_make
from helvor.core.quantities.formula import balance, molar_mass, parse_equation
from helvor.core.quantities.reading import Estimate, Unreadable
from helvor.core.techniques.precipitation.amounts import brought, read_lines
from helvor.web.may import May, may

router = APIRouter(prefix="/api", tags=["sums"])

Formula = Annotated[str, Field(max_length=60)]
Positive = Annotated[float, Field(gt=0, le=1e6, allow_inf_nan=False)]
NotNegative = Annotated[float, Field(ge=0, le=1e6, allow_inf_nan=False)]


class _In(BaseModel):
    model_config = ConfigDict(extra="forbid", frozen=True)


class EquationIn(_In):
    """An equation, with or without its numbers; ions with a charge, ``SO4^2-``."""

    equation: str = Field(max_length=200, examples=["BaCl2 + Na2SO4 -> BaSO4 + NaCl"])


class BalancedOut(BaseModel):
    """Formula → how many, on each side; whether the numbers given were right."""

    left: dict[str, int]
    right: dict[str, int]
    shown: str
    as_written: bool


@router.post("/equation/balance")
@may(May.PUBLIC)
def balanced(asked: EquationIn) -> BalancedOut:
    """Check an equation's numbers, or find them."""
    try:
        equation, as_written = parse_equation(asked.equation), True
    except Unreadable:
        equation, as_written = balance(asked.equation), False
    return BalancedOut(left=dict(equation.left), right=dict(equation.right), shown=str(equation), as_written=as_written)


class ReactionIn(EquationIn):
    """An equation and what was taken, a line a reagent: ``BaCl2 12.0 mL 0.25 M``."""

    taken: list[Annotated[str, Field(max_length=120)]] = Field(min_length=1, max_length=12)


class ReactionOut(BaseModel):
    """Limiting reagent, mol left over, and for each product mol and g possible."""

    limiting: str
    left_mol: dict[str, Estimate]
    possible_mol: dict[str, Estimate]
    possible_g: dict[str, Estimate]
    excess: dict[str, float]
    working: list[tuple[str, str]]


@router.post("/reaction")
@may(May.PUBLIC)
def reaction(asked: ReactionIn) -> ReactionOut:
    """What the amounts taken can give at most."""
    equation = parse_equation(asked.equation)
    amounts = brought(equation, read_lines("\n".join(asked.taken)))
    outcome = react(equation, amounts)
    return ReactionOut(
        limiting=outcome.limiting,
        left_mol={f: m.estimate for f, m in outcome.left.items()},
        possible_mol={f: m.estimate for f, m in outcome.made.items()},
        possible_g={f: outcome.mass(f).estimate for f in outcome.made},
        excess=dict(outcome.excess),
        working=[(line.what, line.shown) for line in outcome_working(equation, amounts, outcome)],
    )


class ReagentIn(EquationIn):
    """How much of *reagent*, as bought, for *mol* of *have*, times what is needed."""

    have: Formula
    mol: Positive
    reagent: Formula
    times: float = Field(2.0, gt=0, le=100)


class ReagentOut(BaseModel):
    mol: float
    g: float


@router.post("/reagent")
@may(May.PUBLIC)
def reagent(asked: ReagentIn) -> ReagentOut:
    """A reagent to weigh for another."""
    needed = reagent_for(parse_equation(asked.equation), asked.have, asked.mol, asked.reagent, asked.times)
    return ReagentOut(mol=needed.amount, g=needed.mass)


class MadeOut(BaseModel):
    """g of solid or mL of the stronger solution, the glass, and how."""

    amount: float
    glass: str
    how: list[str]


def _made(made: Made) -> MadeOut:
    return MadeOut(amount=made.amount, glass=made.glass, how=list(made.how))


class ToMakeIn(_In):
    formula: Formula
    mol_per_l: Positive
    ml: Positive
    fraction: float = Field(1.0, gt=0, le=1)


@router.post("/solution/make")
@may(May.PUBLIC)
def make(asked: ToMakeIn) -> MadeOut:
    """A solution to volume from a solid, in g."""
    return _made(to_make(asked.mol_per_l, asked.ml, asked.formula, asked.fraction))


class DiluteIn(_In):
    stock_mol_per_l: Positive
    mol_per_l: Positive
    ml: Positive


@router.post("/solution/dilute")
@may(May.PUBLIC)
def dilution(asked: DiluteIn) -> MadeOut:
    """A weaker solution from a stronger one, in mL of the stronger."""
    return _made(dilute(asked.stock_mol_per_l, asked.mol_per_l, asked.ml))


class SolubilityIn(_In):
    """A precipitate, its pKsp, the liquor with what is in excess, and the washes."""

    formula: Formula
    pksp: float = Field(ge=-5, le=100)
    liquor_ml: NotNegative = 0.0
    cation_mol_per_l: NotNegative = 0.0
    anion_mol_per_l: NotNegative = 0.0
    washes_ml: NotNegative = 0.0


class SolubilityOut(BaseModel):
    in_water_g_per_l: float
    in_liquor_g: float
    in_washes_g: float


@router.post("/precipitate/solubility")
@may(May.PUBLIC)
def solubility(asked: SolubilityIn) -> SolubilityOut:
    """What stays dissolved; activities are left out."""
    found = losses(
        asked.formula,
        10**-asked.pksp,
        liquor=asked.liquor_ml,
        cation=asked.cation_mol_per_l,
        anion=asked.anion_mol_per_l,
        washes=asked.washes_ml,
    )
    return SolubilityOut(in_water_g_per_l=found.in_water, in_liquor_g=found.liquor, in_washes_g=found.washes)


class FactorIn(_In):
    sought: Formula
    weighed: Formula
    carrier: str = Field("", pattern="^([A-Z][a-z]?)?$")


class FactorOut(BaseModel):
    factor: float
    sought_g_per_mol: float
    weighed_g_per_mol: float


@router.post("/precipitate/factor")
@may(May.PUBLIC)
def gravimetric_factor(asked: FactorIn) -> FactorOut:
    """g of the sought for one g weighed; may exceed 1."""
    return FactorOut(
        factor=factor(asked.sought, asked.weighed, asked.carrier),
        sought_g_per_mol=molar_mass(asked.sought),
        weighed_g_per_mol=molar_mass(asked.weighed),
    )


class ParallelsIn(_In):
    values: list[Annotated[float, Field(allow_inf_nan=False)]] = Field(min_length=2, max_length=100)


class ParallelsOut(BaseModel):
    mean: float
    spread: float
    relative: float
    deviation: float | None


@router.post("/precipitate/parallels")
@may(May.PUBLIC)
def beside(asked: ParallelsIn) -> ParallelsOut:
    """Parallel determinations: mean, spread, relative difference."""
    found = parallels(asked.values)
    return ParallelsOut(mean=found.mean, spread=found.spread, relative=found.relative, deviation=found.deviation)


class FilterChoiceIn(_In):
    """What is to be filtered; g and mL."""

    wanted: Literal["solid", "liquid"]
    solid_g: NotNegative
    liquid_ml: Positive
    grain: Grain = "crystals"
    solvent: Solvent = "water"
    hot: StrictBool = False
    settles: StrictBool = False
    weighed: StrictBool = False
    crucibles: StrictBool = False
    aid: StrictBool = False
    minutes: Positive | None = None
    filling: Literal["half", "rim"] = "half"


class FilterChoiceOut(BaseModel):
    method: str
    why: str
    funnel: str
    paper_mm: float
    speed: str
    fold: str
    pours: int
    minutes: float
    also: list[str]


@router.post("/filter/choose")
@may(May.PUBLIC)
def which_filter(asked: FilterChoiceIn) -> FilterChoiceOut:
    """Which way to filter, with which funnel and paper, and why."""
    choice: Choice = choose(
        Task(
            asked.wanted,
            asked.solid_g,
            asked.liquid_ml,
            asked.grain,
            hot=asked.hot,
            settles=asked.settles,
            weighed=asked.weighed,
            crucibles=asked.crucibles,
            aid=asked.aid,
            minutes=asked.minutes,
            school=asked.filling,
            solvent=asked.solvent,
        )
    )
    return FilterChoiceOut(
        method=choice.method,
        why=choice.why,
        funnel=choice.funnel,
        paper_mm=choice.paper,
        speed=choice.speed,
        fold=choice.fold,
        pours=choice.pours,
        minutes=choice.minutes,
        also=list(choice.also),
    )


class ConeOut(BaseModel):
    """A paper's cone: mm and mL; the line by either house rule."""

    height_mm: float
    radius_mm: float
    holds_ml: float
    to_half_ml: float
    below_edge_ml: float
    funnel_mm: int


@router.get("/filter/cone")
@may(May.PUBLIC)
def cone(diameter_mm: Annotated[float, Field(ge=20, le=500)]) -> ConeOut:
    """What a paper of this diameter folds to."""
    made = cone_of(diameter_mm)
    return ConeOut(
        height_mm=made.height,
        radius_mm=made.radius,
        holds_ml=made.holds,
        to_half_ml=fill_line(diameter_mm, "half").volume,
        below_edge_ml=fill_line(diameter_mm, "rim").volume,
        funnel_mm=funnel_for_paper(diameter_mm),
    )


@router.get("/filter/fold")
@may(May.PUBLIC)
def fold(fold: Fold, pleats: Annotated[int, Field(ge=8, le=32)] = 16) -> list[str]:
    """How a paper is folded, step by step."""
    return [step.says for step in fold_guide(fold, pleats)]


class WashIn(_In):
    """Rinses of *ml*, with *behind_ml* staying each time."""

    ml: Positive
    behind_ml: NotNegative
    washed_out: float = Field(0.99, gt=0, lt=1)
    rinses: int | None = Field(None, ge=0, le=1000)
    dissolves_g_per_l: NotNegative | None = None


class WashOut(BaseModel):
    rinses: int
    left: float
    lost_at_most_g: float | None


@router.post("/filter/wash")
@may(May.PUBLIC)
def wash(asked: WashIn) -> WashOut:
    """What is left after the rinses, or how many it takes; and what they dissolve at most."""
    n = asked.rinses if asked.rinses is not None else rinses_for(1 - asked.washed_out, asked.ml, asked.behind_ml)
    lost = wash_loss(n * asked.ml, asked.dissolves_g_per_l) if asked.dissolves_g_per_l is not None else None
    return WashOut(rinses=n, left=left_after(n, asked.ml, asked.behind_ml), lost_at_most_g=lost)


class DryingLimitsIn(_In):
    """What the solid lies in or on, and the melting points of what lies there, °C."""

    labels: list[Annotated[str, Field(max_length=40)]] = Field(max_length=8)
    melts: dict[str, float] = Field({}, max_length=20)


@router.post("/drying/limits")
@may(May.PUBLIC)
def drying_limits(asked: DryingLimitsIn) -> list[tuple[float, str]]:
    """Temperatures not to go above, °C, with the reason; the lowest first."""
    return [(limit.celsius, limit.why) for limit in limits(asked.labels, asked.melts.items())]
