"""Which layer: a funnel that has settled, one of its layers is wanted."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

from helvor.core.laws.extraction.layers import CLOSE, Liquid, Settled, settle, solution
from helvor.core.laws.extraction.solutions import water_density
from helvor.core.practice.drills.case import Verdict, chance_of
from helvor.core.quantities.formula import readable
from helvor.core.quantities.reading import Unreadable, round_to

ORGANIC = (
    ("hexane", 0.659),
    ("tert-butyl methyl ether", 0.741),
    ("diethyl ether", 0.713),
    ("toluene", 0.867),
    ("ethyl acetate", 0.902),
    ("dichloromethane", 1.326),
    ("chloroform", 1.492),
)
"""Solvents that part from water, g/mL at 20 °C. A test holds them to the shelf, which names its sources."""
MIXED = tuple(pair for pair in ORGANIC if pair[0] in {"hexane", "dichloromethane", "ethyl acetate", "chloroform"})
"""Solvents that mixtures of level 3 are made of: what floats and what sinks mixes to either."""
PLACES = ("upper", "lower")


@dataclass(frozen=True, slots=True)
class Layers:
    """A funnel that has settled; one layer is asked for."""

    poured: tuple[tuple[Liquid, float], ...]
    wanted: Literal["aqueous", "organic"]

    @property
    def settled(self) -> Settled:
        return settle(self.poured)

    @property
    def key(self) -> str:
        return self.settled.where(self.wanted)

    @property
    def asks(self) -> str:
        parts = [f"{volume:.0f} mL of {liquid.name}" for liquid, volume in self.poured]
        return f"A funnel contains {', '.join(parts[:-1])} and {parts[-1]}. Choose the {self.wanted} layer."

    def marked(self, picked: str) -> Verdict:
        """Judge the layer that was picked, *upper* or *lower*.

        Raises:
            Unreadable: it is neither.
        """
        if picked not in PLACES:
            raise Unreadable("Choose the upper or the lower layer.")
        upper, lower = self.settled.upper, self.settled.lower
        assert upper is not None and lower is not None
        working = tuple(
            f"{place}: {layer.makes} layer, {layer.volume:.0f} mL, {round_to(layer.density, 2)} g/mL"
            for place, layer in zip(PLACES, (upper, lower), strict=True)
        )
        weight = "heavier" if self.key == "lower" else "lighter"
        return Verdict(picked == self.key, f"The {self.wanted} layer is the {weight} one, so the {self.key}.", working)


def layers(level: int, seed: int) -> Layers:
    """A case: an organic liquid and water; a solution; two organic liquids that mix."""
    chance = chance_of("layer", level, seed)
    volumes = (15.0, 20.0, 25.0, 30.0, 40.0, 50.0)
    while True:
        names = chance.sample(MIXED if level == 3 else ORGANIC, 2 if level == 3 else 1)
        parts = [(Liquid(name, "organic", density), chance.choice(volumes)) for name, density in names]
        if level == 1:
            water = Liquid("water", "aqueous", water_density())
        elif level == 2:
            # No hydroxide: it splits esters and reacts with chloroform.
            formula, molar = chance.choice((("HCl", 1.0), ("Na2CO3", 0.5), ("NaCl", 5.0), ("NaHCO3", 0.6)))
            water = solution(f"{molar:g} mol/L {readable(formula)}", formula, molar)
        else:
            water = Liquid("water", "aqueous", water_density())
        case = Layers((*parts, (water, chance.choice(volumes))), chance.choice(("aqueous", "organic")))
        if case.settled.apart > 1.5 * CLOSE:
            return case
