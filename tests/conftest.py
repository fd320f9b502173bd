"""A PostgreSQL server for the whole run, a fresh database for each test that asks."""

from __future__ import annotations

import itertools
import os
import shutil
import tempfile
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

import psycopg
import psycopg.sql
import pytest
from argon2 import PasswordHasher
from hypothesis import settings

from helvor import demo
from helvor.notebook import accounts
from helvor.notebook.database import connect
from helvor.notebook.migrate import migrate
from helvor.notebook.rights import APP, OWNER, settle
from helvor.notebook.server import LocalServer, make_database

_counter = itertools.count()

# Machines are noisy: how long something takes is measured in benchmarks/, as ratios, never here.
settings.register_profile("noisy machines", deadline=None)
settings.load_profile("noisy machines")


def pytest_collection_modifyitems(items: list[pytest.Item]) -> None:
    """Of two workers, one takes all browser tests of a module, for they share a running application.

    What needs the database is slow, too.
    """
    for item in items:
        if "server" in getattr(item, "fixturenames", ()):
            item.add_marker(pytest.mark.slow)
        if "browser" in item.path.parts:
            item.add_marker(pytest.mark.xdist_group(item.path.name))


@pytest.fixture(scope="session", autouse=True)
def quick_hashes() -> Iterator[None]:
    """Argon2id with the least work: hundreds of accounts are made here, and none is worth guarding."""
    with pytest.MonkeyPatch.context() as patch:
        patch.setattr(accounts, "_hasher", PasswordHasher(time_cost=1, memory_cost=8, parallelism=1))
        yield


@pytest.fixture(scope="session")
def server() -> Iterator[LocalServer]:
    """A private server in memory; its data does not outlive the run."""
    memory = Path("/dev/shm")
    folder = Path(tempfile.mkdtemp(prefix="helvor-test-", dir=memory if os.access(memory, os.W_OK) else None))
    folder.chmod(0o755)
    local = LocalServer(folder / "postgres", durable=False)
    local.start()
    try:
        yield local
    finally:
        local.stop()
        shutil.rmtree(folder, ignore_errors=True)


def _template(server: LocalServer, name: str, *, with_demo: bool) -> str:
    make_database(server.url("postgres"), name)
    with connect(server.url(name)) as conn:
        migrate(conn)
        if with_demo:
            demo.load(conn)
        settle(conn, APP, OWNER)
    return name


@pytest.fixture(scope="session")
def empty_template(server: LocalServer) -> str:
    return _template(server, "template_empty", with_demo=False)


@pytest.fixture(scope="session")
def demo_template(server: LocalServer) -> str:
    return _template(server, "template_demo", with_demo=True)


def serving(server: LocalServer, url: str) -> str:
    """The address of the same database for the role that serves."""
    return server.app_url(url.rpartition("/")[2])


@contextmanager
def cloned(server: LocalServer, template: str) -> Iterator[str]:
    """The address of a fresh copy of a template, dropped afterwards."""
    name = f"test_{next(_counter)}"
    identifiers = psycopg.sql.Identifier(name), psycopg.sql.Identifier(template)
    with psycopg.connect(server.url("postgres"), autocommit=True) as conn:
        conn.execute(psycopg.sql.SQL("CREATE DATABASE {} TEMPLATE {} STRATEGY file_copy").format(*identifiers))
        try:
            yield server.url(name)
        finally:
            conn.execute(psycopg.sql.SQL("DROP DATABASE {} WITH (FORCE)").format(identifiers[0]))


@pytest.fixture
def empty_url(server: LocalServer, empty_template: str) -> Iterator[str]:
    with cloned(server, empty_template) as url:
        yield url


@pytest.fixture
def demo_url(server: LocalServer, demo_template: str) -> Iterator[str]:
    with cloned(server, demo_template) as url:
        yield url


@pytest.fixture
def conn(empty_url: str) -> Iterator[psycopg.Connection]:
    """A connection to a fresh database with the tables and nothing in them."""
    with connect(empty_url) as connection:
        yield connection
