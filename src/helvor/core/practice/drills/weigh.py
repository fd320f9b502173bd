"""What to weigh first: steps of some work, and the last moment at which a thing can still be weighed empty."""

from __future__ import annotations

from dataclasses import dataclass

from helvor.core.practice.drills.case import Verdict, chance_of
from helvor.core.quantities.reading import Unreadable

CASES: tuple[tuple[str, tuple[tuple[str, tuple[str, ...]], ...]], ...] = (
    (
        "Sulfate as barium sulfate",
        (
            ("Dissolve the weighed salt in a beaker", ("beaker",)),
            ("Add barium chloride, digest hot", ("beaker",)),
            ("Fold the paper and wet it in the funnel", ("paper", "funnel")),
            ("Filter and wash", ("paper", "filter flask")),
            ("Dry paper and precipitate in the oven", ("paper", "dish")),
            ("Cool and weigh", ("paper", "dish")),
        ),
    ),
    (
        "Salt out of sand",
        (
            ("Stir the mixture with water in a dish", ("dish",)),
            ("Decant the solution into a beaker", ("beaker",)),
            ("Evaporate under a watch glass", ("beaker", "watch glass")),
            ("Dry the sand in the dish", ("dish",)),
            ("Weigh beaker, glass and salt; weigh the dish", ("beaker", "watch glass", "dish")),
        ),
    ),
    (
        "A neutral substance out of ether",
        (
            ("Wash the ether with brine in the funnel", ("funnel",)),
            ("Dry it over sodium sulfate", ("conical flask",)),
            ("Decant into the round flask", ("round flask",)),
            ("Evaporate in the hood", ("round flask",)),
            ("Weigh the residue", ("round flask",)),
        ),
    ),
    (
        "Crystals from water",
        (
            ("Dissolve in boiling water", ("conical flask",)),
            ("Filter hot, cool, ice", ("beaker",)),
            ("Collect with vacuum", ("paper", "filter flask")),
            ("Spread the crystals bare on a dish", ("dish",)),
            ("Dry in the oven", ("dish",)),
            ("Weigh to constant mass", ("dish",)),
        ),
    ),
    (
        "Two compounds off a column",
        (
            ("Pack the column, load the sample", ("column",)),
            ("Collect numbered tubes", ("tubes",)),
            ("Pool the first compound", ("flask A", "tubes")),
            ("Pool the second compound", ("flask B", "tubes")),
            ("Evaporate both", ("flask A", "flask B")),
            ("Weigh both", ("flask A", "flask B")),
        ),
    ),
)
"""Work that is common practice, no source: a step's words, and what something goes into or is in at it."""


@dataclass(frozen=True, slots=True)
class Empty:
    """A work's steps, and a thing whose tare is needed at the end."""

    title: str
    thing: str

    @property
    def steps(self) -> tuple[tuple[str, tuple[str, ...]], ...]:
        return dict(CASES)[self.title]

    @property
    def key(self) -> str:
        """Number of the step before which the thing must be on the balance: the first at which it holds something."""
        return str(next(n for n, (_, holds) in enumerate(self.steps, 1) if self.thing in holds))

    @property
    def choices(self) -> list[tuple[str, str]]:
        return [(str(n), words) for n, (words, _) in enumerate(self.steps, 1)]

    @property
    def asks(self) -> str:
        return (
            f"{self.title}. The mass at the end needs the empty {self.thing}. "
            "Choose the step before which it must be weighed."
        )

    def marked(self, picked: str) -> Verdict:
        """Judge the step that was picked, by its number.

        Raises:
            Unreadable: there is no such step.
        """
        if picked not in dict(self.choices):
            raise Unreadable("Choose one of the steps.")
        working = tuple(f"{n}. {words}: {', '.join(holds)}" for n, (words, holds) in enumerate(self.steps, 1))
        first = self.steps[int(self.key) - 1][0]
        if picked == self.key:
            return Verdict(True, f"From “{first[0].lower()}{first[1:]}” on it is wet or has contents.", working)
        if int(picked) > int(self.key):
            why = f"Too late: the {self.thing} is used from step {self.key} on and is never dry and empty again."
        else:
            why = f"That early is safe but not needed: the {self.thing} is first used at step {self.key}."
        return Verdict(False, why, working)


_LEVELS = {
    1: ("dish", "round flask", "beaker"),
    2: ("paper", "flask A", "flask B", "dish"),
    3: ("paper", "watch glass"),
}
"""Things by level: one that is plain, one that is used at several steps, one that goes along with another."""


def empty(level: int, seed: int) -> Empty:
    """A case; at the last step the thing is on the balance with something in it."""
    chance = chance_of("weigh", level, seed)
    found = [
        Empty(title, thing)
        for title, steps in CASES
        for thing in steps[-1][1]
        if thing in _LEVELS[level] and thing not in steps[0][1]
    ]
    return chance.choice(found)
