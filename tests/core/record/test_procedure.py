"""Procedures: read, refused by place, scaled, compared, edited."""

import json

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from helvor.core.engine.plan import edit
from helvor.core.engine.plan.difference import differences
from helvor.core.quantities.reading import Unreadable, parse_amount
from helvor.core.record.entry import Problem
from helvor.core.record.house_rules import QUESTIONS, HouseRules, known_choices
from helvor.core.record.procedure import (
    BadProcedure,
    Portion,
    Procedure,
    Step,
    Substance,
    instruction,
    loose_ends,
    read_procedure,
    scaled,
    scaled_amount,
)
from helvor.core.techniques.registered import STEP_KINDS
from helvor.exchange.procedure import procedure_json, procedure_markdown, schema_text
from helvor.shelf.procedures import shipped_procedure
from tests.core.runs import CHALK, POWDER

ALL = [POWDER, CHALK, shipped_procedure("inside-the-tablet")]


@pytest.mark.parametrize("procedure", ALL, ids=lambda p: p.title)
def test_out_and_in_again_it_is_the_same(procedure):
    assert read_procedure(procedure_json(procedure)) == procedure
    assert differences(procedure, procedure) == []


def test_the_published_schema_is_current():
    from pathlib import Path

    published = Path(__file__).parents[3] / "docs" / "procedure.schema.json"
    assert published.read_text(encoding="utf-8") == schema_text()


BAD = json.loads(procedure_json(POWDER))


def changed(**at):
    data = json.loads(json.dumps(BAD))
    for path, value in at.items():
        place = data
        *way, last = path.split("__")
        for part in way:
            place = place[int(part) if part.isdigit() else part]
        place[int(last) if last.isdigit() else last] = value
    return json.dumps(data)


@pytest.mark.parametrize(
    ("text", "place", "says"),
    [
        ("{", "line 1", "not JSON"),
        ("[" * 100_000, "file", "not JSON"),
        ("[]", "file", "valid dictionary"),
        (changed(title=""), "title", "at least 1 character"),
        (changed(format=99), "format", "less than or equal to 2"),
        (changed(surprise=1), "surprise", "not permitted"),
        (changed(substances__0__amount="3.00"), "substance 1, amount", "not an amount with a unit"),
        (changed(substances__0__formula="salt"), "substance 1, formula", "is not a formula"),
        (changed(steps__2__hands=-1), "step 3, hands", "greater than or equal to 0"),
        (changed(steps__2__takes=["sand"]), "step 3", "“sand”, but no earlier step produces it"),
        (changed(steps__1__adds=["gold"]), "step 2", "adds “gold”"),
        (changed(steps__1__id="s1"), "step 2", "same id"),
        (changed(portions__0__component="gold"), "camphor vapour", "not one of the components"),
        (
            changed(components__0__name="potassium chloride"),
            "component potassium chloride",
            "Two components have this name",
        ),
        (changed(title="a\u202eb"), "title", "cannot be printed"),
    ],
)
def test_a_bad_file_gets_what_is_wrong_by_place(text, place, says):
    with pytest.raises(BadProcedure) as bad:
        read_procedure(text)
    assert any(p == place and says in s for p, s in bad.value.troubles), bad.value.troubles


def test_names_that_lead_nowhere_are_all_listed():
    broken = POWDER.model_copy(update={"steps": POWDER.steps[2:], "components": ()})
    places = {place for place, _ in loose_ends(broken)}
    assert {"step 1", "camphor vapour", "salt", "beads"} <= places


def test_an_instruction_carries_its_amounts():
    assert "3.00 g mixed powder" in instruction(POWDER.steps[1], POWDER)
    assert "1.50 g mixed powder" in instruction(POWDER.steps[1], scaled(POWDER, 0.5))
    odd = POWDER.steps[1].model_copy(update={"says": "Weigh {gold} and {"})
    assert instruction(odd, POWDER) == "Weigh {gold} and {"


@settings(max_examples=60)
@given(st.floats(0.2, 20), st.floats(0.2, 20))
def test_scaling_twice_is_scaling_once_within_rounding(a, b):
    twice, once = scaled(scaled(POWDER, a), b), scaled(POWDER, a * b)
    for one, other in zip(twice.substances, once.substances, strict=True):
        step = max(one.amount.resolution, other.amount.resolution)
        # Half a step of the first rounding is carried through the second factor.
        first = scaled_amount(POWDER.substance(one.name).amount, a).resolution
        assert abs(one.amount.value - other.amount.value) <= step + b * first / 2 + 1e-9


@pytest.mark.parametrize(
    ("amount", "factor", "text"),
    [
        ("3.00 g", 0.5, "1.50 g"),
        ("0.050 g", 0.1, "0.005 g"),
        ("25 mL", 0.1, "2.5 mL"),
        ("1 g", 0.03, "0.030 g"),
        ("20 mL", 12, "240 mL"),
        ("2.00 g", 1 / 3, "0.67 g"),
    ],
)
def test_a_scaled_amount_can_be_measured(amount, factor, text):
    assert str(scaled_amount(parse_amount(amount), factor)) == text


@pytest.mark.parametrize("factor", [0, -1, 1001, float("nan")])
def test_a_factor_that_makes_no_sense_is_refused(factor):
    with pytest.raises(Unreadable, match="above 0"):
        scaled(POWDER, factor)


def test_markdown_reads_as_a_handout_and_runs_nothing():
    text = procedure_markdown(CHALK)
    assert "CaCl₂ + Na₂CO₃ → CaCO₃ + 2 NaCl" in text
    assert "1.50 g calcium chloride dihydrate" in text
    evil = CHALK.model_copy(update={"title": "<script>x</script> | **a**"})
    assert "<script>" not in procedure_markdown(evil)


# --- editing


def ids(procedure):
    return [step.id for step in procedure.steps]


@settings(max_examples=60)
@given(st.integers(0, 14), st.integers(-3, 30))
def test_moving_a_step_keeps_them_all(which, to):
    moved = edit.move_step(POWDER, f"s{which + 1}", to)
    assert sorted(ids(moved)) == sorted(ids(POWDER))
    assert ids(moved).index(f"s{which + 1}") == max(0, min(to, 14))
    back = edit.move_step(moved, f"s{which + 1}", which)
    assert back == POWDER


def test_each_operation_leaves_the_old_one_as_it_was():
    before = POWDER.model_copy(deep=True)
    one = edit.add_step(POWDER, STEP_KINDS["stir"], 3, STEP_KINDS)
    two = edit.remove_step(edit.duplicate_step(one, "s3"), "s3")
    assert before == POWDER
    assert one.steps[3].kind == "stir"
    assert one.steps[3].on == "residue"
    assert len(two.steps) == 16
    assert len({step.id for step in two.steps}) == 16


def test_a_new_name_reaches_every_step():
    renamed = edit.put_portion(POWDER, Portion(name="sand"), was="residue")
    assert not any("residue" in (*step.takes, *step.gives, step.on) for step in renamed.steps)
    assert loose_ends(renamed) == []
    salted = edit.put_substance(POWDER, Substance(name="brine"), was="water")
    assert any("{brine}" in step.says for step in salted.steps)
    assert loose_ends(salted) == []


@pytest.mark.parametrize(
    ("change", "says"),
    [
        (lambda p: edit.move_step(p, "s99", 0), "That step is no longer in this procedure"),
        (lambda p: edit.put_substance(p, Substance(name="WATER")), "exists already: enter another name"),
        (lambda p: edit.remove_part(p, "component", "gold"), "There is no component “gold”"),
        (lambda p: edit.remove_part(p, "title", "x"), "There is no title"),
        (
            lambda p: edit.add_step(p.model_copy(update={"steps": p.steps * 4}), STEP_KINDS["stir"], 0, STEP_KINDS),
            "60 steps, the limit",
        ),
    ],
)
def test_what_cannot_be_edited_is_said(change, says):
    with pytest.raises(Problem, match=says):
        change(POWDER)


def test_a_difference_names_what_was_added_taken_out_moved_and_changed():
    new = edit.move_step(edit.add_step(POWDER, STEP_KINDS["stir"], 0, STEP_KINDS), "s15", 1)
    new = edit.remove_step(new, "s11")
    new = edit.replace_step(new, new.step("s3").model_copy(update={"celsius": 140.0}))
    new = scaled(new, 2).model_copy(update={"house_rules": {"pouring": "swirl"}})
    found = {(d.place, d.what): (d.before, d.after) for d in differences(POWDER, new)}
    assert ("step 1", "added") in found
    assert ("step 11", "deleted") in found
    assert found["step 5, °C", "changed"] == ("130.0", "140.0")
    assert found["mixed powder, amount", "changed"] == ("3.00 g", "6.00 g")
    assert found["procedure, house rules", "changed"] == ("nothing", "pouring: swirl")
    assert any(what == "moved" for _, what in found)


# --- house rules


def test_every_question_has_a_default_with_its_reason():
    keys = [question.key for question in QUESTIONS]
    assert len(keys) == len(set(keys)) >= 27
    for question in QUESTIONS:
        assert len({school.key for school in question.schools}) == len(question.schools) >= 2
        assert all(school.why and school.words for school in question.schools)
        assert HouseRules()[question.key] is question.default


def test_a_procedure_lays_its_rules_over_the_house():
    house = HouseRules({"pouring": "swirl", "folding": "fluted"})
    here = house.over({"folding": "torn"})
    assert (here["pouring"].key, here["folding"].key) == ("swirl", "torn")
    assert here.differs("folding")
    assert not HouseRules({"pouring": "nonsense"}).differs("pouring")
    assert known_choices({"pouring": "nonsense", "x": "y"}) == {}


def test_a_step_is_what_it_says():
    assert Step(id="a", kind="ice bath").kind == "ice bath"
    assert Procedure(title="T").new_id() == "s1"
