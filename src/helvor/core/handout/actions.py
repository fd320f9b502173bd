"""What a clause of a handout does: the kind of step, by its verb and what stands beside it.

Actions 1. The verb of the clause decides, not one in *until …*, *after …*, *to avoid …*.
Actions 2. Rows are tried in their order; the first that fits is taken. What fits none is set-up or an observation, and
           its words go with the step beside it.
Actions 3. What goes on with an instrument (the funnel's layers, a plate's front, a column's tubes) belongs to the step
           that is open there.
"""

from __future__ import annotations

import re
from dataclasses import dataclass

_SUBORDINATE = re.compile(
    r"\b(?:until|till|when|once|while|whilst|as soon as|as long as|if|unless|which|that (?:has"
    r"|have|is|are|was|were|contains?)|because|since"
    r"|so that|so as to|in order to|for use in|to (?:ensure|avoid|prevent|remove|help"
    r"|make sure|allow|give|see|check that|obtain|minimi[sz]e|complete|induce|wash|collect"
    r"|transfer|loosen|break|speed|check|rinse)"
    r"|without|before|after|on cooling|upon cooling|by|using|due to|from the \w+ (?:filtration|extraction)"
    r"|with (?:gentle |constant |occasional |continuous |vigorous |frequent )*(?:stirring"
    r"|swirling|shaking|care|venting|warming|scratching|suction|cooling|heating))\b[^,;]*",
    re.IGNORECASE,
)


_PARTICIPLE = re.compile(
    r"\b(the|a|an|your|this|these|those|all|each|both|any)\s+(?:\w+ly\s+)?(?:\w{3,}ed|dry)\s+(?=[a-z])", re.IGNORECASE
)
_ADJECTIVE = re.compile(
    r"\b(of|in|with|some|more|the|a|mL|little)\s+(?:warm|cool|clean|clear|dry)\s+(?=[a-z])", re.IGNORECASE
)
"""*20 mL of warm water* warms nothing."""
"""*The combined extracts*: what was done to a thing before tells nothing to do now."""


def _v(*stems: str) -> str:
    """Forms of regular verbs that act: filter, filters, filtered; not filtering."""
    forms = []
    for stem in stems:
        if stem.endswith("e"):
            forms.append(rf"{stem}[sd]?")
        elif stem.endswith("y") and stem[-2] not in "aeo":
            forms.append(rf"{stem[:-1]}(?:y|ies|ied)")
        else:
            double = stem[-1] if re.fullmatch(r"[^aeiou]*[aeiou][bdglmnprt]", stem) else ""
            forms.append(rf"{stem}(?:s|es|{double}{'?' if double else ''}ed)?")
    return rf"\b(?:{'|'.join(forms)})\b"


@dataclass(frozen=True, slots=True)
class _Row:
    """A kind of step: what the acting words must hold, what the whole clause must, and must not."""

    kind: str
    verb: str
    also: str = ""
    no: str = ""
    sure: bool = True


_SOLIDS = r"crystals?|solids?|precipitates?|product|residue|cake|powder|chalk|beads|sand|needles|grains|filter paper"
_LAYERS = r"layers?|phases?|extracts?|ether(?:eal)?|organics?|dichloromethane|ethyl acetate"
_FILTER = r"filter(?:s|ed)?\b|filtration|filtering|büchner|buchner|hirsch|sinter|gooch"
_COLLECT = (
    _v(
        "filter",
        "collect",
        "isolate",
        "recover",
        "separate",
        "remove",
        "pass",
        "pour",
        "suction-filter",
        "vacuum-filter",
    )
    + r"|\bfilter off\b"
)
_PLATE = (
    r"\btlc\b|thin[- ]layer|chromatogram|\bspot(?:s|ted)?\b|\bspotting\b|solvent front"
    r"|\br_?f\b|\borigin\b|base ?line|start(?:ing)? line"
    r"|pencil|visuali[sz]\w+|\buv\b|ultraviolet|\b254\b|iodine chamber|developing|\bdevelop(?:ed|s)?\b|\beluate front\b"
    r"|(?:chamber|tank|jar)\b.*\b(?:plate|strip|paper|lid|eluent)|(?:plate"
    r"|strip)\b.*\b(?:chamber|tank|jar|beaker|remove|dry|stand|eluent)"
    r"|chromatography (?:paper|plate|strip)|capillar\w+.*\b(?:spots?|plate|line|dots?|paper)\b"
)

ROWS: tuple[_Row, ...] = (
    _Row(
        "melting point",
        r"melting (?:point|range)|\bmp\b|\bm\.p\.|melting[- ]point|\b(?:fill|pack|tap|seal|charge)\w*\b.*\bcapillar",
        no=r"below the melting|near(?:s|ing)? its melting",
    ),
    _Row(
        "fraction plate",
        r"\b(?:fractions?|tubes?)\b",
        r"\btlc\b|thin[- ]layer|spot(?:s|ted)?\b.*\bplate|\bplate\b.*spot",
        no=r"capillary tubes?\b(?!.*fraction)",
    ),
    _Row("pool", _v("combine", "pool", "unite") + r"|put together", r"\b(?:fractions?|tubes?)\b"),
    _Row(
        "pack column",
        _v(
            "pack",
            "plug",
            "fill",
            "prepare",
            "set up",
            "stir",
            "mix",
            "suspend",
            "insert",
            "place",
            "add",
            "pour",
            "tap",
        )
        + r"|\bput\b|\bmade\b|\bmake\b",
        r"\bcolumn\b|slurry|cotton wool|glass wool|silica gel",
        no=(
            r"\b(?:sample|mixture|fractions?|tubes?|on(?:to)? (?:the )?top of the"
            r"|onto the (?:top of the )?(?:column|silica)|eluent"
            r"|eluate|load)\b|elut|fractionating"
        ),
    ),
    _Row(
        "load column",
        _v("load", "apply", "add", "transfer", "place", "pipette", "run", "introduce") + r"|\bput\b",
        r"\b(?:onto|on to|to|on|into)\b.*\b(?:column|silica|bed|sand)\b|load.*\bcolumn\b",
        no=r"slurry|plug",
    ),
    _Row(
        "elute",
        _v("elute", "collect", "run", "change", "switch", "continue", "refill", "increase") + r"|\beluti(?:ng|on)\b",
        r"\bfractions?\b|numbered|test tubes|\belut\w+|\bcolumn\b|\bband\b",
        no=r"\btlc\b|condenser",
    ),
    _Row("plate", _PLATE, no=r"melting|elut(?:e|ed) the column|hot ?plate(?!.*tlc)"),
    _Row(
        "try solvents",
        _v("test", "try", "determine", "choose", "check", "find"),
        r"solubility|(?:choose|find|suitable|best|which) .*solvent|in each (?:of the )?solvents?",
    ),
    _Row("reflux", r"\breflux(?:ed|es)?\b|under reflux|at reflux"),
    _Row(
        "take down",
        _v("dismantle", "disconnect", "remove", "detach", "take down"),
        r"\bcondenser\b|apparatus|\breflux\b",
    ),
    _Row("take down", r"\btak(?:e|en)\b.*\bapart\b"),
    _Row("quench", _v("quench", "destroy"), no=r"plate"),
    _Row(
        "discard",
        _v("discard", "dispose", "empty", "rinse", "pour", "throw", "place", "put", "collect", "flush", "wash")
        + r"|\bgo(?:es)?\b|\bwent\b|\bdispose of\b|->|→",
        (
            r"waste|\bsink\b|\bdiscard|\bdispos|\bbin\b|thrown? away|down the drain|broken[- ]glass"
            r"|sharps|residues?\b.*\bbottle"
        ),
    ),
    _Row(
        "dry layer",
        _v("dry", "stand", "treat", "add", "swirl", "place", "put") + r"|\bdried\b",
        (
            r"(?:anhydrous|drying agent|(?:over|with|using)\s+(?:\w+\s+){0,2}(?:sodium|magnesium"
            r"|calcium)\s+(?:sulf|sulph|chlor)|(?:sodium|magnesium) sul(?:f|ph)ate|na2so4|mgso4|cacl2)"
        ),
        no=r"filter(?:ed)? (?:off|to remove)|dissolv|decant",
    ),
    _Row(
        "wash layer",
        _v("wash", "shake", "extract", "rinse", "backwash", "back-wash"),
        (
            rf"\b(?:organic|combined|ether|ethereal|dichloromethane|ethyl acetate|upper|lower|aqueous"
            rf"|water|top|bottom|hexane|toluene|extracts?)\b[^.;]*\b(?:{_LAYERS}"
            rf"|solutions?)\b.*\bwith\b|\bwash\w*\b.*\b(?:organic|ether|aqueous|combined) (?:layer"
            rf"|phase|extract|solution)"
        ),
        no=rf"\b(?:{_SOLIDS})\b.*with|extract(?:ed)?\b(?!s)",
    ),
    _Row(
        "extract",
        (
            r"(?:^|\b(?:and|then|was|were|is|are|be|again)\s+(?:\w+ly\s+)?)(?:back-?)?extract\b|\bextracted\b"
            r"|\bpartitioned?\b|\bshake[sn]?\b"
        ),
        r"extract(?:ed|s)?\b|\bwith\b|funnel",
        no=r"\bextracts?\b (?:was|were|is|are)\b(?!.*extracted)|well shaken|test tube",
    ),
    _Row("extract", r"separat(?:ing|ory|ion) funnel|\bsep(?:aratory)? funnel"),
    _Row(
        "set ph",
        _v("acidify", "neutralise", "neutralize", "basify", "alkalise", "adjust")
        + r"|\bmake\b.*\b(?:alkaline|basic|acidic?)\b|\bmade\b.*\b(?:alkaline|basic|acidic?)\b|\bbring\b.*\bph\b",
        no=r"waste|spill",
    ),
    _Row(
        "set ph",
        _v("add", "treat", "introduce", "drip"),
        (
            r"until.*(?:\bph\b|litmus|acidic|alkaline|basic|red\b.*paper|paper.*(?:red|blue))|to (?:a "
            r"|reach )?ph\b|(?:hydrochloric|sulfuric|sulphuric|nitric) acid\b.*precipitat|(?:hydroxide"
            r"|ammonia)\b.*precipitat(?!.*(?:chloride|nitrate|sulfate) solution)"
        ),
    ),
    _Row(
        "suck dry",
        (
            r"\b(?:air)\b.*\bthrough\b|\bpump\b.*\brun\b|suck(?:ed)?(?: \w+)*? dry|pump(?:ed)?(?: \w+)*? dry|\b(?:leave"
            r"|left|keep|kept|continue)\b.*\b(?:suction|vacuum|pump)\b|dr(?:y|ied) (?:\w+ ){0,3}(?:on"
            r"|under) (?:the )?(?:suction|pump|filter)|dr(?:y|ied) by suction"
        ),
    ),
    _Row(
        "hot filter",
        _COLLECT,
        (
            r"(?=.*(?:filter|filtr(?!ate)))(?=.*(?:\bhot\b|while (?:still )?(?:hot|boiling)"
            r"|pre-?heated|warmed funnel|stemless))"
        ),
        no=r"(?:wash|rins)\w* (?:it |the \w+ )?(?:\w+ ){0,3}with hot|cool(?:ed)?\b.*filter|hotplate",
    ),
    _Row("crucible filter", _COLLECT, r"crucible|sinter|gooch|fritted"),
    _Row(
        "vacuum filter",
        _COLLECT,
        (
            r"(?=.*(?:filter|filtr(?!ate)|büchner|buchner|hirsch|suction|vacuum|collect))(?=.*(?:büchner"
            r"|buchner|hirsch|suction|vacuum|pump|aspirator|under reduced))"
        ),
    ),
    _Row(
        "decant",
        _v("decant", "pour", "siphon"),
        (
            r"\bdecant|pour(?:ed)? (?:off|(?:away )?the (?:clear |supernatant )(?:liquid|solution)?"
            r"|the (?:liquid|solution|supernatant|water) (?:off|away|through))|leaving the (?:solid"
            r"|sand|residue|precipitate|beads)"
        ),
        no=r"filter|funnel",
    ),
    _Row(
        "gravity filter",
        _COLLECT,
        r"filter|filtr(?!ate)|through (?:a |the )?(?:\w+ (?:of )?){0,3}(?:paper|cone|plug|cotton|wool|cloth|sieve)",
    ),
    _Row(
        "vacuum filter",
        _v("collect", "isolate", "recover"),
        rf"\b(?:{_SOLIDS})\b",
        no=r"weigh|dish|vial|data|waste",
        sure=False,
    ),
    _Row("pry out", _v("lift", "pry", "prise"), r"disc|disk|crucible"),
    _Row(
        "wash",
        _v("wash", "rinse"),
        rf"\b(?:{_SOLIDS}|it|them|funnel|paper|flask|beaker|crucible)\b|\bwith\b",
        no=r"\b(?:hands|eyes|skin|glassware|your|column)\b|capillar|\bup\b",
    ),
    _Row(
        "react",
        _v("react", "heat", "warm", "stir", "wait", "continue", "boil")
        + r"|\b(?:leave|left|let|allow(?:ed)?)\b|\breaction\b",
        r"\breact(?:s|ed)?\b|\breaction\b.*\b(?:complete|over|finish\w*|proceed|stop|end)"
        r"|\b(?:effervescence|fizzing|bubbling|gas|hydrogen)\b"
        r".*\b(?:stop|stopped|cease|subside|over|no more)",
        no=r"waste",
    ),
    _Row(
        "sublime",
        (
            r"\bsublim(?:e|es|ed|ation)\b|\bvapou?rs? no longer"
            r"|(?:no more|no longer) (?:\w+ )?(?:fumes|vapou?r|smoke)"
        ),
        no=r"fume (?:hood|cupboard)|toxic|inhale|avoid|breathe|do not",
    ),
    _Row(
        "sublime",
        _v("heat", "warm", "continue"),
        r"\bfumes|\bvapou?r(?! bath)|\bsmoke",
        no=r"fume (?:hood|cupboard)(?!.*(?:no more|fumes|until))|avoid|breathe",
    ),
    _Row(
        "digest",
        _v("digest", "age")
        + (
            r"|\b(?:keep|kept|hold|held|leave|left|heat|heated|warm|warmed|boil|boiled"
            r"|simmer\w*)\b.*\bprecipitate\b|\bprecipitate\b.*\b(?:heat|warm|boil|steam bath"
            r"|water bath|coagulat)"
        ),
        no=r"filter|wash|wet|dry|oven|dissolv",
    ),
    _Row(
        "heat",
        r"\b(?:keep|kept|hold|held|leave|left|maintain(?:ed)?)\b",
        r"hot ?plate|steam|water bath|\d\s*°|\bwarm\b|simmer|near(?:ly)? boiling|just below",
        no=r"oven|cool|ice|warm place|filter|below 1?\d °",
    ),
    _Row(
        "dissolve hot",
        _v("dissolve", "recrystallise", "recrystallize", "heat", "boil", "warm", "bring", "add"),
        (
            r"(?=.*dissol|.*recrystalli|.*clear solution)(?=.*(?:\bhot\b|boil|minimum|heat|reflux"
            r"|near-boiling|steam|least))"
        ),
        no=r"cool|sulfuric|ice",
    ),
    _Row(
        "crystallize",
        (
            r"crystalli[sz]e[sd]?\b|crystals (?:to )?(?:form|appear|grow|have formed|separate)"
            r"|\bcool(?:ed)?\b.*(?:slow|undisturbed|crystal)|\bcrystalli[sz]ation\b"
        ),
        no=(
            r"re-?crystalli[sz]e[sd]?\b.*from|filter|collect|^(?:(?:the|white|fine|long"
            r"|colou?rless)\s+)*crystals (?:grow|form|appear|sep)"
        ),
    ),
    _Row("ice bath", r"^in (?:an? )?ice\b"),
    _Row(
        "ice bath",
        (
            r"\b(?:cool(?:ed)?|chill(?:ed)?|place[d]?|stand|stood|put|keep|kept|leave|left|immerse[d]?"
            r"|transfer(?:red)?|set)\b.*\b(?:ice|iced)\b(?![- ]cold \w+ (?:water|ethanol))"
        ),
        no=r"wash|rinse|add|pour|dissol",
    ),
    _Row(
        "dry",
        (
            r"(?:^|\b(?:then|and|to|let|is|was|were|are|be|again|it|them|further|air|oven|completely"
            r"|vacuum|until|thoroughly)[\s-]+(?:\w+ly\s+)?)(?:dry|dried|dries)\b|\bdry (?:the|it|them"
            r"|your|in|at|to|for|over|on|under|between|overnight)\b|\b(?:crystals|solid|product"
            r"|precipitate|paper|dish) (?:is |are )?dries\b|\boven\b|\bdesiccator\b.*\b(?:overnight"
            r"|vacuum|days?|until|next)"
        ),
        no=(
            r"dry ice|dry (?:beaker|flask|dish|funnel|test tube|vial|paper|filter|watch)|\bcool"
            r"|your hands|dried (?:flask|beaker|dish|sample|extract|solution|organic|ether|layer"
            r"|product|solid|crystals|precipitate)\b(?! (?:at|in|to|over|for|on))|to dryness|spot"
            r"|just dry|nearly dry|the outside|(?:run|go|goes|runs) dry|column"
        ),
    ),
    _Row("dry", r"constant (?:mass|weight)"),
    _Row("dry", r"\bdesiccator\b", r"until|overnight|next|\bdays?\b", no=r"\bcool|\bstored?\b"),
    _Row(
        "evaporate",
        _v("evaporate")
        + (
            r"|rotary evaporator|^concentrate\b|\b(?:was|is|were|are|and) concentrated\b"
            r"|\bstrip(?:ped)? off\b|\bboil(?:ed)? (?:off|down|away)|\b(?:remove|removed"
            r"|distil(?:led)? off|blow|blown|drive|driven)\b.*\b(?:solvent|ether|dichloromethane"
            r"|ethyl acetate|water|hexane|acetone|off|down|to dryness)\b|to dryness"
        ),
        no=r"do not|never|boiling chips|layer|filter|impurit|decolou?r",
    ),
    _Row("cool", _v("cool", "chill") + r"|\bdesiccator\b|\bcooling\b", no=r"ice-cold (?:water|ethanol)|\bwash|\brins"),
    _Row("precipitate", r"^(?:\w+ly )?precipitate\b|\bprecipitated (?:by|with|as|from)\b|\bprecipitating agent\b"),
    _Row(
        "precipitate",
        _v("add", "pour", "run", "mix", "introduce", "drip"),
        r"precipitat|barium chloride|silver nitrate|bacl2|agno3",
        no=r"(?:precipitate|filtrate) (?:to|into|from)|to the precipitate",
    ),
    _Row("grind", _v("grind", "crush", "pulverise", "pulverize", "powder") + r"|\bground\b", no=r"ground glass"),
    _Row(
        "weigh",
        (
            r"\b(?:re-?|pre-?)?weigh(?:s|ed)?\b|\btare[sd]?\b|\b(?:record|determine|find|measure|note"
            r"|obtain|calculate)[d]?\b.*\b(?:mass|weight)\b|\bmass\b.*\b(?:recorded|determined"
            r"|measured|found|noted)\b|\brecord\w* (?:the|your|its) yield\b"
        ),
        no=(
            r"(?<!the )yield of|weighed (?:dish|flask|beaker|paper|boat|vial|evaporating|watch|filter"
            r"|crucible|weighing|container)\b(?! (?:again|empty))|pre-?weighed|\btared (?:dish|flask"
            r"|beaker|paper|vial|evaporating|watch|filter|weighing|crucible|container|boat)|molar mass"
            r"|percent|mass of .* (?:expected|theoretical)|theoretical yield|percent(?:age)? yield"
        ),
    ),
    _Row(
        "dissolve",
        _v("dissolve") + r"|\bdissolve in\b|\bmade? up\b|\bmake up\b|\btake up\b|\btaken up\b|\bredissolve[ds]?\b",
        no=r"dissolved (?:salts?|substances?|gas|air)\b",
    ),
    _Row("divide", _v("divide", "split"), no=r"answer"),
    _Row(
        "volume",
        _v("measure", "record", "note", "read"),
        (
            r"\bvolume of the\b.*(?:layer|filtrate|extract|solution|liquid)|\bits volume\b|(?:layer"
            r"|filtrate|extract)'?s volume"
        ),
        no=r"measure (?:out )?\d",
    ),
    _Row(
        "combine",
        _v("combine", "pool", "unite", "recombine") + r"|\bmix(?:ed)?\b.*\btogether\b|^mix (?:them|both|the two)",
    ),
    _Row("label", _v("label"), no=r"labell?ed (?:flask|beaker|tube|vial|dish)"),
    _Row("photograph", _v("photograph") + r"|\btake a (?:picture|photo)"),
    _Row(
        "test",
        r"\b(?:test|tested|tests|check|checked)\b",
        r"litmus|indicator|\bph\b|drop|silver|barium|completeness|\bfor\b|bromine|iron|test",
        no=r"test tubes?\b(?!.*\btest (?:the|for|with))|check (?:that|the (?:flask|seal|tap|stopcock|hose))",
    ),
    _Row(
        "transfer",
        _v("transfer", "scrape", "move", "spread", "tip", "collect"),
        rf"\b(?:{_SOLIDS}|it|they|them)\b(?! and)",
        no=r"\b(?:liquid|solution|filtrate|supernatant|layer|mixture)\b|washings|funnel|filter(?! paper)",
    ),
    _Row(
        "heat",
        r"(?<!the )(?<!from )(?<!any )\bheat(?:s|ed)?\b|"
        + _v("warm", "boil", "simmer", "reheat", "ignite")
        + r"|\b(?:hotplate|bunsen|water bath|steam bath)\b",
        no=r"heated (?:funnel|flask)|pre-?heat|switch off",
    ),
    _Row("add", r"^\+"),
    _Row(
        "add",
        _v(
            "add",
            "pour",
            "introduce",
            "mix",
            "pipette",
            "dilute",
            "suspend",
            "treat",
            "charge",
            "cover",
            "measure",
            "place",
            "put",
            "take",
            "transfer",
            "dispense",
            "slurry",
            "sprinkle",
            "decolourise",
            "decolorize",
            "drop",
        )
        + r"|\bput\b",
    ),
    _Row("stir", _v("stir", "swirl", "agitate", "mix") + r"|\bshake[sn]?\b"),
    _Row(
        "keep",
        (
            r"\bgo(?:es)? back\b|\breturn(?:ed)?\b.*\b(?:jar|bottle|container|instructor|tray)\b"
            r"|\bback in(?:to)? the (?:jar|bottle)\b"
        ),
    ),
    _Row(
        "keep",
        _v("store", "keep", "save", "retain", "submit", "hand in", "bottle", "put away", "reserve")
        + r"|\bkept\b|\bset aside\b|put away",
    ),
    _Row("wait", r"\b(?:wait|leave|left|stand|standing|allow(?:ed)?|let|settle[sd]?|rest)\b"),
    _Row("observe", _v("observe", "note", "record", "describe", "examine", "inspect", "sketch", "look", "notice")),
)

CALCULATE = re.compile(
    (
        r"^\s*(?:(?:then|next|finally|now|also),?\s*)?(?:calculate|compare|report|explain|discuss"
        r"|plot|draw a graph|work out"
        r"|compute|hand in|tabulate|comment|write)\b"
    ),
    re.IGNORECASE,
)
_CAUTION = re.compile(
    r"\b(?:caution|warning|care!|danger(?:ous)?|wear|goggles|gloves|eye protection"
    r"|safety (?:glasses|spectacles)|flammable|toxic|corrosive|irritant|harmful"
    r"|poison\w*|never|do not|don't|avoid|no naked flames?|must not|carcinogen\w*|beware"
    r"|be careful|take care|keep\b[^.]*\baway)\b",
    re.IGNORECASE,
)
_STARTS_TO_DO = re.compile(
    r"^\s*(?:then\s+|next,?\s+|now,?\s+|finally,?\s+|carefully\s+|slowly\s+|gently\s+"
    r"|quickly\s+|cautiously\s+|again\s+)*"
    r"(?:do not|don't|never|avoid|wear|be careful|take care|beware|caution|warning|care\b|keep\b[^.]*\baway|no )",
    re.IGNORECASE,
)


_NEGATED = re.compile(
    r"\b(?:do|does|did|must|should|shall|may|can|will|is|are|was|were|need)\s*(?:not\b|n't)[^,;.]*"
    r"|\b(?:never|cannot|don't|mustn't|not)\b[^,;.]*",
    re.IGNORECASE,
)
"""What is not to be done is no step."""


def says_not(clause: str) -> bool:
    """Whether a clause says what is not to be done."""
    return _NEGATED.search(clause) is not None


def acting(clause: str) -> str:
    """The clause without what only says when, why and how, and what is not to be done (Actions 1).

    >>> acting("stir until the solid dissolves, then filter")
    'stir , then filter'
    >>> acting("the filtrate must not be discarded")
    'the filtrate '
    """
    clause = _NEGATED.sub("", clause)
    return _SUBORDINATE.sub("", _ADJECTIVE.sub(r"\1 ", _PARTICIPLE.sub(r"\1 ", clause)))


def is_caution(sentence: str) -> bool:
    """Whether a sentence only warns: it says what must not be, or what to wear, and nothing to do."""
    if not _CAUTION.search(sentence):
        return False
    if _STARTS_TO_DO.match(sentence):
        return True
    return (
        kind_of(sentence)[0] in ("", "observe", "add")
        and re.search(
            (
                r"\b(?:is|are)\s+(?:\w+\s+){0,3}(?:flammable|toxic|corrosive|irritants?|harmful|poisonous"
                r"|carcinogenic|dangerous|hot)\b"
            ),
            sentence,
            re.IGNORECASE,
        )
        is not None
    )


def kind_of(clause: str) -> tuple[str, bool]:
    """The kind of step that a clause is, and whether that is sure; empty where it is none (Actions 2).

    >>> kind_of("filter the mixture under vacuum")[0], kind_of("dry the ether layer over magnesium sulfate")[0]
    ('vacuum filter', 'dry layer')
    """
    # What only stands in brackets tells nothing to do.
    clause = (
        re.sub(r"\([^()]*\)", " ", clause) if re.search(r"[^\W\d]{3}", re.sub(r"\([^()]*\)", "", clause)) else clause
    )
    plain = re.sub(r"\bfilter[- ](paper|flask|funnel|cone|crucible)s?\b", r"\1", clause.casefold())
    plain = re.sub(r"\b(the|a|each|this|its|your|dry|tared)\s+filters?\b", r"\1 paper", plain)
    main, whole = acting(plain), plain
    for row in ROWS:
        if not re.search(row.verb, main, re.IGNORECASE):
            continue
        if row.also and not re.search(row.also, whole, re.IGNORECASE):
            continue
        if row.no and re.search(row.no, whole, re.IGNORECASE):
            continue
        return row.kind, row.sure
    return "", False
