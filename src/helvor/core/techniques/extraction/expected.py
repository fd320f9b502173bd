"""Which component each portion of an extraction should hold, by the law of its layers: nobody wires it by hand."""

from __future__ import annotations

from collections.abc import Mapping

from helvor.core.engine.run.ledger import build_ledger
from helvor.core.engine.run.record import Run
from helvor.core.record.house_rules import HouseRules
from helvor.core.record.procedure import Procedure
from helvor.core.record.step_kinds import StepKind
from helvor.core.techniques.extraction.flow import PARTING, follow

MOSTLY = 0.9
"""Part of what a portion holds from which it counts as that component."""


def expected_components(procedure: Procedure, kinds: Mapping[str, StepKind]) -> dict[str, str]:
    """The component that each portion should hold nine tenths of or more, in mol; portion in lower case → component.

    Nothing is said where no step parts layers: what goes where is another technique's law then.
    """
    if not any(step.kind in PARTING for step in procedure.steps):
        return {}
    rules = HouseRules(procedure.house_rules)
    run = Run(procedure=procedure)
    names = {component.name.casefold(): component.name for component in procedure.components}
    found = {}
    for portion, content in follow(run, build_ledger(run, rules), rules, kinds).contents.items():
        whole = sum(content.mol.values())
        most = max(content.mol, key=lambda key: content.mol[key], default="")
        if whole > 0 and content.mol[most] >= MOSTLY * whole and most in names:
            found[portion] = names[most]
    return found
