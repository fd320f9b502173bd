"""Steps that are moved, taken out and put in: the wiring holds, or what broke is said with a button."""

import pytest
from hypothesis import given
from hypothesis import strategies as st

from helvor.core.engine.plan import edit
from helvor.core.engine.plan.check_plan import check_plan
from helvor.core.engine.plan.holds import melting, solids_in
from helvor.core.record.house_rules import HouseRules
from helvor.core.record.procedure import Portion, Procedure, Step, Substance, loose_ends
from helvor.core.techniques.registered import TECHNIQUES
from helvor.shelf.procedures import shipped_procedure

POWDER = shipped_procedure("a-mixed-powder")
RULES = HouseRules()


def broken(procedure):
    return [a for a in check_plan(procedure, RULES, TECHNIQUES) if a.finding.code == "loose-end" and a.step]


@given(st.integers(1, len(POWDER.steps)), st.integers(0, len(POWDER.steps)))
def test_a_moved_step_can_be_wired_again_with_its_buttons(which, to):
    procedure = edit.move_step(POWDER, f"s{which}", to)
    for _ in range(40):
        found = broken(procedure)
        if not found:
            break
        assert found[0].mends, found[0].finding
        procedure = found[0].mends[0].procedure
    assert loose_ends(procedure) == []


def test_a_step_without_its_source_moves_behind_it_or_takes_another():
    filtered = Step(id="s2", kind="gravity filter", takes=("slurry",), gives=("filtrate", "solid"))
    first = Step(id="s1", kind="precipitate", gives=("slurry",))
    dried = Step(id="s3", kind="dry", on="solid")
    procedure = Procedure(title="x", steps=[first, dried, filtered])
    (advice,) = broken(procedure)
    moved, instead = advice.mends
    assert (moved.words, instead.words) == ("Move it after step 3", "Use “slurry” instead")
    assert [step.id for step in moved.procedure.steps] == ["s1", "s2", "s3"] and not broken(moved.procedure)
    assert instead.procedure.steps[1].on == "slurry" and not broken(instead.procedure)
    gone = edit.remove_step(moved.procedure, "s2")
    (advice,) = broken(gone)
    assert [mend.words for mend in advice.mends] == ["Use “slurry” instead"]


SALICYLIC = Substance(name="salicylic acid", amount="2.0 g", melts=159, formula="C7H6O3")
WATER = Substance(name="water", amount="50 mL", role="solvent")
SAND = Substance(name="sand", amount="2.0 g", role="sample")


def dissolved_and_dried(*substances, **more):
    return Procedure(
        title="x",
        substances=substances,
        steps=[
            Step(id="s1", kind="dissolve", adds=[s.name for s in substances], gives=["solution"]),
            Step(
                id="s2",
                kind="vacuum filter",
                takes=["solution"],
                gives=["crystals", "liquor"],
                roles=["solid", "filtrate"],
            ),
            Step(id="s3", kind="dry", on="crystals", celsius=170, place="oven"),
        ],
        **more,
    )


def test_the_melting_point_of_the_only_solid_is_known_at_the_oven_without_being_wired():
    procedure = dissolved_and_dried(SALICYLIC, WATER)
    assert melting(procedure, "crystals") == [("salicylic acid", 159)]
    advice = check_plan(procedure, RULES, TECHNIQUES)
    (hot,) = [a.finding for a in advice if a.finding.code == "too-hot"]
    assert "159" in f"{hot.what} {hot.do}"


@pytest.mark.parametrize(
    "procedure",
    [
        dissolved_and_dried(SALICYLIC, SAND, WATER),
        dissolved_and_dried(SALICYLIC, WATER, portions=[Portion(name="crystals", formula="C7H5O3Na")]),
        dissolved_and_dried(SALICYLIC, WATER, equation="C7H6O3 + NaOH -> C7H5O3Na + H2O"),
    ],
    ids=["two solids", "another form", "it reacts"],
)
def test_nothing_is_guessed_where_it_can_be_another(procedure):
    assert solids_in(procedure, "crystals") == []
    assert not any(a.finding.code == "too-hot" for a in check_plan(procedure, RULES, TECHNIQUES))


def test_a_button_writes_nothing_that_only_the_laws_know():
    bare = shipped_procedure("three-from-one")
    bare = bare.model_copy(update={"portions": tuple(p.model_copy(update={"component": ""}) for p in bare.portions)})
    moved = edit.move_step(bare, "s16", 0)
    mends = [mend for advice in broken(moved) for mend in advice.mends]
    assert mends and all(mend.procedure.portions == bare.portions for mend in mends)
