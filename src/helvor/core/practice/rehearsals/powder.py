"""A mixed powder of camphor, potassium chloride and glass beads: subliming, dissolving, decanting, drying.

A third of each. Camphor goes off in proportion to what is left, with a half-life of three minutes on a gentle hotplate;
34 g of potassium chloride dissolve in 100 mL of water at 20 °C (from memory).
"""

from __future__ import annotations

import math

from helvor.core.laws.filtration.wash import left_after
from helvor.core.practice.rehearsal import Bench, Product, Scene, Story, Telling
from helvor.core.practice.rehearsals.parts import decide, weigh_dry, weighings
from helvor.core.practice.virtual_filter import dried

CAMPHOR, SALT, BEADS, WATER = "camphor", "potassium chloride", "glass beads", "water"
HALF = 3.0
"""Minutes in which half of the camphor goes off on a gentle hotplate. Common practice."""
DISSOLVES = 0.34
"""g of potassium chloride in a mL of water. From memory."""
HELD = 1.6
"""mL of solution that the beads and the dish hold back when they are poured off. Common practice."""
GONE, SALTY, BEADY = (
    Product("the hood", CAMPHOR, "camphor vapour"),
    Product("the beaker", SALT, "salt"),
    Product("the dish", BEADS, "beads"),
)
DISH, BEAKER = BEADY.place, SALTY.place


def _scene(bench: Bench, what: str, celsius: float = 22.0) -> None:
    bench.scene = Scene(
        "dish", {"grams": bench.at(DISH), "water": bench.at(DISH, WATER), "celsius": celsius}, {"looks": what}
    )


def tell(bench: Bench) -> Telling:
    """A mixed powder, as :class:`helvor.core.practice.rehearsal.Story` asks for it."""
    dish, beaker = bench.scattered("dish", 41.0, 0.03), bench.scattered("beaker", 68.0, 0.03)
    for one in (CAMPHOR, SALT, BEADS):
        bench.bring(DISH, one, bench.scattered(f"taken {one}", 1.0))
    filled = bench.weigh("powder", dish + bench.at(DISH))
    bench.type(f"1: dish {bench.weigh('dish', dish)}", "done 1", f"2: dish powder {filled}", "done 2")
    bench.say("note", f"{bench.at(DISH):.2f} g of a white powder in the tared dish.")
    bench.minutes = 9
    _scene(bench, "powder")
    yield from _sublime(bench)
    yield from _first_weighing(bench, dish)
    yield from _dissolve(bench, beaker)
    yield from _pour(bench)
    yield from _evaporate(bench)
    yield from _weigh(bench, dish, beaker)


def _sublime(bench: Bench) -> Telling:
    choice = yield decide(
        "sublime",
        3,
        "How long do you leave the dish on the hotplate in the hood?",
        "frost",
        short="five minutes, until there are fewer fumes",
        frost="until a cold glass over it takes no new frost",
        strong="as hot as it goes, five minutes",
    )
    time, half = {"short": (5.0, HALF), "frost": (30.0, HALF), "strong": (5.0, 0.5)}[choice]
    bench.move(DISH, GONE.place, CAMPHOR, bench.at(DISH, CAMPHOR) * (1 - math.exp2(-time / half)))
    bench.minutes += time
    bench.type("3: check all", f"3: tried {'a' if choice == 'short' else 'no'} new deposit", "done 3")
    if choice == "strong":
        bench.share(DISH, "spat out of the dish", 0.05)
        bench.danger("It crackled and spat hot grains, and camphor vapour is above a hotplate that can ignite it.")
    elif choice == "short":
        bench.say("caution", "The cold glass still frosts: camphor is left in the dish.")
    else:
        bench.say("good", "No new frost on the cold glass.")
    _scene(bench, "residue", 110)


def _first_weighing(bench: Bench, dish: float) -> Telling:
    choice = yield decide(
        "residue",
        5,
        "Camphor is determined by difference. How do you weigh the dish?",
        "cool",
        cool="cooled to room temperature, heated and weighed once more",
        warm="warm, straight from the hotplate",
    )
    first = bench.weigh("residue 1", dish + bench.at(DISH), warm=choice == "warm")
    bench.type("done 4", f"5: dish residue dried {first}")
    last = first
    if choice == "cool":
        bench.move(DISH, GONE.place, CAMPHOR, 0.9 * bench.at(DISH, CAMPHOR))
        last = bench.weigh("residue 2", dish + bench.at(DISH))
        bench.type(f"5: dish residue dried {last}")
        bench.minutes += 25
        bench.say("good", f"{first} g, then {last} g.")
    else:
        bench.say("caution", "Warm air lifts the pan: about 18 mg too light, counted as camphor.")
    bench.type("done 5")
    bench.minutes += 8
    bench.weighed[GONE.portion] = (
        bench.brought[CAMPHOR] + bench.brought[SALT] + bench.brought[BEADS] - (float(last) - dish)
    )
    _scene(bench, "residue")


def _dissolve(bench: Bench, beaker: float) -> Telling:
    bench.type(f"6: beaker + watch glass {bench.weigh('beaker', beaker)}", "done 6")
    choice = yield decide(
        "water",
        7,
        "You extract the salt from the residue with water. How much, and how?",
        "enough",
        enough="30 mL, stirred for five minutes",
        little="2 mL, stirred",
        unstirred="30 mL, poured off at once",
    )
    ml = 2.0 if choice == "little" else 30.0
    bench.bring(DISH, WATER, ml)
    can = {"enough": 1.0, "little": min(1.0, DISSOLVES * ml / bench.at(DISH, SALT)), "unstirred": 0.55}[choice]
    bench.minutes += 6 if choice == "enough" else 1
    bench.move(DISH, "in solution", SALT, can * bench.at(DISH, SALT))
    bench.move(DISH, "in solution", WATER, ml)
    bench.type("7: take water 30 mL" if ml > 2 else "7: take water 2 mL", "done 7")
    if can < 1:
        why = f"{DISSOLVES * 100:.0f} g dissolve in 100 mL, so {DISSOLVES * ml:.2f} g in {ml:g} mL"
        bench.say(
            "caution",
            f"{1000 * bench.at(DISH, SALT):.0f} mg of salt are not dissolved.",
            why if choice == "little" else "",
        )
    else:
        bench.say("good", "The salt is dissolved; the beads are at the bottom.")
    _scene(bench, "wet beads")


def _pour(bench: Bench) -> Telling:
    choice = yield decide(
        "rinse",
        8,
        "You pour the solution off the beads. What next?",
        "twice",
        twice="rinse twice with 10 mL, pour that after it",
        none="dry the beads as they are",
        hasty="pour without settling; rinse once with 10 mL",
    )
    times = {"twice": 2, "none": 0, "hasty": 1}[choice]
    ml = bench.at("in solution", WATER)
    stays = min(HELD / ml, 1.0) * (left_after(times, 10.0, HELD) if times else 1.0)
    bench.share("in solution", BEAKER, 1 - stays)
    bench.share("in solution", DISH, 1.0)
    if times:
        # What was not dissolved yet dissolves in the rinses.
        bench.move(DISH, BEAKER, SALT, 0.9 * max(bench.at(DISH, SALT) - 0.002, 0.0))
        bench.bring(BEAKER, WATER, 10.0 * times)
        bench.type(f"8: take rinsing water {10 * times} mL")
    if choice == "hasty":
        bench.move(DISH, BEAKER, BEADS, 0.04 * bench.at(DISH, BEADS))
        bench.say("caution", "Beads were poured into the beaker.")
    bench.type("done 8")
    bench.minutes += 4 + 4 * times
    left = bench.at(DISH, SALT)
    working = f"{HELD} mL stay behind each time: ({HELD} ÷ {10 + HELD:.1f}){'⁰¹²'[times]}" if times else ""
    bench.say("good" if left < 0.005 else "caution", f"{1000 * left:.0f} mg of salt stay with the beads.", working)
    _scene(bench, "wet beads")


def _evaporate(bench: Bench) -> Telling:
    choice = yield decide(
        "evaporate",
        9,
        "How do you evaporate the solution in the tared beaker?",
        "covered",
        covered="under a watch glass, curved side down, gently at the end",
        open="open and hot, to be quick",
    )
    bench.move(BEAKER, "the air", WATER, 0.985 * bench.at(BEAKER, WATER))
    bench.minutes += 35 if choice == "covered" else 18
    bench.type("done 9")
    if choice == "open":
        bench.move(BEAKER, "spat out of the beaker", SALT, 0.09 * bench.at(BEAKER, SALT))
        bench.danger("Wet salt spits at the end: grains flew over the rim. Hot salt can hit hands and eyes.")
    else:
        bench.say("good", "The last drops ran back from the glass; the salt looks damp.")
    wet = bench.at(DISH, WATER)
    bench.move(DISH, "the air", WATER, wet - dried(wet, "oven 110", 30))
    bench.type("done 10", "done 11")
    bench.scene = Scene("dish", {"grams": bench.at(BEAKER), "water": bench.at(BEAKER, WATER)}, {"looks": "salt"})


def _weigh(bench: Bench, dish: float, beaker: float) -> Telling:
    how = yield weighings("weigh-beads", 12, "the dish with the beads")
    weigh_dry(bench, BEADY, 12, "dish", dish, how)
    bench.type("done 13")
    how = yield weighings("weigh-salt", 14, "the beaker with the salt")
    weigh_dry(bench, SALTY, 14, "beaker + watch glass", beaker, how)


POWDER = Story(
    "powder",
    "a-mixed-powder",
    "A mixed powder",
    "subliming, dissolving, decanting, drying",
    "Separate and weigh the camphor, potassium chloride and glass beads in three grams of a white powder.",
    tell,
    (GONE, SALTY, BEADY),
    (WATER,),
)
