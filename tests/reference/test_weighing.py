"""The ledger's numbers against published rules, reference libraries and worked examples."""

import math
import warnings
from datetime import UTC, datetime, timedelta

import chemicals
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from uncertainties import ufloat

from helvor.core.engine.run.tares import indication_u, net_u
from helvor.core.laws.constant_mass import Weighing, constancy
from helvor.core.quantities.formula import molar_mass, parse_equation
from helvor.core.quantities.measured import Measured
from helvor.core.record.container import MadeUp
from helvor.shelf.shelf import shipped
from tests.core.runs import CHALK, sheet_of

values = st.floats(0.5, 100)
doubts = st.floats(1e-5, 0.02)


@settings(max_examples=80)
@given(values, doubts, values, doubts, values, doubts)
def test_propagation_agrees_with_the_uncertainties_library(a, ua, b, ub, c, uc):
    """Shared inputs too: the `uncertainties` package, which keeps correlations (first order, JCGM 100:2008, 5.1)."""
    x, y, z = (Measured.read(v, u, n) for v, u, n in ((a, ua, "x"), (b, ub, "y"), (c, uc, "z")))
    p, q, r = ufloat(a, ua), ufloat(b, ub), ufloat(c, uc)
    for ours, theirs in (
        (x + y - z, p + q - r),
        ((x - z) / (y + z), (p - r) / (q + r)),
        (x * y / z + x, p * q / r + p),
        ((x + y) / (x + y + z), (p + q) / (p + q + r)),
    ):
        assert ours.value == pytest.approx(theirs.nominal_value, rel=1e-12)
        assert ours.u == pytest.approx(theirs.std_dev, rel=1e-6, abs=1e-12)


def test_one_indication_and_a_net():
    """JCGM 100:2008, F.2.2.1: a digital indication of step d has u = d/√12; a net holds two, d/√6."""
    assert indication_u(0.001) == pytest.approx(0.29e-3, rel=0.01)
    assert net_u(0.001) == pytest.approx(math.hypot(indication_u(0.001), indication_u(0.001)))


def test_a_whole_run_agrees_with_the_uncertainties_library():
    """Recovery of calcium through tare, gross and a net by the tare button."""
    sheet = sheet_of(
        "beaker A 70.000", "take calcium chloride dihydrate 1.512 g", "beaker A chalk dried 70.965", procedure=CHALK
    )
    tare, gross = ufloat(70.0, 0.001 / 12**0.5), ufloat(70.965, 0.001 / 12**0.5)
    taken = ufloat(1.512, 0.001 / 6**0.5)
    theirs = (gross - tare) / molar_mass("CaCO3") / (taken / molar_mass("CaCl2·2H2O"))
    ours = sheet.ledger.components[0].recovery
    assert ours.value == pytest.approx(theirs.nominal_value)
    assert ours.u == pytest.approx(theirs.std_dev)


OTHER_HYDRATE = {"7784-24-9": 474.39, "7791-13-1": 237.93, "10034-96-5": 169.02}
"""CAS numbers of hydrates for which the library's entry has another formula; molar masses from memory (CRC Handbook)."""


@pytest.mark.parametrize("item", [i for i in shipped() if i.cas and i.formula], ids=lambda i: i.name)
def test_formula_masses_agree_with_the_handbook(item):
    """Molar masses of the `chemicals` library (its identifier collection) for every substance it has by CAS number."""
    try:
        known = chemicals.search_chemical(item.cas)
    except ValueError:
        pytest.skip("the library has no entry for this CAS number")
    if item.cas in OTHER_HYDRATE:
        assert item.molar_mass == pytest.approx(OTHER_HYDRATE[item.cas], abs=0.01)
    elif known.MW:
        assert item.molar_mass == pytest.approx(known.MW, rel=5e-4)


@pytest.mark.parametrize(
    ("cas", "celsius"),
    # CRC Handbook of Chemistry and Physics, melting points; from memory.
    [("103-84-4", 114.3), ("65-85-0", 122.4), ("91-20-3", 80.3), ("69-72-7", 158.6), ("102-54-5", 172.5)],
)
def test_melting_points_on_the_shelf(cas, celsius):
    item = next(i for i in shipped() if i.cas == cas)
    assert item.number("melts") == pytest.approx(celsius, abs=2)


@pytest.mark.parametrize(
    ("name", "density"),
    # Handbook densities at 20 °C (CRC Handbook); from memory.
    [
        ("diethyl ether", 0.713),
        ("ethyl acetate", 0.900),
        ("hexane", 0.659),
        ("dichloromethane", 1.327),
        ("chloroform", 1.489),
        ("ethanol", 0.789),
        ("acetone", 0.790),
        ("water", 0.998),
        ("toluene", 0.867),
    ],
)
def test_densities_on_the_shelf(name, density):
    item = next(i for i in shipped() if i.name == name)
    assert item.number("density") == pytest.approx(density, rel=0.01)


def test_water_of_hydration():
    """Water per gram of anhydrous salt at the full hydrate, computed from the hydrates: 1.27 for Na2SO4·10H2O,
    1.05 for MgSO4·7H2O, 0.97 for CaCl2·6H2O (common practice, no source)."""
    for salt, waters, grams in (("Na2SO4", 10, 1.27), ("MgSO4", 7, 1.05), ("CaCl2", 6, 0.97)):
        assert waters * molar_mass("H2O") / molar_mass(salt) == pytest.approx(grams, abs=0.006)


def dried(first, second, minutes, step=0.0001):
    at = datetime(2026, 1, 1, tzinfo=UTC)
    return constancy(
        [Weighing(first, step, at), Weighing(second, step, at + timedelta(minutes=minutes))], "pharmacopoeia"
    )


def test_dried_to_constant_weight():
    """USP General Notices 6.40.10 (from memory): two consecutive weighings differ by not more than 0.50 mg per g,
    the second after an additional hour of drying."""
    assert dried(2.0010, 2.0000, 60).state == "constant"
    assert dried(2.0011, 2.0000, 60).state == "drying"
    assert dried(2.0010, 2.0000, 30).state == "soon"


@pytest.mark.parametrize(
    ("name", "tolerance"),
    # ISO 648 (pipettes), 1042 (flasks), 385 (burettes), 4788 (cylinders), class A unless said; from memory.
    [
        ("pipette 10 mL, class A", 0.02),
        ("pipette 25 mL, class A", 0.03),
        ("volumetric flask 100 mL, class A", 0.1),
        ("volumetric flask 250 mL, class A", 0.15),
        ("burette 50 mL, class A", 0.05),
        ("burette 50 mL, class B", 0.1),
        ("cylinder 100 mL, class A", 0.5),
    ],
)
def test_glassware_tolerances(name, tolerance):
    glass = next(i for i in shipped() if i.name == name)
    assert glass.number("tolerance") == tolerance
    b = next((i for i in shipped() if i.name == name.replace("class A", "class B")), None)
    if b is not None and b is not glass:
        assert b.number("tolerance") == 2 * tolerance, "class B has twice the tolerance of class A"


def test_a_standard_solution():
    """GUM worked through by hand: 5.300 g Na2CO3 in 250 mL (± 0.15 mL) is 0.2000 mol/L."""
    made = MadeUp(substance="soda", formula="Na2CO3", mass="5.300 g", volume="250 mL", tolerance="0.15 mL").molar
    assert made.value == pytest.approx(5.300 / 105.988 / 0.250, rel=1e-4)
    relative = math.hypot(0.001 / math.sqrt(6) / 5.3, 0.15 / math.sqrt(3) / 250)
    assert made.u / made.value == pytest.approx(relative)


def test_a_textbook_yield():
    """A stoichiometry exercise of the usual textbook form (from memory): 5.00 g CaCl2 with excess Na2CO3 gives
    4.51 g CaCO3 at most; 4.00 g is 88.7 %."""
    equation = parse_equation("CaCl2 + Na2CO3 -> CaCO3 + 2 NaCl")
    assert equation.right == {"CaCO3": 1, "NaCl": 2}
    most = 5.00 / molar_mass("CaCl2") * molar_mass("CaCO3")
    assert most == pytest.approx(4.51, abs=0.005)
    assert 4.00 / most == pytest.approx(0.887, abs=0.001)


def test_a_textbook_mass_balance():
    """A separation exercise of the usual textbook form (from memory): 3.24 g of a mixture give 1.12 g of a sublimate,
    1.04 g of salt and 1.01 g of sand: 34.6, 32.1 and 31.2 %, 97.8 % found."""
    from tests.core.runs import POWDER

    ledger = sheet_of(
        "dish 40.00",
        "dish powder 43.24",
        "dish residue dried 42.12",
        "beaker + watch glass 70.00",
        "dish beads dried 41.01",
        "beaker + watch glass salt dried 71.04",
        procedure=POWDER,
    ).ledger
    assert {n: round(100 * p.value, 1) for n, p in ledger.parts.items()} == {
        "camphor vapour": 34.6,
        "salt": 32.1,
        "beads": 31.2,
    }
    assert round(100 * ledger.closure.value, 1) == 97.8


def test_the_shelf_is_what_the_library_says():
    """Spot checks of what the build took over, asked again of the library by its own names."""
    with warnings.catch_warnings():
        warnings.simplefilter("ignore")
        for name, key, value in (
            ("camphor", "melts", chemicals.Tm("76-22-2") - 273.15),
            ("ethanol", "boils", chemicals.Tb("64-17-5", method="CRC_ORG") - 273.15),
            ("caffeine", "log_p", chemicals.logP("58-08-2")),
        ):
            item = next(i for i in shipped() if i.name == name)
            assert item.number(key) == pytest.approx(value, abs=0.3), name
