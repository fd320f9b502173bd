"""Practice runs: a procedure carried out on a virtual bench, its choices and what followed, the debrief."""

from __future__ import annotations

import secrets
from dataclasses import dataclass
from uuid import UUID, uuid4

from fastapi import APIRouter, Request
from pydantic import BaseModel, ConfigDict, Field
from starlette.responses import RedirectResponse, Response

from helvor.core.practice.feedback import Feedback
from helvor.core.practice.rehearsal import Cost, Made, Option, Played, Scene, Story, costs, dangers, play, whereabouts
from helvor.core.practice.rehearsals import STORIES, story
from helvor.core.quantities.reading import round_to
from helvor.core.record.entry import Problem
from helvor.core.record.procedure import instruction
from helvor.notebook import rehearsals
from helvor.notebook.rehearsals import Rehearsal
from helvor.shelf.procedures import shipped_procedure
from helvor.web.forms import Form, SubmittedDep
from helvor.web.may import May, may
from helvor.web.practice.plate import own_bench
from helvor.web.rendering import Shell, html
from helvor.web.security import VisitorDep, WriterDep, pool

router = APIRouter()

SEEDS = 2**31


@dataclass(frozen=True, slots=True)
class Piece:
    """A piece of a bar: where the matter is, how much in words, its left edge and width in per cent, its shade."""

    place: str
    grams: str
    x: float
    width: float
    shade: str


@dataclass(frozen=True, slots=True)
class Bar:
    """Where a component is, as one bar."""

    component: str
    brought: str
    pieces: list[Piece]


@dataclass(frozen=True, slots=True)
class CostShown:
    """A decision in the debrief: what was chosen, what is usual, and what the difference was."""

    made: Made
    words: str
    usual: str
    differs: bool
    grams: str
    purity: str
    minutes: str
    level: str


@dataclass(frozen=True, slots=True)
class ProductShown:
    """A product at the end: name, what it really is, what the balance said, how pure it is, its recovery."""

    name: str
    grams: str
    weighed: str
    purity: str
    recovery: str


@dataclass(frozen=True, kw_only=True)
class PracticeRunsPage(Shell):
    """What can be rehearsed, and what was begun."""

    stories: list[tuple[Story, int]]
    begun: list[tuple[Rehearsal, Played]]
    csrf: str


@dataclass(frozen=True, kw_only=True)
class PracticeRunPage(Shell):
    """A practice run as it stands."""

    rehearsal: Rehearsal
    played: Played
    scene: Scene
    last: list[Feedback]
    offered: list[Option]
    doing: str
    hazards: str
    bars: list[Bar]
    products: list[ProductShown]
    debrief: list[CostShown]
    dangers: list[tuple[Made, Feedback]]
    passed: str
    entry: UUID
    csrf: str


SHADES = ("product", "a", "b", "c", "d", "e")


def _bars(played: Played) -> list[Bar]:
    bars = []
    for component, places in whereabouts(played).items():
        whole, x = played.brought.get(component, 0.0), 0.0
        home = {one.place for one in played.story.products if one.component == component}
        pieces = []
        rest = iter(SHADES[1:])
        for one in sorted(places, key=lambda lost: (lost.place not in home, -lost.grams)):
            width = 100 * one.grams / whole if whole else 0.0
            shade = SHADES[0] if one.place in home else next(rest, SHADES[-1])
            pieces.append(Piece(one.place, round_to(one.grams, 3), round(x, 2), round(width, 2), shade))
            x += width
        bars.append(Bar(component, round_to(whole, 3), pieces))
    return bars


def _signed(value: float, decimals: int) -> str:
    shown = round_to(abs(value), decimals)
    if float(shown) == 0:
        return "0"
    return f"{'−' if value < 0 else '+'}{shown}"


def _cost(cost: Cost) -> CostShown:
    made = cost.made
    return CostShown(
        made,
        made.decision.words(made.choice),
        made.decision.words(made.decision.usual),
        not cost.usual,
        _signed(-1000 * cost.grams, 0),
        _signed(-100 * cost.purity, 1),
        _signed(cost.minutes, 0),
        cost.level,
    )


def _products(played: Played) -> list[ProductShown]:
    outcome = played.outcome
    if outcome is None:
        return []
    found = []
    for one in played.story.products:
        weighed = outcome.weighed[one.portion]
        found.append(
            ProductShown(
                one.portion,
                round_to(outcome.grams[one.portion], 3),
                round_to(weighed, 3) if weighed is not None else "",
                round_to(100 * outcome.purity[one.portion], 1),
                round_to(100 * outcome.recovered(one.portion), 1),
            )
        )
    return found


def _passed(minutes: float) -> str:
    return f"{int(minutes) // 60}:{int(minutes) % 60:02d}"


@router.get("/practice/runs", include_in_schema=False)
@may(May.ANYBODY)
def practice_runs(request: Request, who: VisitorDep) -> Response:
    """What can be rehearsed, and the practice runs of one's own."""
    with pool(request).connection() as conn:
        begun = rehearsals.rehearsals_of(conn, who.account.id)
    stories = [(one, len(shipped_procedure(one.procedure).steps)) for one in STORIES.values()]
    page = PracticeRunsPage(
        visitor=who,
        place="practice",
        stories=stories,
        begun=[(one, one.played) for one in begun],
        csrf=who.csrf,
    )
    return html("practice/runs.html", page)


@router.post("/practice/runs", include_in_schema=False)
@may(May.ANYBODY)
def begin(request: Request, who: WriterDep, fields: SubmittedDep) -> Response:
    """Begin a practice run; or begin one again from one of its decisions."""
    form = Form(fields)
    key, again, decision = form.id("entry"), form.id("again"), form.text("decision")
    if key is None:
        raise Problem("entry", "This form is out of date. Reload the page; nothing was started.")
    with pool(request).connection() as conn:
        bench = own_bench(conn, who)
        choices: dict[str, str] = {}
        if again is not None:
            before = rehearsals.open_rehearsal(conn, who.account.id, again)
            told = before.story, before.seed
            for name, choice in before.choices.items():
                if name == decision:
                    break
                choices[name] = choice
        else:
            told = story(form.text("story")), secrets.randbelow(SEEDS)
        rehearsals.begin(conn, who.account.id, who.account.name, bench, key, told, choices)
    return RedirectResponse(f"/practice/runs/{key}", status_code=303)


@router.get("/practice/runs/{rehearsal_id}", include_in_schema=False)
@may(May.ANYBODY)
def practice_run(request: Request, rehearsal_id: UUID, who: VisitorDep) -> Response:
    """A practice run: what is to be decided, what followed, and at the end the debrief."""
    with pool(request).connection() as conn:
        kept = rehearsals.open_rehearsal(conn, who.account.id, rehearsal_id)
    played = kept.played
    last = played.made[-1].said if played.made else played.begins
    procedure = shipped_procedure(kept.story.procedure)
    doing = instruction(procedure.steps[played.open.step - 1], procedure) if played.open else ""
    page = PracticeRunPage(
        visitor=who,
        place="practice",
        rehearsal=kept,
        played=played,
        scene=played.scene,
        last=list(last),
        offered=played.open.offered(kept.seed) if played.open else [],
        doing=doing.replace("{", "").replace("}", ""),
        hazards=procedure.hazards,
        bars=_bars(played),
        products=_products(played),
        debrief=[_cost(one) for one in costs(played)] if played.outcome else [],
        dangers=dangers(played),
        passed=_passed(played.minutes),
        entry=uuid4(),
        csrf=who.csrf,
    )
    return html("practice/run.html", page)


@router.post("/practice/runs/{rehearsal_id}", include_in_schema=False)
@may(May.ANYBODY)
def choose(request: Request, rehearsal_id: UUID, who: WriterDep, fields: SubmittedDep) -> Response:
    """Take the decision that is open; what follows is typed into the ordinary run."""
    form = Form(fields)
    entry = form.id("entry")
    if entry is None:
        raise Problem("entry", "This form is out of date. Reload the page; nothing was saved.")
    with pool(request).connection() as conn:
        rehearsals.choose(
            conn, who.account.id, who.account.name, rehearsal_id, form.text("decision"), form.text("choice"), entry
        )
    return RedirectResponse(f"/practice/runs/{rehearsal_id}", status_code=303)


# ── JSON ────────────────────────────────────────────────────────────────────────────────────────


class PracticeRunIn(BaseModel):
    """A story by its key, its seed, and what is chosen; *usually* does what is usual where nothing is chosen."""

    model_config = ConfigDict(extra="forbid")

    story: str = Field(examples=["crystals"])
    seed: int = Field(1, ge=0, lt=SEEDS)
    choices: dict[str, str] = Field(default_factory=dict, max_length=40)
    usually: bool = False


class PracticeCostOut(BaseModel):
    """What a decision cost against the usual one: g of product, parts of purity, minutes more.

    A danger is named first and is never a gain: what it saved does not count.
    """

    decision: str
    choice: str
    usual: str
    grams: float
    purity: float
    minutes: float
    dangers: list[str] = []


class RunOut(BaseModel):
    """How far it is: the open decision with its choices; where everything is, g; at the end what came of it."""

    asks: str
    decision: str
    choices: list[str]
    said: list[str]
    lines: list[str]
    places: dict[str, dict[str, float]]
    minutes: float
    grams: dict[str, float]
    purity: dict[str, float]
    recovery: float | None
    costs: list[PracticeCostOut]


@router.post("/api/practice/run", tags=["practice"])
@may(May.PUBLIC)
def run_as_json(asked: PracticeRunIn) -> RunOut:
    """Carry a practice run out; nothing is kept. The same seed and choices give the same run."""
    played = play(story(asked.story), asked.choices, asked.seed, usually=asked.usually)
    outcome = played.outcome
    return RunOut(
        asks=played.open.asks if played.open else "",
        decision=played.open.key if played.open else "",
        choices=[one.key for one in played.open.options] if played.open else [],
        said=[one.what for one in (*played.begins, *(said for made in played.made for said in made.said))],
        lines=played.lines,
        places=played.places,
        minutes=played.minutes,
        grams=outcome.grams if outcome else {},
        purity=outcome.purity if outcome else {},
        recovery=outcome.recovery if outcome else None,
        costs=[
            PracticeCostOut(
                decision=one.made.decision.key,
                choice=one.made.choice,
                usual=one.made.decision.usual,
                grams=one.grams,
                purity=one.purity,
                minutes=one.minutes,
                dangers=[said.what for said in one.dangers],
            )
            for one in (costs(played) if outcome else [])
        ],
    )
