"""Writes docs/safety.md from the rules, docs/findings.md from the code, and what one can type into the README.

Run it from the project's folder with ``src`` on the path.
"""

from __future__ import annotations

import ast
from collections.abc import Iterator
from pathlib import Path
from typing import NamedTuple

from helvor.core.record.line_help import as_table
from helvor.core.techniques.safety.catalogue import catalogue

DOCS = Path(__file__).parent
CORE = DOCS.parent / "src" / "helvor" / "core"
WORDS = {"good": "OK", "note": "Note", "caution": "Check", "stop": "Stop"}
MAKERS = {"Finding": 0, "advise": 1}
"""Functions that make a finding → where its code stands among their arguments; level and sentence follow."""


class Row(NamedTuple):
    """A finding as it stands in the code."""

    code: str
    levels: tuple[str, ...]
    says: str
    where: str


def _texts(node: ast.expr) -> list[str]:
    """The words an expression can be, where they stand in the code."""
    if isinstance(node, ast.Constant) and isinstance(node.value, str):
        return [node.value]
    return [*_texts(node.body), *_texts(node.orelse)] if isinstance(node, ast.IfExp) else []


def _sentence(node: ast.expr) -> str:
    """A sentence with an ellipsis where a value comes."""
    if isinstance(node, ast.JoinedStr):
        return "".join(part.value if isinstance(part, ast.Constant) else "…" for part in node.values)
    return " / ".join(_texts(node)) or "…"


def rows() -> list[Row]:
    """Every finding of the core by its code; those whose code comes from a table stand in that table."""
    found: dict[tuple[str, str], Row] = {}
    for path in sorted(CORE.rglob("*.py")):
        where = str(path.relative_to(CORE))
        for code, levels, says in _of(ast.parse(path.read_text(encoding="utf-8"))):
            before = found.get((code, where))
            every = (*before.levels, *levels) if before is not None else levels
            first = before.says if before is not None else says
            found[code, where] = Row(code, tuple(dict.fromkeys(every)), first, where)
    return sorted(found.values())


def _of(tree: ast.AST) -> Iterator[tuple[str, tuple[str, ...], str]]:
    for node in ast.walk(tree):
        if not isinstance(node, ast.Call) or not isinstance(node.func, ast.Name) or node.func.id not in MAKERS:
            continue
        given = node.args[MAKERS[node.func.id] :]
        if len(given) >= 3:
            for code in _texts(given[0]):
                yield code, tuple(WORDS.get(level, level) for level in _texts(given[1])), _sentence(given[2])


HEAD = """# Findings

Every finding of a plate, a run, a plan and a meeting, drawn from the code by `docs/write_catalogue.py`; a test holds
the two together, and that each code stands in a test. … stands for a value; a level that is not named depends on it.
Findings on danger have a page of their own, [safety.md](safety.md).

| code | level | first sentence | in `core/` |
|---|---|---|---|
"""


def findings() -> str:
    """The page of findings, as Markdown."""
    lines = (
        f"| `{row.code}` | {', '.join(row.levels)} | {row.says.replace('|', '/')} | {row.where} |" for row in rows()
    )
    return HEAD + "\n".join(lines) + "\n"


README = DOCS.parent / "README.md"


def with_lines(readme: str) -> str:
    """The README with the lines that one can type, as the application lists them."""
    before, _, rest = readme.partition("| you type | meaning |")
    _, _, after = rest.partition("\n\n")
    return f"{before}{as_table()}\n\n{after}"


if __name__ == "__main__":
    README.write_text(with_lines(README.read_text(encoding="utf-8")), encoding="utf-8")
    DOCS.joinpath("safety.md").write_text(catalogue(), encoding="utf-8")
    DOCS.joinpath("findings.md").write_text(findings(), encoding="utf-8")
