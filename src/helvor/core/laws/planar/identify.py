"""What an unknown may be: its spots against references on the same plate, and patterns across plates.

Identify 1. On one plate origin and front are shared, so a difference of two Rf hangs on the two
            centres alone: u = √(u₁² + u₂²) ÷ front. The tolerance is twice that, at least 0.025.
Identify 2. Colour and light count where both were noted: another colour, or no light in common,
            makes a match weaker; it never makes one.
Identify 3. A mixture is the set of references all of whose spots are found. A spot that no
            reference explains, and a reference that is not found, are both named.
Identify 4. Same Rf is no proof of identity, and one spot none of purity. Words never claim more.

Weights are common practice, no source.
"""

from __future__ import annotations

import math
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from uuid import UUID

LEAST_TOLERANCE = 0.025
"""Smallest difference of Rf on one plate that counts as a difference. Common practice: 0.02 to 0.03."""
ACROSS_PLATES = 0.05
"""The same between plates that ran apart. Common practice."""
OTHER_COLOUR, OTHER_LIGHT = 0.3, 0.4
"""What a match is multiplied with where the colours differ, or where no light is in common."""


@dataclass(frozen=True, slots=True)
class SpotMark:
    """What is compared of a spot: name, Rf, uncertainty of its centre as a part of the front, colour, lights."""

    name: str
    rf: float
    u: float = 0.01
    swatch: str = ""
    seen: frozenset[str] = frozenset()


@dataclass(frozen=True, slots=True)
class Match:
    """An unknown's spot at a reference's.

    Attributes:
        apart: difference of the two Rf; tolerance: what would still count as none.
        score: 0 to 1.
    """

    spot: str
    reference: str
    apart: float
    tolerance: float
    score: float
    colour: bool | None
    """Same colour, another one, or None where it was not noted of both."""


def compare(spot: SpotMark, reference: SpotMark, least: float = LEAST_TOLERANCE) -> Match | None:
    """How well two spots agree, or None where they lie too far apart (Identify 1 and 2).

    >>> compare(SpotMark("T1", 0.40), SpotMark("P1", 0.41)).score > 0.7
    True
    >>> compare(SpotMark("T1", 0.40), SpotMark("P1", 0.60)) is None
    True
    """
    apart = abs(spot.rf - reference.rf)
    tolerance = max(least, 2 * math.hypot(spot.u, reference.u))
    if apart > tolerance:
        return None
    score = math.exp(-2 * (apart / tolerance) ** 2)
    colour = spot.swatch == reference.swatch if spot.swatch and reference.swatch else None
    if colour is False:
        score *= OTHER_COLOUR
    if spot.seen and reference.seen and not spot.seen & reference.seen:
        score *= OTHER_LIGHT
    return Match(spot.name, reference.name, apart, tolerance, score, colour)


@dataclass(frozen=True, slots=True)
class Present:
    """A reference that was found: its name, the matches of its spots, and the mean of their scores."""

    name: str
    matches: tuple[Match, ...]
    score: float

    @property
    def apart(self) -> float:
        """The largest difference of Rf between a spot and the reference's."""
        return max(match.apart for match in self.matches)


@dataclass(frozen=True, slots=True)
class Identity:
    """What an unknown lane may hold (Identify 3).

    Attributes:
        lane: key of the lane; label: its name.
        present: references found, the surest first.
        alike: names of references that cannot be told apart here, in groups.
        unexplained: spots that fit none; absent: references that were not found.
    """

    label: str
    present: tuple[Present, ...]
    alike: tuple[tuple[str, ...], ...]
    unexplained: tuple[str, ...]
    absent: tuple[str, ...]
    lane: UUID | None = None


def identify(
    label: str, spots: Sequence[SpotMark], references: Mapping[str, Sequence[SpotMark]], lane: UUID | None = None
) -> Identity:
    """Hold an unknown's spots against references on the same plate.

    Args:
        references: name → its spots; one without spots says nothing.

    >>> found = identify("T", [SpotMark("T1", 0.6), SpotMark("T2", 0.3)], {
    ...     "aspirin": [SpotMark("A1", 0.61)], "caffeine": [SpotMark("C1", 0.1)]})
    >>> [one.name for one in found.present], found.unexplained, found.absent
    (['aspirin'], ('T2',), ('caffeine',))
    """
    present, absent = [], []
    for name, marks in references.items():
        if not marks:
            continue
        best = [
            max((m for spot in spots if (m := compare(spot, mark))), key=lambda m: m.score, default=None)
            for mark in marks
        ]
        found = tuple(match for match in best if match is not None)
        if len(found) == len(marks) and len({m.spot for m in found}) == len(found):
            present.append(Present(name, found, sum(m.score for m in found) / len(found)))
        else:
            absent.append(name)
    explained: dict[str, list[str]] = {}
    for one in present:
        for match in one.matches:
            explained.setdefault(match.spot, []).append(one.name)
    alike = {tuple(sorted(names)) for names in explained.values() if len(names) > 1}
    return Identity(
        label,
        tuple(sorted(present, key=lambda one: (-one.score, one.name))),
        tuple(sorted(alike)),
        tuple(spot.name for spot in spots if spot.name not in explained),
        tuple(absent),
        lane,
    )


@dataclass(frozen=True, slots=True)
class Ranked:
    """A sample that may have made a plate: score 0 to 1, spots that agree, and those that do not on either side."""

    name: str
    score: float
    agree: tuple[Match, ...]
    only_here: tuple[str, ...]
    only_there: tuple[str, ...]


def rank(plate: Sequence[SpotMark], samples: Mapping[str, Sequence[SpotMark]]) -> list[Ranked]:
    """Which of several samples made a plate, the likeliest first; spots are paired one to one.

    The score is the sum of the pairs' scores over the larger number of spots, so that a spot
    too many counts as much as one too few.
    """
    return sorted((_against(name, plate, marks) for name, marks in samples.items()), key=lambda r: (-r.score, r.name))


def _against(name: str, plate: Sequence[SpotMark], marks: Sequence[SpotMark]) -> Ranked:
    pairs = sorted(
        ((match, spot.name, mark.name) for spot, mark, match in _pairs(plate, marks)), key=lambda pair: -pair[0].score
    )
    here, there, agree = set[str](), set[str](), list[Match]()
    for match, spot, mark in pairs:
        if spot not in here and mark not in there:
            here.add(spot)
            there.add(mark)
            agree.append(match)
    most = max(len(plate), len(marks))
    return Ranked(
        name,
        sum(match.score for match in agree) / most if most else 0.0,
        tuple(agree),
        tuple(spot.name for spot in plate if spot.name not in here),
        tuple(mark.name for mark in marks if mark.name not in there),
    )


def _pairs(plate: Sequence[SpotMark], marks: Sequence[SpotMark]) -> Iterable[tuple[SpotMark, SpotMark, Match]]:
    for spot in plate:
        for mark in marks:
            match = compare(spot, mark, ACROSS_PLATES)
            if match is not None:
                yield spot, mark, match
