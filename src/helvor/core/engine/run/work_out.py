"""From a run's entries to its worksheet. Everything here can be worked out again at any time."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass, replace
from functools import cached_property
from uuid import UUID

from helvor.core.engine.plan.branches import branches
from helvor.core.engine.plan.matter import moments
from helvor.core.engine.run.account import Ledger
from helvor.core.engine.run.case import Case
from helvor.core.engine.run.check_run import check_run
from helvor.core.engine.run.ledger import build_ledger
from helvor.core.engine.run.losses import Gap, Ranked, gaps, rank
from helvor.core.engine.run.record import Run, gather
from helvor.core.engine.run.standing import Standing, standing
from helvor.core.engine.technique import NO_TECHNIQUES, Check, Techniques, Trial
from helvor.core.record.entry import Entry
from helvor.core.record.finding import by_severity
from helvor.core.record.house_rules import QUESTION, HouseRules, School
from helvor.core.record.procedure import Step, instruction
from helvor.core.record.remembered import remembered
from helvor.core.record.step_kinds import StepKind
from helvor.core.record.worksheet import Alarm, InRoom, Stage, Worksheet


@dataclass(frozen=True, slots=True)
class TrialSeen:
    """A trial of a step with its outcomes, oldest first, and the entry of the newest."""

    trial: Trial
    outcomes: tuple[bool, ...]
    key: UUID | None

    @property
    def passed(self) -> bool:
        """Whether the last one went well."""
        return bool(self.outcomes) and self.outcomes[-1]


@dataclass(frozen=True, slots=True)
class StepSeen:
    """A step as the run shows it.

    Attributes:
        number: from 1, as people call it.
        says: its instruction with the amounts put in.
        done: how many times; skipped: why it was left out.
        corrected: the handout's words were corrected.
        branch: which branch of the work it stands on, from 0.
        house: how it is done here, by the house rules: question and the school in force.
        checks: what to see to, and whether it was.
        trials: what can be tried, with the outcomes so far.
    """

    number: int
    step: Step
    kind: StepKind | None
    says: str
    done: int
    skipped: str | None
    corrected: bool
    branch: int = 0
    house: tuple[tuple[str, School], ...] = ()
    checks: tuple[tuple[Check, bool], ...] = ()
    trials: tuple[TrialSeen, ...] = ()

    @property
    def short(self) -> str:
        """Number and kind, for strips and boards: ``3 heat``."""
        return f"{self.number} {self.kind.title if self.kind else self.step.kind}"

    @property
    def settled(self) -> bool:
        """Done or left out."""
        return self.done > 0 or self.skipped is not None


@dataclass(frozen=True)
class RunWorksheet(Worksheet):
    """A run, worked out. Causes and gaps are put together when first asked for: most answers show neither."""

    run: Run
    ledger: Ledger
    steps: list[StepSeen]
    stands: list[Standing]
    case: Case

    @cached_property
    def causes(self) -> list[Ranked]:
        """Where matter may have gone, ordered by what points to it."""
        return rank(self.case, self.case.techniques)

    @cached_property
    def gaps(self) -> list[Gap]:
        """What there is to explain: found against taken, or against what was possible."""
        return gaps(self.case)

    @property
    def title(self) -> str:
        return self.run.procedure.title

    @property
    def in_room(self) -> InRoom:
        """Running timers, the kit of the step under way once the run has begun, and what stands about."""
        names = {seen.step.id: seen.short for seen in self.steps}
        alarms = (
            Alarm(on.timer.label or names.get(on.timer.step, "timer"), on.due, str(on.key))
            for on in self.run.timers
            if on.stopped is None
        )
        under_way = self.current if self.run.done else None
        step = under_way.step if under_way else None
        kit = tuple(dict.fromkeys((*step.kit, *((step.place,) if step.place else ())))) if step else ()
        stands = tuple((s.portion, s.container, s.place, s.labelled) for s in self.stands)
        return InRoom(tuple(alarms), kit, stands)

    def dried_before(self, step: Step) -> bool:
        """Whether heat or drying comes before a step in the procedure, so that what it weighs is dried."""
        for seen in self.steps:
            if seen.step.id == step.id:
                return False
            if seen.kind is not None and (seen.kind.dries or seen.kind.heats):
                return True
        return False

    @property
    def current(self) -> StepSeen | None:
        """The first step that is neither done nor left out."""
        return next((step for step in self.steps if not step.settled), None)


@remembered(most=64)
def work_out(
    entries: Iterable[Entry],
    rules: HouseRules | None = None,
    techniques: Techniques = NO_TECHNIQUES,
) -> RunWorksheet:
    """Fold a page's entries and work the run out.

    Args:
        entries: all entries of the page, struck ones too.
        rules: the house rules; those of the procedure are laid over them.
        techniques: the techniques that can be carried out in a run; the general kinds of step without.
    """
    run = gather(entries)
    procedure = techniques.wired(run.procedure)
    if procedure is not run.procedure:
        run = replace(run, procedure=procedure)
    known = techniques.kinds
    in_force = (rules or HouseRules()).over(run.procedure.house_rules)
    ledger = build_ledger(run, in_force)
    case = Case(run, ledger, in_force, techniques)
    findings = [
        found.accepted(run.acknowledged.get((found.code, found.about, found.what), "")) for found in check_run(case)
    ]
    steps = [
        StepSeen(
            number=number,
            step=step,
            kind=known.get(step.kind),
            says=instruction(step, run.procedure) or (known[step.kind].says if step.kind in known else step.kind),
            done=run.done.get(step.id, 0),
            skipped=run.skipped.get(step.id),
            corrected=step.id in run.corrections,
            branch=branch,
            house=_house(step, known.get(step.kind), in_force),
            checks=_checks(step, run, in_force, techniques),
            trials=_trials(step, run, techniques),
        )
        for number, (step, branch) in enumerate(
            zip(run.procedure.steps, branches(run.procedure.steps), strict=True), start=1
        )
    ]
    stages = [Stage(step.short, step.settled) for step in steps]
    return RunWorksheet(by_severity(findings), stages, run, ledger, steps, standing(run, known), case)


def _house(step: Step, kind: StepKind | None, rules: HouseRules) -> tuple[tuple[str, School], ...]:
    """The house rules that a step is done by; an empty container is not dried to constant mass."""
    if kind is None or step.empty:
        return ()
    return tuple((QUESTION[key].words, rules[key]) for key in kind.rules)


def _checks(step: Step, run: Run, rules: HouseRules, techniques: Techniques) -> tuple[tuple[Check, bool], ...]:
    """The checks that the house rules ask for."""
    ticked = run.checked.get(step.id, frozenset())
    checks = techniques.checks(step.kind, rules)
    at = None
    if any("{" in check.words for check in checks):
        at = next((one for one in moments(run.procedure, techniques.kinds) if one.step.id == step.id), None)
    return tuple((techniques.in_words(check, at), check.key in ticked) for check in checks)


def _trials(step: Step, run: Run, techniques: Techniques) -> tuple[TrialSeen, ...]:
    seen = []
    for trial in techniques.trials(step.kind):
        here = [(line, tried) for line, tried in run.tried if tried.step == step.id and tried.trial == trial.key]
        seen.append(TrialSeen(trial, tuple(tried.passed for _, tried in here), here[-1][0].root.id if here else None))
    return tuple(seen)
