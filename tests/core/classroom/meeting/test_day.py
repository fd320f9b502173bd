"""A meeting's day book: state, notices, waste, absences, accidents."""

from datetime import UTC, date, datetime, timedelta
from uuid import UUID, uuid4

import pytest
from hypothesis import given
from hypothesis import strategies as st
from pydantic import ValidationError

from helvor.core.classroom.meeting import entries as e
from helvor.core.classroom.meeting.day import check, check_meeting, gather
from helvor.core.quantities.reading import parse
from helvor.core.record.entry import Entry, Problem, Struck
from helvor.core.record.step_kinds import WASTE, WRONG_BOTTLES, never_together, wrong_bottle

START = datetime(2026, 11, 24, 14, tzinfo=UTC)


def book(*said, strikes=None):
    """A day book: each payload a minute after the one before; ``strikes`` maps places to what they strike."""
    strikes = strikes or {}
    return [
        Entry(
            UUID(int=n),
            n,
            payload,
            UUID(int=strikes[n]) if n in strikes else None,
            "misread" if n in strikes else "",
            "Ida",
            START + timedelta(minutes=n - 1),
        )
        for n, payload in enumerate(said, start=1)
    ]


def poured(bottle, matter, amount="50 mL"):
    return e.Wasted(bottle=bottle, matter=matter, amount=parse(amount, "mass" if amount.endswith("g") else "volume"))


def test_it_begins_rests_goes_on_and_ends():
    day = gather(book())
    assert day.state == "planned" and not day.worked(START)
    day = gather(book(e.Began(), e.Said(words="Eye protection on"), e.Paused(why="fire alarm")))
    assert (day.state, day.pause) == ("paused", "fire alarm")
    assert day.worked(START + timedelta(hours=1)) == timedelta(minutes=2)
    day = gather(book(e.Began(), e.Paused(), e.WentOn(), e.Said(words="Labels, please")))
    assert day.state == "running"
    assert day.worked(START + timedelta(minutes=10)) == timedelta(minutes=9)
    day = gather(book(e.Began(), e.Paused(), e.WentOn(), e.Said(words="Labels, please"), e.Ended()))
    assert day.state == "over" and day.notices == []
    assert day.worked(START + timedelta(days=1)) == timedelta(minutes=3)


def test_what_was_said_and_timed_ends_with_the_meeting_also_if_it_begins_again():
    said = (e.Began(), e.Said(words="Labels, please"), e.RoomTimer(label="round", minutes=9), e.Ended(), e.Began())
    day = gather(book(*said))
    assert (day.state, day.notices, day.alarms) == ("running", [], [])
    assert len(gather(book(*said[:3])).alarms) == 1


@pytest.mark.parametrize(
    ("before", "says", "sentence"),
    [
        ((e.Began(),), e.Began(), "The meeting has already started"),
        ((), e.Paused(), "not running"),
        ((e.Began(),), e.WentOn(), "The meeting is not paused"),
        ((), e.Ended(), "not running"),
        ((e.Began(), e.Ended()), e.Said(words="late"), "is over"),
        (
            (e.Began(), *(e.Said(words=f"notice {n}") for n in range(5))),
            e.Said(words="one more"),
            "messages are shown already: remove one first",
        ),
        ((), e.CaughtUp(absence=uuid4()), "That absence is not in this meeting"),
        ((), e.TakenOut(stay=uuid4()), "That entry is not in this meeting"),
        ((), e.Broke(bench=13, what="a beaker"), "no bench 13"),
    ],
)
def test_what_it_cannot_hold_is_refused_with_a_sentence(before, says, sentence):
    with pytest.raises(Problem, match=sentence):
        check(gather(book(*before)), says, None, 12)


def test_a_meeting_is_never_closed_silently():
    with pytest.raises(ValidationError, match="Give a short reason for ending anyway"):
        e.Ended(left=("beads in dish 7",))
    assert e.Ended(left=("beads in dish 7",), why="labelled by hand").left
    assert e.Ended().why == ""


def test_beginning_and_end_stay_as_written():
    day = gather(book(e.Began()))
    with pytest.raises(Problem, match="Start, pause and end times cannot be changed"):
        check(day, Struck(), UUID(int=1), 12)


@pytest.mark.parametrize("row", WRONG_BOTTLES, ids=lambda row: f"{row.matter} into {row.bottle}")
def test_what_is_dangerous_is_refused_and_what_is_wrong_is_said(row):
    day = gather(book(e.Began()))
    if row.level == "stop":
        with pytest.raises(Problem, match="Never") as refused:
            check(day, poured(row.bottle, row.matter), None, 12)
        assert refused.value.field == "bottle"
    else:
        check(day, poured(row.bottle, row.matter), None, 12)
        found = check_meeting(gather(book(e.Began(), poured(row.bottle, row.matter))), {})
        assert [(f.code, f.level) for f in found] == [("wrong-bottle", row.level)]


@pytest.mark.parametrize(
    ("bottle", "matter", "level"),
    [
        ("sink", "solvents", "stop"),
        ("sink", "halogenated", "stop"),
        ("sink", "oxidizing", "stop"),
        ("bin", "solvents", "stop"),
        ("bin", "halogenated", "stop"),
        ("solvents", "halogenated", "stop"),
        ("halogenated", "solvents", "note"),
        ("oxidizing", "solvents", "stop"),
        ("solvents", "oxidizing", "stop"),
    ],
)
def test_the_bottles_that_matter_most(bottle, matter, level):
    assert wrong_bottle(bottle, matter).level == level


@given(st.sampled_from(sorted(WASTE)))
def test_a_thing_may_always_go_into_its_own_bottle(stream):
    assert never_together(stream, stream) == ""
    assert len({(row.bottle, row.matter) for row in WRONG_BOTTLES}) == len(WRONG_BOTTLES)


@given(st.lists(st.tuples(st.sampled_from(["aqueous", "solvents", "silica"]), st.integers(1, 500)), max_size=30))
def test_totals_are_the_sum_of_what_was_poured(pours):
    day = gather(book(*(poured(stream, stream, f"{ml} mL") for stream, ml in pours)))
    for stream in {stream for stream, _ in pours}:
        assert day.waste[stream].ml == pytest.approx(sum(ml for s, ml in pours if s == stream))


def test_a_corrected_pour_counts_once_and_a_struck_one_not_at_all():
    day = gather(book(poured("aqueous", "aqueous"), poured("aqueous", "aqueous", "5 mL"), strikes={2: 1}))
    assert day.waste["aqueous"].shown == "5 mL"
    day = gather(book(poured("silica", "silica", "3.2 g"), Struck(), strikes={2: 1}))
    assert day.waste == {}


def test_findings():
    said = book(
        e.Began(),
        poured("solvents", "aqueous", "200 mL"),
        e.Happened(bench=4, what="a cut"),
        e.Happened(what="small spill", done="wiped up"),
        e.Ended(),
    )
    found = {f.code: f for f in check_meeting(gather(said), {"solvents": 100.0, "heavy metal": 60.0})}
    assert found["open-accident"].level == "stop" and "Bench 4" in found["open-accident"].what
    assert {"wrong-bottle", "more-waste", "less-waste"} <= set(found)
    assert "60 mL" in found["less-waste"].what
    assert check_meeting(gather(book(e.Began())), {"heavy metal": 60.0}) == []


def test_absences_and_stays_end_with_an_entry_of_their_own():
    said = book(
        e.Absent(bench=3, who="Aoife", makes_up=date(2026, 12, 1)),
        e.StaysOver(bench=7, what="beads in dish 7", place="oven"),
        e.CaughtUp(absence=UUID(int=1)),
        e.TakenOut(stay=UUID(int=2)),
    )
    before, after = gather(said[:2]), gather(said)
    assert not before.away[0].caught_up and before.stays[0].out is None
    assert after.away[0].caught_up and after.stays[0].out == START + timedelta(minutes=3)
    assert [line.head.payload.kind for line in after.log] == ["absent", "stays-over"]
