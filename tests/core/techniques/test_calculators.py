"""Each calculator once through its typed input and result; the numbers are worked by hand unless a source stands by."""

import json

import pytest
from pydantic import BaseModel, ValidationError

from helvor.core.laws.extraction.layers import Liquid
from helvor.core.quantities.asked import Asked
from helvor.core.quantities.reading import Unreadable
from helvor.core.techniques.column import calculators as column
from helvor.core.techniques.crystallization import calculators as crystals
from helvor.core.techniques.extraction import calculators as layers
from helvor.core.techniques.filtration import calculators as filters
from helvor.core.techniques.planar import calculators as planar
from helvor.core.techniques.precipitation import calculators as amounts
from helvor.core.techniques.precipitation import solutions
from helvor.web.api_calculators import ROUTES

ETHER = Liquid("ether", "organic", 0.713)
WATER = Liquid("water", "aqueous", 0.998)
KNOWN = {"ether": ETHER, "water": WATER}
POINTS = [(20, 0.5), (100, 5.0)]
SALT = "NaCl"


def plain(found):
    """A result as JSON shows it."""
    if isinstance(found, BaseModel):
        return found.model_dump()
    return [plain(one) for one in found] if isinstance(found, list) else found


# What is asked, and parts of the answer: a name, or names one below another, with the value.
ASKED = [
    (
        amounts.balanced,
        amounts.EquationIn(equation="H2 + O2 -> H2O"),
        {"left": {"H2": 2, "O2": 1}, "as_written": False},
    ),
    (amounts.balanced, amounts.EquationIn(equation="2 H2 + O2 -> 2 H2O"), {"as_written": True}),
    (
        amounts.reaction,
        amounts.ReactionIn(
            equation="BaCl2 + Na2SO4 -> BaSO4 + 2 NaCl", taken=["BaCl2 10 mL 0.1 M", "Na2SO4 20 mL 0.1 M"]
        ),
        {
            "limiting": "BaCl2",
            "excess.Na2SO4": 1.0,
            "possible_mol.BaSO4.value": 0.001,
            "possible_mol.NaCl.value": 0.002,
        },
    ),
    (
        amounts.reagent,
        amounts.ReagentIn(equation="BaCl2 + Na2SO4 -> BaSO4 + 2 NaCl", have="Na2SO4", mol=0.01, reagent="BaCl2·2H2O"),
        {"mol": 0.02, "g": 0.02 * 244.26},
    ),
    (amounts.make, amounts.ToMakeIn(formula=SALT, mol_per_l=0.5, ml=100), {"amount": 0.05 * 58.44}),
    (amounts.dilution, amounts.DiluteIn(stock_mol_per_l=6, mol_per_l=0.5, ml=120), {"amount": 10.0}),
    # Ksp = 10⁻¹⁰ of a salt AB: √Ksp mol in a litre of water.
    (amounts.solubility, amounts.SolubilityIn(formula="BaSO4", pksp=10), {"in_water_g_per_l": 1e-5 * 233.39}),
    (amounts.gravimetric_factor, amounts.FactorIn(sought="SO4", weighed="BaSO4"), {"factor": 96.06 / 233.39}),
    (amounts.beside, amounts.ParallelsIn(values=[9.0, 11.0]), {"mean": 10.0, "spread": 2.0, "relative": 0.2}),
    (filters.which_filter, filters.FilterChoiceIn(wanted="solid", solid_g=2, liquid_ml=60), {"method": "vacuum"}),
    (filters.wash, filters.WashIn(ml=10, behind_ml=2, rinses=2), {"left": (2 / 12) ** 2, "lost_at_most_g": None}),
    (filters.wash, filters.WashIn(ml=10, behind_ml=2, dissolves_g_per_l=0.5), {"rinses": 3, "lost_at_most_g": 0.015}),
    (filters.drying_limits, filters.DryingLimitsIn(labels=["paper 1"], melts={}), {}),
    (
        planar.tune,
        planar.TuneIn(
            compounds={
                "A": [planar.PointIn(phi=0.3, rf=0.30), planar.PointIn(phi=0.6, rf=0.52)],
                "B": [planar.PointIn(phi=0.3, rf=0.15), planar.PointIn(phi=0.6, rf=0.32)],
            },
            at=0.3,
            target=0.4,
        ),
        {"rf.A.value": 0.30, "rf.B.value": 0.15},
    ),
    # (z + h)² grows evenly: 25² after 4 min, so 50² after 16 min.
    (planar.arrival, planar.ArrivalIn(readings=[(4, 20)], height_mm=5, stop_mm=45), {"value": 16.0}),
    (
        planar.what_it_may_be,
        planar.IdentifyIn(
            spots=[planar.MarkIn(name="X1", rf=0.40)],
            references={"a": [planar.MarkIn(name="a1", rf=0.40)], "b": [planar.MarkIn(name="b1", rf=0.80)]},
        ),
        {"like.0.name": "a", "unexplained": [], "absent": ["b"]},
    ),
    (
        planar.what_it_may_be,
        planar.IdentifyIn(
            spots=[planar.MarkIn(name="X1", rf=0.40)],
            references={"far": [planar.MarkIn(name="f", rf=0.90)], "near": [planar.MarkIn(name="n", rf=0.41)]},
            same_plate=False,
        ),
        {"like.0.name": "near"},
    ),
    (
        planar.cutting,
        planar.PlateCutIn(sheet=(200, 200), plate=(50, 100)),
        {"columns": 4, "rows": 2, "count": 8, "waste": 0},
    ),
    (planar.eluent_recipe, planar.RecipeIn(eluent="hexane : ethyl acetate 4 : 1", ml=50), {"0.ml": 40.0, "1.ml": 10.0}),
    # A round chamber of 60 mm holds π·9 cm² = 28.3 mL a centimetre.
    (planar.eluent_level, planar.LevelIn(ml=14.137, across_mm=60, origin_mm=10), {"level_mm": 5.0}),
    (planar.eluent_level, planar.LevelIn(ml=18, across_mm=60, round_vessel=False), {"level_mm": 5.0, "aim_mm": None}),
    (planar.spotting_solution, planar.SpottingIn(ml=0.5, percent=1), {"mass": 0.005, "volume": 0.5}),
    (
        column.elution,
        column.ElutionIn(
            bore_mm=20,
            bed_mm=100,
            eluents_ml=[200],
            fraction_ml=10,
            compounds=[column.CompoundIn(name="a", mg=50, rf=[0.5]), column.CompoundIn(name="stays", mg=50, rf=[0])],
            after_ml=10,
        ),
        # Column volume: 0.8 · π · 1² · 10 cm³; a band of Rf 0.5 leaves after 1 ÷ 0.5 of it.
        {"column_ml": 25.13, "bands.0.ml": 2 * 25.13, "bands.1.ml": None, "resolution": [None]},
    ),
    (
        column.pools,
        column.PoolsIn(
            tubes=[
                column.TubeIn(number=1, ml=5, seen={"a": 3}),
                column.TubeIn(number=2, ml=5, seen={"a": 2, "b": 2}),
                column.TubeIn(number=3, ml=5, seen={"b": 3}),
            ],
            mg={"a": 50, "b": 50},
        ),
        {"pools.0.tubes": [1], "pools.1.kind": "mixed", "pools.2.compounds": ["b"]},
    ),
    (column.fraction_plate, column.FractionPlateIn(tubes=[7, 6], compounds=["a"]), {"lanes.0.label": "6"}),
    (column.draft_column, column.ColumnDraftIn(rf=(0.2, 0.4)), {"delta_cv": 2.5, "bed_mm": None}),
    (
        column.draft_column,
        column.ColumnDraftIn(rf=(0.35, 0.15), sample_mg=200, benches=2),
        {"level": "good", "minutes": None},
    ),
    (
        column.draft_column,
        column.ColumnDraftIn(
            rf=(0.35, 0.15), sample_mg=100, kind="gravity", bores_mm=[15, 20], flow_ml_min=2, benches=2
        ),
        {"by_table": None},
    ),
    (
        crystals.solubility,
        crystals.SolubilityCurveIn(points=POINTS, celsius=[20, 100]),
        {"grams.0": 0.5, "grams.1": 5.0},
    ),
    (
        crystals.plan,
        crystals.PlanIn(mass_g=2, points=POINTS, hot=100, cold=20, extra=0, at_ml=[80], impurity=[(20, 10), (100, 40)]),
        # Least: 100 · 2 ÷ 5 = 40 mL; of it 0.2 g stay, so 90 %; in twice as much 80 %.
        {"least_ml": 40.0, "liquor_g": 0.2, "ceiling": 0.9, "at_ml.0.1": 0.8},
    ),
    (
        crystals.solvents,
        crystals.SolventsIn(
            solvents=[
                crystals.SolventIn(name="water", boils=100, cold=0.5, hot=5, hazard=0),
                crystals.SolventIn(name="hexane", boils=69, tried_cold="none", tried_hot="none"),
                crystals.SolventIn(name="ethanol", boils=78, tried_cold="all"),
            ],
            melts=114,
        ),
        {"ranked.0.name": "water", "pairs": [("ethanol", "hexane")]},
    ),
    (
        crystals.melting,
        crystals.MeltingIn(
            range=(113.0, 114.0),
            what="it",
            published=114.3,
            rate=1,
            standards=[crystals.StandardIn(name="s", published=100, read=99)],
            mixed=(113.1, 114.0),
        ),
        {"range": (114.0, 115.0), "correction": 1.0, "same": True, "too_fast": False},
    ),
    (layers.density, layers.DensityIn(formula=SALT, fraction=0.0), {"": 0.998}),
    (layers.density, layers.DensityIn(formula=SALT, molar=0.0), {"": 0.998}),
    (
        layers.portions,
        layers.PortionsIn(d=4, feed_ml=60, total_ml=45, second_d=1, wash_ml=45, clings_ml=1),
        # Each of three portions leaves 1 ÷ (1 + 4 · 15 ÷ 60) = ½; all at once ¼; without end e⁻³.
        {"left.2": 0.125, "left.0": 0.25, "limit": 0.0497871, "needed": 7, "factor": 4.0, "washed_back": 0.2},
    ),
    (layers.trial, layers.TrialIn(taken=1.0, found=0.8, feed_ml=20, portion_ml=20), {"d": 4.0}),
    (
        layers.distribution,
        layers.DistributionIn(acts="acid", k=100, pka=4, ph=4, organic_ml=20, water_ml=20),
        # Half ionized: D is half of K.
        {"d": 50.0, "in_organic": 50 / 51},
    ),
    (layers.distribution, layers.DistributionIn(acts="neutral", k=9, organic_ml=1, water_ml=1), {"ph_to_move": None}),
    (layers.water_ph, layers.WaterIn(formula="HCl", molar=0.01, ml=10), {"": 2.0}),
    (layers.water_ph, layers.WaterIn(ml=10), {"": 7.0}),
    (
        layers.to_a_ph,
        layers.ToPhIn(formula="NaOH", molar=1, ml=30, to=7, with_molar=6),
        {"mol": 0.03, "ml": 5.0, "gas_ml": 0.0},
    ),
    (layers.needed, layers.NeededIn(mol=[0.01, 0.02], margin=1.5), {"": 0.045}),
    (layers.paper, layers.PaperIn(paper="litmus", colour="red"), {}),
    (layers.cut, layers.LayerCutIn(g_per_ml=0.02), {}),
    (layers.reflux, layers.RefluxIn(ml=30), {"flask_ml": 50.0, "minutes": 0.0, "stretches": 0}),
    (layers.mol, layers.MassIn(formula=SALT, g=5.844), {"": 0.1}),
    (
        solutions.concentration,
        solutions.ConcentrationIn(value=37, unit="% w/w", formula="HCl", density=1.18),
        {"molar": pytest.approx(11.97, abs=0.01), "g_in_100_ml": pytest.approx(43.66), "assumed": "entered"},
    ),
    (
        solutions.concentration,
        solutions.ConcentrationIn(value=1, unit="mol/L", formula="C12H22O11"),
        {"g_per_l": pytest.approx(342.3, abs=0.1), "assumed": "water"},
    ),
    (
        solutions.dilution_series,
        solutions.SeriesIn(stock=1, factor=5, steps=2, ml=100),
        {"0.concentration": 0.2, "0.taken_ml": 20.0, "1.concentration": 0.04, "1.solvent_ml": 80.0},
    ),
    (
        solutions.buffer,
        solutions.BufferIn(pka=7.2, ph=7.2, molar=0.1, ml=1000, added_mmol=10),
        {"acid_mmol": 50, "strong_base_ml": 50, "reaches": True, "ph_after": pytest.approx(7.2 + 0.1761, abs=1e-3)},
    ),
    (
        solutions.standardization,
        solutions.StandardizeIn(trials=["0.5105 g 25.00 mL", "510.5 mg; 25.0"], standard="KHC8H4O4"),
        {"molar": pytest.approx(0.09999, abs=2e-5), "agree": True},
    ),
    (
        solutions.hydrate,
        solutions.HydrateIn(anhydrous="MgSO4", before_g=2.465, after_g=1.204),
        {"whole": 7, "fits": True},
    ),
    (solutions.composition, solutions.CompositionIn(text="C 40.0, H 6.7; O 53.3 %"), {"formula": "CH2O"}),
    (solutions.composition, solutions.CompositionIn(text="H2O"), {"fractions.O": 0.8881}),
    (
        column.peaks_beside,
        column.PeaksIn(first={"at": 5, "width": 0.4}, second={"at": 6, "width": 0.4}, dead=1),
        {"resolution": pytest.approx(2.5), "alpha": pytest.approx(1.25), "height": None},
    ),
    (
        crystals.mixture,
        crystals.MixtureIn(first={"melts": 80}, second={"melts": 80}, part=0.5),
        {"eutectic_part": pytest.approx(0.5), "ends": pytest.approx(46.6, abs=1)},
    ),
    (
        crystals.two_solvents,
        crystals.TwoSolventsIn(grams=2, good_hot=40, good_cold=8, poor_hot=0.5, poor_cold=0.02),
        {"good_ml": 33.25, "most": 0.939},
    ),
    (
        crystals.boiling,
        crystals.BoilingIn(boils=100, wanted=50, bonded=True),
        {"mbar": pytest.approx(123, abs=8), "bath": pytest.approx(70)},
    ),
    (crystals.cooling, crystals.CoolingIn(celsius=-5), {"celsius": -20, "of": "ice and sodium chloride 3 : 1"}),
    (
        planar.rf_table,
        planar.RfTableIn(spots=["A 28", "B\t46.0 mm", "40"], origin=10, front=70),
        {"0.name": "A", "0.rf": 0.3, "1.rf": 0.6, "2.name": "3", "2.rf": 0.5},
    ),
]


def part(found, name):
    for key in filter(None, name.split(".")):
        found = found[int(key)] if isinstance(found, list | tuple) else found[key]
    return found


@pytest.mark.parametrize(("calculator", "asked", "holds"), ASKED, ids=lambda one: getattr(one, "__name__", ""))
def test_each_answers(calculator, asked, holds):
    found = plain(calculator(asked))
    for name, value in holds.items():
        near = pytest.approx(value, rel=3e-3) if isinstance(value, float) else value
        assert part(found, name) == near, name


def test_every_public_calculator_stands_in_the_table_above():
    by_number = {filters.cone, filters.fold, planar.lanes}
    assert {route.calculator for route in ROUTES} - {one for one, *_ in ASKED} == by_number


def test_those_that_take_bare_numbers():
    made = filters.cone(110)
    assert 2 * made.radius_mm < 110
    assert made.to_half_ml == pytest.approx(made.holds_ml / 8, rel=0.01), "half as high holds an eighth"
    assert len(filters.fold("fluted", 16)) > 3
    assert planar.lanes(planar.LanesIn(width_mm=50, lanes=4)) == [10, 20, 30, 40]


def test_those_that_look_a_name_up():
    poured = layers.LayersIn(liquids=["ether 50 mL", "water 50 mL"])
    found = layers.layers(poured, KNOWN.get, str)
    assert (found.upper.makes, found.lower.makes) == ("organic", "aqueous")
    assert layers.layers(layers.LayersIn(liquids=["water 10 mL"]), KNOWN.get, str).upper is None
    dried = layers.drying_agent(layers.DryingAgentIn(solvent="ether", ml=50), KNOWN.get)
    assert sum(dried.portions_g) == pytest.approx(dried.agent_g, rel=0.1)
    for solvent, agent in (("water", "sodium-sulfate"), ("tar", "sodium-sulfate"), ("ether", "sand")):
        with pytest.raises(Unreadable):
            layers.drying_agent(layers.DryingAgentIn(solvent=solvent, ml=50, agent=agent), KNOWN.get)
    assert planar.eluent_freshness(
        planar.FreshIn(eluent="hexane : acetone 4 : 1", hours=1), {"hexane": 69, "acetone": 56}
    )
    with pytest.raises(Unreadable):
        planar.eluent_freshness(planar.FreshIn(eluent="hexane : tar 4 : 1"), {"hexane": 69})


@pytest.mark.parametrize(
    ("calculator", "asked"),
    [
        (amounts.balanced, amounts.EquationIn(equation="H2 -> O2")),
        (amounts.reaction, amounts.ReactionIn(equation="H2 + O2 -> H2O", taken=["tar 1 g"])),
        (layers.density, layers.DensityIn(formula=SALT)),
        (layers.density, layers.DensityIn(formula=SALT, fraction=0.1, molar=1)),
        (layers.water_ph, layers.WaterIn(formula="tar", molar=1, ml=10)),
        (column.draft_column, column.ColumnDraftIn(rf=(0.35, 0.30), sample_mg=100)),
        (crystals.plan, crystals.PlanIn(mass_g=2, points=POINTS, hot=20, cold=90)),
    ],
)
def test_what_cannot_be_is_refused_in_a_sentence(calculator, asked):
    with pytest.raises(Unreadable, match=r"\w+ \w+"):
        calculator(asked)


def test_an_input_takes_its_own_fields_only_and_results_go_out_as_json():
    for _, asked, _ in ASKED:
        assert isinstance(asked, Asked)
        with pytest.raises(ValidationError):
            type(asked)(**asked.model_dump(), nobody_asked=1)
    for calculator, asked, _ in ASKED:
        assert json.dumps(plain(calculator(asked)), default=str)
