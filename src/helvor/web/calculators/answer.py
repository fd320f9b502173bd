"""What a sum asks and what comes out of it, whatever it is about."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any, TypeVar

from markupsafe import Markup
from pydantic import BaseModel

from helvor.core.quantities.reading import Unreadable
from helvor.core.quantities.units import in_unit
from helvor.core.quantities.working import WorkingLine
from helvor.core.record.house_rules import HouseRules
from helvor.shelf import shelf
from helvor.shelf.shelf import Item
from helvor.web.forms import FieldErrors, Form
from helvor.web.house_words import as_typed_here


@dataclass(frozen=True, slots=True)
class House:
    """What a sum may look at besides its form: the shelf and the house rules of the institution."""

    shelf: Sequence[Item]
    rules: HouseRules


@dataclass(frozen=True, slots=True)
class Asked:
    """A field of a sum: ``options`` make it a choice, ``lines`` a text of several lines, ``slides`` a slider.

    ``when`` names another field and what it must say for this one to be asked.
    """

    name: str
    label: str
    hint: str = ""
    unit: str = ""
    usual: str = ""
    options: tuple[tuple[str, str], ...] = ()
    lines: int = 0
    wide: bool = False
    slides: tuple[float, float] | None = None
    when: tuple[str, str] | None = None


@dataclass(frozen=True, slots=True)
class Large:
    """A large number: what it is, value, unit, and a word more."""

    label: str
    value: str
    unit: str
    more: str = ""


@dataclass(slots=True)
class Answer:
    """What comes out: large numbers, a sentence, a table, what to do, remarks, the working, a drawing, and a procedure
    (JSON) that it can be kept as."""

    says: str = ""
    large: list[Large] = field(default_factory=list)
    head: tuple[str, ...] = ()
    rows: list[tuple[str, ...]] = field(default_factory=list)
    steps: list[str] = field(default_factory=list)
    remarks: list[tuple[str, str]] = field(default_factory=list)
    working: list[WorkingLine] = field(default_factory=list)
    drawing: Markup = field(default_factory=Markup)
    links: list[tuple[str, str]] = field(default_factory=list)
    keep: str = ""


@dataclass(frozen=True, slots=True)
class Calculator:
    """One sum: its key, title, a line on what it answers, its fields, and the reader of its answer."""

    key: str
    title: str
    about: str
    asks: tuple[Asked, ...]
    answer: Callable[[Form, House], Answer]

    def work_out(self, typed: Mapping[str, list[str]], house: House) -> Answer:
        """The answer to what was typed; a number with a unit of its own counts in the unit of its field.

        Raises:
            FieldErrors: with a sentence for each field; Unreadable for the whole.
        """
        values, errors = dict(typed), dict[str, str]()
        for one in self.asks:
            if not one.unit or one.options or one.name not in values:
                continue
            try:
                values[one.name] = [in_unit(as_typed_here(text), one.unit) for text in values[one.name]]
            except Unreadable as unreadable:
                errors[one.name] = str(unreadable)
        if errors:
            raise FieldErrors(errors)
        return self.answer(Form(values), house)


def formula_of(name: str, house: House) -> str:
    """The formula of a name on the shelf; what was typed where it is not a name there."""
    return shelf.formula_of(house.shelf, name)


def number_of(form: Form, name: str, what: str, usual: float | None = None) -> float:
    """A number that is needed; its trouble stands at its field."""
    value = form.number(name)
    if value is None:
        if usual is None:
            form.errors.setdefault(name, f"{what}: enter a value.")
            return 0.0
        return usual
    return value


_Model = TypeVar("_Model", bound=BaseModel)


def asked(model: type[_Model], **values: Any) -> _Model:
    """What a calculator of the core is asked with, as a form says it.

    Its limits, which are those of the JSON interface, are not held against a form: the laws refuse what cannot be, in
    sentences that say what to enter. Fields that a form does not ask for have their usual values.
    """
    return model.model_construct(**values)
