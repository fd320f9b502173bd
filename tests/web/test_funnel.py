"""A funnel in a run without a procedure: it asks for the liquids, and knows what the shelf knows of them."""

from uuid import uuid4

import pytest


@pytest.fixture
def run(school, ida):
    """A run of its own with one step in the funnel."""
    page = str(uuid4())
    assert ida.post(f"/benches/{school.ida.bench}/runs", data={"page": page}).status_code == 303
    url = f"/runs/{page}"
    added = {"entry": str(uuid4()), "kind": "step-added", "step_kind": "extract"}
    assert ida.post(f"{url}/entries", data=added).status_code == 303
    return url


def pour(ida, run, what, amount, **more):
    fields = {"kind": "taken", "step": "x1", "substance": what, "amount": amount, "unit": "mL"}
    return ida.post(f"{run}/entries", data={"entry": str(uuid4()), **fields, **more})


@pytest.mark.parametrize("order", [("water", "Et2O"), ("Et2O", "water")])
def test_it_asks_for_both_liquids_and_says_which_is_below_in_either_order(ida, run, order):
    assert "Enter both liquids in the funnel" in ida.get(run).text
    first, second = ({"water": "20", "Et2O": "15,0 mL"}[name] for name in order)
    assert pour(ida, run, order[0], first).status_code == 303
    assert "There is only one layer: add a second liquid." in ida.get(run).text
    assert pour(ida, run, order[1], second).status_code == 303
    page = ida.get(run).text
    assert "Water is the lower layer" in page and 'value="organic layer"' in page
    flash = ida.get(f"{run}/run.json").json()
    substances = [e["says"]["substance"] for e in flash["entries"] if e["says"]["kind"] == "substance-added"]
    assert {s["name"]: s["layer"] for s in substances} == {"water": "aqueous", "Et2O": "organic"}


def test_a_heavy_solvent_is_below_and_a_solution_is_known_by_its_name(ida, run):
    pour(ida, run, "1 M sodium hydroxide", "20")
    pour(ida, run, "dichloromethane", "20")
    page = ida.get(run).text
    assert "1 M sodium hydroxide is the upper layer" in page or "Water is the upper layer" in page


def test_what_the_shelf_does_not_know_is_asked(ida, run):
    pour(ida, run, "water", "20")
    pour(ida, run, "lamp oil", "20")
    assert "Enter which layer lamp oil forms" in ida.get(run).text
    form = ida.get(f"{run}/edit/substance-added", params={"name": "lamp oil", "step": "x1"}).text
    assert 'name="layer"' in form and 'value="lamp oil"' in form
    said = {"kind": "substance-added", "name": "lamp oil", "role": "solvent", "layer": "organic", "density": "0,80"}
    assert ida.post(f"{run}/entries", data={"entry": str(uuid4()), **said}).status_code == 303
    assert "Water is the lower layer" in ida.get(run).text


def test_what_is_no_amount_is_refused_where_it_happened(ida, run):
    refused = pour(ida, run, "water", "some")
    assert refused.status_code == 422 and "some" in refused.text
    assert "Enter both liquids" in ida.get(run).text


@pytest.mark.parametrize(
    "name", ["saturated potassium carbonate", "aqueous sodium hydroxide", "1.2.3 M sodium hydroxide"]
)
def test_a_solution_of_unknown_strength_is_asked_about_and_never_as_dense_as_water(ida, run, name):
    """Saturated potassium carbonate, about 1.5 g/mL, sinks in dichloromethane (handbook); water floats on it."""
    pour(ida, run, "dichloromethane", "20")
    assert pour(ida, run, name, "20").status_code == 303
    page = ida.get(run).text
    assert f"Enter which layer {name} forms" in page and "is the lower layer" not in page
