"""What an unknown may be; tuning an eluent; when the front arrives; what is cut and mixed."""

import math
import re

import pytest
from hypothesis import given
from hypothesis import strategies as st

from helvor.core.laws.planar.arrival import read_readings, rise, stopping_line
from helvor.core.laws.planar.eluent import parse_eluent
from helvor.core.laws.planar.identify import SpotMark, compare, identify, rank
from helvor.core.laws.planar.prepare import cut, lane_positions, level, recipe, spotting, volume_for, width_for
from helvor.core.laws.planar.tune import Point, best_gap, fit, hint, law_for, read_plates
from helvor.core.quantities.reading import Estimate, Unreadable
from helvor.core.record.house_rules import HouseRules
from helvor.core.techniques.planar import plate as planar
from helvor.core.techniques.planar.reading_line import understand
from helvor.core.techniques.planar.work_out import work_out
from tests.core.plates import Writing, mm

REFERENCES = {
    "aspirin": [SpotMark("A1", 0.62, 0.004, "purple", frozenset({"254"}))],
    "paracetamol": [SpotMark("P1", 0.48, 0.004, "", frozenset({"254"}))],
    "caffeine": [SpotMark("C1", 0.14, 0.004, "", frozenset({"254"}))],
}


def mark(name, rf, **more):
    return SpotMark(name, rf, 0.004, **more)


@pytest.mark.parametrize(
    ("spots", "present", "unexplained", "absent"),
    [
        ([0.62, 0.48, 0.14], {"aspirin", "paracetamol", "caffeine"}, (), ()),
        ([0.61, 0.47], {"aspirin", "paracetamol"}, (), ("caffeine",)),
        ([0.62, 0.33], {"aspirin"}, ("T2",), ("paracetamol", "caffeine")),
        ([0.80], set(), ("T1",), ("aspirin", "paracetamol", "caffeine")),
        ([], set(), (), ("aspirin", "paracetamol", "caffeine")),
    ],
)
def test_a_mixture_as_a_set_of_references(spots, present, unexplained, absent):
    found = identify("T", [mark(f"T{i}", rf) for i, rf in enumerate(spots, 1)], REFERENCES)
    assert {one.name for one in found.present} == present
    assert found.unexplained == unexplained
    assert found.absent == absent


def test_references_that_cannot_be_told_apart_are_named_together():
    twins = {"one": [mark("a", 0.50)], "two": [mark("b", 0.51)]}
    found = identify("T", [mark("T1", 0.505)], twins)
    assert found.alike == (("one", "two"),)


def test_a_reference_of_two_spots_needs_both():
    ink = {"ink": [mark("I1", 0.7), mark("I2", 0.3)]}
    assert not identify("T", [mark("T1", 0.7)], ink).present
    assert identify("T", [mark("T1", 0.7), mark("T2", 0.3)], ink).present


@pytest.mark.parametrize(
    ("spot", "score"),
    [
        (mark("T1", 0.62, swatch="purple", seen=frozenset({"254"})), 1.0),
        (mark("T1", 0.62, swatch="green", seen=frozenset({"254"})), 0.3),
        (mark("T1", 0.62, swatch="purple", seen=frozenset({"stain"})), 0.4),
        (mark("T1", 0.62), 1.0),
    ],
)
def test_colour_and_light_weaken_a_match_and_never_make_one(spot, score):
    assert compare(spot, REFERENCES["aspirin"][0]).score == pytest.approx(score)
    assert compare(SpotMark("T1", 0.70, 0.004, "purple"), REFERENCES["aspirin"][0]) is None


@given(st.lists(st.floats(0.02, 0.98), min_size=1, max_size=5), st.floats(-0.01, 0.01))
def test_a_plate_is_ranked_first_by_the_sample_that_made_it(rfs, shift):
    samples = {
        "right": [mark(f"r{i}", rf) for i, rf in enumerate(rfs)],
        "none": [],
        "more": [mark(f"m{i}", rf) for i, rf in enumerate([*rfs, 0.5, 0.55, 0.6])],
    }
    plate = [mark(f"p{i}", min(max(rf + shift, 0.0), 1.0)) for i, rf in enumerate(rfs)]
    ranked = rank(plate, samples)
    assert ranked[0].name == "right"
    assert ranked[-1].name == "none"
    assert 0 <= ranked[0].score <= 1


@given(st.floats(-1, 1), st.floats(0.3, 2.5), st.sampled_from(["log", "linear"]))
def test_a_fit_finds_the_line_that_made_the_points(a, m, law):
    phis = (0.1, 0.2, 0.4, 0.8)

    def rf(phi):
        return 1 / (1 + 10 ** (a - m * (math.log10(phi) if law == "log" else phi)))

    line = fit([Point(phi, Estimate(value=rf(phi), u=0.01)) for phi in phis], law)
    assert (line.a, line.m) == pytest.approx((a, m), abs=1e-6)
    assert line.rf_at(0.3).value == pytest.approx(rf(0.3))
    assert line.phi_for(rf(0.3)) == pytest.approx(0.3)
    assert line.rf_at(0.3).u > 0


def test_predictions_are_less_sure_away_from_the_plates_and_end_near_them():
    line = fit([Point(0.2, Estimate(value=0.3, u=0.02)), Point(0.3, Estimate(value=0.4, u=0.02))], "log")
    assert line.rf_at(0.14).u > line.rf_at(0.25).u
    for phi in (0.05, 0.9):
        with pytest.raises(Unreadable, match="too far outside"):
            line.rf_at(phi)
    with pytest.raises(Unreadable, match=r"too far outside|No composition"):
        line.phi_for(0.95)


@pytest.mark.parametrize(
    "points",
    [
        [Point(0.2, Estimate(value=0.3, u=0.01))],
        [Point(0.2, Estimate(value=0.3, u=0.01)), Point(0.2, Estimate(value=0.31, u=0.01))],
        [Point(0.0, Estimate(value=0.3, u=0.01)), Point(0.2, Estimate(value=0.4, u=0.01))],
        [Point(0.1, Estimate(value=0.0, u=0.01)), Point(0.2, Estimate(value=0.4, u=0.01))],
        [Point(0.1, Estimate(value=1.0, u=0.01)), Point(0.2, Estimate(value=0.4, u=0.01))],
    ],
)
def test_what_carries_no_information_is_refused(points):
    with pytest.raises(Unreadable, match=r"no information|two compositions"):
        fit(points, "log")


def test_the_best_composition_has_the_largest_smallest_gap():
    def line(a, m):
        points = [Point(p, Estimate(value=1 / (1 + 10 ** (a - m * math.log10(p))), u=0.01)) for p in (0.1, 0.5)]
        return fit(points, "log")

    lines = {"A": line(-0.6, 1.0), "B": line(-0.1, 1.4)}
    best = best_gap(lines)
    for phi in (0.1, 0.2, 0.3, 0.4, 0.5):
        rfs = sorted(one.rf_at(phi).value for one in lines.values())
        if rfs[0] >= 0.1 and rfs[1] <= 0.8:
            assert rfs[1] - rfs[0] <= best.gap + 1e-3
    with pytest.raises(Unreadable):
        best_gap({"A": lines["A"]})


def test_laws_hints_and_typed_plates():
    assert [law_for(phase) for phase in ("silica", "alumina", "paper", "C18")] == ["log", "log", "linear", "linear"]
    assert hint(0.5, 0.2, 0.5) == pytest.approx(0.2)
    assert hint(0.3, 0.2, 0.5) > 0.2
    with pytest.raises(Unreadable, match="too weak"):
        hint(0.05, 0.9, 0.6)
    assert set(read_plates("20 % P1 0.35; A 0.52\n40% P1=0.5, A=0.7")) == {"P1", "A"}
    for bad in ("", "P 0.3", "20 % P", "20 % P 18"):
        with pytest.raises(Unreadable):
            read_plates(bad)


@given(st.floats(5, 200), st.floats(0, 15), st.lists(st.floats(0.5, 60), min_size=1, max_size=6, unique=True))
def test_the_front_arrives_when_the_law_says(kappa, height, minutes):
    readings = [(t, max(0.0, math.sqrt(kappa * t) - height)) for t in minutes if kappa * t > height**2]
    if not readings:
        return
    found = rise(readings, height)
    assert found.kappa.value == pytest.approx(kappa, rel=1e-6)
    assert found.minutes_to(70).value == pytest.approx((70 + height) ** 2 / kappa, rel=1e-6)


def test_leaving_the_liquids_depth_out_predicts_too_late():
    """A plate whose origin stands 6 mm over the liquid: counted from the origin it would run over."""
    kappa, h = 90.0, 6.0
    readings = [(t, math.sqrt(kappa * t) - h) for t in (3.0, 5.0, 7.0)]
    right, wrong = rise(readings, h).minutes_to(75), rise(readings, 0.0).minutes_to(75)
    assert right.value == pytest.approx((75 + h) ** 2 / kappa)
    assert wrong.value > 1.2 * right.value
    early, late = (rise([(t, math.sqrt(kappa * t) - h)], 0.0).minutes_to(75).value for t in (1.0, 40.0))
    assert early > late > right.value


@pytest.mark.parametrize("text", ["four 20", "4", "4 min 20 mm 3"])
def test_bad_front_readings_are_said(text):
    with pytest.raises(Unreadable):
        read_readings(text)
    with pytest.raises(Unreadable):
        rise([(4, 20), (8, 10)], 5)


@pytest.mark.parametrize(
    ("wrong", "said"),
    [
        (lambda: rise([(4, 20)], -1), "The eluent level is above the origin: the spots would dissolve"),
        (lambda: rise([], 5), "minutes above zero"),
        (lambda: rise([(0, 5)], 5), "minutes above zero"),
        (lambda: rise([(1, 0)], 0), "minutes above zero"),
        (lambda: stopping_line(20, 10, 10), "above the origin"),
    ],
)
def test_a_front_that_says_nothing_is_refused(wrong, said):
    with pytest.raises(Unreadable, match=said):
        wrong()


@given(
    st.sampled_from(["log", "linear"]),
    st.lists(st.tuples(st.floats(0.05, 0.9), st.floats(0.05, 0.95)), min_size=2, max_size=5, unique_by=lambda p: p[0]),
)
def test_a_fit_says_its_equation_with_one_sign_before_each_number(law, plates):
    if max(phi for phi, _ in plates) - min(phi for phi, _ in plates) < 0.02:
        return
    line = fit([Point(phi, Estimate(value=rf, u=0.02)) for phi, rf in plates], law)
    read = re.fullmatch(r"R_M = (−?)([\d.]+) ([−+]) ([\d.]+)·(log₁₀ φ|φ)", line.equation)
    assert read is not None
    a = float(read[2]) * (-1 if read[1] else 1)
    slope = float(read[4]) * (-1 if read[3] == "−" else 1)
    assert a == pytest.approx(line.a, rel=0.01) and slope == pytest.approx(-line.m, rel=0.01)


def test_sheets_lanes_and_chambers():
    assert cut((200, 200), (50, 75)).count == 8
    assert cut((200, 100), (60, 100), both_ways=True).count == 3
    assert cut((100, 60), (60, 100), both_ways=True).turned
    assert width_for(4, 10) == 50
    assert lane_positions(60, 5) == [10, 20, 30, 40, 50]
    assert level(10, 60) == pytest.approx(3.54, abs=0.01)
    wanted, volume = volume_for(10, 60)
    assert level(volume, 60) == pytest.approx(wanted)
    assert spotting(0.5, 1.0, 12).total_mass == pytest.approx(0.005 * 12 * 1.15)
    for bad in (
        lambda: cut((40, 40), (50, 50)),
        lambda: width_for(4, 3),
        lambda: lane_positions(20, 5),
        lambda: level(5, 60, lining=6),
        lambda: volume_for(1, 60),
        lambda: spotting(0, 1),
        lambda: recipe(parse_eluent("hexane"), 0),
    ):
        with pytest.raises(Unreadable):
            bad()


@given(st.floats(2, 500), st.integers(1, 20))
def test_a_rounded_recipe_keeps_the_ratio_nearly(volume, percent):
    parts = recipe(parse_eluent(f"hexane : ethyl acetate {100 - percent} : {percent}"), volume)
    assert sum(part.percent for part in parts) == pytest.approx(100)
    assert all(part.rounded > 0 for part in parts)
    assert parts[0].rounded == pytest.approx(parts[0].exact, abs=0.26)


@pytest.mark.parametrize(
    ("solvent", "points", "slope"),
    # Soczewiński's relation with whole slopes, as it is drawn in textbooks; made up, from memory of its form.
    [
        ("propan-2-ol", [(0.05, 0.21), (0.10, 0.347), (0.20, 0.515)], 1.0),
        ("ethyl acetate", [(0.1, 0.05), (0.2, 0.174), (0.4, 0.457)], 2.0),
    ],
)
def test_slopes_of_the_relation(solvent, points, slope):
    line = fit([Point(phi, Estimate(value=rf, u=0.01)) for phi, rf in points], "log")
    assert line.m == pytest.approx(slope, rel=0.02)


def running(*fronts, level=5, height=100):
    page = Writing(height=mm(height))
    if level is not None:
        page.add(planar.Chamber(level=mm(level)))
    page.add(planar.Developing())
    for front in fronts:
        page.add(planar.FrontSeen(distance=mm(front)))
    return page


def test_a_running_plate_says_when_to_take_it_out():
    """Read 1 and 2 minutes after it went in: 5 mm under the origin, (z + 5)² = 225 mm²/min · t."""
    arriving = running(10, f"{450**0.5 - 5:.2f}").sheet.arriving
    assert arriving.stop == 80
    assert arriving.minutes.value == pytest.approx(85**2 / 225, rel=0.01)
    assert "(80 + 5)²" in arriving.working.shown


@pytest.mark.parametrize(
    ("page", "code"),
    [(running(20, 10), "front-went-back"), (running(20, level=None), "no-level"), (running(10, 16), None)],
)
def test_fronts_that_say_nothing_are_said(page, code):
    assert (page.sheet.arriving is None) == (code is not None)
    assert code is None or code in page.codes()


def test_once_the_front_is_marked_there_is_nothing_to_wait_for():
    page = running(10, 16)
    page.front(80)
    assert page.sheet.arriving is None


@pytest.mark.parametrize("says", [["rising 20"], ["in", "rising 200"], ["in", "rising 0"], ["in 5"], ["in", "rising"]])
def test_what_cannot_be_read_while_it_runs(says):
    page = Writing()
    with pytest.raises(Unreadable):
        for text in says:
            page.add(understand(text, page.entries).payload)


def test_the_reading_line_times_the_front():
    page = Writing()
    page.add(planar.Chamber(level=mm(5)))
    for text in ("in", "rising 12.5"):
        page.add(understand(text, page.entries).payload)
    assert page.sheet.arriving is not None


def test_unknown_lanes_are_read_against_references_in_words_that_claim_no_more():
    page = Writing(lanes=())
    for at, label, role in ((10, "P", "reference"), (20, "C", "reference"), (30, "T", "unknown")):
        page.lanes[label] = page.add(
            planar.Lane(
                at=mm(at), label=label, role=role, substance={"P": "paracetamol", "C": "caffeine"}.get(label, "")
            )
        )
    page.front(80)
    for lane, distance in (("P", 38), ("C", 12), ("T", 38.5), ("T", 60)):
        page.spot(lane, distance)
    (found,) = page.sheet.identities
    assert [one.name for one in found.present] == ["paracetamol"]
    assert (found.unexplained, found.absent) == (("T2",), ("caffeine",))
    said = page.finding("unknown-like")
    assert "The same Rf does not prove identity, and one spot does not prove" in said
    assert "T2 matches none" in said


@pytest.mark.parametrize(("school", "said"), [("below-top", True), ("set-time", False), ("separated", False)])
def test_a_short_run_is_only_short_where_the_house_stops_below_the_top(school, said):
    page = Writing()
    page.front(30)
    found = work_out(page.entries, HouseRules({"stopping-front": school})).findings
    assert ("front-short" in {f.code for f in found}) == said
