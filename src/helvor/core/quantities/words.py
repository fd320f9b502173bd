"""Words that people type: what can be printed, and how long it may be."""

from __future__ import annotations

import unicodedata
from typing import Annotated

from pydantic import AfterValidator, StringConstraints


def printable(text: str) -> str:
    """The text with plain spaces for the wide and unbreakable ones that paste brings in."""
    text = "".join(" " if unicodedata.category(character) == "Zs" else character for character in text).strip()
    if any(not (character.isprintable()) for character in text):
        raise ValueError("This contains a character that cannot be printed: type it again.")
    return text


Text = Annotated[str, StringConstraints(strip_whitespace=True, max_length=400), AfterValidator(printable)]
"""What somebody says in a sentence or two."""

Words = Annotated[str, StringConstraints(strip_whitespace=True, max_length=120), AfterValidator(printable)]
"""A short printable text."""

Mark = Annotated[
    str,
    StringConstraints(strip_whitespace=True, min_length=1, max_length=12),
    AfterValidator(printable),
]
"""A name short enough to be pencilled under a lane."""
