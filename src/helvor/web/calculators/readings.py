"""Pages of two calculators of readings: Rf of many spots at once, and a quantity in other units."""

from __future__ import annotations

import re

from helvor.core.quantities.reading import Unreadable, digits, parse_number, round_to
from helvor.core.quantities.units import convert
from helvor.core.quantities.working import WorkingLine
from helvor.core.techniques.planar.calculators import RfTableIn, rf_table
from helvor.web.calculators.answer import Answer, Asked, Calculator, House, Large, asked, number_of
from helvor.web.forms import FieldErrors, Form

_SHORT_RUN = 20.0
"""mm that a front should run at least. Common practice."""


def rf_of_many(form: Form, house: House) -> Answer:
    """Rf of every spot of a pasted table."""
    front, origin = number_of(form, "front", "The front"), number_of(form, "origin", "The origin", 0.0)
    read = number_of(form, "read", "", 0.5)
    form.check()
    lines = [line for line in form.text("spots").splitlines() if line.strip()]
    if not lines:
        raise FieldErrors({"spots": "Enter a name and a distance, a line each, such as A 23.5."})
    try:
        rows = rf_table(asked(RfTableIn, spots=lines, front=front, origin=origin, read_mm=read or 0.5))
    except Unreadable as unreadable:
        raise FieldErrors({"spots": str(unreadable)}) from unreadable
    answer = Answer(
        "",
        [Large(f"Rf of {row.name}", f"{round_to(row.rf, 2)} ± {round_to(row.u, 2)}", "") for row in rows[:3]],
        ("spot", "mm", "Rf", "±"),
    )
    answer.rows = [(row.name, f"{row.mm:g}", round_to(row.rf, 2), round_to(row.u, 3)) for row in rows]
    if front - origin < _SHORT_RUN:
        answer.remarks.append(
            ("caution", "The front ran less than 20 mm: Rf is uncertain. Let the next plate run longer.")
        )
    first = rows[0]
    answer.working = [
        WorkingLine(
            first.name,
            f"({first.mm:g} − {origin:g}) ÷ ({front:g} − {origin:g}) = {round_to(first.rf, 3)}",
        )
    ]
    return answer


_QUANTITY = re.compile(r"(?P<number>[-−]?[\d.,]+(?:[eE][-+]?\d+)?)\s*(?P<unit>\S.*)")


def units(form: Form, house: House) -> Answer:
    """A quantity in every unit of its kind."""
    match = _QUANTITY.fullmatch(form.text("quantity").replace("μ", "µ"))
    if match is None:
        raise FieldErrors({"quantity": "Enter a number with its unit, such as 2.5 mL."})
    try:
        value = parse_number(match["number"].lstrip("-−"))[0] * (-1 if match["number"][0] in "-−" else 1)
        found = convert(value, match["unit"].strip())
    except Unreadable as unreadable:
        raise FieldErrors({"quantity": str(unreadable)}) from unreadable
    first = next(iter(found.items()))
    return Answer(
        "",
        [Large("is", digits(first[1], 6), first[0])],
        ("unit", ""),
        [(unit, digits(number, 6)) for unit, number in found.items()],
    )


RF_TABLE = Calculator(
    "rf",
    "Rf of many spots",
    "From distances pasted or typed, with uncertainty.",
    (
        Asked("spots", "Spots", "a line each: name, mm from the edge", usual="A 23.5\nB 41.0", lines=5, wide=True),
        Asked("origin", "Origin", "0 if measured from it", unit="mm", usual="10"),
        Asked("front", "Front", unit="mm", usual="70"),
        Asked("read", "Read to", unit="mm", usual="0.5"),
    ),
    rf_of_many,
)
UNIT_CONVERSION = Calculator(
    "units",
    "Units",
    "Mass, volume, length, time, concentration, pressure, temperature.",
    (Asked("quantity", "Quantity", "with its unit", usual="2.5 mL"),),
    units,
)
