"""A start: what one is about to do, the few things that it asks, and the procedure that follows."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass
from typing import Annotated, Any, Literal, get_args

from pydantic import AfterValidator, Field, StringConstraints

from helvor.core.quantities.reading import Reading
from helvor.core.quantities.words import printable
from helvor.core.record.known import Known
from helvor.core.record.parameters import Asked, Parameters
from helvor.core.record.procedure import Formula, Procedure
from helvor.core.record.step_kinds import StepKind


@dataclass(frozen=True, slots=True)
class Start:
    """What one may be about to do.

    Attributes:
        key: in its address; title: what one does; about: when, in a line; icon: a kind of step.
        asks: the model of what it asks; makes: the procedure from it.
    """

    key: str
    title: str
    about: str
    icon: str
    asks: type[Parameters]
    makes: Callable[[Any, Mapping[str, StepKind], Known], Procedure]


CalledIt = Annotated[
    str,
    StringConstraints(strip_whitespace=True, min_length=1, max_length=32, pattern=r"^[^{}]*$"),
    AfterValidator(printable),
]
"""A name in a start's answers: braces stand for amounts in an instruction."""
FormulaOf = Annotated[Formula, Field(min_length=1)]
Celsius = Annotated[float, Field(ge=20, le=300, allow_inf_nan=False)]
Times = Annotated[int, Field(ge=1, le=10)]

CHOICES = {
    "vacuum": "vacuum, paper",
    "gravity": "gravity, paper cone",
    "crucible": "filter crucible",
    "no": "no",
    "yes": "yes",
}
"""Words for what a field may be."""


Sort = Literal["mass", "volume", "number", "whole", "words"]
"""How a field is read."""


@dataclass(frozen=True, slots=True)
class AskedField:
    """A field of a start's form: its name, how it is asked and read, what it may be, and what stands in it at first."""

    name: str
    asked: Asked
    sort: Sort
    choices: tuple[str, ...]
    needed: bool
    first: str


def fields_of(start: Start) -> list[AskedField]:
    """The fields of a start, in their order."""
    found = []
    asked = start.asks.asked()
    for name, about in start.asks.model_fields.items():
        choices = tuple(one for one in get_args(about.annotation) if isinstance(one, str))
        first = "" if about.is_required() or about.default is None else str(about.default)
        first = f"{about.default:g}" if isinstance(about.default, float) else first
        found.append(
            AskedField(name, asked[name], _sort_of(about.annotation, asked[name]), choices, about.is_required(), first)
        )
    return found


def _sort_of(annotation: Any, asked: Asked) -> Sort:
    """How a field of a type is read: a reading by its unit, a number, a whole number, words."""
    types = {annotation, *get_args(annotation)}
    types |= {one for part in types for one in get_args(part)}
    if Reading in types:
        return "mass" if asked.unit == "g" else "volume"
    if float in types:
        return "number"
    return "whole" if int in types else "words"
