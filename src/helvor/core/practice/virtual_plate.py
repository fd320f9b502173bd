"""A plate that develops by the laws that planning uses, so that a learner's choices have their consequences.

Virtual plate 1. The front rises as (z + h)² = κ·t (:mod:`helvor.core.laws.planar.arrival`), h the origin's height
                 over the liquid. κ of a mixture is that of its parts by volume.
Virtual plate 2. Each compound moves with its Rf, R_M = a − m·log10 φ on silica (:mod:`helvor.core.laws.planar.tune`), φ
                 the fraction of the strong part; a chamber that is not lined gives somewhat higher ones.
                 On reversed phase R_M = r − 3·φ: what likes water runs ahead there.
Virtual plate 3. A spot spreads on its way: σ² = σ₀² + H·s, s the way of its centre and H the layer's plate height.
                 L. S. Ettre, Pure Appl. Chem. 1993, 65, 819, for H.
Virtual plate 4. More than the layer takes is dragged behind: a tail that grows with the touches over two. An acid drags
                 on silica as long as there is none in the eluent.
Virtual plate 5. Where the liquid stands at or over the origin the spots dissolve into it, and nothing rises.
Virtual plate 6. A plate left in until the front is at its top goes on moving spots while no front is left to divide by.
Virtual plate 7. The same seed gives the same plate: an Rf scatters by 0.006 from plate to plate, by 0.003 from lane to
                 lane. Common practice, no source.

Compounds and liquids are made up for practice, of the size that teaching plates show; no value is a reference.
"""

from __future__ import annotations

import math
import random
from collections.abc import Sequence
from dataclasses import dataclass

from helvor.core.practice.feedback import Feedback
from helvor.core.quantities.reading import Unreadable, round_to

HEIGHT, ORIGIN, WIDTH = 100.0, 10.0, 50.0
"""The plate: its height, its origin line over the bottom edge, its width, mm."""
BELOW_TOP = 10.0
"""How far under the top a front should be stopped, mm. Common practice."""
STOP = HEIGHT - ORIGIN - BELOW_TOP
"""Where that is over the origin, mm."""
REVERSED_SLOPE = 3.0
"""Slope of R_M over the methanol's fraction on reversed phase. Common practice: 2 to 4 for small molecules."""


@dataclass(frozen=True, slots=True)
class LayerKind:
    """A layer: its words, the phase that the notebook writes, H of Virtual plate 3, mm, its part of κ, its liquids.

    Attributes:
        weak, strong: the liquids that are mixed for it.
        reversed: whether what likes water runs ahead.
    """

    words: str
    phase: str
    plate_height: float
    kappa: float
    weak: str
    strong: str
    reversed: bool = False


LAYERS = {
    "silica": LayerKind("silica, ready-made", "silica", 0.03, 1.0, "heptane", "ethyl acetate"),
    "spread": LayerKind("silica, spread by hand", "silica", 0.09, 1.35, "heptane", "ethyl acetate"),
    "C18": LayerKind("reversed phase, C18", "C18", 0.03, 0.45, "water", "methanol", reversed=True),
}
DOT = 0.55
"""σ₀ of a small dot, mm."""
UNLINED = 0.04
"""Rf that a compound half-way up gains in a chamber that is not lined; none at the origin and at the front."""
OVERLOAD = 0.06
"""Tail for each touch over two, as a part of the way (Virtual plate 4)."""
DRAG = 0.30
"""Tail of an acid without acid in the eluent, as a part of the way."""
ENOUGH_ACID = 0.5
"""Per cent of acid in the eluent that gathers an acid's spot."""


@dataclass(frozen=True, slots=True)
class Compound:
    """A compound of the practice shelf: its lane's label, a, m and r of its lines (plate 2), whether an acid."""

    name: str
    label: str
    a: float
    m: float
    r: float
    acid: bool = False

    def rf(self, phi: float) -> float:
        """Rf at a fraction φ of the strong part, 0 to 1; 0 without any."""
        if phi <= 0:
            return 0.0
        return 1 / (1 + 10 ** (self.a - self.m * math.log10(phi)))

    def rf_on(self, layer: str, phi: float) -> float:
        """Rf on a layer of :data:`LAYERS`."""
        if LAYERS[layer].reversed:
            return 1 / (1 + 10 ** (self.r - REVERSED_SLOPE * phi))
        return self.rf(phi)


COMPOUNDS = {
    one.name: one
    for one in (
        Compound("caffeine", "C", 0.57, 1.2, 1.3),
        Compound("aspirin", "A", -0.37, 1.0, 1.6, acid=True),
        Compound("paracetamol", "P", -0.18, 1.4, 0.9),
        Compound("benzocaine", "B", -0.62, 1.3, 2.2),
        Compound("salicylic acid", "S", -0.28, 1.1, 1.9, acid=True),
        Compound("vanillin", "V", -0.30, 1.5, 1.5),
        Compound("biphenyl", "Y", -1.35, 0.6, 3.4),
    )
}
KAPPA = {"weak": 640.0, "strong": 580.0, "acid": 260.0}
"""κ of a weak liquid such as heptane, a strong one such as ethyl acetate, and acetic acid, mm² a minute."""
MIX = "mix"
CHAMBER = 10.0
"""mL of eluent in the chamber."""


@dataclass(frozen=True, slots=True)
class Setting:
    """How a learner set a plate up.

    Attributes:
        compounds: each has a lane, and a last one has them all.
        strong, acid: per cent by volume of the eluent; the rest is the weak part.
        level: of the liquid over the chamber's floor, mm.
        touches: of the capillary on each dot; lined: whether filter paper lines the chamber.
        layer: of :data:`LAYERS`.
    """

    compounds: tuple[str, ...]
    strong: float
    acid: float = 0.0
    level: float = 6.0
    touches: int = 2
    lined: bool = True
    seed: int = 1
    layer: str = "silica"

    def check(self) -> None:
        """Refuse what no chamber can be.

        Raises:
            Unreadable: with one sentence.
        """
        unknown = [name for name in self.compounds if name not in COMPOUNDS]
        if unknown or not 1 <= len(self.compounds) <= 4:
            raise Unreadable("Choose one to four compounds.")
        if self.layer not in LAYERS:
            raise Unreadable(f"Choose a stationary phase: {', '.join(LAYERS)}.")
        if not 0 <= self.strong <= 100 or not 0 <= self.acid <= 10 or self.strong + self.acid > 100:
            raise Unreadable("Enter parts between 0 and 100 %, and at most 10 % acid.")
        if not 1 <= self.level <= 40 or not 1 <= self.touches <= 12:
            raise Unreadable("Enter a level of 1 to 40 mm and 1 to 12 applications.")

    @property
    def weak(self) -> float:
        """Per cent by volume of the weak part."""
        return 100 - self.strong - self.acid

    @property
    def millilitres(self) -> tuple[float, float, float]:
        """mL of the weak part, the strong one and the acid in the chamber."""
        return self.weak * CHAMBER / 100, self.strong * CHAMBER / 100, self.acid * CHAMBER / 100

    @property
    def kappa(self) -> float:
        """κ of the mixture, mm² a minute (Virtual plate 1)."""
        mixed = (self.weak * KAPPA["weak"] + self.strong * KAPPA["strong"] + self.acid * KAPPA["acid"]) / 100
        return mixed * LAYERS[self.layer].kappa

    @property
    def over_liquid(self) -> float:
        """Height of the origin over the liquid, mm; 0 or less when the dots stand in it."""
        return ORIGIN - self.level

    @property
    def lanes(self) -> list[tuple[str, tuple[str, ...]]]:
        """Label and what is on it, from the left; the mixture last where there are several."""
        single: list[tuple[str, tuple[str, ...]]] = [(COMPOUNDS[name].label, (name,)) for name in self.compounds]
        return [*single, (MIX, self.compounds)] if len(self.compounds) > 1 else single

    def front_at(self, minutes: float) -> float:
        """The front over the origin if the plate went on for ever, mm; below 0 before it gets there.

        >>> round(Setting(("caffeine",), 100.0, level=6.0).front_at(4.0), 1)
        44.2
        """
        return math.sqrt(self.kappa * max(minutes, 0.0)) - self.over_liquid

    def minutes_to(self, front: float) -> float:
        """When the front is so many mm over the origin."""
        return (front + self.over_liquid) ** 2 / self.kappa

    @property
    def minutes_to_top(self) -> float:
        """When it has reached the plate's top."""
        return self.minutes_to(HEIGHT - ORIGIN)


@dataclass(frozen=True, slots=True)
class VirtualSpot:
    """A spot as it is: its lane, its compound, where it is densest, its ends and width, mm over the origin."""

    lane: str
    compound: str
    centre: float
    tail: float
    head: float
    width: float
    strength: float


@dataclass(frozen=True, slots=True)
class Developed:
    """A plate after so many minutes.

    Attributes:
        front: over the origin, mm; None when it ran off the top.
        washed_out: the dots dissolved into the liquid.
        left: compound → the part of what was put on that is still on the plate, by conservation.
    """

    setting: Setting
    minutes: float
    front: float | None
    spots: tuple[VirtualSpot, ...]
    washed_out: bool

    @property
    def left(self) -> dict[str, float]:
        return dict.fromkeys(self.setting.compounds, 0.0 if self.washed_out else 1.0)

    def rf_of(self, compound: str) -> float | None:
        """What a perfect ruler would read in the compound's own lane; None without a front."""
        if not self.front:
            return None
        spot = next((s for s in self.spots if s.compound == compound), None)
        return spot.centre / self.front if spot is not None else None


def true_rf(setting: Setting, compound: str) -> float:
    """The Rf of a compound on this plate, its scatter from plate to plate put in (Virtual plate 2 and 7)."""
    rf = COMPOUNDS[compound].rf_on(setting.layer, setting.strong / 100)
    if not setting.lined:
        rf += UNLINED * 4 * rf * (1 - rf)
    chance = random.Random(f"{setting.seed} {compound} {setting.strong} {setting.acid}")  # noqa: S311  invented plates
    return min(max(rf + chance.gauss(0, 0.006), 0.0), 0.995) if rf > 0 else 0.0


def develop(setting: Setting, minutes: float) -> Developed:
    """The plate after *minutes* in the chamber.

    Raises:
        Unreadable: the setting is none, or the time is below zero or above a day.
    """
    setting.check()
    if not 0 <= minutes <= 1440:
        raise Unreadable("Enter 0 to 1440 min in the chamber.")
    if setting.over_liquid <= 0 and minutes > 0:
        front = min(setting.front_at(minutes), HEIGHT - ORIGIN)
        off = front >= HEIGHT - ORIGIN
        return Developed(setting, minutes, None if off else max(front, 0.0), (), washed_out=True)
    ran_off = minutes >= setting.minutes_to_top
    # Behind a front at the top the eluent still creeps, as it leaves the plate: a tenth as fast.
    beyond = 0.1 * (setting.front_at(minutes) - (HEIGHT - ORIGIN)) if ran_off else 0.0
    front = HEIGHT - ORIGIN if ran_off else max(setting.front_at(minutes), 0.0)
    spots = []
    for label, on_it in setting.lanes:
        for name in on_it:
            compound = COMPOUNDS[name]
            chance = random.Random(f"{setting.seed} {label} {name}")  # noqa: S311  invented plates
            rf = true_rf(setting, name)
            rf = min(max(rf + chance.gauss(0, 0.003), 0.0), 0.995) if rf > 0 else 0.0
            way = min(rf * (front + beyond), HEIGHT - ORIGIN - 0.5)
            height = LAYERS[setting.layer].plate_height
            sigma = math.sqrt(DOT**2 + height * way)
            dragged = OVERLOAD * max(setting.touches - 2, 0)
            if compound.acid and setting.acid < ENOUGH_ACID:
                dragged += DRAG
            strength = min(1.0, 0.45 + 0.12 * setting.touches) * DOT / sigma
            spots.append(
                VirtualSpot(
                    label,
                    name,
                    way,
                    max(way - 2 * sigma - dragged * way, -2 * DOT),
                    way + 2 * sigma,
                    4 * math.sqrt(DOT**2 + 0.5 * height * way),
                    strength,
                )
            )
    return Developed(setting, minutes, None if ran_off else front, tuple(spots), washed_out=False)


@dataclass(frozen=True, slots=True)
class Goal:
    """What a plate should come to: compound → the Rf between which it should lie."""

    windows: tuple[tuple[str, float, float], ...]

    def lies(self, compound: str, rf: float | None) -> bool:
        """Whether a compound's Rf is where it should be."""
        return rf is not None and any(name == compound and low <= rf <= high for name, low, high in self.windows)

    @property
    def words(self) -> str:
        """``Put caffeine between 0.20 and 0.35, with aspirin above 0.50.``"""
        if not self.windows:
            return "A plate of your own: no goal."
        parts = []
        for name, low, high in self.windows:
            if high >= 1:
                parts.append(f"{name} above {low:.2f}")
            elif low <= 0:
                parts.append(f"{name} below {high:.2f}")
            else:
                parts.append(f"{name} between {low:.2f} and {high:.2f}")
        first, *rest = parts
        return f"Put {first}{''.join(f', with {one}' for one in rest)}."


WASHED_OUT = (
    "The eluent level was {level:g} mm and the origin is at {origin:g} mm: the spots dissolved. "
    "Keep the level below the origin."
)
RAN_OFF = (
    "The front reached the top after {top:.1f} min: it can no longer be marked, and Rf needs it. "
    "Take the plate out about 10 mm below the top."
)
TOO_LOW = "{name} at {rf:.2f} is too low: {strong:g} % of the strong solvent does not move it far enough. Use more."
TOO_HIGH = "{name} at {rf:.2f} is too high: {strong:g} % of the strong solvent moves it too far. Use less."
STREAKS = "{name} streaks: it is an acid. 1 % acetic acid sharpens the spot."
OVERLOADED = "{touches} applications overload the plate: the spots tail. Two or three are enough."
NOT_LINED = "Without a lining the chamber is not saturated: Rf values are higher and less reproducible."
SHORT_WAY = "The front went {front:.0f} mm: over a longer distance spots separate further."
TOO_SHORT = 25.0
"""How much further a front could have gone before it is worth a word, mm."""


def check_goal(plate: Developed, goal: Goal) -> tuple[bool, list[Feedback]]:
    """Whether a plate meets its goal, and why not, with the working."""
    setting = plate.setting
    if plate.washed_out:
        return False, [Feedback("caution", WASHED_OUT.format(level=setting.level, origin=ORIGIN))]
    if plate.front is None:
        return False, [Feedback("caution", RAN_OFF.format(top=setting.minutes_to_top))]
    if plate.front <= 0:
        return False, [Feedback("note", "The front has not reached the origin yet: wait.")]
    said: list[Feedback] = []
    met = True
    for name, low, _ in goal.windows:
        if name not in setting.compounds:
            continue
        spot = next(s for s in plate.spots if s.compound == name)
        rf = spot.centre / plate.front
        working = f"Rf = {round_to(spot.centre, 1)} mm ÷ {round_to(plate.front, 1)} mm = {round_to(rf, 2)}"
        called = name.capitalize()
        if goal.lies(name, rf):
            said.append(Feedback("good", f"{called}: in the target zone.", working))
        else:
            met = False
            words = TOO_LOW if rf < low else TOO_HIGH
            said.append(Feedback("caution", words.format(name=called, rf=rf, strong=setting.strong), working))
        if COMPOUNDS[name].acid and setting.acid < ENOUGH_ACID:
            said.append(Feedback("caution", STREAKS.format(name=called)))
    if setting.touches > 4:
        said.append(Feedback("caution", OVERLOADED.format(touches=setting.touches)))
    if not setting.lined:
        said.append(Feedback("note", NOT_LINED))
    if STOP - plate.front > TOO_SHORT:
        said.append(Feedback("note", SHORT_WAY.format(front=plate.front)))
    return met, said


GOALS: tuple[Goal, ...] = (
    Goal((("caffeine", 0.15, 0.25), ("aspirin", 0.50, 1.0))),
    Goal((("paracetamol", 0.25, 0.40), ("benzocaine", 0.45, 1.0))),
    Goal((("vanillin", 0.25, 0.40), ("biphenyl", 0.75, 1.0))),
    Goal((("salicylic acid", 0.30, 0.45), ("caffeine", 0.0, 0.12))),
)
"""Goals that some eluent meets; a test holds each to it."""


def reachable(goal: Goal, steps: Sequence[int] = range(5, 101, 5)) -> list[int]:
    """Per cents of the strong part that meet a goal, without scatter."""
    return [
        strong
        for strong in steps
        if all(goal.lies(name, COMPOUNDS[name].rf(strong / 100)) for name, _, _ in goal.windows)
    ]
