"""A typed line: what it means before it is written, and what is asked where that is not sure.

Line 1. What is not understood is asked about or refused, with lines that answer; it is never written as something else.
Line 2. Several readings in one line stand between commas or semicolons; each is read after the ones before it.
"""

from __future__ import annotations

import re
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from datetime import UTC, datetime, timedelta
from typing import Any, TypeVar
from uuid import UUID, uuid5

from pydantic import ValidationError

from helvor.core.quantities.reading import Unreadable
from helvor.core.record.entry import Entry, Payload, Struck, lines

AT_ONCE = timedelta(minutes=1)
"""Within this what was written last is taken back without a reason. Common practice, no source."""
UNDONE = "undone at once"
MOST_IN_A_LINE = 24
"""Readings that one line may hold."""


class NotSure(Unreadable):
    """A line that may mean something else: the question, and the lines that answer it."""

    def __init__(self, sentence: str, answers: Sequence[str]) -> None:
        super().__init__(sentence)
        self.lines = tuple(dict.fromkeys(answers))


class NoStepForIt(Unreadable):
    """A technique's reading in a run that has no step for it."""


@dataclass(frozen=True, slots=True)
class Understood:
    """What a typed line means, before it is written.

    Attributes:
        payload: the entry to write.
        says: what was understood, in words; parts between asterisks are readings.
        strikes: the entry it corrects or takes back, None for a new reading.
        reason: why that is struck through; empty for a new reading.
    """

    payload: Payload
    says: str
    strikes: UUID | None = None
    reason: str = ""


_NOT_YET = datetime.min.replace(tzinfo=UTC)


_Said = TypeVar("_Said", bound=Payload)


def built(model: type[_Said], **fields: Any) -> _Said:
    """An entry from what was read.

    Raises:
        Unreadable: with the sentence of what does not go together.
    """
    try:
        return model(**fields)
    except ValidationError as invalid:
        message = invalid.errors()[0]["msg"].removeprefix("Value error, ")
        raise Unreadable(re.sub(r"^\w+: ", "", message)) from invalid


def look_ahead_id(number: int) -> UUID:
    """An id for a reading that is only looked at; none that is written has it."""
    return UUID(int=number + 1)


def ids_from(first: UUID) -> Callable[[int], UUID]:
    """The ids of a line's readings, by the id that the device gave the line: the same however often it is sent."""
    return lambda number: first if number == 0 else uuid5(first, str(number))


def as_written(understood: Understood, entries: Sequence[Entry], key: UUID) -> Entry:
    """The entry as it would stand on the page under this id."""
    return Entry(
        id=key,
        seq=len(entries) + 1,
        payload=understood.payload,
        strikes=understood.strikes,
        reason=understood.reason,
        by="",
        at=_NOT_YET,
    )


def read_each(
    text: str,
    entries: Sequence[Entry],
    one: Callable[[str, Sequence[Entry]], Understood],
    *,
    whole: bool,
    ids: Callable[[int], UUID] = look_ahead_id,
) -> list[Understood]:
    """Every reading of a line, each read after the ones before it.

    Args:
        one: reads a single reading against a page.
        whole: the line is one reading, whatever stands in it, as a note is.
        ids: the id that each reading will be written under, from 0.

    Raises:
        Unreadable: none of it is written.
    """
    try:
        return [one(text, entries)]
    except Unreadable as alone:
        pieces = [] if whole else pieces_of(text)
        if len(pieces) < 2:
            raise
        refused: Unreadable = alone
    if len(pieces) > MOST_IN_A_LINE:
        raise Unreadable(f"Enter at most {MOST_IN_A_LINE} readings in one line.")
    read: list[Understood] = []
    there = list(entries)
    for number, piece in enumerate(pieces):
        try:
            understood = one(piece, there)
        except NotSure as asked:
            if number == 0 and _is_word(piece):
                raise refused from None
            lines_ = [", ".join([*pieces[:number], line, *pieces[number + 1 :]]) for line in asked.lines]
            raise NotSure(str(asked), lines_) from asked
        except Unreadable as problem:
            if number == 0:
                raise refused from None
            raise Unreadable(f"“{piece[:30]}”: {problem}") from problem
        read.append(understood)
        there.append(as_written(understood, there, ids(number)))
    return read


def pieces_of(text: str) -> list[str]:
    """The readings that a line may hold, between semicolons, line ends, and commas before a space.

    A bare number takes the first word of the reading before it: ``T 30, 42`` are two spots in lane T.

    >>> pieces_of("P 30, C 12.5; T 55, 61")
    ['P 30', 'C 12.5', 'T 55', 'T 61']
    """
    found = [piece.strip() for piece in re.split(_BETWEEN_READINGS, text) if piece.strip()]
    pieces: list[str] = []
    for piece in found:
        before = pieces[-1].split() if pieces else []
        bare = len(before) == 2 and re.fullmatch(r"[\d.,]+(?:\s*[a-zA-Zµ]{1,2})?", piece)
        pieces.append(f"{before[0]} {piece}" if bare else piece)
    return pieces


_BETWEEN_READINGS = r"\s*(?:[;\n]|,(?=\s))\s*|\s+(?:and|then|&)\s+(?=\S*[^\W\d]\S*\s+\d)"
"""*And* counts where a name and a number follow it."""


def _is_word(piece: str) -> bool:
    return not re.search(r"\d", piece)


@dataclass(frozen=True, slots=True)
class Typist:
    """Who types a line, and when; None and empty where it is not known, and then nothing is asked about it."""

    now: datetime | None = None
    by: str = ""


UNKNOWN_TYPIST = Typist()


def taken_back(
    entries: Sequence[Entry], why: str, typist: Typist, says: Callable[[Entry], str], reasons: Sequence[str]
) -> Understood:
    """Undo: the newest thing written is taken back, and what it had struck stands again.

    Args:
        why: the reason; whoever wrote it may leave it out within a minute.
        says: an entry in words.
        reasons: what is offered where one is wanted.

    Raises:
        Unreadable: there is nothing to take back; NotSure where a reason is wanted.
    """
    newest = entries[-1] if entries else None
    if newest is None or newest.payload.kind in _NOT_BY_UNDO:
        raise Unreadable("There is no reading to take back.")
    late = typist.now is not None and typist.now - newest.at > AT_ONCE
    others = typist.by != "" and newest.by not in ("", typist.by)
    if (late or others) and len(why) < 2:
        told = f"written by {newest.by}" if others else "written more than a minute ago"
        raise NotSure(
            f"{_clip(says(newest))} was {told}: enter why it is taken back.", [f"undo {reason}" for reason in reasons]
        )
    line = next(line for line in lines(entries) if line.head.id == newest.id)
    earlier = line.entries[-2].payload if len(line.entries) > 1 else None
    if earlier is None and isinstance(newest.payload, Struck):
        raise Unreadable("There is no reading to take back.")
    stands = earlier is not None and not isinstance(earlier, Struck)
    was = f"; *{_clip(says(line.entries[-2]))}* stands again" if stands else ""
    return Understood(earlier or Struck(), f"take back *{_clip(says(newest))}*{was}", newest.id, why or UNDONE)


_NOT_BY_UNDO = frozenset(
    {"following", "set-up", "acknowledged", "answered", "attached", "photo", "handout-corrected", "borrowed", "late"}
)
"""Kinds of entry that are no readings; each is changed in its own form."""


def _clip(text: str) -> str:
    return text if len(text) <= 60 else text[:59] + "…"
