"""A column: bands, tubes, pools, what is judged of them."""

import itertools
import math

import pytest
from hypothesis import given
from hypothesis import strategies as st

from helvor.core.engine.plan.check_plan import check_plan
from helvor.core.engine.run.ledger import build_ledger
from helvor.core.engine.run.reading_line import understand
from helvor.core.engine.run.record import gather
from helvor.core.engine.run.work_out import work_out
from helvor.core.laws.column.model import (
    Compound,
    bands,
    column_volume,
    elution,
    emg,
    found_band,
    in_tubes,
    place,
    resolution,
)
from helvor.core.laws.column.pools import Tube, cost_of, estimated, exchanged, odd, propose
from helvor.core.laws.column.sizing import draft, for_class, gravity, suitability
from helvor.core.quantities.reading import Unreadable, parse
from helvor.core.record.entry import Entry
from helvor.core.record.house_rules import HouseRules
from helvor.core.record.procedure import Procedure, Step, Substance
from helvor.core.techniques.column.entries import ColumnPacked, LevelSeen, TubesFilled
from helvor.core.techniques.column.rack import column_of, predicted_tubes, waste_of
from helvor.core.techniques.registered import TECHNIQUES
from helvor.demo.column import COLUMNS
from helvor.shelf.procedures import shipped_procedure
from tests.core.runs import page_of
from tests.core.techniques.extraction.test_runs import typed

IRON = shipped_procedure("colours-of-iron")
RF = st.floats(0.02, 0.95)


@given(RF, st.floats(5, 200))
def test_without_a_step_a_band_leaves_after_column_volumes_of_one_over_rf(rf, v_m):
    volume, at_rf = elution([50.0], [rf], v_m)
    assert (volume, at_rf) == (pytest.approx(v_m / rf), rf)
    assert place(volume, [50.0], [rf], v_m) == pytest.approx(1)


@given(RF, RF, st.floats(5, 200), st.floats(5, 300))
def test_a_step_acts_only_once_its_front_has_caught_up(weak, strong, v_m, first):
    volume, _ = elution([first, 100.0], [weak, strong], v_m)
    assert volume >= v_m / max(weak, strong) - 1e-9
    if first >= v_m / weak:
        assert volume == pytest.approx(v_m / weak)
    # Where it is grows without a jump, and is the whole length when it leaves.
    places = [place(volume * i / 50, [first, 100.0], [weak, strong], v_m) for i in range(51)]
    assert all(b >= a - 1e-12 for a, b in itertools.pairwise(places))
    assert places[-1] == pytest.approx(1)


def test_what_does_not_move_never_leaves():
    assert elution([50.0], [0.0], 20.0) == (None, 0.0)
    volume, rf = elution([40.0, 100.0], [0.0, 0.5], 20.0)
    assert (volume, rf) == (pytest.approx(40 + 20 / 0.5), 0.5)


@given(st.floats(0.1, 10), st.floats(0, 30), st.floats(5, 100))
def test_a_tailing_band_is_a_distribution_with_its_mean(sigma, tail, mean):
    at = [mean - 8 * sigma + i * (16 * sigma + 20 * tail) / 4000 for i in range(4001)]
    values = [emg(v, mean, sigma, tail) for v in at]
    assert all(b >= a - 1e-9 for a, b in itertools.pairwise(values))
    assert values[-1] == pytest.approx(1, abs=1e-3)
    found = sum((a + b) / 2 * (values[i + 1] - values[i]) for i, (a, b) in enumerate(itertools.pairwise(at)))
    assert found == pytest.approx(mean + (tail if tail >= 0.05 * sigma else 0), abs=0.06 * sigma + 0.02 * tail)


@given(st.floats(10, 300), st.integers(20, 400), st.floats(0, 5), st.floats(10, 400))
def test_tubes_hold_all_of_it_in_the_end(mass, plates, sample, capacity):
    [band] = bands([Compound("x", mass, (0.3,))], [100.0], 20.0, plates=plates, sample_ml=sample, capacity=capacity)
    ends = [5.0 * (i + 1) for i in range(400)]
    assert sum(in_tubes(band, ends)) == pytest.approx(mass, rel=0.01)
    assert band.tail == 0 or mass > capacity


def test_more_plates_part_better_and_more_sample_worse():
    def rs(plates, sample):
        two = [Compound("a", 50, (0.35,)), Compound("b", 50, (0.25,))]
        return resolution(*bands(two, [100.0], 20.0, plates=plates, sample_ml=sample))

    assert rs(400, 0) == pytest.approx(2 * rs(100, 0))
    assert rs(200, 10) < rs(200, 0)


def test_what_was_found_tells_its_plates():
    [band] = bands([Compound("x", 100, (0.3,))], [100.0], 20.0, plates=180)
    ends = [4.0 * (i + 1) for i in range(60)]
    found = found_band(ends, in_tubes(band, ends))
    assert found.mean == pytest.approx(band.volume, rel=0.01)
    assert found.plates == pytest.approx(180, rel=0.05)
    assert found_band(ends, [0.0] * 60) is None
    assert found_band([5.0, 10.0], [0.0, 1.0]).plates is None


@pytest.mark.parametrize(
    "bad",
    [
        lambda: column_volume(0, 150),
        lambda: elution([], [], 20),
        lambda: elution([50], [1.2], 20),
        lambda: elution([50, 0], [0.2, 0.3], 20),
        lambda: elution([50], [0.3, 0.4], 20),
        lambda: bands([], [50], 20, plates=2),
        lambda: bands([Compound("x", -1, (0.3,))], [50], 20),
    ],
)
def test_what_cannot_be_is_refused(bad):
    with pytest.raises(Unreadable):
        bad()


def rack(*shown):
    """Tubes 1, 2, … by what they show: ``A3`` strong, ``A B1``, empty; ``-`` was not spotted."""
    tubes = []
    for number, text in enumerate(shown, 1):
        seen = None if text == "-" else {w[0]: int(w[1:] or 3) for w in text.split()}
        tubes.append(Tube(number, 5.0, 5.0 * (number - 1), seen=seen))
    return tubes


def test_runs_of_the_same_make_pools_and_mixed_tubes_stay_apart():
    pools = propose(rack("", "A1", "A4", "A2 B1", "B4", "B2", "", "-"), {"A": 100.0, "B": 100.0})
    assert [(pool.kind, pool.words) for pool in pools] == [
        ("empty", "1"),
        ("pure", "2–3"),
        ("mixed", "4"),
        ("pure", "5–6"),
        ("empty", "7"),
    ]
    whole = {name: sum(pool.mass.get(name, 0.0) for pool in pools) for name in "AB"}
    assert whole == {"A": pytest.approx(100), "B": pytest.approx(100)}
    assert pools[1].purity == 1
    costs = cost_of(pools, rack("", "A1", "A4", "A2 B1", "B4", "B2", "", "-"), {"A": 100.0, "B": 100.0})
    assert [(cost.tube, cost.compound) for cost in costs] == [(4, "A"), (4, "B")]
    assert all(0 < cost.gains < 100 and 0.5 < cost.purity < 1 for cost in costs)


@given(st.lists(st.sampled_from(["", "A1", "A4", "B2", "A2 B3", "C4", "-"]), max_size=40))
def test_every_spotted_tube_is_in_one_pool_and_amounts_add_up(shown):
    tubes = rack(*shown)
    pools = propose(tubes, {"A": 10.0})
    numbers = [number for pool in pools for number in pool.tubes]
    assert numbers == [tube.number for tube in tubes if tube.seen is not None]
    for name in "ABC":
        found = sum(each.get(name, 0.0) for each in estimated(tubes, {"A": 10.0}).values())
        assert found == 0 or found == pytest.approx(10.0 if name == "A" else 1.0)


@pytest.mark.parametrize(
    ("shown", "pairs", "odd_ones"),
    [
        (("A", "A", "A", "", "B", "B"), [], []),
        (("A", "A", "", "A", "", "B"), [(3, 4)], []),
        (("A", "A", "B", "A", "B", "B"), [(3, 4)], []),
        (("A", "A", "", "A", "A", "B"), [], [(3, "A")]),
        (("A", "A", "A B", "B", "B"), [], []),
        # Two that are no neighbours: each sits in the other's run.
        (("A", "A", "B", "A", "A", "", "B", "A", "B"), [(3, 8)], []),
        (("A", "A", "B", "A", "A", "", "", "B", "B", "A", "B"), [(3, 10)], []),
        # One stray alone, or two that could each be the other's place, say nothing.
        (("A", "A", "B", "A", "A", "", "B", "B", "B"), [], [(3, "A")]),
    ],
)
def test_exchanged_and_odd_tubes(shown, pairs, odd_ones):
    assert exchanged(rack(*shown)) == pairs
    assert odd(rack(*shown)) == odd_ones


def sheet(*lines):
    return work_out(typed(*lines, procedure=IRON), None, TECHNIQUES)


def codes(*lines):
    return {finding.code: finding for finding in sheet(*lines).findings}


@pytest.mark.parametrize(
    ("bench", "code", "level"),
    [(3, "ran-dry", "caution"), (3, "mixed-tube", "caution"), (4, "tubes-exchanged", "caution")],
)
def test_the_mistakes_of_the_demo_are_seen(bench, code, level):
    assert codes(*COLUMNS[bench])[code].level == level


def test_the_clean_bench_is_clean_and_near_its_prediction():
    found = codes(*COLUMNS[1])
    assert not {f.level for f in found.values()} & {"stop", "caution"}
    run = gather(tuple(typed(*COLUMNS[1], procedure=IRON)))
    column = column_of(run, build_ledger(run, HouseRules()), run.procedure.step("s6"))
    for band in column.predicted:
        mean, _ = column.found(band.name)
        assert mean == pytest.approx(band.volume, rel=0.06)
    assert column.passed == 150
    assert {name: tubes for name, tubes, _ in column.decided}["pool A"] == (6, 7, 8, 9, 10)


START = ("1: flask A 48.221", "3: take ferrocene 0.100 g", "3: take acetylferrocene 0.100 g")


@pytest.mark.parametrize(
    ("lines", "code", "words"),
    [
        (("6: head 6 mm",), "low-head", "Refill now"),
        (("6: head bubbles",), "bubbles", "smear"),
        (("4: column 8 mm 150 mm",), "overloaded", "64 mg at most"),
        (("6: tubes 1-60 5 mL", "7: spots 1-60"), "nothing-came", "column volumes"),
        (
            ("6: tubes 1-6 5 mL", "7: spots 3-4 ferrocene 4", "7: spots 4-5 acetylferrocene 4"),
            "eluent-too-strong",
            "ferrocene and acetylferrocene all eluted within",
        ),
        (
            ("6: tubes 1-20 5 mL heptane", "7: spots 15-16 ferrocene"),
            "off-prediction",
            "Rf, bed height or eluent differed from the record",
        ),
        (
            ("6: tubes 1-12 5 mL", "7: spots 4-5 ferrocene", "7: spots 7-8 ferrocene", "7: spots 6"),
            "odd-tube",
            "The wrong tube may have been spotted, or it is in the wrong place",
        ),
        (
            ("6: tubes 1-30 5 mL", "7: spots 5-8 ferrocene 4", "7: spots 8-12 acetylferrocene 2", "8: pool 5-8 pool A"),
            "mixed-taken",
            "% ferrocene",
        ),
        (("13: flask A ferrocene, dry dried 48.361",), "silica-in-product", "more than was loaded"),
    ],
)
def test_findings_at_the_column(lines, code, words):
    finding = codes(*START, *lines)[code]
    assert words in f"{finding.what} {finding.because} {finding.do}"


def test_what_may_still_be_on_it_is_a_cause():
    causes = {
        one.cause.code: one.cause
        for one in sheet(*START, "6: tubes 1-12 5 mL heptane", "7: spots 6-9 ferrocene 4", "8: pool 6-9 pool A").causes
    }
    assert "acetylferrocene" in causes["still-on-column"].what


def test_later_readings_of_a_tube_hold_and_colours_keep_volumes():
    run = gather(
        tuple(
            typed(
                "6: tubes 1-4 5 mL heptane",
                "6: tube 3 4.2 mL",
                "6: tube 2 yellow",
                "6: tube 4 spilt",
                "6: tube 5 skipped",
                "7: spots 2 ferrocene 4",
                "7: spots 2 ferrocene none",
                procedure=IRON,
            )
        )
    )
    column = column_of(run, build_ledger(run, HouseRules()), run.procedure.step("s6"))
    assert [tube.volume for tube in column.tubes] == [5.0, 5.0, 4.2, 5.0, 0.0]
    assert (column.tubes[1].colour, column.tubes[3].state, column.tubes[1].holds) == ("yellow", "spilt", ())
    assert column.passed == pytest.approx(19.2)


def test_the_plan_is_clean_and_says_what_a_prediction_lacks():
    assert [a.finding.code for a in check_plan(IRON, HouseRules(), TECHNIQUES) if a.finding.level != "note"] == []
    bare = IRON.model_copy(update={"components": tuple(c.model_copy(update={"rf": {}}) for c in IRON.components)})
    assert "no-prediction" in {a.finding.code for a in check_plan(bare, HouseRules(), TECHNIQUES)}


def test_predicted_tubes_go_on_until_it_is_out():
    run = gather(tuple(typed(procedure=IRON)))
    column = column_of(run, build_ledger(run, HouseRules()), run.procedure.step("s6"))
    tubes = predicted_tubes(column)
    assert sum(tubes["acetylferrocene"]) == pytest.approx(100, rel=0.01)
    assert tubes["ferrocene"].index(max(tubes["ferrocene"])) < tubes["acetylferrocene"].index(
        max(tubes["acetylferrocene"])
    )
    assert column.volume == pytest.approx(0.8 * math.pi / 4 * 15**2 * 150 / 1000)


@pytest.mark.parametrize(
    ("line", "says"),
    [
        ("6: tubes", "Enter the tubes, for example: tubes"),
        ("6: tubes 5-3 5 mL", "Enter a last tube that is not before the first"),
        ("8: pool 4-8", "Enter a name for the pool, for example: pool"),
        ("4: column 20", "Enter the width and the height, for example: column"),
        ("4: column 1 mm 150 mm", "2 to 300"),
        ("6: head", "Enter the height of the liquid above the silica"),
        ("7: spots 300 ferrocene", "192"),
    ],
)
def test_what_is_not_understood_is_said(line, says):
    entries: list[Entry] = typed(procedure=IRON)
    place_, _, text = line.partition(": ")
    with pytest.raises(Unreadable, match=says):
        understand(text, entries, f"s{place_}", TECHNIQUES)


@pytest.mark.parametrize(
    "bad",
    [
        lambda: ColumnPacked(step="s4", bore=parse("20 mm", "length"), bed=parse("5 mm", "length")),
        lambda: TubesFilled(step="s6", first=4, last=2),
        lambda: LevelSeen(step="s6"),
    ],
)
def test_entries_refuse_what_does_not_go_together(bad):
    with pytest.raises(ValueError, match="1 validation error"):
        bad()


@pytest.mark.parametrize(("rfs", "ratio"), [((0.6, 0.15), 20), ((0.5, 0.25), 50), ((0.4, 0.28), 100)])
def test_a_gravity_column_by_the_ratio_of_silica(rfs, ratio):
    plan = gravity(500, suitability(*rfs), flow=2.0)
    assert plan.silica == pytest.approx(ratio * 0.5)
    assert plan.bed / plan.bore == pytest.approx(10)
    assert plan.column_volume == pytest.approx(column_volume(plan.bore, plan.bed))
    assert plan.minutes == pytest.approx(plan.eluent / 2)
    from_stock = gravity(500, suitability(*rfs), [10, 20, 30])
    assert from_stock.bore in (10, 20, 30)
    assert from_stock.minutes is None
    assert from_stock.column_volume == pytest.approx(plan.column_volume)


@pytest.mark.parametrize(
    ("sample", "rfs", "bores", "flow"),
    [(0, (0.5, 0.2), [], 1), (100, (0.5, 0.45), [], 1), (100, (0.5, 0.2), [0], 1), (100, (0.5, 0.2), [], 0)],
)
def test_no_gravity_column_of_nothing(sample, rfs, bores, flow):
    with pytest.raises(Unreadable):
        gravity(sample, suitability(*rfs), bores, flow)


def test_refill_in_time_by_the_flow():
    run = gather(tuple(typed("6: tubes 1-2 5 mL", "6: tubes 3-4 5 mL", "6: head 30 mm", procedure=IRON)))
    column = column_of(run, build_ledger(run, HouseRules()), run.procedure.step("s6"))
    assert column.flow == pytest.approx(5.0)  # two tubes of 5 mL in the two minutes between the lines
    assert column.refill_in == pytest.approx(math.pi / 4 * 15**2 * 30 / 1000 / 5)
    low = codes("6: tubes 1-2 5 mL", "6: tubes 3-4 5 mL", "6: head 6 mm")["low-head"]
    assert "min at this flow" in low.what


def test_what_is_left_to_throw_away_by_stream():
    run = gather(
        tuple(
            typed(
                "6: tubes 1-4 5 mL heptane",
                "6: tubes 5-7 4 mL heptane : ethyl acetate 4 : 1",
                "6: tube 8 spilt 5 mL",
                procedure=IRON,
            )
        )
    )
    column = column_of(run, build_ledger(run, HouseRules()), run.procedure.step("s6"))
    assert column.eluents == {"heptane": 20.0, "heptane : ethyl acetate 4 : 1": 17.0}
    stream = run.procedure.substance("heptane").waste
    waste = waste_of(column, run.procedure)
    assert waste == {stream: 37.0, "silica": pytest.approx(column.silica)}
    unnamed = run.procedure.model_copy(
        update={"substances": tuple(s.model_copy(update={"waste": ""}) for s in run.procedure.substances)}
    )
    assert set(waste_of(column, unnamed)) == {"without a stream yet", "silica"}
    empty = gather(tuple(typed(procedure=IRON)))
    assert waste_of(column_of(empty, build_ledger(empty, HouseRules()), empty.procedure.step("s6")), IRON) == {}


@pytest.mark.parametrize(
    ("plan", "benches"), [(draft(100, suitability(0.35, 0.15)), 0), (draft(100, suitability(0.35, 0.15)), -2)]
)
def test_no_class_of_no_benches(plan, benches):
    with pytest.raises(Unreadable):
        for_class(plan, benches)
    with pytest.raises(Unreadable):
        for_class(plan, 3, spare=-0.5)


TWICE = (("heptane", 30.0), ("heptane : acetone 9 : 1", 20.0), ("heptane", 30.0))
"""Eluents of a column that is washed at the end with what it began with."""


@pytest.mark.parametrize(
    ("tubes", "programme", "running"),
    [
        # eluent and mL of each tube; what runs through in all; what runs next
        ([], TWICE, "heptane"),
        ([("heptane", 10.0)], TWICE, "heptane"),
        ([("heptane", 30.0)], TWICE, "heptane : acetone 9 : 1"),
        ([("heptane", 30.0), ("heptane : acetone 9 : 1", 8.0)], TWICE, "heptane : acetone 9 : 1"),
        ([("heptane", 30.0), ("heptane : acetone 9 : 1", 20.0), ("heptane", 4.0)], TWICE, "heptane"),
        # More of the second than planned, then the first again: the third of the plan, not the first.
        (
            [("heptane", 30.0), ("heptane : acetone 9 : 1", 26.0), ("heptane", 4.0)],
            (("heptane", 30.0), ("heptane : acetone 9 : 1", 26.0), ("heptane", 30.0)),
            "heptane",
        ),
        # One that nobody planned: nothing is known of what follows it.
        ([("heptane", 30.0), ("toluene", 5.0)], (("heptane", 30.0), ("toluene", 5.0)), "toluene"),
    ],
)
def test_an_eluent_that_comes_twice_is_told_apart_by_what_came_between(tubes, programme, running):
    substances = [
        Substance(name=name, amount=parse(f"{ml:g} mL", "volume"), role="solvent") for name, ml in dict(TWICE).items()
    ]
    step = Step(id="run", kind="elute", adds=[name for name, _ in TWICE])
    planned = Procedure(title="two eluents", substances=substances, steps=[step])
    says = [
        TubesFilled(step="run", first=n, last=n, eluent=name, volume=parse(f"{ml:g} mL", "volume"))
        for n, (name, ml) in enumerate(tubes, 1)
    ]
    run = gather(page_of(*says, procedure=planned))
    found = column_of(run, build_ledger(run, HouseRules()), step)
    assert found.programme == programme
    assert found.running == running
    assert [name for _, name in found.changes] == [name for name, _ in programme[1:]]


def test_two_bands_that_will_overlap_are_said_before_a_tube_is_filled():
    fast = next(c for c in IRON.components if c.name == "ferrocene").rf
    near = {eluent: 0.97 * rf for eluent, rf in fast.items()}
    alike = [c.model_copy(update={"rf": near}) if c.name == "acetylferrocene" else c for c in IRON.components]
    procedure = IRON.model_copy(update={"components": tuple(alike)})
    lines = (*START, "6: tubes 1-1 5 mL")
    said = {f.code: f for f in work_out(typed(*lines, procedure=procedure), None, TECHNIQUES).findings}
    assert "overlap" in said["predicted-overlap"].what
    assert "predicted-overlap" not in codes(*lines)
