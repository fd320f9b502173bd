"""What people call things: known, meant, asked about; never made by accident."""

import pytest
from hypothesis import example, given
from hypothesis import strategies as st

from helvor.core.engine.run.reading_line import understand
from helvor.core.quantities.reading import Unreadable
from helvor.core.record.alike import near, plain
from helvor.core.record.procedure import Procedure, Step
from helvor.core.record.typed_line import NotSure
from helvor.core.techniques.registered import TECHNIQUES
from helvor.shelf.procedures import shipped_procedure
from tests.core.runs import codes, page_of, sheet_of

POWDER = page_of(procedure=shipped_procedure("a-mixed-powder"))
IRON = page_of(procedure=shipped_procedure("colours-of-iron"))
BLANK = page_of()
SALTED = page_of("dish 3 32.514", "dish 3 salt 33.120")


def read(line, page=POWDER, step=""):
    return understand(line, page, step, TECHNIQUES)


@pytest.mark.parametrize(
    ("line", "page", "step", "container", "portion"),
    [
        ("dish POWDER 35.520", POWDER, "", "dish", "powder"),
        ("Dish: powder 35.520", POWDER, "", "dish", "powder"),
        ("dish: 32.514", POWDER, "", "dish", ""),
        ("dish 3: 32.514", POWDER, "", "dish 3", ""),
        ("dish mixture 54.964", POWDER, "s2", "dish", "powder"),  # the step weighs one portion in the dish
        ("dish stuff 34.5", POWDER, "s5", "dish", "residue"),
        ("flask ferrocene dried 61.392", IRON, "", "flask", "ferrocene, dry"),
        ("flask dry acetylferrocene 61.392", IRON, "", "flask", "acetylferrocene, dry"),
        ("dish new mixture 54.964", POWDER, "", "dish", "mixture"),
        ("new cold finger 40.1", POWDER, "", "cold finger", ""),
        ("SM-7 40.118", POWDER, "", "SM-7", ""),
        ("beaker 2 sludge 40.118", BLANK, "", "beaker 2", "sludge"),
        ("dish 3 sand 33.9", SALTED, "", "dish 3", "sand"),
        ("lid 12.1", POWDER, "", "lid", ""),
        ("dish 4 sample 2 33.9", page_of("dish 3 32.514", "dish 3 sample 1 33.120"), "", "dish 4", "sample 2"),
        ("beaker filtrate B 33.9", page_of("dish filtrate A 33.120"), "", "beaker", "filtrate B"),
    ],
)
def test_a_name_that_is_known_or_meant_is_taken(line, page, step, container, portion):
    said = read(line, page, step).payload
    assert (" + ".join(said.container), said.portion) == (container, portion)


def test_what_was_called_otherwise_is_shown_before_it_is_written():
    assert "(“mixture”)" in read("dish mixture 54.964", step="s2").says


ASKED = [
    # a portion that no step gives
    ("dish mixture 54.964", POWDER, "residue or camphor vapour|powder", "dish powder 54.964"),
    ("beaker + watch glass sand dried 62.2", POWDER, "No step produces “sand”", "beaker + watch glass salt dried 62.2"),
    ("dish bead 33.5", POWDER, "Enter", "dish beads 33.5"),
    ("net powdr 1.312", POWDER, "Enter powder", "net powder 1.312"),
    ("vol salt soluton 48.5", POWDER, "Enter salt solution", "vol salt solution 48.5"),
    ("dish 3 slat 33.120", SALTED, "Enter salt", "dish 3 salt 33.120"),
    # a container that is none
    ("papr 0.955", POWDER, "is no container here", "paper 0.955"),
    ("tempreature 45", POWDER, "is no container here", ""),
    ("bech 3 powder 33.1", POWDER, "is no container here", ""),
    ("tke water 30", POWDER, "the command", "take 30"),
    ("beakr A powder 68.2", POWDER, "is no container here", ""),
]


@pytest.mark.parametrize(("line", "page", "says", "answer"), ASKED)
def test_what_is_not_known_is_asked_with_lines_that_answer(line, page, says, answer):
    with pytest.raises(NotSure, match=says) as asked:
        read(line, page)
    assert not answer or answer in asked.value.lines, asked.value.lines


@pytest.mark.parametrize("line", [one[0] for one in ASKED if one[3] and not one[3].startswith("take")])
def test_every_answer_that_is_offered_is_understood(line):
    page = next(one[1] for one in ASKED if one[0] == line)
    with pytest.raises(NotSure) as asked:
        read(line, page)
    for answer in asked.value.lines:
        assert read(answer, page).payload


@pytest.mark.parametrize(
    ("line", "says"),
    [
        ("strike dish 3", "No reading here is called"),
        ("undo", "no reading to take back"),
        ("delete 4", "No reading here is called"),
        ("help", "Press ?"),
        ("level 5", "plate’s page"),
        ("front: 80", "container|plate"),
        ("front 80", "plate’s page"),
    ],
)
def test_words_of_command_are_never_vessels(line, says):
    with pytest.raises(Unreadable, match=says):
        read(line)


@pytest.mark.parametrize(
    ("line", "minutes", "label"),
    [
        ("timer 20 oven", 20, "oven"),
        ("timer 1 h", 60, ""),
        ("timer 1.5h reflux", 90, "reflux"),
        ("timer 2 hours in the oven", 120, "in the oven"),
        ("timer 30 s swirl", 0.5, "swirl"),
        ("timer 5 min", 5, ""),
        ("timer 10 settle", 10, "settle"),
    ],
)
def test_a_timer_takes_hours_minutes_and_seconds(line, minutes, label):
    said = read(line).payload
    assert (said.minutes, said.label) == (pytest.approx(minutes), label)


def test_a_run_that_gives_no_portion_takes_any_name():
    page = page_of(procedure=Procedure(title="x", steps=[Step(id="s1", kind="weigh")]))
    assert read("dish 2 grit 40.1", page).payload.portion == "grit"


@example("0 0¹")  # a raised figure is no digit
@given(st.text(max_size=40))
def test_any_text_is_understood_asked_or_refused(text):
    try:
        read(text)
    except Unreadable as unreadable:
        assert str(unreadable)


@given(st.sampled_from(["salt solution", "benzocaine crystals", "ferrocene, dry", "wet beads"]), st.randoms())
def test_a_name_is_the_same_in_any_order_and_capitals(name, random):
    words = name.replace(",", "").split()
    random.shuffle(words)
    assert plain(" ".join(words).upper()) == plain(name)
    assert near(name, [name]) == [name]


@pytest.mark.parametrize(
    ("line", "substance", "amount"),
    [
        ("take 1 M sodium hydroxide 15 mL", "1 M sodium hydroxide", "15 mL"),
        ("take 10 % sodium carbonate 20 mL", "10 % sodium carbonate", "20 mL"),
        ("take 15 mL water", "water", "15 mL"),
        ("take 15 mL of ethyl acetate", "ethyl acetate", "15 mL"),
        ("take 2.05 g mixed powder", "mixed powder", "2.05 g"),
        ("take mixed powder 3.02 g", "mixed powder", "3.02 g"),
    ],
)
def test_an_amount_may_stand_before_or_behind_and_a_strength_belongs_to_the_name(line, substance, amount):
    said = read(line).payload
    assert (said.substance, str(said.amount)) == (substance, amount)


@pytest.mark.parametrize("line", ["dish bead 34.5", "glass beads 33.5", "salt 33.5"])
def test_another_portions_name_is_asked_about_even_where_a_step_waits_for_one(line):
    with pytest.raises(NotSure):
        read(line, step="s5")


@pytest.mark.parametrize(
    "lines", [("flask A 55.0", "flask A new red powder 56.392"), ("net new ferrocene powder 1.392",)]
)
def test_a_mass_in_a_wrong_place_is_mended_by_one_correction(lines):
    sheet = sheet_of(*lines, procedure=shipped_procedure("colours-of-iron"))
    found = next(finding for finding in sheet.findings if finding.code == "out-of-place")
    assert found.put is not None and found.put[1] == "ferrocene, dry"
    assert found.put[0] == sheet.run.weighings[-1].key


def test_a_mass_in_its_place_is_not_spoken_of():
    sheet = sheet_of(
        "flask A 55.0", "flask A ferrocene, dry dried 56.392", procedure=shipped_procedure("colours-of-iron")
    )
    assert "out-of-place" not in codes(sheet)
