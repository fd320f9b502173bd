"""Filtration as the run and the planner know it: steps, checks, findings, causes of loss, words of the reading line."""

from __future__ import annotations

import re

from helvor.core.engine.figure import Figure, figure_of, outcome, value_of
from helvor.core.engine.plan.matter import Moment
from helvor.core.engine.run.names import NEW
from helvor.core.engine.run.record import Run
from helvor.core.engine.technique import Check, Technique
from helvor.core.quantities.reading import Unreadable, parse
from helvor.core.record.alike import near, or_of
from helvor.core.record.entry import Payload
from helvor.core.record.procedure import named
from helvor.core.record.step_kinds import LIQUID_AND_SOLID, SOLID, StepKind
from helvor.core.record.typed_line import NotSure, Understood, built
from helvor.core.techniques.filtration.entries import DRYING_PLACES, Drying, Emptied, Filtrate, Poured, Washed
from helvor.core.techniques.filtration.findings import (
    FILTERS,
    cloudy,
    disc_in_the_boat,
    dissolved_in_washes,
    dried_too_hot,
    flammable_in_oven,
    flask_too_full,
    not_washed,
    overfilled,
    ran_through,
    set_up_unchecked,
    stays_on_paper,
    step_here,
    washes_dissolve,
)
from helvor.core.techniques.filtration.parameters import OfAFilter
from helvor.core.techniques.filtration.still_hot import weighed_too_soon
from helvor.core.techniques.filtration.wetting import (
    is_water,
    must_pass,
    washed_with_another,
    wetted_with_water,
    wetted_with_water_here,
)

STEP_KINDS = (
    StepKind(
        "gravity filter",
        "Filter",
        "filter",
        "Filter through the paper; rinse beaker and rod into it",
        6,
        15,
        kit=("funnel", "ring", "filter paper", "rod"),
        wets=True,
        collects=True,
        rules=("folding", "filling-cone", "pouring", "wetting-paper", "cloudy-filtrate"),
        outputs=LIQUID_AND_SOLID,
        parameters=OfAFilter,
        ordinary=0.88,
    ),
    StepKind(
        "hot filter",
        "Filter",
        "hot filter",
        "Filter hot through a fluted paper; rinse with hot solvent",
        6,
        5,
        kit=("stemless funnel", "fluted paper", "hotplate"),
        wets=True,
        heats=True,
        collects=True,
        caution="Hot solvent vapour: no flame near it, hood, hot glass looks like cold glass.",
        outputs=LIQUID_AND_SOLID,
        parameters=OfAFilter,
    ),
    StepKind(
        "vacuum filter",
        "Filter",
        "vacuum",
        "Filter with vacuum",
        8,
        5,
        kit=("Büchner funnel", "filter flask", "trap", "clamp", "filter paper"),
        wets=True,
        collects=True,
        rules=("wetting-paper", "aspirator", "cloudy-filtrate", "stopping-vacuum"),
        caution="Check the flask for cracks and clamp it first: a flask that tips under vacuum can implode.",
        outputs=LIQUID_AND_SOLID,
        parameters=OfAFilter,
        ordinary=0.88,
    ),
    StepKind(
        "crucible filter",
        "Filter",
        "crucible",
        "Filter through the crucible with vacuum",
        8,
        8,
        kit=("filter crucible", "adapter", "filter flask", "trap", "clamp"),
        wets=True,
        collects=True,
        rules=("aspirator", "stopping-vacuum"),
        caution="Check the flask for cracks and clamp it first: a flask that tips under vacuum can implode.",
        outputs=LIQUID_AND_SOLID,
    ),
    StepKind(
        "wash",
        "Filter",
        "wash",
        "Wash the solid with small portions",
        4,
        2,
        kit=("wash bottle",),
        wets=True,
        works_on="solid",
        rinses=True,
        runs_through=True,
        left_out="solutes of the mother liquor stay in the solid and are weighed with it",
    ),
    StepKind(
        "suck dry",
        "Filter",
        "draw air",
        "Draw air through until dripping stops",
        1,
        10,
        rules=("drying-place", "stopping-vacuum"),
        works_on="solid",
    ),
    StepKind(
        "pry out",
        "Filter",
        "pry out",
        "Lift disc and solid into the tared boat, rinse in the rest",
        5,
        kit=("weighing boat", "spatula", "wash bottle"),
        collects=True,
        outputs=SOLID,
        works_on="solid",
    ),
    StepKind(
        "transfer",
        "Filter",
        "transfer",
        "Transfer the solid to the dish",
        4,
        kit=("spatula",),
        collects=True,
        rules=("drying-solid",),
        outputs=SOLID,
        works_on="solid",
        airs=True,
    ),
)

_AIR_FIRST = Check(
    "air-in",
    "air let in first, then the vacuum turned off",
    "prevents suck-back",
    when=("stopping-vacuum", "air-first"),
    safety=True,
    on="hose",
)
_SOURCE_FIRST = Check(
    "source-off",
    "vacuum turned off, then the seal broken",
    "spares the aspirator's valve",
    when=("stopping-vacuum", "source-first"),
    on="hose",
)
_WETTED = (
    Check(
        "wetted",
        "paper wetted with {solvent}",
        "the paper does not block, the filtrate is not diluted",
        when=("wetting-paper", "own-solvent"),
        on="paper",
    ),
    Check("wetted", "paper wetted with {wet}", "one bottle for all", when=("wetting-paper", "water"), on="paper"),
)
_SUCTION = (
    Check(
        "clamped",
        "flask checked for cracks and clamped first",
        "a flask that tips under vacuum can implode",
        safety=True,
        on="clamp",
    ),
    Check(
        "trap",
        "trap between flask and aspirator",
        "it catches liquid drawn over in either direction",
        when=("stopping-vacuum", "air-first"),
        on="trap",
    ),
    Check(
        "trap",
        "trap between flask and aspirator, empty; without a trap let air in first",
        "if the vacuum is turned off first, water is sucked back into the flask",
        when=("stopping-vacuum", "source-first"),
        safety=True,
        on="trap",
    ),
    Check(
        "hose",
        "thick hose on vacuum, no tension",
        "gas and air taps look alike; a thin hose collapses",
        safety=True,
        on="hose",
    ),
)
CHECKS: dict[str, tuple[Check, ...]] = {
    "gravity filter": (
        Check("stem", "the stem touches the receiver's wall", "a stream is faster; drops splash", on="stem"),
        Check("seated", "paper sits below the rim, close to the glass", "trapped air slows the flow", on="paper"),
        *_WETTED,
        Check("stir-bar", "stir bar out", "it would fall onto the paper", on="beaker"),
    ),
    "hot filter": (
        Check("warm", "stemless funnel and receiver warm", "it would crystallize on cold glass", on="funnel"),
        Check("no-flame", "no flame near", "solvent vapour can catch fire", safety=True, on="hotplate"),
        Check("fluted", "paper fluted", "more surface, faster flow", on="paper"),
        Check("hot-rinse", "hot solvent ready for rinsing", "product stays in flask and paper", on="beaker"),
    ),
    "vacuum filter": (
        *_SUCTION,
        Check("flat", "paper flat over every hole", "paper bent up the wall leaks", on="paper"),
        *_WETTED,
        Check("draws", "vacuum tested: the palm over the funnel is pulled", "then pour the mixture", on="funnel"),
        Check("stir-bar", "stir bar out", "it would tear the paper", on="beaker"),
    ),
    "crucible filter": (
        *_SUCTION,
        Check(
            "seated",
            "crucible seated by its weight and a slight twist",
            "if pressed in, it jams or breaks",
            on="funnel",
        ),
        Check(
            "disc",
            "disc weighed alone, or with the crucible as one tare",
            "the disc comes out with the solid",
            on="paper",
        ),
        Check("draws", "vacuum tested: the palm over the crucible is pulled", "then pour the mixture", on="funnel"),
    ),
    "pry out": (
        Check("boat", "boat tared and newly labelled, on the underside too", "names on paper are lost", on=""),
        Check("disc-known", "the disc's own mass is recorded", "it is subtracted together with the boat", on=""),
        Check("rinsed", "the rest rinsed in with wash liquid", "solid left in the pores is lost", on=""),
        Check("handed-on", "crucible cleaned and passed on", "crucibles are scarce", on=""),
    ),
    "suck dry": (_AIR_FIRST, _SOURCE_FIRST),
}


def describe(payload: Payload) -> str:
    """A filtration's entry in bench words."""
    match payload:
        case Poured(volume=volume, what=what):
            return f"poured {volume} of {what}"
        case Emptied():
            return "receiver emptied"
        case Washed() as w:
            times = f"{w.times} × " if w.times > 1 else ""
            return f"washed with {times}{w.volume} of {w.liquid}{'' if w.cold == 'room' else f', {w.cold}'}"
        case Filtrate(clear=True):
            return "filtrate clear"
        case Filtrate(then=then):
            return f"filtrate cloudy{', refiltered' if then == 'again' else f', {then}' if then else ''}"
        case Drying() as d:
            at = f" at {d.celsius:g} °C" if d.celsius is not None else ""
            return f"{d.portion} drying {DRYING_PLACES[d.place]}{at}"
    return ""


def figures(payload: Payload) -> tuple[Figure, ...]:
    """What an entry holds, for tables: what was poured and washed with, the filtrate, the drying."""
    match payload:
        case Poured(volume=volume, what=what):
            return figure_of("poured", volume, what)
        case Emptied():
            return outcome("receiver", "emptied")
        case Washed() as w:
            return (
                *value_of("wash, in all", w.millilitres, "mL", w.liquid, f"{w.times} × {w.volume}, {w.cold}"),
                *figure_of("stays behind each time", w.behind, w.liquid),
                *value_of("solid dissolves", w.dissolves, "g/L", w.liquid),
            )
        case Filtrate():
            return outcome("filtrate", describe(payload).removeprefix("filtrate "))
        case Drying() as d:
            place = DRYING_PLACES[d.place]
            if d.celsius is None:
                return outcome("drying", place, d.portion)
            return value_of("drying temperature", d.celsius, "°C", d.portion, place)
    return ()


def _pour(words: list[str], run: Run, step: str) -> Understood:
    if not words:
        raise Unreadable("Enter the volume, for example: pour 25 mL, or pour 5 mL rinse.")
    volume = parse(words[0], "volume", field_unit="mL")
    what = "rinse" if len(words) > 1 and words[1].casefold().startswith("rins") else "mixture"
    payload = built(Poured, step=step_here(run, step, FILTERS, "filtered"), volume=volume, what=what)
    return Understood(payload, f"poured *{volume}* of {what}")


def _empty(words: list[str], run: Run, step: str) -> Understood:
    return Understood(Emptied(step=step_here(run, step, FILTERS, "filtered")), "the receiver was emptied")


_HOW_OFTEN = {"once": "1 x", "twice": "2 x", "thrice": "3 x"}
_TIMES = re.compile(r"(\d{1,2})\s*(?:x|times|portions(?: of)?|mal|fois|veces)\s*")
_BEHIND = re.compile(r"\b(?:left|leaving|leaves|behind|stays|staying|retained)\s+([\d.,]+(?:mL|L|µL))")
_EACH = re.compile(r"(?<![\w.,])([\d.,]+(?:[±–-][\d.,]+)?)(mL|L|µL)?(?![\w.,])")
_COLD = {"ice-cold": "ice-cold", "ice": "ice-cold", "iced": "ice-cold", "cold": "ice-cold", "chilled": "ice-cold"}


def _wash(words: list[str], run: Run, step: str) -> Understood:
    """A wash in any order: ``water 3 x 5 mL cold``, ``3 portions of 5 mL ice water``, ``water 5 x 40 mL left 6 mL``."""
    line = " ".join(_HOW_OFTEN.get(word.casefold(), word) for word in words)
    head = next((s.name for s in run.procedure.substances if line.casefold().startswith(s.name.casefold())), "")
    line = line[len(head) :]
    behind, line = _BEHIND.search(line), _BEHIND.sub(" ", line)
    times, line = _TIMES.search(line), _TIMES.sub(" ", line, count=1)
    volume = _one_volume(line)
    rest = f"{line[: volume.start()]} {line[volume.end() :]}".split() if volume is not None else []
    said = [word.casefold() for word in rest]
    how = next((_COLD[word] for word in said if word in _COLD), "hot" if "hot" in said else "room")
    spoken = {*_COLD, "hot", "of", "with", "each"}
    name = " ".join([*head.split(), *(word for word in rest if word.casefold() not in spoken)])
    if volume is not None and not name:
        known = [one.name for one in run.procedure.substances if one.role == "solvent"]
        many = f"{times[1]} x {volume[0]}" if times else volume[0]
        raise NotSure("Which liquid is it washed with?", [f"wash {one} {many}" for one in known])
    if volume is None or not name:
        raise Unreadable("Enter the liquid and the volume, for example: wash water 3 x 5 mL cold.")
    many = f"{times[1]} x {volume[0]}" if times else volume[0]
    payload = built(
        Washed,
        step=step_here(run, step, ("wash", *FILTERS, "decant"), "washed"),
        liquid=_liquid_here(name, many, how, run),
        volume=parse(volume[0], "volume", field_unit="mL"),
        times=int(times[1]) if times else 1,
        behind=parse(behind[1], "volume", field_unit="mL") if behind else None,
        cold=how,
    )
    left = f", {payload.behind} stays each time" if payload.behind else ""
    return Understood(payload, describe(payload).replace("washed with ", "washed with *") + f"*{left}")


def _one_volume(line: str) -> re.Match[str] | None:
    """The volume of a wash: the only one with a unit, else the last number."""
    volumes = list(_EACH.finditer(line))
    with_unit = [found for found in volumes if found[2]]
    if len(with_unit) == 1:
        return with_unit[0]
    return volumes[-1] if volumes and not with_unit else None


_USUAL = frozenset(("water", "ethanol", "methanol", "acetone", "ethyl acetate", "diethyl ether", "ether", "brine"))
"""Liquids that things are washed with, whatever the procedure says. Common practice, no source."""


def _liquid_here(name: str, many: str, how: str, run: Run) -> str:
    """A liquid of the run by its name; one that is nearly called so is asked about.

    Raises:
        NotSure: with those it may be.
    """
    known = named(run.procedure.substances, name)
    if known is not None:
        return known.name
    maybe = near(name, [substance.name for substance in run.procedure.substances])
    if maybe:
        behind = {"ice-cold": " cold", "hot": " hot"}.get(how, "")
        question = f"“{name[:30]}” is no liquid of this run: {or_of(maybe)}?"
        raise NotSure(question, [f"wash {one} {many}{behind}" for one in maybe])
    if not name.casefold().startswith(f"{NEW} ") and run.procedure.substances and name.casefold() not in _USUAL:
        liquids = [one.name for one in run.procedure.substances if one.role == "solvent"]
        answers = [*(f"wash {one} {many}" for one in liquids), f"wash {NEW} {name} {many}"]
        raise NotSure(f"“{name[:30]}” is no liquid of this run. If it is another one, write {NEW} before it.", answers)
    return name.removeprefix(f"{NEW} ")


def _filtrate(words: list[str], run: Run, step: str) -> Understood:
    said = " ".join(words).casefold()
    if said.startswith("clear"):
        payload = Filtrate(step=step_here(run, step, (*FILTERS, "decant"), "filtered"), clear=True)
    elif said.startswith("cloudy"):
        then = "again" if "again" in said else "accepted" if "accept" in said else ""
        payload = Filtrate(step=step_here(run, step, (*FILTERS, "decant"), "filtered"), clear=False, then=then)
    else:
        raise Unreadable("Enter how it looks: filtrate clear, filtrate cloudy again, or filtrate cloudy accepted.")
    return Understood(payload, describe(payload))


def own_words(moment: Moment) -> dict[str, str]:
    """What the checks of a filter name: the liquid that must pass, and what wets the paper where water is the rule."""
    passes = must_pass(moment.held)
    solvent = passes.shown if passes is not None else "the mixture's own solvent"
    return {"solvent": solvent, "wet": "water" if passes is None or is_water(passes) else solvent}


TECHNIQUE = Technique(
    key="filtration",
    title="Filtration",
    step_kinds=STEP_KINDS,
    payloads=(Poured, Emptied, Washed, Filtrate, Drying),
    checks=CHECKS,
    names=own_words,
    describe=describe,
    figures=figures,
    rules=(
        flask_too_full,
        flammable_in_oven,
        dried_too_hot,
        cloudy,
        washes_dissolve,
        set_up_unchecked,
        wetted_with_water_here,
        weighed_too_soon,
        washed_with_another,
    ),
    causes=(ran_through, dissolved_in_washes, not_washed, stays_on_paper),
    plan_rules=(overfilled, disc_in_the_boat, wetted_with_water),
    commands={"pour": _pour, "emptied": _empty, "wash": _wash, "filtrate": _filtrate},
)
