"""A sum about columns: what comes when, in which tube, and how far bands overlap."""

from __future__ import annotations

import re
from dataclasses import dataclass
from itertools import pairwise

from helvor.core.laws.column.model import PLATES, resolution_of
from helvor.core.laws.column.peaks import CLEAN, TOUCH
from helvor.core.quantities.reading import Unreadable, digits, parse_number, round_to
from helvor.core.quantities.working import WorkingLine
from helvor.core.techniques.column.calculators import (
    BandOut,
    CompoundIn,
    ElutionIn,
    PeakIn,
    PeaksIn,
    elution,
    peaks_beside,
)
from helvor.web.calculators.answer import Answer, Asked, Calculator, House, Large, asked, number_of
from helvor.web.forms import FieldErrors, Form
from helvor.web.path import polyline
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


def _compound(line: str, eluents: int) -> CompoundIn:
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
    return asked(CompoundIn, name=match[1], mg=parse_number(match[2])[0], rf=rfs)


def _question(form: Form) -> ElutionIn:
    """The column and what is on it, as the form says.

    Raises:
        FieldErrors: with one sentence a field.
    """
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
    lines = [line for line in form.text("compounds").splitlines() if line.strip()]
    if not lines:
        raise FieldErrors({"compounds": "Enter at least one."})
    if fraction <= 0:
        raise FieldErrors({"fraction": "Enter a tube volume above 0 mL."})
    try:
        compounds = [_compound(line, len(eluents)) for line in lines]
    except Unreadable as unreadable:
        raise FieldErrors({"compounds": str(unreadable)}) from unreadable
    return asked(
        ElutionIn,
        bore_mm=bore,
        bed_mm=bed,
        eluents_ml=eluents,
        fraction_ml=fraction,
        compounds=compounds,
        plates=plates,
        sample_ml=sample,
        capacity_mg=capacity,
        tubes=200,
    )


def what_comes_when(form: Form, house: House) -> Answer:
    """Bands of compounds on a column, tube by tube."""
    question = _question(form)
    try:
        found = elution(question)
    except Unreadable as unreadable:
        said = str(unreadable)
        field = "bore" if "inside width" in said else "plates" if "plate number" in said else "compounds"
        raise FieldErrors({field: said}) from unreadable
    fraction = question.fraction_ml
    answer = Answer("Gaussian bands with N plates; a change of eluent acts on a band once its front has caught up.")
    answer.head = ("", "column volumes", "mL", "tubes")
    for band in found.bands:
        if band.ml is None or band.from_ml is None or band.to_ml is None:
            answer.rows.append((band.name, "never", "", ""))
            continue
        first, last = max(1, int(band.from_ml // fraction) + 1), int(band.to_ml // fraction) + 1
        volumes = round_to(band.ml / found.column_ml, 2)
        answer.rows.append((band.name, volumes, digits(band.ml, 3), f"{first}–{last}"))
    leaving = sorted((one.ml, one.sigma_ml, one.name) for one in found.bands if one.ml)
    for (volume, sigma, name), (later, wide, other) in pairwise(leaving):
        rs = resolution_of((volume, sigma), (later, wide))
        level = "caution" if rs < 1 else "note"
        overlap = ", they overlap" if rs < 1 else ""
        answer.remarks.append((level, f"{name} and {other}: resolution {digits(rs, 2)}{overlap}."))
    answer.working = [WorkingLine("column volume, 0.8 of the bed", f"{digits(found.column_ml, 3)} mL")]
    answer.drawing = fragment("calculators/elution.html", _drawn(found.bands, question))
    return answer


def _drawn(found: list[BandOut], question: ElutionIn) -> ElutionShown:
    fraction = question.fraction_ml
    last = max((band.to_ml + band.sigma_ml for band in found if band.to_ml is not None), default=fraction)
    count = max(6, min(TUBES, int(last / fraction) + 1))
    x, each = Axis(0, count, 40, 500), {band.name: band.mg[:count] for band in found}
    most = max((max(mg) for mg in each.values()), default=1.0) or 1.0
    y = Axis(0, most * 1.1, 190, 14)
    curves = []
    for name, mg in each.items():
        peak = mg.index(max(mg))
        path = polyline((x.at(i + 0.5), y.at(value)) for i, value in enumerate(mg))
        curves.append((name, path, x.at(peak + 0.5), y.at(mg[peak])))
    starts, passed = [], 0.0
    for number, ml in enumerate(question.eluents_ml[:-1], 2):
        passed += ml
        starts.append((x.at(passed / fraction), f"eluent {number}"))
    every = max(1, count // 10)
    ticks = [(x.at(n - 0.5), str(n)) for n in range(every, count + 1, every)]
    return ElutionShown(curves=curves, starts=starts, ticks=ticks, most=f"{digits(most, 2)} mg a tube")


def two_bands(form: Form, house: House) -> Answer:
    """Plates, retention, resolution of two peaks or bands."""
    names = (("at_1", "The first position"), ("width_1", "Its width"), ("at_2", "The second position"))
    at_1, width_1, at_2 = (number_of(form, name, words) for name, words in names)
    width_2 = number_of(form, "width_2", "Its width", width_1)
    dead, length = form.number("dead"), form.number("length")
    form.check()
    found = peaks_beside(
        asked(
            PeaksIn,
            first=asked(PeakIn, at=at_1, width=width_1),
            second=asked(PeakIn, at=at_2, width=width_2),
            width=form.text("where") or "base",
            dead=dead,
            length=length,
        )
    )
    apart = "apart to the baseline" if found.resolution >= CLEAN else "they touch" if found.resolution >= TOUCH else ""
    answer = Answer("", [Large("resolution", round_to(found.resolution, 2), "", apart or "they overlap")])
    answer.head = ("", "first", "second")
    answer.rows = [("plates N", *(digits(n) for n in found.plates))]
    if found.k is not None and found.alpha is not None:
        answer.rows.append(("k", *(digits(k) for k in found.k)))
        answer.large.append(Large("separation factor α", digits(found.alpha), ""))
    if found.height is not None:
        answer.large.append(Large("plate height", digits(found.height), "", "in the unit of the length"))
    if found.resolution < CLEAN:
        words = f"A clean separation (1.5) would take {digits(found.needed)} plates, or a larger α by another eluent."
        answer.remarks.append(("note", words))
    answer.working = [WorkingLine("Resolution", "2 × (t₂ − t₁) ÷ (w₁ + w₂), widths at the base")]
    return answer


COLUMNS: tuple[Calculator, ...] = (
    Calculator(
        "peaks",
        "Plates and resolution",
        "Of two peaks or bands: N, k, α, resolution.",
        (
            Asked("at_1", "First peak at", "min, mL or mm", usual="5.0"),
            Asked("width_1", "its width", usual="0.4"),
            Asked("at_2", "Second peak at", usual="6.0"),
            Asked("width_2", "its width", usual="0.4"),
            Asked("where", "Widths at", options=(("base", "the base"), ("half", "half height"))),
            Asked("dead", "Dead time or volume", usual="1.0"),
            Asked("length", "Column length"),
        ),
        two_bands,
    ),
    Calculator(
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
