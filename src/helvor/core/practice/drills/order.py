"""Which order: steps of some work, shuffled; any order is right in which each comes after what it needs."""

from __future__ import annotations

from dataclasses import dataclass

from helvor.core.practice.drills.case import Verdict, chance_of
from helvor.core.quantities.reading import Unreadable


@dataclass(frozen=True, slots=True)
class Doing:
    """A step: its words, the steps it must come after, by number, and why."""

    words: str
    after: tuple[int, ...] = ()
    why: str = ""


CASES: tuple[tuple[str, tuple[Doing, ...]], ...] = (
    (
        "A hot filtration",
        (
            Doing("Dissolve the solid at the boil"),
            Doing("Take it off the heat and let it stop boiling", (0,), "nothing is hot yet"),
            Doing("Add charcoal", (1,), "charcoal in a boiling liquid foams over"),
            Doing("Boil again and filter through a warm funnel", (2,), "the charcoal must be filtered off"),
            Doing("Cover and leave to cool slowly", (3,), "the crystals would contain charcoal"),
        ),
    ),
    (
        "A plate",
        (
            Doing("Draw the origin line in pencil"),
            Doing("Put small dots on the line and let them dry", (0,), "without a line the starting point is unknown"),
            Doing("Set the plate into the chamber, the level under the dots", (1,), "nothing is on the plate yet"),
            Doing("Take it out and mark the front at once", (2,), "there is no front yet"),
            Doing("Let it dry, then look under the lamp", (3,), "the front is gone when it has dried"),
        ),
    ),
    (
        "A precipitate for its mass",
        (
            Doing("Weigh the dry paper"),
            Doing("Filter the precipitate onto it", (0,), "a paper that was never weighed has no tare"),
            Doing("Wash with small portions", (1,), "there is no precipitate on the paper"),
            Doing("Dry paper and precipitate", (2,), "salts of the mother liquor would dry in it"),
            Doing("Let it cool and weigh to constant mass", (3,), "a wet or warm solid gives a wrong mass"),
        ),
    ),
    (
        "A base-soluble acid from ether",
        (
            Doing("Shake the ether with base, vent, let it settle"),
            Doing("Drain the lower layer into a labelled beaker", (0,), "the acid is still in the ether"),
            Doing("Cool the aqueous layer in ice", (1,), "there is no aqueous layer to cool"),
            Doing("Adjust to pH 2 with acid, in portions", (2,), "it gets warm, and carbonate foams"),
            Doing("Filter the crystals", (3,), "at high pH the acid is dissolved as its salt"),
        ),
    ),
    (
        "A reflux",
        (
            Doing("Boiling chips into the cold flask"),
            Doing("Seat the condenser, clamp it, water on", (0,), "chips into a hot liquid make it boil over"),
            Doing("Heat until it drips back, then time it", (1,), "vapour would escape"),
            Doing("Heat off, let it cool under the condenser", (2,), "the reaction has not run yet"),
            Doing("Condenser off, flask down", (3,), "vapour and glass would be hot"),
        ),
    ),
    (
        "An ether layer to its residue",
        (
            Doing("Wash with brine"),
            Doing(
                "Add drying agent until some grains move freely",
                (0,),
                "brine removes most of the water, the drying agent the rest",
            ),
            Doing("Decant into a weighed, dry flask", (1,), "the drying agent stays behind"),
            Doing("Evaporate in the hood, gently", (2,), "water and salt would stay with it"),
            Doing("Weigh, evaporate further, weigh again", (3,), "solvent is still present"),
        ),
    ),
)
"""Work that is common practice, no source."""


@dataclass(frozen=True, slots=True)
class Order:
    """Some of a work's steps, in the order in which they are shown."""

    title: str
    shown: tuple[Doing, ...]
    rank: tuple[int, ...]
    """For each one shown, its number among the steps of the work."""

    @property
    def key(self) -> tuple[int, ...]:
        """An order that is right, as places of those shown, from 1."""
        return tuple(n + 1 for n in sorted(range(len(self.rank)), key=lambda n: self.rank[n]))

    @property
    def asks(self) -> str:
        return f"{self.title}. Choose the steps in the right order."

    def too_early(self, order: tuple[int, ...]) -> tuple[int, int] | None:
        """The first of those shown that comes before what it needs, and what that is; None in a right order."""
        done: set[int] = set()
        there = set(self.rank)
        for place in order:
            doing = self.shown[place - 1]
            for needs in self._needs(doing, there):
                if needs not in done:
                    return place, self.rank.index(needs) + 1
            done.add(self.rank[place - 1])
        return None

    def _needs(self, doing: Doing, there: set[int]) -> list[int]:
        """What it must come after, among those shown: through steps that are not."""
        work = dict(CASES)[self.title]
        found, look = list[int](), list(doing.after)
        while look:
            one = look.pop()
            if one in there:
                found.append(one)
            else:
                look += work[one].after
        return sorted(found)

    def marked(self, picked: str) -> Verdict:
        """Judge an order: places of those shown, from 1, between blanks.

        Raises:
            Unreadable: it does not name each of them once.
        """
        words = picked.split()
        if sorted(words) != sorted(str(n + 1) for n in range(len(self.shown))):
            raise Unreadable("Give each step one place.")
        order = tuple(int(word) for word in words)
        working = tuple(f"{n}. {self.shown[place - 1].words}" for n, place in enumerate(self.key, 1))
        early = self.too_early(order)
        if early is None:
            return Verdict(True, "Each step comes after the steps it needs.", working)
        doing, needs = (self.shown[place - 1] for place in early)
        why = f"“{doing.words}” comes after “{needs.words[0].lower()}{needs.words[1:]}”"
        return Verdict(False, f"{why}: {doing.why}.", working)


def order(level: int, seed: int) -> Order:
    """A case: three steps of a work, four, or all five."""
    chance = chance_of("order", level, seed)
    title, work = chance.choice(CASES)
    kept = sorted(chance.sample(range(len(work)), 2 + level))
    shown = list(kept)
    while shown == kept:
        chance.shuffle(shown)
    return Order(title, tuple(work[n] for n in shown), tuple(shown))
