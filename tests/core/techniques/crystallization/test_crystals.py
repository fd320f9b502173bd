"""Recrystallizing: solubility, the plan and its ceiling, solvents, melting ranges, what is judged of a run."""

import itertools
import math

import pytest
from hypothesis import assume, given
from hypothesis import strategies as st

from helvor.core.engine.plan.check_plan import check_plan
from helvor.core.engine.run.ledger import build_ledger
from helvor.core.engine.run.reading_line import understand
from helvor.core.engine.run.record import gather
from helvor.core.engine.run.work_out import work_out
from helvor.core.laws.crystallization.melting import (
    Range,
    Standard,
    by_mixing,
    corrected,
    correction,
    rate_range,
    read_range,
)
from helvor.core.laws.crystallization.plan import by_volume, ceiling, for_benches, least_volume, recrystallize
from helvor.core.laws.crystallization.solubility import GAS, ZERO_C, Curve, Point, curve_of, read_curve
from helvor.core.laws.crystallization.solvents import Candidate, Tried, pairs, rank, rate_solvent
from helvor.core.quantities.reading import Unreadable
from helvor.core.record.house_rules import HouseRules
from helvor.core.record.procedure import procedure_from
from helvor.core.techniques.crystallization.entries import MeltingSeen, SolventTried
from helvor.core.techniques.crystallization.record import flasks, melted, tried_of, where_it_went
from helvor.core.techniques.registered import TECHNIQUES
from helvor.demo.crystals import CRYSTALS
from helvor.shelf.procedures import shipped_procedure
from tests.core.techniques.extraction.test_runs import typed

CLEAN = shipped_procedure("acetanilide-made-clean")
WATER = Curve((Point(25, 0.56), Point(80, 3.45), Point(100, 5.55)))


@given(st.floats(5, 60), st.floats(0.01, 50), st.lists(st.floats(-10, 120), min_size=2, max_size=6, unique=True))
def test_points_of_a_van_t_hoff_line_give_its_heat_and_every_value_between(heat, at_room, temperatures):
    assume(min(abs(a - b) for i, a in enumerate(temperatures) for b in temperatures[:i]) > 1)

    def true(celsius):
        return at_room * math.exp(-1000 * heat / GAS * (1 / (celsius + ZERO_C) - 1 / 298.15))

    assume(max(map(true, temperatures)) < 2000)
    curve = Curve(tuple(Point(t, true(t)) for t in temperatures))
    assert curve.heat == pytest.approx(heat, rel=1e-6)
    low, high = curve.reach
    for part in (0.0, 0.3, 0.5, 0.9, 1.0):
        celsius = low + part * (high - low)
        assert curve.at(celsius) == pytest.approx(true(celsius), rel=1e-6)
    middle = (min(temperatures) + max(temperatures)) / 2
    assert curve.saturated_at(curve.at(middle)) == pytest.approx(middle, abs=1e-3)


def test_the_points_themselves_are_kept_and_far_out_nothing_is_said():
    assert [WATER.at(point.celsius) for point in WATER.points] == [pytest.approx(p.grams) for p in WATER.points]
    with pytest.raises(Unreadable, match="too far"):
        WATER.at(-20)
    assert WATER.saturated_at(0.001) is None and WATER.saturated_at(100) is None
    assert curve_of([(20, 1.0)]) is None


@pytest.mark.parametrize(
    ("text", "says"),
    [
        ("0.5 at 20", "at least two"),
        ("0.5 at 20, lots at 100", "0.54 at 25"),
        ("0 at 20, 5 at 100", "above 0"),
        ("0.5 at 20, 0.6 at 20", "same temperature"),
        ("0.5 at 20, 5 at 900", "between"),
        ("", "at least two"),
    ],
)
def test_a_curve_that_cannot_be_is_refused(text, says):
    with pytest.raises(Unreadable, match=says):
        read_curve(text)


@pytest.mark.parametrize("text", ["0.54 at 25, 5.0 at 100", "5 g at 100 °C; 0.54 @ 25", "0.54 at 25\n5.0 at 100\n"])
def test_a_curve_is_read_as_people_type_it(text):
    assert [(p.celsius, p.grams) for p in read_curve(text).points] == [(25, 0.54), (100, 5.0)]


MASS, MILLILITRES = st.floats(0.05, 50), st.floats(1, 500)


@given(MASS, MILLILITRES, st.floats(0, 50), st.floats(0, 5))
def test_what_can_come_out_and_what_stays_are_all_of_it(mass, volume, wash, cold):
    """By a direct balance: dissolve, cool, filter, wash; nothing is lost between."""
    dissolved = min(mass, cold * volume / 100)
    solid = mass - dissolved
    solid -= min(solid, cold * wash / 100)
    assert ceiling(mass, volume, wash, cold) * mass == pytest.approx(solid, abs=1e-9)


@given(MASS, st.floats(0, 1), st.floats(0, 20))
def test_a_plan_holds_together(mass, extra, wash):
    plan = recrystallize(mass, WATER, 100, 2, extra=extra, wash=wash)
    assert plan.least == pytest.approx(least_volume(mass, 5.55))
    assert plan.volume == pytest.approx(plan.least * (1 + extra))
    assert plan.liquor + plan.washed + plan.ceiling * mass == pytest.approx(mass)
    assert plan.due <= 100 + 1e-6
    assert plan.flask is None or plan.volume <= 2 / 3 * plan.flask + 1e-6
    costs = by_volume(plan, WATER.at(2), [plan.least * n for n in (1, 2, 4, 8)])
    assert all(b <= a for (_, a), (_, b) in itertools.pairwise(costs))


def test_an_impurity_stays_dissolved_by_its_own_solubility():
    salt = Curve((Point(0, 35.0), Point(100, 39.0)))
    assert recrystallize(2, WATER, 100, 2, impurity=salt).impurity == pytest.approx(0.35 * 43.24, rel=0.02)


@pytest.mark.parametrize(
    ("asked", "says"),
    [
        ({"hot": 20, "cold": 80}, "Enter a filtering temperature below the dissolving temperature"),
        ({"extra": -0.1}, "0 to 300"),
        ({"volume": 0}, "above 0"),
        ({"mass": 0}, "above 0"),
        ({"cold": -60}, "too far"),
    ],
)
def test_no_plan_of_what_cannot_be(asked, says):
    asked = {"mass": 2.0, "hot": 100, "cold": 2} | asked
    with pytest.raises(Unreadable, match=says):
        recrystallize(asked.pop("mass"), WATER, asked.pop("hot"), asked.pop("cold"), **asked)


@pytest.mark.parametrize(
    ("text", "code", "level"),
    [
        ("113.2-114.1", "fits", "good"),
        ("112.5 – 114.0 °C", "fits", "good"),
        ("106.5-111.0", "low", "caution"),
        ("109-113.5", "wide", "note"),
        ("104-105.5", "sharp-low", "caution"),
        ("117.2-118", "above", "caution"),
        ("115-117", "above", "caution"),
        ("110-116.5", "above", "caution"),
        ("114.5-115.8", "fits", "good"),
    ],
)
def test_a_range_is_judged_without_claiming_too_much(text, code, level):
    verdict = rate_range(read_range(text), 114.0, "acetanilide")
    assert (verdict.code, verdict.level) == (code, level)
    words = f"{verdict.says} {verdict.because}"
    assert "is pure" not in words and "proves" not in words


@pytest.mark.parametrize("text", ["", "hot", "114-113", "114-", "-300-2"])
def test_what_is_no_range_is_refused(text):
    with pytest.raises(Unreadable):
        read_range(text)


@given(st.lists(st.tuples(st.floats(40, 250), st.floats(-3, 3)), min_size=1, max_size=5, unique_by=lambda p: p[0]))
def test_at_a_standard_the_correction_is_its_own_and_between_two_it_lies_between(points):
    standards = [Standard("s", read + off, read) for read, off in points]
    for read, off in points:
        assert correction(read, standards) == pytest.approx(off, abs=1e-6)
    offs = [off for _, off in points]
    assert all(min(offs) - 1e-6 <= correction(t, standards) <= max(offs) + 1e-6 for t in (0, 50, 120, 200, 300))
    assert correction(100, []) == 0


def test_a_corrected_range_and_a_mixed_one():
    seen = corrected(Range(112.2, 113.1), [Standard("benzoic acid", 122.4, 121.4)])
    assert (seen.starts, seen.ends) == (pytest.approx(113.2), pytest.approx(114.1))
    assert by_mixing(Range(113, 114), Range(112.5, 114)) == "same"
    assert by_mixing(Range(113, 114), Range(95, 108)) == "another"


@pytest.mark.parametrize(
    ("one", "level", "words"),
    [
        (Candidate("water", 100, 0.5, 5.5, 0), "good", "11 times"),
        (Candidate("toluene", 111, 0.5, 60, 2, flammable=True), "good", "no flame"),
        (Candidate("anything", 130, 0.5, 5.5), "caution", "as an oil"),
        (Candidate("hexane", 69, 0.01, 0.2), "caution", "only 0.20 g"),
        (Candidate("ethanol", 78, 30, 60), "caution", "2.0 times"),
        (Candidate("acid", 100, 0.5, 5.5, reacts=True), "stop", "reacts"),
        (Candidate("unknown", 60), "note", "test tube"),
        (Candidate("a", 60, tried=Tried("a", "all")), "caution", "too good"),
        (Candidate("a", 60, tried=Tried("a", "none", "none")), "caution", "too poor"),
        (Candidate("a", 60, tried=Tried("a", "none", "all", "crystals")), "good", "crystals on cooling"),
        (Candidate("a", 60, tried=Tried("a", "none", "all", "oil")), "stop", "an oil"),
        (Candidate("a", 60, tried=Tried("a", "none", "some", "crystals")), "note", "more solvent"),
        (Candidate("a", 60, tried=Tried("a", "none", "all", "nothing")), "caution", "scratch"),
    ],
)
def test_a_solvent_is_judged_with_its_reasons(one, level, words):
    judged = rate_solvent(one, 114.0)
    assert judged.level == level
    assert any(words in why for why in judged.why), judged.why


def test_what_melts_under_hot_water_oils_out_though_it_melts_higher_dry():
    assert rate_solvent(Candidate("water", 100, 0.2, 5.5, 0), 122.0).level == "good"
    assert rate_solvent(Candidate("water", 100, 0.2, 5.5, 0), 122.0, melts_wet=95.0).level == "caution"


def test_the_best_first_and_pairs_from_a_good_and_a_poor_one():
    named = [
        one.name
        for one in rank(
            [Candidate("b", 69, 0.01, 0.2), Candidate("c", 78, 0.4, 9, 2), Candidate("a", 100, 0.5, 5.5, 0)], 114
        )
    ]
    assert named == ["a", "c", "b"]
    tried = [Tried("ethanol", "all"), Tried("water", "none", "none"), Tried("hexane", "none", "none")]
    assert pairs(tried) == [("ethanol", "water"), ("ethanol", "hexane")]
    assert pairs(tried, [frozenset(("ethanol", "hexane"))]) == [("ethanol", "water")]


def sheet(*lines):
    return work_out(typed(*lines, procedure=CLEAN), None, TECHNIQUES)


def codes(*lines):
    return {finding.code: finding for finding in sheet(*lines).findings}


def flask_of(*lines):
    run = gather(tuple(typed(*lines, procedure=CLEAN)))
    return flasks(run, build_ledger(run, HouseRules()))[0]


def test_the_plan_of_the_demo_is_clean():
    assert [a.finding.code for a in check_plan(CLEAN, HouseRules(), TECHNIQUES) if a.finding.level != "note"] == []
    bare = CLEAN.model_copy(
        update={"components": tuple(c.model_copy(update={"dissolves": {}}) for c in CLEAN.components)}
    )
    assert "no-solubility" in {a.finding.code for a in check_plan(bare, HouseRules(), TECHNIQUES)}
    low = tuple(s.model_copy(update={"melts": 90.0}) if s.melts else s for s in CLEAN.substances)
    hot = CLEAN.model_copy(update={"substances": low})
    assert "boils-above-melting" in {a.finding.code for a in check_plan(hot, HouseRules(), TECHNIQUES)}


@pytest.mark.parametrize(
    ("bench", "code", "level"),
    [
        (1, "ordinary-recovery", "good"),
        (1, "melting-fits", "good"),
        (2, "too-much-solvent", "caution"),
        (2, "far-below-ceiling", "note"),
        (3, "above-ceiling", "caution"),
        (3, "melting-low", "caution"),
        (4, "oil", "caution"),
    ],
)
def test_what_the_benches_of_the_demo_show_is_seen(bench, code, level):
    assert codes(*CRYSTALS[bench])[code].level == level


def test_the_clean_bench_by_the_numbers():
    flask = flask_of(*CRYSTALS[1])
    assert (flask.portions, flask.volume, flask.wash, flask.cold) == (3, 48, 5, 2)
    assert flask.ceiling == pytest.approx(1 - WATER.at(2) * 53 / 100 / flask.mass)
    assert 0.8 < flask.recovered < flask.ceiling
    assert flask.first_crystals.celsius == 74
    causes = {one.cause.code: one.cause for one in sheet(*CRYSTALS[1]).causes}
    assert causes["cold-liquor"].size == pytest.approx(WATER.at(2) * 0.48)


@pytest.mark.parametrize(
    ("lines", "code", "words"),
    [
        (("2: take crude acetanilide 0.200 g", "4: solvent 100 mL"), "never-saturated", "Boil it down"),
        (
            ("2: take crude acetanilide 2.0 g", "4: solvent 36 mL", "4: solvent 2 mL extra"),
            "little-extra",
            "on the paper",
        ),
        (("6: crystals none",), "nothing-crystallizes", "scratched the glass"),
        (("6: crystals none scratched", "6: crystals none seeded"), "nothing-crystallizes", "set into ice"),
        (("6: crystals coloured",), "coloured", "charcoal"),
        (("6: crystals grey",), "charcoal-through", "finer fluted paper"),
        (("done 14",), "liquor-gone", "A second crop, or product that stayed dissolved, is lost with it"),
        (("3: melts crude 106-111 6/min",), "melted-fast", "1 to 2 °C"),
        (
            ("13: melts acetanilide, dry 113-114", "13: melts acetanilide, dry with acetanilide 113-114"),
            "mixed-same",
            "same substance",
        ),
        (
            ("13: melts acetanilide, dry 113-114", "13: melts acetanilide, dry with phenacetin 88-104"),
            "mixed-other",
            "The melting point is depressed, so they are different compounds",
        ),
    ],
)
def test_findings_on_the_way(lines, code, words):
    finding = codes(*lines)[code]
    assert words in f"{finding.what} {finding.because} {finding.do}"


def test_remedies_that_worked_are_no_finding_any_more():
    assert "nothing-crystallizes" not in codes("6: crystals none scratched", "6: crystals yes")


def test_what_is_missing_for_a_ceiling_is_said():
    assert "Weigh the solid" in flask_of("4: solvent 20 mL").why_not
    bare = CLEAN.model_copy(
        update={"components": tuple(c.model_copy(update={"dissolves": {}}) for c in CLEAN.components)}
    )
    run = gather(tuple(typed("2: take crude acetanilide 2.0 g", procedure=bare)))
    assert "solubility" in flasks(run, build_ledger(run, HouseRules()))[0].why_not


def test_ranges_are_corrected_by_the_run_s_own_standards():
    run = gather(
        tuple(typed("3: melts crude 106.0-110.0", "13: standard benzoic acid 122.4 read 121.9", procedure=CLEAN))
    )
    [crude] = melted(run)
    assert (crude.true.starts, crude.true.ends) == (pytest.approx(106.5), pytest.approx(110.5))
    assert (crude.what, crude.published) == ("acetanilide", 114)


def test_tubes_are_put_together_from_what_was_said_of_them():
    lines = ("4: try water cold none", "4: try water hot all cooled crystals", "4: try ethanol cold all")
    tried = tried_of(gather(tuple(typed(*lines, procedure=CLEAN))))
    assert tried == [Tried("water", "none", "all", "crystals"), Tried("ethanol", "all")]


@pytest.mark.parametrize(
    ("line", "says"),
    [
        ("4: solvent", "Enter the volume, for example: solvent"),
        ("4: solvent 4 mL dance", "dissolve, extra"),
        ("6: temp", "Enter the temperature, for example: temp"),
        ("6: crystals maybe", "Enter the result: crystals yes, crystals none, crystals oil, or"),
        ("13: melts", "Enter what melted and its range, for example: melts product"),
        ("13: melts dish hot", "Enter what melted and its range, for example: melts product"),
        ("13: standard benzoic acid", "Enter the standard and both temperatures, for example: standard"),
        ("4: try water", "Enter the solvent and what you saw, for example: try water cold none"),
    ],
)
def test_what_is_not_understood_is_said(line, says):
    entries = typed(procedure=CLEAN)
    place, _, text = line.partition(": ")
    with pytest.raises(Unreadable, match=says):
        understand(text, entries, f"s{place}", TECHNIQUES)


@pytest.mark.parametrize(
    "bad",
    [
        lambda: MeltingSeen(step="s3", portion="crude", starts=114, ends=112),
        lambda: SolventTried(step="s4", solvent="x"),
        lambda: SolventTried(step="s4", solvent="x", cold="all", hot="none"),
    ],
)
def test_entries_refuse_what_does_not_go_together(bad):
    with pytest.raises(ValueError, match="1 validation error"):
        bad()


def test_two_crops_count_together_and_the_liquor_may_go_once_they_are_weighed():
    second = {"name": "second crop", "component": "acetanilide", "formula": "C8H9NO", "end": "product"}
    step = CLEAN.step("s12").model_copy(update={"id": "s15", "on": "second crop", "container": ("boat",)})
    made = CLEAN.step("s9").model_copy(
        update={"id": "s16", "takes": ("liquor",), "gives": ("second crop",), "container": ("boat",)}
    )
    two = procedure_from(
        CLEAN.model_dump(mode="json")
        | {
            "portions": [*(p.model_dump(mode="json") for p in CLEAN.portions), second],
            "steps": [
                *(s.model_dump(mode="json") for s in CLEAN.steps[:-1]),
                made.model_dump(mode="json"),
                step.model_dump(mode="json"),
            ],
        }
    )
    lines = (*CRYSTALS[1], "15: boat 1.000", "15: boat second crop dried 1.060", "15: boat second crop dried 1.060")
    run = gather(tuple(typed(*lines, procedure=two)))
    [flask] = flasks(run, build_ledger(run, HouseRules()))
    assert [crop.name for crop in flask.crops] == ["acetanilide, dry", "second crop"]
    assert flask.recovered == pytest.approx((1.690 + 0.060) / 2.0)
    assert "liquor-gone" not in codes(*CRYSTALS[1], "done 14")


def test_what_stays_in_an_unweighed_liquor_is_no_alarm():
    found = codes(*CRYSTALS[1])
    assert "closure-low" not in found
    assert found["closure-held"].level == "note" and "stays in liquor" in found["closure-held"].because


def test_a_warm_wash_takes_more_and_is_named_where_much_is_missing():
    cold, warm = CRYSTALS[2], [line.replace("2 x 2.5 mL cold", "2 x 10 mL") for line in CRYSTALS[2]]
    iced, washed = flask_of(*cold), flask_of(*warm)
    assert (iced.warm_wash, washed.warm_wash) == (0, 20)
    assert washed.plan.washed == pytest.approx(20 * WATER.at(21) / 100)
    assert washed.ceiling < iced.ceiling
    poor = [line.replace("31.58", "31.38") for line in warm]
    assert "not ice-cold" in codes(*poor)["far-below-ceiling"].because


@given(MASS, MILLILITRES)
def test_a_second_crop_is_what_half_the_liquor_cannot_hold(mass, volume):
    """Also where the liquor was never saturated: then boiling down to half may bring nothing."""
    plan = recrystallize(mass, WATER, 100, 2, volume=volume)
    held = WATER.at(2) * volume / 200
    assert plan.boiled == pytest.approx(max(0.0, plan.liquor - held), abs=1e-9)
    assert plan.boiled <= plan.liquor / 2 + 1e-9


def test_enough_over_the_least_is_no_lean_filtration_however_it_was_said():
    lean = ("2: take crude acetanilide 2.0 g", "4: solvent 36 mL", "4: solvent 2 mL extra")
    enough = ("2: take crude acetanilide 2.0 g", "4: solvent 44 mL", "4: solvent 2 mL extra")
    rinsed = (*lean, "4: solvent 10 mL rinse")
    assert [flask_of(*lines).lean for lines in (lean, enough, rinsed)] == [True, False, True]
    assert "little-extra" not in codes(*enough)


def test_the_shares_of_the_solid_add_up_to_it():
    for bench in (1, 2):
        flask = flask_of(*CRYSTALS[bench])
        assert sum(share.grams for share in where_it_went(flask)) == pytest.approx(flask.mass)
    wet = where_it_went(flask_of(*CRYSTALS[3]))
    assert wet[-1].kind == "more" and sum(s.grams for s in wet[:-1]) > flask_of(*CRYSTALS[3]).mass
    assert where_it_went(flask_of(*CRYSTALS[4])) == []


def test_no_crystals_are_no_first_crystals():
    assert flask_of("6: temp 60 no crystals yet", "6: temp 50 first needles").first_crystals.celsius == 50


def test_solvent_for_a_class():
    plan = recrystallize(2, WATER, 100, 2)
    assert for_benches(plan, 10) == pytest.approx(11 * plan.volume)
    with pytest.raises(Unreadable):
        for_benches(plan, 0)


@pytest.mark.parametrize(
    ("alone", "mixed", "known", "says"),
    [
        ((112, 113), (111, 113.5), None, "same"),  # within what the readings are uncertain by
        ((121, 122), (120.8, 122), None, "same"),
        ((121, 122), (119, 121), None, "undecided"),
        ((121, 122), (96, 110), None, "another"),
        ((112, 113), (116, 117), None, "undecided"),  # higher than alone is not as alone
        ((108, 112), (107.5, 112.5), (113, 114), "same"),
        ((121, 122), (112, 119), (121.5, 122.4), "another"),
    ],
)
def test_a_mixed_melting_point_beyond_what_is_uncertain(alone, mixed, known, says):
    assert by_mixing(Range(*alone), Range(*mixed), Range(*known) if known else None) == says


@pytest.mark.parametrize(
    ("seen", "code"), [((112.5, 114), "fits"), ((111.8, 113.6), "sharp-low"), ((114, 117), "above")]
)
def test_a_range_fits_only_where_both_ends_are_near(seen, code):
    assert rate_range(Range(*seen), 114.0, "acetanilide").code == code


def test_a_mixture_that_decides_nothing_is_said_so():
    lines = ["13: melts acetanilide, dry 112.5-114", "13: melts acetanilide, dry with acetanilide 110.6-112.4"]
    assert "side by side" in codes(*lines)["mixed-undecided"].do
