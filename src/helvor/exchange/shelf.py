"""The shelf as CSV, out and in: one row a value, with its source."""

from __future__ import annotations

import csv
import io
from collections.abc import Iterable

from helvor.core.record.entry import Problem
from helvor.exchange.tables import csv_text
from helvor.notebook.shelf_values import MAX_IMPORT, checked
from helvor.shelf.shelf import Item, OwnValue

COLUMNS = ("kind", "name", "property", "value", "source")


def shelf_csv(items: Iterable[Item]) -> str:
    """Every value of the items; :func:`read_shelf` reads it back."""
    rows: list[tuple[object, ...]] = []
    for item in items:
        if item.formula:
            rows.append((item.kind, item.name, "formula", item.formula, "as named"))
        rows += [(item.kind, item.name, key, value.text, value.source) for key, value in item.values.items()]
    return csv_text(COLUMNS, rows)


class BadShelf(ValueError):
    """A file that is no shelf: what is wrong, by place."""

    def __init__(self, troubles: list[tuple[str, str]]) -> None:
        super().__init__("; ".join(f"{place}: {sentence}" for place, sentence in troubles))
        self.troubles = troubles


def read_shelf(content: bytes) -> list[OwnValue]:
    """Values from CSV with the columns kind, name, property, value, source.

    Raises:
        BadShelf: with everything that is wrong, by line.
    """
    try:
        text = content.decode("utf-8-sig")
    except UnicodeDecodeError as trouble:
        raise BadShelf([("file", "This file is not UTF-8 text: save it as UTF-8.")]) from trouble
    reader = csv.DictReader(io.StringIO(text))
    missing = [name for name in COLUMNS if name not in (reader.fieldnames or ())]
    if missing:
        raise BadShelf([("line 1", f"The column {missing[0]} is missing; the columns are {', '.join(COLUMNS)}.")])
    values, troubles = list[OwnValue](), list[tuple[str, str]]()
    for number, row in enumerate(reader, start=2):
        if number > MAX_IMPORT:
            raise BadShelf([("file", f"Import at most {MAX_IMPORT} values at a time.")])
        cells = [(row[name] or "").removeprefix("'") for name in COLUMNS]
        try:
            values.append(checked(*cells))
        except Problem as trouble:
            troubles.append((f"line {number}", trouble.sentence))
    if troubles:
        raise BadShelf(troubles[:40])
    if not values:
        raise BadShelf([("file", "The file contains no value.")])
    return values
