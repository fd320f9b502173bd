"""From proposals to ink, and what is judged of a photograph."""

from uuid import UUID, uuid4

import pytest

from helvor.core.record.entry import Problem
from helvor.core.techniques.planar.photo import accept
from helvor.core.techniques.planar.photo.check_photograph import check_photograph
from helvor.core.techniques.planar.photo.proposal import FoundSpot, Line, Proposal
from helvor.core.techniques.planar.plate import Front, Lane, LaneOnPlate, Plate, SetUp, Spot, seen_again

LANE, PHOTO = UUID(int=7), UUID(int=9)
SET_UP = SetUp(phase="silica", width=accept.reading(50), height=accept.reading(100), origin=accept.reading(10))


def found(up=45.0, lane=0, **changes):
    values = {
        "x": 25.0,
        "u": 0.2,
        "head": up + 2,
        "tail": up - 2,
        "width": 5.0,
        "darkness": 0.3,
        "floor": 0.03,
        "sure": 0.9,
    }
    return FoundSpot(lane=lane, up=up, **(values | changes))


def level(up, sure=0.9):
    return Line(points=((0, up), (50, up)), sure=sure, u=0.15)


def proposal(**changes):
    values = {
        "corners": ((0.1, 0.1), (0.9, 0.1), (0.9, 0.9), (0.1, 0.9)),
        "corners_sure": 1.0,
        "width": 50,
        "height": 100,
        "px_per_mm": 10.0,
        "tilt": 2.0,
        "narrows": 0.05,
        "light": "254",
        "falls": 0.2,
        "origin": level(10.0),
        "front": level(90.0),
        "lanes": (25.0,),
        "lanes_known": True,
        "spots": (found(),),
        "profiles": ((0.0,),),
    }
    return Proposal(**(values | changes))


def plate():
    on = Plate(set_up=SET_UP)
    on.lanes = [LaneOnPlate(LANE, Lane(at=accept.reading(25), label="T"), None)]
    return on


def test_an_untouched_proposal_keeps_its_ends_and_its_pixels_uncertainty():
    p = proposal()
    [one] = accept.spots_to_write(plate(), p, PHOTO, [accept.Kept(LANE, 35.0, p.spots[0])], uuid4())
    spot = one.payload
    assert (spot.distance.value, spot.head.value, spot.tail.value, spot.width.value) == (35, 37, 33, 5)
    assert (spot.from_photo.u, spot.from_photo.placed) == (0.2, "found")
    assert one.strikes is None


@pytest.mark.parametrize("moved", [33.0, 35.3, 40.0])
def test_a_moved_one_is_placed_by_hand_and_has_no_ends(moved):
    p = proposal()
    [one] = accept.spots_to_write(plate(), p, PHOTO, [accept.Kept(LANE, moved, p.spots[0])], uuid4())
    assert one.payload.from_photo.placed == "by hand"
    assert one.payload.from_photo.u == 0.5
    assert one.payload.head is None


def test_the_same_form_gives_the_same_ids():
    p, entry = proposal(), uuid4()
    kept = [accept.Kept(LANE, 35.0, p.spots[0]), accept.Kept(LANE, 20.0)]
    first, second = ([w.id for w in accept.spots_to_write(plate(), p, PHOTO, kept, entry)] for _ in range(2))
    assert first == second
    assert len(set(first)) == 2


@pytest.mark.parametrize(
    ("front", "fronts"),
    [(level(90), 1), (Line(points=((0, 88.0), (50, 92.0)), sure=1, u=0.2), 2)],
)
def test_a_level_front_is_one_and_a_sloping_one_is_read_at_each_lane(front, fronts):
    p = proposal(front=front, lanes=(10.0, 40.0))
    lanes = {UUID(int=1): 10.0, UUID(int=2): 40.0}
    writes = accept.fronts_to_write(plate(), p, PHOTO, lanes, uuid4())
    assert len(writes) == fronts
    for one in writes:
        front_read = one.payload
        assert isinstance(front_read, Front)
        x = lanes.get(front_read.lane, 25.0)
        assert front_read.distance.value == pytest.approx(front.at(x) - 10, abs=0.1)


def test_without_a_front_there_is_none_to_write():
    with pytest.raises(Problem, match="No front"):
        accept.fronts_to_write(plate(), proposal(front=None), PHOTO, {}, uuid4())


def test_lanes_of_a_bare_plate_are_lettered_from_the_left():
    lanes = [w.payload for w in accept.lanes_to_add(proposal(lanes=(8.0, 20.5)), uuid4())]
    assert [(lane.label, lane.at.value) for lane in lanes] == [("A", 8.0), ("B", 20.5)]


@pytest.mark.parametrize(
    ("rgb", "word"),
    [
        ((47, 95, 179), "blue"),
        ((200, 60, 60), "red"),
        ((217, 180, 20), "yellow"),
        ((128, 128, 128), ""),
        ((252, 252, 250), ""),
    ],
)
def test_colours_have_the_word_of_the_nearest_hue(rgb, word):
    assert accept.colour_word(rgb) == word


def test_lanes_are_the_plates_own_however_they_were_found():
    same = proposal(lanes=(24.0,), lanes_known=False)
    assert [(lane.key, lane.label, lane.x) for lane in accept.lanes_of(plate(), same)] == [(LANE, "T", 24.0)]
    more = accept.lanes_of(plate(), proposal(lanes=(10.0, 26.0)))
    assert [(lane.key, lane.label) for lane in more] == [(None, "A"), (LANE, "T")]
    assert [accept.label_of(n) for n in (0, 25, 26, 52)] == ["A", "Z", "A2", "A3"]


def test_a_faint_spot_as_high_as_a_sure_one_has_company():
    faint, sure, far = found(lane=1, sure=0.4), found(45.6), found(60)
    p = proposal(spots=(sure, far, faint))
    assert accept.beside(p, faint) == sure
    assert accept.beside(p, far) is None


@pytest.mark.parametrize(
    ("changes", "code", "level"),
    [
        ({"corners_sure": 0.0}, "photo-no-plate", "caution"),
        ({"corners_sure": 0.4}, "photo-corners", "note"),
        ({"px_per_mm": 3.0}, "photo-coarse", "caution"),
        ({"narrows": 0.3}, "photo-steep", "note"),
        ({"falls": 0.6}, "photo-uneven", "caution"),
        ({"origin": None}, "photo-no-origin", "caution"),
        ({"front": None}, "photo-no-front", "note"),
        ({"spots": ()}, "photo-no-spots", "note"),
        ({"spots": (found(lane=-1),)}, "photo-stray", "note"),
        ({"spots": (found(50), found(47))}, "photo-overlap", "note"),
    ],
)
def test_what_is_wrong_with_a_photograph_is_said(changes, code, level):
    p = proposal(**changes)
    names = [f"T{n}" for n in range(1, len(p.spots) + 1)]
    assert [(f.code, f.level) for f in check_photograph(p, names)] == [(code, level)]


@pytest.mark.parametrize(("said", "codes"), [(10.4, []), (14.0, ["photo-origin-elsewhere"]), (None, [])])
def test_an_origin_elsewhere_than_the_set_up_says_is_noted(said, codes):
    assert [f.code for f in check_photograph(proposal(), ["T1"], said)] == codes


def test_a_good_photograph_has_nothing_to_say():
    assert check_photograph(proposal(), ["T1"]) == []
    assert proposal().rf(found()) == pytest.approx(35 / 80)
    assert proposal(front=None).rf(found()) is None


@pytest.mark.parametrize(
    ("mm", "lights", "same"),
    [
        (35.0, ("365",), True),
        (35.9, ("stain",), True),
        (36.6, ("365",), False),
        (35.0, ("254",), False),
        (35.0, ("254", "365"), False),
    ],
)
def test_marks_under_two_lights_are_one_spot_when_they_lie_together(mm, lights, same):
    on = plate()
    [write] = accept.spots_to_write(on, proposal(), PHOTO, [accept.Kept(LANE, 35.0, found())], uuid4())
    standing = type("On", (), {"spot": write.payload, "on": on.lanes[0], "key": UUID(int=3)})()
    on.spots = [standing]
    again = seen_again(on, Spot(lane=LANE, distance=accept.reading(mm), seen=lights))
    assert (again is standing) is same
