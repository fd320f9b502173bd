"""The form of a step, made from its kind: what it gives by role, what it can be told."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any, Protocol

from helvor.core.record.outputs import added_layer, layers_of, roles_of
from helvor.core.record.procedure import Procedure, Step
from helvor.core.record.step_kinds import AQUEOUS, ORGANIC, StepKind
from helvor.web.forms import Form, values_of
from helvor.web.run.forms import names_of


@dataclass(frozen=True, slots=True)
class FieldShown:
    """A field: its name in the form, the words beside it."""

    name: str
    label: str
    hint: str = ""
    unit: str = ""
    wide: bool = False


def role_field(role: str) -> str:
    """The name of the field for a role.

    >>> role_field("organic layer")
    'as-organic-layer'
    """
    return f"as-{role.replace(' ', '-')}"


class OfAKind(Protocol):
    """A step in a list: with what is known of its kind."""

    @property
    def kind(self) -> StepKind | None: ...


def output_fields(row: OfAKind | None) -> list[FieldShown]:
    """A field for each role of what a step gives by its kind."""
    if row is None or row.kind is None:
        return []
    return [
        FieldShown(role_field(output.role), output.role[0].upper() + output.role[1:], "several" if output.many else "")
        for output in row.kind.outputs
    ]


def parameter_fields(row: OfAKind | None) -> list[FieldShown]:
    """A field for each parameter of a step's kind."""
    if row is None or row.kind is None:
        return []
    return [
        FieldShown(name, asked.label, asked.hint, asked.unit, asked.wide)
        for name, asked in row.kind.parameters.asked().items()
    ]


def outputs_from(form: Form, kind: StepKind) -> tuple[tuple[str, ...], tuple[str, ...]]:
    """The portions that a form names, and the role of each; those without a role come last."""
    gives: list[str] = []
    roles: list[str] = []
    for output in kind.outputs:
        names = names_of(form.text(role_field(output.role)))
        if len(names) > 1 and not output.many:
            form.errors[role_field(output.role)] = "Enter one name: this step produces one portion of this kind."
        gives += names
        roles += [output.role] * len(names)
    more = [name for name in names_of(form.text("gives")) if name not in gives]
    # Only to ask what the order says: the names are checked where the step itself is built.
    by_place = Step.model_construct(id="s1", kind=kind.key, gives=(*gives, *more))
    said = tuple(roles) if kind.layers or roles_of(by_place, kind)[: len(roles)] != tuple(roles) else ()
    return by_place.gives, said


def parameters_from(form: Form, kind: StepKind) -> dict[str, Any]:
    """What a form says of a kind's parameters, as they are kept."""
    said: dict[str, Any] = {}
    for name, asked in kind.parameters.asked().items():
        default = kind.parameters.model_fields[name].default
        if isinstance(default, tuple):
            said[name] = names_of(form.text(name))
        elif isinstance(default, str):
            said[name] = form.text(name)
        elif asked.unit in ("mm", "mL"):
            reading = form.length(name) if asked.unit == "mm" else form.volume(name)
            said[name] = reading.value if reading else None
        else:
            said[name] = form.number(name)
    return {name: value for name, value in said.items() if value not in (None, "", ())}


def values_of_step(procedure: Procedure, step: Step, kind: StepKind | None) -> dict[str, list[str]]:
    """A step as the fields of its form."""
    values = values_of(step)
    for name in ("takes", "asks", "kit"):
        values[name] = [", ".join(getattr(step, name))]
    values["container"] = [" + ".join(step.container)]
    by_role: dict[str, list[str]] = {}
    if kind is not None and kind.layers and not any(step.roles):
        added = added_layer(procedure, step) or "aqueous"
        roles = (AQUEOUS, ORGANIC) if added == "aqueous" else (ORGANIC, AQUEOUS)
        layers = layers_of(step, added)
        by_role = {role: [name] for role, name in zip(roles, layers, strict=True)}
        by_role[""] = [name for name in step.gives if name not in layers]
    else:
        for name, role in zip(step.gives, roles_of(step, kind), strict=True):
            by_role.setdefault(role, []).append(name)
    values["gives"] = [", ".join(by_role.pop("", []))]
    values |= {role_field(role): [", ".join(filter(None, names))] for role, names in by_role.items()}
    for name, value in step.more.items():
        values[name] = [_typed(value)]
    return values


def _typed(value: object) -> str:
    """A parameter as it would be typed."""
    if isinstance(value, list | tuple):
        return ", ".join(map(str, value))
    return f"{value:g}" if isinstance(value, float) else str(value)
