"""A whole practice run: a procedure carried out on a virtual bench, where every choice has its true consequence.

Rehearsal 1. A story asks for decisions one after the other and moves matter between places on its bench by the models
             of :mod:`helvor.core.practice`. Nothing appears and nothing is lost: what came in is somewhere.
Rehearsal 2. It types what a bench would type, so that an ordinary run of the procedure holds its readings.
Rehearsal 3. A story is wholly its seed and its choices. What scatters is drawn for each thing by name, so that
             another choice changes nothing but what follows from it.
Rehearsal 4. What a decision cost is the difference to the same run with that one decision taken as usual.
Rehearsal 5. A danger is named before all that came of the product, and is never a gain: what it saved does not count.
Rehearsal 6. Scatter: a weighing 0.4 mg, an amount taken 1 %, both as one standard deviation. Common practice.
"""

from __future__ import annotations

import random
from collections.abc import Callable, Generator, Mapping
from contextlib import suppress
from dataclasses import dataclass, field

from helvor.core.devices.models import LIGHT_BY
from helvor.core.practice.feedback import Feedback
from helvor.core.quantities.reading import Unreadable, round_to

WEIGHING, TAKING = 0.4e-3, 0.01
"""g, and a part of the amount (Rehearsal 6)."""
WARM = 60 * LIGHT_BY
"""g that a dish seems lighter by, warm from the oven and 60 K over the room."""
MATTERS = 0.005
"""g of product, or part of purity, from which a decision's cost is worth a caution."""
MOST_DECISIONS = 30


@dataclass(frozen=True, slots=True)
class Option:
    """Something that can be done: its key, its words."""

    key: str
    words: str


@dataclass(frozen=True, slots=True)
class Decision:
    """Something to decide: at which step of the procedure, what is asked, what may be done, what is usual."""

    key: str
    step: int
    asks: str
    options: tuple[Option, ...]
    usual: str

    def offered(self, seed: int) -> list[Option]:
        """What may be done, in an order that does not give away what is usual; the same for a seed."""
        mixed = list(self.options)
        random.Random(f"order {seed} {self.key}").shuffle(mixed)  # noqa: S311  nothing secret
        return mixed

    def words(self, choice: str) -> str:
        """What a choice says.

        Raises:
            Unreadable: there is no such choice.
        """
        for one in self.options:
            if one.key == choice:
                return one.words
        raise Unreadable("Choose one of the options.")


@dataclass(frozen=True, slots=True)
class Scene:
    """What stands on the bench: the sort of its drawing, its numbers and words; units are those of their names."""

    kind: str
    numbers: Mapping[str, float] = field(default_factory=dict)
    words: Mapping[str, str] = field(default_factory=dict)
    series: tuple[tuple[float, ...], ...] = ()


@dataclass(frozen=True, slots=True)
class Product:
    """What is to be had in the end: the place where it lies, the component that it is, what the run calls it.

    Attributes:
        solution: it stays dissolved, so that its solvent is no impurity.
    """

    place: str
    component: str
    portion: str
    solution: bool = False


@dataclass(frozen=True, slots=True)
class Made:
    """A decision that was taken: what was chosen, what followed, what was typed, how it then looks."""

    decision: Decision
    choice: str
    said: tuple[Feedback, ...]
    lines: tuple[str, ...]
    scene: Scene


class Bench:
    """A virtual bench: matter in places, what was typed and said, the time that passed."""

    def __init__(self, seed: int) -> None:
        self.seed = seed
        self.places: dict[str, dict[str, float]] = {}
        self.brought: dict[str, float] = {}
        self.weighed: dict[str, float] = {}
        self.minutes = 0.0
        self.scene = Scene("bench")
        self.lines: list[str] = []
        self.said: list[Feedback] = []
        self.noted: dict[str, float] = {}
        """Numbers that a story needs again later, by its own names."""

    def chance(self, what: str) -> random.Random:
        """Where a thing's scatter comes from (Rehearsal 3)."""
        return random.Random(f"rehearsal {self.seed} {what}")  # noqa: S311  a made-up bench

    def scattered(self, what: str, value: float, part: float = TAKING) -> float:
        """A value with its scatter, never below a tenth of it."""
        return max(value * (1 + self.chance(what).gauss(0, part)), 0.1 * value)

    def bring(self, place: str, component: str, grams: float) -> None:
        """Matter comes in from outside."""
        self._add(place, component, grams)
        self.brought[component] = self.brought.get(component, 0.0) + grams

    def _add(self, place: str, component: str, grams: float) -> None:
        here = self.places.setdefault(place, {})
        here[component] = here.get(component, 0.0) + grams

    def move(self, source: str, target: str, component: str, grams: float) -> None:
        """Matter goes from a place to another; never more than there is."""
        there = self.places.get(source, {})
        grams = min(max(grams, 0.0), there.get(component, 0.0))
        if grams > 0:
            there[component] -= grams
            self._add(target, component, grams)

    def share(self, source: str, target: str, part: float) -> None:
        """A part of everything in a place goes to another."""
        for component, grams in list(self.places.get(source, {}).items()):
            self.move(source, target, component, grams * part)

    def at(self, place: str, component: str = "") -> float:
        """g of a component in a place, or of all that is there."""
        there = self.places.get(place, {})
        return there.get(component, 0.0) if component else sum(there.values())

    def weigh(self, what: str, grams: float, *, warm: bool = False) -> str:
        """What a balance that reads to 1 mg shows."""
        shown = grams + self.chance(f"weighing {what}").gauss(0, WEIGHING) - (WARM if warm else 0.0)
        return round_to(max(shown, 0.0), 3)

    def type(self, *lines: str) -> None:
        """What goes into the run's reading line; ``4: solvent 20 mL`` beside step 4."""
        self.lines += lines

    def say(self, level: str, what: str, working: str = "") -> None:
        self.said.append(Feedback(level, what, working))

    def danger(self, what: str, working: str = "") -> None:
        """Somebody could have been hurt."""
        self.said.append(Feedback("stop", what, working, danger=True))


Telling = Generator[Decision, str, None]


@dataclass(frozen=True, slots=True)
class Story:
    """A rehearsal: the procedure that it carries out, by the name under which it ships, and what is to come of it.

    Attributes:
        practises: what it is about, in a few words; solvents: components that are no loss.
    """

    key: str
    procedure: str
    title: str
    practises: str
    begins: str
    tell: Callable[[Bench], Telling]
    products: tuple[Product, ...]
    solvents: tuple[str, ...] = ()


@dataclass(frozen=True, slots=True)
class Outcome:
    """What a run came to.

    Attributes:
        grams: of each product, pure; brought: g of it that came in; purity: of what lies there, 0 to 1;
        weighed: what the balance said of it, g, or None; minutes: all that passed.
    """

    grams: dict[str, float]
    brought: dict[str, float]
    purity: dict[str, float]
    weighed: dict[str, float | None]
    minutes: float

    def recovered(self, portion: str) -> float:
        """A product, pure, over what came in of it, 0 to 1."""
        return self.grams[portion] / self.brought[portion]

    @property
    def recovery(self) -> float:
        """Pure product over what came in of it, 0 to 1, over all products."""
        return sum(self.grams.values()) / sum(self.brought.values())


@dataclass(frozen=True, slots=True)
class Played:
    """A run as far as it was carried out: its decisions, the one that is open, how it looks, where matter is."""

    story: Story
    seed: int
    begun: tuple[str, ...]
    made: tuple[Made, ...]
    open: Decision | None
    scene: Scene
    begins: tuple[Feedback, ...]
    places: dict[str, dict[str, float]]
    brought: dict[str, float]
    minutes: float
    outcome: Outcome | None

    @property
    def lines(self) -> list[str]:
        """All that was typed, in order."""
        return [*self.begun, *(line for made in self.made for line in made.lines)]


def play(story: Story, choices: Mapping[str, str], seed: int, *, usually: bool = False) -> Played:
    """Carry a story out.

    Args:
        choices: decision → what is chosen; those that are not asked for count for nothing.
        usually: where nothing is chosen, do what is usual, to the end.

    Raises:
        Unreadable: a choice is none of those offered.
    """
    bench = Bench(seed)
    telling = story.tell(bench)
    made: list[Made] = []
    try:
        decision = next(telling)
        begun, begins = tuple(bench.lines), tuple(bench.said)
        bench.lines, bench.said = [], []
        while len(made) < MOST_DECISIONS:
            choice = choices.get(decision.key, decision.usual if usually else "")
            if not choice:
                return Played(
                    story,
                    seed,
                    begun,
                    tuple(made),
                    decision,
                    bench.scene,
                    begins,
                    bench.places,
                    bench.brought,
                    bench.minutes,
                    None,
                )
            decision.words(choice)
            here, following = decision, None
            with suppress(StopIteration):
                following = telling.send(choice)
            made.append(Made(here, choice, tuple(bench.said), tuple(bench.lines), bench.scene))
            bench.lines, bench.said = [], []
            if following is None:
                return Played(
                    story,
                    seed,
                    begun,
                    tuple(made),
                    None,
                    bench.scene,
                    begins,
                    bench.places,
                    bench.brought,
                    bench.minutes,
                    _outcome(story, bench),
                )
            decision = following
    finally:
        telling.close()
    raise RuntimeError(f"{story.key} does not end")


def _outcome(story: Story, bench: Bench) -> Outcome:
    grams, brought, purity = {}, {}, {}
    for one in story.products:
        whole = bench.at(one.place)
        if one.solution:
            whole -= sum(bench.at(one.place, solvent) for solvent in story.solvents)
        grams[one.portion] = bench.at(one.place, one.component)
        brought[one.portion] = bench.brought.get(one.component, 0.0)
        purity[one.portion] = grams[one.portion] / whole if whole > 1e-9 else 0.0
    weighed = {one.portion: bench.weighed.get(one.portion) for one in story.products}
    return Outcome(grams, brought, purity, weighed, bench.minutes)


@dataclass(frozen=True, slots=True)
class Cost:
    """What a decision cost, held against the usual one: g of product, parts of purity, minutes; below 0 a gain."""

    made: Made
    grams: float
    purity: float
    minutes: float

    @property
    def usual(self) -> bool:
        return self.made.choice == self.made.decision.usual

    @property
    def dangers(self) -> list[Feedback]:
        """What of it could have hurt somebody."""
        return [said for said in self.made.said if said.danger]

    @property
    def level(self) -> str:
        """*stop* where somebody could have been hurt, *good* for the usual, *caution* where it cost something."""
        if self.dangers:
            return "stop"
        if self.usual:
            return "good"
        return "caution" if self.grams > MATTERS or self.purity > MATTERS else "note"


def costs(played: Played) -> list[Cost]:
    """What every decision of a finished run cost, each by itself (Rehearsal 4).

    Raises:
        ValueError: the run has not come to its end.
    """
    if played.outcome is None:
        raise ValueError("a run is compared with others when it is finished")
    chosen = {one.decision.key: one.choice for one in played.made}
    found = []
    for one in played.made:
        if one.choice == one.decision.usual:
            found.append(Cost(one, 0.0, 0.0, 0.0))
            continue
        other = play(played.story, chosen | {one.decision.key: one.decision.usual}, played.seed, usually=True).outcome
        assert other is not None
        here = played.outcome
        grams, purity, minutes = (
            sum(other.grams.values()) - sum(here.grams.values()),
            _mean(other.purity) - _mean(here.purity),
            here.minutes - other.minutes,
        )
        if any(said.danger for said in one.said):
            grams, purity, minutes = max(grams, 0.0), max(purity, 0.0), max(minutes, 0.0)
        found.append(Cost(one, grams, purity, minutes))
    return found


def _mean(values: Mapping[str, float]) -> float:
    return sum(values.values()) / len(values)


def dangers(played: Played) -> list[tuple[Made, Feedback]]:
    """Everything in a run that could have hurt somebody, in the order in which it was decided (Rehearsal 5)."""
    return [(made, said) for made in played.made for said in made.said if said.danger]


@dataclass(frozen=True, slots=True)
class Lost:
    """Where a component is that should be in a product: the place and how much, g."""

    place: str
    grams: float


def whereabouts(played: Played) -> dict[str, list[Lost]]:
    """For each product's component, where it is, most first; its own place too. Less than half a mg is left out."""
    found = {}
    for one in played.story.products:
        there = [Lost(place, held.get(one.component, 0.0)) for place, held in played.places.items()]
        found[one.component] = sorted((x for x in there if x.grams >= 5e-4), key=lambda x: -x.grams)
    return found
