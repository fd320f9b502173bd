"""A technique that only its own folder knows, carried through every part of the house.

Run by ``test_a_technique_of_ones_own.py`` with the technique named in the environment; alone it is not collected.
"""

import csv
import io
import json
from uuid import uuid4

import pytest

from helvor.core.engine.plan.check_plan import check_plan
from helvor.core.engine.plan.edit import add_step
from helvor.core.engine.plan.timeline import timeline
from helvor.core.record.house_rules import HouseRules
from helvor.core.record.procedure import Portion, Procedure, Step, Substance, read_procedure, scaled
from helvor.core.techniques.registered import STEP_KINDS, TECHNIQUES
from helvor.exchange.procedure import procedure_json, procedure_markdown, procedure_schema
from tests.notebook.people import procedure_in_use
from tests.web.conftest import HTMX
from tests.web.steam.technique import KIND, OfSteam

OIL = Procedure(
    title="Oil of cloves",
    substances=[Substance(name="cloves", role="sample", amount="10.0 g", exact=True)],
    portions=[Portion(name="distillate", end="product"), Portion(name="residue", end="waste")],
    steps=[
        Step(id="s1", kind="add", says="Put {cloves} and water in the flask", adds=("cloves",), gives=("mixture",)),
        Step(
            id="s2",
            kind=KIND,
            says="Distil with steam",
            takes=("mixture",),
            gives=("residue", "distillate"),
            roles=("residue", "distillate"),
            kit=("steam still",),
            collect=50,
            waits=40,
        ),
        Step(id="s3", kind="weigh", on="distillate", container=("flask",), asks=("mass",)),
    ],
)


@pytest.fixture
def kept(school):
    return procedure_in_use(school.conn, school.ida, OIL)


@pytest.fixture
def run(school, ida, kept):
    start = {"entry": str(uuid4()), "where": str(school.ida.class_id), "start": str(uuid4()), "factor": "2"}
    answer = ida.post(f"/procedures/{kept}/start", data=start)
    assert answer.status_code == 303, answer.text
    row = school.conn.execute("SELECT id FROM page WHERE technique = 'run' ORDER BY started_at DESC LIMIT 1").fetchone()
    return f"/runs/{row[0]}"


def typed(ida, run, text, step="s2"):
    return ida.post(f"{run}/read", data={"entry": str(uuid4()), "text": text, "step": step}, headers=HTMX)


def test_the_plan_the_file_and_the_schema(school):
    assert STEP_KINDS[KIND].parameters is OfSteam
    assert read_procedure(procedure_json(OIL)) == OIL
    assert "collect 50 mL" in procedure_markdown(OIL)
    assert procedure_schema()["$defs"]["Step"]["properties"]["collect"]["description"].endswith("steam distil.")
    assert OfSteam.of(scaled(OIL, 3).steps[1]).collect == 150
    bare = OIL.steps[1].model_copy(update={"collect": None})
    codes = {
        a.finding.code
        for a in check_plan(OIL.model_copy(update={"steps": (OIL.steps[0], bare)}), HouseRules(), TECHNIQUES)
    }
    assert "steam-until-when" in codes
    assert any(block.step.id == "s2" for meeting in timeline(OIL) for block in meeting.blocks)
    new = add_step(OIL, STEP_KINDS[KIND], 99, STEP_KINDS).steps[-1]
    assert (new.gives, new.roles) == (("distillate 2", "residue 2"), ("distillate", "residue"))


def test_the_builder(school, ida, kept):
    url = f"/procedures/{kept}"
    page = ida.get(f"{url}?step=s2").text
    for part in ('name="collect"', 'value="50"', 'name="as-distillate"', "Distillate to collect", "M8 26h16"):
        assert part in page, part
    fields = {
        "op": "step",
        "step": "s2",
        "kind": KIND,
        "takes": "mixture",
        "as-distillate": "oil",
        "as-residue": "residue",
    }
    fields |= {"collect": "60", "hands": "10", "waits": "40", "meeting": "1", "entry": str(uuid4())}
    assert ida.post(f"{url}/edit", data=fields, headers=HTMX).status_code == 200
    step = ida.get(f"/api{url}").json()["procedure"]["steps"][1]
    assert (step["collect"], step["gives"]) == (60, ["oil", "residue"])
    refused = ida.post(f"{url}/edit", data=fields | {"collect": "much", "entry": str(uuid4())}, headers=HTMX)
    assert refused.status_code == 422 and "“much” is not" in refused.text


def test_a_run_from_the_reading_line_to_every_table(school, ida, run):
    page = ida.get(f"{run}?step=s2").text
    assert 'aria-label="0 of 100 mL"' in page and "water runs through the condenser" in page  # scaled by 2
    assert "steam 40" in page
    assert typed(ida, run, "steam").status_code == 422
    assert typed(ida, run, "steam 40").status_code == 200
    form = {"kind": "steam-collected", "collected": "12,5", "step": "s2", "entry": str(uuid4())}
    assert ida.post(f"{run}/entries", data=form, headers=HTMX).status_code == 200
    assert 'name="collected"' in ida.get(f"{run}/edit/steam-collected").text
    page = ida.get(f"{run}?step=s2").text
    assert 'aria-label="52.5 of 100 mL"' in page
    for line in ("take cloves 20.0 g", "flask empty 30.000", "flask distillate 31.200", "done 1", "done 2"):
        assert typed(ida, run, line, "").status_code == 200, line
    page = ida.get(f"{run}?step=s2").text
    assert "mL were planned" in page.replace("\xa0", " ").replace("\u202f", " ")
    assert "Oil stayed in the flask" in ida.get(f"{run}?view=why").text
    record = ida.get(f"{run}/run.json").json()
    assert [e["says"]["collected"] for e in record["entries"] if e["says"]["kind"] == "steam-collected"] == [40, 12.5]
    rows = list(csv.reader(io.StringIO(ida.get(f"{run}/run.readings.csv").text)))
    assert [row for row in rows if "distillate collected" in row and "40" in row], rows
    assert "collected 40 mL" in ida.get(f"{run}/history").text
    assert "too-little-steam" in json.dumps(ida.get(f"/api{run}").json())


def test_the_class_sees_it(school, ida, run):
    typed(ida, run, "steam 40")
    row = f"/classes/{school.ida.class_id}"
    assert ida.get(row).status_code == 200
    assert "steam still" in ida.get(f"{row}/prep").text
    assert ida.get(f"{row}/results").status_code == 200
    book = ida.get(f"{row}/class.xlsx")
    assert book.status_code == 200
    assert ida.get(f"{run}/answers").status_code == 200
    assert "distillate collected" in ida.get(f"{run}/report").text


def test_its_sum_has_a_page_and_an_address(ida):
    assert "Steam distillation" in ida.get("/calculators/steam").text
    answer = ida.post("/api/steam/oil", json={"oil_kpa": 0.6, "water_kpa": 100.7, "oil_molar": 164.2})
    assert answer.json()["oil_per_water"] == pytest.approx(0.6 * 164.2 / (100.7 * 18.015))
    page = ida.post("/api/calculators/steam", json={"oil_kpa": 0.6, "water_kpa": 100.7, "oil_molar": 164.2}).json()
    assert page["numbers"][0]["value"] == "0.054"
    assert any(one["key"] == "steam" for one in ida.get("/api/calculators").json())
