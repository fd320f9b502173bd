"""Procedures, weighings and the mass ledger as JSON, beside the pages that show the same."""

from __future__ import annotations

from datetime import UTC, datetime, timedelta
from typing import Annotated, Any
from uuid import UUID

from fastapi import APIRouter, Body, Request
from pydantic import BaseModel, ConfigDict, Field, StrictBool

from helvor.core.engine.plan.check_plan import check_plan
from helvor.core.engine.plan.difference import differences
from helvor.core.engine.plan.timeline import timeline
from helvor.core.engine.run.entries import Following
from helvor.core.engine.run.reading_line import understand
from helvor.core.engine.run.tares import net_of
from helvor.core.engine.run.work_out import work_out
from helvor.core.laws.constant_mass import Weighing, constancy
from helvor.core.quantities.formula import atoms, molar_mass, parse_equation, readable
from helvor.core.quantities.measured import shown_with_u
from helvor.core.quantities.reading import Estimate, Mass
from helvor.core.quantities.words import Words
from helvor.core.record.container import MadeUp
from helvor.core.record.entry import Entry
from helvor.core.record.finding import Finding, Level
from helvor.core.record.house_rules import QUESTIONS, HouseRules, known_choices
from helvor.core.record.procedure import Procedure, scaled
from helvor.core.techniques.registered import TECHNIQUES, RunPayload
from helvor.exchange.planar import entry_record
from helvor.exchange.procedure import procedure_schema
from helvor.exchange.run import results_of, run_data
from helvor.notebook import pages, procedures
from helvor.notebook.page_errors import NotYours
from helvor.notebook.pages import Draft
from helvor.web.may import May, may
from helvor.web.security import VisitorDep, WriterDep, pool

router = APIRouter(prefix="/api")
PLAN, RUNS, RECORDS = "procedures", "weighing and the mass ledger", "records"


class _In(BaseModel):
    model_config = ConfigDict(extra="forbid", frozen=True)


class FormulaOut(BaseModel):
    """A formula: molar mass in g/mol, atoms of each element, and as it is set."""

    molar_mass: float
    atoms: dict[str, int]
    shown: str


@router.post("/formula", tags=[RUNS])
@may(May.PUBLIC)
def formula(text: Annotated[str, Body(embed=True, max_length=60, examples=["CuSO4·5H2O"])]) -> FormulaOut:
    """Molar mass and atoms of a formula, hydrates too."""
    return FormulaOut(molar_mass=molar_mass(text), atoms=dict(atoms(text)), shown=readable(text))


class EquationOut(BaseModel):
    """A balanced equation: formula → how many, on each side."""

    left: dict[str, int]
    right: dict[str, int]
    shown: str


@router.post("/equation", tags=[RUNS])
@may(May.PUBLIC)
def equation(text: Annotated[str, Body(embed=True, max_length=200)]) -> EquationOut:
    """Read an equation and hold it to its balance."""
    read = parse_equation(text)
    return EquationOut(left=dict(read.left), right=dict(read.right), shown=str(read))


class NetIn(_In):
    """A net: gross minus every tare, or one indication after the tare button."""

    gross: Mass
    tares: list[Mass] = Field([], max_length=8)
    tare_button: StrictBool = Field(False, description="The container was taken off with the button.")


class NetOut(BaseModel):
    net_g: Estimate
    shown: str
    working: str


@router.post("/weighing/net", tags=[RUNS])
@may(May.PUBLIC)
def net(asked: NetIn) -> NetOut:
    """A net with its uncertainty: each indication counts with its step ÷ √12 (JCGM 100:2008, F.2.2.1)."""
    result = net_of(asked.gross, asked.tares, tare_button=asked.tare_button)
    parts = " − ".join(str(one) for one in (asked.gross, *asked.tares))
    return NetOut(
        net_g=result.estimate, shown=f"{shown_with_u(result)} g", working=f"{parts} = {shown_with_u(result)} g"
    )


class ConstantMassIn(_In):
    """Nets after each drying, oldest first, with the balance's step and when they were read."""

    nets_g: list[float] = Field(min_length=1, max_length=100)
    step_g: float = Field(gt=0, le=10)
    minutes: list[float] = Field(max_length=100, description="Minutes from the first, one for each net.")
    rule: str = Field("readability", pattern="^(readability|pharmacopoeia)$")
    taken_g: float | None = Field(
        None,
        gt=0,
        le=1e6,
        description="g put to dry, for the pharmacopoeial rule; by default the first net.",
    )


class ConstantMassOut(BaseModel):
    state: str
    difference_g: float | None
    limit_g: float | None
    predicted_g: float | None
    again_in_minutes: float | None


@router.post("/weighing/constant-mass", tags=[RUNS])
@may(May.PUBLIC)
def constant_mass(asked: ConstantMassIn) -> ConstantMassOut:
    """Whether drying has come to constant mass, and where it goes."""
    start = datetime(2000, 1, 1, tzinfo=UTC)
    minutes = asked.minutes if len(asked.minutes) == len(asked.nets_g) else [15.0 * i for i in range(len(asked.nets_g))]
    found = constancy(
        [
            Weighing(mass, asked.step_g, start + timedelta(minutes=at))
            for mass, at in zip(asked.nets_g, minutes, strict=True)
        ],
        asked.rule,
        asked.taken_g,
    )
    return ConstantMassOut(
        state=found.state,
        difference_g=found.difference,
        limit_g=found.limit,
        predicted_g=found.predicted,
        again_in_minutes=found.again,
    )


class SolutionOut(BaseModel):
    mol_per_l: Estimate
    shown: str


@router.post("/solution", tags=[RUNS])
@may(May.PUBLIC)
def solution(asked: MadeUp) -> SolutionOut:
    """The actual concentration of a stock bottle from what was weighed and made up."""
    molar = asked.molar
    return SolutionOut(mol_per_l=molar.estimate, shown=f"{shown_with_u(molar)} mol/L")


class FindingOut(BaseModel):
    code: str
    level: Level
    about: str
    what: str
    because: str
    do: str


def _finding(found: Finding) -> FindingOut:
    return FindingOut(
        code=found.code, level=found.level, about=found.about, what=found.what, because=found.because, do=found.do
    )


class CheckOut(BaseModel):
    """Findings on a procedure with the step each is about, and how long it takes one bench, in minutes."""

    findings: list[tuple[str, FindingOut]]
    meetings: list[dict[str, int]]


@router.post("/procedure/check", tags=[PLAN])
@may(May.PUBLIC)
def check(procedure: Procedure) -> CheckOut:
    """Judge a procedure before anybody starts."""
    return CheckOut(
        findings=[
            (advice.step, _finding(advice.finding)) for advice in check_plan(procedure, HouseRules(), TECHNIQUES)
        ],
        meetings=[
            {"meeting": m.meeting, "hands_on": m.hands, "idle": m.idle, "ends": m.ends} for m in timeline(procedure)
        ],
    )


@router.post("/procedure/scale", tags=[PLAN])
@may(May.PUBLIC)
def scale(procedure: Procedure, factor: Annotated[float, Body(gt=0, le=1000)]) -> dict[str, Any]:
    """A procedure with every amount times a factor, rounded to what can be measured."""
    return scaled(procedure, factor).model_dump(mode="json", exclude_defaults=True)


@router.post("/procedure/compare", tags=[PLAN])
@may(May.PUBLIC)
def compare(old: Procedure, new: Procedure) -> list[dict[str, str]]:
    """What differs between two versions of a procedure."""
    return [{"place": d.place, "what": d.what, "before": d.before, "after": d.after} for d in differences(old, new)]


@router.get("/procedure.schema.json", tags=[PLAN])
@may(May.PUBLIC)
def schema() -> dict[str, Any]:
    """The JSON Schema of the procedure format."""
    return procedure_schema()


@router.get("/house-rules", tags=[PLAN])
@may(May.PUBLIC)
def house_rules() -> list[dict[str, Any]]:
    """Every question on which practitioners differ, with its schools; the first is the default."""
    return [
        {
            "key": q.key,
            "question": q.words,
            "group": q.group,
            "schools": [{"key": s.key, "words": s.words, "why": s.why} for s in q.schools],
        }
        for q in QUESTIONS
    ]


class RunIn(_In):
    """A run described at once: a procedure, if one is followed, and readings as they are typed."""

    procedure: Procedure | None = None
    readings: list[Words] = Field(max_length=400, examples=[["dish 3 32.514", "dish 3 salt dried 33.120"]])
    minutes_apart: float = Field(15.0, ge=0, le=10_000)
    house_rules: dict[str, str] = Field({}, max_length=60)


@router.post("/run", tags=[RUNS])
@may(May.PUBLIC)
def run(asked: RunIn) -> dict[str, Any]:
    """Work a run out: portions, closure, recoveries, yields, findings, working."""
    start, entries = datetime(2000, 1, 1, tzinfo=UTC), list[Entry]()

    def add(payload: Any) -> None:
        number = len(entries) + 1
        at = start + timedelta(minutes=asked.minutes_apart * number)
        entries.append(Entry(UUID(int=number), number, payload, None, "", "", at))

    if asked.procedure is not None:
        add(Following(procedure=asked.procedure))
    for line in asked.readings:
        add(understand(line, entries, techniques=TECHNIQUES, sure=True).payload)
    return results_of(work_out(entries, HouseRules(known_choices(asked.house_rules)), TECHNIQUES))


@router.get("/runs/{page_id}", tags=[RECORDS])
@may(May.STAFF)
def run_on_record(request: Request, page_id: UUID, who: VisitorDep) -> dict[str, Any]:
    """A run of the notebook: its entries in ink, struck ones too, and what is worked out of them."""
    with pool(request).connection() as conn:
        page, entries = pages.open_page(conn, who.account.id, page_id)
    if page.technique_key != "run":
        raise NotYours
    return run_data(page, entries, work_out(entries, page.rules, TECHNIQUES))


class RunEntryIn(_In):
    """An entry to write. Choose the id yourself: sending the same id again writes nothing more."""

    id: UUID
    says: RunPayload
    strikes: UUID | None = None
    reason: Words = ""


@router.post("/runs/{page_id}/entries", tags=[RECORDS])
@may(May.STAFF)
def write_entry(request: Request, page_id: UUID, who: WriterDep, entry: RunEntryIn) -> dict[str, Any]:
    """Write an entry in ink. Needs the session's ``X-CSRF-Token``."""
    draft = Draft(entry.id, entry.says, entry.strikes, entry.reason)
    with pool(request).connection() as conn:
        page, _ = pages.open_page(conn, who.account.id, page_id)
        if page.technique_key != "run":
            raise NotYours
        written = pages.append(conn, who.account.id, who.account.name, page_id, lambda _: [draft], typed=who.typed)
    standing = next(e for e in written.entries if e.id == entry.id)
    return {"new": bool(written.new), "entry": entry_record(standing)}


@router.get("/procedures/{procedure_id}", tags=[RECORDS])
@may(May.STAFF)
def procedure_on_record(request: Request, procedure_id: UUID, who: VisitorDep, version: int = 0) -> dict[str, Any]:
    """A procedure's draft, or one of its versions."""
    with pool(request).connection() as conn:
        kept = procedures.open_procedure(conn, who.account.id, procedure_id)
        body = procedures.version_of(conn, who.account.id, procedure_id, version) if version else kept.procedure
    return {"draft": kept.draft, "version": kept.version, "procedure": body.model_dump(mode="json")}
