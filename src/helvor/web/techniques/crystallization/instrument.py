"""The instruments of recrystallizing: the flask on its curve with the cooling, tubes tried, melting ranges."""

from __future__ import annotations

from dataclasses import dataclass

from markupsafe import Markup

from helvor.core.laws.crystallization.plan import COSTS, TEACHING, by_volume
from helvor.core.laws.crystallization.solvents import Candidate, Judged, Tried, pairs, rank
from helvor.core.quantities.reading import digits, round_to
from helvor.core.techniques.crystallization.entries import REMEDIES, WHY
from helvor.core.techniques.crystallization.record import (
    CRYSTALLIZE,
    DISSOLVE,
    MELT,
    TRY,
    Flask,
    Melted,
    flasks,
    melted,
    published_of,
    standards_of,
    tried_of,
    where_it_went,
)
from helvor.web.rendering import drawn_once, fragment
from helvor.web.run.at_step import AtStep
from helvor.web.techniques.crystallization.drawing import CurveShown, amount, draw_curve
from helvor.web.techniques.extraction.drawing import Axis
from helvor.web.techniques.filtration.instrument import Mark, marks_of

LEFT, RIGHT = 44.0, 600.0
SHOWN_COSTS = COSTS[:4]


@dataclass(frozen=True, slots=True)
class CoolingShown:
    """Temperature over minutes: a line, dots with words, ticks of both axes."""

    path: str
    dots: list[tuple[float, float, str]]
    ticks_x: list[tuple[float, str]]
    ticks_y: list[tuple[float, str]]


@dataclass(frozen=True, slots=True)
class WentTo:
    """A part of the solid on one bar: from where, how wide, its name, g, and how it is known.

    ``kind`` is *measured*, *estimated* by the curve, *missing*, or *more* than went in.
    """

    x: float
    width: float
    name: str
    grams: str
    kind: str


@dataclass(frozen=True, slots=True, kw_only=True)
class CrystalsStep:
    """The flask: its curve, how much solvent, what can come out, how it cools, what came.

    ``costs`` is the ceiling at other volumes; ``bar`` the recovered part and the ceiling, per cent.
    """

    at: AtStep
    flask: Flask
    curve: CurveShown | None
    volume: str
    parts: str
    least: str
    costs: list[tuple[str, str, bool]]
    ceiling: str
    recovered: str
    bar: tuple[float, float]
    stays: list[tuple[str, str]]
    went: list[WentTo]
    cooling: CoolingShown | None
    outcomes: list[str]
    why: dict[str, str]
    remedies: dict[str, str]
    usual: str
    marks: list[Mark]


@dataclass(frozen=True, slots=True)
class RangeShown:
    """A melting range as a bar over degrees, with its words."""

    x: float
    width: float
    y: float
    name: str
    words: str
    mixed: bool


@dataclass(frozen=True, slots=True, kw_only=True)
class MeltingStep:
    """Melting ranges over one scale, the published value, the thermometer's standards."""

    at: AtStep
    portion: str
    what: str
    ranges: list[RangeShown]
    ticks: list[tuple[float, str]]
    book: float | None
    book_words: str
    height: float
    standards: list[tuple[str, str, str]]
    marks: list[Mark]


@dataclass(frozen=True, slots=True, kw_only=True)
class TriesStep:
    """Solvents in test tubes, judged, and pairs that may do."""

    at: AtStep
    tried: list[Tried]
    judged: list[Judged]
    couples: list[str]


def _about(at: AtStep) -> tuple[object, ...]:
    return at.page.id, at.seen.step.id, at.view, at.csrf


def _cooling(flask: Flask) -> CoolingShown | None:
    if not flask.cooling:
        return None
    last = max(one.minutes for one in flask.cooling) or 1.0
    high = max(100.0, *(one.celsius for one in flask.cooling))
    low = min(0.0, *(one.celsius for one in flask.cooling))
    x, y = Axis(0, last, LEFT, RIGHT), Axis(low, high, 128, 14)
    dots = [(x.at(one.minutes), y.at(one.celsius), f"{one.celsius:g} °C {one.seen}".strip()) for one in flask.cooling]
    path = "M" + "L".join(f"{a} {b}" for a, b, _ in dots)
    ticks = [(x.at(last * part), digits(last * part, 2)) for part in (0, 0.25, 0.5, 0.75, 1)]
    return CoolingShown(path, dots, ticks, [(y.at(t), f"{t:g}") for t in (0, 50, 100)])


@drawn_once(64, ink=lambda at: at.sheet, about=_about)
def flask_instrument(at: AtStep) -> Markup:
    """Dissolving and cooling."""
    run, step = at.sheet.run, at.seen.step
    found = flasks(run, at.sheet.ledger)
    flask = next((one for one in found if one.step == step.id), None) or (found[-1] if found else None)
    if flask is None:
        return Markup("")
    plan = flask.plan
    curve = None
    costs, stays = list[tuple[str, str, bool]](), list[tuple[str, str]]()
    if flask.curve is not None and plan is not None:
        first = flask.first_crystals
        curve = draw_curve(flask.curve, plan, (first.celsius, first.seen) if first is not None else None)
        cold = flask.curve.at(plan.cold)
        near = min(SHOWN_COSTS, key=lambda n: abs(n * plan.least - plan.volume))
        costs = [
            (digits(volume, 2), f"{round_to(100 * top, 0)} %", n == near)
            for n, (volume, top) in zip(
                SHOWN_COSTS,
                by_volume(plan, cold, [n * plan.least for n in SHOWN_COSTS]),
                strict=True,
            )
        ]
        stays = [("in the mother liquor", f"{digits(plan.liquor, 2)} g")]
        if plan.washed:
            stays.append(("in the washes", f"{digits(plan.washed, 2)} g"))
    parts = [
        f"{amount(ml)} {words}"
        for ml, words in (
            (flask.dissolved, f"in {flask.portions} portion{'s' if flask.portions != 1 else ''}"),
            (flask.extra, "extra"),
            (flask.rinsed, "to rinse"),
            (-flask.boiled_off, "boiled off"),
        )
        if ml
    ]
    top, part = flask.ceiling, flask.recovered
    return fragment(
        "techniques/crystallization/crystals.html",
        CrystalsStep(
            at=at,
            flask=flask,
            curve=curve,
            volume=amount(flask.volume) if flask.volume else "",
            parts=", ".join(parts).replace("-", "−"),
            least=digits(plan.least, 2) if plan is not None else "",
            costs=costs,
            ceiling=round_to(100 * top, 1) if top is not None else "",
            recovered=round_to(100 * part, 1) if part is not None else "",
            bar=(min(120.0, 100 * (part or 0)), 100 * (top or 0)),
            stays=stays,
            went=_went(flask),
            cooling=_cooling(flask),
            outcomes=[_came(one.outcome, one.remedy) for one in flask.outcomes],
            why=WHY,
            remedies=REMEDIES,
            usual=f"{TEACHING[0]:.0%} to {TEACHING[1]:.0%}".replace("%", " %"),
            marks=marks_of(at.seen),
        ),
    )


def _went(flask: Flask) -> list[WentTo]:
    """Where the solid is, on one bar."""
    shares = where_it_went(flask)
    # What is more than went in is drawn past the end of what did.
    whole = sum(share.grams for share in shares)
    shown, x = list[WentTo](), 1.0
    for share in shares:
        width = 618 * share.grams / whole
        shown.append(WentTo(round(x, 1), round(width, 1), share.name, f"{round_to(share.grams, 3)} g", share.kind))
        x += width
    return shown


def _came(outcome: str, remedy: str) -> str:
    words = {"nothing": "no crystals", "oil": "an oil", "coloured": "coloured crystals", "grey": "grey crystals"}
    outcome = words.get(outcome, outcome)
    return f"{outcome}, {REMEDIES[remedy]}" if remedy else outcome


@drawn_once(64, ink=lambda at: at.sheet, about=_about)
def melting_instrument(at: AtStep) -> Markup:
    """Melting ranges side by side."""
    run, step = at.sheet.run, at.seen.step
    found = melted(run)
    portion = step.on or next((one.said.portion for one in found), "")
    what, published = published_of(run.procedure, portion)
    ends = [value for one in found for value in (one.true.starts, one.true.ends)]
    ends += [published] if published is not None else []
    low, high = (min(ends) - 4, max(ends) + 4) if ends else (100.0, 130.0)
    x = Axis(low, high, 20, 600)
    ranges = [_bar(n, one, x) for n, one in enumerate(found)]
    every = 2 if high - low <= 24 else 5 if high - low <= 60 else 20
    first = int(low // every + 1) * every
    return fragment(
        "techniques/crystallization/melting.html",
        MeltingStep(
            at=at,
            portion=portion,
            what=what,
            ranges=ranges,
            ticks=[(x.at(t), f"{t:g}") for t in range(first, int(high) + 1, every)],
            book=x.at(published) if published is not None else None,
            book_words=f"published {round_to(published, 1)}" if published is not None else "",
            height=46.0 + 40 * max(1, len(ranges)),
            standards=[(s.name, round_to(s.published, 1), round_to(s.read, 1)) for s in standards_of(run)],
            marks=marks_of(at.seen),
        ),
    )


def _bar(number: int, one: Melted, x: Axis) -> RangeShown:
    mixed = one.said.mixed_with
    name = f"{one.said.portion} with {mixed}" if mixed else one.said.portion
    rate = f", {one.said.rate:g} °C/min" if one.said.rate is not None else ""
    moved = f", corrected from {one.seen.shown}" if one.true != one.seen else ""
    start, end = x.at(one.true.starts), x.at(one.true.ends)
    return RangeShown(
        start, max(3.0, end - start), 34.0 + 40 * number, name, f"{one.true.shown} °C{rate}{moved}", bool(mixed)
    )


@drawn_once(64, ink=lambda at: at.sheet, about=_about)
def tries_instrument(at: AtStep) -> Markup:
    """Solvents in test tubes."""
    run = at.sheet.run
    tried = tried_of(run)
    boils = {s.name.casefold(): s for s in run.procedure.substances}
    _, melts = published_of(run.procedure, at.seen.step.on)
    candidates = [
        Candidate(
            one.solvent,
            known.boils if (known := boils.get(one.solvent.casefold())) else None,
            tried=one,
            flammable=bool(known and known.flammable),
        )
        for one in tried
    ]
    return fragment(
        "techniques/crystallization/tries.html",
        TriesStep(
            at=at,
            tried=tried,
            judged=rank(candidates, melts),
            couples=[f"{a} with {b}" for a, b in pairs(tried)],
        ),
    )


INSTRUMENTS = {
    DISSOLVE: flask_instrument,
    CRYSTALLIZE: flask_instrument,
    MELT: melting_instrument,
    TRY: tries_instrument,
}
