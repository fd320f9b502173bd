"""What one is about to do, and the procedure that follows of a few answers."""

import pytest
from pydantic import ValidationError

from helvor.core.engine.plan.check_plan import check_plan
from helvor.core.quantities.reading import Unreadable
from helvor.core.record.house_rules import HouseRules
from helvor.core.starts.all import STARTS
from helvor.core.starts.start import CHOICES, fields_of
from helvor.core.techniques.registered import STEP_KINDS, TECHNIQUES
from helvor.shelf.liquids import as_known
from helvor.shelf.shelf import shipped

SAID = {
    "filter": {"solid": "calcium carbonate", "wash": "5 mL", "celsius": 110},
    "content": {
        "sample": "garden salt",
        "mass": "0.500 g",
        "analyte": "SO4",
        "precipitate": "BaSO4",
        "precipitant": "0.2 M barium chloride",
        "volume": "25 mL",
        "water": "100 mL",
    },
    "decant": {"solid": "calcium carbonate", "rinse": "20 mL"},
    "funnel": {"compound": "benzoic acid", "water": "50 mL", "solvent": "ethyl acetate", "portion": "15 mL"},
    "column": {
        "sample": "dye mixture",
        "mass": "0.200 g",
        "first": "ferrocene",
        "rf_first": 0.55,
        "second": "acetylferrocene",
        "rf_second": 0.25,
        "eluent": "heptane : ethyl acetate 4 : 1",
    },
    "recrystallize": {
        "compound": "acetanilide",
        "mass": "2.00 g",
        "volume": "40 mL",
        "charcoal": "yes",
        "celsius": 60,
    },
    "apart": {
        "mass": "3.00 g",
        "sublimes": "camphor",
        "dissolves": "potassium chloride",
        "stays": "glass beads",
        "water": "30 mL",
    },
    "melt": {"solid": "acetanilide"},
    "weigh": {"what": "salt"},
}


def made(key, **other):
    start = STARTS[key]
    said = start.asks(**(SAID[key] | other))
    return start.makes(said, STEP_KINDS, lambda name: as_known(name, shipped()))


def test_every_start_is_tried_here():
    assert set(SAID) == set(STARTS)


@pytest.mark.parametrize("key", SAID)
def test_what_follows_works_to_its_end_without_a_caution(key):
    procedure = made(key)
    serious = [a.finding.what for a in check_plan(procedure, HouseRules({}), TECHNIQUES) if a.finding.level != "note"]
    assert serious == []
    weighed = [step for step in procedure.steps if step.kind == "weigh" and not step.empty and step.on]
    for step in weighed:  # whatever is weighed in a container had its tare before
        tared = [one for one in procedure.steps[: procedure.steps.index(step)] if one.empty]
        assert any(one.container == step.container for one in tared), step.says


@pytest.mark.parametrize("key", SAID)
def test_few_things_are_asked(key):
    fields = fields_of(STARTS[key])
    assert sum(one.needed for one in fields) <= 7
    assert all(choice in CHOICES for one in fields for choice in one.choices)


@pytest.mark.parametrize(
    ("key", "other", "code"),
    [
        # An oven above what the very solid stands is told in the plan, because the only solid is known.
        ("recrystallize", {"celsius": 112}, "too-hot"),
        ("funnel", {"solvent": "diethyl ether"}, "peroxides"),
        ("funnel", {"solvent": "ethanol"}, "no-two-layers"),
    ],
)
def test_what_is_dangerous_or_cannot_work_is_said_at_once(key, other, code):
    codes = {a.finding.code for a in check_plan(made(key, **other), HouseRules({}), TECHNIQUES)}
    assert code in codes, codes


@pytest.mark.parametrize(
    ("key", "other", "portion", "stream"),
    [
        ("filter", {"liquid": "diethyl ether"}, "filtrate", "solvents"),
        ("filter", {"liquid": "dichloromethane"}, "filtrate", "halogenated"),
        ("filter", {"solid": "lead iodide"}, "filtrate", ""),  # not on the shelf: asked, never guessed
        ("decant", {"liquid": "0.1 M barium chloride"}, "poured-off liquid", "heavy metal"),
        ("recrystallize", {"solvent": "water"}, "mother liquor", "aqueous"),
        ("recrystallize", {"solvent": "ethanol"}, "mother liquor", "solvents"),
        ("column", {"eluent": "dichloromethane : methanol 9 : 1"}, "rest", "halogenated"),
        ("column", {}, "rest", "solvents"),
    ],
)
def test_each_liquid_goes_into_the_bottle_of_the_worst_in_it(key, other, portion, stream):
    thrown = next(step for step in made(key, **other).steps if step.kind == "discard" and step.on == portion)
    assert thrown.waste == stream


@pytest.mark.parametrize(
    ("key", "liquid"), [("filter", "diethyl ether"), ("decant", "hexane"), ("recrystallize", "ethanol")]
)
def test_what_is_wet_with_a_flammable_liquid_stands_in_the_hood_before_the_oven(key, liquid):
    field = "solvent" if key == "recrystallize" else "liquid"
    procedure = made(key, **{field: liquid, "celsius": 60})
    codes = {a.finding.code for a in check_plan(procedure, HouseRules({}), TECHNIQUES)}
    assert "flammable-oven" not in codes
    kinds = [(step.kind, step.place) for step in procedure.steps]
    assert kinds.index(("evaporate", "hood")) < kinds.index(("dry", "oven"))


def test_a_column_is_sized_by_its_plate():
    """By the law of gravity columns: 0.2 g, ΔRf 0.30, so 50 g of silica a gram."""
    easy, wide = made("column"), made("column", bore=25)
    assert str(easy.substance("silica gel").amount) == "10 g"
    packed, broad = (next(s for s in p.steps if s.kind == "pack column").more for p in (easy, wide))
    assert packed["bed"] > 5 * packed["bore"] and broad["bore"] == 25 and broad["bed"] < packed["bed"]
    assert easy.component("ferrocene").rf == {"heptane : ethyl acetate 80 : 20": 0.55}
    with pytest.raises(Unreadable, match="are within"):
        made("column", rf_second=0.5)


@pytest.mark.parametrize(
    ("key", "other"),
    [
        ("content", {"analyte": "sulfate"}),
        ("column", {"second": "Ferrocene"}),
        ("apart", {"stays": "camphor"}),
        ("melt", {"solid": "a{b}"}),
        ("weigh", {"what": "x\x07y"}),
        ("weigh", {"what": " "}),
    ],
)
def test_what_cannot_be_is_refused_by_the_questions_themselves(key, other):
    with pytest.raises(ValidationError):
        made(key, **other)


def test_amounts_and_components_are_wired():
    content = made("content")
    assert content.component("SO4").carrier == "S"
    assert content.portion("wet BaSO4").formula == "BaSO4" and content.portion("wet BaSO4").end == "product"
    assert content.substance("garden salt").exact and content.steps[-1].waste == "heavy metal"
    funnel = made("funnel")
    assert str(funnel.substance("ethyl acetate").amount) == "45 mL"
    assert dict(zip(funnel.steps[1].roles, funnel.steps[1].gives, strict=True)) == {
        "organic layer": "ethyl acetate layer",
        "aqueous layer": "aqueous layer",
    }
    assert str(made("decant").substance("rinsing water").amount) == "60 mL"
    assert str(made("column").substance("silica gel").amount) == "10 g"
