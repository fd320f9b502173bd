"""Drills over HTTP: an answer is kept once and told, progress follows, and a class's tablets are seen by who teaches it."""

from uuid import uuid4

import pytest

from helvor.core.practice.drills import TOPICS, drill
from tests.web.test_joining import join, open_code


def right_answer(topic, level, seed):
    case = drill(topic, level, seed)
    if topic == "read":
        rf = (case.spot - 10) / (case.front - 10)
        return {"front": f"{case.front:.1f}", "spot": f"{case.spot:.1f}", "rf": f"{rf:.2f}".replace(".", ",")}
    if topic == "pool":
        return {"tube": [str(number) for number in case.key]}
    if topic == "order":
        return {f"place-{number}": str(place) for place, number in enumerate(case.key, 1)}
    return {"picked": case.key}


def send(client, topic, seed, given, level=1, entry=None):
    data = {"entry": str(entry or uuid4()), "topic": topic, "level": str(level), "seed": str(seed)} | given
    return client.post("/practice/drills", data=data)


def kept(school):
    return school.conn.execute("SELECT count(*) FROM drill_answer").fetchone()[0]


@pytest.mark.parametrize("topic", TOPICS)
@pytest.mark.parametrize("level", [1, 2, 3])
def test_a_right_answer_is_kept_and_told(school, ida, topic, level):
    shown = ida.get(f"/practice/drills?topic={topic}&level={level}&seed=77").text
    assert TOPICS[topic] in shown and "<h2>Wrong</h2>" not in shown and "drill-true" not in shown
    answered = send(ida, topic, 77, right_answer(topic, level, 77), level)
    assert answered.status_code == 303
    told = ida.get(answered.headers["location"]).text
    assert "<h2>Correct</h2>" in told and "Working" in told and "1</span> of" in told
    assert kept(school) == 1


def test_a_wrong_answer_is_told_why(ida):
    case = drill("layer", 1, 5)
    wrong = "upper" if case.key == "lower" else "lower"
    told = ida.get(send(ida, "layer", 5, {"picked": wrong}).headers["location"]).text
    assert "<h2>Wrong</h2>" in told and f"so the {case.key}" in told and "g/mL" in told


def test_sent_twice_it_is_kept_once(school, ida):
    entry = uuid4()
    for _ in range(2):
        assert send(ida, "dry", 3, right_answer("dry", 1, 3), entry=entry).status_code == 303
    assert kept(school) == 1


@pytest.mark.parametrize(
    ("topic", "given", "says"),
    [
        ("read", {"front": "80", "spot": "40", "rf": "a lot"}, "Enter the Rf as a number, such as 0.43"),
        ("read", {"front": "8", "spot": "4", "rf": "0.5"}, "above the origin line"),
        ("read", {"front": "800", "spot": "4", "rf": "0.5"}, "Enter a mark for the front between 0 and 100 mm"),
        ("read", {"front": "", "spot": "4", "rf": "0.5"}, "s mark in mm, such as 72.5"),
        ("layer", {"picked": "middle"}, "Choose the upper or the lower layer"),
        ("pool", {}, "Choose the tubes to pool"),
        ("pool", {"tube": "900"}, "Choose the tubes to pool"),
        ("order", {"place-1": "1", "place-2": "1", "place-3": "2"}, "Give each step one place"),
        ("eluent", {"picked": "hotter"}, "one of the changes"),
        ("weigh", {"picked": "77"}, "one of the steps"),
        ("wrong", {"picked": "sublime never"}, "one of the mistakes"),
        ("dry", {}, "Choose one of the weighings, or"),
        ("limiting", {"picked": "<b>"}, "Choose one of the two substances"),
    ],
)
def test_what_is_no_answer_gets_a_sentence_and_is_not_kept(school, ida, topic, given, says):
    answered = send(ida, topic, 12, given)
    assert answered.status_code == 422 and says in answered.text
    if given.get("rf"):
        assert f'value="{given["rf"]}"' in answered.text
    assert kept(school) == 0


@pytest.mark.parametrize(
    "wrong", [{"topic": "smell"}, {"level": "9"}, {"seed": "-1"}, {"seed": "9" * 30}, {"entry": "x"}]
)
def test_what_is_no_drill_is_refused(school, ida, wrong):
    data = {"entry": str(uuid4()), "topic": "dry", "level": "1", "seed": "1", "picked": "2"} | wrong
    assert ida.post("/practice/drills", data=data).status_code == 422
    assert kept(school) == 0


def test_without_an_address_comes_what_is_to_be_practised(ida):
    for topic in TOPICS:
        if topic == "limiting":
            continue
        send(ida, topic, 4, right_answer(topic, 1, 4))
    found = ida.get("/practice/drills")
    assert found.status_code == 303 and "topic=limiting&level=1&seed=" in found.headers["location"]
    assert "topic=read&level=2&" in ida.get("/practice/drills?topic=read").headers["location"]


def test_a_class_is_seen_by_who_teaches_it_and_nobody_sees_another_ones_answers(school, ida):
    tablet, _ = join(school, open_code(school))
    case = drill("layer", 1, 5)
    answered = send(tablet, "layer", 5, {"picked": "upper" if case.key == "lower" else "lower"})
    assert "Class" not in tablet.get(answered.headers["location"]).text.split("<main")[1]
    seen = ida.get("/practice/drills?topic=dry&level=1&seed=1").text.split("<main")[1]
    assert "0 of 1" in seen and 'bench <span class="num">1</span>' in seen
    assert ida.get(answered.headers["location"]).status_code == 404


def test_the_same_as_json(school):
    visitor = school.visitor()
    asked = {"topic": "limiting", "level": 3, "seed": 8}
    case = drill("limiting", 3, 8)
    found = visitor.post("/api/practice/drill", json=asked).json()
    assert found["right"] is None and found["choices"] == [part.name for part in case.parts] and found["working"] == []
    told = visitor.post("/api/practice/drill", json=asked | {"given": {"picked": case.key}}).json()
    assert told["right"] is True and "mmol" in told["working"][0]
    refused = visitor.post("/api/practice/drill", json=asked | {"given": {"picked": "water"}})
    assert refused.status_code == 422 and "one of the two" in refused.text
    assert visitor.post("/api/practice/drill", json=asked | {"seed": 2**31}).status_code == 422
    for topic in TOPICS:
        assert visitor.post("/api/practice/drill", json={"topic": topic, "seed": 1}).json()["shown"]
    assert kept(school) == 0


def test_a_set_that_is_given_comes_first_and_is_followed(school, ida):
    tablet, _ = join(school, open_code(school))
    address = f"/classes/{school.ida.class_id}/drills"
    entry = str(uuid4())
    for _ in range(2):
        given = ida.post(address, data={"entry": entry, "topic": ["order", "weigh"], "times": "1"})
        assert given.status_code == 303
    assert school.conn.execute("SELECT count(*) FROM drill_set").fetchone() == (1,)
    first = tablet.get("/practice/drills").headers["location"]
    assert "topic=order" in first or "topic=weigh" in first
    assert "0 of 1" in tablet.get(first).text
    for topic in ("order", "weigh"):
        send(tablet, topic, 6, right_answer(topic, 1, 6))
    page = tablet.get(tablet.get("/practice/drills").headers["location"]).text
    assert page.count("1 of 1</b>") == 2 and "topic=order" not in tablet.get("/practice/drills").headers["location"]
    seen = ida.get("/practice/drills?topic=dry&level=1&seed=1").text
    assert 'Order of steps <b class="num">1</b>' in seen
    assert ida.post(address, data={"entry": str(uuid4()), "times": "2"}).status_code == 303  # taken back
    assert "Set for your class" not in tablet.get("/practice/drills?topic=dry&level=1&seed=1").text


def test_only_who_teaches_gives_drills(school, ida):
    address = f"/classes/{school.ida.class_id}/drills"
    data = {"entry": str(uuid4()), "topic": "dry", "times": "1"}
    assert school.visitor(school.otto).post(address, data=data).status_code == 404
    assert school.visitor(school.assistant).post(address, data=data).status_code == 403
    assert ida.post(address, data=data | {"times": "0"}).status_code == 422
    assert ida.post(address, data=data | {"times": "many"}).status_code == 422
    assert school.conn.execute("SELECT count(*) FROM drill_set").fetchone() == (0,)
