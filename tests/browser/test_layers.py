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


def test_a_step_is_wired_to_another_portion_with_keys_and_by_dragging(page):
    page.goto("/procedures")
    page.get_by_role("link", name="Edit Three from one").click()
    page.locator("#wiring summary").click()
    end = page.locator('.wire-end[data-step="s15"]')
    expect(end).to_have_attribute("aria-label", re.compile("Step 15 works on biphenyl crystals"))
    assert violations(page) == []
    end.focus()
    page.keyboard.press("ArrowDown")
    expect(page.locator("#wire-says")).to_contain_text("Enter: work on mixture")
    page.keyboard.press("Enter")
    expect(page.locator('.wire-end[data-step="s15"]')).to_have_attribute("aria-label", re.compile("works on mixture"))
    dot, lane = (
        page.locator(where).bounding_box()
        for where in ('.wire-end[data-step="s15"] .wire-dot', '.wire-from[data-lane="biphenyl crystals"]')
    )
    page.mouse.move(dot["x"] + 5, dot["y"] + 5)
    page.mouse.down()
    page.mouse.move(lane["x"] + 4, lane["y"] + 8, steps=5)
    expect(page.locator("#wire-says")).to_contain_text("Let go to work on biphenyl crystals")
    page.mouse.up()
    expect(page.locator('.wire-end[data-step="s15"]')).to_have_attribute("aria-label", re.compile("biphenyl crystals"))


def test_an_own_extraction_is_right_in_both_orders_and_after_moving_steps(page):
    """A blank procedure: two liquids, a step in the funnel, its layers named; moved away and wired again."""
    page.goto("/procedures")
    page.get_by_label("Title").fill("Two liquids")
    page.get_by_role("button", name="Create procedure").click()
    for name, amount in (("water", "30 mL"), ("diethyl ether", "20 mL")):
        page.locator(".sheet").get_by_role("link", name="Add", exact=True).first.click()
        page.get_by_role("textbox", name="Substance").fill(name)  # typed in full, nothing picked
        page.get_by_label("Per bench").fill(amount)
        page.get_by_role("button", name="Save", exact=True).click()
        expect(page.locator(".amounts-table")).to_contain_text(name)
    for number, (kind, adds) in enumerate((("add", "water"), ("extract", "diethyl ether")), 1):
        page.locator(f"[data-kind='{kind}']").click()
        expect(page.locator(".step-row")).to_have_count(number)
        page.locator(".step-row a").last.click()
        page.locator(".step-open").get_by_role("checkbox", name=adds).check(force=True)
        if kind == "add":
            page.locator("#f-as-mixture").fill("lower")
        page.get_by_role("button", name="Save", exact=True).click()
        expect(page.locator(".said, #said")).to_contain_text("Step changed")
        page.get_by_role("link", name="Close").click()
        expect(page.locator(".step-row")).to_have_count(number)
    page.locator(".step-row a").last.click()
    page.locator("#f-takes").fill("lower")
    page.locator("#f-as-organic-layer").fill("water-free")
    page.locator("#f-as-aqueous-layer").fill("ether-free")
    page.get_by_role("button", name="Save", exact=True).click()
    page.get_by_role("link", name="Close").click()
    expect(page.locator(".step-row")).to_have_count(2)
    page.locator(".step-row a").last.focus()
    page.keyboard.press("Alt+ArrowUp")
    expect(page.locator("#steps")).to_contain_text("no earlier step produces it")
    page.get_by_role("button", name="Move it after step 2").click()
    expect(page.locator("#steps")).not_to_contain_text("no earlier step produces it")
    page.get_by_role("button", name="Publish draft").click()
    page.wait_for_url("**/start")
    page.get_by_label("my bench, to try it").check()
    page.get_by_role("button", name="Start run").click()
    page.wait_for_url("**/runs/**")
    page.locator(".strip a", has_text="2 extract").click()
    expect(page.locator(".sep-answer")).to_contain_text("Water is the lower layer")
    expect(page.get_by_label("The lower layer is")).to_have_value("ether-free")
    expect(page.get_by_label("The upper layer is")).to_have_value("water-free")
