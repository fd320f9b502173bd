"""Taking back and correcting by a typed line: ``strike dish 3 misread``, ``correct dish 3 salt 33.121``, ``undo``."""

from __future__ import annotations

import re
from collections.abc import Sequence
from uuid import UUID

from helvor.core.engine.run import entries as e
from helvor.core.engine.run.record import Run, check
from helvor.core.engine.technique import Techniques
from helvor.core.quantities.reading import Unreadable
from helvor.core.record.entry import Entry, Payload, Struck
from helvor.core.record.typed_line import NotSure, Typist, Understood, taken_back

REASONS = ("misread", "typing slip", "wrong container", "spilt")
"""Why a reading of a run is most often taken back, offered where nobody said why."""
_NO_READINGS = frozenset(
    ("following", "step-added", "substance-added", "portion-said", "attached", "handout-corrected")
)
_ANY = frozenset(("the", "last", "reading", "of", "weighing"))
_MOST = 4


def brief(payload: Payload, techniques: Techniques) -> str:
    """A reading in few words, as it is named when it is taken back."""
    match payload:
        case e.Weighed() as said:
            what = f" {said.portion}" if said.portion else ""
            state = {"dried": f" dried {said.round}", "wet": " wet", "empty, damp": " damp"}.get(said.state, "")
            return f"{said.name}{what}{state} {said.mass.number}"
        case e.Taken() as said:
            return f"take {said.substance} {said.amount or f'{said.before} to {said.after}'}"
        case e.VolumeRead() as said:
            return f"vol {said.portion} {said.volume}"
        case e.Marked() as said:
            return f"step {said.how}"
        case e.Noted() as said:
            return f"note {said.words or ', '.join(said.picks)}".strip()
        case e.TimerSet() as said:
            return f"timer {said.minutes:g} min {said.label}".strip()
        case Struck():
            return "the last strike"
    return techniques.describe(payload) or payload.kind.replace("-", " ")


def take_back(
    entries: Sequence[Entry], words: list[str], typist: Typist, run: Run, techniques: Techniques
) -> Understood:
    """Undo: see :func:`helvor.core.record.typed_line.taken_back`; what names a reading is asked about.

    Raises:
        NotSure: the words name a reading, which may not be the last one.
    """
    named_, size = _called(words, _standing(run, techniques))
    if named_ and size == len(words) and words:
        newest = entries[-1].id if entries else None
        if [key for key, _ in named_] != [newest]:
            raise NotSure(
                "Undo takes back what was written last. To take another reading back, strike it out.",
                [*(f"strike {name} {REASONS[0]}" for _, name in named_[:_MOST]), "undo"],
            )
        words = []
    return taken_back(entries, " ".join(words), typist, lambda entry: brief(entry.payload, techniques), REASONS)


def _standing(run: Run, techniques: Techniques) -> list[tuple[UUID, str]]:
    """The readings that stand, the newest first, each with what it is called."""
    return [
        (line.head.id, brief(line.head.payload, techniques))
        for line in reversed(run.lines)
        if line.stands and line.head.payload.kind not in _NO_READINGS
    ]


def strike_one(words: list[str], run: Run, techniques: Techniques) -> Understood:
    """Take a reading back: its words, then the reason.

    Raises:
        NotSure: none or several readings have these words, or there is no reason.
    """
    there = _standing(run, techniques)
    if words and words[0].casefold() == "last" and there:
        found, size = [there[0]], 1
    else:
        found, size = _called(words, there)
    if not found:
        raise NotSure(
            f"No reading here is called “{' '.join(words)[:30]}”: enter its container or its substance, and why.",
            [f"strike {name} {REASONS[0]}" for _, name in there[:_MOST]],
        )
    reason = " ".join(words[size:]).strip(" ,:;-").removeprefix("because ")
    if len(found) > 1:
        raise NotSure(
            "Which of these is taken back?",
            [f"strike {name} {reason or REASONS[0]}" for _, name in found[:_MOST]],
        )
    key, name = found[0]
    if len(reason) < 2 or not re.search(r"[^\W\d]{2}", reason):
        raise NotSure(f"Enter why {name} is struck out.", [f"strike {name} {why}" for why in REASONS])
    payload = Struck()
    try:
        check(run, payload, key)
    except ValueError as problem:
        raise Unreadable(str(problem)) from problem
    return Understood(payload, f"strike out *{name}*: {reason}", key, reason)


def _called(words: list[str], there: Sequence[tuple[UUID, str]]) -> tuple[list[tuple[UUID, str]], int]:
    """The readings that the longest beginning of the words names, and how many words that are."""
    for size in range(len(words), 0, -1):
        said = [word.casefold().strip(":;,") for word in words[:size] if word.casefold() not in _ANY]
        if not said:
            continue
        found = []
        for key, name in there:
            own = name.casefold().replace(",", "").split()
            if all(word in own for word in said):
                found.append((key, name))
        if found:
            return found, size
    return [], 0


_NUMBERED = re.compile(r"\b(?:dried|dry)\s+\d\b|\b(?:first|second|third|fourth|1st|2nd|3rd)\s+dr", re.IGNORECASE)


def correct_one(understood: Understood, run: Run, typed: str) -> Understood:
    """A reading that takes the place of the one of the same thing: of the drying that is numbered, else of the newest.

    Raises:
        Unreadable: there is none; NotSure where there is none of that number.
    """
    new = understood.payload
    there = [
        line
        for line in reversed(run.lines)
        if line.stands and line.head.payload.kind == new.kind and _same_thing(line.head.payload, new)
    ]
    says = understood.says
    if isinstance(new, e.Weighed) and there:
        rounds = {old.round: line for line in there if isinstance(old := line.head.payload, e.Weighed)}
        if new.round not in rounds and _NUMBERED.search(typed):
            plain = _NUMBERED.sub("dried {}", typed)
            raise NotSure(
                f"There is no drying {new.round} of {new.portion} here: which one is corrected?",
                [f"correct {plain.format(number)}" for number in rounds],
            )
        line = rounds.get(new.round, there[0])
        old = line.head.payload
        if isinstance(old, e.Weighed):
            says = says.replace(f"dried {new.round}", f"dried {old.round}")
            new = new.model_copy(update={"round": old.round, "step": old.step})
        there = [line]
    if there:
        was = there[0].head.payload
        stood = f"{was.mass}" if isinstance(was, e.Weighed) else "the earlier reading"
        return Understood(new, f"{says}, in place of {stood}", there[0].head.id, "read again")
    raise Unreadable("There is no earlier reading of this to correct: enter it without the word correct.")


def _same_thing(old: Payload, new: Payload) -> bool:
    match old, new:
        case e.Weighed() as was, e.Weighed() as now:
            same_contents = was.portion.casefold() == now.portion.casefold()
            return was.pan == now.pan and same_contents and was.state == now.state
        case e.Taken() as was, e.Taken() as now:
            return was.substance.casefold() == now.substance.casefold()
        case e.VolumeRead() as was, e.VolumeRead() as now:
            return was.portion.casefold() == now.portion.casefold()
        case e.Noted(), e.Noted():
            return True
    return getattr(old, "step", None) == getattr(new, "step", None)
