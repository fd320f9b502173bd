"""The shape of the code in figures: how large, how tangled, what is left to mend. Run it from the project's folder.

Cyclomatic complexity is counted in its wide sense: 1, and 1 for each branch, loop, handler, case, conditional
expression, loop of a comprehension and boolean step.
"""

from __future__ import annotations

import ast
import re
from collections.abc import Iterator
from pathlib import Path

SOURCE = Path("src/helvor")
LONG_LINE, LONG_FUNCTION, LONG_FILE, MANY_ARGUMENTS = 160, 60, 600, 7
TABLES = ("core/hazards/table.py",)
"""Built by a command, not written."""

_Function = ast.FunctionDef | ast.AsyncFunctionDef


def functions(tree: ast.AST) -> Iterator[_Function]:
    """Every function and method."""
    return (node for node in ast.walk(tree) if isinstance(node, _Function))


def complexity(function: _Function) -> int:
    """Ways through a function, its inner functions counted by themselves."""
    ways, todo = 1, list(ast.iter_child_nodes(function))
    while todo:
        node = todo.pop()
        if isinstance(node, _Function | ast.ClassDef):
            continue
        if isinstance(
            node, ast.If | ast.For | ast.AsyncFor | ast.While | ast.IfExp | ast.ExceptHandler | ast.comprehension
        ):
            ways += 1
        elif isinstance(node, ast.BoolOp):
            ways += len(node.values) - 1
        elif isinstance(node, ast.match_case) and not isinstance(node.pattern, ast.MatchAs):
            ways += 1
        todo.extend(ast.iter_child_nodes(node))
    return ways


def arguments(function: _Function) -> int:
    """How many parameters, *self* and *cls* left out."""
    every = [a.arg for a in (*function.args.posonlyargs, *function.args.args, *function.args.kwonlyargs)]
    return len([name for name in every if name not in ("self", "cls")])


def main() -> None:
    """Print the figures."""
    files = {path: path.read_text(encoding="utf-8") for path in sorted(SOURCE.rglob("*.py"))}
    written = {path: text for path, text in files.items() if not str(path).endswith(TABLES)}
    found = [(path, f, complexity(f)) for path, text in written.items() for f in functions(ast.parse(text))]
    ways = [c for *_, c in found]
    worst = sorted(found, key=lambda one: -one[2])
    templates = {p: p.read_text(encoding="utf-8") for p in sorted(SOURCE.rglob("*")) if p.suffix in (".html", ".svg")}
    tests = {path: path.read_text(encoding="utf-8") for path in sorted(Path("tests").rglob("*.py"))}
    style = "".join(path.read_text(encoding="utf-8") for path in sorted(Path("styles").glob("*.css")))
    theme = "".join(re.findall(r"@theme[^{]*\{[^}]*\}", style))
    colours = len(re.findall(r"#[0-9a-fA-F]{3,8}\b", style)) - len(re.findall(r"#[0-9a-fA-F]{3,8}\b", theme))
    sums = [
        e
        for text in templates.values()
        for e in re.findall(r"\{\{([^}]*)\}\}", text)
        if re.search(r"[\w)] [*/+-] [\w(]", e)
    ]

    def lines(texts: dict[Path, str]) -> int:
        return sum(text.count("\n") for text in texts.values())

    def skips(texts: dict[Path, str]) -> int:
        return sum(text.count("# fmt: ") for text in texts.values())

    print(
        f"code {lines(files)} lines, tests {lines(tests)} ({lines(tests) / (lines(tests) + lines(files)):.0%} of all)"
    )
    print(f"layout by hand (fmt: skip, off): {skips(files)} in src, {skips(tests)} in tests")
    print(f"complexity: mean {sum(ways) / len(ways):.2f}, greatest {max(ways)}, over 20: {sum(c > 20 for c in ways)}")
    for path, function, count in worst[:12]:
        print(f"    {count:3} {path.relative_to(SOURCE)}:{function.lineno} {function.name}")
    long = [(p, f) for p, f, _ in found if (f.end_lineno or 0) - f.lineno + 1 > LONG_FUNCTION]
    print(f"functions over {LONG_FUNCTION} lines: {len(long)}")
    for path, function in long:
        print(f"    {(function.end_lineno or 0) - function.lineno + 1} {path.relative_to(SOURCE)} {function.name}")
    large = [(path, text.count("\n")) for path, text in written.items() if text.count("\n") > LONG_FILE]
    print(f"files over {LONG_FILE} lines: {len(large)}")
    for path, count in large:
        print(f"    {count} {path.relative_to(SOURCE)}")
    many = [(p, f) for p, f, _ in found if arguments(f) > MANY_ARGUMENTS]
    print(f"functions with more than {MANY_ARGUMENTS} parameters: {len(many)}")
    for path, function in many:
        print(f"    {arguments(function)} {path.relative_to(SOURCE)} {function.name}")
    wide = [line for text in templates.values() for line in text.splitlines() if len(line) > LONG_LINE]
    print(f"template lines over {LONG_LINE} characters: {len(wide)} of {lines(templates)}")
    print(f"template expressions with arithmetic: {len(sums)}")
    print(f"colours in the stylesheet outside its tokens: {colours}")


if __name__ == "__main__":
    main()
