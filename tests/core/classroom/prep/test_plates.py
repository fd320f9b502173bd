"""What plates and cold need of a meeting."""

import pytest

from helvor.core.classroom.prep.make import prep_sheet
from helvor.core.record.procedure import Procedure, Step

PLATE = Step(
    id="s1",
    kind="plate",
    plate_width=50,
    plate_height=100,
    eluent="hexane : ethyl acetate 4 : 1",
    eluent_volume=10,
    spots=("caffeine", "aspirin"),
)


def plan(*steps):
    return Procedure(title="Plates", steps=steps)


def test_a_class_of_plates_from_the_stock_sheet_to_the_waste_bottle():
    sheet = prep_sheet(plan(PLATE), 1, 12, spare=0.12)
    (cut,) = sheet.sheets
    assert (cut.plates, cut.sheets, cut.plan.count) == (14, 2, 8)
    (mixed,) = sheet.eluents
    assert mixed.total == 140 and [part.rounded for part in mixed.parts] == [112, 28]
    assert {s.name: (s.vials, s.each.mass) for s in sheet.spotting} == {"caffeine": (3, 0.005), "aspirin": (3, 0.005)}
    assert [(w.stream, w.volume) for w in sheet.waste] == [("solvents", 140.0)]
    assert len(sheet.keys) == len(set(sheet.keys)) == 5


def test_the_same_eluent_is_mixed_once_and_halogenated_waste_stays_apart():
    second = PLATE.model_copy(update={"id": "s2", "eluent": "20 % ethyl acetate in hexane"})
    third = PLATE.model_copy(update={"id": "s3", "eluent": "dichloromethane : methanol 95 : 5"})
    sheet = prep_sheet(plan(PLATE, second, third), 1, 4, spare=0)
    assert [(m.total, m.steps, m.stream) for m in sheet.eluents] == [
        (80.0, (1, 2), "solvents"),
        (40.0, (3,), "halogenated"),
    ]
    assert {w.stream for w in sheet.waste} == {"solvents", "halogenated"}
    assert sheet.sheets[0].plates == 12


@pytest.mark.parametrize(("baths", "kilograms"), [(0, None), (1, 2.0), (2, 4.0)])
def test_ice_for_every_bath(baths, kilograms):
    sheet = prep_sheet(plan(*(Step(id=f"s{n}", kind="ice bath") for n in range(baths))), 1, 12)
    assert (sheet.ice.kilograms if sheet.ice else None) == kilograms


def test_a_plate_larger_than_a_stock_sheet_is_not_cut_from_it():
    assert prep_sheet(plan(PLATE.model_copy(update={"plate_height": 250.0})), 1, 2).sheets == ()


def test_an_eluent_that_cannot_be_read_is_refused_with_the_procedure():
    with pytest.raises(ValueError, match="is not clear: enter hexane : ethyl acetate"):
        Step(id="s1", kind="plate", eluent="hexane 4 and 1")


def test_what_another_day_or_somebody_else_does_is_not_in_it():
    later = PLATE.model_copy(update={"meeting": 2})
    other = PLATE.model_copy(update={"id": "s2", "doer": "instructor"})
    assert prep_sheet(plan(later, other), 1, 12).eluents == ()
