"""What comes into a class over HTTP: looked at first, then all of it or nothing; and what goes out."""

import io
import json
import zipfile
from uuid import uuid4

import openpyxl
import pytest

from helvor.notebook import classes, pages
from tests.notebook.people import run_of, type_in

READINGS = "bench;container;portion;state;mass\n1;dish;;;32,514\n1;dish;powder;;35,520\n1;dish;residue;dried;34,518\n"


def hand_in(client, school, name, content, entry=None):
    data = {"entry": str(entry or uuid4())}
    return client.post(f"/classes/{school.ida.class_id}/import/files", data=data, files={"file": (name, content)})


def test_readings_are_looked_at_and_come_in_once(school, ida):
    assert school.run
    handed = hand_in(ida, school, "monday.csv", READINGS)
    assert handed.status_code == 303
    address = handed.headers["location"]
    before = school.entries()
    text = ida.get(address).text.replace("\xa0", " ")
    assert (
        "Import 3 readings" in text and "dish with powder, as received: 35.520 g" in text and school.entries() == before
    )
    form = {
        "sort": "readings",
        "work": "A mixed powder",
        "what": "write",
        "meaning": ["bench", "container", "portion", "state", "mass"],
    }
    for _ in range(2):  # sent twice
        assert ida.post(address, data=form).status_code == 303
    assert school.entries() == before + 3
    _, entries = pages.open_page(school.conn, school.ida.account, school.run)
    assert [e.payload.mass.written for e in entries[-3:]] == ["32.514", "35.520", "34.518"]
    # The next file of these columns knows what they mean.
    again = hand_in(ida, school, "tuesday.csv", READINGS.replace("residue", "beads"))
    assert "Import 3 readings" in ida.get(again.headers["location"]).text


def test_columns_with_strange_names_are_mapped_once(school, ida):
    assert school.run
    text = "Q,X,Y\n1,dish,32.514\n"
    address = hand_in(ida, school, "odd.csv", text).headers["location"]
    assert "Choose the column with the bench" in ida.get(address).text
    form = {"sort": "readings", "work": "A mixed powder", "what": "look", "meaning": ["bench", "container", "mass"]}
    assert "Import 1 reading" in ida.post(address, data=form).text
    assert ida.post(address, data=form | {"what": "write"}).status_code == 303
    other = hand_in(ida, school, "odd2.csv", text.replace("dish", "boat")).headers["location"]
    assert "Import 1 reading" in ida.get(other).text
    twice = ida.post(other, data=form | {"meaning": ["bench", "mass", "mass"]})
    assert twice.status_code == 422 and "Two columns are set to" in twice.text


def test_one_bad_line_and_nothing_comes_in(school, ida):
    assert school.run
    address = hand_in(ida, school, "bad.csv", READINGS + "1;dish;;;heavy\n").headers["location"]
    before = school.entries()
    form = {
        "sort": "readings",
        "work": "A mixed powder",
        "what": "write",
        "meaning": ["bench", "container", "portion", "state", "mass"],
    }
    page = ida.post(address, data=form)
    assert "line 5" in page.text and "not a number" in page.text and school.entries() == before
    assert "readings in</button>" not in page.text


@pytest.mark.parametrize(
    ("name", "content", "sentence"),
    [
        ("empty.csv", b"", "empty"),
        ("bomb.xlsx", b"PK\x03\x04", "cannot be opened"),
        ("photo.jpg", b"\xff\xd8\xff\0\0", "neither a CSV"),
        ("run.json", b"{", "not JSON"),
        ("run.json", b'{"format": "helvor run", "version": 9}', "newer Helvor"),
        ("formula.csv", b"bench,mass\n1,=1+1\n", "line 2, mass"),
        ("old.zip", b"PK\x03\x04", "This is not a zip file, or it is damaged"),
    ],
)
def test_a_bad_file_says_what_is_wrong_and_is_not_kept(school, ida, name, content, sentence):
    refused = hand_in(ida, school, name, content)
    assert refused.status_code == 422 and sentence in refused.text
    assert school.conn.execute("SELECT count(*) FROM import_draft").fetchone() == (0,)


def test_a_hundred_megabytes_are_refused_before_they_are_read(school, ida):
    headers = {"content-length": str(100_000_000), "content-type": "multipart/form-data; boundary=x"}
    answer = ida.post(f"/classes/{school.ida.class_id}/import/files", content=b"", headers=headers)
    assert answer.status_code == 413 and "The limit is 60 MB" in answer.text


def test_names_come_in_for_the_benches_that_are_named(school, ida):
    address = hand_in(ida, school, "names.csv", "bench,name\n2,Flo\n2,Gus\n").headers["location"]
    text = ida.get(address).text
    assert "Import 1 pair" in text and "Flo and Gus" in text
    form = {"sort": "names", "what": "write", "meaning": ["bench", "names"]}
    assert ida.post(address, data=form).status_code == 303
    assert [b.pair for b in classes.benches_of(school.conn, school.ida.class_id)] == ["Ada and Bo", "Flo and Gus"]


def test_a_run_goes_out_and_comes_in_at_another_school(school, ida):
    type_in(school.conn, school.ida, school.run, "dish 32.514", "note violet")
    record = json.loads(ida.get(f"{school.run_url}/run.json").text)
    text = json.dumps(record)
    for key in [record["run"]["id"], *(e["id"] for e in record["entries"])]:
        text = text.replace(key, str(uuid4()))
    otto = school.visitor(school.otto)
    address = f"/classes/{school.otto.class_id}/import"
    handed = otto.post(f"{address}/files", data={"entry": str(uuid4())}, files={"file": ("run.json", text)})
    page = otto.get(handed.headers["location"]).text
    assert "A mixed powder" in page and "Ida Frost" in page
    assert otto.post(handed.headers["location"], data={}).status_code == 422
    there = otto.post(handed.headers["location"], data={"bench": "1"})
    assert there.status_code == 303 and "note" in otto.get(there.headers["location"] + "/history").text
    assert "violet" in otto.get(there.headers["location"] + "/history").text
    # What Otto handed in is his alone.
    assert ida.get(handed.headers["location"]).status_code == 404


def test_a_class_goes_out_as_an_archive_and_comes_in_whole(school, ida):
    type_in(school.conn, school.ida, school.run, "dish 32.514", "dish powder 35.520")
    assert school.file and school.photo
    content = ida.get(f"/classes/{school.ida.class_id}/archive.zip").content
    names = zipfile.ZipFile(io.BytesIO(content)).namelist()
    assert {"ro-crate-metadata.json", "class.json", "tables/rf.csv"} <= set(names)
    assert any(name.endswith("-scheme.svg") for name in names) and any("/plate.jpg" in name for name in names)
    # Where it came from the class is there already.
    refused = ida.post("/bring-in/import/files", files={"file": ("a.zip", content)}, data={"code": "A-2"})
    assert refused.status_code == 422 and "here already" in refused.text
    assert ida.post("/bring-in/import/files", files={"file": ("a.zip", content[:900])}).status_code == 422
    run = ida.get(f"{school.run_url}/run.json").content
    one_page = ida.post("/bring-in/import/files", files={"file": ("run.json", run)})
    assert one_page.status_code == 422 and "This is a single page: import it from Results of its class" in one_page.text


def test_a_workbook_has_the_classes_numbers_as_numbers(school, ida):
    type_in(school.conn, school.ida, school.run, "dish 32.514", "dish powder 35.520", "note =1+1")
    content = ida.get(f"/classes/{school.ida.class_id}/class.xlsx").content
    book = openpyxl.load_workbook(io.BytesIO(content))
    assert book.sheetnames == ["Weighings", "Portions", "Spots", "Side by side", "Answers", "Findings", "Readings"]
    read = list(book["Readings"].iter_rows(values_only=True))
    assert read[0][:6] == ("bench", "work", "step", "reading", "of", "quantity")
    rows = list(book["Weighings"].iter_rows(values_only=True))
    mass = rows[0].index("mass, g")
    assert [row[mass] for row in rows[1:]] == [32.514, 35.52]
    assert not any(cell.data_type == "f" for sheet in book for row in sheet for cell in row)


def test_records_and_schemas_over_the_interface(school, ida):
    record = ida.get(f"/api/classes/{school.ida.class_id}/record").json()
    assert record["format"] == "helvor class" and len(record["pages"]) >= 1
    for kind in ("run", "plate", "class"):
        assert ida.get(f"/api/schemas/{kind}.schema.json").json()["$id"] == f"helvor-{kind}"
    assert ida.get("/api/schemas/other.schema.json").status_code == 422
    assert "key" not in record or record["unknowns"] == []
    # An assistant's record has no key in it.
    ida.post(
        f"/classes/{school.ida.class_id}/unknowns", data={"what": "keep", "series": "S", "samples": "1: iron, zinc"}
    )
    assert len(ida.get(f"/api/classes/{school.ida.class_id}/record").json()["unknowns"]) == 1
    assistant = school.visitor(school.assistant)
    assert assistant.get(f"/api/classes/{school.ida.class_id}/record").json()["unknowns"] == []


def test_an_archived_class_takes_nothing_in_and_says_so(school, ida):
    run_of(school.conn, school.ida)
    address = hand_in(ida, school, "monday.csv", READINGS).headers["location"]
    set_up = f"/classes/{school.ida.class_id}/set-up"
    assert ida.post(set_up, data={"what": "archive"}).status_code == 303
    form = {
        "sort": "readings",
        "work": "A mixed powder",
        "what": "write",
        "meaning": ["bench", "container", "portion", "state", "mass"],
    }
    before = school.entries()
    refused = ida.post(address, data=form)
    assert refused.status_code == 409 and "archived" in refused.text and school.entries() == before
    assert "A-1, A class" in ida.get("/classes").text
    assert ida.post(set_up, data={"what": "forget"}).status_code == 200
    assert ida.post(set_up, data={"what": "take-out"}).status_code == 303
    assert ida.post(address, data=form).status_code == 404, "the file could hold names, so it went with them"
    again = hand_in(ida, school, "monday.csv", READINGS).headers["location"]
    assert ida.post(again, data=form).status_code == 303 and school.entries() == before + 3
