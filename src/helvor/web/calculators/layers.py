"""Sums of layers: which is on top, how many portions, who goes where, to a pH, drying agent, flow scheme."""

from __future__ import annotations

import json
from collections.abc import Callable
from dataclasses import dataclass
from typing import TypeVar

from helvor.core.laws.extraction.acid_base import (
    Solute,
    by_bicarbonate,
    ph_of,
    ph_to_move,
    reagent_for,
    to_reach,
    two_from_pka,
)
from helvor.core.laws.extraction.acid_base import reagent as reagent_water
from helvor.core.laws.extraction.distribution import from_trial
from helvor.core.laws.extraction.drying import AGENT, AGENTS, BRINE_LEAVES, OF_FULL, agent_for, instead_of_a_lot
from helvor.core.laws.extraction.layers import FILL, funnel_for, settle
from helvor.core.laws.extraction.reflux import FULL, NEARLY_EMPTY, flask_for
from helvor.core.quantities.formula import molar_mass
from helvor.core.quantities.reading import Unreadable, digits, parse, round_to
from helvor.core.quantities.working import WorkingLine
from helvor.core.techniques.extraction.calculators import PortionsIn, portions
from helvor.core.techniques.extraction.read import read_liquid, read_part
from helvor.core.techniques.extraction.scheme import Part, Proposed, propose
from helvor.core.techniques.registered import TECHNIQUES
from helvor.shelf.liquids import liquid_named, part_named, solvent_named
from helvor.web.calculators.answer import Answer, Asked, Calculator, House, Large, formula_of, number_of
from helvor.web.forms import FieldErrors, Form
from helvor.web.rendering import fragment
from helvor.web.techniques.extraction.charts import ChartShown, ph_chart, split_chart
from helvor.web.techniques.extraction.funnel import DensityShown, FunnelShown, answer_of, density_shown, funnel_shown

_Read = TypeVar("_Read")


@dataclass(frozen=True, slots=True, kw_only=True)
class LayersShown:
    """A funnel with its layers, and their densities on a line."""

    funnel: FunnelShown
    density: DensityShown | None


@dataclass(frozen=True, slots=True, kw_only=True)
class ChartsShown:
    """Charts of components: what is left over portions, what is in the organic layer over pH."""

    split: ChartShown | None
    over_ph: ChartShown | None


@dataclass(frozen=True, slots=True)
class BoxShown:
    """One box of a flow scheme: where it stands, its words, what it should hold, and whether it is a product."""

    x: float
    y: float
    title: str
    lines: tuple[str, ...]
    product: bool


@dataclass(frozen=True, slots=True, kw_only=True)
class SchemeShown:
    """A flow scheme: boxes and the lines between them, with what is added written at each."""

    boxes: list[BoxShown]
    lines: list[tuple[str, float, float, str]]
    height: float


def _lines(form: Form, field: str, read: Callable[[str], _Read]) -> list[_Read]:
    """A line each; what cannot be read is said at its field."""
    try:
        return [read(line) for line in form.text(field).splitlines() if line.strip()]
    except Unreadable as unreadable:
        raise FieldErrors({field: str(unreadable)}) from unreadable


def which_layer(form: Form, house: House) -> Answer:
    """The layers that liquids make, from what is really in there."""
    liquids = _lines(
        form,
        "liquids",
        lambda line: read_liquid(
            line, lambda name: liquid_named(name, house.shelf), lambda name: formula_of(name, house)
        ),
    )
    if not liquids:
        raise FieldErrors({"liquids": "Enter the liquids, one per line, each with its volume."})
    celsius, size = form.number("celsius"), form.number("size")
    form.check()
    settled = settle(liquids, 20.0 if celsius is None else celsius)
    says, prove = answer_of(settled)
    fill = house.rules["funnel-fill"]
    funnel = size or funnel_for(settled.volume, fill.key) or 2000.0
    answer = Answer(prove, [Large("which", says, "")])
    layers = [layer for layer in (settled.lower, settled.upper) if layer is not None]
    answer.head = ("layer", "mL", "g/mL", "of")
    answer.rows = [
        (
            "lower" if layer is settled.lower and settled.upper is not None else "upper" if settled.upper else "one",
            digits(layer.volume, 3),
            round_to(layer.density, 3),
            ", ".join(f"{name} {digits(volume, 2)}" for name, volume in layer.parts),
        )
        for layer in layers
    ]
    if settled.upper is None:
        answer.remarks.append(("caution", settled.why_one))
    elif settled.close:
        answer.remarks.append(
            (
                "caution",
                f"Densities differ by only {digits(settled.apart, 1)} g/mL: they separate slowly, and "
                "either may be on top. "
                f"{settled.widen}",
            )
        )
    answer.remarks += [("note", f"{remark[0].upper()}{remark[1:]}.") for remark in settled.remarks]
    if len(liquids) > 2:
        answer.remarks.append(("note", "Three liquids or more: check for a third layer before draining."))
    if settled.volume > FILL[fill.key] * funnel:
        answer.remarks.append(
            (
                "caution",
                f"{digits(settled.volume, 3)} mL is too much for {funnel:g} mL: {fill.words} is "
                f"{digits(FILL[fill.key] * funnel, 3)} mL.",
            )
        )
    else:
        answer.large.append(Large("funnel", f"{funnel:g}", "mL", f"{digits(100 * settled.volume / funnel, 2)} % full"))
    shown = funnel_shown(layers, funnel, fill, ("beaker", 0.0))
    answer.drawing = fragment("calculators/layers.html", LayersShown(funnel=shown, density=density_shown(settled)))
    return answer


def _ratio(form: Form) -> tuple[float, list[WorkingLine], list[tuple[str, str]]]:
    """D as given, or from K, pKa and pH, or from a trial; extracting layer over what is extracted."""
    way = form.text("way") or "d"
    if way == "trial":
        taken, found = number_of(form, "taken", "The amount taken"), number_of(form, "found", "The amount found")
        feed, portion = number_of(form, "feed", "The volume"), number_of(form, "trial_volume", "The trial's volume")
        form.check()
        try:
            trial = from_trial(taken, found, feed, portion)
        except Unreadable as unreadable:
            raise FieldErrors({"found": str(unreadable)}) from unreadable
        shown = f"({found:g} ÷ {portion:g}) ÷ ({taken - found:g} ÷ {feed:g}) = {digits(trial.d, 3)}"
        return trial.d, [WorkingLine("D from the trial", shown)], []
    if way == "ph":
        k, pka, ph = (number_of(form, name, name) for name in ("k", "pka", "ph"))
        form.check()
        acts = "base" if form.text("acts") == "base" else "acid"
        solute = Solute("it", acts, pka, k)  # type: ignore[arg-type]  # one of two words
        organic = solute.d(ph)
        power = "pH − pKa" if acts == "acid" else "pKa − pH"
        lines = [WorkingLine(f"D, organic over water = K_D ÷ (1 + 10^({power}))", digits(organic, 3))]
        remarks = [("note", "K_D from log P in octanol is an estimate: other solvents can differ tenfold.")]
        if form.text("into") == "water":
            if organic <= 0:
                raise FieldErrors({"k": "Enter a partition constant above 0."})
            lines.append(WorkingLine("Into water, 1 ÷ D", f"1 ÷ {digits(organic, 3)}"))
            return 1 / organic, lines, remarks
        return organic, lines, remarks
    return number_of(form, "d", "D", None), [], []


def how_many(form: Form, house: House) -> Answer:
    """What is left after each portion, and how many for a wanted part."""
    ratio, working, remarks = _ratio(form)
    feed, total = number_of(form, "feed", "The volume"), number_of(form, "total", "The volume")
    wanted, back, second = number_of(form, "wanted", "The fraction", 99.0), form.number("wash"), form.number("second")
    form.check()
    if second is not None and second <= 0:
        raise FieldErrors({"second": "Enter the other D above 0."})
    if back is not None and back < 0:
        raise FieldErrors({"wash": "Enter a volume of 0 mL or more."})
    try:
        found = portions(
            PortionsIn(
                d=ratio, feed_ml=feed, total_ml=total, wanted=wanted / 100, second_d=second, wash_ml=back or None
            )
        )
    except Unreadable as unreadable:
        raise FieldErrors({"d" if "D" in str(unreadable) else "wanted": str(unreadable)}) from unreadable
    school, third = house.rules["portions"], digits(total / 3, 3)
    answer = Answer(f"House rule: {school.words}, as {school.why}.", working=working, remarks=remarks)
    answer.large = [Large("extracted by three", digits(100 * (1 - found.left[2]), 3), "%", f"3 × {third} mL")]
    if found.needed is not None:
        use = f"{digits(found.needed * total / 3, 3)} mL of solvent"
        answer.large.append(Large(f"portions of {third} mL for {wanted:g} %", str(found.needed), "", use))
    else:
        answer.remarks.append(
            ("caution", f"{wanted:g} % would need more than 50 portions: change the solvent or the pH.")
        )
    answer.head = ("portions", "each, mL", "left, %", "out, %")
    answer.rows = [
        (str(times), digits(total / times, 3), digits(100 * left, 2), digits(100 * (1 - left), 4))
        for times, left in enumerate(found.left, 1)
    ]
    answer.rows.append(("limit", "", digits(100 * found.limit, 2), digits(100 * (1 - found.limit), 4)))
    if back and found.washed_back is not None:
        answer.rows.append(("a wash with", f"{back:g}", "removes again, %", digits(100 * found.washed_back, 2)))
    answer.working += [WorkingLine(*line) for line in found.working]
    if found.along is not None and found.factor is not None and found.best_ratio is not None:
        answer.remarks.append(
            (
                "note",
                f"It also extracts {digits(100 * found.along, 2)} % of the other; separation factor β = "
                f"{digits(found.factor, 2)}. One step separates them best with a volume of "
                f"{digits(feed * found.best_ratio, 2)} mL.",
            )
        )
    chart = split_chart({"left": found.left}, total, 3)
    answer.drawing = fragment("calculators/charts.html", ChartsShown(split=chart, over_ph=None))
    return answer


def _parts(form: Form, house: House) -> list[Part]:
    parts = _lines(form, "parts", lambda line: read_part(line, lambda name: part_named(name, house.shelf)))
    if not parts:
        raise FieldErrors({"parts": "Enter the substances, one per line."})
    return parts


def _solute(part: Part) -> Solute:
    mol = part.grams / molar_mass(part.formula) if part.formula else 0.001
    return Solute(part.name, part.acts, part.pka, 10.0 ** (part.log_k or 0.0), mol)


def who_goes_where(form: Form, house: House) -> Answer:
    """Which substance is in which layer over the pH, and the pH that really moves it."""
    parts = _parts(form, house)
    organic, water = number_of(form, "organic", "The volume"), number_of(form, "water", "The volume")
    ph = form.number("ph")
    form.check()
    if organic <= 0 or water <= 0:
        raise FieldErrors({"organic" if organic <= 0 else "water": "Enter a volume above 0 mL."})
    solutes = [_solute(part) for part in parts]
    answer = Answer("50 % ionized is not 50 % extracted: K_D and the volumes matter.")
    answer.head = ("", "99 % moved", "pKa ± 2 extracts", "extracted by")
    for part, one in zip(parts, solutes, strict=True):
        if part.acts == "neutral" or part.pka is None:
            answer.rows.append((part.name, "at no pH", "—", "stays"))
            continue
        wanted = ph_to_move(part.acts, part.pka, one.k, organic, water)
        moved = 100 * (1 - one.in_organic(two_from_pka(part.acts, part.pka), water, organic))
        chosen = reagent_for(part.acts, part.pka, one.k, organic, water)
        sign = "from" if part.acts == "acid" else "up to"
        answer.rows.append(
            (
                part.name,
                f"{sign} pH {round_to(wanted, 1)}".replace("-", "−") if wanted is not None else "at any pH",
                f"{digits(moved, 3)} %",
                f"{chosen.molar:g} M {chosen.reagent}" if chosen else "",
            )
        )
        if chosen is not None:
            answer.remarks.append(("note" if chosen.fits else "caution", f"{part.name}: {chosen.why}"))
        answer.working.append(
            WorkingLine(
                f"{part.name}: pH {'≥ pKa +' if part.acts == 'acid' else '≤ pKa −'} log(99 K·V_org ÷ V_aq − 1)",
                f"{part.pka:g} {'+' if part.acts == 'acid' else '−'} log(99 × {digits(one.k, 3)} × {organic:g} ÷ "
                f"{water:g} − 1) = {round_to(wanted, 2) if wanted is not None else 'any'}",
            )
        )
        if part.acts == "acid":
            answer.working.append(
                WorkingLine(f"{part.name} with hydrogencarbonate, 10^(6.35 − pKa)", digits(by_bicarbonate(part.pka), 2))
            )
    if ph is not None:
        for one in solutes:
            share = 100 * one.in_organic(ph, water, organic)
            answer.large.append(Large(f"{one.name} in the organic layer", digits(share, 3), "%", f"at pH {ph:g}"))
    answer.drawing = fragment(
        "calculators/charts.html", ChartsShown(split=None, over_ph=ph_chart(solutes, water, organic, ph))
    )
    return answer


def to_a_ph(form: Form, house: House) -> Answer:
    """Acid or base that brings a water layer to a pH: by the balance of charges."""
    parts = _parts(form, house)
    volume, target = number_of(form, "volume", "The volume"), number_of(form, "target", "The pH")
    molar = number_of(form, "molar", "The concentration")
    in_it = form.text("in_it")
    form.check()
    if volume <= 0:
        raise FieldErrors({"volume": "Enter a volume above 0 mL."})
    if not -1 <= target <= 15:
        raise FieldErrors({"target": "Enter a pH between −1 and 15."})
    words = in_it.split()
    try:
        concentration = parse(f"{words[0]} mL", "volume").value if words else 0.0
    except Unreadable as unreadable:
        raise FieldErrors({"in_it": "Enter what it was extracted with, such as 1 M NaOH."}) from unreadable
    formula = formula_of(" ".join(words[2:]) if len(words) > 2 and words[1] in ("M", "mol/L") else "", house)
    water = reagent_water(formula, concentration * volume / 1000, volume) if formula else None
    if words and water is None:
        raise FieldErrors({"in_it": f"“{in_it[:30]}” is not a known acid or base: enter it as 1 M NaOH."})
    if water is None:
        raise FieldErrors({"in_it": "Enter what it was extracted with, such as 1 M NaOH."})
    solutes = [_solute(part) for part in parts]
    try:
        found = to_reach(target, water, solutes, molar)
    except Unreadable as unreadable:
        raise FieldErrors({"target": str(unreadable)}) from unreadable
    now = ph_of(water, solutes)
    what = "acid" if target < now else "base"
    answer = Answer(f"From pH {round_to(now, 1)} to {target:g}, in ice; test a drop after each portion.")
    answer.large = [
        Large(f"{what} of {molar:g} mol/L", digits(found.volume, 3), "mL", f"{digits(1000 * found.mol, 3)} mmol"),
        Large("in portions of", ", ".join(digits(p, 2) for p in found.portions), "mL"),
    ]
    if found.gas > 1:
        answer.remarks.append(("caution", f"About {digits(found.gas, 2)} mL of carbon dioxide forms: it foams."))
    if found.warmer > 5:
        answer.remarks.append(("caution", f"Up to {digits(found.warmer, 2)} °C warmer without ice."))
    answer.head = ("", "mmol", "ionized now", "ionized then")
    answer.rows = [
        (s.name, digits(1000 * s.mol, 3), *(f"{digits(100 * s.charged(ph), 3)} %" for ph in (now, target)))
        for s in solutes
    ]
    answer.working = [
        WorkingLine("unused base + salt + free acid in that volume", f"{digits(1000 * found.mol, 4)} mmol"),
        WorkingLine("volume", f"{digits(1000 * found.mol, 4)} mmol ÷ {molar:g} mol/L = {digits(found.volume, 4)} mL"),
    ]
    return answer


def drying_agent(form: Form, house: House) -> Answer:
    """How much drying agent, and which."""
    name, volume = form.text("solvent"), number_of(form, "volume", "The volume")
    liquid = liquid_named(name, house.shelf)
    if liquid is None or liquid.makes != "organic":
        form.errors["solvent"] = (
            f"{name or 'That'} is not a solvent of the reference data that forms a separate layer: enter another."
        )
    form.check()
    assert liquid is not None
    brine = form.text("brine") == "yes"
    agent = AGENT.get(form.text("agent") or house.rules["drying-agent"].key, AGENTS[0])
    try:
        plan = agent_for(agent, volume, liquid.density, liquid.takes_up, brine=brine)
    except Unreadable as unreadable:
        raise FieldErrors({"volume": str(unreadable)}) from unreadable
    answer = Answer(
        "There is enough when some grains move freely on swirling; the calculation only says how much to provide."
    )
    answer.large = [
        Large(agent.name, digits(plan.agent, 2), "g", f"in portions of {', '.join(f'{p:g}' for p in plan.portions)} g")
    ]
    answer.head = ("", "g", "holds, g/g", "min", "removed by")
    answer.rows = []
    for one in AGENTS:
        needed = agent_for(one, volume, liquid.density, liquid.takes_up, brine=brine)
        off = "decanting" if one.off == "decant" else "a filter"
        answer.rows.append((one.name, digits(needed.agent, 2), round_to(one.holds, 2), str(one.minutes), off))
    answer.steps = [
        "Separate any visible water again; drying agent does not remove it.",
        "Add a portion and swirl; add another while everything is caked.",
        f"Stand at least {agent.minutes} min, loosely covered: it gets warm.",
        f"{'Decant' if agent.off == 'decant' else 'Filter'} into a dry, labelled, weighed vessel; rinse the salt.",
    ]
    if agent.never:
        answer.remarks.append(("caution", f"{agent.name.capitalize()}: not with {agent.never}."))
    if plan.a_lot:
        answer.remarks.append(("caution", instead_of_a_lot(plan, agent, brine=brine)))
    after_brine = f" × {BRINE_LEAVES:g} after brine (its water activity)" if brine else ""
    answer.working = [
        WorkingLine(
            "water dissolved",
            f"{volume:g} mL × {liquid.density:g} g/mL × {liquid.takes_up:g} %"
            f"{after_brine} = {digits(plan.dissolved, 2)} g",
        ),
        WorkingLine(
            "salt, at a quarter of its capacity",
            f"({digits(plan.dissolved, 2)} + {plan.droplets:g} droplets) ÷ "
            f"({OF_FULL:g} × {round_to(agent.holds, 2)}) = {digits(plan.agent, 2)} g",
        ),
    ]
    return answer


def flow_scheme(form: Form, house: House) -> Answer:
    """A scheme for a mixture, with where each substance ends; ready to become a procedure."""
    parts = _parts(form, house)
    name, organic = form.text("solvent"), number_of(form, "organic", "The volume")
    solvent = solvent_named(name, house.shelf)
    if solvent is None:
        form.errors["solvent"] = (
            f"{name or 'That'} is not a solvent with a density in the reference data: enter another."
        )
    form.check()
    assert solvent is not None
    try:
        found = propose(parts, solvent, organic, house.rules, TECHNIQUES.kinds)
    except Unreadable as unreadable:
        field = "organic" if "mL" in str(unreadable) else "solvent" if "layer" in str(unreadable) else "parts"
        raise FieldErrors({field: str(unreadable)}) from unreadable
    answer = Answer("A proposal: edit it, test it, then use it with a class.")
    answer.head = ("ends as", *(part.name for part in parts))
    answer.rows = [
        (portion, *(f"{round_to(100 * shares.get(part.name, 0.0), 1)} %" for part in parts))
        for portion, shares in found.shares.items()
    ]
    answer.steps = [
        f"{stage.portions} × {stage.volume:g} mL {stage.chosen.molar:g} M {stage.chosen.reagent} for "
        f"{' and '.join(stage.leaves)}: {digits(1000 * stage.needed, 3)} mmol needed with a fifth more, "
        f"{digits(1000 * stage.given, 3)} mmol given."
        for stage in found.stages
    ]
    answer.remarks = [("note", remark) for remark in found.remarks]
    answer.drawing = fragment("calculators/scheme.html", scheme_shown(found, parts))
    answer.keep = json.dumps(found.procedure.model_dump(mode="json", exclude_defaults=True), ensure_ascii=False)
    return answer


def scheme_shown(found: Proposed, parts: list[Part]) -> SchemeShown:
    """A proposed scheme as boxes: the organic layer goes down on the left, what leaves it to the right."""
    boxes, lines = [BoxShown(0, 0, "mixture", tuple(part.name for part in parts), product=False)], []
    y, left_over = 0.0, [part.name for part in parts]
    products = list(found.shares)
    for number, stage in enumerate(found.stages):
        before = y
        y += 92.0
        left_over = [one for one in left_over if one not in stage.leaves]
        words = f"{stage.portions} × {stage.volume:g} mL {stage.chosen.molar:g} M {stage.chosen.formula}"
        lines.append(("down", before, y, words))
        boxes.append(BoxShown(0, y, "organic layer", tuple(left_over) or ("no other compound",), product=False))
        back = f"to pH {round_to(stage.back_to, 0)}" if stage.back_to is not None else ""
        lines.append(("right", before, y, back))
        product = products[number] if number < len(products) else ""
        share = [f"{one} {round_to(100 * found.shares.get(product, {}).get(one, 0.0), 0)} %" for one in stage.leaves]
        boxes.append(BoxShown(348, y, product or "aqueous layer", tuple(share), product=True))
    stays = [part.name for part in parts if part.acts == "neutral"]
    if stays:
        product = products[-1]
        lines.append(("down", y, y + 92, "brine, drying agent, evaporate"))
        share = [f"{one} {round_to(100 * found.shares[product].get(one, 0.0), 0)} %" for one in stays]
        boxes.append(BoxShown(0, y + 92, product, tuple(share), product=True))
        y += 92
    return SchemeShown(boxes=boxes, lines=lines, height=y + 76)


def reflux_flask(form: Form, house: House) -> Answer:
    """A flask for a reflux, half to two thirds full."""
    volume = number_of(form, "volume", "The volume")
    form.check()
    try:
        size = flask_for(volume)
    except Unreadable as unreadable:
        raise FieldErrors({"volume": str(unreadable)}) from unreadable
    if size is None:
        raise FieldErrors({"volume": "No round flask is this large: work in two batches."})
    part = volume / size
    answer = Answer("Time counts from the first drops that fall back.")
    answer.large = [Large("round flask", f"{size:g}", "mL", f"{digits(100 * part, 2)} % full")]
    if part < FULL[0]:
        answer.remarks.append(("note", "Less than half full; the next smaller flask would be too full."))
    if part < NEARLY_EMPTY:
        answer.remarks.append(("caution", "This volume may boil dry: scale it up."))
    water = house.rules["condenser-water"]
    answer.steps = [
        "Flask clamped at the neck, chips in, before any heat.",
        "Condenser seated and held; open at the top: never a closed system.",
        f"Water in at the bottom, gentle: {water.words}.",
        "Heat high until it boils, then down: the ring of vapour in the lower third.",
        "At the end: remove the heat, cool, take off the condenser first, put the flask on a cork ring.",
    ]
    return answer


_PARTS = "cinnamic acid 1.00 g\nbenzocaine 1.00 g\nbiphenyl 1.00 g"
LAYERS: tuple[Calculator, ...] = (
    Calculator(
        "layers",
        "Which layer is which",
        "From the densities of the actual contents of the funnel.",
        (
            Asked(
                "liquids",
                "In the funnel",
                "one per line, such as 3 M HCl 15 mL; an unlisted liquid with its g/mL",
                lines=5,
                usual="tert-butyl methyl ether 60 mL\n1 M NaOH 15 mL",
                wide=True,
            ),
            Asked("celsius", "At", unit="°C", usual="20"),
            Asked("size", "Funnel", "default: the smallest that fits", unit="mL"),
        ),
        which_layer,
    ),
    Calculator(
        "portions",
        "Number of portions",
        "Fraction left after each, the limit, loss in a wash.",
        (
            Asked(
                "way",
                "D is",
                usual="d",
                options=(("d", "given"), ("ph", "from K, pKa and pH"), ("trial", "from one trial")),
            ),
            Asked("d", "D", "extracting over extracted", usual="4", when=("way", "d")),
            Asked("feed", "Extracted", unit="mL", usual="50"),
            Asked("total", "Total volume", unit="mL", usual="45"),
            Asked("wanted", "To extract", unit="%", usual="99"),
            Asked("k", "K", "organic over water", when=("way", "ph")),
            Asked("pka", "pKa", when=("way", "ph")),
            Asked("ph", "pH", when=("way", "ph")),
            Asked("acts", "It is", options=(("acid", "an acid"), ("base", "a base")), when=("way", "ph")),
            Asked("into", "Into", options=(("organic", "the organic layer"), ("water", "water")), when=("way", "ph")),
            Asked("taken", "Taken", unit="g", when=("way", "trial")),
            Asked("found", "Found in the extract", unit="g", when=("way", "trial")),
            Asked("trial_volume", "With a portion of", unit="mL", when=("way", "trial")),
            Asked("wash", "Extracts washed with", unit="mL"),
            Asked("second", "D of another substance"),
        ),
        how_many,
    ),
    Calculator(
        "who",
        "Distribution vs pH",
        "Against pH; the pH that extracts 99 %.",
        (
            Asked(
                "parts",
                "Substances",
                "one per line; an unlisted one as: my amine base pKa 9.2 logP 1.5",
                lines=5,
                usual=_PARTS,
                wide=True,
            ),
            Asked("organic", "Organic layer", unit="mL", usual="60"),
            Asked("water", "Aqueous layer", unit="mL", usual="15"),
            Asked("ph", "At", "pH"),
        ),
        who_goes_where,
    ),
    Calculator(
        "to-ph",
        "Adjust pH",
        "By charge balance, in portions; gas and heat.",
        (
            Asked("parts", "Dissolved in it", "one per line", lines=3, usual="cinnamic acid 1.00 g", wide=True),
            Asked("in_it", "Extracted with", usual="1 M NaOH"),
            Asked("volume", "Total volume", unit="mL", usual="45"),
            Asked("target", "To", "pH", usual="2"),
            Asked("molar", "With acid or base of", unit="mol/L", usual="6"),
        ),
        to_a_ph,
    ),
    Calculator(
        "drying-agent",
        "Amount of drying agent",
        "From the water in the layer; the grains decide.",
        (
            Asked("solvent", "Layer of", usual="tert-butyl methyl ether"),
            Asked("volume", "Volume", unit="mL", usual="60"),
            Asked("agent", "With", options=(("", "house rule"), *((a.key, a.name) for a in AGENTS))),
            Asked("brine", "Washed with brine", options=(("yes", "yes"), ("no", "no"))),
        ),
        drying_agent,
    ),
    Calculator(
        "scheme",
        "Flow scheme",
        "For acids, bases and neutral compounds in one mixture; can become a procedure.",
        (
            Asked(
                "parts",
                "The mixture",
                "one per line; an unlisted one as: my phenol acid pKa 9.9 logP 2.1",
                lines=6,
                usual=_PARTS,
                wide=True,
            ),
            Asked("solvent", "In", usual="tert-butyl methyl ether"),
            Asked("organic", "Volume", unit="mL", usual="60"),
        ),
        flow_scheme,
    ),
    Calculator(
        "reflux",
        "A flask for reflux",
        "Half to two thirds full; setting up and taking apart.",
        (Asked("volume", "In the flask", unit="mL", usual="30"),),
        reflux_flask,
    ),
)
