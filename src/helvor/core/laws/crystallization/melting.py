"""Melting ranges: read, corrected, judged with words that do not claim too much.

Melting 1. Within 2 °C of the published value and no wider than 2 °C fits a pure sample; a eutectic
           melts sharply too, so a range alone proves nothing. Common practice.
Melting 2. Lower and wider: impure or wet. Above the published value: the thermometer, or another substance.
Melting 3. Near melting 1 to 2 °C a minute; faster reads high and wide. Common practice.
Melting 4. A mixed melting point decides identity: unchanged, the same; lower and wider, another.
Melting 5. A thermometer is held against standards; between two their corrections are joined straight,
           outside the nearest counts.
"""

from __future__ import annotations

import re
from collections.abc import Sequence
from dataclasses import dataclass
from itertools import pairwise
from typing import Literal

from helvor.core.quantities.reading import Unreadable, parse_number, round_to

SHARP, NEAR = 2.0, 2.0
"""°C: widest range of a pure sample, and how near to the published value it lies (Melting 1)."""
WIDE = 5.0
"""°C below the published value at which a range that begins there is more than a little wide. Common practice."""
SLOW = 2.0
"""°C a minute near melting, at most (Melting 3)."""

Code = Literal["fits", "wide", "low", "sharp-low", "above"]


@dataclass(frozen=True, slots=True)
class Range:
    """A melting range, °C: first liquid, and clear."""

    starts: float
    ends: float

    def __post_init__(self) -> None:
        if not -100 <= self.starts <= self.ends <= 500:
            raise Unreadable("Enter a melting range from the first drop up to clear, between −100 and 500 °C.")

    @property
    def width(self) -> float:
        return self.ends - self.starts

    @property
    def shown(self) -> str:
        """``113.2–114.1``"""
        return f"{round_to(self.starts, 1)}–{round_to(self.ends, 1)}"


def read_range(text: str) -> Range:
    """A range as typed: ``113.2-114.1``; one number is a sharp one.

    >>> read_range("113.2 – 114.1 °C").width.__round__(1)
    0.9
    """
    match = re.fullmatch(r"\s*(\d[\d.,]*)\s*(?:(?:-|–|to)\s*(\d[\d.,]*))?\s*(?:°\s*C)?\s*", text)
    if match is None:
        raise Unreadable("Enter two temperatures, for example 113.2-114.1.")
    starts = parse_number(match[1])[0]
    return Range(starts, parse_number(match[2])[0] if match[2] else starts)


@dataclass(frozen=True, slots=True)
class Verdict:
    """What a range says.

    Attributes:
        code: which case it is; says, because: in words.
    """

    code: Code
    level: Literal["good", "note", "caution", "stop"]
    says: str
    because: str
    do: str


def rate_range(seen: Range, published: float, what: str) -> Verdict:
    """Hold a range against a published melting point (Melting 1, 2).

    Args:
        published: °C; what: name of the substance it should be.

    >>> rate_range(Range(113.2, 114.1), 114.0, "acetanilide").code
    'fits'
    """
    book = f"{round_to(published, 1)} °C"
    if seen.ends > published + NEAR:
        return Verdict(
            "above",
            "caution",
            f"{seen.shown} °C ends above the published {book} of {what}.",
            "Impurities lower a melting point. The thermometer reads high, heating was too fast, or this is "
            "another substance.",
            "Check the thermometer with a standard, then repeat slowly.",
        )
    if seen.width <= SHARP and max(abs(seen.ends - published), abs(seen.starts - published)) <= NEAR:
        return Verdict(
            "fits",
            "good",
            f"{seen.shown} °C fits pure {what}, published {book}.",
            "A eutectic also melts sharply: confirm the identity with a mixed melting point.",
            "",
        )
    if seen.width <= SHARP:
        return Verdict(
            "sharp-low",
            "caution",
            f"{seen.shown} °C is sharp, but {round_to(published - seen.ends, 1)} °C below the published {book}.",
            "This is another substance or a eutectic, or the thermometer reads low.",
            "Check the thermometer, then measure a mixed melting point with the pure substance.",
        )
    if seen.ends >= published - NEAR:
        return Verdict(
            "wide",
            "caution" if seen.starts < published - WIDE else "note",
            f"It melts over {round_to(seen.width, 1)} °C, up to {round_to(seen.ends, 1)} °C.",
            "It holds a little impurity or solvent; the end is near the published value.",
            "Dry it to constant mass and measure again, slowly. If it stays wide, recrystallize once more.",
        )
    return Verdict(
        "low",
        "caution",
        f"{seen.shown} °C is lower and wider than {book}.",
        "The solid is impure or still wet.",
        "Dry it to constant mass and measure again. If nothing changes, recrystallize once more.",
    )


def too_fast(rate: float | None) -> bool:
    """Whether it was heated too fast near melting, °C a minute (Melting 3)."""
    return rate is not None and rate > SLOW


Mixing = Literal["same", "another", "undecided"]
EACH = 1.0
"""°C that each end of a range is uncertain by, as it is read. Common practice, no source."""


def by_mixing(alone: Range, mixed: Range, known: Range | None = None) -> Mixing:
    """What a mixture with the known substance says of a sample (Melting 4).

    Another substance lowers and widens the range by more than the readings are uncertain; a mixture that melts as the
    sample does, no lower and hardly wider, is the same; between the two, and where it melts higher, it is undecided.

    Args:
        known: the range of the known substance on the same thermometer, where it was measured.

    >>> by_mixing(Range(121, 122), Range(120.8, 122)), by_mixing(Range(121, 122), Range(96, 110))
    ('same', 'another')
    >>> by_mixing(Range(112, 113), Range(111, 113.5)), by_mixing(Range(112, 113), Range(116, 117))
    ('same', 'undecided')
    """
    others = [alone, known] if known is not None else [alone]
    lower = min(one.starts for one in others) - mixed.starts
    wider = mixed.width - max(one.width for one in others)
    if mixed.ends > max(one.ends for one in others) + NEAR:
        return "undecided"
    if lower > 2 * EACH and lower + max(wider, 0.0) > 3 * EACH:
        return "another"
    if lower <= 1.5 * EACH and wider <= 2 * EACH:
        return "same"
    return "undecided"


@dataclass(frozen=True, slots=True)
class Standard:
    """A substance of known melting point and what this thermometer said, °C."""

    name: str
    published: float
    read: float


def correction(celsius: float, standards: Sequence[Standard]) -> float:
    """What to add to a reading at a temperature, °C; 0 without standards (Melting 5).

    >>> round(correction(100, [Standard("a", 80, 79), Standard("b", 120, 121)]), 2)
    0.0
    """
    known = sorted((one.read, one.published - one.read) for one in standards)
    if not known:
        return 0.0
    if celsius <= known[0][0]:
        return known[0][1]
    for (low, a), (high, b) in pairwise(known):
        if celsius <= high:
            return a + (b - a) * (celsius - low) / (high - low) if high > low else a
    return known[-1][1]


def corrected(seen: Range, standards: Sequence[Standard]) -> Range:
    """A range as a true thermometer would have read it."""
    return Range(seen.starts + correction(seen.starts, standards), seen.ends + correction(seen.ends, standards))
