"""Equations, reactions, solutions, solubility and contents: what comes out, and what is refused."""

import math

import pytest
from hypothesis import assume, given
from hypothesis import strategies as st

from helvor.core.laws.precipitation.gravimetry import content, factor, parallels
from helvor.core.laws.precipitation.reaction import react, reagent_for
from helvor.core.laws.precipitation.solubility import dissolved, losses, salt_of
from helvor.core.laws.precipitation.solution import dilute, flask_for, to_make
from helvor.core.quantities.formula import (
    atoms,
    balance,
    charge_of,
    molar_mass,
    parse_equation,
    plain,
    readable,
    supplies,
)
from helvor.core.quantities.measured import Measured
from helvor.core.quantities.reading import Unreadable
from helvor.core.techniques.precipitation.amounts import read_line, read_lines


@pytest.mark.parametrize(
    ("written", "formula", "charge", "shown"),
    [
        ("Ba2+", "Ba^2+", 2, "Ba²⁺"),
        ("Ba^2+(aq)", "Ba^2+", 2, "Ba²⁺"),
        ("Ba²⁺", "Ba^2+", 2, "Ba²⁺"),
        ("SO42-", "SO4^2-", -2, "SO₄²⁻"),
        ("SO4 2-", "SO4^2-", -2, "SO₄²⁻"),
        ("SO4(2-)", "SO4^2-", -2, "SO₄²⁻"),
        ("NH4+", "NH4^+", 1, "NH₄⁺"),
        ("H3O+", "H3O^+", 1, "H₃O⁺"),
        ("Cl-", "Cl^-", -1, "Cl⁻"),
        ("[Fe(CN)6]4-", "[Fe(CN)6]^4-", -4, "[Fe(CN)₆]⁴⁻"),
        ("BaSO4(s)", "BaSO4", 0, "BaSO₄"),
        ("AgCl↓", "AgCl", 0, "AgCl"),
        ("BaCl2 · 2 H2O".replace(" 2 ", "2"), "BaCl2.2H2O", 0, "BaCl₂·2H₂O"),
    ],
)
def test_charges_phases_and_hydrates_are_understood(written, formula, charge, shown):
    assert plain(written) == formula
    assert charge_of(written) == charge
    assert readable(written) == shown
    assert plain(readable(written)) == formula


@pytest.mark.parametrize(
    ("text", "says"),
    [
        ("BaCl + Xy2 -> BaXy", "no element Xy"),
        ("NaCL + AgNO3 -> AgCl + NaNO3", "no element L; Cl with a small letter is"),
        ("nacl -> Na + Cl2", "begin with a capital"),
        ("Ca(OH2 -> CaO + H2O", r"a bracket \) is missing"),
        ("Na -> K", "This cannot be balanced: K is only on the right"),
        ("H2O2 + KMnO4 + H2SO4 -> MnSO4 + K2SO4 + H2O + O2", "more than one way"),
        ("C7H6O3 + C4H6O3 -> C9H8O4 + H2O", "more than one way"),
        ("CO -> CO2", "This equation cannot be balanced: a reactant or product is missing or"),
        ("Ag^+ + Cl2 -> AgCl", "This equation cannot be balanced: a reactant or product is missing or"),
        ("BaCl2 + Na2SO4", "Enter two sides with an arrow, such as CaCl"),
    ],
)
def test_what_cannot_be_balanced_says_which_part(text, says):
    with pytest.raises(Unreadable, match=says):
        balance(text)


def test_charges_that_do_not_balance_are_said():
    with pytest.raises(Unreadable, match=r"charges do not balance: \+2 on the left, \+3 on the right"):
        parse_equation("Fe^2+ -> Fe^3+")


METALS = st.sampled_from([("Na", 1), ("K", 1), ("Ag", 1), ("Ca", 2), ("Ba", 2), ("Pb", 2), ("Al", 3), ("Fe", 3)])
ANIONS = st.sampled_from([("Cl", 1), ("NO3", 1), ("SO4", 2), ("CO3", 2), ("PO4", 3), ("OH", 1), ("I", 1)])


def salt(metal, anion):
    (m, a), (x, b) = metal, anion
    common = math.gcd(a, b)
    n, k = b // common, a // common
    many = f"({x}){k}" if len(x) > 2 or x == "OH" else f"{x}{k}"
    return f"{m}{n if n > 1 else ''}{many if k > 1 else x}"


@given(METALS, ANIONS, METALS, ANIONS)
def test_every_exchange_of_ions_balances(m, x, n, y):
    """Double displacement always has whole numbers; atoms are the same on both sides with them."""
    assume(m[0] != n[0] and x[0] != y[0])
    left, right = (salt(m, x), salt(n, y)), (salt(m, y), salt(n, x))
    equation = balance(f"{' + '.join(left)} -> {' + '.join(right)}")
    for element in atoms(left[0]) | atoms(left[1]):
        before, after = (
            sum(count * atoms(formula).get(element, 0) for formula, count in side.items())
            for side in (equation.left, equation.right)
        )
        assert before == after
    assert parse_equation(str(equation)) == equation


AMOUNTS = st.floats(1e-4, 10)


@given(AMOUNTS, AMOUNTS)
def test_a_reaction_conserves_mass(a, b):
    """What is left over and what is made weigh what was taken."""
    equation = parse_equation("2 Al + 6 HCl -> 2 AlCl3 + 3 H2")
    outcome = react(equation, {"Al": Measured(a), "HCl": Measured(b)})
    before = a * molar_mass("Al") + b * molar_mass("HCl")
    after = sum(m.value * molar_mass(f) for f, m in outcome.left.items())
    after += sum(outcome.mass(f).value for f in outcome.made)
    assert after == pytest.approx(before, rel=1e-6)
    assert min(m.value for m in outcome.left.values()) >= -1e-9
    assert outcome.left[outcome.limiting].value == 0


@pytest.mark.parametrize("amounts", [{}, {"BaCl2": Measured(0.0)}, {"Na2SO4": Measured(-1.0)}])
def test_a_reaction_needs_an_amount_above_zero(amounts):
    with pytest.raises(Unreadable, match="amount"):
        react(parse_equation("BaCl2 + Na2SO4 -> BaSO4 + 2 NaCl"), amounts)


def test_the_limiting_reagent_is_the_least_by_the_equation_not_by_mass():
    outcome = react(
        parse_equation("CaCl2 + Na2CO3 -> CaCO3 + 2 NaCl"),
        {
            "CaCl2": Measured(0.012),
            "Na2CO3": Measured(0.010),
        },
    )
    assert outcome.limiting == "Na2CO3"
    assert outcome.excess == {"CaCl2": pytest.approx(0.2)}
    assert outcome.mass("CaCO3").value == pytest.approx(1.0009, rel=1e-3)


@pytest.mark.parametrize(
    ("have", "reagent", "grams"),
    [
        ("Na2SO4", "BaCl2·2H2O", 0.01 * 244.26),
        ("Al2(SO4)3", "BaCl2", 0.03 * 208.23),
        ("H2SO4", "Ba(OH)2·8H2O", 0.01 * 315.46),
    ],
)
def test_a_reagent_is_reckoned_in_the_form_it_is_bought(have, reagent, grams):
    needed = reagent_for(parse_equation("Ba^2+ + SO4^2- -> BaSO4"), have, 0.01, reagent, 1.0)
    assert needed.mass == pytest.approx(grams, rel=2e-4)
    twice = reagent_for(parse_equation("Ba^2+ + SO4^2- -> BaSO4"), have, 0.01, reagent, 2.0)
    assert twice.mass == pytest.approx(2 * needed.mass)


@pytest.mark.parametrize(
    ("have", "reagent", "amount"), [("NaCl", "BaCl2", 1.0), ("Na2SO4", "NaCl", 1.0), ("Na2SO4", "BaCl2", 0.0)]
)
def test_a_reagent_that_has_no_part_in_it_is_refused(have, reagent, amount):
    with pytest.raises(Unreadable):
        reagent_for(parse_equation("Ba^2+ + SO4^2- -> BaSO4"), have, amount, reagent)


@pytest.mark.parametrize(
    ("line", "formula", "mol"),
    [
        ("CaCl2·2H2O 1.470 g", "CaCl2.2H2O", 1.470 / 147.01),
        ("CaCl2·2H2O 1470 mg", "CaCl2.2H2O", 1.470 / 147.01),
        ("HCl 25.0 mL 2.0 M", "HCl", 0.05),
        ("HCl 25.0 mL 2.0 mol/L", "HCl", 0.05),
        ("C2H6O 10.0 mL 0.789 g/mL", "C2H6O", 7.89 / 46.07),
        ("NaOH 2.00 g 97 %", "NaOH", 1.94 / 40.0),
        ("HCl 25.0 mL 37 % 1.18 g/mL", "HCl", 25 * 1.18 * 0.37 / 36.46),
        ("Na2CO3 12.5 mmol", "Na2CO3", 0.0125),
    ],
)
def test_amounts_are_read_as_people_write_them(line, formula, mol):
    taken = read_line(line)
    assert taken.formula == formula
    assert taken.amount.value == pytest.approx(mol, rel=3e-4)


def test_a_judged_amount_is_less_sure():
    assert read_line("Zn about 0.80 g").amount.u > 5 * read_line("Zn 0.80 g").amount.u


@pytest.mark.parametrize(
    ("line", "says"),
    [
        ("NaCl 5 mL", "its concentration"),
        ("NaCl 0 g", "above zero"),
        ("NaCl −2 g", "above zero"),
        ("1.5 g", "enter the formula before the amount"),
        ("NaCl", "its amount"),
        ("C2H6O 10 mL 789 g/mL", "g/mL is not a liquid"),
        ("NaOH 2 g 140 %", "enter a purity above"),
        ("Xx 2 g", "no element Xx"),
    ],
)
def test_bad_amounts_get_one_sentence(line, says):
    with pytest.raises(Unreadable, match=says):
        read_lines(line)


def test_a_name_that_somebody_knows_stands_for_its_formula():
    known = {"washing soda": "Na2CO3·10H2O"}
    assert read_line("washing soda 2.86 g", lambda name: known.get(name, name)).formula == "Na2CO3.10H2O"


@pytest.mark.parametrize(
    ("volume", "flask"), [(250, (250, True)), (240, (250, False)), (1, (5, False)), (2000, (2000, True))]
)
def test_a_solution_is_made_in_a_flask_that_there_is(volume, flask):
    assert flask_for(volume) == flask


@pytest.mark.parametrize(
    "make",
    [
        lambda: to_make(0, 100, "NaCl"),
        lambda: to_make(1, 0, "NaCl"),
        lambda: to_make(1, 5000, "NaCl"),
        lambda: to_make(1, 100, "NaCl", 0),
        lambda: to_make(1, 100, "salt"),
        lambda: dilute(1, 1, 100),
        lambda: dilute(1, 2, 100),
        lambda: dilute(99, 1, 100),
    ],
)
def test_solutions_that_cannot_be_made_are_refused(make):
    with pytest.raises(Unreadable):
        make()


@given(st.floats(0.01, 5), st.sampled_from([25, 50, 100, 250]), st.floats(1.1, 50))
def test_diluting_what_was_made_keeps_the_amount(molar, volume, times):
    strong = min(molar * times, 30.0)
    assume(strong > molar * 1.001)
    assert dilute(strong, molar, volume).amount * strong == pytest.approx(molar * volume)


@given(st.floats(1e-30, 1e-3), st.integers(1, 3), st.integers(1, 3), st.floats(0, 1), st.floats(0, 1))
def test_what_dissolves_fulfils_the_solubility_product(ksp, p, q, cation, anion):
    s = dissolved(ksp, p, q, cation, anion)
    assert s >= 0
    product = (p * s + cation) ** p * (q * s + anion) ** q
    assert product == pytest.approx(ksp, rel=1e-6) or cation**p * anion**q > ksp or s < 1e-12


@given(st.floats(1e-20, 1e-4), st.floats(0, 0.5), st.floats(0.001, 0.5))
def test_an_ion_in_common_only_ever_lowers_it(ksp, there, more):
    assert dissolved(ksp, 1, 1, there + more) <= dissolved(ksp, 1, 1, there) * (1 + 1e-9)


@pytest.mark.parametrize(
    ("formula", "ions"),
    [
        ("BaSO4", ("Ba", 1, "SO4", 1)),
        ("PbI2", ("Pb", 1, "I", 2)),
        ("Ca3(PO4)2", ("Ca", 3, "PO4", 2)),
        ("Ag2CrO4", ("Ag", 2, "CrO4", 1)),
        ("Hg2Cl2", ("Hg2", 1, "Cl", 2)),
        ("CaC2O4·H2O", ("Ca", 1, "C2O4", 1)),
        ("Fe(OH)3", ("Fe", 1, "OH", 3)),
    ],
)
def test_a_salt_comes_apart_into_its_ions(formula, ions):
    found = salt_of(formula)
    assert (found.cation, found.p, found.anion, found.q) == ions


@pytest.mark.parametrize("formula", ["C6H12O6", "NaK", "Xx2"])
def test_what_is_no_salt_of_a_known_anion_is_refused(formula):
    with pytest.raises(Unreadable):
        salt_of(formula)


def test_washes_take_more_than_a_liquor_with_an_ion_in_common():
    found = losses("BaSO4", 10**-9.97, liquor=100, cation=0.01, washes=60)
    assert found.washes > 100 * found.liquor > 0


@pytest.mark.parametrize(
    ("sought", "weighed", "carrier", "says"),
    [
        ("NaCl", "BaSO4", "", "no element|says nothing"),
        ("CuSO4", "CuSO3", "", "share Cu and S"),
        ("SO4", "BaSO4", "Ba", "not in both"),
    ],
)
def test_a_factor_needs_one_element_to_count_by(sought, weighed, carrier, says):
    with pytest.raises(Unreadable, match=says):
        factor(sought, weighed, carrier)


def test_contents_and_parallels():
    part = content(Measured(0.300), factor("SO4", "BaSO4"), Measured(0.512))
    assert part.value == pytest.approx(0.2412, rel=1e-3)
    with pytest.raises(Unreadable):
        content(Measured(0.3), 0.4, Measured(0.0))
    two = parallels([24.12, 22.46])
    assert two.relative == pytest.approx(1.66 / 23.29, rel=1e-3)
    assert two.deviation is None
    for bad in ([], [1.0], [1.0, -1.0]):
        with pytest.raises(Unreadable):
            parallels(bad)


@pytest.mark.parametrize(
    ("formula", "species", "brings"),
    [
        ("BaCl2·2H2O", "Ba^2+", 1),
        ("Al2(SO4)3", "SO4^2-", 3),
        ("BaCl2·2H2O", "BaCl2", 1),
        ("NaCl", "Ba^2+", 0),
        ("BaSO4", "BaCl2", 0),
        ("Ca(OH)2", "OH^-", 2),
        ("KClO3", "Cl^-", 0),
        ("KIO3", "I^-", 0),
        ("KMnO4", "Mn^2+", 0),
        ("H2O", "OH^-", 0),
        ("H2SO4", "H^+", 2),
        ("NaOH", "H^+", 0),
        ("KNO3", "NO2^-", 0),
        ("Na2S2O3", "S2O3^2-", 1),
        ("Na2SO4", "S^2-", 0),
        ("K4[Fe(CN)6]", "[Fe(CN)6]^4-", 1),
        ("KAl(SO4)2", "Al^3+", 1),
        ("CaO", "Ca^2+", 1),
        ("FeCl3·6H2O", "Cl^-", 3),
        ("NaCl", "C^4-", 0),
    ],
)
def test_a_salt_brings_its_ions(formula, species, brings):
    assert supplies(formula, species) == brings


def test_very_insoluble_hydroxides_meet_the_hydroxide_of_water():
    """Iron(III) hydroxide: the product alone would give 1e-10 mol/L, with 1e-7 of hydroxide it is 1e-17."""
    found = losses("Fe(OH)3", 10**-38.55, liquor=1000)
    assert found.liquor / molar_mass("Fe(OH)3") == pytest.approx(10**-38.55 / 1e-21, rel=1e-3)
    milk = losses("Mg(OH)2", 10**-11.25, liquor=1000)
    assert milk.liquor / molar_mass("Mg(OH)2") == pytest.approx((10**-11.25 / 4) ** (1 / 3), rel=1e-3)


def test_a_volume_without_a_flask_of_its_own_is_a_cylinders():
    assert to_make(0.1, 180, "NaCl").glass == "200 mL measuring cylinder, to 180 mL"
    assert to_make(0.1, 250, "NaCl").glass == "250 mL volumetric flask"
