"""Findings on what masses add up to: more than was there, less than usual, and where the rest may be."""

from __future__ import annotations

from collections.abc import Iterator

from helvor.core.engine.run.account import PortionMass, Yield
from helvor.core.engine.run.case import COVERAGE, Case, grams, join, percent
from helvor.core.engine.run.losses import rank, seen
from helvor.core.engine.run.tares import Net
from helvor.core.engine.run.too_much import cause_words, likely_causes
from helvor.core.engine.technique import Cause
from helvor.core.quantities.measured import Measured
from helvor.core.quantities.reading import digits
from helvor.core.record.finding import Finding
from helvor.core.record.procedure import Step

GOOD_CLOSURE = (0.98, 1.02)


def gross_below_tare(case: Case) -> Iterator[Finding]:
    """A container with content weighs less than empty."""
    for portion, net in _below_tare(case):
        tare, name = net.tare.mass if net.tare is not None else None, net.on.weighed.name
        if tare is None:
            continue
        # No half-filled container weighs so little: the pan was tared with it.
        as_net = 0 < net.on.weighed.mass.value < 0.5 * tare.value and _may_be_net(case, net)
        yield Finding(
            "gross-below-tare",
            "stop",
            f"{name} with {portion.name} weighs {net.on.weighed.mass}, less than the {grams(tare)} it weighs empty.",
            f"{net.on.weighed.mass} fits the contents alone: {name} was on the pan when the tare button was pressed."
            if as_net
            else "The two readings were exchanged, another container was used, or a digit was misread.",
            f"If so, correct it to a net mass, after the tare button: net {portion.name} {net.on.weighed.mass.number}."
            if as_net
            else "Check the label on the glass, then weigh again and correct the wrong reading.",
            about=portion.name,
        )


def _below_tare(case: Case) -> list[tuple[PortionMass, Net]]:
    """The last weighing of each portion in each container that is below the container's tare."""
    found: dict[tuple[str, frozenset[str]], tuple[PortionMass, Net]] = {}
    for portion in case.ledger.portions.values():
        for net in portion.nets:
            # The uncertainty is put together only for one that is below: of a long drying most weighings never need it.
            if net.value is None or net.value >= 0 or net.net is None or net.tare is None or net.tare.mass is None:
                continue
            if net.net.value < -COVERAGE * net.net.u:
                found[portion.name, net.on.weighed.pan] = portion, net
    return list(found.values())


def _may_be_net(case: Case, net: Net) -> bool:
    """Whether a mass is no more than what was taken, so that it can be that of the contents alone."""
    whole = case.ledger.sample.value if case.ledger.sample is not None else None
    return whole is None or net.on.weighed.mass.value <= 1.1 * whole


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
    ledger, over = case.ledger, 0.0
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
        over += portion.mass.value - most.value
        yield _above(case, portion.name, portion.mass, Measured(most.value), None)
    if ledger.closure is not None and ledger.missing is not None and _beyond(ledger.closure, 1.0):
        if over >= ACCOUNTS_FOR * -ledger.missing.value:
            return  # it is that product's excess again
        causes = likely_causes(case, -ledger.missing.value, ledger.missing.u, None)
        yield Finding(
            "closure-above",
            "stop" if ledger.closure.value > GOOD_CLOSURE[1] else "caution",
            f"Mass balance {percent(ledger.closure)}: {grams(Measured(0.0) - ledger.missing)} more than went in.",
            "Mass cannot be created: something is weighed too high. " + cause_words(causes),
            causes[0][1] if causes else "Weigh again.",
        )


ACCOUNTS_FOR = 0.5
"""Part of a mass balance's excess that a product's own must be, to be the same excess."""


def _beyond(number: Measured, limit: float) -> bool:
    return number.value - limit > COVERAGE * number.u


def _above(case: Case, name: str, mass: Measured, most: Measured, made: Yield | None) -> Finding:
    excess = mass.value - most.value
    causes = likely_causes(case, excess, mass.u, case.ledger.portion(name), made)
    return Finding(
        "above-possible",
        "stop" if mass.value > GOOD_CLOSURE[1] * most.value else "caution",
        f"{name}: net {grams(mass)} is above the theoretical yield of "
        f"{grams(most) if most.u else f'{digits(most.value, 4)} g'}.",
        cause_words(causes),
        causes[0][1] if causes else "Weigh again.",
        about=name,
    )


def closure(case: Case) -> Iterator[Finding]:
    """Whether the masses at the end add up to what went in."""
    ledger = case.ledger
    if ledger.closure is None or ledger.missing is None or not ledger.complete or _beyond(ledger.closure, 1.0):
        return
    if _below_tare(case):
        return  # with a mass that cannot be, a balance says nothing
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
    because = _noted_losses(case) or (
        "It stayed on glass and rods, went with a decanted liquid, or spat out while drying. "
        "The weighings alone cannot show at which step."
    )
    because = f"{_lowest(case)}{because}"
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


def _noted_losses(case: Case) -> str:
    """What notes and readings tell of losses, in sentences; empty where they tell of none."""
    return " ".join(f"{cause.what.rstrip('.')} ({cause.points[0]})." for cause in list(seen(case))[:2])


def _lowest(case: Case) -> str:
    """Of which component most is missing, where one stands out."""
    known = [one for one in case.ledger.components if one.recovery is not None and one.taken_g is not None]
    missing = {
        one.component.name: one.taken_g.value * (1 - one.recovery.value)
        for one in known
        if one.recovery is not None and one.taken_g is not None
    }
    if len(missing) < 2 or case.ledger.missing is None:
        return ""
    name, most = max(missing.items(), key=lambda pair: pair[1])
    account = next(one for one in known if one.component.name == name)
    if most < STANDS_OUT * case.ledger.missing.value or account.recovery is None:
        return ""
    return f"Most of it is {name}: {percent(account.recovery)} recovered. "


STANDS_OUT = 0.6
"""Part of what is missing that one component must lack to be named. Common practice, no source."""


def low_yield(case: Case) -> Iterator[Finding]:
    """A product of a reaction of which much less came than usual after the steps that were done."""
    if not case.ledger.yields:
        return
    usual = min((case.kinds[step.kind].ordinary for step in _carried_out(case)), default=0.9)
    ordinary = usual
    for made in case.ledger.yields:
        part, portion = made.percent, case.ledger.portion(made.portion)
        if part is None or portion is None:
            continue
        usual = portion.said.usual or ordinary
        if part.value + COVERAGE * part.u >= usual:
            continue
        likely = [
            one.cause
            for one in rank(case, case.techniques)
            if one.cause.sign == "loss"
            and one.cause.points
            and one.cause.portion.casefold() in ("", made.portion.casefold())
        ]
        said = " ".join(f"{cause.what.rstrip('.')} ({cause.points[0]})." for cause in likely[:2])
        yield Finding(
            "yield-low",
            "caution",
            f"{made.portion}: {percent(part)} of the theoretical yield; {round(100 * usual)} % and more are usual.",
            said or "It was not precipitated completely, ran through the paper, was washed away or stayed on glass.",
            "Look for it: test the supernatant or filtrate once more, rinse the vessels, weigh what comes.",
            about=made.portion,
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
