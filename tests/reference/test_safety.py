"""Hazards, flash points and ignition temperatures held against the outside."""

import chemicals
import pytest
from chemicals import safety

from helvor.core.hazards.care import HAZARDS, named, of_formula, signal
from helvor.core.hazards.heat import HOT_SURFACE, LOW_BOILER
from helvor.core.record.step_kinds import WASTE, WRONG_BOTTLES
from helvor.shelf.shelf import shipped

SOLVENTS = [item for item in shipped() if item.kind == "solvent" and item.name != "water"]
CHEMICALS = [item for item in shipped() if item.kind in ("solvent", "substance", "precipitate")]


def ghs_flammability(flash, boils):
    """UN, Globally Harmonized System, chapter 2.6: category by flash point and initial boiling point, °C."""
    if flash is None or flash > 60:
        return ""
    if flash < 23:
        return "extremely flammable" if boils is not None and boils <= 35 else "highly flammable"
    return "flammable"


@pytest.mark.parametrize("item", SOLVENTS, ids=lambda i: i.name)
def test_a_solvents_flammability_is_its_class_by_flash_and_boiling_point(item):
    said = next((h.strip() for h in item.text("hazard").split(";") if h.strip().endswith("flammable")), "")
    assert said == ghs_flammability(item.number("flash"), item.number("boils"))


@pytest.mark.parametrize("item", [i for i in SOLVENTS if i.cas and i.formula], ids=lambda i: i.name)
def test_flash_points_and_ignition_agree_with_two_standards(item):
    """IEC 60079-20-1 (2010) and NFPA 497 (2008), as the `chemicals` library has them: within 10 °C of either flash
    point, and no ignition temperature above the lower of the two."""
    flashes = [
        safety.T_flash(item.cas, method=m) - 273.15
        for m in ("IEC 60079-20-1 (2010)", "NFPA 497 (2008)")
        if m in safety.T_flash_methods(item.cas)
    ]
    if flashes:
        assert min(abs(item.number("flash") - f) for f in flashes) <= 10
    ignites = [safety.T_autoignition(item.cas, method=m) - 273.15 for m in safety.T_autoignition_methods(item.cas)]
    if ignites:
        assert item.number("ignites") == pytest.approx(min(ignites), abs=1)


@pytest.mark.parametrize("item", [i for i in SOLVENTS if i.number("flash") is not None], ids=lambda i: i.name)
def test_flammability_agrees_with_the_american_classes(item):
    """NFPA 30, by the `chemicals` library: class IA and IB and IC begin to burn below 37.8 °C. An independent scheme."""
    if item.number("boils") is None:
        pytest.skip("no boiling point")
    known = safety.NFPA_30_classification(item.number("flash") + 273.15, Tb=item.number("boils") + 273.15)
    highly = any(word in item.text("hazard") for word in ("highly flammable", "extremely flammable"))
    assert highly == (known in ("IA", "IB"))


def test_what_is_a_stop_on_a_hotplate_is_what_burns_there():
    """Ether, pentane and the alkanes ignite on hot surfaces; alcohols and esters do not so easily. Standards as above."""
    stops = {
        i.name
        for i in SOLVENTS
        if (i.number("ignites") or 999) <= HOT_SURFACE
        or ((i.number("boils") or 999) < LOW_BOILER and "flammable" in i.text("hazard"))
    }
    assert {"diethyl ether", "pentane", "hexane", "heptane", "1,4-dioxane", "acetone"} <= stops
    assert stops.isdisjoint({"ethanol", "propan-2-ol", "ethyl acetate", "toluene", "butan-1-ol", "water"})


NOT_ABOUT_THE_BOTTLE = {"ethanol", "sulfuric acid"}
"""The agency's entries of these are on drinks and on the mist of strong acid."""
WEAK_EVIDENCE = {"pyridine", "dichloromethane", "aniline", "N,N-dimethylformamide"}
"""Listed as possibly or probably, and classed lower or otherwise on European labels, from memory."""


@pytest.mark.parametrize("item", [i for i in CHEMICALS if i.text("carcinogen")], ids=lambda i: i.name)
def test_what_the_cancer_lists_name_is_said(item):
    """IARC monographs and the NTP's report, in the `chemicals` library: listed means that the hazard speaks of cancer."""
    if item.name in NOT_ABOUT_THE_BOTTLE | WEAK_EVIDENCE:
        assert item.values["carcinogen"].source.startswith("IARC")
    else:
        assert "cancer" in item.text("hazard"), item.text("carcinogen")


@pytest.mark.parametrize(
    "name",
    [
        "barium chloride",
        "cobalt chloride",
        "nickel sulfate",
        "potassium dichromate",
        "lead nitrate",
        "mercury(II) chloride",
        "acetylferrocene",
        "phenol",
        "oxalic acid dihydrate",
        "dioxane",
        "pyridine",
        "aniline",
        "DMF",
        "naphthalene",
        "barium nitrate",
        "nickel nitrate",
        "cobalt nitrate",
        "potassium chromate",
    ],
)
def test_what_harms_most_is_never_without_a_word(name):
    [care] = named(name)
    assert signal(care.hazards), care


@pytest.mark.parametrize("item", CHEMICALS, ids=lambda i: i.name)
def test_every_hazard_is_worded_in_known_words_and_every_chemical_has_a_stream(item):
    for hazard in (h.strip() for h in item.text("hazard").split(";") if h.strip()):
        assert any(hazard.startswith(known) for known in HAZARDS), hazard
    assert item.text("waste") in WASTE, item.name


@pytest.mark.parametrize(
    ("formula", "word"),
    [
        ("BaCl2", "toxic"),
        ("Pb(CH3COO)2", "unborn"),
        ("CoSO4·7H2O", "cancer"),
        ("Ni(CH3COO)2", "cancer"),
        ("CrO3", "cancer"),
        ("HgO", "toxic"),
        ("CdCl2", "cancer"),
    ],
)
def test_a_salt_nobody_listed_is_known_by_its_metal(formula, word):
    """Common practice: the metal decides while nothing else is known."""
    care = of_formula(formula)
    assert care.waste == "heavy metal" and word in " ".join(care.hazards)


@pytest.mark.parametrize("item", [i for i in CHEMICALS if i.formula], ids=lambda i: i.name)
def test_a_heavy_metal_is_never_in_another_bottle(item):
    """Barium, lead, mercury, cobalt, nickel, chromium, copper, zinc, manganese, silver. Common practice; barium sulfate
    and the organic iron compounds are the exceptions, named here."""
    metals = {"Ba", "Pb", "Hg", "Co", "Ni", "Cr", "Cu", "Zn", "Ag", "Cd"}
    inside = (
        {
            element
            for element in chemicals.elements.simple_formula_parser(item.formula.replace("·", ""))
            if element in metals
        }
        if "·" not in item.formula and "(" not in item.formula
        else set()
    )
    if inside and item.name != "barium sulfate":
        assert item.text("waste") == "heavy metal"


def test_no_bottle_takes_what_its_label_forbids():
    """The pairs that every set of rules refuses; common practice."""
    stops = {(row.bottle, row.matter) for row in WRONG_BOTTLES if row.level == "stop"}
    assert {
        ("oxidizing", "solvents"),
        ("solvents", "oxidizing"),
        ("solvents", "halogenated"),
        ("sink", "solvents"),
        ("sink", "heavy metal"),
        ("bin", "solvents"),
        ("halogenated", "oxidizing"),
    } <= stops
    assert ("halogenated", "solvents") not in stops
