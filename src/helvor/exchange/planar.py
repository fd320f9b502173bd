"""Plates as CSV and JSON. Numbers are the full ones; what is shown rounded stands beside them."""

from __future__ import annotations

from collections.abc import Iterable
from typing import Any

from helvor.core.record.entry import Entry
from helvor.core.techniques.planar.results import PlateWorksheet, SpotResult
from helvor.core.techniques.planar.side_by_side import SideBySide
from helvor.exchange.tables import csv_text
from helvor.notebook.page_rows import Page

FORMAT = "helvor plate"
FORMAT_VERSION = 2
"""Of runs, plates and classes; see :mod:`helvor.exchange.records`."""

SPOT_COLUMNS = (
    "lane",
    "spot",
    "substance",
    "role",
    "distance_mm",
    "tail_mm",
    "head_mm",
    "width_mm",
    "front_mm",
    "rf",
    "rf_u",
    "hrf",
    "relative_rf",
    "r_m",
    "k",
    "colour",
    "seen_under",
    "strength",
    "read_from",
)
PLATE_COLUMNS = ("class", "bench", "plate", "phase", "eluent")


def spot_table(sheet: PlateWorksheet) -> str:
    """One plate's spots as CSV, lanes from the left, spots from the top down."""
    return csv_text(SPOT_COLUMNS, (spot_row(spot) for spot in sheet.spots))


def class_table(plates: Iterable[tuple[Page, PlateWorksheet]]) -> str:
    """The Rf table of a class as CSV, bench by bench."""
    return csv_text(
        (*PLATE_COLUMNS, *SPOT_COLUMNS),
        (
            (
                page.class_code,
                page.bench_number or "",
                page.number,
                sheet.plate.set_up.phase if sheet.plate.set_up else "",
                str(sheet.plate.eluent or ""),
                *spot_row(spot),
            )
            for page, sheet in plates
            for spot in sheet.spots
        ),
    )


def comparison_table(found: SideBySide) -> str:
    """Samples side by side as CSV: a row for each spot of each sample in each system."""
    return csv_text(
        ("phase", "eluent", "sample", "spot", "role", "plates", "mean_rf", "median_rf", "sd_rf", "outlying"),
        (
            (
                system.phase,
                str(system.eluent),
                series.sample,
                series.number or 1,
                "reference" if series.reference else "unknown",
                len(series.values),
                series.mean,
                series.median,
                series.spread,
                "; ".join(value.plate for value in series.outliers),
            )
            for system in found.systems
            for series in system.series
        ),
    )


def comparison(found: SideBySide) -> dict[str, Any]:
    """Plates side by side as JSON."""
    return {
        "systems": [
            {
                "phase": system.phase,
                "eluent": str(system.eluent),
                "samples": [
                    {
                        "sample": series.sample,
                        "spot": series.number or 1,
                        "reference": series.reference,
                        "mean": series.mean,
                        "median": series.median,
                        "sd": series.spread,
                        "values": [
                            {"plate": v.plate, "spot": v.spot, "rf": v.rf, "u": v.u, "outlying": v.outlying}
                            for v in series.values
                        ],
                    }
                    for series in system.series
                ],
            }
            for system in found.systems
        ],
        "unknowns": [
            {
                "unknown": one.unknown,
                "reference": one.reference,
                "agrees": list(one.agrees),
                "differs": list(one.differs),
                "plates": list(one.plates),
                "says": one.says,
            }
            for one in found.across
        ],
        "findings": [{"code": f.code, "level": f.level, "about": f.about, "what": f.what} for f in found.findings],
        "left_out": [{"plate": name, "why": why} for name, _, why in found.left_out],
    }


def spot_row(result: SpotResult) -> tuple[object, ...]:
    spot, lane = result.on.spot, result.on.on.lane
    return (
        result.lane,
        result.name,
        lane.substance,
        lane.role,
        spot.distance.value,
        spot.tail.value if spot.tail else None,
        spot.head.value if spot.head else None,
        spot.width.value if spot.width else None,
        result.front.distance if result.front else None,
        result.rf.value if result.rf else None,
        result.rf.u if result.rf else None,
        int(result.hrf_shown) if result.rf else None,
        result.relative.value if result.relative else None,
        result.r_m.value if result.r_m else None,
        result.k.value if result.k else None,
        spot.colour,
        " ".join(spot.seen),
        spot.strength,
        "photo" if spot.from_photo else "ruler",
    )


def entry_record(entry: Entry) -> dict[str, Any]:
    """An entry as JSON, struck ones too."""
    return {
        "id": str(entry.id),
        "seq": entry.seq,
        "strikes": str(entry.strikes) if entry.strikes else None,
        "reason": entry.reason,
        "by": entry.by,
        "at": entry.at.isoformat(),
        **(
            {"typed": {"at": typed.at.isoformat() if typed.at else None, "clock_off": typed.clock_off}}
            if (typed := entry.typed) is not None
            else {}
        ),
        "says": entry.payload.model_dump(mode="json"),
    }


def plate_record(page: Page, entries: list[Entry], sheet: PlateWorksheet) -> dict[str, Any]:
    """A whole plate as JSON: every entry in ink, and what is worked out of them."""
    return {
        "format": FORMAT,
        "version": FORMAT_VERSION,
        "plate": {
            "id": str(page.id),
            "number": page.number,
            "class": page.class_code or None,
            "bench": page.bench_number,
            "started_at": page.started_at.isoformat(),
        },
        "rules": dict(page.rules.chosen),
        "entries": [entry_record(entry) for entry in entries],
        "results": [
            dict(zip(SPOT_COLUMNS, spot_row(spot), strict=True))
            | {"working": [f"{w.what}: {w.shown}" for w in spot.working()]}
            for spot in sheet.spots
        ],
        "neighbours": [
            {"upper": pair.upper, "lower": pair.lower, "apart_mm": pair.apart, "rs": pair.resolution}
            for pair in sheet.neighbours
        ],
        "findings": [
            {
                "code": f.code,
                "level": f.level,
                "about": f.about,
                "what": f.what,
                "because": f.because,
                "do": f.do,
                "acknowledged": f.acknowledged or None,
            }
            for f in sheet.findings
        ],
    }
