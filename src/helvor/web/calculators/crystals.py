"""Sums about crystals: how much solvent and what can come out, which solvent, what a melting range says."""

from __future__ import annotations

import re
from dataclasses import dataclass

from helvor.core.laws.crystallization.melting import (
    Range,
    read_range,
)
from helvor.core.laws.crystallization.plan import (
    COSTS,
    GREEDY,
    TEACHING,
    USUAL_EXTRA,
    Recrystallization,
    by_volume,
    for_benches,
    recrystallize,
    working_of,
)
from helvor.core.laws.crystallization.solubility import Curve, read_curve
from helvor.core.laws.crystallization.solvents import HAZARD, SUITS, UNKNOWN_HAZARD, Candidate, Tried, pairs, rank
from helvor.core.quantities.reading import Unreadable, digits, parse_number, round_to
from helvor.core.techniques.crystallization.calculators import MeltingIn, StandardIn, melting
from helvor.shelf.shelf import known_as
from helvor.shelf.solubilities import curve_in, curves_of
from helvor.web.calculators.answer import Answer, Asked, Calculator, House, Large, asked, number_of
from helvor.web.forms import FieldErrors, Form
from helvor.web.rendering import fragment
from helvor.web.techniques.crystallization.drawing import CurveShown, draw_curve


@dataclass(frozen=True, slots=True, kw_only=True)
class SolubilityShown:
    """A curve with a flask on it."""

    curve: CurveShown
    solid: str
    solvent: str


def _curve(form: Form, house: House) -> tuple[Curve, str]:
    """The points typed, else what the shelf knows; and where they come from."""
    typed = form.text("points")
    solvent = form.text("solvent") or "water"
    try:
        if typed:
            return read_curve(typed), "as typed"
        known = curve_in(house.shelf, form.text("solid"), solvent)
        if known is None:
            raise Unreadable(
                f"The reference data has no solubility curve in {solvent}: enter one, such as 0.54 at 25, 5.0 at 100."
            )
        return known, f"reference data, {', '.join(dict.fromkeys(point.source for point in known.points))}"
    except Unreadable as unreadable:
        raise FieldErrors({"points": str(unreadable)}) from unreadable


def _planned(form: Form, house: House) -> tuple[Recrystallization, Curve, str]:
    """The recrystallization asked for, its curve, and where that comes from."""
    mass = number_of(form, "mass", "The mass")
    hot, cold = number_of(form, "hot", "The hot temperature", 100.0), number_of(form, "cold", "The cold one", 2.0)
    extra, volume, wash = form.number("extra"), form.number("volume"), form.number("wash") or 0.0
    form.check()
    curve, source = _curve(form, house)
    try:
        impurity = read_curve(form.text("impurity")) if form.text("impurity") else None
        if impurity is not None:
            impurity.at(cold)
    except Unreadable as unreadable:
        raise FieldErrors({"impurity": str(unreadable)}) from unreadable
    part = extra / 100 if extra is not None else USUAL_EXTRA
    try:
        plan = recrystallize(mass, curve, hot, cold, volume=volume, wash=wash, impurity=impurity, extra=part)
    except Unreadable as unreadable:
        raise FieldErrors({"mass" if "mass" in str(unreadable) else "cold": str(unreadable)}) from unreadable
    return plan, curve, source


def _flask_rows(plan: Recrystallization, cold: float, benches: int | None) -> list[tuple[str, ...]]:
    """What too much solvent costs, and what to provide; *cold*: g that 100 mL dissolve as it is filtered."""
    costs = zip(COSTS, by_volume(plan, cold, [n * plan.least for n in COSTS]), strict=True)
    rows = [(f"{digits(ml, 3)} mL, {n:g} times the least", f"{round_to(100 * top, 1)} %") for n, (ml, top) in costs]
    rows += [
        ("flask", f"{plan.flask:g} mL" if plan.flask else "none this large: divide the solid"),
        ("charcoal, if it is coloured", " to ".join(digits(1000 * one, 2) for one in plan.charcoal) + " mg"),
        ("saturated below", f"{round_to(plan.due, 0)} °C" if plan.due is not None else "beyond the curve"),
        ("second crop, mother liquor boiled to half", f"about {digits(plan.boiled, 2)} g, less pure"),
    ]
    if plan.impurity is not None:
        rows.append(("of the impurity stays dissolved", f"up to {digits(plan.impurity, 2)} g"))
    if benches:
        rows.append((f"for {benches} benches, 10 % spare", f"{digits(for_benches(plan, benches), 3)} mL"))
    return list(rows)


def how_much_solvent(form: Form, house: House) -> Answer:
    """Hot solvent, flask, ceiling, what too much costs."""
    plan, curve, source = _planned(form, house)
    benches = form.whole("benches")
    form.check()
    typical = f"{TEACHING[0]:.0%} to {TEACHING[1]:.0%} is typical".replace("%", " %")
    answer = Answer(f"Solubility {source}; between its points ln S is straight in 1/T.")
    answer.large = [
        Large("maximum recovery", round_to(100 * plan.ceiling, 1), "%", typical),
        Large("hot solvent", digits(plan.volume, 3), "mL", f"least {digits(plan.least, 3)} mL"),
    ]
    answer.head = ("solvent", "maximum recovery")
    answer.rows = _flask_rows(plan, curve.at(plan.cold), benches)
    if not plan.crystallizes:
        answer.remarks.append(("stop", "It never becomes saturated, so nothing can crystallize. Use less solvent."))
    elif plan.volume > GREEDY * plan.least:
        answer.remarks.append(
            ("caution", "More than 50 % too much solvent: the mother liquor keeps more product dissolved.")
        )
    answer.working = working_of(plan, curve)
    answer.steps = [
        "Add chips first, then the solvent in portions, each to the boil.",
        "Add charcoal only off the boil.",
        "Cool slowly, undisturbed; then in ice with water. Hot glass looks cold; local rules decide.",
    ]
    solid, solvent = form.text("solid") or "the solid", form.text("solvent") or "water"
    shown = SolubilityShown(curve=draw_curve(curve, plan), solid=solid, solvent=solvent)
    answer.drawing = fragment("calculators/solubility.html", shown)
    return answer


_TUBE = re.compile(r"\b(cold|hot|cooled)\s+(none|some|all|crystals|oil|nothing)\b", re.IGNORECASE)


def _candidate(line: str, solid: str, house: House) -> Candidate:
    """``water 0.5 at 20, 5.5 at 100 cold none hot all cooled crystals``, as much of it as is known."""
    name = re.split(r"\s+(?=\d)|\s+(?:cold|hot|cooled|reacts)\b", line.strip(), maxsplit=1)[0]
    said = {when.casefold(): how.casefold() for when, how in _TUBE.findall(line)}
    figures = _TUBE.sub("", line[len(name) :]).replace("reacts", "").strip(" ,;:")
    curve = read_curve(figures) if figures else curve_in(house.shelf, solid, name)
    item = known_as(house.shelf, name, ("solvent",))
    tried = Tried(name, said.get("cold", ""), said.get("hot", ""), said.get("cooled", "")) if said else None
    return Candidate(
        name,
        item.number("boils") if item is not None else None,
        curve.points[0].grams if curve else None,
        curve.points[-1].grams if curve else None,
        HAZARD.get(name.casefold(), UNKNOWN_HAZARD),
        "reacts" in line.casefold(),
        item is not None and item.flammable,
        tried,
    )


def which_solvent(form: Form, house: House) -> Answer:
    """Solvents in order, with reasons, from figures and test tubes."""
    melts, wet = form.number("melts"), form.number("wet")
    form.check()
    try:
        lines = [line for line in form.text("solvents").splitlines() if line.strip()]
        named = [line.strip().casefold() for line in lines]
        # What the shelf knows of the solid joins in, unless the same solvent was written.
        lines += [
            name
            for name, _ in curves_of(house.shelf, form.text("solid"))
            if not any(one.startswith(name) for one in named)
        ]
        candidates = [_candidate(line, form.text("solid"), house) for line in lines]
    except Unreadable as unreadable:
        raise FieldErrors({"solvents": str(unreadable)}) from unreadable
    if not candidates:
        raise FieldErrors({"solvents": "Enter at least one solvent."})
    ordered = rank(candidates, melts, {one.name: wet for one in candidates} if wet is not None else None)
    best = ordered[0]
    answer = Answer(
        f"{best.name} first." if best.level == "good" else "None is suitable alone; the best is listed first."
    )
    answer.head = ("solvent", "why")
    answer.rows = [(f"{one.name} ({SUITS[one.level]})", "; ".join(one.why)) for one in ordered]
    couples = pairs([one.tried for one in candidates if one.tried is not None])
    if couples:
        mixed = ", ".join(f"{a} with {b}" for a, b in couples)
        answer.remarks.append(("note", f"As a pair, if they mix: {mixed}."))
    answer.steps = [
        "Test a few grains in 0.5 mL: cold, at the boil in a bath, on cooling.",
        "No flame near a flammable solvent.",
    ]
    return answer


def _standards(text: str) -> list[StandardIn]:
    found = []
    for line in text.splitlines():
        if not line.strip():
            continue
        match = re.fullmatch(r"\s*(.+?)\s+([\d.,]+)\s+(?:read\s+)?([\d.,]+)\s*", line)
        if match is None:
            raise Unreadable(
                f"“{line.strip()[:30]}” is not clear: enter a standard, its melting point and what was read."
            )
        published, read = (parse_number(number)[0] for number in match.groups()[1:])
        found.append(asked(StandardIn, name=match[1], published=published, read=read))
    return found


def _range(form: Form, field: str) -> Range:
    try:
        return read_range(form.text(field))
    except Unreadable as unreadable:
        raise FieldErrors({field: str(unreadable)}) from unreadable


def _published(form: Form, house: House, solid: str) -> tuple[float, str]:
    """The melting point to hold it against, °C, and where it is from."""
    typed = form.number("published")
    form.check()
    if typed is not None:
        return typed, "as typed"
    item = known_as(house.shelf, solid, ("substance",))
    known = item.number("melts") if item is not None else None
    if item is None or known is None:
        raise FieldErrors({"published": "The reference data has no melting point for it: enter the published one."})
    return known, f"reference data: {item.values['melts'].source}"


def what_it_melts_like(form: Form, house: House) -> Answer:
    """A melting range against the published value, corrected by standards, with a mixed one if there is one."""
    seen, solid, rate = _range(form, "range"), form.text("solid") or "the substance", form.number("rate")
    published, where = _published(form, house, solid)
    mixed = _range(form, "mixed") if form.text("mixed") else None
    try:
        standards = _standards(form.text("standards"))
    except Unreadable as unreadable:
        raise FieldErrors({"standards": str(unreadable)}) from unreadable
    question = asked(
        MeltingIn,
        range=(seen.starts, seen.ends),
        what=solid,
        published=published,
        rate=rate,
        standards=standards,
        mixed=(mixed.starts, mixed.ends) if mixed is not None else None,
    )
    found = melting(question)
    true = Range(*found.range)
    answer = Answer(f"{found.says} {found.because}")
    answer.large = [Large("melts", true.shown, "°C", f"width {round_to(true.width, 1)} °C")]
    answer.rows = [("published", f"{round_to(published, 1)} °C, {where}")]
    if standards:
        answer.rows.append(("read", f"{seen.shown} °C, corrected by {round_to(found.correction, 1)} °C there"))
    if found.level != "good":
        answer.remarks.append((found.level, found.do or found.because))
    if found.too_fast:
        answer.remarks.append(
            ("note", "Heated too fast: the range reads too high and too wide. Repeat at 1 to 2 °C a minute.")
        )
    if found.mixed is not None:
        answer.rows.append(("mixed with the reference", f"{Range(*found.mixed).shown} °C"))
        same = ("good", "Unchanged by mixing: the same compound.")
        answer.remarks.append(same if found.same else ("caution", "Lowered by mixing: a different compound."))
    return answer


CRYSTALS: tuple[Calculator, ...] = (
    Calculator(
        "recrystallize",
        "Volume of hot solvent",
        "Least volume, flask, maximum recovery, loss from excess solvent.",
        (
            Asked("solid", "Solid", usual="acetanilide"),
            Asked("solvent", "Solvent", usual="water"),
            Asked("points", "Solubility", "g in 100 mL at °C; default: reference data", wide=True),
            Asked("mass", "Of it", unit="g", usual="2.0"),
            Asked("hot", "Dissolved at", unit="°C", usual="100"),
            Asked("cold", "Filtered at", unit="°C", usual="2"),
            Asked("extra", "Extra for hot filtration", unit="%", usual="20", slides=(0, 200)),
            Asked("volume", "Really used", "instead of the least and its extra", unit="mL"),
            Asked("wash", "Cold washes", unit="mL", usual="5"),
            Asked("impurity", "An impurity", "its solubility: stays dissolved", usual="", wide=True),
            Asked("benches", "Benches"),
        ),
        how_much_solvent,
    ),
    Calculator(
        "which-solvent",
        "Choose a solvent",
        "From solubilities and test tubes: the solvent to recrystallize from, and why.",
        (
            Asked("solid", "Solid", "reference data is added", usual="acetanilide"),
            Asked(
                "solvents",
                "Solvents",
                "one per line: name, g in 100 mL cold and hot, result of the test tube",
                lines=5,
                wide=True,
                usual="water cold none hot all cooled crystals\nethanol cold all\nheptane cold none hot none",
            ),
            Asked("melts", "It melts at", "dry", unit="°C", usual="114"),
            Asked("wet", "Under the solvent", "if it melts lower under the solvent", unit="°C"),
        ),
        which_solvent,
    ),
    Calculator(
        "melting",
        "Judge a melting range",
        "Compared with the published value, corrected, with a mixed melting point.",
        (
            Asked("solid", "It should be", usual="acetanilide"),
            Asked("range", "Melts", unit="°C", usual="113.2-114.1"),
            Asked("published", "Published", "default: reference data", unit="°C"),
            Asked("rate", "Heated", unit="°C/min", usual="1"),
            Asked("standards", "Standards", "one per line: name, published, read", lines=2, wide=True),
            Asked("mixed", "Mixed with the reference", unit="°C"),
        ),
        what_it_melts_like,
    ),
)
