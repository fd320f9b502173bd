"""Drills: a short case, answered on its drawing, told why at once; what comes next follows the boxes."""

from __future__ import annotations

import re
import secrets
from collections.abc import Iterator
from dataclasses import dataclass
from datetime import UTC, datetime
from typing import Annotated, Any
from uuid import UUID, uuid4

import psycopg
from fastapi import APIRouter, Request
from pydantic import BaseModel, ConfigDict, Field
from starlette.responses import RedirectResponse, Response

from helvor.core.practice.boxes import Standing, next_topic, standings
from helvor.core.practice.drills import (
    LEVELS,
    MARK_WITHIN,
    NOT_YET,
    PLACES,
    TOPICS,
    WINDOW,
    Drill,
    Dry,
    Eluent,
    Empty,
    Layers,
    Limiting,
    Order,
    Reading,
    Topic,
    Tubes,
    Verdict,
    Wrong,
    drill,
)
from helvor.core.practice.virtual_plate import HEIGHT, ORIGIN, WIDTH
from helvor.core.quantities.formula import readable
from helvor.core.quantities.reading import Unreadable, parse_number
from helvor.notebook import classes, drill_answers
from helvor.notebook.drill_answers import Given, SetOfClass, SetTopic, TopicOfClass
from helvor.web.forms import Form, SubmittedDep
from helvor.web.may import May, may
from helvor.web.practice.plate import dark, outline
from helvor.web.rendering import Shell, html
from helvor.web.security import Visitor, VisitorDep, WriterDep, pool

router = APIRouter()

SEEDS = 2**31
MOST_TIMES = 10
GIVEN = ("front", "spot", "rf")
"""What an answer to a plate holds; any other holds what was picked."""


@dataclass(frozen=True, slots=True)
class Choice:
    """Something to pick: what is sent, what it says."""

    key: str
    words: str
    picked: bool = False


@dataclass(frozen=True, slots=True)
class PlateDrawn:
    """A plate to read, mm from its top edge: the spot's outline, where it is densest, where the wet ends; the marks."""

    path: str
    dark: float
    dense: float
    half: float
    wet: float
    label: str
    front_mark: float
    spot_mark: float
    rf: str
    true_front: float | None
    true_spot: float | None


@dataclass(frozen=True, slots=True)
class FunnelDrawn:
    """A funnel's layers from the top: their place, whether it was picked, its depth in the drawing."""

    parts: tuple[str, ...]
    depths: tuple[float, float]
    labels: tuple[str, str] | None


@dataclass(frozen=True, slots=True)
class Dot:
    """A weighing on its chart: number, where, its net and time in words."""

    number: str
    x: float
    y: float
    net: str
    after: str


@dataclass(frozen=True, slots=True)
class WindowDrawn:
    """A plate and the window where its spot should lie, mm from its top edge; the spot's outline and lane."""

    path: str
    dark: float
    front: float
    top: float
    height: float
    label: str


@dataclass(frozen=True, slots=True)
class TubeShown:
    """A tube with the spots of its plate: number, strengths of each compound, whether it was picked, is in the key."""

    number: int
    spots: tuple[int, ...]
    picked: bool
    key: bool


@dataclass(frozen=True, slots=True)
class StepShown:
    """A step to be put in its place: its number as shown, its words, the place that it was given."""

    number: int
    words: str
    place: str


@dataclass(frozen=True, slots=True)
class OfClass:
    """A class's answers: its code, a line each topic; what is given to it, by topic, and how many benches it has."""

    id: UUID
    code: str
    topics: list[tuple[str, TopicOfClass]]
    given: dict[str, SetOfClass]
    benches: int


@dataclass(frozen=True, kw_only=True)
class DrillPage(Shell):
    """A drill, before or after its answer."""

    topic: Topic
    level: int
    seed: int
    title: str
    asks: str
    equation: str
    choices: list[Choice]
    plate: PlateDrawn | None
    funnel: FunnelDrawn | None
    dots: list[Dot]
    amounts: list[tuple[str, str, str]]
    window: WindowDrawn | None
    tubes: list[TubeShown]
    compounds: list[str]
    order: list[StepShown]
    strip: list[Choice]
    rows: list[tuple[str, str, str, str, str]]
    verdict: Verdict | None
    standings: list[Standing]
    titles: dict[Topic, str]
    of_classes: list[OfClass]
    set_topics: list[SetTopic]
    due: dict[str, str]
    entry: UUID
    csrf: str
    trouble: str


def judged(case: Drill, given: dict[str, str]) -> Verdict:
    """An answer as it was sent, judged.

    Raises:
        Unreadable: it is not an answer to this case; with one sentence.
    """
    if isinstance(case, Reading):
        marks = []
        for name in ("front", "spot"):
            try:
                marks.append(parse_number(given.get(name, ""))[0])
            except Unreadable:
                raise Unreadable(f"Enter the height of the {name}'s mark in mm, such as 72.5.") from None
        try:
            rf = parse_number(given.get("rf", ""))[0]
        except Unreadable:
            raise Unreadable("Enter the Rf as a number, such as 0.43.") from None
        return case.marked(marks[0], marks[1], rf)
    return case.marked(given.get("picked", ""))


def _choices(case: Drill, picked: str) -> list[Choice]:
    if isinstance(case, Layers):
        pairs = [(place, f"{place.capitalize()} layer") for place in PLACES]
    elif isinstance(case, Dry):
        pairs = [*((str(n), f"Weighing {n}") for n in range(1, len(case.nets) + 1)), (NOT_YET, "None: not dry yet")]
    elif isinstance(case, Limiting):
        pairs = [(part.name, part.name.capitalize()) for part in case.parts]
    elif isinstance(case, Eluent | Wrong | Empty):
        pairs = case.choices
    else:
        pairs = []
    return [Choice(key, words, key == picked) for key, words in pairs]


def _plate(case: Reading, given: dict[str, str], *, told: bool) -> PlateDrawn:
    spot = case.plate.spots[0]

    def mark(name: str, usual: float) -> float:
        try:
            return min(max(parse_number(given.get(name, ""))[0], 0.0), HEIGHT)
        except Unreadable:
            return usual

    return PlateDrawn(
        outline(spot, WIDTH / 2),
        dark(spot),
        round(HEIGHT - case.spot, 2),
        round(0.3 * spot.width, 2),
        HEIGHT - case.front,
        case.compound,
        mark("front", 50.0),
        mark("spot", 25.0),
        given.get("rf", ""),
        case.front if told else None,
        case.spot if told else None,
    )


def _funnel(case: Layers, *, told: bool) -> FunnelDrawn:
    upper, lower = case.settled.upper, case.settled.lower
    assert upper is not None and lower is not None  # such cases are not drawn
    share = upper.volume / (upper.volume + lower.volume)
    labels = (upper.makes, lower.makes) if told else None
    parts = tuple(f"{volume:.0f} mL {liquid.name}" for liquid, volume in case.poured)
    return FunnelDrawn(parts, (round(10 + 50 * share, 1), round(10 + 50 * (1 - share), 1)), labels)


def _dots(case: Dry) -> list[Dot]:
    low, high = min(case.nets), max(case.nets)
    span, last = max(high - low, case.step), case.minutes[-1]
    return [
        Dot(
            str(n),
            round(40 + 380 * at / last, 1),
            round(30 + 130 * (high - net) / span, 1),
            f"{net:.{case.decimals}f}",
            f"{at:.0f}",
        )
        for n, (net, at) in enumerate(zip(case.nets, case.minutes, strict=True), start=1)
    ]


def _amounts(case: Limiting) -> list[tuple[str, str, str]]:
    return [(part.name, part.amount, readable(part.formula)) for part in case.parts]


def _window(case: Eluent) -> WindowDrawn:
    spot, front = case.plate.spots[0], case.plate.front or 0.0
    low, high = (ORIGIN + part * front for part in WINDOW)
    return WindowDrawn(
        outline(spot, WIDTH / 2),
        dark(spot),
        round(HEIGHT - ORIGIN - front, 2),
        round(HEIGHT - high, 2),
        round(high - low, 2),
        case.compound,
    )


def _tubes(case: Tubes, picked: str, *, told: bool) -> list[TubeShown]:
    mine, key = set(picked.split()), set(case.key) if told else set()
    return [TubeShown(n, tuple(spots.values()), str(n) in mine, n in key) for n, spots in enumerate(case.seen, 1)]


def _order(case: Order, places: str) -> list[StepShown]:
    place = dict(enumerate(places.split(), 1))
    return [StepShown(n, one.words, place.get(n, "")) for n, one in enumerate(case.shown, 1)]


def _given(topic: Topic, form: Form) -> dict[str, str]:
    """An answer as it was sent: what was picked, tubes by their numbers, steps in the order of their places."""
    if topic == "read":
        return {name: form.text(name)[:80] for name in GIVEN}
    if topic == "pool":
        return {"picked": " ".join(one[:4] for one in form.all("tube")[:60])}
    if topic == "order":
        places = {str(n): form.text(f"place-{n}")[:1] for n in range(1, 6) if f"place-{n}" in form.fields}
        whole = sorted(places.values()) == sorted(places)
        order = sorted(places, key=lambda number: places[number])
        return {"picked": " ".join(order) if whole else "", "places": " ".join(p or "-" for p in places.values())}
    return {"picked": form.text("picked")[:80]}


def _due(standing: list[Standing], now: datetime) -> dict[str, str]:
    says = {}
    for one in standing:
        days = -(-(one.due - now).total_seconds() // 86400) if one.due is not None else 0
        says[one.topic] = "now" if one.is_due(now) else "tomorrow" if days <= 1 else f"in {days:.0f} days"
    return says


def _of_classes(conn: psycopg.Connection, who: Visitor) -> Iterator[OfClass]:
    """How the benches of each class stand, and what was given to them; nothing for a bench's tablet."""
    if who.account.role == "bench":
        return
    titles = {str(key): title for key, title in TOPICS.items()}
    for row in classes.classes_of(conn, who.account.id):
        topics = drill_answers.of_class(conn, who.account.id, row.id)
        given_now, benches = drill_answers.given_to(conn, who.account.id, row.id)
        if (who.account.role == "instructor" and not row.archived) or topics:
            lines = [(titles.get(one.topic, one.topic), one) for one in topics]
            yield OfClass(row.id, row.code, lines, {one.topic: one for one in given_now}, benches)


def _shown(
    conn: psycopg.Connection,
    who: Visitor,
    case: tuple[Topic, int, int],
    given: dict[str, str],
    verdict: Verdict | None,
    trouble: str = "",
    entry: UUID | None = None,
) -> DrillPage:
    topic, level, seed = case
    made, told = drill(topic, level, seed), verdict is not None
    standing = standings(TOPICS, drill_answers.answers_of(conn, who.account.id))
    picked = given.get("picked", "")
    return DrillPage(
        visitor=who,
        place="practice",
        topic=topic,
        level=level,
        seed=seed,
        title=TOPICS[topic],
        asks=made.asks,
        equation=made.equation if isinstance(made, Limiting) else "",
        choices=_choices(made, picked),
        plate=_plate(made, given, told=told) if isinstance(made, Reading) else None,
        funnel=_funnel(made, told=told) if isinstance(made, Layers) else None,
        dots=_dots(made) if isinstance(made, Dry) else [],
        amounts=_amounts(made) if isinstance(made, Limiting) else [],
        window=_window(made) if isinstance(made, Eluent) else None,
        tubes=_tubes(made, picked, told=told) if isinstance(made, Tubes) else [],
        compounds=list(made.ran.tubes[0]) if isinstance(made, Tubes) else [],
        order=_order(made, given.get("places", "")) if isinstance(made, Order) else [],
        strip=_choices(made, picked) if isinstance(made, Empty) else [],
        rows=made.rows if isinstance(made, Wrong) else [],
        verdict=verdict,
        standings=standing,
        titles=TOPICS,
        of_classes=list(_of_classes(conn, who)),
        set_topics=drill_answers.set_of(conn, who.account.id),
        due=_due(standing, datetime.now(UTC)),
        entry=entry or uuid4(),
        csrf=who.csrf,
        trouble=trouble,
    )


def _address(topic: str, level: int, seed: int) -> str:
    return f"/practice/drills?topic={topic}&level={level}&seed={seed}"


def _case(topic: str, level: str, seed: str) -> tuple[Topic, int, int] | None:
    """What an address or a form names; None where it names no drill."""
    if not (re.fullmatch("[0-9]", level) and re.fullmatch("[0-9]{1,10}", seed)):
        return None
    known = next((one for one in TOPICS if one == topic), None)
    if known is None or int(level) not in LEVELS or int(seed) >= SEEDS:
        return None
    return known, int(level), int(seed)


@router.get("/practice/drills", include_in_schema=False)
@may(May.ANYBODY)
def drill_page(
    request: Request, who: VisitorDep, topic: str = "", level: str = "", seed: str = "", answer: UUID | None = None
) -> Response:
    """The drill that the address names, told if it names an answer; without one, whichever is to come."""
    with pool(request).connection() as conn:
        if answer is not None:
            kept = drill_answers.one_of(conn, who.account.id, answer)
            case = _case(kept.topic, str(kept.level), str(kept.seed))
            if case is not None:
                given = dict(kept.given)
                return html("practice/drill.html", _shown(conn, who, case, given, judged(drill(*case), given)))
        case = _case(topic, level, seed)
        if case is not None:
            return html("practice/drill.html", _shown(conn, who, case, {}, None))
        standing = standings(TOPICS, drill_answers.answers_of(conn, who.account.id))
        wanted = {one.topic for one in drill_answers.set_of(conn, who.account.id) if not one.done}
    # What was given to the class comes first, by the boxes among itself.
    among = [one for one in standing if one.topic in wanted] or standing
    chosen = next((one for one in standing if one.topic == topic), None) or next_topic(among, datetime.now(UTC))
    return RedirectResponse(_address(chosen.topic, chosen.level, secrets.randbelow(SEEDS)), status_code=303)


@router.post("/practice/drills", include_in_schema=False)
@may(May.ANYBODY)
def answer_drill(request: Request, who: WriterDep, fields: SubmittedDep) -> Response:
    """Keep an answer, and show why it is right or not."""
    form = Form(fields)
    case, key = _case(form.text("topic"), form.text("level"), form.text("seed")), form.id("entry")
    if case is None or key is None:
        raise Unreadable("There is no such drill: start another one.")
    given: dict[str, str] = {}
    with pool(request).connection() as conn:
        try:
            given = _given(case[0], form)
            verdict = judged(drill(*case), given)
        except Unreadable as trouble:
            return html("practice/drill.html", _shown(conn, who, case, given, None, str(trouble), key), status=422)
        drill_answers.keep(conn, who.account.id, Given(key, *case, given), right=verdict.right)
    return RedirectResponse(f"/practice/drills?answer={key}", status_code=303)


@router.post("/classes/{class_id}/drills", include_in_schema=False)
@may(May.INSTRUCTORS)
def give_drills(request: Request, class_id: UUID, who: WriterDep, fields: SubmittedDep) -> Response:
    """Give a set of topics to a class; an empty one takes back what was given."""
    form = Form(fields)
    key, times = form.id("entry"), form.text("times") or "2"
    topics = [topic for topic in TOPICS if topic in form.all("topic")]
    if key is None or not (times.isascii() and times.isdigit() and len(times) < 5) or not 1 <= int(times) <= MOST_TIMES:
        raise Unreadable(f"Enter 1 to {MOST_TIMES} correct answers per topic.")
    with pool(request).connection() as conn:
        drill_answers.give(conn, who.account.id, class_id, key, topics, int(times))
    return RedirectResponse("/practice/drills", status_code=303)


# ── JSON ────────────────────────────────────────────────────────────────────────────────────────


class DrillIn(BaseModel):
    """A drill by its topic, level and seed; with an answer it is judged."""

    model_config = ConfigDict(extra="forbid")

    topic: Topic
    level: int = Field(1, ge=1, le=3)
    seed: int = Field(ge=0, lt=SEEDS)
    given: Annotated[dict[str, str] | None, Field(examples=[{"picked": "lower"}])] = None


class DrillOut(BaseModel):
    """What is asked, what may be picked; after an answer whether it is right, why, and the working."""

    asks: str
    choices: list[str]
    shown: dict[str, Any]
    right: bool | None
    why: str
    working: list[str]


def _facts(case: Drill) -> dict[str, Any]:
    """What the drawing shows, as numbers: nothing that gives the answer away but what an eye sees."""
    if isinstance(case, Reading):
        return {
            "front_mm": round(case.front, 1),
            "spot_mm": round(case.spot, 1),
            "origin_mm": ORIGIN,
            "within_mm": MARK_WITHIN,
        }
    if isinstance(case, Layers):
        return {"poured": [{"liquid": liquid.name, "mL": volume} for liquid, volume in case.poured]}
    if isinstance(case, Dry):
        return {"nets_g": list(case.nets), "minutes": list(case.minutes), "step_g": case.step, "rule": case.rule}
    if isinstance(case, Eluent):
        return {"strong": case.plate.setting.strong, "rf": round(case.rf, 2), "window": list(WINDOW)}
    if isinstance(case, Tubes):
        return {"tubes": [{name: one for name, one in spots.items() if one} for spots in case.seen]}
    if isinstance(case, Order):
        return {"steps": [one.words for one in case.shown]}
    if isinstance(case, Empty):
        return {"steps": [words for words, _ in case.steps], "thing": case.thing}
    if isinstance(case, Wrong):
        return {
            "rows": [
                {"portion": a, "in_g": b, "weighed_g": c, "per_cent": d, "usual": e} for a, b, c, d, e in case.rows
            ]
        }
    return {"equation": case.equation, "parts": [{"name": part.name, "amount": part.amount} for part in case.parts]}


@router.post("/api/practice/drill", tags=["practice"])
@may(May.PUBLIC)
def drill_as_json(asked: DrillIn) -> DrillOut:
    """A drill; with *given* it is judged, and nothing is kept. Heights of a plate are over its bottom edge."""
    case = drill(asked.topic, asked.level, asked.seed)
    verdict = judged(case, asked.given) if asked.given is not None else None
    return DrillOut(
        asks=case.asks,
        choices=[one.key for one in _choices(case, "")],
        shown=_facts(case),
        right=verdict.right if verdict else None,
        why=verdict.why if verdict else "",
        working=list(verdict.working) if verdict else [],
    )
