"""What a plate's notes tell of: the same table of dangers and mishaps as for a run."""

from __future__ import annotations

from collections.abc import Iterator

from helvor.core.hazards.care import named
from helvor.core.record.finding import Finding
from helvor.core.techniques.planar.plate_case import Case
from helvor.core.techniques.safety.noted import finding_of, told_by


def noted_on_plate(case: Case) -> Iterator[Finding]:
    """Each danger or mishap once; a flame where the eluent burns, or none is on record."""
    plate = case.sheet.plate
    eluent = plate.eluent
    burns = eluent is None or any(care.burns for part in eluent.components for care in named(part.name))
    told: set[str] = set()
    for _, said in plate.notes:
        for row in told_by(said.words):
            if row.code not in told and (row.only != "flammable" or burns):
                told.add(row.code)
                yield finding_of(row)
