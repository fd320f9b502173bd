"""Reports to read and on paper: the same numbers, nothing fetched, and nothing of what may not be seen."""

import io
import re
import time
from uuid import uuid4
from xml.etree import ElementTree

import pytest
from PIL import Image
from pypdf import PdfReader

from helvor.exchange.pdf import NotOurs, pdf
from helvor.notebook import procedures, report_jobs
from helvor.web.drawings import find_drawing, standalone
from helvor.web.rendering import STATIC
from tests.notebook.people import type_in
from tests.web.test_crystals import CRYSTALS
from tests.web.test_review import answer, chalk_of, class_of_two, tablet_of


def words_in(markup):
    """The words of a page's text, in their order, without what only the screen has."""
    body = re.sub(r"<(style|script|nav|title|head|svg)\b.*?</\1>", " ", markup, flags=re.S)
    text = re.sub(r"<[^>]+>", " ", body)
    for sign, plain in (("&#34;", '"'), ("&#39;", "'"), ("&amp;", "&"), ("&lt;", "<"), ("&gt;", ">"), ("\xa0", " ")):
        text = text.replace(sign, plain)
    return text.split()


def text_of(content):
    return " ".join(page.extract_text() for page in PdfReader(io.BytesIO(content)).pages)


def squeezed(text):
    return re.sub(r"\s+", "", text)


def test_what_is_printed_is_what_is_shown(school, ida):
    """Every word of the report's page is in the PDF's text, numbers digit by digit."""
    page = chalk_of(school)
    answer(ida, page, "yield chalk", "75.69")
    shown = ida.get(f"/runs/{page}/report").text
    assert "100.3" in shown or "100.26" in shown
    printed = ida.get(f"/runs/{page}/report.pdf")
    assert printed.headers["content-type"] == "application/pdf" and printed.content[:5] == b"%PDF-"
    text = squeezed(text_of(printed.content))
    # Where a line is broken a word may be parted by a stroke; numbers never are.
    missing = [w for w in words_in(shown) if squeezed(w) not in text and squeezed(w) not in text.replace("-", "")]
    assert not [w for w in missing if re.search(r"\d", w)], missing
    assert len(missing) < 5, missing


@pytest.mark.parametrize(("paper", "size"), [("A4", (595.3, 841.9)), ("Letter", (612, 792))])
def test_it_is_tagged_and_on_the_paper_that_was_asked_for(school, ida, paper, size):
    page = chalk_of(school)
    reader = PdfReader(io.BytesIO(ida.get(f"/runs/{page}/report.pdf?paper={paper}").content))
    assert (float(reader.pages[0].mediabox.width), float(reader.pages[0].mediabox.height)) == pytest.approx(size, abs=1)
    root = reader.trailer["/Root"]
    assert root["/MarkInfo"]["/Marked"] and "/StructTreeRoot" in root and root["/Lang"] == "en"
    assert "Chalk from two solutions" in reader.metadata.title
    assert "Hyperlegible" in str({font["/BaseFont"] for font in reader.pages[0]["/Resources"]["/Font"].values()})
    assert ida.get(f"/runs/{page}/report.pdf?paper=napkin").status_code == 422


def test_corrections_stand_struck_through_with_their_reason(school, ida):
    type_in(school.conn, school.ida, school.run, "note magenta")
    entry = school.conn.execute("SELECT id FROM entry WHERE kind = 'noted'").fetchone()[0]
    form = {"kind": "noted", "words": "ochre", "strikes": str(entry), "reason": "misread", "entry": str(uuid4())}
    assert ida.post(f"{school.run_url}/entries", data=form).status_code == 303
    shown = ida.get(f"{school.run_url}/report").text
    assert "<s>noted: magenta</s> struck out by Ida Frost: misread" in shown and "noted: ochre" in shown


def test_a_plate_has_a_report_too(school, ida):
    for text in ("T 40", "T 20"):
        ida.post(f"{school.url}/read", data={"text": text, "entry": str(uuid4())})
    shown = ida.get(f"{school.url}/report").text
    assert "0.50" in shown and "<svg" in shown and "<style" not in shown  # the page's policy allows none
    assert "0.50" in text_of(ida.get(f"{school.url}/report.pdf").content)


def test_a_bench_reads_its_own_report_and_not_what_it_may_not_see(school, ida):
    page = chalk_of(school)
    answer(ida, page, "yield chalk", "75.69")
    tablet = tablet_of(school)
    shown = tablet.get(f"/runs/{page}/report").text
    assert "75.69" in shown and "hydrate water" not in shown and "not right" not in shown
    assert "water of hydration ignored" in ida.get(f"/runs/{page}/report").text
    assert tablet.get(f"/classes/{school.ida.class_id}/report").status_code == 404


def wait_for(client, address):
    for _ in range(200):
        text = client.get(address, headers={"HX-Request": "true"}).text
        if "Report ready" in text or "alert" in text:
            return text
        time.sleep(0.1)
    raise AssertionError("never ready")


def test_a_classes_report_is_made_beside_the_pages_with_its_progress(school, ida):
    class_of_two(school)
    address = f"/classes/{school.ida.class_id}/report"
    assert "Acetanilide made clean" in ida.get(address).text
    form = {"work": "Acetanilide made clean", "paper": "A4", "entry": str(uuid4())}
    begun = [ida.post(address, data=form).headers["location"] for _ in range(2)]  # sent twice
    assert begun[0] == begun[1] == f"{address}/{form['entry']}"
    assert "Printed report" in ida.get(begun[0]).text
    assert "A summary and 2 benches" in wait_for(ida, begun[0])
    content = ida.get(f"{begun[0]}/report.pdf").content
    text = squeezed(text_of(content))
    assert "84.5" in text and "Bench1" in text and "Bench2" in text
    assert len(PdfReader(io.BytesIO(content)).pages) >= 3
    # Nobody else's.
    assert school.visitor(school.otto).get(f"{begun[0]}/report.pdf").status_code == 404
    assert ida.get(f"{address}/{uuid4()}").status_code == 404
    assert CRYSTALS


def test_a_report_whose_process_died_says_so(school, ida):
    key = uuid4()
    report_jobs.begin(school.conn, school.ida.account, school.ida.class_id, key, 3)
    school.conn.execute("UPDATE report_job SET told_at = now() - interval '5 minutes'")
    assert "stopped half-way" in ida.get(f"/classes/{school.ida.class_id}/report/{key}").text


def test_the_handout_has_blanks_and_questions(school, ida):
    shown = ida.get(f"/procedures/{school.procedure}/handout").text
    assert "dish, g" in shown and 'class="blank' in shown and "After the lab" in shown
    text = text_of(ida.get(f"/procedures/{school.procedure}/handout.pdf").content)
    assert "A mixed powder" in text and "What is the mass balance" in " ".join(text.split())


def test_the_prep_sheet_goes_onto_paper(school, ida):
    address = f"/classes/{school.ida.class_id}/prep/sheet"
    refused = ida.get(address)
    assert refused.status_code == 422 and "no procedure yet" in refused.text
    assert procedures.procedures_of(school.conn, school.ida.account) == []
    assert school.run
    shown = ida.get(address).text
    assert "Preparation list" in shown
    assert "balance" in text_of(ida.get(f"{address}.pdf").content)


def test_a_report_fetches_nothing_from_outside():
    for address in ("https://example.org/x.css", "file:///etc/passwd", "https://helvor.invalid/../app.py", "ftp://x/y"):
        markup = f'<html lang="en"><head><title>x</title><link rel="stylesheet" href="{address}"></head><body>x</body></html>'
        with pytest.raises(NotOurs, match="does not fetch"):
            pdf([markup], "A4", STATIC)


def test_after_a_report_a_picture_that_is_cut_short_is_still_refused():
    """The library for paper lets Pillow take broken pictures, for the whole process, if nobody takes that back."""
    pdf(['<html lang="en"><head><title>x</title></head><body>x</body></html>'], "A4", STATIC)
    whole = io.BytesIO()
    Image.effect_noise((300, 300), 60).save(whole, "PNG")
    with pytest.raises(OSError, match="truncated"):
        Image.open(io.BytesIO(whole.getvalue()[:4000])).load()


# ── drawings ────────────────────────────────────────────────────────────────────────────────────


def test_any_drawing_of_a_page_is_had_alone(school, ida):
    class_of_two(school)
    address = f"/classes/{school.ida.class_id}/results"
    answered = ida.get(f"{address}?svg=review")
    assert answered.headers["content-type"].startswith("image/svg+xml")
    root = ElementTree.fromstring(answered.text)
    assert root.tag == "{http://www.w3.org/2000/svg}svg" and root.get("width")
    assert "var(" not in answered.text and "<a" not in answered.text and ".dot{" in answered.text
    assert "#0b6e78" in answered.text.casefold()  # the colour itself, not its name
    assert ida.get(f"{address}?svg=nothing").status_code == 404
    assert school.visitor(school.otto).get(f"{address}?svg=review").status_code == 404
    assert ElementTree.fromstring(ida.get(f"{address}?svg=losses").text).tag.endswith("svg")


@pytest.mark.parametrize("view", ["record", "step"])
def test_a_runs_drawings_are_well_formed(school, ida, view):
    page = chalk_of(school)
    markup = ida.get(f"/runs/{page}?view={view}").text
    names = {match.split()[0] for match in re.findall(r'<svg\b[^>]*class="([^"]+)"', markup)} - {"kind"}
    assert names
    for name in names:
        ElementTree.fromstring(ida.get(f"/runs/{page}?view={view}&svg={name}").text)


def test_a_drawing_in_a_drawing_is_taken_whole():
    markup = '<p><svg class="a"><svg class="b"><path/></svg></svg><svg class="c"/></p>'
    assert find_drawing(markup, "a") == '<svg class="a"><svg class="b"><path/></svg></svg>'
    assert find_drawing(markup, "z") is None
    assert standalone('<svg viewBox="0 0 10 20"><a href="/x"><path d=""/></a></svg>').count('width="10"') == 1
