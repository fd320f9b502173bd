"""Which tubes go together: runs of the same composition, mixed tubes apart, and what looks exchanged.

Pools 1. Tubes in a row that show one compound alone make a pool; an empty tube between two such
         belongs to neither, one within a run that shows nothing is odd.
Pools 2. A tube that shows several is kept apart. What taking it would cost is said: its mass, and the
         purity that the pool would have.
Pools 3. How strong a spot is tells how much is there, roughly: each step is three times the last.
         The whole of a compound is shared out among its tubes by that. Common practice.
Pools 4. Two neighbours were probably exchanged where the other way round a compound comes in fewer runs.
         Two further apart were where both break a run, and no other pair mends as much.
"""

from __future__ import annotations

import itertools
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass

from helvor.core.laws.column.model import Found, found_band

STRENGTHS = {0: "none", 1: "trace", 2: "weak", 3: "clear", 4: "strong"}
"""How strong a spot is, as it is ticked."""
WEIGHT = {0: 0.0, 1: 1.0, 2: 3.0, 3: 9.0, 4: 27.0}
"""Mass of a strength, in traces (Pools 3)."""


@dataclass(frozen=True, slots=True)
class Tube:
    """A tube of the rack.

    Attributes:
        number: from 1; volume: mL, None where it was not said; start: mL passed before it.
        seen: compound → strength, 0 to 4; None where it was not spotted.
        state: *full*, *skipped* or *spilt*.
    """

    number: int
    volume: float | None = None
    start: float = 0.0
    eluent: str = ""
    colour: str = ""
    seen: Mapping[str, int] | None = None
    state: str = "full"

    @property
    def end(self) -> float:
        return self.start + (self.volume or 0.0)

    @property
    def holds(self) -> tuple[str, ...]:
        """Compounds that show."""
        return tuple(name for name, strength in (self.seen or {}).items() if strength > 0)


@dataclass(frozen=True, slots=True)
class Pool:
    """Tubes that go together.

    Attributes:
        kind: *pure*, *mixed* or *empty*; compounds: that show in it.
        mass: estimated mg of each compound; purity: of the most, 0 to 1, None where nothing is known.
    """

    kind: str
    tubes: tuple[int, ...]
    compounds: tuple[str, ...]
    mass: Mapping[str, float]

    @property
    def first(self) -> int:
        return self.tubes[0]

    @property
    def last(self) -> int:
        return self.tubes[-1]

    @property
    def purity(self) -> float | None:
        whole = sum(self.mass.values())
        return max(self.mass.values()) / whole if whole > 0 else None

    @property
    def words(self) -> str:
        """``4–8``, with gaps as ``4–8, 10``."""
        return ", ".join(f"{first}–{last}" if last > first else str(first) for first, last in ranges(self.tubes))


def ranges(numbers: Iterable[int]) -> list[tuple[int, int]]:
    """Rising numbers as ranges, first and last of each.

    >>> ranges([4, 5, 6, 10])
    [(4, 6), (10, 10)]
    """
    found: list[tuple[int, int]] = []
    for number in numbers:
        if found and number == found[-1][1] + 1:
            found[-1] = (found[-1][0], number)
        else:
            found.append((number, number))
    return found


def estimated(tubes: Sequence[Tube], masses: Mapping[str, float]) -> dict[int, dict[str, float]]:
    """mg of each compound in each tube, by how strong its spots are (Pools 3).

    Args:
        masses: mg of each compound on the column; 1 for one that is not known, so that parts come out.
    """
    names = dict.fromkeys(name for tube in tubes for name in (tube.seen or {}))
    whole = {name: sum(WEIGHT[(tube.seen or {}).get(name, 0)] for tube in tubes) for name in names}
    return {
        tube.number: {
            name: masses.get(name, 1.0) * WEIGHT[strength] / whole[name]
            for name, strength in (tube.seen or {}).items()
            if strength > 0
        }
        for tube in tubes
    }


def propose(tubes: Sequence[Tube], masses: Mapping[str, float]) -> list[Pool]:
    """Pools in the order of the tubes (Pools 1, 2); tubes that were not spotted are in none."""
    known = [tube for tube in tubes if tube.seen is not None and tube.state != "skipped"]
    each = estimated(known, masses)
    pools = []
    for holds, run in itertools.groupby(known, key=lambda tube: tube.holds):
        together = list(run)
        mass: dict[str, float] = {}
        for tube in together:
            for name, amount in each[tube.number].items():
                mass[name] = mass.get(name, 0.0) + amount
        kind = "empty" if not holds else "pure" if len(holds) == 1 else "mixed"
        pools.append(Pool(kind, tuple(tube.number for tube in together), holds, mass))
    return pools


def found_in(tubes: Sequence[Tube], compound: str) -> Found | None:
    """Where a compound was found and its apparent plates, by how strong it shows (Pools 3); None where it was not."""
    weights = [WEIGHT[(tube.seen or {}).get(compound, 0)] for tube in tubes]
    return found_band([tube.end for tube in tubes], weights) if any(weights) else None


@dataclass(frozen=True, slots=True)
class Cost:
    """What taking a mixed tube into a pool costs, or leaving it.

    Attributes:
        tube, pool: numbers of the tube and of the pool's first tube; compound: the pool's.
        gains: mg of that compound that come with it; purity: of the pool with it, 0 to 1.
    """

    tube: int
    pool: int
    compound: str
    gains: float
    purity: float


def cost_of(pools: Sequence[Pool], tubes: Sequence[Tube], masses: Mapping[str, float]) -> list[Cost]:
    """For each mixed tube and each pure pool of one of its compounds beside it, what taking it would cost."""
    each = estimated([tube for tube in tubes if tube.seen is not None], masses)
    found = []
    for i, pool in enumerate(pools):
        if pool.kind != "mixed":
            continue
        beside = [p for p in (*pools[max(0, i - 1) : i], *pools[i + 1 : i + 2]) if p.kind == "pure"]
        for number in pool.tubes:
            for other in beside:
                wanted = other.compounds[0]
                gains = each[number].get(wanted, 0.0)
                if not gains:
                    continue
                whole = sum(other.mass.values()) + sum(each[number].values())
                found.append(Cost(number, other.first, wanted, gains, (other.mass[wanted] + gains) / whole))
    return found


def _begin(before: tuple[str, ...], here: tuple[str, ...]) -> int:
    """How many compounds begin to show after a tube."""
    return sum(name not in before for name in here)


def _runs(holds: Sequence[tuple[str, ...]]) -> int:
    """In how many separate runs the compounds come, together."""
    return sum(_begin(before, here) for before, here in itertools.pairwise([(), *holds]))


def exchanged(tubes: Sequence[Tube]) -> list[tuple[int, int]]:
    """Pairs of tubes that were probably exchanged, neighbours first (Pools 4)."""
    known = [tube for tube in tubes if tube.seen is not None and tube.state != "skipped"]
    holds = [tube.holds for tube in known]
    now = _runs(holds)
    found = []
    for i in range(len(holds) - 1):
        if holds[i] == holds[i + 1]:
            continue
        other = [*holds[:i], holds[i + 1], holds[i], *holds[i + 2 :]]
        if _runs(other) < now:
            found.append((known[i].number, known[i + 1].number))
    # Of two that overlap the first is enough.
    near = [pair for i, pair in enumerate(found) if i == 0 or found[i - 1][1] != pair[0]]
    far = _far_apart(known)
    if far is not None and _runs(_with(known, [far])) < _runs(_with(known, near)):
        return [far]
    return near


MOST_STRAY = 12
"""Tubes out of series beyond which no exchange explains them."""


def _with(known: Sequence[Tube], pairs: Sequence[tuple[int, int]]) -> list[tuple[str, ...]]:
    """What the tubes hold once pairs of them changed places."""
    place = {tube.number: i for i, tube in enumerate(known)}
    holds = [tube.holds for tube in known]
    for a, b in pairs:
        holds[place[a]], holds[place[b]] = holds[place[b]], holds[place[a]]
    return holds


def _far_apart(known: Sequence[Tube]) -> tuple[int, int] | None:
    """The one pair of tubes further apart whose exchange mends both runs that they break; None without one."""
    holds = [tube.holds for tube in known]
    now = _runs(holds)
    beside = [(), *holds, ()]
    # Only a tube without which the compounds come in fewer runs is out of series.
    stray = [
        i
        for i, (before, here, after) in enumerate(zip(beside, beside[1:], beside[2:], strict=False))
        if _begin(before, here) + _begin(here, after) > _begin(before, after)
    ]
    if len(stray) > MOST_STRAY:
        return None
    mends = sorted(
        (
            (now - _runs(_with(known, [(known[i].number, known[j].number)])), (known[i].number, known[j].number))
            for i, j in itertools.combinations(stray, 2)
            if j - i > 1 and holds[i] != holds[j]
        ),
        reverse=True,
    )
    if not mends or mends[0][0] < 2 or (len(mends) > 1 and mends[1][0] == mends[0][0]):
        return None
    return mends[0][1]


def odd(tubes: Sequence[Tube]) -> list[tuple[int, str]]:
    """Tubes that lack a compound which both neighbours show, and no exchange explains: number and compound."""
    known = [tube for tube in tubes if tube.seen is not None and tube.state != "skipped"]
    pairs = {number for pair in exchanged(tubes) for number in pair}
    found = []
    for before, tube, after in zip(known, known[1:], known[2:], strict=False):
        for name in before.holds:
            if name in after.holds and name not in tube.holds and tube.number not in pairs:
                found.append((tube.number, name))
    return found
