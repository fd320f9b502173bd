"""Temperatures and times in the words of a handout."""

from __future__ import annotations

import re

from helvor.core.handout.amounts import number_of

OVERNIGHT = 900
"""Minutes that *overnight* stands for. Common practice, no source."""
_DEGREES = re.compile(
    r"(-?\d+(?:[.,]\d+)?)(?:\s*°?\s*C?\s*(?:-|–|to|and)\s*(-?\d+(?:[.,]\d+)?))?\s*(?:°\s*C\b"
    r"|degrees?(?:\s+(?:C\b|celsius))?|°|\bC\b(?=[\s.,;)]|$))"
)
_NUMBER = r"(\d+(?:[.,]\d+)?|an?|one|two|three|four|five|ten|fifteen|twenty|thirty|half an|a few|several)"
_TIME = re.compile(
    (
        rf"(?<![\w.]){_NUMBER}(?:\s*(?:-|–|to)\s*(\d+(?:[.,]\d+)?))?[\s-]*(seconds?|secs?|s"
        rf"|minutes?|mins?|min|hours?|hrs?|hr|h|days?)\b(?!\s*(?:M|N)\b)"
    ),
    re.IGNORECASE,
)


def celsius_in(text: str) -> float | None:
    """The temperature that a clause sets, °C; of a range the upper end. None for none.

    >>> celsius_in("dry at 105-110 °C"), celsius_in("cool to below 10 degrees"), celsius_in("add 5 mL")
    (110.0, 10.0, None)
    """
    for match in _DEGREES.finditer(text):
        before = text[: match.start()].casefold()
        if re.search(
            r"\b(?:melts?|melting (?:point|range)|boils?|boiling point|b\.?p\.?|m\.?p\.?|literature)\D{0,20}$", before
        ):
            continue
        value = float((match[2] or match[1]).replace(",", "."))
        return max(value, float(match[1].replace(",", "."))) if match[2] else value
    if re.search(r"\bboiling water bath\b|\bsteam bath\b|\bboil(?:s|ed|ing)?\b.*\bwater bath\b", text, re.IGNORECASE):
        return 100.0
    return None


def minutes_in(text: str) -> int:
    """The time that a clause takes, min; of a range the upper end; 0 for none.

    >>> minutes_in("leave for 10-15 min"), minutes_in("for half an hour"), minutes_in("dry overnight")
    (15, 30, 900)
    """
    total = 0.0
    for match in _TIME.finditer(text):
        before = text[: match.start()].casefold()
        unit = match[3].casefold()
        spoken_of = re.search(r"(?:every|each|per|first|last|within|°c?|\d)\s*$", before)
        if spoken_of is not None:
            continue
        word = match[1].casefold()
        if word in ("half an",):
            value = 0.5
        elif word in ("a few", "several"):
            value = 5.0 if not unit.startswith(("h", "d")) else 3.0
        else:
            value = number_of(match[2] or match[1])
        scale = (
            1 / 60
            if unit.startswith("s")
            else 60.0
            if unit.startswith("h")
            else 1440.0
            if unit.startswith("d")
            else 1.0
        )
        total += value * scale
    if re.search(r"\bhalf[- ](?:an[- ])?hour\b", text, re.IGNORECASE) and not total:
        total = 30.0
    if re.search(r"\bovernight\b", text, re.IGNORECASE):
        total = max(total, OVERNIGHT)
    return max(1, round(total)) if total else 0


def next_meeting(text: str) -> bool:
    """Whether what follows a clause is done at the next meeting."""
    return (
        re.search(
            (
                r"\bovernight\b|\b(?:next|following) (?:day|week|lab|class|session|meeting|period|lesson"
                r"|practical)\b|\buntil (?:day|meeting|session) \d"
            ),
            text,
            re.IGNORECASE,
        )
        is not None
    )
