"""A spot as people type it: its lane, its distance, and what it looks like."""

from __future__ import annotations

import re
from dataclasses import dataclass, field
from typing import Any

from helvor.core.laws.planar.eluent import parse_eluent
from helvor.core.quantities.reading import Reading, Unreadable, parse
from helvor.core.record.alike import near
from helvor.core.record.typed_line import NotSure, Understood, built
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
    LaneOnPlate,
    Plate,
    SetUp,
    Spot,
    SpotOnPlate,
    also_seen,
    moved,
    seen_again,
)
from helvor.core.techniques.planar.spot_names import spot_name

NEAR_MM = 4.0
"""A new spot nearer than this to one of its lane is asked about: read again, or another? Common practice, no source."""


ENDS = re.compile(r"(\d+(?:[.,]\d+)?)(?:mm)?[-–](\d+(?:[.,]\d+)?)(?:mm)?")


VALUE = re.compile(r"[~≈]?(\d[\d.,]*(?:[eE]\+?\d+)?(?:mm|cm|in|m)?)")


def length_of(word: str, what: str) -> Reading:
    """A length as typed, mm without a unit.

    Raises:
        Unreadable: beginning with *what*.
    """
    ratio = re.fullmatch(r"(\d[\d.,]*)/(\d[\d.,]*)(?:mm|cm)?", word)
    if ratio is not None:
        raise Unreadable(f"{what}: “{word[:20]}” is a ratio: enter {ratio[1]} and {ratio[2]} as two readings, in mm.")
    try:
        return parse(word.lstrip("~≈"), "length", field_unit="mm")
    except Unreadable as unreadable:
        raise Unreadable(f"{what}: {unreadable}") from unreadable


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


_WIDTHS = ("width", "wide", "across", "diameter", "dia")


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
        if re.fullmatch(re.escape(lane.label) + r"/?\d+", word, re.IGNORECASE) and not lane.label[-1].isdecimal():
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
        before = words[place - 1].casefold() if place else ""
        if not word:
            continue
        target = _target_at(words, place, word, before, typed, plate)
        if target is not None:
            typed.lane, typed.spot = target
            typed.named = word
        elif not _number_at(word, before if not _is_wide(words, place) else "wide", typed):
            _word_at(word, typed)
    return typed


def _target_at(
    words: list[str], place: int, word: str, before: str, typed: _Typed, plate: Plate
) -> tuple[LaneOnPlate, SpotOnPlate | None] | None:
    """The lane or spot that a word names, where none is named yet; a bare number is a lane only in its place."""
    if typed.lane is not None or (VALUE.fullmatch(word) and place and before not in ("lane", "track")):
        return None
    try:
        return _target(word, plate, first=place == 0 or before == "lane", last=place == len(words) - 1)
    except NotSure as skips:
        answers = [" ".join([*words[:place], name, *words[place + 1 :]]) for name in skips.lines]
        raise NotSure(str(skips), answers) from skips


def _is_wide(words: list[str], place: int) -> bool:
    """Whether a number is a width by the word behind it: ``4 mm wide``."""
    return place + 1 < len(words) and words[place + 1].casefold() in ("wide", "across")


def _number_at(word: str, before: str, typed: _Typed) -> bool:
    """Keep a distance, a width or two ends; False where the word is none of them."""
    ends = ENDS.fullmatch(word)
    if ends:
        typed.ends = ends[1], ends[2]
    elif re.fullmatch(r"w\d.*", word.casefold()) or (before in _WIDTHS and VALUE.fullmatch(word)):
        typed.width = word.casefold().removeprefix("w")
    elif light_of(word.casefold()) is not None and typed.numbers:
        return False
    elif VALUE.fullmatch(word) or (re.match(r"[-−+.,]?\d", word) and not typed.numbers):
        typed.numbers.append(word)
    else:
        return False
    return True


def _word_at(word: str, typed: _Typed) -> None:
    """Keep a word that is no number."""
    plain = word.casefold()
    if plain == "rf":
        typed.is_rf = True
    elif plain in EDGE:
        typed.from_edge = True
    elif plain == "new":
        typed.another = True
    elif plain in NOTHING:
        typed.nothing = True
    elif plain not in _WIDTHS:
        typed.rest.append(word)


def _by_label(words: list[str], plate: Plate) -> list[str]:
    """The words with a lane's substance, where one lane alone has it, in the place of which its label is read."""
    line = " ".join(words)
    on = [lane.lane.substance.casefold() for lane in plate.lanes]
    for lane in sorted(plate.lanes, key=lambda lane: -len(lane.lane.substance)):
        name = lane.lane.substance
        if len(name) > 1 and on.count(name.casefold()) == 1:
            line = re.sub(rf"(?<!\S){re.escape(name)}(?=[\s:=,]|$)", lane.label, line, count=1, flags=re.IGNORECASE)
    return line.split(" ")


def read_spot(words: list[str], plate: Plate, light: str, *, sure: bool = False) -> Understood:
    """Read a spot.

    Args:
        light: that a new spot without one is seen under; sure: near another it is another one.

    Raises:
        Unreadable: with one sentence; NotSure with lines that answer.
    """
    typed = _sorted(words, plate)
    if typed.lane is None:
        _ask_new_lane(words, typed)
        words = _by_label(words, plate)
        typed = _sorted(words, plate)
    if typed.lane is None:
        raise _which_lane(words, typed, plate)
    looks = read_looks(typed.rest)
    _ask_one_distance(words, typed, looks)
    distance = _distance(typed, plate)
    _ask_looks(words, typed, looks, light)
    fields = {"lane": typed.lane.key, "distance": distance, **_ends_of(typed), **_looks_as_fields(looks)}
    if typed.spot is not None:
        return _read_again(typed.spot, fields)
    if light in LIGHTS:
        fields.setdefault("seen", (light,))
    typed.another = typed.another or sure
    return _new_spot(typed, fields, plate, words)


_ROLE_WORDS = frozenset(("ref", "reference", "standard", "unknown", "sample", "co-spot", "cospot"))


def _ask_new_lane(words: list[str], typed: _Typed) -> None:
    """Ask whether a short unknown label with a place and a role is a lane.

    Raises:
        NotSure: with the line for it.
    """
    roles = [word for word in words[1:] if word.casefold() in _ROLE_WORDS]
    if len(words[0]) <= 4 and not is_known(words[0]) and len(typed.numbers) == 1 and roles:
        rest = [word for word in words[1:] if word != typed.numbers[0]]
        line = " ".join(["lane", words[0], typed.numbers[0], *rest])
        raise NotSure(f"This plate has no lane “{words[0]}” yet: add it?", [line])


def is_known(word: str) -> bool:
    """Whether a word says something by itself, so that it is no label."""
    plain = word.casefold()
    return plain in BETWEEN or colour_of(plain)[0] or VALUE.fullmatch(word) is not None


def _ask_one_distance(words: list[str], typed: _Typed, looks: Looks) -> None:
    """Refuse or ask about a spot that has no distance, several, or one with its own uncertainty."""
    assert typed.lane is not None
    line = " ".join(words)
    if typed.nothing and not typed.numbers:
        raise Unreadable(f"Where nothing shows in lane {typed.lane.label}, leave the lane without a spot, or note it.")
    if re.search(r"±|\+/-|\+-", line):
        alone = re.sub(r"\s*(?:±|\+/-|\+-)\s*\S+", "", line)
        raise NotSure("Enter the distance alone: its ± follows from the digits that are read.", [alone])
    if not typed.numbers:
        raise _no_distance(words, typed, looks)
    if len(typed.numbers) > 1:
        raise _which_number(typed)


def _ask_looks(words: list[str], typed: _Typed, looks: Looks, light: str) -> None:
    """Ask about words that say nothing known, and about a lamp that may be either.

    Raises:
        NotSure: with lines that answer.
    """
    if looks.odd:
        odd = " ".join(looks.odd)
        kept = " ".join(word for word in words if word.strip(":;,=()") not in looks.odd and "(" not in word)
        raise NotSure(
            f"“{odd[:24]}” after the distance is not clear: enter ends 38-45, width w4, a colour or a light.",
            [kept, f"note {typed.named} {odd}"],
        )
    if not looks.lamp or looks.seen:
        return
    if light not in ("254", "365"):
        left = [word for word in words if word.casefold().rstrip(":,") not in LAMPS]
        raise NotSure("Under which lamp, 254 or 365 nm?", [" ".join([*left, lamp]) for lamp in ("254", "365")])
    looks.seen = [light]  # type: ignore[list-item]  # one of the two lamps


def _ends_of(typed: _Typed) -> dict[str, Any]:
    found: dict[str, Any] = {}
    if typed.ends:
        found["tail"] = length_of(typed.ends[0], "The lower end")
        found["head"] = length_of(typed.ends[1], "The upper end")
    if typed.width:
        found["width"] = length_of(typed.width, "The width")
    return found


def _looks_as_fields(looks: Looks) -> dict[str, Any]:
    said = {
        "colour": " ".join(looks.colour),
        "swatch": looks.swatch,
        "strength": looks.strength,
        "seen": tuple(looks.seen),
    }
    return {name: value for name, value in said.items() if value}


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
        word.casefold().rstrip(":=,") in BETWEEN or VALUE.fullmatch(word.rstrip(":=,")) or colour_of(word.casefold())[0]
        for word in words
    )
    if typed.is_rf:
        return Unreadable(f"Enter a lane and its distance in mm, such as {labels[0]} 41.0: the Rf follows from it.")
    mixed = _an_eluent(" ".join(words))
    if mixed:
        return NotSure("Is that the eluent?", [mixed, f"note {' '.join(words)}"])
    left = words if says_nothing else words[1:]
    rest = " ".join(word for word in left if word.casefold().rstrip(":=,") not in BETWEEN)
    command = [one for one in OFFERED if one.startswith(words[0].casefold())] or near(words[0], OFFERED)
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


def _an_eluent(line: str) -> str:
    """The line for an eluent that is typed without the word; empty where it is none."""
    if not re.search(r"[^\W\d]{3}.*(?::|/|\bin\b|\band\b|%)", line):
        return ""
    try:
        parse_eluent(line)
    except ValueError:
        return ""
    return f"eluent {line}"


def _no_distance(words: list[str], typed: _Typed, looks: Looks) -> Unreadable:
    if typed.ends:
        middle = f"{(length_of(typed.ends[0], '').value + length_of(typed.ends[1], '').value) / 2:g}"
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
    if len(typed.numbers) == 2 and first.isdecimal() and int(first) < 10 and typed.spot is None:
        assert typed.lane is not None
        answers.insert(0, f"{spot_name(typed.lane.label, int(first))} {typed.numbers[1]}")
    if typed.lane is not None and len(typed.numbers) == 3:
        centre, low, high = typed.numbers
        if length_of(low, "").value <= length_of(centre, "").value <= length_of(high, "").value:
            answers.append(f"{typed.named} {centre} {low}-{high}")
    return NotSure(f"Which is the distance of {typed.named}: {' or '.join(typed.numbers)}?", answers)


def _distance(typed: _Typed, plate: Plate) -> Reading:
    """The distance over the origin; an Rf, or a distance from the edge, is asked about."""
    written = typed.numbers[0]
    if typed.from_edge and plate.set_up is not None:
        over = over_origin(written, plate.set_up)
        raise NotSure(
            f"Distances count from the origin line, which is {plate.set_up.origin} above the edge: "
            f"{length_of(written, 'The distance')} from the edge is {over} mm.",
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
    return length_of(written, "The distance")


def over_origin(written: str, set_up: SetUp) -> str:
    """A distance from the bottom edge as one from the origin line, mm."""
    return f"{max(0.0, length_of(written, 'The distance').value - set_up.origin.value):g}"


OFFERED = ("front", "lane", "level", "eluent", "in", "rising", "strike", "undo", "note")
