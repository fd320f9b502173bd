"""Forms → entries. What cannot be read is said at its field, and what was typed stays."""

from __future__ import annotations

from collections.abc import Mapping
from uuid import UUID, uuid5

from pydantic import ValidationError

from helvor.bench.entry import Payload, Problem
from helvor.bench.planar import plate as planar
from helvor.bench.planar.eluent import parse_eluent
from helvor.bench.planar.plate import MAX_LANES, Plate
from helvor.bench.planar.reading_line import lanes_from
from helvor.bench.quantity import Reading, Unreadable, parse
from helvor.notebook.pages import Draft
from helvor.web.errors import sentence_of


class FieldErrors(Exception):
    """One sentence for each field that cannot be taken; nothing is written."""

    def __init__(self, errors: dict[str, str]) -> None:
        super().__init__("; ".join(errors.values()))
        self.errors = errors


class Form:
    """A submitted form, read field by field; troubles are gathered and raised together."""

    def __init__(self, fields: Mapping[str, list[str]]) -> None:
        self.fields = fields
        self.errors: dict[str, str] = {}

    def text(self, name: str) -> str:
        return self.fields.get(name, [""])[0].strip()

    def all(self, name: str) -> list[str]:
        return self.fields.get(name, [])

    def length(self, name: str, *, required: bool = False) -> Reading | None:
        """A length; the field shows mm beside it."""
        text = self.text(name)
        if not text:
            if required:
                self.errors[name] = "This is needed: a length in mm."
            return None
        try:
            return parse(text, "length", field_unit="mm")
        except Unreadable as unreadable:
            self.errors[name] = str(unreadable)
            return None

    def whole(self, name: str) -> int | None:
        text = self.text(name)
        if not text:
            return None
        if not (text.isascii() and text.isdigit() and len(text) < 4):
            self.errors[name] = "This is a whole number, such as 3."
            return None
        return int(text)

    def id(self, name: str) -> UUID | None:
        text = self.text(name)
        if not text:
            return None
        try:
            return UUID(text)
        except ValueError:
            self.errors[name] = "Choose one from the list."
            return None

    def yes_no(self, name: str) -> bool | None:
        return {"yes": True, "no": False}.get(self.text(name))

    def build(self, model: type[Payload], **values: object) -> Payload:
        """The entry, or every trouble with it.

        Raises:
            FieldErrors: a field could not be read, or the values do not go together.
        """
        if not self.errors:
            try:
                return model(**values)
            except ValidationError as invalid:
                for error in invalid.errors():
                    field, sentence = _placed(error["loc"], sentence_of(error["msg"]))
                    self.errors.setdefault(field, sentence)
        raise FieldErrors(self.errors)

    def check(self) -> None:
        """Raise what has gathered, if anything has."""
        if self.errors:
            raise FieldErrors(self.errors)


def _placed(loc: tuple[int | str, ...], message: str) -> tuple[str, str]:
    """The field a validation message belongs to: its place, or the name before its colon."""
    named, colon, rest = message.partition(": ")
    if colon and named.isidentifier():
        return named, rest
    return str(loc[0]) if loc else "", message


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
    strikes = form.id("strikes")
    reason = form.text("other_reason") or form.text("reason")
    if strikes is not None and len(reason) < 2:
        form.errors["reason"] = "Say in a word why: misread, typed wrong, measured again."
    if len(reason) > 200 or not reason.isprintable():
        form.errors["reason"] = "A reason is one short line."
    payload = reader(form, plate)
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
    return form.build(planar.EluentUsed, eluent=eluent)


def _chamber(form: Form, plate: Plate | None = None) -> Payload:
    return form.build(planar.Chamber, level=form.length("level"), lined=form.yes_no("lined"), lid=form.yes_no("lid"))


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
    return form.build(
        planar.Spot,
        lane=lane,
        distance=form.length("distance", required=True),
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


def _struck(form: Form, plate: Plate) -> Payload:
    return planar.Struck()


def _acknowledged(form: Form, plate: Plate) -> Payload:
    return form.build(
        planar.Acknowledged,
        code=form.text("code"),
        about=form.text("about"),
        what=form.text("what"),
        why=form.text("why"),
    )


_READERS = {
    "set-up": _set_up,
    "eluent": _eluent,
    "chamber": _chamber,
    "lane": _lane,
    "front": _front,
    "spot": _spot,
    "compared-to": _compared_to,
    "struck": _struck,
    "acknowledged": _acknowledged,
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


def values_of(payload: Payload) -> dict[str, list[str]]:
    """A standing entry as the fields of its form."""
    values: dict[str, list[str]] = {}
    for name in type(payload).model_fields:
        value = getattr(payload, name)
        if isinstance(value, bool):
            values[name] = ["yes" if value else "no"] if name in ("lined", "lid") else ["yes"] * value
        elif isinstance(value, Reading):
            values[name] = [value.number]
        elif isinstance(value, tuple):
            values[name] = [str(item) for item in value]
        elif isinstance(value, planar.Eluent):
            values[name] = [value.written]
        elif value is not None:
            values[name] = [str(value)]
    return values
