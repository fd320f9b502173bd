"""A plate's drawing: coordinates in millimetres from the plate's top left corner, downwards.

The same shapes serve the screen and the SVG in real millimetres.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import NamedTuple
from uuid import UUID

from markupsafe import Markup, escape

from helvor.core.techniques.planar.plate import SWATCHES, Plate
from helvor.core.techniques.planar.results import PlateWorksheet, SpotResult
from helvor.web.rendering import TheVery, drawn_once

MAX_HEIGHT_PX, MAX_WIDTH_PX = 510.0, 420.0
RULER_PX, CALLOUT_PX, EDGE_PX = 60.0, 96.0, 8.0
DEFAULT_RADIUS_MM = 2.2
OPACITY = {"faint": 0.4, "clear": 0.72, "heavy": 0.95}
SNAP_MM = 0.5


@dataclass(frozen=True, slots=True)
class SpotShape:
    """A spot: an egg between its ends, around its centre."""

    result: SpotResult
    x: float
    y: float
    rx: float
    up: float
    down: float
    seen: bool
    fill: str
    opacity: float
    chosen: bool

    @property
    def path(self) -> str:
        left, right = self.x - self.rx, self.x + self.rx
        return (
            f"M{left:.2f} {self.y:.2f}A{self.rx:.2f} {self.up:.2f} 0 0 1 {right:.2f} {self.y:.2f}"
            f"A{self.rx:.2f} {self.down:.2f} 0 0 1 {left:.2f} {self.y:.2f}Z"
        )

    # A class's plates hold hundreds of spots: their marks are put together here, where a
    # template would escape each of some twenty numbers by itself. All but names is ours.

    def mark(self, px: float) -> Markup:
        """The blob and its name."""
        look = f'class="blob" fill="{self.fill}" fill-opacity="{self.opacity}"' if self.seen else 'class="blob-unseen"'
        unseen = "" if self.seen else " unseen"
        return Markup(  # noqa: S704  numbers of ours; names are escaped
            f'<path {look} d="{self.path}"/><text class="spot-id mid{unseen}" font-size="{14 * px:.3f}"'
            f' x="{self.x:.3f}" y="{self.y + 5 * px:.3f}">{escape(self.result.name)}</text>'
        )

    def handle(self, px: float, top: float) -> Markup:
        """The spot as something to grab, move with keys, and hear; *top* is how far up it may go, mm."""
        result = self.result
        rf = result.rf.value if result.rf else None
        return _handle(_Grip(TheVery(result.on.spot), result.key, result.name, result.lane, rf, self, px, top))


class _Grip(NamedTuple):
    """What a spot's handle hangs on; of the shape only what is not in its ink."""

    ink: TheVery
    key: UUID
    name: str
    lane: str
    rf: float | None
    shape: SpotShape
    px: float
    top: float

    @property
    def compared(self) -> tuple[object, ...]:
        shape = self.shape
        return (*self[:5], shape.x, shape.y, shape.seen, shape.fill, shape.chosen, self.px, self.top)


@drawn_once(4096, ink=lambda grip: None, about=lambda grip: grip.compared)
def _handle(grip: _Grip) -> Markup:
    shape, result, px = grip.shape, grip.shape.result, grip.px
    distance = result.on.spot.distance
    name, rf = escape(result.name), f", Rf {result.rf_shown}" if result.rf else ""
    chosen, pick = "", ""
    if shape.chosen:
        chosen = " chosen"
        pick = f'<path class="pick" d="{shape.path}"/><path class="pick inner" d="{shape.path}"/>'
    return Markup(  # noqa: S704  numbers of ours; names are escaped
        f'<g class="handle spot{chosen}" id="spot-{result.key}" data-drop="spot" data-key="{result.key}"'
        f' data-name="{name}" data-y="{shape.y}" data-mm="{distance.value}" tabindex="0" role="slider"'
        f' aria-orientation="vertical" aria-label="Spot {name} in lane {escape(result.lane)}" aria-valuemin="0"'
        f' aria-valuemax="{grip.top:g}" aria-valuenow="{distance.value:g}" aria-valuetext="{distance}{rf}">'
        f'<ellipse class="grab" cx="{shape.x:.3f}" cy="{shape.y:.3f}" rx="{max(shape.rx, 13 * px):.3f}"'
        f' ry="{max(shape.up, shape.down, 12 * px):.3f}"/>{shape.mark(px)}{pick}</g>'
    )


def rows_of(sheet: PlateWorksheet, chosen: UUID | None, reference: bool, address: str) -> Markup:
    """The table's rows: a spot each, its name leading to *address* and its key.

    Args:
        reference: whether there is a spot that the others are compared with.
    """
    return Markup("").join(
        _row(_Row(TheVery(spot.on.spot), spot, spot.key == chosen, reference, address)) for spot in sheet.spots
    )


class _Row(NamedTuple):
    """What a row of the table hangs on."""

    ink: TheVery
    result: SpotResult
    chosen: bool
    reference: bool
    address: str

    @property
    def compared(self) -> tuple[object, ...]:
        result = self.result
        numbers = (result.rf and (result.rf.value, result.rf.u), result.relative and result.relative.value)
        return (self.ink, result.key, result.name, result.lane, numbers, *self[2:])


@drawn_once(4096, ink=lambda row: None, about=lambda row: row.compared)
def _row(row: _Row) -> Markup:
    spot, there = row.result, escape(f"{row.address}{row.result.key}")
    rf = f"{spot.rf_shown}<small>±{spot.u_shown}</small>" if spot.rf else "<small>none</small>"
    picked = ' class="chosen"' if row.chosen else ""
    compared = f'<td class="num r">{spot.relative_shown}</td>' if row.reference else ""
    return Markup(  # noqa: S704  numbers of ours; names are escaped
        f'<tr{picked}><td>{escape(spot.lane)}</td><td><a href="{there}" hx-get="{there}"'
        f' hx-target="#main" hx-swap="outerMorph" hx-replace-url="true"><b>{escape(spot.name)}</b></a></td>'
        f'<td class="num r">{spot.on.spot.distance.number}</td><td class="num">{rf}</td>{compared}'
        f"<td>{escape(' · '.join(spot.on.spot.seen))}</td></tr>"
    )


@dataclass(frozen=True, slots=True)
class LaneShape:
    key: UUID
    label: str
    x: float
    left: float
    width: float


@dataclass(frozen=True, slots=True)
class FrontShape:
    """A front line; ``key`` is the lane's, or None for the plate's."""

    key: UUID | None
    x1: float
    x2: float
    y: float
    distance: float
    name: str


@dataclass(frozen=True, slots=True)
class Ruler:
    """A millimetre ruler's ticks as paths, and its numbers with their heights."""

    fine: str
    five: str
    ten: str
    numbers: list[tuple[int, float]]


@dataclass(frozen=True, slots=True)
class PlateDrawing:
    """
    Attributes:
        width, height, origin_y: of the plate and its pencil line, mm.
        px: millimetres that one pixel on the screen covers; sizes of text hang on it.
        rising_y: where the front was seen last while it rises; stop_y: where it will be marked.
    """

    width: float
    height: float
    origin_y: float
    px: float
    view: str
    ground: str
    lanes: list[LaneShape]
    spots: list[SpotShape]
    fronts: list[FrontShape]
    ruler: Ruler
    level_y: float | None
    rising_y: float | None = None
    stop_y: float | None = None

    @property
    def view_box(self) -> str:
        left, edge = RULER_PX * self.px, EDGE_PX * self.px
        return f"{-left:.3f} {-edge:.3f} {self.width + left + CALLOUT_PX * self.px:.3f} {self.height + 2 * edge:.3f}"

    @property
    def screen_width(self) -> int:
        return round(self.width / self.px + RULER_PX + CALLOUT_PX)

    @property
    def screen_height(self) -> int:
        return round(self.height / self.px + 2 * EDGE_PX)


def draw_plate(sheet: PlateWorksheet, view: str, chosen: UUID | None) -> PlateDrawing | None:
    """The drawing of a plate under one light, or None before it is set up."""
    plate = sheet.plate
    set_up = plate.set_up
    if set_up is None:
        return None
    width, height = set_up.width.value, set_up.height.value
    origin_y = height - set_up.origin.value
    scale = min((MAX_HEIGHT_PX - 2 * EDGE_PX) / height, (MAX_WIDTH_PX - RULER_PX - CALLOUT_PX) / width)
    px = 1 / scale
    lanes = _lanes(plate, width)
    runs = plate.front is None and not plate.lane_fronts
    seen = max((s.distance.value for _, s in plate.seen), default=None) if runs else None
    return PlateDrawing(
        width=width,
        height=height,
        origin_y=origin_y,
        px=px,
        view=view,
        ground=_ground(view, set_up.phase, indicator=set_up.indicator),
        lanes=lanes,
        spots=[_spot(spot, origin_y, view, chosen) for spot in sheet.spots],
        fronts=_fronts(plate, lanes, width, origin_y),
        level_y=height - plate.chamber.level.value if plate.chamber and plate.chamber.level else None,
        rising_y=origin_y - seen if seen is not None else None,
        stop_y=origin_y - sheet.arriving.stop if sheet.arriving else None,
        ruler=ruler(height, px),
    )


def _ground(view: str, phase: str, *, indicator: bool) -> str:
    """Which ground the plate shows under a light: the name of its style."""
    if view == "254":
        return "glow" if indicator else "dark"
    return {"365": "dark", "stain": "stained"}.get(view, "paper" if phase == "paper" else "white")


def _lanes(plate: Plate, width: float) -> list[LaneShape]:
    places = [lane.lane.at.value for lane in plate.lanes]
    shapes = []
    for index, lane in enumerate(plate.lanes):
        left = (places[index - 1] + places[index]) / 2 if index else 0.0
        right = (places[index] + places[index + 1]) / 2 if index + 1 < len(places) else width
        shapes.append(LaneShape(lane.key, lane.label, places[index], left, max(0.1, right - left)))
    return shapes


def _spot(result: SpotResult, origin_y: float, view: str, chosen: UUID | None) -> SpotShape:
    spot = result.on.spot
    centre = spot.distance.value
    radius = spot.width.value / 2 if spot.width else DEFAULT_RADIUS_MM
    up = spot.head.value - centre if spot.head else radius * 0.8
    down = centre - spot.tail.value if spot.tail else radius * 0.8
    seen = view in spot.seen
    if view == "254":
        fill = "#1E3A2C"
    elif view == "365":
        fill = SWATCHES[spot.swatch] if spot.swatch else "#A9CCF5"
    else:
        fill = SWATCHES[spot.swatch]
    return SpotShape(
        result=result,
        x=result.on.on.lane.at.value,
        y=origin_y - centre,
        rx=radius,
        up=max(0.4, up),
        down=max(0.4, down),
        seen=seen,
        fill=fill,
        opacity=OPACITY[spot.strength],
        chosen=result.key == chosen,
    )


def _fronts(plate: Plate, lanes: list[LaneShape], width: float, origin_y: float) -> list[FrontShape]:
    shapes = []
    if plate.front is not None and plate.front.distance is not None:
        distance = plate.front.distance.value
        shapes.append(FrontShape(None, 0, width, origin_y - distance, distance, "front"))
    for lane in lanes:
        front = plate.lane_fronts.get(lane.key)
        if front is not None and front.distance is not None:
            distance = front.distance.value
            shapes.append(
                FrontShape(
                    lane.key,
                    lane.left,
                    lane.left + lane.width,
                    origin_y - distance,
                    distance,
                    f"front of lane {lane.label}",
                )
            )
    return shapes


def ruler(height: float, px: float) -> Ruler:
    """Ticks of a millimetre ruler left of the plate; on a small drawing only every fifth and tenth."""
    edge, fine, five, ten = 6 * px, [], [], []
    numbers = []
    for mm in range(int(height) + 1):
        y = height - mm
        if mm % 10 == 0:
            ten.append(f"M{-edge:.2f} {y:g}h{-16 * px:.2f}")
            if mm % 20 == 0 or px < 0.35:
                numbers.append((mm, y))
        elif mm % 5 == 0:
            five.append(f"M{-edge:.2f} {y:g}h{-11 * px:.2f}")
        elif px < 0.4:
            fine.append(f"M{-edge:.2f} {y:g}h{-6 * px:.2f}")
    return Ruler("".join(fine), "".join(five), "".join(ten), numbers)
