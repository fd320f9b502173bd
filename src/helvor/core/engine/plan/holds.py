"""What a portion should hold, by what is said of it or by the only thing that it can.

Holds 1. What is said of a portion goes first: its component.
Holds 2. Else it is the only solid that went in on its way, where nothing reacts on it.
"""

from __future__ import annotations

from helvor.core.record.procedure import Procedure, Substance, same

REACTS = ("react", "precipitate", "set ph", "reflux", "quench")
"""Kinds of step after which what was taken may be something else."""


def solids_in(procedure: Procedure, portion: str) -> list[Substance]:
    """The solids that a portion should hold; empty where nothing says it, or where it can be one of several.

    A portion that no step is known to give may hold whatever the procedure takes.
    """
    taken = [s for s in procedure.substances if s.role in ("sample", "reagent")]
    said = procedure.portion(portion)
    if said.component:
        return [s for s in taken if same(s.component, said.component)]
    if procedure.equation.strip() or said.formula or not portion:
        return []
    way = procedure.made_by(portion)
    if any(step.kind in REACTS for step in way):
        return []
    added = {name.casefold() for step in procedure.steps for name in step.adds}
    on_its_way = {name.casefold() for step in way for name in step.adds}
    there = [s for s in taken if s.name.casefold() in on_its_way or s.name.casefold() not in added]
    solids = [s for s in there if _is_solid(s)]
    return solids if len(solids) == 1 else []


def _is_solid(substance: Substance) -> bool:
    """Weighed out, or of no planned amount and with nothing said of it as a liquid."""
    if substance.amount is not None:
        return substance.amount.unit == "g"
    return not substance.layer and substance.density is None and substance.molar is None


def melting(procedure: Procedure, portion: str) -> list[tuple[str, float]]:
    """Name and melting point, °C, of what a portion should hold, where the procedure knows it."""
    return [(s.name, s.melts) for s in solids_in(procedure, portion) if s.melts is not None]
