"""The catalogue of findings: as the code has them, and each of them in a test."""

from pathlib import Path

from docs.write_catalogue import findings, rows, with_lines

ROOT = Path(__file__).parents[1]


def test_the_page_is_as_the_code_is():
    assert (ROOT / "docs" / "findings.md").read_text(encoding="utf-8") == findings(), "run docs/write_catalogue.py"


def test_every_code_stands_in_a_test():
    tests = "".join(path.read_text(encoding="utf-8") for path in sorted(ROOT.joinpath("tests").rglob("*.py")))
    assert [row.code for row in rows() if f'"{row.code}"' not in tests] == []


def test_a_code_means_one_thing_wherever_it_is_said():
    levels = {}
    for row in rows():
        levels.setdefault(row.code, []).append(row)
    twice = {code: [row.where for row in found] for code, found in levels.items() if len(found) > 1}
    # A plan and a run are held against the same danger, each with words of its own.
    assert all(len(set(places)) == 2 for places in twice.values()), twice
    assert len(levels) > 150


def test_the_readme_lists_what_one_can_type():
    readme = (ROOT / "README.md").read_text(encoding="utf-8")
    assert readme == with_lines(readme), "run docs/write_catalogue.py"
