"""What a funnel needs to know of what is on the shelf: liquids as layers, substances as acids and bases."""

from __future__ import annotations

import re
from collections.abc import Sequence

from helvor.core.laws.extraction.acid_base import Acts
from helvor.core.laws.extraction.layers import Liquid
from helvor.core.laws.extraction.layers import solution as solution_of
from helvor.core.laws.extraction.solutions import solution_density, water_density
from helvor.core.record.procedure import Substance
from helvor.core.techniques.extraction.scheme import Part
from helvor.shelf.shelf import Item, known_as

BRINE = 0.26
"""Mass fraction of sodium chloride in brine: saturated, as it stands in the bottle. Common practice."""


def liquid_named(name: str, shelf: Sequence[Item]) -> Liquid | None:
    """A liquid of the shelf by any of its names; water and brine too. None where its density is not known."""
    said = name.strip().casefold()
    if said == "water":
        return Liquid("water", "aqueous", water_density())
    if said in ("brine", "saturated sodium chloride", "saturated brine"):
        return Liquid("brine", "aqueous", solution_density("NaCl", BRINE), salty=True)
    item = known_as(shelf, name, ("solvent",))
    if item is None:
        return None
    density = item.number("density")
    if density is None:
        return None
    both = item.text("mixes_with_water") == "yes"
    return Liquid(
        item.name,
        "both" if both else "organic",
        density,
        item.number("log_p"),
        takes_up=item.number("takes_up_water") or 0.0,
    )


def solvent_named(name: str, shelf: Sequence[Item]) -> Substance | None:
    """A solvent of the shelf as a procedure knows it; None where its density is not known."""
    item, liquid = known_as(shelf, name, ("solvent",)), liquid_named(name, shelf)
    if item is None or liquid is None:
        return None
    return Substance(
        name=item.name,
        role="solvent",
        density=liquid.density,
        layer=liquid.makes,
        boils=item.number("boils"),
        flammable=item.flammable,
        hazards=item.text("hazard"),
        waste=item.text("waste"),
    )


_SOLUTION = re.compile(r"^(\d+(?:\.\d+)?)\s*(?:M|mol/L)\s+(.+)$")
_DILUTE = re.compile(r"^dil(?:uted?|\.)?\s+(.+)$", re.IGNORECASE)
"""A dilute solution is as dense as water, near enough to say which layer is below. Of a saturated one, or one of
unknown strength, nothing is said: saturated potassium carbonate sinks in dichloromethane, which water floats on."""


def as_liquid(name: str, shelf: Sequence[Item]) -> Substance | None:
    """What somebody calls a liquid, under that name: a solvent, water, brine, a solution of something in water.

    None where the shelf does not know it.

    >>> from helvor.shelf.shelf import shipped
    >>> base = as_liquid("1 M sodium hydroxide", shipped())
    >>> base.name, base.formula, base.molar, base.layer
    ('1 M sodium hydroxide', 'NaOH', 1.0, 'aqueous')
    """
    said = " ".join(name.split())
    if not 0 < len(said) <= 40:
        return None
    solvent = solvent_named(said, shelf)
    if solvent is not None:
        return solvent.model_copy(update={"name": said})
    liquid = liquid_named(said, shelf)
    if liquid is not None:
        return Substance(name=said, role="solvent", density=round(liquid.density, 4), layer=liquid.makes)
    if of := _SOLUTION.match(said):
        molar, item = float(of[1]), known_as(shelf, of[2], ("substance",))
        if item is not None and item.formula and 0 < molar <= 30:
            density = round(solution_of(said, item.formula, molar).density, 4)
            return Substance(name=said, formula=item.formula, molar=molar, density=density, layer="aqueous")
    if of := _DILUTE.match(said):
        item = known_as(shelf, of[1], ("substance",))
        if item is not None and item.formula:
            return Substance(name=said, layer="aqueous", density=round(water_density(), 4))
    return None


def as_known(name: str, shelf: Sequence[Item]) -> Substance | None:
    """What somebody calls a liquid or a solid, under that name, with all that the shelf knows; None where it does not.

    >>> from helvor.shelf.shelf import shipped
    >>> as_known("salicylic acid", shipped()).formula
    'C7H6O3'
    """
    liquid = as_liquid(name, shelf)
    if liquid is not None:
        return liquid
    said = " ".join(name.split())
    item = known_as(shelf, said, ("substance",)) if 0 < len(said) <= 40 else None
    if item is None:
        return None
    return Substance(
        name=said,
        formula=item.formula,
        melts=item.number("melts"),
        boils=item.number("boils"),
        flammable=item.flammable,
        hazards=item.text("hazard"),
        waste=item.text("waste"),
    )


def part_named(name: str, shelf: Sequence[Item]) -> Part | None:
    """A substance of the shelf as a component of a mixture, 1 g of it; without a pKa it is neutral."""
    item = known_as(shelf, name, ("substance",))
    if item is None:
        return None
    pka = item.values.get("pka")
    acts: Acts = "neutral"
    if pka is not None:
        acts = "base" if "conjugate acid" in pka.source else "acid"
    hundredth = item.number("solubility")
    return Part(
        item.name,
        item.formula,
        1.0,
        acts,
        pka.number if pka is not None else None,
        item.number("log_p"),
        item.number("melts"),
        hundredth * 10 if hundredth is not None else None,
    )
