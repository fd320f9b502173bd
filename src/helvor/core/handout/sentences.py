"""A handout's text in sentences: whole, in order, each with the section that it stands under.

Sentences 1. Nothing of the text is lost: every printable word stands in one sentence or heading.
Sentences 2. A line that begins with a number, a letter or a dot of a list begins a sentence; a line that only wraps
             goes on.
Sentences 3. A short line that names a part of a handout (Materials, Method, Waste …) is a heading, and says what
             the sentences below it are.
"""

from __future__ import annotations

import re
import textwrap
import unicodedata
from dataclasses import dataclass
from typing import Literal

Section = Literal["", "aim", "materials", "safety", "waste", "procedure", "results", "questions"]

LONGEST = 500
"""Characters of a sentence; what has no full stop for longer is cut between words: no text takes long to read."""
MOST_CHARACTERS = 40_000
"""A handout of some fifteen pages; more is another thing."""

_SECTIONS: tuple[tuple[Section, str], ...] = (
    ("safety", r"safety|hazards?|risks?|cautions?|warnings?|care|protective"),
    ("waste", r"wastes?|disposal|cleaning up|clean[- ]?up|clearing up"),
    ("materials", r"materials?|apparatus|equipment|chemicals?|reagents?|you (?:will )?need|requirements|kit|glassware"),
    ("questions", r"questions?|pre-?lab|post-?lab|discussion|think about|follow-?up"),
    ("results", r"results?|data|report|calculations?|analysis|record(?:ing)?|observations|treatment"),
    ("aim", r"aims?|purpose|objectives?|introduction|background|theory|overview|principle|summary|goal"),
    (
        "procedure",
        r"procedures?|methods?|experimental|steps?|instructions|what (?:to|you) do|part \w+|day \w+|session \w+"
        r"|week \w+|meeting \w+|protocol|practical|work-?up|purification|extraction|filtration|isolation"
        r"|recrystalli[sz]ation|chromatography|preparation|separation|drying|second meeting|first meeting",
    ),
)
_MARK = re.compile(
    (
        r"^\s*(?:(?:step\s+)?\(?\d{1,2}[.):]\)?(?!\d)|\(?[a-h][.)]|\(?[ivx]{1,4}[.)]"
        r"|[-•*–—▪●○·‣◦☐□✓]|#+|(?:[01]?\d|2[0-3]):[0-5]\d\s*(?:h|am|pm)?[-–:]?|step \d{1,2}\s*[-–])\s+"
    ),
    re.IGNORECASE,
)
_SHORT = (
    *("ca", "approx", "e.g", "i.e", "conc", "dil", "vs", "fig", "no", "nos", "b.p", "m.p", "bp", "mp", "aq", "sat"),
    *("satd", "soln", "temp", "vol", "wt", "dr", "st", "cf", "etc", "incl", "max", "resp", "anh", "dist", "ref"),
)
_DOT = "\u2024"
"""Stands for a full stop that ends no sentence, while sentences are cut."""


@dataclass(frozen=True, slots=True)
class Sentence:
    """A sentence of a handout.

    Attributes:
        number: from 1, in the order of the text.
        text: as it stands, without the number or dot of its list.
        section: what the heading above says that it is; empty under none.
        heading: whether it is a heading itself.
        listed: whether it began with a number or dot of a list.
    """

    number: int
    text: str
    section: Section = ""
    heading: bool = False
    listed: bool = False


def plain_text(text: str) -> str:
    """The text with one kind of space, hyphen and multiplication sign, and without what cannot be printed."""
    text = text.replace("\r\n", "\n").replace("\r", "\n").replace("\u00ad", "").replace("\t", "    ")
    text = unicodedata.normalize("NFC", text)
    text = "".join(" " if unicodedata.category(one) == "Zs" else one for one in text)
    text = "".join(one for one in text if one == "\n" or one.isprintable())
    for wide, plain in (
        ("\u2212", "-"),
        ("\u2010", "-"),
        ("\u2011", "-"),
        ("\u03bc", "µ"),
        ("cm^3", "cm³"),
        ("cm3", "cm³"),
        ("dm3", "dm³"),
        ("ºC", "°C"),
        ("˚C", "°C"),
    ):
        text = text.replace(wide, plain)
    return text


def section_of(line: str) -> Section | None:
    """The section that a heading begins; None where a line is no heading.

    >>> section_of("Materials:"), section_of("Part B. Extraction"), section_of("Add the acid.")
    ('materials', 'procedure', None)
    """
    words = line.strip().strip("#*_ ").rstrip(":").strip()
    if not words or len(words.split()) > 7 or words[-1] in ".?!;,":
        return None
    said = words.casefold()
    for section, pattern in _SECTIONS:
        if re.match(rf"(?:\d+[.)]?\s*)?(?:the\s+|your\s+)?(?:{pattern})\b", said) and not re.search(
            r"\d\s*(?:g|ml)\b", said
        ):
            return section
    if line.strip().endswith(":") and len(words.split()) <= 4:
        return "procedure"
    return None


def sentences_of(text: str) -> list[Sentence]:
    """The sentences of a handout (Sentences 1 to 3)."""
    found: list[Sentence] = []
    section: Section = ""
    after: Section | None = None
    for whole, listed in _whole_lines(plain_text(text)):
        line = whole
        if after is not None:
            section, after = after, None  # a section named within a line ends with it
        head, colon, rest = line.partition(":")
        begins = section_of(f"{head}:") if colon and rest.strip() and len(head.split()) <= 4 else None
        if begins is not None and _names_a_section(head):
            section, after = begins, section
            found.append(Sentence(len(found) + 1, head.strip(), section, heading=True))
            line = rest.strip()
        elif (named := section_of(line)) is not None and not (listed and not _names_a_section(line)):
            section = named
            found.append(Sentence(len(found) + 1, line.strip("#* "), section, heading=True, listed=listed))
            continue
        for piece in _cut(line):
            found.append(Sentence(len(found) + 1, piece, section, listed=listed))
    return found


def _names_a_section(head: str) -> bool:
    said = head.strip("#*_ :").casefold()
    return any(re.fullmatch(rf"(?:\d+[.)]?\s*)?(?:{pattern})(?:\s+\w+){{0,3}}", said) for _, pattern in _SECTIONS)


def _whole_lines(text: str) -> list[tuple[str, bool]]:
    """Lines with those that only wrap put together; and whether each began as an item of a list (Sentences 2)."""
    whole: list[tuple[str, bool]] = []
    open_ = False
    for raw in text.split("\n"):
        line = raw.strip()
        if not line:
            open_ = False
            continue
        mark = _MARK.match(line)
        body = _MARK.sub("", line).strip() if mark else line
        if not body:
            continue
        goes_on = (
            open_ and not mark and section_of(line) is None and not (whole and section_of(whole[-1][0]) is not None)
        )
        if goes_on and whole and (len(whole[-1][0]) > 45 or body[0].islower() or whole[-1][0].endswith(",")):
            before, listed = whole[-1]
            glue = "" if before.endswith("-") and body[0].islower() else " "
            whole[-1] = (f"{before[:-1] if not glue else before}{glue}{body}", listed)
        else:
            whole.append((body, bool(mark)))
        open_ = True
    return whole


def _cut(line: str) -> list[str]:
    """A line cut at the ends of its sentences."""
    for word in _SHORT:
        line = re.sub(
            rf"(?<![\w]){re.escape(word)}\.(?!\w)", lambda m: m.group().replace(".", _DOT), line, flags=re.IGNORECASE
        )
    line = re.sub(r"\b(min|hr|hrs|sec|mL|ml|g|mg|cm)\.(?=\s+[a-z(])", rf"\1{_DOT}", line)
    line = re.sub(r"\b([A-Z])\.(?=\s*[A-Z]\.)", rf"\1{_DOT}", line)
    pieces = re.split(r"(?<=[.!?])[”\"')]*\s+(?=[\"'“(]?[A-Z0-9])", line)
    whole = [piece.replace(_DOT, ".").strip() for piece in pieces if piece.strip()]
    return [part for piece in whole for part in textwrap.wrap(piece, LONGEST, break_on_hyphens=False)]
