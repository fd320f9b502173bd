"""A run and the builder in the browser: weighed, corrected, seen in the scheme; built, dragged, undone."""

import re

import pytest
from playwright.sync_api import Page, expect

from tests.browser.conftest import listening, violations


def open_run(page: Page, bench: int | str) -> Page:
    page.goto(f"/find?q={bench}")
    page.locator(".page-line", has_text="A mixed powder").first.click()
    page.wait_for_selector(".page-run")
    listening(page)
    return page


def type_reading(page: Page, text: str, understood: str = "") -> None:
    page.locator("#read").fill(text)
    if understood:
        expect(page.locator("#understood")).to_contain_text(understood)
    page.locator("#read").press("Enter")
    expect(page.locator("#read")).to_have_value("")
    expect(page.locator("#main:not([aria-busy])")).to_be_visible()


def test_a_bench_weighs_corrects_and_sees_where_the_mass_went(page):
    open_run(page, 12)
    expect(page.locator(".says")).to_contain_text("Weigh the evaporating dish")
    page.locator("#w-mass").fill("40.118")
    expect(page.locator("#pan-shows")).to_have_text("40.118 g")
    expect(page.locator("#net")).to_contain_text("saved as the tare")
    page.get_by_role("button", name="Save reading").click()
    expect(page.locator(".tare", has_text="dish").first).to_contain_text("40.118")
    page.get_by_role("button", name="Step done").click()
    expect(page.locator(".says")).to_contain_text("Put 3.00 g mixed powder")
    page.locator("#w-mass").fill("43.120")
    expect(page.locator("#net")).to_contain_text("3.002 ± 0.001")
    page.locator("#w-mass").press("Enter")
    expect(page.locator(".last").first).to_contain_text("43.120")
    type_reading(page, "dish residue dried 42.130", "net 2.012 ± 0.001 g")
    page.locator(".last").first.get_by_role("link", name="Correct").click()
    page.get_by_label("The display shows").fill("42.121")
    page.get_by_label("misread", exact=True).check()
    page.get_by_role("button", name="Save", exact=True).click()
    expect(page.locator(".last s").first).to_contain_text("42.130 g")
    page.get_by_role("link", name="Mass record").click()
    expect(page.locator(".scheme")).to_contain_text("camphor vapour")
    expect(page.locator(".scheme")).to_contain_text("0.999")
    page.reload()
    expect(page.locator(".scheme")).to_contain_text("0.999")


def test_a_bad_reading_is_said_where_it_happened_and_kept(page):
    open_run(page, 6)
    page.locator("#w-mass").fill("heavy")
    expect(page.locator("#net")).to_contain_text("“heavy” is not a number")
    page.get_by_role("button", name="Save reading").click()
    expect(page.locator("#trouble-mass")).to_be_visible()
    expect(page.locator("#trouble-mass")).to_contain_text("is not a number")
    expect(page.get_by_label("The display shows")).to_have_value("heavy")


def test_a_timer_goes_on_after_a_reload_and_is_stopped(page):
    open_run(page, 2)
    page.locator(".strip a", has_text="11 cool").click()
    page.get_by_role("button", name="Timer 10 min").click()
    clock = page.locator(".timer time")
    expect(clock).to_have_text(re.compile(r"9:5\d|10:00"))
    page.reload()
    expect(clock).to_have_text(re.compile(r"9:5\d"))
    page.get_by_role("button", name="Stop the timer").click()
    expect(clock).to_have_count(0)


def test_readings_typed_without_a_connection_are_sent_once_when_it_is_back(page, context):
    open_run(page, 10)
    context.set_offline(True)
    page.locator("#read").fill("dish residue dried 45.133")
    page.locator("#read").press("Enter")
    expect(page.locator("#offline")).to_contain_text("1 reading is waiting on this device")
    context.set_offline(False)
    expect(page.locator(".last").first).to_contain_text("45.133")
    expect(page.locator(".last", has_text="45.133")).to_have_count(1)


def hold_back_pages(page: Page) -> None:
    """Let the page that follows a reading wait until `let_pages_come`, as when everybody writes at once."""
    page.evaluate(
        """() => {
          const send = window.fetch.bind(window);
          const come = new Promise((resolve) => { window.letPagesCome = resolve; });
          window.fetch = async (address, options) => {
            if (options?.method === "GET" && /\\/runs\\/[^/]+\\?/.test(address)) await come;
            return send(address, options);
          };
        }"""
    )


def let_pages_come(page: Page) -> None:
    page.evaluate("letPagesCome()")
    expect(page.locator("#main:not([aria-busy])")).to_be_visible()


def test_a_reading_is_on_the_page_before_what_follows_from_it(page):
    open_run(page, 11)
    hold_back_pages(page)
    before = page.locator(".last").count()
    page.locator("#read").fill("note the first one")
    page.locator("#read").press("Enter")
    expect(page.locator(".last").first).to_contain_text("the first one")
    expect(page.locator("#said")).to_have_text("Saved: noted: the first one.")
    expect(page.locator("#main[aria-busy]")).to_be_visible()
    # The next one is typed while the page is on its way: it stays, and is another entry.
    page.locator("#read").press_sequentially("note the second one")
    let_pages_come(page)
    expect(page.locator("#read")).to_have_value("note the second one")
    expect(page.locator("#read")).to_be_focused()
    page.locator("#read").press("Enter")
    expect(page.locator(".last").first).to_contain_text("the second one")
    expect(page.locator("#main:not([aria-busy])")).to_be_visible()
    expect(page.locator(".last", has_text="the first one")).to_have_count(1)
    expect(page.locator(".last", has_text="the second one")).to_have_count(1)
    assert page.locator(".last").count() == min(6, before + 2)


def test_a_form_pressed_twice_while_the_page_is_on_its_way_is_one_entry(page):
    open_run(page, 11)
    hold_back_pages(page)
    line = page.locator("#n-words")
    line.fill("pressed twice")
    line.press("Enter")
    expect(page.locator(".last").first).to_contain_text("pressed twice")
    line.press("Enter")
    line.fill("and filled anew")
    line.press("Enter")
    expect(page.locator(".last").first).to_contain_text("filled anew")
    let_pages_come(page)
    page.reload()
    expect(page.locator(".last", has_text="pressed twice")).to_have_count(1)
    expect(page.locator(".last", has_text="and filled anew")).to_have_count(1)


def test_a_field_that_keeps_the_focus_is_empty_once_its_words_are_in_ink(page):
    open_run(page, 11)
    line = page.locator("#n-words")
    line.fill("seen once")
    line.press("Enter")
    expect(page.locator(".last").first).to_contain_text("seen once")
    expect(page.locator("#main:not([aria-busy])")).to_be_visible()
    expect(line).to_have_value("")
    line.press("Enter")
    page.reload()
    expect(page.locator(".last", has_text="seen once")).to_have_count(1)


def test_a_stop_is_gone_on_with_a_word_why(page):
    open_run(page, 9)
    stop = page.locator(".finding.is-stop").first
    expect(stop).to_contain_text("more than went in")
    stop.get_by_role("link", name="Continue").click()
    page.get_by_label("Reason to continue").fill("drying goes on tomorrow")
    page.get_by_role("button", name="Continue").click()
    expect(page.locator(".findings .is-stop")).to_contain_text("Continued: drying goes on tomorrow")


def test_the_builder_by_mouse(page):
    page.goto("/procedures")
    page.get_by_role("link", name="Edit Inside the tablet").click()
    rows = page.locator(".step-row")
    expect(rows).to_have_count(12)
    page.locator("[data-kind='observe']").drag_to(rows.nth(1))
    expect(page.locator(".step-row, .step-open")).to_have_count(13)
    rows.nth(0).drag_to(rows.nth(4), target_position={"x": 40, "y": 40})
    expect(page.locator("#steps")).to_contain_text("but no earlier step produces it")
    page.get_by_role("button", name="Undo").click()
    expect(page.locator("#steps")).not_to_contain_text("but no earlier step produces it")
    page.get_by_role("button", name="Undo").click()
    expect(rows).to_have_count(12)
    page.get_by_role("button", name="Redo").click()
    expect(rows).to_have_count(13)
    page.get_by_role("button", name="Undo").click()


def test_the_builder_by_keyboard_settles_a_finding(page):
    page.goto("/procedures")
    page.get_by_role("link", name="Edit Chalk").click()
    page.locator(".step-row a").nth(9).click()
    page.get_by_role("button", name="Delete").click()
    expect(page.locator(".advice")).to_contain_text("weighs a hot container")
    page.locator(".advice button").focus()
    page.keyboard.press("Enter")
    expect(page.locator(".advice")).to_have_count(0)
    page.locator(".step-row a").nth(1).focus()
    page.keyboard.press("Alt+ArrowDown")
    expect(page.locator(".step-row").nth(2)).to_contain_text("calcium chloride")
    page.locator("#main").evaluate("() => document.activeElement.blur()")
    page.keyboard.press("a")
    expect(page.locator("#palette-first")).to_be_focused()


def test_the_shelf_fills_a_substance_in(page):
    page.goto("/procedures")
    page.get_by_label("Title").fill("Blue crystals")
    page.get_by_role("button", name="Create procedure").click()
    page.locator(".sheet").get_by_role("link", name="Add", exact=True).first.click()
    page.get_by_role("textbox", name="Substance").press_sequentially("copper(II) sulfate p")
    page.get_by_role("button", name="copper(II) sulfate pentahydrate").click()
    expect(page.get_by_label("Formula")).to_have_value("CuSO4·5H2O")
    page.get_by_label("Per bench").fill("2.00 g")
    page.get_by_role("button", name="Save", exact=True).click()
    expect(page.locator(".amounts-table")).to_contain_text("CuSO₄·5H₂O")
    expect(page.locator(".amounts-table")).to_contain_text("2.00")


@pytest.mark.parametrize("size", [(1280, 800), (820, 1180), (390, 844)])
def test_every_new_page_is_fit_for_everybody(page, size):
    page.set_viewport_size({"width": size[0], "height": size[1]})
    open_run(page, 6)
    run = page.url
    page.goto("/procedures")
    builder = page.get_by_role("link", name="Edit A mixed powder").get_attribute("href")
    board = page.goto("/find?q=sep-2").url
    found = {}
    for address in (
        run,
        f"{run}?step=s8",
        f"{run}?view=record",
        f"{run}?view=notes",
        f"{run}/edit/weighed",
        "/procedures",
        builder,
        f"{builder}?step=s8",
        f"{builder}/start",
        f"{builder}/compare",
        "/house-rules",
        "/reference-data",
        "/reference-data?kind=substance",
        board,
        f"{board}/containers",
    ):
        page.goto(address)
        # Upright only where the layout itself is another one; on a phone it is the width that goes wrong.
        bad = violations(page) if size[0] > 1000 or (size[0] > 400 and address in (run, builder)) else []
        if bad:
            found[address] = bad
        wider = page.evaluate("document.documentElement.scrollWidth - document.documentElement.clientWidth")
        assert wider <= 0, (address, wider)
    assert not found, "\n".join(f"{address}: {one}" for address, bad in found.items() for one in bad)


def test_the_board_follows_what_is_written_elsewhere(page, context):
    page.goto("/find?q=sep-2")
    expect(page.locator("#live")).to_have_text("live")
    page.goto(page.url.split("?")[0] + "?work=Plates")
    expect(page.locator("#live")).to_have_text("live")
    seen = page.locator("#main").get_attribute("data-seen")
    other = context.new_page()
    other.goto("/find?q=3")
    other.locator(".page-line", has_text="Plate 1").first.click()
    other.wait_for_selector("#tlc")
    listening(other)
    other.locator("#read").fill("P 40.0")
    other.keyboard.press("Enter")
    expect(other.locator(".spots-table")).to_contain_text("P1")
    expect(page.locator("#main")).not_to_have_attribute("data-seen", seen)
    expect(page.locator("#live")).to_have_text("live")
    other.close()
