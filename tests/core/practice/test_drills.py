"""Drills: keys by a second computation, the usual wrong answers named, and what comes next."""

import itertools
import math
from datetime import UTC, datetime, timedelta
from random import Random

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from molmass import Formula

from helvor.core.practice.boxes import DAYS, Answer, Standing, next_topic, standings
from helvor.core.practice.drills import LEVELS, NOT_YET, ORGANIC, PLACES, TOPICS, drill
from helvor.core.practice.virtual_plate import COMPOUNDS, ORIGIN
from helvor.core.quantities.reading import Unreadable
from helvor.shelf.liquids import liquid_named
from helvor.shelf.shelf import shipped

pytestmark = pytest.mark.slow

SEEDS = st.integers(0, 2**31 - 1)
LEVEL = st.sampled_from(LEVELS)


@given(st.sampled_from(list(TOPICS)), LEVEL, SEEDS)
def test_a_seed_gives_the_same_case(topic, level, seed):
    assert drill(topic, level, seed) == drill(topic, level, seed)


@pytest.mark.parametrize(("topic", "level"), [("smell", 1), ("read", 0), ("read", 4)])
def test_what_is_no_drill(topic, level):
    with pytest.raises(Unreadable, match="no such drill"):
        drill(topic, level, 1)


# ── read a plate ────────────────────────────────────────────────────────────────────────────────


@given(LEVEL, SEEDS)
def test_the_rf_of_a_plate_is_that_of_its_composition(level, seed):
    case = drill("read", level, seed)
    rf = (case.spot - ORIGIN) / (case.front - ORIGIN)
    assert rf == pytest.approx(COMPOUNDS[case.compound].rf(case.plate.setting.strong / 100), abs=0.05)
    verdict = case.marked(case.front, case.spot, round(rf, 2))
    assert verdict.right and f"= {rf:.2f}" in verdict.working[0]


@pytest.mark.parametrize(
    ("answer", "why"),
    [
        (lambda f, s: (f + 4, s, 0.5), "mm above the line where the wet area ends"),
        (lambda f, s: (f, s - 3, 0.5), "3.0 mm under the densest place"),
        (lambda f, s: (f, s, s / f), "not from the edge"),
        (lambda f, s: (f, s, (s - 10) / f), "s distance from the origin line too, not from the edge of the plate"),
        (lambda f, s: (f, s, (f - 10) / (s - 10)), "It is inverted: divide the spot"),
        (
            lambda f, s: (f, s, 1 - (s - 10) / (f - 10)),
            "That is the distance from the spot to the front: measure from the",
        ),
        (lambda f, s: (f, s, 7.7), "s distance divided by the front"),
    ],
)
@pytest.mark.parametrize("seed", range(4))
def test_the_usual_wrong_readings_are_named(answer, why, seed):
    case = drill("read", 1, seed)
    verdict = case.marked(*answer(case.front, case.spot))
    assert not verdict.right and why in verdict.why


@pytest.mark.parametrize(
    ("front", "spot", "says"),
    [
        (101, 30, "Enter a mark for the front between"),
        (70, -1, "Enter a mark for the spot between"),
        (ORIGIN, 30, "above the origin"),
    ],
)
def test_marks_lie_on_the_plate(front, spot, says):
    with pytest.raises(Unreadable, match=says):
        drill("read", 1, 1).marked(front, spot, 0.5)


# ── which layer ─────────────────────────────────────────────────────────────────────────────────


@given(LEVEL, SEEDS)
def test_the_heavier_layer_is_below(level, seed):
    """Masses over volumes by hand."""
    case = drill("layer", level, seed)
    sums = {"organic": [0.0, 0.0], "aqueous": [0.0, 0.0]}
    for liquid, volume in case.poured:
        sums[liquid.makes][0] += liquid.density * volume
        sums[liquid.makes][1] += volume
    heavy = max(sums, key=lambda makes: sums[makes][0] / sums[makes][1])
    assert case.key == ("lower" if case.wanted == heavy else "upper")
    assert [case.marked(place).right for place in PLACES] == [case.key == place for place in PLACES]
    with pytest.raises(Unreadable):
        case.marked("middle")


@pytest.mark.parametrize(("name", "density"), ORGANIC)
def test_the_densities_are_those_of_the_shelf(name, density):
    assert density == pytest.approx(liquid_named(name, shipped()).density, abs=0.01)


# ── dry enough ──────────────────────────────────────────────────────────────────────────────────


@given(LEVEL, SEEDS)
def test_the_first_two_that_agree(level, seed):
    case = drill("dry", level, seed)
    expected = NOT_YET
    for n in range(1, len(case.nets)):
        apart = abs(case.nets[n] - case.nets[n - 1])
        if case.rule == "readability":
            agrees = apart <= 2 * case.step + 1e-9
        else:
            agrees = apart <= 0.0005 * case.nets[0] + 1e-9 and case.minutes[n] - case.minutes[n - 1] >= 60
        limit = 2 * case.step if case.rule == "readability" else 0.0005 * case.nets[0]
        last = case.nets[max(0, n - 2) : n + 1]
        falls = len(last) == 3 and last[0] > last[1] > last[2] and last[0] - last[2] > limit + 1e-9
        if falls and last[0] - last[1] > last[1] - last[2]:  # what a geometric series of losses still brings
            ratio = (last[1] - last[2]) / (last[0] - last[1])
            falls = (last[1] - last[2]) * ratio / (1 - ratio) > limit + 1e-9
        if agrees and not falls:
            expected = str(n + 1)
            break
    assert case.key == expected
    choices = [*(str(n) for n in range(1, len(case.nets) + 1)), NOT_YET]
    assert [one for one in choices if case.marked(one).right] == [expected]
    with pytest.raises(Unreadable):
        case.marked("9")


# ── limiting reagent ────────────────────────────────────────────────────────────────────────────


@given(LEVEL, SEEDS)
def test_what_is_used_up_first(level, seed):
    """Molar masses by another package."""
    case = drill("limiting", level, seed)
    left = {}
    for part in case.parts:
        if part.grams is not None:
            mol = part.grams / Formula(part.formula.replace("·5H2O", "(H2O)5").replace("·7H2O", "(H2O)7")).mass
        else:
            mol = part.ml * part.molar / 1000
        left[part.name] = mol / part.count
    assert case.key == min(left, key=left.get)
    assert max(left.values()) / min(left.values()) > 1.05
    for part in case.parts:
        assert case.marked(part.name).right == (part.name == case.key)
    with pytest.raises(Unreadable):
        case.marked("water")


def test_who_forgets_the_equation_is_told():
    told = [
        case.marked(fewest.name)
        for case in (drill("limiting", 3, seed) for seed in range(200))
        for fewest in [min(case.parts, key=lambda part: part.mmol)]
        if fewest.name != case.key
    ]
    assert len(told) > 10
    assert all("divide" in verdict.why and not verdict.right for verdict in told)


# ── boxes ───────────────────────────────────────────────────────────────────────────────────────

NOON = datetime(2026, 11, 25, 12, 0, tzinfo=UTC)


def said(*answers):
    """(hours after noon, right) as answers to one topic."""
    return [Answer("dry", right, NOON + timedelta(hours=hours)) for hours, right in answers]


@pytest.mark.parametrize(
    ("answers", "box", "level", "due_in"),
    [
        ([], 1, 1, None),
        ([(0, True)], 2, 2, 0),
        ([(0, True), (1, True)], 3, 3, 25),
        ([(0, False)], 1, 1, 0),
        ([(0, True), (1, True), (2, True)], 3, 3, 25),
        ([(0, True), (1, True), (26, True)], 4, 3, 26 + 72),
        ([(0, True), (1, True), (2, False)], 1, 1, 2),
        ([(0, True), (1, True), (26, True), (98, True), (300, True)], 5, 3, 300 + 168),
    ],
)
def test_boxes(answers, box, level, due_in):
    (one,) = standings(["dry"], said(*answers))
    assert (one.box, one.level) == (box, level)
    assert one.due == (None if due_in is None else NOON + timedelta(hours=due_in))
    assert (one.tried, one.right) == (len(answers), sum(right for _, right in answers))


@given(st.lists(st.tuples(st.integers(0, 500), st.booleans()), unique_by=lambda pair: pair[0]), st.integers(0, 99))
def test_the_order_of_answers_does_not_matter(answers, seed):
    mixed = said(*answers)
    Random(seed).shuffle(mixed)
    (one,) = standings(["dry"], said(*answers))
    assert standings(["dry"], mixed) == [one]
    assert 1 <= one.box <= len(DAYS)


def test_what_comes_next():
    late, soon = NOON + timedelta(days=3), NOON + timedelta(days=1)
    learnt, new, weak = Standing("a", 4, due=late), Standing("b"), Standing("c", 2, tried=3, due=NOON)
    assert next_topic([learnt, weak, new], NOON) is new
    assert next_topic([learnt, weak], NOON) is weak
    assert next_topic([learnt, Standing("d", 3, due=soon)], NOON).topic == "d"
    with pytest.raises(ValueError, match="no topic"):
        next_topic([], NOON)


# ── stronger or weaker ──────────────────────────────────────────────────────────────────────────


@given(LEVEL, SEEDS)
def test_the_change_of_eluent_is_that_of_its_law(level, seed):
    """R_M = a − m·log10 φ, worked out anew and not by the plate."""
    case = drill("eluent", level, seed)
    made = COMPOUNDS[case.compound]

    def rf(per_cent):
        return 1 / (1 + 10 ** (made.a - made.m * math.log10(per_cent / 100)))

    verdict = case.marked(case.key)
    assert verdict.right and f"= {case.rf:.2f}" in verdict.working[0]
    if case.offered:
        assert [one for one in case.offered if 0.20 <= rf(one) <= 0.35] == [int(case.key)]
    elif case.key == "acid":
        assert made.acid and not case.plate.setting.acid
    else:
        now = rf(case.plate.setting.strong)
        assert {"stronger": now < 0.22, "weaker": now > 0.33, "stay": 0.18 < now < 0.37}[case.key]
    for other, _ in case.choices:
        assert case.marked(other).right == (other == case.key)


# ── pool these tubes ────────────────────────────────────────────────────────────────────────────


@given(LEVEL, SEEDS)
def test_a_pool_is_every_tube_with_the_one_spot(level, seed):
    case = drill("pool", level, seed)
    alone = {
        n
        for n, spots in enumerate(case.seen, 1)
        if spots[case.wanted] and not any(one for name, one in spots.items() if name != case.wanted)
    }
    assert set(case.key) == alone
    key = " ".join(map(str, case.key))
    assert case.marked(key).right
    mixed = [n for n, spots in enumerate(case.seen, 1) if n not in alone and any(spots.values())]
    if mixed:
        told = case.marked(f"{key} {mixed[0]}")
        assert not told.right and f"Tube {mixed[0]} shows" in told.why
    blank = next(n for n, spots in enumerate(case.seen, 1) if not any(spots.values()))
    assert "shows nothing" in case.marked(f"{key} {blank}").why
    assert "would be lost" in case.marked(" ".join(map(str, case.key[1:]))).why


# ── which order ─────────────────────────────────────────────────────────────────────────────────


@given(LEVEL, SEEDS)
def test_an_order_is_right_when_each_comes_after_what_it_needs(level, seed):
    case = drill("order", level, seed)
    assert case.marked(" ".join(map(str, case.key))).right
    assert not case.marked(" ".join(map(str, reversed(case.key)))).right
    shown_as_they_are = " ".join(str(n) for n in range(1, len(case.shown) + 1))
    assert not case.marked(shown_as_they_are).right
    # all orders, by brute force: right exactly where the numbers of the work rise, for each case is one chain
    for order in itertools.permutations(range(1, len(case.shown) + 1)):
        rises = [case.rank[place - 1] for place in order] == sorted(case.rank)
        assert (case.too_early(order) is None) == rises


@pytest.mark.parametrize("picked", ["", "1 1 2", "1 2", "1 2 9", "a b c"])
def test_what_is_no_order(picked):
    with pytest.raises(Unreadable, match="Give each step one place"):
        drill("order", 1, 3).marked(picked)


# ── what to weigh first ─────────────────────────────────────────────────────────────────────────


@given(LEVEL, SEEDS)
def test_a_thing_is_weighed_before_anything_is_in_it(level, seed):
    case = drill("weigh", level, seed)
    holds = [case.thing in there for _, there in case.steps]
    assert holds.index(True) == int(case.key) - 1 and holds[-1]
    for number, _ in case.choices:
        told = case.marked(number)
        assert told.right == (number == case.key)
        if not told.right:
            assert ("Too late" in told.why) == (int(number) > int(case.key))


# ── what went wrong ─────────────────────────────────────────────────────────────────────────────


def fits(case, mistake):
    """What the numbers of a case say of a mistake, by eye: which are far from what went in, and which way."""
    part = {
        name.split()[0]: (float(percent) if weighed != "none" else 0.0) for name, _, weighed, percent, _ in case.rows
    }
    short, over = (
        {name for name, one in part.items() if (one < 97.5 if low else one > 102.5)} for low in (True, False)
    )
    return {
        ("sublime", "short"): short == {"camphor"} and over == {"beads"},
        ("evaporate", "open"): short == {"salt"} and not over,
        ("rinse", "none"): short == {"salt"} and over == {"beads"},
        ("weigh-salt", "once"): not short and over == {"salt"},
        ("acidify", "yellow"): part.get("cinnamic", 0) < 90 and 95 < part.get("biphenyl", 0) < 102,
        ("keep", "extracts"): part.get("benzocaine") == 0,
        ("bath", "hot"): part.get("biphenyl", 0) < 85,
        ("base", "little"): part.get("cinnamic", 0) < 85 and part.get("biphenyl", 0) > 110,
        ("acid", "weak"): 0 < part.get("benzocaine", 0) < 75 and part.get("biphenyl", 0) > 110,
        ("mix", "closed"): max(part.values()) < 95 and min(part.values()) > 75,
    }[mistake]


@settings(deadline=None)
@given(LEVEL, SEEDS)
def test_one_mistake_alone_fits_the_numbers(level, seed):
    case = drill("wrong", level, seed)
    assert [one for one in case.offered if fits(case, one)] == [case.mistake]
    for picked, _ in case.choices:
        told = case.marked(picked)
        assert told.right == (picked == case.key)
        assert told.right or "That would look different" in told.why
