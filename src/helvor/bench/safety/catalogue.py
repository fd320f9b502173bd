"""The rules of safety as a page to read: ``docs/safety.md`` is drawn from the tables that the plan is held against."""

from __future__ import annotations

from helvor.bench.safety.incompatible import MEETINGS
from helvor.bench.safety.rules import RULES
from helvor.bench.step_kinds import WASTE, WRONG_BOTTLES

RUN_ONLY: dict[str, str] = {
    "grains-went-in-hot": "Charcoal or chips were added while the last reading showed a hot or boiling liquid.",
    "keep-until-weighed": "The current step discards something before every product is weighed.",
}
"""Findings that only a record can give: code → what they look at."""

HEAD = """# What Helvor warns of

Drawn from the tables in `src/helvor/bench/safety` and `step_kinds.py` by `docs/write_catalogue.py`; a test holds the
two together. Every finding is given when a procedure is looked at and again in each run of it, on the kit and the
substances that are really used; what is to stop is said of every step that is still to come. Names count as people
type them. Local rules and a qualified person decide.

Each rule, with a procedure that it speaks of, one that it does not, and the first sentence that is shown, stands in
`tests/bench/safety/test_rules.py`.
"""


def catalogue() -> str:
    """The page, as Markdown."""
    lines = [HEAD, "## Rules", "", "| finding | looks at | limits from |", "|---|---|---|"]
    for rule in RULES:
        if rule.codes[0] != MEETINGS[0].code:
            lines.append(f"| {', '.join(f'`{code}`' for code in rule.codes)} | {rule.looks} | {rule.source} |")
    lines += [f"| `{code}` | {looks} | in a run only |" for code, looks in RUN_ONLY.items()]
    lines += ["", "## What must not meet", "", "| finding | level | why | instead |", "|---|---|---|---|"]
    lines += [f"| `{row.code}` | {row.level} | {row.because} | {row.do} |" for row in MEETINGS]
    lines += ["", "## Waste", "", "One way: what is put in stands second.", ""]
    lines += ["| bottle | what is put in | level | why |", "|---|---|---|---|"]
    lines += [f"| {WASTE[row.bottle]} | {WASTE[row.matter]} | {row.level} | {row.why} |" for row in WRONG_BOTTLES]
    return "\n".join(lines) + "\n"
