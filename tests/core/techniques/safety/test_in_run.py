"""Safety in a run: judged on what is really used, and on what only the record can show."""

import pytest

from helvor.core.engine.run.entries import StepAdded
from helvor.core.engine.run.record import BLANK
from helvor.core.engine.run.work_out import work_out
from helvor.core.record.house_rules import HouseRules
from helvor.core.record.procedure import Step, procedure_from
from helvor.core.techniques.registered import TECHNIQUES
from helvor.core.techniques.safety.catalogue import RUN_ONLY
from helvor.shelf.procedures import shipped_procedure
from tests.core.techniques.extraction.test_runs import typed
from tests.core.techniques.safety.test_rules import liquid, step

CLEAN = shipped_procedure("acetanilide-made-clean")
IRON = shipped_procedure("colours-of-iron")
WARMED = procedure_from(
    {
        "title": "Warmed",
        "substances": [liquid("water"), liquid("ethanol")],
        "steps": [
            {"id": "s1", **step("add", ["ethanol"], gives=["x"])},
            {"id": "s2", **step("heat", on="x", kit=["water bath", "beaker"])},
            {"id": "s3", **step("discard", on="x", waste="solvents")},
        ],
    }
)


def told(*lines, procedure=WARMED, rules=None):
    found = work_out(typed(*lines, procedure=procedure), HouseRules(rules or {}), TECHNIQUES).findings
    return {finding.code: finding for finding in found}


@pytest.mark.parametrize(
    ("lines", "code", "level"),
    [
        (("2: use Bunsen burner for water bath",), "flame-near-solvent", "stop"),
        (("done 1", "2: use hotplate for water bath"), "solvent-on-hotplate", "caution"),
        (("2: note no bath free, warmed it over the spirit lamp",), "flame-near-solvent", "stop"),
        (
            ("1: take ethanol 20 mL instead diethyl ether", "done 1", "2: use hotplate for water bath"),
            "solvent-on-hotplate",
            "stop",
        ),
    ],
)
def test_what_is_really_used_counts(lines, code, level):
    assert code not in told()
    found = told(*lines)
    assert found[code].level == level, found


def test_a_caution_waits_for_its_step_and_a_step_that_is_over_is_history():
    assert "solvent-on-hotplate" not in told("2: use hotplate for water bath")
    assert "flame-near-solvent" not in told("2: use Bunsen burner for water bath", "done 1", "done 2")


def test_a_blank_run_has_only_its_readings():
    """Nothing is in a list there: what was taken, and the words of a step, say it."""
    heat = StepAdded(step=Step(id="s1", kind="heat", says="Warm it", kit=("hotplate",)))
    assert "solvent-on-hotplate" not in told(heat, procedure=BLANK)
    for lines in (("take diethyl ether 30 mL", heat), (heat, "1: take ether 30 mL")):
        assert told(*lines, procedure=BLANK)["solvent-on-hotplate"].level == "stop", lines
    burner = (heat, "take rubbing alcohol 20 mL", "1: use gas burner for hotplate")
    assert told(*burner, procedure=BLANK)["flame-near-solvent"].level == "stop"


DISSOLVED = ("1: dish 30.000", "done 1", "2: take crude acetanilide 2.000 g", "done 2", "done 3", "4: take water 44 mL")


@pytest.mark.parametrize(
    ("readings", "speaks"),
    [
        (("4: temp 99", "4: take charcoal 0.03 g"), True),
        (("4: temp 99", "4: temp 70", "4: take charcoal 0.03 g"), False),
        (("4: take charcoal 0.03 g", "4: temp 99"), False),
        (("4: take charcoal 0.03 g",), False),
    ],
)
def test_charcoal_is_held_against_the_last_temperature_before_it(readings, speaks):
    found = told(*DISSOLVED, *readings, procedure=CLEAN)
    assert ("grains-went-in-hot" in found) is speaks
    if speaks:
        assert found["grains-went-in-hot"].level == "stop"
        assert found["grains-went-in-hot"].what == "charcoal went in while water was at 99 °C."


def test_nothing_is_thrown_away_before_the_product_is_weighed():
    until = [f"done {number}" for number in range(1, 14)]
    found = told(*until, procedure=CLEAN)["keep-until-weighed"]
    assert found.level == "stop"
    assert found.what == "The next step discards liquor, but acetanilide, dry is not weighed yet."
    weighed = ("1: dish 30.000", "12: dish acetanilide, dry dried 31.500")
    assert "keep-until-weighed" not in told(*weighed, *until, procedure=CLEAN)
    assert "keep-until-weighed" not in told(*until[:5], procedure=CLEAN)


def test_what_only_a_record_shows_is_in_the_catalogue():
    from pathlib import Path

    from helvor.core.techniques.safety.catalogue import catalogue

    page = Path(__file__).parents[4] / "docs" / "safety.md"
    assert page.read_text(encoding="utf-8") == catalogue(), "run docs/write_catalogue.py"
    assert set(RUN_ONLY) == {"grains-went-in-hot", "keep-until-weighed"}


@pytest.mark.parametrize(
    "name",
    [
        "a-mixed-powder",
        "acetanilide-made-clean",
        "chalk-from-two-solutions",
        "colours-of-iron",
        "inside-the-tablet",
        "sulfate-in-garden-salt",
        "three-from-one",
    ],
)
def test_what_ships_gives_no_stop_and_no_caution(name):
    from helvor.core.engine.plan.check_plan import check_plan

    advice = check_plan(shipped_procedure(name), HouseRules(), TECHNIQUES)
    assert [a.finding.what for a in advice if a.finding.level in ("stop", "caution")] == []
