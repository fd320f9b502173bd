"""What plates need to know of solvents: the eluotropic series, boiling points, strength and kind."""

from __future__ import annotations

from collections.abc import Iterable
from functools import cache

from helvor.core.laws.planar.solvents import Solvent
from helvor.shelf.shelf import Item, shipped


def boiling_points_of(items: Iterable[Item]) -> dict[str, float]:
    """Every name of every solvent among items, in lower case → its boiling point, °C."""
    return {
        name.casefold(): boils
        for item in items
        if item.kind == "solvent" and (boils := item.number("boils")) is not None
        for name in item.names
    }


@cache
def boiling_points() -> dict[str, float]:
    """The same for the shelf that ships."""
    return boiling_points_of(shipped())


def solvents_of(items: Iterable[Item]) -> list[Solvent]:
    """The solvents among items of a shelf, as the choice of an eluent looks at them."""
    return [
        Solvent(item.name, item.number("strength"), item.text("family"), item.number("boils"), item.text("hazard"))
        for item in items
        if item.kind == "solvent"
    ]


@cache
def eluotropic_rank() -> dict[str, int]:
    """Every name of every solvent in the series, in lower case → its place on silica, weakest first."""
    return {
        name.casefold(): int(rank)
        for item in shipped()
        if (rank := item.number("eluotropic_rank")) is not None
        for name in item.names
    }
