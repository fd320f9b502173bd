"""From a plate to its results. Everything here can be worked out again at any time."""

from __future__ import annotations

import itertools
import math
from collections.abc import Iterable, Mapping
from dataclasses import dataclass, replace
from datetime import timedelta
from uuid import UUID

from helvor.core.laws.planar import rf
from helvor.core.laws.planar.arrival import rise, stopping_line
from helvor.core.laws.planar.identify import Identity, SpotMark, identify
from helvor.core.quantities.reading import Reading, Unreadable, reading_uncertainty
from helvor.core.record.entry import Entry
from helvor.core.record.finding import by_severity
from helvor.core.record.house_rules import HouseRules
from helvor.core.record.remembered import remembered
from helvor.core.record.worksheet import Stage
from helvor.core.techniques.planar.check_plate import check_plate
from helvor.core.techniques.planar.plate import Front, LaneOnPlate, Plate, Spot, SpotOnPlate, gather
from helvor.core.techniques.planar.results import Arriving, FrontHere, Neighbours, PlateWorksheet, SpotResult


@dataclass(frozen=True, slots=True)
class _Ruler:
    """How finely distances on one plate were read."""

    step: float | None

    def u(self, reading: Reading) -> float:
        return reading_uncertainty(self.step or reading.resolution)

    def u_front(self, front: Front) -> float:
        """Of a front that was read: the photograph's, where it was read from one."""
        if front.from_photo is not None:
            return front.from_photo.u
        return self.u(front.distance) if front.distance is not None else 0.0

    def u_centre(self, spot: Spot) -> float:
        """Of a spot's centre: reading and judging it; from a photograph the densest pixels were judged."""
        if spot.from_photo is not None:
            return spot.from_photo.u
        return math.hypot(self.u(spot.distance), rf.centre_uncertainty(spot.length))


@remembered(most=64)
def work_out(
    entries: Iterable[Entry],
    rules: HouseRules | None = None,
    eluotropic_rank: Mapping[str, int] | None = None,
) -> PlateWorksheet:
    """Fold a page's entries and work the plate out.

    Args:
        entries: all entries of the page in the order of writing, struck ones too.
        rules: the house rules; defaults apply without.
        eluotropic_rank: solvent name (lower case) → place in the eluotropic series on
            silica, weakest first; lets the findings name the stronger solvent.
    """
    return work_out_plate(gather(entries), rules or HouseRules(), eluotropic_rank or {})


def work_out_plate(plate: Plate, rules: HouseRules, eluotropic_rank: Mapping[str, int]) -> PlateWorksheet:
    """The same from a plate already gathered."""
    ruler = _Ruler(plate.set_up.ruler_mm if plate.set_up else None)
    fronts = {lane.key: front_at(plate, lane, ruler) for lane in plate.lanes}
    by = rules["measuring-spot"].key
    spots = [_spot(plate, spot, fronts[spot.on.key], ruler, by) for spot in plate.spots]
    sheet = PlateWorksheet(
        findings=[],
        stages=stages(plate),
        plate=plate,
        fronts=fronts,
        spots=spots,
        neighbours=_neighbours(spots),
        identities=_identities(plate, spots),
        arriving=_arriving(plate, rules),
    )
    findings = [
        found.accepted(plate.acknowledged.get((found.code, found.about, found.what), ""))
        for found in check_plate(sheet, rules, eluotropic_rank)
    ]
    return replace(sheet, findings=by_severity(findings))


def front_at(plate: Plate, lane: LaneOnPlate, ruler: _Ruler) -> FrontHere | None:
    """The front at a lane: its own reading, else the plate's, else between its neighbours' readings.

    Between two lanes that were read the front is taken as straight; outside them the
    nearest reading counts. None where the front was not read or ran off.
    """
    own = plate.lane_fronts.get(lane.key)
    if own is not None:
        return None if own.distance is None else FrontHere(own.distance.value, ruler.u_front(own), "lane")
    if plate.front is not None:
        read = plate.front.distance
        return None if read is None else FrontHere(read.value, ruler.u_front(plate.front), "plate")
    known = [
        (other.lane.at.value, front.distance.value, ruler.u_front(front))
        for other in plate.lanes
        if (front := plate.lane_fronts.get(other.key)) is not None and front.distance is not None
    ]
    if not known:
        return None
    x = lane.lane.at.value
    left = max((pair for pair in known if pair[0] <= x), default=None, key=lambda pair: pair[0])
    right = min((pair for pair in known if pair[0] >= x), default=None, key=lambda pair: pair[0])
    if left is None or right is None or left[0] == right[0]:
        _, nearest, u = left or right  # type: ignore[misc]  # one of them is there: known is not empty
        return FrontHere(nearest, u, "nearest")
    part = (x - left[0]) / (right[0] - left[0])
    return FrontHere(
        distance=(1 - part) * left[1] + part * right[1],
        u=math.hypot((1 - part) * left[2], part * right[2]),
        read="between",
    )


def measured_at(spot: Spot, by: str) -> tuple[float, str]:
    """Where a spot is measured by house rule, mm over the origin, and by which rule it could be.

    Args:
        by: ``densest`` part, ``leading`` edge or middle of the ``outline``; the last two need the
            ends, and fall back to the densest part without them.
    """
    if by == "leading" and spot.head is not None:
        return spot.head.value, by
    if by == "outline" and spot.head is not None and spot.tail is not None:
        return (spot.head.value + spot.tail.value) / 2, by
    return spot.distance.value, "densest"


def _u_at(spot: Spot, by: str, ruler: _Ruler) -> float:
    """Standard uncertainty of that place: an edge is read with the ruler alone, two edges share the doubt."""
    if spot.from_photo is not None:
        return spot.from_photo.u
    if by == "leading" and spot.head is not None:
        return math.hypot(ruler.u(spot.head), rf.CENTRE_U_DEFAULT)
    if by == "outline" and spot.head is not None and spot.tail is not None:
        both = math.hypot(ruler.u(spot.head), ruler.u(spot.tail))
        return math.hypot(both, rf.CENTRE_U_DEFAULT * math.sqrt(2)) / 2
    return ruler.u_centre(spot)


def _spot(plate: Plate, on: SpotOnPlate, front: FrontHere | None, ruler: _Ruler, rule: str) -> SpotResult:
    spot = on.spot
    at, by = measured_at(spot, rule)
    u_spot = _u_at(spot, by, ruler)
    u_origin = ruler.u(plate.set_up.origin) if plate.set_up else 0.0
    ratio = None
    beyond = False
    if front is not None:
        ratio = rf.ratio_on_shared_origin(at, front.distance, u_spot, front.u, u_origin)
        # Up to twice the uncertainty over the front the centre can still be at the front.
        beyond = at > front.distance + 2 * math.hypot(u_spot, front.u)
    shown = ratio if not beyond else None
    relative = None
    reference = plate.spot(plate.compared_to) if plate.compared_to else None
    if reference is not None and measured_at(reference.spot, rule)[0] > 0:
        there, by_there = measured_at(reference.spot, rule)
        u_reference = _u_at(reference.spot, by_there, ruler)
        if reference.key == on.key:
            u_spot_r = u_reference = 0.0
        else:
            u_spot_r = u_spot
        relative = rf.ratio_on_shared_origin(at, there, u_spot_r, u_reference, u_origin)
    return SpotResult(
        key=on.key,
        name=on.name,
        lane=on.on.label,
        on=on,
        front=front,
        at=at,
        by=by,
        u_spot=u_spot,
        u_origin=u_origin,
        beyond_front=beyond,
        ratio=ratio,
        rf=shown,
        relative=relative,
        r_m=rf.r_m(shown) if shown else None,
        k=rf.retention_factor(shown) if shown else None,
    )


def _neighbours(spots: list[SpotResult]) -> list[Neighbours]:
    """Each spot with the next one down in its lane, where both have a length."""
    pairs = []
    for upper, lower in itertools.pairwise(spots):
        a, b = upper.on.spot.length, lower.on.spot.length
        if upper.on.on.key == lower.on.on.key and a and b:
            apart = upper.on.spot.distance.value - lower.on.spot.distance.value
            pairs.append(
                Neighbours(upper.name, lower.name, upper.key, lower.key, apart, a, b, rf.resolution(apart, a, b))
            )
    return pairs


def _arriving(plate: Plate, rules: HouseRules) -> Arriving | None:
    """The front's arrival at the house rule's line, while the plate runs and the liquid's depth is known."""
    chamber, set_up, started = plate.chamber, plate.set_up, plate.developing
    if set_up is None or chamber is None or chamber.level is None or started is None or not plate.seen:
        return None
    if plate.front is not None or plate.lane_fronts:
        return None
    height = set_up.origin.value - chamber.level.value
    readings = [((at - started).total_seconds() / 60, seen.distance.value) for at, seen in plate.seen]
    try:
        stop = stopping_line(set_up.height.value, set_up.origin.value, rules.stop_below_top_mm)
        found = rise(readings, height)
    except Unreadable:
        return None  # the front went back, or the plate is set up wrongly: the findings say what to look at
    minutes = found.minutes_to(stop)
    return Arriving(stop, minutes, started + timedelta(minutes=minutes.value), found.kappa, height)


def mark_of(spot: SpotResult) -> SpotMark | None:
    """A spot as it is compared: by its Rf, else by its place relative to the chosen reference; None without either."""
    value = spot.rf or spot.relative
    if value is None or value.value <= 0:
        return None
    unit = spot.at / value.value  # mm that count as 1
    return SpotMark(spot.name, value.value, spot.u_spot / unit, spot.on.spot.swatch, frozenset(spot.on.spot.seen))


def _identities(plate: Plate, spots: list[SpotResult]) -> list[Identity]:
    """Every unknown lane against the references of this plate."""
    marks: dict[UUID, list[SpotMark]] = {lane.key: [] for lane in plate.lanes}
    for spot in spots:
        mark = mark_of(spot)
        if mark is not None:
            marks[spot.on.on.key].append(mark)
    references = {
        lane.lane.substance or lane.label: marks[lane.key] for lane in plate.lanes if lane.lane.role == "reference"
    }
    if not any(references.values()):
        return []
    return [
        identify(lane.label, marks[lane.key], references, lane.key)
        for lane in plate.lanes
        if lane.lane.role == "unknown" and marks[lane.key]
    ]


def stages(plate: Plate) -> list[Stage]:
    """The stretches of the work on a plate, and which of them the record shows done."""
    fronts_read = plate.front is not None or bool(plate.lane_fronts)
    return [
        Stage("Cut and rule", plate.set_up is not None),
        Stage("Load lanes", bool(plate.lanes)),
        Stage("Eluent", plate.eluent is not None),
        Stage("Chamber", plate.chamber is not None),
        Stage("Mark front", fronts_read),
        Stage("Read spots", bool(plate.spots)),
    ]


def result_for(sheet: PlateWorksheet, key: UUID | None) -> SpotResult | None:
    """The result of one spot, or None."""
    return next((spot for spot in sheet.spots if spot.key == key), None) if key else None
