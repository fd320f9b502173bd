"""The mass ledger: grams close, moles are kept, order changes nothing."""

import random
from datetime import timedelta
from uuid import UUID

import pytest
from hypothesis import assume, given, settings
from hypothesis import strategies as st

from helvor.core.engine.run import entries as e
from helvor.core.engine.run.work_out import work_out
from helvor.core.quantities.formula import molar_mass
from helvor.core.record.entry import Entry
from helvor.core.record.procedure import Component, Portion, Procedure, Step, Substance
from tests.core.runs import CHALK, LOSSLESS, POWDER, page_of, sheet_of, strike


def mass_of(sheet, name):
    portion = sheet.ledger.portion(name)
    return portion.mass.value if portion.mass else None


def numbers(sheet):
    """Every number of the ledger, and what is judged of them."""
    ledger = sheet.ledger
    known = {p.name: (p.basis, round(p.mass.value, 9), round(p.mass.u, 9)) for p in ledger.portions.values() if p.mass}
    closure = round(ledger.closure.value, 12) if ledger.closure else None
    yields = [(y.portion, round(y.percent.value, 12)) for y in ledger.yields if y.percent]
    recoveries = [(c.component.name, round(c.recovery.value, 12)) for c in ledger.components if c.recovery]
    return known, closure, yields, recoveries, sorted((f.code, f.what) for f in sheet.findings)


def test_a_lossless_powder_closes():
    ledger = sheet_of(*LOSSLESS, procedure=POWDER).ledger
    assert ledger.sample.value == pytest.approx(3.006)
    assert mass_of(sheet_of(*LOSSLESS, procedure=POWDER), "camphor vapour") == pytest.approx(1.003)
    assert ledger.complete
    assert abs(ledger.closure.value - 1) < 0.001
    assert ledger.missing.value == pytest.approx(3.006 - 1.003 - 1.009 - 0.992)
    assert {name: round(part.value, 3) for name, part in ledger.parts.items()} == {
        "camphor vapour": 0.334,
        "salt": 0.336,
        "beads": 0.33,
    }


def test_the_shared_dish_is_counted_once():
    """Camphor by loss and beads both hang on the dish; in the closure the residue's weighing drops out."""
    ledger = sheet_of(*LOSSLESS, procedure=POWDER).ledger
    parts = ledger.missing.parts
    residue = str(UUID(int=5))
    assert abs(parts.get(residue, 0.0)) == pytest.approx(0.001 / 12**0.5)
    gross = str(UUID(int=3))
    assert abs(parts.get(gross, 0.0)) < 1e-12, "the powder's own gross is in the sample and in the vapour, and cancels"


@settings(max_examples=40, deadline=None)
@given(st.randoms(use_true_random=False))
def test_the_order_in_which_entries_arrive_changes_nothing(rng: random.Random):
    said = [*LOSSLESS, "vol salt solution 48 mL", "dish beads wet 36.1", "note fumes", "spare paper 1 0.412"]
    page = page_of(*said, procedure=POWDER)
    first, rest = page[0], page[1:]
    # Readings keep the time they were taken at; only their places on the page change.
    shuffled = rest[:]
    rng.shuffle(shuffled)
    again = [first, *(Entry(x.id, i, x.payload, x.strikes, x.reason, x.by, x.at) for i, x in enumerate(shuffled, 2))]
    assert numbers(work_out(again)) == numbers(work_out(page))


@settings(max_examples=20, deadline=None)
@given(st.integers(2, 10))
def test_struck_and_written_again_it_is_the_same(seq):
    page = page_of(*LOSSLESS, procedure=POWDER)
    gone = strike(page, seq)
    assert numbers(work_out(gone)) != numbers(work_out(page))
    old = page[seq - 1]
    back = Entry(UUID(int=99), len(gone) + 1, old.payload, None, "", "Ida", old.at)
    assert numbers(work_out([*gone, back])) == numbers(work_out(page))


def parting(parts: list[float], losses: list[float]) -> tuple[Procedure, list[str]]:
    """A sample parted in steps into a portion each and the rest, with true masses; the readings of a 1 mg balance."""
    names = [f"part {chr(97 + i)}" for i in range(len(parts))]
    steps = [Step(id="s0", kind="weigh", gives=("rest 0",), adds=("stuff",), container=("cup",))]
    for i, name in enumerate(names):
        gives = (name, f"rest {i + 1}") if i + 1 < len(names) else (name,)
        steps.append(Step(id=f"s{i + 1}", kind="decant", takes=(f"rest {i}",), gives=gives))
    procedure = Procedure(
        title="Parting",
        steps=tuple(steps),
        substances=(Substance(name="stuff", role="sample"),),
        portions=tuple(Portion(name=name, end="product") for name in names),
    )
    said = ["cup 20.000", f"cup rest 0 {20 + sum(parts):.3f}"]
    for i, (name, part, loss) in enumerate(zip(names, parts, losses, strict=True)):
        said += [f"dish {i} {30 + i}.000", f"dish {i} {name} dried {30 + i + part - loss:.3f}"]
    return procedure, said


portions = st.lists(st.floats(0.2, 5), min_size=1, max_size=6)


@settings(max_examples=60, deadline=None)
@given(portions)
def test_a_lossless_run_closes_to_one_within_its_uncertainty(parts):
    """Readings are rounded to the balance's step, so the closure is off by chance; 3 u covers nearly all of it."""
    procedure, said = parting(parts, [0.0] * len(parts))
    ledger = sheet_of(*said, procedure=procedure).ledger
    assert ledger.complete
    assert abs(ledger.closure.value - 1) <= 3 * ledger.closure.u + 1e-9


@settings(max_examples=60, deadline=None)
@given(portions, st.floats(0.01, 0.15))
def test_a_lossy_run_reports_exactly_what_was_lost(parts, loss):
    losses = [round(loss / (i + 1), 3) for i in range(len(parts))]
    procedure, said = parting([round(p, 3) for p in parts], losses)
    ledger = sheet_of(*said, procedure=procedure).ledger
    assert ledger.missing.value == pytest.approx(sum(losses), abs=1e-6)
    assert (ledger.sample - ledger.found).value == pytest.approx(ledger.missing.value)


@settings(max_examples=40, deadline=None)
@given(st.floats(0.3, 5), st.floats(1.05, 2.0), st.floats(0.5, 1.0))
def test_what_reacts_keeps_its_moles(calcium, excess, back):
    """CaCl₂·2H₂O → CaCO₃: the recovery of calcium in mol is what came back, whatever the grams say."""
    n = round(calcium, 3) / molar_mass("CaCl2·2H2O")
    soda = round(n * excess * molar_mass("Na2CO3"), 3)
    assume(soda > n * molar_mass("Na2CO3"))
    chalk = n * back * molar_mass("CaCO3")
    sheet = sheet_of(
        "beaker A 70.000",
        f"take calcium chloride dihydrate {calcium:.3f} g",
        f"take sodium carbonate {soda:.3f} g",
        f"beaker A chalk dried {70 + chalk:.4f}",
        f"beaker A chalk dried {70 + chalk:.4f}",
        procedure=CHALK,
    )
    account, made = sheet.ledger.components[0], sheet.ledger.yields[0]
    assert sheet.ledger.reacts
    assert sheet.ledger.closure is None, "grams are shown, not added, where something reacts"
    assert account.recovery.value == pytest.approx(back, rel=2e-3)
    assert made.percent.value == pytest.approx(account.recovery.value, rel=1e-9)
    assert made.limiting == "calcium chloride dihydrate"
    assert made.excess[0][1] == pytest.approx(soda / molar_mass("Na2CO3") / n - 1, rel=1e-6)


def test_the_other_reagent_limits_when_there_is_less_of_it():
    sheet = sheet_of(
        "take calcium chloride dihydrate 1.500 g",
        "take sodium carbonate 0.530 g",
        "beaker A 70.000",
        "beaker A chalk dried 70.450",
        procedure=CHALK,
    )
    made = sheet.ledger.yields[0]
    assert made.limiting == "sodium carbonate"
    assert made.theoretical.value == pytest.approx(0.530 / molar_mass("Na2CO3") * molar_mass("CaCO3"))


@pytest.mark.parametrize(
    ("said", "name", "mass"),
    [
        # Tares: before or after, together or one by one, the mean of two.
        (("dish 30.000", "dish salt 31.250"), "salt", 1.250),
        (("dish salt 31.250", "dish 30.000"), "salt", 1.250),
        (("dish + lid 40.000", "dish + lid salt 41.250"), "salt", 1.250),
        (("dish 30.000", "lid 10.000", "dish + lid salt 41.250"), "salt", 1.250),
        (("dish 30.000", "dish 30.004", "dish salt 31.252"), "salt", 1.250),
        (("lid 10.000", "dish + lid salt 41.250"), "salt", None),
        # The button.
        (("net salt 1.250",), "salt", 1.250),
        # A wet mass is never used, a dried one goes before one as it came.
        (("dish 30.000", "dish salt wet 33.000"), "salt", None),
        (("dish 30.000", "dish salt 33.000", "dish salt dried 31.250"), "salt", 1.250),
        (("dish 30.000", "dish salt dried 31.300", "dish salt dried 31.250"), "salt", 1.250),
        # Two dishes of one portion add up.
        (("dish 30.000", "cup 20.000", "dish salt dried 30.500", "cup salt dried 20.750"), "salt", 1.250),
        # A paper that was never weighed: the mean of spares.
        (("spare paper 1 0.400", "spare paper 2 0.404", "dish 30.000", "dish + paper 7 salt 31.652"), "salt", 1.250),
    ],
)
def test_nets(said, name, mass):
    found = mass_of(sheet_of(*said), name)
    assert found == (pytest.approx(mass) if mass is not None else None)


def test_a_spare_paper_counts_with_its_doubt():
    """u = s·√(1 + 1/n), and the indication's own."""
    sheet = sheet_of("spare paper 1 0.400", "spare paper 2 0.404", "spare paper 3 0.408", "paper 9 salt 1.652")
    portion = sheet.ledger.portion("salt")
    spread = 0.004 * (1 + 1 / 3) ** 0.5
    assert portion.mass.u == pytest.approx((spread**2 + 2 * (0.001**2 / 12)) ** 0.5)
    assert portion.estimated


def test_an_estimate_is_wider():
    read = e.Taken(substance="zinc", amount="2.0 g")
    judged = e.Taken(substance="zinc", amount="2.0 g", estimated=True)
    exact = sheet_of(read).ledger.taken("zinc").mass
    wide = sheet_of(judged).ledger.taken("zinc").mass
    assert wide.u == pytest.approx((exact.u**2 + (0.1 * 2.0) ** 2 / 3) ** 0.5)


def test_an_aliquot_speaks_for_the_whole():
    procedure = Procedure(
        title="Quarter",
        steps=(
            Step(id="a", kind="weigh", gives=("solution",), adds=("salt",)),
            Step(id="b", kind="divide", takes=("solution",), gives=("quarter", "left over")),
            Step(id="c", kind="evaporate", takes=("quarter",), gives=("crystals",)),
        ),
        substances=(Substance(name="salt", role="sample", formula="NaCl", component="salt"),),
        components=(Component(name="salt"),),
        portions=(Portion(name="quarter", share=0.25), Portion(name="crystals", component="salt", end="product")),
    )
    sheet = sheet_of("take salt 4.000 g", "dish 30.000", "dish crystals dried 30.980", procedure=procedure)
    assert sheet.ledger.portion("crystals").scale == 4
    assert sheet.ledger.closure.value == pytest.approx(0.98)
    assert sheet.ledger.components[0].recovery.value == pytest.approx(0.98)


def test_hydrate_water_is_counted_through_the_form():
    """Blue crystals in, white powder out: grams fall by a third, copper stays."""
    procedure = Procedure(
        title="Water in blue crystals",
        steps=(
            Step(id="a", kind="weigh", gives=("blue",), adds=("blue vitriol",), container=("dish",)),
            Step(id="b", kind="heat", takes=("blue",), gives=("white", "steam"), container=("dish",)),
        ),
        substances=(Substance(name="blue vitriol", role="sample", formula="CuSO4·5H2O", component="copper"),),
        components=(Component(name="copper", carrier="Cu"),),
        portions=(
            Portion(name="white", component="copper", formula="CuSO4", end="product"),
            Portion(name="steam", by_loss=True),
        ),
    )
    sheet = sheet_of("dish 30.000", "dish blue 32.497", "dish white dried 31.596", procedure=procedure)
    assert sheet.ledger.components[0].recovery.value == pytest.approx(1.0, abs=1e-3)
    assert mass_of(sheet, "steam") == pytest.approx(0.901)
    assert sheet.ledger.closure is None


def test_what_was_borrowed_is_left_out():
    borrowed = e.Borrowed(portion="salt", source="bench 4", why="ours was spilt")
    mine, theirs = (sheet_of(*LOSSLESS, *more, procedure=POWDER) for more in ((), (borrowed,)))
    assert theirs.ledger.portion("salt").basis == "borrowed"
    assert theirs.ledger.found.value == pytest.approx(mine.ledger.found.value - mass_of(mine, "salt"))
    assert not theirs.ledger.complete


def test_volumes_take_the_bottle_as_it_was_made():
    procedure = CHALK.model_copy(
        update={"substances": (*CHALK.substances[:1], Substance(name="soda", formula="Na2CO3", molar=0.5))}
    )
    nominal = e.Taken(substance="soda", amount="25.0 mL")
    actual = e.Taken(
        substance="soda",
        amount="25.0 mL",
        bottle=e.Bottle(code="K7QX", molar=0.512, u=0.001),
        tolerance="0.03 mL",
        glass="pipette",
    )
    assert sheet_of(nominal, procedure=procedure).ledger.taken("soda").amount.value == pytest.approx(0.0125)
    from_bottle = sheet_of(actual, procedure=procedure).ledger.taken("soda")
    assert from_bottle.amount.value == pytest.approx(0.0128)
    relative = ((0.001 / 0.512) ** 2 + ((0.1**2 / 12 + 0.03**2 / 3) / 25**2)) ** 0.5
    assert from_bottle.amount.u / from_bottle.amount.value == pytest.approx(relative)
    assert "bottle K7QX" in from_bottle.working[-1].shown


def test_another_substance_of_the_same_use_is_what_counts():
    said = e.Taken(
        substance="sodium carbonate", amount="1.40 g", instead="potassium carbonate", instead_formula="K2CO3"
    )
    sheet = sheet_of("take calcium chloride dihydrate 1.500 g", said, procedure=CHALK)
    assert sheet.ledger.taken("sodium carbonate").amount.value == pytest.approx(1.40 / molar_mass("K2CO3"))
    assert "used-instead" in {f.code for f in sheet.findings}


def test_everything_has_its_working():
    sheet = sheet_of(*LOSSLESS, procedure=POWDER)
    lines = {line.what: line.shown for p in sheet.ledger.portions.values() for line in p.working}
    assert lines["salt on beaker + watch glass"] == "62.213 g − 61.204 g = 1.009 ± 0.001 g"
    assert lines["camphor vapour, by difference"].startswith("3.006 − 2.003 g = 1.003")
    assert [line.what for line in sheet.ledger.working] == ["Recovered", "Mass balance", "Unaccounted for"]


def test_ten_thousand_entries_are_worked_out():
    """Far beyond any page; how long it takes is measured in the benchmarks."""
    page = page_of(*LOSSLESS, procedure=POWDER)
    last = page[-1]
    many = [
        Entry(
            UUID(int=1000 + i),
            len(page) + i,
            e.Weighed(container=(f"cup {i}",), state="empty", mass="20.000 g"),
            None,
            "",
            "Ida",
            last.at + timedelta(minutes=i),
        )
        for i in range(1, 2001)
    ]
    assert work_out([*page, *many]).ledger.closure.value == work_out(page).ledger.closure.value


def test_a_set_weighed_empty_together_has_its_tare_before_anything_is_in_it():
    ledger = sheet_of("beaker + watch glass 70.338").ledger
    tare = ledger.tares[frozenset({"beaker", "watch glass"})]
    assert (tare.how, tare.mass.value) == ("weighed", 70.338)
