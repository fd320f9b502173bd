"""Getting a class ready, as JSON."""

from __future__ import annotations

from typing import Annotated

from fastapi import APIRouter
from pydantic import AwareDatetime, BaseModel, ConfigDict, Field

from helvor.core.classroom.meeting.expected import expected_progress
from helvor.core.classroom.prep.learn import learn
from helvor.core.classroom.prep.make import prep_sheet
from helvor.core.classroom.prep.period import RUNS, Setting, changes, overnight, simulate
from helvor.core.classroom.unknowns import deal
from helvor.core.record.procedure import Procedure
from helvor.web.may import May, may
from helvor.web.security import WriterDep

router = APIRouter(prefix="/api/prep", tags=["getting ready"])
Count = Annotated[int, Field(ge=1, le=500)]
Minutes = Annotated[float, Field(gt=0, le=600, allow_inf_nan=False)]
Spread = Annotated[float, Field(ge=0, le=2, allow_inf_nan=False)]


class _In(BaseModel):
    model_config = ConfigDict(extra="forbid", frozen=True)


class SheetIn(_In):
    """A procedure, which of its meetings, and the class."""

    procedure: Procedure
    meeting: int = Field(1, ge=1, le=12)
    benches: int = Field(12, ge=1, le=96)
    spare: float = Field(0.12, ge=0, le=1)
    stock: dict[str, Count] = Field({}, max_length=60)


class MakeOut(BaseModel):
    """Per bench, for all benches, and with spare; g or mL by *unit*."""

    name: str
    bench: float
    benches: float
    total: float
    unit: str
    how: str
    glass: str
    waste: str


class PrepEluentOut(BaseModel):
    """mL for a chamber and with spare, the volumes to measure by solvent, and the waste stream."""

    eluent: str
    chamber: float
    total: float
    parts: dict[str, float]
    waste: str
    care: str


class PrepCutOut(BaseModel):
    """Plates of one size, mm: wanted, with spare, sheets of 200 × 200 mm, and how many lie on one."""

    width: float
    height: float
    wanted: int
    plates: int
    sheets: int
    on_a_sheet: int


class PrepSpottingOut(BaseModel):
    """Vials of a spotting solution, and g and mL in each."""

    name: str
    vials: int
    grams: float
    ml: float


class KitOut(BaseModel):
    name: str
    total: int
    short: int | None


class SheetOut(BaseModel):
    makes: list[MakeOut]
    eluents: list[PrepEluentOut]
    cut: list[PrepCutOut]
    spotting: list[PrepSpottingOut]
    ice_kg: float
    kit: list[KitOut]
    waste_ml: dict[str, float]
    beforehand: list[str]


@router.post("/sheet")
@may(May.PUBLIC)
def sheet(asked: SheetIn) -> SheetOut:
    """What one meeting needs: made up, put out, and taken away."""
    found = prep_sheet(asked.procedure, asked.meeting, asked.benches, spare=asked.spare, stock=asked.stock)
    return SheetOut(
        makes=[
            MakeOut(
                name=m.name,
                bench=m.bench,
                benches=m.benches,
                total=m.total,
                unit=m.unit,
                how=m.how,
                glass=m.glass,
                waste=m.waste,
            )
            for m in found.makes
        ],
        eluents=[
            PrepEluentOut(
                eluent=str(e.eluent),
                chamber=e.chamber,
                total=e.total,
                parts={part.name: part.rounded for part in e.parts},
                waste=e.stream,
                care=e.care,
            )
            for e in found.eluents
        ],
        cut=[
            PrepCutOut(
                width=c.plan.width,
                height=c.plan.height,
                wanted=c.wanted,
                plates=c.plates,
                sheets=c.sheets,
                on_a_sheet=c.plan.count,
            )
            for c in found.sheets
        ],
        spotting=[
            PrepSpottingOut(name=s.name, vials=s.vials, grams=s.each.mass, ml=s.each.volume) for s in found.spotting
        ],
        ice_kg=found.ice.kilograms if found.ice else 0.0,
        kit=[KitOut(name=k.name, total=k.total, short=k.short) for k in found.kit],
        waste_ml={w.stream: w.volume for w in found.waste},
        beforehand=[t.says for t in found.todo],
    )


class PeriodIn(_In):
    """A class in a period: minutes, shared kit by name, and how often chance is tried."""

    procedure: Procedure
    meeting: int = Field(1, ge=1, le=12)
    benches: int = Field(12, ge=1, le=96)
    minutes: float = Field(165, gt=0, le=1440)
    kit: dict[str, Count] = Field({}, max_length=60)
    times: dict[str, tuple[Minutes, Spread]] = Field({}, max_length=60)
    stagger: float = Field(0, ge=0, le=60)
    runs: int = Field(RUNS, ge=1, le=RUNS)
    seed: int = 1


class QueueOut(BaseModel):
    """Minutes that all benches queue for a kind of kit, the longest of one, and how busy it is (0 to 1)."""

    kit: str
    minutes: float
    longest: float
    busy: float


class PeriodOut(BaseModel):
    """Minutes from the start at which the last bench is done, clean-up too, and what would help."""

    median: float
    nine_in_ten: float
    fits: float
    alone: float
    queues: list[QueueOut]
    gained: dict[str, float]
    overnight: list[str]


@router.post("/period")
@may(May.STAFF)
def period(who: WriterDep, asked: PeriodIn) -> PeriodOut:
    """Whether a class fits its period. Only for who is signed in: it takes a second or two."""
    setting = Setting(asked.benches, asked.minutes, asked.kit, stagger=asked.stagger, times=asked.times)
    fit = simulate(asked.procedure, asked.meeting, setting, runs=asked.runs, seed=asked.seed)
    return PeriodOut(
        median=fit.median,
        nine_in_ten=fit.late,
        fits=fit.fits,
        alone=fit.alone,
        queues=[QueueOut(kit=q.kit, minutes=q.minutes, longest=q.longest, busy=q.busy) for q in fit.queues],
        overnight=[
            f"step {o.number}, {o.kind}{' in the ' + o.place if o.place else ''}: {o.benches} benches"
            for o in overnight(asked.procedure, asked.meeting, fit)
        ],
        gained={c.words: c.gained for c in changes(asked.procedure, asked.meeting, fit, seed=asked.seed)},
    )


class LearnIn(_In):
    """A procedure and of each earlier run its steps marked done, by id, with when, in the order of time."""

    procedure: Procedure
    runs: list[list[tuple[str, AwareDatetime]]] = Field(max_length=500)


class LearnedOut(BaseModel):
    """Hands-on minutes of a step, the spread of their logarithm, from how many runs, and whether these are enough."""

    minutes: float
    spread: float
    runs: int
    enough: bool


@router.post("/learn")
@may(May.PUBLIC)
def learned(asked: LearnIn) -> dict[str, LearnedOut]:
    """What steps took in earlier runs, by the step's id."""
    return {
        step: LearnedOut(minutes=one.minutes, spread=one.spread, runs=one.runs, enough=one.enough)
        for step, one in learn(asked.procedure, asked.runs).items()
    }


class FrontIn(_In):
    """A class that is *now* minutes into its period, and how many steps each bench has done."""

    procedure: Procedure
    meeting: int = Field(1, ge=1, le=12)
    minutes: float = Field(165, gt=0, le=1440)
    kit: dict[str, Count] = Field({}, max_length=60)
    now: float = Field(ge=0, le=1440)
    done: list[Annotated[int, Field(ge=0, le=200)]] = Field(min_length=1, max_length=96)


class FrontOut(BaseModel):
    """Of each bench the steps that the plan has it at by now, and minutes that it is behind; when the plan ends."""

    expected: list[int]
    late: list[float]
    ends: float


@router.post("/front")
@may(May.PUBLIC)
def front(asked: FrontIn) -> FrontOut:
    """How far each bench should have come, and how late it is."""
    setting = Setting(len(asked.done), asked.minutes, asked.kit)
    plan = expected_progress(asked.procedure, asked.meeting, simulate(asked.procedure, asked.meeting, setting, runs=0))
    return FrontOut(
        expected=[plan.expected(bench, asked.now) for bench in range(len(asked.done))],
        late=[plan.late(bench, done, asked.now) for bench, done in enumerate(asked.done)],
        ends=plan.ends,
    )


class DealIn(_In):
    """Numbers of samples, benches in the order in which they stand, and where chance begins."""

    numbers: list[Annotated[int, Field(ge=1, le=9999)]] = Field(min_length=1, max_length=200)
    benches: list[Annotated[int, Field(ge=1, le=500)]] = Field(min_length=1, max_length=96)
    seed: int = Field(1, ge=0, le=10**9)


@router.post("/deal")
@may(May.PUBLIC)
def deal_samples(asked: DealIn) -> dict[int, int]:
    """Which bench gets which sample: evenly, neighbours apart, the same again from the same seed."""
    return deal(asked.numbers, asked.benches, asked.seed)
