"""What a step gives, by role."""

from itertools import permutations

import pytest
from hypothesis import given
from hypothesis import strategies as st

from helvor.core.engine.plan import edit
from helvor.core.record.outputs import (
    added_layer,
    first_outputs,
    given_as,
    in_phase,
    layers_of,
    roles_of,
    says_layer,
    works_on,
)
from helvor.core.record.procedure import Procedure, Step, Substance
from helvor.core.record.step_kinds import AQUEOUS, ORGANIC
from helvor.core.techniques.registered import STEP_KINDS

FILTER = STEP_KINDS["gravity filter"]
names = st.text("abcdefgh ", min_size=1, max_size=12).map(str.strip).filter(bool)


@pytest.mark.parametrize("order", list(permutations([("salt solution", "filtrate"), ("sand", "solid")])))
def test_roles_say_what_a_portion_is_whatever_the_order(order):
    step = Step(id="s1", kind="gravity filter", gives=[n for n, _ in order], roles=[r for _, r in order])
    assert (in_phase(step, FILTER, "liquid"), in_phase(step, FILTER, "solid")) == ("salt solution", "sand")
    assert given_as(step, "filtrate", FILTER) == "salt solution"


def test_without_roles_the_order_of_the_kind_says_it():
    step = Step(id="s1", kind="gravity filter", gives=("salt solution", "sand"))
    assert roles_of(step, FILTER) == ("filtrate", "solid")
    assert roles_of(step.model_copy(update={"gives": ("salt solution", "sand", "more")}), FILTER)[2] == ""
    pools = Step(id="s2", kind="pool", gives=("A", "B", "gap"))
    assert roles_of(pools, STEP_KINDS["pool"]) == ("pool", "pool", "pool")


@pytest.mark.parametrize(
    ("gives", "added", "expected"),
    [
        (("water", "ether"), "organic", ("ether", "water")),
        (("ether", "water"), "organic", ("ether", "water")),
        (("ether", "base extract"), "aqueous", ("base extract", "ether")),
        (("acid extracts", "ether after acid"), "aqueous", ("acid extracts", "ether after acid")),
        (("water wash", "ether after water"), "aqueous", ("water wash", "ether after water")),
        (("extract", "rest"), "organic", ("extract", "rest")),
        (("extract", "rest"), "aqueous", ("extract", "rest")),
        (("aqueous one", "water two"), "organic", ("aqueous one", "water two")),  # both say the same: the order holds
        (("extract",), "aqueous", ("extract", "")),
    ],
)
def test_layers_of_before_go_by_their_order_unless_their_names_say_otherwise(gives, added, expected):
    assert layers_of(Step(id="s1", kind="extract", gives=gives), added) == expected


@given(names, names.map(lambda name: f"z{name}"), st.sampled_from(["organic", "aqueous"]))
def test_with_roles_neither_name_nor_order_decides(organic, water, added):
    pairs = [(organic, ORGANIC), (water, AQUEOUS)]
    found = {
        layers_of(Step(id="s1", kind="extract", gives=[n for n, _ in order], roles=[r for _, r in order]), added)
        for order in permutations(pairs)
    }
    assert found == {(organic, water) if added == "organic" else (water, organic)}


def test_what_is_added_says_its_layer():
    procedure = Procedure(
        title="x",
        substances=[
            Substance(name="ether", layer="organic"),
            Substance(name="base", formula="NaOH", molar=1),
            Substance(name="water"),
            Substance(name="salt"),
        ],
    )
    for adds, layer in (
        (("ether",), "organic"),
        (("base",), "aqueous"),
        (("water", "ether"), "organic"),
        (("salt",), ""),
    ):
        assert added_layer(procedure, Step(id="s1", kind="extract", adds=adds)) == layer
    assert says_layer("watery rest") == "" and says_layer("Ethyl acetate layer") == "organic"


def test_a_new_step_works_on_what_it_is_for_and_gives_what_its_kind_gives():
    procedure = Procedure(title="x", steps=[Step(id="s1", kind="dissolve", gives=("mixture",))])
    for kind in ("gravity filter", "dry", "extract", "weigh"):
        procedure = edit.add_step(procedure, STEP_KINDS[kind], 99, STEP_KINDS)
    filtered, dried, extracted, weighed = procedure.steps[1:]
    assert (filtered.takes, filtered.gives, filtered.on) == (("mixture",), ("filtrate", "solid"), "")
    assert dried.on == "solid"
    assert extracted.gives == ("organic layer", "aqueous layer") == extracted.roles
    assert weighed.on == "organic layer"
    again = edit.add_step(procedure, FILTER, 99, STEP_KINDS)
    assert again.steps[-1].gives == ("filtrate 2", "solid 2")


@pytest.mark.parametrize("kind", STEP_KINDS.values(), ids=lambda kind: kind.key)
def test_every_kind_starts_with_outputs_that_hang_together(kind):
    gives, roles = first_outputs(kind, ["Filtrate"])
    assert len(gives) == len(set(gives)) == len(roles)
    step = Step(id="s1", kind=kind.key, gives=gives, roles=roles)
    assert roles_of(step, kind) == roles
    assert works_on(kind, None, STEP_KINDS) == ""
    known = {output.role for output in kind.outputs}
    assert set(roles) <= known
