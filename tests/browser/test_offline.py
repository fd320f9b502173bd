"""A bench without a connection: its pages open again, what is typed waits, and what unsent form is still there."""

import re

import pytest
from playwright.sync_api import expect

from helvor import demo
from helvor.notebook.database import connect
from tests.browser.conftest import FIRST_PORT, Running, violations
from tests.conftest import cloned, serving
from tests.web.conftest import small_photograph


@pytest.fixture
def own(server, demo_template, tmp_path_factory):
    """An application of this test's own, to be stopped and started."""
    with cloned(server, demo_template) as url:
        application = Running(url, serving(server, url), tmp_path_factory.mktemp("var"))
        application.start(FIRST_PORT + 100)
        yield application
        application.stop()


@pytest.fixture
def tablet(own, browser):
    context = browser.new_context(
        base_url=own.address, viewport={"width": 820, "height": 1180}, service_workers="allow"
    )
    page = context.new_page()
    page.goto("/sign-in")
    page.get_by_label("E-mail").fill(demo.EMAIL)
    page.get_by_label("Password").fill(demo.PASSWORD)
    page.get_by_role("button", name="Sign in").click()
    page.wait_for_url("**/")
    yield page
    context.close()


def bench_page(page, kind):
    """A run or a plate of the demo class, looked at until the device has it."""
    page.goto("/")
    links = page.eval_on_selector_all("a[href^='/classes/']", "links => links.map(link => link.getAttribute('href'))")
    page.goto(next(link for link in links if re.fullmatch(r"/classes/[0-9a-f-]{36}", link)))
    hrefs = page.eval_on_selector_all(f"a[href^='/{kind}/']", "links => links.map(link => link.getAttribute('href'))")
    address = next(h for h in hrefs if re.fullmatch(rf"/{kind}/[0-9a-f-]{{36}}", h))
    page.goto(address)
    page.wait_for_function("navigator.serviceWorker.controller !== null")
    page.reload()
    page.wait_for_function(
        "async (path) => (await (await caches.open('helvor-pages')).keys()).some(one => one.url.includes(path))",
        arg=address,
    )
    return address


def test_pages_open_again_readings_and_photographs_wait_and_are_written_once(own, tablet):
    page = tablet
    run, plate = bench_page(page, "runs"), bench_page(page, "plates")
    page.goto(f"{plate}/photo?new=1")
    page.goto(run)
    page.wait_for_timeout(4000)  # the steps are fetched quietly, one after another
    port = own.port
    own.stop()
    page.reload()
    kept = page.locator("#offline")
    expect(kept).to_contain_text("This page shows the state at")
    expect(page.locator("#main")).to_be_visible()
    page.locator("a[href*='step=']").nth(2).click()
    expect(page.locator("#main")).to_be_visible()
    expect(page.locator("body")).not_to_contain_text("never opened on this device")
    page.locator("#read").fill("note typed without a connection")
    page.keyboard.press("Enter")
    expect(kept).to_contain_text("1 reading is waiting on this device")
    page.reload()
    expect(kept).to_contain_text("“note typed without a connection”")
    expect(kept).to_contain_text(re.compile("Not saved yet"))
    assert violations(page) == []
    page.goto(f"{plate}/photo?new=1")
    page.locator("#photo-file").set_input_files(
        {"name": "plate.jpg", "mimeType": "image/jpeg", "buffer": small_photograph()}
    )
    page.get_by_role("button", name="Upload and analyse").click()
    expect(kept).to_contain_text("“plate.jpg”")
    page.reload()
    expect(kept).to_contain_text("2 readings are waiting on this device")
    page.goto("/people")
    expect(page.locator("body")).to_contain_text("There is no connection")
    own.start(port)
    page.goto(run)
    page.evaluate("window.dispatchEvent(new Event('online'))")
    expect(kept).to_be_hidden(timeout=60_000)
    page.goto(f"{run}/history")
    expect(page.locator("td", has_text="typed without a connection")).to_have_count(1)
    page.goto(f"{plate}/history")
    expect(page.locator("td", has_text="photograph under")).not_to_have_count(0)


def test_what_was_typed_and_not_sent_survives_a_reload(own, tablet):
    page = tablet
    bench_page(page, "runs")
    page.locator("#read").press_sequentially("note half a sen")
    page.reload()
    expect(page.locator("#read")).to_have_value("note half a sen")
    page.locator("#read").fill("")
    page.locator("#read").press_sequentially("note a whole sentence")
    page.keyboard.press("Enter")
    expect(page.locator("#read")).to_have_value("")
    page.reload()
    expect(page.locator("#read")).to_have_value("")
    # A panel with a form, left in the middle.
    page.locator("details.menu summary", has_text="More").click()
    page.get_by_role("link", name="Add a substance").click()
    panel = page.locator("#panel-body")
    panel.locator("input[type=text], input:not([type])").first.press_sequentially("zinc dust")
    page.reload()
    expect(page.locator("#typed-left")).to_contain_text("unsent form")
    page.get_by_role("button", name="Reopen the form").click()
    expect(panel.locator("input[type=text], input:not([type])").first).to_have_value("zinc dust")


def test_another_account_finds_nothing_of_what_was_kept(own, tablet):
    page = tablet
    address = bench_page(page, "runs")
    page.locator("summary", has_text="IM").click()
    page.get_by_role("button", name="Sign out").click()
    page.wait_for_url("**/sign-in*")
    own_port = own.port
    own.stop()
    page.goto(address, wait_until="commit")
    expect(page.locator("body")).to_contain_text("was never opened on this device")
    own.start(own_port)


def test_a_session_that_was_ended_elsewhere_shows_the_way_in_and_no_page_of_before(own, tablet):
    page = tablet
    address = bench_page(page, "runs")
    with connect(own.url) as conn:
        conn.execute("DELETE FROM session")
    page.wait_for_timeout(1200)  # for so long a session is taken as it was
    page.goto(address)
    expect(page.get_by_role("heading", level=1)).to_have_text("Sign in")
    assert page.evaluate("async () => (await (await caches.open('helvor-pages')).keys()).length") == 0
