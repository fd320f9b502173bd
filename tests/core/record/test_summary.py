"""The summary of a page, as the board reads it back."""

import json
from datetime import UTC, datetime

from hypothesis import given
from hypothesis import strategies as st

from helvor.core.record.worksheet import Alarm, PageSummary

words = st.text(max_size=20)
summaries = st.builds(
    PageSummary,
    done=st.integers(0, 60),
    stages=st.integers(0, 60),
    next=words,
    level=st.sampled_from(["", "good", "note", "caution", "stop"]),
    word=words,
    what=words,
    title=words,
    names=st.lists(words, max_size=4).map(tuple),
    alarms=st.lists(st.builds(Alarm, words, st.datetimes(timezones=st.just(UTC)), words), max_size=3).map(tuple),
    kit=st.lists(words, max_size=3).map(tuple),
    stands=st.lists(st.tuples(words, words, words, st.booleans()), max_size=3).map(tuple),
)


@given(summaries)
def test_what_was_kept_is_read_back(summary):
    assert PageSummary.read(json.loads(json.dumps(summary.kept()))) == summary


def test_a_summary_of_before_is_without_what_came_later():
    assert PageSummary.read({}) == PageSummary()
    due = datetime(2026, 12, 1, 12, 0, tzinfo=UTC)
    old = PageSummary.read({"done": 3, "level": "odd", "title": None, "alarms": [["oven", due.isoformat()]]})
    assert (old.done, old.level, old.title, old.alarms) == (3, "", "", (Alarm("oven", due),))
