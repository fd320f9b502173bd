"""Short typed readings in bench words."""

import pytest
from hypothesis import given
from hypothesis import strategies as st

from helvor.core.engine.run.reading_line import complete, understand
from helvor.core.quantities.reading import Unreadable
from tests.core.runs import POWDER, page_of

PAGE = page_of("dish 32.514", "beaker + watch glass 61.204", procedure=POWDER)


@pytest.mark.parametrize(
    ("text", "fields"),
    [
        ("dish 32.516", {"container": ("dish",), "state": "empty", "portion": "", "way": "gross"}),
        ("dish powder 35.520", {"container": ("dish",), "state": "as is", "portion": "powder"}),
        ("Dish POWDER 35,52 g", {"container": ("dish",), "portion": "powder"}),
        ("dish wet beads 35.5", {"portion": "wet beads", "state": "as is"}),
        ("dish beads wet 35.5", {"portion": "beads", "state": "wet"}),
        ("dish beads dried 33.506", {"state": "dried", "round": 1}),
        ("dish beads dried 4 33.506", {"state": "dried", "round": 4}),
        ("dish damp 32.6", {"state": "empty, damp"}),
        ("beaker + watch glass salt dried 62.2", {"container": ("beaker", "watch glass"), "portion": "salt"}),
        ("vial 7 new brown oil 12.345", {"container": ("vial 7",), "portion": "brown oil"}),
        ("beaker A new chalk 68.2", {"container": ("beaker A",), "portion": "chalk"}),
        ("dish 3 + paper 2 new sand 33000 mg", {"container": ("dish 3", "paper 2"), "portion": "sand"}),
        ("net salt 1.312", {"way": "net", "portion": "salt"}),
        ("take mixed powder 3.02 g", {"substance": "mixed powder"}),
        ("take mixed powder 15.214 to 12.203", {"substance": "mixed powder", "amount": None}),
        ("take water 30 mL", {"substance": "water"}),
        ("take zinc 0.8 g instead magnesium", {"substance": "zinc", "instead": "magnesium"}),
        ("vol salt solution 48.5", {"portion": "salt solution"}),
        ("use sand bath for hotplate", {"kit": "hotplate", "instead": "sand bath"}),
        ("use cylinder instead of pipette", {"kit": "pipette", "instead": "cylinder"}),
        ("done 4", {"step": "s4", "how": "done"}),
        ("skip 5 no time", {"step": "s5", "how": "skipped", "why": "no time"}),
        ("timer 20 oven", {"minutes": 20.0, "label": "oven"}),
        ("timer 12,5 min", {"minutes": 12.5}),
        ("note white fumes", {"words": "white fumes"}),
    ],
)
def test_what_is_understood(text, fields):
    payload = understand(text, PAGE).payload
    assert {name: getattr(payload, name) for name in fields} == fields


def test_the_next_drying_is_numbered_by_itself():
    page = page_of("dish 32.514", "dish beads dried 33.6", "dish beads dried 33.5", procedure=POWDER)
    assert understand("dish beads dried 33.5", page).payload.round == 3
    assert understand("beaker beads dried 33.5", page).payload.round == 1


@pytest.mark.parametrize(
    ("text", "says"),
    [
        ("", "Enter a reading, such as dish"),
        ("dish", "is not clear: enter a container, its contents and a mass, such as dish"),
        ("dish powder", "is not clear: enter a container, its contents and a mass, such as dish"),
        ("dish −3.2", "below zero"),
        ("dish nan", "is not clear: enter a container, its contents and a mass, such as dish"),
        ("dish 1e400", "is not a realistic size: check the digits and the unit"),
        ("dish 1,234", "weighed 32.514 g empty before: is 1.234 g the same one"),
        ("vol salt solution 1,234", "could be 1.234 or 1234"),
        ("dish powder empty 35.5", "and the content powder contradict each other: remove one"),
        ("dish wet 35.5", "Enter what is in dish: powder, residue, camphor vapour, salt"),
        ("dish 35.5 kPa", "is not clear: enter a container, its contents and a mass, such as dish"),
        ("take 3 g", "Enter the substance and its amount, for example: take potassium"),
        ("take salt 12.2 to 15.2", "The container cannot be heavier after removing some: exchange before"),
        ("take salt 3", "is not an amount with a unit: write"),
        ("take salt 1 2 3", "is not an amount: enter it with its unit, such as"),
        ("done 99", "There is no step 99"),
        ("skip 4", "Enter the step and the reason, for example: skip"),
        ("timer soon", "Enter the minutes, for example: timer"),
        ("timer 999999", "less than or equal"),
        ("vol 3", "Enter the portion and its volume, for example: vol filtrate"),
        ("note", "Enter what you saw, or choose a word"),
        ("dish + dish powder 3.2", "Enter each container once"),
        ("new " + "x" * 60 + " 3.2", "at most 40"),
    ],
)
def test_what_cannot_be_is_said_in_a_sentence(text, says):
    with pytest.raises(Unreadable, match=says):
        understand(text, PAGE)


@given(st.text(max_size=60))
def test_anything_typed_is_understood_or_refused(text):
    try:
        understood = understand(text, PAGE)
    except Unreadable as refused:
        assert str(refused)
    else:
        assert understood.says


def test_words_are_offered():
    assert complete("d", PAGE)[0] == "dish"
    assert "powder" in complete("dish p", PAGE)
    assert "mixed powder" in complete("take m", PAGE)
    assert complete("beaker ", PAGE)[:1] == ["powder"]
    assert complete("skip 1", PAGE) == ["10", "11", "12", "13", "14", "15"][:6]
