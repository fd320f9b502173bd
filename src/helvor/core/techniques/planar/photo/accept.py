"""From what a photograph proposes to readings in ink: only what a person keeps."""

from __future__ import annotations

import colorsys
from collections.abc import Iterable, Iterator
from dataclasses import dataclass
from uuid import UUID, uuid5

from helvor.core.quantities.reading import Reading
from helvor.core.record.entry import Payload, Problem
from helvor.core.techniques.planar.photo.proposal import SURE_OVER_FLOOR, FoundSpot, Proposal
from helvor.core.techniques.planar.plate import (
    MAX_LANES,
    MAX_SPOTS,
    SWATCHES,
    FromPhoto,
    Front,
    Lane,
    Plate,
    Spot,
    SpotOnPlate,
    also_seen,
)

FRONT_LEVEL_MM = 0.8
"""A front that differs by more than this between two lanes is read at each lane."""
MOVED_MM = 0.1
BESIDE_MM = 1.0
LABELS = "ABCDEFGHIJKLMNOPQRSTUVWXYZ"


@dataclass(frozen=True, slots=True)
class Kept:
    """A proposed or added spot as a person leaves it: its lane, and mm over the origin."""

    lane: UUID
    distance: float
    found: FoundSpot | None = None


@dataclass(frozen=True, slots=True)
class ToWrite:
    """An entry to be written: its id, what it says, what it strikes and why."""

    id: UUID
    payload: Payload
    strikes: UUID | None = None
    reason: str = ""


def reading(value: float, resolution: float = 0.1) -> Reading:
    """A length in mm as it is written down from a photograph."""
    rounded = round(max(0.0, value), 1)
    return Reading(written=f"{rounded:.1f} mm", value=rounded, unit="mm", resolution=resolution)


def origin_at(plate: Plate, proposal: Proposal, x: float | None = None) -> float:
    """The origin, mm up: of the line found, at *x* or on the whole; else where the set-up says it is."""
    if proposal.origin is not None:
        return proposal.origin.mean if x is None else proposal.origin.at(x)
    return plate.set_up.origin.value if plate.set_up else 0.0


def over_origin(plate: Plate, proposal: Proposal, spot: FoundSpot) -> float:
    """How far a spot is over the origin at its own place, mm."""
    return spot.up - origin_at(plate, proposal, spot.x)


@dataclass(frozen=True, slots=True)
class LaneHere:
    """A lane of the photograph: the plate's lane that it is, None while the plate has none; its label; x, mm."""

    key: UUID | None
    label: str
    x: float


SAME_LANE_MM = 5.0


def lanes_of(plate: Plate, proposal: Proposal) -> list[LaneHere]:
    """The lanes of a photograph as the plate's own: one by one from the left where there are as many, else the nearest.

    A lane that is none of the plate's, or whose plate has no lanes yet, has only a letter.
    """
    own = plate.lanes
    if len(own) == len(proposal.lanes):
        return [LaneHere(on.key, on.label, x) for on, x in zip(own, sorted(proposal.lanes), strict=True)]
    found = []
    for index, x in enumerate(proposal.lanes):
        near = min(own, key=lambda on: abs(on.lane.at.value - x), default=None)
        if near is not None and abs(near.lane.at.value - x) <= SAME_LANE_MM:
            found.append(LaneHere(near.key, near.label, x))
        else:
            found.append(LaneHere(None, label_of(index), x))
    return found


def label_of(index: int) -> str:
    """A letter for a lane, from the left; ``A2`` after Z."""
    again, letter = divmod(index, len(LABELS))
    return f"{LABELS[letter]}{again + 1 if again else ''}"


def ids_of(entry: UUID, lanes: Iterable[UUID]) -> list[UUID]:
    """The ids that the entries of the form with this number may have: they hang on it.

    Args:
        lanes: keys of the plate's lanes, whose fronts it may have written.
    """
    parts = ["front", *(f"spot {n}" for n in range(MAX_SPOTS)), *(f"lane {n}" for n in range(MAX_LANES))]
    return [uuid5(entry, part) for part in (*parts, *(f"front {key}" for key in lanes))]


def beside(proposal: Proposal, spot: FoundSpot) -> FoundSpot | None:
    """A surer spot as high in another lane: a reason to believe a faint one."""
    near = [
        other
        for other in proposal.spots
        if other.lane != spot.lane and other.sure > spot.sure and abs(other.up - spot.up) <= BESIDE_MM
    ]
    return max(near, key=lambda other: other.sure, default=None)


def standing_there(plate: Plate, lane: UUID, distance: float, u: float) -> SpotOnPlate | None:
    """The spot on record that lies where another one is proposed: as near as both can be read."""
    near = [on for on in plate.spots_in(lane) if abs(on.spot.distance.value - distance) <= max(1.0, 2 * u + 0.5)]
    return min(near, key=lambda on: abs(on.spot.distance.value - distance), default=None)


def lanes_to_add(proposal: Proposal, entry: UUID) -> list[ToWrite]:
    """Lanes for a plate that has none, called A, B, C from the left."""
    return [
        ToWrite(uuid5(entry, f"lane {index}"), Lane(at=reading(x), label=label_of(index)))
        for index, x in enumerate(proposal.lanes)
    ]


def fronts_to_write(
    plate: Plate, proposal: Proposal, photo: UUID, lanes: dict[UUID, float], entry: UUID
) -> list[ToWrite]:
    """The front, once for the plate when it is level over its lanes, else at each.

    Raises:
        Problem: no front was found.
    """
    if proposal.front is None:
        raise Problem("front", "No front was found in the photograph: enter it by hand.")

    def distance(x: float) -> float:
        assert proposal.front is not None
        return proposal.front.at(x) - origin_at(plate, proposal, x)

    source = FromPhoto(photo=photo, u=proposal.front.u, px_per_mm=proposal.px_per_mm)
    places = {key: distance(x) for key, x in lanes.items()} or {UUID(int=0): distance(proposal.width / 2)}
    if max(places.values()) - min(places.values()) <= FRONT_LEVEL_MM and not plate.lane_fronts:
        mean = sum(places.values()) / len(places)
        return [ToWrite(uuid5(entry, "front"), Front(distance=reading(mean), from_photo=source))]
    return [
        ToWrite(uuid5(entry, f"front {key}"), Front(lane=key, distance=reading(value), from_photo=source))
        for key, value in places.items()
    ]


def spots_to_write(plate: Plate, proposal: Proposal, photo: UUID, kept: list[Kept], entry: UUID) -> Iterator[ToWrite]:
    """Each kept spot: new, a look under another light, or a spot on record read again.

    Raises:
        ValueError: a value that no spot can have, with its field's name.
    """
    taken: set[UUID] = set()
    for index, one in enumerate(kept):
        spot = _spot(plate, proposal, photo, one)
        u = spot.from_photo.u if spot.from_photo else 0.5
        there = standing_there(plate, one.lane, spot.distance.value, u)
        number = uuid5(entry, f"spot {index}")
        if there is None or there.key in taken:
            yield ToWrite(number, spot)
            continue
        taken.add(there.key)
        if set(there.spot.seen) & set(spot.seen):
            again = spot.model_copy(
                update={
                    "seen": there.spot.seen,
                    "colour": there.spot.colour,
                    "swatch": there.spot.swatch or spot.swatch,
                }
            )
            yield ToWrite(number, again, there.line.head.id, "read from a photograph")
        else:
            yield ToWrite(number, also_seen(there.spot, spot), there.line.head.id, "seen under another light")


def _spot(plate: Plate, proposal: Proposal, photo: UUID, kept: Kept) -> Spot:
    found = kept.found
    moved = found is None or abs(over_origin(plate, proposal, found) - kept.distance) > MOVED_MM
    # Put there by hand, it is as good as a pixel and the half millimetre of a judging eye.
    u = 0.5 if found is None or moved else found.u
    source = FromPhoto(
        photo=photo, u=max(u, 0.01), px_per_mm=proposal.px_per_mm, placed="by hand" if moved else "found"
    )
    distance = reading(kept.distance)
    if found is None or moved:
        return Spot(lane=kept.lane, distance=distance, seen=(proposal.light,), from_photo=source)
    by = kept.distance - found.up
    return Spot(
        lane=kept.lane,
        distance=distance,
        tail=reading(min(found.tail + by, distance.value)),
        head=reading(max(found.head + by, distance.value + 0.1)),
        width=reading(found.width),
        swatch=colour_word(found.colour) if proposal.light != "254" else "",
        seen=(proposal.light,),
        strength="faint" if found.darkness < SURE_OVER_FLOOR * found.floor else "clear",
        from_photo=source,
    )


def colour_word(colour: tuple[int, int, int]) -> str:
    """The colour word whose swatch is nearest in hue; empty for what has hardly any.

    Args:
        colour: sRGB, 0 to 255.
    """
    hue, light, strong = colorsys.rgb_to_hls(*(part / 255 for part in colour))
    if strong < 0.12 or light > 0.97:
        return ""

    def away(word: str) -> float:
        swatch = SWATCHES[word]
        other = colorsys.rgb_to_hls(*(int(swatch[i : i + 2], 16) / 255 for i in (1, 3, 5)))[0]
        return min(abs(hue - other), 1 - abs(hue - other))

    return min((word for word in SWATCHES if word not in ("", "black", "white", "brown", "pink")), key=away)
