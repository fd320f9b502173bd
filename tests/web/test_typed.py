"""Typed lines through the doors: several at once, answers, undo, codes of vessels, and readings put right."""

import re
from uuid import uuid4

import pytest

from tests.web.conftest import HTMX, followed
from tests.web.test_joining import join, open_code


@pytest.fixture
def ida(school):
    return school.visitor(school.ida)


def typed(client, url, text, **more):
    fields = {"entry": str(uuid4()), "text": text} | more
    return client.post(f"{url}/read", data=fields, headers=HTMX)


def ahead(client, url, text):
    return client.get(f"{url}/read", params={"text": text}, headers=HTMX).text


def history(client, url):
    return client.get(f"{url}/history").text


def test_several_readings_of_a_line_are_written_once_however_often_they_are_sent(school, ida):
    entry = str(uuid4())
    line = {"entry": entry, "text": "dish 3 32.514, dish 4 31.2; timer 20 oven"}
    answer = ida.post(f"{school.run_url}/read", data=line, headers=HTMX)
    assert answer.status_code == 200
    for said in ("dish 3, empty, dry: 32.514", "dish 4, empty, dry: 31.2", "timer of 20 min"):
        assert said in answer.headers["HX-Trigger"]
    assert answer.text.count("afterbegin:#last-readings") == 2, "a timer is no reading"
    again = ida.post(f"{school.run_url}/read", data=line, headers=HTMX)
    assert "no duplicate was made" in again.headers["HX-Trigger"]
    assert history(ida, school.run_url).count("dish 4, empty, dry") == 1


def test_none_of_a_line_is_written_where_one_reading_is_asked_about(school, ida):
    before = history(ida, school.run_url)
    answer = typed(ida, school.run_url, "dish 3 32.514, papr 0.955")
    assert answer.status_code == 422 and "dish 3 32.514, paper 0.955" in answer.text
    assert history(ida, school.run_url).count("<tr>") == before.count("<tr>")


def test_undo_takes_the_last_thing_back_and_a_correction_stands_again(school, ida):
    url = school.run_url
    typed(ida, url, "dish 3 32.514")
    typed(ida, url, "correct dish 3 32.516")
    assert "*" not in ahead(ida, url, "undo") and "stands again" in ahead(ida, url, "undo")
    typed(ida, url, "undo")
    page = history(ida, url)
    assert "undone at once" in page and page.count("<s>dish 3, empty, dry: 32.516 g</s>") == 1
    typed(ida, url, "strike dish 3 misread")
    assert "struck out" in history(ida, url)


@pytest.mark.parametrize(
    ("line", "shown"),
    [
        ("take EtOAc 20 mL", "of EtOAc"),
        ("take dichloromethane 20 mL", "dichloromethane"),
        ("take benzoic acid 18.0 mmol", "18.0 mmol are 2.20 g"),
        ("sodium chloride 1.02 g", "take sodium chloride 1.02g"),
        ("take grue 1.2 g", "take new grue 1.2g"),
        ("papr 0.955", 'data-complete="paper 0.955"'),
    ],
)
def test_the_shelf_knows_names(school, ida, line, shown):
    assert shown in ahead(ida, school.run_url, line)


def registered(school, ida, label, bench=""):
    """A container of the class's register with its printed code."""
    url = f"/classes/{school.ida.class_id}/containers"
    key = str(uuid4())
    ida.post(url, data={"entry": key, "what": "new", "label": label, "kind": "dish"})
    ida.post(url, data={"entry": str(uuid4()), "what": "tared", "container": key, "mass": "31.204"})
    if bench:
        fields = {"entry": str(uuid4()), "what": "filled", "container": key, "content": "silica", "bench": bench}
        ida.post(url, data=fields)
    code = school.conn.execute("SELECT code FROM container WHERE id = %s", [key]).fetchone()[0]
    return code, f"{url}?code={code}"


def test_a_code_is_the_vessel_it_is_printed_on(school, ida):
    code, address = registered(school, ida, "dish 7")
    assert "dish 7, empty, dry" in ahead(ida, school.run_url, f"{code} 31.205")
    assert "dish 7, empty, dry" in ahead(ida, school.run_url, f"http://lab.example{address} 31.205")
    assert "new K9K9 31.205" in ahead(ida, school.run_url, "K9K9 31.205")
    assert "no container of this class" in ahead(ida, school.run_url, "http://lab.example/x?code=ZZZZ 31.205")


def test_another_bench_s_vessel_is_said_before_anything_is_written(school, ida):
    code, address = registered(school, ida, "dish 9", bench="2")
    tablet, _ = join(school, open_code(school))
    page = tablet.get(address)
    assert page.status_code == 200 and "belongs to bench 2" in page.text and "Weigh it now" not in page.text
    refused = typed(ida, school.run_url, f"{code} silica 33.1")
    assert refused.status_code == 422 and "dish 9 of bench 2" in refused.text


def test_a_printed_code_opens_the_vessel_for_a_joined_bench(school, ida):
    assert school.run
    _, address = registered(school, ida, "dish 7")
    tablet, _ = join(school, open_code(school))
    page = tablet.get(address)
    assert "31.204" in page.text and "Weigh it now" in page.text
    assert tablet.get(address.partition("=")[0] + "=QQQQ").status_code == 404
    assert tablet.get(f"/classes/{uuid4()}/containers?code=QQQQ").status_code == 404
    line = page.text.partition('button main tall" href="')[2].partition('"')[0].replace("&amp;", "&")
    assert 'value="dish 7 "' in tablet.get(line).text
    assert school.visitor(school.otto).get(address).status_code == 404


def test_a_plate_takes_notes_and_strikes_by_typing(school, ida):
    typed(ida, school.url, "note the front was slanted")
    assert "the front was slanted" in ida.get(school.url).text
    typed(ida, school.url, "T 41.0, T 12")
    answer = typed(ida, school.url, "strike T2")
    assert answer.status_code == 422 and "strike T2 misread" in answer.text
    assert "T2" not in followed(ida, typed(ida, school.url, "strike T2 a speck")).text.partition("ledger")[2]
    assert "struck out by" in history(ida, school.url)


def test_every_reading_of_the_history_can_be_corrected(school, ida):
    typed(ida, school.run_url, "dish 3 32.514")
    page = history(ida, school.run_url)
    link = page.partition("/edit/weighed?key=")[2].partition('"')[0]
    form = ida.get(f"{school.run_url}/edit/weighed?key={link}")
    assert form.status_code == 200 and 'value="32.514"' in form.text.replace("32.514 g", "32.514")
    record = ida.get(f"{school.run_url}?view=record").text
    assert "Every reading, to correct or strike out" in record and "/edit/weighed?key=" in record


def test_a_house_adds_its_own_words(school, ida):
    page = ida.post("/house-rules", data={"own-words": "dish = Schälchen, bowl\nempty = bare"})
    assert page.status_code == 303
    assert "dish 3, empty, dry" in ahead(ida, school.run_url, "Schälchen 3 bare 32.514")
    assert "Schälchen, bowl" in ida.get("/house-rules").text
    typed(ida, school.run_url, "bowl 3 32.514")
    assert "dish 3, empty, dry: 32.514" in history(ida, school.run_url)
    ida.post("/house-rules", data={"own-words": "spot = blob"})
    assert "new spot" in ahead(ida, school.url, "blob 41 T")


def test_own_words_that_cannot_be_read_keep_what_was_typed(school, ida):
    page = ida.post("/house-rules", data={"own-words": "retort = alembic", "pouring": "swirl"})
    assert page.status_code == 422 and "is no word of quick entry" in page.text
    assert "retort = alembic" in page.text and 'value="swirl" checked' in page.text


def test_the_words_of_a_note_stay_as_they_were_typed(school, ida):
    typed(ida, school.run_url, "Note: pH=7 after 5 ml, 3 × − solvent front dry")
    assert "noted: pH=7 after 5 ml, 3 × − solvent front dry" in history(ida, school.run_url)


def test_a_plate_whose_set_up_is_taken_back_begins_anew(school, ida):
    key = history(ida, school.url).partition("edit/set-up?key=")[2].partition('"')[0]
    fields = {"entry": str(uuid4()), "kind": "struck", "strikes": key, "reason": "misread"}
    answer = ida.post(f"{school.url}/entries", data=fields, headers=HTMX)
    assert answer.status_code == 200 and answer.headers["HX-Redirect"] == school.url
    assert ida.get(school.url).status_code == 200


def weighing(client, url, **more):
    fields = {"kind": "weighed", "container": "dish 3", "state": "empty", "way": "gross", "mass": "32.514"}
    return client.post(f"{url}/entries", data={"entry": str(uuid4())} | fields | more, headers=HTMX)


@pytest.mark.parametrize(
    ("more", "question", "slip"),
    [
        ({"mass": "32514"}, "where is the decimal point", ""),
        ({"mass": "33.9"}, "is something in it now", ""),
        ({"portion": "new", "new_portion": "yes", "state": "as is", "mass": "23.541"}, "less than dish 3", "32.541"),
    ],
)
def test_a_form_asks_about_a_slip_before_it_writes(school, ida, more, question, slip):
    weighing(ida, school.run_url)
    before = history(ida, school.run_url)
    asked = weighing(ida, school.run_url, **more)
    assert asked.status_code == 422 and question in asked.text and "the mass is right" in asked.text
    assert slip in asked.text and f'value="{more["mass"]}"' in asked.text
    assert history(ida, school.run_url) == before
    assert weighing(ida, school.run_url, **more, sure="yes").status_code < 400
    assert history(ida, school.run_url) != before


def test_two_dryings_are_put_right_together_and_written_once(school, ida):
    for line in ("dish 3 32.514", "dish 3 new salt dried 1 33.981", "dish 3 salt dried 2 33.980"):
        assert typed(ida, school.run_url, line).status_code == 200
    panel = ida.get(correcting(ida, school.run_url, "33.980")).text
    assert "Correct dried 1 too" in panel and "now 33.981 g" in panel
    fields = dict(
        re.findall(r'name="(entry|strikes|also_[0-9a-f-]+|round|step|csrf)"[^>]*?value="([^"]*)"', panel, re.S)
    )
    [also] = [name for name in fields if name.startswith("also_")]
    sent = fields | {"kind": "weighed", "container": "dish 3", "portion": "salt", "state": "dried", "way": "gross"}
    sent |= {"mass": "33.890", "reason": "digits exchanged", also: "a lot"}
    refused = ida.post(f"{school.run_url}/entries", data=sent, headers=HTMX)
    assert refused.status_code == 422 and "is not a number" in refused.text and 'value="a lot"' in refused.text
    assert "33.890" not in history(ida, school.run_url)
    for _ in range(2):
        assert ida.post(f"{school.run_url}/entries", data=sent | {also: "33.891"}, headers=HTMX).status_code == 200
    page = history(ida, school.run_url)
    assert page.count("<s>dish 3 with salt, dried") == 2
    assert page.count("dried 1: 33.891 g") == 1 and page.count("dried 2: 33.890 g") == 1


def correcting(client, url, mass):
    """The address of the form that corrects a reading, from the page's history."""
    row = next(part for part in history(client, url).split("<tr>") if mass in part and "edit/weighed" in part)
    return re.search(r'href="([^"]*edit/weighed[^"]*)"', row)[1].replace("&amp;", "&")


def test_what_a_device_kept_is_not_asked_for_a_slip(school, ida):
    weighing(ida, school.run_url)
    fields = {"entry": str(uuid4()), "kind": "weighed", "container": "dish 3", "portion": "salt", "state": "as is"}
    fields |= {"way": "gross", "mass": "23.541"}
    headers = HTMX | {"X-Typed-At": "1000", "X-Device-Time": "61000"}
    assert ida.post(f"{school.run_url}/entries", data=fields, headers=headers).status_code == 200
    assert "23.541" in history(ida, school.run_url)
