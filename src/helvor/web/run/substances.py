"""What is taken under a name that the run does not know yet: the shelf says what it is."""

from __future__ import annotations

from collections.abc import Sequence
from uuid import uuid5

from helvor.core.engine.run import entries as e
from helvor.core.engine.run.record import Run
from helvor.notebook.pages import Draft
from helvor.shelf.liquids import as_known
from helvor.shelf.shelf import shipped


def with_their_substances(run: Run, drafts: Sequence[Draft]) -> list[Draft]:
    """The drafts, each taking of what is new to the run after what the shelf knows of it."""
    found: list[Draft] = []
    for draft in drafts:
        said = draft.payload
        if isinstance(said, e.Taken) and draft.strikes is None and run.procedure.substance(said.substance) is None:
            known = as_known(said.substance, shipped())
            if known is not None:
                found.append(Draft(uuid5(draft.id, "substance"), e.SubstanceAdded(substance=known), at=draft.at))
        found.append(draft)
    return found
