"""The instruments of an extraction: funnel with its layers, pH, drying agent, reflux."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import UTC, datetime

from markupsafe import Markup

from helvor.core.engine.run.case import join
from helvor.core.engine.run.record import Run
from helvor.core.laws.extraction.acid_base import PAPERS, Solute, ToReach, to_reach
from helvor.core.laws.extraction.drying import AGENTS, Agent, Planned, agent_for, agent_named
from helvor.core.laws.extraction.layers import (
    CUTS,
    REMEDIES,
    VENTS,
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
from helvor.core.techniques.extraction.findings import concerns, expected_name
from helvor.core.techniques.extraction.flow import (
    PARTING,
    Came,
    Content,
    Flow,
    InVessel,
    Parting,
    follow,
    grams,
    liquid_of,
    so_far,
    solutes_of,
    vessels,
)
from helvor.core.techniques.extraction.funnel import Now, funnel_now
from helvor.core.techniques.extraction.parameters import OfPh
from helvor.core.techniques.extraction.reagent_findings import still_wanted
from helvor.core.techniques.extraction.technique import boiling_marks, describe
from helvor.core.techniques.registered import TECHNIQUES
from helvor.core.techniques.safety.in_run import unweighed
from helvor.shelf.shelf import known_as, shipped
from helvor.web.rendering import fragment
from helvor.web.run.at_step import AtStep
from helvor.web.techniques.extraction.charts import PH_AXIS, ChartShown, charge_chart, ph_chart, portions_chart
from helvor.web.techniques.extraction.drawing import Axis
from helvor.web.techniques.extraction.funnel import DensityShown, FunnelShown, answer_of, density_shown, funnel_shown
from helvor.web.techniques.filtration.instrument import Mark, marks_of


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
    liquids: list[str]
    unknown: str


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


def _liquids_to_pour(run: Run) -> list[str]:
    """What may go into a funnel: liquids of the procedure, then solvents of the shelf."""
    own = [s.name for s in run.procedure.substances if s.amount is None or s.amount.unit == "mL"]
    shelf = ["water", "brine", *(item.name for item in shipped() if item.kind == "solvent")]
    return list(dict.fromkeys([*own, *shelf]))


def _unknown_liquid(run: Run, step: Step) -> str:
    """Something poured in of which nothing says what layer it makes; empty where there is nothing such."""
    for on in run.taken:
        substance = run.procedure.substance(on.taken.substance)
        if on.taken.step == step.id and (substance is None or liquid_of(substance) is None):
            return on.taken.substance
    return ""


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
    drawn = out.get(parting.names(step)[0].casefold())
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
    vessel = _vessel_of(parting, drained, parting.names(step)[0] or "extract")
    return funnel_shown(now.layers, size, fill, vessel, now.rag, stopper=now.stopper, tap=now.tap)


def funnel_instrument(at: AtStep) -> Markup:
    """A step in the funnel: what stands there, which layer is which, venting, settling, draining."""
    run, step, rules = at.sheet.run, at.seen.step, _rules(at)
    flow = _flow(at)
    parting = flow.partings[step.id] if step.id in flow.partings else _nothing(step.id, flow.before.get(step.id))
    cut = CUTS[rules["boundary"].key]
    now = funnel_now(run, step, parting, cut)
    settled = parting.settled
    words, prove = answer_of(settled, parting) if settled is not None else ("", "")
    wanted = parting.names(step)[0] or "extract"
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
            liquids=_liquids_to_pour(run),
            unknown=_unknown_liquid(run, step),
        ),
    )


def _nothing(step: str, feed: Content | None) -> Parting:
    empty = feed or Content()
    return Parting(step, empty, Content(), empty, "", (), (), (), "This step is skipped.")


@dataclass(frozen=True, slots=True)
class _PlannedPh:
    """The portions of a reagent that bring a layer to its pH; why they cannot be said, where they cannot."""

    planned: ToReach | None = None
    of: str = ""
    why_not: str = ""


def _planned_ph(at: AtStep, came: Came | None, solutes: Sequence[Solute]) -> _PlannedPh:
    """How much of the step's solution brings what stood there before to the pH that is asked for."""
    run, step = at.sheet.run, at.seen.step
    asked = OfPh.of(step).ph
    substance = next((s for name in step.adds if (s := run.procedure.substance(name)) and s.molar), None)
    name = substance.name if substance else ""
    if came is None or substance is None or not substance.molar or asked is None:
        return _PlannedPh(of=name)
    try:
        return _PlannedPh(to_reach(asked, came.before.water, solutes, substance.molar), name)
    except Unreadable as unreadable:
        return _PlannedPh(of=name, why_not=str(unreadable))


def ph_instrument(at: AtStep) -> Markup:
    """A step that brings a water layer to a pH: where it is, where it should be, how much in which portions."""
    run, step = at.sheet.run, at.seen.step
    asked = OfPh.of(step).ph
    flow = _flow(at)
    came = flow.came.get(step.id)
    solutes = solutes_of(run.procedure, came.before.mol) if came is not None else ()
    reagent = _planned_ph(at, came, solutes)
    read = [said for _, said in run.of(PhRead) if said.step == step.id]
    return fragment(
        "techniques/extraction/ph.html",
        PhStep(
            at=at,
            target=asked,
            readings=[(PH_AXIS.at(said.range[0]), PH_AXIS.at(said.range[1]), describe(said)) for said in read],
            ticks=[(PH_AXIS.at(n), str(n)) for n in range(0, 15, 2)],
            target_x=PH_AXIS.at(asked) if asked is not None else None,
            before_x=PH_AXIS.at(came.ph_before) if came is not None and came.ph_before is not None else None,
            planned=reagent.planned,
            planned_of=reagent.of,
            why_not=reagent.why_not,
            portions=[f"{part:g}" for part in reagent.planned.portions] if reagent.planned else [],
            papers={paper: [one.word for one in colours] for paper, colours in PAPERS.items()},
            held=_held(at, flow),
            keep=_rules(at)["throwing-layers"].words,
            chart=charge_chart(solutes, came.before.water.volume if came is not None else 0.0),
            portion=step.on or (step.gives[0] if step.gives else ""),
            marks=marks_of(at.seen),
        ),
    )


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
