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
from helvor.core.quantities.formula import parse_equation, plain, readable, supplies
from helvor.core.quantities.reading import Unreadable
from helvor.core.record.procedure import Procedure, Substance
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


def _amount_questions(substance: Substance, when: When) -> Iterator[Question]:
    if not substance.formula or substance.amount is None or substance.role not in ("sample", "reagent"):
        return
    of = f"{substance.amount} of {substance.name}" if when == "before" else f"the {substance.name} that you took"
    if substance.amount.unit == "g" or substance.molar or substance.density:
        yield Question(
            f"{'moles' if when == 'after' else 'wanted moles'} {substance.name}",
            "moles",
            substance.name,
            f"mol of {substance.name}",
            f"How many moles is {of}?",
            "mol",
            when,
            0.01,
            relative=True,
        )


def before(procedure: Procedure) -> list[Question]:
    """What can be worked out from the procedure alone (Question 1)."""
    found: list[Question] = []
    for substance in procedure.substances:
        if substance.exact or procedure.equation:
            found += _amount_questions(substance, "before")
        by_volume = substance.amount is not None and substance.amount.unit == "mL"
        if substance.exact and substance.molar and substance.formula and by_volume:
            found.append(
                Question(
                    f"solid {substance.name}",
                    "solid",
                    substance.name,
                    f"g in the {substance.name}",
                    f"How many g of {readable(substance.formula)} does {substance.amount} of it contain "
                    f"at {substance.molar:g} mol/L?",
                    "g",
                    "before",
                    0.01,
                    relative=True,
                )
            )
    for portion, reagents in products(procedure):
        if len(reagents) > 1:
            found.append(
                Question(
                    "limiting",
                    "limiting",
                    portion,
                    "limiting reagent",
                    "Which reagent is limiting?",
                    "",
                    "before",
                    0.0,
                    choices=tuple(reagents),
                )
            )
        found.append(
            Question(
                f"wanted most {portion}",
                "theoretical",
                portion,
                f"theoretical yield of {portion}",
                f"What is the theoretical yield of {portion}, in g, from the amounts of the handout?",
                "g",
                "before",
                0.01,
                relative=True,
            )
        )
    for number, step in enumerate(procedure.steps, start=1):
        parts = eluent_parts(step.eluent) if step.eluent and step.eluent_volume else []
        for name, _ in parts:
            found.append(
                Question(
                    f"eluent {number} {name}",
                    "eluent",
                    name,
                    f"mL of {name}, step {number}",
                    f"How many mL of {name} does {step.eluent_volume:g} mL of {step.eluent} need?",
                    "mL",
                    "before",
                    0.02,
                    relative=True,
                )
            )
    return list({question.key: question for question in found}.values())


def eluent_parts(text: str) -> list[tuple[str, float]]:
    """The solvents of an eluent with their per cent by volume; empty where it is one solvent."""
    parts = [(str(part.name), part.percent) for part in parse_eluent(text).components]
    return parts if len(parts) > 1 else []


def products(procedure: Procedure) -> list[tuple[str, list[str]]]:
    """Product portions of the equation with the reagents whose amounts the procedure names; empty without one."""
    if not procedure.equation.strip():
        return []
    try:
        equation = parse_equation(procedure.equation)
    except Unreadable:
        return []
    bring = [
        (formula, substance.name)
        for formula in equation.left
        for substance in procedure.substances
        if substance.amount
        and substance.formula
        and substance.role in ("sample", "reagent")
        and (substance.amount.unit == "g" or substance.molar or substance.density)
        and supplies(substance.formula, formula)
    ]
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
    found: list[Question] = []
    weighed = {step.on.casefold() for step in procedure.steps if step.on and not step.empty}
    for portion in procedure.portions:
        if portion.end == "product" and not portion.by_loss and portion.name.casefold() in weighed:
            found.append(
                Question(
                    f"net {portion.name}",
                    "net",
                    portion.name,
                    f"net of {portion.name}",
                    f"How many g of {portion.name} did you obtain?",
                    "g",
                    "after",
                    0.0,
                )
            )
    reacts = bool(procedure.equation.strip())
    for substance in procedure.substances:
        if substance.exact and (reacts or substance.component):
            found += _amount_questions(substance, "after")
    for component in procedure.components:
        name = component.name
        brought = any(s.component.casefold() == name.casefold() for s in procedure.substances)
        ends = [p.name for p in procedure.portions if p.component.casefold() == name.casefold()]
        if component.expressed:
            found += [
                Question(
                    f"content {portion}",
                    "content",
                    portion,
                    f"{name} by {portion}",
                    f"What percentage of the sample is {readable(component.expressed)}, from {portion}?",
                    "%",
                    "after",
                    0.5,
                )
                for portion in ends
            ]
        elif brought and ends:
            found.append(
                Question(
                    f"recovery {name}",
                    "recovery",
                    name,
                    f"{name} recovered",
                    f"What percentage of the {name} did you recover?",
                    "%",
                    "after",
                    0.5,
                )
            )
    for portion_name, _ in products(procedure):
        found.append(
            Question(
                f"most {portion_name}",
                "theoretical",
                portion_name,
                f"theoretical yield of {portion_name}",
                f"What is the theoretical yield of {portion_name}, in g, from what you took?",
                "g",
                "after",
                0.01,
                relative=True,
            )
        )
        found.append(
            Question(
                f"yield {portion_name}",
                "yield",
                portion_name,
                f"yield of {portion_name}",
                f"What is your yield of {portion_name}?",
                "%",
                "after",
                0.5,
            )
        )
    samples = [s for s in procedure.substances if s.role == "sample"]
    parted = [p for p in procedure.portions if p.end == "product"]
    if samples and not reacts and len(parted) > 1:
        followed = {q.about.casefold() for q in found if q.sort == "recovery"}
        found += [
            Question(
                f"part {p.name}",
                "part",
                p.name,
                f"{p.name} in the sample",
                f"What percentage of the sample is {p.name}?",
                "%",
                "after",
                0.5,
            )
            for p in parted
            if p.component.casefold() not in followed or not p.component
        ]
        found.append(
            Question(
                "closure",
                "closure",
                "",
                "mass balance",
                "What is the mass balance (total recovery), in %?",
                "%",
                "after",
                0.5,
            )
        )
    return found


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
