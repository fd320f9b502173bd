"""What a technique that is carried out inside a run brings along, and all of them together.

A technique has no pages of its own: its steps stand in a procedure, its readings in a run, its
portions in the one ledger. The run knows it only through what stands here.
"""

from __future__ import annotations

import re
from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import dataclass, field, replace
from typing import TYPE_CHECKING, Literal

from helvor.core.engine.figure import Figure
from helvor.core.record.entry import Payload
from helvor.core.record.finding import Finding
from helvor.core.record.house_rules import HouseRules
from helvor.core.record.procedure import Procedure
from helvor.core.record.step_kinds import GENERAL, StepKind

if TYPE_CHECKING:
    from helvor.core.engine.plan.check_plan import Advice, Plan
    from helvor.core.engine.plan.matter import Moment
    from helvor.core.engine.run.case import Case
    from helvor.core.engine.run.record import Run
    from helvor.core.record.typed_line import Understood


Sign = Literal["loss", "gain"]


@dataclass(frozen=True, slots=True)
class Check:
    """Something to see to before or while a step is done.

    Attributes:
        key: kept in the record.
        words: what is so when it is right: ``the stem touches the wall``; a word in braces is one that the
            technique names for the step, as ``{solvent}``.
        why: its reason, in one line.
        when: house rule and school under which it is asked; always without.
        safety: leaving it out can hurt somebody.
        on: which part of the drawing it points at.
    """

    key: str
    words: str
    why: str
    when: tuple[str, str] | None = None
    safety: bool = False
    on: str = ""


@dataclass(frozen=True, slots=True)
class Trial:
    """Something that is tried, with two outcomes.

    Attributes:
        key: kept in the record.
        asks: what to do and look for.
        passed, failed: the words of either outcome.
        why: what it tells.
    """

    key: str
    asks: str
    passed: str
    failed: str
    why: str


@dataclass(frozen=True, slots=True)
class Cause:
    """Something that can explain why a number is too low or too high.

    Attributes:
        code: which rule spoke.
        sign: *loss* makes the number too low, *gain* too high.
        what: the cause in a sentence.
        points: what in the record points at it; nothing where it is only usual.
        weight: how strongly, 0 to 1; before the size is held against what is missing.
        size: g, where it can be said; an upper limit where ``at_most``.
        portion: whose mass it touches; empty for the whole.
        do: what helps, where it is the portion's own remedy.
        places: where it is: (portion that holds it, component) → g; empty where that is no portion. Two causes that
            name one place speak of the same matter.
    """

    code: str
    sign: Sign
    what: str
    points: tuple[str, ...] = ()
    weight: float = 0.1
    size: float | None = None
    at_most: bool = False
    portion: str = ""
    do: str = ""
    places: Mapping[tuple[str, str], float] = field(default_factory=dict, hash=False)


Command = Callable[[list[str], "Run", str], "Understood"]
"""Reads the words after a command of the reading line, against the run and the step worked on."""


@dataclass(frozen=True)
class Technique:
    """A technique inside a run.

    Attributes:
        key, title: its names.
        step_kinds: the kinds of step that it brings.
        payloads: its kinds of entry.
        checks, trials: by kind of step; names: what the words in braces of its checks are, at a step.
        describe: an entry of its own in bench words.
        figures: what an entry of its own holds, for tables, workbooks and reports.
        rules, causes: what it judges in a run; plan_rules: in a procedure.
        expects: which component a portion should hold by the technique's law, portion in lower case → component.
        commands: words of the reading line → how the rest is read.
    """

    key: str
    title: str
    step_kinds: tuple[StepKind, ...] = ()
    payloads: tuple[type[Payload], ...] = ()
    checks: Mapping[str, tuple[Check, ...]] = field(default_factory=dict)
    trials: Mapping[str, tuple[Trial, ...]] = field(default_factory=dict)
    names: Callable[[Moment], Mapping[str, str]] | None = None
    describe: Callable[[Payload], str] | None = None
    figures: Callable[[Payload], tuple[Figure, ...]] | None = None
    rules: tuple[Callable[[Case], Iterator[Finding]], ...] = ()
    causes: tuple[Callable[[Case], Iterator[Cause]], ...] = ()
    plan_rules: tuple[Callable[[Plan], Iterator[Advice]], ...] = ()
    commands: Mapping[str, Command] = field(default_factory=dict)
    expects: Callable[[Procedure, Mapping[str, StepKind]], Mapping[str, str]] | None = None


@dataclass(frozen=True, eq=False)
class Techniques:
    """Every technique there is, and every kind of step by key, in the order of the palette."""

    all: tuple[Technique, ...] = ()
    more_kinds: Sequence[StepKind] = ()
    kinds: Mapping[str, StepKind] = field(init=False)
    commands: Mapping[str, Command] = field(init=False)

    def __post_init__(self) -> None:
        kinds = [*GENERAL, *self.more_kinds, *(kind for technique in self.all for kind in technique.step_kinds)]
        object.__setattr__(self, "kinds", {kind.key: kind for kind in kinds})
        commands = {word: command for technique in self.all for word, command in technique.commands.items()}
        object.__setattr__(self, "commands", commands)

    def wired(self, procedure: Procedure) -> Procedure:
        """The procedure with the component of each product that nobody wired, where a technique's law says it."""
        ends = [
            name
            for step in procedure.steps
            if (kind := self.kinds.get(step.kind)) and kind.weighs and (name := step.on)
        ]
        ends += [portion.name for portion in procedure.portions if portion.end == "product"]
        bare = {name.casefold(): name for name in ends if not procedure.portion(name).component}
        if not bare or not procedure.components:
            return procedure
        expected = {
            key: component
            for technique in self.all
            if technique.expects is not None
            for key, component in technique.expects(procedure, self.kinds).items()
            if key in bare
        }
        if not expected:
            return procedure
        said = {
            key: procedure.portion(bare[key]).model_copy(update={"component": component})
            for key, component in expected.items()
        }
        known = [said.pop(portion.name.casefold(), portion) for portion in procedure.portions]
        return procedure.model_copy(update={"portions": (*known, *said.values())})

    def checks(self, kind: str, rules: HouseRules | None = None) -> tuple[Check, ...]:
        """The checks of a kind of step; with house rules only those that these ask for."""
        return tuple(
            check
            for technique in self.all
            for check in technique.checks.get(kind, ())
            if rules is None or check.when is None or rules[check.when[0]].key == check.when[1]
        )

    def in_words(self, check: Check, moment: Moment | None) -> Check:
        """A check with its words in braces as they are named at a step."""
        if "{" not in check.words:
            return check
        words = check.words
        for technique in self.all:
            if technique.names is not None and moment is not None:
                for name, said in technique.names(moment).items():
                    words = words.replace(f"{{{name}}}", said)
        return replace(check, words=re.sub(r"\{\w+\}", "the right liquid", words))

    def trials(self, kind: str) -> tuple[Trial, ...]:
        """The trials of a kind of step."""
        return tuple(trial for technique in self.all for trial in technique.trials.get(kind, ()))

    def describe(self, payload: Payload) -> str:
        """A technique's own entry in bench words; empty for what is not one."""
        for technique in self.all:
            if technique.describe is not None and isinstance(payload, technique.payloads):
                return technique.describe(payload)
        return ""

    def figures(self, payload: Payload) -> tuple[Figure, ...]:
        """What a technique's own entry holds; nothing for what is not one."""
        for technique in self.all:
            if technique.figures is not None and isinstance(payload, technique.payloads):
                return technique.figures(payload)
        return ()


NO_TECHNIQUES = Techniques()
"""The general kinds alone."""
