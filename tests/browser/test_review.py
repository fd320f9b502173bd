"""What a class found, in the browser."""

from playwright.sync_api import expect

from tests.browser.conftest import violations


def test_a_dot_leads_to_its_bench(page):
    page.goto("/find?q=sep-2")
    page.get_by_role("link", name="Review", exact=True).click()
    expect(page.locator("svg.review")).to_contain_text("closure")
    assert violations(page) == []
    page.set_viewport_size({"width": 820, "height": 1180})
    assert page.evaluate("document.documentElement.scrollWidth <= innerWidth")
    page.locator("svg.review a").first.focus()
    page.keyboard.press("Enter")
    page.wait_for_selector(".page-run")


def test_it_fits_a_phone(page):
    page.set_viewport_size({"width": 390, "height": 844})
    page.goto("/find?q=sep-2")
    page.get_by_role("link", name="Review", exact=True).click()
    chart, side = page.locator("svg.review"), page.locator(".page-review .sheet")
    expect(chart).to_be_visible()
    assert side.bounding_box()["y"] > chart.bounding_box()["y"], "beside it there is no room"
    assert page.evaluate("document.documentElement.scrollWidth <= innerWidth")
