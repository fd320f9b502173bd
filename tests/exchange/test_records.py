"""Records out and in: the whole demo comes back the same, and what is no record changes nothing."""

import json
from datetime import UTC, datetime
from uuid import UUID, uuid4

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from jsonschema import Draft202012Validator

from helvor import demo
from helvor.core.record.entry import Problem
from helvor.core.record.house_rules import HouseRules
from helvor.core.techniques.registered import PAGE_KINDS
from helvor.exchange import records
from helvor.exchange.records import BadRecord, ClassRecord, RunRecord, read_record
from helvor.notebook import accounts, classes, page_rows, pages, whole_class
from helvor.notebook.database import connect
from helvor.notebook.page_errors import NotYours
from helvor.shelf.solvents import eluotropic_rank
from tests.core.runs import page_of
from tests.notebook.people import plate_with_lane, procedure_in_use, run_of, teacher, type_in

RANK = eluotropic_rank()
NOW = datetime(2026, 11, 24, 12, tzinfo=UTC)


def contents(conn, record):
    return {UUID(f["id"]): whole_class.content_of(conn, UUID(f["id"])) for f in record["files"]}


def without_place(record):
    """A record without the moment it was written."""
    return {key: value for key, value in record.items() if key != "written_at"}


def test_the_whole_demo_goes_into_an_empty_database_and_is_the_same(demo_url, empty_url):
    """Export, import, export again: every entry, every worked-out number, containers, day book, unknowns, files."""
    with connect(demo_url) as was, connect(empty_url) as now:
        ines = was.execute("SELECT id FROM account WHERE email = %s", [demo.EMAIL]).fetchone()[0]
        institution = accounts.add_institution(now, "Another school", "Europe/London")
        other = accounts.add_instructor(now, institution, "ines@example.org", "Ines Marlow", "long enough 1")
        seen = 0
        for row in classes.classes_of(was, ines):
            out = records.class_record(was, ines, row.id, NOW)
            Draft202012Validator(records.schema("class")).validate(out)
            came = records.import_class(now, other, read_record(json.dumps(out)), row.code, contents(was, out))
            assert (came.pages, came.already, came.files) == (len(out["pages"]), 0, len(out["files"]))
            again = records.class_record(now, other, row.id, NOW)
            for mine, theirs in zip(again["files"], out["files"], strict=True):
                mine["sha256"] = theirs["sha256"]  # a picture is written anew when it comes in
            assert without_place(again) == without_place(out)
            seen += came.entries
            # The board's own projection is the same too.
            query = (
                "SELECT p.id, p.summary FROM page p JOIN bench b ON b.id = p.bench_id WHERE b.class_id = %s ORDER BY 1"
            )
            assert now.execute(query, [row.id]).fetchall() == was.execute(query, [row.id]).fetchall()
        assert seen > 1000
        # Sent again it doubles nothing.
        with pytest.raises(Problem, match="here already"):
            records.import_class(now, other, read_record(json.dumps(out)), "another", {})


LINES = st.lists(
    st.one_of(
        st.builds("dish {} empty {}.{:03d}".format, st.integers(1, 3), st.integers(30, 40), st.integers(0, 999)),
        st.builds("dish {} grains dried {}.{:03d}".format, st.integers(1, 3), st.integers(41, 45), st.integers(0, 999)),
        st.builds("note {}".format, st.text("abcde ", min_size=2, max_size=30).map(str.strip).filter(bool)),
        st.builds("timer {} wait".format, st.integers(1, 90)),
    ),
    min_size=1,
    max_size=25,
)


@settings(max_examples=40)
@given(LINES)
def test_a_generated_run_reads_back_as_it_was_written(said):
    """Out and in through the text of the file, without a database: the same entries, so the same worksheet."""
    entries = page_of(*said)
    sheet = PAGE_KINDS["run"].work_out(entries, HouseRules(), RANK)
    page = page_rows.Page(uuid4(), "run", 1, NOW, uuid4(), 3, uuid4(), "A-1", "", "Blank run", HouseRules())
    out = records.page_record(page, entries, sheet)
    Draft202012Validator(records.schema("run")).validate(json.loads(json.dumps(out)))
    back = records.entries_of(read_record(json.dumps(out)))
    assert back == entries
    again = PAGE_KINDS["run"].work_out(back, HouseRules(), RANK)
    assert records.page_record(page, back, again) == out


@pytest.fixture
def ida(conn):
    return teacher(conn, "Ida Frost", "A-1")


def run_out(conn, who, *said):
    key = run_of(conn, who)
    type_in(conn, who, key, *(said or ("dish 32.514", "dish powder 35.520", "note violet")))
    page, entries = pages.open_page(conn, who.account, key)
    return records.page_record(page, entries, PAGE_KINDS["run"].work_out(entries, page.rules, RANK))


def elsewhere(out):
    """The same record with ids that nobody has used."""
    text = json.dumps(out)
    for key in [out["run"]["id"], *(e["id"] for e in out["entries"])]:
        text = text.replace(key, str(uuid4()))
    return text


def test_a_run_of_an_older_version_comes_in(conn, ida):
    out = run_out(conn, ida)
    old = json.loads(elsewhere(out)) | {"version": 1}
    del old["rules"]
    record = read_record(json.dumps(old))
    assert isinstance(record, RunRecord) and record.version == 2 and record.rules == {}
    came = records.import_page(conn, ida.account, ida.class_id, 2, record)
    assert (came.pages, came.entries) == (1, 4)
    page, entries = pages.open_page(conn, ida.account, record.run.id)
    assert page.bench_number == 2 and [e.by for e in entries] == ["Ida Frost"] * 4
    assert page.title == "A mixed powder"


def test_it_comes_in_once_and_who_wrote_it_keeps_the_name(conn, ida):
    otto = teacher(conn, "Otto Ling", "B-1")
    record = read_record(elsewhere(run_out(conn, ida)))
    assert records.import_page(conn, otto.account, otto.class_id, 1, record).pages == 1
    assert records.import_page(conn, otto.account, otto.class_id, 1, record).already == 1
    _, entries = pages.open_page(conn, otto.account, record.run.id)
    assert {e.by for e in entries} == {"Ida Frost"}
    # The name signs nobody in, and is nobody among the people.
    assert conn.execute("SELECT role, password_hash FROM account WHERE email LIKE '%imported.invalid'").fetchall() == [
        ("bench", "")
    ]
    # Writing goes on where it stopped.
    type_in(conn, otto, record.run.id, "note more")
    # And now it is not the same any more: nothing is written over, and nothing is taken back.
    assert records.import_page(conn, otto.account, otto.class_id, 1, record).already == 1


def test_a_plate_goes_out_and_in(conn, ida):
    key, _ = plate_with_lane(conn, ida)
    page, entries = pages.open_page(conn, ida.account, key)
    out = records.page_record(page, entries, PAGE_KINDS["planar"].work_out(entries, page.rules, RANK))
    Draft202012Validator(records.schema("plate")).validate(out)
    assert records.entries_of(read_record(json.dumps(out))) == entries


def test_a_run_that_follows_a_version_that_is_here_is_tied_to_it(conn, ida):
    key = procedure_in_use(conn, ida)
    out = run_out(conn, ida)
    following = out["entries"][0]["says"]
    following["of"], following["version"] = str(key), 1
    record = read_record(elsewhere(out))
    records.import_page(conn, ida.account, ida.class_id, 1, record)
    assert conn.execute("SELECT procedure_id FROM page WHERE id = %s", [record.run.id]).fetchone() == (key,)


@pytest.mark.parametrize(
    ("change", "place", "sentence"),
    [
        (lambda d: d | {"version": 3}, "version", "newer Helvor"),
        (lambda d: d | {"version": "2"}, "version", "missing"),
        (lambda d: d | {"format": "something"}, "format", "not the record"),
        (lambda d: d | {"entries": []}, "entries", "at least 1"),
        (lambda d: d | {"entries": [*d["entries"], d["entries"][-1]]}, "entries", "occurs twice"),
        (lambda d: d | {"entries": d["entries"][:0:-1]}, "entries", "not numbered"),
        (
            lambda d: (
                d
                | {
                    "entries": [
                        *d["entries"][:-1],
                        d["entries"][-1] | {"strikes": d["entries"][-1]["id"], "reason": "x"},
                    ]
                }
            ),
            "entries",
            "inconsistent",
        ),
        (
            lambda d: (
                d | {"entries": [*d["entries"][:-1], d["entries"][-1] | {"strikes": str(UUID(int=9)), "reason": "x"}]}
            ),
            "entries",
            "inconsistent",
        ),
        (
            lambda d: d | {"entries": [*d["entries"][:-1], d["entries"][-1] | {"reason": "why"}]},
            "entry 4",
            "other entries have none",
        ),
        (
            lambda d: d | {"entries": [*d["entries"][:-1], d["entries"][-1] | {"at": "2026-11-24T10:00:00"}]},
            "entries",
            "time zone",
        ),
        (
            lambda d: d | {"entries": [*d["entries"][:-1], d["entries"][-1] | {"says": {"kind": "magic"}}]},
            "entry 4",
            "magic",
        ),
        (lambda d: d | {"more": 1}, "more", "Extra"),
    ],
)
def test_what_is_no_record_says_where(conn, ida, change, place, sentence):
    out = run_out(conn, ida)
    with pytest.raises(BadRecord) as refused:
        read_record(json.dumps(change(out)))
    assert any(
        place in where.replace("entrie ", "entry ") and sentence in says for where, says in refused.value.troubles
    ), refused.value


@pytest.mark.parametrize("text", ["", "{", "[]", "null", "[" * 100_000, '"helvor run"', b"\xff\xfe"])
def test_what_is_not_even_json_is_said(text):
    with pytest.raises(BadRecord):
        read_record(text)


def test_all_or_nothing(conn, ida):
    """A class whose second page is already here under another content comes in not at all."""
    out = run_out(conn, ida)
    whole = records.class_record(conn, ida.account, ida.class_id, NOW)
    copy = json.loads(json.dumps(whole))
    copy["class"]["id"] = str(uuid4())
    first = json.loads(elsewhere(out))
    first["run"]["bench"] = 1
    copy["pages"] = [first, *copy["pages"]]
    copy["pages"][1]["entries"][-1]["id"] = str(uuid4())  # says something else under a known page's id
    before = (
        conn.execute("SELECT count(*) FROM entry").fetchone(),
        conn.execute("SELECT count(*) FROM class").fetchone(),
    )
    with pytest.raises(Problem, match="other entries"):
        records.import_class(conn, ida.account, read_record(json.dumps(copy)), "A-9", {})
    assert (
        conn.execute("SELECT count(*) FROM entry").fetchone(),
        conn.execute("SELECT count(*) FROM class").fetchone(),
    ) == before


def test_nobody_brings_anything_into_a_class_of_others(conn, ida):
    otto = teacher(conn, "Otto Ling", "B-1")
    record = read_record(elsewhere(run_out(conn, ida)))
    with pytest.raises(NotYours):
        records.import_page(conn, otto.account, ida.class_id, 1, record)
    with pytest.raises(Problem, match="no bench 9"):
        records.import_page(conn, ida.account, ida.class_id, 9, record)
    with pytest.raises(NotYours):
        records.class_record(conn, otto.account, ida.class_id, NOW)


def test_the_published_schemas_are_what_is_in_force():
    from pathlib import Path

    for kind in records.SCHEMAS:
        file = Path(__file__).parents[2] / "docs" / f"{kind}.schema.json"
        assert file.read_text(encoding="utf-8") == records.schema_text(kind), f"write docs/{kind}.schema.json again"
    assert issubclass(ClassRecord, records.BaseModel)
