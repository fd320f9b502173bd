"""Possible causes, on whole runs: the demo's determinations of sulfate and its mixed powder."""

import pytest

from helvor.core.engine.plan.check_plan import check_plan
from helvor.core.engine.run import entries as e
from helvor.core.engine.run.reading_line import understand
from helvor.core.engine.run.work_out import work_out
from helvor.core.record.house_rules import HouseRules
from helvor.core.techniques.registered import TECHNIQUES
from helvor.demo.runs import SULFATE, determinations
from helvor.shelf.procedures import shipped_procedure
from tests.core.runs import CHALK, POWDER, codes, page_of, sheet_of

SALT = shipped_procedure("sulfate-in-garden-salt")


def carried_out(procedure, lines, rules=None):
    """A run from lines as the demo writes them: ``4: take …`` stands beside step 4."""
    says = []
    for line in lines:
        place, colon, text = line.partition(": ")
        step = procedure.steps[int(place) - 1].id if colon and place.isdigit() else ""
        says.append(understand(text if step else line, page_of(*says, procedure=procedure), step, TECHNIQUES).payload)
    return work_out(page_of(*says, procedure=procedure), rules, TECHNIQUES)


def top(sheet):
    return [(one.cause.code, one.cause.sign, one.cause.portion) for one in sheet.causes if one.cause.points]


@pytest.mark.parametrize(
    ("bench", "contents", "finding", "first"),
    [
        (1, (24.1, 24.1), "parallels-agree", None),
        (2, (24.0, 24.0), "parallels-agree", None),
        (4, (20.9, 21.0), "paper-air-dry", ("air-dry-paper", "loss", "barium sulfate B")),
        (6, (24.1, 22.5), "parallels-apart", ("ran-through", "loss", "barium sulfate B")),
    ],
)
def test_the_demos_determinations(bench, contents, finding, first):
    """Garden salt with 24.2 % sulfate: what each bench found, and what its record points to."""
    sheet = carried_out(SALT, SULFATE[bench])
    found = [part.value * 100 for _, part in sheet.ledger.components[0].contents]
    assert found == pytest.approx(contents, abs=0.06)
    assert finding in codes(sheet)
    assert not first or top(sheet)[0] == first or first in top(sheet)[:2]
    assert sheet.ledger.yields == []


def test_the_lower_of_two_determinations_has_a_gap_to_explain():
    sheet = carried_out(SALT, SULFATE[6])
    (gap,) = sheet.gaps
    assert (gap.portion, gap.against) == ("barium sulfate B", "compared with its duplicate, barium sulfate A")
    assert gap.missing.value == pytest.approx(0.0203, abs=0.001)


def test_what_dissolves_too_little_to_weigh_is_set_aside():
    negligible = {one.cause.code for one in carried_out(SALT, SULFATE[1]).causes if one.negligible}
    assert negligible == {"washed-away", "in-liquor"}


def test_a_failed_trial_is_a_finding_until_it_passes():
    base = determinations(
        ("0.842", "0.851", "0.838"), ("12.403", "11.891", "11.386"), (("1.104",), ("1.109",)), "0.800"
    )
    failed = [line if line != "7: tried no new cloud" else "7: tried it clouds again" for line in base]
    sheet = carried_out(SALT, failed)
    assert "not-complete" in codes(sheet)
    assert ("not-complete", "loss", "barium sulfate B") in top(sheet)
    assert "not-complete" not in codes(carried_out(SALT, [*failed, "7: tried no new cloud"]))


@pytest.mark.parametrize(
    ("school", "volume", "level"),
    [
        ("twice", "12.0 mL", None),
        ("twice", "6.0 mL", "note"),
        ("ten-percent", "6.0 mL", None),
        ("twice", "5.0 mL", "caution"),
    ],
)
def test_too_little_precipitant_is_seen_from_what_was_found(school, volume, level):
    """1.28 mmol of sulfate found in each; 12 mL hold 3.0 mmol of barium, 6 mL 1.5, 5 mL 1.25."""
    lines = [line.replace("12.0 mL", volume) if "take barium chloride" in line else line for line in SULFATE[1]]
    sheet = carried_out(SALT, lines, HouseRules({"precipitant-excess": school}))
    assert [f.level for f in sheet.findings if f.code == "little-precipitant"] == ([level] if level else [])


def test_one_slurry_that_passed_does_not_excuse_the_other():
    lines = [line if line != "6: tried no new cloud" else "6: tried it clouds again" for line in SULFATE[1]]
    sheet = carried_out(SALT, lines)
    (finding,) = [f for f in sheet.findings if f.code == "not-complete"]
    assert finding.what.endswith("for barium sulfate A.")
    assert "not-complete" not in codes(carried_out(SALT, [*lines, "8: tried no new cloud"]))


def test_water_weighs_nothing_in_a_product_that_holds_none():
    """100 mL of water taken is no excuse for more barium sulfate than salt and barium together."""
    lines = [line.replace("1.104", "3.900") for line in SULFATE[1]]
    assert "more-than-everything" in codes(carried_out(SALT, lines))


def test_products_left_unwashed_are_each_named_once():
    sheet = carried_out(SALT, [line for line in SULFATE[1] if ": wash " not in line])
    named = [one.cause.portion for one in sheet.causes if one.cause.code == "not-washed"]
    assert sorted(named) == ["barium sulfate A", "barium sulfate B"]


@pytest.mark.parametrize("note", ["rinsed the spatula", "stored overnight", "in spite of the heat", "broken up lumps"])
def test_words_that_only_look_like_a_loss_are_none(note):
    sheet = sheet_of(*FUMING, f"note {note}", procedure=POWDER)
    assert not [one for one in sheet.causes if any(note in point for point in one.cause.points)]


def test_a_part_given_in_vain_is_seen_when_planning():
    vain = SALT.model_copy(
        update={"components": (SALT.components[0].model_copy(update={"expressed": "NaCl", "carrier": ""}),)}
    )
    assert "expressed-in-vain" in [a.finding.code for a in check_plan(vain, HouseRules(), TECHNIQUES)]


def test_the_demos_procedures_hang_together():
    for name in ("sulfate-in-garden-salt", "a-mixed-powder", "chalk-from-two-solutions"):
        found = check_plan(shipped_procedure(name), HouseRules(), TECHNIQUES)
        assert not [a.finding.code for a in found if a.finding.level in ("stop", "caution")], name


FUMING = ("dish 41.306", "dish powder 44.312", "dish residue dried 43.400")


@pytest.mark.parametrize(
    ("more", "finding", "cause"),
    [
        ((), False, "nothing"),
        ((e.Tried(step="s3", trial="cold-glass", passed=False),), True, "deposit"),
        (
            (e.Tried(step="s3", trial="cold-glass", passed=False), e.Tried(step="s3", trial="cold-glass", passed=True)),
            False,
            "",
        ),
        (("dish residue dried 43.399",), False, ""),
    ],
)
def test_still_fuming_when_weighed(more, finding, cause):
    sheet = sheet_of(*FUMING, *more, procedure=POWDER)
    assert ("still-fuming" in codes(sheet)) == finding
    causes = [one.cause for one in sheet.causes if one.cause.code == "still-fuming"]
    assert bool(causes) == (more == () or len(more) != 1 or not isinstance(more[0], str))
    assert cause != "deposit" or "deposit" in causes[0].points[0]


def test_more_solid_than_all_that_went_in_is_a_stop():
    sheet = sheet_of(
        "beaker A 72.418",
        "take calcium chloride dihydrate 1.512 g",
        "take sodium carbonate 1.308 g",
        "beaker A chalk dried 76.000",
        procedure=CHALK,
    )
    assert "more-than-everything" in codes(sheet)


@pytest.mark.parametrize("note", ["some was spilt", "it spat when drying", "boiled over a little", "paper tore"])
def test_notes_that_tell_of_a_loss_are_evidence(note):
    sheet = sheet_of(*FUMING, f"note {note}", procedure=POWDER)
    seen = [one.cause for one in sheet.causes if any(note in point for point in one.cause.points)]
    assert [cause.sign for cause in seen] == ["loss"]


def test_causes_run_with_the_gap():
    """Above what is possible, gains come first; below it, losses do."""
    start = ("beaker A 72.418", "take calcium chloride dihydrate 1.512 g", "take sodium carbonate 1.308 g")
    over = sheet_of(*start, "beaker A chalk dried 73.600", procedure=CHALK)
    under = sheet_of(*start, "note some was spilt", "beaker A chalk dried 73.200", procedure=CHALK)
    assert over.causes[0].cause.sign == "gain"
    assert under.causes[0].cause.code == "spilt"


def test_a_still_losing_portion_says_how_much_of_the_gap_that_is():
    sheet = sheet_of(
        "beaker A 72.418",
        "take calcium chloride dihydrate 1.512 g",
        "take sodium carbonate 1.308 g",
        "beaker A chalk dried 73.702",
        "beaker A chalk dried 73.530",
        "beaker A chalk dried 73.470",
        procedure=CHALK,
    )
    one = next(one for one in sheet.causes if one.cause.code == "not-dry")
    assert one.cause.size == pytest.approx(0.03, abs=0.02)
    assert "of it" in one.fits
