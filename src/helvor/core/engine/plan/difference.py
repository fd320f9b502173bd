"""What differs between two versions of a procedure, in the order people read it."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any, Literal

from pydantic import BaseModel

from helvor.core.record.parameters import parameters_of
from helvor.core.record.procedure import Procedure, Step, StudyQuestion


@dataclass(frozen=True, slots=True)
class Difference:
    """One thing that differs. ``before`` and ``after`` are words; empty where it was not there."""

    place: str
    what: Literal["added", "deleted", "changed", "moved"]
    before: str
    after: str


WORDS = {
    "says": "instruction",
    "hands": "minutes hands-on",
    "waits": "minutes waiting",
    "celsius": "°C",
    "volume": "vessel, mL",
    "times": "times",
    "on": "works on",
    "roles": "what they are",
    "asks": "readings",
    "doer": "done by",
    "melts": "melts, °C",
    "boils": "boils, °C",
    "molar": "mol/L",
    "end": "at the end",
    "by_loss": "by difference",
    "house_rules": "house rules",
    "expects": "expected result",
}


def differences(old: Procedure, new: Procedure) -> list[Difference]:
    """Everything that differs, head first, then substances, components, portions and steps."""
    found: list[Difference] = []
    for name in ("title", "aim", "level", "period", "hazards", "equation", "house_rules", "expects", "questions"):
        found += _changed(name, getattr(old, name), getattr(new, name), "procedure")
    for field in ("substances", "components", "portions"):
        before = {part.name.casefold(): part for part in getattr(old, field)}
        after = {part.name.casefold(): part for part in getattr(new, field)}
        found += _parts(before, after)
    found += _steps(old, new)
    return found


def _parts(before: dict[str, Any], after: dict[str, Any]) -> list[Difference]:
    found: list[Difference] = []
    for key in [*before, *(k for k in after if k not in before)]:
        a, b = before.get(key), after.get(key)
        if a is None and b is not None:
            found.append(Difference(b.name, "added", "", _summary(b)))
        elif b is None and a is not None:
            found.append(Difference(a.name, "deleted", _summary(a), ""))
        elif a is not None and b is not None:
            found += _fields(a, b, b.name)
    return found


def _steps(old: Procedure, new: Procedure) -> list[Difference]:
    found: list[Difference] = []
    old_place = {step.id: i for i, step in enumerate(old.steps, 1)}
    new_place = {step.id: i for i, step in enumerate(new.steps, 1)}
    kept_old = [step.id for step in old.steps if step.id in new_place]
    kept_new = [step.id for step in new.steps if step.id in old_place]
    for step in old.steps:
        if step.id not in new_place:
            found.append(Difference(f"step {old_place[step.id]}", "deleted", step.says or step.kind, ""))
    for step in new.steps:
        place = f"step {new_place[step.id]}"
        was = old.step(step.id)
        if was is None:
            found.append(Difference(place, "added", "", step.says or step.kind))
            continue
        if kept_old.index(step.id) != kept_new.index(step.id):
            found.append(Difference(place, "moved", f"was step {old_place[step.id]}", step.says or step.kind))
        found += _fields(was, step, place)
        found += _parameters(was, step, place)
    return found


def _parameters(was: Step, step: Step, place: str) -> list[Difference]:
    """What a kind of step is told of its own, by the words of its form."""
    asked = {**parameters_of(was).asked(), **parameters_of(step).asked()}
    found = []
    for name in dict.fromkeys((*asked, *was.more, *step.more)):
        about = asked.get(name)
        word = f"{about.label[0].lower()}{about.label[1:]}{f', {about.unit}' if about.unit else ''}" if about else name
        found += _changed(word, was.more.get(name), step.more.get(name), place)
    return found


def _fields(a: BaseModel, b: BaseModel, place: str) -> list[Difference]:
    return [
        one
        for name in type(a).model_fields
        if name not in ("id", "name")
        for one in _changed(name, getattr(a, name), getattr(b, name), place)
    ]


def _changed(name: str, a: object, b: object, place: str) -> list[Difference]:
    if a == b:
        return []
    word = WORDS.get(name, name.replace("_", " "))
    return [Difference(f"{place}, {word}", "changed", _shown(a), _shown(b))]


def _shown(value: object) -> str:
    if value is None or value in ("", (), {}):
        return "nothing"
    if isinstance(value, bool):
        return "yes" if value else "no"
    if isinstance(value, tuple):
        return ", ".join(f"{one.asks} ({one.answer})" if isinstance(one, StudyQuestion) else str(one) for one in value)
    if isinstance(value, dict):
        return ", ".join(f"{key}: {school}" for key, school in sorted(value.items()))
    return str(value)


def _summary(part: BaseModel) -> str:
    fields = [getattr(part, name, None) for name in ("amount", "formula", "carrier", "component", "end")]
    return ", ".join(str(value) for value in fields if value) or "named"
