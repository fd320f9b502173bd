"""The very same entries are worked out once; anything else is worked out anew."""

import threading
from dataclasses import replace

import pytest

from helvor.core.record.house_rules import HouseRules
from helvor.core.record.remembered import remembered
from tests.core.runs import page_of

PAGE = page_of("dish 32.514", "dish salt 33.120")


def counted():
    calls = []

    @remembered(most=2)
    def work_out(entries, rules=None):
        calls.append(len(tuple(entries)))
        return len(calls)

    return work_out, calls


def test_the_same_ink_is_worked_out_once():
    work_out, calls = counted()
    assert work_out(PAGE) == work_out(iter(PAGE)) == 1
    assert calls == [2]


def test_other_ink_other_rules_or_a_copy_are_worked_out_anew():
    work_out, calls = counted()
    work_out(PAGE)
    work_out(PAGE[:1])
    work_out([replace(entry) for entry in PAGE])
    work_out(PAGE, HouseRules({"pouring": "swirl"}))
    assert calls == [2, 1, 2, 2]


def test_only_the_pages_asked_for_last_are_kept():
    work_out, calls = counted()
    for page in (PAGE, PAGE[:1], PAGE[1:], PAGE):
        work_out(page)
    assert calls == [2, 1, 1, 2]


def test_whoever_asks_meanwhile_waits_for_the_same_answer():
    begun, go_on, calls = threading.Event(), threading.Event(), []

    @remembered(most=2)
    def work_out(entries):
        calls.append(len(tuple(entries)))
        begun.set()
        assert go_on.wait(5)
        return object()

    answers = []
    threads = [threading.Thread(target=lambda: answers.append(work_out(PAGE))) for _ in range(3)]
    threads[0].start()
    assert begun.wait(5)
    for thread in threads[1:]:
        thread.start()
    go_on.set()
    for thread in threads:
        thread.join(5)
    assert calls == [2]
    assert answers[0] is answers[1] is answers[2]


def test_what_goes_wrong_is_not_kept():
    calls = []

    @remembered(most=2)
    def work_out(entries):
        calls.append(1)
        raise KeyError(len(entries))

    for _ in range(2):
        with pytest.raises(KeyError):
            work_out(PAGE)
    assert len(calls) == 2


def test_as_many_entries_with_the_same_last_one_are_still_another_page():
    work_out, calls = counted()
    other = [replace(PAGE[0]), *PAGE[1:]]
    assert work_out(PAGE) != work_out(other)
    assert calls == [len(PAGE)] * 2
