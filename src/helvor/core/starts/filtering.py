"""Starts that end with a solid on a filter or in its beaker: filtering, a gravimetric content, decanting."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Annotated, Literal

from helvor.core.quantities.formula import atoms
from helvor.core.quantities.reading import Mass, Volume
from helvor.core.record.known import Known
from helvor.core.record.parameters import Asked, Parameters
from helvor.core.record.procedure import Procedure
from helvor.core.record.step_kinds import StepKind
from helvor.core.starts.making import Making, all_of
from helvor.core.starts.start import CalledIt, Celsius, FormulaOf, Start, Times

Funnel = Literal["vacuum", "gravity", "crucible"]
_KINDS = {"vacuum": "vacuum filter", "gravity": "gravity filter", "crucible": "crucible filter"}
_FILTERS = {
    "vacuum": "Wet the paper with {liquid}, turn the vacuum on, pour, rinse the vessel into it",
    "gravity": "Wet the paper with {liquid}, pour along a rod, never above the paper; rinse beaker and rod into it",
    "crucible": "Seat the crucible, turn the vacuum on, pour, rinse the vessel into it",
}


class FilterOff(Parameters):
    """A solid in a liquid, filtered off, washed, dried and weighed."""

    solid: Annotated[CalledIt, Asked("Solid", hint="what is filtered off")]
    liquid: Annotated[CalledIt, Asked("Liquid it is in")] = "water"
    funnel: Annotated[Funnel, Asked("Filter")] = "vacuum"
    wash: Annotated[Volume | None, Asked("Wash, each portion", "mL", hint="of the same liquid")] = None
    celsius: Annotated[Celsius | None, Asked("Oven", "°C", hint="empty: in air")] = None


def _weighed_filter(m: Making, funnel: Funnel) -> str:
    """Tare what the solid is weighed on; its name."""
    container = "filter crucible" if funnel == "crucible" else "filter paper"
    words = "" if funnel == "crucible" else "Weigh the filter paper, dried as it will be dried afterwards"
    m.tare(container, words)
    return container


def filter_off(said: FilterOff, kinds: Mapping[str, StepKind], known: Known) -> Procedure:
    """The procedure: tare, filter, wash, dry, weigh, discard."""
    m = Making(f"Filtering off {said.solid}", kinds, known)
    solid, wet = said.solid[:32], f"wet {said.solid[:32]}"
    container = _weighed_filter(m, said.funnel)
    m.substance(said.solid, called=f"{solid} in {said.liquid}"[:40], role="sample", component=m.follows(solid))
    slurry = m.step("add", f"Bring the {solid} in its {said.liquid}", gives=("slurry",), adds=(m.substances[-1].name,))
    filters = _FILTERS[said.funnel].replace("{liquid}", said.liquid)
    m.step(_KINDS[said.funnel], filters, takes=slurry.gives, gives=("filtrate", wet), container=(container,))
    if said.wash is not None:
        name = m.substance(said.liquid, said.wash, f"wash {said.liquid}", role="solvent")
        m.step("wash", f"Wash with a portion of {{{name}}}", on=wet, adds=(name,))
    product = wet
    if said.funnel == "vacuum":
        product = solid
        words = f"Lift {container} and solid onto a watch glass"
        m.step("transfer", words, takes=(wet,), gives=(product,), container=(container,))
    m.holds(product, component=solid, end="product")
    m.dried(product, container, said.celsius, said.liquid)
    m.thrown("filtrate", said.liquid, said.solid)
    return m.done(f"Filter off {solid} and weigh it.")


class Content(Parameters):
    """A content by weighing a precipitate."""

    sample: Annotated[CalledIt, Asked("Sample", hint="what is weighed out")]
    mass: Annotated[Mass, Asked("Mass of sample", "g")]
    analyte: Annotated[FormulaOf, Asked("Determined as", hint="a formula: SO4, Cl, Ni")]
    precipitate: Annotated[FormulaOf, Asked("Precipitate", hint="its formula: BaSO4")]
    precipitant: Annotated[CalledIt, Asked("Precipitant", hint="as on its bottle: 0.2 M barium chloride")]
    volume: Annotated[Volume, Asked("Its volume", "mL")]
    water: Annotated[Volume, Asked("Water to dissolve in", "mL")]
    funnel: Annotated[Literal["gravity", "crucible"], Asked("Filter")] = "gravity"
    celsius: Annotated[Celsius, Asked("Oven", "°C")] = 105.0


def _carrier(analyte: str, precipitate: str) -> str:
    """The one element besides oxygen and hydrogen that analyte and precipitate share; empty where it is not one."""
    mine, theirs = atoms(analyte), atoms(precipitate)
    shared = [element for element in mine if element in theirs and element not in ("O", "H")]
    return shared[0] if len(shared) == 1 else ""


def content(said: Content, kinds: Mapping[str, StepKind], known: Known) -> Procedure:
    """The procedure: weigh, dissolve, precipitate hot, digest, filter, wash, dry, weigh, discard."""
    m = Making(f"{said.analyte} in {said.sample}", kinds, known)
    analyte = m.follows(said.analyte, expressed=said.analyte, carrier=_carrier(said.analyte, said.precipitate))
    container = _weighed_filter(m, said.funnel)
    sample = m.substance(said.sample, said.mass, exact=True, role="sample", component=analyte)
    water = m.substance("water", said.water, role="solvent")
    reagent = m.substance(said.precipitant, said.volume)
    m.step("weigh", f"Weigh {{{sample}}} by difference into the beaker", gives=(sample,), adds=(sample,))
    m.step(
        "dissolve",
        f"Dissolve it in {{{water}}}; acidify where your method says so",
        takes=(sample,),
        gives=("solution",),
        adds=(water,),
    )
    m.step("heat", "Heat nearly to boiling", on="solution", celsius=95)
    words = f"Add {{{reagent}}} drop by drop, stirring; let it settle and test with one more drop"
    m.step("precipitate", words, takes=("solution",), gives=("slurry",), adds=(reagent,), asks=("outcome",))
    m.step("digest", "Digest hot and covered until the liquid above is clear", on="slurry", celsius=90, waits=30)
    wet = f"wet {said.precipitate}"[:40]
    words = "Decant through the filter, transfer the precipitate, rinse beaker and rod into it"
    m.step(_KINDS[said.funnel], words, takes=("slurry",), gives=("filtrate", wet), container=(container,))
    wash = m.substance("water", None, "hot wash water", role="solvent")
    m.step(
        "wash",
        f"Wash with small portions of {{{wash}}} until a drop of the washings no longer gives the test",
        on=wet,
        adds=(wash,),
        times=5,
    )
    m.holds(wet, component=analyte, formula=said.precipitate, end="product")
    m.meeting = 2
    m.dried(wet, container, said.celsius)
    m.thrown("filtrate", said.precipitant)
    return m.done(f"Find the part of {said.analyte} in {said.sample} by weighing {said.precipitate}.")


class Decant(Parameters):
    """A solid that settles: decanted, rinsed and weighed in its beaker."""

    solid: Annotated[CalledIt, Asked("Solid", hint="what stays")]
    liquid: Annotated[CalledIt, Asked("Liquid it is in")] = "water"
    rinse: Annotated[Volume, Asked("Rinse, each time", "mL")]
    times: Annotated[Times, Asked("How many times")] = 3
    celsius: Annotated[Celsius, Asked("Oven", "°C")] = 105.0


def decant(said: Decant, kinds: Mapping[str, StepKind], known: Known) -> Procedure:
    """The procedure: tare, bring in, decant, rinse, dry, weigh, discard."""
    m = Making(f"Decanting from {said.solid}", kinds, known)
    solid = said.solid[:32]
    m.tare("beaker")
    name = m.substance(said.solid, called=f"{solid} in {said.liquid}"[:40], role="sample", component=m.follows(solid))
    m.step("add", f"Bring the {solid} in its {said.liquid} into the beaker", gives=("slurry",), adds=(name,))
    rinse = m.substance(said.liquid, all_of(said.rinse, said.times), f"rinsing {said.liquid}", role="solvent")
    words = f"Let it settle and pour the liquid off along a rod; rinse {said.times} times with portions of {{{rinse}}}"
    wet = f"wet {solid}"
    m.step(
        "decant",
        words,
        takes=("slurry",),
        gives=("poured-off liquid", wet),
        adds=(rinse,),
        times=said.times,
        container=("beaker",),
    )
    m.holds(wet, component=solid, end="product")
    m.dried(wet, "beaker", said.celsius, said.liquid)
    m.thrown("poured-off liquid", said.liquid, said.solid)
    return m.done(f"Pour the liquid off {solid}, rinse and weigh it.")


STARTS = (
    Start(
        "filter",
        "Filter off a solid and weigh it",
        "yield on a tared paper or crucible",
        "vacuum filter",
        FilterOff,
        filter_off,
    ),
    Start("content", "A gravimetric content", "precipitate, filter, weigh", "precipitate", Content, content),
    Start("decant", "Decant and rinse", "a solid that settles well", "decant", Decant, decant),
)
