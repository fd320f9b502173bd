"""Extraction, drying, pH and reflux as the run and the planner know them."""

from __future__ import annotations

import re
from datetime import datetime

from helvor.core.engine.figure import Figure, figure_of, outcome, value_of
from helvor.core.engine.run.names import called_as_glass
from helvor.core.engine.run.record import Run
from helvor.core.engine.technique import Check, Technique, Trial
from helvor.core.laws.extraction.drying import AGENT, agent_named
from helvor.core.quantities.reading import Unreadable, parse, parse_number
from helvor.core.record.entry import Payload
from helvor.core.record.procedure import same
from helvor.core.record.step_kinds import LAYERS, MIXTURE, Output, StepKind
from helvor.core.record.typed_line import NotSure, Understood, built
from helvor.core.techniques.extraction import findings as rules
from helvor.core.techniques.extraction.checks import QUENCH, SET_UP, TAKE_DOWN
from helvor.core.techniques.extraction.entries import AgentAdded, Boiling, Drained, Emulsion, LayerGone, PhRead, Vented
from helvor.core.techniques.extraction.expected import expected_components
from helvor.core.techniques.extraction.flow import PARTING
from helvor.core.techniques.extraction.parameters import OfPh
from helvor.core.techniques.extraction.plan_findings import check_plan_layers
from helvor.core.techniques.extraction.product_findings import stayed_in_layers
from helvor.core.techniques.filtration.findings import step_here

GROUP = "Extraction"
HOOD = "Vent stem up into the hood, never towards anybody; no flame near the solvent."

STEP_KINDS = (
    StepKind(
        "extract",
        GROUP,
        "extract",
        "Extract in the funnel, a portion at a time",
        8,
        3,
        kit=("separating funnel", "ring", "beaker", "flask"),
        wets=True,
        collects=True,
        layers=True,
        caution=HOOD,
        example="drain lower 14.5 mL",
        rules=("portions", "mixing-funnel", "funnel-fill", "boundary", "top-layer"),
        outputs=LAYERS,
        works_on="liquid",
        ordinary=0.8,
    ),
    StepKind(
        "wash layer",
        GROUP,
        "wash layer",
        "Wash the layer in the funnel",
        4,
        2,
        kit=("separating funnel", "beaker"),
        wets=True,
        collects=True,
        layers=True,
        caution=HOOD,
        example="drain lower 10 mL",
        rules=("mixing-funnel", "boundary", "water-wash"),
        outputs=LAYERS,
        works_on="liquid",
        ordinary=0.8,
        left_out="acid, base or salts stay in the layer, and come with the product",
    ),
    StepKind(
        "set ph",
        GROUP,
        "adjust pH",
        "Adjust the pH in small portions; test after each",
        6,
        2,
        asks=("outcome",),
        kit=("ice", "indicator paper", "rod", "dropper"),
        wets=True,
        caution="Acid into water; carbonate foams; it gets warm.",
        example="ph red",
        works_on="liquid",
        parameters=OfPh,
        left_out="the product may still be ionized and stay dissolved",
    ),
    StepKind(
        "dry layer",
        GROUP,
        "dry layer",
        "Add drying agent in portions until some grains move freely",
        3,
        10,
        kit=("conical flask", "drying agent"),
        rules=("drying-agent", "off-drying-agent"),
        caution="Do not stopper at once: heat of hydration can boil the solvent.",
        example="agent 1.0 g free",
        outputs=(Output("dried layer", "liquid", usual=False),),
        works_on="liquid",
        left_out="water stays in the layer, and the residue keeps it",
    ),
    StepKind(
        "reflux",
        GROUP,
        "reflux",
        "Heat under reflux",
        6,
        30,
        kit=("round flask", "condenser", "clamp", "heating mantle", "boiling chips"),
        heats=True,
        rules=("condenser-water",),
        caution="Never a closed system; no flame; hot glass looks like cold glass.",
        example="drops",
        outputs=MIXTURE,
        ordinary=0.6,
    ),
    StepKind(
        "take down",
        GROUP,
        "take down",
        "Cool, then take the reflux apart",
        3,
        10,
        kit=("cork ring",),
        cools=True,
        caution="Hand-warm before opening; the condenser comes off first.",
    ),
    StepKind(
        "quench",
        GROUP,
        "quench",
        "Quench slowly, drop by drop",
        6,
        3,
        kit=("ice", "dropper"),
        wets=True,
        caution="Gas: open, in the hood, no flame.",
        outputs=MIXTURE,
    ),
)

_COOL = Check(
    "cool",
    "both liquids at room temperature",
    "a volatile solvent boils at once in a closed funnel",
    safety=True,
    on="cone",
)
_VENT = Check(
    "vent",
    "stem up, into the hood, first vent after one swirl",
    "pressure throws out the stopper",
    safety=True,
    on="stem",
)
_FUNNEL = (
    _COOL,
    Check("tap", "tap closed, tested with a little of the solvent", "an open tap lets the liquid run out", on="tap"),
    Check("beaker", "a beaker under the stem, always", "a leak is then not lost", on="beaker"),
    Check("no-solid", "chips, stir bar and solids removed", "solids block the tap", on="cone"),
    Check("stopper", "stopper rinsed back, kept on a wipe or in the hand", "the stopper carries product", on="stopper"),
    _VENT,
)
CHECKS: dict[str, tuple[Check, ...]] = {
    "extract": _FUNNEL,
    "wash layer": (_COOL, _VENT),
    "reflux": SET_UP,
    "take down": TAKE_DOWN,
    "quench": QUENCH,
    "dry layer": (
        Check(
            "no-water",
            "no visible water: separated again if there was",
            "drying agent does not remove visible water",
            on="flask",
        ),
        Check("loose", "covered loosely while drying", "drying releases heat", on="flask"),
        Check("rinsed", "salt rinsed with a little solvent", "the salt holds product", on="flask"),
    ),
    "set ph": (
        Check("ice", "ice with water around it", "neutralization warms it; in ice it stays cold", on="bath"),
        Check(
            "stirred",
            "tested with a drop on the strip, not with the strip in the liquid",
            "the strip's dye dissolves",
            on="beaker",
        ),
    ),
}
DROP = Trial(
    "drop",
    "A drop of water down the wall: which layer does it join?",
    "the lower one",
    "the upper one",
    "The layer that the drop joins is the aqueous layer, even if the densities suggest otherwise.",
)
DRY = Trial(
    "clear",
    "Swirl the dried layer: is it clear, and do some grains move freely?",
    "clear and free",
    "cloudy or caked",
    "Cloudy means water droplets; caked means too little drying agent.",
)
TRIALS = {"extract": (DROP,), "wash layer": (DROP,), "dry layer": (DRY,)}


def describe(payload: Payload) -> str:
    """An entry in bench words."""
    match payload:
        case Vented(swirls=swirls):
            return f"{swirls} swirl{'s' if swirls > 1 else ''}, vented"
        case Emulsion() as seen:
            thick = f" of {seen.thick}" if seen.thick else ""
            tried = f", tried: {', '.join(seen.tried)}" if seen.tried else ""
            return f"emulsion cleared{tried}" if seen.gone else f"emulsion{thick} between the layers{tried}"
        case Drained() as out:
            volume = f", {out.volume}" if out.volume else ""
            return f"{out.place} layer out: {out.portion}{f' in {out.vessel}' if out.vessel else ''}{volume}"
        case PhRead() as read:
            of = f" of {read.portion}" if read.portion else ""
            if read.ph is not None:
                return f"pH{of} {read.ph:g} by meter"
            low, high = read.range
            return f"{read.paper or 'universal'} paper{of} {read.colour}: pH {low:g} to {high:g}"
        case AgentAdded() as added:
            mass = f"{added.mass} of " if added.mass else ""
            return f"{mass}{AGENT[added.agent].name}{', some grains move freely' if added.flows else ', still caked'}"
        case Boiling(boils=boils):
            return "reflux started" if boils else "boiling stopped"
        case LayerGone() as gone:
            return f"{gone.portion} discarded{f': {gone.why}' if gone.why else ''}"
    return ""


def figures(payload: Payload) -> tuple[Figure, ...]:
    """What an entry holds, for tables: mixing, emulsions, layers out, pH, drying agent, boiling."""
    match payload:
        case Vented(swirls=swirls):
            return value_of("swirls, then vented", swirls)
        case Emulsion() as seen:
            return (*figure_of("emulsion", seen.thick), *outcome("emulsion", describe(payload)))
        case Drained() as out:
            into = f"{out.place} layer{f' in {out.vessel}' if out.vessel else ''}"
            return figure_of("layer out", out.volume, out.portion, into) or outcome("layer out", into, out.portion)
        case PhRead() as read:
            low, high = read.range
            if read.ph is not None:
                return value_of("pH", read.ph, of=read.portion, words="by meter")
            by = f"{read.paper or 'universal'} paper, {read.colour}"
            return (
                *value_of("pH from", low, of=read.portion, words=by),
                *value_of("pH to", high, of=read.portion, words=by),
            )
        case AgentAdded() as added:
            flows = "some grains move freely" if added.flows else "still caked"
            name = AGENT[added.agent].name
            return figure_of("drying agent", added.mass, name, flows) or outcome("drying agent", flows, name)
        case Boiling(boils=boils):
            return outcome("reflux", "started" if boils else "stopped")
        case LayerGone() as gone:
            return outcome("discarded", gone.why or "outside the procedure", gone.portion)
    return ()


def boiling_marks(run: Run, step: str) -> list[tuple[datetime, bool]]:
    """When it began and stopped to boil in a step, in order of time."""
    marks = [(line.root.happened, said.boils) for line, said in run.of(Boiling) if said.step == step]
    return sorted(marks, key=lambda mark: mark[0])


def _vent(words: list[str], run: Run, step: str) -> Understood:
    swirls = int(words[0]) if words and words[0].isdecimal() else 1
    payload = built(Vented, step=step_here(run, step, PARTING, "extracted"), swirls=swirls)
    return Understood(payload, f"*{swirls}* swirls, vented")


def _drain(words: list[str], run: Run, step: str) -> Understood:
    places = {"lower": "lower", "upper": "upper", "bottom": "lower", "top": "upper"}
    place = places.get(words[0].casefold(), "") if words else ""
    if not place:
        raise Unreadable("Enter the layer, for example: drain lower 14.5 mL beaker 5-B.")
    here = step_here(run, step, PARTING, "extracted")
    rest = words[1:]
    volume = None
    for i, word in enumerate(rest):
        bare = re.fullmatch(r"\d+(?:[.,]\d+)?", word) and (i == 0 or not called_as_glass(rest[i - 1]))
        if bare or re.fullmatch(r"[\d.,]+(mL|ml|L)", word):
            volume = parse(word, "volume", field_unit="mL")
            rest = [*rest[:i], *rest[i + 1 :]]
            break
    given = run.procedure.step(here)
    names = given.gives if given else ()
    said = " ".join(rest)
    portion = next((name for name in names if said.casefold().startswith(name.casefold())), "")
    vessel = (said[len(portion) :] if portion else said).strip().removeprefix("layer").strip()
    vessel = vessel.removeprefix("in ").removeprefix("into ")
    if vessel and not called_as_glass(vessel) and not any(same(vessel, label) for label in run.containers):
        how = f"drain {place} {volume or ''}".strip()
        question = f"“{vessel[:30]}” is no vessel here: enter one, such as beaker A, or none."
        raise NotSure(question, [how, f"{how} beaker {vessel}"])
    portion = portion or rules.expected_name(run, here, place)
    payload = built(Drained, step=here, place=place, portion=portion or f"{place} layer", vessel=vessel, volume=volume)
    return Understood(payload, describe(payload).replace(f"{place} layer", f"*{place}* layer", 1))


def _rag(words: list[str], run: Run, step: str) -> Understood:
    here = step_here(run, step, PARTING, "extracted")
    said = [word.casefold() for word in words]
    if said[:1] == ["gone"]:
        payload = built(Emulsion, step=here, gone=True, tried=tuple(word for word in said[1:]))
    else:
        first = words[0] if words else ""
        thick = parse(first, "length", field_unit="mm") if re.match(r"[\d.,]", first) else None
        tried = said[1:] if thick else said
        payload = built(Emulsion, step=here, thick=thick, tried=tuple(word for word in tried if word != "tried"))
    return Understood(payload, describe(payload))


def _ph(words: list[str], run: Run, step: str) -> Understood:
    if not words:
        raise Unreadable("Enter the pH, for example: ph red, ph 2.1, or ph litmus blue.")
    known = run.procedure.step(step)
    here = step if known is not None else step_here(run, step, ("set ph", *PARTING), "brought to a pH")
    at = run.procedure.step(here)
    portion = (at.on or (at.gives[0] if at.gives else "")) if at is not None else ""
    if re.match(r"[\d.,\-−]", words[0]):
        if re.search(r"\d\s*[-–]\s*\d", words[0]):
            raise NotSure(
                "A paper is entered by its colour, such as ph red; a meter shows one value, such as ph 2.5.",
                [f"note pH {words[0]}"],
            )
        value, _ = parse_number(words[0])
        payload = built(PhRead, step=here, portion=portion, ph=value)
    else:
        said = " ".join(word for word in words if word.casefold() not in ("paper", "strip", "=", "is")).casefold()
        paper = next((p for p in ("litmus", "congo red", "universal") if said.startswith(p)), "universal")
        payload = built(
            PhRead, step=here, portion=portion, paper=paper, colour=said.removeprefix(paper).strip() or said
        )
    return Understood(payload, f"*{describe(payload)}*")


def _agent(words: list[str], run: Run, step: str) -> Understood:
    here = step_here(run, step, ("dry layer",), "dried")
    mass = parse(words[0], "mass", field_unit="g") if words and re.match(r"[\d.,]", words[0]) else None
    said = " ".join(words[1:] if mass else words).casefold()
    flows = any(word in said for word in ("free", "flows", "moves", "enough"))
    at = run.procedure.step(here)
    named = next((one for one in AGENT.values() if one.name in said), None)
    planned = next((one for name in (at.adds if at else ()) if (one := agent_named(name))), None)
    agent = named or planned or AGENT["sodium-sulfate"]
    payload = built(AgentAdded, step=here, agent=agent.key, mass=mass, flows=flows)
    return Understood(payload, describe(payload))


def _drops(words: list[str], run: Run, step: str) -> Understood:
    boils = not (words and words[0].casefold() in ("stopped", "off", "end"))
    payload = built(Boiling, step=step_here(run, step, ("reflux",), "heated under reflux"), boils=boils)
    return Understood(payload, describe(payload))


def _gone(words: list[str], run: Run, step: str) -> Understood:
    said = " ".join(words)
    known = sorted(run.portion_names, key=len, reverse=True)
    portion = next((name for name in known if said.casefold().startswith(name.casefold())), "")
    if not portion:
        raise Unreadable("Enter what was discarded and how, for example: gone acid extracts poured away.")
    here = step or next((s.id for s in reversed(run.procedure.steps) if s.id in run.done), run.procedure.steps[0].id)
    payload = built(LayerGone, step=here, portion=portion, why=said[len(portion) :].strip(" ,:"))
    return Understood(payload, describe(payload))


TECHNIQUE = Technique(
    key="extraction",
    title="Extraction",
    step_kinds=STEP_KINDS,
    payloads=(Vented, Emulsion, Drained, PhRead, AgentAdded, Boiling, LayerGone),
    checks=CHECKS,
    trials=TRIALS,
    describe=describe,
    figures=figures,
    rules=(rules.check_run_layers,),
    causes=(stayed_in_layers,),
    plan_rules=(check_plan_layers,),
    expects=expected_components,
    commands={"vent": _vent, "drain": _drain, "rag": _rag, "ph": _ph, "agent": _agent, "drops": _drops, "gone": _gone},
)
