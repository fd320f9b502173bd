"""What the shelf knows of a substance, laid under what is said of it."""

from __future__ import annotations

from collections.abc import Callable

from helvor.core.record.procedure import Substance

Known = Callable[[str], Substance | None]
"""What the shelf knows of a substance under a name; None for nothing."""

FROM_THE_SHELF = ("formula", "molar", "density", "melts", "boils", "layer", "flammable", "hazards", "waste")
"""Fields of a substance that do not depend on how it is used."""


def with_what_is_known(said: Substance, known: Substance | None) -> Substance:
    """A substance with what the shelf knows of it; its name, amount and role stay."""
    if known is None:
        return said
    return said.model_copy(update={field: getattr(known, field) for field in FROM_THE_SHELF})
