"""Each finding: what makes it, what it says, and what keeps it silent."""

import pytest

from helvor.core.laws.planar.eluent import parse_eluent
from helvor.core.record.entry import Acknowledged
from helvor.core.techniques.planar import plate as planar
from helvor.core.techniques.planar.check_plate import stronger_eluent, weaker_eluent
from helvor.shelf.solvents import eluotropic_rank
from tests.core.plates import Writing, mm


def good_plate() -> Writing:
    page = Writing()
    page.eluent("hexane : ethyl acetate 4 : 1")
    page.add(planar.Chamber(level=mm(5), lined=True, lid=True))
    page.front(80)
    for lane, distance in (("P", 40), ("C", 24), ("T", 40.5), ("T", 24.5)):
        page.spot(lane, distance, tail=distance - 2.5, head=distance + 2.5, width=6)
    return page


def test_a_good_plate_is_praised_and_nothing_else():
    sheet = good_plate().sheet
    assert {f.code for f in sheet.findings} == {"front-good", "rf-good"}
    assert {f.level for f in sheet.findings} == {"good"}
    assert sheet.next_stage == ""
    assert sheet.worst is None


def test_an_empty_page_is_not_judged():
    assert Writing(lanes=()).sheet.findings == []


def test_no_front_yet():
    page = Writing()
    assert "Mark the front" in page.finding("front-missing")
    assert page.sheet.findings[0].level == "note"
    page.spot("P", 40)
    assert page.sheet.worst.level == "caution"
    page.front(80)
    assert "front-missing" not in page.codes()


@pytest.mark.parametrize(
    ("front", "code"),
    [
        ("95", "front-above-plate"),
        ("90", "front-over-top"),
        ("89.5", "front-over-top"),
        ("87", "front-close-to-top"),
        ("80", "front-good"),
        ("46", "front-good"),
        ("44", "front-short"),
    ],
)
def test_where_the_front_stopped(front, code):
    page = Writing()
    page.front(front)
    assert {c for c in page.codes() if c.startswith("front-")} == {code}


def test_a_front_above_the_plate_that_fits_from_the_bottom_edge_says_so():
    page = Writing()
    page.front(95)
    assert "measured from the bottom edge" in page.finding("front-above-plate")
    assert "95 − 10 = 85 mm" in page.finding("front-above-plate")
    page.add(planar.Front(distance=mm(150)), page.entries[-1].id, "misread")
    assert "there are only 90 mm" in page.finding("front-above-plate")


def test_a_front_that_ran_off_leaves_relative_values_only():
    page = Writing()
    page.add(planar.Front(ran_off=True))
    reference = page.spot("P", 44)
    page.spot("T", 57)
    page.add(planar.ComparedTo(spot=reference))
    assert "too high" in page.finding("front-over-top")
    by_name = {spot.name: spot for spot in page.sheet.spots}
    assert by_name["T1"].rf is None
    assert by_name["T1"].relative.value == pytest.approx(57 / 44)


def test_a_ratio_turned_round_is_named_with_both_numbers():
    page = Writing(lanes=("P",), height=mm(60))
    page.front(21)
    page.spot("P", 30)
    said = page.finding("spot-beyond-front")
    assert "0.70, not 1.43" in said
    assert page.sheet.spots[0].rf is None
    assert page.sheet.worst.level == "stop"


def test_a_spot_beyond_the_front_is_not_called_turned_round_when_that_does_not_fit():
    page = Writing()
    page.front(60)
    page.spot("P", 70)
    page.spot("C", 80)
    beyond = {f.about: f.because for f in page.sheet.findings if f.code == "spot-beyond-front"}
    assert "It fits if the two are exchanged" not in beyond["P1"]  # C1 would then lie beyond it
    assert "It fits if the two are exchanged" in beyond["C1"]


def test_a_spot_within_its_uncertainty_of_the_front_is_at_the_front_not_beyond():
    page = Writing()
    page.front("80.0")
    page.spot("P", "80.5")
    assert "spot-beyond-front" not in page.codes()
    assert "runs with the front" in page.finding("rf-front")


def test_distances_that_fit_the_bottom_edge():
    page = Writing()
    page.front(88)
    page.spot("P", 48)
    page.spot("T", 21.5)
    assert "(48 − 10) ÷ (88 − 10) = 0.49" in page.finding("measured-from-edge")
    page.spot("C", 8)  # nothing on the plate can lie below its own origin
    assert "measured-from-edge" not in page.codes()


@pytest.mark.parametrize(
    ("level", "code"), [("12", "level-above-origin"), ("10", "level-above-origin"), ("9", "level-close-to-origin")]
)
def test_eluent_that_reaches_the_spots(level, code):
    page = Writing()
    page.add(planar.Chamber(level=mm(level)))
    assert code in page.codes()
    assert not page.codes() & {"level-above-origin", "level-close-to-origin"} - {code}


def test_spots_at_the_origin_or_the_front_say_nothing():
    page = Writing()
    page.front(80)
    page.spot("P", 0)
    page.spot("C", 80)
    assert "is not informative: many compounds do this" in page.finding("rf-origin")
    assert "stays at the origin" in page.finding("rf-origin")
    assert page.sheet.spots[0].r_m is None


def high_or_low(phase: str, eluent: str, distances: tuple[int, ...]) -> Writing:
    page = Writing(phase=phase)
    page.eluent(eluent)
    page.front(80)
    for lane, distance in zip(("P", "C", "T"), distances, strict=True):
        page.spot(lane, distance)
    return page


def test_all_high_on_silica_asks_for_less_of_the_polar_part():
    said = high_or_low("silica", "hexane : ethyl acetate 1 : 1", (60, 64, 70)).finding("all-high")
    assert "Use less of ethyl acetate, the more polar" in said


def test_all_low_on_silica_asks_for_more_of_it():
    said = high_or_low("silica", "hexane : ethyl acetate 1 : 1", (4, 8, 10)).finding("all-low")
    assert "Use more of ethyl acetate" in said


def test_paper_with_water_goes_the_other_way_round():
    said = high_or_low("paper", "water : ethanol 80 : 20", (60, 64, 70)).finding("all-high")
    assert "Use less of ethanol, the less polar" in said


@pytest.mark.parametrize("distances", [(60, 64, 30), (4, 8, 30)])
def test_one_spot_in_range_is_enough(distances):
    assert not high_or_low("silica", "toluene", distances).codes() & {"all-high", "all-low"}


DIRECTIONS = [
    # phase, eluent, what all-high says, what all-low says
    ("silica", "hexane : ethyl acetate 4 : 1", "less of ethyl acetate", "more of ethyl acetate"),
    ("alumina", "toluene : acetone 9 : 1", "less of acetone", "more of acetone"),
    ("C18", "methanol : water 60 : 40", "less of methanol", "more of methanol"),
    ("paper", "water : ethanol 80 : 20", "less of ethanol", "more of ethanol"),
    ("paper", "propan-2-ol : water 80 : 20", "less of water", "more of water"),
    (
        "silica",
        "ethyl acetate",
        "add a less polar solvent",
        "add a more polar solvent",
    ),
    (
        "C18",
        "methanol",
        "add a more polar solvent",
        "add a less polar solvent",
    ),
    ("silica", "hexane : mystery 4 : 1", "the stronger component, on silica the more polar one", "more polar one"),
    (
        "silica",
        "1 % acetic acid in ethyl acetate",
        "add a less polar solvent",
        "add a more polar solvent",
    ),
]


@pytest.mark.parametrize(("phase", "eluent", "high", "low"), DIRECTIONS)
def test_which_way_to_change_depends_on_the_phase(phase, eluent, high, low):
    rank = eluotropic_rank()
    assert high in weaker_eluent(phase, parse_eluent(eluent), rank)
    assert low in stronger_eluent(phase, parse_eluent(eluent), rank)
    assert "stronger component" in weaker_eluent(phase, None, rank)


@pytest.mark.parametrize(("apart", "code"), [(4, "overlap"), (6, "nearly-apart"), (8, None)])
def test_neighbours_that_are_not_apart(apart, code):
    page = Writing()
    page.front(80)
    for distance in (30, 30 + apart):
        page.spot("T", distance, tail=distance - 2.5, head=distance + 2.5)
    assert {c for c in page.codes() if c in ("overlap", "nearly-apart")} == ({code} if code else set())
    if code == "overlap":
        assert "T2 and T1 (0.8)" in page.finding("overlap")


@pytest.mark.parametrize(
    ("ends", "streaks"), [((30, 42), True), ((20, 44), True), ((37.5, 42.5), False), ((36, 44), False)]
)
def test_a_streak(ends, streaks):
    page = Writing()
    page.front(80)
    page.spot("P", 40, tail=ends[0], head=ends[1])
    assert ("streak" in page.codes()) is streaks


@pytest.mark.parametrize(
    ("extra", "is_heavy"), [({"strength": "heavy"}, True), ({"width": 9}, True), ({"width": 8}, False)]
)
def test_a_heavy_spot(extra, is_heavy):
    page = Writing()
    page.front(80)
    page.spot("P", 40, **extra)
    assert ("heavy-spot" in page.codes()) is is_heavy


def test_lanes_crowded_or_at_the_edge():
    page = Writing(lanes=())
    for label, at in (("A", 3), ("B", 7), ("C", 20)):
        page.lanes[label] = page.add(planar.Lane(at=mm(at), label=label))
    assert "Lanes A and B are less than 5 mm apart" in page.finding("lanes-crowded")
    assert "Place lanes further in next time; read a separate front for this lane" in page.finding("lane-at-edge")


def test_a_sloping_front_gives_each_lane_its_own():
    page = Writing()
    page.front(76, lane="P")
    page.front(82, lane="T")
    page.spot("C", 40)
    assert "76 mm at its lowest, 82 mm" in page.finding("front-sloping")
    (spot,) = page.sheet.spots
    assert (spot.front.distance, spot.front.read) == (79, "between")  # lane C is half-way


def test_lanes_where_nothing_was_seen_are_named():
    page = Writing()
    assert "nothing-seen" not in page.codes()
    page.spot("P", 40)
    assert "lanes C and T" in page.finding("nothing-seen")


def co_spotted(spots: dict[str, list[float]], **extra: float) -> Writing:
    page = Writing(lanes=("P", "T"))
    combines = (page.lanes["P"], page.lanes["T"])
    page.lanes["PT"] = page.add(planar.Lane(at=mm(40), label="PT", role="co-spot", combines=combines))
    page.front(80)
    for lane, distances in spots.items():
        for distance in distances:
            page.spot(lane, distance, **(extra if lane == "PT" else {}))
    return page


def test_a_co_spot_that_split_stayed_one_or_is_drawn_long():
    assert "not the same" in co_spotted({"P": [40], "T": [43], "PT": [40, 43]}).finding("co-spot-split")
    assert "does not prove it" in co_spotted({"P": [40], "T": [40], "PT": [40]}).finding("co-spot-one")
    long = co_spotted({"P": [40], "T": [42], "PT": [41]}, tail=36, head=46, width=6)
    assert "Two very similar substances look like this" in long.finding("co-spot-long")
    assert not {c for c in co_spotted({"PT": [40]}).codes() if c.startswith("co-spot")}


def test_dark_spots_without_an_indicator():
    page = Writing(indicator=False)
    page.front(80)
    page.spot("P", 40, seen=("254",))
    assert "Without an indicator there are no dark spots; only fluorescent" in page.finding("no-indicator")


def test_an_acknowledged_stop_is_kept_but_asked_again_when_its_numbers_change():
    page = Writing()
    page.add(planar.Chamber(level=mm(12)))
    stop = page.sheet.worst
    assert stop.code == "level-above-origin"
    page.add(Acknowledged(code=stop.code, about=stop.about, what=stop.what, why="only showing what happens"))
    accepted = next(f for f in page.sheet.findings if f.code == stop.code)
    assert accepted.acknowledged == "only showing what happens"
    assert page.sheet.worst.level == "note"
    chamber = next(e.id for e in page.entries if e.payload.kind == "chamber")
    page.add(planar.Chamber(level=mm(15)), chamber, "misread")
    assert page.sheet.worst.code == "level-above-origin"


def test_the_most_serious_comes_first():
    page = good_plate()
    page.add(planar.Chamber(level=mm(12)), next(e.id for e in page.entries if e.payload.kind == "chamber"), "misread")
    page.spot("C", 30, strength="heavy")
    assert [f.level for f in page.sheet.findings] == ["stop", "note", "good", "good"]


@pytest.mark.parametrize(
    ("chamber", "code"),
    [
        ({"dried": 0}, "spots-wet"),
        ({"dried": 30}, None),
        ({"lined": True, "waited": 1}, "not-saturated"),
        ({"lined": False, "waited": 1}, None),
        ({"lined": True, "waited": 30}, None),
    ],
)
def test_what_was_done_before_it_went_in(chamber, code):
    page = Writing()
    page.add(planar.Chamber(level=mm(5), lid=True, **chamber))
    assert page.codes() & {"spots-wet", "not-saturated"} == ({code} if code else set())


def test_an_unknown_with_no_spot_where_a_reference_has_one_is_said_to_be_unlike():
    page = Writing(lanes=())
    keys = {
        label: page.add(planar.Lane(at=mm(10 * n), label=label, role=role))
        for n, (label, role) in enumerate((("P", "reference"), ("X", "unknown")), 1)
    }
    page.front(80)
    page.add(planar.Spot(lane=keys["P"], distance=mm(40)))
    page.add(planar.Spot(lane=keys["X"], distance=mm(60)))
    assert "no spot at the Rf of a reference" in page.finding("unknown-unlike")


def test_a_plate_on_which_nothing_shows_is_not_only_praised():
    page = Writing(lanes=("P", "T"))
    page.front("80.0")
    assert "stain the plate" in page.sheet.findings[0].do and "nothing-shows" in page.codes()
    page.spot("P", 30)
    assert "nothing-shows" not in page.codes() and "nothing-seen" in page.codes()
