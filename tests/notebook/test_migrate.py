"""Migrations: once, whole, and noticed when edited."""

import threading

import psycopg
import pytest

from helvor.notebook.database import connect
from helvor.notebook.migrate import EditedMigration, Migration, migrate, shipped
from helvor.notebook.server import make_database


def tables(conn: psycopg.Connection) -> set[str]:
    return {name for (name,) in conn.execute("SELECT tablename FROM pg_tables WHERE schemaname = 'public'")}


def test_a_second_run_runs_nothing(conn):
    assert migrate(conn) == []
    assert {"entry", "page", "account", "migration"} <= tables(conn)


def test_a_migration_that_fails_leaves_nothing_of_itself(conn):
    broken = Migration("9000_broken.sql", "CREATE TABLE half (id int); SELECT 1/0;")
    with pytest.raises(psycopg.errors.DivisionByZero):
        migrate(conn, [*shipped(), broken])
    assert "half" not in tables(conn)
    assert migrate(conn, [*shipped(), Migration("9000_broken.sql", "CREATE TABLE whole (id int)")]) == [
        "9000_broken.sql"
    ]


def test_an_edited_migration_is_noticed(conn):
    first = shipped()[0]
    with pytest.raises(EditedMigration, match=first.name):
        migrate(conn, [Migration(first.name, first.sql + " ")])


def test_two_starts_at_once_migrate_once(server):
    make_database(server.url("postgres"), "race")
    ran: list[list[str]] = []

    def start() -> None:
        with connect(server.url("race")) as own:
            ran.append(migrate(own))

    starts = [threading.Thread(target=start) for _ in range(3)]
    for one in starts:
        one.start()
    for one in starts:
        one.join()
    assert sorted(map(len, ran)) == [0, 0, len(shipped())]
