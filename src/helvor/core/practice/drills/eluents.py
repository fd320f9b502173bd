"""Stronger or weaker: a plate that missed its window, and what is to be changed."""

from __future__ import annotations

from dataclasses import dataclass

from helvor.core.practice.drills.case import Verdict, chance_of
from helvor.core.practice.virtual_plate import COMPOUNDS, ENOUGH_ACID, STOP, Developed, Setting, develop
from helvor.core.quantities.reading import Unreadable, round_to

WINDOW = (0.20, 0.35)
"""Where a spot should lie for a column. Common practice."""
CHANGES = {
    "stronger": "More of the strong solvent",
    "weaker": "Less of the strong solvent",
    "stay": "No change",
    "acid": "A little acetic acid",
}
CLEAR = 0.03
"""No case lies so near to an edge of the window."""


@dataclass(frozen=True, slots=True)
class Eluent:
    """A developed plate of one compound and a window; what to change is asked for, or which of some eluents to take.

    Attributes:
        offered: per cents of the strong part to choose from; empty where only a direction is asked for.
    """

    plate: Developed
    compound: str
    offered: tuple[int, ...] = ()

    @property
    def rf(self) -> float:
        return self.plate.rf_of(self.compound) or 0.0

    @property
    def streaks(self) -> bool:
        return COMPOUNDS[self.compound].acid and self.plate.setting.acid < ENOUGH_ACID

    @property
    def key(self) -> str:
        """What is right: a change of :data:`CHANGES`, or a per cent of those offered."""
        low, high = WINDOW
        if self.offered:
            inside = [one for one in self.offered if low <= COMPOUNDS[self.compound].rf(one / 100) <= high]
            return str(inside[0])
        if self.streaks:
            return "acid"
        return "stronger" if self.rf < low else "weaker" if self.rf > high else "stay"

    @property
    def choices(self) -> list[tuple[str, str]]:
        if self.offered:
            return [(str(one), f"{one} % ethyl acetate") for one in self.offered]
        return list(CHANGES.items())

    @property
    def asks(self) -> str:
        window = f"For a column the Rf of {self.compound} should be between {WINDOW[0]:.2f} and {WINDOW[1]:.2f}."
        ran = f"This is {self.plate.setting.strong:g} % ethyl acetate in heptane."
        if self.offered:
            return f"{window} {ran} Which eluent brings it there?"
        return f"{window} {ran} What do you change first?"

    def marked(self, picked: str) -> Verdict:
        """Judge the change or the eluent that was picked.

        Raises:
            Unreadable: it is none of those offered.
        """
        if picked not in dict(self.choices):
            raise Unreadable("Choose one of the changes.")
        low = WINDOW[0]
        spot = next(one for one in self.plate.spots if one.compound == self.compound)
        read = (
            f"Rf = {round_to(spot.centre, 1)} mm ÷ {round_to(self.plate.front or STOP, 1)} mm = {round_to(self.rf, 2)}"
        )
        working = [read]
        if self.offered:
            working += [
                f"{one} %: Rf about {round_to(COMPOUNDS[self.compound].rf(one / 100), 2)}" for one in self.offered
            ]
        right = picked == self.key
        if self.key == "acid":
            why = "It is an acid and streaks: first add a little acid to sharpen the spot, then its Rf can be read."
        elif self.key == "stay":
            why = "It is already in the window."
        elif self.offered:
            why = f"{self.key} % brings it into the window; on silica the stronger solvent moves it up."
        else:
            where = "under" if self.rf < low else "over"
            why = f"At {round_to(self.rf, 2)} it is {where} the window: on silica a stronger eluent moves it further."
        return Verdict(right, why, tuple(working))


def eluent(level: int, seed: int) -> Eluent:
    """A case: a direction, a per cent, a direction where an acid may streak."""
    chance = chance_of("eluent", level, seed)
    while True:
        acid = level == 3 and chance.random() < 0.5
        name = chance.choice([one.name for one in COMPOUNDS.values() if one.acid == acid])
        made = COMPOUNDS[name]
        strong = float(chance.randrange(5, 100, 5))
        setting = Setting(
            (name,), strong, acid=1.0 if acid and chance.random() < 0.4 else 0.0, seed=chance.randrange(10**6)
        )
        plate = develop(setting, setting.minutes_to(chance.uniform(60, STOP)))
        case = Eluent(plate, name)
        if any(abs(case.rf - edge) < CLEAR for edge in WINDOW) or not 0.02 < case.rf < 0.97:
            continue
        if level != 2:
            return case
        offered = tuple(sorted(chance.sample(range(5, 100, 5), 4)))
        values = [made.rf(one / 100) for one in offered]
        inside = [value for value in values if WINDOW[0] <= value <= WINDOW[1]]
        near = [value for value in values if any(abs(value - edge) < CLEAR for edge in WINDOW)]
        if len(inside) == 1 and not near and case.key != "stay":
            return Eluent(plate, name, offered)
