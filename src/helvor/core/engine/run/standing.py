"""What of a run stands about: portions that are there now, in what, where, and whether they are labelled.

Standing 1. A portion is there from the step that gives it until a step takes it or it leaves the bench.
Standing 2. It is where the last step that touched it put it: on the bench where that says nothing.
            Writing a label moves nothing.
Standing 3. A label is a step of that kind on the portion, or putting it away; or a note in the
            register of containers, which the run does not know. Such a step that names no portion
            means all that are there.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field

from helvor.core.engine.plan.timeline import touches_all
from helvor.core.engine.run.record import Run
from helvor.core.record.procedure import Step, same
from helvor.core.record.step_kinds import StepKind

PLACES = {"oven": "oven", "hood": "hood", "suction": "vacuum", "hotplate": "hotplate", "air": "bench"}
"""Places of steps → where a portion stands afterwards."""


@dataclass(frozen=True, slots=True)
class Standing:
    """A portion that is there: what it is in, where it stands, whether a label step was done on it."""

    portion: str
    container: str
    place: str
    labelled: bool


@dataclass(slots=True)
class _Bench:
    """What is there while the done steps are gone through, by the portion's name in lower case."""

    there: dict[str, str] = field(default_factory=dict)
    last: dict[str, Step] = field(default_factory=dict)
    vessel: dict[str, str] = field(default_factory=dict)
    labelled: set[str] = field(default_factory=set)

    def after(self, step: Step, kind: StepKind | None) -> None:
        """Take a step in that was done."""
        for name in step.takes:
            if not any(same(name, given) for given in step.gives):
                self.there.pop(name.casefold(), None)
        for name in step.gives:
            self.there.setdefault(name.casefold(), name)
        stores, labels, ends = (kind.stores, kind.labels, kind.ends) if kind is not None else (False, False, False)
        # Put away or labelled without naming anything means all that is there.
        for key in touches_all(step) or (tuple(self.there) if stores or labels else ()):
            if stores or labels:
                self.labelled.add(key)
            if not labels:
                self.last[key] = step
            if step.container:
                self.vessel[key] = " + ".join(step.container)
            if ends:
                self.there.pop(key, None)


def standing(run: Run, kinds: Mapping[str, StepKind]) -> list[Standing]:
    """The portions of a run that are there now, in the order in which they came to be."""
    bench = _Bench()
    for step in run.procedure.steps:
        if run.done.get(step.id):
            bench.after(step, kinds.get(step.kind))
    found = []
    for key, name in bench.there.items():
        if run.procedure.portion(name).by_loss:
            continue
        place = bench.last[key].place if key in bench.last else ""
        weighed = [on.weighed for on in run.weighings if same(on.weighed.portion, name)]
        container = weighed[-1].name if weighed else bench.vessel.get(key, "")
        found.append(Standing(name, container, PLACES.get(place, "bench"), key in bench.labelled))
    return found
