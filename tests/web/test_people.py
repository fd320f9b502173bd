"""People: invitations, roles, sessions, passwords, and the class that a newcomer makes."""

import io
import sys
from uuid import uuid4

import pytest

from helvor import command
from helvor.core.record.entry import Problem
from helvor.notebook import accounts, classes, people
from helvor.notebook.page_errors import NotYours
from tests.notebook.people import PASSWORD, teacher
from tests.web.conftest import School

NEW = "a long enough password"


def invite(ida, school, email="uma@example.org", role="assistant", entry=None):
    form = {"entry": entry or str(uuid4()), "email": email, "role": role, "classes": [str(school.ida.class_id)]}
    return ida.post("/people/invite", data=form)


def link_in(answer):
    return answer.text.partition("/invitation/")[2].partition('"')[0]


def accept(school, link, name="Uma Reed", password=NEW):
    stranger = school.visitor()
    token = stranger.get(f"/invitation/{link}").cookies["helvor_form"]
    return stranger, stranger.post(f"/invitation/{link}", data={"name": name, "password": password, "token": token})


def test_an_invitation_opens_one_account_once(school, ida):
    link = link_in(invite(ida, school))
    stranger, answer = accept(school, link)
    assert answer.status_code == 303
    assert "A-1" in stranger.get("/").text
    assert stranger.get(f"/classes/{school.ida.class_id}").status_code == 200
    assert stranger.get(f"/classes/{school.otto.class_id}").status_code == 404
    again = school.visitor()
    assert again.get(f"/invitation/{link}").status_code == 404
    assert [p.role for p in people.people_of(school.conn, school.ida.account)] == ["instructor", "assistant"]
    (stored,) = school.conn.execute("SELECT token_sha256 FROM invitation").fetchone()
    assert link.encode() not in bytes(stored)


@pytest.mark.parametrize(
    ("email", "role", "says"),
    [
        ("nobody", "assistant", "Enter an e-mail address, such as rosa@example.org"),
        ("ida@example.org", "assistant", "This address already has an account: see the list"),
        ("otto@example.org", "assistant", "This address already has an account: see the list"),
        ("uma@example.org", "owner", "Choose instructor or assistant"),
    ],
)
def test_what_cannot_be_invited_keeps_what_was_typed(school, ida, email, role, says):
    answer = invite(ida, school, email, role)
    assert answer.status_code == 422
    assert says in answer.text and f'value="{email}"' in answer.text
    assert people.invitations_of(school.conn, school.ida.account) == []


@pytest.mark.parametrize(
    ("name", "password", "says"),
    [("U", NEW, "Enter your name as it should appear beside your entries"), ("Uma", "short", "12 characters")],
)
def test_a_name_or_password_too_short_is_said_at_its_field(school, ida, name, password, says):
    _, answer = accept(school, link_in(invite(ida, school)), name, password)
    assert answer.status_code == 422 and says in answer.text


def test_a_withdrawn_and_an_old_invitation_open_nothing(school, ida):
    first, second = link_in(invite(ida, school)), link_in(invite(ida, school, "vera@example.org"))
    for one in people.invitations_of(school.conn, school.ida.account):
        if one.email.startswith("uma"):
            ida.post(f"/people/invitations/{one.id}/withdraw")
    school.conn.execute("UPDATE invitation SET expires_at = now() - interval '1 second' WHERE email LIKE 'vera%'")
    for link in (first, second, "nonsense"):
        assert school.visitor().get(f"/invitation/{link}").status_code == 404
    assert ida.get("/people").text.count("open</span>") == 0


def test_a_form_sent_twice_is_one_invitation_with_the_newer_link(school, ida):
    entry = str(uuid4())
    old, new = link_in(invite(ida, school, entry=entry)), link_in(invite(ida, school, entry=entry))
    assert len(people.invitations_of(school.conn, school.ida.account)) == 1
    assert school.visitor().get(f"/invitation/{old}").status_code == 404
    assert school.visitor().get(f"/invitation/{new}").status_code == 200


def test_roles_change_and_are_written_down(school, ida):
    uma = school.colleague
    assert ida.post(f"/people/{uma}/role", data={"role": "instructor"}).status_code == 303
    assert school.visitor(school.assistant).get(f"/classes/{school.ida.class_id}/unknowns").status_code == 200
    assert ida.post(f"/people/{school.ida.account}/role", data={"role": "assistant"}).status_code == 422
    assert ida.post(f"/people/{uma}/role", data={"role": "owner"}).status_code == 422
    event = people.events_of(school.conn, school.ida.account)
    assert any(e.what == "role changed" and e.detail == "assistant → instructor" and e.by == "Ida Frost" for e in event)
    with pytest.raises(Exception, match="in ink"):
        school.conn.execute("DELETE FROM account_event")


def test_classes_are_given_and_taken_but_never_left_alone(school, ida):
    uma, mine = school.colleague, school.ida.class_id
    ida.post(f"/people/{uma}/classes", data={})
    assert classes.classes_of(school.conn, uma) == []
    ida.post(f"/people/{uma}/classes", data={"classes": [str(mine), str(school.otto.class_id)]})
    assert [c.id for c in classes.classes_of(school.conn, uma)] == [mine]
    with pytest.raises(Problem, match="would have no instructor"):
        people.set_classes(school.conn, school.ida.account, school.ida.account, [])
    assert [c.id for c in classes.classes_of(school.conn, school.ida.account)] == [mine]


def test_the_only_instructor_of_a_class_does_not_become_an_assistant(school, ida):
    uma = school.colleague
    ida.post(f"/people/{uma}/role", data={"role": "instructor"})
    classes.make_class(school.conn, uma, uuid4(), "U-1", "Uma's", "", 2)
    answer = ida.post(f"/people/{uma}/role", data={"role": "assistant"})
    assert answer.status_code == 422 and "U-1 would have no instructor" in answer.text
    assert [p.role for p in people.people_of(school.conn, school.ida.account)] == ["instructor", "instructor"]


def test_only_instructors_see_and_change_people(school):
    for ask in (people.people_of, people.events_of, people.invitations_of):
        with pytest.raises(NotYours):
            ask(school.conn, school.colleague)
    with pytest.raises(NotYours):
        people.set_role(school.conn, school.otto.account, school.colleague, "instructor")


def test_sessions_are_listed_and_ended_one_by_one(school, ida):
    other = school.visitor(school.ida)
    sessions = accounts.sessions_of(school.conn, school.ida.account, ida.cookies["helvor_session"])
    assert [s.here for s in sessions].count(True) == 1 and len(sessions) == 2
    away = next(s for s in sessions if not s.here)
    school.visitor(school.otto).post(f"/people/sessions/{away.id}/end")
    assert other.get("/").status_code == 200
    assert ida.post(f"/people/sessions/{away.id}/end").status_code == 303
    assert other.get("/").status_code == 303 and ida.get("/").status_code == 200


def test_the_institution_and_its_time_zone(school, ida):
    assert ida.post("/people/institution", data={"name": "Frost Hall", "time_zone": "Asia/Tokyo"}).status_code == 303
    assert "Frost Hall" in ida.get("/people").text
    answer = ida.post("/people/institution", data={"name": "Frost Hall", "time_zone": "Mars/Olympus"})
    assert answer.status_code == 422 and "Choose a time zone" in answer.text


def test_failed_and_good_sign_ins_are_written_down(school, ida):
    accounts.sign_in(school.conn, school.ida.email, "wrong", "10.0.0.7", allow_demo=False)
    what = [e.what for e in people.events_of(school.conn, school.ida.account)]
    assert {"signed in", "sign-in failed"} <= set(what)
    otto = [e.name for e in people.events_of(school.conn, school.otto.account)]
    assert "Ida Frost" not in otto


def test_an_administrator_sets_a_password_and_sessions_end(empty_url, monkeypatch, capsys):
    monkeypatch.setenv("DATABASE_URL", empty_url)

    def run(email, password):
        monkeypatch.setattr(sys, "stdin", io.StringIO(password + "\n"))
        return command.main(["password", email])

    from helvor.notebook.database import connect

    with connect(empty_url) as conn:
        ida = teacher(conn, "Ida Frost", "A-1")
        token, _ = accounts.sign_in(conn, ida.email, PASSWORD, "10.0.0.1", allow_demo=False)
        assert run("nobody@example.org", NEW) == 1
        assert "No account has the address" in capsys.readouterr().err
        assert run(ida.email, "short") == 1
        assert run(ida.email, NEW) == 0
        assert accounts.session_of(conn, token) is None
        assert accounts.sign_in(conn, ida.email, PASSWORD, "10.0.0.1", allow_demo=False) is None
        assert accounts.sign_in(conn, ida.email, NEW, "10.0.0.1", allow_demo=False) is not None
        assert any(e.what == "password set" for e in people.events_of(conn, ida.account))


def make_class(ida, **fields):
    form = {"entry": str(uuid4()), "code": "N-1", "title": "New", "benches": "3"} | fields
    return ida.post("/classes", data=form), form["entry"]


def test_a_newcomer_makes_a_class_with_benches_and_meetings(school, ida):
    answer, key = make_class(ida)
    assert answer.headers["location"] == f"/classes/{key}/set-up"
    again, _ = make_class(ida, entry=key)
    assert again.status_code == 303
    url = f"/classes/{key}/set-up"
    assert (
        ida.post(url, data={"what": "benches", "count": "4", "pair": ["A and B", "C and D", "", ""]}).status_code == 303
    )
    days = {
        "what": "meetings",
        "day": ["2026-12-01", "2026-12-08", ""],
        "begins": ["09:00"] * 3,
        "until": ["11:30"] * 3,
        "topic": ["Chalk", "", ""],
    }
    assert ida.post(url, data=days).status_code == 303
    assert [b.pair for b in classes.benches_of(school.conn, key)] == ["A and B", "C and D", "", ""]
    meetings = classes.meetings_of(school.conn, key)
    assert [(m.number, m.topic, f"{m.starts_at:%H:%M}") for m in meetings] == [(1, "Chalk", "09:00"), (2, "", "09:00")]
    assert ida.get(f"/classes/{key}").status_code == 200
    assert school.visitor(school.otto).get(url).status_code == 404


@pytest.mark.parametrize(
    ("fields", "says"),
    [
        ({"code": ""}, "short code"),
        ({"code": "a-1"}, "exists already: enter another code"),
        ({"title": ""}, "a title"),
        ({"benches": "49"}, "1 to 48 benches"),
        ({"benches": "many"}, "Enter the number of benches, such as 12"),
    ],
)
def test_a_class_that_cannot_be_made_says_why(school, ida, fields, says):
    answer, _ = make_class(ida, **fields)
    assert answer.status_code == 422 and says in answer.text


@pytest.mark.parametrize(
    ("form", "says"),
    [
        (
            {"what": "meetings", "day": ["2026-12-01"], "begins": ["11:00"], "until": ["10:00"], "topic": [""]},
            "Enter an end after the start",
        ),
        (
            {"what": "meetings", "day": ["soon"], "begins": ["11:00"], "until": ["12:00"], "topic": [""]},
            "is not a date and time: enter 2026-12-01 and 14:00",
        ),
        (
            {
                "what": "meetings",
                "day": ["2026-12-01"] * 2,
                "begins": ["11:00", "11:30"],
                "until": ["12:00"] * 2,
                "topic": ["", ""],
            },
            "before meeting 1 ends",
        ),
        ({"what": "benches", "count": "1", "pair": ["A", "B"]}, "has records, so it cannot be removed"),
        ({"what": "benches", "count": "0", "pair": ["A"]}, "1 to 48 benches"),
        ({"what": "names", "code": "", "title": "x"}, "short code"),
    ],
)
def test_set_up_refuses_with_a_sentence_and_changes_nothing(school, ida, form, says):
    second = classes.benches_of(school.conn, school.ida.class_id)[1].id
    ida.post(f"/benches/{second}/plates", data={"page": str(uuid4())})
    answer = ida.post(f"/classes/{school.ida.class_id}/set-up", data=form)
    assert answer.status_code == 422 and says in answer.text
    assert [b.pair for b in classes.benches_of(school.conn, school.ida.class_id)] == ["Ada and Bo", "Cy and Di"]
    assert classes.meetings_of(school.conn, school.ida.class_id) == []


def test_a_bench_with_other_hands_joins_anew_and_old_ink_keeps_its_name(school: School, ida):
    from tests.web.test_joining import join, open_code

    tablet, _ = join(school, open_code(school))
    tablet.post(f"{school.url}/read", data={"entry": str(uuid4()), "text": "T 40.0"}, headers={"HX-Request": "true"})
    ida.post(f"/classes/{school.ida.class_id}/set-up", data={"what": "benches", "pair": ["Ada and Eve", "Cy and Di"]})
    assert tablet.get(school.url).status_code in (303, 404)
    assert "Bench 1, Ada and Bo" in ida.get(f"{school.url}/history").text
    again, answer = join(school, open_code(school))
    assert answer.status_code == 303 and again.get(school.url).status_code == 200


def test_a_bench_that_goes_gives_its_sample_back(school, ida):
    url = f"/classes/{school.ida.class_id}"
    ida.post(f"{url}/unknowns", data={"what": "keep", "series": "Powders", "samples": "1: sand"})
    ida.post(f"{url}/unknowns", data={"what": "deal", "series": "Powders", "seed": "1"})
    assert ida.post(f"{url}/set-up", data={"what": "benches", "count": "1", "pair": ["Ada and Bo"]}).status_code == 303
    assert school.conn.execute("SELECT count(*) FROM unknown_dealt").fetchone() == (1,)


def sign_in(school, email, password):
    client = school.visitor()
    token = client.get("/sign-in").cookies["helvor_form"]
    return client.post("/sign-in", data={"email": email, "password": password, "token": token})


def test_one_changes_ones_own_password_with_the_one_that_one_has(school, ida):
    other = school.visitor(school.ida)
    change = lambda old, new: ida.post("/people/password", data={"old": old, "new": new})  # noqa: E731
    assert "The current password is wrong" in change("a guess at it", NEW).text
    assert "12 characters or more" in change(PASSWORD, "short").text
    assert change(PASSWORD, NEW).status_code == 303
    assert "Changed" in ida.get("/people?changed=true").text, "this session stays"
    assert other.get("/").status_code == 303, "the others end"
    assert sign_in(school, school.ida.email, PASSWORD).status_code == 422
    assert sign_in(school, school.ida.email, NEW).status_code == 303


def test_guessing_at_the_password_of_a_session_left_open_is_slowed(school, ida):
    for _ in range(accounts.FREE_TRIES):
        assert ida.post("/people/password", data={"old": "a guess at it", "new": NEW}).status_code == 422
    assert (
        "Too many wrong passwords: try again in"
        in ida.post("/people/password", data={"old": PASSWORD, "new": NEW}).text
    )


def test_a_forgotten_password_is_set_by_a_link_once(school, ida):
    uma = school.visitor(school.assistant)
    person = school.assistant.account
    make = lambda: ida.post(f"/people/{person}/reset").text.partition('value="http://127.0.0.1/reset/')[2]  # noqa: E731
    older, link = (make().partition('"')[0] for _ in range(2))
    assert link and link not in ida.get("/people").text, "shown once"
    stranger = school.visitor()
    assert stranger.get(f"/reset/{older}").status_code == 404, "only the newest holds"
    token = stranger.get(f"/reset/{link}").cookies["helvor_form"]
    send = lambda link, password: stranger.post(f"/reset/{link}", data={"password": password, "token": token})  # noqa: E731
    assert "12 characters" in send(link, "short").text
    assert send(link, NEW).status_code == 303
    assert send(link, NEW).status_code == 404 and send("nothing", NEW).status_code == 404, "once"
    assert uma.get("/").status_code == 303, "all sessions ended"
    assert sign_in(school, school.assistant.email, NEW).status_code == 303
    assert ida.post(f"/people/{school.ida.account}/reset").status_code == 422, "not one's own"
    assert school.visitor(school.otto).post(f"/people/{person}/reset").status_code == 404
    events = people.events_of(school.conn, school.ida.account)
    assert any(e.what == "link for a new password made" and e.by == "Ida Frost" for e in events)


def test_a_link_of_the_terminal_runs_out(school):
    token = people.reset_link_at_terminal(school.conn, school.ida.email)
    assert people.resetting(school.conn, token) == (school.ida.name, school.ida.email)
    school.conn.execute("UPDATE password_reset SET expires_at = now()")
    assert people.resetting(school.conn, token) is None
    assert not people.reset(school.conn, token, NEW, allow_demo=True)
    with pytest.raises(KeyError):
        people.reset_link_at_terminal(school.conn, "nobody@example.org")


def test_a_withdrawn_invitation_shows_no_link(school, ida):
    entry = str(uuid4())
    assert link_in(invite(ida, school, entry=entry))
    ida.post(f"/people/invitations/{entry}/withdraw")
    again = invite(ida, school, entry=entry)
    assert (
        again.status_code == 422
        and not link_in(again)
        and "This invitation has been used or withdrawn: create a new one" in again.text
    )


def test_people_shows_what_concerns_the_viewer(school, ida):
    """A colleague of the institution whose classes and sessions are nobody else's business."""
    institution = school.conn.execute(
        "SELECT institution_id FROM account WHERE id = %s", [school.ida.account]
    ).fetchone()[0]
    accounts.add_instructor(school.conn, institution, "vera@example.org", "Vera Holt", PASSWORD)
    assert sign_in(school, "vera@example.org", PASSWORD).status_code == 303
    vera = school.conn.execute("SELECT id FROM account WHERE email = 'vera@example.org'").fetchone()[0]
    classes.make_class(school.conn, vera, uuid4(), "V-7", "Vera's", "", 2)
    page = ida.get("/people").text
    assert "Vera Holt" in page and "V-7" not in page
    assert not [e for e in people.events_of(school.conn, school.ida.account) if e.name == "Vera Holt"]
