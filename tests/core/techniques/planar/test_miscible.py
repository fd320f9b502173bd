"""Eluents that stand in two layers."""

import pytest

from helvor.core.laws.planar.eluent import parse_eluent
from helvor.core.quantities.reading import Unreadable
from helvor.core.techniques.planar.calculators import RecipeIn, eluent_recipe
from helvor.core.techniques.planar.miscible import two_layers
from helvor.core.techniques.planar.work_out import work_out
from tests.core.plates import Writing


@pytest.mark.parametrize(
    ("eluent", "apart"),
    [
        ("water : heptane 1 : 1", "heptane"),
        ("toluene : water 80 : 20", "toluene"),
        ("hexane : ethyl acetate : water 6 : 3 : 1", "hexane"),
        # They mix, something holds them together, or what there is of water is dissolved.
        ("hexane : ethyl acetate 4 : 1", None),
        ("water : methanol 1 : 1", None),
        ("butan-1-ol : acetic acid : water 4 : 1 : 1", None),
        ("acetone : 6 M hydrochloric acid : water 86 : 8 : 6", None),
        ("ethyl acetate : water 97 : 3", None),
        ("water : ammonia 9 : 1", None),
        ("something : water 1 : 1", None),
    ],
)
def test_solvents_that_do_not_mix_are_named(eluent, apart):
    found = two_layers(parse_eluent(eluent))
    assert found == (("water", apart) if apart else None)


def test_a_recipe_is_refused_with_what_to_enter():
    with pytest.raises(Unreadable, match="Water and heptane do not mix: enter solvents that mix"):
        eluent_recipe(RecipeIn(eluent="water : heptane 1 : 1", ml=10))
    assert len(eluent_recipe(RecipeIn(eluent="water : methanol 1 : 1", ml=10))) == 2


@pytest.mark.parametrize(("eluent", "said"), [("water : heptane 1 : 1", True), ("hexane : ethyl acetate 4 : 1", False)])
def test_a_plate_run_in_two_layers_says_so(eluent, said):
    page = Writing()
    page.eluent(eluent)
    page.front("80.0")
    found = [one for one in work_out(page.entries).findings if one.code == "eluent-two-layers"]
    assert bool(found) == said
    assert not said or "stands in two layers" in found[0].what
