"""Eluents as people write them."""

import pytest
from hypothesis import given
from hypothesis import strategies as st
from pydantic import ValidationError

from helvor.core.laws.planar.eluent import Eluent, EluentComponent, parse_eluent
from helvor.core.quantities.reading import Unreadable

READ = [
    # written, names, of 100, smallest whole numbers, as a solution
    ("hexane : ethyl acetate 95 : 5", "hexane : ethyl acetate", "95 : 5", "19 : 1", "5 % ethyl acetate in hexane"),
    ("hexane/ethyl acetate 4/1", "hexane : ethyl acetate", "80 : 20", "4 : 1", "20 % ethyl acetate in hexane"),
    ("4:1 hexane:ethyl acetate", "hexane : ethyl acetate", "80 : 20", "4 : 1", "20 % ethyl acetate in hexane"),
    ("hexane–ethyl acetate (4:1, v/v)", "hexane : ethyl acetate", "80 : 20", "4 : 1", "20 % ethyl acetate in hexane"),
    (
        "a 4:1 mixture of hexane and ethyl acetate",
        "hexane : ethyl acetate",
        "80 : 20",
        "4 : 1",
        "20 % ethyl acetate in hexane",
    ),
    (
        "hexane and ethyl acetate in the ratio 4 to 1",
        "hexane : ethyl acetate",
        "80 : 20",
        "4 : 1",
        "20 % ethyl acetate in hexane",
    ),
    ("20 % acetone in toluene", "acetone : toluene", "20 : 80", "1 : 4", "20 % acetone in toluene"),
    (
        "7.6 mL hexane + 0.4 mL ethyl acetate",
        "hexane : ethyl acetate",
        "95 : 5",
        "19 : 1",
        "5 % ethyl acetate in hexane",
    ),
    (
        "hexane 7.6 mL + ethyl acetate 400 µL",
        "hexane : ethyl acetate",
        "95 : 5",
        "19 : 1",
        "5 % ethyl acetate in hexane",
    ),
    (
        "hexane : ethyl acetate 7.6 mL + 0.4 mL",
        "hexane : ethyl acetate",
        "95 : 5",
        "19 : 1",
        "5 % ethyl acetate in hexane",
    ),
    ("7.6 mL + 0.4 mL", "solvent A : solvent B", "95 : 5", "19 : 1", "5 % solvent B in solvent A"),
    ("2-propanol/water 7/3", "2-propanol : water", "70 : 30", "7 : 3", "30 % water in 2-propanol"),
    ("1,4-dioxane : water 9 : 1", "1,4-dioxane : water", "90 : 10", "9 : 1", "10 % water in 1,4-dioxane"),
    ("water", "water", "", "", "water"),
    ("60 % methanol + 40 % water", "methanol : water", "60 : 40", "3 : 2", "40 % water in methanol"),
    (
        "5 % ethyl acetate, 1 % acetic acid in hexane",
        "ethyl acetate : acetic acid : hexane",
        "5 : 1 : 94",
        "5 : 1 : 94",
        "5 % ethyl acetate, 1 % acetic acid in hexane",
    ),
    (
        "acetone : 6 M hydrochloric acid : water 86 : 8 : 6",
        "acetone : 6 M hydrochloric acid : water",
        "86 : 8 : 6",
        "43 : 4 : 3",
        "8 % 6 M hydrochloric acid, 6 % water in acetone",
    ),
]


@pytest.mark.parametrize(("written", "names", "percents", "ratio", "solution"), READ)
def test_every_form_comes_to_the_same_parts_and_is_shown_both_ways(written, names, percents, ratio, solution):
    eluent = parse_eluent(written)
    assert (eluent.names, eluent.as_percents, eluent.as_ratio, eluent.as_solution) == (names, percents, ratio, solution)


REFUSED = [
    ("", "Enter an eluent, such as hexane : ethyl acetate"),
    ("hexane : ethyl acetate", "is not clear: enter hexane : ethyl acetate"),
    ("20 ethyl acetate in hexane", "is not clear: enter hexane : ethyl acetate"),
    ("hexane ethyl acetate 4:1", "1 solvent but 2 parts"),
    ("a : b : c 4 : 1", "3 solvents but 2 parts"),
    ("7.6 mL hexane + 0.4", "has no unit: enter"),
    ("7.6 mL hexane + ethyl acetate", "has no volume"),
    ("7.6 mL hexane", "one volume"),
    ("120 % a in b", "nothing is left for b"),
    ("20 % acetone", "has no main solvent: enter"),
    ("acetone, 20 % b in c", "% ethyl acetate in hexane"),
    ("a : b 0 : 1", "zero"),
    ("a : A 1 : 1", "entered twice"),
    ("a : b : c : d : e : f : g 1:1:1:1:1:1:1", "at most 6"),
    ("a" * 130, "120 characters"),
]


@pytest.mark.parametrize(("written", "sentence"), REFUSED)
def test_what_is_missing_is_said(written, sentence):
    with pytest.raises(Unreadable, match=sentence):
        parse_eluent(written)


@given(st.lists(st.integers(1, 99), min_size=2, max_size=4))
def test_parts_always_add_up_to_a_hundred_and_keep_their_proportions(parts):
    names = ["hexane", "ethyl acetate", "methanol", "water"][: len(parts)]
    eluent = parse_eluent(f"{' : '.join(names)} {' : '.join(map(str, parts))}")
    assert sum(c.percent for c in eluent.components) == pytest.approx(100)
    assert [c.percent / eluent.components[0].percent for c in eluent.components] == pytest.approx(
        [part / parts[0] for part in parts]
    )


@given(st.text(max_size=60))
def test_any_text_is_understood_or_refused_but_never_breaks(text):
    try:
        eluent = parse_eluent(text)
    except (Unreadable, ValidationError):
        return
    assert Eluent.model_validate_json(eluent.model_dump_json()) == eluent


def test_an_eluent_that_does_not_add_up_is_no_eluent():
    with pytest.raises(ValidationError, match="add up to 100"):
        Eluent(written="x", components=(EluentComponent(name="a", percent=40), EluentComponent(name="b", percent=50)))
