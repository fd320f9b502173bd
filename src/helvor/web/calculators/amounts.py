"""Sums of substances and filters: each answer is put together from the heart's functions."""

from __future__ import annotations

import re
from dataclasses import dataclass
from math import log10

from helvor.core.laws.filtration.choose import FUNNELS_HERE, GRAINS, METHODS, SOLVENTS, Choice, Task, choose
from helvor.core.laws.filtration.paper import FoldStep, disc_for_plate, fold_guide
from helvor.core.laws.filtration.wash import best_split, left_after
from helvor.core.laws.precipitation.gravimetry import determination, factor, factor_working, parallels
from helvor.core.laws.precipitation.reaction import Needed, obtained, outcome_working, react, reagent_for
from helvor.core.laws.precipitation.solubility import HYDROLYSE, losses, salt_of
from helvor.core.laws.precipitation.solution import dilute, to_make
from helvor.core.quantities.formula import Equation, balance, parse_equation, plain, readable
from helvor.core.quantities.measured import shown, shown_with_u, total
from helvor.core.quantities.reading import Unreadable, digits, round_to
from helvor.core.quantities.working import WorkingLine
from helvor.core.techniques.filtration.calculators import WashIn, cone, wash
from helvor.core.techniques.filtration.findings import Flask
from helvor.core.techniques.precipitation.amounts import TakenLine, brought, read_line, read_lines
from helvor.core.techniques.precipitation.technique import EXCESS
from helvor.shelf.shelf import known_as
from helvor.web.calculators.answer import Answer, Asked, Calculator, House, Large, asked, formula_of, number_of
from helvor.web.forms import FieldErrors, Form
from helvor.web.rendering import fragment
from helvor.web.techniques.filtration.instrument import CONE_WORDS, ConeShown, FlaskShown, cone_shown, flask_shown


@dataclass(frozen=True, slots=True, kw_only=True)
class FoldsShown:
    """The pictures of a fold."""

    guide: list[FoldStep]


@dataclass(frozen=True, slots=True, kw_only=True)
class SetUpShown:
    """The set-up of a way to filter, drawn."""

    cone: ConeShown | None
    flask: FlaskShown | None
    crucible: bool
    hot: bool
    school: str


@dataclass(frozen=True, slots=True, kw_only=True)
class WashPlot:
    """What is left after each rinse, on a scale of powers of ten; x, y and width of each bar, and its words."""

    bars: list[tuple[float, float, float, str]]
    wanted_y: float | None


def _equation(form: Form) -> tuple[Equation, bool]:
    """The equation, balanced, and whether it was as written."""
    text = form.text("equation")
    try:
        return parse_equation(text), True
    except Unreadable:
        try:
            return balance(text), False
        except Unreadable as unreadable:
            raise FieldErrors({"equation": str(unreadable)}) from unreadable


def reaction(form: Form, house: House) -> Answer:
    """Balanced equation, limiting reagent, excess, theoretical masses, percent yield."""
    equation, as_written = _equation(form)
    says = "The equation is balanced." if as_written else "Coefficients found."
    answer = Answer(says, [Large("equation", str(equation), "")])
    try:
        taken = read_lines(form.text("amounts"), lambda name: formula_of(name, house))
    except Unreadable as unreadable:
        raise FieldErrors({"amounts": str(unreadable)}) from unreadable
    if not taken:
        return answer
    try:
        amounts = brought(equation, taken)
    except Unreadable as unreadable:
        raise FieldErrors({"amounts": str(unreadable)}) from unreadable
    answer.working = [line.working for line in taken]
    outcome = react(equation, amounts)
    answer.says += f" {readable(outcome.limiting)} runs out first."
    answer.head = ("", "mol", "theoretical, g", "left over")
    for formula, amount in amounts.items():
        if formula == outcome.limiting:
            over = "limiting"
        else:
            over = f"{shown(outcome.left[formula])} mol (+{100 * outcome.excess[formula]:.0f} %)"
        answer.rows.append((readable(formula), shown(amount), "", over))
    for formula, made in outcome.made.items():
        answer.rows.append((readable(formula), shown(made), shown_with_u(outcome.mass(formula)), ""))
    answer.working += outcome_working(equation, amounts, outcome)
    weighed, of = form.mass("obtained"), form.text("product")
    form.check()
    if weighed is not None:
        product = next((f for f in equation.right if not of or plain(formula_of(of, house)) == f), None)
        if product is None:
            raise FieldErrors({"product": "Enter a product from the right of the equation."})
        got = obtained(outcome, product, weighed)
        of_possible = f"of {shown(outcome.mass(product))} g theoretical"
        answer.large.append(Large(f"yield of {readable(product)}", shown(got.part * 100, most=1), "%", of_possible))
        answer.working.append(got.working)
        if got.too_much:
            answer.remarks.append(
                (
                    "caution",
                    "Above 100 %: the product is wet, a tare is missing, or precipitant "
                    "coprecipitated. It is never a real yield.",
                )
            )
    return answer


def reagent(form: Form, house: House) -> Answer:
    """What to weigh of one reagent for another, on the part that reacts or on the whole sample."""
    equation, _ = _equation(form)
    usual = EXCESS[house.rules["precipitant-excess"].key]
    times, name = number_of(form, "times", "The excess", usual), form.text("reagent")
    have = form.text("have")
    if not name:
        form.errors["reagent"] = "Enter the reagent to weigh."
    if not have:
        form.errors["have"] = "Enter the formula and its amount, such as Na2SO4 0.50 g."
    form.check()
    try:
        part, whole = (
            read_line(text, lambda one: formula_of(one, house)) for text in (have, re.sub(r"[\d.,]+\s*%", "", have))
        )
    except Unreadable as unreadable:
        raise FieldErrors({"have": str(unreadable)}) from unreadable
    bought = formula_of(name, house)

    def needed(line: TakenLine, times: float) -> Needed:
        return reagent_for(equation, line.formula, line.amount.value, bought, times)

    chosen = whole if form.text("basis") == "sample" else part
    result = needed(chosen, times)
    answer = Answer(f"With {times:g} times what the equation asks for.")
    answer.large = [Large(f"{readable(bought)} to weigh", digits(result.mass), "g", f"{digits(result.amount)} mol")]
    answer.working = [chosen.working, *result.working]
    answer.head = ("", "the part that reacts", "the whole sample")
    answer.rows = [
        (words, *(f"{digits(needed(line, t).mass)} g" for line in (part, whole)))
        for words, t in (("exactly enough", 1.0), ("10 % more", 1.1), ("twice", 2.0))
    ]
    if part.amount.value < whole.amount.value:
        words = "The whole sample gives a safe excess; the two answers belong to different questions."
        answer.remarks = [("note", words)]
    return answer


def solution(form: Form, house: House) -> Answer:
    """A solution to volume from a solid, or from a stronger one."""
    molar, volume = number_of(form, "molar", "The concentration"), number_of(form, "volume", "The volume")
    stock, name = form.number("stock"), form.text("formula")
    if stock is None and not name:
        form.errors["formula"] = "Enter the solid, or the stock solution to dilute."
    purity = form.number("purity")
    form.check()
    if stock is not None:
        made = dilute(stock, molar, volume)
        large = Large("of the stock solution", digits(made.amount, 4), "mL", made.glass)
    else:
        formula = formula_of(name, house)
        made = to_make(molar, volume, formula, (purity or 100.0) / 100)
        large = Large(f"{readable(formula)} to weigh", digits(made.amount, 4), "g", made.glass)
    return Answer(
        "Make up to the mark; do not add the full volume of water to the solid.",
        [large],
        steps=list(made.how),
        working=list(made.working),
    )


def solubility(form: Form, house: House) -> Answer:
    """What stays dissolved."""
    name = form.text("formula")
    formula = formula_of(name, house)
    item = known_as(house.shelf, formula, ("precipitate",))
    pksp = form.number("pksp")
    if not formula:
        form.errors["formula"] = "Enter the precipitate."
    elif pksp is None and (item is None or "pksp" not in item.values):
        form.errors["pksp"] = "Its solubility product is not in the reference data: enter its pKsp."
    liquor, washes = number_of(form, "liquor", "The volume", 0.0), number_of(form, "washes", "The volume", 0.0)
    cation, anion = number_of(form, "cation", "", 0.0), number_of(form, "anion", "", 0.0)
    form.check()
    known = item.values["pksp"] if item is not None and pksp is None else None
    power = pksp if pksp is not None else float(known.text) if known is not None else 0.0
    salt = salt_of(formula)
    plain_water = losses(formula, 10**-power, liquor=liquor, washes=washes)
    found = losses(formula, 10**-power, liquor=liquor, cation=cation, anion=anion, washes=washes)
    answer = Answer(f"Of {readable(formula)}, pKsp {power:g}{f' ({known.source})' if known else ''}.")
    answer.large = [
        Large("stays in the supernatant", *_small(found.liquor)),
        Large("lost in the washes", *_small(found.washes), "at most"),
    ]
    if found.liquor and (cation or anion):
        less = digits(plain_water.liquor / found.liquor, 2)
        answer.says += f" The common ion leaves {less} times less in solution than pure water would."
    weighed = form.mass("weighed")
    if weighed is not None and weighed.value > 0:
        part = (found.liquor + found.washes) / (weighed.value + found.liquor + found.washes)
        answer.large.append(Large("of the precipitate", digits(100 * part, 2), "%", "lost by solubility"))
    answer.working = list(found.working)
    answer.remarks = [
        (
            "note",
            f"Ions: {salt.p} {salt.cation}, {salt.q} {salt.anion} in one formula unit. Activities are ignored: in "
            "salt-rich solutions somewhat more dissolves; a large excess can redissolve some as complexes.",
        ),
    ]
    if salt.anion in HYDROLYSE:
        words = f"{readable(salt.anion)} reacts with water: more dissolves than the solubility product predicts."
        answer.remarks.append(("caution", words))
    return answer


def _small(grams: float) -> tuple[str, str]:
    """A small mass with its unit: milligrams, or micrograms where those would begin with zeros."""
    return (digits(1000 * grams), "mg") if grams >= 1e-5 or grams == 0 else (digits(1e6 * grams), "µg")


def contents(form: Form, house: House) -> Answer:
    """Per cent of the sought in the sample, one or two determinations."""
    sought, weighed = (formula_of(form.text(n), house) for n in ("sought", "weighed"))
    for name, value, what in (
        ("sought", sought, "Enter the formula sought."),
        ("weighed", weighed, "Enter the formula weighed."),
    ):
        if not value:
            form.errors[name] = what
    pairs = []
    for letter in "ab":
        precipitate, sample = form.mass(f"precipitate_{letter}"), form.mass(f"sample_{letter}")
        if precipitate is not None and sample is not None:
            pairs.append((letter.upper(), precipitate, sample))
        elif precipitate is not None or sample is not None:
            form.errors[f"{'sample' if sample is None else 'precipitate'}_{letter}"] = "Enter both masses, or neither."
    form.check()
    number = factor(sought, weighed, form.text("carrier"))
    answer = Answer(large=[Large("factor", round_to(number, 4), "", f"{readable(sought)} per {readable(weighed)}")])
    answer.working = [factor_working(sought, weighed, form.text("carrier"))]
    if number > 1:
        answer.says = "The factor is above 1: the sought form has the larger molar mass."
    parts = []
    for letter, precipitate, sample in pairs:
        part = determination(precipitate, sample, number)
        parts.append(part)
        answer.rows.append((letter, f"{precipitate}", f"{sample}", f"{shown_with_u(part * 100)} %"))
        answer.working.append(
            WorkingLine(
                f"Determination {letter}",
                f"{precipitate} × {round_to(number, 4)} ÷ {sample} = {shown_with_u(part * 100)} %",
            )
        )
        if (part - 1.0).value > 2 * part.u:
            answer.remarks.append(
                (
                    "caution",
                    f"{letter} is above 100 %: the precipitate is wet, a tare is missing, or "
                    "other salts coprecipitated.",
                )
            )
    answer.head = ("", "precipitate", "sample", readable(sought)) if parts else ()
    if parts:
        mean = total(parts) * (100 / len(parts))
        answer.large.append(Large(f"{readable(sought)} in the sample", shown(mean), "%", f"mean of {len(parts)}"))
    if len(parts) > 1:
        beside = parallels([part.value * 100 for part in parts])
        answer.large.append(
            Large("apart", digits(100 * beside.relative, 2), "%", f"of the mean; {digits(beside.spread, 2)} % absolute")
        )
    return answer


def filters(form: Form, house: House) -> Answer:
    """Which way to filter."""
    solid, liquid = number_of(form, "solid", "The mass"), number_of(form, "liquid", "The volume")
    minutes, picks = form.number("minutes"), set(form.all("so"))
    grain, solvent = form.text("grain") or "crystals", form.text("solvent") or "water"
    here = form.text("here") or "any"
    for name, value, known in (("grain", grain, GRAINS), ("solvent", solvent, SOLVENTS), ("here", here, FUNNELS_HERE)):
        if value not in known:
            form.errors[name] = "Choose one from the list."
    form.check()
    choice = choose(
        Task(
            "liquid" if form.text("wanted") == "liquid" else "solid",
            solid,
            liquid,
            grain,  # type: ignore[arg-type]  # looked at above
            hot="hot" in picks,
            settles="settles" in picks,
            weighed="weighed" in picks,
            crucibles="crucibles" in picks,
            aid="aid" in picks,
            minutes=minutes,
            school=house.rules["filling-cone"].key,
            fold=house.rules["folding"].key,
            solvent=solvent,  # type: ignore[arg-type]  # looked at above
            here=here,  # type: ignore[arg-type]  # looked at above
        )
    )
    return _chosen(choice, liquid)


def _chosen(choice: Choice, liquid: float) -> Answer:
    answer = Answer(choice.why, [Large("way", METHODS[choice.method], "")])
    answer.rows = [
        ("funnel", choice.funnel),
        ("paper", f"{choice.paper:g} mm, {choice.speed}, {choice.fold}" if choice.paper else "none"),
        *(
            (("flask", f"filter flask, {choice.flask} mL, clamped; a trap before the vacuum source"),)
            if choice.flask
            else ()
        ),
        ("it takes", f"about {choice.minutes:.0f} min"),
        *((("keep the liquid", f"at the line, {CONE_WORDS[choice.filling]}"),) if not choice.flask else ()),
    ]
    answer.head = ("", "")
    answer.steps = list(choice.also)
    if choice.paper:
        answer.links.append((f"/calculators/outline.svg?diameter={choice.paper:g}", "Outline to print, 1 : 1"))
    flask = Flask(float(choice.flask), min(liquid, choice.flask / 2)) if choice.flask else None
    answer.drawing = fragment(
        "calculators/set_up.html",
        SetUpShown(
            cone=cone_shown(choice.paper, choice.filling, liquid) if flask is None else None,
            flask=flask_shown(flask) if flask is not None else None,
            crucible=choice.method == "crucible",
            hot=choice.method == "hot-gravity",
            school=CONE_WORDS[choice.filling],
        ),
    )
    if flask is None:
        answer.drawing += fragment("calculators/folds.html", FoldsShown(guide=fold_guide(choice.fold)))
    return answer


def washing(form: Form, house: House) -> Answer:
    """How many washes."""
    volume, behind = (
        number_of(form, "volume", "The volume of one rinse"),
        number_of(form, "behind", "The volume left behind"),
    )
    wanted = number_of(form, "wanted", "", 99.0)
    form.check()
    if not 0 < wanted < 100:
        form.errors["wanted"] = "Enter a percentage above 0 and below 100 %."
        form.check()
    dissolves = form.number("solubility")
    form.check()
    question = asked(WashIn, ml=volume, behind_ml=behind, washed_out=wanted / 100, dissolves_g_per_l=dissolves)
    found = wash(question)
    n, left = found.rinses, found.left
    answer = Answer(f"{n} of {volume:g} mL leave {digits(100 * left, 2)} % behind.")
    answer.large = [Large("rinses", str(n), f"of {volume:g} mL", f"{n * volume:g} mL in all")]
    answer.head = ("same volume as", "left, %")
    answer.rows = [
        (f"{k} × {digits(n * volume / k, 3)} mL", digits(100 * part, 2)) for k, part in best_split(n * volume, behind)
    ]
    if found.lost_at_most_g is not None:
        answer.large.append(Large("can dissolve", *_small(found.lost_at_most_g), "at most"))
    answer.working = [
        WorkingLine("Left after n", f"({behind:g} ÷ ({behind:g} + {volume:g}))^{n} = {digits(100 * left, 2)} %")
    ]
    shown_n = min(max(n + 2, 4), 12)
    bars = []
    for k in range(shown_n + 1):
        part = left_after(k, volume, behind)
        y = _power_y(part)
        bars.append((round(46 + 36.0 * k, 1), y, round(172 - y, 1), f"{digits(100 * part, 2)} % after {k}"))
    answer.drawing = fragment("calculators/left.html", WashPlot(bars=bars, wanted_y=_power_y(1 - wanted / 100)))
    return answer


def _power_y(part: float) -> float:
    """y of a part on four powers of ten, 1 at the top."""
    return round(12 + 160 * -log10(max(part, 1e-4)) / 4, 1)


def folding(form: Form, house: House) -> Answer:
    """What a paper holds, and how it is folded."""
    diameter = number_of(form, "diameter", "The paper's diameter")
    plate = form.number("plate")
    form.check()
    made = cone(diameter)
    answer = Answer(
        f"Folded, the cone is {round_to(made.height_mm, 0)} mm high and {round_to(2 * made.radius_mm, 0)} mm across; "
        f"it fits a funnel of {made.funnel_mm} mm."
    )
    answer.large = [
        Large("to half its height", digits(made.to_half_ml, 2), "mL"),
        Large("to 1 cm below the edge", digits(made.below_edge_ml, 2), "mL"),
    ]
    fold = form.text("fold") or house.rules["folding"].key
    answer.drawing = fragment("calculators/folds.html", FoldsShown(guide=fold_guide(fold)))
    answer.links.append(
        (f"/calculators/outline.svg?diameter={diameter:g}", f"Outline of {diameter:g} mm to print 1 : 1")
    )
    if plate is not None:
        cut = disc_for_plate(plate)
        answer.remarks.append(("note", f"For a flat plate of {plate:g} mm cut to {cut:g} mm: 3 mm inside the outline."))
        answer.links.append((f"/calculators/outline.svg?diameter={cut:g}", f"Outline of {cut:g} mm"))
    return answer


_EQUATION = Asked(
    "equation", "Equation", "missing coefficients are found", usual="BaCl2 + Na2SO4 -> BaSO4 + NaCl", wide=True
)

AMOUNTS: tuple[Calculator, ...] = (
    Calculator(
        "reaction",
        "Equation and yield",
        "Balance, limiting reagent, theoretical yield, percent yield.",
        (
            _EQUATION,
            Asked(
                "amounts",
                "Taken",
                "one per line: formula or name, and amount",
                usual="BaCl2·2H2O 1.222 g\nNa2SO4 25.0 mL 0.25 M",
                lines=4,
                wide=True,
            ),
            Asked("obtained", "Obtained", unit="g"),
            Asked("product", "of", "default: first product"),
        ),
        reaction,
    ),
    Calculator(
        "reagent",
        "Mass of reagent",
        "How much of one reagent for another, as bought.",
        (
            _EQUATION,
            Asked("have", "For", "formula, amount, known purity in %", usual="Na2SO4 0.500 g 62 %"),
            Asked("reagent", "Reagent as bought", usual="BaCl2·2H2O"),
            Asked("times", "Excess factor", usual="2"),
            Asked("basis", "Based on", options=(("part", "the part that reacts"), ("sample", "the whole sample"))),
        ),
        reagent,
    ),
    Calculator(
        "solution",
        "Make up a solution",
        "From a solid, or by diluting a stock solution.",
        (
            Asked("molar", "Wanted", unit="mol/L", usual="0.25"),
            Asked("volume", "Volume", unit="mL", usual="500"),
            Asked("formula", "From the solid", "formula or name", usual="BaCl2·2H2O"),
            Asked("purity", "Pure to", unit="%"),
            Asked("stock", "or from a stock solution of", unit="mol/L"),
        ),
        solution,
    ),
    Calculator(
        "solubility",
        "Solubility losses",
        "A precipitate's losses in the supernatant and the washes.",
        (
            Asked("formula", "Precipitate", "formula or name", usual="BaSO4"),
            Asked("pksp", "pKsp", "default: reference value"),
            Asked("liquor", "Supernatant", unit="mL", usual="120"),
            Asked("cation", "excess of its cation", unit="mol/L", usual="0.01"),
            Asked("anion", "or of its anion", unit="mol/L"),
            Asked("washes", "Washes, pure water", unit="mL", usual="25"),
            Asked("weighed", "Precipitate weighed", unit="g"),
        ),
        solubility,
    ),
    Calculator(
        "content",
        "Gravimetric analysis",
        "Gravimetric factor, percentage in the sample, duplicate determinations.",
        (
            Asked("sought", "Sought", "formula", usual="SO4"),
            Asked("weighed", "Weighed as", "formula", usual="BaSO4"),
            Asked("carrier", "Counted by", "element, if they share several"),
            Asked("precipitate_a", "Precipitate A", unit="g"),
            Asked("sample_a", "Sample A", unit="g"),
            Asked("precipitate_b", "Precipitate B", unit="g"),
            Asked("sample_b", "Sample B", unit="g"),
        ),
        contents,
    ),
    Calculator(
        "filter",
        "Choose a filtration",
        "Gravity, fluted and hot, vacuum or decant first; funnel and paper.",
        (
            Asked("wanted", "Wanted", options=(("solid", "the solid"), ("liquid", "the liquid"))),
            Asked("solid", "Solid", "dry", unit="g", usual="2"),
            Asked("liquid", "Liquid", unit="mL", usual="60"),
            Asked("grain", "It is", usual="crystals", options=tuple(GRAINS.items())),
            Asked("minutes", "Time available", unit="min"),
            Asked("solvent", "In", options=tuple(SOLVENTS.items())),
            Asked("here", "There is", options=tuple(FUNNELS_HERE.items())),
            Asked(
                "so",
                "and",
                options=(
                    ("hot", "hot, would crystallize"),
                    ("settles", "settles well"),
                    ("weighed", "will be weighed, tolerates a hot oven"),
                    ("crucibles", "crucibles available"),
                    ("aid", "drying agent or charcoal"),
                ),
                wide=True,
            ),
        ),
        filters,
    ),
    Calculator(
        "wash",
        "Number of washes",
        "Fraction left after n rinses; rinses for 99 %.",
        (
            Asked("volume", "One rinse", unit="mL", usual="10"),
            Asked("behind", "Left behind", unit="mL", usual="2"),
            Asked("wanted", "Washed out", unit="%", usual="99"),
            Asked("solubility", "One litre dissolves", "of the solid", unit="g"),
        ),
        washing,
    ),
    Calculator(
        "paper",
        "Papers and folds",
        "Volume of a cone, folding, outlines to cut.",
        (
            Asked("diameter", "Paper", unit="mm", usual="110"),
            Asked(
                "fold",
                "Fold",
                options=(
                    ("quarter", "quarter cone"),
                    ("torn", "corner torn"),
                    ("twisted", "twisted cone"),
                    ("fluted", "fluted"),
                ),
            ),
            Asked("plate", "Flat plate", "inner diameter", unit="mm"),
        ),
        folding,
    ),
)
