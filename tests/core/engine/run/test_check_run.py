"""Every finding on a run: what brings it, what keeps it away."""

from datetime import timedelta
from uuid import UUID

import pytest

from helvor.core.engine.run import entries as e
from helvor.core.engine.run.reading_line import understand
from helvor.core.engine.run.work_out import work_out
from helvor.core.engine.technique import Cause, Technique, Techniques
from helvor.core.quantities.reading import parse
from helvor.core.record.entry import Entry
from helvor.core.record.house_rules import HouseRules
from helvor.core.record.procedure import Procedure, Step
from helvor.core.techniques.registered import TECHNIQUES
from tests.core.runs import CHALK, LOSSLESS, POWDER, codes, page_of, sheet_of


def weighed(text, **more):
    page = page_of("dish 30.000", "beaker 50.000", text)
    return page[-1].payload.model_copy(update=more)


DISH = "dish 30.000"


@pytest.mark.parametrize(
    ("code", "said", "procedure"),
    [
        ("tare-missing", ["beaker + watch glass salt dried 62.213"], POWDER),
        ("tare-missing", ["lid 3.2", "dish + lid salt 41.2"], None),
        ("tare-spare", ["spare paper 1 0.400", "spare paper 2 0.404", "paper 9 salt 1.652"], None),
        ("tare-damp", ["dish damp 30.2", "dish salt 31.2"], None),
        ("wet-mass", [DISH, "dish salt wet 31.2"], None),
        ("gross-below-tare", [DISH, "dish salt 29.5"], None),
        ("tare-drifted", [DISH, "dish 30.012", "dish salt 31.2"], None),
        ("weighed-hot", [DISH, weighed("dish salt dried 31.2", hot=True)], None),
        ("two-balances", [weighed("dish 30.000", balance="1"), weighed("dish salt 31.2", balance="2")], None),
        ("digits-differ", [weighed("dish 30.000", balance="1"), weighed("dish salt 31.2", balance="1")], None),
        ("too-many-digits", [weighed("dish 30.0234", readability=parse("0.01 g", "mass"))], None),
        ("container-twice", [DISH, "dish salt 31.2", "dish sand 33.1"], None),
        ("dried-once", [DISH, "dish salt dried 31.2"], None),
        ("constant-mass", [DISH, "dish salt dried 31.202", "dish salt dried 31.201"], None),
        ("still-drying", [DISH, "dish salt dried 31.302", "dish salt dried 31.201"], None),
        ("gaining-mass", [DISH, "dish salt dried 31.201", "dish salt dried 31.260"], None),
        ("closure-good", LOSSLESS, POWDER),
        ("closure-low", [*LOSSLESS[:-2], "beaker + watch glass salt dried 62.0"], POWDER),
        ("closure-above", [*LOSSLESS[:-2], "beaker + watch glass salt dried 62.9"], POWDER),
        ("gained-by-heating", ["dish 30.000", "dish powder 33.000", "dish residue dried 33.2"], POWDER),
        (
            "above-possible",
            ["take calcium chloride dihydrate 1.5 g", "beaker A 70.000", "beaker A chalk dried 71.2"],
            CHALK,
        ),
        ("off-target", ["take calcium chloride dihydrate 1.8 g"], CHALK),
        ("estimated", [e.Taken(substance="water", amount="25 mL", estimated=True)], CHALK),
        ("used-instead", ["take sodium carbonate 1.3 g instead potassium carbonate"], CHALK),
        ("borrowed", [e.Borrowed(portion="salt", source="bench 3")], POWDER),
        ("step-skipped", ["skip 4 no time"], POWDER),
        ("tare-first", [f"done {n}" for n in range(1, 8)], POWDER),
    ],
)
def test_what_brings_a_finding(code, said, procedure):
    sheet = sheet_of(*said, procedure=procedure)
    found = [f for f in sheet.findings if f.code == code]
    assert found, codes(sheet)
    assert found[0].what
    if found[0].level in ("stop", "caution"):
        assert found[0].because
        assert found[0].do


@pytest.mark.parametrize(
    ("code", "said", "procedure"),
    [
        ("tare-missing", [DISH, "dish salt 31.2"], None),
        ("tare-missing", ["net salt 1.2"], None),
        ("wet-mass", [DISH, "dish salt wet 31.2", "dish salt dried 31.0"], None),
        ("gross-below-tare", [DISH, "dish salt 30.000"], None),
        ("tare-drifted", [DISH, "dish 30.002", "dish salt 31.2"], None),
        ("two-balances", [weighed("dish 30.000", balance="1"), weighed("dish salt 31.200", balance="1")], None),
        ("container-twice", ["dish 32.514", "dish powder 35.520", "dish beads dried 33.5"], POWDER),
        ("closure-above", LOSSLESS, POWDER),
        (
            "above-possible",
            ["take calcium chloride dihydrate 1.5 g", "beaker A 70.000", "beaker A chalk dried 71.0"],
            CHALK,
        ),
        ("off-target", ["take calcium chloride dihydrate 1.6 g"], CHALK),
        ("tare-first", ["dish 32.514", "done 1", "done 2"], POWDER),
        ("closure-low", LOSSLESS[:6], POWDER),
    ],
)
def test_what_keeps_a_finding_away(code, said, procedure):
    sheet = sheet_of(*said, procedure=procedure)
    assert code not in codes(sheet), [f.what for f in sheet.findings]


def test_above_what_is_possible_names_the_likeliest_cause_first():
    wet = sheet_of(
        "beaker A 70.000",
        "take calcium chloride dihydrate 1.500 g",
        "beaker A chalk dried 71.400",
        "beaker A chalk dried 71.200",
        procedure=CHALK,
    )
    found = next(f for f in wet.findings if f.code == "above-possible")
    assert found.level == "stop"
    assert "g is above the theoretical yield of" in found.what
    assert found.because.startswith("Most likely still wet")
    dry = sheet_of(
        "beaker A 70.000",
        "take calcium chloride dihydrate 1.500 g",
        "beaker A chalk dried 71.201",
        "beaker A chalk dried 71.200",
        procedure=CHALK,
    )
    assert "wet" not in next(f for f in dry.findings if f.code == "above-possible").because


def test_a_tare_in_the_net_is_recognised_by_its_mass():
    sheet = sheet_of(
        "beaker A 0.900",
        e.Weighed(container=("beaker A",), portion="chalk", state="dried", round=1, way="net", mass="1.921 g"),
        "take calcium chloride dihydrate 1.500 g",
        procedure=CHALK,
    )
    found = next(f for f in sheet.findings if f.code == "above-possible")
    assert "the tare of beaker A" in found.because


@pytest.mark.parametrize(("rule", "code"), [("readability", "constant-mass"), ("pharmacopoeia", "balance-too-coarse")])
def test_constant_mass_follows_the_house_rule(rule, code):
    rules = HouseRules({"constant-mass-limit": rule})
    sheet = sheet_of(DISH, "dish salt dried 31.201", "dish salt dried 31.201", rules=rules)
    assert code in codes(sheet)


def test_overnight_once_asks_for_no_second_weighing():
    sheet = sheet_of(DISH, "dish salt dried 31.2", rules=HouseRules({"constant-mass": "overnight"}))
    assert "dried-once" not in codes(sheet)
    [weak] = [one for one in sheet.findings if one.code == "dried-by-rule"]
    assert weak.level == "note" and "overnight" in weak.what and "weaker evidence" in weak.because


def test_a_stop_is_acknowledged_as_it_was_worded():
    said = [DISH, "dish salt 29.5"]
    stop = next(f for f in sheet_of(*said).findings if f.level == "stop")
    seen = e.Acknowledged(code=stop.code, about=stop.about, what=stop.what, why="old balance")
    assert next(f for f in sheet_of(*said, seen).findings if f.code == stop.code).acknowledged == "old balance"
    other = sheet_of(DISH, "dish salt 29.1", seen)
    assert not next(f for f in other.findings if f.code == stop.code).acknowledged


def test_the_instruction_follows_the_house():
    sheet = sheet_of(procedure=POWDER, rules=HouseRules({"pouring": "swirl"}))
    decant = next(step for step in sheet.steps if step.step.kind == "decant")
    assert [(question, school.key) for question, school in decant.house] == [("Pouring", "swirl")]
    here = POWDER.model_copy(update={"house_rules": {"pouring": "rod"}})
    decant = next(
        s for s in sheet_of(procedure=here, rules=HouseRules({"pouring": "swirl"})).steps if s.step.kind == "decant"
    )
    assert decant.house[0][1].key == "rod", "the procedure's own rule goes before the house's"
    assert sheet.steps[0].house == (), "an empty dish is not dried to constant mass"


def test_the_strict_rule_for_constant_mass_asks_for_an_hour_between():
    rules = HouseRules({"constant-mass-limit": "pharmacopoeia"})
    lines = ("dish 30.0000", "dish salt dried 31.2010", "dish salt dried 31.2009")
    assert "not-an-hour" in codes(sheet_of(*lines, rules=rules))
    assert "not-an-hour" not in codes(sheet_of(*lines, rules=rules, minutes=70))


@pytest.mark.parametrize(
    ("kind", "share", "level"),
    [("extract", 0.88, "note"), ("weigh", 0.88, "caution"), ("weigh", 0.95, "note"), ("extract", 0.7, "caution")],
)
def test_a_mass_balance_is_held_against_what_a_class_usually_has(kind, share, level):
    procedure = Procedure(
        title="x",
        substances=[{"name": "mix", "amount": "2.000 g", "role": "sample"}],
        steps=[
            Step(id="s0", kind="add", adds=("mix",), gives=("whole",)),
            Step(id="s1", kind=kind, takes=("whole",), gives=("one", "two")),
            Step(id="s2", kind="weigh", on="one", container=("dish",)),
            Step(id="s3", kind="weigh", on="two", container=("boat",)),
        ],
        portions=[{"name": "one", "end": "product"}, {"name": "two", "end": "product"}],
    )
    says = ("dish 30.000", "boat 10.000", "take mix 2.000 g")
    weighed = (f"dish one dried {30 + share:.3f}", f"boat two dried {10 + share:.3f}")
    found = {finding.code: finding for finding in sheet_of(*says, *weighed, procedure=procedure).findings}
    assert found["closure-low"].level == level


TWO_DISHES = Procedure(
    title="x",
    substances=[{"name": "mix", "amount": "2.000 g", "role": "sample"}],
    steps=[
        Step(id="s0", kind="add", adds=("mix",), gives=("whole",)),
        Step(id="s1", kind="weigh", takes=("whole",), gives=("one", "two")),
        Step(id="s2", kind="weigh", on="one", container=("dish",)),
        Step(id="s3", kind="weigh", on="two", container=("boat",)),
    ],
    portions=[{"name": "one", "end": "product"}, {"name": "two", "end": "product"}],
)
TAKEN = ("dish 30.000", "boat 10.000", "take mix 2.000 g", "boat two dried 10.500")


@pytest.mark.parametrize(
    ("on", "more", "level"),
    [
        ("later", (), "caution"),
        ("later", ("done 5",), "note"),
        # What was weighed came through it, unless it was left out.
        ("one", (), "note"),
        ("one", ("skip 5 no time",), "caution"),
    ],
)
def test_only_steps_that_were_done_make_a_loss_usual(on, more, level):
    step = Step(id="s4", kind="crystallize", on=on)
    procedure = TWO_DISHES.model_copy(update={"steps": (*TWO_DISHES.steps, step)})
    sheet = sheet_of(*TAKEN, "dish one dried 31.100", *more, procedure=procedure)
    assert next(f.level for f in sheet.findings if f.code == "closure-low") == level


@pytest.mark.parametrize(("missing", "level"), [(0.22, "note"), (0.28, "caution")])
def test_what_two_causes_name_is_missing_once_and_what_was_weighed_is_not(missing, level):
    def causes(case):
        for code, places in (
            ("in-other-layers", {("liquor", "acid"): 0.15, ("two", "acid"): 0.3}),
            ("layer-gone", {("liquor", "acid"): 0.15}),
        ):
            yield Cause(code, "loss", code, (), 0.4, sum(places.values()), places=places)

    techniques = Techniques((*TECHNIQUES.all, Technique(key="told", title="told", causes=(causes,))))
    page = page_of(*TAKEN, f"dish one dried {31.5 - missing:.3f}", procedure=TWO_DISHES)
    [low] = [f for f in work_out(page, None, techniques).findings if f.code == "closure-low"]
    assert low.level == level
    assert low.because.startswith("About 0.15 g of it has a place.") == (level == "note")


ON_PAPER = Procedure(
    title="x",
    substances=[{"name": "mix", "amount": "2.000 g", "role": "sample"}, {"name": "water", "amount": "30 mL"}],
    steps=[
        Step(id="s1", kind="dissolve", adds=("mix", "water"), gives=("slurry",)),
        Step(id="s2", kind="gravity filter", takes=("slurry",), gives=("liquor", "sand"), container=("paper 1",)),
        Step(id="s3", kind="weigh", on="sand", container=("dish", "paper 1")),
    ],
)


@pytest.mark.parametrize(
    ("says", "code", "words"),
    [
        (("done 1",), "tare-first", "Weigh paper 1 now"),
        (("done 1", "done 2"), "tare-gone", "papers of the same kind now, before they are gone"),
        (("paper 1 0.900", "done 1", "done 2"), None, ""),
        (("done 1", "done 2", "spare paper 1 0.900", "spare paper 2 0.904"), None, ""),
        (("done 1", "done 2", "net sand 1.200"), None, ""),
    ],
)
def test_a_paper_that_got_wet_untared_is_said_while_there_are_spares(says, code, words):
    found = {f.code: f for f in sheet_of(*says, procedure=ON_PAPER).findings if f.code.startswith("tare")}
    assert list(found) == ([code] if code else [])
    assert code is None or words in found[code].do


@pytest.mark.parametrize(
    ("says", "words"),
    [
        (("dish salt dried 31.2", "dish 30.0"), "clean and dry by then"),
        (("paper sand dried 2.1", "paper 0.955"), "keeps grains"),
        (("dish 30.0", "dish salt dried 31.2", "dish 30.001"), ""),
    ],
)
def test_a_tare_that_came_late_is_taken_with_a_word_about_the_order(says, words):
    sheet = sheet_of(*says)
    late = [f for f in sheet.findings if f.code == "tare-late"]
    assert [f.level for f in late] == ["note"] * bool(words)
    assert all(words in f.because for f in late)
    [portion] = sheet.ledger.portions.values()
    assert portion.mass is not None, "it is used"


def test_a_name_that_no_step_gives_is_no_second_content():
    sheet = sheet_of("dish 32.514", "dish new mixture 35.5", "dish residue 34.5", procedure=POWDER)
    assert "container-twice" not in codes(sheet)


def test_two_weighings_with_no_drying_between_say_nothing():
    says = ("dish 30.000", "dish salt dried 31.000", "dish salt dried 31.000")
    assert "no-drying-between" in codes(sheet_of(*says, minutes=0.5))
    assert "constant-mass" in codes(sheet_of(*says, minutes=12))


@pytest.mark.parametrize(("between", "code"), [(("12: pour 20 mL",), "more-collected"), ((), "gaining-mass")])
def test_what_a_second_pass_brought_is_no_moisture(between, code):
    procedure = Procedure(
        title="x",
        substances=[{"name": "mix", "amount": "2.000 g", "role": "sample"}, {"name": "water", "amount": "30 mL"}],
        steps=[
            Step(id="s1", kind="dissolve", adds=("mix", "water"), gives=("slurry",)),
            Step(id="s2", kind="gravity filter", takes=("slurry",), gives=("liquor", "sand")),
            Step(id="s3", kind="weigh", on="sand", container=("dish",)),
        ],
    )
    page = page_of(DISH, "dish sand dried 31.200", procedure=procedure)
    for line in (*(line.partition(": ")[2] for line in between), "dish sand dried 31.231"):
        payload = understand(line, page, "s2" if "pour" in line else "s3", TECHNIQUES, sure=True).payload
        at = page[-1].at + timedelta(minutes=15)
        page.append(Entry(UUID(int=len(page) + 1), len(page) + 1, payload, None, "", "Ida", at))
    found = {f.code for f in work_out(page, None, TECHNIQUES).findings}
    assert found & {"more-collected", "gaining-mass"} == {code}
