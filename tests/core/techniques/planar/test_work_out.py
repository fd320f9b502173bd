"""Plate → numbers, checked a second way."""

import math

import pytest
from hypothesis import given
from hypothesis import strategies as st

from helvor.core.laws.planar import rf
from helvor.core.techniques.planar import plate as planar
from tests.core.plates import Writing, mm


def test_the_worked_numbers_of_one_spot():
    page = Writing(ruler="0.5 mm")
    page.front("80.0")
    page.spot("P", "40.0", tail="37.0", head="43.0")
    (spot,) = page.sheet.spots
    assert (spot.rf_shown, spot.u_shown, spot.hrf_shown) == ("0.50", "0.01", "50")
    step = 0.5 / math.sqrt(12)
    expected = math.sqrt(step**2 + 0.6**2 + (0.5 * step) ** 2 + (0.5 * step) ** 2) / 80
    assert spot.rf.u == pytest.approx(expected)
    assert (spot.k.value, spot.r_m.value) == (1.0, 0.0)
    assert spot.working()[0].shown == "Rf = 40.0 mm ÷ 80.0 mm = 0.50 ± 0.01"


def test_the_digits_written_tell_the_resolution_unless_a_ruler_is_chosen():
    rough, fine, ruled = Writing(), Writing(), Writing(ruler="0.1 mm")
    for page, front, spot in ((rough, "80", "40"), (fine, "80.0", "40.0"), (ruled, "80", "40")):
        page.front(front)
        page.spot("P", spot)
    u = [page.sheet.spots[0].rf.u for page in (rough, fine, ruled)]
    assert u[0] > u[1] > u[2]  # the origin of `fine` is still written as 10


def test_the_plates_front_holds_where_a_lane_has_none_and_the_lanes_own_before_it():
    page = Writing()
    page.front(80)
    page.front(78, lane="T")
    for lane in ("P", "T"):
        page.spot(lane, 39)
    fronts = {spot.lane: (spot.front.distance, spot.front.read) for spot in page.sheet.spots}
    assert fronts == {"P": (80, "plate"), "T": (78, "lane")}


@given(st.floats(60, 85), st.floats(60, 85), st.floats(5, 45))
def test_a_front_between_two_lanes_is_straight_and_never_less_sure_than_both(left, right, at):
    page = Writing(lanes=())
    for label, x in (("A", 5), ("B", 45)):
        page.lanes[label] = page.add(planar.Lane(at=mm(x), label=label))
    page.lanes["M"] = page.add(planar.Lane(at=mm(f"{at:.2f}"), label="M"))
    page.front(f"{left:.1f}", lane="A")
    page.front(f"{right:.1f}", lane="B")
    front = page.sheet.fronts[page.lanes["M"]]
    part = (float(f"{at:.2f}") - 5) / 40
    assert front.distance == pytest.approx((1 - part) * float(f"{left:.1f}") + part * float(f"{right:.1f}"))
    assert front.u <= mm("1.0").u + 1e-12


def test_relative_values_are_one_at_the_reference_itself():
    page = Writing()
    reference = page.spot("P", 40)
    page.spot("T", 50)
    page.add(planar.ComparedTo(spot=reference))
    relative = {spot.name: spot.relative for spot in page.sheet.spots}
    assert (relative["P1"].value, relative["P1"].u) == (1, 0)
    assert relative["T1"].value == 1.25
    assert relative["T1"].u > 0


def test_a_struck_reference_leaves_no_relative_values():
    page = Writing()
    reference = page.spot("P", 40)
    page.add(planar.ComparedTo(spot=reference))
    page.add(planar.Struck(), reference, "dust")
    page.spot("T", 50)
    assert [spot.relative for spot in page.sheet.spots] == [None]


@given(st.floats(0.1, 50), st.floats(0.1, 30), st.floats(0.1, 30))
def test_resolution_is_symmetric_and_scales(distance, a, b):
    assert rf.resolution(distance, a, b) == rf.resolution(-distance, b, a)
    assert rf.resolution(2 * distance, 2 * a, 2 * b) == pytest.approx(rf.resolution(distance, a, b))


@pytest.mark.parametrize("call", [lambda: rf.resolution(1, 0, 1), lambda: rf.ratio_on_shared_origin(1, 0, 0, 0, 0)])
def test_the_formulas_refuse_what_has_no_meaning(call):
    with pytest.raises(ValueError, match="above zero"):
        call()


@given(st.lists(st.tuples(st.sampled_from("PCT"), st.integers(0, 900)), max_size=12), st.integers(1, 900))
def test_working_out_never_breaks_and_every_rf_lies_between_zero_and_one_or_so(spots, front):
    """Whatever is on a plate, an Rf is given only where it can be one."""
    page = Writing()
    page.front(f"{front / 10:.1f}")
    for lane, tenths in spots:
        page.spot(lane, f"{tenths / 10:.1f}", width=4)
    sheet = page.sheet
    assert len(sheet.spots) == len(spots)
    for spot in sheet.spots:
        if spot.rf is None:
            assert spot.on.spot.distance.value > front / 10
        else:
            assert 0 <= spot.rf.value <= 1 + 2 * 1.5 / (front / 10)
            assert spot.working()
