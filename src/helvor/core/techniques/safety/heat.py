"""Heat in a plan: flames, hot surfaces, what is hot meeting what boils, grains into what boils."""

from __future__ import annotations

import re
from collections.abc import Iterator, Sequence
from dataclasses import dataclass

from helvor.core.engine.plan.check_plan import Advice, Plan, clause
from helvor.core.engine.plan.matter import Moment
from helvor.core.hazards.care import Care, named
from helvor.core.hazards.heat import HOT_SURFACE, LOW_BOILER, Heat, sources
from helvor.core.hazards.substances import liquids_of
from helvor.core.record.parameters import parameters_of
from helvor.core.record.procedure import Step
from helvor.core.techniques.safety.advice import FUNNELS, advise, at_step

HEATED = 60.0
"""°C from which a liquid counts as hot where a temperature is given. Common practice."""


_HOT_WORDS = re.compile(r"\b(?:hot|boiling|boiled|near(?:ly)? boiling|steaming|scalding)\b", re.IGNORECASE)


_COOLED = re.compile(
    r"\b(?:cool\w*|off the (?:heat|boil|hotplate|plate)|no longer boil\w*|stop\w* boil\w*|not boil\w*|below the boil"
    r"|let it stand|lukewarm|ice|before (?:any )?(?:heat|boil)\w*|cold|room temperature|hand-?warm)\b",
    re.IGNORECASE,
)


_BOILS = re.compile(r"\b(?:boil\w*|reflux\w*|heat\w*|hot|simmer\w*)\b", re.IGNORECASE)


_INTO_HOT = re.compile(
    r"\b(?:in)?to\s+(?:the |a |your |this )?(?:\w+ ){0,2}?(?:hot|boiling)\b"
    r"(?=\s+(?!point|again|and|then|for|until|slowly|gently|over|on|in|under|while|with|by|at|once)[a-z])",
    re.IGNORECASE,
)


_GRAINS = re.compile(
    r"\b(?:(?:boiling|anti-?bumping|porcelain|bumping) ?(?:chips?|stones?|granules?|beads?)|chips|boiling stones?"
    r"|(?:activated |decolou?rizing )?(?:charcoal|carbon\b(?! (?:di|mon|tetra))))",
    re.IGNORECASE,
)


_BROUGHT_DOWN = re.compile(r"\b(?:cool\w*|room temperature|lukewarm|hand-?warm)\b", re.IGNORECASE)


def heats_of(moment: Moment) -> tuple[Heat, ...]:
    """What heats a step: its kit, its words, its place."""
    return sources(moment.step.kit, moment.words, moment.step.place if moment.step.place == "hotplate" else "")


def _by_words(plan: Plan, says: str) -> list[Care]:
    """What burns and is named in an instruction; plain *ether* is the one that the procedure has, where it has one."""
    found: list[Care] = []
    for care in named(says):
        ethers = [s for s in plan.procedure.substances if "ether" in s.name.casefold()]
        meant = [liquid for s in ethers for liquid in liquids_of(s)] if care.said.casefold() == "ether" else []
        found += meant or [care]
    return [care for care in found if care.burns]


def burning(plan: Plan, moment: Moment) -> list[Care]:
    """What burns in a step, the lowest boiling first: what is in it by its portions and by its words.

    A step that names nothing may hold anything: then every solvent of the procedure counts that no other step has.
    """
    there = {care.name: care for care in moment.matter.burning}
    step = moment.step
    if not there:
        there = {care.name: care for care in _by_words(plan, step.says)}
    if not (there or step.takes or step.on or step.adds or parameters_of(step).liquids() or moment.matter.substances):
        elsewhere = {name.casefold() for other in plan.moments for name in other.step.adds}
        there = {
            care.name: care
            for substance in plan.procedure.substances
            if substance.name.casefold() not in elsewhere
            for care in liquids_of(substance)
            if care.burns
        }
    return sorted(there.values(), key=lambda care: care.boils if care.boils is not None else 0.0)


def flame(plan: Plan) -> Iterator[Advice]:
    """A flame where anything burns: in its step, or in the same meeting, where benches are not at the same step."""
    for moment in plan.moments:
        fire = next((heat for heat in heats_of(moment) if heat.sort == "flame"), None)
        if fire is None:
            continue
        here = burning(plan, moment)
        dry = not moment.matter.liquids
        solid = next((care for care in moment.matter.cares.values() if care.burns_solid and dry), None)
        if here:
            yield advise(
                moment,
                "flame-near-solvent",
                "stop",
                f"{at_step(moment)} uses a flame ({fire.said}) with {here[0].shown}{_flash(here[0])}.",
                "Its vapour spreads along the bench to a flame and flashes back to the vessel.",
                f"{_gentler(here[0])} No flame in the room.",
            )
            continue
        if solid is not None:
            yield advise(
                moment,
                "flame-near-solvent",
                "stop",
                f"{at_step(moment)} uses a flame ({fire.said}) with {solid.shown}, which is flammable.",
                "Its vapour and dust can catch fire.",
                "Heat it on a hotplate in the hood, without a flame.",
            )
            continue
        for other in plan.moments:
            open_ = burning(plan, other)
            if open_ and other.step.meeting == moment.step.meeting:
                yield advise(
                    moment,
                    "flame-near-solvent",
                    "stop",
                    f"{at_step(moment)} uses a flame ({fire.said}); in the same meeting step {other.number} has "
                    f"{open_[0].shown}{_flash(open_[0])} open.",
                    "Benches are at different steps: one may light a flame while the next pours solvent.",
                    "Heat without a flame, or move one of the two to another meeting.",
                )
                break


def _flash(care: Care) -> str:
    return f" (flash point {care.flash:.0f} °C)" if care.flash is not None else ""


def _gentler(care: Care) -> str:
    """What to heat a liquid with, by where it boils."""
    if care.boils is None or care.boils <= 85:
        return "Use a warm water bath, heated elsewhere, in the hood; or the rotary evaporator."
    return "Use a bath or block with its own thermostat, in the hood; or the rotary evaporator."


def _worst_on_heat(there: Sequence[Care]) -> tuple[Care | None, bool]:
    """The liquid that a hot surface is worst for, and whether the surface can ignite it; None where none stands out."""
    by_itself = min(
        (care for care in there if care.ignites is not None), key=lambda care: care.ignites or 0.0, default=None
    )
    ignites = by_itself is not None and (by_itself.ignites or 0.0) <= HOT_SURFACE
    first = there[0]
    if first.boils is not None and first.boils < LOW_BOILER:
        return first, ignites
    return (by_itself if ignites else None), ignites


def _known_of_heat(care: Care) -> str:
    """What is known of a liquid on a hot surface, in brackets."""
    seen = [f"boils at {care.boils:.0f} °C"] if care.boils is not None else []
    if care.ignites is not None and care.ignites <= HOT_SURFACE:
        seen.append(f"catches fire by itself at {care.ignites:.0f} °C")
    return f" ({', '.join(seen)})" if seen else ""


def hot_surface(plan: Plan) -> Iterator[Advice]:
    """A bare hotplate, a mantle or a block under something that burns."""
    for moment in plan.moments:
        heat = next((one for one in heats_of(moment) if one.sort in ("surface", "mantle")), None)
        there = burning(plan, moment)
        if heat is None or not there:
            continue
        worst, ignites = _worst_on_heat(there)
        if worst is None and heat.sort == "mantle" and any("condenser" in one.casefold() for one in moment.step.kit):
            # Under a condenser nothing evaporates: the usual way to boil what neither boils low nor ignites by itself.
            continue
        care = worst or there[0]
        where = "a bare hotplate" if heat.sort == "surface" else f"the {heat.said}"
        yield advise(
            moment,
            "solvent-on-hotplate",
            "stop" if worst is not None and heat.sort == "surface" else "caution",
            f"{at_step(moment)} heats {care.shown}{_known_of_heat(care)} on {where}.",
            "A spill lands on a surface hot enough to ignite it."
            if ignites
            else "It evaporates faster than the hood removes the vapour, above a surface that can ignite it.",
            _gentler(care),
        )


def unsaid_heat(plan: Plan) -> Iterator[Advice]:
    """A low boiler is evaporated or boiled, but the heat source is not stated."""
    for moment in plan.moments:
        heated = moment.kind is not None and moment.kind.heats and moment.step.place not in ("air", "suction")
        there = burning(plan, moment)
        if not heated or heats_of(moment) or not there or moment.step.kind in ("dry", "hot filter"):
            continue
        if moment.step.place == "hood" and moment.step.celsius is None:
            continue
        yield advise(
            moment,
            "heat-unsaid",
            "caution",
            f"{at_step(moment)} heats {there[0].shown}{_flash(there[0])}, but the heat source is not stated.",
            "Students will use the nearest hotplate.",
            _gentler(there[0]),
        )


POURS_INTO = ("add", "combine", "dissolve", "set ph", "quench")
"""Kinds of step outside a funnel in which something is poured into something else."""


def _volatile(moment: Moment, *, funnel: bool) -> list[Care]:
    """What boils or gives vapour when something hot meets it: in a closed funnel any solvent does."""
    there = [side.cares[name] for side in (moment.held, moment.added) for name in side.liquids]

    def gives_vapour(care: Care) -> bool:
        low = care.boils is not None and care.boils < LOW_BOILER
        return low or (funnel and (care.burns or care.halogenated))

    return [care for care in there if care.name != "water" and gives_vapour(care)]


def _hot_one(moment: Moment) -> str:
    """What of a step is hot, in words: by a name, by the instruction, by what came before, by its temperature."""
    named_hot = next((name for name in moment.step.adds if _HOT_WORDS.search(name)), "")
    said = named_hot or _hot_said(moment.step.says)
    if said:
        return said
    if moment.held.hot:
        return f"the hot liquid from “{clause(moment.held.hot)}”"
    return "hot liquid" if (moment.step.celsius or 0.0) >= HEATED else ""


def hot_meets_volatile(plan: Plan) -> Iterator[Advice]:
    """Something hot goes into a funnel, or onto a low boiler."""
    for moment in plan.moments:
        funnel = moment.step.kind in FUNNELS
        if not funnel and moment.step.kind not in POURS_INTO:
            continue
        volatile, hot = _volatile(moment, funnel=funnel), _hot_one(moment)
        if not volatile or not hot:
            continue
        care = min(volatile, key=lambda one: one.boils if one.boils is not None else 1e9)
        boils = f", which boils at {care.boils:.0f} °C" if care.boils is not None else ""
        yield advise(
            moment,
            "hot-into-funnel" if funnel else "hot-meets-volatile",
            "stop",
            f"{at_step(moment)} brings {hot} together with {care.shown}{boils}.",
            "It boils at once: in a closed funnel the pressure throws out stopper and contents."
            if funnel
            else "It boils at once and foams out.",
            "Let both come to room temperature first.",
        )


def _hot_said(says: str) -> str:
    """The words of an instruction that pour something hot; empty where they say that it is cooled."""
    if _BROUGHT_DOWN.search(says):
        return ""
    match = re.search(r"\b(?:hot|boiling|near(?:ly)? boiling)\s+\w+", re.sub(r"[{}]", "", says), re.IGNORECASE)
    if match is None or re.match(r"hot ?plate|boiling (?:chips?|stones?|point)", match.group(), re.IGNORECASE):
        return ""
    return match.group().strip()


GRAINS_LEAVE = ("hot filter", "gravity filter", "vacuum filter", "decant", "discard", "weigh", "label")
"""Kinds of step in which grains are taken out or put away, not put in."""


_CHIPS_OUT = re.compile(r"(?:chips?|stones?)\W+(?:\w+\W+){0,3}out\b", re.IGNORECASE)


_TAKES_AWAY = re.compile(r"(?:filter\w*|remov\w*|take|pick|pour)\b[^.;]{0,30}$", re.IGNORECASE)


_WHEN_COOL = re.compile(
    r"^\W*(?:only |added |go |goes |in )*(?:when|once|after|before|off|away)\b[^.;]{0,40}(?:cool|boil|heat|off)",
    re.IGNORECASE,
)


@dataclass(frozen=True, slots=True)
class _Grains:
    """Charcoal or chips that a step puts in.

    Attributes:
        what: as it is written; added: one of the step's substances, not only in its words.
        place: where in the instruction it stands, −1 where it does not; before, rest: the words up to it and from it.
    """

    what: str
    added: bool
    place: int
    before: str
    rest: str

    @property
    def cooled(self) -> bool:
        """Whether the instruction says that they go in when it is off the heat or cool."""
        return _cooled_last(self.before) or _WHEN_COOL.search(self.rest[len(self.what) :]) is not None

    @property
    def into_hot(self) -> bool:
        """Whether the instruction says that they go into what boils or is hot."""
        return self.place >= 0 and (_BOILS.search(self.before) is not None or _INTO_HOT.search(self.rest) is not None)


def _grains_in(step: Step) -> _Grains | None:
    """The grains that a step puts in; None where it puts in none or takes them out."""
    added = next((name for name in step.adds if _GRAINS.search(name)), "")
    said = _GRAINS.search(step.says)
    if said is None:
        if not added:
            return None
    elif _CHIPS_OUT.search(step.says) or (not added and _TAKES_AWAY.search(step.says[: said.start()])):
        return None
    if step.kind in GRAINS_LEAVE:
        return None
    what = added or (said.group() if said else "")
    place = _place_of(step.says, what, said)
    before = step.says[:place] if place >= 0 else ""
    return _Grains(what, bool(added), place, before, step.says[place:] if place >= 0 else "")


def grains_into_hot(plan: Plan) -> Iterator[Advice]:
    """Charcoal or boiling chips into what is hot or boils: by the step's words, or by the order of steps."""
    for moment in plan.moments:
        grains = _grains_in(moment.step)
        if grains is None or grains.cooled:
            continue
        if moment.held.hot or grains.into_hot:
            where = "hot or boiling liquid" if grains.into_hot else f"what is hot from “{clause(moment.held.hot)}”"
            yield advise(
                moment,
                "grains-into-hot",
                "stop",
                f"{at_step(moment)} puts {grains.what} into {where}.",
                "The grains release bubbles at once: it foams over, hot, onto hands and hotplate.",
                "Take it off the heat and let it stop boiling before you add charcoal; add chips before any heat.",
            )
        elif grains.added and grains.place < 0 and moment.kind is not None and moment.kind.heats:
            yield advise(
                moment,
                "grains-unsaid",
                "caution",
                f"{at_step(moment)} adds {grains.what} while it heats, and does not say when.",
                "In boiling liquid it foams over.",
                "State it: chips before any heat; charcoal off the heat, when it no longer boils.",
            )


def _cooled_last(before: str) -> bool:
    """Whether the last that an instruction says of heat is that it is off: ``off the heat`` ends where *heat* does."""
    off = [match.end() for match in _COOLED.finditer(before)]
    on = [match.end() for match in _BOILS.finditer(before)]
    return bool(off) and off[-1] >= max(on, default=0)


def _place_of(says: str, what: str, said: re.Match[str] | None) -> int:
    found = says.casefold().find(what.casefold())
    return found if found >= 0 else said.start() if said is not None else -1
