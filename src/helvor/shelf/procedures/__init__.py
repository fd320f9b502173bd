"""The procedures that ship: a library to begin from; the demo's classes and practice runs follow some of them."""

from __future__ import annotations

from collections.abc import Mapping
from functools import cache
from importlib.resources import files
from types import MappingProxyType

from helvor.core.record.procedure import Procedure, read_procedure

PRACTISES: Mapping[str, str] = MappingProxyType(
    {
        "sand-out-of-sea-salt": "gravity filtration through a quarter-folded cone, evaporating",
        "copper-from-the-blue-jar": "decanting and rinsing, limiting reagent",
        "water-in-a-blue-crystal": "heating to constant mass",
        "colours-of-a-leaf": "pigments on a paper strip",
        "which-pen-signed-it": "inks in three eluents, a strip to identify",
        "black-powder-from-a-blue-salt": "precipitate decanted, twisted cone, yield",
        "chalk-from-two-solutions": "precipitation, rinsing by decanting, yield",
        "phosphate-in-plant-food": "precipitate rinsed and dried overnight in air, content",
        "deep-blue-crystals": "vacuum filtration on a weighed paper, yield",
        "sulfate-in-garden-salt": "content by weighing, two parallels and a blank paper",
        "chloride-in-a-crucible": "content in a filter crucible, scarce kit",
        "what-floats-in-the-pond": "vacuum filtration on a weighed glass-fibre filter",
        "alum-from-kitchen-foil": "dissolving a metal, growing crystals",
        "a-mixed-powder": "subliming, dissolving, evaporating",
        "fat-in-crisps": "extraction of a solid by solvent",
        "clean-by-cooling": "choosing a solvent, recrystallization from water",
        "same-melt-same-thing": "mixed melting ranges",
        "inside-the-tablet": "thin-layer chromatography beside references",
        "one-round-spot-or-two": "co-spot in two eluents",
        "one-large-or-three-small": "single and repeated extraction",
        "caffeine-out-of-tea": "work-up with an emulsion",
        "three-from-one": "acid, base and neutral separated in the funnel",
        "pear-drop-ester": "reflux, washing and drying an organic layer",
        "acid-out-of-an-ester": "reflux, precipitation with acid",
        "yellow-crystals-bare-on-a-dish": "suction, organic crystals dried bare on a dish",
        "acetanilide-made-clean": "hot filtration with charcoal, recrystallization",
        "colours-of-iron": "column with fractions",
    }
)
"""Every procedure that ships, by the name of its file → what it practises; by level, the simpler first."""


@cache
def shipped_procedure(name: str) -> Procedure:
    """A procedure by the name of its file, such as ``a-mixed-powder``.

    Raises:
        FileNotFoundError: none of that name ships.
    """
    return read_procedure((files(__name__) / f"{name}.json").read_text(encoding="utf-8"))
