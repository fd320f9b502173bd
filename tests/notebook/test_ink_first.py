"""A reading is in ink before the page is worked out; what the board shows catches up, whatever happens between."""

from dataclasses import replace
from uuid import uuid4

import pytest

from helvor.core.engine.run import entries as e
from helvor.core.engine.run.reading_line import understand
from helvor.core.record.entry import Problem
from helvor.core.techniques.registered import PAGE_KINDS
from helvor.notebook import forget, page_lists, page_rows, pages
from helvor.notebook.database import connect
from helvor.notebook.page_errors import EntryIdTaken, NotYours
from helvor.notebook.pages import Draft
from helvor.shelf.solvents import eluotropic_rank
from tests.notebook.people import all_at_once, run_of, teacher

RANK = eluotropic_rank()


@pytest.fixture
def ida(conn):
    return teacher(conn, "Ida Frost", "A-1")


@pytest.fixture
def run(conn, ida):
    return run_of(conn, ida)


def say(conn, who, page, text, entry=None):
    key = entry or uuid4()
    return pages.write(conn, who.account, who.name, page, lambda known: [Draft(key, understand(text, known).payload)])


def row(conn, page):
    return conn.execute("SELECT entries, behind, summary FROM page WHERE id = %s", [page]).fetchone()


@pytest.mark.parametrize("already_open", [True, False], ids=["in one statement", "under the lock"])
def test_what_is_written_is_in_ink_and_its_summary_follows(conn, ida, run, already_open):
    if not already_open:
        page_rows.known_ink._pages.clear()
    before = row(conn, run)
    written = say(conn, ida, run, "done 1")
    assert (written.new, written.page.behind) == (1, True)
    assert row(conn, run) == (before[0] + 1, True, before[2])
    assert pages.keep_up(conn, written.page, written.entries)
    entries, behind, summary = row(conn, run)
    assert (entries, behind) == (before[0] + 1, False)
    assert summary["done"] == before[2]["done"] + 1
    assert summary == pages.summary_of(pages.worked_out(written.page, pages.open_page(conn, ida.account, run)[1]))
    assert not pages.keep_up(conn, written.page, written.entries), "there is nothing left to catch up with"


def test_both_ways_of_writing_leave_the_same(conn, ida, run):
    say(conn, ida, run, "dish 32.514")
    quick = pages.open_page(conn, ida.account, run)[1][-1]
    page_rows.known_ink._pages.clear()
    say(conn, ida, run, "dish 32.514")
    careful = pages.open_page(conn, ida.account, run)[1][-1]
    assert careful == replace(quick, id=careful.id, seq=quick.seq + 1, at=careful.at)
    page_rows.known_ink._pages.clear()
    assert pages.open_page(conn, ida.account, run)[1][-2:] == [quick, careful]


def test_an_entry_sent_again_is_written_once_and_another_with_its_id_is_refused(conn, ida, run):
    key = uuid4()
    assert [say(conn, ida, run, "note clear", key).new for _ in range(3)] == [1, 0, 0]
    with pytest.raises(EntryIdTaken):
        say(conn, ida, run, "note cloudy", key)
    other = run_of(conn, ida)
    say(conn, ida, other, "note first")
    with pytest.raises(EntryIdTaken):
        say(conn, ida, other, "note cloudy", key)


def test_nobody_writes_on_what_is_not_theirs_and_nobody_is_told_of_it(conn, ida, run):
    otto = teacher(conn, "Otto Berg", "B-1")
    say(conn, ida, run, "note mine")
    for text in ("note yours", "done 99", "take nothing"):
        with pytest.raises(NotYours):
            say(conn, otto, run, text)
    assert [entry.by for entry in pages.open_page(conn, ida.account, run)[1]][-1] == ida.name


def test_what_a_page_cannot_hold_is_refused_and_leaves_nothing(conn, ida, run):
    say(conn, ida, run, "note here")
    before = row(conn, run)
    with pytest.raises(Problem):
        pages.write(conn, ida.account, ida.name, run, lambda _: [Draft(uuid4(), e.Marked(step="s99", how="done"))])
    assert row(conn, run) == before


def test_an_archived_class_takes_no_ink(conn, ida, run):
    say(conn, ida, run, "note here")
    forget.archive(conn, ida.account, ida.class_id, away=True)
    before = row(conn, run)
    with pytest.raises(Exception, match="archived"):
        say(conn, ida, run, "note late")
    assert row(conn, run) == before


def test_names_that_were_taken_out_do_not_come_back_with_the_next_reading(conn, ida, run):
    say(conn, ida, run, "note Ada spilt it")
    forget.forget_names(conn, ida.account, ida.class_id)
    written = say(conn, ida, run, "note dry")
    assert "Ada" not in " ".join(one.payload.words for one in written.entries if isinstance(one.payload, e.Noted))
    assert written.page.rewritten is not None


def test_many_tablets_writing_at_once_lose_and_double_nothing(conn, ida, run, empty_url):
    start = row(conn, run)[0]

    def work(tablet):
        with connect(empty_url) as own:
            for number in range(8):
                written = say(own, ida, run, f"note {tablet}-{number}")
                pages.keep_up(own, written.page, written.entries)

    all_at_once(work, 6)
    page_rows.known_ink._pages.clear()
    page, entries = pages.open_page(conn, ida.account, run)
    assert [entry.seq for entry in entries] == list(range(1, start + 48 + 1))
    assert len({entry.payload.words for entry in entries[start:]}) == 48
    assert row(conn, run)[:2] == (len(entries), False)
    assert row(conn, run)[2] == pages.summary_of(pages.worked_out(page, entries))


def test_a_late_summary_does_not_cover_a_newer_one(conn, ida, run):
    first = say(conn, ida, run, "done 1")
    second = say(conn, ida, run, "done 2")
    assert not pages.keep_up(conn, first.page, first.entries)
    assert row(conn, run)[1]
    assert pages.keep_up(conn, second.page, second.entries)
    assert row(conn, run)[2]["done"] == 2


def test_after_a_power_cut_every_page_left_behind_catches_up(conn, ida, run):
    say(conn, ida, run, "done 1")
    page_rows.known_ink._pages.clear()
    assert pages.catch_up(conn) == 1
    assert row(conn, run)[1:] == (False, row(conn, run)[2])
    assert row(conn, run)[2]["done"] == 1
    assert pages.catch_up(conn) == 0


def test_a_page_that_cannot_be_worked_out_keeps_its_ink_and_says_so(conn, ida, run, monkeypatch):
    def breaks(*_):
        raise ZeroDivisionError

    written = say(conn, ida, run, "done 1")
    with monkeypatch.context() as broken:
        broken.setitem(PAGE_KINDS, "run", replace(PAGE_KINDS["run"], work_out=breaks))
        assert not pages.keep_up(conn, written.page, written.entries)
        assert say(conn, ida, run, "note still written").new == 1
        assert page_lists.rebuild_summaries(conn) == 0, "and it keeps no other from being worked out again"
        assert pages.catch_up(conn) == 0
    entries, behind, summary = row(conn, run)
    assert behind and summary["level"] == "stop" and "could not calculate this page" in summary["what"]
    assert pages.catch_up(conn) == 1
    assert row(conn, run)[2]["level"] != "stop"
    assert len(pages.open_page(conn, ida.account, run)[1]) == entries
