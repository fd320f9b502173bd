"""Starts in a funnel and on a column."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Annotated

from pydantic import Field

from helvor.core.quantities.reading import Mass, Reading, Volume
from helvor.core.record.parameters import Asked, Parameters
from helvor.core.record.procedure import Procedure
from helvor.core.record.step_kinds import StepKind
from helvor.core.starts.making import Known, Making
from helvor.core.starts.start import Start

_Name = Annotated[str, Field(min_length=1, max_length=32)]
_Eluent = Annotated[str, Field(min_length=1, max_length=40)]
_Times = Annotated[int, Field(ge=1, le=10)]
_Bore = Annotated[float, Field(ge=2, le=300, allow_inf_nan=False)]
_Tube = Annotated[float, Field(gt=0, le=1000, allow_inf_nan=False)]


def _all(each: Reading, times: int) -> Reading:
    """The volume of all portions together."""
    whole = each.value * times
    return each.model_copy(update={"value": whole, "written": f"{whole:g} mL"})


class TakeOut(Parameters):
    """A compound taken from water into a solvent."""

    compound: Annotated[_Name, Asked("Compound")]
    water: Annotated[Volume, Asked("Aqueous solution", "mL")]
    solvent: Annotated[_Name, Asked("Solvent", hint="one that does not mix with water")]
    portion: Annotated[Volume, Asked("Each portion", "mL")]
    times: Annotated[_Times, Asked("How many portions")] = 3


def take_out(said: TakeOut, kinds: Mapping[str, StepKind], known: Known) -> Procedure:
    """The procedure: extract, dry, tare, filter off the agent, evaporate, weigh, discard."""
    m = Making(f"{said.compound} into {said.solvent}", kinds, known)
    compound = m.follows(said.compound)
    solution = m.substance("water", said.water, f"{said.compound} solution"[:40], role="sample", component=compound)
    solvent = m.substance(said.solvent, _all(said.portion, said.times), role="solvent")
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
    product = f"{said.compound}, dry"[:40]
    words = "Evaporate the solvent on the rotary evaporator and collect it"
    m.step(
        "evaporate",
        words,
        takes=("clear layer",),
        gives=(product,),
        roles=("residue",),
        container=("round flask",),
        place="hood",
        celsius=45,
    )
    m.step("cool", "Let the flask come to room temperature", on=product, container=("round flask",))
    m.step("weigh", "Weigh the flask to constant mass", on=product, container=("round flask",))
    m.holds(product, component=compound, end="product")
    m.holds("spent drying agent", end="waste")
    m.step(
        "discard",
        "Leave the drying agent in the hood until the solvent is gone, then into the solid waste",
        on="spent drying agent",
        waste="solids",
    )
    m.thrown(aqueous, "")
    return m.done(f"Take {said.compound} out of water with {said.solvent}.")


class OnAColumn(Parameters):
    """A mixture parted on silica."""

    sample: Annotated[_Name, Asked("Mixture")]
    mass: Annotated[Mass, Asked("Its mass", "g")]
    first: Annotated[_Name, Asked("Comes first")]
    second: Annotated[_Name, Asked("Comes second")]
    eluent: Annotated[_Eluent, Asked("Eluent", hint="heptane : ethyl acetate 4 : 1", wide=True)]
    volume: Annotated[Volume, Asked("Eluent in all", "mL")]
    bore: Annotated[_Bore, Asked("Column, inside", "mm")] = 15.0
    tube: Annotated[_Tube, Asked("One tube", "mL")] = 5.0


SILICA_PER_SAMPLE = 50
"""g of silica for a gram of sample on a gravity column. Common practice, no source."""


def on_a_column(said: OnAColumn, kinds: Mapping[str, StepKind], known: Known) -> Procedure:
    """The procedure: tares, pack, load, elute, plate, pool, evaporate, weigh, discard."""
    m = Making(f"{said.sample} on a column", kinds, known)
    sample = m.substance(said.sample, said.mass, exact=True, role="sample")
    grams = max(1.0, round(SILICA_PER_SAMPLE * said.mass.value))
    silica = m.substance(
        "silica gel", Reading(written=f"{grams:g} g", value=grams, unit="g", resolution=1.0), role="aid"
    )
    eluent = m.substance(said.eluent, said.volume, role="solvent")
    flasks = ("flask A", "flask B")
    for flask in flasks:
        m.tare(flask)
    m.step("weigh", f"Weigh {{{sample}}}", gives=(sample,), adds=(sample,))
    words = f"Put in plug and sand, then {{{silica}}} as a slurry in eluent; press out the bubbles, drain to the silica"
    m.step("pack column", words, gives=("packed column",), adds=(silica,), bore=said.bore)
    words = "Load the sample in very little solvent; drain to the silica; add a thin layer of sand"
    m.step("load column", words, takes=(sample, "packed column"), gives=("loaded column",))
    words = f"Elute with {{{eluent}}} into numbered tubes; never let the bed run dry"
    m.step(
        "elute",
        words,
        takes=("loaded column",),
        gives=("fractions", "spent silica"),
        adds=(eluent,),
        fraction=said.tube,
    )
    m.step("fraction plate", "Spot every tube on one plate beside the references", on="fractions")
    m.step(
        "pool",
        "Pool tubes with the same single spot; keep mixed tubes apart",
        takes=("fractions",),
        gives=("pool A", "pool B", "rest"),
    )
    for pool, flask, name in zip(("pool A", "pool B"), flasks, (said.first, said.second), strict=True):
        product = f"{name}, dry"[:40]
        m.holds(product, component=m.follows(name), end="product")
        m.step(
            "evaporate",
            f"Evaporate {pool} in {flask} on the rotary evaporator",
            takes=(pool,),
            gives=(product,),
            roles=("residue",),
            container=(flask,),
            place="hood",
            celsius=45,
        )
        m.step("cool", "Let the flask come to room temperature", on=product, container=(flask,))
        m.step("weigh", f"Weigh {flask} to constant mass", on=product, container=(flask,))
    m.holds("rest", end="waste")
    m.holds("spent silica", end="waste")
    m.step("discard", "Put mixed tubes and collected solvent into the solvent waste", on="rest", waste="solvents")
    m.step(
        "discard",
        "Let the silica dry in the hood, dampen it, and put it into the silica waste",
        on="spent silica",
        waste="silica",
    )
    return m.done(f"Part {said.first} and {said.second} on silica.")


STARTS = (
    Start("funnel", "Take something out with a funnel", "from water into a solvent", "extract", TakeOut, take_out),
    Start("column", "A column", "two compounds on silica", "elute", OnAColumn, on_a_column),
)
