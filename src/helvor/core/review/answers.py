"""A bench's own answers held against what its readings give.

Answer 1. *Right* within the question's tolerance; where an answer was rounded further than that, right within
          rounding, with a remark on digits.
Answer 2. On another legitimate basis an answer is right too, and says which.
Answer 3. Otherwise it is wrong, and the usual mistakes are tried on the bench's own sum
          (:mod:`helvor.core.review.common_mistakes`). “Rounded too early” is a remark on digits, not a wrong answer.
Answer 4. Where the record has nothing to hold it against, an answer stays open.
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime
from typing import Literal

from pydantic import BaseModel, ConfigDict, Field

from helvor.core.engine.run.work_out import RunWorksheet
from helvor.core.quantities.reading import round_to
from helvor.core.record.answer import Answered
from helvor.core.review import questions, truths
from helvor.core.review.common_mistakes import WORDS, Explained, explain
from helvor.core.review.questions import Question
from helvor.core.review.true_masses import Truth
from helvor.core.techniques.planar.results import PlateWorksheet

Verdict = Literal["right", "rounding", "wrong", "open"]
VERDICTS: dict[Verdict, str] = {
    "right": "right",
    "rounding": "right value, wrong significant figures",
    "wrong": "not right",
    "open": "kept",
}


class Asked(BaseModel):
    """What an instructor sets for one question: asked at all, its tolerance, its points."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    asked: bool = True
    tolerance: float | None = Field(None, ge=0, le=1000, allow_inf_nan=False)
    points: float = Field(1.0, ge=0, le=100, allow_inf_nan=False)


Shows = Literal["nothing", "verdict", "hint"]
SHOWS: dict[Shows, str] = {
    "nothing": "nothing until you release the marks",
    "verdict": "right or wrong",
    "hint": "right or wrong, with the common mistake that gives this value",
}


class SheetSettings(BaseModel):
    """What an instructor sets for a whole sheet.

    Attributes:
        shows: what a bench sees of its own answers; by default nothing, so that nobody tries numbers until one fits.
        closes: until when answers are taken; None for as long as the class runs.
        asked: question's key → what is set for it; those not named are asked as they come.
    """

    model_config = ConfigDict(frozen=True, extra="forbid")

    shows: Shows = "nothing"
    closes: datetime | None = None
    asked: dict[str, Asked] = Field({}, max_length=200)

    def of(self, question: Question) -> Asked:
        """What is set for a question; every spot of a plate is one kind."""
        return self.asked.get("rf" if question.sort == "rf" else question.key, Asked())

    def is_closed(self, now: datetime) -> bool:
        """Whether answers are no longer taken."""
        return self.closes is not None and self.closes <= now

    def tolerance(self, question: Question) -> float:
        """The tolerance in force."""
        own = self.of(question).tolerance
        if own is None:
            return question.tolerance
        return own / 100 if question.relative else own


@dataclass(frozen=True, slots=True)
class Marked:
    """An answer looked through.

    Attributes:
        answer: None where the bench has not answered.
        right: what the record gives, as it should be written; empty while it gives nothing.
        remark: digits, or the basis it is right on.
        mistake: the usual mistake that gives the number; None where none does.
    """

    question: Question
    answer: Answered | None
    verdict: Verdict
    right: str
    remark: str = ""
    mistake: Explained | None = None
    word: str = ""

    @property
    def verdict_words(self) -> str:
        return VERDICTS[self.verdict]

    @property
    def says(self) -> str:
        """What to say of it in a few words."""
        if self.mistake is not None:
            return self.mistake.words
        if self.word:
            return WORDS[self.word]
        if self.verdict == "wrong":
            return "no common mistake gives this value"
        return self.remark

    @property
    def keys(self) -> tuple[str, ...]:
        """Which usual mistakes."""
        return self.mistake.keys if self.mistake is not None else (self.word,) if self.word else ()


def as_written(value: float, unit: str, decimals: int) -> str:
    """A right answer with the digits that the readings allow."""
    if unit == "mol" and value < 0.1:
        return f"{round_to(1000 * value, max(0, decimals - 3))} mmol"
    text = round_to(value, decimals)
    return f"{text} {unit}".strip()


def mark_answer(question: Question, truth: Truth | None, answer: Answered | None, settings: SheetSettings) -> Marked:
    """One answer (Answer 1 to 4)."""
    if truth is None:
        return Marked(question, answer, "open", "", "nothing recorded to compare it with" if answer else "")
    if truth.choice:
        return _mark_choice(question, truth, answer)
    assert truth.value is not None and truth.quotient is not None
    shown = as_written(truth.value, question.unit, truth.decimals)
    if answer is None:
        return Marked(question, answer, "open", shown)
    if answer.value is None or answer.resolution is None:
        return Marked(question, answer, "wrong", shown)
    own = settings.tolerance(question)
    tolerance = max(own * truth.value if question.relative else own, truth.step)
    right = _mark_right(question, truth, answer, tolerance, shown)
    if right is not None:
        return right
    mistake = explain(truth.quotient, truth.mistakes, answer.value, answer.resolution)
    if mistake is not None and mistake.keys == ("early",):
        return Marked(question, answer, "rounding", shown, WORDS["early"], mistake)
    return Marked(question, answer, "wrong", shown, mistake=mistake)


def _mark_choice(question: Question, truth: Truth, answer: Answered | None) -> Marked:
    """An answer that is one of several words."""
    if answer is None:
        return Marked(question, None, "open", truth.choice)
    written = answer.written.casefold()
    if written == truth.choice.casefold():
        return Marked(question, answer, "right", truth.choice)
    word = next((key for name, key in truth.wrong_choices if name.casefold() == written), "")
    return Marked(question, answer, "wrong", truth.choice, word=word)


def _mark_right(question: Question, truth: Truth, answer: Answered, tolerance: float, shown: str) -> Marked | None:
    """Right, right on another basis, or right but for its digits; None where it is none of these."""
    value, at, step = truth.value, answer.value, answer.resolution
    assert value is not None and at is not None and step is not None
    if near(at, value, tolerance):
        # More digits than the readings allow are not wrong; they say more than anybody knows.
        if step < 0.5 * 10.0 ** -(truth.decimals + 1):
            return Marked(question, answer, "rounding", shown, f"the readings justify {shown}")
        return Marked(question, answer, "right", shown, "")
    for basis, other in truth.bases:
        wide = tolerance * (other / value if value and question.sort == "rf" and other > 1 else 1.0)
        if near(at, other, wide):
            return Marked(question, answer, "right", shown, basis)
    if abs(at - value) <= step / 2 * (1 + 1e-9):
        return Marked(question, answer, "rounding", shown, f"too few digits: {shown}")
    return None


def near(a: float, b: float, tolerance: float) -> bool:
    """Within a tolerance, its edge included.

    >>> near(0.41, 0.4, 0.01), near(0.42, 0.4, 0.01)
    (True, False)
    """
    return abs(a - b) <= tolerance * (1 + 1e-9) + 1e-12


def asked_of(sheet: RunWorksheet) -> list[Question]:
    """Every question of a run's sheet, whether it is asked or not."""
    # Before the lab the handout as it was written counts, not what was corrected or added since.
    handed = sheet.run.following.procedure if sheet.run.following is not None else sheet.run.procedure
    return [*questions.before(handed), *questions.after(sheet.run.procedure)]


def of_run(sheet: RunWorksheet, settings: SheetSettings) -> list[Marked]:
    """The whole sheet of a run, question by question; those not asked are left out."""
    handed = sheet.run.following.procedure if sheet.run.following is not None else sheet.run.procedure
    answers = sheet.run.answers
    found = []
    for question in asked_of(sheet):
        if settings.of(question).asked:
            early = question.when == "before"
            truth = truths.before(question, handed) if early else truths.after(question, sheet)
            found.append(mark_answer(question, truth, answers.get(question.key), settings))
    return found


def of_plate(sheet: PlateWorksheet, settings: SheetSettings) -> list[Marked]:
    """The sheet of a plate: the Rf of every spot."""
    by_key = {f"rf {spot.key}": spot for spot in sheet.spots}
    return [
        mark_answer(q, truths.of_spot(by_key[q.key], sheet), sheet.plate.answers.get(q.key), settings)
        for q in questions.of_plate(sheet)
        if settings.of(q).asked
    ]


def of_page(sheet: RunWorksheet | PlateWorksheet, settings: SheetSettings) -> list[Marked]:
    """The sheet of a run or of a plate."""
    return of_run(sheet, settings) if isinstance(sheet, RunWorksheet) else of_plate(sheet, settings)


@dataclass(frozen=True, slots=True)
class Summed:
    """How a class did: right, rounding, wrong, not in; mistakes with their benches, the commonest first."""

    counts: Mapping[Verdict, int]
    missing: int
    mistakes: tuple[tuple[str, tuple[int, ...]], ...]


def summed(benches: Sequence[tuple[int, Sequence[Marked]]]) -> Summed:
    """A class's answers summed up."""
    counts: Counter[Verdict] = Counter()
    missing = 0
    by_mistake: dict[str, list[int]] = {}
    for bench, marks in benches:
        for mark in marks:
            if mark.answer is None:
                missing += 1
                continue
            counts[mark.verdict] += 1
            for key in mark.keys:
                here = by_mistake.setdefault(key, [])
                if bench not in here:
                    here.append(bench)
    ordered = sorted(by_mistake.items(), key=lambda pair: (-len(pair[1]), pair[0]))
    return Summed(counts, missing, tuple((WORDS[key], tuple(sorted(b))) for key, b in ordered))


HALF = 0.5
"""Points for an answer that is right but for its digits, as a part of the full ones. Common practice."""


def points(mark: Marked, settings: SheetSettings) -> float:
    """Points of an answer: full when right, half when only its digits are not, none otherwise."""
    full = settings.of(mark.question).points
    return full if mark.verdict == "right" else HALF * full if mark.verdict == "rounding" else 0.0


def total(marks: Iterable[Marked], settings: SheetSettings) -> tuple[float, float]:
    """Points reached, and points there are."""
    marks = list(marks)
    return sum(points(m, settings) for m in marks), sum(settings.of(m.question).points for m in marks)
