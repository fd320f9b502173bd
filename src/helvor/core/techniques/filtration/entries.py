"""What is written down while something is filtered."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field, StrictBool, StrictInt

from helvor.core.engine.run.entries import StepId
from helvor.core.quantities.reading import Volume
from helvor.core.quantities.words import Words
from helvor.core.record.entry import Payload
from helvor.core.record.procedure import Id, Name


class Poured(Payload):
    """Liquid that went into the funnel, and so into the receiver."""

    kind: Literal["poured"] = "poured"
    step: Id
    volume: Volume
    what: Literal["mixture", "rinse"] = "mixture"


class Emptied(Payload):
    """The receiver was emptied: air in first, then poured out."""

    kind: Literal["emptied"] = "emptied"
    step: Id


class Washed(Payload):
    """A wash or rinse of the solid.

    Attributes:
        volume: of each one; times: how many; behind: what stays each time, where it is known.
        cold: how the liquid was.
        dissolves: how much of the solid a litre of it takes, g, where that is known.
        flammable: the liquid is.
    """

    kind: Literal["washed"] = "washed"
    step: Id
    liquid: Name
    volume: Volume
    times: Annotated[StrictInt, Field(ge=1, le=20)] = 1
    behind: Volume | None = None
    cold: Literal["ice-cold", "room", "hot"] = "room"
    dissolves: float | None = Field(None, ge=0, le=2000, allow_inf_nan=False)
    flammable: StrictBool = False

    @property
    def millilitres(self) -> float:
        """All of it, mL."""
        return self.volume.value * self.times


class Filtrate(Payload):
    """How the filtrate looked, and what was done about it."""

    kind: Literal["filtrate"] = "filtrate"
    step: Id
    clear: StrictBool
    then: Literal["", "again", "accepted"] = ""
    words: Words = ""


DRYING_PLACES: dict[str, str] = {
    "oven": "in the oven",
    "air": "in air",
    "hood": "in the hood",
    "suction": "by vacuum",
    "hotplate": "on the hotplate",
    "desiccator": "in the desiccator",
}
"""Where a solid dries, in words."""


class Drying(Payload):
    """How a solid is being dried.

    Attributes:
        celsius: of the oven or plate; None for air.
        place: where; labels: what it lies in or on.
    """

    kind: Literal["drying"] = "drying"
    step: StepId = ""
    portion: Name
    place: Literal["oven", "air", "hood", "suction", "hotplate", "desiccator"]
    celsius: float | None = Field(None, ge=0, le=1300, allow_inf_nan=False)
    labels: tuple[Name, ...] = Field((), max_length=4)
