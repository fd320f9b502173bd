"""What can be written in a meeting's log. It is ink, like a bench's page."""

from __future__ import annotations

from datetime import date
from typing import Annotated, Literal
from uuid import UUID

from pydantic import Field, StrictInt, TypeAdapter, model_validator

from helvor.core.quantities.reading import Amount
from helvor.core.quantities.words import Words
from helvor.core.record.entry import Payload, Struck
from helvor.core.record.step_kinds import WASTE

BenchNumber = Annotated[StrictInt, Field(ge=1, le=500)] | None
"""Which bench it is about; None for the whole room."""


class Began(Payload):
    """The meeting began."""

    kind: Literal["began"] = "began"


class Paused(Payload):
    """Work rests: a fire alarm, a talk in between."""

    kind: Literal["paused"] = "paused"
    why: Words = ""


class WentOn(Payload):
    """Work goes on after a pause."""

    kind: Literal["went-on"] = "went-on"


class Ended(Payload):
    """The meeting is over.

    Attributes:
        left: portions that stood without a label then, as they were shown.
        accidents: accidents that were open then.
        why: why it was closed all the same; needed when there were any of either.
    """

    kind: Literal["ended"] = "ended"
    left: tuple[Words, ...] = Field((), max_length=200)
    accidents: tuple[Words, ...] = Field((), max_length=200)
    why: Words = ""

    @model_validator(mode="after")
    def _never_silently(self) -> Ended:
        if self.accidents and len(self.why) < 2:
            raise ValueError("why: An accident is still open. Record what was done, or enter why it stays open.")
        if self.left and len(self.why) < 2:
            raise ValueError("why: Some containers are unlabelled. Give a short reason for ending anyway.")
        return self


class Said(Payload):
    """A notice to all benches; it stands on their pages until it is taken back or the meeting ends."""

    kind: Literal["said"] = "said"
    words: Annotated[Words, Field(min_length=2)]


class Happened(Payload):
    """An accident: what happened, and what was done about it."""

    kind: Literal["happened"] = "happened"
    bench: BenchNumber = None
    what: Annotated[Words, Field(min_length=2)]
    done: Words = ""


class Settled(Payload):
    """What was done about an accident, written later, on another day too."""

    kind: Literal["settled"] = "settled"
    accident: UUID
    done: Annotated[Words, Field(min_length=2)]


class Broke(Payload):
    """Something broke."""

    kind: Literal["broke"] = "broke"
    bench: BenchNumber = None
    what: Annotated[Words, Field(min_length=2)]
    count: Annotated[StrictInt, Field(ge=1, le=200)] = 1


class Absent(Payload):
    """Somebody is not there. *who* is empty for the whole pair; *makes_up* is when they catch up."""

    kind: Literal["absent"] = "absent"
    bench: Annotated[StrictInt, Field(ge=1, le=500)]
    who: Words = ""
    makes_up: date | None = None


class CaughtUp(Payload):
    """An absence was made up for."""

    kind: Literal["caught-up"] = "caught-up"
    absence: UUID


class Wasted(Payload):
    """Something went into a waste bottle.

    Attributes:
        bottle: the stream on the bottle; matter: the stream that the thing belongs to.
        amount: mL, or g of a solid.
    """

    kind: Literal["wasted"] = "wasted"
    bench: BenchNumber = None
    bottle: str
    matter: str
    amount: Amount
    what: Words = ""

    @model_validator(mode="after")
    def _streams(self) -> Wasted:
        for name, key in (("bottle", self.bottle), ("matter", self.matter)):
            if key not in WASTE:
                raise ValueError(f"{name}: Choose a waste stream from the list.")
        if self.amount.value <= 0:
            raise ValueError("amount: Enter an amount above zero.")
        return self


class Returned(Payload):
    """Kit came back, whole."""

    kind: Literal["returned"] = "returned"
    bench: BenchNumber = None
    what: Annotated[Words, Field(min_length=2)]
    count: Annotated[StrictInt, Field(ge=1, le=500)] = 1


class Remains(Payload):
    """What is left of something made up, for next time, and where it stands."""

    kind: Literal["remains"] = "remains"
    what: Annotated[Words, Field(min_length=2)]
    amount: Amount
    place: Words = ""


class StaysOver(Payload):
    """Something stays in an oven, a hood, a desiccator until the next meeting."""

    kind: Literal["stays-over"] = "stays-over"
    bench: BenchNumber = None
    what: Annotated[Words, Field(min_length=2)]
    place: Annotated[Words, Field(min_length=2)]
    celsius: float | None = Field(None, ge=-30, le=400, allow_inf_nan=False)


class TakenOut(Payload):
    """What stayed over was taken out."""

    kind: Literal["taken-out"] = "taken-out"
    stay: UUID


class RoomTimer(Payload):
    """A timer for the whole room; it runs from when it is written."""

    kind: Literal["room-timer"] = "room-timer"
    label: Annotated[Words, Field(min_length=2)]
    minutes: float = Field(gt=0, le=60 * 24 * 14, allow_inf_nan=False)


class RoomTimerStopped(Payload):
    """A timer of the room was stopped."""

    kind: Literal["room-timer-stopped"] = "room-timer-stopped"
    timer: UUID


class TabletOpened(Payload):
    """A tablet of one bench opened another, or was moved to it."""

    kind: Literal["tablet-opened"] = "tablet-opened"
    bench: Annotated[int, Field(ge=1, le=400)]
    before: Annotated[int, Field(ge=1, le=400)]
    how: Literal["opened", "moved"] = "opened"


AnyOfTheDay = Annotated[
    Began
    | Paused
    | WentOn
    | Ended
    | Said
    | Happened
    | Settled
    | Broke
    | Absent
    | CaughtUp
    | Wasted
    | Returned
    | Remains
    | StaysOver
    | TakenOut
    | RoomTimer
    | RoomTimerStopped
    | TabletOpened
    | Struck,
    Field(discriminator="kind"),
]
OF_THE_DAY: TypeAdapter[AnyOfTheDay] = TypeAdapter(AnyOfTheDay)
