"""Eluents as people write them: ``A : B 95 : 5``, ``20 % A in B``, ``7.6 mL A + 0.4 mL B``.

All forms come to parts by volume. Volumes are taken as measured before mixing, as at
the bench; the shrinking of a mixture does not enter.
"""

from __future__ import annotations

import math
import re
from fractions import Fraction

from pydantic import BaseModel, ConfigDict, Field, field_validator, model_validator

from helvor.core.quantities.reading import Unreadable, parse, parse_number, round_to
from helvor.core.quantities.words import Words

_AMOUNT = r"\d+(?:[.,]\d+)?"
_RATIO_LAST = re.compile(
    rf"(?P<names>.*?\D)\s*[\s(,]\s*(?P<ratio>{_AMOUNT}(?:\s*[:/]\s*{_AMOUNT})+)\s*\)?"
    r"(?:\s*[,(]?\s*(?:v\s*/\s*v|by volume)\s*\)?)?"
)
_RATIO_FIRST = re.compile(rf"(?P<ratio>{_AMOUNT}(?:\s*[:/]\s*{_AMOUNT})+)\s+(?P<names>.*\D.*)")
_NAME_SPLIT = re.compile(r"\s*(?::|/|\+|\s[–-]\s|–|,?\s(?:and|with)\s)\s*")
_SAID_OF_A_RATIO = re.compile(
    r"\bin (?:the|a) (?:volume )?ratio(?: of)?\b|\bin (?:the )?proportions?(?: of)?\b|^an?\s+(?=\d)|\bmixture of\b"
)
"""Words that stand around a ratio and its solvents: *a 3 : 1 mixture of …*."""
_PERCENT = re.compile(rf"(?P<amount>{_AMOUNT})\s*%\s*(?P<name>.+)")
_VOLUME = re.compile(rf"(?P<amount>{_AMOUNT}\s*(?:mL|ml|µL|μL|uL|L|l))\b\s*(?P<name>.*)")
_VOLUME_LAST = re.compile(rf"(?P<name>.*\S)\s+(?P<amount>{_AMOUNT}\s*(?:mL|ml|µL|μL|uL|L|l))")

MAX_COMPONENTS = 6
ADDITIVE_PERCENT = 2.0
"""A component up to this percentage is an additive and does not set the strength."""


class EluentComponent(BaseModel):
    """One solvent of an eluent. ``percent`` is its part of 100 by volume."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    name: Words = Field(min_length=1)
    percent: float = Field(gt=0, le=100, allow_inf_nan=False)


class Eluent(BaseModel):
    """A mixture by volume; its percents add up to 100."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    written: Words
    components: tuple[EluentComponent, ...] = Field(min_length=1, max_length=MAX_COMPONENTS)

    @field_validator("components")
    @classmethod
    def _told_apart(cls, components: tuple[EluentComponent, ...]) -> tuple[EluentComponent, ...]:
        names = [component.name.casefold() for component in components]
        if len(set(names)) < len(names):
            raise ValueError("Enter each solvent once.")
        return components

    @model_validator(mode="after")
    def _whole(self) -> Eluent:
        if abs(sum(component.percent for component in self.components) - 100) > 0.01:
            raise ValueError("Enter parts that add up to 100 %.")
        return self

    @property
    def names(self) -> str:
        """``hexane : ethyl acetate``"""
        return " : ".join(component.name for component in self.components)

    @property
    def as_percents(self) -> str:
        """Parts of 100: ``95 : 5``. Empty for a single solvent."""
        if len(self.components) == 1:
            return ""
        return " : ".join(_short(component.percent) for component in self.components)

    @property
    def as_ratio(self) -> str:
        """The same in the smallest whole numbers, where these stay below 100: ``19 : 1``."""
        parts = [Fraction(component.percent).limit_denominator(1000) for component in self.components]
        scale = math.lcm(*(part.denominator for part in parts))
        whole = [int(part * scale) for part in parts]
        divisor = math.gcd(*whole)
        small = [number // divisor for number in whole]
        if len(small) == 1 or max(small) >= 100:
            return ""
        return " : ".join(map(str, small))

    @property
    def as_solution(self) -> str:
        """``5 % ethyl acetate in hexane``: the lesser parts in the greatest."""
        if len(self.components) == 1:
            return self.components[0].name
        main = max(self.components, key=lambda component: component.percent)
        lesser = [component for component in self.components if component is not main]
        return ", ".join(f"{_short(c.percent)} % {c.name}" for c in lesser) + f" in {main.name}"

    @property
    def main_parts(self) -> list[EluentComponent]:
        """The components without additives."""
        return [part for part in self.components if part.percent > ADDITIVE_PERCENT]

    def __str__(self) -> str:
        return f"{self.names} {self.as_percents}".strip()


def _short(percent: float) -> str:
    decimals = 0 if abs(percent - round(percent)) < 1e-9 else 1 if percent >= 1 else 2
    return round_to(percent, decimals)


def parse_eluent(text: str) -> Eluent:
    """Read an eluent.

    Raises:
        Unreadable: with one sentence that says what is missing.
    """
    shown = " ".join(text.split())
    if not shown:
        raise Unreadable("Enter an eluent, such as hexane : ethyl acetate 4 : 1.")
    if len(shown) > 120:
        raise Unreadable("Enter an eluent of at most 120 characters.")
    pairs = _percents(shown) or _volumes(shown) or _ratio(shown)
    if pairs is None and not re.search(r"\d\s*[:/]|[+:]|^\d+\s|\d$", shown):
        pairs = [(shown, 1.0)]
    if pairs is None:
        raise Unreadable(
            f"“{shown}” is not clear: enter hexane : ethyl acetate 4 : 1, or 20 % ethyl acetate in hexane."
        )
    if len(pairs) > MAX_COMPONENTS:
        raise Unreadable(f"Enter at most {MAX_COMPONENTS} solvents.")
    if any(amount <= 0 for _, amount in pairs):
        raise Unreadable("One part is zero: leave that solvent out.")
    names = [name.strip(" ,;()") for name, _ in pairs]
    if not all(names):
        raise Unreadable("Enter a name for each solvent.")
    if len({name.casefold() for name in names}) < len(names):
        raise Unreadable(f"“{names[0]}” is entered twice: enter each solvent once.")
    whole = sum(amount for _, amount in pairs)
    return Eluent(
        written=shown,
        components=tuple(
            EluentComponent(name=name, percent=float(f"{100 * amount / whole:.9g}"))
            for name, (_, amount) in zip(names, pairs, strict=True)
        ),
    )


def _percents(text: str) -> list[tuple[str, float]] | None:
    if "%" not in text:
        return None
    solutes, separator, rest = text.rpartition(" in ")
    if not separator:
        pieces = [_PERCENT.fullmatch(piece) for piece in re.split(r"\s*(?:,|\+|\band\b)\s*", text)]
        whole = [(match["name"], parse_number(match["amount"])[0]) for match in pieces if match]
        if len(whole) == len(pieces) and abs(sum(amount for _, amount in whole) - 100) < 1e-6:
            return whole
        raise Unreadable(f"“{text}” has no main solvent: enter 20 % ethyl acetate in hexane.")
    pairs = []
    for piece in re.split(r"\s*(?:,|\+|\band\b)\s+", solutes):
        match = _PERCENT.fullmatch(piece.strip())
        if match is None:
            raise Unreadable(f"“{piece}” has no percentage: enter 20 % ethyl acetate in hexane.")
        pairs.append((match["name"], parse_number(match["amount"])[0]))
    left = 100 - sum(amount for _, amount in pairs)
    if left <= 0:
        raise Unreadable(f"The parts come to {_short(100 - left)} %: nothing is left for {rest}.")
    return [*pairs, (rest, left)]


def _volumes(text: str) -> list[tuple[str, float]] | None:
    if not re.search(r"\d\s*(?:mL|ml|µL|μL|uL|L|l)\b", text):
        return None
    pieces = re.split(r"\s*(?:\+|,|\band\b)\s*(?!\d+-)", text)
    if len(pieces) == 1:
        raise Unreadable(f"“{text}” is one volume: enter 7.6 mL hexane + 0.4 mL ethyl acetate.")
    pairs: list[tuple[str, float]] = []
    for piece in pieces:
        match = _VOLUME.fullmatch(piece) or _VOLUME_LAST.fullmatch(piece)
        if match is None:
            if re.match(_AMOUNT, piece):
                raise Unreadable(f"“{piece}” has no unit: enter {re.match(_AMOUNT, piece).group()} mL.")  # type: ignore[union-attr]
            raise Unreadable(f"“{piece}” has no volume: enter 0.4 mL {piece}.")
        pairs.append((match["name"], parse(match["amount"], "volume").value))
    # "hexane : ethyl acetate 7.6 mL + 0.4 mL" carries all the names on its first piece.
    if pairs[0][0] and not any(name for name, _ in pairs[1:]):
        names = _NAME_SPLIT.split(pairs[0][0])
        if len(names) == len(pairs):
            return [(name, amount) for name, (_, amount) in zip(names, pairs, strict=True)]
    if not any(name for name, _ in pairs):
        return [(f"solvent {letter}", amount) for letter, (_, amount) in zip("ABCDEFGH", pairs, strict=False)]
    return pairs


def _ratio(text: str) -> list[tuple[str, float]] | None:
    text = re.sub(r"(?<=\d)\s+to\s+(?=\d)", " : ", text)
    text = _SAID_OF_A_RATIO.sub(" ", text).strip()
    match = _RATIO_LAST.fullmatch(text) or _RATIO_FIRST.fullmatch(text)
    if match is None:
        return None
    names = [name for name in _NAME_SPLIT.split(match["names"].strip(" ,:(")) if name]
    amounts = [parse_number(amount)[0] for amount in re.split(r"\s*[:/]\s*", match["ratio"])]
    if len(names) != len(amounts):
        raise Unreadable(
            f"{len(names)} solvent{'s' * (len(names) != 1)} but {len(amounts)} parts: enter one part for each solvent."
        )
    return list(zip(names, amounts, strict=True))
