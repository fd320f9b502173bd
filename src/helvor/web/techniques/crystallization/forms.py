"""Forms of recrystallizing and melting → entries."""

from __future__ import annotations

from uuid import UUID

from helvor.core.engine.run.record import Run
from helvor.core.record.entry import Payload
from helvor.core.techniques.crystallization.entries import (
    Crystallized,
    MeltingSeen,
    SolventAdded,
    SolventTried,
    StandardMelted,
    TemperatureSeen,
)
from helvor.web.forms import Form

TITLES = {
    "solvent-added": "Hot solvent",
    "temperature-seen": "Temperature",
    "crystallized": "Result",
    "melting-seen": "Melting range",
    "standard-melted": "Standard",
    "solvent-tried": "Solvent test",
}


def _needed(form: Form, name: str, sentence: str) -> float | None:
    value = form.number(name)
    if value is None and name not in form.errors:
        form.errors[name] = sentence
    return value


def solvent_added(form: Form, run: Run, strikes: UUID | None) -> Payload:
    return form.build(
        SolventAdded,
        step=form.text("step"),
        volume=form.volume("volume", required=True),
        why=form.text("why") or "dissolve",
    )


def temperature_seen(form: Form, run: Run, strikes: UUID | None) -> Payload:
    return form.build(
        TemperatureSeen,
        step=form.text("step"),
        celsius=_needed(form, "celsius", "Enter the temperature."),
        seen=form.text("seen"),
    )


def crystallized(form: Form, run: Run, strikes: UUID | None) -> Payload:
    return form.build(
        Crystallized,
        step=form.text("step"),
        outcome=form.text("outcome"),
        remedy=form.text("remedy"),
    )


def melting_seen(form: Form, run: Run, strikes: UUID | None) -> Payload:
    if not form.text("portion"):
        form.errors["portion"] = "Enter what was melted."
    starts = _needed(form, "starts", "Enter the temperature of the first drop.")
    ends = form.number("ends")
    return form.build(
        MeltingSeen,
        step=form.text("step"),
        portion=form.text("portion"),
        starts=starts,
        ends=ends if ends is not None else starts,
        rate=form.number("rate"),
        way=form.text("way"),
        mixed_with=form.text("mixed_with"),
    )


def standard_melted(form: Form, run: Run, strikes: UUID | None) -> Payload:
    if not form.text("name"):
        form.errors["name"] = "Enter the standard."
    return form.build(
        StandardMelted,
        step=form.text("step"),
        name=form.text("name"),
        published=_needed(form, "published", "Enter its published melting point."),
        read=_needed(form, "read", "Enter what you read."),
    )


def solvent_tried(form: Form, run: Run, strikes: UUID | None) -> Payload:
    if not form.text("solvent"):
        form.errors["solvent"] = "Enter the solvent."
    return form.build(
        SolventTried,
        step=form.text("step"),
        solvent=form.text("solvent"),
        cold=form.text("cold"),
        hot=form.text("hot"),
        cooled=form.text("cooled"),
    )


def values_of(payload: Payload) -> dict[str, list[str]]:
    """A standing entry as the fields of its form, where these differ from the entry's own."""
    if isinstance(payload, SolventAdded):
        return {"volume": [payload.volume.number]}
    return {}


READERS = {
    "solvent-added": solvent_added,
    "temperature-seen": temperature_seen,
    "crystallized": crystallized,
    "melting-seen": melting_seen,
    "standard-melted": standard_melted,
    "solvent-tried": solvent_tried,
}
