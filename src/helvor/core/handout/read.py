"""From a handout to a procedure: what is proposed, each part beside the sentence that it came from.

Handout 1. Every sentence comes to something: a step, an amount, a caution, the aim, a question, or the words of the
           step beside it. Nothing is lost.
Handout 2. What is sure is proposed; what is doubtful is proposed with its question.
Handout 3. Steps hang together by what they work on: what the sentence names, else what the kind of step is for.
Handout 4. An amount that enters a result is exact: what is weighed out first, what is said to be weighed or measured
           accurately. All else is about.
"""

from __future__ import annotations

import re
from collections.abc import Mapping
from dataclasses import dataclass
from functools import lru_cache

from helvor.core.handout.open_step import OpenStep
from helvor.core.handout.reader import Reader
from helvor.core.handout.sentences import MOST_CHARACTERS, Sentence, sentences_of
from helvor.core.handout.substances import AID, ProposedSubstance, Substances
from helvor.core.handout.wiring import ProposedStep, wire
from helvor.core.record.known import Known
from helvor.core.record.procedure import MOST_QUESTIONS, Procedure, StudyQuestion
from helvor.core.record.step_kinds import StepKind

MOST_SUBSTANCES = 40
NO_STEP = "words"
"""Chosen for a step: it is none, its words go with the step before it."""


class NoHandout(ValueError):
    """A text of which no procedure can be made; its message is one sentence for the person."""


@dataclass(frozen=True, slots=True)
class HandoutRead:
    """A handout as it is understood.

    Attributes:
        procedure: as proposed, every step and substance in it.
        sentences: of the text, in order; fate: number of a sentence → what came of it, in words.
        questions: of the handout to its readers; blanks: lines to be filled in.
    """

    procedure: Procedure
    sentences: tuple[Sentence, ...]
    fate: Mapping[int, str]
    steps: tuple[ProposedStep, ...]
    substances: tuple[ProposedSubstance, ...]
    questions: tuple[str, ...] = ()
    blanks: tuple[str, ...] = ()

    @property
    def doubtful(self) -> int:
        """How many proposals are asked about."""
        return sum(bool(one.doubts) for one in self.steps) + sum(bool(one.doubts) for one in self.substances)


def read_handout(
    text: str, kinds: Mapping[str, StepKind], known: Known, chosen: Mapping[int, str] | None = None
) -> HandoutRead:
    """Propose the procedure of a handout (Handout 1 to 4).

    Args:
        kinds: every kind of step by key.
        known: what the shelf knows of a name.
        chosen: number of a step as it is proposed without it, from 1 → the kind that somebody chose for it, or
            :data:`NO_STEP`.

    Raises:
        NoHandout: it is empty, too long, or nothing in it is done.
    """
    if not text.strip():
        raise NoHandout("Paste the text of your handout, or choose its file.")
    if len(text) > MOST_CHARACTERS:
        raise NoHandout(f"Paste at most {MOST_CHARACTERS} characters: one procedure at a time.")
    sentences = sentences_of(text)
    known = lru_cache(maxsize=None)(known)  # the same names are looked up for each sentence
    reader = Reader(known)
    for sentence in sentences:
        reader.take(sentence)
    reader.end()
    steps = _as_chosen(reader.steps, chosen or {}, kinds)
    if not steps:
        raise NoHandout("Nothing in this text says what to do. Paste the part with the steps.")
    substances = Substances(known)
    first = next(
        (step for step in steps if any(one.unit == "g" and not AID.search(one.name) for one in step.found)), None
    )
    for step in steps:
        substances.of_step(step, first=step is first)
    for one, place in reader.materials:
        substances.of_list(one, place)
    wired = wire(steps, substances, kinds)
    found = substances.found[:MOST_SUBSTANCES]
    procedure = Procedure(
        title=short_title(reader.title or "From a handout"),
        aim=_short(" ".join(reader.aim)),
        hazards=_short(" ".join(reader.hazards)),
        substances=tuple(one.substance for one in found),
        steps=tuple(one.step for one in wired),
        questions=_questions(reader.questions),
    )
    return HandoutRead(
        procedure,
        tuple(sentences),
        reader.fates(),
        tuple(wired),
        tuple(found),
        tuple(reader.questions),
        tuple(reader.blanks),
    )


def _as_chosen(steps: list[OpenStep], chosen: Mapping[int, str], kinds: Mapping[str, StepKind]) -> list[OpenStep]:
    """The steps with the kinds that somebody chose; what is no step gives its words to the one before it."""
    kept: list[OpenStep] = []
    before: list[OpenStep] = []  # what is no step, before there is one
    for number, step in enumerate(steps, start=1):
        kind = chosen.get(number, "")
        if kind == NO_STEP:
            if kept:
                kept[-1].takes_in(step)
            else:
                before.append(step)
            continue
        for other in reversed(before):
            step.takes_in(other, first=True)
        before.clear()
        if kind in kinds:
            step.kind = kind
            step.doubts = []
        kept.append(step)
    return kept


def _questions(asked: list[str]) -> tuple[StudyQuestion, ...]:
    """The handout's questions as the procedure's, as many as it can have; those of a word or two are none."""
    whole = [_short(text) for text in dict.fromkeys(asked) if len(text) >= SHORTEST_QUESTION]
    return tuple(StudyQuestion(asks=text) for text in whole[:MOST_QUESTIONS])


SHORTEST_QUESTION = 6
"""Characters."""


def short_title(text: str) -> str:
    """A title of at most 40 characters, in whole words, without *Experiment 4:* before it.

    >>> short_title("Experiment 4: Sulfate in garden salt")
    'Sulfate in garden salt'
    """
    said = re.sub(r"^(?:experiment|practical|lab|exercise)\s*\d*\s*[:.–-]\s*", "", text, flags=re.IGNORECASE)
    return said if len(said) <= 40 else said[:40].rsplit(" ", 1)[0].rstrip(" ,:;-")


def _short(text: str) -> str:
    return text if len(text) <= 400 else f"{text[:398].rsplit(' ', 1)[0]} …"
