"""Where the lanes of a procedure's portions run."""

import pytest
from hypothesis import given
from hypothesis import strategies as st

from helvor.core.engine.plan import edit
from helvor.core.record.procedure import Procedure, Step
from helvor.shelf.procedures import shipped_procedure
from helvor.web.procedures.wiring import ROW, TOP, wiring

NAMES = ["a-mixed-powder", "three-from-one", "sulfate-in-garden-salt", "colours-of-iron", "acetanilide-made-clean"]


@pytest.mark.parametrize("name", NAMES)
def test_every_portion_has_a_lane_and_every_step_an_end_for_all_it_works_on(name):
    procedure = shipped_procedure(name)
    drawn = wiring(procedure)
    assert [lane.name.casefold() for lane in drawn.lanes] == [n.casefold() for n in procedure.portion_names]
    ends = {(end.step, end.portion.casefold()) for end in drawn.ends}
    assert ends == {(s.id, n.casefold()) for s in procedure.steps for n in (*s.takes, s.on) if n}
    assert not any(end.broken for end in drawn.ends)
    assert {row.number for row in drawn.steps} == set(range(1, len(procedure.steps) + 1))


@given(st.sampled_from(NAMES), st.data())
def test_no_two_lanes_run_over_each_other_and_what_is_broken_is_said(name, data):
    procedure = shipped_procedure(name)
    step = data.draw(st.sampled_from(procedure.steps))
    moved = edit.move_step(procedure, step.id, data.draw(st.integers(0, len(procedure.steps))))
    drawn = wiring(moved)
    row = {one.id: number for number, one in enumerate(moved.steps)}
    last = {lane.name: max([0, *(row[e.step] for e in drawn.ends if e.portion == lane.name)]) for lane in drawn.lanes}
    runs = [(lane.x, (lane.y - TOP) / ROW, last[lane.name]) for lane in drawn.lanes]
    for i, (x, start, end) in enumerate(runs):
        for other_x, other_start, other_end in runs[:i]:
            assert x != other_x or end < other_start or other_end < start
    given_at = {name: n for n, one in reversed(list(enumerate(moved.steps))) for name in one.gives}
    for end in drawn.ends:
        assert end.broken == (given_at.get(end.portion, 99) >= row[end.step])
        assert all(given_at[other] < row[end.step] for other in end.others)


def test_without_steps_there_is_nothing_and_a_name_that_nobody_gives_is_broken():
    assert wiring(Procedure(title="x")).lanes == []
    (end,) = wiring(Procedure(title="x", steps=[Step(id="s1", kind="dry", on="gold")])).ends
    assert (end.broken, end.path, end.others) == (True, "", [])
