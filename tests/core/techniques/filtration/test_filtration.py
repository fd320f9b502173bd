"""Papers, washes, the choice of a filter, and a filtration on record."""

import math

import pytest
from hypothesis import given
from hypothesis import strategies as st

from helvor.core.engine.plan.check_plan import check_plan
from helvor.core.engine.run.reading_line import understand
from helvor.core.laws.filtration.choose import Task, choose
from helvor.core.laws.filtration.oven import limits
from helvor.core.laws.filtration.paper import (
    PAPERS,
    cone_of,
    disc_for_plate,
    fill_line,
    fold_guide,
    funnel_for_paper,
    outlines,
    paper_for_funnel,
)
from helvor.core.laws.filtration.wash import best_split, left_after, rinses_for, wash_loss
from helvor.core.quantities.reading import Unreadable
from helvor.core.record.house_rules import HouseRules
from helvor.core.record.procedure import Procedure, procedure_from
from helvor.core.techniques.filtration.findings import flask_of
from helvor.core.techniques.filtration.technique import CHECKS
from helvor.core.techniques.registered import TECHNIQUES
from tests.core.runs import codes, page_of, sheet_of


@given(st.floats(30, 240))
def test_a_folded_disc_keeps_its_area_and_makes_a_sixty_degree_cone(diameter):
    """A quarter fold leaves half the disc as the cone's mantle: π·r·s = half of π·s²."""
    cone = cone_of(diameter)
    assert math.pi * cone.radius * cone.slant == pytest.approx(math.pi * cone.slant**2 / 2)
    assert 2 * math.degrees(math.atan(cone.radius / cone.height)) == pytest.approx(60)


@given(st.floats(30, 240))
def test_the_line_lies_inside_the_paper(diameter):
    half, rim, cone = fill_line(diameter, "half"), fill_line(diameter, "rim"), cone_of(diameter)
    assert 0 < half.volume <= rim.volume <= cone.holds
    assert half.volume == pytest.approx(cone.holds / 8)


@pytest.mark.parametrize("paper", PAPERS)
def test_paper_and_funnel_fit_each_other(paper):
    funnel = funnel_for_paper(paper)
    assert funnel - paper / 2 >= 5
    assert paper_for_funnel(funnel) >= paper


@pytest.mark.parametrize(
    "ask",
    [
        lambda: cone_of(10),
        lambda: cone_of(900),
        lambda: paper_for_funnel(20),
        lambda: funnel_for_paper(400),
        lambda: disc_for_plate(5),
        lambda: fold_guide("swan"),
        lambda: fold_guide("fluted", 7),
        lambda: left_after(2, 0, 1),
        lambda: left_after(-1, 1, 1),
        lambda: rinses_for(0, 1, 1),
        lambda: rinses_for(0.01, 1, 40),
        lambda: wash_loss(-1, 1),
        lambda: choose(Task("solid", -1, 10)),
        lambda: choose(Task("solid", 1, 0)),
        lambda: choose(Task("liquid", 900, 100, "gel")),
        lambda: choose(Task("solid", 9, 50, weighed=True, crucibles=True)),
    ],
)
def test_what_cannot_be_is_refused(ask):
    with pytest.raises(Unreadable):
        ask()


def test_outlines_and_folds_are_complete():
    assert [o.diameter for o in outlines([55], [90])] == [90, 49]
    for fold in ("quarter", "torn", "twisted", "fluted"):
        guide = fold_guide(fold)
        assert len(guide) >= 3
        assert all(step.says and step.outline.startswith("M") for step in guide)
    assert len(fold_guide("fluted", 8)[1].dashes) < len(fold_guide("fluted", 32)[1].dashes)


@given(st.integers(0, 12), st.floats(0.5, 50), st.floats(0.05, 10))
def test_the_wash_formula_against_washing_it_step_by_step(n, volume, behind):
    dissolved, held = 1.0, behind
    for _ in range(n):
        concentration = dissolved / (held + volume)  # mixed through, then drained down to what stays
        dissolved = concentration * behind
        held = behind
    assert left_after(n, volume, behind) == pytest.approx(dissolved, rel=1e-9)


@given(st.floats(0.001, 0.9), st.floats(1, 50), st.floats(0.1, 10))
def test_as_many_rinses_as_it_takes_and_no_more(part, volume, behind):
    try:
        n = rinses_for(part, volume, behind)
    except Unreadable:
        return
    assert left_after(n, volume, behind) <= part * (1 + 1e-6)
    assert n == 1 or left_after(n - 1, volume, behind) > part * (1 - 1e-6)


def test_many_small_rinses_clean_better():
    left = [part for _, part in best_split(30, 3)]
    assert left == sorted(left, reverse=True)
    assert wash_loss(60, 1.0, there=0.01) == 0.01


@pytest.mark.parametrize(
    ("task", "method", "words"),
    [
        (Task("solid", 2, 60), "vacuum", "Büchner"),
        (Task("solid", 0.05, 10), "vacuum", "Hirsch"),
        (Task("liquid", 2, 60), "gravity", "glass funnel"),
        (Task("liquid", 2, 60, "coarse", settles=True), "decant", "glass funnel"),
        (Task("liquid", 1, 60, hot=True), "hot-gravity", "stemless"),
        (Task("solid", 1, 60, hot=True), "hot-gravity", "stemless"),
        (Task("liquid", 3, 60, aid=True), "gravity", "glass funnel"),
        (Task("solid", 2, 400, "coarse", settles=True), "decant", "Büchner"),
        (Task("solid", 0.3, 100, "fine", weighed=True), "gravity", "glass funnel"),
        (Task("solid", 0.3, 100, "fine", weighed=True, crucibles=True), "crucible", "crucible"),
        (Task("solid", 1, 80, "gel"), "gravity", "glass funnel"),
        # a coarse solid in little liquid, every grain weighed; decanting first; by the funnel that is there
        (Task("solid", 1.2, 40, "coarse", weighed=True), "gravity", "glass funnel"),
        (Task("solid", 1.2, 40, weighed=True), "gravity", "glass funnel"),
        (Task("solid", 1.2, 200, weighed=True), "vacuum", "Büchner"),
        (Task("solid", 1.2, 40, "coarse", weighed=True, settles=True), "decant", "glass funnel"),
        (Task("solid", 2, 30, "coarse", settles=True), "decant", "Büchner"),
        (Task("solid", 2, 60, here="cone"), "gravity", "glass funnel"),
        (Task("solid", 0.3, 100, weighed=True, crucibles=True, here="cone"), "gravity", "glass funnel"),
        (Task("solid", 1.2, 40, weighed=True, here="plate"), "vacuum", "Büchner"),
        (Task("liquid", 2, 60, here="plate"), "vacuum", "Büchner"),
    ],
)
def test_the_way_that_fits(task, method, words):
    choice = choose(task)
    assert choice.method == method
    assert words in choice.funnel
    assert choice.why.endswith(".")
    assert choice.minutes > 0
    assert (choice.fold == "fluted") == (
        method == "hot-gravity" or (method in ("gravity", "decant") and task.wanted == "liquid")
    )


def test_no_time_for_dripping_is_said():
    assert any("It would take about" in word for word in choose(Task("liquid", 1, 300, "fine", minutes=10)).also)


def test_the_lowest_limit_of_drying_comes_first():
    found = limits(["paper 1", "plastic boat"], [("menthol", 42.0)])
    assert [limit.celsius for limit in found] == [22, 70, 110]
    assert limits(["dish"]) == []


SUCTION = Procedure.model_validate(
    {
        "title": "Crystals",
        "substances": [
            {"name": "acid", "amount": "2.00 g", "role": "sample", "component": "acid", "melts": 122},
            {"name": "hexane", "amount": "5 mL", "role": "solvent", "flammable": True},
        ],
        "components": [{"name": "acid"}],
        "portions": [
            {"name": "product", "component": "acid", "end": "product", "soluble": 3.4},
            {"name": "liquor", "end": "waste"},
        ],
        "steps": [
            {"id": "s1", "kind": "weigh", "says": "Weigh the paper", "container": ["paper 1"], "empty": True},
            {"id": "s2", "kind": "dissolve", "says": "Dissolve", "gives": ["slurry"], "adds": ["acid"]},
            {
                "id": "s3",
                "kind": "vacuum filter",
                "takes": ["slurry"],
                "gives": ["liquor", "cake"],
                "container": ["paper 1"],
                "volume": 250,
            },
            {"id": "s4", "kind": "wash", "on": "cake", "adds": ["hexane"]},
            {"id": "s5", "kind": "suck dry", "on": "cake"},
            {
                "id": "s6",
                "kind": "dry",
                "takes": ["cake"],
                "gives": ["product"],
                "container": ["paper 1"],
                "place": "oven",
                "celsius": 90,
            },
            {"id": "s7", "kind": "weigh", "on": "product", "container": ["paper 1"]},
        ],
    }
)


def typed(step, text, page):
    return understand(text, page, step, TECHNIQUES).payload


def run(*lines):
    """A run of SUCTION; a line ``s3: pour 25`` is written beside its step."""
    says = []
    for line in lines:
        step, colon, text = line.partition(": ")
        page = page_of(*says, procedure=SUCTION)
        says.append(typed(step, text, page) if colon else understand(line, page, "", TECHNIQUES).payload)
    return sheet_of(*says, procedure=SUCTION)


@pytest.mark.parametrize(
    ("lines", "level", "code"),
    [
        (("s3: pour 100 mL",), 100, None),
        (("s3: pour 100 mL", "s4: wash hexane 5 x 6 mL cold"), 130, "flask-full"),
        (("s3: pour 100 mL", "s4: wash hexane 5 x 6 mL cold", "s3: emptied"), 0, None),
        (("s3: pour 200 mL", "s3: emptied", "s3: pour 60 mL rinse"), 60, None),
        (("s3: pour 260 mL",), 260, "flask-full"),
    ],
)
def test_the_receivers_level_follows_what_is_poured(lines, level, code):
    sheet = run(*lines)
    assert flask_of(sheet.run, sheet.run.procedure.steps[2]).level == level
    found = [f for f in sheet.findings if f.code == "flask-full"]
    assert bool(found) == (code is not None)
    assert not found or (found[0].level == "stop") == (level >= 250)


@pytest.mark.parametrize(
    ("lines", "code", "there"),
    [
        (("s3: pour 50 mL",), "set-up-unchecked", True),
        (("s3: check all", "s3: pour 50 mL"), "set-up-unchecked", False),
        (("s3: check clamped hose", "s3: pour 50 mL"), "set-up-unchecked", False),
        (("s3: filtrate cloudy",), "filtrate-cloudy", True),
        (("s3: filtrate cloudy", "s3: filtrate cloudy again"), "filtrate-cloudy", False),
        (("s3: filtrate clear",), "filtrate-cloudy", False),
        (("paper 1 0.500", "s4: wash water 3 x 20 mL", "paper 1 product dried 2.4"), "wash-dissolves", True),
        (("paper 1 0.500", "s4: wash water 1 x 2 mL", "paper 1 product dried 2.4"), "wash-dissolves", False),
        (("paper 1 airdry 0.500", "paper 1 product dried 2.4"), "paper-air-dry", True),
        (("paper 1 0.500", "paper 1 product dried 2.4"), "paper-air-dry", False),
        (
            (
                "paper 1 airdry 0.500",
                "blank paper airdry 0.510",
                "paper 1 product dried 2.4",
                "blank paper airdry 0.480",
            ),
            "paper-air-dry",
            False,
        ),
    ],
)
def test_findings_of_a_filtration(lines, code, there):
    assert (code in codes(run(*lines))) == there


def test_a_blank_paper_gives_the_net_its_own_water_back():
    plain = run("paper 1 airdry 0.500", "paper 1 product dried 2.400").ledger.portion("product")
    blank = run(
        "paper 1 airdry 0.500", "blank paper airdry 0.510", "blank paper airdry 0.480", "paper 1 product dried 2.400"
    )
    with_blank = blank.ledger.portion("product")
    assert "-0.0300 g per sheet" in next(f.what for f in blank.findings if f.code == "blank-paper").replace("−", "-")
    assert plain.mass.value == pytest.approx(1.900)
    assert with_blank.mass.value == pytest.approx(1.930)
    assert with_blank.mass.u > plain.mass.u
    assert "tare-drifted" not in codes(blank)
    assert any("blank" in line.what for line in with_blank.working)


def test_drying_wet_with_something_flammable_in_an_oven_is_a_stop():
    from helvor.core.techniques.filtration.entries import Drying

    def dries(*places):
        washed = typed("s4", "wash hexane 2 x 5 mL", page_of(procedure=SUCTION))
        dryings = [Drying(portion="product", place=place, celsius=c, labels=("paper 1",)) for place, c in places]
        return [f.code for f in sheet_of(washed, *dryings, procedure=SUCTION).findings]

    assert "flammable-in-oven" in dries(("oven", 60.0))
    assert "flammable-in-oven" not in dries(("hood", None), ("oven", 60.0))
    assert "flammable-in-oven" in dries(("suction", None), ("oven", 60.0))
    assert "dried-too-hot" in dries(("hood", None), ("oven", 105.0))
    assert "dried-too-hot" not in dries(("hood", None), ("oven", 90.0))


@pytest.mark.parametrize(
    ("text", "says"),
    [
        ("pour", "Enter the volume, for example: pour"),
        ("pour much", "is not a number"),
        ("wash water", "Enter the liquid and the volume, for example: wash water"),
        ("filtrate pretty", "Enter how it looks: filtrate clear, filtrate cloudy again, or"),
        ("check roof", "check all"),
        ("tried it", "This step has no test: open the step that has one"),
    ],
)
def test_bad_readings_get_one_sentence(text, says):
    with pytest.raises(Unreadable, match=says):
        understand(text, page_of(procedure=SUCTION), "s3", TECHNIQUES)


def test_the_house_rule_chooses_the_checks_and_the_order_of_shutting_down():
    def words(step, **rules):
        sheet = sheet_of(procedure=SUCTION, rules=HouseRules(rules))
        return [check.words for check, _ in next(s for s in sheet.steps if s.step.id == step).checks]

    assert words("s5") == ["air let in first, then the vacuum turned off"]
    assert words("s5", **{"stopping-vacuum": "source-first"}) == ["vacuum turned off, then the seal broken"]
    assert any("wetted with" in w for w in words("s3"))
    assert any("with water" in w for w in words("s3", **{"wetting-paper": "water"}))
    assert all(len({c.key for c in checks}) <= len(checks) for checks in CHECKS.values())


def test_planning_sees_a_small_flask():
    small = SUCTION.model_copy(
        update={
            "steps": tuple(
                step.model_copy(update={"volume": 50.0}) if step.kind == "vacuum filter" else step
                for step in SUCTION.steps
            ),
            "substances": (
                *SUCTION.substances,
                SUCTION.substances[1].model_copy(update={"name": "water", "flammable": False}),
            ),
        }
    )
    poured = small.model_copy(
        update={
            "steps": tuple(
                step.model_copy(update={"adds": ("acid", "water")}) if step.kind == "dissolve" else step
                for step in small.steps
            ),
            "substances": tuple(
                s.model_copy(update={"amount": SUCTION.substances[1].amount.model_copy(update={"value": 40.0})})
                if s.name == "water"
                else s
                for s in small.substances
            ),
        }
    )
    assert "suction-flask-small" in [a.finding.code for a in check_plan(poured, HouseRules(), TECHNIQUES)]
    assert "suction-flask-small" not in [a.finding.code for a in check_plan(SUCTION, HouseRules(), TECHNIQUES)]


def test_rinses_with_what_stays_behind_say_what_is_left():
    from helvor.core.laws.filtration.wash import left_of

    assert left_of([]) == 1
    assert left_of([(3, 10, 1)]) == left_after(3, 10, 1)
    assert left_of([(1, 10, 1), (1, 5, 2)]) == pytest.approx(1 / 11 * 2 / 7)


def test_a_disc_that_is_not_subtracted_is_seen_when_planning():
    def codes_of(*container):
        steps = [
            {"id": "s1", "kind": "dissolve", "gives": ["slurry"]},
            {
                "id": "s2",
                "kind": "crucible filter",
                "takes": ["slurry"],
                "gives": ["liquor", "cake"],
                "container": ["crucible"],
            },
            {"id": "s3", "kind": "pry out", "takes": ["cake"], "gives": ["solid"], "container": ["boat", "disc"]},
            {"id": "s4", "kind": "dry", "takes": ["solid"], "gives": ["product"], "container": ["boat", "disc"]},
            {"id": "s5", "kind": "weigh", "on": "product", "container": list(container)},
        ]
        procedure = Procedure.model_validate({"title": "x", "steps": steps})
        return [a.finding.code for a in check_plan(procedure, HouseRules(), TECHNIQUES)]

    assert "disc-in-the-boat" in codes_of("boat")
    assert "disc-in-the-boat" not in codes_of("boat", "disc")


def test_boat_and_disc_are_two_tares():
    mass = sheet_of("boat 2.100", "disc 0.150", "boat + disc sulfate dried 2.551").ledger.portion("sulfate").mass
    assert mass.value == pytest.approx(0.301)
    assert mass.u == pytest.approx(0.001 * (3 / 12) ** 0.5)


def test_a_solid_is_wet_from_its_mixture_too_and_from_a_wash_after_airing():
    from helvor.core.engine.run import entries as e
    from helvor.core.techniques.filtration.entries import Drying

    taken = e.Taken(substance="hexane", amount="20 mL", step="s4")
    oven, hood = (Drying(portion="product", place=place) for place in ("oven", "hood"))
    wash = typed("s4", "wash hexane 5 mL", page_of(procedure=SUCTION))
    assert "flammable-in-oven" in codes(sheet_of(taken, oven, procedure=SUCTION))
    assert "flammable-in-oven" not in codes(sheet_of(taken, hood, oven, procedure=SUCTION))
    assert "flammable-in-oven" in codes(sheet_of(hood, wash, oven, procedure=SUCTION))


def test_the_solvent_and_the_flask_come_with_the_choice():
    volatile = choose(Task("solid", 2, 60, solvent="volatile"))
    assert volatile.flask == 250
    assert any("boils away" in word for word in volatile.also)
    assert any("half of 1000 mL" in word for word in choose(Task("solid", 20, 900)).also)


def test_a_hood_that_nobody_ticked_is_said_for_its_own_reason():
    from tests.core.runs import POWDER

    (found,) = [f for f in sheet_of("done 3", procedure=POWDER).findings if f.code == "set-up-unchecked"]
    assert "in the hood" in found.what
    assert "vacuum" not in found.because


@pytest.mark.parametrize(("paper", "there"), [(55, True), (320, False)])
def test_a_paper_that_takes_too_many_pours_is_said_when_planned(paper, there):
    procedure = procedure_from(
        {
            "title": "A litre through a paper",
            "substances": [{"name": "mud", "amount": "5 g", "role": "sample"}, {"name": "water", "amount": "500 mL"}],
            "steps": [
                {"id": "s1", "kind": "dissolve", "adds": ["mud", "water"], "gives": ["slurry"]},
                {"id": "s2", "kind": "gravity filter", "takes": ["slurry"], "gives": ["filtrate", "mud left"]}
                | {"paper": paper},
            ],
        }
    )
    said = [advice.finding.code for advice in check_plan(procedure, HouseRules(), TECHNIQUES)]
    assert ("paper-small" in said) == there
