"""Inside the tablet: grinding, extracting with ethanol, decanting, drying what does not dissolve.

A tablet of 0.60 g: 83 % of it dissolves in ethanol, the binder does not.
"""

from __future__ import annotations

from collections.abc import Generator

from helvor.core.laws.filtration.wash import left_after
from helvor.core.practice.rehearsal import Bench, Decision, Product, Scene, Story, Telling
from helvor.core.practice.rehearsals.parts import decide, weigh_dry, weighings
from helvor.core.practice.virtual_filter import dried

SOLUBLE, BINDER, ETHANOL = "soluble part", "binder", "ethanol"
DISH, MORTAR = "the small dish", "the powder"
OUT, IN = Product("the extract", SOLUBLE, "extract", solution=True), Product(DISH, BINDER, "binder")
HOLDS = 0.6
"""mL that the settled binder holds back. Common practice."""


def tell(bench: Bench) -> Telling:
    """A tablet taken apart, as :class:`helvor.core.practice.rehearsal.Story` asks for it."""
    dish = bench.scattered("dish", 18.2, 0.02)
    whole = round(bench.scattered("tablet", 0.60), 3)
    bench.bring(MORTAR, SOLUBLE, 0.83 * whole)
    bench.bring(MORTAR, BINDER, 0.17 * whole)
    bench.type(f"1: take tablet {whole:.3f} g", "done 1")
    bench.say("note", f"A white tablet of {whole:.3f} g.")
    bench.minutes = 4
    bench.scene = Scene("dish", {"grams": whole, "water": 0.0}, {})
    part = yield from _grind(bench)
    bench.type(f"3: small dish {bench.weigh('dish', dish)}", "done 3")
    yield from _shake(bench, part)
    yield from _pour(bench)
    yield from _dry(bench, dish)


def _grind(bench: Bench) -> Generator[Decision, str, float]:
    choice = yield decide(
        "grind",
        2,
        "The tablet is in the mortar. What do you do?",
        "fine",
        fine="grind it to a fine powder, scrape the pestle off",
        broken="break it into a few pieces",
    )
    bench.type("done 2")
    bench.minutes += 6 if choice == "fine" else 1
    bench.move(MORTAR, "the mortar", SOLUBLE, 0.004 * bench.at(MORTAR, SOLUBLE))
    bench.move(MORTAR, "the mortar", BINDER, 0.004 * bench.at(MORTAR, BINDER))
    bench.say(
        "good" if choice == "fine" else "note", "A fine powder." if choice == "fine" else "Pieces as large as rice."
    )
    return 1.0 if choice == "fine" else 0.6


def _shake(bench: Bench, ground: float) -> Telling:
    choice = yield decide(
        "shake",
        4,
        "10 mL of ethanol. How long do you shake?",
        "long",
        long="five minutes, then let it settle",
        short="half a minute, then let it settle",
    )
    part = 0.995 * (1.0 if choice == "long" else 0.7) * ground
    bench.bring("in solution", ETHANOL, 7.9)
    bench.move(MORTAR, "in solution", SOLUBLE, part * bench.at(MORTAR, SOLUBLE))
    bench.type("4: take ethanol 10 mL", "done 4")
    bench.minutes += 9 if choice == "long" else 4
    left = bench.at(MORTAR, SOLUBLE)
    if left < 0.01:
        bench.say("good", "Only a white sediment is left.")
    else:
        bench.say("caution", "Grains at the bottom are still dissolving.")
    bench.scene = Scene("beaker", {"water": 10.0, "grams": bench.at(MORTAR)}, {"looks": "clear"})


def _pour(bench: Bench) -> Telling:
    choice = yield decide(
        "pour",
        5,
        "You pour off the extract. How, and what next?",
        "rinse",
        rinse="when it is clear; rinse the rest once with 5 mL into the dish, pour that after it",
        none="when it is clear; no rinse",
        cloudy="at once, still cloudy; rinse once",
    )
    ml = 10.0
    rinses = 0 if choice == "none" else 1
    behind = HOLDS / ml * (left_after(rinses, 5.0, HOLDS) if rinses else 1.0)
    if choice == "cloudy":
        bench.move(MORTAR, OUT.place, BINDER, 0.12 * bench.at(MORTAR, BINDER))
    for component in (SOLUBLE, ETHANOL):
        bench.move("in solution", OUT.place, component, (1 - behind) * bench.at("in solution", component))
    bench.share("in solution", DISH, 1.0)
    if rinses:
        bench.move(MORTAR, OUT.place, SOLUBLE, 0.6 * bench.at(MORTAR, SOLUBLE))
        bench.bring(OUT.place, ETHANOL, 3.95)
        bench.bring(DISH, ETHANOL, max(HOLDS * 0.789 - bench.at(DISH, ETHANOL), 0.0))
        bench.type("5: take rinsing ethanol 5 mL")
    bench.share(MORTAR, DISH, 1.0)
    bench.type("done 5", "6: note one plate with three references", "done 6", "done 7")
    bench.minutes += 40
    left = bench.at(DISH, SOLUBLE)
    bench.say("good" if left < 0.01 else "caution", f"{1000 * left:.0f} mg of the soluble part stay with the binder.")
    if choice == "cloudy":
        bench.say("caution", "Some binder was lost with the extract.")
    bench.scene = Scene("dish", {"grams": bench.at(DISH), "water": bench.at(DISH, ETHANOL)}, {})


def _dry(bench: Bench, dish: float) -> Telling:
    choice = yield decide(
        "dry",
        8,
        "The binder in the dish is wet with ethanol. How do you dry it?",
        "hood",
        hood="in the hood until no wet patches are left, then 80 °C",
        oven="into the closed oven at 80 °C at once",
        air="ten minutes in the hood, no oven",
    )
    wet = bench.at(DISH, ETHANOL)
    left = {
        "hood": dried(wet, "oven 60", 60),
        "oven": dried(wet, "oven 60", 40),
        "air": dried(wet, "air, drawn through", 10),
    }
    bench.move(DISH, "the air", ETHANOL, wet - left[choice])
    bench.minutes += {"hood": 45, "oven": 25, "air": 10}[choice]
    if choice == "oven":
        bench.danger("Ethanol vapour in a closed oven can ignite. Dry it in the hood first.")
    bench.type(
        "done 8" if choice != "oven" else "skip 8 no time", "done 9" if choice != "air" else "skip 9 no time", "done 10"
    )
    how = yield weighings("weigh", 11, "the dish with the binder")
    weigh_dry(bench, IN, 11, "small dish", dish, how, ETHANOL)
    bench.weighed[OUT.portion] = sum(bench.brought[x] for x in (SOLUBLE, BINDER)) - (bench.weighed[IN.portion] or 0.0)
    bench.scene = Scene("dish", {"grams": bench.at(DISH), "water": bench.at(DISH, ETHANOL)}, {})


TABLET = Story(
    "tablet",
    "inside-the-tablet",
    "Inside the tablet",
    "grinding, extracting, decanting, drying",
    "Find out how much of a tablet dissolves in ethanol, and how much is binder.",
    tell,
    (OUT, IN),
    (ETHANOL,),
)
