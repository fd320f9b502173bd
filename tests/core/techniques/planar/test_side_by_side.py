"""Plates beside each other: repeats, outliers, systems, and which sample made a plate."""

import statistics
from datetime import UTC, datetime
from uuid import uuid4

import pytest
from hypothesis import given
from hypothesis import strategies as st

from helvor.core.laws.planar.eluent import parse_eluent
from helvor.core.quantities.reading import parse
from helvor.core.record.entry import Entry
from helvor.core.record.house_rules import HouseRules
from helvor.core.techniques.planar import plate as planar
from helvor.core.techniques.planar.side_by_side import (
    OnePlate,
    nearest_in_lane,
    reason,
    samples_in,
    side_by_side,
    tuning_hint,
    tuning_lines,
    who_made,
)
from helvor.core.techniques.planar.work_out import work_out

FIRST, SECOND = "hexane : ethyl acetate 4 : 1", "hexane : ethyl acetate 3 : 2"


def mm(value):
    return parse(f"{value:.1f} mm", "length")


def ran(bench, lanes, eluent=FIRST, front=80.0, phase="silica"):
    """A plate: lane label → (substance, role, Rf's)."""
    payloads = [planar.SetUp(phase=phase, width=mm(60), height=mm(110), origin=mm(10))]
    payloads.append(planar.EluentUsed(eluent=parse_eluent(eluent)))
    if front:
        payloads.append(planar.Front(distance=mm(front)))
    ids = []
    for index, (label, (substance, role, rfs)) in enumerate(lanes.items(), start=1):
        key = uuid4()
        ids.append((key, planar.Lane(at=mm(10 * index), label=label, substance=substance, role=role)))
        ids += [(uuid4(), planar.Spot(lane=key, distance=mm(rf * (front or 80)))) for rf in rfs]
    entries = [
        Entry(key, seq, payload, None, "", "Ida", datetime(2026, 11, 25, tzinfo=UTC))
        for seq, (key, payload) in enumerate([(uuid4(), p) for p in payloads] + ids, start=1)
    ]
    return OnePlate(f"Bench {bench}", f"/plates/{bench}", work_out(entries, HouseRules()))


def tablet(bench, p=0.48, a=0.62, unknown=(0.62, 0.48), **how):
    return ran(
        bench,
        {
            "P": ("paracetamol", "reference", [p]),
            "A": ("aspirin", "reference", [a]),
            "T": ("tablet", "unknown", unknown),
        },
        **how,
    )


def test_repeats_of_one_eluent_are_one_system_however_it_was_written():
    found = side_by_side([tablet(1), tablet(2, eluent="20 % ethyl acetate in hexane"), tablet(3, eluent=SECOND)])
    assert [len(system.plates) for system in found.systems] == [2, 1]
    series = {s.title: s for s in found.systems[0].series}
    assert set(series) == {"paracetamol", "aspirin", "tablet, spot 1", "tablet, spot 2"}
    assert series["paracetamol"].mean == pytest.approx(0.48, abs=0.001)
    assert series["paracetamol"].spread == pytest.approx(0, abs=1e-9)
    assert found.systems[1].series[0].spread is None


@given(st.lists(st.floats(0.1, 0.9), min_size=2, max_size=12))
def test_mean_median_and_spread_are_those_of_the_values(rfs):
    found = side_by_side([tablet(bench, p=rf) for bench, rf in enumerate(rfs)])
    series = next(s for s in found.systems[0].series if s.sample == "paracetamol")
    values = [v.rf for v in series.values]
    assert sorted(values) == pytest.approx(sorted(round(rf * 80, 1) / 80 for rf in rfs), abs=1e-9)
    assert series.mean == pytest.approx(statistics.fmean(values))
    assert series.median == pytest.approx(statistics.median(values))
    assert series.spread == pytest.approx(statistics.stdev(values))


@pytest.mark.parametrize(
    ("rfs", "outlying"),
    [
        ([0.48, 0.47, 0.48, 0.49, 0.60], [4]),
        ([0.48, 0.47, 0.48, 0.49, 0.52], []),  # nearer than 0.05
        ([0.48, 0.48, 0.48, 0.48, 0.54], [4]),  # no scatter at all
        ([0.48, 0.60, 0.48], []),  # too few to say
        ([0.30, 0.40, 0.50, 0.60, 0.70], []),  # they scatter themselves
    ],
)
def test_outliers_by_the_median(rfs, outlying):
    found = side_by_side([tablet(bench, p=rf) for bench, rf in enumerate(rfs)])
    series = next(s for s in found.systems[0].series if s.sample == "paracetamol")
    assert [v.plate for v in series.outliers] == [f"Bench {bench}" for bench in outlying]
    assert [f.about for f in found.findings if f.code == "plate-outlier"] == [f"Bench {bench}" for bench in outlying]


def test_a_lane_that_misses_a_spot_is_paired_by_nearness():
    found = side_by_side([tablet(1), tablet(2, unknown=(0.47,)), tablet(3, unknown=(0.63, 0.49, 0.12))])
    groups = [[round(v.rf, 2) for v in s.values] for s in found.systems[0].series if s.sample == "tablet"]
    assert [sorted(group) for group in groups] == [[0.62, 0.63], [0.47, 0.48, 0.49], [0.12]]


def test_plates_without_an_rf_are_left_out_and_say_why():
    bare = ran(4, {"P": ("paracetamol", "reference", [])})
    over = ran(5, {"P": ("paracetamol", "reference", [0.4])}, front=None)
    found = side_by_side([tablet(1), bare, over])
    assert [(name, why.split()[0]) for name, _, why in found.left_out] == [("Bench 4", "no"), ("Bench 5", "front")]


def test_the_same_in_two_systems_says_more_and_parted_in_one_says_no():
    same = side_by_side([tablet(1), tablet(2, eluent=SECOND, p=0.7, a=0.8, unknown=(0.8, 0.7))])
    assert {a.reference: len(a.agrees) for a in same.across} == {"paracetamol": 2, "aspirin": 2}
    assert "the same in 2 eluents: strong evidence, not proof" in same.across[0].says
    parted = side_by_side([tablet(1), tablet(2, eluent=SECOND, p=0.7, a=0.8, unknown=(0.8,))])
    by = {a.reference: a for a in parted.across}
    assert "separated in one system" in by["paracetamol"].says
    assert by["paracetamol"].plates == (1, 2)
    one = side_by_side([tablet(1)])
    assert "the same in one eluent: run a second one" in one.across[0].says


def test_the_same_finding_on_many_plates_asks_about_the_handout():
    high = [tablet(bench, p=0.86, a=0.93, unknown=(0.93, 0.86)) for bench in range(4)]
    codes = [f.code for f in side_by_side(high).findings]
    assert any(code.startswith("many-") for code in codes)
    assert not any(f.code.startswith("many-") for f in side_by_side(high[:2]).findings)


def test_which_sample_made_a_plate_that_was_handed_out():
    game = {
        "K": ("code kelp", "unknown", [0.7, 0.3]),
        "D": ("code dulse", "unknown", [0.7, 0.5, 0.2]),
        "L": ("code laver", "unknown", [0.3]),
    }
    plates = [ran(bench, game) for bench in range(1, 4)]
    handed = ran(9, {"Q": ("handed out", "unknown", [0.71, 0.31])})
    found = side_by_side([*plates, handed])
    ranked = who_made(handed, "Q", samples_in(found.systems[0], but="handed out"))
    assert [r.name for r in ranked] == ["code kelp", "code laver", "code dulse"]
    assert ranked[0].score > 0.8
    assert "from code kelp, spot" in reason(ranked[0])
    assert "only on the plate" in reason(ranked[1])
    assert "missing on the plate" in reason(ranked[2])
    assert reason(who_made(handed, "Q", {"empty": []})[0]).startswith("Q1")


def test_tuning_takes_plates_of_the_same_solvents():
    found = side_by_side([tablet(1), tablet(2, eluent=SECOND, p=0.7, a=0.8, unknown=(0.8, 0.7))])
    # The per cents are those of ethyl acetate, in which they rise, though hexane is written first.
    assert tuning_lines(found.systems).splitlines() == [
        "20 % paracetamol 0.480, aspirin 0.620",
        "40 % paracetamol 0.700, aspirin 0.800",
    ]
    assert tuning_lines(side_by_side([tablet(1)]).systems) == ""


@pytest.mark.parametrize(
    "eluent", [FIRST, "ethyl acetate : hexane 1 : 4", "hexane : ethyl acetate : acetic acid 79 : 20 : 1"]
)
def test_one_plate_hints_with_its_stronger_part(eluent):
    text, strong = tuning_hint(tablet(1, eluent=eluent).sheet, {"hexane": 2, "ethyl acetate": 10, "acetic acid": 18})
    assert (text, strong) == ("20 % paracetamol 0.48, aspirin 0.62", "ethyl acetate")


@pytest.mark.parametrize("how", [{"phase": "paper"}, {"phase": "C18"}])
def test_elsewhere_than_on_silica_one_plate_gives_no_hint(how):
    plate = ran(1, {"P": ("paracetamol", "reference", [0.4])}, **how)
    assert tuning_hint(plate.sheet, {"hexane": 2, "ethyl acetate": 10}) == ("", "")


def test_the_neighbour_is_the_nearest_of_its_lane():
    sheet = ran(1, {"T": ("tablet", "unknown", [0.7, 0.5, 0.2]), "P": ("paracetamol", "reference", [0.49])}).sheet
    by = {spot.name: spot for spot in sheet.spots}
    assert nearest_in_lane(sheet, by["T2"]).name == "T1"
    assert nearest_in_lane(sheet, by["P1"]) is None
