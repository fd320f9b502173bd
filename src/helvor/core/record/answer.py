"""What a bench answers itself, written on its page in ink."""

from __future__ import annotations

import re
from typing import Annotated, Literal

from pydantic import Field, StringConstraints

from helvor.core.quantities.reading import Unreadable, parse, parse_number
from helvor.core.record.entry import Payload

QuestionKey = Annotated[str, StringConstraints(strip_whitespace=True, min_length=1, max_length=120)]


class Answered(Payload):
    """A bench's own answer to a question of its sheet; written again it takes the place of the last.

    Attributes:
        written: as it was typed.
        value: in the question's unit; None where one of several words was chosen.
        resolution: the place of the last digit written, in the same unit.
    """

    kind: Literal["answered"] = "answered"
    question: QuestionKey
    written: Annotated[str, StringConstraints(strip_whitespace=True, min_length=1, max_length=60)]
    value: float | None = Field(None, ge=0, le=1e9, allow_inf_nan=False)
    resolution: float | None = Field(None, gt=0, le=1e9, allow_inf_nan=False)


_PREFIX = {"mol": {"mol": 1.0, "mmol": 1e-3}, "g": None, "mL": None, "%": {"%": 1.0}, "": {}, "°C": {"°C": 1.0}}
"""Unit of a question → units that may be typed with it; None where :func:`parse` knows them."""


def read_answer(question: str, written: str, unit: str) -> Answered:
    """An answer as typed: ``89.4``, ``89.4 %``, ``1.31 g``, ``26.8 mmol``, ``6.2e-3``.

    Raises:
        Unreadable: it is no number, or its unit is not one of the question.
    """
    text = " ".join(written.split())
    if not text:
        raise Unreadable("Enter an answer.")
    if not any(letter.isdecimal() for letter in text):
        raise Unreadable(f"“{text[:24]}” is not a number: enter digits, such as 12.5.")
    if unit in ("g", "mL"):
        reading = parse(text, "mass" if unit == "g" else "volume", field_unit=unit)
        return Answered(question=question, written=text[:60], value=reading.value, resolution=reading.resolution)
    units = _PREFIX[unit] or {}
    tail = re.search(r"(?<=[\d\s.,])([^\d\s.,eE+-][^\d]*)$", text)
    number, factor = text, 1.0
    if tail is not None:
        if tail[1] not in units:
            wanted = " or ".join(units) or "no unit"
            raise Unreadable(f"“{tail[1][:12]}” is not a unit here: enter a number with {wanted}.")
        number, factor = text[: tail.start()].strip(), units[tail[1]]
    value, resolution = parse_number(re.sub(r"\s*[x×·]\s*10\^?(-?\d+)$", r"e\1", number.replace("−", "-")))
    return Answered(
        question=question, written=text[:60], value=float(f"{value * factor:.12g}"), resolution=resolution * factor
    )
