"""Which branch each step stands on, for strips that show work going on side by side."""

from __future__ import annotations

from collections.abc import Sequence

from helvor.core.engine.plan.timeline import touches
from helvor.core.record.procedure import Step


def branches(steps: Sequence[Step]) -> list[int]:
    """The branch of each step, from 0 on the left; a new portion takes the lowest one that is free.

    A step stands on the branch of the first portion that it touches, and its first portion
    goes on there; what it gives besides opens branches of its own, as long as a later step
    touches them. A step without portions, such as weighing an empty dish, stands where the
    one before stands.

    >>> step = lambda i, **more: Step(id=f"s{i}", kind="wait", **more)
    >>> branches([step(1, gives=("a", "b")), step(2, on="b"), step(3, on="a"), step(4, takes=("a", "b"))])
    [0, 1, 0, 0]
    """
    last_use = {name: i for i, step in enumerate(steps) for name in touches(step)}
    open_on: dict[str, int] = {}
    found: list[int] = []
    for i, step in enumerate(steps):
        touched = [open_on[name] for name in touches(step) if name in open_on]
        own = min(touched) if touched else _free(open_on) if step.gives else found[-1] if found else 0
        found.append(own)
        for name in [name for name in open_on if last_use.get(name, -1) <= i]:
            del open_on[name]
        for place, name in enumerate(given.casefold() for given in step.gives):
            if last_use.get(name, -1) > i:
                open_on[name] = own if place == 0 or own not in open_on.values() else _free(open_on)
    return found


def _free(open_on: dict[str, int]) -> int:
    return next(n for n in range(len(open_on) + 1) if n not in open_on.values())
