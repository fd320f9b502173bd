"""What the serving role cannot do, tried in SQL: the database keeps its word whoever is connected."""

from uuid import uuid4

import psycopg
import pytest
from psycopg.types.json import Jsonb

from helvor.core.engine.run.entries import Noted
from helvor.core.techniques.planar import plate as planar
from helvor.notebook import files, forget, page_lists, pages, rights
from helvor.notebook.database import connect, open_pool
from helvor.notebook.migrate import migrate
from helvor.notebook.page_errors import NotWorkedOut
from helvor.notebook.pages import Draft
from helvor.notebook.server import drop_database, make_database
from tests.conftest import serving
from tests.core.plates import mm
from tests.notebook.people import plate_with_lane, run_of, teacher, type_in, write

INK = [table for table, held in rights.RIGHTS.items() if held is not None and not held.update and not held.delete]


@pytest.fixture
def ida(conn):
    """A teacher with a plate, a run and a file, so that there is something to spoil."""
    ida = teacher(conn, "Ida Frost", "A-1")
    plate, lane = plate_with_lane(conn, ida)
    write(conn, ida, plate, planar.Spot(lane=lane, distance=mm(40)))
    run = run_of(conn, ida)
    type_in(conn, ida, run, "dish 32.514", "note Ada saw white fumes")
    files.keep(conn, ida.account, run, uuid4(), files.make("Ada masses.csv", b"g\n1.2\n"))
    return ida


@pytest.fixture
def app(empty_url, server, ida):
    with connect(serving(server, empty_url)) as connection:
        yield connection


@pytest.mark.parametrize(
    "statement",
    [
        *(
            f"DELETE FROM {table}"
            for table in (*INK, "page", "account", "class", "institution", "migration", "container")
        ),
        *(f"TRUNCATE {table} CASCADE" for table in (*INK, "page", "session", "bench")),
        *(f"ALTER TABLE {table} DISABLE TRIGGER ALL" for table in ("entry", "attachment")),
        "UPDATE entry SET payload = payload",
        "UPDATE entry SET written_at = now()",
        "UPDATE room_entry SET reason = ''",
        "UPDATE attachment SET content = 'x'",
        "UPDATE account SET email = 'a@b.example'",
        "UPDATE account SET is_demo = true",
        "UPDATE name_taken_out SET what = ''",
        "INSERT INTO name_taken_out (what, record, account_id) SELECT 'entry', id, author_id FROM entry",
        "INSERT INTO entry (id, page_id, seq, kind, payload, author_id, recorded_at)"
        " SELECT gen_random_uuid(), page_id, 99, kind, payload, author_id, '2020-01-01' FROM entry LIMIT 1",
        "SET session_replication_role = replica",
        "SET ROLE helvor_owner",
        "CREATE ROLE somebody",
        "CREATE TABLE mine (a int)",
        "ALTER ROLE helvor_app SUPERUSER",
        "SELECT pg_read_file('postgresql.conf')",
        "COPY entry TO '/tmp/entries'",
        "COPY entry TO PROGRAM 'cat'",
        "CREATE FUNCTION f() RETURNS int LANGUAGE sql AS 'SELECT 1'",
        "DROP TABLE entry",
        "ALTER FUNCTION refuse_in_ink() OWNER TO helvor_app",
        "ALTER SYSTEM SET fsync = off",
        "SELECT * FROM pg_authid",
        "UPDATE migration SET sha256 = ''",
        "DROP TRIGGER in_ink ON entry",
        "INSERT INTO migration (name, sha256) VALUES ('x', 'y')",
    ],
)
def test_who_serves_cannot(app, statement):
    before = app.execute("SELECT count(*), max(written_at) FROM entry").fetchone()
    with pytest.raises((psycopg.errors.InsufficientPrivilege, psycopg.errors.RestrictViolation)):
        app.execute(statement)
    assert app.execute("SELECT count(*), max(written_at) FROM entry").fetchone() == before


def test_the_settings_that_once_opened_ink_and_archive_open_nothing(conn, app, ida):
    conn.execute("UPDATE class SET archived_at = now() WHERE id = %s", [ida.class_id])
    for one in (conn, app):
        one.execute("SELECT set_config('helvor.forgetting', 'yes', false), set_config('helvor.keeping', 'yes', false)")
        with pytest.raises(psycopg.DatabaseError):
            one.execute("UPDATE entry SET payload = payload || '{\"words\": \"other\"}' WHERE kind = 'noted'")
        with pytest.raises(psycopg.DatabaseError, match="archived"):
            one.execute("INSERT INTO class_kit (class_id, name, count) VALUES (%s, 'lamp', 2)", [ida.class_id])
        with pytest.raises(psycopg.DatabaseError, match="archived"):
            one.execute("DELETE FROM bench WHERE class_id = %s", [ida.class_id])


@pytest.mark.parametrize("payload", ["{}", '{"kind": null}', '{"kind": "noted"}'])
def test_an_entry_without_its_kind_is_refused(app, payload):
    with pytest.raises(psycopg.errors.CheckViolation):
        app.execute(
            "INSERT INTO entry (id, page_id, seq, kind, payload, author_id)"
            " SELECT gen_random_uuid(), page_id, 99, 'weighed', %s, author_id FROM entry LIMIT 1",
            [payload],
        )


NAME, GONE = "Ada saw white fumes", "— saw white fumes"


def taken_out(conn, account, entry, payload, reason=""):
    conn.execute("SELECT take_name_out(%s, 'entry', %s, %s, %s)", [account, entry, Jsonb(payload), reason])


@pytest.mark.parametrize(
    "change",
    [
        lambda says: says | {"words": "Eve saw white fumes"},  # another name
        lambda says: says | {"words": GONE + " and smoke"},  # more words
        lambda says: says | {"words": "—", "kind": "struck"},  # another kind
        lambda says: {k: v for k, v in says.items() if k != "words"},  # a field fewer
        lambda says: says | {"more": "—"},  # a field more
        lambda says: says | {"celsius": 20.0},  # a reading
        lambda says: says | {"step": "—"},  # what is no free word
    ],
)
def test_the_one_way_to_change_ink_takes_words_out_and_puts_none_in(app, ida, change):
    entry, says = app.execute("SELECT id, payload FROM entry WHERE kind = 'noted'").fetchone()
    assert says["words"] == NAME
    with pytest.raises(psycopg.errors.RestrictViolation):
        taken_out(app, ida.account, entry, change(says))
    taken_out(app, ida.account, entry, says | {"words": GONE})
    assert app.execute("SELECT payload ->> 'words' FROM entry WHERE id = %s", [entry]).fetchone() == (GONE,)
    assert app.execute("SELECT what, record, account_id FROM name_taken_out").fetchall() == [
        ("entry", entry, ida.account)
    ]


def test_only_an_instructor_of_the_class_takes_names_out(conn, app, ida):
    otto = teacher(conn, "Otto Ling", "B-1")
    entry, says = app.execute("SELECT id, payload FROM entry WHERE kind = 'noted'").fetchone()
    with pytest.raises(psycopg.errors.InsufficientPrivilege):
        taken_out(app, otto.account, entry, says | {"words": GONE})
    with pytest.raises(psycopg.errors.InsufficientPrivilege):
        taken_out(app, ida.account, uuid4(), says)


def test_names_go_with_the_rights_of_who_serves(app, ida):
    done = forget.forget_names(app, ida.account, ida.class_id)
    assert done.entries == 1
    assert app.execute("SELECT name FROM attachment").fetchall() == [("— masses.csv",)]


def test_a_page_that_cannot_be_worked_out_keeps_nobodys_name(app, ida, monkeypatch):
    def breaks(page, entries):
        raise NotWorkedOut(page)

    monkeypatch.setattr(page_lists, "worked_out", breaks)
    forget.forget_names(app, ida.account, ida.class_id)
    words = app.execute("SELECT string_agg(payload::text, ' ') FROM entry").fetchone()[0]
    assert "Ada" not in words
    assert all("could not calculate this page" in s["what"] for (s,) in app.execute("SELECT summary FROM page"))


def test_a_database_of_before_moves_over_by_itself(server):
    """Everything belongs to the superuser, nobody has any rights: as it was, then settled, and settled again."""
    name = f"before_{uuid4().hex[:8]}"
    make_database(server.url("postgres"), name)
    try:
        with connect(server.url(name)) as conn:
            migrate(conn)
            ida = teacher(conn, "Ida Frost", "A-1")
            run = run_of(conn, ida)
            with connect(server.app_url(name)) as early, pytest.raises(psycopg.errors.InsufficientPrivilege):
                early.execute("SELECT FROM entry")
            for _ in range(2):
                rights.settle(conn, rights.APP, rights.OWNER)
            owners = {o for (o,) in conn.execute("SELECT tableowner FROM pg_tables WHERE schemaname = 'public'")}
            assert owners == {rights.OWNER} and rights.too_much(conn) == "is a superuser"
        pool = open_pool(server.app_url(name))
        with pool.connection() as serving_conn:
            assert rights.too_much(serving_conn) == ""
            type_in(serving_conn, ida, run, "dish 32.514")
            limits = [
                serving_conn.execute(f"SHOW {one}").fetchone()[0] for one in ("lock_timeout", "statement_timeout")
            ]
        assert limits == ["5s", "10s"]
        pool.close()
    finally:
        drop_database(server.url("postgres"), name)


def test_every_table_has_its_rights(conn):
    """A new table is named in rights.py, or nothing can be served."""
    tables = {name for (name,) in conn.execute("SELECT tablename FROM pg_tables WHERE schemaname = 'public'")}
    assert tables == set(rights.RIGHTS)
    conn.execute("CREATE TABLE forgotten (a int)")
    with pytest.raises(rights.NotSettled, match="forgotten"):
        rights.settle(conn, rights.APP)


def test_a_write_in_flight_is_waited_for_by_the_archive(conn, app, ida, empty_url):
    """Archiving waits for who is writing; whoever comes after sees the class archived."""
    run = app.execute("SELECT id FROM page WHERE technique = 'run'").fetchone()[0]
    with connect(empty_url) as writing, connect(empty_url) as archiving:
        writing.execute("BEGIN")
        writing.execute("SELECT FROM page WHERE id = %s FOR UPDATE", [run])
        archiving.execute("SET lock_timeout = '300ms'")
        with pytest.raises(psycopg.errors.LockNotAvailable):
            forget.archive(archiving, ida.account, ida.class_id, away=True)
        writing.execute("COMMIT")
        forget.archive(archiving, ida.account, ida.class_id, away=True)
    with pytest.raises(psycopg.DatabaseError, match="archived"):
        pages.write(app, ida.account, ida.name, run, lambda _: [Draft(uuid4(), Noted(words="too late"))])
