"""Files fill a bench and an institution up to a limit, which is said before it is reached."""

from uuid import uuid4

import pytest

from helvor.core.record.entry import Problem
from helvor.notebook import file_space, files
from tests.notebook.people import run_of, teacher


@pytest.fixture
def ida(conn):
    return teacher(conn, "Ida Frost", "A-1")


def fill(conn, ida, run, size):
    files.keep(conn, ida.account, run, uuid4(), files.make("masses.csv", b"1" * size))


def test_a_bench_is_full_and_says_so_before(conn, ida, monkeypatch):
    monkeypatch.setattr(file_space, "MOST_OF_A_BENCH", 10_000)
    run = run_of(conn, ida)
    fill(conn, ida, run, 7_000)
    assert file_space.nearly_full(conn, run) == ""
    fill(conn, ida, run, 1_500)
    assert "MB of files; the limit is" in file_space.nearly_full(conn, run)
    with pytest.raises(Problem, match="Send a smaller file, or store it elsewhere and note where"):
        fill(conn, ida, run, 2_000)
    fill(conn, ida, run, 1_000)
    held = conn.execute("SELECT id FROM attachment ORDER BY made_at LIMIT 1").fetchone()[0]
    files.keep(conn, ida.account, run, held, files.make("masses.csv", b"1" * 7_000))  # sent again it takes no more room


def test_an_institution_is_full_whichever_bench_asks_and_no_other_is(conn, ida, monkeypatch):
    monkeypatch.setattr(file_space, "MOST_OF_AN_INSTITUTION", 5_000)
    otto = teacher(conn, "Otto Ling", "B-1")
    run, other = run_of(conn, ida), run_of(conn, otto)
    fill(conn, ida, run, 4_500)
    with pytest.raises(Problem, match="The person who runs this Helvor can raise it; until then note where"):
        fill(conn, ida, run, 1_000)
    fill(conn, otto, other, 1_000)
