"""Getting a class ready: the sheet, ticks by several people, counts of kit, the period."""

from concurrent.futures import ThreadPoolExecutor
from datetime import UTC, datetime, timedelta
from uuid import uuid4

import pytest

from helvor.notebook import classes
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


def test_labels_carry_a_code_that_opens_the_container(school, ida):
    register = f"/classes/{school.ida.class_id}/containers"
    assert "No container is registered" in ida.get(f"/classes/{school.ida.class_id}/labels").text
    for label in ("dish 3", "dish 4"):
        fields = {"entry": str(uuid4()), "what": "new", "label": label, "kind": "dish"}
        assert ida.post(register, data=fields).status_code == 303
    page = ida.get(f"/classes/{school.ida.class_id}/labels").text
    assert page.count('class="label"') == 2
    assert page.count("<svg") >= 2
    code = school.conn.execute("SELECT code FROM container WHERE label = 'dish 4'").fetchone()[0]
    one = ida.get(f"/classes/{school.ida.class_id}/labels", params={"code": code}).text
    assert one.count('class="label"') == 1
    assert "dish 4" in ida.get(register, params={"code": code}).text


def test_meetings_go_into_any_calendar(school, ida):
    start = datetime(2026, 12, 1, 14, tzinfo=UTC)
    topic = "Weigh, dry; weigh again: a very long topic with Greek letters αβγδε that has to be folded somewhere"
    classes.add_meeting(school.conn, school.ida.class_id, 1, start, start + timedelta(hours=2), topic)
    answer = ida.get(f"/classes/{school.ida.class_id}/meetings.ics")
    assert answer.headers["content-type"].startswith("text/calendar")
    text = answer.text
    assert all(len(line.encode()) <= 75 for line in text.split("\r\n"))
    assert "\n" not in text.replace("\r\n", "")
    unfolded = text.replace("\r\n ", "")
    assert "DTSTART:20261201T140000Z" in unfolded and "DTEND:20261201T160000Z" in unfolded
    assert "Weigh\\, dry\\; weigh again" in unfolded and "αβγδε" in unfolded
    assert unfolded.count("BEGIN:VEVENT") == unfolded.count("END:VEVENT") == 1
