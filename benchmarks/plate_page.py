"""How much dearer a plate is than the barest page on the same server, as ratios in one run."""

from __future__ import annotations

import argparse
import platform
import random
import re
import statistics
import time
from uuid import UUID, uuid4

from harness import Client, compare, database, served

from helvor import demo
from helvor.core.laws.planar.eluent import parse_eluent
from helvor.core.laws.planar.identify import SpotMark, rank
from helvor.core.techniques.planar import plate as planar
from helvor.demo.load import mm
from helvor.notebook import classes, pages
from helvor.notebook.database import connect
from helvor.notebook.migrate import migrate
from helvor.notebook.pages import Draft

SIZES = ((8, 5), (20, 6))
"""Lanes and spots a lane: a plate as classes run it, and the largest that is drawn."""
AIMS = {"spot dropped": 3.0, "whole page": 5.0}


def fill(url: str, lanes: int, spots: int) -> tuple[UUID, UUID]:
    """A demo database with one more plate: its id and the key of the spot to drop."""
    with connect(url) as conn:
        migrate(conn)
        demo.load(conn)
        account = conn.execute("SELECT id FROM account").fetchone()[0]
        bench = classes.front_bench(conn, account).id
        page = pages.start_page(conn, account, bench, "planar", uuid4())
        drafts = [
            Draft(
                uuid4(),
                planar.SetUp(
                    phase="silica", width=mm(max(100, 9 * lanes + 20)), height=mm(100), origin=mm(10), indicator=True
                ),
            ),
            Draft(uuid4(), planar.EluentUsed(eluent=parse_eluent("hexane : ethyl acetate 4 : 1"))),
            Draft(uuid4(), planar.Chamber(level=mm(5), lined=True, lid=True)),
            Draft(uuid4(), planar.Front(distance=mm("80.0"))),
        ]
        apart = 11 if lanes < 10 else 9
        for lane in range(lanes):
            key = uuid4()
            drafts.append(Draft(key, planar.Lane(at=mm(apart * (lane + 1)), label=chr(65 + lane), substance="sample")))
            for number in range(spots):
                at = 8 + 66 / spots * number + lane / 4
                spot = planar.Spot(
                    lane=key, distance=mm(at), tail=mm(at - 2.5), head=mm(at + 2.5), width=mm(6), seen=("254",)
                )
                drafts.append(Draft(uuid4(), spot))
        pages.append(conn, account, "Ines Marlow", page, lambda _: drafts)
        return page, drafts[-1].id


def first_load(client: Client, path: str) -> int:
    """Compressed bytes of the page and of every file that it and its stylesheet ask for."""
    _, total, page = client.ask("GET", path)
    addresses = {found.decode() for found in re.findall(rb'(?:src|href)="(/static/[^"]+)"', page)}
    addresses |= {f"/static/{name}.js" for name in ("board", "outbox", "photo", "plate", "bench", "plan")}
    for address in sorted(addresses):
        _, size, content = client.ask("GET", address)
        total += size
        if "helvor.css" in address:
            for font in re.findall(rb"url\(([^)]*fonts/[^)]+?)\)", content):
                total += client.ask("GET", "/static/" + font.decode().strip("'\""))[1]
    return total


def matching(benches: int = 48, samples: int = 12, spots: int = 5) -> None:
    """How long it takes to say which of several samples made each plate of a class."""
    rng = random.Random(48)

    def pattern(name: str) -> list[SpotMark]:
        return [SpotMark(f"{name}{i}", rng.uniform(0.05, 0.95)) for i in range(spots)]

    known = {f"sample {n}": pattern(f"s{n}") for n in range(samples)}
    plates = [pattern(f"b{n}") for n in range(benches)]
    times = []
    for _ in range(20):
        began = time.perf_counter()
        for plate in plates:
            rank(plate, known)
        times.append(time.perf_counter() - began)
    print(f"\n{benches} plates against {samples} samples: {1e3 * statistics.median(times):.0f} ms (aim ≤ 200).")


def main() -> None:
    """Fill a database, serve it, ask."""
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--rounds", type=int, default=150)
    rounds = parser.parse_args().rounds
    for lanes, spots in SIZES:
        ask(lanes, spots, rounds)
    matching()


def ask(lanes: int, spots: int, rounds: int) -> None:
    """A server of its own for a plate of one size, asked in turn with the bare page."""
    with database() as url:
        page, spot = fill(url, lanes, spots)
        with served(url) as server:
            client = server.client
            address = f"/plates/{page}"

            def drop(number: int) -> float:
                fields = {"entry": str(uuid4()), "what": "spot", "key": str(spot), "view": "254"}
                where = f"{60 + number % 20 / 2}"
                return client.ask("POST", f"{address}/drop", fields | {"distance": where}, htmx=True)[0]

            print(f"\n{lanes} lanes, {lanes * spots} spots, {rounds} rounds, Python {platform.python_version()}\n")
            asks = {
                "bare page": lambda _: client.ask("GET", "/bare")[0],
                "whole page": lambda _: client.ask("GET", address)[0],
                "spot dropped": drop,
            }
            compare(asks, AIMS, rounds)
            weight = first_load(client, address)
    print(f"\nFirst load of the plate page with everything it needs: {weight / 1000:.0f} kB compressed (aim ≤ 150).")


if __name__ == "__main__":
    main()
