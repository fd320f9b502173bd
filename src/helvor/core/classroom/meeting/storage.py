"""What a class leaves standing: portions without a label, what is in which oven or hood, kit that is taken up.

Put away 1. A portion is loose when no label step was done on it and the register does not know what it is in.
Put away 2. What stays somewhere is said by the log, the register or the bench's own steps; the same thing
            said twice is one, and the book's word of it is kept.
Put away 3. A bench takes kit up by the step that it is at; more benches than there are of it queue.
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Collection, Iterable, Mapping
from dataclasses import dataclass

PLACES = ("oven", "hood", "desiccator", "vacuum")
"""Where something may be left overnight."""


@dataclass(frozen=True, slots=True)
class Stands:
    """A portion that stands at a bench, as its run says it."""

    bench: int
    portion: str
    container: str
    place: str
    labelled: bool

    @property
    def words(self) -> str:
        """``beads in dish 3``."""
        return f"{self.portion} in {self.container}" if self.container else self.portion


@dataclass(frozen=True, slots=True)
class LeftIn:
    """Something left in a place, whose it is (a bench, or None), and the log's entry where that says so."""

    place: str
    what: str
    bench: int | None
    entry: str = ""


@dataclass(frozen=True, slots=True)
class InUse:
    """A kind of shared kit: how many there are, how many benches take it up now, and how many wait for one."""

    name: str
    count: int
    used: int
    queue: int


def loose(stands: Iterable[Stands], registered: Collection[str]) -> list[Stands]:
    """Portions without a label (Put away 1).

    Args:
        registered: labels of the containers that the register knows, whatever their capitals.
    """
    known = {label.casefold() for label in registered}
    return [one for one in stands if not one.labelled and one.container.casefold() not in known]


def left_in(book: Iterable[LeftIn], register: Iterable[LeftIn], stands: Iterable[Stands]) -> list[LeftIn]:
    """What is in which place (Put away 2), by place.

    Args:
        book: what the log says stays over and was not taken out; register: containers with their places.
    """
    by_run = (LeftIn(one.place, one.words, one.bench) for one in stands)
    found: dict[tuple[str, str, int | None], LeftIn] = {}
    for one in (*book, *register, *by_run):
        if one.place in PLACES or one.entry:
            found.setdefault((one.place, one.what.casefold(), one.bench), one)
    return sorted(found.values(), key=lambda one: (one.place, one.what, one.bench or 0))


def in_use(taken: Iterable[Collection[str]], shared: Mapping[str, int]) -> list[InUse]:
    """Shared kit and how much of it is taken up (Put away 3), what is queued for first.

    Args:
        taken: of each bench the kit that its step takes up; shared: how many there are, by name.
    """
    counts: Counter[str] = Counter()
    for names in taken:
        counts.update({name.casefold() for name in names})
    found = []
    for name, count in shared.items():
        wanted = counts[name.casefold()]
        found.append(InUse(name, count, min(wanted, count), max(0, wanted - count)))
    return sorted(found, key=lambda kit: (-kit.queue, -kit.used / kit.count, kit.name))
