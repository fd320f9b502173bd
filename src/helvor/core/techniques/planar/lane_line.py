"""Lanes as people type them: a label, a place, what is on it, or several in one go."""

from __future__ import annotations

import re
from collections.abc import Sequence
from uuid import UUID

from helvor.core.quantities.reading import Reading, Unreadable
from helvor.core.record.typed_line import NotSure, Understood, built
from helvor.core.techniques.planar.plate import (
    Lane,
    Plate,
)
from helvor.core.techniques.planar.spot_line import VALUE, length_of

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


def joined(line: str) -> str:
    """A line in which a range, a lamp's wavelength and a lane's number are one word each."""
    line = re.sub(r"^(\S*[^\W\d_]\S*?)\s*[=:,]\s*(?=\d)", r"\1 ", line)
    line = re.sub(r"\brf\s*[=:]?\s*(?=[\d.,])", "Rf ", line, flags=re.IGNORECASE)
    line = re.sub(r"(?<!\S)(\d[\d.,]*(?:mm|cm)?)\s*(?:-|–|\bto\b)\s*(?=\d)", r"\1-", line)
    line = re.sub(r"^(front|level|origin|rising)(?=\d)", r"\1 ", line, flags=re.IGNORECASE)
    line = re.sub(r"\buv[\s-]*(254|36[56])(?:\s*nm)?\b|\b(254|36[56])\s*nm\b", r"\1\2", line, flags=re.IGNORECASE)
    return re.sub(r"\b(un)?co[\s-]spot(?:ted)?\b", "co-spot", line, flags=re.IGNORECASE)


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


def add_lane(words: list[str], plate: Plate) -> Understood:
    """Read a lane: a new one, or what is on one that is there.

    Raises:
        Unreadable: with one sentence; NotSure where a spot may be meant.
    """
    moves = "at" in [word.casefold() for word in words]
    words = _label_first([word.rstrip(":") for word in words if word.casefold() not in _LEFT_OUT], plate)
    standing = plate.lane_called(words[0]) if words else None
    if standing is not None and len(words) > 1 and not VALUE.fullmatch(words[1]):
        words = [words[0], f"{standing.lane.at.number}mm", *words[1:]]  # what is on it; it stays where it is
    elif standing is not None and not moves and len(words) == 2:
        raise NotSure(
            f"Lane {standing.label} stands {standing.lane.at} from the left edge: a spot in it, or the lane moved?",
            [f"{standing.label} {words[1]}", f"lane {standing.label} at {words[1]}"],
        )
    if not moves:
        _ask_which_in_the_row(words, plate)
    if len(words) < 2:
        raise Unreadable("Enter the lane's label and place, for example: lane P 10 paracetamol ref.")
    label, at = words[0], length_of(words[1], "The lane's place")
    there = [(on.label, on.lane.substance, on.lane.role, on.key) for on in plate.lanes]
    substance, role, combines = _on_lane([word for word in words[2:] if word != "mm"], there)
    about = substance or " + ".join(label for label, _s, _r, key in there if key in combines)
    says = f"lane *{label}* at *{at}* from the left edge" + (f", {about}" if about else "")
    payload = built(Lane, label=label, at=at, substance=substance, role=role, combines=combines)
    if standing is None:
        return Understood(payload, says)
    if len(words) == 2:
        payload = standing.lane.model_copy(update={"at": at})
    return Understood(payload, f"{says}, was at {standing.lane.at}", standing.line.head.id, "read again")


def _ask_which_in_the_row(words: list[str], plate: Plate) -> None:
    """Ask about a lane that is counted from the left, not named: ``third lane 41``, ``lane 3 41``.

    Raises:
        NotSure: with the spot in the lane that is counted, and the new lane.
    """
    if len(words) != 2 or plate.lane_called(words[0]) is not None:
        return
    word, number = words
    row = sorted(plate.lanes, key=lambda on: on.lane.at.value)
    place = int(word) if word.isdecimal() else _COUNTED.get(word.casefold(), 0)
    place = len(row) if word.casefold() in ("last", "right") else place
    if not 1 <= place <= len(row):
        return
    label = row[place - 1].label
    raise NotSure(
        f"Lane {place} from the left is {label}: a spot in it, or a new lane called {word}?",
        [f"{label} {number}", f"lane {word} at {number}"],
    )


_COUNTED = {
    word: place
    for place, words in enumerate(
        ("first 1st left", "second 2nd", "third 3rd", "fourth 4th", "fifth 5th", "sixth 6th"), start=1
    )
    for word in words.split()
}
_LEFT_OUT = frozenset(("at", "take", "new", "=", "is", "spot"))


def _label_first(words: list[str], plate: Plate) -> list[str]:
    """``10 P`` as ``P 10``."""
    place_first = len(words) > 1 and VALUE.fullmatch(words[0]) and not VALUE.fullmatch(words[1])
    if place_first and plate.lane_called(words[0]) is None:
        return [words[1], words[0], *words[2:]]
    return words


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
    pieces = [joined(piece).split() for piece in re.split(r"[,;\n]+", text) if piece.strip()]
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
