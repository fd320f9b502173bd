"""How much dearer a run is than the barest page, and how working out grows with the number of entries."""

from __future__ import annotations

import argparse
import platform
import statistics
import time
from dataclasses import replace
from datetime import UTC, datetime, timedelta
from uuid import UUID, uuid4

from harness import compare, database, served

from helvor import demo
from helvor.core.engine.run.reading_line import understand
from helvor.core.engine.run.work_out import work_out
from helvor.core.record.entry import Entry
from helvor.core.techniques.registered import TECHNIQUES
from helvor.notebook import classes, pages, procedures
from helvor.notebook.database import connect
from helvor.notebook.migrate import migrate
from helvor.notebook.pages import Draft
from helvor.shelf.procedures import shipped_procedure
from helvor.web.app import calm_collector

ENTRIES = 300
AIMS = {"run page": 5.0, "reading written": 3.0}
LONG_RUN = (300, 1000, 3000, 10_000)


PER_DISH = 15
"""Entries on one dish: empty, filled, then dryings with a note to each third."""


def said(number: int) -> str:
    """The n-th line of a long run: dishes weighed empty, filled, dried many times, and notes in between."""
    dish, what = divmod(number, PER_DISH)
    if what == 0:
        return f"dish {dish} {30 + dish % 7}.{dish % 1000:03d}"
    if what == 1:
        return f"dish {dish} new grains {dish} {32 + dish % 7}.{dish % 1000:03d}"
    if what % 3 == 2:
        return f"note dish {dish} looks dry"
    return f"dish {dish} new grains {dish} dried {what} {31 + dish % 7 + 0.5 / what:.3f}"


def long_run(length: int) -> list[Entry]:
    """Entries of a run as they would be read from the notebook."""
    start, entries = datetime(2026, 1, 1, tzinfo=UTC), list[Entry]()
    for number in range(length):
        # Against the last few entries only: reading a line looks at the page so far.
        payload = understand(said(number), entries[-4:]).payload
        at = start + timedelta(minutes=number)
        entries.append(Entry(UUID(int=number + 1), number + 1, payload, None, "", "Ida", at))
    return entries


def growth() -> None:
    """Print how long working out takes, in all and per entry; with the collector as a serving process has it."""
    calm_collector()
    print("| entries | working out, median ms | µs per entry |\n|---|---|---|")
    for length in LONG_RUN:
        entries = long_run(length)
        times = []
        for _ in range(max(5, 12_000 // length)):
            entries = [replace(entry) for entry in entries]  # the very same entries would be remembered
            began = time.perf_counter()
            work_out(entries, techniques=TECHNIQUES)
            times.append(time.perf_counter() - began)
        median = statistics.median(times)
        print(f"| {length} | {1e3 * median:.1f} | {1e6 * median / length:.0f} |")


def fill(url: str) -> UUID:
    """A demo database with a run of 300 entries on the front bench."""
    with connect(url) as conn:
        migrate(conn)
        demo.load(conn)
        account = conn.execute("SELECT id FROM account").fetchone()[0]
        key = procedures.add_procedure(conn, account, uuid4(), shipped_procedure("a-mixed-powder"), "made")
        procedures.put_in_use(conn, account, key, 1)
        bench = classes.front_bench(conn, account).id
        page = procedures.start_runs(conn, account, "Ines Marlow", key, [bench], uuid4())[0]
        drafts = [Draft(uuid4(), entry.payload) for entry in long_run(ENTRIES - 1)]
        pages.append(conn, account, "Ines Marlow", page, lambda _: drafts)
        return page


def main() -> None:
    """Measure and print."""
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--rounds", type=int, default=100)
    rounds = parser.parse_args().rounds
    growth()
    with database() as url:
        page = fill(url)
        with served(url) as server:
            client = server.client
            address = f"/runs/{page}"

            def write(number: int) -> float:
                # A note, a new dish, its filling and dryings, over and over: all that the long run is made of.
                fields = {"entry": str(uuid4()), "text": said(ENTRIES + 30 + number)}
                return client.ask("POST", f"{address}/read", fields, htmx=True)[0]

            def followed(_: int) -> float:
                taken = client.ask("GET", address, htmx=True)[0]
                time.sleep(0.08)  # the summary for the board is written in peace, beside nothing that is measured
                client.ask("GET", address)  # and nothing measured is the first after a rest, or the second of its kind
                return taken

            print(f"\n{ENTRIES} entries, {rounds} rounds, Python {platform.python_version()}\n")
            asks = {
                "bare page": lambda _: client.ask("GET", "/bare")[0],
                "run page": lambda _: client.ask("GET", address)[0],
                "reading written": write,
                "the page that follows": followed,
            }
            compare(asks, AIMS, rounds)


if __name__ == "__main__":
    main()
