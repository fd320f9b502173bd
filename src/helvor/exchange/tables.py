"""CSV, the same way everywhere."""

from __future__ import annotations

import csv
import io
from collections.abc import Iterable


def csv_text(columns: Iterable[str], rows: Iterable[Iterable[object]]) -> str:
    """A table as CSV: full numbers, nothing that a spreadsheet would run."""
    out = io.StringIO()
    writer = csv.writer(out)
    writer.writerow(columns)
    writer.writerows([[cell(value) for value in row] for row in rows])
    return out.getvalue()


def cell(value: object) -> object:
    """Text that a spreadsheet would run as a formula gets an apostrophe before it."""
    if isinstance(value, str) and value.startswith(("=", "+", "-", "@", "\t", "\r")):
        return "'" + value
    if isinstance(value, float):
        return f"{value:.6g}"
    return "" if value is None else value
