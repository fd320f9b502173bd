"""The library: procedures that ship, each to be looked at, and to be taken over as one's own."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cache
from typing import Annotated, Literal
from uuid import UUID, uuid4

from fastapi import APIRouter, Request
from fastapi import Form as Field
from starlette.responses import RedirectResponse, Response

from helvor.core.engine.plan.check_plan import open_stops
from helvor.core.engine.plan.timeline import MeetingTime, timeline
from helvor.core.practice.rehearsals import STORIES
from helvor.core.record.procedure import Level, Procedure, instruction
from helvor.core.record.step_kinds import WASTE
from helvor.core.techniques.registered import STEP_KINDS, TECHNIQUES
from helvor.notebook import classes, procedures
from helvor.notebook.page_errors import NotYours
from helvor.shelf.procedures import PRACTISES, shipped_procedure
from helvor.web.may import May, may
from helvor.web.rendering import Shell, html
from helvor.web.security import VisitorDep, WriterDep, pool

router = APIRouter(include_in_schema=False)

LEVELS: dict[Level, str] = {"school": "School", "first year": "First year", "organic": "Organic"}


@dataclass(frozen=True, slots=True)
class Starter:
    """A procedure of the library as it stands in the list.

    Attributes:
        name: of its file, its address; practises: in a few words.
        minutes: how long each of its meetings takes; kinds: of its steps, those that name a technique.
        rehearsal: the key of the practice run that carries it out; empty where there is none.
    """

    name: str
    practises: str
    procedure: Procedure
    minutes: list[int]
    kinds: list[str]
    rehearsal: str


@dataclass(frozen=True, slots=True)
class StarterStep:
    """A step with its number, its minutes, what is read there, and its caution."""

    number: int
    kind: str
    meeting: int
    says: str
    minutes: int
    reads: str
    caution: str


@dataclass(frozen=True, slots=True, kw_only=True)
class LibraryPage(Shell):
    """All of them, by level."""

    by_level: list[tuple[str, list[Starter]]]


@dataclass(frozen=True, slots=True, kw_only=True)
class StarterPage(Shell):
    """One of them, whole."""

    starter: Starter
    level: str
    meetings: list[MeetingTime]
    steps: list[StarterStep]
    waste: list[str]
    entry: UUID
    may_take: bool


_COMMON = ("Measure", "Combine", "Observe and test", "Store and discard", "Heat and cool")


@cache
def _starter(name: str) -> Starter:
    procedure = shipped_procedure(name)
    telling = [
        step.kind
        for step in procedure.steps
        if step.kind in STEP_KINDS
        and STEP_KINDS[step.kind].group not in _COMMON
        and step.kind not in ("dry", "transfer")
    ]
    rehearsal = next((story.key for story in STORIES.values() if story.procedure == name), "")
    minutes = [meeting.ends for meeting in timeline(procedure)]
    return Starter(name, PRACTISES[name], procedure, minutes, list(dict.fromkeys(telling))[:5], rehearsal)


def _steps(procedure: Procedure) -> list[StarterStep]:
    return [
        StarterStep(
            number,
            step.kind,
            step.meeting,
            instruction(step, procedure),
            step.hands + step.waits,
            ", ".join(step.asks),
            step.cautions or (STEP_KINDS[step.kind].caution if step.kind in STEP_KINDS else ""),
        )
        for number, step in enumerate(procedure.steps, start=1)
    ]


@router.get("/procedures/library")
@may(May.STAFF)
def library(who: VisitorDep) -> Response:
    """The procedures that ship, by level."""
    starters = [_starter(name) for name in PRACTISES]
    by_level = [(words, [one for one in starters if one.procedure.level == key]) for key, words in LEVELS.items()]
    return html("procedures/library.html", LibraryPage(visitor=who, place="plan", by_level=by_level))


@router.get("/procedures/library/{name}")
@may(May.STAFF)
def starter(name: str, who: VisitorDep) -> Response:
    """One of them, with everything that it says."""
    if name not in PRACTISES:
        raise NotYours
    found = _starter(name)
    waste = list(dict.fromkeys(WASTE.get(step.waste, step.waste) for step in found.procedure.steps if step.waste))
    page = StarterPage(
        visitor=who,
        place="plan",
        starter=found,
        level=LEVELS.get(found.procedure.level, ""),
        meetings=list(timeline(found.procedure)),
        steps=_steps(found.procedure),
        waste=waste,
        entry=uuid4(),
        may_take=who.account.role == "instructor",
    )
    return html("procedures/starter.html", page)


@router.post("/procedures/library/{name}")
@may(May.INSTRUCTORS)
def take_over(
    request: Request,
    name: str,
    who: WriterDep,
    entry: Annotated[UUID, Field()],
    to: Annotated[Literal["", "bench"], Field()] = "",
) -> Response:
    """Keep a copy as a draft of this institution; *to* the bench: in use as it is, and begun on one's own bench."""
    if name not in PRACTISES:
        raise NotYours
    with pool(request).connection() as conn:
        account = who.account.id
        procedures.add_procedure(conn, account, entry, shipped_procedure(name), "from the library")
        house = procedures.house_rules_of(conn, account)
        # By the rules of this house there may be a danger in it: then it is looked at in the builder first.
        if not to or open_stops(shipped_procedure(name), house, TECHNIQUES):
            return RedirectResponse(f"/procedures/{entry}", status_code=303)
        if not procedures.open_procedure(conn, account, entry).version:
            procedures.put_in_use(conn, account, entry, 1)
        bench = classes.front_bench(conn, account).id
        started = procedures.start_runs(conn, account, who.account.name, entry, [bench], entry)
    return RedirectResponse(f"/runs/{started[0]}", status_code=303)
