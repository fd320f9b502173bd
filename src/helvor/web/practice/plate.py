"""A virtual plate: set up, develop in faster time, look, take out, and measure like any other."""

from __future__ import annotations

import math
import secrets
from dataclasses import dataclass
from urllib.parse import urlencode
from uuid import UUID, uuid4, uuid5

import psycopg
from fastapi import APIRouter, Request
from pydantic import BaseModel, ConfigDict, Field
from starlette.responses import RedirectResponse, Response

from helvor.core.laws.planar.eluent import parse_eluent
from helvor.core.practice.feedback import Feedback
from helvor.core.practice.virtual_plate import (
    COMPOUNDS,
    GOALS,
    HEIGHT,
    LAYERS,
    MIX,
    ORIGIN,
    STOP,
    WIDTH,
    Developed,
    Goal,
    LayerKind,
    Setting,
    VirtualSpot,
    check_goal,
    develop,
)
from helvor.core.quantities.reading import Unreadable, parse, round_to
from helvor.core.record.entry import Payload
from helvor.core.techniques.planar import plate as planar
from helvor.core.techniques.planar.plate import gather
from helvor.notebook import classes, pages, photographs
from helvor.notebook.page_errors import NotYours
from helvor.notebook.pages import Draft
from helvor.simulators.camera import lane_places, photograph
from helvor.web.forms import Form, SubmittedDep
from helvor.web.may import May, may
from helvor.web.rendering import Shell, html, is_htmx
from helvor.web.security import Visitor, VisitorDep, WriterDep, pool
from helvor.web.techniques.planar.photographs import read_soon

router = APIRouter()


@dataclass(frozen=True, slots=True)
class SpotDrawn:
    """A spot of the drawing: its outline in mm, how dark, what it is."""

    path: str
    dark: float
    says: str


@dataclass(frozen=True, slots=True)
class WindowDrawn:
    """Where a compound should come to lie: a box over its lane, mm."""

    x: float
    y: float
    width: float
    height: float
    met: bool


@dataclass(frozen=True, slots=True)
class Try:
    """An earlier plate of the same goal, small: its eluent, spots, windows, front, and whether it met the goal."""

    eluent: str
    spots: list[SpotDrawn]
    windows: list[WindowDrawn]
    front_y: float | None
    met: bool
    says: str


@dataclass(frozen=True, kw_only=True)
class VirtualPlate:
    """The part of the page that follows the plate."""

    goal: Goal
    number: int
    goals: list[tuple[int, str]]
    shelf: list[tuple[str, bool]]
    layers: list[tuple[str, str]]
    layer: LayerKind
    day: bool
    tries: list[Try]
    past: str
    curve: str
    curve_now: tuple[float, float]
    curve_due: tuple[float, float, str] | None
    setting: Setting
    minutes: float
    out: bool
    plate: Developed
    lanes: list[tuple[str, float]]
    spots: list[SpotDrawn]
    windows: list[WindowDrawn]
    front_y: float | None
    level_y: float
    met: bool
    said: list[Feedback]
    query: str
    due: str
    ticks: list[tuple[float, int]]
    entry: UUID
    csrf: str
    trouble: str


@dataclass(frozen=True, kw_only=True)
class VirtualPlatePage(Shell, VirtualPlate):
    """The same as a page."""


def _number(text: str, low: float, high: float, usual: float) -> float:
    try:
        value = float(text.replace(",", "."))
    except ValueError:
        return usual
    return usual if math.isnan(value) else min(max(value, low), high)


def _asked(asked: dict[str, str]) -> tuple[int, Setting, float, bool]:
    """What an address or a form asks for; whatever it does not say is usual."""
    number = int(_number(asked.get("goal", ""), OWN, len(GOALS) - 1, 0))
    chosen = tuple(name for name in asked.get("compounds", "").split(",") if name in COMPOUNDS)[:4]
    own = number == OWN
    names = (chosen or USUAL) if own else tuple(name for name, _, _ in GOALS[number].windows)
    layer = asked.get("layer", "") if asked.get("layer", "") in LAYERS else "silica"
    strong = _number(asked.get("strong", ""), 1, 100, 40)
    acid = _number(asked.get("acid", ""), 0, 10, 0)
    setting = Setting(
        names,
        min(strong, 100 - acid),
        acid,
        _number(asked.get("level", ""), 1, 40, 6),
        int(_number(asked.get("touches", ""), 1, 12, 2)),
        asked.get("lined", "yes") != "no",
        int(_number(asked.get("seed", ""), 0, 10**9, secrets.randbelow(10**6))),
        layer,
    )
    return number, setting, _number(asked.get("minutes", ""), 0, 120, 0), asked.get("out") == "yes"


OWN = -1
"""Number of the goal that is none: a plate of one's own compounds."""
USUAL = ("caffeine", "aspirin")
NO_GOAL = Goal(())
MOST_TRIES = 3


def _past(text: str) -> list[tuple[Setting, float]]:
    """Earlier plates as the address keeps them: per cents, level, touches, lining, minutes, each after another."""
    found = []
    for one in text.split("_")[-MOST_TRIES:]:
        parts = one.split(":")
        if len(parts) != 9:
            continue
        names = tuple(name for name in parts[8].split(",") if name in COMPOUNDS)
        if not names or parts[7] not in LAYERS:
            continue
        strong, acid = _number(parts[0], 1, 100, 40), _number(parts[1], 0, 10, 0)
        setting = Setting(
            names,
            min(strong, 100 - acid),
            acid,
            _number(parts[2], 1, 40, 6),
            int(_number(parts[3], 1, 12, 2)),
            parts[4] != "no",
            int(_number(parts[6], 0, 10**9, 1)),
            parts[7],
        )
        found.append((setting, _number(parts[5], 0, 120, 0)))
    return found


def _kept(setting: Setting, minutes: float) -> str:
    lined = "yes" if setting.lined else "no"
    return (
        f"{setting.strong:g}:{setting.acid:g}:{setting.level:g}:{setting.touches}:{lined}:{minutes:g}:{setting.seed}:"
        f"{setting.layer}:{','.join(setting.compounds)}"
    )


def _tries(past: list[tuple[Setting, float]], goal: Goal) -> list[Try]:
    found = []
    for setting, minutes in past:
        plate = develop(setting, minutes)
        labels = [label for label, _ in setting.lanes]
        lane = dict(zip(labels, lane_places(len(labels)), strict=True))
        met, said = check_goal(plate, goal)
        front_y = HEIGHT - ORIGIN - plate.front if plate.front is not None else None
        eluent = f"{setting.weak:g} : {setting.strong:g} : {setting.acid:g}"
        windows = _windows(plate, goal, lane) if all(name in setting.compounds for name, _, _ in goal.windows) else []
        bad = next((one.what for one in said if one.level == "caution"), "")
        found.append(Try(eluent, _drawn(plate, lane), windows, front_y, met and bool(goal.windows), bad))
    return found


CURVE_WIDE, CURVE_HIGH = 300.0, 96.0


def _curve(setting: Setting, minutes: float, until: float) -> tuple[str, tuple[float, float]]:
    """The front against time as a path, and where it is now, in the drawing's units."""

    def at(time: float) -> tuple[float, float]:
        front = min(max(setting.front_at(time), 0.0), HEIGHT - ORIGIN)
        return round(CURVE_WIDE * time / until, 1), round(CURVE_HIGH * (1 - front / (HEIGHT - ORIGIN)), 1)

    points = [at(until * n / 40) for n in range(41)]
    return "M" + "L".join(f"{x} {y}" for x, y in points), at(min(minutes, until))


def outline(spot: VirtualSpot, x: float) -> str:
    """A spot's outline on a lane at *x*, mm from the plate's left and top edges: the lower half is its tail."""
    y, rx = HEIGHT - ORIGIN - spot.centre, spot.width / 2
    up, down = spot.head - spot.centre, spot.centre - spot.tail
    return f"M{x - rx:.2f} {y:.2f}a{rx:.2f} {up:.2f} 0 0 1 {2 * rx:.2f} 0a{rx:.2f} {down:.2f} 0 0 1 {-2 * rx:.2f} 0"


def dark(spot: VirtualSpot) -> float:
    """How dark a spot is drawn, 0 to 1."""
    return round(min(1.0, 0.3 + spot.strength), 2)


def _drawn(plate: Developed, lane: dict[str, float]) -> list[SpotDrawn]:
    found = []
    for spot in plate.spots:
        found.append(SpotDrawn(outline(spot, lane[spot.lane]), dark(spot), f"{spot.compound} in lane {spot.lane}"))
    return found


def _windows(plate: Developed, goal: Goal, lane: dict[str, float]) -> list[WindowDrawn]:
    front = plate.front or STOP
    found = []
    for name, low, high in goal.windows:
        rf = plate.rf_of(name)
        top, bottom = HEIGHT - ORIGIN - high * front, HEIGHT - ORIGIN - low * front
        x = lane[COMPOUNDS[name].label]
        lies = goal.lies(name, rf)
        found.append(WindowDrawn(round(x - 4.5, 2), round(top, 2), 9.0, round(bottom - top, 2), lies))
    return found


def _address_of(number: int, setting: Setting, past: str, *, day: bool) -> str:
    """The plate as it is set, as the query of an address."""
    return urlencode(
        {
            "goal": number,
            "layer": setting.layer,
            "compounds": ",".join(setting.compounds),
            "past": past,
            "lamp": "day" if day else "254",
            "strong": f"{setting.strong:g}",
            "acid": f"{setting.acid:g}",
            "level": f"{setting.level:g}",
            "touches": setting.touches,
            "lined": "yes" if setting.lined else "no",
            "seed": setting.seed,
        }
    )


def _shown(who: Visitor, asked: dict[str, str], trouble: str = "") -> VirtualPlate:
    number, setting, minutes, out = _asked(asked)
    goal = NO_GOAL if number == OWN else GOALS[number]
    plate = develop(setting, minutes)
    labels = [label for label, _ in setting.lanes]
    lane = dict(zip(labels, lane_places(len(labels)), strict=True))
    met, said = check_goal(plate, goal)
    front_y = HEIGHT - ORIGIN - plate.front if plate.front is not None else None
    past = _past(asked.get("past", ""))
    kept = "_".join(_kept(*one) for one in past)
    day = asked.get("lamp") == "day"
    due = f"{setting.minutes_to(STOP):.1f}" if setting.over_liquid > 0 else ""
    until = max(setting.minutes_to_top, minutes, 1.0)
    curve, now = _curve(setting, minutes, until)
    _, at_due = _curve(setting, setting.minutes_to(STOP), until)
    # No minute stands so near the top that it would lie over the unit.
    ticks = [
        (HEIGHT - ORIGIN - setting.front_at(n), n)
        for n in (1, 2, 3, 4, 6, 8, 10, 12, 15, 20)
        if 0 < setting.front_at(n) < HEIGHT - ORIGIN - 3
    ]
    return VirtualPlate(
        goal=goal,
        number=number,
        goals=[(n, one.words) for n, one in enumerate(GOALS)],
        setting=setting,
        shelf=[(name, name in setting.compounds) for name in COMPOUNDS],
        layers=[(key, one.words) for key, one in LAYERS.items()],
        layer=LAYERS[setting.layer],
        day=day,
        tries=_tries(past, goal),
        past="_".join(filter(None, (kept, _kept(setting, minutes) if out else ""))),
        curve=curve,
        curve_now=now,
        curve_due=(*at_due, due) if due else None,
        minutes=minutes,
        out=out,
        plate=plate,
        lanes=list(lane.items()),
        spots=_drawn(plate, lane),
        windows=_windows(plate, goal, lane),
        front_y=front_y,
        level_y=HEIGHT - setting.level,
        met=met,
        said=said if out else [],
        query=_address_of(number, setting, kept, day=day),
        due=due,
        ticks=ticks,
        entry=uuid4(),
        csrf=who.csrf,
        trouble=trouble,
    )


@router.get("/practice", include_in_schema=False)
@may(May.ANYBODY)
def practice(who: VisitorDep) -> Response:
    """Practice begins with a plate."""
    return RedirectResponse("/practice/plate", status_code=303)


@router.get("/practice/plate", include_in_schema=False)
@may(May.ANYBODY)
def virtual_plate(request: Request, who: VisitorDep) -> Response:
    """The virtual plate as the address says."""
    asked = dict(request.query_params)
    asked["compounds"] = ",".join(request.query_params.getlist("compounds"))
    shown = _shown(who, asked)
    if is_htmx(request):
        return html("practice/plate_work.html", shown)
    fields = {name: getattr(shown, name) for name in VirtualPlate.__dataclass_fields__}
    return html("practice/plate.html", VirtualPlatePage(visitor=who, place="practice", **fields))


def own_bench(conn: psycopg.Connection, who: Visitor) -> UUID:
    """Where a person's own plates lie: a tablet's bench, else the front bench."""
    if who.account.role == "bench":
        bench = classes.bench_worked_at(conn, who.account.id)
        if bench is None:
            raise NotYours
        return bench
    return classes.front_bench(conn, who.account.id).id


def entries_of(setting: Setting) -> list[Payload]:
    """What is written on the ordinary page of a virtual plate before it is measured; it says that it is virtual."""
    liquids = (
        (LAYERS[setting.layer].strong, setting.strong),
        (LAYERS[setting.layer].weak, setting.weak),
        ("acetic acid", setting.acid),
    )
    eluent = ", ".join(f"{part:g} % {name}" for name, part in liquids if part > 1e-9)
    labels = [label for label, _ in setting.lanes]
    names = {COMPOUNDS[name].label: name for name in setting.compounds} | {MIX: "mixture of them"}
    mm = [parse(f"{value:g} mm", "length") for value in (WIDTH, HEIGHT, ORIGIN, setting.level)]
    return [
        planar.SetUp(
            phase=LAYERS[setting.layer].phase,
            indicator=True,
            width=mm[0],
            height=mm[1],
            origin=mm[2],
            about="virtual plate",
        ),
        planar.EluentUsed(eluent=parse_eluent(eluent)),
        planar.Chamber(level=mm[3], lined=setting.lined, lid=True),
        *(
            planar.Lane(
                at=parse(f"{round_to(x, 1)} mm", "length"),
                label=label,
                substance=names[label],
                role="unknown" if label == MIX else "reference",
                touches=setting.touches,
            )
            for label, x in zip(labels, lane_places(len(labels)), strict=True)
        ),
    ]


@router.post("/practice/plate/measure", include_in_schema=False)
@may(May.ANYBODY)
def measure(request: Request, who: WriterDep, fields: SubmittedDep) -> Response:
    """Photograph a plate that was taken out, onto an ordinary page of one's own bench."""
    form = Form(fields)
    key = form.id("entry")
    asked = {name: values[0] for name, values in fields.items() if values}
    _, setting, minutes, _ = _asked(asked)
    plate = develop(setting, minutes)
    if key is None or plate.washed_out:
        raise Unreadable("Nothing on this plate can be measured: start a new plate.")
    content = photograph(plate)
    with pool(request).connection() as conn, conn.transaction():
        page_id = pages.start_page(conn, who.account.id, own_bench(conn, who), "planar", key, virtual=True)
        known, entries = pages.open_page(conn, who.account.id, page_id)
        if not entries:
            photo_id = uuid5(key, "photograph")
            picture = photographs.look_at("virtual plate.jpg", content, ours=True)
            says = [*entries_of(setting), planar.Photographed(photo=photo_id, name=picture.name, light="254")]
            drafts = [Draft(uuid5(key, str(n)), one) for n, one in enumerate(says)]
            written = pages.append(conn, who.account.id, who.account.name, page_id, lambda _: drafts)
            asked_of = photographs.asked_of(gather(written.entries))
            photographs.keep(conn, who.account.id, page_id, photo_id, picture, "254", asked_of)
    read_soon(pool(request), uuid5(key, "photograph"), 1)
    return RedirectResponse(f"{known.address}/photo", status_code=303)


# ── JSON ────────────────────────────────────────────────────────────────────────────────────────


class VirtualPlateIn(BaseModel):
    """A virtual plate and how long it stood in its chamber."""

    model_config = ConfigDict(extra="forbid")

    compounds: list[str] = Field(min_length=1, max_length=4, examples=[["caffeine", "aspirin"]])
    strong: float = Field(description="Per cent by volume of the strong part.")
    acid: float = 0.0
    level: float = Field(6.0, description="Of the liquid over the chamber's floor, mm.")
    touches: int = 2
    lined: bool = True
    seed: int = Field(1, ge=0, le=10**9)
    layer: str = Field("silica", max_length=20, examples=list(LAYERS))
    minutes: float


class VirtualSpotOut(BaseModel):
    """A spot as it is, mm over the origin."""

    lane: str
    compound: str
    centre: float
    tail: float
    head: float
    width: float


class VirtualPlateOut(BaseModel):
    """The plate after so many minutes; ``front`` is None when it ran off the top."""

    front: float | None
    washed_out: bool
    minutes_to_top: float
    spots: list[VirtualSpotOut]


@router.post("/api/practice/plate", tags=["practice"])
@may(May.PUBLIC)
def plate_as_json(asked: VirtualPlateIn) -> VirtualPlateOut:
    """Develop a virtual plate: the front by its law, Rf from the composition, spreading, tails; the same for a seed."""
    setting = Setting(
        tuple(asked.compounds),
        asked.strong,
        asked.acid,
        asked.level,
        asked.touches,
        asked.lined,
        asked.seed,
        asked.layer,
    )
    plate = develop(setting, asked.minutes)
    return VirtualPlateOut(
        front=plate.front,
        washed_out=plate.washed_out,
        minutes_to_top=setting.minutes_to_top,
        spots=[
            VirtualSpotOut(lane=s.lane, compound=s.compound, centre=s.centre, tail=s.tail, head=s.head, width=s.width)
            for s in plate.spots
        ],
    )
