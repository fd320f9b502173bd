"""The findings on a plate: a table of rules and the few lines that walk it.

A rule looks at a worked-out plate and yields what it finds. The order of ``RULES`` is
the order of the work; the sheet is sorted by severity afterwards. The limits are common
practice unless a source stands beside them.
"""

from __future__ import annotations

from collections.abc import Iterator, Mapping

from helvor.core.laws.planar.eluent import Eluent
from helvor.core.quantities.reading import round_to
from helvor.core.record.finding import Finding
from helvor.core.record.house_rules import HouseRules
from helvor.core.techniques.planar.front_findings import (
    front_above_plate,
    front_missing,
    front_over_top,
    front_position,
    front_sloping,
    front_while_it_runs,
    level_against_origin,
    measured_from_edge,
    nothing_shows,
    spot_beyond_front,
)
from helvor.core.techniques.planar.miscible import eluent_in_two_layers
from helvor.core.techniques.planar.noted import noted_on_plate
from helvor.core.techniques.planar.plate import LaneOnPlate, SpotOnPlate
from helvor.core.techniques.planar.plate_case import Case, Rule, join, mm
from helvor.core.techniques.planar.results import PlateWorksheet

RF_HIGH = 0.7
RF_LOW = 0.15
RF_GOOD = (0.2, 0.7)
OVERLAP_RS = 1.0
CLEAN_RS = 1.5
LANE_ROOM_MM = 5.0
STREAK_OF_FRONT = 0.2
STREAK_TAIL = 2.0
"""How many times longer the lower half of a spot is than the upper half when it tails."""
WIDE_SPOT_MM = 8.0
LONG_SPOT = 1.5
"""Length ÷ width from which a co-spot counts as elongated."""
DRY_MIN, SATURATED_MIN = 2, 10
"""Minutes that spots dry, and that a lined chamber takes to fill with vapour. Common practice, no source."""


def check_plate(sheet: PlateWorksheet, rules: HouseRules, eluotropic_rank: Mapping[str, int]) -> list[Finding]:
    """Walk the rules over a worked-out plate."""
    case = Case(sheet, rules, eluotropic_rank)
    return [finding for rule in RULES for finding in rule(case)]


def lanes_too_close(case: Case) -> Iterator[Finding]:
    """Lanes closer to each other or to the edge than spots spread."""
    plate = case.sheet.plate
    if plate.set_up is None or not plate.lanes:
        return
    close = [
        f"{a.label} and {b.label}"
        for a, b in zip(plate.lanes, plate.lanes[1:], strict=False)
        if b.lane.at.value - a.lane.at.value < LANE_ROOM_MM
    ]
    if close:
        yield Finding(
            "lanes-crowded",
            "note",
            f"Lanes {', '.join(close)} are less than {mm(LANE_ROOM_MM)} mm apart.",
            "Spots widen as they rise and run into each other.",
            "Use fewer lanes, or a wider plate.",
        )
    width = plate.set_up.width.value
    at_edge = [lane.label for lane in plate.lanes if min(lane.lane.at.value, width - lane.lane.at.value) < LANE_ROOM_MM]
    if at_edge:
        yield Finding(
            "lane-at-edge",
            "note",
            f"Lane{'s' * (len(at_edge) > 1)} {join(at_edge)} "
            f"{'are' if len(at_edge) > 1 else 'is'} within {mm(LANE_ROOM_MM)} mm of the edge.",
            "The eluent rises unevenly near the edge, so distances are distorted.",
            "Place lanes further in next time; read a separate front for this lane.",
        )


def rf_says_nothing(case: Case) -> Iterator[Finding]:
    """Spots at the origin or with the front."""
    at_origin = [s.name for s in case.sheet.spots if s.rf and s.rf.value <= max(0.01, s.rf.u)]
    at_front = [s.name for s in case.sheet.spots if s.rf and s.rf.value >= 1 - max(0.01, s.rf.u)]
    for names, where, change in ((at_origin, "at the origin", "stronger"), (at_front, "at the front", "weaker")):
        if names:
            yield Finding(
                f"rf-{where.split()[-1]}",
                "note",
                f"{join(names)} {'stay' if len(names) > 1 else 'stays'} {where}."
                if change == "stronger"
                else f"{join(names)} {'run' if len(names) > 1 else 'runs'} with the front.",
                f"An Rf of {0 if change == 'stronger' else 1} is not informative: many compounds do this.",
                f"Run it in a {change} eluent.",
            )


def all_high_or_low(case: Case) -> Iterator[Finding]:
    """Everything high or low, with the way to change the eluent on this phase; or all in range."""
    known = [spot.rf.value for spot in case.sheet.spots if spot.rf]
    set_up = case.sheet.plate.set_up
    if not known or set_up is None or len(known) < len(case.sheet.spots):
        return
    lowest, highest = round_to(min(known), 2), round_to(max(known), 2)
    span = f"Rf {lowest}" if lowest == highest else f"Rf {lowest} to {highest}"
    if min(known) > RF_HIGH:
        yield Finding(
            "all-high",
            "caution",
            f"Everything runs high: {span}.",
            "Near the front, different substances look alike.",
            weaker_eluent(set_up.phase, case.sheet.plate.eluent, case.rank),
        )
    elif max(known) < RF_LOW:
        yield Finding(
            "all-low",
            "caution",
            f"Everything stays low: {span}.",
            "Near the origin, different substances look alike.",
            stronger_eluent(set_up.phase, case.sheet.plate.eluent, case.rank),
        )
    elif min(known) >= RF_GOOD[0] and max(known) <= RF_GOOD[1]:
        yield Finding("rf-good", "good", f"All spots are in the good range: {span}.")


def weaker_eluent(phase: str, eluent: Eluent | None, rank: Mapping[str, int]) -> str:
    """What to change when everything runs high on *phase*."""
    part, weaker_kind, _, aside = _stronger_part(phase, eluent, rank)
    if eluent is not None and len(_main_parts(eluent)) == 1:
        return f"{part} is too strong alone: add a {weaker_kind} solvent.{aside}"
    return f"Use less of {part}.{aside}"


def stronger_eluent(phase: str, eluent: Eluent | None, rank: Mapping[str, int]) -> str:
    """What to change when everything stays low on *phase*."""
    part, _, stronger_kind, aside = _stronger_part(phase, eluent, rank)
    if eluent is not None and len(_main_parts(eluent)) == 1:
        return f"{part} is too weak alone: add a {stronger_kind} solvent.{aside}"
    return f"Use more of {part}.{aside}"


def _main_parts(eluent: Eluent) -> list[str]:
    return [part.name for part in eluent.main_parts]


def _stronger_part(phase: str, eluent: Eluent | None, rank: Mapping[str, int]) -> tuple[str, str, str, str]:
    """The stronger part in words, the kinds of a weaker and a stronger solvent, and an aside.

    On silica and alumina the more polar solvent is the stronger. On a reversed phase, and
    on paper with a mostly aqueous eluent, it is the less polar one. On paper with little
    water in the eluent, water is what carries polar samples. Common practice, no source.
    """
    reversed_order, aside = phase == "C18", ""
    if phase == "paper":
        water = (
            0.0
            if eluent is None
            else sum(part.percent for part in eluent.components if part.name.casefold() == "water")
        )
        reversed_order = eluent is None or water >= 50
        if reversed_order:
            aside = " Exception: hydrophilic dyes and ions, where water is the stronger solvent."
    weaker, stronger = ("more polar", "less polar") if reversed_order else ("less polar", "more polar")
    part = f"the stronger component, on {_phase_words(phase)} the {stronger} one"
    if eluent is None:
        return part, weaker, stronger, aside
    names = _main_parts(eluent)
    if len(names) == 1:
        return names[0][:1].upper() + names[0][1:], weaker, stronger, aside
    if all(name.casefold() in rank for name in names):
        ordered = sorted(names, key=lambda name: rank[name.casefold()], reverse=not reversed_order)
        part = f"{ordered[0]}, the {stronger} and on {_phase_words(phase)} the stronger component"
    return part, weaker, stronger, aside


def _phase_words(phase: str) -> str:
    return {"C18": "a reversed phase"}.get(phase, phase)


def overlapping(case: Case) -> Iterator[Finding]:
    """Neighbours in a lane that overlap or are not clean."""
    over = [pair for pair in case.sheet.neighbours if pair.resolution < OVERLAP_RS]
    if over:
        named = join([f"{p.upper} and {p.lower} ({round_to(p.resolution, 1)})" for p in over])
        yield Finding(
            "overlap",
            "note",
            f"{named} overlap: resolution below 1.",
            "Overlap shifts both centres, so both Rf values are less certain.",
            "Apply less, run further, or change the eluent.",
        )
    near = [pair for pair in case.sheet.neighbours if OVERLAP_RS <= pair.resolution < CLEAN_RS]
    if near:
        named = join([f"{p.upper} and {p.lower} ({round_to(p.resolution, 1)})" for p in near])
        yield Finding(
            "nearly-apart",
            "note",
            f"{named} are partly resolved; a full separation needs a resolution of 1.5.",
            "On a column they would share tubes.",
            "Applying a little less is often enough.",
        )


def streaking(case: Case) -> Iterator[Finding]:
    """Spots drawn out along the lane."""
    long = []
    for result in case.sheet.spots:
        spot = result.on.spot
        if spot.tail is None or spot.head is None:
            continue
        lower, upper = spot.distance.value - spot.tail.value, spot.head.value - spot.distance.value
        far = result.front is not None and lower + upper > STREAK_OF_FRONT * result.front.distance
        if far or (lower > STREAK_TAIL * upper and lower > LANE_ROOM_MM):
            long.append(result.name)
    if long:
        yield Finding(
            "streak",
            "caution",
            f"{join(long)} {'are' if len(long) > 1 else 'is'} streaking (tailing).",
            "The centre of a streak is uncertain, and a streak hides other spots.",
            "Apply less; for an acid add about 1 % acetic acid to the eluent, for a base about 1 % triethylamine.",
        )


def heavy(case: Case) -> Iterator[Finding]:
    """Overloaded spots."""
    big = [
        result.name
        for result in case.sheet.spots
        if result.on.spot.strength == "heavy"
        or (result.on.spot.width is not None and result.on.spot.width.value > WIDE_SPOT_MM)
    ]
    if big:
        yield Finding(
            "heavy-spot",
            "note",
            f"{join(big)} {'are' if len(big) > 1 else 'is'} overloaded.",
            "An overloaded spot spreads, and its densest part shifts.",
            "Use fewer applications, or dilute the sample to about 1 % (5 mg in 0.5 mL).",
        )


def nothing_seen(case: Case) -> Iterator[Finding]:
    """Lanes without a spot."""
    plate = case.sheet.plate
    if not plate.spots:
        return
    spotted = {spot.on.key for spot in plate.spots}
    empty = [lane.label for lane in plate.lanes if lane.key not in spotted]
    if empty:
        yield Finding(
            "nothing-seen",
            "note",
            f"No spot is recorded in lane{'s' * (len(empty) > 1)} {join(empty)}.",
            "The sample may be too dilute, washed into the eluent or evaporated, or the lamp may be wrong.",
            "Use the other lamp or a visualization reagent; apply more next time.",
        )


def co_spots(case: Case) -> Iterator[Finding]:
    """Whether a co-spot stayed one or split."""
    plate = case.sheet.plate
    for lane in plate.lanes:
        if lane.lane.role != "co-spot" or not lane.lane.combines:
            continue
        parts = [part for key in lane.lane.combines if (part := plate.lane(key)) is not None]
        seen = plate.spots_in(lane.key)
        alone = [len(plate.spots_in(part.key)) for part in parts]
        if len(parts) < 2 or not seen or not all(alone):
            continue
        yield _co_spot(lane, parts, len(seen), max(alone), _elongated(plate.spots_in(lane.key)))


def _elongated(spots: list[SpotOnPlate]) -> bool:
    return any(
        spot.spot.tail is not None
        and spot.spot.head is not None
        and spot.spot.width is not None
        and spot.spot.head.value - spot.spot.tail.value > LONG_SPOT * spot.spot.width.value
        for spot in spots
    )


def _co_spot(lane: LaneOnPlate, parts: list[LaneOnPlate], seen: int, alone: int, elongated: bool) -> Finding:
    named = join([part.label for part in parts])
    if seen > alone:
        return Finding(
            "co-spot-split",
            "note",
            f"Co-spot {lane.label} shows {seen} spots where {named} alone show {alone} at most.",
            f"{named} are not the same: different compounds separate in one lane.",
            "Assign each of its spots by its distance.",
            about=lane.label,
        )
    if elongated:
        return Finding(
            "co-spot-long",
            "note",
            f"Co-spot {lane.label} is one elongated spot.",
            "Two very similar substances look like this.",
            "Run it further, or in another eluent.",
            about=lane.label,
        )
    return Finding(
        "co-spot-one",
        "note",
        f"Co-spot {lane.label} shows no more spots than {named} alone.",
        f"{named} may contain the same compound; one eluent does not prove it.",
        "Compare the colours under each lamp, then run a second eluent.",
        about=lane.label,
    )


def identities(case: Case) -> Iterator[Finding]:
    """What unknown lanes may hold, in words that claim no more than a plate can."""
    for found in case.sheet.identities:
        names = [one.name for one in found.present]
        if not names:
            if found.absent:
                yield Finding(
                    "unknown-unlike",
                    "note",
                    f"{found.label} has no spot at the Rf of a reference.",
                    "It contains none of them, or too little to see.",
                    "Use another lamp; apply more of it.",
                    about=found.label,
                )
            continue
        left = f"; {join(list(found.unexplained))} matches none of them" if found.unexplained else "; no other spots"
        other = [m.spot for one in found.present for m in one.matches if m.colour is False]
        colour = f" {join(other)} differs in colour from its reference." if other else ""
        alike = f" {join(list(found.alike[0]))} cannot be distinguished here." if found.alike else ""
        yield Finding(
            "unknown-like",
            "note",
            f"{found.label} has the Rf of {join(names)}{left}.{colour}{alike}",
            "The same Rf does not prove identity, and one spot does not prove purity.",
            "Confirm with a co-spot, the colours and a second eluent."
            + (f" Not found: {join(list(found.absent))}." if found.absent else ""),
            about=found.label,
        )


def before_it_went_in(case: Case) -> Iterator[Finding]:
    """Spots put in wet, and a lined chamber that was not given time."""
    chamber = case.sheet.plate.chamber
    if chamber is None:
        return
    if chamber.dried is not None and chamber.dried < DRY_MIN:
        yield Finding(
            "spots-wet",
            "note",
            "The spots were still wet." if chamber.dried == 0 else f"The spots dried for only {chamber.dried} min.",
            "A wet spot spreads sideways and starts too wide.",
            f"Let spots dry for {DRY_MIN} min or more, pen lines longer.",
        )
    if chamber.lined and chamber.waited is not None and chamber.waited < SATURATED_MIN:
        yield Finding(
            "not-saturated",
            "note",
            f"The lined chamber waited only {chamber.waited} min and was not yet saturated.",
            "In an unsaturated chamber eluent evaporates from the plate, and Rf values change.",
            f"Close the chamber with the eluent in it and wait about {SATURATED_MIN} min.",
        )


def light_without_indicator(case: Case) -> Iterator[Finding]:
    """Dark spots under 254 nm on a plate that has no indicator."""
    plate = case.sheet.plate
    if plate.set_up is None or plate.set_up.indicator:
        return
    dark = [spot.name for spot in plate.spots if spot.spot.seen == ("254",)]
    if dark:
        yield Finding(
            "no-indicator",
            "note",
            f"{join(dark)} {'were' if len(dark) > 1 else 'was'} seen only under 254 nm, on a plate without an "
            "indicator.",
            "Without an indicator there are no dark spots; only fluorescent compounds show.",
            "Check whether the plate has an indicator. Never look into the lamp.",
        )


RULES: tuple[Rule, ...] = (
    level_against_origin,
    lanes_too_close,
    noted_on_plate,
    eluent_in_two_layers,
    front_missing,
    front_above_plate,
    measured_from_edge,
    front_over_top,
    front_position,
    front_sloping,
    nothing_shows,
    spot_beyond_front,
    rf_says_nothing,
    all_high_or_low,
    overlapping,
    streaking,
    heavy,
    nothing_seen,
    co_spots,
    light_without_indicator,
    identities,
    before_it_went_in,
    front_while_it_runs,
)
