"""Forms, field by field. What cannot be read is said at its field, and what was typed stays."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Annotated, TypeVar
from uuid import UUID

from fastapi import Depends, Request
from pydantic import BaseModel, ValidationError
from starlette.datastructures import FormData

from helvor.core.quantities.reading import Kind, Reading, Unreadable, parse, parse_amount, parse_number
from helvor.core.record.entry import Acknowledged, Payload, Struck
from helvor.web.errors import sentence_of
from helvor.web.house_words import as_typed_here

_Model = TypeVar("_Model", bound=BaseModel)


_PROSE = frozenset(
    {
        "aim",
        "component",
        "done",
        "hazards",
        "label",
        "name",
        "other_reason",
        "reason",
        "says",
        "seen",
        "substance",
        "title",
        "topic",
        "what",
        "who",
        "why",
        "words",
    }
)
"""Fields of words: a comma in them is a comma."""


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
        """What a field says; a number in it with a decimal point, whatever the house types."""
        text = self.fields.get(name, [""])[0].strip()
        return text if name in _PROSE else as_typed_here(text)

    def words(self, name: str) -> str:
        """What a field of words says, as typed: a comma in a name is no decimal sign."""
        return self.fields.get(name, [""])[0].strip()

    def all(self, name: str) -> list[str]:
        return self.fields.get(name, [])

    def length(self, name: str, *, required: bool = False) -> Reading | None:
        """A length; the field shows mm beside it."""
        return self._quantity(name, "length", "mm", required=required)

    def mass(self, name: str, *, required: bool = False) -> Reading | None:
        """A mass; the field shows g beside it."""
        return self._quantity(name, "mass", "g", required=required)

    def volume(self, name: str, *, required: bool = False) -> Reading | None:
        """A volume; the field shows mL beside it."""
        return self._quantity(name, "volume", "mL", required=required)

    def amount(self, name: str, *, required: bool = False) -> Reading | None:
        """A mass or a volume, with its unit."""
        text = self.text(name)
        if not text:
            if required:
                self.errors[name] = "Enter an amount with its unit, such as 2.05 g."
            return None
        try:
            return parse_amount(text)
        except Unreadable as unreadable:
            self.errors[name] = str(unreadable)
            return None

    def number(self, name: str) -> float | None:
        """A plain number; below zero too, for temperatures."""
        text = self.text(name).replace("−", "-")
        if not text:
            return None
        try:
            value = parse_number(text.removeprefix("-"))[0]
        except Unreadable as unreadable:
            self.errors[name] = str(unreadable)
            return None
        return -value if text.startswith("-") else value

    def _quantity(self, name: str, kind: Kind, unit: str, *, required: bool) -> Reading | None:
        text = self.text(name)
        if not text:
            if required:
                self.errors[name] = f"Enter a {kind} in {unit}."
            return None
        try:
            return parse(text, kind, field_unit=unit)
        except Unreadable as unreadable:
            self.errors[name] = str(unreadable)
            return None

    def whole(self, name: str) -> int | None:
        text = self.text(name)
        if not text:
            return None
        if not (text.isascii() and text.isdecimal() and len(text) < 4):
            self.errors[name] = "Enter a whole number, such as 3."
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

    def correction(self) -> tuple[UUID | None, str]:
        """What the form strikes through, and why; a missing reason is said at its field."""
        strikes = self.id("strikes")
        reason = self.text("other_reason") or self.text("reason")
        if strikes is not None and len(reason) < 2:
            self.errors["reason"] = "Give a short reason: misread, typed wrong, measured again."
        if len(reason) > 200 or not reason.isprintable():
            self.errors["reason"] = "Enter a reason of one short line."
        return strikes, reason

    def build(self, model: type[Payload], **values: object) -> Payload:
        """The entry, or every trouble with it; see :meth:`build_part`."""
        return self.build_part(model, **values)

    def build_part(self, model: type[_Model], **values: object) -> _Model:
        """An instance of a model, or every trouble with it.

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


def struck(form: Form) -> Payload:
    """Takes an entry back."""
    return Struck()


def acknowledged(form: Form) -> Payload:
    """Goes on with a stop."""
    return form.build(
        Acknowledged, code=form.text("code"), about=form.text("about"), what=form.text("what"), why=form.text("why")
    )


def values_of(payload: BaseModel) -> dict[str, list[str]]:
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
        elif hasattr(value, "written"):
            values[name] = [value.written]
        elif isinstance(value, float):
            values[name] = [f"{value:g}"]
        elif value is not None and not isinstance(value, BaseModel):
            values[name] = [str(value)]
    return values


async def submitted(request: Request) -> dict[str, list[str]]:
    """The form's text fields, already parsed by the check for forged requests."""
    data = await request.form()
    fields = fields_of(data)
    for _, value in data.multi_items():
        if not isinstance(value, str):
            await value.close()  # a file where only words are read
    return fields


def fields_of(data: FormData) -> dict[str, list[str]]:
    """Every text field with all its values; a file where words belong is no field at all."""
    found = {name: [value for value in data.getlist(name) if isinstance(value, str)] for name in data}
    return {name: values for name, values in found.items() if values}


SubmittedDep = Annotated[dict[str, list[str]], Depends(submitted)]
