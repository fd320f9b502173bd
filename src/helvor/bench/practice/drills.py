"""Short cases over the decisions of the work: made from a seed, answered by doing, told why at once.

Drill 1. A case is wholly its topic, its level and its seed; nothing of it is kept.
Drill 2. Its key is computed by the functions that judge real work: the plate by
         :mod:`helvor.bench.practice.virtual_plate`, layers by :mod:`helvor.bench.extraction.layers`, drying by
         :mod:`helvor.bench.run.drying`, amounts by :mod:`helvor.bench.formula`.
Drill 3. No case is a close call: cases that are too near are drawn again from the same seed.
Drill 4. What comes next follows the Leitner boxes (:mod:`helvor.bench.practice.boxes`).
"""

from __future__ import annotations

import random
from collections.abc import Callable
from dataclasses import dataclass
from datetime import UTC, datetime, timedelta
from typing import Literal

from helvor.bench.extraction.layers import CLOSE, Liquid, Settled, settle, solution
from helvor.bench.extraction.solutions import water_density
from helvor.bench.formula import molar_mass, readable
from helvor.bench.practice.virtual_plate import COMPOUNDS, HEIGHT, ORIGIN, STOP, Developed, Setting, develop
from helvor.bench.quantity import Unreadable, round_to
from helvor.bench.run.drying import Weighing, constancy

Topic = Literal["read", "layer", "dry", "limiting"]
TOPICS: dict[Topic, str] = {
    "read": "Read a plate", "layer": "Which layer", "dry": "Dry enough", "limiting": "Limiting reagent",
}  # fmt: skip
LEVELS = (1, 2, 3)
MARK_WITHIN = 1.5
"""How far a mark may lie from the front or from a spot's densest place, mm: what an eye does on a plate."""
RF_WITHIN = 0.0051
"""A written Rf agrees with the marks within rounding to two decimals."""


@dataclass(frozen=True, slots=True)
class Verdict:
    """How an answer was: right or not, why in a sentence, and the working, a line each."""

    right: bool
    why: str
    working: tuple[str, ...]


def _chance(topic: str, level: int, seed: int) -> random.Random:
    return random.Random(f"drill {topic} {level} {seed}")  # noqa: S311  invented cases


# ── read a plate ────────────────────────────────────────────────────────────────────────────────


@dataclass(frozen=True, slots=True)
class Reading:
    """A plate with one spot, to be read with a ruler along its side; heights over its bottom edge, mm."""

    plate: Developed
    compound: str

    @property
    def front(self) -> float:
        return ORIGIN + (self.plate.front or 0.0)

    @property
    def spot(self) -> float:
        return ORIGIN + self.plate.spots[0].centre

    @property
    def asks(self) -> str:
        return "Move the marks to the front and to the spot's densest place, and write its Rf."

    def judge(self, front: float, spot: float, rf: float) -> Verdict:
        """Judge two marks, mm over the bottom edge, and the Rf written for them.

        The usual mistakes: both ways measured from the edge, the fraction upside down, the way left to the front.

        Raises:
            Unreadable: a mark lies off the plate, or the front not above the origin.
        """
        for name, mark in (("front", front), ("spot", spot)):
            if not 0 <= mark <= HEIGHT:
                raise Unreadable(f"The {name}'s mark lies on the plate, 0 to {HEIGHT:.0f} mm.")
        if front <= ORIGIN:
            raise Unreadable("The front lies above the origin line.")
        way, whole = self.spot - ORIGIN, self.front - ORIGIN
        key = (
            f"Rf = ({round_to(self.spot, 1)} − {ORIGIN:.0f}) mm ÷ ({round_to(self.front, 1)} − {ORIGIN:.0f}) mm "
            f"= {round_to(way, 1)} ÷ {round_to(whole, 1)} = {round_to(way / whole, 2)}"
        )
        if abs(front - self.front) > MARK_WITHIN:
            off = "above" if front > self.front else "under"
            return Verdict(
                False, f"Your front is {abs(front - self.front):.1f} mm {off} the line where the wet ends.", (key,)
            )
        if abs(spot - self.spot) > MARK_WITHIN:
            off = "above" if spot > self.spot else "under"
            tailing = self.plate.spots[0].centre - self.plate.spots[0].tail > 6
            say = (
                "Read a spot with a tail where it is densest, near its head."
                if tailing
                else "Read the middle of the spot."
            )
            return Verdict(False, f"Your mark is {abs(spot - self.spot):.1f} mm {off} the densest place. {say}", (key,))
        mine, over = spot - ORIGIN, front - ORIGIN
        own = mine / over
        if abs(rf - own) <= RF_WITHIN:
            return Verdict(True, "Both marks lie where they should, and the Rf is theirs.", (key,))
        slips = (
            (spot / front, "Both ways are measured from the origin line, not from the edge of the plate."),
            (spot / over, "The spot's way too begins at the origin line, not at the edge of the plate."),
            (mine / front, "The front's way too begins at the origin line, not at the edge of the plate."),
            (over / mine if mine > 0 else 0.0, "It is upside down: the spot's way over the front's, so never above 1."),
            (1 - own, "That is what the spot still had to the front: take its way from the origin."),
        )
        near = [why for value, why in slips if abs(rf - value) <= RF_WITHIN]
        why = near[0] if len(near) == 1 else "That is not the spot's way over the front's way."
        return Verdict(False, f"The marks are right. {why}", (key,))


def _reading(level: int, seed: int) -> Reading:
    chance = _chance("read", level, seed)
    while True:
        name = chance.choice([one.name for one in COMPOUNDS.values() if one.acid == (level == 3)])
        touches = chance.choice((6, 7, 8)) if level == 2 else 2
        setting = Setting((name,), float(chance.randrange(20, 100, 5)), touches=touches, seed=chance.randrange(10**6))
        way = chance.uniform(50, 80) if level < 3 else chance.uniform(35, STOP)
        plate = develop(setting, setting.minutes_to(way))
        spot = plate.spots[0]
        if spot.tail > 3 and spot.centre < way - 5 and abs(spot.centre / way - 0.5) > 0.02:
            return Reading(plate, name)


# ── which layer ─────────────────────────────────────────────────────────────────────────────────

ORGANIC = (
    ("hexane", 0.659), ("tert-butyl methyl ether", 0.741), ("diethyl ether", 0.713), ("toluene", 0.867),
    ("ethyl acetate", 0.902), ("dichloromethane", 1.326), ("chloroform", 1.492),
)  # fmt: skip
"""Solvents that part from water, g/mL at 20 °C. A test holds them to the shelf, which names its sources."""
MIXED = tuple(pair for pair in ORGANIC if pair[0] in {"hexane", "dichloromethane", "ethyl acetate", "chloroform"})
"""Solvents that mixtures of level 3 are made of: what floats and what sinks mixes to either."""
PLACES = ("upper", "lower")


@dataclass(frozen=True, slots=True)
class Layers:
    """A funnel that has settled; one layer is asked for."""

    poured: tuple[tuple[Liquid, float], ...]
    wanted: Literal["aqueous", "organic"]

    @property
    def settled(self) -> Settled:
        return settle(self.poured)

    @property
    def key(self) -> str:
        return self.settled.where(self.wanted)

    @property
    def asks(self) -> str:
        parts = [f"{volume:.0f} mL of {liquid.name}" for liquid, volume in self.poured]
        return f"Into the funnel went {', '.join(parts[:-1])} and {parts[-1]}. Pick the {self.wanted} layer."

    def judge(self, picked: str) -> Verdict:
        """Judge the layer that was picked, *upper* or *lower*.

        Raises:
            Unreadable: it is neither.
        """
        if picked not in PLACES:
            raise Unreadable("Pick the upper or the lower layer.")
        upper, lower = self.settled.upper, self.settled.lower
        assert upper is not None and lower is not None
        working = tuple(
            f"{place}: {layer.makes} layer, {layer.volume:.0f} mL, {round_to(layer.density, 2)} g/mL"
            for place, layer in zip(PLACES, (upper, lower), strict=True)
        )
        weight = "heavier" if self.key == "lower" else "lighter"
        return Verdict(picked == self.key, f"The {self.wanted} layer is the {weight} one, so the {self.key}.", working)


def _layers(level: int, seed: int) -> Layers:
    chance = _chance("layer", level, seed)
    volumes = (15.0, 20.0, 25.0, 30.0, 40.0, 50.0)
    while True:
        names = chance.sample(MIXED if level == 3 else ORGANIC, 2 if level == 3 else 1)
        parts = [(Liquid(name, "organic", density), chance.choice(volumes)) for name, density in names]
        if level == 1:
            water = Liquid("water", "aqueous", water_density())
        elif level == 2:
            # No hydroxide: it splits esters and reacts with chloroform.
            formula, molar = chance.choice((("HCl", 1.0), ("Na2CO3", 0.5), ("NaCl", 5.0), ("NaHCO3", 0.6)))
            water = solution(f"{molar:g} mol/L {readable(formula)}", formula, molar)
        else:
            water = Liquid("water", "aqueous", water_density())
        case = Layers((*parts, (water, chance.choice(volumes))), chance.choice(("aqueous", "organic")))
        if case.settled.apart > 1.5 * CLOSE:
            return case


# ── dry enough ──────────────────────────────────────────────────────────────────────────────────

STARTED = datetime(2026, 1, 5, 9, 0, tzinfo=UTC)
NOT_YET = "not yet"


@dataclass(frozen=True, slots=True)
class Dry:
    """Nets of a dish between dryings; the first at which drying may stop is asked for, or that none is.

    Attributes:
        nets: g; minutes: when each was weighed; step: of the balance, g; rule: as in drying.
    """

    nets: tuple[float, ...]
    minutes: tuple[float, ...]
    step: float
    rule: str

    @property
    def decimals(self) -> int:
        return 2 if self.step >= 0.01 else 3 if self.step >= 0.001 else 4

    @property
    def key(self) -> str:
        """Number of the weighing, ``2`` or later, or :data:`NOT_YET`."""
        for count in range(2, len(self.nets) + 1):
            if constancy(self._until(count), self.rule).state == "constant":
                return str(count)
        return NOT_YET

    def _until(self, count: int) -> list[Weighing]:
        pairs = zip(self.nets[:count], self.minutes[:count], strict=True)
        return [Weighing(net, self.step, STARTED + timedelta(minutes=at)) for net, at in pairs]

    @property
    def asks(self) -> str:
        if self.rule == "pharmacopoeia":
            rule = "two weighings, the second after a further hour, differ by at most 0.50 mg for each gram"
        else:
            rule = f"two weighings in a row agree within twice the balance's {self.step:g} g"
        return f"Dry enough is when {rule}. Pick the first weighing at which you may stop, or none."

    def judge(self, picked: str) -> Verdict:
        """Judge the weighing that was picked.

        Raises:
            Unreadable: there is no such weighing.
        """
        choices = [*(str(n) for n in range(1, len(self.nets) + 1)), NOT_YET]
        if picked not in choices:
            raise Unreadable("Pick one of the weighings, or that it is not dry yet.")
        working = []
        for count in range(2, len(self.nets) + 1):
            now = constancy(self._until(count), self.rule)
            apart = f"{(now.difference or 0) * 1000:+.{max(self.decimals - 3, 0)}f} mg".replace("-", "−")
            limit = f"{(now.limit or 0) * 1000:.{2 if self.rule == 'pharmacopoeia' else max(self.decimals - 3, 0)}f} mg"
            says = {
                "constant": "dry enough", "soon": "within the limit, but not after an hour", "drying": "still losing",
                "gaining": "heavier: it was weighed warm before, or it draws water",
            }[now.state]  # fmt: skip
            working.append(f"{count}: {apart}, limit {limit}: {says}")
            if str(count) == self.key:
                break
        if picked == self.key:
            right = (
                "None of them agrees with the one before it as the rule asks."
                if self.key == NOT_YET
                else "It agrees with the one before it."
            )
            return Verdict(True, right, tuple(working))
        if picked == "1":
            why = "One weighing says nothing about whether it still loses mass: it takes two that agree."
        elif self.key == NOT_YET:
            why = f"At weighing {picked} it does not agree with the one before it as the rule asks."
        elif picked == NOT_YET or int(picked) > int(self.key):
            why = f"You may stop before: weighing {self.key} agrees with the one before it."
        else:
            why = f"At weighing {picked} it has not come to rest: weighing {self.key} is the first that agrees."
        return Verdict(False, why, tuple(working))


def _dry(level: int, seed: int) -> Dry:
    chance = _chance("dry", level, seed)
    rule = "pharmacopoeia" if level == 3 else "readability"
    step = {1: 0.01, 2: 0.001, 3: 0.0001}[level]
    while True:
        end, wet = chance.uniform(0.6, 2.5), chance.uniform(0.15, 0.6)
        every = {1: 15, 2: 15, 3: chance.choice((30, 60))}[level]
        count = chance.choice((5, 6))
        half = every * chance.uniform(0.2, 0.9 if level == 1 else 0.5)
        minutes = tuple(float(every * n) for n in range(1, count + 1))
        exact = [end + wet * 0.5 ** (at / half) for at in minutes]
        if level == 2 and chance.random() < 0.4:
            # a dish that was weighed warm seems light: the next weighing is heavier
            warm = chance.randrange(1, count - 1)
            exact[warm] -= chance.uniform(0.006, 0.02)
        nets = tuple(float(round_to(value, {0.01: 2, 0.001: 3, 0.0001: 4}[step])) for value in exact)
        case = Dry(nets, minutes, step, rule)
        states = [constancy(case._until(n), rule) for n in range(2, count + 1)]
        clear = all(one.limit is not None and abs(abs(one.difference or 0) - one.limit) > 0.4 * step for one in states)
        if clear and case.key != "2":
            return case


# ── limiting reagent ────────────────────────────────────────────────────────────────────────────


@dataclass(frozen=True, slots=True)
class Part:
    """What goes into a reaction: its name and formula, its count in the equation, and how much of it.

    Attributes:
        grams: its mass, or None where it is a solution; ml, molar: of a solution, mL and mol/L.
    """

    name: str
    formula: str
    count: int
    grams: float | None = None
    ml: float | None = None
    molar: float | None = None

    @property
    def mmol(self) -> float:
        if self.grams is not None:
            return 1000 * self.grams / molar_mass(self.formula)
        return (self.ml or 0) * (self.molar or 0)

    @property
    def amount(self) -> str:
        if self.grams is not None:
            return f"{self.grams:.2f} g"
        return f"{self.ml:g} mL of {self.molar:g} mol/L"


@dataclass(frozen=True, slots=True)
class Limiting:
    """Two substances that react; the one that is used up first is asked for."""

    equation: str
    parts: tuple[Part, Part]

    @property
    def key(self) -> str:
        return min(self.parts, key=lambda part: part.mmol / part.count).name

    @property
    def asks(self) -> str:
        return "Pick the one that is used up first: it limits the yield."

    def judge(self, picked: str) -> Verdict:
        """Judge the substance that was picked, by its name.

        Raises:
            Unreadable: it is none of the two.
        """
        if picked not in {part.name for part in self.parts}:
            raise Unreadable("Pick one of the two substances.")
        working = []
        for part in self.parts:
            if part.grams is not None:
                how = f"{part.grams:.2f} g ÷ {molar_mass(part.formula):.2f} g/mol"
            else:
                how = f"{part.ml:g} mL × {part.molar:g} mol/L"
            each = f"; ÷ {part.count} = {part.mmol / part.count:.1f} mmol" if part.count > 1 else ""
            working.append(f"{part.name}: {how} = {part.mmol:.1f} mmol{each}")
        fewest, most = min(self.parts, key=lambda part: part.mmol), max(self.parts, key=lambda part: part.mmol)
        if picked == self.key:
            return Verdict(True, f"There is least of {self.key} for what the equation asks.", tuple(working))
        if fewest.name == picked:
            why = f"There are fewer mmol of {picked}, but the equation asks for {most.count} {most.name}: divide."
        else:
            why = f"Grams and millilitres do not say it: in mmol over the equation's number {self.key} is the least."
        return Verdict(False, why, tuple(working))


_SOLIDS = (
    ("C7H6O3 + C4H6O3 → C9H8O4 + C2H4O2", ("salicylic acid", "C7H6O3", 1), ("acetic anhydride", "C4H6O3", 1)),
    ("C6H7NO + C4H6O3 → C8H9NO2 + C2H4O2", ("4-aminophenol", "C6H7NO", 1), ("acetic anhydride", "C4H6O3", 1)),
)
_SOLUTIONS = (
    ("CaCl2 + Na2CO3 → CaCO3 + 2 NaCl", ("calcium chloride", "CaCl2", 1), ("sodium carbonate", "Na2CO3", 1)),
    ("C9H10O2 + NaOH → C9H9O2Na + H2O", ("3-phenylpropanoic acid", "C9H10O2", 1), ("sodium hydroxide", "NaOH", 1)),
)
_UNEVEN = (
    ("CaCO3 + 2 HCl → CaCl2 + CO2 + H2O", ("calcium carbonate", "CaCO3", 1), ("hydrochloric acid", "HCl", 2)),
    (
        "CuSO4 + 2 NaOH → Cu(OH)2 + Na2SO4",
        ("copper sulfate, blue", "CuSO4·5H2O", 1),
        ("sodium hydroxide", "NaOH", 2),
    ),
    (
        "MgSO4 + 2 NaOH → Mg(OH)2 + Na2SO4",
        ("Epsom salt", "MgSO4·7H2O", 1),
        ("sodium hydroxide", "NaOH", 2),
    ),
)


def _limiting(level: int, seed: int) -> Limiting:
    chance = _chance("limiting", level, seed)
    equation, one, other = chance.choice({1: _SOLIDS, 2: _SOLUTIONS, 3: _UNEVEN}[level])
    while True:
        grams = round(chance.uniform(0.5, 5.0), 2)
        first = Part(*one, grams=grams)
        share = chance.uniform(0.45, 0.85)
        wanted = first.mmol * other[2] * (share if chance.random() < 0.5 else 1 / share)
        if level == 1:
            second = Part(*other, grams=round(wanted * molar_mass(other[1]) / 1000, 2))
        else:
            molar = chance.choice((0.5, 1.0, 2.0))
            second = Part(*other, ml=float(round(wanted / molar)), molar=molar)
        ratio = (second.mmol / second.count) / first.mmol
        if (second.ml is None or 4 <= second.ml <= 150) and not 0.9 < ratio < 1.1:
            return Limiting(readable_equation(equation), (first, second))


def readable_equation(equation: str) -> str:
    """An equation with its subscripts."""
    return " ".join(readable(word) if word[0].isupper() else word for word in equation.split())


Drill = Reading | Layers | Dry | Limiting
_MAKERS: dict[Topic, Callable[[int, int], Drill]] = {
    "read": _reading, "layer": _layers, "dry": _dry, "limiting": _limiting,
}  # fmt: skip


def drill(topic: Topic, level: int, seed: int) -> Drill:
    """The case of a topic at a level, the same for a seed.

    Raises:
        Unreadable: there is no such topic, or no such level.
    """
    if topic not in _MAKERS or level not in LEVELS:
        raise Unreadable("There is no such drill.")
    return _MAKERS[topic](level, seed)
