"""Getting a class ready, as JSON."""

from __future__ import annotations

from typing import Annotated

from fastapi import APIRouter
from pydantic import BaseModel, ConfigDict, Field

from helvor.bench.prep.make import prep_sheet
from helvor.bench.prep.period import RUNS, Setting, changes, overnight, simulate
from helvor.bench.prep.unknowns import deal
from helvor.bench.procedure import Procedure
from helvor.web.security import WriterDep

router = APIRouter(prefix="/api/prep", tags=["getting ready"])
Count = Annotated[int, Field(ge=1, le=500)]


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
    waste: str


class KitOut(BaseModel):
    name: str
    total: int
    short: int | None


class SheetOut(BaseModel):
    makes: list[MakeOut]
    kit: list[KitOut]
    waste_ml: dict[str, float]
    beforehand: list[str]


@router.post("/sheet")
def sheet(asked: SheetIn) -> SheetOut:
    """What one meeting needs: made up, put out, and taken away."""
    found = prep_sheet(asked.procedure, asked.meeting, asked.benches, spare=asked.spare, stock=asked.stock)
    return SheetOut(
        makes=[
            MakeOut(name=m.name, bench=m.bench, benches=m.benches, total=m.total, unit=m.unit, how=m.how, waste=m.waste)
            for m in found.makes
        ],
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
def period(who: WriterDep, asked: PeriodIn) -> PeriodOut:
    """Whether a class fits its period. Only for who is signed in: it takes a second or two."""
    setting = Setting(asked.benches, asked.minutes, asked.kit, stagger=asked.stagger)
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


class DealIn(_In):
    """Numbers of samples, benches in the order in which they stand, and where chance begins."""

    numbers: list[Annotated[int, Field(ge=1, le=9999)]] = Field(min_length=1, max_length=200)
    benches: list[Annotated[int, Field(ge=1, le=500)]] = Field(min_length=1, max_length=96)
    seed: int = Field(1, ge=0, le=10**9)


@router.post("/deal")
def deal_samples(asked: DealIn) -> dict[int, int]:
    """Which bench gets which sample: evenly, neighbours apart, the same again from the same seed."""
    return deal(asked.numbers, asked.benches, asked.seed)
