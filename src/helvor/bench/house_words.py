"""The words of the trade and the decimal sign, as a house has them.

Sentences are written with British trade words and a decimal point. A house that chose otherwise
reads them in its own; what somebody typed stays as it was typed.
"""

from __future__ import annotations

import re
from dataclasses import dataclass
from functools import lru_cache
from typing import Literal

English = Literal["british", "american"]
Sign = Literal["point", "comma"]

TRADE: tuple[tuple[str, str], ...] = (
    ("fume cupboards", "hoods"),
    ("fume cupboard", "hood"),
    ("separating funnels", "separatory funnels"),
    ("separating funnel", "separatory funnel"),
    ("colours", "colors"),
    ("colour", "color"),
    ("coloured", "colored"),
    ("colourless", "colorless"),
    ("discoloured", "discolored"),
    ("millilitres", "milliliters"),
    ("millilitre", "milliliter"),
    ("millimetres", "millimeters"),
    ("millimetre", "millimeter"),
    ("litres", "liters"),
    ("litre", "liter"),
    ("centres", "centers"),
    ("centre", "center"),
    ("vapours", "vapors"),
    ("vapour", "vapor"),
    ("aluminium", "aluminum"),
    ("grey", "gray"),
    ("labelled", "labeled"),
    ("unlabelled", "unlabeled"),
    ("analysed", "analyzed"),
    ("analyse", "analyze"),
    ("hydrolyses", "hydrolyzes"),
    ("fibre", "fiber"),
    ("neighbours", "neighbors"),
    ("neighbour", "neighbor"),
    ("favours", "favors"),
    ("practise", "practice"),
    ("catalogue", "catalog"),
    ("per cent", "percent"),
    ("misspelt", "misspelled"),
)
"""British and American words for one thing, longer ones before those that they hold. Common usage, no source."""

_OTHER: dict[English, dict[str, str]] = {
    "british": {american: british for british, american in TRADE if american not in ("practice", "percent")},
    "american": dict(TRADE),
}
_ANY: dict[English, re.Pattern[str]] = {
    english: re.compile(rf"\b(?:{'|'.join(sorted(map(re.escape, words), key=len, reverse=True))})\b", re.IGNORECASE)
    for english, words in _OTHER.items()
}

_POINT = re.compile(r"(?<![\w.,:/−-])([−-]?\d+)\.(\d+)(?![\d.:/]|\.\d)")
_TYPED_COMMA = re.compile(r"(?<![\w.,-])(\d+),(\d+)(?![\d.]|,\d|-\w)")


@dataclass(frozen=True, slots=True)
class HouseWords:
    """How a house reads: its English and its decimal sign."""

    english: English = "british"
    decimal_sign: Sign = "point"

    def reading(self, text: str) -> str:
        """A sentence of ours in the words and with the decimal sign of the house."""
        said = in_trade_words(text, self.english)
        return with_decimal_comma(said) if self.decimal_sign == "comma" else said

    def typed(self, text: str) -> str:
        """What somebody typed, with the decimal sign that everything else expects."""
        return with_decimal_point(text) if self.decimal_sign == "comma" else text


def in_trade_words(text: str, english: English) -> str:
    """The words of the trade as one of the two says them.

    >>> in_trade_words("In the hood: vent the separating funnel.", "british")
    'In the fume cupboard: vent the separating funnel.'
    >>> in_trade_words("Colourless vapour in the fume cupboard", "american")
    'Colorless vapor in the hood'
    """

    def other(found: re.Match[str]) -> str:
        word = found[0]
        said = _OTHER[english][word.lower()]
        return said[0].upper() + said[1:] if word[0].isupper() else said

    return _ANY[english].sub(other, text)


def with_decimal_comma(text: str) -> str:
    """Numbers with a decimal comma; times, dates, addresses and versions stay.

    >>> with_decimal_comma("Rf 0.43 ± 0.02 at 10.5 mm, 14.05.2026, 127.0.0.1")
    'Rf 0,43 ± 0,02 at 10,5 mm, 14.05.2026, 127.0.0.1'
    """
    return _POINT.sub(r"\1,\2", text)


def with_decimal_point(text: str) -> str:
    """What was typed with decimal commas, with points; names such as 2,4-dinitrophenol and lists stay.

    >>> with_decimal_point("dish 3 salt 33,120")
    'dish 3 salt 33.120'
    >>> with_decimal_point("2,4-dinitrophenol 1,02 g, 5")
    '2,4-dinitrophenol 1.02 g, 5'
    """
    return _TYPED_COMMA.sub(r"\1.\2", text)


_PARTS = re.compile(r"(<!--.*?-->|<[^>]*>)", re.DOTALL)
_AS_IT_IS = ("script", "style", "textarea", "code", "pre", "kbd")
_VOID = ("area", "br", "col", "hr", "img", "input", "link", "meta", "wbr")


@lru_cache(maxsize=4096)
def _said(text: str, words: HouseWords) -> str:
    return words.reading(text)


def page_in(words: HouseWords, page: str) -> str:
    """A page of HTML in the words of a house.

    Only what stands between tags is read. Scripts, styles, code and fields stay as they are; in what
    is marked ``translate="no"``, because somebody typed it, only the decimal sign is the house's.
    """
    if words.decimal_sign == "point" and not _ANY[words.english].search(page):
        return page
    out: list[str] = []
    # The elements that are open since the first that is kept, and whether it is kept entirely.
    kept: list[str] = []
    entirely = False
    for part in _PARTS.split(page):
        if not part.startswith("<"):
            if kept and not entirely and words.decimal_sign == "comma":
                out.append(with_decimal_comma(part))
            else:
                out.append(part if kept or not part.strip() else _said(part, words))
            continue
        out.append(part)
        name = part[1:].split(None, 1)[0].rstrip("/>").lower() if len(part) > 2 else ""
        if name.startswith("/"):
            if kept and kept[-1] == name[1:]:
                kept.pop()
        elif name in _VOID or part.endswith("/>"):
            continue
        elif kept:
            # Inside what is kept, only the same element again can hide its end.
            if name == kept[-1]:
                kept.append(name)
        elif name in _AS_IT_IS or 'translate="no"' in part:
            kept.append(name)
            entirely = name in _AS_IT_IS
    return "".join(out)
