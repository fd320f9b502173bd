"""Amounts in a sentence of a handout: how much of what, in how many portions, exact or about.

Amounts 1. The name stands behind the amount (*20 mL of water*) or before it in brackets (*water (20 mL)*).
Amounts 2. *Two 15 mL portions*, *2 × 15 mL*, *three times with 10 mL* are one liquid in portions.
Amounts 3. A volume before a word for glassware is the size of a vessel, not an amount.
Amounts 4. A strength goes with the name: *1 M sodium hydroxide*, however it is written.
Amounts 5. A range is its middle; both limits stay in what is written.
"""

from __future__ import annotations

import re
from dataclasses import dataclass, replace
from functools import lru_cache
from typing import Literal

from helvor.core.quantities.reading import UNITS, Kind
from helvor.core.record.vocabulary import plain_numbers

Unit = Literal["g", "mL"]

NUMBERS = {
    word: number
    for number, words in enumerate(
        (
            "",
            "one a an single",
            "two twice both",
            "three thrice",
            "four",
            "five",
            "six",
            "seven",
            "eight",
            "nine",
            "ten",
        )
    )
    for word in words.split()
} | {"twelve": 12, "fifteen": 15, "twenty": 20, "twenty-five": 25, "thirty": 30, "forty": 40, "fifty": 50, "half": 0.5}

DROP_ML = 0.05
"""A drop of water from a dropper, mL. Common practice, no source."""

_NUM = r"(?:\d+(?:[.,]\d+)?|(?:one|two|three|four|five|six|seven|eight|nine|ten|twelve|fifteen|twenty|thirty|fifty))"
_RANGE = rf"(?:{_NUM})(?:\s*(?:-|–|to|±)\s*(?:\d+(?:[.,]\d+)?))?"
_MASS = r"g|grams?|gm|mg|milligrams?|kg"
_VOLUME = r"mL|ml|mls|cm³|cc|millilit(?:er|re)s?|L|lit(?:er|re)s?|dm³|µL|uL|microlit(?:er|re)s?"
_ABOUT = (
    r"about|approximately|approx\.?|ca\.?|c\.|circa|roughly|around|some|nearly|~|≈|a total of"
    r"|up to|at least|no more than"
)
AMOUNT = re.compile(
    rf"(?:(?P<times>\b\d{{1,2}}|\b(?:two|three|four|five|six))\s*(?:x|×|\*|portions?\s+of"
    rf"|aliquots?\s+of|lots\s+of)\s*)?"
    rf"(?P<about>\b(?:{_ABOUT})\s*|~\s*|≈\s*)?"
    rf"(?P<exact>\b(?:exactly|precisely|accurately)\s+)?"
    rf"(?<![\w.])(?P<number>{_RANGE})\s*-?\s*(?P<unit>{_MASS}|{_VOLUME})(?![\w³/°])"
    rf"(?P<portions>[\s-]*(?:portions?|aliquots?|lots|samples?(?=\s+of)|quantit(?:y|ies)))?",
    re.IGNORECASE,
)
_DROPS = re.compile(rf"\b(?P<number>a few|{_NUM})\s*(?:-\s*\d+\s*)?drops?\s+(?:of\s+)?", re.IGNORECASE)
_GLASS = re.compile(
    r"\s*-?\s*(?:(?:clean|dry|small|large|tared|weighed|glass|round|round-bottom(?:ed)?"
    r"|bottom(?:ed)?|conical|volumetric|graduated"
    r"|measuring|erlenmeyer|filter|test|separating|separatory|suction|evaporating|pear-shaped|two-necked|plastic|tall"
    r"|beaker or|disposable|labelled|labeled|empty|short|side-arm|recovery|screw-cap|sample"
    r"|standard|addition|dropping)[\s-]+)*"
    r"(?P<glass>beakers?|flasks?|cylinders?|funnels?|dish(?:es)?|tubes?|vials?|pipettes?"
    r"|burettes?|columns?|crucibles?|bottles?"
    r"|syringes?|jars?|graduates?|containers?|cups?|rbf)\b",
    re.IGNORECASE,
)
_STRENGTH = (
    r"(?:\d+(?:[.,]\d+)?\s*(?:M|N|mM|mol/L|mol/l|mol\s*dm-3|mol\s*dm⁻³|mol\s*L-1|mol\s*L⁻¹)\b"
    r"|\d+(?:[.,]\d+)?\s*(?:%|per\s*cent)"
    r"(?:\s*\(?(?:w/v|w/w|v/v|m/v)\)?)?)"
)
_STOPS = frozenset(
    (
        *("in", "into", "to", "onto", "and", "with", "from", "for", "until", "at", "on", "by", "over", "using", "per"),
        *("which", "that", "was", "were", "is", "are", "as", "through", "under", "then", "while", "dropwise", "slowly"),
        *(
            "carefully",
            "each",
            "or",
            "followed",
            "between",
            "before",
            "after",
            "via",
            "portionwise",
            "quickly",
            "gently",
        ),
        *(
            "has",
            "have",
            "had",
            "may",
            "will",
            "should",
            "can",
            "must",
            "be",
            "been",
            "gradually",
            "cautiously",
            "twice",
        ),
        *(
            "if",
            "when",
            "plus",
            "down",
            "up",
            "out",
            "off",
            "but",
            "so",
            "once",
            "placed",
            "contained",
            "prepared",
            "e.g.",
        ),
        *(
            "accurately",
            "added",
            "dissolved",
            "weighed",
            "left",
            "remains",
            "remain",
            "remaining",
            "directly",
            "without",
        ),
        *(
            "->",
            "→",
            "about",
            "approximately",
            "ca.",
            "instead",
            "made",
            "drop",
            "not",
            "only",
            "all",
            "where",
            "during",
            "above",
        ),
    )
)
_BEFORE_NAME = frozenset(
    (
        *(
            "of",
            "the",
            "a",
            "an",
            "your",
            "this",
            "that",
            "these",
            "each",
            "cold",
            "ice-cold",
            "iced",
            "chilled",
            "hot",
            "warm",
        ),
        *(
            "boiling",
            "distilled",
            "deionised",
            "deionized",
            "demineralised",
            "tap",
            "fresh",
            "further",
            "more",
            "additional",
        ),
        *(
            "another",
            "extra",
            "pure",
            "near-boiling",
            "icecold",
            "lukewarm",
            "freshly",
            "same",
            "dry",
            "finely",
            "powdered",
        ),
        *("ground", "very", "clean", "given", "provided", "pre-chilled", "crushed", "solid", "some", "its", "impure"),
    )
)
_NOT_NAMES = frozenset(
    (
        *(
            "portion",
            "portions",
            "aliquot",
            "aliquots",
            "mark",
            "volume",
            "total",
            "it",
            "solution",
            "liquid",
            "solvent",
        ),
        *("step", "cap", "glass", "spatula", "paper", "balance", "scale", "way", "material", "least", "most", "beaker"),
        *("flask", "dish", "readability", "resolution", "this", "them", "lots", "precision", "fraction", "fractions"),
        *("litmus", "indicator", "ph", "boil", "paper", "boiling", "neutral", "acidic", "alkaline", "basic", "depth"),
    )
)
_PARTS = r"\d+\s*(?::|/|to)\s*\d+"
_LIQUID = r"[^\W\d_][\w-]*(?:\s(?!and\b|in\b)[^\W\d_][\w-]*)?"
_MIXED = re.compile(
    rf"\s*(?:of\s+)?(?:an?\s+)?(?:(?P<first>{_PARTS})\s+(?:mixture\s+of\s+)?"
    rf"(?P<a>{_LIQUID})\s*(?:and|:|/|–|-)\s*(?P<b>{_LIQUID})"
    rf"|(?:mixture\s+of\s+)?(?P<c>{_LIQUID})\s*(?::|/|–|-|and)\s*(?P<d>{_LIQUID})\s*\(?\s*(?P<last>{_PARTS})\)?)"
)
_MIXED_BEFORE = re.compile(
    rf"(?P<a>{_LIQUID})\s*(?::|/|–|\band\b)\s*(?P<b>{_LIQUID})\s*\(?(?P<first>{_PARTS})\)?\s*[,:(]?\s*$"
)
"""A mixture of two liquids with its ratio before or behind them."""
_ONLY_HOW_NEAR = re.compile(r"(?:nearest|within|readability(?: of)?|precision of|resolution of)\s*$", re.IGNORECASE)
"""Before an amount that says how near another is read."""
_OF_SAMPLES = re.compile(r"\bsamples?\s+(?:of|\()\s*$", re.IGNORECASE)
_OF_IT = re.compile(
    r"\s*of\s+(?:it|this|the|your)(?:\s+(?:clear|sample|unknown|prepared|given|made-up))*(?:\s+(?:solution|liquid))?"
    r"(?=\s*(?:[.,;(]|into|to|in|and|with|by|from|$))",
    re.IGNORECASE,
)
_WORD = re.compile(r"[^\s,;:()\[\]]+(?:\((?:[IVX]+|[+-]?\d[+-]?)\)[^\s,;:()\[\]]*)?")


@dataclass(frozen=True, slots=True)
class Found:
    """An amount of something in a sentence.

    Attributes:
        name: as the handout calls it, with its strength; empty where the sentence says none.
        value: of one portion; unit: g or mL.
        times: how many portions.
        exact, about: whether the words say so.
        written: the amount as it stands; start, end: its place in the sentence.
        doubt: what is not sure about it; empty for nothing. sentence: the number of its sentence; 0 where not known.
    """

    name: str
    value: float
    unit: Unit
    times: int = 1
    exact: bool = False
    about: bool = False
    written: str = ""
    start: int = 0
    end: int = 0
    doubt: str = ""
    sentence: int = 0


@dataclass(frozen=True, slots=True)
class Vessel:
    """A vessel with its size, mL; 0 where none is said."""

    name: str
    volume: float
    start: int = 0
    end: int = 0


def number_of(text: str) -> float:
    """A number as it is written, in figures or as a word; of a range the middle.

    >>> number_of("2.5"), number_of("ten"), number_of("0.4-0.6"), number_of("1,5")
    (2.5, 10.0, 0.5, 1.5)
    """
    parts = [part for part in re.split(r"\s*(?:-|–|\bto\b)\s*", text.strip().split("±")[0]) if part.strip()]
    values = [float(NUMBERS.get(part.strip().casefold(), 0) or part.strip().replace(",", ".")) for part in parts]
    return round(sum(values) / len(values), 6)


def _base(value: float, unit: str) -> tuple[float, Unit]:
    """A value in g or mL, of a unit as a handout spells it: cm³, grams."""
    short = re.sub(r"\d", "", plain_numbers(f"1 {unit}")).strip()
    kind: Kind = "mass" if short in UNITS["mass"] else "volume"
    return value * UNITS[kind].get(short, 1.0), "g" if kind == "mass" else "mL"


@lru_cache(maxsize=256)
def amounts_in(text: str) -> tuple[tuple[Found, ...], tuple[Vessel, ...]]:
    """The amounts and the vessels of a sentence, in its order (Amounts 1 to 5).

    >>> [(f.name, f.value, f.unit, f.times) for f in amounts_in("Wash with two 5 mL portions of cold water.")[0]]
    [('water', 5.0, 'mL', 2)]
    >>> [(f.name, f.value) for f in amounts_in("Benzoic acid (1.0 g, 8.2 mmol) in a 100 mL beaker")[0]]
    [('benzoic acid', 1.0)]
    """
    found: list[Found] = []
    vessels: list[Vessel] = []
    for match in AMOUNT.finditer(text):
        glass = _GLASS.match(text, match.end())
        value, unit = _base(number_of(match["number"]), match["unit"])
        if glass is not None and unit == "mL" and not re.match(r"\s*of\b", text[match.end() :]):
            vessels.append(Vessel(_vessel(glass["glass"]), value, match.start(), glass.end()))
            continue
        if value <= 0 or _ONLY_HOW_NEAR.search(text[: match.start()]):
            continue
        thousands = re.fullmatch(r"([1-9]\d{0,2}),(\d{3})", match["number"])
        if thousands is not None:
            value *= 1000
        one = Found(
            "",
            value,
            unit,
            _times(text, match),
            exact=bool(match["exact"]) or _exact_near(text, match),
            about=(
                bool(match["about"])
                and not re.search(r"\b(?:make|made|dilut\w+)\s*$", text[: match.start()], re.IGNORECASE)
            )
            or bool(re.search(r"[-–]|\bto\b", match["number"])),
            written=match.group().strip(),
            start=match.start(),
            end=match.end(),
            doubt=f"{match['number']} could be {match['number'].replace(',', '.')}: check it" if thousands else "",
        )
        found.append(replace(one, name=_name(text, match)))
    for match in _DROPS.finditer(text):
        number = 3.0 if match["number"].casefold() == "a few" else number_of(match["number"])
        name = _behind(text[match.end() :])
        if name:
            doubt = f"{match.group().strip()} taken as {number * DROP_ML:g} mL"
            found.append(
                Found(
                    name,
                    number * DROP_ML,
                    "mL",
                    about=True,
                    written=match.group().strip(),
                    start=match.start(),
                    end=match.end(),
                    doubt=doubt,
                )
            )
    return tuple(sorted(found, key=lambda one: one.start)), tuple(vessels)


def _times(text: str, match: re.Match[str]) -> int:
    if match["times"]:
        return int(number_of(match["times"]))
    before = text[: match.start("number")].casefold()
    if match["portions"]:
        said = re.search(
            r"\b(two|three|four|five|six|\d)\s+(?:(?:further|more|small|successive|fresh|separate|equal)\s+)*$", before
        )
        if said is not None:
            return int(number_of(said[1]))
    said = re.search(
        (
            r"\b(twice|thrice|(?:two|three|four|five|six|\d)\s+times)\s+(?:(?:more\s+)?(?:with|using"
            r"|by adding)\s+)?(?:\w+\s+){0,2}$"
        ),
        before,
    )
    if said is not None:
        return int(NUMBERS.get(said[1], 0) or number_of(said[1].split()[0]))
    behind = text[match.end() :].casefold()
    if re.match(r"[^.;,]{0,60}?\b(?:\(?\s*(?:x|×)\s*([2-6])\b)", behind):
        return int(re.match(r"[^.;,]{0,60}?\b(?:\(?\s*(?:x|×)\s*([2-6])\b)", behind)[1])  # type: ignore[index]
    said = re.match(r"(?!.*\d\s*(?:ml|g)\b)[^.;]{0,60}?\b(twice|three times|two times|four times)\b", behind)
    if said is not None and re.search(r"\b(?:wash|rins|extract)", before):
        return 2 if said[1] in ("twice", "two times") else 3 if said[1] == "three times" else 4
    return 1


def _exact_near(text: str, match: re.Match[str]) -> bool:
    """Whether the words around an amount say that it is measured to a result: a mass near *accurately*, a volume by
    pipette or burette, or right behind *exactly*."""
    before = text[max(0, match.start() - 40) : match.start()].casefold()
    behind = text[match.end() : match.end() + 60].casefold()
    if _base(1.0, match["unit"])[1] == "mL":
        told = r"(?:exactly|precisely|accurately)(?: measured)?\s*$|\bpipette\s*$|burette"
        return (
            re.search(told, before) is not None
            or re.search(r"\bby pipette|with a pipette|from a burette", behind) is not None
        )
    told = r"accurately|exactly|precisely|to the nearest|exact mass"
    return re.search(told, before) is not None or re.search(told, behind) is not None


def _vessel(word: str) -> str:
    plain = word.casefold()
    return {"dishes": "dish", "rbf": "round flask"}.get(
        plain, plain.removesuffix("s") if plain.endswith("s") else plain
    )


def _name(text: str, match: re.Match[str]) -> str:
    """What an amount is of (Amounts 1): the first of the places that names something."""
    before, behind = text[: match.start()], text[match.end() :]
    opened = before.rfind("(")
    if opened >= 0 and ")" not in before[opened:]:
        said = _in_brackets(text, opened, match)
        if said:
            return said
    liquid = _base(1.0, match["unit"])[1] == "mL"
    return (
        _mixture(_MIXED.match(behind))
        or _behind(behind)
        or _made_up_with(text[: match.end()], behind)
        or _mixture(_MIXED_BEFORE.search(before))
        or (_in_portions(before) if match["portions"] else "")
        or ("sample" if _OF_SAMPLES.search(before) else "")
        or (("sample solution" if liquid else "sample") if _OF_IT.match(behind) else "")
        or _in_a_list(before)
    )


def _in_brackets(text: str, opened: int, match: re.Match[str]) -> str:
    """The name before a bracket that holds the amount, or behind the amount in it; empty where it holds more words."""
    inside = re.sub(r"\b(?:about|approx\w*|accurately|weighed|exactly|each)\b", "", text[opened + 1 : match.start()])
    if re.search(r"[^\W\d_]{4}", inside):
        return ""
    whole = text[opened + 1 :].partition(")")[0]
    strength = re.search(_STRENGTH, whole)
    behind = _behind(text[match.end() :].partition(")")[0])
    return behind or _with_strength(_before(text[:opened]), strength.group() if strength else "")


def _mixture(found: re.Match[str] | None) -> str:
    """*Hexane : ethyl acetate 4 : 1* of a mixture's match; empty for none."""
    if found is None:
        return ""
    first, second = (found["a"] or found["c"]), (found["b"] or found["d"])
    parts = re.split(r"\s*[:/]\s*|\s+to\s+", (found["first"] or found["last"]).strip())
    return f"{_clean(first.split())} : {_clean(second.split())} {' : '.join(parts)}"[:40]


def _made_up_with(before: str, behind: str) -> str:
    """*Made up to 100 mL with water*: water."""
    said = re.match(r"\s*(?:with|using)\s+(?!a\b|the\b|care)(.*)", behind)
    made_up = re.search(r"\b(?:dilut\w+|made up|make up|mark)\b", before, re.IGNORECASE)
    return _behind(f" of {said[1]}") if said is not None and made_up is not None else ""


def _in_portions(before: str) -> str:
    """*Ethyl acetate in three (10 mL portions)*: ethyl acetate."""
    said = re.search(
        r"([^\W\d_][\w\s-]*?)\s+in\s+(?:(?:small|successive|equal)\s+|(?:two|three|four|five|\d)\b[\w\s]*)?$", before
    )
    return _before(said[1]) if said is not None else ""


def _in_a_list(before: str) -> str:
    """*Sodium chloride: (2.0 g)*: sodium chloride."""
    listed = re.search(r"([^\W\d_][^:;,.]*?)\s*[:,–-]\s*$", before)
    if listed is None or re.search(r"\b(?:add|pour|weigh|to|with|in)\b", listed[1], re.IGNORECASE):
        return ""
    return _before(listed[1])


def _with_strength(name: str, strength: str) -> str:
    """A name with its strength before it (Amounts 4).

    >>> _with_strength("sodium hydroxide solution", "1 mol/L")
    '1 M sodium hydroxide'
    """
    if not strength or not name or re.match(_STRENGTH, name):
        return name
    number = re.match(r"\d+(?:[.,]\d+)?", strength)
    assert number is not None
    mark = "%" if "%" in strength or "cent" in strength else "mM" if "mM" in strength else "M"
    return f"{number.group().replace(',', '.')} {mark} {re.sub(r' solution$', '', name)}"


_NO_NAME = re.compile(r"\b(?:forms?|appears?|no|more|dissolves?|remains?|until|comes|stays|reached)\b", re.IGNORECASE)


def _clean(words: list[str]) -> str:
    while words and words[0].casefold().strip(".") in _BEFORE_NAME:
        words = words[1:]
    name = " ".join(words).strip(" .,-–'’\"“”")
    if not name or name.casefold() in _NOT_NAMES or _NO_NAME.search(name) or not re.search(r"[^\W\d_]", name):
        return ""
    strength = re.match(rf"({_STRENGTH})\s*(?:aqueous\s+)?(.*)", name)
    if strength is not None:
        return _with_strength(_lower(strength[2].strip(" -")), strength[1]) if strength[2].strip() else ""
    return _lower(name)[:40]


def _lower(name: str) -> str:
    """A name without the capital of a sentence's beginning; formulas and marks stay."""
    first = name.split(" ", maxsplit=1)[0]
    return name[0].lower() + name[1:] if re.fullmatch(r"[A-Z][a-z(IVX)-]{2,}.*", first) else name


def _behind(rest: str) -> str:
    """The name that stands behind an amount; empty where none does."""
    strength = re.match(
        rf"\s*(?:of\s+)?(?:(?:a|an|the|cold|ice-cold|aqueous)\s+)*({_STRENGTH})\s*(?:\(?aq(?:ueous|\.)?\)?\s+)?", rest
    )
    said = strength.group(1) if strength else ""
    rest = rest[strength.end() :] if strength else rest
    rest = re.sub(r"^\s*(?:\([^)]*(?:mmol|mol|equiv|eq\.?|excess)[^)]*\)|,\s*[\d.]+\s*m?mol\w*,?)", "", rest)
    words: list[str] = []
    at = 0
    while (word := _WORD.match(rest, at + len(rest[at:]) - len(rest[at:].lstrip()))) is not None:
        text = word.group()
        if text.casefold().strip(".") in _STOPS and not (not words and text.casefold() == "of"):
            break
        gap = rest[at : word.start()]
        if re.search(r"[,;:()\[\]]", gap):
            break
        if text.casefold() == "of" and words:
            if words[-1].casefold() not in ("solution", "samples", "sample", "mixture", "portion", "portions"):
                break
            words = []
        elif text.casefold() != "of":
            words.append(text.rstrip("."))
        at = word.end()
        if text.endswith(".") or len(words) > 6:
            break
    name = _clean(words)
    after = re.match(rf"\s*\(\s*({_STRENGTH})[^)]*\)", rest[at:])
    return _with_strength(name, said or (after[1] if after else ""))


def _before(text: str) -> str:
    """The name that stands before a bracket or a colon."""
    words = re.findall(_WORD, re.split(r"[,;:)\]](?!\S)|\.\s", text)[-1])
    kept: list[str] = []
    for word in reversed(words):
        plain = word.casefold()
        if kept and (
            plain in _STOPS or plain in ("of", "the", "a", "an", "your", "add", "weigh", "dissolve", "take", "place")
        ):
            break
        if not kept and plain in _STOPS:
            break
        kept.insert(0, word)
        if len(kept) == 6:
            break
    while kept and kept[0].casefold() in _VERBS:
        kept = kept[1:]
    return _clean(kept)


_VERBS = frozenset(
    (
        *(
            "add",
            "added",
            "weigh",
            "dissolve",
            "take",
            "place",
            "put",
            "mix",
            "pour",
            "wash",
            "rinse",
            "extract",
            "heat",
            "use",
        ),
        *(
            "combine",
            "transfer",
            "treat",
            "stir",
            "shake",
            "filter",
            "grind",
            "suspend",
            "measure",
            "out",
            "then",
            "dry",
        ),
    )
)
