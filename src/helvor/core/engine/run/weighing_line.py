"""A weighing as people type it: container, contents, state and mass, in any order, in a line.

dish 3 32.514                   dish 3, empty and dry
dish 3 salt dried 2 33.118      after its second drying
dried salt in dish 3: 33.118 g  the same in other words
dish 3 + paper 2 salt 33.9      several things on the pan together
dish 3 salt net 0.606           the tare button took the dish off
"""

from __future__ import annotations

import re
from collections.abc import Sequence
from dataclasses import dataclass, replace
from uuid import UUID

from helvor.core.engine.run import entries as e
from helvor.core.engine.run.names import GLASS, NEW, Meant, containers_meant, expected_at, or_of, portion_meant
from helvor.core.engine.run.record import Run
from helvor.core.engine.technique import NO_TECHNIQUES, Techniques
from helvor.core.quantities.reading import Reading, Unreadable, parse
from helvor.core.record.procedure import same
from helvor.core.record.typed_line import NotSure, Understood, built

_GLASS = tuple(tuple(glass.split()) for glass in GLASS)
"""Words that a container's label begins with; what follows label and number is what is in it."""
STATES = {
    "empty": "empty",
    "air-dry": "empty, air-dry",
    "damp": "empty, damp",
    "wet": "wet",
    "dried": "dried",
    "dry": "dried",
}
_NUMBER = re.compile(r"[~≈]?[+\-−–]?(?:\d[\d.,]*|[.,]\d+)(?:[eE][+-]?\d+)?(?:[±–-][\d.,]+)?(?:mg|kg|g)?")
_OTHER_UNIT = re.compile(r"k?Pa|°?[CFK]|mL|L|mm|cm|min|s|h|M|%|bar|V|rpm")
"""Units of what is no mass."""
_BETWEEN = frozenset(
    (
        *("weighs", "weighed", "weighing", "weigh", "weight", "mass", "reads", "reading", "is", "was", "gross", "the"),
        *("on", "now", "containing", "contains", "total", "holds", "pan", "it", "=", ":", "-", "at", "my", "our"),
        *("wt", "wt."),
    )
)
"""Words that say nothing by themselves. Common usage, no source."""
_IN = frozenset(("in", "inside", "into"))
_WITH = frozenset(("with", "of", "and", "plus", "including", "&"))
_ORDINALS = {"first": 1, "1st": 1, "second": 2, "2nd": 2, "third": 3, "3rd": 3, "fourth": 4, "4th": 4}
_COUNTED = {"one": "1", "two": "2", "three": "3", "four": "4", "five": "5", "six": "6", "seven": "7", "eight": "8"}
_WARM = frozenset(("hot", "warm"))
_ABOUT = frozenset(("about", "approx", "approximately", "roughly", "estimated", "ca", "ca.", "approx."))
_MORE_THAN_TARE = 0.010
"""g by which a container is heavier than empty, for something to be in it. Common practice, no source."""
_NO_DRIFT = 0.1
"""g by which no balance drifts: that much more is not the empty container again. Common practice, no source."""
_HEAVIEST = 2000.0
"""g that nothing weighed here is heavier than. Common practice, no source."""
_LIGHTEST_GLASS = 0.05
"""g that no container is lighter than. Common practice, no source."""


@dataclass(slots=True)
class _Typed:
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


def read_weighing(
    words: list[str], run: Run, step: str, techniques: Techniques, commands: Sequence[str], *, sure: bool = False
) -> Understood:
    """Read a weighing.

    Args:
        commands: words that begin a line of another kind.
        sure: what looks like a slip was meant.

    Raises:
        Unreadable: with one sentence; NotSure with lines that answer.
    """
    typed = _sorted(words, run)
    if not typed.mass:
        raise _no_mass(words)
    mass = mass_of(typed.mass, "The mass")
    portion, labels = _split(typed.words, run, into=typed.into)
    if typed.net and not portion and labels and not _is_container(labels[0].split(), run):
        portion, labels = " ".join(labels), []
    if not labels and portion and not typed.net:
        labels = _where_it_is(portion, run, step, techniques, typed)
    if labels == ["empty"] or not (labels or typed.net):
        raise _no_container(replace(typed, state=""), run, step, techniques)
    if labels:
        labels = containers_meant(labels, run, commands, " ".join(filter(None, ("{}", portion, typed.after))))
    meant = Meant(portion)
    if portion:
        meant = portion_meant(portion, labels, run, step, techniques.kinds, _line_for(labels, typed), typed.state)
    elif typed.net:
        meant = _net_of(labels, run, step, techniques, typed)
    elif not typed.state and mass.value <= _HEAVIEST:
        _ask_what_is_in_it(labels, mass, typed, run, step, techniques, sure=sure)
    payload = _weighed(labels or ["tared pan"], meant.name, typed, mass, run, step)
    if not sure:
        _slips(payload, typed, run, " ".join(words))
    return Understood(payload, _says(payload, meant))


def _line_for(labels: Sequence[str], typed: _Typed) -> str:
    """The line with ``{}`` in the place of the contents, for the answers that are offered."""
    if not labels:
        return f"net {{}} {typed.after.removeprefix('net ')}"
    return f"{' + '.join(labels)} {{}} {typed.after}"


def mass_of(word: str, what: str) -> Reading:
    """A mass as typed, g without a unit.

    Raises:
        Unreadable: beginning with *what*.
    """
    try:
        return parse(word.lstrip("~≈"), "mass", field_unit="g")
    except Unreadable as unreadable:
        raise Unreadable(f"{what}: {unreadable}") from unreadable


def is_number(word: str) -> bool:
    """Whether a word begins as a number does."""
    return re.match(r"[~≈]?[+\-−–]?[.,]?\d", word) is not None


def _sorted(words: list[str], run: Run) -> _Typed:
    typed = _Typed([])
    labels = {word.casefold() for label in (*run.containers, *run.portion_names) for word in label.split()}
    rest: list[str] = []
    place = 0
    while place < len(words):
        given = words[place]
        word = given.strip("()").rstrip(":;=,") if len(given) > 1 else given
        if given.endswith(",") and re.fullmatch(r"\d+[.,]\d+g?", word):
            raise Unreadable("Two readings in a line stand between commas; each needs its container.")
        size = _how(word.casefold(), words[place + 1 :], typed)
        if not size and word:
            size = _kept(word, labels, rest, run, typed)
        place += max(size, 1)
    typed.mass, rest = _mass_among(rest, run)
    typed.estimated = typed.estimated or typed.mass.startswith(("~", "≈"))
    others = [word for word in rest if re.fullmatch(r"\d+[.,]\d+g?", word)]
    if typed.mass and others:
        left = " ".join(word for word in rest if word not in others)
        raise NotSure(
            f"Which is the mass: {or_of([*others, typed.mass])}?",
            [f"{left} {one}" for one in [*others, typed.mass]] if left else [],
        )
    typed.words = _without_state(rest, run, typed)
    return typed


def _how(plain: str, behind: Sequence[str], typed: _Typed) -> int:
    """How many words say how it was weighed, kept in *typed*; 0 where this one says something else."""
    if plain == "balance" and len(behind) > 1:
        typed.balance = behind[0]
        return 2
    if plain in _ORDINALS and behind and behind[0].casefold().startswith("dr"):
        typed.number, typed.state = _ORDINALS[plain], "dried"
        return 2
    if plain in ("cold", "cooled") and behind and all(is_number(word) for word in behind):
        return 1
    if plain in _WARM:
        typed.hot = True
    elif plain in _ABOUT:
        typed.estimated = True
    elif plain == "net":
        typed.net = True
    else:
        return 0
    return 1


def _kept(word: str, labels: set[str], rest: list[str], run: Run, typed: _Typed) -> int:
    """Keep a word of a container or its contents; what says nothing by itself is left out."""
    plain = word.casefold()
    if plain in labels:
        rest.append(word)
    elif plain in _BETWEEN:
        return 1
    elif plain in _COUNTED and rest and _is_container(rest[-1:], run):
        rest.append(_COUNTED[plain])
    elif plain in _IN:
        typed.into = bool(rest)
        rest.append("in")
    else:
        rest.append(word)
    return 1


def _mass_among(words: list[str], run: Run) -> tuple[str, list[str]]:
    """The word that is the mass, and the others: one with a unit, else the last number, else the first."""
    numbers = [place for place, word in enumerate(words) if _NUMBER.fullmatch(word)]
    at = _place_of_mass(words, numbers)
    if at is not None and len(words) == at + 1 and _may_be_a_label(words, at, run):
        raise NotSure(f"Is {words[at]} the label, or the mass in g? Enter the mass.", [f"{' '.join(words)} g"])
    if at is None or _is_of_a_name(words, at, run):
        fine = [place for place in numbers if re.search(r"\d[.,]\d", words[place])]
        behind = [words[place + 1] for place in fine if place + 1 < len(words)]
        at = fine[0] if len(fine) == 1 and not any(_OTHER_UNIT.fullmatch(word) for word in behind) else None
    if at is None:
        return "", words
    return words[at], [*words[:at], *words[at + 1 :]]


def _place_of_mass(words: list[str], numbers: list[int]) -> int | None:
    with_unit = [place for place in numbers if words[place].endswith("g")]
    if len(with_unit) == 1:
        return with_unit[0]
    if words and is_number(words[-1]) and (len(words) > 1 or _NUMBER.fullmatch(words[-1])):
        return len(words) - 1
    return 0 if numbers and numbers[0] == 0 and re.search(r"[.,]", words[0]) else None


def _may_be_a_label(words: list[str], at: int, run: Run) -> bool:
    """Whether a small whole number right behind a word for glass may be the end of its label: ``dish 3``."""
    return words[at].isdecimal() and int(words[at]) < 25 and 0 < at < 3 and _is_container(words[:at], run)


def _is_of_a_name(words: list[str], at: int, run: Run) -> bool:
    """Whether a number is the end of a container's label, as the 3 of dish 3."""
    label = " ".join(words[max(0, at - 1) : at + 1])
    return bool(at) and words[at].isdecimal() and any(same(label, known) for known in run.containers)


def _without_state(words: list[str], run: Run, typed: _Typed) -> list[str]:
    """The words without the state, wherever it stands; one that begins or ends a known name stays with it."""
    known = {name.casefold() for name in (*run.portion_names, *run.containers)}
    if len(words) > 1 and words[-1].isdecimal() and words[-2].casefold() in ("dried", "dry"):
        typed.state, typed.number = "dried", int(words[-1])
        return words[:-2]
    for place in (len(words) - 1, 0, *range(1, len(words) - 1)):
        if place < 0 or place >= len(words) or len(words) < 2:
            continue
        state = STATES.get(words[place].casefold())
        if state is None:
            continue
        neighbours = {
            " ".join(words[low : high + 1]).casefold() for low in range(place + 1) for high in range(place, len(words))
        }
        if neighbours & known:
            continue
        typed.state = state
        return [*words[:place], *words[place + 1 :]]
    return words


def _split(words: list[str], run: Run, *, into: bool) -> tuple[str, list[str]]:
    """Portion and container labels of ``dish 3 + paper 2 salt``: the longest known portion at the end,
    else whatever follows the longest known container, or a word for glass, at the start; else no portion.
    """
    if into and "in" in words:
        at = words.index("in")
        return " ".join(words[:at]), _labels(words[at + 1 :])
    words = _with_plus([word for word in words if word != "in"], run)
    whole = " ".join(words)
    if any(same(whole, name) for name in run.portion_names):
        return whole, []
    for size in range(len(words) - 1, 0, -1):
        tail, head = " ".join(words[-size:]), " ".join(words[:size])
        found = next((name for name in run.portion_names if same(name, tail)), None)
        if found is not None and not any(same(whole, label) for label in run.containers):
            said_new = len(words) > size + 1 and words[-size - 1].casefold() == NEW
            return found, _labels(words[: -size - said_new])
        found = next((name for name in run.portion_names if same(name, head)), None)
        behind = words[size:] if words[size] != "+" else words[size + 1 :]
        if found is not None and _is_container(behind, run) and not _is_container(words[:size], run):
            return found, _labels(behind)
    return _by_glass(words, run)


def _with_plus(words: list[str], run: Run) -> list[str]:
    """*With*, *and* and *of* read as plus before a container, and left out before contents."""
    said: list[str] = []
    for place, word in enumerate(words):
        following = words[place + 1 :]
        if word.casefold() in _WITH or word == "+":
            if said and following and _is_container(following[:2], run):
                said.append("+")
        else:
            said.append(word)
    return said


def _is_container(words: Sequence[str], run: Run) -> bool:
    """Whether words begin with a container's label or with a word for glass."""
    plain = [word.casefold() for word in words]
    if not plain:
        return False
    labels = [label.casefold().split() for label in run.containers]
    return any(plain[: len(label)] == label for label in labels) or any(
        tuple(plain[: len(glass)]) == glass for glass in _GLASS
    )


def _by_glass(words: list[str], run: Run) -> tuple[str, list[str]]:
    plus = max((i for i, word in enumerate(words) if word == "+"), default=-1) + 1
    last = [word.casefold() for word in words[plus:]]
    glass = next((len(glass) for glass in _GLASS if tuple(last[: len(glass)]) == glass), 0)
    # A number or a single letter after it belongs to the label: dish 3, beaker A.
    numbered = glass > 0 and len(last) > glass and (last[glass].isdecimal() or len(last[glass]) == 1)
    size = glass + numbered
    if not numbered:
        known = [n for n in range(len(last) - 1, 0, -1) if any(same(" ".join(last[:n]), c) for c in run.containers)]
        size = known[0] if known else size
    if not size:
        size = next((i + 1 for i, word in enumerate(last) if word.isdecimal()), 0)
    if size and size < len(last):
        return " ".join(words[plus + size :]), _labels(words[: plus + size])
    return "", _labels(words)


def _labels(words: list[str]) -> list[str]:
    return [label.strip() for label in " ".join(words).split("+") if label.strip()]


def _no_mass(words: list[str]) -> Unreadable:
    said = " ".join(words)
    sentence = (
        f"“{said[:40]}” is not clear: enter a container, its contents and a mass, such as dish 3 salt 33.120; or start "
        "with take, vol, done, skip, timer or note."
    )
    degrees = re.fullmatch(r"([-−]?\d[\d.,]*)\s*(?:°\s*C?|C|degrees)", said)
    if degrees is not None:
        return NotSure(sentence, [f"temp {degrees[1]}"])
    letter = re.search(r"(?<!\w)[OoIl](?=[.,]\d)", said)
    if letter is not None:
        digit = "0" if letter[0] in "Oo" else "1"
        return NotSure(sentence, [f"{said[: letter.start()]}{digit}{said[letter.end() :]}"])
    return NotSure(sentence, [f"note {said}"]) if len(words) > 1 else Unreadable(sentence)


def _where_it_is(portion: str, run: Run, step: str, techniques: Techniques, typed: _Typed) -> list[str]:
    """The container of a portion that was named alone: that of the step under way, else it is asked."""
    at = run.procedure.step(step)
    if at is not None and same(expected_at(at, at.container, techniques.kinds), portion):
        return list(at.container)
    weighed = [on.weighed.container for on in run.weighings if same(on.weighed.portion, portion)]
    planned = [
        one.container
        for one in run.procedure.steps
        if one.container
        and (
            same(expected_at(one, one.container, techniques.kinds), portion)
            or any(same(portion, name) for name in one.gives)
        )
    ]
    there = list(dict.fromkeys([*reversed(weighed), *planned]))[:4]
    answers = [f"{' + '.join(labels)} {portion} {typed.after}" for labels in there]
    answers = answers or [f"dish 1 {portion} {typed.after}"]
    raise NotSure(f"In which container is {portion}?", [*answers, f"net {portion} {typed.after}"])


def _no_container(typed: _Typed, run: Run, step: str, techniques: Techniques) -> Unreadable:
    """A mass alone: what the step under way weighs is offered."""
    at = run.procedure.step(step) or run.next_step
    answers = []
    if at is not None and at.container:
        expected = expected_at(at, at.container, techniques.kinds)
        labels = " + ".join(at.container)
        answers = [f"{labels} {expected} {typed.after}"] if expected else []
        answers.append(f"{labels} empty {typed.after}")
    return NotSure("Enter the container first, for example: dish 3 salt 33.120.", answers)


def _net_of(labels: list[str], run: Run, step: str, techniques: Techniques, typed: _Typed) -> Meant:
    """The portion of a net that names only its container."""
    if not labels:
        raise Unreadable("Enter the portion, for example: net salt 1.312.")
    at = run.procedure.step(step) or run.next_step
    expected = expected_at(at, labels, techniques.kinds)
    pan = {label.casefold() for label in labels}
    there = list(
        dict.fromkeys(on.weighed.portion for on in run.weighings if on.weighed.pan == pan and on.weighed.portion)
    )
    if expected or len(there) == 1:
        return Meant(expected or there[0], "")
    raise NotSure(
        f"What is in {' + '.join(labels)}?",
        [f"{' + '.join(labels)} {name} {typed.after}" for name in (there or run.portion_names)[:4]],
    )


def _ask_what_is_in_it(
    labels: list[str], mass: Reading, typed: _Typed, run: Run, step: str, techniques: Techniques, *, sure: bool
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


def _weighed(labels: list[str], portion: str, typed: _Typed, mass: Reading, run: Run, step: str) -> e.Weighed:
    state = typed.state or ("as is" if portion else "empty")
    if portion and state.startswith("empty"):
        raise Unreadable(f"“empty” and the content {portion} contradict each other: remove one.")
    if not portion and not state.startswith("empty"):
        known = ", ".join(run.portion_names) or "such as salt"
        raise Unreadable(f"Enter what is in {' '.join(labels)}: {known}.")
    number = (typed.number or run.next_round(labels, portion)) if state == "dried" else None
    return built(
        e.Weighed,
        container=tuple(labels),
        portion=portion,
        state=state,
        round=number,
        way="net" if typed.net else "gross",
        mass=mass,
        hot=typed.hot,
        estimated=typed.estimated,
        balance=typed.balance,
        step=step,
    )


def _says(said: e.Weighed, meant: Meant) -> str:
    """Everything that is written, in words."""
    called = f" (“{meant.typed}”)" if meant.typed else ""
    what = f" with *{meant.name}*{called}" if meant.name else ""
    state = f"{e.STATES[said.state]} {said.round}" if said.round else e.STATES[said.state]
    more = [
        "warm" if said.hot else "",
        "estimated" if said.estimated else "",
        f"balance {said.balance}" if said.balance else "",
    ]
    after = "".join(f", {word}" for word in more if word)
    if said.way == "net":
        where = f" in {said.name}" if said.container != ("tared pan",) else ""
        dried = f", {state}" if said.state != "as is" else ""
        return f"*{meant.name}*{called}{where} with the tare button{dried}: net *{said.mass}*{after}"
    return f"{said.name}{what}, {state}: *{said.mass}*{after}"


def slip_in(said: e.Weighed, run: Run, strikes: UUID | None = None) -> str:
    """What looks like a slip in a weighing that a form brings, as a question; empty where nothing does.

    Args:
        strikes: the reading that it takes the place of, which is held against nothing.
    """
    there = replace(run, weighings=[on for on in run.weighings if on.line.head.id != strikes])
    mass = said.mass.written
    try:
        if said.state == "empty" and said.mass.value <= _HEAVIEST:
            _ask_what_is_in_it(list(said.container), said.mass, _Typed([]), there, "", NO_TECHNIQUES, sure=True)
        _slips(said, _Typed([], mass), there, mass)
    except NotSure as asked:
        return str(asked)
    return ""


def _slips(said: e.Weighed, typed: _Typed, run: Run, line: str) -> None:
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


def _slips_to(typed: _Typed, low: float, high: float) -> list[str]:
    """What the mass may have been before a slip, between two masses, g; three at most."""
    return [slip for slip in slips_of(typed.mass.removesuffix("g")) if low < float(slip) < high][:3]


def _ask(question: str, maybe: Sequence[str], typed: _Typed, line: str) -> NotSure:
    return NotSure(question, [*(line.replace(typed.mass, slip) for slip in maybe), f"{line} sure"])


def _ask_beyond_reason(said: e.Weighed, typed: _Typed, line: str) -> None:
    grams = said.mass.value
    if grams > _HEAVIEST and not re.search(r"[.,]", typed.mass):
        maybe = _slips_to(typed, 0.0, _HEAVIEST / 10)
        question = f"{said.mass} is more than a laboratory balance carries: where is the decimal point?"
        raise _ask(question, maybe, typed, line)
    if not said.portion and 0 < grams < _LIGHTEST_GLASS and typed.mass.endswith("mg"):
        number = typed.mass.removesuffix("mg")
        raise _ask(f"{said.name} of {typed.mass} is lighter than any container: grams?", [number], typed, line)


def _ask_same_container(said: e.Weighed, tare: Reading | None, typed: _Typed, line: str) -> None:
    if tare is None or 0.8 < said.mass.value / max(tare.value, 1e-9) < 1.25:
        return
    maybe = _slips_to(typed, 0.99 * tare.value, 1.01 * tare.value)
    raise _ask(f"{said.name} weighed {tare} empty before: is {said.mass} the same one, empty?", maybe, typed, line)


def _ask_round_again(said: e.Weighed, typed: _Typed, run: Run, line: str) -> None:
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


def _ask_below_tare(said: e.Weighed, tare: Reading, typed: _Typed, line: str) -> None:
    if said.mass.value >= tare.value - 2 * tare.resolution:
        return
    maybe = _slips_to(typed, tare.value, 2 * tare.value)
    question = f"{or_of(maybe)}?" if maybe else "check both."
    raise _ask(f"{said.mass} is less than {said.name} weighed empty, {tare}: {question}", maybe, typed, line)


_LIQUID = re.compile(r"wet|solution|liquor|filtrate|layer|extract|slurry|water", re.IGNORECASE)


def _ask_too_much(said: e.Weighed, tare: float, typed: _Typed, run: Run, line: str) -> None:
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
