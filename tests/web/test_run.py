"""A run over HTTP: its forms, its refusals, its files, what goes out."""

import csv
import io
import json
import re
from dataclasses import replace
from types import SimpleNamespace
from uuid import uuid4

import pytest
from PIL import Image

from helvor.core.record.container import MadeUp, Tared
from helvor.core.techniques.registered import PAGE_KINDS
from helvor.notebook import classes, containers
from helvor.web import ink_first
from tests.notebook.people import procedure_in_use, type_in
from tests.web.conftest import HTMX, followed

GOOD = (
    "dish 32.514",
    "dish powder 35.520",
    "dish residue dried 34.518",
    "dish residue dried 34.517",
    "beaker + watch glass 61.204",
    "dish beads dried 33.506",
    "dish beads dried 33.506",
    "beaker + watch glass salt dried 62.214",
    "beaker + watch glass salt dried 62.213",
)


def send(client, school, **fields):
    headers = HTMX if fields.pop("htmx", True) else {}
    answer = client.post(f"{school.run_url}/entries", data={"entry": str(uuid4()), **fields}, headers=headers)
    return followed(client, answer)


def weighing(**changes):
    return {"kind": "weighed", "container": "dish", "state": "empty", "mass": "32.514", "step": "s1"} | changes


def test_a_weighing_comes_back_with_the_whole_work(school, ida):
    answer = send(ida, school, **weighing())
    assert answer.status_code == 200
    assert "32.514" in answer.text
    assert "known" in answer.text
    answer = send(ida, school, **weighing(state="as is", portion="powder", mass="35.520", step="s2"))
    assert "35.520" in answer.text
    assert "3.006" in answer.text


def test_a_plain_form_works_without_scripts(school, ida):
    answer = send(ida, school, htmx=False, **weighing())
    assert answer.status_code == 303
    assert ida.get(answer.headers["location"]).status_code == 200


def test_sent_again_it_is_written_once(school, ida):
    entry, before = str(uuid4()), school.run and school.entries()
    for _ in range(3):
        assert send(ida, school, **weighing(entry=entry)).status_code == 200
    assert school.entries() == before + 1
    other = send(ida, school, entry=entry, kind="noted", words="another thing under the same id")
    assert other.status_code == 409


BAD = [
    (weighing(mass="heavy"), "“heavy” is not a number"),
    (weighing(mass="-3"), "below zero"),
    (weighing(mass="nan"), "is not a number: enter what the display shows"),
    (weighing(mass="1e400"), "not a realistic size"),
    (weighing(mass="31 mm"), "not a known unit of mass"),
    (weighing(mass=""), "a mass in g"),
    (weighing(container=""), "Enter the container on the pan"),
    (weighing(state="as is", portion=""), "Enter what is in the container"),
    (weighing(state="sideways"), "Choose "),
    (weighing(container="a\x01b"), "cannot be printed"),
    (weighing(step="s99"), "not in this run"),
    ({"kind": "taken", "substance": "water", "amount": "much"}, "not an amount"),
    ({"kind": "taken", "substance": "water", "before": "3.2"}, "both masses"),
    ({"kind": "taken", "substance": "water", "amount": "3 mL", "bottle": "NONE"}, "No stock bottle"),
    ({"kind": "marked", "step": "s4", "how": "skipped"}, "Give a short reason"),
    ({"kind": "noted", "words": ""}, "Enter what you saw"),
    ({"kind": "timer-set", "minutes": "0"}, "Enter a value above 0."),
    ({"kind": "timer-stopped", "timer": str(uuid4())}, "not in this run"),
    ({"kind": "step-added", "step_kind": "chant"}, "Choose a kind of step"),
    ({"kind": "substance-added", "name": "x", "formula": "salt"}, "not a formula"),
    ({"kind": "late", "words": ""}, "Enter when"),
    ({"kind": "nonsense"}, "no such form"),
]


def test_bad_input_is_said_keeps_what_was_typed_and_writes_nothing(school, ida):
    before = school.run and school.entries()
    for fields, says in BAD:
        answer = send(ida, school, **fields)
        text = answer.text.replace("&#39;", "'")
        assert answer.status_code == 422, (fields, text[:300])
        assert says in text, (fields, text)
        if (typed := fields.get("mass")) and "\x01" not in fields["container"]:
            assert f'value="{typed}"' in text, fields
    assert school.entries() == before


def test_script_in_a_label_is_only_text(school, ida):
    send(ida, school, **weighing(container="<script>x</script>"))
    page = ida.get(school.run_url).text
    assert "<script>x" not in page
    assert "&lt;script&gt;x" in page


def test_the_reading_line_says_what_it_would_write(school, ida):
    type_in(school.conn, school.ida, school.run, "dish 32.514")
    ahead = ida.get(f"{school.run_url}/read", params={"text": "dish powder 35.520"}).text
    assert "net" in ahead
    assert "3.006" in ahead
    before = school.entries()
    line = {"text": "dish powder 35.520", "step": "s2", "entry": str(uuid4())}
    assert ida.post(f"{school.run_url}/read", data=line, headers=HTMX).status_code == 200
    assert school.entries() == before + 1
    bad = ida.post(f"{school.run_url}/read", data=line | {"text": "dish", "entry": str(uuid4())}, headers=HTMX)
    assert (bad.status_code, school.entries()) == (422, before + 1)


def test_the_balance_shows_the_net_before_it_is_written(school, ida):
    type_in(school.conn, school.ida, school.run, "dish 32.514")
    asked = {"container": "dish", "portion": "powder", "state": "as is", "mass": "35.520"}
    shown = ida.get(f"{school.run_url}/net", params=asked).text
    assert "3.006 ± 0.001" in shown
    assert "no tare yet" in ida.get(f"{school.run_url}/net", params=asked | {"container": "jar"}).text
    assert "is not a number" in ida.get(f"{school.run_url}/net", params=asked | {"mass": "x"}).text


def test_a_correction_strikes_through_with_its_reason(school, ida):
    first = type_in(school.conn, school.ida, school.run, "dish 32.541").entries[-1].id
    form = ida.get(f"{school.run_url}/edit/weighed", params={"key": str(first)}, headers=HTMX).text
    assert 'value="32.541"' in form
    without = send(ida, school, **weighing(strikes=str(first)))
    assert "Give a short reason: misread" in without.text
    assert send(ida, school, **weighing(strikes=str(first), reason="typed wrong")).status_code == 200
    history = ida.get(f"{school.run_url}/history").text
    assert "<s>dish, empty, dry: 32.541 g</s>" in history
    assert "typed wrong" in history


def test_every_view_of_every_step_opens(school, ida):
    type_in(school.conn, school.ida, school.run, *GOOD, "note fumes", "timer 20 oven")
    for view in ("step", "record", "notes", "nonsense"):
        for step in ("", "s1", "s8", "s99"):
            assert ida.get(school.run_url, params={"view": view, "step": step}).status_code == 200, (view, step)


def test_every_form_opens(school, ida):
    entry = type_in(school.conn, school.ida, school.run, "dish 32.514").entries[-1].id
    from helvor.web.run.shown import TITLES

    for kind in set(TITLES) - {"acknowledged"}:
        params = {"step": "s3", "key": str(entry)} if kind == "struck" else {"step": "s3"}
        for headers in ({}, HTMX):
            answer = ida.get(f"{school.run_url}/edit/{kind}", params=params, headers=headers)
            assert answer.status_code == 200, (kind, answer.text[:200])
    assert ida.get(f"{school.run_url}/edit/nonsense").status_code == 404


def test_the_record_goes_out_with_the_numbers_of_the_screen(school, ida):
    type_in(school.conn, school.ida, school.run, *GOOD)
    table = list(csv.DictReader(io.StringIO(ida.get(f"{school.run_url}/run.csv").text)))
    salt = next(row for row in table if row["portion"] == "salt")
    assert (salt["shown"], salt["rests_on"]) == ("1.009 ± 0.001 g", "dried")
    weighings = list(csv.DictReader(io.StringIO(ida.get(f"{school.run_url}/run.weighings.csv").text)))
    assert len(weighings) == len(GOOD)
    readings = list(csv.DictReader(io.StringIO(ida.get(f"{school.run_url}/run.readings.csv").text)))
    assert [row["value"] for row in readings] == [row["mass_g"] for row in weighings]
    record = json.loads(ida.get(f"{school.run_url}/run.json").text)
    assert record["results"]["closure"]["value"] == pytest.approx(3.004 / 3.006)
    assert [row["value"] for row in record["results"]["readings"]] == [float(row["value"]) for row in readings]
    assert len(record["entries"]) == len(GOOD) + 1
    svg = ida.get(f"{school.run_url}/run.svg")
    assert svg.headers["content-type"].startswith("image/svg")
    assert "camphor vapour" in svg.text
    assert ida.get(f"{school.run_url}/run.exe").status_code == 404


def test_a_picture_is_put_beside_a_step_and_seen_again(school, ida):
    out = io.BytesIO()
    Image.new("RGB", (800, 600), "white").save(out, "PNG")
    where = f"{school.run_url}/files"
    sent = {"entry": str(uuid4()), "step": "s3", "words": "frost on the glass"}
    for _ in range(2):
        answer = ida.post(where, data=sent, files={"file": ("cold <glass>.png", out.getvalue())})
        assert answer.status_code == 303
    page = ida.get(answer.headers["location"]).text
    assert page.count("frost on the glass") >= 1
    small = ida.get(f"{where}/{sent['entry']}?small=1")
    assert (small.status_code, small.headers["content-type"]) == (200, "image/jpeg")
    assert "sandbox" in small.headers["content-security-policy"]
    before = school.entries()
    bad = ida.post(where, data=sent | {"entry": str(uuid4())}, files={"file": ("a.svg", b"<svg/>")})
    assert (bad.status_code, school.entries()) == (422, before)
    assert 'id="trouble-file" role="alert">a.svg is not a JPEG' in bad.text
    assert 'value="frost on the glass"' in bad.text
    huge = ida.post(where, data=sent | {"entry": str(uuid4())}, files={"file": ("a.pdf", b"%PDF-" + b"0" * 10_000_000)})
    assert huge.status_code == 422 and "up to 8 MB" in huge.text
    huger = ida.post(
        where, data=sent | {"entry": str(uuid4())}, files={"file": ("a.pdf", b"%PDF-" + b"0" * 14_000_000)}
    )
    assert huger.status_code == 413


def test_a_file_that_could_run_is_saved_and_never_shown(school, ida):
    sent = {"entry": str(uuid4())}
    html = b"a,b\n<script>alert(1)</script>,2\n"
    assert ida.post(f"{school.run_url}/files", data=sent, files={"file": ("x.csv", html)}).status_code == 303
    kept = ida.get(f"{school.run_url}/files/{sent['entry']}")
    assert kept.headers["content-disposition"].startswith("attachment")
    assert kept.headers["x-content-type-options"] == "nosniff"


def test_a_corrected_handout_reaches_the_class(school, ida):
    words = {"entry": str(uuid4()), "step": "s3", "says": "Warm to 110 °C at most", "why": "it spat"}
    answer = ida.post(f"{school.run_url}/handout", data=words, headers=HTMX)
    assert answer.status_code == 200
    assert "Warm to 110" in followed(ida, answer).text
    assert ida.post(f"{school.run_url}/handout", data=words | {"says": ""}, headers=HTMX).status_code == 422


def test_a_blank_run_becomes_a_procedure(school, ida):
    page = str(uuid4())
    for _ in range(2):
        assert ida.post(f"/benches/{school.ida.bench}/runs", data={"page": page}).status_code == 303
    url = f"/runs/{page}"
    step = {"kind": "step-added", "step_kind": "weigh", "says": "Weigh the salt", "gives": "salt", "container": "dish"}
    for fields in (step, {"kind": "taken", "substance": "salt", "amount": "2.00 g"}):
        assert ida.post(f"{url}/entries", data={"entry": str(uuid4()), **fields}).status_code == 303
    kept = ida.post(f"{url}/keep", data={"entry": str(uuid4())})
    text = ida.get(kept.headers["location"]).text
    assert "Weigh the salt" in text
    assert "2.00" in text


def test_a_stock_bottle_and_a_registered_tare_are_used(school, ida):
    who = school.ida
    for label, kind, note in (
        ("soda", "bottle", MadeUp(substance="soda", formula="Na2CO3", mass="5.41 g", volume="100 mL")),
        ("dish", "dish", Tared(mass="32.514 g")),
    ):
        key = uuid4()
        containers.add(school.conn, who.account, who.class_id, key, label, kind)
        containers.note(school.conn, who.account, who.class_id, key, uuid4(), note)
    assert "Use 32.514 from the register" in ida.get(school.run_url).text
    taken = {"kind": "taken", "substance": "soda", "amount": "25.0 mL", "bottle": "SODA"}
    assert send(ida, school, **taken).status_code == 200
    record = json.loads(ida.get(f"{school.run_url}/run.json").text)
    assert record["entries"][-1]["says"]["bottle"]["molar"] == pytest.approx(5.41 / 105.988 / 0.1, rel=1e-4)


@pytest.mark.parametrize(
    ("glass", "typed", "counts"),
    [
        ("pipette 25 mL, class A", "", 0.03),
        ("pipette 25 mL, class A", "0.1", 0.1),
        ("pipette 25 mL", "", None),
        ("teacup", "", None),
    ],
)
def test_a_volume_counts_with_the_tolerance_of_its_glass(school, ida, glass, typed, counts):
    """Two classes of one pipette: which was used has to be said."""
    taken = {"kind": "taken", "substance": "water", "amount": "25.0 mL", "glass": glass, "tolerance": typed}
    assert send(ida, school, **taken).status_code == 200
    says = json.loads(ida.get(f"{school.run_url}/run.json").text)["entries"][-1]["says"]
    assert (says["tolerance"]["value"] if says["tolerance"] else None) == counts


def test_containers_are_registered_and_bad_ones_said(school, ida):
    url = f"/classes/{school.ida.class_id}/containers"
    new = {"entry": str(uuid4()), "what": "new", "label": "dish 3", "kind": "dish"}
    opened = ida.post(url, data=new)
    assert opened.status_code == 303
    note = {"entry": str(uuid4()), "what": "tared", "container": new["entry"], "mass": "heavy"}
    bad = ida.post(url, data=note)
    assert bad.status_code == 422
    assert "is not a number" in bad.text
    assert 'value="heavy"' in bad.text
    assert ida.post(url, data=note | {"mass": "31.062"}).status_code == 303
    assert "31.062" in ida.get(opened.headers["location"]).text
    assert "already" in ida.post(url, data=new | {"entry": str(uuid4())}).text


def test_the_board_shows_the_work_that_was_asked_for(school, ida):
    procedure_in_use(school.conn, school.ida)
    type_in(school.conn, school.ida, school.run, "dish 32.514", "done 1")
    board = f"/classes/{school.ida.class_id}"
    assert "A mixed powder" in ida.get(board).text
    assert "Cut and rule" in ida.get(board, params={"work": "Plates"}).text
    assert len(classes.benches_of(school.conn, school.ida.class_id)) == 2


def test_other_kit_stands_beside_what_the_handout_asks_for(school, ida):
    """Said again it takes the place of the first; both stay in the history."""
    for instead in ("sand bath", "water bath"):
        used = {"kind": "used-instead", "kit": "hotplate", "instead": instead, "step": "s3"}
        assert send(ida, school, **used).status_code == 200
    assert "<s>hotplate</s> <b>water bath</b>" in ida.get(f"{school.run_url}?step=s3").text
    assert "used sand bath instead of hotplate" in ida.get(f"{school.run_url}/history").text


def test_the_answer_says_that_it_is_in_ink_and_where_the_page_is(school, ida):
    line = {"entry": str(uuid4()), "text": "dish empty 32.514", "step": "s2", "view": "step"}
    answer = ida.post(f"{school.run_url}/read", data=line, headers=HTMX)
    assert answer.headers["HX-Reswap"] == "none"
    events = json.loads(answer.headers["HX-Trigger"])
    assert events["helvor:inked"] == {
        "address": f"{school.run_url}?view=step&step=s2",
        "said": "Saved: dish, empty, dry: 32.514 g.",
    }
    assert 'hx-swap-oob="afterbegin:#last-readings"' in answer.text
    assert "32.514" in answer.text and "delete:" not in answer.text
    again = ida.post(f"{school.run_url}/read", data=line, headers=HTMX)
    assert "no duplicate was made" in again.headers["HX-Trigger"]
    assert again.text.strip() == ""
    fields = weighing(mass="32.541", strikes=line["entry"], reason="misread") | {"entry": str(uuid4())}
    corrected = ida.post(f"{school.run_url}/entries", data=fields, headers=HTMX)
    assert f'hx-swap-oob="delete:#r-{line["entry"]}"' in corrected.text
    assert f'id="r-{line["entry"]}"' in corrected.text and "32.541" in corrected.text
    done = ida.post(
        f"{school.run_url}/read", data={"entry": str(uuid4()), "text": "done 1", "step": "s1"}, headers=HTMX
    )
    assert json.loads(done.headers["HX-Trigger"])["helvor:inked"]["address"] == school.run_url


def test_a_fault_of_ours_never_stands_between_a_reading_and_its_ink(school, ida, monkeypatch, caplog):
    def breaks(*_):
        raise ZeroDivisionError

    before = school.run and school.entries()
    with monkeypatch.context() as broken:
        broken.setitem(PAGE_KINDS, "run", replace(PAGE_KINDS["run"], work_out=breaks))
        line = {"entry": str(uuid4()), "text": "dish 32.514"}
        assert ida.post(f"{school.run_url}/read", data=line, headers=HTMX).status_code == 200
        page = ida.get(school.run_url)
        assert page.status_code == 500
        assert "safe" in page.text and f'href="{school.run_url}/history"' in page.text
        assert "ZeroDivisionError" in caplog.text
        history = ida.get(f"{school.run_url}/history").text
        assert "32.514" in history
        assert f"{school.run_url}/edit/struck?key={line['entry']}" in history
        assert history.count("Strike out<") == 1, "not what is followed"
        form = ida.get(f"{school.run_url}/edit/struck", params={"key": line["entry"]})
        assert form.status_code == 200
        taken_back = {"kind": "struck", "strikes": line["entry"], "reason": "misread", "entry": str(uuid4())}
        assert ida.post(f"{school.run_url}/entries", data=taken_back).status_code == 303
    assert ida.get(school.run_url).status_code == 200
    assert school.entries() == before + 2
    assert school.conn.execute("SELECT count(*) FROM page WHERE behind").fetchone()[0] <= 1


def test_a_page_left_behind_is_kept_up_by_whoever_looks_at_it(school, ida):
    key = school.run_url.rsplit("/", 1)[1]
    school.conn.execute('UPDATE page SET behind = true, summary = summary || \'{"what": "old"}\' WHERE id = %s', [key])
    said = "SELECT behind, summary ->> 'what' FROM page WHERE id = %s"
    ida.get(school.run_url)
    assert school.conn.execute(said, [key]).fetchone() == (True, "old"), "whoever just wrote is about to"
    later = ink_first.datetime.now(ink_first.UTC) + 2 * ink_first.LONG_BEHIND
    with pytest.MonkeyPatch.context() as patched:
        patched.setattr(ink_first, "datetime", SimpleNamespace(now=lambda _: later))
        ida.get(school.run_url)
    assert school.conn.execute(said, [key]).fetchone()[0] is False


@pytest.mark.parametrize("address", ["url", "run_url"])
def test_what_history_offers_to_take_back_has_a_form(school, ida, address):
    page = getattr(school, address)
    for text in ("dish 32.514", "take zinc 0.83 g", "done 1", "note clear", "timer 20 oven") * (address == "run_url"):
        ida.post(f"{page}/read", data={"entry": str(uuid4()), "text": text})
    offered = re.findall(rf'href="({page}/edit/struck\?key=[^"]+)"', ida.get(f"{page}/history").text)
    assert len(offered) >= 3
    for link in offered:
        form = ida.get(link)
        assert form.status_code == 200, link
        assert 'value="struck"' in form.text


def test_a_portion_that_no_step_gives_is_asked_about_and_new_only_on_purpose(school, ida):
    before = school.run and school.entries()
    fields = {"kind": "weighed", "container": "dish", "portion": "mixture", "state": "as is", "mass": "54.964"}
    refused = send(ida, school, **fields)
    assert refused.status_code == 422
    assert "No step produces “mixture”" in refused.text and 'name="new_portion"' in refused.text
    assert 'value="mixture"' in refused.text and 'value="54.964"' in refused.text
    typed = {"entry": str(uuid4()), "text": "dish mixture 54.964"}
    line = ida.post(f"{school.run_url}/read", data=typed, headers=HTMX)
    assert line.status_code == 422 and 'data-complete="dish powder 54.964"' in line.text
    ahead = ida.get(f"{school.run_url}/read", params={"text": "papr 0.955"}).text
    assert "is no container here" in ahead and 'data-complete="paper 0.955"' in ahead
    assert school.entries() == before
    assert send(ida, school, **fields, new_portion="yes").status_code == 200
    assert ida.post(f"{school.run_url}/read", data=typed | {"text": "dish powder 54.964"}).status_code == 303
