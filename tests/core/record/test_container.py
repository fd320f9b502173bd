"""Containers: what the notes add up to."""

from datetime import UTC, datetime

import pytest
from pydantic import ValidationError

from helvor.core.record.container import NOTES, Filled, MadeUp, Moved, Note, Tared, fold

NOW = datetime(2026, 3, 2, tzinfo=UTC)


def now(*says):
    return fold("K7QX", "dish 3", "dish", [Note(one, "Ida", NOW) for one in says])


def test_the_newest_note_of_each_sort_holds():
    dish = now(Tared(mass="31.062 g"), Filled(content="salt", bench=4), Moved(place="oven"), Tared(mass="31.070 g"))
    assert (str(dish.tare.mass), dish.content, dish.bench, dish.place) == ("31.070 g", "salt", 4, "oven")
    assert dish.drift == pytest.approx(0.008)


def test_a_bottle_emptied_has_no_concentration():
    made = MadeUp(substance="soda", formula="Na2CO3", mass="5.3 g", volume="250 mL")
    assert now(made).solution is made
    assert now(made).content == "soda"
    assert now(made, Filled()).solution is None


@pytest.mark.parametrize(
    ("says", "message"),
    [
        (
            {"kind": "made-up", "substance": "x", "formula": "", "mass": "1 g", "volume": "1 L"},
            "formula: Enter the formula with its water of",
        ),
        ({"kind": "made-up", "substance": "x", "formula": "NaCl", "mass": "0 g", "volume": "1 L"}, "above 0"),
        ({"kind": "made-up", "substance": "x", "formula": "salt", "mass": "1 g", "volume": "1 L"}, "not a formula"),
        ({"kind": "tared", "mass": "3"}, "has no unit"),
        ({"kind": "eaten"}, "does not match any of the expected tags"),
    ],
)
def test_a_note_that_cannot_be_is_refused(says, message):
    with pytest.raises(ValidationError, match=message):
        NOTES.validate_python(says)
