"""A meeting in the room, in the browser: two application processes, one database, the board and two tablets."""

import re

import pytest
from playwright.sync_api import Browser, Page, expect

from tests.browser.conftest import PATIENCE, Running, violations


@pytest.fixture(scope="module")
def second(running: Running, tmp_path_factory) -> Running:
    """Another application process on the same database."""
    application = Running(running.url, running.serving, tmp_path_factory.mktemp("second"))
    application.start(running.port + 50)
    yield application
    application.stop()


@pytest.fixture
def board(page: Page) -> Page:
    page.goto("/find?q=sep-2")
    expect(page.locator("#live")).to_have_text("live")
    return page


def tablet_at(browser: Browser, address: str, code: str, bench: int) -> Page:
    context = browser.new_context(base_url=address, viewport={"width": 820, "height": 1180}, has_touch=True)
    context.set_default_timeout(PATIENCE)
    tablet = context.new_page()
    tablet.goto(f"/join?code={code}")
    tablet.get_by_label("Bench", exact=True).fill(str(bench))
    tablet.get_by_role("button", name="Join").click()
    expect(tablet.get_by_role("heading", level=1)).to_have_text(f"Bench {bench}")
    return tablet


def test_two_processes_one_board_and_two_tablets(board, browser, running, second):
    board.get_by_text("More", exact=True).click()
    board.get_by_role("link", name="Tablets").click()
    board.get_by_role("button", name="Show join code").click()
    code = board.locator(".join-code").inner_text().replace(" ", "")
    here, there = tablet_at(browser, running.address, code, 2), tablet_at(browser, second.address, code, 3)
    board.goto("/find?q=sep-2")
    expect(board.locator("#live")).to_have_text("live")
    for tablet, said in ((here, "P1 38.5"), (there, "P 39.0")):
        seen = board.locator("#main").get_attribute("data-seen")
        tablet.locator(".page-line", has_text="Plate 1").first.click()
        tablet.locator("#read").fill(said)
        tablet.keyboard.press("Enter")
        expect(tablet.locator(".spots-table")).to_contain_text(said.split()[1])
        expect(board.locator("#main")).not_to_have_attribute("data-seen", seen)
    # The front says something: both hear it, whichever process serves them, and lose it when it is taken back.
    board.get_by_role("button", name="Message the class").click()
    board.get_by_label("To all benches").fill("Leave the layers in the funnels")
    board.get_by_role("button", name="Send").click()
    for tablet in (here, there):
        expect(tablet.locator("#notices")).to_contain_text("Leave the layers in the funnels")
        assert violations(tablet) == []
        assert tablet.evaluate("document.documentElement.scrollWidth") <= 820
    board.locator(".notices.here > div", has_text="Leave the layers").get_by_role("button", name="Remove").click()
    expect(there.locator("#notices")).not_to_contain_text("Leave the layers")
    here.context.close()
    there.context.close()


def test_the_board_is_used_with_the_keyboard_and_accessible(board):
    assert violations(board) == []
    spot = board.locator("svg.board a").first
    spot.focus()
    board.keyboard.press("Enter")
    expect(board).to_have_url(re.compile("/runs/"))
    board.go_back()
    board.get_by_text("Show as a table").click()
    expect(board.get_by_role("columnheader", name="behind, min")).to_be_visible()
    board.set_viewport_size({"width": 820, "height": 1180})
    assert board.evaluate("document.documentElement.scrollWidth") <= 820
    assert violations(board) == []


def test_what_somebody_types_on_the_board_outlives_its_refresh(board, running, browser):
    field = board.get_by_label("Timer for the room: what for")
    field.fill("waste round")
    seen = board.locator("#main").get_attribute("data-seen")
    other = board.context.new_page()
    other.goto("/find?q=sep-2")
    other.get_by_role("button", name="Pause").click()
    expect(other.get_by_role("button", name="Resume")).to_be_visible()
    board.wait_for_timeout(1500)
    expect(field).to_have_value("waste round")
    assert board.locator("#main").get_attribute("data-seen") == seen
    field.evaluate("field => field.blur()")
    expect(board.get_by_role("button", name="Resume")).to_be_visible()
    board.get_by_role("button", name="Resume").click()
    expect(board.get_by_role("button", name="Pause")).to_be_visible()
    other.close()


def test_a_timer_that_is_due_is_in_the_title_and_the_top_bar(board):
    board.get_by_label("Timer for the room: what for").fill("stir")
    board.get_by_label("Minutes").fill("0.03")
    board.get_by_role("button", name="Add a timer for the room").click()
    expect(board.locator(".due-list")).to_contain_text("stir")
    expect(board).to_have_title(re.compile(r"^\(\d+ due\) "))
    expect(board.locator("#due")).to_be_visible()
    board.locator("details.person summary").click()
    board.get_by_label("Play a sound when a timer ends").uncheck()
    board.reload()
    board.locator("details.person summary").click()
    expect(board.get_by_label("Play a sound when a timer ends")).not_to_be_checked()


def test_the_wall_is_read_from_afar_and_follows_the_front_bench(board):
    board.get_by_role("link", name="Wall display").click()
    expect(board.locator(".wall-clock")).to_be_visible()
    assert board.locator(".topbar").is_hidden()
    tall = board.evaluate("document.querySelector('.t-board-bench').getBoundingClientRect().height")
    assert tall >= 30
    assert board.evaluate("document.documentElement.scrollHeight") <= 800
    assert violations(board) == []
    board.get_by_role("link", name="Follow my bench").click()
    expect(board.locator("#followed svg").first).to_be_visible()


def test_the_day_book_is_written_and_the_meeting_never_closed_silently(board):
    board.get_by_role("link", name="Lab log").click()
    assert violations(board) == []
    board.get_by_text("Waste", exact=True).click()
    board.get_by_label("Into the bottle").select_option("oxidizing")
    board.get_by_label("Waste type", exact=True).select_option("solvents")
    board.locator("#wasted-amount").fill("40 mL")
    board.locator("details[open]").get_by_role("button", name="Save", exact=True).click()
    expect(board.get_by_role("alert").first).to_contain_text("can catch fire")
    expect(board.locator("#wasted-amount")).to_have_value("40 mL")
    board.get_by_label("Waste type", exact=True).select_option("")
    board.locator("details[open]").get_by_role("button", name="Save", exact=True).click()
    expect(board.locator(".day-log")).to_contain_text("40 mL into oxidizers and oxidizing acid")
    board.get_by_text("Accident", exact=True).click()
    board.locator("#happened-what").fill("a drop of acid on a sleeve")
    board.locator("details[open]").get_by_role("button", name="Save", exact=True).click()
    expect(board.get_by_label("Action taken: a drop of acid on a sleeve")).to_be_visible()
    assert violations(board) == []
    board.get_by_role("button", name="End the meeting").click()
    expect(board.get_by_role("alert").first).to_contain_text("An accident is still open")
    board.get_by_label("Action taken: a drop of acid on a sleeve").fill("rinsed, nothing came of it")
    board.get_by_role("button", name="Save action").click()
    expect(board.locator(".day-log")).to_contain_text("Action after an accident: rinsed, nothing came of it")
    board.get_by_role("button", name="End the meeting").click()
    expect(board.get_by_role("alert").first).to_contain_text("Give a short reason")
    board.get_by_label("Reason for ending anyway").fill("jars are labelled by hand")
    board.get_by_role("button", name="End the meeting").click()
    expect(board.locator(".trail .plain")).to_contain_text("over")
    assert violations(board) == []
    board.goto("/find?q=sep-2")
    expect(board.get_by_role("button", name="Start again")).to_be_visible()


@pytest.mark.parametrize(
    "path", ["/", "/people", "/classes", "CLASS/set-up", "CLASS/unknowns", "CLASS/numbers", "CLASS/prep?meeting=1"]
)
def test_its_pages_are_accessible_wide_and_upright(board, path):
    address = board.evaluate("location.pathname")
    board.goto(path.replace("CLASS", address))
    assert violations(board) == []
    board.set_viewport_size({"width": 820, "height": 1180})
    assert board.evaluate("document.documentElement.scrollWidth") <= 820
    assert violations(board) == []


def test_a_newcomer_is_invited_and_begins(board, browser, running):
    board.goto("/people")
    board.get_by_label("E-mail").fill("uma@saltmarsh.example")
    board.locator("form[action='/people/invite']").get_by_label("SEP-2").check()
    board.get_by_role("button", name="Create invitation link").click()
    link = board.get_by_label("Link of the invitation").input_value()
    assert violations(board) == []
    context = browser.new_context(base_url=running.address)
    newcomer = context.new_page()
    newcomer.goto(link)
    assert violations(newcomer) == []
    newcomer.get_by_label("Your name").fill("Uma Reed")
    newcomer.get_by_label("Password").fill("tide and marsh grass")
    newcomer.get_by_role("button", name="Create account").click()
    newcomer.get_by_role("link", name="SEP-2", exact=True).first.click()
    newcomer.get_by_text("More", exact=True).click()
    newcomer.get_by_role("link", name="Unknowns").click()
    expect(newcomer.get_by_role("heading", level=1)).to_contain_text("Instructors only")
    context.close()
