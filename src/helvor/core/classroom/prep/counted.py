"""Scarce kit as instructors say it: ``8 filter crucibles, two balances and 4 oven shelves``."""

from __future__ import annotations

import re
from collections.abc import Iterable

from helvor.core.quantities.reading import Unreadable
from helvor.core.record.alike import near, or_of
from helvor.core.record.procedure import Procedure

MOST = 500
_NUMBERS = {
    "one": 1, "a": 1, "an": 1, "only": 1, "single": 1, "two": 2, "three": 3, "four": 4, "five": 5, "six": 6,
    "seven": 7, "eight": 8, "nine": 9, "ten": 10, "eleven": 11, "twelve": 12, "dozen": 12,
}  # fmt: skip
_PIECE = re.compile(r"(?:only\s+)?(?P<count>\d+|[a-z]+)\s*(?:x|×)?\s*(?P<name>[^\d].*)", re.IGNORECASE)
_PLACES = ("shelf", "shelves", "outlet", "outlets", "place", "places", "position", "positions")
"""What a thing that several share at once is counted by: an oven by its shelves."""


def one_of(name: str) -> str:
    """A word in the singular: ``filter crucibles``, ``oven shelves``, ``chambers``.

    >>> [one_of(word) for word in ("filter crucibles", "balances", "benches", "glass", "heating baths")]
    ['filter crucible', 'balance', 'bench', 'glass', 'heating bath']
    """
    if re.search(r"(?:ch|sh|x)es$", name):
        return name[:-2]
    if name.endswith("ies"):
        return f"{name[:-3]}y"
    return name[:-1] if name.endswith("s") and not name.endswith(("ss", "us")) else name


def kit_words(procedure: Procedure) -> list[str]:
    """Every kit that a procedure's steps name, once."""
    return list(dict.fromkeys(name for step in procedure.steps for name in (*step.kit, step.place) if name))


def _meant(said: str, names: Iterable[str]) -> str:
    """The kit of a procedure that a word means; as it stands there, without a size too: *funnel* for *funnel 75 mm*."""
    plain = one_of(" ".join(said.casefold().split()))
    words = plain.split()
    if words and words[-1] in (*_PLACES, *map(one_of, _PLACES)):
        plain = " ".join(words[:-1]) or plain
    by_fold = {one_of(name.casefold()): name for name in names}
    if plain in by_fold:
        return by_fold[plain]
    without = {re.sub(r"\s*\d.*$", "", folded): name for folded, name in by_fold.items()}
    return without.get(plain, "")


def read_kit(text: str, procedure: Procedure) -> dict[str, int]:
    """How many there are of what: kit of the procedure, by the names that its steps use.

    Raises:
        Unreadable: a piece has no number or no name, or no step uses it; the sentence offers what is near.

    >>> from helvor.core.record.procedure import Step
    >>> filtering = Procedure(title="t", steps=(Step(id="a", kind="crucible filter", kit=("filter crucible", "oven")),))
    >>> read_kit("8 filter crucibles, two oven shelves", filtering)
    {'filter crucible': 8, 'oven': 2}
    """
    names = kit_words(procedure)
    found: dict[str, int] = {}
    for piece in filter(None, (one.strip(" .") for one in re.split(r"[,;\n]|\band\b", text))):
        match = _PIECE.fullmatch(piece)
        count = match["count"].casefold() if match is not None else ""
        number = int(count) if count.isdecimal() else _NUMBERS.get(count, 0)
        if match is None or not 1 <= number <= MOST:
            raise Unreadable(f"“{piece[:30]}”: enter a number and a kind of kit, such as 8 filter crucibles.")
        name = _meant(match["name"], names)
        if not name:
            close = near(match["name"], names) or names[:6]
            raise Unreadable(f"No step uses “{match['name'][:30]}”: enter {or_of(close)}.")
        found[name] = number
    return found
