"""The mass ledger: every gram and every mole has a place, or is said to be missing.

Ledger 1. A net is a gross minus the tares of all that stood on the pan; a tare may be
          weighed before or after, together or one by one.
Ledger 2. Only what was weighed as it came or dried counts; a wet mass is shown, never used.
Ledger 3. Where matter is only parted, grams add up: closure is the found mass over the
          mass taken, and what is missing is a number.
Ledger 4. Where something reacts, or one thing has two forms, grams are shown but not added;
          each component is followed in mol through the formula it has in each place.
Ledger 5. What came from another bench is shown and left out of every sum.
Ledger 6. The order in which entries arrive changes nothing.
Ledger 7. Air-dry paper holds several per cent of water. A blank paper of the same kind, weighed
          before and after going the same way, tells how much one sheet loses, and the tare of
          every paper that was weighed air-dry is changed by that. Common practice.
"""

from __future__ import annotations

from datetime import datetime
from uuid import UUID

from helvor.core.engine.run.account import Ledger, PortionGraph, PortionMass
from helvor.core.engine.run.record import Run, WeighedOn
from helvor.core.engine.run.recovered import close_balance, component_account, known_total, yields_of
from helvor.core.engine.run.taken import substance_taken, substances_of
from helvor.core.engine.run.tares import Net, Scales
from helvor.core.laws.constant_mass import Constancy, Weighing, constancy
from helvor.core.quantities.formula import Equation, parse_equation, plain
from helvor.core.quantities.measured import shown, shown_with_u, total
from helvor.core.quantities.reading import Unreadable
from helvor.core.quantities.working import WorkingLine
from helvor.core.record.house_rules import HouseRules
from helvor.core.record.procedure import Portion, Procedure, Step, Substance, same


def build_ledger(run: Run, rules: HouseRules) -> Ledger:
    """Work the ledger out of a run."""
    scales = Scales(run)
    graph = PortionGraph(run.procedure)
    reacts, equation = _reacts(run.procedure)
    ledger = Ledger([], {}, [], reacts, equation=equation)
    _weigh_portions(run, rules, scales, ledger)
    ledger.substances = [substance_taken(substance, run, ledger, graph) for substance in substances_of(run)]
    _follow(run, graph, ledger)
    ledger.ends = graph.ends(ledger)
    if not reacts:
        close_balance(run, ledger)
    ledger.components = [component_account(component, run, ledger) for component in run.procedure.components]
    if equation is not None:
        ledger.yields = list(yields_of(run.procedure, equation, ledger))
    ledger.tares = scales.tares
    for pan in (*scales.empty, *(frozenset([label.casefold()]) for label in run.containers)):
        scales.tare(pan)
    return ledger


def _reacts(procedure: Procedure) -> tuple[bool, Equation | None]:
    """Whether amounts are followed in mol, and the equation if there is one that can be read."""
    equation = None
    if procedure.equation.strip():
        try:
            equation = parse_equation(procedure.equation)
        except Unreadable:
            equation = None  # said at planning time; the ledger goes on without it
    forms: dict[str, set[str]] = {}
    places: list[Substance | Portion] = [*procedure.substances, *procedure.portions]
    for part in places:
        if part.component and part.formula:
            forms.setdefault(part.component.casefold(), set()).add(plain(part.formula))
    return equation is not None or any(len(found) > 1 for found in forms.values()), equation


def _weigh_portions(run: Run, rules: HouseRules, scales: Scales, ledger: Ledger) -> None:
    rule = rules["constant-mass-limit"].key
    for name in run.portion_names:
        key = name.casefold()
        portion = PortionMass(name, run.procedure.portion(name))
        ledger.portions[key] = portion
        for on in scales.filled.get(key, []):
            portion.nets.append(_net(on, scales))
        portion.nets.sort(key=_in_order)
        if key in run.borrowed:
            portion.basis = "borrowed"
        _settle(portion, rule)


def _in_order(net: Net) -> tuple[int, datetime, UUID]:
    return net.on.weighed.round or 0, net.on.entry.happened, net.on.key


def _net(on: WeighedOn, scales: Scales) -> Net:
    weighed = on.weighed
    if weighed.way == "net":
        return Net(on, None, weighed.mass.value)
    tare = scales.tare(weighed.pan)
    if tare.mass is None:
        return Net(on, tare, None)
    used = tare.in_the_oven if weighed.state == "dried" else tare.mass
    return Net(on, tare, weighed.mass.value - used.value if used is not None else None)


def _settle(portion: PortionMass, rule: str) -> None:
    """Which of a portion's weighings count (Ledger 2)."""
    by_pan: dict[frozenset[str], list[Net]] = {}
    for net in portion.nets:
        by_pan.setdefault(net.on.weighed.pan, []).append(net)
    for state in ("dried", "as is"):
        counted = []
        for nets in by_pan.values():
            fitting = [net for net in nets if net.on.weighed.state == state and net.value is not None]
            if fitting:
                counted.append(fitting)
        if not counted:
            continue
        last = [nets[-1] for nets in counted]
        if portion.basis != "borrowed":
            portion.basis = "dried" if state == "dried" else "as is"
        portion.mass = total(net.net for net in last if net.net is not None)
        portion.estimated = any(
            net.on.weighed.estimated or (net.tare is not None and net.tare.how == "spare") for net in last
        )
        portion.counted = last
        if state == "dried":
            portion.constancy = _how_dry(max(counted, key=len), by_pan, rule)
        break
    wet = [net for net in portion.nets if net.on.weighed.state == "wet" and net.value is not None]
    portion.wet = wet[-1].net if wet else None


def _how_dry(series: list[Net], by_pan: dict[frozenset[str], list[Net]], rule: str) -> Constancy:
    """How far drying has come; what was put to dry weighed, as it came, what stands on the same pan before."""
    before = [net.value for net in by_pan[series[0].on.weighed.pan] if net.on.weighed.state == "as is"]
    weighings = [Weighing(n.value, n.on.weighed.step_g, n.on.entry.happened) for n in series if n.value is not None]
    return constancy(weighings, rule, before[0] if before else None)


def _follow(run: Run, graph: PortionGraph, ledger: Ledger) -> None:
    """Masses that no balance showed: first portions from what was taken, aliquots, and losses."""
    for name in graph.names:
        portion, step = ledger.portions[name.casefold()], graph.giver[name.casefold()]
        if portion.mass is None:
            _from_taken(portion, step, ledger)
        if portion.mass is None:
            _from_share(portion, step, ledger)
    # Backwards, because what a loss is taken from may itself be known only by now.
    for name in graph.names:
        portion = ledger.portions[name.casefold()]
        if portion.said.by_loss and portion.mass is None:
            _by_loss(name, portion, graph.giver[name.casefold()], ledger)
    for name in graph.names:
        ledger.portions[name.casefold()].scale = _scale(name, graph, ledger, frozenset())


def _from_taken(portion: PortionMass, step: Step, ledger: Ledger) -> None:
    """A first portion that was never weighed has the mass of the solids that it was made of."""
    if step.takes or len(step.gives) != 1 or portion.nets:
        return
    went_in = [ledger.taken(substance) for substance in step.adds]
    solid = known_total(one.mass for one in went_in if one is not None and one.substance.role in ("sample", "reagent"))
    if solid is not None:
        portion.mass, portion.basis = solid, "taken"


def _from_share(portion: PortionMass, step: Step, ledger: Ledger) -> None:
    """An aliquot has its share of the mass of what it was taken from."""
    if not portion.said.share:
        return
    parents = known_total(ledger.portions[t.casefold()].mass for t in step.takes if t.casefold() in ledger.portions)
    if parents is not None:
        portion.mass, portion.basis = parents * portion.said.share, "share"


def _by_loss(name: str, portion: PortionMass, step: Step, ledger: Ledger) -> None:
    sisters = [other for other in step.gives if not same(other, name)]
    before = [ledger.portion(other) for other in step.takes]
    after = [ledger.portion(other) for other in sisters]
    if not before or any(p is None or p.mass is None or p.basis == "borrowed" for p in (*before, *after)):
        return
    whole = total(p.mass for p in before if p and p.mass)
    left = total(p.mass for p in after if p and p.mass)
    portion.mass, portion.basis = whole - left, "by loss"
    portion.by_difference = WorkingLine(
        f"{name}, by difference", f"{shown(whole)} − {shown(left)} g = {shown_with_u(portion.mass)} g"
    )


def _scale(name: str, graph: PortionGraph, ledger: Ledger, seen: frozenset[str]) -> float:
    """How much the whole is of what a portion descends from, when only one aliquot was carried on."""
    key = name.casefold()
    step = graph.giver.get(key)
    if step is None or key in seen:
        return 1.0
    own = 1.0
    share = ledger.portions[key].said.share
    sisters = [other for other in step.gives if not same(other, name)]
    if share and not any(_weighed_below(sister, graph, ledger, frozenset()) for sister in sisters):
        own = 1 / share
    return own * max((_scale(parent, graph, ledger, seen | {key}) for parent in step.takes), default=1.0)


def _weighed_below(name: str, graph: PortionGraph, ledger: Ledger, seen: frozenset[str]) -> bool:
    key = name.casefold()
    if key in seen:
        return False
    portion = ledger.portions.get(key)
    if portion is not None and portion.basis in ("dried", "as is"):
        return True
    below = [given for step in graph.takers.get(key, []) for given in step.gives]
    return any(_weighed_below(given, graph, ledger, seen | {key}) for given in below)
