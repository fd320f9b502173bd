"""What a kind of step can be told of its own."""

import json

import pytest
from hypothesis import given
from hypothesis import strategies as st
from pydantic import ValidationError

from helvor.core.record.parameters import PAPERS, VESSELS, Asked, Parameters, next_size, parameters_of
from helvor.core.record.procedure import BadProcedure, Procedure, Step, procedure_from, read_procedure, scaled
from helvor.core.techniques.column.parameters import OfAColumn, OfElution
from helvor.core.techniques.extraction.parameters import OfPh
from helvor.core.techniques.filtration.parameters import OfAFilter
from helvor.core.techniques.planar.parameters import Developing, OfAPlate
from helvor.core.techniques.registered import STEP_KINDS
from helvor.exchange.procedure import procedure_json

BEFORE = {
    "paper": None,
    "plate_width": None,
    "plate_height": None,
    "eluent": "",
    "eluent_volume": None,
    "spots": [],
    "ph": None,
    "bore": None,
    "bed": None,
    "fraction": None,
}
"""What every step of a file of format 1 had."""


def of(kind, **said):
    return procedure_from({"title": "x", "steps": [{"id": "s1", "kind": kind, **said}]}).steps[0]


def test_a_file_of_before_is_read_and_its_values_are_where_their_kind_reads_them():
    data = {
        "format": 1,
        "title": "x",
        "steps": [
            {"id": "s1", "kind": "plate", **BEFORE, "plate_width": 40.0, "eluent": "heptane", "spots": ["caffeine"]},
            {"id": "s2", "kind": "set ph", **BEFORE, "ph": 2.0},
            {"id": "s3", "kind": "weigh", **BEFORE, "paper": 90.0},
        ],
    }
    procedure = procedure_from(data)
    plate, ph, weigh = procedure.steps
    assert (OfAPlate.of(plate).plate_width, OfAPlate.of(plate).spots) == (40, ("caffeine",))
    assert OfPh.of(ph).ph == 2 and dict(ph.more) == {"ph": 2.0}
    assert dict(weigh.more) == {"paper": 90.0} and OfAFilter.of(weigh).paper is None  # kept, and not used
    assert procedure.format == 2 and read_procedure(procedure_json(procedure)) == procedure
    assert json.loads(procedure_json(procedure))["steps"][2]["paper"] == 90


@pytest.mark.parametrize(
    ("said", "sentence"),
    [
        ({"kind": "set ph", "ph": 20}, "ph: "),
        ({"kind": "plate", "eluent": "4 : 1"}, "eluent: "),
        ({"kind": "weigh", "handz": 3}, "handz: A step of this kind has no such field"),
        ({"kind": "weigh", "parts": 3}, "parts: A step of this kind has no such field"),
    ],
)
def test_what_a_kind_does_not_know_or_take_is_said(said, sentence):
    with pytest.raises(BadProcedure) as bad:
        of(**said)
    assert any(place == "step 1" and sentence in what for place, what in bad.value.troubles), bad.value.troubles


def test_a_kind_is_asked_by_what_it_shares_with_others():
    elute = of("elute", bore=20, fraction=5, eluent="heptane : ethyl acetate 4 : 1", eluent_volume=100)
    assert Developing.of(elute).liquids() == {"heptane : ethyl acetate 4 : 1": 100}
    assert OfAColumn.of(elute).bore == 20
    assert OfPh.of(elute) == OfPh() and OfPh().reaction() is None
    assert list(parameters_of(elute).words()) == [
        "in heptane : ethyl acetate 4 : 1",
        "100 mL per chamber",
        "column 20 mm inside",
        "5 mL per tube",
    ]
    assert [OfPh(ph=ph).reaction() for ph in (2, 7, 12)] == ["acid", "", "base"]
    assert list(parameters_of(of("plate", plate_width=40, plate_height=80)).words()) == ["plate 40 × 80 mm"]
    assert parameters_of(of("weigh")) == Parameters()


def test_what_holds_the_amounts_grows_with_them_and_what_does_not_stays():
    procedure = Procedure(
        title="x",
        steps=[
            Step(id="s1", kind="dissolve", volume=100, celsius=60),
            Step(id="s2", kind="gravity filter", paper=90),
            Step(id="s3", kind="elute", bore=20, bed=150, fraction=5, eluent="heptane", eluent_volume=50),
            Step(id="s4", kind="plate", plate_width=40, plate_height=80, eluent="heptane", eluent_volume=10),
        ],
    )
    larger = scaled(procedure, 4)
    assert (larger.steps[0].volume, larger.steps[0].celsius) == (400, 60)
    assert OfAFilter.of(larger.steps[1]).paper == 185  # twice as wide, the next size
    assert OfElution.of(larger.steps[2]) == OfElution(bore=40, bed=150, fraction=20, eluent="heptane", eluent_volume=50)
    assert larger.steps[3] == procedure.steps[3]
    assert scaled(procedure, 1) == procedure


@given(st.floats(0.5, 5000), st.floats(0.01, 100))
def test_a_size_that_grows_is_one_that_is_sold_and_holds_what_it_must(volume, factor):
    vessel = Asked("Vessel", "mL", grows="amount", sizes=VESSELS)
    grown = vessel.grown(volume, factor)
    assert grown in VESSELS or factor == 1
    assert factor == 1 or grown >= min(volume * factor * 0.999, VESSELS[-1])
    assert next_size(1e9, PAPERS) == PAPERS[-1]


@pytest.mark.parametrize("kind", STEP_KINDS.values(), ids=lambda kind: kind.key)
def test_every_parameter_says_how_it_is_asked_for_and_has_a_default(kind):
    model = kind.parameters
    assert parameters_of(Step(id="s1", kind=kind.key)) == model()
    for name, asked in model.asked().items():
        assert asked.label and asked.unit in ("", "mm", "mL", "°C", "min", "g")
        assert not model.model_fields[name].is_required()
        with pytest.raises(ValidationError):
            model.model_validate({name: object()})
