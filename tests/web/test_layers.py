"""Extraction on a run's page, in the builder, as sums and under /api."""

import json
import re
from uuid import UUID, uuid4

import pytest

from helvor.notebook import procedures
from helvor.shelf.procedures import shipped_procedure
from helvor.web.calculators.layers import LAYERS
from tests.notebook.people import run_of
from tests.web.conftest import HTMX, followed


@pytest.fixture
def layers_run(school):
    """A run of "Three from one" on Ida's bench; its address."""
    return f"/runs/{run_of(school.conn, school.ida, shipped_procedure('three-from-one'))}"


def send(client, url, **fields):
    answer = client.post(f"{url}/entries", data={"entry": str(uuid4()), **fields}, headers=HTMX)
    return followed(client, answer).text.replace("\xa0", " ")


def test_a_funnel_from_the_first_portion_to_the_last_layer(ida, layers_run):
    send(ida, layers_run, kind="marked", step="s1", how="done")
    page = ida.get(f"{layers_run}?step=s2").text
    for words in ("60.0 mL", "Which layer?", "stopper off", "Portion 1", "in the funnel", "two thirds"):
        assert words in page
    poured = send(ida, layers_run, kind="taken", step="s2", substance="3 M hydrochloric acid", amount="15")
    assert "3 M hydrochloric acid is the lower layer" in poured
    assert "stopper on" in poured
    assert "Record 1 shake and a vent" in poured
    vented = send(ida, layers_run, kind="vented", step="s2", swirls="1")
    assert "Record 2 shakes and a vent" in vented
    rag = send(ida, layers_run, kind="emulsion", step="s2", thick="2", tried=["wait"], gone="no")
    assert "2 mm" in rag
    assert "swirl gently" in rag
    assert "emulsion cleared" in send(ida, layers_run, kind="emulsion", step="s2", tried=["swirl"], gone="yes")
    drained = send(
        ida,
        layers_run,
        kind="drained",
        step="s2",
        place="lower",
        portion="acid extracts",
        vessel="beaker A",
        out="14.5",
    )
    assert "beaker A" in drained
    # Of 1.00 g one portion takes 75 %, half a millilitre of its fifteen clings.
    stays, out = (
        float(mass) for mass in re.findall(r"([\d.]+) g benzocaine", drained.partition("Layers on the")[2])[:2]
    )
    assert 0.70 < out < 0.74
    assert stays == pytest.approx(1.0 - out, abs=0.01)
    upper = send(ida, layers_run, kind="drained", step="s2", place="upper", portion="acid extracts")
    assert "by density the lower one" in upper


def test_a_ph_a_salt_and_what_is_thrown_away(ida, layers_run):
    page = ida.get(f"{layers_run}?step=s6").text.replace("\xa0", " ")
    assert "of 6 M hydrochloric acid" in page
    yellow = send(
        ida, layers_run, kind="ph-read", step="s6", portion="base extracts and wash", seen="universal: yellow"
    )
    assert "pH 4.5 to 6.5" in yellow
    assert "; target" in send(ida, layers_run, kind="ph-read", step="s6", ph="2.0")
    salt = send(ida, layers_run, kind="agent-added", step="s11", agent="sodium-sulfate", mass="1.5", flows="no")
    assert "still caked" in salt.lower()
    assert "caked" in salt
    assert "Not for acids" in send(ida, layers_run, kind="agent-added", step="s11", agent="potassium-carbonate")
    gone = send(ida, layers_run, kind="layer-gone", step="s8", portion="acid extracts", why="cleared up")
    assert "cannot be recovered later" in gone
    assert "keep it" in ida.get(f"{layers_run}?step=s22").text


@pytest.mark.parametrize(
    ("fields", "says"),
    [
        ({"kind": "drained", "step": "s2", "place": "lower", "portion": ""}, "Enter a name for the layer"),
        ({"kind": "drained", "step": "s2", "place": "middle", "portion": "x"}, "upper|lower"),
        ({"kind": "drained", "step": "s2", "place": "lower", "portion": "x", "out": "lots"}, "is not a number"),
        ({"kind": "ph-read", "step": "s6"}, "meter"),
        ({"kind": "ph-read", "step": "s6", "ph": "44"}, "16"),
        ({"kind": "agent-added", "step": "s11", "agent": "sand"}, "Choose a drying agent"),
        ({"kind": "layer-gone", "step": "s11", "portion": ""}, "Which layer"),
        ({"kind": "vented", "step": "s2", "swirls": "many"}, "whole number"),
        ({"kind": "vented", "step": "s77", "swirls": "1"}, "not in this run"),
    ],
)
def test_bad_input_gets_a_sentence_and_writes_nothing(ida, layers_run, school, fields, says):
    before = school.entries()
    answer = ida.post(f"{layers_run}/entries", data={"entry": str(uuid4()), **fields}, headers=HTMX)
    assert answer.status_code == 422
    assert any(one in answer.text for one in says.split("|"))
    assert school.entries() == before


@pytest.mark.parametrize(
    ("kind", "fields", "again"),
    [
        ("vented", {"swirls": "4"}, {"swirls": "6"}),
        (
            "drained",
            {"place": "lower", "portion": "acid extracts", "out": "14"},
            {"place": "lower", "portion": "acid extracts", "out": "15"},
        ),
        ("emulsion", {"thick": "3", "gone": "no"}, {"thick": "2", "gone": "no"}),
        ("ph-read", {"seen": "litmus: blue"}, {"ph": "8.9"}),
        ("agent-added", {"agent": "magnesium-sulfate", "mass": "1.0"}, {"agent": "magnesium-sulfate", "mass": "1.1"}),
        ("boiling", {"boils": "yes"}, {"boils": "no"}),
        ("layer-gone", {"portion": "acid extracts"}, {"portion": "base extracts"}),
    ],
)
def test_every_kind_is_corrected_in_its_own_form(ida, layers_run, kind, fields, again):
    entry = uuid4()
    send(ida, layers_run, kind=kind, step="s2", **{**fields, "entry": str(entry)})
    form = ida.get(f"{layers_run}/edit/{kind}?key={entry}", headers=HTMX).text
    first = next(
        value
        for name, value in fields.items()
        if name in ("out", "swirls", "thick", "mass", "portion", "seen", "boils")
    )
    assert f'value="{first}"' in form
    corrected = send(ida, layers_run, kind=kind, step="s2", strikes=str(entry), reason="misread", **again)
    assert "misread" in ida.get(f"{layers_run}/history").text, corrected[:200]


def test_reflux_counts_from_the_drops(ida, school, layers_run):
    step = {"id": "s99", "kind": "reflux", "says": "Boil", "waits": 30, "on": "mixture", "volume": 100}
    added = ida.post(
        f"/api{layers_run}/entries",
        json={"id": str(uuid4()), "says": {"kind": "step-added", "step": step, "after": "s1"}},
    )
    assert added.status_code in (200, 201)
    page = ida.get(f"{layers_run}?step=s99").text
    assert "100 mL flask, 60 % full" in page.replace("\xa0", " ")
    boiling = send(ida, layers_run, kind="boiling", step="s99", boils="yes")
    assert "Boiling stopped" in boiling
    assert "Reflux started" in send(ida, layers_run, kind="boiling", step="s99", boils="no")


def test_the_builder_keeps_what_an_extraction_needs(ida, school):
    key = uuid4()
    procedures.add_procedure(school.conn, school.ida.account, key, shipped_procedure("three-from-one"), "made")

    def edit(**fields):
        answer = ida.post(f"/procedures/{key}/edit", data={"entry": str(uuid4()), "open": "", **fields}, headers=HTMX)
        assert answer.status_code == 200, answer.text[:400]
        return procedures.open_procedure(school.conn, school.ida.account, key).procedure

    # The shelf fills in what is left empty.
    procedure = edit(op="component", was="", name="benzoic acid", acts="acid")
    component = procedure.component("benzoic acid")
    assert (component.acts, component.pka) == ("acid", 4.2)
    assert component.log_k == pytest.approx(1.87, abs=0.05)
    assert (
        edit(op="substance", was="", name="ethyl acetate", role="solvent", amount="20 mL")
        .substance("ethyl acetate")
        .layer
        == "organic"
    )
    form = ida.get(f"/procedures/{key}?step=s6").text
    assert 'name="ph"' in form
    step = procedure.step("s6")
    fields = {"kind": "set ph", "says": step.says, "on": step.on, "adds": list(step.adds), "hands": "6", "ph": "1.5"}
    assert edit(op="step", step="s6", **fields).step("s6").ph == 1.5


@pytest.mark.parametrize("one", LAYERS, ids=lambda one: one.key)
def test_each_sum_answers_with_what_is_usual(ida, one):
    page = ida.get(f"/calculators/{one.key}")
    assert page.status_code == 200
    assert "Enter the values to see the answer" not in page.text
    assert "aria-invalid" not in page.text


@pytest.mark.parametrize(
    ("key", "fields", "says"),
    [
        ("layers", {"liquids": "methanol 20 mL\nwater 20 mL"}, "no layers"),
        ("layers", {"liquids": "dichloromethane 30 mL\nhexane 40 mL\nwater 20 mL"}, "third layer"),
        ("layers", {"liquids": "diethyl ether 90 mL\nbrine 30 mL", "size": "125"}, "is too much for 125"),
        (
            "portions",
            {"way": "trial", "feed": "50", "total": "45", "taken": "1", "found": "0.6", "trial_volume": "15"},
            "D from the trial",
        ),
        (
            "portions",
            {"way": "ph", "k": "74", "pka": "4.2", "ph": "8.3", "into": "water", "feed": "50", "total": "45"},
            "Into water, 1 ÷ D",
        ),
        ("portions", {"d": "4", "feed": "50", "total": "45", "second": "0.1", "wash": "10"}, "separation factor"),
        ("portions", {"d": "0.01", "feed": "50", "total": "15", "wanted": "99"}, "more than 50 portions"),
        (
            "who",
            {"parts": "phenol\nmy amine base pKa 9 logP 2", "organic": "50", "water": "20", "ph": "12"},
            "NaOH|sodium",
        ),
        (
            "to-ph",
            {"parts": "benzoic acid 1 g", "in_it": "0.6 M NaHCO3", "volume": "60", "target": "2", "molar": "3"},
            "carbon dioxide",
        ),
        (
            "drying-agent",
            {"solvent": "ethyl acetate", "volume": "50", "agent": "potassium-carbonate"},
            "acids or phenols",
        ),
        (
            "scheme",
            {"parts": "benzoic acid\nphenol\naniline\nbiphenyl", "solvent": "diethyl ether", "organic": "60"},
            "Create procedure",
        ),
        ("reflux", {"volume": "8"}, "32 % full"),
    ],
)
def test_sums_of_layers(ida, key, fields, says):
    text = ida.get(f"/calculators/{key}", params=fields).text.replace("\xa0", " ")
    assert any(one in text for one in says.split("|"))


@pytest.mark.parametrize(
    ("key", "fields", "says"),
    [
        ("layers", {"liquids": "fog 20 mL"}, "is not a liquid in the reference data: enter its density, such as"),
        ("layers", {"liquids": ""}, "Enter the liquids, one per line, each with its volume"),
        ("layers", {"liquids": "water 0 mL\nether 5 mL"}, "above 0 mL"),
        ("portions", {"d": "0", "feed": "50", "total": "45"}, "distribution ratio"),
        ("portions", {"d": "4", "feed": "0", "total": "45"}, "volume above 0"),
        (
            "portions",
            {"way": "trial", "feed": "50", "total": "45", "taken": "1", "found": "1", "trial_volume": "5"},
            "Enter an amount found that is above 0 and below the amount taken",
        ),
        ("who", {"parts": "mystery", "organic": "50", "water": "20"}, "log P"),
        ("who", {"parts": "biphenyl", "organic": "0", "water": "20"}, "above 0"),
        (
            "to-ph",
            {"parts": "benzoic acid", "in_it": "1 M NaOH", "volume": "45", "target": "-1", "molar": "6"},
            "cannot be reached with",
        ),
        (
            "to-ph",
            {"parts": "benzoic acid", "in_it": "1 M sugar", "volume": "45", "target": "2", "molar": "6"},
            "not a known acid or base",
        ),
        ("drying-agent", {"solvent": "ethanol", "volume": "50"}, "that forms a separate layer"),
        ("scheme", {"parts": "biphenyl", "solvent": "diethyl ether", "organic": "60"}, "at least two"),
        ("scheme", {"parts": "biphenyl\naniline", "solvent": "ethanol", "organic": "60"}, "forms no separate layer"),
        ("reflux", {"volume": "0"}, "above 0"),
    ],
)
def test_bad_sums_say_so_at_their_field(ida, key, fields, says):
    answer = ida.get(f"/calculators/{key}", params=fields)
    assert answer.status_code == 422
    assert says in answer.text.replace("\xa0", " ")


def test_a_scheme_becomes_a_procedure(ida, school):
    body = {"parts": ["benzoic acid 1.00 g", "aniline 1.00 g", "biphenyl 1.00 g"], "solvent": "diethyl ether", "ml": 60}
    found = ida.post("/api/extraction/scheme", json=body).json()
    assert found["shares"]["benzoic acid crystals"]["benzoic acid"] > 0.8
    entry = uuid4()
    made = ida.post("/procedures/import/files", data={"entry": str(entry), "text": json.dumps(found["procedure"])})
    assert made.status_code in (200, 303)
    kept = procedures.open_procedure(school.conn, school.ida.account, entry).procedure
    assert [step.kind for step in kept.steps][:3] == ["dissolve", "extract", "extract"]


@pytest.mark.parametrize(
    ("path", "body", "expected"),
    [
        ("density", {"formula": "NaCl", "fraction": 0.26}, 1.1967),
        ("density", {"formula": "NaOH", "molar": 1}, 1.0405),
        ("trial", {"taken": 1, "found": 0.5, "feed_ml": 50, "portion_ml": 25}, {"d": 2.0, "u": 0.0}),
        ("base-needed", {"mol": [0.01], "margin": 1.5}, 0.015),
        ("paper", {"colour": "red"}, [-1, 2.5]),
        ("ph", {"ml": 100, "formula": "HCl", "molar": 0.1}, 1.0),
        ("mol", {"formula": "C7H6O2", "g": 1.2212}, 0.01),
        ("cut", {"school": "leave-some", "g_per_ml": 0.02}, 0.03),
        (
            "reflux",
            {"ml": 30, "marks": [["2026-03-02T12:00:00Z", True], ["2026-03-02T12:20:00Z", False]]},
            {"flask_ml": 50, "minutes": 20, "stretches": 1},
        ),
    ],
)
def test_sums_as_json(ida, path, body, expected):
    answer = ida.post(f"/api/extraction/{path}", json=body)
    assert answer.status_code == 200
    assert answer.json() == pytest.approx(expected, rel=1e-3)


def test_more_sums_as_json(ida):
    def ask(path, body):
        return ida.post(f"/api/extraction/{path}", json=body).json()

    both = ask("portions", {"d": 4, "feed_ml": 50, "total_ml": 45, "second_d": 0.1, "wash_ml": 10, "clings_ml": 1})
    assert both["left"][0] == pytest.approx(1 / 4.6)
    assert both["left_with_clinging"][2] > both["left"][2]
    assert both["factor"] == pytest.approx(40)
    moved = ask("distribution", {"acts": "acid", "k": 74, "pka": 4.2, "ph": 4.2, "organic_ml": 50, "water_ml": 20})
    assert moved["d"] == pytest.approx(37)
    assert moved["reagent"][0] == "NaHCO3"
    acid = {"acts": "acid", "pka": 4.2, "mol": 0.008}
    there = ask("to-ph", {"ml": 45, "formula": "NaOH", "molar": 1, "solutes": [acid], "to": 2, "with_molar": 6})
    assert there["ml"] == pytest.approx(7.6, abs=0.1)
    layers = ask("layers", {"liquids": ["dichloromethane 30 mL", "water 20 mL"]})
    assert layers["lower"]["makes"] == "organic"
    assert layers["funnel"] == 125
    salt = ask("drying-agent", {"solvent": "ether", "ml": 60, "agent": "magnesium-sulfate"})
    assert salt["off"] == "filter"


@pytest.mark.parametrize(
    ("path", "body"),
    [
        ("density", {"formula": "NaCl"}),
        ("density", {"formula": "Xx", "fraction": 0.1}),
        ("portions", {"d": 0, "feed_ml": 5, "total_ml": 5}),
        ("layers", {"liquids": ["fog 5 mL"]}),
        ("ph", {"ml": 5, "formula": "NaCl", "molar": 1}),
        ("paper", {"colour": "pink"}),
        ("drying-agent", {"solvent": "ethanol", "ml": 5}),
        ("drying-agent", {"solvent": "ether", "ml": 5, "agent": "sand"}),
        ("scheme", {"parts": ["biphenyl", "aniline"], "solvent": "fog", "ml": 60}),
        ("to-ph", {"ml": 45, "formula": "NaOH", "molar": 1, "to": -1.5, "with_molar": 6}),
    ],
)
def test_bad_json_gets_a_sentence(ida, path, body):
    answer = ida.post(f"/api/extraction/{path}", json=body)
    assert answer.status_code == 422
    assert answer.json()["detail"]


def test_ids_are_chosen_by_the_writer_and_a_double_send_is_one(ida, layers_run, school):
    entry = str(UUID(int=77))
    before = school.entries()
    for _ in range(2):
        ida.post(
            f"{layers_run}/entries", data={"entry": entry, "kind": "vented", "step": "s2", "swirls": "1"}, headers=HTMX
        )
    assert school.entries() == before + 1


def test_the_sum_of_a_drying_agent_shows_its_numbers_after_brine(ida):
    fields = {"solvent": "diethyl ether", "liquid": "diethyl ether", "volume": "50", "brine": "yes"}
    page = ida.get("/calculators/drying-agent", params=fields).text
    assert "× 0.753 after brine" in page, page[-3000:]
