"""Whole records, with a mistake and without: what is said first, what helps, and that good work is left alone.

Each record is a bench's, line by line, of a procedure that ships. A mistake is a change of a clean record; what must stand
first is the finding that names it, before anything that only follows from it.
"""

from datetime import timedelta
from uuid import UUID

import pytest

from helvor.core.engine.run.entries import Following
from helvor.core.engine.run.reading_line import beside, understand
from helvor.core.engine.run.work_out import work_out
from helvor.core.record.entry import Entry
from helvor.core.record.finding import SEVERITY
from helvor.core.techniques.registered import TECHNIQUES
from helvor.demo.column import COLUMNS
from helvor.demo.crystals import CRYSTALS
from helvor.demo.extraction import LAYERS
from helvor.demo.runs import POWDER, SULFATE
from helvor.shelf.procedures import shipped_procedure
from tests.core.runs import NOON

CHALK = (
    *("1: beaker A 70.214", "done 1", "2: take calcium chloride dihydrate 1.503 g", "done 2"),
    *("3: take water 25 mL", "done 3", "4: take sodium carbonate 1.302 g", "done 4"),
    *("5: take more water 25 mL", "done 5", "done 6", "done 7"),
    *("8: wash wash water 3 x 20 mL", "8: filtrate clear", "done 8", "done 9", "done 10"),
    *("11: beaker A chalk dried 71.221", "11: beaker A chalk dried 71.220", "done 11"),
)
CLEAN = {
    "powder": ("a-mixed-powder", POWDER[1]),
    "sulfate": ("sulfate-in-garden-salt", SULFATE[1]),
    "crystals": ("acetanilide-made-clean", CRYSTALS[1]),
    "three": ("three-from-one", LAYERS[1]),
    "iron": ("colours-of-iron", COLUMNS[1]),
    "chalk": ("chalk-from-two-solutions", CHALK),
}


def judged(name, *changes, minutes=15):
    """The findings of a record with changes: ``- line`` is left out, ``-- start`` all that begin so, ``a => b ; c``."""
    key, clean = CLEAN[name]
    procedure, lines = shipped_procedure(key), list(clean)
    for change in changes:
        if change.startswith("-- "):
            left = [line for line in lines if not line.startswith(change[3:])]
            assert left != lines, change
            lines = left
        elif change.startswith("- "):
            lines.remove(change[2:])
        elif change.startswith("+ "):
            lines.append(change[2:])
        elif change.startswith("until "):
            lines = lines[: lines.index(change[6:]) + 1]
        else:
            old, _, new = change.partition(" => ")
            at = lines.index(old)
            lines[at : at + 1] = new.split(" ; ")
    entries = [Entry(UUID(int=1), 1, Following(procedure=procedure), None, "", "Ida", NOON)]
    for line in lines:
        step, text = beside(line, procedure)
        read = understand(text, entries, step, TECHNIQUES, sure=True)
        at = NOON + timedelta(minutes=minutes * len(entries))
        number = len(entries) + 1
        entries.append(Entry(UUID(int=number), number, read.payload, read.strikes, read.reason, "Ida", at))
    found = work_out(entries, None, TECHNIQUES).findings
    return sorted((one for one in found if one.level != "good"), key=lambda one: SEVERITY[one.level])


def salt(first, second):
    """The two weighings of the salt that count, in place of the clean ones."""
    return (
        "- 14: beaker + watch glass salt dried 69.241",
        f"14: beaker + watch glass salt dried 69.205 => 14: beaker + watch glass salt dried {first}",
        f"14: beaker + watch glass salt dried 69.204 => 14: beaker + watch glass salt dried {second}",
    )


def instead(head, old, new):
    """The two weighings that count, in place of the clean ones."""
    return tuple(f"{head} {was} => {head} {now}" for was, now in zip(old, new, strict=True))


def beads(*masses, label="dish"):
    changes = instead("12: dish beads dried", ("42.291", "42.290"), masses)
    return tuple(change.replace("=> 12: dish", f"=> 12: {label}") for change in changes)


def chalk(*masses):
    return instead("11: beaker A chalk dried", ("71.221", "71.220"), masses)


def crystals(*masses):
    return instead("12: dish acetanilide, dry dried", ("30.106", "30.104"), masses)


def ferrocene(*masses):
    return instead("13: flask A ferrocene, dry dried", ("48.320", "48.318"), masses)


def biphenyl(first, second):
    return (
        f"16: round flask biphenyl crystals dried 63.402 => 16: round flask biphenyl crystals dried {first}",
        "- 16: round flask biphenyl crystals dried 63.391",
        f"16: round flask biphenyl crystals dried 63.391 => 16: round flask biphenyl crystals dried {second}",
    )


def noted(at, words):
    """A note beside a step, before what stands there."""
    return f"{at} => {at.partition(':')[0]}: note {words} ; {at}"


MEASURE = "13: melts acetanilide, dry 113.2-114.1 1/min"
WASHED = "8: wash ice-cold water 2 x 2.5 mL cold"
MISTAKES = [
    # Weighing.
    ("powder", ("-- 1: dish",), "tare-missing", "weigh the container clean and dry"),
    ("powder", ("6: beaker + watch glass 68.214 => 6: beaker 48.100",), "tare-missing", "clean and dry"),
    ("powder", beads("41.291", "41.290"), "gross-below-tare", "Check the label"),
    ("powder", beads("39.291", "39.290", label="dish 7"), "tare-missing", "clean and dry"),
    ("powder", salt("0.991", "0.990"), "gross-below-tare", "net salt 0.990"),
    (
        "powder",
        (
            "- 14: beaker + watch glass salt dried 69.241",
            "- 14: beaker + watch glass salt dried 69.205",
            "14: beaker + watch glass salt dried 69.204 => 14: net salt 69.204 dried",
        ),
        "closure-above",
        "correct it to beaker + watch glass salt 69.204",
    ),
    ("powder", beads("42.29", "42.29"), "digits-of-two", "every digit"),
    ("powder", ("2: dish powder 44.312 => 2: dish powder 71.366",), "ten-times", "Check the reading"),
    ("powder", ("2: dish powder 44.312 => 2: dish powder 41.607",), "gained-by-heating", "both weighings"),
    (
        "powder",
        ("5: dish residue dried 43.327 => 5: dish residue dried 43.327 hot",),
        "weighed-hot",
        "room temperature",
    ),
    (
        "powder",
        ("5: dish residue dried 43.325 => 5: dish residue dried 44.525",),
        "gained-by-heating",
        "both weighings",
    ),
    ("powder", salt("69.241", "69.221"), "still-drying", "Weigh again"),
    ("powder", beads("42.291", "42.299"), "gaining-mass", "desiccator"),
    ("powder", ("- 12: dish beads dried 42.290",), "dried-once", "weigh again"),
    (
        "powder",
        (
            "- 14: beaker + watch glass salt dried 69.241",
            "- 14: beaker + watch glass salt dried 69.205",
            "14: beaker + watch glass salt dried 69.204 => 14: beaker + watch glass salt wet 69.641",
        ),
        "wet-mass",
        "Dry it",
    ),
    ("powder", (*salt("68.905", "68.904"), "done 9 => 9: note it spat ; done 9"), "closure-low", "used glassware"),
    ("powder", ("- 6: beaker + watch glass 68.214", "+ 14: beaker + watch glass 68.214"), "tare-late", "empty first"),
    ("chalk", ("-- 1: beaker", "until done 4"), "tare-gone", "clean and dry"),
    (
        "powder",
        ("- done 4", "5: dish residue dried 43.327 => 5: dish residue 43.327"),
        "weighed-too-soon",
        "desiccator",
    ),
    ("powder", ("5: dish residue dried 43.325 => 5: dish residue dried 43.295",), "still-drying", "cold glass"),
    # Precipitation and gravimetry.
    ("chalk", chalk("71.441", "71.420"), "above-possible", "Dry it again"),
    ("chalk", chalk("70.621", "70.620"), "yield-low", "test the supernatant"),
    ("chalk", ("4: take sodium carbonate 1.302 g => 4: take sodium carbonate 13.02 g",), "ten-times", "correct it"),
    ("chalk", ("4: take sodium carbonate 1.302 g => 4: take sodium carbonate 0.802 g",), "above-possible", "amounts"),
    ("chalk", ("8: filtrate clear => 8: filtrate cloudy accepted",), "filtrate-cloudy", ""),
    ("sulfate", ("-- 1: paper A",), "tare-missing", "spare papers"),
    (
        "sulfate",
        ("-- 3: blank", "-- 20: blank", "done 3 => skip 3 none", "done 20 => skip 20 none"),
        "paper-air-dry",
        "blank",
    ),
    ("sulfate", ("6: tried no new cloud => 6: tried it clouds again",), "not-complete", "Add more precipitant"),
    ("sulfate", ("6: take barium chloride A 12.0 mL => 6: take barium chloride A 1.2 mL",), "ten-times", "correct it"),
    (
        "sulfate",
        ("6: take barium chloride A 12.0 mL => 6: take barium chloride A 4.0 mL",),
        "little-precipitant",
        "more",
    ),
    (
        "sulfate",
        ("- 12: wash hot wash water A 5 x 5 mL hot", "done 12 => skip 12 no time"),
        "step-skipped",
        "Do it now",
    ),
    ("sulfate", ("done 8 => skip 8 no time",), "step-skipped", "Do it now"),
    ("sulfate", ("10: filtrate clear => 10: filtrate cloudy accepted",), "filtrate-cloudy", ""),
    (
        "sulfate",
        (
            "19: paper B barium sulfate B dried 1.110 => 19: paper B barium sulfate B dried 1.159",
            "19: paper B barium sulfate B dried 1.109 => 19: paper B barium sulfate B dried 1.158",
        ),
        "parallels-apart",
        "third determination",
    ),
    # Recrystallizing and melting.
    ("crystals", ("4: solvent 20 mL => 4: solvent 60 mL",), "too-much-solvent", "Boil off"),
    ("crystals", ("6: crystals yes => 6: crystals none", "until 6: crystals none"), "nothing-crystallizes", "Scratch"),
    ("crystals", ("6: crystals yes => 6: crystals oil", "until 6: crystals oil"), "oil", "little solvent"),
    ("crystals", ("6: crystals yes => 6: crystals grey",), "charcoal-through", "finer fluted paper"),
    (
        "crystals",
        ("- 6: temp 74 first needles", "- 6: temp 41 needles fill half", "6: temp 25 into ice => 6: temp 80 into ice"),
        "cooled-fast",
        "cool slowly",
    ),
    ("crystals", (f"{WASHED} => 8: wash ice-cold water 2 x 25 mL hot",), "washed-warm", "second crop"),
    ("crystals", crystals("30.386", "30.385"), "above-ceiling", "constant mass"),
    ("crystals", crystals("30.706", "30.705"), "above-possible", "dry it again"),
    ("crystals", crystals("29.106", "29.105"), "far-below-ceiling", "second crop"),
    ("crystals", (f"{MEASURE} => 13: melts acetanilide, dry 108.2-112.1 1/min",), "melting-wide", "recrystallize"),
    ("crystals", (f"{MEASURE} => 13: melts acetanilide, dry 101-107 1/min",), "melting-low", "recrystallize"),
    ("crystals", (f"{MEASURE} => 13: melts acetanilide, dry 117-118 1/min",), "melting-above", "standard"),
    ("crystals", ("until done 7", "done 7 => done 7 ; done 14"), "liquor-gone", "Keep the mother liquor"),
    # Extraction.
    (
        "three",
        ("2: drain lower 14.5 mL acid extracts beaker A => 2: drain upper 14.5 mL acid extracts beaker A",),
        "wrong-layer",
        "drop",
    ),
    ("three", ("-- 2: vent",), "never-vented", "vent now"),
    (
        "three",
        ("2: take 3 M hydrochloric acid 15 mL => 2: take 3 M hydrochloric acid 45 mL",),
        "funnel-full",
        "larger funnel",
    ),
    ("three", ("6: ph red => 6: ph orange",), "ph-paper-coarse", "finer paper"),
    ("three", ("- 6: ph red",), "ph-untested", "Test a drop"),
    ("three", ("6: ph red => 6: ph green",), "ph-not-reached", "more"),
    ("three", ("- 11: agent 1.0 g free", "- 11: tried clear and free"), "agent-caked", "swirl"),
    (
        "three",
        ("2: drain upper ether after acid funnel => 2: rag 5 mm wait ; 2: drain upper ether after acid funnel",),
        "emulsion",
        "swirl",
    ),
    ("three", biphenyl("63.902", "63.802"), "above-possible", "Dry it again"),
    (
        "three",
        (
            "20: dish C cinnamic acid crystals dried 39.162 => 20: dish C cinnamic acid crystals dried 38.562",
            "20: dish C cinnamic acid crystals dried 39.161 => 20: dish C cinnamic acid crystals dried 38.561",
        ),
        "closure-low",
        "used glassware",
    ),
    ("three", ("done 10 => skip 10 no brine", "-- 10:"), "step-skipped", "Do it now"),
    # Columns.
    (
        "iron",
        ("7: spots 21 acetylferrocene 1 => 7: spots 21 acetylferrocene 1 ; 7: spots 21 ferrocene 1", "until done 7"),
        "mixed-tube",
        "out of both pools",
    ),
    ("iron", ("6: tubes 1-10 5 mL heptane => 6: head dry ; 6: tubes 1-10 5 mL heptane",), "ran-dry", "Refill"),
    ("iron", ("3: take ferrocene 0.102 g => 3: take ferrocene 1.02 g",), "ten-times", "correct it"),
    ("iron", ("3: take ferrocene 0.102 g => 3: take ferrocene 0.250 g", "until done 6"), "overloaded", "wider column"),
    ("iron", ("8: pool 6-10 pool A => 8: pool 6-21 pool A",), "pooled-twice", "Correct the pool"),
    (
        "iron",
        ("8: pool 6-10 pool A => 8: pool 6-25 pool A", "- 8: pool 21-27 pool B", "until done 8"),
        "pool-mixed",
        "plate",
    ),
    ("iron", ferrocene("48.420", "48.419"), "above-possible", "filter through cotton"),
    ("iron", ferrocene("48.420", "48.389"), "above-possible", "Dry it again"),
    # What a note tells of.
    ("three", ("14: note bath 45 °C, hood => 14: note bath 90 °C on a flame",), "noted-flame", "Put the flame out"),
    ("crystals", (noted("4: check all", "chips added to the boiling solution"),), "noted-into-boiling", "cool first"),
    ("crystals", (noted("7: check all", "water sucked back into it"),), "noted-suck-back", "Break the vacuum"),
    ("three", ("+ 2: note the stopper flew off",), "noted-pressure", "Vent sooner"),
    ("sulfate", (noted("10: check all", "spilled a little of A"),), "noted-spill", "Wipe it up"),
]


def test_there_are_enough_of_them():
    assert len(MISTAKES) >= 60


@pytest.mark.parametrize(
    ("name", "changes", "code", "helps"), MISTAKES, ids=[f"{row[0]}-{row[2]}-{n}" for n, row in enumerate(MISTAKES)]
)
def test_a_mistake_is_named_first_with_what_helps(name, changes, code, helps):
    usual = {one.code for one in judged(name)}
    found = [one for one in judged(name, *changes) if one.code not in usual or one.code == code]
    assert found, "nothing is said"
    first = found[0]
    assert first.code == code, [(one.level, one.code, one.what) for one in found]
    assert helps.casefold() in first.do.casefold()


GOOD = [
    *((name, ()) for name in CLEAN),
    ("powder", salt("69.206", "69.204")),
    ("powder", salt("69.204", "69.205")),
    ("powder", beads("42.301", "42.300")),
    ("powder", ("+ 14: note handed in to bench 4, nothing spilled",)),
    ("powder", ("2: dish powder 44.312 => 2: dish powder 44.290", *beads("42.269", "42.268"))),
    ("chalk", chalk("71.199", "71.198")),
    ("chalk", (*chalk("71.240", "71.199"), "+ 11: beaker A chalk dried 71.198")),
    ("chalk", ("3: take water 25 mL => 3: take water 30 mL",)),
    ("sulfate", ("18: paper A barium sulfate A dried 1.106 => 18: paper A barium sulfate A dried 1.105",)),
    ("sulfate", ("10: filtrate clear => 10: filtrate cloudy again ; 10: filtrate clear",)),
    ("crystals", crystals("30.056", "30.055")),
    ("crystals", (f"{MEASURE} => 13: melts acetanilide, dry 113.0-114.5 1/min",)),
    ("three", ("4: take water 10 mL => 4: take water 12 mL",)),
    ("three", biphenyl("63.392", "63.390")),
    ("iron", ferrocene("48.319", "48.318")),
    (
        "iron",
        (
            "7: spots 21 acetylferrocene 1 => 7: spots 21 acetylferrocene 1 ; 7: spots 21 ferrocene 1",
            "8: pool 21-27 pool B => 8: pool 21-27 pool B without 21",
        ),
    ),
    (
        "sulfate",
        (
            "18: paper A barium sulfate A dried 1.106 => 18: paper A barium sulfate A dried 1.076",
            "- 18: paper A barium sulfate A dried 1.104",
            "18: paper A barium sulfate A dried 1.104 => 10: filtrate cloudy again ; 10: pour 20 mL ; "
            "18: paper A barium sulfate A dried 1.104",
        ),
    ),
    ("iron", ("3: take acetylferrocene 0.098 g => 3: take acetylferrocene 0.101 g",)),
]


@pytest.mark.parametrize(("name", "changes"), GOOD, ids=[f"{row[0]}-{n}" for n, row in enumerate(GOOD)])
def test_good_work_is_left_alone(name, changes):
    loud = [(one.code, one.what) for one in judged(name, *changes) if one.level in ("caution", "stop")]
    assert loud == []


def test_there_are_enough_clean_ones():
    assert len(GOOD) >= 20
