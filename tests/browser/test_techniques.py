"""Filtering and reckoning in the browser."""

from playwright.sync_api import expect

from helvor.web.calculators.every import CALCULATORS
from tests.browser.conftest import listening, violations


def open_salt(page, bench=6):
    page.goto(f"/find?q={bench}")
    page.locator(".page-line", has_text="Sulfate in garden salt").first.click()
    page.wait_for_selector(".page-run")
    listening(page)


def test_a_bench_filters_and_sees_where_it_went(page):
    open_salt(page)
    page.locator(".strip a", has_text="10 filter").click()
    expect(page.locator(".says")).to_contain_text("Decant through paper A")
    page.get_by_label("stir bar out").uncheck()
    expect(page.locator(".check-mark.ticked")).to_have_count(3)
    page.get_by_label("stir bar out").check()
    expect(page.locator(".check-mark.ticked")).to_have_count(4)
    page.get_by_label("Poured", exact=True).fill("lots")
    page.get_by_role("button", name="Pour", exact=True).click()
    expect(page.locator("#trouble-poured")).to_contain_text("is not a number")
    expect(page.locator("#panel [name=poured]")).to_have_value("lots")
    page.locator("#panel [name=poured]").fill("5 mL")
    page.get_by_role("button", name="Save", exact=True).click()
    expect(page.locator(".set-up-side")).to_contain_text("128 mL poured")
    assert violations(page) == []
    page.get_by_role("link", name="Losses").click()
    expect(page.locator(".cause").first).to_contain_text("ran through the paper")
    expect(page.locator(".gap")).to_contain_text("0.020 g missing")
    assert violations(page) == []
    for step in ("12 wash", "14 dry", "6 precipitate"):
        page.get_by_role("link", name="Step", exact=True).click()
        page.locator(".strip a", has_text=step).click()
        expect(page.locator(".strip a[aria-current]")).to_contain_text(step)
        assert violations(page) == []


def test_a_sum_follows_what_is_typed_and_keeps_what_cannot_be_read(page):
    page.goto("/procedures")
    page.get_by_role("link", name="Calculators").click()
    expect(page.locator(".in-words").first).to_contain_text("BaCl₂ + Na₂SO₄ → BaSO₄ + 2 NaCl")
    page.get_by_label("Equation").fill("Al + HCl -> AlCl3 + H2")
    expect(page.locator("#trouble-amounts")).to_contain_text("contains no reactant")
    page.get_by_label("Taken").fill("Al 0.270 g\nHCl 20.0 mL 2.0 M")
    expect(page.locator(".in-words").first).to_contain_text("2 Al + 6 HCl → 2 AlCl₃ + 3 H₂")
    expect(page.get_by_label("Answer")).to_contain_text("Al runs out first")
    page.get_by_label("Equation").fill("Al + HCl -> AlCl3 + Hx")
    expect(page.locator("#trouble-equation")).to_contain_text("no element Hx")
    expect(page.get_by_label("Taken")).to_have_value("Al 0.270 g\nHCl 20.0 mL 2.0 M")
    assert violations(page) == []
    for name in ("Choose a filtration", "Number of washes", "Papers and folds", "Solubility losses"):
        page.locator(".sums a", has_text=name).click()
        expect(page.locator("h1")).to_have_text(name)
        assert violations(page) == []


def test_every_calculator_fits_a_phone_with_its_fields_first(page):
    page.set_viewport_size({"width": 390, "height": 844})
    for one in CALCULATORS:
        page.goto(f"/calculators/{one.key}")
        wide = page.evaluate(
            "[...document.querySelectorAll('main *')].filter(e => e.getBoundingClientRect().right > innerWidth + 1)"
            ".map(e => e.tagName + '.' + e.getAttribute('class')).slice(0, 4)"
        )
        sideways = page.evaluate("document.documentElement.scrollWidth > innerWidth")
        assert not sideways, (one.key, wide)
        fields, answer, others = (page.locator(part).bounding_box() for part in (".reckon-form", ".sheet", ".sums"))
        assert fields["y"] < 320 and fields["y"] < answer["y"] < others["y"], one.key
