"""What the pages of procedures show."""

from __future__ import annotations

from dataclasses import dataclass
from uuid import UUID

from helvor.core.engine.plan.check_plan import Advice
from helvor.core.engine.plan.difference import Difference
from helvor.core.engine.plan.timeline import MeetingTime
from helvor.core.record.house_rules import HouseRules, Question
from helvor.core.record.procedure import (
    Procedure,
    Step,
    Substance,
)
from helvor.core.record.step_kinds import StepKind
from helvor.notebook import classes
from helvor.notebook.classes import ClassRow
from helvor.notebook.procedures import Kept
from helvor.web.procedures.step_form import FieldShown
from helvor.web.procedures.wiring import Wiring
from helvor.web.rendering import Shell


@dataclass(frozen=True, slots=True)
class StepRow:
    """A step in the list."""

    number: int
    step: Step
    kind: StepKind | None
    says: str
    advice: list[Advice]


@dataclass(frozen=True, slots=True)
class AmountTotal:
    """A substance with its amount per bench, for all benches, spare and total."""

    substance: Substance
    bench: str
    benches: str
    spare: str
    total: str
    unit: str
    molar_mass: str


@dataclass(frozen=True, slots=True)
class TimeBlock:
    """A stretch of the time bar: x and width in parts of the bar."""

    x: float
    hands: float
    waits: float
    words: str
    y: int


@dataclass(frozen=True, slots=True)
class TimeBar:
    """A meeting's bar with where the period ends."""

    meeting: MeetingTime
    blocks: list[TimeBlock]
    period_x: float
    over: bool


@dataclass(frozen=True, kw_only=True)
class BuilderWork:
    """The part of the builder that every change replaces."""

    kept: Kept
    procedure: Procedure
    rows: list[StepRow]
    open_row: StepRow | None
    wiring: Wiring
    outputs: list[FieldShown]
    parameters: list[FieldShown]
    form: BuilderForm | None
    advice: list[Advice]
    general: list[Advice]
    amounts: list[AmountTotal]
    benches: int
    bars: list[TimeBar]
    rules: list[tuple[Question, str, bool]]
    palette: list[tuple[str, list[StepKind]]]
    csrf: str
    said: str
    open_stops: list[str]


@dataclass(frozen=True, kw_only=True)
class BuilderPage(Shell, BuilderWork):
    pass


@dataclass(frozen=True, slots=True, kw_only=True)
class BuilderForm:
    """A form with what was typed and what is wrong with it."""

    kept: Kept
    op: str
    title: str
    values: dict[str, list[str]]
    errors: dict[str, str]
    step: str
    was: str
    csrf: str
    substances: list[str]
    components: list[str]
    portions: list[str]
    waste: dict[str, str]
    questions: tuple[Question, ...]


@dataclass(frozen=True, slots=True, kw_only=True)
class BuilderFormFragment:
    form: BuilderForm


@dataclass(frozen=True, slots=True, kw_only=True)
class BuilderFormPage(Shell):
    form: BuilderForm


@dataclass(frozen=True, slots=True, kw_only=True)
class ProceduresPage(Shell):
    procedures: list[Kept]
    new_id: UUID
    troubles: list[tuple[str, str]]
    pasted: str
    in_library: int


@dataclass(frozen=True, slots=True, kw_only=True)
class RulesPage(Shell):
    groups: list[tuple[str, list[Question]]]
    rules: HouseRules
    saved: bool
    own_words: str
    trouble: str = ""


@dataclass(frozen=True, slots=True, kw_only=True)
class ComparePage(Shell):
    kept: Kept
    old: int
    new: int
    versions: list[int]
    differences: list[Difference]


@dataclass(frozen=True, slots=True, kw_only=True)
class ScalePage(Shell):
    kept: Kept
    factor: str
    wanted: str
    substance: str
    trouble: str
    rows: list[tuple[str, str, str]]
    grown: list[Difference]
    advice: list[Advice]
    classes: list[tuple[ClassRow, list[classes.Bench]]]
    start: UUID
