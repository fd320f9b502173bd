"""What looks like a slip in a weighing: asked about before it is written, and before chemistry is blamed."""

from __future__ import annotations

import re
from collections.abc import Sequence
from dataclasses import dataclass, replace
from uuid import UUID

from helvor.core.engine.run import entries as e
from helvor.core.engine.run.names import expected_at
from helvor.core.engine.run.record import Run
from helvor.core.engine.technique import NO_TECHNIQUES, Techniques
from helvor.core.quantities.reading import Reading
from helvor.core.record.alike import or_of
from helvor.core.record.procedure import same
from helvor.core.record.typed_line import NotSure

STATES = {
    "empty": "empty",
    "air-dry": "empty, air-dry",
    "damp": "empty, damp",
    "wet": "wet",
    "dried": "dried",
    "dry": "dried",
}


_MORE_THAN_TARE = 0.010
"""g by which a container is heavier than empty, for something to be in it. Common practice, no source."""


_NO_DRIFT = 0.1
"""g by which no balance drifts: that much more is not the empty container again. Common practice, no source."""


HEAVIEST = 2000.0
"""g that nothing weighed here is heavier than. Common practice, no source."""


_LIGHTEST_GLASS = 0.05
"""g that no container is lighter than. Common practice, no source."""


@dataclass(slots=True)
class TypedWeighing:
    """The words of a weighing, sorted.

    Attributes:
        words: container and contents, in order; mass, state, number, balance: as typed.
        net: the tare button took the container off; into: the contents stand before the container.
    """

    words: list[str]
    mass: str = ""
    state: str = ""
    number: int | None = None
    hot: bool = False
    estimated: bool = False
    net: bool = False
    into: bool = False
    balance: str = ""

    @property
    def after(self) -> str:
        """What stands behind the contents in a line that means the same."""
        state = next((word for word, state in STATES.items() if state == self.state), "")
        flags = [word for word, is_so in (("hot", self.hot), ("about", self.estimated), ("net", self.net)) if is_so]
        balance = f"balance {self.balance}" if self.balance else ""
        return " ".join(filter(None, (state, str(self.number or ""), *flags, balance, self.mass)))


def ask_what_is_in_it(
    labels: list[str], mass: Reading, typed: TypedWeighing, run: Run, step: str, techniques: Techniques, *, sure: bool
) -> None:
    """A container with no word for its contents, though the step or its tare tells that something is in it.

    Args:
        sure: nobody is there to be asked: only what no balance can drift by is refused.

    Raises:
        NotSure: with it full, and with it empty.
    """
    pan = frozenset(label.casefold() for label in labels)
    at = run.procedure.step(step)
    expected = expected_at(at, labels, techniques.kinds)
    tares = [on.weighed.mass for on in run.weighings if on.weighed.pan == pan and not on.weighed.portion]
    fuller = bool(tares) and mass.value - tares[-1].value > max(_MORE_THAN_TARE, 5 * tares[-1].resolution)
    if not fuller and not (expected and not tares):
        return
    if sure and not (tares and mass.value - tares[-1].value > _NO_DRIFT):
        return
    name = " + ".join(labels)
    known = [on.weighed.portion for on in run.weighings if on.weighed.pan == pan and on.weighed.portion]
    planned = [found for one in run.procedure.steps if (found := expected_at(one, labels, techniques.kinds))]
    offered = list(dict.fromkeys([*([expected] if expected else []), *planned, *known]))[:3]
    told = f"{name} weighed {tares[-1]} empty" if tares else f"This step weighs {expected} in {name}"
    raise NotSure(
        f"{told}: is something in it now, or is it empty? Enter its contents, or the word empty.",
        [*(f"{name} {portion} {typed.after}" for portion in offered), f"{name} empty {typed.after}"],
    )


def slip_in(said: e.Weighed, run: Run, strikes: UUID | None = None) -> str:
    """What looks like a slip in a weighing that a form brings, as a question; empty where nothing does.

    Args:
        strikes: the reading that it takes the place of, which is held against nothing.
    """
    there = replace(run, weighings=[on for on in run.weighings if on.line.head.id != strikes])
    mass = said.mass.written
    try:
        if said.state == "empty" and said.mass.value <= HEAVIEST:
            ask_what_is_in_it(list(said.container), said.mass, TypedWeighing([]), there, "", NO_TECHNIQUES, sure=True)
        ask_about_slips(said, TypedWeighing([], mass), there, mass)
    except NotSure as asked:
        return str(asked)
    return ""


def ask_about_slips(said: e.Weighed, typed: TypedWeighing, run: Run, line: str) -> None:
    """Ask about a mass that no container has, or that is less than its own tare, before chemistry is blamed.

    Raises:
        NotSure: with what may have been read, and with the line as it stands.
    """
    tares = [on.weighed.mass for on in run.weighings if on.weighed.pan == said.pan and not on.weighed.portion]
    tare = tares[-1] if tares else None
    _ask_beyond_reason(said, typed, line)
    if not said.portion:
        _ask_same_container(said, tare, typed, line)
        return
    _ask_round_again(said, typed, run, line)
    if tare is not None and said.way == "gross":
        _ask_too_much(said, tare.value, typed, run, line)
        _ask_below_tare(said, tare, typed, line)


def _slips_to(typed: TypedWeighing, low: float, high: float) -> list[str]:
    """What the mass may have been before a slip, between two masses, g; three at most."""
    return [slip for slip in slips_of(typed.mass.removesuffix("g")) if low < float(slip) < high][:3]


def _ask(question: str, maybe: Sequence[str], typed: TypedWeighing, line: str) -> NotSure:
    return NotSure(question, [*(line.replace(typed.mass, slip) for slip in maybe), f"{line} sure"])


def _ask_beyond_reason(said: e.Weighed, typed: TypedWeighing, line: str) -> None:
    grams = said.mass.value
    if grams > HEAVIEST and not re.search(r"[.,]", typed.mass):
        maybe = _slips_to(typed, 0.0, HEAVIEST / 10)
        question = f"{said.mass} is more than a laboratory balance carries: where is the decimal point?"
        raise _ask(question, maybe, typed, line)
    if not said.portion and 0 < grams < _LIGHTEST_GLASS and typed.mass.endswith("mg"):
        number = typed.mass.removesuffix("mg")
        raise _ask(f"{said.name} of {typed.mass} is lighter than any container: grams?", [number], typed, line)


def _ask_same_container(said: e.Weighed, tare: Reading | None, typed: TypedWeighing, line: str) -> None:
    if tare is None or 0.8 < said.mass.value / max(tare.value, 1e-9) < 1.25:
        return
    maybe = _slips_to(typed, 0.99 * tare.value, 1.01 * tare.value)
    raise _ask(f"{said.name} weighed {tare} empty before: is {said.mass} the same one, empty?", maybe, typed, line)


def _ask_round_again(said: e.Weighed, typed: TypedWeighing, run: Run, line: str) -> None:
    """Ask about a drying whose number is there already: is it corrected, or is it the next?

    Raises:
        NotSure: with either.
    """
    if typed.number is None:
        return
    there = [
        on.weighed.mass
        for on in run.weighings
        if on.weighed.pan == said.pan and same(on.weighed.portion, said.portion) and on.weighed.round == said.round
    ]
    if there:
        following = run.next_round(list(said.container), said.portion)
        plain = f"{said.name} {said.portion} dried {{}} {typed.mass}"
        raise NotSure(
            f"{there[-1]} is there as dried {said.round} already: is it corrected, or is this another drying?",
            [f"correct {plain.format(said.round)}", plain.format(following)],
        )


def _ask_below_tare(said: e.Weighed, tare: Reading, typed: TypedWeighing, line: str) -> None:
    if said.mass.value >= tare.value - 2 * tare.resolution:
        return
    maybe = _slips_to(typed, tare.value, 2 * tare.value)
    question = f"{or_of(maybe)}?" if maybe else "check both."
    raise _ask(f"{said.mass} is less than {said.name} weighed empty, {tare}: {question}", maybe, typed, line)


_LIQUID = re.compile(r"wet|solution|liquor|filtrate|layer|extract|slurry|water", re.IGNORECASE)


def _ask_too_much(said: e.Weighed, tare: float, typed: TypedWeighing, run: Run, line: str) -> None:
    """Ask about two exchanged digits or a moved point where more solid is there than went in.

    Raises:
        NotSure: with what may have been read.
    """
    if said.state not in ("as is", "dried") or _LIQUID.search(said.portion):
        return
    taken = {on.taken.substance.casefold(): on.taken.amount for on in run.taken if on.taken.amount}
    solids = sum(
        amount.value
        for one in run.procedure.substances
        if (amount := taken.get(one.name.casefold(), one.amount)) is not None and amount.unit == "g"
    )
    if not solids or said.mass.value - tare < 1.6 * solids:
        return
    maybe = _slips_to(typed, tare, tare + 1.1 * solids)[:2]
    if maybe:
        net = said.mass.value - tare
        question = f"That would be {net:.2f} g of {said.portion}, of {solids:.2f} g taken: {or_of(maybe)}?"
        raise _ask(question, maybe, typed, line)


def slips_of(number: str) -> list[str]:
    """What a number may have been before a slip: its point moved by a place or two, two neighbours exchanged.

    >>> slips_of("17.48")[:2], "71.48" in slips_of("17.48")
    (['1.748', '174.8'], True)
    """
    whole, point, decimals = number.replace(",", ".").partition(".")
    digits = whole + decimals
    if not digits.isdecimal():
        return []
    found = []
    for by in (-1, 1, -2, 2, -3):
        at = len(whole) + by
        if 0 < at <= len(digits) + 2:
            moved = digits.ljust(at, "0")
            found.append(_plain(f"{moved[:at]}.{moved[at:]}"))
    for place in range(len(digits) - 1):
        if digits[place] != digits[place + 1]:
            swapped = f"{digits[:place]}{digits[place + 1]}{digits[place]}{digits[place + 2 :]}"
            found.append(_plain(f"{swapped[: len(whole)]}{point}{swapped[len(whole) :]}"))
    by_value: dict[float, str] = {}
    for slip in found:
        by_value.setdefault(float(slip), slip)
    return list(by_value.values())


def _plain(number: str) -> str:
    """A number without noughts in front, and without a point behind."""
    stripped = number.rstrip(".").lstrip("0")
    return f"0{stripped}" if not stripped or stripped.startswith(".") else stripped
