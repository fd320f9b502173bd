"""The reading line of a plate: short typed readings in bench words.

    T 41.0                      a new spot in lane T, 41.0 mm over the origin
    T2 41.0                     spot T2 at 41.0 mm: a correction if T2 is there
    T2 41 38-45 w4 purple 254   with lower and upper end, width, colour, light
    P 30, C 12, T 55            several readings in a line
    front 81.0                  the front; front T 80.5 for one lane; front off
    lane P 10 paracetamol ref   a lane 10 mm from the left edge
    level 6 · eluent hexane : ethyl acetate 4 : 1
    in · rising 22              the plate goes in; where the front stands while it rises
    strike T2 misread           take a spot back, with the reason
    undo                        take back what was written last
    note the chamber was moved  what was seen

Words may stand in another order (``spot 41 in lane T``), in other words (``solvent front: 80``) and in German,
French or Spanish. Lengths without a unit are millimetres; the line says so before it writes.
"""

from __future__ import annotations

import re
from collections.abc import Callable, Container, Sequence
from dataclasses import dataclass, replace
from uuid import UUID

from helvor.core.laws.planar.eluent import parse_eluent
from helvor.core.quantities.reading import Reading, Unreadable
from helvor.core.record.entry import Entry, Struck
from helvor.core.record.typed_line import (
    UNKNOWN_TYPIST,
    NotSure,
    Typist,
    Understood,
    as_written,
    built,
    look_ahead_id,
    read_each,
    taken_back,
)
from helvor.core.record.vocabulary import FREE, behind_first, first_word, in_bench_words, plain_numbers
from helvor.core.techniques.planar.lane_line import add_lane, joined
from helvor.core.techniques.planar.line_words import (
    BETWEEN,
    EDGE,
)
from helvor.core.techniques.planar.plate import (
    LIGHTS,
    SWATCHES,
    Chamber,
    Developing,
    EluentUsed,
    Front,
    FrontSeen,
    LaneOnPlate,
    Plate,
    PlateNoted,
    SetUp,
    Spot,
    check,
    gather,
    standing_twin,
)
from helvor.core.techniques.planar.spot_line import ENDS, OFFERED, VALUE, length_of, over_origin, read_spot
from helvor.core.techniques.planar.words import describe
from helvor.core.techniques.planar.work_out import work_out

_NOT_YET = UUID(int=0)
_REASONS = ("misread", "typing slip", "wrong lane", "no spot")


def read_line(
    text: str,
    entries: Sequence[Entry],
    light: str = "",
    typist: Typist = UNKNOWN_TYPIST,
    ids: Callable[[int], UUID] = look_ahead_id,
    *,
    sure: bool = False,
    words: tuple[tuple[str, str], ...] = (),
) -> list[Understood]:
    """Every reading of a typed line, each against the page with the ones before it.

    Args:
        light: the light that a new spot without one is seen under; empty is daylight.
        typist: who types and when, for what is undone.
        ids: the id that each will be written under.
        sure: a spot near another is another one; nobody is there to be asked, as when a device sends what it kept.
        words: the house's own words, as rows of the table of words.

    Raises:
        Unreadable: with one sentence for the person; then none of it is written.
    """
    first = first_word(text, _names(gather(entries)), more=words)
    whole = first in FREE or first in ("lane", "eluent")

    def one(piece: str, there: Sequence[Entry]) -> Understood:
        return understand(piece, there, light, typist, sure=sure, words=words)

    return read_each(text, entries, one, whole=whole, ids=ids)


def understand(
    text: str,
    entries: Sequence[Entry],
    light: str = "",
    typist: Typist = UNKNOWN_TYPIST,
    *,
    sure: bool = False,
    words: tuple[tuple[str, str], ...] = (),
) -> Understood:
    """Read one typed reading against the page as it stands.

    Args:
        text: what was typed.
        entries: all entries of the page.
        light: the light that a new spot without one is seen under; empty is daylight.
        typist: who types and when, for what is undone.
        sure: a spot near another is another one.
        words: the house's own words.

    Raises:
        Unreadable: with one sentence for the person.
    """
    plate = gather(entries)
    if not text.strip():
        raise Unreadable("Enter a reading, such as T 41.0 or front 81.0.")
    spaced = joined(plain_numbers(" ".join(text.split())))
    if first_word(text, _names(plate), more=words) == "note":
        return _note(behind_first(text).split(" "), plate)
    said = joined(in_bench_words(spaced, _names(plate), more=words)).split(" ")
    first = said[0].casefold().rstrip(":=")
    if first == "undo":
        return taken_back(entries, " ".join(said[1:]), typist, lambda entry: describe(entry.payload, entries), _REASONS)
    at = _command_at(said, plate)
    if at is None:
        understood = read_spot(said, plate, light, sure=sure)
    else:
        command = said[at].casefold().rstrip(":=")
        rest = [*said[:at], *said[at + 1 :]]
        understood = _COMMAND[command](rest[1:] if rest and rest[0] in (":", "=") else rest, plate)
    if understood.strikes is None:
        twin = standing_twin(plate, understood.payload)
        if twin is not None:
            says = f"{understood.says}, replacing the earlier reading"
            understood = replace(understood, says=says, strikes=twin, reason="read again")
    try:
        check(plate, understood.payload, understood.strikes)
    except ValueError as problem:
        raise _ten_times(str(problem), understood, plate) from problem
    return _with_rf(understood, entries)


def complete(text: str, entries: Sequence[Entry]) -> list[str]:
    """Words that could come next, most likely first."""
    plate = gather(entries)
    words = text.split(" ")
    stub = words[-1].casefold()
    first = words[0].casefold()
    if len(words) == 1:
        offered = [lane.label for lane in plate.lanes] + [spot.name for spot in plate.spots] + list(OFFERED)
    elif first == "front" and len(words) == 2:
        offered = ["off", *(lane.label for lane in plate.lanes)]
    elif first == "strike" and len(words) == 2:
        offered = [spot.name for spot in plate.spots]
    elif first == "lane" and len(words) > 3:
        offered = ["ref", "unknown", "co-spot"]
    elif first not in _COMMAND and len(words) > 2:
        offered = [*LIGHTS, "faint", "heavy", *(word for word in SWATCHES if word)]
    else:
        offered = []
    return [word for word in offered if word.casefold().startswith(stub) and word.casefold() != stub][:6]


def _names(plate: Plate) -> list[str]:
    return [*(lane.label for lane in plate.lanes), *(spot.name for spot in plate.spots)]


def _command_at(words: list[str], plate: Plate) -> int | None:
    """The place of the word that says what kind of reading it is; None for a spot."""
    plain = [word.casefold().rstrip(":=") for word in words]
    if plain[0] in _COMMAND and plate.lane_called(words[0]) is None:
        if plain[0] == "take" and "lane" in plain:
            return plain.index("lane")
        if plain[0] == "lane" and "spot" in plain and len(plain) > 1 and plate.lane_called(plain[1]) is not None:
            return None
        return 0
    if "lane" in plain[1:-1] and all(plate.lane_called(word) is None for word in words):
        return plain.index("lane")
    for place, word in enumerate(plain):
        if place and word in ("front", "level", "origin", "strike") and plate.lane_called(words[place]) is None:
            return None if word == "origin" and plain[place - 1] in ("the", "from", "above") else place
    return None


def _ten_times(sentence: str, understood: Understood, plate: Plate) -> Unreadable:
    """The refusal of a distance beyond the plate, with a tenth of it where that can be."""
    spot = understood.payload
    lane = plate.lane(spot.lane) if isinstance(spot, Spot) else None
    if lane is None or not isinstance(spot, Spot) or "more than the plate" not in sentence:
        return Unreadable(sentence)
    return NotSure(f"{sentence} Ten times too much?", [f"{lane.label} {spot.distance.value / 10:g}"])


def _lane(word: str, plate: Plate) -> LaneOnPlate:
    lane = plate.lane_called(word)
    if lane is None:
        known = ", ".join(lane.label for lane in plate.lanes) or "none yet"
        raise Unreadable(f"This plate has no lane “{word[:20]}”; its lanes: {known}.")
    return lane


_OFF = frozenset(("off", "ran", "over", "beyond", "top", "past", "left", "out", "plate"))


@dataclass(frozen=True, slots=True)
class _FrontTyped:
    """The words of a front's reading, sorted; ``odd`` are those that say nothing known."""

    said: list[str]
    numbers: list[str]
    lane: LaneOnPlate | None
    odd: list[str]

    @property
    def of_lane(self) -> str:
        """``T `` where the front is a lane's, for the lines that answer."""
        return f"{self.lane.label} " if self.lane else ""

    def has(self, words: Container[str]) -> bool:
        return any(word.casefold() in words for word in self.said)


def _front_typed(words: list[str], plate: Plate) -> _FrontTyped:
    bare = [word.rstrip(":=,") for word in words]
    said = [word for word in bare if word.casefold() not in BETWEEN or plate.lane_called(word)]
    numbers = [word for word in said if VALUE.fullmatch(word) and plate.lane_called(word) is None]
    lane = next((on for word in said if (on := plate.lane_called(word)) is not None), None)
    # A lane's label may be a number as well: the last one is the distance.
    if not numbers and said and VALUE.fullmatch(said[-1]):
        numbers, lane = [said[-1]], lane if len(said) > 1 else None
    if not numbers and len(said) == 1 and re.match(r"[\d.,+\-−]", said[0]) and not ENDS.fullmatch(said[0]):
        numbers = said
    known = {*numbers, *(word for word in said if plate.lane_called(word) is not None)}
    odd = [word for word in said if word not in known and word.casefold() not in _OFF | EDGE | {"mm"}]
    return _FrontTyped(said, numbers, lane, odd)


def _front(words: list[str], plate: Plate) -> Understood:
    if not words:
        raise Unreadable("Enter the front's distance from the origin in mm, or front off if it ran off the top.")
    typed = _front_typed(words, plate)
    where = f" of lane *{typed.lane.label}*" if typed.lane else ""
    key = typed.lane.key if typed.lane else None
    if not typed.numbers and not typed.odd and typed.has(("off", "over", "top", "beyond", "ran")):
        return Understood(Front(lane=key, ran_off=True), f"front{where} ran off the top")
    if not typed.numbers and len(typed.said) == 1 and not ENDS.fullmatch(typed.said[0]):
        _lane(typed.said[0], plate)
    if len(typed.numbers) != 1 or typed.odd:
        raise _front_unclear(words, typed, plate)
    distance = length_of(typed.numbers[0], "The front")
    if plate.set_up is not None:
        _ask_front(typed, distance, plate.set_up)
    return Understood(built(Front, lane=key, distance=distance), f"front{where} at *{distance}*")


def _front_unclear(words: list[str], typed: _FrontTyped, plate: Plate) -> Unreadable:
    lanes = [word for word in typed.said if plate.lane_called(word) is not None]
    if len(typed.numbers) == len(lanes) == 2 and not typed.odd:
        each = [f"front {label} {number}" for label, number in zip(lanes, typed.numbers, strict=True)]
        return NotSure("Two fronts in a line stand between commas.", [", ".join(each)])
    ends = next((found for word in typed.odd if (found := ENDS.fullmatch(word))), None)
    if ends is not None:
        middle = (length_of(ends[1], "The front").value + length_of(ends[2], "The front").value) / 2
        return NotSure(
            "Enter one front, or that of each lane where it is slanted.", [f"front {typed.of_lane}{middle:g}"]
        )
    if len(typed.numbers) == 2 and typed.lane is not None and not typed.odd:
        (one, other), label = typed.numbers, typed.lane.label
        apart = [f"front {one}, {label} {other}", f"{label} {one}, front {other}"]
        return NotSure("Two readings in a line stand between commas.", apart)
    return Unreadable(f"“{' '.join(words)[:30]}” is not clear: enter front 81.0, or front T 80.5.")


def _ask_front(typed: _FrontTyped, distance: Reading, set_up: SetUp) -> None:
    """Ask about a front that was measured from the edge, or that lies beyond the plate.

    Raises:
        NotSure: with lines that answer.
    """
    over, top = over_origin(typed.numbers[0], set_up), set_up.height.value - set_up.origin.value
    if typed.has(EDGE):
        raise NotSure(
            f"The front counts from the origin line, which is {set_up.origin} above the edge: {distance} from the edge "
            f"is {over} mm.",
            [f"front {typed.of_lane}{over}"],
        )
    if distance.value > set_up.height.value:
        sentence = f"{distance} is more than the plate, which is {set_up.height} high."
        raise NotSure(sentence, [f"front {typed.of_lane}{distance.value / 10:g}"])
    if distance.value > top:
        raise NotSure(
            f"{distance} over the origin is above the top of the plate: it ends {top:g} mm over it. "
            f"Measured from the bottom edge it is {over} mm; or did the front run off?",
            [f"front {typed.of_lane}{over}", f"front {typed.of_lane}off"],
        )


def _level(words: list[str], plate: Plate) -> Understood:
    said = [word for word in words if word.casefold() not in BETWEEN]
    if len(said) != 1:
        raise Unreadable("Enter the eluent level above the chamber's floor, in mm.")
    level = length_of(said[0], "The level")
    # Lining and lid stay as they were written.
    chamber = next((line.head.payload for line in plate.lines if isinstance(line.head.payload, Chamber)), Chamber())
    return Understood(chamber.model_copy(update={"level": level}), f"eluent level *{level}*")


def _eluent(words: list[str], plate: Plate) -> Understood:
    if words and words[0].casefold() == "level":
        return _level(words[1:], plate)
    # A range is one word in a line; here it is parts: 8 to 2.
    said = (re.sub(r"^(\d+)-(\d+)$", r"\1:\2", word) for word in words if word != "=")
    eluent = parse_eluent(" ".join(said))
    parts = f" *{eluent.as_percents}*" if eluent.as_percents else ""
    return Understood(EluentUsed(eluent=eluent), f"eluent {eluent.names}{parts}")


def _origin(words: list[str], plate: Plate) -> Understood:
    if plate.set_up is None:
        raise Unreadable("Set up the plate first: its origin belongs to it.")
    said = [word for word in words if word.casefold() not in BETWEEN | EDGE]
    if len(said) != 1:
        raise Unreadable("Enter the origin's height above the bottom edge, in mm, for example: origin 10.")
    origin = length_of(said[0], "The origin")
    set_up = built(SetUp, **{**plate.set_up.model_dump(), "origin": origin})
    return Understood(set_up, f"origin *{origin}* above the bottom edge, was {plate.set_up.origin}")


def _note(words: list[str], plate: Plate) -> Understood:
    if not any(words):
        raise Unreadable("Enter what you saw, for example: note the front was slanted.")
    said = " ".join(words)
    return Understood(built(PlateNoted, words=said), f"noted: {said}")


def _strike(words: list[str], plate: Plate) -> Understood:
    if words and words[0].casefold() in ("last", "previous", "that", "it"):
        raise NotSure("The last thing written is taken back with undo.", ["undo"])
    words = [word for n, word in enumerate(words) if not (n == 0 and word.casefold() == "spot" and len(words) > 1)]
    named = words[0] if words else ""
    found, name, size = _struck(words, plate)
    if found is None:
        raise NotSure(
            f"“{named[:20]}” is not on this plate: enter the spot to strike out, and why."
            if named
            else "Enter the spot to strike out, and why.",
            [f"strike {on.name} misread" for on in plate.spots[:4]],
        )
    reason = " ".join(words[size:]).lstrip(":,- ").removeprefix("because ")
    if len(reason) < 2 or not re.search(r"[^\W\d]{2}", reason):
        raise NotSure(
            f"Enter why {name} is struck out, for example: strike {name} misread.",
            [f"strike {name} {why}" for why in _REASONS],
        )
    return Understood(Struck(), f"strike out *{name}*: {reason}", found, reason)


def _struck(words: list[str], plate: Plate) -> tuple[UUID | None, str, int]:
    """What is to be struck: the head of its line, its name, and how many words name it."""
    plain = [word.casefold() for word in words]
    if not plain:
        return None, "", 0
    spot = next((spot for spot in plate.spots if spot.name.casefold() == plain[0]), None)
    if spot is not None:
        return spot.line.head.id, spot.name, 1
    if plain[0] == "lane" and len(words) > 1:
        lane = plate.lane_called(words[1])
        return (lane.line.head.id, f"lane {lane.label}", 2) if lane else (None, "", 0)
    if plain[0] == "front":
        key = lane.key if len(words) > 1 and (lane := plate.lane_called(words[1])) else None
        twin = standing_twin(plate, Front(lane=key, ran_off=True))
        return twin, f"front {words[1]}" if key else "front", 2 if key else 1
    lane = plate.lane_called(words[0])
    in_lane = plate.spots_in(lane.key) if lane else []
    if len(in_lane) == 1:
        return in_lane[0].line.head.id, in_lane[0].name, 1
    if lane is not None and in_lane:
        raise NotSure(
            f"Which spot of lane {lane.label}?",
            [f"strike {on.name} {' '.join(words[1:]) or 'misread'}" for on in in_lane[:6]],
        )
    return None, "", 0


def _in(words: list[str], plate: Plate) -> Understood:
    if [word for word in words if word.casefold() not in ("the", "plate", "now", "chamber", "tank", "in")]:
        raise Unreadable("Enter only the word in; the time is recorded for you.")
    return Understood(Developing(), "the plate went in now")


def _plate(words: list[str], plate: Plate) -> Understood:
    if words and words[-1].casefold() in ("in", "started"):
        return _in(words[:-1], plate)
    raise Unreadable("The plate’s size and layer are entered in its set-up; the words plate in say that it went in.")


def _rising(words: list[str], plate: Plate) -> Understood:
    said = [word for word in words if word.casefold() not in BETWEEN | {"now"}]
    if len(said) != 1:
        raise Unreadable("Enter the front's distance now, in mm from the origin, for example: rising 22.")
    distance = length_of(said[0], "The front")
    return Understood(built(FrontSeen, distance=distance), f"the front is at *{distance}* now")


def _help(words: list[str], plate: Plate) -> Understood:
    label = plate.lanes[0].label if plate.lanes else "T"
    raise NotSure(
        f"Enter a spot as its lane and its distance in mm: {label} 41.0. Press ? for all words.",
        [f"{label} 41.0 purple 254", "front 81.0", "front off", "level 5", "note …", "undo"],
    )


def _elsewhere(sentence: str) -> Callable[[list[str], Plate], Understood]:
    def refuse(words: list[str], plate: Plate) -> Understood:
        raise Unreadable(sentence)

    return refuse


_COMMAND: dict[str, Callable[[list[str], Plate], Understood]] = {
    "in": _in,
    "start": _in,
    "started": _in,
    "plate": _plate,
    "rising": _rising,
    "front": _front,
    "lane": add_lane,
    "level": _level,
    "eluent": _eluent,
    "solvent": _eluent,
    "origin": _origin,
    "note": _note,
    "strike": _strike,
    "correct": lambda words, plate: read_spot(words, plate, ""),
    "help": _help,
    "photo": _elsewhere("Press Add a photograph to keep a picture of this plate."),
    "photograph": _elsewhere("Press Add a photograph to keep a picture of this plate."),
    "out": _elsewhere("Enter the front as the plate comes out, for example: front 81.0."),
    "stopped": _elsewhere("Enter the front as the plate comes out, for example: front 81.0."),
    "stop": _elsewhere("Enter the front as the plate comes out, for example: front 81.0."),
    "take": _elsewhere("Amounts are entered in the run that this plate belongs to."),
    "dish": _elsewhere("Weighings are entered in the run that this plate belongs to."),
    "timer": _elsewhere("Enter in when the plate goes in: the plate shows when its front will be there."),
    "temp": _elsewhere("Note the temperature in words, for example: note 22 °C at the bench."),
    "done": _elsewhere("A step is marked as done in the run that this plate belongs to."),
}


def _with_rf(understood: Understood, entries: Sequence[Entry]) -> Understood:
    """Add the Rf that a spot would get."""
    if not isinstance(understood.payload, Spot):
        return understood
    sheet = work_out([*entries, as_written(understood, entries, _NOT_YET)])
    result = next((spot for spot in sheet.spots if spot.on.line.head.id == _NOT_YET), None)
    if result is None or result.ratio is None:
        return understood
    ending = ", beyond the front: no Rf" if result.rf is None else f", so Rf *{result.rf_shown}*"
    return replace(understood, says=understood.says + ending)
