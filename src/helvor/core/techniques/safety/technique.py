"""Safety as the run and the planner know it: the table of rules, and what only a record can show."""

from __future__ import annotations

from helvor.core.engine.technique import Technique
from helvor.core.techniques.safety.in_run import check_run_safety
from helvor.core.techniques.safety.noted import noted_dangers
from helvor.core.techniques.safety.rules import check_plan_safety

TECHNIQUE = Technique(
    key="safety", title="Safety", rules=(check_run_safety, noted_dangers), plan_rules=(check_plan_safety,)
)
