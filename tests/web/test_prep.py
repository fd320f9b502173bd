"""Getting a class ready: the sheet, ticks by several people, counts of kit, the period."""

from concurrent.futures import ThreadPoolExecutor
from datetime import UTC, datetime, timedelta
from uuid import uuid4

import pytest

from helvor.core.classroom.prep.learn import learn, times_of
from helvor.core.engine.run.entries import Marked
from helvor.core.quantities.reading import parse_amount
from helvor.core.record.procedure import Procedure, Step, Substance
from helvor.notebook import classes, containers, pages, procedures
from helvor.notebook.pages import Draft
from tests.notebook.people import POWDER, procedure_in_use, type_in
from tests.web.conftest import HTMX
from tests.web.test_joining import join, open_code


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
    assert "last bench done, including clean-up" in period
    assert "balance, 2" in period
    assert ida.get(f"{url}/period").status_code == 303
    for bad in ({"name": "oven", "count": "few"}, {"name": "oven", "count": "0"}):
        assert ida.post(f"{url}/kit", data=bad).status_code == 422
    assert school.conn.execute("SELECT count FROM class_kit WHERE name = 'oven'").fetchone() == (6,)


def test_scarce_kit_is_counted_in_words(school, ida, url):
    said = {"procedure": str(school.procedure), "said": "two balances and 3 oven shelves"}
    assert ida.post(f"{url}/kit", data=said, follow_redirects=False).status_code == 303
    assert dict(school.conn.execute("SELECT name, count FROM class_kit").fetchall()) == {"balance": 2, "oven": 3}
    refused = ida.post(f"{url}/kit", data=said | {"said": "2 centrifuges"})
    assert refused.status_code == 422 and "No step uses" in refused.text
    assert ida.post(f"{url}/kit", data=said | {"procedure": "x"}).status_code == 404


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
    assert "No containers registered" in ida.get(f"/classes/{school.ida.class_id}/labels").text
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


def test_weighings_of_another_day_and_make_up_dates_are_in_the_calendar(school, ida):
    start = datetime.now(UTC) - timedelta(hours=1)
    for number in (1, 2):
        begins = start + timedelta(days=7 * (number - 1))
        classes.add_meeting(school.conn, school.ida.class_id, number, begins, begins + timedelta(hours=2), "")
    type_in(school.conn, school.ida, school.run, "timer 1200 oven overnight", "timer 20 short one")
    url = f"/classes/{school.ida.class_id}/log"
    for fields in (
        {"kind": "absent", "bench": "2", "who": "Di", "makes_up": "2027-01-05"},
        {"kind": "stays-over", "bench": "1", "what": "beads", "place": "oven"},
    ):
        assert ida.post(url, data={"entry": str(uuid4()), "meeting": "1"} | fields).status_code == 303
    text = ida.get(f"/classes/{school.ida.class_id}/meetings.ics").text.replace("\r\n ", "")
    assert "Bench 1\\, oven overnight" in text and "short one" not in text
    assert "DTSTART;VALUE=DATE:20270105" in text and "Di makes up meeting 1" in text
    following = (start + timedelta(days=7)).strftime("DTSTART:%Y%m%dT%H%M%SZ")
    assert "take out and weigh: bench 1\\, beads\\, oven" in text and text.count(following) == 2


PLATES = Procedure(
    title="A plate and a salt",
    substances=(
        Substance(name="soda solution", amount=parse_amount("10 mL"), formula="Na2CO3", molar=0.5, waste="aqueous"),
    ),
    steps=(
        Step(id="s1", kind="add", adds=("soda solution",)),
        Step(id="s2", kind="ice bath"),
        Step(
            id="s3",
            kind="plate",
            plate_width=50,
            plate_height=100,
            eluent="hexane : ethyl acetate 4 : 1",
            eluent_volume=10,
            spots=("caffeine",),
        ),
    ),
)


def made(ida, school, key, line, **fields):
    form = {"entry": str(uuid4()), "meeting": "1", "procedure": str(key), "line": line} | fields
    return ida.post(f"/classes/{school.ida.class_id}/prep/made", data=form, headers=HTMX)


def test_what_was_really_made_is_the_bottle_that_a_bench_takes_from(school, ida):
    key = procedure_in_use(school.conn, school.ida, PLATES)
    page = ida.get(f"/classes/{school.ida.class_id}/prep?procedure={key}&benches=12").text
    for words in ("soda solution", "hexane : ethyl acetate", "caffeine", "50 × 100 mm", "ice", "plates"):
        assert words in page, words
    answer = made(ida, school, key, "make soda solution", mass="7.213", volume="140", label="soda")
    assert answer.headers["hx-redirect"].startswith(f"/classes/{school.ida.class_id}/prep")
    bottle = containers.bottles_of(school.conn, school.ida.account, school.ida.class_id)[0]
    assert bottle.now.label == "soda" and bottle.now.solution.molar.value == pytest.approx(
        7.213 / 105.988 / 0.14, rel=1e-4
    )
    assert "done by Ida Frost" in ida.get(f"/classes/{school.ida.class_id}/prep?procedure={key}&meeting=1").text
    again = made(ida, school, key, "make soda solution", mass="7.300", volume="140", label="Soda")
    assert again.status_code == 200
    bottles = containers.bottles_of(school.conn, school.ida.account, school.ida.class_id)
    assert len(bottles) == 1 and bottles[0].now.solution.mass.value == 7.3
    # A bench's tablet takes from it too.
    tablet, _ = join(school, open_code(school))
    page = uuid4()
    tablet.post(f"/benches/{school.ida.bench}/runs", data={"page": str(page)})
    form = {"entry": str(uuid4()), "kind": "taken", "substance": "soda", "amount": "10 mL", "bottle": "soda"}
    assert tablet.post(f"/runs/{page}/entries", data=form, headers=HTMX).status_code == 200


def test_a_mixed_eluent_has_a_time_made_and_says_how_long_it_stays_fresh(school, ida):
    key = procedure_in_use(school.conn, school.ida, PLATES)
    line = "mix hexane : ethyl acetate 80 : 20"
    assert made(ida, school, key, line, label="eluent A").status_code == 200
    kept = containers.containers_of(school.conn, school.ida.account, school.ida.class_id)[0]
    assert kept.now.eluent is not None and kept.now.filled_at is not None
    page = ida.get(f"/classes/{school.ida.class_id}/containers?code={kept.now.code}").text
    assert "Eluent, mixed" in page


@pytest.mark.parametrize(
    ("line", "fields", "says"),
    [
        ("make soda solution", {"mass": "", "volume": "140"}, "a mass in g"),
        ("make soda solution", {"mass": "0", "volume": "140"}, "mass: Enter a mass and a volume above 0"),
        ("make sand", {"mass": "1", "volume": "140"}, "This line is not a solution for a stock bottle"),
        ("mix water", {}, "This line is not a solution for a stock bottle"),
    ],
)
def test_what_makes_no_bottle_says_why(school, ida, line, fields, says):
    key = procedure_in_use(school.conn, school.ida, PLATES)
    answer = made(ida, school, key, line, **fields)
    assert answer.status_code == 422 and says in answer.text
    assert containers.containers_of(school.conn, school.ida.account, school.ida.class_id) == []


def test_a_first_look_at_the_period_goes_on_to_the_whole(school, ida):
    assert school.run
    url = f"/classes/{school.ida.class_id}/prep/period?procedure={school.procedure}"
    first = ida.get(f"{url}&runs=20", headers=HTMX).text
    assert "20 of 200 simulated periods" in first and "<progress" in first
    whole = ida.get(url, headers=HTMX).text
    assert "of 200 simulations" in whole and "preliminary" not in whole


def test_step_times_of_earlier_runs_take_the_handouts_place(school, ida):
    key = procedure_in_use(school.conn, school.ida)
    benches = [bench.id for bench in classes.benches_of(school.conn, school.ida.class_id)]
    for number in range(3):
        for page in procedures.start_runs(school.conn, school.ida.account, "Ida Frost", key, benches, uuid4()):
            start = datetime.now(UTC) - timedelta(days=3 + number)
            for step, minutes in (("s1", 0), ("s2", 11)):
                draft = Draft(uuid4(), Marked(step=step), at=start + timedelta(minutes=minutes))
                pages.append(school.conn, school.ida.account, "Ida Frost", page, lambda _, d=draft: [d])
    marks = procedures.marks_of(school.conn, school.ida.account, key)
    assert len(marks) == 6 and times_of(learn(POWDER, marks)) == {"s2": (pytest.approx(11), pytest.approx(0.08))}
    url = f"/classes/{school.ida.class_id}/prep/period?procedure={key}"
    assert "Times of 1 step come from earlier runs" in ida.get(url, headers=HTMX).text
    assert procedures.marks_of(school.conn, school.otto.account, key) == []


def test_all_of_it_as_json(ida):
    plan = PLATES.model_dump(mode="json")
    sheet = ida.post("/api/prep/sheet", json={"procedure": plan, "benches": 12, "spare": 0}).json()
    assert sheet["makes"][0]["glass"] == "200 mL measuring cylinder"
    assert sheet["eluents"][0]["parts"] == {"hexane": 96.0, "ethyl acetate": 24.0}
    assert (sheet["cut"][0]["wanted"], sheet["cut"][0]["sheets"], sheet["ice_kg"]) == (12, 2, 2.0)
    assert sheet["spotting"] == [{"name": "caffeine", "vials": 3, "grams": 0.005, "ml": 0.5}]
    powder = POWDER.model_dump(mode="json")
    marks = [["s1", "2026-11-01T10:00:00Z"], ["s2", "2026-11-01T10:11:00Z"]]
    known = ida.post("/api/prep/learn", json={"procedure": powder, "runs": [marks] * 6}).json()
    assert known["s2"] == {"minutes": pytest.approx(11), "spread": pytest.approx(0.08), "runs": 6, "enough": True}
    asked = {"procedure": powder, "now": 90, "done": [15, 1], "kit": {"balance": 3}}
    front = ida.post("/api/prep/front", json=asked).json()
    assert front["late"][0] == 0 and front["late"][1] > 10 and front["expected"][1] > 1
