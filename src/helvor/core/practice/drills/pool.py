"""Pool these tubes: a rack with the spots of each tube, and which go together."""

from __future__ import annotations

from dataclasses import dataclass

from helvor.core.laws.column.model import Compound
from helvor.core.laws.column.pools import STRENGTHS
from helvor.core.practice.drills.case import Verdict, chance_of
from helvor.core.practice.virtual_column import Run, run
from helvor.core.quantities.reading import Unreadable, round_to

NAMES = ("A", "B", "C")


@dataclass(frozen=True, slots=True)
class Tubes:
    """A column that was run: the spots of each tube are seen, and the pure pool of one compound is asked for."""

    ran: Run
    wanted: str

    @property
    def seen(self) -> list[dict[str, int]]:
        """For each tube, compound → how strong its spot is, 0 to 4."""
        return self.ran.seen

    @property
    def key(self) -> tuple[int, ...]:
        """The tubes of the wanted compound that show nothing else, by the proposal that real racks get."""
        return tuple(self.ran.pure(self.wanted))

    @property
    def asks(self) -> str:
        return f"A plate of every tube shows these spots. Choose all tubes to pool as pure {self.wanted}."

    def marked(self, picked: str) -> Verdict:
        """Mark the tubes that were picked, their numbers between blanks.

        Raises:
            Unreadable: none was picked, or there is no such tube.
        """
        numbers = picked.replace(",", " ").split()
        if not numbers or not all(n.isascii() and n.isdigit() and 1 <= int(n) <= len(self.ran.tubes) for n in numbers):
            raise Unreadable("Choose the tubes to pool.")
        mine, key = {int(n) for n in numbers}, set(self.key)
        working = (self._pooled("your pool", mine), self._pooled("the pure tubes", key))
        if mine == key:
            return Verdict(True, "These show only this spot; keep mixed tubes apart.", working)
        return Verdict(False, self._wrong(mine, key), working)

    def _pooled(self, words: str, tubes: set[int]) -> str:
        """How much of the wanted compound is in some tubes, and how pure it is there."""
        whole = sum(tube[self.wanted] for tube in self.ran.tubes)
        holds = sum(self.ran.tubes[n - 1][self.wanted] for n in tubes)
        beside = sum(sum(self.ran.tubes[n - 1].values()) for n in tubes) - holds
        pure = holds / (holds + beside) if holds + beside > 1e-9 else 0.0
        part = f"{round_to(holds, 0)} of {round_to(whole, 0)} mg {self.wanted}"
        return f"{words}: {part}, {round_to(100 * pure, 1)} % pure"

    def _wrong(self, mine: set[int], key: set[int]) -> str:
        """What is wrong with a choice of tubes, the worst first."""
        for n in sorted(mine):
            seen = self.seen[n - 1]
            other = next((name for name, strength in seen.items() if strength and name != self.wanted), None)
            if other is not None:
                return f"Tube {n} shows {other} too ({STRENGTHS[seen[other]]}): keep it apart or run it again."
        empty = sorted(n for n in mine if not any(self.seen[n - 1].values()))
        if empty:
            return f"Tube {empty[0]} shows nothing: it only adds volume."
        missed = sorted(key - mine)
        return f"Tube{'s' if len(missed) > 1 else ''} {', '.join(map(str, missed))} would be lost."


def tubes(level: int, seed: int) -> Tubes:
    """A case: well apart; with mixed tubes between; three compounds and traces."""
    chance = chance_of("pool", level, seed)
    while True:
        count = 3 if level == 3 else 2
        rfs = sorted((chance.uniform(0.15, 0.75) for _ in range(count)), reverse=True)
        compounds = [Compound(name, chance.uniform(40, 120), (rf,)) for name, rf in zip(NAMES, rfs, strict=False)]
        ran = run(compounds, [120.0], bore=15, bed=150, packed="slurry" if level != 2 else "bubbles", tube=6.0)
        case = Tubes(ran, chance.choice(NAMES[:count]))
        mixed = sum(sum(1 for one in spots.values() if one) > 1 for spots in case.seen)
        if len(case.key) >= 2 and (mixed == 0 if level == 1 else mixed >= 1):
            return case
