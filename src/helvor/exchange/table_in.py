"""Tables that come in: CSV in any usual encoding, separator and decimal sign, or a workbook's first sheet.

Table 1. Nothing is guessed silently: what was found (encoding, separator, decimal sign) is said beside the preview.
Table 2. A comma is a decimal sign in a file whose cells are parted by something else and whose numbers have no point.
Table 3. A formula is no reading: it is refused with its place. So are a cell that is too long and a table that is too
         large. A workbook is looked at before it is unpacked.
Table 4. In a workbook a number has the decimals that its cell shows, for the last digit says how finely it was read.
"""

from __future__ import annotations

import csv
import io
import re
import zipfile
from collections.abc import Mapping
from dataclasses import dataclass
from datetime import datetime
from typing import Any

MOST_ROWS, MOST_COLUMNS, LONGEST_CELL = 20_000, 60, 2000
MOST_LINES = MOST_ROWS + 5_000
"""Rows of a sheet that are looked at, empty ones too."""
MOST_UNPACKED = 150_000_000
SEPARATORS = {",": "comma", ";": "semicolon", "\t": "tab", "|": "bar"}


class BadTable(ValueError):
    """A file that is no table: the place, and one sentence."""

    def __init__(self, place: str, sentence: str) -> None:
        super().__init__(f"{place}: {sentence}" if place else sentence)
        self.place = place
        self.sentence = sentence


@dataclass(frozen=True, slots=True)
class Row:
    """A row: its line or row number in the file, and its cells as text."""

    line: int
    cells: tuple[str, ...]


@dataclass(frozen=True, slots=True)
class Table:
    """A table as it came: headers, rows, and what was found out about the file (Table 1)."""

    headers: tuple[str, ...]
    rows: tuple[Row, ...]
    found: str


def read_table(name: str, content: bytes) -> Table:
    """Read a CSV or XLSX file.

    Raises:
        BadTable: with the place and what is wrong.
    """
    if not content:
        raise BadTable("", "The file is empty.")
    table = _workbook(content) if is_workbook(content) else _csv(content)
    if not table.rows:
        raise BadTable("", f"{name} has a heading but no rows.")
    doubled = [h for h in table.headers if h and table.headers.count(h) > 1]
    if doubled:
        raise BadTable("headings", f"Two columns are called “{doubled[0]}”: rename one.")
    return table


def workbook_in_parts(name: str, content: bytes) -> dict[str, Any]:
    """A workbook's table in plain parts, for reading it in a process of its own; :func:`table_of_parts` joins them.

    Raises:
        BadTable: as :func:`read_table`.
    """
    table = read_table(name, content)
    rows = [[row.line, list(row.cells)] for row in table.rows]
    return {"headers": list(table.headers), "rows": rows, "found": table.found}


def table_of_parts(parts: Mapping[str, Any]) -> Table:
    rows = tuple(Row(line, tuple(cells)) for line, cells in parts["rows"])
    return Table(tuple(parts["headers"]), rows, parts["found"])


def is_workbook(content: bytes) -> bool:
    return content[:4] == b"PK\x03\x04"


def _decoded(content: bytes) -> tuple[str, str]:
    if content[:2] in (b"\xff\xfe", b"\xfe\xff"):
        try:
            return content.decode("utf-16"), "UTF-16"
        except UnicodeDecodeError as broken:
            raise BadTable("", "It starts like UTF-16 but is not: save it as UTF-8.") from broken
    if b"\0" in content[:4000]:
        raise BadTable("", "This is neither a CSV file nor a workbook (.xlsx).")
    try:
        return content.decode("utf-8-sig"), "UTF-8"
    except UnicodeDecodeError:
        return content.decode("cp1252", errors="replace"), "Windows-1252"


def _csv(content: bytes) -> Table:
    text, encoding = _decoded(content)
    first = next((line for line in text.splitlines() if line.strip()), "")
    separator = max(SEPARATORS, key=first.count)
    if first.count(separator) == 0:
        separator = ","
    raw: list[Row] = []
    reader = csv.reader(io.StringIO(text, newline=""), delimiter=separator, strict=True)
    try:
        for cells in reader:
            if any(cell.strip() for cell in cells):
                raw.append(Row(reader.line_num, tuple(cell.strip() for cell in cells)))
            if len(raw) > MOST_ROWS:
                raise BadTable("", f"It has more than {MOST_ROWS} rows: split the file.")
    except csv.Error as wrong:
        raise BadTable(f"line {reader.line_num}", f"It cannot be read as CSV: {wrong}.") from wrong
    if not raw:
        raise BadTable("", "The file is empty.")
    headers, rows = raw[0].cells, raw[1:]
    _fits(headers, rows)
    comma = separator != "," and _decimal_comma(rows)
    if comma:
        rows = [Row(row.line, tuple(_pointed(cell) for cell in row.cells)) for row in rows]
    sign = "comma" if comma else "point"
    return Table(headers, tuple(_even(headers, rows)), f"{encoding}, {SEPARATORS[separator]}, decimal {sign}")


def _fits(headers: tuple[str, ...], rows: list[Row]) -> None:
    if len(headers) > MOST_COLUMNS:
        raise BadTable("headings", f"It has {len(headers)} columns; the limit is {MOST_COLUMNS}.")
    for row in rows:
        if len(row.cells) > len(headers) and any(row.cells[len(headers) :]):
            raise BadTable(f"line {row.line}", f"It has {len(row.cells)} cells under {len(headers)} headings.")
        for place, cell in enumerate(row.cells):
            where = f"line {row.line}, {headers[place] if place < len(headers) else place + 1}"
            if cell.startswith(("=", "@")) or re.match(r"[+-][A-Za-z(]", cell):
                raise BadTable(where, "This is a formula: enter its value.")
            if len(cell) > LONGEST_CELL:
                raise BadTable(where, f"It has {len(cell)} characters; the limit is {LONGEST_CELL}.")


_WITH_COMMA = re.compile(r"\d+,\d+")
_WITH_POINT = re.compile(r"\d*\.\d+")


def _decimal_comma(rows: list[Row]) -> bool:
    """Whether numbers have decimal commas (Table 2)."""
    cells = [cell.split(" ")[0] for row in rows for cell in row.cells]
    commas = sum(_WITH_COMMA.fullmatch(cell) is not None for cell in cells)
    return commas > 0 and not any(_WITH_POINT.fullmatch(cell) for cell in cells)


def _pointed(cell: str) -> str:
    number, _, unit = cell.partition(" ")
    return f"{number.replace(',', '.')} {unit}".strip() if _WITH_COMMA.fullmatch(number) else cell


def _even(headers: tuple[str, ...], rows: list[Row]) -> list[Row]:
    """Every row as long as the headings."""
    return [Row(row.line, (*row.cells, *[""] * len(headers))[: len(headers)]) for row in rows]


def _workbook(content: bytes) -> Table:
    from openpyxl import load_workbook  # noqa: PLC0415  heavy, and wanted only here
    from openpyxl.utils import get_column_letter  # noqa: PLC0415

    try:
        with zipfile.ZipFile(io.BytesIO(content)) as archive:
            unpacked = sum(info.file_size for info in archive.infolist())
            if "xl/workbook.xml" not in archive.namelist():
                raise BadTable("", "This zip file is not a workbook: save the table as .xlsx or .csv.")
        if unpacked > MOST_UNPACKED or unpacked > 200 * len(content):
            raise BadTable("", "Unpacked this workbook would be far too large. Nothing was imported.")
        book = load_workbook(io.BytesIO(content), read_only=True, data_only=False)
    except BadTable:
        raise
    except Exception as broken:
        raise BadTable("", "This workbook cannot be opened: save it again as .xlsx or .csv.") from broken
    try:
        sheet = book.worksheets[0]
        raw: list[Row] = []
        # A row says its own number, and the reader fills up what lies between: nothing is read beyond what is taken.
        for number, cells in enumerate(sheet.iter_rows(max_col=MOST_COLUMNS + 1), start=1):
            if number > MOST_LINES:
                raise BadTable("", f"It goes beyond row {MOST_LINES}: delete the empty rows, or split the file.")
            texts = []
            for place, cell in enumerate(cells[: MOST_COLUMNS + 1], start=1):
                where = f"cell {get_column_letter(place)}{number}"
                if cell.data_type == "f":
                    raise BadTable(where, "This is a formula: replace it with its value.")
                texts.append(_text(cell.value, getattr(cell, "number_format", "")))
            if any(texts):
                raw.append(Row(number, tuple(texts)))
            if len(raw) > MOST_ROWS:
                raise BadTable("", f"It has more than {MOST_ROWS} rows: split the file.")
    finally:
        book.close()
    if not raw:
        raise BadTable("", "The first sheet is empty.")
    headers = raw[0].cells
    while headers and not headers[-1]:
        headers = headers[:-1]
    _fits(headers, raw[1:])
    return Table(headers, tuple(_even(headers, raw[1:])), f"workbook, sheet “{sheet.title}”")


def _text(value: object, shown: str) -> str:
    """A cell as text, a number with the decimals that it is shown with (Table 4)."""
    if value is None:
        return ""
    if isinstance(value, bool):
        return "yes" if value else "no"
    if isinstance(value, int | float):
        decimals = re.fullmatch(r"#?,?#*0(?:\.(0+))?", shown)
        if decimals is not None and decimals[1]:
            return f"{value:.{len(decimals[1])}f}"
        return f"{value:.12g}"
    if isinstance(value, datetime):
        return value.isoformat(sep=" ", timespec="minutes")
    return str(value).strip()
