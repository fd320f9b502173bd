"""Questions of a sheet, made from a procedure: before the lab, and after it.

Question 1. Before the lab only what the procedure says enters: amounts in mol, what can be made at most, which
            reagent limits, how much of a solid a solution takes, how an eluent is measured out.
Question 2. After it each product's net, amounts really taken in mol, recoveries, yields, contents, closure, and
            the Rf of each spot: from the bench's own readings.
Question 3. A tolerance is what two careful people may differ by: 0.01 in Rf, half a point of a per cent, one per
            cent of an amount, the last digit of a mass. Common practice, no source.
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from typing import Literal

from helvor.core.laws.planar.eluent import parse_eluent
from helvor.core.quantities.formula import Equation, parse_equation, plain, readable, supplies
from helvor.core.quantities.reading import Unreadable
from helvor.core.record.procedure import Procedure, Substance
from helvor.core.techniques.planar.parameters import Developing
from helvor.core.techniques.planar.results import PlateWorksheet, SpotResult

When = Literal["before", "after"]
Sort = Literal[
    "moles",
    "solid",
    "theoretical",
    "limiting",
    "eluent",
    "net",
    "recovery",
    "yield",
    "content",
    "part",
    "closure",
    "rf",
]


@dataclass(frozen=True, slots=True)
class Question:
    """A question: what is asked, in which unit, and how far from right is still right.

    Attributes:
        key: ``recovery benzocaine``: its sort and what it is about.
        label: short, for a table: *benzocaine recovered*.
        asks: the whole question.
        tolerance: in the unit; *relative* ones are a part of the right value.
        choices: words to choose among, where it is no number.
    """

    key: str
    sort: Sort
    about: str
    label: str
    asks: str
    unit: str
    when: When
    tolerance: float
    relative: bool = False
    choices: tuple[str, ...] = ()

    @property
    def tolerance_shown(self) -> float:
        """The tolerance as it is set and shown: a relative one in per cent of the right value."""
        return 100 * self.tolerance if self.relative else self.tolerance


def _relative(sort: Sort, about: str, key: str, label: str, asks: str, when: When) -> Question:
    """A question for an amount, right within one per cent of it (Question 3)."""
    unit = {"moles": "mol", "eluent": "mL"}.get(sort, "g")
    return Question(key, sort, about, label, asks, unit, when, 0.02 if sort == "eluent" else 0.01, relative=True)


def _percent(sort: Sort, about: str, label: str, asks: str) -> Question:
    """A question for a percentage of one's own readings, right within half a point."""
    return Question(f"{sort} {about}".strip(), sort, about, label, asks, "%", "after", 0.5)


def _amount_questions(substance: Substance, when: When) -> Iterator[Question]:
    if not substance.formula or substance.amount is None or substance.role not in ("sample", "reagent"):
        return
    of = f"{substance.amount} of {substance.name}" if when == "before" else f"the {substance.name} that you took"
    if substance.amount.unit == "g" or substance.molar or substance.density:
        name = substance.name
        key = f"{'moles' if when == 'after' else 'wanted moles'} {name}"
        yield _relative("moles", name, key, f"mol of {name}", f"How many moles is {of}?", when)


def before(procedure: Procedure) -> list[Question]:
    """What can be worked out from the procedure alone (Question 1)."""
    found = [*_of_amounts(procedure), *_of_products(procedure), *_of_eluents(procedure)]
    return list({question.key: question for question in found}.values())


def _of_amounts(procedure: Procedure) -> Iterator[Question]:
    """Amounts of the handout in mol, and the solid in a solution."""
    for substance in procedure.substances:
        name = substance.name
        if substance.exact or procedure.equation:
            yield from _amount_questions(substance, "before")
        by_volume = substance.amount is not None and substance.amount.unit == "mL"
        if substance.exact and substance.molar and substance.formula and by_volume:
            solid = readable(substance.formula)
            asks = f"How many g of {solid} does {substance.amount} of it contain at {substance.molar:g} mol/L?"
            yield _relative("solid", name, f"solid {name}", f"g in the {name}", asks, "before")


def _of_products(procedure: Procedure) -> Iterator[Question]:
    """What limits, and how much the amounts of the handout can give."""
    for portion, reagents in products(procedure):
        if len(reagents) > 1:
            asks, choices = "Which reagent is limiting?", tuple(reagents)
            yield Question(
                "limiting", "limiting", portion, "limiting reagent", asks, "", "before", 0.0, choices=choices
            )
        asks = f"What is the theoretical yield of {portion}, in g, from the amounts of the handout?"
        label = f"theoretical yield of {portion}"
        yield _relative("theoretical", portion, f"wanted most {portion}", label, asks, "before")


def _of_eluents(procedure: Procedure) -> Iterator[Question]:
    """How each eluent is measured out."""
    for number, step in enumerate(procedure.steps, start=1):
        stands_in = Developing.of(step)
        if not stands_in.eluent or not stands_in.eluent_volume:
            continue
        for name, _ in eluent_parts(stands_in.eluent):
            asks = f"How many mL of {name} does {stands_in.eluent_volume:g} mL of {stands_in.eluent} need?"
            key, label = f"eluent {number} {name}", f"mL of {name}, step {number}"
            yield _relative("eluent", name, key, label, asks, "before")


def eluent_parts(text: str) -> list[tuple[str, float]]:
    """The solvents of an eluent with their per cent by volume; empty where it is one solvent."""
    parts = [(str(part.name), part.percent) for part in parse_eluent(text).components]
    return parts if len(parts) > 1 else []


def _bringing(procedure: Procedure, equation: Equation) -> list[tuple[str, str]]:
    """Reactants of the equation with the substances that bring them in an amount that can be worked out."""
    countable = [
        substance
        for substance in procedure.substances
        if substance.amount
        and substance.formula
        and substance.role in ("sample", "reagent")
        and (substance.amount.unit == "g" or substance.molar or substance.density)
    ]
    return [(f, one.name) for f in equation.left for one in countable if supplies(one.formula, f)]


def products(procedure: Procedure) -> list[tuple[str, list[str]]]:
    """Product portions of the equation with the reagents whose amounts the procedure names; empty without one."""
    if not procedure.equation.strip():
        return []
    try:
        equation = parse_equation(procedure.equation)
    except Unreadable:
        return []
    bring = _bringing(procedure, equation)
    reagents = [name for _, name in bring]
    species = {formula for formula, _ in bring}
    # Where a content is sought, the reagent is in excess and says nothing of what is possible; and of two
    # substances that bring the same no single sum is asked.
    sought = len(species) < len(equation.left) and any(c.expressed for c in procedure.components)
    if not reagents or len(reagents) > len(species) or sought:
        return []
    made = [p.name for p in procedure.portions if p.formula and plain(p.formula) in equation.right and p.end != "waste"]
    return [(name, list(dict.fromkeys(reagents))) for name in made]


def after(procedure: Procedure) -> list[Question]:
    """What a bench works out of its own readings (Question 2)."""
    reacts = bool(procedure.equation.strip())
    found = list(_of_nets(procedure))
    for substance in procedure.substances:
        if substance.exact and (reacts or substance.component):
            found += _amount_questions(substance, "after")
    found += _of_components(procedure)
    for name, _ in products(procedure):
        asks = f"What is the theoretical yield of {name}, in g, from what you took?"
        found.append(_relative("theoretical", name, f"most {name}", f"theoretical yield of {name}", asks, "after"))
        found.append(_percent("yield", name, f"yield of {name}", f"What is your yield of {name}?"))
    if not reacts:
        found += _of_parts(procedure, {q.about.casefold() for q in found if q.sort == "recovery"})
    return found


def _of_nets(procedure: Procedure) -> Iterator[Question]:
    """The net of each product that is weighed."""
    weighed = {step.on.casefold() for step in procedure.steps if step.on and not step.empty}
    for portion in procedure.portions:
        name = portion.name
        if portion.end == "product" and not portion.by_loss and name.casefold() in weighed:
            asks = f"How many g of {name} did you obtain?"
            yield Question(f"net {name}", "net", name, f"net of {name}", asks, "g", "after", 0.0)


def _of_components(procedure: Procedure) -> Iterator[Question]:
    """Content or recovery of each component that is followed."""
    for component in procedure.components:
        name = component.name
        brought = any(s.component.casefold() == name.casefold() for s in procedure.substances)
        ends = [p.name for p in procedure.portions if p.component.casefold() == name.casefold()]
        if component.expressed:
            for portion in ends:
                asks = f"What percentage of the sample is {readable(component.expressed)}, from {portion}?"
                yield _percent("content", portion, f"{name} by {portion}", asks)
        elif brought and ends:
            yield _percent("recovery", name, f"{name} recovered", f"What percentage of the {name} did you recover?")


def _of_parts(procedure: Procedure, followed: set[str]) -> Iterator[Question]:
    """Each product's part of a sample that is only parted, and the mass balance."""
    parted = [p for p in procedure.portions if p.end == "product"]
    if len(parted) < 2 or not any(s.role == "sample" for s in procedure.substances):
        return
    for portion in parted:
        if not portion.component or portion.component.casefold() not in followed:
            name = portion.name
            yield _percent("part", name, f"{name} in the sample", f"What percentage of the sample is {name}?")
    yield _percent("closure", "", "mass balance", "What is the mass balance (total recovery), in %?")


def sheet_of(procedure: Procedure) -> list[Question]:
    """The whole sheet of a procedure."""
    return [*before(procedure), *after(procedure)]


_LABELS = (
    ("wanted moles ", "mol of {}"),
    ("moles ", "mol of {}"),
    ("solid ", "g in the {}"),
    ("wanted most ", "theoretical yield of {}"),
    ("most ", "theoretical yield of {}"),
    ("net ", "net {}"),
    ("content ", "content by {}"),
    ("recovery ", "{} recovered"),
    ("yield ", "yield of {}"),
    ("part ", "{} in the sample"),
)


def label_of(key: str) -> str:
    """What a question is called where only its key is known, as in the record of an answer.

    >>> label_of("wanted moles zinc"), label_of("eluent 3 heptane"), label_of("closure")
    ('mol of zinc', 'mL of heptane, step 3', 'mass balance')
    """
    for start, words in _LABELS:
        if key.startswith(start):
            return words.format(key.removeprefix(start))
    if key.startswith("eluent "):
        number, name = key.removeprefix("eluent ").split(" ", 1)
        return f"mL of {name}, step {number}"
    return {"limiting": "limiting reagent", "closure": "mass balance"}.get(key, "Rf" if key.startswith("rf ") else key)


EVERY_SPOT = Question("rf", "rf", "", "Rf of each spot", "What is the Rf of each spot?", "", "after", 0.01)
"""Stands for every spot of every plate: they are not known before the plates are run."""


def of_plate(sheet: PlateWorksheet) -> list[Question]:
    """The Rf of every spot of a plate."""
    return [
        Question(
            f"rf {spot.key}",
            "rf",
            spot.name,
            f"Rf {spot.name}",
            f"What is the Rf of spot {spot.name}{_of_what(spot)}?",
            "",
            "after",
            EVERY_SPOT.tolerance,
        )
        for spot in sheet.spots
    ]


def _of_what(spot: SpotResult) -> str:
    substance = spot.on.on.lane.substance
    return f" ({substance})" if substance else ""
