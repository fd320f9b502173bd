"""Reads the sentences of a handout one after the other, and keeps what each comes to."""

from __future__ import annotations

import re
from dataclasses import replace

from helvor.core.handout.actions import CALCULATE, is_caution, kind_of, says_not
from helvor.core.handout.amounts import Found, amounts_in
from helvor.core.handout.clauses import BEGINS, clauses_of
from helvor.core.handout.goes_on import PARTED, goes_on, of_its_surroundings, turned_by
from helvor.core.handout.open_step import FUNNEL, Clause, OpenStep
from helvor.core.handout.sentences import Sentence
from helvor.core.handout.substances import MOST_IN_A_STEP
from helvor.core.handout.times import celsius_in, minutes_in, next_meeting
from helvor.core.record.known import Known
from helvor.core.record.procedure import MAX_STEPS

A_MOMENT = 2
"""Minutes up to which *let it cool for a minute* is no step of its own. Common practice, no source."""
_HOT = frozenset(
    ("dry", "heat", "reflux", "evaporate", "sublime", "digest", "dissolve hot", "dissolve", "react", "set ph")
)
_COOLED_FIRST = re.compile(
    r"^(?:after|on|upon|once|when|as soon as)\s+(?:it (?:has|is)\s+|the \w+ (?:has|have|is|are)\s+)?"
    r"(?:cool(?:ing|ed)?|cold)\b[^,]*,\s*(?:the\s+(?=\w+ (?:is|was|are|were)\b))?",
    re.IGNORECASE,
)
_SETS_UP = re.compile(
    r"^(?:\w+ly\s+|then\s+|first,?\s+|next,?\s+)*(?:place|put|set up|assemble|prepare|clamp"
    r"|fit|fold|moisten|wet|connect"
    r"|turn|switch|attach|insert|cut|line|stand|support|cover|open|trim|seat|arrange|obtain|get|collect|take|choose|use"
    r"|have|fill|warm the funnel|make sure|check|ensure|close|tape|mount|position|secure)\b",
    re.IGNORECASE,
)
_SOMETHING = (
    r"\b(?:solution|acid|base|water|solvent|charcoal|mixture|sample|filtrate|solid|crystals"
    r"|residue|layer|extract|powder"
    r"|precipitate|liquid)\b"
)
_REPEATS = re.compile(
    r"(?:\w+ly\s+)?(?:repeat(?:ed)?|do (?:this|it) again|again\b)|.*\b(?:was|were) repeated\b", re.IGNORECASE
)
_MORE = re.compile(r"\b(twice|two|three|\d)\s*(?:more\s+)?(?:times|further)?\b(?!\s*(?:m?L|g\b|×|x))", re.IGNORECASE)
_AGAIN: tuple[tuple[str, tuple[str, ...]], ...] = (
    (r"extract", ("extract",)),
    (r"\bwash|rins", ("wash", "wash layer", "decant")),
    (r"weigh|constant (?:mass|weight)|dry|heat", ("weigh", "dry", "sublime", "heat")),
    (r"filt", ("gravity filter", "vacuum filter", "hot filter")),
    (r"decant", ("decant",)),
    (r"chromatogr|plate|spot", ("plate",)),
    (r"melting", ("melting point",)),
)
_DONE_ONCE = frozenset(("weigh", "dry", "plate", "sublime", "heat"))
_BLANK = re.compile(r"_{3,}|\.{5,}|…{2,}")
_DAY = re.compile(
    r"\b(?:day|session|meeting|week|period|lesson)\s*(\d|one|two|three|four)\b"
    r"|\b(second|third|next)\s+(?:day|session|meeting|week|period|lesson)",
    re.IGNORECASE,
)
_NUMBERED = {"one": 1, "two": 2, "second": 2, "three": 3, "third": 3, "four": 4}
_GOES_IN = re.compile(
    r"(?:\b(?:with|of|in|add|added|adding|using|by|some|excess|over|from|and|then|minimum|hot|cold|anhydrous|into)|^)"
    r"(?:\s+(?:a|an|the|little|few|more|small|fresh|ice-cold|cold|hot|boiling|dilute|aqueous|some|excess))*$",
    re.IGNORECASE,
)
"""Words before a substance that goes in; one that is only spoken of (*evaporate the ether*) goes in nowhere."""
_NO_SUBSTANCE = frozenset(
    ("silica", "sand", "salt", "product", "iodine", "chalk", "lead", "mercury", "iron", "tin", "copper")
)
_KEEPS = re.compile(r"^(?:cold|ice-cold|hot|warm|fresh|distilled|boiling|aqueous|excess)\s+", re.IGNORECASE)


class Reader:
    """The state while a handout is read.

    Attributes:
        steps: as they open. title, aim, hazards, questions, blanks: what else it says.
        materials: amounts of its lists with the number of their sentence.
    """

    def __init__(self, known: Known) -> None:
        self.known = known
        self.steps: list[OpenStep] = []
        self.title = ""
        self.aim: list[str] = []
        self.hazards: list[str] = []
        self.questions: list[str] = []
        self.blanks: list[str] = []
        self.materials: list[tuple[Found, int]] = []
        self._fate: dict[int, list[str | OpenStep]] = {}
        self._listed: list[str] = []
        self._held: list[tuple[str, int]] = []
        self._meeting = 1
        self._sentence = 0

    @property
    def last(self) -> OpenStep | None:
        return self.steps[-1] if self.steps else None

    def fates(self) -> dict[int, str]:
        """What came of each sentence, in words."""
        said: dict[int, str] = {}
        for number, fates in self._fate.items():
            words = [
                f"step {self.steps.index(one) + 1}" if isinstance(one, OpenStep) and one in self.steps else str(one)
                for one in fates
                if not isinstance(one, OpenStep) or one in self.steps
            ]
            said[number] = "; ".join(dict.fromkeys(words))
        return said

    # ── sentences ──────────────────────────────────────────────────────────────────────────────

    def take(self, sentence: Sentence) -> None:
        """One sentence: by the section that it stands under, and by what it says."""
        self._sentence = sentence.number
        said = sentence.text
        if _BLANK.search(said):
            self.blanks.append(_BLANK.sub("…", said))
        if sentence.heading or (sentence.number == 1 and _is_title(said)):
            self._heading(sentence)
        elif said.endswith("?") or sentence.section == "questions" or CALCULATE.match(said):
            self._question(said)
        elif sentence.section == "results" and kind_of(said)[0] != "weigh":
            self._came_to("result")
            self.blanks += [] if _BLANK.search(said) else [said]
        elif sentence.section == "aim":
            self._came_to("aim")
            self.aim.append(said)
        elif sentence.section == "materials" and not _tells_to_do(said):
            self._material(said)
        elif sentence.section == "safety" or (is_caution(said) and not _also_tells_to_do(said)):
            self._caution(said, general=sentence.section == "safety")
        elif sentence.section == "waste":
            self._opens("discard", Clause("discard", said), sure=True)
        else:
            self._to_do(said)

    def end(self) -> None:
        """What was held for a step that never came goes with the last."""
        if self.last is not None:
            for words, number in self._held:
                self.last.words.append(words)
                self.last.sentences.append(number)
                self._fate.setdefault(number, []).append(self.last)
        self._held.clear()

    def _came_to(self, what: str | OpenStep) -> None:
        self._fate.setdefault(self._sentence, []).append(what)

    def _heading(self, sentence: Sentence) -> None:
        named = re.match(r"(?:procedure|method|steps)\b", sentence.text, re.IGNORECASE)
        if sentence.number == 1 and not self.title and sentence.section in ("", "procedure") and not named:
            self.title = sentence.text.strip("#* ").rstrip(".:")
        self._came_to("heading")
        day = _DAY.search(sentence.text)
        if day is not None:
            word = (day[1] or day[2]).casefold()
            number = int(word) if word.isdecimal() else _NUMBERED.get(word, self._meeting + 1)
            self._meeting = min(12, max(1, number))

    def _question(self, said: str) -> None:
        last = self.last
        if last is not None and last.kind == "plate" and re.search(r"\br_?f\b", said, re.IGNORECASE):
            self._join(Clause("plate", said), last)
            return
        self._came_to("question")
        self.questions.append(said)

    def _material(self, said: str) -> None:
        found, _ = amounts_in(said)
        self.materials += [(one, self._sentence) for one in found if one.name]
        if not found:
            for name in re.split(r"[,;]|\band\b", said):
                bare = re.sub(r"^(?:some|a|an|the|your)\s+", "", name.strip(" .").casefold())
                if bare and self.known(bare) is not None:
                    self._listed.append(bare)
        self._came_to("material")

    def _caution(self, said: str, *, general: bool) -> None:
        self._came_to("caution")
        if general or self.last is None:
            self.hazards.append(said)
        else:
            self.last.cautions.append(said)
            self.last.sentences.append(self._sentence)

    # ── what is done ───────────────────────────────────────────────────────────────────────────

    def _to_do(self, said: str) -> None:
        if re.match(r"[^:.]{3,40}:\s.*(?:waste|\bsink\b|\bbin\b)", said, re.IGNORECASE) and not amounts_in(said)[0]:
            self._opens("discard", Clause("discard", said), sure=True)  # aqueous layers: down the sink
            return
        first = len(self.steps)
        for text in clauses_of(said):
            found = tuple(amounts_in(text)[0])
            if is_caution(text) and not found:
                self._caution(text, general=False)
            elif CALCULATE.match(text):
                self._question(text)
            else:
                kind, sure = kind_of(text)
                if not kind and not found and says_not(text) and self.last is not None:
                    self._caution(text, general=False)
                    continue
                clause = Clause(kind, text, found, same_sentence=len(self.steps) > first)
                around = f"{said} {' '.join(words for words, _ in self._held)}"
                kind = of_its_surroundings(kind, clause, around, self.last)
                if kind == "heat" and re.search(r"\bsublim", self.title, re.IGNORECASE):
                    kind = "sublime"
                self._clause(replace(clause, kind=kind), sure=sure)

    def _clause(self, clause: Clause, *, sure: bool) -> None:
        if self.last is not None and self._again(clause):
            return
        clause = self._cooled_first(clause)
        several = _several(clause)
        if several:
            for one in several:
                self._opens(one.kind, one, sure=True)
        elif clause.has(r"^(?:clean|dry)$") or (clause.kind == "cool" and 0 < clause.minutes <= A_MOMENT):
            self._hold(clause.text)
        elif self.last is not None and self._absorbs(clause):
            return
        elif self.last is not None and self._goes_on(self.last, clause):
            self._join(clause, self.last)
        elif clause.kind == "" or self._is_set_up(clause):
            self._words(clause)
        else:
            self._opens(clause.kind, clause, sure=sure)

    def _again(self, clause: Clause) -> bool:
        """*Do the same with …*, *repeat the extraction*."""
        if clause.has(r"^(?:\w+ly\s+)?do (?:exactly )?the same\b"):
            kind = self.steps[-1].kind
            self._opens(kind, replace(clause, kind=kind), sure=True)
            return True
        return _REPEATS.match(clause.text) is not None and self._repeats(clause)

    @staticmethod
    def _goes_on(last: OpenStep, clause: Clause) -> bool:
        """Whether a clause belongs to the open step, which it may turn into another kind."""
        turned = turned_by(last, clause)
        if not turned and not goes_on(last, clause):
            return False
        last.kind = turned or last.kind
        last.parted = last.parted or (last.kind in FUNNEL and clause.has(PARTED))
        return True

    def _cooled_first(self, clause: Clause) -> Clause:
        """*After cooling, weigh*: a step for the cooling where the one before it is hot; the rest of the clause."""
        cooled = _COOLED_FIRST.match(clause.text)
        if cooled is None or self.last is None or self.last.kind not in _HOT:
            return clause
        if clause.kind in ("cool", "ice bath", "crystallize", ""):
            return clause
        how = "ice bath" if re.search(r"\bice\b", cooled.group()) else "cool"
        self._opens(how, Clause(how, cooled.group().strip(" ,")), sure=True)
        return replace(clause, text=clause.text[cooled.end() :].strip())

    def _is_set_up(self, clause: Clause) -> bool:
        """Whether a clause only puts things in their places."""
        if clause.kind not in ("add", "heat", "transfer") or clause.found or self._mentioned(clause.text):
            return False
        if clause.has(_SOMETHING) and not _SETS_UP.match(clause.text):
            return False
        return clause.kind == "add" or (self.last is None and _SETS_UP.match(clause.text) is not None)

    def _absorbs(self, clause: Clause) -> bool:
        """Whether a clause makes one step of those before it."""
        last = self.steps[-1]
        if clause.kind == "decant":
            return self._decants(clause, last)
        if clause.kind == "weigh":
            into = last.has(r"\b(?:put|place|add|transfer|tip)\w*\b.*\b(?:in|into|on|onto|to)\b")
            again = clause.has("again|re-?weigh")
            if not (clause.same_sentence and last.kind == "add" and (into or again) and last.weighs_out):
                return False
        elif clause.kind == "dissolve hot":
            before = self.steps[-2] if len(self.steps) > 1 else None
            if last.kind == "heat" and before is not None and before.kind == "add" and before.found:
                self.steps.pop()
                before.takes_in(last)
                for fates in self._fate.values():
                    fates[:] = [before if one is last else one for one in fates]
                last = before
            elif not (last.kind == "heat" or (last.kind == "add" and clause.same_sentence)):
                return False
        else:
            return False
        last.kind = clause.kind
        self._join(clause, last)
        return True

    def _decants(self, clause: Clause, last: OpenStep) -> bool:
        """Settling belongs to decanting; what was added after the first decanting rinses."""
        settles = last.kind == "wait" and last.has("settle")
        at = len(self.steps) - (2 if settles else 1)
        if at > 0 and self.steps[at].kind == "add" and self.steps[at - 1].kind == "decant":
            self.steps[at].kind = "wash"
        if settles:
            last.kind = "decant"
            self._join(clause, last)
        return settles

    def _repeats(self, clause: Clause) -> bool:
        """*Repeat the extraction twice*: more of the step that it names."""
        here = (self.steps[-1].kind,)
        wanted = next((kinds for word, kinds in _AGAIN if clause.has(word)), here)
        step = next((one for one in reversed(self.steps) if one.kind in wanted), None)
        if step is None:
            return False
        more = _MORE.search(clause.text)
        count = 1
        if more is not None:
            count = int(more[1]) if more[1].isdecimal() else {"twice": 2, "two": 2, "three": 3}[more[1].casefold()]
        if clause.found and clause.found[0].times > 1:
            count = clause.found[0].times
        if step.kind not in _DONE_ONCE:
            step.times += max(1, count)
            place = next(at for at, one in enumerate(self.steps) if one is step)
            if step.kind == "decant" and place and self.steps[place - 1].kind == "wash":
                self.steps[place - 1].times += max(1, count)
        if not step.found:
            step.found += clause.found
        self._join(replace(clause, found=()), step, amounts=False)
        return True

    # ── steps and their words ──────────────────────────────────────────────────────────────────

    def _hold(self, words: str) -> None:
        self._held.append((words, self._sentence))

    def _words(self, clause: Clause) -> None:
        """Words of no step of their own: before what they prepare, behind what they describe."""
        if self.last is None or _SETS_UP.match(clause.text):
            self._hold(clause.text)
        else:
            self._join(clause, self.last)

    def _join(self, clause: Clause, step: OpenStep, *, amounts: bool = True) -> None:
        step.words.append(clause.text)
        step.sentences.append(self._sentence)
        if amounts:
            self._take_in(clause.text, step, self._sentence)
        step.minutes += clause.minutes
        warm = celsius_in(clause.text)
        step.celsius = warm if warm is not None else step.celsius
        self._turn_over(clause.text)
        self._came_to(step)

    def _opens(self, kind: str, clause: Clause, *, sure: bool) -> None:
        """A new step of a kind, with what was set up for it."""
        if len(self.steps) >= MAX_STEPS:
            self._join(clause, self.steps[-1])
            return
        step = OpenStep(kind, meeting=self._meeting, minutes=minutes_in(clause.text), celsius=celsius_in(clause.text))
        for words, number in [*self._held, (clause.text, self._sentence)]:
            step.words.append(words)
            step.sentences.append(number)
            self._take_in(words, step, number)
            if number != self._sentence:
                self._fate.setdefault(number, []).append(step)
        self._held.clear()
        if not sure:
            step.doubts.append("Is this the right kind of step?")
        if re.match(r"\s*if\b", clause.text, re.IGNORECASE):
            step.doubts.append("Only if it is needed: keep this step, or delete it?")
        self.steps.append(step)
        self._turn_over(clause.text)
        self._came_to(step)

    def _take_in(self, words: str, step: OpenStep, sentence: int) -> None:
        """The amounts, vessels and substances of words; an amount without a name is of the one that they name."""
        found, vessels = amounts_in(words)
        named = self._mentioned(words)
        free = [name for name in named if not any(name.casefold() in one.name.casefold() for one in found if one.name)]
        more = step.adds if re.search(r"\b(?:more|further)\b", words) and len(step.adds) == 1 else []
        alone = free[0] if len(free) == 1 else more[0] if more else ""
        sample = "sample" if step.kind == "weigh" else ""
        step.found += [
            replace(one, name=one.name or alone or (sample if one.unit == "g" else ""), sentence=sentence)
            for one in found[: max(0, MOST_IN_A_STEP - len(step.found))]
        ]
        step.vessels += vessels
        step.adds += [name for name in named if name not in step.adds]

    def _turn_over(self, words: str) -> None:
        if next_meeting(words):
            self._meeting = min(12, self._meeting + 1)

    def _mentioned(self, words: str) -> list[str]:
        """Substances that words name without an amount: of the materials, of earlier steps, of the shelf."""
        names = [one.name for one, _ in self.materials] + self._listed
        names += [one.name for step in self.steps for one in step.found if one.name]
        low = words.casefold()
        there = [
            name
            for name in dict.fromkeys(names)
            if name and re.search(rf"(?<!\w){re.escape(name.casefold())}(?!\w)", low)
        ]
        plain = low
        for name in there:
            plain = plain.replace(name.casefold(), " " * len(name))
        # What the shelf knows besides, longest first; a word belongs to one name.
        return there + self._of_the_shelf("".join(c if p != " " else " " for c, p in zip(words, plain, strict=False)))

    def _of_the_shelf(self, text: str) -> list[str]:
        words = re.findall(r"[^\s,;()]+", text)
        taken: set[int] = set()
        found: list[tuple[int, str]] = []
        for size in (5, 4, 3, 2, 1):
            for at in range(len(words) - size + 1):
                if at == 0 and not words[0][:1].isdigit():
                    continue  # what a clause begins with is spoken of, unless it is a strength
                bare = _KEEPS.sub("", " ".join(words[at : at + size]).rstrip("."))
                before = " ".join(words[max(0, at - 3) : at])
                if taken & set(range(at, at + size)) or (size == 1 and len(bare) < 4):
                    continue
                if bare.casefold() in _NO_SUBSTANCE or not _GOES_IN.search(before) or self.known(bare) is None:
                    continue
                taken |= set(range(at, at + size))
                formula = re.match(r"\d|[A-Z][a-z]?\d|[A-Z]{2}", bare)
                found.append((at, bare if formula else bare[0].lower() + bare[1:]))
        return [name for _, name in sorted(found)]


def _is_title(text: str) -> bool:
    return len(text.split()) <= 10 and not text.endswith(".") and not amounts_in(text)[0]


def _also_tells_to_do(sentence: str) -> bool:
    """Whether a part of a sentence that warns is a step: *never stopper it warm, and then filter*."""
    return any(kind_of(clause)[0] and not is_caution(clause) for clause in clauses_of(sentence))


def _tells_to_do(text: str) -> bool:
    """Whether a line of a list of materials begins as an instruction does."""
    return re.match(rf"{BEGINS}\b", text, re.IGNORECASE) is not None and kind_of(text)[0] != ""


def _several(clause: Clause) -> list[Clause]:
    """A clause that is several steps: mass and melting range; *washed with water (10 mL) and brine (10 mL)*."""
    if clause.kind == "melting point" and clause.has(r"\b(?:yield|mass|weight|weigh)\b"):
        return [replace(clause, kind="weigh"), clause]
    names = {one.name for one in clause.found if one.name}
    if clause.kind not in ("wash", "wash layer") or len(names) < 2:
        return []
    with_ = r"\s*,\s*(?:and\s+)?(?:then\s+)?(?:with\s+)?|\s+and\s+(?:then\s+)?(?:with\s+)?"
    pieces = [(piece, amounts_in(piece)[0]) for piece in re.split(with_, clause.text, flags=re.IGNORECASE)]
    held = [(piece, found) for piece, found in pieces if found]
    if len(held) < 2 or any(not found[0].name for _, found in held):
        return []
    first = held[0][0]
    return [
        Clause(clause.kind, piece if piece is first else f"wash with {piece}", tuple(found)) for piece, found in held
    ]
