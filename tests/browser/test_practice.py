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
    page.get_by_role("button", name="Photograph and measure").click()
    expect(page.locator(".proposals")).to_contain_text("mix2", timeout=60_000)
    page.get_by_role("button", name="Save ticked spots").click()
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
    page.get_by_role("button", name="New plate").click()
    expect(page.get_by_label("Ethyl acetate, %")).to_have_value("65")
    expect(page.locator("#p-clock")).to_have_text("0.0 min")


def test_with_reduced_motion_it_goes_in_larger_steps(page):
    page.emulate_media(reduced_motion="reduce")
    page.goto(AT)
    page.get_by_role("button", name="Let it run").click()
    expect(page.locator("#p-clock")).to_have_text("1.0 min")
    page.get_by_role("button", name="Pause").click()


def test_the_eluent_is_pulled_on_its_bar_and_a_missed_try_stays_beside_the_next(page):
    page.goto("/practice/plate?goal=0&strong=40&acid=0&seed=4&minutes=12&out=yes")
    expect(page.get_by_role("heading", name="Not met", exact=True)).to_be_visible()
    bar = page.locator(".eluent-bar").bounding_box()
    middle = bar["y"] + bar["height"] / 2
    page.mouse.move(bar["x"] + 0.6 * bar["width"], middle)
    page.mouse.down()
    page.mouse.move(bar["x"] + 0.2 * bar["width"], middle, steps=4)
    page.mouse.up()
    strong = int(page.get_by_label("Ethyl acetate, %").input_value())
    assert 77 <= strong <= 83
    page.get_by_label("Acetic acid, %").fill("1")
    page.get_by_role("button", name="New plate").click()
    expect(page.locator(".tries")).to_contain_text("60 : 40 : 0")
    expect(page.locator(".tries")).to_contain_text("missed")
    page.goto(page.url + "&minutes=11&out=yes")
    expect(page.get_by_role("heading", name="Met", exact=True)).to_be_visible()
    assert violations(page) == []


def test_by_daylight_nothing_is_seen_and_own_compounds_run_on_another_layer(page):
    page.goto(f"{AT}&minutes=8&out=yes")
    assert page.locator(".chamber .virtual-spot").count() == 4
    page.get_by_role("link", name="Daylight").click()
    expect(page.get_by_text("these compounds are colourless")).to_be_visible()
    assert page.locator(".chamber .virtual-spot").count() == 0
    page.get_by_label("Goal").select_option("-1")
    page.get_by_label("Stationary phase").select_option("C18")
    page.get_by_role("button", name="New plate").click()
    for name in ("aspirin", "vanillin"):
        page.get_by_label(name, exact=True).set_checked(name == "vanillin")
    page.get_by_role("button", name="New plate").click()
    expect(page.locator(".chamber")).to_have_attribute("aria-label", re.compile("3 lanes"))
    expect(page.get_by_label("Methanol, %")).to_be_visible()
    assert violations(page) == []
