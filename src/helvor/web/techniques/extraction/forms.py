"""Forms of an extraction → entries."""

from __future__ import annotations

from uuid import UUID

from helvor.core.engine.run.record import Run
from helvor.core.record.entry import Payload
from helvor.core.techniques.extraction.entries import AgentAdded, Boiling, Drained, Emulsion, LayerGone, PhRead, Vented
from helvor.web.forms import Form

TITLES = {
    "vented": "Vented",
    "emulsion": "Emulsion",
    "drained": "Layer drained",
    "ph-read": "pH",
    "agent-added": "Drying agent",
    "boiling": "Boiling",
    "layer-gone": "Layer discarded",
}


def vented(form: Form, run: Run, strikes: UUID | None) -> Payload:
    return form.build(Vented, step=form.text("step"), swirls=form.whole("swirls") or 1)


def emulsion(form: Form, run: Run, strikes: UUID | None) -> Payload:
    return form.build(
        Emulsion,
        step=form.text("step"),
        thick=form.length("thick"),
        tried=tuple(form.all("tried")),
        gone=form.text("gone") == "yes",
        words=form.text("words"),
    )


def drained(form: Form, run: Run, strikes: UUID | None) -> Payload:
    if not form.text("portion"):
        form.errors["portion"] = "Enter a name for the layer."
    return form.build(
        Drained,
        step=form.text("step"),
        place=form.text("place") or "lower",
        portion=form.text("portion"),
        vessel=form.text("vessel"),
        volume=form.volume("out"),
    )


def ph_read(form: Form, run: Run, strikes: UUID | None) -> Payload:
    seen = form.text("seen")
    paper, _, colour = seen.partition(": ") if ": " in seen else (form.text("paper"), "", form.text("colour"))
    return form.build(
        PhRead,
        step=form.text("step"),
        portion=form.text("portion"),
        ph=form.number("ph"),
        paper=paper if colour else "",
        colour=colour,
    )


def agent_added(form: Form, run: Run, strikes: UUID | None) -> Payload:
    return form.build(
        AgentAdded,
        step=form.text("step"),
        agent=form.text("agent"),
        mass=form.mass("mass"),
        flows=form.text("flows") == "yes",
    )


def boiling(form: Form, run: Run, strikes: UUID | None) -> Payload:
    return form.build(Boiling, step=form.text("step"), boils=form.text("boils") == "yes")


def layer_gone(form: Form, run: Run, strikes: UUID | None) -> Payload:
    if not form.text("portion"):
        form.errors["portion"] = "Enter which layer was discarded."
    return form.build(LayerGone, step=form.text("step"), portion=form.text("portion"), why=form.text("why"))


def values_of(payload: Payload) -> dict[str, list[str]]:
    """A standing entry as the fields of its form, where these differ from the entry's own."""
    match payload:
        case Vented(swirls=swirls):
            return {"swirls": [str(swirls)]}
        case Emulsion() as seen:
            return {
                "thick": [seen.thick.number] if seen.thick else [],
                "tried": list(seen.tried),
                "gone": ["yes" if seen.gone else "no"],
            }
        case Drained() as out:
            return {"out": [out.volume.number] if out.volume else []}
        case PhRead() as read:
            ph = [f"{read.ph:g}"] if read.ph is not None else []
            seen_as = [f"{read.paper or 'universal'}: {read.colour}"] if read.colour else [""]
            return {"ph": ph, "seen": seen_as}
        case AgentAdded() as added:
            return {"mass": [added.mass.number] if added.mass else [], "flows": ["yes" if added.flows else "no"]}
        case Boiling(boils=boils):
            return {"boils": ["yes" if boils else "no"]}
    return {}


READERS = {
    "vented": vented,
    "emulsion": emulsion,
    "drained": drained,
    "ph-read": ph_read,
    "agent-added": agent_added,
    "boiling": boiling,
    "layer-gone": layer_gone,
}
