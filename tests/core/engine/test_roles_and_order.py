"""Files of before and files with roles give the same; names, order of outputs and of what is independent decide nothing."""

from datetime import timedelta
from itertools import chain
from uuid import UUID

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from helvor.core.engine.plan import edit
from helvor.core.engine.plan.check_plan import check_plan
from helvor.core.engine.run.ledger import build_ledger
from helvor.core.engine.run.reading_line import beside, understand
from helvor.core.engine.run.record import Run
from helvor.core.engine.run.work_out import work_out
from helvor.core.record.entry import Entry
from helvor.core.record.house_rules import HouseRules
from helvor.core.record.outputs import ROLE_OF, added_layer, layers_of, roles_of
from helvor.core.record.procedure import Component, Portion, Procedure, Step, Substance
from helvor.core.techniques.extraction.flow import follow
from helvor.core.techniques.registered import STEP_KINDS, TECHNIQUES
from helvor.demo.column import COLUMNS
from helvor.demo.crystals import CRYSTALS
from helvor.demo.extraction import LAYERS
from helvor.demo.runs import CHALK, POWDER, SULFATE
from helvor.exchange.run import ledger_table, reading_table, weighing_table
from helvor.shelf.procedures import shipped_procedure
from tests.core.runs import NOON, page_of

RULES = HouseRules()
DONE = {
    "a-mixed-powder": POWDER,
    "sulfate-in-garden-salt": SULFATE,
    "chalk-from-two-solutions": {1: CHALK},
    "three-from-one": LAYERS,
    "acetanilide-made-clean": CRYSTALS,
    "colours-of-iron": COLUMNS,
}
BENCHES = [(name, bench) for name, benches in DONE.items() for bench in list(benches)[:3]]


def with_roles(procedure):
    """The same with a role for everything that a step gives, as a form of today writes it."""

    def named(step):
        kind = STEP_KINDS[step.kind]
        if not kind.layers:
            return step.model_copy(update={"roles": roles_of(step, kind)})
        added = added_layer(procedure, step)
        other = "organic" if added == "aqueous" else "aqueous"
        by_name = dict(zip(layers_of(step, added), (ROLE_OF[added], ROLE_OF[other]), strict=True))
        return step.model_copy(update={"roles": tuple(by_name[name] for name in step.gives)})

    return procedure.model_copy(update={"steps": tuple(named(step) for step in procedure.steps)})


def turned(procedure):
    """The same with everything that a step gives written in the other order."""
    steps = [s.model_copy(update={"gives": s.gives[::-1], "roles": s.roles[::-1]}) for s in procedure.steps]
    return procedure.model_copy(update={"steps": tuple(steps)})


def worked(procedure, lines):
    entries = page_of(procedure=procedure)
    for number, line in enumerate(lines, 2):
        key, text = beside(line, procedure)
        payload = understand(text, entries, key, TECHNIQUES).payload
        entries.append(Entry(UUID(int=number), number, payload, None, "", "Ida", NOON + timedelta(minutes=4 * number)))
    return work_out(entries, RULES, TECHNIQUES)


def said(sheet):
    """All that a run says, in no order."""
    tables = (ledger_table(sheet), weighing_table(sheet), reading_table(sheet))
    findings = [(f.code, f.level, f.what, f.because, f.do, f.about) for f in sheet.findings]
    return sorted(chain.from_iterable(table.splitlines() for table in tables)), sorted(findings)


def advised(procedure):
    return sorted((a.finding.code, a.finding.what, a.step) for a in check_plan(procedure, RULES, TECHNIQUES))


@pytest.mark.parametrize(("name", "bench"), BENCHES, ids=str)
def test_a_run_of_before_says_the_same_with_roles_in_either_order(name, bench):
    before = shipped_procedure(name)
    lines = DONE[name][bench]
    expected = said(worked(before, lines))
    for now in (with_roles(before), turned(with_roles(before))):
        assert said(worked(now, lines)) == expected


@pytest.mark.parametrize("name", [*DONE, "inside-the-tablet"])
def test_a_plan_of_before_says_the_same_with_roles_in_either_order(name):
    before = shipped_procedure(name)
    for now in (with_roles(before), turned(with_roles(before))):
        assert advised(now) == advised(before)


ETHER = Substance(name="diethyl ether", amount="60 mL", layer="organic", density=0.713)
ACID = Substance(name="3 M acid", amount="45 mL", formula="HCl", molar=3)
BASE = Substance(name="1 M base", amount="45 mL", formula="NaOH", molar=1)
MIXED = (
    Substance(name="benzoic acid", amount="1.0 g", formula="C7H6O2", component="benzoic acid", role="sample"),
    Substance(name="aniline", amount="1.0 g", formula="C6H7N", component="aniline", role="sample"),
    Substance(name="fluorene", amount="1.0 g", formula="C13H10", component="fluorene", role="sample"),
)
FOLLOWED = (
    Component(name="benzoic acid", acts="acid", pka=4.2, log_k=1.9),
    Component(name="aniline", acts="base", pka=4.6, log_k=0.9),
    Component(name="fluorene", acts="neutral", log_k=4.2),
)


def chain_of(shaken, *, roles):
    """A mixture in ether, shaken with one liquid after another; by roles, or wired by hand in the order of before."""
    steps = [Step(id="s0", kind="dissolve", adds=[*(s.name for s in MIXED), ETHER.name], gives=["ether 0"])]
    for number, substance in enumerate(shaken, 1):
        gives, said_ = (f"water {number}", f"ether {number}"), ("aqueous layer", "organic layer")
        steps.append(
            Step(
                id=f"s{number}",
                kind="extract",
                takes=[f"ether {number - 1}"],
                adds=[substance],
                gives=gives[::-1] if roles else gives,
                roles=said_[::-1] if roles else (),
                times=1 + number % 3,
            )
        )
    substances = (*MIXED, ETHER, ACID, BASE)
    return Procedure(title="x", substances=substances, components=FOLLOWED, steps=steps)


def contents(procedure):
    run = Run(procedure=procedure)
    flow = follow(run, build_ledger(run, RULES), RULES, TECHNIQUES.kinds)
    return {
        name: ({key: round(mol, 12) for key, mol in held.mol.items()}, round(held.volume(), 9))
        for name, held in flow.contents.items()
    }


@settings(max_examples=40)
@given(st.lists(st.sampled_from([ACID.name, BASE.name]), min_size=1, max_size=5))
def test_components_are_followed_by_roles_as_they_were_by_hand(shaken):
    assert contents(chain_of(shaken, roles=True)) == contents(chain_of(shaken, roles=False))


@settings(max_examples=30)
@given(st.data())
def test_a_new_name_changes_nothing_but_the_name(data):
    procedure = chain_of([ACID.name, BASE.name], roles=True)
    names = procedure.portion_names
    old = data.draw(st.sampled_from(names))
    new = data.draw(st.sampled_from(["ether", "water layer", "Probe 7", "organic rest", "β"]))
    if new.casefold() in {name.casefold() for name in names}:
        return
    renamed = edit.put_portion(procedure, Portion(name=new), was=old)
    expected = {new.casefold() if name == old.casefold() else name: held for name, held in contents(procedure).items()}
    assert contents(renamed) == expected


def independent(a, b):
    """Whether two steps share no portion."""

    def touched(step):
        return {name.casefold() for name in (*step.takes, *step.gives, step.on) if name}

    return not touched(a) & touched(b)


@pytest.mark.parametrize("name", ["three-from-one", "sulfate-in-garden-salt", "a-mixed-powder"])
def test_steps_that_share_nothing_may_change_places(name):
    procedure = with_roles(shipped_procedure(name))
    ledger = sorted(ledger_table(worked(procedure, DONE[name][1])).splitlines())
    swapped = 0
    for number, (one, other) in enumerate(zip(procedure.steps, procedure.steps[1:], strict=False)):
        if not independent(one, other) or set(one.adds) & set(other.adds):
            continue
        moved = edit.move_step(procedure, one.id, number + 1)
        assert contents(moved) == contents(procedure)
        swapped += 1
    assert swapped or name == "a-mixed-powder"
    assert ledger == sorted(ledger_table(worked(turned(procedure), DONE[name][1])).splitlines())


def test_the_order_in_which_amounts_were_written_changes_nothing():
    procedure = shipped_procedure("three-from-one")
    lines = LAYERS[1]
    first = [line for line in lines if " take " in f" {line} "]
    rest = [line for line in lines if line not in first]
    same_step = [line for line in first if line.startswith("1: ")]
    other = [line for line in first if line not in same_step]
    assert len(same_step) > 2
    straight = worked(procedure, [*same_step, *other, *rest])
    backwards = worked(procedure, [*same_step[::-1], *other, *rest])
    assert sorted(ledger_table(straight).splitlines()) == sorted(ledger_table(backwards).splitlines())
    assert [f.what for f in straight.findings] == [f.what for f in backwards.findings]


@pytest.mark.parametrize("bench", list(LAYERS)[:4])
def test_what_nobody_wired_is_known_from_the_law_of_the_layers(bench):
    """Without "it should hold" the recoveries of an acid, a base and a neutral are what they are with it."""
    wired = shipped_procedure("three-from-one")
    bare = wired.model_copy(
        update={"portions": tuple(portion.model_copy(update={"component": ""}) for portion in wired.portions)}
    )
    assert {p.name: p.component for p in TECHNIQUES.wired(bare).portions if p.end == "product"} == {
        "cinnamic acid crystals": "cinnamic acid",
        "benzocaine crystals": "benzocaine",
        "biphenyl crystals": "biphenyl",
    }
    assert TECHNIQUES.wired(wired) is wired
    assert said(worked(bare, LAYERS[bench])) == said(worked(wired, LAYERS[bench]))
    assert advised(bare) == advised(wired)
