"""Numbered unknowns: read from lines, dealt out evenly and reproducibly."""

from collections import Counter
from itertools import pairwise

import pytest
from hypothesis import given
from hypothesis import strategies as st

from helvor.core.classroom.unknowns import deal, read_samples
from helvor.core.quantities.reading import Unreadable


def test_a_line_is_a_sample():
    samples = read_samples("7: camphor 31 %, sand 69 %\n\n 12) iron, cobalt\n3. 40,5 % salt; 59.5 % glass beads")
    assert [(s.number, s.words) for s in samples] == [
        (7, "camphor 31 %, sand 69 %"),
        (12, "iron, cobalt"),
        (3, "salt 40.5 %, glass beads 59.5 %"),
    ]


@pytest.mark.parametrize(
    ("text", "says"),
    [
        ("camphor, sand", "start with the sample"),
        ("0: sand", "start with the sample"),
        ("1: sand 60 %, salt 60 %", "the percentages add up to"),
        ("1: sand 60 %, salt", "enter a percentage for every component, or for none"),
        ("1: sand, Sand", "has a component twice"),
        ("1: sand\n1: salt", "is entered twice"),
        ("1: sand 0 %", "above 0"),
        ("1: sand 120 %", "above 0"),
        ("1: " + "x" * 50, "each component's name"),
    ],
)
def test_what_is_no_sample_says_which_line_and_why(text, says):
    with pytest.raises(Unreadable, match=says):
        read_samples(text)


@given(st.sets(st.integers(1, 99), min_size=1, max_size=20), st.integers(1, 48), st.integers(0, 10**6))
def test_dealt_evenly_apart_and_the_same_again(numbers, benches, seed):
    places = list(range(1, benches + 1))
    dealt = deal(sorted(numbers), places, seed)
    assert list(dealt) == places
    counts = Counter(dealt.values())
    if benches >= len(numbers):
        assert max(counts.values()) - min(counts.get(n, 0) for n in numbers) <= 1
    else:
        assert max(counts.values()) == 1
    if len(numbers) > 1:
        assert all(dealt[a] != dealt[b] for a, b in pairwise(places))
    assert deal(sorted(numbers, reverse=True), places, seed) == dealt


def test_another_seed_deals_otherwise():
    assert len({tuple(deal([1, 2, 3, 4], range(1, 13), seed).values()) for seed in range(8)}) > 4


@pytest.mark.parametrize("numbers", [[], [1, 1]])
def test_nothing_or_a_number_twice_is_not_dealt(numbers):
    with pytest.raises(Unreadable):
        deal(numbers, [1, 2], 1)
