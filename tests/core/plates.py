"""Short ways to write a plate's entries for the tests of the heart."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import UTC, datetime
from typing import Any
from uuid import UUID, uuid5

from helvor.core.laws.planar.eluent import parse_eluent
from helvor.core.quantities.reading import Reading, parse
from helvor.core.record.entry import Entry, Payload
from helvor.core.techniques.planar import plate as planar
from helvor.core.techniques.planar.results import PlateWorksheet
from helvor.core.techniques.planar.work_out import work_out
from helvor.shelf.solvents import eluotropic_rank

NAMESPACE = UUID(int=7)


def mm(value: float | str) -> Reading:
    return parse(f"{value} mm", "length")


class Writing:
    """A page being written; each call adds an entry and gives its id back."""

    def __init__(self, *, lanes: Sequence[str] = ("P", "C", "T"), **set_up: Any) -> None:
        self.entries: list[Entry] = []
        values = {"phase": "silica", "width": mm(50), "height": mm(100), "origin": mm(10), "indicator": True}
        self.set_up = self.add(planar.SetUp(**(values | set_up)))
        self.lanes = {
            label: self.add(planar.Lane(at=mm(10 * place), label=label)) for place, label in enumerate(lanes, start=1)
        }

    def add(self, payload: Payload, strikes: UUID | None = None, reason: str = "") -> UUID:
        number = len(self.entries) + 1
        key = uuid5(NAMESPACE, str(number))
        at = datetime(2026, 11, 24, 14, number % 60, tzinfo=UTC)
        self.entries.append(Entry(key, number, payload, strikes, reason, "Ines Marlow", at))
        return key

    def front(self, distance: float | str, lane: str | None = None) -> UUID:
        return self.add(planar.Front(distance=mm(distance), lane=self.lanes[lane] if lane else None))

    def spot(self, lane: str, distance: float | str, **extra: Any) -> UUID:
        lengths = {k: mm(v) if k in ("tail", "head", "width") else v for k, v in extra.items()}
        return self.add(planar.Spot(lane=self.lanes[lane], distance=mm(distance), **lengths))

    def eluent(self, text: str) -> UUID:
        return self.add(planar.EluentUsed(eluent=parse_eluent(text)))

    @property
    def sheet(self) -> PlateWorksheet:
        return work_out(self.entries, eluotropic_rank=eluotropic_rank())

    def codes(self) -> set[str]:
        return {finding.code for finding in self.sheet.findings}

    def finding(self, code: str) -> str:
        """What, why and what to do of the one finding with this code."""
        found = [f for f in self.sheet.findings if f.code == code]
        assert len(found) == 1, f"{code}: {[f.code for f in self.sheet.findings]}"
        return f"{found[0].what} {found[0].because} {found[0].do}"
