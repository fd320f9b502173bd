"""Read a plate: two marks with a ruler, and the Rf of them."""

from __future__ import annotations

from dataclasses import dataclass

from helvor.core.practice.drills.case import Verdict, chance_of
from helvor.core.practice.virtual_plate import COMPOUNDS, HEIGHT, ORIGIN, STOP, Developed, Setting, develop
from helvor.core.quantities.reading import Unreadable, round_to

MARK_WITHIN = 1.5
"""How far a mark may lie from the front or from a spot's densest place, mm: what an eye does on a plate."""
RF_WITHIN = 0.0051
"""A written Rf agrees with the marks within rounding to two decimals."""


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
        return "Mark the solvent front and the centre of the spot, then enter Rf."

    def marked(self, front: float, spot: float, rf: float) -> Verdict:
        """Judge two marks, mm over the bottom edge, and the Rf written for them.

        The usual mistakes: both ways measured from the edge, the fraction upside down, the way left to the front.

        Raises:
            Unreadable: a mark lies off the plate, or the front not above the origin.
        """
        for name, mark in (("front", front), ("spot", spot)):
            if not 0 <= mark <= HEIGHT:
                raise Unreadable(f"Enter a mark for the {name} between 0 and {HEIGHT:.0f} mm.")
        if front <= ORIGIN:
            raise Unreadable("Enter a front above the origin line.")
        way, whole = self.spot - ORIGIN, self.front - ORIGIN
        key = (
            f"Rf = ({round_to(self.spot, 1)} − {ORIGIN:.0f}) mm ÷ ({round_to(self.front, 1)} − {ORIGIN:.0f}) mm "
            f"= {round_to(way, 1)} ÷ {round_to(whole, 1)} = {round_to(way / whole, 2)}"
        )
        if abs(front - self.front) > MARK_WITHIN:
            off = "above" if front > self.front else "under"
            return Verdict(
                False, f"Your front is {abs(front - self.front):.1f} mm {off} the line where the wet area ends.", (key,)
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
            return Verdict(True, "Both marks and the Rf are right.", (key,))
        slips = (
            (spot / front, "Measure both distances from the origin line, not from the edge of the plate."),
            (spot / over, "Measure the spot's distance from the origin line too, not from the edge of the plate."),
            (mine / front, "Measure the front's distance from the origin line too, not from the edge of the plate."),
            (
                over / mine if mine > 0 else 0.0,
                "It is inverted: divide the spot's distance by the front's, so Rf is never above 1.",
            ),
            (1 - own, "That is the distance from the spot to the front: measure from the origin."),
        )
        near = [why for value, why in slips if abs(rf - value) <= RF_WITHIN]
        why = near[0] if len(near) == 1 else "That is not the spot's distance divided by the front's."
        return Verdict(False, f"The marks are right. {why}", (key,))


def reading(level: int, seed: int) -> Reading:
    """A case: a clean spot; one that is overloaded; an acid that drags."""
    chance = chance_of("read", level, seed)
    while True:
        name = chance.choice([one.name for one in COMPOUNDS.values() if one.acid == (level == 3)])
        touches = chance.choice((6, 7, 8)) if level == 2 else 2
        setting = Setting((name,), float(chance.randrange(20, 100, 5)), touches=touches, seed=chance.randrange(10**6))
        way = chance.uniform(50, 80) if level < 3 else chance.uniform(35, STOP)
        plate = develop(setting, setting.minutes_to(way))
        spot = plate.spots[0]
        if spot.tail > 3 and spot.centre < way - 5 and abs(spot.centre / way - 0.5) > 0.02:
            return Reading(plate, name)
