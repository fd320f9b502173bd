"""Procedures kept: drafts, undo, versions, runs, corrections of the handout; containers and files."""

import io
import threading
from uuid import uuid4

import psycopg
import pytest
from PIL import Image

from helvor.core.engine.plan import edit
from helvor.core.engine.run.entries import HandoutCorrected
from helvor.core.record.container import MadeUp, Tared
from helvor.core.record.entry import Problem
from helvor.core.record.procedure import Procedure
from helvor.core.techniques.registered import STEP_KINDS
from helvor.notebook import classes, containers, files, pages, pictures, procedures
from helvor.notebook.database import connect
from helvor.notebook.page_errors import NotYours
from helvor.shelf.solvents import eluotropic_rank
from tests.notebook.people import POWDER, procedure_in_use, run_of, teacher, type_in

RANK = eluotropic_rank()


@pytest.fixture
def ida(conn):
    return teacher(conn, "Ida Frost", "A-1")


@pytest.fixture
def otto(conn):
    return teacher(conn, "Otto Ling", "B-1")


def stir(procedure):
    return edit.add_step(procedure, STEP_KINDS["stir"], 0, STEP_KINDS)


def change(conn, who, key, what=stir, edit_id=None):
    return procedures.edit_procedure(conn, who.account, key, edit_id or uuid4(), what, "stirred")


def test_every_edit_can_be_undone_and_done_again(conn, ida):
    key = procedure_in_use(conn, ida)
    one, two = change(conn, ida, key), change(conn, ida, key)
    assert (two.draft, two.changed, len(two.procedure.steps)) == (3, True, 17)
    back = procedures.step_back(conn, ida.account, key)
    assert back.procedure == one.procedure
    assert (back.undo, back.redo) == (True, True)
    first = procedures.step_back(conn, ida.account, key)
    assert first.procedure == POWDER
    assert not first.undo
    assert procedures.step_back(conn, ida.account, key).procedure == POWDER
    procedures.step_back(conn, ida.account, key, forward=True)
    assert procedures.step_back(conn, ida.account, key, forward=True).procedure == two.procedure


def test_an_edit_sent_twice_is_made_once(conn, ida):
    key, edit_id = procedure_in_use(conn, ida), uuid4()
    change(conn, ida, key, edit_id=edit_id)
    assert len(change(conn, ida, key, edit_id=edit_id).procedure.steps) == 16
    assert change(conn, ida, key, what=lambda p: p).draft == 2, "a change that changes nothing is no edit"


def test_two_who_edit_at_once_both_count(conn, ida, empty_url):
    key = procedure_in_use(conn, ida)

    def work():
        with connect(empty_url) as own:
            for _ in range(5):
                change(own, ida, key)

    threads = [threading.Thread(target=work) for _ in range(2)]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
    assert len(procedures.open_procedure(conn, ida.account, key).procedure.steps) == 25


def test_a_version_stays_and_a_run_keeps_its_own(conn, ida):
    key = procedure_in_use(conn, ida)
    start = uuid4()
    first = procedures.start_runs(conn, ida.account, ida.name, key, [ida.bench], start)
    assert procedures.start_runs(conn, ida.account, ida.name, key, [ida.bench], start) == first
    changed = change(conn, ida, key)
    assert procedures.put_in_use(conn, ida.account, key, changed.draft) == 2
    assert procedures.put_in_use(conn, ida.account, key, changed.draft) == 2, "no change, no new version"
    (second,) = procedures.start_runs(conn, ida.account, ida.name, key, [ida.bench], uuid4(), factor=0.5)
    old = pages.open_page(conn, ida.account, first[0])[1][0].payload
    new = pages.open_page(conn, ida.account, second)[1][0].payload
    assert (old.version, len(old.procedure.steps)) == (1, 15)
    assert (new.version, len(new.procedure.steps), new.factor) == (2, 16, 0.5)
    assert str(new.procedure.substances[0].amount) == "1.50 g"
    with pytest.raises(psycopg.errors.RestrictViolation):
        conn.execute("UPDATE procedure_version SET body = '{}'")


def test_what_cannot_be_put_in_use_is_said(conn, ida):
    key = procedures.add_procedure(conn, ida.account, uuid4(), Procedure(title="Empty"), "made")
    with pytest.raises(Problem, match="at least one step"):
        procedures.put_in_use(conn, ida.account, key, 1)
    with pytest.raises(Problem, match="Somebody else changed the draft"):
        procedures.put_in_use(conn, ida.account, key, 7)
    with pytest.raises(Problem, match="Publish the draft first: a run follows a version"):
        procedures.start_runs(conn, ida.account, ida.name, key, [ida.bench], uuid4())
    broken = procedures.add_procedure(conn, ida.account, uuid4(), edit.remove_step(POWDER, "s3"), "made")
    with pytest.raises(Problem, match="but no earlier step produces it"):
        procedures.put_in_use(conn, ida.account, broken, 1)


def test_nothing_of_another_institution_opens(conn, ida, otto):
    key = procedure_in_use(conn, ida)
    for ask in (
        lambda: procedures.open_procedure(conn, otto.account, key),
        lambda: change(conn, otto, key),
        lambda: procedures.step_back(conn, otto.account, key),
        lambda: procedures.put_in_use(conn, otto.account, key, 1),
        lambda: procedures.version_of(conn, otto.account, key, 1),
        lambda: procedures.start_runs(conn, otto.account, otto.name, key, [otto.bench], uuid4()),
        lambda: procedures.add_procedure(conn, otto.account, key, POWDER, "mine now"),
    ):
        with pytest.raises(NotYours):
            ask()
    assert procedures.procedures_of(conn, otto.account) == []


def test_a_corrected_handout_reaches_every_run_once_and_those_to_come(conn, ida):
    key = procedure_in_use(conn, ida)
    benches = [bench.id for bench in classes.benches_of(conn, ida.class_id)]
    one, two = procedures.start_runs(conn, ida.account, ida.name, key, benches, uuid4())
    correction, says = uuid4(), HandoutCorrected(step="s3", says="Warm to 110 °C only", why="it spat")
    for _ in range(2):
        assert procedures.correct_handout(conn, ida.account, ida.name, one, correction, says) == 2
    (late,) = procedures.start_runs(conn, ida.account, ida.name, key, benches[:1], uuid4())
    for run in (one, two, late):
        entries = pages.open_page(conn, ida.account, run)[1]
        sheet = pages.PAGE_KINDS["run"].work_out(entries, procedures.HouseRules(), RANK)
        assert sheet.steps[2].says == "Warm to 110 °C only"
        assert sum(isinstance(e.payload, HandoutCorrected) for e in entries) == 1
    alone = pages.start_page(conn, ida.account, ida.bench, "run", uuid4())
    with pytest.raises(Problem, match="Only a handout that the class follows can be corrected for the class"):
        procedures.correct_handout(conn, ida.account, ida.name, alone, uuid4(), says)


def test_house_rules_reach_runs_under_way(conn, ida):
    page = run_of(conn, ida)
    said = ("dish 30.000", "dish powder 33.000", "dish beads dried 31.002", "dish beads dried 31.001")
    # Written in one go: the two agree, and what is said of them depends on the rule.
    assert "no-drying-between" in {f.code for f in type_in(conn, ida, page, *said).worksheet.findings}
    procedures.set_house_rules(conn, ida.account, {"constant-mass-limit": "pharmacopoeia", "nonsense": "x"})
    assert procedures.house_rules_of(conn, ida.account).chosen == {"constant-mass-limit": "pharmacopoeia"}
    found = {f.code for f in type_in(conn, ida, page, "note dry").worksheet.findings}
    assert "no-drying-between" not in found


# --- containers


def test_a_container_has_a_short_code_and_its_notes_stay(conn, ida, otto):
    key, note = uuid4(), uuid4()
    for _ in range(2):
        containers.add(conn, ida.account, ida.class_id, key, " dish  3 ", "dish")
        containers.note(conn, ida.account, ida.class_id, key, note, Tared(mass="31.062 g"))
    (kept,) = containers.containers_of(conn, ida.account, ida.class_id)
    assert (kept.now.label, len(kept.now.code), len(kept.notes)) == ("dish 3", 4, 1)
    with pytest.raises(Problem, match="exists already: enter another label"):
        containers.add(conn, ida.account, ida.class_id, uuid4(), "DISH 3", "dish")
    with pytest.raises(psycopg.errors.RestrictViolation):
        conn.execute("DELETE FROM container_note")
    with pytest.raises(NotYours):
        containers.note(conn, otto.account, ida.class_id, key, uuid4(), Tared(mass="1 g"))
    with pytest.raises(NotYours):
        containers.add(conn, otto.account, ida.class_id, uuid4(), "mine", "dish")
    assert containers.containers_of(conn, otto.account, ida.class_id) == []


def test_only_bottles_with_something_made_up_in_them_are_offered(conn, ida):
    full, empty = uuid4(), uuid4()
    for key, label in ((full, "soda"), (empty, "other")):
        containers.add(conn, ida.account, ida.class_id, key, label, "bottle")
    made = MadeUp(substance="soda", formula="Na2CO3", mass="5.300 g", volume="250 mL")
    containers.note(conn, ida.account, ida.class_id, full, uuid4(), made)
    (bottle,) = containers.bottles_of(conn, ida.account, ida.class_id)
    assert bottle.now.label == "soda"


# --- files


def picture(kind="JPEG", size=(640, 480), **more):
    out = io.BytesIO()
    Image.new("RGB", size, "green").save(out, kind, **more)
    return out.getvalue()


def test_a_picture_loses_where_it_was_taken():
    exif = Image.Exif()
    exif[0x010F] = "SECRET CAMERA"
    gps = exif.get_ifd(0x8825)
    gps[1], gps[2] = "N", (51.0, 30.0, 0.0)
    made = files.make("plate.jpg", picture(exif=exif))
    assert b"SECRET" not in made.content
    with Image.open(io.BytesIO(made.content)) as kept:
        assert not kept.getexif()
        assert kept.size == (640, 480)
    with Image.open(io.BytesIO(made.thumbnail)) as small:
        assert max(small.size) <= pictures.THUMBNAIL_PX


@pytest.mark.parametrize("kind", ["JPEG", "PNG", "WEBP"])
def test_pictures_are_written_anew_and_not_too_large(kind):
    made = files.make(f"a.{kind.lower()}", picture(kind, (3000, 1000)) + b"<script>alert(1)</script>")
    assert b"<script>" not in made.content
    with Image.open(io.BytesIO(made.content)) as kept:
        assert kept.size == (2400, 800)


@pytest.mark.parametrize(
    ("name", "content", "says"),
    [
        ("a.jpg", b"", "is empty"),
        ("a.jpg", b"not a picture", "is not a JPEG"),
        ("a.svg", b"<svg onload='alert(1)'/>", "is not a JPEG"),
        ("a.exe", b"MZ\x90\x00", "is not a JPEG"),
        ("a.csv", b"a\x00b", "is not text"),
        ("a.jpg", picture()[:200], "is not a JPEG"),
        ("a.pdf", b"x" * (files.MAX_BYTES + 1), "MB; the limit is"),
    ],
)
def test_what_is_not_kept_is_said(name, content, says):
    with pytest.raises(Problem, match=says):
        files.make(name, content)


def test_a_file_is_kept_once_as_it_came(conn, ida, otto):
    page, key = run_of(conn, ida), uuid4()
    made = files.make("../../etc/masses.csv", b"g\n1.2\n")
    assert made.name == "masses.csv"
    for _ in range(2):
        files.keep(conn, ida.account, page, key, made)
    kept = files.read(conn, ida.account, page, key, small=True)
    assert (kept.media, kept.content) == ("text/csv", b"g\n1.2\n")
    with pytest.raises(NotYours):
        files.read(conn, otto.account, page, key, small=False)
    with pytest.raises(NotYours):
        files.read(conn, ida.account, page, uuid4(), small=False)
