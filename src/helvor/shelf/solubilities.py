"""Solubilities over temperature that ship: a hand-kept table, every point with its source.

Grams in 100 mL of solvent; tables of grams in 100 g of water are taken as such.
"""

from __future__ import annotations

import csv
import io
from collections.abc import Sequence
from dataclasses import replace
from functools import cache
from importlib.resources import files

from helvor.core.laws.crystallization.solubility import Curve, Point, read_curve
from helvor.core.quantities.reading import Unreadable
from helvor.shelf.shelf import Item, known_as


@cache
def shelf_curves() -> dict[tuple[str, str], Curve]:
    """Every curve there is: substance and solvent, in lower case → its points."""
    points: dict[tuple[str, str], list[Point]] = {}
    table = (files("helvor.shelf") / "solubilities.csv").read_text(encoding="utf-8")
    for row in csv.DictReader(io.StringIO(table, newline="")):
        key = (row["substance"].casefold(), row["solvent"].casefold())
        points.setdefault(key, []).append(Point(float(row["celsius"]), float(row["grams"]), row["source"]))
    return {key: Curve(tuple(found)) for key, found in points.items()}


def read_dissolves(text: str, source: str = "") -> dict[str, Curve]:
    """An institution's own curves as they are typed: ``water: 0.56 at 25, 5.55 at 100 | ethanol: 20 at 20, 60 at 78``.

    Raises:
        Unreadable: a part is no solvent with at least two points.
    """
    found = {}
    for part in text.split("|"):
        solvent, colon, points = part.partition(":")
        if not colon or not solvent.strip():
            raise Unreadable("Enter a solvent and its points, such as water: 0.56 at 25, 5.55 at 100.")
        typed = read_curve(points)
        found[solvent.strip().casefold()] = Curve(tuple(replace(point, source=source) for point in typed.points))
    return found


def curve_in(items: Sequence[Item], substance: str, solvent: str) -> Curve | None:
    """The curve of a substance in a solvent on a house's shelf, or None."""
    return dict(curves_of(items, substance)).get(solvent.casefold())


def curves_of(items: Sequence[Item], substance: str) -> list[tuple[str, Curve]]:
    """Solvents in which a substance's curve is known, with it, by their names; own ones over what ships.

    Where no curve is known, the two values for water make one: at 20 °C and near 100 °C.
    """
    item = known_as(items, substance, ("substance",))
    name = (item.name if item is not None else substance).casefold()
    found = {solvent: curve for (known, solvent), curve in shelf_curves().items() if known == name}
    cold, hot = (item.values.get(key) if item is not None else None for key in ("solubility", "solubility_hot"))
    if "water" not in found and cold is not None and hot is not None and cold.number and hot.number:
        found["water"] = Curve((Point(20, cold.number, cold.source), Point(100, hot.number, hot.source)))
    own = item.values.get("dissolves") if item is not None else None
    if own is not None:
        found |= read_dissolves(own.text, f"{own.source}, {own.by}" if own.by else own.source)
    return sorted(found.items())
