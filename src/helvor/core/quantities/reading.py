"""Readings as people write them, and numbers as they should be shown.

A *reading* is what somebody wrote down: a value, its unit, and how finely the
instrument was read. The last digit written tells the resolution unless the
instrument says otherwise, and the resolution gives the uncertainty.

Reading 1. A comma counts as a decimal sign only where it cannot mean thousands.
Reading 2. A unit is never guessed: it is written, or the field names it.
Reading 3. ``24 ± 0.5 mL`` and ``24-25 mL`` say themselves how finely it was read: the true value lies anywhere between
          the limits, as it does within a step of that width (JCGM 100:2008, 4.3.7).
Reading 4. Nothing infinite, undefined or negative is a length, volume or mass.
"""

from __future__ import annotations

import math
import re
from decimal import ROUND_CEILING, ROUND_HALF_UP, Decimal
from functools import lru_cache
from typing import Annotated, Any, Literal

from pydantic import BaseModel, BeforeValidator, ConfigDict, Field, PlainSerializer, model_validator

Kind = Literal["length", "volume", "mass"]

UNITS: dict[Kind, dict[str, float]] = {
    "length": {"mm": 1.0, "cm": 10.0, "m": 1000.0, "in": 25.4, "inch": 25.4, '"': 25.4},
    "volume": {"mL": 1.0, "ml": 1.0, "L": 1000.0, "l": 1000.0, "µL": 1e-3, "μL": 1e-3, "uL": 1e-3},
    "mass": {"g": 1.0, "mg": 1e-3, "kg": 1000.0},
}
"""Unit → how many of the kind's base unit it is. The inch is exactly 25.4 mm."""

BASE_UNIT: dict[Kind, str] = {"length": "mm", "volume": "mL", "mass": "g"}

_NUMBER = re.compile(
    r"(?P<whole>\d+)\s+(?P<top>\d+)\s*/\s*(?P<under>\d+)"
    r"|(?P<ftop>\d+)\s*/\s*(?P<funder>\d+)"
    r"|(?P<decimal>(?:\d+(?:[.,]\d*)*|[.,]\d+)(?:[eE][+-]?\d+)?)"
)
_NON_FINITE = re.compile(r"[+-]?(nan|inf(inity)?|∞)", re.IGNORECASE)


class Unreadable(ValueError):
    """A text that cannot be taken as a reading; its message is one sentence for the person."""


def _decimal(text: str) -> tuple[float, float]:
    """Value and resolution of a decimal number as written: ``"2,05"`` → (2.05, 0.01).

    Raises:
        Unreadable: the comma could mean thousands, or the number is not finite.
    """
    body, _, exponent = text.lower().partition("e")
    if "," in body:
        grouped = re.fullmatch(r"[1-9]\d{0,2}(,\d{3})+(\.\d+)?", body) is not None
        if grouped or body.count(",") + body.count(".") > 1:
            plain = body.replace(",", "")
            raise Unreadable(
                f"“{text}” could be {body.replace(',', '.', 1)} or {plain}: "
                "write it with a decimal point, or without the comma."
                if body.count(",") == 1 and "." not in body
                else f"“{text}” has too many commas and points: write at most one decimal point."
            )
        body = body.replace(",", ".")
    elif body.count(".") > 1:
        raise Unreadable(f"“{text}” has more than one decimal point: write only one.")
    power = int(exponent) if exponent else 0
    if abs(power) > 30 or len(body) > 24:
        raise Unreadable(f"“{text}” is not a realistic size: check the digits and the unit.")
    number = Decimal(body) * Decimal(10) ** power
    decimals = len(body.partition(".")[2])
    return float(number), float(Decimal(10) ** (power - decimals))


def parse_number(text: str) -> tuple[float, float]:
    """Value and resolution of a positive number as written, without a unit.

    ``"31"`` → (31, 1), ``"31.0"`` → (31, 0.1), ``"1 1/4"`` → (1.25, 0.25).

    Raises:
        Unreadable: it is not a number, or is negative or not finite.
    """
    shown = text.strip()
    if not shown:
        raise Unreadable("Enter a value.")
    if _NON_FINITE.fullmatch(shown):
        raise Unreadable(f"“{shown}” is not a number: enter what the display shows.")
    if shown[0] in "-−–":
        raise Unreadable(f"“{shown}” is below zero: enter zero or more.")
    match = _NUMBER.fullmatch(shown.removeprefix("+").strip())
    if match is None or not shown.isascii():
        raise Unreadable(f"“{_clip(shown)}” is not a number: enter digits, such as 33.120.")
    if match["decimal"]:
        return _decimal(match["decimal"])
    top, under = (match["top"], match["under"]) if match["whole"] else (match["ftop"], match["funder"])
    if int(under) == 0 or len(top) > 6 or len(under) > 6 or len(match["whole"] or "") > 9:
        raise Unreadable(f"“{_clip(shown)}” is not a fraction: enter one such as 1/2.")
    return int(match["whole"] or 0) + int(top) / int(under), 1 / int(under)


def _clip(text: str) -> str:
    return text if len(text) <= 24 else text[:23] + "…"


class Reading(BaseModel):
    """What somebody read off an instrument.

    Attributes:
        written: the text as it was typed, kept for the record.
        value: in the kind's base unit (mm, mL or g); finite and not negative.
        unit: that base unit.
        resolution: the step the instrument was read to, in the same unit.
    """

    model_config = ConfigDict(frozen=True, extra="forbid")

    written: str = Field(max_length=60)
    value: float = Field(ge=0, le=1e6, allow_inf_nan=False)
    unit: Literal["mm", "mL", "g"]
    resolution: float = Field(gt=0, le=1e5, allow_inf_nan=False)

    @property
    def u(self) -> float:
        """Standard uncertainty of one indication; see :func:`reading_uncertainty`."""
        return reading_uncertainty(self.resolution)

    @property
    def decimals(self) -> int:
        """How many decimals the reading carries in its base unit."""
        return max(0, -math.floor(math.log10(self.within or self.resolution) + 1e-9))

    @property
    def within(self) -> float | None:
        """The limit that was typed with it, either way, in the same unit; None where the last digit says it."""
        said = self.written
        typed = "±" in said or "–" in said or ("-" in said and "e-" not in said.lower()) or "+/" in said
        return self.resolution / 2 if typed else None

    @property
    def number(self) -> str:
        """The value as text, with the decimals that were read and no fewer than it needs (two at most)."""
        needed = len(f"{self.value:.2f}".rstrip("0").partition(".")[2])
        return round_to(self.value, max(self.decimals, needed))

    def __str__(self) -> str:
        if self.within is None:
            return f"{self.number} {self.unit}"
        return f"{self.number} ± {self.within:g} {self.unit}"


def parse(text: str, kind: Kind, *, field_unit: str | None = None) -> Reading:
    """Read a quantity as typed: ``2050mg``, ``2,05``, ``3.1 cm``, ``1 1/4 in``.

    Args:
        text: what was typed.
        kind: which sort of quantity is wanted.
        field_unit: the unit that the field shows beside itself; it is used when none
            is typed. Without it a missing unit is refused.

    Raises:
        Unreadable: with one sentence that says what to write instead.
    """
    shown = " ".join(text.split())
    if not shown:
        raise Unreadable("Enter a value.")
    units = UNITS[kind]
    tail = re.search(r"[^\W\d_]*[^\W\d_\s]$|[\"%°]$", shown)
    number, unit = shown, ""
    if tail and re.search(r"\d", shown[: tail.start()]):
        number, unit = shown[: tail.start()].strip(), tail.group()
        if unit not in units:
            raise Unreadable(f"“{_clip(unit)}” is not a known unit of {kind}: use {_listed(kind)}.")
    value_without_unit = _between(number, kind) or parse_number(number)
    if not unit:
        if field_unit is None:
            raise Unreadable(f"“{_clip(shown)}” has no unit: write for example {_clip(shown)} {BASE_UNIT[kind]}.")
        unit = field_unit
    value, resolution = value_without_unit
    factor = units[unit]
    if not 0 <= value * factor <= 1e6 or resolution * factor > 1e5:
        raise Unreadable(f"“{_clip(shown)}” is not a realistic size: check the digits and the unit.")
    return Reading(
        written=_clip(shown),
        value=_tidy(value * factor),
        unit=BASE_UNIT[kind],
        resolution=_tidy(resolution * factor),
    )


_PLUS_MINUS = re.compile(r"\s*(?:±|\+\s?/?\s?[-−])\s*")
_RANGE = re.compile(r"([\d.,]+)\s*[-–]\s*([\d.,]+)")


def _between(number: str, kind: Kind) -> tuple[float, float] | None:
    """Middle and width of a reading with its limits, ``24 ± 0.5`` or ``24-25``; None of a plain number.

    A length has no range: on a plate, 41 to 44 is how far a spot reaches.

    Raises:
        Unreadable: the limits are none.
    """
    middle, *within = _PLUS_MINUS.split(number)
    if len(within) == 1 and middle:
        value, limit = parse_number(middle)[0], parse_number(within[0])[0]
        if not 0 < limit <= value:
            raise Unreadable(f"“{_clip(number)}” is not clear: enter a value and a smaller one behind ±.")
        return value, 2 * limit
    ends = _RANGE.fullmatch(number) if kind != "length" else None
    if ends is None:
        return None
    low, high = parse_number(ends[1])[0], parse_number(ends[2])[0]
    if low >= high:
        raise Unreadable(f"“{_clip(number)}” is not clear: enter a range from low to high, such as 24-25.")
    return (low + high) / 2, high - low


def _listed(kind: Kind) -> str:
    return {"length": "mm, cm or in", "volume": "mL, µL or L", "mass": "g or mg"}[kind]


def _tidy(value: float) -> float:
    """Take off the dust that a unit factor leaves (3.1 × 10 → 31.0, not 31.000000000000004)."""
    return float(f"{value:.12g}")


def _reading_validator(kind: Kind) -> Any:
    def read(value: Any) -> Any:
        if isinstance(value, str):
            return parse(value, kind)
        if isinstance(value, bool | int | float):
            raise Unreadable(f"{value} has no unit: write “{value} {BASE_UNIT[kind]}”.")
        if isinstance(value, dict) and value.get("unit") not in (None, BASE_UNIT[kind]):
            raise Unreadable(f"Enter this in {BASE_UNIT[kind]}.")
        return value

    return BeforeValidator(read, json_schema_input_type=str | Reading)


Length = Annotated[Reading, _reading_validator("length")]
"""A length: a text with its unit ("41.0 mm", "1 1/4 in"), or a whole reading in mm."""

Mass = Annotated[Reading, _reading_validator("mass")]
"""A mass: a text with its unit ("2.05 g", "2050 mg"), or a whole reading in g."""

Volume = Annotated[Reading, _reading_validator("volume")]
"""A volume: a text with its unit ("25.0 mL"), or a whole reading in mL."""


def parse_amount(text: str) -> Reading:
    """A mass or a volume, whichever its unit says.

    Raises:
        Unreadable: there is no unit, or it is neither a mass nor a volume.
    """
    tail = re.search(r"[^\W\d_]+$", text.strip())
    if tail is None or not re.search(r"\d", text):
        raise Unreadable(f"“{_clip(text.strip())}” is not an amount with a unit: write 2.05 g or 25 mL.")
    kind: Kind = "volume" if tail.group() in UNITS["volume"] else "mass"
    return parse(text, kind)


def _read_amount(value: Any) -> Any:
    return parse_amount(value) if isinstance(value, str) else value


Amount = Annotated[
    Reading,
    BeforeValidator(_read_amount, json_schema_input_type=str | Reading),
    PlainSerializer(str, return_type=str, when_used="json"),
]
"""A target amount, kept as people write it: "2.00 g", "25 mL"."""


class Estimate(BaseModel):
    """A worked-out number with its standard uncertainty, both in the same unit."""

    model_config = ConfigDict(frozen=True)

    value: float
    u: float = Field(ge=0)

    @model_validator(mode="after")
    def _finite(self) -> Estimate:
        if not (math.isfinite(self.value) and math.isfinite(self.u)):
            raise ValueError("an estimate is finite")
        return self


def reading_uncertainty(resolution: float) -> float:
    """Standard uncertainty of one indication read to *resolution*: resolution ÷ √12.

    The true value lies anywhere within half a step either side with equal
    probability (a rectangular distribution). Same unit as the argument.
    Source: JCGM 100:2008, F.2.2.1.

    >>> round(reading_uncertainty(1.0), 4)
    0.2887
    """
    return resolution / math.sqrt(12)


@lru_cache(maxsize=4096)
def round_to(value: float, decimals: int) -> str:
    """*value* as text with this many decimals, halves away from zero as people round.

    Works on the shortest decimal text of the number, so 0.285 gives 0.29.

    >>> round_to(0.285, 2), round_to(-0.004, 2)
    ('0.29', '0.00')
    """
    rounded = Decimal(repr(value)).quantize(Decimal(1).scaleb(-decimals), ROUND_HALF_UP)
    return f"{abs(rounded) if rounded == 0 else rounded:f}"


@lru_cache(maxsize=4096)
def round_up_to(value: float, decimals: int) -> str:
    """An uncertainty as text, rounded up so that it never looks better than it is.

    >>> round_up_to(0.0043, 2)
    '0.01'
    """
    return f"{Decimal(f'{value:.6g}').quantize(Decimal(1).scaleb(-decimals), ROUND_CEILING):f}"


def digits(value: float, count: int = 3) -> str:
    """A worked-out number without an uncertainty, with *count* digits that count and no exponent.

    >>> digits(0.97702), digits(12.34567, 4), digits(0.00012345, 4), digits(1234.5)
    ('0.977', '12.35', '0.0001235', '1235')
    """
    if value == 0 or not math.isfinite(value):
        return f"{value:.0f}"
    return round_to(value, max(0, count - 1 - math.floor(math.log10(abs(value)) + 1e-9)))
