"""The reading line of a run: short typed readings in bench words.

    dish 3 32.514               dish 3, empty and dry
    dish 3 salt 33.120          dish 3 with salt in it, as it came
    dish 3 salt wet 35.2        still wet; never used for a result
    dish 3 salt dried 33.118    after drying; numbered by itself
    dish 3 + paper 2 salt …     several things on the pan together
    net salt 1.312              the tare button took the container off
    take potassium chloride 1.02 g        how much really went in
    take salt 15.214 to 14.203            by difference
    take zinc 0.8 g instead magnesium     something else stood in
    vol filtrate 24.5 mL        a volume
    use Hirsch funnel for funnel  other kit than the handout asks for
    done 4 · skip 5 no time     a step is done, or left out with the reason
    tried no new cloud          the outcome of the step's trial, in its words, or passed, failed
    check all                   the step's set-up was seen to; check clamped trap for some of it
    timer 20 oven               a timer of 20 minutes
    note white fumes            what was seen
    strike …                    is done with the reading itself, by its button

Masses without a unit are grams; the line says so before it writes.
"""

from __future__ import annotations

import re
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

from pydantic import ValidationError

from helvor.core.engine.run import entries as e
from helvor.core.engine.run.names import GLASS, Meant, containers_meant, portion_meant
from helvor.core.engine.run.record import Run, check, gather
from helvor.core.engine.technique import NO_TECHNIQUES, Techniques
from helvor.core.quantities.reading import Reading, Unreadable, parse, parse_amount
from helvor.core.record.entry import Entry, Payload
from helvor.core.record.procedure import Procedure, named, same

_COMMANDS = ("take", "net", "vol", "use", "done", "skip", "tried", "check", "timer", "note")
_GLASS = tuple(tuple(glass.split()) for glass in GLASS)
"""Words that a container's label begins with; what follows label and number is what is in it."""
_STATES = {
    "empty": "empty",
    "airdry": "empty, air-dry",
    "air-dry": "empty, air-dry",
    "damp": "empty, damp",
    "wet": "wet",
    "dried": "dried",
    "dry": "dried",
}


@dataclass(frozen=True, slots=True)
class Understood:
    """What a typed line means, before it is written; ``says`` has readings between asterisks."""

    payload: Payload
    says: str


def understand(
    text: str, entries: Sequence[Entry], step: str = "", techniques: Techniques = NO_TECHNIQUES
) -> Understood:
    """Read one typed line against the run as it stands.

    Args:
        step: id of the step that is being worked on; the reading is put beside it.
        techniques: bring words of their own.

    Raises:
        Unreadable: with one sentence for the person.
    """
    run = gather(entries)
    line = re.sub(r"(?<=[\d.])\s+(?=(?:mg|g|kg|mL|ml|µL|L|mm|min)\b)", "", " ".join(text.split()))
    words = line.split(" ")
    if not line:
        raise Unreadable("Enter a reading, such as dish 3 32.514 or take salt 1.02 g.")
    first = words[0].casefold()
    command = _COMMAND.get(first) or techniques.commands.get(first)
    if first in ("tried", "check"):
        understood = (_tried if first == "tried" else _checked)(words[1:], run, step, techniques)
    elif first in _ELSEWHERE:
        raise Unreadable(_ELSEWHERE[first])
    else:
        understood = command(words[1:], run, step) if command else _weighing(words, run, step, techniques)
    try:
        check(run, understood.payload, None)
    except ValueError as problem:
        raise Unreadable(str(problem)) from problem
    return understood


def beside(line: str, procedure: Procedure) -> tuple[str, str]:
    """A line with its step before a colon, ``4: solvent 20 mL``: the step's id, and what is typed beside it.

    Without a number, or with one that no step has, it is beside none.
    """
    place, colon, text = line.partition(": ")
    if colon and place.isdigit() and 0 < int(place) <= len(procedure.steps):
        return procedure.steps[int(place) - 1].id, text
    return "", line


def complete(text: str, entries: Sequence[Entry], techniques: Techniques = NO_TECHNIQUES) -> list[str]:
    """Words that could come next, most likely first."""
    run = gather(entries)
    words = text.split(" ")
    stub, before = words[-1].casefold(), " ".join(words[:-1]).casefold().strip()
    substances = [s.name for s in run.procedure.substances]
    if len(words) == 1:
        offered = [*run.containers, *_COMMANDS, *techniques.commands]
    elif words[0].casefold() == "take":
        offered = substances if len(words) == 2 else ["instead"]
    elif words[0].casefold() in ("vol", "net"):
        offered = run.portion_names
    elif words[0].casefold() in ("done", "skip"):
        offered = [str(i) for i, s in enumerate(run.procedure.steps, 1) if s.id not in run.done]
    elif any(before.startswith(label.casefold()) for label in run.containers):
        offered = [*run.portion_names, "wet", "dried", "damp"]
    else:
        offered = [label.partition(" ")[2] for label in run.containers if label.casefold().startswith(before + " ")]
    return [word for word in offered if word.casefold().startswith(stub) and word.casefold() != stub][:6]


def built(model: type[Payload], **fields: Any) -> Payload:
    """An entry from what was read.

    Raises:
        Unreadable: with the sentence of what does not go together.
    """
    try:
        return model(**fields)
    except ValidationError as invalid:
        message = invalid.errors()[0]["msg"].removeprefix("Value error, ")
        raise Unreadable(re.sub(r"^\w+: ", "", message)) from invalid


def _mass(word: str, what: str) -> Reading:
    try:
        return parse(word, "mass", field_unit="g")
    except Unreadable as unreadable:
        raise Unreadable(f"{what}: {unreadable}") from unreadable


def _is_number(word: str) -> bool:
    return re.match(r"[\d.,+\-−–]", word) is not None


_ELSEWHERE = {
    "strike": "To strike a reading out, open it under Last readings and press Strike out.",
    "delete": "To strike a reading out, open it under Last readings and press Strike out.",
    "undo": "To take back the last reading, open it under Last readings and press Strike out.",
    "correct": "To correct a reading, open it under Last readings and press Correct.",
    "help": "Press ? for all commands; a weighing is a container, its contents and a mass: dish 3 salt 33.120.",
    "front": "A solvent front is entered on a plate’s page.",
    "spot": "A spot is entered on a plate’s page.",
    "level": "The level of an eluent is entered on a plate’s page.",
    "photo": "Add a photograph under Notes and files.",
}
"""Words that begin a line somewhere else, and what to do here."""


def _weighing(words: list[str], run: Run, step: str, techniques: Techniques, way: str = "gross") -> Understood:
    if len(words) < 2 or not _is_number(words[-1]):
        raise Unreadable(
            f"“{' '.join(words)[:40]}” is not clear: enter a container, its contents and a mass, such as "
            "dish 3 salt 33.120; or start with take, vol, done, skip, timer or note."
        )
    mass = _mass(words[-1], "The mass")
    rest, state, number = _state(words[:-1])
    portion, labels = _split([word.rstrip(":;") for word in rest], run)
    if not labels:
        raise Unreadable("Enter the container first, for example: dish 3 salt 33.120.")
    after = " ".join([*words[len(rest) :]])
    commands = (*_COMMANDS, *techniques.commands, *_ELSEWHERE)
    labels = containers_meant(labels, run, commands, " ".join(filter(None, ("{}", portion, after))))
    meant = Meant(portion)
    if portion:
        line = f"{' + '.join(labels)} {{}} {after}"
        meant = portion_meant(portion, labels, run, step, techniques.kinds, line, state)
        portion = meant.name
    if not state:
        state = "as is" if portion else "empty"
    if portion and state.startswith("empty"):
        raise Unreadable(f"“empty” and the content {portion} contradict each other: remove one.")
    if not portion and not state.startswith("empty"):
        known = ", ".join(run.portion_names) or "such as salt"
        raise Unreadable(f"Enter what is in {' '.join(labels)}: {known}.")
    if state == "dried":
        number = number or run.next_round(labels, portion)
    payload = built(
        e.Weighed, container=tuple(labels), portion=portion, state=state, round=number, way=way, mass=mass, step=step
    )
    assert isinstance(payload, e.Weighed)
    called = f" (“{meant.typed}”)" if meant.typed else ""
    what = f" with *{portion}*{called}" if portion else ""
    how = f"{e.STATES[state]} {number}" if number else e.STATES[state]
    return Understood(payload, f"{payload.name}{what}, {how}: *{mass}*")


def _state(words: list[str]) -> tuple[list[str], str, int | None]:
    """A weighing's words without its state at the end, the state, and the number of a drying."""
    state, number = "", None
    if len(words) > 1 and words[-1].isdigit() and words[-2].casefold() in ("dried", "dry"):
        number, words = int(words[-1]), words[:-1]
    if len(words) > 1 and words[-1].casefold() in _STATES:
        state, words = _STATES[words[-1].casefold()], words[:-1]
    return words, state, number


def _split(words: list[str], run: Run) -> tuple[str, list[str]]:
    """Portion and container labels of ``dish 3 + paper 2 salt``: the longest known portion at the end,
    else whatever follows the longest known container, or a word for glass, at the start; else no portion.
    """
    for size in range(len(words) - 1, 0, -1):
        tail = " ".join(words[-size:])
        found = next((name for name in run.portion_names if same(name, tail)), None)
        if found is not None and not any(same(" ".join(words), label) for label in run.containers):
            return found, _labels(words[:-size])
    plus = max((i for i, word in enumerate(words) if word == "+"), default=-1) + 1
    last = [word.casefold() for word in words[plus:]]
    glass = next((len(glass) for glass in _GLASS if tuple(last[: len(glass)]) == glass), 0)
    # A number or a single letter after it belongs to the label: dish 3, beaker A.
    numbered = glass > 0 and len(last) > glass and (last[glass].isdigit() or len(last[glass]) == 1)
    size = glass + numbered
    if not numbered:
        known = [n for n in range(len(last) - 1, 0, -1) if any(same(" ".join(last[:n]), c) for c in run.containers)]
        size = known[0] if known else size
    if not size:
        size = next((i + 1 for i, word in enumerate(last) if word.isdigit()), 0)
    if size and size < len(last):
        return " ".join(words[plus + size :]), _labels(words[: plus + size])
    return "", _labels(words)


def _labels(words: list[str]) -> list[str]:
    return [label.strip() for label in " ".join(words).split("+") if label.strip()]


def _net(words: list[str], run: Run, step: str) -> Understood:
    if len(words) < 2:
        raise Unreadable("Enter the portion, for example: net salt 1.312.")
    mass = _mass(words[-1], "The net")
    meant = portion_meant(" ".join(words[:-1]), (), run, step, {}, f"net {{}} {words[-1]}")
    portion = meant.name
    payload = built(
        e.Weighed, container=("tared pan",), portion=portion, state="as is", way="net", mass=mass, step=step
    )
    return Understood(payload, f"*{portion}* with the tare button: net *{mass}*")


_STRENGTHS = ("m", "mol/l", "mm", "%", "n")
"""Words after a number that belong to the name of a solution: 1 M sodium hydroxide, 10 % sodium carbonate."""


def _amount_last(words: list[str]) -> list[str]:
    """``15mL of water`` with the amount behind the name, as it is read."""
    if len(words) > 1 and re.fullmatch(r"[\d.,]+(?:mg|g|kg|mL|ml|µL|L)", words[0]) and not _is_number(words[-1]):
        rest = words[2:] if words[1].casefold() == "of" else words[1:]
        return [*rest, words[0]]
    return words


def _named_to(words: list[str], run: Run) -> int:
    """How many of the first words are a name that begins with a number itself, such as 3 M hydrochloric acid."""
    known = [n for s in run.procedure.substances if same(" ".join(words[: (n := len(s.name.split()))]), s.name)]
    if known:
        return max(known)
    return 2 if len(words) > 3 and _is_number(words[0]) and words[1].casefold() in _STRENGTHS else 0


def _take(words: list[str], run: Run, step: str) -> Understood:
    instead = ""
    if "instead" in [word.casefold() for word in words]:
        at = [word.casefold() for word in words].index("instead")
        instead = " ".join(word for word in words[at + 1 :] if word.casefold() != "of")
        words = words[:at]
    words = _amount_last(words)
    named_to = _named_to(words, run)
    numbers = [i for i, word in enumerate(words) if i >= named_to and _is_number(word) and re.search(r"\d", word)]
    if not numbers or numbers[0] == 0:
        raise Unreadable(
            "Enter the substance and its amount, for example: take potassium chloride 1.02 g, or take salt 15.214 "
            "to 14.203."
        )
    name = " ".join(words[: numbers[0]])
    known = named(run.procedure.substances, name)
    substance = known.name if known else name
    rest = [word for word in words[numbers[0] :] if word.casefold() not in ("to", "→", "-")]
    if len(rest) == 2:
        before, after = _mass(rest[0], "Before"), _mass(rest[1], "After")
        payload = built(
            e.Taken, substance=substance, before=before, after=after, step=step, **_instead(instead, substance)
        )
        return Understood(
            payload, f"*{substance}* by difference: {before} to {after}, *{before.value - after.value:.3f} g*"
        )
    if len(rest) != 1:
        raise Unreadable(f"“{' '.join(rest)[:30]}” is not an amount: enter it with its unit, such as 1.02 g.")
    amount = parse_amount(rest[0])
    payload = built(e.Taken, substance=substance, amount=amount, step=step, **_instead(instead, substance))
    target = f", {known.amount} planned" if known and known.amount else ""
    stood_in = f" ({instead} instead)" if instead else ""
    return Understood(payload, f"took *{amount}* of {substance}{stood_in}{target}")


def _instead(instead: str, substance: str) -> dict[str, str]:
    return {"instead": instead} if instead and not same(instead, substance) else {}


def _volume(words: list[str], run: Run, step: str) -> Understood:
    if len(words) < 2:
        raise Unreadable("Enter the portion and its volume, for example: vol filtrate 24.5 mL.")
    volume = parse(words[-1], "volume", field_unit="mL")
    portion = portion_meant(" ".join(words[:-1]), (), run, step, {}, f"vol {{}} {words[-1]}").name
    return Understood(built(e.VolumeRead, portion=portion, volume=volume, step=step), f"*{portion}*: volume *{volume}*")


def _use(words: list[str], run: Run, step: str) -> Understood:
    at = next((i for i, word in enumerate(words) if word.casefold() in ("for", "instead")), 0)
    rest = [word for word in words[at + 1 :] if word.casefold() != "of"]
    if not at or not rest:
        raise Unreadable("Enter what you used and for what, for example: use Hirsch funnel for funnel.")
    kit, instead = " ".join(rest), " ".join(words[:at])
    here = run.procedure.step(step)
    known = next((one for one in (here.kit if here else ()) if same(one, kit)), kit)
    return Understood(built(e.UsedInstead, kit=known, instead=instead, step=step), f"used *{instead}* for {known}")


def _step_at(word: str, run: Run) -> tuple[int, str]:
    if not word.isdigit() or not 1 <= int(word) <= len(run.procedure.steps):
        raise Unreadable(f"There is no step {word[:10]}: enter 1 to {len(run.procedure.steps)}.")
    return int(word), run.procedure.steps[int(word) - 1].id


def _done(words: list[str], run: Run, step: str) -> Understood:
    if not words:
        if not step:
            raise Unreadable("Enter the step, for example: done 4.")
        return Understood(e.Marked(step=step), "this step is done")
    number, key = _step_at(words[0], run)
    return Understood(e.Marked(step=key), f"step *{number}* is done{' again' if key in run.done else ''}")


def _skip(words: list[str], run: Run, step: str) -> Understood:
    if len(words) < 2:
        raise Unreadable("Enter the step and the reason, for example: skip 5 no time.")
    number, key = _step_at(words[0], run)
    why = " ".join(words[1:])
    return Understood(built(e.Marked, step=key, how="skipped", why=why), f"step *{number}* is skipped: {why}")


def _tried(words: list[str], run: Run, step: str, techniques: Techniques) -> Understood:
    said = " ".join(words).casefold()
    here = run.procedure.step(step)
    trials = techniques.trials(here.kind) if here else ()
    if not trials:
        raise Unreadable("This step has no test: open the step that has one.")
    for trial in trials:
        for passed, own in ((True, trial.passed), (False, trial.failed)):
            if said in (own.casefold(), "passed" if passed else "failed"):
                return Understood(built(e.Tried, step=step, trial=trial.key, passed=passed), f"tested: *{own}*")
    offered = " or ".join(word for trial in trials for word in (trial.passed, trial.failed))
    raise Unreadable(f"Enter the result, for example: tried {offered}.")


def _checked(words: list[str], run: Run, step: str, techniques: Techniques) -> Understood:
    here = run.procedure.step(step)
    known = list(dict.fromkeys(check.key for check in techniques.checks(here.kind))) if here else []
    if not known:
        raise Unreadable("This step has no set-up checks.")
    asked = known if [word.casefold() for word in words] == ["all"] else [word.casefold() for word in words]
    odd = [word for word in asked if word not in known]
    if odd or not asked:
        raise Unreadable(f"Enter check all, or some of {', '.join(known)}.")
    ticked = run.checked.get(step, frozenset()) | set(asked)
    payload = built(e.Checked, step=step, checks=tuple(key for key in known if key in ticked))
    return Understood(payload, f"checked: {', '.join(asked)}")


def _timer(words: list[str], run: Run, step: str) -> Understood:
    said = re.match(r"(\d+(?:[.,]\d+)?)\s*(min(?:utes?)?|h(?:ours?|r)?|s(?:ec(?:onds?)?)?|)(?=\s|$)", " ".join(words))
    if said is None:
        raise Unreadable("Enter the minutes, for example: timer 20 oven, or timer 1.5 h.")
    minutes = float(said[1].replace(",", ".")) * {"h": 60, "s": 1 / 60}.get(said[2][:1], 1)
    label = " ".join(words)[said.end() :].strip()
    payload = built(e.TimerSet, minutes=minutes, label=label, step=step)
    return Understood(payload, f"timer of *{minutes:g} min*{f' for {label}' if label else ''}")


def _note(words: list[str], run: Run, step: str) -> Understood:
    return Understood(built(e.Noted, words=" ".join(words), step=step), f"noted: {' '.join(words)}")


_COMMAND = {
    "take": _take,
    "net": _net,
    "vol": _volume,
    "use": _use,
    "done": _done,
    "skip": _skip,
    "timer": _timer,
    "note": _note,
}
