"""Review of 48 benches beside a bare page, search over 200,000 entries, 5,000 readings in, a class of 12 on paper."""

from __future__ import annotations

import argparse
import random
import statistics
import time
from datetime import UTC, datetime, timedelta
from uuid import UUID, uuid4

import psycopg
from harness import Client, compare, database, served
from psycopg.types.json import Jsonb

from helvor import demo
from helvor.core.engine.run.reading_line import understand
from helvor.core.engine.run.record import gather
from helvor.core.record.answer import read_answer
from helvor.demo.runs import POWDER
from helvor.exchange.readings_in import guess, readings_of
from helvor.exchange.table_in import read_table
from helvor.notebook import accounts, classes, imports, pages, procedures, search
from helvor.notebook.database import connect
from helvor.notebook.migrate import migrate
from helvor.notebook.pages import Draft
from helvor.shelf.procedures import shipped_procedure
from helvor.shelf.solvents import eluotropic_rank

BENCHES, ENTRIES, READINGS, ON_PAPER = 48, 200_000, 5_000, 12
WORDS = ["salt", "beads", "crust", "violet", "cloud", "settles", "dry", "warm", "slow", "clear"]
RANK = eluotropic_rank()


def people(conn: psycopg.Connection) -> tuple[int, int]:
    """An institution and its instructor."""
    migrate(conn)
    institution = accounts.add_institution(conn, "Benchmark", "Europe/London")
    return institution, accounts.add_instructor(conn, institution, demo.EMAIL, "Ines Marlow", demo.PASSWORD)


def full_class(
    conn: psycopg.Connection, institution: int, account: int, code: str, benches: int
) -> tuple[UUID, list[UUID]]:
    """A class whose benches weighed a mixed powder and answered for it, every third one wrongly."""
    class_id = classes.add_class(conn, institution, code, "A full house", [""] * benches, [account])
    key = procedures.add_procedure(conn, account, uuid4(), shipped_procedure("a-mixed-powder"), "made")
    procedures.put_in_use(conn, account, key, 1)
    places = [bench.id for bench in classes.benches_of(conn, class_id)]
    runs = procedures.start_runs(conn, account, "Ines Marlow", key, places, uuid4())
    for number, page in enumerate(runs):
        said = [line.rpartition(": ")[2] for line in POWDER[1 + number % 2]]
        lines = [line for line in said if not line.startswith(("check", "tried", "note"))]
        answers = {"closure": "98.5" if number % 3 else "65.7", "part salt": "32.9" if number % 3 else "2302"}

        def compose(entries: list, lines: list[str] = lines, answers: dict[str, str] = answers) -> list[Draft]:
            drafts = [Draft(uuid4(), understand(line, entries).payload) for line in lines]
            return [*drafts, *(Draft(uuid4(), read_answer(q, text, "%")) for q, text in answers.items())]

        pages.append(conn, account, "Ines Marlow", page, compose)
    return class_id, runs


def review(client: Client, class_id: UUID, runs: list[UUID], rounds: int) -> None:
    """The page as it was, and right after a bench wrote."""
    address = f"/classes/{class_id}/results"
    asks = {"bare page": lambda _: client.ask("GET", "/bare")[0], "review": lambda _: client.ask("GET", address)[0]}
    print(f"## Review of {BENCHES} benches, {rounds} rounds\n")
    compare(asks, {"review": 6.0}, rounds)
    changed, bare = [], []
    for number in range(rounds):
        page = runs[number % len(runs)]
        client.ask("POST", f"/runs/{page}/read", {"entry": str(uuid4()), "text": f"note {number}"}, htmx=True)
        bare.append(client.ask("GET", "/bare")[0])
        changed.append(client.ask("GET", address)[0])
    now, plain = statistics.median(changed), statistics.median(bare)
    print(f"\nRight after a bench wrote: {1e3 * now:.1f} ms, {now / plain:.1f} × bare.")


def fill_entries(conn: psycopg.Connection, account: int, page_ids: list[UUID]) -> None:
    """Notes by the thousand, as they would lie in the notebook."""
    chance = random.Random(7)
    now = datetime(2026, 1, 1, tzinfo=UTC)
    each = ENTRIES // len(page_ids)
    with (
        conn.cursor() as cursor,
        cursor.copy("COPY entry (id, page_id, seq, kind, payload, author_id, written_at) FROM STDIN") as copy,
    ):
        for page in page_ids:
            for seq in range(1, each + 1):
                words = " ".join(chance.choices(WORDS, k=5)) + (f" rare{chance.randrange(10_000)}")
                says = {"kind": "noted", "words": words, "picks": [], "celsius": None, "step": ""}
                copy.write_row((uuid4(), page, 1000 + seq, "noted", Jsonb(says), account, now + timedelta(seconds=seq)))
    conn.execute("ANALYZE entry")


BARE = """
SELECT id, payload FROM entry WHERE jsonb_to_tsvector('simple', payload, '["string"]') @@ to_tsquery('simple', %s)
ORDER BY written_at DESC LIMIT 40
"""


def find(conn: psycopg.Connection, account: int) -> None:
    """Words that stand on few pages, on some, on all."""
    print(f"\n## Search over {ENTRIES} entries\n\n| words | found by the bare query, ms | ours, ms | ratio | aim |")
    print("|---|---|---|---|---|")
    for text in ("rare77", "rare12 salt", "violet crust settles slow", "salt"):
        words = search.words_of(text)
        query = " & ".join(f"'{word}':*" for word in words)
        bare, ours = [], []
        for _ in range(9):
            began = time.perf_counter()
            conn.execute(BARE, [query]).fetchall()
            bare.append(time.perf_counter() - began)
            began = time.perf_counter()
            search.pages_with(conn, account, text)
            ours.append(time.perf_counter() - began)
        a, b = statistics.median(bare), statistics.median(ours)
        print(f"| {text} | {1e3 * a:.1f} | {1e3 * b:.1f} | {b / a:.1f} | ≤ 5 |")


def bring_in(conn: psycopg.Connection, account: int, class_id: UUID, runs: list[UUID]) -> None:
    """A file of readings, from its bytes to ink."""
    lines = ["bench,container,portion,state,mass"]
    lines += [
        f"{1 + n % BENCHES},dish {n},grains {n % 7},dried {1 + n % 3},{30 + n % 9}.{n % 1000:03d}"
        for n in range(READINGS)
    ]
    content = ("\n".join(lines) + "\n").encode()
    key = uuid4()
    imports.put(conn, account, class_id, key, "readings.csv", content)
    began = time.perf_counter()
    table = read_table("readings.csv", content)
    found = {n: gather(pages.open_page(conn, account, page)[1]) for n, page in enumerate(runs, start=1)}
    read = readings_of(table, guess(table.headers), found, UTC)
    looked = time.perf_counter() - began
    drafts: dict[UUID, list[Draft]] = {}
    for one in read.readings:
        drafts.setdefault(runs[one.bench - 1], []).append(Draft(uuid4(), one.says))
    new = imports.write_readings(conn, account, "Ines Marlow", class_id, key, drafts)
    whole = time.perf_counter() - began
    if new != READINGS or read.troubles:
        raise RuntimeError(f"{new} came in, {len(read.troubles)} troubles")
    print(
        f"\n## Import\n\n{READINGS} readings onto {BENCHES} runs: looked at in {looked:.1f} s, "
        f"in after {whole:.1f} s (aim ≤ 5)."
    )


def on_paper(client: Client, class_id: UUID) -> None:
    """The report of a class with every bench, asked for and waited for."""
    key = str(uuid4())
    address = f"/classes/{class_id}/report"
    began = time.perf_counter()
    client.ask("POST", address, {"csrf": client.headers["X-CSRF-Token"], "entry": key, "work": "A mixed powder"})
    told: list[str] = []
    while not told or "It is ready" not in told[-1]:
        told.append(client.ask("GET", f"{address}/{key}", htmx=True)[2].decode())
        if "alert" in told[-1]:
            raise RuntimeError(told[-1])
        time.sleep(0.2)
    seconds = time.perf_counter() - began
    size = len(client.ask("GET", f"{address}/{key}/report.pdf")[2])
    steps = len({text.partition(" laid out")[0] for text in told})
    print(
        f"\n## On paper\n\nA class of {ON_PAPER}: {seconds:.1f} s beside the pages, {size // 1024} kB, "
        f"progress seen {steps} times."
    )


def main() -> None:
    """All four, one after another."""
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--rounds", type=int, default=60)
    rounds = parser.parse_args().rounds
    with database() as url:
        with connect(url) as conn:
            institution, account = people(conn)
            class_id, runs = full_class(conn, institution, account, "B-48", BENCHES)
            dozen, _ = full_class(conn, institution, account, "B-12", ON_PAPER)
        with served(url) as server:
            client = server.client
            review(client, class_id, runs, rounds)
            on_paper(client, dozen)
        with connect(url) as conn:
            bring_in(conn, account, class_id, runs)
            fill_entries(conn, account, runs)
            find(conn, account)


if __name__ == "__main__":
    main()
