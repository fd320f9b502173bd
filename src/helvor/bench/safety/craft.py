"""Safety as the run and the planner know it: the table of rules, and what only a record can show."""

from __future__ import annotations

from helvor.bench.run.craft import Craft
from helvor.bench.safety.in_run import judge_safety
from helvor.bench.safety.rules import judge_plan_safety

CRAFT = Craft(key="safety", title="Safety", rules=(judge_safety,), plan_rules=(judge_plan_safety,))
