"""The words of the house: trade words and decimal sign, on a page and in what was typed."""

from __future__ import annotations

import pytest
from hypothesis import given
from hypothesis import strategies as st

from helvor.core.record.house_rules import OF_A_PROCEDURE, HouseRules
from helvor.core.record.house_words import (
    TRADE,
    HouseWords,
    in_trade_words,
    page_in,
    with_decimal_comma,
    with_decimal_point,
)

AMERICAN, COMMA = HouseWords("american"), HouseWords(decimal_sign="comma")


@pytest.mark.parametrize(("british", "american"), TRADE)
def test_each_word_is_said_in_the_other_english(british, american):
    assert in_trade_words(f"The {british}.", "american") == f"The {american}."
    assert in_trade_words(british.capitalize(), "american") == american.capitalize()
    if american not in ("practice", "percent"):
        assert in_trade_words(f"the {american}", "british") == f"the {british}"


@pytest.mark.parametrize(
    ("text", "shown"),
    [
        ("0.43 ± 0.02", "0,43 ± 0,02"),
        ("−0.5 mm", "−0,5 mm"),
        ("1.5–2.5 g", "1,5–2,5 g"),
        ("at 10:05.", "at 10:05."),
        ("127.0.0.1", "127.0.0.1"),
        ("14.05.2026", "14.05.2026"),
        ("version 2.", "version 2."),
        ("v1.2", "v1.2"),
        ("CAS 64-17-5", "CAS 64-17-5"),
        ("heptane : ethyl acetate 4 : 1", "heptane : ethyl acetate 4 : 1"),
    ],
)
def test_a_decimal_comma_is_set_in_numbers_only(text, shown):
    assert with_decimal_comma(text) == shown


@pytest.mark.parametrize(
    ("typed", "meant"),
    [
        ("dish 3 salt 33,120", "dish 3 salt 33.120"),
        ("33,120g", "33.120g"),
        ("take salt 15,214 to 14,203", "take salt 15.214 to 14.203"),
        ("2,4-dinitrophenol 1,02 g", "2,4-dinitrophenol 1.02 g"),
        ("P 0,35, A 0,52", "P 0.35, A 0.52"),
        ("1,234,567", "1,234,567"),
        ("N,N-dimethylaniline", "N,N-dimethylaniline"),
        ("1,3,5-trioxane", "1,3,5-trioxane"),
        ("10, 20", "10, 20"),
        ("7.5", "7.5"),
    ],
)
def test_what_is_typed_with_a_comma_is_meant_with_a_point(typed, meant):
    assert with_decimal_point(typed) == meant


@given(st.decimals(min_value=0, max_value=10**6, places=3, allow_nan=False, allow_infinity=False))
def test_a_number_shown_and_typed_again_is_the_same(number):
    assert with_decimal_point(with_decimal_comma(f"dish {number:.3f} g")) == f"dish {number:.3f} g"


PAGE = (
    '<p class="x 1.5">In the hood: 1.5 g</p><input value="1.5 in the hood"><textarea>1.5 hood</textarea>'
    '<td translate="no"><s>the hood at 2.5</s> <b>hood</b></td><code>hood 3.5</code><script>let a = 0.5</script>'
    '<svg><path d="M0.5 1.5"/><text>0.25</text></svg><br>After: hood'
)


def test_a_page_is_read_in_the_words_of_the_house_and_what_was_typed_stays():
    assert page_in(AMERICAN, PAGE) == PAGE
    british = page_in(HouseWords(), PAGE)
    assert british == PAGE.replace("In the hood", "In the fume cupboard").replace("After: hood", "After: fume cupboard")
    comma = page_in(COMMA, PAGE)
    assert "1,5 g" in comma and ">0,25<" in comma and "at 2,5" in comma
    assert "<s>the hood at" in comma, "the words are somebody's"
    for kept in (
        'class="x 1.5"',
        'value="1.5 in the hood"',
        "1.5 hood</textarea>",
        "hood 3.5</code>",
        "a = 0.5",
        "M0.5 1.5",
    ):
        assert kept in comma


@given(st.text(alphabet="<>/ abp=\"'hood1.5", max_size=60))
def test_whatever_the_page_its_tags_and_length_of_words_are_kept(text):
    assert page_in(HouseWords(), text).replace("fume cupboard", "hood") == text


def test_the_house_chooses_and_a_procedure_does_not():
    assert HouseRules().house_words == HouseWords("british", "point")
    chosen = HouseRules({"trade-words": "american", "decimal-sign": "comma"})
    assert chosen.house_words == HouseWords("american", "comma")
    assert not {q.key for q in OF_A_PROCEDURE} & {"trade-words", "decimal-sign"}
