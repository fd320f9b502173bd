"""A practice run in the browser: carried out, sent off the line and back, debriefed, begun again from a decision."""

import re

import pytest
from playwright.sync_api import expect

from helvor.core.practice.rehearsals import STORIES
from tests.browser.conftest import violations


def begin(page, title):
    page.goto("/practice/runs")
    page.locator(".rehearsal-card", has_text=title).get_by_role("button", name="Start").click()
    expect(page.locator(".rehearsal-option").first).to_be_visible()


def finish(page):
    while page.locator(".rehearsal-option").count():
        before = page.locator(".rehearsal-asks h2").inner_text()
        page.locator(".rehearsal-option").first.click()
        page.wait_for_function(
            "before => !document.querySelector('.rehearsal-asks h2') ||"
            " document.querySelector('.rehearsal-asks h2').innerText !== before",
            arg=before,
        )


@pytest.mark.parametrize("title", [one.title for one in STORIES.values()])
def test_every_story_is_accessible_on_its_way_and_at_its_end(page, title):
    begin(page, title)
    assert violations(page) == []
    for _ in range(3):
        page.locator(".rehearsal-option").first.click()
        page.wait_for_load_state()
        assert violations(page) == []
    page.set_viewport_size({"width": 390, "height": 844})
    assert page.evaluate("document.documentElement.scrollWidth <= innerWidth")
    finish(page)
    expect(page.get_by_role("heading", name="Effect of each decision")).to_be_visible()
    assert page.evaluate("document.documentElement.scrollWidth <= innerWidth")
    assert violations(page) == []


def test_choices_have_their_consequences_and_the_run_stands_in_the_notebook(page):
    begin(page, "Acetanilide made clean")
    page.get_by_role("button", name="90 mL at once, to be safe").focus()
    page.keyboard.press("Enter")
    expect(page.get_by_text("more than twice the water")).to_be_visible()
    expect(page.locator(".rehearsal-decisions")).to_contain_text("90 mL at once")
    page.reload()
    expect(page.locator(".rehearsal-decisions")).to_contain_text("90 mL at once")
    page.get_by_text("True amounts").click()
    expect(page.locator(".where-is")).to_contain_text("Acetanilide")
    finish(page)
    row = page.locator("tr", has_text="90 mL at once, to be safe")
    expect(row).to_contain_text(re.compile(r"[+−]\d\d"))
    page.get_by_role("link", name="Open notebook page").click()
    expect(page.get_by_role("heading", name="Acetanilide made clean, virtual")).to_be_visible()
    page.go_back()
    page.locator("tr", has_text="90 mL at once").get_by_role("button", name=re.compile("Retry from here")).click()
    expect(page.get_by_role("heading", name="How much boiling water do you add to the grains?")).to_be_visible()


def test_a_second_tap_decides_nothing_twice(page):
    begin(page, "Chalk from two solutions")
    page.locator(".rehearsal-option").first.dblclick()
    page.wait_for_load_state()
    expect(page.locator(".rehearsal-decisions li")).to_have_count(1)
