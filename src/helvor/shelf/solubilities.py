"""Solubilities over temperature that ship: a hand-kept table, every point with its source.

Grams in 100 mL of solvent; tables of grams in 100 g of water are taken as such.
"""

from __future__ import annotations

import csv
from functools import cache
from importlib.resources import files

from helvor.bench.crystallization.solubility import Curve, Point


@cache
def shelf_curves() -> dict[tuple[str, str], Curve]:
    """Every curve there is: substance and solvent, in lower case → its points."""
    points: dict[tuple[str, str], list[Point]] = {}
    with (files("helvor.shelf") / "solubilities.csv").open(encoding="utf-8", newline="") as file:
        for row in csv.DictReader(file):
            key = (row["substance"].casefold(), row["solvent"].casefold())
            points.setdefault(key, []).append(Point(float(row["celsius"]), float(row["grams"]), row["source"]))
    return {key: Curve(tuple(found)) for key, found in points.items()}


def curve_in(substance: str, solvent: str) -> Curve | None:
    """The curve of a substance in a solvent, or None."""
    return shelf_curves().get((substance.casefold(), solvent.casefold()))


def curves_of(substance: str) -> list[tuple[str, Curve]]:
    """Solvents in which a substance's curve is known, with it, in the order of their names."""
    found = [(solvent, curve) for (name, solvent), curve in shelf_curves().items() if name == substance.casefold()]
    return sorted(found, key=lambda pair: pair[0])
