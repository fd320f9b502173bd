"""What a meeting needs, and whether the class fits its period."""

import itertools
import math
from dataclasses import replace

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from helvor.core.classroom.prep.make import prep_sheet, rounded_up
from helvor.core.classroom.prep.period import (
    HELD_WAITING,
    USUAL_COUNTS,
    Setting,
    changes,
    meeting_of,
    shared_kit,
    simulate,
)
from helvor.core.engine.plan.timeline import timeline
from helvor.core.quantities.reading import Unreadable, parse_amount
from helvor.core.record.procedure import Procedure, Step, Substance
from helvor.shelf.procedures import shipped_procedure
from tests.notebook.people import POWDER

SALT = Procedure(
    title="Salt",
    substances=(
        Substance(name="salt", amount=parse_amount("2.00 g"), exact=True, hazards="none", waste="reuse"),
        Substance(
            name="barium chloride",
            amount=parse_amount("12.0 mL"),
            molar=0.25,
            formula="BaCl2·2H2O",
            waste="heavy metal",
        ),
        Substance(name="ethanol", amount=parse_amount("40 mL"), waste="solvents"),
        Substance(name="later acid", amount=parse_amount("5 mL"), waste="aqueous"),
    ),
    steps=(
        Step(id="s1", kind="weigh", adds=("salt",), kit=("balance", "filter paper 110 mm"), gives=("a",)),
        Step(id="s2", kind="add", on="a", adds=("Barium chloride", "ethanol"), kit=("beaker", "beaker")),
        Step(id="s3", kind="dry", on="a", kit=("oven",), waits=30),
        Step(id="s4", kind="add", on="a", adds=("later acid",), meeting=2),
        Step(id="s0", kind="dissolve", says="Make {ethanol} ready", doer="stockroom"),
    ),
)


def test_amounts_for_a_class_are_rounded_up_with_spare():
    sheet = prep_sheet(SALT, 1, 12, spare=0.12)
    made = {m.name: m for m in sheet.makes}
    assert set(made) == {"salt", "barium chloride", "ethanol"}
    assert (made["salt"].benches, made["salt"].total, made["salt"].exact) == (24.0, 27.0, True)
    assert made["ethanol"].total == 540
    # 12 × 12 mL × 1.12 = 161.3 → 170 mL of 0.25 M, M 244.26 g/mol
    assert made["barium chloride"].total == 170
    assert made["barium chloride"].how.startswith("10.38 g BaCl2·2H2O to 170 mL")
    assert [m.name for m in prep_sheet(SALT, 2, 12).makes] == ["later acid"]


@pytest.mark.parametrize(
    ("formula", "molar", "says"),
    [
        ("HCl", 2.0, "2 M, diluted from the stock bottle; acid into water, in the hood"),
        ("NH3", 6.0, "6 M, diluted from the stock bottle; in the hood"),
        ("NaOH", 1.0, "0.9199 g NaOH to 23.0 mL; record both as measured"),
    ],
)
def test_acids_and_ammonia_are_diluted_and_solids_weighed(formula, molar, says):
    dilute = Substance(name="reagent", amount=parse_amount("2 mL"), molar=molar, formula=formula)
    [made] = prep_sheet(Procedure(title="Salt", substances=(dilute,)), 1, 10).makes
    assert made.how == says


def test_kit_counts_what_is_shared_used_up_and_short():
    sheet = prep_sheet(SALT, 1, 12, spare=0.12, stock={"balance": 3, "Beaker": 30, "filter paper 110 mm": 13})
    kit = {k.name: k for k in sheet.kit}
    assert (kit["balance"].total, kit["balance"].shared) == (3, 3)
    assert (kit["beaker"].total, kit["beaker"].short) == (24, 0)
    assert (kit["filter paper 110 mm"].total, kit["filter paper 110 mm"].short) == (14, 1)
    assert kit["oven"].short is None


def test_waste_by_stream_and_steps_of_others():
    sheet = prep_sheet(SALT, 1, 48)
    assert {w.stream: (w.volume, w.bottles) for w in sheet.waste} == {
        "heavy metal": (576.0, 1),
        "solvents": (1920.0, 3),
    }
    assert [(t.number, t.doer, t.says) for t in sheet.todo] == [(5, "stockroom", "Make 40 mL ethanol ready")]
    assert len(set(sheet.keys)) == len(sheet.keys)


@pytest.mark.parametrize(
    ("name", "meeting", "ml"),
    [
        # 45 mL acid + 22.5 mL base, 45 + 10 + 7.6 mL, and 15 mL of brine; the evaporator collects the 60 mL of ether.
        ("three-from-one", 2, {"aqueous": 145.1, "solids": 0.0, "solvents": 0.0}),
        ("three-from-one", 1, {"solvents": 60.0}),
        # Twice 100 mL water, 1 mL acid, 12 mL barium chloride, and 25 mL of washes that run into the filtrate.
        ("sulfate-in-garden-salt", 2, {"heavy metal": 276.0}),
        ("sulfate-in-garden-salt", 1, {}),
        # Packing, loading, both eluents: what is pooled is collected, the tubes between are poured away.
        ("colours-of-iron", 1, {"solvents": 220.5, "silica": 0.0}),
        ("acetanilide-made-clean", 1, {"aqueous": 49.0, "solids": 0.0}),
    ],
)
def test_waste_is_what_really_goes_there(name, meeting, ml):
    """By hand, mL a bench, from the amounts of the procedure."""
    waste = {w.stream: w.volume / 12 for w in prep_sheet(shipped_procedure(name), meeting, 12).waste}
    assert waste == pytest.approx(ml)


def test_prep_names_hazards_that_nobody_typed():
    sheet = prep_sheet(shipped_procedure("inside-the-tablet"), 1, 12)
    hazards = {m.name: m.hazards for m in sheet.makes}
    assert hazards["ethanol"] == "highly flammable; irritates eyes"
    assert hazards["tablet"] == "nothing listed; see the safety data sheet"
    [iodine] = prep_sheet(
        Procedure(title="I", substances=(Substance(name="iodine", amount=parse_amount("1 g")),)), 1, 2
    ).makes
    assert iodine.waste == "aqueous" and "thiosulfate" in iodine.first


@given(st.floats(1e-3, 1e5))
def test_rounded_up_is_never_less_and_hardly_more(amount):
    up = rounded_up(amount)
    assert amount * (1 - 1e-9) <= up <= amount * 1.101
    assert float(f"{up:.2g}") == pytest.approx(up, rel=0.01)


@pytest.mark.parametrize(("benches", "spare"), [(0, 0.1), (97, 0.1), (12, -0.1), (12, 3)])
def test_no_class_is_refused(benches, spare):
    with pytest.raises(Unreadable):
        prep_sheet(SALT, 1, benches, spare=spare)


def overlapping(lanes, name):
    """The most that hold a kind of kit at once."""
    moments = []
    for lane in lanes:
        for b in lane:
            if name in b.kit:
                end = b.ends if name in HELD_WAITING else b.hands_until
                moments += [(b.starts, 1), (end, -1)]
    now = most = 0
    for _, change in sorted(moments):
        now += change
        most = max(most, now)
    return most


KIT = {"balance": 3, "oven": 4, "hotplate": 6, "hood": 4}


def test_one_bench_alone_takes_what_its_timeline_says():
    fit = simulate(POWDER, 1, Setting(1, 165, KIT, talk=0, clean_up=0), runs=1)
    assert fit.alone == timeline(POWDER)[0].ends
    assert max(b.ends for b in fit.lanes[0]) == timeline(POWDER)[0].ends
    assert all(queue.minutes == 0 for queue in fit.queues)
    assert fit.bottleneck is None
    assert changes(POWDER, 1, fit) == []


@settings(max_examples=20, deadline=None)
@given(st.integers(1, 14), st.integers(1, 5), st.integers(1, 5))
def test_no_more_kit_is_held_than_there_is_and_every_step_is_done_in_order(benches, balances, shelves):
    kit = {"balance": balances, "oven": shelves, "hood": 2}
    fit = simulate(POWDER, 1, Setting(benches, 165, kit), runs=1)
    assert len(fit.lanes) == benches
    for name, count in kit.items():
        assert overlapping(fit.lanes, name) <= count
    for lane in fit.lanes:
        assert sorted(b.step for b in lane) == list(range(len(POWDER.steps)))
        for before, after in itertools.pairwise(lane):
            assert after.queued >= before.hands_until - 1e-9, "one pair of hands"
        assert all(b.queued <= b.starts <= b.hands_until <= b.ends for b in lane)


def test_the_same_seed_gives_the_same_answer_and_another_a_like_one():
    setting = Setting(8, 165, KIT)
    one, same, other = (simulate(POWDER, 1, setting, runs=30, seed=seed) for seed in (1, 1, 2))
    assert one == same
    assert other.median != one.median
    assert other.median == pytest.approx(one.median, rel=0.05)
    assert one.median <= one.late


def test_scarce_kit_is_the_bottleneck_and_one_more_helps():
    step = Step(id="s1", kind="dry", gives=("a",), kit=("oven",), hands=1, waits=20)
    dry = Procedure(title="Dry", steps=(step,))
    setting = Setting(12, 165, {"oven": 4}, talk=0, clean_up=0)
    fit = simulate(dry, 1, setting, runs=5)
    # Three batches of four, each twenty-one minutes.
    assert max(b.ends for lane in fit.lanes for b in lane) == 63
    assert fit.bottleneck.kit == "oven"
    assert fit.queues[0].minutes == pytest.approx(4 * 21 + 4 * 42, rel=0.1)
    assert fit.queues[0].busy > 0.9
    assert changes(dry, 1, fit)[0].words == "one more oven"
    plenty = simulate(dry, 1, replace(setting, kit={"oven": 12}), runs=5)
    assert plenty.median < fit.median / 2
    assert math.isclose(plenty.fits, 1)


def test_kit_that_nothing_stays_in_is_free_while_a_portion_waits():
    step = Step(id="s1", kind="weigh", gives=("a",), kit=("balance",), hands=2, waits=60)
    fit = simulate(
        Procedure(title="Weigh", steps=(step,)), 1, Setting(5, 165, {"balance": 1}, talk=0, clean_up=0), runs=1
    )
    assert max(b.hands_until for lane in fit.lanes for b in lane) == 10


def test_progress_is_told_and_an_empty_meeting_takes_no_time():
    told = []
    simulate(POWDER, 1, Setting(2, 165, KIT), runs=20, on=told.append)
    assert told == [0.5, 1.0]
    assert simulate(POWDER, 9, Setting(2, 165, KIT), runs=2).median == 20


def test_shared_kit_has_the_classes_counts_before_the_usual_ones():
    kit = shared_kit(POWDER, {"Oven": 7, "spoon": 3})
    assert kit["oven"] == 7
    assert kit["balance"] == USUAL_COUNTS["balance"]
    assert "spoon" not in kit and "rod" not in kit


@pytest.mark.parametrize(
    ("topics", "number", "own"),
    [
        ({1: "Tablet", 2: "Salt", 3: "Salt"}, 2, 1),
        ({1: "Tablet", 2: "Salt", 3: "Salt"}, 3, 2),
        ({2: "salt"}, 5, 2),
        ({2: "Salt"}, 1, 1),
        ({}, 4, 1),
    ],
)
def test_a_class_meeting_is_one_of_the_procedures_own(topics, number, own):
    assert meeting_of(SALT, topics, number) == own
