"""The containers of a class: what each is, its tare, what is in it, where it is.

A container's notes are in ink; what it is now is worked out of them. A stock bottle is a
container too: what was weighed and made up gives the actual concentration.
"""

from __future__ import annotations

import math
from collections.abc import Iterable
from dataclasses import dataclass
from datetime import datetime
from typing import Annotated, Literal

from pydantic import Field, TypeAdapter, model_validator

from helvor.core.laws.planar.eluent import Eluent, parse_eluent
from helvor.core.quantities.formula import molar_mass
from helvor.core.quantities.measured import Measured
from helvor.core.quantities.reading import Mass, Unreadable, Volume
from helvor.core.quantities.words import Words
from helvor.core.record.entry import Payload
from helvor.core.record.procedure import Formula, Name

KINDS: dict[str, str] = {
    "beaker": "beaker",
    "flask": "flask",
    "dish": "evaporating dish",
    "boat": "weighing boat",
    "watch glass": "watch glass",
    "paper": "filter paper",
    "vial": "vial",
    "crucible": "filter crucible",
    "bottle": "stock bottle",
}
MOVED_STEPS = 2.0
"""Steps of the balance by which a tare may differ from the one before. Common practice, no source."""
PLACES = ("bench", "oven", "hood", "desiccator", "stockroom", "cupboard")


class Tared(Payload):
    """It was weighed empty and dry."""

    kind: Literal["tared"] = "tared"
    mass: Mass
    balance: Words = ""


class Filled(Payload):
    """Something was put in; empty words mean that it was emptied and cleaned."""

    kind: Literal["filled"] = "filled"
    content: Words = ""
    bench: Annotated[int, Field(ge=1, le=500)] | None = None


class Moved(Payload):
    """It was put somewhere."""

    kind: Literal["moved"] = "moved"
    place: Words


class MadeUp(Payload):
    """A solution was made: a mass weighed, made up to a volume.

    Attributes:
        volume: of the vessel it was made up in; *tolerance* its tolerance, mL.
        fraction: mass fraction of the substance in what was weighed.
    """

    kind: Literal["made-up"] = "made-up"
    substance: Name
    formula: Formula
    mass: Mass
    volume: Volume
    tolerance: Volume | None = None
    fraction: float = Field(1.0, gt=0, le=1, allow_inf_nan=False)

    @model_validator(mode="after")
    def _something_in_something(self) -> MadeUp:
        if not self.formula:
            raise ValueError("formula: Enter the formula with its water of hydration; the amount in mol needs it.")
        if self.mass.value <= 0 or self.volume.value <= 0:
            raise ValueError("mass: Enter a mass and a volume above 0.")
        return self

    @property
    def molar(self) -> Measured:
        """The actual concentration, mol/L, with the balance's step and the vessel's tolerance as its doubt.

        c = m·w ÷ (M·V). The mass holds two indications, step ÷ √6; the tolerance counts as
        rectangular, ÷ √3 (JCGM 100:2008, 4.3.7).
        """
        mass = Measured.read(self.mass.value, self.mass.resolution / math.sqrt(6), "mass")
        doubt = self.tolerance.value / math.sqrt(3) if self.tolerance else self.volume.u
        litres = Measured.read(self.volume.value / 1000, doubt / 1000, "volume")
        return mass * (self.fraction / molar_mass(self.formula)) / litres


AnyNote = Annotated[Tared | Filled | Moved | MadeUp, Field(discriminator="kind")]
NOTES: TypeAdapter[AnyNote] = TypeAdapter(AnyNote)


@dataclass(frozen=True, slots=True)
class Note:
    """A note on a container, as it is kept."""

    says: Payload
    by: str
    at: datetime


@dataclass(slots=True)
class Container:
    """What the notes of a container add up to.

    Attributes:
        drift: the newest tare minus the one before, g.
        filled_at: when what is in it came in; made_at: when a solution was made up.
    """

    code: str
    label: str
    kind: str
    tare: Tared | None = None
    tared_at: datetime | None = None
    drift: float | None = None
    content: str = ""
    bench: int | None = None
    place: str = ""
    solution: MadeUp | None = None
    made_by: str = ""
    made_at: datetime | None = None
    filled_at: datetime | None = None

    @property
    def eluent(self) -> Eluent | None:
        """The eluent that a bottle holds, where its content is one of several parts."""
        if self.kind != "bottle" or self.solution is not None:
            return None
        try:
            eluent = parse_eluent(self.content)
        except Unreadable:
            return None
        return eluent if len(eluent.components) > 1 else None

    @property
    def tare_moved(self) -> bool:
        """Whether the newest tare differs from the one before by more than a balance does."""
        return (
            self.tare is not None
            and self.drift is not None
            and abs(self.drift) > MOVED_STEPS * self.tare.mass.resolution
        )


def fold(code: str, label: str, kind: str, notes: Iterable[Note]) -> Container:
    """The container as it is now; notes oldest first."""
    now = Container(code, label, kind)
    for note in notes:
        match note.says:
            case Tared() as tared:
                if now.tare is not None:
                    now.drift = tared.mass.value - now.tare.mass.value
                now.tare, now.tared_at = tared, note.at
            case Filled() as filled:
                now.content, now.bench, now.filled_at = filled.content, filled.bench, note.at
                if not filled.content:
                    now.solution = None
            case Moved(place=place):
                now.place = place
            case MadeUp() as made:
                now.solution, now.made_by, now.made_at = made, note.by, note.at
                now.content = made.substance
    return now
