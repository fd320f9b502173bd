"""A plate on record: the kinds of entry, and the plate that the standing entries add up to.

Plate 1. Distances along a lane count from the origin line, upwards.
Plate 2. A lane or spot is named for good by the id of its first entry; the name people
         see (``T2``) is the lane's label and the spot's number in the order of writing.
Plate 3. There is one set-up, one eluent, one chamber, one choice of reference, one front
         for the plate and one for each lane; writing another strikes the one that stands.
Plate 4. The number of a spot that was taken back is free again for the next one of its lane; a spot that stands
         keeps its own, so that a name never moves on.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable
from dataclasses import dataclass, field
from datetime import datetime
from typing import Annotated, Any, Literal
from uuid import UUID

from pydantic import BaseModel, ConfigDict, Field, StrictBool, StrictInt, field_validator, model_validator

from helvor.core.laws.planar.eluent import Eluent, parse_eluent
from helvor.core.quantities.reading import Length, Reading
from helvor.core.quantities.words import Mark, Text, Words
from helvor.core.record.answer import Answered
from helvor.core.record.entry import Acknowledged, Entry, Line, Payload, Problem, Struck, corrected_line, lines
from helvor.core.record.remembered import remembered
from helvor.core.record.step_kinds import StepKind
from helvor.core.techniques.planar.parameters import OfAPlate
from helvor.core.techniques.planar.spot_names import numbered, spot_name

Phase = Literal["silica", "alumina", "paper", "C18"]
Backing = Literal["aluminium", "plastic", "glass", "none"]
Light = Literal["daylight", "254", "365", "stain"]
Role = Literal["reference", "unknown", "co-spot"]
Strength = Literal["faint", "clear", "heavy"]
Applied = Literal["dots", "pen line", "box", "swab"]
Held = Literal["leaning", "hung", "standing"]

PHASES: dict[str, str] = {
    "silica": "silica gel",
    "alumina": "alumina",
    "paper": "paper (cellulose)",
    "C18": "reversed phase (C18)",
}
LIGHTS: dict[str, str] = {"daylight": "Daylight", "254": "254 nm", "365": "365 nm", "stain": "Stain"}
SWATCHES: dict[str, str] = {
    "": "#4A5660",
    "yellow": "#D9B310",
    "orange": "#D9772B",
    "red": "#B8323A",
    "pink": "#D9749B",
    "purple": "#7B4A9E",
    "blue": "#2F5FB3",
    "green": "#3C8A4E",
    "brown": "#7A5230",
    "black": "#23282C",
    "white": "#E9EEF2",
}
"""Colour word → the swatch shown beside it (sRGB)."""

STEP_KINDS = (
    StepKind(
        "plate",
        "Plates",
        "run a plate",
        "Spot, develop, mark the front, read the spots",
        hands=15,
        waits=20,
        asks=("plate",),
        kit=("chamber", "plate", "capillary"),
        caution="Never look into a UV lamp or hold skin under it.",
        rules=("chamber", "putting-on", "stopping-front", "measuring-spot"),
        parameters=OfAPlate,
        opens="plates",
    ),
)
"""What this technique brings into procedures."""

MAX_LANES = 40
MAX_SPOTS = 120
LARGEST_PLATE_MM = 600.0


class SetUp(Payload):
    """The plate before anything moved: what it is made of, its size, its origin line."""

    kind: Literal["set-up"] = "set-up"
    phase: Phase
    backing: Backing = "none"
    indicator: StrictBool = False
    width: Length
    height: Length
    origin: Length
    ruler: Literal["as written", "1 mm", "0.5 mm", "0.1 mm"] = "as written"
    about: Words = ""

    @model_validator(mode="after")
    def _origin_on_plate(self) -> SetUp:
        for name in ("width", "height"):
            size: Reading = getattr(self, name)
            if not 5 <= size.value <= LARGEST_PLATE_MM:
                raise ValueError(f"{name}: {size} is not a plate size: enter 5 mm to 600 mm.")
        if self.origin.value >= self.height.value:
            raise ValueError(
                f"origin: {self.origin} is above the plate, which is {self.height} high; "
                "enter the origin's height above the bottom edge."
            )
        return self

    @property
    def ruler_mm(self) -> float | None:
        """The ruler's step, or None when the digits written tell it."""
        return None if self.ruler == "as written" else float(self.ruler.removesuffix(" mm"))


class EluentUsed(Payload):
    """What the plate ran in; ``age`` is how many hours the bottle had been mixed then."""

    kind: Literal["eluent"] = "eluent"
    eluent: Eluent
    age: Annotated[float, Field(ge=0, le=10_000, allow_inf_nan=False)] | None = None

    @field_validator("eluent", mode="before")
    @classmethod
    def _read(cls, value: Any) -> Any:
        return parse_eluent(value) if isinstance(value, str) else value


class Chamber(Payload):
    """How the chamber was: the liquid's level over its floor, lining, lid, and how the strip was in it.

    Attributes:
        held: leaning on the wall, hung from a stick, or folded to stand.
        marked: the fill line was marked with the strip in it, before the liquid.
        dried: minutes that the spots dried before it went in.
        waited: minutes that the closed chamber stood with its eluent before that.
    """

    kind: Literal["chamber"] = "chamber"
    level: Length | None = None
    lined: StrictBool | None = None
    lid: StrictBool | None = None
    held: Held | None = None
    marked: StrictBool | None = None
    dried: Annotated[StrictInt, Field(ge=0, le=999)] | None = None
    waited: Annotated[StrictInt, Field(ge=0, le=999)] | None = None


class Lane(Payload):
    """One lane: where it starts, what is on it and how it was put there."""

    kind: Literal["lane"] = "lane"
    at: Length
    label: Mark
    substance: Words = ""
    role: Role = "unknown"
    combines: tuple[UUID, ...] = Field(default=(), max_length=6)
    applied: Applied = "dots"
    touches: Annotated[StrictInt, Field(ge=1, le=99)] | None = None

    @model_validator(mode="after")
    def _co_spots_only(self) -> Lane:
        if self.combines and self.role != "co-spot":
            raise ValueError("combines: Choose co-spot first; only a co-spot lane combines other lanes.")
        return self


class FromPhoto(BaseModel):
    """Where a reading was taken from a photograph instead of with a ruler.

    Attributes:
        photo: the photograph's id.
        u: standard uncertainty from pixels and straightening, mm.
        px_per_mm: how finely the photograph shows the plate.
        placed: proposed and accepted, or put there by hand.
    """

    model_config = ConfigDict(frozen=True, extra="forbid")

    photo: UUID
    u: Annotated[float, Field(gt=0, le=5)]
    px_per_mm: Annotated[float, Field(gt=0, le=1000)]
    placed: Literal["found", "by hand"] = "found"


class Photographed(Payload):
    """A photograph of the plate was kept."""

    kind: Literal["photo"] = "photo"
    photo: UUID
    name: Words = ""
    light: Light


class Front(Payload):
    """The solvent front over the origin line, for the plate or for one lane."""

    kind: Literal["front"] = "front"
    lane: UUID | None = None
    distance: Length | None = None
    ran_off: StrictBool = False
    from_photo: FromPhoto | None = None

    @model_validator(mode="after")
    def _read_or_lost(self) -> Front:
        if (self.distance is None) != self.ran_off:
            raise ValueError("distance: Enter the front's distance, or choose that it ran off the plate.")
        if self.distance is not None and self.distance.value <= 0:
            raise ValueError("distance: Enter a front above 0 mm; it is above the origin line.")
        return self


class Spot(Payload):
    """One spot: where its centre is, optionally its ends and width, what it looked like."""

    kind: Literal["spot"] = "spot"
    lane: UUID
    distance: Length
    tail: Length | None = None
    head: Length | None = None
    width: Length | None = None
    colour: Words = ""
    swatch: str = ""
    seen: tuple[Light, ...] = ("daylight",)
    strength: Strength = "clear"
    from_photo: FromPhoto | None = None

    @field_validator("swatch")
    @classmethod
    def _known_swatch(cls, value: str) -> str:
        if value not in SWATCHES:
            raise ValueError(f"Choose a colour from the list; “{value[:20]}” is not in it.")
        return value

    @field_validator("seen")
    @classmethod
    def _each_once(cls, value: tuple[Light, ...]) -> tuple[Light, ...]:
        if not value:
            raise ValueError("Choose the light under which the spot was seen.")
        return tuple(light for light in LIGHTS if light in value)

    @model_validator(mode="after")
    def _ends_around_centre(self) -> Spot:
        if self.tail is not None and self.tail.value > self.distance.value:
            raise ValueError("tail: Enter a lower end below the centre.")
        if self.head is not None and self.head.value < self.distance.value:
            raise ValueError("head: Enter an upper end above the centre.")
        if self.width is not None and not 0 < self.width.value <= 100:
            raise ValueError("width: Enter a width above 0 and up to 100 mm.")
        if self.tail and self.head and self.head.value <= self.tail.value:
            raise ValueError("head: Enter an upper end above the lower end.")
        return self

    @property
    def length(self) -> float | None:
        """Extent along the lane, mm: from the ends when both were read, else a round spot's width."""
        if self.tail is not None and self.head is not None:
            return self.head.value - self.tail.value
        return self.width.value if self.width is not None else None


def moved(spot: Spot, distance: Reading) -> Spot:
    """The same spot with its centre read anew; its ends move along, as they were read around it."""
    by = distance.value - spot.distance.value

    def along(end: Reading | None) -> Reading | None:
        if end is None:
            return None
        value = round(max(0.0, end.value + by), 3)
        return Reading(written=f"{value:g} mm", value=value, unit="mm", resolution=end.resolution)

    return spot.model_copy(
        update={"distance": distance, "tail": along(spot.tail), "head": along(spot.head), "from_photo": None}
    )


class ComparedTo(Payload):
    """The spot that relative Rf values are divided by."""

    kind: Literal["compared-to"] = "compared-to"
    spot: UUID


class Developing(Payload):
    """The plate went into the chamber; the time is the entry's."""

    kind: Literal["developing"] = "developing"


class FrontSeen(Payload):
    """Where the front stood while it still rose, over the origin; the time is the entry's."""

    kind: Literal["front-seen"] = "front-seen"
    distance: Length

    @field_validator("distance")
    @classmethod
    def _above_origin(cls, value: Reading) -> Reading:
        if value.value <= 0:
            raise ValueError("Enter a front above 0 mm; it is above the origin line.")
        return value


class PlateNoted(Payload):
    """What was seen on the plate or in its chamber, in words."""

    kind: Literal["plate-note"] = "plate-note"
    words: Annotated[Text, Field(min_length=1)]


AnyPayload = Annotated[
    SetUp
    | EluentUsed
    | Chamber
    | Lane
    | Developing
    | FrontSeen
    | Front
    | Spot
    | ComparedTo
    | Photographed
    | PlateNoted
    | Answered
    | Struck
    | Acknowledged,
    Field(discriminator="kind"),
]


@dataclass(frozen=True, slots=True)
class LaneOnPlate:
    """A lane that stands. ``key`` is the id of its first entry."""

    key: UUID
    lane: Lane
    line: Line

    @property
    def label(self) -> str:
        return self.lane.label


@dataclass(frozen=True, slots=True)
class SpotOnPlate:
    """A spot that stands, with its name."""

    key: UUID
    name: str
    spot: Spot
    on: LaneOnPlate
    line: Line


@dataclass(slots=True)
class Plate:
    """What the standing entries of a plate add up to."""

    set_up: SetUp | None = None
    eluent: Eluent | None = None
    eluent_age: float | None = None
    chamber: Chamber | None = None
    front: Front | None = None
    lane_fronts: dict[UUID, Front] = field(default_factory=dict)
    lanes: list[LaneOnPlate] = field(default_factory=list)
    spots: list[SpotOnPlate] = field(default_factory=list)
    compared_to: UUID | None = None
    developing: datetime | None = None
    seen: list[tuple[datetime, FrontSeen]] = field(default_factory=list)
    photos: list[Photographed] = field(default_factory=list)
    notes: list[tuple[Line, PlateNoted]] = field(default_factory=list)
    acknowledged: dict[tuple[str, str, str], str] = field(default_factory=dict)
    answers: dict[str, Answered] = field(default_factory=dict)
    lines: list[Line] = field(default_factory=list)
    next_number: dict[UUID, int] = field(default_factory=dict)

    def lane(self, key: UUID) -> LaneOnPlate | None:
        return next((lane for lane in self.lanes if lane.key == key), None)

    def lane_called(self, label: str) -> LaneOnPlate | None:
        return next((lane for lane in self.lanes if lane.label.casefold() == label.casefold()), None)

    def spot(self, key: UUID) -> SpotOnPlate | None:
        return next((spot for spot in self.spots if spot.key == key), None)

    def spots_in(self, key: UUID) -> list[SpotOnPlate]:
        return [spot for spot in self.spots if spot.on.key == key]


@remembered(most=64)
def gather(entries: Iterable[Entry]) -> Plate:
    """Fold the entries of a page into the plate they describe. Spots come from the top of each lane down."""
    plate = Plate()
    plate.lines = lines(entries)
    marks: list[Line] = []
    for line in plate.lines:
        match line.head.payload:
            case SetUp() as set_up:
                plate.set_up = set_up
            case EluentUsed() as used:
                plate.eluent, plate.eluent_age = used.eluent, used.age
            case Chamber() as chamber:
                plate.chamber = chamber
            case Lane() as lane:
                plate.lanes.append(LaneOnPlate(line.root.id, lane, line))
            case Front(lane=None) as front:
                plate.front = front
            case Front(lane=UUID() as key) as front:
                plate.lane_fronts[key] = front
            case Developing():
                plate.developing = line.root.happened
            case FrontSeen() as seen_at:
                plate.seen.append((line.root.happened, seen_at))
            case Photographed() as photo:
                plate.photos.append(photo)
            case PlateNoted() as noted:
                plate.notes.append((line, noted))
            case ComparedTo() as choice:
                plate.compared_to = choice.spot
            case Answered() as answered:
                plate.answers[answered.question] = answered
            case Acknowledged() as seen:
                plate.acknowledged[seen.code, seen.about, seen.what] = seen.why
        if isinstance(line.root.payload, Spot):
            marks.append(line)
    plate.lanes.sort(key=lambda on: (on.lane.at.value, on.label))
    lane_of = {lane.key: lane for lane in plate.lanes}
    place = {lane.key: index for index, lane in enumerate(plate.lanes)}
    lanes_of = {line.root.id: line.root.payload.lane for line in marks if isinstance(line.root.payload, Spot)}
    numbers = numbered(marks, lanes_of, plate.next_number)
    for line in marks:
        first: Payload = line.root.payload
        assert isinstance(first, Spot)
        now, lane_now = line.head.payload, lane_of.get(first.lane)
        if isinstance(now, Spot) and lane_now is not None:
            name = spot_name(lane_now.label, numbers[line.root.id])
            plate.spots.append(SpotOnPlate(line.root.id, name, now, lane_now, line))
    plate.spots.sort(key=lambda on: (place[on.on.key], -on.spot.distance.value, on.name))
    return plate


SAME_SPOT_MM = 1.0
"""Two marks in one lane under two lights that lie this near are one spot; more where they were read less finely."""


def seen_again(plate: Plate, spot: Spot) -> SpotOnPlate | None:
    """The spot that *spot* is another look at: in its lane, as high, and not yet seen under its lights.

    What was seen under the same light before is another spot, however near. Common practice, no source.
    """

    def u(one: Spot) -> float:
        return one.from_photo.u if one.from_photo else one.distance.resolution / 2

    near = [
        on
        for on in plate.spots_in(spot.lane)
        if not set(on.spot.seen) & set(spot.seen)
        and abs(on.spot.distance.value - spot.distance.value) <= max(SAME_SPOT_MM, 2 * (u(on.spot) + u(spot)))
    ]
    return min(near, key=lambda on: abs(on.spot.distance.value - spot.distance.value), default=None)


def also_seen(standing: Spot, again: Spot) -> Spot:
    """The standing spot, seen under the lights of another look as well; its place stays as it was read first."""
    lights = tuple(light for light in LIGHTS if light in standing.seen or light in again.seen)
    return standing.model_copy(
        update={
            "seen": lights,
            "colour": standing.colour or again.colour,
            "swatch": standing.swatch or again.swatch,
        }
    )


def standing_twin(plate: Plate, payload: Payload) -> UUID | None:
    """The entry that *payload* takes the place of when only one may stand (Plate 3), or None."""

    def newest(same: Callable[[Payload], bool]) -> UUID | None:
        return next((line.head.id for line in plate.lines if line.stands and same(line.head.payload)), None)

    match payload:
        case SetUp() | EluentUsed() | Chamber() | ComparedTo():
            return newest(lambda other: other.kind == payload.kind)
        case Developing():
            return newest(lambda other: isinstance(other, Developing))
        case Front(lane=lane):
            return newest(lambda other: isinstance(other, Front) and other.lane == lane)
        case Answered(question=question):
            return newest(lambda other: isinstance(other, Answered) and other.question == question)
        case Acknowledged(code=code, about=about):
            return newest(lambda other: isinstance(other, Acknowledged) and (other.code, other.about) == (code, about))
    return None


def check(plate: Plate, payload: Payload, strikes: UUID | None) -> None:
    """Refuse an entry that the plate as it stands cannot hold.

    Args:
        plate: the plate before the entry.
        payload: what is to be written.
        strikes: the head of the line that it corrects, if it does.

    Raises:
        Problem: with the field and one sentence.
    """
    corrected = corrected_line(plate.lines, payload, strikes)
    match payload:
        case SetUp():
            outside = [lane.label for lane in plate.lanes if lane.lane.at.value > payload.width.value]
            if outside:
                raise Problem("width", f"Lane {outside[0]} would be off a plate this narrow: move it first.")
        case Lane():
            _check_lane(plate, payload, corrected)
        case FrontSeen(distance=distance):
            if plate.developing is None:
                raise Problem("distance", "First record that the plate went in: the front is timed from then.")
            if plate.set_up is not None and distance.value > plate.set_up.height.value - plate.set_up.origin.value:
                raise Problem("distance", f"{distance} is above the top of the plate: enter a smaller distance.")
        case Front():
            _check_front(plate, payload, corrected)
        case Spot():
            _check_spot(plate, payload, corrected)
        case ComparedTo():
            if plate.spot(payload.spot) is None:
                raise Problem("spot", "That spot is not on this plate: choose one that is.")
        case Struck():
            if corrected is not None and isinstance(corrected.head.payload, Lane) and plate.spots_in(corrected.root.id):
                raise Problem("lane", "Strike out the spots of this lane first: they would be left without a lane.")


def _known_lane(plate: Plate, key: UUID) -> LaneOnPlate:
    lane = plate.lane(key)
    if lane is None:
        raise Problem("lane", "That lane is not on this plate: choose one that is, or add it first.")
    return lane


def _check_lane(plate: Plate, lane: Lane, corrected: Line | None) -> None:
    own = corrected.root.id if corrected else None
    if plate.set_up is None:
        raise Problem("at", "Set up the plate first: the lane's place depends on its width.")
    if lane.at.value > plate.set_up.width.value:
        raise Problem("at", f"{lane.at} is off the plate, which is {plate.set_up.width} wide.")
    twin = plate.lane_called(lane.label)
    if twin is not None and twin.key != own:
        raise Problem("label", f"Lane {twin.label} exists already: enter another label.")
    if corrected is None and len(plate.lanes) >= MAX_LANES:
        raise Problem("at", f"Enter at most {MAX_LANES} lanes.")
    for key in lane.combines:
        if key == own:
            raise Problem("combines", "Choose other lanes for the co-spot, not its own.")
        _known_lane(plate, key)


def _check_front(plate: Plate, front: Front, corrected: Line | None) -> None:
    if front.lane is not None:
        _known_lane(plate, front.lane)
    first = corrected.root.payload if corrected else None
    if isinstance(first, Front) and first.lane != front.lane:
        raise Problem("lane", "A front cannot move to another lane: record the other one as a separate front.")


def _check_spot(plate: Plate, spot: Spot, corrected: Line | None) -> None:
    _known_lane(plate, spot.lane)
    if plate.set_up is None:
        raise Problem("distance", "Set up the plate first: a spot's distance depends on its height.")
    if corrected is None and len(plate.spots) >= MAX_SPOTS:
        raise Problem("distance", f"This plate has {MAX_SPOTS} spots, the limit: start a second plate.")
    first = corrected.root.payload if corrected else None
    if isinstance(first, Spot) and first.lane != spot.lane:
        raise Problem("lane", "A spot cannot change its lane: strike it out and add it in the other lane.")
    # Above the plate altogether even if somebody measured from the bottom edge.
    if spot.distance.value > plate.set_up.height.value:
        raise Problem("distance", f"{spot.distance} is more than the plate, which is {plate.set_up.height} high.")
    for name in ("head", "tail"):
        end: Reading | None = getattr(spot, name)
        if end is not None and end.value > plate.set_up.height.value:
            raise Problem(name, f"{end} is more than the plate, which is {plate.set_up.height} high.")
