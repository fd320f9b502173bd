"""A frame of the virtual plate and a drill beside a bare page; what the server computes for each."""

from __future__ import annotations

import argparse
import statistics
import time

from harness import compare, database, served

from helvor import demo
from helvor.bench.practice.drills import LEVELS, TOPICS, drill
from helvor.bench.practice.virtual_plate import Setting, develop
from helvor.notebook import accounts
from helvor.notebook.database import connect
from helvor.notebook.migrate import migrate


def computed() -> None:
    """Time of the core alone, without a page: the slowest of many seeds too."""
    print("\n| computed | median ms | slowest of 2000, ms | aim |\n|---|---|---|---|")
    setting = Setting(("caffeine", "aspirin"), 80.0, 1.0)
    frames = []
    for n in range(2000):
        began = time.perf_counter()
        develop(setting, n / 100)
        frames.append(time.perf_counter() - began)
    print(f"| frame of a plate | {1e3 * statistics.median(frames):.2f} | {1e3 * max(frames):.1f} | ≤ 20 |")
    for topic in TOPICS:
        times = []
        for seed in range(2000):
            began = time.perf_counter()
            drill(topic, LEVELS[seed % len(LEVELS)], seed)
            times.append(time.perf_counter() - began)
        print(
            f"| drill, {TOPICS[topic].lower()} | {1e3 * statistics.median(times):.2f} | {1e3 * max(times):.1f} | ≤ 50 |"
        )


def main() -> None:
    """The pages, then the core alone."""
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--rounds", type=int, default=80)
    rounds = parser.parse_args().rounds
    with database() as url:
        with connect(url) as conn:
            migrate(conn)
            institution = accounts.add_institution(conn, "Benchmark", "Europe/London")
            accounts.add_instructor(conn, institution, demo.EMAIL, "Ines Marlow", demo.PASSWORD)
        with served(url) as client:
            plate = "/practice/plate?goal=0&strong=80&acid=1&seed=4&minutes="
            print(f"## Practice, {rounds} rounds\n")
            compare({
                "bare page": lambda _: client.ask("GET", "/bare")[0],
                "frame of a plate": lambda n: client.ask("GET", f"{plate}{abs(n) / 10}", htmx=True)[0],
                "drill": lambda n: client.ask("GET", f"/practice/drills?topic=dry&level=2&seed={abs(n)}")[0],
            }, {}, rounds)  # fmt: skip
    computed()


if __name__ == "__main__":
    main()
