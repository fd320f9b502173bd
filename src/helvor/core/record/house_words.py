"""The words of the trade and the decimal sign, as a house has them.

Sentences are written with British trade words and a decimal point. A house that chose otherwise
reads them in its own; what somebody typed stays as it was typed.
"""

from __future__ import annotations

import re
from dataclasses import dataclass, field
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
_TAG = re.compile(r"<(/?)([a-zA-Z][\w-]*)")
_AS_IT_IS = frozenset({"script", "style", "textarea", "code", "pre", "kbd"})
_VOID = frozenset({"area", "br", "col", "hr", "img", "input", "link", "meta", "wbr"})
_MAY_BE_KEPT = tuple(f"<{name}" for name in sorted(_AS_IT_IS))


@lru_cache(maxsize=8192)
def _said(text: str, words: HouseWords) -> str:
    return words.reading(text)


def _has_a_word(english: English, page: str) -> bool:
    """Whether a word of the other English stands between tags; most pages have none and are left at once."""
    low = page.lower()
    for word in _OTHER[english]:
        at = low.find(word)
        while at >= 0:
            end = at + len(word)
            alone = not (low[at - 1 : at].isalnum() or low[end : end + 1].isalnum())
            if alone and low.rfind("<", 0, at) <= low.rfind(">", 0, at):
                return True
            at = low.find(word, end)
    return False


@dataclass(slots=True)
class _Kept:
    """The elements of a page that are open since the first that is kept, and whether it is kept entirely."""

    open_: list[str] = field(default_factory=list)
    entirely: bool = False

    def see(self, tag: str) -> None:
        """Follow a tag."""
        if not self.open_ and not (tag.startswith(_MAY_BE_KEPT) or 'translate="no"' in tag):
            return
        found = _TAG.match(tag)
        if found is None:
            return
        closes, name = found[1], found[2].lower()
        if closes:
            if self.open_ and self.open_[-1] == name:
                self.open_.pop()
        elif name not in _VOID and not tag.endswith("/>"):
            self._opened(name, tag)

    def _opened(self, name: str, tag: str) -> None:
        if self.open_:
            # Inside what is kept, only the same element again can hide its end.
            if name == self.open_[-1]:
                self.open_.append(name)
        elif name in _AS_IT_IS or 'translate="no"' in tag:
            self.open_.append(name)
            self.entirely = name in _AS_IT_IS


def page_in(words: HouseWords, page: str) -> str:
    """A page of HTML in the words of a house.

    Only what stands between tags is read. Scripts, styles, code and fields stay as they are; in what
    is marked ``translate="no"``, because somebody typed it, only the decimal sign is the house's.
    """
    comma = words.decimal_sign == "comma"
    if not comma and not _has_a_word(words.english, page):
        return page
    parts = _PARTS.split(page)
    kept = _Kept()
    # Text and tags take turns, and text comes first.
    for place in range(0, len(parts), 2):
        text = parts[place]
        if text and not text.isspace():
            if not kept.open_:
                parts[place] = _said(text, words)
            elif comma and not kept.entirely:
                parts[place] = with_decimal_comma(text)
        if place + 1 < len(parts):
            kept.see(parts[place + 1])
    return "".join(parts)
