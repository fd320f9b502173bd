"""Where it may have gone, on whole runs: the demo's determinations of sulfate and its mixed powder."""

import pytest

from helvor.bench.house_rules import HouseRules
from helvor.bench.plan.judge import judge_plan
from helvor.bench.run import entries as e
from helvor.bench.run.reading_line import understand
from helvor.bench.run.work_out import work_out
from helvor.bench.techniques import CRAFTS
from helvor.demo.runs import SULFATE, determinations
from tests.bench.runs import CHALK, POWDER, codes, demo_procedure, page_of, sheet_of

SALT = demo_procedure("sulfate-in-garden-salt")


def carried_out(procedure, lines, rules=None):
    """A run from lines as the demo writes them: ``4: take …`` stands beside step 4."""
    says = []
    for line in lines:
        place, colon, text = line.partition(": ")
        step = procedure.steps[int(place) - 1].id if colon and place.isdigit() else ""
        says.append(understand(text if step else line, page_of(*says, procedure=procedure), step, CRAFTS).payload)
    return work_out(page_of(*says, procedure=procedure), rules, CRAFTS)


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
    assert (gap.portion, gap.against) == ("barium sulfate B", "against its parallel, barium sulfate A")
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


def test_too_little_precipitant_is_seen_from_what_was_found():
    lines = [
        line.replace("12.0 mL", "5.0 mL") if "barium chloride" in line and "take" in line else line
        for line in SULFATE[1]
    ]
    assert "little-precipitant" in codes(carried_out(SALT, lines))
    assert "little-precipitant" not in codes(carried_out(SALT, SULFATE[1]))
    assert "little-precipitant" not in codes(
        carried_out(SALT, lines, HouseRules({"precipitant-excess": "stoichiometric"}))
    ) or "All the precipitant" in " ".join(f.because for f in carried_out(SALT, lines).findings)


def test_the_demos_procedures_hang_together():
    for name in ("sulfate-in-garden-salt", "a-mixed-powder", "chalk-from-two-solutions"):
        found = judge_plan(demo_procedure(name), HouseRules(), CRAFTS)
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
        "beaker A 72.418", "take calcium chloride dihydrate 1.512 g", "take sodium carbonate 1.308 g",
        "beaker A chalk dried 76.000", procedure=CHALK,
    )  # fmt: skip
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
        "beaker A 72.418", "take calcium chloride dihydrate 1.512 g", "take sodium carbonate 1.308 g",
        "beaker A chalk dried 73.702", "beaker A chalk dried 73.530", "beaker A chalk dried 73.470", procedure=CHALK,
    )  # fmt: skip
    one = next(one for one in sheet.causes if one.cause.code == "not-dry")
    assert one.cause.size == pytest.approx(0.03, abs=0.02)
    assert "of it" in one.fits
