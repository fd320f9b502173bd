"""Numbered unknowns: what each sample holds, and which bench gets which.

Unknown 1. A sample's composition is a list of components, either all with their share or none.
Unknown 2. Dealt at random, every number goes out as often as the others, give or take one, and
           neighbours at the bench get different ones where there are two numbers or more.
Unknown 3. The same seed deals the same, so that it can be shown how it came about.
"""

from __future__ import annotations

import random
import re
from collections.abc import Sequence

from pydantic import BaseModel, ConfigDict, Field

from helvor.core.quantities.reading import Unreadable, parse_number
from helvor.core.record.procedure import Name

WHOLE_WITHIN = 0.5
"""Shares of a sample may add up to this much more than 100 %: they are rounded."""
MOST_SAMPLES = 200


class Part(BaseModel):
    """A component of a sample; ``percent`` of its mass, or None where only its being there is known."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    name: Name
    percent: float | None = Field(None, gt=0, le=100, allow_inf_nan=False)


class Sample(BaseModel):
    """A numbered sample and what it holds."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    number: int = Field(ge=1, le=9999)
    holds: tuple[Part, ...] = Field(min_length=1, max_length=12)

    @property
    def words(self) -> str:
        """``camphor 31 %, sand 69 %``"""
        return ", ".join(p.name if p.percent is None else f"{p.name} {p.percent:g} %" for p in self.holds)


def read_samples(text: str) -> list[Sample]:
    """Samples, a line each: ``7: camphor 31 %, sand 69 %``, or ``7: iron, cobalt``.

    Raises:
        Unreadable: with the line it is about.

    >>> [s.words for s in read_samples("3: iron, cobalt\\n4: sand 60 %, salt 40 %")]
    ['iron, cobalt', 'sand 60 %, salt 40 %']
    """
    samples: list[Sample] = []
    for line in (line.strip() for line in text.splitlines() if line.strip()):
        shown = line if len(line) <= 40 else line[:39] + "…"
        match = re.fullmatch(r"(\d{1,4})\s*[:;.)]\s*(.+)", line)
        if match is None or not int(match[1]) >= 1:
            raise Unreadable(f"“{shown}”: start with the sample's number, such as 7: camphor 31 %, sand 69 %.")
        number = int(match[1])
        if any(sample.number == number for sample in samples):
            raise Unreadable(f"Sample {number} is entered twice.")
        parts = [_part(text.strip(), shown) for text in re.split(r"[,;+]\s+|;", match[2]) if text.strip()]
        names = [part.name.casefold() for part in parts]
        if len(set(names)) < len(names):
            raise Unreadable(f"“{shown}” has a component twice.")
        shares = [part.percent for part in parts if part.percent is not None]
        if shares and len(shares) < len(parts):
            raise Unreadable(f"“{shown}”: enter a percentage for every component, or for none.")
        if sum(shares) > 100 + WHOLE_WITHIN:
            raise Unreadable(f"“{shown}”: the percentages add up to {sum(shares):g} %: enter at most 100 %.")
        if not 1 <= len(parts) <= 12:
            raise Unreadable(f"“{shown}”: enter 1 to 12 components.")
        samples.append(Sample(number=number, holds=tuple(parts)))
    if len(samples) > MOST_SAMPLES:
        raise Unreadable(f"Enter at most {MOST_SAMPLES} samples in a series.")
    return samples


def _part(text: str, shown: str) -> Part:
    match = re.fullmatch(r"(.*?\S)\s+([\d.,]+)\s*%", text) or re.fullmatch(r"([\d.,]+)\s*%\s*(\S.*)", text)
    name, percent = text, None
    if match is not None:
        first, second = match[1], match[2]
        name, written = (second, first) if re.fullmatch(r"[\d.,]+", first) else (first, second)
        percent = parse_number(written)[0]
        if not 0 < percent <= 100:
            raise Unreadable(f"“{shown}”: enter a percentage above 0 and up to 100 %.")
    if len(name) > 40 or not name.isprintable() or "%" in name:
        raise Unreadable(f"“{shown}”: enter each component's name, then its percentage, such as camphor 31 %.")
    return Part(name=name, percent=percent)


def deal(numbers: Sequence[int], benches: Sequence[int], seed: int) -> dict[int, int]:
    """Which bench gets which number (Unknown 2 and 3).

    Args:
        numbers: of the samples, each once; benches: their numbers in the order in which they stand.

    Raises:
        Unreadable: there is no sample, or one is named twice.
    """
    if not numbers or len(set(numbers)) < len(numbers):
        raise Unreadable("Assign at least one sample, each number once.")
    rng = random.Random(seed)  # noqa: S311  a drawing of lots, nothing secret
    mixed = sorted(numbers)
    rng.shuffle(mixed)
    rounds, more = divmod(len(benches), len(mixed))
    left = {number: rounds + (place < more) for place, number in enumerate(mixed)}
    dealt: dict[int, int] = {}
    before = None
    for place, bench in enumerate(benches):
        to_go = len(benches) - place
        free = [number for number, count in left.items() if count and number != before]
        # One that makes up more than half of what is left must go now, or it would meet itself later.
        pressing = [number for number in free if 2 * left[number] > to_go]
        choice = rng.choice(pressing or free or [number for number, count in left.items() if count])
        dealt[bench] = before = choice
        left[choice] -= 1
    return dealt
