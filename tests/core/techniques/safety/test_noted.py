"""Dangers and mishaps that a note tells of, and words that only sound like them."""

from uuid import UUID

import pytest

from helvor.core.engine.run.entries import Noted
from helvor.core.engine.run.reading_line import understand
from helvor.core.engine.run.work_out import work_out
from helvor.core.record.entry import Entry
from helvor.core.record.procedure import Procedure, Step
from helvor.core.techniques.planar.plate import PlateNoted
from helvor.core.techniques.registered import TECHNIQUES
from helvor.core.techniques.safety.noted import TOLD
from tests.core.plates import Writing
from tests.core.runs import NOON, page_of, sheet_of

ETHER = Procedure(
    title="x",
    substances=[{"name": "crude", "amount": "1 g"}, {"name": "diethyl ether", "amount": "20 mL", "role": "solvent"}],
    steps=[
        Step(id="s1", kind="dissolve", adds=("crude", "diethyl ether"), gives=("solution",)),
        Step(id="s2", kind="weigh", container=("dish",), empty=True),
    ],
)
TELLS = [
    ("the ether caught fire", "noted-fire"),
    ("warmed it over the Bunsen", "noted-flame"),
    ("splashed some acid on my hand", "noted-injury"),
    ("acid in the eye? it got in my eye", "noted-injury"),
    ("cut his finger on the tube", "noted-injury"),
    ("felt dizzy, went outside", "noted-breathed"),
    ("it smells of chlorine", "noted-breathed"),
    ("pipetted by mouth", "noted-swallowed"),
    ("poured water into the concentrated acid", "noted-water-into-acid"),
    ("the thermometer broke", "noted-mercury"),
    ("the stopper flew off", "noted-pressure"),
    ("it bumped", "noted-bumped"),
    ("boiled over a little", "noted-bumped"),
    ("added charcoal to the boiling solution", "noted-into-boiling"),
    ("boiling chips added to the hot solution", "noted-into-boiling"),
    ("sucked back when the tap was closed", "noted-suck-back"),
    ("water came into the filter flask", "noted-suck-back"),
    ("beaker cracked", "noted-broken"),
    ("spilled about 2 mL", "noted-spill"),
    ("tap leaks", "noted-spill"),
    ("the label came off", "noted-unknown"),
    ("worked without goggles", "noted-unprotected"),
    ("filtrate poured down the sink", "noted-sink"),
    # A word that denies something else silences nothing.
    ("caught fire, could not put it out", "noted-fire"),
    ("the ether caught fire and I could not put it out", "noted-fire"),
    ("no goggles when acid splashed in my eye", "noted-injury"),
    ("cut my finger, not deep", "noted-injury"),
    ("lit a match to see", "noted-flame"),
    ("beads of mercury on the bench", "noted-mercury"),
    ("the dishes got mixed up", "noted-unknown"),
]
QUIET = [
    "white fumes, frost on the cold glass",
    "no flame near it",
    "burner off before the ether was opened",
    "nothing spilled",
    "it did not boil over",
    "broke the vacuum, then turned the water off",
    "cut the paper to size",
    "red spot at the front",
    "acid into water, in ice",
    "handed in to bench 4",
    "melts at once, no smoke",
    "nearly bumped",
    "the melting point matches the reference",
    "the upper layer is lighter",
    "a blood-red solution",
    "the mercury thermometer reads 25",
    "mixed up 2 g in water",
    "did not get any on my hand",
    "if it boiled over, start again",
    "the cake cracked, pressed it flat",
    "capillary broke, took another",
    "beads settle at once",
    "needles fill half",
    "bath 45 °C, hood",
]


def found(words, step="s1"):
    page = page_of(procedure=ETHER)
    payload = understand(f"note {words}", page, step, TECHNIQUES).payload
    page.append(Entry(UUID(int=9), 2, payload, None, "", "Ida", NOON))
    return {f.code: f for f in work_out(page, None, TECHNIQUES).findings if f.code.startswith("noted-")}


@pytest.mark.parametrize(("words", "code"), TELLS, ids=[words for words, _ in TELLS])
def test_what_a_note_tells_of(words, code):
    finding = found(words)[code]
    # What the note says may name somebody: the finding, which stands on the board, does not repeat it.
    assert "step 1" in finding.what and words not in finding.what
    assert finding.because and finding.do
    if finding.level == "stop":
        assert "qualified person" in finding.do


@pytest.mark.parametrize("words", QUIET)
def test_what_only_sounds_like_it_is_quiet(words):
    assert found(words) == {}


def test_every_row_is_tried():
    assert {row.code for row in TOLD} == {code for _, code in TELLS}


def test_a_flame_is_said_where_something_flammable_stands():
    water = ETHER.model_copy(update={"substances": (ETHER.substances[0],)})
    says = "note heated with the burner"
    assert "noted-flame" in [f.code for f in sheet_of(says, procedure=ETHER).findings]
    assert "noted-flame" not in [f.code for f in sheet_of(says, procedure=water).findings]


def test_what_the_procedure_sends_to_the_sink_is_no_mishap():
    sink = ETHER.model_copy(
        update={"steps": (*ETHER.steps, Step(id="s3", kind="discard", says="Pour it down the sink"))}
    )
    assert "noted-sink" not in noted_at("poured down the sink", "s3", sink)
    assert "noted-sink" in noted_at("poured down the sink", "s1", sink)


def noted_at(words, step, procedure):
    return {f.code for f in sheet_of(Noted(words=words, step=step), procedure=procedure).findings}


@pytest.mark.parametrize(
    ("eluent", "words", "said"),
    [
        ("hexane : ethyl acetate 4 : 1", "dried it over the burner", True),
        ("water : ammonia 9 : 1", "dried it over the burner", False),
        ("water : ammonia 9 : 1", "stain splashed on my hand", True),
        ("hexane : ethyl acetate 4 : 1", "spots look lighter", False),
    ],
)
def test_the_notes_of_a_plate_are_read_too(eluent, words, said):
    page = Writing()
    page.eluent(eluent)
    page.add(PlateNoted(words=words))
    assert any(one.code.startswith("noted-") for one in page.sheet.findings) == said


def test_one_mishap_is_said_once_for_a_step():
    sheet = sheet_of("note it bumped", "note bumped again", procedure=ETHER)
    assert [f.code for f in sheet.findings].count("noted-bumped") == 1
