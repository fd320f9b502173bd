"""A photograph in the browser: taken in, watched while it is read, corrected, kept."""

import pytest
from playwright.sync_api import Page, expect

from tests.browser.conftest import ROOT, listening, sign_in, violations

PHOTO = ROOT / "src/helvor/demo/photographs/tablet-254.jpg"


@pytest.fixture
def photo(page: Page) -> Page:
    """Bench 8's plate with its photograph, read."""
    page.goto("/find?q=8")
    page.locator(".page-line", has_text="Plate 1").first.click()
    page.get_by_role("link", name="Photograph", exact=True).click()
    expect(page.locator(".proposals [name=keep]")).to_have_count(6)
    return page


def test_from_the_file_to_spots_on_the_plate(page):
    page.goto("/find?q=3")
    page.locator(".page-line", has_text="Plate 1").first.click()
    page.get_by_role("link", name="Add a photograph").click()
    page.get_by_label("Photograph, JPEG").set_input_files(PHOTO)
    page.get_by_label("254 nm").check()
    page.get_by_role("button", name="Upload and analyse").click()
    expect(page.locator(".proposals")).to_be_visible()
    # One is moved by typing, one more is added by a click on its lane, the doubtful one is kept.
    page.get_by_label("A1, mm above the origin").fill("44,0")
    page.get_by_label("Save T3").check()
    lane = page.locator("#flat .lane-add").nth(2).bounding_box()
    page.mouse.click(lane["x"] + lane["width"] / 2, lane["y"] + lane["height"] * 0.25)
    expect(page.get_by_label("One more spot, mm above the origin")).not_to_have_value("")
    page.get_by_role("button", name="Save ticked spots").click()
    page.wait_for_selector(".spots-table")
    listening(page)
    expect(page.locator(".spots-table tbody tr")).to_have_count(7)
    expect(page.locator(".spots-table tr", has_text="A1")).to_contain_text("44.0")
    page.get_by_role("link", name="P1", exact=True).click()
    expect(page.locator(".picked")).to_contain_text("From a photograph")


def test_a_dragged_corner_is_read_again_and_arrow_keys_move_it_too(photo):
    before = photo.locator("#corners").input_value()
    corner = photo.locator("#photo .corner").first
    box = corner.bounding_box()
    x, y = box["x"] + box["width"] / 2, box["y"] + box["height"] / 2
    photo.mouse.move(x, y)
    photo.mouse.down()
    photo.mouse.move(x + 12, y + 8, steps=3)
    photo.mouse.up()
    expect(photo.get_by_role("button", name="Find corners")).to_be_visible()
    expect(photo.locator(".proposals")).to_be_visible()
    moved = photo.locator("#corners").input_value()
    assert moved != before
    corner = photo.locator("#photo .corner").nth(2)
    corner.focus()
    photo.keyboard.press("ArrowLeft")
    assert photo.locator("#corners").input_value() != moved
    photo.get_by_role("button", name="Find corners").click()
    expect(photo.get_by_role("button", name="Find corners")).to_have_count(0)
    expect(photo.locator(".proposals")).to_be_visible()
    assert photo.locator("#corners").input_value() == before


def test_a_spot_is_dragged_and_its_number_follows(photo):
    field = photo.get_by_label("P1, mm above the origin")
    before = float(field.input_value())
    box = photo.locator("#flat .proposed").first.bounding_box()
    x, y = box["x"] + box["width"] / 2, box["y"] + box["height"] / 2
    photo.mouse.move(x, y)
    photo.mouse.down()
    photo.mouse.move(x, y - 30, steps=3)
    photo.mouse.up()
    assert float(field.input_value()) > before + 3


def test_another_lane_shows_its_profile(photo):
    photo.get_by_role("button", name="P", exact=True).click()
    expect(photo.get_by_role("img", name="Lane P:")).to_be_visible()
    expect(photo.get_by_role("img", name="Lane T:")).to_be_hidden()


def test_the_photograph_is_accessible_and_fits_a_tablet(photo):
    assert violations(photo) == []
    photo.set_viewport_size({"width": 820, "height": 1180})
    assert photo.evaluate("document.documentElement.scrollWidth") <= 820
    assert violations(photo) == []
    photo.get_by_role("link", name="Another photo").click()
    assert violations(photo) == []


def test_a_bad_file_is_refused_beside_its_field(page, tmp_path):
    page.goto("/find?q=8")
    page.locator(".page-line", has_text="Plate 1").first.click()
    page.get_by_role("link", name="Photograph", exact=True).click()
    page.get_by_role("link", name="Another photo").click()
    bad = tmp_path / "plate.jpg"
    bad.write_bytes(b"no picture at all")
    page.get_by_label("Photograph, JPEG").set_input_files(bad)
    page.get_by_role("button", name="Upload and analyse").click()
    expect(page.get_by_role("alert")).to_contain_text("cannot be read")


def test_it_works_without_scripts(browser, running):
    context = browser.new_context(base_url=running.address, java_script_enabled=False)
    page = context.new_page()
    sign_in(page)
    page.goto("/find?q=8")
    page.locator(".page-line", has_text="Plate 1").first.click()
    page.get_by_role("link", name="Photograph", exact=True).click()
    page.get_by_role("button", name="Save ticked spots").click()
    expect(page.locator(".spots-table tbody tr").first).to_contain_text("P1")
    context.close()
