"""A flow scheme for a mixture of acids, bases and neutral substances, proposed as a procedure.

Scheme 1. Bases leave first, with acid; then acids strong enough for hydrogencarbonate; then the other
          acids, with hydroxide; what is neutral stays and is dried and evaporated.
Scheme 2. Substances that leave with the same reagent stay together: the scheme says so.
Scheme 3. Each water layer is brought back to where its substance is uncharged, in ice, and filtered.
          What that needs comes from the balance of charges of all that is in there.
"""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from helvor.core.engine.run.ledger import build_ledger
from helvor.core.engine.run.record import Run
from helvor.core.hazards.care import named
from helvor.core.laws.extraction.acid_base import Acts, Chosen, base_needed, reagent_for, to_reach
from helvor.core.laws.extraction.layers import funnel_for
from helvor.core.quantities.formula import molar_mass
from helvor.core.quantities.reading import Unreadable, digits, parse
from helvor.core.record.house_rules import HouseRules
from helvor.core.record.procedure import Component, Portion, Procedure, Step, Substance
from helvor.core.record.step_kinds import WASTE, StepKind
from helvor.core.techniques.extraction.flow import Flow, follow, solute_of

PORTIONS = {"three": 3, "two": 2}
"""House rule *portions* → how many; three where it is decided at the bench."""
MARGIN = 1.2
"""How much more reagent than what it takes up, at least. Common practice."""
UNCHARGED = 2.5
"""pH units beyond the pKa to which a water layer is brought back. Common practice."""


@dataclass(frozen=True, slots=True)
class Part:
    """One component of a mixture: its amount, g, and what parts it from the others."""

    name: str
    formula: str
    grams: float
    acts: Acts
    pka: float | None = None
    log_k: float | None = None
    melts: float | None = None
    soluble: float | None = None


@dataclass(frozen=True, slots=True)
class Stage:
    """One extraction of the scheme: with what, what leaves, in how many portions of how many mL.

    ``needed`` is mol of reagent for what leaves, with a margin; ``back_to`` the pH that brings it out again.
    """

    chosen: Chosen
    leaves: tuple[str, ...]
    portions: int
    volume: float
    back_to: float | None
    needed: float

    @property
    def given(self) -> float:
        """mol of reagent in all its portions."""
        return self.portions * self.volume * self.chosen.molar / 1000


@dataclass(frozen=True, slots=True)
class Proposed:
    """A proposed scheme.

    Attributes:
        procedure: ready to be edited and used; stages: its extractions.
        shares: product portion → component → part of it that ends there, 0 to 1.
        remarks: what does not part, or only in part.
    """

    procedure: Procedure
    stages: tuple[Stage, ...]
    shares: Mapping[str, Mapping[str, float]]
    remarks: tuple[str, ...]


def propose(
    parts: Sequence[Part],
    solvent: Substance,
    organic: float,
    rules: HouseRules,
    kinds: Mapping[str, StepKind],
) -> Proposed:
    """A scheme for a mixture in *organic* mL of a solvent.

    Raises:
        Unreadable: nothing to part, two of a name, or a solvent that makes no layer of its own.
    """
    if len(parts) < 2:
        raise Unreadable("Enter at least two substances.")
    if len({part.name.casefold() for part in parts}) < len(parts):
        raise Unreadable("Two substances have the same name: rename one.")
    if solvent.layer != "organic":
        raise Unreadable(f"{solvent.name} forms no separate layer with water: choose another solvent.")
    if not 5 <= organic <= 1000:
        raise Unreadable("Enter 5 to 1000 mL of the solvent.")
    proposed = _Draft(parts, solvent, organic, rules, kinds).proposed()
    hydroxide = any(stage.chosen.formula in ("NaOH", "KOH") for stage in proposed.stages)
    if hydroxide and any(care.name == "chloroform" for care in named(solvent.name)):
        raise Unreadable("Chloroform and hydroxide react violently: choose another solvent, an ether or ethyl acetate.")
    return proposed


class _Draft:
    def __init__(
        self,
        parts: Sequence[Part],
        solvent: Substance,
        organic: float,
        rules: HouseRules,
        kinds: Mapping[str, StepKind],
    ) -> None:
        self.parts, self.organic, self.rules, self.kinds = parts, organic, rules, kinds
        self.count = PORTIONS.get(rules["portions"].key, 3)
        self.volume = max(5.0, 5.0 * round(organic / 4 / 5))
        self.solvent = solvent.model_copy(update={"amount": parse(f"{organic:g} mL", "volume"), "role": "solvent"})
        self.substances: list[Substance] = []
        self.components: list[Component] = []
        self.portions: list[Portion] = []
        self.steps: list[Step] = []
        self.remarks: list[str] = []
        self.stages: list[Stage] = []
        self.solids: list[str] = []
        self.layer = "mixture"

    def proposed(self) -> Proposed:
        for part in self.parts:
            self.substances.append(
                Substance(
                    name=part.name,
                    amount=parse(f"{part.grams:.2f} g", "mass"),
                    exact=True,
                    role="sample",
                    formula=part.formula,
                    component=part.name,
                    melts=part.melts,
                )
            )
            self.components.append(Component(name=part.name, acts=part.acts, pka=part.pka, log_k=part.log_k))
        self.substances.append(self.solvent)
        names = ", ".join(f"{{{part.name}}}" for part in self.parts)
        self._step(
            "dissolve",
            f"Dissolve {names} in {{{self.solvent.name}}}",
            gives=(self.layer,),
            adds=(*(part.name for part in self.parts), self.solvent.name),
            hands=10,
        )
        stays = [part for part in self.parts if part.acts == "neutral"]
        groups = self._groups()
        later: list[tuple[str, list[Part], float, Chosen]] = []
        for chosen, leaving in groups:
            later.append(self._extract(chosen, leaving))
        for layer, leaving, total, chosen in later:
            self._bring_back(layer, leaving, total, chosen)
        self._dry(stays)
        self._weigh_solids()
        self._clear_up()
        procedure = self._procedure()
        flow = self._follow(procedure)
        return Proposed(procedure, tuple(self.stages), self._shares(procedure, flow), tuple(self.remarks))

    def _groups(self) -> list[tuple[Chosen, list[Part]]]:
        """Substances by the reagent that takes them out, in the order of the scheme (Scheme 1, 2)."""
        order = {"HCl": 0, "NaHCO3": 1, "NaOH": 2}
        groups: dict[str, tuple[Chosen, list[Part]]] = {}
        for part in self.parts:
            chosen = reagent_for(part.acts, part.pka, 10.0 ** (part.log_k or 0.0), self.organic, self.volume)
            if chosen is None:
                continue
            if not chosen.fits:
                self.remarks.append(f"{part.name}: {chosen.why} Only part of it is extracted.")
            known = groups.get(chosen.formula)
            if known is None:
                groups[chosen.formula] = (chosen, [part])
            else:
                stronger = chosen if chosen.molar > known[0].molar else known[0]
                groups[chosen.formula] = (stronger, [*known[1], part])
        for _, together in groups.values():
            if len(together) > 1:
                names = " and ".join(part.name for part in together)
                self.remarks.append(
                    f"{names} are extracted together: separate them afterwards, by crystallization or on a column."
                )
        neutral = [part.name for part in self.parts if part.acts == "neutral"]
        if len(neutral) > 1:
            self.remarks.append(
                f"{' and '.join(neutral)} both stay in the organic layer: no acid or base separates them."
            )
        return [groups[key] for key in sorted(groups, key=lambda key: order.get(key, 9))]

    def _extract(self, chosen: Chosen, leaving: list[Part]) -> tuple[str, list[Part], float, Chosen]:
        word = {"HCl": "acid", "NaHCO3": "bicarbonate", "NaOH": "base"}[chosen.formula]
        need = base_needed([part.grams / _m(part) for part in leaving], MARGIN)
        # At least enough reagent, in whole portions that can be shaken.
        volume = max(self.volume, 5.0 * math.ceil(1000 * need / chosen.molar / self.count / 5))
        total = volume * self.count
        reagent = f"{chosen.molar:g} M {chosen.reagent}"
        self.substances.append(
            Substance(
                name=reagent,
                amount=parse(f"{total:g} mL", "volume"),
                formula=chosen.formula,
                molar=chosen.molar,
                layer="aqueous",
                hazards="irritant" if chosen.formula == "NaHCO3" else "corrosive",
                waste="aqueous",
            )
        )
        extracts, rest = f"{word} extracts", f"organic after {word}"
        size = funnel_for(self.organic + volume, self.rules["funnel-fill"].key)
        says = f"Extract {' and '.join(part.name for part in leaving)} with {{{reagent}}} in {self.count} portions"
        foam = "It foams: swirl it open first." if chosen.formula == "NaHCO3" else ""
        self._step(
            "extract",
            says,
            takes=(self.layer,),
            gives=(extracts, rest),
            adds=(reagent,),
            times=self.count,
            volume=size,
            container=("funnel",),
            hands=15,
            waits=6,
            cautions=foam,
        )
        self.layer = rest
        bases = [part.pka for part in leaving if part.acts == "base" and part.pka is not None]
        acids = [part.pka for part in leaving if part.acts == "acid" and part.pka is not None]
        back = min(max(bases) + UNCHARGED, 13.0) if bases else max(1.0, min(2.0, min(acids, default=4.5) - UNCHARGED))
        # Easily tested with paper: an acid's layer to red, a base's at least to blue.
        back = max(back, 9.0) if bases else back
        self.stages.append(Stage(chosen, tuple(part.name for part in leaving), self.count, volume, back, need))
        return extracts, leaving, back, chosen

    def _bring_back(self, extracts: str, leaving: list[Part], ph: float, chosen: Chosen) -> None:
        down = chosen.formula != "HCl"
        formula, name = ("HCl", "6 M hydrochloric acid") if down else ("NaOH", "6 M sodium hydroxide")
        flow = self._follow(self._procedure())
        content = flow.of(extracts)
        volume = 10.0
        if content is not None:
            solutes = [
                solute_of(component, content.mol.get(component.name.casefold(), 0.0)) for component in self.components
            ]
            volume = to_reach(ph, content.water, solutes, 6.0).volume
        tag = name if all(s.name != name for s in self.substances) else f"{name}, for {leaving[0].name}"[:40]
        self.substances.append(
            Substance(
                name=tag,
                amount=parse(f"{max(volume, 0.5):.1f} mL", "volume"),
                formula=formula,
                molar=6.0,
                layer="aqueous",
                hazards="corrosive",
                waste="aqueous",
            )
        )
        product = f"{' and '.join(part.name for part in leaving)} crystals"[:40]
        self._step(
            "set ph",
            f"In ice, adjust to pH {digits(ph, 2)} with {{{tag}}} in small portions",
            on=extracts,
            adds=(tag,),
            ph=round(ph, 1),
            hands=6,
            waits=5,
            cautions="It foams: use a large beaker." if chosen.formula == "NaHCO3" else "",
        )
        liquor = f"mother liquor of {leaving[0].name}"[:40]
        self._step(
            "vacuum filter",
            "Filter with vacuum; rinse with a little ice water",
            takes=(extracts,),
            gives=(liquor, product),
            hands=6,
            waits=8,
        )
        self.solids.append(product)
        single = leaving[0] if len(leaving) == 1 else None
        self.portions += [
            Portion(
                name=product,
                component=single.name if single else "",
                formula=single.formula if single else "",
                end="product",
                soluble=single.soluble if single else None,
            ),
            Portion(name=liquor, end="waste"),
        ]

    def _dry(self, stays: list[Part]) -> None:
        if not stays:
            self.portions.append(Portion(name=self.layer, end="kept"))
            return
        brine = f"{max(10.0, 5.0 * round(self.organic / 20)):g} mL"
        self.substances += [
            Substance(name="brine", amount=parse(brine, "volume"), role="aid", layer="aqueous", density=1.197),
            Substance(
                name="sodium sulfate, anhydrous",
                amount=parse(f"{max(1, round(self.organic / 20))} g", "mass"),
                role="aid",
            ),
        ]
        self._step(
            "wash layer",
            "Wash with {brine}",
            takes=(self.layer,),
            gives=("spent brine", "organic after brine"),
            adds=("brine",),
            container=("funnel",),
            hands=4,
            waits=2,
        )
        self._step(
            "dry layer",
            "Dry with {sodium sulfate, anhydrous} until some grains move freely",
            takes=("organic after brine",),
            gives=("dried layer",),
            adds=("sodium sulfate, anhydrous",),
            hands=3,
            waits=10,
        )
        self._step(
            "weigh", "Weigh the dry round flask empty", container=("round flask",), empty=True, hands=2, asks=("mass",)
        )
        self._step(
            "decant",
            "Decant from the salt into the weighed flask; rinse the salt",
            takes=("dried layer",),
            gives=("clear layer", "spent salt"),
            container=("round flask",),
            hands=4,
        )
        product = f"{' and '.join(part.name for part in stays)}, left"[:40]
        self._evaporate(product, stays)
        single = stays[0] if len(stays) == 1 else None
        self.portions += [
            Portion(
                name=product,
                component=single.name if single else "",
                formula=single.formula if single else "",
                end="product",
            ),
            Portion(name="spent brine", end="waste"),
            Portion(name="spent salt", end="waste"),
        ]

    def _evaporate(self, product: str, stays: list[Part]) -> None:
        """The dried layer to dryness, well below where its residue melts, and the residue onto the balance."""
        low = min((part.melts for part in stays if part.melts is not None), default=None)
        bath = 45.0 if low is None else max(25.0, min(45.0, low - 20))
        ages = any(care.peroxides for care in named(self.solvent.name))
        self._step(
            "evaporate",
            f"Evaporate the solvent on the rotary evaporator, bath at {bath:g} °C, and collect it",
            takes=("clear layer",),
            gives=(product,),
            container=("round flask",),
            celsius=bath,
            hands=4,
            waits=20,
            kit=("rotary evaporator", "round flask"),
            cautions="No flame, no hotplate near it."
            + (" Test the bottle for peroxides first; never evaporate to dryness while warm." if ages else ""),
        )
        self._step("cool", "Let it come to room temperature", on=product, hands=1, waits=5)
        self._step(
            "weigh",
            "Weigh flask and residue to constant mass",
            on=product,
            container=("round flask",),
            hands=4,
            asks=("mass",),
        )

    def _weigh_solids(self) -> None:
        """Each solid onto a weighed dish, into air, and on the balance at the next meeting."""
        dishes = {solid: f"dish {number}" for number, solid in enumerate(self.solids, 1)}
        for solid, dish in dishes.items():
            self._step(
                "weigh",
                f"Weigh a labelled {dish} for {solid}, empty",
                container=(dish,),
                empty=True,
                hands=2,
                asks=("mass",),
            )
        for solid, dish in dishes.items():
            self._step("transfer", f"Spread {solid} on {dish}", on=solid, container=(dish,), hands=3)
        if dishes:
            self._step("keep", "Leave the dishes in air until the next meeting", place="air", hands=2)
        for solid, dish in dishes.items():
            self._step(
                "weigh",
                f"Weigh {solid} on {dish} to constant mass",
                on=solid,
                container=(dish,),
                hands=4,
                asks=("mass",),
                meeting=2,
            )

    def _clear_up(self) -> None:
        """Water layers, neutral, and the spent salt, once everything is weighed."""
        water = [portion.name for portion in self.portions if portion.end == "waste" and portion.name != "spent salt"]
        meeting = 2 if self.solids else 1
        if water:
            self._step(
                "discard",
                "After all products are weighed, put the neutralized mother liquors and the brine into aqueous waste",
                takes=water,
                waste="aqueous",
                hands=3,
                meeting=meeting,
            )
        if any(portion.name == "spent salt" for portion in self.portions):
            self._step(
                "wait",
                "Spread the spent salt, wet with solvent, in the hood until it is loose and dry",
                on="spent salt",
                place="hood",
                hands=1,
                waits=20,
                meeting=meeting,
            )
            self._step(
                "discard",
                "Put the dry spent salt into the solid waste",
                on="spent salt",
                waste="solids",
                hands=1,
                meeting=meeting,
            )
            stream = self.solvent.waste or "solvents"
            self._step(
                "discard",
                f"Put the solvent that the evaporator collected into {WASTE[stream]}",
                waste=stream,
                hands=1,
                meeting=meeting,
            )

    def _step(self, kind: str, says: str, **more: object) -> None:
        known = self.kinds.get(kind)
        kit = known.kit if known is not None else ()
        self.steps.append(
            Step.model_validate({"id": f"s{len(self.steps) + 1}", "kind": kind, "says": says, "kit": kit, **more})
        )

    def _procedure(self) -> Procedure:
        names = ", ".join(part.name for part in self.parts)
        return Procedure(
            title=f"Acid–base extraction of {len(self.parts)} compounds",
            aim=f"Separate {names} by acid–base extraction."[:400],
            hazards="Flammable solvent: no flame in the room. Acid and base burn skin and eyes. Goggles, gloves, hood.",
            substances=tuple(self.substances),
            components=tuple(self.components),
            portions=tuple(self.portions),
            steps=tuple(self.steps),
        )

    def _follow(self, procedure: Procedure) -> Flow:
        run = Run(procedure=procedure)
        return follow(run, build_ledger(run, self.rules), self.rules, self.kinds)

    def _shares(self, procedure: Procedure, flow: Flow) -> dict[str, dict[str, float]]:
        """Product portion → component → the part of it that ends there."""
        found: dict[str, dict[str, float]] = {}
        for portion in procedure.portions:
            content = flow.of(portion.name)
            if portion.end == "waste" or content is None:
                continue
            found[portion.name] = {
                part.name: content.mol.get(part.name.casefold(), 0.0) / taken
                for part in self.parts
                if (taken := flow.taken.get(part.name.casefold(), 0.0)) > 0
            }
        return found


def _m(part: Part) -> float:
    """Molar mass, g/mol."""
    if not part.formula:
        raise Unreadable(f"{part.name}: enter its formula; the amount in mol needs it.")
    return molar_mass(part.formula)
