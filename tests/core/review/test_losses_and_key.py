"""Where a class lost it, and numbered unknowns against their key."""

import pytest
from hypothesis import given
from hypothesis import strategies as st

from helvor.core.classroom.unknowns import read_samples
from helvor.core.engine.run.work_out import work_out
from helvor.core.review import losses, unknowns
from helvor.core.review.side_by_side import against, measures, of_plates
from helvor.core.techniques.planar import plate as planar
from helvor.core.techniques.planar.side_by_side import OnePlate, side_by_side
from helvor.core.techniques.registered import TECHNIQUES
from helvor.demo.extraction import LAYERS
from helvor.demo.runs import CHALK, POWDER, SULFATE
from helvor.shelf.procedures import shipped_procedure
from tests.core.plates import Writing, mm
from tests.core.techniques.extraction.test_runs import typed


def sheets(lines, key):
    procedure = shipped_procedure(key)
    return [(n, work_out(typed(*said, procedure=procedure), None, TECHNIQUES)) for n, said in lines.items()]


LAYER_SHEETS = sheets(LAYERS, "three-from-one")


def test_every_gram_of_the_class_has_a_place():
    """Found, explained and the rest make up what the class took; only whole accounts count."""
    found = losses.of_class(LAYER_SHEETS)
    assert [one.bench for one in found.benches] == [1, 2, 3, 5]  # 4 threw a product away, 6 is not done
    taken = 1.004 + 0.998 + 1.002 + 0.997 + 1.006 + 1.001 + 1.001 + 1.003 + 0.999 + 0.999 + 1.002 + 1.000
    assert found.began == pytest.approx(taken)
    grams = sum(g for _, g in found.found) + sum(e.grams for e in found.explained) + found.rest
    assert grams == pytest.approx(taken)
    assert dict(found.found)["cinnamic acid crystals"] == pytest.approx(0.946 + 0.928 + 0.906 + 0.576)
    assert found.part_found == pytest.approx(1 - found.missing / taken)


def test_causes_take_no_more_than_is_missing():
    for _, sheet in LAYER_SHEETS:
        one = losses.of_bench(1, sheet)
        if one is not None:
            assert sum(grams for _, _, grams in one.causes) <= max(one.missing, 0) + 1e-12


@given(st.lists(st.floats(0.001, 2), max_size=6), st.floats(0.001, 2))
def test_a_list_of_sizes_is_cut_at_the_missing(sizes, missing):
    taken = losses._within([(str(i), "", size) for i, size in enumerate(sizes)], missing)
    assert sum(grams for _, _, grams in taken) == pytest.approx(min(sum(sizes), missing))


def test_where_something_reacts_what_was_possible_stands_for_what_was_taken():
    [(_, sheet)] = sheets({1: CHALK}, "chalk-from-two-solutions")
    one = losses.of_bench(1, sheet)
    assert one.began == pytest.approx(sheet.ledger.yields[0].theoretical.value) and one.missing < 0
    assert one.causes == ()  # too much is no loss
    assert losses.of_class(sheets({3: POWDER[3]}, "a-mixed-powder")) is None


# ── the key ─────────────────────────────────────────────────────────────────────────────────────


def test_shares_are_judged_by_portion_and_by_determination():
    powder, sulfate = sheets({1: POWDER[1]}, "a-mixed-powder"), sheets({1: SULFATE[1]}, "sulfate-in-garden-salt")
    [sample] = read_samples("1: salt 34 %, beads 32.73 %, camphor 33.3 %")
    found = {one.component: one for one in unknowns.mark_shares(sample, powder[0][1])}
    assert found["salt"].error == pytest.approx(100 * 0.990 / 3.006 - 34) and found["salt"].beyond_doubt
    assert found["beads"].found == pytest.approx(100 * 0.984 / 3.006) and not found["beads"].beyond_doubt
    [sample] = read_samples("1: sulfate 24.2 %")
    [one] = unknowns.mark_shares(sample, sulfate[0][1])
    assert one.found == pytest.approx((24.117 + 24.125) / 2, abs=0.01)


def test_of_several_runs_the_one_counts_that_says_most_of_the_key():
    """A bench did another work before and after: which came last decides only between equals."""
    [(_, powder)] = sheets({1: POWDER[1]}, "a-mixed-powder")
    [(_, again)] = sheets({1: POWDER[2]}, "a-mixed-powder")
    [(_, sulfate)] = sheets({1: SULFATE[1]}, "sulfate-in-garden-salt")
    [sample] = read_samples("1: salt 34 %, beads 33 %")
    for runs, counts in (([powder, sulfate], powder), ([sulfate, powder], powder), ([powder, sulfate, again], again)):
        [row] = unknowns.judged([sample], {1: 1}, {1: runs}, {})
        assert row.shares == unknowns.mark_shares(sample, counts)
    [row] = unknowns.judged([sample], {1: 1}, {1: [sulfate]}, {})
    assert row.shares == ()


def test_the_class_reads_low_together_and_says_so():
    [sample] = read_samples("1: salt 34 %, beads 33 %")
    both = {n: [sheet] for n, sheet in sheets({1: POWDER[1], 2: POWDER[2]}, "a-mixed-powder")}
    rows = unknowns.judged([sample], {1: 1, 2: 1, 3: 9}, both, {})
    assert [row.bench for row in rows] == [1, 2]
    salt = next(a for a in unknowns.accuracy(rows) if a.component == "salt")
    assert salt.benches == 2 and salt.bias < 0 and salt.spread > 0


@pytest.mark.parametrize(
    ("spots", "right", "missed", "extra"),
    [
        ((60, 30), ("iron", "copper"), (), ()),
        ((60,), ("iron",), ("copper",), ()),
        ((60, 10), ("iron",), ("copper",), ("cobalt",)),
        ((), (), ("iron", "copper"), ()),
    ],
)
def test_a_plate_names_what_is_in_a_sample(spots, right, missed, extra):
    page = Writing(lanes=())
    lanes = {}
    for place, (label, name) in enumerate((("Fe", "iron(III)"), ("Cu", "copper"), ("Co", "cobalt")), start=1):
        lanes[label] = page.add(planar.Lane(at=mm(10 * place), label=label, substance=name, role="reference"))
    lanes["X"] = page.add(planar.Lane(at=mm(42), label="X", substance="sample 12", role="unknown"))
    page.lanes = lanes
    page.front(80)
    for label, at in (("Fe", 60), ("Cu", 30), ("Co", 10)):
        page.spot(label, at)
    for at in spots or (75,):
        page.spot("X", at)
    [sample, other] = read_samples("12: iron, copper\n2: cobalt, iron")
    named = unknowns.mark_plate(sample, [page.sheet])
    assert (named.right, named.missed, named.extra) == (right, missed, extra)
    assert unknowns.mark_plate(other, [page.sheet]) is None  # sample 12 is not sample 2


# ── plates side by side ─────────────────────────────────────────────────────────────────────────


def test_rf_of_a_class_is_a_measure_like_any_other():
    plates = []
    for bench, at in enumerate((40, 41, 40.5, 39.5, 40, 60), start=1):
        page = Writing(lanes=("P",))
        page.eluent("ethyl acetate")
        page.front(80)
        page.spot("P", at)
        plates.append(OnePlate(f"Bench {bench}", "", page.sheet, bench))
    [measure] = of_plates(side_by_side(plates))
    assert [one.bench for one in measure.numbers] == [1, 2, 3, 4, 5, 6]
    assert [one.bench for one in measure.numbers if one.apart] == [6]
    assert measure.spread.median == pytest.approx(0.503, abs=0.001) and measure.about
    now = measures(LAYER_SHEETS)
    assert against(now[0], now) is now[0] and against(measure, now) is None
