"""A class put away, and its students' names deleted while the science stays."""

from datetime import UTC, datetime, timedelta
from uuid import uuid4

import psycopg
import pytest

from helvor.core.classroom.meeting import entries as day
from helvor.core.engine.run.entries import Late, Noted
from helvor.core.record.container import Moved
from helvor.core.techniques.registered import PAGE_KINDS
from helvor.notebook import classes, containers, files, forget, imports, joining, lab_log, pages
from helvor.notebook.page_errors import NotYours
from helvor.notebook.pages import Draft
from helvor.shelf.solvents import eluotropic_rank
from tests.notebook.people import run_of, teacher, type_in

RANK = eluotropic_rank()


@pytest.fixture
def ida(conn):
    return teacher(conn, "Ida Frost", "A-1")


@pytest.mark.parametrize(
    ("pair", "names"),
    [
        ("Ada and Bo", ["Ada", "Bo"]),
        ("Ada Berg & Bo", ["Ada", "Berg", "Bo"]),
        ("pair 3", []),
        ("", []),
        ("Zoë, Jean-Luc", ["Zoë", "Jean-Luc"]),
        ("The Pair", []),
        ("Bench 4, Cy and Di", ["Cy", "Di"]),
    ],
)
def test_names_in_a_pair(pair, names):
    assert forget.names_in(pair) == names


def test_names_go_and_every_number_stays(conn, ida):
    run = run_of(conn, ida)
    type_in(conn, ida, run, "dish 32.514", "dish powder 35.520", "note Ada saw white fumes, Adam too")
    late = Draft(uuid4(), Late(words="Bo had a bus to catch", make_up="Friday with Cy"))
    pages.append(conn, ida.account, ida.name, run, lambda _: [late])
    now = datetime.now(UTC)
    classes.add_meeting(conn, ida.class_id, 1, now - timedelta(hours=1), now + timedelta(hours=1), "")
    lab_log.write(conn, ida.account, ida.name, ida.class_id, 1, Draft(uuid4(), day.Absent(bench=1, who="Edda")))
    lab_log.write(
        conn, ida.account, ida.name, ida.class_id, 1, Draft(uuid4(), day.Said(words="Edda is at the dentist"))
    )
    for says in (
        day.Began(),
        day.Happened(what="Edda cut a finger"),
        day.Ended(accidents=("Bench 1: Edda cut a finger",), why="Edda sees a doctor"),
    ):
        lab_log.write(conn, ida.account, ida.name, ida.class_id, 1, Draft(uuid4(), says))
    _, before = pages.open_page(conn, ida.account, run)
    sheet_before = PAGE_KINDS["run"].work_out(before, pages.HouseRules(), RANK)
    files.keep(conn, ida.account, run, uuid4(), files.make("Ada masses.csv", b"g\n1.2\n"))
    imports.put(conn, ida.account, ida.class_id, uuid4(), "names.csv", b"bench,name\n1,Ada\n")
    done = forget.forget_names(conn, ida.account, ida.class_id)
    assert conn.execute("SELECT name FROM attachment").fetchall() == [("— masses.csv",)]
    assert conn.execute("SELECT count(*) FROM import_draft").fetchone() == (0,)
    assert (done.names, done.benches, done.entries, done.day_lines) == (5, 2, 2, 4)
    page, after = pages.open_page(conn, ida.account, run)
    text = " ".join(str(entry.payload) + entry.by for entry in after)
    assert page.pair == "" and all(name not in text.replace("Adam", "") for name in ("Ada", "Bo ", "Cy"))
    [note] = [e.payload for e in after if isinstance(e.payload, Noted)]
    assert note.words == "— saw white fumes, Adam too"  # Adam is another word
    sheet = PAGE_KINDS["run"].work_out(after, pages.HouseRules(), RANK)
    assert sheet.ledger.portions.keys() == sheet_before.ledger.portions.keys()
    assert [(e.id, e.seq, e.strikes, e.at) for e in after] == [(e.id, e.seq, e.strikes, e.at) for e in before]
    assert [str(e.payload) for e in after if e.payload.kind == "weighed"] == [
        str(e.payload) for e in before if e.payload.kind == "weighed"
    ]
    book = lab_log.open_book(conn, ida.account, ida.class_id, 1)
    assert "Edda" not in str(book.day)
    # Done again it finds nothing left to do.
    assert forget.forget_names(conn, ida.account, ida.class_id).entries == 0


def test_accounts_of_tablets_lose_their_names_also_the_ones_before(conn, ida):
    code = joining.open_code(conn, ida.account, ida.class_id).code
    joining.join(conn, code, 1, "10.0.0.1", "a tablet", allow_demo=False)
    classes.set_benches(conn, ida.account, ida.class_id, ["Flo and Gus", "Cy and Di"])
    joining.join(conn, code, 1, "10.0.0.1", "a tablet", allow_demo=False)
    forget.forget_names(conn, ida.account, ida.class_id)
    names = conn.execute("SELECT a.name FROM account a JOIN bench b ON b.worker_id = a.id").fetchall()
    assert names == [("Bench 1",)]
    assert conn.execute("SELECT count(*) FROM account WHERE name ~ 'Ada|Flo'").fetchone() == (0,)


def test_ink_stays_ink_for_everybody_else(conn, ida):
    run = run_of(conn, ida)
    type_in(conn, ida, run, "dish 32.514")
    for statement in ("UPDATE entry SET payload = '{}'", "DELETE FROM entry", "UPDATE entry SET written_at = now()"):
        with pytest.raises(psycopg.errors.RestrictViolation), conn.transaction():
            conn.execute(statement)
    # And while names are taken out, nothing but words may change.
    with pytest.raises(psycopg.errors.RestrictViolation), conn.transaction():
        conn.execute("SELECT set_config('helvor.forgetting', 'yes', true)")
        conn.execute("UPDATE entry SET author_id = author_id, written_at = now()")
    with pytest.raises(psycopg.errors.RestrictViolation), conn.transaction():
        conn.execute("SELECT set_config('helvor.forgetting', 'yes', true)")
        conn.execute("DELETE FROM entry")


def test_an_archived_class_is_read_and_not_written(conn, ida):
    run = run_of(conn, ida)
    type_in(conn, ida, run, "dish 32.514")
    dish = uuid4()
    containers.add(conn, ida.account, ida.class_id, dish, "dish", "dish")
    forget.archive(conn, ida.account, ida.class_id, away=True)
    with pytest.raises(psycopg.DatabaseError) as refused:
        type_in(conn, ida, run, "dish powder 35.520")
    assert refused.value.sqlstate == "HV001"
    assert len(pages.open_page(conn, ida.account, run)[1]) == 2
    with pytest.raises(psycopg.DatabaseError):
        pages.start_page(conn, ida.account, ida.bench, "planar", uuid4())
    with pytest.raises(psycopg.DatabaseError) as noted:
        containers.note(conn, ida.account, ida.class_id, dish, uuid4(), Moved(place="oven"))
    assert noted.value.sqlstate == "HV001"
    assert [c.code for c in classes.classes_of(conn, ida.account)] == []
    assert [c.code for c in classes.archived_of(conn, ida.account)] == ["A-1"]
    assert classes.open_class(conn, ida.account, ida.class_id).archived
    # Names may go from what is put away.
    assert forget.forget_names(conn, ida.account, ida.class_id).benches == 2
    forget.archive(conn, ida.account, ida.class_id, away=False)
    type_in(conn, ida, run, "dish powder 35.520")
    assert len(pages.open_page(conn, ida.account, run)[1]) == 3


def test_only_its_instructors_put_a_class_away(conn, ida):
    otto = teacher(conn, "Otto Ling", "B-1")
    for what in (
        lambda: forget.archive(conn, otto.account, ida.class_id, away=True),
        lambda: forget.forget_names(conn, otto.account, ida.class_id),
    ):
        with pytest.raises(NotYours):
            what()
    assert not classes.open_class(conn, ida.account, ida.class_id).archived
