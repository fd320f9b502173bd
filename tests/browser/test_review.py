"""What a class found, in the browser."""

import re

from playwright.sync_api import expect

from tests.browser.conftest import listening, violations


def test_a_dot_leads_to_its_bench(page):
    page.goto("/find?q=sep-2")
    page.get_by_role("link", name="Results", exact=True).click()
    expect(page.locator("svg.review")).to_contain_text("mass balance")
    assert violations(page) == []
    page.set_viewport_size({"width": 820, "height": 1180})
    assert page.evaluate("document.documentElement.scrollWidth <= innerWidth")
    page.locator("svg.review a").first.focus()
    page.keyboard.press("Enter")
    page.wait_for_selector(".page-run")
    listening(page)


def test_it_fits_a_phone(page):
    page.set_viewport_size({"width": 390, "height": 844})
    page.goto("/find?q=sep-2")
    page.get_by_role("link", name="Results", exact=True).click()
    chart, side = page.locator("svg.review"), page.locator(".page-review .sheet")
    expect(chart).to_be_visible()
    assert side.bounding_box()["y"] > chart.bounding_box()["y"], "beside it there is no room"
    assert page.evaluate("document.documentElement.scrollWidth <= innerWidth")


def review_of(page, code):
    page.goto(f"/find?q={code}")
    page.get_by_role("link", name="Results", exact=True).click()
    page.wait_for_selector("svg.review")
    listening(page)


def test_wrong_answers_are_seen_with_the_mistake_that_gives_them(page):
    review_of(page, "sep-5")
    table = page.get_by_role("region", name="Answers, bench by bench")
    expect(table).to_contain_text("106.7")
    expect(page.locator(".explained")).to_contain_text("Bench 4 ratio inverted")
    expect(page.locator(".mistakes")).to_contain_text("divided by the whole mixture")
    page.get_by_role("link", name="Questions").click()
    expect(page.get_by_role("heading", name="Questions", exact=True)).to_be_visible()
    assert violations(page) == []
    page.get_by_label("Tolerance, mass balance").fill("4")
    page.get_by_role("button", name="Save", exact=True).click()
    expect(page.get_by_label("Tolerance, mass balance")).to_have_value("4")


def test_a_bench_types_its_answers_and_a_bad_one_stays_where_it_was_typed(page):
    review_of(page, "sep-6")
    page.locator("svg.review a").first.click()
    page.get_by_role("link", name="Answers").click()
    field = page.get_by_label("What percentage of the acetanilide did you recover?")
    field.fill("most of it")
    field.press("Enter")
    expect(page.get_by_role("alert")).to_contain_text("is not a number")
    expect(field).to_have_value("most of it")
    assert violations(page) == []
    field.fill("84.5")
    field.press("Enter")
    expect(page.locator(".answer", has=field)).to_contain_text("right")
    expect(page.locator("#said")).to_contain_text("Saved: 84.5")
    page.set_viewport_size({"width": 390, "height": 844})
    assert page.evaluate("document.documentElement.scrollWidth <= innerWidth")
    page.reload()
    expect(page.get_by_label("What percentage of the acetanilide did you recover?")).to_have_value("84.5")


def test_a_drawing_leaves_as_a_file_of_its_own(page):
    review_of(page, "sep-5")
    page.get_by_text("Report", exact=True).click()
    with page.expect_download() as downloaded:
        page.get_by_role("link", name="The class's numbers, SVG").click()
    text = downloaded.value.path().read_text(encoding="utf-8")
    assert text.startswith("<svg") and "#0b6e78" in text.casefold()


def test_the_report_is_read_and_printed_with_its_progress(page):
    review_of(page, "sep-6")
    page.get_by_text("Report", exact=True).click()
    page.get_by_role("button", name="With every bench, PDF A4").click()
    expect(page.get_by_text("Report ready.")).to_be_visible(timeout=60_000)
    assert violations(page) == []
    content = page.request.get(page.get_by_role("link", name="Open the report").get_attribute("href")).body()
    assert content[:5] == b"%PDF-"
    page.go_back()
    page.get_by_text("Report", exact=True).click()
    page.get_by_role("link", name="On screen", exact=True).click()
    expect(page.get_by_role("heading", name="Acetanilide made clean")).to_be_visible()
    assert violations(page) == []


def test_readings_come_in_from_a_file_after_a_look_at_them(page):
    review_of(page, "sep-2")
    page.get_by_text("More", exact=True).click()
    page.get_by_role("link", name="Import readings, runs, names").click()
    assert violations(page) == []
    bad = {"name": "monday.csv", "mimeType": "text/csv", "buffer": b"bench;dish;g\n3;boat;=1+1\n"}
    page.get_by_label("A file").set_input_files(bad)
    page.get_by_role("button", name="Preview").click()
    expect(page.get_by_role("alert")).to_contain_text("line 2, g")
    good = {"name": "monday.csv", "mimeType": "text/csv", "buffer": b"bench;dish;g\n3;boat 7;12,345\n"}
    page.get_by_label("A file").set_input_files(good)
    page.get_by_role("button", name="Preview").click()
    expect(page.get_by_role("heading", name="monday.csv")).to_be_visible()
    assert violations(page) == []
    expect(page.get_by_label("What g means")).to_have_value("mass")
    page.get_by_label("Into the runs of").select_option("A mixed powder")
    page.get_by_role("button", name="Update preview").click()
    expect(page.get_by_text("boat 7, empty, dry: 12.345 g")).to_be_visible()
    page.get_by_role("button", name="Import 1 reading").click()
    page.wait_for_selector("svg.review")
    listening(page)
    page.goto("/find?q=boat")
    expect(page.locator(".hits")).to_contain_text("12.345")


def test_words_are_found_from_the_box_in_the_frame(page):
    page.goto("/")
    page.keyboard.press("/")
    page.keyboard.type("white fumes")
    page.keyboard.press("Enter")
    expect(page.get_by_role("heading", name="Results for “white fumes”")).to_be_visible()
    assert violations(page) == []
    page.locator(".hits a").first.click()
    page.wait_for_selector(".page-run")
    listening(page)


def test_a_reading_is_struck_where_it_is_seen(page):
    """From the table of results, and from what needs somebody on the board."""
    review_of(page, "sep-6")
    page.get_by_text("Show as a table").first.click()
    number = page.locator("table.ledger td a[href*='/readings?']").first
    number.click()
    panel = page.locator("#panel")
    expect(panel).to_contain_text("Readings that stand")
    assert violations(page) == []
    panel.get_by_role("link", name=re.compile("^Strike out.*")).first.click()
    expect(panel).to_contain_text("The history still shows it")
    panel.get_by_label("misread").check()
    panel.get_by_role("button", name="Strike out").click()
    page.wait_for_selector("svg.review")
    expect(panel).to_be_hidden()
