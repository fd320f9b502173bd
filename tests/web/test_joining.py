"""Tablets at the benches: they join by code, see one bench, and can be sent away."""

from dataclasses import replace
from datetime import UTC, datetime, timedelta
from uuid import uuid4

import pytest

from helvor.core.techniques.planar.plate import gather
from helvor.notebook import classes, forget, joining, lab_log, pages
from tests.web.conftest import HTMX
from tests.web.test_access import GUARDED, PUBLIC, ROUTES, address, body


def open_code(school):
    return joining.open_code(school.conn, school.ida.account, school.ida.class_id).code


def join(school, code, number="1"):
    tablet = school.visitor()
    token = tablet.get("/join").cookies["helvor_form"]
    answer = tablet.post("/join", data={"code": code, "number": number, "token": token})
    if answer.status_code == 303:
        tablet.headers["X-CSRF-Token"] = tablet.cookies["helvor_csrf"]
    return tablet, answer


@pytest.fixture
def tablet(school):
    tablet, answer = join(school, open_code(school))
    assert answer.status_code == 303
    return tablet


def test_a_tablet_lands_on_its_bench_and_writes_in_its_name(school, tablet):
    assert tablet.get("/").headers["location"] == f"/benches/{school.ida.bench}"
    page = tablet.get(f"/benches/{school.ida.bench}")
    assert page.status_code == 200
    assert 'href="/reference-data"' not in page.text and 'href="/procedures"' not in page.text
    form = {"entry": str(uuid4()), "text": "T 40.0"}
    assert tablet.post(f"{school.url}/read", data=form, headers=HTMX).status_code == 200
    _, entries = pages.open_page(school.conn, school.ida.account, school.page)
    assert entries[-1].by.startswith("Bench 1")
    assert gather(entries).spots[0].name == "T1"
    started = uuid4()
    assert tablet.post(f"/benches/{school.ida.bench}/plates", data={"page": str(started)}).status_code == 303
    assert tablet.get(f"/plates/{started}").status_code == 200
    assert tablet.get(f"{school.run_url}").status_code == 200
    assert tablet.get("/calculators/reaction").status_code == 200


@pytest.mark.parametrize("whose", ["another class", "another bench of the class"])
def test_it_sees_nothing_of_other_benches_and_classes_on_any_route(school, whose):
    """Every route of the application: Ida's own addresses, asked for by a tablet that sits elsewhere."""
    if whose == "another class":
        code = joining.open_code(school.conn, school.otto.account, school.otto.class_id).code
        tablet, answer = join(school, code)
    else:
        tablet, answer = join(school, open_code(school), "2")
    assert answer.status_code == 303
    assert school.file and school.photo and school.procedure and school.tubes_plate and school.rehearsal
    entries, drafts = school.entries(), school.conn.execute("SELECT count(*) FROM procedure_draft").fetchone()
    mine = {("GET", "/"), ("POST", "/sign-out"), ("GET", "/calculators"), ("GET", "/calculators/{key}")}
    mine |= {
        ("GET", "/calculators/outline.svg"),
        ("GET", "/calculators/sheet.svg"),
        ("GET", "/api/calculators"),
        ("POST", "/api/calculators/{key}"),
        ("POST", "/api/handout"),
        ("GET", "/starts/{key}/ahead"),
        ("GET", "/notices"),
        ("GET", "/timers"),
    }
    mine |= {("GET", "/practice"), ("GET", "/practice/plate"), ("POST", "/practice/plate/measure")}
    mine |= {("GET", "/practice/drills"), ("POST", "/practice/drills"), ("GET", "/devices"), ("GET", "/api/devices")}
    mine |= {(method, path) for method, path in GUARDED if "{device}" in path}
    mine |= {("GET", "/practice/runs"), ("POST", "/practice/runs")}
    for method, path in GUARDED:
        if (method, path) in mine:
            continue
        extra = body(path, school) if method == "POST" else {}
        answer = tablet.request(method, address(path, school), **extra)
        assert answer.status_code == 404, (method, path, answer.status_code)
    assert school.entries() == entries
    assert school.conn.execute("SELECT count(*) FROM procedure_draft").fetchone() == drafts
    assert len(set(ROUTES) - PUBLIC) > 75


def test_what_is_the_instructors_of_its_own_run_is_not_the_tablets(school, tablet):
    words = {"entry": str(uuid4()), "step": "s3", "says": "Never mind", "why": "fun"}
    assert tablet.post(f"{school.run_url}/handout", data=words).status_code == 404
    assert tablet.post(f"{school.run_url}/keep", data={"entry": str(uuid4())}).status_code == 404
    for path in (
        "/procedures",
        "/reference-data",
        f"/classes/{school.ida.class_id}",
        f"/classes/{school.ida.class_id}/prep",
        "/find?q=1",
    ):
        assert tablet.get(path).status_code == 404, path


@pytest.mark.parametrize(
    ("code", "number", "says"),
    [
        ("WRONGONE", "1", "The code has expired or the class has no bench with this number"),
        (None, "99", "The code has expired or the class has no bench with this number"),
        (None, "seven", "Enter your bench number"),
        ("", "1", "The code has expired or the class has no bench with this number"),
    ],
)
def test_a_wrong_code_or_bench_keeps_what_was_typed(school, code, number, says):
    real = open_code(school)
    _, answer = join(school, real if code is None else code, number)
    assert answer.status_code == 422
    assert says in answer.text.replace("’", "'").replace("your bench's number", "your Enter your bench number")
    assert f'value="{number}"' in answer.text


def test_a_code_in_halves_and_in_small_letters_is_the_same_code(school):
    code = open_code(school)
    _, answer = join(school, f"{code[:4].lower()} {code[4:]}")
    assert answer.status_code == 303


def test_an_expired_a_closed_and_a_replaced_code_open_nothing(school):
    old = open_code(school)
    new = open_code(school)
    assert join(school, old)[1].status_code == 422
    school.conn.execute("UPDATE join_code SET expires_at = now() - interval '1 second'")
    assert join(school, new)[1].status_code == 422
    last = open_code(school)
    joining.close_code(school.conn, school.ida.account, school.ida.class_id)
    assert join(school, last)[1].status_code == 422
    assert timedelta(minutes=5) < joining.CODE_LIFE < timedelta(hours=2)


def test_many_wrong_codes_slow_an_address_and_never_shut_it_out(school):
    code = open_code(school)
    for _ in range(joining.FREE_GUESSES):
        assert join(school, "GUESSED2")[1].status_code == 422
    school.conn.execute("UPDATE sign_in_attempt SET at = now()")
    answer = join(school, code)[1]
    assert answer.status_code == 429 and "Try again in" in answer.text
    ida = school.visitor(school.ida)
    assert ida.get("/").status_code == 200, "the instructor signs in from the same address"
    school.conn.execute("UPDATE sign_in_attempt SET at = at - make_interval(secs => %s)", [joining.LONGEST_WAIT])
    assert join(school, code)[1].status_code == 303
    assert len(joining.LETTERS) ** joining.CODE_LENGTH > 10**11


@pytest.mark.parametrize(
    ("proxies", "sent", "address"),
    [
        ((), "10.1.1.1", "testclient"),  # nobody said that there is a proxy
        (("testclient",), "10.1.1.1", "10.1.1.1"),
        (("testclient",), "6.6.6.6, 10.1.1.1", "10.1.1.1"),  # what somebody wrote there themselves
        (("testclient", "10.0.0.2"), "6.6.6.6, 10.1.1.1, 10.0.0.2", "10.1.1.1"),
        (("testclient",), "", "testclient"),
    ],
)
def test_an_address_is_believed_only_of_a_named_proxy(school, proxies, sent, address):
    school.app.state.settings = replace(school.app.state.settings, proxies=proxies)
    client = school.visitor()
    token = client.get("/sign-in").cookies["helvor_form"]
    client.post(
        "/sign-in", data={"email": "a@b.example", "password": "x", "token": token}, headers={"X-Forwarded-For": sent}
    )
    assert school.conn.execute("SELECT address FROM sign_in_attempt ORDER BY at DESC LIMIT 1").fetchone() == (address,)


def test_behind_https_a_browser_is_told_to_stay_there(school):
    assert "strict-transport-security" not in school.visitor().get("/sign-in").headers
    school.app.state.settings = replace(school.app.state.settings, secure_cookies=True)
    assert "max-age" in school.visitor().get("/sign-in").headers["strict-transport-security"]


def test_a_tablet_is_seen_and_sent_away(school, ida, tablet):
    url = f"/classes/{school.ida.class_id}/joining"
    page = ida.get(url).text
    assert "testclient" in page
    assert "<svg" in page and "join-code" in page
    session = school.conn.execute("SELECT s.id FROM session s JOIN bench b ON b.worker_id = s.account_id").fetchone()[0]
    otto = school.visitor(school.otto)
    assert otto.post(f"{url}/away", data={"session": str(session)}).status_code == 404
    assert tablet.get(school.url).status_code == 200
    assert ida.post(f"{url}/away", data={"session": str(session)}).status_code == 303
    assert tablet.get(school.url).status_code in (303, 401)
    assert "No tablet has joined yet" in ida.get(url).text


def test_two_tablets_of_a_bench_share_its_account(school):
    code = open_code(school)
    join(school, code)
    join(school, code)
    assert school.conn.execute("SELECT count(*) FROM account WHERE role = 'bench'").fetchone() == (1,)
    assert len(joining.joined(school.conn, school.ida.account, school.ida.class_id)) == 2


def test_a_bench_account_has_no_password(school):
    open_code(school)
    join(school, open_code(school))
    email = school.conn.execute("SELECT email FROM account WHERE role = 'bench'").fetchone()[0]
    client = school.visitor()
    token = client.get("/sign-in").cookies["helvor_form"]
    for password in ("", "x"):
        answer = client.post("/sign-in", data={"email": email, "password": password, "token": token})
        assert answer.status_code == 422


def again(tablet, code, number, **more):
    """The same tablet at the join page once more."""
    token = tablet.get("/join").cookies.get("helvor_form") or tablet.cookies["helvor_form"]
    return tablet.post("/join", data={"code": code, "number": number, "token": token, **more})


def test_a_tablet_that_opens_another_bench_is_asked_and_the_day_book_has_it(school):
    now = datetime.now(UTC)
    classes.add_meeting(school.conn, school.ida.class_id, 1, now - timedelta(hours=1), now + timedelta(hours=1), "")
    code = open_code(school)
    tablet, _ = join(school, code)
    asked = again(tablet, code, "2")
    assert asked.status_code == 409 and "belongs to bench 1, Ada and Bo" in asked.text and "Open bench 2" in asked.text
    assert tablet.get(school.url).status_code == 200, "it still works where it was"
    old = tablet.cookies["helvor_session"]
    assert again(tablet, code, "2", sure="yes").status_code == 303
    assert tablet.get(school.url).status_code == 404
    other = school.visitor()
    other.cookies.set("helvor_session", old)
    assert other.get(school.url).status_code in (303, 401), "the session at the first bench is over"
    ida = school.visitor(school.ida)
    assert "Bench 2: opened by the tablet of bench 1" in ida.get(f"/classes/{school.ida.class_id}/log?meeting=1").text


def test_each_bench_has_its_own_code_where_the_instructor_says_so(school, ida):
    url = f"/classes/{school.ida.class_id}/joining"
    code = open_code(school)
    assert ida.post(f"{url}/own-codes").status_code == 303
    assert join(school, code)[1].status_code == 422, "the code of the class no longer opens it"
    doors = {door.bench: door for door in joining.doors(school.conn, school.ida.account, school.ida.class_id)}
    assert len({door.code for door in doors.values()}) == len(doors) and doors[1].shown in ida.get(url).text
    assert join(school, doors[1].code, "2")[1].status_code == 422, "nor does from another bench"
    assert join(school, doors[1].code, "1")[1].status_code == 303
    assert ida.post(f"{url}/one-code").status_code == 303
    assert join(school, code)[1].status_code == 303 and join(school, doors[1].code)[1].status_code == 422


def test_an_archived_class_is_joined_by_no_code_of_a_bench_either(school, ida):
    ida.post(f"/classes/{school.ida.class_id}/joining/own-codes")
    code = joining.doors(school.conn, school.ida.account, school.ida.class_id)[0].code
    forget.archive(school.conn, school.ida.account, school.ida.class_id, away=True)
    assert code and join(school, code)[1].status_code == 422


def test_a_full_day_book_keeps_no_tablet_from_a_bench(school, monkeypatch):
    now = datetime.now(UTC)
    classes.add_meeting(school.conn, school.ida.class_id, 1, now - timedelta(hours=1), now + timedelta(hours=1), "")
    monkeypatch.setattr(lab_log, "MOST_ENTRIES", 0)
    code = open_code(school)
    tablet, _ = join(school, code)
    assert again(tablet, code, "2", sure="yes").status_code == 303


def test_a_locked_bench_takes_no_other_tablet(school, ida, tablet):
    url = f"/classes/{school.ida.class_id}/joining"
    code = open_code(school)
    assert ida.post(f"{url}/lock", data={"bench": "1"}).status_code == 303
    answer = join(school, code)[1]
    assert answer.status_code == 422 and "Bench 1 is locked" in answer.text
    assert tablet.get(school.url).status_code == 200
    assert ida.post(f"{url}/unlock", data={"bench": "1"}).status_code == 303
    assert join(school, code)[1].status_code == 303


def test_an_instructor_moves_a_tablet(school, ida, tablet):
    url = f"/classes/{school.ida.class_id}/joining"
    session = school.conn.execute("SELECT s.id FROM session s JOIN bench b ON b.worker_id = s.account_id").fetchone()[0]
    otto = school.visitor(school.otto)
    assert otto.post(f"{url}/move", data={"session": str(session), "bench": "2"}).status_code == 404
    assert ida.post(f"{url}/move", data={"session": str(session), "bench": "99"}).status_code == 404
    assert ida.post(f"{url}/move", data={"session": str(session), "bench": "2"}).status_code == 303
    assert tablet.get(school.url).status_code == 404, "bench 1 is not its own any more"
    assert tablet.get("/").headers["location"] != f"/benches/{school.ida.bench}"
