"""The kinds of step that a procedure is built from: a table, and what it says of each.

A technique adds its own kinds through :data:`helvor.core.techniques.registered.PAGE_KINDS`; they
stand in the same palette.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

from helvor.core.record.parameters import PARAMETERS, Parameters

Phase = Literal["", "liquid", "solid", "vapour"]

ORGANIC, AQUEOUS = "organic layer", "aqueous layer"
"""The roles of the two layers of a funnel; which is above follows from their densities."""


@dataclass(frozen=True, slots=True)
class Output:
    """Something that a kind of step gives.

    Attributes:
        role: kept in procedures; it says what the portion is.
        phase: whether it is a liquid, a solid or a vapour; empty where that depends.
        name: what a new portion in this role is called; the role where it is empty.
        usual: a new step gives it; otherwise it works on what it has, until somebody says a name for it.
        many: several portions can have it: aliquots, pools.
    """

    role: str
    phase: Phase = ""
    name: str = ""
    usual: bool = True
    many: bool = False

    def __post_init__(self) -> None:
        if not self.name:
            object.__setattr__(self, "name", self.role)


LIQUID_AND_SOLID = (Output("filtrate", "liquid"), Output("solid", "solid"))
LAYERS = (Output(ORGANIC, "liquid"), Output(AQUEOUS, "liquid"))
MIXTURE = (Output("mixture", usual=False),)
SOLID = (Output("solid", "solid", usual=False),)


@dataclass(frozen=True, slots=True)
class StepKind:
    """What every step of a kind has in common.

    Attributes:
        key: kept in procedures.
        group: where it stands in the palette.
        title: what people call it.
        says: the instruction that a new step starts with.
        hands, waits: usual minutes hands-on and waiting.
        asks: readings that a new step asks for.
        kit: what a new step needs.
        wets: liquid comes to what was dry: a container weighed afterwards needs its tare before.
        heats: leaves things hot.
        cools: leaves things at room temperature.
        dries: takes solvent out.
        ends: the portion leaves the bench.
        collects: matter is brought from one vessel to another; what is not brought over is lost.
        outputs: what it gives, by role.
        works_on: of what stands there, what it is for: the solid or the liquid.
        layers: it gives two layers: which is which follows from the liquids.
        shares: it shares a liquid out among the portions that it gives.
        airs: what stands in the air or the hood loses its solvent in it.
        rinses: what it adds comes in portions, one after another, and never stands together in the vessel.
        runs_through: what it adds runs through the solid into what was filtered off before.
        weighs: it is done on a balance.
        takes_off: solvent leaves as vapour; ice: it wants ice.
        stores: what is there is put away; labels: it is labelled.
        opens: pages of their own that it is done on: plates, or plates of fractions.
        left_out: what follows where it is skipped, in half a sentence; empty where nothing much does.
        again: what is done before its solid is weighed again, where that is more than drying; a sentence.
        ordinary: part of the whole that a class usually has in hand after it, at the low end. Common practice, no
            source.
        parameters: what it can be told beyond what every step has.
        icon: the path of its picture, 32 × 32, where the house's own set has none.
        caution: shown beside the step; example: a reading as it is typed there.
        rules: house rules that say how it is done here; they stand under the instruction.
    """

    key: str
    group: str
    title: str
    says: str
    hands: int = 3
    waits: int = 0
    asks: tuple[str, ...] = ()
    kit: tuple[str, ...] = ()
    wets: bool = False
    heats: bool = False
    cools: bool = False
    dries: bool = False
    ends: bool = False
    collects: bool = False
    outputs: tuple[Output, ...] = ()
    works_on: Phase = ""
    layers: bool = False
    shares: bool = False
    airs: bool = False
    rinses: bool = False
    runs_through: bool = False
    weighs: bool = False
    takes_off: bool = False
    ice: bool = False
    stores: bool = False
    labels: bool = False
    opens: Literal["", "plates", "fraction plates"] = ""
    left_out: str = ""
    again: str = ""
    ordinary: float = 0.90
    parameters: type[Parameters] = Parameters
    icon: str = ""
    caution: str = ""
    example: str = ""
    rules: tuple[str, ...] = ()

    def __post_init__(self) -> None:
        if self.parameters is not Parameters:
            PARAMETERS[self.key] = self.parameters

    @property
    def common(self) -> tuple[str, ...]:
        """Which of what every step can be told makes sense for it: a temperature, a place, a vessel, a number."""
        hot, wet = self.heats or self.dries or self.cools, self.wets or self.parts or self.layers
        fits = {
            "celsius": hot,
            "place": hot or self.airs,
            "volume": wet or self.heats,
            "times": self.rinses or self.layers or self.runs_through,
        }
        return tuple(name for name, does in fits.items() if does)

    def heats_at(self, place: str, celsius: float | None) -> bool:
        """Whether a step of this kind, at its place and temperature, leaves things hot.

        A solid that is only left to dry, in the air or the air drawn through, stays as cold as the room.
        """
        unheated = place in ("air", "suction") and (celsius is None or celsius <= LUKEWARM)
        return self.heats and not (self.dries and not self.takes_off and unheated)

    @property
    def parts(self) -> bool:
        """Whether it parts a liquid from a solid."""
        phases = {output.phase for output in self.outputs if output.usual}
        return {"liquid", "solid"} <= phases


LUKEWARM = 30.0
"""°C up to which a thing goes onto the balance as it is. Common practice, no source."""

GROUPS = ("Measure", "Combine", "Separate", "Heat and cool", "Observe and test", "Store and discard")

GENERAL: tuple[StepKind, ...] = (
    StepKind(
        "weigh",
        "Measure",
        "weigh",
        "Weigh it",
        4,
        asks=("mass",),
        kit=("balance",),
        caution="At room temperature only: warm air lifts the pan.",
        rules=("constant-mass", "constant-mass-limit"),
        weighs=True,
        works_on="solid",
    ),
    StepKind("volume", "Measure", "volume", "Measure the volume", 3, asks=("volume",), kit=("measuring cylinder",)),
    StepKind(
        "divide",
        "Measure",
        "divide",
        "Divide into equal parts",
        5,
        asks=("volume",),
        kit=("pipette",),
        outputs=(Output("part", many=True),),
        shares=True,
    ),
    StepKind("grind", "Combine", "grind", "Grind to a fine powder", 4, kit=("mortar",), works_on="solid"),
    StepKind(
        "dissolve",
        "Combine",
        "dissolve",
        "Dissolve, stirring",
        5,
        2,
        kit=("beaker", "rod"),
        wets=True,
        outputs=MIXTURE,
        works_on="solid",
    ),
    StepKind("add", "Combine", "add", "Add", 4, kit=("beaker",), wets=True, outputs=MIXTURE),
    StepKind("combine", "Combine", "combine", "Combine", 2, wets=True, collects=True, outputs=MIXTURE),
    StepKind("stir", "Combine", "stir", "Stir", 2, 5, kit=("rod",)),
    StepKind(
        "decant",
        "Separate",
        "decant",
        "Let settle, pour the liquid off along a rod",
        6,
        3,
        kit=("beaker", "rod"),
        wets=True,
        collects=True,
        rules=("pouring",),
        outputs=(Output("liquid", "liquid", "poured-off liquid"), Output("solid", "solid")),
        rinses=True,
    ),
    StepKind(
        "evaporate",
        "Separate",
        "evaporate",
        "Evaporate gently",
        3,
        25,
        kit=("hotplate", "evaporating dish"),
        heats=True,
        dries=True,
        caution="Spits near the end: cover it and turn the heat down.",
        outputs=(Output("residue", "solid", usual=False), Output("vapour", "vapour", usual=False)),
        works_on="liquid",
        airs=True,
        takes_off=True,
    ),
    StepKind(
        "dry",
        "Separate",
        "dry",
        "Dry",
        2,
        20,
        asks=("temperature",),
        kit=("oven",),
        heats=True,
        dries=True,
        caution="Never a solid wet with flammable solvent into a closed oven.",
        rules=("drying-solid", "drying-place", "constant-mass"),
        outputs=SOLID,
        works_on="solid",
    ),
    StepKind(
        "heat",
        "Heat and cool",
        "heat",
        "Heat gently",
        3,
        10,
        asks=("temperature",),
        kit=("hotplate",),
        heats=True,
        caution="Hot glass looks like cold glass.",
    ),
    StepKind("cool", "Heat and cool", "cool", "Let cool to room temperature", 1, 10, cools=True, airs=True),
    StepKind(
        "ice bath", "Heat and cool", "ice bath", "Cool in ice with water", 2, 10, kit=("ice",), cools=True, ice=True
    ),
    StepKind("wait", "Heat and cool", "wait", "Wait", 0, 10, airs=True),
    StepKind(
        "test",
        "Observe and test",
        "test",
        "Test",
        3,
        asks=("outcome",),
        caution="By paper, drop or eye; never by smell.",
    ),
    StepKind("observe", "Observe and test", "observe", "Observe and record", 2, asks=("observation",), airs=True),
    StepKind("photograph", "Observe and test", "photograph", "Take a picture", 2, asks=("photo",), kit=("camera",)),
    StepKind(
        "label", "Store and discard", "label", "Label it with bench, content, date", 1, kit=("label",), labels=True
    ),
    StepKind(
        "discard",
        "Store and discard",
        "discard",
        "Into its waste bottle",
        2,
        ends=True,
        kit=("waste bottle",),
        rules=("throwing-layers",),
    ),
    StepKind("keep", "Store and discard", "put away", "Store until the next meeting", 2, airs=True, stores=True),
)

WASTE: dict[str, str] = {
    "solvents": "organic, not halogenated",
    "halogenated": "organic, halogenated",
    "aqueous": "aqueous acid and base",
    "oxidizing": "oxidizers and oxidizing acid",
    "heavy metal": "heavy metal",
    "solids": "solid chemicals",
    "silica": "solid silica",
    "reuse": "clean solid to be reused",
    "sink": "sink, plenty of water",
    "bin": "dry bin",
}
"""Waste streams: key → words. Local rules decide what may go down a sink."""


@dataclass(frozen=True, slots=True)
class WrongBottle:
    """What must not go into a stream's bottle.

    Attributes:
        bottle: the stream on the bottle; matter: the stream that the thing belongs to.
        level: *stop* is never done, *caution* is wrong, *note* is allowed but worth a word.
        why: what comes of it.
    """

    bottle: str
    matter: str
    level: Literal["stop", "caution", "note"]
    why: str


_FIRE = "an oxidizer with organic matter can catch fire or burst the bottle, even hours later"
_SPOILS = "a little halogen makes the whole bottle halogenated waste, which costs far more to dispose of"
_DRAIN = "it can burn in the drain, poisons the water, and its vapour rises elsewhere"
_BIN = "its vapour fills the bin, and the person who empties it is not warned"

WRONG_BOTTLES: tuple[WrongBottle, ...] = (
    WrongBottle("sink", "solvents", "stop", _DRAIN),
    WrongBottle("sink", "halogenated", "stop", "it sinks, stays in the trap and the soil, and poisons the water"),
    WrongBottle("sink", "oxidizing", "stop", "it corrodes pipes and meets other chemicals in the drain"),
    WrongBottle("sink", "heavy metal", "stop", "heavy metals never go down a sink"),
    WrongBottle("sink", "solids", "caution", "a chemical in the drain cannot be recovered"),
    WrongBottle("sink", "silica", "caution", "silica settles in the trap, with everything adsorbed on it"),
    WrongBottle("sink", "aqueous", "note", "only neutralized, in plenty of water, and where local rules allow it"),
    WrongBottle("bin", "solvents", "stop", _BIN),
    WrongBottle("bin", "halogenated", "stop", _BIN),
    WrongBottle("bin", "oxidizing", "stop", "with paper and dust it can ignite by itself"),
    WrongBottle("bin", "heavy metal", "stop", "heavy metals never go into a bin"),
    WrongBottle("bin", "solids", "caution", "the person who empties the bin is not warned, and some of it burns"),
    WrongBottle("bin", "aqueous", "caution", "a liquid in the bin spills over the person who empties it"),
    WrongBottle("bin", "silica", "caution", "its dust harms lungs, and adsorbed solvent evaporates in the bin"),
    WrongBottle("solvents", "halogenated", "stop", _SPOILS),
    WrongBottle("solvents", "oxidizing", "stop", _FIRE),
    WrongBottle("solvents", "heavy metal", "caution", "burning the solvent leaves the metal in the ash"),
    WrongBottle("solvents", "aqueous", "caution", "acid or base attacks the solvent and the can"),
    WrongBottle("halogenated", "oxidizing", "stop", _FIRE),
    WrongBottle("halogenated", "aqueous", "stop", "hydroxide with chloroform reacts violently in the closed bottle"),
    WrongBottle(
        "halogenated",
        "solvents",
        "note",
        "correct for a mixture that contains halogen; halogen-free solvent has a cheaper bottle",
    ),
    WrongBottle("oxidizing", "solvents", "stop", _FIRE),
    WrongBottle("oxidizing", "halogenated", "stop", _FIRE),
    WrongBottle("oxidizing", "solids", "stop", _FIRE),
    WrongBottle("oxidizing", "bin", "stop", _FIRE),
    WrongBottle("oxidizing", "silica", "stop", _FIRE),
    WrongBottle("oxidizing", "aqueous", "caution", "the contents may react; carbonate gives gas in a closed bottle"),
    WrongBottle("oxidizing", "heavy metal", "caution", "the metal must be on the label"),
    WrongBottle("aqueous", "halogenated", "stop", "hydroxide with chloroform reacts violently in the closed bottle"),
    WrongBottle("aqueous", "solvents", "caution", "it floats on top, and its vapour fills the bottle"),
    WrongBottle("aqueous", "oxidizing", "caution", "nitric acid keeps reacting with the contents and forms gas"),
    WrongBottle("aqueous", "heavy metal", "caution", "the metal must be on the label; it has a bottle of its own"),
    WrongBottle(
        "heavy metal", "solvents", "caution", "metal solutions are not incinerated; solvent makes them flammable"
    ),
    WrongBottle("heavy metal", "halogenated", "caution", "neither bottle's disposal route fits both"),
    WrongBottle("heavy metal", "oxidizing", "caution", "the oxidizer must be on the label; keep organic matter away"),
)
"""Stream on the bottle and stream of the matter, one way only. Common practice; local rules decide."""


def wrong_bottle(bottle: str, matter: str) -> WrongBottle | None:
    """What is wrong with putting matter of one stream into another's bottle; None where nothing is said of it.

    It holds one way only: solvent may go into the halogenated bottle, halogenated never into the solvents'.

    >>> wrong_bottle("halogenated", "solvents").level, wrong_bottle("solvents", "halogenated").level
    ('note', 'stop')
    """
    return next((row for row in WRONG_BOTTLES if row.bottle == bottle and row.matter == matter), None)


def never_together(bottle: str, matter: str) -> str:
    """Why matter of one stream must never go into another's bottle; empty where it may, or is only wrong.

    >>> never_together("oxidizing", "solvents")
    'an oxidizer with organic matter can catch fire or burst the bottle, even hours later'
    >>> never_together("aqueous", "aqueous"), never_together("halogenated", "solvents")
    ('', '')
    """
    wrong = wrong_bottle(bottle, matter)
    return wrong.why if wrong is not None and wrong.level == "stop" else ""
