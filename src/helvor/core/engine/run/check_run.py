"""The findings on a run: a table of rules and the few lines that walk it.

Limits are common practice, no source, unless one stands beside them.
"""

from __future__ import annotations

from collections.abc import Iterator

from helvor.core.engine.run.account import Yield
from helvor.core.engine.run.case import COVERAGE, Case, Rule, grams, join, percent
from helvor.core.engine.run.dryness import drying, milligrams
from helvor.core.engine.run.entries import Weighed
from helvor.core.engine.run.names import expected_at, near
from helvor.core.engine.run.record import WeighedOn
from helvor.core.engine.run.tares import is_blank
from helvor.core.engine.run.too_much import cause_words, likely_causes
from helvor.core.engine.technique import Cause
from helvor.core.quantities.measured import Measured, shown
from helvor.core.record.finding import Finding
from helvor.core.record.procedure import Step, same

GOOD_CLOSURE = (0.98, 1.02)
OFF_TARGET = 0.10
"""Part of the target from which an amount counts as another one."""
DRIFT_STEPS = 2.0
"""Repeated empty weighings that differ by more steps of the balance than this have drifted."""


def check_run(case: Case) -> list[Finding]:
    """Walk the rules over a run, then those of the techniques."""
    rules = (*RULES, *(rule for technique in case.techniques.all for rule in technique.rules))
    return [finding for rule in rules for finding in rule(case)]


def tare_before_wetting(case: Case) -> Iterator[Finding]:
    """The next step wets a container that is weighed later and has no tare yet."""
    step = case.run.next_step
    for label in _untared(case, step) if step is not None else ():
        yield Finding(
            "tare-first",
            "caution",
            f"{label}: no tare recorded yet, and the next step fills it.",
            "It is weighed with its contents later; without the empty mass the net mass can never be known.",
            f"Weigh {label} now, empty and dry.",
            about=label,
        )


def tare_gone(case: Case) -> Iterator[Finding]:
    """A container that is weighed later was wetted without a tare: what can still be done, while it can."""
    told: set[str] = set()
    for step in case.run.procedure.steps:
        for label in _untared(case, step) if step.id in case.run.done else ():
            if label.casefold() in told:
                continue
            told.add(label.casefold())
            paper = "paper" in label.casefold()
            yield Finding(
                "tare-gone",
                "caution",
                f"{label} was filled without its tare, and is weighed later.",
                "What it weighed empty cannot be read any more."
                if paper
                else "It can be weighed empty once what is in it is out.",
                "Weigh two or three papers of the same kind now, before they are gone, as spare paper 1, 2 and 3: "
                "their mean is used, marked as an estimate."
                if paper
                else f"Weigh {label} empty, clean and dry, when its contents are out.",
                about=label,
            )


def _untared(case: Case, step: Step) -> list[str]:
    """Of a step's containers those that it wets, that are weighed later, and of which nothing is weighed yet."""
    kind = case.kinds.get(step.kind)
    if kind is None or not (kind.wets or kind.heats) or not step.container:
        return []
    later = case.run.procedure.steps[case.run.procedure.steps.index(step) + 1 :]
    weighed = [s for s in later if s.container and not s.empty and s.kind in case.kinds and case.kinds[s.kind].weighs]
    found, there = [], case.run.weighings
    for label in step.container:
        if not any(same(label, other) for s in weighed for other in s.container):
            continue
        tare = case.ledger.tares.get(frozenset([label.casefold()]))
        known = tare is not None and tare.mass is not None
        spare = any(on.weighed.name.casefold().startswith(f"spare {label.split()[0].casefold()}") for on in there)
        if not known and not spare and not any(label.casefold() in on.weighed.pan for on in there):
            found.append(label)
    return found


def tare_late(case: Case) -> Iterator[Finding]:
    """A container was weighed empty only after it had been weighed full."""
    told: set[str] = set()
    for portion in case.ledger.portions.values():
        for net in portion.counted:
            tare, name = net.tare, net.on.weighed.name
            if tare is None or tare.how != "weighed" or portion.basis == "borrowed" or name in told:
                continue
            if not tare.readings or _was_empty_before(case, net.on):
                continue
            told.add(name)
            yield Finding(
                "tare-late",
                "note",
                f"{name} was weighed empty only after {portion.name} had been weighed in it.",
                "That counts as its tare if it was the same container, clean and dry by then."
                if "paper" not in name.casefold()
                else "A used paper keeps grains and moisture, so this tare is an estimate.",
                "Next time weigh it empty first.",
                about=portion.name,
            )


def _was_empty_before(case: Case, full: WeighedOn) -> bool:
    """Whether something of this pan was weighed empty before, also in a reading that was struck out since."""
    return any(
        isinstance(said := line.root.payload, Weighed) and not said.portion and said.pan & full.weighed.pan
        for line in case.run.lines
        if line.root.happened < full.line.root.happened
    )


def out_of_place(case: Case) -> Iterator[Finding]:
    """A weighing of something that no step gives, where a step waits for another name of it."""
    procedure = case.run.procedure
    if case.run.is_blank:
        return
    planned = {name.casefold() for name in procedure.portion_names}
    weighed = {on.weighed.portion.casefold() for on in case.run.weighings}
    for on in case.run.weighings:
        said = on.weighed
        if not said.portion or said.portion.casefold() in planned:
            continue
        waiting = [
            name
            for step in procedure.steps
            if (name := step_expects(step, said, case)) and name.casefold() not in weighed
        ]
        waiting = list(dict.fromkeys(waiting))
        waiting = near(said.portion, waiting)[:1] if len(waiting) > 1 else waiting
        if waiting:
            yield Finding(
                "out-of-place",
                "caution",
                f"{said.mass} is recorded for {said.portion}, which no step produces.",
                f"{waiting[0]} has no mass, so its result is missing.",
                f"If it is {waiting[0]}, put it there.",
                about=said.portion,
                put=(on.key, waiting[0]),
            )


def step_expects(step: Step, said: Weighed, case: Case) -> str:
    """The portion that a step weighs, where a weighing is of its container, or names it nearly."""
    name = expected_at(step, said.container, case.kinds)
    if name:
        return name
    expected = expected_at(step, step.container, case.kinds) if said.way == "net" else ""
    return expected if expected and near(said.portion, [expected]) else ""


def tare_missing(case: Case) -> Iterator[Finding]:
    """Something was weighed in a container that has no tare, a damp one, or a spare's."""
    seen: set[str] = set()
    for portion in case.ledger.portions.values():
        for net in portion.nets:
            tare = net.tare
            if tare is None or portion.basis == "borrowed" or net.on.weighed.name in seen:
                continue
            name = net.on.weighed.name
            if tare.how == "missing":
                seen.add(name)
                papers = [label for label in tare.missing if "paper" in label]
                yield Finding(
                    "tare-missing",
                    "caution",
                    f"No empty mass was recorded for {join(list(tare.missing))}, so the net mass of {portion.name} "
                    "is unknown: "
                    f"{net.on.weighed.mass} is the gross mass.",
                    "The container's mass is still included.",
                    "Weigh two or three spare papers of the same kind (name them “spare paper 1” and so on): "
                    "their mean is used, marked as an estimate."
                    if papers
                    else f"Transfer {portion.name}, then weigh the container clean and dry: that is a valid tare.",
                    about=portion.name,
                )
            elif tare.how == "spare":
                seen.add(name)
                yield Finding(
                    "tare-spare",
                    "note",
                    f"The tare of {name} is the mean of {len(tare.readings)} spare papers.",
                    "Papers from one box differ, so the net mass is an estimate.",
                    about=portion.name,
                )
            elif tare.how == "damp":
                seen.add(name)
                yield Finding(
                    "tare-damp",
                    "caution",
                    f"{name} was damp when weighed empty, so the net mass of {portion.name} is too low.",
                    "The water was counted as glass, and it is missing from the later weighing.",
                    "Weigh it empty and dry once the contents are out.",
                    about=portion.name,
                )


def paper_air_dry(case: Case) -> Iterator[Finding]:
    """A paper was tared air-dry and weighed oven-dry, and nothing says how much water it lost."""
    for portion in case.ledger.portions.values():
        for net in portion.counted:
            tare = net.tare
            if tare is None or not tare.air_dry or net.on.weighed.state != "dried" or portion.basis == "borrowed":
                continue
            if tare.blank is None:
                yield Finding(
                    "paper-air-dry",
                    "caution",
                    f"The paper of {portion.name} was tared air-dry and weighed oven-dry: the net mass is too low.",
                    "Air-dry paper contains several per cent of water, tens of milligrams per sheet.",
                    "Carry a blank filter paper through (name it “blank paper”, weigh it before and after), or dry "
                    "papers "
                    "the same way before taring.",
                    about=portion.name,
                )
            else:
                yield Finding(
                    "blank-paper",
                    "note",
                    f"The tare of {portion.name} is corrected by the blank paper: {shown(tare.blank)} g per sheet.",
                    "Without this, the paper's own water would be missing from the net mass.",
                    about=portion.name,
                )
            break


def wet_used(case: Case) -> Iterator[Finding]:
    """A portion has only been weighed wet."""
    for portion in case.ledger.portions.values():
        if portion.mass is None and portion.nets and all(n.on.weighed.state == "wet" for n in portion.nets):
            wet = f" {grams(portion.wet)}" if portion.wet is not None else ""
            yield Finding(
                "wet-mass",
                "caution",
                f"{portion.name}: weighed only while wet:{wet or ' no net mass'}.",
                "Solvent is still evaporating, so the wet mass is not used for the yield.",
                "Dry it, let it cool, weigh it again and record it as dried.",
                about=portion.name,
            )


def gross_below_tare(case: Case) -> Iterator[Finding]:
    """A container with content weighs less than empty."""
    for portion in case.ledger.portions.values():
        for net in portion.nets:
            if net.value is None or net.value >= 0 or net.net is None:
                continue
            if net.net.value < -COVERAGE * net.net.u and net.tare and net.tare.mass:
                yield Finding(
                    "gross-below-tare",
                    "stop",
                    f"{net.on.weighed.name} with {portion.name} weighs {net.on.weighed.mass}, "
                    f"less than the {grams(net.tare.mass)} it weighs empty.",
                    "The two readings were exchanged, another container was used, or a digit was misread.",
                    "Check the label on the glass, then weigh again and correct the wrong reading.",
                    about=portion.name,
                )


def hot(case: Case) -> Iterator[Finding]:
    """Something was weighed warm."""
    for on in case.run.weighings:
        if on.weighed.hot:
            yield Finding(
                "weighed-hot",
                "caution",
                f"{on.weighed.name} was weighed while warm: {on.weighed.mass}.",
                "Warm air lifts the pan, so it reads too light; heat can also damage the balance.",
                "Let it cool to room temperature, then weigh again.",
                about=on.weighed.name,
            )


def different_balances(case: Case) -> Iterator[Finding]:
    """Tare and gross come from two balances."""
    for portion in case.ledger.portions.values():
        for net in portion.nets:
            here = net.on.weighed.balance.strip()
            others = {on.weighed.balance.strip() for on in (net.tare.readings if net.tare else ())} - {here, ""}
            if here and others:
                yield Finding(
                    "two-balances",
                    "note",
                    f"{net.on.weighed.name} was tared on balance {join(sorted(others))} and weighed full on "
                    f"balance {here}.",
                    "Two balances differ by more than their last digit; on one balance the error cancels.",
                    "Next time use one balance for both.",
                    about=portion.name,
                )
                break


def drifted(case: Case) -> Iterator[Finding]:
    """A container was weighed empty twice, with different results."""
    for tare in case.ledger.tares.values():
        if len(tare.readings) < 2 or tare.how != "weighed":
            continue
        if any(is_blank(on.weighed.pan) for on in tare.readings):
            continue  # it is weighed twice because it changes
        pans = {on.weighed.pan for on in tare.readings}
        step = max(on.weighed.step_g for on in tare.readings)
        if len(pans) == 1 and tare.spread > DRIFT_STEPS * step:
            first = tare.readings[0].weighed
            yield Finding(
                "tare-drifted",
                "caution",
                f"{first.name}: the empty weighings differ by {milligrams(tare.spread)}.",
                "The balance drifted or was not zeroed, the glass was damp, or it is another container.",
                "Zero the balance, wipe the glass, weigh it empty again and strike out the wrong reading. "
                "Until then the mean is used, with that uncertainty.",
                about=first.name,
            )


def used_twice(case: Case) -> Iterator[Finding]:
    """One container holds two portions at the same time."""
    holds: dict[str, dict[str, WeighedOn]] = {}
    # Of a name that no step gives it is not known what it was made from.
    planned = {name.casefold() for name in case.run.procedure.portion_names}
    for on in case.run.weighings:
        if on.weighed.portion and (case.run.is_blank or on.weighed.portion.casefold() in planned):
            for label in on.weighed.container:
                holds.setdefault(label.casefold(), {})[on.weighed.portion.casefold()] = on
    lineage = _ancestors(case)
    for label, portions in holds.items():
        names = sorted(portions)
        unrelated = [
            (a, b)
            for i, a in enumerate(names)
            for b in names[i + 1 :]
            if b not in lineage.get(a, set()) and a not in lineage.get(b, set())
        ]
        if unrelated:
            a, b = unrelated[0]
            yield Finding(
                "container-twice",
                "caution",
                f"{label}: recorded with both {portions[a].weighed.portion} and {portions[b].weighed.portion}.",
                "One container cannot hold two separate portions.",
                "Check the label on the glass and correct the other weighing.",
                about=label,
            )


def _ancestors(case: Case) -> dict[str, set[str]]:
    """Portion → every portion that it was made from."""
    lineage: dict[str, set[str]] = {}
    for step in case.run.procedure.steps:
        for name in step.gives:
            above = lineage.setdefault(name.casefold(), set())
            for parent in step.takes:
                above |= {parent.casefold()} | lineage.get(parent.casefold(), set())
    return lineage


def too_many_digits(case: Case) -> Iterator[Finding]:
    """A mass with more or fewer digits than the same balance gave elsewhere."""
    by_balance: dict[str, dict[int, WeighedOn]] = {}
    for on in case.run.weighings:
        if on.weighed.balance and on.weighed.mass.unit == "g":
            by_balance.setdefault(on.weighed.balance.casefold(), {}).setdefault(on.weighed.mass.decimals, on)
        if on.weighed.readability and on.weighed.mass.resolution < on.weighed.readability.value * 0.99:
            yield Finding(
                "too-many-digits",
                "note",
                f"{on.weighed.mass} for {on.weighed.name} has more digits than the balance shows "
                f"({on.weighed.readability}).",
                "A digit that the balance does not show was not read from it.",
                "Read again and record what the display shows.",
                about=on.weighed.name,
            )
    for found in by_balance.values():
        if len(found) > 1:
            most, least = found[max(found)], found[min(found)]
            yield Finding(
                "digits-differ",
                "note",
                f"Balance {most.weighed.balance} gave {most.weighed.mass} and {least.weighed.mass}: "
                "not the same number of digits.",
                "A missing last zero makes a reading look coarser; an extra digit was not read.",
                f"Record every digit of the display, also for {least.weighed.name}.",
                about=least.weighed.name,
            )


def impossible_loss(case: Case) -> Iterator[Finding]:
    """More was lost than was there, or less than nothing."""
    for portion in case.ledger.portions.values():
        if portion.basis != "by loss" or portion.mass is None:
            continue
        if portion.mass.value < -COVERAGE * portion.mass.u:
            yield Finding(
                "gained-by-heating",
                "stop",
                f"{portion.name}: {grams(portion.mass)} by difference, because the residue weighs more than before.",
                "A residue cannot gain mass on heating: a tare, a digit or a label is wrong.",
                "Check both weighings and their containers.",
                about=portion.name,
            )


def above_possible(case: Case) -> Iterator[Finding]:
    """A product, a recovery or the closure is above what can be, beyond its uncertainty."""
    ledger = case.ledger
    for made in ledger.yields:
        if made.percent is not None and _beyond(made.percent, 1.0) and made.obtained is not None:
            yield _above(case, made.portion, made.obtained, made.theoretical, made)
    told = {made.portion.casefold() for made in ledger.yields}
    for account in ledger.components:
        if account.recovery is None or not _beyond(account.recovery, 1.0):
            continue
        portion = ledger.portion(account.portions[0]) if account.portions else None
        if portion is None or portion.name.casefold() in told or portion.mass is None:
            continue
        told.add(portion.name.casefold())
        most = portion.mass / account.recovery.value
        yield _above(case, portion.name, portion.mass, Measured(most.value), None)
    if ledger.closure is not None and ledger.missing is not None and _beyond(ledger.closure, 1.0):
        causes = likely_causes(case, -ledger.missing.value, ledger.missing.u, None)
        yield Finding(
            "closure-above",
            "stop" if ledger.closure.value > GOOD_CLOSURE[1] else "caution",
            f"Mass balance {percent(ledger.closure)}: {grams(Measured(0.0) - ledger.missing)} more than went in.",
            "Mass cannot be created: something is weighed too high. " + cause_words(causes),
            "Check these first, then weigh again.",
        )


def _beyond(number: Measured, limit: float) -> bool:
    return number.value - limit > COVERAGE * number.u


def _above(case: Case, name: str, mass: Measured, most: Measured, made: Yield | None) -> Finding:
    excess = mass.value - most.value
    causes = likely_causes(case, excess, mass.u, case.ledger.portion(name), made)
    return Finding(
        "above-possible",
        "stop",
        f"{name}: net {grams(mass)} is above the theoretical yield of {grams(most)}.",
        cause_words(causes),
        causes[0][1] if causes else "Weigh again.",
        about=name,
    )


def closure(case: Case) -> Iterator[Finding]:
    """Whether the masses at the end add up to what went in."""
    ledger = case.ledger
    if ledger.closure is None or ledger.missing is None or not ledger.complete or _beyond(ledger.closure, 1.0):
        return
    low, high = GOOD_CLOSURE
    span = f"Mass balance {percent(ledger.closure)}"
    if low <= ledger.closure.value <= high:
        yield Finding("closure-good", "good", f"{span}; {grams(ledger.missing)} unaccounted for.")
        return
    leaves = [p for p in ledger.portions.values() if p.said.end == "waste"]
    # A liquor is said to hold some, and nobody weighs it: what is missing is no surprise.
    held = [p.name for p in leaves if p.said.component and p.mass is None]
    if held and ledger.closure.value < low:
        yield Finding(
            "closure-held",
            "note",
            f"{span}; {grams(ledger.missing)} unaccounted for.",
            f"Some of it stays in {join(held)}, which was not weighed.",
            "The amount expected from its solubility is shown at the step and on the scheme.",
        )
        return
    yield _closure_low(case, ledger.closure, ledger.missing, span)


def _closure_low(case: Case, found: Measured, missing: Measured, span: str) -> Finding:
    """What is missing, held against what a class usually has, and against the places that are known to hold some."""
    measured = [p for p in case.ledger.portions.values() if p.said.end == "waste" and p.mass is not None]
    where = f" {join([p.name for p in measured])} was weighed as a loss." if measured else ""
    usual = min((case.kinds[step.kind].ordinary for step in _carried_out(case)), default=0.9)
    placed = _estimated_places(case, missing.value)
    explained = bool(placed) or found.value >= usual
    because = (
        "It stayed on glass and rods, went with a decanted liquid, or spat out while drying. "
        "The weighings alone cannot show at which step."
    )
    if explained:
        because = placed or f"A class usually has {round(100 * usual)} to 100 % of the whole in hand after such work."
    return Finding(
        "closure-low",
        "note" if explained else "caution",
        f"{span}; {grams(missing)} {'not weighed' if placed else 'unaccounted for'}.{where}",
        because,
        ""
        if explained
        else "Dry and weigh what is left in the used glassware: a measured loss is better than a guess.",
    )


def _carried_out(case: Case) -> list[Step]:
    """The steps that were done, in order: marked so, or what they give, or what comes of it, was weighed."""
    weighed = {on.weighed.portion for on in case.run.weighings if on.weighed.portion}
    through = {step.id for name in weighed for step in case.run.procedure.made_by(name)}
    return [
        step
        for step in case.run.procedure.steps
        if step.kind in case.kinds
        and step.id not in case.run.skipped
        and (step.id in case.run.done or step.id in through)
    ]


EXPLAINED = 0.6
"""Part of what is missing that estimated places must hold for it to count as explained."""


def _estimated_places(case: Case, missing: float) -> str:
    """Where most of what is missing is known to be, in a sentence; empty where too little of it is."""
    causes = [
        cause
        for technique in case.techniques.all
        for find in technique.causes
        for cause in find(case)
        if cause.sign == "loss" and cause.size is not None and not cause.at_most
    ]
    places: dict[tuple[str, str], float] = {}
    held: list[tuple[float, Cause]] = []
    for cause in sorted(causes, key=lambda cause: -(cause.size or 0.0)):
        here = dict(cause.places) or {(cause.code, " ".join((cause.what, *cause.points))): cause.size or 0.0}
        # What was weighed is in the balance already; what two causes name is there once.
        new = {place: mass for place, mass in here.items() if place not in places and not _is_weighed(case, place[0])}
        places |= new
        if new:
            held.append((sum(new.values()), cause))
    known = sum(places.values())
    if missing <= 0 or known < EXPLAINED * missing:
        return ""
    largest = [cause for _, cause in sorted(held, key=lambda pair: -pair[0])[:2]]
    said = " ".join(f"{cause.what} {' '.join(cause.points)}".strip() for cause in largest)
    return f"About {min(known, missing):.2f} g of it has a place. {said}"


def _is_weighed(case: Case, name: str) -> bool:
    portion = case.ledger.portion(name)
    return portion is not None and portion.mass is not None


def taken_off_target(case: Case) -> Iterator[Finding]:
    """An exact amount differs from its target; a substance was replaced or judged."""
    for one in case.ledger.substances:
        target = one.substance.amount
        real = one.mass if target is not None and target.unit == "g" else one.volume
        if one.instead:
            yield Finding(
                "used-instead",
                "note",
                f"{one.instead} was used instead of {one.substance.name}.",
                "The calculation uses it."
                if one.formula
                else "Its formula is not recorded, so no amount in mol is calculated from it.",
                "" if one.formula else f"Correct the entry and enter the formula of {one.instead}.",
                about=one.substance.name,
            )
        elif target is not None and real is not None and one.substance.exact and target.value > 0:
            off = real.value / target.value - 1
            if abs(off) > OFF_TARGET:
                yield Finding(
                    "off-target",
                    "note",
                    f"{one.substance.name}: {target} planned, {shown(real)} {target.unit} used "
                    f"({'+' if off > 0 else '−'}{abs(off) * 100:.0f} %).",
                    "The calculation uses the amount taken.",
                    about=one.substance.name,
                )
        if one.estimated:
            yield Finding(
                "estimated",
                "note",
                f"The amount of {one.substance.name} was estimated.",
                "Its uncertainty is taken as 10 %.",
                about=one.substance.name,
            )


def borrowed(case: Case) -> Iterator[Finding]:
    """The bench goes on with another's product."""
    for entry in case.run.borrowed.values():
        yield Finding(
            "borrowed",
            "note",
            f"{entry.portion}: taken over from {entry.source}.",
            "Its values are shown but not counted in this bench's recovery or the class statistics.",
            about=entry.portion,
        )


def drying_skipped(case: Case) -> Iterator[Finding]:
    """A step that gives evidence was left out."""
    for step in case.run.procedure.steps:
        why = case.run.skipped.get(step.id)
        kind = case.kinds.get(step.kind)
        if why is not None and kind is not None and (kind.dries or kind.cools or kind.weighs):
            lost = "its value is missing from the mass balance"
            if kind.dries or kind.cools:
                lost = f"the next portion weighed may be {'wet' if kind.dries else 'warm'}"
            yield Finding(
                "step-skipped",
                "note",
                f"“{_title(step, case)}” was skipped: {why}.",
                f"As a result, {lost}.",
                about=step.id,
            )


def _title(step: Step, case: Case) -> str:
    return step.says or (case.kinds[step.kind].title if step.kind in case.kinds else step.kind)


RULES: tuple[Rule, ...] = (
    gross_below_tare,
    impossible_loss,
    above_possible,
    tare_before_wetting,
    tare_gone,
    tare_late,
    out_of_place,
    tare_missing,
    paper_air_dry,
    wet_used,
    used_twice,
    drifted,
    hot,
    drying,
    closure,
    taken_off_target,
    different_balances,
    too_many_digits,
    borrowed,
    drying_skipped,
)
