"""What can be said of a plate's front and level."""

from __future__ import annotations

import itertools
from collections.abc import Iterator

from helvor.core.quantities.reading import round_to
from helvor.core.record.finding import Finding
from helvor.core.techniques.planar.plate_case import Case, mm
from helvor.core.techniques.planar.results import PlateWorksheet, SpotResult

LEVEL_ROOM_MM = 2.0
OVER_THE_TOP_MM = 1.0
CLOSE_TO_TOP_MM = 5.0
EDGE_TO_TOP_MM = 2.5
"""A front that was stopped on purpose ends farther from the top than this. Common practice, no source."""
SHORT_RUN = 0.5
"""Part of the way from the origin to the top below which a run counts as stopped short."""
SLOPE = 0.03
"""Difference of fronts across a plate, as a part of the front, from which it counts as sloping."""


def level_against_origin(case: Case) -> Iterator[Finding]:
    """The eluent stands above or close below the origin line."""
    plate = case.sheet.plate
    if plate.set_up is None or plate.chamber is None or plate.chamber.level is None:
        return
    level, origin = plate.chamber.level.value, plate.set_up.origin.value
    if level >= origin:
        yield Finding(
            "level-above-origin",
            "stop",
            f"The eluent level is {mm(level)} mm, the origin at {mm(origin)} mm: the spots are in the eluent.",
            "The spots dissolve into the eluent and do not rise.",
            "Pour some out before the plate goes in. If a plate stood in it, spot a new one.",
        )
    elif origin - level < LEVEL_ROOM_MM:
        yield Finding(
            "level-close-to-origin",
            "caution",
            f"The eluent level is only {mm(origin - level)} mm below the origin.",
            "If the plate tilts, or a spot is that wide, the spot is in the eluent.",
            f"Pour some out until at least {mm(LEVEL_ROOM_MM)} mm are left.",
        )


def front_missing(case: Case) -> Iterator[Finding]:
    """There is no front yet."""
    plate = case.sheet.plate
    if plate.set_up is None or not plate.lanes or case.fronts:
        return
    yield Finding(
        "front-missing",
        "caution" if plate.spots else "note",
        "No solvent front is recorded yet.",
        "Rf needs it, and it disappears as the plate dries.",
        "Mark the front in pencil as the plate comes out, then enter its distance from the origin.",
    )


def front_above_plate(case: Case) -> Iterator[Finding]:
    """A front higher than the plate, perhaps because it was measured from the bottom edge."""
    set_up = case.sheet.plate.set_up
    if set_up is None:
        return
    for name, front in case.fronts:
        if front.distance is None:
            continue
        read, origin, height = front.distance.value, set_up.origin.value, set_up.height.value
        if origin + read <= height:
            continue
        fits = read <= height
        yield Finding(
            "front-above-plate",
            "stop",
            f"The {name} at {mm(read)} mm above the origin would be {mm(origin + read - height)} mm above the plate.",
            "It fits if it was measured from the bottom edge: every distance then includes the origin's "
            f"{mm(origin)} mm."
            if fits
            else f"From the origin to the top there are only {mm(height - origin)} mm.",
            f"Measure again from the origin line; expected: {mm(read)} − {mm(origin)} = {mm(read - origin)} mm. If the "
            "front was over the top, enter that it ran off."
            if fits
            else "Measure the front again, from the origin line; if it was over the top, enter that it ran off.",
            about=name,
        )


def measured_from_edge(case: Case) -> Iterator[Finding]:
    """Every distance at least the origin's height, and a front that is usual only without it."""
    plate = case.sheet.plate
    set_up = plate.set_up
    if set_up is None or plate.front is None or plate.front.distance is None or not plate.spots:
        return
    read, origin, height = plate.front.distance.value, set_up.origin.value, set_up.height.value
    top_gap = height - origin - read
    lowest = min(spot.spot.distance.value for spot in plate.spots)
    if not (0 <= top_gap < EDGE_TO_TOP_MM and lowest >= origin):
        return
    example = max(case.sheet.spots, key=lambda spot: spot.on.spot.distance.value)
    distance = example.on.spot.distance.value
    yield Finding(
        "measured-from-edge",
        "caution",
        f"No distance is below {mm(origin)} mm and the front ends {mm(top_gap)} mm from the top: "
        "they fit if they were measured from the bottom edge.",
        f"They would all include the origin's {mm(origin)} mm: Rf of {example.name} would be "
        f"({mm(distance)} − {mm(origin)}) ÷ ({mm(read)} − {mm(origin)}) = "
        f"{round_to((distance - origin) / (read - origin), 2)}.",
        "Check one spot with the ruler's zero on the origin line.",
    )


def front_over_top(case: Case) -> Iterator[Finding]:
    """The front ran off: only relative values are left."""
    set_up = case.sheet.plate.set_up
    if set_up is None:
        return
    for name, front in case.fronts:
        gap = set_up.height.value - set_up.origin.value - front.distance.value if front.distance else None
        if front.ran_off or (gap is not None and 0 <= gap < OVER_THE_TOP_MM):
            yield Finding(
                "front-over-top",
                "caution",
                f"The {name} ran over the top of the plate.",
                "Its true distance is unknown, so every Rf would be too high.",
                "Compare with a reference spot on the same plate: choose one under “compare with”.",
                about=name,
            )


def front_while_it_runs(case: Case) -> Iterator[Finding]:
    """Readings of the rising front that go back, or that say nothing without the liquid's level."""
    plate = case.sheet.plate
    if not plate.seen or plate.front is not None:
        return
    timed = sorted((at, seen.distance.value) for at, seen in plate.seen)
    if any(later < earlier for (_, earlier), (_, later) in itertools.pairwise(timed)):
        yield Finding(
            "front-went-back",
            "caution",
            "The front stood lower at a later reading.",
            "One reading is wrong: the front can only rise.",
            "Strike out the wrong one.",
        )
    elif plate.chamber is None or plate.chamber.level is None:
        yield Finding(
            "no-level",
            "note",
            "Without the eluent level the front's arrival cannot be calculated.",
            "The distance counts from the liquid's surface, not from the origin.",
            "Enter the chamber's level.",
        )


def front_position(case: Case) -> Iterator[Finding]:
    """How far below the top the plate was stopped."""
    plate = case.sheet.plate
    if plate.set_up is None or plate.front is None or plate.front.distance is None:
        return
    way = plate.set_up.height.value - plate.set_up.origin.value
    gap = way - plate.front.distance.value
    if gap < OVER_THE_TOP_MM:
        return
    # A house that stops at a set time, or as soon as the spots are apart, means a short run.
    if plate.front.distance.value < SHORT_RUN * way and case.rules["stopping-front"].key == "below-top":
        yield Finding(
            "front-short",
            "note",
            f"The plate was stopped {mm(gap)} mm below the top, after {mm(plate.front.distance.value)} mm.",
            "A short run separates less, and a reading error changes Rf more.",
            f"Let the next plate run to about {mm(case.rules.stop_below_top_mm)} mm below the top.",
        )
    elif gap < CLOSE_TO_TOP_MM:
        yield Finding(
            "front-close-to-top",
            "note",
            f"The front is {mm(gap)} mm below the top edge.",
            "A little later it would have run off.",
            f"Take the next plate out at about {mm(case.rules.stop_below_top_mm)} mm.",
        )
    elif plate.front.distance.value >= SHORT_RUN * way:
        yield Finding("front-good", "good", f"The front is {mm(gap)} mm below the top edge.")


def nothing_shows(case: Case) -> Iterator[Finding]:
    """The front is marked, and no spot is on record."""
    plate = case.sheet.plate
    if plate.set_up is None or not plate.lanes or plate.spots or not case.fronts:
        return
    lamp = "254 nm, where spots are dark on a glowing layer" if plate.set_up.indicator else "254 nm"
    yield Finding(
        "nothing-shows",
        "note",
        "The front is marked, but no spot is recorded.",
        "If nothing shows: the compounds may need a lamp or a stain, too little was put on, or the spots stood in the "
        "eluent and went into it.",
        f"Look in daylight, under {lamp}, under 365 nm, then stain the plate. If it stays empty, check that the level "
        "was below the origin and spot a new plate two or three times in each place.",
    )


def front_sloping(case: Case) -> Iterator[Finding]:
    """Fronts of single lanes differ."""
    read = [front.distance.value for _, front in case.fronts if front.distance]
    if len(read) < 2 or max(read) - min(read) < SLOPE * max(read):
        return
    yield Finding(
        "front-sloping",
        "note",
        f"The front slopes: {mm(min(read))} mm at its lowest, {mm(max(read))} mm at its highest.",
        "One front for all lanes would shift the Rf from lane to lane, so each lane uses its own.",
        "Stand the next plate level, and do not let it touch the lining.",
    )


def spot_beyond_front(case: Case) -> Iterator[Finding]:
    """A spot above the front, perhaps because the two were exchanged."""
    for result in case.sheet.spots:
        if not result.beyond_front or result.front is None or result.ratio is None:
            continue
        read, front = result.on.spot.distance.value, result.front.distance
        if _swap_explains(case.sheet, result):
            because = (
                f"It fits if the two are exchanged: {mm(front)} ÷ {mm(read)} is "
                f"{round_to(front / read, 2)}, not {round_to(read / front, 2)}. "
                "Rf is the spot's distance over the front's."
            )
            do = f"If the spot is at {mm(front)} mm and the front at {mm(read)} mm, correct both."
        else:
            because = "No spot can pass the front, so one of the two distances is wrong."
            do = f"Measure {result.name} again, from the origin line to its centre."
        yield Finding(
            "spot-beyond-front",
            "stop",
            f"{result.name} at {mm(read)} mm is beyond the front at {mm(front)} mm.",
            because,
            do,
            about=result.name,
        )


def _swap_explains(sheet: PlateWorksheet, result: SpotResult) -> bool:
    """True if exchanging this spot's distance with the front's puts every spot below the front, on the plate."""
    set_up, front = sheet.plate.set_up, result.front
    if set_up is None or front is None or front.distance <= 0:
        return False
    new_front = result.on.spot.distance.value
    same_front = [
        other
        for other in sheet.spots
        if other.key != result.key
        and (other.on.on.key == result.on.on.key if front.read == "lane" else other.front == front)
    ]
    return set_up.origin.value + new_front <= set_up.height.value and all(
        other.on.spot.distance.value <= new_front for other in same_front
    )
