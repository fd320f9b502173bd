"""Entries → plate: names, corrections, what is refused."""

import pytest
from pydantic import ValidationError

from helvor.core.record.entry import Problem, Struck
from helvor.core.techniques.planar import plate as planar
from helvor.core.techniques.planar.plate import check, gather, moved, standing_twin
from helvor.core.techniques.planar.spot_names import spot_name
from tests.core.plates import Writing, mm


def test_spots_are_named_by_lane_and_order_of_writing_and_listed_from_the_top():
    page = Writing()
    page.spot("T", 12)
    page.spot("T", 41)
    page.spot("P", 40)
    assert [spot.name for spot in gather(page.entries).spots] == ["P1", "T2", "T1"]


def test_the_name_of_a_struck_spot_is_free_and_that_of_a_standing_one_never_moves():
    page = Writing()
    first = page.spot("T", 12)
    page.spot("T", 41)
    page.add(Struck(), first, "a speck of dust")
    page.spot("T", 30)
    assert [spot.name for spot in gather(page.entries).spots] == ["T2", "T1"]


def test_a_corrected_spot_keeps_its_key_and_name():
    page = Writing()
    first = page.spot("T", 12)
    again = page.add(planar.Spot(lane=page.lanes["T"], distance=mm(13)), first, "misread")
    (spot,) = gather(page.entries).spots
    assert (spot.key, spot.name, spot.spot.distance.value) == (first, "T1", 13)
    assert spot.line.head.id == again


def test_a_label_that_ends_in_a_digit_is_kept_apart_from_the_number():
    assert (spot_name("T", 2), spot_name("14", 2)) == ("T2", "14/2")


def test_the_ends_of_a_spot_move_along_with_its_centre():
    spot = planar.Spot(lane=Writing().lanes["T"], distance=mm(40), tail=mm(37), head=mm(42))
    up = moved(spot, mm(41.5))
    assert (up.tail.value, up.head.value) == (38.5, 43.5)
    assert moved(spot, mm(2)).tail.value == 0


@pytest.mark.parametrize(
    "payload",
    [
        planar.SetUp(phase="paper", width=mm(25), height=mm(100), origin=mm(15)),
        planar.Chamber(level=mm(4)),
        planar.Front(distance=mm(70)),
        planar.Front(ran_off=True),
    ],
)
def test_what_there_can_be_only_one_of_strikes_the_one_that_stands(payload):
    page = Writing()
    page.add(planar.Chamber(level=mm(5)))
    page.front(80)
    page.front(79, lane="P")
    twin = standing_twin(gather(page.entries), payload)
    (standing,) = [
        e.id for e in page.entries if e.payload.kind == payload.kind and getattr(e.payload, "lane", None) is None
    ]
    assert twin == standing


BAD_SHAPES = [
    (planar.SetUp, {"phase": "silica", "width": mm(50), "height": mm(100), "origin": mm(120)}, "above the plate"),
    (
        planar.SetUp,
        {"phase": "silica", "width": mm(2), "height": mm(100), "origin": mm(10)},
        "not a plate size",
    ),
    (planar.SetUp, {"phase": "glass", "width": mm(50), "height": mm(100), "origin": mm(10)}, "silica"),
    (planar.Front, {}, "choose that it ran off"),
    (planar.Front, {"distance": mm(0)}, "above 0 mm"),
    (planar.Front, {"distance": mm(40), "ran_off": True}, "choose that it ran off"),
    (planar.Lane, {"at": mm(10), "label": " "}, "at least 1 character"),
    (planar.Lane, {"at": mm(10), "label": "x" * 13}, "at most 12"),
    (planar.Lane, {"at": mm(10), "label": "a\x00b"}, "cannot be printed"),
    (planar.Lane, {"at": mm(10), "label": "a", "touches": True}, "valid integer"),
    (planar.Lane, {"at": mm(10), "label": "a", "extra": 1}, "not permitted"),
    (planar.Lane, {"at": "10", "label": "a"}, "no unit"),
]


@pytest.mark.parametrize(("model", "values", "sentence"), BAD_SHAPES)
def test_an_entry_that_cannot_be_true_is_refused(model, values, sentence):
    with pytest.raises(ValidationError, match=sentence):
        model(**values)


@pytest.mark.parametrize(
    ("extra", "sentence"),
    [
        ({"tail": mm(50)}, "tail: Enter a lower end below the centre"),
        ({"head": mm(30)}, "head: Enter an upper end above the centre"),
        ({"tail": mm(40), "head": mm(40)}, "upper end above the lower end"),
        ({"width": mm(0)}, "Enter a width above 0"),
        ({"seen": ()}, "Choose the light"),
        ({"seen": ("moonlight",)}, "daylight"),
        ({"swatch": "mauve-ish"}, "Choose a colour from the list"),
    ],
)
def test_a_spot_that_cannot_be_true_is_refused(extra, sentence):
    with pytest.raises(ValidationError, match=sentence):
        planar.Spot(lane=Writing().lanes["T"], distance=mm(40), **extra)


def test_what_the_plate_cannot_hold_is_refused_at_its_field():
    page = Writing()
    spot, front = page.spot("T", 40), page.front(80)
    plate = gather(page.entries)
    lane, other = page.lanes["T"], page.lanes["P"]
    cases = [
        (planar.Lane(at=mm(60), label="X"), None, "at"),
        (planar.Lane(at=mm(45), label="t"), None, "label"),
        (planar.Spot(lane=spot, distance=mm(40)), None, "lane"),
        (planar.Spot(lane=lane, distance=mm(101)), None, "distance"),
        (planar.Spot(lane=lane, distance=mm(60), head=mm(120)), None, "head"),
        (planar.Spot(lane=other, distance=mm(40)), spot, "lane"),
        (planar.Front(distance=mm(80), lane=spot), None, "lane"),
        (planar.Front(distance=mm(80), lane=lane), front, "lane"),
        (planar.ComparedTo(spot=lane), None, "spot"),
        (planar.Chamber(level=mm(5)), spot, "kind"),
        (Struck(), None, "strikes"),
        (Struck(), lane, "lane"),
        (planar.SetUp(phase="silica", width=mm(20), height=mm(100), origin=mm(10)), None, "width"),
    ]
    for payload, strikes, field in cases:
        with pytest.raises(Problem) as refused:
            check(plate, payload, strikes)
        assert refused.value.field == field, payload
    with pytest.raises(Problem, match="Set up the plate first"):
        check(gather([]), planar.Lane(at=mm(10), label="P"), None)


def test_a_plate_holds_so_many_spots_and_no_more():
    page = Writing()
    for number in range(planar.MAX_SPOTS):
        page.spot("T", 10 + number % 60)
    with pytest.raises(Problem, match="start a second plate"):
        check(gather(page.entries), planar.Spot(lane=page.lanes["T"], distance=mm(40)), None)
