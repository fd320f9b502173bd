"""Which liquid must pass a filter: what wets its paper, what washes its solid."""

from uuid import UUID

import pytest

from helvor.core.engine.plan.check_plan import check_plan
from helvor.core.engine.run.reading_line import understand
from helvor.core.engine.run.work_out import work_out
from helvor.core.record.entry import Entry
from helvor.core.record.house_rules import HouseRules
from helvor.core.record.procedure import Procedure, Step
from helvor.core.techniques.registered import TECHNIQUES
from tests.core.runs import NOON, codes, page_of, sheet_of


def in_liquid(liquid, *steps, says="Filter with vacuum", density=0.9, layer="organic"):
    """A procedure in which a solid is filtered off from a liquid and washed."""
    return Procedure(
        title="x",
        substances=[
            {"name": "crude", "amount": "2.00 g", "role": "sample"},
            {"name": liquid, "amount": "40 mL", "role": "solvent", "density": density, "layer": layer},
        ],
        steps=[
            Step(id="s1", kind="dissolve hot", adds=("crude", liquid), gives=("solution",)),
            Step(id="s2", kind="crystallize", takes=("solution",), gives=("slurry",)),
            Step(id="s3", kind="vacuum filter", says=says, takes=("slurry",), gives=("liquor", "crystals")),
            Step(id="s4", kind="wash", on="crystals"),
        ],
    )


ETHYL_ACETATE, ETHANOL = in_liquid("ethyl acetate"), in_liquid("ethanol", density=0.79, layer="both")
WATER_WET = "Wet the paper with water, then filter with vacuum"


@pytest.mark.parametrize(
    ("says", "school", "level"),
    [("Filter", "own-solvent", None), (WATER_WET, "own-solvent", "caution"), ("Filter", "water", "note")],
)
def test_water_on_a_paper_that_an_organic_liquid_must_pass_is_a_finding(says, school, level):
    found = {
        advice.finding.code: advice.finding
        for advice in check_plan(
            in_liquid("ethyl acetate", says=says), HouseRules({"wetting-paper": school}), TECHNIQUES
        )
    }
    finding = found.get("wetted-with-water")
    assert (finding.level if finding else None) == level
    assert finding is None or finding.do == "Wet it with ethyl acetate."


@pytest.mark.parametrize("school", ["own-solvent", "water"])
def test_the_check_names_the_very_liquid(school):
    sheet = sheet_of(procedure=ETHYL_ACETATE, rules=HouseRules({"wetting-paper": school}))
    step = next(seen for seen in sheet.steps if seen.step.id == "s3")
    assert "paper wetted with ethyl acetate" in [check.words for check, _ in step.checks]


@pytest.mark.parametrize(
    ("procedure", "wash", "code", "says"),
    [
        (ETHYL_ACETATE, "wash water 5 mL cold", "wash-does-not-mix", "Wash with a little ice-cold ethyl acetate"),
        (ETHYL_ACETATE, "wash ethyl acetate 5 mL cold", None, ""),
        (ETHANOL, "wash water 5 mL cold", "wash-another", "How much of it water dissolves is not known"),
    ],
)
def test_crystals_are_washed_with_what_they_came_from(procedure, wash, code, says):
    sheet = work_out(written(page_of(procedure=procedure), wash, "s4"), None, TECHNIQUES)
    found = {finding.code: finding for finding in sheet.findings if finding.code.startswith("wash-")}
    assert set(found) == ({code} if code else set())
    assert not code or says in f"{found[code].because} {found[code].do}"


def test_a_note_that_the_paper_was_wetted_with_water_is_heard():
    page = written(page_of(procedure=ETHYL_ACETATE), "note wetted the paper with water", "s3")
    assert "wetted-with-water" in codes(work_out(page, None, TECHNIQUES))


def written(page, line, step):
    """The page with one more typed line, beside a step."""
    payload = understand(line, page, step, TECHNIQUES, sure=True).payload
    number = len(page) + 1
    return [*page, Entry(UUID(int=number), number, payload, None, "", "Ida", NOON)]
