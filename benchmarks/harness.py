"""What the benchmarks share: a bare page to compare with, one server for both, a client that keeps its connection.

One process serves a bare FastAPI and psycopg page (one indexed query, a one-line template)
and Helvor. A client in another asks for each in turn over a kept connection, so that whatever
else the machine does hits all alike, and nobody waits for the interpreter of the other.
"""

from __future__ import annotations

import gzip
import http.client
import multiprocessing
import re
import resource
import statistics
import tempfile
import threading
import time
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from multiprocessing.connection import Connection
from pathlib import Path
from urllib.parse import urlencode
from uuid import uuid4

import uvicorn
from fastapi import FastAPI
from jinja2 import Environment
from psycopg.types.json import Jsonb
from psycopg_pool import ConnectionPool
from starlette.responses import HTMLResponse
from starlette.types import Receive, Scope, Send

from helvor import demo
from helvor.command import listen
from helvor.notebook.database import open_pool
from helvor.notebook.server import LocalServer, free_port, make_database
from helvor.web.app import Settings, calm_collector, create_app


def bare_app(pool: ConnectionPool) -> FastAPI:
    """The page to compare with, and a write to compare with: a row of a small table, alone."""
    with pool.connection() as conn:
        conn.execute("CREATE TABLE IF NOT EXISTS bare_write (id uuid PRIMARY KEY, says jsonb NOT NULL)")
    app = FastAPI()
    template = Environment(autoescape=True).from_string("<!DOCTYPE html><title>bare</title><p>{{ name }}</p>")

    @app.get("/bare")
    def bare() -> HTMLResponse:
        with pool.connection() as conn:
            row = conn.execute("SELECT name FROM account WHERE email = %s", [demo.EMAIL]).fetchone()
        return HTMLResponse(template.render(name=row[0]))

    @app.post("/bare-write")
    def write() -> dict[str, bool]:
        with pool.connection() as conn:
            conn.execute("INSERT INTO bare_write VALUES (%s, %s)", [uuid4(), Jsonb({"kind": "noted"})])
        return {"ok": True}

    return app


class Client:
    """A browser's requests, without a browser; signed in."""

    def __init__(self, port: int) -> None:
        self.connection = http.client.HTTPConnection("127.0.0.1", port)
        self.headers = {"Accept-Encoding": "gzip"}
        form = self.ask("GET", "/sign-in")[2].decode()
        token = re.search(r'name="token" value="([^"]+)"', form)[1]
        self.ask("POST", "/sign-in", {"email": demo.EMAIL, "password": demo.PASSWORD, "token": token})
        self.headers["X-CSRF-Token"] = re.search(r"helvor_csrf=([^;]+)", self.headers["Cookie"])[1]

    def ask(
        self, method: str, path: str, fields: dict[str, str] | None = None, *, htmx: bool = False
    ) -> tuple[float, int, bytes]:
        """Seconds, compressed bytes, content."""
        body = urlencode(fields) if fields else None
        more = {"Content-Type": "application/x-www-form-urlencoded"} if body else {}
        if htmx:
            more["HX-Request"] = "true"
        began = time.perf_counter()
        self.connection.request(method, path, body, self.headers | more)
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


@contextmanager
def database() -> Iterator[str]:
    """A private server in a temporary folder, durable as in real use; the address of an empty database."""
    with tempfile.TemporaryDirectory() as folder:
        Path(folder).chmod(0o755)
        server = LocalServer(Path(folder) / "postgres")
        server.start()
        try:
            make_database(server.url("postgres"), "benchmark")
            yield server.url("benchmark")
        finally:
            server.stop()


def serve(url: str, port: int, told: Connection) -> None:
    """One application process with the bare pages beside it; says how much memory it took at the end, in MB."""
    pool = open_pool(url, size=8)
    ours, bare = create_app(Settings(database_url=url), pool), bare_app(pool)
    calm_collector()

    async def both(scope: Scope, receive: Receive, send: Send) -> None:
        await (bare if scope.get("path", "").startswith("/bare") else ours)(scope, receive, send)

    # On a listener of the command's own, as it is served in earnest.
    server = uvicorn.Server(uvicorn.Config(both, log_level="warning", access_log=False, lifespan="off"))
    ours.state.closing = lambda: server.should_exit
    thread = threading.Thread(target=server.run, kwargs={"sockets": [listen("127.0.0.1", port)]})
    thread.start()
    told.recv()
    told.send(resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1024)
    server.should_exit = True
    thread.join()
    pool.close()


class Served:
    """The process that serves, and a signed-in client."""

    def __init__(self, port: int, here: Connection) -> None:
        self.port = port
        self.client = self._when_it_answers()
        self._here = here

    def _when_it_answers(self) -> Client:
        while True:
            try:
                return Client(self.port)
            except ConnectionRefusedError:
                time.sleep(0.1)

    def stop(self) -> float:
        """End it; the most memory that it took, MB."""
        self._here.send("stop")
        most: float = self._here.recv()
        return most


@contextmanager
def served(url: str) -> Iterator[Served]:
    """Both applications served by one process of their own."""
    here, there = multiprocessing.Pipe()
    port = free_port()
    process = multiprocessing.get_context("spawn").Process(target=serve, args=(url, port, there))
    process.start()
    made = Served(port, here)
    try:
        yield made
    finally:
        if process.is_alive() and not here.closed:
            made.stop()
        process.join()


def compare(asks: dict[str, Callable[[int], float]], aims: dict[str, float], rounds: int) -> None:
    """Ask for each in turn, *rounds* times, and print p50 and p95 as ratios to the first."""
    times: dict[str, list[float]] = {name: [] for name in asks}
    for number in range(-10, rounds):
        for name, ask in asks.items():
            taken = ask(number)
            if number >= 0:
                times[name].append(taken)

    def quantiles(name: str) -> tuple[float, float]:
        return statistics.median(times[name]), statistics.quantiles(times[name], n=20)[18]

    base = quantiles(next(iter(asks)))
    print("| request | p50 ms | p95 ms | p50 ÷ bare | p95 ÷ bare | aim |\n|---|---|---|---|---|---|")
    for name in times:
        p50, p95 = quantiles(name)
        aim = f"≤ {aims[name]:g}" if name in aims else ""
        print(f"| {name} | {1e3 * p50:.2f} | {1e3 * p95:.2f} | {p50 / base[0]:.1f} | {p95 / base[1]:.1f} | {aim} |")
