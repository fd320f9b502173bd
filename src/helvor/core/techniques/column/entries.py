"""What is written down at a column: its bed, its tubes, what is seen in them, what is pooled."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field, StrictInt, model_validator

from helvor.core.quantities.reading import Length, Volume
from helvor.core.quantities.words import Words
from helvor.core.record.entry import Payload
from helvor.core.record.procedure import Id, Name

TubeNumber = Annotated[StrictInt, Field(ge=1, le=192)]
Strength = Annotated[StrictInt, Field(ge=0, le=4)]


class _Range(Payload):
    """Tubes from one to another, both in it."""

    step: Id
    first: TubeNumber
    last: TubeNumber

    @model_validator(mode="after")
    def _in_order(self) -> _Range:
        if self.last < self.first:
            raise ValueError("last: Enter a last tube that is not before the first.")
        return self

    @property
    def tubes(self) -> range:
        return range(self.first, self.last + 1)


class ColumnPacked(Payload):
    """The column as it was really packed: its bore and the height of its silica."""

    kind: Literal["column-packed"] = "column-packed"
    step: Id
    bore: Length
    bed: Length

    @model_validator(mode="after")
    def _sizes(self) -> ColumnPacked:
        if not 2 <= self.bore.value <= 300:
            raise ValueError("bore: Enter an inside width of 2 to 300 mm.")
        if not 10 <= self.bed.value <= 2000:
            raise ValueError("bed: Enter a bed height of 10 to 2000 mm.")
        return self


class TubesFilled(_Range):
    """Tubes that were filled; each with so much of an eluent.

    Attributes:
        volume: of each; eluent: what came through; colour: how it looked; state: *spilt* or *skipped* ones.
    """

    kind: Literal["tubes-filled"] = "tubes-filled"
    volume: Volume | None = None
    eluent: Words = ""
    colour: Words = ""
    state: Literal["full", "spilt", "skipped"] = "full"


class TubesSpotted(_Range):
    """What tubes show on their plate: a compound and how strong, 0 for none; with no compound they show nothing."""

    kind: Literal["tubes-spotted"] = "tubes-spotted"
    compound: str = Field("", max_length=40)
    strength: Strength = 3


class Pooled(_Range):
    """Tubes that were put together.

    Attributes:
        portion: what they are from now on; without: tubes of the range that stayed out.
        proposed: it was done as the page proposed.
    """

    kind: Literal["pooled"] = "pooled"
    portion: Name
    without: tuple[TubeNumber, ...] = Field((), max_length=40)
    proposed: bool = False


class LevelSeen(Payload):
    """How far the liquid stands above the silica, mm; ``dry`` where it fell below; ``bubbles`` in the bed."""

    kind: Literal["level-seen"] = "level-seen"
    step: Id
    above: Length | None = None
    dry: bool = False
    bubbles: bool = False

    @model_validator(mode="after")
    def _something(self) -> LevelSeen:
        if self.above is None and not self.dry and not self.bubbles:
            raise ValueError("above: Enter the height of the liquid above the silica.")
        return self
