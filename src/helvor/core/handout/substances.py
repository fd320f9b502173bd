"""What goes in by a handout, put together over all its steps: one name is one thing with one amount."""

from __future__ import annotations

import re
from dataclasses import dataclass, replace

from helvor.core.handout.amounts import Found
from helvor.core.handout.open_step import OpenStep
from helvor.core.quantities.reading import Reading, Unreadable, digits, parse_amount
from helvor.core.record.known import Known, with_what_is_known
from helvor.core.record.procedure import Role, Substance, same

AID = re.compile(
    r"charcoal|celite|anhydrous (?!sodium carbonate|calcium|copper)|drying agent|sodium sul(?:f|ph)ate$"
    r"|magnesium sul(?:f|ph)ate$|\bsand\b|silica",
    re.IGNORECASE,
)
"""What helps and counts in no result: drying agents, charcoal, filter aids."""
_SAMPLE = re.compile(r"\b(?:sample|mixture|unknown|crude|tablet)\b", re.IGNORECASE)
MOST_IN_A_STEP = 12
"""Amounts that a step takes in; more is no step."""
_IN_PORTIONS = ("extract", "wash", "wash layer", "decant")
_TAKES_MORE = frozenset(
    ("add", "dissolve", "extract", "wash", "wash layer", "precipitate", "set ph", "dissolve hot", "elute", "react")
)
_NAMED_ONLY = frozenset(
    (
        *("cool", "ice bath", "wait", "weigh", "dry", "keep", "discard", "observe", "melting point", "plate", "label"),
        *("crystallize", "evaporate", "gravity filter", "vacuum filter", "hot filter", "crucible filter", "decant"),
        *("combine", "pool", "transfer", "grind", "suck dry", "sublime", "digest", "stir", "heat", "reflux"),
        *("take down", "fraction plate", "load column", "test", "volume", "divide", "photograph"),
    )
)
"""Kinds of step that speak of substances without taking any in."""
_CALLED = {
    "wash": "wash",
    "wash layer": "wash",
    "decant": "rinsing",
    "extract": "extraction",
    "dissolve hot": "hot",
}
"""What a second amount of the same liquid is called, by the step that it goes into."""
_BEFORE_NAME = re.compile(
    r"^(?:wash|rinsing|extraction|hot|more|crude|saturated|dilute|dil\.?|conc\.?|concentrated|glacial)\s+"
    r"|\s+solution$|\s\d$"
)


@dataclass(frozen=True, slots=True)
class ProposedSubstance:
    """A substance with its amount, the sentence that it came from, and what is not sure about it.

    Attributes:
        written, said: its amount and its name as they stand in the text.
    """

    substance: Substance
    sentence: int
    written: str = ""
    doubts: tuple[str, ...] = ()
    said: str = ""

    @property
    def key(self) -> str:
        """What it is known by while kinds of steps are changed: its place and words in the text."""
        return f"{self.sentence}:{self.said}:{self.written}"


class Substances:
    """The substances of a handout; ``of`` are the names that go into each step, by the step's identity."""

    def __init__(self, known: Known) -> None:
        self.known = known
        self.found: list[ProposedSubstance] = []
        self.of: dict[int, list[str]] = {}

    def _named(self, name: str) -> ProposedSubstance | None:
        return next((one for one in self.found if same(one.substance.name, name)), None)

    def of_step(self, step: OpenStep, *, first: bool) -> None:
        """What a step takes in: with its amounts, and what it only names."""
        added = [self._put(one, step, first=first) for one in step.found if one.name]
        for name in step.adds:
            if step.kind in _NAMED_ONLY or self._is_shorter(name) or any(_holds(other, name) for other in added):
                continue
            there = self._named(name)
            if there is None:
                self._new(name, None, step, first=False)
                added.append(name)
            elif step.kind not in _TAKES_MORE:
                added.append(name)
        self.of[id(step)] = list(dict.fromkeys(added))

    def _is_shorter(self, name: str) -> bool:
        """Whether a name is a shorter one of what went in: ether for diethyl ether."""
        ends = re.compile(rf"(?<!\w){re.escape(name)}$", re.IGNORECASE)
        return any(ends.search(one.substance.name) and not same(name, one.substance.name) for one in self.found)

    def _put(self, one: Found, step: OpenStep, *, first: bool) -> str:
        """Keep an amount; the name that it is kept under."""
        # What an extraction begins with is there once; what it is done with comes each time.
        begins = step.kind == "extract" and one is step.found[0] and len({each.name for each in step.found}) > 1
        again = step.times if step.kind in _IN_PORTIONS and one.times == 1 and not begins else 1
        total = one.value * max(one.times, again)
        there = self._named(one.name)
        if there is not None and there.substance.amount is None:
            self.found.remove(there)
            there = None
        name = one.name
        if there is not None:
            if self._is_the_same(there, total, step):
                return there.substance.name
            name = self._free(f"{_CALLED.get(step.kind, 'more')} {name}")
        self._new(name, replace(one, value=total), step, first=first)
        return name

    @staticmethod
    def _is_the_same(there: ProposedSubstance, total: float, step: OpenStep) -> bool:
        amount = there.substance.amount
        return amount is not None and abs(amount.value - total) < 1e-9 and there.sentence in step.sentences

    def _free(self, wanted: str) -> str:
        name, number = wanted[:40].strip(), 2
        while self._named(name) is not None:
            name, number = f"{wanted[:37].strip()} {number}", number + 1
        return name

    def of_list(self, one: Found, place: int) -> None:
        """What the list of materials says, where no step says it."""
        there = self._named(one.name)
        if there is None:
            self._new(one.name, one, OpenStep("", sentences=[place]), first=False)
        elif there.substance.amount is None:
            amount = _amount(one)
            at = self.found.index(there)
            self.found[at] = replace(there, substance=there.substance.model_copy(update={"amount": amount}))

    def _new(self, name: str, one: Found | None, step: OpenStep, *, first: bool) -> None:
        known = self.known(one.name if one is not None else name) or self.known(_BEFORE_NAME.sub("", name))
        sample = (first and one is not None and one.unit == "g") or _SAMPLE.search(name) is not None
        role: Role = "sample" if sample else "aid" if AID.search(name) else known.role if known else "reagent"
        exact = one is not None and _is_exact(one, step, first=first)
        plain = Substance(name=name, amount=_amount(one) if one else None, exact=exact, role=role)
        plain = with_what_is_known(plain, known)
        doubts = _doubts(one, plain, known=known is not None)
        place = (one.sentence if one is not None else 0) or (step.sentences[-1] if step.sentences else 0)
        self.found.append(
            ProposedSubstance(plain, place, one.written if one else "", doubts, one.name if one else name)
        )


def _holds(longer: str, name: str) -> bool:
    return name.casefold() in longer.casefold()


def _is_exact(one: Found, step: OpenStep, *, first: bool) -> bool:
    """Whether an amount enters a result: said to be accurate, weighed out, or what is weighed first (Handout 4)."""
    if one.exact:
        return True
    if one.unit != "g":
        return False
    return (first and (not one.about or step.kind == "weigh")) or (step.kind == "weigh" and not one.about)


def _amount(one: Found) -> Reading | None:
    """An amount with the digits that it was written with; None where it cannot be one."""
    try:
        return parse_amount(f"{written_of(one)} {one.unit}")
    except Unreadable:
        return None


def _doubts(one: Found | None, substance: Substance, *, known: bool) -> tuple[str, ...]:
    """What is not sure about a substance."""
    doubts: list[str] = []
    if one is not None and substance.amount is None:
        doubts.append(f"Enter its amount: “{one.written}” is not clear.")
    if one is not None and one.doubt:
        doubts.append(f"{one.doubt[0].upper()}{one.doubt[1:]}.")
    if not known and one is not None and substance.role != "sample":
        doubts.append("Not in the reference data: check the name.")
    return tuple(doubts)


MOST_WITHOUT_COMMA = 1000.0
"""From here on a comma before three digits parts thousands."""


def written_of(one: Found) -> str:
    """A value in its unit with the digits that it was written with.

    >>> written_of(Found("x", 0.2, "g", written="200 mg")), written_of(Found("x", 30.0, "mL", written="2 × 15 mL"))
    ('0.200', '30')
    """
    plain = re.sub(r"(?<=\d),(?=\d{3}\b)", "", one.written) if one.value >= MOST_WITHOUT_COMMA else one.written
    figures = re.findall(r"\d+(?:[.,]\d+)?", plain)
    decimals = max((len(number.replace(",", ".").partition(".")[2]) for number in figures), default=0)
    decimals += 3 if re.search(r"\d\s*mg\b|µL", one.written) else 0
    shown = f"{one.value:.{decimals}f}"
    return shown if abs(float(shown) - one.value) < 1e-9 else digits(one.value, 4)
