"""What can hurt somebody in a procedure: a table of rules, each held against the plan and against every run of it.

Each rule is a row of :data:`RULES`. A finding says what is seen, why it matters and what to do; what is allowed in a
house is for its local rules and a qualified person. Limits are common practice, no source, unless one stands beside
them; boiling points, flash points and ignition temperatures stand on the shelf with their sources.
"""

from __future__ import annotations

import re
from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass

from helvor.core.engine.plan.check_plan import Advice, Matter, Moment, Plan, clause
from helvor.core.hazards.care import Care, named
from helvor.core.hazards.heat import HOT_SURFACE, LOW_BOILER, Heat, sources
from helvor.core.hazards.incompatible import CARBONATE, HYDROXIDE, MEETINGS, STRONG_ACID, Meets
from helvor.core.hazards.substances import care_of, liquids_of
from helvor.core.quantities.reading import digits
from helvor.core.record.finding import Finding, Level
from helvor.core.record.procedure import Step, Substance, same
from helvor.core.record.step_kinds import WASTE, wrong_bottle

LOCAL = "Local rules and a qualified person decide."
FUNNELS = ("extract", "wash layer")
HEATED = 60.0
"""°C from which a liquid counts as hot where a temperature is given. Common practice."""
STRONG = 9.0
"""mol/L from which a mineral acid is diluted as a concentrated one. Common practice."""
MUCH_VAPOUR = 25.0
"""mL of organic solvent a bench from which evaporating it into the room or hood is worth catching it. Common
practice."""

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
_PEROXIDE_SAID = re.compile(r"peroxide", re.IGNORECASE)
_BROUGHT_DOWN = re.compile(r"\b(?:cool\w*|room temperature|lukewarm|hand-?warm)\b", re.IGNORECASE)
_CAUGHT = re.compile(
    r"(?:recover|collect)\w* (?:it|all of it|the (?:solvent|ether|distillate|eluent))\b|condens|distil|rotary"
    r"|evaporator|still head|\ba still\b|cold trap",
    re.IGNORECASE,
)


def _at(moment: Moment) -> str:
    return f"Step {moment.number}"


def _advice(moment: Moment, code: str, level: Level, what: str, because: str, do: str, about: str = "") -> Advice:
    finding = Finding(code, level, what, because, f"{do} {LOCAL}" if level == "stop" else do, about or moment.step.id)
    return Advice(finding, moment.step.id)


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
    if not (there or step.takes or step.on or step.adds or step.eluent or moment.matter.substances):
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
            yield _advice(
                moment,
                "flame-near-solvent",
                "stop",
                f"{_at(moment)} uses a flame ({fire.said}) with {here[0].shown}{_flash(here[0])}.",
                "Its vapour spreads along the bench to a flame and flashes back to the vessel.",
                f"{_gentler(here[0])} No flame in the room.",
            )
            continue
        if solid is not None:
            yield _advice(
                moment,
                "flame-near-solvent",
                "stop",
                f"{_at(moment)} uses a flame ({fire.said}) with {solid.shown}, which is flammable.",
                "Its vapour and dust can catch fire.",
                "Heat it on a hotplate in the hood, without a flame.",
            )
            continue
        for other in plan.moments:
            open_ = burning(plan, other)
            if open_ and other.step.meeting == moment.step.meeting:
                yield _advice(
                    moment,
                    "flame-near-solvent",
                    "stop",
                    f"{_at(moment)} uses a flame ({fire.said}); in the same meeting step {other.number} has "
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
        care = worst or there[0]
        where = "a bare hotplate" if heat.sort == "surface" else f"the {heat.said}"
        yield _advice(
            moment,
            "solvent-on-hotplate",
            "stop" if worst is not None and heat.sort == "surface" else "caution",
            f"{_at(moment)} heats {care.shown}{_known_of_heat(care)} on {where}.",
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
        yield _advice(
            moment,
            "heat-unsaid",
            "caution",
            f"{_at(moment)} heats {there[0].shown}{_flash(there[0])}, but the heat source is not stated.",
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
        yield _advice(
            moment,
            "hot-into-funnel" if funnel else "hot-meets-volatile",
            "stop",
            f"{_at(moment)} brings {hot} together with {care.shown}{boils}.",
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
            yield _advice(
                moment,
                "grains-into-hot",
                "stop",
                f"{_at(moment)} puts {grains.what} into {where}.",
                "The grains release bubbles at once: it foams over, hot, onto hands and hotplate.",
                "Take it off the heat and let it stop boiling before you add charcoal; add chips before any heat.",
            )
        elif grains.added and grains.place < 0 and moment.kind is not None and moment.kind.heats:
            yield _advice(
                moment,
                "grains-unsaid",
                "caution",
                f"{_at(moment)} adds {grains.what} while it heats, and does not say when.",
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


def meetings(plan: Plan) -> Iterator[Advice]:
    """Two things that react violently, or that give a poisonous gas, come together."""
    for moment in plan.moments:
        told: set[str] = set()
        for row in MEETINGS:
            pair = _meet(row, moment)
            if pair is None or row.code in told:
                continue
            told.add(row.code)
            one, other = pair
            yield _advice(
                moment,
                row.code,
                row.level,
                f"{_at(moment)} brings {one} and {other} together.",
                row.because,
                row.do,
            )


def _meet(row: Meets, moment: Moment) -> tuple[str, str] | None:
    """What of a step is the one and what the other of a row; None where the two do not come together here."""
    if moment.step.kind == "discard":
        return None
    new, old = _there(moment.added), _there(moment.held)
    for one_side, other_side in ((new, old), (old, new), (new, new)):
        one = next((care for care in one_side if row.one(care)), None)
        other = next((care for care in other_side if row.other(care) and (one is None or care.name != one.name)), None)
        if one is not None and other is not None:
            return one.shown, other.shown
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
        held = (s for s in plan.procedure.substances if s.name in moment.held.substances)
        strong = next((s for s in held if concentrated(s.name, s.formula, s.molar)), None)
        if strong is None or "water" not in moment.added.cares or moment.held.liquids.get("water"):
            continue
        yield _advice(
            moment,
            "water-into-acid",
            "stop",
            f"{_at(moment)} pours water into {strong.name}.",
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
        takes_off = moment.step.kind == "evaporate" or re.search(
            r"\bevaporat|\bdistil|boil (?:it )?(?:down|off)", moment.step.says, re.IGNORECASE
        )
        if care is None or not takes_off or _PEROXIDE_SAID.search(moment.words):
            continue
        yield _advice(
            moment,
            "peroxides",
            "caution",
            f"{_at(moment)} evaporates {care.shown}, which forms peroxides on standing.",
            "Peroxides stay behind during evaporation, and a dry residue can explode.",
            "Check the bottle's date, test it with a strip, never evaporate to dryness; state this in the step. "
            "Do not touch a bottle that is old or has crystals: call the person responsible.",
        )


def caught(moment: Moment) -> bool:
    """Whether what a step evaporates is collected: by an evaporator, a still, a cold trap."""
    return _CAUGHT.search(f"{moment.words} {' '.join(moment.step.kit)}") is not None


def to_the_air(plan: Plan) -> Iterator[Advice]:
    """Organic solvent that leaves by nowhere: evaporated into the air, or in a portion that nothing takes further."""
    gone = [
        (moment, sum(ml for name, ml in moment.matter.liquids.items() if moment.matter.cares[name].organic))
        for moment in plan.moments
        if (moment.step.kind == "evaporate" or moment.step.place in ("air", "hood"))
        and not caught(moment)
        and (moment.step.kind in ("evaporate", "wait", "keep"))
    ]
    whole = sum(volume for _, volume in gone)
    if whole > MUCH_VAPOUR:
        moment = next(m for m, volume in gone if volume > 0)
        steps = [str(m.number) for m, volume in gone if volume > 0]
        yield _advice(
            moment,
            "solvent-to-air",
            "caution",
            f"About {digits(whole, 2)} mL of organic solvent per bench evaporates into the air at step "
            f"{' and '.join(steps) if len(steps) < 3 else ', '.join(steps)}.",
            "For a whole class this is too much for a hood, and the solvent is lost.",
            "Use the rotary evaporator or a still, and add a waste step for the collected solvent.",
        )
    yield from _ends_nowhere(plan)


def _goes_on(name: str, later: Sequence[Moment]) -> bool:
    """Whether a later step takes a portion up, works on it or discards it."""
    return any(same(name, other) for m in later for other in (*m.step.takes, *((m.step.on,) if m.step.on else ())))


def _organic_in(moment: Moment, which: int) -> Care | None:
    """An organic liquid in what a step gives, the number *which* of its portions; None in what is dry."""
    kind = moment.kind
    if moment.step.kind == "evaporate" or (kind is not None and kind.dries):
        return None
    layers = kind is not None and kind.layers
    side = (moment.added, moment.held)[min(which, 1)] if layers else moment.matter
    return next((side.cares[key] for key in side.liquids if side.cares[key].organic), None)


def _ends_nowhere(plan: Plan) -> Iterator[Advice]:
    """What ends with solvent in it, a liquid or a solid that is still wet, and is put nowhere."""
    for place, moment in enumerate(plan.moments):
        later = plan.moments[place + 1 :]
        for which, name in enumerate(moment.step.gives):
            said = plan.procedure.portion(name)
            organic = _organic_in(moment, which)
            if organic is None or said.end == "product" or said.by_loss or _goes_on(name, later):
                continue
            solid_kept = moment.kind is not None and moment.kind.liquid_first and which > 0 and said.end == "kept"
            if solid_kept:
                continue
            yield _advice(
                moment,
                "solvent-ends-nowhere",
                "caution",
                f"{name}: contains {organic.shown}, and no step says where it goes.",
                "Without a waste step, students use the nearest sink.",
                "Add a step that puts it into its waste bottle.",
                about=f"{moment.step.id} {name}",
            )


def waste(plan: Plan) -> Iterator[Advice]:
    """Something is discarded without a stream, into a wrong one, or before what has to come first."""
    for moment in plan.moments:
        step = moment.step
        # Put away into a stream (a jar, a bottle) is the same question.
        if step.kind != "discard" and not (step.kind == "keep" and step.waste and step.waste != "reuse"):
            continue
        if not step.waste:
            yield Advice(
                Finding(
                    "no-waste-stream",
                    "caution",
                    f"{_at(moment)} names no waste bottle.",
                    "Without a named bottle, students use the nearest one.",
                    "Enter the waste stream; local rules decide which.",
                    about=step.id,
                ),
                step.id,
            )
            continue
        yield from _into_bottle(plan, moment)


DECIDES_EVEN_DISSOLVED = ("heavy metal", "oxidizing")
"""Streams of what is dissolved that decide whatever it is dissolved in; else the liquid decides."""


def _streams_of(plan: Plan, moment: Moment) -> list[tuple[str, str]]:
    """What is discarded at a step with the waste stream that each part of it belongs into."""
    there = (moment.matter.cares[name] for name in moment.matter.liquids)
    streams = [(liquid.shown, liquid.waste) for liquid in there if liquid.waste]
    for substance, care in _solids_of(plan, moment):
        solution = substance.molar is not None or (substance.amount is not None and substance.amount.unit == "mL")
        if solution or not moment.matter.liquids or care.waste in DECIDES_EVEN_DISSOLVED:
            streams.append((substance.name, care.waste))
    return streams


def _solids_of(plan: Plan, moment: Moment) -> Iterator[tuple[Substance, Care]]:
    """The substances in it that are no liquids of themselves, with what is known of them."""
    for name in sorted(moment.matter.substances):
        substance = plan.procedure.substance(name)
        care = care_of(substance) if substance is not None else None
        if substance is not None and care is not None and not care.liquid:
            yield substance, care


def _into_bottle(plan: Plan, moment: Moment) -> Iterator[Advice]:
    bottle = moment.step.waste
    for substance, care in _solids_of(plan, moment):
        if care.first:
            yield _advice(
                moment,
                "before-waste",
                "note",
                f"{_at(moment)} discards {substance.name}.",
                "It must be treated before it goes into the bottle.",
                f"{care.first[0].upper()}{care.first[1:]}.",
                f"{moment.step.id} {substance.name}",
            )
    by_stream: dict[str, str] = {}
    for name, own in _streams_of(plan, moment):
        by_stream.setdefault(own, name)
    for own, name in by_stream.items():
        wrong = wrong_bottle(bottle, own)
        # Solvent that is mixed with halogenated one belongs into the halogenated bottle, without a word.
        if wrong is None or (bottle == "halogenated" and own == "solvents" and "halogenated" in by_stream):
            continue
        # A trace of another liquid in the bottle's own is what the bottle is for; a danger it stays.
        if wrong.level != "stop" and bottle in by_stream:
            continue
        yield _advice(
            moment,
            "wrong-waste",
            wrong.level,
            f"{_at(moment)} puts {name} ({WASTE.get(own, own)}) into “{WASTE.get(bottle, bottle)}”.",
            f"{wrong.why[0].upper()}{wrong.why[1:]}.",
            "Use a separate bottle."
            if wrong.level == "stop"
            else "Ask the person who collects it, or use another bottle.",
            f"{moment.step.id} {own}",
        )


def gas_in_bottle(plan: Plan) -> Iterator[Advice]:
    """Acid and carbonate end in one waste bottle, and nothing says that its cap is vented."""
    thrown: dict[tuple[int, str], list[Moment]] = {}
    for moment in plan.moments:
        if moment.step.kind == "discard" and moment.step.waste:
            thrown.setdefault((moment.step.meeting, moment.step.waste), []).append(moment)
    for together in thrown.values():
        cares = [care for moment in together for care in moment.matter.cares.values()]
        sour = any(STRONG_ACID(care) for care in cares)
        carbonate = next((care for care in cares if CARBONATE(care)), None)
        vented = any(re.search(r"\bvent|\bneutral|loose|uncapped|open\b", m.words, re.IGNORECASE) for m in together)
        if sour and carbonate is not None and not vented:
            last = together[-1]
            yield _advice(
                last,
                "gas-in-bottle",
                "caution",
                f"{_at(last)} puts {carbonate.shown} and acid into one bottle.",
                "Carbon dioxide forms after the cap is on and can burst the bottle.",
                "Mix them in an open beaker until the foaming stops; use a vented cap on the bottle.",
            )


def condenser(plan: Plan) -> Iterator[Advice]:
    """Condenser water only when it boils, under something that burns."""
    for moment in plan.moments:
        if moment.step.kind != "reflux" or plan.rules["condenser-water"].key != "when-boiling":
            continue
        there = burning(plan, moment)
        if there:
            yield _advice(
                moment,
                "condenser-late",
                "stop",
                f"{_at(moment)} boils {there[0].shown}, and by the house rule the water is turned on when it boils.",
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
