"""Records of runs, plates and classes as JSON, out and in, with their published schemas.

Record 1. What goes out is every entry in ink, as it was written, and what is worked out of it beside it. What comes in
          is the entries alone: results are worked out again.
Record 2. Version 2 has the house rules that the numbers were worked out by. Version 1 had none; it is read as if none
          were set.
Record 3. A record from a newer version is refused. So is one whose entries do not hang together: ids that occur twice,
          an entry struck twice, a number out of order.
"""

from __future__ import annotations

import json
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime
from typing import Any, Literal
from uuid import UUID

import psycopg
from pydantic import BaseModel, ConfigDict, Field, ValidationError

from helvor.core.classroom.meeting.entries import AnyOfTheDay
from helvor.core.classroom.unknowns import Part
from helvor.core.record.entry import Entry, Problem, Typed, lines
from helvor.core.record.house_rules import HouseRules
from helvor.core.record.parameters import described
from helvor.core.record.worksheet import Worksheet
from helvor.core.review.answers import SheetSettings
from helvor.core.techniques.planar.plate import AnyPayload
from helvor.core.techniques.registered import PAGE_KINDS, RunPayload
from helvor.exchange.planar import FORMAT_VERSION as VERSION
from helvor.exchange.planar import plate_record
from helvor.exchange.run import run_data
from helvor.notebook import page_lists, pages, whole_class
from helvor.notebook.page_errors import NotYours
from helvor.notebook.page_rows import Page
from helvor.notebook.whole_class import Writers
from helvor.shelf.solvents import eluotropic_rank

FORMATS = {"helvor run": "run", "helvor plate": "planar"}
MOST_ENTRIES = pages.MAX_ENTRIES


class _Part(BaseModel):
    model_config = ConfigDict(extra="forbid")


class TypedRecord(_Part):
    """When an entry was typed on a device that kept it for a while; ``at`` is null where that is not known.

    ``clock_off`` is by how many seconds the device's clock was ahead.
    """

    at: datetime | None
    clock_off: int = 0


class EntryRecord(_Part):
    """An entry in ink: its place, what it strikes and why, who wrote it and when. What it says is beside it."""

    id: UUID
    seq: int = Field(ge=1, le=MOST_ENTRIES)
    strikes: UUID | None = None
    reason: str = Field("", max_length=120)
    by: str = Field(max_length=200)
    at: datetime
    typed: TypedRecord | None = None


class RunEntry(EntryRecord):
    says: RunPayload


class PlateEntry(EntryRecord):
    says: AnyPayload


class About(_Part):
    """Which page it is and where it lay."""

    id: UUID
    title: str = ""
    number: int | None = None
    class_: str | None = Field(None, alias="class")
    bench: int | None = None
    started_at: datetime


class RunRecord(_Part):
    """A run."""

    format: Literal["helvor run"]
    version: Literal[2]
    run: About
    rules: dict[str, str] = {}
    entries: list[RunEntry] = Field(min_length=1, max_length=MOST_ENTRIES)
    results: Any = None

    @property
    def about(self) -> About:
        """Which page it is."""
        return self.run


class PlateRecord(_Part):
    """A plate."""

    format: Literal["helvor plate"]
    version: Literal[2]
    plate: About
    rules: dict[str, str] = {}
    entries: list[PlateEntry] = Field(min_length=1, max_length=MOST_ENTRIES)
    results: Any = None
    neighbours: Any = None
    findings: Any = None

    @property
    def about(self) -> About:
        """Which page it is."""
        return self.plate


class MeetingRecord(_Part):
    number: int = Field(ge=1, le=60)
    starts_at: datetime
    ends_at: datetime
    topic: str = Field("", max_length=60)


class BenchRecord(_Part):
    number: int = Field(ge=1, le=500)
    pair: str = Field("", max_length=60)


class ClassAbout(_Part):
    """A class with its meetings and benches, how much of shared kit it has, and what its benches are asked."""

    id: UUID
    code: str = Field(min_length=1, max_length=16)
    title: str = Field(min_length=1, max_length=80)
    course: str = Field("", max_length=80)
    meetings: list[MeetingRecord] = Field([], max_length=60)
    benches: list[BenchRecord] = Field(min_length=1, max_length=48)
    kit: dict[str, int] = {}
    answer_sheets: dict[str, SheetSettings] = {}


class SampleRecord(_Part):
    number: int = Field(ge=1, le=9999)
    holds: list[Part] = Field(min_length=1, max_length=12)


class DealtRecord(_Part):
    bench: int
    number: int
    how: str = Field("", max_length=200)


class UnknownsRecord(_Part):
    """A series of numbered unknowns with its key."""

    series: str = Field(min_length=1, max_length=40)
    released: bool = False
    samples: list[SampleRecord] = Field(max_length=200)
    dealt: list[DealtRecord] = []


class NoteRecord(_Part):
    id: UUID
    seq: int = Field(ge=1)
    says: dict[str, Any]
    by: str
    at: datetime


class ContainerRecord(_Part):
    """A container of the register with its notes."""

    id: UUID
    code: str = Field(min_length=1, max_length=20)
    label: str = Field(min_length=1, max_length=60)
    kind: str = Field(max_length=40)
    by: str
    at: datetime
    notes: list[NoteRecord] = []


class DayEntry(EntryRecord):
    meeting: int = Field(ge=1, le=60)
    says: AnyOfTheDay


class FileRecord(_Part):
    """A file or photograph beside a page. Its content lies under ``files/`` of an archive, by its id."""

    id: UUID
    page: UUID
    name: str = Field(max_length=200)
    media: str
    sha256: str = Field(pattern=r"^[0-9a-f]{64}$")
    by: str
    at: datetime
    light: str | None = None


class ClassRecord(_Part):
    """A whole class."""

    format: Literal["helvor class"]
    version: Literal[2]
    written_at: datetime
    class_: ClassAbout = Field(alias="class")
    rules: dict[str, str] = {}
    unknowns: list[UnknownsRecord] = Field([], max_length=20)
    containers: list[ContainerRecord] = []
    day_book: list[DayEntry] = []
    pages: list[RunRecord | PlateRecord] = Field([], max_length=2000)
    files: list[FileRecord] = []


SCHEMAS: dict[str, type[BaseModel]] = {"run": RunRecord, "plate": PlateRecord, "class": ClassRecord}


def schema(kind: str) -> dict[str, Any]:
    """The JSON Schema of a record: *run*, *plate* or *class*.

    Raises:
        KeyError: there is no such record.
    """
    model = described(SCHEMAS[kind].model_json_schema(mode="validation", by_alias=True))
    return {"$schema": "https://json-schema.org/draft/2020-12/schema", "$id": f"helvor-{kind}", **model}


def schema_text(kind: str) -> str:
    """The same as text, for the file that is published."""
    return json.dumps(schema(kind), indent=1, ensure_ascii=False, sort_keys=True) + "\n"


# ── out ─────────────────────────────────────────────────────────────────────────────────────────


def page_record(page: Page, entries: Sequence[Entry], sheet: Worksheet) -> dict[str, Any]:
    """A run or a plate as it goes out (Record 1 and 2)."""
    if page.technique_key == "run":
        return run_data(page, list(entries), sheet)  # type: ignore[arg-type]  # its technique says so
    return plate_record(page, list(entries), sheet)  # type: ignore[arg-type]


def class_record(
    conn: psycopg.Connection,
    account_id: int,
    class_id: UUID,
    now: datetime,
) -> dict[str, Any]:
    """A whole class as it goes out.

    Raises:
        NotYours: the account does not teach it.
    """
    with conn.transaction():
        conn.execute("SET TRANSACTION ISOLATION LEVEL REPEATABLE READ")
        whole = whole_class.read(conn, account_id, class_id)
        if whole is None:
            raise NotYours
        found = page_lists.pages_of_class(conn, account_id, class_id)
    records = [
        page_record(page, entries, page.kind.work_out(entries, page.rules, eluotropic_rank()))
        for page, entries in found
        if entries
    ]
    return {
        "format": "helvor class",
        "version": VERSION,
        "written_at": now.isoformat(),
        **whole,
        "pages": records,
    }


# ── in ──────────────────────────────────────────────────────────────────────────────────────────


class BadRecord(ValueError):
    """A file that is no record: what is wrong, by place."""

    def __init__(self, troubles: list[tuple[str, str]]) -> None:
        super().__init__("; ".join(f"{place}: {sentence}" for place, sentence in troubles))
        self.troubles = troubles


def _from_1(data: dict[str, Any]) -> dict[str, Any]:
    """Version 1 knew no house rules."""
    return data | {"version": 2, "rules": {}}


UPGRADES: dict[int, Callable[[dict[str, Any]], dict[str, Any]]] = {1: _from_1}
"""Version → what makes the next one of it."""


def read_record(text: str | bytes) -> RunRecord | PlateRecord | ClassRecord:
    """Read a record, also one of an older version.

    Raises:
        BadRecord: with what is wrong, by place.
    """
    try:
        data = json.loads(text)
    except (ValueError, RecursionError) as trouble:
        place = f"line {trouble.lineno}" if isinstance(trouble, json.JSONDecodeError) else "file"
        raise BadRecord([(place, "This is not JSON.")]) from trouble
    known = {name: SCHEMAS[name.removeprefix("helvor ")] for name in ("helvor run", "helvor plate", "helvor class")}
    if not isinstance(data, dict) or data.get("format") not in known:
        raise BadRecord([("format", "This is not the record of a run, a plate or a class.")])
    version = data.get("version")
    if not isinstance(version, int) or isinstance(version, bool) or version < 1:
        raise BadRecord([("version", "The version of the record is missing.")])
    if version > VERSION:
        raise BadRecord([("version", f"It was written by a newer Helvor (version {version}): import it there.")])
    while version < VERSION:
        data = UPGRADES[version](data)
        version += 1
    try:
        record = known[data["format"]].model_validate(data)
    except ValidationError as invalid:
        raise BadRecord(
            [(_place(error["loc"]), str(error["msg"]).removeprefix("Value error, ")) for error in invalid.errors()[:40]]
        ) from invalid
    assert isinstance(record, RunRecord | PlateRecord | ClassRecord)
    troubles = _loose_ends(record)
    if troubles:
        raise BadRecord(troubles)
    return record


def _place(loc: tuple[int | str, ...]) -> str:
    words: list[str] = []
    for part in loc:
        if isinstance(part, int):
            words[-1:] = [f"{words[-1].removesuffix('s') if words else 'item'} {part + 1}"]
        elif not str(part).endswith("Record") and part != "class_":
            words.append(str(part))
    return ", ".join(words) or "file"


def entries_of(record: RunRecord | PlateRecord) -> list[Entry]:
    """The entries of a page as the heart knows them."""
    return [
        Entry(
            e.id,
            e.seq,
            e.says,
            e.strikes,
            e.reason,
            e.by,
            e.at,
            Typed(e.typed.at, e.typed.clock_off) if e.typed else None,
        )
        for e in record.entries
    ]


def _loose_ends(record: RunRecord | PlateRecord | ClassRecord) -> list[tuple[str, str]]:
    """What does not hang together (Record 3)."""
    if not isinstance(record, ClassRecord):
        return _of_page("", record)
    troubles: list[tuple[str, str]] = []
    numbers = [bench.number for bench in record.class_.benches]
    if len(set(numbers)) < len(numbers):
        troubles.append(("class, benches", "A bench number occurs twice."))
    known: set[UUID] = set()
    for n, page in enumerate(record.pages, start=1):
        about = page.about
        place = f"page {n}"
        if about.bench not in numbers:
            troubles.append((place, f"It belongs to bench {about.bench}, which the class does not have."))
        if about.id in known:
            troubles.append((place, "Another page has the same id."))
        known.add(about.id)
        troubles += _of_page(f"{place}, ", page)
    ids = [entry.id for page in record.pages for entry in page.entries]
    if len(set(ids)) < len(ids):
        troubles.append(("pages", "An entry id occurs on two pages."))
    for file in record.files:
        if file.page not in known:
            troubles.append((f"file {file.name}", "It belongs to a page that is not in the record."))
    return troubles[:40]


def _of_page(place: str, page: RunRecord | PlateRecord) -> list[tuple[str, str]]:
    troubles = []
    ids = [entry.id for entry in page.entries]
    if len(set(ids)) < len(ids):
        troubles.append((f"{place}entries", "An entry id occurs twice."))
    if [entry.seq for entry in page.entries] != list(range(1, len(ids) + 1)):
        troubles.append((f"{place}entries", "They are not numbered 1, 2, 3 … in order."))
    bare = next((e for e in page.entries if (e.strikes is None) != (e.reason == "")), None)
    if bare is not None:
        troubles.append(
            (f"{place}entry {bare.seq}", "An entry that strikes out another needs a reason; other entries have none.")
        )
    if any(entry.at.tzinfo is None for entry in page.entries):
        troubles.append((f"{place}entries", "A time has no time zone."))
    if not troubles:
        try:
            lines(entries_of(page))
        except ValueError as wrong:
            troubles.append((f"{place}entries", f"They are inconsistent: {wrong}."))
    return troubles


@dataclass(frozen=True, slots=True)
class CameIn:
    """What an import did: pages written, pages that were here already, entries, files; the class where one was made."""

    pages: int
    already: int
    entries: int
    files: int
    class_id: UUID | None = None


def _add(
    conn: psycopg.Connection,
    writers: Writers,
    bench_id: UUID,
    page: RunRecord | PlateRecord,
) -> bool:
    about = page.about
    entries = entries_of(page)
    technique = FORMATS[page.format]
    try:
        PAGE_KINDS[technique].work_out(entries, HouseRules(page.rules), eluotropic_rank())
    except (ValueError, KeyError, ArithmeticError) as wrong:
        raise Problem("entries", f"{about.title or 'A page'} cannot be calculated: {wrong}.") from wrong
    return whole_class.add_page(conn, writers, bench_id, technique, about.id, about.started_at.isoformat(), entries)


def import_page(
    conn: psycopg.Connection,
    account_id: int,
    class_id: UUID,
    bench: int,
    record: RunRecord | PlateRecord,
) -> CameIn:
    """A run or plate onto a bench of a class.

    Raises:
        NotYours: the account is no instructor of the class.
        Problem: there is no such bench, or an id is taken.
    """
    with conn.transaction():
        benches = whole_class.benches_of(conn, account_id, class_id)
        if bench not in benches:
            raise Problem("bench", f"There is no bench {bench} in this class.")
        new = _add(conn, Writers(conn, account_id), benches[bench], record)
    return CameIn(int(new), int(not new), len(record.entries) if new else 0, 0)


def import_class(
    conn: psycopg.Connection,
    account_id: int,
    record: ClassRecord,
    code: str,
    files: Mapping[UUID, bytes],
) -> CameIn:
    """A whole class, all of it or nothing; *files* are the contents that an archive brought, by id.

    Raises:
        NotYours: the account is no instructor's.
        Problem: the code or an id is taken, or a file cannot be kept.
    """
    plain = record.model_dump(mode="json", by_alias=True)
    plain["class"]["answer_sheets"] = {
        work: settings.model_dump(mode="json", exclude_defaults=True)
        for work, settings in record.class_.answer_sheets.items()
    }
    with conn.transaction():
        writers = Writers(conn, account_id)
        benches = whole_class.add_class(conn, account_id, writers, plain, code or record.class_.code)
        new = already = count = 0
        by_page: dict[UUID, list[Entry]] = {}
        for page in record.pages:
            about = page.about
            if _add(conn, writers, benches[about.bench or 0], page):
                new, count = new + 1, count + len(page.entries)
            else:
                already += 1
            by_page[about.id] = entries_of(page)
        brought = 0
        for file in record.files:
            if file.id in files:
                whole_class.add_file(conn, writers, file.model_dump(mode="json"), files[file.id], by_page[file.page])
                brought += 1
    return CameIn(new, already, count, brought, record.class_.id)
