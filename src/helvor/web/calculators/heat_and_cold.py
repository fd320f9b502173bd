"""Pages of the calculators of melting mixtures, pairs of solvents, boiling under vacuum and cooling baths."""

from __future__ import annotations

from helvor.core.quantities.reading import Unreadable, digits, round_to
from helvor.core.quantities.working import WorkingLine
from helvor.core.techniques.crystallization.calculators import (
    BoilingIn,
    CoolingIn,
    MixtureIn,
    SolidIn,
    TwoSolventsIn,
    boiling,
    cooling,
    mixture,
    two_solvents,
)
from helvor.shelf.shelf import known_as
from helvor.web.calculators.answer import Answer, Asked, Calculator, House, Large, asked, number_of
from helvor.web.forms import FieldErrors, Form

_LEAST_BACK = 0.5
"""Part that comes back below which a pair of solvents is no use. Common practice."""


def _boils(form: Form, house: House) -> float | None:
    """°C of what was entered, a number or a name of the reference data."""
    text = form.words("liquid")
    item = known_as(house.shelf, text, ("solvent",)) if text else None
    entered = form.number("boils")
    if entered is None and item is not None and "boils" in item.values:
        return float(item.values["boils"].text)
    return entered


def vacuum(form: Form, house: House) -> Answer:
    """The boiling point under another pressure, or the pressure for a temperature."""
    boils, mbar, wanted = _boils(form, house), form.number("mbar"), form.number("wanted")
    heat = form.number("heat")
    if boils is None:
        form.errors.setdefault("boils", "Enter where it boils in the open, or a solvent of the reference data.")
    if (mbar is None) == (wanted is None):
        form.errors.setdefault("mbar", "Enter the pressure, or the boiling point wanted; leave the other empty.")
    form.check()
    bonded = form.text("sort") == "bonded"
    found = boiling(asked(BoilingIn, boils=boils, mbar=mbar, wanted=wanted, heat=heat, bonded=bonded))
    answer = Answer(
        "An estimate from one boiling point; within some 5 K between 10 and 1000 mbar.",
        [
            Large("boils at", round_to(found.celsius, 0), "°C", f"at {digits(found.mbar)} mbar"),
            Large("pressure", digits(found.mbar), "mbar"),
            Large("bath", round_to(found.bath, 0), "°C", "20 K above, the coolant 20 K below"),
        ],
    )
    answer.remarks = [
        (
            "caution",
            "Glass under vacuum can implode: look for cracks, use a shield, let air in before taking it apart.",
        ),
    ]
    answer.working = [
        WorkingLine("Heat of vaporization", f"{digits(found.heat)} kJ/mol{'' if heat else ' by Trouton’s rule'}"),
        WorkingLine("Clausius–Clapeyron", "ln(p ÷ 1013 mbar) = −ΔH ÷ R × (1 ÷ T − 1 ÷ T₀)"),
    ]
    return answer


def bath(form: Form, house: House) -> Answer:
    """A cooling bath."""
    wanted = number_of(form, "celsius", "The temperature")
    form.check()
    found = cooling(asked(CoolingIn, celsius=wanted))
    answer = Answer(found.how, [Large(found.of, f"{found.celsius:g}", "°C", "as cold as it gets")])
    if found.care:
        answer.remarks.append(("caution", found.care))
    if found.celsius < wanted - 8:
        words = f"It gets colder than {wanted:g} °C: add salt or dry ice a little at a time, by a thermometer."
        answer.remarks.append(("note", words))
    return answer


def mixed_melting(form: Form, house: House) -> Answer:
    """Where a mixture of two solids melts."""
    first, second = number_of(form, "melts_1", "The melting point"), number_of(form, "melts_2", "The melting point")
    heat_1, heat_2, part = form.number("fusion_1"), form.number("fusion_2"), number_of(form, "part", "", 50.0)
    form.check()
    try:
        found = mixture(
            asked(
                MixtureIn,
                first=asked(SolidIn, melts=first, fusion=heat_1),
                second=asked(SolidIn, melts=second, fusion=heat_2),
                part=part / 100,
            )
        )
    except Unreadable as unreadable:
        raise FieldErrors({"part": str(unreadable)}) from unreadable
    answer = Answer(
        "For solids that mix as liquids and form no mixed crystals.",
        [
            Large("melts", f"{round_to(found.begins, 0)} to {round_to(found.ends, 0)}", "°C"),
            Large(
                "eutectic", round_to(found.eutectic, 0), "°C", f"{round_to(100 * found.eutectic_part, 0)} mol % of A"
            ),
        ],
    )
    if heat_1 is None or heat_2 is None:
        answer.remarks.append(("note", "Without a heat of fusion Walden’s rule is used: a guess within 10 to 20 K."))
    answer.working = [WorkingLine("Schröder–van Laar", "ln x = ΔH ÷ R × (1 ÷ Tm − 1 ÷ T), for A and for B")]
    return answer


def pair(form: Form, house: House) -> Answer:
    """Two solvents that mix, a good and a poor one."""
    names = ("mass", "good_hot", "good_cold", "poor_hot", "poor_cold")
    mass, good_hot, good_cold, poor_hot, poor_cold = (number_of(form, name, "This value") for name in names)
    volume = form.number("volume")
    form.check()
    found = two_solvents(
        asked(
            TwoSolventsIn,
            grams=mass,
            good_hot=good_hot,
            good_cold=good_cold,
            poor_hot=poor_hot,
            poor_cold=poor_cold,
            good_ml=volume,
        )
    )
    answer = Answer(
        "Dissolve in the good solvent at its boil; add the poor one, hot, until it just stays cloudy; clear it with a "
        "drop of the good one; cool slowly.",
        [
            Large("of the good solvent", digits(found.good_ml), "mL"),
            Large("of the poor solvent, about", digits(found.poor_ml, 2), "mL"),
            Large("comes back at most", round_to(100 * found.most, 0), "%"),
        ],
    )
    answer.remarks = [
        ("note", "An estimate: solubility in mixtures is taken along a line of logarithms. The cloud decides."),
        ("caution", "Hot solvent vapour burns: water bath, hood, no flame."),
    ]
    if found.most < _LEAST_BACK:
        answer.remarks.insert(0, ("caution", "Less than half comes back: look for another pair."))
    return answer


HEAT_AND_COLD = (
    Calculator(
        "vacuum",
        "Boiling under vacuum",
        "The boiling point at a pressure, the pressure for a temperature.",
        (
            Asked("liquid", "Liquid", "of the reference data", usual="ethanol"),
            Asked("boils", "or it boils at", "in the open", unit="°C"),
            Asked("mbar", "Pressure", unit="mbar", usual="175"),
            Asked("wanted", "or boiling point wanted", unit="°C"),
            Asked("sort", "It is", usual="bonded", options=(("bonded", "an alcohol or water"), ("", "anything else"))),
            Asked("heat", "Heat of vaporization", "if known", unit="kJ/mol"),
        ),
        vacuum,
    ),
    Calculator(
        "cooling",
        "Cooling baths",
        "Which bath reaches a temperature, and how to make it.",
        (Asked("celsius", "Temperature wanted", unit="°C", usual="-10"),),
        bath,
    ),
)
PAIRS_AND_MIXTURES = (
    Calculator(
        "two-solvents",
        "Two-solvent recrystallization",
        "Volumes of a good and a poor solvent, and what comes back.",
        (
            Asked("mass", "Solid", unit="g", usual="2.0"),
            Asked("good_hot", "Good solvent, hot", "g in 100 mL", usual="40"),
            Asked("good_cold", "and cold", "g in 100 mL", usual="8"),
            Asked("poor_hot", "Poor solvent, hot", "g in 100 mL", usual="0.5"),
            Asked("poor_cold", "and cold", "g in 100 mL", usual="0.02"),
            Asked("volume", "Good solvent used", "empty: the best", unit="mL"),
        ),
        pair,
    ),
    Calculator(
        "mixture",
        "Melting of a mixture",
        "Where two solids melt together, and their eutectic.",
        (
            Asked("melts_1", "A melts at", unit="°C", usual="80.2"),
            Asked("fusion_1", "its heat of fusion", unit="kJ/mol", usual="19.1"),
            Asked("melts_2", "B melts at", unit="°C", usual="69.2"),
            Asked("fusion_2", "its heat of fusion", unit="kJ/mol", usual="18.6"),
            Asked("part", "A in the mixture", "mol %", usual="50"),
        ),
        mixed_melting,
    ),
)
