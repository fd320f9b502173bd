"""A class of 48 in one process: the board beside a bare page, 48 tablets writing, the board's delay, the timeline."""

from __future__ import annotations

import argparse
import http.client
import json
import re
import statistics
import threading
import time
from urllib.parse import urlencode
from uuid import UUID, uuid4

import psycopg
from harness import Client, compare, database, served

from helvor import demo
from helvor.core.classroom.prep.period import Setting, simulate
from helvor.core.engine.run.reading_line import understand
from helvor.core.record.procedure import Procedure, Step
from helvor.notebook import accounts, classes, joining, pages, procedures
from helvor.notebook.database import connect
from helvor.notebook.migrate import migrate
from helvor.notebook.pages import Draft

BENCHES, STEPS, ENTRIES = 48, 30, 40
KIT = ("balance", "oven", "hotplate", "vacuum")


def long_procedure() -> Procedure:
    """Thirty steps on one portion, every third with shared kit."""
    steps = [
        Step(
            id=f"s{n}",
            kind="weigh" if n % 3 == 0 else "stir",
            hands=2 + n % 4,
            waits=5 * (n % 5 == 0),
            gives=("mix",) if n == 1 else (),
            on="" if n == 1 else "mix",
            kit=(KIT[n // 3 % 4],) if n % 3 == 0 else (),
        )
        for n in range(1, STEPS + 1)
    ]
    return Procedure(title="A long day", steps=tuple(steps))


def fill(conn: psycopg.Connection) -> tuple[UUID, list[UUID], int]:
    """A class of 48 benches with a run of 40 entries each; the class, the runs, and the account."""
    migrate(conn)
    institution = accounts.add_institution(conn, "Benchmark", "Europe/London")
    account = accounts.add_instructor(conn, institution, demo.EMAIL, "Ines Marlow", demo.PASSWORD)
    class_id = classes.add_class(conn, institution, "B-48", "A full house", [""] * BENCHES, [account])
    key = procedures.add_procedure(conn, account, uuid4(), long_procedure(), "made")
    procedures.put_in_use(conn, account, key, 1)
    benches = [bench.id for bench in classes.benches_of(conn, class_id)]
    runs = procedures.start_runs(conn, account, "Ines Marlow", key, benches, uuid4())
    for number, page in enumerate(runs):
        said = [f"done {n}" for n in range(1, 3 + number % 20)]
        said += [f"dish {n} {30 + n}.{number:03d}" for n in range(ENTRIES - 1 - len(said))]

        def compose(entries: list, said: list[str] = said) -> list[Draft]:
            return [Draft(uuid4(), understand(line, entries).payload) for line in said]

        pages.append(conn, account, "Ines Marlow", page, compose)
    return class_id, runs, account


class Tablet:
    """A tablet that joined a bench by code."""

    def __init__(self, port: int, code: str, bench: int) -> None:
        self.connection = http.client.HTTPConnection("127.0.0.1", port)
        self.cookies: dict[str, str] = {}
        self.joined = False
        token = re.search(rb'name="token" value="([^"]+)"', self.ask("GET", "/join"))[1].decode()
        self.ask("POST", "/join", {"code": code, "number": str(bench), "token": token})
        self.joined = True

    def ask(self, method: str, path: str, fields: dict[str, str] | None = None) -> bytes:
        headers = {"Cookie": "; ".join(f"{k}={v}" for k, v in self.cookies.items())}
        if self.joined:
            headers |= {"HX-Request": "true"}
        if fields is not None:
            headers |= {"Content-Type": "application/x-www-form-urlencoded"}
            headers["X-CSRF-Token"] = self.cookies.get("helvor_csrf", "")
        self.connection.request(method, path, urlencode(fields) if fields is not None else None, headers)
        answer = self.connection.getresponse()
        body = answer.read()
        for cookie in answer.headers.get_all("Set-Cookie") or []:
            name, _, value = cookie.split(";")[0].partition("=")
            self.cookies[name] = value
        if answer.status >= 400:
            raise RuntimeError(f"{method} {path}: {answer.status} {body[:200]!r}")
        return body


def watch_board(
    port: int, client: Client, class_id: UUID, seen: list[tuple[float, int]], stop: threading.Event
) -> None:
    """An open board: when it hears that how much is written."""
    connection = http.client.HTTPConnection("127.0.0.1", port, timeout=5)
    connection.request("GET", f"/classes/{class_id}/live", headers=client.headers | {"Accept-Encoding": "identity"})
    answer = connection.getresponse()
    while not stop.is_set():
        try:
            line = answer.fp.readline()
        except TimeoutError:
            continue  # nothing new was written meanwhile
        if line.startswith(b"data: "):
            seen.append((time.perf_counter(), int(line.split(b"-")[1])))


def load(port: int, client: Client, class_id: UUID, runs: list[UUID], codes: str, seconds: int, base: int) -> None:
    """48 tablets, each a reading a second, beside a bare write in its turn; then what the board heard and when.

    Args:
        base: entries that the class has before.
    """
    tablets = [Tablet(port, codes, number) for number in range(1, len(runs) + 1)]
    client.ask("POST", "/bare-write")
    written: list[float] = []
    times: list[float] = []
    shown: list[float] = []
    bare: list[float] = []
    seen: list[tuple[float, int]] = []
    lock, stop = threading.Lock(), threading.Event()
    watcher = threading.Thread(target=watch_board, args=(port, client, class_id, seen, stop), daemon=True)
    watcher.start()
    begin = time.perf_counter() + 1.0

    def one(number: int) -> None:
        tablet, page = tablets[number], runs[number]
        for second in range(seconds):
            at = begin + second + number / len(tablets)
            time.sleep(max(0.0, at - time.perf_counter()))
            fields = {"entry": str(uuid4()), "text": f"note reading {second}"}
            before = time.perf_counter()
            tablet.ask("POST", f"/runs/{page}/read", fields)
            after = time.perf_counter()
            tablet.ask("GET", f"/runs/{page}")
            seen_again = time.perf_counter()
            with lock:
                times.append(after - before)
                shown.append(seen_again - before)
                written.append(after)

    def bare_writer() -> None:
        plain = http.client.HTTPConnection("127.0.0.1", port)
        for second in range(seconds * 4):
            time.sleep(max(0.0, begin + second / 4 - time.perf_counter()))
            before = time.perf_counter()
            plain.request("POST", "/bare-write")
            plain.getresponse().read()
            bare.append(time.perf_counter() - before)

    threads = [threading.Thread(target=one, args=(n,)) for n in range(len(tablets))]
    threads.append(threading.Thread(target=bare_writer))
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
    time.sleep(2)
    stop.set()
    # The n-th entry written is on the board once it has heard of that many.
    delays = []
    for number, at in enumerate(sorted(written), start=1):
        heard = next((moment for moment, count in seen if count >= base + number), None)
        if heard is None:
            raise RuntimeError("the board never heard of a reading")
        delays.append(max(0.0, heard - at))

    print(f"\n{len(tablets)} tablets, a reading a second each, {seconds} s: {len(times)} readings\n")
    print("| what | p50 ms | p95 ms | p95 ÷ bare write | aim |\n|---|---|---|---|---|")
    print(f"| bare write, meanwhile | {1e3 * statistics.median(bare):.1f} | {1e3 * p95(bare):.1f} | 1.0 | |")
    print(
        f"| reading written and answered | {1e3 * statistics.median(times):.1f} | {1e3 * p95(times):.1f} |"
        f" {p95(times) / p95(bare):.1f} | ≤ 10 |"
    )
    print(
        f"| until the tablet shows what follows | {1e3 * statistics.median(shown):.1f} | {1e3 * p95(shown):.1f} |"
        f" {p95(shown) / p95(bare):.1f} | |"
    )
    print(f"| until the board hears | {1e3 * statistics.median(delays):.0f} | {1e3 * p95(delays):.0f} | | ≤ 1000 ms |")


def p95(values: list[float]) -> float:
    """The slowest but five in a hundred."""
    return statistics.quantiles(values, n=20)[18]


def timeline() -> None:
    """48 benches × 30 steps × 200 runs."""
    kit = dict.fromkeys(KIT, 6)
    began = time.perf_counter()
    simulate(long_procedure(), 1, Setting(BENCHES, 165, kit), runs=200)
    print(f"\nTimeline of {BENCHES} benches × {STEPS} steps × 200 runs: {time.perf_counter() - began:.1f} s (aim ≤ 3)")


def main() -> None:
    """Measure and print."""
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--rounds", type=int, default=60)
    parser.add_argument("--seconds", type=int, default=60)
    options = parser.parse_args()
    timeline()
    with database() as url:
        with connect(url) as conn:
            class_id, runs, account = fill(conn)
            code = joining.open_code(conn, account, class_id).code
        with served(url) as server:
            client = server.client

            def just_written(number: int) -> float:
                fields = {"entry": str(uuid4()), "text": f"done {3 + number % 20}"}
                page = f"/runs/{runs[number % BENCHES]}"
                client.ask("POST", f"{page}/read", fields, htmx=True)
                client.ask("GET", page, htmx=True)
                return client.ask("GET", f"/classes/{class_id}")[0]

            asks = {
                "bare page": lambda _: client.ask("GET", "/bare")[0],
                "class board, 48 lanes": lambda _: client.ask("GET", f"/classes/{class_id}")[0],
                "class board, a bench just wrote": just_written,
                "timers": lambda _: client.ask("GET", "/timers")[0],
            }
            print(f"\n{BENCHES} benches, {STEPS} steps, {ENTRIES} entries each; {options.rounds} rounds\n")
            compare(asks, {"class board, 48 lanes": 5.0, "class board, a bench just wrote": 5.0}, options.rounds)
            with connect(url) as conn:
                (before,) = conn.execute("SELECT sum(entries) FROM page").fetchone()
            load(server.port, client, class_id, runs, code, options.seconds, before)
            with connect(url) as conn:
                (kept,) = conn.execute("SELECT count(*) FROM entry WHERE kind = 'noted'").fetchone()
                (behind,) = conn.execute("SELECT count(*) FROM page WHERE behind").fetchone()
            print(f"\nKept: {kept} of {BENCHES * options.seconds} readings; pages left behind: {behind}.")
            assert kept == BENCHES * options.seconds, json.dumps(kept)
            assert behind == 0, behind
            print(f"\nMemory of the application process at its most: {server.stop():.0f} MB (aim ≤ 250)")


if __name__ == "__main__":
    main()
