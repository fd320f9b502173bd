"""Extraction in the browser: the funnel by hand, by reading line, on a narrow screen; the sums of layers."""

import re

from playwright.sync_api import expect

from tests.browser.conftest import open_run, violations


def open_three(page, bench):
    open_run(page, "SEP-5", bench)


def test_a_bench_goes_on_with_the_second_portion(page):
    open_three(page, "6")
    page.locator(".strip a", has_text="3 extract").click()
    funnel = page.locator(".funnel-instrument")
    expect(funnel).to_contain_text("1 M sodium hydroxide is the lower layer.")
    expect(funnel.locator("svg.sep")).to_have_attribute("aria-label", re.compile("tap closed, stopper on"))
    assert violations(page) == []
    for shakes in ("4", "6", "8", "10"):
        page.get_by_role("button", name=f"Record {shakes} shakes and a vent").click()
    expect(funnel).to_contain_text("Mixed and vented.")
    expect(funnel).to_contain_text("stopper off")
    page.get_by_role("button", name="Start", exact=True).click()
    expect(page.locator(".settle-num")).to_contain_text(":")
    page.get_by_label("Volume of the lower layer, mL").fill("much")
    page.get_by_role("button", name="Drain the lower layer").click()
    expect(page.locator("#trouble-out")).to_contain_text("is not a number")
    expect(page.locator("#panel [name=out]")).to_have_value("much")
    page.locator("#panel [name=out]").fill("15")
    page.get_by_role("button", name="Save", exact=True).click()
    expect(funnel).to_contain_text("tap open")
    expect(funnel.locator(".row-here")).to_contain_text("29.5")
    page.keyboard.press("Escape")
    page.locator("#read").fill("take 1 M sodium hydroxide 15 mL")
    expect(page.locator("#understood")).to_contain_text("15 mL")
    page.locator("#read").press("Enter")
    expect(funnel).to_contain_text("3 of 3")
    page.set_viewport_size({"width": 820, "height": 1180})
    assert page.evaluate("document.documentElement.scrollWidth <= innerWidth")
    assert violations(page) == []


def test_each_step_of_the_work_up_can_be_read_by_everybody(page):
    open_three(page, "5")
    for step in ("6 adjust pH", "11 dry layer", "22 discard", "4 wash layer"):
        page.locator(".strip a", has_text=step).click()
        expect(page.locator(".strip a[aria-current]")).to_contain_text(step)
        assert violations(page) == []
    expect(page.locator(".sheet")).to_contain_text("the procedure asks for pH 2")


def test_a_scheme_is_proposed_and_becomes_a_procedure(page):
    page.goto("/calculators/scheme")
    page.get_by_label("The mixture").fill("benzoic acid 1.00 g\nphenol 1.00 g\nbiphenyl 1.00 g")
    expect(page.get_by_label("Answer")).to_contain_text("phenol crystals")
    assert violations(page) == []
    page.get_by_role("button", name="Create procedure").click()
    page.wait_for_url("**/procedures/**")
    expect(page.locator("body")).to_contain_text("Extract phenol")
    for key in ("layers", "portions", "who", "to-ph", "drying-agent", "reflux"):
        page.goto(f"/calculators/{key}")
        assert violations(page) == []
