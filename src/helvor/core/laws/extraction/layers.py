"""Which layer is which: from the densities of what is really in the funnel.

Layers 1. What is aqueous makes one layer, what is organic the other; what mixes with both goes into
          both, by its own distribution, and shifts their densities.
Layers 2. Within 0.05 g/mL it is a close call: prove it with a drop of water.
Layers 3. Densities add up as if volumes did; a mixture of solvents is off by a hundredth at most.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Literal

from helvor.core.laws.extraction.solutions import (
    COEFFICIENTS,
    is_known,
    molar_density,
    solution_density,
    water_density,
)
from helvor.core.quantities.formula import plain
from helvor.core.quantities.reading import Unreadable

Makes = Literal["", "aqueous", "organic", "both"]

CLOSE = 0.05
"""g/mL within which the answer is a close call. Common practice."""
SWELLS = 0.0012
"""Part by which an organic liquid swells for each °C. Common practice; most solvents lie at 0.0010 to 0.0016."""
MUCH_CARRIED = 0.25
"""Part of the whole from which a liquid that mixes with both may keep it from parting. Common practice."""


@dataclass(frozen=True, slots=True)
class Liquid:
    """A liquid in a funnel.

    Attributes:
        makes: the layer that it makes, or *both* where it mixes with water.
        density: g/mL at 20 °C.
        log_p: of one that goes into both, log10 of its distribution, organic over water.
        salty: it holds much salt, as brine does.
        takes_up: water that it dissolves, % by mass.
    """

    name: str
    makes: Makes
    density: float
    log_p: float | None = None
    salty: bool = False
    takes_up: float = 0.0

    def at(self, celsius: float) -> float:
        """Its density at a temperature, g/mL."""
        if self.makes == "aqueous":
            return self.density * water_density(celsius) / water_density(20.0)
        return self.density * (1 - SWELLS * (celsius - 20.0))


def solution(name: str, formula: str, molar: float) -> Liquid:
    """A water solution of a known concentration, mol/L; plain water's density where the solute is not known.

    A concentrated acid beyond what the correlation holds for has the density at its end, somewhat too low.

    >>> round(solution("concentrated sulfuric acid", "H2SO4", 18.0).density, 2)
    1.71
    """
    try:
        density = molar_density(formula, molar) if is_known(formula) else water_density()
    except Unreadable:
        density = solution_density(formula, COEFFICIENTS[plain(formula)][5])
    return Liquid(name, "aqueous", density, salty=density > 1.1)


@dataclass(frozen=True, slots=True)
class Layer:
    """One layer.

    Attributes:
        makes: *aqueous* or *organic*; volume: mL; density: g/mL.
        parts: name → mL.
    """

    makes: Makes
    name: str
    volume: float
    density: float
    parts: tuple[tuple[str, float], ...]


@dataclass(frozen=True, slots=True)
class Settled:
    """What stands in the funnel when it has settled.

    Attributes:
        upper, lower: the layers; ``lower`` alone where there is only one.
        apart: difference of their densities, g/mL.
        why_one: why there is only one; empty where there are two.
        remarks: what shifts the answer or may keep it from parting.
    """

    upper: Layer | None
    lower: Layer | None
    apart: float = 0.0
    why_one: str = ""
    remarks: tuple[str, ...] = ()

    @property
    def close(self) -> bool:
        return self.upper is not None and self.apart < CLOSE

    @property
    def widen(self) -> str:
        """What moves close layers further apart; salt makes the water heavier, so it helps where water is below."""
        if self.where("aqueous") == "upper":
            return "Do not add salt: it brings the densities closer. More of a dense organic solvent separates them."
        return "Salt makes the water denser; more of a light organic solvent also helps."

    @property
    def volume(self) -> float:
        return sum(layer.volume for layer in (self.upper, self.lower) if layer is not None)

    def where(self, makes: str) -> str:
        """*upper* or *lower* for the aqueous or organic layer; empty where it is not there."""
        for place, layer in (("upper", self.upper), ("lower", self.lower)):
            if layer is not None and layer.makes == makes:
                return place
        return ""


def settle(poured: Sequence[tuple[Liquid, float]], celsius: float = 20.0) -> Settled:
    """The layers that liquids make (mL of each), and which is on top.

    Raises:
        Unreadable: a volume is not above 0, or a density is out of reach.

    >>> ether, water = Liquid("diethyl ether", "organic", 0.713), Liquid("water", "aqueous", 0.998)
    >>> settle([(ether, 50.0), (water, 20.0)]).upper.name
    'diethyl ether'
    """
    for liquid, volume in poured:
        if not volume > 0:
            raise Unreadable(f"{liquid.name}: enter a volume above 0 mL.")
        if not 0.3 < liquid.density < 4:
            raise Unreadable(f"{liquid.name}: enter a density between 0.3 and 4 g/mL.")
    water = [(liquid, volume) for liquid, volume in poured if liquid.makes == "aqueous"]
    organic = [(liquid, volume) for liquid, volume in poured if liquid.makes == "organic"]
    both = [(liquid, volume) for liquid, volume in poured if liquid.makes == "both"]
    whole = sum(volume for _, volume in poured)
    if not water or not organic:
        only = _layer(poured, celsius) if poured else None
        return Settled(None, only, why_one=_why_one(water, organic, both))
    v_water, v_organic = (sum(volume for _, volume in part) for part in (water, organic))
    remarks = []
    for liquid, volume in both:
        ratio = 10.0 ** (liquid.log_p or 0.0) * v_organic / v_water
        share = ratio / (1 + ratio)
        organic.append((liquid, volume * share))
        water.append((liquid, volume * (1 - share)))
        remarks.append(
            f"{liquid.name} dissolves in both layers, shifts their densities, holds water and favours emulsions"
        )
    carried = sum(volume for _, volume in both)
    if carried > MUCH_CARRIED * whole:
        remarks.append(
            f"with {100 * carried / whole:.0f} % of a liquid that mixes with both, the layers may not separate: "
            "add brine or water"
        )
    kinds = len({liquid.name for liquid, _ in organic if liquid.makes == "organic"})
    if kinds > 1:
        remarks.append(f"{kinds} organic liquids: if they mix, they form one layer with a density in between")
    pair = [_layer(organic, celsius), _layer(water, celsius)]
    upper, lower = sorted(pair, key=lambda layer: layer.density)
    apart = lower.density - upper.density
    return Settled(upper, lower, apart, remarks=tuple(remarks))


def _why_one(water: Sequence[object], organic: Sequence[object], both: Sequence[tuple[Liquid, float]]) -> str:
    names = " and ".join(liquid.name for liquid, _ in both)
    if water and both:
        verb = "mixes" if len(both) == 1 else "mix"
        return f"{names} {verb} with water: no layers. Salting out may separate some; better choose another solvent."
    if organic and both:
        return f"{names} and the organic liquid mix: there is no aqueous layer."
    if both:
        return f"{names} alone: no layers."
    return "There is only one layer: add a second liquid." if water or organic else "It is empty."


def _layer(parts: Sequence[tuple[Liquid, float]], celsius: float) -> Layer:
    volume = sum(part for _, part in parts)
    mass = sum(part * liquid.at(celsius) for liquid, part in parts)
    most = max(parts, key=lambda pair: pair[1])[0]
    by_name: dict[str, float] = {}
    for liquid, part in parts:
        by_name[liquid.name] = by_name.get(liquid.name, 0.0) + part
    makes: Makes = "organic" if most.makes == "organic" else "aqueous"
    return Layer(makes, most.name, volume, mass / volume, tuple(by_name.items()))


FUNNELS = (30.0, 60.0, 125.0, 250.0, 500.0, 1000.0, 2000.0)
"""Sizes of separating funnels, mL. Common practice."""
FILL = {"two-thirds": 2 / 3, "three-quarters": 0.75}
"""House rule *funnel-fill* → part of the funnel up to which it is filled."""


def funnel_for(volume: float, fill: str = "two-thirds") -> float | None:
    """The smallest funnel for so many mL, mL; None where there is none so large.

    >>> funnel_for(76.0)
    125.0
    """
    if not volume > 0:
        raise Unreadable("Enter a volume above 0 mL.")
    return next((size for size in FUNNELS if volume <= FILL[fill] * size), None)


@dataclass(frozen=True, slots=True)
class Cut:
    """A way to cut the boundary: mL of the drawn layer left behind, and mL of the other taken along."""

    behind: float
    along: float


CUTS = {"sharp": Cut(0.5, 0.2), "leave-some": Cut(1.5, 0.0), "rag-apart": Cut(1.0, 0.0)}
"""House rule *boundary* → what it costs in a usual funnel, film on the glass and stem included. Common practice."""


def lost_at_cut(cut: Cut, rag: float, per_ml: float) -> float:
    """What of a substance stays behind: mL left (with half of *rag* mL) times its concentration, g/mL."""
    return (cut.behind + rag / 2) * per_ml


REMEDIES: tuple[tuple[str, str], ...] = (
    ("wait", "wait: many separate within ten minutes"),
    ("swirl", "swirl gently, upright"),
    ("brine", "add a little brine: it makes the water denser"),
    ("plug", "filter through a plug of wool"),
    ("alcohol", "a few drops of alcohol"),
    ("solvent", "more of the organic solvent"),
    ("spin", "spin it in a centrifuge"),
)
"""What to try against an emulsion, in this order. Common practice."""

VENTS: tuple[int, ...] = (1, 2, 4, 6, 8, 10)
"""Swirls or shakes before each vent: the pressure is highest at first. Common practice."""
