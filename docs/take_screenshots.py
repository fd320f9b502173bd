"""Takes the pictures in docs/screenshots again, from the demo data of a fresh database."""

from __future__ import annotations

import os
import re
import subprocess
import sys
import tempfile
from pathlib import Path

from playwright.sync_api import Page, sync_playwright

from helvor import demo

ROOT = Path(__file__).parents[1]
TARGET = ROOT / "docs" / "screenshots"
CHROMIUM = ["--no-sandbox", "--disable-gpu", "--no-first-run", "--disable-background-networking", "--disable-sync"]


HANDOUT = """Chalk by vacuum
1. Dissolve 1.47 g of calcium chloride dihydrate, accurately weighed, in 25 mL of water.
2. Dissolve 1.10 g of sodium carbonate in another 25 mL of water, and pour it slowly into the first solution, stirring.
3. Let the precipitate settle for 5 min. Filter with suction and wash with two 5 mL portions of water.
4. Dry the paper with the chalk at 110 °C for 1 h, cool and weigh.
Why must the paper be weighed first?
"""


def open_step(page: Page, session: str, bench: int, step: str) -> None:
    """A step of a bench's run, as one finds it from the first page."""
    page.goto("/")
    page.locator("a[href^='/classes/']", has_text=session).first.click()
    page.locator("a[href^='/runs/']").filter(has_text=re.compile(rf"^\s*{bench}\s*$")).first.click()
    page.locator(".strip a", has_text=step).click()


def shots(page: Page) -> None:
    """Walk the main views; a picture of each."""

    def take(name: str) -> None:
        page.wait_for_load_state("load")
        page.wait_for_timeout(600)  # an open board never falls silent
        page.screenshot(path=TARGET / f"{name}.png")

    page.goto("/sign-in")
    page.get_by_label("E-mail").fill(demo.EMAIL)
    page.get_by_label("Password").fill(demo.PASSWORD)
    page.get_by_role("button", name="Sign in").click()
    page.wait_for_url("**/")
    take("today")
    page.goto("/find?q=sep-2")
    take("class")
    page.goto("/procedures/handout")
    page.get_by_label("Text of the handout").fill(HANDOUT)
    page.get_by_role("button", name="Read it").click()
    page.wait_for_selector(".page-handout")
    take("handout")
    page.goto("/find?q=6")
    page.locator(".page-line", has_text="A mixed powder").first.click()
    page.locator("#w-mass").fill("67.480")
    page.wait_for_selector("#net dd, #net b")
    take("run")
    page.goto("/find?q=1")
    page.locator(".page-line", has_text="A mixed powder").first.click()
    page.get_by_role("link", name="Mass record").click()
    page.wait_for_selector(".scheme")
    take("mass-record")
    page.goto("/find?q=6")
    page.locator(".page-line", has_text="Sulfate in garden salt").first.click()
    page.locator(".strip a", has_text="11 filter").click()
    page.wait_for_selector(".set-up")
    take("filter")
    page.goto(
        "/calculators/reaction?equation=BaCl2+%2B+Na2SO4+->+BaSO4+%2B+NaCl&obtained=1.102"
        "&amounts=BaCl2·2H2O+1.222+g%0ANa2SO4+25.0+mL+0.25+M"
    )
    take("sums")
    page.goto("/procedures")
    page.get_by_role("link", name="Edit A mixed powder").click()
    page.locator(".step-row a").nth(3).click()
    page.get_by_role("button", name="Delete").click()
    page.wait_for_selector(".advice")
    take("builder")
    page.get_by_role("button", name="Undo").click()
    page.goto("/reference-data?name=ethyl+acetate")
    take("shelf")
    open_step(page, "SEP-5", 6, "3 extract")
    page.wait_for_selector(".funnel-instrument")
    take("funnel")
    open_step(page, "SEP-4", 2, "8 pool")
    page.wait_for_selector(".column-instrument")
    take("column")
    open_step(page, "SEP-6", 1, "6 crystallize")
    page.wait_for_selector(".crystals-instrument")
    take("crystals")
    page.goto("/find?q=sep-5")
    page.get_by_role("link", name="Results", exact=True).click()
    page.wait_for_selector("svg.review")
    take("review")
    page.goto("/practice/plate?goal=0&strong=40&acid=0&seed=4&minutes=12&out=yes")
    page.get_by_role("button", name="New plate").click()
    page.goto(page.url.replace("strong=40", "strong=80").replace("acid=0", "acid=1") + "&minutes=4")
    take("practice")
    page.goto("/practice/runs")
    page.locator(".rehearsal-card", has_text="Three from one").get_by_role("button", name="Start").click()
    shaken_hard = (
        "In three portions of 10 mL",
        "Shaken hard, vented",
        "Drain it with the lower layer",
        "Neither, until the",
    )
    usual = (
        "Three portions of 15 mL",
        "To the base extracts",
        "Until the paper is red",
        "Until the paper is blue",
        "In portions, until some grains",
        "90 °C, to be quick",
        "Let it cool, weigh, dry",
        "In air until the next",
        "Let it cool, weigh, dry",
    )
    for words in (*shaken_hard, *usual):
        page.get_by_role("button", name=words).click()
    take("practice-run")
    page.goto("/find?q=4")
    page.locator(".page-line", has_text="Plate 1").first.click()
    page.get_by_role("link", name="T2", exact=True).click()
    page.wait_for_selector("tr.chosen:has-text('T2')")
    page.locator("#read").fill("T2 40.0")
    page.wait_for_selector("#understood b")
    take("plate")
    page.goto("/find?q=sep-2")
    page.get_by_role("link", name="Prep", exact=True).click()
    page.get_by_role("link", name="Meeting 1").click()
    page.wait_for_selector(".period-says:has-text('200 simulations')")
    take("prep")
    page.goto("/find?q=8")
    page.locator(".page-line", has_text="Plate 1").first.click()
    page.get_by_role("link", name="Photograph", exact=True).click()
    page.wait_for_selector(".proposals")
    take("photograph")
    page.goto("/find?q=sep-2")
    page.get_by_text("More", exact=True).click()
    page.get_by_role("link", name="Plates side by side").click()
    page.get_by_role("link", name="Paper (cellulose)").click()
    page.wait_for_selector(".compare")
    take("side-by-side")


def main() -> None:
    """Start the demo beside whatever runs, take the pictures, stop it."""
    TARGET.mkdir(exist_ok=True)
    with tempfile.TemporaryDirectory() as var:
        Path(var).chmod(0o755)
        demo_process = subprocess.Popen(
            [sys.executable, "-m", "helvor", "demo", "--port", "8700"],
            env=os.environ | {"HELVOR_VAR": var},
            stdout=subprocess.PIPE,
            text=True,
        )
        try:
            address = next(found[1] for line in demo_process.stdout if (found := re.search(r"(http://\S+)", line)))
            with sync_playwright() as playwright:
                browser = playwright.chromium.launch(executable_path="/usr/bin/chromium", args=CHROMIUM)
                context = browser.new_context(base_url=address, viewport={"width": 1280, "height": 800})
                shots(context.new_page())
                browser.close()
        finally:
            demo_process.terminate()
            demo_process.communicate(timeout=30)
    print(f"Pictures taken: {len(list(TARGET.glob('*.png')))}")


if __name__ == "__main__":
    main()
