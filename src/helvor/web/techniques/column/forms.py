"""Forms of a column → entries."""

from __future__ import annotations

import re
from uuid import UUID

from helvor.core.engine.run.record import Run
from helvor.core.record.entry import Payload
from helvor.core.techniques.column.entries import ColumnPacked, LevelSeen, Pooled, TubesFilled, TubesSpotted
from helvor.web.forms import Form

TITLES = {
    "column-packed": "Column",
    "tubes-filled": "Tubes",
    "tubes-spotted": "Spots seen in tubes",
    "pooled": "Pool",
    "level-seen": "Liquid above the silica",
}


def _range(form: Form) -> dict[str, int | None]:
    first = form.whole("first")
    if first is None and "first" not in form.errors:
        form.errors["first"] = "Enter the tube."
    return {"first": first, "last": form.whole("last") or first}


def column_packed(form: Form, run: Run, strikes: UUID | None) -> Payload:
    return form.build(
        ColumnPacked,
        step=form.text("step"),
        bore=form.length("bore", required=True),
        bed=form.length("bed", required=True),
    )


def tubes_filled(form: Form, run: Run, strikes: UUID | None) -> Payload:
    return form.build(
        TubesFilled,
        step=form.text("step"),
        **_range(form),
        volume=form.volume("each"),
        eluent=form.text("eluent"),
        colour=form.text("colour"),
        state=form.text("state") or "full",
    )


def tubes_spotted(form: Form, run: Run, strikes: UUID | None) -> Payload:
    strength = form.whole("strength")
    return form.build(
        TubesSpotted,
        step=form.text("step"),
        **_range(form),
        compound=form.text("compound"),
        strength=3 if strength is None else strength,
    )


def pooled(form: Form, run: Run, strikes: UUID | None) -> Payload:
    if not form.text("portion"):
        form.errors["portion"] = "Enter a name for the pool."
    without = tuple(int(number) for number in re.findall(r"\d{1,3}", form.text("without")))
    return form.build(
        Pooled,
        step=form.text("step"),
        **_range(form),
        portion=form.text("portion"),
        without=without,
        proposed=form.text("proposed") == "yes",
    )


def level_seen(form: Form, run: Run, strikes: UUID | None) -> Payload:
    return form.build(
        LevelSeen,
        step=form.text("step"),
        above=form.length("above"),
        dry=form.text("dry") == "yes",
        bubbles=form.text("bubbles") == "yes",
    )


def values_of(payload: Payload) -> dict[str, list[str]]:
    """A standing entry as the fields of its form, where these differ from the entry's own."""
    match payload:
        case TubesFilled() as filled:
            return {"each": [filled.volume.number] if filled.volume else []}
        case Pooled() as pool:
            return {"without": [", ".join(map(str, pool.without))], "proposed": ["yes" if pool.proposed else "no"]}
        case LevelSeen() as seen:
            return {"dry": ["yes" if seen.dry else "no"], "bubbles": ["yes" if seen.bubbles else "no"]}
    return {}


READERS = {
    "column-packed": column_packed,
    "tubes-filled": tubes_filled,
    "tubes-spotted": tubes_spotted,
    "pooled": pooled,
    "level-seen": level_seen,
}
