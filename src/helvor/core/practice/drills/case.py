"""What every drill shares: levels, the verdict on an answer, and where a case's chance comes from."""

from __future__ import annotations

import random
from dataclasses import dataclass

LEVELS = (1, 2, 3)


@dataclass(frozen=True, slots=True)
class Verdict:
    """How an answer was: right or not, why in a sentence, and the working, a line each."""

    right: bool
    why: str
    working: tuple[str, ...]


def chance_of(topic: str, level: int, seed: int) -> random.Random:
    """The chance of a case, the same for its topic, level and seed."""
    return random.Random(f"drill {topic} {level} {seed}")  # noqa: S311  invented cases
