"""Runs for the tests, written the way people write them: line by line."""

from __future__ import annotations

from datetime import UTC, datetime, timedelta
from uuid import UUID

from helvor.core.engine.run.entries import Following
from helvor.core.engine.run.reading_line import understand
from helvor.core.engine.run.work_out import RunWorksheet, work_out
from helvor.core.record.entry import Entry, Payload, Struck
from helvor.core.record.house_rules import HouseRules
from helvor.core.record.procedure import Procedure
from helvor.core.techniques.registered import TECHNIQUES
from helvor.shelf.procedures import shipped_procedure

NOON = datetime(2026, 3, 2, 12, 0, tzinfo=UTC)


POWDER = shipped_procedure("a-mixed-powder")
CHALK = shipped_procedure("chalk-from-two-solutions")


def page_of(*says: str | Payload, procedure: Procedure | None = None, minutes: float = 15) -> list[Entry]:
    """The entries of a page: typed lines or payloads, written *minutes* apart."""
    entries: list[Entry] = []
    first = [Following(procedure=procedure)] if procedure else []
    for one in (*first, *says):
        payload = understand(one, entries, techniques=TECHNIQUES, sure=True).payload if isinstance(one, str) else one
        at = NOON + timedelta(minutes=minutes * len(entries))
        number = len(entries) + 1
        entries.append(Entry(UUID(int=number), number, payload, None, "", "Ida", at))
    return entries


def strike(entries: list[Entry], seq: int) -> list[Entry]:
    """The page with an entry taken back."""
    number = len(entries) + 1
    at = NOON + timedelta(minutes=15 * number)
    return [*entries, Entry(UUID(int=number), number, Struck(), UUID(int=seq), "misread", "Ida", at)]


def sheet_of(
    *says: str | Payload, procedure: Procedure | None = None, rules: HouseRules | None = None, **more
) -> RunWorksheet:
    return work_out(page_of(*says, procedure=procedure, **more), rules, TECHNIQUES)


def codes(sheet: RunWorksheet) -> list[str]:
    return [finding.code for finding in sheet.findings]


LOSSLESS = (
    "dish 32.514",
    "dish powder 35.520",
    "dish residue dried 34.518",
    "dish residue dried 34.517",
    "beaker + watch glass 61.204",
    "dish beads dried 33.506",
    "dish beads dried 33.506",
    "beaker + watch glass salt dried 62.214",
    "beaker + watch glass salt dried 62.213",
)
"""A bench that did the mixed powder well: 3.006 g in, 2.994 g … of it found."""
