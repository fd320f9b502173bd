"""A column in the browser: the rack filled, spotted and pooled."""

from playwright.sync_api import expect

from tests.browser.conftest import open_run, violations


def open_iron(page, bench):
    open_run(page, "SEP-4", bench)


def test_a_bench_goes_on_with_its_rack(page):
    open_iron(page, "4")
    page.locator(".strip a", has_text="6 elute").click()
    rack = page.locator(".column-instrument")
    expect(rack).to_contain_text("30 tubes")
    expect(page.locator(".sheet")).to_contain_text("tubes 10 and 11 look exchanged")
    assert violations(page) == []
    page.get_by_role("button", name="Next tube").click()
    expect(rack).to_contain_text("31 tubes")
    page.locator("[data-tube='9']").focus()
    page.keyboard.press("ArrowRight")
    page.keyboard.press("Enter")
    expect(page.get_by_label("Spots from tube")).to_have_value("10")
    page.get_by_label("Compound").select_option("ferrocene")
    page.get_by_role("button", name="trace", exact=True).click()
    expect(page.locator(".sheet")).not_to_contain_text("look exchanged")
    page.locator("[data-tube='6']").hover()
    page.mouse.down()
    page.locator("[data-tube='9']").hover()
    page.mouse.up()
    expect(page.get_by_label("Pool from tube")).to_have_value("6")
    expect(page.get_by_label("Pool to tube")).to_have_value("9")
    first = page.get_by_role("slider", name="First tube of ferrocene")
    first.focus()
    page.keyboard.press("ArrowLeft")
    expect(first).to_have_attribute("aria-valuenow", "5")
    expect(page.locator("[data-words='pool-6']")).to_have_text("5–11")
    box = first.locator("circle").bounding_box()
    page.mouse.move(box["x"] + 4, box["y"] + 4)
    page.mouse.down()
    page.mouse.move(
        box["x"]
        + 4
        + page.locator("[data-tube='2']").bounding_box()["x"]
        - page.locator("[data-tube='1']").bounding_box()["x"],
        box["y"] + 4,
        steps=4,
    )
    page.mouse.up()
    expect(page.locator("[data-words='pool-6']")).to_have_text("6–11")
    page.get_by_role("button", name="Pool tubes 6–11").click()
    expect(rack).to_contain_text("Decided")
    page.locator("#read").fill("pool 22-26 pool B")
    expect(page.locator("#understood")).to_contain_text("pooled as pool B")
    page.locator("#read").press("Enter")
    expect(rack.locator("svg.rack")).to_contain_text("pool B")
    page.get_by_label("Liquid above the silica").fill("low")
    page.get_by_role("button", name="Liquid above").click()
    expect(page.locator("#trouble-above")).to_contain_text("is not a number")
    page.set_viewport_size({"width": 820, "height": 1180})
    assert page.evaluate("document.documentElement.scrollWidth <= innerWidth")
    assert violations(page) == []
