"""What heats a step: a flame, a hot surface, or something gentle; from its kit, its words and its place.

Heat 1. A flame counts wherever it is named, unless the words send it away (``no flame``, ``flames out``).
Heat 2. A hotplate with a bath on it is a bath.
"""

from __future__ import annotations

import re
from dataclasses import dataclass
from functools import cache
from typing import Literal

Sort = Literal["flame", "surface", "mantle", "bath", "evaporator"]

HOT_SURFACE = 250.0
"""°C: what ignites by itself up to this catches fire on a plate that is turned up. Common practice: a bare plate passes
300 °C, and in the open a vapour takes more than the temperature of its test."""
LOW_BOILER = 60.0
"""°C: what boils below gives off vapour faster than a hood takes it, over anything hot. Common practice."""

_SORTS: tuple[tuple[Sort, str], ...] = (
    ("evaporator", r"rotary evaporator|evaporator|rotavap|solvent still|distil\w* (?:off|apparatus)"),
    (
        "bath",
        r"(?:water|steam|warm|hot|heating|heated|glycol|ultrasonic)[ -]?bath|bain[- ]marie|steam cone"
        r"|(?:bath|water) at \d+ ?°?C|(?:warm|hot) water (?:under|around)|bath of (?:warm|hot) water"
        r"|(?:in|over|on|above) (?:a )?warm water",
    ),
    ("mantle", r"(?:heating )?mantle|(?:oil|sand|metal)[ -]?bath|heating block|alumini?um block"),
    (
        "flame",
        r"bunsen|(?:gas|spirit|micro|alcohol|mekker|teclu) ?(?:burner|lamp)|\bburners?\b|\bflames?\b|candles?"
        r"|blow ?torch|gas ring|gas stove|camping stove|tea ?light|naked light|\bgas tap\b",
    ),
    (
        "surface",
        r"hot ?-?plates?|heating plate|electric (?:ring|stove|hob)|\bhob\b|heat gun|hot[- ]air gun|hair ?dryer"
        r"|\bring heater",
    ),
)
_PATTERNS = tuple((sort, re.compile(pattern, re.IGNORECASE)) for sort, pattern in _SORTS)
_AWAY = re.compile(
    r"(?:\bno|\bnot|\bnever|\bwithout|\bout of|\baway from|\bfar from|\bkeep\w* away|\bnot near|\binstead of)\b"
    r"[^.;:]{0,40}?(?:flames?|burners?|bunsen|naked lights?|hot ?-?plates?)"
    r"|(?:flames?|burners?)\s+(?:are |is |all )?(?:out|off|away)\b"
    r"|(?:put|turn)\w* (?:out|off) (?:every|all|any|the)? ?(?:flames?|burners?)",
    re.IGNORECASE,
)


@dataclass(frozen=True, slots=True)
class Heat:
    """A source of heat: its sort, and how it is written."""

    sort: Sort
    said: str


@cache
def sources(kit: tuple[str, ...], words: str, place: str = "") -> tuple[Heat, ...]:
    """What heats a step (Heat 1 and 2), each sort once, the flame first.

    >>> [(h.sort, h.said) for h in sources(("hotplate", "flask"), "Boil it down")]
    [('surface', 'hotplate')]
    >>> [h.sort for h in sources(("hotplate", "water bath"), "Warm gently; no flame near")]
    ['bath']
    """
    said = _AWAY.sub(" ", words)
    found: dict[Sort, str] = {}
    for text in (*kit, said, place):
        for sort, pattern in _PATTERNS:
            match = pattern.search(text)
            if match is not None:
                found.setdefault(sort, match.group().strip())
    if "bath" in found or "evaporator" in found:
        found.pop("surface", None)
    order: tuple[Sort, ...] = ("flame", "surface", "mantle", "bath", "evaporator")
    return tuple(Heat(sort, found[sort]) for sort in order if sort in found)
