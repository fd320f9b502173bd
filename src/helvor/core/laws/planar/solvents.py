"""Choosing another solvent, and how long a mixture stays what it was.

Solvents 1. Strength moves every compound alike; another *kind* of solvent pulls on other groups and
            can move one past the other. Kinds after what a solvent gives and takes: L. R. Snyder,
            J. Chromatogr. 1974, 92, 223, in general words.
Solvents 2. The part of a mixture that boils lowest leaves first. How long that takes in a closed but
            often opened bottle is common practice, no source.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from helvor.core.laws.planar.eluent import Eluent
from helvor.core.quantities.reading import Unreadable, round_to

PULLS: dict[str, str] = {
    "alkane": "dispersion forces only",
    "aromatic": "π interactions with flat, electron-poor rings",
    "ether": "accepts hydrogen bonds, donates none",
    "chlorinated": "donates weak hydrogen bonds",
    "ester or ketone": "dipole interactions, accepts hydrogen bonds",
    "nitrile": "dipole interactions",
    "alcohol": "donates and accepts hydrogen bonds",
    "acid": "donates hydrogen bonds, reduces tailing of acids",
    "water": "strongest hydrogen-bond donor and acceptor",
}
"""Kind of solvent → what it pulls on."""
ALIKE_BOILING = 8.0
"""Parts that boil this near, °C, leave together."""
FRESH_HOURS: tuple[tuple[float, float], ...] = ((45.0, 2.0), (62.0, 4.0), (82.0, 8.0))
"""Boiling point of the most volatile part up to … °C → hours that a mixture counts as fresh; a week above."""
WEEK = 168.0


@dataclass(frozen=True, slots=True)
class Solvent:
    """What is known of a solvent: eluent strength ε° on alumina, its kind, boiling point in °C."""

    name: str
    strength: float | None = None
    family: str = ""
    boils: float | None = None
    hazard: str = ""


@dataclass(frozen=True, slots=True)
class Other:
    """A solvent of another kind: how much stronger (ε°), what it pulls on, what is to be minded."""

    name: str
    family: str
    stronger_by: float
    pulls: str
    hazard: str


def other_kinds(name: str, known: Sequence[Solvent], most: int = 5) -> list[Other]:
    """Solvents of other kinds than *name*, the nearest in strength first, one or two of a kind.

    Raises:
        Unreadable: nothing is known of it.

    >>> known = [Solvent("ethyl acetate", 0.58, "ester or ketone"), Solvent("acetone", 0.56, "ester or ketone"),
    ...          Solvent("dichloromethane", 0.42, "chlorinated"), Solvent("hexane", 0.01, "alkane")]
    >>> [other.name for other in other_kinds("ethyl acetate", known)]
    ['dichloromethane']
    """
    own = next((s for s in known if s.name.casefold() == name.casefold()), None)
    if own is None or own.strength is None or not own.family:
        raise Unreadable(f"“{name[:40]}” has no eluent strength and class in the reference data.")
    strength = own.strength
    others = sorted(
        (
            Other(s.name, s.family, s.strength - strength, PULLS.get(s.family, ""), s.hazard)
            for s in known
            if s.strength is not None and s.family and s.family not in (own.family, "alkane")
        ),
        key=lambda other: (abs(other.stronger_by), other.name),
    )
    taken: dict[str, int] = {}
    kept = []
    for other in others:
        taken[other.family] = taken.get(other.family, 0) + 1
        if taken[other.family] <= 2:
            kept.append(other)
    return kept[:most]


@dataclass(frozen=True, slots=True)
class Freshness:
    """How an eluent bottle stands: hours it counts as fresh, the part that leaves first, and what to say."""

    hours: float
    first: str
    fresh: bool
    says: str


def freshness(eluent: Eluent, age: float, boils: Mapping[str, float]) -> Freshness | None:
    """Whether a mixture is still what was mixed (Solvents 2).

    Args:
        age: hours since it was made.
        boils: boiling points, °C, by name in lower case.

    Returns:
        None where a boiling point is not known. A single solvent never changes.
    """
    parts = [(c.name, c.percent, boils.get(c.name.casefold())) for c in eluent.components]
    if any(point is None for _, _, point in parts):
        return None
    points = [(point, name) for name, _, point in parts if point is not None]
    lowest, first = min(points)
    if len(points) == 1:
        return Freshness(WEEK, "", age <= WEEK, "A single solvent does not change as it evaporates.")
    if max(points)[0] - lowest <= ALIKE_BOILING:
        return Freshness(WEEK, "", age <= WEEK, "Its parts evaporate together: the composition does not change.")
    hours = next((hours for limit, hours in FRESH_HOURS if lowest <= limit), WEEK)
    if age <= hours:
        return Freshness(
            hours,
            first,
            True,
            f"{first[:1].upper()}{first[1:]} evaporates first: mix a fresh batch after {_span(hours)}.",
        )
    return Freshness(
        hours,
        first,
        False,
        f"Mixed {_span(age)} ago: {first} has partly evaporated, so Rf values have changed since it was mixed. Mix "
        "a fresh batch.",
    )


def _span(hours: float) -> str:
    if hours < 1:
        return f"{round_to(60 * hours, 0)} min"
    if hours < 48:
        return f"{round_to(hours, 0)} h"
    return f"{round_to(hours / 24, 0)} days"
