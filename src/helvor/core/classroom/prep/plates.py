"""What plates and cold need of a meeting: sheets to cut, eluents to mix, spotting solutions, ice.

Plates 1. Stock sheets are 200 × 200 mm, and strips are cut from sheets of that size too.
Plates 2. An eluent is mixed for all chambers and the spare, in volumes that a cylinder can measure.
Plates 3. Of a spotting solution half a millilitre of 1 % serves four benches. Common practice, no source.
Plates 4. An ice bath takes about 150 g of ice a bench. Common practice, no source.
"""

from __future__ import annotations

import math
from dataclasses import dataclass

from helvor.core.hazards.care import named
from helvor.core.laws.planar.eluent import Eluent, parse_eluent
from helvor.core.laws.planar.prepare import Cut, Part, Spotting, cut, recipe, spotting
from helvor.core.quantities.reading import Unreadable
from helvor.core.record.procedure import Procedure, Step
from helvor.core.techniques.planar.parameters import Developing, OfAPlate
from helvor.core.techniques.registered import STEP_KINDS

SHEET_MM = (200.0, 200.0)
CYLINDER_STEP = 1.0
"""What a measuring cylinder for a class's eluent is read to, mL."""
BENCHES_PER_VIAL, VIAL_ML = 4, 0.5
ICE_G = 150.0
AQUEOUS = ("water", "brine", "salt solution", "hydrochloric acid", "ammonia")
"""What names a part without organic solvent, whatever stands before it: ``6 M hydrochloric acid``."""
HALOGENATED = ("dichloromethane", "chloroform", "tetrachloromethane", "1,2-dichloroethane", "trichloroethene")


@dataclass(frozen=True, slots=True)
class Sheets:
    """Sheets to cut: how the plates lie on one, plates wanted and with spare, and sheets."""

    key: str
    plan: Cut
    wanted: int
    plates: int
    sheets: int
    steps: tuple[int, ...]


@dataclass(frozen=True, slots=True)
class ToMix:
    """An eluent: its parts, mL for a chamber, all chambers and with spare, and the waste stream that it ends in."""

    key: str
    eluent: Eluent
    chamber: float
    chambers: float
    total: float
    parts: tuple[Part, ...]
    stream: str
    steps: tuple[int, ...]

    @property
    def care(self) -> str:
        """What to mind while it is mixed; local rules and a qualified person decide."""
        return CARE[self.stream]


@dataclass(frozen=True, slots=True)
class ToSpot:
    """A spotting solution: how many vials of it, and what goes into one."""

    key: str
    name: str
    vials: int
    each: Spotting


@dataclass(frozen=True, slots=True)
class Ice:
    """Ice to have, kg."""

    key: str
    kilograms: float
    steps: tuple[int, ...]


CARE = {
    "solvents": "in the hood, no flames",
    "halogenated": "in the hood, gloves, no flames",
    "aqueous": "",
}


def _halogenated(name: str) -> bool:
    return name in HALOGENATED or any(care.halogenated for care in named(name))


def stream_of(eluent: Eluent) -> str:
    """The waste stream that an eluent belongs to.

    >>> stream_of(parse_eluent("dichloromethane : methanol 95 : 5"))
    'halogenated'
    >>> stream_of(parse_eluent("hexane : ethyl acetate 4 : 1"))
    'solvents'
    >>> stream_of(parse_eluent("water : ammonia 9 : 1"))
    'aqueous'
    """
    names = [component.name.casefold() for component in eluent.components]
    if all(name.endswith(AQUEOUS) for name in names):
        return "aqueous"
    return "halogenated" if any(map(_halogenated, names)) else "solvents"


def sheets_to_cut(steps: list[tuple[int, Step]], benches: int, spare: float) -> tuple[Sheets, ...]:
    """Sheets for the plates of these steps, plates of one size together; what fits no sheet is left out."""
    sizes: dict[tuple[float, float], list[int]] = {}
    for number, step in steps:
        plate = OfAPlate.of(step)
        if plate.plate_width is not None and plate.plate_height is not None:
            sizes.setdefault((plate.plate_width, plate.plate_height), []).append(number)
    found = []
    for (width, height), numbers in sizes.items():
        try:
            plan = cut(SHEET_MM, (width, height))
        except Unreadable:
            continue  # larger than a stock sheet: bought at that size, and on the kit list
        wanted = len(numbers) * benches
        plates = math.ceil(round(wanted * (1 + spare), 9))
        key = f"cut {width:g} {height:g}"
        found.append(Sheets(key, plan, wanted, plates, math.ceil(plates / plan.count), tuple(numbers)))
    return tuple(found)


def eluents_to_mix(steps: list[tuple[int, Step]], benches: int, spare: float) -> tuple[ToMix, ...]:
    """Eluents for these steps, the same one once."""
    wanted: dict[frozenset[tuple[str, float]], list[tuple[int, Developing]]] = {}
    for number, step in steps:
        stands_in = Developing.of(step)
        if stands_in.eluent and stands_in.eluent_volume:
            parts = parse_eluent(stands_in.eluent).components
            mixture = frozenset((part.name.casefold(), round(part.percent, 3)) for part in parts)
            wanted.setdefault(mixture, []).append((number, stands_in))
    found = []
    for uses in wanted.values():
        eluent = parse_eluent(uses[0][1].eluent)
        chamber = sum(stands_in.eluent_volume or 0.0 for _, stands_in in uses)
        chambers = chamber * benches
        total = math.ceil(round(chambers * (1 + spare) / 10, 9)) * 10.0
        volumes = tuple(recipe(eluent, total, CYLINDER_STEP))
        numbers = tuple(number for number, _ in uses)
        found.append(
            ToMix(
                f"mix {eluent}".casefold()[:80], eluent, chamber, chambers, total, volumes, stream_of(eluent), numbers
            )
        )
    return tuple(found)


def spotting_solutions(steps: list[tuple[int, Step]], benches: int) -> tuple[ToSpot, ...]:
    """A solution of each reference that is spotted, in vials that benches share."""
    names = dict.fromkeys(name for _, step in steps for name in OfAPlate.of(step).spots)
    vials = math.ceil(benches / BENCHES_PER_VIAL)
    return tuple(ToSpot(f"spot {name.casefold()}", name, vials, spotting(VIAL_ML)) for name in names)


def ice_for(steps: list[tuple[int, Step]], benches: int) -> Ice | None:
    """Ice for the ice baths of these steps, one filling each; None where there are none."""
    numbers = tuple(number for number, step in steps if step.kind in STEP_KINDS and STEP_KINDS[step.kind].ice)
    if not numbers:
        return None
    return Ice("ice", math.ceil(len(numbers) * benches * ICE_G / 500) / 2, numbers)


def bench_steps(procedure: Procedure, meeting: int) -> list[tuple[int, Step]]:
    """The benches' steps of a meeting with their numbers."""
    return [
        (number, step)
        for number, step in enumerate(procedure.steps, start=1)
        if step.meeting == meeting and step.doer == "bench"
    ]
