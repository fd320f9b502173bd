"""The words of the reading lines, as every page, the README and the answer to *help* list them."""

from __future__ import annotations

from dataclasses import dataclass


@dataclass(frozen=True, slots=True)
class Typed:
    """Lines of one sort.

    Attributes:
        lines: examples, each a whole line; says: what they are for.
    """

    lines: tuple[str, ...]
    says: str


ANYWHERE = (
    Typed(("dish 3 32.514, dish 4 31.2",), "several readings in a line, between commas"),
    Typed(("undo", "undo misread"), "take back the last thing written; after a minute with the reason"),
    Typed(("note white fumes",), "what was seen"),
    Typed(("help",), "examples for this page"),
)
RUN = (
    Typed(("dish 3 32.514",), "weighed empty"),
    Typed(
        ("dish 3 salt 33.120", "dish 3 salt wet 35.2", "dish 3 salt dried 33.118", "salt in dish 3: 33.120 g"),
        "weighed with its contents, as received, wet or dried; words may stand in any order",
    ),
    Typed(("dish 3 new grit 33.120", "new cold finger 40.1"), "a portion or a container that the procedure has not"),
    Typed(("net salt 1.312", "dish 3 salt net 0.606"), "after pressing Tare"),
    Typed(("paper A air-dry 0.842",), "an air-dry paper; damp when wetted"),
    Typed(
        ("take zinc 0.83 g", "take salt 15.214 to 14.203", "take zinc 0.8 g instead magnesium"),
        "the amount used, also by difference, or something else in its place",
    ),
    Typed(("vol filtrate 24.5 mL", "vol filtrate 24 ± 0.5 mL"), "a volume; ± and 24-25 mL say how near it is"),
    Typed(("use sand bath for hotplate",), "other kit than in the procedure"),
    Typed(("done 4", "skip 5 no time", "timer 20 oven", "timer 1.5 h"), "a step done or skipped, a timer"),
    Typed(("check all", "tried passed"), "set-up checked, the step’s test"),
    Typed(("temp 45",), "what a thermometer showed"),
    Typed(("strike dish 3 misread", "correct dish 3 32.516"), "take a reading back, or put another in its place"),
)
TECHNIQUES = (
    Typed(("pour 50 mL", "pour 5 mL rinse", "emptied", "filtrate cloudy again"), "at a filter"),
    Typed(("wash water 3 x 5 mL cold", "wash water 5 x 40 mL left 6 mL"), "washes, and what stays behind each time"),
    Typed(
        ("vent 4", "rag 3 mm wait", "drain lower 14.5 mL beaker B", "ph red", "agent 1.0 g free", "drops"),
        "at a funnel",
    ),
    Typed(("tubes 1-10 5 mL heptane", "spots 6-8 ferrocene 3", "pool 6-10 pool A", "head 30 mm"), "at a column"),
    Typed(
        ("solvent 8 mL extra", "temp 74 needles", "crystals none scratched", "melts crude 106-111 1/min"),
        "at a flask, and a melting range",
    ),
    Typed(("standard benzoic acid 122.4 read 121.9",), "a melting standard on this thermometer"),
)
PLATE = (
    Typed(
        ("T 41.0", "T2 41.5 38-45 w4 purple 254", "spot 41 in lane T"), "a spot: its distance, then what it looks like"
    ),
    Typed(("P 30, C 12, T 55",), "several spots"),
    Typed(("front 81.0", "front T 80.5", "front off"), "the solvent front, also of one lane"),
    Typed(("lane P 10 paracetamol ref", "lane M 40 P + T co-spot"), "a lane, and what is on it"),
    Typed(("level 5", "eluent hexane : ethyl acetate 4 : 1", "origin 10"), "chamber, eluent, origin"),
    Typed(("in", "rising 22"), "the plate goes in; where its front stands"),
    Typed(("strike T2 misread",), "take a spot back"),
)
SECTIONS: tuple[tuple[str, tuple[Typed, ...]], ...] = (
    ("Anywhere", ANYWHERE),
    ("In a run", RUN),
    ("At its instruments", TECHNIQUES),
    ("On a plate", PLATE),
)


def as_table() -> str:
    """All of it as a table in Markdown."""
    rows = ["| you type | meaning |", "|---|---|"]
    for _, lines in SECTIONS:
        rows += [f"| {', '.join(f'`{line}`' for line in row.lines)} | {row.says} |" for row in lines]
    return "\n".join(rows)
