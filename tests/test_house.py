"""The shape of the code: what is too long or too tangled to be read at once is taken apart."""

import ast
import re
from pathlib import Path

import pytest
from benchmarks.house import LONG_FILE, LONG_FUNCTION, LONG_LINE, TABLES, complexity, functions

SOURCE = Path(__file__).parents[1] / "src" / "helvor"
FILES = [path for path in sorted(SOURCE.rglob("*.py")) if not str(path).endswith(TABLES)]
TANGLED = 20


@pytest.mark.parametrize("path", FILES, ids=lambda path: str(path.relative_to(SOURCE)))
def test_no_file_or_function_is_too_long_or_too_tangled(path):
    text = path.read_text(encoding="utf-8")
    assert text.count("\n") <= LONG_FILE
    long = {f.name: f.end_lineno - f.lineno + 1 for f in functions(ast.parse(text))}
    assert {name: lines for name, lines in long.items() if lines > LONG_FUNCTION} == {}
    ways = {f.name: complexity(f) for f in functions(ast.parse(text))}
    assert {name: number for name, number in ways.items() if number > TANGLED} == {}


def test_templates_have_no_lines_that_nobody_reads():
    for path in [*SOURCE.rglob("*.html"), *SOURCE.rglob("*.svg")]:
        lines = path.read_text(encoding="utf-8").splitlines()
        assert max(map(len, lines), default=0) <= LONG_LINE, path


def test_a_colour_is_written_in_one_place():
    for path in sorted((SOURCE.parents[1] / "styles").glob("*.css")):
        found = re.findall(r"#[0-9a-fA-F]{3,8}\b|\b(?:rgb|hsl)a?\(", path.read_text(encoding="utf-8"))
        assert (found != []) == (path.name == "tokens.css"), (path.name, found)
