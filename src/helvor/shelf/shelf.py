"""The shelf: solvents, substances, papers, layers and glassware, every value with its source.

What ships is built by ``./helvor shelf`` into ``names.csv`` and ``values.csv``. An
institution lays its own values over it; what they cover stays readable.
"""

from __future__ import annotations

import csv
import io
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, field, replace
from functools import cache
from importlib.resources import files
from typing import Literal

from helvor.core.quantities.formula import molar_mass

Kind = Literal["solvent", "substance", "precipitate", "paper", "layer", "glass", "hazard", "waste"]
KINDS: dict[str, str] = {
    "solvent": "Solvents",
    "substance": "Substances",
    "precipitate": "Precipitates",
    "paper": "Papers",
    "layer": "Layers",
    "glass": "Glassware",
    "hazard": "Hazards",
    "waste": "Waste",
}


@dataclass(frozen=True, slots=True)
class Property:
    """What can be known of an item: its words, unit, and whether it is a number."""

    key: str
    words: str
    unit: str = ""
    is_number: bool = True
    least: float = 0.0
    most: float = 1e5


PROPERTIES: dict[str, Property] = {
    p.key: p
    for p in (
        Property("density", "density, 20 °C", "g/mL", least=0.3, most=25),
        Property("melts", "melts", "°C", least=-280, most=4000),
        Property("boils", "boils", "°C", least=-280, most=6000),
        Property("pka", "pKa", least=-12, most=40),
        Property("log_p", "log P", least=-12, most=20),
        Property("solubility", "solubility in 100 mL water, 20 °C", "g"),
        Property("solubility_hot", "solubility in 100 mL water, near 100 °C", "g"),
        Property("dissolves", "solubility vs temperature, such as water: 0.56 at 25, 5.55 at 100", is_number=False),
        Property("pksp", "solubility product as pKsp, 25 °C", least=-5, most=100),
        Property("eluotropic_rank", "rank by eluent strength on silica"),
        Property("strength", "eluent strength ε° on alumina", most=2),
        Property("family", "class, by its interactions", is_number=False),
        Property("mixes_with_water", "miscible with water", is_number=False),
        Property("takes_up_water", "water solubility in it", "% w/w", most=100),
        Property("flash", "flash point", "°C", least=-150, most=1000),
        Property("ignites", "autoignition temperature", "°C", least=50, most=2000),
        Property("limit", "exposure limit in air", is_number=False),
        Property("carcinogen", "cancer lists", is_number=False),
        Property("hazard", "hazard", is_number=False),
        Property("signal", "signal word", is_number=False),
        Property("waste", "waste", is_number=False),
        Property("waste_first", "treat first", is_number=False),
        Property("caution", "common caution", is_number=False),
        Property("holds", "accepts", is_number=False),
        Property("never_with", "never accepts", is_number=False),
        Property("diameter", "diameter", "mm"),
        Property("width", "width", "mm"),
        Property("height", "height", "mm"),
        Property("particles", "retains particles from", "µm"),
        Property("ash", "ash", "mg"),
        Property("thickness", "thickness", "mm"),
        Property("indicator", "indicator", "nm"),
        Property("volume", "volume", "mL"),
        Property("tolerance", "tolerance", "mL"),
    )
}

MARKS: tuple[tuple[str, str, str], ...] = (
    ("handbook", "chemicals library", "handbook or database"),
    ("published", "ISO", "published standard"),
    ("practice", "common practice", "common practice"),
    ("memory", "memory", "from memory, to be checked"),
)
"""Mark, what a source contains to get it, and its words; the first that fits."""


@dataclass(frozen=True, slots=True)
class Value:
    """A value with its source.

    Attributes:
        own: an institution put it there; ``covers`` is what it laid over, if anything.
        by: who, for own values.
    """

    text: str
    source: str
    own: bool = False
    by: str = ""
    covers: Value | None = None

    @property
    def number(self) -> float | None:
        try:
            return float(self.text)
        except ValueError:
            return None

    @property
    def mark(self) -> str:
        """Which mark stands beside it."""
        if self.own:
            return "own"
        return next((mark for mark, part, _ in MARKS if part.casefold() in self.source.casefold()), "memory")


@dataclass(frozen=True, slots=True)
class Item:
    """Something on the shelf."""

    kind: str
    name: str
    also: tuple[str, ...] = ()
    cas: str = ""
    formula: str = ""
    values: Mapping[str, Value] = field(default_factory=dict)

    def number(self, key: str) -> float | None:
        """A value as a number, or None."""
        value = self.values.get(key)
        return value.number if value is not None else None

    def text(self, key: str) -> str:
        value = self.values.get(key)
        return value.text if value is not None else ""

    @property
    def molar_mass(self) -> float | None:
        """g/mol, computed from the formula."""
        return molar_mass(self.formula) if self.formula else None

    @property
    def flammable(self) -> bool:
        return "flammable" in self.text("hazard")

    @property
    def names(self) -> tuple[str, ...]:
        return (self.name, *self.also)


@dataclass(frozen=True, slots=True)
class OwnValue:
    """What an institution put on the shelf; newest last."""

    kind: str
    item: str
    key: str
    text: str
    source: str
    by: str


def _rows(name: str) -> list[dict[str, str]]:
    table = (files(__package__) / name).read_text(encoding="utf-8")
    return list(csv.DictReader(io.StringIO(table, newline="")))


@cache
def shipped() -> tuple[Item, ...]:
    """Everything that ships, in the order of the files."""
    values: dict[tuple[str, str], dict[str, Value]] = {}
    for row in _rows("values.csv"):
        values.setdefault((row["kind"], row["name"]), {})[row["property"]] = Value(row["value"], row["source"])
    return tuple(
        Item(
            kind=row["kind"],
            name=row["name"],
            also=tuple(name.strip() for name in row["also"].split(";") if name.strip()),
            cas=row["cas"],
            formula=row["formula"],
            values=values.get((row["kind"], row["name"]), {}),
        )
        for row in _rows("names.csv")
    )


def with_own(own: Iterable[OwnValue]) -> list[Item]:
    """What ships with an institution's values laid over; items that only it has come last."""
    items = {(item.kind, item.name.casefold()): item for item in shipped()}
    for one in own:
        place = (one.kind, one.item.casefold())
        item = items.get(place) or Item(kind=one.kind, name=one.item)
        if one.key == "formula":
            items[place] = replace(item, formula=one.text)
            continue
        before = item.values.get(one.key)
        covered = before.covers if before is not None and before.own else before
        value = Value(one.text, one.source, own=True, by=one.by, covers=covered)
        items[place] = replace(item, values={**item.values, one.key: value})
    return list(items.values())


def find(items: Sequence[Item], text: str, kinds: Sequence[str] = ()) -> list[Item]:
    """Items by name, synonym, CAS number or formula; whole names first, then beginnings, then parts."""
    wanted = " ".join(text.split()).casefold()

    def rank(item: Item) -> int | None:
        if kinds and item.kind not in kinds:
            return None
        names = [name.casefold() for name in item.names]
        if not wanted or wanted in names or wanted == item.cas or wanted == item.formula.casefold():
            return 0
        if any(name.startswith(wanted) for name in names):
            return 1
        return 2 if any(wanted in name for name in names) else None

    ranked = [(found, i) for i, item in enumerate(items) if (found := rank(item)) is not None]
    return [items[i] for _, i in sorted(ranked)]


def known_as(items: Sequence[Item], text: str, kinds: Sequence[str]) -> Item | None:
    """The item that a whole name, synonym, CAS number or formula means, or None."""
    found = find(items, text, kinds)[:1]
    wanted = " ".join(text.split()).casefold()
    names = {n.casefold() for item in found for n in (*item.names, item.cas, item.formula)}
    return found[0] if wanted and wanted in names else None


def tolerance_of(glass: str) -> float | None:
    """The tolerance of a piece of glassware on the shelf, mL: by its whole name, else of the only class that is known.

    >>> tolerance_of("pipette 25 mL, class A"), tolerance_of("cylinder 25 mL"), tolerance_of("teacup")
    (0.03, 0.25, None)
    """
    found = [item for item in find(shipped(), glass, ["glass"]) if item.number("tolerance") is not None]
    exact = [item for item in found if item.name.casefold() == " ".join(glass.split()).casefold()]
    known = exact or found
    return known[0].number("tolerance") if len(known) == 1 and glass.strip() else None


def formula_of(shelf: Sequence[Item], name: str) -> str:
    """The formula of a name in the reference data; the name itself where it is none there."""
    item = known_as(shelf, name, ("substance", "precipitate", "solvent"))
    return item.formula or name if item is not None else name
