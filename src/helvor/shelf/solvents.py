"""The eluotropic series, for judging plates."""

from __future__ import annotations

from functools import cache

from helvor.shelf.shelf import shipped


@cache
def eluotropic_rank() -> dict[str, int]:
    """Every name of every solvent in the series, in lower case → its place on silica, weakest first."""
    return {
        name.casefold(): int(rank)
        for item in shipped()
        if (rank := item.number("eluotropic_rank")) is not None
        for name in item.names
    }
