"""A meeting in the room: the board, the day book, notices on tablets, timers, the wall, unknowns."""

from datetime import UTC, datetime, timedelta
from itertools import pairwise
from uuid import UUID, uuid4

import psycopg
import pytest

from helvor.core.classroom.meeting.expected import expected_progress
from helvor.core.classroom.prep.period import Setting, simulate
from helvor.core.record.worksheet import PageSummary
from helvor.notebook import accounts, classes, lab_log, page_lists, unknowns
from helvor.web.board import PlanNow, draw_board, in_use
from tests.notebook.people import POWDER, type_in
from tests.web.conftest import HTMX
from tests.web.test_joining import join, open_code


@pytest.fixture
def day(school, ida):
    """Writes in the day book of Ida's class, as the forms do."""

    def write(kind, **fields):
        form = {"entry": str(uuid4()), "kind": kind, "meeting": "1"} | fields
        return ida.post(f"/classes/{school.ida.class_id}/log", data=form)

    return write


def book(school):
    return lab_log.open_book(school.conn, school.ida.account, school.ida.class_id, 1)


def test_a_meeting_from_beginning_to_end(school, ida, day):
    for kind, fields in (
        ("began", {}),
        ("paused", {"why": "fire alarm"}),
        ("went-on", {}),
        ("absent", {"bench": "2", "who": "Di", "makes_up": "2026-12-01"}),
        ("broke", {"bench": "1", "what": "a beaker", "count": "2"}),
        ("happened", {"what": "a spill", "done": "wiped up"}),
        ("wasted", {"bottle": "aqueous", "amount": "120 mL", "waste": "washes"}),
        ("returned", {"what": "mortar"}),
        ("remains", {"what": "soda", "amount": "300 mL", "place": "cupboard"}),
        ("stays-over", {"bench": "1", "what": "beads", "place": "oven", "celsius": "110"}),
        ("room-timer", {"label": "waste round", "minutes": "30"}),
    ):
        assert day(kind, **fields).status_code == 303, kind
    assert day("ended").status_code == 303
    page = ida.get(f"/classes/{school.ida.class_id}/log?meeting=1").text
    for words in (
        "Meeting started",
        "Paused: fire alarm",
        "Di absent, make-up meeting on 1 Dec",
        "a beaker × 2",
        "a spill; wiped up",
        "120 mL of washes into aqueous acid and base",
        "Returned: mortar",
        "300 mL of soda, cupboard",
        "beads left in the oven at 110 °C",
        "waste round, 30 min",
        "Meeting ended",
    ):
        assert words in page, words
    assert book(school).day.state == "over"


@pytest.mark.parametrize(
    ("kind", "fields", "says"),
    [
        (
            "wasted",
            {"bottle": "oxidizing", "matter": "solvents", "amount": "10 mL"},
            "Never put organic, not halogenated",
        ),
        ("wasted", {"bottle": "aqueous", "amount": "some"}, "amount with a unit"),
        ("broke", {"what": ""}, "Enter a few words"),
        ("absent", {"bench": ""}, "Enter the bench number"),
        ("absent", {"bench": "2", "makes_up": "soon"}, "Enter a date"),
        ("broke", {"bench": "77", "what": "a flask"}, "no bench 77"),
        ("paused", {}, "not running"),
        ("room-timer", {"label": "stir", "minutes": ""}, "Enter the minutes"),
    ],
)
def test_what_cannot_be_written_is_said_in_its_form_and_kept(school, day, kind, fields, says):
    answer = day(kind, **fields)
    assert answer.status_code == 422 and says in answer.text
    assert all(f'value="{text}"' in answer.text for name, text in fields.items() if text and name in ("what", "amount"))
    assert book(school).entries == []


def test_the_same_form_twice_is_one_entry(school, day):
    entry = str(uuid4())
    day("broke", entry=entry, what="a beaker")
    day("broke", entry=entry, what="a beaker")
    assert len(book(school).entries) == 1
    assert day("broke", entry=entry, what="a flask").status_code == 409


def test_an_entry_is_struck_with_a_word_and_stays_readable(school, ida, day):
    day("wasted", bottle="aqueous", amount="120 mL")
    key = str(book(school).entries[0].id)
    assert day("struck", strikes=key).status_code == 422
    assert day("struck", strikes=key, reason="wrong bench").status_code == 303
    assert book(school).day.waste == {}
    assert "struck out: wrong bench" in ida.get(f"/classes/{school.ida.class_id}/log").text
    with pytest.raises(Exception, match="in ink"):
        school.conn.execute("DELETE FROM room_entry")


def test_a_meeting_with_unlabelled_portions_ends_only_with_a_word_why(school, ida, day):
    type_in(school.conn, school.ida, school.run, "dish 32.514", "done 1", "dish powder 35.520", "done 2")
    day("began")
    refused = day("ended")
    assert refused.status_code == 422
    assert "containers are unlabelled" in refused.text and "Bench 1: powder in dish" in refused.text
    assert book(school).day.state == "running"
    assert day("ended", why="labelled by hand").status_code == 303
    ending = book(school).day.ending
    assert ending.left == ("Bench 1: powder in dish",) and ending.why == "labelled by hand"


def test_an_open_accident_follows_until_it_is_closed(school, ida, day):
    """On the board, on Today, in the next meeting's book; no meeting ends silently over it."""
    url = f"/classes/{school.ida.class_id}"
    school.conn.execute(
        "INSERT INTO meeting (class_id, number, starts_at, ends_at) SELECT %s, n, now() + n * interval '1 day',"
        " now() + n * interval '1 day 2 hours' FROM generate_series(1, 2) n ON CONFLICT DO NOTHING",
        [school.ida.class_id],
    )
    day("began")
    assert day("happened", bench="2", what="acid on a hand").status_code == 303
    [accident] = lab_log.open_accidents(school.conn, school.ida.account)
    assert (accident.meeting, accident.what) == (1, "Bench 2: acid on a hand")
    for page in ("/", url, f"{url}/log?meeting=1", f"{url}/log?meeting=2"):
        assert "Bench 2: acid on a hand" in ida.get(page).text, page
    refused = day("ended")
    assert refused.status_code == 422 and "An accident is still open" in refused.text
    assert book(school).day.state == "running"
    assert day("ended", why="the nurse writes tomorrow").status_code == 303
    assert book(school).day.ending.accidents == ("Bench 2: acid on a hand",)
    # The next meeting does not end silently over it either, and closes it where it stands.
    day("began", meeting="2")
    assert day("ended", meeting="2").status_code == 422
    said_nothing = day("settled", about=str(accident.key), done="")
    assert said_nothing.status_code == 422 and "Enter what was done" in said_nothing.text
    assert day("settled", about=str(uuid4()), done="rinsed").status_code == 422
    assert day("settled", about=str(accident.key), done="rinsed 15 min, doctor seen").status_code == 303
    assert lab_log.open_accidents(school.conn, school.ida.account) == []
    for page in ("/", url, f"{url}/log?meeting=2"):
        assert "acid on a hand" not in ida.get(page).text, page
    assert "rinsed 15 min, doctor seen" in ida.get(f"{url}/log?meeting=1").text
    assert day("ended", meeting="2").status_code == 303


def test_connections_that_died_are_noticed_and_the_request_is_made_again(school, ida, monkeypatch):
    """The database ended every connection of ours: nobody notices; where it stays away, 503 says when to come."""
    url = f"/classes/{school.ida.class_id}"
    assert ida.get(url).status_code == 200
    school.conn.execute(
        "SELECT pg_terminate_backend(pid) FROM pg_stat_activity WHERE datname = current_database()"
        " AND pid <> pg_backend_pid()"
    )
    assert ida.get(url).status_code == 200

    def away(*_, **__):
        raise psycopg.OperationalError("connection refused")

    with monkeypatch.context() as gone:
        gone.setattr(accounts, "vouched_for", away)
        refused = ida.get(url)
    assert refused.status_code == 503 and refused.headers["Retry-After"] == "5"
    assert "The database is not answering, so nothing was saved" in refused.text
    assert ida.get(url).status_code == 200
    assert ida.get("/ready").json() == {"database": True, "current": True}


def test_a_registered_container_is_labelled(school, ida, day):
    type_in(school.conn, school.ida, school.run, "dish 32.514", "done 1", "dish powder 35.520", "done 2")
    url = f"/classes/{school.ida.class_id}/containers"
    ida.post(url, data={"entry": str(uuid4()), "what": "new", "label": "Dish", "kind": "dish"})
    day("began")
    assert day("ended").status_code == 303


def test_a_notice_stands_on_the_tablets_until_it_is_taken_back(school, ida, day):
    tablet, _ = join(school, open_code(school))
    assert "From your instructor" not in tablet.get("/notices", headers=HTMX).text
    day("began")
    day("said", words="Leave layers in the funnels")
    assert "Leave layers in the funnels" in tablet.get("/notices", headers=HTMX).text
    assert "Leave layers" not in ida.get("/notices", headers=HTMX).text, "the front knows what it said"
    day("struck", strikes=str(book(school).day.notices[0][0].head.id), reason="over")
    day("paused", why="talk")
    text = tablet.get("/notices", headers=HTMX).text
    assert "Leave layers" not in text and "Meeting paused: talk." in text
    assert tablet.get(f"/classes/{school.ida.class_id}/log").status_code == 404


def test_what_is_written_for_the_next_meeting_hides_no_notice_of_this_one(school, ida, day):
    tablet, _ = join(school, open_code(school))
    now = datetime.now(UTC)
    for number in (1, 2):
        begins = now + timedelta(days=7 * (number - 1))
        classes.add_meeting(school.conn, school.ida.class_id, number, begins, begins + timedelta(hours=2), "")
    day("began")
    day("said", words="Leave layers in the funnels")
    day("room-timer", label="waste round", minutes="5")
    day("remains", meeting="2", what="soda", amount="300 mL")
    assert "Leave layers" in tablet.get("/notices", headers=HTMX).text
    assert [a["label"] for a in ida.get("/timers").json()] == ["waste round"]


def test_a_meeting_that_runs_over_its_time_stays_on_the_board_until_it_is_ended(school, ida):
    now = datetime.now(UTC)
    for number, begins in ((1, now - timedelta(hours=3)), (2, now + timedelta(days=7))):
        classes.add_meeting(school.conn, school.ida.class_id, number, begins, begins + timedelta(hours=2), "")
    url = f"/classes/{school.ida.class_id}"
    write = {"entry": str(uuid4()), "kind": "began", "meeting": "1"}
    ida.post(f"{url}/log", data=write)
    assert "<h2>Meeting 1</h2>" in ida.get(url).text
    ida.post(f"{url}/log", data={"entry": str(uuid4()), "kind": "broke", "what": "a beaker"})
    assert "a beaker" in ida.get(f"{url}/log").text
    assert book(school).day.of("broke")
    ida.post(f"{url}/log", data={"entry": str(uuid4()), "kind": "ended"})
    assert "<h2>Meeting 2</h2>" in ida.get(url).text


def test_a_notice_does_not_reach_another_class(school, day):
    from helvor.notebook import joining

    code = joining.open_code(school.conn, school.otto.account, school.otto.class_id).code
    tablet, _ = join(school, code)
    day("began")
    day("said", words="Only for A-1")
    assert "Only for A-1" not in tablet.get("/notices", headers=HTMX).text


def test_timers_of_benches_plates_and_the_room_ring_where_they_belong(school, ida, day):
    type_in(school.conn, school.ida, school.run, "done 1", "timer 15 cold glass")
    day("began")
    day("room-timer", label="waste round", minutes="5")
    found = ida.get("/timers").json()
    assert [(a["where"], a["label"]) for a in found] == [("All", "waste round"), ("Bench 1", "cold glass")]
    assert found[1]["address"] == school.run_url
    tablet, _ = join(school, open_code(school))
    assert [a["label"] for a in tablet.get("/timers").json()] == ["cold glass"]
    assert school.visitor(school.otto).get("/timers").json() == []
    day("room-timer-stopped", about=book(school).day.alarms[0].key)
    assert [a["label"] for a in ida.get("/timers").json()] == ["cold glass"]


def test_a_timer_forgotten_for_a_day_rings_no_longer(school, ida):
    type_in(school.conn, school.ida, school.run, "timer 15 cold glass")
    school.conn.execute(
        "UPDATE page SET summary = jsonb_set(summary, '{alarms,0,1}', to_jsonb((now() - interval '1 day')::text))"
        " WHERE id = %s",
        [school.run],
    )
    assert ida.get("/timers").json() == []


def test_the_board_shows_state_due_kit_and_the_plan(school, ida, day):
    type_in(school.conn, school.ida, school.run, "dish 32.514", "done 1", "timer 15 cold glass")
    now = datetime.now(UTC)
    classes.add_meeting(
        school.conn, school.ida.class_id, 1, now - timedelta(minutes=5), now + timedelta(hours=2), "A mixed powder"
    )
    day("began")
    page = ida.get(f"/classes/{school.ida.class_id}").text
    for words in ("running since", "cold glass", "Shared kit", "Message the class", "on plan, finishes at", "Pause"):
        assert words in page, words
    wall = ida.get(f"/classes/{school.ida.class_id}/wall?follow=true").text
    assert "Instructor’s bench" in wall and "wall-clock" in wall
    day("said", words="Eye protection on")
    assert "Eye protection on" in ida.get(f"/classes/{school.ida.class_id}/wall").text


def bench_at(number, done, *, kit=(), alarms=(), names=tuple(f"{n} step" for n in range(1, 16))):
    page = classes.PageOnBoard(
        UUID(int=number),
        "run",
        1,
        3,
        datetime(2026, 1, 1, tzinfo=UTC),
        PageSummary.read(
            {
                "title": "A mixed powder",
                "done": done,
                "stages": len(names),
                "names": list(names),
                "kit": list(kit),
                "alarms": [list(a) for a in alarms],
                "level": "",
            }
        ),
    )
    return classes.Bench(UUID(int=100 + number), UUID(int=1), number, "", [page])


NOW = datetime(2026, 1, 1, 15, tzinfo=UTC)


def test_who_is_behind_the_plan_is_said_with_minutes():
    fit = simulate(POWDER, 1, Setting(3, 165, {"balance": 3, "hotplate": 6, "oven": 4}), runs=0)
    front = expected_progress(POWDER, 1, fit)
    assert len(front.over) == 3 and front.ends > 60
    assert front.expected(0, 0) == 0 and front.expected(0, 1000) == len(front.over[0])
    benches = [bench_at(1, 15), bench_at(2, 1), bench_at(3, 0)]
    board = draw_board(benches, now=NOW, plan=PlanNow(front, 90.0))
    assert [lane.late > 0 for lane in board.lanes] == [False, True, True]
    assert board.lanes[2].late == int(90 - front.over[2][0])
    assert board.front.startswith("M") and board.wash.endswith("Z")
    assert draw_board(benches, now=NOW).front == ""


def test_waiting_on_a_timer_is_a_state_of_its_own():
    soon, past = (NOW + timedelta(minutes=9)).isoformat(), (NOW - timedelta(minutes=1)).isoformat()
    board = draw_board(
        [bench_at(1, 3, alarms=[("dry", soon, "")]), bench_at(2, 3, alarms=[("dry", past, "")])], now=NOW
    )
    assert [lane.state for lane in board.lanes] == ["waiting", "working"]
    assert board.counts["waiting"] == 1


def test_kit_in_use_and_the_queue_for_it():
    benches = [bench_at(n, 2, kit=["Balance"]) for n in range(1, 6)]
    kit = in_use(benches, "A mixed powder", {"balance": 3, "oven": 4})
    assert [(k.name, k.used, k.queue) for k in kit] == [("balance", 3, 2), ("oven", 0, 0)]


@pytest.mark.parametrize("count", [1, 12, 24, 48])
def test_lanes_from_one_to_forty_eight_keep_apart(count):
    board = draw_board([bench_at(n, n % 15) for n in range(1, count + 1)], now=NOW)
    xs = [lane.x for lane in board.lanes]
    apart = min((b - a for a, b in pairwise(xs)), default=100)
    assert apart > 30 * board.size * 0.9 or board.size == 0.45
    assert board.words == (count <= 12)


KEY = "1: camphor 31 %, sand 69 %\n2: camphor 45 %, sand 55 %"


def test_unknowns_are_kept_dealt_and_told_to_benches_by_number_only(school, ida):
    url = f"/classes/{school.ida.class_id}/unknowns"
    assert ida.post(url, data={"what": "keep", "series": "Powders", "samples": KEY}).status_code == 303
    assert ida.post(url, data={"what": "deal", "series": "Powders", "seed": "7"}).status_code == 303
    first = unknowns.series_of(school.conn, school.ida.account, school.ida.class_id)[0]
    assert sorted(d.number for d in first.dealt.values()) == [1, 2]
    ida.post(url, data={"what": "deal", "series": "Powders", "seed": "7"})
    assert unknowns.series_of(school.conn, school.ida.account, school.ida.class_id)[0].dealt == first.dealt
    assert (
        ida.post(url, data={"what": "give", "series": "Powders", "bench": ["1", "2"], "number": ["2", ""]}).status_code
        == 303
    )
    dealt = unknowns.series_of(school.conn, school.ida.account, school.ida.class_id)[0].dealt
    assert {b: d.number for b, d in dealt.items()} == {1: 2}
    assert "camphor 45 %" in ida.get(url).text
    assert "Powders" in ida.get(f"/classes/{school.ida.class_id}/numbers").text
    assert "camphor" not in ida.get(f"/classes/{school.ida.class_id}/numbers").text


def test_a_tablet_and_an_assistant_never_get_the_key(school, ida):
    """Whatever a bench or an assistant can fetch, walked over every route: the composition is in none of it."""
    from tests.web.test_access import GUARDED, address, body

    url = f"/classes/{school.ida.class_id}/unknowns"
    ida.post(url, data={"what": "keep", "series": "Powders", "samples": "1: xylitolum 31 %, sand 69 %"})
    ida.post(url, data={"what": "deal", "series": "Powders", "seed": "7"})
    tablet, _ = join(school, open_code(school))
    assistant = school.visitor(school.assistant)
    assert "Your sample" in tablet.get(f"/benches/{school.ida.bench}").text
    assert school.run and school.file
    for method, path in GUARDED:
        for client in (tablet, assistant):
            if path == "/sign-out" or path.endswith("/live"):
                continue
            extra = body(path, school) if method == "POST" else {}
            answer = client.request(method, address(path, school), **extra)
            assert "xylitolum" not in answer.text, (method, path)


@pytest.mark.parametrize(
    ("form", "says"),
    [
        ({"what": "keep", "series": "Powders", "samples": "camphor"}, "s number, such as 7: camphor 31"),
        (
            {"what": "keep", "series": "", "samples": "1: sand"},
            "Enter a name of at most 40 characters for the series, such as Mixed powder",
        ),
        ({"what": "deal", "series": "Powders", "seed": "lucky"}, "a whole number"),
        ({"what": "give", "series": "Powders", "bench": ["1"], "number": ["9"]}, "no sample 9"),
        ({"what": "keep", "series": "Powders", "samples": "2: sand"}, "has sample 1"),
    ],
)
def test_unknowns_that_cannot_be_written_say_why(school, ida, form, says):
    url = f"/classes/{school.ida.class_id}/unknowns"
    ida.post(url, data={"what": "keep", "series": "Powders", "samples": KEY})
    ida.post(url, data={"what": "give", "series": "Powders", "bench": ["1"], "number": ["1"]})
    answer = ida.post(url, data=form)
    assert answer.status_code == 422 and says in answer.text
    assert len(unknowns.series_of(school.conn, school.ida.account, school.ida.class_id)[0].samples) == 2


def test_the_same_as_json(ida):
    dealt = ida.post("/api/prep/deal", json={"numbers": [1, 2], "benches": [1, 2, 3, 4], "seed": 3}).json()
    assert sorted(dealt.values()) == [1, 1, 2, 2]
    assert ida.post("/api/prep/deal", json={"numbers": [1, 1], "benches": [1]}).status_code == 422
    never = ida.post("/api/room/waste", json={"bottle": "oxidizing", "matter": "solvents"}).json()
    assert not never["fits"] and "catch fire" in never["never"]
    assert ida.post("/api/room/waste", json={"bottle": "aqueous", "matter": "aqueous"}).json() == {
        "fits": True,
        "never": "",
        "level": "",
        "why": "",
    }


def test_summaries_of_before_are_shown_without_their_new_parts(school, ida):
    school.conn.execute("UPDATE page SET summary = summary - 'alarms' - 'kit' - 'stands'")
    assert ida.get(f"/classes/{school.ida.class_id}").status_code == 200
    assert ida.get(f"/classes/{school.ida.class_id}/log").status_code == 200
    assert ida.get("/timers").json() == []
    assert page_lists.rebuild_summaries(school.conn) == 1
