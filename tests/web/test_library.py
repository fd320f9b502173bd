"""The library's pages: every procedure is shown, taken over once, and looked after in the builder."""

import json
from html import unescape
from uuid import uuid4

from helvor.core.record.procedure import procedure_from
from helvor.shelf.procedures import PRACTISES, shipped_procedure
from tests.web.conftest import HTMX


def test_every_procedure_of_the_library_is_shown_and_reached(ida):
    listed = ida.get("/procedures/library").text
    for name in PRACTISES:
        assert f'href="/procedures/library/{name}"' in listed
    page = unescape(ida.get("/procedures/library/pear-drop-ester").text)
    procedure = shipped_procedure("pear-drop-ester")
    assert procedure.questions[0].asks in page and "6.50\xa0g" in page and "Add to my procedures" in page
    assert ida.get("/procedures/library/nothing").status_code == 404


def test_it_is_taken_over_once_and_its_questions_are_changed_in_the_builder(ida):
    entry = str(uuid4())
    for _ in range(2):
        answer = ida.post("/procedures/library/colours-of-a-leaf", data={"entry": entry}, follow_redirects=False)
        assert answer.status_code == 303 and answer.headers["location"] == f"/procedures/{entry}"
    assert ida.get("/procedures").text.count("Colours of a leaf</a>") == 1
    own = json.loads(ida.get(f"/api/procedures/{entry}").text)["procedure"]
    assert procedure_from(own) == shipped_procedure("colours-of-a-leaf")
    form = ida.get(f"/procedures/{entry}/form/head", headers=HTMX).text
    assert "Why is the line drawn in pencil? | Ink has dyes" in form
    head = {"op": "head", "title": "Leaf", "period": "90", "level": "school", "expects": "Four, or more, colours."}
    said = "Which colour runs highest? | Carotene, orange\nWhy?"
    kept = ida.post(f"/procedures/{entry}/edit", data={"entry": str(uuid4()), **head, "questions": said}, headers=HTMX)
    assert "Which colour runs highest?" in kept.text and "Four, or more, colours." in kept.text
    own = json.loads(ida.get(f"/api/procedures/{entry}").text)["procedure"]
    assert own["questions"] == [
        {"asks": "Which colour runs highest?", "answer": "Carotene, orange"},
        {"asks": "Why?", "answer": ""},
    ]
    bad = ida.post(f"/procedures/{entry}/edit", data={"entry": str(uuid4()), **head, "questions": "a"}, headers=HTMX)
    assert bad.status_code == 422 and "3 to 400 characters" in bad.text and "Four, or more, colours." in bad.text


def test_it_is_begun_on_ones_own_bench_at_once_and_only_once(ida):
    sent = {"entry": str(uuid4()), "to": "bench"}
    address = "/procedures/library/water-in-a-blue-crystal"
    first, again = (ida.post(address, data=sent, follow_redirects=False) for _ in range(2))
    assert first.headers["location"] == again.headers["location"] and first.headers["location"].startswith("/runs/")
    page = first.headers["location"]
    assert "Weigh the crucible" in ida.get(page).text
    # Answers and the expected result are the instructor's: what a bench can read of its run has none.
    procedure = shipped_procedure("water-in-a-blue-crystal")
    for read in (page, f"/api{page}", f"{page}?view=record", f"{page}/procedure"):
        said = unescape(ida.get(read).text)
        assert procedure.expects not in said and all(one.answer not in said for one in procedure.questions), read
    assert "version 1 in use" in ida.get("/procedures").text


def test_questions_stand_on_the_handout_and_answers_do_not(ida):
    entry = str(uuid4())
    ida.post("/procedures/library/colours-of-a-leaf", data={"entry": entry})
    handout = ida.get(f"/procedures/{entry}/handout").text
    procedure = shipped_procedure("colours-of-a-leaf")
    assert procedure.questions[1].asks in handout and procedure.questions[1].answer not in handout
    assert procedure.expects not in handout
