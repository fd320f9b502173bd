"""What the benches of the demo worked out themselves: right, rounded, and in the usual ways wrong."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from uuid import UUID, uuid5

import psycopg

from helvor.core.record.answer import read_answer
from helvor.core.review.answers import SheetSettings
from helvor.core.techniques.planar.results import PlateWorksheet, SpotResult
from helvor.notebook import answer_sheets, pages
from helvor.notebook.pages import Draft
from helvor.shelf.solvents import eluotropic_rank

ASKED = {
    "cinnamic acid": "recovery cinnamic acid",
    "benzocaine": "recovery benzocaine",
    "biphenyl": "recovery biphenyl",
    "closure": "closure",
}

# Bench → what it wrote: three recoveries and the closure, in %.
LAYERS: dict[int, Mapping[str, str]] = {
    1: {"cinnamic acid": "94.2", "benzocaine": "89.3", "biphenyl": "97.1", "closure": "93.5"},
    # The third product was forgotten in the sum.
    2: {"cinnamic acid": "93.1", "benzocaine": "87.2", "biphenyl": "96.7", "closure": "60.1"},
    # Each divided by all three together.
    3: {"cinnamic acid": "30.2", "benzocaine": "29.6", "biphenyl": "31.7", "closure": "91.4"},
    # Upside down once; and nothing to weigh of the benzocaine.
    4: {"cinnamic acid": "106.7", "biphenyl": "96.8"},
    # One decimal kept of every mass.
    5: {"cinnamic acid": "60", "benzocaine": "90", "biphenyl": "100", "closure": "78.4"},
}
TWISTED: Mapping[int, Callable[[SpotResult], float]] = {
    3: lambda spot: (spot.at + 15) / (spot.front.distance + 15) if spot.front else 0.0,
    9: lambda spot: spot.at / 105,
    10: lambda spot: spot.front.distance / spot.at if spot.front else 0.0,
}
"""Bench → how it came to its Rf of copper: from the paper's edge, the paper's top for the front, upside down."""


def load_layers(
    conn: psycopg.Connection,
    account: int,
    name: str,
    runs: Mapping[int, UUID],
) -> None:
    """Answers after the lab, on the runs of a class; its benches see whether they are right."""
    for bench, wrote in LAYERS.items():
        page = runs[bench]
        drafts = [
            Draft(uuid5(page, f"answer {what}"), read_answer(ASKED[what], written, "%"))
            for what, written in wrote.items()
        ]
        pages.append(conn, account, name, page, lambda _, drafts=drafts: drafts)  # type: ignore[misc]
    class_id = conn.execute(
        "SELECT b.class_id FROM page p JOIN bench b ON b.id = p.bench_id WHERE p.id = %s", [runs[1]]
    ).fetchone()
    assert class_id is not None
    answer_sheets.keep(conn, account, class_id[0], "Three from one", SheetSettings(shows="verdict"))


def load_strips(
    conn: psycopg.Connection,
    account: int,
    name: str,
    strips: Mapping[int, UUID],
) -> None:
    """The Rf of copper, by every bench that has a front to divide by."""
    for bench, page_id in strips.items():
        page, entries = pages.open_page(conn, account, page_id)
        sheet = page.kind.work_out(entries, page.rules, eluotropic_rank())
        assert isinstance(sheet, PlateWorksheet)
        spot = next((s for s in sheet.spots if s.lane == "Cu" and s.rf is not None), None)
        if spot is None or spot.rf is None:
            continue
        value = TWISTED[bench](spot) if bench in TWISTED else spot.rf.value
        draft = Draft(uuid5(page_id, "answer copper"), read_answer(f"rf {spot.key}", f"{value:.2f}", ""))
        pages.append(conn, account, name, page_id, lambda _, draft=draft: [draft])  # type: ignore[misc]
