"""What people read: plain words, one thing one name, errors that say what to enter."""

from __future__ import annotations

import ast
import json
import re
from collections.abc import Iterator
from dataclasses import dataclass
from datetime import UTC, datetime
from pathlib import Path
from types import SimpleNamespace
from uuid import uuid4

import pytest

from helvor.core.engine.run import entries as run_entries
from helvor.core.record.entry import Entry
from helvor.core.record.finding import Finding, level_word
from helvor.core.record.procedure import Procedure, Step
from helvor.core.techniques.registered import TECHNIQUES
from helvor.web.rendering import places_of
from helvor.web.run.words import StepNames, describe

SOURCE = Path(__file__).parent.parent / "src" / "helvor"
QUIET = ("core/hazards/table.py", "notebook/rights.py", "web/may.py", "notebook/migrations", "notebook/server.py")
"""Tables of data and code that speaks to the database only."""

SQL = re.compile(r"\b(?:SELECT|INSERT INTO|UPDATE|DELETE FROM|CREATE|ALTER|WHERE|GRANT)\b")
PATTERN = re.compile(r"\\[bdsw]|\(\?[:P<!=]|\[\^")


@dataclass(frozen=True, slots=True)
class Said:
    where: str
    words: str


def _docstrings(tree: ast.AST) -> set[int]:
    """Every string that stands alone as a statement explains something to whoever reads the code."""
    return {
        id(node.value) for node in ast.walk(tree) if isinstance(node, ast.Expr) and isinstance(node.value, ast.Constant)
    }


def _of_python(path: Path) -> Iterator[Said]:
    tree = ast.parse(path.read_text())
    quiet = _docstrings(tree)
    for node in ast.walk(tree):
        if isinstance(node, ast.Raise) and isinstance(node.exc, ast.Call):
            # Faults of ours, which nobody reads on a page.
            name = getattr(node.exc.func, "id", "")
            if name in ("RuntimeError", "ValueError", "TypeError", "AssertionError", "KeyError"):
                quiet |= {id(part) for part in ast.walk(node)}
    parts = {id(value) for node in ast.walk(tree) if isinstance(node, ast.JoinedStr) for value in node.values}
    for node in ast.walk(tree):
        if id(node) in quiet or id(node) in parts:
            continue
        if isinstance(node, ast.JoinedStr):
            words = "".join(v.value if isinstance(v, ast.Constant) else "…" for v in node.values)
        elif isinstance(node, ast.Constant) and isinstance(node.value, str):
            words = node.value
        else:
            continue
        if " " in words.strip() and not SQL.search(words) and not PATTERN.search(words):
            yield Said(f"{path.relative_to(SOURCE)}:{node.lineno}", words)


def _of_template(path: Path) -> Iterator[Said]:
    text = re.sub(r"\{#.*?#\}|<style.*?</style>", "", path.read_text(), flags=re.DOTALL)
    literals = [
        one
        for pair in re.findall(r"'([^'<>=]*)'|\"([^\"<>=]*)\"", " ".join(re.findall(r"\{[{%].*?[%}]\}", text)))
        for one in pair
    ]
    attributes = re.findall(r'(?:placeholder|aria-label|title|alt)="([^"]*)"', text)
    plain = re.sub(r"\{%.*?%\}", " ", re.sub(r"\{\{.*?\}\}", "…", text))
    for words in [*re.split(r"<[^>]*>", plain), *attributes, *literals]:
        if " " in words.strip() or words.strip()[:1].isupper():
            yield Said(str(path.relative_to(SOURCE)), " ".join(words.split()))


def _of_script(path: Path) -> Iterator[Said]:
    for found in re.finditer(r'"([^"\n]*)"|`([^`]*)`', path.read_text()):
        words = found[1] or found[2] or ""
        if re.search(r"[a-z] [a-z]", words):
            yield Said(f"static/{path.name}", words)


def everything() -> list[Said]:
    """Every string of the application that somebody may read."""
    said: list[Said] = []
    for path in sorted(SOURCE.rglob("*.py")):
        if not str(path.relative_to(SOURCE)).startswith(QUIET):
            said += _of_python(path)
    for path in sorted((SOURCE / "web").rglob("*.html")):
        said += _of_template(path)
    for path in sorted((SOURCE / "web" / "static").glob("*.js")):
        if "htmx" not in path.name:
            said += _of_script(path)
    return said


EVERYTHING = everything()


BANNED: dict[str, str] = {
    "separate, not part": r"\b(?:parted|parting|parts company)\b|\bparts (?:them|the two)\b",
    "again or fresh, not anew": r"\banew\b",
    "calculate, not reckon or work out": r"\breckon|\bworked? (?:it |this |them )out\b|\bnot worked out\b",
    "saved, not in ink": r"\bin ink\b",
    "saved or recorded, not written": r"[Nn]othing (?:was|is) written|\bnot written\b|\bwrit(?:e|ten) down\b",
    "mother liquor or supernatant": r"(?<!mother )\bliquors?\b(?!ice)",
    "filter flask, vacuum": r"suction flask|\b(?:with|by|under) suction\b",
    "discard, not throw away": r"\bthrow(?:s|n|ing)? (?:\w+ )?away\b(?<!skip 5 thrown away)(?<!skip 8 thrown away)(?<!skip … thrown away)",
    "publish": r"\bput (?:\w+ )*in use\b",
    "coprecipitated": r"\bcarried down\b",
    "ionized or neutral": r"\b(?:un)?charged\b",
    "applications": r"\bTouches\b",
    "lab log": r"\b[Dd]ay book\b",
    "my bench": r"\b[Ff]ront bench\b(?<!^front bench)",
    "reference data": r"\b(?:the|on the|onto the) shelf\b",
    "calculators, procedures, results": r"^\s*(?:Sums|Plan|Review|Shelf|Reckon)\s*$",
    "a short reason": r"\bin a word\b|\bwith a word why\b",
    "unaccounted for": r"\bnot accounted for\b",
    "otherwise or default, not else": r"(?:[;,] |\bor )else\b|^Else\b",
    "strike out": r"\b(?:struck|strikes?) [^.]{0,12}through\b",
    "no riddles": r"\b[Mm]atter does not\b|\bNothing gets\b|\bnothing to speak of\b|\bnever means\b|\b[Nn]obody (?:knows|can|ticked)\b",
    "uncertainty, not doubt": r"\b(?:much|a tenth of itself as) doubt\b",
    "emulsion": r"\b(?:a|the) rag\b",
    "typical, not ordinary; adheres, not clings": r"\bordinary\b|\bclings\b|\blikes\b",
    "who exactly": r"\bwhoever\b",
    "duplicate": r"\bits parallel\b|\b[Pp]arallel determinations\b",
    "theoretical yield": r"\b(?:Most|most) \S+ possible\b|\bwhat was possible\b",
    "recovered": r"\bfound again\b",
    "maximum recovery": r"\bceiling\b(?<!\{\{ ceiling)",
    "to constant mass": r"\buntil it (?:stays|stands)\b",
    "recorded": r"\bon record\b",
    "flammable": r"\b(?:what|which) burns\b",
    "an error says what to enter": r"^(?:A|An) [a-z ]+ (?:is|has|holds|takes|lies) (?:at most|at least|above|below|between|\d)",
    "no question as an error": r"^(?:How much|How many|Which|What)\b[^?]*\? Write\b",
    "skip, not leave out": r"\b(?:[Ll]eave|left) (?:it |a step |this step )?out\b",
    "behind, not late": r"\bmin late\b",
    "no verbs of a thing": r"\b[Tt]ake (?:it|this) in\b|\bdid not come in\b|\bBring (?:it|a class|them) in\b|\bPut it on\b",
}
"""What one should read instead, and how it was said before."""


@pytest.mark.parametrize(("better", "pattern"), BANNED.items())
def test_what_was_hard_to_read_does_not_come_back(better, pattern):
    found = [said for said in EVERYTHING if re.search(pattern, said.words)]
    assert not found, f"{better}: " + "; ".join(f"{one.where} “{one.words[:120]}”" for one in found[:8])


def test_the_starter_procedures_speak_the_same_words():
    shipped = sorted((SOURCE / "shelf" / "procedures").glob("*.json"))
    assert shipped
    for path in shipped:
        given = json.loads(path.read_text())
        texts = [
            given["aim"],
            given["hazards"],
            *(step.get(key, "") for step in given["steps"] for key in ("says", "cautions")),
        ]
        for better, pattern in BANNED.items():
            assert not [text for text in texts if re.search(pattern, text)], (path.name, better)


@pytest.mark.parametrize(
    ("name", "was"),
    [
        ("filter flask", r"\bsuction flask"),
        ("mass balance", r"\bclosure\b"),
        ("emulsion", r"\brag of\b"),
        ("stationary phase", r"\bWhich layer was it spread on\b"),
        ("quick entry", r"\breading line\b"),
        ("lab log", r"\bbook of the day\b"),
        ("mother liquor", r"\bcold liquor\b"),
    ],
)
def test_one_thing_has_one_name(name, was):
    prose = [said for said in EVERYTHING if len(said.words.split()) > 3]
    assert [said for said in prose if name in said.words.casefold()], f"{name} is said nowhere"
    assert not [said for said in prose if re.search(was, said.words)], name


def test_places_have_their_names():
    row = SimpleNamespace(id="c")
    assert [words for _, words, _ in places_of(row, "instructor")] == [
        "Today",
        "Procedures",
        "Calculators",
        "Prep",
        "Class",
        "Results",
        "Reference data",
        "Practice",
    ]
    assert [words for _, words, _ in places_of(None, "assistant")][3] == "My bench"
    assert [words for _, words, _ in places_of(None, "bench")] == ["Bench", "Calculators", "Practice"]


def test_levels_are_read_in_four_words_and_a_number_that_cannot_be_in_one_of_its_own():
    assert [level_word(level) for level in ("good", "note", "caution", "stop")] == ["OK", "Note", "Check", "Stop"]
    assert Finding("spot-beyond-front", "stop", "").word == "Impossible"
    assert Finding("flame-near-solvent", "stop", "").word == "Stop"
    assert Finding("closure-above", "caution", "").word == "Check", "within its uncertainty it may yet be"


def entry_of(payload):
    return Entry(uuid4(), 1, payload, None, "", "Ida", datetime.now(UTC))


KEYS = {check.key for kind in TECHNIQUES.kinds for check in TECHNIQUES.checks(kind)}


@pytest.mark.parametrize(
    "payload",
    [
        run_entries.Marked(how="done", step="s2"),
        run_entries.Marked(how="skipped", step="s2", why="no time"),
        run_entries.Checked(step="s2", checks=tuple(check.key for check in TECHNIQUES.checks("vacuum filter"))),
        run_entries.HandoutCorrected(step="s2", says="Filter", why="typing"),
    ],
)
def test_no_key_of_ours_stands_in_the_record(payload):
    steps = [Step(id="s1", kind="weigh"), Step(id="s2", kind="vacuum filter")]
    procedure = Procedure(title="x", steps=steps)
    followed = entry_of(run_entries.Following(procedure=procedure, version=1))
    said = describe(entry_of(payload), StepNames([followed]))
    assert "step 2" in said
    assert not re.search(r"\bs\d+\b", said)
    assert not [key for key in KEYS if "-" in key and key in said], said


VERB = re.compile(r"^ (?:is|has|was|weighs|dries|stays|stayed|contains|holds|loses|gains|comes|came)\b")


def test_no_verb_follows_a_name_that_may_be_plural():
    """ "beads is at constant mass": a portion is named with a colon, and what is said of it has no verb to agree."""
    found = []
    for path in sorted((SOURCE / "core").rglob("*.py")):
        for node in ast.walk(ast.parse(path.read_text())):
            if not isinstance(node, ast.JoinedStr):
                continue
            subjects = zip([None, *node.values], node.values, node.values[1:], strict=False)
            for before, name, after in subjects:
                begins = before is None or (isinstance(before, ast.Constant) and before.value.endswith(": "))
                if begins and isinstance(name, ast.FormattedValue) and isinstance(after, ast.Constant):
                    expression = ast.unparse(name.value)
                    if VERB.match(after.value) and re.search(r"(?:^|\.)portion(?:\.name)?$", expression):
                        found.append(f"{path.relative_to(SOURCE)}:{node.lineno} {{{expression}}}{after.value[:40]}")
    assert not found


def test_every_finding_that_asks_for_a_check_says_what_to_do():
    quiet = []
    for path in sorted((SOURCE / "core").rglob("*.py")):
        for node in ast.walk(ast.parse(path.read_text())):
            if not (isinstance(node, ast.Call) and getattr(node.func, "id", "") == "Finding" and len(node.args) > 2):
                continue
            level = ast.unparse(node.args[1])
            says = len(node.args) > 4 or any(keyword.arg == "do" for keyword in node.keywords)
            if ("caution" in level or "stop" in level) and not says:
                quiet.append(f"{path.relative_to(SOURCE)}:{node.lineno} {ast.unparse(node.args[0])}")
    assert not quiet
