"""The very same entries are worked out once; anything else is worked out anew."""

from dataclasses import replace

from helvor.bench.house_rules import HouseRules
from helvor.bench.remembered import remembered
from tests.bench.runs import page_of

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
