"""Sums about plates: tuning an eluent, when the front arrives, what is cut, mixed and spotted."""

from __future__ import annotations

from dataclasses import dataclass, replace
from urllib.parse import urlencode

from helvor.core.classroom.prep.plates import stream_of
from helvor.core.laws.planar.arrival import read_readings, rise, stopping_line
from helvor.core.laws.planar.eluent import parse_eluent
from helvor.core.laws.planar.prepare import (
    Cut,
    cut,
    lane_positions,
    level,
    recipe,
    sheets_for,
    spotting,
    volume_for,
    width_for,
    with_spare,
)
from helvor.core.laws.planar.solvents import freshness, other_kinds
from helvor.core.laws.planar.tune import Law, Line, Point, best_gap, fit, hint, law_for, read_plates
from helvor.core.quantities.reading import Estimate, Unreadable, digits, parse_number, round_to, round_up_to
from helvor.core.quantities.working import WorkingLine
from helvor.core.record.step_kinds import WASTE
from helvor.core.techniques.column.calculators import ColumnDraftIn, ColumnDraftOut, draft_column
from helvor.core.techniques.planar.miscible import refuse_two_layers
from helvor.core.techniques.planar.plate import PHASES
from helvor.shelf.shelf import known_as
from helvor.shelf.solvents import boiling_points_of, solvents_of
from helvor.web.calculators.answer import Answer, Asked, Calculator, House, Large, asked, number_of
from helvor.web.forms import FieldErrors, Form
from helvor.web.rendering import fragment

PLOT = (46.0, 560.0, 14.0, 254.0)
"""Left, right, top and bottom of the tuning plot."""
USUAL_AIM = 0.35
"""Rf that one aims at where none is named: the middle of what parts well. Common practice."""
TINTS = ("#0B6E78", "#8F5600", "#3F5B9A", "#A8263A", "#2F6B3A", "#5F6B74", "#7B4A9E", "#B8323A")


@dataclass(frozen=True, slots=True)
class Curve:
    """A compound's Rf over the composition: path, dots of the plates, spot at the composition looked at, label."""

    name: str
    path: str
    dots: list[tuple[float, float]]
    spot: tuple[float, float] | None
    label_x: float
    label_y: float
    tint: str


@dataclass(frozen=True, slots=True, kw_only=True)
class TuningPlot:
    """The plot, and the plate that would come out at the composition looked at."""

    curves: list[Curve]
    ticks: list[tuple[float, str]]
    at_x: float | None
    at: str
    plate: list[tuple[float, float, str]]
    """The plate that would come out, 100 wide: x, Rf and name of each spot."""


@dataclass(frozen=True, slots=True, kw_only=True)
class SheetShown:
    """A sheet with its cut lines, mm; a plate with its lanes beside it."""

    sheet: tuple[float, float]
    plan: Cut
    lanes: list[float]
    origin: float


def with_u(rf: Estimate) -> str:
    """``0.43 ± 0.02``"""
    return f"{round_to(rf.value, 2)} ± {round_up_to(rf.u, 2)}"


def _fitted(points: dict[str, list[Point]], law: Law) -> dict[str, Line]:
    """A line for each compound that was run in two compositions or more.

    Raises:
        FieldErrors: there is none, or a line cannot be fitted.
    """
    try:
        lines = {name: fit(ones, law) for name, ones in points.items() if len({p.phi for p in ones}) > 1}
    except Unreadable as unreadable:
        raise FieldErrors({"plates": str(unreadable)}) from unreadable
    if not lines:
        raise FieldErrors({"plates": "Enter at least one compound in two compositions."})
    return lines


def _rows_at(lines: dict[str, Line], phi: float) -> list[tuple[str, ...]]:
    """The Rf of each compound at a composition, the fastest first."""
    try:
        rfs = {name: line.rf_at(phi) for name, line in lines.items()}
    except Unreadable as unreadable:
        raise FieldErrors({"at": str(unreadable)}) from unreadable
    return [(name, with_u(rf)) for name, rf in sorted(rfs.items(), key=lambda pair: -pair[1].value)]


def tuning(form: Form, house: House) -> Answer:
    """Fit, predicted plate, best composition; from one plate a hint."""
    law = law_for(form.text("phase") or "silica")
    try:
        points = read_plates(form.text("plates"))
    except Unreadable as unreadable:
        raise FieldErrors({"plates": str(unreadable)}) from unreadable
    target, at = form.number("target"), form.number("at")
    form.check()
    answer = Answer()
    if len({point.phi for ones in points.values() for point in ones}) == 1:
        return _hint(points, target, law, answer)
    lines = _fitted(points, law)
    alone = [name for name in points if name not in lines]
    if alone:
        answer.remarks.append(("note", f"{', '.join(alone)} was run in one composition only and is not used."))
    _aim(form, lines, target, answer)
    phi = at / 100 if at is not None else None
    if phi is not None:
        answer.head = (f"at {at:g} %", "Rf")
        answer.rows = _rows_at(lines, phi)
    answer.working = [WorkingLine(name, f"{line.equation}, {line.points} plates") for name, line in lines.items()]
    if max(line.points for line in lines.values()) == 2:
        answer.remarks.append(("note", "Two plates define the line but do not test it: run a third."))
    _another_kind(form.text("strong"), house, answer)
    if law == "log":
        answer.remarks.append(("note", "φ is by volume; strictly the relation uses the mole fraction."))
    answer.drawing = fragment("calculators/tuning.html", _plot(lines, points, phi))
    return answer


def _hint(points: dict[str, list[Point]], target: float | None, law: str, answer: Answer) -> Answer:
    if law != "log":
        raise FieldErrors(
            {"plates": "One plate on paper or reversed phase gives no estimate: run a second composition."}
        )
    aim = USUAL_AIM if target is None else target
    answer.says = "One plate gives only a rough estimate (slope 1): run a second one."
    answer.head = ("", f"for Rf {aim:g}")
    for name, ones in points.items():
        try:
            answer.rows.append((name, f"{digits(100 * hint(ones[0].rf.value, ones[0].phi, aim), 2)} %"))
        except Unreadable as unreadable:
            answer.remarks.append(("note", f"{name}: {unreadable}"))
    return answer


def _aim(form: Form, lines: dict[str, Line], target: float | None, answer: Answer) -> None:
    """The composition for a target Rf, or the one with the largest smallest gap."""
    named = form.text("compound")
    if target is not None:
        name = next((n for n in lines if n.casefold() == named.casefold()), "") if named else next(iter(lines))
        if not name:
            raise FieldErrors({"compound": f"Enter one of {', '.join(lines)}."})
        try:
            phi = lines[name].phi_for(target)
        except Unreadable as unreadable:
            raise FieldErrors({"target": str(unreadable)}) from unreadable
        answer.large.append(Large(f"for {name} at Rf {target:g}", digits(100 * phi, 2), "%", "of the stronger part"))
    if len(lines) > 1:
        try:
            best = best_gap(lines)
        except Unreadable as unreadable:
            answer.remarks.append(("note", str(unreadable)))
            return
        rfs = ", ".join(f"{name} {round_to(rf.value, 2)}" for name, rf in best.rf.items())
        answer.large.append(
            Large("best separated at", digits(100 * best.phi, 2), "%", f"smallest gap {round_to(best.gap, 2)}: {rfs}")
        )
        if best.gap < 0.1:
            answer.remarks.append(
                (
                    "caution",
                    "Even there two of them are within 0.1: strength alone does not separate them. Change to a "
                    "solvent of another kind: an ester for an ether, an alcohol for an ester, or add an acid or amine.",
                )
            )


def _another_kind(strong: str, house: House, answer: Answer) -> None:
    """Solvents of other kinds about as strong, for when strength alone does not part them."""
    if not strong:
        return
    item = known_as(house.shelf, strong, ("solvent",))
    try:
        others = other_kinds(item.name if item else strong, solvents_of(house.shelf))
    except Unreadable as unreadable:
        raise FieldErrors({"strong": str(unreadable)}) from unreadable
    named = "; ".join(
        f"{o.name} ({'−' if o.stronger_by < 0 else '+'}{round_to(abs(o.stronger_by), 2)}), {o.pulls}" for o in others
    )
    answer.remarks.append(("note", f"Another class and nearest in strength ε° on alumina: {named}."))


def _predicted(lines: dict[str, Line], phi: float | None) -> list[tuple[float, float, str]]:
    """Spots of the plate at a composition, a lane for each compound; none outside the lines' reach."""
    if phi is None or not all(line.reach[0] <= phi <= line.reach[1] for line in lines.values()):
        return []
    gap = 100 / (len(lines) + 1)
    return [(gap * (i + 1), line.rf_at(phi).value, name) for i, (name, line) in enumerate(lines.items())]


def _plot(lines: dict[str, Line], points: dict[str, list[Point]], phi: float | None) -> TuningPlot:
    left, right, top, bottom = PLOT
    low, high = min(line.reach[0] for line in lines.values()), max(line.reach[1] for line in lines.values())

    def x(value: float) -> float:
        return round(left + (right - left) * (value - low) / (high - low), 1)

    def y(rf: float) -> float:
        return round(bottom - (bottom - top) * rf, 1)

    curves = []
    for number, (name, line) in enumerate(lines.items()):
        start, end = line.reach
        grid = [start + (end - start) * i / 60 for i in range(60)] + [end]
        path = "M" + "L".join(f"{x(g)} {y(line.rf_at(g).value)}" for g in grid)
        dots = [(x(p.phi), y(p.rf.value)) for p in points[name]]
        spot = (x(phi), y(line.rf_at(phi).value)) if phi is not None and start <= phi <= end else None
        curves.append(
            Curve(
                name if len(name) < 12 else f"{name[:10]}…",
                path,
                dots,
                spot,
                x(end) + 6,
                y(line.rf_at(end).value),
                TINTS[number % len(TINTS)],
            )
        )
    ends = sorted(curves, key=lambda c: c.label_y)
    apart = [c.label_y for c in ends]
    for i in range(1, len(apart)):
        apart[i] = max(apart[i], apart[i - 1] + 16)
    placed = [replace(c, label_y=at) for c, at in zip(ends, apart, strict=True)]
    step = next(s for s in (1, 2, 5, 10, 20, 50) if 100 * (high - low) / s <= 9)
    first = int(100 * low / step) * step
    ticks = [
        (x(c / 100), f"{c}") for c in range(first, int(100 * high) + step, step) if low - 1e-9 <= c / 100 <= high + 1e-9
    ]
    return TuningPlot(
        curves=placed,
        ticks=ticks,
        at_x=x(phi) if phi is not None and low <= phi <= high else None,
        at=f"{100 * phi:g} %" if phi is not None else "",
        plate=_predicted(lines, phi),
    )


def arrival(form: Form, house: House) -> Answer:
    """When the front is where the plate is taken out."""
    origin, liquid = number_of(form, "origin", "The origin's height"), number_of(form, "level", "The eluent level")
    plate, below = (
        number_of(form, "plate", "The plate's height"),
        number_of(form, "below", "", house.rules.stop_below_top_mm),
    )
    form.check()
    if liquid >= origin:
        form.errors["level"] = "The eluent level is above the origin: the spots would dissolve. Enter a lower level."
    form.check()
    try:
        stop = stopping_line(plate, origin, below)
    except Unreadable as unreadable:
        raise FieldErrors({"plate": str(unreadable)}) from unreadable
    try:
        readings = sorted(read_readings(form.text("readings")))
        found = rise(readings, origin - liquid)
    except Unreadable as unreadable:
        raise FieldErrors({"readings": str(unreadable)}) from unreadable
    arrives = found.minutes_to(stop)
    answer = Answer(f"The front is then {stop:g} mm above the origin, {below:g} mm below the top.")
    answer.large = [Large("take it out after", round_to(arrives.value, 0), "min", f"± {round_up_to(arrives.u, 0)} min")]
    since, last = readings[-1]
    answer.large.append(Large("from the last reading", round_to(max(0.0, arrives.value - since), 0), "min"))
    answer.head = ("front, mm", "after, min")
    answer.rows = [(f"{z:g}", round_to(found.minutes_to(z).value, 1)) for z in (stop / 4, stop / 2, 3 * stop / 4, stop)]
    h = origin - liquid
    answer.working = [
        WorkingLine(
            "κ from the last reading",
            f"({last:g} + {h:g})² ÷ {since:g} min = {digits((last + h) ** 2 / since)} mm²/min",
        ),
        WorkingLine("κ from all of them", f"{digits(found.kappa.value)} ± {digits(found.kappa.u, 1)} mm²/min"),
        WorkingLine("Arrival", f"({stop:g} + {h:g})² ÷ {digits(found.kappa.value)} = {round_to(arrives.value, 1)} min"),
    ]
    answer.remarks = [
        (
            "note",
            "Measured from the liquid's surface; lid, lining and temperature change it. Mark "
            "the front at "
            "once when the plate comes out: it disappears in seconds.",
        )
    ]
    return answer


def mixing(form: Form, house: House) -> Answer:
    """An eluent for one chamber or a class."""
    try:
        eluent = parse_eluent(form.text("eluent"))
        refuse_two_layers(eluent)
    except Unreadable as unreadable:
        raise FieldErrors({"eluent": str(unreadable)}) from unreadable
    volume, chambers = number_of(form, "volume", "The volume"), form.whole("chambers") or 1
    step, across, origin = number_of(form, "step", "", 0.5), form.number("across"), form.number("origin")
    lining = number_of(form, "lining", "", 0.0)
    form.check()
    total = with_spare(volume, chambers)
    parts = recipe(eluent, total, step)
    answer = Answer(f"{eluent}, {digits(total)} mL" + (" with 15 % spare" if chambers > 1 else "") + ".")
    answer.large = [Large("as measured", " : ".join(digits(p.percent) for p in parts), "%")]
    answer.head = ("", "mL", "exactly")
    answer.rows = [(p.name, digits(p.rounded, 4), digits(p.exact, 4)) for p in parts]
    if across is not None:
        height = level(volume, across, lining=lining)
        answer.large.append(Large("eluent level", round_to(height, 1), "mm", "level in the chamber"))
        if origin is not None:
            wanted, needed = volume_for(origin, across, lining=lining)
            answer.rows.append(("for this origin", digits(needed), f"level {round_to(wanted, 1)} mm"))
            if height >= origin - 2:
                answer.remarks.append(("caution", f"That is within 2 mm of the origin at {origin:g} mm, or above it."))
    boils = boiling_points_of(house.shelf)
    stays = freshness(eluent, 0.0, boils)
    if stays is not None:
        answer.remarks.append(("note", stays.says))
    for part in parts:
        item = known_as(house.shelf, part.name, ("solvent", "substance"))
        if item is not None and item.text("hazard") not in ("", "none"):
            into = f"; waste: {item.text('waste')}" if item.text("waste") else ""
            answer.remarks.append(("note", f"{part.name}: {item.text('hazard')}{into}."))
    answer.steps = [
        "Measure the largest part first and the additive last, each with its own glassware; in the hood, no flame.",
        "Label it with the parts, date and time: the volatile part evaporates first, so the morning's mixture has "
        "changed by "
        "the afternoon.",
        "Afterwards put it into the solvent waste, halogenated separately; local rules decide.",
    ]
    return answer


def cutting(form: Form, house: House) -> Answer:
    """Plates out of sheets, lanes on a plate, spotting solutions."""
    lanes = form.whole("lanes") or 4
    apart, height = number_of(form, "apart", "", 10.0), number_of(form, "height", "The plate's height")
    sheet = number_of(form, "sheet_width", "The sheet's width"), number_of(form, "sheet_height", "The sheet's height")
    wanted, origin = form.whole("plates") or 12, number_of(form, "origin", "", 10.0)
    form.check()
    width = width_for(lanes, apart)
    plan = cut(sheet, (width, height), both_ways=form.text("turn") == "yes")
    needed = sheets_for(wanted, plan)
    answer = Answer(f"{lanes} lanes {apart:g} mm apart make a plate {width:g} mm wide.")
    over = f"{plan.columns} × {plan.rows}, {100 * plan.waste:.0f} % left over"
    answer.large = [
        Large("from a sheet", str(plan.count), "plates", over),
        Large("sheets", str(needed), "sheets", f"for {wanted} and 15 % spare"),
    ]
    solution = spotting(0.5, 1.0, wanted)
    answer.rows = [
        ("each sample, 1 %", f"{digits(1000 * solution.mass)} mg in {solution.volume:g} mL"),
        (f"for {wanted} with spare", f"{digits(1000 * solution.total_mass)} mg in {digits(solution.total_volume)} mL"),
    ]
    answer.head = ("", "")
    answer.steps = [
        "Pencil only, lightly; draw the origin 8 to 15 mm up.",
        "Lanes: " + ", ".join(f"{x:g}" for x in lane_positions(width, lanes)) + " mm from the left.",
    ]
    query = urlencode(
        {
            "width": width,
            "height": height,
            "sheet_width": sheet[0],
            "sheet_height": sheet[1],
            "lanes": lanes,
            "origin": origin,
            "turn": form.text("turn") or "no",
        }
    )
    answer.links = [(f"/calculators/sheet.svg?{query}", "Sheet to print, 1 : 1")]
    answer.drawing = fragment(
        "calculators/sheet.html",
        SheetShown(sheet=sheet, plan=plan, lanes=list(lane_positions(width, lanes)), origin=origin),
    )
    return answer


def _draft_asked(form: Form) -> tuple[ColumnDraftIn, str]:
    """The two Rf, the sample and the column, as the form says; and the waste stream of the eluent.

    Raises:
        FieldErrors: with one sentence a field.
    """
    first, second = number_of(form, "rf_fast", "The faster Rf"), number_of(form, "rf_slow", "The slower Rf")
    sample, benches, flow = form.number("sample"), form.whole("benches"), form.number("flow")
    form.check()
    stream = ""
    if form.text("eluent"):
        try:
            stream = WASTE[stream_of(parse_eluent(form.text("eluent")))]
        except Unreadable as unreadable:
            raise FieldErrors({"eluent": str(unreadable)}) from unreadable
    gravity = form.text("kind") == "gravity"
    try:
        bores = [parse_number(text)[0] for text in form.text("bores").replace(",", " ").split()] if gravity else []
    except Unreadable as unreadable:
        raise FieldErrors({"bores": str(unreadable)}) from unreadable
    question = asked(
        ColumnDraftIn,
        rf=(first, second),
        sample_mg=sample,
        kind="gravity" if gravity else "flash",
        bores_mm=bores,
        flow_ml_min=flow if gravity else None,
        benches=benches or None,
    )
    return question, stream


def _draft_rows(plan: ColumnDraftOut, question: ColumnDraftIn, stream: str) -> list[tuple[str, ...]]:
    """A first plan of a column, and what a class takes and throws away."""
    if plan.bed_mm is None or plan.fraction_ml is None:
        return []
    rough = 3 if plan.slurry_ml is not None else None

    def size(value: float | None, most: int | None = None) -> str:
        return digits(value or 0.0, most) if most is not None else digits(value or 0.0)

    rows = [
        ("inside diameter", f"{size(plan.diameter_mm, rough)} mm"),
        ("bed", f"{size(plan.bed_mm / 10, 2 if rough else None)} cm"),
        ("silica", f"{size(plan.silica_g, 2)} g"),
    ]
    if plan.slurry_ml is not None:
        rows.append(("slurry", f"about {size(plan.slurry_ml, 2)} mL"))
    rows += [
        ("column volume", f"{size(plan.column_volume_ml, 2)} mL"),
        ("eluent, packing too", f"{size(plan.eluent_ml, 2)} mL"),
        ("fractions", f"{plan.fractions} of {size(plan.fraction_ml)} mL"),
    ]
    if plan.minutes is not None:
        rows.append(("time", f"about {size(plan.minutes, 2)} min"))
    if question.benches is not None:
        eluent, silica = f"{size(plan.class_eluent_ml, 3)} mL", f"{size(plan.class_silica_g, 3)} g"
        provide = f"{silica} silica, {eluent} eluent, {plan.class_tubes} tubes"
        rows.append((f"for {question.benches} benches, a tenth to spare", provide))
        rows.append(("waste", f"{eluent} {stream or 'by its stream'}; {silica} {WASTE['silica']}"))
    return list(rows)


def to_column(form: Form, house: House) -> Answer:
    """Whether an eluent suits a column, and a first plan of it."""
    question, stream = _draft_asked(form)
    # Without the sample only the two Rf can be wrong; what is wrong besides is about the sample.
    for field, part in (("rf_fast", question.model_copy(update={"sample_mg": None})), ("sample", question)):
        try:
            plan = draft_column(part)
        except Unreadable as unreadable:
            raise FieldErrors({field: str(unreadable)}) from unreadable
    fast, slow = max(question.rf), min(question.rf)
    answer = Answer(plan.says)
    answer.large = [
        Large("peaks apart by", round_to(plan.delta_cv, 1), "column volumes", f"ΔRf {round_to(plan.delta_rf, 2)}"),
        Large("peaks after", f"{round_to(1 / fast, 1)} and {round_to(1 / slow, 1)}", "column volumes"),
    ]
    if plan.level != "good":
        answer.remarks.append((plan.level, plan.says))
        answer.says = (
            f"ΔRf {round_to(plan.delta_rf, 2)}, {round_to(plan.delta_cv, 1)} column volumes between the peaks."
        )
    apart = f"1 ÷ {round_to(slow, 2)} − 1 ÷ {round_to(fast, 2)} = {round_to(plan.delta_cv, 2)}"
    answer.working = [WorkingLine("ΔCV", apart)]
    answer.rows = _draft_rows(plan, question, stream)
    if answer.rows:
        answer.head = ("first plan", "")
    if plan.by_table is not None:
        how = "from the table" if plan.by_table else "from 1/Rf, because these Rf values differ from the table's 0.35"
        answer.working.append(WorkingLine("Eluent", how))
    if question.sample_mg is not None:
        answer.steps = [
            "Handle silica in the hood: its dust harms the lungs.",
            "Pack as a slurry without bubbles; never let the liquid fall below the silica.",
            "Solvent waste by its stream, halogenated separately; local rules decide.",
        ]
    return answer


PLATES: tuple[Calculator, ...] = (
    Calculator(
        "tuning",
        "Tune an eluent",
        "Find the best composition from plates in two or more.",
        (
            Asked(
                "plates",
                "Plates",
                "one per line: % of the stronger part, then names with their Rf",
                usual="30 % P 0.16, A 0.30, C 0.05\n50 % P 0.28, A 0.45, C 0.09\n70 % P 0.41, A 0.58, C 0.14",
                lines=4,
                wide=True,
            ),
            Asked("phase", "On", options=tuple(PHASES.items())),
            Asked("at", "Look at", unit="%", usual="60", slides=(0, 100)),
            Asked("target", "Aim at Rf"),
            Asked("compound", "of"),
            Asked("strong", "Stronger part", "a solvent, for others of its strength"),
        ),
        tuning,
    ),
    Calculator(
        "arrival",
        "Time for the front to arrive",
        "From readings of the moving front to the time to take the plate out.",
        (
            Asked(
                "readings",
                "Front so far",
                "minutes and mm above the origin",
                usual="4 min 22 mm\n8 min 33 mm",
                lines=3,
                wide=True,
            ),
            Asked("origin", "Origin", "above the bottom edge", unit="mm", usual="10"),
            Asked("level", "Liquid", "above the bottom edge", unit="mm", usual="5"),
            Asked("plate", "Plate's height", unit="mm", usual="100"),
            Asked("below", "Stop below the top", unit="mm", usual="10"),
        ),
        arrival,
    ),
    Calculator(
        "eluent",
        "Mix an eluent",
        "Volumes to measure, and the level in the chamber.",
        (
            Asked("eluent", "Eluent", usual="ethyl acetate : heptane : acetic acid 70 : 29 : 1", wide=True),
            Asked("volume", "Each chamber", unit="mL", usual="10"),
            Asked("chambers", "Chambers", usual="12"),
            Asked("step", "Measurable to", unit="mL", usual="0.5"),
            Asked("across", "Chamber, inside", unit="mm", usual="60"),
            Asked("origin", "Origin", unit="mm", usual="10"),
            Asked("lining", "Lining takes", unit="mL"),
        ),
        mixing,
    ),
    Calculator(
        "cutting",
        "Plates and spotting solutions",
        "Plates from a sheet, lanes, spotting solutions for a class.",
        (
            Asked("lanes", "Lanes", usual="4"),
            Asked("apart", "apart", unit="mm", usual="10"),
            Asked("height", "Plate's height", unit="mm", usual="100"),
            Asked("sheet_width", "Sheet", "width", unit="mm", usual="200"),
            Asked("sheet_height", "Sheet", "height", unit="mm", usual="200"),
            Asked("plates", "Plates wanted", usual="12"),
            Asked("origin", "Origin", unit="mm", usual="10"),
            Asked("turn", "Across too", options=(("no", "no"), ("yes", "yes"))),
        ),
        cutting,
    ),
    Calculator(
        "column",
        "TLC to column",
        "Whether two spots separate on a column, and a first plan.",
        (
            Asked("rf_fast", "Rf of the faster", usual="0.35"),
            Asked("rf_slow", "Rf of the slower", usual="0.18"),
            Asked("sample", "Sample", unit="mg", usual="200"),
            Asked("kind", "Column", usual="flash", options=(("flash", "flash, by the table"), ("gravity", "gravity"))),
            Asked("bores", "Widths available", "mm, several with spaces", when=("kind", "gravity")),
            Asked("flow", "Flow", unit="mL/min", when=("kind", "gravity")),
            Asked("benches", "Benches"),
            Asked("eluent", "Eluent", "sets the waste stream", usual="heptane : ethyl acetate 4 : 1", wide=True),
        ),
        to_column,
    ),
)
