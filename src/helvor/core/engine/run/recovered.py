"""Taken against found: the mass balance, the components followed, contents and yields."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import replace

from helvor.core.engine.run.account import ComponentAccount, Ledger, PortionMass, SubstanceTaken, Yield
from helvor.core.engine.run.record import Run
from helvor.core.laws.precipitation.gravimetry import content, factor, factor_working
from helvor.core.laws.precipitation.reaction import Outcome, react
from helvor.core.quantities.formula import Equation, molar_mass, plain, readable, supplies, units
from helvor.core.quantities.measured import Measured, shown, shown_with_u, total
from helvor.core.quantities.reading import Unreadable, round_to
from helvor.core.quantities.working import WorkingLine
from helvor.core.record.procedure import Component, Procedure, Substance, same


def counted_ends(ledger: Ledger) -> list[PortionMass]:
    """Portions at the end that count: not borrowed, with a mass."""
    ends = [ledger.portions[name.casefold()] for name in ledger.ends if name.casefold() in ledger.portions]
    return [portion for portion in ends if portion.mass is not None and portion.basis != "borrowed"]


def close_balance(run: Run, ledger: Ledger) -> None:
    """Grams taken against grams found (Ledger 3)."""
    ledger.sample = known_total(one.mass for one in ledger.substances if one.substance.role == "sample")
    if ledger.sample is None:
        return
    ledger.complete = _all_weighed(ledger)
    # A first portion that nothing has been done to yet is not a finding of what went in.
    first = {name.casefold() for step in run.procedure.steps if not step.takes for name in step.gives}
    counted = [p for p in counted_ends(ledger) if p.name.casefold() not in first]
    if not counted or ledger.sample.value <= 0:
        return
    ledger.found = total(p.whole for p in counted)
    ledger.parts = {p.name: p.whole / ledger.sample for p in counted}
    if any(_holds_little(one.substance) for one in ledger.substances if one.substance.role == "sample"):
        return
    ledger.closure = ledger.found / ledger.sample
    ledger.missing = ledger.sample - ledger.found
    sums = " + ".join(shown(p.whole) for p in counted)
    ledger.working = [
        WorkingLine("Recovered", f"{sums} g = {shown_with_u(ledger.found)} g" if len(counted) > 1 else f"{sums} g"),
        WorkingLine(
            "Mass balance" if ledger.complete else "Recovered so far",
            f"{shown(ledger.found)} ÷ {shown(ledger.sample)} g = {shown_with_u(ledger.closure * 100)} %",
        ),
        WorkingLine(
            "Unaccounted for", f"{shown(ledger.sample)} − {shown(ledger.found)} g = {shown_with_u(ledger.missing)} g"
        ),
    ]


def _all_weighed(ledger: Ledger) -> bool:
    """Whether every product has a mass of its own; where none is called a product, everything that is no waste."""
    ends = [ledger.portions[name.casefold()] for name in ledger.ends if name.casefold() in ledger.portions]
    wanted = [p for p in ends if p.said.end == "product"] or [p for p in ends if p.said.end != "waste"]
    return bool(wanted) and all(p.mass is not None and p.basis != "borrowed" for p in wanted)


def _holds_little(sample: Substance) -> bool:
    """Whether most of a sample is something that nobody weighs again: leaves, the water of a pond.

    What is found of it is a part; a mass balance would say that nearly all was lost.
    """
    return sample.fraction < 0.5 or (
        sample.amount is not None and sample.amount.unit == "mL" and sample.layer == "aqueous"
    )


def known_total(numbers: Iterable[Measured | None]) -> Measured | None:
    """The sum; None where there is nothing, or where one of them is not known."""
    every = list(numbers)
    known = [number for number in every if number is not None]
    return total(known) if known and len(known) == len(every) else None


def _amount_in(one: SubstanceTaken, component: Component) -> Measured | None:
    """mol of a component in what was taken; None where its amount or formula is not known."""
    holds = units(one.formula, component.carrier) if one.formula else 0
    return one.amount * holds if one.amount is not None and holds else None


def _found_in(
    portion: PortionMass, formula: str, component: Component, ledger: Ledger, working: list[WorkingLine]
) -> Measured | None:
    """mol of a component in a portion at the end; its arithmetic goes to the working."""
    holds = units(formula, component.carrier) if formula else 0
    if not holds:
        return None
    amount = portion.whole * (holds / molar_mass(formula))
    if ledger.reacts:
        per = f" × {holds}" if holds > 1 else ""
        working.append(
            WorkingLine(
                f"{component.name} in {portion.name}, as {readable(formula)}",
                f"{shown(portion.whole)} g ÷ {round_to(molar_mass(formula), 2)} g/mol{per} = {shown(amount)} mol",
            )
        )
    return amount


def component_account(component: Component, run: Run, ledger: Ledger) -> ComponentAccount:
    """One component, taken against found (Ledger 4); in g alone where no formula is known."""
    brought = [one for one in ledger.substances if same(one.substance.component, component.name)]
    working = [line for one in brought if one.amount is not None for line in one.working[-1:]]
    taken_g = known_total(one.mass * one.substance.fraction if one.mass is not None else None for one in brought)
    taken_mol = known_total(_amount_in(one, component) for one in brought)
    holders = [p for p in counted_ends(ledger) if same(p.said.component, component.name) and p.basis != "taken"]
    usual = brought[0].formula if brought else ""
    found_g = known_total(p.whole for p in holders)
    found_mol = known_total(_found_in(p, p.said.formula or usual, component, ledger, working) for p in holders)
    recovery = None
    found, taken, unit = (found_mol, taken_mol, "mol") if ledger.reacts else (found_g, taken_g, "g")
    if found is not None and taken is not None and taken.value > 0:
        recovery = found / taken
        arithmetic = f"{shown(found)} ÷ {shown(taken)} {unit} = {shown_with_u(recovery * 100)} %"
        working.append(WorkingLine(f"Recovery of {component.name}", arithmetic))
    contents = tuple(_contents(component, holders, run, ledger, working)) if component.expressed else ()
    return ComponentAccount(
        component,
        taken_mol,
        found_mol,
        taken_g,
        found_g,
        tuple(p.name for p in holders),
        recovery,
        tuple(working),
        contents,
    )


def _contents(
    component: Component,
    holders: Sequence[PortionMass],
    run: Run,
    ledger: Ledger,
    working: list[WorkingLine],
) -> Iterable[tuple[str, Measured]]:
    """What part of its sample each portion stands for, as a gravimetric determination (Gravimetry 1)."""
    for portion in holders:
        names = {name.casefold() for step in run.procedure.made_by(portion.name) for name in step.adds}
        samples = [
            one.mass
            for one in ledger.substances
            if one.substance.role == "sample" and one.substance.name.casefold() in names
        ]
        if not portion.said.formula or not samples or any(mass is None or mass.value <= 0 for mass in samples):
            continue
        sample = total(mass for mass in samples if mass is not None)
        try:
            factor_ = factor(component.expressed, portion.said.formula, component.carrier)
        except Unreadable:
            continue  # said at planning time: the two share no element
        part = content(portion.whole, factor_, sample)
        working.append(factor_working(component.expressed, portion.said.formula, component.carrier))
        working.append(
            WorkingLine(
                f"{readable(component.expressed)} in the sample, by {portion.name}",
                f"{shown(portion.whole)} g × {round_to(factor_, 4)} ÷ {shown(sample)} g = {shown_with_u(part * 100)} %",
            )
        )
        yield portion.name, part


def _supplied(equation: Equation, ledger: Ledger) -> dict[str, tuple[Measured, SubstanceTaken]]:
    """Reactant → mol of it that was brought, and the first substance that brought it."""
    found: dict[str, tuple[Measured, SubstanceTaken]] = {}
    for formula in equation.left:
        known = [
            (one, one.amount * holds)
            for one in ledger.substances
            if one.formula and one.amount is not None and one.substance.role in ("sample", "reagent")
            if (holds := supplies(one.formula, formula))
        ]
        if known:
            found[formula] = total(amount for _, amount in known), known[0][0]
    return found


def _yield_working(limiting: str, outcome: Outcome, formula: str, made: int, one: Yield) -> Iterable[WorkingLine]:
    """The arithmetic of one product."""
    possible = shown(outcome.made[formula])
    yield WorkingLine(
        f"Limiting: {limiting}",
        f"{shown(outcome.extent)} mol of {readable(formula)} theoretical"
        if made == 1
        else f"{shown(outcome.extent)} mol × {made} = {possible} mol theoretical",
    )
    per_mol = round_to(molar_mass(formula), 2)
    theoretical = f"{possible} mol × {per_mol} g/mol = {shown_with_u(one.theoretical)} g"
    yield WorkingLine(f"Theoretical yield of {one.portion}", theoretical)
    if one.obtained is not None and one.percent is not None:
        percent = f"{shown(one.obtained)} ÷ {shown(one.theoretical)} g = {shown_with_u(one.percent * 100)} %"
        yield WorkingLine("Percent yield", percent)


def yields_of(procedure: Procedure, equation: Equation, ledger: Ledger) -> Iterable[Yield]:
    """Percent yield of each product portion: the limiting reagent from what was really taken."""
    supplied = _supplied(equation, ledger)
    amounts = {formula: amount for formula, (amount, _) in supplied.items()}
    if not amounts or any(amount.value <= 0 for amount in amounts.values()):
        return
    # Where a sample's content is what is sought, its reagent is in excess and says nothing of the most possible.
    if len(amounts) < len(equation.left) and any(component.expressed for component in procedure.components):
        return
    outcome = react(equation, amounts)
    least = supplied[outcome.limiting][1]
    excess = tuple((supplied[formula][1].substance.name, part) for formula, part in outcome.excess.items())
    for portion in ledger.portions.values():
        formula = plain(portion.said.formula) if portion.said.formula else ""
        made = equation.right.get(formula)
        if not made or portion.said.end == "waste":
            continue
        theoretical = outcome.mass(formula)
        weighed = portion.mass is not None and portion.basis not in ("borrowed", "taken")
        obtained = portion.whole if weighed else None
        percent = obtained / theoretical if obtained is not None and theoretical.value > 0 else None
        name = least.substance.name
        bare = Yield(portion.name, formula, name, outcome.limiting, theoretical, obtained, percent, excess, ())
        yield replace(bare, working=tuple(_yield_working(least.instead or name, outcome, formula, made, bare)))
