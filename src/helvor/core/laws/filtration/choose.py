"""Which way to filter, with which funnel and paper, and why. Limits are common practice, no source."""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import Literal

from helvor.core.laws.filtration.paper import (
    FUNNELS,
    PAPERS,
    PLATES,
    cone_of,
    disc_for_plate,
    fill_line,
    funnel_for_paper,
)
from helvor.core.quantities.reading import Unreadable

Wanted = Literal["solid", "liquid"]
Grain = Literal["coarse", "crystals", "fine", "gel"]
Solvent = Literal["water", "organic", "volatile"]
Here = Literal["any", "cone", "plate"]
Method = Literal["gravity", "hot-gravity", "vacuum", "crucible", "decant"]

METHODS: dict[str, str] = {
    "gravity": "Gravity, paper cone",
    "hot-gravity": "Hot gravity, fluted paper, warm stemless funnel",
    "vacuum": "Vacuum",
    "crucible": "Vacuum, filter crucible",
    "decant": "Decant, then filter the rest",
}
SOLVENTS: dict[str, str] = {
    "water": "water",
    "organic": "an organic solvent",
    "volatile": "a volatile or highly flammable solvent",
}
GRAINS: dict[str, str] = {
    "coarse": "coarse grains that settle",
    "crystals": "crystals",
    "fine": "a fine powder",
    "gel": "jelly",
}
BULK = {"coarse": 1.2, "crystals": 0.6, "fine": 0.5, "gel": 0.15}
"""Dry mass in a millilitre of wet cake, g. Common practice, wide margins."""
HIRSCH_BELOW = 0.2
"""Below this mass (g) a cake is lost on a large plate."""
CAKE_MM = 10.0
"""How thick a cake may get on a flat plate."""
CONE_PART = 1 / 3
"""Part of a paper cone that the solid may fill."""
SUCTION_FLASKS = (50, 100, 250, 500, 1000)
"""Usual suction flasks, mL. Common practice."""
LITTLE_LIQUID = 60.0
"""Up to this many mL run through a cone in a few minutes, so that nothing is won by a vacuum."""
SETTLES_FROM = 20.0
"""From this many mL it is worth while to let a solid settle and decant first."""
FUNNELS_HERE: dict[str, str] = {
    "any": "any funnel",
    "cone": "a glass funnel only, no vacuum",
    "plate": "a suction funnel only",
}
"""What there is to filter with."""
POURS = 8
"""More pours than this is a long afternoon: take a larger paper, if there is one."""
DRIP = {"coarse": 10.0, "crystals": 6.0, "fine": 1.5, "gel": 0.5}
"""About how fast a full cone of 110 mm runs, mL a minute. Common practice, wide margins."""


@dataclass(frozen=True, slots=True)
class Task:
    """What is to be filtered.

    Attributes:
        wanted: the solid or the liquid.
        hot: it is hot and would crystallize on the way.
        solid: dry mass, g; liquid: volume, mL.
        grain: coarse, crystals, fine or gel.
        settles: it is heavy and settles well.
        weighed: the solid is weighed and stands a hot oven, so that a crucible can be used.
        crucibles: there are filter crucibles.
        aid: what is taken off is a drying agent or charcoal.
        minutes: there is time for this many.
        school: the house rule *filling-cone*.
        fold: the house rule *folding*.
        solvent: water, organic, or volatile: boils near room temperature or burns easily.
        here: what there is to filter with.
    """

    wanted: Wanted
    solid: float
    liquid: float
    grain: Grain = "crystals"
    hot: bool = False
    settles: bool = False
    weighed: bool = False
    crucibles: bool = False
    aid: bool = False
    minutes: float | None = None
    school: str = "half"
    fold: str = "quarter"
    solvent: Solvent = "water"
    here: Here = "any"


@dataclass(frozen=True, slots=True)
class Choice:
    """A way to filter.

    Attributes:
        method: a key of ``METHODS``.
        why: one sentence.
        funnel: its kind and size in words; across: its diameter, mm.
        paper: the disc's diameter, mm; 0 where a crucible needs none.
        speed: of the paper: fast, medium or slow.
        fold: how the paper is folded; flat on a plate.
        pours: how often it is filled.
        minutes: about how long it runs.
        flask: the suction flask, mL, that it half fills at most, or the largest there is; 0 without suction.
        filling: how far a cone is filled, half its height or to 1 cm below the edge (rim).
        also: what else can be done, and what to mind.
    """

    method: Method
    why: str
    funnel: str
    across: float
    paper: float
    speed: str
    fold: str
    pours: int
    minutes: float
    also: tuple[str, ...]
    flask: int = 0
    filling: str = "rim"


def choose(task: Task) -> Choice:
    """The way that fits best; the reasons in the order in which they decide.

    Raises:
        Unreadable: an amount is outside reason.

    >>> choose(Task("solid", solid=2.0, liquid=40)).method
    'vacuum'
    >>> choose(Task("liquid", solid=1.0, liquid=40, aid=True)).method
    'gravity'
    """
    if not 0 <= task.solid <= 2000 or not 0 < task.liquid <= 20000:
        raise Unreadable("Enter 0 to 2000 g of solid, and a liquid above 0 and up to 20 L.")
    if task.hot:
        return _cone(
            task,
            "hot-gravity",
            "It is hot and would crystallize in the stem and under vacuum: a fluted "
            "paper and a warm stemless funnel let it through before it cools.",
        )
    if task.wanted == "liquid" or task.aid:
        return _for_the_liquid(task)
    return _for_the_solid(task)


def _for_the_liquid(task: Task) -> Choice:
    if task.here == "plate" and not task.aid:
        return _plate(task, "vacuum", "There is a suction funnel only: a slow paper, gentle vacuum, a clean receiver.")
    if task.settles and not task.aid:
        return _cone(
            task,
            "decant",
            "You want the liquid and the solid settles: decant most of it, so that only the rest goes through paper.",
        )
    what = "the drying agent or charcoal" if task.aid else "the solid"
    return _cone(
        task,
        "gravity",
        f"You want the liquid: {what} stays on the paper, and without vacuum no fine "
        "grains pass and no solvent boils away.",
    )


def _for_the_solid(task: Task) -> Choice:
    """The reasons in the order in which they decide: jelly, a crucible, every grain, settling, no suction."""
    vacuum = task.here != "cone"
    if task.grain == "gel" and task.here != "plate":
        return _cone(
            task, "gravity", "With vacuum a gelatinous precipitate clogs the pores; a wide cone keeps flowing."
        )
    if task.weighed and task.crucibles and vacuum:
        return _crucible(task)
    if task.weighed and task.grain == "fine" and task.here != "plate":
        return _cone(
            task,
            "gravity",
            "Every grain counts and the solid is fine: a slow paper that retains it, filled to the line, loses the "
            "least.",
        )
    if task.settles and task.liquid >= SETTLES_FROM:
        dense = "It is dense and settles: decant the clear liquid and the rinses first, so that little has to pass "
        if task.weighed and task.here != "plate":
            return _cone(task, "decant", f"{dense}the paper; a cone then keeps every grain that is weighed.")
        return _plate(task, "decant", f"{dense}the paper.") if vacuum else _cone(task, "decant", f"{dense}the paper.")
    if task.weighed and task.liquid <= LITTLE_LIQUID and task.here != "plate" and task.grain in ("coarse", "crystals"):
        return _cone(
            task,
            "gravity",
            "Every grain counts and there is little liquid: it runs through by itself, and a cone with its solid can "
            "be weighed, with nothing left on a plate.",
        )
    if not vacuum:
        return _cone(
            task, "gravity", "There is no vacuum here: a cone takes the solid, and it dries longer on its paper."
        )
    return _plate(task, "vacuum", "You want the solid and it is cold: vacuum is quick and leaves it nearly dry.")


SPEED = {"coarse": "fast", "crystals": "medium", "fine": "slow", "gel": "fast"}
"""How open a paper may be for each grain."""


def _also(task: Task) -> list[str]:
    also = []
    if task.grain == "fine":
        also.append("If it runs through: digest it warm first, add an electrolyte to the wash, refilter.")
    if task.settles and task.liquid >= SETTLES_FROM:
        also.append("Rinse by decanting and pour little liquid through the paper: a large rinse takes time.")
    if task.wanted == "liquid":
        also.append(
            "The liquid that wets the paper runs into the receiver: change the receiver if the filtrate must be pure."
        )
    if task.solvent != "water":
        also.append("Wet the paper with the same solvent, never with water: it would block it and spoil the filtrate.")
    if task.solvent == "volatile":
        also.append(
            "No flame in the room; work in the hood. Under vacuum the solvent boils away and leaves a crust: keep "
            "it gentle and brief."
        )
    if task.hot:
        also.append("Keep hot solvent ready to rinse flask and paper: product stays in both. No flame near it.")
    return also


def _cone(task: Task, method: Method, why: str) -> Choice:
    """The smallest usual paper whose cone takes the solid, and the liquid in not too many pours."""
    cake = task.solid / BULK[task.grain] if not task.aid else task.solid
    school = "rim" if task.wanted == "liquid" or task.hot else task.school
    fitting = [p for p in PAPERS if cake <= CONE_PART * cone_of(p).holds and _has_funnel(p)]
    if not fitting:
        raise Unreadable(
            f"{task.solid:g} g of solid overfills the largest common paper: divide it, or use a flat plate and vacuum."
        )
    quick = [p for p in fitting if task.liquid / fill_line(p, school).volume <= POURS]
    paper = (quick or fitting[-1:])[0]
    funnel = funnel_for_paper(paper)
    pours = fill_line(paper, school).pours(task.liquid)
    fold = "fluted" if method == "hot-gravity" or (task.wanted == "liquid") else task.fold
    pace = DRIP[task.grain] * (paper / 110) ** 2 * (2.0 if fold == "fluted" else 1.0)
    minutes = task.liquid / pace
    also = _also(task)
    if task.minutes is not None and minutes > task.minutes:
        also.insert(0, f"It would take about {minutes:.0f} min: decant first, or start early.")
    kind = "stemless, warmed glass funnel" if method == "hot-gravity" else "60° glass funnel"
    return Choice(
        method,
        why,
        f"{kind}, {funnel} mm",
        funnel,
        paper,
        SPEED[task.grain],
        fold,
        pours,
        minutes,
        tuple(also),
        filling=school,
    )


def _has_funnel(paper: float) -> bool:
    return paper / 2 <= FUNNELS[-1] - 5


def _plate(task: Task, method: Method, why: str) -> Choice:
    """The smallest flat plate on which the cake stays thin."""
    cake = task.solid / BULK[task.grain] * 1000  # mm³
    fitting = [p for p in PLATES if cake <= CAKE_MM * math.pi * (p / 2) ** 2]
    if not fitting:
        raise Unreadable(f"{task.solid:g} g makes too thick a cake for the largest common plate: divide the solid.")
    small = task.solid < HIRSCH_BELOW
    plate = fitting[0] if small else next((p for p in fitting if p >= 40), fitting[-1])
    kind = "Hirsch funnel" if plate < 40 else "Büchner funnel"
    also = _also(task)
    if small:
        also.append("On a large plate so small an amount would be lost on the paper and the wall.")
    paper = disc_for_plate(plate)
    usual = next((p for p in PAPERS if p == plate), None)
    also.append(
        f"A {usual} mm circle fits; trim only what bends up at the wall. It covers every hole."
        if usual
        else f"Cut the paper to {paper:g} mm: flat, covering every hole."
    )
    minutes = 2 + task.liquid / (40 * (plate / 55) ** 2) * (4 if task.grain == "fine" else 1)
    flask = _flask(task, also)
    return Choice(
        method, why, f"{kind}, {plate} mm", plate, paper, SPEED[task.grain], "flat", 1, minutes, tuple(also), flask
    )


def _flask(task: Task, also: list[str]) -> int:
    """The suction flask; where even the largest would be over half full, it is emptied on the way."""
    flask = next((size for size in SUCTION_FLASKS if size >= 2 * task.liquid), SUCTION_FLASKS[-1])
    if task.liquid > flask / 2:
        also.append(f"Empty the flask part-way: {task.liquid:g} mL is more than half of {flask} mL.")
    return flask


def _crucible(task: Task) -> Choice:
    if task.solid > 5:
        raise Unreadable("A filter crucible takes a few grams at most: divide the solid, or use a plate.")
    also = _also(task)
    flask = _flask(task, also)
    return Choice(
        "crucible",
        "You weigh the solid and it tolerates a hot oven: a filter crucible is its own tare, and there is no paper "
        "to char or take up "
        "water.",
        "filter crucible in its adapter",
        30.0,
        0.0,
        "slow" if task.grain == "fine" else "medium",
        "none",
        1,
        5 + task.liquid / 10 * (3 if task.grain == "fine" else 1),
        (
            "Seat it by its weight and a slight twist only.",
            "If crucibles are scarce: lift disc and solid into a tared boat and pass the crucible on.",
            *also,
        ),
        flask,
    )
