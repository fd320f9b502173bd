"""The notebook through the real database: written once, in ink, nothing lost."""

from uuid import UUID, uuid4

import psycopg
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from helvor.core.record.entry import Problem, Struck
from helvor.core.techniques.planar import plate as planar
from helvor.notebook import classes, page_lists, pages
from helvor.notebook.database import connect
from helvor.notebook.page_errors import EntryIdTaken, NotYours
from helvor.notebook.pages import Draft
from tests.core.plates import mm
from tests.notebook.people import all_at_once, plate_with_lane, start, teacher, write


def spots(conn, who, page) -> list[float]:
    _, entries = pages.open_page(conn, who.account, page)
    return sorted(spot.spot.distance.value for spot in planar.gather(entries).spots)


@pytest.mark.parametrize(
    "statement",
    [
        "UPDATE entry SET payload = payload",
        "UPDATE entry SET reason = 'x'",
        "DELETE FROM entry",
        "TRUNCATE entry CASCADE",
        "DELETE FROM page",
    ],
)
def test_the_database_itself_refuses_to_change_what_is_written(conn, statement):
    who = teacher(conn, "Ida Frost", "A-1")
    page, _ = plate_with_lane(conn, who)
    with pytest.raises(psycopg.errors.IntegrityError):
        conn.execute(statement)
    assert len(pages.open_page(conn, who.account, page)[1]) == 3


@pytest.mark.parametrize(
    ("column", "value"), [("strikes", "gen_random_uuid()"), ("seq", "2"), ("kind", "'front'"), ("reason", "'why'")]
)
def test_the_database_itself_refuses_an_entry_that_does_not_fit(conn, column, value):
    who = teacher(conn, "Ida Frost", "A-1")
    page, _ = plate_with_lane(conn, who)
    row = (
        {"id": "gen_random_uuid()", "page_id": f"'{page}'", "seq": "9", "kind": "'spot'"}
        | {"payload": '\'{"kind": "spot"}\'', "author_id": str(who.account)}
        | {column: value}
    )
    with pytest.raises(psycopg.errors.IntegrityError):
        conn.execute(f"INSERT INTO entry ({', '.join(row)}) VALUES ({', '.join(row.values())})")


def test_an_entry_sent_again_is_written_once(conn):
    who = teacher(conn, "Ida Frost", "A-1")
    page, lane = plate_with_lane(conn, who)
    spot, entry = planar.Spot(lane=lane, distance=mm(40)), uuid4()
    first = write(conn, who, page, spot, entry=entry)
    again = write(conn, who, page, spot, entry=entry)
    assert (first.new, again.new) == (1, 0)
    assert len(again.entries) == 4
    with pytest.raises(EntryIdTaken):
        write(conn, who, page, planar.Spot(lane=lane, distance=mm(41)), entry=entry)
    other = start(conn, who)
    with pytest.raises(EntryIdTaken):
        write(conn, who, other, planar.SetUp(phase="paper", width=mm(25), height=mm(90), origin=mm(9)), entry=entry)
    assert spots(conn, who, page) == [40]


def test_a_correction_of_what_was_corrected_meanwhile_strikes_the_newest(conn):
    who = teacher(conn, "Ida Frost", "A-1")
    page, lane = plate_with_lane(conn, who)
    first = uuid4()
    write(conn, who, page, planar.Spot(lane=lane, distance=mm(40)), entry=first)
    write(conn, who, page, planar.Spot(lane=lane, distance=mm(41)), strikes=first, reason="misread")
    last = write(conn, who, page, planar.Spot(lane=lane, distance=mm(42)), strikes=first, reason="misread")
    assert spots(conn, who, page) == [42]
    assert [e.payload.distance.value for e in last.entries if e.payload.kind == "spot"] == [40, 41, 42]
    assert all(e.reason == "misread" for e in last.entries if e.strikes)


def test_a_second_front_takes_the_place_of_the_first(conn):
    who = teacher(conn, "Ida Frost", "A-1")
    page, _ = plate_with_lane(conn, who)
    written = write(conn, who, page, planar.Front(distance=mm(81)))
    assert written.worksheet.plate.front.distance.value == 81
    assert written.entries[-1].strikes == written.entries[-2].id
    assert written.entries[-1].reason


@pytest.mark.parametrize(
    ("payload", "strikes", "reason", "field"),
    [
        (Struck(), uuid4(), "misread", "strikes"),
        (Struck(), "front", " ", "reason"),
        (planar.ComparedTo(spot=uuid4()), None, "", "spot"),
    ],
)
def test_what_cannot_be_written_writes_nothing(conn, payload, strikes, reason, field):
    who = teacher(conn, "Ida Frost", "A-1")
    page, _ = plate_with_lane(conn, who)
    _, before = pages.open_page(conn, who.account, page)
    target = before[-1].id if strikes == "front" else strikes
    with pytest.raises(Problem) as refused:
        write(conn, who, page, payload, strikes=target, reason=reason)
    assert refused.value.field == field
    assert pages.open_page(conn, who.account, page)[1] == before


def test_several_entries_are_written_all_or_none(conn):
    who = teacher(conn, "Ida Frost", "A-1")
    page, lane = plate_with_lane(conn, who)
    good = Draft(uuid4(), planar.Spot(lane=lane, distance=mm(40)))
    bad = Draft(uuid4(), planar.Spot(lane=uuid4(), distance=mm(40)))
    with pytest.raises(Problem):
        pages.append(conn, who.account, who.name, page, lambda _: [good, bad])
    assert spots(conn, who, page) == []


def test_nobody_reads_or_writes_what_is_not_theirs(conn):
    ida, otto = teacher(conn, "Ida Frost", "A-1"), teacher(conn, "Otto Ling", "B-1")
    page, lane = plate_with_lane(conn, ida)
    with pytest.raises(NotYours):
        pages.open_page(conn, otto.account, page)
    with pytest.raises(NotYours):
        write(conn, otto, page, planar.Spot(lane=lane, distance=mm(40)))
    with pytest.raises(NotYours):
        pages.start_page(conn, otto.account, ida.bench, "planar", uuid4())
    assert classes.open_bench(conn, otto.account, ida.bench) is None
    assert classes.open_class(conn, otto.account, ida.class_id) is None
    assert page_lists.pages_of_class(conn, otto.account, ida.class_id) == []
    front = classes.front_bench(conn, ida.account)
    assert classes.open_bench(conn, otto.account, front.id) is None


def test_many_people_writing_at_once_lose_nothing(conn, empty_url):
    """Eight writers, six spots each, one of them also correcting what the others correct."""
    who = teacher(conn, "Ida Frost", "A-1")
    page, lane = plate_with_lane(conn, who)
    shared = uuid4()
    write(conn, who, page, planar.Spot(lane=lane, distance=mm(5)), entry=shared)

    def work(writer: int) -> None:
        with connect(empty_url) as own:
            for number in range(6):
                write(own, who, page, planar.Spot(lane=lane, distance=mm(10 + writer * 6 + number)))
                again = planar.Spot(lane=lane, distance=mm(writer))
                write(own, who, page, again, strikes=shared, reason=f"writer {writer}")

    all_at_once(work, 8)
    _, entries = pages.open_page(conn, who.account, page)
    assert [entry.seq for entry in entries] == list(range(1, 4 + 8 * 12 + 1))
    plate = planar.gather(entries)
    assert len(plate.spots) == 1 + 48
    assert len(plate.spot(shared).line.entries) == 1 + 48


def test_starting_a_page_twice_starts_one_and_numbers_run_on(conn):
    who = teacher(conn, "Ida Frost", "A-1")
    page = uuid4()
    for _ in range(2):
        pages.start_page(conn, who.account, who.bench, "planar", page)
    start(conn, who)
    assert [p.number for p in classes.open_bench(conn, who.account, who.bench).pages] == [1, 2]
    other = classes.front_bench(conn, who.account)
    with pytest.raises(EntryIdTaken):
        pages.start_page(conn, who.account, other.id, "planar", page)


def test_the_boards_projection_can_be_rebuilt(conn):
    who = teacher(conn, "Ida Frost", "A-1")
    page, lane = plate_with_lane(conn, who)
    write(conn, who, page, planar.Spot(lane=lane, distance=mm(95)))
    (before,) = classes.open_bench(conn, who.account, who.bench).pages
    assert (before.summary.level, before.summary.next) == ("stop", "Eluent")
    conn.execute("UPDATE page SET summary = '{}'")
    assert page_lists.rebuild_summaries(conn) == 1
    assert classes.open_bench(conn, who.account, who.bench).pages[0].summary == before.summary


lengths = st.floats(0.1, 90).map(lambda value: f"{value:.1f}")


def test_what_is_written_is_read_back_the_same(conn):
    who = teacher(conn, "Ida Frost", "A-1")
    page, lane = plate_with_lane(conn, who)

    @given(
        distance=lengths,
        colour=st.text(st.characters(codec="utf-8", exclude_categories=["C", "Zl", "Zp"]), max_size=40),
        seen=st.lists(st.sampled_from(["daylight", "254", "365", "stain"]), min_size=1),
        strength=st.sampled_from(["faint", "clear", "heavy"]),
    )
    @settings(max_examples=40, deadline=None)
    def round_trip(distance, colour, seen, strength):
        spot = planar.Spot(lane=lane, distance=mm(distance), colour=colour, seen=tuple(seen), strength=strength)
        entry: UUID = uuid4()
        write(conn, who, page, spot, entry=entry)
        _, entries = pages.open_page(conn, who.account, page)
        assert next(e.payload for e in entries if e.id == entry) == spot

    round_trip()
