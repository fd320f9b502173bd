"""Liquids that are taken under a name that the run does not know yet: the shelf says what they are."""

from __future__ import annotations

from collections.abc import Sequence
from uuid import uuid5

from helvor.core.engine.run import entries as e
from helvor.core.engine.run.record import Run
from helvor.notebook.pages import Draft
from helvor.shelf.liquids import as_liquid
from helvor.shelf.shelf import shipped


def with_their_substances(run: Run, drafts: Sequence[Draft]) -> list[Draft]:
    """The drafts, each taking of a liquid that is new to the run after what the shelf knows of it."""
    found: list[Draft] = []
    for draft in drafts:
        said = draft.payload
        if isinstance(said, e.Taken) and draft.strikes is None and run.procedure.substance(said.substance) is None:
            liquid = as_liquid(said.substance, shipped())
            if liquid is not None:
                found.append(Draft(uuid5(draft.id, "substance"), e.SubstanceAdded(substance=liquid), at=draft.at))
        found.append(draft)
    return found
