"""Finding by words: what somebody may see, and nothing else."""

from uuid import uuid4

import pytest

from helvor.notebook.search import words_of
from tests.notebook.people import type_in


@pytest.mark.parametrize(
    ("text", "words"),
    [
        ("salt", ["salt"]),
        ("  Benzo-caine, salt ", ["benzo-caine", "salt"]),
        ("a b", []),
        ("", []),
        ("'; drop table entry; --", ["drop", "table", "entry"]),
        ("x" * 200, ["x" * 200]),
        ("& | ! <->", []),
        ("ethyl acetate : hexane 7:3", ["ethyl", "acetate", "hexane"]),
        ("Würzburg čaj", ["würzburg", "čaj"]),
    ],
)
def test_words_as_they_are_typed(text, words):
    assert words_of(text) == words


def hits(client, q, sort=None):
    found = client.get("/api/search", params={"q": q}).json()
    return [one for one in found if sort is None or one["sort"] == sort]


def test_a_note_is_found_by_the_beginnings_of_its_words_and_only_by_its_own_people(school, ida):
    type_in(school.conn, school.ida, school.run, "note violet crust on the rim", "note nothing more")
    [one] = hits(ida, "viol crus", "run")
    assert one["address"] == f"/runs/{school.run}" and "violet crust" in one["says"]
    assert hits(ida, "violet green") == []
    otto = school.visitor(school.otto)
    assert hits(otto, "violet") == [] and "No results for" in otto.get("/search?q=violet").text
    page = ida.get("/search?q=violet").text
    assert f'href="/runs/{school.run}"' in page and "violet crust on the rim" in page


def test_what_was_struck_through_is_not_found_and_its_correction_is(school, ida):
    type_in(school.conn, school.ida, school.run, "note magenta")
    entry = school.conn.execute("SELECT id FROM entry WHERE kind = 'noted'").fetchone()[0]
    form = {
        "kind": "noted",
        "words": "ochre",
        "strikes": str(entry),
        "reason": "misread",
        "entry": str(school.ida.bench),
    }
    assert ida.post(school.run_url + "/entries", data=form).status_code == 303
    assert hits(ida, "magenta") == [] and len(hits(ida, "ochre", "run")) == 1


@pytest.mark.parametrize(
    ("q", "sort", "says"),
    [
        ("mixed powder", "run", "mixed powder"),
        ("ada", "class", "Ada and Bo"),
        ("a-1", "class", "A-1"),
        ("powder", "procedure", "A mixed powder"),
        ("benzoc", "shelf", "benzocaine"),
    ],
)
def test_everything_has_a_place_in_it(school, ida, q, sort, says):
    assert school.run
    assert any(says in one["says"] or says in one["where"].casefold() for one in hits(ida, q, sort))


def test_containers_are_found_by_label_and_code(school, ida):
    address = f"/classes/{school.ida.class_id}/containers"
    form = {"what": "new", "label": "porcelain dish 4", "kind": "dish", "entry": str(school.page)}
    assert ida.post(address, data=form).status_code == 303
    [one] = hits(ida, "porcel", "container")
    assert one["says"].startswith("porcelain dish 4") and one["address"] == address
    assert hits(school.visitor(school.otto), "porcel") == []


def test_the_box_in_the_frame_opens_benches_and_finds_words(school, ida):
    assert ida.get("/find?q=1").headers["location"] == f"/benches/{school.ida.bench}"
    assert ida.get("/find?q=violet+crust").headers["location"] == "/search?q=violet+crust"
    assert ida.get("/find?q=77").status_code == 404
    assert "Enter a word or its start: a substance, an eluent, a container, a name or a note" in ida.get("/search").text


def test_a_pages_eluent_is_found_and_many_entries_count_once(school, ida):
    for text in ("eluent ethyl acetate : hexane 3 : 7", "T 40", "T 20"):
        assert ida.post(f"{school.url}/read", data={"text": text, "entry": str(uuid4())}).status_code in (200, 303)
    [one] = hits(ida, "hexane", "planar")
    assert one["address"] == school.url and "ethyl acetate" in one["says"]
