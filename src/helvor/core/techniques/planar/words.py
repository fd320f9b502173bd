"""Entries of a plate in bench words, for its history."""

from __future__ import annotations

from collections.abc import Sequence

from helvor.core.record.answer import Answered
from helvor.core.record.entry import Acknowledged, Entry, Payload
from helvor.core.techniques.planar import plate as planar
from helvor.core.techniques.planar.plate import LIGHTS, PHASES


def describe(payload: Payload, entries: Sequence[Entry]) -> str:
    """What an entry of a plate says, in bench words; *entries* name its lanes."""
    labels = {e.id: e.payload.label for e in entries if isinstance(e.payload, planar.Lane)}
    match payload:
        case planar.SetUp() as s:
            lamp = ", 254 nm indicator" if s.indicator else ""
            about = f"{s.about}: " if s.about else ""
            size = f"{s.width.number} × {s.height}"
            return f"{about}plate {size}, {PHASES[s.phase]} on {s.backing}{lamp}; origin at {s.origin}"
        case planar.EluentUsed(eluent=eluent) as used:
            return f"eluent {eluent}" + (f", mixed {used.age:g} h before" if used.age is not None else "")
        case planar.Chamber() as c:
            lined = {True: "lined", False: "not lined", None: "lining not noted"}[c.lined]
            lid = {True: "lid on", False: "no lid", None: "lid not noted"}[c.lid]
            waited = f", waited {c.waited} min" if c.waited is not None else ""
            more = (
                waited
                + (f", {c.held}" if c.held else "")
                + (f", spots dried {c.dried} min" if c.dried is not None else "")
            )
            marked = ", fill line marked with the strip in it" if c.marked else ""
            return f"chamber: level {c.level or 'not noted'}, {lined}, {lid}{more}{marked}"
        case planar.Lane() as lane:
            return f"lane {lane.label} at {lane.at}: {lane.substance or 'not named'} ({lane.role})"
        case planar.Front() as front:
            where = f" of lane {labels.get(front.lane, '?')}" if front.lane else ""
            read = ", from a photograph" if front.from_photo else ""
            return f"front{where} ran off the top" if front.ran_off else f"front{where} at {front.distance}{read}"
        case planar.Spot() as spot:
            ends = f", {spot.tail.number} to {spot.head.number} mm" if spot.tail and spot.head else ""
            seen = ", ".join(LIGHTS[light] for light in spot.seen)
            read = ", from a photograph" if spot.from_photo else ""
            return f"spot in lane {labels.get(spot.lane, '?')} at {spot.distance}{ends}{read}; {seen}"
        case planar.Developing():
            return "the plate went in"
        case planar.FrontSeen() as rising:
            return f"front rising, at {rising.distance}"
        case planar.Photographed() as photo:
            return f"photograph under {LIGHTS[photo.light].lower()}"
        case planar.PlateNoted() as noted:
            return f"noted: {noted.words}"
        case Answered() as answered:
            return f"answer, Rf: {answered.written}"
        case planar.ComparedTo():
            return "comparison spot chosen"
        case Acknowledged() as seen_and_on:
            return f"continued after “{seen_and_on.what}”: {seen_and_on.why}"
        case _:
            return "undone"
