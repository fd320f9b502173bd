"""A plate in the browser: drawn, dragged, typed, corrected, kept."""

import re

import pytest
from playwright.sync_api import Page, expect

from tests.browser.conftest import listening, sign_in, violations


def row(page: Page, name: str):
    return page.locator(".spots-table tr", has=page.get_by_role("link", name=name, exact=True))


def typed(page: Page, text: str) -> None:
    """Go to the reading line with its key, then type."""
    page.locator("#said").evaluate("() => document.activeElement.blur()")
    page.keyboard.press("r")
    page.keyboard.type(text)


def pixel_of(page: Page, lane: int, mm: float) -> tuple[float, float]:
    """Where a distance over the origin in a lane is on the screen."""
    return tuple(
        page.evaluate(
            """([lane, mm]) => { const svg = document.getElementById('tlc'); const hit = svg.querySelectorAll('.lane-hit')[lane];
            const p = new DOMPoint(Number(hit.dataset.x), Number(svg.dataset.origin) - mm).matrixTransform(svg.getScreenCTM());
            return [p.x, p.y]; }""",
            [lane, mm],
        )
    )


def test_a_new_user_gets_from_sign_in_to_a_corrected_exported_plate(page):
    page.get_by_role("button", name="New plate").click()
    page.get_by_label("Lanes").fill("P paracetamol ref, C caffeine ref, T tablet extract")
    page.get_by_label("Eluent parts").fill("ethyl acetate : hexane 3 : 1")
    page.get_by_label("Eluent level").fill("5")
    page.get_by_label("lined", exact=True).check()
    page.get_by_role("button", name="Create plate").click()
    page.wait_for_selector("#tlc")
    listening(page)
    typed(page, "front 80.0")
    expect(page.locator("#understood")).to_contain_text("front at 80.0 mm")
    page.keyboard.press("Enter")
    expect(page.locator(".front-line")).to_contain_text("80.0 mm")
    page.mouse.click(*pixel_of(page, 2, 40))
    expect(row(page, "T1")).to_contain_text("0.50")
    typed(page, "T1 42.0")
    expect(page.locator("#understood")).to_contain_text("was 40.0 mm, so Rf 0.53")
    page.keyboard.press("Enter")
    expect(row(page, "T1")).to_contain_text("0.53")
    with page.expect_download() as download:
        page.get_by_text("Export").click()
        page.get_by_role("link", name="Spots, CSV").click()
    assert "T,T1,tablet extract,unknown,42" in download.value.path().read_text()
    page.get_by_role("link", name="History").click()
    expect(page.locator("s")).to_contain_text("spot in lane T at 40.0 mm")


def test_a_spot_is_dragged_and_the_answer_comes_from_one_round_trip(plate):
    page = plate(4)
    writes = []
    page.on("request", lambda request: writes.append(request.url) if request.method == "POST" else None)
    box = page.locator("[data-name=T3]").bounding_box()
    x, y = box["x"] + box["width"] / 2, box["y"] + box["height"] / 2
    page.mouse.move(x, y)
    page.mouse.down()
    page.mouse.move(x, y - 20, steps=5)
    expect(page.locator("#drag-mm")).to_have_text(re.compile(r"1\d\.[05]"))
    shown = page.locator("#drag-mm").text_content()
    page.mouse.up()
    expect(row(page, "T3")).to_contain_text(shown)
    expect(page.locator("#said")).to_contain_text(f"Saved: T3 at {shown} mm")
    assert len(writes) == 1
    assert page.locator("[data-name=T3]").get_attribute("data-mm") == shown
    page.reload()
    expect(row(page, "T3")).to_contain_text(shown)


def test_arrow_keys_move_by_half_a_millimetre_shift_by_five_and_escape_puts_back(plate):
    page = plate(6)
    spot = page.locator("[data-name=A1]")
    spot.focus()
    page.keyboard.press("ArrowUp")
    page.keyboard.press("Shift+ArrowUp")
    expect(spot).to_have_attribute("aria-valuetext", "55.5 mm")
    page.keyboard.press("Escape")
    expect(spot).to_have_attribute("aria-valuenow", re.compile(r"^50"))
    page.keyboard.press("ArrowDown")
    expect(row(page, "A1")).to_contain_text("49.5")
    expect(page.locator("[data-name=A1]")).to_be_focused()
    front = page.locator("#front-plate")
    front.focus()
    page.keyboard.press("Shift+ArrowDown")
    expect(page.locator(".front-line")).to_contain_text("75.5 mm")
    page.locator("#origin").focus()
    page.keyboard.press("ArrowUp")
    expect(page.locator("#origin")).to_have_attribute("data-mm", "10.5")


def test_everything_on_the_drawing_is_reached_by_keyboard(plate):
    page = plate(2)
    page.locator("[data-name=P1]").focus()
    page.keyboard.press("Enter")
    expect(page.get_by_role("heading", name="Correct spot P1")).to_be_visible()
    page.keyboard.press("Escape")
    page.locator("[data-name=P1]").focus()
    page.keyboard.press("Delete")
    expect(page.get_by_role("heading", name="Strike out spot P1")).to_be_visible()
    page.get_by_role("button", name="Strike out").click()
    expect(page.locator(".trouble")).to_contain_text("short reason")
    page.get_by_label("misread", exact=True).check()
    page.get_by_role("button", name="Strike out").click()
    expect(row(page, "P1")).to_have_count(0)
    page.locator(".lane-hit").first.focus()
    page.keyboard.press("Enter")
    page.get_by_label("Origin to centre").fill("forty")
    page.get_by_role("button", name="Save", exact=True).click()
    expect(page.locator("#trouble-distance")).to_contain_text("“forty” is not a number")
    expect(page.get_by_label("Origin to centre")).to_have_value("forty")
    page.get_by_label("Origin to centre").fill("37.5")
    page.get_by_role("button", name="Save", exact=True).click()
    expect(row(page, "P1")).to_contain_text("0.47")
    expect(page.locator("#panel")).not_to_be_visible()


def test_the_reading_line_completes_and_takes_one_reading_after_another(plate):
    page = plate(3)
    typed(page, "fr")
    expect(page.locator("[data-complete]").first).to_have_text("front")
    page.keyboard.press("Tab")
    expect(page.locator("#read")).to_have_value("front ")
    page.keyboard.type("77.0")
    page.keyboard.press("Enter")
    for reading in ("P 36.0", "A 47.5"):
        expect(page.locator("#read")).to_have_value("")
        expect(page.locator("#read")).to_be_focused()
        page.keyboard.type(reading)
        page.keyboard.press("Enter")
    expect(row(page, "P1")).to_contain_text("0.47")
    expect(row(page, "A1")).to_contain_text("0.62")
    page.keyboard.type("Q 40")
    page.keyboard.press("Enter")
    expect(page.locator("#understood")).to_contain_text("not a lane or spot")
    expect(page.locator("#read")).to_have_value("Q 40")


def test_views_show_what_was_seen_under_each_light(plate):
    page = plate(4)
    expect(page.locator(".tlc")).to_have_class(re.compile("on-glow"))
    page.get_by_role("link", name="365 nm").click()
    expect(page.locator(".tlc")).to_have_class(re.compile("on-dark"))
    assert page.locator("[data-name=A1] .blob").count() == 1
    assert page.locator("[data-name=C1] .blob-unseen").count() == 1
    assert "view=365" in page.url


def test_a_stop_names_the_exchanged_readings_and_asks_for_a_word(plate):
    page = plate(5)
    stop = page.locator("#main .finding.is-stop")
    expect(stop).to_contain_text("0.48, not 2.11")
    page.get_by_role("link", name="Continue anyway (reason)").click()
    page.get_by_label("Reason to continue").fill("to show the class")
    page.get_by_role("button", name="Continue").click()
    expect(page.locator("#main .finding.is-stop")).to_contain_text("Continued: to show the class")


def test_two_people_at_one_plate_both_keep_what_they_wrote(browser, running, plate):
    page = plate(1)
    context = browser.new_context(base_url=running.address)
    other = context.new_page()
    sign_in(other)
    other.goto(page.url)
    typed(page, "T 60.0")
    page.keyboard.press("Enter")
    expect(row(page, "T4")).to_contain_text("60.0")
    typed(other, "T 65.0")
    other.keyboard.press("Enter")
    for name, distance in (("T4", "60.0"), ("T5", "65.0")):
        expect(row(other, name)).to_contain_text(distance)
    typed(page, "T1 48.0")
    page.keyboard.press("Enter")
    expect(row(page, "T1")).to_contain_text("48.0")
    typed(other, "T1 47.0")
    other.keyboard.press("Enter")
    expect(row(other, "T1")).to_contain_text("47.0")  # written, before the page is left
    other.goto(page.url.partition("?")[0] + "/history")
    expect(other.locator("s", has_text="48.0 mm")).to_have_count(1)
    context.close()


def test_a_lost_connection_keeps_readings_and_sends_each_once(plate, context):
    page = plate(8)
    context.set_offline(True)
    for reading in ("front 77.0", "P 36.0"):
        page.locator("#read").fill(reading)
        page.keyboard.press("Enter")
        expect(page.locator("#read")).to_have_value("")
    expect(page.locator("#offline")).to_contain_text("2 readings are waiting on this device")
    context.set_offline(False)
    expect(row(page, "P1")).to_contain_text("0.47")
    expect(page.locator("#offline")).to_be_hidden()
    page.goto(page.url.partition("?")[0] + "/history")
    expect(page.locator("td", has_text="spot in lane P at 36.0 mm")).to_have_count(1)


def test_readings_survive_a_restart_of_the_server(plate, running):
    page = plate(7)
    running.stop()
    page.locator("#read").fill("C 14.5")
    page.keyboard.press("Enter")
    expect(page.locator("#offline")).to_contain_text("1 reading is waiting")
    running.start(port=running.port)
    expect(row(page, "C2")).to_contain_text("14.5")


def test_an_ended_session_keeps_what_was_typed_and_goes_on_after_signing_in_again(plate, context):
    page = plate(9)
    cookies = context.cookies()
    context.clear_cookies()
    page.locator("#read").fill("T 70.0")
    page.keyboard.press("Enter")
    expect(page.locator("#said")).to_contain_text("Your session has ended")
    expect(page.locator("#read")).to_have_value("T 70.0")
    assert cookies
    again = context.new_page()
    sign_in(again)
    page.locator("#read").focus()
    page.keyboard.press("Enter")
    expect(row(page, "T4")).to_contain_text("70.0")


def test_the_keys_are_listed_and_benches_are_two_actions_away(page):
    page.keyboard.press("?")
    expect(page.get_by_role("heading", name="Keyboard shortcuts")).to_be_visible()
    page.keyboard.press("Escape")
    page.keyboard.press("/")
    page.keyboard.type("7")
    page.keyboard.press("Enter")
    expect(page.get_by_role("heading", name="Bench 7")).to_be_visible()


def test_a_plate_works_by_touch(browser, running):
    context = browser.new_context(base_url=running.address, viewport={"width": 820, "height": 1180}, has_touch=True)
    page = context.new_page()
    sign_in(page)
    page.goto("/find?q=11")
    page.locator(".page-line", has_text="Plate 1").first.tap()
    page.wait_for_selector("#tlc")
    listening(page)
    page.wait_for_load_state("networkidle")  # where the drawing lies is then settled
    page.touchscreen.tap(*pixel_of(page, 0, 20))
    expect(row(page, "P2")).to_contain_text("20.0")
    for target in page.locator("button:visible, a.button:visible, .views a:visible").all():
        assert target.bounding_box()["height"] >= 24, target.inner_text()
    assert page.evaluate("document.documentElement.scrollWidth <= innerWidth")
    context.close()


@pytest.mark.parametrize("bench", [4, 5, 7])
@pytest.mark.parametrize("view", ["daylight", "254", "365", "stain"])
def test_plates_are_accessible_under_every_light(plate, bench, view):
    page = plate(bench)
    page.goto(page.url.partition("?")[0] + f"?view={view}")
    assert violations(page) == []


def test_the_other_pages_and_the_panels_are_accessible(page, plate):
    for path in ("/", "/find?q=sep-2", "/find?q=3", "/api", "/nowhere"):
        page.goto(path)
        assert violations(page) == [], path
    plate(4)
    page.goto(page.url + "/history")
    assert violations(page) == []
    plate(4)
    for opener in ("Add a spot", "Details", "Strike out", "Change the plate", "Change the eluent", "Change the front"):
        page.get_by_role("link", name=opener, exact=True).click()
        page.wait_for_selector("dialog[open] form")
        assert violations(page) == [], opener
        page.keyboard.press("Escape")
    page.goto("/")
    page.get_by_role("button", name="New plate").click()
    page.wait_for_selector("#start-form")
    assert violations(page) == []


def test_the_sign_in_page_is_accessible_and_says_what_is_wrong(browser, running):
    context = browser.new_context(base_url=running.address)
    page = context.new_page()
    page.goto("/sign-in")
    assert violations(page) == []
    page.get_by_label("E-mail").fill("ines@saltmarsh.example")
    page.get_by_label("Password").fill("wrong")
    page.get_by_role("button", name="Sign in").click()
    expect(page.get_by_role("alert")).to_contain_text("E-mail or password is wrong")
    expect(page.get_by_label("E-mail")).to_have_value("ines@saltmarsh.example")
    assert violations(page) == []
    context.close()


def test_forms_work_without_scripts(browser, running):
    context = browser.new_context(base_url=running.address, java_script_enabled=False)
    page = context.new_page()
    sign_in(page)
    page.goto("/find?q=12")
    page.get_by_role("button", name="New plate").click()
    page.get_by_label("Lanes").fill("P, T")
    page.get_by_role("button", name="Create plate").click()
    page.locator("#read").fill("front 80")
    page.get_by_role("button", name="Enter").click()
    page.get_by_role("link", name="Add a spot").click()
    page.get_by_label("Lane").select_option("P")
    page.get_by_label("Origin to centre").fill("nonsense")
    page.get_by_role("button", name="Save", exact=True).click()
    expect(page.locator("#trouble-distance")).to_contain_text("not a number")
    page.get_by_label("Origin to centre").fill("40")
    page.get_by_role("button", name="Save", exact=True).click()
    expect(row(page, "P1")).to_contain_text("0.50")
    context.close()
