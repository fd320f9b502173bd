"""Forms of a filtration → entries."""

from __future__ import annotations

from uuid import UUID

from helvor.core.engine.run.record import Run
from helvor.core.hazards.care import named
from helvor.core.record.entry import Payload
from helvor.core.techniques.filtration.entries import Drying, Emptied, Filtrate, Poured, Washed
from helvor.web.forms import Form
from helvor.web.run.forms import labels_of


def poured(form: Form, run: Run, strikes: UUID | None) -> Payload:
    return form.build(
        Poured,
        step=form.text("step"),
        volume=form.volume("poured", required=True),
        what=form.text("what") or "mixture",
    )


def emptied(form: Form, run: Run, strikes: UUID | None) -> Payload:
    return form.build(Emptied, step=form.text("step"))


def washed(form: Form, run: Run, strikes: UUID | None) -> Payload:
    substance = run.procedure.substance(form.text("liquid"))
    if not form.text("liquid"):
        form.errors["liquid"] = "Enter the wash liquid."
    return form.build(
        Washed,
        step=form.text("step"),
        liquid=substance.name if substance else form.text("liquid"),
        volume=form.volume("wash", required=True),
        times=form.whole("times") or 1,
        cold=form.text("cold") or "room",
        behind=form.volume("behind"),
        dissolves=form.number("dissolves"),
        flammable=is_flammable(form.text("liquid")),
    )


def filtrate(form: Form, run: Run, strikes: UUID | None) -> Payload:
    looks = form.text("looks")
    return form.build(
        Filtrate, step=form.text("step"), clear=looks == "clear", then="" if looks in ("clear", "cloudy") else looks
    )


def drying(form: Form, run: Run, strikes: UUID | None) -> Payload:
    return form.build(
        Drying,
        step=form.text("step"),
        portion=form.text("portion"),
        place=form.text("place") or "oven",
        celsius=form.number("celsius"),
        labels=labels_of(form.text("labels")),
    )


TITLES = {
    "poured": "Poured",
    "emptied": "Receiver emptied",
    "washed": "Washed",
    "filtrate": "Filtrate",
    "drying": "Drying",
}


def values_of(payload: Payload) -> dict[str, list[str]]:
    """A standing entry as the fields of its form, where these differ from the entry's own."""
    match payload:
        case Poured() as p:
            return {"poured": [p.volume.number], "what": [p.what]}
        case Washed() as w:
            return {"wash": [w.volume.number], "behind": [w.behind.number] if w.behind else []}
        case Filtrate() as f:
            return {"looks": ["clear" if f.clear else f.then or "cloudy"]}
        case Drying() as d:
            celsius = [f"{d.celsius:g}"] if d.celsius is not None else []
            return {"labels": [" + ".join(d.labels)], "celsius": celsius}
    return {}


def is_flammable(liquid: str) -> bool:
    """Whether a liquid burns, by any of its names."""
    return any(care.burns for care in named(liquid))


READERS = {"poured": poured, "emptied": emptied, "washed": washed, "filtrate": filtrate, "drying": drying}
