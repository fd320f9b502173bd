"""A start: what one is about to do, the few things that it asks, and the procedure that follows."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass
from typing import Any, get_args

from helvor.core.record.parameters import Asked, Parameters
from helvor.core.record.procedure import Procedure
from helvor.core.record.step_kinds import StepKind
from helvor.core.starts.making import Known


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


CHOICES = {
    "vacuum": "vacuum, paper",
    "gravity": "gravity, paper cone",
    "crucible": "filter crucible",
    "no": "no",
    "yes": "yes",
}
"""Words for what a field may be."""


@dataclass(frozen=True, slots=True)
class Field:
    """A field of a start's form: its name, how it is asked, what it may be, and what stands in it at first."""

    name: str
    asked: Asked
    choices: tuple[str, ...]
    needed: bool
    first: str


def fields_of(start: Start) -> list[Field]:
    """The fields of a start, in their order."""
    found = []
    asked = start.asks.asked()
    for name, about in start.asks.model_fields.items():
        choices = tuple(one for one in get_args(about.annotation) if isinstance(one, str))
        default = "" if about.is_required() or about.default is None else str(about.default)
        default = f"{about.default:g}" if isinstance(about.default, float) else default
        found.append(Field(name, asked[name], choices, about.is_required(), default))
    return found
