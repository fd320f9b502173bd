"""What several stories share: a decision in one line, and weighing something that was dried."""

from __future__ import annotations

from helvor.core.practice.rehearsal import Bench, Decision, Option, Product

DRYING_AGAIN = 15.0
"""Minutes between two dryings of the same thing. Common practice."""
MOST_DRYINGS, AGREE = 6, 2.1e-3
"""How often it is dried, and within what two weighings of a balance that reads to 1 mg agree, g."""


def decide(key: str, step: int, asks: str, usual: str, /, **options: str) -> Decision:
    """A decision; *usual* is the key of what is usual, options are shown in their order."""
    return Decision(
        key, step, asks, tuple(Option(one.replace("_", "-"), words) for one, words in options.items()), usual
    )


WEIGHINGS = {
    "constant": "let it cool, weigh, dry once more, weigh to constant mass",
    "once": "let it cool, weigh once",
    "warm": "weigh it at once, warm from the oven",
}


def weighings(key: str, step: int, what: str) -> Decision:
    """How a dried product is weighed."""
    return decide(key, step, f"How do you weigh {what}?", "constant", **WEIGHINGS)


def weigh_dry(bench: Bench, product: Product, step: int, pan: str, tare: float, how: str, water: str = "water") -> None:
    """Weigh a product on its pan as chosen; each further drying takes nine tenths of what is still wet.

    Args:
        pan: the container's label; tare: its true mass, g; water: what may still be in it.
    """
    label = product.portion
    first = bench.weigh(f"{label} 1", tare + bench.at(product.place), warm=how == "warm")
    bench.type(f"{step}: {pan} {label} dried {first}")
    last = first
    if how == "constant":
        for number in range(2, MOST_DRYINGS + 1):
            bench.move(product.place, "the air", water, 0.9 * bench.at(product.place, water))
            before, last = last, bench.weigh(f"{label} {number}", tare + bench.at(product.place))
            bench.type(f"{step}: {pan} {label} dried {last}")
            bench.minutes += DRYING_AGAIN
            if abs(float(before) - float(last)) < AGREE:
                break
    else:
        bench.minutes += 2
        if how == "warm":
            bench.say("caution", "Warm air lifts the pan: a warm container reads too light, and the display drifts.")
    bench.type(f"done {step}")
    bench.weighed[label] = float(last) - tare
    wet = bench.at(product.place, water)
    if wet > 0.002:
        bench.say("caution", f"It still holds {1000 * wet:.0f} mg of {water}: one weighing cannot show that.")
