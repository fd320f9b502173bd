"""What the record gives for a question: the sum with the bench's own readings, other bases, possible mistakes.

Truth 1. The sum is put together from the readings, never from rounded results. Where the ledger has the same
         number, both agree; a test holds them together.
Truth 2. Another basis is not a mistake: a recovery in mol or in grams of the same form, a part of what was found
         again, another place of the spot, the tare as it was read first.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace

from helvor.core.engine.run.account import Ledger, PortionMass, SubstanceTaken
from helvor.core.engine.run.work_out import RunWorksheet
from helvor.core.quantities.formula import Equation, molar_mass, parse_equation, plain, supplies, units
from helvor.core.quantities.measured import Measured, decimals_for
from helvor.core.quantities.reading import Unreadable
from helvor.core.record.procedure import Procedure, Substance, same
from helvor.core.review.common_mistakes import Mistake, mistake
from helvor.core.review.questions import Question, eluent_parts
from helvor.core.review.quotient import Factor, Quotient, Term, one
from helvor.core.review.true_masses import (
    Truth,
    coefficient_of,
    mass_found,
    mass_taken,
    molar_of,
    percent_decimals,
    put_terms,
    right_answer,
)
from helvor.core.techniques.planar.parameters import Developing
from helvor.core.techniques.planar.results import PlateWorksheet, SpotResult

# ── masses ──────────────────────────────────────────────────────────────────────────────────────


# ── molar masses ────────────────────────────────────────────────────────────────────────────────


# ── amounts in mol ──────────────────────────────────────────────────────────────────────────────


def _as_wanted(substance: Substance) -> SubstanceTaken | None:
    """What the procedure wants, as if it had been taken; None without an amount."""
    if substance.amount is None:
        return None
    amount = Measured(substance.amount.value, {}, substance.amount.decimals)
    in_g = substance.amount.unit == "g"
    by_density = amount * substance.density if substance.density else None
    mass, volume = (amount, None) if in_g else (by_density, amount)
    return SubstanceTaken(substance, (), mass, None, volume, substance.formula, "", False, ())


_Moles = tuple[list[Factor], list[Factor], float, list[Mistake], float]


def _moles_by_volume(substance: Substance, volume: Measured, bottle: float | None) -> _Moles:
    """mol of a solution: its volume times the bottle's or the nominal concentration."""
    name, molar = substance.name, substance.molar
    strength = bottle or molar or 0.0
    mistakes = [mistake("ml-not-l", lambda q: replace(q, times=q.times * 1000), "litres")]
    mistakes += _target_of(substance, volume.value)
    if bottle and molar and abs(bottle - molar) > 1e-9:
        put = put_terms(f"molar {name}", [Term(f"molar {name}", molar, 1.0, 4)])
        mistakes.append(mistake("target", put, f"molar {name}", detail="nominal concentration"))
    top = [one(f"taken {name}", volume.value, volume.decimals or 2), one(f"molar {name}", strength, 4)]
    return top, [], 0.001, mistakes, volume.value * strength * 0.001


def _moles_factors(substance: Substance, taken: SubstanceTaken | None) -> _Moles | None:
    """mol of a substance as top, under, times; its mistakes; and the number itself.

    With *taken* what went in, without it what the procedure wants.
    """
    formula = taken.formula if taken is not None else substance.formula
    went_in = taken if taken is not None else _as_wanted(substance)
    if not formula or went_in is None:
        return None
    bottle = next((on.taken.bottle.molar for on in went_in.readings if on.taken.bottle is not None), None)
    if (substance.molar or bottle) and went_in.volume is not None:
        return _moles_by_volume(substance, went_in.volume, bottle)
    mass = mass_taken(f"taken {substance.name}", [went_in])
    if mass is None:
        return None
    molar_factor, molar_slips = molar_of(f"M {substance.name}", formula)
    value = mass[0].value / molar_factor.value
    return [mass[0]], [molar_factor], 1.0, [*mass[1], *molar_slips], value


def _target_of(substance: Substance, value: float) -> list[Mistake]:
    if substance.amount is None or abs(substance.amount.value - value) < 1e-12:
        return []
    where = f"taken {substance.name}"
    term = Term(where, substance.amount.value, 1.0, substance.amount.decimals)
    return [mistake("target", put_terms(where, [term]), where)]


def _moles(substance: Substance, taken: SubstanceTaken | None) -> Truth | None:
    parts = _moles_factors(substance, taken)
    if parts is None:
        return None
    top, under, times, mistakes, value = parts
    return right_answer(Quotient(tuple(top), tuple(under), times), mistakes, decimals_for(value / 1000))


# ── what an equation makes possible ─────────────────────────────────────────────────────────────


@dataclass(frozen=True, slots=True)
class _Way:
    """A reagent as what limits: how much of a product its amount allows."""

    name: str
    taken_g: Factor | None
    top: tuple[Factor, ...]
    under: tuple[Factor, ...]
    times: float
    mistakes: tuple[Mistake, ...]
    mol: float

    def __call__(self) -> Quotient:
        return Quotient(self.top, self.under, self.times)


def _ways(procedure: Procedure, equation: Equation, product: str, ledger: Ledger | None) -> list[_Way]:
    """Most of a product from each reagent, the least first."""
    made = plain(product)
    found = []
    for formula, count in equation.left.items():
        bring = [s for s in procedure.substances if s.formula and s.role in ("sample", "reagent")]
        if sum(supplies(s.formula, formula) > 0 for s in bring) > 1:
            return []  # side by side or from two bottles: no one sum that a bench would write
        for substance in bring:
            taken = ledger.taken(substance.name) if ledger is not None else None
            if ledger is not None and (taken is None or taken.amount is None):
                continue
            used = taken.formula if taken is not None else substance.formula
            holds = supplies(used, formula) if used else 0
            parts = _moles_factors(substance, taken) if holds else None
            if parts is None:
                continue
            top, under, times, mistakes, mol = parts
            molar, molar_slips = molar_of("M product", product)
            ratio_top, ratio_under = holds * equation.right[made], count
            ratio: tuple[Factor, ...] = ()
            below: tuple[Factor, ...] = ()
            more = list(molar_slips)
            if ratio_top != ratio_under:
                ratio, below = (one("ratio made", ratio_top, 0),), (one("ratio used", ratio_under, 0),)
                more.append(mistake("ratio-ignored", lambda q: q.without("ratio made").without("ratio used"), "ratio"))
                more.append(mistake("ratio-inverted", _ratio_inverted(ratio_top, ratio_under), "ratio"))
            in_g = next((f for f in top if under and f.name.startswith("taken ")), None)
            found.append(
                _Way(
                    substance.name,
                    in_g,
                    (*top, *ratio, molar),
                    (*under, *below),
                    times,
                    (*mistakes, *more),
                    mol * ratio_top / ratio_under,
                )
            )
            break
    return sorted(found, key=lambda way: way.mol)


def _ratio_inverted(made: int, used: int) -> Callable[[Quotient], Quotient]:
    return lambda q: q.changed("ratio made", lambda f: one("ratio made", used, 0)).changed(
        "ratio used", lambda f: one("ratio used", made, 0)
    )


def _ways_of(procedure: Procedure, portion: str, ledger: Ledger | None) -> list[_Way]:
    formula = procedure.portion(portion).formula
    try:
        equation = parse_equation(procedure.equation)
    except Unreadable:
        return []
    return _ways(procedure, equation, formula, ledger) if plain(formula) in equation.right else []


def _most(ways: Sequence[_Way]) -> Truth | None:
    if not ways:
        return None
    least = ways[0]()
    value = least.value or 0.0
    mistakes = list(ways[0].mistakes)
    everywhere = tuple(f.name for f in least.factors)
    for other in ways[1:]:
        mistakes.append(mistake("excess", lambda q, w=other: w(), *everywhere, "litres", "ratio", detail=other.name))  # type: ignore[misc]
    return right_answer(least, mistakes, decimals_for(value / 1000))


def _yield(procedure: Procedure, portion: PortionMass, ledger: Ledger) -> Truth | None:
    """100 × obtained ÷ most possible; the sum of the most stands upside down in it."""
    ways = _ways_of(procedure, portion.name, ledger)
    if not ways or portion.mass is None or portion.basis in ("borrowed", "taken"):
        return None
    obtained, mistakes, decimals = mass_found("obtained", [portion])

    def over(way: _Way) -> Quotient:
        return Quotient((obtained, *way.under), way.top, 100 / way.times)

    quotient = over(ways[0])
    everything = tuple(f.name for f in quotient.factors if f.name != "obtained")
    changed = [replace(s, does=_times_turned) if s.key == "ml-not-l" else s for s in ways[0].mistakes]
    for other in ways[1:]:
        changed.append(
            mistake(
                "excess",
                lambda q, w=other: replace(over(w), top=(*(f for f in q.top if f.name == "obtained"), *w.under)),  # type: ignore[misc]
                *everything,
                "litres",
                "ratio",
                detail=other.name,
            )
        )
    samples = [w.taken_g for w in ways if w.taken_g is not None]
    for mass in samples[:1]:
        changed.append(
            mistake(
                "on-sample",
                lambda q, m=mass: Quotient(tuple(f for f in q.top if f.name == "obtained"), (m,), 100.0),  # type: ignore[misc]
                *everything,
                "litres",
                "ratio",
            )
        )
    truth = right_answer(quotient, [*mistakes, *changed], 1)
    if truth is None:
        return None
    # What is turned upside down is obtained over possible, whatever it is multiplied with on the way.
    turned = mistake("inverted", lambda q: replace(q.inverted(), times=1e4 / q.times), "outcome")
    percent = mistake("percent", lambda q: replace(q, times=q.times / 100), "times")
    kept = [s for s in truth.mistakes if s.key not in ("inverted", "percent")]
    return replace(truth, mistakes=(*kept, turned, percent), decimals=percent_decimals(portion.mass, decimals))


def _times_turned(quotient: Quotient) -> Quotient:
    return replace(quotient, times=quotient.times / 1000)


# ── the questions one by one ────────────────────────────────────────────────────────────────────


def before(question: Question, procedure: Procedure) -> Truth | None:
    """What the procedure gives for a question asked before the lab."""
    substance = procedure.substance(question.about)
    match question.sort:
        case "moles" if substance is not None:
            return _moles(substance, None)
        case "solid" if substance is not None and substance.molar and substance.amount:
            molar, mistakes = molar_of("M", substance.formula)
            volume = one("volume", substance.amount.value, substance.amount.decimals)
            quotient = Quotient((volume, one("molar", substance.molar, 3), molar), (), 0.001)
            mistakes.append(mistake("ml-not-l", lambda q: replace(q, times=1.0), "litres"))
            mistakes.append(mistake("reagent-form", lambda q: q.without("M"), "M"))
            return right_answer(quotient, mistakes, decimals_for((quotient.value or 1.0) / 100))
        case "theoretical":
            return _most(_ways_of(procedure, question.about, None))
        case "limiting":
            return _limiting(_ways_of(procedure, question.about, None))
        case "eluent":
            return _eluent(question, procedure)
    return None


def _limiting(ways: Sequence[_Way]) -> Truth | None:
    if len(ways) < 2:
        return None
    return Truth(None, choice=ways[0].name, wrong_choices=tuple((w.name, "excess") for w in ways[1:]))


def _eluent(question: Question, procedure: Procedure) -> Truth | None:
    number = int(question.key.split()[1])
    if not 1 <= number <= len(procedure.steps):
        return None
    stands_in = Developing.of(procedure.steps[number - 1])
    parts = eluent_parts(stands_in.eluent)
    mine = next((part for name, part in parts if name == question.about), None)
    if mine is None or not stands_in.eluent_volume:
        return None
    whole = sum(part for _, part in parts)
    quotient = Quotient((one("whole", stands_in.eluent_volume, 1), one("part", mine, 1)), (one("parts", whole, 1),))
    mistakes = [
        mistake("parts", lambda q, p=part: q.changed("part", lambda f: one("part", p, 1)), "part", detail=name)  # type: ignore[misc]
        for name, part in parts
        if name != question.about
    ]
    return right_answer(quotient, mistakes, 2)


def after(question: Question, sheet: RunWorksheet) -> Truth | None:
    """What the record of a run gives for a question; None while readings are missing."""
    ledger, procedure = sheet.ledger, sheet.run.procedure
    match question.sort:
        case "net":
            return _net_truth(ledger.portion(question.about))
        case "moles":
            taken = ledger.taken(question.about)
            if taken is None or taken.amount is None:
                return None
            truth = _moles(taken.substance, taken)
            return replace(truth, decimals=decimals_for(taken.amount.u)) if truth else None
        case "theoretical":
            return _most(_ways_of(procedure, question.about, ledger))
        case "yield":
            portion = ledger.portion(question.about)
            return _yield(procedure, portion, ledger) if portion is not None else None
        case "recovery":
            return _recovery(question.about, sheet)
        case "content":
            return _content(question.about, sheet)
        case "part" | "closure":
            return _of_the_sample(question, sheet)
    return None


def _net_truth(portion: PortionMass | None) -> Truth | None:
    if portion is None or portion.mass is None or not portion.counted:
        return None
    found, mistakes, decimals = mass_found("net", [replace_scale(portion)])
    step = max(net.on.weighed.step_g for net in portion.counted)
    bases: list[tuple[str, float | None]] = []
    if portion.scale != 1.0:
        bases.append(("for the whole, not the aliquot", portion.whole.value))
    bases += _other_tares(portion)
    return right_answer(Quotient((found,)), mistakes, decimals, bases, step)


def replace_scale(portion: PortionMass) -> PortionMass:
    """The portion as it was weighed, without what an aliquot is multiplied with."""
    return replace(portion, scale=1.0)


def _other_tares(portion: PortionMass) -> list[tuple[str, float | None]]:
    """The net with the tare as it was read first or last, and without the blank's change."""
    if len(portion.counted) != 1:
        return []
    net = portion.counted[0]
    tare = net.tare
    if tare is None or tare.mass is None:
        return []
    gross = net.on.weighed.mass.value
    found: list[tuple[str, float | None]] = []
    if tare.blank is not None and tare.in_the_oven is not tare.mass:
        found.append(("without the blank's change", gross - tare.mass.value))
    pans = {on.weighed.pan for on in tare.readings}
    if len(pans) == 1 and len(tare.readings) > 1:
        ordered = sorted(tare.readings, key=lambda on: on.entry.at)
        found.append(("with the first tare", gross - ordered[0].weighed.mass.value))
        found.append(("with the last tare", gross - ordered[-1].weighed.mass.value))
    return found


def _recovery(name: str, sheet: RunWorksheet) -> Truth | None:
    ledger = sheet.ledger
    account = next((a for a in ledger.components if same(a.component.name, name)), None)
    if account is None or account.recovery is None:
        return None
    holders = [p for key in account.portions if (p := ledger.portion(key)) is not None]
    brought = [one_ for one_ in ledger.substances if same(one_.substance.component, name)]
    found, mistakes, _ = mass_found("found", holders)
    taken = mass_taken("taken", brought)
    if taken is None:
        return None
    mistakes += taken[1]
    if len(brought) == 1:
        mistakes += _as_if_pure(brought[0])
    # The whole mixture in the place of this one's part of it.
    samples = [one_ for one_ in ledger.substances if one_.substance.role == "sample"]
    whole = mass_taken("taken", samples) if len(samples) > len(brought) else None
    if whole is not None:
        mistakes.append(
            mistake("whole-mixture", _factor_put("taken", whole[0]), *(t.name for t in taken[0].terms), "pure")
        )
    top, under = [found], [taken[0]]
    if ledger.reacts and account.found is not None and account.taken is not None:
        forms = {p.said.formula or brought[0].formula for p in holders}
        if len(forms) != 1 or len(brought) != 1 or not brought[0].formula:
            return None
        as_mol = _in_mol(forms.pop(), brought[0].formula, account.component.carrier)
        top, under = [*top, *as_mol[0]], [*under, *as_mol[1]]
        mistakes += as_mol[2]
    quotient = Quotient(tuple(top), tuple(under), 100.0)
    return right_answer(quotient, mistakes, _percent_decimals_of(account.recovery), [])


def _in_mol(found: str, taken: str, carrier: str) -> tuple[list[Factor], list[Factor], list[Mistake]]:
    """What turns a recovery of grams into one of mol: factors above and below, and what goes wrong with them.

    Args:
        found, taken: formulas of what was weighed out and of what was weighed in; carrier: the element followed.
    """
    molar_found, mistakes = molar_of("M found", found)
    molar_taken, taken_slips = molar_of("M taken", taken)
    top, under = [molar_taken], [molar_found]
    mistakes = [*mistakes, *taken_slips]
    if plain(found) != plain(taken):
        mistakes.append(mistake("form", lambda q: q.without("M found").without("M taken"), "M found", "M taken"))
    n_found, n_taken = units(found, carrier), units(taken, carrier)
    if n_found != n_taken:
        top.append(one("ratio made", n_found, 0))
        under.append(one("ratio used", n_taken, 0))
        mistakes.append(mistake("ratio-ignored", lambda q: q.without("ratio made").without("ratio used"), "ratio"))
        mistakes.append(mistake("ratio-inverted", _ratio_inverted(n_found, n_taken), "ratio"))
    return top, under, mistakes


def _as_if_pure(taken: SubstanceTaken) -> list[Mistake]:
    """A mixture's whole mass where only a part of it is the component."""
    substance = taken.substance
    if substance.fraction >= 1.0:
        return []
    term = f"taken {substance.name}"
    return [
        mistake(
            "whole-mixture", coefficient_of("taken", term, (substance.density or 1.0) if taken.volume else 1.0), "pure"
        )
    ]


def _factor_put(where: str, factor: Factor) -> Callable[[Quotient], Quotient]:
    return lambda q: q.changed(where, lambda f: factor)


def _percent_decimals_of(part: Measured) -> int:
    return max(1, decimals_for(100 * part.u, most=2))


def _content(name: str, sheet: RunWorksheet) -> Truth | None:
    ledger = sheet.ledger
    account = next((a for a in ledger.components if any(same(portion, name) for portion, _ in a.contents)), None)
    portion = ledger.portion(name)
    if account is None or portion is None or portion.mass is None:
        return None
    part = next(part for said, part in account.contents if same(said, name))
    names = {added.casefold() for step in sheet.run.procedure.made_by(name) for added in step.adds}
    samples = [s for s in ledger.substances if s.substance.role == "sample" and s.substance.name.casefold() in names]
    taken = mass_taken(
        "taken", [replace(s, substance=s.substance.model_copy(update={"fraction": 1.0})) for s in samples]
    )
    if taken is None:
        return None
    found, mistakes, _ = mass_found("found", [portion])
    sought, weighed = account.component.expressed, portion.said.formula
    carrier = account.component.carrier
    molar_sought, _ = molar_of("M sought", sought)
    molar_weighed, weighed_slips = molar_of("M weighed", weighed)
    top, under = [found, molar_sought], [molar_weighed, taken[0]]
    n_weighed, n_sought = units(weighed, carrier), units(sought, carrier)
    mistakes += [*taken[1], *weighed_slips]
    bare = plain(sought).split(".")[0]
    if bare != plain(sought):
        mistakes.append(
            mistake(
                "hydrate", lambda q: q.changed("M sought", lambda f: one("M sought", molar_mass(bare), 2)), "M sought"
            )
        )
    mistakes.append(mistake("factor", lambda q: q.without("M sought").without("M weighed"), "M sought", "M weighed"))
    mistakes.append(
        mistake("factor-inverted", _factor_turned(molar_mass(sought), molar_mass(weighed)), "M sought", "M weighed")
    )
    if n_weighed != n_sought:
        top.append(one("ratio made", n_weighed, 0))
        under.append(one("ratio used", n_sought, 0))
        mistakes.append(mistake("ratio-ignored", lambda q: q.without("ratio made").without("ratio used"), "ratio"))
        mistakes.append(mistake("ratio-inverted", _ratio_inverted(n_weighed, n_sought), "ratio"))
    mean = account.mean_content
    bases = (
        [("the mean of the determinations", 100 * mean.value)] if mean is not None and len(account.contents) > 1 else []
    )
    return right_answer(Quotient(tuple(top), tuple(under), 100.0), mistakes, _percent_decimals_of(part), bases)


def _factor_turned(sought: float, weighed: float) -> Callable[[Quotient], Quotient]:
    return lambda q: q.changed("M sought", lambda f: one("M sought", weighed, 2)).changed(
        "M weighed", lambda f: one("M weighed", sought, 2)
    )


def _of_the_sample(question: Question, sheet: RunWorksheet) -> Truth | None:
    """A portion, or all of them together, over the sample taken."""
    ledger = sheet.ledger
    parts = {key.casefold(): part for key, part in ledger.parts.items()}
    if ledger.sample is None or not parts:
        return None
    if question.sort == "closure" and not ledger.complete:
        return None
    names = list(parts) if question.sort == "closure" else [question.about.casefold()]
    portions = [p for name in names if (p := ledger.portion(name)) is not None and p.mass is not None]
    number = ledger.closure if question.sort == "closure" else parts.get(question.about.casefold())
    if not portions or number is None:
        return None
    samples = [s for s in ledger.substances if s.substance.role == "sample"]
    taken = mass_taken(
        "taken", [replace(s, substance=s.substance.model_copy(update={"fraction": 1.0})) for s in samples]
    )
    if taken is None:
        return None
    found, mistakes, _ = mass_found("found", portions)
    bases: list[tuple[str, float | None]] = []
    if question.sort == "part" and ledger.found is not None and ledger.found.value > 0:
        bases.append(("of the total recovered", 100 * number.value * ledger.sample.value / ledger.found.value))
    quotient = Quotient((found,), (taken[0],), 100.0)
    return right_answer(quotient, [*mistakes, *taken[1]], _percent_decimals_of(number), bases)


def of_spot(spot: SpotResult, sheet: PlateWorksheet) -> Truth | None:
    """The Rf of a spot, with the usual ways of measuring it wrongly."""
    if spot.front is None or spot.rf is None:
        return None
    set_up = sheet.plate.set_up
    s, f = one("spot", spot.at, 1), one("front", spot.front.distance, 1)
    mistakes: list[Mistake] = []
    if set_up is not None:
        origin, height = set_up.origin.value, set_up.height.value
        edge = Term("origin", origin, 1.0, 1)
        mistakes.append(
            mistake(
                "from-edge",
                lambda q: q.changed("spot", lambda x: replace(x, terms=(*x.terms, edge))).changed(
                    "front", lambda x: replace(x, terms=(*x.terms, edge))
                ),
                "edge",
            )
        )
        top = (Term("height", height, 1.0, 1), Term("below", origin, -1.0, 1))
        mistakes.append(
            mistake(
                "front-top",
                lambda q: q.changed(
                    "front", lambda x: replace(x, terms=(*top, *(t for t in x.terms if t.name == "origin")))
                ),
                "front",
            )
        )
    mark = spot.on.spot
    bases: list[tuple[str, float | None]] = [("as hRf", 100 * spot.rf.value)]
    over = spot.front.distance
    bases.append(("at the densest part", mark.distance.value / over))
    if mark.head is not None:
        bases.append(("at the leading edge", mark.head.value / over))
        if mark.tail is not None:
            bases.append(("in the middle of the outline", (mark.head.value + mark.tail.value) / 2 / over))
    others = [(what, value) for what, value in bases if value is not None and abs(value - spot.rf.value) > 1e-9]
    return right_answer(Quotient((s,), (f,)), mistakes, 2, others)
