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
from collections.abc import Callable, Sequence
from dataclasses import dataclass, field, replace
from datetime import datetime
from typing import Any
from uuid import UUID

from helvor.core.engine.run.names import near
from helvor.core.laws.planar.eluent import parse_eluent
from helvor.core.quantities.reading import Reading, Unreadable, parse
from helvor.core.record.entry import Entry, Struck
from helvor.core.record.typed_line import NotSure, Understood, as_written, built, look_ahead_id, read_each, taken_back
from helvor.core.record.vocabulary import FREE, in_bench_words, plain_numbers
from helvor.core.techniques.planar.line_words import (
    BETWEEN,
    EDGE,
    LAMPS,
    NOTHING,
    Looks,
    colour_of,
    light_of,
    read_looks,
)
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
    PlateNoted,
    SetUp,
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
from helvor.core.techniques.planar.words import describe
from helvor.core.techniques.planar.work_out import work_out

_NOT_YET = UUID(int=0)
_REASONS = ("misread", "typing slip", "wrong lane", "no spot")
NEAR_MM = 4.0
"""A new spot nearer than this to one of its lane is asked about: read again, or another? Common practice, no source."""
_ROLES = {
    "ref": "reference",
    "reference": "reference",
    "known": "reference",
    "standard": "reference",
    "unknown": "unknown",
    "sample": "unknown",
    "co": "co-spot",
    "co-spot": "co-spot",
    "cospot": "co-spot",
    "mix": "co-spot",
    "mixed": "co-spot",
}
_ENDS = re.compile(r"(\d+(?:[.,]\d+)?)(?:mm)?[-–](\d+(?:[.,]\d+)?)(?:mm)?")
_VALUE = re.compile(r"[~≈]?(\d[\d.,]*(?:[eE]\+?\d+)?(?:mm|cm|in|m)?)")


def read_line(
    text: str,
    entries: Sequence[Entry],
    light: str = "",
    now: datetime | None = None,
    ids: Callable[[int], UUID] = look_ahead_id,
    *,
    sure: bool = False,
) -> list[Understood]:
    """Every reading of a typed line, each against the page with the ones before it.

    Args:
        light: the light that a new spot without one is seen under; empty is daylight.
        now: the time, for what is undone.
        ids: the id that each will be written under.
        sure: a spot near another is another one; nobody is there to be asked, as when a device sends what it kept.

    Raises:
        Unreadable: with one sentence for the person; then none of it is written.
    """
    first = in_bench_words(text, _names(gather(entries))).split(" ", maxsplit=1)[0].casefold()
    whole = first in FREE or first in ("lane", "eluent")

    def one(piece: str, there: Sequence[Entry]) -> Understood:
        return understand(piece, there, light, now, sure=sure)

    return read_each(text, entries, one, whole=whole, ids=ids)


def understand(
    text: str, entries: Sequence[Entry], light: str = "", now: datetime | None = None, *, sure: bool = False
) -> Understood:
    """Read one typed reading against the page as it stands.

    Args:
        text: what was typed.
        entries: all entries of the page.
        light: the light that a new spot without one is seen under; empty is daylight.
        now: the time, for what is undone.
        sure: a spot near another is another one.

    Raises:
        Unreadable: with one sentence for the person.
    """
    plate = gather(entries)
    if not text.strip():
        raise Unreadable("Enter a reading, such as T 41.0 or front 81.0.")
    line = _joined(plain_numbers(in_bench_words(" ".join(text.split()), _names(plate))))
    words = line.split(" ")
    first = words[0].casefold().rstrip(":=")
    if first == "undo":
        return taken_back(entries, " ".join(words[1:]), now, lambda entry: describe(entry.payload, entries), _REASONS)
    at = _command_at(words, plate)
    if at is None:
        understood = _spot(words, plate, light, sure=sure)
    else:
        command = words[at].casefold().rstrip(":=")
        rest = [*words[:at], *words[at + 1 :]]
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
        offered = [lane.label for lane in plate.lanes] + [spot.name for spot in plate.spots] + list(_OFFERED)
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


def _joined(line: str) -> str:
    """A line in which a range, a lamp's wavelength and a lane's number are one word each."""
    line = re.sub(r"^(\S*[^\W\d_]\S*?)\s*[=:,]\s*(?=\d)", r"\1 ", line)
    line = re.sub(r"\brf\s*[=:]?\s*(?=[\d.,])", "Rf ", line, flags=re.IGNORECASE)
    line = re.sub(r"(?<=\d)\s*(?:-|–|\bto\b)\s*(?=\d)", "-", line)
    line = re.sub(r"\buv[\s-]*(254|36[56])(?:\s*nm)?\b|\b(254|36[56])\s*nm\b", r"\1\2", line, flags=re.IGNORECASE)
    return re.sub(r"\b(un)?co[\s-]spot(?:ted)?\b", "co-spot", line, flags=re.IGNORECASE)


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


def _length(word: str, what: str) -> Reading:
    ratio = re.fullmatch(r"(\d[\d.,]*)/(\d[\d.,]*)(?:mm|cm)?", word)
    if ratio is not None:
        raise Unreadable(f"{what}: “{word[:20]}” is a ratio: enter {ratio[1]} and {ratio[2]} as two readings, in mm.")
    try:
        return parse(word.lstrip("~≈"), "length", field_unit="mm")
    except Unreadable as unreadable:
        raise Unreadable(f"{what}: {unreadable}") from unreadable


def _lane(word: str, plate: Plate) -> LaneOnPlate:
    lane = plate.lane_called(word)
    if lane is None:
        known = ", ".join(lane.label for lane in plate.lanes) or "none yet"
        raise Unreadable(f"This plate has no lane “{word[:20]}”; its lanes: {known}.")
    return lane


@dataclass(slots=True)
class _Typed:
    """The words of a spot's reading, sorted.

    Attributes:
        lane, spot: what the reading is of; number: of the spot, where it stands apart.
        numbers: distances as typed; ends: lower and upper; width: as typed.
        rest: words for looks and lights; again: the word *new* says that it is another spot.
    """

    lane: LaneOnPlate | None = None
    spot: SpotOnPlate | None = None
    named: str = ""
    numbers: list[str] = field(default_factory=list)
    ends: tuple[str, str] | None = None
    width: str = ""
    rest: list[str] = field(default_factory=list)
    another: bool = False
    is_rf: bool = False
    from_edge: bool = False
    nothing: bool = False


def _target(
    word: str, plate: Plate, *, first: bool, last: bool = False
) -> tuple[LaneOnPlate, SpotOnPlate | None] | None:
    """The lane, and the spot if it is there, that a word names; None where it names none.

    Behind the first word a label that is also a word between others counts only as it is written.

    Raises:
        Unreadable: the number skips one.
    """
    lane = plate.lane_called(word)
    if lane is not None:
        says_nothing = word.casefold() in BETWEEN or colour_of(word.casefold())[0]
        return (lane, None) if first or not says_nothing or lane.label == word else None
    for spot in plate.spots:
        if spot.name.casefold() == word.casefold():
            return spot.on, spot
    for lane in plate.lanes:
        following = plate.next_number.get(lane.key, 1)
        if spot_name(lane.label, following).casefold() == word.casefold():
            return lane, None
        if re.fullmatch(re.escape(lane.label) + r"/?\d+", word, re.IGNORECASE) and not lane.label[-1].isdigit():
            new = spot_name(lane.label, following)
            number = word[len(lane.label) :].lstrip("/")
            apart = f"{lane.label} {number}" if int(number) > following else new
            raise NotSure(
                f"{word} is not on this plate; the next spot in lane {lane.label} is {new}.",
                [apart] if last else [new],
            )
    return None


def _sorted(words: list[str], plate: Plate) -> _Typed:
    typed = _Typed()
    for place, given in enumerate(words):
        word = given.strip(":;,=()")
        if not word:
            continue
        plain = word.casefold()
        before = words[place - 1].casefold() if place else ""
        target = None
        if typed.lane is None and (not _VALUE.fullmatch(word) or place == 0 or before in ("lane", "track")):
            try:
                target = _target(word, plate, first=place == 0 or before == "lane", last=place == len(words) - 1)
            except NotSure as skips:
                answers = [" ".join([*words[:place], name, *words[place + 1 :]]) for name in skips.lines]
                raise NotSure(str(skips), answers) from skips
        ends = _ENDS.fullmatch(word)
        if target is not None:
            typed.lane, typed.spot = target
            typed.named = word
        elif ends:
            typed.ends = ends[1], ends[2]
        elif re.fullmatch(r"w\d.*", plain) or before in ("width", "wide"):
            typed.width = plain.removeprefix("w")
        elif light_of(plain) is not None and typed.numbers:
            typed.rest.append(word)
        elif _VALUE.fullmatch(word) or (re.match(r"[-−+.,]?\d", word) and not typed.numbers):
            typed.numbers.append(word)
        elif plain == "rf":
            typed.is_rf = True
        elif plain in EDGE:
            typed.from_edge = True
        elif plain == "new":
            typed.another = True
        elif plain in NOTHING:
            typed.nothing = True
        elif plain not in ("width", "wide"):
            typed.rest.append(word)
    return typed


def _by_label(words: list[str], plate: Plate) -> list[str]:
    """The words with a lane's substance, where one lane alone has it, in the place of which its label is read."""
    line = " ".join(words)
    on = [lane.lane.substance.casefold() for lane in plate.lanes]
    for lane in sorted(plate.lanes, key=lambda lane: -len(lane.lane.substance)):
        name = lane.lane.substance
        if len(name) > 1 and on.count(name.casefold()) == 1:
            line = re.sub(rf"(?<!\S){re.escape(name)}(?=[\s:=,]|$)", lane.label, line, count=1, flags=re.IGNORECASE)
    return line.split(" ")


def _spot(words: list[str], plate: Plate, light: str, *, sure: bool = False) -> Understood:
    typed = _sorted(words, plate)
    if typed.lane is None:
        words = _by_label(words, plate)
        typed = _sorted(words, plate)
    if typed.lane is None:
        raise _which_lane(words, typed, plate)
    label = typed.named
    if typed.nothing and not typed.numbers:
        raise Unreadable(f"Where nothing shows in lane {typed.lane.label}, leave the lane without a spot, or note it.")
    if re.search(r"±|\+/-|\+-", " ".join(words)):
        line = re.sub(r"\s*(?:±|\+/-|\+-)\s*\S+", "", " ".join(words))
        raise NotSure("Enter the distance alone: its ± follows from the digits that are read.", [line])
    looks = read_looks(typed.rest)
    if not typed.numbers:
        raise _no_distance(words, typed, looks)
    if len(typed.numbers) > 1:
        raise _which_number(typed)
    distance = _distance(typed, plate)
    if looks.odd:
        kept = " ".join(word for word in words if word.strip(":;,=()") not in looks.odd and "(" not in word)
        raise NotSure(
            f"“{' '.join(looks.odd)[:24]}” after the distance is not clear: enter ends 38-45, width w4, a colour or a "
            "light.",
            [kept, f"note {label} {' '.join(looks.odd)}"],
        )
    if looks.lamp and not looks.seen:
        if light not in ("254", "365"):
            left = [word for word in words if word.casefold().rstrip(":,") not in LAMPS]
            raise NotSure("Under which lamp, 254 or 365 nm?", [" ".join([*left, lamp]) for lamp in ("254", "365")])
        looks.seen = [light]  # type: ignore[list-item]  # one of the two lamps
    fields: dict[str, Any] = {"lane": typed.lane.key, "distance": distance}
    if typed.ends:
        fields["tail"], fields["head"] = (
            _length(typed.ends[0], "The lower end"),
            _length(typed.ends[1], "The upper end"),
        )
    if typed.width:
        fields["width"] = _length(typed.width, "The width")
    if looks.colour:
        fields["colour"] = " ".join(looks.colour)
    if looks.swatch:
        fields["swatch"] = looks.swatch
    if looks.strength:
        fields["strength"] = looks.strength
    if looks.seen:
        fields["seen"] = tuple(looks.seen)
    elif typed.spot is None and light in LIGHTS:
        fields["seen"] = (light,)
    if typed.spot is not None:
        return _read_again(typed.spot, fields)
    typed.another = typed.another or sure
    return _new_spot(typed, fields, plate, words)


def _new_spot(typed: _Typed, fields: dict[str, Any], plate: Plate, words: list[str]) -> Understood:
    assert typed.lane is not None
    spot = built(Spot, **fields)
    assert isinstance(spot, Spot)
    name = spot_name(typed.lane.label, plate.next_number.get(typed.lane.key, 1))
    again = seen_again(plate, spot)
    if again is not None and "new" not in [word.casefold() for word in words]:
        says = f"spot *{again.name}* at *{again.spot.distance}*, seen under {_lights(spot)} too"
        return Understood(also_seen(again.spot, spot), says, again.line.head.id, "seen under another light")
    sure = typed.another or typed.named.casefold() == name.casefold()
    twin = None if sure else _nearly(typed.lane, spot, plate)
    if twin is not None:
        line = " ".join(words)
        at = re.compile(rf"\b{re.escape(typed.named)}(?=[\s:=,]|$)")
        kept = "reads" if twin.on.lane.role != "reference" else "of this reference reads"
        raise NotSure(
            f"Spot {twin.name} {kept} {twin.spot.distance} already: read again, or another spot?",
            [at.sub(twin.name, line, count=1), at.sub(name, line, count=1)],
        )
    return Understood(spot, f"new spot *{name}* at *{spot.distance}*{_looks_of(spot)}")


def _looks_of(spot: Spot) -> str:
    """Everything that is written of a spot besides its place."""
    said = [
        f"{spot.tail.number} to {spot.head}" if spot.tail and spot.head else "",
        f"{spot.width} wide" if spot.width else "",
        spot.strength if spot.strength != "clear" else "",
        spot.colour,
        _lights(spot) if spot.seen != ("daylight",) else "",
    ]
    return "".join(f", {words}" for words in said if words)


def _lights(spot: Spot) -> str:
    return " and ".join(LIGHTS[light].lower() for light in spot.seen)


def _nearly(lane: LaneOnPlate, spot: Spot, plate: Plate) -> SpotOnPlate | None:
    """The spot of a lane that a new one may be another reading of; a reference has one spot."""
    there = [on for on in plate.spots_in(lane.key) if set(on.spot.seen) & set(spot.seen)]
    if not there:
        return None
    nearest = min(there, key=lambda on: abs(on.spot.distance.value - spot.distance.value))
    apart = abs(nearest.spot.distance.value - spot.distance.value)
    alone = lane.lane.role == "reference" and len(there) == 1
    return nearest if apart < NEAR_MM or alone else None


def _read_again(standing: SpotOnPlate, fields: dict[str, Any]) -> Understood:
    kept = moved(standing.spot, fields["distance"]).model_dump()
    spot = built(Spot, **{**kept, **fields})
    assert isinstance(spot, Spot)
    more = [f", {word}" for name in ("strength", "colour") if (word := fields.get(name))]
    if "tail" in fields:
        more.insert(0, f", {spot.tail.number if spot.tail else ''} to {spot.head}")
    if "width" in fields:
        more.append(f", {spot.width} wide")
    if "seen" in fields:
        more.append(f", {_lights(spot)}")
    return Understood(
        spot,
        f"spot *{standing.name}* at *{spot.distance}*{''.join(more)}, was {standing.spot.distance}",
        standing.line.head.id,
        "read again",
    )


def _which_lane(words: list[str], typed: _Typed, plate: Plate) -> Unreadable:
    """What is asked where no word names a lane of this plate."""
    labels = [lane.label for lane in plate.lanes]
    if not labels:
        return Unreadable(
            f"“{words[0][:20]}” is not a lane or spot of this plate: add a lane first, such as lane T 20."
        )
    says_nothing = all(
        word.casefold().rstrip(":=,") in BETWEEN
        or _VALUE.fullmatch(word.rstrip(":=,"))
        or colour_of(word.casefold())[0]
        for word in words
    )
    if typed.is_rf:
        return Unreadable(f"Enter a lane and its distance in mm, such as {labels[0]} 41.0: the Rf follows from it.")
    left = words if says_nothing else words[1:]
    rest = " ".join(word for word in left if word.casefold().rstrip(":=,") not in BETWEEN)
    command = near(words[0], _OFFERED)
    answers = [f"{label} {rest}" for label in labels[:6]] if typed.numbers and rest else []
    answers = [*(f"{one} {' '.join(words[1:])}" for one in command), *answers]
    if not typed.numbers:
        answers = [*answers, f"note {' '.join(words)}"]
    if says_nothing:
        return NotSure(f"In which lane? This plate has {', '.join(labels)}.", answers)
    return NotSure(
        f"“{words[0][:20]}” is not a lane or spot of this plate; its lanes: {', '.join(labels)}.",
        answers,
    )


def _no_distance(words: list[str], typed: _Typed, looks: Looks) -> Unreadable:
    if typed.ends:
        middle = f"{(_length(typed.ends[0], '').value + _length(typed.ends[1], '').value) / 2:g}"
        return NotSure(
            f"Enter the centre of {typed.named} as well: half-way between its ends is {middle} mm.",
            [f"{typed.named} {middle} {typed.ends[0]}-{typed.ends[1]}"],
        )
    if looks.odd:
        said = " ".join(word for word in words if word.rstrip(":") != typed.named)
        return NotSure(
            f"The distance: “{looks.odd[0][:20]}” is not a number: enter {typed.named} and its distance in mm, or note "
            "it in words.",
            [f"note {typed.named} {said}"],
        )
    return Unreadable(f"Enter the distance of {typed.named} from the origin, in mm.")


def _which_number(typed: _Typed) -> Unreadable:
    several = ", ".join(f"{typed.named} {number}" for number in typed.numbers)
    if typed.is_rf:
        raise NotSure("The Rf follows from the distance: enter that alone.", [f"{typed.named} {typed.numbers[0]}"])
    answers = [several]
    first = typed.numbers[0]
    if len(typed.numbers) == 2 and first.isdigit() and int(first) < 10 and typed.spot is None:
        assert typed.lane is not None
        answers.insert(0, f"{spot_name(typed.lane.label, int(first))} {typed.numbers[1]}")
    if typed.lane is not None and len(typed.numbers) == 3:
        centre, low, high = typed.numbers
        if _length(low, "").value <= _length(centre, "").value <= _length(high, "").value:
            answers.append(f"{typed.named} {centre} {low}-{high}")
    return NotSure(f"Which is the distance of {typed.named}: {' or '.join(typed.numbers)}?", answers)


def _distance(typed: _Typed, plate: Plate) -> Reading:
    """The distance over the origin; an Rf, or a distance from the edge, is asked about."""
    written = typed.numbers[0]
    if typed.from_edge and plate.set_up is not None:
        over = _over_origin(written, plate.set_up)
        raise NotSure(
            f"Distances count from the origin line, which is {plate.set_up.origin} above the edge: "
            f"{_length(written, 'The distance')} from the edge is {over} mm.",
            [f"{typed.named} {over}"],
        )
    if typed.is_rf or re.fullmatch(r"[01]?[.,]\d+", written):
        rf = re.fullmatch(r"[01]?[.,]\d+", written)
        front = plate.front.distance if plate.front is not None and plate.front.distance is not None else None
        answers = []
        if rf and front is not None:
            answers.append(f"{typed.named} {float(written.replace(',', '.')) * front.value:.1f}")
        if rf and not typed.is_rf:
            answers.append(f"{typed.named} {written} mm")
        worked = f" With the front at {front} it would be {answers[0].split()[-1]} mm." if rf and front else ""
        raise NotSure(f"{written} looks like an Rf: enter the distance in mm, and the Rf follows.{worked}", answers)
    return _length(written, "The distance")


def _over_origin(written: str, set_up: SetUp) -> str:
    return f"{max(0.0, _length(written, 'The distance').value - set_up.origin.value):g}"


_OFF = frozenset(("off", "ran", "over", "beyond", "top", "past", "left", "out", "plate"))


def _front(words: list[str], plate: Plate) -> Understood:
    if not words:
        raise Unreadable("Enter the front's distance from the origin in mm, or front off if it ran off the top.")
    said = [
        word.rstrip(":=,") for word in words if word.casefold().rstrip(":=,") not in BETWEEN or plate.lane_called(word)
    ]
    numbers = [word for word in said if _VALUE.fullmatch(word) and plate.lane_called(word) is None]
    lane = next((on for word in said if (on := plate.lane_called(word)) is not None), None)
    if not numbers and len(said) > 1 and lane is not None and _VALUE.fullmatch(said[-1]):
        numbers = [said[-1]]  # a lane whose label is a number
    if lane is not None and said[-1:] == [lane.label] and len(said) == 1 and _VALUE.fullmatch(said[0]):
        numbers, lane = [said[0]], None
    where = f" of lane *{lane.label}*" if lane else ""
    key = lane.key if lane else None
    odd = [
        word
        for word in said
        if word not in numbers and word.casefold() not in _OFF | EDGE | {"mm"} and plate.lane_called(word) is None
    ]
    if not numbers and any(word.casefold() in ("off", "over", "top", "beyond", "ran") for word in said) and not odd:
        return Understood(Front(lane=key, ran_off=True), f"front{where} ran off the top")
    if len(said) == 1 and not numbers and not re.match(r"[\d.,+\-−]", said[0]):
        _lane(said[0], plate)
    if not numbers and len(said) == 1 and re.match(r"[\d.,+\-−]", said[0]):
        numbers, odd = said, []
    if len(numbers) != 1 or odd:
        if len(numbers) == 2 and lane is not None and not odd:
            one, other = numbers
            apart = [f"front {one}, {lane.label} {other}", f"{lane.label} {one}, front {other}"]
            raise NotSure("Two readings in a line stand between commas.", apart)
        raise Unreadable(f"“{' '.join(words)[:30]}” is not clear: enter front 81.0, or front T 80.5.")
    if any(word.casefold() in EDGE for word in said) and plate.set_up is not None:
        over = _over_origin(numbers[0], plate.set_up)
        raise NotSure(
            f"The front counts from the origin line, which is {plate.set_up.origin} above the edge: "
            f"{_length(numbers[0], 'The front')} from the edge is {over} mm.",
            [f"front {lane.label + ' ' if lane else ''}{over}"],
        )
    distance = _length(numbers[0], "The front")
    top = plate.set_up.height.value - plate.set_up.origin.value if plate.set_up else None
    if plate.set_up is not None and distance.value > plate.set_up.height.value:
        tenth = f"front {lane.label + ' ' if lane else ''}{distance.value / 10:g}"
        raise NotSure(f"{distance} is more than the plate, which is {plate.set_up.height} high.", [tenth])
    if top is not None and distance.value > top:
        assert plate.set_up is not None
        over = f"{distance.value - plate.set_up.origin.value:g}"
        raise NotSure(
            f"{distance} over the origin is above the top of the plate: it ends {top:g} mm over it. "
            f"Measured from the bottom edge it is {over} mm; or did the front run off?",
            [f"front {over}", "front off"],
        )
    return Understood(built(Front, lane=key, distance=distance), f"front{where} at *{distance}*")


def _parts_of(words: list[str], there: Sequence[tuple[str, str, str, UUID]]) -> tuple[UUID, ...]:
    """The lanes that a co-spot puts together: labels, substances or roles between *+*, *and* or spaces.

    Args:
        there: label, substance, role and key of each lane that is there.
    """
    said = re.split(r"\s*(?:\+|&|\band\b|/)\s*", " ".join(words))
    if len(said) == 1:
        said = words
    keys: list[UUID] = []
    loose: list[str] = []
    for part in said:
        plain = part.strip().casefold()
        exact = [key for label, on_it, _, key in there if plain in (label.casefold(), on_it.casefold())]
        by_role = [key for _, _, role, key in there if role == _ROLES.get(plain)]
        found = exact or (by_role if len(by_role) == 1 else [])
        if not plain or not found:
            loose.append(part.strip())
        else:
            keys.append(found[0])
    if keys and loose:
        labels = ", ".join(label for label, *_ in there)
        raise Unreadable(f"“{loose[0][:20]}” is no lane here: name the lanes that are put together, of {labels}.")
    return tuple(dict.fromkeys(keys))


def _on_lane(words: list[str], there: Sequence[tuple[str, str, str, UUID]]) -> tuple[str, str, tuple[UUID, ...]]:
    """What is on a lane, its role, and the lanes that it combines."""
    is_co_spot = any(_ROLES.get(word.casefold()) == "co-spot" for word in words)
    if is_co_spot:
        rest = [word for word in words if _ROLES.get(word.casefold()) != "co-spot"]
        combines = _parts_of(rest, there)
        return ("" if combines else " ".join(rest)), "co-spot", combines
    roles = [_ROLES[word.casefold()] for word in words if word.casefold() in _ROLES]
    return " ".join(word for word in words if word.casefold() not in _ROLES), roles[0] if roles else "unknown", ()


def _add_lane(words: list[str], plate: Plate) -> Understood:
    moves = "at" in [word.casefold() for word in words]
    words = [word.rstrip(":") for word in words if word.casefold() not in ("at", "take", "new", "=", "is", "spot")]
    place_first = len(words) > 1 and _VALUE.fullmatch(words[0]) and not _VALUE.fullmatch(words[1])
    if place_first and plate.lane_called(words[0]) is None:
        words = [words[1], words[0], *words[2:]]
    standing = plate.lane_called(words[0]) if words else None
    if standing is not None and not moves and len(words) == 2 and _VALUE.fullmatch(words[1]):
        raise NotSure(
            f"Lane {standing.label} stands {standing.lane.at} from the left edge: a spot in it, or the lane moved?",
            [f"{standing.label} {words[1]}", f"lane {standing.label} at {words[1]}"],
        )
    if len(words) >= 2 and standing is not None and not _VALUE.fullmatch(words[1]):
        words = [words[0], standing.lane.at.written, *words[1:]]
        words[1] = f"{standing.lane.at.number}mm"
    if len(words) < 2:
        raise Unreadable("Enter the lane's label and place, for example: lane P 10 paracetamol ref.")
    label, at = words[0], _length(words[1], "The lane's place")
    there = [(on.label, on.lane.substance, on.lane.role, on.key) for on in plate.lanes]
    substance, role, combines = _on_lane([word for word in words[2:] if word != "mm"], there)
    payload = built(Lane, label=label, at=at, substance=substance, role=role, combines=combines)
    together = " + ".join(label for label, _s, _r, key in there if key in combines)
    about = substance or together
    says = f"lane *{label}* at *{at}* from the left edge" + (f", {about}" if about else "")
    if standing is None:
        return Understood(payload, says)
    kept = standing.lane if len(words) == 2 else None
    if kept is not None:
        payload = kept.model_copy(update={"at": at})
    return Understood(payload, f"{says}, was at {standing.lane.at}", standing.line.head.id, "read again")


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
    pieces = [_joined(piece).split() for piece in re.split(r"[,;\n]+", text) if piece.strip()]
    if len(pieces) > len(ids):
        raise Unreadable(f"Enter at most {len(ids)} lanes.")
    labels = [words[0] for words in pieces]
    if len({label.casefold() for label in labels}) < len(labels):
        raise Unreadable("Two lanes have the same label: enter a different one.")
    there = []
    for words, key in zip(pieces, ids, strict=False):
        substance, role, _ = _on_lane(words[1:], ())
        there.append((words[0], substance, role, key))
    lanes = []
    for number, words in enumerate(pieces, start=1):
        substance, role, combines = _on_lane(words[1:], there)
        at = round(2 * width * number / (len(pieces) + 1)) / 2
        reading = Reading(written=f"{at:g} mm", value=at, unit="mm", resolution=0.5)
        lanes.append(built(Lane, label=words[0], at=reading, substance=substance, role=role, combines=combines))
    return lanes


def _level(words: list[str], plate: Plate) -> Understood:
    said = [word for word in words if word.casefold() not in BETWEEN]
    if len(said) != 1:
        raise Unreadable("Enter the eluent level above the chamber's floor, in mm.")
    level = _length(said[0], "The level")
    # Lining and lid stay as they were written.
    chamber = next((line.head.payload for line in plate.lines if isinstance(line.head.payload, Chamber)), Chamber())
    return Understood(chamber.model_copy(update={"level": level}), f"eluent level *{level}*")


def _eluent(words: list[str], plate: Plate) -> Understood:
    if words and words[0].casefold() == "level":
        return _level(words[1:], plate)
    eluent = parse_eluent(" ".join(word for word in words if word != "="))
    parts = f" *{eluent.as_percents}*" if eluent.as_percents else ""
    return Understood(EluentUsed(eluent=eluent), f"eluent {eluent.names}{parts}")


def _origin(words: list[str], plate: Plate) -> Understood:
    if plate.set_up is None:
        raise Unreadable("Set up the plate first: its origin belongs to it.")
    said = [word for word in words if word.casefold() not in BETWEEN | EDGE]
    if len(said) != 1:
        raise Unreadable("Enter the origin's height above the bottom edge, in mm, for example: origin 10.")
    origin = _length(said[0], "The origin")
    set_up = built(SetUp, **{**plate.set_up.model_dump(), "origin": origin})
    return Understood(set_up, f"origin *{origin}* above the bottom edge, was {plate.set_up.origin}")


def _note(words: list[str], plate: Plate) -> Understood:
    if not words:
        raise Unreadable("Enter what you saw, for example: note the front was slanted.")
    said = " ".join(words)
    return Understood(built(PlateNoted, words=said), f"noted: {said}")


def _strike(words: list[str], plate: Plate) -> Understood:
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
    distance = _length(said[0], "The front")
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
    "started": _in,
    "plate": _plate,
    "rising": _rising,
    "front": _front,
    "lane": _add_lane,
    "level": _level,
    "eluent": _eluent,
    "solvent": _eluent,
    "origin": _origin,
    "note": _note,
    "strike": _strike,
    "correct": lambda words, plate: _spot(words, plate, ""),
    "help": _help,
    "photo": _elsewhere("Press Add a photograph to keep a picture of this plate."),
    "photograph": _elsewhere("Press Add a photograph to keep a picture of this plate."),
    "out": _elsewhere("Enter the front as the plate comes out, for example: front 81.0."),
    "stop": _elsewhere("Enter the front as the plate comes out, for example: front 81.0."),
    "take": _elsewhere("Amounts are entered in the run that this plate belongs to."),
    "dish": _elsewhere("Weighings are entered in the run that this plate belongs to."),
    "timer": _elsewhere("Enter in when the plate goes in: the plate shows when its front will be there."),
    "temp": _elsewhere("Note the temperature in words, for example: note 22 °C at the bench."),
    "done": _elsewhere("A step is marked as done in the run that this plate belongs to."),
}
_OFFERED = ("front", "lane", "level", "eluent", "in", "rising", "strike", "undo", "note")


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
