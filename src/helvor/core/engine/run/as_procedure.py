"""A run that was carried out, as a procedure to be carried out again."""

from __future__ import annotations

from helvor.core.engine.run.record import Run
from helvor.core.record.procedure import Procedure, Substance, named


def as_procedure(run: Run) -> Procedure:
    """The steps of a run in their order, without those left out, and what was taken as the new targets.

    Readings stay where they were written; a blank run gets the title *Untitled*.
    """
    steps = tuple(step for step in run.procedure.steps if step.id not in run.skipped)
    known: list[Substance] = list(run.procedure.substances)
    for on in run.taken:
        amount = on.taken.amount
        found = named(known, on.taken.substance)
        if found is None:
            known.append(Substance(name=on.taken.substance, amount=amount, exact=True))
        elif found.amount is None and amount is not None:
            known[known.index(found)] = found.model_copy(update={"amount": amount})
    title = "Untitled" if run.is_blank else run.procedure.title
    return run.procedure.model_copy(update={"title": title, "steps": steps, "substances": tuple(known)})
