"""What goes on with the step that is open, and what makes it another kind: the table that Actions 3 speaks of.

A rule looks at the open step and at a clause, and says whether the clause belongs to it. Common usage, no source.
"""

from __future__ import annotations

from collections.abc import Callable

from helvor.core.handout.open_step import FUNNEL, SOLID_WORDS, Clause, OpenStep
from helvor.core.record.procedure import same

Rule = Callable[[OpenStep, Clause], bool]

_LAYERS = (
    r"\blayers?\b|\bphases?\b|stopper|\bvent|invert|\bshak|\bswirl|\bdrain|run off|draw(?:n)? off|stopcock|\btap\b"
    r"|emulsion|funnel"
)
PARTED = r"separat|run off|drain|draw|lower|upper|bottom|top"
_ON_PLATE = (
    r"solvent|eluent|strip|paper|spots?\b|front|chamber|\blid\b|mark|circle|distance|plate|tank|jar|dots?|lane"
    r"|colou?rs?|lamp|iodine|ruler|stain|pencil|\brun\b"
)
_ON_COLUMN = (
    r"column|silica|sand|tubes?|fractions?|tap|stopcock|eluent|drain|level|bed|bubbles?|band|flow|solvent|cotton|wool"
)
_QUIET = frozenset(("", "wait", "stir", "keep", "label", "observe", "transfer", "add"))
_AT_A_PLATE = _QUIET | {"dry", "photograph", "heat", "take down", "evaporate", "test", "cool"}
_AT_A_FUNNEL = _QUIET | {"volume", "decant", "precipitate", "test", "heat"}
_ONE_THING = frozenset(
    (
        *("melting point", "dry", "cool", "evaporate", "dissolve hot", "crystallize", "ice bath", "suck dry", "digest"),
        *("sublime", "grind", "keep", "observe", "wait", "fraction plate"),
    )
)
_FILTERS = ("vacuum filter", "gravity filter", "hot filter", "crucible filter")
_STIRRED = ("dry layer", "reflux", "sublime", "digest", "heat")
_MIXED = ("add", "dissolve", "precipitate", "set ph", "react", "combine", "quench")


def _layers(last: OpenStep, clause: Clause) -> bool:
    """The layers of a funnel: shaken, vented, parted."""
    if last.kind not in FUNNEL:
        return False
    if clause.kind == "wait" or (clause.kind in _AT_A_FUNNEL and not clause.found and clause.has(_LAYERS)):
        return True
    return clause.kind == "extract" and not clause.found and not clause.has(r"\bextract(?:ed)?\b")


def _second_liquid(last: OpenStep, clause: Clause) -> bool:
    """The other liquid of a funnel whose layers are not parted yet."""
    if last.kind not in FUNNEL or last.parted or clause.kind not in ("extract", "add"):
        return False
    if clause.kind == "add" and not clause.found:
        return False
    return not any(same(one.name, other.name) for one in clause.found for other in last.found)


def _plate(last: OpenStep, clause: Clause) -> bool:
    """All that is done on a plate or strip until it is read."""
    if last.kind != "plate":
        return clause.kind == "plate" and last.kind == "fraction plate"
    if clause.kind == "plate":
        return True
    short = clause.kind in ("wait", "", "dry") and not clause.found
    of_solids = clause.has(r"\b(?:crystals|precipitate|filtrate|residue)\b")
    return clause.kind in _AT_A_PLATE and (short or clause.has(_ON_PLATE)) and not of_solids


def _column(last: OpenStep, clause: Clause) -> bool:
    """All that is done on a column while it is packed, loaded or run."""
    if last.kind not in ("pack column", "elute", "load column"):
        return False
    if clause.kind == last.kind:
        return not (clause.kind == "elute" and clause.has("spot|plate"))
    if clause.kind == "wash":
        return last.kind != "elute" and clause.has("down|walls|sides|rinse")
    return clause.kind in _QUIET and clause.has(_ON_COLUMN)


def _goes_in(last: OpenStep, clause: Clause) -> bool:
    """More that is put together in one sentence."""
    if clause.kind != "add" or not clause.same_sentence:
        return False
    back = r"\b(?:that|this|it|these|washings?|rinsings?)\b"
    into = (*_FILTERS, "wash", "decant")
    return last.kind == "add" or (last.kind in into and not clause.found and clause.has(back))


def _stirred(last: OpenStep, clause: Clause) -> bool:
    """Stirring of what is in the vessel."""
    if clause.kind != "stir" or clause.found:
        return False
    if last.kind in _STIRRED:
        return True
    if not clause.minutes and last.kind not in ("weigh", "add"):
        return True
    if last.kind in _MIXED and (clause.same_sentence or not clause.minutes):
        return not clause.minutes or last.kind in ("dissolve", "precipitate", "set ph")
    return False


def _into_a_vessel(last: OpenStep, clause: Clause) -> bool:
    """A liquid, or what was weighed, goes into the vessel for what comes."""
    vessel = r"\b(?:flask|beaker|test tube|tube|cylinder|funnel)\b"
    before = ("weigh", "grind", "dissolve", "add", "dry", "reflux")
    return clause.kind == "transfer" and not clause.found and clause.has(vessel) and last.kind in before


def _the_same_again(last: OpenStep, clause: Clause) -> bool:
    """More words on the same thing."""
    if clause.kind == last.kind == "discard":
        return not clause.found and not last.has("waste") and not clause.has("waste|sink|bin")
    return clause.kind == last.kind and clause.kind in _ONE_THING and not clause.found


def _rinsed_over(last: OpenStep, clause: Clause) -> bool:
    """The vessel that is rinsed into the filter, without an amount of its own."""
    if clause.kind != "wash":
        return False
    if clause.has(r"\brins\w*\b.*\bcrucible|glassware"):
        return True
    over = clause.has(r"\brins\w*\b.*\b(?:beaker|flask|rod|dish)\b")
    return over and not clause.found and last.kind in (*_FILTERS, "decant", "transfer", "extract", "weigh")


def _written_down(last: OpenStep, clause: Clause) -> bool:
    """*Record its mass*, behind the weighing."""
    if clause.kind == "observe" and clause.same_sentence:
        return True
    if clause.kind != "weigh" or last.kind != "weigh" or clause.found:
        return False
    if clause.has(r"^(?:record|note)\b"):
        return True
    return clause.same_sentence and clause.has(r"\brecord|note\b") and not clause.has(r"\bwith\b|contents")


def _small_things(last: OpenStep, clause: Clause) -> bool:
    """Labels, tests of a pH, heating that goes on, cooling of what crystallizes."""
    if clause.kind == "label":
        return True
    if clause.kind == "test":
        return last.kind == "set ph" and not clause.found
    if clause.kind in ("reflux", "heat"):
        return last.kind == "reflux" and not clause.found
    return clause.kind == "cool" and last.kind == "crystallize" and not clause.has(r"\bice\b")


RULES: tuple[Rule, ...] = (
    _layers,
    _second_liquid,
    _plate,
    _column,
    _goes_in,
    _stirred,
    _into_a_vessel,
    _the_same_again,
    _rinsed_over,
    _written_down,
    _small_things,
)


def goes_on(last: OpenStep, clause: Clause) -> bool:
    """Whether a clause belongs to the step that is open."""
    return any(rule(last, clause) for rule in RULES)


def turned_by(last: OpenStep, clause: Clause) -> str:
    """The kind that the open step turns out to be by a clause that goes on with it; empty where it stays.

    *Add water, stir until it has dissolved* dissolves; *add the acid until pH 2* sets a pH.
    """
    if last.kind in ("add", "combine") and clause.kind == "" and clause.has(r"\bprecipitate\b"):
        return "precipitate"
    if last.kind != "add":
        return ""
    if clause.kind == "set ph" and clause.same_sentence and not last.found:
        return "set ph"
    placed = clause.same_sentence and last.has(r"^(?:place|put|take|transfer)\b")
    if clause.kind in ("dissolve", "dissolve hot") and placed:
        return clause.kind
    near = clause.same_sentence or clause.has(r"^(?:warm|heat|stir|swirl|shake)")
    if clause.kind in ("dissolve", "dissolve hot") and not clause.found and near:
        return clause.kind
    if clause.kind == "stir" and clause.has("dissolv") and not clause.found and near:
        return "dissolve"
    return ""


def of_its_surroundings(kind: str, clause: Clause, around: str, last: OpenStep | None) -> str:
    """The kind of a clause that its sentence, and the step that is open, make another.

    Args:
        around: the sentence, with the set-up that stands before it.
    """
    if kind == "gravity filter" and Clause("", around).has(VACUUM):
        return "vacuum filter"
    alone = next((then for when, then, rule in _ALONE if when == kind and rule(clause)), None)
    if alone is not None:
        return alone
    if last is None:
        return kind
    return next((then for when, then, rule in _BESIDE if when == kind and rule(last, clause)), kind)


def _of_solid(clause: Clause) -> bool:
    return SOLID_WORDS.search(clause.text) is not None


def _to_the_other(clause: Clause) -> bool:
    """Whether a solution goes into another: *pour it into the first solution*."""
    return not clause.found and clause.has(_TO_THE_OTHER) and not clause.has("funnel|cold water")


_TO_THE_OTHER = r"\b(?:pour|add|mix)\w*\b.*\b(?:into|to|with)\b.*\bsolution\b"
_ALONE: tuple[tuple[str, str, Callable[[Clause], bool]], ...] = (
    ("extract", "wash layer", lambda clause: clause.has(r"^(?:\w+ly\s+)?wash")),
    ("wash", "wash layer", lambda clause: not _of_solid(clause) and clause.has(r"separat\w+ funnel")),
    ("stir", "dissolve", lambda clause: any(one.unit == "mL" for one in clause.found)),
    (
        "add",
        "combine",
        lambda clause: not clause.found and clause.has(_TO_THE_OTHER) and not clause.has("funnel|cold water"),
    ),
    ("wait", "", lambda clause: not clause.minutes and not clause.has(_STANDS)),
    ("wait", "", lambda clause: not clause.minutes and clause.has("until boil")),
)
"""A kind that its own clause makes another: kind, what it becomes, when."""
_BESIDE: tuple[tuple[str, str, Rule], ...] = (
    ("wash", "wash layer", lambda last, clause: last.kind in FUNNEL and not _of_solid(clause)),
    ("heat", "digest", lambda last, clause: last.kind == "precipitate" and clause.minutes > 0),
    ("add", "extract", lambda last, clause: last.kind in FUNNEL and last.parted and clause.has(r"\bfunnel\b")),
)
"""The same by the step that is open."""
VACUUM = r"büchner|buchner|hirsch|\bvacuum\b|\bsuction\b|\bpump\b|aspirator"
_STANDS = r"settle|stand|overnight|next|until|rest\b|undisturbed"
