"""A class as a workbook: numbers as numbers, units in the headers, and nothing that a spreadsheet would run.

Text is written as text, never as a formula; a file so made asks no question when it is opened.
"""

from __future__ import annotations

import io
from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from datetime import datetime


@dataclass(frozen=True, slots=True)
class Sheet:
    """A sheet of the workbook: its name (31 characters at most), its columns and rows."""

    name: str
    columns: Sequence[str]
    rows: Iterable[Sequence[object]]


UNITS = (("_g", "g"), ("_mm", "mm"), ("_mol", "mol"), ("_ml", "mL"), ("_min", "min"))
"""Ending of a column's name → the unit that its header shows."""

HEADERS = {"rests_on": "based on", "not_accounted_for_g": "unaccounted for, g", "usual_mistakes": "common mistakes"}
"""Columns that people read under another name than scripts do."""


def header(column: str) -> str:
    """``mass_u_g`` → ``mass u, g``

    >>> header("mass_u_g"), header("front_mm"), header("rests_on")
    ('mass u, g', 'front, mm', 'based on')
    """
    if column in HEADERS:
        return HEADERS[column]
    for ending, unit in UNITS:
        if column.endswith(ending):
            return f"{column.removesuffix(ending).replace('_', ' ')}, {unit}"
    return column.replace("_", " ")


def workbook(title: str, sheets: Iterable[Sheet], at: datetime) -> bytes:
    """The workbook as bytes; *at* is when it was made, so that the same class gives the same file."""
    import xlsxwriter  # noqa: PLC0415  heavy, and wanted only here

    out = io.BytesIO()
    book = xlsxwriter.Workbook(
        out, {"in_memory": True, "strings_to_formulas": False, "strings_to_numbers": False, "strings_to_urls": False}
    )
    book.set_properties({"title": title, "created": at.replace(tzinfo=None)})
    bold = book.add_format({"bold": True, "bottom": 1})
    for sheet in sheets:
        page = book.add_worksheet(sheet.name[:31])
        page.freeze_panes(1, 0)
        widths = [len(header(column)) for column in sheet.columns]
        page.write_row(0, 0, [header(column) for column in sheet.columns], bold)
        for number, row in enumerate(sheet.rows, start=1):
            for place, value in enumerate(row):
                if value is None or value == "":
                    continue
                if isinstance(value, bool):
                    page.write_string(number, place, "yes" if value else "no")
                elif isinstance(value, int | float):
                    page.write_number(number, place, value)
                else:
                    page.write_string(number, place, str(value))
                widths[place] = max(widths[place], min(len(str(value)), 40))
        for place, width in enumerate(widths):
            page.set_column(place, place, width + 2)
    book.close()
    return out.getvalue()
