"""Getting a class ready and the plates side by side, in the browser."""

import pytest
from playwright.sync_api import Page, expect

from tests.browser.conftest import violations


@pytest.fixture
def board(page: Page) -> Page:
    page.goto("/find?q=sep-2")
    return page


def test_a_meeting_is_got_ready_and_the_period_gone_through(board):
    board.get_by_role("link", name="Prep", exact=True).click()
    expect(board.locator(".period")).to_be_visible()
    expect(board.locator(".period-says")).to_contain_text("of 200 simulations")
    box = board.get_by_role("button", name="water: not done").first
    box.click()
    expect(board.get_by_role("button", name="water: done by Ines Marlow").first).to_be_visible()
    board.reload()
    expect(board.get_by_role("button", name="water: done by Ines Marlow").first).to_be_visible()
    board.get_by_text("Number of each shared item").click()
    board.get_by_label("oven", exact=True).fill("12")
    board.get_by_role("button", name="Save", exact=True).click()
    expect(board.locator(".period")).to_be_visible()
    assert violations(board) == []
    board.set_viewport_size({"width": 820, "height": 1180})
    assert board.evaluate("document.documentElement.scrollWidth") <= 820
    assert violations(board) == []


def test_plates_side_by_side_are_ranked_and_accessible(board):
    board.get_by_text("More", exact=True).click()
    board.get_by_role("link", name="Plates side by side").click()
    expect(board.locator(".outlier-ring")).not_to_have_count(0)
    assert violations(board) == []
    board.get_by_role("button", name="Rank the samples").click()
    expect(board.get_by_text("A rank is a hint, not proof")).to_be_visible()
    board.get_by_role("link", name="Paper (cellulose)").click()
    board.get_by_role("link", name="Tune from these").click()
    expect(board.locator(".left-plot")).to_be_visible()
    assert violations(board) == []


def test_a_slider_moves_the_composition_and_the_predicted_plate(page):
    page.goto("/calculators/tuning")
    expect(page.locator(".predicted")).to_be_visible()
    before = page.locator(".predicted").get_attribute("aria-label")
    page.locator("[data-slides]").focus()
    page.keyboard.press("ArrowLeft")
    expect(page.locator(".predicted")).not_to_have_attribute("aria-label", before)
    expect(page.locator("#r-at")).to_have_value("59")


def test_a_tablet_joins_by_code_writes_and_the_board_sees_it(board, browser, running):
    board.get_by_text("More", exact=True).click()
    board.get_by_role("link", name="Tablets").click()
    board.get_by_role("button", name="Show join code").click()
    expect(board.locator(".qr-box svg")).to_be_visible()
    assert violations(board) == []
    code = board.locator(".join-code").inner_text()
    context = browser.new_context(base_url=running.address, viewport={"width": 820, "height": 1180}, has_touch=True)
    tablet = context.new_page()
    tablet.goto("/join")
    tablet.get_by_label("Code").fill(code.lower())
    tablet.get_by_label("Bench", exact=True).fill("33")
    tablet.get_by_role("button", name="Join").click()
    expect(tablet.get_by_role("alert")).to_contain_text("no bench with this number")
    assert violations(tablet) == []
    tablet.get_by_label("Bench", exact=True).fill("2")
    tablet.get_by_role("button", name="Join").click()
    expect(tablet.get_by_role("heading", level=1)).to_have_text("Bench 2")
    assert violations(tablet) == []
    board.goto("/find?q=sep-2")
    expect(board.locator("#live")).to_have_text("live")
    seen = board.locator("#main").get_attribute("data-seen")
    tablet.locator(".page-line", has_text="Plate 1").first.click()
    tablet.locator("#read").fill("P1 38.5")
    tablet.keyboard.press("Enter")
    expect(tablet.locator(".spots-table")).to_contain_text("38.5")
    expect(board.locator("#main")).not_to_have_attribute("data-seen", seen)
    board.get_by_text("More", exact=True).click()
    board.get_by_role("link", name="Tablets").click()
    board.get_by_role("button", name="Sign out").click()
    tablet.reload()
    expect(tablet.get_by_role("heading", level=1)).to_have_text("Sign in")
    context.close()
