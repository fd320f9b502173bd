"""Typed and scanned in the browser: answers pressed, several readings, undo by a key, a label before a camera."""

import re
from pathlib import Path

import numpy as np
import pytest
import segno
from playwright.sync_api import expect

from tests.browser.conftest import CHROMIUM, violations
from tests.browser.test_run import open_run, type_reading


@pytest.mark.parametrize(
    ("line", "question", "answer", "written"),
    [
        ("papr 0.955", "is no container here", "paper 0.955", "paper, empty, dry: 0.955 g"),
        ("dish 3: 32.514", "", "", "dish 3, empty, dry: 32.514 g"),
        ("tempreature 45", "the command temp", "temp 45", "noted: 45 °C"),
        ("timer 1 h oven", "", "", ""),
        ("take 1 M sodium hydroxide 15 mL", "", "", "took 15 mL of 1 M sodium hydroxide"),
    ],
)
def test_what_is_typed_is_taken_or_asked_with_answers_to_press(page, line, question, answer, written):
    open_run(page, 11)
    page.locator("#read").fill(line)
    if question:
        expect(page.locator("#understood")).to_contain_text(question)
        page.locator("#understood").get_by_role("button", name=answer, exact=True).click()
        expect(page.locator("#read")).to_have_value(answer)
    page.locator("#read").press("Enter")
    expect(page.locator("#read")).to_have_value("")
    if written:
        expect(page.locator("#last-readings .last").first).to_contain_text(written)
    else:
        expect(page.locator(".timer").first).to_contain_text("oven")


def test_several_readings_in_a_line_and_one_key_that_takes_back(page):
    open_run(page, 11)
    type_reading(page, "dish 5 31.204, dish 6 30.998", "dish 6, empty, dry: 30.998 g")
    expect(page.locator("#last-readings .last").first).to_contain_text("dish 6")
    page.locator(".says").click()
    page.keyboard.press("u")
    expect(page.locator("#last-readings .last").first).to_contain_text("dish 5")
    page.get_by_role("link", name="Mass record").click()
    page.get_by_text("Every reading, to correct or strike out").click()
    page.locator(".every-reading .last", has_text="31.204").get_by_role("link", name=re.compile("^Correct")).click()
    page.get_by_label("The display shows").fill("31.206")
    page.get_by_label("misread", exact=True).check()
    page.get_by_role("button", name="Save", exact=True).click()
    expect(page.locator("main")).to_contain_text("31.206")
    assert violations(page) == []


def test_a_plate_asks_what_is_not_sure(page):
    page.goto("/find?q=5")
    page.locator(".page-line", has_text="Plate").first.click()
    lane = page.locator(".lane-label, .lanes b").first.inner_text().split()[0]
    page.locator("#read").fill(f"{lane} 0.51")
    expect(page.locator("#understood")).to_contain_text("looks like an Rf")
    type_reading(page, "note a shadow on the left", "noted: a shadow on the left")
    expect(page.locator(".plate-note")).to_contain_text("a shadow on the left")


def as_film(code: str, path: Path) -> Path:
    """A film of one label, as a camera sees it: 640 × 480, grey, 4:2:0."""
    modules = np.array([list(row) for row in segno.make(code, error="m").matrix_iter(border=4)])
    side = 300 // len(modules)
    picture = np.where(np.kron(modules, np.ones((side, side))) > 0, 30, 220).astype(np.uint8)
    luma = np.full((480, 640), 140, np.uint8)
    luma[60 : 60 + len(picture), 120 : 120 + len(picture)] = picture
    chroma = np.full((240, 320), 128, np.uint8).tobytes()
    frame = b"FRAME\n" + luma.tobytes() + chroma + chroma
    path.write_bytes(b"YUV4MPEG2 W640 H480 F30:1 Ip A1:1 C420jpeg\n" + frame * 15)
    return path


def label_of(page) -> tuple[str, str]:
    """A registered container of bench 11's class: the address that its label shows, and its code."""
    board = page.url.partition("?")[0]
    page.goto(f"{board}/containers")
    page.locator("input[name=label]").fill("dish S")
    page.get_by_role("button", name="Register").click()
    code = page.locator("tr", has_text="dish S").locator("td").first.inner_text().strip()
    return f"http://lab.example{board[board.index('/classes') :]}/containers?code={code}", code


def test_a_printed_label_before_the_camera_fills_the_line(page, running, cookies, tmp_path):
    open_run(page, 11)
    page.locator(".trail a[href^='/classes/']").first.click()
    page.wait_for_url("**/classes/*")
    address, code = label_of(page)
    film = as_film(address, tmp_path / "label.y4m")
    camera = (
        "--use-fake-ui-for-media-stream",
        "--use-fake-device-for-media-stream",
        f"--use-file-for-fake-video-capture={film}",
    )
    page.context.storage_state(path=tmp_path / "signed-in.json")
    browser = page.context.browser.browser_type.launch(executable_path="/usr/bin/chromium", args=[*CHROMIUM, *camera])
    try:
        context = browser.new_context(
            base_url=running.address, storage_state=tmp_path / "signed-in.json", service_workers="block"
        )
        tablet = context.new_page()
        open_run(tablet, 11)
        tablet.get_by_role("button", name="Scan").click()
        expect(tablet.locator("#read")).to_have_value(f"{code} ", timeout=60_000)
        expect(tablet.locator("#scan")).not_to_be_visible()
        type_reading(tablet, f"{code} 30.118", "dish S, empty, dry")
        expect(tablet.locator("#last-readings .last").first).to_contain_text("dish S, empty, dry: 30.118")
    finally:
        browser.close()


def test_a_photograph_of_a_label_does_where_no_camera_may_be_used(page, tmp_path):
    segno.make("http://lab.example/classes/x/containers?code=QRS7", error="m").save(str(tmp_path / "l.png"), scale=6)
    open_run(page, 11)
    page.get_by_role("button", name="Scan").click()
    page.locator("#scan input[type=file]").set_input_files(tmp_path / "l.png")
    expect(page.locator("#read")).to_have_value("QRS7 ")
