"""The really running application, and Debian's Chromium to use it with."""

from __future__ import annotations

import os
import re
import signal
import subprocess
import sys
from collections.abc import Callable, Iterator
from pathlib import Path
from typing import Any

import pytest
from playwright.sync_api import Browser, BrowserContext, Page, expect, sync_playwright

from helvor import demo
from tests.conftest import cloned, serving

ROOT = Path(__file__).parents[2]
FIRST_PORT = 8600 + 200 * int(os.environ.get("PYTEST_XDIST_WORKER", "gw0").removeprefix("gw"))
"""Each worker has ports of its own: who stops for a test and starts again finds the same port free."""
PATIENCE = 20_000
"""ms that a page may take to show something: two browsers and two applications share a machine of two cores."""
expect.set_options(timeout=PATIENCE)
CHROMIUM = (
    "--no-sandbox",
    "--disable-gpu",
    "--no-first-run",
    "--disable-background-networking",
    "--disable-component-update",
    "--disable-sync",
)
AXE = (Path(__file__).parent / "vendor" / "axe.min.js").read_text(encoding="utf-8")


class Running:
    """A ``helvor demo`` process on a database of its own."""

    def __init__(self, url: str, serving: str, var: Path) -> None:
        self.url, self.serving = url, serving
        self._environment = os.environ | {
            "DATABASE_URL": serving,
            "DATABASE_OWNER_URL": url,
            "HELVOR_VAR": str(var),
            "PYTHONPATH": str(ROOT / "src"),
        }
        self.address = ""

    def start(self, port: int = FIRST_PORT) -> None:
        self.process = subprocess.Popen(
            [sys.executable, "-m", "helvor", "demo", "--port", str(port)],
            env=self._environment,
            stdout=subprocess.PIPE,
            stderr=subprocess.STDOUT,
            text=True,
        )
        said = ""
        for line in self.process.stdout:
            said += line
            if found := re.search(r"running:\s+(http://\S+)", line):
                self.address = found[1]
            if "Ctrl-C" in line:
                return
        raise AssertionError(f"the application did not start: {said}")

    @property
    def port(self) -> int:
        return int(self.address.rpartition(":")[2])

    def stop(self) -> None:
        self.process.send_signal(signal.SIGINT)
        rest, _ = self.process.communicate(timeout=15)
        assert "Traceback" not in rest, rest


@pytest.fixture(scope="module")
def running(server, demo_template, tmp_path_factory) -> Iterator[Running]:
    with cloned(server, demo_template) as url:
        application = Running(url, serving(server, url), tmp_path_factory.mktemp("var"))
        application.start()
        try:
            yield application
        finally:
            application.stop()


@pytest.fixture(scope="session")
def browser() -> Iterator[Browser]:
    with sync_playwright() as playwright:
        chromium = playwright.chromium.launch(executable_path="/usr/bin/chromium", args=list(CHROMIUM))
        yield chromium
        chromium.close()


@pytest.fixture
def context(browser: Browser, running: Running) -> Iterator[BrowserContext]:
    opened = browser.new_context(
        base_url=running.address, viewport={"width": 1280, "height": 800}, service_workers="block"
    )
    opened.set_default_timeout(PATIENCE)
    yield opened
    opened.close()


def sign_in(page: Page) -> None:
    page.goto("/sign-in")
    page.get_by_label("E-mail").fill(demo.EMAIL)
    page.get_by_label("Password").fill(demo.PASSWORD)
    page.get_by_role("button", name="Sign in").click()
    page.wait_for_url("**/")


@pytest.fixture(scope="module")
def cookies(running: Running) -> list[Any]:
    """Those of whoever signed in first; the tests of a module go on with them."""
    return []


@pytest.fixture
def page(context: BrowserContext, cookies: list[Any]) -> Iterator[Page]:
    """A signed-in page; whatever it complains of on its console fails the test."""
    context.add_cookies(cookies)
    opened = context.new_page()
    complaints: list[str] = []
    opened.on("pageerror", lambda error: complaints.append(str(error)))
    opened.on(
        "console",
        lambda message: (
            complaints.append(message.text)
            # A lost connection and a refusal are logged by the browser itself; tests bring them about.
            if message.type == "error" and not re.search("Failed to (load resource|fetch)", message.text)
            else None
        ),
    )
    opened.goto("/")
    if "/sign-in" in opened.url:  # the first of a module, or one before it ended the session
        sign_in(opened)
        cookies[:] = context.cookies()
    yield opened
    assert complaints == [], complaints


@pytest.fixture
def plate(page: Page) -> Callable[[int], Page]:
    """Opens the newest plate of a bench of the demo class."""

    def open_plate(bench: int) -> Page:
        page.goto(f"/find?q={bench}")
        page.locator(".page-line", has_text="Plate 1").first.click()
        page.wait_for_selector("#tlc")
        listening(page)
        return page

    return open_plate


def open_run(page: Page, session: str, bench: str) -> None:
    """Opens a bench's run of a session, as one finds it from the first page."""
    page.goto("/")
    page.locator("a[href^='/classes/']", has_text=session).first.click()
    page.wait_for_load_state("load")
    page.locator("a[href^='/runs/']").filter(has_text=re.compile(rf"^\s*{bench}\s*$")).first.click()
    page.wait_for_selector(".page-run")
    listening(page)


def listening(page: Page) -> None:
    """Waits until the page's scripts listen: a key pressed before that is nobody's."""
    page.wait_for_load_state("load")


def violations(page: Page) -> list[str]:
    """What axe-core finds against WCAG 2.2 A and AA."""
    page.evaluate(AXE)
    found = page.evaluate(
        "axe.run(document, {runOnly: ['wcag2a', 'wcag2aa', 'wcag21a', 'wcag21aa', 'wcag22aa']}).then(r => r.violations)"
    )
    return [f"{v['id']}: {node['html'][:120]}" for v in found for node in v["nodes"]]
