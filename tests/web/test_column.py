"""A column on a run's page."""

from uuid import uuid4

import pytest

from helvor.demo.runs import demo_procedure
from helvor.notebook import classes, procedures
from helvor.shelf.solvents import eluotropic_rank
from tests.web.conftest import HTMX


@pytest.fixture
def iron_run(school):
    """A run of "Colours of iron" on Ida's front bench; its address."""
    who, key = school.ida, uuid4()
    procedures.add_procedure(school.conn, who.account, key, demo_procedure("colours-of-iron"), "made")
    procedures.put_in_use(school.conn, who.account, key, 1)
    bench = classes.front_bench(school.conn, who.account).id
    page = procedures.start_runs(school.conn, who.account, "Ida Frost", key, [bench], uuid4(), eluotropic_rank())[0]
    return f"/runs/{page}"


def send(client, url, **fields):
    answer = client.post(f"{url}/entries", data={"entry": str(uuid4()), **fields}, headers=HTMX)
    return answer.text.replace("\xa0", " ")


def test_a_rack_from_its_first_tube_to_its_pools(ida, iron_run):
    page = ida.get(f"{iron_run}?step=s6").text
    for words in ("150 mm", "no tubes yet", "predicted", "never below", "Next tube"):
        assert words in page
    filled = send(ida, iron_run, kind="tubes-filled", step="s6", first="1", last="10", each="5", eluent="heptane")
    assert "10 tubes" in filled
    assert "next 11 with heptane : ethyl acetate" in filled
    send(ida, iron_run, kind="tubes-filled", step="s6", first="11", state="spilt", each="5")
    send(ida, iron_run, kind="tubes-spotted", step="s7", first="6", last="8", compound="ferrocene", strength="4")
    mixed = send(ida, iron_run, kind="tubes-spotted", step="s7", first="8", compound="acetylferrocene", strength="1")
    assert "Tube 8 shows" not in mixed
    assert "tube 8 show ferrocene and acetylferrocene" in mixed
    assert "would bring" in ida.get(f"{iron_run}?step=s8").text
    pooled = send(ida, iron_run, kind="pooled", step="s8", first="6", last="7", portion="pool A", proposed="yes")
    assert "Decided" in pooled
    dry = send(ida, iron_run, kind="level-seen", step="s6", dry="yes")
    assert "fell below the silica" in dry


@pytest.mark.parametrize(
    ("fields", "says"),
    [
        ({"kind": "tubes-filled", "step": "s6", "first": ""}, "Which tube?"),
        ({"kind": "tubes-filled", "step": "s6", "first": "9", "last": "3"}, "does not come before"),
        ({"kind": "tubes-filled", "step": "s6", "first": "1", "each": "lots"}, "is not a number"),
        ({"kind": "tubes-spotted", "step": "s7", "first": "500", "compound": "x"}, "192"),
        ({"kind": "pooled", "step": "s8", "first": "1", "portion": ""}, "called"),
        ({"kind": "column-packed", "step": "s4", "bore": "1", "bed": "150"}, "2 to 300"),
        ({"kind": "level-seen", "step": "s6"}, "How far"),
    ],
)
def test_bad_input_gets_a_sentence_and_writes_nothing(ida, iron_run, school, fields, says):
    before = school.entries()
    answer = ida.post(f"{iron_run}/entries", data={"entry": str(uuid4()), **fields}, headers=HTMX)
    assert answer.status_code == 422
    assert says in answer.text
    assert school.entries() == before


@pytest.mark.parametrize(
    ("kind", "fields", "field"),
    [
        ("column-packed", {"bore": "15", "bed": "150"}, "bed"), ("tubes-filled", {"first": "2", "each": "5"}, "each"),
        ("tubes-spotted", {"first": "2", "compound": "ferrocene", "strength": "4"}, "compound"),
        ("pooled", {"first": "2", "last": "5", "portion": "pool A", "without": "3"}, "without"),
        ("level-seen", {"above": "30"}, "above"),
    ],
)  # fmt: skip
def test_every_kind_is_corrected_in_its_own_form(ida, iron_run, kind, fields, field):
    entry = str(uuid4())
    send(ida, iron_run, kind=kind, step="s6", **{**fields, "entry": entry})
    assert f'value="{fields[field]}"' in ida.get(f"{iron_run}/edit/{kind}?key={entry}", headers=HTMX).text
    send(ida, iron_run, kind=kind, step="s6", strikes=entry, reason="misread", **fields)
    assert "misread" in ida.get(f"{iron_run}/history").text
