"""Forms → entries. What cannot be read is said at its field, and what was typed stays."""

from __future__ import annotations

from collections.abc import Callable
from uuid import UUID, uuid5

from pydantic import ValidationError

from helvor.core.laws.planar.eluent import parse_eluent
from helvor.core.quantities.reading import Unreadable
from helvor.core.record.entry import Payload, Problem
from helvor.core.techniques.planar import plate as planar
from helvor.core.techniques.planar.lane_line import lanes_from
from helvor.core.techniques.planar.plate import MAX_LANES, Plate
from helvor.notebook.pages import Draft
from helvor.web.errors import sentence_of
from helvor.web.forms import FieldErrors, Form, acknowledged, struck


def drafts_from(kind: str, form: Form, entry: UUID, plate: Plate) -> list[Draft]:
    """The entries that a form writes.

    Args:
        kind: ``start`` for everything about a new plate at once, else a kind of entry.
        entry: the id that the form carries, so that sending it twice writes it once.
        plate: the plate as it stands.

    Raises:
        FieldErrors: with a sentence for each field.
    """
    if kind == "start":
        return _start(form, entry)
    reader = _READERS.get(kind)
    if reader is None:
        raise FieldErrors({"": "There is no such form. Reload the page."})
    strikes, reason = form.correction()
    payload = reader(form, plate)
    if isinstance(payload, planar.Spot) and strikes is None:
        again = planar.seen_again(plate, payload)
        if again is not None:
            kept = planar.also_seen(again.spot, payload)
            return [Draft(entry, kept, again.line.head.id, "seen under another light")]
    # The form may name another lane than it was opened for; then it corrects that lane's front, or none.
    return [Draft(entry, payload, None if kind == "front" else strikes, reason)]


def _set_up(form: Form, plate: Plate | None = None) -> Payload:
    return form.build(
        planar.SetUp,
        phase=form.text("phase"),
        backing=form.text("backing"),
        indicator=bool(form.text("indicator")),
        width=form.length("width", required=True),
        height=form.length("height", required=True),
        origin=form.length("origin", required=True),
        ruler=form.text("ruler"),
        about=form.text("about"),
    )


def _eluent(form: Form, plate: Plate | None = None) -> Payload:
    try:
        eluent = parse_eluent(form.text("eluent"))
    except (Unreadable, ValidationError) as unreadable:
        said = (
            sentence_of(unreadable.errors()[0]["msg"]) if isinstance(unreadable, ValidationError) else str(unreadable)
        )
        form.errors["eluent"] = said
        raise FieldErrors(form.errors) from unreadable
    return form.build(planar.EluentUsed, eluent=eluent, age=form.number("age"))


def _chamber(form: Form, plate: Plate | None = None) -> Payload:
    return form.build(
        planar.Chamber,
        level=form.length("level"),
        lined=form.yes_no("lined"),
        lid=form.yes_no("lid"),
        held=form.text("held") or None,
        marked=form.yes_no("marked"),
        dried=form.whole("dried"),
        waited=form.whole("waited"),
    )


def _lane(form: Form, plate: Plate) -> Payload:
    role = form.text("role")
    combines = []
    for text in form.all("combines") if role == "co-spot" else []:
        try:
            combines.append(UUID(text))
        except ValueError:
            form.errors["combines"] = "Choose lanes from the list."
    return form.build(
        planar.Lane,
        at=form.length("at", required=True),
        label=form.text("label"),
        substance=form.text("substance"),
        role=role,
        combines=tuple(combines),
        applied=form.text("applied"),
        touches=form.whole("touches"),
    )


def _front(form: Form, plate: Plate) -> Payload:
    ran_off = bool(form.text("ran_off"))
    return form.build(
        planar.Front,
        lane=form.id("lane"),
        distance=None if ran_off else form.length("distance", required=True),
        ran_off=ran_off,
    )


def _spot(form: Form, plate: Plate) -> Payload:
    lane = form.id("lane")
    if lane is None:
        form.errors.setdefault("lane", "Choose the lane that the spot is in.")
    distance = form.length("distance", required=True)
    strikes = form.id("strikes")
    standing = next((on.spot for on in plate.spots if on.line.head.id == strikes), None)
    # A changed colour leaves the place as it was read; a place typed anew is a reading by hand.
    kept = standing.from_photo if standing and distance and standing.distance.value == distance.value else None
    return form.build(
        planar.Spot,
        lane=lane,
        from_photo=kept,
        distance=distance,
        tail=form.length("tail"),
        head=form.length("head"),
        width=form.length("width"),
        colour=form.text("colour"),
        swatch=form.text("swatch"),
        seen=tuple(form.all("seen")),
        strength=form.text("strength"),
    )


def _compared_to(form: Form, plate: Plate) -> Payload:
    spot = form.id("spot_key")
    if spot is None:
        form.errors["spot_key"] = "Choose the spot to compare with."
    return form.build(planar.ComparedTo, spot=spot)


def _front_seen(form: Form, plate: Plate) -> Payload:
    return form.build(planar.FrontSeen, distance=form.length("distance", required=True))


_READERS: dict[str, Callable[[Form, Plate], Payload]] = {
    "developing": lambda form, plate: planar.Developing(),
    "front-seen": _front_seen,
    "set-up": _set_up,
    "eluent": _eluent,
    "chamber": _chamber,
    "lane": _lane,
    "front": _front,
    "spot": _spot,
    "compared-to": _compared_to,
    "struck": lambda form, plate: struck(form),
    "acknowledged": lambda form, plate: acknowledged(form),
}


def _start(form: Form, entry: UUID) -> list[Draft]:
    """Set-up, lanes, eluent and chamber of a new plate, each with an id derived from the form's."""
    drafts: list[Draft] = []

    def take(part: str, read: object, *values: object) -> Payload | None:
        try:
            payload: Payload = read(form, *values)  # type: ignore[operator]  # one of the readers above
        except FieldErrors:
            return None  # gathered in form.errors, raised below with the others
        drafts.append(Draft(uuid5(entry, part), payload))
        return payload

    set_up = take("set-up", _set_up)
    if form.text("lanes") and isinstance(set_up, planar.SetUp):
        ids = [uuid5(entry, f"lane {number}") for number in range(1, MAX_LANES + 1)]
        try:
            lanes = lanes_from(form.text("lanes"), set_up.width.value, ids)
            # Co-spots after what they combine, wherever they stand on the plate.
            ordered = sorted(zip(ids, lanes, strict=False), key=lambda pair: pair[1].role == "co-spot")
            drafts += [Draft(key, lane) for key, lane in ordered]
        except (Unreadable, Problem) as trouble:
            form.errors["lanes"] = str(trouble)
    if form.text("eluent"):
        take("eluent", _eluent)
    if form.text("level") or form.text("lined") or form.text("lid"):
        take("chamber", _chamber)
    form.check()
    return drafts
