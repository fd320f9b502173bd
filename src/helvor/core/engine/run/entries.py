"""What can be written on a run's page.

Every weighing says what stood on the pan and in which state it was, so that a wet mass
is never taken for a result (bench practice: dry empty, wet, dried 1, dried 2 …).
"""

from __future__ import annotations

from functools import cached_property
from typing import Annotated, Literal
from uuid import UUID

from pydantic import Field, StrictBool, StrictInt, StringConstraints, model_validator

from helvor.core.quantities.reading import Mass, Reading, Volume
from helvor.core.quantities.words import Text, Words
from helvor.core.record.answer import Answered
from helvor.core.record.entry import Acknowledged, Payload, Struck
from helvor.core.record.procedure import Id, Name, Portion, Procedure, Said, Step, Substance

State = Literal["empty", "empty, air-dry", "empty, damp", "as is", "wet", "dried"]
STATES: dict[str, str] = {
    "empty": "empty, dry",
    "empty, air-dry": "empty, air-dry",
    "empty, damp": "empty, damp",
    "as is": "as received",
    "wet": "still wet",
    "dried": "dried",
}

StepId = Annotated[str, StringConstraints(pattern=r"^([a-z0-9-]{1,24})?$")]


class Following(Payload):
    """The procedure that the run follows, as it stood in its version, and scaled by a factor."""

    kind: Literal["following"] = "following"
    procedure: Procedure
    of: UUID | None = None
    version: int = Field(0, ge=0, le=10_000)
    factor: float = Field(1.0, gt=0, le=1000, allow_inf_nan=False)


class StepAdded(Payload):
    """A step that the procedure does not have; it comes after another, or last."""

    kind: Literal["step-added"] = "step-added"
    step: Step
    after: StepId = ""


class SubstanceAdded(Payload):
    """A substance that the procedure does not name."""

    kind: Literal["substance-added"] = "substance-added"
    substance: Substance


class PortionSaid(Payload):
    """More about a portion than the procedure says."""

    kind: Literal["portion-said"] = "portion-said"
    portion: Portion


class Marked(Payload):
    """A step was done (each further time: repeated), or is left out with a word why."""

    kind: Literal["marked"] = "marked"
    step: Id
    how: Literal["done", "skipped"] = "done"
    why: Words = ""

    @model_validator(mode="after")
    def _why_skipped(self) -> Marked:
        if self.how == "skipped" and len(self.why) < 2:
            raise ValueError("why: Give a short reason for skipping this step.")
        return self


class Weighed(Payload):
    """One indication of a balance.

    Attributes:
        container: labels of all that stood on the pan.
        portion: what was in it; empty for an empty container.
        round: of a dried one, the how manieth drying.
        way: *gross*, or *net* where the tare button took the container off.
        readability: the balance's step, where it is not what the digits say.
        hot: it could not be held in the hand, or was still warm.
        estimated: not read but judged.
    """

    kind: Literal["weighed"] = "weighed"
    container: tuple[Name, ...] = Field(min_length=1, max_length=4)
    portion: str = Field("", max_length=40)
    state: State
    round: Annotated[StrictInt, Field(ge=1, le=40)] | None = None
    way: Literal["gross", "net"] = "gross"
    mass: Mass
    balance: Words = ""
    readability: Mass | None = None
    hot: StrictBool = False
    estimated: StrictBool = False
    step: StepId = ""

    @model_validator(mode="after")
    def _goes_together(self) -> Weighed:
        is_empty = self.state.startswith("empty")
        if is_empty and self.portion:
            raise ValueError("state: The container has contents: choose as received, wet or dried.")
        if not is_empty and not self.portion.strip():
            raise ValueError("portion: Enter what is in the container.")
        if is_empty and self.way == "net":
            raise ValueError("way: After pressing Tare an empty container reads zero: weigh it before taring.")
        if (self.round is not None) != (self.state == "dried"):
            raise ValueError("round: Enter a drying number only for a dried portion.")
        if self.readability is not None and not 0 < self.readability.value <= 10:
            raise ValueError("readability: Enter a readability of 0.00001 g to 10 g.")
        labels = [label.casefold() for label in self.container]
        if len(set(labels)) < len(labels):
            raise ValueError("container: Enter each container once.")
        return self

    @cached_property
    def pan(self) -> frozenset[str]:
        """What stood on the pan, in lower case, for comparing."""
        return frozenset(label.casefold() for label in self.container)

    @property
    def step_g(self) -> float:
        """The step of the indication, g."""
        return self.readability.value if self.readability else self.mass.resolution

    @property
    def name(self) -> str:
        """The container's labels as people say them."""
        return " + ".join(self.container)


class Bottle(Payload):
    """The stock bottle that something came from, as it was really made.

    Attributes:
        molar: mol/L, from what was weighed and made up; *u* its standard uncertainty.
    """

    kind: Literal["bottle"] = "bottle"
    code: Words
    molar: float = Field(gt=0, le=30, allow_inf_nan=False)
    u: float = Field(ge=0, le=30, allow_inf_nan=False)


class Taken(Payload):
    """How much of a substance really went in.

    Attributes:
        amount: as read; or *before* and *after* of its container, by difference.
        glass: what a volume was measured with; *tolerance* its tolerance, mL.
        instead: another substance of the same use stood in; *instead_formula* its formula.
        bottle: the stock bottle, with its actual concentration.
    """

    kind: Literal["taken"] = "taken"
    substance: Name
    amount: Mass | Volume | None = None
    before: Mass | None = None
    after: Mass | None = None
    readability: Mass | None = None
    glass: Words = ""
    tolerance: Volume | None = None
    instead: str = Field("", max_length=40)
    instead_formula: str = Field("", max_length=60)
    bottle: Bottle | None = None
    estimated: StrictBool = False
    balance: Words = ""
    step: StepId = ""

    @model_validator(mode="after")
    def _one_way(self) -> Taken:
        by_difference = self.before is not None or self.after is not None
        if by_difference and (self.before is None or self.after is None):
            raise ValueError("after: Enter both masses, before and after.")
        if (self.amount is None) != by_difference:
            raise ValueError("amount: Enter the amount, or both masses of its container.")
        if self.before and self.after and self.after.value > self.before.value:
            raise ValueError("after: The container cannot be heavier after removing some: exchange before and after.")
        return self


class VolumeRead(Payload):
    """The volume of a portion, as read."""

    kind: Literal["volume-read"] = "volume-read"
    portion: Name
    volume: Volume
    glass: Words = ""
    tolerance: Volume | None = None
    step: StepId = ""


class UsedInstead(Payload):
    """Other kit than the handout asks for: a Hirsch funnel for the Büchner funnel, a cylinder for the pipette."""

    kind: Literal["used-instead"] = "used-instead"
    kit: Name
    instead: Name
    why: Words = ""
    step: StepId = ""


class Noted(Payload):
    """What was seen: free words and quick picks."""

    kind: Literal["noted"] = "noted"
    words: Text = ""
    picks: tuple[Words, ...] = Field((), max_length=12)
    celsius: float | None = Field(None, ge=-100, le=1300, allow_inf_nan=False)
    step: StepId = ""

    @model_validator(mode="after")
    def _something(self) -> Noted:
        if not (self.words or self.picks or self.celsius is not None):
            raise ValueError("words: Enter what you saw, or choose a word.")
        return self


class Checked(Payload):
    """Which checks of a step's set-up were seen to; written again it takes the place of the last."""

    kind: Literal["checked"] = "checked"
    step: Id
    checks: tuple[Words, ...] = Field((), max_length=20)


class Tried(Payload):
    """A trial and its outcome: does the clear top cloud with one more drop, is there a new deposit?"""

    kind: Literal["tried"] = "tried"
    step: Id
    trial: Annotated[str, StringConstraints(pattern=r"^[a-z-]{1,24}$")]
    passed: StrictBool
    words: Words = ""


class TimerSet(Payload):
    """A timer that runs from when it is written."""

    kind: Literal["timer-set"] = "timer-set"
    label: Words = ""
    minutes: float = Field(gt=0, le=60 * 24 * 14, allow_inf_nan=False)
    step: StepId = ""


class TimerStopped(Payload):
    """A timer was stopped."""

    kind: Literal["timer-stopped"] = "timer-stopped"
    timer: UUID


class Attached(Payload):
    """A picture or file that was put beside a step."""

    kind: Literal["attached"] = "attached"
    file: UUID
    name: Words
    media: Words
    words: Words = ""
    step: StepId = ""


class HandoutCorrected(Payload):
    """The instructor corrected the handout: other words for a step, in every run that follows it."""

    kind: Literal["handout-corrected"] = "handout-corrected"
    step: Id
    says: Said
    why: Words = ""


class Borrowed(Payload):
    """The bench goes on with another's product; its numbers are not this bench's."""

    kind: Literal["borrowed"] = "borrowed"
    portion: Name
    source: Words
    why: Words = ""


class Late(Payload):
    """The bench started late, or makes the meeting up on another day."""

    kind: Literal["late"] = "late"
    words: Words
    make_up: Words = ""


GENERAL: tuple[type[Payload], ...] = (
    Following,
    StepAdded,
    SubstanceAdded,
    PortionSaid,
    Marked,
    Weighed,
    Taken,
    VolumeRead,
    UsedInstead,
    Noted,
    Checked,
    Tried,
    TimerSet,
    TimerStopped,
    Attached,
    HandoutCorrected,
    Borrowed,
    Late,
    Answered,
    Struck,
    Acknowledged,
)
"""Kinds of entry that every run knows; techniques bring their own."""


ESTIMATED = 0.10
"""Half-width of what a judged amount may be off, as a part of it. Common practice, no source."""


def widened(reading: Reading, u: float, *, estimated: bool) -> float:
    """The standard uncertainty of a reading; a judged one is off by up to a tenth, evenly."""
    return (u * u + (ESTIMATED * reading.value) ** 2 / 3) ** 0.5 if estimated else u
