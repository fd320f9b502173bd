"""Calculators of layers: which is on top, portions, acids and bases, drying agents, schemes, reflux."""

from __future__ import annotations

from collections.abc import Callable
from datetime import datetime
from typing import Annotated, Any, Literal

from pydantic import BaseModel, Field, StrictBool

from helvor.core.laws.extraction.acid_base import (
    Solute,
    Water,
    base_needed,
    ph_of,
    ph_to_move,
    read_paper,
    reagent,
    reagent_for,
    to_reach,
)
from helvor.core.laws.extraction.distribution import (
    best_ratio,
    from_trial,
    left,
    limit,
    portions_for,
    selectivity,
    splits,
    with_clinging,
)
from helvor.core.laws.extraction.drying import AGENT, agent_for
from helvor.core.laws.extraction.layers import CUTS, Layer, lost_at_cut, settle
from helvor.core.laws.extraction.layers import funnel_for as funnel_of_volume
from helvor.core.laws.extraction.reflux import boiled, flask_for
from helvor.core.laws.extraction.solutions import molar_density, solution_density
from helvor.core.quantities.asked import Asked, NotNegative, Positive, Typed
from helvor.core.quantities.formula import molar_mass
from helvor.core.quantities.reading import Unreadable, digits
from helvor.core.techniques.extraction.read import LiquidOf, read_liquid

Ph = Annotated[float, Field(ge=-2, le=16, allow_inf_nan=False)]


Pka = Annotated[float, Field(ge=-12, le=40, allow_inf_nan=False)]


Acts = Literal["neutral", "acid", "base"]


class DensityIn(Asked):
    """A solution in water: its solute, and either mass fraction (0 to 1) or mol/L; °C."""

    formula: str = Field(max_length=60)
    fraction: float | None = Field(None, ge=0, le=1)
    molar: float | None = Field(None, ge=0, le=30)
    celsius: float = Field(20.0, ge=0, le=100)


def density(asked: DensityIn) -> float:
    """Density of a solution, g/mL."""
    if (asked.fraction is None) == (asked.molar is None):
        raise Unreadable("Enter the mass fraction, or mol/L.")
    if asked.fraction is not None:
        return solution_density(asked.formula, asked.fraction, asked.celsius)
    return molar_density(asked.formula, asked.molar or 0.0, asked.celsius)


class LayersIn(Asked):
    """What is in the funnel, a line a liquid: ``diethyl ether 50 mL``, ``3 M HCl 15 mL``; °C."""

    liquids: list[Typed] = Field(min_length=1, max_length=8)
    celsius: float = Field(20.0, ge=0, le=80)


class LayerOut(BaseModel):
    """One layer: *aqueous* or *organic*, mL, g/mL, and mL of what is in it."""

    makes: str
    volume: float
    density: float
    parts: dict[str, float]


class LayersOut(BaseModel):
    """Upper and lower layer (only the lower where there is one), and what to know."""

    upper: LayerOut | None
    lower: LayerOut | None
    apart: float
    close: bool
    why_one: str
    remarks: list[str]
    funnel: float | None


def layers(asked: LayersIn, liquid_of: LiquidOf, formula_of: Callable[[str], str]) -> LayersOut:
    """Which layer is which.

    Args:
        liquid_of: what is known of a liquid by its name; formula_of: the formula of a name, or the name itself.
    """
    found = settle([read_liquid(line, liquid_of, formula_of) for line in asked.liquids], asked.celsius)

    def out(layer: Layer | None) -> LayerOut | None:
        if layer is None:
            return None
        return LayerOut(makes=layer.makes, volume=layer.volume, density=layer.density, parts=dict(layer.parts))

    return LayersOut(
        upper=out(found.upper),
        lower=out(found.lower),
        apart=found.apart,
        close=found.close,
        why_one=found.why_one,
        remarks=list(found.remarks),
        funnel=funnel_of_volume(found.volume) if found.volume > 0 else None,
    )


class PortionsIn(Asked):
    """D (extracting over extracted), mL extracted, mL in all, what is wanted (0 to 1); mL that cling each time."""

    d: float
    feed_ml: float
    total_ml: float
    wanted: float = 0.99
    clings_ml: NotNegative = 0.0
    second_d: float | None = None
    wash_ml: float | None = None


class PortionsOut(BaseModel):
    """Part left after one to six portions, without end, and with what clings; portions of a third for what is wanted.

    Of a second substance the part that comes along, the separation factor, and the portion over feed volume that
    parts both best; of a wash of the extracts the part that it takes back.
    """

    working: list[tuple[str, str]]
    left: list[float]
    limit: float
    left_with_clinging: list[float]
    needed: int | None
    along: float | None
    factor: float | None
    best_ratio: float | None
    washed_back: float | None


def portions(asked: PortionsIn) -> PortionsOut:
    """How many portions."""
    found = splits(asked.d, asked.feed_ml, asked.total_ml)
    clinging = [
        sum(with_clinging(asked.d, asked.feed_ml, [one.portion] * one.times, min(asked.clings_ml, one.portion / 2)))
        for one in found
    ]
    third = asked.total_ml / 3
    washed_back = 1 - left(1 / asked.d, asked.total_ml, asked.wash_ml) if asked.wash_ml is not None else None
    both = selectivity(asked.d, asked.second_d, asked.feed_ml, third, 3) if asked.second_d is not None else None
    return PortionsOut(
        left=[one.left for one in found],
        limit=limit(asked.d, asked.feed_ml, asked.total_ml),
        left_with_clinging=clinging,
        needed=portions_for(asked.d, asked.feed_ml, third, asked.wanted),
        along=both.second if both else None,
        factor=both.factor if both else None,
        best_ratio=best_ratio(asked.d, asked.second_d) if asked.second_d is not None else None,
        washed_back=washed_back,
        working=_portions_working(asked, found[2].left, washed_back),
    )


def _portions_working(asked: PortionsIn, three: float, washed_back: float | None) -> list[tuple[str, str]]:
    """The arithmetic of three portions, and of a wash of the extracts."""
    third = digits(asked.total_ml / 3, 3)
    arithmetic = f"(1 ÷ (1 + {digits(asked.d, 3)} × {third} ÷ {asked.feed_ml:g}))³ = {digits(three, 3)}"
    lines = [("left after three = (1 ÷ (1 + D·V ÷ V₀))³", arithmetic)]
    if washed_back is not None:
        what = "the extracts washed with the first liquid lose 1 − 1 ÷ (1 + V ÷ (D·V_extracts))"
        lines.append((what, f"{digits(100 * washed_back, 2)} %"))
    return lines


class TrialIn(Asked):
    """What was taken in mL, and what of it was found in mL of extract; u of what was found, in its unit."""

    taken: Positive
    found: Positive
    feed_ml: Positive
    portion_ml: Positive
    u_found: NotNegative = 0.0


class TrialOut(BaseModel):
    """The distribution ratio and its standard uncertainty."""

    d: float
    u: float


def trial(asked: TrialIn) -> TrialOut:
    """D measured from one trial."""
    found = from_trial(asked.taken, asked.found, asked.feed_ml, asked.portion_ml, u_found=asked.u_found)
    return TrialOut(d=found.d, u=found.u)


class DistributionIn(Asked):
    """A substance, its K (uncharged form, organic over water), pKa; the pH, and mL of both layers."""

    acts: Acts
    k: Positive
    pka: Pka | None = None
    ph: Ph = 7.0
    organic_ml: Positive
    water_ml: Positive
    part: float = Field(0.99, gt=0, lt=1)


class DistributionOut(BaseModel):
    """D and the part in the organic layer at the pH; the pH that moves *part* into water (null: any, or none).

    ``reagent`` is what takes it out: formula, mol/L, why.
    """

    d: float
    in_organic: float
    ph_to_move: float | None
    reagent: tuple[str, float, str] | None


def distribution(asked: DistributionIn) -> DistributionOut:
    """Where an acid or base is at a pH, and what moves it."""
    one = Solute("it", asked.acts, asked.pka, asked.k)
    moves = None
    if asked.acts != "neutral" and asked.pka is not None:
        moves = ph_to_move(asked.acts, asked.pka, asked.k, asked.organic_ml, asked.water_ml, asked.part)
    chosen = reagent_for(asked.acts, asked.pka, asked.k, asked.organic_ml, asked.water_ml)
    return DistributionOut(
        d=one.d(asked.ph),
        in_organic=one.in_organic(asked.ph, asked.water_ml, asked.organic_ml),
        ph_to_move=moves,
        reagent=(chosen.formula, chosen.molar, chosen.why) if chosen else None,
    )


class SoluteIn(Asked):
    """A weak acid, a base or a neutral substance: mol in both layers.

    ``further_pka`` are its other steps, for a diprotic acid or a diamine; ``zwitterion`` is an amino acid, whose form
    with every proton on is charged once.
    """

    name: str = Field("it", max_length=40)
    acts: Acts
    pka: Pka | None = None
    k: NotNegative = 0.0
    mol: NotNegative
    further_pka: list[Pka] = Field([], max_length=5)
    zwitterion: StrictBool = False


class WaterIn(Asked):
    """A water layer: its acid or base (formula, mol/L), mL, what is in it, and mL of organic layer over it."""

    formula: str = Field("", max_length=60)
    molar: NotNegative = 0.0
    ml: Positive
    solutes: list[SoluteIn] = Field([], max_length=12)
    organic_ml: NotNegative = 0.0


def _water(asked: WaterIn) -> Water:
    if not asked.formula:
        return Water(asked.ml)
    water = reagent(asked.formula, asked.molar * asked.ml / 1000, asked.ml)
    if water is None:
        raise Unreadable(f"{asked.formula} is not a known acid or base: enter its formula, such as HCl or NaOH.")
    return water


def _solutes(asked: WaterIn) -> list[Solute]:
    return [
        Solute(s.name, s.acts, s.pka, s.k, s.mol, tuple(s.further_pka), 1 if s.zwitterion else None)
        for s in asked.solutes
    ]


def water_ph(asked: WaterIn) -> float:
    """pH of a water layer by the balance of charges."""
    return ph_of(_water(asked), _solutes(asked), asked.organic_ml)


class ToPhIn(WaterIn):
    """The same, the pH wanted, and mol/L of the strong acid or base that brings it there."""

    to: Ph
    with_molar: Positive


class ToPhOut(BaseModel):
    """mol and mL needed, in portions of mL; mL of carbon dioxide; °C warmer at most without ice."""

    mol: float
    ml: float
    portions: list[float]
    gas_ml: float
    warmer: float


def to_a_ph(asked: ToPhIn) -> ToPhOut:
    """Acid or base to a pH."""
    found = to_reach(asked.to, _water(asked), _solutes(asked), asked.with_molar, asked.organic_ml)
    return ToPhOut(mol=found.mol, ml=found.volume, portions=list(found.portions), gas_ml=found.gas, warmer=found.warmer)


class NeededIn(Asked):
    """mol of each acid (or base), and how much more than what they take up."""

    mol: list[NotNegative] = Field(min_length=1, max_length=12)
    margin: float = Field(1.2, ge=1, le=10)


def needed(asked: NeededIn) -> float:
    """mol of base for acids, or of acid for bases."""
    return base_needed(asked.mol, asked.margin)


class PaperIn(Asked):
    """An indicator paper and the colour that it shows."""

    paper: Literal["universal", "litmus", "congo red"] = "universal"
    colour: str = Field(max_length=20)


def paper(asked: PaperIn) -> tuple[float, float]:
    """From and up to which pH a colour of an indicator paper stands."""
    seen = read_paper(asked.paper, asked.colour)
    return seen.low, seen.high


class LayerCutIn(Asked):
    """A way to cut the boundary, mL of rag, and the substance's concentration in the drawn layer, g/mL."""

    school: Literal["sharp", "leave-some", "rag-apart"] = "sharp"
    rag_ml: NotNegative = 0.0
    g_per_ml: NotNegative


def cut(asked: LayerCutIn) -> float:
    """g that stay behind at the boundary."""
    return lost_at_cut(CUTS[asked.school], asked.rag_ml, asked.g_per_ml)


class RefluxIn(Asked):
    """mL in the flask; when the first drops fell (true) and when it stopped boiling (false), in order."""

    ml: Positive
    marks: list[tuple[datetime, bool]] = Field([], max_length=40)


class RefluxOut(BaseModel):
    """mL of the flask (null: none is this large), minutes that it boiled, and in how many stretches."""

    flask_ml: float | None
    minutes: float
    stretches: int


def reflux(asked: RefluxIn) -> RefluxOut:
    """A flask for a reflux, and how long it boiled."""
    clock = boiled(asked.marks)
    return RefluxOut(flask_ml=flask_for(asked.ml), minutes=clock.minutes, stretches=clock.stretches)


class MassIn(Asked):
    """g and the formula."""

    formula: str = Field(max_length=60)
    g: NotNegative


def mol(asked: MassIn) -> float:
    """mol of a mass: what the other sums ask for."""
    return asked.g / molar_mass(asked.formula)


class DryingAgentIn(Asked):
    """A layer: its solvent, mL, whether it was washed with brine; the agent."""

    solvent: str = Field(max_length=60)
    ml: Positive
    agent: str = Field("sodium-sulfate", max_length=30)
    brine: StrictBool = True
    droplets_ml: NotNegative = 0.3


class DryingAgentOut(BaseModel):
    """g of water in the layer, g of agent, in which portions; minutes to stand, and how it is taken off."""

    water_g: float
    agent_g: float
    portions_g: list[float]
    minutes: int
    off: str


def drying_agent(asked: DryingAgentIn, liquid_of: LiquidOf) -> DryingAgentOut:
    """How much drying agent.

    Args:
        liquid_of: what is known of a liquid by its name.
    """
    liquid = liquid_of(asked.solvent)
    if liquid is None or liquid.makes != "organic":
        raise Unreadable(f"{asked.solvent} is not a solvent of the reference data that forms a separate layer.")
    if asked.agent not in AGENT:
        raise Unreadable(f"Choose a drying agent: {', '.join(AGENT)}.")
    agent = AGENT[asked.agent]
    plan = agent_for(agent, asked.ml, liquid.density, liquid.takes_up, brine=asked.brine, droplets=asked.droplets_ml)
    return DryingAgentOut(
        water_g=plan.dissolved + plan.droplets,
        agent_g=plan.agent,
        portions_g=list(plan.portions),
        minutes=agent.minutes,
        off=agent.off,
    )


class SchemeIn(Asked):
    """A mixture, a line a component, in mL of a solvent."""

    parts: list[Typed] = Field(min_length=2, max_length=8)
    solvent: str = Field(max_length=60)
    ml: Positive


class SchemeOut(BaseModel):
    """Where each component ends (product → component → part), what does not part, and the procedure."""

    shares: dict[str, dict[str, float]]
    remarks: list[str]
    procedure: dict[str, Any]
