"""Names that are alike: the same in other words, or one that may be a slip for another."""

from __future__ import annotations

import re
from collections.abc import Iterable, Sequence
from difflib import SequenceMatcher

NEAR = 0.72
"""Likeness, 0 to 1, from which a name may be a slip for another. Common practice, no source."""
MOST_OFFERED = 4
_ALIKE = {"dry": "dried", "drying": "dried", "wetted": "wet", "damp": "wet", "the": "", "my": "", "our": ""}


def plain(name: str) -> tuple[str, ...]:
    """A name as it is compared: its words in order of the alphabet, without what does not matter.

    >>> plain("Ferrocene, dry") == plain("dried ferrocene")
    True
    """
    words = re.findall(r"[\w]+", name.casefold())
    return tuple(sorted(word for word in (_ALIKE.get(one, one) for one in words) if word))


def _marks(words: set[str]) -> set[str]:
    """The words of a name that tell it from its sisters: numbers and single letters."""
    return {word for word in words if len(word) == 1 or any(letter.isdecimal() for letter in word)}


def near(name: str, known: Iterable[str]) -> list[str]:
    """Known names that *name* may be a slip for, the likeliest first.

    >>> near("crystals", ["benzocaine crystals", "filtrate"]), near("papr", ["paper", "dish 3"])
    (['benzocaine crystals'], ['paper'])
    >>> near("sample 2", ["sample 1", "sample"])
    ['sample']
    """
    words = set(plain(name))
    scored = []
    for other in dict.fromkeys(known):
        theirs = set(plain(other))
        if _marks(words) and _marks(theirs) and _marks(words) != _marks(theirs):
            continue  # filtrate A is not filtrate B, sample 2 no slip for sample 1
        like = SequenceMatcher(None, name.casefold(), other.casefold()).ratio()
        if words and (words < theirs or theirs < words):
            like = max(like, 0.8)
        if like >= NEAR:
            scored.append((-like, other))
    return [other for _, other in sorted(scored)][:MOST_OFFERED]


def or_of(names: Sequence[str]) -> str:
    """*a, b or c*."""
    return names[0] if len(names) == 1 else f"{', '.join(names[:-1])} or {names[-1]}"
