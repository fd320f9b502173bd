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
