"""A procedure's substance as the rules of safety see it: what it says itself, and what is known of its name."""

from __future__ import annotations

from dataclasses import replace
from functools import cache

from helvor.core.hazards.care import (
    NOTHING_LISTED,
    STREAM_ORDER,
    Care,
    is_only_water,
    merged,
    named,
    of_formula,
    plain,
    signal,
    split,
)
from helvor.core.quantities.formula import atoms
from helvor.core.record.parameters import parameters_of
from helvor.core.record.procedure import Procedure, Step, Substance


@cache
def care_of(substance: Substance) -> Care:
    """What can be said of a substance: by its name, its formula, and what the procedure says of it (Care 3).

    What is dissolved to so many mol/L does not burn by itself, and stays what it is; a solvent that the name says
    beside it, as in ``1 M hydrogen chloride in diethyl ether``, stays a solvent.
    Where nothing is known there is still the name: pairs that must not meet are told by it.
    """
    found = list(named(substance.name))
    solution = substance.molar is not None
    by_formula = of_formula(substance.formula)
    if by_formula is not None and all(care.name != by_formula.name for care in found):
        found.append(by_formula)
    if solution:
        found = [_dissolved(care) if _is_solute(care, substance) else care for care in found]
    known = merged(substance.name, found)
    own = split(substance.hazards)
    if substance.flammable and not any("flammable" in hazard for hazard in own):
        own = (*own, "flammable")
    measured = substance.amount is not None and substance.amount.unit == "mL"
    poured = measured or (substance.role == "solvent" and substance.amount is None)
    liquid = (known is not None and known.liquid) or (poured and substance.flammable)
    if known is None:
        known = Care(substance.name, substance.name, substance.formula)
    hazards = tuple(dict.fromkeys((*known.hazards, *own)))
    waste = next((one for one in STREAM_ORDER if one in (known.waste, substance.waste)), known.waste)
    boils = known.boils if known.boils is not None else substance.boils
    return replace(known, said=substance.name, liquid=liquid, hazards=hazards, boils=boils, waste=waste)


def _is_solute(care: Care, substance: Substance) -> bool:
    """Whether what is known is what a solution holds, not what it is dissolved in."""
    return not care.liquid or bool(
        care.formula and substance.formula and atoms(care.formula) == atoms(substance.formula)
    )


def _dissolved(care: Care) -> Care:
    return replace(care, liquid=False, hazards=tuple(h for h in care.hazards if "flammable" not in h), boils=None)


@cache
def liquids_of(substance: Substance) -> tuple[Care, ...]:
    """The liquids that a substance brings, each by itself: of a mixture its parts, of a name not known itself."""
    whole = care_of(substance)
    if not whole.liquid:
        return ()
    solution = substance.molar is not None
    by_name = [care for care in named(substance.name) if not (solution and _is_solute(care, substance))]
    # ``loading solvent`` says nothing, but its hazards may: heptane : ethyl acetate 1 : 1.
    known = any(care.liquid for care in by_name)
    by_hazards = [care for care in named(substance.hazards) if care.burns or not known]
    parts = tuple({care.name: care for care in (*by_name, *by_hazards) if care.liquid}.values())
    return parts if parts and (any(care.burns for care in parts) or not whole.burns) else (whole,)


def hazards_of(substance: Substance) -> str:
    """Hazards for a list, a label, a handout: what the procedure says, and what is known beyond it.

    Says that nothing is listed where nothing is known; never that there is no danger.
    """
    care = care_of(substance)
    own = split(substance.hazards)
    said = " ".join(own).casefold()
    more = [hazard for hazard in care.hazards if hazard.casefold() not in said and hazard not in own]
    if any(hazard.endswith("flammable") and hazard != "flammable" for hazard in (*own, *more)):
        more = [hazard for hazard in more if hazard != "flammable"]
    if not own and substance.molar is None and is_only_water(substance.name):
        return "none"
    return "; ".join((*own, *more)) or NOTHING_LISTED


def known_hazards(substance: Substance) -> str:
    """The same beside a step, where silence says no more than the rest of the page: empty where nothing is known."""
    said = hazards_of(substance)
    return "" if said in (NOTHING_LISTED, "none") else said


def label_of(content: str, formula: str = "") -> tuple[str, str]:
    """Signal word and hazards for a label, by what is written on the glass and the formula of what is in it.

    >>> label_of("ether layer")
    ('Danger', 'extremely flammable; forms peroxides; harmful if swallowed; makes drowsy')
    >>> label_of("sand")
    ('', 'nothing listed; see the safety data sheet')
    """
    cares = list(named(content))
    by_formula = of_formula(formula)
    if by_formula is not None:
        cares.append(by_formula)
    hazards = tuple(dict.fromkeys(hazard for care in cares for hazard in care.hazards))
    if not hazards and not formula and is_only_water(content):
        return "", "none"
    return signal(hazards), "; ".join(hazards) or NOTHING_LISTED


def stream_of(substance: Substance) -> str:
    """The waste stream of a substance: the procedure's, else the one that is known; empty where neither is."""
    return substance.waste or care_of(substance).waste


def of_step(procedure: Procedure, step: Step) -> list[tuple[str, Care]]:
    """What a step adds or stands in, with what is known of each: substances, and the parts of an eluent."""
    found = []
    for name in step.adds:
        substance = procedure.substance(name)
        care = care_of(substance) if substance is not None else merged(name, named(name))
        if care is not None:
            found.append((name, care))
    stands_in = " ".join(parameters_of(step).liquids())
    found += [(care.shown, care) for care in named(stands_in) if care.liquid]
    return found


def of_name(procedure: Procedure, name: str) -> Care | None:
    """The same of a name that may be a substance of the procedure or only words."""
    substance = next((one for one in procedure.substances if plain(one.name) == plain(name)), None)
    return care_of(substance) if substance is not None else merged(name, named(name))
