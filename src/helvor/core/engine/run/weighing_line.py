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
from dataclasses import replace

from helvor.core.engine.run import entries as e
from helvor.core.engine.run.names import GLASS, NEW, Meant, containers_meant, expected_at, portion_meant
from helvor.core.engine.run.record import Run
from helvor.core.engine.run.slips import HEAVIEST, STATES, TypedWeighing, ask_about_slips, ask_what_is_in_it
from helvor.core.engine.technique import Techniques
from helvor.core.quantities.reading import Reading, Unreadable, parse
from helvor.core.record.alike import MOST_OFFERED, near, or_of, plain
from helvor.core.record.procedure import same
from helvor.core.record.typed_line import NotSure, Understood, built

_GLASS = tuple(tuple(glass.split()) for glass in GLASS)
"""Words that a container's label begins with; what follows label and number is what is in it."""
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
    _ask_what_else_it_is(words, typed.mass, run)
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
    elif not typed.state and mass.value <= HEAVIEST:
        ask_what_is_in_it(labels, mass, typed, run, step, techniques, sure=sure)
    payload = _weighed(labels or ["tared pan"], meant.name, typed, mass, run, step)
    if not sure:
        ask_about_slips(payload, typed, run, " ".join(words))
    return Understood(payload, _says(payload, meant))


_NO_MASS_UNIT = re.compile(r"([\d.,±~≈-]+)(mL|µL|L|mm|cm|min|h|s|d|%|°C|C|K)")


def _ask_what_else_it_is(words: Sequence[str], said: str, run: Run) -> None:
    """Ask about a number whose unit is none of mass: a volume, a time, a temperature, or an observation.

    Raises:
        NotSure: with the lines that it may be.
    """
    other = _NO_MASS_UNIT.fullmatch(said)
    if other is None:
        return
    rest = " ".join(word for word in words if word != said).strip(" :=")
    unit, line = other[2], " ".join(words)
    asked = {
        **dict.fromkeys(("mL", "µL", "L"), "a volume: of a portion, or taken"),
        **dict.fromkeys(("min", "h", "s", "d"), "a time"),
        **dict.fromkeys(("°C", "C", "K"), "a temperature"),
    }.get(unit, "an observation")
    answers: list[str] = []
    if unit in ("mL", "µL", "L") and rest:
        portions = [name for name in run.portion_names if plain(name) == plain(rest)] or near(rest, run.portion_names)
        known = [one.name for one in run.procedure.substances if plain(one.name) == plain(rest)]
        answers = [*(f"take {name} {said}" for name in known), *(f"vol {name} {said}" for name in portions)]
        answers = answers or [f"take {rest} {said}"]
    elif asked == "a time":
        answers = [f"timer {said} {rest}".strip()]
    elif asked == "a temperature":
        answers = [f"temp {other[1]}"]
    raise NotSure(f"{said} is no mass. Is it {asked}?", [*answers, f"note {line}"])


def _line_for(labels: Sequence[str], typed: TypedWeighing) -> str:
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


def _sorted(words: list[str], run: Run) -> TypedWeighing:
    typed = TypedWeighing([])
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


def _how(plain: str, behind: Sequence[str], typed: TypedWeighing) -> int:
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


def _kept(word: str, labels: set[str], rest: list[str], run: Run, typed: TypedWeighing) -> int:
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


def _without_state(words: list[str], run: Run, typed: TypedWeighing) -> list[str]:
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


def _where_it_is(portion: str, run: Run, step: str, techniques: Techniques, typed: TypedWeighing) -> list[str]:
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


def _no_container(typed: TypedWeighing, run: Run, step: str, techniques: Techniques) -> Unreadable:
    """A mass alone: what the step under way weighs is offered."""
    at = run.procedure.step(step) or run.next_step
    answers = []
    if at is not None and at.container:
        expected = expected_at(at, at.container, techniques.kinds)
        labels = " + ".join(at.container)
        answers = [f"{labels} {expected} {typed.after}"] if expected else []
        answers.append(f"{labels} empty {typed.after}")
    return NotSure("Enter the container first, for example: dish 3 salt 33.120.", answers)


def _net_of(labels: list[str], run: Run, step: str, techniques: Techniques, typed: TypedWeighing) -> Meant:
    """The portion of a net that names only its container."""
    if not labels:
        waiting = list(dict.fromkeys(run.portion_names))[:MOST_OFFERED]
        raise NotSure("Which portion is it?", [f"net {name} {typed.after.removeprefix('net ')}" for name in waiting])
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


def _weighed(labels: list[str], portion: str, typed: TypedWeighing, mass: Reading, run: Run, step: str) -> e.Weighed:
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
