"""One's own procedure on the bench: by what one wants to do, and from a handout; with the inputs counted."""

import re

import pytest
from playwright.sync_api import expect

from tests.browser.conftest import listening, violations
from tests.core.handout.test_handouts import TEXTS

HANDOUT = next(path for path in TEXTS if path.stem == "acid-and-neutral").read_text().partition("\n---\n")[0]


class Counted:
    """A page whose inputs are counted: every press and every field that is filled."""

    def __init__(self, page):
        self.page, self.inputs = page, 0

    def press(self, role, name, **how):
        self.page.get_by_role(role, name=name, **how).first.click()
        self.inputs += 1

    def fill(self, label, text):
        self.page.get_by_label(label).first.fill(text)
        self.inputs += 1


@pytest.mark.parametrize(
    ("start", "fields"),
    [
        ("Filter off a solid and weigh it", {"Solid": "chalk"}),
        ("Decant and rinse", {"Solid": "chalk", "Rinse": "20"}),
        (
            "Take something out with a funnel",
            {"Compound": "benzoic acid", "Aqueous": "50", "Solvent": "ethyl acetate", "Each portion": "15"},
        ),
        ("Recrystallize", {"Compound": "acetanilide", "Crude": "2.00", "Hot solvent": "40"}),
        ("Just weigh", {"What is weighed": "salt"}),
    ],
)
def test_at_most_eight_inputs_to_the_first_reading(page, start, fields):
    page.goto("/find?q=my+bench")
    at = Counted(page)
    at.press("link", "Start something")
    at.press("link", start)
    for label, text in fields.items():
        at.fill(re.compile(f"^{label}"), text)
    expect(page.locator("#ahead")).to_contain_text("What follows")
    assert violations(page) == []
    at.press("button", "Start", exact=True)
    page.wait_for_selector(".page-run")
    listening(page)
    assert at.inputs <= 8
    expect(page.locator(".says")).to_be_visible()


def test_a_procedure_of_the_library_is_on_the_bench_in_four_presses(page):
    page.goto("/procedures")
    at = Counted(page)
    at.press("link", "Open the library")
    assert violations(page) == []
    at.press("link", "Sand out of sea salt")
    assert violations(page) == []
    at.press("button", "Start on my bench")
    page.wait_for_selector(".page-run")
    listening(page)
    expect(page.locator("body")).to_contain_text("Weigh the evaporating dish")
    typed = page.locator("#read")
    typed.fill("evaporating dish 48.213")
    typed.press("Enter")
    at.inputs += 1
    expect(page.locator("main")).to_contain_text("48.213")
    assert at.inputs <= 4


def test_a_handout_is_pasted_read_and_opens_in_the_builder(page):
    page.goto("/procedures")
    at = Counted(page)
    at.press("link", "Read a handout")
    at.fill("Text of the handout", HANDOUT)
    at.press("button", "Read it")
    expect(page.get_by_role("heading", name="What was read")).to_be_visible()
    expect(page.get_by_label("Kind of step 3")).to_have_value("extract")
    assert violations(page) == []
    for width, height in ((390, 844), (820, 1180)):
        page.set_viewport_size({"width": width, "height": height})
        assert page.evaluate("document.documentElement.scrollWidth <= innerWidth")
    page.set_viewport_size({"width": 1280, "height": 800})
    at.press("button", "Make the procedure")
    page.wait_for_selector(".page-plan")
    assert at.inputs == 4
    expect(page.locator("main")).to_contain_text("Weigh the flask, empty and dry")


def test_a_blank_run_takes_its_next_step_from_an_icon(page):
    page.goto("/find?q=my+bench")
    page.get_by_role("link", name="Start something").click()
    page.get_by_role("button", name="Something else: a blank run").click()
    page.wait_for_selector(".page-run")
    listening(page)
    page.get_by_role("group", name="Add a step").get_by_role("link", name="add", exact=True).click()
    panel = page.locator("#panel")
    panel.get_by_label("Produces").fill("solution")
    panel.get_by_label(re.compile("^Adds")).fill("water 20 mL")
    panel.get_by_role("button", name="Save").click()
    expect(page.locator(".says")).to_contain_text("Add")
    assert violations(page) == []
