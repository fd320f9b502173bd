"""The rules of safety as a page to read: ``docs/safety.md`` is drawn from the tables that the plan is held against."""

from __future__ import annotations

from helvor.core.hazards.incompatible import MEETINGS
from helvor.core.record.step_kinds import WASTE, WRONG_BOTTLES
from helvor.core.techniques.safety.rules import RULES

RUN_ONLY: dict[str, str] = {
    "grains-went-in-hot": "Charcoal or chips were added while the last reading showed a hot or boiling liquid.",
    "keep-until-weighed": "The current step discards something before every product is weighed.",
}
"""Findings that only a record can give: code → what they look at."""

HEAD = """# What Helvor warns of

Drawn from the tables in `core/hazards`, `core/techniques/safety` and `core/record/step_kinds.py` by
`docs/write_catalogue.py`; a test holds the two together. Helvor gives every finding when a procedure is checked and
again in each run of it, for the kit and the substances actually used; a Stop is shown for every step still ahead.
Names are recognised as people type them. Local rules and a qualified person decide.

`tests/core/techniques/safety/test_rules.py` has, for each rule, a procedure that triggers it, one that does not, and
the first sentence shown.
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
    lines += ["", "## Waste", "", "The second column is what is put into the bottle of the first.", ""]
    lines += ["| bottle | what is put in | level | why |", "|---|---|---|---|"]
    lines += [f"| {WASTE[row.bottle]} | {WASTE[row.matter]} | {row.level} | {row.why} |" for row in WRONG_BOTTLES]
    return "\n".join(lines) + "\n"
