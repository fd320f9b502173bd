"""A separating funnel as it was handled: what is where, how cloudy the boundary is, what an unopened tap does.

Virtual funnel 1. Both layers come to the pH that the balance of charges gives, and every substance shares itself out
                  by D at that pH (:mod:`helvor.core.laws.extraction.acid_base`).
Virtual funnel 2. Shaking makes a rag at the boundary: none when it is swirled, 2 % of the volume when it is inverted,
                  12 % when it is shaken hard; half as much again above pH 10, where salts of acids act as soap. Sizes:
                  common practice. A rag holds both layers in equal parts.
Virtual funnel 3. Pressure: the solvent's vapour at hand warmth, and carbon dioxide from carbonate and acid, over the
                  air that is left in the funnel, by the law of ideal gases. Not let out, it spurts.
Virtual funnel 4. Vapour pressure is :func:`helvor.core.devices.models.vapour`.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace

from helvor.core.devices.models import AIR, vapour
from helvor.core.laws.extraction.acid_base import Solute, Water, gas_of, ph_of
from helvor.core.laws.extraction.layers import CUTS, Cut
from helvor.core.quantities.reading import Unreadable

RAGS = {"swirled": 0.0, "inverted": 0.02, "shaken": 0.12}
SOAPY = 10.0
"""pH from which a rag is half as large again (Virtual funnel 2)."""
SPURTS = 250.0
"""mbar over the air at which an opened stopper sprays. Common practice."""
SPRAYED = 0.08
"""Part of both layers that is lost then. Common practice."""


@dataclass(frozen=True, slots=True)
class Shared:
    """Two layers at rest.

    Attributes:
        ph: of the water; organic, water: mol of each substance in the layer; rag: mL at the boundary; gas: mL of CO₂.
    """

    ph: float
    organic: Mapping[str, float]
    water: Mapping[str, float]
    rag: float
    gas: float


def shake(
    mol: Mapping[str, float], substances: Sequence[Solute], organic: float, water: Water, how: str = "inverted"
) -> Shared:
    """Shake substances (mol) between an organic layer, mL, and a water layer (Virtual funnel 1 and 2).

    Raises:
        Unreadable: the way is not known, or a layer is missing.
    """
    if how not in RAGS:
        raise Unreadable(f"Choose a way to mix: {', '.join(RAGS)}.")
    if not (organic > 0 and water.volume > 0):
        raise Unreadable("Enter two liquids that form two layers.")
    there = [replace(one, mol=mol.get(one.name, 0.0)) for one in substances]
    ph = ph_of(water, there, organic)
    up = {one.name: one.mol * one.in_organic(ph, water.volume, organic) for one in there}
    rag = RAGS[how] * (organic + water.volume) * (1.5 if ph > SOAPY else 1.0)
    return Shared(ph, up, {one.name: one.mol - up[one.name] for one in there}, rag, gas_of(water, ph))


def pressure(boiling: float, gas: float, space: float, celsius: float = 30.0) -> float:
    """mbar over the air in a closed funnel (Virtual funnel 3).

    Args:
        gas: mL of CO₂ at air pressure; space: mL of air left over the liquid.

    Raises:
        Unreadable: there is no room over the liquid.
    """
    if not space > 0:
        raise Unreadable("Enter less liquid than the funnel's volume.")
    return vapour(boiling, celsius) + AIR * gas / space


NECK = 1.25
"""A funnel holds a quarter more to its stopper than it is named for. Common practice."""


def room(funnel: float, liquid: float) -> float:
    """mL of air over so much liquid, mL, in a funnel that is named for so many mL."""
    return NECK * funnel - liquid


WAYS = {"sharp": "sharp", "left": "leave-some"}
FILM = 0.3
"""mL of the other layer that come along with a rag that is let through, besides half of the rag."""


def cut(rag: float, how: str) -> Cut:
    """Draw the lower layer off: *sharp*, with some of it *left* behind, or with the rag *along*.

    Without a rag each costs :data:`helvor.core.laws.extraction.layers.CUTS`; half of a rag, mL, is of each layer.

    Raises:
        Unreadable: another way.
    """
    if how == "along":
        return Cut(0.0, FILM + rag / 2)
    if how not in WAYS:
        raise Unreadable("Choose a cut: exact, with some left behind, or with the emulsion.")
    usual = CUTS[WAYS[how]]
    return Cut(usual.behind + rag / 2, usual.along)
