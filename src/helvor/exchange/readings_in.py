"""From the rows of a table to readings of a run, and to the pairs of a class.

Reading in 1. A row is a weighing when it has a container and a mass, an amount taken when it has a substance, a volume
              when it has a portion and a volume, a note when it has words; one row may be only one of them.
Reading in 2. Every error is said with its line. While there is one, nothing comes in.
Reading in 3. A bare number has the unit that its column's heading names, else g or mL; a unit in the cell goes first.
Reading in 4. Containers, portions and substances are known by any of their names, as in a typed line; what is nearly
              one, or none, is asked about with its line. A new thing is written with *new* before it.
Reading in 5. A dried weighing without a number is the next one of its container in the order of the file.
"""

from __future__ import annotations

import re
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from datetime import datetime, tzinfo

from pydantic import ValidationError

from helvor.core.engine.run.entries import Noted, State, Taken, VolumeRead, Weighed
from helvor.core.engine.run.names import Around, containers_meant, expected_at, portion_meant
from helvor.core.engine.run.record import Run
from helvor.core.engine.run.taken_line import substance_meant
from helvor.core.quantities.reading import BASE_UNIT, UNITS, Kind, Reading, Unreadable, parse, parse_amount
from helvor.core.record.entry import Payload
from helvor.core.record.step_kinds import StepKind
from helvor.exchange.table_in import Row, Table

MEANINGS: dict[str, str] = {
    "": "not used",
    "bench": "bench",
    "container": "container",
    "portion": "portion in it",
    "state": "state (empty, wet, dried 2 …)",
    "mass": "mass, g unless its heading says mg",
    "substance": "substance",
    "amount": "amount taken, g unless it or its heading says another unit",
    "volume": "volume, mL unless its heading says another unit",
    "note": "note",
    "balance": "balance",
    "at": "when",
    "names": "names of the pair",
}
_GUESSES: dict[str, str] = {
    "bench": r"bench|place|group|station|platz",
    "container": r"container|vessel|dish|beaker|label|gefäß",
    "portion": r"portion|contents?|inside|what|sample|fraction|inhalt",
    "state": r"state|condition|zustand",
    "mass": r"mass|gross|weight|reading|masse|brutto|g|mg",
    "substance": r"substance|reagent|chemical|stoff",
    "amount": r"amount|taken|menge",
    "volume": r"volume|vol|volumen|ml",
    "note": r"note|remark|comment|observation|notiz",
    "balance": r"balance|waage",
    "at": r"when|time|date|at|zeit",
    "names": r"names?|pair|students?|people|who|namen?",
}
MOST_TROUBLES = 60


def guess(headers: Sequence[str]) -> dict[str, str]:
    """What columns probably mean, by their headings; each meaning once.

    >>> guess(["Bench no.", "Dish", "gross / g", "colour"])
    {'Bench no.': 'bench', 'Dish': 'container', 'gross / g': 'mass', 'colour': ''}
    """
    found: dict[str, str] = {}
    for header in headers:
        words = header.casefold()
        fits = (m for m, pattern in _GUESSES.items() if re.search(rf"\b(?:{pattern})\b", words))
        found[header] = next((meaning for meaning in fits if meaning not in found.values()), "")
    return found


def unit_in(header: str, kind: Kind) -> str:
    """The unit of a kind that a heading names; empty without one.

    >>> unit_in("gross / mg", "mass"), unit_in("mass", "mass"), unit_in("taken (mL)", "volume")
    ('mg', '', 'mL')
    """
    words = re.findall(r"[^\W\d_]+", header)
    return next((word for word in reversed(words) if word in UNITS[kind]), "")


@dataclass(frozen=True, slots=True)
class ReadingIn:
    """A reading of the table: its line, its bench, what it says, and when where that was given."""

    line: int
    bench: int
    says: Payload
    at: datetime | None


@dataclass(slots=True)
class Read:
    """What a table gave: readings in its order, and what is wrong, by line."""

    readings: list[ReadingIn] = field(default_factory=list)
    troubles: list[tuple[str, str]] = field(default_factory=list)


@dataclass(frozen=True, slots=True)
class Into:
    """Where readings go: bench → its run as it stands, and what is known around them by name.

    Attributes:
        kinds: of step; zone: of times that are written without one.
    """

    runs: Mapping[int, Run]
    around: Around
    kinds: Mapping[str, StepKind]
    zone: tzinfo


def readings_of(table: Table, mapping: Mapping[str, str], into: Into) -> Read:
    """Rows as readings (Reading in 1 to 5).

    Args:
        mapping: header → meaning.
    """
    read = Read()
    where = {meaning: table.headers.index(header) for header, meaning in mapping.items() if meaning}
    if "bench" not in where:
        read.troubles.append(("columns", "Choose the column with the bench."))
        return read
    if not where.keys() & {"mass", "amount", "volume", "note"}:
        read.troubles.append(("columns", "Choose the column with the readings: a mass, an amount, a volume or a note."))
        return read
    headed = {meaning: table.headers[place] for meaning, place in where.items()}
    seen: dict[tuple[object, ...], int] = {}
    rounds: dict[tuple[int, str, str], int] = {}
    for row in table.rows:
        if len(read.troubles) >= MOST_TROUBLES:
            break
        cells = {meaning: row.cells[place] for meaning, place in where.items()}
        try:
            one = _reading(row, cells, headed, into, rounds)
        except (Unreadable, ValidationError) as wrong:
            read.troubles.append((f"line {row.line}", _sentence(wrong)))
            continue
        if isinstance(one.says, Weighed):
            key = (one.bench, one.says.pan, one.says.portion.casefold(), one.says.state, one.says.round)
            if one.says.state in ("dried", "as is") and key in seen:
                read.troubles.append((f"line {row.line}", f"It repeats line {seen[key]}: delete one of the two."))
                continue
            seen[key] = row.line
        read.readings.append(one)
    return read


def _sentence(wrong: Exception) -> str:
    if isinstance(wrong, ValidationError):
        return str(wrong.errors()[0]["msg"]).removeprefix("Value error, ").split(": ", 1)[-1]
    return str(wrong)


def _bench(text: str) -> int:
    match = re.fullmatch(r"(?:bench\s*)?0*(\d{1,3})", text.strip(), re.IGNORECASE)
    if match is None or not int(match[1]):
        raise Unreadable(f"“{text[:20]}” is not a bench number.")
    return int(match[1])


def _state(text: str, portion: str) -> tuple[State, int | None]:
    words = " ".join(text.casefold().replace(",", " ").split())
    if not words:
        return ("as is", None) if portion else ("empty", None)
    dried = re.fullmatch(r"(?:dried|dry)\s*(\d{1,2})?", words)
    if dried is not None and portion:
        return "dried", int(dried[1]) if dried[1] else None
    known: dict[str, State] = {
        "empty": "empty",
        "tare": "empty",
        "empty dry": "empty",
        "dry": "empty",
        "air-dry": "empty, air-dry",
        "airdry": "empty, air-dry",
        "empty air-dry": "empty, air-dry",
        "damp": "empty, damp",
        "empty damp": "empty, damp",
        "wet": "wet",
        "as is": "as is",
        "as it came": "as is",
        "filled": "as is",
    }
    if words not in known:
        raise Unreadable(f"“{text[:24]}” is not a state: enter empty, as is, wet, or dried with its number.")
    return known[words], None


def _reading(
    row: Row,
    cells: Mapping[str, str],
    headed: Mapping[str, str],
    into: Into,
    rounds: dict[tuple[int, str, str], int],
) -> ReadingIn:
    bench = _bench(cells.get("bench", ""))
    run = into.runs.get(bench)
    if run is None:
        raise Unreadable(f"Bench {bench} has no run of this procedure: start one first.")
    at = _moment(cells.get("at", ""), into.zone)
    container, mass = cells.get("container", ""), cells.get("mass", "")
    substance, amount = cells.get("substance", ""), cells.get("amount", "")
    portion, volume, note = cells.get("portion", ""), cells.get("volume", ""), cells.get("note", "")
    if mass or (container and not (amount or volume)):
        return ReadingIn(row.line, bench, _weighed(cells, headed["mass"] if mass else "", run, into, rounds), at)
    if substance or amount:
        if not (substance and amount):
            raise Unreadable("Enter both the substance and the amount.")
        kind: Kind = "volume" if unit_in(headed["amount"], "volume") else "mass"
        read = parse_amount(amount) if re.search(r"[^\W\d]", amount) else _parse(amount, kind, headed["amount"])
        return ReadingIn(
            row.line, bench, Taken(substance=substance_meant(substance, run, into.around), amount=read), at
        )
    if volume:
        if not portion:
            raise Unreadable("Enter the portion for this volume.")
        measured = _parse(volume, "volume", headed["volume"])
        portion = portion_meant(portion, (), run, "", into.kinds, "{}").name
        return ReadingIn(row.line, bench, VolumeRead(portion=portion, volume=measured), at)
    if note:
        return ReadingIn(row.line, bench, Noted(words=note), at)
    raise Unreadable("Enter a mass, an amount, a volume or a note.")


def _weighed(
    cells: Mapping[str, str], header: str, run: Run, into: Into, rounds: dict[tuple[int, str, str], int]
) -> Weighed:
    """A row that is a weighing."""
    container, mass, portion = cells.get("container", ""), cells.get("mass", ""), cells.get("portion", "")
    if not container:
        raise Unreadable("Enter the container for this mass.")
    if not mass:
        raise Unreadable(f"{container} has no mass.")
    state, round_ = _state(cells.get("state", ""), portion)
    labels = containers_meant(re.split(r"\s*\+\s*", container), run, (), "{}")
    if portion:
        step = _step_in(labels, run, into.kinds)
        portion = portion_meant(portion, labels, run, step, into.kinds, "{}", state).name
    if state == "dried" and round_ is None:
        key = (_bench(cells.get("bench", "")), container.casefold(), portion.casefold())
        round_ = rounds.get(key) or run.next_round(labels, portion)
        rounds[key] = round_ + 1
    return Weighed(
        container=tuple(labels),
        portion=portion,
        state=state,
        round=round_,
        mass=_parse(mass, "mass", header),
        balance=cells.get("balance", ""),
    )


def _step_in(labels: Sequence[str], run: Run, kinds: Mapping[str, StepKind]) -> str:
    """The step that weighs a portion in a container; a table says no step."""
    return next((step.id for step in run.procedure.steps if expected_at(step, labels, kinds)), "")


def _parse(text: str, kind: Kind, header: str) -> Reading:
    """A cell as a quantity (Reading in 3)."""
    return parse(text, kind, field_unit=unit_in(header, kind) or BASE_UNIT[kind])


def _moment(text: str, zone: tzinfo) -> datetime | None:
    if not text.strip():
        return None
    for form in ("%Y-%m-%d %H:%M", "%Y-%m-%d %H:%M:%S", "%Y-%m-%dT%H:%M", "%d.%m.%Y %H:%M"):
        try:
            return datetime.strptime(text.strip(), form).replace(tzinfo=zone)
        except ValueError:
            continue
    raise Unreadable(f"“{text[:24]}” is not a date and time: enter it as 2026-11-24 14:05.")


def pairs_of(table: Table, mapping: Mapping[str, str], benches: int) -> tuple[dict[int, str], list[tuple[str, str]]]:
    """Bench → names of its pair; several rows of a bench are put together. And what is wrong, by line."""
    where = {meaning: table.headers.index(header) for header, meaning in mapping.items() if meaning}
    missing = [MEANINGS[meaning] for meaning in ("bench", "names") if meaning not in where]
    if missing:
        return {}, [("columns", f"Choose the column with the {missing[0]}.")]
    found: dict[int, list[str]] = {}
    troubles: list[tuple[str, str]] = []
    for row in table.rows:
        try:
            bench = _bench(row.cells[where["bench"]])
        except Unreadable as wrong:
            troubles.append((f"line {row.line}", str(wrong)))
            continue
        names = " ".join(row.cells[where["names"]].split())
        if bench > benches:
            troubles.append((f"line {row.line}", f"There is no bench {bench}: enter 1 to {benches}."))
        elif not names.isprintable():
            troubles.append((f"line {row.line}", "The name contains a character that cannot be printed."))
        elif names and names in found.get(bench, []):
            troubles.append((f"line {row.line}", f"{names} is already at bench {bench}."))
        elif names:
            found.setdefault(bench, []).append(names)
    pairs = {bench: " and ".join(names) for bench, names in sorted(found.items())}
    troubles += [
        (f"bench {b}", "Enter names of at most 60 characters together.") for b, p in pairs.items() if len(p) > 60
    ]
    return pairs, troubles[:MOST_TROUBLES]
