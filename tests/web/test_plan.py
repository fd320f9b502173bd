"""The builder over HTTP: edits, undo, findings settled, versions, house rules, import; the shelf; the JSON interface."""

import json
from html.parser import HTMLParser
from uuid import uuid4

import pytest

from helvor.core.engine.plan.edit import remove_step
from helvor.core.engine.run import entries as run_entries
from helvor.exchange.procedure import procedure_json
from helvor.shelf.procedures import shipped_procedure
from tests.core.runs import CHALK, LOSSLESS, POWDER
from tests.notebook.people import procedure_in_use
from tests.web.conftest import HTMX


@pytest.fixture
def url(school):
    return f"/procedures/{school.procedure}"


def edit(client, url, **fields):
    return client.post(f"{url}/edit", data={"entry": str(uuid4()), **fields}, headers=HTMX)


def steps(client, url):
    return json.loads(client.get(f"/api{url}").text)["procedure"]["steps"]


def test_a_step_is_added_moved_changed_and_taken_out(school, ida, url):
    assert edit(ida, url, op="add", kind="stir", at="2").status_code == 200
    assert steps(ida, url)[2]["kind"] == "stir"
    key = steps(ida, url)[2]["id"]
    edit(ida, url, op="move", step=key, at="0")
    assert steps(ida, url)[0]["id"] == key
    changed = {
        "op": "step",
        "step": key,
        "kind": "stir",
        "says": "Stir well",
        "hands": "3",
        "waits": "4",
        "meeting": "1",
    }
    assert "Stir well" in edit(ida, url, **changed).text
    edit(ida, url, op="remove", step=key)
    assert len(steps(ida, url)) == 15
    undone = ida.post(f"{url}/undo", data={}, headers=HTMX)
    assert "Stir well" in undone.text
    assert ida.post(f"{url}/undo", data={"forward": "true"}).status_code == 303
    assert len(steps(ida, url)) == 15


BAD = [
    ({"op": "nonsense"}, "no such form"),
    ({"op": "add", "kind": "chant"}, "Choose a kind of step"),
    ({"op": "add", "kind": "stir", "at": "x"}, "whole number"),
    ({"op": "move", "step": "s99", "at": "0"}, "no longer in this procedure"),
    ({"op": "step", "step": "s3", "kind": "heat", "celsius": "hot"}, "“hot” is not a number"),
    ({"op": "step", "step": "s3", "kind": "heat", "hands": "many"}, "whole number"),
    ({"op": "substance", "name": "salt", "amount": "3"}, "not an amount with a unit"),
    ({"op": "substance", "name": "salt", "formula": "salt"}, "not a formula"),
    ({"op": "substance", "name": ""}, "Enter a value."),
    ({"op": "substance", "name": "WATER"}, "“WATER” exists already"),
    ({"op": "component", "name": "x", "carrier": "gold"}, "in the form shown"),
    ({"op": "portion", "name": "x", "share": "3"}, "Enter 1 or less"),
    ({"op": "head", "title": ""}, "Enter a value."),
    ({"op": "take-out", "part": "component", "name": "gold"}, "There is no component"),
    ({"op": "fix", "code": "hot-on-balance", "step": "s5"}, "already resolved"),
]


def test_bad_input_is_said_and_changes_nothing(school, ida, url):
    before = steps(ida, url)
    for fields, says in BAD:
        answer = edit(ida, url, **fields)
        assert answer.status_code == 422, (fields, answer.text[:200])
        assert says in answer.text, fields
    assert steps(ida, url) == before


def test_a_finding_is_settled_with_one_press(school, ida, url):
    edit(ida, url, op="remove", step="s4")
    page = ida.get(url).text
    assert "weighs a hot container" in page
    settled = edit(ida, url, op="fix", code="hot-on-balance", step="s5")
    assert settled.status_code == 200
    assert "weighs a hot container" not in settled.text


def test_a_version_is_put_in_use_compared_and_started(school, ida, url):
    edit(ida, url, op="head", title="A mixed powder", aim="Shorter", period="90")
    compared = ida.get(f"{url}/compare").text
    assert "procedure, period" in compared
    draft = json.loads(ida.get(f"/api{url}").text)["draft"]
    assert ida.post(f"{url}/use", data={"draft": str(draft - 1)}).status_code == 422
    assert ida.post(f"{url}/use", data={"draft": str(draft)}).status_code == 303
    assert json.loads(ida.get(f"/api{url}").text)["version"] == 2
    scaled = ida.get(f"{url}/start", params={"wanted": "1.50 g", "substance": "mixed powder"})
    assert "10 mL" in scaled.text
    assert ida.get(f"{url}/start", params={"factor": "-2"}).status_code == 422
    start = {"start": str(uuid4()), "where": str(school.ida.class_id), "factor": "0.5"}
    for _ in range(2):
        assert ida.post(f"{url}/start", data=start).status_code == 303
    runs = school.conn.execute("SELECT count(*) FROM page WHERE procedure_version = 2").fetchone()
    assert runs == (2,)
    front = ida.post(f"{url}/start", data={"start": str(uuid4()), "where": "front"})
    assert ida.get(front.headers["location"]).status_code == 200


def test_out_and_in_again(school, ida, url):
    text = ida.get(f"{url}/procedure.json").text
    entry = str(uuid4())
    for _ in range(2):
        answer = ida.post("/procedures/import/files", data={"entry": entry}, files={"file": ("p.json", text)})
        assert answer.status_code == 303
    taken_in = json.loads(ida.get(f"/api/procedures/{entry}").text)["procedure"]
    assert taken_in == json.loads(POWDER.model_dump_json())
    assert "# A mixed powder" in ida.get(f"{url}/procedure.md").text
    assert ida.get(f"{url}/procedure.exe").status_code == 404


def test_a_bad_file_is_listed_by_place_and_changes_nothing(school, ida):
    before = school.conn.execute("SELECT count(*) FROM procedure").fetchone()
    text = procedure_json(remove_step(POWDER, "s3"))
    answer = ida.post("/procedures/import/files", data={"entry": str(uuid4()), "text": text})
    assert answer.status_code == 422
    assert "<b>step 3</b>" in answer.text
    assert "but no earlier step produces it" in answer.text
    assert school.conn.execute("SELECT count(*) FROM procedure").fetchone() == before


def test_every_form_of_the_builder_opens(school, ida, url):
    for op, name in (
        ("head", ""),
        ("substance", "water"),
        ("substance", ""),
        ("component", "camphor"),
        ("portion", "salt"),
        ("portion", "residue"),
        ("rule", ""),
    ):
        for headers in ({}, HTMX):
            assert ida.get(f"{url}/form/{op}", params={"name": name}, headers=headers).status_code == 200
    assert ida.get(f"{url}/form/nonsense").status_code == 404
    assert ida.get(url, params={"step": "s8"}).status_code == 200


def test_house_rules_are_kept_for_the_institution(school, ida):
    assert ida.post("/house-rules", data={"pouring": "swirl", "nonsense": "x"}).status_code == 303
    page = ida.get("/house-rules").text
    assert page.count(">yours<") == 1
    assert ">yours<" not in school.visitor(school.otto).get("/house-rules").text


# --- the shelf


def test_a_value_of_ones_own_covers_the_shelf_for_the_institution_alone(school, ida):
    value = {"kind": "solvent", "item": "ethyl acetate", "key": "density", "value": "0.898", "source": "weighed, 10 mL"}
    for _ in range(2):
        assert ida.post("/reference-data", data=value).status_code == 303
    page = ida.get("/reference-data", params={"name": "ethyl acetate"}).text
    assert "<s>0.899</s>" in page
    assert school.conn.execute("SELECT count(*) FROM shelf_value").fetchone() == (1,)
    assert "0.898" not in school.visitor(school.otto).get("/reference-data", params={"name": "ethyl acetate"}).text


@pytest.mark.parametrize(
    ("change", "says"),
    [
        ({"value": "heavy"}, "is not a number"),
        ({"source": ""}, "Enter the source of the value: a handbook, the bottle, weighed here"),
        ({"item": ""}, "Enter the item, at most 60 characters"),
    ],
)
def test_a_value_that_cannot_be_is_said_and_kept_in_the_form(school, ida, change, says):
    value = {
        "kind": "solvent",
        "item": "our mix",
        "key": "density",
        "value": "0.898",
        "source": "weighed here",
    } | change
    answer = ida.post("/reference-data", data=value)
    assert answer.status_code == 422
    assert says in answer.text
    assert f'value="{value["value"]}"' in answer.text


def test_the_shelf_goes_out_and_in(school, ida):
    text = ida.get("/reference-data/glass.csv").text
    assert ida.post("/reference-data/import/files", files={"file": ("g.csv", text)}).status_code == 303
    bad = ida.post("/reference-data/import/files", files={"file": ("g.csv", text + "glass,x,volume,big,me me\n")})
    assert bad.status_code == 422
    assert "is not a number" in bad.text
    assert ida.get("/reference-data/nonsense.csv").status_code == 404


def test_a_substance_is_found_for_the_builder(ida):
    found = ida.get("/reference-data/find", params={"name": "epsom"}, headers=HTMX).text
    assert "MgSO4·7H2O" in found.replace("&#34;", '"')
    assert (
        "Not in the reference data"
        in ida.get("/reference-data/find", params={"name": "unobtainium"}, headers=HTMX).text
    )


# --- the JSON interface


def ask(client, path, body):
    return client.post(f"/api{path}", json=body)


ASKED = [
    ("/formula", {"text": "CuSO4·5H2O"}, {"shown": "CuSO₄·5H₂O"}),
    ("/equation", {"text": "2 NaHCO3 -> Na2CO3 + H2O + CO2"}, {"left": {"NaHCO3": 2}}),
    ("/weighing/net", {"gross": "31.820 g", "tares": ["31.062 g"]}, {"shown": "0.758 ± 0.001 g"}),
    ("/weighing/net", {"gross": "0.758 g", "tare_button": True}, {"working": "0.758 g = 0.758 ± 0.001 g"}),
    (
        "/weighing/constant-mass",
        {"nets_g": [1.5, 1.25, 1.125], "step_g": 0.001, "minutes": [0, 15, 30]},
        {"predicted_g": 1.0},
    ),
    ("/solution", {"substance": "soda", "formula": "Na2CO3", "mass": "5.30 g", "volume": "250 mL"}, {}),
]


def test_every_computation_can_be_asked(school):
    client = school.visitor()
    for path, body, holds in ASKED:
        answer = ask(client, path, body)
        assert answer.status_code == 200, (path, answer.text)
        data = answer.json()
        assert {key: data[key] for key in holds} == holds


def test_a_whole_run_can_be_asked(school):
    body = {"procedure": json.loads(procedure_json(POWDER)), "readings": list(LOSSLESS)}
    data = ask(school.visitor(), "/run", body).json()
    assert data["closure"]["value"] == pytest.approx(3.004 / 3.006)
    assert "closure-good" in {f["code"] for f in data["findings"]}
    bad = ask(school.visitor(), "/run", {"readings": ["dish"]})
    assert (bad.status_code, bad.headers["content-type"]) == (422, "application/problem+json")


def test_a_procedure_can_be_checked_scaled_and_compared(school):
    client, body = school.visitor(), json.loads(procedure_json(remove_step(POWDER, "s4")))
    checked = ask(client, "/procedure/check", body).json()
    assert "hot-on-balance" in {finding["code"] for _, finding in checked["findings"]}
    scaled = ask(client, "/procedure/scale", {"procedure": body, "factor": 2}).json()
    assert scaled["substances"][0]["amount"] == "6.00 g"
    two = {"old": json.loads(procedure_json(POWDER)), "new": body}
    assert ask(client, "/procedure/compare", two).json()[0]["what"] == "deleted"
    assert client.get("/api/procedure.schema.json").json()["$id"] == "helvor-procedure"
    assert len(client.get("/api/house-rules").json()) >= 27


@pytest.mark.parametrize(
    ("path", "body"),
    [
        ("/formula", {"text": "salt"}),
        ("/equation", {"text": "Na -> K"}),
        ("/weighing/net", {"gross": 3}),
        ("/weighing/net", {"gross": "3"}),
        ("/weighing/constant-mass", {"nets_g": [], "step_g": 1, "minutes": []}),
        ("/procedure/scale", {"procedure": {"title": "x"}, "factor": -1}),
        ("/run", {"readings": ["x"], "more": 1}),
    ],
)
def test_bad_questions_get_a_problem_document(school, path, body):
    answer = ask(school.visitor(), path, body)
    assert (answer.status_code, answer.headers["content-type"]) == (422, "application/problem+json")
    assert answer.json()["detail"]


def test_an_entry_is_written_once_through_the_interface(school, ida):
    procedure_in_use(school.conn, school.ida, CHALK)
    entry = {"id": str(uuid4()), "says": run_entries.Noted(words="white at once").model_dump(mode="json")}
    first = ask(ida, school.run_url + "/entries", entry).json()
    again = ask(ida, school.run_url + "/entries", entry).json()
    assert (first["new"], again["new"]) == (True, False)
    assert ida.get(f"/api{school.run_url}").json()["entries"][-1]["says"]["words"] == "white at once"
    assert ida.get(f"/api/runs/{school.page}").status_code == 404
    assert ask(ida, f"/runs/{school.page}/entries", entry).status_code == 404


class FormFields(HTMLParser):
    """What a browser would send of the first form that holds a field ``op`` with this value."""

    def __init__(self, op):
        super().__init__()
        self.op, self.fields, self.done, self.inside = op, [], False, False
        self.select = self.area = None

    def handle_starttag(self, tag, attributes):
        a = dict(attributes)
        if tag == "form" and not self.done:
            self.inside, self.fields = True, []
        if not self.inside or not (a.get("name") or tag == "option"):
            return
        if tag == "input" and (a.get("type") not in ("checkbox", "radio") or "checked" in a):
            self.fields.append((a["name"], a.get("value", "")))
        elif tag == "select":
            self.select, self.chosen = a["name"], None
        elif tag == "option" and self.select:
            self.chosen = a["value"] if "selected" in a or self.chosen is None else self.chosen
        elif tag == "textarea":
            self.area, self.text = a["name"], ""

    def handle_data(self, data):
        if self.area:
            self.text += data

    def handle_endtag(self, tag):
        if tag == "select" and self.select:
            self.fields.append((self.select, self.chosen or ""))
            self.select = None
        elif tag == "textarea" and self.area:
            self.fields.append((self.area, self.text.strip()))
            self.area = None
        elif tag == "form" and self.inside:
            self.inside, self.done = False, self.done or ("op", self.op) in self.fields


def sent(text, op):
    parser = FormFields(op)
    parser.feed(text)
    assert parser.done, text[-2000:]
    data = {}
    for name, value in parser.fields:
        data.setdefault(name, []).append(value)
    return data | {"entry": str(uuid4())}


def test_a_form_sent_as_it_stands_changes_nothing(school, ida):
    """Every field of a step, portion, component and substance goes through its form and back."""
    procedure = shipped_procedure("sulfate-in-garden-salt")
    key = procedure_in_use(school.conn, school.ida, procedure)
    url = f"/procedures/{key}"
    before = ida.get(f"/api{url}").json()["procedure"]
    for step in ("s1", "s4", "s10", "s12", "s14", "s21"):
        was = next(s for s in before["steps"] if s["id"] == step)
        assert (
            ida.post(f"{url}/edit", data=sent(ida.get(f"{url}?step={step}").text, "step"), headers=HTMX).status_code
            == 200
        )
        assert next(s for s in steps(ida, url) if s["id"] == step) == was
    for op, name in (("portion", "barium sulfate A"), ("component", "sulfate"), ("substance", "barium chloride A")):
        form = ida.get(f"{url}/form/{op}", params={"name": name}, headers=HTMX).text
        assert ida.post(f"{url}/edit", data=sent(form, op), headers=HTMX).status_code == 200
    after = ida.get(f"/api{url}").json()["procedure"]
    assert after["steps"] == before["steps"]
    assert after == before


def test_a_form_asks_what_its_kind_can_be_told_and_names_what_it_gives_by_role(school, ida, url):
    edit(ida, url, op="add", kind="gravity filter", at="99")
    step = steps(ida, url)[-1]
    assert (step["gives"], step["roles"]) == (["filtrate", "solid"], ["filtrate", "solid"])
    opened = ida.get(f"{url}?step={step['id']}").text
    assert 'name="as-filtrate"' in opened and 'name="paper"' in opened and 'name="bore"' not in opened
    fields = sent(opened, "step") | {"as-filtrate": "clear", "as-solid": "grit", "paper": "9 cm"}
    assert edit(ida, url, **fields).status_code == 200
    step = steps(ida, url)[-1]
    assert (step["gives"], step["paper"]) == (["clear", "grit"], 90.0)
    for field, value, says in (("as-solid", "grit, sand", "one name"), ("paper", "broad", "“broad” is not")):
        refused = edit(ida, url, **(fields | {field: value}))
        assert refused.status_code == 422 and says in refused.text and value in refused.text
    assert steps(ida, url)[-1] == step


def test_a_step_that_lost_its_source_is_wired_again_by_its_button(school, ida, url):
    edit(ida, url, op="add", kind="vacuum filter", at="99")
    edit(ida, url, op="add", kind="dry", at="99")
    key = steps(ida, url)[-1]["id"]
    edit(ida, url, op="move", step=key, at="0")
    place = len(steps(ida, url))
    page = ida.get(url).text
    assert "no earlier step produces it" in page and f"Move it after step {place}" in page
    mended = edit(ida, url, op="fix", code="loose-end", step=key, mend=f"Move it after step {place}")
    assert mended.status_code == 200 and "no earlier step" not in mended.text
    assert steps(ida, url)[-1]["id"] == key
    assert edit(ida, url, op="fix", code="loose-end", step=key, mend="Paint it green").status_code == 422


def test_a_portion_is_known_by_its_other_names_and_a_slip_has_a_button(school, ida, url):
    weigh = next(step for step in steps(ida, url) if step["on"] == "salt")
    fields = sent(ida.get(f"{url}?step={weigh['id']}").text, "step")
    edit(ida, url, **(fields | {"on": "The Salt"}))
    assert next(step for step in steps(ida, url) if step["id"] == weigh["id"])["on"] == "salt"
    slipped = edit(ida, url, **(fields | {"on": "slat"}))
    assert "no earlier step produces it" in slipped.text and "Use “salt” instead" in slipped.text
    mended = edit(ida, url, op="fix", code="loose-end", step=weigh["id"], mend="Use “salt” instead")
    assert "no earlier step produces it" not in mended.text


def test_the_wiring_is_drawn_and_can_be_changed(school, ida, url):
    drawn = ida.get(url).text
    assert 'class="wire-end"' in drawn and "Which portion each step works on" in drawn
    weigh = next(step for step in steps(ida, url) if step["on"] == "salt")
    wired = edit(ida, url, op="rewire", step=weigh["id"], old="salt", new="residue")
    assert wired.status_code == 200
    assert next(step for step in steps(ida, url) if step["id"] == weigh["id"])["on"] == "residue"
    for bad, says in (
        ({"step": "s99", "old": "salt", "new": "residue"}, "no longer in this procedure"),
        ({"step": "s1", "old": "salt", "new": "residue"}, "No step before it produces"),
        ({"step": weigh["id"], "old": "salt", "new": "gold"}, "No step before it produces"),
    ):
        refused = edit(ida, url, op="rewire", **bad)
        assert refused.status_code == 422 and says in refused.text


def test_a_name_that_is_too_long_is_said_at_the_form_and_layers_beyond_two_are_kept(school, ida, url):
    edit(ida, url, op="add", kind="extract", at="99")
    step = steps(ida, url)[-1]
    fields = sent(ida.get(f"{url}?step={step['id']}").text, "step")
    refused = edit(ida, url, **(fields | {"as-organic-layer": "e" * 60}))
    assert refused.status_code == 422 and "e" * 60 in refused.text
    assert edit(ida, url, **(fields | {"gives": "rag"})).status_code == 200
    assert steps(ida, url)[-1]["gives"] == ["organic layer", "aqueous layer", "rag"]


def test_a_scaled_start_shows_what_else_grows(school, ida):
    key = procedure_in_use(school.conn, school.ida, shipped_procedure("three-from-one"))
    page = ida.get(f"/procedures/{key}/start", params={"factor": "2"}).text
    assert "step 2, vessel, mL" in page and "250" in page


def test_over_an_open_stop_a_version_is_published_only_with_a_reason(ida):
    key = uuid4()
    ida.post("/procedures", data={"entry": str(key), "title": "Boil ether down"})
    url = f"/procedures/{key}"
    assert "No problems found" not in ida.get(url).text
    edit(ida, url, op="substance", name="diethyl ether", amount="20 mL", role="solvent")
    edit(ida, url, op="add", kind="evaporate", at="0")
    step = steps(ida, url)[0]["id"]
    burning = {"op": "step", "step": step, "kind": "evaporate", "says": "Boil it down over a burner"}
    edit(ida, url, **burning, adds="diethyl ether", kit="burner", hands="3", waits="5", meeting="1", gives="residue")
    draft = json.loads(ida.get(f"/api{url}").text)["draft"]
    refused = ida.post(f"{url}/use", data={"draft": str(draft), "why": "  "})
    assert refused.status_code == 422 and "Not published." in refused.text and "uses a flame" in refused.text
    assert json.loads(ida.get(f"/api{url}").text)["version"] == 0
    reason = "Only read in class, never carried out"
    assert ida.post(f"{url}/use", data={"draft": str(draft), "why": reason}, follow_redirects=False).status_code == 303
    assert reason in ida.get(f"{url}/start").text
    assert json.loads(ida.get(f"/api{url}").text)["version"] == 1
