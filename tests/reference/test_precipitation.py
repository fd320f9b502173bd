"""Equations, factors, solubilities and washes against reference libraries and handbook values."""

import random
import re
import warnings
from pathlib import Path

import chemicals
import pytest
from scipy import optimize

from helvor.core.laws.filtration.wash import left_after
from helvor.core.laws.precipitation.gravimetry import factor
from helvor.core.laws.precipitation.solubility import dissolved, salt_of
from helvor.core.quantities.formula import balance, molar_mass, plain
from helvor.shelf.shelf import shipped

BALANCED = [
    line.split(";")
    for line in (Path(__file__).parent / "balanced.csv").read_text(encoding="utf-8").splitlines()[2:]
    if line
]


def ours(formula):
    """chempy's ``Fe+2`` as ``Fe^2+``."""
    return re.sub(r"([+-])(\d+)$", r"^\2\1", formula)


def side(text):
    return {plain(ours(term.partition("*")[2])): int(term.partition("*")[0]) for term in text.split()}


def test_there_are_more_than_forty_reactions():
    assert len(BALANCED) > 45


@pytest.mark.parametrize(("unbalanced", "left", "right"), BALANCED, ids=[row[0] for row in BALANCED])
def test_balancing_agrees_with_chempy(unbalanced, left, right):
    """``balance_stoichiometry`` of chempy 0.10; its answers are kept in balanced.csv."""
    before, after = unbalanced.split(" -> ")
    text = " -> ".join(" + ".join(ours(f) for f in s.split(" + ")) for s in (before, after))
    equation = balance(text)
    assert dict(equation.left) == side(left)
    assert dict(equation.right) == side(right)


@pytest.mark.parametrize(
    ("formula", "cas"),
    [
        ("BaSO4", "7727-43-7"),
        ("AgCl", "7783-90-6"),
        ("Fe2O3", "1309-37-1"),
        ("CaCO3", "471-34-1"),
        ("BaCl2·2H2O", "10326-27-9"),
        ("MgSO4·7H2O", "10034-99-8"),
        ("Na2SO4", "7757-82-6"),
        ("K2CrO4", "7789-00-6"),
        ("PbI2", "10101-63-0"),
        ("Mg2P2O7", "13446-24-7"),
    ],
)
def test_formula_masses_of_precipitates_against_the_chemicals_library(formula, cas):
    with warnings.catch_warnings():
        warnings.simplefilter("ignore")
        try:
            theirs = chemicals.MW(cas)
        except ValueError:
            pytest.skip("not in the collection")
    assert molar_mass(formula) == pytest.approx(theirs, rel=2e-4)


@pytest.mark.parametrize(
    ("sought", "weighed", "value"),
    [
        # Gravimetric factors as analytical handbooks print them; from memory.
        ("SO4", "BaSO4", 0.4116),
        ("SO3", "BaSO4", 0.3430),
        ("S", "BaSO4", 0.1374),
        ("Cl", "AgCl", 0.2474),
        ("Fe", "Fe2O3", 0.6994),
        ("FeO", "Fe2O3", 0.8998),
        ("Mg", "Mg2P2O7", 0.2184),
        ("MgO", "Mg2P2O7", 0.3622),
        ("P2O5", "Mg2P2O7", 0.6378),
        ("CaO", "CaCO3", 0.5603),
        ("Al", "Al2O3", 0.5293),
        ("Br", "AgBr", 0.4255),
        ("Ca", "CaC2O4·H2O", 0.2743),
        ("K", "KClO4", 0.2822),
        ("Ni", "NiC8H14N4O4", 0.2032),
        ("Pb", "PbSO4", 0.6832),
        # Above 1: the hydrate is heavier than what is weighed for it.
        ("MgSO4·7H2O", "BaSO4", 1.0561),
        ("Na2SO4·10H2O", "BaSO4", 1.3804),
        ("FeSO4·7H2O", "Fe2O3", 3.4820),
        ("MgSO4·7H2O", "Mg2P2O7", 2.2151),
        ("CuSO4·5H2O", "BaSO4", 1.0698),
    ],
)
def test_gravimetric_factors(sought, weighed, value):
    carrier = {"P2O5": "P", "MgO": "Mg"}.get(sought, "Mg" if weighed == "Mg2P2O7" else "Ni" if sought == "Ni" else "")
    assert factor(sought, weighed, carrier) == pytest.approx(value, rel=4e-4)


@pytest.mark.parametrize(
    ("formula", "mg_per_litre"),
    [
        # What a litre of pure water takes at 25 °C, as handbooks round it; from memory. Hydrolysis is left out.
        ("BaSO4", 2.4),
        ("AgCl", 1.9),
        ("PbI2", 640),
        ("Ag2CrO4", 22),
        ("CaF2", 16),
        ("PbSO4", 48),
        ("CaC2O4·H2O", 7),
    ],
)
def test_solubility_in_pure_water_from_the_shelfs_products(formula, mg_per_litre):
    item = next(item for item in shipped() if item.kind == "precipitate" and plain(item.formula) == plain(formula))
    salt = salt_of(formula)
    litre = dissolved(10 ** -item.number("pksp"), salt.p, salt.q) * molar_mass(formula) * 1000
    assert litre == pytest.approx(mg_per_litre, rel=0.15)


@pytest.mark.parametrize(
    ("p", "q", "cation", "anion"), [(1, 1, 0, 0), (1, 1, 0.01, 0), (2, 1, 0, 0.05), (1, 2, 0.1, 0), (3, 2, 0, 0.02)]
)
@pytest.mark.parametrize("pksp", [4, 10, 18, 33])
def test_the_common_ion_against_a_general_root_finder(p, q, cation, anion, pksp):
    """SciPy's brentq on the same equation, in logarithms."""
    ksp = 10.0**-pksp

    def over(log_s):
        s = 10**log_s
        return (p * s + cation) ** p * (q * s + anion) ** q - ksp

    theirs = 10 ** optimize.brentq(over, -40, 2, xtol=1e-12)
    assert dissolved(ksp, p, q, cation, anion) == pytest.approx(theirs, rel=1e-6)


def test_a_common_ion_of_a_hundredth_molar_is_about_a_thousandfold():
    """Common practice: in the liquor with its excess a thousandth of what pure water takes, or less."""
    assert 900 < dissolved(10**-9.97, 1, 1) / dissolved(10**-9.97, 1, 1, cation=0.01) < 1100


def test_washes_against_a_simulation_of_mixing_and_draining():
    """Forty thousand particles: at each rinse one stays where it happens to be in the liquid left behind."""
    rng, particles, behind, volume = random.Random(7), 40_000, 3.0, 9.0
    for rinse in range(1, 4):
        particles = sum(rng.uniform(0, behind + volume) < behind for _ in range(particles))
        expected = 40_000 * left_after(rinse, volume, behind)
        assert abs(particles - expected) < 4 * expected**0.5


@pytest.mark.parametrize(
    ("rinses", "volume", "behind", "left"),
    # Washing examples of gravimetric texts: residue of 0.5 mL, rinses of 9.5 mL; from memory.
    [(1, 9.5, 0.5, 0.05), (2, 9.5, 0.5, 0.0025), (3, 9.5, 0.5, 0.000125), (1, 20, 1, 1 / 21)],
)
def test_the_washing_formula_of_gravimetric_texts(rinses, volume, behind, left):
    assert left_after(rinses, volume, behind) == pytest.approx(left)
