"""A plate through its pages: what goes in, what is refused and how, what comes out."""

import csv
import io
import json
import re
from uuid import UUID, uuid4
from xml.etree import ElementTree

import pytest

from helvor.notebook import accounts
from tests.web.conftest import HTMX, spot_form


def entries(school) -> int:
    return school.conn.execute("SELECT count(*) FROM entry").fetchone()[0]


def standing(client, school) -> list[dict]:
    return client.get(f"/api/plates/{school.page}").json()["results"]


def test_a_new_plate_starts_in_one_action_and_is_drawn_from_one_form(school, ida):
    page = uuid4()
    front = re.search(r"/benches/([0-9a-f-]+)/plates", ida.get("/").text)[1]
    assert ida.post(f"/benches/{front}/plates", data={"page": page}).headers["location"] == f"/plates/{page}"
    assert "Create plate" in ida.get(f"/plates/{page}").text
    form = {
        "kind": "start",
        "entry": str(uuid4()),
        "phase": "silica",
        "backing": "aluminium",
        "indicator": "yes",
        "width": "5 cm",
        "height": "100",
        "origin": "10",
        "ruler": "0.5 mm",
        "lanes": "P paracetamol ref, T tablet, PT co P T",
        "eluent": "7.6 mL hexane + 0.4 mL ethyl acetate",
        "level": "5",
        "lined": "yes",
    }
    for _ in range(2):  # sent twice
        assert ida.post(f"/plates/{page}/entries", data=form).headers["location"] == f"/plates/{page}"
    record = ida.get(f"/api/plates/{page}").json()
    assert [e["says"]["kind"] for e in record["entries"]] == ["set-up", "lane", "lane", "lane", "eluent", "chamber"]
    shown = ida.get(f"/plates/{page}").text
    assert "5 % ethyl acetate in hexane" in shown
    assert "95 : 5" in shown


def test_dropped_spots_come_back_with_their_rf_in_one_round_trip(school, ida):
    drop = {"entry": str(uuid4()), "what": "new-spot", "key": str(school.lane), "distance": "40.0", "view": "365"}
    answer = ida.post(f"{school.url}/drop", data=drop, headers=HTMX)
    assert answer.status_code == 200
    assert "0.50<small>" in answer.text
    assert "helvor:written" in answer.headers["hx-trigger"]
    move = drop | {"entry": str(uuid4()), "what": "spot", "key": drop["entry"], "distance": "60.0"}
    for _ in range(2):  # sent twice
        assert "0.75<small>" in ida.post(f"{school.url}/drop", data=move, headers=HTMX).text
    (spot,) = standing(ida, school)
    assert (spot["distance_mm"], spot["seen_under"]) == (60.0, "365")
    assert entries(school) == 5


@pytest.mark.parametrize(("what", "distance", "field"), [("front", "75.0", "front"), ("origin", "12.0", "origin")])
def test_front_and_origin_are_dropped_too(school, ida, what, distance, field):
    answer = ida.post(
        f"{school.url}/drop", data={"entry": str(uuid4()), "what": what, "distance": distance}, headers=HTMX
    )
    assert answer.status_code == 200
    says = ida.get(f"/api/plates/{school.page}").json()["entries"][-1]
    assert says["reason"] == "moved on the drawing"
    assert (says["says"].get("distance") or says["says"].get("origin"))["value"] == float(distance)


@pytest.mark.parametrize(
    ("what", "distance", "sentence"),
    [
        ("spot", "40", "has been struck out"),
        ("new-spot", "40", "on a lane"),
        ("front", "0", "distance: Enter a front above 0 mm; it is above the origin line"),
        ("origin", "100", "above the plate"),
        ("front", "abc", "not a number"),
        ("nonsense", "40", "spot"),
    ],
)
def test_a_drop_that_cannot_be_is_said_and_writes_nothing(school, ida, what, distance, sentence):
    answer = ida.post(
        f"{school.url}/drop", data={"entry": str(uuid4()), "what": what, "distance": distance}, headers=HTMX
    )
    assert answer.status_code == 422
    assert sentence in answer.text
    assert answer.headers["hx-retarget"] == "#said"
    assert entries(school) == 3


def test_a_front_for_one_lane_leaves_the_plates_front_standing(school, ida):
    strikes = ida.get(f"/api/plates/{school.page}").json()["entries"][2]["id"]
    form = {"kind": "front", "strikes": strikes, "reason": "measured again", "lane": str(school.lane), "distance": "78"}
    assert ida.post(f"{school.url}/entries", data=form | {"entry": str(uuid4())}).status_code == 303
    whole = form | {"entry": str(uuid4()), "lane": "", "distance": "81"}
    assert ida.post(f"{school.url}/entries", data=whole).status_code == 303
    record = ida.get(f"/api/plates/{school.page}").json()["entries"]
    assert [(e["says"]["distance"]["value"], e["strikes"], e["reason"]) for e in record[3:]] == [
        (78, None, ""),
        (81, strikes, "measured again"),
    ]


BAD_FIELDS = [
    # what was typed, at which field, the sentence
    ({"distance": "forty"}, "distance", "is not a number"),
    ({"distance": "-4"}, "distance", "below zero"),
    ({"distance": "NaN"}, "distance", "is not a number: enter what the display shows"),
    ({"distance": "inf"}, "distance", "is not a number: enter what the display shows"),
    ({"distance": "1e400"}, "distance", "not a realistic size"),
    ({"distance": "2,050"}, "distance", "could be 2.050 or 2050"),
    ({"distance": "40 mL"}, "distance", "is not a known unit of length: use mm, cm or in"),
    ({"distance": ""}, "distance", "Enter a length in mm"),
    ({"distance": "140"}, "distance", "140 mm is more than the plate, which is 100 mm high"),
    ({"lane": ""}, "lane", "Choose the lane"),
    ({"lane": str(uuid4())}, "lane", "not on this plate"),
    ({"lane": "'; DROP TABLE entry"}, "lane", "Choose one from the list"),
    ({"tail": "50"}, "tail", "Enter a lower end below the centre"),
    ({"width": "abc", "head": "x"}, "width", "not a number"),
    ({"seen": "moonlight"}, "seen", "daylight"),
    ({"strength": ""}, "strength", "faint"),
    ({"colour": "red\x07"}, "colour", "cannot be printed"),
    ({"colour": "x" * 121}, "colour", "at most 120"),
    ({"swatch": "url(evil)"}, "swatch", "Choose a colour from the list"),
    ({"strikes": "x", "reason": "misread"}, "strikes", "Choose one"),
    ({"strikes": str(uuid4()), "reason": "misread"}, "strikes", "not on this page"),
    ({"strikes": str(uuid4())}, "reason", "Give a short reason: misread, typed wrong, measured again"),
]


@pytest.mark.parametrize(("typed", "field", "sentence"), BAD_FIELDS)
def test_bad_input_is_said_beside_its_field_and_what_was_typed_stays(school, ida, typed, field, sentence):
    form = spot_form(school, colour="pale blue") | typed
    for headers in (HTMX, {}):
        answer = ida.post(f"{school.url}/entries", data=form, headers=headers)
        assert answer.status_code == 422
        said = re.search(rf'id="trouble-{field}" role="alert">([^<]+)<', answer.text)
        assert said, answer.text
        assert re.search(sentence, said[1])
        kept = "pale blue" if "colour" not in typed else form["distance"]
        assert f'value="{kept}"' in answer.text
        assert form["entry"] in answer.text
    assert entries(school) == 3


@pytest.mark.parametrize(
    ("kind", "fields", "field"),
    [
        (
            "set-up",
            {
                "phase": "silica",
                "width": "50",
                "height": "100",
                "origin": "120",
                "ruler": "1 mm",
                "backing": "none",
                "reason": "misread",
            },
            "origin",
        ),
        ("lane", {"at": "70", "label": "X", "role": "unknown", "applied": "dots"}, "at"),
        ("lane", {"at": "20", "label": "t", "role": "unknown", "applied": "dots"}, "label"),
        ("lane", {"at": "20", "label": "X", "role": "unknown", "applied": "dots", "touches": "many"}, "touches"),
        ("front", {"distance": "0"}, "distance"),
        ("front", {"distance": "40", "lane": str(uuid4())}, "lane"),
        ("chamber", {"level": "deep"}, "level"),
        ("eluent", {"eluent": "hexane : ethyl acetate"}, "eluent"),
        ("compared-to", {"spot_key": str(uuid4())}, "spot"),
        ("struck", {"strikes": str(uuid4()), "reason": "misread"}, "strikes"),
        ("acknowledged", {"code": "x", "about": "", "what": "seen", "why": " "}, "why"),
    ],
)
def test_every_form_says_what_is_wrong_with_it(school, ida, kind, fields, field):
    answer = ida.post(f"{school.url}/entries", data={"kind": kind, "entry": str(uuid4())} | fields, headers=HTMX)
    assert answer.status_code == 422
    assert f'id="trouble-{field}"' in answer.text, answer.text
    assert entries(school) == 3


def test_a_new_plates_form_gathers_every_trouble_at_once(school, ida):
    page = uuid4()
    ida.post(f"/benches/{school.ida.bench}/plates", data={"page": page})
    form = {
        "kind": "start",
        "entry": str(uuid4()),
        "phase": "silica",
        "backing": "none",
        "ruler": "1 mm",
        "width": "50",
        "height": "100",
        "origin": "10",
        "lanes": "A, a",
        "eluent": "5 % x",
        "level": "-2",
    }
    answer = ida.post(f"/plates/{page}/entries", data=form)
    assert set(re.findall(r'id="trouble-(\w+)"', answer.text)) == {"lanes", "eluent", "level"}
    assert 'value="A, a"' in answer.text
    assert entries(school) == 3


@pytest.mark.parametrize("size", [300_000, 5_000_000])
def test_a_body_longer_than_any_reading_is_refused(school, ida, size):
    answer = ida.post(f"{school.url}/entries", data=spot_form(school, colour="x" * size))
    assert answer.status_code == 413
    assert "Nothing was saved" in answer.text

    def chunks():
        for _ in range(size // 10_000):
            yield b"x" * 10_000

    answer = ida.post(f"{school.url}/entries", content=chunks(), headers={"content-type": "text/plain"})
    assert answer.status_code == 413
    assert entries(school) == 3


def test_a_script_in_a_label_is_shown_and_never_run(school, ida):
    nasty = '"><b x=1>'
    lane = {
        "kind": "lane",
        "entry": str(uuid4()),
        "at": "40",
        "label": nasty,
        "role": "unknown",
        "applied": "dots",
        "substance": "<script>alert(1)</script>",
    }
    assert ida.post(f"{school.url}/entries", data=lane).status_code == 303
    ida.post(f"{school.url}/entries", data=spot_form(school, lane=lane["entry"]))
    for path in (
        school.url,
        f"{school.url}/history",
        f"{school.url}/edit/lane?key={lane['entry']}",
        f"{school.url}/plate.svg",
    ):
        text = ida.get(path).text
        assert "<script>alert" not in text
        assert "<b x=1>" not in text
    ElementTree.fromstring(ida.get(f"{school.url}/plate.svg").text)


def test_three_hundred_spots_stop_at_the_limit_with_a_sentence(school, ida):
    for number in range(120):
        drop = {"entry": str(uuid4()), "what": "new-spot", "key": str(school.lane), "distance": str(1 + number % 70)}
        assert ida.post(f"{school.url}/drop", data=drop).status_code == 303
    answer = ida.post(f"{school.url}/entries", data=spot_form(school, seen="daylight"), headers=HTMX)
    assert answer.status_code == 422
    assert "start a second plate" in answer.text
    spots = [{"lane": "T", "distance": "40 mm"}] * 300
    plate = {
        "phase": "silica",
        "width": "50 mm",
        "height": "100 mm",
        "origin": "10 mm",
        "lanes": [{"label": "T", "at": "10 mm"}],
        "spots": spots,
    }
    assert ida.post("/api/planar/plate", json=plate).status_code == 422


def test_a_session_that_ended_says_so_and_keeps_the_form(school, ida):
    school.conn.execute("DELETE FROM session")
    accounts.sessions_changed()  # the database was changed behind the application's back
    answer = ida.post(f"{school.url}/entries", data=spot_form(school), headers=HTMX)
    assert answer.status_code == 401
    assert "what you typed is still here" in answer.text
    assert answer.headers["hx-retarget"] == "#said"
    assert entries(school) == 3


def test_a_correction_strikes_through_and_the_history_shows_who_when_and_why(school, ida):
    first = spot_form(school)
    ida.post(f"{school.url}/entries", data=first)
    again = spot_form(school, distance="42.5", strikes=first["entry"], reason="misread")
    assert ida.post(f"{school.url}/entries", data=again).status_code == 303
    struck = {"kind": "struck", "entry": str(uuid4()), "strikes": again["entry"], "other_reason": "a speck of dust"}
    assert 'value="42.5"' in ida.get(f"{school.url}/edit/spot?key={first['entry']}").text
    assert ida.post(f"{school.url}/entries", data=struck).status_code == 303
    assert standing(ida, school) == []
    shown = ida.get(f"{school.url}/history").text
    assert shown.count("<s>spot in lane T") == 2
    for text in ("misread", "a speck of dust", "Ida Frost", "struck out by no. 5"):
        assert text in shown


def test_the_reading_line_shows_what_it_understood_then_writes_it_once(school, ida):
    ahead = ida.get(f"{school.url}/read", params={"text": "T 40.0"}).text
    assert "new spot" in ahead
    assert "0.50" in ahead
    assert "is not a lane or spot of this plate" in ida.get(f"{school.url}/read", params={"text": "Q 1"}).text
    typed = {"entry": str(uuid4()), "text": "T 40.0", "view": "254"}
    for _ in range(2):
        assert ida.post(f"{school.url}/read", data=typed, headers=HTMX).status_code == 200
    assert len(standing(ida, school)) == 1
    bad = ida.post(f"{school.url}/read", data={"entry": str(uuid4()), "text": "T forty"}, headers=HTMX)
    assert (bad.status_code, bad.headers["hx-retarget"]) == (422, "#understood")


def test_a_stop_is_gone_on_with_only_for_a_reason_that_is_kept(school, ida):
    ida.post(f"{school.url}/read", data={"entry": str(uuid4()), "text": "T 88"})
    query = "code=spot-beyond-front&about=T1"
    form = ida.get(f"{school.url}/edit/acknowledged?{query}", headers=HTMX).text
    what = re.search(r'name="what" value="([^"]+)"', form)[1]
    answer = ida.post(
        f"{school.url}/entries",
        data={
            "kind": "acknowledged",
            "entry": str(uuid4()),
            "code": "spot-beyond-front",
            "about": "T1",
            "what": what,
            "why": "shown to the class",
        },
        headers=HTMX,
    )
    assert "Continued: shown to the class" in answer.text
    assert ida.get(f"{school.url}/edit/acknowledged?code=nothing&about=").status_code == 404


def filled(school, ida) -> None:
    for text in ("T 40.0 37-43 w5 purple", "T 20.0 18-22 w5", "eluent hexane : ethyl acetate 4 : 1"):
        assert ida.post(f"{school.url}/read", data={"entry": str(uuid4()), "text": text}).status_code == 303
    key = standing(ida, school)
    assert len(key) == 2


def test_the_csv_has_the_numbers_of_the_page(school, ida):
    filled(school, ida)
    answer = ida.get(f"{school.url}/plate.csv")
    assert "attachment" in answer.headers["content-disposition"]
    rows = list(csv.DictReader(io.StringIO(answer.text)))
    assert [(row["spot"], row["distance_mm"], row["rf"], row["hrf"]) for row in rows] == [
        ("T1", "40", "0.5", "50"),
        ("T2", "20", "0.25", "25"),
    ]
    whole = list(csv.DictReader(io.StringIO(ida.get(f"/classes/{school.ida.class_id}/rf.csv").text)))
    assert [(row["bench"], row["plate"], row["eluent"], row["rf"]) for row in whole] == [
        ("1", "1", "hexane : ethyl acetate 80 : 20", "0.5"),
        ("1", "1", "hexane : ethyl acetate 80 : 20", "0.25"),
    ]


def test_a_formula_in_a_label_stays_text_in_a_spreadsheet(school, ida):
    lane = {"kind": "lane", "entry": str(uuid4()), "at": "40", "label": "=1+1", "role": "unknown", "applied": "dots"}
    ida.post(f"{school.url}/entries", data=lane)
    ida.post(f"{school.url}/entries", data=spot_form(school, lane=lane["entry"]))
    row = next(csv.DictReader(io.StringIO(ida.get(f"{school.url}/plate.csv").text)))
    assert row["lane"] == "'=1+1"


def test_the_json_holds_the_whole_record_struck_entries_too(school, ida):
    filled(school, ida)
    ida.post(f"{school.url}/read", data={"entry": str(uuid4()), "text": "T1 41.0"})
    record = json.loads(ida.get(f"{school.url}/plate.json").text)
    assert (record["format"], record["version"]) == ("helvor plate", 2)
    assert [e["seq"] for e in record["entries"]] == list(range(1, 8))
    assert record["entries"][-1]["strikes"] == record["entries"][3]["id"]
    assert record["neighbours"][0]["rs"] == pytest.approx(2 * 21 / (6 + 4))
    assert {f["code"] for f in record["findings"]} >= {"front-good"}


def test_the_svg_is_in_real_millimetres(school, ida):
    filled(school, ida)
    root = ElementTree.fromstring(ida.get(f"{school.url}/plate.svg").text)
    assert (root.get("width"), root.get("height")) == ("54mm", "104mm")
    x, y, width, height = map(float, root.get("viewBox").split())
    assert (x, y, width, height) == (-2, -2, 54, 104)
    spot = next(
        path
        for path in root.iter("{http://www.w3.org/2000/svg}path")
        if path.get("class") == "blob-unseen" or path.get("fill")
    )
    # T1, 40 mm over an origin that is 10 mm up a plate of 100 mm, in a lane at 25 mm, 5 mm wide
    assert spot.get("d").startswith("M22.50 50.00A2.50 3.00")


def test_what_is_not_there_is_not_there(school, ida):
    for path in (
        f"/plates/{uuid4()}",
        "/plates/not-an-id",
        f"{school.url}/edit/nonsense",
        f"{school.url}/plate.exe",
        f"{school.url}/edit/spot?key={uuid4()}",
        f"/classes/{uuid4()}",
        "/find?q=99",
        "/nowhere",
    ):
        answer = ida.get(path)
        assert answer.status_code in (404, 422), path
        assert "Traceback" not in answer.text


def test_benches_are_found_by_number(school, ida):
    assert ida.get("/find?q=1").headers["location"] == f"/benches/{school.ida.bench}"
    assert ida.get("/find?q=bench 1").headers["location"] == f"/benches/{school.ida.bench}"
    assert ida.get("/find?q=a-1").headers["location"] == f"/classes/{school.ida.class_id}"
    UUID(ida.get("/find?q=front").headers["location"].removeprefix("/benches/"))
