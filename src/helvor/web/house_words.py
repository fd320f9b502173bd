"""The words of the house that a request is for: set when it is known who asks, read when a page leaves."""

from __future__ import annotations

from contextvars import ContextVar

from helvor.core.record.house_words import HouseWords, page_in

_DEFAULT = HouseWords()
_HERE: ContextVar[HouseWords] = ContextVar("house_words", default=_DEFAULT)


def set_house_words(words: HouseWords) -> None:
    """From here on this request reads and writes in the words of that house."""
    _HERE.set(words)


def in_house_words(page: str) -> str:
    """A page as the house of this request reads it."""
    return page_in(_HERE.get(), page)


def line_as_typed_here(text: str) -> str:
    """A line of quick entry; the words of a note stay as they are."""
    return text if text.lstrip().casefold().startswith("note ") else as_typed_here(text)


def as_typed_here(text: str) -> str:
    """What was typed in this request, with a decimal point where the house types a comma."""
    return _HERE.get().typed(text)
