"""Calculators of amounts: equations, reactions, solutions, solubility, gravimetric contents."""

from __future__ import annotations

from typing import Annotated

from pydantic import BaseModel, Field

from helvor.core.laws.precipitation.gravimetry import factor, parallels
from helvor.core.laws.precipitation.reaction import outcome_working, react, reagent_for
from helvor.core.laws.precipitation.solubility import losses
from helvor.core.laws.precipitation.solution import Made, dilute, to_make
from helvor.core.quantities.asked import Asked, Formula, NotNegative, Positive
from helvor.core.quantities.formula import balance, molar_mass, parse_equation
from helvor.core.quantities.reading import Estimate, Unreadable
from helvor.core.techniques.precipitation.amounts import brought, read_lines


class EquationIn(Asked):
    """An equation, with or without its numbers; ions with a charge, ``SO4^2-``."""

    equation: str = Field(max_length=200, examples=["BaCl2 + Na2SO4 -> BaSO4 + NaCl"])


class BalancedOut(BaseModel):
    """Formula → how many, on each side; whether the numbers given were right."""

    left: dict[str, int]
    right: dict[str, int]
    shown: str
    as_written: bool


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
    """mol of a reagent, and g of it as bought."""

    mol: float
    g: float


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


class ToMakeIn(Asked):
    """The solid, mol/L and mL wanted, and how pure it is (0 to 1)."""

    formula: Formula
    mol_per_l: Positive
    ml: Positive
    fraction: float = Field(1.0, gt=0, le=1)


def make(asked: ToMakeIn) -> MadeOut:
    """A solution to volume from a solid, in g."""
    return _made(to_make(asked.mol_per_l, asked.ml, asked.formula, asked.fraction))


class DiluteIn(Asked):
    """mol/L of the stock solution, mol/L and mL wanted."""

    stock_mol_per_l: Positive
    mol_per_l: Positive
    ml: Positive


def dilution(asked: DiluteIn) -> MadeOut:
    """A weaker solution from a stronger one, in mL of the stronger."""
    return _made(dilute(asked.stock_mol_per_l, asked.mol_per_l, asked.ml))


class SolubilityIn(Asked):
    """A precipitate, its pKsp, the liquor with what is in excess, and the washes."""

    formula: Formula
    pksp: float = Field(ge=-5, le=100)
    liquor_ml: NotNegative = 0.0
    cation_mol_per_l: NotNegative = 0.0
    anion_mol_per_l: NotNegative = 0.0
    washes_ml: NotNegative = 0.0


class SolubilityOut(BaseModel):
    """g that a litre of pure water dissolves, g that stay in the liquor, g lost in the washes at most."""

    in_water_g_per_l: float
    in_liquor_g: float
    in_washes_g: float


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


class FactorIn(Asked):
    """Formulas of the sought and of what is weighed, and the element that both share, where there are several."""

    sought: Formula
    weighed: Formula
    carrier: str = Field("", pattern="^([A-Z][a-z]?)?$")


class FactorOut(BaseModel):
    """g of the sought for one g weighed, and both molar masses, g/mol."""

    factor: float
    sought_g_per_mol: float
    weighed_g_per_mol: float


def gravimetric_factor(asked: FactorIn) -> FactorOut:
    """g of the sought for one g weighed; may exceed 1."""
    return FactorOut(
        factor=factor(asked.sought, asked.weighed, asked.carrier),
        sought_g_per_mol=molar_mass(asked.sought),
        weighed_g_per_mol=molar_mass(asked.weighed),
    )


class ParallelsIn(Asked):
    """Results of parallel determinations, in one unit."""

    values: list[Annotated[float, Field(allow_inf_nan=False)]] = Field(min_length=2, max_length=100)


class ParallelsOut(BaseModel):
    """Their mean and spread, the spread as a part of the mean, and the standard deviation from three on."""

    mean: float
    spread: float
    relative: float
    deviation: float | None


def beside(asked: ParallelsIn) -> ParallelsOut:
    """Parallel determinations: mean, spread, relative difference."""
    found = parallels(asked.values)
    return ParallelsOut(mean=found.mean, spread=found.spread, relative=found.relative, deviation=found.deviation)
