"""A column's tubes on plates of the notebook: a lane for each, references beside them, and back into the rack.

Fraction plate 1. A lane per tube, named by the tube's number; after them a lane for each compound
                  that is followed, as a reference. Lanes stand as near as a plate allows.
Fraction plate 2. A tube holds what its spots agree with among the references of the same plate, the
                  best of each; a spot that agrees with none is kept under its Rf.
Fraction plate 3. Faint, clear and heavy spots count as trace, clear and strong. Common practice.
"""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from uuid import UUID

from helvor.core.laws.planar.identify import SpotMark, compare
from helvor.core.laws.planar.prepare import LANE_ROOM, lane_positions
from helvor.core.quantities.reading import Reading, Unreadable, parse, round_to
from helvor.core.techniques.column.entries import TubesSpotted
from helvor.core.techniques.planar.plate import MAX_LANES, Lane, SetUp
from helvor.core.techniques.planar.results import PlateWorksheet, SpotResult
from helvor.core.techniques.planar.work_out import mark_of

STRENGTH = {"faint": 1, "clear": 3, "heavy": 4}
"""How strong a spot is on a plate → as it is ticked in the rack (Fraction plate 3)."""
HEIGHT_MM, ORIGIN_MM, LEAST_WIDTH_MM = 100, 10, 50
"""Of the plate that is started: as plates for a class are usually cut."""


def _mm(value: float) -> Reading:
    return parse(f"{value:g} mm", "length")


def reference_labels(compounds: Sequence[str]) -> list[str]:
    """A short name for each compound's lane, none twice.

    >>> reference_labels(["ferrocene", "acetylferrocene", "ferrocenol"])
    ['F', 'A', 'Fe']
    """
    labels: list[str] = []
    for name in compounds:
        letters = "".join(c for c in name if c.isalpha()) or "R"
        short = (letters[:n].capitalize() for n in range(1, min(len(letters), 12) + 1))
        free = next((one for one in short if one not in labels), None)
        labels.append(free or f"R{len(labels) + 1}")
    return labels


def lanes_for(tubes: Sequence[int], compounds: Sequence[str]) -> tuple[SetUp, *tuple[Lane, ...]]:
    """What a plate for some tubes starts with: its set-up and its lanes (Fraction plate 1).

    Args:
        tubes: their numbers in order; compounds: that are followed, each a reference.

    Raises:
        Unreadable: no tube, no compound, or more lanes than a plate takes.
    """
    count = len(tubes) + len(compounds)
    if not tubes or not compounds:
        raise Unreadable("Choose at least one tube, and a reference for each compound.")
    if count > MAX_LANES:
        most = MAX_LANES - len(compounds)
        raise Unreadable(
            f"A plate has room for {MAX_LANES} lanes: choose at most {most} tubes and put the others on a second plate."
        )
    width = max(LEAST_WIDTH_MM, math.ceil((count + 1) * (LANE_ROOM + 1)))
    at = lane_positions(width, count)
    words = f"tubes {tubes[0]} to {tubes[-1]}" if len(tubes) > 1 else f"tube {tubes[0]}"
    lanes = [Lane(at=_mm(x), label=str(tube), substance=f"tube {tube}") for x, tube in zip(at, tubes, strict=False)]
    lanes += [
        Lane(at=_mm(x), label=label, substance=name, role="reference")
        for x, label, name in zip(at[len(tubes) :], reference_labels(compounds), compounds, strict=True)
    ]
    set_up = SetUp(
        phase="silica",
        indicator=True,
        backing="aluminium",
        width=_mm(width),
        height=_mm(HEIGHT_MM),
        origin=_mm(ORIGIN_MM),
        ruler="0.5 mm",
        about=words,
    )
    return set_up, *lanes


@dataclass(frozen=True, slots=True)
class TubeOnPlate:
    """What a tube's lane shows: compound → strength, 1 to 4; empty where it shows nothing."""

    tube: int
    shows: dict[str, int]


@dataclass(slots=True)
class _Marks:
    """The spots of a plate: of its references by compound, of its tubes with their strength, and what stayed behind."""

    references: list[tuple[str, SpotMark]] = field(default_factory=list)
    spots: dict[int, list[tuple[SpotMark, int]]] = field(default_factory=dict)
    stayed: dict[int, int] = field(default_factory=dict)


def _marks(sheet: PlateWorksheet, lanes: Mapping[UUID, int]) -> _Marks:
    """Every spot that can be compared (Fraction plate 2)."""
    marks = _Marks(spots={tube: [] for tube in lanes.values()})
    for result in sheet.spots:
        mark, lane = mark_of(result), result.on.on
        tube = lanes.get(lane.key)
        strength = STRENGTH[result.on.spot.strength]
        if mark is None:
            _refuse_unplaced(result)
            # Left at the start it says only that something does not run: no reference can name it.
            if tube is not None:
                marks.stayed[tube] = strength
        elif tube is not None:
            marks.spots[tube].append((mark, strength))
        elif lane.lane.role == "reference":
            marks.references.append((lane.lane.substance or lane.label, mark))
    return marks


def _refuse_unplaced(result: SpotResult) -> None:
    """A spot beyond the front, or without a front, cannot be compared.

    Raises:
        Unreadable: with what to do.
    """
    if result.beyond_front:
        raise Unreadable(f"Spot {result.name} is beyond the front of that plate: correct it first.")
    if result.rf is None:
        raise Unreadable("That plate's front is not marked yet, so its spots cannot be compared.")


def tubes_on(sheet: PlateWorksheet) -> list[TubeOnPlate]:
    """What a plate says of the tubes that its lanes are named by (Fraction plate 2).

    Raises:
        Unreadable: no lane is named by a number, the front is not marked, or no reference shows.
    """
    lanes = {on.key: int(on.label) for on in sheet.plate.lanes if on.label.isdecimal() and on.lane.role != "reference"}
    if not lanes:
        raise Unreadable("No lane of that plate has a tube's number as its label.")
    marks = _marks(sheet, lanes)
    if not marks.references:
        raise Unreadable(
            "No reference on that plate shows a spot, so no compound can be named: enter the spot of a reference first."
        )
    return [_shown_by(tube, marks) for tube in sorted(marks.spots)]


def _shown_by(tube: int, marks: _Marks) -> TubeOnPlate:
    """What a tube's lane shows, each spot named by the reference that fits it best."""
    shows = {"Rf 0.00": marks.stayed[tube]} if tube in marks.stayed else dict[str, int]()
    for mark, strength in marks.spots[tube]:
        fits = [(match.score, name) for name, known in marks.references if (match := compare(mark, known)) is not None]
        name = max(fits)[1] if fits else f"Rf {round_to(mark.rf, 2)}"
        shows[name] = max(strength, shows.get(name, 0))
    return TubeOnPlate(tube, shows)


def spotted_from(plate: Sequence[TubeOnPlate], step: str) -> list[TubesSpotted]:
    """The same as entries of the rack: each tube is cleared, then what it shows is written."""
    says = []
    for tube in plate:
        says.append(TubesSpotted(step=step, first=tube.tube, last=tube.tube))
        says += [
            TubesSpotted(step=step, first=tube.tube, last=tube.tube, compound=name, strength=strength)
            for name, strength in tube.shows.items()
        ]
    return says
