"""Instruments in the browser: a reading taken at a weighing, and a doubt that leaves the field alone."""

import pytest
from playwright.sync_api import expect

from tests.browser.conftest import violations
from tests.browser.test_run import open_run


def hand(page, words, value):
    page.get_by_label(words).fill(value)
    page.get_by_role("button", name="Apply").click()


def test_a_weighing_takes_its_reading_from_the_balance_and_never_a_doubtful_one(page):
    page.goto("/devices?at=balance-1")
    hand(page, "On the pan", "40.118")
    expect(page.locator(".device-value")).to_contain_text("40.118")
    page.get_by_role("button", name="Take a reading").click()
    expect(page.get_by_text("stable over four values")).to_be_visible()
    open_run(page, 12)
    page.get_by_role("button", name="Take reading").click()
    expect(page.locator("#w-mass")).to_have_value("40.118")
    expect(page.locator("#w-balance")).to_have_value("balance 1")
    expect(page.locator("#net")).to_contain_text("saved as the tare")
    page.get_by_role("button", name="Save reading").click()
    expect(page.locator(".tare", has_text="dish").first).to_contain_text("40.118")
    for fault, says in (
        ("drops out", "lost the connection"),
        ("sends garbage", "check digits"),
        ("freezes", "frozen"),
    ):
        page.goto("/devices?at=balance-1")
        page.get_by_role("button", name=fault).click()
        page.wait_for_timeout(300)
        open_run(page, 12)
        page.locator("#w-mass").fill("1.5")
        page.get_by_role("button", name="Take reading").click()
        expect(page.locator(".take-says")).to_contain_text(says)
        expect(page.locator("#w-mass")).to_have_value("1.5")
    page.goto("/devices?at=balance-1")
    page.get_by_role("button", name="works").click()


@pytest.mark.parametrize(
    "name", ["balance-1", "ph-meter", "ph-paper", "melting-block", "oven", "stopwatch", "evaporator", "uv-cabinet"]
)
def test_every_instrument_is_accessible_and_has_room_on_a_phone(page, name):
    page.goto(f"/devices?at={name}")
    assert violations(page) == []
    page.set_viewport_size({"width": 390, "height": 844})
    assert page.evaluate("document.documentElement.scrollWidth <= innerWidth")
