"""The reading line: what is understood before it is written."""

import pytest
from hypothesis import given
from hypothesis import strategies as st

from helvor.core.quantities.reading import Unreadable
from helvor.core.record.entry import Struck
from helvor.core.techniques.planar import plate as planar
from helvor.core.techniques.planar.lane_line import lanes_from
from helvor.core.techniques.planar.reading_line import complete, understand
from tests.core.plates import Writing, mm


def page() -> Writing:
    written = Writing(lanes=("P", "T", "14"))
    written.front("80.0")
    written.spot("T", "40.0", tail=38, head=42)
    written.add(planar.Chamber(level=mm(5), lined=True, lid=True))
    return written


UNDERSTOOD = [
    # typed, what it says
    ("P 41.0", "new spot *P1* at *41.0 mm*, so Rf *0.51*"),
    ("p 41", "new spot *P1* at *41 mm*, so Rf *0.51*"),
    ("P1 4.1 cm", "new spot *P1* at *41 mm*, so Rf *0.51*"),
    ("T 12,5", "new spot *T2* at *12.5 mm*, so Rf *0.16*"),
    ("T1 41.0", "spot *T1* at *41.0 mm*, was 40.0 mm, so Rf *0.51*"),
    ("14 20", "new spot *14/1* at *20 mm*, so Rf *0.25*"),
    ("14/1 20", "new spot *14/1* at *20 mm*, so Rf *0.25*"),
    ("P 90", "new spot *P1* at *90 mm*, beyond the front: no Rf"),
    ("front 81.0", "front at *81.0 mm*, replacing the earlier reading"),
    ("front T 80.5", "front of lane *T* at *80.5 mm*"),
    ("front off", "front ran off the top, replacing the earlier reading"),
    ("lane X 45 caffeine ref", "lane *X* at *45 mm* from the left edge, caffeine"),
    ("lane T at 22", "lane *T* at *22 mm* from the left edge, was at 20 mm"),
    ("level 6", "eluent level *6 mm*, replacing the earlier reading"),
    ("eluent hexane : ethyl acetate 4 : 1", "eluent hexane : ethyl acetate *80 : 20*"),
    ("strike T1 a speck of dust", "strike out *T1*: a speck of dust"),
]


@pytest.mark.parametrize(("typed", "says"), UNDERSTOOD)
def test_bench_words_are_understood(typed, says):
    assert understand(typed, page().entries).says == says


def test_details_of_a_spot():
    spot = understand("P 41 38-45 w4 pale purple 254 365nm faint", page().entries).payload
    assert isinstance(spot, planar.Spot)
    assert (spot.tail.value, spot.head.value, spot.width.value) == (38, 45, 4)
    assert (spot.colour, spot.swatch, spot.seen, spot.strength) == ("pale purple", "purple", ("254", "365"), "faint")


def test_a_correction_strikes_the_newest_and_keeps_what_was_not_typed():
    understood = understand("T1 43", page().entries)
    assert isinstance(understood.payload, planar.Spot)
    assert (understood.payload.tail.value, understood.payload.head.value) == (41, 45)
    assert understood.reason
    assert understood.strikes is not None


def test_the_level_keeps_lining_and_lid():
    chamber = understand("level 6", page().entries).payload
    assert (chamber.level.value, chamber.lined, chamber.lid) == (6, True, True)


def test_striking_needs_a_reason_and_takes_the_spot_back():
    assert isinstance(understand("strike T1 dust", page().entries).payload, Struck)


REFUSED = [
    ("", "Enter a reading, such as T"),
    ("X 41", "is not a lane or spot of this plate; its lanes: P, T"),
    ("T5 41", "the next spot in lane T is T2"),
    ("T", "Enter the distance of T from the origin, in mm"),
    ("T abc", "The distance: “abc” is not a number"),
    ("T -4", "below zero"),
    ("T 1e400", "is not a realistic size: check the digits and the unit"),
    ("T 200", "mm is more than the plate, which is"),
    ("T 41 38-", "after the distance is not clear: enter ends"),
    ("T 41 45-50", "Enter a lower end below the centre"),
    ("front", "Enter the front's distance"),
    ("front 0", "mm; it is above the origin line"),
    ("front Z 40", "is not clear"),
    ("front Z", "no lane “Z”"),
    ("lane X", "s label and place, for example: lane P"),
    ("lane X 99", "mm is off the plate, which is"),
    ("level", "Enter the eluent level"),
    ("eluent hexane ethyl acetate 4 : 1", "1 solvent but 2 parts"),
    ("strike T1", "is struck out, for example: strike T"),
    ("strike T9 dust", "is not on this plate"),
]


@pytest.mark.parametrize(("typed", "sentence"), REFUSED)
def test_what_is_not_understood_is_said(typed, sentence):
    with pytest.raises(Unreadable, match=sentence):
        understand(typed, page().entries)


def test_a_plate_without_lanes_says_to_add_one():
    with pytest.raises(Unreadable, match="add a lane first"):
        understand("T 41", Writing(lanes=()).entries)


@given(st.text(max_size=30) | st.from_regex(r"(T1?|front|lane|strike|level) [0-9a-z .,-]{0,12}", fullmatch=True))
def test_any_line_is_understood_or_refused_but_never_breaks(typed):
    try:
        assert understand(typed, page().entries).says
    except Unreadable as unreadable:
        assert str(unreadable)


@pytest.mark.parametrize(
    ("typed", "offered"),
    [("", "P"), ("f", "front"), ("T1 40 3", "365"), ("front ", "off"), ("strike ", "T1"), ("lane X 40 r", "ref")],
)
def test_words_that_could_come_next(typed, offered):
    assert offered in complete(typed, page().entries)


def test_lanes_typed_in_one_go_are_spread_evenly():
    ids = list(page().lanes.values())
    lanes = lanes_from("P paracetamol ref, T tablet extract\nPT co-spot P T", 60, ids)
    assert [(lane.label, lane.at.value, lane.role) for lane in lanes] == [
        ("P", 15, "reference"),
        ("T", 30, "unknown"),
        ("PT", 45, "co-spot"),
    ]
    assert lanes[1].substance == "tablet extract"
    assert lanes[2].combines == (ids[0], ids[1])


@pytest.mark.parametrize(("text", "sentence"), [("A, a", "same label"), ("A,B,C,D", "at most 3"), ("x" * 20, "12")])
def test_lanes_that_cannot_be(text, sentence):
    with pytest.raises(Unreadable, match=sentence):
        lanes_from(text, 50, list(page().lanes.values()))
