"""A class as a research archive, out and in, and what is no archive; by the specification in tests/reference."""

import io
import zipfile
from datetime import UTC, datetime
from uuid import UUID

import pytest

from helvor.exchange import archive, records
from helvor.exchange.archive import Part
from helvor.exchange.records import BadRecord
from helvor.notebook import files
from helvor.notebook.whole_class import as_json
from tests.notebook.people import run_of, teacher, type_in

AT = datetime(2026, 11, 24, 12, tzinfo=UTC)
FILE = UUID(int=5)


@pytest.fixture
def whole(conn):
    """The parts of a class's archive: its record and a file of a run."""
    ida = teacher(conn, "Ida Frost", "A-1")
    run = run_of(conn, ida)
    type_in(conn, ida, run, "dish 32.514")
    files.keep(conn, ida.account, run, FILE, files.make("masses.csv", b"g\n1.2\n"))
    record = records.class_record(conn, ida.account, ida.class_id, AT)
    return [
        Part("class.json", "Record", "application/json", as_json(record).encode()),
        Part(f"files/{FILE}/masses.csv", "masses.csv", "text/csv", b"g\n1.2\n"),
        Part("tables/ä b.csv", "A table", "text/csv", b"a\n1\n"),
    ]


def written(parts):
    out = io.BytesIO()
    archive.write(out, "A-1, A class", "Bench records", "Ida's school", AT, parts)
    return out.getvalue()


def test_the_same_class_gives_the_same_bytes(whole):
    assert written(whole) == written(list(reversed(whole)))


def test_it_reads_back(whole):
    record, contents = archive.read(io.BytesIO(written(whole)))
    assert record.class_.code == "A-1" and contents == {FILE: b"g\n1.2\n"}


def zipped(*members, **more):
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as made:
        for name, content in members:
            made.writestr(name, content)
    return out.getvalue()


def test_what_is_no_whole_archive_is_refused(whole):
    record, file = whole[0].content, whole[1]
    cases = [
        (b"", "archive: This is not a zip file, or it is damaged"),
        (b"PK\x03\x04 cut", "archive: This is not a zip file, or it is damaged"),
        (zipped(("a.txt", "x")), "no class.json"),
        (zipped(("class.json", "{")), "not JSON"),
        (zipped(("class.json", record)), "csv: The archive does not contain this file"),
        (zipped(("class.json", record), (file.path, b"other")), "csv: It has changed since the archive was written"),
        (
            zipped(("class.json", record), (f"files/../{FILE}/x", b"g\n1.2\n")),
            "csv: The archive does not contain this file",
        ),
        (zipped(*((f"f{n}", "") for n in range(archive.MOST_FILES + 1))), "files"),
        (zipped(("class.json", record), *((f"zeros {n}", b"0" * 60_000_000) for n in range(17))), "larger than 1 GB"),
        (written(whole)[:-200], "archive: This is not a zip file, or it is damaged"),
    ]
    for content, sentence in cases:
        with pytest.raises(BadRecord) as refused:
            archive.read(io.BytesIO(content))
        assert sentence in str(refused.value), sentence
