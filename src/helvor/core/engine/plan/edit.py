"""Editing a procedure. Every operation gives a new one and leaves the old as it was."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import TypeVar

from helvor.core.record.alike import plain
from helvor.core.record.entry import Problem
from helvor.core.record.outputs import first_outputs, works_on
from helvor.core.record.procedure import MAX_STEPS, Component, Portion, Procedure, Step, Substance, same
from helvor.core.record.step_kinds import StepKind

_Part = TypeVar("_Part", Substance, Component, Portion)


def new_step(
    kind: StepKind, step_id: str, before: Step | None, kinds: Mapping[str, StepKind], taken: Sequence[str]
) -> Step:
    """A step of a kind as it starts: it works on what the one before left, and gives what its kind gives.

    Args:
        kinds: every kind by key.
        taken: names of portions that are used already.
    """
    gives, roles = first_outputs(kind, taken)
    main = works_on(kind, before, kinds)
    return Step(
        id=step_id,
        kind=kind.key,
        says=kind.says,
        takes=(main,) if gives and main else (),
        gives=gives,
        roles=roles,
        on="" if gives else main,
        container=before.container if before else (),
        asks=kind.asks,
        kit=kind.kit,
        hands=kind.hands,
        waits=kind.waits,
        meeting=before.meeting if before else 1,
    )


def add_step(procedure: Procedure, kind: StepKind, at: int, kinds: Mapping[str, StepKind]) -> Procedure:
    """Put a new step of a kind at place *at*, counted from 0; it works on the portion that the one before left.

    Raises:
        Problem: there are as many steps as a procedure can have.
    """
    if len(procedure.steps) >= MAX_STEPS:
        raise Problem("steps", f"This procedure has {MAX_STEPS} steps, the limit.")
    at = max(0, min(at, len(procedure.steps)))
    before = procedure.steps[at - 1] if at else None
    step = new_step(kind, procedure.new_id(), before, kinds, procedure.portion_names)
    return _with_steps(procedure, [*procedure.steps[:at], step, *procedure.steps[at:]])


def insert_step(procedure: Procedure, step: Step, at: int) -> Procedure:
    """Put a ready step at place *at*, under an id that is free."""
    fresh = step.model_copy(update={"id": procedure.new_id()})
    return _with_steps(procedure, [*procedure.steps[:at], fresh, *procedure.steps[at:]])


def move_step(procedure: Procedure, step_id: str, to: int) -> Procedure:
    """Move a step so that it stands at place *to*, counted from 0 among all."""
    step = _known(procedure, step_id)
    rest = [other for other in procedure.steps if other.id != step_id]
    to = max(0, min(to, len(rest)))
    return _with_steps(procedure, [*rest[:to], step, *rest[to:]])


def duplicate_step(procedure: Procedure, step_id: str) -> Procedure:
    """Put a copy of a step after it."""
    at = _place(procedure, step_id)
    return insert_step(procedure, procedure.steps[at], at + 1)


def remove_step(procedure: Procedure, step_id: str) -> Procedure:
    """Take a step out."""
    _known(procedure, step_id)
    return _with_steps(procedure, [step for step in procedure.steps if step.id != step_id])


def replace_step(procedure: Procedure, step: Step) -> Procedure:
    """Put a step in the place of the one with its id."""
    _known(procedure, step.id)
    return _with_steps(procedure, [step if other.id == step.id else other for other in procedure.steps])


def as_called_here(procedure: Procedure, step: Step) -> Step:
    """A step whose portions go by the names that earlier steps give them, whatever the capitals, commas or order of
    words: *dried salicylic acid* is *salicylic acid, dry*."""
    place = next((n for n, other in enumerate(procedure.steps) if other.id == step.id), len(procedure.steps))
    given = [name for other in procedure.steps[:place] for name in other.gives]

    def called(name: str) -> str:
        if any(name == other for other in given):
            return name
        alike = list(dict.fromkeys(other for other in given if plain(other) == plain(name)))
        return alike[0] if len(alike) == 1 else name

    return step.model_copy(update={"takes": tuple(map(called, step.takes)), "on": called(step.on) if step.on else ""})


def taking_instead(step: Step, name: str, other: str) -> Step:
    """A step that works on *other* where it worked on *name*."""
    return step.model_copy(
        update={
            "takes": tuple(other if same(one, name) else one for one in step.takes),
            "on": other if step.on and same(step.on, name) else step.on,
        }
    )


def put_substance(procedure: Procedure, substance: Substance, was: str = "") -> Procedure:
    """Add a substance, or change the one called *was*; steps that add it follow a new name."""
    changed = procedure.model_copy(update={"substances": _put(procedure.substances, substance, was)})
    if was and not same(was, substance.name):
        steps = [
            step.model_copy(
                update={
                    "adds": tuple(substance.name if same(name, was) else name for name in step.adds),
                    "says": step.says.replace(f"{{{was}}}", f"{{{substance.name}}}"),
                }
            )
            for step in changed.steps
        ]
        changed = _with_steps(changed, steps)
    return changed


def put_component(procedure: Procedure, component: Component, was: str = "") -> Procedure:
    """Add a component, or change the one called *was*."""
    return procedure.model_copy(update={"components": _put(procedure.components, component, was)})


def put_portion(procedure: Procedure, portion: Portion, was: str = "") -> Procedure:
    """Say more about a portion; steps follow a new name."""
    changed = procedure.model_copy(update={"portions": _put(procedure.portions, portion, was or portion.name)})
    if was and not same(was, portion.name):

        def renamed(names: Sequence[str]) -> tuple[str, ...]:
            return tuple(portion.name if same(name, was) else name for name in names)

        steps = [
            step.model_copy(
                update={
                    "takes": renamed(step.takes),
                    "gives": renamed(step.gives),
                    "on": portion.name if step.on and same(step.on, was) else step.on,
                }
            )
            for step in changed.steps
        ]
        changed = _with_steps(changed, steps)
    return changed


def remove_part(procedure: Procedure, kind: str, name: str) -> Procedure:
    """Take a substance, a component, or what is said of a portion out.

    Raises:
        Problem: there is no such thing.
    """
    field = {"substance": "substances", "component": "components", "portion": "portions"}.get(kind)
    parts = getattr(procedure, field) if field else ()
    left = tuple(part for part in parts if not same(part.name, name))
    if field is None or len(left) == len(parts):
        raise Problem("name", f"There is no {kind} “{name[:40]}” in this procedure.")
    return procedure.model_copy(update={field: left})


def _put(parts: Sequence[_Part], part: _Part, was: str) -> tuple[_Part, ...]:
    """The parts with one added or changed.

    Raises:
        Problem: another one has that name already.
    """
    if any(same(other.name, part.name) and not same(other.name, was) for other in parts):
        raise Problem("name", f"“{part.name}” exists already: enter another name.")
    if was and any(same(other.name, was) for other in parts):
        return tuple(part if same(other.name, was) else other for other in parts)
    return tuple(parts) + (part,)  # noqa: RUF005  a starred tuple of a TypeVar confuses the type checker


def _known(procedure: Procedure, step_id: str) -> Step:
    step = procedure.step(step_id)
    if step is None:
        raise Problem("step", "That step is no longer in this procedure.")
    return step


def _place(procedure: Procedure, step_id: str) -> int:
    return procedure.steps.index(_known(procedure, step_id))


def _with_steps(procedure: Procedure, steps: Sequence[Step]) -> Procedure:
    return procedure.model_copy(update={"steps": tuple(steps)})
