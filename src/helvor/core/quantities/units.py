"""A number with a unit of its own, for a field that has another: ``0.5 L`` where mL are asked."""

from __future__ import annotations

import re

from helvor.core.quantities.constants import ZERO_C
from helvor.core.quantities.reading import Unreadable, parse_number

UNITS: dict[str, dict[str, float]] = {
    "mL": {
        "mL": 1,
        "cm3": 1,
        "cm³": 1,
        "cc": 1,
        "cL": 10,
        "dL": 100,
        "L": 1e3,
        "µL": 1e-3,
        "uL": 1e-3,
    },
    "g": {"g": 1, "mg": 1e-3, "µg": 1e-6, "kg": 1e3},
    "mm": {"mm": 1, "cm": 10, "m": 1e3, "in": 25.4, "inch": 25.4},
    "mol/L": {"mol/L": 1, "mol/l": 1, "M": 1, "mM": 1e-3, "mmol/L": 1e-3, "mmol/l": 1e-3, "µM": 1e-6},
    "min": {"min": 1, "mins": 1, "minutes": 1, "s": 1 / 60, "sec": 1 / 60, "h": 60, "hours": 60, "d": 1440},
    "%": {"%": 1},
    "°C": {"°C": 1, "C": 1, "°": 1},
    "°C/min": {"°C/min": 1, "C/min": 1},
    "g/mL": {"g/mL": 1, "g/ml": 1, "g/cm3": 1, "g/cm³": 1, "kg/L": 1, "g/L": 1e-3},
    "mL/min": {"mL/min": 1, "ml/min": 1},
    "mbar": {"mbar": 1, "hPa": 1, "Torr": 1.33322, "mmHg": 1.33322, "kPa": 10, "Pa": 0.01, "bar": 1e3, "atm": 1013.25},
    "kJ/mol": {"kJ/mol": 1, "J/mol": 1e-3, "kcal/mol": 4.184},
}
"""Unit of a field → units that may be typed in it, each with how many of the field's unit it is. The inch is exactly
25.4 mm; 760 Torr are 1013.25 mbar; the calorie is 4.184 J."""
_WITH_UNIT = re.compile(r"([-−–]?\s*[\d.,]+(?:[eE][-+]?\d+)?)\s*([^\W\d_].*|[%°].*)")


def in_unit(text: str, unit: str) -> str:
    """What was typed, as a number in a field's unit; text that is no number with a unit stays as it is.

    Raises:
        Unreadable: its unit is of another kind.

    >>> in_unit("0.5 L", "mL"), in_unit("250 mM", "mol/L"), in_unit("5 mL", "mL"), in_unit("11 cm", "mm")
    ('500', '0.25', '5', '110')
    """
    known = dict(UNITS.get(unit, {}))
    if unit == "mg":
        known = {name: 1e3 * factor for name, factor in UNITS["g"].items()}
    said = _WITH_UNIT.fullmatch(text.strip().replace("μ", "µ"))
    if said is None or not known:
        return text
    number, typed = said[1], said[2].strip()
    alike = {factor for name, factor in known.items() if name.casefold() == typed.casefold()}
    factor = known.get(typed, alike.pop() if len(alike) == 1 else None)
    if factor is None:
        raise Unreadable(f"“{typed[:20]}” is not a unit for this field: enter it in {unit}.")
    if factor == 1:
        return number
    below, plain = number[0] in "-−–", number.lstrip("-−– ")
    return f"{'-' if below else ''}{parse_number(plain)[0] * factor:.10g}"


_DEGREES = {"°C": "C", "C": "C", "K": "K", "°F": "F", "F": "F"}


def _to_celsius(value: float, degrees: str) -> float:
    return {"C": value, "K": value - ZERO_C, "F": (value - 32) / 1.8}[degrees]


def convert(value: float, unit: str) -> dict[str, float]:
    """A quantity in every unit of its kind that is known here.

    Raises:
        Unreadable: the unit is not known; the sentence lists those that are.

    >>> convert(2.5, "mL")["cm3"], round(convert(212, "°F")["°C"], 6)
    (2.5, 100.0)
    """
    if unit in _DEGREES:
        celsius = _to_celsius(value, _DEGREES[unit])
        if celsius < -ZERO_C - 1e-9:
            raise Unreadable("Enter a temperature from −273.15 °C.")
        return {"°C": celsius, "K": celsius + ZERO_C, "°F": celsius * 1.8 + 32}
    kinds = [own for kind, own in UNITS.items() if len(own) > 1 and kind not in ("°C", "°C/min")]
    # As it is written before any capitals: M is mol/L, m a metre.
    exact = next((own for own in kinds if unit in own), None)
    for own in [exact] if exact is not None else kinds:
        named = next((name for name in own if unit in (name, name.casefold(), name.upper())), None)
        if named is not None:
            named = unit if unit in own else named
            return {name: value * own[named] / factor for name, factor in own.items()}
    known = ", ".join(unit for unit in UNITS if unit not in ("%", "°C/min", "mL/min"))
    raise Unreadable(f"“{unit[:12]}” is not a unit here: enter a number with a unit such as {known}.")
