"""A frame of the virtual plate, a drill, a practice run beside a bare page; 48 virtual benches carried on at once."""

from __future__ import annotations

import argparse
import random
import re
import statistics
import threading
import time
from uuid import uuid4

import psycopg
from class_day import Tablet
from harness import compare, database, served

from helvor import demo
from helvor.core.practice.drills import LEVELS, TOPICS, drill
from helvor.core.practice.rehearsal import costs, play
from helvor.core.practice.rehearsals import STORIES
from helvor.core.practice.virtual_plate import Setting, develop
from helvor.notebook import accounts, classes, joining, rehearsals
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

    for key, story in STORIES.items():
        times = []
        for seed in range(60):
            began = time.perf_counter()
            costs(play(story, {}, seed, usually=True))
            times.append(time.perf_counter() - began)
        print(f"| practice run, {key}, with its debrief | {1e3 * statistics.median(times):.1f} | | |")


BENCHES = 48
_DECISION = re.compile(rb'name="decision" value="([^"]+)"><button class="rehearsal-option')
_CHOICE = re.compile(rb'class="rehearsal-option" name="choice" value="([^"]+)"')


def full_house(conn: psycopg.Connection, port: int, class_id: object, account: int) -> None:
    """48 tablets, each carrying a practice run to its end as fast as it can; what was chosen and typed is counted."""
    code = joining.open_code(conn, account, class_id).code
    tablets = [Tablet(port, code, number) for number in range(1, BENCHES + 1)]
    taken: list[float] = []
    sent: list[int] = []

    def carry(number: int, tablet: Tablet) -> None:
        lot, key, made = random.Random(number), str(uuid4()), 0
        tablet.ask("POST", "/practice/runs", {"entry": key, "story": list(STORIES)[number % len(STORIES)]})
        while found := _DECISION.search(page := tablet.ask("GET", f"/practice/runs/{key}")):
            choice = lot.choice(_CHOICE.findall(page)).decode()
            fields = {"entry": str(uuid4()), "decision": found[1].decode(), "choice": choice}
            began = time.perf_counter()
            tablet.ask("POST", f"/practice/runs/{key}", fields)
            taken.append(time.perf_counter() - began)
            made += 1
        sent.append(made)

    threads = [threading.Thread(target=carry, args=one) for one in enumerate(tablets)]
    began = time.perf_counter()
    for one in threads:
        one.start()
    for one in threads:
        one.join()
    lasted = time.perf_counter() - began
    kept = conn.execute("SELECT count(*) FROM rehearsal_choice").fetchone()[0]
    typed = there = 0
    for account_id, key, page in conn.execute("SELECT account_id, id, page_id FROM rehearsal").fetchall():
        typed += 2 + len(rehearsals.open_rehearsal(conn, account_id, key).played.lines)
        there += conn.execute("SELECT count(*) FROM entry WHERE page_id = %s", [page]).fetchone()[0]
    p95 = statistics.quantiles(taken, n=20)[18]
    print(f"\n{BENCHES} virtual benches at once, {lasted:.0f} s: {kept} of {sum(sent)} choices kept,")
    print(f"{there} of {typed} readings;")
    print(f"a choice written in {1e3 * statistics.median(taken):.0f} ms p50, {1e3 * p95:.0f} ms p95.")
    if kept != sum(sent) or there != typed:
        raise RuntimeError("something was lost")


def main() -> None:
    """The pages, then the core alone."""
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--rounds", type=int, default=80)
    rounds = parser.parse_args().rounds
    with database() as url:
        with connect(url) as conn:
            migrate(conn)
            institution = accounts.add_institution(conn, "Benchmark", "Europe/London")
            account = accounts.add_instructor(conn, institution, demo.EMAIL, "Ines Marlow", demo.PASSWORD)
            class_id = classes.add_class(conn, institution, "B-48", "A full house", [""] * BENCHES, [account])
        with served(url) as server:
            client = server.client
            plate = "/practice/plate?goal=0&strong=80&acid=1&seed=4&minutes="
            print(f"## Practice, {rounds} rounds\n")
            compare(
                {
                    "bare page": lambda _: client.ask("GET", "/bare")[0],
                    "frame of a plate": lambda n: client.ask("GET", f"{plate}{abs(n) / 10}", htmx=True)[0],
                    "drill": lambda n: client.ask("GET", f"/practice/drills?topic=dry&level=2&seed={abs(n)}")[0],
                },
                {},
                rounds,
            )
            with connect(url) as conn:
                full_house(conn, server.port, class_id, account)
    computed()


if __name__ == "__main__":
    main()
