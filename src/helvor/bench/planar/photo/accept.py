"""From what a photograph proposes to readings in ink: only what a person keeps."""

from __future__ import annotations

import colorsys
from collections.abc import Iterator
from dataclasses import dataclass
from uuid import UUID, uuid5

from helvor.bench.entry import Payload, Problem
from helvor.bench.planar.photo.proposal import FoundSpot, Proposal
from helvor.bench.planar.plate import SWATCHES, FromPhoto, Front, Lane, Plate, Spot, SpotOnPlate, also_seen
from helvor.bench.quantity import Reading

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


def over_origin(proposal: Proposal, spot: FoundSpot, origin: float) -> float:
    """How far a spot is over the origin line at its own place; *origin*, mm up, where no line was found."""
    return spot.up - (proposal.origin.at(spot.x) if proposal.origin else origin)


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
        ToWrite(uuid5(entry, f"lane {index}"), Lane(at=reading(x), label=LABELS[index]))
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
    origin = plate.set_up.origin.value if plate.set_up else 0.0

    def distance(x: float) -> float:
        assert proposal.front is not None
        return proposal.front.at(x) - (proposal.origin.at(x) if proposal.origin else origin)

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
    origin = plate.set_up.origin.value if plate.set_up else 0.0
    for index, one in enumerate(kept):
        spot = _spot(proposal, photo, one, origin)
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


def _spot(proposal: Proposal, photo: UUID, kept: Kept, origin: float) -> Spot:
    found = kept.found
    moved = found is None or abs(over_origin(proposal, found, origin) - kept.distance) > MOVED_MM
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
        strength="faint" if found.darkness < 2.5 * found.floor else "clear",
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
