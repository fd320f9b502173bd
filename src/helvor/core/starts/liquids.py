"""Starts in a funnel and on a column."""

from __future__ import annotations

import math
from collections.abc import Mapping
from typing import Annotated, Literal, Self

from pydantic import Field, model_validator

from helvor.core.laws.column.sizing import gravity, suitability
from helvor.core.laws.planar.eluent import parse_eluent
from helvor.core.quantities.reading import Mass, Reading, Volume
from helvor.core.record.known import Known
from helvor.core.record.parameters import Asked, Parameters
from helvor.core.record.procedure import Procedure, named, same
from helvor.core.record.step_kinds import WASTE, StepKind
from helvor.core.starts.making import Making, all_of
from helvor.core.starts.start import CalledIt, Start, Times

_Eluent = Annotated[str, Field(min_length=1, max_length=40)]
_Bore = Annotated[float, Field(ge=2, le=300, allow_inf_nan=False)]
_Rf = Annotated[float, Field(gt=0, lt=1, allow_inf_nan=False)]


ROTARY = ("rotary evaporator",)


def _evaporated(m: Making, liquid: str, product: str, component: str, flask: str) -> None:
    """Evaporate a liquid in a weighed flask, let it cool, and weigh what stays."""
    stream = next((one.waste for one in m.substances if one.role == "solvent" and one.waste), "")
    bottle = f"the bottle {WASTE[stream]}" if stream in WASTE and stream != "sink" else "its waste bottle"
    words = f"Evaporate the {liquid} in {flask} on the rotary evaporator; what is collected goes into {bottle}"
    m.step(
        "evaporate",
        words,
        takes=(liquid,),
        gives=(product,),
        roles=("residue",),
        container=(flask,),
        place="hood",
        celsius=45,
        kit=ROTARY,
    )
    m.step("cool", "Let the flask come to room temperature", on=product, container=(flask,))
    m.step("weigh", f"Weigh {flask} to constant mass", on=product, container=(flask,))
    m.holds(product, component=component, end="product")


class TakeOut(Parameters):
    """A compound taken from water into a solvent."""

    compound: Annotated[CalledIt, Asked("Compound")]
    water: Annotated[Volume, Asked("Aqueous solution", "mL")]
    solvent: Annotated[CalledIt, Asked("Solvent", hint="one that does not mix with water")]
    portion: Annotated[Volume, Asked("Each portion", "mL")]
    times: Annotated[Times, Asked("How many portions")] = 3


def take_out(said: TakeOut, kinds: Mapping[str, StepKind], known: Known) -> Procedure:
    """The procedure: extract, dry, tare, filter off the agent, evaporate, weigh, discard."""
    m = Making(f"{said.compound} into {said.solvent}", kinds, known)
    compound = m.follows(said.compound)
    solution = m.substance("water", said.water, f"{said.compound} solution"[:40], role="sample", component=compound)
    solvent = m.substance(said.solvent, all_of(said.portion, said.times), role="solvent")
    agent = m.substance("sodium sulfate", None, "sodium sulfate, anhydrous", role="aid")
    m.step("add", f"Bring {{{solution}}}, at room temperature, into the funnel", gives=("solution",), adds=(solution,))
    words = (
        f"Extract with {{{solvent}}} in {said.times} portions: stopper, invert, vent at once, shake and vent; "
        "take the stopper out and drain when the boundary is sharp"
    )
    organic, aqueous = f"{said.solvent} layer"[:40], "aqueous layer"
    m.step(
        "extract",
        words,
        takes=("solution",),
        gives=(organic, aqueous),
        roles=("organic layer", "aqueous layer"),
        adds=(solvent,),
        times=said.times,
    )
    words = f"Add {{{agent}}} in portions until some grains move freely; swirl now and then"
    m.step("dry layer", words, takes=(organic,), gives=("dried layer",), adds=(agent,))
    m.tare("round flask")
    words = "Filter from the drying agent through a fluted paper into the weighed flask; rinse with a little solvent"
    m.step(
        "gravity filter",
        words,
        takes=("dried layer",),
        gives=("clear layer", "spent drying agent"),
        container=("round flask",),
    )
    _evaporated(m, "clear layer", f"{said.compound}, dry"[:40], compound, "round flask")
    m.holds("spent drying agent", end="waste")
    m.step(
        "discard",
        "Leave the drying agent in the hood until the solvent is gone, then into the solid waste",
        on="spent drying agent",
        waste="solids",
    )
    m.thrown(aqueous, "water")
    return m.done(f"Take {said.compound} out of water with {said.solvent}.")


class OnAColumn(Parameters):
    """A mixture parted on silica, planned from a plate in the same eluent."""

    sample: Annotated[CalledIt, Asked("Mixture")]
    mass: Annotated[Mass, Asked("Its mass", "g")]
    first: Annotated[CalledIt, Asked("Comes first")]
    rf_first: Annotated[_Rf, Asked("Its Rf", hint="on a plate in this eluent")]
    second: Annotated[CalledIt, Asked("Comes second")]
    rf_second: Annotated[_Rf, Asked("Its Rf", hint="in the same")]
    eluent: Annotated[_Eluent, Asked("Eluent", hint="heptane : ethyl acetate 4 : 1", wide=True)]
    bore: Annotated[_Bore | None, Asked("Column, inside", "mm", hint="empty: the width that fits")] = None

    @model_validator(mode="after")
    def _two(self) -> Self:
        if same(self.first, self.second):
            raise ValueError("second: Enter two different compounds.")
        return self


def _about(value: float, unit: Literal["g", "mL"]) -> Reading:
    """A planned amount in two figures."""
    step = 10 ** (math.floor(math.log10(value)) - 1)
    rounded = math.ceil(value / step) * step
    return Reading(written=f"{rounded:g} {unit}", value=rounded, unit=unit, resolution=step)


def on_a_column(said: OnAColumn, kinds: Mapping[str, StepKind], known: Known) -> Procedure:
    """The procedure: tares, pack, load, elute, plate, pool, evaporate, weigh, discard.

    Silica, eluent, width and tubes are those of :func:`helvor.core.laws.column.sizing.gravity`.

    Raises:
        Unreadable: the eluent is not clear, or the two compounds lie too near.
    """
    m = Making(f"{said.sample} on a column", kinds, known)
    plan = gravity(1000 * said.mass.value, suitability(said.rf_first, said.rf_second), [said.bore] if said.bore else [])
    mixed = parse_eluent(said.eluent)
    sample = m.substance(said.sample, said.mass, exact=True, role="sample")
    silica = m.substance("silica gel", _about(plan.silica, "g"), role="aid")
    packing = m.mixture(mixed, _about(plan.slurry + plan.eluent, "mL"))
    stream = named(m.substances, packing).waste  # type: ignore[union-attr]  # it was just taken in
    bore, bed = round(plan.bore), round(plan.bed)
    flasks = ("flask A", "flask B")
    for flask in flasks:
        m.tare(flask)
    m.step("weigh", f"Weigh {{{sample}}}", gives=(sample,), adds=(sample,))
    words = f"Put in plug and sand, then {{{silica}}} as a slurry in eluent; press out the bubbles, drain to the silica"
    m.step("pack column", words, gives=("packed column",), adds=(silica,), bore=bore, bed=bed)
    words = "Load the sample in very little solvent; drain to the silica; add a thin layer of sand"
    m.step("load column", words, takes=(sample, "packed column"), gives=("loaded column",))
    words = f"Elute with the rest of {{{packing}}} into numbered tubes; never let the bed run dry"
    m.step(
        "elute",
        words,
        takes=("loaded column",),
        gives=("fractions", "spent silica"),
        adds=(packing,),
        fraction=plan.fraction,
    )
    m.step("fraction plate", "Spot every tube on one plate beside the references", on="fractions")
    words = "Pool tubes with the same single spot; keep mixed tubes apart"
    m.step("pool", words, takes=("fractions",), gives=("pool A", "pool B", "rest"))
    compounds = ((said.first, said.rf_first), (said.second, said.rf_second))
    for pool, flask, (name, rf) in zip(("pool A", "pool B"), flasks, compounds, strict=True):
        component = m.follows(name, rf={str(mixed)[:40]: rf})
        _evaporated(m, pool, f"{name}, dry"[:40], component, flask)
    m.holds("rest", end="waste")
    m.holds("spent silica", end="waste")
    bottle = f"the bottle {WASTE[stream]}" if stream else "their waste bottle"
    words = f"Put mixed tubes and collected solvent into {bottle}"
    m.step("discard", words, on="rest", waste=stream)
    words = "Let the silica dry in the hood, dampen it, and put it into the silica waste"
    m.step("discard", words, on="spent silica", waste="silica")
    return m.done(f"Part {said.first} and {said.second} on silica.")


STARTS = (
    Start("funnel", "Take something out with a funnel", "from water into a solvent", "extract", TakeOut, take_out),
    Start("column", "A column", "two compounds on silica", "elute", OnAColumn, on_a_column),
)
