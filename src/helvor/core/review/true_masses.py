"""Right answers for masses: nets, what was taken and found, and what goes wrong with them."""

from __future__ import annotations

import re
from collections.abc import Callable, Iterable, Sequence
from dataclasses import dataclass, replace

from helvor.core.engine.run.account import PortionMass, SubstanceTaken
from helvor.core.engine.run.tares import Net
from helvor.core.quantities.formula import atoms, molar_mass, plain
from helvor.core.quantities.measured import Measured, decimals_for
from helvor.core.quantities.reading import Reading
from helvor.core.review.common_mistakes import Mistake, mistake, outcome_mistakes
from helvor.core.review.quotient import Factor, Quotient, Term, one

IONS = ("SO4", "CO3", "PO4", "C2O4", "CrO4", "NO3", "OH", "Cl", "Br", "I")
"""Groups whose mass is easily taken for that of their salt; the rest of the salt is the other ion."""
LIGHTEST_CATION = 6.5
"""Less than lithium is left of an acid, not of a salt, g/mol."""


@dataclass(frozen=True, slots=True)
class Truth:
    """What is right.

    Attributes:
        quotient: the sum, or None where a word is asked; choice: that word.
        decimals: that the readings allow.
        step: of the last digit of a net, the least that a tolerance can be, in the unit.
        bases: other legitimate values: what they rest on, and the number.
        mistakes: the mistakes that can be made in it; wrong_choices: word → the mistake it shows.
    """

    quotient: Quotient | None
    decimals: int = 6
    step: float = 0.0
    bases: tuple[tuple[str, float], ...] = ()
    mistakes: tuple[Mistake, ...] = ()
    choice: str = ""
    wrong_choices: tuple[tuple[str, str], ...] = ()

    @property
    def value(self) -> float | None:
        return self.quotient.value if self.quotient is not None else None


def right_answer(
    quotient: Quotient,
    mistakes: Iterable[Mistake],
    decimals: int,
    bases: Iterable[tuple[str, float | None]] = (),
    step: float = 0.0,
) -> Truth | None:
    """A right answer with the mistakes that come to another number; None where it cannot be worked out."""
    if quotient.value is None:
        return None
    known = tuple((what, value) for what, value in bases if value is not None)
    return Truth(quotient, decimals, step, known, (*mistakes, *outcome_mistakes(quotient)))


def _net_terms(name: str, net: Net, coefficient: float) -> list[Term]:
    """A weighing as its gross with every tare taken off by its own name."""
    weighed = net.on.weighed
    decimals = weighed.mass.decimals
    terms = [Term(f"{name} gross", weighed.mass.value, coefficient, decimals)]
    if net.tare is None or net.tare_used is None:
        return terms
    used = net.tare_used.value
    pans: dict[str, list[float]] = {}
    for on in net.tare.readings:
        pans.setdefault(on.weighed.name, []).append(on.weighed.mass.value)
    named_tares = {label: sum(masses) / len(masses) for label, masses in pans.items()}
    if not named_tares or net.tare.how == "spare" or abs(sum(named_tares.values()) - used) > 1e-9:
        # A tare that is not simply the sum of what was read: corrected by a blank, or from spare ones.
        return [*terms, Term(f"{name} tare {weighed.name}", used, -coefficient, max(decimals, 3))]
    return [*terms, *(Term(f"{name} tare {label}", m, -coefficient, decimals) for label, m in named_tares.items())]


def _mass_slips(where: str, portion: PortionMass) -> list[Mistake]:
    """What can go wrong with the mass of a portion inside the factor *where*."""
    found: list[Mistake] = []
    name = portion.name
    for net in portion.counted:
        for term in _net_terms(name, net, 1.0)[1:]:
            label = term.name.removeprefix(f"{name} tare ")
            key = "paper-tare" if "paper" in label.casefold() else "dish-tare"
            found.append(
                mistake(key, lambda q, t=term.name: q.without(where, t), term.name, detail=label)  # type: ignore[misc]
            )
    others = [net for net in portion.nets if net.on.weighed.state == "wet" and net.value is not None]
    if others and portion.counted:
        found.append(mistake("wet", _put_net(where, name, others[-1]), *_places(name, portion)))
    if len(portion.counted) == 1:
        last = portion.counted[0]
        earlier = [
            n
            for n in portion.nets
            if n is not last
            and n.on.weighed.state == last.on.weighed.state
            and n.on.weighed.pan == last.on.weighed.pan
            and n.value is not None
            and n.on.weighed.mass.value != last.on.weighed.mass.value
        ]
        found += [mistake("not-last", _put_net(where, name, net), f"{name} gross") for net in earlier]
    return found


def _places(name: str, portion: PortionMass) -> tuple[str, ...]:
    return tuple(dict.fromkeys(term.name for net in portion.counted for term in _net_terms(name, net, 1.0)))


def _put_net(where: str, name: str, net: Net) -> Callable[[Quotient], Quotient]:
    """Another weighing of a portion in the place of the one that counts."""

    def change(quotient: Quotient) -> Quotient:
        def put(factor: Factor) -> Factor:
            mine = [t for t in factor.terms if t.name.startswith((f"{name} gross", f"{name} tare "))]
            if not mine:
                return factor
            first = next(i for i, t in enumerate(factor.terms) if t in mine)
            coefficient = next((abs(t.coefficient) for t in mine), 1.0)
            rest = [t for t in factor.terms if t not in mine]
            return replace(factor, terms=(*rest[:first], *_net_terms(name, net, coefficient), *rest[first:]))

        return quotient.changed(where, put)

    return change


def mass_found(where: str, portions: Sequence[PortionMass]) -> tuple[Factor, list[Mistake], int]:
    """Masses of portions as one factor, what can go wrong in it, and the decimals that were read."""
    terms: list[Term] = []
    mistakes: list[Mistake] = []
    decimals = 0
    for portion in portions:
        assert portion.mass is not None
        scale = portion.scale
        if portion.counted:
            for net in portion.counted:
                terms += _net_terms(portion.name, net, scale)
                decimals = max(decimals, net.on.weighed.mass.decimals)
            mistakes += _mass_slips(where, portion)
        else:
            decimals = max(decimals, portion.mass.decimals or 3)
            terms.append(Term(f"{portion.name} gross", portion.mass.value, scale, portion.mass.decimals or 3))
        if scale != 1.0:
            mistakes.append(mistake("share", _unscaled(where, portion.name), "share"))
        if len(portions) > 1:
            mistakes.append(
                mistake(
                    "left-out",
                    _left_out(where, portion.name),
                    *(_places(portion.name, portion) or (portion.name,)),
                    detail=portion.name,
                )
            )
    return Factor(where, tuple(terms)), mistakes, decimals


def _of(term: Term, name: str) -> bool:
    return term.name.startswith((f"{name} gross", f"{name} tare "))


def _left_out(where: str, name: str) -> Callable[[Quotient], Quotient]:
    return lambda q: q.changed(where, lambda f: replace(f, terms=tuple(t for t in f.terms if not _of(t, name))))


def _unscaled(where: str, name: str) -> Callable[[Quotient], Quotient]:
    def own(factor: Factor) -> Factor:
        terms = (
            replace(t, coefficient=1.0 if t.coefficient > 0 else -1.0) if _of(t, name) else t for t in factor.terms
        )
        return replace(factor, terms=tuple(terms))

    return lambda q: q.changed(where, own)


def _decimals(amount: Reading | None) -> int:
    return amount.decimals if amount is not None else 3


def mass_taken(where: str, taken: Sequence[SubstanceTaken]) -> tuple[Factor, list[Mistake]] | None:
    """Masses taken as one factor, pure part and density put in; None where one is not known."""
    terms: list[Term] = []
    mistakes: list[Mistake] = []
    wanted: list[Term] = []
    for one_ in taken:
        substance = one_.substance
        if one_.mass is None:
            return None
        pure = substance.fraction
        by_volume = one_.volume is not None and substance.density is not None and not one_.readings_in_g
        if by_volume and one_.volume is not None and substance.density is not None:
            term = Term(
                f"taken {substance.name}", one_.volume.value, pure * substance.density, one_.volume.decimals or 2
            )
            mistakes.append(
                mistake(
                    "ml-as-g",
                    coefficient_of(where, term.name, pure),
                    f"density {substance.name}",
                    detail=substance.name,
                )
            )
        else:
            term = Term(f"taken {substance.name}", one_.mass.value, pure, one_.mass.decimals or 3)
        terms.append(term)
        target = substance.amount
        factor = pure * (substance.density or 1.0) if target is not None and target.unit == "mL" else pure
        wanted.append(Term(term.name, target.value, factor, _decimals(target)) if target is not None else term)
    if any(w.amount != t.amount for w, t in zip(wanted, terms, strict=True)):
        mistakes.append(mistake("target", put_terms(where, wanted), *(t.name for t in terms)))
    return Factor(where, tuple(terms)), mistakes


def put_terms(where: str, terms: Sequence[Term]) -> Callable[[Quotient], Quotient]:
    """Other numbers of the same names in their places."""
    by_name = {term.name: term for term in terms}
    return lambda q: q.changed(
        where, lambda f: replace(f, terms=tuple(by_name.get(term.name, term) for term in f.terms))
    )


def molar_of(where: str, formula: str) -> tuple[Factor, list[Mistake]]:
    """A molar mass as a factor, and how it is taken wrongly."""
    mistakes: list[Mistake] = []

    def put(value: float) -> Callable[[Quotient], Quotient]:
        return lambda q: q.changed(where, lambda f: one(where, value, 2))

    bare = plain(formula).split(".")[0]
    if bare != plain(formula):
        mistakes.append(mistake("hydrate", put(molar_mass(bare)), where))
    groups = [ion for ion in IONS if re.search(rf"{ion}(?![a-z\d])", bare) and bare != ion]
    for ion in groups[:1]:
        count = supplies_of(bare, ion)
        mistakes.append(mistake("ion", put(molar_mass(ion)), where, detail=ion))
        rest = molar_mass(bare) - count * molar_mass(ion)
        if rest > LIGHTEST_CATION:
            mistakes.append(mistake("ion", put(rest), where, detail=f"without {ion}"))
    return one(where, molar_mass(formula), 2), mistakes


def percent_decimals(mass: Measured, read: int) -> int:
    """Decimals of a per cent that a mass read to so many decimals allows; one at least is right."""
    return max(1, decimals_for(100 * max(mass.u, 10.0**-read) / max(mass.value, 1e-9), most=2))


def coefficient_of(where: str, term: str, value: float) -> Callable[[Quotient], Quotient]:
    """A mistake that takes another coefficient for a term of a factor."""
    return lambda q: q.changed(
        where,
        lambda f: replace(f, terms=tuple(replace(t, coefficient=value) if t.name == term else t for t in f.terms)),
    )


def supplies_of(salt: str, ion: str) -> int:
    """How many of a group a salt holds, by the group's first element.

    >>> supplies_of("Al2(SO4)3", "SO4"), supplies_of("CaCl2", "Cl")
    (3, 2)
    """
    element = re.match(r"[A-Z][a-z]?", ion)
    assert element is not None
    return atoms(salt).get(element.group(), 0) // atoms(ion)[element.group()]
