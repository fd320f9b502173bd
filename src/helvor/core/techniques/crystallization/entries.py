"""What is written down while something is recrystallized and melted."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field, model_validator

from helvor.core.laws.crystallization.melting import Range
from helvor.core.quantities.reading import Unreadable, Volume
from helvor.core.quantities.words import Words
from helvor.core.record.entry import Payload
from helvor.core.record.procedure import Id, Name

Celsius = Annotated[float, Field(ge=-100, le=500, allow_inf_nan=False)]
Much = Literal["none", "some", "all"]

WHY = {
    "dissolve": "to dissolve it",
    "extra": "for the hot filtration",
    "rinse": "hot, to rinse flask and paper",
    "boiled off": "boiled off again",
}
"""What solvent was added for; *boiled off* takes it away."""
REMEDIES = {
    "": "nothing done",
    "scratched": "scratched the glass",
    "seeded": "seeded with a crystal",
    "ice": "set into ice",
    "boiled down": "boiled off some solvent",
    "more solvent": "warmed again with more solvent",
}
"""What was done where crystals did not come, or an oil did, in the order that they are tried."""


class SolventAdded(Payload):
    """A portion of hot solvent that went into the flask; ``why`` it did."""

    kind: Literal["solvent-added"] = "solvent-added"
    step: Id
    volume: Volume
    why: Literal["dissolve", "extra", "rinse", "boiled off"] = "dissolve"


class TemperatureSeen(Payload):
    """The solution's temperature while it cools, °C, and what was seen then."""

    kind: Literal["temperature-seen"] = "temperature-seen"
    step: Id
    celsius: Celsius
    seen: Words = ""


class Crystallized(Payload):
    """What came on cooling, and what was done about it."""

    kind: Literal["crystallized"] = "crystallized"
    step: Id
    outcome: Literal["crystals", "nothing", "oil", "coloured", "grey"]
    remedy: Literal["", "scratched", "seeded", "ice", "boiled down", "more solvent"] = ""


class MeltingSeen(Payload):
    """A melting range of a portion, °C; ``mixed_with`` a known substance for a mixed melting point."""

    kind: Literal["melting-seen"] = "melting-seen"
    step: Id
    portion: Name
    starts: Celsius
    ends: Celsius
    rate: float | None = Field(None, gt=0, le=60, allow_inf_nan=False)
    way: Literal["", "capillary", "block"] = ""
    mixed_with: str = Field("", max_length=40)

    @model_validator(mode="after")
    def _upwards(self) -> MeltingSeen:
        try:
            Range(self.starts, self.ends)
        except Unreadable as unreadable:
            raise ValueError(f"ends: {unreadable}") from unreadable
        return self

    @property
    def range(self) -> Range:
        return Range(self.starts, self.ends)


class StandardMelted(Payload):
    """A standard on this thermometer: its published melting point and what was read, °C."""

    kind: Literal["standard-melted"] = "standard-melted"
    step: Id
    name: Name
    published: Celsius
    read: Celsius


class SolventTried(Payload):
    """A test tube: how much dissolved cold and at the boil, and what came on cooling."""

    kind: Literal["solvent-tried"] = "solvent-tried"
    step: Id
    solvent: Name
    cold: Much | Literal[""] = ""
    hot: Much | Literal[""] = ""
    cooled: Literal["", "crystals", "oil", "nothing"] = ""

    @model_validator(mode="after")
    def _something(self) -> SolventTried:
        if not (self.cold or self.hot or self.cooled):
            raise ValueError("cold: Enter at least one of the three: cold, hot or on cooling.")
        if self.cold == "all" and self.hot == "none":
            raise ValueError("hot: It dissolved cold, so it also dissolves hot: correct one of the two.")
        return self
