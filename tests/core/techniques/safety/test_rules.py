"""Every rule of safety: a procedure that it speaks of, one that it does not, and the first sentence of what it says."""

import pytest

from helvor.core.engine.plan.check_plan import check_plan
from helvor.core.hazards.substances import label_of
from helvor.core.record.house_rules import HouseRules
from helvor.core.record.procedure import procedure_from
from helvor.core.techniques.registered import TECHNIQUES
from helvor.core.techniques.safety.catalogue import RUN_ONLY
from helvor.core.techniques.safety.rules import RULES


def liquid(name, amount="20 mL", **more):
    return {"name": name, "amount": amount, "role": "solvent", **more}


def solid(name, amount="0.10 g", **more):
    return {"name": name, "amount": amount, **more}


def acid(name="6 M hydrochloric acid", molar=6.0, formula="HCl"):
    return {"name": name, "amount": "20 mL", "molar": molar, "formula": formula, "layer": "aqueous"}


NAOH = {"name": "2 M sodium hydroxide", "amount": "20 mL", "molar": 2.0, "formula": "NaOH", "layer": "aqueous"}
KIT = ("balance",)


def step(kind, adds=(), on="", takes=(), gives=(), **more):
    return {"kind": kind, "adds": list(adds), "on": on, "takes": list(takes), "gives": list(gives), **more}


def poured(*names):
    return step("add", names, gives=["x"])


def procedure(substances, steps, **more):
    return procedure_from(
        {
            "title": "Tried",
            "substances": list(substances),
            "steps": [{"id": f"s{number}", **one} for number, one in enumerate(steps, 1)],
            **more,
        }
    )


def told(substances, steps, rules=None, **more):
    return [a.finding for a in check_plan(procedure(substances, steps, **more), HouseRules(rules or {}), TECHNIQUES)]


ETHER = [liquid("diethyl ether")]
IN_BATH = {"kit": ["water bath", "flask"]}
ON_PLATE = {"kit": ["hotplate", "flask"]}
EMPTY = step("discard", on="x", waste="solvents")
BENZOIC = {"components": [{"name": "benzoic acid", "acts": "acid", "pka": 4.2, "log_k": 1.87}]}
SHAKEN = [
    liquid("ethyl acetate", "30 mL", density=0.9, layer="organic"),
    solid("benzoic acid", "1.95 g", component="benzoic acid", formula="C7H6O2", role="sample"),
    {"name": "1 M base", "amount": "18 mL", "formula": "NaHCO3", "molar": 1.0, "layer": "aqueous"},
]


def shaken(formula):
    with_base = [*SHAKEN[:2], {**SHAKEN[2], "formula": formula}]
    return with_base, [
        step("dissolve", ["benzoic acid", "ethyl acetate"], gives=["x"]),
        step("extract", ["1 M base"], takes=["x"], gives=["b", "o"], volume=125),
    ]


def boiled(says, *more):
    return [liquid("water"), solid("charcoal", role="aid")], [
        step("dissolve hot", ["water"], gives=["x"], says=says),
        *more,
    ]


# code, level, what it speaks of, what it does not speak of (substances, steps, more), the first sentence
ROWS = [
    (
        "flame-near-solvent",
        "stop",
        (ETHER, [poured("diethyl ether"), step("heat", on="x", kit=["gas burner"])]),
        (ETHER, [poured("diethyl ether"), step("wait", on="x", says="No flame in the room, burners off")]),
        "Step 2 uses a flame (gas burner) with diethyl ether (flash point -45 °C).",
    ),
    (
        "flame-near-solvent",
        "stop",
        (
            [liquid("rubbing alcohol"), liquid("water")],
            [poured("rubbing alcohol"), step("heat", ["water"], gives=["y"], says="Heat over a Bunsen burner")],
        ),
        (
            [liquid("rubbing alcohol"), liquid("water")],
            [
                poured("rubbing alcohol"),
                step("heat", ["water"], gives=["y"], says="Heat over a Bunsen burner", meeting=2),
            ],
        ),
        "Step 2 uses a flame (Bunsen); in the same meeting step 1 has rubbing alcohol (flash point 12 °C) open.",
    ),
    (
        "flame-near-solvent",
        "stop",
        ([solid("camphor", "1 g")], [step("sublime", ["camphor"], gives=["r"], kit=["spirit lamp"])]),
        (
            [solid("charcoal", "1 g"), liquid("water")],
            [step("heat", ["charcoal", "water"], gives=["r"], kit=["spirit lamp"])],
        ),
        "Step 1 uses a flame (spirit lamp) with camphor, which is flammable.",
    ),
    (
        "flame-near-solvent",
        "stop",
        ([], [step("plate", eluent="pentane : ether 9 : 1", eluent_volume=10, says="Develop over a candle")]),
        ([], [step("plate", eluent="water", eluent_volume=10, says="Develop over a candle")]),
        "Step 1 uses a flame (candle) with ether (flash point -45 °C).",
    ),
    (
        "solvent-on-hotplate",
        "stop",
        (ETHER, [poured("diethyl ether"), step("evaporate", takes=["x"], gives=["y"], **ON_PLATE)]),
        (ETHER, [poured("diethyl ether"), step("evaporate", takes=["x"], gives=["y"], **IN_BATH)]),
        "Step 2 heats diethyl ether (boils at 34 °C, catches fire by itself at 160 °C) on a bare hotplate.",
    ),
    (
        "solvent-on-hotplate",
        "stop",
        ([liquid("pentane")], [step("dissolve hot", ["pentane"], gives=["x"], says="On the hot plate")]),
        ([liquid("water")], [step("dissolve hot", ["water"], gives=["x"], says="On the hot plate")]),
        "Step 1 heats pentane (boils at 36 °C, catches fire by itself at 243 °C) on a bare hotplate.",
    ),
    (
        "solvent-on-hotplate",
        "caution",
        ([liquid("95 % ethanol")], [step("dissolve hot", ["95 % ethanol"], gives=["x"], **ON_PLATE)]),
        ([liquid("5 % ethanol")], [step("dissolve hot", ["5 % ethanol"], gives=["x"], **ON_PLATE)]),
        "Step 1 heats ethanol (boils at 78 °C) on a bare hotplate.",
    ),
    (
        "solvent-on-hotplate",
        "caution",
        (ETHER, [step("reflux", ["diethyl ether"], gives=["x"], kit=["heating mantle"])]),
        (ETHER, [step("reflux", ["diethyl ether"], gives=["x"], kit=["warm water bath"])]),
        "Step 1 heats diethyl ether (boils at 34 °C, catches fire by itself at 160 °C) on the heating mantle.",
    ),
    # Everything in the words, nothing in the lists; and a solvent in the list that no step has yet.
    (
        "solvent-on-hotplate",
        "stop",
        ([], [step("heat", says="Boil the pentane off on the hotplate")]),
        ([], [step("heat", says="Boil the water off on the hotplate")]),
        "Step 1 heats pentane (boils at 36 °C, catches fire by itself at 243 °C) on a bare hotplate.",
    ),
    (
        "solvent-on-hotplate",
        "stop",
        (ETHER, [step("evaporate", **ON_PLATE)]),
        ([*ETHER, liquid("water")], [poured("water"), step("evaporate", takes=["x"], gives=["y"], **ON_PLATE)]),
        "Step 1 heats diethyl ether (boils at 34 °C, catches fire by itself at 160 °C) on a bare hotplate.",
    ),
    (
        "heat-unsaid",
        "caution",
        (ETHER, [step("reflux", ["diethyl ether"], gives=["x"])]),
        (ETHER, [step("reflux", ["diethyl ether"], gives=["x"], **IN_BATH)]),
        "Step 1 heats diethyl ether (flash point -45 °C), but the heat source is not stated.",
    ),
    (
        "hot-into-funnel",
        "stop",
        (
            [liquid("hot water"), liquid("ether")],
            [poured("ether"), step("extract", ["hot water"], takes=["x"], gives=["w", "o"])],
        ),
        (
            [liquid("water"), liquid("ether")],
            [poured("ether"), step("extract", ["water"], takes=["x"], gives=["w", "o"])],
        ),
        "Step 2 brings hot water together with ether, which boils at 34 °C.",
    ),
    (
        "hot-into-funnel",
        "stop",
        (
            [liquid("water"), liquid("dichloromethane")],
            [
                step("heat", ["water"], gives=["x"], says="Boil the tea"),
                step("extract", ["dichloromethane"], takes=["x"], gives=["d", "w"]),
            ],
        ),
        (
            [liquid("water"), liquid("dichloromethane")],
            [
                step("heat", ["water"], gives=["x"], says="Boil the tea"),
                step("cool", on="x"),
                step("extract", ["dichloromethane"], takes=["x"], gives=["d", "w"]),
            ],
        ),
        "Step 2 brings the hot liquid from “Boil the tea” together with dichloromethane, which boils at 40 °C.",
    ),
    (
        "hot-into-funnel",
        "stop",
        (
            [liquid("water"), liquid("ethyl acetate")],
            [
                poured("ethyl acetate"),
                step(
                    "extract",
                    ["water"],
                    takes=["x"],
                    gives=["w", "o"],
                    says="Pour the hot {water} into the cold funnel",
                ),
            ],
        ),
        (
            [liquid("water"), liquid("ethyl acetate")],
            [
                poured("ethyl acetate"),
                step(
                    "extract", ["water"], takes=["x"], gives=["w", "o"], says="Once the hot {water} has cooled, shake"
                ),
            ],
        ),
        "Step 2 brings hot water together with ethyl acetate, which boils at 77 °C.",
    ),
    (
        "hot-meets-volatile",
        "stop",
        (
            [liquid("water"), liquid("acetone")],
            [step("heat", ["water"], gives=["x"], says="Boil it"), step("add", ["acetone"], on="x")],
        ),
        (
            [liquid("water"), liquid("butan-1-ol")],
            [step("heat", ["water"], gives=["x"], says="Boil it"), step("add", ["butan-1-ol"], on="x")],
        ),
        "Step 2 brings the hot liquid from “Boil it” together with acetone, which boils at 56 °C.",
    ),
    (
        "grains-into-hot",
        "stop",
        boiled("Boil until clear", step("add", ["charcoal"], on="x")),
        boiled("Boil until clear", step("cool", on="x"), step("add", ["charcoal"], on="x")),
        "Step 2 puts charcoal into what is hot from “Boil until clear”.",
    ),
    (
        "grains-into-hot",
        "stop",
        boiled("Heat to boiling and drop in a few boiling chips"),
        boiled("Chips in, then heat to boiling"),
        "Step 1 puts boiling chips into hot or boiling liquid.",
    ),
    (
        "grains-into-hot",
        "stop",
        boiled("Add charcoal to the boiling solution"),
        boiled("Add charcoal, heat to boiling again"),
        "Step 1 puts charcoal into hot or boiling liquid.",
    ),
    (
        "grains-into-hot",
        "stop",
        boiled("Boil, then a spatula of activated charcoal"),
        boiled("Boil; off the heat, a little cooler, a spatula of activated charcoal; boil again"),
        "Step 1 puts activated charcoal into hot or boiling liquid.",
    ),
    (
        "grains-into-hot",
        "stop",
        boiled("Out of the ice bath; heat to boiling; add charcoal"),
        boiled("Boil; when it has cooled a little in the ice bath, add charcoal"),
        "Step 1 puts charcoal into hot or boiling liquid.",
    ),
    (
        "grains-unsaid",
        "caution",
        (
            [liquid("water"), solid("charcoal", role="aid")],
            [step("dissolve hot", ["water", "charcoal"], gives=["x"], says="Dissolve it")],
        ),
        (
            [liquid("water"), solid("charcoal", role="aid")],
            [step("dissolve", ["water", "charcoal"], gives=["x"], says="Dissolve it")],
        ),
        "Step 1 adds charcoal while it heats, and does not say when.",
    ),
    (
        "base-and-chloroform",
        "stop",
        (
            [liquid("chloroform"), NAOH],
            [poured("chloroform"), step("extract", [NAOH["name"]], takes=["x"], gives=["b", "o"])],
        ),
        (
            [liquid("chloroform"), acid()],
            [poured("chloroform"), step("extract", [acid()["name"]], takes=["x"], gives=["b", "o"])],
        ),
        "Step 2 brings 2 M sodium hydroxide and chloroform together.",
    ),
    (
        "chloroform-and-acetone",
        "stop",
        ([liquid("chloroform"), liquid("acetone")], [poured("chloroform", "acetone")]),
        ([liquid("chloroform"), liquid("methanol")], [poured("chloroform", "methanol")]),
        "Step 1 brings chloroform and acetone together.",
    ),
    (
        "base-and-ester",
        "caution",
        (
            [liquid("ethyl acetate"), NAOH],
            [poured("ethyl acetate"), step("extract", [NAOH["name"]], takes=["x"], gives=["b", "o"])],
        ),
        # Acidified first, the base is none any more.
        (
            [liquid("ethyl acetate"), NAOH, acid(), liquid("water")],
            [
                step("dissolve", [NAOH["name"]], gives=["x"]),
                step("set ph", [acid()["name"]], on="x", ph=2),
                step("extract", ["ethyl acetate"], takes=["x"], gives=["e", "w"]),
            ],
        ),
        "Step 2 brings 2 M sodium hydroxide and ethyl acetate together.",
    ),
    (
        "base-and-acetone",
        "caution",
        ([liquid("acetone"), NAOH], [poured("acetone", NAOH["name"])]),
        ([liquid("ethanol"), NAOH], [poured("ethanol", NAOH["name"])]),
        "Step 1 brings 2 M sodium hydroxide and acetone together.",
    ),
    (
        "nitric-and-solvent",
        "stop",
        ([liquid("acetone"), solid("nitric acid", "5 mL")], [poured("nitric acid", "acetone")]),
        ([liquid("water"), solid("nitric acid", "5 mL")], [poured("nitric acid")]),
        "Step 1 brings nitric acid and acetone together.",
    ),
    (
        "peroxide-and-ketone",
        "stop",
        ([liquid("acetone"), solid("hydrogen peroxide 30 %", "5 mL")], [poured("acetone", "hydrogen peroxide 30 %")]),
        ([liquid("water"), solid("hydrogen peroxide 30 %", "5 mL")], [poured("water", "hydrogen peroxide 30 %")]),
        "Step 1 brings hydrogen peroxide 30 % and acetone together.",
    ),
    (
        "permanganate-and-solvent",
        "stop",
        ([liquid("ethanol"), solid("potassium permanganate")], [poured("potassium permanganate", "ethanol")]),
        ([liquid("water"), solid("potassium permanganate")], [poured("potassium permanganate", "water")]),
        "Step 1 brings potassium permanganate and ethanol together.",
    ),
    (
        "permanganate-and-sulfuric",
        "stop",
        (
            [solid("potassium permanganate"), solid("sulfuric acid", "5 mL")],
            [poured("potassium permanganate", "sulfuric acid")],
        ),
        ([solid("potassium permanganate"), liquid("water")], [poured("potassium permanganate", "water")]),
        "Step 1 brings potassium permanganate and sulfuric acid together.",
    ),
    (
        "bleach-and-acid",
        "stop",
        ([solid("bleach", "5 mL"), acid()], [poured("bleach", acid()["name"])]),
        ([solid("bleach", "5 mL"), liquid("water")], [poured("bleach", "water")]),
        "Step 1 brings bleach and 6 M hydrochloric acid together.",
    ),
    (
        "bleach-and-ammonia",
        "stop",
        ([solid("bleach", "5 mL"), solid("ammonia", "5 mL")], [poured("bleach", "ammonia")]),
        ([solid("bleach", "5 mL")], [poured("bleach")]),
        "Step 1 brings bleach and ammonia together.",
    ),
    (
        "bleach-and-solvent",
        "stop",
        ([solid("bleach", "5 mL"), liquid("propan-2-ol")], [poured("bleach", "propan-2-ol")]),
        ([solid("bleach", "5 mL"), liquid("heptane")], [poured("bleach", "heptane")]),
        "Step 1 brings bleach and propan-2-ol together.",
    ),
    (
        "acid-and-poison",
        "stop",
        ([solid("sodium sulfide"), acid()], [poured("sodium sulfide", acid()["name"])]),
        ([solid("sodium sulfate"), acid()], [poured("sodium sulfate", acid()["name"])]),
        "Step 1 brings sodium sulfide and 6 M hydrochloric acid together.",
    ),
    (
        "metal-and-water",
        "stop",
        ([solid("sodium hydride"), liquid("water")], [poured("sodium hydride"), step("quench", ["water"], on="x")]),
        ([solid("sodium chloride"), liquid("water")], [poured("sodium chloride"), step("quench", ["water"], on="x")]),
        "Step 2 brings sodium hydride and water together.",
    ),
    (
        "metal-and-halogen",
        "stop",
        ([solid("sodium metal"), liquid("dichloromethane")], [poured("sodium metal", "dichloromethane")]),
        ([solid("sodium sulfate"), liquid("dichloromethane")], [poured("sodium sulfate", "dichloromethane")]),
        "Step 1 brings sodium metal and dichloromethane together.",
    ),
    (
        "water-into-acid",
        "stop",
        (
            [solid("concentrated sulfuric acid", "5 mL"), liquid("water")],
            [poured("concentrated sulfuric acid"), step("add", ["water"], on="x")],
        ),
        (
            [solid("concentrated sulfuric acid", "5 mL"), liquid("water")],
            [poured("water"), step("add", ["concentrated sulfuric acid"], on="x")],
        ),
        "Step 2 pours water into concentrated sulfuric acid.",
    ),
    (
        "peroxides",
        "caution",
        ([liquid("THF")], [poured("THF"), step("evaporate", takes=["x"], gives=["y"], kit=["rotary evaporator"])]),
        (
            [liquid("THF")],
            [
                poured("THF"),
                step(
                    "evaporate",
                    takes=["x"],
                    gives=["y"],
                    kit=["rotary evaporator"],
                    says="Tested for peroxides, evaporate, not to dryness",
                ),
            ],
        ),
        "Step 2 evaporates THF, which forms peroxides on standing.",
    ),
    (
        "solvent-to-air",
        "caution",
        ([liquid("heptane", "60 mL")], [poured("heptane"), step("evaporate", takes=["x"], gives=["y"], place="hood")]),
        (
            [liquid("heptane", "60 mL")],
            [poured("heptane"), step("evaporate", takes=["x"], gives=["y"], kit=["rotary evaporator"])],
        ),
        "About 60 mL of organic solvent per bench evaporates into the air at step 2.",
    ),
    (
        "solvent-ends-nowhere",
        "caution",
        ([liquid("heptane")], [poured("heptane")]),
        ([liquid("heptane")], [poured("heptane"), EMPTY]),
        "x: contains heptane, and no step says where it goes.",
    ),
    (
        "no-waste-stream",
        "caution",
        ([liquid("heptane")], [poured("heptane"), step("discard", on="x")]),
        ([liquid("heptane")], [poured("heptane"), EMPTY]),
        "Step 2 names no waste bottle.",
    ),
    (
        "wrong-waste",
        "stop",
        ([liquid("ethanol")], [poured("ethanol"), step("discard", on="x", waste="sink")]),
        ([liquid("ethanol")], [poured("ethanol"), EMPTY]),
        "Step 2 puts ethanol (organic, not halogenated) into “sink, plenty of water”.",
    ),
    (
        "wrong-waste",
        "stop",
        ([liquid("DCM")], [poured("DCM"), EMPTY]),
        (
            [liquid("dichloromethane : methanol 95 : 5")],
            [poured("dichloromethane : methanol 95 : 5"), step("discard", on="x", waste="halogenated")],
        ),
        "Step 2 puts DCM (organic, halogenated) into “organic, not halogenated”.",
    ),
    (
        "wrong-waste",
        "stop",
        ([liquid("DCM")], [poured("DCM"), step("discard", on="x", waste="sink")]),
        ([liquid("water")], [poured("water"), step("discard", on="x", waste="sink")]),
        "Step 2 puts DCM (organic, halogenated) into “sink, plenty of water”.",
    ),
    (
        "wrong-waste",
        "stop",
        ([solid("nitric acid", "5 mL")], [poured("nitric acid"), step("discard", on="x", waste="sink")]),
        ([solid("nitric acid", "5 mL")], [poured("nitric acid"), step("discard", on="x", waste="oxidizing")]),
        "Step 2 puts nitric acid (oxidizers and oxidizing acid) into “sink, plenty of water”.",
    ),
    (
        "wrong-waste",
        "stop",
        (
            [solid("barium chloride"), liquid("water")],
            [poured("barium chloride", "water"), step("discard", on="x", waste="sink")],
        ),
        (
            [solid("barium chloride"), liquid("water")],
            [poured("barium chloride", "water"), step("discard", on="x", waste="heavy metal")],
        ),
        "Step 2 puts barium chloride (heavy metal) into “sink, plenty of water”.",
    ),
    (
        "wrong-waste",
        "caution",
        ([solid("phenacetin")], [poured("phenacetin"), step("discard", on="x", waste="bin")]),
        ([solid("phenacetin")], [poured("phenacetin"), step("discard", on="x", waste="solids")]),
        "Step 2 puts phenacetin (solid chemicals) into “dry bin”.",
    ),
    (
        "before-waste",
        "note",
        ([solid("iodine")], [poured("iodine"), step("discard", on="x", waste="aqueous")]),
        ([solid("glucose")], [poured("glucose"), step("discard", on="x", waste="sink")]),
        "Step 2 discards iodine.",
    ),
    (
        "gas-in-bottle",
        "caution",
        (
            [acid(), solid("sodium hydrogencarbonate"), liquid("water")],
            [
                step("add", [acid()["name"]], gives=["x"]),
                step("dissolve", ["sodium hydrogencarbonate", "water"], gives=["y"]),
                step("discard", takes=["x", "y"], waste="aqueous"),
            ],
        ),
        (
            [acid(), solid("sodium hydrogencarbonate"), liquid("water")],
            [
                step("add", [acid()["name"]], gives=["x"]),
                step("dissolve", ["sodium hydrogencarbonate", "water"], gives=["y"]),
                step("discard", takes=["x", "y"], waste="aqueous", says="Neutral first, then under a vented cap"),
            ],
        ),
        "Step 3 puts sodium hydrogencarbonate and acid into one bottle.",
    ),
    (
        "gas-in-funnel",
        "caution",
        (*shaken("NaHCO3"), BENZOIC),
        (*shaken("NaOH"), BENZOIC),
        "Step 2: about 323 mL of carbon dioxide forms in the funnel, 4.2 times the space above the liquid.",
    ),
]


def in_row(row):
    substances, steps, *more = row
    return told(substances, steps, **(more[0] if more else {}))


@pytest.mark.parametrize(
    ("code", "level", "speaks", "silent", "sentence"), ROWS, ids=[f"{row[0]}-{i}" for i, row in enumerate(ROWS)]
)
def test_a_rule_speaks_where_it_must_and_is_silent_where_it_must(code, level, speaks, silent, sentence):
    found = [finding for finding in in_row(speaks) if finding.code == code]
    assert [(finding.level, finding.what) for finding in found] == [(level, sentence)]
    assert found[0].because and found[0].do
    assert (level == "stop") == ("qualified person" in found[0].do)
    assert code not in {finding.code for finding in in_row(silent)}


def test_condenser_water_under_what_burns_has_one_school():
    late = {"condenser-water": "when-boiling"}
    burns = [step("reflux", ["acetone"], gives=["x"], **IN_BATH), EMPTY]
    [found] = [f for f in told([liquid("acetone")], burns, late) if f.code == "condenser-late"]
    assert found.level == "stop" and found.what.startswith("Step 1 boils acetone")
    assert "condenser-late" not in {f.code for f in told([liquid("acetone")], burns)}
    water = [step("reflux", ["water"], gives=["x"], **IN_BATH)]
    assert "condenser-late" not in {f.code for f in told([liquid("water")], water, late)}


def test_every_rule_has_a_row_here():
    here = {row[0] for row in ROWS} | {"condenser-late"}
    known = {code for rule in RULES for code in rule.codes}
    assert known <= here
    assert here - known == {"gas-in-funnel"}
    assert not RUN_ONLY.keys() & known


@pytest.mark.parametrize(
    "name",
    [
        "diethyl ether",
        "Diethyl Ether",
        "ether",
        "cold ether",
        "dry diethyl ether",
        "ether, ice-cold",
        "Et2O",
        "ether for washing",
        "diethyl ether : pentane 1 : 1",
        "hexanes",
        "petroleum ether",
        "acetone 99 %",
        "MTBE",
    ],
)
def test_a_name_typed_in_full_counts_as_one_that_was_chosen(name):
    steps = [poured(name), step("evaporate", takes=["x"], gives=["y"], **ON_PLATE)]
    assert "stop" in {f.level for f in told([liquid(name)], steps)}


@pytest.mark.parametrize(
    "substance",
    [
        acid("1 M hydrogen chloride in diethyl ether", 1.0),
        {"name": "our mixture", "amount": "20 mL", "flammable": True},
        {
            "name": "loading solvent",
            "amount": "1 mL",
            "role": "solvent",
            "flammable": True,
            "hazards": "pentane : ether 1 : 1",
        },
    ],
)
def test_what_burns_burns_in_a_solution_a_mixture_and_by_a_tick_too(substance):
    steps = [poured(substance["name"]), step("evaporate", takes=["x"], gives=["y"], **ON_PLATE)]
    assert "solvent-on-hotplate" in {f.code for f in told([substance], steps)}


@pytest.mark.parametrize(
    "name", ["1 M HCl in ethanol", "1 % HCl in ethanol", "dilute acid in ethanol", "2 % acetic acid in MeOH"]
)
def test_a_number_that_is_not_beside_the_solvent_is_not_the_solvents(name):
    steps = [poured(name), step("evaporate", takes=["x"], gives=["y"], **ON_PLATE)]
    assert "solvent-on-hotplate" in {f.code for f in told([liquid(name)], steps)}


@pytest.mark.parametrize(
    ("content", "said"),
    [
        ("water", "none"),
        ("hot wash water A", "none"),
        ("soda water", "nothing listed; see the safety data sheet"),
        ("something in water", "nothing listed; see the safety data sheet"),
        ("0.5 M acetic acid in water", "irritant"),
        ("10 % methanol", "toxic; harms eyes and other organs"),
        ("5,0 % ethanol", "irritates eyes"),
    ],
)
def test_only_of_water_itself_it_is_said_that_there_is_no_hazard(content, said):
    assert label_of(content)[1] == said


def test_an_acid_that_burns_by_itself_does_not_as_a_solution():
    substance = acid("acetic acid solution", 2.0, "C2H4O2")
    steps = [poured(substance["name"]), step("evaporate", takes=["x"], gives=["y"], **ON_PLATE)]
    assert "solvent-on-hotplate" not in {f.code for f in told([substance], steps)}


@pytest.mark.parametrize("name", ["water", "1 M sodium hydroxide", "5 % acetic acid", "brine", "ice water", "silica"])
def test_what_does_not_burn_is_left_in_peace(name):
    steps = [poured(name), step("evaporate", takes=["x"], gives=["y"], **ON_PLATE)]
    assert not {f.code for f in told([liquid(name)], steps)} & {"solvent-on-hotplate", "flame-near-solvent"}


CATALYST = solid("concentrated sulfuric acid", "0.5 mL", molar=18.0, formula="H2SO4", layer="aqueous")
STRONG = solid("concentrated nitric acid", "50 mL", molar=15.0, formula="HNO3", layer="aqueous")


@pytest.mark.parametrize(
    ("others", "danger"),
    [
        ([liquid("acetic acid", "6 mL"), liquid("butan-1-ol", "5 mL")], False),  # a twentieth of it: thinned
        ([liquid("acetic acid", "2 mL")], True),  # a fifth
        ([STRONG], True),  # little sulfuric in much nitric acid is all concentrated
        ([liquid("acetic acid", "6.0 g", density=1.05)], True),  # how much of it there is, nobody knows
    ],
)
def test_a_catalyst_of_acid_is_thinned_and_a_bottle_is_not(others, danger):
    substances = [CATALYST, *others, liquid("water", "25 mL")]
    steps = [poured(*(one["name"] for one in substances[:-1])), step("add", ["water"], on="x")]
    assert ("water-into-acid" in {f.code for f in told(substances, steps)}) == danger


def test_a_weighed_liquid_that_makes_a_layer_has_its_volume():
    weighed = liquid("acetic acid", "6.0 g", density=1.05, layer="both")
    steps = [poured("concentrated sulfuric acid", "acetic acid"), step("add", ["water"], on="x")]
    assert "water-into-acid" not in {f.code for f in told([CATALYST, weighed, liquid("water")], steps)}


def test_what_the_equation_wants_is_no_accident():
    acetone = liquid("acetone", "0.7 mL", formula="C3H6O")
    steps = [poured("acetone"), step("react", ["2 M sodium hydroxide"], takes=["x"], gives=["y"], **IN_BATH)]
    wanted = {"equation": "2 C7H6O + C3H6O -> C17H14O + 2 H2O"}
    assert "base-and-acetone" in {f.code for f in told([acetone, NAOH], steps)}
    assert "base-and-acetone" not in {f.code for f in told([acetone, NAOH], steps, **wanted)}
    assert "base-and-acetone" in {f.code for f in told([acetone, NAOH], steps, equation="HCl + NaOH -> NaCl + H2O")}
    # What can hurt is said whatever an equation wants.
    chloroform = liquid("chloroform", "5 mL", formula="CHCl3")
    both = [poured("chloroform"), step("add", ["2 M sodium hydroxide"], on="x")]
    meant = {"equation": "CHCl3 + 4 NaOH -> HCOONa + 3 NaCl + 2 H2O"}
    assert "base-and-chloroform" in {f.code for f in told([chloroform, NAOH], both, **meant)}


@pytest.mark.parametrize(
    ("solvent", "kit", "told_of"),
    [
        ("acetic acid", ["heating mantle", "condenser"], False),
        ("acetic acid", ["heating mantle"], True),
        ("diethyl ether", ["heating mantle", "condenser"], True),
        ("acetic acid", ["hotplate", "condenser"], True),
    ],
)
def test_a_mantle_under_a_condenser_is_for_what_neither_boils_low_nor_ignites(solvent, kit, told_of):
    steps = [step("reflux", [solvent], gives=["x"], kit=kit)]
    assert ("solvent-on-hotplate" in {f.code for f in told([liquid(solvent)], steps)}) == told_of


@pytest.mark.parametrize(("place", "hot"), [("air", False), ("suction", False), ("oven", True), ("hotplate", True)])
def test_what_is_left_to_dry_in_the_air_is_weighed_as_it_is(place, hot):
    steps = [
        step("dry", [], gives=["x"], place=place, container=["dish"]),
        step("weigh", on="x", container=["dish"]),
    ]
    assert ("hot-on-balance" in {f.code for f in told([solid("salt")], steps)}) == hot
