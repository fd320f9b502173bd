"""The instruments of a filtration: cone or suction drawn with its checks, washes, the oven's scale."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from markupsafe import Markup

from helvor.core.engine.plan.holds import melting
from helvor.core.engine.run.losses import ends_through
from helvor.core.engine.run.work_out import StepSeen
from helvor.core.engine.technique import Check
from helvor.core.laws.filtration.oven import Limit, limits
from helvor.core.laws.filtration.paper import BELOW_RIM, FUNNELS, cone_of, fill_line, funnel_for_paper
from helvor.core.laws.filtration.wash import left_of, more_rinses, wash_loss
from helvor.core.quantities.reading import digits
from helvor.core.record.outputs import in_phase
from helvor.core.record.procedure import Step
from helvor.core.techniques.filtration.entries import DRYING_PLACES, Drying, Filtrate, Poured, Washed
from helvor.core.techniques.filtration.findings import FILTERS, HALF, Flask, flask_of, liquid_to_filter
from helvor.core.techniques.filtration.parameters import OfAFilter
from helvor.core.techniques.registered import STEP_KINDS
from helvor.web.rendering import fragment
from helvor.web.run.at_step import AtStep

USUAL_PAPER = 110.0
"""Diameter of the paper where the step does not say, mm."""
CONE_TIP, CONE_HALF, CONE_HIGH = (140.0, 196.0), 78.0, 135.1
"""The drawn glass funnel: its tip, half its width and its height; 60° between its sides."""
FLASK_TOP, FLASK_BASE, FLASK_NECK, FLASK_FOOT = 172.0, 306.0, 15.0, 76.0
"""The drawn suction flask: where it widens and ends, and its half-widths there."""
OVEN_LOW, OVEN_HIGH = 20.0, 180.0
"""Ends of the oven's drawn scale, °C."""

CONE_WORDS = {"half": "to half height", "rim": "1 cm from edge"}

PLACES: dict[str, dict[str, tuple[float, float]]] = {
    "gravity filter": {"paper": (78, 92), "stem": (112, 252), "beaker": (232, 300)},
    "hot filter": {"paper": (78, 92), "funnel": (214, 112), "beaker": (232, 300), "hotplate": (140, 318)},
    "vacuum filter": {
        "clamp": (78, 158),
        "trap": (322, 262),
        "hose": (262, 158),
        "paper": (92, 88),
        "funnel": (214, 60),
    },
    "crucible filter": {
        "clamp": (78, 158),
        "trap": (322, 262),
        "hose": (262, 158),
        "paper": (106, 84),
        "funnel": (206, 60),
    },
}
"""Where a check's number stands on the drawing."""


@dataclass(frozen=True, slots=True)
class Mark:
    """A check with its number on the drawing."""

    number: int
    check: Check
    ticked: bool
    x: float | None
    y: float | None


@dataclass(frozen=True, slots=True)
class ConeShown:
    """A paper cone in its funnel, in drawing units: half-width and y of the paper's edge and of the line."""

    paper: float
    funnel: float
    edge: tuple[float, float]
    line: tuple[float, float]
    line_ml: str
    edge_ml: str
    poured: str
    pours: int


@dataclass(frozen=True, slots=True)
class FlaskShown:
    """A suction flask: y and half-width of its level and of its half mark; volumes as text."""

    holds: str
    half: str
    level: str
    level_y: float | None
    level_w: float
    half_y: float
    half_w: float
    over: bool


@dataclass(frozen=True, slots=True, kw_only=True)
class FilterShown:
    """A filter step's instrument."""

    at: AtStep
    marks: list[Mark]
    cone: ConeShown | None
    flask: FlaskShown | None
    crucible: bool
    hot: bool
    looks: str
    school: str


@dataclass(frozen=True, slots=True, kw_only=True)
class WashShown:
    """A wash step's instrument."""

    at: AtStep
    liquids: list[str]
    washes: list[Washed]
    total: str
    left: str
    more: str
    loss: str
    rinses: bool
    soluble: float | None
    volume: str
    times: int


@dataclass(frozen=True, slots=True, kw_only=True)
class OvenShown:
    """A drying step's instrument: the scale with its limits. ``y`` of each °C is worked out here."""

    at: AtStep
    portion: str
    labels: str
    place: str
    celsius: str
    limits: list[tuple[Limit, float]]
    ticks: list[tuple[int, float]]
    now: tuple[float, float] | None
    dryings: list[Drying]
    places: dict[str, str]


def marks_of(seen: StepSeen) -> list[Mark]:
    """The checks of a step, numbered in the order of the list."""
    places = PLACES.get(seen.step.kind, {})
    used: dict[str, int] = {}
    marks = []
    for number, (check, ticked) in enumerate(seen.checks, start=1):
        x, y = places.get(check.on, (None, None))
        if x is not None:
            # Two checks on one part stand side by side.
            x += 26.0 * used.get(check.on, 0)
            used[check.on] = used.get(check.on, 0) + 1
        marks.append(Mark(number, check, ticked, x, y))
    return marks


def cone_shown(paper: float, school: str, wanted: float = 0.0, poured: float = 0.0) -> ConeShown:
    """A paper's cone with the house rule's line; for *wanted* mL, of which *poured* went in."""
    funnel = funnel_for_paper(paper)
    line, cone = fill_line(paper, school), cone_of(paper)

    def place(slant: float) -> tuple[float, float]:
        part = slant / funnel
        return round(CONE_HALF * part, 1), round(CONE_TIP[1] - CONE_HIGH * part, 1)

    return ConeShown(
        paper,
        funnel,
        place(cone.slant),
        place(line.slant),
        digits(line.volume, 2),
        digits(cone.holds, 2),
        f"{poured:g}" if poured else "",
        line.pours(wanted),
    )


def _paper(seen: StepSeen) -> float:
    """The step's paper, mm, or a usual one; no larger than there are funnels for."""
    return min(OfAFilter.of(seen.step).paper or USUAL_PAPER, 2 * (FUNNELS[-1] - BELOW_RIM[0]))


def _frustum_y(part: float) -> tuple[float, float]:
    """y and half-width of the level that fills *part* of the drawn flask; the volume of a cone's frustum."""

    def volume(y: float) -> float:
        r = FLASK_FOOT + (FLASK_NECK - FLASK_FOOT) * (FLASK_BASE - y) / (FLASK_BASE - FLASK_TOP)
        return (FLASK_BASE - y) * (FLASK_FOOT**2 + FLASK_FOOT * r + r**2)

    whole, low, high = volume(FLASK_TOP), FLASK_TOP, FLASK_BASE
    for _ in range(40):
        middle = (low + high) / 2
        low, high = (middle, high) if volume(middle) > part * whole else (low, middle)
    half = FLASK_FOOT + (FLASK_NECK - FLASK_FOOT) * (FLASK_BASE - low) / (FLASK_BASE - FLASK_TOP)
    return round(low, 1), round(half, 1)


def flask_shown(flask: Flask) -> FlaskShown:
    """A receiver's level, against half of what it holds."""
    holds = flask.holds
    part = min(1.0, flask.level / (holds or max(250.0, 2.5 * flask.level)))
    level_y, level_w = _frustum_y(part) if part > 0 else (None, 0.0)
    half_y, half_w = _frustum_y(HALF)
    return FlaskShown(
        f"{holds:g}" if holds else "",
        f"{HALF * holds:g}" if holds else "",
        f"{flask.level:g}",
        level_y,
        level_w,
        half_y,
        half_w,
        flask.part is not None and flask.part >= HALF,
    )


def filter_instrument(at: AtStep) -> Markup:
    """A filter step: the drawing, what is poured, how the filtrate looks."""
    kind = at.seen.step.kind
    suction = kind in ("vacuum filter", "crucible filter")
    rules = at.page.rules.over(at.sheet.run.procedure.house_rules)
    school = "rim" if kind == "hot filter" else rules["filling-cone"].key
    looked = [said for _, said in at.sheet.run.of(Filtrate) if said.step == at.seen.step.id]
    poured = sum(said.volume.value for _, said in at.sheet.run.of(Poured) if said.step == at.seen.step.id)
    looks = "" if not looked else "clear" if looked[-1].clear else looked[-1].then or "cloudy"
    return fragment(
        "techniques/filtration/filter.html",
        FilterShown(
            at=at,
            marks=marks_of(at.seen),
            cone=None
            if suction
            else cone_shown(
                _paper(at.seen), school, liquid_to_filter(at.sheet.run, at.sheet.ledger, at.seen.step), poured
            ),
            flask=flask_shown(flask_of(at.sheet.run, at.seen.step)) if suction else None,
            crucible=kind == "crucible filter",
            hot=kind == "hot filter",
            looks=looks,
            school=CONE_WORDS[school],
        ),
    )


def _counted(washes: Sequence[Washed]) -> tuple[str, str]:
    """Per cent of the liquid left after rinses whose leavings were all read, and how many more are needed."""
    known = [(w.times, w.volume.value, w.behind.value) for w in washes if w.behind is not None]
    if not known or len(known) < len(washes):
        return "", ""
    return digits(100 * left_of(known), 2), str(more_rinses(known) or "")


def _solubility_of_product(at: AtStep, step: Step) -> float | None:
    """g that 100 mL of the wash liquid dissolve of what is washed, where the procedure says it."""
    run = at.sheet.run
    portion = step.on or in_phase(step, STEP_KINDS.get(step.kind), "solid") or (step.gives[-1] if step.gives else "")
    ends = [name for name in ends_through(run.procedure, at.sheet.ledger.ends, step.id) or [portion] if name]
    return next((s for name in ends if (s := run.procedure.portion(name).soluble) is not None), None)


def wash_instrument(at: AtStep) -> Markup:
    """A wash step: what was washed with, and what that can have dissolved."""
    step, run = at.seen.step, at.sheet.run
    washes = [said for _, said in run.of(Washed) if said.step == step.id]
    soluble = _solubility_of_product(at, step)
    loss = sum(wash_loss(w.millilitres, w.dissolves if w.dissolves is not None else soluble or 0.0) for w in washes)
    left, more = _counted(washes)
    planned = next((found for name in step.adds if (found := run.procedure.substance(name)) and found.amount), None)
    solvents = (s.name for s in run.procedure.substances if s.role == "solvent")
    return fragment(
        "techniques/filtration/wash.html",
        WashShown(
            at=at,
            liquids=list(dict.fromkeys([*step.adds, *solvents])),
            washes=washes,
            total=f"{sum(w.millilitres for w in washes):g}",
            left=left,
            more=more,
            rinses=step.kind == "decant",
            loss=digits(1000 * loss, 2) if loss else "",
            soluble=soluble,
            volume=f"{planned.amount.value / step.times:g}" if planned and planned.amount else "",
            times=step.times,
        ),
    )


def _oven_y(celsius: float) -> float:
    return round(206 - 186 * (min(max(celsius, OVEN_LOW), OVEN_HIGH) - OVEN_LOW) / (OVEN_HIGH - OVEN_LOW), 1)


def oven_instrument(at: AtStep) -> Markup:
    """A drying step: the scale with what paper, boat and melting point stand."""
    step, run = at.seen.step, at.sheet.run
    portion = step.on or (step.gives[0] if step.gives else step.takes[0] if step.takes else "")
    dryings = [
        said for _, said in run.of(Drying) if said.step == step.id or said.portion.casefold() == portion.casefold()
    ]
    last = dryings[-1] if dryings else None
    labels = last.labels if last else step.container
    at_celsius = last.celsius if last else step.celsius
    found = limits(labels, melting(run.procedure, portion)) if portion else []
    return fragment(
        "techniques/filtration/oven.html",
        OvenShown(
            at=at,
            portion=portion,
            labels=" + ".join(labels),
            place=last.place if last else step.place or "oven",
            celsius=f"{at_celsius:g}" if at_celsius is not None else "",
            limits=[(limit, _oven_y(limit.celsius)) for limit in found],
            ticks=[(c, _oven_y(c)) for c in range(20, 181, 20)],
            now=(at_celsius, _oven_y(at_celsius)) if at_celsius is not None else None,
            dryings=dryings,
            places=DRYING_PLACES,
        ),
    )


INSTRUMENTS = {
    **dict.fromkeys(FILTERS, filter_instrument),
    "wash": wash_instrument,
    "decant": wash_instrument,
    "dry": oven_instrument,
}
