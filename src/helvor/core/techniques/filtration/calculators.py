"""Calculators of filters: which way to filter, papers and cones, washes, drying limits."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import BaseModel, Field, StrictBool

from helvor.core.laws.filtration.choose import Choice, Grain, Here, Solvent, Task, choose
from helvor.core.laws.filtration.oven import limits
from helvor.core.laws.filtration.paper import Fold, cone_of, fill_line, fold_guide, funnel_for_paper
from helvor.core.laws.filtration.wash import left_after, rinses_for, wash_loss
from helvor.core.quantities.asked import Asked, NotNegative, Positive


class FilterChoiceIn(Asked):
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
    here: Here = "any"


class FilterChoiceOut(BaseModel):
    """How to filter and why; funnel, paper in mm (0: none) with speed and fold; pours, minutes, and what else."""

    method: str
    why: str
    funnel: str
    paper_mm: float
    speed: str
    fold: str
    pours: int
    minutes: float
    also: list[str]


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
            here=asked.here,
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


def fold(fold: Fold, pleats: Annotated[int, Field(ge=8, le=32)] = 16) -> list[str]:
    """How a paper is folded, step by step."""
    return [step.says for step in fold_guide(fold, pleats)]


class WashIn(Asked):
    """Rinses of *ml*, with *behind_ml* staying each time."""

    ml: Positive
    behind_ml: NotNegative
    washed_out: float = Field(0.99, gt=0, lt=1)
    rinses: int | None = Field(None, ge=0, le=1000)
    dissolves_g_per_l: NotNegative | None = None


class WashOut(BaseModel):
    """How many rinses, the part of the liquid that is left (0 to 1), and g that they dissolve at most."""

    rinses: int
    left: float
    lost_at_most_g: float | None


def wash(asked: WashIn) -> WashOut:
    """What is left after the rinses, or how many it takes; and what they dissolve at most."""
    n = asked.rinses if asked.rinses is not None else rinses_for(1 - asked.washed_out, asked.ml, asked.behind_ml)
    lost = wash_loss(n * asked.ml, asked.dissolves_g_per_l) if asked.dissolves_g_per_l is not None else None
    return WashOut(rinses=n, left=left_after(n, asked.ml, asked.behind_ml), lost_at_most_g=lost)


class DryingLimitsIn(Asked):
    """What the solid lies in or on, and the melting points of what lies there, °C."""

    labels: list[Annotated[str, Field(max_length=40)]] = Field(max_length=8)
    melts: dict[str, float] = Field({}, max_length=20)


def drying_limits(asked: DryingLimitsIn) -> list[tuple[float, str]]:
    """Temperatures not to go above, °C, with the reason; the lowest first."""
    return [(limit.celsius, limit.why) for limit in limits(asked.labels, asked.melts.items())]
