"""Layers in a run and in a procedure: followed, judged, typed."""

import json
from datetime import timedelta
from uuid import UUID

import pytest

from helvor.core.engine.plan.check_plan import check_plan
from helvor.core.engine.plan.edit import new_step
from helvor.core.engine.run.entries import Attached, Noted, StepAdded, SubstanceAdded
from helvor.core.engine.run.ledger import build_ledger
from helvor.core.engine.run.reading_line import understand
from helvor.core.engine.run.record import Run, gather
from helvor.core.engine.run.work_out import work_out
from helvor.core.laws.extraction.layers import CUTS
from helvor.core.quantities.reading import Unreadable
from helvor.core.record.entry import Entry
from helvor.core.record.house_rules import HouseRules
from helvor.core.record.procedure import Substance, procedure_from, scaled
from helvor.core.record.typed_line import NotSure
from helvor.core.techniques.extraction.entries import AgentAdded, Emulsion, PhRead
from helvor.core.techniques.extraction.flow import follow, grams, vessels
from helvor.core.techniques.extraction.funnel import funnel_now
from helvor.core.techniques.extraction.scheme import Part, propose
from helvor.core.techniques.registered import TECHNIQUES
from helvor.demo.extraction import LAYERS
from helvor.shelf.procedures import shipped_procedure
from tests.core.runs import NOON, page_of

THREE = shipped_procedure("three-from-one")
RULES = HouseRules()
ETHER = Substance(name="diethyl ether", density=0.713, layer="organic", flammable=True, boils=34.6)


def typed(*lines, procedure=THREE, minutes=2):
    """Entries typed beside their steps: ``3: vent 4``."""
    entries = page_of(procedure=procedure)
    for line in lines:
        number = len(entries) + 1
        at = NOON + timedelta(minutes=minutes * number)
        payload = line
        if isinstance(line, str):
            place, colon, text = line.partition(": ")
            step = f"s{place}" if colon and place.isdigit() else ""
            payload = understand(text if step else line, entries, step, TECHNIQUES, sure=True).payload
        entries.append(Entry(UUID(int=number), number, payload, None, "", "Ida", at))
    return entries


def sheet(*lines, rules=None, **more):
    return work_out(typed(*lines, **more), rules, TECHNIQUES)


def found(worksheet, code):
    return [finding for finding in worksheet.findings if finding.code == code]


def followed(procedure, rules=RULES):
    run = Run(procedure=procedure)
    return follow(run, build_ledger(run, rules), rules, TECHNIQUES.kinds)


def changed(**changes):
    """The procedure with some of its parts as other JSON."""
    data = json.loads(THREE.model_dump_json(exclude_defaults=True))
    for place, more in changes.items():
        kind, _, name = place.partition("__")
        for part in data[kind]:
            if part.get("id") == name or part.get("name", "").replace(" ", "_") == name:
                part.update(more)
    return procedure_from(data)


TAKEN = (
    "1: take cinnamic acid 1.000 g",
    "1: take benzocaine 1.000 g",
    "1: take biphenyl 1.000 g",
    "1: take tert-butyl methyl ether 60 mL",
    "done 1",
)


def portion(step, liquid="3 M hydrochloric acid", volume=15):
    return (f"{step}: take {liquid} {volume} mL", f"{step}: vent 1")


def test_every_component_is_conserved_in_every_step():
    flow = followed(THREE)
    ends = [name for name in THREE.portion_names if not any(name in step.takes for step in THREE.steps if step.gives)]
    for component in THREE.components:
        key = component.name
        total = sum(flow.of(name).mol.get(key, 0.0) for name in ends if flow.of(name))
        assert total == pytest.approx(flow.taken[key], rel=1e-9)
    for parting in flow.partings.values():
        before = parting.feed.volume() + sum(one.portion for one in parting.rounds)
        assert parting.extract.volume() + parting.rest.volume() == pytest.approx(before)


def test_three_go_three_ways():
    flow = followed(THREE)
    for name, product in (("cinnamic acid", 0.97), ("benzocaine", 0.91), ("biphenyl", 0.999)):
        held = grams(flow, THREE, f"{name} crystals")
        assert held[name] >= product - 0.01
        assert all(mass < 0.02 for other, mass in held.items() if other != name)


def test_scaling_keeps_the_shares():
    twice = scaled(THREE, 2.0)
    one, two = (grams(followed(p), p, "cinnamic acid crystals")["cinnamic acid"] for p in (THREE, twice))
    assert two == pytest.approx(2 * one, rel=0.01)


@pytest.mark.parametrize(("school", "more"), [("sharp", 0.0), ("leave-some", 0.0001)])
def test_the_way_of_cutting_enters(school, more):
    rules = HouseRules({"boundary": school})
    left = followed(THREE, rules).partings["s3"].rounds[-1].left["cinnamic acid"]
    assert left > more
    assert left < 0.01


def test_the_bench_of_the_demo_that_did_well_has_nothing_to_be_told():
    levels = {finding.level for finding in sheet(*LAYERS[1]).findings}
    assert "stop" not in levels
    assert "caution" not in levels


@pytest.mark.parametrize(
    ("bench", "code", "level", "words"),
    [
        (3, "emulsion-gone", "good", "add a little brine"),
        (4, "layer-gone", "stop", "98 % of it"),
        (5, "ph-not-reached", "caution", "pH 4.5 to 6.5"),
    ],
)
def test_the_mistakes_of_the_demo_are_seen(bench, code, level, words):
    finding = found(sheet(*LAYERS[bench]), code)[0]
    assert finding.level == level
    assert words in f"{finding.what} {finding.do}"


@pytest.mark.parametrize(
    ("lines", "code", "level", "words"),
    [
        ((*portion(2), "2: drain upper acid extracts"), "wrong-layer", "stop", "0.31 g/mL apart"),
        ((*portion(2), "2: drain lower acid extracts 60 mL"), "volume-of-the-other", "caution", "fits the other layer"),
        ((*portion(2), "2: tried the upper one"), "drop-test-other", "caution", "joined the upper"),
        ((*portion(2, volume=40),), "funnel-full", "caution", "funnel of 125 mL"),
        (("2: take 3 M hydrochloric acid 15 mL", "2: drain lower acid extracts"), "never-vented", "caution", "venting"),
        ((*portion(2), "2: rag 3 mm", "2: rag 3 mm wait"), "emulsion", "caution", "swirl gently"),
        ((*portion(2), "2: drain lower", "done 2"), "too-few-portions", "caution", "28 % of the benzocaine"),
        (
            (*portion(2), "done 2", *portion(3, "1 M sodium hydroxide", 4), "done 3"),
            "base-short",
            "caution",
            "mmol of acid, including acid left from the step before",
        ),
        (
            (*portion(2), "2: drain lower acid extracts 90 mL"),
            "more-out-than-in",
            "caution",
            "A portion was not recorded, or a volume was misread",
        ),
        (
            (*portion(2), "2: drain lower acid extracts beaker A", "2: drain upper ether after acid beaker A"),
            "same-vessel",
            "caution",
            "If one was poured elsewhere first, record where it is; otherwise",
        ),
        (
            ("6: take 6 M hydrochloric acid 5 mL", "done 6"),
            "ph-untested",
            "caution",
            "Only the neutral form precipitates, and the calculation assumes the",
        ),
        (("8: ph red", "done 8"), "ph-not-reached", "caution", "mL more of 6 M sodium hydroxide"),
        (("6: ph 2.1",), "ph-reached", "good", "2.1"),
        (
            ("11: agent 1.0 g",),
            "agent-caked",
            "note",
            "If you see water, separate it again; otherwise add a little more,",
        ),
        (("11: agent 1.0 g caked", "done 11"), "agent-caked", "caution", "separate it again"),
    ],
)
def test_findings_at_the_funnel(lines, code, level, words):
    finding = found(sheet(*TAKEN, *lines), code)[0]
    assert finding.level == level
    assert words in f"{finding.what} {finding.because} {finding.do}"


def test_what_is_put_together_on_purpose_may_share_a_vessel():
    together = ("3: drain lower base extracts beaker B", "4: drain lower water wash beaker B")
    assert not found(sheet(*TAKEN, *together), "same-vessel")


def test_a_solid_in_the_funnel_is_said_in_the_plan_and_at_the_bench():
    solid = changed(steps__s4={"adds": ["water", "sodium sulfate, anhydrous"]})
    assert found(sheet(*TAKEN, procedure=solid), "solid-in-funnel")
    assert "solid-in-funnel" in {advice.finding.code for advice in check_plan(solid, RULES, TECHNIQUES)}


def test_warmth_that_was_noted_enters_the_densities():
    cold, warm = (sheet(*TAKEN, *portion(2), *more) for more in ((), ("2: note warm",)))
    assert cold.findings == [f for f in warm.findings if f in cold.findings]
    run = gather(tuple(typed(*TAKEN, *portion(2), Noted(celsius=35.0, step="s2"))))
    plain = gather(tuple(typed(*TAKEN, *portion(2))))
    apart = [
        follow(r, build_ledger(r, RULES), RULES, TECHNIQUES.kinds).partings["s2"].settled.apart for r in (plain, run)
    ]
    assert apart[1] > apart[0]


def test_an_acid_that_is_too_weak_for_its_amine():
    weak = changed(substances__3_M_hydrochloric_acid={"molar": 0.5})
    finding = found(sheet(*TAKEN, *portion(2), "done 2", procedure=weak), "acid-too-weak")[0]
    assert "pKa 2.5" in finding.what


def test_hydrogencarbonate_gives_gas_in_the_funnel():
    foaming = changed(substances__1_M_sodium_hydroxide={"formula": "NaHCO3", "molar": 0.6})
    gas = found(sheet(*TAKEN, *portion(3, "1 M sodium hydroxide"), procedure=foaming), "gas-in-funnel")
    assert "carbon dioxide" in gas[0].what
    sum_of_rounds = sum(one.gas for one in followed(foaming).partings["s3"].rounds)
    acid = 1000 * 1.00 / 148.16
    assert sum_of_rounds < 24.0 * (acid + 1.6)  # no more than acid and clinging acid set free


@pytest.mark.parametrize(("pka", "short"), [(4.4, True), (9.9, False)])
def test_hydrogencarbonate_is_only_counted_on_for_acids_it_takes(pka, short):
    little = {"formula": "NaHCO3", "molar": 0.15}
    told = changed(substances__1_M_sodium_hydroxide=little, components__cinnamic_acid={"pka": pka})
    lines = (*TAKEN, *portion(3, "1 M sodium hydroxide"), "done 3")
    assert bool(found(sheet(*lines, procedure=told), "base-short")) == short


def test_what_mixes_with_the_layer_is_refused():
    both = changed(substances__3_M_hydrochloric_acid={"layer": "both", "density": 0.789})
    assert "no aqueous layer" in followed(both).partings["s2"].trouble
    assert any(a.finding.code == "no-two-layers" for a in check_plan(both, RULES, TECHNIQUES))


def test_a_wet_product_names_what_its_way_lacked():
    said = [line for line in LAYERS[1] if not line.startswith(("10: ", "16: ")) and line not in ("done 10", "done 16")]
    heavy = [*said, "skip 10 no brine left", "16: round flask biphenyl crystals dried 63.502"]
    finding = found(sheet(*heavy), "wet-product")[0]
    assert "no brine wash" in finding.what
    spectrum = Attached(file=UUID(int=1), name="biphenyl.jdx", media="text/plain", words="", step="")
    assert found(sheet(*heavy, spectrum), "wet-for-ir")
    assert not found(sheet(*LAYERS[1], spectrum, minutes=12), "wet-for-ir")


def test_evaporating_hotter_than_the_solid_stands():
    hot = changed(steps__s14={"celsius": 90})
    assert found(sheet(*LAYERS[1], procedure=hot), "evaporated-hot")
    assert any(a.finding.code == "evaporated-hot" for a in check_plan(hot, RULES, TECHNIQUES))


def test_products_whose_masses_fit_each_other():
    uneven = ["1: take cinnamic acid 2.000 g" if line.startswith("1: take cinnamic") else line for line in LAYERS[1]]
    uneven = [line for line in uneven if not line.startswith(("20: ", "21: "))]
    swapped = [*uneven, "20: dish C cinnamic acid crystals dried 39.130", "21: dish B benzocaine crystals dried 38.830"]
    assert found(sheet(*swapped), "products-exchanged")


def test_losses_in_other_layers_have_a_size():
    causes = [one.cause for one in sheet(*LAYERS[2]).causes if one.cause.code == "in-other-layers"]
    by_product = {cause.portion: cause for cause in causes}
    assert by_product["benzocaine crystals"].size == pytest.approx(0.072, abs=0.02)
    assert "base liquor" in by_product["benzocaine crystals"].points[0]


def test_the_plan_of_the_demo_is_clean():
    assert [advice.finding.code for advice in check_plan(THREE, RULES, TECHNIQUES)] == []


def test_a_plan_is_told_of_fine_salt_and_of_no_brine():
    data = json.loads(THREE.model_dump_json(exclude_defaults=True))
    for step in data["steps"]:
        if step["id"] == "s11":
            step["takes"] = ["ether after water"]
        step["adds"] = [name.replace("sodium sulfate, anhydrous", "magnesium sulfate") for name in step.get("adds", [])]
        step["says"] = step["says"].replace("{sodium sulfate, anhydrous}", "salt")
    for substance in data["substances"]:
        substance["name"] = substance["name"].replace("sodium sulfate, anhydrous", "magnesium sulfate")
    codes = {advice.finding.code for advice in check_plan(procedure_from(data), RULES, TECHNIQUES)}
    assert {"fine-agent", "no-brine"} <= codes


@pytest.mark.parametrize(
    ("lines", "phase", "portion_now", "vents", "stopper", "layers"),
    [
        ((), "one layer", 0, 0, "off", 1),
        (("2: take 3 M hydrochloric acid 15 mL",), "mixing", 1, 0, "on", 2),
        (portion(2), "mixing", 1, 1, "on", 2),
        ((*portion(2), *["2: vent 4"] * 5), "settling", 1, 6, "off", 2),
        ((*portion(2), "2: rag 2 mm"), "settling", 1, 1, "off", 2),
        ((*portion(2), "2: drain lower"), "between", 1, 1, "off", 2),
        ((*portion(2), "2: drain lower", *portion(2)), "mixing", 2, 1, "on", 2),
        ((*portion(2), "2: drain lower", "done 2"), "done", 1, 1, "off", 2),
    ],
)
def test_the_funnel_follows_the_record(lines, phase, portion_now, vents, stopper, layers):
    run = gather(tuple(typed(*TAKEN, *lines)))
    step = run.procedure.step("s2")
    parting = follow(run, build_ledger(run, RULES), RULES, TECHNIQUES.kinds).partings["s2"]
    now = funnel_now(run, step, parting, CUTS["sharp"])
    assert (now.phase, now.portion, now.vents, now.stopper, len(now.layers)) == (
        phase,
        portion_now,
        vents,
        stopper,
        layers,
    )
    assert now.tap == ("open" if lines and lines[-1] == "2: drain lower" else "closed")
    if phase == "between":
        assert now.layers[0].volume == pytest.approx(0.5)


def test_vessels_add_up_their_drainings():
    run = gather(
        tuple(
            typed(
                *TAKEN,
                *portion(2),
                "2: drain lower 14.5 mL acid extracts beaker A",
                *portion(2),
                "2: drain lower 15 mL acid extracts",
            )
        )
    )
    vessel = vessels(run)["acid extracts"]
    assert (vessel.vessel, vessel.volume, vessel.place) == ("beaker A", 29.5, "lower")


@pytest.mark.parametrize(
    ("line", "says"),
    [
        ("2: drain sideways 5 mL", "Enter the layer, for example: drain lower"),
        ("2: rag 2 mm shouting", "Choose a remedy, or describe it"),
        ("6: ph", "Enter the pH, for example: ph red, ph"),
        ("6: ph pink", "Universal paper can be red, orange, yellow, green, blue-green, blue,"),
        ("gone nothing", "Enter what was discarded and how, for example: gone acid extracts"),
    ],
)
def test_what_is_not_understood_is_said(line, says):
    with pytest.raises(Unreadable, match=says):
        typed(*TAKEN, line)


def test_a_layer_without_a_name_gets_that_of_its_density():
    entries = typed(*TAKEN, *portion(2), "2: drain lower", "2: drain upper")
    assert [entry.payload.portion for entry in entries[-2:]] == ["acid extracts", "ether after acid"]


@pytest.mark.parametrize(
    ("model", "fields"),
    [
        (PhRead, {"step": "s6"}),
        (PhRead, {"step": "s6", "ph": 2.0, "colour": "red"}),
        (PhRead, {"step": "s6", "colour": "mauve"}),
        (Emulsion, {"step": "s2", "tried": ("hope",)}),
        (AgentAdded, {"step": "s11", "agent": "sand"}),
    ],
)
def test_entries_refuse_what_does_not_go_together(model, fields):
    with pytest.raises(ValueError, match="1 validation error"):
        model(**fields)


REFLUX = procedure_from(
    {
        "title": "Boil",
        "substances": [{"name": "ethanol", "amount": "30 mL", "layer": "both", "density": 0.789}],
        "steps": [
            {"id": "s1", "kind": "add", "says": "In", "gives": ["it"], "adds": ["ethanol"]},
            {"id": "s2", "kind": "reflux", "says": "Boil", "on": "it", "volume": 50, "waits": 30},
        ],
    }
)


@pytest.mark.parametrize(
    ("lines", "codes"),
    [
        (("2: drops", *["2: note calm"] * 4, "2: drops stopped", "done 2"), {"reflux-short"}),
        (("2: drops", *["2: note calm"] * 15, "2: drops stopped", "done 2"), set()),
        (("2: drops", "2: drops stopped", "2: drops", "done 2"), {"reflux-broken"}),
        (("done 2",), {"reflux-untimed"}),
    ],
)
def test_reflux_is_timed_from_the_drops(lines, codes):
    worksheet = sheet(*lines, procedure=REFLUX)
    assert {f.code for f in worksheet.findings if f.code.startswith("reflux")} == codes
    assert "a closed system bursts" not in str(found(worksheet, "reflux-short"))
    assert found(worksheet, "set-up-unchecked")


PARTS = [
    Part("benzoic acid", "C7H6O2", 1.0, "acid", 4.2, 1.87, 122.4, 3.4),
    Part("2-naphthol", "C10H8O", 1.0, "acid", 9.5, 2.7, 122, 0.7),
    Part("aniline", "C6H7N", 1.0, "base", 4.6, 0.9),
    Part("naphthalene", "C10H8", 1.0, "neutral", None, 3.3, 80.3),
]


def test_a_scheme_parts_four_and_is_a_clean_procedure():
    proposed = propose(PARTS, ETHER, 60, RULES, TECHNIQUES.kinds)
    assert [stage.chosen.formula for stage in proposed.stages] == ["HCl", "NaHCO3", "NaOH"]
    for portion_name, shares in proposed.shares.items():
        mine = max(shares, key=shares.get)
        assert shares[mine] > 0.75, portion_name
        assert all(share < 0.1 for name, share in shares.items() if name != mine)
    again = procedure_from(json.loads(proposed.procedure.model_dump_json(exclude_defaults=True)))
    assert again == proposed.procedure
    told = [a.finding.code for a in check_plan(again, RULES, TECHNIQUES) if a.finding.level in ("stop", "caution")]
    assert told == ["gas-in-funnel"]  # hydrogencarbonate meets what is left of the acid
    chloroform = ETHER.model_copy(update={"name": "chloroform", "density": 1.48, "waste": "halogenated"})
    with pytest.raises(Unreadable, match="react violently"):
        propose(PARTS, chloroform, 60, RULES, TECHNIQUES.kinds)
    # Whatever it parts is weighed: every product has a step on a balance.
    weighed = {step.on for step in again.steps if step.kind == "weigh" and not step.empty}
    assert weighed == {portion.name for portion in again.portions if portion.end == "product"}


def test_a_scheme_says_what_it_cannot_part():
    together = [
        PARTS[0],
        Part("4-toluic acid", "C8H8O2", 1.0, "acid", 4.4, 2.3),
        PARTS[3],
        Part("anthracene", "C14H10", 0.5, "neutral", None, 4.5),
    ]
    remarks = " ".join(propose(together, ETHER, 60, RULES, TECHNIQUES.kinds).remarks)
    assert "toluic acid are extracted together: separate them afterwards, by" in remarks
    assert "both stay" in remarks


@pytest.mark.parametrize(
    ("parts", "solvent", "volume"),
    [
        (PARTS[:1], ETHER, 60),
        ([PARTS[0], PARTS[0]], ETHER, 60),
        (PARTS, ETHER, 2),
        (PARTS, Substance(name="ethanol", density=0.789, layer="both"), 60),
        ([PARTS[0], Part("x", "", 1.0, "acid", 4.0, 1.0)], ETHER, 60),
    ],
)
def test_what_makes_no_scheme_is_refused(parts, solvent, volume):
    with pytest.raises(Unreadable):
        propose(parts, solvent, volume, RULES, TECHNIQUES.kinds)


def test_what_is_only_planned_on_a_portion_does_not_count_yet():
    def base_extracts(*lines):
        run = gather(tuple(typed(*TAKEN, *lines)))
        return follow(run, build_ledger(run, RULES), RULES, TECHNIQUES.kinds).now("base extracts and wash", run)

    assert base_extracts().volume() == pytest.approx(55.0)
    assert base_extracts("6: take 6 M hydrochloric acid 7.5 mL", "done 6").volume() == pytest.approx(62.5)


def test_enough_portions_are_said_to_be_enough():
    acid = [line for _ in range(3) for line in portion(2)]
    said = found(sheet(*TAKEN, *acid, "done 2"), "enough-portions")
    assert [one.about for one in said] == ["s2 benzocaine"]
    assert said[0].level == "good"
    assert not found(sheet(*TAKEN, *portion(2), "done 2"), "enough-portions")


def test_layers_of_nearly_the_same_density_are_tested_with_a_drop():
    heavy = changed(**{"substances__tert-butyl_methyl_ether": {"density": 1.03}})
    assert found(sheet(*TAKEN, *portion(2), procedure=heavy), "close-call")
    assert not found(sheet(*TAKEN, *portion(2)), "close-call")


def test_a_drying_agent_that_takes_the_product_along_is_named():
    chloride = AgentAdded(step="s11", agent="calcium-chloride", mass="1 g", flows=True)
    assert "amines such as benzocaine" in found(sheet(*TAKEN, chloride), "agent-unsuited")[0].what
    sulfate = AgentAdded(step="s11", agent="sodium-sulfate", mass="1 g", flows=True)
    assert not found(sheet(*TAKEN, sulfate), "agent-unsuited")


def test_carbonate_that_meets_acid_foams_and_is_said_to():
    soda = changed(
        substances__1_M_sodium_hydroxide={"name": "1 M sodium bicarbonate", "formula": "NaHCO3"},
        steps__s3={"adds": ["1 M sodium bicarbonate"], "says": "Extract with {1 M sodium bicarbonate}"},
    )
    begun = (*TAKEN, *portion(3, "1 M sodium bicarbonate", 15), "6: take 6 M hydrochloric acid 1 mL")
    assert found(sheet(*begun, procedure=soda), "gas-comes-off")
    plain = (*TAKEN, *portion(3, "1 M sodium hydroxide", 15), "6: take 6 M hydrochloric acid 1 mL")
    assert not found(sheet(*plain), "gas-comes-off")


def test_a_liquid_that_goes_into_both_layers_is_said_to_shift_them():
    data = json.loads(THREE.model_dump_json(exclude_defaults=True))
    data["substances"].append(
        {"name": "ethanol", "amount": "5 mL", "role": "solvent", "layer": "both", "density": 0.789}
    )
    data["steps"][0]["adds"].append("ethanol")
    begun = (*TAKEN[:-1], "1: take ethanol 5 mL", "done 1", *portion(2))
    said = found(sheet(*begun, procedure=procedure_from(data)), "shifted-layers")
    assert "ethanol dissolves in both layers" in said[0].what
    assert not found(sheet(*TAKEN, *portion(2)), "shifted-layers")


FUNNEL = procedure_from(
    {
        "title": "Two liquids",
        "substances": [
            {"name": "acidic solution", "amount": "30 mL", "layer": "aqueous", "density": 1.01},
            {"name": "diethyl ether", "amount": "20 mL", "layer": "organic", "density": 0.713},
        ],
        "steps": [
            {"id": "s1", "kind": "add", "adds": ["acidic solution"], "gives": ["mixture"]},
            {
                "id": "s2",
                "kind": "extract",
                "takes": ["mixture"],
                "adds": ["diethyl ether"],
                "gives": ["water", "ether"],
            },
        ],
    }
)


@pytest.mark.parametrize("gives", [("water", "ether"), ("ether", "water")])
@pytest.mark.parametrize("roles", [(), ("aqueous layer", "organic layer")])
def test_the_order_of_the_layers_decides_nothing(gives, roles):
    said = roles if gives[0] == "water" else roles[::-1]
    step = FUNNEL.steps[1].model_copy(update={"gives": gives, "roles": said})
    procedure = FUNNEL.model_copy(update={"steps": (FUNNEL.steps[0], step)})
    flow = followed(procedure)
    parting = flow.partings["s2"]
    assert parting.names(step) == ("ether", "water")
    assert flow.of("ether").volume("organic") > 15 and flow.of("water").volume("aqueous") > 25
    done = ("done 1", "2: drain lower 29 mL water beaker A", "2: drain upper 20 mL ether flask B")
    assert not found(sheet(*done, procedure=procedure), "wrong-layer")
    wrong = sheet("done 1", "2: drain lower 29 mL ether beaker A", procedure=procedure)
    assert [finding.level for finding in found(wrong, "wrong-layer")] == ["stop"]


ETHER_THERE = SubstanceAdded(substance=ETHER)
WATER_THERE = SubstanceAdded(substance=Substance(name="water"))


@pytest.mark.parametrize(
    ("lines", "extracts"),
    [
        (("take water 20 mL", "take diethyl ether 15 mL"), "organic"),
        (("take diethyl ether 15 mL", "take water 20 mL"), "aqueous"),
        (("take diethyl ether 10 mL", "take water 20 mL", "take diethyl ether 10 mL"), "organic"),
    ],
)
def test_a_funnel_in_a_run_without_a_procedure_knows_the_liquids_that_were_taken(lines, extracts):
    kind = TECHNIQUES.kinds["extract"]
    step = new_step(kind, "s1", None, TECHNIQUES.kinds, [])
    begun = [StepAdded(step=step), WATER_THERE, ETHER_THERE, *(f"1: {line}" for line in lines)]
    run = gather(typed(*begun, procedure=None))
    assert set(run.procedure.steps[0].adds) == {"water", "diethyl ether"}
    flow = follow(run, build_ledger(run, RULES), RULES, TECHNIQUES.kinds)
    parting = flow.partings["s1"]
    assert (parting.trouble, parting.makes) == ("", extracts)
    assert parting.settled.upper.makes == "organic"
    assert flow.of("organic layer").volume("organic") > 10 and flow.of("aqueous layer").volume("aqueous") > 15


def test_what_a_plan_adds_elsewhere_is_not_added_where_it_was_written():
    run = gather(typed("2: take acidic solution 30 mL", procedure=FUNNEL))
    assert [step.adds for step in run.procedure.steps] == [step.adds for step in FUNNEL.steps]


def test_the_whole_of_three_portions_written_once_is_counted_as_planned():
    ether, acid = "1: take tert-butyl methyl ether 60 mL", "2: take 3 M hydrochloric acid 45 mL"
    found = {finding.code: finding for finding in sheet(ether, acid).findings}
    assert "funnel-full" not in found
    assert "counted as 3 portions of 15.0 mL" in found["portions-assumed"].what


def test_the_line_asks_in_how_many_portions():
    page = typed("1: take tert-butyl methyl ether 60 mL")
    with pytest.raises(NotSure, match="3 portions are planned") as asked:
        understand("take 3 M hydrochloric acid 45 mL", page, "s2", TECHNIQUES)
    one = "take 3 M hydrochloric acid 15 mL"
    assert asked.value.lines[0] == f"{one}, {one}, {one}"


def test_an_emulsion_of_nothing_is_none():
    found = {finding.code for finding in sheet(*TAKEN, *portion(2), "2: rag 0 mm").findings}
    assert "emulsion" not in found and "emulsion-gone" not in found
    after = {finding.code for finding in sheet(*TAKEN, *portion(2), "2: rag 3 mm", "2: rag 0 mm").findings}
    assert "emulsion-gone" in after


@pytest.mark.parametrize(
    ("colour", "code"),
    [("red", "ph-reached"), ("orange", "ph-paper-coarse"), ("yellow", "ph-not-reached"), ("2.1", "ph-reached")],
)
def test_a_paper_s_whole_range_must_lie_on_the_right_side(colour, code):
    """Going down to pH 2: red may be −1 to 2.5, orange 2.5 to 4.5, which cannot tell."""
    found_ = {finding.code for finding in sheet(f"6: ph {colour}").findings if finding.code.startswith("ph-")}
    assert found_ == {code}


def test_litmus_cannot_tell_a_strong_acid():
    assert found(sheet("6: ph litmus red"), "ph-paper-coarse")


def test_brine_is_advised_against_an_emulsion_only_where_the_water_is_below():
    """Brine makes the water denser: over a heavy solvent the layers would come closer."""
    tried = ("2: rag 3 mm wait swirl",)
    below = found(sheet(*TAKEN, *portion(2), *tried), "emulsion")[0]
    assert "brine" in below.do
    heavy = changed(**{"substances__tert-butyl_methyl_ether": {"density": 1.33}})
    above = found(sheet(*TAKEN, *portion(2), *tried, procedure=heavy), "emulsion")[0]
    assert "brine" not in above.do and "plug" in above.do
