"""The solvents on the shelf."""

from __future__ import annotations

import csv
from dataclasses import dataclass
from functools import cache
from importlib.resources import files


@dataclass(frozen=True, slots=True)
class Solvent:
    """A solvent; ``eluotropic_rank`` is its place on silica, weakest first, and only the order counts."""

    name: str
    also: tuple[str, ...]
    eluotropic_rank: int
    source: str


@cache
def solvents() -> tuple[Solvent, ...]:
    """Every solvent on the shelf."""
    with (files(__package__) / "solvents.csv").open(encoding="utf-8", newline="") as table:
        return tuple(
            Solvent(
                name=row["name"],
                also=tuple(name for name in row["also"].split(";") if name),
                eluotropic_rank=int(row["eluotropic_rank"]),
                source=row["source"],
            )
            for row in csv.DictReader(table)
        )


@cache
def eluotropic_rank() -> dict[str, int]:
    """Every name of every solvent, in lower case → its place in the eluotropic series."""
    return {
        name.casefold(): solvent.eluotropic_rank for solvent in solvents() for name in (solvent.name, *solvent.also)
    }
