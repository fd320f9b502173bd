"""The readings of a run in tables: every kind of entry, whatever technique it belongs to."""

import csv
import io

import pytest

from helvor.core.engine.run import entries as e
from helvor.core.engine.run.readings import figures, readings
from helvor.core.engine.run.record import Run
from helvor.core.quantities.reading import parse
from helvor.core.record.procedure import Procedure, Step
from helvor.core.techniques.column.entries import ColumnPacked, LevelSeen, Pooled, TubesFilled, TubesSpotted
from helvor.core.techniques.crystallization.entries import (
    Crystallized,
    MeltingSeen,
    SolventAdded,
    SolventTried,
    StandardMelted,
    TemperatureSeen,
)
from helvor.core.techniques.extraction.entries import (
    AgentAdded,
    Boiling,
    Drained,
    Emulsion,
    LayerGone,
    PhRead,
    Vented,
)
from helvor.core.techniques.filtration.entries import Drying, Emptied, Filtrate, Poured, Washed
from helvor.core.techniques.registered import RUN_PAYLOADS, TECHNIQUES
from helvor.exchange.run import READING_COLUMNS, reading_table
from tests.core.runs import page_of, sheet_of, strike

NO_READING = {
    "following", "step-added", "substance-added", "portion-said", "timer-stopped", "attached", "late", "answered",
    "struck", "acknowledged",
}  # fmt: skip
"""Entries that say what is to be done, or something about other entries."""


def ml(text):
    return parse(text, "volume")


def mm(text):
    return parse(text, "length")


def g(text):
    return parse(text, "mass")


# What is written, and what of it a table holds: quantity, of, number with its unit, words.
HELD = [
    (e.Weighed(container=("dish 3",), portion="sand", state="dried", round=2, mass=g("33.5060 g")),
     [("mass", "dish 3 with sand", "33.5060 g", "dried 2")]),
    (e.Weighed(container=("dish 3",), state="empty", mass=g("32.51 g"), readability=g("0.1 g"), hot=True),
     [("mass", "dish 3", "32.5 g", "empty, dry, warm")]),
    (e.Taken(substance="water", amount=ml("20.0 mL"), glass="pipette"), [("taken", "water", "20.0 mL", "pipette")]),
    (e.Taken(substance="salt", before=g("12.50 g"), after=g("10.25 g")),
     [("before", "salt", "12.50 g", ""), ("after", "salt", "10.25 g", "")]),
    (e.VolumeRead(portion="filtrate", volume=ml("48.5 mL")), [("volume", "filtrate", "48.5 mL", "")]),
    (e.Noted(words="yellow", picks=("cloudy",), celsius=61.5),
     [("temperature", "", "61.5 °C", ""), ("observation", "", "", "yellow, cloudy")]),
    (e.Tried(step="s1", trial="unknown-trial", passed=False, words="at once"), [("trial", "", "", "failed, at once")]),
    (e.Checked(step="s1"), [("set-up checked", "", "", "nothing ticked")]),
    (e.Marked(step="s1"), [("step", "", "", "done")]),
    (e.Marked(step="s1", how="skipped", why="no ice"), [("step", "", "", "skipped: no ice")]),
    (e.UsedInstead(kit="pipette", instead="cylinder"), [("kit", "", "", "cylinder instead of pipette")]),
    (e.HandoutCorrected(step="s1", says="Dry for {10 min}."), [("handout corrected", "", "", "Dry for 10 min.")]),
    (e.Borrowed(portion="crystals", source="bench 4"), [("continues with another bench's", "crystals", "", "bench 4")]),
    (e.TimerSet(label="reflux", minutes=30), [("timer", "reflux", "30 min", "")]),
    (Poured(step="s1", volume=ml("25 mL"), what="rinse"), [("poured", "rinse", "25 mL", "")]),
    (Emptied(step="s1"), [("receiver", "", "", "emptied")]),
    (Washed(step="s1", liquid="water", volume=ml("5.0 mL"), times=3, behind=ml("0.5 mL"), cold="ice-cold", dissolves=4.5),
     [("wash, in all", "water", "15 mL", "3 × 5.0 mL, ice-cold"), ("stays behind each time", "water", "0.5 mL", ""),
      ("solid dissolves", "water", "4.5 g/L", "")]),
    (Filtrate(step="s1", clear=False, then="again"), [("filtrate", "", "", "cloudy, refiltered")]),
    (Drying(portion="crystals", place="oven", celsius=105), [("drying temperature", "crystals", "105 °C", "in the oven")]),
    (Drying(portion="crystals", place="air"), [("drying", "crystals", "", "in air")]),
    (Vented(step="s1", swirls=4), [("swirls, then vented", "", "4", "")]),
    (Emulsion(step="s1", thick=mm("6 mm")), [("emulsion", "", "6 mm", ""), ("emulsion", "", "", "emulsion of 6 mm between the layers")]),
    (Drained(step="s1", place="lower", portion="aqueous layer", vessel="beaker 5", volume=ml("14.5 mL")),
     [("layer out", "aqueous layer", "14.5 mL", "lower layer in beaker 5")]),
    (PhRead(step="s1", portion="extract", ph=4.25), [("pH", "extract", "4.25", "by meter")]),
    (AgentAdded(step="s1", agent="sodium-sulfate", mass=g("1.5 g"), flows=True),
     [("drying agent", "sodium sulfate", "1.5 g", "some grains move freely")]),
    (Boiling(step="s1", boils=True), [("reflux", "", "", "started")]),
    (LayerGone(step="s1", portion="extract", why="spilt"), [("discarded", "extract", "", "spilt")]),
    (ColumnPacked(step="s1", bore=mm("20 mm"), bed=mm("150 mm")),
     [("inside width", "", "20 mm", ""), ("bed height", "", "150 mm", "")]),
    (TubesFilled(step="s1", first=4, last=5, volume=ml("8 mL"), colour="orange"),
     [("fraction volume", "tube 4", "8 mL", "orange"), ("fraction volume", "tube 5", "8 mL", "orange")]),
    (TubesFilled(step="s1", first=4, last=4, state="spilt"), [("fraction", "tube 4", "", "spilt")]),
    (TubesSpotted(step="s1", first=4, last=4, compound="ferrocene", strength=3), [("spot of ferrocene", "tube 4", "", "clear")]),
    (TubesSpotted(step="s1", first=7, last=7), [("spot", "tube 7", "", "nothing seen")]),
    (Pooled(step="s1", first=4, last=6, portion="pool A", without=(5,)),
     [("pooled as", "tube 4", "", "pool A"), ("pooled as", "tube 6", "", "pool A")]),
    (LevelSeen(step="s1", above=mm("12 mm"), bubbles=True),
     [("liquid above the silica", "", "12 mm", ""), ("bed", "", "", "bubbles in the bed")]),
    (SolventAdded(step="s1", volume=ml("10 mL"), why="rinse"), [("hot solvent", "", "10 mL", "hot, to rinse flask and paper")]),
    (TemperatureSeen(step="s1", celsius=38.5, seen="first crystals"), [("temperature", "", "38.5 °C", "first crystals")]),
    (Crystallized(step="s1", outcome="oil"), [("on cooling", "", "", "an oil")]),
    (MeltingSeen(step="s1", portion="crystals", starts=112.5, ends=114, rate=2, mixed_with="acetanilide"),
     [("melting starts", "crystals", "112.5 °C", "mixed with acetanilide"),
      ("melting ends", "crystals", "114 °C", "mixed with acetanilide"), ("heating rate", "crystals", "2 °C/min", "")]),
    (StandardMelted(step="s1", name="benzoic acid", published=122.4, read=121),
     [("standard read", "benzoic acid", "121 °C", ""), ("standard published", "benzoic acid", "122.4 °C", "")]),
    (SolventTried(step="s1", solvent="water", cold="none", hot="all", cooled="crystals"),
     [("dissolved cold", "water", "", "none"), ("dissolved at the boil", "water", "", "all"), ("on cooling", "water", "", "crystals")]),
]  # fmt: skip


@pytest.mark.parametrize(("said", "held"), HELD, ids=lambda value: getattr(value, "kind", ""))
def test_what_a_table_holds_of_an_entry(said, held):
    found = figures(said, Run(), TECHNIQUES)
    assert [(f.quantity, f.of, f.shown, f.words) for f in found] == held


def test_a_paper_gives_the_range_it_can_say():
    low, high = figures(PhRead(step="s1", portion="extract", paper="universal", colour="red"), Run(), TECHNIQUES)
    assert (low.quantity, high.quantity) == ("pH from", "pH to")
    assert low.value < high.value
    assert low.words == "universal paper, red"


def test_every_kind_of_entry_is_in_the_table_or_is_no_reading():
    kinds = {payload.model_fields["kind"].default for payload in RUN_PAYLOADS}
    assert kinds - {said.kind for said, _ in HELD} - {"ph-read"} == NO_READING
    assert not NO_READING & {said.kind for said, _ in HELD}


def test_what_stands_is_in_the_file_with_its_step_and_what_was_struck_is_not():
    procedure = Procedure(title="two steps", steps=(Step(id="a", kind="melt"), Step(id="b", kind="melt")))
    melted = MeltingSeen(step="b", portion="crystals", starts=112, ends=114)
    entries = page_of("dish 32.514", melted, e.Noted(words="spilt"), procedure=procedure)
    rows = list(csv.DictReader(io.StringIO(reading_table(sheet_of(melted, "dish 32.514", procedure=procedure)))))
    assert tuple(rows[0]) == READING_COLUMNS
    assert [(r["step"], r["reading"], r["quantity"], r["value"], r["unit"]) for r in rows] == [
        ("2", "melting-seen", "melting starts", "112", "°C"),
        ("2", "melting-seen", "melting ends", "114", "°C"),
        ("", "weighed", "mass", "32.514", "g"),
    ]
    from helvor.core.engine.run.record import gather

    kinds = [row.kind for row in readings(gather(strike(entries, 3)), TECHNIQUES)]
    assert kinds == ["weighed", "noted"]
