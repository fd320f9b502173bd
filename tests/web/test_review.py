"""What a class found, on its page and as JSON."""

from uuid import uuid4

from helvor.notebook import classes, procedures
from helvor.shelf.solvents import eluotropic_rank
from tests.notebook.people import run_of, type_in
from tests.web.test_crystals import CLEAN, CRYSTALS, type_all


def class_of_two(school):
    """Both benches of Ida's class ran the crystals."""
    first = run_of(school.conn, school.ida, CLEAN)
    key = school.conn.execute("SELECT procedure_id FROM page WHERE id = %s", [first]).fetchone()[0]
    other = classes.benches_of(school.conn, school.ida.class_id)[1].id
    second = procedures.start_runs(
        school.conn, school.ida.account, school.ida.name, key, [other], uuid4(), eluotropic_rank()
    )[0]
    type_all(school, first, CRYSTALS[1])
    type_all(school, second, CRYSTALS[2])
    return first, second


def test_benches_stand_side_by_side_and_lead_to_their_runs(school, ida):
    address = f"/classes/{school.ida.class_id}/review"
    assert "No two benches" in ida.get(address).text
    first, second = class_of_two(school)
    page = ida.get(address).text.replace("\xa0", " ")
    assert "Acetanilide made clean" in page
    assert "acetanilide recovered" in page and "84.5 %" in page
    assert page.count(f'href="/runs/{first}"') == page.count(f'href="/runs/{second}"') >= 2
    assert "median closure" in page or "median acetanilide recovered" in page
    assert ida.get(f"{address}?work=nothing").status_code == 200


def test_the_same_as_json_and_nothing_for_others(school, ida):
    class_of_two(school)
    address = f"/api/classes/{school.ida.class_id}/review"
    [work] = ida.get(address).json()
    recovery = next(one for one in work["measures"] if one["label"] == "acetanilide recovered")
    assert [one["bench"] for one in recovery["numbers"]] == [1, 2]
    assert recovery["quartiles"][0] <= recovery["median"] <= recovery["quartiles"][1]
    assert school.visitor(school.otto).get(address).status_code == 404
    assert school.visitor(school.otto).get(address.removeprefix("/api")).status_code == 404


def test_a_wet_bench_alone_is_shared_by_nobody(school, ida):
    type_in(school.conn, school.ida, school.run, "dish 32.514", "dish powder 35.520")
    assert "No finding is shared" in ida.get(f"/classes/{school.ida.class_id}/review").text
