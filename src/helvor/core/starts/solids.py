"""Starts with a solid: recrystallizing, a mixture of solids, a melting range, just weighing."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Annotated, Literal, Self

from pydantic import model_validator

from helvor.core.quantities.reading import Mass, Volume
from helvor.core.record.known import Known
from helvor.core.record.parameters import Asked, Parameters
from helvor.core.record.procedure import Procedure
from helvor.core.record.step_kinds import StepKind
from helvor.core.starts.making import Making
from helvor.core.starts.start import CalledIt, Celsius, Start


class Recrystallize(Parameters):
    """A crude solid made clean from a hot solvent."""

    compound: Annotated[CalledIt, Asked("Compound")]
    mass: Annotated[Mass, Asked("Crude solid", "g")]
    solvent: Annotated[CalledIt, Asked("Solvent")] = "water"
    volume: Annotated[Volume, Asked("Hot solvent, about", "mL")]
    charcoal: Annotated[Literal["no", "yes"], Asked("Charcoal and hot filter")] = "no"
    celsius: Annotated[Celsius | None, Asked("Oven", "°C", hint="empty: in air")] = None


def recrystallize(said: Recrystallize, kinds: Mapping[str, StepKind], known: Known) -> Procedure:
    """The procedure: tare, weigh, dissolve hot, (charcoal, hot filter,) crystallize, filter, wash, dry, weigh, melt."""
    m = Making(f"{said.compound} recrystallized", kinds, known)
    compound = m.follows(said.compound)
    pure = known(said.compound)
    crude = m.substance(
        said.compound, said.mass, f"crude {said.compound}"[:40], exact=True, role="sample", component=compound
    )
    solvent = m.substance(said.solvent, said.volume, role="solvent")
    m.tare("dish")
    m.step("weigh", f"Weigh {{{crude}}} into the flask", gives=("crude",), adds=(crude,))
    m.step("melting point", "Measure the melting range of a few grains", on="crude")
    words = f"Add chips and a part of {{{solvent}}}, heat to the boil; add more, hot, in portions, until just dissolved"
    boils = m.substances[-1].boils
    m.step("dissolve hot", words, takes=("crude",), gives=("hot solution",), adds=(solvent,), celsius=boils)
    clear = "hot solution"
    if said.charcoal == "yes":
        coal = m.substance("charcoal", None, role="aid")
        words = f"Take it off the heat, let it stop boiling, add a little {{{coal}}}, and boil again"
        m.step("add", words, on="hot solution", adds=(coal,))
        words = "Filter hot through a fluted paper in a warm stemless funnel; rinse with a little hot solvent"
        m.step("hot filter", words, takes=("hot solution",), gives=("clear solution", "charcoal cake"))
        m.holds("charcoal cake", end="waste")
        clear = "clear solution"
    m.step(
        "crystallize", "Leave covered and undisturbed until lukewarm, then cool in ice with water", on=clear, celsius=2
    )
    words = "Collect the crystals with vacuum; rinse the flask with its own cold mother liquor"
    m.step("vacuum filter", words, takes=(clear,), gives=("mother liquor", "wet crystals"))
    cold = m.substance(said.solvent, None, f"ice-cold {said.solvent}"[:40], role="solvent")
    m.step("wash", f"Wash with very little {{{cold}}}, the vacuum off", on="wet crystals", adds=(cold,), times=2)
    m.step("suck dry", "Draw air through until dripping stops", on="wet crystals")
    product = f"{said.compound}, dry"[:40]
    m.step(
        "transfer",
        "Spread the crystals on the weighed dish",
        takes=("wet crystals",),
        gives=(product,),
        container=("dish",),
    )
    m.holds(product, component=compound, formula=pure.formula if pure is not None else "", end="product")
    m.meeting = 2
    m.dried(product, "dish", said.celsius, said.solvent)
    m.step("melting point", "Measure the melting range of the dry product", on=product)
    m.thrown("mother liquor", said.solvent)
    if said.charcoal == "yes":
        m.step(
            "discard",
            "Put the damp charcoal paper, in its own bag, into the solid waste",
            on="charcoal cake",
            waste="solids",
        )
    return m.done(f"Recrystallize {said.compound} from {said.solvent}.")


class Apart(Parameters):
    """Three solids: one that sublimes, one that dissolves in water, one that stays."""

    mass: Annotated[Mass, Asked("Mixture", "g")]
    sublimes: Annotated[CalledIt | Literal[""], Asked("Sublimes", hint="empty: none does")] = ""
    dissolves: Annotated[CalledIt, Asked("Dissolves in water")]
    stays: Annotated[CalledIt, Asked("Stays behind")]
    water: Annotated[Volume, Asked("Water to dissolve in", "mL")]

    @model_validator(mode="after")
    def _different(self) -> Self:
        names = [name.casefold() for name in (self.sublimes, self.dissolves, self.stays) if name]
        if len(set(names)) < len(names):
            raise ValueError("stays: Enter a different solid in each field.")
        return self


def apart(said: Apart, kinds: Mapping[str, StepKind], known: Known) -> Procedure:
    """The procedure: weigh, (sublime, cool, weigh,) dissolve, decant, dry both, weigh both."""
    m = Making(f"{said.dissolves} and {said.stays} apart", kinds, known)
    mixture = m.substance("mixture", said.mass, "mixture of solids", exact=True, role="sample")
    water = m.substance("water", said.water, role="solvent")
    m.tare("dish")
    m.step("weigh", f"Weigh {{{mixture}}} in the dish", gives=("mixture",), adds=(mixture,), container=("dish",))
    rest = "mixture"
    if said.sublimes:
        vapour = f"{said.sublimes} vapour"[:40]
        words = (
            "In the hood, heat gently, stirring, until no more fumes rise and a cold glass takes no deposit; no flame"
        )
        m.step("sublime", words, takes=("mixture",), gives=("residue", vapour), container=("dish",), place="hood")
        m.step("cool", "Let it cool to room temperature", on="residue", container=("dish",))
        m.step("weigh", "Weigh; heat again and weigh again, to constant mass", on="residue", container=("dish",))
        m.holds(vapour, component=m.follows(said.sublimes), by_loss=True)
        rest = "residue"
    m.step(
        "dissolve", f"Stir with {{{water}}} until nothing more dissolves", on=rest, adds=(water,), container=("dish",)
    )
    m.tare("beaker")
    words = (
        "Decant the solution into the weighed beaker; rinse the solid twice with a little water, decanting each time"
    )
    solution, wet, solid = f"{said.dissolves} solution"[:40], f"wet {said.stays}"[:40], said.dissolves[:40]
    m.step("decant", words, takes=(rest,), gives=(solution, wet), container=("beaker",))
    m.holds(wet, component=m.follows(said.stays), end="product")
    m.dried(wet, "dish", 105)
    words = "Evaporate gently under a watch glass; less heat near the end: wet grains spit"
    m.step(
        "evaporate", words, takes=(solution,), gives=(solid,), roles=("residue",), container=("beaker",), celsius=110
    )
    m.holds(solid, component=m.follows(said.dissolves), end="product")
    m.step("cool", "Let it cool to room temperature", on=solid, container=("beaker",))
    m.step("weigh", "Weigh; dry again and weigh again, to constant mass", on=solid, container=("beaker",))
    return m.done("Take a mixture of solids apart and find the part of each.")


class Melt(Parameters):
    """A melting range."""

    solid: Annotated[CalledIt, Asked("Solid")]


def melt(said: Melt, kinds: Mapping[str, StepKind], known: Known) -> Procedure:
    """The procedure: grind, melt quickly, melt slowly."""
    m = Making(f"Melting range of {said.solid}", kinds, known)
    name = m.substance(said.solid, role="sample", component=m.follows(said.solid))
    formula = m.substances[-1].formula
    portion = f"ground {said.solid}"[:40]
    m.step("grind", f"Grind a few grains of the dry {{{name}}}", gives=(portion,), adds=(name,))
    m.holds(portion, component=said.solid, formula=formula, end="product")
    words = "Fill a fresh capillary 2 to 3 mm high; a quick run first, then 1 to 2 °C a minute near the end"
    m.step("melting point", words, on=portion)
    return m.done(f"Measure the melting range of {said.solid}.")


class Weigh(Parameters):
    """A container and what is in it."""

    what: Annotated[CalledIt, Asked("What is weighed")]
    container: Annotated[CalledIt, Asked("In what")] = "dish"


def weigh(said: Weigh, kinds: Mapping[str, StepKind], known: Known) -> Procedure:
    """The procedure: container empty, container with contents."""
    m = Making(f"Weighing {said.what}", kinds, known)
    name = m.substance(said.what, role="sample")
    m.tare(said.container)
    m.step(
        "weigh", f"Weigh {said.container} and {{{name}}}", gives=(said.what,), adds=(name,), container=(said.container,)
    )
    return m.done(f"Weigh {said.what}.")


STARTS = (
    Start(
        "recrystallize",
        "Recrystallize",
        "a crude solid from a hot solvent",
        "crystallize",
        Recrystallize,
        recrystallize,
    ),
    Start("apart", "Take a mixture of solids apart", "by subliming, dissolving and decanting", "sublime", Apart, apart),
    Start("melt", "Melt", "a melting range", "melting point", Melt, melt),
    Start("weigh", "Just weigh", "a container and what is in it", "weigh", Weigh, weigh),
)
