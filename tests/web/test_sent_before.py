"""An entry's id that comes twice: the same words are written once, other words are never called written."""

import re
from uuid import uuid4

import pytest

from tests.web.conftest import HTMX


def words(answer):
    """Its text with plain spaces."""
    return answer.text.replace("\xa0", " ")


def history(client, url):
    return client.get(f"{url}/history").text


READS = [
    ("url", "T 41.0", "T 63.5", "lane T at 41.0 mm", "lane T at 63.5 mm"),
    ("run_url", "dish 3 32.514", "dish 3 32.518", "dish 3, empty, dry: 32.514", "dish 3, empty, dry: 32.518"),
]


@pytest.mark.parametrize(("page", "first", "second", "in_ink", "not_written"), READS)
def test_the_reading_line(school, page, first, second, in_ink, not_written):
    ida, url, entry = school.visitor(school.ida), getattr(school, page), str(uuid4())
    send = lambda text, **more: ida.post(f"{url}/read", data={"entry": entry, "text": text}, **more)  # noqa: E731
    assert send(first).status_code == 303
    assert send(first).status_code == 303, "the same once more is the same"
    said = send(second, headers=HTMX)
    assert said.status_code == 409 and in_ink in said.text and not_written in said.text
    plain = send(second)
    assert plain.status_code == 409 and in_ink in words(plain) and not_written in words(plain)
    assert not_written not in history(ida, url)
    # Without scripts the page carries the second as an entry of its own.
    fields = dict(re.findall(r'name="(\w+)" value="([^"]*)"', plain.text.partition("<form")[2]))
    assert fields["text"] == second and fields["entry"] != entry
    fields["csrf"] = ida.headers["X-CSRF-Token"]
    assert ida.post(f"{url}/read", data=fields).status_code == 303
    assert not_written in history(ida, url) and in_ink in history(ida, url)


def test_a_form_of_the_bench(school):
    ida, url, entry = school.visitor(school.ida), school.run_url, str(uuid4())
    form = {
        "entry": entry,
        "kind": "weighed",
        "container": "dish 3",
        "portion": "powder",
        "state": "dried",
        "way": "gross",
    }
    assert ida.post(f"{url}/entries", data=form | {"mass": "33.120"}).status_code == 303
    assert ida.post(f"{url}/entries", data=form | {"mass": "33.120"}).status_code == 303, "its drying round is the same"
    other = ida.post(f"{url}/entries", data=form | {"mass": "33.210"}, headers=HTMX)
    assert other.status_code == 409 and "33.120" in other.text and "33.210" in other.text
    assert "33.210" not in history(ida, url)


def test_the_json_interface_says_both_in_full(school):
    ida, entry = school.visitor(school.ida), str(uuid4())
    write = lambda words: ida.post(  # noqa: E731
        f"/api{school.run_url}/entries", json={"id": entry, "says": {"kind": "noted", "words": words}}
    )
    assert write("the cake cracked").json()["new"] is True
    assert write("the cake cracked").json()["new"] is False
    refused = write("the cake is smooth")
    assert refused.status_code == 409 and refused.headers["content-type"] == "application/problem+json"
    body = refused.json()
    assert body["written"]["says"]["words"] == "the cake cracked" and body["written"]["id"] == entry
    assert body["sent"]["says"]["words"] == "the cake is smooth"


def test_nobody_is_told_what_the_same_id_says_elsewhere(school):
    ida, otto, entry = school.visitor(school.ida), school.visitor(school.otto), str(uuid4())
    ida.post(f"{school.url}/read", data={"entry": entry, "text": "T 42.7"})
    bench = f"/benches/{school.otto.bench}/runs"
    otto.post(bench, data={"page": str(uuid4())})
    own = re.search(r"/runs/[0-9a-f-]{36}", otto.get(f"/benches/{school.otto.bench}").text)
    assert own is not None
    answer = otto.post(f"{own[0]}/read", data={"entry": entry, "text": "dish 3 32.514"})
    assert answer.status_code == 409 and "42.7" not in answer.text


def test_when_it_was_typed_is_in_history_report_and_record(school):
    ida, entry = school.visitor(school.ida), str(uuid4())
    typed = {"X-Typed-At": "1000000000000", "X-Device-Time": str(1000000000000 + 25 * 60_000)}
    ida.post(f"{school.url}/read", data={"entry": entry, "text": "T 41.0"}, headers=typed)
    shown = history(ida, school.url)
    assert "on a device, sent later" in shown and re.search(r"its clock was \d+ min slow", shown)
    assert "sent later" in ida.get(f"{school.url}/report").text
    record = next(e for e in ida.get(f"{school.url}/plate.json").json()["entries"] if e["id"] == entry)
    assert record["typed"]["clock_off"] < -60 and record["typed"]["at"] < record["at"]
