"""What a device says over its line, and whether it may be written down as a reading.

Line 1. A device speaks lines of ASCII. Each ends with a blank, ``#`` and two hexadecimal digits: the sum of the bytes
        before the blank, modulo 256. A line whose digits do not fit is garbled and says nothing.
Line 2. ``device NAME KIND UNIT STEP MOST`` says who it is; ``reading NUMBER VALUE UNIT STATE`` what it shows. The
        number rises by one with every indication, so that a display that stands still is not taken for a steady one.
Line 3. A reading is taken from several indications one after the other: all steady, numbers rising, within one step
        of each other, in the unit that is asked for. Anything else is a doubt, said in one sentence, and is nothing to
        write down.

The form is our own; ``docs/devices.md`` describes it for whoever writes an adaptor.
"""

from __future__ import annotations

import math
import re
from collections.abc import Sequence
from dataclasses import dataclass
from itertools import pairwise

ENOUGH = 4
"""Indications that a reading is taken from."""
STATES = ("steady", "moving", "over", "under", "unset")
"""What a device says of an indication; *over* and *under*: out of its range; *unset*: it was not calibrated."""
LONGEST = 200
"""Characters of a line; a longer one is garbled."""


def called(name: str) -> str:
    """An instrument's name as people say it.

    >>> called("ph-meter"), called("balance-1")
    ('pH meter', 'balance 1')
    """
    words = [{"ph": "pH", "uv": "UV"}.get(word, word) for word in name.split("-")]
    return " ".join(words)


def _first(name: str) -> str:
    """The same at the beginning of a sentence."""
    said = called(name)
    return said if said[:2] in ("pH", "UV") else said[:1].upper() + said[1:]


class Garbled(ValueError):
    """A line that is none; the message says so in a few words."""


@dataclass(frozen=True, slots=True)
class Device:
    """A device as it names itself.

    Attributes:
        kind: *balance*, *ph meter* …; step: of its last digit; most: the end of its range; both in *unit*.
    """

    name: str
    kind: str
    unit: str
    step: float
    most: float


@dataclass(frozen=True, slots=True)
class Indication:
    """One thing that a display showed: its number, the digits as shown, the unit, the state."""

    number: int
    shown: str
    unit: str
    state: str

    @property
    def value(self) -> float:
        return float(self.shown)


@dataclass(frozen=True, slots=True)
class Taken:
    """What came of taking a reading.

    Attributes:
        shown: the digits to write down; empty where there is a doubt.
        doubt: why nothing may be written down, one sentence; empty where it may.
    """

    device: str
    shown: str
    unit: str
    doubt: str = ""


def checksum(words: str) -> str:
    """The two digits at the end of a line.

    >>> checksum("reading 41 32.514 g steady")
    'DD'
    """
    return f"{sum(words.encode('ascii', 'replace')) % 256:02X}"


def line_of(words: str) -> str:
    """A line as it goes over the wire, without its end; whatever parts words is one blank.

    >>> line_of("zero"), line_of("  set load   5 ")
    ('zero #C0', 'set load 5 #61')
    """
    words = " ".join(words.split())
    return f"{words} #{checksum(words)}"


def words_of(line: str, longest: int = LONGEST) -> list[str]:
    """The words of a line of at most *longest* characters.

    Raises:
        Garbled: it is longer, has no check or one that does not fit.
    """
    words, mark, digits = line.strip().rpartition(" #")
    if not mark or len(line) > longest or not words.isascii() or digits != checksum(words):
        raise Garbled("a line that does not fit its check digits")
    return words.split()


_NUMBER = re.compile(r"-?\d{1,9}(\.\d{1,6})?")
_NAME = re.compile(r"[a-z0-9-]{1,24}")


def device_of(line: str) -> Device:
    """Who a line says that a device is.

    Raises:
        Garbled: it says something else.
    """
    words = words_of(line)
    fits = len(words) == 6 and words[0] == "device" and _NAME.fullmatch(words[1])
    if not fits or not _NUMBER.fullmatch(words[4]) or not _NUMBER.fullmatch(words[5]):
        raise Garbled("a line that names no device")
    return Device(words[1], words[2].replace("-", " "), words[3], float(words[4]), float(words[5]))


def indication_of(line: str) -> Indication:
    """What a line says that a display shows.

    Raises:
        Garbled: it says something else.
    """
    words = words_of(line)
    fits = len(words) == 5 and words[0] == "reading" and words[1].isdecimal() and len(words[1]) <= 12
    if not fits or not _NUMBER.fullmatch(words[2]) or words[4] not in STATES:
        raise Garbled("a line that is not a reading")
    return Indication(int(words[1]), words[2], words[3], words[4])


MOVING = "{name} is not stable: between {low} and {high} {unit}. Close its doors, wait, and take the reading again."
STATE_DOUBTS = {
    "over": "{name} is above its range. Nothing was saved; take something off.",
    "under": "{name} is below its range: check that its pan or probe is in place.",
    "unset": "{name} has not been calibrated since it was switched on: calibrate it first.",
}
FROZEN = "{name} keeps sending the same value: its display is frozen. Switch it off and on."
FEW = "{name} sent only {count} of {wanted} values. Take the reading again."
OTHER_UNIT = "{name} shows {unit}, but this field needs {wanted}."


def check_reading(name: str, seen: Sequence[Indication], unit: str, step: float) -> Taken:
    """Whether indications one after the other make a reading (Line 3).

    Args:
        seen: in the order of arrival; unit: that the field takes; step: of the device.
    """

    def doubt(words: str, **more: object) -> Taken:
        return Taken(name, "", unit, words.format(name=_first(name), **more))

    if seen and seen[-1].unit != unit:
        return doubt(OTHER_UNIT, unit=seen[-1].unit, wanted=unit)
    for one in seen:
        if one.state in STATE_DOUBTS:
            return doubt(STATE_DOUBTS[one.state])
    if len(seen) > 1 and any(after.number <= before.number for before, after in pairwise(seen)):
        return doubt(FROZEN)
    if len(seen) < ENOUGH:
        return doubt(FEW, count=len(seen), wanted=ENOUGH)
    last = seen[-ENOUGH:]
    values = [one.value for one in last]
    apart = max(values) - min(values)
    if any(one.state == "moving" for one in last) or apart > 1.01 * step:
        low, high = min(last, key=lambda one: one.value).shown, max(last, key=lambda one: one.value).shown
        return doubt(MOVING, low=low, high=high, unit=unit)
    return Taken(name, last[-1].shown, unit)


SILENT = "{name} does not answer. Check that it is on and connected. Nothing was saved; type what you read."
GONE = "{name} lost the connection. Nothing was saved; take the reading again or type what you read."
ABSENT = "{name} is not connected. Nothing was saved; type what you read."
GARBLED = "{name} sent {what}. Nothing was saved; take the reading again or type what you read."


def failed(name: str, unit: str, words: str, **more: object) -> Taken:
    """A reading that did not come about: *words* one of SILENT, GONE, ABSENT, GARBLED."""
    return Taken(name, "", unit, trouble(name, words, **more))


def trouble(name: str, words: str, **more: object) -> str:
    """What went wrong with an instrument, one sentence."""
    return words.format(name=_first(name), **more)


def digits(value: float, step: float) -> str:
    """A value as a display with this step shows it.

    >>> digits(32.51449, 0.001), digits(7.0, 0.02), digits(-0.0002, 0.001)
    ('32.514', '7.00', '0.000')
    """
    decimals = max(0, len(f"{step:.6f}".rstrip("0").partition(".")[2]))
    shown = f"{math.floor(value / step + 0.5) * step:.{decimals}f}"
    return shown.lstrip("-") if float(shown) == 0 else shown
