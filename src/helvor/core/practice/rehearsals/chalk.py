"""Chalk from two solutions: the precipitant, how it is added, settling, washing by decanting, drying to constant mass.

CaCl₂·2H₂O + Na₂CO₃ → CaCO₃ + 2 NaCl + 2 H₂O. Calcium is counted as its carbonate, dissolved or not; all that stands
beside it, as what it weighs.
"""

from __future__ import annotations

from collections.abc import Generator

from helvor.core.laws.filtration.wash import left_after
from helvor.core.practice.rehearsal import Bench, Decision, Product, Scene, Story, Telling
from helvor.core.practice.rehearsals.parts import decide, weigh_dry, weighings
from helvor.core.practice.virtual_filter import dried
from helvor.core.quantities.formula import molar_mass

CHALKY, SALT, WATER = "calcium, as carbonate", "salts beside it", "water"
SOLUBLE = 0.013
"""g of calcium carbonate in a litre of water, cold. From memory."""
HOLDS = 6.0
"""mL of liquor that settled chalk holds back under a decanted liquor. Common practice."""
RAISED = "⁰¹²³"
PRODUCT = Product("the beaker", CHALKY, "chalk")
BEAKER, SOLUTION, LIQUOR = PRODUCT.place, "still in solution", "the mother liquor"


def _scene(bench: Bench, looks: str) -> None:
    bench.scene = Scene(
        "beaker",
        {"water": bench.at(SOLUTION, WATER) + bench.at(BEAKER, WATER), "grams": bench.at(BEAKER, CHALKY)},
        {"looks": looks},
    )


def tell(bench: Bench) -> Telling:
    """Chalk, as :class:`helvor.core.practice.rehearsal.Story` asks for it."""
    tare = bench.scattered("beaker", 72.0, 0.02)
    salt = round(bench.scattered("calcium salt", 1.50), 3)
    could = salt / molar_mass("CaCl2·2H2O") * molar_mass("CaCO3")
    bench.type(f"1: beaker A {bench.weigh('beaker', tare)}", "done 1")
    bench.type(f"2: take calcium chloride dihydrate {salt:.3f} g", "done 2", "3: take water 25 mL", "done 3")
    bench.bring(SOLUTION, CHALKY, could)
    hydrate = salt / molar_mass("CaCl2·2H2O") * 2 * molar_mass("H2O")
    bench.bring(SOLUTION, SALT, salt - could - hydrate)
    bench.bring(SOLUTION, WATER, 25.0 + hydrate)
    bench.say(
        "note",
        f"{salt:.3f} g of the calcium salt are dissolved; the theoretical yield is {could:.3f} g of chalk.",
        f"{salt:.3f} g ÷ {molar_mass('CaCl2·2H2O'):.2f} g/mol × {molar_mass('CaCO3'):.2f} g/mol",
    )
    bench.minutes = 12
    _scene(bench, "clear")
    comes = yield from _soda(bench, salt)
    yield from _pour(bench, comes)
    yield from _decant(bench)
    yield from _dry(bench, tare)


def _soda(bench: Bench, salt: float) -> Generator[Decision, str, float]:
    """The soda solution; g of chalk that will come of it."""
    choice = yield decide(
        "soda",
        4,
        "How much sodium carbonate?",
        "more",
        more="1.30 g, a fifth more than the equation asks for",
        less="0.90 g, to save some",
        double="2.20 g, twice as much",
    )
    soda = bench.scattered("soda", {"more": 1.30, "less": 0.90, "double": 2.20}[choice], 0.003)
    mol = min(soda / molar_mass("Na2CO3"), salt / molar_mass("CaCl2·2H2O"))
    comes = mol * molar_mass("CaCO3")
    bench.bring(SOLUTION, SALT, soda)
    bench.bring(SOLUTION, WATER, 25.0)
    bench.type(f"4: take sodium carbonate {soda:.3f} g", "done 4", "5: take more water 25 mL", "done 5")
    bench.minutes += 10
    working = f"{soda:.3f} g ÷ {molar_mass('Na2CO3'):.2f} g/mol = {1000 * soda / molar_mass('Na2CO3'):.2f} mmol"
    needs = f"; calcium {1000 * salt / molar_mass('CaCl2·2H2O'):.2f} mmol"
    if choice == "less":
        stays = bench.at(SOLUTION, CHALKY) - comes
        bench.say("caution", f"{stays:.3f} g of the theoretical yield will stay dissolved.", working + needs)
    else:
        bench.say(
            "good" if choice == "more" else "note",
            "There is more carbonate than calcium."
            + (" The large excess must be washed out." if choice == "double" else ""),
            working + needs,
        )
    return comes


def _pour(bench: Bench, comes: float) -> Telling:
    choice = yield decide(
        "pour",
        6,
        "How do you add the soda solution?",
        "slowly",
        slowly="slowly, swirling",
        at_once="all at once",
    )
    bench.move(SOLUTION, BEAKER, CHALKY, comes)
    cloud = "a" if bench.at(SOLUTION, CHALKY) > 0.02 else "no"
    bench.type("done 6", f"7: note {cloud} new cloud with one more drop", "done 7")
    bench.minutes += 10 if choice == "slowly" else 2
    bench.scene = Scene(
        "beaker", {"water": 50.0, "grams": bench.at(BEAKER, CHALKY)}, {"looks": "milk", "grains": choice}
    )
    bench.say(
        "good" if choice == "slowly" else "note",
        "White; it settles in some minutes." if choice == "slowly" else "Thick as milk, and it does not settle.",
    )


def _decant(bench: Bench) -> Telling:
    choice = yield decide(
        "decant",
        8,
        "You decant the mother liquor from the chalk. When, and what next?",
        "settled",
        settled="when it is clear; three rinses of 20 mL, each settled",
        one="when it is clear; one rinse of 60 mL",
        hasty="at once; three rinses of 20 mL, at once too",
        none="when it is clear; no rinse",
    )
    fine = bench.scene.words.get("grains") == "at-once"
    lost = {"settled": 0.01, "one": 0.006, "hasty": 0.09, "none": 0.003}[choice] * (4.0 if fine else 1.0)
    rinses, each = {"settled": (3, 20.0), "one": (1, 60.0), "hasty": (3, 20.0), "none": (0, 0.0)}[choice]
    bench.move(BEAKER, LIQUOR, CHALKY, lost * bench.at(BEAKER, CHALKY))
    left = HOLDS / bench.at(SOLUTION, WATER) * (left_after(rinses, each, HOLDS) if rinses else 1.0)
    bench.move(BEAKER, LIQUOR, CHALKY, SOLUBLE * (50 + rinses * each) / 1000)
    for one in (SALT, CHALKY):
        bench.move(SOLUTION, BEAKER, one, left * bench.at(SOLUTION, one))
    bench.move(SOLUTION, BEAKER, WATER, HOLDS)
    bench.share(SOLUTION, LIQUOR, 1.0)
    if rinses:
        bench.bring(LIQUOR, WATER, rinses * each)
        bench.type(f"8: take wash water {rinses * each:.0f} mL")
    bench.type("done 8")
    bench.minutes += {"settled": 27, "one": 14, "hasty": 8, "none": 8}[choice]
    beside = bench.at(BEAKER, SALT)
    working = (
        f"({HOLDS:.0f} ÷ {HOLDS + each:.0f}){RAISED[rinses]} of what stood in the first {HOLDS:.0f} mL"
        if rinses
        else ""
    )
    bench.say("good" if beside < 0.02 else "caution", f"{1000 * beside:.0f} mg of salts stay in the chalk.", working)
    gone = bench.at(LIQUOR, CHALKY)
    if gone > 0.02:
        bench.say("caution", f"{1000 * gone:.0f} mg of chalk was lost with the cloudy liquid.")
    _scene(bench, "settled")


def _dry(bench: Bench, tare: float) -> Telling:
    choice = yield decide(
        "dry",
        9,
        "How do you dry the beaker with the wet chalk?",
        "oven",
        oven="at 110 °C, an hour, spread out",
        short="at 110 °C, twenty minutes",
    )
    wet = bench.at(BEAKER, WATER)
    time = 75.0 if choice == "oven" else 20.0
    bench.move(BEAKER, "the air", WATER, wet - dried(wet, "oven 110", time))
    bench.minutes += time
    bench.type("done 9", "done 10")
    _scene(bench, "dry" if bench.at(BEAKER, WATER) < 0.1 else "settled")
    how = yield weighings("weigh", 11, "beaker and chalk")
    weigh_dry(bench, PRODUCT, 11, "beaker A", tare, how)
    _scene(bench, "dry")


CHALK = Story(
    "chalk",
    "chalk-from-two-solutions",
    "Chalk from two solutions",
    "precipitation, settling, washing, constant mass",
    "Precipitate all the calcium of a weighed salt as chalk, and nothing else.",
    tell,
    (PRODUCT,),
    (WATER,),
)
