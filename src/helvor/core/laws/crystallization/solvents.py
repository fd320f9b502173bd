"""Which solvent to recrystallize from: what is known of it, what test tubes say, and in what order to try.

Choose 1. Much dissolves hot, little cold. From figures: a fifth or less of the hot stays dissolved cold.
Choose 2. It boils below the solid's melting point, or the solid comes out as an oil; some solids melt
          under the hot solvent well below their dry melting point, which decides then.
Choose 3. It does not react with the solid, and leaves easily: boiling below some 120 °C.
Choose 4. In a test tube: what dissolves cold is too good a solvent, what stays hot too poor a one;
          what comes back as crystals is right. A good and a poor one that mix make a pair.
Choose 5. Of what suits, the less hazardous comes first. Common practice throughout.
"""

from __future__ import annotations

import itertools
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, field
from typing import Literal

from helvor.core.quantities.reading import digits

HAZARD = {
    "water": 0,
    "ethanol": 1,
    "acetone": 1,
    "ethyl acetate": 1,
    "heptane": 2,
    "hexane": 3,
    "methanol": 3,
    "toluene": 3,
    "dichloromethane": 3,
    "diethyl ether": 3,
}
"""How careful one has to be, 0 to 3; 2 for others. Common practice; the bottle's sheet and local rules decide."""
UNKNOWN_HAZARD = 2
STEEP = 5.0
"""Hot over cold solubility from which a solvent is steep enough (Choose 1)."""
LEAST_HOT = 2.0
"""g in 100 mL hot below which too much solvent is needed. Common practice."""
LEAVES = 120.0
"""°C: a solvent that boils higher leaves the crystals slowly (Choose 3)."""

Much = Literal["", "none", "some", "all"]
Cooled = Literal["", "crystals", "oil", "nothing"]
Level = Literal["good", "note", "caution", "stop"]

SUITS: dict[Level, str] = {"good": "suitable", "note": "usable", "caution": "doubtful", "stop": "unsuitable"}
"""What people read for how well a solvent suits."""


@dataclass(frozen=True, slots=True)
class Tried:
    """A test tube: how much dissolved cold and at the boil, and what came on cooling."""

    solvent: str
    cold: Much = ""
    hot: Much = ""
    cooled: Cooled = ""


@dataclass(frozen=True, slots=True)
class Candidate:
    """A solvent and what is known of it with one solid.

    Attributes:
        boils: °C; cold, hot: g in 100 mL; hazard: 0 harmless to 3; reacts: with this solid.
    """

    name: str
    boils: float | None = None
    cold: float | None = None
    hot: float | None = None
    hazard: int = 1
    reacts: bool = False
    flammable: bool = False
    tried: Tried | None = None


@dataclass(frozen=True, slots=True)
class Judged:
    """A solvent judged: how it stands, a score for the order, why."""

    name: str
    level: Level
    score: float
    why: tuple[str, ...] = field(default=())

    @property
    def word(self) -> str:
        """How well it suits, as people read it."""
        return SUITS[self.level]


def rate_tube(tried: Tried) -> tuple[Level, float, str] | None:
    """What a test tube says (Choose 4); None where it was not looked at enough."""
    if tried.cold == "all":
        return "caution", -2.0, "soluble cold: too good a solvent alone; use it in a solvent pair"
    if tried.hot == "none":
        return "caution", -2.0, "insoluble at the boil: too poor a solvent alone; use it in a solvent pair"
    if tried.cooled == "oil":
        return "stop", -4.0, "it separated as an oil"
    if tried.cooled == "crystals" and tried.hot == "all":
        return "good", 3.0, "dissolved hot, crystals on cooling"
    if tried.cooled == "crystals":
        return "note", 1.0, "crystals on cooling, but not all dissolved hot: use more solvent"
    if tried.cooled == "nothing":
        return (
            "caution",
            -1.0,
            "no crystals on cooling: too much solvent, or supersaturated; scratch, seed, cool in ice",
        )
    return None


_Rating = tuple[Level, float, str]
"""A level, what it adds to the score, and why."""
_LEVELS: tuple[Level, ...] = ("good", "note", "caution", "stop")


def _by_boiling(one: Candidate, melts: float | None, melts_wet: float | None) -> Iterator[_Rating]:
    """Whether it boils above where the solid melts, and whether it evaporates."""
    if one.boils is None:
        return
    limit = melts_wet if melts_wet is not None else melts
    if limit is not None and one.boils >= limit:
        under = "under it" if melts_wet is not None else "dry"
        words = f"it boils at {digits(one.boils, 3)} °C, the solid melts at {digits(limit, 3)} °C {under}"
        yield "caution", -3, f"{words}: it may separate as an oil"
    if one.boils > LEAVES:
        yield "note", -0.5, f"it boils at {digits(one.boils, 3)} °C and evaporates slowly"


def _by_solubility(hot: float, cold: float) -> _Rating:
    """Whether it dissolves much hot and little cold."""
    steep = hot / cold if cold > 0 else float("inf")
    if hot < LEAST_HOT:
        return "caution", -2, f"only {digits(hot, 2)} g dissolve in 100 mL hot"
    if steep < STEEP:
        return "caution", -2, f"hot it dissolves only {digits(steep, 2)} times as much as cold"
    return "good", min(3.0, steep / 10 + 1), f"hot it dissolves {digits(steep, 2)} times as much as cold"


def rate_solvent(one: Candidate, melts: float | None, melts_wet: float | None = None) -> Judged:
    """One solvent for a solid (Choose 1 to 5).

    Args:
        melts: °C, dry; melts_wet: under this solvent, where that is known to be lower.
    """
    ratings: list[_Rating] = [("stop", -6, "it reacts with the solid")] if one.reacts else []
    ratings += _by_boiling(one, melts, melts_wet)
    known = one.hot is not None and one.cold is not None
    if one.hot is not None and one.cold is not None:
        ratings.append(_by_solubility(one.hot, one.cold))
    tube = rate_tube(one.tried) if one.tried is not None else None
    if tube is not None:
        ratings.append(tube)
    elif not known:
        ratings.append(("note", 0, "not known: try it in a test tube"))
    score = sum(by for _, by, _ in ratings) - 0.6 * (one.hazard or 0)
    why = [words for *_, words in ratings]
    if one.flammable:
        why.append("flammable: no flame, in the hood")
    level: Level = max((level for level, _, _ in ratings), key=_LEVELS.index, default="good")
    return Judged(one.name, level, round(score, 2), tuple(why))


def rank(candidates: Sequence[Candidate], melts: float | None, wet: Mapping[str, float] | None = None) -> list[Judged]:
    """All of them, the best first; what must not be taken last.

    >>> [one.name for one in rank([Candidate("hexane", 69, 0.01, 0.2, 2), Candidate("water", 100, 0.5, 5.0, 0)], 114)]
    ['water', 'hexane']
    """
    order = ("good", "note", "caution", "stop")
    judged = [rate_solvent(one, melts, (wet or {}).get(one.name)) for one in candidates]
    return sorted(judged, key=lambda one: (order.index(one.level), -one.score, one.name))


def pairs(tried: Sequence[Tried], mix: Sequence[frozenset[str]] = ()) -> list[tuple[str, str]]:
    """A good and a poor solvent each, to be tried as a pair (Choose 4).

    Args:
        mix: pairs of names, lower case, that are known not to mix.
    """
    good = [one.solvent for one in tried if one.cold == "all"]
    poor = [one.solvent for one in tried if one.hot == "none"]
    apart = set(mix)
    return [(a, b) for a, b in itertools.product(good, poor) if frozenset((a.casefold(), b.casefold())) not in apart]
