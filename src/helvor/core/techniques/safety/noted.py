"""What a note tells of: a dozen dangers and mishaps, looked for in its words.

A small table, common practice, no source, and no claim: what is not in it is not thereby safe. What a part of a
sentence says did *not* happen is passed over, where the *not* stands right before it: "not on fire", but not "on fire,
could not put it out". A finding does not repeat the words of the note: they may name somebody, and findings stand on
the board.
"""

from __future__ import annotations

import re
from collections.abc import Iterator
from dataclasses import dataclass
from functools import lru_cache
from typing import Literal

from helvor.core.engine.plan.matter import moments
from helvor.core.engine.run.case import Case
from helvor.core.record.finding import Finding, Level
from helvor.core.record.procedure import Step
from helvor.core.techniques.safety.advice import LOCAL

_PARTS = re.compile(r"[.;,!?]|\b(?:but|and|then)\b", re.IGNORECASE)
_NOT = re.compile(
    r"(?:\b(?:no|not|nobody|none|never|nothing|nearly|almost|avoid(?:ed)?|before|in case|if)|n[’']t)"
    r"(?:\s+[\w’'-]+){0,2}\s*$",
    re.IGNORECASE,
)
"""A *not* with at most two words between it and what it denies."""


@dataclass(frozen=True, slots=True)
class Told:
    """One row: what to look for, how bad it is, and what helps.

    Attributes:
        tells: of what, in few words; words: a pattern.
        only: where it is looked at: anywhere, where something flammable stands, or where nothing belongs into the sink.
    """

    code: str
    level: Level
    tells: str
    words: str
    because: str
    do: str
    only: Literal["", "flammable", "no sink"] = ""


_GLASS = "beaker|flask|funnel|glass|tube|dish|pipette|vial|desiccator|column|crucible|cylinder|burette"
HELP = f"Tell the person in charge now. {LOCAL}"
TOLD: tuple[Told, ...] = (
    Told(
        "noted-fire",
        "stop",
        "fire or smoke",
        r"\b(?:on fire|caught fire|catches fire|burst into flames?|ignited|flames? (?:ran|shot|came)|smok(?:es|ing))\b",
        "Solvent vapour burns back to its vessel.",
        f"Move away, raise the alarm, cut gas and heat if you can reach them safely. {HELP}",
    ),
    Told(
        "noted-flame",
        "stop",
        "a flame",
        r"\b(?:flame|bunsen|burner|candle|cigarette|lit a match|struck a match|with a lighter)\b"
        r"(?!\s+(?:is\s+|was\s+)?(?:off|out))",
        "A flammable liquid stands there: its vapour runs along the bench to a flame.",
        f"Put the flame out; heat with a water bath or a mantle, in the hood. {LOCAL}",
        only="flammable",
    ),
    Told(
        "noted-injury",
        "stop",
        "an injury or a splash",
        r"\b(?:in(?:to|side)? (?:my|his|her|the|their|an) eyes?"
        r"|splash\w* (?:in|on|onto|into)\b.*\b(?:eye|face|skin|hand|arm)s?"
        r"|on (?:my|his|her|the|their) (?:skin|hand|hands|arm|face)"
        r"|cut (?:my|his|her|their|a) (?:finger|hand|thumb|palm)"
        r"|(?:burn(?:t|ed)|scalded) (?:my|his|her|their|a) (?:finger|hand|arm|skin|thumb)s?"
        r"|bleed\w*|blood(?!\W?red))\b",
        "Somebody may be hurt; the first seconds count.",
        f"Eye or skin: rinse with much water at once, 15 min at least. A burn: cool water. A cut: press on it. {HELP}",
    ),
    Told(
        "noted-breathed",
        "stop",
        "vapour or gas that was breathed in",
        r"\b(?:dizzy|faint(?:ed|ing)?|headache|cough(?:ed|ing|s)?|inhaled"
        r"|breathed (?:it|them|some|fumes|vapou?r)|smell(?:s|ed|ing)? of (?:gas|chlorine|rotten eggs|almonds))\b",
        "Vapour or gas was breathed in.",
        f"Into fresh air, close the vessel, hood on. {HELP}",
    ),
    Told(
        "noted-swallowed",
        "stop",
        "something in the mouth",
        r"\b(?:by mouth|with (?:my|his|her|the) mouth|tasted|swallowed|drank)\b",
        "Nothing of the laboratory goes into a mouth.",
        f"Rinse the mouth with water; keep the bottle's label at hand. {HELP}",
    ),
    Told(
        "noted-water-into-acid",
        "stop",
        "water poured into acid",
        r"\bwater\b[^.]{0,30}\b(?:into|to|onto) (?:the |some )?(?:conc\w*\.?|strong|sulfuric|sulphuric)\b[^.]{0,20}",
        "The heat boils the water on top, and it spits acid.",
        f"Step back, let it cool, do not stir. Next time acid into water, slowly, in ice. {LOCAL}",
    ),
    Told(
        "noted-mercury",
        "stop",
        "mercury",
        r"\b(?:broke the thermometer|thermometer (?:broke|cracked|is broken)|(?:drops?|beads?) of mercury"
        r"|mercury (?:ran|spil\w+|is|was|on|all|came|drops?|beads?))\b",
        "Mercury vapour is poisonous and stays in cracks.",
        f"Keep everybody away, hood and windows on, do not sweep. {HELP}",
    ),
    Told(
        "noted-pressure",
        "caution",
        "pressure in a closed vessel",
        r"\b(?:stopper|lid|cap)\b.{0,20}\b(?:flew|shot|popped|blew|jumped)\b|\b(?:shot|popped|blew) (?:off|out)\b"
        r"|\b(?:tube|flask|vial|bottle|it) burst\b|\bhissed loudly\b",
        "Pressure had built up in a closed vessel.",
        "Check whether anybody was hit. Vent sooner and more often, stem up, into the hood; let both liquids cool "
        "first.",
    ),
    Told(
        "noted-bumped",
        "caution",
        "bumping or boiling over",
        r"\b(?:bumped|bumping|boiled over|boils over|foamed over|foams over|spat out|spits out|spurted)\b",
        "Liquid was superheated, or foamed: some of it is lost, hot, outside the vessel.",
        "Take the heat away, let it cool, fresh boiling chips before it is heated again. Record what was lost.",
    ),
    Told(
        "noted-into-boiling",
        "stop",
        "grains added to hot liquid",
        r"\b(?:chips?|boiling stones?|charcoal|carbon)\b.{0,25}\b(?:into|to|in) (?:the |a )?(?:boiling|hot)\b"
        r"|\b(?:added|put|threw|dropped)\b.{0,25}\b(?:chips?|stones?|charcoal)\b.{0,20}"
        r"\b(?:while|when) (?:it )?(?:boil|was hot)",
        "In boiling liquid grains bring it to foam over at once, hot.",
        f"Check whether anybody was splashed. Next time let it cool first, then add them. {LOCAL}",
    ),
    Told(
        "noted-suck-back",
        "caution",
        "water that was sucked back",
        r"\bsuck(?:ed|s|ing)?[ -]?back\b"
        r"|\bwater (?:came|ran|went|got) (?:back )?(?:into|in) (?:the )?(?:filter |suction )?flask\b"
        r"|\bflow(?:ed)? back\b",
        "Tap water ran back into the filter flask: the filtrate is diluted.",
        "Break the vacuum before the water is turned off; put a trap between. Note how much the filtrate grew.",
    ),
    Told(
        "noted-broken",
        "caution",
        "broken glass",
        rf"\b(?:{_GLASS})\b.{{0,15}}\b(?:broke|broken|cracked|shattered|chipped)\b|\bstar crack|\bbroken glass\b"
        rf"|\b(?:broke|cracked|shattered|dropped) (?:the|a|my|our) (?:\w+ )?(?:{_GLASS})\b",
        "Cracked glass breaks under heat or vacuum, and its edges cut.",
        "Take it out of use. Sweep up with brush and pan, into the broken glass; record what was lost.",
    ),
    Told(
        "noted-spill",
        "caution",
        "a spill or a leak",
        r"\b(?:spil(?:t|led|ls)|knocked over|tipped over|leak(?:ed|s|ing)?)\b",
        "What was spilled is missing, and may harm or burn where it lies.",
        f"Wipe it up as its label says, gloves on, flames out. Estimate how much it was. {LOCAL}",
    ),
    Told(
        "noted-unknown",
        "caution",
        "a vessel whose contents are not known",
        r"\b(?:unlabell?ed|no label|without (?:a )?label|label (?:came off|is gone|lost)|wrong bottle"
        r"|mixed them up|(?:got|were) mixed up|do not know which"
        r"|mixed up the (?:labels?|dishes|vials|tubes|flasks|bottles|papers))\b",
        "A vessel without a name cannot be used, and cannot be sorted as waste.",
        "Find out before anything goes on: by a drop test, a plate, a mass. Otherwise ask.",
    ),
    Told(
        "noted-unprotected",
        "caution",
        "missing protection",
        r"\b(?:without|forgot|took off|no) (?:the |my |his |her |any |our )?"
        r"(?:goggles|safety glasses|gloves|lab coat|hood)\b",
        "Eyes and skin are at risk, also from the neighbour's work.",
        "Put on what is missing first, then go on.",
    ),
    Told(
        "noted-sink",
        "caution",
        "waste in the sink or the bin",
        r"\b(?:down|in|into) the (?:sink|drain)\b|\bin(?:to)? the (?:bin|rubbish|dustbin)\b",
        "Solvents, heavy metals and halogenated matter never go there; what may is a matter of local rules.",
        f"If it held any of these, say so now. Next time use the bottle that the step names. {LOCAL}",
        only="no sink",
    ),
)
"""Each danger or mishap that the words of a note tell of."""
_ITS_OWN_NOT = ("noted-unknown", "noted-unprotected")
"""Rows whose words are a *no* themselves."""


def noted_dangers(case: Case) -> Iterator[Finding]:
    """What the notes of a run tell of, each once for each step."""
    told: set[tuple[str, str]] = set()
    burning: set[str] | None = None
    steps = {step.id: (number, step) for number, step in enumerate(case.run.procedure.steps, 1)}
    for _, said in case.run.notes:
        for row in told_by(f"{said.words}; {'; '.join(said.picks)}"):
            number, step = steps.get(said.step, (0, None))
            if row.only == "flammable":
                burning = _burning_steps(case) if burning is None else burning
                if said.step not in burning and (said.step or not burning):
                    continue
            if (row.code, said.step) in told or (row.only == "no sink" and step is not None and _to_the_sink(step)):
                continue
            told.add((row.code, said.step))
            yield finding_of(row, f" at step {number}" if number else "", said.step)


@lru_cache(maxsize=1024)
def told_by(words: str) -> tuple[Told, ...]:
    """The rows that the words of a note tell of. The words stay as they are: they are looked at once."""
    return tuple(row for row in TOLD if _tells(row, words))


def finding_of(row: Told, at: str = "", about: str = "") -> Finding:
    """What is said of a note, without its words."""
    return Finding(row.code, row.level, f"A note{at} tells of {row.tells}.", row.because, row.do, about=about)


def _tells(row: Told, words: str) -> bool:
    for part in _PARTS.split(words):
        found = re.search(row.words, part, re.IGNORECASE)
        if found is not None and (row.code in _ITS_OWN_NOT or not _NOT.search(part[: found.start()])):
            return True
    return False


def _to_the_sink(step: Step) -> bool:
    """Whether the procedure itself sends it there, as it may a solution of harmless salts."""
    return step.waste in ("sink", "bin") or re.search(r"\b(?:sink|drain|bin)\b", step.says, re.IGNORECASE) is not None


def _burning_steps(case: Case) -> set[str]:
    """The steps at which something flammable stands."""
    return {
        moment.step.id
        for moment in moments(case.run.procedure, case.kinds)
        if moment.held.burning or moment.matter.burning or moment.added.burning
    }
