"""Solvents of an eluent that do not mix: two layers in the chamber are no eluent."""

from __future__ import annotations

from collections.abc import Iterator

from helvor.core.hazards.care import named
from helvor.core.laws.planar.eluent import Eluent
from helvor.core.quantities.reading import Unreadable
from helvor.core.record.finding import Finding
from helvor.core.techniques.planar.plate_case import Case

TAKES_UP = 5.0
"""% by volume from which a liquid that does not mix with water stands as a layer of its own, and from which a third
liquid that mixes with both may hold the two together. Common practice, no source."""


def two_layers(eluent: Eluent) -> tuple[str, str] | None:
    """Water and the liquid that it does not mix with, where nothing else holds them together; None where they mix.

    >>> from helvor.core.laws.planar.eluent import parse_eluent
    >>> two_layers(parse_eluent("water : heptane 1 : 1"))
    ('water', 'heptane')
    >>> two_layers(parse_eluent("butan-1-ol : acetic acid : water 4 : 1 : 1")) is None
    True
    """
    water, other, holds = 0.0, list[tuple[float, str]](), 0.0
    for part in eluent.components:
        care = next(iter(named(part.name)), None)
        if care is None or care.mixes is None:
            holds += part.percent  # of what is not known, nothing is said
        elif care.name == "water":
            water += part.percent
        elif care.mixes:
            holds += part.percent
        else:
            other.append((part.percent, part.name))
    if water < TAKES_UP or holds >= TAKES_UP or sum(percent for percent, _ in other) < TAKES_UP:
        return None
    return "water", max(other)[1]


def refuse_two_layers(eluent: Eluent) -> None:
    """Raise where an eluent would stand in two layers.

    Raises:
        Unreadable: with both liquids, and what to enter.
    """
    apart = two_layers(eluent)
    if apart is not None:
        raise Unreadable(f"{apart[0].capitalize()} and {apart[1]} do not mix: {MIX}")


MIX = "enter solvents that mix, or add one that mixes with both, such as ethanol or acetone."


def eluent_in_two_layers(case: Case) -> Iterator[Finding]:
    """The eluent on record cannot be one liquid."""
    eluent = case.sheet.plate.eluent
    apart = two_layers(eluent) if eluent is not None else None
    if eluent is not None and apart is not None:
        yield Finding(
            "eluent-two-layers",
            "caution",
            f"{apart[0].capitalize()} and {apart[1]} do not mix, so {eluent.written} stands in two layers.",
            "The plate stands in one of them only, and its Rf values are those of that layer.",
            "If one layer was used, enter that; otherwise use solvents that mix.",
        )
