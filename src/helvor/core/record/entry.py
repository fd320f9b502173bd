"""Entries in ink, and which of them stand.

Ink 1. An entry is written once and never changed.
Ink 2. A correction is another entry that strikes an earlier one through and says why.
Ink 3. An entry can be struck once; whoever corrects later strikes the newest. The
       entries of one reading so form a line: its *root*, the struck ones, its *head*.
Ink 4. An entry of kind ``struck`` puts nothing in the place of what it strikes.
"""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from datetime import datetime, timedelta
from typing import Annotated, Literal
from uuid import UUID

from pydantic import BaseModel, ConfigDict, Field

from helvor.core.quantities.words import Words


class Payload(BaseModel):
    """What an entry says. Each kind of reading is a subclass with its ``kind``."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    kind: str


class Struck(Payload):
    """Takes back an entry without putting another in its place."""

    kind: Literal["struck"] = "struck"


class Acknowledged(Payload):
    """Somebody saw a *stop* and goes on, with a word why.

    It holds for the finding exactly as it was worded: with other numbers it is asked again.
    """

    kind: Literal["acknowledged"] = "acknowledged"
    code: Annotated[str, Field(max_length=60)]
    about: Annotated[str, Field(max_length=60)] = ""
    what: Annotated[str, Field(max_length=400)]
    why: Annotated[Words, Field(min_length=2)]


class Problem(ValueError):
    """Why an entry cannot be written: the field it is about, and one sentence for the person."""

    def __init__(self, field: str, sentence: str) -> None:
        super().__init__(sentence)
        self.field = field
        self.sentence = sentence


NOTICED = timedelta(minutes=1)
"""What a device's clock or a wait on it may differ by before it is worth a word."""

LONGEST_KEPT = timedelta(days=60)
"""A wait on a device that is longer than this is rather a clock that was set."""


@dataclass(frozen=True, slots=True)
class Typed:
    """When an entry was typed on a device that could not send it at once.

    Attributes:
        at: by the notebook's clock; None where the device's clock was set meanwhile, so that it is not known.
        clock_off: seconds by which the device's clock was ahead of the notebook's when it sent the entry;
            0 within a minute.
    """

    at: datetime | None
    clock_off: int = 0


def typed_on_device(now: datetime, typed: datetime, sent: datetime) -> Typed | None:
    """When something was typed, by the notebook's clock.

    A device's clock may be wrong, so only the time that passed on it is taken from it.

    Args:
        now: by the notebook's clock, as it comes in.
        typed: by the device's clock.
        sent: by the same clock, when it was sent.

    Returns:
        None where it was sent within a minute: then the time of writing says enough.
    """
    waited, off = sent - typed, sent - now
    clock_off = round(off.total_seconds()) if abs(off) > NOTICED else 0
    if not timedelta(0) <= waited <= LONGEST_KEPT:
        return Typed(None, clock_off)
    return Typed(now - waited, clock_off) if waited > NOTICED else None


@dataclass(frozen=True, slots=True)
class Entry:
    """An entry as it stands in the notebook.

    Attributes:
        id: chosen by whoever wrote it, so that sending it twice writes it once.
        seq: its place on the page, from 1.
        payload: what it says.
        strikes: the entry it strikes through, if any.
        reason: why; there whenever *strikes* is.
        by: who wrote it.
        at: when it was written, with its time zone.
        typed: when it was typed, where a device kept it for a while; else None.
    """

    id: UUID
    seq: int
    payload: Payload
    strikes: UUID | None
    reason: str
    by: str
    at: datetime
    typed: Typed | None = None

    @property
    def happened(self) -> datetime:
        """When what it says happened, as far as is known: when it was typed, else when it was written."""
        return self.typed.at if self.typed is not None and self.typed.at is not None else self.at


@dataclass(frozen=True, slots=True)
class Line:
    """One reading with its corrections, oldest first."""

    entries: tuple[Entry, ...]

    @property
    def root(self) -> Entry:
        """The first entry; its id names the reading for good."""
        return self.entries[0]

    @property
    def head(self) -> Entry:
        """The newest entry: what the reading says now."""
        return self.entries[-1]

    @property
    def stands(self) -> bool:
        """False when the reading was taken back."""
        return not isinstance(self.head.payload, Struck)


def lines(entries: Iterable[Entry]) -> list[Line]:
    """Follow every correction; lines come in the order of their first entries.

    Raises:
        ValueError: an entry strikes one that is not on the page before it, or that is
            already struck (the notebook refuses both, so this is damage).
    """
    chains: list[list[Entry]] = []
    chain_of: dict[UUID, list[Entry]] = {}
    for entry in entries:
        if entry.strikes is None:
            chain: list[Entry] = []
            chains.append(chain)
        else:
            found = chain_of.get(entry.strikes)
            if found is None or found[-1].id != entry.strikes:
                raise ValueError(f"entry {entry.id} strikes {entry.strikes}, which does not stand")
            chain = found
        chain.append(entry)
        chain_of[entry.id] = chain
    return [Line(tuple(chain)) for chain in chains]


def find(entries: Sequence[Entry], entry_id: UUID) -> Entry | None:
    """The entry with an id, or None; the newest are looked at first."""
    wanted = entry_id.int  # compared as numbers: ids themselves compare four times as slowly
    return next((entry for entry in reversed(entries) if entry.id.int == wanted), None)


def before(entries: Sequence[Entry], *ids: UUID) -> list[Entry]:
    """The page as it stood before the first of some entries was written; all of it where none of them is there.

    What is sent again is read against this, so that the same words are the same entry, and other words another.
    """
    wanted = {one.int for one in ids}
    cut = next((number for number, entry in enumerate(entries) if entry.id.int in wanted), len(entries))
    return list(entries[:cut])


def line_up_to(entries: Sequence[Entry], entry_id: UUID) -> Line | None:
    """An entry of the page with what it corrects, oldest first; None if it is not there.

    For one entry just written: the whole page is not followed.
    """
    back: list[Entry] = []
    entry = find(entries, entry_id)
    while entry is not None:
        back.append(entry)
        entry = find(entries, entry.strikes) if entry.strikes else None
    return Line(tuple(reversed(back))) if back else None


def line_of(lines_here: Iterable[Line], entry_id: UUID) -> Line | None:
    """The line that an entry belongs to, or None if it is not here."""
    return next((line for line in lines_here if any(entry.id == entry_id for entry in line.entries)), None)


def corrected_line(lines_here: Iterable[Line], payload: Payload, strikes: UUID | None) -> Line | None:
    """The line that a payload corrects, if it corrects one.

    Raises:
        Problem: a reading is corrected by one of another kind, or nothing is taken back.
    """
    line = next((line for line in lines_here if line.head.id == strikes), None) if strikes else None
    if isinstance(payload, Struck):
        if line is None:
            raise Problem("strikes", "Name the entry to undo.")
    elif line is not None:
        was = next(e.payload for e in reversed(line.entries) if not isinstance(e.payload, Struck))
        if was.kind != payload.kind:
            raise Problem("kind", f"Correct this entry with another {was.kind}, not with a {payload.kind}.")
    return line
