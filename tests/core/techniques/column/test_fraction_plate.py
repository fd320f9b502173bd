"""A column's tubes on a plate: what their lanes show, by the references beside them."""

import itertools

import pytest

from helvor.core.quantities.reading import Unreadable
from helvor.core.techniques.column.fraction_plate import lanes_for, reference_labels, spotted_from, tubes_on
from helvor.core.techniques.planar import plate as planar
from tests.core.plates import Writing, mm


def plate(*spots, front=80, references=("F",)):
    """Lanes 4, 5 and F; spots as lane, mm and how strong."""
    page = Writing(lanes=("4", "5"))
    for label in references:
        page.lanes[label] = page.add(planar.Lane(at=mm(40), label=label, substance="ferrocene", role="reference"))
    if front:
        page.add(planar.Front(distance=mm(front)))
    for lane, at, strength in spots:
        page.add(planar.Spot(lane=page.lanes[lane], distance=mm(at), strength=strength))
    return page.sheet


REFERENCE = ("F", 40, "clear")


@pytest.mark.parametrize(
    ("spots", "shows"),
    [
        ([], {4: {}, 5: {}}),
        ([("4", 40.5, "heavy")], {4: {"ferrocene": 4}, 5: {}}),
        ([("4", 40, "faint"), ("4", 20, "clear")], {4: {"ferrocene": 1, "Rf 0.25": 3}, 5: {}}),
        ([("5", 0, "heavy")], {4: {}, 5: {"Rf 0.00": 4}}),
        ([("5", 40, "faint"), ("5", 40.4, "heavy")], {4: {}, 5: {"ferrocene": 4}}),
    ],
)
def test_what_the_lanes_of_tubes_show(spots, shows):
    assert {one.tube: one.shows for one in tubes_on(plate(REFERENCE, *spots))} == shows


@pytest.mark.parametrize(
    ("sheet", "says"),
    [
        (plate(("4", 40, "clear")), "No reference"),
        (plate(REFERENCE, front=0), "front is not marked"),
        (plate(REFERENCE, ("4", 85, "clear")), "beyond the front"),
        (plate(REFERENCE, references=("F", "G")), None),
    ],
)
def test_a_plate_that_says_nothing_is_refused_with_the_reason(sheet, says):
    if says is None:
        assert len(tubes_on(sheet)) == 2
        return
    with pytest.raises(Unreadable, match=says):
        tubes_on(sheet)


def test_each_tube_is_cleared_before_it_is_written_anew():
    says = spotted_from(tubes_on(plate(REFERENCE, ("4", 40, "heavy"))), "s7")
    assert [(one.first, one.compound, one.strength) for one in says if one.compound] == [(4, "ferrocene", 4)]
    assert [one.first for one in says if not one.compound] == [4, 5]


@pytest.mark.parametrize("tubes", [1, 2, 20, 37])
def test_lanes_stand_apart_and_on_the_plate(tubes):
    set_up, *lanes = lanes_for(range(1, tubes + 1), ["ferrocene", "acetylferrocene", "biphenyl"])
    places = [lane.at.value for lane in lanes]
    assert all(b - a >= 5 for a, b in itertools.pairwise(places))
    assert places[0] >= 5 and places[-1] <= set_up.width.value - 5
    assert len({lane.label for lane in lanes}) == len(lanes) == tubes + 3


def test_names_of_references_never_meet():
    names = ["aspirin", "as", "a", "aspirine", "1,2", "3,4"]
    assert len(set(reference_labels(names))) == len(names)
