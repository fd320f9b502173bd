"""The virtual plate in the browser: it runs, it is taken out, it becomes a plate like any other."""

import re

from playwright.sync_api import expect

from tests.browser.conftest import violations

AT = "/practice/plate?goal=0&strong=80&acid=1&seed=4"


def minutes(page):
    return float(page.locator("#p-clock").inner_text().split()[0])


def test_a_plate_runs_pauses_and_is_judged_when_it_is_out(page):
    page.goto("/")
    page.get_by_role("link", name="Practice").click()
    expect(page.get_by_role("heading", name="Find an eluent")).to_be_visible()
    page.goto(AT)
    assert violations(page) == []
    page.get_by_role("button", name="Let it run").click()
    expect(page.locator("#p-clock")).not_to_have_text("0.0 min")
    page.get_by_role("button", name="Pause").click()
    expect(page.get_by_role("button", name="Let it run")).to_be_visible()
    page.wait_for_timeout(600)
    stood = minutes(page)
    page.wait_for_timeout(600)
    assert minutes(page) == stood
    page.get_by_role("button", name="+ 1 min").focus()
    page.keyboard.press("Enter")
    expect(page.locator("#p-clock")).to_have_text(f"{stood + 1:.1f} min")
    expect(page.get_by_role("button", name="+ 1 min")).to_be_focused()
    page.goto(f"{AT}&minutes=12")
    page.get_by_role("link", name="Take it out").click()
    expect(page.get_by_role("heading", name="Met", exact=True)).to_be_visible()
    assert violations(page) == []


def test_it_becomes_a_plate_that_is_measured_like_any_other(page):
    page.goto(f"{AT}&minutes=12&out=yes")
    page.get_by_role("button", name="Photograph and measure it").click()
    expect(page.locator(".proposals")).to_contain_text("mix2", timeout=30_000)
    page.get_by_role("button", name="Keep what is ticked").click()
    expect(page.get_by_role("heading", name="virtual plate")).to_be_visible()
    expect(page.locator("table").first).to_contain_text(re.compile(r"0\.1[67]"))


def test_what_is_typed_stays_while_it_runs_and_a_phone_has_room(page):
    page.set_viewport_size({"width": 390, "height": 844})
    page.goto(AT)
    assert page.evaluate("document.documentElement.scrollWidth <= innerWidth")
    page.get_by_label("Ethyl acetate, %").fill("65")
    page.get_by_role("button", name="+ 1 min").click()
    expect(page.locator("#p-clock")).to_have_text("1.0 min")
    expect(page.get_by_label("Ethyl acetate, %")).to_have_value("65")
    page.get_by_role("button", name="Set a new plate up").click()
    expect(page.get_by_label("Ethyl acetate, %")).to_have_value("65")
    expect(page.locator("#p-clock")).to_have_text("0.0 min")


def test_with_reduced_motion_it_goes_in_larger_steps(page):
    page.emulate_media(reduced_motion="reduce")
    page.goto(AT)
    page.get_by_role("button", name="Let it run").click()
    expect(page.locator("#p-clock")).to_have_text("1.0 min")
    page.get_by_role("button", name="Pause").click()
