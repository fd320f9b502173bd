"""Crystals in the browser: a flask goes on, melting ranges, test tubes of the sums."""

import re

from playwright.sync_api import expect

from tests.browser.conftest import open_run, violations


def test_a_bench_saves_its_oil(page):
    open_run(page, "SEP-6", "4")
    page.locator(".strip a", has_text="6 crystallize").click()
    flask = page.locator(".crystals-instrument")
    expect(page.locator(".sheet")).to_contain_text("separated as an oil")
    expect(flask).to_contain_text("23 in 2 portions")
    assert violations(page) == []
    page.get_by_label("Hot solvent", exact=True).fill("20")
    page.get_by_role("button", name="to dissolve it").click()
    expect(flask).to_contain_text("43 in 3 portions")
    page.get_by_label("Temperature now").fill("76")
    page.get_by_label("Seen then").fill("first crystals")
    page.get_by_role("button", name="Save", exact=True).click()
    expect(flask.locator("svg.cooling")).to_have_attribute("aria-label", re.compile("76 °C first crystals"))
    page.get_by_label("Action taken").select_option("seeded")
    page.get_by_role("button", name="Crystals", exact=True).click()
    expect(page.locator(".sheet")).not_to_contain_text("separated as an oil")
    page.locator("#read").fill("temp 2")
    expect(page.locator("#understood")).to_contain_text("2 °C")
    page.locator("#read").press("Enter")
    expect(flask).to_contain_text("maximum, filtered at 2 °C")
    page.get_by_label("Hot solvent", exact=True).fill("lots")
    page.get_by_role("button", name="to dissolve it").click()
    expect(page.locator("#trouble-volume")).to_contain_text("is not a number")


def test_ranges_before_and_after(page):
    open_run(page, "SEP-6", "1")
    page.locator(".strip a", has_text="13 melting").click()
    melting = page.locator(".melting-instrument")
    expect(melting).to_contain_text("113.2–114.1 °C")
    page.get_by_label("Standard", exact=True).fill("benzoic acid")
    page.get_by_label("Known to melt at").fill("122.4")
    page.get_by_label("Read on this thermometer").fill("122.0")
    page.get_by_role("button", name="Apply correction").click()
    expect(melting).to_contain_text("113.6–114.5 °C")
    assert violations(page) == []
    page.set_viewport_size({"width": 820, "height": 1180})
    assert page.evaluate("document.documentElement.scrollWidth <= innerWidth")
    page.locator(".strip a", has_text="6 crystallize").click()
    expect(page.locator(".crystals-instrument")).to_contain_text("Losses")
    assert page.evaluate("document.documentElement.scrollWidth <= innerWidth")
    assert violations(page) == []


def test_too_much_solvent_slides_the_ceiling_down(page):
    page.goto("/calculators/recrystallize")
    expect(page.locator(".reckon-answer, aside")).to_contain_text("maximum recovery")
    before = page.locator("dl.large dd").first.inner_text()
    page.locator("input[type=range]").first.fill("200")
    page.locator("input[type=range]").first.dispatch_event("change")
    expect(page.locator("dl.large dd").first).not_to_have_text(before)
    assert violations(page) == []
