"""What somebody means by the name of a portion or a container in a run.

Names 1. A name that is known is taken, whatever its capitals, its punctuation, the order of its words, dry or dried.
Names 2. At a step that weighs one portion in this container, that portion is meant, whatever it is called, unless
         the name is nearly another portion's.
Names 3. A name that is nearly known, or not known, is asked about; a new thing is made only on purpose: with the
         word *new*, or where the run knows no portion yet.
Names 4. Words of command are never names.
"""

from __future__ import annotations

import re
from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import dataclass, field

from helvor.core.engine.run.record import Run
from helvor.core.quantities.reading import Unreadable
from helvor.core.record.alike import MOST_OFFERED, near, or_of, plain
from helvor.core.record.procedure import Step, same
from helvor.core.record.step_kinds import StepKind
from helvor.core.record.typed_line import NotSure

NEW = "new"
GLASS = (
    *("watch glass", "filter paper", "weighing boat", "petri dish"),
    *("dish", "beaker", "flask", "boat", "paper", "vial", "crucible", "bottle", "tube", "cup", "funnel", "jar"),
    *("cylinder", "bowl", "pan", "tray", "basin", "capillary", "pipette", "burette", "cone", "frit", "foil", "mortar"),
    *("lid", "disc", "cap", "stopper", "cover", "thimble", "bag"),
)
"""Words that a container's label begins or ends with, those of two words first. What may as well be what is in it, as
*glass* in glass beads, is none of them."""
KINDS_OF_GLASS = frozenset(
    (
        *("red", "blue", "green", "yellow", "white", "black", "brown", "clear", "amber", "small", "large", "big"),
        *("tall", "flat", "round", "bottom", "bottomed", "conical", "pear", "volumetric", "erlenmeyer", "petri"),
        *("evaporating", "porcelain", "glass", "plastic", "steel", "metal", "paper", "filter", "suction", "separating"),
        *("weighing", "watch", "sample", "test", "screw", "spare", "second", "third", "first", "other", "old", "left"),
        *("right", "büchner", "buchner", "hirsch", "receiving", "receiver", "tared", "melting", "point", "reaction"),
        *("measuring", "crystallizing", "crystallising", "bench", "blank", "folded", "fluted", "dropping", "addition"),
        *("separatory",),
    )
)
"""Words before a word for glassware that say which it is; another one is asked about."""
_NO_VESSELS = frozenset(("oven", "hotplate", "plate", "bath", "burner", "mantle", "balance", "lamp", "hood", "pump"))


@dataclass(frozen=True, slots=True)
class Registered:
    """A container of the class's register.

    Attributes:
        label: what is written on it; holds: what is in it; bench: whose it is, 0 for nobody's.
    """

    code: str
    label: str
    holds: str = ""
    bench: int = 0


def _nothing(_: str) -> str:
    return ""


@dataclass(frozen=True)
class Around:
    """What is known of names outside the run: by the shelf, and by the class's register of containers.

    Attributes:
        one_of: which of some names is another name of a substance; empty for none.
        knows: whether the shelf has a substance of this name.
        formula: a substance's formula; empty where it has none.
        grams: so many mmol of a formula in g, as text.
        register: containers by their code in lower case; own: the number of the bench that types.
        words: the house's own words, as rows of the table of words.
    """

    one_of: Callable[[str, Sequence[str]], str] = lambda name, names: ""
    knows: Callable[[str], bool] = lambda name: False
    formula: Callable[[str], str] = _nothing
    grams: Callable[[str, str], str] = lambda mmol, formula: ""
    register: Mapping[str, Registered] = field(default_factory=dict)
    own: int = 0
    words: tuple[tuple[str, str], ...] = ()

    def with_labels(self, line: str, known: Sequence[str] = ()) -> str:
        """A line with the code of a registered container, typed or scanned, as the label that is written on it.

        Args:
            known: labels that this run has already.

        Raises:
            Unreadable: it is another bench's; NotSure where no container has this code.
        """
        words = line.split(" ")
        for place, word in enumerate(words):
            scanned = _ADDRESS.search(word)  # a hand scanner types the whole address that is printed
            found = self.register.get((scanned[1] if scanned else word.strip(":;,")).casefold())
            if found is None and scanned is not None:
                raise Unreadable(f"{scanned[1].upper()} is no container of this class’s register.")
            if found is None and place == 0 and self.register and word not in known and _CODE.fullmatch(word):
                raise NotSure(f"{word} is no container of this class’s register.", [f"{NEW} {line}"])
            if found is None:
                continue
            if found.bench and self.own and found.bench != self.own:
                holds = f", with {found.holds}" if found.holds else ""
                raise Unreadable(
                    f"{found.code} is {found.label} of bench {found.bench}{holds}, not this bench's: if it was handed "
                    "over, ask the instructor to register it here."
                )
            words[place] = found.label
        return " ".join(words)


_CODE = re.compile(r"(?=.*\d)(?=.*[A-Z])[A-Z0-9]{4}")
_ADDRESS = re.compile(r"[?&]code=([A-Za-z0-9]{4})\b")
NOTHING_AROUND = Around()


@dataclass(frozen=True, slots=True)
class Meant:
    """What a name means: the known name, or the new one; ``typed`` where it was called something else."""

    name: str
    typed: str = ""


def expected_at(step: Step | None, container: Sequence[str], kinds: Mapping[str, StepKind]) -> str:
    """The one portion that a step weighs in a container; empty where it weighs none, or in another."""
    if step is None or step.empty:
        return ""
    kind = kinds.get(step.kind)
    if kind is None or not (kind.weighs or "mass" in step.asks):
        return ""
    labels = {label.casefold() for label in step.container}
    if not labels or labels != {label.casefold() for label in container}:
        return ""
    given = step.on or (step.gives[0] if len(step.gives) == 1 else "")
    return given or (step.takes[0] if len(step.takes) == 1 else "")


def _weighed_in(container: Sequence[str], run: Run, kinds: Mapping[str, StepKind]) -> list[str]:
    """The portions that steps weigh in a container, those of steps not done first."""
    steps = sorted(run.procedure.steps, key=lambda step: step.id in run.done)
    return [name for step in steps if (name := expected_at(step, container, kinds))]


def portion_meant(
    typed: str, container: Sequence[str], run: Run, step: str, kinds: Mapping[str, StepKind], line: str, state: str = ""
) -> Meant:
    """The portion that is meant by what stands after a container.

    Args:
        line: the line with ``{}`` in the place of the portion, for the answers that are offered.
        state: how it is weighed; *dried* may be a word of the portion's own name.

    Raises:
        NotSure: it is not known; the lines say what can be meant.
    """
    known = run.portion_names
    exact = next((name for name in known if same(name, typed)), None)
    if exact is not None:
        return Meant(exact)
    if typed.casefold().startswith(f"{NEW} ") and len(typed) > len(NEW) + 1:
        return Meant(typed[len(NEW) + 1 :].strip())
    alike = [name for name in known if plain(name) in (plain(typed), plain(f"{typed} {state}"))]
    if len(alike) == 1:
        return Meant(alike[0], typed)
    at = run.procedure.step(step) or run.next_step
    expected = expected_at(at, container, kinds)
    maybe = near(typed, known)
    if expected and (not maybe or expected in maybe):
        return Meant(expected, typed)
    if not known or (run.is_blank and not maybe):
        return Meant(typed)
    offered = maybe or list(dict.fromkeys([*_weighed_in(container, run, kinds), *known]))[:MOST_OFFERED]
    sentence = (
        f"No step produces “{typed[:40]}”. Enter {or_of(offered)}; if it is something new, write {NEW} before it."
    )
    raise NotSure(sentence, [*(line.format(name) for name in offered), line.format(f"{NEW} {typed}")])


def containers_meant(labels: Sequence[str], run: Run, commands: Iterable[str], line: str) -> list[str]:
    """The containers that are meant at the beginning of a line.

    Args:
        commands: words that begin a line of another kind.
        line: the line with ``{}`` in the place of the containers.

    Raises:
        NotSure: one is neither known nor called as a container is.
    """
    words = tuple(commands)
    found: list[str] = []
    for label in labels:
        clean = label.rstrip(":;,. ").strip()
        known = _container(clean, run, words)
        if not known:
            raise _which_container(clean, found, run, words, line)
        found.append(known)
    return found


def _container(label: str, run: Run, commands: Sequence[str]) -> str:
    """A label as it is kept; empty where nothing says that it is a container's."""
    known = next((name for name in run.containers if same(name, label)), None)
    if known is not None:
        return known
    if label.casefold().startswith(f"{NEW} ") and len(label) > len(NEW) + 1:
        return label[len(NEW) + 1 :].strip()
    if not label or label.split(" ", maxsplit=1)[0].casefold() in commands:
        return ""
    kit = [name for step in run.procedure.steps for name in step.kit]
    if set(label.casefold().split()) & _NO_VESSELS:
        return ""
    return label if called_as_glass(label) or any(same(label, name) for name in kit) else ""


def _which_container(label: str, found: Sequence[str], run: Run, commands: Sequence[str], line: str) -> NotSure:
    """The question which container is meant, or which command."""
    first = label.split(" ", maxsplit=1)[0].casefold()
    command = list(dict.fromkeys(_SPELLED.get(one, one) for one in near(first, [*commands, *_SPELLED])))
    offered = [name for name in near(label, [*run.containers, *GLASS]) if name not in found]
    lines = [line.format(" + ".join([*found, name])) for name in offered]
    lines += [line.replace("{}", name, 1) for name in command]
    if set(label.casefold().split()) & _NO_VESSELS:
        degrees = re.search(r"\{\}\s*(\d+)", line)
        if degrees is not None:
            return NotSure(
                f"“{label}” is no container: is {degrees[1]} its temperature?", [f"temp {degrees[1]} {label}"]
            )
    degrees = re.search(r"\{\}\s*(\d+(?:[.,]\d+)?)\s*$", line)
    if degrees is not None and _HEAT_WORDS.search(label):
        heat = [f"temp {degrees[1]}", f"note {label} {degrees[1]}"]
        return NotSure(f"“{label[:30]}” is no container: is {degrees[1]} a temperature?", heat)
    if re.search(r"[^\W\d]", label):
        lines.append(line.format(" + ".join([*found, f"{NEW} {label}"])))
        if not offered and len(label) > 2 and not label.casefold().startswith("bench"):
            lines.append(line.format(f"dish 1 {NEW} {label}"))
    elif label.isdecimal():
        lines.append(line.format(f"dish {label}"))
    hint = f"Enter {or_of(offered)}" if offered else "Begin with a container, such as dish 3"
    if command:
        hint += f", or the command {or_of(command)}"
    said = label[:30]
    return NotSure(f"“{said}” is no container here. {hint}; a new one is written {NEW} {said}.", lines)


_HEAT_WORDS = re.compile(
    r"\b(?:cool\w*|heat\w*|warm\w*|boil\w*|dissolv\w*|melt\w*|bath|reached|temperature)\b", re.IGNORECASE
)
_SPELLED = {"temperature": "temp", "volume": "vol", "weigh": "weigh", "delete": "strike", "finished": "done"}
"""Longer words of command, as they may be misspelt."""


def called_as_glass(label: str) -> bool:
    """Whether a label is a container's: a word for glassware with what says which, or a code with a number."""
    words = label.casefold().split(" ")
    alone = {glass for glass in GLASS if " " not in glass}
    if any(label.casefold().startswith(glass) for glass in GLASS if " " in glass):
        return True
    at = next((n for n, word in enumerate(words) if word in alone or word.removesuffix("s") in alone), None)
    if at is not None:
        return all(word in KINDS_OF_GLASS or _is_mark(word) for word in words[:at])
    return len(words) == 1 and bool(re.search(r"\d", label)) and bool(re.search(r"[a-z]", label.casefold()))


def _is_mark(word: str) -> bool:
    return len(word) == 1 or bool(re.search(r"\d", word))
