"""Safety as the run and the planner know it: the table of rules, and what only a record can show."""

from __future__ import annotations

from helvor.core.engine.technique import Craft
from helvor.core.techniques.safety.in_run import judge_safety
from helvor.core.techniques.safety.rules import judge_plan_safety

CRAFT = Craft(key="safety", title="Safety", rules=(judge_safety,), plan_rules=(judge_plan_safety,))
