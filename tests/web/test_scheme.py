"""The separation scheme: as thick as the mass, readable with twenty portions, what is missing drawn."""

import itertools

import pytest

from helvor.web.run.scheme import PALE, THICKEST, draw_scheme
from tests.core.engine.run.test_ledger import parting
from tests.core.runs import CHALK, LOSSLESS, POWDER, sheet_of


def thick(scheme):
    return {ribbon.name: ribbon.thick for ribbon in scheme.ribbons}


def test_ribbons_are_as_thick_as_the_mass_they_carry():
    scheme = draw_scheme(sheet_of(*LOSSLESS, procedure=POWDER))
    drawn = thick(scheme)
    assert drawn["powder"] == pytest.approx(THICKEST)
    for name, mass in (("residue", 2.003), ("salt", 1.009), ("beads", 0.992), ("camphor vapour", 1.003)):
        assert drawn[name] == pytest.approx(THICKEST * mass / 3.006)
    # Not weighed: the mass of what came from it, and pale.
    assert drawn["salt solution"] == pytest.approx(drawn["salt"])
    assert [r.name for r in scheme.ribbons if r.pale] == ["salt solution", "wet beads"]


def test_what_is_missing_has_a_ribbon_of_its_own():
    lossy = [*LOSSLESS[:-2], "beaker + watch glass salt dried 62.000", "beaker + watch glass salt dried 62.000"]
    scheme = draw_scheme(sheet_of(*lossy, procedure=POWDER))
    assert scheme.ends[-1].missing
    assert scheme.ends[-1].mass == "0.215"
    assert scheme.missing_path
    unfinished = draw_scheme(sheet_of(*LOSSLESS[:4], procedure=POWDER))
    assert not unfinished.missing_path, "while something is still to be weighed nothing is missing"
    assert {e.note for e in unfinished.ends} >= {"waiting"}


def test_twenty_portions_do_not_lie_on_each_other():
    procedure, said = parting([1.0] * 10, [0.01] * 10)
    scheme = draw_scheme(sheet_of(*said, procedure=procedure))
    assert len(scheme.ribbons) == 20
    heights = [end.y for end in scheme.ends]
    assert len(heights) == 11
    assert all(below - above >= 60 for above, below in itertools.pairwise(heights))
    assert len({(node.x, node.y) for node in scheme.nodes}) == len(scheme.nodes)


def test_two_that_join_come_from_two_places():
    scheme = draw_scheme(sheet_of("take calcium chloride dihydrate 1.5 g", procedure=CHALK))
    assert len({source.y for source in scheme.sources}) == 2
    assert thick(scheme)["liquor"] == PALE
    assert draw_scheme(sheet_of("dish 30.0")) is None
