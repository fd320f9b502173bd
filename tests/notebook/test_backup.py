"""A database in a file and back, whole; and what is no backup."""

import json
import threading
import zipfile
from uuid import uuid4

import psycopg
import pytest

from helvor.core.techniques.planar import plate as planar
from helvor.notebook import accounts, backup, files, pages
from helvor.notebook.backup import BackupTrouble
from helvor.notebook.database import connect
from helvor.notebook.server import drop_database, make_database
from tests.core.plates import mm
from tests.notebook.people import plate_with_lane, run_of, teacher, type_in, write


@pytest.fixture
def other_url(server):
    """An empty database beside the one of the test."""
    name = f"restored_{uuid4().hex[:8]}"
    make_database(server.url("postgres"), name)
    yield server.url(name)
    drop_database(server.url("postgres"), name)


def worksheets(conn, account):
    """Every page's entries, in words."""
    ids = [row[0] for row in conn.execute("SELECT id FROM page ORDER BY id")]
    return {page: [repr(entry) for entry in pages.open_page(conn, account, page)[1]] for page in ids}


@pytest.fixture
def filled(conn, empty_url):
    """A plate, a run with a file beside it; the address and the teacher."""
    ida = teacher(conn, "Ida Frost", "A-1")
    plate, lane = plate_with_lane(conn, ida)
    write(conn, ida, plate, planar.Spot(lane=lane, distance=mm(40)))
    run = run_of(conn, ida)
    type_in(conn, ida, run, "dish 32.514", "note a line\twith a tab and a \\ in it")
    files.keep(conn, ida.account, run, uuid4(), files.make("masses.csv", b"g\n1.2\n\\.\n"))
    return empty_url, ida


def test_everything_comes_back_as_it_was(filled, other_url, tmp_path):
    url, ida = filled
    done = backup.write(url, tmp_path / "one.helvor")
    assert done.rows["entry"] == 7 and done.rows["attachment"] == 1
    assert (tmp_path / "one.helvor").stat().st_mode & 0o077 == 0
    assert [p.name for p in tmp_path.iterdir()] == ["one.helvor"]  # nothing half-written stays
    assert backup.restore(other_url, tmp_path / "one.helvor").rows == done.rows
    with connect(url) as was, connect(other_url) as now:
        assert worksheets(now, ida.account) == worksheets(was, ida.account)
        assert backup.counts(now) == backup.counts(was)
        assert bytes(now.execute("SELECT content FROM attachment").fetchone()[0]) == b"g\n1.2\n\\.\n"
        # It is a notebook again: ink is guarded, and writing goes on.
        with pytest.raises(psycopg.errors.RestrictViolation):
            now.execute("DELETE FROM entry")
        run = now.execute("SELECT id FROM page WHERE technique = 'run'").fetchone()[0]
        type_in(now, ida, run, "dish powder 35.520")


def test_it_is_of_one_moment_while_people_write(filled, other_url, tmp_path):
    """Entries go in all the time; every page in the backup is whole: as many entries as it says."""
    url, ida = filled
    stop = threading.Event()

    def keep_writing():
        with connect(url) as conn:
            run = conn.execute("SELECT id FROM page WHERE technique = 'run'").fetchone()[0]
            number = 0
            while not stop.is_set():
                type_in(conn, ida, run, f"note {number} busy")
                number += 1

    writer = threading.Thread(target=keep_writing)
    writer.start()
    try:
        backup.write(url, tmp_path / "busy.helvor")
    finally:
        stop.set()
        writer.join()
    backup.restore(other_url, tmp_path / "busy.helvor")
    with connect(other_url) as now:
        uneven = now.execute(
            "SELECT count(*) FROM page p WHERE p.entries <> (SELECT count(*) FROM entry e WHERE e.page_id = p.id)"
        ).fetchone()[0]
    assert uneven == 0


def test_a_database_with_records_is_left_alone(filled, tmp_path):
    url, ida = filled
    backup.write(url, tmp_path / "one.helvor")
    with pytest.raises(BackupTrouble, match="holds records"):
        backup.restore(url, tmp_path / "one.helvor")
    with connect(url) as conn:
        assert accounts.any_accounts(conn) and len(worksheets(conn, ida.account)) == 2
    with pytest.raises(BackupTrouble, match="helvor exists already: enter another file name"):
        backup.write(url, tmp_path / "one.helvor")
    with pytest.raises(BackupTrouble, match="no folder"):
        backup.write(url, tmp_path / "nowhere" / "one.helvor")


def test_a_damaged_file_is_refused_and_nothing_happens(filled, other_url, tmp_path):
    url, _ = filled
    good = tmp_path / "one.helvor"
    backup.write(url, good)
    whole = good.read_bytes()
    cases = {
        "cut": whole[: len(whole) // 2],
        "flipped": whole[:900] + bytes([whole[900] ^ 255]) + whole[901:],
        "text": b"g\n1.2\n",
        "empty": b"",
    }
    for name, content in cases.items():
        (tmp_path / name).write_bytes(content)
        with pytest.raises(BackupTrouble):
            backup.restore(other_url, tmp_path / name)
    with pytest.raises(BackupTrouble, match="no file"):
        backup.restore(other_url, tmp_path / "nothing")
    with zipfile.ZipFile(good) as archive:
        manifest, dump = json.loads(archive.read("manifest.json")), archive.read("database.dump")
    for name, change, says in (
        ("newer", {"version": 99}, "newer Helvor"),
        ("other", {"format": "something"}, "/other is not a backup of Helvor"),
        ("fewer", {"rows": manifest["rows"] | {"entry": 6}}, "does not contain all of entry"),
    ):
        with zipfile.ZipFile(tmp_path / name, "w") as archive:
            archive.writestr("manifest.json", json.dumps(manifest | change))
            archive.writestr("database.dump", dump)
        with pytest.raises(BackupTrouble, match=says):
            backup.restore(other_url, tmp_path / name)
    with connect(other_url) as conn:
        assert backup.is_empty(conn)


def test_a_file_that_is_not_what_it_was_kept_as_is_noticed(filled, tmp_path):
    url, _ = filled
    with connect(url) as conn:
        conn.execute("ALTER TABLE attachment DISABLE TRIGGER ALL")  # as a disk would: nobody who serves can
        conn.execute("UPDATE attachment SET sha256 = repeat('0', 64)")
    with pytest.raises(BackupTrouble, match="A file in the database has changed since it was saved: check this"):
        backup.write(url, tmp_path / "one.helvor")
    assert not list(tmp_path.iterdir())


def test_tables_that_keep_sums_are_there(conn):
    """A renamed column would make the check pass by looking at nothing."""
    for table, content, known in backup._KEPT_SUMS:
        columns = {
            c
            for (c,) in conn.execute(
                "SELECT column_name FROM information_schema.columns WHERE table_name = %s", [table]
            )
        }
        assert {content, known} <= columns
