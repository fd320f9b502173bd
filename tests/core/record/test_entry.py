"""Entries in ink: which stand, and how corrections follow each other."""

from datetime import UTC, datetime
from uuid import UUID

import pytest
from hypothesis import given
from hypothesis import strategies as st
from pydantic import ValidationError

from helvor.core.record.entry import Acknowledged, Entry, Payload, Struck, line_of, lines


class Said(Payload):
    kind: str = "said"
    text: str = ""


def entry(number: int, strikes: int | None = None, payload: Payload | None = None) -> Entry:
    at = datetime(2026, 11, 24, tzinfo=UTC)
    struck = UUID(int=strikes) if strikes else None
    return Entry(
        UUID(int=number), number, payload or Said(text=str(number)), struck, "misread" if strikes else "", "I", at
    )


def test_a_correction_takes_the_place_and_leaves_the_old_value_readable():
    line = lines([entry(1), entry(2), entry(3, strikes=1), entry(4, strikes=3)])[0]
    assert [e.seq for e in line.entries] == [1, 3, 4]
    assert (line.root.seq, line.head.seq, line.stands) == (1, 4, True)


def test_a_struck_reading_stands_no_more_until_it_is_written_again():
    written = [entry(1), entry(2, strikes=1, payload=Struck())]
    assert not lines(written)[0].stands
    assert lines([*written, entry(3, strikes=2)])[0].stands


@pytest.mark.parametrize(
    "damaged",
    [[entry(1, strikes=9)], [entry(1), entry(2, strikes=1), entry(3, strikes=1)]],
    ids=["strikes what is not there", "strikes one twice"],
)
def test_damage_is_said(damaged):
    with pytest.raises(ValueError, match="does not stand"):
        lines(damaged)


@given(st.data())
def test_every_entry_lies_on_exactly_one_line(data):
    """However people correct each other, the newest entry of each line is what stands."""
    entries: list[Entry] = []
    for number in range(1, data.draw(st.integers(1, 30)) + 1):
        heads = [line.head.seq for line in lines(entries)]
        entries.append(entry(number, strikes=data.draw(st.none() | st.sampled_from(heads)) if heads else None))
    found = lines(entries)
    assert sorted(e.seq for line in found for e in line.entries) == list(range(1, len(entries) + 1))
    struck = {e.strikes for e in entries}
    assert {line.head.id for line in found} == {e.id for e in entries if e.id not in struck}
    for e in entries:
        assert line_of(found, e.id).head.id in {line.head.id for line in found}


def test_a_stop_is_accepted_only_with_a_word_why():
    with pytest.raises(ValidationError):
        Acknowledged(code="level-above-origin", what="seen", why=" ")
