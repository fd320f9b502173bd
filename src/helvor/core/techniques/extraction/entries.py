"""What is written down while layers are parted, dried and boiled."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field, StrictBool, StrictInt, model_validator

from helvor.core.laws.extraction.acid_base import read_paper
from helvor.core.laws.extraction.drying import AGENT
from helvor.core.laws.extraction.layers import REMEDIES
from helvor.core.quantities.reading import Length, Mass, Unreadable, Volume
from helvor.core.quantities.words import Words
from helvor.core.record.entry import Payload
from helvor.core.record.procedure import Id, Name

Place = Literal["upper", "lower"]


class Vented(Payload):
    """The funnel was mixed, so many swirls or shakes, and vented."""

    kind: Literal["vented"] = "vented"
    step: Id
    swirls: Annotated[StrictInt, Field(ge=1, le=100)]


class Emulsion(Payload):
    """A rag between the layers; what was tried; whether it is gone."""

    kind: Literal["emulsion"] = "emulsion"
    step: Id
    thick: Length | None = None
    tried: tuple[Words, ...] = Field((), max_length=8)
    gone: StrictBool = False
    words: Words = ""

    @property
    def over(self) -> bool:
        """Nothing is left of it: it was said to be gone, or is 0 mm thick."""
        return self.gone or (self.thick is not None and self.thick.value == 0)

    @model_validator(mode="after")
    def _known(self) -> Emulsion:
        known = {key for key, _ in REMEDIES}
        if not set(self.tried) <= known:
            raise ValueError("tried: Choose a remedy, or describe it.")
        if self.thick is not None and self.thick.value > 200:
            raise ValueError("thick: Enter an emulsion of at most 200 mm.")
        return self


class Drained(Payload):
    """A layer was taken out of the funnel.

    Attributes:
        place: the upper or the lower one; portion: what it is from now on.
        vessel: what it is in; volume: mL, where it was read.
    """

    kind: Literal["drained"] = "drained"
    step: Id
    place: Place
    portion: Name
    vessel: Words = ""
    volume: Volume | None = None


class PhRead(Payload):
    """A pH, by meter, or as the colour of a paper."""

    kind: Literal["ph-read"] = "ph-read"
    step: Id
    portion: str = Field("", max_length=40)
    ph: float | None = Field(None, ge=-2, le=16, allow_inf_nan=False)
    paper: Words = ""
    colour: Words = ""

    @model_validator(mode="after")
    def _one_way(self) -> PhRead:
        if (self.ph is None) == (not self.colour):
            raise ValueError("ph: Enter the meter's value, or choose the colour of a paper.")
        if self.colour:
            try:
                read_paper(self.paper or "universal", self.colour)
            except Unreadable as unreadable:
                raise ValueError(f"colour: {unreadable}") from unreadable
        return self

    @property
    def range(self) -> tuple[float, float]:
        """From and up to which pH it may lie."""
        if self.ph is not None:
            return self.ph, self.ph
        seen = read_paper(self.paper or "universal", self.colour)
        return seen.low, seen.high


class AgentAdded(Payload):
    """A portion of drying agent, and whether some grains move freely now."""

    kind: Literal["agent-added"] = "agent-added"
    step: Id
    agent: Words
    mass: Mass | None = None
    flows: StrictBool = False

    @model_validator(mode="after")
    def _known(self) -> AgentAdded:
        if self.agent not in AGENT:
            raise ValueError(f"agent: Choose a drying agent: {', '.join(agent.name for agent in AGENT.values())}.")
        return self


class Boiling(Payload):
    """The first drops fell back, or it stopped boiling."""

    kind: Literal["boiling"] = "boiling"
    step: Id
    boils: StrictBool


class LayerGone(Payload):
    """A portion was thrown away outside the procedure."""

    kind: Literal["layer-gone"] = "layer-gone"
    step: Id
    portion: Name
    why: Words = ""
