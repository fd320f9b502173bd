"""A handout of one's own: pasted or from a file, put right, made a procedure."""

import io
import re
from html import unescape
from uuid import uuid4

import docx
import odfdo
import pytest

from tests.core.handout.test_handouts import TEXTS
from tests.web.conftest import HTMX

TEXT = next(path for path in TEXTS if path.stem == "vacuum-tared-paper").read_text().partition("\n---\n")[0]


def as_docx(text):
    """The text as a word processor keeps it: a title, paragraphs, a list and a table."""
    document = docx.Document()
    title, *rest = [line for line in text.split("\n") if line.strip()]
    document.add_heading(title, 0)
    for line in rest:
        document.add_paragraph(line)
    table = document.add_table(rows=1, cols=2)
    table.rows[0].cells[0].text, table.rows[0].cells[1].text = "mass of paper", "______ g"
    out = io.BytesIO()
    document.save(out)
    return out.getvalue()


def as_odt(text):
    document = odfdo.Document("text")
    for line in text.split("\n"):
        document.body.append(odfdo.Paragraph(line))
    out = io.BytesIO()
    document.save(out)
    return out.getvalue()


def as_pdf(text):
    from weasyprint import HTML

    return HTML(string="".join(f"<p>{line}</p>" for line in text.split("\n"))).write_pdf()


def fields_of(page):
    """What the page of what was read would send as it stands."""
    page = page.replace("\n", " ")
    data = {"title": unescape(re.search(r'name="title" value="([^"]*)"', page)[1])}
    for name, value in re.findall(r'name="((?:name|amount|key)-\d+)" value="([^"]*)"', page):
        data[name] = unescape(value)
    for name in re.findall(r'<input type="checkbox" name="((?:keep|exact)-\d+)" value="yes" checked', page):
        data[name] = "yes"
    for name, options in re.findall(r'<select class="select" name="(kind-\d+)"(.*?)</select>', page):
        data[name] = re.search(r'value="([^"]*)" selected', options)[1]
    data["missing"] = re.findall(r'name="missing" value="([^"]*)" checked', page)
    return data


def proposed(ida, **sent):
    answer = ida.post("/procedures/handout/files", **sent)
    assert answer.status_code == 200, answer.text
    return answer.text


def made(ida, text, data):
    entry = uuid4()
    answer = ida.post("/procedures/handout/make/files", data=data | {"text": text, "entry": str(entry)})
    assert answer.status_code == 303, answer.text
    assert answer.headers["location"] == f"/procedures/{entry}"
    return ida.get(f"/procedures/{entry}/procedure.json").json()


def test_a_pasted_handout_becomes_a_procedure_with_the_tare_that_it_forgot(school, ida):
    page = proposed(ida, data={"text": TEXT})
    assert "What was read" in page and "copper(II) sulfate pentahydrate" in page
    assert page.count('class="handout-row') >= 12
    procedure = made(ida, TEXT, fields_of(page))
    assert procedure["title"] == "YIELD OF COPPER IODATE BY SUCTION"
    kinds = [step["kind"] for step in procedure["steps"]]
    assert "vacuum filter" in kinds and kinds[:2] == ["dissolve", "dissolve"]
    assert next(s for s in procedure["substances"] if s["name"] == "potassium iodate")["amount"] == "1.00 g"


def test_what_was_misread_is_put_right_and_what_is_unticked_goes(school, ida):
    page = proposed(ida, data={"text": TEXT})
    data = fields_of(page)
    number = next(n for n, value in data.items() if value == "potassium iodate").rpartition("-")[2]
    acetone = next(n for n, value in data.items() if value == "acetone").rpartition("-")[2]
    data |= {f"amount-{number}": "950 mg", f"exact-{number}": "yes", "title": "Copper iodate", "kind-3": "precipitate"}
    del data[f"keep-{acetone}"]
    procedure = made(ida, TEXT, data)
    iodate = next(s for s in procedure["substances"] if s["name"] == "potassium iodate")
    assert (iodate["amount"], iodate["exact"]) == ("0.950 g", True)
    assert procedure["title"] == "Copper iodate" and procedure["steps"][2]["kind"] == "precipitate"
    assert "acetone" not in [s["name"] for s in procedure["substances"]]


def test_an_amount_that_cannot_be_read_is_asked_where_it_stands_and_nothing_is_lost(school, ida):
    data = fields_of(proposed(ida, data={"text": TEXT}))
    number = next(n for n, value in data.items() if value == "potassium iodate").rpartition("-")[2]
    entry = uuid4()
    sent = data | {f"amount-{number}": "a spoon", "title": "Mine", "text": TEXT, "entry": str(entry), "kind-3": "words"}
    refused = ida.post("/procedures/handout/make/files", data=sent)
    assert refused.status_code == 422 and "is not an amount with a unit" in refused.text
    again = fields_of(refused.text)
    assert again[f"amount-{number}"] == "a spoon" and again["title"] == "Mine" and again["kind-3"] == "words"
    assert ida.get(f"/procedures/{entry}").status_code == 404


@pytest.mark.parametrize(
    ("name", "content"),
    [
        ("mine.docx", as_docx(TEXT)),
        ("mine.odt", as_odt(TEXT)),
        ("mine.pdf", as_pdf(TEXT)),
        ("mine.md", TEXT.encode()),
        ("mine.txt", TEXT.encode("cp1252")),
        ("mine.txt", TEXT.encode("utf-16")),
    ],
    ids=["docx", "odt", "pdf", "md", "cp1252", "utf-16"],
)
def test_the_same_handout_from_any_file(school, ida, name, content):
    page = proposed(ida, files={"file": (name, content)})
    data = fields_of(page)
    kinds = [value for key, value in data.items() if key.startswith("kind-")]
    assert kinds.count("vacuum filter") == 1 and kinds.count("weigh") == 2 and "suck dry" in kinds
    amounts = {value for key, value in data.items() if key.startswith("amount-")}
    assert {"0.500 g", "1.00 g", "10 mL", "25 mL"} <= amounts


@pytest.mark.parametrize(
    ("name", "content", "sentence"),
    [
        ("empty.docx", b"", "Paste the text"),
        ("broken.docx", b"PK\x03\x04 nothing", "cannot be read"),
        ("picture.pdf", b"%PDF-1.4 nothing", "cannot be read"),
        ("song.txt", b"La la la.", "Nothing in this text says what to do"),
        ("zeros.txt", b"a\x00b", "is no text"),
    ],
)
def test_a_file_that_is_no_handout_says_so(school, ida, name, content, sentence):
    answer = ida.post("/procedures/handout/files", files={"file": (name, content)}, data={"text": ""})
    assert answer.status_code == 422 and sentence in answer.text


def test_the_same_as_json(school, ida):
    found = ida.post("/api/handout", json={"text": TEXT}).json()
    assert [one["kind"] for one in found["steps"]] == [step["kind"] for step in found["procedure"]["steps"]]
    assert all(one["fate"] for one in found["sentences"])
    assert ida.post("/api/handout", json={"text": ""}).status_code == 422


def test_an_assistant_reads_but_makes_none(school):
    assistant = school.visitor(school.assistant)
    assert assistant.get("/procedures/handout").status_code == 200
    answer = assistant.post("/procedures/handout/files", data={"text": TEXT}, headers=HTMX)
    assert answer.status_code == 403
