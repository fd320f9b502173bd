"""Runs as CSV and JSON. Numbers are the full ones; what is shown rounded stands beside them."""

from __future__ import annotations

import json
from collections.abc import Iterable
from typing import Any

from helvor.core.engine.run.account import ComponentAccount, Ledger, PortionMass, Yield
from helvor.core.engine.run.readings import readings
from helvor.core.engine.run.work_out import RunWorksheet
from helvor.core.quantities.measured import Measured, shown_with_u
from helvor.core.record.entry import Entry
from helvor.core.record.finding import Finding
from helvor.core.techniques.registered import TECHNIQUES
from helvor.exchange.planar import FORMAT_VERSION, entry_record
from helvor.exchange.tables import csv_text
from helvor.notebook.page_rows import Page

FORMAT = "helvor run"


PORTION_COLUMNS = (
    "portion",
    "component",
    "form",
    "mass_g",
    "mass_u_g",
    "rests_on",
    "part_of_sample",
    "part_u",
    "shown",
)
WEIGHING_COLUMNS = (
    "container",
    "portion",
    "state",
    "drying",
    "way",
    "mass_g",
    "step_g",
    "balance",
    "warm",
    "estimated",
    "by",
    "at",
)


def portion_rows(sheet: RunWorksheet) -> Iterable[tuple[object, ...]]:
    """A row for each portion: mass with its uncertainty, what it rests on, its part of the sample."""
    for portion in sheet.ledger.portions.values():
        yield (
            portion.name,
            portion.said.component,
            portion.said.formula,
            portion.mass.value if portion.mass else None,
            portion.mass.u if portion.mass else None,
            portion.basis,
            *_pair(sheet.ledger.parts.get(portion.name)),
            f"{shown_with_u(portion.mass)} g" if portion.mass else "",
        )


def weighing_rows(sheet: RunWorksheet) -> Iterable[tuple[object, ...]]:
    """A row for each weighing that stands."""
    for on in sheet.run.weighings:
        weighed = on.weighed
        yield (
            weighed.name,
            weighed.portion,
            weighed.state,
            weighed.round,
            weighed.way,
            weighed.mass.value,
            weighed.step_g,
            weighed.balance,
            "yes" if weighed.hot else "",
            "yes" if weighed.estimated else "",
            on.entry.by,
            on.entry.at.isoformat(),
        )


READING_COLUMNS = (
    "step",
    "reading",
    "of",
    "quantity",
    "value",
    "unit",
    "resolution",
    "words",
    "estimated",
    "by",
    "at",
    "typed_at",
)


def reading_rows(sheet: RunWorksheet) -> Iterable[tuple[object, ...]]:
    """A row for each figure of each reading that stands, of every technique."""
    for row in readings(sheet.run, TECHNIQUES):
        figure = row.figure
        yield (
            row.step,
            row.kind,
            figure.of,
            figure.quantity,
            figure.value,
            figure.unit,
            figure.resolution,
            figure.words,
            "yes" if row.estimated else "",
            row.by,
            row.at.isoformat(),
            row.typed.isoformat() if row.typed is not None else "",
        )


def reading_table(sheet: RunWorksheet) -> str:
    """Every reading that stands as CSV."""
    return csv_text(READING_COLUMNS, reading_rows(sheet))


def ledger_table(sheet: RunWorksheet) -> str:
    """The portions of a run as CSV."""
    return csv_text(PORTION_COLUMNS, portion_rows(sheet))


def weighing_table(sheet: RunWorksheet) -> str:
    """Every standing weighing as CSV."""
    return csv_text(WEIGHING_COLUMNS, weighing_rows(sheet))


def _pair(number: Measured | None) -> tuple[float | None, float | None]:
    return (number.value, number.u) if number is not None else (None, None)


def run_record(page: Page, entries: list[Entry], sheet: RunWorksheet) -> str:
    """A whole run as JSON: every entry in ink, and what is worked out of them."""
    return json.dumps(run_data(page, entries, sheet), ensure_ascii=False, indent=1)


def run_data(page: Page, entries: list[Entry], sheet: RunWorksheet) -> dict[str, Any]:
    """The same before it becomes text."""
    return {
        "format": FORMAT,
        "version": FORMAT_VERSION,
        "run": {
            "id": str(page.id),
            "title": page.title,
            "class": page.class_code or None,
            "bench": page.bench_number,
            "started_at": page.started_at.isoformat(),
        },
        "rules": dict(page.rules.chosen),
        "entries": [entry_record(entry) for entry in entries],
        "results": results_of(sheet),
    }


def _number(number: Measured | None) -> dict[str, float] | None:
    return {"value": number.value, "u": number.u} if number is not None else None


def results_of(sheet: RunWorksheet) -> dict[str, Any]:
    """What is worked out of a run."""
    ledger = sheet.ledger
    return {
        "reacts": ledger.reacts,
        "complete": ledger.complete,
        "sample_g": _number(ledger.sample),
        "found_g": _number(ledger.found),
        "closure": _number(ledger.closure),
        "not_accounted_for_g": _number(ledger.missing),
        "portions": [_portion(portion, ledger) for portion in ledger.portions.values()],
        "components": [_component(account) for account in ledger.components],
        "yields": [_yield(made) for made in ledger.yields],
        "steps": [
            {"number": s.number, "kind": s.step.kind, "says": s.says, "done": s.done, "skipped": s.skipped}
            for s in sheet.steps
        ],
        "findings": [_finding(finding) for finding in sheet.findings],
        "readings": [dict(zip(READING_COLUMNS, row, strict=True)) for row in reading_rows(sheet)],
        "working": [
            f"{line.what}: {line.shown}"
            for lines in (
                *(p.working for p in ledger.portions.values()),
                ledger.working,
                *(c.working for c in ledger.components),
                *(y.working for y in ledger.yields),
            )
            for line in lines
        ],
    }


def _portion(portion: PortionMass, ledger: Ledger) -> dict[str, Any]:
    return {
        "name": portion.name,
        "mass_g": _number(portion.mass),
        "rests_on": portion.basis,
        "part": _number(ledger.parts.get(portion.name)),
        "constant": portion.constancy.state if portion.constancy else None,
    }


def _component(account: ComponentAccount) -> dict[str, Any]:
    return {
        "name": account.component.name,
        "taken_mol": _number(account.taken),
        "found_mol": _number(account.found),
        "taken_g": _number(account.taken_g),
        "found_g": _number(account.found_g),
        "recovery": _number(account.recovery),
    }


def _yield(made: Yield) -> dict[str, Any]:
    return {
        "portion": made.portion,
        "formula": made.formula,
        "limiting": made.limiting,
        "possible_g": _number(made.theoretical),
        "obtained_g": _number(made.obtained),
        "yield": _number(made.percent),
    }


def _finding(finding: Finding) -> dict[str, Any]:
    return {
        "code": finding.code,
        "level": finding.level,
        "about": finding.about,
        "what": finding.what,
        "because": finding.because,
        "do": finding.do,
        "acknowledged": finding.acknowledged or None,
    }
