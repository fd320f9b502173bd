"""Pages of the calculators of solutions, hydrates and formulas."""

from __future__ import annotations

from helvor.core.laws.precipitation.solution import dilute
from helvor.core.laws.solutions.concentration import UNITS
from helvor.core.quantities.formula import readable
from helvor.core.quantities.reading import Unreadable, digits, round_to
from helvor.core.quantities.working import WorkingLine
from helvor.core.techniques.precipitation import solutions
from helvor.core.techniques.precipitation.solutions import (
    BufferIn,
    CompositionIn,
    ConcentrationIn,
    HydrateIn,
    SeriesIn,
    StandardizeIn,
)
from helvor.web.calculators.answer import Answer, Asked, Calculator, House, Large, asked, formula_of, number_of
from helvor.web.forms import FieldErrors, Form

_DILUTE = 0.01
"""Mass fraction up to which a solution is as dense as water, for what is weighed and measured. Common practice."""


def _formula(form: Form, house: House, name: str = "formula") -> str:
    formula = formula_of(form.text(name), house)
    if not formula:
        form.errors[name] = "Enter a formula or a name, such as HCl."
    return formula


def concentration(form: Form, house: House) -> Answer:
    """One solution in every unit."""
    formula, value = _formula(form, house), number_of(form, "value", "The concentration")
    unit, density = form.text("unit") or "mol/L", form.number("density")
    wanted, volume = form.number("wanted"), form.number("volume")
    form.check()
    found = solutions.concentration(asked(ConcentrationIn, value=value, unit=unit, formula=formula, density=density))
    answer = Answer(f"{digits(value, 4)} {unit} {readable(formula)}.")
    answer.large = [Large("concentration", digits(found.molar, 4), "mol/L")]
    answer.head = ("", "")
    answer.rows = [
        ("mass concentration", f"{digits(found.g_per_l, 4)} g/L"),
        ("% by mass, w/w", f"{digits(100 * found.fraction, 4)} %"),
        ("% w/v", f"{digits(found.g_in_100_ml, 4)} g in 100 mL"),
        ("ppm", f"{digits(found.ppm, 4)} mg/kg"),
        ("molality", "none: no solvent" if found.molality is None else f"{digits(found.molality, 4)} mol/kg"),
        ("density", f"{digits(found.density, 4)} g/mL"),
    ]
    if found.assumed == "water" and found.fraction > _DILUTE:
        answer.remarks.append(
            ("caution", "Its density is not known, so 1.00 g/mL was used between mass and volume: enter its own.")
        )
    elif found.assumed == "table":
        answer.remarks.append(("note", "Density by the table for solutions in water at 20 °C."))
    answer.working = [
        WorkingLine(
            "Amount concentration",
            f"{digits(found.g_per_l, 5)} g/L ÷ {digits(found.g_per_mol, 5)} g/mol = {digits(found.molar, 4)} mol/L",
        ),
    ]
    if wanted is not None and volume is not None:
        try:
            made = dilute(found.molar, wanted, volume)
        except Unreadable as unreadable:
            raise FieldErrors({"wanted": str(unreadable)}) from unreadable
        answer.large.insert(0, Large("of it, made up to volume", digits(made.amount, 4), "mL", made.glass))
        answer.steps = list(made.how)
        answer.working += made.working
    return answer


def series(form: Form, house: House) -> Answer:
    """A dilution series."""
    stock, factor = number_of(form, "stock", "The stock"), number_of(form, "factor", "The factor")
    steps, volume = form.whole("steps"), number_of(form, "volume", "The volume")
    form.check()
    found = solutions.dilution_series(asked(SeriesIn, stock=stock, factor=factor, steps=steps or 1, ml=volume))
    first = found[0]
    answer = Answer(
        "Change or rinse the pipette between the steps, and mix each before the next is taken.",
        [Large("of the one before, each time", digits(first.taken_ml, 4), "mL", f"to {volume:g} mL")],
        ("step", "mol/L", "of the one before", "solvent"),
    )
    answer.rows = [
        (str(d.number), digits(d.concentration, 4), f"{digits(d.taken_ml, 4)} mL", f"{digits(d.solvent_ml, 4)} mL")
        for d in found
    ]
    answer.working = [
        WorkingLine("Each step", f"C₁V₁ = C₂V₂: {volume:g} mL ÷ {factor:g} = {digits(first.taken_ml, 4)} mL")
    ]
    return answer


def buffer(form: Form, house: House) -> Answer:
    """A buffer from its acid and base."""
    pka, ph = number_of(form, "pka", "The pKa"), number_of(form, "ph", "The pH")
    molar, volume = number_of(form, "molar", "The concentration"), number_of(form, "volume", "The volume")
    strong, added = number_of(form, "strong", "", 1.0), number_of(form, "added", "", 0.0)
    form.check()
    made = solutions.buffer(
        asked(BufferIn, pka=pka, ph=ph, molar=molar, ml=volume, strong_molar=strong, added_mmol=added)
    )
    answer = Answer(
        "Mix the acid and its salt, or begin with all of the acid and bring it to the pH with strong base; check with "
        "a meter before making up to volume."
    )
    answer.large = [
        Large("of the base", digits(made.base_mmol), "mmol"),
        Large("of the acid", digits(made.acid_mmol), "mmol"),
    ]
    if made.ph_after is not None:
        answer.large.append(Large("pH afterwards", round_to(made.ph_after, 2), "", f"with {added:g} mmol added"))
    answer.head = ("begin with", "in it", f"and {strong:g} mol/L")
    whole = digits(made.acid_mmol + made.base_mmol)
    answer.rows = [
        ("the acid", f"{whole} mmol", f"{digits(made.strong_base_ml)} mL strong base"),
        ("its salt", f"{whole} mmol", f"{digits(made.strong_acid_ml)} mL strong acid"),
        ("capacity", "", f"{digits(made.capacity)} mmol for 1 L and 1 pH"),
    ]
    if not made.reaches:
        words = "More than 1 from pKa it hardly holds its pH: choose an acid with a nearer pKa."
        answer.remarks.append(("caution", words))
    answer.working = [WorkingLine("Base over acid", f"10^({ph:g} − {pka:g}) = {digits(made.ratio)}")]
    return answer


def standardization(form: Form, house: House) -> Answer:
    """A titrant's concentration."""
    standard = _formula(form, house, "standard")
    ratio, blank = number_of(form, "ratio", "", 1.0), number_of(form, "blank", "", 0.0)
    purity = number_of(form, "purity", "", 100.0) / 100
    form.check()
    lines = [line for line in form.text("trials").splitlines() if line.strip()]
    if not lines:
        raise FieldErrors({"trials": "Enter mass and volume, a line each, such as 0.5105 g 24.95 mL."})
    try:
        found = solutions.standardization(
            asked(StandardizeIn, trials=lines, standard=standard, ratio=ratio, purity=purity, blank_ml=blank)
        )
    except Unreadable as unreadable:
        raise FieldErrors({"trials": str(unreadable)}) from unreadable
    titrations = f"{len(found.each)} titrations" if len(found.each) > 1 else "one titration"
    more = f"± {digits(found.u, 1)} mol/L, {titrations}"
    answer = Answer("", [Large("titrant", round_to(found.molar, 5), "mol/L", more)])
    answer.head = ("titration", "mol/L")
    answer.rows = [(str(n), round_to(one, 5)) for n, one in enumerate(found.each, 1)]
    if len(found.each) == 1:
        answer.remarks.append(("note", "One titration shows no spread: make two more."))
    elif not found.agree:
        answer.remarks.append(
            ("caution", f"They differ by {digits(100 * found.spread, 2)} % of the mean; within 0.2 % they agree.")
        )
    answer.working = [WorkingLine("Concentration", "m × purity ÷ M × ratio ÷ (V − blank)")]
    return answer


def hydrate(form: Form, house: House) -> Answer:
    """mol of water in a hydrate."""
    salt = _formula(form, house, "anhydrous")
    before, after = number_of(form, "before", "The mass before"), number_of(form, "after", "The mass after")
    form.check()
    found = solutions.hydrate(asked(HydrateIn, anhydrous=salt, before_g=before, after_g=after))
    answer = Answer(f"{readable(salt)}·{found.whole if found.whole != 1 else ''}H₂O" if found.whole else "")
    answer.large = [
        Large("water for one of the salt", digits(found.waters), "mol", f"nearest whole number {found.whole}"),
        Large("water", digits(100 * found.found, 4), "%", f"{digits(100 * found.theoretical, 4)} % by this formula"),
    ]
    if not found.fits:
        answer.remarks.append(
            (
                "caution",
                "No whole number: heat again to constant mass if it is low; if it is high, the salt was damp, spat or "
                "decomposed.",
            )
        )
    lost = digits(before - after, 4)
    answer.working = [
        WorkingLine("Water", f"{before:g} − {after:g} g = {lost} g"),
        WorkingLine("Ratio", f"({lost} ÷ 18.015) ÷ ({after:g} ÷ M of {readable(salt)}) = {digits(found.waters)}"),
    ]
    return answer


def composition(form: Form, house: House) -> Answer:
    """Percent composition or empirical formula."""
    text = form.text("text")
    if not text:
        raise FieldErrors({"text": "Enter a formula, or elements with percentages, such as C 40.0, H 6.7, O 53.3."})
    try:
        found = solutions.composition(asked(CompositionIn, text=formula_of(text, house) if "," not in text else text))
    except Unreadable as unreadable:
        raise FieldErrors({"text": str(unreadable)}) from unreadable
    answer = Answer("", [Large("formula", readable(found.formula), "", f"{digits(found.g_per_mol, 5)} g/mol")])
    answer.head = ("element", "% by mass", *(("mol ratio",) if found.ratios else ()))
    answer.rows = [
        (element, f"{round_to(100 * part, 2)} %", *((digits(found.ratios[element]),) if found.ratios else ()))
        for element, part in found.fractions.items()
    ]
    if found.ratios:
        answer.remarks.append(("note", "The simplest formula; the molecule may hold a multiple of it."))
    return answer


SOLUTIONS = (
    Calculator(
        "concentration",
        "Concentration units",
        "mol/L, g/L, % by mass, % w/v, ppm; what to take of a bottle.",
        (
            Asked("formula", "Solute", "formula or name", usual="HCl"),
            Asked("value", "Concentration", usual="37"),
            Asked("unit", "in", usual="% w/w", options=tuple((unit, unit) for unit in UNITS)),
            Asked("density", "Density", "on the bottle", unit="g/mL", usual="1.18"),
            Asked("wanted", "Dilute to", unit="mol/L"),
            Asked("volume", "Volume wanted", unit="mL"),
        ),
        concentration,
    ),
    Calculator(
        "series",
        "Dilution series",
        "Serial dilution: what to take at each step.",
        (
            Asked("stock", "Stock", unit="mol/L", usual="0.1"),
            Asked("factor", "Each step weaker", "times", usual="10"),
            Asked("steps", "Steps", usual="4"),
            Asked("volume", "Volume of each", unit="mL", usual="50"),
        ),
        series,
    ),
    Calculator(
        "buffer",
        "Buffer",
        "Acid and base for a pH, capacity, pH after an addition.",
        (
            Asked("pka", "pKa", usual="4.76"),
            Asked("ph", "pH wanted", usual="5.0"),
            Asked("molar", "Acid and base together", unit="mol/L", usual="0.1"),
            Asked("volume", "Volume", unit="mL", usual="500"),
            Asked("strong", "Strong base or acid", unit="mol/L", usual="1"),
            Asked("added", "Strong base added later", "mmol; acid with −"),
        ),
        buffer,
    ),
    Calculator(
        "standardize",
        "Standardization",
        "Concentration of a titrant from weighed standards.",
        (
            Asked("standard", "Standard", "formula or name", usual="KHC8H4O4"),
            Asked(
                "trials", "Titrations", "a line each", usual="0.5105 g 24.95 mL\n0.5210 g 25.45 mL", lines=4, wide=True
            ),
            Asked("ratio", "mol titrant for one of it", usual="1"),
            Asked("purity", "Purity", unit="%", usual="100"),
            Asked("blank", "Blank", unit="mL"),
        ),
        standardization,
    ),
    Calculator(
        "hydrate",
        "Water of a hydrate",
        "From the masses before and after heating.",
        (
            Asked("anhydrous", "Salt without water", "formula", usual="CuSO4"),
            Asked("before", "Before heating", unit="g", usual="2.000"),
            Asked("after", "After heating", unit="g", usual="1.279"),
        ),
        hydrate,
    ),
    Calculator(
        "composition",
        "Percent composition",
        "Of a formula; or the empirical formula of percentages.",
        (Asked("text", "Formula or percentages", usual="C 40.0, H 6.7, O 53.3", wide=True),),
        composition,
    ),
)
