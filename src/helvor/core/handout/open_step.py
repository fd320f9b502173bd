"""A step of a handout while its sentences are read, and a clause that may go on with it."""

from __future__ import annotations

import re
from dataclasses import dataclass, field

from helvor.core.handout.amounts import Found, Vessel
from helvor.core.handout.times import minutes_in

FUNNEL = ("extract", "wash layer")
SOLID_WORDS = re.compile(
    r"\b(?:crystals?|solids?|precipitate|product|residue|cake|needles|beads|sand)\b", re.IGNORECASE
)


@dataclass(frozen=True, slots=True)
class Clause:
    """A thing that a sentence tells to do.

    Attributes:
        kind: of step, by its own words; empty for none. found: its amounts.
        same_sentence: whether the step before it stands in the same sentence.
    """

    kind: str
    text: str
    found: tuple[Found, ...] = ()
    same_sentence: bool = False

    def has(self, pattern: str) -> bool:
        return re.search(pattern, self.text, re.IGNORECASE) is not None

    @property
    def minutes(self) -> int:
        return minutes_in(self.text)


@dataclass
class OpenStep:
    """A step while its sentences are read.

    Attributes:
        words, sentences: pieces of the text, and the numbers of their sentences.
        found, vessels: amounts and vessels in them; adds: substances that are named without an amount.
        times: how often it is done over; parted: of a funnel, whether its layers were parted already.
        filled: of a weighing, whether something is on the paper that is named.
    """

    kind: str
    words: list[str] = field(default_factory=list)
    sentences: list[int] = field(default_factory=list)
    found: list[Found] = field(default_factory=list)
    vessels: list[Vessel] = field(default_factory=list)
    adds: list[str] = field(default_factory=list)
    celsius: float | None = None
    minutes: int = 0
    meeting: int = 1
    times: int = 1
    cautions: list[str] = field(default_factory=list)
    doubts: list[str] = field(default_factory=list)
    parted: bool = False
    filled: bool = False

    def takes_in(self, other: OpenStep, *, first: bool = False) -> None:
        """The words of another step, with their amounts, behind its own or before them."""
        for name in ("words", "sentences", "found", "vessels", "adds", "cautions"):
            mine, theirs = getattr(self, name), getattr(other, name)
            setattr(self, name, theirs + mine if first else mine + theirs)
        self.minutes += other.minutes

    @property
    def whole(self) -> str:
        """Its words: pieces of one sentence between commas, sentences after full stops."""
        said = ""
        for words in self.words:
            clean = words.strip()
            if said and said[-1] in ".!?:":
                said += f" {clean[0].upper()}{clean[1:]}"
            else:
                said += f", {clean}" if said else clean
        return said

    def has(self, pattern: str) -> bool:
        """Whether its first dozen clauses say something; a step of more is a text without full stops."""
        return re.search(pattern, ", ".join(self.words[:12]), re.IGNORECASE) is not None

    @property
    def weighs_out(self) -> bool:
        return any(one.unit == "g" for one in self.found)
