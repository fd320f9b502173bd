"""What a class leaves standing."""

from hypothesis import given
from hypothesis import strategies as st

from helvor.core.classroom.meeting.storage import LeftIn, Stands, in_use, left_in, loose

BEADS = Stands(3, "beads", "dish 3", "oven", False)


def test_a_label_or_the_register_takes_a_portion_off_the_list():
    salt = Stands(3, "salt", "beaker", "bench", True)
    assert loose([BEADS, salt], []) == [BEADS]
    assert loose([BEADS, salt], ["Dish 3"]) == []
    assert BEADS.words == "beads in dish 3" and Stands(1, "mix", "", "bench", False).words == "mix"


def test_the_same_thing_said_twice_is_one_and_the_books_word_is_kept():
    book = [LeftIn("oven", "Beads in dish 3", 3, "entry"), LeftIn("cold room", "flask", None, "other")]
    register = [LeftIn("oven", "beads in dish 3", 3), LeftIn("bench", "salt in beaker", 2)]
    found = left_in(book, register, [BEADS])
    assert [(one.place, one.entry) for one in found] == [("cold room", "other"), ("oven", "entry")]


@given(st.lists(st.sets(st.sampled_from(["Balance", "oven", "rod"])), max_size=48), st.integers(1, 6))
def test_used_and_queued_are_all_who_want_it_and_no_more_are_used_than_there_are(taken, count):
    (kit,) = in_use(taken, {"balance": count})
    assert kit.used + kit.queue == sum("Balance" in names for names in taken)
    assert kit.used <= count and (kit.queue == 0 or kit.used == count)
