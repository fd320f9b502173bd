"""The reading line of a run: short typed readings in bench words.

    dish 3 32.514               dish 3, empty and dry
    dish 3 salt 33.120          dish 3 with salt in it, as it came
    dish 3 salt wet 35.2        still wet; never used for a result
    dish 3 salt dried 33.118    after drying; numbered by itself
    dish 3 + paper 2 salt …     several things on the pan together
    net salt 1.312              the tare button took the container off
    dish 3 32.514, dish 4 31.2  several readings in a line
    take potassium chloride 1.02 g        how much really went in
    take salt 15.214 to 14.203            by difference
    take zinc 0.8 g instead magnesium     something else stood in
    vol filtrate 24.5 mL        a volume
    use Hirsch funnel for funnel  other kit than the handout asks for
    done 4 · skip 5 no time     a step is done, or left out with the reason
    tried no new cloud          the outcome of the step's trial, in its words, or passed, failed
    check all                   the step's set-up was seen to; check clamped trap for some of it
    timer 20 oven               a timer of 20 minutes
    temp 45                     what a thermometer showed
    note white fumes            what was seen
    strike dish 3 misread       take a reading back, with the reason
    undo                        take back what was written last

Words may stand in another order (``salt in dish 3: 33.120 g``), in other words (``tare dish 3 32.514``) and in
German, French or Spanish. Masses without a unit are grams; the line says so before it writes.
"""

from __future__ import annotations

import re
from collections.abc import Callable, Sequence
from uuid import UUID

from helvor.core.engine.run import entries as e
from helvor.core.engine.run.moment_line import read_temperature, read_timer
from helvor.core.engine.run.names import NOTHING_AROUND, Around, portion_meant
from helvor.core.engine.run.record import Run, check, gather
from helvor.core.engine.run.strike_line import correct_one, strike_one, take_back
from helvor.core.engine.run.taken_line import ABOUT, AMOUNT, LOOSE, SURE, amount_last, read_taken
from helvor.core.engine.run.weighing_line import is_number, read_weighing
from helvor.core.engine.technique import NO_TECHNIQUES, Command, Techniques
from helvor.core.quantities.reading import Unreadable, parse
from helvor.core.record.alike import or_of
from helvor.core.record.entry import Entry
from helvor.core.record.procedure import Procedure, named, same
from helvor.core.record.typed_line import (
    UNKNOWN_TYPIST,
    NoStepForIt,
    NotSure,
    Typist,
    Understood,
    built,
    look_ahead_id,
    pieces_of,
    read_each,
)
from helvor.core.record.vocabulary import FREE, behind_first, first_word, in_bench_words, plain_numbers

_COMMANDS = ("take", "net", "vol", "use", "done", "skip", "tried", "check", "timer", "temp", "note", "strike", "undo")
_ELSEWHERE = {
    "front": "A solvent front is entered on a plate’s page.",
    "spot": "A spot is entered on a plate’s page.",
    "lane": "A lane is entered on a plate’s page.",
    "level": "The level of an eluent is entered on a plate’s page.",
    "photo": "Add a photograph under Notes and files.",
    "rf": "An Rf is worked out on a plate’s page from its distances.",
}
"""Words that begin a line somewhere else, and what to do here."""


def read_line(
    text: str,
    entries: Sequence[Entry],
    step: str = "",
    techniques: Techniques = NO_TECHNIQUES,
    around: Around = NOTHING_AROUND,
    typist: Typist = UNKNOWN_TYPIST,
    ids: Callable[[int], UUID] = look_ahead_id,
    *,
    sure: bool = False,
) -> list[Understood]:
    """Every reading of a typed line, each against the run with the ones before it.

    Args:
        around: what the shelf and the class know of names and codes.
        typist: who types and when, for what is undone.
        ids: the id that each will be written under.
        sure: what looks like a slip was meant; nobody is there to be asked, as when a device sends what it kept.

    Raises:
        Unreadable: with one sentence for the person; then none of it is written.
    """
    first = first_word(text, _names(gather(entries)), techniques.commands, around.words)

    def one(piece: str, there: Sequence[Entry]) -> Understood:
        return understand(piece, there, step, techniques, around, typist, sure=sure)

    whole = first in FREE or first == "check"
    text = text if whole else _each_with_its_container(text)
    if first == "correct":
        # What stands behind a comma is corrected too: two dryings that were exchanged are put right together.
        word, *_ = text.split()
        text = ", ".join(p if p.casefold().startswith(word.casefold()) else f"{word} {p}" for p in pieces_of(text))
    return read_each(text, entries, one, whole=whole, ids=ids)


_BARE_MASS = re.compile(r"\d+[.,]\d+\s*m?g?")
_DRIED_BEFORE = re.compile(r"\s+(?:dried|dry)(?:\s+\d{1,2})?\s+[\d.,]+\s*m?g?$", re.IGNORECASE)
_STATE = re.compile(r"\s+(?=(?:dried|dry|wet)\b)", re.IGNORECASE)


def _each_with_its_container(text: str) -> str:
    """``dish salt dried 1 33.1, dried 2 33.0`` with the container and its contents before each of them.

    >>> _each_with_its_container("dish salt dried 1 33.1, dried 2 33.0")
    'dish salt dried 1 33.1, dish salt dried 2 33.0'
    >>> _each_with_its_container("dish salt dried 33.1, 33.0")
    'dish salt dried 33.1, dish salt dried 33.0'
    """
    pieces = list[str]()
    for piece in pieces_of(text):
        if pieces and _BARE_MASS.fullmatch(piece) and (dried := _DRIED_BEFORE.search(pieces[-1])):
            pieces.append(f"{pieces[-1][: dried.start()]} dried {piece}")
            continue
        begins = _STATE.match(f" {piece}") is not None and bool(pieces)
        head, *state = _STATE.split(pieces[-1], maxsplit=1) if begins else ("",)
        pieces.append(f"{head} {piece}" if state else piece)
    return ", ".join(pieces) if pieces != pieces_of(text) else text


def understand(
    text: str,
    entries: Sequence[Entry],
    step: str = "",
    techniques: Techniques = NO_TECHNIQUES,
    around: Around = NOTHING_AROUND,
    typist: Typist = UNKNOWN_TYPIST,
    *,
    sure: bool = False,
) -> Understood:
    """Read one typed reading against the run as it stands.

    Args:
        step: id of the step that is being worked on; the reading is put beside it.
        techniques: bring words of their own.
        around: what the shelf and the class know of names and codes.
        typist: who types and when, for what is undone.
        sure: what looks like a slip was meant, as in a record that is taken over; nobody is there to be asked.

    Raises:
        Unreadable: with one sentence for the person.
    """
    run = gather(entries)
    if not text.strip():
        raise Unreadable("Enter a reading, such as dish 3 32.514 or take salt 1.02 g.")
    if first_word(text, _names(run), techniques.commands, around.words) == "note":
        return _note(behind_first(text).split(" "), run, step)
    labelled = around.with_labels(" ".join(text.split()), run.containers)
    spaced = _numbered_glass(
        plain_numbers(labelled), [*run.containers, *(one.label for one in around.register.values())]
    )
    if not any("+" in label for label in run.containers):
        spaced = re.sub(r"(?<=[^\W_])\+(?=[^\W\d_])", " + ", spaced)
    said = in_bench_words(spaced, _names(run), techniques.commands, around.words)
    line = _with_points(said, run)
    line, said_so = _sure(line)
    sure = sure or said_so
    words = line.split(" ")
    first = words[0].casefold().rstrip(":=")
    if right := re.fullmatch(r"(.+?) (?:should|must) (?:be|read|have been) (.+)", line, re.IGNORECASE):
        raise NotSure("Is that a correction?", [f"correct {right[1]} {right[2]}"])
    if first == "undo":
        return take_back(entries, words[1:], typist, run, techniques)
    if first == "strike":
        return strike_one(words[1:], run, techniques)
    if first == "correct":
        if len(words) < 3:
            raise Unreadable("Enter the reading as it should be, for example: correct dish 3 32.516.")
        behind = words[1:]
        return correct_one(_understood(behind, run, step, techniques, around, sure=True), run, " ".join(behind))
    understood = _understood(words, run, step, techniques, around, sure=sure)
    try:
        check(run, understood.payload, None)
    except ValueError as problem:
        raise Unreadable(str(problem)) from problem
    return understood


def _understood(
    words: list[str], run: Run, step: str, techniques: Techniques, around: Around, *, sure: bool
) -> Understood:
    words = _command_first(words, run, techniques)
    first = words[0].casefold().rstrip(":=")
    rest = words[1:]
    if first in ("tried", "check"):
        return (_tried if first == "tried" else _checked)(rest, run, step, techniques)
    if first == "take":
        return read_taken(rest, run, step, around, sure=sure)
    if first == "temp":
        return read_temperature(rest, run, step, techniques)
    if first == "help":
        raise _help(run)
    commands = (*_COMMANDS, *techniques.commands, *_ELSEWHERE)
    own = techniques.commands.get(first)
    if own is not None and not _weighs_a(first, words):
        return _of_technique(own, words, run, step)
    if first in _ELSEWHERE and not any(same(first, name) for name in _names(run)):
        raise Unreadable(_ELSEWHERE[first])
    command = _COMMAND.get(first)
    if command is not None:
        return command(rest, run, step)
    _ask_whether_taken(words, run, around)
    return read_weighing(words, run, step, techniques, commands, sure=sure)


def _weighs_a(first: str, words: Sequence[str]) -> bool:
    """Whether a word that begins a technique's reading is here the name of what was weighed: ``crystals 34.518``."""
    return first in ("crystals", "filtrate") and re.fullmatch(r"\d+[.,]\d+g?", words[-1]) is not None


def _of_technique(own: Command, words: list[str], run: Run, step: str) -> Understood:
    """A technique's own reading; a note is offered where this run has no step for it."""
    try:
        understood = own(words[1:], run, step)
    except NoStepForIt as refused:
        raise NotSure(str(refused), [f"note {' '.join(words)}"]) from refused
    return _whole(understood, words[1:])


def _ask_whether_taken(words: list[str], run: Run, around: Around) -> None:
    """Ask about a substance with a mass and no container: was it taken?

    Raises:
        NotSure: with the line for it.
    """
    said = amount_last([word for word in words if word.casefold() not in ("weigh", "weighed")])
    if len(said) == 2 and re.fullmatch(r"\d[\d.,]*", said[0]) and not is_number(said[1]):
        said = [said[1], said[0]]
    name, amount = " ".join(said[:-1]), said[-1]
    if len(said) < 2 or not is_number(amount) or any(same(name, one) for one in run.portion_names):
        return
    known = named(run.procedure.substances, name)
    unit = f" {known.amount.unit}" if known is not None and known.amount is not None else " g"
    if known is not None or (around.knows(name) and AMOUNT.fullmatch(amount)):
        whole = amount if AMOUNT.fullmatch(amount) else f"{amount}{unit}"
        raise NotSure(f"Was {whole} of {name} taken?", [f"take {name} {whole}"])


_TRAILING = {
    "net": "net",
    "vol": "vol",
    "volume": "vol",
    "taken": "take",
    "took": "take",
    "take": "take",
    "added": "take",
    "done": "done",
    "finished": "done",
    "timer": "timer",
    "skipped": "skip",
    "melts": "melts",
    "mp": "melts",
    "drained": "drain",
    "drain": "drain",
    "solvent": "solvent",
}
"""Words of command that also stand behind what they are of, and how the line begins then."""


def _command_first(words: list[str], run: Run, techniques: Techniques) -> list[str]:
    """The words with that of command in front: ``filtrate vol 24`` as ``vol filtrate 24``."""
    first = words[0].casefold().rstrip(":=")
    plain = {word.casefold() for word in words}
    if first in ("set", "start") and len(words) > 2 and words[1].casefold().rstrip(":") == "timer":
        return ["timer", *words[2:]]
    if first == "use" and len(words) > 2 and not {"for", "instead"} & plain:
        return ["take", *words[1:]]
    if first in _COMMAND or first in _COMMANDS or first in techniques.commands:
        return [first, *(words[2:] if words[1:2] in ([":"], ["="]) else words[1:])]
    if first in _ONWARD or first == "step":
        return _of_a_step(words, run)
    return _trailing_first(words, run, techniques)


def _of_a_step(words: list[str], run: Run) -> list[str]:
    """A line about a step, or one that only says to go on: what is meant is asked where it does not say.

    Raises:
        NotSure: with the step that may be done.
    """
    what = words[2].casefold() if len(words) > 2 and words[0].casefold() == "step" else ""
    if what in ("done", "finished", "skipped", "skip"):
        return [_TRAILING.get(what, "skip"), words[1], *words[3:]]
    number = next((word for word in words[1:] if word.isdecimal()), "")
    following = run.next_step
    if not number and following is not None:
        number = str(run.procedure.steps.index(following) + 1)
    raise NotSure("Is a step done?", [f"done {number}"] if number else [])


def _trailing_first(words: list[str], run: Run, techniques: Techniques) -> list[str]:
    for place, word in enumerate(words[1:], start=1):
        command = _TRAILING.get(word.casefold().rstrip(":="))
        if command == "net":
            return words  # a weighing with the tare button reads its own order
        own = command in ("melts", "drain", "solvent")
        if command is not None and (not own or (command in techniques.commands and not _is_of_a_name(words, run))):
            return [command, *words[:place], *words[place + 1 :]]
    if len(words) > 1 and re.fullmatch(r"[\d.,]+(?:mL|L|µL)", words[-1]):
        name = " ".join(words[:-1]).rstrip(":= ")
        if any(same(name, portion) for portion in run.portion_names):
            return ["vol", *words]
    return words


_ONWARD = frozenset(("next", "finish", "ok", "okay", "ready", "continue"))
"""Words that may mean that a step is done."""


def _is_of_a_name(words: list[str], run: Run) -> bool:
    """Whether the line begins with a container's label, so that it is a weighing."""
    return any(words[: len(label.split())] == label.split() for label in run.containers)


def _numbered_glass(line: str, labels: Sequence[str]) -> str:
    """``dish no. 4``, ``dish #4`` and ``dish4`` as ``dish 4``, where no container is called as it is written."""
    if any(label.casefold() in line.casefold() and re.search(r"[-#.]|[a-z]\d", label) for label in labels):
        return line
    line = re.sub(rf"\b({_GLASS})\s+(?:no\.?|nr\.?|number|#)\s*(?=\d)", r"\1 ", line, flags=re.IGNORECASE)
    return re.sub(rf"\b({_GLASS})[-#]?(?=\d+\s)", r"\1 ", line, flags=re.IGNORECASE)


_GLASS = "dish|beaker|flask|crucible|paper|vial|boat|tube|schale|becherglas|kolben|tiegel"


def _names(run: Run) -> list[str]:
    substances = [substance.name for substance in run.procedure.substances]
    return [*run.containers, *run.portion_names, *substances]


def _sure(line: str) -> tuple[str, bool]:
    said = re.sub(rf"\s+{SURE}!?$", "", line, flags=re.IGNORECASE)
    return said, said != line


_COMMA = re.compile(r"(?<![\d.,])(\d{1,3}),(\d{3})(?=g?$)")


def _with_points(line: str, run: Run) -> str:
    """A mass with a decimal comma as one with a point, where the balance of this run shows three decimals.

    Elsewhere ``32,514`` may be a thousand, and is asked about.

    Raises:
        NotSure: with either.
    """
    comma = _COMMA.search(line)
    first = line.split(" ", maxsplit=1)[0].casefold()
    if comma is None or first in ("vol", "note", "timer", "pour"):
        return line
    point = _COMMA.sub(r"\1.\2", line)
    read = [on.weighed.mass.resolution for on in run.weighings]
    if read and min(read) <= 0.0011:
        return point
    raise NotSure(
        f"“{comma[0]}” could be {comma[1]}.{comma[2]} or {comma[1]}{comma[2]}: write it with a decimal point.",
        [point, _COMMA.sub(r"\1\2", line)],
    )


_FLAGS = frozenset(
    (
        *("upper", "lower", "top", "bottom", "layer", "free", "flows", "moves", "enough", "cold", "ice", "hot", "off"),
        *("of", "the", "with", "in", "into", "to", "at", "from", "a", "and"),
        *("portions", "portion", "times", "x", "each"),
        *("new", "once", "twice", "thrice"),
        *("gone", "tried", "dry", "bubbles", "stopped", "end", "clear", "cloudy", "again", "accepted", "mL", "g", "mm"),
        *("without", "from", "read", "yes", "no", "none", "°c", "c", "away", "left", "leaving", "behind", "stays"),
        *("grains", "move", "freely", "rinse", "mixture", "paper", "ph", "meter", "is", "was", "=", "mixed", "1/min"),
    )
)
"""Words of the techniques' readings that say how, and stand in no entry as they are typed."""


def _whole(understood: Understood, words: list[str]) -> Understood:
    """What was understood, where every word of the line stands in it.

    Raises:
        NotSure: a word would be lost; the line without it, and a note of it, are offered.
    """
    kept = f"{understood.payload.model_dump_json()} {understood.says}".casefold()
    lost = [
        word
        for word in words
        if word.casefold().strip(":;,=()") not in _FLAGS
        and not re.search(r"\d", word)
        and word.casefold().strip(":;,=()").rstrip("s")[:4] not in kept
    ]
    if not lost:
        return understood
    raise NotSure(
        f"“{' '.join(lost)[:40]}” has no place in this reading: remove it, or note it.",
        [f"note {' '.join(words)}"],
    )


def beside(line: str, procedure: Procedure) -> tuple[str, str]:
    """A line with its step before a colon, ``4: solvent 20 mL``: the step's id, and what is typed beside it.

    Without a number, or with one that no step has, it is beside none.
    """
    place, colon, text = line.partition(": ")
    if colon and place.isdecimal() and 0 < int(place) <= len(procedure.steps):
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


def _net(words: list[str], run: Run, step: str) -> Understood:
    if not words or (len(words) == 1 and not is_number(words[0])):
        raise Unreadable("Enter the portion, for example: net salt 1.312.")
    return read_weighing(["net", *words], run, step, NO_TECHNIQUES, _COMMANDS)


def _volume(words: list[str], run: Run, step: str) -> Understood:
    near_it = any(word.casefold() in ABOUT or word.startswith(("~", "≈")) for word in words)
    words = [word.lstrip("~≈") for word in words if word.casefold() not in {*LOOSE, *ABOUT, "~", "≈"}]
    if len(words) > 3 and words[-2] in ("-", "–", "to") and is_number(words[-3]) and is_number(words[-1]):
        words = [*words[:-3], f"{words[-3]}-{words[-1]}"]
    if len(words) > 1 and is_number(words[0]) and not is_number(words[-1]):
        words = [*words[1:], words[0]]
    if len(words) < 2:
        raise Unreadable("Enter the portion and its volume, for example: vol filtrate 24.5 mL.")
    thousand = re.fullmatch(r"(\d{1,3}),(\d{3})(mL|L|µL)?", words[-1])
    if thousand is not None:
        said, unit = " ".join(words[:-1]), thousand[3] or "mL"
        either = f"{thousand[1]}.{thousand[2]}", f"{thousand[1]}{thousand[2]}"
        raise NotSure(
            f"“{words[-1]}” could be {or_of(either)}: write it with a decimal point, or without the comma.",
            [f"vol {said} {one} {unit}" for one in either],
        )
    volume = parse(words[-1], "volume", field_unit="mL")
    if near_it:
        said = " ".join(words[:-1])
        limit = float(f"{0.1 * volume.value:.1g}")
        raise NotSure(
            "How near is it? Enter a ± with it.",
            [f"vol {said} {volume.value:g} ± {limit:g} mL", f"vol {said} {volume}"],
        )
    portion = portion_meant(" ".join(words[:-1]), (), run, step, {}, f"vol {{}} {words[-1]}").name
    return Understood(built(e.VolumeRead, portion=portion, volume=volume, step=step), f"*{portion}*: volume *{volume}*")


def _help(run: Run) -> NotSure:
    label = run.containers[0] if run.containers else "dish 3"
    return NotSure(
        f"Enter a container, its contents and a mass: {label} 32.514. Press ? for all words.",
        [f"{label} 32.514", "take … 1.02 g", "vol … 24 mL", "done", "timer 10", "note …", "undo"],
    )


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
    if re.search(r"[^\W\d]{3}", word):
        called = [
            number
            for number, one in enumerate(run.procedure.steps, start=1)
            if word.casefold() in f"{one.kind} {one.says}".casefold() and one.id not in run.done
        ]
        raise NotSure(
            f"Enter the number of the step, 1 to {len(run.procedure.steps)}.", [f"done {n}" for n in called[:4]]
        )
    if not word.isdecimal() or not 1 <= int(word) <= len(run.procedure.steps):
        raise Unreadable(f"There is no step {word[:10]}: enter 1 to {len(run.procedure.steps)}.")
    return int(word), run.procedure.steps[int(word) - 1].id


def _done(words: list[str], run: Run, step: str) -> Understood:
    words = [word for word in words if word.casefold() not in ("step", "with", "the", "is")]
    if not words:
        if not step:
            following = run.next_step
            answers = [f"done {run.procedure.steps.index(following) + 1}"] if following is not None else []
            raise NotSure("Enter the step, for example: done 4.", answers)
        return Understood(e.Marked(step=step), "this step is done")
    number, key = _step_at(words[0], run)
    return Understood(e.Marked(step=key), f"step *{number}* is done{' again' if key in run.done else ''}")


def _skip(words: list[str], run: Run, step: str) -> Understood:
    words = [word for word in words if word.casefold() not in ("step", "because")]
    if not words:
        raise Unreadable("Enter the step and the reason, for example: skip 5 no time.")
    number, key = _step_at(words[0], run)
    if len(words) < 2:
        sentence = "Enter the step and the reason, for example: skip 5 no time."
        raise NotSure(sentence, [f"skip {number} {why}" for why in ("no time", "not needed", "done by another bench")])
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


def _note(words: list[str], run: Run, step: str) -> Understood:
    return Understood(built(e.Noted, words=" ".join(words), step=step), f"noted: {' '.join(words)}")


_COMMAND: dict[str, Callable[[list[str], Run, str], Understood]] = {
    "net": _net,
    "vol": _volume,
    "use": _use,
    "done": _done,
    "skip": _skip,
    "timer": read_timer,
    "note": _note,
}
