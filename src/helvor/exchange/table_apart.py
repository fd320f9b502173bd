"""Tables that come in, a workbook of them in a process of its own."""

from __future__ import annotations

from helvor.core.record.entry import Problem
from helvor.exchange.table_in import BadTable, Table, is_workbook, read_table, table_of_parts
from helvor.notebook.apart import run_apart


def read(name: str, content: bytes) -> Table:
    """Read a CSV file, or a workbook with a limit on memory and time.

    Raises:
        BadTable: with the place and what is wrong.
        Busy: other files are read just now.
    """
    if not is_workbook(content):
        return read_table(name, content)
    try:
        return table_of_parts(run_apart("workbook", name, content))
    except Problem as unfit:
        raise BadTable("", str(unfit)) from unfit
