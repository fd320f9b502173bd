"""What a device keeps: nothing that was typed leaves it before it is in ink, or somebody discards it."""

import json

import pytest
from playwright.sync_api import expect

from tests.browser.conftest import violations

OURS = {"X-Helvor": "1", "HX-Retarget": "#said", "HX-Reswap": "innerHTML"}
"""As every refusal of ours is headed."""


def typed(page, *readings):
    for reading in readings:
        page.locator("#read").fill(reading)
        page.keyboard.press("Enter")
        expect(page.locator("#read")).to_have_value("")


def answering(page, status, body="", headers=None):
    """Every write is answered so, until the routes are taken back."""

    def answer(route):
        if route.request.method == "POST":
            route.fulfill(status=status, body=body, headers={"Content-Type": "text/html", **(headers or {})})
        else:
            route.continue_()

    page.route("**/plates/**", answer)


@pytest.mark.parametrize(
    ("status", "headers", "more"),
    [
        (500, OURS, 1.1),
        (503, OURS, 2.2),
        (429, OURS, 3.3),
        (502, {}, 4.4),
        # A network that asks for a sign-in of its own says 200 to everything.
        (200, {}, 5.5),
    ],
)
def test_whatever_is_answered_readings_stay_until_they_are_written(plate, status, headers, more):
    page = plate(8)
    answering(page, status, "<p>Something else.</p>", headers)
    typed(page, f"P 3{more}", f"C 1{more}", f"T 2{more}", f"T 4{more}")
    kept = page.locator("#offline")
    expect(kept).to_contain_text("4 readings are waiting on this device")
    page.reload()
    expect(kept).to_contain_text("4 readings are waiting on this device")
    page.unroute_all()
    page.evaluate("window.dispatchEvent(new Event('online'))")
    expect(kept).to_be_hidden()
    page.goto(page.url.partition("?")[0] + "/history")
    for words in (f"lane P at 3{more}", f"lane C at 1{more}", f"lane T at 2{more}", f"lane T at 4{more}"):
        expect(page.locator("td", has_text=words)).to_have_count(1)


def test_what_is_refused_is_listed_changed_sent_or_discarded(plate):
    page = plate(7)
    answering(page, 502)
    typed(page, "T 31.0", "T 32.0")
    page.unroute_all()
    answering(page, 422, '<p class="trouble">The front is not marked yet.</p>', OURS)
    page.evaluate("window.dispatchEvent(new Event('online'))")
    kept = page.locator("#offline")
    expect(kept).to_contain_text("2 readings were not accepted and are kept")
    page.reload()
    expect(kept).to_contain_text("“T 31.0”")
    expect(kept).to_contain_text("Not saved: The front is not marked yet.")
    assert violations(page) == []
    page.unroute_all()
    first = kept.locator("li", has_text="T 31.0")
    first.get_by_role("button", name="Change").click()
    first.get_by_label("What was typed").fill("T 33.0")
    first.get_by_role("button", name="Send changed").click()
    expect(kept).not_to_contain_text("T 31.0")
    page.once("dialog", lambda dialog: dialog.accept())
    kept.locator("li", has_text="T 32.0").get_by_role("button", name="Discard").click()
    expect(kept).to_be_hidden()
    page.goto(page.url.partition("?")[0] + "/history")
    expect(page.locator("td", has_text="lane T at 33.0 mm")).to_have_count(1)
    expect(page.locator("td", has_text="lane T at 32.0 mm")).to_have_count(0)


def test_what_somebody_else_typed_is_neither_shown_nor_sent(plate):
    page = plate(9)
    item = {
        "id": "5d0c4f0e-0000-4000-8000-000000000001",
        "url": page.url,
        "account": "999999",
        "typed": 1,
        "tries": 0,
        "next": 0,
        "state": "waiting",
        "said": "",
        "page": "",
        "body": "text=T+44.4&entry=5d0c4f0e-0000-4000-8000-000000000001",
    }
    page.evaluate("item => localStorage.setItem('helvor-outbox', JSON.stringify([item]))", item)
    page.reload()
    kept = page.locator("#offline")
    expect(kept).to_contain_text("1 of another person waits here until they sign in")
    expect(kept).not_to_contain_text("44.4")
    page.wait_for_timeout(1500)
    assert json.loads(page.evaluate("localStorage.getItem('helvor-outbox')"))[0]["tries"] == 0


def test_what_was_typed_without_a_connection_says_when(plate):
    page = plate(6)
    answering(page, 502)
    typed(page, "T 21.5")
    items = json.loads(page.evaluate("localStorage.getItem('helvor-outbox')"))
    items[0]["typed"] -= 20 * 60_000
    page.evaluate("items => localStorage.setItem('helvor-outbox', JSON.stringify(items))", items)
    page.unroute_all()
    page.evaluate("window.dispatchEvent(new Event('online'))")
    expect(page.locator("#offline")).to_be_hidden()
    page.goto(page.url.partition("?")[0] + "/history")
    expect(page.locator("tr", has_text="lane T at 21.5 mm")).to_contain_text("on a device, sent later")


def test_one_id_with_other_words_says_both_and_writes_the_second_as_well(plate):
    page = plate(6)
    typed(page, "T 5.5")
    written = page.evaluate(
        "async () => { const form = document.querySelector('.reading-line'); const id = form.querySelector('[name=entry]').value;"
        " const send = (text) => fetch(form.action, {method: 'POST', body: new URLSearchParams({...Object.fromEntries(new FormData(form)), entry: id, text})});"
        " await send('T 70.5'); return id; }"
    )
    # The same form once more, as after the browser's Back.
    page.evaluate("id => { document.querySelector('.reading-line [name=entry]').value = id; }", written)
    page.locator("#read").fill("T 64.5")
    page.keyboard.press("Enter")
    said = page.locator("#said")
    expect(said).to_contain_text("Saved: “spot in lane T at 70.5 mm")
    expect(said).to_contain_text("Not saved: “spot in lane T at 64.5 mm")
    expect(page.locator("#read")).to_have_value("T 64.5")
    page.locator("#read").press("Enter")
    expect(page.locator("#read")).to_have_value("")
    page.goto(page.url.partition("?")[0] + "/history")
    for words in ("lane T at 70.5 mm", "lane T at 64.5 mm"):
        expect(page.locator("td", has_text=words)).to_have_count(1)


def test_what_its_owner_hands_over_the_next_one_sends_in_their_own_name(plate):
    page = plate(4)
    answering(page, 502)
    typed(page, "T 26.5")
    page.once("dialog", lambda dialog: dialog.accept())
    kept = page.locator("#offline")
    if not kept.locator("details").get_attribute("open"):
        kept.locator("summary").click()
    kept.get_by_role("button", name="Hand over").click()
    page.unroute_all()
    # As somebody else signs in: nothing is sent before they say so.
    page.reload()
    expect(kept).to_contain_text("Handed over: send it in your name, or discard it")
    assert json.loads(page.evaluate("localStorage.getItem('helvor-outbox')"))[0]["account"] == "handed over"
    kept.get_by_role("button", name="Send again").click()
    expect(kept).to_be_hidden()
