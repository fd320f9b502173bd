"""The instruments of an extraction: funnel with its layers, pH, drying agent, reflux."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import UTC, datetime

from markupsafe import Markup

from helvor.core.engine.run.check_run import join
from helvor.core.engine.run.record import Run
from helvor.core.laws.extraction.acid_base import PAPERS, Solute, ToReach, ph_to_move, to_reach
from helvor.core.laws.extraction.distribution import limit, with_clinging
from helvor.core.laws.extraction.drying import AGENTS, Agent, Planned, agent_for, agent_named
from helvor.core.laws.extraction.layers import (
    CLOSE,
    CUTS,
    FILL,
    REMEDIES,
    VENTS,
    Layer,
    Settled,
    funnel_for,
    lost_at_cut,
)
from helvor.core.laws.extraction.reflux import FULL, boiled, flask_for
from helvor.core.quantities.reading import Unreadable, digits, round_to
from helvor.core.quantities.working import WorkingLine
from helvor.core.record.house_rules import HouseRules
from helvor.core.record.procedure import Step, same
from helvor.core.techniques.extraction.entries import AgentAdded, Drained, Emulsion, PhRead
from helvor.core.techniques.extraction.findings import concerns, expected_name, still_wanted
from helvor.core.techniques.extraction.flow import (
    PARTING,
    Came,
    Content,
    Flow,
    InVessel,
    Parting,
    follow,
    grams,
    so_far,
    solutes_of,
    vessels,
)
from helvor.core.techniques.extraction.funnel import Now, funnel_now
from helvor.core.techniques.extraction.technique import boiling_marks, describe
from helvor.core.techniques.registered import TECHNIQUES
from helvor.core.techniques.safety.in_run import unweighed
from helvor.shelf.shelf import known_as, shipped
from helvor.web.path import polyline
from helvor.web.rendering import fragment
from helvor.web.run.at_step import AtStep
from helvor.web.techniques.extraction.drawing import Axis, level, shape
from helvor.web.techniques.filtration.instrument import Mark, marks_of

TINTS = ("#0B6E78", "#17242D", "#8C4A33", "#3F5B9A", "#7A5A14")
"""Curves of components, in order; each has its name beside it as well."""
MOST = 6
"""Portions up to which the chart goes."""
TRACE = 0.03
"""Part of what there is most of, below which a component is not drawn."""


@dataclass(frozen=True, slots=True)
class LayerShown:
    """A layer as it is drawn: its path, where its label's line starts, what it is."""

    path: str
    at: tuple[float, float]
    name: str
    volume: str
    density: str
    aqueous: bool


@dataclass(frozen=True, slots=True)
class FunnelShown:
    """A funnel, drawn: layers from the bottom, the line of the house rule, the graduation, rag and surface."""

    size: float
    layers: list[LayerShown]
    surface: tuple[float, float] | None
    full: tuple[float, float]
    full_ml: str
    school: str
    graduation: list[tuple[float, float, str]]
    rag: tuple[float, float] | None
    rag_mm: str
    stopper: str
    tap: str
    beaker: float
    beaker_words: str
    over: bool


@dataclass(frozen=True, slots=True)
class DensityShown:
    """The line of densities: x and words of each layer, ticks, the water's mark."""

    upper: tuple[float, str, str]
    lower: tuple[float, str, str]
    water: float
    ticks: list[tuple[float, str]]
    apart: str
    close: bool


@dataclass(frozen=True, slots=True)
class CurveShown:
    """A curve of a component: its path, its dots, its tint, and where its name stands."""

    name: str
    path: str
    dots: list[tuple[float, float]]
    tint: str
    label: tuple[float, float]
    says: str


@dataclass(frozen=True, slots=True)
class ChartShown:
    """A chart of components: curves, rungs up and ticks along it, what is marked across it."""

    curves: list[CurveShown]
    rungs: list[tuple[float, str]]
    ticks: list[tuple[float, str]]
    marks: list[tuple[float, str]]
    now: float | None
    now_words: str
    band: tuple[float, float] | None


@dataclass(frozen=True, slots=True)
class HeldShown:
    """A layer on the bench: its name, vessel, mL, what it should hold, and whether it is kept."""

    portion: str
    vessel: str
    volume: str
    holds: str
    here: bool


@dataclass(frozen=True, slots=True, kw_only=True)
class FunnelStep:
    """The instrument of a step in the funnel."""

    at: AtStep
    now: Now
    funnel: FunnelShown
    density: DensityShown | None
    answer: str
    prove: str
    trouble: str
    vents: list[tuple[int, str]]
    settle: datetime | None
    portion_chart: ChartShown | None
    ph_chart: ChartShown | None
    pours: list[tuple[str, str]]
    drains: list[tuple[str, str, str]]
    remedies: tuple[tuple[str, str], ...]
    seen: list[str]
    held: list[HeldShown]
    keep: str
    working: list[WorkingLine]
    marks: list[Mark]
    way: str
    cut: str
    out_by: str


@dataclass(frozen=True, slots=True, kw_only=True)
class DiscardStep:
    """What is about to be thrown away: each portion, what it should hold, and what of that is not weighed yet."""

    going: list[tuple[HeldShown, str]]
    held: list[HeldShown]
    keep: str


@dataclass(frozen=True, slots=True, kw_only=True)
class PhStep:
    """The instrument of a step that brings a water layer to a pH."""

    at: AtStep
    target: float | None
    readings: list[tuple[float, float, str]]
    ticks: list[tuple[float, str]]
    target_x: float | None
    before_x: float | None
    planned: ToReach | None
    planned_of: str
    why_not: str
    portions: list[str]
    papers: dict[str, list[str]]
    chart: ChartShown | None
    portion: str
    marks: list[Mark]
    held: list[HeldShown]
    keep: str


@dataclass(frozen=True, slots=True, kw_only=True)
class DryStep:
    """The instrument of a step with a drying agent."""

    at: AtStep
    agents: tuple[Agent, ...]
    chosen: Agent
    planned: Planned | None
    added: list[AgentAdded]
    total: str
    bars: list[tuple[str, float, bool]]
    wanted_x: float | None
    brined: bool
    solvent: str
    off: str
    marks: list[Mark]
    held: list[HeldShown]
    keep: str


@dataclass(frozen=True, slots=True, kw_only=True)
class RefluxStep:
    """The instrument of a reflux: the apparatus with its checks, and the clock."""

    at: AtStep
    boils: bool
    minutes: str
    wanted: str
    since: datetime | None
    part: float
    stretches: int
    flask: str
    level: float | None
    marks: list[Mark]


def _flow(at: AtStep) -> Flow:
    return follow(at.sheet.run, at.sheet.ledger, _rules(at), TECHNIQUES.kinds)


def _rules(at: AtStep) -> HouseRules:
    return at.page.rules.over(at.sheet.run.procedure.house_rules)


def _short(name: str) -> str:
    """A liquid's name for a label in the drawing."""
    return name if len(name) <= 15 else f"{name[:14].rstrip()}…"


def _called(layer: Layer) -> str:
    kind = "aqueous" if layer.makes == "aqueous" else "organic"
    return f"{kind} layer"


def funnel_shown(
    layers: Sequence[Layer],
    size: float,
    fill: str,
    words: str,
    rag: float | None,
    stopper: str,
    tap: str,
    beaker: tuple[str, float],
) -> FunnelShown:
    """A funnel of *size* mL with layers from the bottom."""
    shown, low = [], 0.0
    for layer in layers:
        high = low + layer.volume
        y, half = level(min((low + high) / 2, size), size)
        shown.append(
            LayerShown(
                shape(low, high, size),
                (round(160 + half - 4, 1), round(y, 1)),
                _called(layer),
                digits(layer.volume, 3),
                round_to(layer.density, 2),
                layer.makes == "aqueous",
            )
        )
        low = high
    most = FILL[fill] * size
    full_y, full_half = level(most, size)
    surface = level(low, size) if low > 0 else None
    marks = [size * part for part in (0.2, 0.4, 0.6, 0.8)]
    graduation = [(round(160 - half, 1), round(y, 1), f"{ml:g}") for ml in marks for y, half in (level(ml, size),)]
    rag_at = None
    if rag is not None and len(layers) == 2:
        y, half = level(layers[0].volume, size)
        rag_at = (round(y, 1), round(half, 1))
    name, held = beaker
    beaker_size = next((s for s in (50.0, 100.0, 250.0, 400.0, 600.0) if held <= 0.8 * s), 600.0)
    return FunnelShown(
        size,
        shown,
        (round(surface[0], 1), round(surface[1], 1)) if surface else None,
        (round(full_y, 1), round(full_half, 1)),
        digits(most, 2),
        words,
        graduation,
        rag_at,
        f"{rag:g}" if rag is not None else "",
        stopper,
        tap,
        round(min(held / beaker_size, 1.0), 3),
        f"{name}, {digits(held, 3)} mL" if held else name,
        low > most,
    )


def density_shown(settled: Settled) -> DensityShown | None:
    """Both layers on a line of densities."""
    upper, lower = settled.upper, settled.lower
    if upper is None or lower is None:
        return None
    low = math.floor((min(upper.density, 0.95) - 0.04) * 10) / 10
    high = math.ceil((max(lower.density, 1.05) + 0.02) * 10) / 10
    axis = Axis(low, high, 20, 384)
    ticks = [
        (axis.at(value), round_to(value, 1)) for i in range(round((high - low) * 10) + 1) for value in (low + i / 10,)
    ]
    return DensityShown(
        (axis.at(upper.density), _short(upper.name), round_to(upper.density, 2)),
        (axis.at(lower.density), _short(lower.name), round_to(lower.density, 2)),
        axis.at(1.0),
        ticks,
        round_to(settled.apart, 2),
        settled.close,
    )


def answer_of(settled: Settled, parting: Parting | None = None) -> tuple[str, str]:
    """Which layer is which in a sentence, and how to prove it."""
    if settled.upper is None or settled.lower is None:
        return "One layer.", settled.why_one
    lower, upper = settled.lower, settled.upper
    place = settled.where("aqueous")
    name = (lower if place == "lower" else upper).name
    words = f"{name[0].upper()}{name[1:]} is the {place} layer."
    falls = "falls through and joins the lower layer" if place == "lower" else "stays on top and joins the upper layer"
    carried = ""
    if parting is not None and parting.rounds:
        left = parting.rounds[-1].left
        most = max((s.mol for s in parting.solutes), default=0.0)
        there = [s.name for s in parting.solutes if s.mol > TRACE * most]
        moved = [name for name in there if left.get(name.casefold(), 1.0) < 0.5]
        stay = [name for name in there if name not in moved]
        where = "the aqueous layer" if parting.makes == "aqueous" else "the organic layer"
        if moved:
            stays = f"; {join(stay)} stay{'s' if len(stay) == 1 else ''} behind" if stay else ""
            carried = f"{join(moved)} move{'s' if len(moved) == 1 else ''} to {where}{stays}."
            carried = f"{carried[0].upper()}{carried[1:]} "
    sure = "Densities are close: test it" if settled.apart < CLOSE else "Check"
    return words, f"{carried}{sure}: a drop of water {falls}."


def portions_chart(parting: Parting, clings: float) -> ChartShown | None:
    """What is left of each component that moves, for the same volume in one to six portions; *clings* mL stay."""
    if not parting.rounds:
        return None
    feed, portion = parting.volumes()
    total = portion * len(parting.rounds)
    ph = parting.rounds[-1].ph
    lefts: dict[str, list[float]] = {}
    limits = []
    for solute in parting.solutes:
        d = solute.d(ph)
        ratio = d if parting.makes == "organic" else 1 / d if d > 0 else 0.0
        if solute.mol <= 0 or not 0.05 < ratio < 1e9:
            continue
        found = [
            sum(with_clinging(ratio, feed, [total / n] * n, min(clings, total / n / 2))) for n in range(1, MOST + 1)
        ]
        if found[-1] <= 0.9:
            lefts[solute.name] = found
            limits.append(limit(ratio, feed, total))
    if not lefts:
        return None
    return split_chart(lefts, total, len(parting.rounds), limits)


def split_chart(
    lefts: Mapping[str, Sequence[float]], total: float, count: int, limits: Sequence[float] = ()
) -> ChartShown:
    """Parts left after one to six portions of *total* mL, by name; *count* is what is done, *limits* without end."""
    least = max(min(min(found) for found in lefts.values()), 1e-5)
    decades = max(1, math.ceil(-math.log10(least)))
    x, y = Axis(1, MOST, 44, 236), Axis(-decades, 0, 168, 18)
    curves: list[CurveShown] = []
    for name, found in lefts.items():
        points = [(x.at(n), y.at(math.log10(max(part, 1e-12)))) for n, part in enumerate(found, 1)]
        says = f"{name}: " + ", ".join(f"{n} portions {digits(100 * part, 2)} %" for n, part in enumerate(found, 1))
        curves.append(CurveShown(name, polyline(points), points, TINTS[len(curves) % len(TINTS)], points[-1], says))
    rungs = [(y.at(-power), f"{10.0 ** (2 - power):g}") for power in range(decades + 1)]
    marks = [(y.at(math.log10(one)), f"limit {digits(100 * one, 2)} %") for one in limits if one > 10.0**-decades]
    ticks = [(x.at(n), str(n)) for n in range(1, MOST + 1)]
    band = (x.at(count) - 14, 28.0) if count <= MOST else None
    return ChartShown(curves, rungs, ticks, marks, None, f"{digits(total, 3)} mL in all", band)


def _half_extracted(solute: Solute, values: Sequence[float], water: float, organic: float) -> float | None:
    """The first pH at which a component has gone over by half: an acid into the water, a base out of it."""
    acid = solute.acts == "acid"
    return next((ph for ph in values if (solute.in_organic(ph, water, organic) < 0.5) == acid), None)


def _moves(solute: Solute, water: float, organic: float) -> str:
    """From or below which pH a component is in the water, in words; empty for one that no pH moves."""
    if solute.acts == "neutral" or solute.pka is None or solute.k <= 0:
        return ""
    limit = ph_to_move(solute.acts, solute.pka, solute.k, organic, water)
    side = "from" if solute.acts == "acid" else "below"
    return f", 99 % in the aqueous layer {side} pH {digits(limit, 2)}" if limit is not None else ""


def ph_chart(solutes: Sequence[Solute], water: float, organic: float, now: float | None) -> ChartShown | None:
    """What part of each component is in the organic layer, over the pH of the water."""
    present = [solute for solute in solutes if solute.mol > 0]
    if not present or organic <= 0 or water <= 0:
        return None
    x, y = Axis(-1, 15, 40, 236), Axis(0, 100, 168, 18)
    values = [i / 4 for i in range(-4, 61)]
    curves: list[CurveShown] = []
    for number, solute in enumerate(present[: len(TINTS)]):
        points = [(x.at(ph), y.at(100 * solute.in_organic(ph, water, organic))) for ph in values]
        half = _half_extracted(solute, values, water, organic)
        free = half is None or solute.acts == "neutral"
        at = (46.0, y.at(100) + 16) if free else (x.at(half or 0) + 8, y.at(62) + 20 * number)
        says = f"{solute.name}{_moves(solute, water, organic)}"
        curves.append(CurveShown(solute.name, polyline(points), [], TINTS[number], at, says))
    ticks = [(x.at(ph), str(ph)) for ph in range(0, 15, 2)]
    here = x.at(now) if now is not None else None
    rungs = [(y.at(part), str(part)) for part in (0, 50, 100)]
    return ChartShown(curves, rungs, ticks, [], here, f"pH {round_to(now, 1)}" if now is not None else "", None)


def _pours(at: AtStep, parting: Parting, now: Now) -> list[tuple[str, str]]:
    """What goes in next: name and mL of one portion."""
    found = []
    for name in at.seen.step.adds:
        substance = at.sheet.run.procedure.substance(name)
        if substance is None or substance.amount is None or substance.amount.unit != "mL":
            continue
        portion = parting.rounds[0].portion if parting.rounds else substance.amount.value / max(at.seen.step.times, 1)
        found.append((name, f"{portion:g}" if now.portion < now.portions else ""))
    return found


def _held(at: AtStep, flow: Flow) -> list[HeldShown]:
    """Every layer and portion on the bench: what it is in and what it should hold."""
    run, found = at.sheet.run, []
    out = vessels(run)
    names = {name.casefold() for name in at.seen.step.gives}
    for standing in at.sheet.stands:
        if standing.portion.casefold() in out and not any(same(standing.portion, name) for name in at.seen.step.takes):
            continue
        found.append(_standing_row(at, flow, standing.portion, standing.container, out))
    done = [step for step in run.procedure.steps if step.id in run.done]
    for key, vessel in out.items():
        if any(same(name, vessel.portion) for step in done for name in step.takes):
            continue
        if any(same(name, vessel.portion) for name in at.seen.step.takes):
            continue
        mol = so_far(flow, run, vessel)
        row = _held_row(run, flow, vessel.portion, vessel.vessel, vessel.volume, here=key in names, mol=mol)
        found.append(row)
    return found


def _standing_row(at: AtStep, flow: Flow, portion: str, container: str, out: Mapping[str, InVessel]) -> HeldShown:
    """A portion that stands about; what is being extracted is in the funnel, less what was drawn off."""
    run, step = at.sheet.run, at.seen.step
    parting = flow.partings.get(step.id)
    in_funnel = step.kind in PARTING and step.id not in run.done and any(same(portion, name) for name in step.takes)
    if not in_funnel or parting is None or not parting.rounds:
        known = out.get(portion.casefold())
        return _held_row(run, flow, portion, container or (known.vessel if known else ""), None, here=False)
    drawn = out.get(step.gives[0].casefold()) if step.gives else None
    mol = parting.rounds[min(drawn.times, len(parting.rounds)) - 1].stays if drawn is not None else None
    return _held_row(run, flow, portion, "in the funnel", None, here=False, mol=mol)


def _held_row(
    run: Run,
    flow: Flow,
    portion: str,
    vessel: str,
    volume: float | None,
    *,
    here: bool,
    mol: Mapping[str, float] | None = None,
) -> HeldShown:
    content = flow.now(portion, run)
    if mol is None and content is not None:
        mol = content.mol
    holds = [
        f"{digits(mass, 3)} g {name}" if mass >= 0.1 else f"{digits(1000 * mass, 1)} mg {name}"
        for name, mass in grams(flow, run.procedure, portion, mol).items()
        if mass >= 0.002
    ]
    volume = volume if volume is not None else content.volume() if content is not None else None
    return HeldShown(portion, vessel, digits(volume, 3) if volume else "", ", ".join(holds), here)


def _working(parting: Parting) -> list[WorkingLine]:
    """Distribution of each component at the pH of the last round."""
    if not parting.rounds:
        return []
    last = parting.rounds[-1]
    feed, portion = parting.volumes()
    lines = []
    for solute in parting.solutes:
        if solute.mol <= 0:
            continue
        d = solute.d(last.ph)
        if solute.acts == "neutral" or solute.pka is None:
            shown = f"D = K_D = {digits(solute.k, 3)}"
        else:
            power = "pH − pKa" if solute.acts == "acid" else "pKa − pH"
            first, second = (last.ph, solute.pka) if solute.acts == "acid" else (solute.pka, last.ph)
            shown = f"{digits(solute.k, 3)} ÷ (1 + 10^({digits(first, 3)} − {digits(second, 3)})) = {_power(d)}"
            lines.append(WorkingLine(f"{solute.name}, D = K ÷ (1 + 10^({power}))", shown))
            left = last.left.get(solute.name.casefold())
            if left is not None:
                count = len(parting.rounds)
                words = f"left after {count} × {digits(portion, 3)} mL on {digits(feed, 3)} mL"
                lines.append(WorkingLine(f"{solute.name}, {words}", f"{digits(100 * left, 2)} %"))
            continue
        lines.append(WorkingLine(solute.name, shown))
    lines.append(WorkingLine("pH by charge balance", round_to(last.ph, 2)))
    return lines


def _power(value: float) -> str:
    if 0.001 <= value < 100000:
        return digits(value, 2)
    power = math.floor(math.log10(value)) if value > 0 else 0
    raised = str(power).translate(str.maketrans("-0123456789", "⁻⁰¹²³⁴⁵⁶⁷⁸⁹"))
    return f"{value / 10**power:.1f} × 10{raised}"


def _vessel_of(parting: Parting, drained: Sequence[Drained], wanted: str) -> tuple[str, float]:
    """Where what is wanted was drained into, and mL of it; what was not read counts as its layer's volume."""
    read = [said.volume.value for said in drained if said.volume is not None]
    held = sum(read) if len(read) == len(drained) else len(drained) * parting.volumes()[1]
    return next((said.vessel for said in reversed(drained) if said.vessel), wanted), held


def _settling_until(run: Run, step: Step) -> datetime | None:
    """When the timer for settling rings that runs for a step."""
    timers = (on for on in reversed(run.timers) if on.stopped is None)
    return next((on.due for on in timers if on.timer.step == step.id and on.timer.label == "settle"), None)


def _drains(run: Run, step: Step, drained: Sequence[Drained]) -> list[tuple[str, str, str]]:
    """Each place to drain from, what comes out of it, and the vessel that it went to before."""
    found = []
    for place in ("lower", "upper"):
        name = expected_name(run, step.id, place)
        before = next((said.vessel for said in reversed(drained) if same(said.portion, name)), "")
        found.append((place, name, before))
    return found


def _volumes_in(settled: Settled | None) -> tuple[float, float]:
    """mL of the aqueous and of the organic layer; 0 where there are not two."""
    if settled is None or settled.upper is None or settled.lower is None:
        return 0.0, 0.0
    layers = (settled.upper, settled.lower)
    water = sum(layer.volume for layer in layers if layer.makes == "aqueous")
    return water, sum(layer.volume for layer in layers if layer.makes != "aqueous")


def _funnel_drawn(at: AtStep, parting: Parting, now: Now, drained: Sequence[Drained]) -> FunnelShown:
    """The funnel as it stands, and the vessel under it."""
    step, fill = at.seen.step, _rules(at)["funnel-fill"]
    most = max((one.settled.volume for one in parting.rounds), default=now.volume)
    size = step.volume or (funnel_for(most, fill.key) if most > 0 else None) or 250.0
    vessel = _vessel_of(parting, drained, step.gives[0] if step.gives else "extract")
    return funnel_shown(now.layers, size, fill.key, fill.words, now.rag, now.stopper, now.tap, vessel)


def funnel_instrument(at: AtStep) -> Markup:
    """A step in the funnel: what stands there, which layer is which, venting, settling, draining."""
    run, step, rules = at.sheet.run, at.seen.step, _rules(at)
    flow = _flow(at)
    parting = flow.partings[step.id] if step.id in flow.partings else _nothing(step.id, flow.before.get(step.id))
    cut = CUTS[rules["boundary"].key]
    now = funnel_now(run, step, parting, cut)
    settled = parting.settled
    words, prove = answer_of(settled, parting) if settled is not None else ("", parting.trouble)
    wanted = step.gives[0] if step.gives else "extract"
    drained = [said for _, said in run.of(Drained) if said.step == step.id and same(said.portion, wanted)]
    water, organic = _volumes_in(settled)
    return fragment(
        "techniques/extraction/funnel.html",
        FunnelStep(
            at=at,
            now=now,
            funnel=_funnel_drawn(at, parting, now, drained),
            density=density_shown(settled) if settled is not None else None,
            answer=words,
            prove=prove,
            trouble=parting.trouble,
            vents=[
                (swirls, "done" if i < now.vents else "next" if i == now.vents and now.swirls else "later")
                for i, swirls in enumerate(VENTS)
            ],
            settle=_settling_until(run, step),
            portion_chart=portions_chart(parting, cut.behind) if step.kind == "extract" else None,
            ph_chart=ph_chart(parting.solutes, water, organic, parting.ph),
            pours=_pours(at, parting, now),
            drains=_drains(run, step, drained),
            remedies=REMEDIES,
            seen=[describe(said) for _, said in run.of(Emulsion) if said.step == step.id],
            held=_held(at, flow),
            keep=rules["throwing-layers"].words,
            working=_working(parting),
            marks=marks_of(at.seen),
            way="swirl" if rules["mixing-funnel"].key == "swirl" else "shake",
            cut=_cut_words(rules, parting, now.rag),
            out_by=rules["top-layer"].words,
        ),
    )


def _nothing(step: str, feed: Content | None) -> Parting:
    empty = feed or Content()
    return Parting(step, empty, Content(), empty, "", (), (), (), "This step is skipped.")


PH_AXIS = Axis(-1, 15, 30, 530)


@dataclass(frozen=True, slots=True)
class _PlannedPh:
    """The portions of a reagent that bring a layer to its pH; why they cannot be said, where they cannot."""

    planned: ToReach | None = None
    of: str = ""
    why_not: str = ""


def _planned_ph(at: AtStep, came: Came | None, solutes: Sequence[Solute]) -> _PlannedPh:
    """How much of the step's solution brings what stood there before to the pH that is asked for."""
    run, step = at.sheet.run, at.seen.step
    substance = next((s for name in step.adds if (s := run.procedure.substance(name)) and s.molar), None)
    name = substance.name if substance else ""
    if came is None or substance is None or not substance.molar or step.ph is None:
        return _PlannedPh(of=name)
    try:
        return _PlannedPh(to_reach(step.ph, came.before.water, solutes, substance.molar), name)
    except Unreadable as unreadable:
        return _PlannedPh(of=name, why_not=str(unreadable))


def ph_instrument(at: AtStep) -> Markup:
    """A step that brings a water layer to a pH: where it is, where it should be, how much in which portions."""
    run, step = at.sheet.run, at.seen.step
    flow = _flow(at)
    came = flow.came.get(step.id)
    solutes = solutes_of(run.procedure, came.before.mol) if came is not None else ()
    reagent = _planned_ph(at, came, solutes)
    read = [said for _, said in run.of(PhRead) if said.step == step.id]
    return fragment(
        "techniques/extraction/ph.html",
        PhStep(
            at=at,
            target=step.ph,
            readings=[(PH_AXIS.at(said.range[0]), PH_AXIS.at(said.range[1]), describe(said)) for said in read],
            ticks=[(PH_AXIS.at(n), str(n)) for n in range(0, 15, 2)],
            target_x=PH_AXIS.at(step.ph) if step.ph is not None else None,
            before_x=PH_AXIS.at(came.ph_before) if came is not None and came.ph_before is not None else None,
            planned=reagent.planned,
            planned_of=reagent.of,
            why_not=reagent.why_not,
            portions=[f"{part:g}" for part in reagent.planned.portions] if reagent.planned else [],
            papers={paper: [one.word for one in colours] for paper, colours in PAPERS.items()},
            held=_held(at, flow),
            keep=_rules(at)["throwing-layers"].words,
            chart=_charge_chart(solutes, came.before.water.volume if came is not None else 0.0),
            portion=step.on or (step.gives[0] if step.gives else ""),
            marks=marks_of(at.seen),
        ),
    )


def _charge_chart(solutes: Sequence[Solute], water: float) -> ChartShown | None:
    """What part of each acid or base is uncharged, so a solid, over the pH."""
    most = max((solute.mol for solute in solutes), default=0.0)
    present = [solute for solute in solutes if solute.acts != "neutral" and solute.mol > TRACE * most]
    if not present or water <= 0:
        return None
    y = Axis(0, 100, 118, 22)
    curves: list[CurveShown] = []
    for number, solute in enumerate(present[: len(TINTS)]):
        values = [i / 4 for i in range(-4, 61)]
        points = [(PH_AXIS.at(ph), y.at(100 * (1 - solute.charged(ph)))) for ph in values]
        pka = solute.pka or 7.0
        curves.append(
            CurveShown(solute.name, polyline(points), [], TINTS[number], (PH_AXIS.at(pka), y.at(50)), f"pKa {pka:g}")
        )
    return ChartShown(curves, [], [], [], None, "", None)


def dry_instrument(at: AtStep) -> Markup:
    """A drying agent: how much is likely to be needed, in portions, until some grains move freely."""
    run, step, rules = at.sheet.run, at.seen.step, _rules(at)
    flow = _flow(at)
    content = flow.before.get(step.id) or Content()
    added = [said for _, said in run.of(AgentAdded) if said.step == step.id]
    named = next((agent for name in step.adds if (agent := agent_named(name))), None)
    school = next((agent for agent in AGENTS if agent.key == rules["drying-agent"].key), AGENTS[0])
    chosen = next((agent for agent in AGENTS if added and agent.key == added[-1].agent), named or school)
    organic = [(liquid, volume) for liquid, volume in content.liquids if liquid.makes == "organic"]
    planned, solvent = None, ""
    if organic:
        liquid, volume = max(organic, key=lambda pair: pair[1])
        solvent = liquid.name
        item = known_as(shipped(), liquid.name, ("solvent",))
        takes_up = item.number("takes_up_water") if item is not None else None
        if takes_up is not None:
            planned = agent_for(chosen, volume, liquid.density, takes_up, brine=content.brined)
    total = sum(said.mass.value for said in added if said.mass is not None)
    most = max(planned.agent if planned else 0.0, total, 0.1) * 1.15
    axis, x, bars = Axis(0, most, 0, 420), 0.0, []
    for said in added:
        mass = said.mass.value if said.mass is not None else 0.0
        bars.append((f"{said.mass}" if said.mass else "some", axis.at(x + mass) - axis.at(x), said.flows))
        x += mass
    return fragment(
        "techniques/extraction/dry.html",
        DryStep(
            at=at,
            agents=AGENTS,
            chosen=chosen,
            planned=planned,
            added=added,
            total=digits(total, 3) if total else "",
            bars=bars,
            wanted_x=axis.at(planned.agent) if planned else None,
            brined=content.brined,
            solvent=solvent,
            off=rules["off-drying-agent"].words,
            marks=marks_of(at.seen),
            held=_held(at, flow),
            keep=rules["throwing-layers"].words,
        ),
    )


def _ball(part: float) -> float:
    """Height over diameter of the level that fills a part of a ball: h²(3 − 2h) = part."""
    low, high = 0.0, 1.0
    for _ in range(30):
        middle = (low + high) / 2
        low, high = (middle, high) if middle * middle * (3 - 2 * middle) < min(part, 1.0) else (low, middle)
    return round(low, 3)


def reflux_instrument(at: AtStep) -> Markup:
    """A reflux: the apparatus with its checks, and the clock that counts from the first drops."""
    run, step = at.sheet.run, at.seen.step
    now = datetime.now(UTC)
    clock = boiled(boiling_marks(run, step.id), now)
    content = _flow(at).before.get(step.id)
    volume = content.volume() if content is not None else 0.0
    if not volume:
        volume = sum(
            one.volume.value if one.volume is not None else 0.0
            for name in (*step.adds,)
            if (one := at.sheet.ledger.taken(name)) is not None
        )
    size = step.volume or (flask_for(volume) if volume > 0 else None)
    part = volume / size if size and volume else None
    words = ""
    if size:
        words = f"{size:g} mL flask"
        if part:
            words += f", {digits(100 * part, 2)} % full" + (": too full" if part > FULL[1] + 0.005 else "")
    wanted = step.waits
    return fragment(
        "techniques/extraction/reflux.html",
        RefluxStep(
            at=at,
            boils=clock.since is not None,
            minutes=round_to(clock.minutes, 0),
            wanted=str(wanted) if wanted else "",
            since=clock.since,
            part=min(clock.minutes / wanted, 1) if wanted else 0,
            stretches=clock.stretches,
            flask=words,
            level=_ball(part) if part else None,
            marks=marks_of(at.seen),
        ),
    )


def _cut_words(rules: HouseRules, parting: Parting, rag: float | None) -> str:
    """The way the boundary is cut, and what of each substance that is meant to go stays with it."""
    cut = CUTS[rules["boundary"].key]
    how = {
        "sharp": "Stop exactly at the boundary",
        "leave-some": "Stop early and leave some of the wanted layer",
        "rag-apart": "Stop at the emulsion and collect it separately",
    }[rules["boundary"].key]
    words = f"{how}: about {cut.behind:g} mL stays behind"
    if not parting.rounds or parting.settled is None:
        return f"{words}."
    last = parting.rounds[-1]
    portion = parting.volumes()[1]
    lost = []
    for solute in parting.solutes:
        left = last.left.get(solute.name.casefold(), 1.0)
        if left > 0.5 or solute.mol <= 0:
            continue
        per_ml = (1 - left) * solute.mol / (portion * len(parting.rounds))
        # A rag of so many mm is taken as that many mL in a usual funnel.
        lost.append((solute.name, lost_at_cut(cut, rag or 0.0, per_ml) / solute.mol))
    most = ", ".join(f"{digits(100 * part, 1)} % of the {name}" for name, part in lost)
    return f"{words}, with about {most}; the next portion rinses it out." if most else f"{words}."


def discard_instrument(at: AtStep) -> Markup:
    """What is about to be thrown away, asked again each time; nothing where no layers are parted in this run."""
    run, step = at.sheet.run, at.seen.step
    if not concerns(run):
        return Markup("")
    flow = _flow(at)
    going = []
    products = unweighed(at.sheet.case)
    for name in (*step.takes, *((step.on,) if step.on else ())):
        open_ = [component for component, _, _ in still_wanted(run, at.sheet.ledger, flow, name)] or products
        vessel = vessels(run).get(name.casefold())
        row = _held_row(run, flow, name, vessel.vessel if vessel else "", vessel.volume if vessel else None, here=True)
        going.append((row, f"{join(open_)} not weighed yet" if open_ else ""))
    school = _rules(at)["throwing-layers"]
    return fragment(
        "techniques/extraction/discard.html", DiscardStep(going=going, held=_held(at, flow), keep=school.words)
    )


INSTRUMENTS = {
    "extract": funnel_instrument,
    "wash layer": funnel_instrument,
    "set ph": ph_instrument,
    "dry layer": dry_instrument,
    "reflux": reflux_instrument,
    "discard": discard_instrument,
}
