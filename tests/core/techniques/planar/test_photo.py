"""Reading a photograph, part by part. How well whole plates are read is in tests/reference/test_photographs.py."""

import dataclasses
import io

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from PIL import Image

from helvor.core.techniques.planar.photo import corners, flatten, lines, spots
from helvor.core.techniques.planar.photo.proposal import STAGES, Line
from helvor.core.techniques.planar.photo.read import read_photo, to_picture
from tests.photographs import Blob, Scene, ions_paper, tablet_plate, take

pytestmark = pytest.mark.slow

SQUARE = np.array([[0, 0], [1, 0], [1, 1], [0, 1]], dtype=float)


def opened(photo):
    return np.asarray(Image.open(io.BytesIO(photo.content)).convert("RGB"))


@pytest.fixture(scope="module")
def tablet():
    photo = take(dataclasses.replace(tablet_plate(), pixels=(750, 1000)))
    told = []
    proposal, flat = read_photo(opened(photo), 50, 100, on=told.append)
    return photo, proposal, flat, told


@given(st.lists(st.floats(-0.2, 0.2), min_size=8, max_size=8), st.floats(0, 1), st.floats(0, 1))
def test_a_homography_takes_corners_to_corners_lines_to_lines_and_back(shifts, x, y):
    there = SQUARE * 300 + np.array(shifts).reshape(4, 2) * 300
    to, back = corners.homography(SQUARE, there), corners.homography(there, SQUARE)
    assert np.allclose(corners.mapped(to, SQUARE), there, atol=1e-6)
    assert np.allclose(corners.mapped(back, corners.mapped(to, np.array([[x, y]]))), [[x, y]], atol=1e-6)
    a, b, c = corners.mapped(to, np.array([[0, y], [x, y], [1, y]]))
    assert abs((b - a)[0] * (c - a)[1] - (b - a)[1] * (c - a)[0]) < 1e-4 * 300**2


@pytest.mark.parametrize("start", range(4))
@pytest.mark.parametrize("way", [1, -1])
def test_corners_are_named_from_the_top_left_clockwise(start, way):
    upright = np.array([[10, 12], [50, 8], [55, 90], [6, 95]], dtype=float)
    assert np.array_equal(corners.ordered(np.roll(upright, start, axis=0)[::way]), upright)


def test_otsu_parts_two_heaps():
    rng = np.random.default_rng(4)
    values = np.concatenate([rng.normal(0.2, 0.03, 4000), rng.normal(0.7, 0.05, 1000)]).astype(np.float32)
    assert (values > corners.otsu(values)).sum() == pytest.approx(1000, abs=8)
    assert corners.otsu(np.full(50, 0.4, np.float32)) == pytest.approx(0.4)


def test_without_a_plate_the_corners_are_a_guess_and_say_so():
    rng = np.random.default_rng(1)
    noise = rng.normal(0.5, 0.02, (200, 150, 3)).astype(np.float32)
    found, sure = corners.find_corners(noise)
    assert sure == 0
    assert np.array_equal(found, corners.whole(150, 200))


def test_the_tablet_plate_is_read(tablet):
    photo, proposal, flat, told = tablet
    scene = photo.scene
    assert proposal.light == "254"
    assert np.abs(np.array(proposal.corners) * [750, 1000] - np.array(photo.corners)).max() < 3
    assert proposal.corners_sure > 0.9
    assert proposal.origin is not None and proposal.front is not None
    for x in scene.lanes:
        assert proposal.origin.at(x) == pytest.approx(scene.origin, abs=0.4)
        assert proposal.front.at(x) == pytest.approx(scene.front_at(x), abs=0.5)
    assert proposal.lanes == pytest.approx(scene.lanes, abs=0.6)
    assert not proposal.lanes_known
    assert [spot.lane for spot in proposal.spots] == [0, 1, 2, 3, 3, 3]
    for spot, truth in zip(proposal.spots, scene.spots, strict=True):
        assert proposal.rf(spot) == pytest.approx(scene.rf(truth), abs=0.01)
        assert spot.tail < spot.up < spot.head
    faint = proposal.spots[-1]
    assert faint.sure < min(spot.sure for spot in proposal.spots[:-1])
    assert "Faint: intensity" in faint.why
    assert told == [stage for stage in STAGES if stage != "opening"]
    assert flat.shape[0] == 2 * flat.shape[1]


def test_areas_are_parts_of_the_lane_and_follow_the_darkness(tablet):
    photo, proposal, _, _ = tablet
    lane = [spot for spot in proposal.spots if spot.lane == 3]
    assert sum(spot.area for spot in lane) == pytest.approx(1, abs=0.001)
    painted = [blob.depth * blob.sx * blob.sy for blob in photo.scene.spots[3:]]
    for spot, amount in zip(lane, painted, strict=True):
        assert spot.area == pytest.approx(amount / sum(painted), abs=0.08)
    assert max(proposal.profiles[3]) == pytest.approx(max(s.darkness for s in lane), rel=0.5)


def test_places_on_the_plate_come_back_to_the_picture(tablet):
    _, proposal, _, _ = tablet
    back = to_picture(proposal, [(0, 100), (50, 100), (50, 0), (0, 0)])
    assert np.allclose(back, proposal.corners, atol=1e-6)


def test_corners_and_light_and_lanes_may_come_from_a_person(tablet):
    photo, found, _, _ = tablet
    proposal, _ = read_photo(
        opened(photo), 50, 100, corners=found.corners, lanes=(11, 21, 31, 41), origin=9, light="254"
    )
    assert proposal.corners_sure == 1
    assert proposal.lanes_known
    # The lanes as a whole were set a millimetre to the right of where the ticks are.
    assert proposal.lanes == pytest.approx((10, 20, 30, 40), abs=0.6)
    assert len(proposal.spots) == 6


@pytest.mark.parametrize(
    ("name", "scene"),
    [
        ("paper in daylight", ions_paper()),
        ("glowing under 365 nm", dataclasses.replace(tablet_plate("365"), noise=0.004)),
        ("a hard shadow", dataclasses.replace(tablet_plate(), shadow=0.35)),
        ("outlined in pencil", dataclasses.replace(tablet_plate(), circled=(0, 1, 4))),
        ("a smiling front", dataclasses.replace(tablet_plate(), smile=1.6, slope=-1.5)),
    ],
)
def test_other_pictures_are_read_too(name, scene):
    scene = dataclasses.replace(scene, pixels=(750, 1000))
    proposal, _ = read_photo(opened(take(scene)), scene.width, scene.height)
    assert proposal.light == scene.light, name
    faint = {index for index, blob in enumerate(scene.spots) if blob.depth < 0.1}
    clear = [blob for index, blob in enumerate(scene.spots) if index not in faint]
    found = [
        spot for spot in proposal.spots if any(abs(spot.up - b.y) < 1.6 and abs(spot.x - b.x) < 2 for b in scene.spots)
    ]
    assert len(found) == len(proposal.spots), name
    for blob in clear:
        spot = min(found, key=lambda s: abs(s.up - blob.y) + abs(s.x - blob.x))
        assert proposal.rf(spot) == pytest.approx(scene.rf(blob), abs=0.015), name


def test_an_empty_plate_proposes_no_spots():
    scene = Scene(lanes=(15, 35), labels="AB", pixels=(600, 800), seed=3)
    proposal, _ = read_photo(opened(take(scene)), 50, 100)
    assert proposal.spots == ()
    assert proposal.origin is not None
    assert len(proposal.profiles) == 2


def test_touching_spots_are_two_and_a_tail_is_one():
    pair = [Blob(0, 25, 50, 0.4, 1.8, 1.8), Blob(0, 25, 45.2, 0.35, 1.8, 1.8), Blob(0, 25, 75, 0.5, 1.8, 1.4, tail=3.0)]
    scene = Scene(lanes=(25,), labels="A", spots=pair, pixels=(600, 800), seed=5)
    proposal, _ = read_photo(opened(take(scene)), 50, 100)
    assert [spot.up for spot in proposal.spots] == pytest.approx([75, 50, 45.2], abs=1)
    tailing = proposal.spots[0]
    assert tailing.up - tailing.tail > 1.7 * (tailing.head - tailing.up)


def test_a_line_is_straight_between_its_places_and_level_beyond():
    line = Line(points=((10, 20.0), (20, 22.0)), sure=1, u=0.1)
    assert [line.at(x) for x in (0, 10, 15, 20, 40)] == [20, 20, 21, 22, 22]
    assert line.mean == 21


def test_a_line_is_taken_out_and_what_lies_around_it_carried_on():
    px, height = 8.0, 20.0
    dark = np.tile(np.linspace(0, 1, 160, dtype=np.float32)[:, None], (1, 80))
    drawn = dark.copy()
    drawn[78:82] += 0.5
    line = Line(points=((0, 10.0), (10, 10.0)), sure=1, u=0.1)
    assert np.abs(lines.without_line(drawn, line, px, height) - dark).max() < 0.02
    assert np.array_equal(lines.without_line(drawn, line, px, height)[:70], dark[:70])


def test_the_ground_is_the_light_without_spots():
    y, x = np.mgrid[0:400, 0:400].astype(np.float32)
    lamp = (0.5 + 0.3 * x / 400)[..., None] * np.ones(3, np.float32)
    spot = 10 ** (-0.5 * np.exp(-((x - 200) ** 2 + (y - 200) ** 2) / (2 * 14**2)))
    found = flatten.ground(lamp * spot[..., None], 8, dark=True)
    assert np.abs(found / lamp - 1).max() < 0.05


def test_profile_and_area():
    hill = np.zeros((200, 80), np.float32)
    hill[90:110, 30:50] = 0.5
    ground = spots.hills(hill, 4, 50, relative=False)
    line = spots.profile(ground, 10, 2)
    assert len(line) == 101
    assert line[50] > 0.4
    assert spots.area_of(line, 20, 30) == pytest.approx(0.5 * 5, rel=0.1)
    assert spots.area_of(line, 40, 50) == 0
