"""Layers against reference libraries, handbook values, direct simulation and textbook examples."""

from pathlib import Path

import chemicals
import pytest
from chemicals.identifiers import CAS_from_any

from helvor.core.laws.extraction.acid_base import Solute, Water, ph_of, ph_to_move, reagent, to_reach
from helvor.core.laws.extraction.distribution import left, limit, with_clinging
from helvor.core.laws.extraction.drying import AGENT
from helvor.core.laws.extraction.layers import settle
from helvor.core.laws.extraction.solutions import COEFFICIENTS, molar_density, solution_density, water_density
from helvor.shelf.liquids import liquid_named
from helvor.shelf.shelf import shipped

SHELF = shipped()
HERE = Path(__file__).parent


def laliberte():
    """CAS → c0 … c4 and the largest mass fraction: the table of Laliberté 2009 as ``chemicals`` ships it."""
    table = Path(chemicals.__file__).parent / "Electrolytes" / "Laliberte2009.tsv"
    head, *rows = [line.split("\t") for line in table.read_text(encoding="utf-8").splitlines()]
    columns = [head.index(name) for name in ("c0", "c1", "c2", "c3", "c4")]
    return {row[1]: [float(row[i]) for i in columns] for row in rows if all(row[i] for i in columns)}


@pytest.mark.parametrize("formula", sorted(COEFFICIENTS))
def test_the_coefficients_are_those_of_the_collection(formula):
    cas = {"C2H4O2": "64-19-7", "NH3": "7664-41-7"}.get(formula) or CAS_from_any(formula)
    assert list(COEFFICIENTS[formula][:5]) == pytest.approx(laliberte()[cas], rel=1e-9)


@pytest.mark.parametrize(
    ("formula", "fraction", "handbook"),
    [
        ("NaCl", 0.10, 1.0707),
        ("NaCl", 0.26, 1.1972),
        ("NaOH", 0.04, 1.0428),
        ("NaOH", 0.20, 1.2192),
        ("HCl", 0.10, 1.0476),
        ("HCl", 0.30, 1.1492),
        ("NaHCO3", 0.05, 1.0354),
        ("Na2CO3", 0.10, 1.1029),
        ("H2SO4", 0.50, 1.3952),
        ("CaCl2", 0.20, 1.1775),
        ("NH3", 0.10, 0.9575),
        ("KCl", 0.20, 1.1328),
    ],
)
def test_densities_of_solutions_against_the_handbook(formula, fraction, handbook):
    """CRC Handbook, concentrative properties of aqueous solutions at 20 °C; values from memory."""
    assert solution_density(formula, fraction) == pytest.approx(handbook, abs=0.004)


def test_water():
    """Density of water at 4, 20, 25 and 60 °C, CRC Handbook."""
    for celsius, expected in ((4, 0.99997), (20, 0.99821), (25, 0.99705), (60, 0.98320)):
        assert water_density(celsius) == pytest.approx(expected, abs=2e-4)
    assert molar_density("HCl", 12.0) == pytest.approx(1.18, abs=0.01)  # concentrated acid, on its bottle


@pytest.mark.parametrize("solvent", ["diethyl ether", "ethyl acetate", "hexane", "toluene", "dichloromethane"])
def test_organic_densities_against_the_library(solvent):
    """Saturated liquid at 20 °C by COSTALD or VDI tables of ``chemicals``, a thousandth or so apart."""
    cas = CAS_from_any(solvent)
    tc, vc, omega = chemicals.Tc(cas), chemicals.Vc(cas), chemicals.omega(cas)
    by_library = chemicals.MW(cas) / chemicals.COSTALD(293.15, tc, vc, omega) / 1e6
    assert liquid_named(solvent, SHELF).density == pytest.approx(by_library, rel=0.03)


@pytest.mark.parametrize(
    ("solvent", "handbook"),
    [
        ("diethyl ether", 0.714),
        ("ethyl acetate", 0.900),
        ("hexane", 0.661),
        ("dichloromethane", 1.326),
        ("chloroform", 1.489),
    ],
)
def test_organic_densities_against_the_handbook(solvent, handbook):
    """CRC Handbook, 20 °C; from memory."""
    assert liquid_named(solvent, SHELF).density == pytest.approx(handbook, abs=0.005)


@pytest.mark.parametrize(
    ("solvent", "place"),
    [
        ("diethyl ether", "upper"),
        ("ethyl acetate", "upper"),
        ("hexane", "upper"),
        ("toluene", "upper"),
        ("tert-butyl methyl ether", "upper"),
        ("dichloromethane", "lower"),
        ("chloroform", "lower"),
    ],
)
def test_ether_on_top_dichloromethane_below(solvent, place):
    """A fact of the trade: common practice, no source."""
    water = liquid_named("water", SHELF)
    assert settle([(liquid_named(solvent, SHELF), 30.0), (water, 30.0)]).where("organic") == place


@pytest.mark.parametrize(
    "solvent", ["methanol", "ethanol", "propan-2-ol", "acetone", "acetonitrile", "tetrahydrofuran"]
)
def test_what_mixes_with_water_makes_no_layer(solvent):
    """Common practice, no source."""
    assert "mix" in settle([(liquid_named(solvent, SHELF), 30.0), (liquid_named("water", SHELF), 30.0)]).why_one


PH = [line.split(";") for line in (HERE / "ph.csv").read_text(encoding="utf-8").splitlines()[1:]]


@pytest.mark.parametrize(("strong", "carbonate", "weak", "ph"), PH)
def test_ph_of_mixtures_agrees_with_phcalc(strong, carbonate, weak, ph):
    """72 mixtures by pHcalc 0.2; its answers are kept in ph.csv."""
    parts = [one.split(":") for one in weak.split()]
    solutes = [Solute("it", acts, float(pka), 0.0, float(mol)) for acts, pka, mol in parts]
    assert ph_of(Water(1000.0, float(strong), float(carbonate)), solutes) == pytest.approx(float(ph), abs=0.01)


POLYPROTIC = [line.split(";") for line in (HERE / "ph_polyprotic.csv").read_text(encoding="utf-8").splitlines()[1:]]


@pytest.mark.parametrize(("name", "acts", "pkas", "mol", "strong", "ph"), POLYPROTIC)
def test_ph_of_acids_and_bases_of_several_steps_agrees_with_phcalc(name, acts, pkas, mol, strong, ph):
    """Phosphoric, citric and oxalic acid, glycine and ethylenediamine with strong acid or base by pHcalc 0.2."""
    first, *further = (float(pka) for pka in pkas.split())
    plus = 1 if acts == "zwitterion" else None
    one = Solute(name, "acid" if acts == "zwitterion" else acts, first, 0.0, float(mol), tuple(further), plus)
    assert ph_of(Water(1000.0, float(strong)), [one]) == pytest.approx(float(ph), abs=0.02)


def test_phosphoric_acid_to_neutral_takes_both_steps():
    """50 mL of 0.100 M: 5.00 mmol for the first step and 1.93 mmol of the second at pH 7, by its pKa of 7.20."""
    found = to_reach(7.0, reagent("H3PO4", 0.005, 50.0), [], 1.0)
    assert found.volume == pytest.approx(6.93, abs=0.03)


CHARGED = [line.split(";") for line in (HERE / "charged.csv").read_text(encoding="utf-8").splitlines()[1:]]


@pytest.mark.parametrize(("acts", "pka", "ph", "part"), CHARGED)
def test_distribution_over_ph_follows_phcalc(acts, pka, ph, part):
    """D = K·(1 − charged part), with the charged parts of pHcalc 0.2, kept in charged.csv."""
    one = Solute("it", acts, float(pka), 80.0)
    assert one.charged(float(ph)) == pytest.approx(float(part), rel=1e-6, abs=1e-12)
    assert one.d(float(ph)) == pytest.approx(80.0 * (1 - float(part)), rel=1e-6, abs=1e-7)


@pytest.mark.parametrize(
    ("solutes", "strong", "ph"),
    [
        ([Solute("acetic acid", "acid", 4.76, 0, 0.1)], 0.0, 2.88),
        ([Solute("ammonia", "base", 9.25, 0, 0.1)], 0.0, 11.12),
        ([Solute("acetic acid", "acid", 4.76, 0, 0.1)], 0.05, 4.76),
        ([Solute("acetic acid", "acid", 4.76, 0, 0.1)], 0.1, 8.88),
    ],
)
def test_textbook_ph(solutes, strong, ph):
    """0.1 M acetic acid, 0.1 M ammonia, half neutralized, at the end point: worked examples of every textbook,
    from memory."""
    assert ph_of(Water(1000.0, strong), solutes) == pytest.approx(ph, abs=0.01)


def counter_current(d, feed, portion, times, grains=200_000):
    """Repeated extraction done directly: grains of substance shared out portion by portion, nothing solved."""
    here = float(grains)
    for _ in range(times):
        ratio = d * portion / feed
        over = here * ratio / (1 + ratio)
        here -= over
    return here / grains


@pytest.mark.parametrize("times", range(1, 9))
@pytest.mark.parametrize("d", [0.2, 1.0, 4.0, 25.0])
def test_repeated_extraction_by_direct_simulation(d, times):
    assert left(d, 50.0, 20.0, times) == pytest.approx(counter_current(d, 50.0, 20.0, times))


def films(d, feed, portions, clings):
    """The same with a film, in small steps towards equilibrium instead of its formula."""
    in_feed, in_extract, film = 1.0, 0.0, 0.0
    for portion in portions:
        volume = portion + film
        for _ in range(20_000):
            gap = d * in_feed / feed - in_extract / volume
            step = 0.05 * gap * feed * volume / (d * volume + feed)
            in_feed, in_extract = in_feed - step, in_extract + step
            if abs(gap) < 1e-12:
                break
        in_extract *= clings / volume
        film = clings
    return in_feed, in_extract


def test_what_clings_by_direct_simulation():
    assert with_clinging(6.0, 60.0, [15.0, 15.0, 15.0], 1.5) == pytest.approx(
        films(6.0, 60.0, [15.0] * 3, 1.5), rel=1e-6
    )


@pytest.mark.parametrize(
    ("d", "feed", "portion", "times", "percent_left"),
    [
        # 100 mL of water with 100 mL of ether at once, then four times 25 mL, D = 4: 20 % and 6.25 %.
        (4.0, 100.0, 100.0, 1, 20.0),
        (4.0, 100.0, 25.0, 4, 6.25),
        # D = 3, 50 mL of water, 100 mL at once 14 %, five times 20 mL 1.9 %.
        (3.0, 50.0, 100.0, 1, 14.29),
        (3.0, 50.0, 20.0, 5, 1.944),
    ],
)
def test_textbook_extraction(d, feed, portion, times, percent_left):
    """Worked examples in the manner of Harris, Quantitative Chemical Analysis, from memory."""
    assert 100 * left(d, feed, portion, times) == pytest.approx(percent_left, rel=0.002)


def test_the_limit_is_where_many_portions_lead():
    assert left(4.0, 50.0, 45.0 / 50, 50) == pytest.approx(limit(4.0, 50.0, 45.0), rel=0.15)


def test_two_units_beyond_the_pka_are_not_enough():
    """pH ≥ pKa + 2 + log(K·V_org/V_aq), to within what the 1 in 1 + 10^x makes of it."""
    assert ph_to_move("acid", 4.2, 74, 50, 20) == pytest.approx(4.2 + 2 + 2.267, abs=0.01)
    assert ph_to_move("base", 9.2, 30, 50, 20) == pytest.approx(9.2 - 2 - 1.875, abs=0.01)


def test_acid_to_ph_two_is_unused_base_and_salt_and_free_acid():
    """For a carboxylic acid in base: all the base is met, and 0.01 mol/L stays free. Common practice."""
    found = to_reach(2.0, Water(45.0, 0.045), [Solute("it", "acid", 4.44, 0, 0.0067)], 6.0)
    free = 0.01 * (45.0 + found.volume) / 1000
    assert found.mol == pytest.approx(0.045 + free, abs=5e-5)


@pytest.mark.parametrize(
    ("key", "holds"),
    [
        ("sodium-sulfate", 1.27),
        ("magnesium-sulfate", 1.05),
        ("calcium-chloride", 0.97),
        ("potassium-carbonate", 0.20),
        ("calcium-sulfate", 0.07),
    ],
)
def test_uptake_of_drying_agents_at_the_full_hydrate(key, holds):
    """Computed from the hydrates' formulas; the numbers of common tables, from memory."""
    assert AGENT[key].holds == pytest.approx(holds, abs=0.006)


@pytest.mark.parametrize(
    ("name", "handbook"),
    [
        ("diethyl ether", 34.6),
        ("tert-butyl methyl ether", 55.2),
        ("ethyl acetate", 77.1),
        ("hexane", 68.7),
        ("dichloromethane", 39.8),
        ("toluene", 110.6),
    ],
)
def test_boiling_points_against_handbook_and_library(name, handbook):
    """CRC Handbook, from memory; and the library's own choice among its collections."""
    item = next(one for one in SHELF if one.kind == "solvent" and one.name == name)
    assert item.number("boils") == pytest.approx(handbook, abs=0.6)
    assert item.number("boils") == pytest.approx(chemicals.Tb(item.cas) - 273.15, abs=0.6)


@pytest.mark.parametrize(("name", "log_p"), [("benzoic acid", 1.87), ("cinnamic acid", 2.13), ("aniline", 0.90)])
def test_log_p_against_the_library(name, log_p):
    item = next(one for one in SHELF if one.kind == "substance" and one.name == name)
    assert item.number("log_p") == pytest.approx(chemicals.logP(item.cas), abs=0.02)
    assert item.number("log_p") == pytest.approx(log_p, abs=0.05)
