"""Tables in: encodings, separators, decimal signs, workbooks; readings and pairs out of them; workbooks out."""

import io
import zipfile
from datetime import datetime
from zoneinfo import ZoneInfo

import pytest
import xlsxwriter

from helvor.core.engine.run.entries import Noted, Taken, VolumeRead, Weighed
from helvor.core.engine.run.record import gather
from helvor.core.techniques.registered import STEP_KINDS
from helvor.exchange.readings_in import Into, guess, pairs_of, readings_of
from helvor.exchange.table_in import BadTable, read_table
from helvor.web.run.around import BY_THE_SHELF
from tests.core.runs import POWDER, page_of

UTF16 = "bench;mass\n1;2,5\n".encode("utf-16")


@pytest.mark.parametrize(
    ("content", "cells", "found"),
    [
        (b"bench,mass\n1,31.820\n", ("1", "31.820"), "UTF-8, comma, decimal point"),
        ("\ufeffbench,mass\r\n1,31.820\r\n".encode(), ("1", "31.820"), "UTF-8, comma, decimal point"),
        (b"bench;mass\n1;31,820\n", ("1", "31.820"), "UTF-8, semicolon, decimal comma"),
        (b"bench;mass\n1;31.820\n", ("1", "31.820"), "UTF-8, semicolon, decimal point"),
        (b"bench\tmass\n1\t31,820 g\n", ("1", "31.820 g"), "UTF-8, tab, decimal comma"),
        (b"bench|note\n1|clear\n", ("1", "clear"), "UTF-8, bar, decimal point"),
        ("bench;note\n1;trüb\n".encode("cp1252"), ("1", "trüb"), "Windows-1252, semicolon, decimal point"),
        (UTF16, ("1", "2.5"), "UTF-16, semicolon, decimal comma"),
        (b'bench,note\n1,"two\nlines, one cell"\n', ("1", "two\nlines, one cell"), "UTF-8, comma, decimal point"),
        (b"bench,note\n\n\n1\n", ("1", ""), "UTF-8, comma, decimal point"),
    ],
)
def test_a_csv_file_however_it_was_saved(content, cells, found):
    table = read_table("r.csv", content)
    assert (table.rows[0].cells, table.found) == (cells, found)


@pytest.mark.parametrize(
    ("content", "place", "sentence"),
    [
        (b"", "", "empty"),
        (b"bench,mass\n", "", "csv has a heading but no rows"),
        (b"bench,bench\n1,2\n", "headings", "Two columns"),
        (b"bench,mass\n1,=1+1\n", "line 2, mass", "formula"),
        (b"bench,mass\n1,@SUM(A1)\n", "line 2, mass", "formula"),
        (b"bench,mass\n1,-cmd|x\n", "line 2, mass", "formula"),
        (b"bench,mass\n1,2,3\n", "line 2", "3 cells under 2"),
        (b"bench,note\n1," + b"x" * 3000, "line 2, note", "3000 characters"),
        (b"\0\0\0\0", "", "neither a CSV"),
        (b"a," * 80 + b"\n1\n", "headings", "columns"),
        (b"a\n" + b"1\n" * 20_001, "", "more than 20000"),
        (b'a,b\n1,"never closed\n', "line", "cannot be read as CSV"),
        (b"\xff\xfea", "", "UTF-16"),
        (b"PK\x03\x04 not a zip", "", "cannot be opened"),
    ],
)
def test_what_is_no_table_says_where(content, place, sentence):
    with pytest.raises(BadTable) as refused:
        read_table("r.csv", content)
    assert place in refused.value.place and sentence in refused.value.sentence


def book(write):
    out = io.BytesIO()
    made = xlsxwriter.Workbook(out, {"in_memory": True})
    sheet = made.add_worksheet("Monday")
    write(made, sheet)
    made.close()
    return out.getvalue()


def test_a_number_in_a_workbook_has_the_decimals_that_it_shows():
    """31.82 shown as 31.820 was read to the milligram."""

    def write(made, sheet):
        sheet.write_row(0, 0, ["bench", "mass", "plain"])
        sheet.write_number(1, 0, 1)
        sheet.write_number(1, 1, 31.82, made.add_format({"num_format": "0.000"}))
        sheet.write_number(1, 2, 0.1 + 0.2)

    table = read_table("m.xlsx", book(write))
    assert table.rows[0].cells == ("1", "31.820", "0.3") and table.found == "workbook, sheet “Monday”"
    assert table.rows[0].line == 2


def test_a_formula_in_a_workbook_is_refused_with_its_cell():
    def write(made, sheet):
        sheet.write_row(0, 0, ["bench", "mass"])
        sheet.write_formula(1, 1, "=1+1", None, 2)

    with pytest.raises(BadTable) as refused:
        read_table("m.xlsx", book(write))
    assert refused.value.place == "cell B2"


def test_a_bomb_is_not_unpacked():
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as archive:
        archive.writestr("xl/workbook.xml", b"<w/>")
        archive.writestr("xl/worksheets/sheet1.xml", b"0" * 40_000_000)
    with pytest.raises(BadTable, match="far too large"):
        read_table("bomb.xlsx", out.getvalue())
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w") as archive:
        archive.writestr("photo.jpg", b"x")
    with pytest.raises(BadTable, match="This zip file is not a workbook: save the table as"):
        read_table("photos.xlsx", out.getvalue())


# ── readings ────────────────────────────────────────────────────────────────────────────────────

RUNS = {1: gather(page_of("dish 32.514", procedure=POWDER)), 2: gather(page_of(procedure=POWDER))}
ZONE = ZoneInfo("Europe/London")
INTO = Into(RUNS, BY_THE_SHELF, STEP_KINDS, ZONE)


def read(text):
    table = read_table("r.csv", text.encode())
    return readings_of(table, guess(table.headers), INTO)


@pytest.mark.parametrize(
    ("heading", "cell", "grams"),
    [
        ("mass", "32.514", 32.514),
        ("gross / mg", "850.2", 0.8502),
        ("gross (mg)", "0.85 g", 0.85),
        ("mass, g", "850 mg", 0.85),
        ("mass kg", "0.0325", 32.5),
    ],
)
def test_a_bare_mass_has_the_unit_of_its_heading(heading, cell, grams):
    table = read_table("r.csv", f"bench;dish;{heading}\n1;dish;{cell}\n".encode())
    mapping = dict(zip(table.headers, ("bench", "container", "mass"), strict=True))
    [one] = readings_of(table, mapping, INTO).readings
    assert one.says.mass.value == pytest.approx(grams)


@pytest.mark.parametrize(
    ("heading", "cell", "value", "unit"),
    [
        ("taken", "3.006", 3.006, "g"),
        ("taken, mg", "3006", 3.006, "g"),
        ("taken / mL", "5.0", 5.0, "mL"),
        ("taken / µL", "50", 0.05, "mL"),
        ("taken / mL", "2 g", 2.0, "g"),
    ],
)
def test_a_bare_amount_has_the_unit_of_its_heading(heading, cell, value, unit):
    table = read_table("r.csv", f"bench;substance;{heading}\n1;mixed powder;{cell}\n".encode())
    mapping = dict(zip(table.headers, ("bench", "substance", "amount"), strict=True))
    [one] = readings_of(table, mapping, INTO).readings
    assert (one.says.amount.value, one.says.amount.unit) == (pytest.approx(value), unit)


def test_a_bare_volume_has_the_unit_of_its_heading():
    table = read_table("r.csv", b"bench;portion;volume in L\n1;salt solution;0.025\n")
    mapping = dict(zip(table.headers, ("bench", "portion", "volume"), strict=True))
    [one] = readings_of(table, mapping, INTO).readings
    assert one.says.volume.value == pytest.approx(25.0)


def test_rows_become_readings():
    found = read(
        "bench,container,portion,state,mass,substance,amount,volume,note,when\n"
        "1,dish,,,32.514,,,,,2026-11-24 14:05\n"
        "Bench 2,beaker + watch glass,salt,dried,62.214,,,,,\n"
        "2,beaker + watch glass,salt,dried,62.213,,,,,\n"
        "2,beaker + watch glass,salt,dried 7,62.210,,,,,\n"
        "1,dish,powder,,35.520,,,,,\n"
        "1,,,,,mixed powder,3.006 g,,,\n"
        "1,,salt solution,,,,,25.0,,\n"
        "1,,,,,,,,white fumes,\n"
    )
    assert not found.troubles
    says = [one.says for one in found.readings]
    assert [type(one) for one in says] == [Weighed, Weighed, Weighed, Weighed, Weighed, Taken, VolumeRead, Noted]
    assert [one.round for one in says[1:4]] == [1, 2, 7] and says[1].container == ("beaker", "watch glass")
    assert says[0].state == "empty" and says[4].state == "as is" and says[0].mass.resolution == pytest.approx(0.001)
    assert found.readings[0].at == datetime(2026, 11, 24, 14, 5, tzinfo=ZONE)
    assert [one.line for one in found.readings] == list(range(2, 10))


@pytest.mark.parametrize(
    ("row", "sentence"),
    [
        ("9,dish,,,32.5,", "Bench 9 has no run"),
        ("x,dish,,,32.5,", "not a bench number"),
        ("1,dish,,,,", "has no mass"),
        ("1,,,,32.5,", "nter the container"),
        ("1,dish,,sticky,32.5,", "not a state"),
        ("1,,,,,", "a mass, an amount, a volume"),
        ("1,dish,,,heavy,", "not a number"),
        ("1,dish,,,-3,", "below zero"),
        ('1,dish,,,"1,000",', "could be 1.000 or 1000"),
        ("1,dish,,wet,32.5,", "what is in the container"),
        ("1,dish,,,32.5,soon", "not a date and time"),
    ],
)
def test_a_row_that_is_no_reading_is_said_by_its_line(row, sentence):
    found = read(f"bench,container,portion,state,mass,when\n{row}\n")
    [(place, says)] = found.troubles
    assert place == "line 2" and sentence.casefold() in says.casefold()


@pytest.mark.parametrize(
    ("row", "says"),
    [
        ("1,Dish,Powder,,35.520,,", ("dish", "powder")),
        ("1,dish,mixture,,35.520,,", ("dish", "powder")),  # what this procedure weighs in the dish
        ("1,beaker + watch glass,the salt,dried,62.2,,", ("beaker", "salt")),
        ("1,,,,,KCl,1.2 g", ("", "new")),
    ],
)
def test_a_row_means_what_it_calls_by_another_name(row, says):
    found = read(f"bench,container,portion,state,mass,substance,amount\n{row}\n")
    if says[1] == "new":
        assert not found.troubles and found.readings[0].says.substance == "KCl"
        return
    assert not found.troubles, found.troubles
    assert (found.readings[0].says.container[0], found.readings[0].says.portion) == says


@pytest.mark.parametrize(
    ("row", "sentence"),
    [
        ("1,papr,,,0.955,,", "“papr” is no container here. Enter paper"),
        ("1,dish 3,bead,dried,35.5,,", "No step produces “bead”. Enter beads; if it is something new, write new"),
        ("1,,,,,mixd powder,3 g", "“mixd powder” is no substance of this run. Enter mixed powder?"),
    ],
)
def test_a_row_with_an_unknown_name_is_asked_about(row, sentence):
    found = read(f"bench,container,portion,state,mass,substance,amount\n{row}\n")
    [(place, says)] = found.troubles
    assert place == "line 2" and sentence in says


def test_the_same_weighing_twice_in_one_file_is_asked_about():
    found = read("bench,container,portion,state,mass\n1,dish,beads,dried 1,33.5\n1,Dish,beads,dried 1,33.6\n")
    assert found.troubles == [("line 3", "It repeats line 2: delete one of the two.")]
    assert readings_of(read_table("r.csv", b"a,b\n1,2\n"), {"a": ""}, INTO).troubles[0][0] == "columns"


@pytest.mark.parametrize(
    ("text", "pairs", "troubles"),
    [
        ("bench,name\n1,Ada\n1,Bo\n2,Cy and Di\n", {1: "Ada and Bo", 2: "Cy and Di"}, []),
        ("place;students\n2;Zoë\n", {2: "Zoë"}, []),
        ("bench,name\n3,Ada\nx,Bo\n", {}, ["line 2", "line 3"]),
        ("bench,name\n1,Ada\n1,Ada\n", {1: "Ada"}, ["line 3"]),
        ("bench,name\n1," + "A" * 61 + "\n", {1: "A" * 61}, ["bench 1"]),
        ("bench,room\n1,3\n", {}, ["columns"]),
    ],
)
def test_pairs_of_a_class(text, pairs, troubles):
    table = read_table("p.csv", text.encode())
    found, wrong = pairs_of(table, guess(table.headers), 2)
    assert found == pairs and [place for place, _ in wrong] == troubles
