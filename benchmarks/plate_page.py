"""How much dearer a plate is than the barest page on the same server, as ratios in one run.

One server process serves both: a bare FastAPI and psycopg page (one indexed query, a
one-line template), and Helvor with a plate of 8 lanes and 40 spots. One client asks for
each in turn over a kept connection, so that whatever else the machine does hits all alike.
"""

from __future__ import annotations

import argparse
import gzip
import http.client
import platform
import re
import statistics
import tempfile
import threading
import time
from pathlib import Path
from urllib.parse import urlencode
from uuid import UUID, uuid4

import uvicorn
from fastapi import FastAPI
from jinja2 import Environment
from psycopg_pool import ConnectionPool
from starlette.responses import HTMLResponse
from starlette.types import Receive, Scope, Send

from helvor import demo
from helvor.bench.planar import plate as planar
from helvor.bench.planar.eluent import parse_eluent
from helvor.demo.load import mm
from helvor.notebook import classes, pages
from helvor.notebook.database import connect, open_pool
from helvor.notebook.migrate import migrate
from helvor.notebook.pages import Draft
from helvor.notebook.server import LocalServer, free_port, make_database
from helvor.shelf.solvents import eluotropic_rank
from helvor.web.app import Settings, create_app

LANES, SPOTS_PER_LANE = 8, 5
AIMS = {"spot dropped": 3.0, "whole page": 5.0}


def bare_app(pool: ConnectionPool) -> FastAPI:
    """The page to compare with."""
    app = FastAPI()
    template = Environment(autoescape=True).from_string("<!DOCTYPE html><title>bare</title><p>{{ name }}</p>")

    @app.get("/bare")
    def bare() -> HTMLResponse:
        with pool.connection() as conn:
            row = conn.execute("SELECT name FROM account WHERE email = %s", [demo.EMAIL]).fetchone()
        return HTMLResponse(template.render(name=row[0]))

    return app


def fill(url: str) -> tuple[UUID, UUID]:
    """A demo database with one more plate: its id and the key of the spot to drop."""
    with connect(url) as conn:
        migrate(conn)
        demo.load(conn, eluotropic_rank())
        account = conn.execute("SELECT id FROM account").fetchone()[0]
        bench = classes.front_bench(conn, account).id
        page = pages.start_page(conn, account, bench, "planar", uuid4())
        drafts = [
            Draft(uuid4(), planar.SetUp(phase="silica", width=mm(100), height=mm(100), origin=mm(10), indicator=True)),
            Draft(uuid4(), planar.EluentUsed(eluent=parse_eluent("hexane : ethyl acetate 4 : 1"))),
            Draft(uuid4(), planar.Chamber(level=mm(5), lined=True, lid=True)),
            Draft(uuid4(), planar.Front(distance=mm("80.0"))),
        ]
        for lane in range(LANES):
            key = uuid4()
            drafts.append(Draft(key, planar.Lane(at=mm(11 * (lane + 1)), label=chr(65 + lane), substance="sample")))
            for number in range(SPOTS_PER_LANE):
                at = 8 + 13.5 * number + lane / 2
                spot = planar.Spot(
                    lane=key, distance=mm(at), tail=mm(at - 2.5), head=mm(at + 2.5), width=mm(6), seen=("254",)
                )
                drafts.append(Draft(uuid4(), spot))
        pages.append(conn, account, "Ines Marlow", page, lambda _: drafts, eluotropic_rank())
        return page, drafts[-1].id


class Client:
    """A browser's requests, without a browser."""

    def __init__(self, port: int) -> None:
        self.connection = http.client.HTTPConnection("127.0.0.1", port)
        self.headers = {"Accept-Encoding": "gzip"}

    def ask(self, method: str, path: str, fields: dict[str, str] | None = None) -> tuple[float, int, bytes]:
        body = urlencode(fields) if fields else None
        form = {"Content-Type": "application/x-www-form-urlencoded"} if body else {}
        began = time.perf_counter()
        self.connection.request(method, path, body, self.headers | form)
        answer = self.connection.getresponse()
        content = answer.read()
        taken = time.perf_counter() - began
        if answer.getheader("Set-Cookie"):
            cookies = [c.split(";")[0] for c in answer.headers.get_all("Set-Cookie")]
            kept = dict(c.split("=", 1) for c in self.headers.get("Cookie", "").split("; ") if c)
            kept |= dict(c.split("=", 1) for c in cookies)
            self.headers["Cookie"] = "; ".join(f"{k}={v}" for k, v in kept.items())
        if answer.status >= 400:
            raise RuntimeError(f"{method} {path}: {answer.status} {content[:200]!r}")
        return taken, len(content), gzip.decompress(content) if answer.getheader("Content-Encoding") else content


def first_load(client: Client, path: str) -> int:
    """Compressed bytes of the page and of every file that it and its stylesheet ask for."""
    _, total, page = client.ask("GET", path)
    addresses = {found.decode() for found in re.findall(rb'(?:src|href)="(/static/[^"]+)"', page)}
    addresses |= {"/static/outbox.js", "/static/plate.js"}
    for address in sorted(addresses):
        _, size, content = client.ask("GET", address)
        total += size
        if "helvor.css" in address:
            for font in re.findall(rb"url\(([^)]*fonts/[^)]+?)\)", content):
                total += client.ask("GET", "/static/" + font.decode().strip("'\""))[1]
    return total


def measure(rounds: int, url: str) -> None:
    """Run and print."""
    page, spot = fill(url)
    pool = open_pool(url, size=4)
    ours, bare = create_app(Settings(database_url=url), pool), bare_app(pool)

    async def both(scope: Scope, receive: Receive, send: Send) -> None:
        await (bare if scope.get("path") == "/bare" else ours)(scope, receive, send)

    port = free_port()
    server = uvicorn.Server(uvicorn.Config(both, port=port, log_level="warning", access_log=False, lifespan="off"))
    thread = threading.Thread(target=server.run)
    thread.start()
    while not server.started:
        time.sleep(0.05)
    try:
        client = Client(port)
        form = client.ask("GET", "/sign-in")[2].decode()
        token = re.search(r'name="token" value="([^"]+)"', form)[1]
        client.ask("POST", "/sign-in", {"email": demo.EMAIL, "password": demo.PASSWORD, "token": token})
        client.headers["X-CSRF-Token"] = re.search(r"helvor_csrf=([^;]+)", client.headers["Cookie"])[1]
        address = f"/plates/{page}"
        client.headers |= {"HX-Request": "true"}

        def drop(number: int) -> float:
            fields = {"entry": str(uuid4()), "what": "spot", "key": str(spot), "view": "254"}
            return client.ask("POST", f"{address}/drop", fields | {"distance": f"{60 + number % 20 / 2}"})[0]

        def whole() -> float:
            del client.headers["HX-Request"]
            taken = client.ask("GET", address)[0]
            client.headers["HX-Request"] = "true"
            return taken

        times: dict[str, list[float]] = {"bare page": [], "whole page": [], "spot dropped": []}
        for number in range(-10, rounds):
            one = {"bare page": client.ask("GET", "/bare")[0], "whole page": whole(), "spot dropped": drop(number)}
            if number >= 0:
                for name, taken in one.items():
                    times[name].append(taken)
        del client.headers["HX-Request"]
        weight = first_load(client, address)
    finally:
        server.should_exit = True
        thread.join()
        pool.close()

    def quantiles(name: str) -> tuple[float, float]:
        return statistics.median(times[name]), statistics.quantiles(times[name], n=20)[18]

    base = quantiles("bare page")
    print(f"{LANES} lanes, {LANES * SPOTS_PER_LANE} spots, {rounds} rounds, Python {platform.python_version()}\n")
    print("| request | p50 ms | p95 ms | p50 ÷ bare | p95 ÷ bare | aim |\n|---|---|---|---|---|---|")
    for name in times:
        p50, p95 = quantiles(name)
        aim = f"≤ {AIMS[name]:g}" if name in AIMS else ""
        print(f"| {name} | {1e3 * p50:.2f} | {1e3 * p95:.2f} | {p50 / base[0]:.1f} | {p95 / base[1]:.1f} | {aim} |")
    print(f"\nFirst load of the plate page with everything it needs: {weight / 1000:.0f} kB compressed (aim ≤ 150).")


def main() -> None:
    """A private server in a temporary folder, durable as in real use."""
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--rounds", type=int, default=150)
    options = parser.parse_args()
    with tempfile.TemporaryDirectory() as folder:
        Path(folder).chmod(0o755)
        server = LocalServer(Path(folder) / "postgres")
        server.start()
        try:
            make_database(server.url("postgres"), "benchmark")
            measure(options.rounds, server.url("benchmark"))
        finally:
            server.stop()


if __name__ == "__main__":
    main()
