"""The JSON interface, without a page."""

import html
import re
import unicodedata

import pytest

from helvor.web.calculators.every import CALCULATORS


def text_of(page: str) -> str:
    """What a page says, without its tags and blanks; raised and lowered letters as plain ones."""
    plain = unicodedata.normalize("NFKC", html.unescape(re.sub(r"<[^>]*>", "", page)))
    return "".join(plain.replace("R_M", "RM").split())


PLATE = {
    "phase": "silica",
    "width": "50 mm",
    "height": "100 mm",
    "origin": "10 mm",
    "indicator": True,
    "eluent": "hexane : ethyl acetate 4 : 1",
    "level": "5 mm",
    "front": "80.0 mm",
    "lanes": [
        {"label": "P", "at": "10 mm", "role": "reference"},
        {"label": "T", "at": "3 cm"},
        {"label": "PT", "at": "20 mm", "role": "co-spot", "combines": ["P", "T"]},
    ],
    "spots": [
        {"lane": "P", "distance": "40.0 mm", "width": "5 mm"},
        {"lane": "T", "distance": "60.0 mm"},
        {"lane": "PT", "distance": "40.0 mm"},
        {"lane": "PT", "distance": "60.0 mm"},
    ],
    "compared_to": "P1",
}


@pytest.fixture
def script(school):
    """Somebody without a session."""
    return school.visitor()


def test_a_script_can_ask_for_an_rf(script):
    answer = script.post("/api/planar/rf", json={"spot": "18.0 mm", "front": "45.0 mm"})
    assert answer.status_code == 200
    assert answer.json() | {"u": 0, "k": 0, "r_m": 0} == {
        "rf": 0.4,
        "u": 0,
        "shown": "0.40 ± 0.01",
        "hrf": 40,
        "k": 0,
        "r_m": 0,
        "working": "Rf = 18.0 mm ÷ 45.0 mm = 0.40",
    }
    assert answer.json()["k"]["value"] == pytest.approx(1.5)


@pytest.mark.parametrize(
    ("asked", "field", "sentence"),
    [
        ({"spot": 18, "front": "45 mm"}, "body.spot", "has no unit"),
        ({"spot": "18", "front": "45 mm"}, "body.spot", "has no unit: write for example 18 mm"),
        ({"spot": "18 mL", "front": "45 mm"}, "body.spot", "is not a known unit of length: use mm, cm or in"),
        ({"spot": "NaN mm", "front": "45 mm"}, "body.spot", "read off|not a number"),
        ({"spot": "1e400 mm", "front": "45 mm"}, "body.spot", "not a realistic size"),
        ({"spot": "30 mm", "front": "21 mm"}, "spot", "0.70, not 1.43"),
        ({"spot": "30 mm", "front": "0 mm"}, "front", "Enter a front above 0 mm; it is above the origin line"),
        ({"front": "45 mm"}, "body.spot", "Enter a value"),
        ({"spot": "18 mm", "front": "45 mm", "x": 1}, "body.x", "not permitted"),
    ],
)
def test_a_question_that_has_no_answer_gets_a_problem_document(script, asked, field, sentence):
    answer = script.post("/api/planar/rf", json=asked)
    assert answer.status_code == 422
    assert answer.headers["content-type"] == "application/problem+json"
    problem = answer.json()
    assert problem["errors"][0]["field"] == field
    import re

    assert re.search(sentence, problem["errors"][0]["detail"])


def test_broken_json_is_said_too(script):
    answer = script.post("/api/planar/rf", content=b'{"spot": ', headers={"content-type": "application/json"})
    assert answer.status_code == 422
    assert answer.headers["content-type"] == "application/problem+json"


def test_a_whole_plate_is_worked_out_at_once(script):
    answer = script.post("/api/planar/plate", json=PLATE)
    assert answer.status_code == 200, answer.text
    out = answer.json()
    assert {s["name"]: s["shown"].split(" ")[0] for s in out["spots"]} == {
        "P1": "0.50",
        "PT1": "0.50",
        "PT2": "0.75",
        "T1": "0.75",
    }
    assert {s["name"]: s["relative"]["value"] for s in out["spots"]}["T1"] == 1.5
    assert "co-spot-split" in {f["code"] for f in out["findings"]}


@pytest.mark.parametrize(
    ("change", "field"),
    [
        ({"origin": "120 mm"}, "plate"),
        ({"lanes": [{"label": "P", "at": "60 mm"}]}, "lanes.0"),
        ({"spots": [{"lane": "Q", "distance": "40 mm"}]}, "spots.0"),
        ({"spots": [{"lane": "P", "distance": "400 mm"}]}, "spots.0"),
        ({"front": "0 mm"}, "front"),
        ({"fronts": {"Q": "70 mm"}}, "fronts.Q"),
        ({"compared_to": "P9"}, "compared_to"),
        ({"phase": "clay"}, "body.phase"),
    ],
)
def test_a_plate_that_cannot_be_names_the_field(script, change, field):
    answer = script.post("/api/planar/plate", json=PLATE | change)
    assert answer.status_code == 422
    assert answer.json()["errors"][0]["field"] == field


def test_an_eluent_is_read(script):
    assert script.post("/api/planar/eluent", json={"text": "20 % ethyl acetate in hexane"}).json() == {
        "names": ["ethyl acetate", "hexane"],
        "percents": [20.0, 80.0],
        "as_percents": "20 : 80",
        "as_ratio": "1 : 4",
        "as_solution": "20 % ethyl acetate in hexane",
    }
    assert script.post("/api/planar/eluent", json={"text": "7.6 mL hexane + 0.4"}).status_code == 422


def test_entries_are_written_by_script_once(school, ida):
    entry = {
        "id": "6ba7b810-9dad-41d1-80b4-00c04fd430c8",
        "says": {"kind": "spot", "lane": str(school.lane), "distance": "40.0 mm"},
    }
    first, again = (ida.post(f"/api/plates/{school.page}/entries", json=entry).json() for _ in range(2))
    assert (first["new"], again["new"]) == (True, False)
    assert first["entry"] == again["entry"]
    other = entry | {"says": {"kind": "front", "distance": "70 mm"}}
    assert ida.post(f"/api/plates/{school.page}/entries", json=other).status_code == 409
    no_unit = entry | {"id": "6ba7b810-9dad-41d1-80b4-00c04fd430c9", "says": {"kind": "front", "distance": 70}}
    assert ida.post(f"/api/plates/{school.page}/entries", json=no_unit).status_code == 422


def test_the_names_of_models_are_ours_and_no_paths_of_modules(script):
    names = script.get("/api/openapi.json").json()["components"]["schemas"]
    assert [name for name in names if "_" in name] == []


def test_the_documentation_lists_every_operation_of_the_schema(script):
    schema = script.get("/api/openapi.json").json()
    page = script.get("/api").text
    assert len(schema["paths"]) >= 5
    for path, methods in schema["paths"].items():
        for method, operation in methods.items():
            assert f"{method.upper()} {path}" in page
            assert operation["description"], path


@pytest.mark.parametrize("key", [one.key for one in CALCULATORS])
def test_every_calculator_answers_the_same_by_script_as_on_its_page(ida, key):
    asks = next(one for one in ida.get("/api/calculators").json() if one["key"] == key)["fields"]
    fields = {one["name"]: one["usual"] for one in asks if one["usual"]}
    answer = ida.post(f"/api/calculators/{key}", json=fields)
    assert answer.status_code == 200, answer.text
    # The school types British words; files and scripts keep those of the sources.
    shown = text_of(ida.get(f"/calculators/{key}", params=fields).text).replace("fumecupboard", "hood")
    said = answer.json()
    cells = [cell for row in said["rows"] for cell in row]
    for words in (*(one["value"] for one in said["numbers"]), *cells, *(line for _, line in said["working"])):
        assert text_of(words) in shown
    assert said["numbers"] or said["rows"]


@pytest.mark.parametrize("fields", [{"diameter": "wide"}, {}, {"diameter": -3}])
def test_a_calculator_that_cannot_answer_says_what_to_enter(ida, fields):
    answer = ida.post("/api/calculators/paper", json=fields)
    assert answer.status_code == 422
    assert "enter" in answer.json()["detail"].lower()
    assert ida.post("/api/calculators/nothing", json={}).status_code == 404


@pytest.mark.parametrize(
    ("key", "fields", "at"),
    [
        ("column", {"rf_fast": 0.35, "rf_slow": 0.18, "sample": 5000}, "sample"),
        ("column", {"rf_fast": 0.35, "rf_slow": 0.30, "sample": 100}, "sample"),
        ("column", {"rf_fast": 1.2, "rf_slow": 0.18, "sample": 100}, "rf_fast"),
        ("column", {"rf_fast": 0.35, "rf_slow": 0.18, "sample": 100, "kind": "gravity", "bores": "wide"}, "bores"),
        ("portions", {"d": 4, "feed": 50, "total": 45, "wash": -3}, "wash"),
        ("elution", {"compounds": "a 9 mg 0.5", "bore": -3, "bed": 150, "eluents": "50", "fraction": 5}, "bore"),
    ],
)
def test_what_is_wrong_is_said_at_its_field(ida, key, fields, at):
    answer = ida.post(f"/api/calculators/{key}", json=fields)
    assert (answer.status_code, answer.json()["errors"][0]["field"]) == (422, at)


@pytest.mark.parametrize(
    ("key", "plain", "typed"),
    [
        ("drying-agent", {"solvent": "diethyl ether", "volume": "500"}, {"volume": "0.5 L"}),
        ("paper", {"diameter": "110"}, {"diameter": "11 cm"}),
        ("drying-agent", {"solvent": "diethyl ether", "volume": "60"}, {"volume": "60 mL"}),
    ],
)
def test_a_unit_typed_with_a_number_counts(ida, key, plain, typed):
    whole, said = (ida.post(f"/api/calculators/{key}", json=one).json() for one in (plain, plain | typed))
    assert whole["numbers"] and said["numbers"] == whole["numbers"]
    page = ida.get(f"/calculators/{key}", params=plain | typed).text
    assert all(f'value="{words}"' in page for words in typed.values()), "what was typed stays"


def test_a_unit_of_another_kind_is_said_at_its_field(ida):
    refused = ida.post("/api/calculators/paper", json={"diameter": "11 g"})
    assert refused.status_code == 422
    assert refused.json()["errors"][0]["field"] == "diameter" and "enter it in mm" in refused.text
