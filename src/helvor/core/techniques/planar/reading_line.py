"""The reading line of a plate: short typed readings in bench words.

    T 41.0                      a new spot in lane T, 41.0 mm over the origin
    T2 41.0                     spot T2 at 41.0 mm: a correction if T2 is there
    T2 41 38-45 w4 purple 254   with lower and upper end, width, colour, light
    front 81.0                  the front; front T 80.5 for one lane; front off
    lane P 10 paracetamol ref   a lane 10 mm from the left edge
    level 6 · eluent hexane : ethyl acetate 4 : 1
    in · rising 22              the plate goes in; where the front stands while it rises
    strike T2 misread           take a spot back, with the reason

Lengths without a unit are millimetres; the line says so before it writes.
"""

from __future__ import annotations

import re
from collections.abc import Sequence
from dataclasses import dataclass
from datetime import UTC, datetime
from typing import Any
from uuid import UUID

from pydantic import ValidationError

from helvor.core.laws.planar.eluent import parse_eluent
from helvor.core.quantities.reading import Reading, Unreadable, parse
from helvor.core.record.entry import Entry, Payload, Struck
from helvor.core.techniques.planar.plate import (
    LIGHTS,
    SWATCHES,
    Chamber,
    Developing,
    EluentUsed,
    Front,
    FrontSeen,
    Lane,
    LaneOnPlate,
    Plate,
    Spot,
    SpotOnPlate,
    also_seen,
    check,
    gather,
    moved,
    seen_again,
    spot_name,
    standing_twin,
)
from helvor.core.techniques.planar.work_out import work_out

_NOT_YET = UUID(int=0)
_COMMANDS = ("front", "lane", "level", "eluent", "in", "rising", "strike")
_ROLES = {
    "ref": "reference",
    "reference": "reference",
    "unknown": "unknown",
    "co": "co-spot",
    "co-spot": "co-spot",
    "cospot": "co-spot",
}
_ENDS = re.compile(r"(\d+(?:[.,]\d+)?)\s*[-–]\s*(\d+(?:[.,]\d+)?)(?:mm)?")


@dataclass(frozen=True, slots=True)
class Understood:
    """What a typed line means, before it is written.

    Attributes:
        payload: the entry to write.
        strikes: the entry it corrects, or None for a new reading.
        reason: why it is struck through; empty for a new reading.
        says: what was understood, in words; parts between asterisks are readings.
    """

    payload: Payload
    strikes: UUID | None
    reason: str
    says: str


def understand(text: str, entries: Sequence[Entry], light: str = "") -> Understood:
    """Read one typed line against the page as it stands.

    Args:
        text: what was typed.
        entries: all entries of the page.
        light: the light that a new spot without one is seen under; empty is daylight.

    Raises:
        Unreadable: with one sentence for the person.
    """
    plate = gather(entries)
    words = re.sub(r"(?<=\d)\s+(?=(?:mm|cm|in)\b)", "", " ".join(text.split())).split(" ")
    first = words[0].casefold()
    if not text.strip():
        raise Unreadable("Enter a reading, such as T 41.0 or front 81.0.")
    if first in _COMMANDS and plate.lane_called(words[0]) is None:
        understood = _COMMAND[first](words[1:], plate)
    else:
        understood = _spot(words, plate, light)
    if understood.strikes is None:
        twin = standing_twin(plate, understood.payload)
        if twin is not None:
            understood = Understood(
                understood.payload, twin, "read again", f"{understood.says}, replacing the earlier reading"
            )
    try:
        check(plate, understood.payload, understood.strikes)
    except ValueError as problem:
        raise Unreadable(str(problem)) from problem
    return _with_rf(understood, entries)


def complete(text: str, entries: Sequence[Entry]) -> list[str]:
    """Words that could come next, most likely first."""
    plate = gather(entries)
    words = text.split(" ")
    stub = words[-1].casefold()
    if len(words) == 1:
        offered = [lane.label for lane in plate.lanes] + [spot.name for spot in plate.spots] + list(_COMMANDS)
    elif words[0].casefold() == "front" and len(words) == 2:
        offered = ["off", *(lane.label for lane in plate.lanes)]
    elif words[0].casefold() == "strike" and len(words) == 2:
        offered = [spot.name for spot in plate.spots]
    elif words[0].casefold() == "lane" and len(words) > 3:
        offered = ["ref", "unknown", "co-spot"]
    elif words[0].casefold() not in _COMMANDS and len(words) > 2:
        offered = [*LIGHTS, "faint", "heavy", *(word for word in SWATCHES if word)]
    else:
        offered = []
    return [word for word in offered if word.casefold().startswith(stub) and word.casefold() != stub][:6]


def _length(word: str, what: str) -> Reading:
    try:
        return parse(word, "length", field_unit="mm")
    except Unreadable as unreadable:
        raise Unreadable(f"{what}: {unreadable}") from unreadable


def _built(model: type[Payload], **fields: Any) -> Payload:
    try:
        return model(**fields)
    except ValidationError as invalid:
        message = invalid.errors()[0]["msg"].removeprefix("Value error, ")
        raise Unreadable(re.sub(r"^\w+: ", "", message)) from invalid


def _lane(word: str, plate: Plate) -> LaneOnPlate:
    lane = plate.lane_called(word)
    if lane is None:
        known = ", ".join(lane.label for lane in plate.lanes) or "none yet"
        raise Unreadable(f"This plate has no lane “{word[:20]}”; its lanes: {known}.")
    return lane


def _target(word: str, plate: Plate) -> tuple[LaneOnPlate, SpotOnPlate | None]:
    """The lane, and the spot if it is there, that a first word names.

    Raises:
        Unreadable: no lane fits, two do, or the number skips one.
    """
    lane = plate.lane_called(word)
    if lane is not None:
        return lane, None
    for spot in plate.spots:
        if spot.name.casefold() == word.casefold():
            return spot.on, spot
    for lane in plate.lanes:
        following = plate.next_number.get(lane.key, 1)
        if spot_name(lane.label, following).casefold() == word.casefold():
            return lane, None
        if re.fullmatch(re.escape(lane.label) + r"/?\d+", word, re.IGNORECASE):
            raise Unreadable(
                f"{word} is not on this plate; the next spot in lane {lane.label} is "
                f"{spot_name(lane.label, following)}."
            )
    known = ", ".join(lane.label for lane in plate.lanes)
    raise Unreadable(
        f"“{word[:20]}” is not a lane or spot of this plate"
        + (f"; its lanes: {known}." if known else ": add a lane first, such as lane T 20.")
    )


def _spot(words: list[str], plate: Plate, light: str) -> Understood:
    lane, standing = _target(words[0], plate)
    if len(words) < 2:
        raise Unreadable(f"Enter the distance of {words[0]} from the origin, in mm.")
    distance = _length(words[1], "The distance")
    fields: dict[str, Any] = {"lane": lane.key, "distance": distance}
    seen: list[str] = []
    for word in words[2:]:
        plain = word.casefold()
        ends = _ENDS.fullmatch(word)
        if ends:
            fields["tail"], fields["head"] = _length(ends[1], "The lower end"), _length(ends[2], "The upper end")
        elif re.fullmatch(r"w\d.*", plain):
            fields["width"] = _length(word[1:], "The width")
        elif plain.removesuffix("nm") in LIGHTS:
            seen.append(plain.removesuffix("nm"))
        elif plain in ("faint", "clear", "heavy"):
            fields["strength"] = plain
        elif plain and plain in SWATCHES:
            fields["swatch"] = plain
            fields["colour"] = f"{fields.get('colour', '')} {word}".strip()
        elif word.isalpha():
            fields["colour"] = f"{fields.get('colour', '')} {word}".strip()
        else:
            raise Unreadable(
                f"“{word[:20]}” after the distance is not clear: enter ends 38-45, width w4, a colour or a light."
            )
    if seen:
        fields["seen"] = tuple(seen)
    elif standing is None and light in LIGHTS:
        fields["seen"] = (light,)
    if standing is None:
        spot = _built(Spot, **fields)
        assert isinstance(spot, Spot)
        again = seen_again(plate, spot)
        if again is not None:
            lights = " and ".join(LIGHTS[light] for light in spot.seen)
            says = f"spot *{again.name}* at *{again.spot.distance}*, seen under {lights} too"
            return Understood(also_seen(again.spot, spot), again.line.head.id, "seen under another light", says)
        name = spot_name(lane.label, plate.next_number.get(lane.key, 1))
        return Understood(spot, None, "", f"new spot *{name}* at *{distance}*")
    kept = moved(standing.spot, distance).model_dump()
    return Understood(
        _built(Spot, **{**kept, **fields}),
        standing.line.head.id,
        "read again",
        f"spot *{standing.name}* at *{distance}*, was {standing.spot.distance}",
    )


def _front(words: list[str], plate: Plate) -> Understood:
    if not words:
        raise Unreadable("Enter the front's distance from the origin in mm, or front off if it ran off the top.")
    lane = plate.lane_called(words[0])
    rest = words[1:] if lane is not None and len(words) > 1 else words
    if rest is words:
        lane = None
    where = f" of lane *{lane.label}*" if lane else ""
    key = lane.key if lane else None
    if len(rest) != 1:
        raise Unreadable(f"“{' '.join(words)[:30]}” is not clear: enter front 81.0, or front T 80.5.")
    if rest[0].casefold() == "off":
        return Understood(Front(lane=key, ran_off=True), None, "", f"front{where} ran off the top")
    if not re.match(r"[\d.,+\-−]", rest[0]):
        _lane(rest[0], plate)
    distance = _length(rest[0], "The front")
    return Understood(_built(Front, lane=key, distance=distance), None, "", f"front{where} at *{distance}*")


def _add_lane(words: list[str], plate: Plate) -> Understood:
    words = [word for word in words if word.casefold() != "at"]
    if len(words) < 2:
        raise Unreadable("Enter the lane's label and place, for example: lane P 10 paracetamol ref.")
    label, at = words[0], _length(words[1], "The lane's place")
    roles = [_ROLES[word.casefold()] for word in words[2:] if word.casefold() in _ROLES]
    substance = " ".join(word for word in words[2:] if word.casefold() not in _ROLES)
    payload = _built(Lane, label=label, at=at, substance=substance, role=roles[0] if roles else "unknown")
    standing = plate.lane_called(label)
    says = f"lane *{label}* at *{at}* from the left edge" + (f", {substance}" if substance else "")
    if standing is None:
        return Understood(payload, None, "", says)
    return Understood(payload, standing.line.head.id, "read again", f"{says}, was at {standing.lane.at}")


def lanes_from(text: str, width: float, ids: Sequence[UUID]) -> list[Lane]:
    """Lanes typed in one go, spread evenly over a plate: ``P paracetamol ref, T tablet, mix co-spot P T``.

    Args:
        text: lanes between commas, semicolons or line ends; first a label, then what is on
            it, with ``ref``, ``unknown`` or ``co-spot`` and the labels that it combines.
        width: of the plate, mm.
        ids: an id for each lane, in order; as many as there may be lanes.

    Raises:
        Unreadable: with one sentence.
    """
    pieces = [piece.split() for piece in re.split(r"[,;\n]+", text) if piece.strip()]
    if len(pieces) > len(ids):
        raise Unreadable(f"Enter at most {len(ids)} lanes.")
    labels = [words[0] for words in pieces]
    key_of = dict(zip((label.casefold() for label in labels), ids, strict=False))
    if len(key_of) < len(labels):
        raise Unreadable("Two lanes have the same label: enter a different one.")
    lanes = []
    for number, words in enumerate(pieces, start=1):
        roles = [_ROLES[word.casefold()] for word in words[1:] if word.casefold() in _ROLES]
        rest = [word for word in words[1:] if word.casefold() not in _ROLES]
        role = roles[0] if roles else "unknown"
        combines = [key_of[word.casefold()] for word in rest if word.casefold() in key_of] if role == "co-spot" else []
        if combines:
            rest = [word for word in rest if word.casefold() not in key_of and word not in "+&"]
        at = round(2 * width * number / (len(pieces) + 1)) / 2
        reading = Reading(written=f"{at:g} mm", value=at, unit="mm", resolution=0.5)
        lanes.append(
            _built(Lane, label=words[0], at=reading, substance=" ".join(rest), role=role, combines=tuple(combines))
        )
    return lanes  # type: ignore[return-value]  # _built returns the model it is given


def _level(words: list[str], plate: Plate) -> Understood:
    if len(words) != 1:
        raise Unreadable("Enter the eluent level above the chamber's floor, in mm.")
    level = _length(words[0], "The level")
    # Lining and lid stay as they were written.
    chamber = next((line.head.payload for line in plate.lines if isinstance(line.head.payload, Chamber)), Chamber())
    return Understood(chamber.model_copy(update={"level": level}), None, "", f"eluent level *{level}*")


def _eluent(words: list[str], plate: Plate) -> Understood:
    eluent = parse_eluent(" ".join(words))
    return Understood(EluentUsed(eluent=eluent), None, "", f"eluent {eluent.names} *{eluent.as_percents}*")


def _strike(words: list[str], plate: Plate) -> Understood:
    named = words[0] if words else ""
    spot = next((spot for spot in plate.spots if spot.name.casefold() == named.casefold()), None)
    if spot is None:
        raise Unreadable(
            f"“{named[:20]}” is not on this plate: enter the spot to strike out, and why."
            if named
            else "Enter the spot to strike out, and why."
        )
    reason = " ".join(words[1:])
    if len(reason) < 2:
        raise Unreadable(f"Enter why {spot.name} is struck out, for example: strike {spot.name} misread.")
    return Understood(Struck(), spot.line.head.id, reason, f"strike out *{spot.name}*: {reason}")


def _in(words: list[str], plate: Plate) -> Understood:
    if words:
        raise Unreadable("Enter only the word in; the time is recorded for you.")
    return Understood(Developing(), None, "", "the plate went in now")


def _rising(words: list[str], plate: Plate) -> Understood:
    if len(words) != 1:
        raise Unreadable("Enter the front's distance now, in mm from the origin, for example: rising 22.")
    distance = _length(words[0], "The front")
    try:
        payload = FrontSeen(distance=distance)
    except ValidationError as invalid:
        raise Unreadable(invalid.errors()[0]["msg"].removeprefix("Value error, ")) from invalid
    return Understood(payload, None, "", f"the front is at *{distance}* now")


_COMMAND = {
    "in": _in,
    "rising": _rising,
    "front": _front,
    "lane": _add_lane,
    "level": _level,
    "eluent": _eluent,
    "strike": _strike,
}


def _with_rf(understood: Understood, entries: Sequence[Entry]) -> Understood:
    """Add the Rf that a spot would get."""
    if not isinstance(understood.payload, Spot):
        return understood
    written = Entry(
        id=_NOT_YET,
        seq=len(entries) + 1,
        payload=understood.payload,
        strikes=understood.strikes,
        reason=understood.reason,
        by="",
        at=datetime.min.replace(tzinfo=UTC),
    )
    sheet = work_out([*entries, written])
    result = next((spot for spot in sheet.spots if spot.on.line.head.id == _NOT_YET), None)
    if result is None or result.ratio is None:
        return understood
    ending = ", beyond the front: no Rf" if result.rf is None else f", so Rf *{result.rf_shown}*"
    return Understood(understood.payload, understood.strikes, understood.reason, understood.says + ending)
