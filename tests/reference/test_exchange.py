"""What goes out, opened by others: Python's own CSV reader, openpyxl, the RO-Crate library, a JSON Schema validator.

Sources: RFC 4180 by Python's ``csv``; ECMA-376 by openpyxl; RO-Crate 1.1 (https://w3id.org/ro/crate/1.1) by the
package ``rocrate``; JSON Schema 2020-12 by ``jsonschema``. PDF text against the page stands in tests/web/test_reports.py
(pypdf), robust statistics against NumPy and SciPy in tests/core/review.
"""

import csv
import hashlib
import io
import json
import zipfile
from datetime import UTC, datetime

import openpyxl
import pytest
from hypothesis import given
from hypothesis import strategies as st
from jsonschema import Draft202012Validator
from rocrate.rocrate import ROCrate

from helvor.exchange import records
from helvor.exchange.tables import csv_text
from helvor.exchange.workbook import Sheet, workbook
from tests.exchange.test_archive import whole, written

__all__ = ["whole"]

CELLS = st.one_of(
    st.none(),
    st.integers(-(10**9), 10**9),
    st.floats(-1e6, 1e6, allow_nan=False),
    st.text(st.characters(codec="utf-8", exclude_categories=("Cc", "Cs")), max_size=30),
    st.sampled_from(["=1+1", "+cmd|' /C calc'!A0", "@SUM(A1)", "-2+3", "http://example.org", "{=1}", "0123"]),
)


@given(st.lists(st.tuples(CELLS, CELLS), min_size=1, max_size=8))
def test_a_workbook_reads_back_with_numbers_as_numbers_and_no_formula(rows):
    """Opened by another library: openpyxl."""
    made = workbook("A class", [Sheet("All", ("mass_g", "said"), rows)], datetime(2026, 11, 24, tzinfo=UTC))
    sheet = openpyxl.load_workbook(io.BytesIO(made)).active
    assert [cell.value for cell in sheet[1]] == ["mass, g", "said"]
    for number, row in enumerate(rows, start=2):
        for place, value in enumerate(row, start=1):
            cell = sheet.cell(number, place)
            assert cell.data_type != "f"
            if value is None or value == "":
                assert cell.value is None
            elif isinstance(value, str):
                assert cell.data_type == "s" and cell.value is not None
            else:
                assert cell.data_type == "n" and cell.value == pytest.approx(value, rel=1e-12)


@given(st.lists(st.tuples(CELLS, CELLS), min_size=1, max_size=8))
def test_csv_reads_back_by_pythons_own_reader_and_runs_nothing(rows):
    text = csv_text(("a", "b"), rows)
    back = list(csv.reader(io.StringIO(text, newline="")))
    assert back[0] == ["a", "b"] and len(back) == len(rows) + 1
    for cells, row in zip(back[1:], rows, strict=True):
        for cell, value in zip(cells, row, strict=True):
            assert not cell.startswith(("=", "@")) and not (isinstance(value, str) and cell.startswith(("+", "-")))
            if isinstance(value, float):
                assert float(cell) == pytest.approx(value, rel=1e-5, abs=1e-12)


def test_it_is_an_ro_crate_and_every_file_is_what_its_sum_says(whole, tmp_path):
    content = written(whole)
    (tmp_path / "crate.zip").write_bytes(content)
    crate = ROCrate(tmp_path / "crate.zip")
    assert crate.name == "A-1, A class" and crate.datePublished and crate.license
    entities = {e.id: e for e in crate.data_entities}
    with zipfile.ZipFile(io.BytesIO(content)) as opened:
        names = set(opened.namelist()) - {"ro-crate-metadata.json"}
        assert set(entities) == names == {part.path for part in whole}
        for name in names:
            held = opened.read(name)
            assert hashlib.sha256(held).hexdigest() == entities[name]["sha256"]
            assert str(len(held)) == entities[name]["contentSize"] and entities[name]["encodingFormat"]
        graph = {e["@id"]: e for e in json.loads(opened.read("ro-crate-metadata.json"))["@graph"]}
    assert graph["ro-crate-metadata.json"]["conformsTo"]["@id"] == "https://w3id.org/ro/crate/1.1"
    assert graph["ro-crate-metadata.json"]["about"]["@id"] == "./" and graph["./"]["@type"] == "Dataset"
    for linked in ("publisher", "license"):
        assert graph["./"][linked]["@id"] in graph


@pytest.mark.parametrize("kind", sorted(records.SCHEMAS))
def test_the_published_schemas_are_schemas(kind):
    Draft202012Validator.check_schema(records.schema(kind))
