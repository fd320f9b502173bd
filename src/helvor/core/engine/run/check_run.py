"""The findings on a run: a table of rules and the few lines that walk it.

Limits are common practice, no source, unless one stands beside them.
"""

from __future__ import annotations

from collections.abc import Iterator

from helvor.core.engine.run.case import Case, Rule, grams, join
from helvor.core.engine.run.check_balance import above_possible, closure, gross_below_tare, impossible_loss, low_yield
from helvor.core.engine.run.check_tares import paper_air_dry, tare_before_wetting, tare_gone, tare_late, tare_missing
from helvor.core.engine.run.dryness import drying, milligrams
from helvor.core.engine.run.entries import Weighed
from helvor.core.engine.run.names import expected_at
from helvor.core.engine.run.record import WeighedOn
from helvor.core.engine.run.tares import is_blank
from helvor.core.quantities.measured import shown
from helvor.core.record.alike import near
from helvor.core.record.finding import Finding
from helvor.core.record.procedure import Step

OFF_TARGET = 0.10
"""Part of the target from which an amount counts as another one."""
DRIFT_STEPS = 2.0
"""Repeated empty weighings that differ by more steps of the balance than this have drifted."""


def check_run(case: Case) -> list[Finding]:
    """Walk the rules over a run, then those of the techniques."""
    rules = (*RULES, *(rule for technique in case.techniques.all for rule in technique.rules))
    return [finding for rule in rules for finding in rule(case)]


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
    yield from _other_digits(case)
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
            if abs(off) > OFF_TARGET and _tenfold(1 + off) is None:
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


TIMES = (1000.0, 100.0, 10.0, 0.1, 0.01, 0.001)
PARTS = {0.1: "a tenth", 0.01: "a hundredth", 0.001: "a thousandth"}
NEAR_A_TENFOLD = 0.25
"""Part by which an amount may be off ten times its target for a slip of the point. Common practice, no source."""


def _tenfold(ratio: float) -> float | None:
    """The power of ten that an amount is off its target by; None where it is none."""
    return next((times for times in TIMES if abs(ratio / times - 1) <= NEAR_A_TENFOLD), None)


def ten_times(case: Case) -> Iterator[Finding]:
    """An amount is about ten, a hundred or a tenth of what was planned: a moved point, before chemistry is blamed."""
    for one in case.ledger.substances:
        target = one.substance.amount
        real = one.mass if target is not None and target.unit == "g" else one.volume
        if target is None or real is None or target.value <= 0 or one.instead:
            continue
        times = _tenfold(real.value / target.value)
        if times is not None:
            many = f"about {times:g} times" if times > 1 else f"only about {PARTS[times]} of"
            yield Finding(
                "ten-times",
                "caution",
                f"{one.substance.name}: {shown(real)} {target.unit} used, {many} the {target} planned.",
                f"A slip of the decimal point is likely: {real.value / times:g} {target.unit} was meant.",
                "Check the reading and correct it. If that much was used, the other amounts of the plan do not fit it.",
                about=one.substance.name,
            )


def _other_digits(case: Case) -> Iterator[Finding]:
    """A container's two masses with different digits, where nobody named the balance: can they be of one?"""
    for portion in case.ledger.portions.values():
        for net in portion.counted:
            full, empty = net.on.weighed, net.tare.readings[-1].weighed if net.tare and net.tare.readings else None
            if empty is None or full.balance or empty.balance or full.mass.within or empty.mass.within:
                continue
            if full.mass.unit != empty.mass.unit or full.mass.decimals == empty.mass.decimals:
                continue
            yield Finding(
                "digits-of-two",
                "note",
                f"{full.name} weighed {empty.mass} empty and {full.mass} with {portion.name}: not the same number of "
                "digits.",
                "Two balances were used, or a last digit was dropped; the coarser one decides how exact the net is.",
                "Record every digit of the display, and the balance's number.",
                about=portion.name,
            )
            break


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
        if why is None or kind is None:
            continue
        lost = kind.left_out or ("its value is missing from the mass balance" if kind.weighs else "")
        if kind.dries or kind.cools:
            lost = kind.left_out or f"the next portion weighed may be {'wet' if kind.dries else 'warm'}"
        if lost:
            yield Finding(
                "step-skipped",
                "caution" if kind.left_out else "note",
                f"“{_title(step, case)}” was skipped: {why}.",
                f"As a result, {lost}.",
                "Do it now if it still can be done; otherwise report it with the result." if kind.left_out else "",
                about=step.id,
            )


def _title(step: Step, case: Case) -> str:
    # The names of substances stand between braces there.
    return step.says.replace("{", "").replace("}", "") or (
        case.kinds[step.kind].title if step.kind in case.kinds else step.kind
    )


RULES: tuple[Rule, ...] = (
    gross_below_tare,
    impossible_loss,
    above_possible,
    tare_before_wetting,
    tare_gone,
    tare_late,
    ten_times,
    out_of_place,
    tare_missing,
    paper_air_dry,
    wet_used,
    used_twice,
    drifted,
    hot,
    drying,
    closure,
    low_yield,
    taken_off_target,
    different_balances,
    too_many_digits,
    borrowed,
    drying_skipped,
)
