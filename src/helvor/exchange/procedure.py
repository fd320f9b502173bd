"""Procedures in open formats: JSON with its published schema, and Markdown to read."""

from __future__ import annotations

import json
from typing import Any

from helvor.core.hazards.substances import hazards_of
from helvor.core.quantities.formula import parse_equation, readable
from helvor.core.quantities.reading import Unreadable
from helvor.core.record.parameters import described, parameters_of
from helvor.core.record.procedure import Procedure, Step, instruction
from helvor.core.record.step_kinds import WASTE

SCHEMA_ID = "helvor-procedure"


def procedure_json(procedure: Procedure) -> str:
    """A procedure as JSON, without what is as it would be anyway; :func:`read_procedure` reads it back."""
    said = {"format": procedure.format} | procedure.model_dump(mode="json", exclude_defaults=True)
    return json.dumps(said, indent=2, ensure_ascii=False) + "\n"


def procedure_schema() -> dict[str, Any]:
    """The JSON Schema of the file format."""
    schema = described(Procedure.model_json_schema(mode="validation"))
    return {"$schema": "https://json-schema.org/draft/2020-12/schema", "$id": SCHEMA_ID, **schema}


def schema_text() -> str:
    """The same as text, for the file that is published."""
    return json.dumps(procedure_schema(), indent=1, ensure_ascii=False, sort_keys=True) + "\n"


def procedure_markdown(procedure: Procedure) -> str:
    """A procedure as a handout in Markdown."""
    lines = [f"# {_plain(procedure.title)}", ""]
    if procedure.aim:
        lines += [_plain(procedure.aim), ""]
    if procedure.hazards:
        lines += [f"**Care.** {_plain(procedure.hazards)}", ""]
    if procedure.equation:
        try:
            lines += [str(parse_equation(procedure.equation)), ""]
        except Unreadable:
            lines += [_plain(procedure.equation), ""]
    if procedure.substances:
        lines += ["## Per bench", "", "| substance | amount | | formula | care |", "|---|---|---|---|---|"]
        lines += [
            f"| {_cell(s.name)} | {s.amount or ''} | {'exact' if s.exact else 'about'} | "
            f"{readable(s.formula) if s.formula else ''} | {_cell(hazards_of(s))} |"
            for s in procedure.substances
        ]
        lines.append("")
    meetings = sorted({step.meeting for step in procedure.steps})
    number = 0
    for meeting in meetings:
        lines += [f"## {'Steps' if len(meetings) == 1 else f'Meeting {meeting}'}", ""]
        for step in procedure.steps:
            if step.meeting == meeting:
                number = procedure.steps.index(step) + 1
                lines += [f"{number}. {_plain(instruction(step, procedure))}{_more(step)}"]
        lines.append("")
    if procedure.questions:
        lines += ["## Questions", ""]
        lines += [f"{n}. {_plain(one.asks)}" for n, one in enumerate(procedure.questions, 1)]
    return "\n".join(lines).rstrip() + "\n"


def _more(step: Step) -> str:
    parts = []
    if step.doer != "bench":
        parts.append(f"by the {step.doer}")
    if step.asks:
        parts.append("record: " + ", ".join(step.asks))
    if step.celsius is not None:
        parts.append(f"{step.celsius:g} °C")
    parts += parameters_of(step).words()
    if step.times > 1:
        parts.append(f"{step.times} times")
    if step.waits:
        parts.append(f"about {step.waits} min")
    if step.waste:
        parts.append(f"waste: {WASTE.get(step.waste, step.waste)}")
    said = f" *({_plain('; '.join(parts))})*" if parts else ""
    return said + (f" **{_plain(step.cautions)}**" if step.cautions else "")


def _plain(text: str) -> str:
    """Text in which nothing is taken for Markdown or HTML."""
    return "".join(f"\\{c}" if c in "\\`*_[]<>#|" else c for c in text)


def _cell(text: str) -> str:
    return _plain(text).replace("\n", " ")
