"""The steps of a handout as steps of a procedure: each on what it works on, in its vessel, with its waste bottle."""

from __future__ import annotations

import re
from collections.abc import Iterable, Mapping
from dataclasses import dataclass, replace

from helvor.core.handout.open_step import SOLID_WORDS, OpenStep
from helvor.core.handout.substances import Substances
from helvor.core.record.outputs import first_outputs, roles_of, works_on
from helvor.core.record.procedure import MOST_SAID, Step, same
from helvor.core.record.step_kinds import StepKind


@dataclass(frozen=True, slots=True)
class ProposedStep:
    """A step, the numbers of the sentences that it came from, and what is not sure about it."""

    step: Step
    sentences: tuple[int, ...]
    doubts: tuple[str, ...] = ()


_WASTE = (
    ("halogenated", r"(?<!non-)(?<!non )(?<!non)(?<!not )(?<!not-)halogenated|(?<!non-)(?<!non)chlorinated"),
    (
        "heavy metal",
        r"heavy[- ]metal|(?:barium|copper|metal|lead|nickel|chromium|cobalt|silver|mercury) (?:waste|bottle|residues?)",
    ),
    ("oxidizing", r"oxidi[sz]\w+ (?:waste|acid)"),
    ("solvents", r"organic|solvent|non-?halogenated|flammable waste"),
    ("silica", r"silica"),
    ("aqueous", r"aqueous|acid(?:ic)?(?:[ /-]base)? waste|neutral\w* waste"),
    ("solids", r"solid (?:waste|chemical)"),
    ("sink", r"\bsink\b|down the drain"),
    ("bin", r"\bbin\b|rubbish|trash"),
)
_CONTAINER = re.compile(
    (
        r"\b(?:(?P<which>evaporating|watch|filter|weighing|conical|round|volumetric|small|large"
        r"|suction|sample|melting|petri|first|second)[\s-]+)?"
        r"(?P<glass>dish|beaker|flask|paper|boat|vial|crucible|glass|tube"
        r"|bottle)\b(?:\s+(?P<mark>[A-D]|\d)\b(?!\s*(?:m?L|g|cm)\b))?"
    ),
    re.IGNORECASE,
)
_EMPTY = re.compile(
    (
        r"\b(?:weigh\w*|mass of|tare[sd]?)\s+(?:and (?:label|number|mark)\s+)?(?:(?:a|an|the|your"
        r"|each|another|out|clean|dry|empty|and|small|large|labelled|one|,|piece of|fresh"
        r"|new)\s+)*"
        r"(?:\d+\s*-?\s*mL\s+)?(?:(?:evaporating|watch|filter|weighing|conical|round-bottom(?:ed)?"
        r"|volumetric|suction|sample|porcelain|glass|petri|glass|receiving|dry|empty|clean)\s+)*"
        r"(?:dish|beaker|flask|paper|boat|vial|crucible|glass|container|tube|disc)\b(?!\s+(?:with"
        r"|containing|and (?:the )?(?:contents|crystals|solid|product|residue|precipitate|salt"
        r"|sample|its)|plus|\+))"
    ),
    re.IGNORECASE,
)
_FILLED = re.compile(
    (
        r"contents|containing|with (?:the|its|your)|and (?:the )?(?:product|crystals|solid|residue"
        r"|precipitate|salt|sand)|again|reweigh|re-weigh"
    ),
    re.IGNORECASE,
)


_SOURCES: tuple[tuple[str, tuple[str, ...]], ...] = (
    (
        (
            r"\b(?:aqueous|water|alkaline|acid(?:ic)?|base|basic|bicarbonate|hydroxide) (?:layers?"
            r"|phases?|extracts?|solutions?)\b"
        ),
        ("aqueous layer",),
    ),
    (
        (
            r"\b(?:organic|ether(?:eal)?|dichloromethane|ethyl acetate|hexane|toluene) (?:layers?"
            r"|phases?|extracts?|solutions?)\b"
        ),
        ("organic layer", "dried layer"),
    ),
    (r"\b(?:filtrate|mother liquors?|supernatant)\b", ("filtrate", "liquid")),
    (r"\bpools?\b|\bfractions?\b", ("pool", "fractions")),
)


def wire(steps: list[OpenStep], substances: Substances, kinds: Mapping[str, StepKind]) -> list[ProposedStep]:
    """The steps of the procedure, each on what it works on (Handout 3)."""
    wired: list[ProposedStep] = []
    roles: list[tuple[str, str]] = []  # portion, role; newest last
    for number, open_ in enumerate(steps, start=1):
        kind = kinds[open_.kind]
        adds = tuple(substances.of.get(id(open_), []))[:12]
        if _on_the_filter(open_, wired):
            open_.doubts.append("Is it empty, or with the solid? It is taken as with the solid.")
        between = _between(open_, kind, adds, roles, wired[-1].step if wired else None, kinds)
        step = _in_its_container(_step(f"s{number}", open_, kind, adds, between), wired)
        wired.append(ProposedStep(step, tuple(dict.fromkeys(open_.sentences)), _doubts(open_, step)))
        several = len(step.takes) > 1
        of_one = next((role for name, role in roles if several and same(name, step.takes[0])), "")
        given = (of_one,) * len(step.gives) if several else roles_of(step, kind)
        roles += zip(step.gives, given, strict=False)
    return _on_their_filters(wired)


_FILTERS = ("vacuum filter", "gravity filter", "hot filter", "crucible filter")


def _on_their_filters(wired: list[ProposedStep]) -> list[ProposedStep]:
    """Papers and crucibles that a solid is dried or weighed on, at the step that filters onto them: their tare comes
    before they are wet."""
    kept = {
        name: one.step.container
        for one in reversed(wired)
        for name in (*one.step.takes, *filter(None, (one.step.on,)))
        if any(word in label for label in one.step.container for word in ("paper", "crucible"))
    }
    found = []
    for one in wired:
        container = next((kept[name] for name in one.step.gives if name in kept), ())
        if one.step.kind in _FILTERS and not one.step.container and container:
            found.append(replace(one, step=one.step.model_copy(update={"container": container})))
        else:
            found.append(one)
    return found


def _in_its_container(step: Step, before: list[ProposedStep]) -> Step:
    """A weighing without a container, in the one that its portion was dried or evaporated in."""
    if step.kind != "weigh" or step.container or step.empty or not step.on:
        return step
    same_portion = (one.step for one in reversed(before) if step.on in (one.step.on, *one.step.gives))
    container = next((one.container for one in same_portion if one.container), ())
    return step.model_copy(update={"container": container})


@dataclass(frozen=True, slots=True)
class _Between:
    """What a step takes and gives; ``on`` where it stays one portion."""

    takes: tuple[str, ...] = ()
    gives: tuple[str, ...] = ()
    roles: tuple[str, ...] = ()
    on: str = ""


def _between(
    open_: OpenStep,
    kind: StepKind,
    adds: tuple[str, ...],
    roles: list[tuple[str, str]],
    before: Step | None,
    kinds: Mapping[str, StepKind],
) -> _Between:
    taken = [name for name, _ in roles]
    if _joins(open_, roles) and (together := _together(open_, roles)):
        name = "mixture" if open_.kind == "precipitate" else f"combined {_kind_of(together)}"
        return _Between(together, (_fresh(name, taken),))
    if open_.kind == "weigh" and adds:
        return _Between(gives=(_fresh(adds[0], taken),))
    if (
        open_.kind == "dissolve"
        and adds
        and open_.weighs_out
        and not re.search(r"\b(?:it|residue|crude)\b", open_.whole)
    ):
        return _Between(gives=(_fresh(f"{adds[0]} solution"[:36], taken),))
    source = "" if _weighs_empty(open_) else _source(open_, roles, kind, before, kinds)
    gives, said = first_outputs(kind, taken)
    if not gives and not source and adds and open_.kind in _TAKES_IN:
        return _Between(gives=(_fresh(adds[0], taken),))
    return _Between((source,) if gives and source else (), gives, said, "" if gives else source)


def _joins(open_: OpenStep, roles: list[tuple[str, str]]) -> bool:
    """Whether a step puts portions together that are there."""
    return open_.kind == "combine" or (open_.kind == "precipitate" and not open_.found and len(roles) > 1)


def _begins_anew(open_: OpenStep) -> bool:
    """Whether something that is weighed out is dissolved, and not what was worked on before."""
    return open_.kind == "dissolve" and open_.weighs_out and not open_.has(r"\b(?:it|residue|crude)\b")


_TAKES_IN = frozenset(("weigh", "add", "dissolve", "dissolve hot", "grind", "reflux", "extract", "react"))


def _on_the_filter(open_: OpenStep, wired: list[ProposedStep]) -> bool:
    """Whether a paper or crucible is weighed, bare in words, that something was filtered onto before."""
    open_.filled = (
        bool(wired)
        and wired[-1].step.kind in (*_FILTERS, "wash", "dry", "cool", "suck dry")
        and open_.has("paper|crucible")
    )
    return open_.filled and open_.kind == "weigh" and _weighs_bare(open_)


def _weighs_empty(open_: OpenStep) -> bool:
    """Whether what is weighed is an empty vessel, or a paper."""
    return not open_.filled and _weighs_bare(open_)


def _weighs_bare(open_: OpenStep) -> bool:
    if open_.kind != "weigh" or open_.found or _FILLED.search(open_.words[0]):
        return False
    return _EMPTY.search(open_.whole) is not None


def _step(key: str, open_: OpenStep, kind: StepKind, adds: tuple[str, ...], between: _Between) -> Step:
    empty = _weighs_empty(open_)
    return Step(
        id=key,
        kind=kind.key,
        says=_cut(open_.whole),
        takes=between.takes,
        gives=between.gives,
        roles=between.roles if len(between.roles) == len(between.gives) else (),
        on=between.on,
        adds=adds,
        asks=kind.asks or (("mass",) if open_.kind == "weigh" else ()),
        container=_containers(open_, empty=empty),
        empty=empty,
        celsius=open_.celsius,
        volume=_vessel_volume(open_),
        times=min(20, max([open_.times, *(one.times for one in open_.found)])),
        place=_place(open_),
        kit=kind.kit,
        hands=kind.hands,
        waits=min(6000, open_.minutes or kind.waits),
        meeting=open_.meeting,
        cautions=_cut(" ".join(open_.cautions)),
        waste=_stream(open_.whole) if open_.kind == "discard" else "",
    )


def _doubts(open_: OpenStep, step: Step) -> tuple[str, ...]:
    """What is not sure about a step (Handout 2)."""
    doubts = list(open_.doubts)
    if step.kind == "discard" and not step.waste:
        doubts.append("Into which waste bottle?")
    if len(open_.whole) > MOST_WORDS:
        doubts.append("Its words were too long and are shortened: read them.")
    return tuple(doubts)


MOST_WORDS = MOST_SAID


def _cut(words: str) -> str:
    said = re.sub(r"[{}]", "", words)
    said = said[0].upper() + said[1:] if said else said
    return said if len(said) <= MOST_WORDS else f"{said[: MOST_WORDS - 2].rsplit(' ', 1)[0]} …"


def _fresh(name: str, taken: Iterable[str]) -> str:
    names = list(taken)
    wanted = re.sub(r"^\d+(?:\.\d+)?\s*(?:M|%)\s+", "", name)[:36]
    free = [wanted, *(f"{wanted} {n}" for n in range(2, len(names) + 3))]
    return next(one for one in free if not any(same(one, other) for other in names))


def _source(
    open_: OpenStep, roles: list[tuple[str, str]], kind: StepKind, before: Step | None, kinds: Mapping[str, StepKind]
) -> str:
    """The portion that a step works on: what its words name, else what its kind is for."""
    said = open_.words[-1] if len(open_.words) == 1 else open_.whole
    for pattern, wanted in _SOURCES:
        if re.search(pattern, said, re.IGNORECASE):
            found = next((name for name, role in reversed(roles) if role in wanted), "")
            if found:
                return found
    if SOLID_WORDS.search(said) and open_.kind in (
        "wash",
        "dry",
        "weigh",
        "melting point",
        "transfer",
        "dissolve",
        "dissolve hot",
        "suck dry",
        "keep",
        "grind",
        "plate",
    ):
        found = next((name for name, role in reversed(roles) if role in ("solid", "residue") or role == ""), "")
        if found:
            return found
    return works_on(kind, before, kinds) or (roles[-1][0] if roles else "")


def _together(open_: OpenStep, roles: list[tuple[str, str]]) -> tuple[str, ...]:
    """The portions that are put together: those of the kind that is named, else the two newest."""
    for pattern, wanted in _SOURCES:
        if re.search(pattern, open_.whole, re.IGNORECASE):
            found = [name for name, role in roles if role in wanted]
            if len(found) > 1:
                return tuple(found[-6:])
    return tuple(dict.fromkeys(name for name, _ in roles[-2:]))


def _kind_of(names: tuple[str, ...]) -> str:
    """What several portions are: *aqueous layers* of aqueous layer and aqueous layer 2."""
    plain = {re.sub(r"\s\d$", "", name) for name in names}
    return f"{plain.pop()}s" if len(plain) == 1 else "portions"


def _containers(open_: OpenStep, *, empty: bool) -> tuple[str, ...]:
    if open_.kind not in ("weigh", "evaporate", "decant", "dry", "transfer", "sublime", "dissolve", "add"):
        return ()
    for match in _CONTAINER.finditer(open_.whole):
        glass = match["glass"].casefold()
        if glass == "glass" and (match["which"] or "").casefold() != "watch":
            continue
        if glass == "paper" and open_.kind not in ("weigh", "dry"):
            continue
        which = (match["which"] or "").casefold()
        name = (
            f"{which} {glass}"
            if which in ("watch", "filter", "weighing", "evaporating", "petri", "first", "second")
            else glass
        )
        return (f"{name} {match['mark']}" if match["mark"] else name,)
    return ("dish",) if empty else ()


def _vessel_volume(open_: OpenStep) -> float | None:
    return next((one.volume for one in open_.vessels if one.name in ("beaker", "flask", "funnel") and one.volume), None)


def _place(open_: OpenStep) -> str:
    said = open_.whole.casefold()
    if open_.kind in ("dry", "heat", "cool"):
        if re.search(r"\boven\b", said):
            return "oven"
        if (
            re.search(r"\b(?:air|bench|overnight|until (?:the )?next)\b", said)
            and open_.kind == "dry"
            and open_.celsius is None
        ):
            return "air"
    if open_.kind in ("evaporate", "sublime", "heat") and re.search(r"\bhood\b|fume cupboard", said):
        return "hood"
    return ""


_NOT_THERE = re.compile(r"\b(?:not|never|n't|instead of|rather than)\b(?!\s*-?\s*halogenated)[^,;.]*", re.IGNORECASE)


def _stream(words: str) -> str:
    """The waste bottle that words name; empty for none. What they say *not* to do is left out: not down the sink."""
    said = re.sub(
        r"\b(?:not|never|n't|instead of|rather than)\b(?!\s*-?\s*halogenated)[^,;.]*", "", words, flags=re.IGNORECASE
    )
    return next((key for key, pattern in _WASTE if re.search(pattern, said, re.IGNORECASE)), "")
