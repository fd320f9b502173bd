"""Handouts as instructors write them, and what must be read from them: ``texts``, each with what it holds below ---."""

import contextlib
import json
import re
from difflib import SequenceMatcher
from functools import cache
from pathlib import Path

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from helvor.core.engine.plan.check_plan import check_plan
from helvor.core.handout.read import NO_STEP, NoHandout, read_handout
from helvor.core.handout.sentences import LONGEST, sentences_of
from helvor.core.handout.settle import SubstanceChoice, missing_steps, name_of, settled, with_missing_steps
from helvor.core.record.house_rules import HouseRules
from helvor.core.record.procedure import MAX_STEPS, procedure_from
from helvor.core.techniques.registered import STEP_KINDS, TECHNIQUES
from helvor.shelf.liquids import as_known
from helvor.shelf.shelf import shipped

TEXTS = sorted((Path(__file__).parent / "texts").glob("*.txt"))


def known(name):
    return as_known(name, shipped())


@cache
def handout(path):
    """The text, what it must hold, and what is read from it."""
    text, _, wanted = path.read_text(encoding="utf-8").partition("\n---\n")
    fields = dict(re.findall(r"^(\w+):\s*(.*)$", wanted, re.MULTILINE))
    return text, fields, read_handout(text, STEP_KINDS, known)


def listed(field):
    return [one.strip() for one in re.split(r"[;,](?=\s|$)", field) if one.strip()]


def amounts_of(path):
    """(right, wanted, missing) of the amounts: name, total, unit, and whether it is exact where that is said."""
    _, fields, read = handout(path)
    there = [one.substance for one in read.substances if one.substance.amount]
    missing = []
    wanted = [one.strip() for one in fields["amounts"].split(";") if one.strip()]
    for one in wanted:
        match = re.fullmatch(r"(.+?) ([\d.]+) (g|mL)(?: x(\d+))?(?: (exact|about))?", one)
        assert match, one
        name, value, unit, times, how = match.groups()
        total = float(value) * int(times or 1)
        found = next(
            (
                s
                for s in there
                if s.amount.unit == unit
                and abs(s.amount.value - total) < 1e-6
                and (name.casefold() in s.name.casefold() or s.name.casefold() in name.casefold())
                and (how != "exact" or s.exact)
                and (how != "about" or not s.exact)
            ),
            None,
        )
        if found is None:
            missing.append(one)
        else:
            there.remove(found)
    return len(wanted) - len(missing), len(wanted), missing


def kinds_of(path):
    """(right, wanted, wanted kinds, kinds read) in their order; what is read besides counts against it."""
    _, fields, read = handout(path)
    wanted = listed(fields["kinds"])
    got = [one.step.kind for one in read.steps]
    right = sum(block.size for block in SequenceMatcher(None, wanted, got, autojunk=False).get_matching_blocks())
    return right, max(len(wanted), len(got)), wanted, got


@pytest.mark.parametrize("path", TEXTS, ids=lambda path: path.stem)
def test_every_amount_is_read_and_nearly_every_step(path):
    """What is held to by the texts themselves; a share over all of them stands in the next test."""
    right, wanted, missing = amounts_of(path)
    assert right == wanted, missing
    hits, of, kinds, got = kinds_of(path)
    assert hits / of >= 0.85, (kinds, got)
    _, fields, read = handout(path)
    have = {one.step.celsius for one in read.steps}
    assert {float(one) for one in listed(fields.get("celsius", ""))} <= have


def test_over_all_handouts_nineteen_steps_in_twenty_are_of_the_right_kind():
    hits, of = (sum(column) for column in zip(*(kinds_of(path)[:2] for path in TEXTS), strict=True))
    assert len(TEXTS) >= 30 and hits / of >= 0.95, f"{hits} of {of}"


@pytest.mark.parametrize("path", TEXTS, ids=lambda path: path.stem)
def test_no_word_of_a_handout_is_lost(path):
    """Every word stands in a step, a caution, the aim, a question, a blank, a heading or the list of materials."""
    _, _, read = handout(path)
    kept = " ".join(
        (
            *(f"{one.step.says} {one.step.cautions}" for one in read.steps),
            *(s.text for s in read.sentences if re.search("heading|material|question|result", read.fate[s.number])),
            read.procedure.aim,
            read.procedure.hazards,
        )
    )
    there = set(re.findall(r"\w{4,}", kept.casefold()))
    for sentence in read.sentences:
        assert read.fate[sentence.number], sentence
        lost = set(re.findall(r"\w{4,}", sentence.text.casefold())) - there - {"then", "followed"}
        assert not lost, (sentence.text, lost)


@pytest.mark.parametrize("path", TEXTS, ids=lambda path: path.stem)
def test_its_questions_become_those_of_the_procedure(path):
    _, _, read = handout(path)
    whole = [text for text in dict.fromkeys(read.questions) if len(text) >= 6]
    assert [one.asks for one in read.procedure.questions] == whole[:20]


def test_some_handout_has_questions():
    assert sum(len(handout(path)[2].procedure.questions) for path in TEXTS) >= 5


@pytest.mark.parametrize("path", TEXTS, ids=lambda path: path.stem)
def test_what_is_read_is_a_procedure_that_can_be_checked(path):
    """The builder's findings run on it, it survives its own file, and every portion that is taken was given before."""
    _, _, read = handout(path)
    check_plan(read.procedure, HouseRules({}), TECHNIQUES)
    assert procedure_from(json.loads(read.procedure.model_dump_json())) == read.procedure
    given = set()
    for one in read.steps:
        assert {name.casefold() for name in (*one.step.takes, *filter(None, (one.step.on,)))} <= given, one.step
        given |= {name.casefold() for name in one.step.gives}


def test_a_kind_that_somebody_chooses_is_kept_and_words_of_no_step_go_on():
    text = "Dissolve 1.0 g of salt in 10 mL of water. Filter the solution. Weigh the filter."
    plain = read_handout(text, STEP_KINDS, known)
    assert [one.step.kind for one in plain.steps] == ["dissolve", "gravity filter", "weigh"]
    chosen = read_handout(text, STEP_KINDS, known, {2: "vacuum filter", 3: NO_STEP})
    assert [one.step.kind for one in chosen.steps] == ["dissolve", "vacuum filter"]
    assert "Weigh the filter" in chosen.steps[-1].step.says


@pytest.mark.parametrize(
    ("said", "kinds", "waste"),
    [
        ("The filtrate must not be discarded.", [], None),
        ("Never discard the filtrate before the solid is weighed.", [], None),
        ("Never add charcoal to boiling liquid, then filter.", ["gravity filter"], None),
        ("Filter, but do not wash the solid.", ["gravity filter"], None),
        ("Pour it into the waste bottle, not down the sink.", ["discard"], ""),
        ("Pour it into the solvent waste, never into the sink.", ["discard"], "solvents"),
        ("Pour it into the non-halogenated waste.", ["discard"], "solvents"),
        ("Pour it into the nonhalogenated waste.", ["discard"], "solvents"),
        ("Pour it into the halogenated waste.", ["discard"], "halogenated"),
        ("The lead residues go into the lead bottle.", ["discard"], "heavy metal"),
    ],
)
def test_what_is_not_to_be_done_is_no_step_and_no_bottle(said, kinds, waste):
    read = read_handout(f"Dissolve 1.0 g of salt in 20 mL of water. {said}", STEP_KINDS, known)
    assert [one.step.kind for one in read.steps] == ["dissolve", *kinds]
    if waste is not None:
        last = read.steps[-1]
        assert last.step.waste == waste and bool(last.doubts) == (waste == "")
    assert said.rstrip(".").split()[-1] in f"{read.steps[-1].step.says} {read.steps[-1].step.cautions}".casefold()


def test_a_comma_before_three_digits_is_asked_about():
    read = read_handout("Dissolve 1.0 g of salt in 1,500 mL of water. Filter.", STEP_KINDS, known)
    water = next(one for one in read.substances if one.substance.name == "water")
    assert str(water.substance.amount) == "1500 mL" and "could be 1.500" in water.doubts[0]
    read = read_handout("Dissolve 1,5 g of salt in 20 mL of water. Filter.", STEP_KINDS, known)
    assert str(read.substances[0].substance.amount) == "1.5 g" and not read.substances[0].doubts


def test_a_paper_weighed_after_the_filter_is_asked_about_and_taken_as_full():
    read = read_handout("Dissolve 1.0 g of salt in 20 mL of water. Filter. Weigh the paper.", STEP_KINDS, known)
    assert not read.steps[-1].step.empty and "Is it empty" in read.steps[-1].doubts[0]


def test_what_is_said_of_a_substance_stays_with_it_when_kinds_are_changed():
    text = "Grind 2.0 g of chalk. Dissolve 1.0 g of salt in 20 mL of water. Add 5 mL of 1 M sodium carbonate. Filter."
    plain = read_handout(text, STEP_KINDS, known)
    keys = {one.substance.name: one.key for one in plain.substances}
    changed = read_handout(text, STEP_KINDS, known, {1: NO_STEP, 2: "add"})
    said = {
        keys["chalk"]: SubstanceChoice("limestone", "2.10 g", exact=True),
        keys["water"]: SubstanceChoice("diethyl ether", "25 mL", exact=False),
        keys["1 M sodium carbonate"]: SubstanceChoice("", "", exact=False, kept=False),
    }
    procedure = settled(changed, "Mine {x}\x07", said, known)
    assert procedure.title == "Mine x"
    assert {s.name: str(s.amount) for s in procedure.substances} == {
        "limestone": "2.10 g",
        "salt": "1.0 g",
        "diethyl ether": "25 mL",
    }
    ether = procedure.substance("diethyl ether")
    assert ether.flammable and ether.layer == "organic", "a name put right is known again"
    assert "Grind 2.0 g of chalk" in procedure.steps[0].says, "words of no step go on with the next"


@pytest.mark.parametrize(
    "text",
    ["5 mL " * 7000, "wash with a " * 3000, "Add 5 mL of water and " * 1700, "(" * 39_000, "filter the paper " * 2300],
    ids=["amounts", "washes", "one sentence", "brackets", "words"],
)
def test_a_text_without_full_stops_is_cut(text):
    assert max(len(one.text) for one in sentences_of(text)) <= LONGEST
    with contextlib.suppress(NoHandout):
        read = read_handout(text[:6000], STEP_KINDS, known)
        assert len(read.steps) <= MAX_STEPS


@pytest.mark.parametrize(
    ("filters", "dries"),
    [
        ("Filter with suction.", "Dry the paper with the chalk at 110 °C and weigh."),
        ("Filter through a filter paper.", "Dry the paper at 100 °C. Weigh the paper with the solid."),
        ("Filter through the crucible with suction.", "Dry the crucible at 110 °C, cool and weigh it."),
    ],
)
def test_the_tare_that_a_handout_forgets_comes_before_the_paper_is_wet(filters, dries):
    text = f"Dissolve 1.0 g of salt in 20 mL of water. Add 5 mL of 1 M sodium carbonate. {filters} {dries}"
    procedure = read_handout(text, STEP_KINDS, known).procedure
    names = [name_of(one) for one in missing_steps(procedure, HouseRules({}), TECHNIQUES)]
    whole = with_missing_steps(procedure, names, HouseRules({}), TECHNIQUES)
    tare = next(n for n, step in enumerate(whole.steps) if step.empty)
    wet = next(n for n, step in enumerate(whole.steps) if "filter" in step.kind)
    assert tare < wet, [step.says for step in whole.steps]


@pytest.mark.parametrize(
    ("text", "sentence"),
    [
        ("", "Paste the text"),
        ("  \n ", "Paste the text"),
        ("x" * 50_000, "at most"),
        ("The history of filtration is long.", "Nothing in this text says what to do"),
    ],
)
def test_what_is_no_handout_is_refused(text, sentence):
    with pytest.raises(NoHandout, match=sentence):
        read_handout(text, STEP_KINDS, known)


@given(st.text(max_size=400))
@settings(max_examples=150, deadline=None)
def test_any_text_is_read_or_refused(text):
    with contextlib.suppress(NoHandout):
        read = read_handout(text, STEP_KINDS, known)
        assert all(sentence.number in read.fate for sentence in read.sentences)


WORDS = st.sampled_from(
    [
        "Weigh",
        "Filter",
        "Add",
        "Wash",
        "2",
        "g",
        "10",
        "mL",
        "of",
        "water",
        "salt",
        "the",
        "(",
        ")",
        "×",
        "3",
        "portions",
        "until",
        "at",
        "110",
        "°C",
        ";",
        ",",
        ".",
        "and",
        "then",
        "it",
        "(2",
        "×",
        "5",
        "mL)",
        "ether",
        "overnight",
        "crystals",
        "TLC",
        "plate",
        "layer",
        "funnel",
        "{x}",
        ":",
        "?",
        "_____",
        "1)",
        "•",
        "Waste",
    ]
)


@given(st.lists(WORDS, max_size=40).map(" ".join))
@settings(max_examples=200, deadline=None)
def test_any_words_of_the_trade_are_read_or_refused(text):
    with contextlib.suppress(NoHandout):
        read = read_handout(text, STEP_KINDS, known)
        check_plan(read.procedure, HouseRules({}), TECHNIQUES)
