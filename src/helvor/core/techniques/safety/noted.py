"""What a note tells of: a dozen dangers and mishaps, looked for in its words.

A small table, common practice, no source, and no claim: what is not in it is not thereby safe. A part of a sentence
that says that it did *not* happen is passed over.
"""

from __future__ import annotations

import re
from collections.abc import Iterator
from dataclasses import dataclass
from typing import Literal

from helvor.core.engine.plan.matter import moments
from helvor.core.engine.run.case import Case
from helvor.core.record.finding import Finding, Level
from helvor.core.techniques.safety.advice import LOCAL

_PARTS = re.compile(r"[.;,!?]|\bbut\b")
_NOT = re.compile(
    r"\b(?:no|not|nobody|none|never|nothing|nearly|almost|avoid(?:ed)?|before it|in case|if)\b|n[’']t\b", re.IGNORECASE
)


@dataclass(frozen=True, slots=True)
class _Told:
    """One row: what to look for, how bad it is, and what helps.

    Attributes:
        only: where it is looked at: anywhere, or in a step where something flammable stands.
    """

    code: str
    level: Level
    words: str
    because: str
    do: str
    only: Literal["", "flammable"] = ""


_GLASS = "beaker|flask|funnel|glass|tube|dish|pipette|vial|desiccator|column|crucible|cylinder|burette"
HELP = f"Tell the person in charge now. {LOCAL}"
TOLD: tuple[_Told, ...] = (
    _Told(
        "noted-fire",
        "stop",
        r"\b(?:on fire|caught fire|catches fire|burst into flames?|ignited|flames? (?:ran|shot|came)|smok(?:es|ing))\b",
        "Solvent vapour burns back to its vessel.",
        f"Move away, raise the alarm, cut gas and heat if you can reach them safely. {HELP}",
    ),
    _Told(
        "noted-flame",
        "stop",
        r"\b(?:flame|bunsen|burner|candle|lighter|matches)\b(?!\s+(?:is\s+|was\s+)?(?:off|out))",
        "A flammable liquid stands there: its vapour runs along the bench to a flame.",
        f"Put the flame out; heat with a water bath or a mantle, in the hood. {LOCAL}",
        only="flammable",
    ),
    _Told(
        "noted-injury",
        "stop",
        r"\b(?:in(?:to|side)? (?:my|his|her|the|their|an) eyes?"
        r"|splash\w* (?:in|on|onto|into)\b.*\b(?:eye|face|skin|hand|arm)s?"
        r"|on (?:my|his|her|the|their) (?:skin|hand|hands|arm|face)"
        r"|cut (?:my|his|her|their|a) (?:finger|hand|thumb|palm)"
        r"|(?:burn(?:t|ed)|scalded) (?:my|his|her|their|a) (?:finger|hand|arm|skin|thumb)s?|bleed\w*|blood)\b",
        "Somebody may be hurt; the first seconds count.",
        f"Eye or skin: rinse with much water at once, 15 min at least. A burn: cool water. {HELP}",
    ),
    _Told(
        "noted-breathed",
        "stop",
        r"\b(?:dizzy|faint(?:ed|ing)?|headache|cough(?:ed|ing|s)?|inhaled"
        r"|breathed (?:it|them|some|fumes|vapou?r)|smell(?:s|ed|ing)? of (?:gas|chlorine|rotten eggs|almonds))\b",
        "Vapour or gas was breathed in.",
        f"Into fresh air, close the vessel, hood on. {HELP}",
    ),
    _Told(
        "noted-swallowed",
        "stop",
        r"\b(?:by mouth|with (?:my|his|her|the) mouth|tasted|swallowed|drank)\b",
        "Nothing of the laboratory goes into a mouth.",
        f"Rinse the mouth with water; keep the bottle's label at hand. {HELP}",
    ),
    _Told(
        "noted-water-into-acid",
        "stop",
        r"\bwater\b[^.]{0,30}\b(?:into|to|onto) (?:the |some )?(?:conc\w*\.?|strong|sulfuric|sulphuric)\b[^.]{0,20}",
        "The heat boils the water on top, and it spits acid.",
        f"Step back, let it cool, do not stir. Next time acid into water, slowly, in ice. {LOCAL}",
    ),
    _Told(
        "noted-mercury",
        "stop",
        r"\b(?:mercury|broke the thermometer|thermometer (?:broke|is broken))\b",
        "Mercury vapour is poisonous and stays in cracks.",
        f"Keep everybody away, hood and windows on, do not sweep. {HELP}",
    ),
    _Told(
        "noted-pressure",
        "caution",
        r"\b(?:stopper|lid|cap)\b.{0,20}\b(?:flew|shot|popped|blew|jumped)\b|\b(?:shot|popped|blew) (?:off|out)\b"
        r"|\b(?:tube|flask|vial|bottle|it) burst\b|\bhissed loudly\b",
        "Pressure had built up in a closed vessel.",
        "Check whether anybody was hit. Vent sooner and more often, stem up, into the hood; let both liquids cool "
        "first.",
    ),
    _Told(
        "noted-bumped",
        "caution",
        r"\b(?:bumped|bumping|boiled over|boils over|foamed over|foams over|spat out|spits out|spurted)\b",
        "Liquid was superheated, or foamed: some of it is lost, hot, outside the vessel.",
        "Take the heat away, let it cool, fresh boiling chips before it is heated again. Record what was lost.",
    ),
    _Told(
        "noted-into-boiling",
        "stop",
        r"\b(?:chips?|boiling stones?|charcoal|carbon)\b.{0,25}\b(?:into|to|in) (?:the |a )?(?:boiling|hot)\b"
        r"|\b(?:added|put|threw|dropped)\b.{0,25}\b(?:chips?|stones?|charcoal)\b.{0,20}"
        r"\b(?:while|when) (?:it )?(?:boil|was hot)",
        "In boiling liquid grains bring it to foam over at once, hot.",
        f"Check whether anybody was splashed. Next time let it cool first, then add them. {LOCAL}",
    ),
    _Told(
        "noted-suck-back",
        "caution",
        r"\bsuck(?:ed|s|ing)?[ -]?back\b"
        r"|\bwater (?:came|ran|went|got) (?:back )?(?:into|in) (?:the )?(?:filter |suction )?flask\b"
        r"|\bflow(?:ed)? back\b",
        "Tap water ran back into the filter flask: the filtrate is diluted.",
        "Break the vacuum before the water is turned off; put a trap between. Note how much the filtrate grew.",
    ),
    _Told(
        "noted-broken",
        "caution",
        rf"\b(?:{_GLASS})\b.{{0,15}}\b(?:broke|broken|cracked|shattered|chipped)\b|\bstar crack|\bbroken glass\b"
        rf"|\b(?:broke|cracked|shattered|dropped) (?:the|a|my|our) (?:\w+ )?(?:{_GLASS})\b",
        "Cracked glass breaks under heat or vacuum, and its edges cut.",
        "Take it out of use. Sweep up with brush and pan, into the broken glass; record what was lost.",
    ),
    _Told(
        "noted-spill",
        "caution",
        r"\b(?:spil(?:t|led|ls)|knocked over|tipped over|leak(?:ed|s|ing)?)\b",
        "What was spilled is missing, and may harm or burn where it lies.",
        f"Wipe it up as its label says, gloves on, flames out. Estimate how much it was. {LOCAL}",
    ),
    _Told(
        "noted-unknown",
        "caution",
        r"\b(?:unlabell?ed|no label|without (?:a )?label|label (?:came off|is gone|lost)|mixed (?:them )?up"
        r"|wrong bottle|do not know which)\b",
        "A vessel without a name cannot be used, and cannot be sorted as waste.",
        "Find out before anything goes on: by a drop test, a plate, a mass. Otherwise ask.",
    ),
    _Told(
        "noted-unprotected",
        "caution",
        r"\b(?:without|forgot|took off|no) (?:the |my |his |her |any |our )?"
        r"(?:goggles|safety glasses|gloves|lab coat|hood)\b",
        "Eyes and skin are at risk, also from the neighbour's work.",
        "Goggles on first, then go on.",
    ),
    _Told(
        "noted-sink",
        "caution",
        r"\b(?:down|in|into) the (?:sink|drain)\b|\bin(?:to)? the (?:bin|rubbish|dustbin)\b",
        "Solvents, heavy metals and halogenated matter never go there; what may is a matter of local rules.",
        f"If it held any of these, say so now. Otherwise the bottle that the step names. {LOCAL}",
    ),
)
"""Each danger or mishap that the words of a note tell of."""
_ITS_OWN_NOT = ("noted-unknown", "noted-unprotected")
"""Rows whose words are a *no* themselves."""


def noted_dangers(case: Case) -> Iterator[Finding]:
    """What the notes of a run tell of, each once for each step."""
    told: set[tuple[str, str]] = set()
    burning: set[str] | None = None
    numbers = {step.id: number for number, step in enumerate(case.run.procedure.steps, 1)}
    for _, said in case.run.notes:
        words = f"{said.words}; {'; '.join(said.picks)}"
        for row in TOLD:
            if (row.code, said.step) in told or not _tells(row, words):
                continue
            if row.only == "flammable":
                burning = _burning_steps(case) if burning is None else burning
                if said.step not in burning and (said.step or not burning):
                    continue
            told.add((row.code, said.step))
            at = f" at step {numbers[said.step]}" if said.step in numbers else ""
            yield Finding(
                row.code, row.level, f"Noted{at}: “{said.words[:100]}”.", row.because, row.do, about=said.step
            )


def _tells(row: _Told, words: str) -> bool:
    return any(
        re.search(row.words, part, re.IGNORECASE) and (row.code in _ITS_OWN_NOT or not _NOT.search(part))
        for part in _PARTS.split(words)
    )


def _burning_steps(case: Case) -> set[str]:
    """The steps at which something flammable stands."""
    return {
        moment.step.id
        for moment in moments(case.run.procedure, case.kinds)
        if moment.held.burning or moment.matter.burning or moment.added.burning
    }
