"""What an entry says, in bench words, whatever page it stands on."""

from __future__ import annotations

from collections.abc import Sequence

from helvor.core.record.entry import Entry, Payload
from helvor.core.techniques.planar import words as plate_words
from helvor.web.run import words as run_words


def words_of(technique: str, payload: Payload, entries: Sequence[Entry]) -> str:
    """A payload in words; *entries* are those of its page, which name what it is about."""
    if technique == "planar":
        return plate_words.describe(payload, entries)
    return run_words.describe_payload(payload, run_words.StepNames(entries))
