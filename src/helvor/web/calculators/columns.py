"""A sum about columns: what comes when, in which tube, and how far bands overlap."""

from __future__ import annotations

import re
from dataclasses import dataclass
from itertools import pairwise

from helvor.core.laws.column.model import PLATES, Band, Compound, bands, column_volume, in_tubes, resolution
from helvor.core.quantities.reading import Unreadable, digits, parse_number, round_to
from helvor.core.quantities.working import WorkingLine
from helvor.web.calculators.answer import Answer, Asked, House, Sum, number_of
from helvor.web.forms import FieldErrors, Form
from helvor.web.rendering import fragment
from helvor.web.techniques.extraction.drawing import Axis

TUBES = 60
"""Tubes up to which the drawing goes."""


@dataclass(frozen=True, slots=True, kw_only=True)
class ElutionShown:
    """Bands over the tubes: a path and a name each, where eluents begin, ticks along."""

    curves: list[tuple[str, str, float, float]]
    starts: list[tuple[float, str]]
    ticks: list[tuple[float, str]]
    most: str


def _compound(line: str, eluents: int) -> Compound:
    """``ferrocene 100 mg 0.55 0.85``."""
    match = re.fullmatch(r"(.+?)\s+([\d.,]+)\s*mg\s+([\d.,\s]+)", line.strip())
    if match is None:
        raise Unreadable(
            f"“{line.strip()[:30]}” is not clear: enter a name, mg and an Rf in each eluent, such as ferrocene 100 "
            "mg 0.55 0.85."
        )
    rfs = tuple(parse_number(text)[0] for text in match[3].split())
    if len(rfs) != eluents:
        raise Unreadable(f"{match[1]}: {eluents} eluent{'s' if eluents > 1 else ''} need {eluents} Rf values.")
    return Compound(match[1], parse_number(match[2])[0], rfs)


def what_comes_when(form: Form, house: House) -> Answer:
    """Bands of compounds on a column, tube by tube."""
    bore, bed = number_of(form, "bore", "The width"), number_of(form, "bed", "The height")
    fraction, plates = number_of(form, "fraction", "A tube's volume"), number_of(form, "plates", "N", PLATES)
    sample, capacity = form.number("sample") or 0.0, form.number("capacity")
    form.check()
    try:
        eluents = [parse_number(text)[0] for text in re.split(r"[\s;]+|,\s", form.text("eluents")) if text]
    except Unreadable as unreadable:
        raise FieldErrors({"eluents": str(unreadable)}) from unreadable
    if not eluents:
        raise FieldErrors({"eluents": "Enter at least one."})
    try:
        compounds = [_compound(line, len(eluents)) for line in form.text("compounds").splitlines() if line.strip()]
    except Unreadable as unreadable:
        raise FieldErrors({"compounds": str(unreadable)}) from unreadable
    if not compounds:
        raise FieldErrors({"compounds": "Enter at least one."})
    if fraction <= 0:
        raise FieldErrors({"fraction": "Enter a tube volume above 0 mL."})
    try:
        v_m = column_volume(bore, bed)
        found = bands(compounds, eluents, v_m, plates=plates, sample_ml=sample, capacity=capacity)
    except Unreadable as unreadable:
        raise FieldErrors({"bore" if "bore" in str(unreadable) else "compounds": str(unreadable)}) from unreadable
    answer = Answer("Gaussian bands with N plates; a change of eluent acts on a band once its front has caught up.")
    answer.head = ("", "column volumes", "mL", "tubes")
    for band in found:
        if band.volume is None or band.span is None:
            answer.rows.append((band.name, "never", "", ""))
            continue
        low, high = band.span
        first, last = max(1, int(low // fraction) + 1), int(high // fraction) + 1
        answer.rows.append((band.name, round_to(band.volume / v_m, 2), digits(band.volume, 3), f"{first}–{last}"))
    for a, b in pairwise(sorted((one for one in found if one.volume), key=lambda one: one.volume or 0)):
        rs = resolution(a, b) or 0.0
        level = "caution" if rs < 1 else "note"
        answer.remarks.append(
            (level, f"{a.name} and {b.name}: resolution {digits(rs, 2)}{', they overlap' if rs < 1 else ''}.")
        )
    answer.working = [WorkingLine("column volume, 0.8 of the bed", f"{digits(v_m, 3)} mL")]
    answer.drawing = fragment("calculators/elution.html", _drawn(found, eluents, fraction))
    return answer


def _drawn(found: list[Band], eluents: list[float], fraction: float) -> ElutionShown:
    last = max((band.span[1] + band.sigma for band in found if band.span is not None), default=fraction)
    count = max(6, min(TUBES, int(last / fraction) + 1))
    ends = [fraction * (i + 1) for i in range(count)]
    x, each = Axis(0, count, 40, 500), {band.name: in_tubes(band, ends) for band in found}
    most = max((max(mg) for mg in each.values()), default=1.0) or 1.0
    y = Axis(0, most * 1.1, 190, 14)
    curves = []
    for name, mg in each.items():
        path = "M" + "L".join(f"{x.at(i + 0.5)} {y.at(value)}" for i, value in enumerate(mg))
        peak = mg.index(max(mg))
        curves.append((name, path, x.at(peak + 0.5), y.at(mg[peak])))
    starts, passed = [], 0.0
    for number, ml in enumerate(eluents[:-1], 2):
        passed += ml
        starts.append((x.at(passed / fraction), f"eluent {number}"))
    every = max(1, count // 10)
    ticks = [(x.at(n - 0.5), str(n)) for n in range(every, count + 1, every)]
    return ElutionShown(curves=curves, starts=starts, ticks=ticks, most=f"{digits(most, 2)} mg a tube")


COLUMNS: tuple[Sum, ...] = (
    Sum(
        "elution",
        "Elution profile",
        "Bands across the tubes, with eluent changes, sample volume and overload.",
        (
            Asked(
                "compounds",
                "On the column",
                "one per line: name, mg, Rf in each eluent",
                lines=4,
                wide=True,
                usual="ferrocene 100 mg 0.55 0.85\nacetylferrocene 100 mg 0.02 0.30",
            ),
            Asked("bore", "Inside", unit="mm", usual="15"),
            Asked("bed", "Silica", unit="mm", usual="150"),
            Asked("eluents", "Eluents", "mL of each in turn", usual="50 120"),
            Asked("fraction", "A tube", unit="mL", usual="5"),
            Asked("plates", "Plate number N", "N", usual="150", slides=(20, 600)),
            Asked("sample", "Loaded in", unit="mL", usual="0.5"),
            Asked("capacity", "Separates well up to", unit="mg"),
        ),
        what_comes_when,
    ),
)
