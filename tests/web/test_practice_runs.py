"""Practice runs in the notebook: begun, carried on, sent twice, decided by two at once, begun again from a decision."""

import re
import threading
from uuid import uuid4

import pytest

from helvor.core.practice.rehearsal import play
from helvor.core.practice.rehearsals import STORIES
from helvor.notebook import pages, rehearsals
from helvor.notebook.database import connect
from helvor.notebook.page_errors import EntryIdTaken
from tests.web.conftest import School
from tests.web.test_joining import join, open_code


def begun(ida, story="chalk"):
    answer = ida.post("/practice/runs", data={"entry": str(uuid4()), "story": story})
    assert answer.status_code == 303
    return answer.headers["location"]


def choose(ida, where, decision, choice, entry=None):
    data = {"entry": str(entry or uuid4()), "decision": decision, "choice": choice}
    return ida.post(where, data=data)


def finished(ida, story="chalk", **choices):
    where = begun(ida, story)
    for _ in range(30):
        page = ida.get(where).text
        found = re.search(r'name="decision" value="([^"]+)">(?=<button class="rehearsal-option)', page)
        if found is None:
            return where, page
        decision = found[1]
        usual = {d.key: d.usual for d in (m.decision for m in play(STORIES[story], choices, 1, usually=True).made)}
        choice = choices.get(decision) or usual.get(decision) or re.search(r'name="choice" value="([^"]+)"', page)[1]
        assert choose(ida, where, decision, choice).status_code == 303
    raise AssertionError("it does not end")


@pytest.mark.parametrize("story", sorted(STORIES))
def test_every_story_is_carried_out_to_its_debrief(ida, school, story):
    where, page = finished(ida, story)
    assert "Effect of each decision" in page and "standard choice" in page
    kept = rehearsals.open_rehearsal(school.conn, school.ida.account, where.rpartition("/")[2])
    typed = kept.played.lines
    _, entries = pages.open_page(school.conn, school.ida.account, kept.page_id)
    assert len(entries) == 2 + len(typed)
    run = ida.get(f"/runs/{kept.page_id}?view=ledger").text
    assert "virtual" in run and "a virtual bench" in ida.get(f"/runs/{kept.page_id}/history").text
    assert f"{STORIES[story].title}" in ida.get("/practice/runs").text


def test_a_choice_sent_twice_is_taken_once(ida, school):
    where, entry = begun(ida), uuid4()
    before = school.entries()
    for _ in range(3):
        assert choose(ida, where, "soda", "more", entry).status_code == 303
    kept = rehearsals.open_rehearsal(school.conn, school.ida.account, where.rpartition("/")[2])
    assert kept.choices == {"soda": "more"}
    assert school.entries() == before + len(kept.played.made[0].lines)
    with pytest.raises(EntryIdTaken):
        rehearsals.choose(school.conn, school.ida.account, "Ida", kept.id, "pour", "slowly", entry)


def test_a_decision_that_is_not_open_changes_nothing_and_a_choice_that_is_none_is_refused(ida, school):
    where, before = begun(ida), school.entries()
    assert choose(ida, where, "weigh", "once").status_code == 303
    refused = choose(ida, where, "soda", "a spoonful")
    assert refused.status_code == 422 and "Choose one of the options" in refused.text
    assert school.entries() == before
    assert ida.post(where, data={"decision": "soda", "choice": "more"}).status_code == 422


def test_of_two_who_decide_at_once_one_is_written(ida, school: School):
    where = begun(ida)
    key, url = where.rpartition("/")[2], school.app.state.settings.database_url

    def decide(choice):
        with connect(url) as conn:
            rehearsals.choose(conn, school.ida.account, school.ida.name, key, "soda", choice, uuid4())

    threads = [threading.Thread(target=decide, args=(choice,)) for choice in ("more", "less") * 3]
    for one in threads:
        one.start()
    for one in threads:
        one.join()
    kept = rehearsals.open_rehearsal(school.conn, school.ida.account, key)
    assert len(kept.choices) == 1
    _, entries = pages.open_page(school.conn, school.ida.account, kept.page_id)
    assert len(entries) == 2 + len(kept.played.lines)


def test_begun_again_from_a_decision_it_is_the_same_until_there(ida, school):
    where, page = finished(ida, "crystals", water="plenty", wash="none")
    assert "−" in page and "Retry from here" in page
    key = where.rpartition("/")[2]
    answer = ida.post("/practice/runs", data={"entry": str(uuid4()), "again": key, "decision": "wash"})
    again = rehearsals.open_rehearsal(school.conn, school.ida.account, answer.headers["location"].rpartition("/")[2])
    first = rehearsals.open_rehearsal(school.conn, school.ida.account, key)
    assert again.seed == first.seed and "wash" not in again.choices and again.played.open.key == "wash"
    assert again.played.lines == first.played.lines[: len(again.played.lines)]
    assert again.page_id != first.page_id


def test_another_finds_neither_run_nor_choice(ida, school):
    where = begun(ida)
    otto = school.visitor(school.otto)
    assert otto.get(where).status_code == 404
    assert choose(otto, where, "soda", "more").status_code == 404
    again = {"entry": str(uuid4()), "again": where.rpartition("/")[2], "decision": "soda"}
    assert otto.post("/practice/runs", data=again).status_code == 404
    stolen = {"entry": where.rpartition("/")[2], "story": "chalk"}
    assert otto.post("/practice/runs", data=stolen).status_code == 404


def test_as_json_a_run_is_carried_out_and_nothing_kept(ida, school):
    before = school.entries()
    asked = ida.post("/api/practice/run", json={"story": "crystals", "seed": 3}).json()
    assert asked["decision"] == "water" and "least" in asked["choices"] and asked["recovery"] is None
    done = ida.post(
        "/api/practice/run", json={"story": "crystals", "seed": 3, "choices": {"hot": "bare"}, "usually": True}
    ).json()
    cost = next(one for one in done["costs"] if one["decision"] == "hot")
    assert cost["usual"] == "warm" and cost["grams"] > 0.5 and done["recovery"] < 0.6
    assert done["minutes"] > 100 and any(line.startswith("5: ") for line in done["lines"])
    assert ida.post("/api/practice/run", json={"story": "gold"}).status_code == 422
    assert school.entries() == before


@pytest.mark.parametrize(
    ("model", "asked", "says"),
    [
        (
            "funnel",
            {
                "substances": [{"name": "a", "acts": "acid", "pka": 4.4, "k": 135, "mol": 0.005}],
                "organic": 60,
                "formula": "NaOH",
                "molar": 1,
                "ml": 20,
                "how": "shaken",
            },
            {"spurts": True},
        ),
        (
            "column",
            {"compounds": [{"name": "a", "mg": 100, "rf": [0.3]}], "volumes": [100], "bore": 15, "bed": 150},
            {},
        ),
        (
            "crystals",
            {"mass": 2, "volume": 40, "solubility": [[25, 0.56], [100, 5.55]], "hot": 100, "cold": 2},
            {"how": "slow", "undissolved": 0},
        ),
        ("filter", {"ml": 50, "grams": 1, "grains": "fine", "paper": "slow"}, {}),
    ],
)
def test_the_models_as_json(ida, model, asked, says):
    answer = ida.post(f"/api/practice/{model}", json=asked)
    assert answer.status_code == 200, answer.text
    assert says.items() <= answer.json().items()


@pytest.mark.parametrize(
    ("model", "asked"),
    [
        (
            "funnel",
            {
                "substances": [{"name": "a", "k": 10, "mol": 0.01}],
                "organic": 60,
                "formula": "NaCl",
                "molar": 1,
                "ml": 20,
            },
        ),
        ("funnel", {"substances": [{"name": "a", "k": 10, "mol": 0.01}], "organic": 200, "molar": 1, "ml": 20}),
        ("column", {"compounds": [{"name": "a", "mg": 1, "rf": [0.3, 0.4]}], "volumes": [9], "bore": 15, "bed": 150}),
        (
            "column",
            {"compounds": [{"name": "a", "mg": 1, "rf": [0.3]}], "volumes": [9000], "bore": 15, "bed": 150, "tube": 1},
        ),
        ("crystals", {"mass": 2, "volume": 40, "solubility": [[25, 0.5], [100, 5]], "hot": 10, "cold": 20}),
        ("filter", {"ml": 50, "grams": 1, "grains": "sand"}),
    ],
)
def test_the_models_refuse_what_cannot_be(ida, model, asked):
    assert ida.post(f"/api/practice/{model}", json=asked).status_code == 422


def test_begun_twice_at_once_it_is_begun_once(school: School):
    key, url = uuid4(), school.app.state.settings.database_url

    def start():
        with connect(url) as conn:
            rehearsals.begin(conn, school.ida.account, school.ida.name, school.ida.bench, key, (STORIES["powder"], 5))

    threads = [threading.Thread(target=start) for _ in range(4)]
    for one in threads:
        one.start()
    for one in threads:
        one.join()
    kept = rehearsals.open_rehearsal(school.conn, school.ida.account, key)
    _, entries = pages.open_page(school.conn, school.ida.account, kept.page_id)
    assert len(entries) == 2 + len(kept.played.lines)


def test_a_tablets_practice_is_on_its_bench_and_neither_on_the_board_nor_in_review(school, ida):
    tablet, _ = join(school, open_code(school))
    finished(tablet, "three", keep="extracts")
    kept = school.conn.execute("SELECT page_id FROM rehearsal").fetchone()[0]
    assert "Three from one, virtual" in tablet.get("/", follow_redirects=True).text
    assert "stop" in tablet.get(f"/runs/{kept}").text
    for page in (f"/classes/{school.ida.class_id}", f"/classes/{school.ida.class_id}/results", "/"):
        assert "Three from one" not in ida.get(page).text.split("<main")[1], page
    assert ida.get(f"/runs/{kept}").status_code == 200
