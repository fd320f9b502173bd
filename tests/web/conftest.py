"""The application over a fresh database, and people to use it."""

from __future__ import annotations

import json
import re
from collections.abc import Iterator
from contextlib import ExitStack, contextmanager
from dataclasses import dataclass, replace
from functools import cache, cached_property
from uuid import UUID, uuid4

import httpx
import psycopg
import pytest
from fastapi import FastAPI
from psycopg_pool import ConnectionPool
from starlette.testclient import TestClient

from helvor.core.practice.rehearsals import STORIES
from helvor.core.record.entry import Payload
from helvor.core.techniques.planar import plate as planar
from helvor.core.techniques.planar.plate import gather
from helvor.exchange.device_line import At
from helvor.notebook import accounts, files, imports, pages, people, photographs, rehearsals, report_jobs
from helvor.notebook.database import connect, open_pool
from helvor.notebook.pages import Draft
from helvor.notebook.server import LocalServer
from helvor.simulators.bank import Bank
from helvor.web.app import Settings, create_app
from tests.conftest import serving
from tests.core.plates import mm
from tests.notebook.people import PASSWORD, Teacher, plate_with_lane, run_of, teacher
from tests.photographs import Blob, Scene, take

collect_ignore = ["steam", "carried_through.py"]
"""A technique that only a process of its own may know."""


HTMX = {"HX-Request": "true"}
_AS_TYPED = re.compile(r"(<(?:textarea|pre)\b.*?</(?:textarea|pre)>)", re.DOTALL)


def on_one_line(answer: httpx.Response) -> None:
    """Let a page be read as a browser shows it: where its source breaks a line means nothing, but in a text area."""
    if answer.headers.get("content-type", "").startswith(("text/html", "image/svg")):
        parts = _AS_TYPED.split(answer.read().decode())
        answer._content = "".join(
            part if number % 2 else re.sub(r"[ \t\r\n]+", " ", part) for number, part in enumerate(parts)
        ).encode()


def followed(client, answer):
    """The page that a tablet asks for once it hears that its reading is in ink; a refusal as it came."""
    events = answer.headers.get("HX-Trigger", "")
    if "helvor:inked" not in events:
        return answer
    return client.get(json.loads(events)["helvor:inked"]["address"], headers=HTMX)


@cache
def small_photograph() -> bytes:
    """A plate of 50 × 100 mm with one lane in its middle and two spots, 420 × 560 pixels, as JPEG."""
    spots = [Blob(0, 25, 45, 0.4, 1.9, 1.7), Blob(0, 25, 70, 0.3, 1.9, 1.7)]
    scene = Scene(lanes=(25,), labels="T", spots=spots, tilt=(4, -3), roll=2, front=90, pixels=(420, 560), seed=2)
    return take(scene).content


@dataclass
class School:
    """Two instructors; Ida has a plate with one lane T and a front at 80 mm, and can have a run of the mixed powder."""

    conn: psycopg.Connection
    app: FastAPI
    ida: Teacher
    otto: Teacher
    page: UUID
    lane: UUID
    visitors: ExitStack

    def visitor(self, who: Teacher | None = None) -> TestClient:
        client = TestClient(self.app, base_url="http://127.0.0.1", follow_redirects=False)
        self.visitors.enter_context(client)
        client.event_hooks["response"].append(on_one_line)
        if who is not None:
            token = client.get("/sign-in").cookies["helvor_form"]
            answer = client.post("/sign-in", data={"email": who.email, "password": PASSWORD, "token": token})
            assert answer.status_code == 303, answer.text
            client.headers["X-CSRF-Token"] = client.cookies["helvor_csrf"]
        return client

    @property
    def url(self) -> str:
        return f"/plates/{self.page}"

    @cached_property
    def run(self) -> UUID:
        return run_of(self.conn, self.ida)

    @property
    def run_url(self) -> str:
        return f"/runs/{self.run}"

    @property
    def file(self) -> UUID:
        """A file of Ida's run."""
        row = self.conn.execute("SELECT id FROM attachment").fetchone()
        if row is not None:
            return row[0]
        key = uuid4()
        files.keep(self.conn, self.ida.account, self.run, key, files.make("masses.csv", b"g\n1.2\n"))
        return key

    @cached_property
    def tubes_plate(self) -> UUID:
        """A plate of Ida's bench with tubes 6 and 7 and a reference; 6 shows it, 7 something else."""
        page, keys = uuid4(), {label: uuid4() for label in ("6", "7", "F")}
        says: list[tuple[UUID, Payload]] = [
            (uuid4(), planar.SetUp(phase="silica", width=mm(50), height=mm(100), origin=mm(10))),
            *(
                (
                    key,
                    planar.Lane(
                        at=mm(10 * n),
                        label=label,
                        role="reference" if label == "F" else "unknown",
                        substance="ferrocene" if label == "F" else "",
                    ),
                )
                for n, (label, key) in enumerate(keys.items(), 1)
            ),
            (uuid4(), planar.Front(distance=mm(80))),
            *(
                (uuid4(), planar.Spot(lane=keys[label], distance=mm(at), strength=strength))
                for label, at, strength in (("6", 44, "heavy"), ("7", 20, "faint"), ("F", 44.5, "clear"))
            ),
        ]
        pages.start_page(self.conn, self.ida.account, self.ida.bench, "planar", page)
        drafts = [Draft(key, one) for key, one in says]
        pages.append(self.conn, self.ida.account, self.ida.name, page, lambda _: drafts)
        return page

    @property
    def photo(self) -> UUID:
        """A photograph of Ida's plate, read."""
        row = self.conn.execute("SELECT id FROM photograph").fetchone()
        if row is not None:
            return row[0]
        key = uuid4()
        _, entries = pages.open_page(self.conn, self.ida.account, self.page)
        picture = photographs.look_at("plate.jpg", small_photograph())
        asked = photographs.asked_of(gather(entries))
        photographs.keep(self.conn, self.ida.account, self.page, key, picture, "254", asked)
        photographs.read_at_once(self.conn, key)
        return key

    @property
    def procedure(self) -> UUID:
        assert self.run
        return self.conn.execute("SELECT id FROM procedure").fetchone()[0]

    @cached_property
    def assistant(self) -> Teacher:
        """Somebody who assists in Ida's class."""
        institution = self.conn.execute(
            "SELECT institution_id FROM account WHERE id = %s", [self.ida.account]
        ).fetchone()[0]
        account = accounts.add_account(self.conn, institution, "uma@example.org", "Uma Reed", PASSWORD, "assistant")
        self.conn.execute(
            "INSERT INTO instructor_of (class_id, account_id) VALUES (%s, %s)", [self.ida.class_id, account]
        )
        return Teacher(account, "Uma Reed", "uma@example.org", self.ida.class_id, self.ida.bench)

    @property
    def colleague(self) -> int:
        return self.assistant.account

    @cached_property
    def rehearsal(self) -> UUID:
        """A practice run of Ida's, just begun."""
        key = uuid4()
        rehearsals.begin(self.conn, self.ida.account, self.ida.name, self.ida.bench, key, (STORIES["crystals"], 3))
        return key

    @cached_property
    def draft(self) -> UUID:
        """A file that Ida handed in and has not decided on."""
        key = uuid4()
        imports.put(self.conn, self.ida.account, self.ida.class_id, key, "readings.csv", b"bench,note\n1,clear\n")
        return key

    @cached_property
    def report(self) -> UUID:
        """A report of Ida's class that is ready."""
        key = uuid4()
        report_jobs.begin(self.conn, self.ida.account, self.ida.class_id, key, 1)
        self.conn.execute("UPDATE report_job SET content = %s WHERE id = %s", [b"%PDF-1.7", key])
        return key

    @property
    def invitation(self) -> UUID:
        """An open invitation of Ida's."""
        key = uuid4()
        people.invite(self.conn, self.ida.account, key, f"{key.hex[:8]}@example.org", "assistant", [])
        return key

    def entries(self) -> int:
        return self.conn.execute("SELECT count(*) FROM entry").fetchone()[0]


@pytest.fixture(scope="session")
def instruments() -> Iterator[tuple[At, ...]]:
    """The made-up instruments, listening."""
    with Bank() as bank:
        yield tuple(At(name, "127.0.0.1", bank.port, simulated=True) for name in bank.names)


@pytest.fixture(scope="session")
def application(instruments: tuple[At, ...]) -> FastAPI:
    """The application without a database. Its first request takes longer than most tests, so all share one."""
    return create_app(Settings(database_url="", devices=instruments, breath=0), ConnectionPool(open=False))


@contextmanager
def over(application: FastAPI, server: LocalServer, url: str) -> Iterator[FastAPI]:
    """The application over a database, as the role that serves."""
    settings, none = application.state.settings, application.state.pool
    pool = open_pool(serving(server, url), size=4)
    application.state.settings, application.state.pool = replace(settings, database_url=url), pool
    try:
        yield application
    finally:
        pool.close()
        application.state.settings, application.state.pool = settings, none


@pytest.fixture
def school(empty_url: str, server: LocalServer, application: FastAPI) -> Iterator[School]:
    with connect(empty_url) as conn, over(application, server, empty_url) as app, ExitStack() as visitors:
        ida, otto = teacher(conn, "Ida Frost", "A-1"), teacher(conn, "Otto Ling", "B-1")
        page, lane = plate_with_lane(conn, ida)
        yield School(conn, app, ida, otto, page, lane, visitors)


@pytest.fixture
def ida(school: School) -> TestClient:
    return school.visitor(school.ida)


def spot_form(school: School, **changes: object) -> dict[str, object]:
    """A filled spot form."""
    form = {
        "kind": "spot",
        "entry": str(uuid4()),
        "lane": str(school.lane),
        "distance": "40.0",
        "strength": "clear",
        "seen": "254",
        "swatch": "",
        "view": "254",
    }
    return form | changes
