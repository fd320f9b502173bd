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
    expect(board.locator(".period")).to_be_visible(timeout=20_000)
    expect(board.locator(".period-says")).to_contain_text("of 200 runs")
    box = board.get_by_role("button", name="water: not done").first
    box.click()
    expect(board.get_by_role("button", name="water: done by Ines Marlow").first).to_be_visible()
    board.reload()
    expect(board.get_by_role("button", name="water: done by Ines Marlow").first).to_be_visible()
    board.get_by_text("How many there are of what is shared").click()
    board.get_by_label("oven", exact=True).fill("12")
    board.get_by_role("button", name="Keep these").click()
    expect(board.locator(".period")).to_be_visible(timeout=20_000)
    assert violations(board) == []
    board.set_viewport_size({"width": 820, "height": 1180})
    assert board.evaluate("document.documentElement.scrollWidth") <= 820
    assert violations(board) == []


def test_plates_side_by_side_are_ranked_and_accessible(board):
    board.get_by_role("link", name="Plates side by side").click()
    expect(board.locator(".outlier-ring")).not_to_have_count(0)
    assert violations(board) == []
    board.get_by_role("button", name="Rank the samples").click()
    expect(board.get_by_text("A rank is a hint, no proof")).to_be_visible()
    board.get_by_role("link", name="Paper (cellulose)").click()
    board.get_by_role("link", name="Tune from these").click()
    expect(board.locator(".left-plot")).to_be_visible()
    assert violations(board) == []


def test_a_slider_moves_the_composition_and_the_predicted_plate(page):
    page.goto("/reckon/tuning")
    expect(page.locator(".predicted")).to_be_visible()
    before = page.locator(".predicted").get_attribute("aria-label")
    page.locator("[data-slides]").focus()
    page.keyboard.press("ArrowLeft")
    expect(page.locator(".predicted")).not_to_have_attribute("aria-label", before)
    expect(page.locator("#r-at")).to_have_value("59")
