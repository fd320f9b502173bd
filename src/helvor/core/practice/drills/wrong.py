"""What went wrong: a bench's numbers, and the one mistake that makes them.

Cases are practice runs (:mod:`helvor.core.practice.rehearsals`) with a single mistake in them.
"""

from __future__ import annotations

from dataclasses import dataclass

from helvor.core.practice.drills.case import Verdict, chance_of
from helvor.core.practice.rehearsal import Played, Story, costs, play
from helvor.core.practice.rehearsals import STORIES
from helvor.core.quantities.reading import Unreadable, round_to

MISTAKES: dict[str, dict[tuple[str, str], tuple[str, str]]] = {
    "powder": {
        ("sublime", "short"): (
            "The heating was stopped too early.",
            "The camphor is low and the beads are high by the same mass.",
        ),
        ("evaporate", "open"): ("Salt spat out of the beaker.", "Only the salt is low, and with it the total."),
        ("rinse", "none"): ("The beads were not rinsed.", "The salt is low and the beads are high by the same mass."),
        ("weigh-salt", "once"): ("The salt was weighed before it was dry.", "Only the salt is high."),
    },
    "three": {
        ("acidify", "yellow"): ("The acid was not brought down to pH 2.", "Only the cinnamic acid is low."),
        ("keep", "extracts"): ("The acid extracts were discarded.", "No benzocaine at all was recovered."),
        ("bath", "hot"): ("The ether bumped over.", "Only the biphenyl is low."),
        ("base", "little"): (
            "There was too little base.",
            "The acid is low and the biphenyl is high by the same mass.",
        ),
        ("acid", "weak"): (
            "The base was extracted with too little acid.",
            "The benzocaine is low and the biphenyl is high by the same mass.",
        ),
        ("mix", "closed"): ("The funnel was not vented and spurted.", "All three are low by the same fraction."),
    },
}
"""Story → the decision and its choice → what happened, and how the numbers show it."""


@dataclass(frozen=True, slots=True)
class Wrong:
    """What went in of each, what the balance says of it, and some mistakes of which one was made."""

    story: str
    seed: int
    mistake: tuple[str, str]
    offered: tuple[tuple[str, str], ...]

    @property
    def told(self) -> Story:
        return STORIES[self.story]

    @property
    def played(self) -> Played:
        decision, choice = self.mistake
        return play(self.told, {decision: choice}, self.seed, usually=True)

    @property
    def rows(self) -> list[tuple[str, str, str, str, str]]:
        """Product, g that went in, g by the balance, per cent of it; per cent of it where nothing goes wrong."""
        outcome, found = self.played.outcome, []
        usual = play(self.told, {}, self.seed, usually=True).outcome
        assert outcome is not None and usual is not None
        for one in self.told.products:
            weighed, brought = outcome.weighed[one.portion], outcome.brought[one.portion]
            part = round_to(100 * (weighed or 0) / brought, 1)
            well = round_to(100 * (usual.weighed[one.portion] or 0) / usual.brought[one.portion], 0)
            shown = "none" if weighed is None else round_to(weighed, 3)
            found.append((one.portion, round_to(brought, 3), shown, part, well))
        return found

    @property
    def key(self) -> str:
        return " ".join(self.mistake)

    @property
    def choices(self) -> list[tuple[str, str]]:
        return [(" ".join(one), MISTAKES[self.story][one][0].removesuffix(".")) for one in self.offered]

    @property
    def asks(self) -> str:
        return (
            f"{self.told.title}: a bench weighed these. One thing went wrong. Choose the mistake that fits all numbers."
        )

    def marked(self, picked: str) -> Verdict:
        """Judge the mistake that was picked.

        Raises:
            Unreadable: it is none of those offered.
        """
        if picked not in dict(self.choices):
            raise Unreadable("Choose one of the mistakes.")
        _, shows = MISTAKES[self.story][self.mistake]
        cost = next(one for one in costs(self.played) if one.made.decision.key == self.mistake[0])
        working = tuple(
            f"{name}: {weighed} g of {brought} g = {part} %" for name, brought, weighed, part, _ in self.rows
        )
        lost = f"with the standard choice: {round_to(1000 * cost.grams, 0)} mg more of the products"
        if picked == self.key:
            return Verdict(True, shows, (*working, lost))
        decision, choice = picked.split(" ", 1)
        other = MISTAKES[self.story][decision, choice][1]
        return Verdict(
            False, f"That would look different: {other[0].lower()}{other[1:]} Here: {shows}", (*working, lost)
        )


def wrong(level: int, seed: int) -> Wrong:
    """A case: two mistakes to choose from, four, or four of a longer procedure."""
    chance = chance_of("wrong", level, seed)
    story = "three" if level == 3 else "powder"
    offered = chance.sample(sorted(MISTAKES[story]), 2 if level == 1 else 4)
    return Wrong(story, chance.randrange(10**6), chance.choice(offered), tuple(offered))
