"""Getting a class ready: the sheet, ticks by several people, counts of kit, the period."""

from concurrent.futures import ThreadPoolExecutor

import pytest

from tests.notebook.people import POWDER
from tests.web.conftest import HTMX


@pytest.fixture
def url(school):
    assert school.procedure
    return f"/classes/{school.ida.class_id}/prep"


def line(school, **changes):
    return {"meeting": "1", "procedure": str(school.procedure), "line": "make water", "done": "true"} | changes


def test_the_sheet_shows_what_the_class_needs(school, ida, url):
    page = ida.get(url, params={"benches": "12", "spare": "12"}).text
    assert "mixed powder" in page and "41.0 g" in page
    assert "hx-get" in page and "/prep/period?" in page
    for bad in ({"benches": "0"}, {"spare": "101"}, {"benches": "many"}):
        assert ida.get(url, params=bad).status_code == 422


def test_a_tick_says_who_and_two_at_once_are_one(school, ida, url):
    with ThreadPoolExecutor(4) as several:
        answers = list(several.map(lambda _: ida.post(f"{url}/done", data=line(school), headers=HTMX), range(4)))
    assert {a.status_code for a in answers} == {200}
    assert "done by Ida Frost" in answers[0].text
    assert school.conn.execute("SELECT count(*) FROM prep_done").fetchone() == (1,)
    assert 'aria-pressed="true"' in ida.get(url).text
    back = ida.post(f"{url}/done", data=line(school, done=""), headers=HTMX)
    assert 'aria-pressed="false"' in back.text
    assert school.conn.execute("SELECT count(*) FROM prep_done").fetchone() == (0,)
    gone = ida.post(f"{url}/done", data=line(school, line="make gold"), headers=HTMX)
    assert gone.status_code == 422 and "no longer on the sheet" in gone.text


def test_counted_kit_is_kept_and_enters_the_period(school, ida, url):
    said = {"name": ["balance", "oven"], "count": ["2", "6"], "back": "meeting=1"}
    assert ida.post(f"{url}/kit", data=said).headers["location"] == f"{url}?meeting=1"
    period = ida.get(f"{url}/period", params={"benches": "5"}, headers=HTMX).text
    assert "last bench done, clean-up too" in period
    assert "balance, 2" in period
    assert ida.get(f"{url}/period").status_code == 303
    for bad in ({"name": "oven", "count": "few"}, {"name": "oven", "count": "0"}):
        assert ida.post(f"{url}/kit", data=bad).status_code == 422
    assert school.conn.execute("SELECT count FROM class_kit WHERE name = 'oven'").fetchone() == (6,)


def test_the_same_as_json(ida):
    procedure = POWDER.model_dump(mode="json")
    sheet = ida.post("/api/prep/sheet", json={"procedure": procedure, "benches": 12, "stock": {"oven": 4}}).json()
    assert next(m["total"] for m in sheet["makes"] if m["name"] == "mixed powder") == 41
    asked = {"procedure": procedure, "benches": 6, "runs": 5, "kit": {"balance": 1}, "minutes": 165}
    period = ida.post("/api/prep/period", json=asked).json()
    assert period["queues"][0]["kit"] == "balance"
    assert period["gained"]["one more balance"] > 0
    assert ida.post("/api/prep/period", json=asked | {"runs": 100000}).status_code == 422
