"""What can hurt somebody in a procedure: a table of rules, each held against the plan and against every run of it.

Each rule is a row of :data:`RULES`. A finding says what is seen, why it matters and what to do; what is allowed in a
house is for its local rules and a qualified person. Limits are common practice, no source, unless one stands beside
them; boiling points, flash points and ignition temperatures stand on the shelf with their sources.
"""

from __future__ import annotations

import re
from collections.abc import Callable, Iterator
from dataclasses import dataclass

from helvor.core.engine.plan.check_plan import Advice, Plan
from helvor.core.engine.plan.matter import Matter, Moment
from helvor.core.hazards.care import Care, named
from helvor.core.hazards.incompatible import HYDROXIDE, MEETINGS, STRONG_ACID, Meets
from helvor.core.quantities.formula import parse_equation, plain
from helvor.core.quantities.reading import Unreadable
from helvor.core.record.procedure import Procedure, millilitres
from helvor.core.techniques.safety.advice import advise, at_step
from helvor.core.techniques.safety.heat import (
    burning,
    flame,
    grains_into_hot,
    hot_meets_volatile,
    hot_surface,
    unsaid_heat,
)
from helvor.core.techniques.safety.waste import gas_in_bottle, to_the_air, waste

STRONG = 9.0
"""mol/L from which a mineral acid is diluted as a concentrated one. Common practice."""

DROPS = 0.1
"""Part of all that was poured together up to which a concentrated acid is a catalyst, thinned by the rest. Common
practice, no source."""

_PEROXIDE_SAID = re.compile(r"peroxide", re.IGNORECASE)


def meetings(plan: Plan) -> Iterator[Advice]:
    """Two things that react violently, or that give a poisonous gas, come together."""
    wanted = _reactants(plan.procedure)
    for moment in plan.moments:
        told: set[str] = set()
        for row in MEETINGS:
            pair = _meet(row, moment)
            if pair is None or row.code in told:
                continue
            told.add(row.code)
            one, other = pair
            if row.loses and _formula_of(plan.procedure, other) in wanted:
                continue
            yield advise(
                moment,
                row.code,
                row.level,
                f"{at_step(moment)} brings {one.shown} and {other.shown} together.",
                row.because,
                row.do,
            )


def _reactants(procedure: Procedure) -> set[str]:
    """Formulas on the left of the procedure's equation; none where it has none that can be read."""
    try:
        return {plain(formula) for formula in parse_equation(procedure.equation).left} if procedure.equation else set()
    except Unreadable:
        return set()


def _formula_of(procedure: Procedure, care: Care) -> str:
    substance = procedure.substance(care.shown) or procedure.substance(care.name)
    formula = (substance.formula if substance is not None else "") or care.formula
    return plain(formula) if formula else ""


def _meet(row: Meets, moment: Moment) -> tuple[Care, Care] | None:
    """What of a step is the one and what the other of a row; None where the two do not come together here."""
    if moment.kind is not None and moment.kind.ends:
        return None
    new, old = _there(moment.added), _there(moment.held)
    for one_side, other_side in ((new, old), (old, new), (new, new)):
        one = next((care for care in one_side if row.one(care)), None)
        other = next((care for care in other_side if row.other(care) and (one is None or care.name != one.name)), None)
        if one is not None and other is not None:
            return one, other
    return None


def _there(matter: Matter) -> list[Care]:
    """What is still in a portion as what it was: a liquid that went off is gone, a neutralized acid or base too."""
    both = {"acid", "base"} - {matter.reaction}
    return [
        care
        for care in matter.cares.values()
        if (not care.liquid or care.name in matter.liquids)
        and not ("base" in both and HYDROXIDE(care))
        and not ("acid" in both and STRONG_ACID(care) and not care.liquid)
    ]


def water_into_acid(plan: Plan) -> Iterator[Advice]:
    """Water is poured into a concentrated acid."""
    for moment in plan.moments:
        held = [s for s in plan.procedure.substances if s.name in moment.held.substances]
        acids = [s for s in held if concentrated(s.name, s.formula, s.molar)]
        if not acids or "water" not in moment.added.cares or moment.held.liquids.get("water"):
            continue
        volumes = [millilitres(acid, acid.amount) for acid in acids]
        # What is not known to be little is as much as it may be.
        if all(volumes) and sum(volumes) < DROPS * moment.held.poured:
            continue
        strong = acids[0]
        yield advise(
            moment,
            "water-into-acid",
            "stop",
            f"{at_step(moment)} pours water into {strong.name}.",
            "The water boils as it meets the acid and sprays acid out.",
            "Pour the acid slowly into most of the water, in ice, while stirring.",
        )


def concentrated(name: str, formula: str, molar: float | None) -> bool:
    """Whether a name, or a concentration in mol/L, means a concentrated mineral acid."""
    acid = any(care.formula in ("H2SO4", "HNO3", "HCl", "H3PO4") for care in named(name)) or formula in (
        "H2SO4",
        "HNO3",
        "HCl",
        "H3PO4",
    )
    return acid and (
        (molar or 0.0) >= STRONG or re.search(r"\bconc(?:\.|entrated)?\b|\bfuming\b", name.casefold()) is not None
    )


def peroxides(plan: Plan) -> Iterator[Advice]:
    """An ether that forms peroxides is evaporated or boiled, and the step says nothing of it."""
    for moment in plan.moments:
        heated = moment.kind is not None and (moment.kind.heats or moment.kind.dries)
        care = next((one for one in burning(plan, moment) if one.peroxides), None) if heated else None
        takes_off = (moment.kind is not None and moment.kind.takes_off) or re.search(
            r"\bevaporat|\bdistil|boil (?:it )?(?:down|off)", moment.step.says, re.IGNORECASE
        )
        if care is None or not takes_off or _PEROXIDE_SAID.search(moment.words):
            continue
        yield advise(
            moment,
            "peroxides",
            "caution",
            f"{at_step(moment)} evaporates {care.shown}, which forms peroxides on standing.",
            "Peroxides stay behind during evaporation, and a dry residue can explode.",
            "Check the bottle's date, test it with a strip, never evaporate to dryness; state this in the step. "
            "Do not touch a bottle that is old or has crystals: call the person responsible.",
        )


def condenser(plan: Plan) -> Iterator[Advice]:
    """Condenser water only when it boils, under something that burns."""
    for moment in plan.moments:
        if moment.step.kind != "reflux" or plan.rules["condenser-water"].key != "when-boiling":
            continue
        there = burning(plan, moment)
        if there:
            yield advise(
                moment,
                "condenser-late",
                "stop",
                f"{at_step(moment)} boils {there[0].shown}, and by the house rule the water is turned on when it "
                "boils.",
                "The first vapour escapes through the open top.",
                "Turn on the water, and see it flow, before any heat: for a flammable liquid this is not a choice.",
            )


@dataclass(frozen=True, slots=True)
class SafetyRule:
    """A row: the codes it can give, what it looks at in one line, and where its limits come from."""

    codes: tuple[str, ...]
    looks: str
    source: str
    rule: Callable[[Plan], Iterator[Advice]]


PRACTICE = "common practice, no source"
SHELF = "temperatures: IEC 60079-20-1, NFPA 497 and others, in the reference data; limits common practice, no source"

RULES: tuple[SafetyRule, ...] = (
    SafetyRule(
        ("flame-near-solvent",),
        "A flame in a step with a flammable substance, or in a meeting where one is open.",
        SHELF,
        flame,
    ),
    SafetyRule(
        ("solvent-on-hotplate",), "A bare hotplate, a mantle or a block under a flammable solvent.", SHELF, hot_surface
    ),
    SafetyRule(
        ("heat-unsaid",), "A solvent that burns is heated, but the heat source is not stated.", SHELF, unsaid_heat
    ),
    SafetyRule(
        ("hot-into-funnel", "hot-meets-volatile"),
        "A hot liquid meets a low-boiling one, above all in a funnel.",
        SHELF,
        hot_meets_volatile,
    ),
    SafetyRule(
        ("grains-into-hot", "grains-unsaid"),
        "Charcoal or chips are added to hot or boiling liquid.",
        PRACTICE,
        grains_into_hot,
    ),
    SafetyRule(tuple(row.code for row in MEETINGS), "Two incompatible substances.", PRACTICE, meetings),
    SafetyRule(("water-into-acid",), "Water is poured into concentrated acid.", PRACTICE, water_into_acid),
    SafetyRule(("peroxides",), "An ether that forms peroxides is evaporated.", PRACTICE, peroxides),
    SafetyRule(
        ("solvent-to-air", "solvent-ends-nowhere"),
        "Organic solvent that goes into the air or has no waste bottle.",
        PRACTICE,
        to_the_air,
    ),
    SafetyRule(
        ("no-waste-stream", "wrong-waste", "before-waste"),
        "Waste without a bottle, in the wrong bottle, or not treated.",
        PRACTICE,
        waste,
    ),
    SafetyRule(("gas-in-bottle",), "Acid and carbonate in one waste bottle.", PRACTICE, gas_in_bottle),
    SafetyRule(("condenser-late",), "Condenser water turned on late for a flammable liquid.", PRACTICE, condenser),
)
"""Every rule; ``docs/safety.md`` is drawn from it."""


def check_plan_safety(plan: Plan) -> Iterator[Advice]:
    """Walk the table over a plan."""
    for row in RULES:
        yield from row.rule(plan)
