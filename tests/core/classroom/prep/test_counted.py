"""Scarce kit in words, as people say it."""

import pytest

from helvor.core.classroom.prep.counted import read_kit
from helvor.core.quantities.reading import Unreadable
from helvor.shelf.procedures import shipped_procedure

CHLORIDE = shipped_procedure("chloride-in-a-crucible")


@pytest.mark.parametrize(
    ("said", "meant"),
    [
        ("8 filter crucibles, 2 balances, 4 oven shelves", {"filter crucible": 8, "balance": 2, "oven": 4}),
        ("eight filter crucibles and only one desiccator", {"filter crucible": 8, "desiccator": 1}),
        ("2 x balance; 1 burette", {"balance": 2, "burette": 1}),
        ("3 Adapters.", {"adapter": 3}),
        ("4 beakers", {"beaker 250 mL": 4}),
        ("a spatula", {"spatula": 1}),
    ],
)
def test_it_is_known_by_the_names_that_the_steps_use(said, meant):
    assert read_kit(said, CHLORIDE) == meant


@pytest.mark.parametrize(
    ("said", "says"),
    [
        ("filter crucibles", "enter a number and a kind"),
        ("0 balances", "enter a number and a kind"),
        ("900 balances", "enter a number and a kind"),
        ("many balances", "enter a number and a kind"),
        ("8 filter crucibels", "enter filter crucible"),
        ("2 centrifuges", "No step uses “centrifuges”"),
    ],
)
def test_what_is_not_understood_is_said_and_nothing_is_counted(said, says):
    with pytest.raises(Unreadable, match=says):
        read_kit(f"2 balances, {said}", CHLORIDE)
