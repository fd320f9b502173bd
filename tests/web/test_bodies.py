"""What comes in: bounded by who sends it, given up when it stops, made once more when the database dropped it."""

import asyncio
from uuid import uuid4

import psycopg
import pytest

from helvor.notebook import pages
from helvor.web import bodies
from helvor.web.bodies import Bodies
from tests.web.conftest import HTMX

KB = 1024


@pytest.mark.parametrize(
    ("signed_in", "path", "size", "status"),
    [
        (False, "/sign-in", 60 * KB, 403),
        (False, "/sign-in", 70 * KB, 413),
        (False, "/plates/x/files", 70 * KB, 413),
        (False, "/classes/x/import/files", 5_000 * KB, 413),
        (False, "/api/planar/rf", 70 * KB, 413),
        (True, "/api/planar/rf", 70 * KB, 422),
        (True, "/api/planar/rf", 300 * KB, 413),
        (True, "/nowhere/files", 5_000 * KB, 404),
    ],
)
def test_a_stranger_has_sixty_four_kilobytes(school, signed_in, path, size, status):
    client = school.visitor(school.ida if signed_in else None)
    answer = client.post(path, content=b"x" * size, headers={"content-type": "text/plain"})
    assert answer.status_code == status
    assert answer.headers["X-Helvor"] == "1"

    def chunks():
        for _ in range(size // KB):
            yield b"x" * KB

    answer = client.post(path, content=chunks(), headers={"content-type": "text/plain"})
    assert answer.status_code == status


def test_a_session_that_has_ended_is_a_stranger(school):
    client = school.visitor(school.ida)
    client.cookies.set("helvor_session", "x" * 43)
    assert client.post("/nowhere/files", content=b"x" * 70 * KB).status_code == 413


class Wire:
    """An ASGI server's side of one request: parts of a body with pauses, and what was answered."""

    def __init__(self, *parts, headers=()):
        self.parts, self.sent = list(parts), []
        self.scope = {"type": "http", "method": "POST", "path": "/join", "headers": list(headers), "query_string": b""}

    async def receive(self):
        if not self.parts:
            await asyncio.sleep(3600)
        pause, part, more = self.parts.pop(0)
        await asyncio.sleep(pause)
        return {"type": "http.request", "body": part, "more_body": more}

    async def send(self, message):
        self.sent.append(message)

    @property
    def status(self):
        return self.sent[0]["status"]


def made(app, wire):
    """On a loop of its own: after browser tests one runs in this thread already."""
    import threading

    thread = threading.Thread(target=lambda: asyncio.run(Bodies(app)(wire.scope, wire.receive, wire.send)))
    thread.start()
    thread.join(20)
    assert not thread.is_alive()
    return wire


async def never(scope, receive, send):
    raise AssertionError("nothing is made of half a body")


def test_a_body_that_stops_or_trickles_is_given_up(monkeypatch):
    monkeypatch.setattr(bodies, "STILL_SECONDS", 0.2)
    assert made(never, Wire((0, b"email=", True))).status == 408
    monkeypatch.setattr(bodies, "SLOWEST", 1000)
    assert made(never, Wire(*[(0.1, b"x", True)] * 40)).status == 408


def drops_once(state):
    """An application whose database drops the first request."""

    async def app(scope, receive, send):
        state["asked"] = state.get("asked", 0) + 1
        state["body"] = (await receive())["body"]
        headers = [(b"x-helvor-again", b"1")] if state["asked"] <= state.get("drops", 1) else []
        await send({"type": "http.response.start", "status": 503 if headers else 200, "headers": headers})
        await send({"type": "http.response.body", "body": b"", "more_body": False})

    return app


@pytest.mark.parametrize(
    ("body", "drops", "status", "asked"),
    [
        (b"entry=1&text=dish", 1, 200, 2),
        (b"entry=1&text=dish", 2, 503, 2),
        (b'{"id": "1", "says": {}}', 1, 200, 2),
        (b"title=A+class", 1, 503, 1),  # made twice it might be there twice
    ],
)
def test_what_the_database_dropped_is_made_once_more(body, drops, status, asked):
    state = {"drops": drops}
    wire = made(drops_once(state), Wire((0, body, False)))
    assert (wire.status, state["asked"], state["body"]) == (status, asked, body)
    assert len(wire.sent) == 2 and not wire.sent[0]["headers"]


@pytest.mark.parametrize(
    "trouble",
    [
        psycopg.errors.DeadlockDetected("deadlock detected"),
        psycopg.errors.SerializationFailure("again"),
        psycopg.errors.AdminShutdown("terminating"),
        psycopg.OperationalError("server closed the connection unexpectedly"),
    ],
)
def test_a_reading_gets_through_a_deadlock_and_a_dead_connection(school, ida, monkeypatch, trouble):
    write, asked = pages.append, []

    def dropped_once(*args, **more):
        asked.append(1)
        if len(asked) == 1:
            raise trouble
        return write(*args, **more)

    monkeypatch.setattr(pages, "append", dropped_once)
    answer = ida.post(f"{school.url}/read", data={"entry": str(uuid4()), "text": "T 42.7"}, headers=HTMX)
    assert answer.status_code == 200 and len(asked) == 2


def test_a_statement_that_was_too_slow_is_not_made_again(school, ida, monkeypatch):
    asked = []

    def slow(*args, **more):
        asked.append(1)
        raise psycopg.errors.QueryCanceled("statement timeout")

    monkeypatch.setattr(pages, "append", slow)
    answer = ida.post(f"{school.url}/read", data={"entry": str(uuid4()), "text": "T 42.7"}, headers=HTMX)
    assert answer.status_code == 503 and len(asked) == 1 and answer.headers["Retry-After"]
